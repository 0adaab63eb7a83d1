"""Freeze frames as observations: how the engine ran, was fed and how warm it was as a code was set.

A fault that is always there sets its code as soon as the key is on; one that comes and goes, or lies at
an opening that is only driven through, on the road.
"""

from collections.abc import Sequence
from functools import cache

import numpy as np

from nervus.domain.channel import CHANNEL_KINDS, FloatArray
from nervus.domain.job import CodeSet
from nervus.judge.weighing import Evidence
from nervus.knowledge.columns import can_be
from nervus.knowledge.tree import Tree, frame_table
from nervus.knowledge.tree_shapes import FrameEngine
from nervus.language import say


def of_frames(
    sets: Sequence[CodeSet], tree: Tree, after: int
) -> tuple[list[Evidence], list[tuple[CodeSet, str]]]:
    """The first freeze frame of some sets of codes that tells of engine, battery or coolant.

    One is enough: read again, or of another code, it was the same moment.

    Returns:
        The observation, if there is one; and what is not weighed: values that can't be, and frames of
        which none tells anything.
    """
    evidence: list[Evidence] = []
    left: list[tuple[CodeSet, str]] = []
    framed = [(told, code) for told in sets for code in told.codes if code.frame]
    for told, code in framed:
        possible = {name: value for name, value in code.frame.items() if _can_be(name, value)}
        left += [
            (told, say("freeze frame: {name} {value:g} can't be", name=name, value=value))
            for name, value in code.frame.items()
            if name not in possible
        ]
        found = _of_values(possible, tree) if not evidence else None
        if found is not None:
            says, shown = found
            table = frame_table()
            text = say("frozen with {code}: {says}", code=code.code, says=", ".join(says))
            sound = float(shown[tree.sound].mean())
            evidence.append(Evidence(text, table.source, (told.id,), shown, sound, table.slip, after))
    if not evidence:
        why = say("freeze frame: it tells neither how the engine ran nor how it was fed")
        left += [(told, why) for told in {told.id: told for told, _ in framed}.values()]
    return evidence, left


def _can_be(name: str, value: float) -> bool:
    """Whether a channel can have had a value; of what is not known here nothing is known."""
    if name not in CHANNEL_KINDS:
        return True
    low, high = can_be(str(CHANNEL_KINDS[name].unit))
    return low <= value <= high


def _of_values(frame: dict[str, float], tree: Tree) -> tuple[list[str], FloatArray] | None:
    """What the values say in words, and how probable they are with each fault, shape (F,)."""
    says, shown = [], np.ones(len(tree.faults))
    rpm = frame.get("rpm")
    engine = _engine(rpm) if rpm is not None else None
    if engine is not None:
        says.append(engine.text)
        shown = shown * _by_engine(tree)[engine.id]
    for row in frame_table().value:
        if row.channel in frame and row.engine in ("", _turning(engine)):
            so = frame[row.channel] < row.below
            says += [row.text] if so else []
            chance = tree.row(row.chance)
            shown = shown * (chance if so else 1.0 - chance)
    return (says, shown) if says else None


def _turning(engine: FrameEngine | None) -> str:
    """Whether the engine turned, as rows about the battery ask; "" where that is not known."""
    if engine is None:
        return ""
    return "standing" if engine.id == "standing" else "turning"


def _engine(rpm: float) -> FrameEngine:
    rows = frame_table().engine
    return next((row for row in rows if rpm < row.below_rpm), rows[-1])


@cache
def _by_engine(tree: Tree) -> dict[str, FloatArray]:
    """The chance of each way in which the engine ran, with each fault, shape (F,)."""
    found = {}
    for row in frame_table().engine:
        mixed = tree.always * row.always + (1.0 - tree.always) * row.sometimes
        known = tree.row({**row.of, "others": -1.0})
        found[row.id] = np.where(known >= 0.0, known, mixed)
    return found
