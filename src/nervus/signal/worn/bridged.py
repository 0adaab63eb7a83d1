"""Bridged stretches: the track shows nothing over them, and all beside them is steeper.

Where a stretch of the resistance is bridged, the track divides what voltage it has over what is left.
So it stands still while the shaft goes on, and goes on from where it stood: it never leaps, and beside
its sister it rises a little up to the stretch, falls by it, and rises again. What it does beside is no
fault of its own: it is undone before all else is looked at.
"""

from dataclasses import dataclass, replace

import numpy as np

from nervus.domain.channel import BoolArray, FloatArray, Span
from nervus.domain.finding import DeadSpot, Shape
from nervus.signal.explained.shaft import Shaft
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.motion.travel import crossings
from nervus.signal.worn.apart import Apart, find_apart
from nervus.signal.worn.spot import pooled_spot

# What lags behind by more than this share of what the shaft goes on may stand; nearer than this to its
# stops, percent of travel, a plate lands and bounces.
_LAGS, _STOP_PCT = 0.5, 1.5
# What is beside a stretch is looked at so far; its ends are sought so far around, and so many times
# around what was found, in such steps and in so many finer ones, percent of travel.
_BESIDE_PCT, _AROUND_PCT, _TRIES, _STEP_PCT, _FINER = 20.0, 1.5, 4, 0.25, 5
# It is so wide, percent of travel.
_NARROWEST_PCT, _WIDEST_PCT = 0.7, 12.0
# What was shown at the ends, without what noise adds.
_ENDS = (0.005, 0.995)
# While it stands a track goes on by less than this share of what it does beside, and there no more than
# so much unlike its sister, a share of what she does: else it is bent.
_STANDS, _STRAIGHT = 0.3, 0.15
# A stretch leaves this share of what a straight line leaves of what the tracks are apart by, at most.
_LEFT = 0.4
# It is told from so many cells inside, and so many to either side.
_LEAST_INSIDE, _LEAST_BESIDE = 2, 3
# A pass shows it that falls behind by this share of it at least, by what it read so far to either side;
# so many passes do.
_ALIKE, _NEAR_PCT = 0.5, 6.0
_LEAST_PASSES = 3


@dataclass(frozen=True, slots=True, eq=False)
class Bridged:
    """A stretch that is bridged.

    Attributes:
        track: the channel of the track that has it.
        sister: the channel of the other one.
        ends: what the sister reads at its ends, in her own unit.
        spans: when passes show it.
        time_s: instants, shape (n,).
        by: how much the track reads too little then, percent of its supply, shape (n,).
    """

    track: str
    sister: str
    ends: Span
    spans: tuple[Span, ...]
    time_s: FloatArray
    by: FloatArray

    def straight(self, track: Instrument) -> Instrument:
        """A track as it would read without the stretch."""
        if track.id != self.track:
            return track
        return replace(track, level=track.level + np.interp(track.time_s, self.time_s, self.by))

    def spot(self, shaft: Shaft) -> DeadSpot | None:
        """As it is told of a shaft that was followed without it: where its travel ends is known then."""
        if shaft.travel is None or self.sister not in shaft.travel.frames:
            return None
        ends = shaft.travel.frames[self.sister].percent(np.asarray(self.ends))
        low, high = (round(end, 2) for end in ends.tolist())
        crossed = max(len(crossings(shaft.passes, (low, high))), len(self.spans))
        seen = (len(self.spans), crossed)
        return pooled_spot(self.track, (low, high), Shape.FLAT, 0.0, self.spans, seen)


def find_bridged(shaft: Shaft) -> Bridged | None:
    """The stretch over which one of two tracks is bridged, if one is."""
    for track in shaft.tracks:
        seen = find_apart(shaft, track, (), lambda some: _stretch(_cells(_shown(some))) is not None)
        if seen is None:
            continue
        shown = _shown(seen)
        stretch = _stretch(_cells(shown))
        if stretch is None:
            continue
        spans = _shows(shown, *stretch)
        if len(spans) >= _LEAST_PASSES:
            return _undone(shaft, seen, stretch, tuple(spans))
    return None


def _shown(seen: Apart) -> Apart:
    """With the travel from where the sister was shut to where she was open.

    The line between the tracks is that of one side of a stretch: it may put her ends elsewhere.
    """
    off = _beyond(seen)
    return replace(seen, own=seen.own - off, other=seen.other - off)


def _beyond(seen: Apart) -> float:
    low, high = np.quantile(seen.other, _ENDS).tolist() if seen.other.size else (0.0, 100.0)
    return min(low, 0.0) or max(high - 100.0, 0.0)


def _undone(
    shaft: Shaft, seen: Apart, stretch: tuple[Span, float], spans: tuple[Span, ...]
) -> Bridged | None:
    if shaft.pair is None or shaft.travel is None:
        return None
    ((low, high), lost), track, sister = stretch, seen.track, shaft.pair.other(seen.track)
    off, sign = _beyond(seen), 1.0 if track.id == shaft.pair.first.id else -1.0
    # By her course: what leaves it is looked at when the track is straight.
    course = shaft.courses[sister.id]
    hers = np.interp(track.time_s + sign * shaft.pair.skew_s, course.time_s, course.level)
    expected = track.own(shaft.pair.as_track(track, hers))
    at = np.clip(seen.frame.percent(expected) - off, 0.0, 100.0)
    # Both ends of the travel stay what they are.
    share = np.clip((at - low) / (high - low), 0.0, 1.0) - at / 100.0
    whole = (seen.frame.open - seen.frame.closed) * 100.0 / track.supply_v
    frame = shaft.travel.frames[sister.id]
    return Bridged(
        track.id,
        sister.id,
        (frame.at(low + off), frame.at(high + off)),
        spans,
        track.time_s,
        share * lost / 100.0 * whole,
    )


