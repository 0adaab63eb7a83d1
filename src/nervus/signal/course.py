"""The course of a track: its level with excursions bridged, as if no fault had been there."""

from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import Channel, FloatArray, Span
from nervus.signal import sampling
from nervus.signal.instrument import Instrument
from nervus.signal.robust import median_of_five

# A plate crosses its travel in 70 ms at the fastest, so this many points a second lose nothing of
# its motion; faster samples are averaged. (Events are found on the samples themselves.)
_POINTS_PER_S = 125.0
_LEAST_POINTS = 5
# What a reported percent may be off by rounding.
_REPORTED_TOLERANCE = 0.5


@dataclass(frozen=True, slots=True, eq=False)
class Course:
    """Where a track would have been without its faults.

    Attributes:
        id: the track's channel.
        time_s: instants, shape (n,), rising.
        level: percent of the supply, shape (n,).
        interval_s: usual time between the points.
        tolerance: what may be noise or rounding, percent of supply.
        supply_v: what 100 stands for in the track's own unit.
    """

    id: str
    time_s: FloatArray
    level: FloatArray
    interval_s: float
    tolerance: float
    supply_v: float

    def own(self) -> FloatArray:
        """The course in the channel's own unit, shape (n,)."""
        return self.level * (self.supply_v / 100.0)

    def speed(self) -> FloatArray:
        """Percent of supply per second, never negative, shape (n,)."""
        return sampling.speed(self.level, self.time_s)


def plain_course(channel: Channel) -> Course:
    """Any channel in percent as a course, but for samples at an instant that was there before."""
    rising = np.diff(channel.time_s, prepend=-np.inf) > 0.0
    time_s, values = channel.time_s[rising], channel.values[rising]
    step_s = max(sampling.interval_s(time_s), 1e-6)
    return Course(channel.id, time_s, values, step_s, _REPORTED_TOLERANCE, 100.0)


def course_of(track: Instrument, faulty: tuple[Span, ...]) -> Course:
    """The course of a track, straight lines drawn across the faulty spans."""
    time_s, level = track.time_s, _bridged(track, faulty)
    size = round(1.0 / (_POINTS_PER_S * max(track.interval_s, 1e-7)))
    size = max(1, min(size, time_s.size // _LEAST_POINTS))
    interval_s = track.interval_s * size
    if size == 1:
        # Leaves every monotone motion as it is, takes single stray samples out.
        level = median_of_five(level) if level.size >= _LEAST_POINTS else level
    else:
        time_s, level = sampling.block_means(time_s, size), sampling.block_means(level, size)
    return Course(track.id, time_s, level, interval_s, track.tolerance, track.supply_v)


def _bridged(track: Instrument, faulty: tuple[Span, ...]) -> FloatArray:
    if not faulty:
        return track.level
    bridged = track.level.copy()
    end = bridged.size - 1
    spans = np.asarray(faulty)
    firsts = (np.searchsorted(track.time_s, spans[:, 0]) - 1).tolist()
    lasts = np.searchsorted(track.time_s, spans[:, 1], side="right").tolist()
    for first, last in zip(firsts, lasts, strict=True):
        if first < 0 and last > end:
            continue
        left = track.level[first] if first >= 0 else track.level[last]
        right = track.level[last] if last <= end else left
        slope = (right - left) / (last - first)
        bridged[first + 1 : last] = left + slope * np.arange(1, last - first)
    return bridged
