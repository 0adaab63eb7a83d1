"""Opening the way to a vehicle by its name: a CAN adapter, a text adapter, or a stand-in.

Of the CAN library's interfaces those are offered that need no maker's software. Multicast is not: it
leaves the machine.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Final

import can

from nervus.language import say
from nervus.link.bus_health import cant_open
from nervus.link.can_transport import CanTransport
from nervus.link.errors import LinkLost
from nervus.link.loopback_bus import LoopbackBus
from nervus.link.transport import Transport

_RATE = 500_000


@dataclass(frozen=True, slots=True)
class BusKind:
    """One way to a CAN bus.

    Attributes:
        shape: how it is written behind its name, for people.
        takes: whether what is written is of that shape.
        settings: what the CAN library wants for it.
    """

    shape: str
    takes: Callable[[str], bool]
    settings: Callable[[str], dict[str, Any]]


def _rated(text: str) -> tuple[str, int]:
    """A device and a bit rate: `/dev/ttyACM0@250000`."""
    device, at, rate = text.partition("@")
    return device, int(rate) if at else _RATE


def _has_rate(text: str) -> bool:
    device, at, rate = text.partition("@")
    return bool(device) and (not at or rate.isdecimal())


def _on_serial(interface: str) -> Callable[[str], dict[str, Any]]:
    def settings(text: str) -> dict[str, Any]:
        device, rate = _rated(text)
        return {"interface": interface, "channel": device, "bitrate": rate}

    return settings


def _socketcand(text: str) -> dict[str, Any]:
    address, _, channel = text.partition("/")
    host, _, port = address.rpartition(":")
    return {"interface": "socketcand", "host": host, "port": int(port), "channel": channel}


def _is_socketcand(text: str) -> bool:
    address, _, channel = text.partition("/")
    host, _, port = address.rpartition(":")
    return bool(host and channel) and port.isdecimal()


def _gs_usb(text: str) -> dict[str, Any]:
    number, rate = _rated(text)
    return {"interface": "gs_usb", "channel": int(number), "index": int(number), "bitrate": rate}


BUS_KINDS: Final[dict[str, BusKind]] = {
    "socketcan": BusKind("NAME", bool, lambda name: {"interface": "socketcan", "channel": name}),
    "slcan": BusKind("DEVICE@BITRATE", _has_rate, _on_serial("slcan")),
    "robotell": BusKind("DEVICE@BITRATE", _has_rate, _on_serial("robotell")),
    "seeedstudio": BusKind("DEVICE@BITRATE", _has_rate, _on_serial("seeedstudio")),
    "socketcand": BusKind("HOST:PORT/CHANNEL", _is_socketcand, _socketcand),
    "gs_usb": BusKind(
        "NUMBER@BITRATE", lambda t: _has_rate(t) and t.partition("@")[0].isdecimal(), _gs_usb
    ),
}
_TEXT_KINDS: Final = {"serial": "DEVICE@BAUD", "tcp": "HOST:PORT"}
WAYS: Final = (
    "standin:PORT",
    *(f"{kind}:{known.shape}" for kind, known in BUS_KINDS.items()),
    *(f"{kind}:{shape}" for kind, shape in _TEXT_KINDS.items()),
)
_ACCEPTED = say("accepted is such as socketcan:can0, or one of {join}", join=", ".join(WAYS))


def open_bus(where: str) -> can.BusABC:
    """A CAN bus by its name, such as `socketcan:can0` or `standin:40123`.

    Raises:
        LinkLost: there is no such bus; the sentence says why, and what would be accepted.
    """
    kind, _, name = where.partition(":")
    known = BUS_KINDS.get(kind)
    try:
        if kind == "standin" and name.isdecimal():
            return LoopbackBus(int(name))
        if known is not None and known.takes(name):
            return can.Bus(**known.settings(name))
    except ImportError as wrong:
        raise LinkLost(
            say(
                "{where} can't be opened: the library {value} that it needs is not installed.",
                where=where,
                value=wrong.name or kind,
            )
        ) from wrong
    except (can.CanError, OSError, ValueError) as wrong:
        raise LinkLost(cant_open(where, wrong, _ACCEPTED)) from wrong
    raise LinkLost(
        say("{value} is no bus; {accepted}.", value=where or say("nothing"), accepted=_ACCEPTED)
    )


def open_transport(where: str, trouble: Callable[[str], None] = lambda _t: None) -> Transport:
    """The way to a vehicle by its name: any bus, or `serial:` and `tcp:` for a text adapter.

    Raises:
        LinkLost: it can't be opened.
    """
    kind, _, name = where.partition(":")
    if kind in _TEXT_KINDS and name:
        from nervus.link.text_adapter import TextTransport  # noqa: PLC0415 - loads the serial library

        return TextTransport(where, trouble)
    return CanTransport(open_bus(where), trouble, where)
