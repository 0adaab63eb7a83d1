"""A measured state matched to the signatures of the circuit's faults.

What is compared is the share of the supply, for the sensor is ratiometric. Unknown are the unit's
input resistors and, for a contact that is neither closed nor open, how many ohms stand in it; both
are summed over with equal chance for each step of their grids (flat in the logarithm), which is
what Bayes' rule asks where nothing is known of them.
"""

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from nervus.circuit.sensor import OPEN_OHMS, Ohms, SensorCircuit
from nervus.circuit.signatures import CircuitFault, FaultMode, circuit_faults, signature
from nervus.domain.channel import FloatArray

# The unit's input resistors as they may be (from memory: some kilohms to half a megohm, to ground or to
# the supply; seldom a divider that holds an open input between them).
_PULL_OHMS = (10_000.0, 100_000.0, 470_000.0)
_RAILS, _DIVIDER_CHANCE = (0.0, 1.0), 0.1
# A level that a divider holds: the same at so many instants within this, percent, and at no rail.
_LEAST_HELD, _HELD_PCT, _RAIL_PCT = 3, 1.5, 4.0
# Resistances that are too much in a line.
_SERIES_OHMS = tuple(float(x) for x in np.geomspace(100.0, 1e6, 13))
# What two lines may touch with.
_SHORT_OHMS = (0.1, 100.0, 1000.0)
_TRAVEL = np.linspace(0.0, 1.0, 11)
# What reads like anything at all, per percent of supply: so that nothing is ever ruled out for good.
_ANYTHING = 1e-4


@dataclass(frozen=True, slots=True, eq=False)
class State:
    """What was measured at some instants at which the same thing was wrong.

    Attributes:
        travel: places from 0 to 1, shape (n,).
        shares: for each track the percent of supply it read, NaN where it was not read then, shape
            (n, tracks).
        tolerance: deviation of one reading, percent of supply.
    """

    travel: FloatArray
    shares: FloatArray
    tolerance: float


@dataclass(frozen=True, slots=True)
class Match:
    """How well a fault explains a state.

    Attributes:
        fault: the fault.
        density: probability density of the state if this is the fault, per percent and reading
            (the geometric mean over the instants, so that a hundred drops count like one).
        ohms: the resistance that fits best, `None` where as far as can be.
        circuit: the circuit with the input resistors that fit best, without the fault.
        misfit: deviation in tolerances of the best fit, root mean square.
    """

    fault: CircuitFault
    density: float
    ohms: float | None
    circuit: SensorCircuit
    misfit: float


def match(circuit: SensorCircuit, state: State) -> tuple[Match, ...]:
    """Every single fault with how well it explains the state, best first."""
    levels = (*_RAILS, *_held_level(state))
    read: dict[str, Match] = {}
    found = []
    for fault in circuit_faults(len(circuit.tracks), contactless=circuit.contactless):
        same = _as_read(fault)
        if same not in read:
            read[same] = _match(circuit, fault, state, levels)
        found.append(replace(read[same], fault=fault))
    return tuple(sorted(found, key=lambda m: (-m.density, m.misfit)))


def _held_level(state: State) -> tuple[float, ...]:
    """The share of the supply at which a track was found wherever the travel was, if one was."""
    if np.ptp(state.travel) < 0.2:
        return ()
    for column in state.shares.T:
        known = column[np.isfinite(column)]
        if known.size < _LEAST_HELD or np.std(known) > _HELD_PCT:
            continue
        level = float(np.median(known))
        if _RAIL_PCT < level < 100.0 - _RAIL_PCT:
            return (round(level / 100.0, 2),)
    return ()


