"""Levels that a track jumps to, stands at, and jumps away from: what an open line or a lost field reads.

Between samples that are far apart a shaft can go anywhere, so a single jump proves nothing. But a shaft
that arrives within one sample does not stand still with the next, and no hand lands on one and the same
level again and again from different openings; an input that is left to its resistors does, and so does a
contactless sensor that has lost its magnet.
"""

import math

import numpy as np

from nervus.domain.channel import BoolArray, FloatArray, IntArray
from nervus.signal.arithmetic.instants import goes_on
from nervus.signal.arithmetic.spans import Union, runs
from nervus.signal.candidates.edges import may_leap
from nervus.signal.candidates.excursions import Excursion, describe
from nervus.signal.instruments.instrument import Instrument, thinned

# A jump between two samples, or three, percent of supply; what stands does so for so many samples.
_JUMP_PCT, _LEAST_SAMPLES = 5.0, 3
# What stands for longer is a hold; a motor that goes back to where it came from may stay for this long.
_LONGEST_S, _STAYS_S = 1.5, 0.9
# Samples further apart than this hide how a shaft arrives (from memory: 0.1 s over the whole travel):
# then only stands at a level that is shared count, and, up to the second of these, single jumps if a
# sister is asked afterwards; further apart than the third no stand counts.
_STANDS_S, _WITNESSED_S, _SLOWEST_S = 0.12, 0.16, 0.25
# Only where samples are closer than this does a shaft not arrive, and stand, from one to the next (from
# memory: the quickest snap takes so long).
_ARRIVES_S = 0.067
# It jumps where it goes this share of its way between two samples, or else over one; what went more than
# that share of a jump the same way just before, and than this, percent of supply, was on its way.
_AT_ONCE, _NEARER, _NEAR_PCT = 0.8, 0.25, 2.5
# So many stands at one level, come to from openings that differ by so much ...
_LEAST, _APART_PCT = 3, 8.0
# ... no nearer than this to either end of what the track shows: there a shaft comes to its stops.
_END_PCT = 4.0
# What it showed so few times beyond is no more than a slip. At a stop it is so many times as often as
# anywhere.
_SEEN_BEYOND, _STOPS_TIMES = 2, 2.5
# So many single jumps, of this size, land on one level and leave it; if they landed anywhere that would
# happen this seldom in a recording.
_LEAST_JUMPS, _FAR_PCT, _CHANCE = 4, 8.0, 1e-4
# Where it is seen how a shaft arrives, few come with a jump.
_CHANCE_SEEN = 1e-3
# It goes on as before within this share of how deep it is.
_BACK = 0.35
# Read quickly it is looked at so far apart, and at so many samples.
_EVERY_S, _ENOUGH = 0.015, 60_000
# As near to each other as these, percent of supply, levels are sought too, if the converter shows it.
_FINE_PCT = (0.2, 0.06)


def find_stands(
    track: Instrument, known: tuple[Excursion, ...], *, asked: bool = False, witnessed: bool = False
) -> tuple[tuple[Excursion, ...], float | None]:
    """Stands of a slowly sampled track, and the level that several of them share, if there is one.

    Read quickly, what is lost for a moment leaves by edges; but its level comes again too. What is known
    already is left out; at a level that is shared, also what is shorter than a stand counts. Where it is
    known what `asked` the shaft to move, that tells a stand from a hold. If it is `witnessed`, a sister
    is asked afterwards.
    """
    if not track.is_slow:
        return (), _level_read_quickly(track, asked=asked)
    if track.interval_s > _SLOWEST_S or track.level.size < _LEAST_SAMPLES + 2:
        return (), None
    still = np.abs(np.diff(track.level)) <= 2.0 * track.same_level
    first, last = _runs(track, still, asked=asked)
    long = last - first + 1 >= _LEAST_SAMPLES
    level = _level_of(track, (first, last), still, asked=asked)
    if level is None and track.interval_s <= (_WITNESSED_S if witnessed else _STANDS_S):
        level = _landed_on(track)
    if track.interval_s > _STANDS_S:
        if level is None:
            return (), None
        long &= np.abs(track.level[first] - level) <= track.same_level
    first, last = _at_level(track, level, first[long], last[long])
    taken = Union(e.span_s for e in known)
    found = (describe(track, int(a) - 1, int(b) + 1) for a, b in zip(first, last, strict=True))
    told = (e for e in found if e is not None and not taken.touches(e.span_s))
    # What it jumped over, not how it came to a halt; at the level that is shared it may move meanwhile.
    fresh = (
        e
        for e in told
        if e.depth > max(_JUMP_PCT, 0.0 if asked or _is_at(e, level, track) else abs(e.after - e.before))
    )
    # Where an excursion begins or ends a track is on its course.
    near_s = 1.5 * track.interval_s
    alone = (e for e in fresh if not any(taken.touches((at, at), near_s) for at in e.span_s))
    return tuple(sorted(alone, key=lambda e: e.span_s[0])), level


