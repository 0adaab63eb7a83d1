"""The wire to an instrument, line by line: a socket, a serial line, or whatever VISA knows.

What the libraries say when something fails stays here; a sentence of ours goes on.
"""

import socket
import time
from collections.abc import Callable
from typing import Any, Protocol

import serial

from nervus.language import say
from nervus.link.bus_health import cant_open
from nervus.link.errors import LinkLost, NoAnswer

# A wire is looked at this often while nothing comes, so that whoever wants to stop is heard.
_SLICE_S = 0.1
_LONGEST_LINE = 4096
ACCEPTED = say(
    "accepted is HOST:PORT, a serial line such as /dev/ttyUSB0, or a VISA resource "
    "such as TCPIP::10.0.0.5::5025::SOCKET"
)
_GONE = say("The instrument is gone: its line is closed.")


class Wire(Protocol):
    """Bytes to an instrument and back.

    All of it raises `LinkLost` when the other end is gone; waiting ends with `NoAnswer`.
    """

    def write(self, line: str) -> None:
        """Send a line."""

    def line(self, wait_s: float, alive: Callable[[], None]) -> str:
        """The next line, whichever way it is ended; `alive` is called meanwhile and may raise."""

    def exactly(self, count: int, wait_s: float, alive: Callable[[], None]) -> bytes:
        """So many bytes."""

    def drain(self) -> bytes:
        """Throw away what nobody asked for; returns it."""

    def close(self) -> None:
        """Let go."""


class SerialWire:
    """A socket or a serial line, by the serial library.

    Args:
        url: a device, or `socket://HOST:PORT`.
        where: as the user wrote it.
        baud: of a serial line.
    """

    def __init__(self, url: str, where: str, baud: int) -> None:
        try:
            self._port = serial.serial_for_url(url, baudrate=baud, timeout=_SLICE_S, write_timeout=2.0)
        except (serial.SerialException, OSError, ValueError) as wrong:
            raise LinkLost(cant_open(where, wrong, ACCEPTED)) from wrong
        held = getattr(self._port, "_socket", None)
        if isinstance(held, socket.socket):
            held.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._rest = b""

    def write(self, line: str) -> None:
        """Send a line; both ends of a line satisfy those that want either."""
        try:
            self._port.write(line.encode("ascii", "replace") + b"\r\n")
        except (serial.SerialException, OSError) as wrong:
            raise LinkLost(_GONE) from wrong

    def line(self, wait_s: float, alive: Callable[[], None]) -> str:
        """The next line that is not empty."""
        end = time.monotonic() + wait_s
        while True:
            head, cut, tail = _split(self._rest)
            if cut:
                self._rest = tail
                if head.strip():
                    return head.decode("ascii", "replace").strip()
                continue
            if len(self._rest) > _LONGEST_LINE:
                self._rest = b""
                raise NoAnswer(say("The instrument sends without an end of a line."))
            alive()
            if time.monotonic() >= end:
                raise NoAnswer(say("The instrument does not answer in time."))
            self._rest += self._more(1)

    def _more(self, count: int) -> bytes:
        try:
            return bytes(self._port.read(count))
        except (serial.SerialException, OSError) as wrong:
            raise LinkLost(_GONE) from wrong

    def exactly(self, count: int, wait_s: float, alive: Callable[[], None]) -> bytes:
        """So many bytes."""
        end = time.monotonic() + wait_s
        while len(self._rest) < count:
            alive()
            if time.monotonic() >= end:
                raise NoAnswer(say("The instrument hands over no whole block."))
            self._rest += self._more(count - len(self._rest))
        taken, self._rest = self._rest[:count], self._rest[count:]
        return taken

    def drain(self) -> bytes:
        """Throw away what has come since the last answer."""
        thrown, self._rest = self._rest, b""
        try:
            while self._port.in_waiting:
                thrown += self._port.read(self._port.in_waiting)
        except (serial.SerialException, OSError) as wrong:
            raise LinkLost(_GONE) from wrong
        return thrown

    def close(self) -> None:
        """Let go of the line."""
        self._port.close()


def _split(data: bytes) -> tuple[bytes, bool, bytes]:
    """What stands before the first end of a line, of any kind, whether there is one, and the rest."""
    ends = [n for n in (data.find(b"\n"), data.find(b"\r")) if n >= 0]
    if not ends:
        return data, False, b""
    return data[: min(ends)], True, data[min(ends) + 1 :]


class VisaWire:
    """Anything else that VISA knows: USB, GPIB, VXI-11."""

    def __init__(self, where: str) -> None:
        import pyvisa  # noqa: PLC0415 - loaded when such an instrument is first wanted: start-up

        self._errors: tuple[type[Exception], ...] = (pyvisa.errors.Error, OSError, ValueError, TypeError)
        try:
            self._manager = pyvisa.ResourceManager("@py")
            self._resource: Any = self._manager.open_resource(where, timeout=int(1000 * _SLICE_S))
        except self._errors as wrong:
            raise LinkLost(
                say("{where} can't be opened; {accepted}.", where=where, accepted=ACCEPTED)
            ) from wrong
        self._timed_out = pyvisa.constants.StatusCode.error_timeout

    def write(self, line: str) -> None:
        """Send a line."""
        try:
            self._resource.write(line)
        except self._errors as wrong:
            raise LinkLost(_GONE) from wrong

    def _read(self, wait_s: float, alive: Callable[[], None]) -> bytes:
        end = time.monotonic() + wait_s
        while True:
            alive()
            try:
                return bytes(self._resource.read_raw())
            except self._errors as wrong:
                if getattr(wrong, "error_code", None) != self._timed_out:
                    raise LinkLost(_GONE) from wrong
                if time.monotonic() >= end:
                    raise NoAnswer(say("The instrument does not answer in time.")) from wrong

    def line(self, wait_s: float, alive: Callable[[], None]) -> str:
        """The next message."""
        return self._read(wait_s, alive).decode("ascii", "replace").strip()

    def exactly(self, count: int, wait_s: float, alive: Callable[[], None]) -> bytes:
        """So many bytes."""
        got = b""
        while len(got) < count:
            got += self._read(wait_s, alive)
        return got[:count]

    def drain(self) -> bytes:
        """Message-based wires keep nothing that was not asked for; what they have is cleared."""
        try:
            self._resource.clear()
        except self._errors as wrong:
            raise LinkLost(_GONE) from wrong
        return b""

    def close(self) -> None:
        """Let go."""
        self._resource.close()
        self._manager.close()


def open_wire(where: str, baud: int) -> Wire:
    """The wire to an instrument by its name.

    Raises:
        LinkLost: it is none, or can't be opened.
    """
    parts = where.split("::")
    host, _, port = where.rpartition(":")
    if len(parts) == 4 and parts[0].upper().startswith("TCPIP") and parts[3].upper() == "SOCKET":
        return SerialWire(f"socket://{parts[1]}:{parts[2]}", where, baud)
    if len(parts) == 2 and parts[0].upper().startswith("ASRL/"):
        return SerialWire(parts[0][4:], where, baud)
    if "::" in where:
        return VisaWire(where)
    if where.startswith("/dev/"):
        return SerialWire(where, where, baud)
    if host and port.isdecimal():
        return SerialWire(f"socket://{host}:{port}", where, baud)
    raise LinkLost(say("“{where}” is no instrument; {accepted}.", where=where, accepted=ACCEPTED))
