"""Inference over faults held against a reference library; costs and tests against published results."""

import importlib
from itertools import permutations, product
from typing import Any

import numpy as np
import pytest
from sklearn.metrics import brier_score_loss

from jobs import CABLE, ELECTRONIC
from nervus.domain.channel import FloatArray
from nervus.domain.profile import ThrottleKind
from nervus.domain.suspect import SuspectId
from nervus.judge import costs, next_tests
from nervus.judge.costs import Workshop, expected_cost, expected_costs, workshop_for
from nervus.judge.next_tests import outcome_chances, rank_tests, schools
from nervus.judge.weighing import TWO_FAULTS, Cure, Evidence, weigh_faults
from nervus.knowledge.counted import WORTH, counted, together
from nervus.knowledge.own_prices import OwnPrices, OwnRow
from nervus.knowledge.tree import Tree, known_tests, repairs, tree_for
from nervus.knowledge.tree_shapes import Fault, Repair

# The reference library has no types.
pyagrum: Any = importlib.import_module("pyagrum")


def small_tree(*priors: float) -> Tree:
    """As many faults; the last is none."""

    def made(number: int, *, sound: bool) -> Fault:
        return Fault(
            id=f"f{number}",
            suspect=SuspectId.NONE if sound else SuspectId.SENSOR,
            stretch="",
            line="",
            text="a fault",
            classes=("sound",) if sound else (),
            prior=priors[number],
            always=1.0,
        )

    return Tree(tuple(made(n, sound=n == len(priors) - 1) for n in range(len(priors))))


def seen(shown: list[float], sound: float, after: int = 0, slip: float = 0.0) -> Evidence:
    return Evidence("seen", "test", ("e",), np.asarray(shown), sound, slip, after)


def by_library(tree: Tree, evidence: list[Evidence], cures: list[Cure]) -> FloatArray:
    """Half a fault for each of two: the same model as a Bayesian network, solved by pyAgrum."""
    size = len(tree.faults)
    kinds = [(i, -1) for i in range(size)]
    kinds += [(i, j) for i in range(size) for j in range(i) if not (tree.sound[i] or tree.sound[j])]
    pairs = sum(tree.prior[i] * tree.prior[j] for i, j in kinds if j >= 0)
    prior = [
        (1 - TWO_FAULTS) * tree.prior[i] if j < 0 else TWO_FAULTS * tree.prior[i] * tree.prior[j] / pairs
        for i, j in kinds
    ]
    net = pyagrum.BayesNet()
    net.add(pyagrum.LabelizedVariable("h", "", len(kinds)))
    net.cpt("h").fillWith(prior)
    states = add_states(net, kinds, cures)
    for number, e in enumerate(evidence):
        add_observation(net, f"e{number}", e, kinds, states[e.after])
    inference = pyagrum.LazyPropagation(net)
    inference.setEvidence({f"e{number}": 1 for number in range(len(evidence))})
    inference.makeInference()
    found = np.zeros(size)
    for (i, j), p in zip(kinds, inference.posterior("h").tolist(), strict=True):
        found[i] += p if j < 0 else p / 2.0
        if j >= 0:
            found[j] += p / 2.0
    return found


Kinds = list[tuple[int, int]]
"""Each hypothesis: one fault, or two; -1 for no second."""


def add_states(net: Any, kinds: Kinds, cures: list[Cure]) -> list[tuple[str, str]]:
    """After each change, of both faults: there (0) or cured (1)."""
    states: list[tuple[str, str]] = []
    for step in range(len(cures) + 1):
        names = (f"a{step}", f"b{step}")
        for which, name in enumerate(names):
            net.add(pyagrum.LabelizedVariable(name, "", 2))
            net.addArc("h", name)
            if step:
                net.addArc(states[-1][which], name)
            for number, kind in enumerate(kinds):
                own = kind[which]
                if not step:
                    net.cpt(name)[{"h": number}] = [1.0, 0.0] if own >= 0 else [0.0, 1.0]
                    continue
                cure = float(cures[step - 1].cures[own]) if own >= 0 else 0.0
                before = states[-1][which]
                net.cpt(name)[{"h": number, before: 0}] = [1.0 - cure, cure]
                net.cpt(name)[{"h": number, before: 1}] = [0.0, 1.0]
        states.append(names)
    return states


