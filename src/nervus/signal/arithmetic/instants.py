"""Reading a curve at a few instants, however long it is."""

import numpy as np
from numpy.typing import ArrayLike

from nervus.domain.channel import FloatArray


def read_at(at_s: ArrayLike, time_s: FloatArray, values: FloatArray) -> FloatArray:
    """What a curve reads at some instants, drawn straight between its samples and level beyond its ends.

    The same as `np.interp`, which copies a curve that may not be written to, each time: where every
    event asks, a day's recording is copied thousands of times.

    Args:
        at_s: instants, any shape.
        time_s: of the curve, shape (n,), rising.
        values: of the curve, shape (n,).
    """
    at = np.asarray(at_s, dtype=np.float64)
    before = np.clip(np.searchsorted(time_s, at, side="right") - 1, 0, time_s.size - 1)
    after = np.minimum(before + 1, time_s.size - 1)
    start, end = time_s[before], time_s[after]
    low, high = values[before], values[after]
    with np.errstate(divide="ignore", invalid="ignore"):
        between = (high - low) / (end - start) * (at - start) + low
    # At a sample itself, and beyond the ends, it reads the sample.
    return np.asarray(np.where((at <= start) | (after == before), low, between), dtype=np.float64)
