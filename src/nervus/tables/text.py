"""The text of a table: its encoding, its first and last lines, and where each of them begins."""

import codecs
import io
import re
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from nervus.domain.errors import Place, RecordingUnusable
from nervus.language import say

ACCEPTED = say("accepted is text in columns, with a row of names above rows of numbers")
HEAD_LINES, TAIL_LINES = 400, 60
_CHUNK = 1 << 20
_LONGEST_LINE = 1 << 20
_MOST_OF_UTF16 = 1 << 28
_ENDS = re.compile(r"\r\n|\n|\r")


@dataclass(frozen=True, slots=True)
class TableText:
    """What is known of a table's text before it is understood.

    Attributes:
        path: the file.
        encoding: of the text.
        newline: what ends a line.
        head: its first lines, without their ends.
        tail: its last lines; those of `head` again where the file is short.
        lines: how many there are.
        whole: whether the last line has an end.
    """

    path: Path
    encoding: str
    newline: str
    head: tuple[str, ...]
    tail: tuple[str, ...]
    lines: int
    whole: bool


def text_of(path: Path) -> TableText:
    """Look over a whole file once.

    Raises:
        RecordingUnusable: it can't be read, is no text, or a line does not end.
    """
    try:
        with path.open("rb") as file:
            first = file.read(_CHUNK)
            encoding = _encoding(path, first)
            if encoding.startswith("utf-16"):
                return _of_wide(path, first + file.read(_MOST_OF_UTF16), encoding)
            return _of_bytes(path, first, file, encoding)
    except OSError as wrong:
        raise RecordingUnusable(
            Place(path.name),
            say("the file can't be read ({strerror})", strerror=wrong.strerror),
            ACCEPTED,
        ) from wrong


def opened_between(text: TableText, skip: int, foot: int) -> io.IOBase:
    """The file from its line `skip` on, without its last `foot` lines.

    Raises:
        OSError: it can't be read any more.
    """
    if text.encoding.startswith("utf-16"):
        lines = _ENDS.split(text.path.read_text(encoding=text.encoding))
        kept = lines[skip:]
        while kept and not kept[-1]:
            kept.pop()
        return io.StringIO("\n".join(kept[: len(kept) - foot] if foot else kept) + "\n")
    file = text.path.open("rb")
    begin = _offset(file, skip, text.newline.encode("ascii"))
    file.seek(0, io.SEEK_END)
    end = file.tell()
    if foot:
        end -= _length_of_last(text, foot)
    file.seek(begin)
    return io.BufferedReader(_Between(file, max(0, end - begin)), _CHUNK)


class _Between(io.RawIOBase):
    """A file that ends earlier."""

    def __init__(self, file: BinaryIO, left: int) -> None:
        self._file, self._left = file, left

    def readable(self) -> bool:
        """It is for reading."""
        return True

    def readinto(self, into: "bytearray | memoryview") -> int:  # type: ignore[override] # a writable buffer
        """Up to the end."""
        data = self._file.read(min(len(into), self._left))
        self._left -= len(data)
        into[: len(data)] = data
        return len(data)

    def close(self) -> None:
        """The file too."""
        self._file.close()
        super().close()


def _encoding(path: Path, first: bytes) -> str:
    if not first.strip():
        raise RecordingUnusable(Place(path.name), say("the file is empty"), ACCEPTED)
    if first.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    probe = first[:4096]
    if b"\0" in probe:
        for encoding, zeros in (("utf-16-le", probe[1::2]), ("utf-16-be", probe[::2])):
            if zeros.count(0) > 0.9 * len(zeros):
                return encoding
        raise RecordingUnusable(Place(path.name), say("this is not text"), ACCEPTED)
    return "utf-8"


