"""Whether drops follow the work at the harness: more near such marks than the time there explains."""

from bisect import bisect_left
from collections.abc import Iterable
from math import lgamma, log

import numpy as np

from nervus.domain.channel import Mark
from nervus.domain.finding import Drop
from nervus.signal.explained.events import BURST_S
from nervus.signal.told.drops import MARK_NEAR_S

# So many times as likely with the work as without it (Kass and Raftery, JASA 90 (1995) 773-795:
# "strong").
_STRONG = 20.0
_STEPS = 400


def follows_work(
    drops: Iterable[Drop], marks: Iterable[Mark], duration_s: float, words: frozenset[str]
) -> bool:
    """Whether drops come at a higher rate near marks that speak of work at the harness.

    The two rates are compared given how many drops there were: near the marks falls a share of them
    that is the share of the time there, or, if they follow the work, any greater one (the Bayes factor
    of the conditional test for two Poisson counts). A mark that is always near proves nothing.

    Args:
        drops: in the order of time.
        marks: all marks of the recording.
        duration_s: how long it lasts.
        words: of which a mark that speaks of such work has one.
    """
    near = sorted(m.time_s for m in marks if words & set(m.text.casefold().replace(",", " ").split()))
    starts: list[float] = []
    for drop in drops:
        start = drop.times_s[0][0]
        if not starts or start - starts[-1] > BURST_S:
            starts.append(start)
    if not near or not starts or duration_s <= 0.0:
        return False
    close = sum(1 for s in starts if _nearest_s(s, near) <= MARK_NEAR_S)
    return _factor(close, len(starts), _share_near(near, duration_s)) >= _STRONG


def _nearest_s(instant: float, marks: list[float]) -> float:
    """How far the nearest of some marks is, in the order of time."""
    behind = bisect_left(marks, instant)
    return min(abs(instant - m) for m in marks[max(behind - 1, 0) : behind + 1])


def _share_near(marks: list[float], duration_s: float) -> float:
    """The share of the time that is near a mark."""
    total, end = 0.0, -np.inf
    for mark in sorted(marks):
        total += mark + MARK_NEAR_S - max(mark - MARK_NEAR_S, end)
        end = mark + MARK_NEAR_S
    return min(total / duration_s, 1.0)


def _factor(close: int, of: int, share: float) -> float:
    """How much likelier so many near drops are with a greater share than that of the time."""
    if share >= 1.0:
        return 1.0
    each = np.linspace(share, 1.0, _STEPS + 1)[:-1] + (1.0 - share) / (2 * _STEPS)
    ways = lgamma(of + 1) - lgamma(close + 1) - lgamma(of - close + 1)
    greater = float(np.mean(np.exp(ways + close * np.log(each) + (of - close) * np.log1p(-each))))
    same = ways + close * log(max(share, 1e-9)) + (of - close) * log(max(1.0 - share, 1e-9))
    return greater / max(float(np.exp(same)), 1e-300)
