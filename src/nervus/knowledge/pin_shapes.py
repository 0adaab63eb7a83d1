"""Shape and reading of what pins of each role stand at."""

from functools import cache
from typing import Annotated

import msgspec
from msgspec import Meta

from nervus.domain.errors import KnowledgeUnusable
from nervus.domain.plug import PinRole
from nervus.knowledge.loader import table_of

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
        raise KnowledgeUnusable("pin_roles.toml of this installation is damaged: a role is missing")
    for row in table.role:
        for stands in (row.on, row.off):
            if sum(s.share for s in stands) > 1.0 + 1e-9 or any(s.high <= s.low for s in stands):
                raise KnowledgeUnusable(
                    f"pin_roles.toml of this installation is damaged: shares or volts of {row.id}"
                )
    return table
