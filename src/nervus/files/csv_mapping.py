"""Recordings in any CSV dialect: what the dialect and the columns may be, to be corrected by the user.

Nothing is guessed silently: a proposal is shown with what it makes of the first rows, and only what was
agreed to is read, by `mapped_csv`.
"""

import csv
import re
from collections import Counter
from dataclasses import dataclass
from pathlib import Path

import msgspec

from nervus.domain.channel import CHANNEL_KINDS
from nervus.domain.errors import Place, RecordingUnusable
from nervus.knowledge.columns import channel_for, conversion, is_time, unit_written

IGNORE, TIME = "-", "time_s"
CLOCK = "clock"
"""A time that is written as a time of day, with or without its date."""
_DELIMITERS = (";", "\t", ",", "|")
_LOOKED_AT, _LONGEST = 200, 1 << 20
_ACCEPTED = "accepted is text in columns, with a row of names above rows of numbers"
_IN_BRACKETS = re.compile(r"^(?P<name>.*?)\s*[\[(](?P<unit>[^\])]*)[\])]\s*$")
_LAST_WORD = re.compile(r"^(?P<name>.*?)[\s_/](?P<unit>\S+)$")
_NUMBER = re.compile(r"^[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?$")
_CLOCK = re.compile(r"\d{1,2}:\d{2}(:\d{2})?")


class Column(msgspec.Struct, frozen=True):
    """One column as it is to be read.

    Attributes:
        name: as it is written.
        unit: as it is written, "" if there is none; `clock` for a time of day.
        channel: a channel's identifier, `time_s`, or `-`.
    """

    name: str
    unit: str
    channel: str


class CsvMapping(msgspec.Struct, frozen=True):
    """How a file is to be read.

    Attributes:
        encoding: of the text.
        delimiter: between columns.
        decimal: point or comma.
        skip: lines before the first row of numbers, names and units among them.
        columns: in their order.
        rate_hz: samples a second, where no column is the time; else `None`.
    """

    encoding: str
    delimiter: str
    decimal: str
    skip: int
    columns: tuple[Column, ...]
    rate_hz: float | None = None


@dataclass(frozen=True, slots=True)
class Proposal:
    """A mapping, and the first rows as they are written, to be looked at."""

    mapping: CsvMapping
    rows: tuple[tuple[str, ...], ...]

    @property
    def signature(self) -> str:
        """The same for all files of one program's making: its columns and units."""
        return "|".join(f"{c.name}[{c.unit}]" for c in self.mapping.columns)


def propose(path: Path) -> Proposal:
    """What a file may be.

    Raises:
        RecordingUnusable: it is no text in columns.
    """
    text, encoding = _text(path)
    lines = text.splitlines()[:_LOOKED_AT]
    delimiter = _delimiter(lines)
    rows = [tuple(c.strip() for c in row) for row in csv.reader(lines, delimiter=delimiter)]
    width = Counter(len(row) for row in rows if len(row) > 1).most_common(1)
    first = _first_data(rows, width[0][0]) if width else None
    if first is None:
        raise RecordingUnusable(Place(path.name), "no rows of numbers were found in it", _ACCEPTED)
    head = [row for row in rows[:first] if len(row) == width[0][0]]
    data = tuple(row for row in rows[first:] if len(row) == width[0][0])
    columns = _columns(head, data)
    mapping = CsvMapping(encoding, delimiter, _decimal(data, delimiter), first, columns)
    return Proposal(mapping, data[:8])


