"""The gate before the CSV reader: is this text, with lines of a sane length and a known header?

A fast reader trusts its input. What could make it run out of memory or time, a gigabyte in one
line, a million columns, a program renamed to .csv, is caught here with one pass over the bytes.
"""

import codecs
import csv
import difflib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from nervus.domain.channel import CHANNEL_KINDS, OTHER, kind_of
from nervus.domain.errors import Place, RecordingUnusable
from nervus.knowledge.columns import channel_for
from nervus.language import say
from nervus.tables.mapping import Column, kind_called, split_name

TIME = "time_s"
MARK = "mark"
CHANNEL, VALUE = "channel", "value"
IGNORE = "-"
"""Maps a column to nothing: it is read over."""

_CHUNK = 1 << 20
_LONGEST_LINE = 1 << 20
_MOST_COLUMNS = 256
# What any word that matters has in it.
_LETTERS = (b"n", b"N", b"m", b"M")
_LONGEST_SHOWN = 24
_SHAPES = say("accepted is a CSV with time_s first, then channels, or time_s,channel,value")


@dataclass(frozen=True, slots=True)
class Header:
    """What the first line says.

    Attributes:
        names: the columns as they are written.
        ids: the channel (or `time_s`, `mark`, `-`) that each stands for.
        long: whether each row is one sample of the channel that it names.
        doubtful: whether each cell must be looked at, because the fast reader would let something by.
        has_marks: whether the long shape may hold marks.
    """

    names: tuple[str, ...]
    ids: tuple[str, ...]
    long: bool
    doubtful: bool = False
    has_marks: bool = False


def inspect(path: Path, mapping: Mapping[str, str]) -> Header:
    """Look over the whole file once and read its header.

    Args:
        path: the file.
        mapping: other column names to channel identifiers, or to `IGNORE`.

    Raises:
        RecordingUnusable: what can't be a recording, with its place.
    """
    try:
        with path.open("rb") as file:
            first = file.read(_CHUNK)
            header = _header(path, first, mapping)
            doubtful, marks = _scan(path, first, file.read, len(header.names))
    except OSError as wrong:
        raise RecordingUnusable(
            Place(str(path)),
            say("the file can't be read ({strerror})", strerror=wrong.strerror),
            _SHAPES,
        ) from wrong
    return replace(header, doubtful=doubtful, has_marks=marks)


def _header(path: Path, first: bytes, mapping: Mapping[str, str]) -> Header:
    name = path.name
    if not first.strip():
        raise RecordingUnusable(Place(name), say("the file is empty"), _SHAPES)
    if b"\0" in first[:4096]:
        raise RecordingUnusable(Place(name), say("this is not text"), _SHAPES)
    line, newline, _ = first.partition(b"\n")
    if not newline and len(first) >= _LONGEST_LINE:
        raise RecordingUnusable(
            Place(name, 1), say("the first line does not end within a megabyte"), _SHAPES
        )
    try:
        text = line.decode("utf-8-sig").rstrip("\r")
    except UnicodeDecodeError as wrong:
        raise RecordingUnusable(Place(name, 1), say("this is not UTF-8 text"), _SHAPES) from wrong
    columns = text.count(",") + 1
    if columns > _MOST_COLUMNS:
        raise RecordingUnusable(
            Place(name, 1),
            say("there are {columns} columns", columns=columns),
            say(
                "a recording has at most {most_columns}, and {len} channels are known",
                most_columns=_MOST_COLUMNS,
                len=len(CHANNEL_KINDS),
            ),
        )
    try:
        names = tuple(cell.strip() for cell in next(csv.reader([text])))
    except (csv.Error, StopIteration) as wrong:
        raise RecordingUnusable(Place(name, 1), say("the first line can't be split"), _SHAPES) from wrong
    return _named(name, names, mapping)


def _named(file: str, names: tuple[str, ...], mapping: Mapping[str, str]) -> Header:
    ids = tuple(own_id(n, mapping) for n in names)
    if TIME not in ids:
        raise RecordingUnusable(Place(file, 1), say("there is no column time_s"), _SHAPES)
    twice = next((i for k, i in enumerate(ids) if i in ids[:k] and i != IGNORE), None)
    if twice is not None:
        raise RecordingUnusable(
            Place(file, 1, shown(twice) or "without a name"),
            say("the column is there twice"),
            say("each channel may stand once"),
        )
    if set(ids) - {IGNORE} == {TIME, CHANNEL, VALUE}:
        return Header(names, ids, long=True)
    allowed = {TIME, MARK, IGNORE}
    for written, channel in zip(names, ids, strict=True):
        if channel not in allowed and kind_of(channel) is None:
            raise RecordingUnusable(
                Place(file, 1, shown(written) or "without a name"),
                say("this is no channel"),
                channel_hint(
                    channel, say('map it with --map "{value}=ID"', value=shown(written) or "NAME")
                ),
            )
    return Header(names, ids, long=False)


