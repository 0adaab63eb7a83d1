"""Ignition spikes: volts that every line shares for a sample or two, and no fault of the sensor.

A spike is coupled into the harness and the ground, so it adds the same voltage to all lines, the
supply included. An interruption does not: what it adds depends on where the track stands.
"""

import numpy as np

from nervus.domain.channel import BoolArray, Channel, FloatArray, IntArray, Recording, Role, Unit
from nervus.domain.finding import Floor
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.instruments import sampling
from nervus.signal.instruments.instrument import Instrument

# A spike, or a few in a row, are over after this time and so many samples.
_SAMPLES, _LONGEST_S, _LONGEST_TRACKS_S = 6, 0.012, 0.003
# All lines move by the same volts within this share; one of them may be filtered better. Two tracks
# have the same input, and an open supply or ground moves them alike by chance only.
_ALIKE, _ALIKE_TRACKS, _ALIKE_LONG = 0.5, 0.25, 0.15
# It swings to both sides if each is at least this share of the greater one.
_BOTH_SIDES, _APART_V = 0.05, 0.2
# No opening of the sensor's circuit takes a track above its supply, percent of it, or below its ground.
_ABOVE_SUPPLY_PCT, _BELOW_GROUND_PCT = 103.0, -3.0
# What ends this near to the supply, percent, is tied to it: no spike stops just there.
_AT_SUPPLY_PCT = 0.4
# A supply that falls to this is open: that is no spike, which adds what it adds wherever the line was.
_COLLAPSED_V = 0.5
# A converter ends a little above the supply: what reads its highest value there may have been higher.
_CLIPS_ABOVE_V = 5.05
# What was read further apart did not see the same spike: it is over by then.
_AT_ONCE_S = 0.003
# So many samples on each side of a spike tell what the line usually is there.
_AROUND = 4
# From so many spikes on, a recording is full of them.
_MANY_SPIKES = 3


def is_spike(track: Instrument, excursion: Excursion, reference: Channel) -> bool | None:
    """Whether an excursion is a spike that the reference line shows too, sample by sample.

    Args:
        track: the track.
        excursion: one of its excursions.
        reference: the supply, or another track.

    Returns:
        `None` where it may be one, but the reference has no sample at that instant.
    """
    start, end = excursion.span_s
    if end - start > _LONGEST_S:
        return False
    slack = min(0.3 * track.interval_s, _AT_ONCE_S)
    own = slice(*np.searchsorted(track.time_s, (start - slack, end + slack)).tolist())
    at, there = _simultaneous(track.time_s[own], reference.time_s, slack)
    if not there.any():
        return None if excursion.samples == 1 else False
    own_v, others_v = track.own(track.level[own]), reference.values[at[there]]
    stands_v = _around(reference.values, int(at[there][0]), int(at[there][-1]) + 1)
    moves = own_v - _around(track.level, own.start, own.stop) * track.supply_v / 100.0
    mine, others, own_v = moves[there], others_v - stands_v, own_v[there]
    if reference.id == "vref_v" and others_v.min() < _COLLAPSED_V:
        return False
    ends = excursion.level, 100.0 * float(others_v.max()) / track.supply_v
    if reference.id != "vref_v" and max(abs(end - 100.0) for end in ends) < _AT_SUPPLY_PCT:
        return False
    if max(float(others_v.max()), float(own_v.max())) >= _CLIPS_ABOVE_V:
        # What a converter cut off may have been as much as the other line shows.
        cut = others_v >= max(float(reference.values.max()), _CLIPS_ABOVE_V)
        others = np.where(cut, np.maximum(others, mine), others)
        mine = np.where(own_v >= _top_v(track), np.maximum(others, mine), mine)
    apart_v = abs(excursion.course * track.supply_v / 100.0 - stands_v)
    share = _share(excursion, reference, moves, apart_v)
    # Beside spikes, and between two that follow each other, there is noise only, which no line shares.
    loud = np.maximum(np.abs(mine), np.abs(others)) > track.tolerance * track.supply_v / 100.0
    mine, others = mine[loud], others[loud]
    moved = max(float(np.abs(mine).sum()), float(np.abs(others).sum()))
    few = mine.size <= _most_samples(track)
    return few and bool(np.abs(mine - others).sum() < share * moved)


