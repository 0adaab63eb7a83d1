"""Nodal analysis of a network of resistors and ideal voltage sources to ground.

Modified nodal analysis: Kirchhoff's current law at every node, one more unknown (the current) and
one more equation (the voltage) for each source. Source: C.-W. Ho, A. Ruehli, P. Brennan, "The
modified nodal approach to network analysis", IEEE Trans. Circuits and Systems 22 (1975) 504-509.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from nervus.domain.channel import FloatArray

GROUND = "ground"

# A conductance so small that it disturbs no real circuit (1 teraohm), from every node to ground: a
# node that nothing holds then reads 0 V instead of making the equations unsolvable.
_LEAK_S = 1e-12


@dataclass(frozen=True, slots=True)
class Resistor:
    """A resistance in ohms, above zero, between two nodes; an array of them for many networks."""

    a: str
    b: str
    ohms: float | FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class Solved:
    """What a network does.

    Attributes:
        volts: for every node against `GROUND`, each of the shape of the ohms.
        amps: for every source the current that it delivers.
        ohms: between the pairs of nodes that were asked about, what a meter sees (Thevenin): its own
            resistance and this one share what stands there open.
    """

    volts: Mapping[str, FloatArray]
    amps: Mapping[str, FloatArray]
    ohms: Mapping[tuple[str, str], FloatArray] = field(default_factory=dict)


def solve(
    resistors: Sequence[Resistor],
    sources: Mapping[str, float | FloatArray],
    between: Sequence[tuple[str, str]] = (),
) -> Solved:
    """Solve a network, or many of the same shape at once.

    Args:
        resistors: the network; ohms of shape (n,) stand for n networks.
        sources: nodes that are held, with their volts, as numbers or of shape (n,).
        between: pairs of nodes whose resistance, sources shorted, is wanted too.

    Raises:
        ValueError: a resistance is not above zero.
    """
    for r in resistors:
        if not np.all(np.asarray(r.ohms) > 0):
            raise ValueError(f"a resistance must be above zero, but {r.a}-{r.b} has {r.ohms}")
    nodes = sorted(({n for r in resistors for n in (r.a, r.b)} | set(sources)) - {GROUND})
    index = {n: i for i, n in enumerate(nodes)}
    shape = np.broadcast_shapes(*(np.shape(r.ohms) for r in resistors), *map(np.shape, sources.values()))
    size = len(nodes) + len(sources)
    matrix, right = np.zeros((*shape, size, size)), np.zeros((*shape, size, 1))
    matrix[..., range(len(nodes)), range(len(nodes))] += _LEAK_S
    for r in resistors:
        _stamp(matrix, index.get(r.a), index.get(r.b), 1.0 / np.asarray(r.ohms, dtype=np.float64))
    for row, (node, volts) in enumerate(sources.items(), start=len(nodes)):
        matrix[..., row, index[node]] = matrix[..., index[node], row] = 1.0
        right[..., row, 0] = volts
    if not between:
        found, ohms = np.linalg.solve(matrix, right)[..., 0], {}
    else:
        inverse = np.linalg.inv(matrix)
        found = (inverse @ right)[..., 0]
        ohms = {(a, b): _seen_between(inverse, index.get(a), index.get(b)) for a, b in between}
    return Solved(
        {GROUND: np.zeros(shape), **{n: found[..., i] for n, i in index.items()}},
        {n: -found[..., i] for i, n in enumerate(sources, start=len(nodes))},
        ohms,
    )


def _seen_between(inverse: FloatArray, a: int | None, b: int | None) -> FloatArray:
    """Volts between two nodes for one ampere sent through them, all sources shorted (Thevenin, 1883)."""
    seen = np.zeros(inverse.shape[:-2])
    if a is not None:
        seen = seen + inverse[..., a, a]
    if b is not None:
        seen = seen + inverse[..., b, b]
    if a is not None and b is not None:
        seen = seen - inverse[..., a, b] - inverse[..., b, a]
    return np.asarray(np.maximum(seen, 0.0))


def _stamp(matrix: NDArray[np.float64], a: int | None, b: int | None, siemens: FloatArray) -> None:
    if a is not None:
        matrix[..., a, a] += siemens
    if b is not None:
        matrix[..., b, b] += siemens
    if a is not None and b is not None:
        matrix[..., a, b] -= siemens
        matrix[..., b, a] -= siemens
