"""Faults that can be planted in a simulated sensor, and what they do to its lines.

A fault acts on the circuit, so the level it leaves comes out of the circuit's solution; only worn
tracks, which are no matter of the circuit, act on the signal itself.
"""

from dataclasses import dataclass

import numpy as np

from nervus.circuit.sensor import SensorCircuit
from nervus.domain.channel import BoolArray, FloatArray, Span
from nervus.domain.finding import Shape

_TABLE = np.linspace(0.0, 1.0, 101)


@dataclass(frozen=True, slots=True)
class WornPlace:
    """A place of one track (1 or 2) that fails in a share `chance` of the crossings."""

    track: int
    travel_pct: Span
    shape: Shape
    chance: float = 1.0
    step_v: float = 0.2


@dataclass(frozen=True, slots=True)
class RoughPlace:
    """A place of one track that is noisy by `rms_v` while the wiper moves over it."""

    track: int
    travel_pct: Span
    rms_v: float


@dataclass(frozen=True, slots=True)
class LooseLine:
    """A line (`signal1`, `signal2`, `supply`, `ground`) that opens at these times, chattering."""

    line: str
    times_s: tuple[Span, ...]


@dataclass(frozen=True, slots=True)
class BentTrack:
    """A track that is off by up to `worst_pct` of the travel over a stretch."""

    track: int
    travel_pct: Span
    worst_pct: float


Fault = WornPlace | RoughPlace | LooseLine | BentTrack


def table_of(circuit: SensorCircuit, key: str) -> FloatArray:
    """Volts at one node for a hundred positions, from closed to open, shape (101,)."""
    return np.asarray([circuit.volts(float(x))[key] for x in _TABLE])


def volts_at(table: FloatArray, percent: FloatArray) -> FloatArray:
    """Volts for positions in percent, shape (n,) to (n,)."""
    return np.interp(percent / 100.0, _TABLE, table)


def broken(circuit: SensorCircuit, line: str) -> SensorCircuit:
    """The circuit with one of its lines open."""
    if line.startswith("signal"):
        return circuit.open_signal(int(line[-1]) - 1)
    return circuit.open_supply() if line == "supply" else circuit.open_ground()


def chatter(time_s: FloatArray, times_s: tuple[Span, ...], random: np.random.Generator) -> BoolArray:
    """When a loose contact is open: most of each span, touching now and then within it."""
    is_open = np.zeros(time_s.shape, dtype=bool)
    for start, end in times_s:
        within = (time_s >= start) & (time_s <= end)
        is_open |= within & (random.random(time_s.size) > 0.1)
    return is_open


def contact(is_open: BoolArray, random: np.random.Generator) -> FloatArray:
    """How far a contact is open at each instant, 0 to 1, shape (n,): it wavers while it is open."""
    state = random.random(is_open.size)
    # A fifth of the time it touches in part, somewhere between closed and open.
    partly = np.where(state < 0.2, random.random(is_open.size), 1.0)
    return np.asarray(partly * is_open)


def crossings_that_fail(
    percent: FloatArray, place: Span, chance: float, random: np.random.Generator
) -> BoolArray:
    """When the wiper is on the place in a crossing that fails, shape (n,)."""
    on_place = (percent >= place[0]) & (percent <= place[1])
    edges = np.flatnonzero(np.diff(np.concatenate(([False], on_place, [False])).astype(np.int8)))
    fails = np.zeros(percent.shape, dtype=bool)
    for start, end in zip(edges[::2], edges[1::2], strict=True):
        fails[start:end] = random.random() < chance
    return fails
