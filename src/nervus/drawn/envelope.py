"""What of a long curve the eye can see: the least and the greatest of each column of pixels.

Every sample is kept; only what is drawn is reduced, and a drop of a single sample stays a full line
tall. Blocks are aligned to the sample's own number, so columns do not shimmer while the view moves.
"""

import numpy as np

from nervus.domain.channel import FloatArray

_FACTOR = 8
# So many samples a column are drawn as they are.
_RAW = 2


class Envelope:
    """Minima and maxima of one curve in blocks of 1, 8, 64, … samples.

    Args:
        time_s: instants, shape (n,), never falling.
        values: shape (n,).
    """

    def __init__(self, time_s: FloatArray, values: FloatArray) -> None:
        self._time_s = time_s
        self._values = values
        self._levels: list[tuple[int, FloatArray, FloatArray]] = []
        lows, highs, block = values, values, 1
        while lows.size > 4 * _FACTOR:
            lows, highs = _halve(lows, np.minimum), _halve(highs, np.maximum)
            block *= _FACTOR
            self._levels.append((block, lows, highs))

    def within(self, start_s: float, end_s: float, columns: int) -> tuple[FloatArray, FloatArray]:
        """Points to draw between two instants on so many columns of pixels.

        Returns:
            Times and values, at most two points for a column, fewer where there are few samples.
        """
        first = max(0, int(np.searchsorted(self._time_s, start_s)) - 1)
        last = min(self._time_s.size, int(np.searchsorted(self._time_s, end_s, side="right")) + 1)
        wanted = -(-(last - first) // max(1, columns))
        if wanted <= _RAW:
            return self._time_s[first:last], self._values[first:last]
        fitting = [level for level in self._levels if level[0] <= wanted]
        block, lows, highs = fitting[-1] if fitting else (1, self._values, self._values)
        # What is left of the reduction to a column, in whole blocks, aligned like these.
        group = -(-wanted // block)
        a, b = first // block // group * group, min(-(-last // (block * group)) * group, lows.size)
        starts = np.arange(0, b - a, group)
        times = self._time_s[np.minimum((a + starts) * block, self._time_s.size - 1)]
        both = np.empty(2 * starts.size)
        both[0::2] = np.minimum.reduceat(lows[a:b], starts)
        both[1::2] = np.maximum.reduceat(highs[a:b], starts)
        return np.repeat(times, 2), both


def bridged(x: FloatArray, y: FloatArray) -> FloatArray | None:
    """The same columns, each stretched to touch the one before: strokes that need no line between them.

    A line from the top of one column to the foot of the next costs the painter as much as the column.
    `None` where the points are no columns of two.
    """
    if x.size < 4 or x.size % 2 or not np.array_equal(x[0::2], x[1::2]):
        return None
    strokes = y.copy()
    np.minimum(y[2::2], y[1:-1:2], out=strokes[2::2])
    np.maximum(y[3::2], y[0:-2:2], out=strokes[3::2])
    return strokes


def _halve(values: FloatArray, how: np.ufunc) -> FloatArray:
    whole = values.size // _FACTOR * _FACTOR
    reduced = how.reduce(values[:whole].reshape(-1, _FACTOR), axis=1)
    if whole < values.size:
        reduced = np.append(reduced, how.reduce(values[whole:]))
    return np.asarray(reduced, dtype=np.float64)
