"""A job: one vehicle's complaint until it is proved mended."""

from dataclasses import dataclass

from nervus.domain.profile import ThrottleKind


@dataclass(frozen=True, slots=True)
class Vehicle:
    """A vehicle as its keeper calls it; no make, no number plate is needed to judge a throttle."""

    name: str
    description: str
    throttle: ThrottleKind | None = None


@dataclass(frozen=True, slots=True)
class Job:
    """One vehicle's complaint."""

    vehicle: Vehicle
    complaint: str
