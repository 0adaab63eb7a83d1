"""What there is to connect to on this machine: interfaces, adapters, meters, the simulated vehicle."""

from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

from nervus.language import say
from nervus.link.bus_health import how_up, interfaces

_NET = Path("/sys/class/net")
# A state that can't be read.
_GONE = ""


class Kind(StrEnum):
    """What is at the other end."""

    VEHICLE = "a vehicle"
    METER = "a meter"
    BY_HAND = "by hand"


@dataclass(frozen=True, slots=True)
class Way:
    """One thing to connect to.

    Attributes:
        kind: what is at the other end.
        where: as the link takes it; "" where it is to be typed.
        title: what it is called.
        state: whether it is ready, and what would make it so.
    """

    kind: Kind
    where: str
    title: str
    state: str


def ways_there() -> tuple[Way, ...]:
    """Everything that this machine has, asked anew each time; what can't be asked is not there."""
    found = [_can(name) for name in interfaces()]
    serial = _serial()
    found += [
        Way(
            Kind.VEHICLE,
            f"serial:{port}",
            say("Adapter on {port}", port=port),
            say("{says}; speaks text lines", says=says),
        )
        for port, says in serial
    ]
    found += [
        Way(
            Kind.METER,
            port,
            say("Meter on {port}", port=port),
            say("{says}; asked in lines of text", says=says),
        )
        for port, says in serial
    ]
    return tuple(found)


def _can(name: str) -> Way:
    try:
        state = (_NET / name / "operstate").read_text(encoding="ascii").strip()
    except OSError:  # it was unplugged while we looked
        state = _GONE
    # CAN drivers without a notion of a carrier say "unknown" while they are up.
    ready = state in ("up", "unknown")
    if state == _GONE:
        told = say("its state can't be read: it may have been unplugged")
    elif ready:
        told = say("up: its bit rate must be the vehicle's")
    else:
        told = say("down: set it up {how_up}", how_up=how_up(name))
    return Way(Kind.VEHICLE, f"socketcan:{name}", say("CAN interface {name}", name=name), told)


def _serial() -> list[tuple[str, str]]:
    from serial.tools import list_ports  # noqa: PLC0415 - seldom wanted: start-up

    ports = sorted(list_ports.comports(), key=lambda port: str(port.device))
    return [(str(p.device), _said(p.description, p.device)) for p in ports]


def _said(description: str | None, device: str) -> str:
    unknown = not description or description in ("n/a", device, device.rpartition("/")[2])
    return say("a serial line") if unknown else str(description)
