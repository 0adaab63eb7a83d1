"""Rough stretches: worn places where the signal stays connected but is noisy, pass after pass.

Each sample is held against the middle of its neighbours; what a hand does, it does anywhere, and a bend
of its motion is the same whether the track is worn or not. So the roughness of every cell of the travel,
in every pass, is compared, in logarithms, with that of all other cells of the same recording: what
counts is that a stretch stands out of them, not a limit in millivolts.
"""

from dataclasses import dataclass, replace
from math import log, sqrt

import numpy as np

from nervus.domain.analysis import Pass
from nervus.domain.channel import FloatArray, IntArray, Span, Unit
from nervus.domain.finding import Noise
from nervus.language import say
from nervus.signal.arithmetic.intervals import wilson
from nervus.signal.arithmetic.robust import OF_MEDIAN
from nervus.signal.arithmetic.spans import inside, merge, runs
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.worn.pass_cells import ends_of, samples_in
from nervus.signal.worn.rough_ends import ends_by_sound
from nervus.signal.worn.roughness import FINEST_S, LEAST_PASSES, Look, Table, looked

# A cell stands out by so many deviations of what the others show, and is so many times as rough.
_DEVIATIONS, _TIMES = 4.5, 1.8
# Less than this, percent of supply, is within the output smoothness of a sound track, however much it
# stands out (from memory: 0.1 % is usual of conductive plastic).
_SMOOTH_PCT = 0.1
# Nor is, of a lone track that is read slowly, what rounding to a step may make of a smooth course: up to
# this share of it. Read quickly each step is passed by many readings, slowly or not.
_ROUNDED = 0.5
# As a whole it stands out by so many: hundreds of stretches are looked at.
_OF_ALL = 5.5
_REACH, _REACH_TIMES = 2.0, 1.5
# Faster passes, percent of travel a second, are snaps: the plate shakes, and lands. Where a sister tells
# what the plate does, sample by sample, only the fastest are; and a lone track that moves by no more
# than so many percent from one reading to the next shows what a quick hand does, up to so fast.
_SNAP_PCT_PER_S, _SNAP_BY_SISTER_PCT_PER_S, _LANDS_PCT_PER_S = 80.0, 900.0, 250.0
_MOVED_PCT, _SNAP_ALONE_PCT_PER_S = 2.0, 400.0
# A plate that has struck a stop bounces off it so far, percent of travel (from memory).
_BOUNCES_PCT = 8.0
_LEAST_SHARE, _LEAST_PCT = 0.5, 2.5
# Nor is a worn stretch wider, and it takes so many crossings of cells to see it.
_MOST_PCT, _LEAST_SEEN = 30.0, 8
# A worn stretch may lose contact in a smaller share of the passes, if these are so many, and so many
# deviations more than passes over other stretches that are as rough by chance.
_MANY_PASSES, _SELDOM_SHARE, _BY_CHANCE = 5, 0.3, 3.0
# Within this time a hand corrects where it goes (0.19 to 0.26 s: S. W. Keele and M. I. Posner,
# "Processing of visual feedback in rapid movements", J. Exp. Psychol. 77 (1968) 155-158): what is read
# further apart may be its doing, where no sister tells.
_CORRECTS_S = 0.2
# Readings further apart do not tell how the shaft went just before and just behind: four of them, and
# two that may be off, take as long as a hand needs to go another way.
_GOES_STRAIGHT_S = _CORRECTS_S / 6.0
# Of very many passes so many are looked at first; where no cell is so many times as rough, that is all.
_FIRST_LOOK, _SUSPICIOUS_TIMES = 64, 1.3
# It reaches from the first to the last rough sample, but for so many per cent of them; of a lone track.
_ALL_BUT, _ALL_BUT_ALONE = (2.0, 98.0), (5.0, 95.0)
# Of what is rough by itself at least so much lies on either side of a smooth course.
_OTHER_SIDE = 0.2
# It flickers where it turns so often in a pass, and so large a share of all samples is rough: what
# leaves its course and comes back turns three times.
_TURNS, _BUSY_SHARE = 5, 0.35


@dataclass(frozen=True, slots=True)
class Rough:
    """A rough stretch.

    Attributes:
        noise: as a finding, where the track itself seems to be while it is rough.
        told: the same where the shaft was.
        flickers: whether it flickers all over: then nothing but roughness explains it.
    """

    noise: Noise
    told: Noise
    flickers: bool


