"""The course of a track: its level with excursions bridged, as if no fault had been there."""

from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import Channel, FloatArray, IntArray, Span
from nervus.signal.arithmetic.robust import median_of_five
from nervus.signal.instruments import sampling
from nervus.signal.instruments.instrument import Instrument

# A plate crosses its travel in 70 ms at the fastest, so this many points a second lose nothing of
# its motion; faster samples are averaged. (Events are found on the samples themselves.)
_POINTS_PER_S = 125.0
_LEAST_POINTS = 5
# What may be noise or rounding: so many deviations and steps; what they put a point off at most: half of
# these deviations, and half a step. None is taken to be less than this, percent of supply.
_TOLERATED, _BLURRED, _LEAST_PCT = (5.0, 2.0), (2.5, 0.5), 0.2
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
        blur: how far noise and rounding put a point off at most, percent of supply.
        supply_v: what 100 stands for in the track's own unit.
    """

    id: str
    time_s: FloatArray
    level: FloatArray
    interval_s: float
    tolerance: float
    supply_v: float
    blur: float

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
    return Course(
        channel.id, time_s, values, step_s, _REPORTED_TOLERANCE, 100.0, _REPORTED_TOLERANCE / 2.0
    )


def course_of(track: Instrument, faulty: tuple[Span, ...]) -> Course:
    """The course of a track, straight lines drawn across the faulty spans."""
    size = round(1.0 / (_POINTS_PER_S * max(track.interval_s, 1e-7)))
    size = max(1, min(size, track.level.size // _LEAST_POINTS))
    interval_s = track.interval_s * size
    at, line = _bridges(track, faulty)
    if size == 1:
        time_s, level = track.time_s, track.level
        if at.size:
            level = level.copy()
            level[at] = line
        # Leaves every monotone motion as it is, takes single stray samples out.
        level = median_of_five(level) if level.size >= _LEAST_POINTS else level
    else:
        time_s, means = track.means(size)
        level = _means_with(track.level, means, at, line, size)
    # Means and medians swing less than their samples do; but a median hides a swing that goes on.
    quiet = min(sampling.noise(level), track.noise)
    noise = quiet if size > 1 else track.noise
    tolerance = max(_TOLERATED[0] * noise, _TOLERATED[1] * track.resolution, _LEAST_PCT)
    blur = max(_BLURRED[0] * quiet, _BLURRED[1] * track.resolution, _LEAST_PCT / 2.0)
    return Course(track.id, time_s, level, interval_s, tolerance, track.supply_v, blur)


def _bridges(track: Instrument, faulty: tuple[Span, ...]) -> tuple[IntArray, FloatArray]:
    """Which samples lie in faulty spans, and what the lines across them read there, shape (k,) both.

    A line goes from the sample before a span to the one behind it, level where one of them is missing.
    """
    level, size = track.level, track.level.size
    spans = np.asarray(faulty).reshape(-1, 2)
    first = np.searchsorted(track.time_s, spans[:, 0]) - 1
    last = np.searchsorted(track.time_s, spans[:, 1], side="right")
    some = (first >= 0) | (last < size)
    first, last = first[some], last[some]
    left = level[np.where(first >= 0, first, last)]
    right = level[np.where(last < size, last, first)]
    length = last - first - 1
    step = np.arange(length.sum()) - np.repeat(np.cumsum(length) - length, length) + 1
    slope = (right - left) / (length + 1)
    return np.repeat(first, length) + step, np.repeat(left, length) + np.repeat(slope, length) * step


def _means_with(
    level: FloatArray, means: FloatArray, at: IntArray, line: FloatArray, size: int
) -> FloatArray:
    """Means of blocks of the level, read as the line at some samples; only their blocks are computed."""
    means, whole = means.copy(), means.size * size
    at, line = at[at < whole], line[at < whole]
    touched, row = np.unique(at // size, return_inverse=True)
    some = level[:whole].reshape(-1, size)[touched]
    some[row, at % size] = line
    means[touched] = sampling.block_means(some.reshape(-1), size)
    return means
