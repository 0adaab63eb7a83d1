"""Readings without a sign: which way round each was, and where that stays open."""

from dataclasses import dataclass
from itertools import product
from typing import Final

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.pins.system import SMALL_V, System
from nervus.pins.taken import BATTERY

# What pins of a vehicle stand at, against the lowest: share, middle and deviation in volts. From memory:
# many at ground, few at the sensors' 5 V, few at the battery's, the rest anywhere.
_USUAL: Final = ((0.40, 0.0, 0.08), (0.22, 5.0, 0.12), (0.13, 12.8, 1.3))
_LOWEST_V, _HIGHEST_V = -0.8, 17.0
# Patterns that are looked at closely, and how much one misfit counts at the most.
_KEPT, _MOST_MISFIT, _FAR = 5, 12.0, 60.0
_MOST_BRANCHES: Final = 7
_MOST_USUAL: Final = 6.0


@dataclass(frozen=True, slots=True, eq=False)
class Pattern:
    """One way in which all readings may have been the right way round.

    Attributes:
        signs: shape (m,), 1 or -1.
        log_chance: before the readings' values are held against each other.
    """

    signs: FloatArray
    log_chance: float


def sign_patterns(system: System) -> list[Pattern]:
    """The patterns worth solving; one, where every sign was written down."""
    open_signs = ~system.signed
    if not open_signs.any():
        return [Pattern(np.ones(system.volts.size), 0.0)]
    tree = _tree(system)
    free = [k for k in tree if open_signs[k] and system.volts[k] > SMALL_V]
    free = sorted(free, key=lambda k: -system.volts[k])[:_MOST_BRANCHES]
    if len(free) > 1 and system.turnable:
        free = free[:-1]  # all the other way round is no other pattern
    chosen = np.asarray(list(product((1.0, -1.0), repeat=len(free)))).reshape(-1, len(free))
    signs = np.ones((len(chosen), system.volts.size))
    signs[:, free] = chosen
    e = (signs * system.volts)[:, tree] @ np.linalg.pinv(system.rows[tree]).T
    for turn in range(2):
        apart = e @ system.rows.T
        signs = np.where(open_signs, np.where(apart < 0.0, -1.0, 1.0), 1.0)
        if turn == 0:
            e = (signs * system.volts) @ _least_squares(system).T
    misfit = (system.volts * signs - e @ system.rows.T) / system.deviation
    cost = np.minimum(np.abs(misfit), _MOST_MISFIT).sum(axis=1)
    clear = np.where(system.volts > SMALL_V, signs, 0.0)
    if system.turnable:
        first = int(np.argmax(system.volts))
        clear = clear * clear[:, [first]]
    _, distinct = np.unique(clear[np.argsort(cost)], axis=0, return_index=True)
    ranked = np.argsort(cost)[np.sort(distinct)]
    near = [k for k in ranked if cost[k] < cost[ranked[0]] + _FAR]
    return _told(system, [signs[k] for k in near[:_KEPT]])


def _told(system: System, ranked: list[FloatArray]) -> list[Pattern]:
    made = []
    for signs in ranked:
        e = _least_squares(system) @ (system.volts * signs)
        ways = [usual(system, e)] if not system.turnable else [usual(system, e), usual(system, -e)]
        made.append(Pattern(signs, float(np.logaddexp.reduce(ways))))
    most = max(p.log_chance for p in made)
    # What is usual weighs where readings leave it open, and never more than they do.
    return [Pattern(p.signs, max(p.log_chance - most, -_MOST_USUAL)) for p in made[:_KEPT]]


def _tree(system: System) -> list[int]:
    """Readings that tie all ends together, the largest first (J. B. Kruskal, 1956)."""
    part = {i: {i} for i in range(len(system.labels))}
    chosen = []
    for k in np.argsort(-np.abs(system.volts)):
        a, b = np.flatnonzero(system.rows[k])[:2]
        if part[a] is not part[b]:
            part[a] |= part[b]
            for i in part[b]:
                part[i] = part[a]
            chosen.append(int(k))
    return chosen


def _least_squares(system: System) -> FloatArray:
    """What makes potentials of readings as if every pin were firm, shape (n, m)."""
    weighted = system.rows / system.deviation[:, None] ** 2
    inner = system.rows.T @ weighted + 1e-6 * np.eye(len(system.labels))
    return np.asarray(np.linalg.solve(inner, weighted.T))


def usual(system: System, e: FloatArray) -> float:
    """The logarithm of how usual such potentials are."""
    total = 0.0
    for part in system.parts:
        inside = [i for i, label in enumerate(system.labels) if label in part]
        zero = e[system.labels.index(BATTERY)] if BATTERY in part else min(e[i] for i in inside)
        for i in inside:
            if system.labels[i] == BATTERY:
                continue
            v = e[i] - zero
            if not _LOWEST_V <= v <= _HIGHEST_V:
                total -= 20.0
                continue
            density = 0.25 / (_HIGHEST_V - _LOWEST_V)
            for share, middle, width in _USUAL:
                density += share / width / 2.5066 * np.exp(-0.5 * ((v - middle) / width) ** 2)
            total += float(np.log(density))
    return total
