"""Which channel a column of another program's recording may be, and how its unit becomes ours."""

import re
from functools import cache

from nervus.domain.channel import CHANNEL_KINDS
from nervus.domain.errors import KnowledgeUnusable
from nervus.knowledge.loader import table_of
from nervus.knowledge.shapes import Columns, UnitRow
from nervus.language import say

_SPACES = re.compile(r"[^0-9a-zäöüß+]+")
_PREFIXED = re.compile(r"^[x×*·]?\s*(1e-?0?|10\^-|10-)(?P<power>[369])\s*(?P<unit>[a-z]+)$")  # noqa: RUF001 - as written
_SMALLER = {"3": "m", "6": "u", "9": "n"}


@cache
def columns() -> Columns:
    """The table.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    table = table_of("columns.toml", Columns)
    known = {row.unit for row in table.unit} | {""}
    for row in table.column:
        if row.channel not in CHANNEL_KINDS or not set(row.units) <= known:
            raise KnowledgeUnusable(
                say("columns.toml: {channel} or its units are not known", channel=row.channel)
            )
        re.compile(row.pattern)
    re.compile(table.time_names)
    return table


def unit_written(text: str) -> str:
    """The unit that a text is, "" if none."""
    wanted = text.strip().strip("[](){}").strip().casefold()
    prefixed = _PREFIXED.match(wanted)
    if prefixed is not None:  # such as "x1e-3 s": a thousandth of a second
        wanted = _SMALLER[prefixed["power"]] + prefixed["unit"]
    return next((row.unit for row in columns().unit if wanted in row.written), "")


def conversion(unit: str, to: str) -> tuple[float, float] | None:
    """Scale and offset from a unit to another; a missing unit is taken for the right one."""
    if unit in ("", to):
        return 1.0, 0.0
    return next((row.scale[to] for row in _rows(unit) if to in row.scale), None)


def _rows(unit: str) -> list[UnitRow]:
    return [row for row in columns().unit if row.unit == unit]


def channel_for(name: str, unit: str) -> str | None:
    """The channel that a column of this name and unit may be, `None` where nothing fits."""
    return named_as(name, unit)[0]


def named_as(name: str, unit: str) -> tuple[str | None, bool]:
    """The channel that a column may be, and whether that is but a guess."""
    if name in CHANNEL_KINDS:
        return name, False
    plain = _plain(name)
    for row in columns().column:
        if unit in row.units and re.search(row.pattern, plain):
            return row.channel, row.guess
    return None, False


def is_time(name: str) -> bool:
    """Whether a column of this name is the time."""
    return name == "time_s" or re.match(columns().time_names, _plain(name)) is not None


@cache
def missing_words() -> frozenset[str]:
    """What stands in a cell that has no value, in lower case."""
    return frozenset(columns().missing)


@cache
def can_be(unit: str) -> tuple[float, float]:
    """Between which values the bulk of a channel of this unit can lie."""
    return next(((row.low, row.high) for row in columns().can_be if row.unit == unit), (-1e9, 1e9))


def units_of(to: str) -> tuple[str, ...]:
    """All units that become this one."""
    return tuple(row.unit for row in columns().unit if to in row.scale)


def _plain(name: str) -> str:
    return _SPACES.sub(" ", name.casefold()).strip()