def _at_level(
    track: Instrument, level: float | None, first: IntArray, last: IntArray
) -> tuple[IntArray, IntArray]:
    """First and last samples of stands, with what else was at the level that they share."""
    if level is None:
        return first, last
    more = np.stack(runs(np.abs(track.level - level) <= track.same_level))
    into, away = _jumps(track.level, more[0], more[1])
    short = more[1] - more[0] + 1 < _LEAST_SAMPLES
    chosen = more[:, short & (into | away) & ~_passes(track.level, more[0], more[1])]
    beside = more[:, ~short & (into | away) & ~np.isin(more[0], first)]
    beside = beside[:, _left_alone(track, *beside)]
    every = np.concatenate((np.stack((first, last)), chosen, beside), axis=1)
    return every[0], every[1]


def _level_read_quickly(track: Instrument, *, asked: bool) -> float | None:
    """The level that stands share, looked at as if it had been read slowly; `None` where none is.

    Of very many samples fewer, as far as a shaft does not arrive from one to the next.
    """
    every_s = min(max(_EVERY_S, track.interval_s * track.level.size / _ENOUGH), _ARRIVES_S)
    slow = thinned(track, every_s)
    if slow.level.size < _LEAST_SAMPLES + 2:
        return None
    still = np.abs(np.diff(slow.level)) <= 2.0 * slow.same_level
    return _level_of(slow, _runs(slow, still, asked=asked), still, asked=asked)


def _level_of(
    track: Instrument, stands: tuple[IntArray, IntArray], still: BoolArray, *, asked: bool
) -> float | None:
    """The level that stands share, first and last samples of which are known; `None` where none is."""
    if track.interval_s <= _ARRIVES_S:
        first, last = (
            np.concatenate(x) for x in zip(_long(*stands), _one_sided(track, still), strict=True)
        )
        back = _goes_on(track, first, last)
        level = _shared(track, first[back], last[back], surely=True)
        if level is not None:
            return level
    level = _shared(track, *stands)
    if level is not None or track.interval_s > _STANDS_S:
        return level
    return _shared(track, *_visits(track, still, asked=asked))


def _long(first: IntArray, last: IntArray) -> tuple[IntArray, IntArray]:
    long = last - first + 1 >= _LEAST_SAMPLES
    return first[long], last[long]


def _one_sided(track: Instrument, still: BoolArray) -> tuple[IntArray, IntArray]:
    """Stands that are come to or left with a jump: it may have come by just as it began, or ended."""
    first, last = runs(still)
    last = last + 1
    into, away = _jumps(track.level, first, last)
    chosen = (last - first + 1 >= _LEAST_SAMPLES) & (into ^ away)
    first, last = first[chosen], last[chosen]
    alone = _left_alone(track, first, last)
    return first[alone], last[alone]


