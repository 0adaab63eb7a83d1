"""Stretches of time or travel, and the way from masks to them; shared by every detector."""

from bisect import bisect_right
from collections.abc import Iterable, Sequence
from math import inf

import numpy as np

from nervus.domain.channel import BoolArray, FloatArray, IntArray, Span


def runs(mask: BoolArray) -> tuple[IntArray, IntArray]:
    """First and last index (inclusive) of every run of `True`, each of shape (n_runs,)."""
    change = np.flatnonzero(mask[1:] != mask[:-1]) + 1
    # The ends apart, for a copy that is longer by two costs more than all else.
    if mask.size and mask[0]:
        change = np.append(0, change)
    if mask.size and mask[-1]:
        change = np.append(change, mask.size)
    return change[::2], change[1::2] - 1


def runs_of(indices: IntArray) -> tuple[IntArray, IntArray]:
    """The same for rising indices: first and last one of every run without a gap."""
    if not indices.size:
        return indices, indices
    breaks = np.flatnonzero(np.diff(indices) > 1)
    return indices[np.append(0, breaks + 1)], indices[np.append(breaks, indices.size - 1)]


def inside(time_s: FloatArray, spans: Iterable[Span], margin_s: float = 0.0) -> BoolArray:
    """Which instants lie within any of the spans, widened by `margin_s` on both sides."""
    mask = np.zeros(time_s.shape, dtype=bool)
    ends = np.asarray(list(spans), dtype=np.float64).reshape(-1, 2)
    first = np.searchsorted(time_s, ends[:, 0] - margin_s, side="left").tolist()
    last = np.searchsorted(time_s, ends[:, 1] + margin_s, side="right").tolist()
    for a, b in zip(first, last, strict=True):
        mask[a:b] = True
    return mask


def merge(spans: Iterable[Span], gap: float) -> tuple[Span, ...]:
    """Join spans that overlap or lie no further apart than `gap`; sorted."""
    joined: list[Span] = []
    for start, end in sorted(spans):
        if joined and start - joined[-1][1] <= gap:
            joined[-1] = (joined[-1][0], max(joined[-1][1], end))
        else:
            joined.append((start, end))
    return tuple(joined)


def overlaps(a: Span, b: Span, slack: float = 0.0) -> bool:
    """Whether two spans share anything, `slack` apart at most."""
    return a[0] <= b[1] + slack and b[0] <= a[1] + slack


class Union:
    """Many spans, asked again and again whether another one shares anything with any of them."""

    def __init__(self, spans: Iterable[Span]) -> None:
        self._apart = merge(spans, 0.0)

    def touches(self, span: Span, slack: float = 0.0) -> bool:
        """Whether it shares anything with any of them, `slack` apart at most."""
        nearest = bisect_right(self._apart, (span[1] + slack, inf)) - 1
        return nearest >= 0 and self._apart[nearest][1] + slack >= span[0]

    def holds(self, span: Span) -> bool:
        """Whether it lies within them from its beginning to its end."""
        nearest = bisect_right(self._apart, (span[0], inf)) - 1
        return nearest >= 0 and self._apart[nearest][1] >= span[1]


def total(spans: Sequence[Span]) -> float:
    """The length of all spans together."""
    return float(sum(end - start for start, end in spans))
