"""Stands that were taken for the course, and what lies between them for what left it."""

from math import ceil

import numpy as np

from nervus.signal.arithmetic.spans import Union, runs
from nervus.signal.candidates.edges import ROUNDED_S
from nervus.signal.candidates.excursions import Excursion, describe
from nervus.signal.instruments.instrument import Instrument

# What stands for longer is a hold.
_LONGEST_S = 1.5


def turned_out(track: Instrument, found: tuple[Excursion, ...], level: float) -> tuple[Excursion, ...]:
    """Excursions of a quickly read track, where what is between two of its stands was taken for one.

    Two stands at one level, each shorter than what is between them, look like the course that it left.

    Args:
        track: the track.
        found: its excursions, in the order of time.
        level: that its stands share.
    """
    first, last = runs(np.abs(track.level - level) <= track.same_level)
    begins, ends, near_s = track.time_s[first], track.time_s[last], ROUNDED_S + 2.1 * track.interval_s
    chosen: set[int] = set()
    for start, end in (e.span_s for e in found):
        one, two = int(ends.searchsorted(start)) - 1, int(begins.searchsorted(end, side="right"))
        if one < 0 or two >= first.size or max(start - ends[one], begins[two] - end) > near_s:
            continue
        longest = max(ends[one] - begins[one], ends[two] - begins[two])
        if longest < min(end - start, _LONGEST_S):
            chosen |= {one, two}
    if not chosen:
        return found
    # What lies beside them is still on its way there, or back.
    way = 1 + ceil(ROUNDED_S / max(track.interval_s, 1e-7))
    stood = (describe(track, int(first[at]) - way, int(last[at]) + way) for at in sorted(chosen))
    told = [e for e in stood if e is not None]
    there = Union(e.span_s for e in told)
    told += (e for e in found if not there.touches(e.span_s, near_s))
    return tuple(sorted(told, key=lambda e: e.span_s[0]))
