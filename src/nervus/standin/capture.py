"""Simulated captures: a throttle is moved, its sensor's circuit solved, its lines sampled.

What it does not imitate: temperature, supply ripple, slip of the sampling clock. Noise has a random
stream of its own: changing it leaves the motion as it is.
"""

from dataclasses import dataclass, replace
from math import ceil

import numpy as np

from nervus.circuit.sensor import SensorCircuit, TrackCircuit
from nervus.domain.channel import CHANNEL_KINDS, BoolArray, Channel, FloatArray, Mark, Recording, Span
from nervus.domain.finding import Shape
from nervus.signal.arithmetic.spans import merge, runs
from nervus.standin.faults import (
    BentTrack,
    Fault,
    LooseLine,
    RoughPlace,
    WornPlace,
    broken,
    chatter,
    contact,
    crossings_that_fail,
    table_of,
    volts_at,
)
from nervus.standin.motion import Stroke, follow

# A plate is moved in steps no longer than these, however seldom it is looked at: between two samples of
# a slow logger a stroke may begin and end.
_MOVED_HZ = 200.0
# A contact that opens again this soon opens at the same shake: one interruption of the truth.
_ONE_SHAKE_S = 0.06


@dataclass(frozen=True, slots=True)
class Sampler:
    """How lines are sampled.

    Attributes:
        rate_hz: samples a second.
        bits: resolution over 0 to 5 V.
        noise_v: deviation of the noise.
        polled_s: 0 where all channels are sampled at once, else the time from one to the next.
        filter_s: time constant of the input's low-pass (one resistor, one capacitor); 0 for none.
    """

    rate_hz: float = 200.0
    bits: int = 12
    noise_v: float = 0.002
    polled_s: float = 0.0
    filter_s: float = 0.0

    def digitise(self, volts: FloatArray, random: np.random.Generator) -> FloatArray:
        """Volts as the converter gives them, shape (n,)."""
        step = 5.0 / 2**self.bits
        if self.filter_s > 0.0:
            volts = self._behind_filter(volts)
        noisy = volts + random.normal(0.0, self.noise_v, volts.size)
        return np.asarray(np.round(np.clip(np.round(noisy / step) * step, 0.0, 5.2), 4))

    def _behind_filter(self, volts: FloatArray) -> FloatArray:
        from scipy.signal import lfilter  # noqa: PLC0415 - loaded when first needed: start-up

        kept = float(np.exp(-1.0 / (self.rate_hz * self.filter_s)))
        filtered, _ = lfilter([1.0 - kept], [1.0, -kept], volts, zi=[kept * volts[0]])
        return np.asarray(filtered)


CABLE = SensorCircuit((TrackCircuit(0.105, 0.905, pull_share=1.0, pull_ohms=100_000.0),))
OPPOSITE = SensorCircuit((TrackCircuit(0.10, 0.90), TrackCircuit(0.90, 0.10)))
HALF = SensorCircuit((TrackCircuit(0.10, 0.90), TrackCircuit(0.05, 0.45)))