def add_observation(net: Any, name: str, e: Evidence, kinds: Kinds, states: tuple[str, str]) -> None:
    """What either fault shows while it is there, and a sound vehicle where it is not."""
    net.add(pyagrum.LabelizedVariable(name, "", 2))
    for parent in ("h", *states):
        net.addArc(parent, name)
    for (row, (i, j)), x, y in product(enumerate(kinds), (0, 1), (0, 1)):
        one = e.shown[i] if x == 0 else e.sound
        other = e.shown[j] if y == 0 else e.sound
        p = float(one if j < 0 else 0.5 * (one + other))
        net.cpt(name)[{"h": row, states[0]: x, states[1]: y}] = [1.0 - p, p]


@pytest.mark.parametrize("changes", [0, 1, 2])
def test_the_posterior_is_that_of_a_reference_library(changes: int) -> None:
    """Reference: pyAgrum, exact inference (lazy propagation) in the same network."""
    random = np.random.default_rng(changes)
    tree = small_tree(0.4, 0.3, 0.2, 0.1)
    cures = [Cure("done", "c", random.uniform(0.0, 1.0, 4)) for _ in range(changes)]
    evidence = [
        seen(list(random.uniform(0.05, 0.9, 4)), float(random.uniform(0.05, 0.9)), after)
        for after in range(changes + 1)
        for _ in range(2)
    ]
    expected = by_library(tree, evidence, cures)
    assert weigh_faults(tree, evidence, cures).share == pytest.approx(expected, abs=1e-9)


def test_the_ledger_adds_up_in_any_order() -> None:
    """Its lines are expectations under the posterior: the order of the observations plays no part."""
    tree = small_tree(0.4, 0.3, 0.2, 0.1)
    one, other, third = (
        seen([0.9, 0.2, 0.1, 0.3], 0.3),
        seen([0.2, 0.9, 0.4, 0.3], 0.3),
        seen([0.5] * 4, 0.5),
    )
    first = weigh_faults(tree, [one, other, third])
    second = weigh_faults(tree, [third, other, one])
    assert first.share == pytest.approx(second.share)
    for line, again in zip(first.nats, reversed(second.nats), strict=True):
        assert line == pytest.approx(again)
    assert max(abs(n) for n in first.nats[2].values()) < 1e-9, "what says nothing weighs nothing"


def test_a_slip_of_the_hand_takes_weight_and_never_turns_it() -> None:
    tree = small_tree(0.5, 0.3, 0.2)
    plain = weigh_faults(tree, [seen([0.9, 0.1, 0.1], 0.1)]).share
    doubtful = weigh_faults(tree, [seen([0.9, 0.1, 0.1], 0.1, slip=0.5)]).share
    assert tree.prior[0] < doubtful[0] < plain[0]


def test_a_cure_is_believed_as_far_as_the_test_after_it_goes() -> None:
    """Worked by hand: a fault or nothing, half and half, cured in half of all cases; then a test that
    fails with 0.8 while it is there and 0.1 else: P(cured and failed) / P(failed) = 0.025 / 0.275.
    """
    cure = Cure("done", "c", np.asarray([0.5, 0.5, 0.0]))
    weighed = weigh_faults(small_tree(0.5, 1e-9, 0.5), [seen([0.8, 0.8, 0.1], 0.1, after=1)], [cure])
    assert weighed.cured == pytest.approx(0.025 / 0.275, abs=0.02)


# -- costs -------------------------------------------------------------------------------------------


def workshop(cost: list[float], cures: FloatArray, given_back: FloatArray | float = 0.0) -> Workshop:
    rows = tuple(
        Repair(id=str(n), text="a repair", caution="none", minutes=0.0, money=c, part=False, change="")
        for n, c in enumerate(cost)
    )
    price = np.asarray(cost)
    return Workshop(
        rows,
        cures,
        np.zeros(len(cost)),
        price,
        price,
        np.zeros(len(cost)),
        given_back * price,
        np.ones(cures.shape[1]),
        repairs(),
        np.zeros(cures.shape[1]),
    )


