"""Whole jobs with planted faults: whether the judgement's numbers mean what they say.

    python bench/bench_judge.py [--jobs N] [--seed S] [--disturb] [--tests]

A *world* draws every table anew round nothing that the judgement knows but the names: priors, what is
told, which codes are set and how current they are, what is seen, what recordings show, how often people
slip, which of all this is done at all and in which order. Jobs are drawn from it, whole, and judged
thrice: by Nervus as it ships; by the same inference with the world's own tables, which is as good as
anybody could be who knew that world; and with the mean of all such worlds' tables, which is as good as
anybody could be who does not (each chance is moved by its own deviate, so the mean of a job's chance
over all worlds is that of the means). The figures are ratios, and how well probabilities are kept
(expected calibration error in ten bins, of the first suspect).

--disturb multiplies every chance of Nervus' own tables by two or a half at random beforehand.
--tests goes on with the proposed tests, three at most, and mends by each school.
"""

import argparse
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nervus.circuit.drawn_harness import Asked, drawn
from nervus.domain.job import (
    AnyEntry,
    Change,
    CodeSet,
    CodeState,
    Complaint,
    Findings,
    Job,
    KeptObservation,
    Look,
    Moment,
    Reading,
    Recorded,
    Seen,
    SeenCode,
    Source,
    Vehicle,
    new_id,
)  # fmt: skip
from nervus.domain.profile import ThrottleKind
from nervus.domain.suspect import SuspectId
from nervus.judge import of_codes, of_job, of_recordings, of_told
from nervus.judge.costs import expected_cost, workshop_for
from nervus.judge.next_tests import outcome_chances, rank_tests
from nervus.judge.weighing import weigh_faults
from nervus.knowledge import complaints, fitting, judging, look_items
from nervus.knowledge.tree import Tree, known_changes, known_tests, recording_chances, repairs, tree_for

Floats = NDArray[np.float64]
SUSPECTS = list(SuspectId)
BINS = 10
BEGAN = datetime(2026, 1, 5, 8, 0, tzinfo=UTC)
ELECTRONIC_SHARE, MOST_TESTS, SURE = 0.65, 3, 0.9
# So many worlds are the mean of all.
_WORLDS = 400


def brier(told: Floats, truth: NDArray[np.int_]) -> float:
    """Mean squared error over all classes, summed over the classes."""
    return float(((told - np.eye(told.shape[1])[truth]) ** 2).sum(axis=1).mean())


def calibration_error(told: Floats, truth: NDArray[np.int_]) -> float:
    """Expected calibration error of the first suspect, weighted by how many jobs a bin holds."""
    first, sure = told.argmax(axis=1), told.max(axis=1)
    right = first == truth
    error = 0.0
    for low in np.arange(BINS) / BINS:
        here = (sure > low) & (sure <= low + 1.0 / BINS)
        if here.any():
            error += here.mean() * abs(float(right[here].mean() - sure[here].mean()))
    return error


def moved(random: np.random.Generator, chance: Floats, spread: float) -> Floats:
    """Chances moved in their odds by a normal deviate of so many nats."""
    kept = np.clip(chance, 0.002, 0.995)
    odds = np.log(kept / (1.0 - kept)) + random.normal(0.0, spread, kept.shape)
    return np.where(chance <= 0.0, 0.0, 1.0 / (1.0 + np.exp(-odds)))


@dataclass
class Side:
    """All tables of one kind of throttle, as one reasoner or one world has them."""

    tree: Tree
    symptoms: dict[str, Floats]
    conditions: dict[str, Floats]
    codes: Any
    looks: dict[str, Floats]
    rows: dict[bool, dict[str, Floats]]
    shows: Floats
    tests: dict[str, Floats]
    cures: dict[str, Floats]
    prior: Floats


