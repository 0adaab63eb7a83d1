"""A track that ends before its sister: it runs into its supply, or ground, and shows no more from there.

Some pairs are made so that one track rises more steeply than the other and stands at its upper limit for
the last part of the travel (common practice, no published source). What she says there is what the other
says; that the two differ then is no fault.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from nervus.domain.channel import FloatArray, Span
from nervus.signal.arithmetic.spans import inside, merge, runs
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.motion.course import Course
from nervus.signal.motion.pair import Pair

# So near to a rail, percent of supply, a track runs into it (common practice: outputs reach it within
# some tenths of a volt); a sister goes on for so much of the supply, by what she stands for.
_NEAR_RAIL_PCT, _GOES_ON_PCT = 10.0, 4.0
# She is that much less steep at least. Beyond its end it is nearly always at it, and before that nearly
# never; told by so many readings.
_STEEPER, _NEARLY_ALWAYS, _LEAST = 1.1, 0.9, 20
# Where its sister is so far beyond, percent of supply, it should be at its end for sure.
_BEYOND_PCT = 2.0
# An end goes with its supply, recorded or not, by no more than this, percent (from memory: some tenths).
_WANDERS_PCT = 0.5
# Enough readings to tell whether one ends.
_ENOUGH = 50_000
# What goes through a filter comes to its end, and leaves it, later than she does (from memory: 10 kilohm
# and 1 microfarad are 10 ms); further off than this, percent of supply, it was lost.
_FILTERED_S, _LATE_PCT = 0.03, 25.0


# Of the readings at an end the outermost, so many percent to either side, may be on the way there.
_ON_THE_WAY = (2.0, 98.0)


@dataclass(frozen=True, slots=True)
class Ended:
    """A track that shows no more from a level on.

    Attributes:
        id: the track.
        level: at which it ends, percent of supply.
        is_top: whether it goes no higher; else no lower.
    """

    id: str
    level: float
    is_top: bool


def before_ends(first: Course, second: Course) -> tuple[Course, Course]:
    """Both tracks as far as neither stands at its end near a rail while the other goes on.

    By that they are related: where one stands for most of a recording, no line fits all of it.
    """
    at_ends = (*_ends_while(first, second), *_ends_while(second, first))
    if not at_ends:
        return first, second
    left = [
        replace(c, time_s=c.time_s[k], level=c.level[k])
        for c in (first, second)
        for k in (~inside(c.time_s, at_ends),)
    ]
    one, two = left
    return (one, two) if min(one.level.size, two.level.size) >= _LEAST else (first, second)


def _ends_while(course: Course, sister: Course) -> list[Span]:
    """When a track stands at its end near a rail, where its sister is not at one level meanwhile."""
    within = _within(course)
    low, high = (float(f(course.level)) for f in (np.min, np.max))
    if low > _NEAR_RAIL_PCT + within and high < 100.0 - _NEAR_RAIL_PCT - within:
        return []
    own = np.interp(sister.time_s, course.time_s, course.level)
    found: list[Span] = []
    for is_top in (True, False):
        end = _outermost(own, within, is_top=is_top)
        there = np.abs(own - end) <= within
        if abs(end - (100.0 if is_top else 0.0)) > _NEAR_RAIL_PCT or np.count_nonzero(there) < _LEAST:
            continue
        if float(np.ptp(np.percentile(sister.level[there], _ON_THE_WAY))) > _GOES_ON_PCT:
            ends = zip(*runs(there), strict=True)
            found += [(float(sister.time_s[a]), float(sister.time_s[b])) for a, b in ends]
    return found


def _within(track: Course | Instrument) -> float:
    """How far from its end a track may read while it stands there, percent of supply."""
    return max(track.tolerance, _WANDERS_PCT)


def _outermost(level: FloatArray, within: float, *, is_top: bool) -> float:
    """The level at which a track stands where it is furthest, percent of supply."""
    furthest = float(np.percentile(level, 99.5 if is_top else 0.5, method="nearest"))
    return float(np.median(level[np.abs(level - furthest) <= 2.0 * within]))


def find_ended(pair: Pair, away_s: dict[str, tuple[Span, ...]]) -> Ended | None:
    """The track of a pair that ends before its sister, if one does.

    Args:
        pair: both, with the line that relates them where neither ends.
        away_s: for each track when it may have been off its course.
    """
    known = tuple(s for spans in away_s.values() for s in spans)
    for track in (pair.first, pair.second):
        if pair.how_much_further(pair.other(track)) < _STEEPER:
            continue
        # Where she goes on she is read while it may not be: what does not change is not always written.
        sister, sign = pair.other(track), 1.0 if track is pair.first else -1.0
        every = slice(None, None, max(1, sister.level.size // _ENOUGH))
        at_s = sister.time_s[every] - sign * pair.skew_s
        sound = ~inside(at_s, known, track.interval_s)
        own = track.level[every] if pair.together else np.interp(at_s, track.time_s, track.level)
        level = own[sound]
        expected = pair.as_track(track, sister.level[every][sound])
        for is_top in (True, False):
            end = _end(level, expected, track, is_top=is_top)
            if end is not None:
                return Ended(track.id, end, is_top)
    return None


def _end(level: FloatArray, expected: FloatArray, track: Instrument, *, is_top: bool) -> float | None:
    """Where a track goes no further while its sister does, percent of supply."""
    if level.size < _LEAST:
        return None
    sign, rail = (1.0, 100.0) if is_top else (-1.0, 0.0)
    end = _outermost(level, _within(track), is_top=is_top)
    further = sign * (expected - end)
    beyond, there = further > _BEYOND_PCT, np.abs(level - end) <= _within(track)
    if (
        min(np.count_nonzero(beyond), np.count_nonzero(there)) < _LEAST
        or abs(rail - end) > _NEAR_RAIL_PCT
    ):
        return None
    stands = float(np.mean(there[beyond])) >= _NEARLY_ALWAYS
    only_then = float(np.mean(further[there] > -_BEYOND_PCT)) >= _NEARLY_ALWAYS
    goes_on = float(np.percentile(further, 99.5))
    return end if goes_on >= _GOES_ON_PCT and stands and only_then else None


def gone_on(
    track: Instrument, ended: Ended, pair: Pair, away_s: Sequence[Span]
) -> tuple[Instrument, tuple[Span, ...]]:
    """A track as if it did not end: where it stands at its end it is where its sister says.

    And when it stood there.

    Args:
        track: the track.
        ended: where it ends.
        pair: it and its sister.
        away_s: when she may have been off her course: meanwhile she went straight on.
    """
    sister, sign = pair.other(track), 1.0 if ended.is_top else -1.0
    off = inside(sister.time_s, tuple(away_s), 0.5 * sister.interval_s)
    expected = pair.expected_of(track)
    if off.any() and not off.all():
        level = np.interp(sister.time_s, sister.time_s[~off], sister.level[~off])
        straight = replace(sister, level=level)
        by_course = _with(pair, straight).expected_of(track)
        # Where straight on would not have taken it to its end she was where she read.
        expected = np.where(sign * (by_course - ended.level) > 0.0, by_course, expected)
    at_end = np.abs(track.level - ended.level) <= _within(track)
    beyond = at_end & (sign * (expected - ended.level) > 0.0)
    around = merge(
        (
            (float(track.time_s[a]) - _FILTERED_S, float(track.time_s[b]) + _FILTERED_S)
            for a, b in zip(*runs(beyond), strict=True)
        ),
        0.0,
    )
    should = sign * np.minimum(sign * expected, sign * ended.level)
    late = inside(track.time_s, around) & (np.abs(track.level - should) < _LATE_PCT)
    further = beyond | late
    ends = zip(*runs(further), strict=True)
    spans = tuple((float(track.time_s[a]), float(track.time_s[b])) for a, b in ends)
    return replace(track, level=np.where(further, expected, track.level)), spans


def _with(pair: Pair, track: Instrument) -> Pair:
    """A pair with another reading of one of its tracks."""
    return replace(pair, first=track) if track.id == pair.first.id else replace(pair, second=track)
