"""What a bus tells of itself while nobody answers, and what to do about it, each in one sentence.

Error frames are those of SocketCAN (`linux/can/error.h`), which the CAN library hands through.
"""

import errno
import os
from collections import Counter
from pathlib import Path

import can

from nervus.language import say
from nervus.link.loopback_bus import OTHER_END_GONE

_NO_ACK, _PROTOCOL, _OFF, _BUS = 0x20, 0x08, 0x40, 0x80
_NET = Path("/sys/class/net")
_PERMISSION = say(
    "no permission; let your user use it (on Debian: group dialout for serial "
    "adapters) rather than run Nervus as root"
)
_CAN_TYPE = "280"
"""The kernel's number for CAN interfaces (`ARPHRD_CAN`)."""
UP_LINES = tuple(f"ip link set {{0}} up type can bitrate {rate}" for rate in (500_000, 250_000))


def interfaces() -> tuple[str, ...]:
    """The names of the CAN interfaces that this machine has."""
    found = []
    for kind in sorted(_NET.glob("*/type")):
        try:
            is_can = kind.read_text(encoding="ascii").strip() == _CAN_TYPE
        except OSError:  # it was unplugged while we looked: then it is none
            continue
        if is_can:
            found.append(kind.parent.name)
    return tuple(found)


def how_up(name: str) -> str:
    """The lines that set an interface up."""
    first, second = (line.format(name) for line in UP_LINES)
    return say("as root: “{first}” (most vehicles), or “{second}”", first=first, second=second)


class BusHealth:
    """Counts what passes on a bus."""

    def __init__(self, where: str = "") -> None:
        self.name = where.partition(":")[2] or where or say("the bus")
        self.frames = 0
        self.errors: Counter[int] = Counter()

    def heard(self, message: can.Message) -> None:
        """One frame of any kind."""
        if message.is_error_frame:
            for kind in (_NO_ACK, _PROTOCOL, _OFF, _BUS):
                self.errors[kind] += bool(message.arbitration_id & kind)
        else:
            self.frames += 1

    def silence(self) -> str:
        """Why nobody answers."""
        if self.errors[_PROTOCOL] + self.errors[_BUS] + self.errors[_OFF] > self.errors[_NO_ACK]:
            return say(
                "{name} hears errors and no frame it can read: the bit rate is wrong, or the "
                "wires are swapped; set another, {how_up}.",
                name=self.name,
                how_up=how_up(self.name),
            )
        if self.errors[_NO_ACK]:
            return say(
                "Nobody on {name} acknowledges: is the plug in, the key on, and the bit rate "
                "the vehicle's? Set it {how_up}.",
                name=self.name,
                how_up=how_up(self.name),
            )
        if self.frames:
            return say(
                "No control unit answers, though {frames} frames pass on {name}: a gateway may "
                "keep questions out, or the key is off; is the key on?",
                frames=self.frames,
                name=self.name,
            )
        return say("No control unit answers, and nothing passes on the bus; is the key on, the plug in?")

    def cant_send(self, wrong: Exception) -> str:
        """Why a frame can't be sent."""
        number = _errno(wrong)
        if number == errno.ENOBUFS:
            return say(
                "{name} can't get rid of a frame: nobody acknowledges it; is the plug in, the "
                "key on, and the bit rate the vehicle's? Set it {how_up}.",
                name=self.name,
                how_up=how_up(self.name),
            )
        if number == errno.ENETDOWN:
            return say("{name} is down; set it up {how_up}.", name=self.name, how_up=how_up(self.name))
        return say("The bus takes nothing any more{why}.", why=_why(wrong))

    def gone(self, wrong: Exception) -> str:
        """Why nothing can be received."""
        if _errno(wrong) == errno.ENETDOWN:
            return say("{name} went down; set it up {how_up}.", name=self.name, how_up=how_up(self.name))
        return say("The bus is gone{why}.", why=_why(wrong))


def cant_open(where: str, wrong: Exception, accepted: str) -> str:
    """Why a bus, an adapter or an instrument can't be opened."""
    number = _errno(wrong)
    there = ", ".join(interfaces()) or say("none")
    up = say("the interface is down; set it up {how_up}", how_up=how_up(where.partition(":")[2]))
    whys = {
        errno.ENODEV: say("there is no such interface; CAN interfaces here: {there}", there=there),
        errno.ENETDOWN: up,
        errno.EACCES: _PERMISSION,
        errno.EPERM: _PERMISSION,
        errno.EAFNOSUPPORT: say(
            "this kernel has no CAN; another adapter may do, {accepted}", accepted=accepted
        ),
        errno.EPROTONOSUPPORT: say(
            "this kernel has no CAN; another adapter may do, {accepted}", accepted=accepted
        ),
        errno.ENOENT: say("there is no such device; {accepted}", accepted=accepted),
        errno.ECONNREFUSED: say(
            "nobody listens there; is it on, is the port right? {accepted}", accepted=accepted
        ),
        errno.EBUSY: say("another program holds it; close that"),
    }
    if number < 0:  # of the resolver, which counts downwards
        return say(
            "{where} can't be opened: the name of that machine is not known here; its number may do.",
            where=where,
        )
    otherwise = f"{os.strerror(number).lower()}; {accepted}" if number > 0 else accepted
    return say("{where} can't be opened: {get}.", where=where, get=whys.get(number, otherwise))


def _why(wrong: Exception) -> str:
    """What the system or the stand-in says, without a library's number."""
    number = _errno(wrong)
    if number > 0:
        return f": {os.strerror(number).lower()}"
    return f": {wrong}" if str(wrong).startswith(OTHER_END_GONE) else ""


def _errno(wrong: BaseException | None) -> int:
    """The number of the system's error, wherever in the chain it stands."""
    while wrong is not None:
        number = getattr(wrong, "error_code", None) or getattr(wrong, "errno", None)
        if isinstance(number, int):
            return number
        wrong = wrong.__cause__ or wrong.__context__
    return 0
