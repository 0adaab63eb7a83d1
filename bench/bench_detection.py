"""How well the analysis finds what was planted, and how often it cries wolf, on the hard cases.

    python bench/bench_detection.py                     60 of each kind, the seeds for reporting
    python bench/bench_detection.py --tuning --only drop  the seeds one may tune on

A true finding is found when one of its kind names its channels and overlaps it (in time by a tenth of a
second, in travel by its place), and blames the right track where a witness was there. A finding is false
when nothing planted explains it; a dead spot or a rough stretch must be one itself: a bend or roughness
told as a dead spot is false. The hardest tenth of each kind are the true findings of which the
samples hold least (`TrueFinding.evidence`); recall is told without them and with them.
"""

import argparse
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from itertools import repeat

import numpy as np

from nervus.domain.channel import Span
from nervus.domain.finding import DeadSpot, Disagreement, Finding, Noise
from nervus.judge.analyse import analyse
from nervus.signal.arithmetic.spans import overlaps
from nervus.standin.hard_cases import MAKERS, HardCase, TrueFinding, hard_case

JOBS = 2
# Tuned on the first, reported on the second.
TUNING, REPORTING = 1_000, 50_000
SLACK_S, SLACK_PCT = 0.1, 2.0
# What the bars are set for: all kinds of one class together.
CLASSES = {
    "dead spots": ("dead spot, drop", "dead spot, step", "dead spot, flat"),
    "drops": tuple(k for k in MAKERS if k.startswith("loose")),
    "disagreements": tuple(k for k in MAKERS if k.startswith("bent")),
}


@dataclass
class Tally:
    """Counts of one kind of case."""

    cases: int = 0
    seen: list[tuple[float, bool]] = field(default_factory=list)
    reported: int = 0
    false: int = 0
    suspect: int = 0
    verdict: int = 0
    verdicts: int = 0
    off_pct: list[float] = field(default_factory=list)
    examples: list[str] = field(default_factory=list)

    def add(self, other: "Tally") -> None:
        """Count another kind of the same class with this one."""
        self.seen += other.seen
        self.reported += other.reported
        self.false += other.false
        self.off_pct += other.off_pct

    def recall(self, hardest: float) -> str:
        """The share found of all true findings but the hardest share, by their evidence."""
        ranked = sorted(self.seen)[int(hardest * len(self.seen)) :]
        return f"{np.mean([found for _, found in ranked]):6.3f}" if ranked else "   -  "


def place(finding: Finding) -> Span | None:
    """Where in the travel a finding lies, if anywhere."""
    return finding.travel_pct if isinstance(finding, DeadSpot | Noise) else None


def matches(true: TrueFinding, finding: Finding) -> bool:
    """Whether a finding is this true one."""
    if finding.kind != true.kind or set(finding.channels) != set(true.channels):
        return False
    if true.liar is not None and isinstance(finding, Disagreement) and finding.suspect != true.liar:
        return False
    where = place(finding)
    if where is not None and true.travel_pct is not None:
        return overlaps(where, true.travel_pct, SLACK_PCT)
    return any(overlaps(a, b, SLACK_S) for a in true.times_s for b in finding.times_s)


def explained(case: HardCase, finding: Finding) -> bool:
    """Whether something planted explains a finding."""
    if any(matches(t, finding) for t in case.truth):
        return True
    if place(finding) is not None and case.truth:
        return False
    times = finding.times_s
    return bool(times) and all(any(overlaps(t, d, SLACK_S) for d in case.disturbed_s) for t in times)


def tally(kind: str, seeds: range) -> Tally:
    """Run all cases of a kind."""
    count = Tally()
    for seed in seeds:
        case = hard_case(kind, seed)
        analysis = analyse(case.recording)
        findings = analysis.examination.findings
        count.cases += 1
        missed = [t for t in case.truth if not any(matches(t, f) for f in findings)]
        count.seen += [(t.evidence, t not in missed) for t in case.truth]
        wrong = [f for f in findings if not explained(case, f)]
        count.reported += len(findings)
        count.false += len(wrong)
        count.suspect += analysis.judgement.suspects[0].id is case.suspect
        if case.verdict is not None and analysis.examination.locality.events >= 5:
            count.verdicts += 1
            count.verdict += analysis.examination.locality.verdict is case.verdict
        for true in case.truth:
            hits = [p for f in findings if matches(true, f) and (p := place(f)) is not None]
            if hits and true.travel_pct is not None:
                count.off_pct.append(abs(sum(hits[0]) - sum(true.travel_pct)) / 2)
        count.examples += [
            f"seed {seed}: missed {t.kind} {t.times_s[:1]} {t.travel_pct}" for t in missed
        ]
        count.examples += [f"seed {seed}: false: {f.text}" for f in wrong]
    return count


def main() -> None:
    """Print one line for each kind."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--tuning", action="store_true")
    parser.add_argument("--cases", type=int, default=60)
    parser.add_argument("--only", default="")
    parser.add_argument("--examples", type=int, default=0)
    asked = parser.parse_args()
    base = TUNING if asked.tuning else REPORTING
    print(
        f"{'kind':32s} recall  of all  precision  false/case  suspect  locality  "
        "place off (median, worst)"
    )
    whole: Counter[str] = Counter()
    classes: dict[str, Tally] = {}
    kinds = [kind for kind in MAKERS if asked.only in kind]
    seeds = range(base, base + asked.cases)
    with ProcessPoolExecutor(JOBS) as pool:
        tallies = list(pool.map(tally, kinds, repeat(seeds)))
    for kind, t in zip(kinds, tallies, strict=True):
        right = (t.reported - t.false) / t.reported if t.reported else 1.0
        where = f"{t.verdict / t.verdicts:6.2f}" if t.verdicts else "   -  "
        off = f"{np.median(t.off_pct):.2f} {max(t.off_pct):.2f} %" if t.off_pct else "-"
        print(
            f"{kind:32s} {t.recall(0.1)}  {t.recall(0.0)}  {right:9.3f}  {t.false / t.cases:10.3f}  "
            f"{t.suspect / t.cases:7.2f}  {where:8s}  {off}"
        )
        for example in t.examples[: asked.examples]:
            print(f"    {example}")
        for name in (c for c, kinds in CLASSES.items() if kind in kinds):
            classes.setdefault(name, Tally()).add(t)
        if kind.startswith("healthy"):
            whole["healthy cases"] += t.cases
            whole["false in healthy"] += t.false
    for name, t in classes.items():
        right = (t.reported - t.false) / max(t.reported, 1)
        print(f"{name:32s} {t.recall(0.1)}  {t.recall(0.0)}  {right:9.3f}", end="")
        if t.off_pct:
            near = np.mean(np.asarray(t.off_pct) <= 1.0)
            print(f"  placed {np.median(t.off_pct):.2f} % off (median), {near:.0%} within 1 %", end="")
        print()
    if whole["healthy cases"]:
        per_20 = 20 * whole["false in healthy"] / whole["healthy cases"]
        print(f"healthy: {per_20:.2f} false findings in 20 recordings (bar: under 1)")


if __name__ == "__main__":
    main()
