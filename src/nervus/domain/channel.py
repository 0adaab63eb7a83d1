"""Channels: what can be recorded, in which unit, and what it witnesses.

A recording is only as good as the knowledge of what each column is; so the identifiers are closed:
a name that is not here is a mistake to be told, never a column to be guessed at. What other programs
wrote beside is kept under its own name (`other:…`), to be looked at and never judged.
"""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from types import MappingProxyType
from typing import Final

import numpy as np
from numpy.typing import NDArray

from nervus.language import say

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]
IntArray = NDArray[np.intp]
Span = tuple[float, float]
"""A stretch [from, to] of time in seconds, or of travel in percent."""


class Unit(StrEnum):
    """Units as they are written beside a number."""

    VOLT = "V"
    PERCENT = "%"
    DEGREE = "°"
    PER_MINUTE = "1/min"
    KILOPASCAL = "kPa"
    GRAM_PER_SECOND = "g/s"
    CELSIUS = "°C"


class Role(StrEnum):
    """What a channel witnesses."""

    TRACK = "track"
    POSITION = "position"
    COMMAND = "command"
    PEDAL = "pedal"
    SUPPLY = "supply"
    GROUND = "ground"
    BATTERY = "battery"
    ENGINE_SPEED = "engine speed"
    AIR = "air"
    TEMPERATURE = "temperature"
    OTHER = "other"


class Sensor(StrEnum):
    """A shaft whose place tracks tell."""

    THROTTLE = "throttle"
    PEDAL = "pedal"


@dataclass(frozen=True, slots=True)
class ChannelKind:
    """One thing that can be recorded.

    Attributes:
        id: the identifier in files.
        unit: of its values; as it was written, "" for none, of what is known by its own name alone.
        role: what it witnesses.
        title: what it is called on screen.
        sensor: the shaft that it tells of, if it is one's track.
        number: which track of that sensor, 1 or 2; 0 for what is no track.
    """

    id: str
    unit: Unit | str
    role: Role
    title: str
    sensor: Sensor | None = None
    number: int = 0

    @property
    def track(self) -> str:
        """What a technician calls the track, whether it was measured or is told: "pedal track 2"."""
        number = self.number or 1
        if self.sensor is Sensor.PEDAL:
            return say("pedal track {number}", number=number)
        return say("track {number}", number=number)


def _kinds() -> dict[str, ChannelKind]:
    rows = (
        ("tps1_v", Unit.VOLT, Role.TRACK, say("track 1"), Sensor.THROTTLE, 1),
        ("tps2_v", Unit.VOLT, Role.TRACK, say("track 2"), Sensor.THROTTLE, 2),
        ("tps1_pct", Unit.PERCENT, Role.TRACK, say("track 1 as reported"), Sensor.THROTTLE, 1),
        ("tps2_pct", Unit.PERCENT, Role.TRACK, say("track 2 as reported"), Sensor.THROTTLE, 2),
        ("throttle_pct", Unit.PERCENT, Role.POSITION, say("throttle as reported")),
        ("throttle_deg", Unit.DEGREE, Role.POSITION, say("throttle angle as reported")),
        ("throttle_cmd_pct", Unit.PERCENT, Role.COMMAND, say("throttle command")),
        ("app1_v", Unit.VOLT, Role.PEDAL, say("pedal track 1"), Sensor.PEDAL, 1),
        ("app2_v", Unit.VOLT, Role.PEDAL, say("pedal track 2"), Sensor.PEDAL, 2),
        ("app1_pct", Unit.PERCENT, Role.PEDAL, say("pedal track 1 as reported"), Sensor.PEDAL, 1),
        ("app2_pct", Unit.PERCENT, Role.PEDAL, say("pedal track 2 as reported"), Sensor.PEDAL, 2),
        ("pedal_pct", Unit.PERCENT, Role.PEDAL, say("pedal as reported")),
        ("vref_v", Unit.VOLT, Role.SUPPLY, say("sensor supply")),
        ("sgnd_v", Unit.VOLT, Role.GROUND, say("sensor ground")),
        ("batt_v", Unit.VOLT, Role.BATTERY, say("battery")),
        ("rpm", Unit.PER_MINUTE, Role.ENGINE_SPEED, say("engine speed")),
        ("map_kpa", Unit.KILOPASCAL, Role.AIR, say("manifold pressure")),
        ("maf_gs", Unit.GRAM_PER_SECOND, Role.AIR, say("air mass flow")),
        ("load_pct", Unit.PERCENT, Role.AIR, say("calculated load")),
        ("ect_c", Unit.CELSIUS, Role.TEMPERATURE, say("coolant")),
        ("iat_c", Unit.CELSIUS, Role.TEMPERATURE, say("intake air")),
    )
    return {row[0]: ChannelKind(*row) for row in rows}


CHANNEL_KINDS: Final = MappingProxyType(_kinds())

