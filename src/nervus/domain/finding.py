"""Findings: what the analysis saw, each with the evidence that lets a technician check it.

A finding states a fact about the recording. Which part has failed is a judgement, made elsewhere.
"""

from dataclasses import dataclass
from enum import StrEnum
from typing import ClassVar

Span = tuple[float, float]
"""A stretch [from, to] of time in seconds, or of travel in percent."""


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
    """

    kind: ClassVar[str]
    channels: tuple[str, ...]
    times_s: tuple[Span, ...]
    confidence: float
    text: str


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
    """An interruption bound to an instant; `level_v` is the level it fell to."""

    kind: ClassVar[str] = "drop"
    level_v: float
    floor: Floor
    at_travel_pct: float | None
    marks: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Noise(Finding):
    """A stretch that is noisy but continuous; both levels are effective values in volts."""

    kind: ClassVar[str] = "noise"
    travel_pct: Span
    rms_v: float
    usual_rms_v: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Disagreement(Finding):
    """Two tracks tell different positions; `suspect` is the one that lies, if a witness tells."""

    kind: ClassVar[str] = "disagreement"
    travel_pct: Span
    worst_pct: float
    suspect: str | None
    would_set_code: bool | None


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