def _visits(track: Instrument, still: BoolArray, *, asked: bool) -> tuple[IntArray, IntArray]:
    """First and last samples of where a track came to, or left, with a jump that nothing prepared.

    Also where it only turned round. Which of them share a level, chance must tell.
    """
    breaks, level = np.flatnonzero(~still), track.level
    first, last = np.append(0, breaks + 1), np.append(breaks, still.size)
    into, away = _jumps(level, first, last)
    # Of the many samples of a shaft that moves few come with a jump.
    some = (into | away) & (track.time_s[last] - track.time_s[first] <= _STAYS_S)
    first, last, into, away = first[some], last[some], into[some], away[some]
    if not asked:
        into, away = into & ~_comes_near(level, first, 1), away & ~_comes_near(level, last, -1)
    before, behind = _beside(level, first, last)
    turned = (first < last) | (into & away & (before * behind < 0.0))
    chosen = turned & (into | away) & ~_passes(level, first, last) & ~_beside_rail(track, first, last)
    return first[chosen], last[chosen]


def _left_alone(track: Instrument, first: IntArray, last: IntArray) -> BoolArray:
    """Which stands, no longer than a hold, are gone on from as if there had been none."""
    short = track.time_s[last] - track.time_s[first] <= _LONGEST_S
    return short & _goes_on(track, first, last) & ~_passes(track.level, first, last)


def _is_at(excursion: Excursion, level: float | None, track: Instrument) -> bool:
    return level is not None and abs(excursion.level - level) <= track.same_level


def _runs(track: Instrument, still: BoolArray, *, asked: bool) -> tuple[IntArray, IntArray]:
    """First and last samples of the stretches that stand between two jumps, not as long as a hold."""
    first, last = runs(still)
    last = last + 1
    into, away = _jumps(track.level, first, last)
    # Of the many of a long recording few are jumped to and from: only those are looked at closely.
    first, last = first[into & away], last[into & away]
    short = track.time_s[last] - track.time_s[first] <= _LONGEST_S
    chosen = short & ~_passes(track.level, first, last)
    chosen &= track.are_unusual(track.level[first]) | ~_beside_rail(track, first, last)
    if not asked:
        chosen &= ~(_comes_near(track.level, first, 1) | _comes_near(track.level, last, -1))
    first, last = first[chosen], last[chosen]
    ranges = [float(np.ptp(track.level[a : b + 1])) for a, b in zip(first, last, strict=True)]
    stands = np.asarray(ranges, dtype=np.float64) <= 2.0 * track.same_level + track.resolution
    return first[stands], last[stands]


def _beside_rail(track: Instrument, first: IntArray, last: IntArray) -> BoolArray:
    """Which stretches are come back to from a rail, or left for one: there the shaft is."""
    before, behind = np.maximum(first - 1, 0), np.minimum(last + 1, track.level.size - 1)
    return track.are_unusual(track.level[before]) | track.are_unusual(track.level[behind])


def _beside(level: FloatArray, first: IntArray, last: IntArray) -> tuple[FloatArray, FloatArray]:
    """The steps from the sample before stretches to them, and from them to the one behind."""
    into = level[first] - level[np.maximum(first - 1, 0)]
    return into, level[np.minimum(last + 1, level.size - 1)] - level[last]


def _jumps(level: FloatArray, first: IntArray, last: IntArray) -> tuple[BoolArray, BoolArray]:
    """Which stretches begin, and which end, with a jump, with no more than one sample on the way."""
    end = level.size - 1
    into = np.abs(level[first] - level[np.maximum(first - 2, 0)])
    away = np.abs(level[last] - level[np.minimum(last + 2, end)])
    return (first > 0) & (into > _JUMP_PCT), (last < end) & (away > _JUMP_PCT)


def _comes_near(level: FloatArray, at: IntArray, way: int) -> BoolArray:
    """Which ends of stretches the track came near to, the same way, before its jump; or seen backwards.

    One sample may be on the way of a jump; one more is motion.
    """
    before = np.clip(at[:, None] - way * np.arange(4), 0, level.size - 1)
    here, one, two, three = level[before].T
    single = np.abs(here - one) >= _AT_ONCE * np.abs(here - two)
    jump = np.where(single, here - one, here - two)
    first = np.where(single, one - two, two - three)
    return np.asarray(
        (jump * first > 0.0) & (np.abs(first) > np.maximum(_NEARER * np.abs(jump), _NEAR_PCT)),
        dtype=np.bool_,
    )