def test_the_order_of_repairs_is_the_cheapest_of_all_orders() -> None:
    """Theorem: chance over cost, highest first (L. G. Mitten, J. Industr. Engineering 11 (1960) 17);
    held against every order of five repairs that each cure one fault, some parts given back in part.
    """
    random = np.random.default_rng(5)
    for _ in range(20):
        chance = random.dirichlet(np.ones(5))
        price = random.uniform(1.0, 9.0, 5)
        share = random.choice([0.0, 0.9], 5)
        shop = workshop(list(price), np.eye(5), share)
        found = expected_cost(chance, shop).order
        if len(found) < 5:
            continue  # what is left is not worth a repair

        def cost_of(
            order: tuple[int, ...],
            chance: FloatArray = chance,
            price: FloatArray = price,
            share: FloatArray = share,
        ) -> float:
            left, cost = 1.0, 0.0
            for step in order:
                cost += left * price[step]
                left -= chance[step]
                cost -= left * share[step] * price[step]
            return cost

        best = min(map(cost_of, permutations(range(5))))
        assert cost_of(found) == pytest.approx(best)
        assert expected_cost(chance, shop).cost == pytest.approx(best)


def test_many_plans_at_once_cost_what_each_costs_alone() -> None:
    shop, random = workshop_for(ELECTRONIC), np.random.default_rng(2)
    chances = random.dirichlet(np.full(len(tree_for(ELECTRONIC).faults), 0.1), 12)
    alone = [expected_cost(c, shop).cost for c in chances]
    assert expected_costs(chances, shop) == pytest.approx(np.asarray(alone))


