"""The layout of a table: what parts its columns, which lines stand above and below its rows."""

import csv
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from nervus.domain.errors import Place, RecordingUnusable
from nervus.knowledge.columns import unit_written
from nervus.language import say
from nervus.tables.cells import is_missing, is_number, is_value, notation
from nervus.tables.text import ACCEPTED, TableText

Row = tuple[str, ...]
SPACES = " "
"""Any number of spaces or tabulators between two columns."""
_DELIMITERS = (";", "\t", ",", "|", SPACES)
_COMMENTS = ("#", "//", "%", "!", "*", ";")
_WIDEST = 1024
_GAP = re.compile(r"[ \t]+")
_WIDE_GAP = re.compile(r"\t|[ ]{2,}")
_LOOSE_UNIT = re.compile(r"\s+(?=[\[(][^\])]*[\])])")


@dataclass(frozen=True, slots=True)
class Layout:
    """How a table lies in its text.

    Attributes:
        delimiter: between columns; `SPACES` for any number of them.
        decimal: point or comma.
        thousands: the mark between groups of three digits, "" if there is none.
        comment: what a line begins with that is to be read over, "" if there is none.
        skip: lines above the first row of values.
        names: of the columns, "" where none is written.
        units: as written below the names, "" where none is.
        rows: the first rows of values, all of one width.
    """

    delimiter: str
    decimal: str
    thousands: str
    comment: str
    skip: int
    names: Row
    units: Row
    rows: tuple[Row, ...]


def layout_of(text: TableText) -> Layout:
    """Find the layout.

    Raises:
        RecordingUnusable: there are no rows of values in columns.
    """
    said, lines = _said_delimiter(text.head)
    comment = _comment(lines)
    plain = ["" if comment and line.lstrip().startswith(comment) else line for line in lines]
    best = max(
        (_tried(plain, delimiter) for delimiter in ([said] if said else _DELIMITERS)),
        key=lambda tried: tried.score,
    )
    if best.first is None:
        raise RecordingUnusable(
            Place(text.path.name), say("no rows of numbers were found in it"), ACCEPTED
        )
    width, first = best.width, best.first
    _check_commas(text, best, plain[:first])
    rows = [row for row in best.rows[first:] if len(row) == width]
    numeric = best.numeric
    cells = [row[c] for row in rows for c in numeric if c < len(row)]
    decimal, thousands = notation(cells, best.delimiter)
    names, units = _heads(lines[:first], comment, best.delimiter, width)
    return Layout(
        best.delimiter, decimal, thousands, comment, first + (len(text.head) - len(lines)), names, units,
        tuple(row for row in rows if _is_data(row, width, numeric)),
    )  # fmt: skip


def _check_commas(text: TableText, best: "_Tried", above: Sequence[str]) -> None:
    """Decimal commas between commas without quotation marks part each number in two.

    Raises:
        RecordingUnusable: names stand above half as many cells as the rows have.
    """
    names = next((split(line, ",") for line in reversed(above) if line.strip()), ())
    if best.delimiter == "," and len(names) > 1 and 2 * len(names) in (best.width, best.width + 1):
        whole = all(
            cell.lstrip("+-").isdigit() for row in best.rows if len(row) == best.width for cell in row
        )
        if whole:
            raise RecordingUnusable(
                Place(text.path.name, len(above) + 1),
                say("decimal commas and the commas between the columns can't be told apart"),
                say("save it with semicolons, or with decimal points"),
            )


def split(line: str, delimiter: str) -> Row:
    """The cells of a line."""
    if delimiter == SPACES:
        return tuple(_GAP.split(line.strip())) if line.strip() else ()
    if not line.strip():
        return ()
    try:
        return tuple(cell.strip() for cell in next(csv.reader([line], delimiter=delimiter)))
    except (csv.Error, StopIteration):
        return ()


@dataclass(frozen=True, slots=True)
class _Tried:
    """Lines split by a delimiter."""

    delimiter: str
    rows: list[Row]
    width: int
    numeric: tuple[int, ...]
    first: int | None
    score: tuple[float, float]


def _said_delimiter(head: Sequence[str]) -> tuple[str, Sequence[str]]:
    """Spreadsheets write `sep=;` above a table."""
    if head and re.fullmatch(r'"?sep=.?"?', head[0].strip(), re.IGNORECASE):
        mark = head[0].strip().strip('"')[4:]
        return (mark if mark in _DELIMITERS else "\t" if not mark else ""), head[1:]
    return "", head


def _comment(lines: Sequence[str]) -> str:
    """What lines begin with that are neither names nor numbers."""
    for mark in _COMMENTS:
        if any(line.lstrip().startswith(mark) for line in lines[:3]) and (
            mark != ";"
            or sum(line.count(";") for line in lines)
            == sum(line.lstrip().startswith(";") for line in lines)
        ):
            return mark
    return "#" if any(line.lstrip().startswith("#") for line in lines) else ""


