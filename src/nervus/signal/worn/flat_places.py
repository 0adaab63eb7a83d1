"""Where in the travel a stand lies: the place of a flat dead spot.

A worn stretch holds the last level that was good; at its end the wiper meets the track again, at once,
where it should be. Between these two levels the track shows nothing in any pass: they are the ends of
the stretch, whatever the speed of the hand was. Where a stretch of the resistance is missing instead,
the track goes on from where it stood, and only the other track, or time, tells how far.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import FloatArray, Span
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.motion.course import Course
from nervus.signal.motion.frames import ends_shown

# Points before and after a stand that are looked at; a line through some after it tells the level at the
# instant of the leap.
_NEAR, _LEAST_AFTER, _LINE = 7, 2, 5
# What leaps goes at least so much of the missing way at once, besides its motion.
_LEAST_LEAP_SHARE = 0.25
# What lies between the levels just below and just above a stand besides it, percent of supply.
_EDGES_PCT = 0.5


@dataclass(frozen=True, slots=True, eq=False)
class Stand:
    """A level at which a track stood still in several passes.

    Attributes:
        spans_s: when it did so in each pass, shape (passes, 2).
        level: percent of supply.
        lost: how much of the way is hidden, percent of supply.
        must_leap: whether it is none if it does not end with a leap.
    """

    spans_s: FloatArray
    level: float
    lost: float
    must_leap: bool = False


def place_of_stand(course: Course, stand: Stand, ends: Span, sister: FloatArray | None) -> Span | None:
    """The stretch in percent of travel over which a track stands; `None` if it must leap and does not.

    Args:
        course: the track with its excursions bridged.
        stand: where it stood.
        ends: levels of the closed and the open stop, percent of supply.
        sister: what the other track showed at the course's instants, as this track's level, shape (n,).
    """
    leap = _find_leap(course, stand)
    if leap is not None:
        shown = [100.0 * (level - ends[0]) / (ends[1] - ends[0]) for level in leap]
        return round(min(shown), 2), round(max(shown), 2)
    if stand.must_leap:
        return None
    if sister is not None:
        stands = read_at(np.asarray(stand.spans_s), course.time_s, sister)
        return _by_sister(stands, sister, stand.lost, ends)
    hidden = 100.0 * stand.lost / abs(ends[1] - ends[0])
    before = 100.0 * (stand.level - ends[0]) / (ends[1] - ends[0])
    # The ends are those that the track showed: without what is missing.
    whole = 100.0 + hidden
    return round(100.0 * before / whole, 2), round(100.0 * (before + hidden) / whole, 2)


def _find_leap(course: Course, stand: Stand) -> Span | None:
    """The levels between which a track leaps, percent of supply; `None` where it goes on as it stood.

    The level it stood at comes first. A leap may be at the upper or at the lower end of the stand.
    """
    ways = []
    for way in (1.0, -1.0):
        leaps = [_leap(*seen, course.interval_s) for seen in _around(course, stand, way)]
        if leaps:
            excess, stood, leapt = np.median(leaps, axis=0).tolist()
            ways.append((excess, way * stood, way * leapt))
    excess, stood, leapt = max(ways, default=(0.0, 0.0, 0.0))
    return (stood, leapt) if excess > _LEAST_LEAP_SHARE * stand.lost else None


def _around(course: Course, stand: Stand, way: float) -> Iterator[tuple[FloatArray, FloatArray, float]]:
    """Each pass as if it rose: instants since the stand began, levels times `way`, how long it stood."""
    for start, end in stand.spans_s.tolist():
        first, last = np.searchsorted(course.time_s, (start, end)).tolist()
        near = slice(max(first - _NEAR, 0), last + _NEAR)
        time_s, level = course.time_s[near] - start, way * course.level[near]
        if level.size <= _NEAR:
            continue
        if level[-_LEAST_AFTER:].mean() < level[:_LEAST_AFTER].mean():
            time_s, level = (end - start) - time_s[::-1], level[::-1]
        yield time_s, level, end - start


def _leap(
    time_s: FloatArray, level: FloatArray, stood_s: float, interval_s: float
) -> tuple[float, float, float]:
    """The largest rise at the end of a stand: by how much besides motion, from where, and to where.

    It is sought from one point to the next but one; the point between, where points are means, tells by
    its level when within it the leap was.
    """
    rises = level[2:-_LEAST_AFTER] - level[: -2 - _LEAST_AFTER]
    at = time_s[1 : 1 + rises.size]
    late = (at >= stood_s / 2.0) & (at <= 1.5 * stood_s + 2.0 * interval_s)
    between = int(np.argmax(np.where(late, rises, -np.inf))) + 1
    after = slice(between + 1, between + 1 + _LINE)
    speed, ahead = np.polyfit(time_s[after] - time_s[between], level[after], 1)
    before = float(level[between - 1])
    done = float(np.clip((level[between] - before) / max(ahead - before, 1e-6), 0.0, 1.0))
    leapt = float(ahead + speed * interval_s * (0.5 - done))
    stood = level[:between][time_s[:between] >= 0.0]
    excess = float(rises[between - 1]) - 2.0 * speed * interval_s
    return excess, float(np.median(stood)) if stood.size else before, leapt


def _by_sister(stands: FloatArray, sister: FloatArray, lost: float, ends: Span) -> Span:
    """Where the other track, which showed the whole travel, was while this one stood.

    `stands` is where it was when this one reached and left the stand, shape (passes, 2).
    """
    low, high = ends_shown(sister)
    whole = max(abs(ends[1] - ends[0]), high - low)
    stands = np.sort(stands, axis=1)
    middle = float(np.median(stands.mean(axis=1)))
    half = max(lost, float(np.median(stands[:, 1] - stands[:, 0])) - _EDGES_PCT) / 2.0
    if ends[1] < ends[0]:
        middle = high + low - middle
    shown, reach = 100.0 * (middle - low) / whole, 100.0 * half / whole
    return round(max(shown - reach, 0.0), 2), round(shown + reach, 2)
