"""A few well-known functions of arrays, without the second that loading a library for them would cost.

Each is checked against SciPy in the tests.
"""

import numpy as np

from nervus.domain.channel import FloatArray, IntArray

# A normal deviation is so many times the median of the sizes (1 over its quartile, 0.6745).
OF_MEDIAN = 1.4826
# Samples looked at together.
_PIECE = 1 << 15


def theil_sen(y: FloatArray, x: FloatArray) -> tuple[float, float]:
    """Slope and offset of a straight line by the median of all slopes; NaN where x does not vary.

    Source: P. K. Sen, "Estimates of the regression coefficient based on Kendall's tau", JASA 63 (1968)
    1379-1389.

    Args:
        y: shape (n,), a few hundred at most: all pairs are looked at.
        x: shape (n,).
    """
    first, second = np.triu_indices(x.size, 1)
    apart = x[second] - x[first]
    some = apart != 0.0
    if not some.any():
        return float("nan"), float("nan")
    slope = float(np.median((y[second] - y[first])[some] / apart[some]))
    return slope, float(np.median(y) - slope * np.median(x))


def median_of_five(values: FloatArray) -> FloatArray:
    """The running median of five, the ends repeated beyond themselves, shape (n,) to (n,)."""
    padded = np.pad(values, 2, mode="edge")
    a, b, c, d, e = (padded[n : n + values.size] for n in range(5))
    low = np.maximum(np.minimum(a, b), np.minimum(c, d))
    high = np.minimum(np.maximum(a, b), np.maximum(c, d))
    # Of five the median is that of the fifth and the two middle ones of the other four.
    return np.asarray(np.maximum(np.minimum(e, low), np.minimum(np.maximum(e, low), high)))


def even_median(values: FloatArray, reach: int) -> FloatArray:
    """The median over so many values to either side, as many to the one as to the other, shape (n,).

    At the ends a window that leans to one side would take a slope or a bend for an offset.
    """
    to_end = np.minimum(np.arange(values.size), values.size - 1 - np.arange(values.size))
    wide = np.minimum(to_end, reach).tolist()
    windows = ((values[k - n : k + n + 1], n) for k, n in enumerate(wide))
    return np.asarray([np.partition(window, n)[n] for window, n in windows])


def running_extremes(values: FloatArray, length: int) -> tuple[FloatArray, FloatArray]:
    """Least and greatest of every `length` values in a row, shape (n - length + 1,) each.

    In blocks, from both sides: M. van Herk, "A fast algorithm for local minimum and maximum filters",
    Pattern Recognition Letters 13 (1992) 517-521.
    """
    blocks = -(-values.size // length)
    found = []
    for filler, accumulate, both in (
        (np.inf, np.minimum.accumulate, np.minimum),
        (-np.inf, np.maximum.accumulate, np.maximum),
    ):
        table = np.full((blocks, length), filler)
        table.ravel()[: values.size] = values
        ahead = accumulate(table, axis=1).ravel()
        behind = accumulate(table[:, ::-1], axis=1)[:, ::-1].ravel()
        last = values.size - length + 1
        found.append(both(behind[:last], ahead[length - 1 : length - 1 + last]))
    return found[0], found[1]


def greatest(values: FloatArray, first: IntArray, behind: IntArray) -> FloatArray:
    """The greatest value of each stretch from `first` to just before `behind`; of an empty one -inf.

    Args:
        values: shape (n,).
        first: indices, shape (k,); stretches may share values.
        behind: no less than `first`, at most n, shape (k,).
    """
    ends = np.stack((first, behind), axis=1).ravel()
    each = np.maximum.reduceat(np.append(values, -np.inf), ends)[::2] if ends.size else np.empty(0)
    return np.where(behind > first, each, -np.inf)


def bends_beside(values: FloatArray) -> FloatArray:
    """How far each value, or one next to it, is off the middle of its neighbours at most, shape (n,).

    Between two of them what they were read from went straight as far as this is little.
    """
    bends = np.zeros(values.size)
    bends[1:-1] = np.abs(np.diff(values, 2)) / 2.0
    return running_extremes(np.pad(bends, 1), 3)[1]


def monotone(level: FloatArray, *, rising: bool) -> FloatArray:
    """The nearest course (least squares) that never turns back, shape (n,) to (n,).

    Isotonic regression by pool-adjacent-violators: R. E. Barlow et al., "Statistical Inference
    under Order Restrictions", Wiley 1972.
    """
    sign = 1.0 if rising else -1.0
    sums: list[float] = []
    counts: list[int] = []
    for value in (sign * level).tolist():
        total, count = value, 1
        while sums and sums[-1] * count >= total * counts[-1]:
            total += sums.pop()
            count += counts.pop()
        sums.append(total)
        counts.append(count)
    means = np.asarray(sums) / np.asarray(counts)
    return np.asarray(sign * np.repeat(means, counts), dtype=np.float64)


def off_neighbours(values: FloatArray) -> FloatArray:
    """What each value is off the middle of its neighbours, shape (n,) to (n - 2,), piece by piece."""
    bend = np.empty(max(values.size - 2, 0))
    for first in range(0, bend.size, _PIECE):
        around = values[first : first + _PIECE + 2]
        bend[first : first + around.size - 2] = around[1:-1] - (around[:-2] + around[2:]) / 2.0
    return bend


def off_smooth(values: FloatArray, time_s: FloatArray) -> FloatArray:
    """What each value is off a smooth course through its neighbours, shape (n,) to (n - 2,).

    Off the middle of two, off the straight line between them, or off the cubic through four (Lagrange's
    polynomial), whichever is nearest: stamps may tell when a value was read, or that it was read evenly;
    and what bends once tells on a cubic, what goes on bending tells on a line.

    Args:
        values: shape (n,).
        time_s: when they were read, rising, shape (n,).
    """
    off = off_neighbours(values)
    for reach in (1, 2):
        near = [n for n in range(-reach, reach + 1) if n]
        inner = slice(reach, values.size - reach)
        if values.size <= 2 * reach:
            continue
        course = np.zeros(values.size - 2 * reach)
        at = {n: time_s[reach + n : values.size - reach + n] - time_s[inner] for n in near}
        for n in near:
            share = np.ones(course.size)
            for other in near:
                if other != n:
                    share *= at[other] / (at[other] - at[n])
            course += share * values[reach + n : values.size - reach + n]
        some = slice(reach - 1, off.size - reach + 1)
        told = values[inner] - course
        off[some] = np.where(np.abs(told) < np.abs(off[some]), told, off[some])
    return off
