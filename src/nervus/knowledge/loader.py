"""Reading and checking the data files."""

import tomllib
from collections.abc import Iterator
from functools import cache
from importlib import resources
from pathlib import Path
from typing import TypeVar

import msgspec

from nervus.codes.notation import Code, CodeUnreadable, read_code
from nervus.domain.channel import CHANNEL_KINDS
from nervus.domain.errors import KnowledgeUnusable, ProfileUnusable
from nervus.domain.profile import SensorKind, ThrottleKind, ThrottleProfile, TrackProfile
from nervus.domain.suspect import SuspectId
from nervus.knowledge.shapes import (
    Judging,
    KnownCode,
    KnownCodes,
    Parameter,
    Parameters,
    ProfileFile,
)
from nervus.language import say

_HERE = resources.files("nervus.knowledge")
_SUFFIX = ".toml"


T = TypeVar("T")


# What of the data files is read by people, and by nothing else: it is spoken in their language.
_READ_BY_PEOPLE = frozenset({
    "title", "text", "bad", "caution", "how", "tells", "compares", "limit", "at_hand", "tools",
    "conditions", "voids", "expect", "why", "fault", "source",
})  # fmt: skip
_SAID_OF_CODES = "codes.toml"


def spoken_texts(name: str, table: object, key: str = "") -> Iterator[str]:
    """Every text of a table of that name that is spoken, as it stands in the file."""
    if isinstance(table, dict):
        for own, value in table.items():
            yield from spoken_texts(name, value, own)
    elif isinstance(table, list):
        for one in table:
            yield from spoken_texts(name, one, key)
    elif isinstance(table, str) and _is_spoken(name, key):
        yield table


def _is_spoken(name: str, key: str) -> bool:
    return key in _READ_BY_PEOPLE or (name == _SAID_OF_CODES and key == "says")


def _spoken(name: str, table: object, key: str = "") -> object:
    """The same table with its texts in the language of the people."""
    if isinstance(table, dict):
        return {own: _spoken(name, value, own) for own, value in table.items()}
    if isinstance(table, list):
        return [_spoken(name, one, key) for one in table]
    return say(table) if isinstance(table, str) and _is_spoken(name, key) else table


def table_of(name: str, shape: type[T]) -> T:
    """The table in a data file that ships, what people read of it in their language.

    Raises:
        KnowledgeUnusable: it is damaged; the sentence says where.
    """
    text = _HERE.joinpath(name).read_text(encoding="utf-8")
    try:
        return msgspec.convert(_spoken(name, tomllib.loads(text)), shape)
    except (msgspec.ValidationError, tomllib.TOMLDecodeError) as wrong:
        raise KnowledgeUnusable(
            say("{name} of this installation is damaged: {wrong}", name=name, wrong=wrong)
        ) from wrong


@cache
def judging() -> Judging:
    """Priors, likelihoods, fault leaves and tests.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    table = table_of("judging.toml", Judging)
    try:
        _check_sums(table)
    except ValueError as wrong:
        raise KnowledgeUnusable(
            say("judging.toml of this installation is damaged: {wrong}", wrong=wrong)
        ) from wrong
    return table


def _check_sums(table: Judging) -> None:
    everyone = set(SuspectId)
    chances = {"prior": table.prior.chance, **{row.id: row.chance for row in table.observation}}
    for name, chance in chances.items():
        if set(chance) != everyone:
            raise ValueError(f"{name} does not name every suspect")
    if abs(sum(table.prior.chance.values()) - 1.0) > 1e-6:
        raise ValueError("the prior does not sum to 1")
    for suspect in {leaf.suspect for leaf in table.fault}:
        share = sum(leaf.share for leaf in table.fault if leaf.suspect == suspect)
        if abs(share - 1.0) > 1e-6:
            raise ValueError(f"the shares of {suspect} do not sum to 1")


def _check_parameters(table: tuple[Parameter, ...]) -> None:
    strange = {p.channel for p in table} - set(CHANNEL_KINDS)
    if strange or len({p.pid for p in table}) != len(table):
        raise ValueError(f"a channel that is none ({strange}), or a number twice")


@cache
def parameters() -> tuple[Parameter, ...]:
    """The values of service 01 that are worth asking for.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    table = table_of("parameters.toml", Parameters).parameter
    try:
        _check_parameters(table)
    except ValueError as wrong:
        raise KnowledgeUnusable(
            say("parameters.toml of this installation is damaged: {wrong}", wrong=wrong)
        ) from wrong
    return table


