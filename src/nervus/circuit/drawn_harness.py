"""Vehicles drawn by chance, with one fault in harness, plugs or sensor; seeded, so always the same.

Source of all ranges: "from memory: usual potentiometers, inputs, contacts and ways in which they fail".
"""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from nervus.circuit.harness import LINES, PLACES, Harness
from nervus.circuit.sensor import OPEN_OHMS
from nervus.domain.channel import FloatArray

# So many vehicles are drawn for each reading: more cost time, fewer make the density lumpy.
DRAWS: Final = 96
# Ohms of a sound joint; and of what should not be there and is not.
_JOINT = (0.02, 0.08)
_NEVER_OHMS = 1e11
# A contact that is gone is open in this share of all draws, else very poor.
_OPEN_SHARE = 0.65
# How often a unit's input pulls to ground, to its own 5 V, to the line of the sensors' supply.
_PULLS = (0.5, 0.25, 0.25)
# How often a feed of the pedal that fails has too much resistance, not none at all.
_POOR_SHARE = 0.3
# What a chafed signal touches: ground, the supply, a line of the battery.
_TOUCHES = (0.6, 0.3, 0.1)


@dataclass(frozen=True, slots=True)
class Asked:
    """What is asked about.

    Attributes:
        position: `closed`, `half_open` or `wide_open`.
        tracks: one or two.
        pedal: whether it is the pedal's sensor.
        draws: how many vehicles are drawn.
    """

    position: str
    tracks: int
    pedal: bool
    draws: int = DRAWS


@dataclass(frozen=True, slots=True)
class _Fault:
    name: str
    classes: tuple[str, ...]
    random: np.random.Generator
    draws: int

    @property
    def track(self) -> int:
        """The track that it concerns, from 0."""
        return 1 if "of_track_2" in self.classes or "pedal_2" in self.classes else 0

    @property
    def place(self) -> str:
        return next((p for p in PLACES if self.name.endswith(p)), "sensor_plug")

    def between(self, low: float, high: float) -> FloatArray:
        """Drawn evenly in the logarithm."""
        return np.asarray(np.exp(self.random.uniform(np.log(low), np.log(high), self.draws)))

    def gone(self) -> FloatArray:
        """Ohms of a contact that is gone."""
        is_open = self.random.random(self.draws) < _OPEN_SHARE
        return np.where(is_open, OPEN_OHMS, self.between(2e3, 1e6))


def drawn(asked: Asked, fault: str, classes: tuple[str, ...]) -> Harness:
    """Vehicles, the same for each fault, with one fault by its name and classes in the tree."""
    sound = _sound(asked)
    change = next((_CHANGES[name] for name in (fault, *classes) if name in _CHANGES), None)
    if change is None:
        return sound
    return change(sound, _Fault(fault, classes, np.random.default_rng(23), asked.draws))


def is_drawn(fault: str, classes: tuple[str, ...]) -> bool:
    """Whether a fault, by its name and classes, changes anything in the circuit."""
    return any(name in _CHANGES for name in (fault, *classes))


def _sound(asked: Asked) -> Harness:
    random, n = np.random.default_rng(11 + asked.tracks), asked.draws
    travel = {
        "closed": random.uniform(0.0, 0.10, n),
        "half_open": random.uniform(0.35, 0.65, n),
        "wide_open": random.uniform(0.92, 1.0, n),
    }[asked.position]
    closed, opened = random.uniform(0.08, 0.2, n), random.uniform(0.74, 0.94, n)
    if asked.pedal:
        opened = random.uniform(0.6, 0.9, n)
    first = closed + (opened - closed) * travel
    # The second track mirrors the first, or has half its range, or runs beside it.
    kind, mirrored = random.random(n), 0.15 if asked.pedal else 0.6
    low, high = random.uniform(0.05, 0.12, n), random.uniform(0.36, 0.48, n)
    half = low + (high - low) * travel
    beside = np.minimum(first + random.uniform(0.0, 0.16, n), 0.96)
    second = np.where(kind < mirrored, 1.0 - first, np.where(kind < 0.85, half, beside))
    joint = random.uniform(*_JOINT, (len(LINES), len(PLACES), n))
    wipers = np.exp(random.uniform(np.log(50.0), np.log(1_500.0), (asked.tracks, n)))
    return Harness(
        tracks=asked.tracks,
        share=(first, second)[: asked.tracks],
        track_ohms=np.exp(random.uniform(np.log(1_000.0), np.log(6_000.0), n)),
        wiper_ohms=tuple(wipers),
        pull_ohms=np.exp(random.uniform(np.log(50_000.0), np.log(1e6), n)),
        pull_up=random.choice(3, n, p=_PULLS).astype(float),
        series={
            (line, place): joint[i, j] for i, line in enumerate(LINES) for j, place in enumerate(PLACES)
        },
        shorts={},
        unit_ground_v=random.uniform(0.0, 0.03, n),
        regulator_v=random.normal(5.0, 0.03, n),
        regulator_ohms=np.full(n, 0.3),
    )


# -- what each fault changes ------------------------------------------------------------------------


