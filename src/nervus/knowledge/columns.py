"""Which channel a column of another program's recording may be, and how its unit becomes ours."""

import re
from functools import cache

from nervus.domain.channel import CHANNEL_KINDS
from nervus.domain.errors import KnowledgeUnusable
from nervus.knowledge.loader import table_of
from nervus.knowledge.shapes import Columns, UnitRow

_SPACES = re.compile(r"[^0-9a-zäöüß+]+")
_TIME_NAMES = re.compile(r"^(time|zeit|timestamp|t|seconds|elapsed( time)?|time stamp)\b")


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
            raise KnowledgeUnusable(f"columns.toml: {row.channel} or its units are not known")
        re.compile(row.pattern)
    return table


def unit_written(text: str) -> str:
    """The unit that a text is, "" if none."""
    wanted = text.strip().strip("[]()").casefold()
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
    if name in CHANNEL_KINDS:
        return name
    plain = _plain(name)
    for row in columns().column:
        if unit in row.units and re.search(row.pattern, plain):
            return row.channel
    return None


def is_time(name: str) -> bool:
    """Whether a column of this name is the time."""
    return name == "time_s" or _TIME_NAMES.match(_plain(name)) is not None


def _plain(name: str) -> str:
    return _SPACES.sub(" ", name.casefold()).strip()
