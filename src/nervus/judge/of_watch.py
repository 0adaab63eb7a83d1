"""What was watched after a repair as an observation: so much without the fault, or with it again."""

from collections.abc import Callable

import numpy as np

from nervus.domain.job import AnyEntry, Job, JobState, Moved, Stayed, Watch, of_kind
from nervus.judge.how_long import chance_of_clean
from nervus.judge.weighing import Evidence
from nervus.knowledge.tree import Tree
from nervus.language import figures, say

# A sound vehicle that is told to have shown it, and a watch that is told wrongly: from memory.
_SEEN_WRONGLY, _SLIP = 0.03, 0.03
_SOURCE = say("exact: how often it failed before against how much was watched since")


def of_watches(
    job: Job, tree: Tree, after: Callable[[AnyEntry], int]
) -> tuple[list[Evidence], dict[int, bool]]:
    """What was watched after each change; and after which changes it was, and whether it showed again.

    What a recording showed is weighed as a recording, and not here again.
    """
    evidence: list[Evidence] = []
    blocks: dict[int, bool] = {}
    stayed = [(s, after(s)) for s in of_kind(job.entries, Stayed) if s.recording is None]
    newest = {(w.exposure, after(w)): w for w in of_kind(job.entries, Watch)}
    for (exposure, count), watch in newest.items():
        own = [s for s, when in stayed if when == count and s.exposure is exposure]
        if count == 0 or not own:
            continue
        blocks[count] = blocks.get(count, False) or any(s.events for s in own)
        evidence.append(_of_watch(watch, own, tree, count))
    return evidence, blocks


def says_more(moved: Moved, count: int, watched: dict[int, bool]) -> bool:
    """Whether a state says more than the watch that led to it; what was said too early says nothing."""
    if moved.state is JobState.CAME_BACK:
        return not watched.get(count, False)
    if moved.state is JobState.MENDED and moved.tentative:
        return False
    return count not in watched


def _of_watch(watch: Watch, own: list[Stayed], tree: Tree, count: int) -> Evidence:
    amount, events = sum(s.amount for s in own), sum(s.events for s in own)
    ids = tuple(s.id for s in own)
    much = figures("{amount:.3g} {exposure}", amount=amount, exposure=watch.exposure)
    if events:
        text = say(
            "watched after the change: it showed again, {events} times in {much}",
            events=events,
            much=much,
        )
        return Evidence(text, _SOURCE, ids, np.ones(len(tree.faults)), _SEEN_WRONGLY, _SLIP, count)
    clean = np.where(tree.sound, 1.0, chance_of_clean(watch, amount))
    return Evidence(
        say("watched after the change: {much} without it", much=much),
        _SOURCE,
        ids,
        clean,
        1.0,
        _SLIP,
        count,
    )