def own_id(name: str, mapping: Mapping[str, str]) -> str:
    """The channel that a name stands for, as it was said or as it is written."""
    said = mapping.get(name, name)
    if said != OTHER:
        return said
    bare, unit, _hinted = split_name(name)
    return kind_called(Column(bare, unit, OTHER)).id


def shown(text: str) -> str:
    """Text of a file as it may stand in a sentence: on one line, and not too long."""
    flat = " ".join("".join(c if c.isprintable() else " " for c in text).split())
    return flat if len(flat) <= _LONGEST_SHOWN else flat[: _LONGEST_SHOWN - 1] + "…"


def channel_hint(name: str, otherwise: str) -> str:
    """What would be accepted for an unknown channel: its unit named, the nearest name, or all."""
    bare, unit, _hinted = split_name(name)
    meant = channel_for(bare, unit) if unit else None
    if meant is not None and unit != CHANNEL_KINDS[meant].unit:
        option = f'--map "{shown(name)}[{unit}]={meant}"'
        return say(
            "it looks like {title} in {unit}: {option}",
            title=CHANNEL_KINDS[meant].title,
            unit=unit,
            option=option,
        )
    near = difflib.get_close_matches(name.lower(), CHANNEL_KINDS, n=1, cutoff=0.6)
    if near:
        return say("did you mean {near}? Else {otherwise}", near=near[0], otherwise=otherwise)
    return say(
        "{otherwise}, where ID is other (kept, not judged) or one of {join}",
        otherwise=otherwise,
        join=", ".join(CHANNEL_KINDS),
    )


def _scan(path: Path, first: bytes, read: Callable[[int], bytes], columns: int) -> tuple[bool, bool]:
    """Every line must end within a megabyte and be UTF-8.

    Returns:
        Whether a slow look at each cell is due (a word for a number that is none, or not the same
        number of cells in each row), and whether the long shape may hold marks.
    """
    decoder = codecs.getincrementaldecoder("utf-8")()
    words = marks = False
    line, commas, open_bytes, tail = 1, 0, 0, b""
    chunk = first
    while chunk:
        newline = chunk.rfind(b"\n")
        open_bytes = open_bytes + len(chunk) if newline < 0 else len(chunk) - newline - 1
        if b"\0" in chunk:
            at = line + chunk[: chunk.index(b"\0")].count(b"\n")
            raise RecordingUnusable(Place(path.name, at), say("this is not text"), _SHAPES)
        if open_bytes > _LONGEST_LINE:
            at = line + chunk.count(b"\n")
            raise RecordingUnusable(
                Place(path.name, at), say("a line is longer than a megabyte"), _SHAPES
            )
        _check_text(path, line, chunk, decoder)
        searched = tail + chunk
        if any(letter in searched for letter in _LETTERS):
            searched = searched.lower()
            words = words or b"nan" in searched or b"inf" in searched
            marks = marks or b",mark," in searched
        line += _count(chunk, b"\n")
        commas += _count(chunk, b",")
        tail = chunk[-8:]
        chunk = read(_CHUNK)
    if decoder.getstate()[0]:
        raise RecordingUnusable(Place(path.name, line), say("the text ends within a letter"), _SHAPES)
    rows = line - 1 + (open_bytes > 0)
    return words or commas != rows * (columns - 1), marks


def _count(chunk: bytes, letter: bytes) -> int:
    """How often a letter is there; where it is every fifth, comparing all at once is far quicker."""
    return int(np.count_nonzero(np.frombuffer(chunk, dtype=np.uint8) == letter[0]))


def _check_text(path: Path, line: int, chunk: bytes, decoder: codecs.IncrementalDecoder) -> None:
    if chunk.isascii() and not decoder.getstate()[0]:
        return
    try:
        decoder.decode(chunk)
    except UnicodeDecodeError as wrong:
        at = line + chunk[: wrong.start].count(b"\n")
        raise RecordingUnusable(Place(path.name, at), say("this is not UTF-8 text"), _SHAPES) from wrong