def _shows(seen: Apart, place: Span, lost: float) -> list[Span]:
    """When passes that were read on both sides of a stretch show it: from one side to the other."""
    (low, high), apart = place, seen.own - seen.other
    below = (seen.other < low) & (seen.other > low - _NEAR_PCT)
    above = (seen.other > high) & (seen.other < high + _NEAR_PCT)
    spans = []
    for a_pass in seen.passes:
        of_pass = seen.of_pass(a_pass)
        sides = [np.flatnonzero(side[of_pass]) for side in (below, above)]
        if not all(side.size for side in sides):
            continue
        under, over = (float(np.mean(apart[of_pass][side])) for side in sides)
        if under - over > _ALIKE * lost:
            before, behind = sorted(sides, key=lambda side: float(side.mean()))
            ends = seen.time_s[of_pass][[before[-1], behind[0]]].tolist()
            spans.append((min(ends), max(ends)))
    return spans


@dataclass(frozen=True, slots=True, eq=False)
class _Cells:
    """What a track and its sister are apart by over travel, opening and closing, shape (2, cells) each.

    Attributes:
        at: where the readings in each cell are on the average, percent of travel; NaN where none is.
        apart: by how much.
    """

    at: FloatArray
    apart: FloatArray


def _cells(seen: Apart) -> _Cells:
    size = int(100.0 / seen.cell_pct) + 1
    within = (seen.other > _STOP_PCT) & (seen.other < 100.0 - _STOP_PCT)
    cell = (seen.other[within] / seen.cell_pct).astype(np.int64)
    cell += np.where(seen.is_opening()[within], 0, size)
    count = np.bincount(cell, minlength=2 * size)
    with np.errstate(invalid="ignore"):
        at, own = (
            (np.bincount(cell, x[within], 2 * size) / count).reshape(2, size)
            for x in (seen.other, seen.own)
        )
    return _Cells(at, own - at)


def _stretch(cells: _Cells) -> tuple[Span, float] | None:
    """The ends of the stretch that is bridged, and how far the track falls behind, percent of travel."""
    near = _lagging(cells)
    if near is None:
        return None
    around = (cells.at > near[0] - _BESIDE_PCT) & (cells.at < near[1] + _BESIDE_PCT)
    some = _Cells(cells.at[around], cells.apart[around]), np.nonzero(around)[0] == 0
    place: Span | None = near
    for _ in range(_TRIES):
        before, place = place, place and _best(some, place, _AROUND_PCT, _STEP_PCT)
        if place == before:
            break
    place = place and _best(some, place, _STEP_PCT, _STEP_PCT / _FINER)
    return _judged(some, place) if place is not None else None


def _lagging(cells: _Cells) -> Span | None:
    """Over which travel a track lags most behind its sister; `None` where it hardly does."""
    known = np.isfinite(cells.apart)
    both = known.all(axis=0)
    # What was read in one direction only is as far off in the other one.
    off = float(np.median(cells.apart[0, both] - cells.apart[1, both])) if both.any() else 0.0
    seen = np.flatnonzero(known.any(axis=0))
    if seen.size < 2:
        return None
    at = np.nanmean(cells.at[:, seen], axis=0)
    apart = np.nanmean(np.stack((cells.apart[0], cells.apart[1] + off))[:, seen], axis=0)
    first, last, most = _richest(-np.diff(apart) - _LAGS * np.diff(at))
    return (float(at[first]), float(at[last + 1])) if most > 0.0 else None


def _richest(gains: FloatArray) -> tuple[int, int, float]:
    """The stretch of neighbours with the largest sum: its first, its last, the sum."""
    best, start, total = (0, 0, 0.0), 0, 0.0
    for at, gain in enumerate(gains.tolist()):
        if total <= 0.0:
            start, total = at, 0.0
        total += gain
        if total > best[2]:
            best = (start, at, total)
    return best


# What is beside a stretch, cell by cell, and whether each is of an opening pass.
_Near = tuple[_Cells, BoolArray]


def _best(near: _Near, around: Span, reach: float, step: float) -> Span | None:
    """The ends near some others that leave least."""
    off = np.arange(-reach, reach + step / 2.0, step).tolist()
    tried = ((around[0] + a, around[1] + b) for a in off for b in off)
    wide = (p for p in tried if _NARROWEST_PCT <= p[1] - p[0] <= _WIDEST_PCT)
    return min(wide, key=lambda place: _fit(near, place)[0], default=None)


def _fit(near: _Near, place: Span | None) -> tuple[float, float, float]:
    """What a straight line and a stretch at a place leave, and how steep the two are."""
    cells, opening = near
    fallen = np.clip(cells.at - place[0], 0.0, place[1] - place[0]) if place else 0.0 * cells.at
    ways = opening.astype(np.float64)
    of = np.column_stack((cells.at, -fallen, ways, 1.0 - ways))
    says, *_ = np.linalg.lstsq(of, cells.apart, rcond=None)
    left = cells.apart - of @ says
    return float(np.sqrt(np.mean(left**2))), float(says[0]), float(says[1])


def _judged(near: _Near, place: Span) -> tuple[Span, float] | None:
    (low, high), at = place, near[0].at
    sides = np.count_nonzero(at < low), np.count_nonzero(at > high)
    if at.size - sum(sides) < _LEAST_INSIDE or min(sides) < _LEAST_BESIDE:
        return None
    left, beside, falls = _fit(near, place)
    usual, *_ = _fit(near, None)
    goes_on = (1.0 + beside - falls) / (1.0 + beside)
    if left > _LEFT * usual or abs(goes_on) > _STANDS or abs(beside) > _STRAIGHT:
        return None
    return (round(low, 2), round(high, 2)), falls * (high - low)
