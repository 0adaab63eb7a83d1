"""What was measured against what should be: the profile, a known-good table, the other end, before."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from nervus.domain.plug import SIGNALS, Face, PinRole
from nervus.domain.profile import ThrottleProfile
from nervus.language import say
from nervus.pins.meter import Meter
from nervus.pins.situation import Situation
from nervus.pins.solving import SolvedPlug

# What a good supply and a good ground may be, at the sensor with everything plugged in.
# Source: common practice, no published source: 4.8 to 5.2 V, under 0.1 V.
SUPPLY_V: Final = (4.8, 5.2)
GROUND_V: Final = (-0.05, 0.1)
# Between two vehicles of one type, or two days: supplies and learned stops differ by about so much.
# Source: from memory.
_SAME_TYPE: Final = 0.03
# A drop over one line that a good contact and wire never make; source: common practice: under 0.1 V.
DROP_V: Final = 0.1


@dataclass(frozen=True, slots=True)
class Difference:
    """One value beside the one it is held against.

    Attributes:
        what: pin or pair, in words.
        volts: measured.
        should: lowest and highest that would be good.
        marked: whether it is outside by more than the meter explains.
    """

    what: str
    volts: float
    should: tuple[float, float]
    marked: bool


@dataclass(frozen=True, slots=True)
class Drop:
    """A line between its two ends.

    Attributes:
        role: which line.
        volts: lost along it, the way the current goes.
        unsure_v: of that.
        ohms: of the line, from the track's current; `None` where that is not known.
    """

    role: PinRole
    volts: float
    unsure_v: float
    ohms: float | None


def against_profile(
    solved: SolvedPlug, face: Face, situation: Situation, profile: ThrottleProfile
) -> tuple[Difference, ...]:
    """Pins with a role, plug on and key on, against what the profile has for them."""
    if situation.plug == "plug off" or situation.key == "key off":
        return ()
    supply_pin = face.of_role(PinRole.SUPPLY)
    supply = (
        solved.pins[supply_pin.label].volts if supply_pin and supply_pin.label in solved.pins else None
    )
    scale = (supply or profile.supply_v) / profile.supply_v
    found = []
    for pin in face.pins:
        there = solved.pins.get(pin.label)
        should = _should(pin.role, situation, profile, scale)
        if there is None or there.volts is None or should is None:
            continue
        outside = not should[0] - there.unsure_v <= there.volts <= should[1] + there.unsure_v
        found.append(
            Difference(
                say("pin {label} ({role})", label=pin.label, role=pin.role), there.volts, should, outside
            )
        )
    return tuple(found)


def _should(
    role: PinRole, situation: Situation, profile: ThrottleProfile, scale: float
) -> tuple[float, float] | None:
    if role is PinRole.SUPPLY:
        return SUPPLY_V
    if role is PinRole.GROUND:
        return GROUND_V
    if role in SIGNALS and SIGNALS.index(role) < len(profile.tracks):
        track = profile.tracks[SIGNALS.index(role)]
        window = {
            "throttle closed": track.closed_window_v,
            "throttle wide open": track.open_window_v,
        }.get(situation.throttle)
        if window is not None:
            return window[0] * scale, window[1] * scale
    return None


def against_known_good(
    read: Mapping[tuple[str, str], float], good: Mapping[tuple[str, str], float], meter: Meter
) -> tuple[Difference, ...]:
    """Pairs (black, red) that were measured in both, under like conditions."""
    found = []
    for pair, volts in read.items():
        other = good.get(pair)
        if other is None and pair[::-1] in good:
            other = -good[pair[::-1]]
        if other is None:
            continue
        allowed = meter.accuracy(volts) + meter.accuracy(other) + _SAME_TYPE * abs(other) + DROP_V / 2.0
        low, high = other - allowed, other + allowed
        black, red = pair
        name = say("{value} to {red}", value=black or say("battery negative"), red=red)
        found.append(Difference(name, volts, (low, high), not low <= volts <= high))
    return tuple(found)


def drops(
    sensor: SolvedPlug,
    unit: SolvedPlug,
    faces: tuple[Face, Face],
    track_ohms: float | None,
    tracks: int = 1,
) -> tuple[Drop, ...]:
    """Each line that was measured at both ends, plug on and key on.

    Supply and ground carry the tracks' current (Ohm's law: the supply over all tracks side by side), so
    what they lose tells their resistance; a signal carries none worth naming.

    Args:
        sensor: its plug, solved against battery negative.
        unit: the control unit's, under the same conditions.
        faces: the sensor's and the unit's.
        track_ohms: of one track, `None` where it was not measured.
        tracks: how many share supply and ground.
    """
    if not (sensor.against_battery and unit.against_battery):
        return ()
    found = []
    for role in PinRole:
        ends = [
            plug.pins.get(pin.label) if (pin := face.of_role(role)) is not None else None
            for plug, face in ((sensor, faces[0]), (unit, faces[1]))
        ]
        if role in (PinRole.UNKNOWN, PinRole.UNUSED) or None in ends:
            continue
        here, there = ends
        if here is None or there is None or here.volts is None or there.volts is None:
            continue
        # Supply comes from the unit; ground and signals go to it.
        lost = there.volts - here.volts if role is PinRole.SUPPLY else here.volts - there.volts
        unsure = (here.unsure_v**2 + there.unsure_v**2) ** 0.5
        found.append(Drop(role, lost, unsure, _ohms(role, lost, sensor, faces[0], track_ohms, tracks)))
    return tuple(found)


def _ohms(
    role: PinRole,
    lost: float,
    sensor: SolvedPlug,
    face: Face,
    track_ohms: float | None,
    tracks: int,
) -> float | None:
    if role not in (PinRole.SUPPLY, PinRole.GROUND) or track_ohms is None:
        return None
    ends = [face.of_role(PinRole.SUPPLY), face.of_role(PinRole.GROUND)]
    volts = [sensor.pins[p.label].volts for p in ends if p is not None and p.label in sensor.pins]
    if len(volts) < 2 or volts[0] is None or volts[1] is None or volts[0] - volts[1] < 0.2:
        return None
    amps = (volts[0] - volts[1]) * tracks / track_ohms
    return max(lost, 0.0) / amps
