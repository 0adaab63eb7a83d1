"""What the engine breathed, as a witness of whether its plate moved.

The plate is an orifice and the engine a pump (Heywood, "Internal Combustion Engine Fundamentals",
section 7.6, from memory): further open it takes in more at a stroke, and turning faster, through the
same opening, less. Where nobody told of the air, what it did with it tells: what it takes in at a stroke
is its torque, which speeds it up.
"""

from collections.abc import Mapping, Sequence

import numpy as np

from nervus.domain.channel import Channel, FloatArray, Recording, Sensor
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.explained.goes_with import LEAST_READINGS, GoesWith, learn_goes_with, may_be_asked
from nervus.signal.instruments import sampling
from nervus.signal.instruments.instrument import Instrument

# What tells of the air, the best first. Told more seldom than this it is no witness of an interruption.
_AIR, _EVERY_S = ("map_kpa", "load_pct", "maf_gs"), 0.25
# Told more seldom than this a speed is none either.
_SPEED_EVERY_S = 0.6
# Below this no engine runs, 1/min.
_STANDING = 200.0


def who_breathed(
    recording: Recording, tracks: Sequence[Instrument], away: Mapping[str, Sequence[Excursion]]
) -> GoesWith | None:
    """The air that an engine took while a throttle was read slowly, or how it sped up.

    Args:
        recording: what was captured.
        tracks: of the throttle.
        away: for each track where it may have left its course: nothing is learned from there.
    """
    turning = recording.get("rpm")
    is_pedal = tracks[0].kind.sensor is Sensor.PEDAL
    if turning is None or is_pedal or not may_be_asked(tracks, away):
        return None
    air = _air(recording)
    told = _sped_up(turning) if air is None else _at_a_stroke(air, turning)
    return None if told is None else learn_goes_with(tracks, away, *told)


def _at_a_stroke(air: Channel, turning: Channel) -> tuple[FloatArray, FloatArray, FloatArray]:
    """When the air was told, how much of it in a stroke, and the speed then, while the engine ran."""
    speed = read_at(air.time_s, turning.time_s, turning.values)
    runs = speed > _STANDING
    speed, values = speed[runs], air.values[runs]
    return air.time_s[runs], values / speed if air.id == "maf_gs" else values, speed


def _sped_up(turning: Channel) -> tuple[FloatArray, FloatArray, FloatArray] | None:
    """When, by how much in a second, and at which speed; `None` where it was told too seldom."""
    if turning.samples <= LEAST_READINGS or sampling.interval_s(turning.time_s) > _SPEED_EVERY_S:
        return None
    time_s, speed = ((x[1:] + x[:-1]) / 2.0 for x in (turning.time_s, turning.values))
    took_s = np.diff(turning.time_s)
    runs = (speed > _STANDING) & (took_s > 0.0)
    return time_s[runs], np.diff(turning.values)[runs] / took_s[runs], speed[runs]


def _air(recording: Recording) -> Channel | None:
    found = (recording.get(name) for name in _AIR)
    often = (c for c in found if c is not None and c.samples >= LEAST_READINGS)
    return next((c for c in often if sampling.interval_s(c.time_s) <= _EVERY_S), None)