@cache
def known_codes() -> dict[Code, KnownCode]:
    """The standardised codes that are known, by code.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    table = table_of("codes.toml", KnownCodes).code
    try:
        known = {read_code(row.code): row for row in table}
        _check_codes(table, known)
    except (ValueError, CodeUnreadable) as wrong:
        raise KnowledgeUnusable(
            say("codes.toml of this installation is damaged: {wrong}", wrong=wrong)
        ) from wrong
    return known


def _check_codes(table: tuple[KnownCode, ...], known: dict[Code, KnownCode]) -> None:
    if len(known) != len(table):
        raise ValueError("a code twice")
    groups = {row.group for row in table} | {"tracks range", "pedal range"}
    strange = {group for row in table for group in row.follows} - groups
    if strange:
        raise ValueError(f"groups that no code has: {strange}")


@cache
def profile_ids() -> tuple[str, ...]:
    """Identifiers of the profiles that ship, sorted."""
    names = (entry.name for entry in _HERE.joinpath("profiles").iterdir())
    return tuple(sorted(n.removesuffix(_SUFFIX) for n in names if n.endswith(_SUFFIX)))


@cache
def _shipped(name: str) -> ThrottleProfile:
    return read_profile(_HERE.joinpath("profiles", name + _SUFFIX).read_text(encoding="utf-8"), name)


def profile_named(name_or_path: str) -> ThrottleProfile:
    """A profile by its identifier, or from a file of the user's.

    Raises:
        ProfileUnusable: there is none of that name, or it does not describe a throttle.
    """
    if name_or_path in profile_ids():
        return _shipped(name_or_path)
    path = Path(name_or_path)
    if not path.is_file():
        known = ", ".join(profile_ids())
        raise ProfileUnusable(
            say(
                "{name_or_path}: no such profile; accepted is a .toml file or one of {known}.",
                name_or_path=name_or_path,
                known=known,
            )
        )
    try:
        return read_profile(path.read_text(encoding="utf-8"), str(path))
    except (OSError, UnicodeDecodeError) as wrong:
        raise ProfileUnusable(
            say("{path}: can't be read as text ({wrong}).", path=path, wrong=wrong)
        ) from wrong


def read_profile(text: str, name: str) -> ThrottleProfile:
    """A profile from the text of its file; `name` is used in messages.

    Raises:
        ProfileUnusable: the text does not describe a throttle; the sentence says which field.
    """
    try:
        row = msgspec.convert(tomllib.loads(text), ProfileFile)
        kind, sensor = ThrottleKind(row.kind), SensorKind(row.sensor)
        _check_windows(row)
    except (msgspec.ValidationError, tomllib.TOMLDecodeError, ValueError) as wrong:
        raise ProfileUnusable(
            say("{name}: does not describe a throttle: {wrong}.", name=name, wrong=wrong)
        ) from wrong
    tracks = tuple(
        TrackProfile(t.closed_v, t.open_v, t.closed_window_v, t.open_window_v) for t in row.track
    )
    return ThrottleProfile(
        id=row.id,
        title=say(row.title),
        kind=kind,
        supply_v=row.supply_v,
        tracks=tracks,
        disagreement_pct=row.disagreement_pct,
        disagreement_s=row.disagreement_s,
        provenance=row.provenance,
        sensor=sensor,
    )


def _check_windows(row: ProfileFile) -> None:
    for number, track in enumerate(row.track, start=1):
        if track.closed_v == track.open_v:
            raise ValueError(say("track {number} does not move between its stops", number=number))
        for name, value, window in (
            ("closed", track.closed_v, track.closed_window_v),
            ("open", track.open_v, track.open_window_v),
        ):
            if not window[0] <= value <= window[1]:
                raise ValueError(
                    say(
                        "track {number}: {name}_v lies outside {name}_window_v", number=number, name=name
                    )
                )
