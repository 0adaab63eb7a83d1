"""Exact inference over single faults, and pairs of them, from observations and the changes between.

A hypothesis is one fault, or two. An observation is shown by a fault with its chance; of two faults
either may be the one that shows it, so its chance is the mean of both. A change cures a fault with
some chance; an observation after it is shown by what is left, and where nothing is left it has the
chance that it has with a sound vehicle. This is a hidden Markov model with two states a fault
(L. R. Rabiner, "A tutorial on hidden Markov models", Proc. IEEE 77 (1989) 257-286, section III A:
the forward procedure), summed without approximation.

What an observation did is told so that the order plays no part: with the posterior w within a group
of hypotheses, log P(E | group) = sum over observations of E_w[log likelihood] minus one constant
(Gibbs' variational identity), so the lines of the ledger add up.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.domain.suspect import SuspectId
from nervus.knowledge.tree import Tree

TWO_FAULTS = 0.03
"""How often two faults at once turn out to be there: "from memory, no published source"."""
# No observation rules a fault out altogether.
_LEAST = 1e-9


@dataclass(frozen=True, slots=True, eq=False)
class Evidence:
    """One observation and how probable it is with each fault.

    Attributes:
        text: as the ledger calls it.
        source: where the chances come from.
        entries: identifiers of the entries of the job.
        shown: chance of it with each fault, shape (F,); any scale that is common to all.
        sound: the same with a sound vehicle.
        slip: how often such an observation is a slip and says nothing.
        after: how many changes were made before it.
    """

    text: str
    source: str
    entries: tuple[str, ...]
    shown: FloatArray
    sound: float
    slip: float
    after: int = 0


@dataclass(frozen=True, slots=True, eq=False)
class Cure:
    """A change: the chance that it cures each fault, shape (F,)."""

    text: str
    entry: str
    cures: FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class Weighed:
    """What is known after all observations.

    Attributes:
        single: probability of each fault alone, shape (F,).
        fault: probability of each fault, alone or one of two, shape (F,); sums to more than 1 by pairs.
        share: the same with each of two faults counted half; sums to 1.
        cured: probability that all that was there is gone.
        still: of each fault, the chance that it is there now, if it was; 1 where nothing was changed.
        nats: of each observation, its expected log-likelihood for each suspect against the others.
        both: the two suspects that are most probably at fault together, and how probably.
    """

    single: FloatArray
    fault: FloatArray
    share: FloatArray
    cured: float
    still: FloatArray
    nats: tuple[dict[SuspectId, float], ...] = field(default=())
    both: tuple[SuspectId, SuspectId, float] | None = None


def weigh_faults(tree: Tree, evidence: Sequence[Evidence], cures: Sequence[Cure] = ()) -> Weighed:
    """The posterior over faults and pairs, with what each observation did."""
    shown = [_softened(tree, e) for e in evidence]
    alone, alone_cured, left = _singles(tree, evidence, shown, cures)
    two, two_cured = _pairs(tree, evidence, shown, cures)
    total = (1.0 - TWO_FAULTS) * alone.sum() + TWO_FAULTS * two.sum()
    single = (1.0 - TWO_FAULTS) * alone / total
    pairs = TWO_FAULTS * two / total
    of_pairs = pairs.sum(axis=0) + pairs.sum(axis=1)
    cured = (1.0 - TWO_FAULTS) * alone_cured.sum() / total + TWO_FAULTS * two_cured / total
    share = single + of_pairs / 2.0
    nats = _nats(tree, evidence, shown, left, share)
    both = _most_probable_two(tree, pairs)
    return Weighed(single, single + of_pairs, share, float(cured), left[-1], nats, both)


def _most_probable_two(tree: Tree, pairs: FloatArray) -> tuple[SuspectId, SuspectId, float]:
    """The two different suspects whose pairs of faults are the most probable together."""
    suspects = list(SuspectId)
    of = np.asarray([[f.suspect is s for s in suspects] for f in tree.faults], dtype=np.float64)
    together = of.T @ pairs @ of
    together = np.triu(together + together.T, 1)
    one, two = np.unravel_index(int(np.argmax(together)), together.shape)
    return suspects[int(one)], suspects[int(two)], float(together[one, two])


def without_each(
    tree: Tree, evidence: Sequence[Evidence], cures: Sequence[Cure]
) -> Callable[[int], FloatArray]:
    """The chances of all faults, each alone, without the observation of a number, shape (F,)."""
    shown = [_softened(tree, e) for e in evidence]

    def left_out(number: int) -> FloatArray:
        kept = [i for i in range(len(evidence)) if i != number]
        alone, _, _ = _singles(tree, [evidence[i] for i in kept], [shown[i] for i in kept], cures)
        return np.asarray(alone / alone.sum())

    return left_out


def _softened(tree: Tree, e: Evidence) -> tuple[FloatArray, float]:
    """Chances with what a slip of eye, hand or tongue does to them, scaled to a mean of one."""
    mean = max(float(tree.prior @ e.shown), _LEAST)
    shown = np.maximum((1.0 - e.slip) * e.shown / mean + e.slip, _LEAST)
    return shown, max((1.0 - e.slip) * e.sound / mean + e.slip, _LEAST)


def _singles(
    tree: Tree,
    evidence: Sequence[Evidence],
    shown: Sequence[tuple[FloatArray, float]],
    cures: Sequence[Cure],
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Joint chance of each fault and the evidence, of it being cured, and still there at each step.

    The last has shape (changes + 1, F): probability that the fault is still there after so many
    changes, given all evidence.
    """
    steps = len(cures) + 1
    there, gone = _products(tree, evidence, shown, steps)
    # Forward: how the evidence so far and "still there" go together.
    forward = np.zeros((steps, 2, len(tree.prior)))
    forward[0, 0] = tree.prior * there[0]
    for k, cure in enumerate(cures, start=1):
        before_there, before_gone = forward[k - 1]
        forward[k, 0] = before_there * (1.0 - cure.cures) * there[k]
        forward[k, 1] = (before_gone + before_there * cure.cures) * gone[k]
    # Backward: what follows, given the state.
    later = np.ones((steps, 2, len(tree.prior)))
    for k in range(steps - 2, -1, -1):
        chance = cures[k].cures
        if_there, if_gone = later[k + 1, 0] * there[k + 1], later[k + 1, 1] * gone[k + 1]
        later[k, 0] = (1.0 - chance) * if_there + chance * if_gone
        later[k, 1] = if_gone
    joint = forward * later
    left = joint[:, 0] / np.maximum(joint.sum(axis=1), 1e-300)
    return forward[-1].sum(axis=0), forward[-1, 1], left


