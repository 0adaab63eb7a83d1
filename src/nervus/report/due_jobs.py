"""Jobs whose day has come: told at start, and given out as a calendar."""

from collections.abc import Sequence
from datetime import UTC, date, datetime
from pathlib import Path

from nervus.domain.errors import OutsideError
from nervus.domain.job_list import JobRow
from nervus.language import say, say_many
from nervus.proof.calendar import as_calendar, due_rows

_MOST_NAMED = 3


class CalendarUnwritable(OutsideError):
    """A calendar that can't be written there."""


def due_told(rows: Sequence[JobRow], today: date) -> str:
    """Which jobs are due, in a sentence; "" where none is."""
    due = due_rows(rows, today)
    if not due:
        return ""
    names = ", ".join(
        say("{vehicle} ({state} since {due:%d %b})", vehicle=r.vehicle, state=r.state, due=r.due)
        for r in due[:_MOST_NAMED]
    )
    more = (
        say(" and {most_named} more", most_named=len(due) - _MOST_NAMED)
        if len(due) > _MOST_NAMED
        else ""
    )
    return say_many(
        "{count} job is due: {names}{more}.",
        "{count} jobs are due: {names}{more}.",
        len(due),
        names=names,
        more=more,
    )


def write_calendar(rows: Sequence[JobRow], to: Path) -> int:
    """Write all jobs with a day into a file, whole or not at all; returns how many.

    Raises:
        CalendarUnwritable: the folder takes nothing.
    """
    part = to.with_name(f"{to.name}.part")
    try:
        part.write_bytes(as_calendar(rows, datetime.now(UTC)))
        part.replace(to)
    except OSError as wrong:
        part.unlink(missing_ok=True)
        why = (wrong.strerror or say("it can't be written")).lower()
        raise CalendarUnwritable(
            say("{to}: the calendar can't be written there ({why}).", to=to, why=why)
        ) from wrong
    return sum(1 for row in rows if row.due is not None)
