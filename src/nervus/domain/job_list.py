"""What the list of jobs shows of each, and how it is found as one types."""

from dataclasses import dataclass, field
from datetime import date, datetime

from nervus.domain.job import CodeSet, Findings, Job, JobState, Marked, Recorded, of_kind


@dataclass(frozen=True, slots=True)
class JobRow:
    """One job in the list.

    Attributes:
        id: the job.
        vehicle_id: its vehicle.
        vehicle: its name and description.
        complaint: in one line.
        codes: those of the newest set, in one line.
        headline: the judgement as it was kept last.
        state: what it waits for.
        due: the day to come back to it.
        opened: when it began.
        touched: when anything was last written.
        found_by: all of it in lower case, to search in.
    """

    id: str
    vehicle_id: str
    vehicle: str
    complaint: str
    codes: str
    headline: str
    state: JobState
    due: date | None
    opened: datetime
    touched: datetime
    found_by: str = field(repr=False, default="")


def matching(rows: list[JobRow], typed: str, states: frozenset[JobState]) -> list[JobRow]:
    """The rows that hold every typed word, in one of the states (in any, if none is named)."""
    words = typed.casefold().split()
    return [
        row
        for row in rows
        if (not states or row.state in states) and all(word in row.found_by for word in words)
    ]


def summary(job: Job, complaint: str) -> dict[str, str | None]:
    """The columns of the list that are drawn from a job's entries."""
    codes, found = of_kind(job.entries, CodeSet), of_kind(job.entries, Findings)
    return {
        "state": job.state.value,
        "due": job.due.isoformat() if job.due is not None else None,
        "complaint": complaint,
        "codes": ", ".join(c.code for c in codes[-1].codes) if codes else "",
        "headline": found[-1].headline if found else "",
    }


@dataclass(frozen=True, slots=True)
class HeldRecording:
    """A recording of any job, as one chooses it.

    Attributes:
        vehicle: whose it is.
        recorded: its entry.
        marks: the entry that put its marks right, if one did.
        known_good: what it is good for, "" for nothing in particular; `None` for no known good one.
        profile: of the vehicle's throttle, by name; "" where nobody chose one.
    """

    vehicle: str
    recorded: Recorded
    marks: Marked | None = None
    known_good: str | None = None
    profile: str = ""
