"""What a control unit shows of its inputs behind their low-pass, taken back to what came in.

A resistor and a capacitor keep noise out of an input (common practice), and let what leaps arrive over
several readings: it seems to move, and less far than it did. By which share of what is left each reading
is nearer than the one before is the same each time, both ways, and on all tracks of a unit. What moves
by itself sets off gently; a line that is open discharges slowly, and is back at once.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import log

import numpy as np

from nervus.domain.channel import BoolArray, Channel, FloatArray, IntArray, Recording, Unit
from nervus.signal.instruments import sampling
from nervus.signal.instruments.fed import NOMINAL_SUPPLY_V

# Read more often, what arrives shows as a curve that others know; more seldom, a plate takes no longer
# from stop to stop than an input would.
_FINEST_S, _COARSEST_S = 0.003, 0.03
# A leap is so many percent of the scale at least, and so many times what noise puts between two
# readings, with less than this share of its largest step in those before.
_LEAP_PCT, _LEAP_TIMES, _PREPARED = 2.0, 8.0, 0.2
# What is so many deviations off is more than noise, of which steps have twice the variance of a reading,
# and bends six times (1 + 1, and 1 + 4 + 1).
_SURE, _OF_STEPS, _OF_BENDS = 3.0, 2.0**0.5, 6.0**0.5
# So many leaps at least, and this share of those that tell it well enough, keep one share of what is
# left, within so much and twice what they are known to.
_LEAST, _MOSTLY, _KNOWN_TO, _ALIKE = 4, 0.6, 0.08, 0.06
# Of very many leaps so many of each track are enough.
_ENOUGH = 200
# What keeps less is as good as there at once; of what keeps more, noise is all that would be seen.
_KEEPS_LEAST, _KEEPS_MOST = 0.1, 0.85
# What is slower is no input but a plate that nears where it was sent (from memory: inputs have up to 20
# ms, plates on a motor 50 and more).
_SLOWEST_S = 0.03
# Stamps come unevenly: no reading comes sooner behind another than this share of what is usual.
_SOONEST = 0.5


@dataclass(frozen=True, slots=True, eq=False)
class _Leaps:
    """Leaps that nothing prepared, shape (n,) each.

    Attributes:
        kept: of what is left of it at a reading, the share that is at the next.
        known_to: its deviation.
        way: up or down, 1 or -1.
    """

    kept: FloatArray
    known_to: FloatArray
    way: FloatArray


def without_filter(recording: Recording) -> Recording:
    """The recording with what came in at its tracks' inputs, where a low-pass shows before them."""
    tracks = [c for c in recording.channels if c.kind.number]
    tracks = [c for c in tracks if _FINEST_S <= sampling.interval_s(c.time_s) <= _COARSEST_S]
    low_pass_s = _time_constant_s(tracks)
    if low_pass_s is None:
        return recording
    came_in = {c.id: _came_in(c, low_pass_s) for c in tracks}
    return replace(recording, channels=tuple(came_in.get(c.id, c) for c in recording.channels))


def _time_constant_s(tracks: Sequence[Channel]) -> float | None:
    """The time constant that the leaps of some tracks agree on, seconds; `None` where there is none."""
    leaps = [_leaps(c) for c in tracks if c.samples > _LEAST]
    if not leaps:
        return None
    kept, known_to, way = (
        np.concatenate(each) for each in zip(*((x.kept, x.known_to, x.way) for x in leaps), strict=True)
    )
    told = known_to <= _KNOWN_TO
    kept, known_to, way = kept[told], known_to[told], way[told]
    # What may as well be there at once tells of none.
    at_once = np.count_nonzero(kept <= _ALIKE + 2.0 * known_to)
    if 2 * at_once >= kept.size:
        return None
    alike = np.abs(kept[:, None] - kept) <= _ALIKE + 2.0 * known_to
    most = alike[int(np.argmax(alike.sum(axis=1)))]
    both_ways = np.unique(way[most]).size > 1
    share = float(np.median(kept[most]))
    if np.count_nonzero(most) < max(_LEAST, _MOSTLY * kept.size) or not both_ways:
        return None
    if not _KEEPS_LEAST <= share <= _KEEPS_MOST:
        return None
    constant_s = float(np.median([sampling.interval_s(c.time_s) for c in tracks])) / -log(share)
    return constant_s if constant_s <= _SLOWEST_S else None