def as_shipped(kind: ThrottleKind) -> Side:
    """The tables that Nervus has."""
    tree = tree_for(kind)
    symptoms, conditions = of_told._shares(kind)
    return Side(
        tree,
        {n: c for n, (_, c) in symptoms.items()},
        {n: c for n, (_, c) in conditions.items()},
        of_codes._table(kind),
        {i.id: tree.row(i.when_bad) for i in fitting(look_items().item, kind)},
        {pedal: of_recordings._chances(kind, pedal=pedal) for pedal in (False, True)},
        tree.row(recording_chances().shows),
        {t.id: outcome_chances(t, tree) for t in known_tests().test if t.throttle in ("", kind.value)},
        {c.id: tree.row(c.cures) for c in known_changes().change},
        tree.prior,
    )


def drawn_world(kind: ThrottleKind, random: np.random.Generator, spread: float) -> Side:
    """Another world's tables: every chance moved by its own deviate, rows made to sum to one again."""
    own = as_shipped(kind)

    def shares(table: dict[str, Floats]) -> dict[str, Floats]:
        made = {n: c * np.exp(random.normal(0.0, spread, c.shape)) for n, c in table.items()}
        total = sum(made.values())
        return {n: c / total for n, c in made.items()}

    def moved_all(table: dict[str, Floats]) -> dict[str, Floats]:
        return {n: moved(random, c, spread) for n, c in table.items()}

    prior = own.prior * np.exp(random.normal(0.0, 0.6 * spread, own.prior.shape))
    codes = of_codes._Table(
        moved(random, own.codes.any, spread),
        moved_all(own.codes.of),
        float(own.codes.stray * np.exp(random.normal(0.0, spread))),
    )
    tests = {n: moved(random, c, spread) for n, c in own.tests.items()}
    return Side(
        own.tree, shares(own.symptoms), shares(own.conditions), codes, moved_all(own.looks),
        {p: moved_all(r) for p, r in own.rows.items()}, moved(random, own.shows, spread),
        {n: c / c.sum(axis=0) for n, c in tests.items()}, moved_all(own.cures), prior / prior.sum(),
    )  # fmt: skip


@cache
def mean_world(kind: ThrottleKind, spread: float) -> Side:
    """The tables of many worlds, each chance their mean."""
    random = np.random.default_rng(77)
    worlds = [drawn_world(kind, random, spread) for _ in range(_WORLDS)]

    def mean(of: Callable[[Side], Floats]) -> Floats:
        return np.asarray(np.mean([of(w) for w in worlds], axis=0))

    def means(of: Callable[[Side], dict[str, Floats]]) -> dict[str, Floats]:
        return {n: mean(lambda w, n=n: of(w)[n]) for n in of(worlds[0])}  # type: ignore[misc] # n is bound

    codes = of_codes._Table(
        mean(lambda w: w.codes.any),
        means(lambda w: w.codes.of),
        float(np.mean([w.codes.stray for w in worlds])),
    )
    prior = mean(lambda w: w.prior)
    return Side(
        worlds[0].tree, means(lambda w: w.symptoms), means(lambda w: w.conditions), codes,
        means(lambda w: w.looks), {p: means(lambda w, p=p: w.rows[p]) for p in (False, True)},  # type: ignore[misc]
        mean(lambda w: w.shows), means(lambda w: w.tests), means(lambda w: w.cures), prior / prior.sum(),
    )  # fmt: skip


