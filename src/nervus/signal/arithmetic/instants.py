"""Reading a curve at a few instants, however long it is."""

import numpy as np
from numpy.typing import ArrayLike

from nervus.domain.channel import FloatArray


def read_at(at_s: ArrayLike, time_s: FloatArray, values: FloatArray) -> FloatArray:
    """What a curve reads at some instants, drawn straight between its samples and level beyond its ends.

    `np.interp` copies a curve that may not be written to, each time: where every event asks, a day's
    recording would be copied thousands of times. So it is given the stretch around them only.

    Args:
        at_s: instants, any shape, near to each other on a long curve.
        time_s: of the curve, shape (n,), rising.
        values: of the curve, shape (n,).
    """
    at = np.asarray(at_s, dtype=np.float64)
    if not at.size:
        return np.empty(at.shape)
    after, end = time_s.searchsorted((at.min(), at.max()), side="right").tolist()
    some = slice(max(after - 1, 0), end + 1)
    return np.asarray(np.interp(at, time_s[some], values[some]), dtype=np.float64)


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