def _leaps(channel: Channel) -> _Leaps:
    scale = NOMINAL_SUPPLY_V if channel.kind.unit is Unit.VOLT else 100.0
    noise = max(sampling.noise(channel.values), 1e-4 * scale)
    step = np.diff(channel.values)
    at = _set_off(step, max(_LEAP_PCT / 100.0 * scale, _LEAP_TIMES * noise), noise)
    at = at[:: max(1, at.size // _ENOUGH)]
    way = np.sign(step[at])
    told = [_goes_on(step * w, n, noise) for n, w in zip(at.tolist(), way, strict=True)]
    kept, known_to = np.asarray(told, dtype=np.float64).reshape(-1, 2).T
    return _Leaps(kept, known_to, way)


def _set_off(step: FloatArray, least: float, noise: float) -> IntArray:
    """Indices of the largest steps of what leaps: nothing before prepares it, nor goes back at once."""
    size = np.abs(step)
    inner = size[2:-1]
    largest = (inner >= least) & (inner >= size[1:-2]) & (inner > size[3:])
    at = 2 + np.flatnonzero(largest)
    way = np.sign(step[at])
    chosen: BoolArray = size[at - 2] <= _PREPARED * size[at]
    chosen &= way * step[at - 1] >= -_PREPARED * size[at]
    chosen &= way * step[at + 1] >= -_SURE * _OF_STEPS * noise
    return at[chosen]


def _goes_on(step: FloatArray, at: int, noise: float) -> tuple[float, float]:
    """Which share of a rising leap is kept behind its largest step, and to what that is known."""
    sure, last = _SURE * _OF_STEPS * noise, at + 1
    while last + 1 < step.size and sure < step[last] <= step[last - 1]:
        last += 1
    if step[last] < -sure:
        last -= 1  # the way back has begun
    tail = step[at + 1 : last + 1]
    if tail.size < 2:
        # It is there at once, or went back too soon to tell.
        return 0.0, (_OF_STEPS * noise / float(step[at]) if abs(step[at + 1]) <= sure else np.inf)
    # Where the shaft moves besides, that is in each step, and not in how they differ.
    bends = -np.diff(tail)
    sure_ones = int(np.argmin(np.append(bends, 0.0) > _SURE * _OF_BENDS * noise))
    by_bends = _share(bends[: sure_ones + 1], _OF_BENDS * noise)
    by_steps = _share(tail, max(_OF_STEPS * noise, abs(float(step[at - 2]))))
    return min(by_bends, by_steps, key=lambda told: told[1])


def _share(falls: FloatArray, unknown: float) -> tuple[float, float]:
    """By which factor some values fall each time, by least squares, and to what that is known."""
    of = float(np.dot(falls[:-1], falls[:-1]))
    if of <= 0.0:
        return 0.0, np.inf
    return float(np.dot(falls[:-1], falls[1:])) / of, unknown / of**0.5


def _came_in(channel: Channel, low_pass_s: float) -> Channel:
    """A channel before a low-pass: of what is left each reading keeps exp(-time / time constant).

    What came in is taken to have been the same since the reading before (step invariance, any textbook
    of digital filters). Nothing is known more finely than one step of the converter tells.
    """
    usual_s = sampling.interval_s(channel.time_s)
    took_s = np.maximum(np.diff(channel.time_s), _SOONEST * usual_s)
    kept = np.exp(-took_s / low_pass_s)
    values = channel.values.copy()
    values[1:] = (values[1:] - kept * values[:-1]) / (1.0 - kept)
    step = sampling.resolution(channel.values) / (1.0 - float(np.exp(-usual_s / low_pass_s)))
    if step > 0.0:
        values = np.round(values / step) * step
    highest = np.inf if channel.kind.unit is Unit.VOLT else 100.0
    values = values.clip(min(0.0, float(channel.values.min())), highest)
    return replace(channel, values=values, low_pass_s=low_pass_s)