@contextmanager
def knowing(side: Side, kind: ThrottleKind) -> Iterator[None]:
    """Let the judgement reason with these tables instead of its own."""
    before = (of_told._shares, of_codes._table, of_recordings._chances, of_recordings._as_the_suspects)
    kept_prior, kept_row = side.tree.prior, side.tree.row
    titles = {r.id: r.title for r in complaints().symptom + complaints().condition}
    looks = {id(i.when_bad): side.looks[i.id] for i in fitting(look_items().item, kind)}
    cures = {id(c.cures): side.cures[c.id] for c in known_changes().change}
    shows = id(recording_chances().shows)
    special = {**looks, **cures, shows: side.shows}
    of_told._shares = lambda _k: (  # type: ignore[assignment]
        {n: (titles[n], c) for n, c in side.symptoms.items()},
        {n: (titles[n], c) for n, c in side.conditions.items()},
    )
    of_codes._table = lambda _k: side.codes  # type: ignore[assignment]
    of_recordings._chances = lambda _k, *, pedal: side.rows[pedal]  # type: ignore[assignment]
    of_recordings._as_the_suspects = lambda _kept, shown, _tree: np.ones_like(shown)  # type: ignore[assignment]
    side.tree.prior = side.prior
    side.tree.row = lambda named: special[id(named)] if id(named) in special else kept_row(named)  # type: ignore[method-assign]
    try:
        yield
    finally:
        of_told._shares, of_codes._table, of_recordings._chances, of_recordings._as_the_suspects = before
        side.tree.prior = kept_prior
        side.tree.row = kept_row  # type: ignore[method-assign]


