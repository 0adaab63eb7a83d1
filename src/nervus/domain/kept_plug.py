"""Plugs kept beside the jobs, for the next vehicle of the type: as drawn, or as a sound one reads."""

from nervus.domain.entry import Identifier, Instant, Name, Record
from nervus.domain.job import Reading
from nervus.domain.plug import Face


class KeptPlug(Record, frozen=True, kw_only=True):
    """A plug of a vehicle type.

    Attributes:
        id: its own.
        at: when it was kept.
        vehicle_type: as the vehicle was described.
        face: as it was drawn.
        readings: of a healthy vehicle, each with its conditions; empty where only the face is kept.
    """

    id: Identifier
    at: Instant
    vehicle_type: Name
    face: Face
    readings: tuple[Reading, ...] = ()
