"""What every single fault of the sensor's circuit would read, from the circuit's solution.

A fault is the sound circuit with one thing changed: a line open or with too much resistance in it,
a track broken beside its wiper, two lines touching. Its signature is what each node then reads, at
each place of the travel, with the sensor plugged in or not.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import lru_cache
from itertools import combinations

import numpy as np

from nervus.circuit.network import GROUND, Resistor
from nervus.circuit.sensor import OPEN_OHMS, SHORT_OHMS, Ohms, SensorCircuit
from nervus.domain.channel import FloatArray
from nervus.domain.suspect import SuspectId
from nervus.language import say


class FaultMode(StrEnum):
    """How a part of the circuit fails."""

    OPEN = "open"
    RESISTANCE = "resistance"
    SHORT = "short"


@dataclass(frozen=True, slots=True)
class CircuitFault:
    """One way in which the circuit fails.

    Attributes:
        id: such as `open-signal2` or `short-signal1-supply`.
        mode: open, too much resistance, or a short.
        at: the parts of the drawing concerned, such as `signal2`.
        phrase: what one would say of it.
        suspects: the components that it would belong to.
    """

    id: str
    mode: FaultMode
    at: tuple[str, ...]
    phrase: str
    suspects: tuple[SuspectId, ...]


# Where a series fault can sit: how it is named, who it belongs to, and what changes.
_Series = tuple[str, str, tuple[SuspectId, ...], Callable[[SensorCircuit, Ohms], SensorCircuit]]
_SENSOR, _WIRING = (SuspectId.SENSOR,), (SuspectId.WIRING,)
_FEED = (SuspectId.SUPPLY_GROUND,)


def _series(tracks: int, *, contactless: bool = False) -> list[_Series]:
    places: list[_Series] = [
        ("supply", say("the supply line"), _FEED, lambda c, r: replace(c, supply_ohms=r)),
        ("supply_plug", say("the supply's contact in the plug"), _FEED, _supply_plug),
        ("ground", say("the ground line"), _FEED, lambda c, r: replace(c, ground_ohms=r)),
        ("ground_plug", say("the ground's contact in the plug"), _FEED, _ground_plug),
    ]
    for n in range(1, tracks + 1):
        wiper = (
            say("the output of track {n}", n=n) if contactless else say("the wiper of track {n}", n=n)
        )
        places += [
            (f"signal{n}", say("signal line {n}", n=n), _WIRING, _of_track(n, "signal_ohms")),
            (
                f"plug_signal{n}",
                say("signal {n}'s contact in the plug", n=n),
                _WIRING,
                _of_track(n, "plug_ohms"),
            ),
            (f"wiper{n}", wiper, _SENSOR, _of_track(n, "wiper_ohms")),
        ]
        film = [
            (
                f"above{n}",
                say("track {n} between wiper and supply", n=n),
                _SENSOR,
                _of_track(n, "above_ohms"),
            ),
            (
                f"below{n}",
                say("track {n} between wiper and ground", n=n),
                _SENSOR,
                _of_track(n, "below_ohms"),
            ),
        ]
        places += [] if contactless else film
    return places


def _supply_plug(circuit: SensorCircuit, ohms: Ohms) -> SensorCircuit:
    return replace(circuit, supply_plug_ohms=ohms)


def _ground_plug(circuit: SensorCircuit, ohms: Ohms) -> SensorCircuit:
    return replace(circuit, ground_plug_ohms=ohms)


def _of_track(number: int, what: str) -> Callable[[SensorCircuit, Ohms], SensorCircuit]:
    return lambda circuit, ohms: circuit.with_track(number - 1, **{what: ohms})


def _shorts(tracks: int) -> list[tuple[str, str]]:
    lines = ["supply", "ground", *(f"signal{n}" for n in range(1, tracks + 1)), "battery"]
    return [p for p in combinations(lines, 2) if p != ("ground", "battery")]


_NODES = {"supply": "plug_supply", "ground": GROUND, "battery": "battery"}
_LINES = {"supply": say("the supply"), "ground": say("ground"), "battery": say("battery positive")}


@lru_cache(maxsize=8)
def circuit_faults(tracks: int, *, contactless: bool = False) -> tuple[CircuitFault, ...]:
    """Every single fault of a sensor with so many tracks; a contactless one has no film that breaks."""
    found = []
    for at, name, suspects, _ in _series(tracks, contactless=contactless):
        opened = say("{name} is open", name=name)
        found.append(CircuitFault(f"open-{at}", FaultMode.OPEN, (at,), opened, suspects))
        high = say("too much resistance in {name}", name=name)
        found.append(CircuitFault(f"resistance-{at}", FaultMode.RESISTANCE, (at,), high, suspects))
    for a, b in _shorts(tracks):
        signals = any(x.startswith("signal") for x in (a, b))
        touch = say("{line} touches {line_}", line=_line(a), line_=_line(b))
        suspects = _WIRING if signals else _FEED
        found.append(CircuitFault(f"short-{a}-{b}", FaultMode.SHORT, (a, b), touch, suspects))
    return tuple(found)


def _line(name: str) -> str:
    return _LINES.get(name) or say("signal {number}", number=name[-1])


def broken(circuit: SensorCircuit, fault: CircuitFault, ohms: Ohms | None = None) -> SensorCircuit:
    """The circuit with a fault in it.

    Args:
        circuit: the sound one.
        fault: of `circuit_faults` for its number of tracks.
        ohms: what stands in the line, or between the lines; as far as can be where it is `None`.
    """
    if fault.mode is FaultMode.SHORT:
        a, b = (_NODES.get(line, line) for line in fault.at)
        between = SHORT_OHMS if ohms is None else ohms
        return replace(circuit, shorts=(*circuit.shorts, Resistor(a, b, between)))
    change = next(c for at, _, _, c in _series(len(circuit.tracks)) if at == fault.at[0])
    return change(circuit, OPEN_OHMS if ohms is None else ohms)


def signature(
    circuit: SensorCircuit,
    fault: CircuitFault | None,
    travel: FloatArray,
    *,
    ohms: Ohms | None = None,
    plugged: bool = True,
) -> dict[str, FloatArray]:
    """What every node reads over the travel with a fault (or none), in volts, each of shape (n,).

    Unplugged, the sensor hangs in the air and only the harness's side of the plug is of interest.
    """
    made = circuit if fault is None else broken(circuit, fault, ohms)
    return (made if plugged else made.unplugged()).over(np.asarray(travel, dtype=np.float64))