OTHER: Final = "other"
_OTHER = re.compile(r"^other:(?P<name>[^\[\],\"]*[^\[\],\"\s])(?: \[(?P<unit>[^\[\],\"]+)\])?$")
_LONGEST_NAME, _LONGEST_UNIT = 60, 12


def other_kind(name: str, unit: str = "") -> ChannelKind:
    """Something that is known by its own name alone; its identifier holds name and unit.

    Args:
        name: as it is written; what can't stand in a line of a table is taken out.
        unit: as it is written, "" for none.
    """
    title = _plain(name)[:_LONGEST_NAME].strip() or "?"
    said = _plain(unit)[:_LONGEST_UNIT].strip()
    written = f"{OTHER}:{title} [{said}]" if said else f"{OTHER}:{title}"
    units = {str(known): known for known in Unit}
    return ChannelKind(written, units.get(said, said), Role.OTHER, title)


def kind_of(identifier: str) -> ChannelKind | None:
    """What an identifier stands for, `None` where it is none."""
    if identifier in CHANNEL_KINDS:
        return CHANNEL_KINDS[identifier]
    found = _OTHER.match(identifier)
    made = other_kind(found["name"], found["unit"] or "") if found else None
    return made if made is not None and made.id == identifier else None


def tracks_in(identifiers: Iterable[str]) -> tuple[ChannelKind, ...]:
    """What stands for a track among some identifiers, in their order."""
    known = (CHANNEL_KINDS.get(identifier) for identifier in identifiers)
    return tuple(kind for kind in known if kind is not None and kind.number)


def _plain(text: str) -> str:
    bare = "".join(c if c.isprintable() and c not in '[],"' else " " for c in text)
    return " ".join(bare.split())


@dataclass(frozen=True, slots=True, eq=False)
class Channel:
    """Samples of one kind, each with its own instant, never changed after capture.

    Attributes:
        kind: what was recorded.
        time_s: instants in seconds, shape (n,), never falling.
        values: in `kind.unit`, shape (n,), all finite.
        low_pass_s: time constant of the low-pass behind which it was read, if that was taken back.
    """

    kind: ChannelKind
    time_s: FloatArray
    values: FloatArray
    low_pass_s: float | None = None

    def __post_init__(self) -> None:
        if self.time_s.shape != self.values.shape or self.time_s.ndim != 1:
            raise ValueError("time_s and values must be one-dimensional and equally long")
        self.time_s.setflags(write=False)
        self.values.setflags(write=False)

    @property
    def id(self) -> str:
        """The identifier in files."""
        return self.kind.id

    @property
    def samples(self) -> int:
        """How many samples there are."""
        return int(self.time_s.size)


@dataclass(frozen=True, slots=True)
class Mark:
    """What the technician did at an instant, in their own words."""

    time_s: float
    text: str


@dataclass(frozen=True, slots=True, eq=False)
class Recording:
    """Channels captured together on one clock, with the marks made meanwhile.

    Attributes:
        channels: at least one, each identifier once.
        marks: in the order of time.
        name: what it is called on screen, usually the file's name.
    """

    channels: tuple[Channel, ...]
    marks: tuple[Mark, ...] = ()
    name: str = ""

    def get(self, channel_id: str) -> Channel | None:
        """The channel of that identifier, or `None` where it was not recorded."""
        return next((c for c in self.channels if c.id == channel_id), None)

    def tracks(self, sensor: Sensor) -> tuple[Channel, ...]:
        """One channel for each track of a sensor: as measured at the wire, else as reported."""
        best: dict[int, Channel] = {}
        for channel in self.channels:
            kind = channel.kind
            if kind.sensor is sensor and (kind.number not in best or kind.unit is Unit.VOLT):
                best[kind.number] = channel
        return tuple(best[number] for number in sorted(best))

    def known(self) -> "Recording":
        """Only the channels that can be judged: not those that are known by their own name alone."""
        if all(c.kind.role is not Role.OTHER for c in self.channels):
            return self
        kept = tuple(c for c in self.channels if c.kind.role is not Role.OTHER)
        return Recording(kept, self.marks, self.name)

    def with_role(self, role: Role) -> tuple[Channel, ...]:
        """All channels that witness `role`, in the order of recording."""
        return tuple(c for c in self.channels if c.kind.role is role)

    @property
    def may_be_moved_unseen(self) -> bool:
        """Whether a unit may move the plate, which idles by it, and what it asks for was not recorded.

        An electronic throttle has two tracks, or a pedal with some of its own (common practice).
        """
        electronic = len(self.tracks(Sensor.THROTTLE)) > 1 or self.tracks(Sensor.PEDAL)
        return bool(electronic or self.with_role(Role.PEDAL)) and not self.with_role(Role.COMMAND)

    @property
    def start_s(self) -> float:
        """The first instant of any channel."""
        return min(float(c.time_s[0]) for c in self.channels)

    @property
    def end_s(self) -> float:
        """The last instant of any channel."""
        return max(float(c.time_s[-1]) for c in self.channels)

    @property
    def duration_s(self) -> float:
        """From the first instant to the last."""
        return self.end_s - self.start_s