def _in_series(h: Harness, line: str, place: str, ohms: FloatArray) -> Harness:
    return replace(h, series={**h.series, (line, place): ohms})


def _open_line(h: Harness, fault: _Fault) -> Harness:
    return _in_series(h, f"signal{fault.track + 1}", fault.place, fault.gone())


def _broken_wiper(h: Harness, fault: _Fault) -> Harness:
    wipers = list(h.wiper_ohms)
    wipers[fault.track] = fault.gone()
    return replace(h, wiper_ohms=tuple(wipers))


def _open_feed(h: Harness, fault: _Fault) -> Harness:
    line = "supply" if "open_supply" in fault.classes else "ground"
    return _in_series(h, line, fault.place, fault.gone())


def _poor_feed(h: Harness, fault: _Fault) -> Harness:
    """Too much resistance; where on its line is not told by its name."""
    line = "supply" if "poor_supply" in fault.classes else "ground"
    ohms, at = fault.between(1.5, 2_000.0), fault.random.integers(len(PLACES), size=fault.draws)
    for number, place in enumerate(PLACES):
        h = _in_series(h, line, place, np.where(at == number, ohms, h.series[line, place]))
    return h


def _open_pedal_feed(h: Harness, fault: _Fault) -> Harness:
    poor, of_supply = fault.random.random((2, fault.draws)) < np.array([[_POOR_SHARE], [0.5]])
    gone = np.where(poor, fault.between(1.5, 2_000.0), fault.gone())
    for line, here in (("supply", of_supply), ("ground", ~of_supply)):
        h = _in_series(h, line, "sensor_plug", np.where(here, gone, h.series[line, "sensor_plug"]))
    return h


def _short_supply(h: Harness, fault: _Fault) -> Harness:
    """The unit's supply gives way behind some ohms of its own."""
    shorts = {("supply", "ground"): fault.between(1.0, 150.0)}
    return replace(h, shorts=shorts, regulator_ohms=fault.between(15.0, 60.0))


def _short_signal(h: Harness, fault: _Fault) -> Harness:
    ohms, signal = fault.between(0.5, 300.0), f"signal{fault.track + 1}"
    to = fault.random.choice(3, fault.draws, p=_TOUCHES)
    others = ("ground", "supply", "battery")
    shorts = {(signal, o): np.where(to == i, ohms, _NEVER_OHMS) for i, o in enumerate(others)}
    return replace(h, shorts=shorts)


def _leak(h: Harness, fault: _Fault) -> Harness:
    ohms = fault.between(300.0, 30_000.0)
    to = "signal2" if h.tracks > 1 else "ground"
    return replace(h, shorts={("signal1", to): ohms, ("signal1", "supply"): 3.0 * ohms})


def _lifted_ground(h: Harness, fault: _Fault) -> Harness:
    return replace(h, unit_ground_v=fault.between(0.1, 2.0))


def _bad_regulator(h: Harness, fault: _Fault) -> Harness:
    low, high = fault.random.uniform(0.0, 4.6, fault.draws), fault.random.uniform(5.3, 8.0, fault.draws)
    return replace(h, regulator_v=np.where(fault.random.random(fault.draws) < 0.85, low, high))


def _poor_contact(h: Harness, fault: _Fault) -> Harness:
    """So much that the unit's input, of ten thousands of ohms, feels it; at either plug."""
    ohms, signal = fault.between(3e3, 5e5), f"signal{fault.track + 1}"
    at_unit = fault.random.random(fault.draws) < 0.3
    for place, here in (("unit_plug", at_unit), ("sensor_plug", ~at_unit)):
        h = _in_series(h, signal, place, np.where(here, ohms, h.series[signal, place]))
    return h


def _shifted(h: Harness, fault: _Fault) -> Harness:
    share = list(h.share)
    sign = fault.random.choice((-1.0, 1.0), fault.draws)
    moved = share[fault.track] + sign * fault.random.uniform(0.03, 0.2, fault.draws)
    share[fault.track] = np.clip(moved, 0.0, 1.0)  # a wiper does not leave its track
    return replace(h, share=tuple(share))


def _bad_input(h: Harness, fault: _Fault) -> Harness:
    bad = fault.random.random(fault.draws) < 0.4
    return replace(h, pull_ohms=np.where(bad, fault.between(100.0, 5e3), h.pull_ohms))


_CHANGES: dict[str, Callable[[Harness, _Fault], Harness]] = {
    "broken_wiper_1": _broken_wiper,
    "broken_wiper_2": _broken_wiper,
    "pedal_gone": _broken_wiper,
    "line": _open_line,
    "open_supply": _open_feed,
    "open_ground": _open_feed,
    "poor_signal": _poor_contact,
    "poor": _poor_feed,
    "pedal_feed": _open_pedal_feed,
    "short_supply": _short_supply,
    "short_signal": _short_signal,
    "leak": _leak,
    "battery_ground": _lifted_ground,
    "unit_supply": _bad_regulator,
    "unit_input": _bad_input,
    "bent": _shifted,
    "misset": _shifted,
    "electronics": _shifted,
}
"""By the name of a fault or of a class of the fault tree, the most particular first."""