class Jobs:
    """Draws whole jobs of a world."""

    def __init__(self, kind: ThrottleKind, side: Side, random: np.random.Generator) -> None:
        self.kind, self.side, self.random = kind, side, random
        self.slips = random.uniform(0.0, 0.12, 3)  # of mouth, eye and hand, of these people

    def draw(self) -> tuple[Job, int]:
        """A job and the number of its fault."""
        random = self.random
        fault = int(random.choice(len(self.side.prior), p=self.side.prior))
        self.entries: list[AnyEntry] = []
        self._complaint(fault)
        steps = [self._codes, self._looks, self._recording, self._reading]
        for number in random.permutation(4):
            if random.random() < (0.85, 0.6, 0.5, 0.3)[number]:
                steps[number](fault)
        if random.random() < 0.2:
            self._change(fault)
        vehicle = Vehicle(id=new_id(), name="v", throttle=self.kind)
        return Job(id=new_id(), vehicle=vehicle, opened=BEGAN, entries=tuple(self.entries)), fault

    def _next(self) -> dict[str, Any]:
        at = BEGAN + timedelta(minutes=len(self.entries))
        return {"id": new_id(), "at": at, "source": Source.TYPED}

    def _any_fault(self, fault: int, slip: float) -> int:
        """The fault, or by a slip any other."""
        if self.random.random() < slip:
            return int(self.random.choice(len(self.side.prior), p=self.side.prior))
        return fault

    def _complaint(self, fault: int) -> None:
        chosen: list[tuple[str, ...]] = []
        for table, most in ((self.side.symptoms, 2), (self.side.conditions, 2)):
            names = list(table)
            picked = []
            for _ in range(int(self.random.integers(0 if most and chosen else 1, most + 1))):
                p = np.asarray([table[n][self._any_fault(fault, self.slips[0])] for n in names])
                picked.append(names[int(self.random.choice(len(names), p=p / p.sum()))])
            chosen.append(tuple(dict.fromkeys(picked)))
        self.entries.append(Complaint(**self._next(), symptoms=chosen[0], conditions=chosen[1]))

    def _codes(self, fault: int) -> None:
        random, table = self.random, self.side.codes
        left = self.side.tree.faults[fault].id == "left_over"
        cause = fault
        if left:
            before = np.where(self.side.tree.sound, 0.0, self.side.prior)
            cause = int(random.choice(len(before), p=before / before.sum()))
        found: dict[str, bool] = {}
        if random.random() < (0.9 if left else table.any[fault]):
            found = {c: not left for c, p in table.of.items() if random.random() < p[cause]}
        found |= {c: False for c in table.of if random.random() < table.stray and c not in found}
        self.found = found
        always = float(self.side.tree.always[fault])
        self.entries.append(
            CodeSet(
                **self._next(), codes=tuple(self._seen(c, always, now=now) for c, now in found.items())
            )
        )
        if random.random() < 0.25 and found:
            comes = 0.9 if always > 0.7 else 0.45 + 0.4 * always
            shows_again = random.random() < 0.75
            back = [
                c
                for c, now in found.items()
                if (now and shows_again and random.random() < comes) or random.random() < 0.02
            ]
            self.entries.append(
                CodeSet(
                    **self._next(),
                    moment=Moment.CLEARED,
                    codes=tuple(self._seen(c, always, now=True) for c in back),
                )
            )

    def _seen(self, code: str, always: float, *, now: bool) -> SeenCode:
        status = None
        if self.random.random() < 0.5:
            failed = self.random.random() < ((0.3 + 0.55 * always) if now else 0.03)
            status = 0x2F if failed else 0x28
        state = CodeState.HISTORY if self.random.random() < (0.15 if now else 0.55) else CodeState.STORED
        return SeenCode(code=code, states=(state,), status=status)

    def _looks(self, fault: int) -> None:
        for item in self.random.permutation(list(self.side.looks))[: int(self.random.integers(1, 5))]:
            bad = self.random.random() < self.side.looks[item][fault]
            if self.random.random() < self.slips[1]:
                bad = self.random.random() < 0.3
            self.entries.append(
                Look(**self._next(), item=str(item), seen=Seen.BAD if bad else Seen.GOOD)
            )

    def _recording(self, fault: int) -> None:
        random, side = self.random, self.side
        known = {row.id: row for row in judging().observation}
        channels = ["tps1_v", "throttle_cmd_pct", "rpm", "vref_v", "batt_v"]
        if self.kind is ThrottleKind.ELECTRONIC:
            channels += ["tps2_v", "app1_v", "app2_v"]
        seen: list[tuple[str, str]] = []
        if random.random() < side.shows[fault]:
            for pedal in (False, True):
                if pedal and self.kind is ThrottleKind.CABLE:
                    continue
                by_cause: dict[str, list[str]] = {}
                for name in side.rows[pedal]:
                    by_cause.setdefault(known[name].cause, []).append(name)
                for names in by_cause.values():
                    p = np.asarray([side.rows[pedal][n][fault] for n in names])
                    p = p / max(1.0, p.sum() / 0.92)
                    pick = random.random()
                    for name, share in zip(names, p, strict=True):
                        if 0.0 <= pick < share:
                            seen.append(("pedal: " if pedal else "", name))
                        pick -= share
        if not seen:
            seen = [("", "clean_whole")]
        recorded = Recorded(
            **self._next(), name="r", file=f"{new_id()}-r.csv", digest="0" * 64, channels=tuple(channels)
        )
        self.entries.append(recorded)
        kept = tuple(
            KeptObservation(
                says=prefix + known[n].says,
                cause=known[n].cause,
                confidence=0.97,
                source="s",
                chance=known[n].chance,
            )
            for prefix, n in seen
        )
        self.entries.append(
            Findings(**self._next(), recording=recorded.id, headline="h", observations=kept)
        )

    def _reading(self, fault: int) -> None:
        """A supply, a ground or a signal at one of the plugs, of a vehicle drawn by chance."""
        random, own = self.random, self.side.tree.faults[fault]
        line = str(random.choice(["supply", "ground", "signal1"]))
        place = str(random.choice(["sensor_plug", "unit_plug"]))
        there = random.random() < own.always and "pedal" not in own.classes
        tracks = 1 if self.kind is ThrottleKind.CABLE else 2
        made = drawn(
            Asked("closed", tracks, pedal=False), *((own.id, own.classes) if there else ("", ()))
        )
        volts = float(made.read()[line, "", place][random.integers(made.track_ohms.size)])
        volts += float(random.normal(0.0, 0.04))
        if random.random() < 0.5 * self.slips[2]:
            volts = float(random.uniform(0.0, 5.0))
        names = {"supply": "supply", "ground": "sensor ground", "signal1": "signal 1"}
        where = f"{names[line]} at the {'sensor' if place == 'sensor_plug' else 'control unit'} plug"
        self.entries.append(
            Reading(
                **self._next(),
                where=where,
                value=round(volts, 2),
                unit="V",
                conditions="plug on, key on, throttle closed",
            )
        )

    def _change(self, fault: int) -> None:
        words = {
            "sensor_renewed": "sensor renewed",
            "plug_cleaned": "plug cleaned",
            "throttle_body_cleaned": "throttle body cleaned",
        }
        done = str(self.random.choice(list(words)))
        self.entries.append(Change(**self._next(), done=words[done]))
        cured = self.random.random() < self.side.cures[done][fault]
        first = next((e for e in self.entries if isinstance(e, CodeSet)), None)
        if first is None or not first.codes:
            return
        always = float(self.side.tree.always[fault])
        comes = 0.9 if always > 0.7 else 0.45 + 0.4 * always
        again = not cured and self.random.random() < 0.75
        back = [
            c.code
            for c in first.codes
            if (again and self.found.get(c.code) and self.random.random() < comes)
            or self.random.random() < 0.12
        ]
        told = tuple(self._seen(c, always, now=not cured) for c in back)
        self.entries.append(CodeSet(**self._next(), moment=Moment.REPAIRED, codes=told))