def _of_wide(path: Path, raw: bytes, encoding: str) -> TableText:
    try:
        text = raw.decode(encoding)
    except UnicodeDecodeError as wrong:
        raise RecordingUnusable(
            Place(path.name), say("its letters are damaged (UTF-16)"), ACCEPTED
        ) from wrong
    lines = _ENDS.split(text)
    whole = lines[-1] == ""
    if whole:
        lines.pop()
    _check_lines(path, lines)
    return TableText(
        path, encoding, "\n", tuple(lines[:HEAD_LINES]), tuple(lines[-TAIL_LINES:]), len(lines), whole
    )


def _of_bytes(path: Path, first: bytes, file: BinaryIO, encoding: str) -> TableText:
    newline = b"\n" if b"\n" in first or b"\r" not in first else b"\r"
    decoder = codecs.getincrementaldecoder("utf-8")()
    lines, since, chunk, last = 0, 0, first, b""
    utf8 = True
    while chunk:
        at = chunk.rfind(newline)
        since = since + len(chunk) if at < 0 else len(chunk) - at - 1
        if since > _LONGEST_LINE:
            place = Place(path.name, lines + chunk.count(newline) + 1)
            raise RecordingUnusable(place, say("a line is longer than a megabyte"), ACCEPTED)
        if b"\0" in chunk:
            place = Place(path.name, lines + chunk[: chunk.index(b"\0")].count(newline) + 1)
            raise RecordingUnusable(place, say("this is not text"), ACCEPTED)
        utf8 = utf8 and _is_utf8(decoder, chunk)
        lines += chunk.count(newline)
        last = (last + chunk)[-_CHUNK:]
        chunk = file.read(_CHUNK)
    whole = last.endswith(newline)
    encoding = ("utf-8-sig" if utf8 else "cp1252") if encoding == "utf-8" else encoding
    if not utf8 and _undefined(first):
        encoding = "latin-1"
    head = _split(first.decode(encoding, errors="replace"), newline)
    if len(first) == _CHUNK and not first.endswith(newline):
        head.pop()  # cut in the middle
    tail = _split(last.decode(encoding.removesuffix("-sig"), errors="replace"), newline)
    return TableText(
        path, encoding, newline.decode(), tuple(head[:HEAD_LINES]), tuple(tail[-TAIL_LINES:]),
        lines + (not whole), whole,
    )  # fmt: skip


def _is_utf8(decoder: codecs.IncrementalDecoder, chunk: bytes) -> bool:
    if chunk.isascii() and not decoder.getstate()[0]:
        return True
    try:
        decoder.decode(chunk)
    except UnicodeDecodeError:
        return False
    return True


def _undefined(raw: bytes) -> bool:
    try:
        raw.decode("cp1252")
    except UnicodeDecodeError:
        return True
    return False


def _split(text: str, newline: bytes) -> list[str]:
    lines = [line.rstrip("\r") for line in text.split(newline.decode())]
    if lines and lines[-1] == "":
        lines.pop()
    return lines


def _check_lines(path: Path, lines: list[str]) -> None:
    for number, line in enumerate(lines, 1):
        if len(line) > _LONGEST_LINE:
            raise RecordingUnusable(
                Place(path.name, number), say("a line is longer than a megabyte"), ACCEPTED
            )


def _offset(file: BinaryIO, lines: int, newline: bytes) -> int:
    """Where the line begins that so many stand above; a mark of the byte order is no part of it."""
    file.seek(0)
    at = 3 if file.read(3) == codecs.BOM_UTF8 else 0
    file.seek(at)
    raw = file.read(_CHUNK)
    start, offset = 0, at
    for _ in range(lines):
        found = raw.find(newline, start)
        if found < 0:
            return offset + len(raw)
        start = found + 1
    return offset + start


def _length_of_last(text: TableText, foot: int) -> int:
    newline = text.newline.encode("ascii")
    with text.path.open("rb") as file:
        file.seek(0, io.SEEK_END)
        size = file.tell()
        length = min(size, _CHUNK)
        file.seek(size - length)
        raw = file.read(length)
    end = len(raw) - (1 if raw.endswith(newline) else 0)
    for _ in range(foot):
        end = raw.rfind(newline, 0, end)
        if end < 0:
            return len(raw)
    return len(raw) - end - 1
