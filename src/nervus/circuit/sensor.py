"""The throttle position sensor with its harness and the control unit's inputs.

Nodes from the control unit outward: the unit holds `vref` and `ground`; each line runs to the plug
at the sensor (`plug_supply`, `plug_ground`, `plug_signal1`), and through the plug's contact to the
sensor; each track is a potentiometer between the sensor's supply and ground with its wiper on the
signal line; each signal ends in the unit's input with a resistor to the supply or to ground.

A contactless sensor has electronics in the place of track and wiper. While it is fed, an output holds
a share of its supply as a potentiometer of few ohms does; fed too poorly, it lets go of its outputs, and
the unit's input resistors alone decide what is read.
"""

from dataclasses import dataclass, field, replace

import numpy as np

from nervus.circuit.network import GROUND, Resistor, Solved, solve
from nervus.domain.channel import BoolArray, FloatArray

# A sound joint, and a broken one: 1 gigaohm is far above any input resistor and any meter, so it
# decides nothing.
JOINT_OHMS = 0.05
OPEN_OHMS = 1e9
_APART_OHMS = 1e11
SHORT_OHMS = 0.1
# A track and a wiper contact of a usual film potentiometer (from memory: 2 to 6 kilohms; some
# hundred ohms of wiper and protection resistance).
TRACK_OHMS = 4_000.0
WIPER_OHMS = 500.0
# Of a contactless sensor (from memory): it draws some ten milliamperes, and below some four volts it
# shuts itself off.
ELECTRONICS_OHMS, OUTPUT_OHMS, LEAST_FEED_V = 500.0, 50.0, 4.0
BATTERY_V = 12.6
# What a unit's sensor supply delivers before it gives way (from memory: some ten to some hundred
# milliamperes); a linear regulator can't take current in, so a battery on the line lifts it.
SUPPLY_AMPS = 0.1
_LEAST_OHMS = 1e-3

Ohms = float | FloatArray
"""A resistance, or one for each of the travels that are asked about."""


@dataclass(frozen=True, slots=True)
class TrackCircuit:
    """One potentiometer and its signal line.

    Attributes:
        closed: share of the supply at the closed stop, unloaded.
        opened: share of the supply at the open stop, unloaded.
        ohms: the whole track.
        wiper_ohms: contact and protection resistance between track and plug.
        plug_ohms: the signal's contact in the sensor plug.
        signal_ohms: the signal line from the plug to the unit.
        above_ohms: in the track between the wiper and the supply, besides the film itself.
        below_ohms: the same between the wiper and the sensor's ground.
        pull_ohms: the unit's input resistor.
        pull_share: where that resistor pulls to, as a share of the supply: 0 ground, 1 the supply,
            between where the input has a divider (`pull_ohms` is then both halves in parallel).
    """

    closed: float
    opened: float
    ohms: float = TRACK_OHMS
    wiper_ohms: Ohms = WIPER_OHMS
    plug_ohms: Ohms = JOINT_OHMS
    signal_ohms: Ohms = JOINT_OHMS
    above_ohms: Ohms = 0.0
    below_ohms: Ohms = 0.0
    pull_ohms: Ohms = 470_000.0
    pull_share: float = 0.0

    def share(self, travel: FloatArray) -> FloatArray:
        """Where the wiper stands, as a share of the track, for travels of 0 to 1."""
        return np.asarray(np.clip(self.closed + (self.opened - self.closed) * travel, 0.0, 1.0))


