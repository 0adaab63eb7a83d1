"""Sets of trouble codes as observations: which are there and which are not, how current they are.

A code that is there was set by the fault, or strays: left over from earlier work, or of something else.
Codes left over are those of any other fault that there once was. Three codes of one open wire need no
rule against counting them three times: each is probable with that wire, and with it alone.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cache

import numpy as np

from nervus.codes.notation import read_code
from nervus.domain.channel import FloatArray
from nervus.domain.job import CodeSet, CodeState, Moment, SeenCode
from nervus.domain.profile import ThrottleKind
from nervus.judge.of_frames import of_frames
from nervus.judge.weighing import Evidence
from nervus.knowledge import known_codes
from nervus.knowledge.counted import counted_codes
from nervus.knowledge.tree import Tree, code_chances, tree_for
from nervus.language import say

# How often a set of codes says nothing of the fault. Source: "from memory".
_SLIP = 0.03
# Chances of what a code's states say. Source: the bits of ISO 14229-1 annex D; the chances from memory.
_FAILED, _PENDING = 0x01, 0x04
_STATES_NOW = {
    CodeState.PENDING: 0.4,
    CodeState.STORED: 0.75,
    CodeState.PERMANENT: 0.3,
}
_STATES_OLD = {
    CodeState.PENDING: 0.06,
    CodeState.STORED: 0.5,
    CodeState.PERMANENT: 0.1,
    CodeState.HISTORY: 0.6,
}
# History: of a fault that is always there, and of one that comes and goes and is mostly away. Source:
# "from memory".
_HISTORY_ALWAYS, _HISTORY_SOMETIMES = 0.05, 0.35
# How often a unit names one code for a fault where others name all that follow: monitors lock each other
# out, and makers differ. Source: "from memory".
_TERSE = 0.35
# That its test fails now: of a code left over, of a fault always there, of one that comes and goes.
_OLD_FAILED, _ALWAYS_FAILED, _SOMETIMES_FAILED = 0.03, 0.85, 0.3
# After clearing, a code comes back where its fault is there and is given its moment; one that was left
# over does not, but for codes that could not be cleared. After a change it is not known who cleared.
_COMES_BACK, _COMES_AND_GOES = 0.9, 0.45
_STAYS_CLEARED, _STAYS_CHANGED = 0.02, 0.12
# What a failure type says, by its last byte (SAE J2012-DA): classes for which it is usual, how much.
_TYPES: dict[int, tuple[tuple[str, ...], float]] = {
    0x11: (("short_signal", "short_supply"), 3.0),
    0x12: (("short_signal",), 3.0),
    0x13: (
        ("gone", "open_supply", "open_ground", "pedal_gone", "pedal_feed", "motor_open", "motor"),
        3.0,
    ),
    0x14: (("gone", "short_signal", "open_supply", "pedal_gone", "pedal_feed"), 1.8),
    0x15: (("gone", "short_signal", "open_ground", "pedal_gone"), 1.8),
    0x1F: (("plug_contact", "unit_contact", "in_harness", "worn", "worn_pedal", "electronics"), 2.0),
    0x04: (("unit",), 2.5),
    0x49: (("unit", "electronics"), 2.5),
    0x72: (("sticks", "drive"), 2.5),
    0x73: (("sticks", "drive"), 2.5),
    0x77: (("sticks", "drive", "motor_open", "dirt"), 1.8),
}


@dataclass(frozen=True, slots=True, eq=False)
class _Table:
    """Chance that any code is set, (F,), and of each code once any is, (F,), with their sum."""

    any: FloatArray
    of: dict[str, FloatArray]
    stray: float
    all_of: FloatArray = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "all_of", sum(self.of.values(), np.full(self.any.size, 1e-9)))


@cache
def _table(throttle: ThrottleKind | None) -> _Table:
    tree, known = tree_for(throttle), code_chances()
    size = len(tree.faults)
    any_set = np.full(size, 0.3)
    codes: dict[str, FloatArray] = {}
    for row in known.row:
        members = tree.of(*row.of)
        if row.any is not None:
            any_set[members] = row.any
        for code, chance in row.codes.items():
            codes.setdefault(code, np.zeros(size))[members] = chance
    counted_codes(throttle, tree, any_set, codes)
    left = tree.of("left_over")
    any_set[left] = 0.9
    return _Table(any_set, codes, known.stray)


def of_codes(
    sets: Sequence[tuple[CodeSet, int]], tree: Tree, throttle: ThrottleKind | None
) -> tuple[list[Evidence], list[tuple[CodeSet, str]]]:
    """Observations of sets of codes, each with the changes before it; and what is not weighed.

    What was read of several units, or again, with nothing done between is one observation.
    """
    evidence: list[Evidence] = []
    left: list[tuple[CodeSet, str]] = []
    groups: dict[tuple[int, Moment], list[CodeSet]] = {}
    for told, after in sets:
        if not told.codes and told.missing:
            left.append((told, say("codes: a unit did not answer, which is no “none”")))
        else:
            groups.setdefault((after, Moment.REPAIRED if after else told.moment), []).append(told)
    first: set[str] = set()
    for (after, moment), told_sets in groups.items():
        codes: dict[str, SeenCode] = {}
        for told in told_sets:
            strange = sorted({c.code for c in told.codes if read_code(c.code).base not in known_codes()})
            if strange:
                left.append(
                    (told, say("{join}: not known here, not guessed at", join=", ".join(strange)))
                )
            codes |= {c.code.partition("-")[0]: c for c in told.codes if c.code not in strange}
        of_engine, no_frames = of_frames(told_sets, tree, after)
        evidence += of_engine
        left += no_frames
        read = _Read(tuple(told_sets), moment, codes)
        if after or (moment is not Moment.FOUND and first):
            evidence.append(_again(read, first, tree, _table(throttle), after))
        else:
            evidence.append(_as_found(read, tree, _table(throttle)))
        first |= set(codes)
    return evidence, left


@dataclass(frozen=True, slots=True)
class _Read:
    """What was read at one moment, and its codes by their base."""

    sets: tuple[CodeSet, ...]
    moment: Moment
    codes: dict[str, SeenCode]

    @property
    def entries(self) -> tuple[str, ...]:
        return tuple(told.id for told in self.sets)

    @property
    def is_whole(self) -> bool:
        """Whether every unit told, so that what is not there is not there."""
        return not any(told.missing for told in self.sets)


def _as_found(read: _Read, tree: Tree, table: _Table) -> Evidence:
    size = len(tree.faults)
    now, old = np.ones(size), np.ones(size)
    # Of a terse unit: the one code that is of the fault, all others being strays.
    one, one_old = np.zeros(size), np.zeros(size)
    states = {code: _of_states(seen, tree.always) for code, seen in read.codes.items()}
    stray = float(np.prod([table.stray * stale for _, stale in states.values()]))
    for code, (fresh, stale) in states.items():
        chance = table.of.get(code, np.zeros(size))
        current = fresh * _of_type(read.codes[code], tree)
        by_itself = table.stray * stale
        now *= chance * current + (1.0 - chance) * by_itself
        old *= chance * stale + (1.0 - chance) * by_itself
        one += chance / table.all_of * current * (stray / by_itself)
        one_old += chance / table.all_of * stale * (stray / by_itself)
    # What is not there speaks too, but not against what was not all read.
    absent = np.ones(size)
    if read.is_whole:
        for code, chance in table.of.items():
            if code not in states:
                absent *= 1.0 - chance
    told = (1.0 - _TERSE) * now * absent + _TERSE * one
    shown = table.any * told + (1.0 - table.any) * stray
    left = tree.of("left_over")
    before = np.where(tree.sound, 0.0, tree.prior)
    of_old = (1.0 - _TERSE) * old * absent + _TERSE * one_old
    shown[left] = 0.9 * float((before / before.sum()) @ of_old) + 0.1 * stray
    sound = 0.02 * stray + 0.98 * (1.0 if not states else stray)
    return Evidence(_text(read), code_chances().source, read.entries, shown, sound, _SLIP)


def _again(read: _Read, first: set[str], tree: Tree, table: _Table, after: int) -> Evidence:
    """Codes after clearing, or after a change: what came back, what stayed away, what is new."""
    codes, size = read.codes, len(tree.faults)
    comes = np.where(tree.always > 0.7, _COMES_BACK, _COMES_AND_GOES + 0.4 * tree.always)
    stays = _STAYS_CHANGED if after else _STAYS_CLEARED
    shown, sound = np.ones(size), 1.0
    for code in first | set(codes):
        chance = table.of.get(code, np.zeros(size))
        back = comes * (0.2 + 0.8 * chance) if code in first else 0.5 * comes * chance
        back = np.where(chance > 0.0, back, 0.0)
        by_itself = stays if code in first else table.stray
        here = back + (1.0 - back) * by_itself
        if code in codes:
            shown *= here
            sound *= by_itself
        else:
            shown *= 1.0 - here
            sound *= 1.0 - by_itself
    # Whether any comes back is one question, not one a code: the fault shows again, or it does not.
    away = float(np.prod([stays if c in codes else 1.0 - stays for c in first]))
    away *= float(np.prod([table.stray for c in codes if c not in first]))
    shown = 0.75 * shown + 0.25 * away * (1.0 - comes)
    sound_like = tree.of("left_over", "nothing")
    shown = np.where(sound_like, sound, shown)
    what = say("after the change") if after else say("after clearing")
    text = say("codes {what}: {value}", what=what, value=", ".join(sorted(codes)) or say("none"))
    return Evidence(text, code_chances().source, read.entries, shown, sound, _SLIP, after)


def _text(read: _Read) -> str:
    shown = ", ".join(sorted(read.codes)) or say("none")
    states = [set(c.states) for c in read.codes.values()]
    only_old = bool(states) and all(s == {CodeState.HISTORY} for s in states)
    return say("codes {moment}: {shown}", moment=read.moment, shown=shown) + (
        say(", all of them history") if only_old else ""
    )


def _of_states(seen: SeenCode, always: FloatArray) -> tuple[FloatArray, float]:
    """The chance of a code's states where its fault is there now, (F,), and where it is of old."""
    fresh, stale = np.ones(always.size), 1.0
    in_history = _HISTORY_SOMETIMES + (_HISTORY_ALWAYS - _HISTORY_SOMETIMES) * always
    for state in seen.states:
        fresh = fresh * (in_history if state is CodeState.HISTORY else _STATES_NOW[state])
        stale *= _STATES_OLD[state]
    if seen.status is not None:
        fails = _SOMETIMES_FAILED + (_ALWAYS_FAILED - _SOMETIMES_FAILED) * always
        failed = bool(seen.status & _FAILED)
        fresh = fresh * (fails if failed else 1.0 - fails)
        stale *= _OLD_FAILED if failed else 1.0 - _OLD_FAILED
        if not failed and not seen.states:
            fresh, stale = fresh * 0.5, stale * (0.08 if seen.status & _PENDING else 0.92)
    return fresh, stale


def _of_type(seen: SeenCode, tree: Tree) -> FloatArray:
    """How much more usual a code's failure type is with each fault, (F,)."""
    kind = read_code(seen.code).failure_type
    if kind is None or kind not in _TYPES:
        return np.ones(len(tree.faults))
    classes, times = _TYPES[kind]
    return np.where(tree.of(*classes), times, 1.0)
