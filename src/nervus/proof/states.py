"""States that mean something: what a job has to show before it is watched, mended, or back again."""

from datetime import date, timedelta

from nervus.domain.entry import Source
from nervus.domain.errors import OutsideError
from nervus.domain.job import Job, JobState, Moved, new_id, now
from nervus.judge.timeline import last_change
from nervus.language import say
from nervus.mend.putting_back import why_not_watching
from nervus.proof.telling import amount_told, due_on
from nervus.proof.watching import Standing

# Without a plan a job is watched for so long. Source: from memory, no published source.
_USUAL_WATCH_DAYS = 14


class StateNotYet(OutsideError):
    """A state that the job can't be in yet: the sentence says what is missing."""


def moved_to(
    job: Job, state: JobState, stands: Standing | None, words: str = "", due: date | None = None
) -> Moved:
    """The entry that moves a job into a state.

    Args:
        job: as it is.
        state: the one it is to be in.
        stands: how its watch stands, `None` where none is planned.
        words: why, where something speaks against it.
        due: the day to come back to it; found from the plan where none is given.

    Raises:
        StateNotYet: something is still off, or it is called mended before the plan is met, and without a
            word why.
    """
    words = words.strip()[:1000]
    about, tentative = None, False
    change = last_change(job)
    if state in (JobState.WATCHING, JobState.MENDED):
        still_off = why_not_watching(job)
        if still_off:
            raise StateNotYet(still_off)
    if state is JobState.WATCHING and due is None:
        today = date.today()
        due = due_on(stands, today) if stands is not None else today + timedelta(_USUAL_WATCH_DAYS)
    if state is JobState.MENDED and change is not None and (stands is None or not stands.is_met):
        if not words:
            raise StateNotYet(_not_mended_yet(stands))
        tentative = True
    if state is JobState.CAME_BACK:
        about = change.id if change is not None else None
    return Moved(
        id=new_id(),
        at=max(now(), job.entries[-1].at) if job.entries else now(),
        source=Source.TYPED,
        state=state,
        due=due,
        words=words,
        tentative=tentative,
        about=about,
    )


def due_day(text: str, today: date) -> date:
    """A due day as it was typed: `2026-12-24`, or in how many days.

    Raises:
        StateNotYet: it is no day, or one that is over.
    """
    typed = text.strip()
    try:
        day = today + timedelta(int(typed)) if typed.isdecimal() else date.fromisoformat(typed)
    except (ValueError, OverflowError) as wrong:
        raise StateNotYet(
            say(
                "“{typed}” is no day; accepted is such as {timedelta}, or a number of days from today.",
                typed=typed[:20],
                timedelta=today + timedelta(_USUAL_WATCH_DAYS),
            )
        ) from wrong
    if day < today:
        raise StateNotYet(say("{day} is over; a day from {today} on is accepted.", day=day, today=today))
    return day


def _not_mended_yet(stands: Standing | None) -> str:
    if stands is None:
        return say(
            "How long it has to stay clean is not planned. Plan the watch, or say in words "
            "why it counts as mended: it is then kept as tentative."
        )
    if stands.events:
        return say(
            "It showed again while it was watched. To call it mended all the same, say why in words."
        )
    left = amount_told(stands.left, stands.watch.exposure)
    return say(
        "{left} to go. To call it mended now, say why in words: it is then kept as tentative.", left=left
    )