def problem(mapping: CsvMapping) -> str:
    """What keeps a mapping from being read, as a sentence; "" if nothing does."""
    channels = [c.channel for c in mapping.columns if c.channel != IGNORE]
    twice = next((c for c in channels if channels.count(c) > 1), None)
    if twice is not None:
        return f"Two columns are {'the time' if twice == TIME else CHANNEL_KINDS[twice].title}."
    if TIME not in channels and not mapping.rate_hz:
        return "No column is the time: choose one, or say how many samples a second there are."
    if set(channels) <= {TIME}:
        return "No column is a channel: choose at least one."
    for column in mapping.columns:
        if column.channel in CHANNEL_KINDS:
            wanted = CHANNEL_KINDS[column.channel].unit
            if conversion(column.unit, wanted) is None:
                return f"“{column.name[:40]}” is in {column.unit}, which does not become {wanted}."
        elif column.channel == TIME and column.unit != CLOCK and conversion(column.unit, "s") is None:
            return f"“{column.name[:40]}” is in {column.unit}, which is no time."
    return ""


def _text(path: Path) -> tuple[str, str]:
    try:
        with path.open("rb") as file:
            raw = file.read(_LONGEST)
    except OSError as wrong:
        raise RecordingUnusable(
            Place(path.name), f"the file can't be read ({wrong.strerror})", _ACCEPTED
        ) from wrong
    encoding = _encoding(raw)
    if encoding is None or not raw.strip():
        raise RecordingUnusable(Place(path.name), "this is not text", _ACCEPTED)
    # The last line may have been cut in the middle of a letter.
    return raw.decode(encoding, errors="ignore"), encoding


def _encoding(raw: bytes) -> str | None:
    if raw.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    if b"\0" in raw:
        return None
    try:
        raw[: max(0, len(raw) - 4)].decode("utf-8-sig")
    except UnicodeDecodeError:
        return "cp1252"
    return "utf-8-sig"


def _delimiter(lines: list[str]) -> str:
    """The sign that stands equally often in the most lines; what a decimal comma may be comes last."""

    def agreement(delimiter: str) -> int:
        counts = Counter(line.count(delimiter) for line in lines if delimiter in line)
        return counts.most_common(1)[0][1] if counts else 0

    best = max(agreement(d) for d in _DELIMITERS)
    return next(d for d in _DELIMITERS if agreement(d) >= 0.9 * best)


def _first_data(rows: list[tuple[str, ...]], width: int) -> int | None:
    for number, row in enumerate(rows):
        numbers = sum(1 for cell in row if _NUMBER.match(cell))
        clocks = sum(1 for cell in row if _CLOCK.search(cell))
        if len(row) == width and numbers and numbers + clocks >= max(1, len([c for c in row if c]) // 2):
            return number
    return None


def _decimal(data: tuple[tuple[str, ...], ...], delimiter: str) -> str:
    if delimiter == ",":
        return "."
    cells = [cell for row in data for cell in row if _NUMBER.match(cell)]
    return "," if any("," in cell for cell in cells) else "."


def _columns(head: list[tuple[str, ...]], data: tuple[tuple[str, ...], ...]) -> tuple[Column, ...]:
    width = len(data[0])
    names = head[0] if head else tuple(f"column {n + 1}" for n in range(width))
    below = head[1] if len(head) > 1 else ("",) * width
    columns: list[Column] = []
    taken: set[str] = set()
    for number in range(width):
        name, unit = _split(names[number], below[number])
        cells = [row[number] for row in data if row[number]]
        clock = bool(cells) and all(_CLOCK.search(cell) for cell in cells)
        if is_time(name) or clock:
            channel, unit = TIME, CLOCK if clock else unit
        else:
            numbers = bool(cells) and all(_NUMBER.match(cell) for cell in cells)
            channel = (channel_for(name, unit) if numbers else None) or IGNORE
        if channel in taken:
            channel = IGNORE
        if channel != IGNORE:
            taken.add(channel)
        columns.append(Column(name, unit, channel))
    return tuple(columns)


def _split(name: str, below: str) -> tuple[str, str]:
    """A column's name and unit, from brackets, the row below, or the last word."""
    if unit_written(below):
        return name, unit_written(below)
    for pattern in (_IN_BRACKETS, _LAST_WORD):
        found = pattern.match(name)
        if found is not None and unit_written(found["unit"]) and name not in CHANNEL_KINDS:
            return found["name"].strip(), unit_written(found["unit"])
    return name, ""
