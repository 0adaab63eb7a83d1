"""Simulated repairs: of those that are called mended, how many are, and how much watching that takes.

    python bench/bench_repairs.py [--repairs 5000] [--seed 1]

Each repair has a fault of a rate (or a share of trials) drawn anew, was seen to fail before as chance
had it, and was cured, not cured, or (in a table of its own) made seldomer. The watch goes on step by
step, as a workshop's would, until the plan says that it is met or the fault shows again. What is told of
the chance of a cure beforehand is off by a random factor. The least that an exact test needs is found
here by SciPy, trial by trial or by root finding, without the product's formulas.
"""

import argparse
from dataclasses import dataclass
from math import exp, inf, log

import numpy as np
from scipy import optimize, stats

from nervus.domain.entry import Source
from nervus.domain.job import Change, Job, Stayed, Watch, new_id, new_vehicle, now
from nervus.domain.repair import Exposure
from nervus.proof.watching import Standing, standing

SURE = 0.95
# Wide, so that much and little evidence before the repair both happen.
_RATE_SIGMA, _TRIAL_SHARES = 1.2, (0.6, 1.4)
_CURED_OFTEN = (4.0, 1.7)
_MISJUDGED = 0.7
_SELDOMER = 0.3


@dataclass(frozen=True, slots=True)
class Case:
    """A repair: what was seen before it, whether it cured, and what was thought of it."""

    exposure: Exposure
    events: int
    amount: float
    hazard: float
    cured: bool
    prior: float


@dataclass(frozen=True, slots=True)
class Ending:
    """How a watch ended: called mended or not, after how much, told as how probable."""

    mended: bool
    amount: float
    told: float


def draw(random: np.random.Generator) -> Case:
    """A repair of a fault that was seen at least once."""
    while True:
        chance = float(random.beta(*_CURED_OFTEN))
        odds = chance / (1.0 - chance) * exp(random.normal(0.0, _MISJUDGED))
        prior = odds / (1.0 + odds)
        cured = bool(random.random() < chance)
        if random.random() < 0.5:
            rate, amount = float(random.lognormal(0.0, _RATE_SIGMA)), float(random.uniform(0.5, 6.0))
            events = int(random.poisson(rate * amount))
            exposure = Exposure.DRIVEN if random.random() < 0.5 else Exposure.SHAKEN
            hazard = rate
        else:
            hazard, trials = float(random.beta(*_TRIAL_SHARES)), int(random.integers(2, 40))
            events, amount = int(random.binomial(trials, hazard)), float(trials)
            exposure = Exposure.PASSES if random.random() < 0.5 else Exposure.STARTED
        if events:
            return Case(exposure, events, amount, hazard, cured, prior)


def watched(case: Case, random: np.random.Generator, left: float = 1.0) -> Ending:
    """Watch until the plan is met or it shows again; `left` is what of the rate the repair left."""
    change = Change(id=new_id(), at=now(), source=Source.SEEN, done="repair")
    plan = Watch(
        id=new_id(), at=change.at, source=Source.TYPED, exposure=case.exposure, events=case.events,
        amount=case.amount, sure=SURE,
    )  # fmt: skip
    vehicle, seen = new_vehicle("simulated"), 0.0
    hazard = 0.0 if case.cured else case.hazard * left
    while True:
        stayed = Stayed(
            id=new_id(), at=change.at, source=Source.TYPED, exposure=case.exposure, amount=seen
        )
        job = Job(id=new_id(), vehicle=vehicle, opened=change.at, entries=(change, plan, stayed))
        stands = standing(job, case.prior)
        if stands is None:
            raise RuntimeError("the watch that was planned is not found")
        if stands.is_met:
            return Ending(mended=True, amount=seen, told=stands.cured)
        step = _step(stands)
        if step == inf or seen > 1e7:
            return Ending(mended=False, amount=seen, told=stands.cured)
        if hazard and _shows(case.exposure, hazard, step, random):
            return Ending(mended=False, amount=seen + step, told=0.0)
        seen += step


def _step(stands: Standing) -> float:
    """A tenth of the plan at a time; whole trials where they count."""
    tenth = stands.needed / 10.0
    return (
        min(max(tenth, 1.0) // 1.0, stands.left)
        if stands.watch.exposure.is_counted
        else min(tenth, stands.left)
    )


def _shows(exposure: Exposure, hazard: float, step: float, random: np.random.Generator) -> bool:
    share = 1.0 - (1.0 - min(hazard, 1.0)) ** step if exposure.is_counted else 1.0 - exp(-hazard * step)
    return bool(random.random() < share)


def least(case: Case) -> float:
    """The least that an exact test needs, found by SciPy alone."""
    if not case.exposure.is_counted:

        def above(t: float) -> float:
            return float(
                stats.binom.sf(case.events - 1, case.events, case.amount / (case.amount + t))
            ) - (1 - SURE)

        return float(optimize.brentq(above, 1e-9, case.amount * 1e6))
    n, m = int(case.amount), 1
    while float(stats.hypergeom.sf(case.events - 1, n + m, case.events, n)) > 1 - SURE + 1e-12:
        m += 1
    return float(m)


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--repairs", type=int, default=5000)
    parser.add_argument("--seed", type=int, default=1)
    arguments = parser.parse_args()
    random = np.random.default_rng(arguments.seed)
    cases = [draw(random) for _ in range(arguments.repairs)]
    ends = [watched(case, random) for case in cases]
    needed = [least(case) for case in cases]
    mended = [(c, e) for c, e in zip(cases, ends, strict=True) if e.mended]
    early = sum(1 for e, n in zip(ends, needed, strict=True) if e.mended and e.amount < n * (1 - 1e-9))
    ratios = [e.amount / n for c, e, n in zip(cases, ends, needed, strict=True) if c.cured and e.mended]
    told = np.asarray([e.told for _, e in mended])
    true = np.asarray([c.cured for c, _ in mended])
    print(f"{len(cases)} repairs, {sum(c.cured for c in cases)} of them cured, seed {arguments.seed}")
    print(f"called mended: {len(mended)}; of these cured: {true.mean():.4f} (bar 0.95)")
    print(f"  told as cured on average: {told.mean():.4f}")
    not_cured = [e for c, e in zip(cases, ends, strict=True) if not c.cured]
    print(
        f"not cured and called mended: {sum(e.mended for e in not_cured) / max(len(not_cured), 1):.4f} "
        "(5 in 100 by the test)"
    )
    print(f"called mended before an exact test would: {early} (bar 0)")
    print(
        f"sound ones: exposure over the least of an exact test: mean {np.mean(ratios):.3f}, "
        f"median {np.median(ratios):.3f}, 95th {np.quantile(ratios, 0.95):.2f} (bar 1.3)"
    )
    seldomer = [watched(c, random, _SELDOMER) for c in cases if not c.cured]
    share = sum(e.mended for e in seldomer) / max(len(seldomer), 1)
    print(
        f"made seldomer ({_SELDOMER:g} of the rate), called mended all the same: {share:.3f}: "
        "the test can't tell"
    )
    print(
        f"  as it must: 0.05^{_SELDOMER:g} = {exp(_SELDOMER * log(0.05)):.2f} of them stay clean so long"
    )


if __name__ == "__main__":
    main()