def rough_stretches(
    track: Instrument,
    travel: tuple[FloatArray, FloatArray],
    passes: tuple[Pass, ...],
    masked: tuple[Span, ...],
    sister: FloatArray | None = None,
) -> tuple[Rough, ...]:
    """Stretches of travel over which a track is rough in most passes.

    Args:
        track: the track.
        travel: instants and percent of travel, shape (n,) each.
        passes: of the travel.
        masked: spans that other findings explain.
        sister: what the other track says this one should read at its instants, percent of supply, shape
            (m,): against it the motion of the hand falls away.
    """
    seen_fast = sister is not None and not track.is_slow
    each_s = max(track.interval_s, FINEST_S)
    alone = min(max(_SNAP_PCT_PER_S, _MOVED_PCT / each_s), _SNAP_ALONE_PCT_PER_S)
    most = _SNAP_BY_SISTER_PCT_PER_S if seen_fast else alone
    slow = tuple(p for p in passes if p.speed <= most)
    if sister is None:
        slow = tuple(q for p in slow if (q := _without_landing(p, travel)) is not None)
    if track.level.size < 5 or len(slow) < LEAST_PASSES:
        return ()
    if sister is None and track.interval_s > _CORRECTS_S:
        return ()
    if len(slow) > 2 * _FIRST_LOOK and not track.is_slow:
        every = len(slow) // _FIRST_LOOK
        some = tuple(p for n, p in enumerate(slow) if n // 2 % every == 0)
        seen = samples_in(track.time_s, some)[0]
        part = replace(track, time_s=track.time_s[seen], level=track.level[seen])
        table = looked(part, None if sister is None else sister[seen], travel, some, masked).table
        if not table.above().max(initial=0.0) > log(_SUSPICIOUS_TIMES):
            return ()
    # A snap ends with a landing, which each track shows by its own filter.
    masked += ends_of(tuple(p for p in slow if p.speed > _LANDS_PCT_PER_S))
    if sister is not None and track.is_slow:
        slow = _visits(passes, float(track.time_s[-1]))
    # A stop ends a pass at full speed, at any instant between two readings of the sister.
    stops = ends_of(passes, at_stops=True) if track.is_slow else ()
    if sister is None and track.is_slow:
        # Where a foot stops, or a unit limits it, it may turn round as it likes; at a stop it can't.
        masked += tuple(set(ends_of(passes)).difference(stops))
    look = looked(track, sister, travel, slow, masked, stops)
    found = []
    pooled = sister is not None or track.is_slow
    for stretch in _stand_out(look.table, pooled=pooled, slow=track.is_slow):
        place, turns, share = _refined(stretch, look, slow)
        noise = _finding(look.track, look.table, place)
        if noise is not None and not (look.by_beside and _bends_to_one_side(look, place)):
            flickers = turns >= _TURNS * len(slow) and share >= _BUSY_SHARE
            found.append(Rough(noise, _told(look, place) or noise, flickers))
    return tuple(found)


def _told(look: Look, place: Span) -> Noise | None:
    """A rough stretch where the shaft was; `None` where only the track itself tells, or too little."""
    if not look.table.alone or look.track.interval_s > _GOES_STRAIGHT_S:
        return None
    by_sound = ends_by_sound(look, place)
    # Gone on straight, a foot that comes to rest would be beyond its stop.
    low, high = (
        a if b is None else round(min(max(b, 0.0), 100.0), 2)
        for a, b in zip(place, by_sound, strict=True)
    )
    return _finding(look.track, look.table, (low, high))


def _without_landing(a_pass: Pass, travel: tuple[FloatArray, FloatArray]) -> Pass | None:
    """A quick pass as far as the plate does not bounce at its stops; a slow one as it is."""
    if a_pass.speed <= _SNAP_PCT_PER_S:
        return a_pass
    first, last = np.searchsorted(travel[0], (a_pass.start_s, a_pass.end_s)).tolist()
    time_s, percent = (x[first : last + 1] for x in travel)
    free = np.flatnonzero((percent > _BOUNCES_PCT) & (percent < 100.0 - _BOUNCES_PCT))
    if free.size < LEAST_PASSES:
        return None
    start, end = free[0], free[-1]
    return replace(
        a_pass,
        start_s=float(time_s[start]),
        end_s=float(time_s[end]),
        from_pct=float(percent[start]),
        to_pct=float(percent[end]),
    )


def _visits(passes: tuple[Pass, ...], end_s: float) -> tuple[Pass, ...]:
    """Passes with the rests behind them, up to where the next one begins."""
    ends = [p.start_s for p in passes[1:]] + [end_s]
    return tuple(replace(p, end_s=max(e, p.end_s)) for p, e in zip(passes, ends, strict=True))


def _stand_out(table: Table, *, pooled: bool, slow: bool) -> list[Span]:
    """The stretches whose roughness stands out of all others, cell by cell or, pooled, as a whole."""
    log, above = table.log(), table.above()
    seen = np.isfinite(log).sum(axis=0)
    enough = seen >= LEAST_PASSES
    if np.count_nonzero(enough) < 5:
        return []
    within = float(np.median(np.nanstd(log[:, enough], axis=0)))
    between = OF_MEDIAN * float(np.median(np.abs(above[enough])))
    deviation = np.sqrt(within**2 / np.maximum(seen, 1) + between**2)
    times = table.times()
    core = (above > _DEVIATIONS * deviation) & (times > _TIMES)
    # Where it is rough for sure it is as far as it is rougher than usual.
    wide = (above > _REACH * deviation) & (times > _REACH_TIMES)
    # What cells differ by besides what so few crossings of each leave to chance.
    by_chance = within**2 * float(np.mean(1.0 / seen[enough]))
    besides = sqrt(max(between**2 - by_chance, 0.0)) if slow else between
    found = [] if not pooled else _scanned(above, seen, (within, besides), table.cell_pct)
    for first, last in zip(*runs(wide), strict=True):
        place = (float(first * table.cell_pct), float((last + 1) * table.cell_pct))
        cells = slice(first, last + 1)
        if core[cells].any() and place[1] - place[0] >= 2.0 * table.cell_pct - 1e-9:
            found.append(place)
    return list(merge(sorted(found), table.cell_pct + 1e-9))


def _scanned(
    above: FloatArray, seen: IntArray, spread: tuple[float, float], cell_pct: float
) -> list[Span]:
    """Stretches that stand out as a whole, though no cell of them need do so alone.

    Of all stretches the one that stands out most; then of what is left. What differs from cell to cell
    is taken to be alike in two of them.
    """
    total = np.concatenate(([0.0], np.cumsum(above * seen)))
    held = np.concatenate(([0.0], np.cumsum(seen)))
    found: list[Span] = []
    free = np.ones(above.size, dtype=np.bool_)
    least, most = int(np.ceil(_LEAST_PCT / cell_pct)), int(_MOST_PCT / cell_pct)
    while True:
        best: tuple[float, int, int] = (_OF_ALL, 0, 0)
        taken = np.concatenate(([0], np.cumsum(~free)))
        for width in range(least, most + 1):
            n = held[width:] - held[:-width]
            mean = (total[width:] - total[:-width]) / np.maximum(n, 1.0)
            deviation = np.sqrt(spread[0] ** 2 / np.maximum(n, 1.0) + spread[1] ** 2 / (width / 2.0))
            stands = mean / np.maximum(deviation, 1e-9)
            stands[(mean < log(_TIMES)) | (n < _LEAST_SEEN) | (taken[width:] > taken[:-width])] = 0.0
            at = int(np.argmax(stands))
            if stands[at] > best[0]:
                best = (float(stands[at]), at, at + width)
        if best[2] == 0:
            return found
        found.append((best[1] * cell_pct, best[2] * cell_pct))
        free[max(best[1] - 1, 0) : best[2] + 1] = False


def _refined(place: Span, look: Look, passes: tuple[Pass, ...]) -> tuple[Span, int, float]:
    """The stretch from the first to the last rough sample, those furthest out left out.

    And how often it turns from one rough sample to the next, and their share of all that moved there.
    """
    bend, table, rough = look.bend, look.table, look.rough()
    percent = look.percent[rough]
    near = (percent > place[0] - table.cell_pct) & (percent < place[1] + table.cell_pct)
    if np.count_nonzero(near) < 2 * LEAST_PASSES:
        return place, int(np.count_nonzero(near)), 0.0
    told, ends = near, _ALL_BUT
    if look.by_beside:
        # What is off itself puts its neighbours off, and a hand bends now and then beside it.
        ends, size = _ALL_BUT_ALONE, np.abs(bend)
        peaks = near & (size >= np.maximum(np.append(0.0, size[:-1]), np.append(size[1:], 0.0)))[rough]
        told = peaks if peaks.any() else near
    # What is off beyond a stop is off at the stop.
    low, high = (round(float(q), 2) for q in np.percentile(percent[told], ends).clip(0.0, 100.0))
    first, last = round(low / table.cell_pct), max(round(high / table.cell_pct), 1)
    there = max(float(table.counts[:, first:last].sum()), 1.0)
    there_s = look.track.time_s[1:-1][rough]
    within = inside(there_s, tuple((p.start_s, p.end_s) for p in passes))
    signs = np.sign(bend[rough[within & (percent >= low) & (percent <= high)]])
    return (low, high), int(np.count_nonzero(np.diff(signs))), np.count_nonzero(near) / there


def _bends_to_one_side(look: Look, place: Span) -> bool:
    """Whether a shaft that turns there explains it: what is off puts those beside off the other way."""
    rough = look.rough()
    percent = look.percent[rough]
    there = look.bend[rough][(percent >= place[0]) & (percent <= place[1])]
    above = int(np.count_nonzero(there > 0.0))
    return min(above, there.size - above) < _OTHER_SIDE * there.size


def _share_elsewhere(table: Table, there: slice, limit: float) -> float:
    """The share of passes that are rougher than a limit over another stretch as long, on the average."""
    power, width = table.power, there.stop - there.start
    starts = [a for a in range(0, power.shape[1] - width + 1, width) if abs(a - there.start) >= width]
    rough = crossed = 0
    for start in starts:
        cells = power[:, start : start + width]
        known = np.isfinite(cells).any(axis=1)
        crossed += int(known.sum())
        rough += int(np.count_nonzero(np.nanmean(cells[known], axis=1) > limit**2)) if known.any() else 0
    return rough / crossed if crossed else 1.0


def _finding(track: Instrument, table: Table, place: Span) -> Noise | None:
    first = int(place[0] / table.cell_pct)
    last = max(int(np.ceil(place[1] / table.cell_pct)), first + 1)
    if place[1] - place[0] < _LEAST_PCT:
        return None
    rows = table.power[:, first:last]
    rows = rows[np.isfinite(rows).any(axis=1)]
    of = rows.shape[0]
    usual = table.usual()
    by_pass = np.sqrt(np.nanmean(rows, axis=1))
    seen = int(np.count_nonzero(by_pass > _TIMES * usual))
    elsewhere = _share_elsewhere(table, slice(first, last), _TIMES * usual)
    now_and_then = seen >= _MANY_PASSES and seen > of * elsewhere + _BY_CHANCE * sqrt(
        of * elsewhere + 1.0
    )
    if seen < LEAST_PASSES or seen < (_SELDOM_SHARE if now_and_then else _LEAST_SHARE) * of:
        return None
    rough = float(np.median(by_pass[by_pass > _TIMES * usual] if now_and_then else by_pass))
    rounded = track.resolution if table.alone and track.is_slow else 0.0
    least = max(_SMOOTH_PCT, _ROUNDED * rounded)
    return rough_told(track, place, (rough, usual), (seen, of)) if rough >= least else None


def rough_told(track: Instrument, place: Span, rms: tuple[float, float], seen: tuple[int, int]) -> Noise:
    """What is told of a rough stretch.

    Args:
        track: the track.
        place: percent of travel.
        rms: there and elsewhere, percent of supply.
        seen: in how many passes, of how many over it.
    """
    there, usual = (track.own_value(x) for x in rms)
    low, _ = wilson(*seen)
    return Noise(
        channels=(track.id,),
        times_s=(),
        confidence=round(min(0.98, 0.88 + 0.07 * low + 0.01 * min(seen[0], 5)), 3),
        text=(
            say(
                "{capitalize} is rough between {place:.0f} and {place_:.0f} % of the travel: "
                "{small} against {small_} elsewhere, in {seen} of {of} passes.",
                capitalize=track.kind.track.capitalize(),
                place=place[0],
                place_=place[1],
                small=track.small(there),
                small_=track.small(usual),
                seen=seen[0],
                of=seen[1],
            )
        ),
        travel_pct=place,
        rms=there,
        usual_rms=usual,
        unit=Unit(track.kind.unit),
        seen_in=seen[0],
    )
