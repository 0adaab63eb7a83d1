"""Jobs that are due, as an iCalendar file (RFC 5545)."""

from collections.abc import Iterable
from datetime import date, datetime, timedelta

from nervus.domain.job_list import JobRow
from nervus.language import say


def due_rows(rows: Iterable[JobRow], today: date) -> list[JobRow]:
    """Jobs whose day has come, the longest due first."""
    due = [row for row in rows if row.due is not None and row.due <= today]
    return sorted(due, key=lambda row: (row.due or today, row.vehicle))


def as_calendar(rows: Iterable[JobRow], made: datetime) -> bytes:
    """All jobs that have a due day, each as an event of that whole day, with a reminder that morning.

    The identifier of an event is the job's: taken in again, it moves and is not doubled.
    """
    from icalendar import Alarm, Calendar, Event  # noqa: PLC0415 - seldom wanted: start-up

    calendar = Calendar()
    calendar.add("prodid", "-//Nervus//Due jobs//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", say("Nervus: due jobs"))
    for row in rows:
        if row.due is None:
            continue
        event = Event()
        event.add("uid", f"{row.id}@nervus.invalid")
        event.add("dtstamp", made)
        event.add("dtstart", row.due)
        event.add("dtend", row.due + timedelta(days=1))
        event.add("summary", f"{row.vehicle}: {row.state}")
        event.add("description", " · ".join(p for p in (row.complaint, row.codes, row.headline) if p))
        event.add("transp", "TRANSPARENT")
        alarm = Alarm()
        alarm.add("action", "DISPLAY")
        alarm.add("description", say("{vehicle} is due", vehicle=row.vehicle))
        alarm.add("trigger", timedelta(hours=8))
        event.add_component(alarm)
        calendar.add_component(event)
    return bytes(calendar.to_ical())
