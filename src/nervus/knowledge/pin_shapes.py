"""Shapes and reading of what pins of each role stand at, and of the faces to begin with."""

from collections.abc import Iterable
from functools import cache
from typing import Annotated

import msgspec
from msgspec import Meta

from nervus.domain.errors import KnowledgeUnusable
from nervus.domain.plug import Pin, PinRole
from nervus.domain.profile import ThrottleKind
from nervus.knowledge.loader import table_of
from nervus.language import say

_Share = Annotated[float, Meta(ge=0.0, le=1.0)]


class Stand(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Between which volts, how often, and how often it is weak then."""

    low: float
    high: float
    share: _Share
    weak: _Share


class RoleRow(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What a pin of one role stands at, plug on and off, and whether it follows the throttle."""

    id: PinRole
    moves: _Share
    on: tuple[Stand, ...]
    off: tuple[Stand, ...]


class RoleTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """All roles, with where the numbers come from."""

    source: str
    role: tuple[RoleRow, ...]


@cache
def pin_roles() -> RoleTable:
    """What pins of each role stand at.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    table = table_of("pin_roles.toml", RoleTable)
    if {row.id for row in table.role} != set(PinRole) - {PinRole.UNKNOWN}:
        raise KnowledgeUnusable(say("pin_roles.toml of this installation is damaged: a role is missing"))
    for row in table.role:
        for stands in (row.on, row.off):
            if sum(s.share for s in stands) > 1.0 + 1e-9 or any(s.high <= s.low for s in stands):
                raise KnowledgeUnusable(
                    say(
                        "pin_roles.toml of this installation is damaged: shares or volts of {id}",
                        id=row.id,
                    )
                )
    return table


class ReadyFace(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A plug to begin with: labels by rows, "" for a place without a pin."""

    id: str
    title: str
    throttle: ThrottleKind
    rows: tuple[tuple[str, ...], ...]


class ReadyFaces(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """All of them."""

    source: str
    face: tuple[ReadyFace, ...]


@cache
def ready_faces() -> tuple[ReadyFace, ...]:
    """Faces to begin with.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    table = table_of("plug_faces.toml", ReadyFaces)
    for face in table.face:
        labels = [label for row in face.rows for label in row if label]
        if not labels or len(set(labels)) != len(labels):
            raise KnowledgeUnusable(
                say("plug_faces.toml of this installation is damaged: labels of {id}", id=face.id)
            )
    return table.face


def pins_of_rows(rows: Iterable[Iterable[str]]) -> tuple[Pin, ...]:
    """Pins where these rows have labels; no role is known yet."""
    return tuple(
        Pin(label=label, row=r, column=c)
        for r, row in enumerate(rows)
        for c, label in enumerate(row)
        if label
    )
