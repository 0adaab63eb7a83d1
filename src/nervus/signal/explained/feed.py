"""What all tracks share: was it their supply or ground that left, or the electronics of the sensor?

An open supply or ground takes every track of a potentiometer to one rail, and a poor joint in it makes
all levels smaller by one factor. A contactless sensor has electronics of its own between the feed and
its outputs: where these lose the magnet, or restart, the outputs go to a level in between, the same
each time, wherever the shaft was.
"""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from nervus.domain.channel import FloatArray, Unit
from nervus.domain.finding import Floor
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.explained.events import Cause, Event
from nervus.signal.explained.feed_signs import Lines
from nervus.signal.instruments.instrument import Instrument

# An end of a scale in percent is so near.
_AT_END_PCT = 1.0
# What is held is so for so many samples at least, and most of the time.
_LEAST_HELD, _MOSTLY = 4, 0.8


def what_is_shared(
    events: tuple[Event, ...], tracks: Mapping[str, Instrument], feed: Lines, *, wipers: bool = False
) -> tuple[Event, ...]:
    """The events of all tracks told apart by what they share, the others as they are.

    Args:
        events: in the order of time.
        tracks: by their channel.
        feed: supply and ground, where they were recorded.
        wipers: whether it is known that the sensor has wipers on tracks, and no electronics.
    """
    shared = [e for e in events if e.cause is not Cause.ALONE]
    held = _to_one_level(shared)
    causes = [_cause(e, tracks, feed, held=held) for e in shared]
    # Two such faults in one recording are too many: what most of them are, all are.
    cause = Cause.FEED if wipers else max(Cause, key=causes.count)
    return tuple(e if e.cause is Cause.ALONE else replace(e, cause=cause) for e in events)


def _cause(event: Event, tracks: Mapping[str, Instrument], feed: Lines, *, held: bool) -> Cause:
    if feed.left(event.span_s):
        return Cause.FEED
    if all(_holds(tracks[name], part) for name, part in event.parts):
        return Cause.ELECTRONICS
    if all(part.floor is not Floor.INTERMEDIATE for _, part in event.parts):
        return Cause.FEED
    # What a unit limits to an end of its scale has left the range of the sensor.
    limited = any(
        tracks[name].kind.unit is Unit.PERCENT and min(part.level, 100.0 - part.level) <= _AT_END_PCT
        for name, part in event.parts
    )
    return Cause.ELECTRONICS if held and not limited else Cause.FEED


def _holds(track: Instrument, part: Excursion) -> bool:
    """Whether a track stays at its last level, then leaps to where it should be: no feed does that."""
    first, last = np.searchsorted(track.time_s, part.span_s).tolist()
    if first < 1 or last - first < _LEAST_HELD:
        return False
    off = np.abs(track.level[first : last + 1] - track.level[first - 1])
    return bool(np.mean(off <= track.same_level + track.resolution) > _MOSTLY)


def _to_one_level(events: list[Event]) -> bool:
    """Whether the levels that events go to are alike, more than by one factor of where they come from.

    A factor toward the ground, for a poor supply, or toward the supply, for a poor ground.
    """
    by_track: dict[str, list[tuple[float, float]]] = {}
    for event in events:
        for name, part in event.parts:
            by_track.setdefault(name, []).append((part.level, max(part.course, 1.0)))
    off: FloatArray = np.zeros(3)
    once = []
    for pairs in by_track.values():
        level, course = np.asarray(pairs).T
        up, there = 100.0 - level, np.maximum(100.0 - course, 1.0)
        off += [_off(level, np.ones(level.size)), _off(level, course), _off(up, there)]
        # Once is no level that comes back; but no joint makes a level greater.
        once.append(level.size == 1 and level[0] > course[0])
    if all(len(pairs) == 1 for pairs in by_track.values()):
        return len(once) > 0 and 2 * sum(map(int, once)) >= len(once)
    return bool(off[0] <= min(off[1], off[2]))


def _off(levels: FloatArray, courses: FloatArray) -> float:
    """How far levels, percent of supply, are off the one factor of their courses that fits most of them.

    On the mean: from a few openings that come again most may fit a factor as well as a level.
    """
    factor = float(np.median(levels / courses))
    return float(np.mean(np.abs(levels - factor * courses)))
