"""Samples sorted by the pass and the stretch of travel that they fall into."""

from dataclasses import dataclass

import numpy as np

from nervus.domain.analysis import Pass
from nervus.domain.channel import FloatArray, IntArray, Span

# So near to either end of the travel, percent, a pass ends at a stop.
_STOP_PCT = 4.0


@dataclass(frozen=True, slots=True, eq=False)
class PassCells:
    """Which samples lie in which cell of a table of passes and cells of travel.

    Attributes:
        shape: of the table: passes, cells.
        at: indices of the samples that lie in a pass, shape (k,).
        index: of each of them into the flat table, shape (k,).
    """

    shape: tuple[int, int]
    at: IntArray
    index: IntArray

    def counts(self) -> FloatArray:
        """How many samples each cell holds, shape (passes, cells)."""
        size = self.shape[0] * self.shape[1]
        counts = np.bincount(self.index, minlength=size).astype(np.float64)
        return np.asarray(counts.reshape(self.shape), dtype=np.float64)

    def sums(self, values: FloatArray) -> FloatArray:
        """The sum over each cell's samples of values of shape (n,), shape (passes, cells)."""
        size = self.shape[0] * self.shape[1]
        sums = np.bincount(self.index, weights=values[self.at], minlength=size)
        return np.asarray(sums.reshape(self.shape), dtype=np.float64)


def sort_into_cells(
    time_s: FloatArray, cell: IntArray, passes: tuple[Pass, ...], cells: int
) -> PassCells:
    """Sort samples into passes, which follow one another, and cells.

    Args:
        time_s: of the samples, rising, shape (n,).
        cell: of travel that each lies in, 0 to `cells` - 1, shape (n,).
        passes: in the order of time; what they share is the earlier one's.
        cells: how many there are.
    """
    at, lengths = samples_in(time_s, passes)
    row = np.repeat(np.arange(len(passes)), lengths)
    return PassCells((len(passes), cells), at, row * cells + cell[at])


def samples_in(
    time_s: FloatArray, passes: tuple[Pass, ...], block: int = 1
) -> tuple[IntArray, IntArray]:
    """Indices of the samples that lie in passes, shape (k,), and how many each pass has.

    Args:
        time_s: of the samples, rising, shape (n,).
        passes: in the order of time; what they share is the earlier one's.
        block: each pass has whole blocks of so many, what is left of it is left out.
    """
    firsts = np.searchsorted(time_s, [p.start_s for p in passes])
    ends = np.searchsorted(time_s, [p.end_s for p in passes], side="right")
    firsts = np.maximum(firsts, np.append(0, np.maximum.accumulate(ends)[:-1]))
    lengths = np.maximum(ends - firsts, 0) // block * block
    before = np.cumsum(lengths) - lengths
    return np.arange(int(lengths.sum())) + np.repeat(firsts - before, lengths), lengths


def ends_of(passes: tuple[Pass, ...], *, at_stops: bool = False) -> tuple[Span, ...]:
    """The instants at which passes begin and end, all of them or those at a stop."""
    ends = ((at, pct) for p in passes for at, pct in ((p.start_s, p.from_pct), (p.end_s, p.to_pct)))
    near = (_STOP_PCT, 100.0 - _STOP_PCT)
    return tuple((at, at) for at, pct in ends if not at_stops or not near[0] < pct < near[1])