def judged(job: Job, tree: Tree) -> Floats:
    """The chance of each fault."""
    found = of_job.gather(job, tree)
    return weigh_faults(tree, found.evidence, found.cures).share


def by_suspect(tree: Tree, chance: Floats) -> Floats:
    """The chance of each suspect, in the order of `SUSPECTS`."""
    told = tree.of_suspect(chance)
    return np.asarray([told[s] for s in SUSPECTS])


@dataclass
class Score:
    """What the reasoners said, the truth, and the chances of faults behind it."""

    own: list[Floats]
    best: list[Floats]
    mean: list[Floats]
    truth: list[int]
    chances: list[tuple[ThrottleKind, Floats, Floats, int]]


def play(jobs: int, seed: int, spread: float, disturb: Callable[[Side], Side] | None) -> Score:
    """Draw jobs of many worlds and judge each thrice."""
    score = Score([], [], [], [], [])
    seeds = np.random.SeedSequence(seed).spawn(max(1, jobs // 250))
    for own_seed in seeds:
        random = np.random.default_rng(own_seed)
        kind = ThrottleKind.ELECTRONIC if random.random() < ELECTRONIC_SHARE else ThrottleKind.CABLE
        world = drawn_world(kind, random, spread)
        source = Jobs(kind, world, random)
        mine = disturb(as_shipped(kind)) if disturb else None
        drawn_jobs = [source.draw() for _ in range(min(250, jobs))]
        for job, fault in drawn_jobs:
            if mine is None:
                own = judged(job, world.tree)
            else:
                with knowing(mine, kind):
                    own = judged(job, world.tree)
            with knowing(world, kind):
                best = judged(job, world.tree)
            with knowing(mean_world(kind, spread), kind):
                score.mean.append(by_suspect(world.tree, judged(job, world.tree)))
            score.own.append(by_suspect(world.tree, own))
            score.best.append(by_suspect(world.tree, best))
            score.truth.append(SUSPECTS.index(world.tree.faults[fault].suspect))
            score.chances.append((kind, own, best, fault))
    return score


def after_tests(score: Score, random: np.random.Generator) -> tuple[float, float]:
    """How often the first suspect is right after the proposed tests, by Nervus and by the best."""
    own_right, best_right = [], []
    for kind, own, best, fault in score.chances:
        tree, chance, other, done = tree_for(kind), own, best, set[str]()
        tables = {t.id: outcome_chances(t, tree) for t in known_tests().test}
        for _ in range(MOST_TESTS):
            if max(tree.of_suspect(chance).values()) >= SURE:
                break
            ranked = rank_tests(tree, kind, chance, done=done)
            if not ranked:
                break
            table = tables[ranked[0].id]
            outcome = int(random.choice(len(table), p=table[:, fault]))
            done.add(ranked[0].id)
            chance = table[outcome] * chance
            other = table[outcome] * other
            chance, other = chance / chance.sum(), other / other.sum()
        truth = tree.faults[fault].suspect
        own_right.append(max(tree.of_suspect(chance).items(), key=lambda r: r[1])[0] is truth)
        best_right.append(max(tree.of_suspect(other).items(), key=lambda r: r[1])[0] is truth)
    return float(np.mean(own_right)), float(np.mean(best_right))


def mended(score: Score, random: np.random.Generator) -> dict[str, float]:
    """Mean cost of mending each case by each order of repairs, and with the proposed tests before."""
    table = repairs()
    handed = table.handed_on_money + table.minute * table.handed_on_minutes
    totals: dict[str, list[float]] = {"cheapest_first": [], "likeliest_first": [], "proposed": []}
    for kind, own, _, fault in score.chances:
        tree, shop = tree_for(kind), workshop_for(kind)
        if tree.faults[fault].suspect is SuspectId.NONE:
            continue
        for name, costs in totals.items():
            chance, cost = own, 0.0
            if name == "proposed":
                ranked = rank_tests(tree, kind, chance)
                for test in ranked[:1]:
                    if test.saving > 0.0:
                        known = next(t for t in known_tests().test if t.id == test.id)
                        rows = outcome_chances(known, tree)
                        outcome = int(random.choice(len(rows), p=rows[:, fault]))
                        chance = rows[outcome] * chance / (rows[outcome] @ chance)
                        cost += test.money + table.minute * test.minutes
            for step in expected_cost(chance, shop, name).order:
                cost += float(shop.cost[step])
                if random.random() < shop.cures[step, fault]:
                    break
            else:
                cost += handed
            costs.append(cost)
    return {name: float(np.mean(costs)) for name, costs in totals.items()}


def main() -> None:
    """Print the figures."""
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--jobs", type=int, default=10_000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--spread", type=float, default=0.8, help="nats by which a world's odds differ")
    parser.add_argument("--disturb", action="store_true")
    parser.add_argument("--tests", action="store_true")
    asked = parser.parse_args()
    random = np.random.default_rng(asked.seed + 1_000)

    def by_two(side: Side) -> Side:
        return drawn_world(
            ThrottleKind.CABLE if not side.tree.of("pedal").any() else ThrottleKind.ELECTRONIC,
            random,
            np.log(2.0),
        )

    began = time.perf_counter()
    score = play(asked.jobs, asked.seed, asked.spread, by_two if asked.disturb else None)
    took = time.perf_counter() - began
    own, best, truth = np.asarray(score.own), np.asarray(score.best), np.asarray(score.truth)
    mean = np.asarray(score.mean)
    print(f"{len(truth)} jobs, {took / len(truth) * 333:.1f} ms each")
    for name, told in (("Nervus", own), ("knowing the world", best), ("knowing all worlds", mean)):
        right = float((told.argmax(axis=1) == truth).mean())
        print(
            f"{name:<18} first right {right:.3f}  Brier {brier(told, truth):.3f}  "
            f"calibration error {calibration_error(told, truth):.3f}"
        )
    print(
        f"Brier {brier(own, truth) / brier(best, truth):.3f} x that of knowing the world; "
        f"{brier(mean, truth) / brier(best, truth):.3f} x is to be had without"
    )
    if asked.tests:
        mine, others = after_tests(score, random)
        print(
            f"after the proposed tests: first right {mine:.3f}, knowing the world {others:.3f}: "
            f"{mine / others:.3f} x"
        )
        costs = mended(score, random)
        print(
            "mean cost: "
            + ", ".join(f"{n} {c:.0f} ({c / costs['proposed']:.2f} x)" for n, c in costs.items())
        )


if __name__ == "__main__":
    main()
