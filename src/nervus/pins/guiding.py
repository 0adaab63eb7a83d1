"""Going through a guide: which step is next, and what an answer leads to. No clock, no screen."""

from msgspec.structs import replace

from nervus.domain.entry import Source
from nervus.domain.errors import OutsideError
from nervus.domain.job import Guided, new_id, now
from nervus.knowledge.guides import Answer, Guide, GuideStep

_YES, _NO = ("y", "yes"), ("n", "no")
_BETWEEN = ", "


class AnswerNotTaken(OutsideError):
    """What was typed does not end the step."""


def begin_guide(guide: Guide) -> Guided:
    """A guide of which nothing is done yet."""
    return Guided(id=new_id(), at=now(), source=Source.SEEN, guide=guide.id)


def next_step(guide: Guide, done: Guided) -> GuideStep | None:
    """The step that is to be done now; `None` when all are."""
    for step in guide.step:
        said = done.done.get(step.id, "").split(_BETWEEN)[-1]
        if not said:
            return step
        if step.on_no and said == _NO[1]:
            detour = next(d for d in guide.detour if d.id == step.on_no)
            # One detour for each no; after it the steps from where it leads back are done again.
            turns = len([w for w in done.done.get(detour.id, "").split(_BETWEEN) if w])
            noes = done.done[step.id].split(_BETWEEN).count(_NO[1])
            return detour if turns < noes else step
    return None


def step_answered(guide: Guide, done: Guided, text: str) -> Guided:
    """The guide with its step ended.

    Raises:
        AnswerNotTaken: the text is no answer to it.
    """
    step = next_step(guide, done)
    if step is None:
        raise AnswerNotTaken("All steps are done.")
    said = _said(step, text.strip())
    before = done.done.get(step.id, "")
    every = dict(done.done)
    every[step.id] = f"{before}{_BETWEEN}{said}" if before else said
    return replace(done, done=every, at=now())


def _said(step: GuideStep, text: str) -> str:
    if step.answer is Answer.YES:
        if text.casefold() not in _YES + _NO:
            raise AnswerNotTaken(f"“{text[:20]}” is neither yes nor no.")
        return _YES[1] if text.casefold() in _YES else _NO[1]
    if step.answer is Answer.VALUE:
        if not any(c.isdigit() for c in text):
            raise AnswerNotTaken(f"“{text[:20]}” is no value; accepted is such as “650 rpm” or “3 mm”.")
        return text[:200]
    return text[:200] or "done"
