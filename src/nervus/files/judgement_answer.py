"""The judgement of a job for machines (`nervus.judgement/1`) and, in short, for people."""

import json
from importlib import resources
from typing import Any, Final

from nervus.domain.job import Job
from nervus.domain.judgement import JobJudgement, Outcome, RankedTest
from nervus.domain.suspect import SuspectId
from nervus.judge.job_words import at_hand_words
from nervus.judge.words import SCHOOL_NAMES, SUSPECT_NAMES, natural_frequency
from nervus.language import say

SCHEMA: Final = "nervus.judgement/1"
Json = dict[str, Any]
_LISTED_REASONS, _LISTED_FAULTS, _LISTED_TESTS = 8, 4, 4
_WORTH_SAYING, _WORTH_LISTING = 1.15, 0.01


def judgement_schema() -> Json:
    """The published JSON Schema that every judgement obeys."""
    text = resources.files("nervus.files").joinpath("judgement.schema.json").read_text("utf-8")
    loaded: Json = json.loads(text)
    return loaded


def judgement_answer(job: Job, judged: JobJudgement) -> Json:
    """The whole judgement as plain JSON values."""
    told: Json = {
        "schema": SCHEMA,
        "job": {"id": job.id, "vehicle": job.vehicle.name},
        "outcome": str(judged.outcome),
        "headline": judged.standing.headline,
        "suspects": [{"id": str(s.id), "probability": s.probability} for s in judged.standing.suspects],
        "faults": [
            {
                "id": f.id,
                "suspect": str(f.suspect),
                "stretch": f.stretch,
                "probability": round(f.probability, 4),
                "text": f.text,
            }
            for f in judged.faults
        ],
        "ledger": [
            {
                "text": line.text,
                "source": line.source,
                "entries": list(line.entries),
                "times_as_likely": _by_suspect(line.times_as_likely, 4),
            }
            for line in judged.ledger
        ],
        "contradictions": [{"text": r.text, "entries": list(r.entries)} for r in judged.contradictions],
        "not_weighed": [{"text": r.text, "entries": list(r.entries)} for r in judged.not_weighed],
        "next_tests": [_test(t) for t in judged.tests],
        "schools": [
            {
                "id": s.id,
                "minutes": round(s.minutes, 1),
                "money": round(s.money, 1),
                "parts_in_vain": round(s.parts_in_vain, 4),
                "come_backs": round(s.come_backs, 4),
                "order": list(s.order),
            }
            for s in judged.schools
        ],
    }
    if judged.cured is not None:
        told["cured"] = round(judged.cured, 4)
    return told


def _by_suspect(values: "dict[SuspectId, float] | Any", digits: int) -> dict[str, float]:
    return {str(s): round(float(v), digits) for s, v in values.items()}


def _test(test: RankedTest) -> Json:
    return {
        "id": test.id,
        "text": test.text,
        "minutes": test.minutes,
        "money": test.money,
        "information_bits": round(test.information_bits, 4),
        "saving": round(test.saving, 2),
        "caution": test.caution,
        "outcomes": [
            {
                "text": o.text,
                "probability": round(o.probability, 4),
                "suspects": _by_suspect(o.suspects, 4),
            }
            for o in test.outcomes
        ],
    }


def judgement_report(job: Job, judged: JobJudgement) -> str:
    """The judgement in some lines of plain text."""
    lines = [f"{job.vehicle.name}: {judged.standing.headline}"]
    if judged.cured is not None:
        cured = natural_frequency(judged.cured)
        lines.append(say("  cured: {natural_frequency}", natural_frequency=cured))
    lines += [
        f"  {natural_frequency(s.probability):>14}  {SUSPECT_NAMES[s.id]}"
        for s in judged.standing.suspects
        if s.probability >= _WORTH_LISTING
    ]
    lines += [
        say("Faults:"),
        *(f"  {natural_frequency(f.probability):>14}  {f.text}" for f in judged.faults[:_LISTED_FAULTS]),
        *_reasons(judged),
        *_next_tests(judged),
        *_ways(judged),
        say("Nervus advises; the technician decides. The maker's procedure and local rules come first."),
    ]
    return "\n".join(lines)


def _reasons(judged: JobJudgement) -> list[str]:
    first = judged.standing.suspects[0].id
    lines = [say("Because ({suspect_names}, times as likely):", suspect_names=SUSPECT_NAMES[first])]
    telling = [line for line in judged.ledger if _weighty(line.times_as_likely[first])]
    telling.sort(key=lambda line: -abs(_log(line.times_as_likely[first])))
    for line in telling[:_LISTED_REASONS]:
        turns = say("  (without it another would be first)") if line.turns else ""
        lines.append(f"  {times(line.times_as_likely[first]):>14}  {line.text}{turns}")
    lines += [say("  contradiction: {text}", text=remark.text) for remark in judged.contradictions]
    lines += [say("  not weighed: {text}", text=remark.text) for remark in judged.not_weighed]
    return [*lines, judged.missing] if judged.missing else lines


def _next_tests(judged: JobJudgement) -> list[str]:
    lines, following = [], judged.standing.next_test
    if following is not None:
        told = say(
            "Next, {minutes} minutes: {title}: {tells}.",
            minutes=following.minutes,
            title=following.title,
            tells=following.tells,
        )
        lines += [told, f"      {following.caution}"]
    others = [t for t in judged.tests if following is None or t.text != following.title]
    lines += [
        say(
            "  or {minutes:.0f} minutes, {information_bits:.2f} bits: {text}",
            minutes=test.minutes,
            information_bits=test.information_bits,
            text=test.text,
        )
        for test in others[:_LISTED_TESTS]
        if test.saving > 0.0 or judged.outcome is not Outcome.CLEAR
    ]
    return lines


def _ways(judged: JobJudgement) -> list[str]:
    lines = [say("What each way costs on average (minutes, money, parts in vain):")]
    for school in judged.schools:
        vain = f"{school.parts_in_vain:.2f}"
        name = SCHOOL_NAMES[school.id]
        lines.append(f"  {name:<20} {school.minutes:4.0f}  {school.money:5.0f}  {vain}")
    at_hand = at_hand_words(judged.schools)
    return [*lines, f"  {at_hand}"] if at_hand else lines


def _log(value: float) -> float:
    return abs(value - 1.0) if value >= 1.0 else abs(1.0 / value - 1.0)


def _weighty(value: float) -> bool:
    return value >= _WORTH_SAYING or value <= 1.0 / _WORTH_SAYING


def times(value: float) -> str:
    """A factor as people say it: so many times as likely, or a part of it."""
    if value >= 1.0:
        return f"{value:.0f} ×" if value >= 10.0 else f"{value:.1f} ×"  # noqa: RUF001
    return f"÷ {1.0 / value:.0f}" if value <= 0.1 else f"÷ {1.0 / value:.1f}"
