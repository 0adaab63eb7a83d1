"""What a cell of a table may be: a number in some notation, a stamp, nothing, or a word."""

import re

from nervus.knowledge.columns import missing_words, unit_written

_SPACES = "\u00a0\u202f\u2009 "
_PLAIN = re.compile(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?")
_GROUPED = re.compile(
    rf"[+-]?\d{{1,3}}(?P<mark>[.,'’{_SPACES}])\d{{3}}((?P=mark)\d{{3}})*([.,]\d*)?"  # noqa: RUF001
)
_HOURS = r"\d{1,3}:[0-5]?\d(:[0-5]?\d([.,:]\d+)?|[.,]\d+)?(\s*[aApP]\.?[mM]\.?)?"
_ZONE = r"(\s*(Z|UTC|[+-]\d{2}:?\d{2}))?"
_DAY = r"(\d{4}[-/.]\d{1,2}[-/.]\d{1,2}|\d{1,2}[-/.]\d{1,2}[-/.](\d{4}|\d{2}))"
_CLOCK = re.compile(rf"({_DAY}[T ,]+)?{_HOURS}{_ZONE}")
_DATE = re.compile(_DAY)


_MONTHS = {
    "jan": 1, "feb": 2, "mar": 3, "mär": 3, "apr": 4, "may": 5, "mai": 5, "jun": 6, "jul": 7, "aug": 8,
    "sep": 9, "oct": 10, "okt": 10, "nov": 11, "dec": 12, "dez": 12,
}  # fmt: skip
_NAMED_DAY = re.compile(r"\b(\d{1,2})[-/. ]+([A-Za-zä]{3})[a-z]*\.?[-/., ]+(\d{4})\b")
# As C libraries print an instant: the day of the week, the month, the day, the time, a zone, the year.
_PRINTED = re.compile(
    r"[A-Z][a-z]{2},? ([A-Z][a-z]{2}) +(\d{1,2}) (\d{1,2}:\d{2}:\d{2}(?:[.,]\d+)?)"
    r"(?: [A-Z]{3,4}(?:[+-]\d{2}:?\d{2})?)? (\d{4})"
)
_UNIT_BEHIND = re.compile(
    rf"(?P<number>[+-]?[\d.,'’{_SPACES}]*\d(?:[eE][+-]?\d+)?)"  # noqa: RUF001 - as people write
    r"\s*(?P<unit>[%°A-Za-zµμ/]{1,7})"
)


def with_numbered_month(cell: str) -> str:
    """A stamp whose month is a word, with its number and the year first; any other as it is."""
    printed = _PRINTED.fullmatch(cell.strip())
    if printed is not None and printed[1].casefold() in _MONTHS:
        month = _MONTHS[printed[1].casefold()]
        return f"{printed[4]}-{month:02d}-{int(printed[2]):02d} {printed[3]}"
    named = _NAMED_DAY.search(cell)
    if named is not None and named[2].casefold() in _MONTHS:
        day = f"{named[3]}-{_MONTHS[named[2].casefold()]:02d}-{int(named[1]):02d}"
        return f"{cell[: named.start()]}{day}{cell[named.end() :]}"
    return cell


def number_and_unit(cell: str) -> tuple[str, str] | None:
    """A number with its unit behind it in the same cell, `None` for anything else."""
    found = _UNIT_BEHIND.fullmatch(cell.strip())
    if found is None or not is_number(found["number"]):
        return None
    unit = unit_written(found["unit"])
    return (found["number"], unit) if unit else None


def is_missing(cell: str) -> bool:
    """Whether a cell says that there is no value."""
    return cell.strip().casefold() in missing_words()


def is_number(cell: str) -> bool:
    """Whether it is a number, whatever its decimal and thousands marks."""
    return _PLAIN.fullmatch(cell) is not None or is_grouped(cell)


def is_grouped(cell: str) -> bool:
    """Whether it is a number with thousands marks; `1,234` may be both."""
    return _GROUPED.fullmatch(cell) is not None


def is_clock(cell: str) -> bool:
    """Whether it is a time of day or of a run, with or without its date."""
    return _CLOCK.fullmatch(with_numbered_month(cell)) is not None


def is_date(cell: str) -> bool:
    """Whether it is a date alone."""
    return _DATE.fullmatch(with_numbered_month(cell)) is not None and not _PLAIN.fullmatch(cell)


def is_value(cell: str) -> bool:
    """Whether it may stand in a row of numbers."""
    if is_number(cell) or is_clock(cell) or is_date(cell):
        return True
    return number_and_unit(cell) is not None


def notation(cells: list[str], delimiter: str) -> tuple[str, str]:
    """Decimal and thousands mark of numbers, the latter "" where there is none.

    A mark that stands twice in a number, or in front of the other, parts thousands. Where each could be
    either, it is the decimal one.
    """
    numbers = [c for c in cells if is_number(c)]
    last = {mark: sum(1 for c in numbers if _is_last(c, mark)) for mark in ".,"}
    thousands = ""
    for cell in numbers:
        found = _GROUPED.fullmatch(cell)
        if found is None:
            continue
        mark = found["mark"]
        other = {".": ",", ",": "."}.get(mark)
        if other is None or cell.count(mark) > 1 or other in cell:
            thousands = mark
            break
        # One group only, as 1,234: thousands where other numbers have the other mark for their decimals.
        if last[other] and not _short_after(numbers, mark):
            thousands = mark
    if thousands in {".", ","}:
        return ("," if thousands == "." else "."), thousands
    if last[","] and (delimiter != "," or not last["."]):
        return ",", thousands
    return ".", thousands


def _is_last(cell: str, mark: str) -> bool:
    """Whether a mark stands once in a number, and no other behind it."""
    other = "," if mark == "." else "."
    return cell.count(mark) == 1 and other not in cell[cell.index(mark) :]


def _short_after(numbers: list[str], mark: str) -> bool:
    """Whether the mark stands before something else than three digits: then it is no group's."""
    return any(mark in n and not is_grouped(n) for n in numbers)


def plain(cell: str, decimal: str, thousands: str) -> str:
    """A number as Python reads it; what does not keep to the notation comes back as it was."""
    text = cell.strip()
    if thousands and is_grouped(text) and thousands in text:
        text = text.replace(thousands, "")
    elif thousands in {".", ","} and thousands in text:
        return (
            f"{cell} ?"  # the thousands mark in a place where no group ends: no number in this notation
        )
    if decimal == ",":
        return text.replace(",", ".") if "." not in text else f"{cell} ?"
    return text
