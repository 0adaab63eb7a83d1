"""Flanks: the way of a track to a rail and back, where it does not go at once.

A film on a worn track, or an input that holds its charge, lets it fall for some hundredths of a second.
Where that began is where it failed.
"""

from math import ceil

import numpy as np

from nervus.signal.instruments.instrument import Instrument

# They are made of steps of this share of the largest, and over within this time.
_SHARE, _LONGEST_S = 0.15, 0.25


def flanks(track: Instrument, beside: tuple[int, int], touch_s: float) -> tuple[int, int]:
    """The samples at the foot of both flanks of a stay at a rail.

    Args:
        track: the track.
        beside: the samples just before and just behind the stay.
        touch_s: a pause no longer than this is a moment's touch.
    """
    return _foot(track, beside[0], -1, touch_s), _foot(track, beside[1], 1, touch_s)


def _foot(track: Instrument, beside: int, way: int, touch_s: float) -> int:
    """The foot of one flank, before the stay or behind it."""
    at_rail, reach = beside - way, ceil(_LONGEST_S / max(track.interval_s, 1e-7))
    before = track.level[max(at_rail - reach, 0) : at_rail + 1][::-1]
    steps = np.abs(np.diff(before if way < 0 else track.level[at_rail : at_rail + reach + 1]))
    large = np.flatnonzero(steps > max(_SHARE * float(steps.max(initial=0.0)), track.step_tolerance))
    touch = ceil(touch_s / max(track.interval_s, 1e-7))
    if not large.size or large[0] > touch:
        return beside
    rests = np.flatnonzero(np.diff(large) > touch)
    return at_rail + way * (int(large[rests[0] if rests.size else -1]) + 1)