def _passes(level: FloatArray, first: IntArray, last: IntArray) -> BoolArray:
    """Which stretches a shaft goes through in one direction: it does not land there."""
    into, away = _beside(level, first, last)
    return np.asarray(
        (into * away > 0.0) & (np.minimum(np.abs(into), np.abs(away)) > _JUMP_PCT), dtype=np.bool_
    )


def _shared(track: Instrument, first: IntArray, last: IntArray, *, surely: bool = False) -> float | None:
    """The level that most stands share, come to from apart; `None` where they share none.

    Unless each of them is `surely` none of the shaft's, more must share it than would by chance.
    """
    if first.size < _LEAST:
        return None
    # An input that settles is nearest to its level in the end: of one or two samples that is the last.
    levels = track.level[last]
    for i in np.flatnonzero(last - first > 1):
        levels[i] = np.median(track.level[(first[i] + last[i] + 1) // 2 : last[i] + 1])
    low, high = _ends(track)
    within_ends = (levels > low) & (levels < high) & ~_leapt_off(track, first)
    levels, origins = levels[within_ends], track.level[np.maximum(first - 2, 0)][within_ends]
    rests = np.zeros(levels.size, dtype=np.bool_) if surely else _is_held(track, levels)
    # Where nobody sees how it arrives, a machine may go to one place, exactly, again and again.
    unseen = track.interval_s > _STANDS_S
    widths, of = ((track.same_level,), first.size) if unseen else (_widths(track), levels.size)
    for within in widths:
        best, most = None, _LEAST - 1
        for level in levels[~rests]:
            same = np.abs(levels - level) <= within
            if np.count_nonzero(same) > most and np.ptp(origins[same]) >= _APART_PCT:
                best, most = float(np.median(levels[same])), int(np.count_nonzero(same))
        # A few of many may be alike to a hair: a machine goes to a few places. What is lost goes to one.
        told = within >= _FINE_PCT[0] or 2 * most > levels.size
        if best is not None and told and (surely or _is_no_chance(track, most, of, within)):
            return best
    return None


def _widths(track: Instrument) -> tuple[float, ...]:
    """Within what levels are looked for to be alike, percent of supply.

    Motion that is seen slowly looks like noise, which makes levels alike that are not: they are also
    looked for as near to each other as the converter shows.
    """
    finer = (max(track.one_step, x) for x in _FINE_PCT)
    return tuple(dict.fromkeys((track.same_level, *(x for x in finer if x < track.same_level))))


def _is_held(track: Instrument, levels: FloatArray) -> BoolArray:
    """At which of some levels it was held for long, shape (n,) to (n,): there the shaft rests."""
    first, last = runs(np.abs(np.diff(track.level)) <= 2.0 * track.same_level)
    long = track.time_s[last + 1] - track.time_s[first] > _LONGEST_S
    # Each is held against its neighbours only: of a day there are very many of both.
    holds = np.concatenate(([-np.inf], np.sort(track.level[(first[long] + last[long]) // 2]), [np.inf]))
    above = np.searchsorted(holds, levels).clip(1)
    off = np.minimum(holds[above] - levels, levels - holds[above - 1])
    return np.asarray(off <= 2.0 * track.same_level, dtype=np.bool_)


def _leapt_off(track: Instrument, first: IntArray) -> BoolArray:
    """Which stands lie no further off a stop than a plate leaps that has just struck it.

    Let go from the same opening it strikes as hard, and leaps as far, each time.
    """
    before = np.maximum(first - 1, 0)
    at, to = track.level[before], track.level[first]
    struck = np.min([np.abs(at - stop) for stop in track.usual], axis=0) <= _END_PCT
    return np.asarray(
        struck & (np.abs(to - at) < may_leap(track, before, np.stack((at, to)))), dtype=np.bool_
    )


def _ends(track: Instrument) -> tuple[float, float]:
    """Between these levels is what lies further within what the track shows than where it stops.

    Where it is far beyond now and then, and just there no more than anywhere, is no stop.
    """
    ends, near = list(track.stops), 2.0 * track.same_level
    shown = track.level[~track.are_unusual(track.level)]
    anywhere = 2.0 * near / max(ends[1] - ends[0], 1.0)
    beyond = (_SEEN_BEYOND, shown.size - 1 - _SEEN_BEYOND)
    furthest = np.partition(shown, beyond)[list(beyond)].tolist() if beyond[1] >= 0 else ends
    for number, level in enumerate(furthest):
        there = float(np.mean(np.abs(track.level - ends[number]) <= near))
        if abs(level - ends[number]) > _APART_PCT and there < _STOPS_TIMES * anywhere:
            ends[number] = level
    low, high = float(track.level.min()), float(track.level.max())
    return max(ends[0], low) + _END_PCT, min(ends[1], high) - _END_PCT


def _landed_on(track: Instrument) -> float | None:
    """The level that single jumps land on and leave too often for chance; `None` where there is none."""
    steps = np.diff(track.level)
    jumps = np.flatnonzero(np.abs(steps) > _FAR_PCT)
    lands = jumps[~_passes(track.level, jumps + 1, jumps + 1)]
    leaves = jumps[~_passes(track.level, jumps, jumps)]
    if min(lands.size, leaves.size) < _LEAST_JUMPS:
        return None
    origins, landings, left = track.level[lands], track.level[lands + 1], track.level[leaves]
    low, high = track.stops
    apart = (landings > low + _END_PCT) & (landings < high - _END_PCT)
    between = landings[apart & ~_leapt_off(track, lands + 1)]
    # A shaft that rests somewhere is let go to there, also where that is not at its stop.
    between = between[~_is_held(track, between)]
    for within in _widths(track)[:2]:
        best, most = None, _LEAST_JUMPS - 1
        for candidate in between:
            arrive: BoolArray = np.abs(landings - candidate) <= within
            leave: BoolArray = np.abs(left - candidate) <= within
            count = min(int(arrive.sum()), int(leave.sum()))
            if count > most and float(np.ptp(origins[arrive])) >= _APART_PCT:
                best, most = float(np.median(landings[arrive])), count
        if best is not None and _is_no_chance(track, most, lands.size, within):
            return best
    return None


def _goes_on(track: Instrument, first: IntArray, last: IntArray) -> BoolArray:
    """Behind which stretches a track goes on where, and as, it was going before them: no shaft does.

    The sample beside one may be on the way of its jump.
    """
    level, end = track.level, track.level.size - 1
    found = np.zeros(first.size, dtype=np.bool_)
    for beside in (1, 2):
        a, b = np.maximum(first - beside, 1), np.minimum(last + beside, end - 1)
        off, unknown = goes_on(track.time_s, level, a, b)
        depth = np.abs(level[first] - (level[a] + level[b]) / 2.0)
        seen = (first >= beside + 1) & (last <= end - beside - 1)
        found |= seen & (np.maximum(off, unknown) <= _BACK * depth)
    return found


def _is_no_chance(track: Instrument, count: int, of: int, within: float) -> bool:
    """Whether so many of some that land anywhere in a track's range would hardly lie within so much."""
    low, high = track.usual
    windows = max(high - low, 1.0) / (2.0 * within)
    unseen = track.interval_s > _ARRIVES_S
    return windows * _at_least(count, of / windows) < (_CHANCE if unseen else _CHANCE_SEEN)


def _at_least(count: int, expected: float) -> float:
    """Probability of so many or more, where so many are expected (Poisson)."""
    term = below = math.exp(-expected)
    for number in range(1, count):
        term *= expected / number
        below += term
    return max(0.0, 1.0 - below)
