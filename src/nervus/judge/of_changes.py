"""What a change was, from the words that it was written in, and with what chance it cures each fault."""

import re

import numpy as np

from nervus.domain.job import Change
from nervus.judge.weighing import Cure
from nervus.knowledge.tree import Tree, known_changes
from nervus.knowledge.tree_shapes import KnownChange

# A change that is not understood may have cured anything. Source: "from memory, no published source".
_ANYTHING = 0.15


# Between two things that were done; a comma between digits is none.
_BETWEEN = re.compile(r"(?<!\d),|,(?!\d)|[;+&]|\band\b|\bthen\b|\bund\b|\bdann\b|\.\s")
_ONLY_LOOKED = re.compile(
    r"\b(checked|measured|tested|inspected|looked|ok|geprüft|gemessen|getestet|angesehen)\b"
)


def cure_of(change: Change, tree: Tree) -> tuple[Cure, bool]:
    """What a change cures, and whether it was understood; of several at once, what any cures."""
    known = what_was_done(change.done)
    if not known:
        nothing = np.where(tree.sound, 0.0, _ANYTHING)
        return Cure(change.done, change.id, nothing), False
    stays = np.prod([1.0 - tree.row(row.cures) for row in known], axis=0)
    return Cure(change.done, change.id, 1.0 - stays), True


def what_was_done(words: str) -> tuple[KnownChange, ...]:
    """The changes that such words tell of, in no order; empty where they tell of none that is known."""
    table = known_changes()
    verbs = {verb for row in table.change for name in row.verbs for verb in table.verbs(name)}
    found: dict[str, KnownChange] = {}
    verb = ""
    # Backwards, for "plate and bore cleaned": what has no verb has that of what follows.
    for piece in reversed(_BETWEEN.split(words.lower())):
        said = " ".join(re.findall(r"[\w']+", piece))
        if _any_of(("not", "never", "nicht", "nie"), said):
            continue
        own = " ".join(v for v in sorted(verbs) if _any_of((v,), said))
        verb = own or verb
        row = _row(said if own or _ONLY_LOOKED.search(said) else f"{said} {verb}")
        if row is not None:
            found[row.id] = row
    return tuple(found.values())


def _row(said: str) -> KnownChange | None:
    table = known_changes()
    for row in table.change:
        verbs = tuple(verb for name in row.verbs for verb in table.verbs(name))
        if _any_of(row.part, said) and _any_of(verbs, said):
            return row
    return None


def _any_of(words: tuple[str, ...], said: str) -> bool:
    return any(re.search(_as_pattern(word), said) for word in words)


def _as_pattern(word: str) -> str:
    """A word by itself; with a star, what begins or ends with it, as German joins its words."""
    begins = "" if word.startswith("*") else r"\b"
    ends = "" if word.endswith("*") else r"\b"
    return f"{begins}{re.escape(word.strip('*'))}{ends}"
