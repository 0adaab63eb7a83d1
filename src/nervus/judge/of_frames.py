"""Freeze frames as observations: how the engine ran, was fed and how warm it was as a code was set.

A fault that is always there sets its code as soon as the key is on; one that comes and goes, or lies at
an opening that is only driven through, on the road.
"""

from collections.abc import Sequence
from functools import cache

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.domain.job import CodeSet
from nervus.judge.weighing import Evidence
from nervus.knowledge.tree import Tree, frame_table
from nervus.knowledge.tree_shapes import FrameEngine
from nervus.language import say


def of_frame(sets: Sequence[CodeSet], tree: Tree, after: int) -> Evidence | None:
    """The first freeze frame of some sets of codes that tells of engine, battery or coolant.

    One is enough: read again, or of another code, it was the same moment.
    """
    for told, code in [(one, code) for one in sets for code in one.codes]:
        found = _of_values(code.frame, tree) if code.frame else None
        if found is not None:
            says, shown = found
            text = say("frozen with {code}: {says}", code=code.code, says=", ".join(says))
            sound = float(shown[tree.sound].mean())
            return Evidence(
                text, frame_table().source, (told.id,), shown, sound, frame_table().slip, after
            )
    return None


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
    return next(row for row in frame_table().engine if rpm < row.below_rpm)


@cache
def _by_engine(tree: Tree) -> dict[str, FloatArray]:
    """The chance of each way in which the engine ran, with each fault, shape (F,)."""
    found = {}
    for row in frame_table().engine:
        mixed = tree.always * row.always + (1.0 - tree.always) * row.sometimes
        known = tree.row({**row.of, "others": -1.0})
        found[row.id] = np.where(known >= 0.0, known, mixed)
    return found
