"""The throttle position sensor with its harness and the control unit's inputs.

Nodes from the control unit outward: the unit holds `vref` and `ground`; each line runs through two
joints (unit plug, sensor plug) to the sensor; each track is a potentiometer between the sensor's
supply and ground with its wiper on the signal line; each signal ends in the unit's input with a
resistor to the supply or to ground.
"""

from dataclasses import dataclass, field, replace

from nervus.circuit.network import GROUND, Resistor, solve

# A sound joint, and a broken one: 10 megohms is more than any input resistor, so it decides
# nothing.
JOINT_OHMS = 0.05
OPEN_OHMS = 1e7
# A track and a wiper contact of a usual film potentiometer (from memory: 2 to 6 kilohms; some
# hundred ohms of wiper and protection resistance).
TRACK_OHMS = 4_000.0
WIPER_OHMS = 500.0
_LEAST_OHMS = 1e-3


@dataclass(frozen=True, slots=True)
class TrackCircuit:
    """One potentiometer and its signal line.

    Attributes:
        closed: share of the supply at the closed stop, unloaded.
        opened: share of the supply at the open stop, unloaded.
        wiper_ohms: contact and protection resistance between wiper and plug.
        signal_ohms: the signal line with its two joints.
        pull_ohms: the unit's input resistor.
        pull_to_supply: whether it pulls to the supply (else to ground).
    """

    closed: float
    opened: float
    ohms: float = TRACK_OHMS
    wiper_ohms: float = WIPER_OHMS
    signal_ohms: float = 2 * JOINT_OHMS
    pull_ohms: float = 470_000.0
    pull_to_supply: bool = False

    def share(self, travel: float) -> float:
        """Where the wiper stands, as a share of the track, for a travel of 0 to 1."""
        return self.closed + (self.opened - self.closed) * travel


@dataclass(frozen=True, slots=True)
class SensorCircuit:
    """The whole circuit; a fault is the same circuit with a resistance changed."""

    tracks: tuple[TrackCircuit, ...]
    supply_v: float = 5.0
    supply_ohms: float = 2 * JOINT_OHMS
    ground_ohms: float = 2 * JOINT_OHMS
    shorts: tuple[Resistor, ...] = field(default=())

    def open_signal(self, index: int, ohms: float = OPEN_OHMS) -> "SensorCircuit":
        """The same with one signal line broken, or with `ohms` in it."""
        tracks = list(self.tracks)
        tracks[index] = replace(tracks[index], signal_ohms=ohms)
        return replace(self, tracks=tuple(tracks))

    def open_supply(self, ohms: float = OPEN_OHMS) -> "SensorCircuit":
        """The same with the supply line broken, or with `ohms` in it."""
        return replace(self, supply_ohms=ohms)

    def open_ground(self, ohms: float = OPEN_OHMS) -> "SensorCircuit":
        """The same with the ground line broken, or with `ohms` in it."""
        return replace(self, ground_ohms=ohms)

    def volts(self, travel: float) -> dict[str, float]:
        """Voltage of every node against the unit's ground at a travel of 0 to 1.

        Keys: `vref` (at the unit), `supply` and `return` (at the sensor), `signal1`, `signal2` (at
        the unit's input), `wiper1`, `wiper2` (at the sensor's plug).
        """
        parts = [
            Resistor("vref", "supply", self.supply_ohms),
            Resistor("return", GROUND, self.ground_ohms),
            *self.shorts,
        ]
        for number, track in enumerate(self.tracks, start=1):
            share = min(max(track.share(travel), 0.0), 1.0)
            tap, wiper, signal = f"tap{number}", f"wiper{number}", f"signal{number}"
            rail = "vref" if track.pull_to_supply else GROUND
            parts += [
                Resistor("supply", tap, max((1.0 - share) * track.ohms, _LEAST_OHMS)),
                Resistor(tap, "return", max(share * track.ohms, _LEAST_OHMS)),
                Resistor(tap, wiper, track.wiper_ohms),
                Resistor(wiper, signal, track.signal_ohms),
                Resistor(signal, rail, track.pull_ohms),
            ]
        return solve(parts, {"vref": self.supply_v})
