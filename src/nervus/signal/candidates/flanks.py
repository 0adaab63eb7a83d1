"""Flanks: the way of a track to a rail and back, where it does not go at once.

A film on a worn track, or an input that holds its charge, lets it fall for some hundredths of a second.
Where that began is where it failed.
"""

from math import ceil

import numpy as np

from nervus.domain.channel import BoolArray, IntArray
from nervus.signal.instruments.instrument import Instrument

# They are made of steps of this share of the largest, and over within this time; no pause on them is
# longer than a moment's touch: spikes follow each other. So many samples beside the rail tell of one.
_SHARE, _LONGEST_S, _TOUCH_S, _FIRST = 0.15, 0.25, 0.015, 4
# An ignition spike, or a few in a row, are over after this time: what stays for no longer may be one.
LONGEST_SPIKE_S = 0.012


def with_flanks(track: Instrument, first: IntArray, last: IntArray) -> list[tuple[int, int]]:
    """Stays at a rail with their flanks: the samples just before and just behind each of them.

    Args:
        track: the track.
        first: the first sample of each stay, shape (n,).
        last: the last one, shape (n,).
    """
    before, behind = first - 1, last + 1
    # Within a burst it comes from a rail and goes back to it.
    touch = ceil(_TOUCH_S / max(track.interval_s, 1e-7))
    apart = np.pad(first[1:] - last[:-1] > touch, 1, constant_values=True)[: first.size + 1]
    stays = track.time_s[last] - track.time_s[first] > LONGEST_SPIKE_S
    for feet, way, free in ((before, -1, apart[:-1]), (behind, 1, apart[1:])):
        for n in np.flatnonzero(free & stays & _goes_on(track, feet - way, way)).tolist():
            feet[n] = _foot(track, int(feet[n]), way, touch)
    return list(zip(before.tolist(), behind.tolist(), strict=True))


def _goes_on(track: Instrument, at_rail: IntArray, way: int) -> BoolArray:
    """Where the step from a rail is followed by others that are not far smaller, shape (n,)."""
    around = np.add.outer(at_rail, way * np.arange(_FIRST + 2)).clip(0, track.level.size - 1)
    steps = np.abs(np.diff(track.level[around], axis=1))
    least = np.maximum(_SHARE * steps[:, 0], track.step_tolerance)
    return np.asarray(steps[:, 1:].max(axis=1) > least, dtype=np.bool_)


def _foot(track: Instrument, beside: int, way: int, touch: int) -> int:
    """The foot of one flank, before the stay or behind it: no pause on it is longer than a touch."""
    at_rail, reach = beside - way, ceil(_LONGEST_S / max(track.interval_s, 1e-7))
    before = track.level[max(at_rail - reach, 0) : at_rail + 1][::-1]
    steps = np.abs(np.diff(before if way < 0 else track.level[at_rail : at_rail + reach + 1]))
    large = np.flatnonzero(steps > max(_SHARE * float(steps.max(initial=0.0)), track.step_tolerance))
    if not large.size or large[0] > touch:
        return beside
    rests = np.flatnonzero(np.diff(large) > touch)
    return at_rail + way * (int(large[rests[0] if rests.size else -1]) + 1)
