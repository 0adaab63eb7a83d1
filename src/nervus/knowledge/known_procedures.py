"""Shapes and reading of the work that is guided step by step: one file for each procedure."""

from enum import StrEnum
from functools import cache
from importlib import resources

import msgspec

from nervus.domain.errors import KnowledgeUnusable
from nervus.domain.profile import ThrottleKind
from nervus.knowledge.loader import table_of
from nervus.language import say

_FOLDER = "procedures"


class Answer(StrEnum):
    """What ends a step."""

    DONE = "done"
    YES = "yes"
    VALUE = "value"


class Torque(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How tight: in words, and in N·m where a value is usual; the maker's comes first."""

    words: str
    nm: tuple[float, ...]


class Step(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One step with the caution at it.

    Attributes:
        id: its name within the procedure.
        text: what is to be done, or asked.
        caution: what could hurt there.
        answer: what ends it.
        off: what comes off here, and has to go back on.
        torque: how tight.
        bolts: whether the order of the bolts is drawn.
        wait_s: how long to wait before it is done, in seconds.
        settles: whether the data are watched until they have settled.
        on_no: the detour after a no, "" where a no is an answer like another.
        back_to: of a detour, the step that follows it.
    """

    id: str
    text: str
    caution: str
    answer: Answer
    off: tuple[str, ...] = ()
    torque: Torque | None = None
    bolts: bool = False
    wait_s: int = 0
    settles: bool = False
    on_no: str = ""
    back_to: str = ""


class Procedure(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Steps in their order, and detours that some of them lead to.

    Attributes:
        source: where it comes from.
        throttle: the kind that it is for; both where none is named.
        school: what several schools do differently, "" where there is one way.
        why: what this school says for itself.
        minutes: about how long it takes.
        at_hand: what must be there before one begins.
        tools: with what.
        conditions: under which it may be begun.
        voids: what makes it worthless.
        expect: what is usual afterwards, and no fault.
        done: the change that it is, in words; "" where it changes nothing.
        leads_to: the work that follows, "" for none.
        bolts: how many bolts there may be.
    """

    id: str
    title: str
    source: str
    minutes: int
    step: tuple[Step, ...]
    throttle: ThrottleKind | None = None
    school: str = ""
    why: str = ""
    at_hand: tuple[str, ...] = ()
    tools: tuple[str, ...] = ()
    conditions: tuple[str, ...] = ()
    voids: tuple[str, ...] = ()
    expect: tuple[str, ...] = ()
    done: str = ""
    leads_to: str = ""
    bolts: tuple[int, ...] = ()
    detour: tuple[Step, ...] = ()


@cache
def procedures() -> tuple[Procedure, ...]:
    """The work that is guided, by title.

    Raises:
        KnowledgeUnusable: a file that ships is damaged.
    """
    folder = resources.files("nervus.knowledge").joinpath(_FOLDER)
    names = sorted(p.name for p in folder.iterdir() if p.name.endswith(".toml"))
    found = [table_of(f"{_FOLDER}/{name}", Procedure) for name in names]
    for name, one in zip(names, found, strict=True):
        wrong = _what_is_wrong(one)
        if wrong:
            raise KnowledgeUnusable(
                say(
                    "{folder}/{name} of this installation is damaged: {wrong}",
                    folder=_FOLDER,
                    name=name,
                    wrong=wrong,
                )
            )
    return tuple(sorted(found, key=lambda p: p.title))


def procedure_named(name: str) -> Procedure | None:
    """The procedure of that name, `None` where this version has none."""
    return next((p for p in procedures() if p.id == name), None)


def _what_is_wrong(one: Procedure) -> str:
    steps, detours = [s.id for s in one.step], {d.id for d in one.detour}
    strange = {s.on_no for s in one.step if s.on_no} - detours
    strange |= {d.back_to for d in one.detour} - set(steps)
    if strange:
        return say("no step of that name: {sorted}", sorted=sorted(strange))
    if len(set(steps)) != len(steps) or not steps:
        return say("a step twice, or none")
    bare = [s.id for s in (*one.step, *one.detour) if not s.caution.strip() or not s.text.strip()]
    if bare:
        return say("a step without a text or a caution: {bare}", bare=bare)
    if not one.source.strip() or one.minutes <= 0:
        return say("no source, or no minutes")
    return ""
