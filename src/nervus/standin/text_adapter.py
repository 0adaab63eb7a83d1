"""A stand-in for an adapter that speaks lines of text, over TCP and a pseudo-terminal, good or bad.

`Adapter` is the command line itself, bytes in and bytes out, without a thread. What it does not
imitate: the time that a real one takes on the bus (a fixed pause stands for it), monitoring,
    programmable parameters.
"""

import contextlib
import os
import select
import socket
import threading
import tty
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from nervus.link.addresses import OLD, WIDE, answer_id
from nervus.link.loopback_bus import HOST
from nervus.link.text_lines import BUS_OF, Bus, crc8

NAME = "TEXT STAND-IN v1.0"
_OLD_ENGINE = 0x10


@dataclass(frozen=True, slots=True)
class Habits:
    """How an adapter behaves; the usual one has none of these.

    Attributes:
        protocol: the digit of its protocol: 6 and 8 CAN with 11 bit, 7 and 9 with 29, 1 to 5 older
            buses.
        echo_stays: turning the echo off does nothing.
        spaces_stay: so does turning the spaces off.
        prompt_lost: the chance that a prompt does not come.
        byte_lost: the chance of each byte to get lost.
        resets: the chance that it begins anew instead of answering.
        buffer: how many bytes of an answer it holds; beyond it says that it is full.
        knows_few: it answers "?" to every setting but the oldest.
        dead: it never answers.
        seed: of the chances.
    """

    protocol: str = "6"
    echo_stays: bool = False
    spaces_stay: bool = False
    prompt_lost: float = 0.0
    byte_lost: float = 0.0
    resets: float = 0.0
    buffer: int = 1 << 16
    knows_few: bool = False
    dead: bool = False
    seed: int = 1


Ask = Callable[[bytes, int | None], dict[int, bytes]]
"""A request and the unit it is for (`None` for all) to the answers by unit."""