def _products(
    tree: Tree, evidence: Sequence[Evidence], shown: Sequence[tuple[FloatArray, float]], steps: int
) -> tuple[FloatArray, FloatArray]:
    """Product of the chances between two changes, while a fault is there, and without it: (steps, F)."""
    there = np.ones((steps, len(tree.prior)))
    gone = np.ones((steps, len(tree.prior)))
    for e, (with_it, without) in zip(evidence, shown, strict=True):
        there[e.after] *= with_it
        gone[e.after] *= without
    return there, gone


def _pairs(
    tree: Tree,
    evidence: Sequence[Evidence],
    shown: Sequence[tuple[FloatArray, float]],
    cures: Sequence[Cure],
) -> tuple[FloatArray, float]:
    """Joint chance of each pair of faults and the evidence, shape (F, F), the upper half; and cured."""
    prior = np.triu(np.outer(tree.prior, tree.prior), 1)
    prior[tree.sound] = prior[:, tree.sound] = 0.0
    prior /= prior.sum()
    size = len(tree.prior)
    # The states of the first and the second fault: there (0) or cured (1).
    state = np.zeros((2, 2, size, size))
    state[0, 0] = prior
    for k in range(len(cures) + 1):
        if k:
            state = _after_change(state, cures[k - 1].cures)
        for e, (with_it, without) in zip(evidence, shown, strict=True):
            if e.after == k:
                chances = (with_it, np.full(size, without))
                for a in (0, 1):
                    for b in (0, 1):
                        if k or a == b == 0:
                            state[a, b] *= 0.5 * (chances[a][:, None] + chances[b][None, :])
    return state.sum(axis=(0, 1)), float(state[1, 1].sum())


def _after_change(state: FloatArray, cures: FloatArray) -> FloatArray:
    first, second = cures[:, None], cures[None, :]
    changed = np.zeros_like(state)
    changed[0, 0] = state[0, 0] * (1 - first) * (1 - second)
    changed[1, 0] = (state[1, 0] + state[0, 0] * first) * (1 - second)
    changed[0, 1] = (state[0, 1] + state[0, 0] * second) * (1 - first)
    changed[1, 1] = state[1, 1] + state[1, 0] * second + state[0, 1] * first
    changed[1, 1] += state[0, 0] * first * second
    return changed


def _nats(
    tree: Tree,
    evidence: Sequence[Evidence],
    shown: Sequence[tuple[FloatArray, float]],
    left: FloatArray,
    share: FloatArray,
) -> tuple[dict[SuspectId, float], ...]:
    """For each observation and suspect: expected log-likelihood for it against that for all others."""
    if not evidence:
        return ()
    there = left[[e.after for e in evidence]]
    gone = np.log([without for _, without in shown])[:, None]
    log = there * np.log([with_it for with_it, _ in shown]) + (1.0 - there) * gone
    weight = share + 1e-15
    told = np.zeros((len(SuspectId), len(evidence)))
    for number, suspect in enumerate(SuspectId):
        members = tree.of(suspect.value)
        if members.any():
            own, rest = weight * members, weight * ~members
            told[number] = log @ (own / own.sum()) - log @ (rest / rest.sum())
    return tuple({s: float(n) for s, n in zip(SuspectId, column, strict=True)} for column in told.T)
