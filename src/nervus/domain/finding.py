"""Findings: what the analysis saw, each with the evidence that lets a technician check it.

A finding states a fact about the recording. Which part has failed is a judgement, made elsewhere.
"""

from dataclasses import dataclass
from enum import StrEnum
from typing import ClassVar

from nervus.domain.channel import CHANNEL_KINDS, Sensor, Span, Unit


class Floor(StrEnum):
    """Where a drop goes."""

    GROUND = "ground"
    SUPPLY = "supply"
    INTERMEDIATE = "intermediate"


class Shape(StrEnum):
    """How a dead spot looks."""

    DROP = "drop"
    STEP = "step"
    FLAT = "flat"


class RestCause(StrEnum):
    """Why a signal stays off its rest."""

    PLATE = "plate"
    SIGNAL = "signal"
    UNKNOWN = "unknown"


class Shared(StrEnum):
    """What failed where a track, or all of them, dropped."""

    SIGNAL = "one signal"
    FEED = "the supply or ground of all"
    ELECTRONICS = "the electronics of a contactless sensor"


class SupplyLine(StrEnum):
    """Which line of the sensor's supply is out of tolerance."""

    SUPPLY = "supply"
    GROUND = "ground"
    EITHER = "either"


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """What every finding has.

    Attributes:
        channels: identifiers of all channels that show it.
        times_s: when it shows, each [start, end].
        confidence: 0 to 1; of the findings given 0.9, nine in ten should be real.
        text: one sentence that a technician understands.
        group: the same short name for all findings of one cause, "" before it is known.
    """

    kind: ClassVar[str]
    channels: tuple[str, ...]
    times_s: tuple[Span, ...]
    confidence: float
    text: str
    group: str = ""

    @property
    def sensor(self) -> Sensor:
        """Whose tracks show it; what shows on no track counts as the throttle's."""
        sensors = (CHANNEL_KINDS[c].sensor for c in self.channels if c in CHANNEL_KINDS)
        return next((s for s in sensors if s is not None), Sensor.THROTTLE)


@dataclass(frozen=True, slots=True, kw_only=True)
class DeadSpot(Finding):
    """A place where a track does not follow, seen in `seen_in` of `crossed` passes."""

    kind: ClassVar[str] = "dead_spot"
    travel_pct: Span
    shape: Shape
    seen_in: int
    crossed: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Drop(Finding):
    """An interruption bound to an instant; `level` is the level it fell to, in `unit`."""

    kind: ClassVar[str] = "drop"
    level: float
    unit: Unit
    floor: Floor
    shared: Shared
    at_travel_pct: float | None
    marks: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Noise(Finding):
    """A stretch that is noisy but continuous; both amounts are effective values in `unit`.

    `seen_in` so many passes it was; 0 where that was not counted.
    """

    kind: ClassVar[str] = "noise"
    travel_pct: Span
    rms: float
    usual_rms: float
    unit: Unit
    seen_in: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Disagreement(Finding):
    """Two tracks tell different positions; `suspect` is the one that lies, if a witness tells.

    `bends` where they do so over one stretch of the travel, pass after pass, and agree beside it.
    """

    kind: ClassVar[str] = "disagreement"
    travel_pct: Span
    worst_pct: float
    suspect: str | None
    would_set_code: bool | None
    bends: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class OffRest(Finding):
    """After a release the signal stays above its rest."""

    kind: ClassVar[str] = "off_rest"
    rest_pct: float
    usual_rest_pct: float
    cause: RestCause
    ect_c: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class OutOfRange(Finding):
    """A track is outside what a sound circuit can give."""

    kind: ClassVar[str] = "out_of_range"
    level_v: float
    limit_v: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Nonlinear(Finding):
    """A track that does not run straight against the position reported beside it."""

    kind: ClassVar[str] = "nonlinear"
    travel_pct: Span
    worst_pct: float


@dataclass(frozen=True, slots=True, kw_only=True)
class SupplyFault(Finding):
    """The sensor's supply or ground is out of tolerance."""

    kind: ClassVar[str] = "supply"
    level_v: float
    where: SupplyLine
