"""Where in the travel a stand lies: the place of a flat dead spot.

A worn stretch holds the last level that was good; at its end the wiper meets the track again, at once,
where it should be. Between these two levels the track shows nothing in any pass: they are the ends of
the stretch, whatever the speed of the hand was. Where a stretch of the resistance is missing instead,
the track goes on from where it stood, and only time tells how far.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import FloatArray, Span
from nervus.signal.motion.course import Course

# Points before and after a stand that are looked at; a line through some after it tells the level at the
# instant of the leap.
_NEAR, _LEAST_AFTER, _LINE = 7, 2, 5
# So many passes, spread over the recording, tell the middle of their leaps.
_ENOUGH = 256
# What leaps goes at least so much of the missing way at once, besides its motion.
_LEAST_LEAP_SHARE = 0.25


@dataclass(frozen=True, slots=True, eq=False)
class Stand:
    """A level at which a track stood still in several passes.

    Attributes:
        spans_s: when it did so in each pass, shape (passes, 2).
        level: percent of supply.
        lost: how much of the way is hidden, percent of supply.
    """

    spans_s: FloatArray
    level: float
    lost: float


def place_of_stand(course: Course, stand: Stand, ends: Span) -> Span:
    """The stretch in percent of travel over which a track stands.

    Args:
        course: the track with its excursions bridged.
        stand: where it stood.
        ends: levels of the closed and the open stop, percent of supply.
    """
    leap = _find_leap(course, stand)
    if leap is not None:
        shown = [100.0 * (level - ends[0]) / (ends[1] - ends[0]) for level in leap]
        return round(min(shown), 2), round(max(shown), 2)
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
    for start, end in stand.spans_s[:: max(1, len(stand.spans_s) // _ENOUGH)].tolist():
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
