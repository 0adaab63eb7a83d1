"""Which fault is planted in the simulated vehicle, and when it shows.

A fault is written as one word: what, where it is bound to a place, and what makes it show::

    open-signal2            a line of the sensor's circuit, always
    resistance-ground=400   with so many ohms
    open-signal2~shake      in bursts while the harness is shaken (also ~water, ~heat, ~chance)
    open-wiper1@18-21       at this place of the travel, in most crossings: a worn track
    pedal:open-signal1      the same in the pedal's sensor
    sticks, stays-open, weak-motor, dead-motor, false-air      mechanics and air
"""

import re
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from nervus.circuit.signatures import CircuitFault, circuit_faults
from nervus.domain.channel import Span
from nervus.domain.errors import OutsideError

MECHANICAL = ("sticks", "stays-open", "weak-motor", "dead-motor", "false-air")
_WRITTEN = re.compile(
    r"(?P<pedal>pedal:)?(?P<what>[a-z0-9_-]+?)(?:=(?P<ohms>[0-9.]+))?"
    r"(?:@(?P<low>[0-9.]+)-(?P<high>[0-9.]+))?(?:~(?P<when>[a-z]+))?"
)
# A shaken contact lets go for some milliseconds, several times over; a wet or hot one for longer.
_BURST_S, _CLOSED_S = (0.004, 0.06), (0.02, 0.5)
_LONG_BURST_S, _LONG_CLOSED_S = (0.05, 1.5), (0.3, 3.0)
# The share of crossings in which a worn place fails; the coolant from which heat shows; how often
# chance strikes.
_PLACE_CHANCE, _HOT_C, _PER_MINUTE = 0.85, 80.0, 4.0


class When(StrEnum):
    """What makes a fault show."""

    ALWAYS = "always"
    SHAKE = "shake"
    WATER = "water"
    HEAT = "heat"
    CHANCE = "chance"


@dataclass(frozen=True, slots=True)
class Planted:
    """One fault of the simulated vehicle.

    Attributes:
        what: a fault of the circuit, or one of `MECHANICAL`.
        pedal: whether the circuit is the pedal's.
        ohms: for a circuit fault, `None` for as far as can be.
        place_pct: the stretch of travel it is bound to.
        when: what makes it show.
    """

    what: CircuitFault | str
    pedal: bool = False
    ohms: float | None = None
    place_pct: Span | None = None
    when: When = When.ALWAYS


def read_fault(text: str, tracks: int = 2) -> Planted:
    """A fault as it is written on the command line.

    Raises:
        OutsideError: there is no such fault.
    """
    found = _WRITTEN.fullmatch(text.strip())
    circuit = {f.id: f for f in circuit_faults(2 if found and found["pedal"] else tracks)}
    if found is None or (found["what"] not in circuit and found["what"] not in MECHANICAL):
        raise OutsideError(
            f"--fault {text}: no such fault; accepted is one of {', '.join((*MECHANICAL, *circuit))}, "
            "with =OHMS, @LOW-HIGH (percent of travel) and ~shake, ~water, ~heat or ~chance behind it."
        )
    when = found["when"] or "always"
    if when not in set(When):
        raise OutsideError(f"--fault {text}: accepted after ~ is {', '.join(When)}.")
    place = (float(found["low"]), float(found["high"])) if found["low"] else None
    return Planted(
        circuit.get(found["what"], found["what"]),
        bool(found["pedal"]),
        float(found["ohms"]) if found["ohms"] else None,
        place,
        When(when),
    )


@dataclass(frozen=True, slots=True)
class Conditions:
    """What a fault may depend on at an instant."""

    percent: float
    coolant_c: float
    shaken: bool = False
    wet: bool = False


class Activity:
    """Decides step by step whether a planted fault shows; seeded, so that a run can be repeated."""

    def __init__(self, fault: Planted, random: np.random.Generator) -> None:
        self._fault = fault
        self._random = random
        self._left_s = 0.0
        self._open = False
        self._inside = False
        self._fails = False

    def step(self, seconds: float, now: Conditions) -> bool:
        """Whether it shows during the next step of so many seconds."""
        if self._fault.place_pct is not None:
            return self._at_place(now.percent) and self._favoured(now)
        if self._fault.when is When.ALWAYS:
            return True
        if self._fault.when is When.CHANCE:
            return self._by_chance(seconds)
        return self._favoured(now) and self._chatters(seconds)

    def _favoured(self, now: Conditions) -> bool:
        return {
            When.SHAKE: now.shaken,
            When.WATER: now.wet,
            When.HEAT: now.coolant_c > _HOT_C,
        }.get(self._fault.when, True)

    def _at_place(self, percent: float) -> bool:
        low, high = self._fault.place_pct or (0.0, 0.0)
        inside = low <= percent <= high
        if inside and not self._inside:
            self._fails = bool(self._random.random() < _PLACE_CHANCE)
        self._inside = inside
        return inside and self._fails

    def _chatters(self, seconds: float) -> bool:
        self._left_s -= seconds
        if self._left_s <= 0.0:
            self._open = not self._open
            quick = self._fault.when is When.SHAKE
            away, back = (_BURST_S, _CLOSED_S) if quick else (_LONG_BURST_S, _LONG_CLOSED_S)
            self._left_s = float(self._random.uniform(*(away if self._open else back)))
        return self._open

    def _by_chance(self, seconds: float) -> bool:
        self._left_s -= seconds
        if self._left_s > 0.0:
            return True
        if self._random.random() < seconds * _PER_MINUTE / 60.0:
            self._left_s = float(self._random.uniform(*_BURST_S))
        return self._left_s > 0.0
