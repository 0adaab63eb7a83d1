"""The judgement as it would stand after an outcome of a test that is not done yet; nothing is kept."""

from nervus.domain.analysis import Judgement, StretchSuspicion, Suspect
from nervus.domain.judgement import JobJudgement, PossibleOutcome, RankedTest
from nervus.judge.job_words import headline_of, outcome_of


def what_if(judged: JobJudgement, test: RankedTest, outcome: PossibleOutcome) -> Judgement:
    """Suspects, stretches and headline after one outcome of a test."""
    ordered = sorted(outcome.suspects.items(), key=lambda row: -row[1])
    known = {f.id: f for f in judged.faults}
    faults = [(known[name], chance) for name, chance in outcome.faults.items() if name in known]
    way = [
        StretchSuspicion(f.stretch, f.line, f.suspect, round(chance, 4), f.text)
        for f, chance in faults
        if f.stretch
    ]
    reached = outcome_of(ordered, len(judged.ledger) + 1)
    told = headline_of(reached, ordered, [f for f, _ in faults], None)
    return Judgement(
        f"If “{outcome.text}”: {told[0].lower()}{told[1:]}",
        tuple(Suspect(s, round(p, 4)) for s, p in ordered),
        judged.standing.ledger,
        tuple(sorted(way, key=lambda row: -row.probability)),
        None
        if judged.standing.next_test and judged.standing.next_test.title == test.text
        else judged.standing.next_test,
    )