@dataclass(frozen=True, slots=True)
class Planted:
    """What a fault did in a recording: the fault, and when it showed."""

    fault: Fault
    times_s: tuple[Span, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Simulated:
    """A recording with what is true in it.

    Attributes:
        recording: what the analysis gets.
        time_s: instants of the motion, shape (n,).
        percent: true position in percent of travel, shape (n,).
        planted: what each fault did.
    """

    recording: Recording
    time_s: FloatArray
    percent: FloatArray
    planted: tuple[Planted, ...]


def simulate(
    circuit: SensorCircuit,
    strokes: tuple[Stroke, ...],
    sampler: Sampler,
    seed: int,
    *,
    faults: tuple[Fault, ...] = (),
    marks: tuple[Mark, ...] = (),
    name: str = "",
) -> Simulated:
    """One recording of the sensor's signals and its supply, with what is true in it."""
    seeds = np.random.SeedSequence(seed).spawn(3)
    hand, chance, noise = (np.random.default_rng(s) for s in seeds)
    rest = strokes[-1].to_pct if strokes else 0.0
    steps = max(1, ceil(_MOVED_HZ / sampler.rate_hz))
    moved_s, moved = follow(strokes, steps * sampler.rate_hz, hand, start_pct=rest)
    time_s, percent = moved_s[::steps], moved[::steps]
    active = [(f, _activity(f, time_s, percent, chance)) for f in faults]
    channels = []
    for number in range(1, len(circuit.tracks) + 1):
        late = (number - 1) * sampler.polled_s
        there = np.interp(time_s + late, moved_s, moved)
        volts = _line(circuit, number, (time_s, there), active, chance)
        channels.append(_channel(f"tps{number}_v", time_s + late, volts, sampler, noise))
    supply = np.full(time_s.shape, circuit.supply_v)
    late = len(circuit.tracks) * sampler.polled_s
    channels.append(_channel("vref_v", time_s + late, supply, sampler, noise))
    planted = tuple(Planted(f, _spans(time_s, on)) for f, on in active)
    return Simulated(Recording(tuple(channels), marks, name), time_s, percent, planted)


def _spans(time_s: FloatArray, active: BoolArray) -> tuple[Span, ...]:
    found = zip(*runs(active), strict=True)
    return merge(((float(time_s[a]), float(time_s[b])) for a, b in found), _ONE_SHAKE_S)


def _activity(
    fault: Fault, time_s: FloatArray, percent: FloatArray, chance: np.random.Generator
) -> BoolArray:
    """When a fault shows, shape (n,)."""
    if isinstance(fault, LooseLine):
        return chatter(time_s, fault.times_s, chance)
    if isinstance(fault, WornPlace):
        return crossings_that_fail(percent, fault.travel_pct, fault.chance, chance)
    low, high = fault.travel_pct
    inside = (percent >= low) & (percent <= high)
    if isinstance(fault, RoughPlace):
        inside &= np.abs(np.gradient(percent, time_s)) > 1.0
    return np.asarray(inside)


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
    active: list[tuple[Fault, BoolArray]],
    chance: np.random.Generator,
) -> FloatArray:
    """Volts at the control unit's input of one track, shape (n,)."""
    time_s, percent = motion
    key = f"signal{number}"
    shown = percent
    for fault, on in active:
        if isinstance(fault, BentTrack) and fault.track == number:
            shown = shown + _bend(percent, fault)
        elif isinstance(fault, WornPlace) and fault.track == number and fault.shape is Shape.FLAT:
            shown = np.where(on, fault.travel_pct[0], shown)
    volts = volts_at(table_of(circuit, key), shown)
    for fault, on in active:
        if isinstance(fault, LooseLine):
            opened = volts_at(table_of(broken(circuit, fault.line), key), percent)
            volts = volts + contact(on, np.random.default_rng(time_s.size)) * (opened - volts)
        elif isinstance(fault, BentTrack) or fault.track != number:
            continue
        elif isinstance(fault, RoughPlace):
            volts = volts - np.abs(chance.normal(0.0, fault.rms_v, volts.size)) * on
        elif fault.shape is Shape.STEP:
            volts = np.where(on, volts - fault.step_v, volts)
        elif fault.shape is Shape.DROP:
            opened = volts_at(table_of(broken(circuit, key), key), percent)
            volts = volts + contact(on, chance) * (opened - volts)
    return volts


def _bend(percent: FloatArray, fault: BentTrack) -> FloatArray:
    low, high = fault.travel_pct
    share = np.clip((percent - low) / (high - low), 0.0, 1.0)
    return np.asarray(fault.worst_pct * np.sin(np.pi * share) ** 2)


def without_supply(recording: Recording) -> Recording:
    """The same recording as a meter with one channel would have given it."""
    return replace(recording, channels=tuple(c for c in recording.channels if c.id != "vref_v"))
