"""Throttle profiles: what a throttle of a kind should do."""

from dataclasses import dataclass
from enum import StrEnum


class ThrottleKind(StrEnum):
    """How the plate is moved."""

    CABLE = "cable"
    ELECTRONIC = "electronic"


class SensorKind(StrEnum):
    """How the sensor tells where the shaft is."""

    CONTACT = "contact"
    CONTACTLESS = "contactless"
    UNKNOWN = "unknown"


@dataclass(frozen=True, slots=True)
class TrackProfile:
    """One sensor track at both stops, as volts at the profile's nominal supply.

    Attributes:
        closed_v: usual voltage at the closed stop.
        open_v: usual voltage at the open stop; below `closed_v` for a falling track.
        closed_window_v: lowest and highest voltage that is still good at the closed stop.
        open_window_v: the same at the open stop.
    """

    closed_v: float
    open_v: float
    closed_window_v: tuple[float, float]
    open_window_v: tuple[float, float]


@dataclass(frozen=True, slots=True)
class ThrottleProfile:
    """What a throttle should do.

    Attributes:
        id: the name on the command line.
        title: the name on screen.
        kind: cable or electronic.
        supply_v: nominal sensor supply.
        tracks: one or two sensor tracks.
        disagreement_pct: by how much of the travel two tracks may differ.
        disagreement_s: for how long before the control unit sets a code.
        provenance: where the numbers come from.
        sensor: a wiper on a track, or electronics without one, where that is known.
    """

    id: str
    title: str
    kind: ThrottleKind
    supply_v: float
    tracks: tuple[TrackProfile, ...]
    disagreement_pct: float
    disagreement_s: float
    provenance: str
    sensor: SensorKind = SensorKind.UNKNOWN
