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
from nervus.signal.motion.pair import Pair

# So near to a rail, percent of supply, a track runs into it (common practice: outputs reach it within
# some tenths of a volt); a sister goes on for so much of the supply, by what she stands for.
_NEAR_RAIL_PCT, _GOES_ON_PCT = 10.0, 4.0
# She is that much less steep at least. Beyond its end it is nearly always at it, and before that nearly
# never; told by so many readings.
_STEEPER, _NEARLY_ALWAYS, _LEAST = 1.1, 0.9, 20
# Where its sister is so far beyond, percent of supply, it should be at its end for sure.
_BEYOND_PCT = 2.0
# Enough readings to tell whether one ends.
_ENOUGH = 50_000
# What goes through a filter comes to its end, and leaves it, later than she does (from memory: 10 kilohm
# and 1 microfarad are 10 ms); further off than this, percent of supply, it was lost.
_FILTERED_S, _LATE_PCT = 0.03, 25.0


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
        some = slice(None, None, max(1, track.level.size // _ENOUGH))
        sound = ~inside(track.time_s[some], known, track.interval_s)
        level, expected = track.level[some][sound], pair.expected_of(track, some)[sound]
        for is_top in (True, False):
            end = _end(level, expected, track, is_top=is_top)
            if end is not None:
                return Ended(track.id, end, is_top)
    return None


def _end(level: FloatArray, expected: FloatArray, track: Instrument, *, is_top: bool) -> float | None:
    """Where a track goes no further while its sister does, percent of supply."""
    if level.size < _LEAST:
        return None
    sign = 1.0 if is_top else -1.0
    own, hers = sign * level, sign * expected
    end = float(np.percentile(own, 99.5))
    beyond = hers > end + _BEYOND_PCT
    rail = 100.0 if is_top else 0.0
    if np.count_nonzero(beyond) < _LEAST or abs(sign * rail - end) > _NEAR_RAIL_PCT:
        return None
    there = np.abs(own - end) <= track.same_level + track.resolution
    goes_on = float(np.percentile(hers, 99.5)) - end
    stands = float(np.mean(there[beyond])) >= _NEARLY_ALWAYS
    only_then = float(np.mean(hers[there] > end - _BEYOND_PCT)) >= _NEARLY_ALWAYS
    return sign * end if goes_on >= _GOES_ON_PCT and stands and only_then else None


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
    at_end = np.abs(track.level - ended.level) <= track.same_level + track.resolution
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
