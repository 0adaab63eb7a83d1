"""Nodal analysis of a network of resistors and ideal voltage sources to ground.

Modified nodal analysis: Kirchhoff's current law at every node, one more unknown (the current) and
one more equation (the voltage) for each source. Source: C.-W. Ho, A. Ruehli, P. Brennan, "The
modified nodal approach to network analysis", IEEE Trans. Circuits and Systems 22 (1975) 504-509.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

GROUND = "ground"

# A conductance so small that it disturbs no real circuit (1 teraohm), from every node to ground: a
# node that nothing holds then reads 0 V instead of making the equations unsolvable.
_LEAK_S = 1e-12


@dataclass(frozen=True, slots=True)
class Resistor:
    """A resistance in ohms, above zero, between two nodes."""

    a: str
    b: str
    ohms: float


def solve(resistors: Sequence[Resistor], sources: Mapping[str, float]) -> dict[str, float]:
    """Voltage of every node against `GROUND`.

    Args:
        resistors: the network.
        sources: nodes that are held, with their volts.

    Raises:
        ValueError: a resistance is not above zero.
    """
    bad = next((r for r in resistors if not r.ohms > 0), None)
    if bad is not None:
        raise ValueError(f"a resistance must be above zero, but {bad.a}-{bad.b} has {bad.ohms}")
    nodes = sorted({n for r in resistors for n in (r.a, r.b)} | set(sources) - {GROUND})
    nodes = [n for n in nodes if n != GROUND]
    index = {n: i for i, n in enumerate(nodes)}
    held = list(sources)
    size = len(nodes) + len(held)
    matrix, right = np.zeros((size, size)), np.zeros(size)
    matrix[range(len(nodes)), range(len(nodes))] += _LEAK_S
    for r in resistors:
        _stamp(matrix, index.get(r.a), index.get(r.b), 1.0 / r.ohms)
    for row, node in enumerate(held, start=len(nodes)):
        matrix[row, index[node]] = matrix[index[node], row] = 1.0
        right[row] = sources[node]
    volts = np.linalg.solve(matrix, right)
    return {GROUND: 0.0, **{n: float(volts[i]) for n, i in index.items()}}


def _stamp(
    matrix: np.ndarray[tuple[int, int], np.dtype[np.float64]],
    a: int | None,
    b: int | None,
    siemens: float,
) -> None:
    if a is not None:
        matrix[a, a] += siemens
    if b is not None:
        matrix[b, b] += siemens
    if a is not None and b is not None:
        matrix[a, b] -= siemens
        matrix[b, a] -= siemens
