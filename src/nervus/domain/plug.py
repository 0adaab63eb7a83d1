"""A plug as it is drawn: its pins, what each is, and the meter that it is measured with."""

from enum import StrEnum
from typing import Annotated

from msgspec import Meta

from nervus.domain.entry import Entry, Name, Record

Label = Annotated[str, Meta(pattern=r"^[A-Za-z0-9]{0,6}$")]
"""What is printed beside a pin: a number, a letter or both; "" stands for battery negative."""
MOST_PINS = 200


class PlugEnd(StrEnum):
    """Which plug."""

    SENSOR = "sensor plug"
    UNIT = "control unit plug"
    PEDAL = "pedal plug"


class PinRole(StrEnum):
    """What a pin is for."""

    SUPPLY = "supply"
    GROUND = "sensor ground"
    SIGNAL_1 = "signal 1"
    SIGNAL_2 = "signal 2"
    MOTOR_PLUS = "motor plus"
    MOTOR_MINUS = "motor minus"
    BATTERY = "battery feed"
    UNUSED = "not used"
    UNKNOWN = "unknown"


SIGNALS = (PinRole.SIGNAL_1, PinRole.SIGNAL_2)
MOTORS = (PinRole.MOTOR_PLUS, PinRole.MOTOR_MINUS)


class Pin(Record, frozen=True, kw_only=True):
    """One pin.

    Attributes:
        label: as it is printed.
        row, column: where it is on the face, from 0, as one looks at the plug from its wires.
        role: what it is for.
        wire: the wire's colour, in free words.
    """

    label: Annotated[str, Meta(pattern=r"^[A-Za-z0-9]{1,6}$")]
    row: Annotated[int, Meta(ge=0, le=MOST_PINS)] = 0
    column: Annotated[int, Meta(ge=0, le=MOST_PINS)] = 0
    role: PinRole = PinRole.UNKNOWN
    wire: Name = ""


class Face(Entry, frozen=True, kw_only=True, tag="face"):
    """A plug of the vehicle as it is drawn; the last one of each plug counts."""

    plug: PlugEnd
    pins: Annotated[tuple[Pin, ...], Meta(max_length=MOST_PINS)] = ()

    def pin(self, label: str) -> Pin | None:
        """The pin of this label."""
        return next((p for p in self.pins if p.label == label), None)

    def of_role(self, role: PinRole) -> Pin | None:
        """The pin that has a role."""
        return next((p for p in self.pins if p.role is role), None)


class MeterUsed(Entry, frozen=True, kw_only=True, tag="meter"):
    """The meter that readings are taken with, as its sheet states it; the last one counts."""

    ohms: Annotated[float, Meta(ge=1e3, le=1e12)] = 10e6
    percent: Annotated[float, Meta(ge=0.0, le=20.0)] = 0.5
    digits: Annotated[int, Meta(ge=0, le=100)] = 2
    counts: Annotated[int, Meta(ge=100, le=10_000_000)] = 6_000