def _match(
    circuit: SensorCircuit, fault: CircuitFault, state: State, levels: tuple[float, ...]
) -> Match:
    grid = _grid(circuit, _as_read(fault), levels)
    pulls = [(ohms, level) for level in levels for ohms in _PULL_OHMS]
    predicted = _at(grid.shares, state.travel)
    off = (predicted - state.shares) / state.tolerance
    normal = np.exp(-0.5 * off**2) / (state.tolerance * np.sqrt(2 * np.pi)) + _ANYTHING
    # One pull for all instants; the resistance of a chattering contact is free at each of them.
    each = np.exp(np.nanmean(np.log(normal), axis=2))
    by_pull = [each[grid.pull == p] for p in range(len(pulls))]
    densities = [np.exp(np.log(rows.mean(axis=0)).mean()) for rows in by_pull]
    pull = int(np.argmax(densities))
    mine = np.flatnonzero(grid.pull == pull)
    misfits = np.sqrt(np.nanmean(off[mine] ** 2, axis=(1, 2)))
    best = int(np.argmin(misfits))
    return Match(
        fault,
        float(np.average(densities, weights=_chances(levels))),
        grid.ohms[mine[best]],
        _with_pull(circuit, *pulls[pull]),
        float(misfits[best]),
    )


def _at(shares: FloatArray, travel: FloatArray) -> FloatArray:
    """Signatures by interpolation, shape (options, tracks, travel) to (options, instants, tracks)."""
    upper = np.clip(np.searchsorted(_TRAVEL, travel), 1, _TRAVEL.size - 1)
    part = (np.clip(travel, _TRAVEL[0], _TRAVEL[-1]) - _TRAVEL[upper - 1]) / (
        _TRAVEL[upper] - _TRAVEL[upper - 1]
    )
    between = shares[..., upper - 1] * (1.0 - part) + shares[..., upper] * part
    return np.asarray(between.swapaxes(1, 2))


@dataclass(frozen=True, slots=True, eq=False)
class _Grid:
    """Signatures of one fault: shares of shape (options, tracks, travel), and each one's option."""

    shares: FloatArray
    pull: FloatArray
    ohms: tuple[float | None, ...]


# Plugged in, what is open in the plug, in the line or at the wiper reads the same.
_SAME = {"supply_plug": "supply", "ground_plug": "ground", "plug_signal": "signal", "wiper": "signal"}


def _as_read(fault: CircuitFault) -> str:
    """The fault that stands for all which read the same while the sensor is plugged in."""
    at = fault.at[0]
    for name, same in _SAME.items():
        if fault.mode is not FaultMode.SHORT and at.startswith(name):
            return f"{fault.mode}-{same}{at[len(name) :]}"
    return fault.id


@lru_cache(maxsize=128)
def _grid(circuit: SensorCircuit, fault_id: str, levels: tuple[float, ...]) -> _Grid:
    fault = next(
        f
        for f in circuit_faults(len(circuit.tracks), contactless=circuit.contactless)
        if f.id == fault_id
    )
    choices = {
        FaultMode.OPEN: (OPEN_OHMS,),
        FaultMode.RESISTANCE: _SERIES_OHMS,
        FaultMode.SHORT: _SHORT_OHMS,
    }[fault.mode]
    shares = []
    for level in levels:
        pull, ohms, travel = (
            x.ravel() for x in np.meshgrid(_PULL_OHMS, choices, _TRAVEL, indexing="ij")
        )
        nodes = signature(_with_pull(circuit, pull, level), fault, travel, ohms=ohms)
        tracks = [nodes[f"signal{n}"] for n in range(1, len(circuit.tracks) + 1)]
        shape = (len(tracks), len(_PULL_OHMS) * len(choices), _TRAVEL.size)
        shares.append(np.reshape(tracks, shape).swapaxes(0, 1) * (100.0 / circuit.supply_v))
    known = (None,) if fault.mode is FaultMode.OPEN else choices
    return _Grid(
        np.concatenate(shares),
        np.repeat(np.arange(len(levels) * len(_PULL_OHMS)), len(choices)),
        tuple(known) * (len(levels) * len(_PULL_OHMS)),
    )


def _chances(levels: tuple[float, ...]) -> list[float]:
    """Of each input resistor, before anything was read."""
    sure = 1.0 - _DIVIDER_CHANCE if len(levels) > len(_RAILS) else 1.0
    each = [sure / len(_RAILS) if level in _RAILS else _DIVIDER_CHANCE for level in levels]
    return [chance / len(_PULL_OHMS) for chance in each for _ in _PULL_OHMS]


def _with_pull(circuit: SensorCircuit, ohms: Ohms, share: float) -> SensorCircuit:
    tracks = (replace(t, pull_ohms=ohms, pull_share=share) for t in circuit.tracks)
    return replace(circuit, tracks=tuple(tracks))
