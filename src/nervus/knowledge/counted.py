"""What was counted on the simulated vehicle, as a second opinion on the tables from memory.

`counted.json` is written by `script/likelihoods`: each fault that the stand-in can play is planted in
vehicles drawn anew, codes are read as the link reads them, and recordings are judged as any. A table's
chance is worth as many jobs as the table says (a Beta distribution of that size); a count of n runs is
worth `n` times `WORTH`, for the stand-in is not the world. What counts is the mean of what both make:
that is the integral over all that the chance may be.
"""

from functools import cache
from importlib import resources

import msgspec
import numpy as np

from nervus.domain.channel import FloatArray
from nervus.domain.errors import KnowledgeUnusable
from nervus.domain.profile import ThrottleKind
from nervus.knowledge.tree import Tree, code_chances, recording_chances
from nervus.language import say

WORTH = 0.25


class Played(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What came of one fault, planted so many times.

    Attributes:
        runs: how often it was planted.
        coded: how often any code was set.
        codes: how often each code was there.
        recordings: how many recordings were judged.
        seen: how often each row of `judging.toml` was seen in them.
    """

    runs: int
    coded: int
    codes: dict[str, int]
    recordings: int
    seen: dict[str, int]


class Counted(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """All that was counted, by the kind of throttle and the fault."""

    source: str
    seed: int
    played: dict[str, dict[str, Played]]


@cache
def counted() -> Counted:
    """The counts that ship.

    Raises:
        KnowledgeUnusable: the file that ships is damaged.
    """
    text = resources.files("nervus.knowledge").joinpath("counted.json").read_bytes()
    try:
        return msgspec.json.decode(text, type=Counted)
    except msgspec.ValidationError as wrong:
        raise KnowledgeUnusable(
            say("counted.json of this installation is damaged: {wrong}", wrong=wrong)
        ) from wrong


def together(chance: float, worth: float, seen: float, runs: float) -> float:
    """A chance from memory and a count as one: the mean of the Beta distribution that both make."""
    return (worth * chance + WORTH * seen) / (worth + WORTH * runs)


def counted_codes(
    throttle: ThrottleKind | None, tree: Tree, any_set: FloatArray, codes: dict[str, FloatArray]
) -> None:
    """Bring the counts into the chance that any code is set, (F,), and of each code, (F,) each."""
    worth = code_chances().worth
    for index, played in _of(throttle, tree):
        any_set[index] = together(float(any_set[index]), worth, played.coded, played.runs)
        for code in {*played.codes, *codes}:
            row = codes.setdefault(code, np.zeros(len(tree.faults)))
            seen = played.codes.get(code, 0)
            if seen or row[index] > 0.0:
                row[index] = together(float(row[index]), worth, seen, played.coded)


def counted_rows(throttle: ThrottleKind | None, tree: Tree, rows: dict[str, FloatArray]) -> None:
    """Bring the counts into the chance of each row of a recording that shows its fault, (F,) each."""
    worth = recording_chances().worth
    for index, played in _of(throttle, tree):
        shown = played.recordings - played.seen.get("clean", 0)
        for name, row in rows.items():
            row[index] = together(float(row[index]), worth, played.seen.get(name, 0), shown)


def _of(throttle: ThrottleKind | None, tree: Tree) -> list[tuple[int, Played]]:
    kinds = [throttle.value] if throttle is not None else [k.value for k in ThrottleKind]
    index = {f.id: i for i, f in enumerate(tree.faults)}
    table = counted().played
    return [(index[f], p) for k in kinds for f, p in table.get(k, {}).items() if f in index]
