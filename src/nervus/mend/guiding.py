"""Going through a procedure: which step is next, what an answer leads to. No clock, no screen."""

from datetime import datetime

from msgspec.structs import replace

from nervus.domain.entry import Source
from nervus.domain.errors import OutsideError
from nervus.domain.job import Guided, TakenOff, new_id, now
from nervus.domain.quantity import QuantityUnreadable, read_quantity
from nervus.knowledge.known_procedures import Answer, Procedure, Step
from nervus.language import figures, say

# English and German; what is kept is the second.
_YES, _NO = ("y", "yes", "j", "ja"), ("n", "no", "nein")
_SNUG = ("snug", "handfest")
_BETWEEN = ", "
_NM = "N·m"
AT_HAND = "at hand"
"""The name of what comes before the first step: whether all is there."""


class AnswerNotTaken(OutsideError):
    """What was typed does not end the step."""


def begin_guide(procedure: Procedure) -> Guided:
    """A procedure of which nothing is done yet."""
    return Guided(id=new_id(), at=now(), source=Source.SEEN, guide=procedure.id)


def with_at_hand(done: Guided, there: tuple[str, ...], wanted: tuple[str, ...], without: str) -> Guided:
    """What is at hand, before anything is taken apart.

    Args:
        done: the procedure so far.
        there: what is there.
        wanted: what has to be.
        without: why it is begun all the same, in words.

    Raises:
        AnswerNotTaken: something is missing, and nobody said why that does no harm.
    """
    missing = [name for name in wanted if name not in there]
    if missing and not without.strip():
        raise AnswerNotTaken(
            say(
                "Not at hand: {join}. Tick it, or write why it goes without; nothing is taken "
                "apart before.",
                join=", ".join(missing),
            )
        )
    said = (
        say("all")
        if not missing
        else say("without {join}: {strip}", join=", ".join(missing), strip=without.strip()[:200])
    )
    return replace(done, done={AT_HAND: said, **done.done}, at=now())


def is_begun(procedure: Procedure, done: Guided) -> bool:
    """Whether it was asked what is at hand, or nothing has to be."""
    return not procedure.at_hand or AT_HAND in done.done


def next_step(procedure: Procedure, done: Guided) -> Step | None:
    """The step that is to be done now; `None` when all are."""
    for step in procedure.step:
        said = done.done.get(step.id, "").split(_BETWEEN)[-1]
        if not said:
            return step
        if step.on_no and said == _NO[1]:
            detour = next(d for d in procedure.detour if d.id == step.on_no)
            # One detour for each no; after it the steps from where it leads back are done again.
            turns = len([w for w in done.done.get(detour.id, "").split(_BETWEEN) if w])
            noes = done.done[step.id].split(_BETWEEN).count(_NO[1])
            return detour if turns < noes else step
    return None


def waiting_since(done: Guided, step: Step, moment: datetime) -> Guided:
    """The procedure with a wait begun, kept so that it goes on when the program starts again."""
    return replace(done, waits={**done.waits, step.id: moment})


def left_s(done: Guided, step: Step, moment: datetime) -> float | None:
    """How many seconds a wait still takes, never below 0; `None` before it was begun."""
    began = done.waits.get(step.id)
    return None if began is None else max(0.0, step.wait_s - (moment - began).total_seconds())


def step_answered(
    procedure: Procedure, done: Guided, text: str, moment: datetime | None = None
) -> Guided:
    """The procedure with its step ended.

    Args:
        procedure: what is done.
        done: as far as it is done.
        text: what was typed.
        moment: now, for steps with a wait.

    Raises:
        AnswerNotTaken: the text is no answer to it, or the wait is not over.
    """
    step = next_step(procedure, done)
    if step is None:
        raise AnswerNotTaken(say("All steps are done."))
    said = _said(step, text.strip())
    if step.wait_s and not text.strip():
        left = left_s(done, step, moment or now())
        if left is None or left > 0:
            raise AnswerNotTaken(
                say(
                    "The wait is not over; it goes on by itself. To end it sooner, write why, then "
                    "Enter."
                )
            )
    before = done.done.get(step.id, "")
    every = dict(done.done)
    every[step.id] = f"{before}{_BETWEEN}{said}" if before else said
    waits = {name: at for name, at in done.waits.items() if name != step.id}
    return replace(done, done=every, waits=waits, at=now())


def came_off(step: Step, procedure: Procedure, done: Guided) -> tuple[TakenOff, ...]:
    """What a step takes off, as entries to be put back."""
    return tuple(
        TakenOff(id=new_id(), at=done.at, source=Source.SEEN, what=what, guide=procedure.id)
        for what in step.off
    )


def _said(step: Step, text: str) -> str:
    if step.answer is Answer.YES:
        if text.casefold() not in _YES + _NO:
            raise AnswerNotTaken(say("“{text}” is neither yes nor no.", text=text[:20]))
        return _YES[1] if text.casefold() in _YES else _NO[1]
    if step.answer is Answer.VALUE:
        return _value(step, text)
    return text[:200].replace(_BETWEEN, "; ") or "done"


def _value(step: Step, text: str) -> str:
    if step.torque is not None:
        return _torque(text)
    if not any(c.isdigit() for c in text):
        raise AnswerNotTaken(
            say("“{text}” is no value; accepted is such as “650 rpm” or “3 mm”.", text=text[:20])
        )
    return text[:200].replace(_BETWEEN, "; ")


def _torque(text: str) -> str:
    """A torque as it was typed, with its value in N·m; "snug" where none is stated."""
    accepted = say(
        "accepted is such as “10 N·m”, “16 lbf·ft”, “89 lbf·in”, or “snug” where none is stated"
    )
    if text.casefold() in _SNUG:
        return "snug"
    bare = text.replace(",", ".").replace(".", "", 1)
    if bare.isdigit():
        raise AnswerNotTaken(say("“{text}” has no unit; {accepted}.", text=text[:20], accepted=accepted))
    try:
        found = read_quantity(text)
    except QuantityUnreadable as wrong:
        raise AnswerNotTaken(
            say("“{text}” is no torque; {accepted}.", text=text[:20], accepted=accepted)
        ) from wrong
    if found.unit != _NM or found.value <= 0:
        raise AnswerNotTaken(
            say("“{text}” is no torque; {accepted}.", text=text[:20], accepted=accepted)
        )
    typed = text.strip()
    return (
        typed
        if typed.casefold().endswith(("n·m", "nm"))
        else figures("{typed} ({value:.1f} {nm})", typed=typed, value=found.value, nm=_NM)
    )
