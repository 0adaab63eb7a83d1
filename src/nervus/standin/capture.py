"""Simulated captures: a throttle is moved, its sensor's circuit solved, its lines sampled.

What it does not imitate: temperature, supply ripple, the low-pass of a control unit's input, slip
of the sampling clock. Noise has a random stream of its own: changing it leaves the motion as it is.
"""

from dataclasses import dataclass, replace

import numpy as np

from nervus.circuit.sensor import SensorCircuit, TrackCircuit
from nervus.domain.channel import CHANNEL_KINDS, BoolArray, Channel, FloatArray, Mark, Recording
from nervus.domain.finding import Shape
from nervus.standin.faults import (
    BentTrack,
    Fault,
    LooseLine,
    RoughPlace,
    WornPlace,
    broken,
    chatter,
    crossings_that_fail,
    table_of,
    volts_at,
)
from nervus.standin.motion import Stroke, follow


@dataclass(frozen=True, slots=True)
class Sampler:
    """How lines are sampled.

    Attributes:
        rate_hz: samples a second.
        bits: resolution over 0 to 5 V.
        noise_v: deviation of the noise.
        polled_s: 0 where all channels are sampled at once, else the time from one to the next.
    """

    rate_hz: float = 200.0
    bits: int = 12
    noise_v: float = 0.002
    polled_s: float = 0.0

    def digitise(self, volts: FloatArray, random: np.random.Generator) -> FloatArray:
        """Volts as the converter gives them, shape (n,)."""
        step = 5.0 / 2**self.bits
        noisy = volts + random.normal(0.0, self.noise_v, volts.size)
        return np.asarray(np.round(np.clip(np.round(noisy / step) * step, 0.0, 5.2), 4))


CABLE = SensorCircuit((TrackCircuit(0.105, 0.905, pull_to_supply=True, pull_ohms=100_000.0),))
OPPOSITE = SensorCircuit((TrackCircuit(0.10, 0.90), TrackCircuit(0.90, 0.10)))
HALF = SensorCircuit((TrackCircuit(0.10, 0.90), TrackCircuit(0.05, 0.45)))


def capture(
    circuit: SensorCircuit,
    strokes: tuple[Stroke, ...],
    sampler: Sampler,
    seed: int,
    *,
    faults: tuple[Fault, ...] = (),
    marks: tuple[Mark, ...] = (),
    name: str = "",
) -> Recording:
    """One recording of the sensor's signals and its supply."""
    seeds = np.random.SeedSequence(seed).spawn(3)
    hand, chance, noise = (np.random.default_rng(s) for s in seeds)
    rest = strokes[-1].to_pct if strokes else 0.0
    time_s, percent = follow(strokes, sampler.rate_hz, hand, start_pct=rest)
    channels = []
    for number in range(1, len(circuit.tracks) + 1):
        late = (number - 1) * sampler.polled_s
        there = np.interp(time_s + late, time_s, percent)
        volts = _line(circuit, number, (time_s, there), faults, chance)
        channels.append(_channel(f"tps{number}_v", time_s + late, volts, sampler, noise))
    supply = np.full(time_s.shape, circuit.supply_v)
    late = len(circuit.tracks) * sampler.polled_s
    channels.append(_channel("vref_v", time_s + late, supply, sampler, noise))
    return Recording(tuple(channels), marks, name)


def _channel(
    channel_id: str,
    time_s: FloatArray,
    volts: FloatArray,
    sampler: Sampler,
    random: np.random.Generator,
) -> Channel:
    return Channel(CHANNEL_KINDS[channel_id], np.round(time_s, 6), sampler.digitise(volts, random))


def _line(
    circuit: SensorCircuit,
    number: int,
    motion: tuple[FloatArray, FloatArray],
    faults: tuple[Fault, ...],
    chance: np.random.Generator,
) -> FloatArray:
    """Volts at the control unit's input of one track, shape (n,)."""
    time_s, percent = motion
    key = f"signal{number}"
    shown = percent
    for fault in faults:
        if isinstance(fault, BentTrack) and fault.track == number:
            shown = shown + _bend(percent, fault)
        elif isinstance(fault, WornPlace) and fault.track == number and fault.shape is Shape.FLAT:
            shown = np.where(_on(percent, fault), fault.travel_pct[0], shown)
    volts = volts_at(table_of(circuit, key), shown)
    for fault in faults:
        if isinstance(fault, LooseLine):
            opened = volts_at(table_of(broken(circuit, fault.line), key), percent)
            fresh = np.random.default_rng(_shared_seed(fault))
            volts = np.where(chatter(time_s, fault.times_s, fresh), opened, volts)
        elif isinstance(fault, RoughPlace) and fault.track == number:
            moving = np.abs(np.gradient(percent, time_s)) > 1.0
            rough = _on(percent, fault) & moving
            volts = volts - np.abs(chance.normal(0.0, fault.rms_v, volts.size)) * rough
        elif isinstance(fault, WornPlace) and fault.track == number:
            volts = _worn(circuit, key, (percent, volts), fault, chance)
    return volts


def _on(percent: FloatArray, fault: WornPlace | RoughPlace) -> BoolArray:
    low, high = fault.travel_pct
    return np.asarray((percent >= low) & (percent <= high))


def _bend(percent: FloatArray, fault: BentTrack) -> FloatArray:
    low, high = fault.travel_pct
    share = np.clip((percent - low) / (high - low), 0.0, 1.0)
    return np.asarray(fault.worst_pct * np.sin(np.pi * share) ** 2)


def _shared_seed(fault: LooseLine) -> int:
    """The same contact opens for all tracks at the same instants."""
    return int(1000 * sum(start for start, _ in fault.times_s)) % 2**31


def _worn(
    circuit: SensorCircuit,
    key: str,
    signal: tuple[FloatArray, FloatArray],
    fault: WornPlace,
    chance: np.random.Generator,
) -> FloatArray:
    percent, volts = signal
    if fault.shape is Shape.FLAT:
        return volts
    fails = crossings_that_fail(percent, fault.travel_pct, fault.chance, chance)
    if fault.shape is Shape.STEP:
        return np.where(fails, volts - fault.step_v, volts)
    lifted = broken(circuit, key)
    opened = volts_at(table_of(lifted, key), percent)
    touching = chance.random(volts.size) < 0.1
    return np.where(fails & ~touching, opened, volts)


def without_supply(recording: Recording) -> Recording:
    """The same recording as a meter with one channel would have given it."""
    return replace(recording, channels=tuple(c for c in recording.channels if c.id != "vref_v"))
