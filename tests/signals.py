"""Small signals with a known answer, for the parts of the signal room."""

import numpy as np

from nervus.domain.analysis import Frame, Travel
from nervus.domain.channel import CHANNEL_KINDS, Channel, FloatArray, Recording, Sensor, Span
from nervus.signal.explained.events import Event
from nervus.signal.explained.shaft import Shaft, follow
from nervus.signal.instruments.instrument import Instrument, prepare
from nervus.signal.motion.course import course_of
from nervus.signal.motion.pair import Pair
from nervus.signal.motion.relation import Line
from nervus.signal.motion.travel import find_passes

RATE_HZ = 200.0
# The ends of what `volts` gives.
FRAME = Frame(0.5, 4.5, "as made")


def sweep(seconds: float = 4.0, rate_hz: float = RATE_HZ) -> tuple[FloatArray, FloatArray]:
    """Instants, and one smooth sweep open and shut between 0 and 100 % of travel."""
    time_s = np.arange(0.0, seconds, 1.0 / rate_hz)
    return time_s, 50.0 - 50.0 * np.cos(2 * np.pi * time_s / seconds)


def sweeps(count: int, seconds: float = 4.0, rate_hz: float = RATE_HZ) -> tuple[FloatArray, FloatArray]:
    """Several sweeps one after the other."""
    time_s = np.arange(0.0, count * seconds, 1.0 / rate_hz)
    return time_s, 50.0 - 50.0 * np.cos(2 * np.pi * time_s / seconds)


def volts(travel: FloatArray, *, noise_v: float = 0.0, seed: int = 1) -> FloatArray:
    """What a sound sensor gives: 0.5 V closed, 4.5 V wide open (common practice)."""
    random = np.random.default_rng(seed)
    return 0.5 + 0.04 * travel + random.normal(0.0, noise_v, travel.size)


def channel(channel_id: str, time_s: FloatArray, values: FloatArray) -> Channel:
    """A channel of its own copy of the arrays."""
    return Channel(CHANNEL_KINDS[channel_id], time_s.copy(), np.asarray(values, dtype=np.float64).copy())


def recording(time_s: FloatArray, **values: FloatArray) -> Recording:
    """Channels sampled at the same instants."""
    return Recording(tuple(channel(name, time_s, v) for name, v in values.items()))


def track(time_s: FloatArray, values: FloatArray, channel_id: str = "tps1_v") -> Instrument:
    """A track on a supply of 5 V, ready for the detectors."""
    made = prepare(channel(channel_id, time_s, values), 5.0)
    assert made is not None
    return made


def events(made: Recording, sensor: Sensor = Sensor.THROTTLE) -> tuple[Event, ...]:
    """What is left of a recording's candidates after each was explained, on a supply of 5 V."""
    return follow(made, sensor, 5.0, (), None).events


def pair_of(first: Instrument, second: Instrument, line: Line, *, together: bool = True) -> Pair:
    """Two tracks that are read at the same instants."""
    return Pair(first, second, line, 0.0, together)


def shaft_of(one: Instrument, two: Instrument, travel: FloatArray) -> Shaft:
    """A shaft with two tracks of one line, read together, and nothing that left its course."""
    both = one, two
    frames: dict[str, Frame] = dict.fromkeys((t.id for t in both), FRAME)
    spikes: dict[str, tuple[Span, ...]] = dict.fromkeys((t.id for t in both), ())
    return Shaft(
        Sensor.THROTTLE,
        both,
        pair_of(one, two, Line(1.0, 0.0)),
        courses={t.id: course_of(t, ()) for t in both},
        spikes=spikes,
        travel=Travel(one.time_s, travel, two.id, frames),
        passes=find_passes(one.time_s, travel),
    )


def sweep_recording(
    *, passes: int = 6, low_pct: float = 0.0, seed: int = 1, shift_v: float = 0.0
) -> Recording:
    """A sound sensor swept open and shut, rests at both ends, on a supply of 5 V."""
    ends = np.tile([low_pct, low_pct, 100.0, 100.0], (passes + 1) // 2)
    ends = np.append(ends, [low_pct, low_pct])[: 2 * passes + 2]
    at = np.arange(ends.size) * 1.5
    time_s = np.arange(0.0, at[-1], 1.0 / RATE_HZ)
    travel = np.interp(time_s, at, ends)
    made = volts(travel, noise_v=0.002, seed=seed) + shift_v
    return recording(time_s, tps1_v=made, vref_v=np.full_like(time_s, 5.0))
