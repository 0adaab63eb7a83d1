"""What a change was, from the words that it was written in, and with what chance it cures each fault."""

import re

import numpy as np

from nervus.domain.job import Change
from nervus.judge.weighing import Cure
from nervus.knowledge.tree import Tree, known_changes
from nervus.knowledge.tree_shapes import KnownChange

# A change that is not understood may have cured anything. Source: "from memory, no published source".
_ANYTHING = 0.15


def cure_of(change: Change, tree: Tree) -> tuple[Cure, bool]:
    """What a change cures, and whether it was understood."""
    known = what_was_done(change.done)
    if known is None:
        nothing = np.where(tree.sound, 0.0, _ANYTHING)
        return Cure(change.done, change.id, nothing), False
    return Cure(change.done, change.id, tree.row(known.cures)), True


def what_was_done(words: str) -> KnownChange | None:
    """The change that such words tell of; `None` where they tell of none that is known."""
    said = " ".join(re.findall(r"[a-z0-9']+", words.lower()))
    table = known_changes()
    for row in table.change:
        verbs = [verb for name in row.verbs for verb in table.verbs(name)]
        if _any_of(row.part, said) and _any_of(tuple(verbs), said):
            return row
    return None


def _any_of(words: tuple[str, ...], said: str) -> bool:
    return any(re.search(rf"\b{re.escape(word)}\b", said) for word in words)
