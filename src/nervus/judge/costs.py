"""What it costs on average to mend a case: plans of repairs, the schools' orders, and tests before them.

A plan is an order of repairs, each followed by its re-test until one cured it; its expected cost is
the sum of each step's cost times the chance that it is needed. For repairs that each cure faults of
their own, the order of chance over cost is the cheapest (L. G. Mitten, "An analytic solution to the
least cost testing sequence problem", J. Industrial Engineering 11 (1960) 17; J. B. Kadane, H. A. Simon,
"Optimal strategies for a class of constrained sequential problems", Annals of Statistics 5 (1977)
237-255). Of a part that is given back after it was in vain, the ratio takes the cost less what comes
back, by the same exchange of neighbours. Where repairs overlap the ratio is taken anew after each step,
which is greedy.
"""

from dataclasses import dataclass
from functools import cache

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.domain.profile import ThrottleKind
from nervus.knowledge.own_prices import AS_SHIPPED, OwnPrices, repairs_of
from nervus.knowledge.tree import fits, known_changes, tree_for
from nervus.knowledge.tree_shapes import Repair, Repairs

# Mended for sure, for the plan: what is left then is handed on.
_SURE = 0.985
# Work is stopped where what is left to hope for is not worth the cheapest repair.
_MOST_STEPS = 9


@dataclass(frozen=True, slots=True, eq=False)
class Workshop:
    """What can be done, what it cures and costs.

    Attributes:
        repairs: in the order of the rows below.
        cures: chance that each cures each fault, shape (R, F).
        minutes: of each with its re-test, shape (R,).
        money: of each, shape (R,).
        cost: both, in money, shape (R,).
        parts: whether each renews a part, shape (R,).
        given_back: money that comes back of each where it was in vain, shape (R,).
        shows: chance that a fault that is still there is seen in the re-test, shape (F,).
        table: what stands around the repairs.
        sound: which faults are none, shape (F,).
    """

    repairs: tuple[Repair, ...]
    cures: FloatArray
    minutes: FloatArray
    money: FloatArray
    cost: FloatArray
    parts: FloatArray
    given_back: FloatArray
    shows: FloatArray
    table: Repairs
    sound: FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class Expected:
    """What a way of going about it comes to on average.

    Attributes:
        order: rows of the workshop's repairs.
        by_fault: the cost that it comes to with each fault, shape (F,); `cost` is their mean.
        needs: the chance that each repair is come to, shape (R,).
    """

    cost: float
    minutes: float
    money: float
    parts_in_vain: float
    come_backs: float
    order: tuple[int, ...]
    by_fault: FloatArray
    needs: FloatArray


@cache
def workshop_for(throttle: ThrottleKind | None, own: OwnPrices = AS_SHIPPED) -> Workshop:
    """The repairs that fit a throttle, with the prices of a workshop."""
    tree, table = tree_for(throttle), repairs_of(own)
    changes = {c.id: c for c in known_changes().change}
    rows = tuple(r for r in table.repair if fits(r.throttle, throttle))
    minutes = np.asarray([r.minutes for r in rows]) + table.retest_minutes
    money = np.asarray([r.money for r in rows])
    parts = np.asarray([float(r.part) for r in rows])
    return Workshop(
        rows,
        np.asarray([tree.row(changes[r.change].cures) for r in rows]),
        minutes,
        money,
        money + table.minute * minutes,
        parts,
        parts * money * [table.given_back if r.given_back is None else r.given_back for r in rows],
        0.5 + 0.5 * tree.always,
        table,
        tree.of("nothing").astype(float),
    )


def expected_cost(chance: FloatArray, shop: Workshop, order: str = "proposed") -> Expected:
    """What mending costs on average with repairs alone, for chances of faults, shape (F,).

    Args:
        chance: of each fault, summing to 1.
        shop: what can be done.
        order: `proposed` (chance over cost), `cheapest_first` or `likeliest_first`.
    """
    sums, done, needs = _plans(chance[None, :], shop, order)
    cost, minutes, money, in_vain, backs = (float(s[0]) for s in sums)
    steps = tuple(int(d[0]) for d in done if d[0] >= 0)
    return Expected(cost, minutes, money, in_vain, backs, steps, _by_fault(steps, shop), needs[0])


