"""Which test is worth its minutes, and what each school's way would cost in this case.

Information is the expected fall of the entropy over suspects and over faults (C. E. Shannon, 1948);
saving is the expected value of the test's result, less the test's own cost: what mending costs on
average without it, less what it costs on average once its outcome is known (H. Raiffa, R. Schlaifer,
"Applied statistical decision theory", 1961: the expected value of sample information).
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cache

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.domain.judgement import PossibleOutcome, RankedTest, School
from nervus.domain.profile import ThrottleKind
from nervus.judge.at_hand import handling
from nervus.judge.costs import Expected, Workshop, expected_cost, expected_costs, workshop_for
from nervus.knowledge.own_prices import AS_SHIPPED, OwnPrices, repairs_of, tests_of
from nervus.knowledge.tree import Tree, fits, tree_for
from nervus.knowledge.tree_shapes import KnownTest, Repair

# A test that tells less than so many bits is not proposed; a fault with less is not named after it.
_LEAST_BITS = 0.02
_WORTH_NAMING = 0.005
# Proof before parts does so many tests one after the other at most.
_PROOFS = 2


@dataclass(frozen=True, slots=True, eq=False)
class _Possible:
    """A test with the chance of each outcome with each fault, shape (outcomes, F)."""

    test: KnownTest
    chance: FloatArray
    cost: float


@cache
def _tests_for(throttle: ThrottleKind | None, own: OwnPrices) -> tuple[_Possible, ...]:
    tree, minute = tree_for(throttle), repairs_of(own).minute
    return tuple(
        _Possible(t, outcome_chances(t, tree), t.money + minute * t.minutes)
        for t in tests_of(own).test
        if fits(t.throttle, throttle)
    )


def outcome_chances(test: KnownTest, tree: Tree) -> FloatArray:
    """Chance of each outcome with each fault, shape (outcomes, F), summing to 1 over the outcomes.

    A fault that does not always show gives the last outcome, where nothing is found, more often.
    """
    rows = np.asarray([tree.row(o.chance) for o in test.outcome[:-1]])
    total = rows.sum(axis=0)
    rows = rows / np.maximum(total, 1.0) * np.minimum(1.0, 0.97 / np.maximum(total, 0.97))
    return np.vstack([rows, 1.0 - rows.sum(axis=0)])


def rank_tests(
    tree: Tree,
    throttle: ThrottleKind | None,
    chance: FloatArray,
    *,
    done: Iterable[str] = (),
    own: OwnPrices = AS_SHIPPED,
) -> tuple[RankedTest, ...]:
    """Every test that is left, the one with the best saving a minute first.

    Args:
        tree: the faults.
        throttle: which tests fit.
        chance: of each fault, shape (F,), summing to 1.
        done: tests that were done already.
        own: the workshop's times, prices and tools.
    """
    shop = workshop_for(throttle, own)
    now = float(expected_costs(chance[None, :], shop)[0])
    without = {*done}
    left = [p for p in _tests_for(throttle, own) if p.test.id not in without]
    after = _costs_after(left, chance, shop)
    ranked = [_ranked(p, tree, chance, now - cost) for p, cost in zip(left, after, strict=True)]
    telling = [r for r in ranked if r.information_bits >= _LEAST_BITS] or ranked[:1]
    return tuple(sorted(telling, key=lambda r: (-_worth(r), r.id)))


def _worth(test: RankedTest) -> float:
    """Saving a minute where it saves anything, else what it tells a minute, below all that saves."""
    if test.saving > 0.0:
        return test.saving / test.minutes
    return test.information_bits / test.minutes - 1.0


def _costs_after(tests: Sequence[_Possible], chance: FloatArray, shop: Workshop) -> list[float]:
    """What mending costs on average once a test's outcome is known, with the test's own cost."""
    if not tests:
        return []
    joint = np.vstack([p.chance * chance for p in tests])
    total = joint.sum(axis=1)
    costs = total * expected_costs(joint / np.maximum(total, 1e-300)[:, None], shop)
    ends = np.cumsum([len(p.chance) for p in tests])
    return [
        float(part.sum()) + p.cost for part, p in zip(np.split(costs, ends[:-1]), tests, strict=True)
    ]


def _ranked(possible: _Possible, tree: Tree, chance: FloatArray, saving: float) -> RankedTest:
    test = possible.test
    outcomes, bits = [], _entropy(tree, chance)
    for outcome, row in zip(test.outcome, possible.chance, strict=True):
        probability = float(row @ chance)
        if probability <= 0.0:
            continue
        then = row * chance / probability
        bits -= probability * _entropy(tree, then)
        likely = [i for i in np.argsort(-then, kind="stable") if then[i] >= _WORTH_NAMING]
        faults = {tree.faults[i].id: float(then[i]) for i in likely}
        outcomes.append(PossibleOutcome(outcome.text, probability, tree.of_suspect(then), faults))
    return RankedTest(
        test.id,
        test.text,
        test.minutes,
        test.money,
        max(0.0, bits),
        saving,
        test.caution,
        test.how,
        test.station,
        test.prepare,
        tuple(outcomes),
    )


def _entropy(tree: Tree, chance: FloatArray) -> float:
    """Bits over the suspects."""
    shares = np.asarray(list(tree.of_suspect(chance).values()))
    shares = shares[shares > 0.0]
    return float(-(shares * np.log2(shares)).sum())


def first_repair(
    throttle: ThrottleKind | None, chance: FloatArray, own: OwnPrices = AS_SHIPPED
) -> Repair | None:
    """The repair to begin with where no test is worth its minutes; `None` where none is worth doing."""
    shop = workshop_for(throttle, own)
    order = expected_cost(chance, shop).order
    return shop.repairs[order[0]] if order else None


# -- the schools --------------------------------------------------------------------------------------


def schools(
    throttle: ThrottleKind | None, chance: FloatArray, own: OwnPrices = AS_SHIPPED
) -> tuple[School, ...]:
    """What each way of going about it costs on average: repairs by price, by likelihood, after proof.

    Proof before parts does the best test, whether it saves or not, and one more where that saves. The
    proposed way is the cheapest of all that were looked at.
    """
    shop, tests = workshop_for(throttle, own), _tests_for(throttle, own)

    def school(name: str, way: Expected, texts: tuple[str, ...] = ()) -> School:
        return _school(name, way, texts, shop, chance)

    told = (
        school("cheapest_first", expected_cost(chance, shop, "cheapest_first")),
        school("likeliest_first", expected_cost(chance, shop, "likeliest_first")),
        school("proof_first", *_after_tests(tests, chance, shop, _PROOFS, always=True)),
    )
    plain = school("proposed", expected_cost(chance, shop))
    one = school("proposed", *_after_tests(tests, chance, shop, 1, always=False))
    best = min((plain, one, *reversed(told)), key=lambda s: s.cost)
    return (*told, replace(best, id="proposed"))


def _school(
    name: str, way: Expected, tests: tuple[str, ...], shop: Workshop, chance: FloatArray
) -> School:
    order = (*tests, *(shop.repairs[i].text for i in way.order))
    mean = float(chance @ way.by_fault)
    spread = float(np.sqrt(chance @ (way.by_fault - mean) ** 2))
    cost, minutes, money, parts = handling(way, shop)
    return School(
        name,
        way.minutes + minutes,
        way.money + money,
        way.cost + cost,
        spread,
        way.parts_in_vain,
        way.come_backs,
        order,
        parts,
    )


def _after_tests(
    left: tuple[_Possible, ...],
    chance: FloatArray,
    shop: Workshop,
    most: int,
    *,
    always: bool,
) -> tuple[Expected, tuple[str, ...]]:
    """The best test, the best after each outcome, then repairs; with the texts of the likeliest way."""
    bare = expected_cost(chance, shop)
    costs = _costs_after(left, chance, shop) if most else []
    if not costs or (not always and min(costs) >= bare.cost):
        return bare, ()
    best = left[int(np.argmin(costs))]
    ways = []
    for row in best.chance:
        probability = float(row @ chance)
        then = row * chance / max(probability, 1e-300)
        others = tuple(p for p in left if p is not best)
        ways.append((probability, *_after_tests(others, then, shop, most - 1, always=False)))
    _, likeliest, texts = max(ways, key=lambda way: way[0])

    def mean(of: Callable[[Expected], float]) -> float:
        return sum(probability * of(way) for probability, way, _ in ways)

    expected = Expected(
        mean(lambda e: e.cost) + best.cost,
        mean(lambda e: e.minutes) + best.test.minutes,
        mean(lambda e: e.money) + best.test.money,
        mean(lambda e: e.parts_in_vain),
        mean(lambda e: e.come_backs),
        likeliest.order,
        best.cost + sum(row * way.by_fault for row, (_, way, _) in zip(best.chance, ways, strict=True)),
        np.asarray(sum(probability * way.needs for probability, way, _ in ways)),
    )
    return expected, (best.test.text, *texts)
