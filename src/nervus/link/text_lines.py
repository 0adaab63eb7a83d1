"""The lines that a text adapter prints, read as answers of control units.

With headers on, an answer on CAN is a frame: its identifier (three or eight digits) and up to eight
bytes, the transport's own among them; on older buses three bytes of header, the data and a checksum.
Lines come with or without spaces.
"""

import re
from dataclasses import dataclass, field
from enum import StrEnum

from nervus.language import say
from nervus.link.addresses import OLD, unit_answering
from nervus.link.listening import Listener

_HEX = re.compile(r"[0-9A-F]+")
_OLD_CODES = frozenset({0x43, 0x47, 0x4A})


class Bus(StrEnum):
    """What an adapter is connected to; by the digit that it tells for its protocol."""

    NARROW = "CAN, 11 bit"
    WIDE = "CAN, 29 bit"
    SUMMED = "an older bus with a sum at the end"
    CHECKED = "an older bus with a CRC at the end"


# Common practice, no published source: 1 and 2 are SAE J1850, 3 to 5 ISO 9141-2 and ISO 14230-4, 6 to 9
# ISO 15765-4 (11 and 29 bit at 500 and 250 kbit/s).
BUS_OF = {
    "1": Bus.CHECKED, "2": Bus.CHECKED, "3": Bus.SUMMED, "4": Bus.SUMMED, "5": Bus.SUMMED,
    "6": Bus.NARROW, "7": Bus.WIDE, "8": Bus.NARROW, "9": Bus.WIDE,
}  # fmt: skip


class Word(StrEnum):
    """What an adapter says in words instead of data."""

    NO_DATA = "NODATA"
    SEARCHING = "SEARCHING"
    STOPPED = "STOPPED"
    UNKNOWN = "?"
    FULL = "BUFFERFULL"
    NO_BUS = "UNABLETOCONNECT"
    CAN_ERROR = "CANERROR"
    BUS_ERROR = "BUSERROR"
    BUS_BUSY = "BUSBUSY"
    FEEDBACK = "FBERROR"
    DATA_ERROR = "DATAERROR"
    LINE_ERROR = "<RXERROR"
    BUS_INIT = "BUSINIT"
    LOW_VOLTAGE = "LVRESET"
    FAULT = "ERR"
    OK = "OK"


RESETS = frozenset({Word.LOW_VOLTAGE, Word.FAULT})


@dataclass
class Said:
    """What came of one question.

    Attributes:
        answers: whole answers by unit, in their order.
        broken: units of which a part came, and what is wrong.
        words: what the adapter said itself.
        unreadable: lines that are neither.
        padded: units that filled a frame.
    """

    answers: dict[int, list[bytes]] = field(default_factory=dict)
    broken: dict[int, str] = field(default_factory=dict)
    words: set[Word] = field(default_factory=set)
    unreadable: int = 0
    padded: set[int] = field(default_factory=set)

    @property
    def was_reset(self) -> bool:
        """Whether the adapter began anew and has forgotten how it was set up."""
        return bool(self.words & RESETS)


def word_in(line: str) -> Word | None:
    """What a line says in words, `None` for data."""
    flat = line.replace(" ", "").upper()
    return next((w for w in Word if (w.value in flat if len(w) > 2 else flat == w.value)), None)


def read_lines(lines: list[str], bus: Bus, padded: frozenset[int] = frozenset()) -> Said:
    """All that the lines behind a question say.

    Args:
        lines: without the echo and the prompt.
        bus: what the adapter is connected to.
        padded: units of which it is known that they fill every frame.
    """
    said = Said()

    def broken(unit: int, _wrong: Exception) -> None:
        said.broken[unit] = say("a frame of a long answer is missing")

    listener = Listener(broken)
    for line in lines:
        word = word_in(line)
        flat = line.replace(" ", "").upper()
        if word is not None:
            said.words.add(word)
        elif not _HEX.fullmatch(flat) or not _is_grouped(line, bus):
            said.unreadable += 1
        elif bus in (Bus.NARROW, Bus.WIDE):
            _take_frame(said, listener, flat, padded, wide=bus is Bus.WIDE)
        else:
            _take_old(said, flat, bus)
    for unit in listener.unfinished():
        said.broken[unit] = say("the rest of a long answer did not come")
    for unit in said.answers:
        said.broken.pop(unit, None)
    return said


def _is_grouped(line: str, bus: Bus) -> bool:
    """Whether a line with spaces has them between bytes: a digit that got lost or doubled shows so."""
    groups = line.split()
    if len(groups) < 2:
        return True
    head = groups.pop(0) if bus is Bus.NARROW else "00"
    return len(head) in (2, 3) and all(len(group) == 2 for group in groups)


def _take_frame(
    said: Said, listener: Listener, flat: str, padded: frozenset[int], *, wide: bool
) -> None:
    digits = 8 if wide else 3
    head, tail = flat[:digits], flat[digits:]
    if len(head) < digits or len(tail) % 2 or not 2 <= len(tail) <= 16:
        said.unreadable += 1
        return
    data = bytes.fromhex(tail)
    # A frame that lost bytes on the serial line shows by its length: a single one says its own, all
    # others and those that are padded are eight bytes (ISO 15765-4 pads all).
    unit = unit_answering(int(head, 16), wide=wide)
    if len(data) == 8:
        said.padded |= {unit} if unit is not None else set()
    elif unit in padded or not ((data[0] < 8 and len(data) == data[0] + 1) or data[0] >> 4 == 2):
        said.unreadable += 1
        return
    for answered, answer in listener.take(int(head, 16), data, wide=wide):
        said.answers.setdefault(answered, []).append(answer)


def _take_old(said: Said, flat: str, bus: Bus) -> None:
    if len(flat) % 2 or len(flat) < 10:
        said.unreadable += 1
        return
    raw = bytes.fromhex(flat)
    check = sum(raw[:-1]) & 0xFF if bus is Bus.SUMMED else crc8(raw[:-1])
    if check != raw[-1]:
        said.unreadable += 1
        return
    said.answers.setdefault(OLD + raw[2], []).append(raw[3:-1])


def crc8(data: bytes) -> int:
    """The checksum of SAE J1850: polynomial 1D, begun with FF, inverted."""
    value = 0xFF
    for byte in data:
        value ^= byte
        for _ in range(8):
            value = (value << 1 ^ 0x1D if value & 0x80 else value << 1) & 0xFF
    return value ^ 0xFF


def as_on_can(messages: list[bytes]) -> bytes:
    """The messages of an older bus in one answer, laid out as on CAN.

    Codes come three to a message and uncounted there, long texts in numbered messages of four bytes
    (SAE J1979).
    """
    first = messages[0]
    if first[0] in _OLD_CODES:
        rows = b"".join(m[1:] for m in messages if m[0] == first[0])
        pairs = [rows[n : n + 2] for n in range(0, len(rows) // 2 * 2, 2)]
        told = [pair for pair in pairs if pair != b"\0\0"]
        return bytes([first[0], len(told)]) + b"".join(told)
    if first[0] == 0x49 and len(messages) > 1:
        parts = sorted({m[2]: m[3:] for m in messages if len(m) > 3 and m[:2] == first[:2]}.items())
        return first[:2] + b"\x01" + b"".join(part for _, part in parts)
    return messages[-1]
