"""Shapes and reading of the work that is guided step by step."""

from enum import StrEnum
from functools import cache

import msgspec

from nervus.domain.errors import KnowledgeUnusable
from nervus.domain.profile import ThrottleKind
from nervus.knowledge.loader import table_of


class Answer(StrEnum):
    """What ends a step."""

    DONE = "done"
    YES = "yes"
    VALUE = "value"


class GuideStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One step with the caution at it.

    Attributes:
        id: its name within the guide.
        text: what is to be done, or asked.
        caution: what could hurt there.
        answer: what ends it.
        on_no: the detour after a no, "" where a no is an answer like another.
        back_to: of a detour, the step that follows it.
    """

    id: str
    text: str
    caution: str
    answer: Answer
    on_no: str = ""
    back_to: str = ""


class Guide(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Steps in their order, and detours that some of them lead to."""

    id: str
    title: str
    throttle: ThrottleKind
    step: tuple[GuideStep, ...]
    detour: tuple[GuideStep, ...] = ()


class Guides(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """All of them, with where they come from."""

    source: str
    guide: tuple[Guide, ...]


@cache
def guides() -> tuple[Guide, ...]:
    """The work that is guided.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    table = table_of("guides.toml", Guides)
    for guide in table.guide:
        steps, detours = {s.id for s in guide.step}, {d.id for d in guide.detour}
        strange = {s.on_no for s in guide.step if s.on_no} - detours
        strange |= {d.back_to for d in guide.detour} - steps
        if strange or len(steps) != len(guide.step):
            raise KnowledgeUnusable(
                f"guides.toml of this installation is damaged: {guide.id}: {strange or 'a step twice'}"
            )
    return table.guide