def _by_fault(order: tuple[int, ...], shop: Workshop) -> FloatArray:
    """What an order of repairs comes to with each fault, shape (F,)."""
    handed, back = _whole_costs(shop)
    left, cost = np.ones(shop.sound.size), np.zeros(shop.sound.size)
    for step in order:
        cost += left * shop.cost[step]
        left = left * (1.0 - shop.cures[step])
        cost += left * (_quiet(shop) * back - shop.given_back[step])
    return np.asarray(cost + left * (1.0 - shop.sound) * handed)


def _whole_costs(shop: Workshop) -> tuple[float, float]:
    """What a case that is handed on costs, and a come-back, in money with the minutes."""
    table = shop.table
    handed = table.handed_on_money + table.minute * table.handed_on_minutes
    return handed, table.comeback_money + table.minute * table.comeback_minutes


def _quiet(shop: Workshop) -> FloatArray:
    """The chance that a fault which is still there keeps quiet in the re-test, shape (F,)."""
    return 0.5 * (1.0 - shop.shows) * (1.0 - shop.sound)


def expected_costs(chances: FloatArray, shop: Workshop) -> FloatArray:
    """The cost of the proposed order for many sets of chances at once, shape (n, F) to (n,)."""
    return _plans(chances, shop, "proposed")[0][0]


def _plans(
    chances: FloatArray, shop: Workshop, order: str
) -> tuple[tuple[FloatArray, ...], list["np.ndarray[tuple[int], np.dtype[np.int_]]"], FloatArray]:
    """Cost, minutes, money, parts in vain, come-backs, each (n,); steps; how often each repair, (n, R).

    A step is the repair that is done for each, (n,), or -1.
    """
    table, (handed, back) = shop.table, _whole_costs(shop)
    rows = np.arange(len(chances))
    left = chances.copy()
    cost, minutes, money, in_vain, backs = np.zeros((5, len(chances)))
    free = np.ones((len(chances), len(shop.repairs)), dtype=bool)
    done, needs = [], np.zeros(free.shape)
    for _ in range(_MOST_STEPS):
        needed = left.sum(axis=1)
        # The hope of each repair is what it would cure of what is left.
        gain = left @ shop.cures.T
        worth = gain * handed > shop.cost * needed[:, None] - shop.given_back * (needed[:, None] - gain)
        net = shop.cost - shop.given_back
        by = {"cheapest_first": -shop.cost, "likeliest_first": gain, "proposed": gain / net}[order]
        scored = np.where(free & worth, by, -np.inf)
        choice = np.argmax(scored, axis=1)
        faulty = needed - left @ shop.sound
        goes_on = np.isfinite(scored[rows, choice]) & (faulty > 1.0 - _SURE)
        if not goes_on.any():
            break
        does = goes_on.astype(float) * needed
        uncured = np.where(goes_on[:, None], left * (1.0 - shop.cures[choice]), left)
        # What is still there and keeps quiet in the re-test is taken for mended, and comes back.
        quiet = goes_on * (uncured @ _quiet(shop))
        vain = goes_on * uncured.sum(axis=1)
        returned = vain * shop.given_back[choice]
        cost += does * shop.cost[choice] + quiet * back - returned
        minutes += does * shop.minutes[choice]
        money += does * shop.money[choice] - returned
        in_vain += shop.parts[choice] * vain
        backs += quiet
        needs[rows, choice] += does
        left = uncured
        free[rows, choice] &= ~goes_on
        done.append(np.where(goes_on, choice, -1))
    # Where there is nothing, nothing is handed on: what was done was in vain, and that is all.
    rest = left @ (1.0 - shop.sound)
    minutes += rest * table.handed_on_minutes
    money += rest * table.handed_on_money
    return (cost + rest * handed, minutes, money, in_vain, backs), done, needs
