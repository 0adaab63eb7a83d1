"""Ignition spikes: volts that every line shares for a sample or two, and no fault of the sensor.

A spike is coupled into the harness and the ground, so it adds the same voltage to all lines, the
supply included. An interruption does not: what it adds depends on where the track stands.
"""

import numpy as np

from nervus.domain.channel import BoolArray, Channel, FloatArray, IntArray
from nervus.domain.finding import Floor
from nervus.signal.excursions import Excursion
from nervus.signal.levels import TrackSignal

# A spike, or a few in a row, are over after this time and so many samples.
_SAMPLES, _LONGEST_S, _LONGEST_TRACKS_S = 6, 0.012, 0.003
# All lines move by the same volts within this share; one of them may be filtered better. Two tracks
# have the same input, and an open supply or ground moves them alike by chance only.
_ALIKE, _ALIKE_TRACKS, _ALIKE_LONG = 0.5, 0.25, 0.15
# It swings to both sides if each is at least this share of the greater one.
_BOTH_SIDES, _APART_V = 0.05, 0.5
# A supply that falls below this has collapsed: that is no spike.
_COLLAPSED_V = 3.0
# So many samples on each side of a spike tell what the line usually is there.
_AROUND = 4


def is_spike(track: TrackSignal, excursion: Excursion, reference: Channel) -> bool | None:
    """Whether an excursion is a spike that the reference line shows too, sample by sample.

    Args:
        track: the track.
        excursion: one of its excursions.
        reference: the supply, or another track.

    Returns:
        `None` where it may be one, but the reference has no sample at that instant.
    """
    start, end = excursion.span_s
    if excursion.samples > _SAMPLES or end - start > _LONGEST_S:
        return False
    slack = 0.3 * track.interval_s
    own = slice(*np.searchsorted(track.time_s, (start - slack, end + slack)))
    moves = (track.level[own] - excursion.course) * track.supply_v / 100.0
    at, there = _simultaneous(track.time_s[own], reference.time_s, slack)
    if not there.any():
        return None if excursion.samples == 1 and at.size else False
    others = _moves(reference, at[there])
    mine = moves[there]
    stands_v = float(np.median(reference.values[at[there]] - others))
    apart_v = abs(excursion.course * track.supply_v / 100.0 - stands_v)
    share = _share(excursion, reference, moves, apart_v)
    return bool(np.abs(mine - others).sum() <= share * np.abs(mine).sum())


def _share(excursion: Excursion, reference: Channel, moves: FloatArray, apart_v: float) -> float:
    """How far the reference may be from moving by the same volts, as a share of what the track moves.

    What lasts longer than a spike's first swing must be the closer alike. And it must swing to both
    sides of the course, or go to no rail from openings that are apart: two tracks that read alike move
    alike too when what they share opens.
    """
    if reference.id == "vref_v":
        return _ALIKE
    if excursion.span_s[1] - excursion.span_s[0] <= _LONGEST_TRACKS_S:
        return _ALIKE_TRACKS
    least = _BOTH_SIDES * float(np.abs(moves).max(initial=0.0))
    swings = bool(moves.size) and float(moves.max()) > least and float(moves.min()) < -least
    between = excursion.floor is Floor.INTERMEDIATE and apart_v > _APART_V
    return _ALIKE_LONG if swings or between else 0.0


def _simultaneous(time_s: FloatArray, others_s: FloatArray, slack: float) -> tuple[IntArray, BoolArray]:
    """For each instant the index of the other line's nearest sample, and whether it is near enough."""
    at = np.minimum(np.searchsorted(others_s, time_s - slack), others_s.size - 1)
    return at, np.abs(others_s[at] - time_s) <= slack


def _moves(reference: Channel, at: IntArray) -> FloatArray:
    """By how many volts the reference line leaves its surroundings, shape of `at`."""
    first, last = int(at[0]), int(at[-1]) + 1
    low, high = max(0, first - _AROUND), min(reference.samples, last + _AROUND)
    around = np.concatenate((reference.values[low:first], reference.values[last:high]))
    values = reference.values[at]
    if not around.size or (reference.id == "vref_v" and values.min() < _COLLAPSED_V):
        return np.zeros(at.shape)
    return values - float(np.median(around))