def _top_v(track: Instrument) -> float:
    """From here up a track's converter may have cut off what it read, volts."""
    return max(float(track.level.max()) * track.supply_v / 100.0 - 1e-6, _CLIPS_ABOVE_V)


def _most_samples(track: Instrument) -> float:
    return max(_SAMPLES, _LONGEST_TRACKS_S / max(track.interval_s, 1e-7))


def _share(excursion: Excursion, reference: Channel, moves: FloatArray, apart_v: float) -> float:
    """How far the reference may be from moving by the same volts, as a share of what the track moves.

    What lasts longer than a spike's first swing must swing to both sides of the course, or be the closer
    alike and go to no rail from openings that are apart: two tracks that read alike move alike too when
    what they share opens.
    """
    if reference.id == "vref_v":
        return _ALIKE
    if excursion.span_s[1] - excursion.span_s[0] <= _LONGEST_TRACKS_S:
        return _ALIKE_TRACKS
    peak = float(np.abs(moves).max(initial=0.0))
    least = _BOTH_SIDES * peak
    swings = float(moves.max()) > least and float(moves.min()) < -least
    # An opening would bring both to one level, and so move them differently by what they are apart.
    beyond = not _BELOW_GROUND_PCT <= excursion.level <= _ABOVE_SUPPLY_PCT
    no_rail = excursion.floor is Floor.INTERMEDIATE or beyond
    between = no_rail and apart_v > max(_APART_V, 2.0 * _ALIKE_LONG * peak)
    if swings:
        return _ALIKE_TRACKS
    return _ALIKE_LONG if between else 0.0


def _simultaneous(time_s: FloatArray, others_s: FloatArray, slack: float) -> tuple[IntArray, BoolArray]:
    """For each instant the index of the other line's nearest sample, and whether it is near enough."""
    at = np.minimum(np.searchsorted(others_s, time_s - slack), others_s.size - 1)
    return at, np.abs(others_s[at] - time_s) <= slack


def _around(volts: FloatArray, first: int, last: int) -> float:
    """What a line usually is beside some of its samples."""
    before, behind = volts[max(0, first - _AROUND) : first], volts[last : last + _AROUND]
    around = np.concatenate((before, behind))
    return sampling.middle(around if around.size else volts[first:last])


def shared_lines(recording: Recording, track_id: str) -> tuple[Channel, ...]:
    """The lines on which an ignition spike would show too: the supply, the other track."""
    if not track_id.endswith("_v"):
        return ()
    lines = (*recording.with_role(Role.SUPPLY), *recording.with_role(Role.TRACK))
    return tuple(c for c in lines if c.kind.unit is Unit.VOLT and c.id != track_id)


def spikes_of(recording: Recording, track: Instrument, found: tuple[Excursion, ...]) -> set[int]:
    """Identities of the excursions that are spikes.

    Where a recording is full of spikes, a lone sample that no other line was sampled with is one more.
    """
    verdicts = {id(e): _verdicts(recording, track, e) for e in found}
    sure = {e for e, said in verdicts.items() if any(said)}
    if len(sure) < _MANY_SPIKES:
        return sure
    return sure | {e for e, said in verdicts.items() if None in said}


def _verdicts(recording: Recording, track: Instrument, excursion: Excursion) -> list[bool | None]:
    """What the lines say of an excursion: the supply alone, if it was sampled with the track."""
    said: list[bool | None] = []
    for line in shared_lines(recording, track.id):
        said.append(is_spike(track, excursion, line))
        if line.kind.role is Role.SUPPLY and said[-1] is not None:
            return said
    return said
