"""What was told and seen without measuring as observations: complaint, codes, looks.

Only the causes of a set of codes count, not what follows from them; and of all sets only the first, for
what is read after a change tells of the repair and not of the fault.
"""

from nervus.codes.notation import Code, read_code
from nervus.domain.analysis import SuspectId
from nervus.domain.job import Change, CodeSet, Job, Look, Seen, of_kind
from nervus.judge.story import story_of
from nervus.knowledge import (
    Likelihood,
    code_evidence,
    complaints,
    fitting,
    for_each,
    known_codes,
    look_items,
)

_SYMPTOM, _CONDITION = 0.8, 0.7
"""How sure one may be of what a driver tells: "no published source, from memory"."""
_SEEN, _CODE = 0.95, 0.9
Rows = tuple[tuple[float, Likelihood], ...]


def told_rows(job: Job) -> Rows:
    """How sure each observation is, and its likelihoods."""
    return _of_complaint(job) + _of_codes(job) + _of_looks(job)


def tracks_told(job: Job) -> dict[int, float]:
    """Which tracks the codes name: the weight of each, empty where they name none."""
    weight: dict[int, float] = {}
    for code in story_of(_codes(job)).causes:
        row = known_codes().get(code)
        if row is not None and row.line.startswith("track "):
            number = int(row.line.removeprefix("track "))
            weight[number] = weight.get(number, 0.0) + _CODE
    return weight


def first_change(job: Job) -> Change | None:
    """The first thing that was done to the vehicle."""
    done = of_kind(job.entries, Change)
    return done[0] if done else None


def _of_complaint(job: Job) -> Rows:
    told = job.complaint
    if told is None:
        return ()
    table = complaints()
    rows = []
    for chosen, confidence, known in (
        (told.symptoms, _SYMPTOM, table.symptom),
        (told.conditions, _CONDITION, table.condition),
    ):
        for row in known:
            if row.id in chosen:
                cause = row.cause or row.id
                says = f"told: {row.title}"
                rows.append((confidence, _likelihood(says, cause, table.source, for_each(row.chance))))
    return tuple(rows)


def _codes(job: Job) -> tuple[Code, ...]:
    sets = of_kind(job.entries, CodeSet)
    changed = first_change(job)
    # A set in which nothing was told because a unit did not answer is no result: the next one is.
    heard = [s for s in sets if s.codes or not s.missing]
    before = [s for s in heard if changed is None or s.at <= changed.at]
    return tuple(read_code(seen.code) for seen in before[0].codes) if before else ()


def _of_codes(job: Job) -> Rows:
    table = code_evidence()
    causes = set(map(str, story_of(_codes(job)).causes))
    return tuple(
        (_CODE, _likelihood(row.says, row.cause, table.source, for_each(row.chance)))
        for row in table.evidence
        if len(causes & set(row.codes)) >= row.least
    )


def _of_looks(job: Job) -> Rows:
    table = look_items()
    seen = {look.item: look.seen for look in of_kind(job.entries, Look)}
    rows = []
    for item in fitting(table.item, job.vehicle.throttle):
        what = seen.get(item.id, Seen.NOT_SEEN)
        if what is Seen.BAD:
            chance = for_each(item.when_bad)
            rows.append((_SEEN, _likelihood(item.bad, item.cause, table.source, chance)))
        elif what is Seen.GOOD:
            chance = for_each(item.when_good)
            says = f"seen: {item.title}"
            rows.append((_SEEN, _likelihood(says, f"{item.cause} good", table.source, chance)))
    return tuple(rows)


def _likelihood(says: str, cause: str, source: str, chance: dict[SuspectId, float]) -> Likelihood:
    return Likelihood(id=cause, says=says, cause=cause, source=source, chance=chance)
