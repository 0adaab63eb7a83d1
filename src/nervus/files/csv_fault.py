"""The slow second look: after the fast reader refused a file, find the first cell that is wrong."""

import csv
import math
from functools import cache
from pathlib import Path

from nervus.domain.channel import kind_of
from nervus.domain.errors import Place, RecordingUnusable
from nervus.files.csv_gate import CHANNEL, IGNORE, MARK, TIME, VALUE, Header, channel_hint, shown
from nervus.knowledge.columns import missing_words
from nervus.language import say

_NUMBER = say("accepted is a finite number with a decimal point, like 0.51")


def first_fault(path: Path, header: Header) -> RecordingUnusable | None:
    """The first thing that keeps the file from being a recording; `None` where all is well."""
    with path.open(encoding="utf-8-sig", newline="") as file:
        rows = csv.reader(file)
        try:
            next(rows)
            judge = _long_row if header.long else _wide_row
            last: dict[str, float] = {}
            for row in rows:
                if row:
                    _check_width(path.name, rows.line_num, row, header)
                    judge(path.name, rows.line_num, row, header, last)
        except csv.Error as wrong:
            place = Place(path.name, rows.line_num)
            return RecordingUnusable(
                place, say("the row can't be split ({wrong})", wrong=wrong), _NUMBER
            )
        except RecordingUnusable as found:
            return found
    return None


def _check_width(file: str, line: int, row: list[str], header: Header) -> None:
    if len(row) > len(header.names):
        raise RecordingUnusable(
            Place(file, line),
            say("the row has {len} cells, the header {len_}", len=len(row), len_=len(header.names)),
            say("text with a comma must stand in quotation marks"),
        )


def _wide_row(file: str, line: int, row: list[str], header: Header, last: dict[str, float]) -> None:
    for name, channel, cell in zip(header.names, header.ids, row, strict=False):
        if channel in (MARK, IGNORE):
            continue
        if channel == TIME:
            _check_time(Place(file, line, name), cell, TIME, last)
        elif cell.strip() and not says_nothing(cell):
            number(Place(file, line, name), cell)


def _long_row(file: str, line: int, row: list[str], header: Header, last: dict[str, float]) -> None:
    cells = dict(zip(header.ids, row, strict=False))
    name = cells.get(CHANNEL, "").strip()
    if name != MARK and kind_of(name) is None:
        raise RecordingUnusable(
            Place(file, line, CHANNEL),
            say("“{shown}” is no channel", shown=shown(name)),
            channel_hint(name, say('map it with --map "{value}=ID"', value=shown(name) or "NAME")),
        )
    _check_time(Place(file, line, TIME), cells.get(TIME, ""), name, last)
    if name != MARK and not says_nothing(cells.get(VALUE, "")):
        number(Place(file, line, VALUE), cells.get(VALUE, ""))


def _check_time(place: Place, cell: str, channel: str, last: dict[str, float]) -> None:
    now = number(place, cell)
    if now < last.get(channel, -math.inf):
        within = "" if channel == TIME else say(" of {channel}", channel=channel)
        raise RecordingUnusable(
            place,
            say(
                "time{within} runs backwards, from {last:g} to {now:g} s",
                within=within,
                last=last[channel],
                now=now,
            ),
            say("each row must be at the same time as the one before it or later"),
        )
    last[channel] = now


def says_nothing(cell: str) -> bool:
    """Whether a word stands for a value that is missing; a cell that is empty is another matter."""
    return bool(cell.strip()) and cell.strip().casefold() in missing_in_ours()


@cache
def missing_in_ours() -> frozenset[str]:
    """Words for a missing value that our own shape takes: an infinite value is no missing one."""
    return frozenset(w for w in missing_words() if "inf" not in w and "∞" not in w and w)


def number(place: Place, cell: str) -> float:
    """The finite number in a cell.

    Raises:
        RecordingUnusable: it holds something else; the sentence shows what.
    """
    try:
        value = float(cell)
    except ValueError:
        value = math.nan
    if "_" in cell or not math.isfinite(value):
        wrong = (
            say("“{shown}” is not a number", shown=shown(cell))
            if cell.strip()
            else say("the cell is empty")
        )
        raise RecordingUnusable(place, wrong, _NUMBER)
    return value