@dataclass
class Adapter:
    """The adapter's own command line."""

    ask: Ask
    habits: Habits = field(default_factory=Habits)
    _held: bytes = b""
    _echo: bool = True
    _spaces: bool = True
    _headers: bool = False
    _to: int | None = None

    def __post_init__(self) -> None:
        self._random = np.random.default_rng(self.habits.seed)
        self.bus = BUS_OF[self.habits.protocol]

    def feed(self, data: bytes) -> bytes:
        """Bytes in, bytes out."""
        if self.habits.dead:
            return b""
        out = b""
        self._held += data
        while b"\r" in self._held:
            line, self._held = self._held.split(b"\r", 1)
            text = line.decode("ascii", "replace").replace(" ", "").upper().strip("\n")
            if self._echo:
                out += line + b"\r"
            out += self._obey(text).encode("ascii") + b"\r"
            if self._random.random() >= self.habits.prompt_lost:
                out += b"\r>"
        if self.habits.byte_lost:
            kept = [b for b in out if self._random.random() >= self.habits.byte_lost]
            out = bytes(kept)
        return out

    def _obey(self, text: str) -> str:
        if not text.startswith("AT"):
            return self._question(text)
        command = text[2:]
        if command == "Z":
            self._begin_anew()
            return f"\r\r{NAME}"
        if command == "DPN":
            return f"A{self.habits.protocol}"
        if command in ("E0", "E1"):
            self._echo = command == "E1" or self.habits.echo_stays
        elif command in ("S0", "S1"):
            self._spaces = command == "S1" or self.habits.spaces_stay
        elif command in ("H0", "H1"):
            self._headers = command == "H1"
        elif command.startswith("SH"):
            return self._set_header(command[2:])
        elif self.habits.knows_few or not command.startswith(("L", "AT", "ST", "SP")):
            return "?"
        return "OK"

    def _begin_anew(self) -> None:
        self._echo, self._spaces, self._headers, self._to = True, True, False, None

    def _set_header(self, header: str) -> str:
        if header in ("7DF", "DB33F1"):
            self._to = None
        elif self.bus is Bus.NARROW and header.startswith("7E"):
            self._to = int(header, 16) - 0x7E0
        elif self.bus is Bus.WIDE and header.startswith("DA"):
            self._to = WIDE + int(header[2:4], 16)
        else:
            return "?"
        return "OK"

    def _question(self, text: str) -> str:
        if self._random.random() < self.habits.resets:
            self._begin_anew()
            return f"LV RESET\r\r{NAME}"
        try:
            request = bytes.fromhex(text)
        except ValueError:
            return "?"
        answers = self.ask(request, self._to) if request else {}
        lines = [line for unit, told in answers.items() for line in self._lines(unit, told)]
        shown = "\r".join(lines)
        if len(shown) > self.habits.buffer:
            return shown[: self.habits.buffer].rpartition("\r")[0] + "\rBUFFER FULL"
        return shown or "NO DATA"

    # -- how answers look ------------------------------------------------------------------------------

    def _lines(self, unit: int, told: bytes) -> list[str]:
        if self.bus in (Bus.SUMMED, Bus.CHECKED):
            return [self._shown("", raw) for raw in self._old(unit, told)]
        digits = 8 if self.bus is Bus.WIDE else 3
        head = f"{answer_id(unit):0{digits}X}" if self._headers else ""
        return [self._shown(head, frame) for frame in frames(told)]

    def _shown(self, head: str, data: bytes) -> str:
        pairs = [f"{b:02X}" for b in data]
        if not self._spaces:
            return head + "".join(pairs)
        parts = [head[n : n + 2] for n in range(0, 8, 2)] if len(head) == 8 else [head] if head else []
        return " ".join([*parts, *pairs])

    def _old(self, unit: int, told: bytes) -> list[bytes]:
        """The messages of an older bus: three codes in each, long texts in parts of four."""
        if told[0] in (0x43, 0x47, 0x4A):
            rows = told[2:]
            parts = [rows[n : n + 6].ljust(6, b"\0") for n in range(0, max(len(rows), 1), 6)]
            bodies = [told[:1] + part for part in parts]
        elif told[0] == 0x49 and len(told) > 7:
            text = told[3:].rjust(-(-len(told[3:]) // 4) * 4, b"\0")
            bodies = [told[:2] + bytes([n // 4 + 1]) + text[n : n + 4] for n in range(0, len(text), 4)]
        else:
            bodies = [told[:7]]
        source = unit - OLD if unit >= OLD else _OLD_ENGINE + unit
        whole = [bytes([0x48, 0x6B, source]) + body for body in bodies]
        summed = self.bus is Bus.SUMMED
        return [w + bytes([sum(w) & 0xFF if summed else crc8(w)]) for w in whole]


def frames(told: bytes) -> list[bytes]:
    """An answer as frames on CAN (ISO 15765-2), padded to eight bytes."""
    if len(told) <= 7:
        return [bytes([len(told), *told]).ljust(8, b"\0")]
    out = [bytes([0x10 | len(told) >> 8, len(told) & 0xFF]) + told[:6]]
    for number, at in enumerate(range(6, len(told), 7), start=1):
        out.append(bytes([0x20 | number & 0x0F]) + told[at : at + 7])
    return [frame.ljust(8, b"\0") for frame in out]


class AdapterServer:
    """Serves one adapter over TCP and over a pseudo-terminal, each line with a command line of its own.

    Attributes:
        port: on this machine; `tcp:127.0.0.1:PORT`.
        device: of the pseudo-terminal; `serial:DEVICE`.
    """

    def __init__(self, ask: Ask, habits: Habits | None = None, answer_s: float = 0.0) -> None:
        self._ask, self._habits, self._answer_s = ask, habits or Habits(), answer_s
        self._ended = threading.Event()
        self._listener = socket.create_server((HOST, 0))
        self._listener.settimeout(0.1)
        self.port = int(self._listener.getsockname()[1])
        self._ours, self._theirs = os.openpty()
        tty.setraw(self._theirs)
        self.device = os.ttyname(self._theirs)
        self._threads = [
            threading.Thread(target=self._accept, name="adapter-tcp", daemon=True),
            threading.Thread(target=self._serve_terminal, name="adapter-pty", daemon=True),
        ]

    def __enter__(self) -> "AdapterServer":
        for thread in self._threads:
            thread.start()
        return self

    def __exit__(self, *_wrong: object) -> None:
        self._ended.set()
        for thread in list(self._threads):
            thread.join(2.0)
        self._listener.close()
        os.close(self._ours)
        os.close(self._theirs)

    def _accept(self) -> None:
        while not self._ended.is_set():
            try:
                connection, _ = self._listener.accept()
            except TimeoutError:
                continue
            thread = threading.Thread(
                target=self._serve_socket, args=(connection,), name="adapter-tcp", daemon=True
            )
            self._threads.append(thread)
            thread.start()

    def _serve_socket(self, connection: socket.socket) -> None:
        with connection, contextlib.suppress(OSError):  # hung up by the other end, as all of them are
            self._serve(connection.fileno(), lambda: connection.recv(4096), connection.sendall)

    def _serve_terminal(self) -> None:
        def send(data: bytes) -> None:
            os.write(self._ours, data)

        self._serve(self._ours, lambda: os.read(self._ours, 4096), send)

    def _serve(self, number: int, receive: Callable[[], bytes], send: Callable[[bytes], object]) -> None:
        adapter = Adapter(self._ask, self._habits)
        while not self._ended.is_set():
            ready, _, _ = select.select([number], [], [], 0.1)
            if not ready:
                continue
            data = receive()
            if not data:
                return
            if self._answer_s:
                self._ended.wait(self._answer_s)
            send(adapter.feed(data))
