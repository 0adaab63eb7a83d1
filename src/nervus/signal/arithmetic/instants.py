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


def goes_on(
    time_s: FloatArray, level: FloatArray, a: ArrayLike, b: ArrayLike
) -> tuple[FloatArray, FloatArray]:
    """How far a curve is, behind some stretches, off where it was going before them.

    Straight on from the sample before each by the mean of the slopes beside it.

    Args:
        time_s: of the curve, shape (n,), rising.
        level: of the curve, shape (n,).
        a: indices of the samples before the stretches, at least 1, any shape.
        b: of the ones behind them, at most n - 2, the same shape.

    Returns:
        How far it is off, and how far that is not known as its slope changed meanwhile, of their shape.
    """
    a, b = np.asarray(a), np.asarray(b)
    before = (level[a] - level[a - 1]) / (time_s[a] - time_s[a - 1])
    behind = (level[b + 1] - level[b]) / (time_s[b + 1] - time_s[b])
    took_s = time_s[b] - time_s[a]
    off = np.abs(level[b] - (level[a] + (before + behind) / 2.0 * took_s))
    return off, np.abs(behind - before) * took_s / 4.0
