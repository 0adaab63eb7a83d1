"""Track 2 beside track 1: the samples of both at the same instants."""

from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import Channel, FloatArray, IntArray, Recording, Role


@dataclass(frozen=True, slots=True, eq=False)
class Pair:
    """Both tracks at the instants of the first, in volts (or percent), shape (n,) each."""

    time_s: FloatArray
    first: FloatArray
    second: FloatArray

    def outside(self, slope: float, offset: float, band: float) -> IntArray:
        """Indices of the samples that lie outside the band."""
        return np.flatnonzero(np.abs(self.second - slope * self.first - offset) > band)

    def seen(self, indices: IntArray, cells: int) -> IntArray:
        """Of some samples the first in each cell of a grid over both: crosses on crosses are one."""
        numbers = np.zeros(indices.shape, dtype=np.int64)
        for values in (self.first, self.second):
            low, span = float(values.min()), max(float(np.ptp(values)), 1e-9)
            numbers = numbers * (cells + 1) + ((values[indices] - low) / span * cells).astype(np.int64)
        return indices[np.sort(np.unique(numbers, return_index=True)[1])]


def pair_of(recording: Recording) -> Pair | None:
    """The two tracks of a recording, or `None` where there is one."""
    tracks = recording.with_role(Role.TRACK)
    pairs = [(a, b) for a in tracks for b in tracks if (a.kind.number, b.kind.number) == (1, 2)]
    same_unit = [(a, b) for a, b in pairs if a.kind.unit == b.kind.unit]
    if not same_unit:
        return None
    return _aligned(*same_unit[0])


def _aligned(first: Channel, second: Channel) -> Pair | None:
    if np.array_equal(first.time_s, second.time_s):
        return Pair(first.time_s, first.values, second.values)
    within = (first.time_s >= second.time_s[0]) & (first.time_s <= second.time_s[-1])
    time_s = first.time_s[within]
    if not time_s.size:
        return None
    return Pair(time_s, first.values[within], np.interp(time_s, second.time_s, second.values))
