"""A live curve: the least and greatest of each bin of time, extended by what is new only.

Bins are aligned to the clock, so columns do not shimmer while the picture moves, and the cost of a
frame does not grow with how long it has been running.
"""

import numpy as np

from nervus.domain.channel import FloatArray


class LiveTrace:
    """The last stretch of one channel.

    Args:
        span_s: how much of the past is kept.
        columns: into how many bins it is cut.
    """

    def __init__(self, span_s: float, columns: int) -> None:
        self._bin_s = span_s / columns
        self._size = columns + 1
        self._low = np.full(self._size, np.nan)
        self._high = np.full(self._size, np.nan)
        self._newest = -1
        self.last = float("nan")

    def add(self, time_s: FloatArray, values: FloatArray) -> None:
        """Extend by samples, in the order of time; those before what is kept are left out."""
        if time_s.size == 0:
            return
        bins = np.floor(time_s / self._bin_s).astype(np.int64)
        self.last = float(values[-1])
        newest = max(int(bins[-1]), self._newest)
        self._forget(newest)
        keep = bins > newest - self._size
        bins, values = bins[keep], values[keep]
        if bins.size == 0:
            return
        starts = np.flatnonzero(np.diff(bins, prepend=bins[0] - 1))
        where = bins[starts] % self._size
        self._low[where] = np.fmin(self._low[where], np.minimum.reduceat(values, starts))
        self._high[where] = np.fmax(self._high[where], np.maximum.reduceat(values, starts))

    def _forget(self, newest: int) -> None:
        """Empty the bins that time has moved on to."""
        if self._newest >= 0 and newest > self._newest:
            fresh = np.arange(max(self._newest + 1, newest - self._size + 1), newest + 1) % self._size
            self._low[fresh] = self._high[fresh] = np.nan
        self._newest = newest

    def points(self) -> tuple[FloatArray, FloatArray]:
        """Times and values to draw, two a bin; bins without a sample are left out."""
        order = np.arange(self._newest - self._size + 1, self._newest + 1)
        order = order[order >= 0]
        low, high = self._low[order % self._size], self._high[order % self._size]
        known = np.isfinite(low)
        both = np.empty(2 * int(known.sum()))
        both[0::2], both[1::2] = low[known], high[known]
        return np.repeat((order[known] + 0.5) * self._bin_s, 2), both


class RecentSamples:
    """The last seconds of all channels as they came, for the analysis that runs beside."""

    def __init__(self, span_s: float) -> None:
        self._span_s = span_s
        self._blocks: dict[str, list[tuple[FloatArray, FloatArray]]] = {}

    def add(self, channel: str, time_s: FloatArray, values: FloatArray) -> None:
        """Keep a block, and forget what is older than the span."""
        blocks = self._blocks.setdefault(channel, [])
        blocks.append((time_s, values))
        while blocks and blocks[0][0][-1] < time_s[-1] - self._span_s:
            del blocks[0]

    def channels(self) -> dict[str, tuple[FloatArray, FloatArray]]:
        """Instants and values of each channel, whole."""
        return {
            name: (np.concatenate([t for t, _ in blocks]), np.concatenate([v for _, v in blocks]))
            for name, blocks in self._blocks.items()
            if blocks
        }
