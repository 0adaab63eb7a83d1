"""Opening a bus by its name: a real adapter through SocketCAN, or a stand-in's."""

import can

from nervus.link.errors import LinkLost
from nervus.link.loopback_bus import LoopbackBus

_ACCEPTED = "accepted is socketcan:NAME (such as socketcan:can0) or standin:PORT"


def open_bus(where: str) -> can.BusABC:
    """A bus by its name, such as `socketcan:can0` or `standin:40123`.

    Raises:
        LinkLost: there is no such bus; the sentence says what would be accepted.
    """
    kind, _, name = where.partition(":")
    try:
        if kind == "standin" and name.isdecimal():
            return LoopbackBus(int(name))
        if kind == "socketcan" and name:
            return can.Bus(interface="socketcan", channel=name)
    except (can.CanError, OSError) as wrong:
        raise LinkLost(f"{where} can't be opened: {wrong}; {_ACCEPTED}.") from wrong
    raise LinkLost(f"{where} is no bus; {_ACCEPTED}.")
