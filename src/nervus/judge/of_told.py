"""What was told and looked at as observations: complaint and looks, and where the job stands."""

import re
from functools import cache

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.domain.job import Complaint, JobState, Look, Moved, Seen
from nervus.domain.profile import ThrottleKind
from nervus.judge.weighing import Evidence
from nervus.knowledge import ToldRow, complaints, fitting, look_items
from nervus.knowledge.tree import Tree, tree_for
from nervus.language import say

# How often what is told or seen is a slip. Source: "from memory, no published source".
_TOLD_SLIP, _WORDS_SLIP, _SEEN_SLIP = 0.12, 0.3, 0.05
# Of what is told again after a change: with the fault still there, and with a sound vehicle.
_AGAIN, _STILL_TOLD = 0.6, 0.06
# That all is told to be well after a change: by a sound vehicle, by a fault that is always there, and by
# one that comes and goes and stayed away that long. Source: "from memory".
_WELL, _WELL_ALWAYS, _WELL_SOMETIMES = 0.5, 0.02, 0.22
# How probable it is that a job goes into a state after a change: with the fault there, and gone.
_MOVES = {
    JobState.CAME_BACK: (0.5, 0.03),
    JobState.MENDED: (0.03, 0.5),
    JobState.WATCHING: (0.2, 0.5),
}


def of_complaint(
    told: Complaint, tree: Tree, throttle: ThrottleKind | None, after: int
) -> tuple[list[Evidence], list[str]]:
    """Symptoms and conditions, each one observation; and those that are not known."""
    symptoms, conditions = _shares(throttle)
    source = complaints().source
    evidence = []
    unknown = []
    by_words = not told.symptoms and not told.conditions
    slip = _WORDS_SLIP if by_words else _TOLD_SLIP
    for chosen, known, shares in (
        (told.symptoms, complaints().symptom, symptoms),
        (told.conditions, complaints().condition, conditions),
    ):
        names = _in_words(told.words, known) if by_words else chosen
        for name in dict.fromkeys(names):
            if name not in shares:
                if not by_words:
                    unknown.append(name)
                continue
            title, chance = shares[name]
            text = (
                say("told: {title}", title=title)
                if not after
                else say("told after the change: {title}", title=title)
            )
            sound = float(chance[tree.sound].mean())
            shown = chance
            if after and name != "check":
                shown, sound = _AGAIN * np.maximum(chance, 0.05), _STILL_TOLD * 0.3
            elif after:
                well = _WELL_SOMETIMES + (_WELL_ALWAYS - _WELL_SOMETIMES) * tree.always
                shown, sound = np.where(tree.sound, _WELL, well), _WELL
            evidence.append(Evidence(text, source, (told.id,), shown, sound, slip, after))
    return evidence, unknown


def _in_words(words: str, rows: tuple[ToldRow, ...]) -> tuple[str, ...]:
    """What free words tell of, by the parts that stand in them."""
    said = " ".join(words.lower().split())
    return tuple(row.id for row in rows if any(_stands_in(part, said) for part in row.words))


@cache
def _shares(
    throttle: ThrottleKind | None,
) -> tuple[dict[str, tuple[str, FloatArray]], dict[str, tuple[str, FloatArray]]]:
    """For symptoms and for conditions: title, and the share of each in what a fault is told by, (F,)."""
    tree, table = tree_for(throttle), complaints()
    found = []
    for known in (table.symptom, table.condition):
        rows = fitting(known, throttle)
        chances = np.asarray([tree.row(row.chance) for row in rows])
        chances /= chances.sum(axis=0)
        found.append({row.id: (row.title, chances[i]) for i, row in enumerate(rows)})
    return found[0], found[1]


def _stands_in(part: str, said: str) -> bool:
    """Whether words stand in what was said: whole, or, with a star, how they begin."""
    end = "" if part.endswith("*") else r"\b"
    return re.search(rf"\b{re.escape(part.removesuffix('*'))}{end}", said) is not None


def of_look(look: Look, tree: Tree, throttle: ThrottleKind | None, after: int) -> Evidence | str | None:
    """A look; `None` where nothing was seen, its name where it is not known."""
    item = next((i for i in fitting(look_items().item, throttle) if i.id == look.item), None)
    if item is None:
        return look.item
    if look.seen is Seen.NOT_SEEN:
        return None
    bad = tree.row(item.when_bad)
    sound = float(bad[tree.sound].mean())
    if look.seen is Seen.BAD:
        return Evidence(item.bad, look_items().source, (look.id,), bad, sound, _SEEN_SLIP, after)
    text = say("seen: {title}", title=item.title)
    return Evidence(text, look_items().source, (look.id,), 1.0 - bad, 1.0 - sound, _SEEN_SLIP, after)


def of_state(moved: Moved, tree: Tree, after: int) -> Evidence | None:
    """Where the job went after a change: it came back, or it stayed well."""
    if not after or moved.state not in _MOVES:
        return None
    there, gone = _MOVES[moved.state]
    # A fault that comes and goes stays away for a while by itself.
    quiet = 1.0 - 0.7 * (1.0 - tree.always)
    shown = (
        there * quiet
        if moved.state is JobState.CAME_BACK
        else there + (gone - there) * 0.3 * (1.0 - quiet)
    )
    return Evidence(
        say("after the change: {state}", state=moved.state),
        say("from memory"),
        (moved.id,),
        shown,
        gone,
        0.02,
        after,
    )
