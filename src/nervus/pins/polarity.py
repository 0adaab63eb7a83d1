"""Readings without a sign: which way round each was, and where that stays open."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import product
from math import lgamma
from typing import Final

import numpy as np

from nervus.domain.channel import BoolArray, FloatArray
from nervus.pins.system import SMALL_V, System
from nervus.pins.taken import BATTERY

# What pins of a vehicle stand at, against the lowest: share, middle and deviation in volts. From memory:
# many at ground, few at the sensors' 5 V, few at the battery's, the rest (the last share) anywhere.
_SHARES: Final = np.array([0.40, 0.22, 0.13, 0.25])
_MIDDLES, _WIDTHS = np.array([0.0, 5.0, 12.8]), np.array([0.08, 0.12, 1.3])
# The shares are as sure as if so many pins had been seen.
_ALIKE: Final = 3.0
# Outside of this nothing of a vehicle stands; what it is worth as a logarithm.
_LOWEST_V, _HIGHEST_V, _NEVER = -0.8, 17.0, 20.0
_ROOT_2PI: Final = 2.5066282746310002
# Patterns that are looked at closely, and how much one misfit counts at the most.
_KEPT, _KEPT_FIRM, _MOST_MISFIT, _FAR = 3, 1, 12.0, 60.0
# A diagonal so heavy that what it stands on does not move.
_FIXED: Final = 1e12
_NEGATIVE_R: Final = -0.02
_ROBUST_TURNS: Final = 6
# Of the resistances, in meter resistances: how strongly they are drawn to zero, below what they count as
# zero, and the weight that keeps them from going below it; what a weak pin counts.
_SPARSE_TURNS, _SPARSE_R, _LEAST_R, _NONE_BELOW, _WEAK_ONE = 5, 0.1, 0.02, 1e4, 4.0
# Of so many patterns it is asked which signs they come to themselves.
_LOOKED_AT_AGAIN: Final = 12
# Where all cost more than this, and one a reading, pins of so many are moved, so often.
_EXPLAINED, _MOVED, _MOVES = 60.0, 3, 2
_MOST_BRANCHES, _FEW_BRANCHES, _LARGE = 7, 5, 12
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
    first = _tree(system, ())
    second = _tree(system, first)
    fit = _least_squares(system)
    tried = []
    for tree in (first, second) if len(second) == len(first) else (first,):
        signs = _of_tree(system, tree)
        e = (signs * system.volts)[:, tree] @ np.linalg.pinv(system.rows[tree]).T
        for _ in range(2):
            # As the tree has them, and as all readings together would: weak pins bend the one, a wrong
            # reading in the tree the other. Two trees without a reading in common are not both bent.
            apart = e @ system.rows.T
            signs = _signs_of(system, apart)
            tried.append(signs)
            e = (signs * system.volts) @ fit.T
    signs = np.unique(np.concatenate(tried), axis=0)
    cost, e = _sparse_costs(system, signs)
    # The best once more with the signs that they come to themselves: what a wrong reading had turned.
    turn = _signs_of(system, e[np.argsort(cost)[:_LOOKED_AT_AGAIN]] @ system.rows.T)
    for _ in range(1 + _MOVES):
        turned_cost, turned_e = _sparse_costs(system, turn)
        signs, cost = np.concatenate([signs, turn]), np.concatenate([cost, turned_cost])
        e = np.concatenate([e, turned_e])
        if len(system.labels) > _LARGE or cost.min() < system.volts.size + _EXPLAINED:
            break
        # Nothing explains it yet: of the best, each pin is tried at every place among the others.
        turn = _with_one_moved(system, e[np.argsort(cost)[:_MOVED]])
    clear = np.where(system.volts > SMALL_V, signs, 0.0)
    if system.turnable:
        clear = clear * clear[:, [int(np.argmax(system.volts))]]
    kept: list[int] = []
    for ranked_by, count in ((cost, _KEPT), (_firm_costs(system, signs), _KEPT_FIRM)):
        _, distinct = np.unique(clear[np.argsort(ranked_by)], axis=0, return_index=True)
        ranked = np.argsort(ranked_by)[np.sort(distinct)]
        kept += [int(k) for k in ranked[:count] if ranked_by[k] < ranked_by[ranked[0]] + _FAR]
    _, once = np.unique(clear[kept], axis=0, return_index=True)
    found = [signs[kept[k]] for k in sorted(once)]
    if not system.turnable:
        found = _turned(system, open_signs) + found[:_KEPT]
    return _told(system, list({tuple(s): s for s in found}.values()))


def _signs_of(system: System, apart: FloatArray) -> FloatArray:
    """Signs as readings would have them, shape (P, m); those that were written stay."""
    return np.asarray(np.where(~system.signed, np.where(apart < 0.0, -1.0, 1.0), 1.0))


def _with_one_moved(system: System, e: FloatArray) -> FloatArray:
    """The signs of sources in the order of these, shape (P, n), but for one in another place."""
    n = len(system.labels)
    found = []
    for order in np.argsort(e, axis=1):
        for pin in range(n):
            others = order[order != pin]
            for place in range(n):
                rank = np.empty(n)
                rank[np.insert(others, place, pin)] = np.arange(n)
                found.append(rank)
    return np.unique(_signs_of(system, np.asarray(found) @ system.rows.T), axis=0)


def _of_tree(system: System, tree: list[int]) -> FloatArray:
    """All ways round that the largest open readings of a tree may have been, shape (P, m)."""
    free = [k for k in tree if not system.signed[k] and system.volts[k] > SMALL_V]
    few = _MOST_BRANCHES if len(system.labels) <= _LARGE else _FEW_BRANCHES
    free = sorted(free, key=lambda k: -system.volts[k])[:few]
    if len(free) > 1 and system.turnable:
        free = free[:-1]  # all the other way round is no other pattern
    chosen = np.asarray(list(product((1.0, -1.0), repeat=len(free)))).reshape(2 ** len(free), len(free))
    signs = np.ones((len(chosen), system.volts.size))
    signs[:, free] = chosen
    return signs


def _turned(system: System, open_signs: BoolArray) -> list[FloatArray]:
    """What readings without a sign say among themselves, both ways round; those with one decide."""
    alone = replace(
        system,
        rows=system.rows[open_signs],
        volts=system.volts[open_signs],
        signed=system.signed[open_signs],
        deviation=system.deviation[open_signs],
        turnable=True,
    )
    both = []
    for pattern in sign_patterns(alone)[: _KEPT - 1]:
        for way in (1.0, -1.0):
            signs = np.ones(system.volts.size)
            signs[open_signs] = way * pattern.signs
            both.append(signs)
    return both


def _firm_costs(system: System, signs: FloatArray) -> FloatArray:
    """How badly each pattern fits, shape (P,), when every pin is firm.

    By least absolute deviations (E. J. Schlossmacher, 1973: least squares, weighted anew): what a weak
    pin or a wrong reading is off by stays with it, and does not spread over all the others.
    """
    volts = system.volts * signs
    weight = np.broadcast_to(1.0 / system.deviation, volts.shape)
    for _ in range(_ROBUST_TURNS):
        scaled = system.rows * weight[:, :, None]
        inner = scaled.transpose(0, 2, 1) @ scaled + 1e-6 * np.eye(len(system.labels))
        right = scaled.transpose(0, 2, 1) @ (volts * weight)[:, :, None]
        e = np.linalg.solve(inner, right)[:, :, 0]
        misfit = np.abs(volts - e @ system.rows.T) / system.deviation
        weight = 1.0 / system.deviation / np.sqrt(np.maximum(misfit, 1.0))
    return np.asarray(np.minimum(misfit, _MOST_MISFIT).sum(axis=1))


def _sparse_costs(system: System, signs: FloatArray) -> tuple[FloatArray, FloatArray]:
    """How badly each pattern fits, shape (P,), when few pins are weak, and its sources, shape (P, n).

    By least absolute deviations, as above, with the resistances drawn to zero in proportion to what they
    are (E. J. Candes, M. B. Wakin, S. P. Boyd, 2008: reweighted): free, all together would explain
    whatever was read, with every pin behind half a meter's resistance less than none.
    """
    m, n = system.rows.shape
    volts = system.volts * signs
    touch = np.abs(system.rows)
    design = np.concatenate(
        [np.broadcast_to(system.rows, (len(signs), m, n)), -touch * volts[:, :, None]], axis=2
    )
    weight = np.broadcast_to(1.0 / system.deviation, volts.shape)
    diagonal = np.arange(2 * n)
    drawn = np.empty((len(signs), 2 * n))
    drawn[:, :n] = np.where(system.held, _FIXED, system.prior[:n])
    r: FloatArray = np.zeros((len(signs), n))
    for _ in range(_SPARSE_TURNS):
        scaled = design * weight[:, :, None]
        inner = scaled.transpose(0, 2, 1) @ scaled
        drawn[:, n:] = np.where(r < 0.0, _NONE_BELOW, 1.0 / (_SPARSE_R * np.maximum(r, _LEAST_R)))
        inner[:, diagonal, diagonal] += drawn
        right = scaled.transpose(0, 2, 1) @ (volts * weight)[:, :, None]
        x = np.linalg.solve(inner, right)[:, :, 0]
        r = np.asarray(x[:, n:])
        load = 1.0 + np.maximum(r, 0.0) @ touch.T
        misfit = np.abs(volts - (x[:, :n] @ system.rows.T) / load) / system.deviation
        weight = 1.0 / (system.deviation * load * np.sqrt(np.maximum(misfit, 1.0)))
    backwards, weak = (r < _NEGATIVE_R).sum(axis=1), (r > _LEAST_R / 2.0).sum(axis=1)
    cost = np.minimum(misfit, _MOST_MISFIT).sum(axis=1) + _MOST_MISFIT * backwards + _WEAK_ONE * weak
    return np.asarray(cost), np.asarray(x[:, :n])


def _told(system: System, ranked: list[FloatArray]) -> list[Pattern]:
    made, fit = [], _least_squares(system)
    for signs in ranked:
        e = fit @ (system.volts * signs)
        ways = [usual(system, e)] if not system.turnable else [usual(system, e), usual(system, -e)]
        made.append(Pattern(signs, float(np.logaddexp.reduce(ways))))
    most = max(p.log_chance for p in made)
    # What is usual weighs where readings leave it open, and never more than they do.
    return [Pattern(p.signs, max(p.log_chance - most, -_MOST_USUAL)) for p in made]


def _tree(system: System, without: Sequence[int]) -> list[int]:
    """Readings that tie all ends together, the largest first (J. B. Kruskal, 1956), but for some."""
    part = {i: {i} for i in range(len(system.labels))}
    chosen = []
    for k in np.argsort(-np.abs(system.volts)):
        a, b = np.flatnonzero(system.rows[k])[:2]
        if k not in without and part[a] is not part[b]:
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
    """The logarithm of how usual such potentials are.

    Pins of one plug are alike more often than by chance, so shares of what they stand at are not sure:
    counts are Dirichlet-multinomial (textbook), and many grounds are no proof for each other.
    """
    total, counts = 0.0, np.zeros(len(_SHARES))
    for part in system.parts:
        inside = [i for i, label in enumerate(system.labels) if label in part]
        zero = e[system.labels.index(BATTERY)] if BATTERY in part else min(e[i] for i in inside)
        v = np.asarray([e[i] - zero for i in inside if system.labels[i] != BATTERY])
        impossible = (v < _LOWEST_V) | (v > _HIGHEST_V)
        total -= _NEVER * float(impossible.sum())
        v = v[~impossible]
        near = np.exp(-0.5 * ((v[:, None] - _MIDDLES) / _WIDTHS) ** 2) / _WIDTHS / _ROOT_2PI
        density = np.column_stack([near, np.full(v.size, 1.0 / (_HIGHEST_V - _LOWEST_V))])
        kind = (_SHARES * density).argmax(axis=1)
        counts += np.bincount(kind, minlength=counts.size)
        total += float(np.log(density[np.arange(v.size), kind]).sum())
    alike = sum(lgamma(a + n) - lgamma(a) for a, n in zip(_SHARES * _ALIKE, counts, strict=True))
    return total + alike + lgamma(_ALIKE) - lgamma(_ALIKE + float(counts.sum()))