def test_the_value_of_a_test_is_that_of_the_published_wildcatter(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """H. Raiffa, "Decision analysis" (1968): drill or not, dry, wet or soaking with 0.5, 0.3, 0.2 and
    70 lost, 50 or 200 won; sounding costs 10. Expected without 20, with a free sounding 32.5, so the
    sounding is worth 12.5, and 2.5 after it is paid for.
    """
    prior = np.asarray([0.5, 0.3, 0.2])
    structure = np.asarray([[0.6, 0.3, 0.1], [0.3, 0.4, 0.4], [0.1, 0.3, 0.5]])

    def best(chances: FloatArray, _shop: object) -> FloatArray:
        return np.asarray(-np.maximum(chances @ np.asarray([-70.0, 50.0, 200.0]), 0.0))

    monkeypatch.setattr(next_tests, "expected_costs", best)
    sounding = next_tests._Possible(known_tests().test[0], structure, 10.0)
    now = float(best(prior[None, :], None)[0])
    (after,) = next_tests._costs_after([sounding], prior, workshop_for(ELECTRONIC))
    assert now == pytest.approx(-20.0)
    assert now - after == pytest.approx(2.5)


@pytest.mark.parametrize("throttle", [CABLE, ELECTRONIC, None])
def test_every_outcome_of_every_test_has_its_chance(throttle: ThrottleKind | None) -> None:
    tree = tree_for(throttle)
    for test in known_tests().test:
        chances = outcome_chances(test, tree)
        assert chances.sum(axis=0) == pytest.approx(np.ones(len(tree.faults)))
        assert chances.min() >= 0.0


def test_information_is_the_fall_of_entropy_and_never_below_zero() -> None:
    """C. E. Shannon (1948): what a test tells is its mutual information with what it asks about."""
    tree = tree_for(ELECTRONIC)
    ranked = rank_tests(tree, ELECTRONIC, tree.prior)
    assert len(ranked) > 10
    for test in ranked:
        mean = {
            s: sum(o.probability * o.suspects[s] for o in test.outcomes)
            for s in test.outcomes[0].suspects
        }
        assert mean == pytest.approx(tree.of_suspect(tree.prior), abs=1e-9), (
            "what is expected is what is known"
        )
        before = -sum(p * np.log2(p) for p in mean.values() if p)
        after = -sum(
            o.probability * p * np.log2(p) for o in test.outcomes for p in o.suspects.values() if p
        )
        assert test.information_bits == pytest.approx(before - after, abs=1e-9)
        assert test.information_bits >= 0.0


def test_no_school_is_cheaper_than_what_is_proposed_and_parts_are_last_to_be_tried() -> None:
    random = np.random.default_rng(8)
    tree = tree_for(ELECTRONIC)
    for _ in range(20):
        ways = {s.id: s for s in schools(ELECTRONIC, random.dirichlet(8.0 * tree.prior))}
        assert min(ways, key=lambda name: ways[name].cost) == "proposed" or all(
            way.cost >= ways["proposed"].cost - 1e-9 for way in ways.values()
        )
        assert ways["proposed"].parts_in_vain <= ways["cheapest_first"].parts_in_vain + 0.3


def test_what_comes_back_of_one_part_is_that_parts_alone() -> None:
    own = OwnPrices(
        given_back=0.1, repair=(OwnRow(id="renew_cover_sensor", money=80.0, given_back=0.5),)
    )
    shop = workshop_for(ELECTRONIC, own)
    back = {r.id: b for r, b in zip(shop.repairs, shop.given_back, strict=True)}
    assert back["renew_cover_sensor"] == pytest.approx(40.0)
    body = next(r for r in shop.repairs if r.id == "renew_body")
    assert back["renew_body"] == pytest.approx(0.1 * body.money)
    assert back["repair_wire"] == 0.0


def test_the_mean_over_the_faults_is_the_cost_and_a_sure_case_has_no_spread() -> None:
    random, tree = np.random.default_rng(4), tree_for(ELECTRONIC)
    shop = workshop_for(ELECTRONIC, OwnPrices(given_back=0.4))
    for _ in range(10):
        chance = random.dirichlet(4.0 * tree.prior)
        for name in ("cheapest_first", "likeliest_first", "proposed"):
            way = expected_cost(chance, shop, name)
            assert float(chance @ way.by_fault) == pytest.approx(way.cost, rel=1e-6)
        for school in schools(ELECTRONIC, chance):
            assert school.spread > 0.0
    sure = np.asarray([float(f.id == "dirty_plate") for f in tree.faults])
    assert all(s.spread == pytest.approx(0.0, abs=1e-6) for s in schools(ELECTRONIC, sure))


def test_a_lone_fault_is_met_by_what_cures_it() -> None:
    tree = tree_for(ELECTRONIC)
    shop = workshop_for(ELECTRONIC)
    for name, repair in (
        ("dirty_plate", "clean_plate"),
        ("ignition", "ignition"),
        ("worn_pedal_1", "renew_pedal"),
    ):
        chance = np.asarray([float(f.id == name) for f in tree.faults])
        plan = expected_cost(chance, shop)
        assert shop.repairs[plan.order[0]].id == repair
    assert repairs().minute > 0.0
    assert costs.expected_cost is expected_cost


def test_the_score_that_the_bench_uses_is_the_reference_librarys() -> None:
    """Reference: scikit-learn's Brier score, here of several classes as the sum over each."""
    from bench_judge import brier

    random = np.random.default_rng(3)
    told = random.dirichlet(np.ones(4), 50)
    truth = random.integers(4, size=50)
    expected = sum(brier_score_loss(truth == k, told[:, k]) for k in range(4))
    assert brier(told, truth) == pytest.approx(expected)


def test_a_table_and_a_count_are_one_distribution() -> None:
    """Reference: SciPy's Beta distribution: the mean after n runs of which k showed it."""
    from scipy.stats import beta

    chance, worth, seen, runs = 0.3, 10.0, 14, 20
    after = beta(worth * chance + WORTH * seen, worth * (1.0 - chance) + WORTH * (runs - seen))
    assert together(chance, worth, seen, runs) == pytest.approx(after.mean())
    assert together(chance, worth, 0, 0) == chance
    assert counted().played["electronic"]["open_signal_2_harness"].runs == 20
