"""Where everything lies on the nerve: the signal's way as plain geometry, without painting.

The way is built from what the throttle has, one or two tracks, a motor or none, and stretches are
named as the fault tree names them; so what the judgement says can be drawn without a special case.
"""

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF

from nervus.domain.channel import Recording, Role
from nervus.domain.job import Vehicle, new_vehicle
from nervus.domain.profile import ThrottleKind
from nervus.judge.words import STRETCH_NAMES
from nervus.language import say

# The way is laid out on a drawing of this size and stretched to the widget's width.
WIDTH, HEIGHT = 1280.0, 150.0

# From left to right: the middle of each stretch, and how wide it is.
_PLACES = {
    "plate": (84.0, 130.0),
    "tracks": (262.0, 120.0),
    "sensor_plug": (440.0, 90.0),
    "harness": (640.0, 260.0),
    "unit_plug": (856.0, 90.0),
    "unit": (982.0, 130.0),
    "pedal": (1160.0, 120.0),
}
STRANDS_FROM = 318.0
TOP, BOTTOM = 24.0, 96.0
MIDDLE = (TOP + BOTTOM) / 2
# Between these the strands run straight; in the harness they are gathered.
_GATHER_FROM, _GATHER_TO = 548.0, 826.0


@dataclass(frozen=True, slots=True)
class Stretch:
    """One stretch of the way, in drawing coordinates."""

    id: str
    title: str
    middle: float
    width: float


@dataclass(frozen=True, slots=True)
class Strand:
    """One conductor of the harness: its name in the judgement, its label, its height, its colour."""

    id: str
    label: str
    y: float
    token: str
    channel: str


@dataclass(frozen=True, slots=True)
class Way:
    """The whole way of one throttle."""

    kind: ThrottleKind
    tracks: int
    stretches: tuple[Stretch, ...]
    strands: tuple[Strand, ...]

    def stretch(self, stretch_id: str) -> Stretch | None:
        """The stretch of that name, or `None` where this throttle has none."""
        return next((s for s in self.stretches if s.id == stretch_id), None)

    def spot(self, stretch_id: str, line: str) -> QPointF | None:
        """Where suspicion on a stretch and a line is drawn."""
        stretch = self.stretch(stretch_id)
        if stretch is None:
            return None
        strand = next((s for s in self.strands if s.id == line), None)
        if strand is not None:
            return QPointF(stretch.middle, self.height_at(strand, stretch.middle))
        if stretch_id == "tracks":
            return QPointF(286.0 if line.endswith("1") else 274.0, MIDDLE)
        return QPointF(stretch.middle, MIDDLE)

    def height_at(self, strand: Strand, x: float) -> float:
        """Height of a strand along the way: the harness gathers them in its middle."""
        gather = min(max(min(x - _GATHER_FROM, _GATHER_TO - x) / 90.0, 0.0), 1.0)
        eased = gather * gather * (3.0 - 2.0 * gather)
        return strand.y + (MIDDLE - strand.y) * 0.55 * eased

    def stretch_at(self, x: float) -> Stretch | None:
        """The stretch under a point of the drawing."""
        return next((s for s in self.stretches if abs(x - s.middle) <= s.width / 2), None)

    def area(self, stretch: Stretch) -> QRectF:
        """The area that a click on a stretch may hit."""
        return QRectF(stretch.middle - stretch.width / 2, 4.0, stretch.width, HEIGHT - 8.0)


def way_of(kind: ThrottleKind, tracks: int) -> Way:
    """The way of a throttle with one or two tracks."""
    rows = [
        ("supply", say(say("5 V supply")), "supply", "vref_v"),
        ("signal 1", "signal 1", "track_1", "tps1"),
    ]
    if tracks > 1:
        rows.append(("signal 2", "signal 2", "track_2", "tps2"))
    rows.append(("ground", "ground", "ink", "sgnd_v"))
    gap = (BOTTOM - TOP) / (len(rows) - 1)
    strands = tuple(
        Strand(name, label, TOP + gap * row, token, channel)
        for row, (name, label, token, channel) in enumerate(rows)
    )
    names = [n for n in _PLACES if n != "pedal" or kind is ThrottleKind.ELECTRONIC]
    stretches = tuple(Stretch(n, STRETCH_NAMES[n], *_PLACES[n]) for n in names)
    return Way(kind, tracks, stretches, strands)


def vehicle_of(recording: Recording) -> Vehicle:
    """A vehicle without a name, with what its recording tells of its throttle: nothing is asked twice.

    One track alone may be either kind of throttle.
    """
    kind, tracks = throttle_of(None, recording)
    sure = kind is ThrottleKind.ELECTRONIC and (
        tracks > 1 or recording.get("throttle_cmd_pct") is not None
    )
    return new_vehicle("", "", ThrottleKind.ELECTRONIC if sure else None)


def throttle_of(vehicle: Vehicle | None, recording: Recording | None) -> tuple[ThrottleKind, int]:
    """Which throttle to draw, and how many tracks: as the vehicle says, else by what was recorded."""
    kind = vehicle.throttle if vehicle is not None else None
    if recording is None:
        return (kind or ThrottleKind.ELECTRONIC), 1 if kind is ThrottleKind.CABLE else 2
    numbers = {c.kind.number for c in recording.with_role(Role.TRACK)}
    tracks = max(1, len(numbers))
    if kind is not None:
        return kind, tracks
    commanded = bool(recording.with_role(Role.COMMAND) or recording.with_role(Role.PEDAL))
    electronic = tracks > 1 or commanded
    return (ThrottleKind.ELECTRONIC if electronic else ThrottleKind.CABLE), tracks