def _tried(lines: Sequence[str], delimiter: str) -> _Tried:
    rows = [split(line, delimiter) for line in lines]
    widths = Counter(len(row) for row in rows if len(row) > 1 and any(map(is_value, row)))
    if not widths:
        return _Tried(delimiter, rows, 0, (), None, (0.0, 0.0))
    width = max(widths, key=lambda w: (widths[w], w))
    if width > _WIDEST:
        return _Tried(delimiter, rows, 0, (), None, (0.0, 0.0))
    numeric = _numeric_columns([row for row in rows if len(row) == width])
    first = next((n for n, row in enumerate(rows) if _is_data(row, width, numeric)), None)
    if first is None:
        return _Tried(delimiter, rows, width, numeric, None, (0.0, 0.0))
    data = sum(1 for row in rows if _is_data(row, width, numeric))
    share = len(numeric) / width
    # How many of the cells are numbers counts first, so that a decimal comma parts nothing.
    return _Tried(delimiter, rows, width, numeric, first, (share, data))


def _numeric_columns(rows: list[Row]) -> tuple[int, ...]:
    """Columns of values: the later rows tell, or the middle ones: words stand above and below."""
    later, middle = rows[len(rows) * 2 // 5 :], rows[len(rows) // 4 : len(rows) - len(rows) // 4]
    return tuple(c for c in range(len(rows[0])) if _is_numeric(later, c) or _is_numeric(middle, c))


def _is_numeric(rows: list[Row], column: int) -> bool:
    cells = [row[column] for row in rows if not is_missing(row[column])]
    if not cells:
        return len(rows) > 1  # nothing in it yet: a value may come
    return sum(map(is_value, cells)) >= 0.5 * len(cells)


def _is_data(row: Row, width: int, numeric: tuple[int, ...]) -> bool:
    if len(row) != width or not numeric:
        return False
    values = [row[c] for c in numeric]
    return any(map(is_value, values)) and all(is_value(v) or is_missing(v) for v in values)


def first_row(text: TableText, layout: Layout, needed: Sequence[int]) -> int:
    """Lines above the first row of values, where only some columns are needed.

    A word in a column that is not, such as a gear that begins with “N”, makes no row a line of the head.

    Args:
        text: the file.
        layout: where rows begin in which every column of numbers has one.
        needed: numbers of the columns that must hold numbers.
    """
    skip = layout.skip
    while skip > 0:
        row = split(text.head[skip - 1], layout.delimiter)
        if len(row) != len(layout.names):
            return skip
        cells = [row[c] for c in needed]
        if not any(map(is_value, cells)) or not all(is_value(c) or is_missing(c) for c in cells):
            return skip
        skip -= 1
    return skip


def _heads(lines: Sequence[str], comment: str, delimiter: str, width: int) -> tuple[Row, Row]:
    """Names and units above the rows: the row of units is known by what it says."""
    blank = ("",) * width
    heads = []
    for line in lines:
        bare = line.lstrip()
        if comment and bare.startswith(comment):
            bare = bare[len(comment) :].lstrip(comment).strip()
        row = _fitted(bare, delimiter, width)
        if row is not None and any(row) and not any(map(is_number, row)):
            heads.append(row)
    heads = heads[-4:]
    units = next((row for row in reversed(heads) if _are_units(row)), None)
    named = [row for row in heads if row is not units]
    if units is not None and heads.index(units) > 0:
        named = [row for row in heads[: heads.index(units)] if row is not units] or named
    return (named[-1] if named else blank), (units or blank)


def _fitted(line: str, delimiter: str, width: int) -> Row | None:
    """A line above as cells, where it has as many as the rows."""
    row = split(line, delimiter)
    if delimiter == SPACES and len(row) != width:
        for other in (_WIDE_GAP.split(line.strip()), _GAP.split(_LOOSE_UNIT.sub("", line.strip()))):
            if len(other) == width:
                return tuple(cell.strip() for cell in other)
    if len(row) > width and not any(row[width:]):
        row = row[:width]
    if len(row) == width - 1 and width > 2 and delimiter != SPACES:
        row = (*row, "")
    return row if len(row) == width else None


def _are_units(row: Row) -> bool:
    filled = [cell for cell in row if cell]
    known = sum(
        1 for cell in filled if unit_written(cell) or cell.strip("[]() ") in {"", "-", "hh:mm:ss"}
    )
    return bool(filled) and known >= 0.5 * len(filled) and known > 0


def foot_of(
    text: TableText, delimiter: str, width: int, times: Sequence[int], skip: int
) -> tuple[int, bool]:
    """Lines below the last row of values, and whether the last row is cut off.

    A row belongs to the table while something like a time stands in its place; a wrong value in a row
    that has one is a wrong value, not the end of the table.
    """
    below = 0
    for number, line in enumerate(reversed(text.tail)):
        if text.lines - number <= skip + 1:
            return 0, False
        row = split(line, delimiter)
        if not row:
            continue
        if number == 0 and not text.whole and len(row) < width:
            return 1, True
        if _belongs(row, width, times):
            return below, False
        below = number + 1
    return 0, False


def _belongs(row: Row, width: int, times: Sequence[int]) -> bool:
    if len(row) > width:
        return False
    cells = [row[c] for c in times if c < len(row)] or list(row)
    return any(is_value(cell) for cell in cells)
