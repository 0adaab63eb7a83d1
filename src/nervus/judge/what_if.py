"""The judgement as it would stand after an outcome of a test that is not done yet; nothing is kept."""

import math
from dataclasses import replace

from nervus.domain.analysis import Judgement, Step, StretchSuspicion, Suspect
from nervus.domain.judgement import JobJudgement, PossibleOutcome
from nervus.judge.job_words import headline_of, outcome_of
from nervus.language import say


def _step(judged: JobJudgement, outcome: PossibleOutcome) -> Step:
    """The outcome as one more line of the ledger: how it would turn the odds of each suspect."""
    now = {s.id: s.probability for s in judged.standing.suspects}
    turned = {s: _odds(p) / _odds(now.get(s, 0.0)) for s, p in outcome.suspects.items()}
    weight = {s: round(math.log10(t), 3) for s, t in turned.items()}
    return Step(say("if: {text}", text=outcome.text), weight, say("the test's own table"))


def _odds(probability: float) -> float:
    kept = min(max(probability, 1e-4), 1.0 - 1e-4)
    return kept / (1.0 - kept)


def what_if(judged: JobJudgement, outcome: PossibleOutcome) -> Judgement:
    """Suspects, stretches and headline after one outcome of a test that is left."""
    ordered = sorted(outcome.suspects.items(), key=lambda row: -row[1])
    known = {f.id: f for f in judged.faults}
    faults = [replace(known[name], probability=p) for name, p in outcome.faults.items() if name in known]
    way = [
        StretchSuspicion(f.stretch, f.line, f.suspect, round(f.probability, 4), f.text)
        for f in faults
        if f.stretch
    ]
    reached = outcome_of(ordered, len(judged.ledger) + 1)
    told = headline_of(reached, ordered, faults, None)
    return Judgement(
        f"If “{outcome.text}”: {told[0].lower()}{told[1:]}",
        tuple(Suspect(s, round(p, 4)) for s, p in ordered),
        (_step(judged, outcome), *judged.standing.ledger),
        tuple(sorted(way, key=lambda row: -row.probability)),
        None,
    )