@dataclass(frozen=True, slots=True)
class SensorCircuit:
    """The whole circuit; a fault is the same circuit with a resistance changed.

    Attributes:
        tracks: one or two.
        supply_v: what the unit's supply holds while it can.
        supply_ohms: the supply line from the unit to the plug.
        ground_ohms: the ground line from the plug to the unit.
        supply_plug_ohms: the supply's contact in the sensor plug.
        ground_plug_ohms: the ground's contact in the sensor plug.
        shorts: resistors that should not be there; a node may be `battery`.
        contactless: whether electronics make the signals, which let go where they are fed too poorly.
    """

    tracks: tuple[TrackCircuit, ...]
    supply_v: float = 5.0
    supply_ohms: Ohms = JOINT_OHMS
    ground_ohms: Ohms = JOINT_OHMS
    supply_plug_ohms: Ohms = JOINT_OHMS
    ground_plug_ohms: Ohms = JOINT_OHMS
    shorts: tuple[Resistor, ...] = field(default=())
    contactless: bool = False

    def with_track(self, index: int, **changed: Ohms) -> "SensorCircuit":
        """The same with something changed in one track, by the names of `TrackCircuit`."""
        tracks = list(self.tracks)
        tracks[index] = replace(tracks[index], **changed)  # type: ignore[arg-type] # its numbers
        return replace(self, tracks=tuple(tracks))

    def open_signal(self, index: int, ohms: float = OPEN_OHMS) -> "SensorCircuit":
        """The same with one signal line broken, or with `ohms` in it."""
        return self.with_track(index, signal_ohms=ohms)

    def open_supply(self, ohms: float = OPEN_OHMS) -> "SensorCircuit":
        """The same with the supply line broken, or with `ohms` in it."""
        return replace(self, supply_ohms=ohms)

    def open_ground(self, ohms: float = OPEN_OHMS) -> "SensorCircuit":
        """The same with the ground line broken, or with `ohms` in it."""
        return replace(self, ground_ohms=ohms)

    def unplugged(self) -> "SensorCircuit":
        """The same with the sensor's plug pulled off: every contact of it open."""
        apart = replace(self, supply_plug_ohms=_APART_OHMS, ground_plug_ohms=_APART_OHMS)
        for index in range(len(self.tracks)):
            apart = apart.with_track(index, plug_ohms=_APART_OHMS)
        return apart

    def metered(self, node: str, meter_ohms: float = 1e7) -> "SensorCircuit":
        """The same with a meter between a node and the unit's ground (10 megohms usually)."""
        return replace(self, shorts=(*self.shorts, Resistor(node, GROUND, meter_ohms)))

    def volts(self, travel: float) -> dict[str, float]:
        """Voltage of every node against the unit's ground at a travel of 0 to 1.

        Keys: `vref` (at the unit), `plug_supply`, `plug_ground`, `plug_signal1` (at the plug, on
        the harness's side), `supply` and `return` (in the sensor), `tap1` and `wiper1` (on the
        track, behind the wiper), `signal1` (at the unit's input).
        """
        return {n: float(v[0]) for n, v in self.over(np.asarray([travel])).items()}

    def over(self, travel: FloatArray) -> dict[str, FloatArray]:
        """The same for many travels at once, each of shape (n,)."""
        volts = self._solved(travel, fed=np.ones(travel.shape, dtype=np.bool_))
        if not self.contactless:
            return volts
        fed = volts["supply"] - volts["return"] >= LEAST_FEED_V
        return volts if fed.all() else self._solved(travel, fed=fed)

    def _solved(self, travel: FloatArray, fed: BoolArray) -> dict[str, FloatArray]:
        parts = self._parts(travel, fed)
        held = {"vref": self.supply_v}
        if any("battery" in (s.a, s.b) for s in self.shorts):
            held["battery"] = BATTERY_V
        solved = solve(parts, held)
        if np.any(solved.amps["vref"] < 0.0):
            solved = solve(parts, {"battery": BATTERY_V})
        elif np.any(solved.amps["vref"] > SUPPLY_AMPS):
            solved = solve(parts, {**held, "vref": self._given_way(parts, held, solved)})
        return {n: np.broadcast_to(v, travel.shape) for n, v in solved.volts.items()}

    def _given_way(self, parts: list[Resistor], held: dict[str, float], solved: Solved) -> FloatArray:
        """Volts at which the supply delivers no more than it can; the network is linear."""
        without = solve(parts, {**held, "vref": 0.0}).amps["vref"]
        slope = (solved.amps["vref"] - without) / self.supply_v
        return np.asarray(np.clip((SUPPLY_AMPS - without) / slope, 0.0, self.supply_v))

    def _parts(self, travel: FloatArray, fed: BoolArray) -> list[Resistor]:
        parts = [
            Resistor("vref", "plug_supply", self.supply_ohms),
            Resistor("plug_supply", "supply", self.supply_plug_ohms),
            Resistor("return", "plug_ground", self.ground_plug_ohms),
            Resistor("plug_ground", GROUND, self.ground_ohms),
            *self.shorts,
        ]
        for number, track in enumerate(self.tracks, start=1):
            share = track.share(travel)
            tap, wiper, plug, signal = (
                f"{n}{number}" for n in ("tap", "wiper", "plug_signal", "signal")
            )
            above = np.maximum((1.0 - share) * track.ohms, _LEAST_OHMS) + track.above_ohms
            below = np.maximum(share * track.ohms, _LEAST_OHMS) + track.below_ohms
            parts += [
                Resistor("supply", tap, above),
                Resistor(tap, "return", below),
                Resistor(tap, wiper, np.where(fed, track.wiper_ohms, OPEN_OHMS)),
                Resistor(wiper, plug, track.plug_ohms),
                Resistor(plug, signal, track.signal_ohms),
                *_pull(signal, track),
            ]
        return parts


def electronics(closed: float, opened: float) -> TrackCircuit:
    """One output of a contactless sensor, by its shares of the supply at both stops."""
    return TrackCircuit(closed, opened, ohms=ELECTRONICS_OHMS, wiper_ohms=OUTPUT_OHMS)


def _pull(signal: str, track: TrackCircuit) -> list[Resistor]:
    """The unit's input as Thevenin would have it, made of one or two resistors."""
    up, down = track.pull_share, 1.0 - track.pull_share
    made = []
    if up > 0.0:
        made.append(Resistor(signal, "vref", track.pull_ohms / up))
    if down > 0.0:
        made.append(Resistor(signal, GROUND, track.pull_ohms / down))
    return made
