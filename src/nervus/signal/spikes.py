"""Ignition spikes: volts that every line shares for a sample or two, and no fault of the sensor.

A spike is coupled into the harness and the ground, so it adds the same voltage to all lines, the
supply included. An interruption does not: what it adds depends on where the track stands.
"""

import numpy as np

from nervus.domain.channel import Channel
from nervus.signal.excursions import Excursion
from nervus.signal.levels import TrackSignal

# A spike is over after this many samples, and after this time.
_SAMPLES, _LONGEST_S = 2, 0.012
# All lines move by the same volts within this share; one of them may be filtered better.
_ALIKE = 0.5
# A supply that falls below this has collapsed: that is no spike.
_COLLAPSED_V = 3.0
# So many samples on each side of a spike tell what the line usually is there.
_AROUND = 4


def is_spike(track: TrackSignal, excursion: Excursion, reference: Channel | None) -> bool:
    """Whether an excursion is a spike that the reference line shows too.

    Args:
        track: the track.
        excursion: one of its excursions.
        reference: the supply, or another track; without one nothing is called a spike.
    """
    start, end = excursion.span_s
    if reference is None or excursion.samples > _SAMPLES or end - start > _LONGEST_S:
        return False
    other = _move(reference, start, end, track.interval_s)
    own = (excursion.level - excursion.course) * track.supply_v / 100.0
    return own * other > 0 and abs(own - other) <= _ALIKE * max(abs(own), abs(other))


def _move(reference: Channel, start: float, end: float, interval_s: float) -> float:
    """By how many volts the reference line leaves its surroundings at that instant."""
    first = int(np.searchsorted(reference.time_s, start - 0.3 * interval_s))
    last = int(np.searchsorted(reference.time_s, end + 0.3 * interval_s, side="right"))
    if first >= last:
        return 0.0
    low, high = max(0, first - _AROUND), min(reference.samples, last + _AROUND)
    around = np.concatenate((reference.values[low:first], reference.values[last:high]))
    collapsed = reference.id == "vref_v" and reference.values[first:last].min() < _COLLAPSED_V
    if not around.size or collapsed:
        return 0.0
    moves = reference.values[first:last] - np.median(around)
    return float(moves[np.argmax(np.abs(moves))])
