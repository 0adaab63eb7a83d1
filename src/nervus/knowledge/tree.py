"""The fault tree, and tables that name its faults by themselves, by a class, or by their suspect."""

from collections.abc import Iterable, Mapping, Sequence
from functools import cache

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.domain.errors import KnowledgeUnusable
from nervus.domain.profile import ThrottleKind
from nervus.domain.suspect import SuspectId
from nervus.knowledge.loader import table_of
from nervus.knowledge.tree_shapes import (
    ByFault,
    Changes,
    CodeChances,
    Fault,
    FaultRows,
    FrameTable,
    RecordingChances,
    Repairs,
    Shaking,
    Tests,
)
from nervus.language import say

OTHERS = "others"
SOUND = "sound"
"""The class of what is no fault."""


class Tree:
    """The faults that a throttle can have.

    Attributes:
        faults: in a fixed order; arrays of this class have one number for each, shape (F,).
        prior: how often each is the one before anything is told, summing to 1.
        always: the chance that each shows whenever one looks.
        sound: which of them are none.
    """

    def __init__(self, faults: tuple[Fault, ...]) -> None:
        self.faults = faults
        prior = np.asarray([f.prior for f in faults])
        self.prior: FloatArray = prior / prior.sum()
        self.always: FloatArray = np.asarray([f.always for f in faults])
        self.sound = self.of(SOUND)
        self._names = [(f.id, *f.classes, f.suspect.value, OTHERS) for f in faults]
        self._rows: dict[int, tuple[Mapping[str, float], FloatArray]] = {}

    def row(self, named: Mapping[str, float]) -> FloatArray:
        """The chance of each fault from a table that names them, shape (F,)."""
        known = self._rows.get(id(named))
        if known is None or known[0] is not named:
            known = (named, np.asarray([_most_particular(named, names) for names in self._names]))
            self._rows[id(named)] = known
        return known[1]

    def of(self, *names: str) -> "np.ndarray[tuple[int], np.dtype[np.bool_]]":
        """Which faults are named by any of these: ids, classes or suspects; shape (F,)."""
        wanted = set(names)
        return np.asarray([not wanted.isdisjoint((f.id, *f.classes, f.suspect)) for f in self.faults])

    def of_suspect(self, chance: FloatArray) -> dict[SuspectId, float]:
        """Chances of faults, shape (F,), added up for each suspect."""
        total = dict.fromkeys(SuspectId, 0.0)
        for fault, share in zip(self.faults, chance, strict=True):
            total[fault.suspect] += float(share)
        return total

    def names(self, index: int) -> tuple[str, ...]:
        """All that tables may name a fault by, the most particular first."""
        return self._names[index]


def _most_particular(named: Mapping[str, float], names: tuple[str, ...]) -> float:
    return next((named[name] for name in names if name in named), 0.0)


@cache
def tree_for(throttle: ThrottleKind | None) -> Tree:
    """The faults that a throttle of this kind can have; all where the kind is not known.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    return Tree(tuple(f for f in _faults() if fits(f.throttle, throttle)))


def fits(wanted: str, throttle: ThrottleKind | None) -> bool:
    """Whether a row for one kind of throttle, or for both, concerns this one."""
    return not wanted or throttle is None or throttle.value == wanted


@cache
def _faults() -> tuple[Fault, ...]:
    faults = table_of("faults.toml", FaultRows).fault
    ids = [f.id for f in faults]
    kinds = {"", *(k.value for k in ThrottleKind)}
    if len(set(ids)) != len(ids) or {f.throttle for f in faults} - kinds:
        raise KnowledgeUnusable(
            say("faults.toml of this installation is damaged: a name twice, or no throttle")
        )
    return faults


@cache
def _all_names() -> frozenset[str]:
    names = {n for f in _faults() for n in (f.id, *f.classes)}
    return frozenset({*names, *(s.value for s in SuspectId), OTHERS})


def check_names(file: str, tables: Iterable[ByFault], *, whole: bool = True) -> None:
    """Tables must name faults that there are, and (where `whole`) all of them.

    Raises:
        KnowledgeUnusable: one does not.
    """
    for table in tables:
        strange = set(table) - _all_names()
        if strange or (whole and OTHERS not in table):
            what = (
                say("no faults of that name: {sorted}", sorted=sorted(strange))
                if strange
                else say("no chance for the others")
            )
            raise KnowledgeUnusable(
                say("{file} of this installation is damaged: {what}", file=file, what=what)
            )


def check_rows(file: str, ids: Sequence[str], tables: Iterable[ByFault]) -> None:
    """Rows must have names of their own, and tables that name faults.

    Raises:
        KnowledgeUnusable: they do not.
    """
    check_names(file, tables)
    if len(set(ids)) != len(ids):
        raise KnowledgeUnusable(say("{file} of this installation is damaged: a name twice", file=file))


@cache
def code_chances() -> CodeChances:
    """Which codes the faults set.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    table = table_of("code_chances.toml", CodeChances)
    check_names("code_chances.toml", [dict.fromkeys(r.of, 0.0) for r in table.row], whole=False)
    return table


@cache
def recording_chances() -> RecordingChances:
    """What recordings show of faults.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    table = table_of("recording_chances.toml", RecordingChances)
    tables = [table.shows, *table.seen.values(), *table.pedal.values()]
    check_names("recording_chances.toml", tables)
    check_names("recording_chances.toml", [dict.fromkeys(table.placed, 0.0)], whole=False)
    return table


@cache
def frame_table() -> FrameTable:
    """What freeze frames tell of faults.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    table = table_of("frames.toml", FrameTable)
    check_names("frames.toml", [row.chance for row in table.value])
    check_names("frames.toml", [row.of for row in table.engine], whole=False)
    if [row.below_rpm for row in table.engine] != sorted(row.below_rpm for row in table.engine):
        what = say("engine speeds do not rise from row to row")
        raise KnowledgeUnusable(
            say("{file} of this installation is damaged: {what}", file="frames.toml", what=what)
        )
    return table


@cache
def known_changes() -> Changes:
    """What is done to vehicles, and what it cures.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    table = table_of("changes.toml", Changes)
    check_rows("changes.toml", [c.id for c in table.change], [c.cures for c in table.change])
    return table


@cache
def repairs() -> Repairs:
    """What can be done about faults.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    table = table_of("repairs.toml", Repairs)
    check_rows("repairs.toml", [r.id for r in table.repair], [])
    strange = {r.change for r in table.repair} - {c.id for c in known_changes().change}
    if strange:
        raise KnowledgeUnusable(
            say(
                "repairs.toml of this installation is damaged: no change {sorted}",
                sorted=sorted(strange),
            )
        )
    return table


@cache
def known_tests() -> Tests:
    """Tests that can be advised.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    table = table_of("tests.toml", Tests)
    outcomes = [o.chance for t in table.test for o in t.outcome]
    check_rows("tests.toml", [t.id for t in table.test], outcomes)
    return table


@cache
def known_shaking() -> Shaking:
    """The wiggle test: its places, and what it shows.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    table = table_of("shaking.toml", Shaking)
    check_rows("shaking.toml", [p.id for p in table.place], [table.answers])
    strange = {p.id for p in table.place} - {f.stretch for f in _faults()}
    if strange:
        raise KnowledgeUnusable(
            say(
                "shaking.toml of this installation is damaged: no stretch {sorted}",
                sorted=sorted(strange),
            )
        )
    return table
