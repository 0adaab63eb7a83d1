"""One thing at a time: what a second change before a test costs, computed from the judgement."""

from dataclasses import dataclass
from math import log2

import numpy as np
from msgspec.structs import replace

from nervus.domain.channel import FloatArray
from nervus.domain.entry import Source
from nervus.domain.job import Change, Job, new_id, now
from nervus.judge.of_changes import cure_of
from nervus.judge.of_job import gather
from nervus.judge.timeline import untested_change
from nervus.judge.weighing import weigh_faults
from nervus.judge.words import natural_frequency
from nervus.knowledge.tree import tree_for
from nervus.language import say


@dataclass(frozen=True, slots=True)
class Loss:
    """What is known less if two changes are tested together, should it be clean afterwards.

    Attributes:
        first, second: the chance that one alone cured it.
        either: the chance that either would have.
        bits: what the test between them would tell of the faults.
        text: the same in a sentence.
    """

    first: float
    second: float
    either: float
    bits: float
    text: str


def loss_of_second(job: Job, words: str) -> Loss | None:
    """What would be lost by making a change in words now; `None` where the last one was tested.

    By Bayes' rule over the faults as they were before the change that nobody has tested: with the
    chances a and b that either change cures a fault, a clean test after both leaves open which of
    them did; a test between them is the outcome a, and its information is H(a) - E[H(a | fault)]
    (C. E. Shannon, Bell Syst. Tech. J. 27 (1948) 379-423).
    """
    before = untested_change(job)
    if before is None:
        return None
    tree = tree_for(job.vehicle.throttle)
    earlier = replace(job, entries=tuple(e for e in job.entries if e.at < before.at))
    gathered = gather(earlier, tree)
    weighed = weigh_faults(tree, gathered.evidence, gathered.cures)
    there = np.asarray(weighed.share * weighed.still)
    there = there / max(float(there.sum()), 1e-12)
    first, known = cure_of(before, tree)
    second, _ = cure_of(_as_change(words), tree)
    a, b = first.cures, second.cures
    alone, other, both = (float(there @ x) for x in (a * (1 - b), b * (1 - a), a * b))
    cured = max(alone + other + both, 1e-12)
    bits = _entropy(float(there @ a)) - float(there @ _entropies(a))
    shares = alone / cured, other / cured, both / cured
    text = say(
        "“{done}” has not been tested yet. If it is clean after both, it was this "
        "alone {natural_frequency}, the new one alone {natural_frequency_}, either "
        "{natural_frequency__}: nobody could tell them apart. Test first, then change.",
        done=before.done[:60],
        natural_frequency=natural_frequency(shares[0]),
        natural_frequency_=natural_frequency(shares[1]),
        natural_frequency__=natural_frequency(shares[2]),
    )
    if not known:
        text += say(" (What it cures is not known here, so the numbers are rough.)")
    return Loss(*shares, max(0.0, bits), text)


def _as_change(words: str) -> Change:
    return Change(id=new_id(), at=now(), source=Source.SEEN, done=words)


def _entropies(chance: FloatArray) -> FloatArray:
    return np.asarray([_entropy(float(p)) for p in chance])


def _entropy(p: float) -> float:
    return 0.0 if p <= 0.0 or p >= 1.0 else -p * log2(p) - (1.0 - p) * log2(1.0 - p)
