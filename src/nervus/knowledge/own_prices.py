"""The workshop's own times, prices and tools, in place of those that ship."""

import tomllib
from functools import cache
from pathlib import Path
from typing import Annotated, Final

import msgspec
from msgspec.structs import replace

from nervus.domain.errors import OutsideError
from nervus.knowledge.tree import known_tests, repairs
from nervus.knowledge.tree_shapes import Repairs, Row, Tests
from nervus.language import say

USUALLY_MISSING: Final = ("known good spare",)
Name = Annotated[str, msgspec.Meta(max_length=80)]
Amount = Annotated[float, msgspec.Meta(ge=0.0, le=1e7)]


class PricesUnusable(OutsideError):
    """A file of prices that can't be read; says what is wrong and where."""


class OwnRow(Row, frozen=True, kw_only=True):
    """The minutes and the money of one repair or test, and the share that comes back of its part.

    `None` for what ships.
    """

    id: Name
    minutes: Amount | None = None
    money: Amount | None = None
    given_back: Annotated[float, msgspec.Meta(ge=0.0, le=1.0)] | None = None


class OwnPrices(Row, frozen=True, kw_only=True):
    """What a workshop counts with.

    Attributes:
        name: of the workshop, as it stands on reports.
        mark: a picture file with the workshop's mark, "" for none.
        currency: how money is written, "" for nothing.
        minute: what a minute of work costs.
        given_back: the share of its price that comes back for a part that was fitted in vain.
        unused_back: the same for one that was ordered ahead and goes back unopened.
        fetch_minutes: what fetching a part takes that is needed and not at hand.
        missing: what is not at hand, by the names in `tests.toml`.
        repair: repairs with times and prices of their own.
        test: tests with the same.
    """

    name: Annotated[str, msgspec.Meta(max_length=200)] = ""
    mark: Annotated[str, msgspec.Meta(max_length=4000)] = ""
    currency: Annotated[str, msgspec.Meta(max_length=8)] = ""
    minute: Amount | None = None
    given_back: Annotated[float, msgspec.Meta(ge=0.0, le=1.0)] | None = None
    unused_back: Annotated[float, msgspec.Meta(ge=0.0, le=1.0)] | None = None
    fetch_minutes: Amount | None = None
    missing: tuple[Name, ...] = USUALLY_MISSING
    repair: tuple[OwnRow, ...] = ()
    test: tuple[OwnRow, ...] = ()


AS_SHIPPED: Final = OwnPrices()


def read_own_prices(path: Path) -> OwnPrices:
    """A workshop's file.

    Raises:
        PricesUnusable: it can't be read, or a number in it can't be.
    """
    try:
        return msgspec.convert(tomllib.loads(path.read_text(encoding="utf-8")), OwnPrices)
    except (OSError, UnicodeDecodeError) as wrong:
        raise PricesUnusable(
            say(
                "{name}: can't be read as text ({wrong}); the usual prices are used.",
                name=path.name,
                wrong=wrong,
            )
        ) from wrong
    except (tomllib.TOMLDecodeError, msgspec.ValidationError) as wrong:
        said = str(wrong).replace("`", "")
        raise PricesUnusable(
            say("{name}: {said}; the usual prices are used.", name=path.name, said=said)
        ) from wrong


def write_own_prices(own: OwnPrices, path: Path) -> None:
    """Write it as it is read, whole or not at all.

    Raises:
        OSError: the disk does not take it.
    """
    part = path.with_name(path.name + ".part")
    try:
        part.write_text(_as_toml(own), encoding="utf-8")
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)


def _as_toml(own: OwnPrices) -> str:
    def written(value: str | float) -> str:
        # Of what JSON and TOML write alike: a text in quotation marks, a number.
        return msgspec.json.encode(value).decode()

    lines = [f"{k} = {written(v)}" for k, v in (("name", own.name), ("mark", own.mark)) if v]
    lines.append(f"currency = {written(own.currency)}")
    for key in ("minute", "given_back", "unused_back", "fetch_minutes"):
        value = getattr(own, key)
        if value is not None:
            lines.append(f"{key} = {written(value)}")
    lines.append(f"missing = [{', '.join(map(written, own.missing))}]")
    for kind, rows in (("repair", own.repair), ("test", own.test)):
        for row in rows:
            given = ((k, getattr(row, k)) for k in ("id", "minutes", "money", "given_back"))
            lines += ["", f"[[{kind}]]", *(f"{k} = {written(v)}" for k, v in given if v is not None)]
    return "\n".join(lines) + "\n"


def remarks_on(own: OwnPrices) -> tuple[str, ...]:
    """What of it is not used, in words: names that are not known, work and parts that cost nothing."""
    tools = {t.needs for t in known_tests().test}
    said = [
        say("“{name}” is no tool that a test needs", name=name)
        for name in own.missing
        if name not in tools
    ]
    if own.minute == 0.0:
        said.append(say("a minute of work costs nothing: the usual price is used"))
    for rows, known in (
        (own.repair, {r.id for r in repairs().repair}),
        (own.test, {t.id for t in known_tests().test}),
    ):
        said += [say("“{id}” is not known here", id=row.id) for row in rows if row.id not in known]
        said += [
            say("“{id}” takes no time: the usual minutes are used", id=row.id)
            for row in rows
            if row.minutes == 0.0
        ]
    parts = {r.id for r in repairs().repair if r.part}
    said += [
        say("the part of “{id}” costs nothing: the usual price is used", id=row.id)
        for row in own.repair
        if row.money == 0.0 and row.id in parts
    ]
    return tuple(said)


@cache
def repairs_of(own: OwnPrices) -> Repairs:
    """All repairs with the workshop's times and prices; where those say nothing, as they ship."""
    table, rows = repairs(), {row.id: row for row in own.repair}
    made = tuple(
        replace(
            r,
            minutes=_or(rows[r.id].minutes, r.minutes),
            money=_or(rows[r.id].money, r.money) if r.part else _given(rows[r.id].money, r.money),
            given_back=r.given_back if rows[r.id].given_back is None else rows[r.id].given_back,
        )
        if r.id in rows
        else r
        for r in table.repair
    )
    return replace(
        table,
        minute=_or(own.minute, table.minute),
        given_back=_given(own.given_back, table.given_back),
        unused_back=_given(own.unused_back, table.unused_back),
        fetch_minutes=_given(own.fetch_minutes, table.fetch_minutes),
        repair=made,
    )


@cache
def tests_of(own: OwnPrices) -> Tests:
    """All tests for which the tools are at hand, with the workshop's times."""
    table, rows = known_tests(), {row.id: row for row in own.test}
    made = tuple(
        replace(t, minutes=_or(rows[t.id].minutes, t.minutes), money=_given(rows[t.id].money, t.money))
        if t.id in rows
        else t
        for t in table.test
        if t.needs not in own.missing
    )
    return replace(table, test=made)


def _or(own: float | None, usual: float) -> float:
    """The own number where it is one that can be counted with."""
    return own if own else usual


def _given(own: float | None, usual: float) -> float:
    return usual if own is None else own
