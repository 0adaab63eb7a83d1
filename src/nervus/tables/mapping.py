"""What the columns of a table are: proposed from names, units and first rows, corrected by the user.

Nothing is guessed silently: what a proposal rests on a guess is said with it, and only what was agreed
to, or is written in so many words, is read.
"""

import re
from collections import Counter
from dataclasses import dataclass, field
from dataclasses import replace as replace_draft
from pathlib import Path

import msgspec
from msgspec.structs import replace

from nervus.domain.channel import CHANNEL_KINDS, OTHER, ChannelKind, other_kind
from nervus.knowledge.columns import conversion, is_time, named_as, unit_written, units_of
from nervus.language import say
from nervus.tables.cells import is_clock, is_date, is_missing, is_number, number_and_unit
from nervus.tables.layout import Layout, first_row, layout_of
from nervus.tables.text import text_of

IGNORE, TIME, MARK = "-", "time_s", "mark"
CHANNEL, VALUE = "channel", "value"
CLOCK, MINUTES, DATE = "clock", "mm:ss", "date"
"""Stamps as written: a time of day, dated or not; minutes and seconds; a date alone."""
STAMPS = (CLOCK, MINUTES, DATE)
MOST_OTHERS = 64
"""So many columns that are nothing of ours are kept unless somebody says so: they cost memory."""
_IN_BRACKETS = re.compile(r"^(?P<name>.*?)\s*[\[(](?P<unit>[^\])]*)[\])]\s*$")
_LAST_WORD = re.compile(r"^(?P<name>.*?)[\s_/.,:-]+(?P<unit>\S+)$")
# A single letter behind a name is as likely a part of it: “pedal position D” is no day.
_LONE = frozenset({"V", "s", "%", "°"})


class Column(msgspec.Struct, frozen=True):
    """One column as it is to be read.

    Attributes:
        name: as it is written.
        unit: as it is written, "" if there is none; one of `STAMPS` for such a time.
        channel: a channel's identifier, `time_s`, `mark`, `other` (kept by its own name), or `-`.
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
        thousands: between groups of three digits, "" for none.
        comment: what lines begin with that are read over, "" for none.
        dates: which number comes first in a date, `day` or `month`, "" where only one way is possible.
        named: where each row names its channel: what other names and units stand for.
    """

    encoding: str
    delimiter: str
    decimal: str
    skip: int
    columns: tuple[Column, ...]
    rate_hz: float | None = None
    thousands: str = ""
    comment: str = ""
    dates: str = ""
    named: tuple[Column, ...] = ()

    @property
    def is_long(self) -> bool:
        """Whether each row is one sample of the channel that it names."""
        return {c.channel for c in self.columns} - {IGNORE} == {TIME, CHANNEL, VALUE}


@dataclass(frozen=True, slots=True)
class Proposal:
    """A mapping, and the first rows as they are written, to be looked at.

    Attributes:
        mapping: what the table may be.
        rows: the first rows of values, as they are written.
        guesses: numbers of the columns whose channel or unit is but a guess.
        left_out: numbers of the columns that are left out though their names could be ours.
        twins: of those, the channels that other columns are already.
        signature: the same for all files of one program's making.
    """

    mapping: CsvMapping
    rows: tuple[tuple[str, ...], ...]
    guesses: tuple[int, ...] = ()
    left_out: tuple[int, ...] = ()
    twins: dict[int, str] = field(default_factory=dict)
    signature: str = ""


def _named_once(columns: tuple[Column, ...]) -> tuple[Column, ...]:
    """Columns of the same name are told apart by a number."""
    seen: dict[str, int] = {}
    named = []
    for column in columns:
        seen[column.name] = seen.get(column.name, 0) + 1
        count = seen[column.name]
        named.append(replace(column, name=f"{column.name} ({count})") if count > 1 else column)
    return tuple(named)


def _signature(mapping: CsvMapping) -> str:
    """The same for all files of one program's making: columns and units as written, and how they lie."""
    columns = "|".join(f"{c.name}[{c.unit}]" for c in mapping.columns)
    lie = f"{mapping.delimiter!r} {mapping.decimal!r} {mapping.thousands!r} {mapping.skip}"
    return f"{lie} {columns}"


def propose(path: Path) -> Proposal:
    """What a file may be.

    Raises:
        RecordingUnusable: it is no text in columns.
    """
    text = text_of(path)
    layout = layout_of(text)
    drafts = [_draft(layout, number) for number in range(len(layout.names))]
    columns, guesses, left = _settled(drafts)
    columns = _named_once(columns)
    twins = {n: drafts[n].column.channel for n in left if drafts[n].column.channel in CHANNEL_KINDS}
    needed = [n for n, c in enumerate(columns) if c.channel in CHANNEL_KINDS or c.channel == TIME]
    mapping = CsvMapping(
        text.encoding, layout.delimiter, layout.decimal, first_row(text, layout, needed), columns, None,
        layout.thousands, layout.comment,
    )  # fmt: skip
    return Proposal(mapping, layout.rows, guesses, left, twins, _signature(mapping))


def problem(mapping: CsvMapping) -> str:
    """What keeps a mapping from being read, as a sentence; "" if nothing does."""
    if mapping.is_long:
        return ""
    channels = [c.channel for c in mapping.columns if c.channel not in (IGNORE, TIME)]
    twice = next((c for c in channels if channels.count(c) > 1 and c != OTHER), None)
    if twice is not None:
        return say(
            "Two columns are {value}.",
            value=CHANNEL_KINDS[twice].title if twice in CHANNEL_KINDS else twice,
        )
    times = [c for c in mapping.columns if c.channel == TIME]
    if not times and not mapping.rate_hz:
        return say("No column is the time: choose one, or say how many samples a second there are.")
    if not set(channels) & set(CHANNEL_KINDS):
        return say("No column is a channel: choose at least one.")
    return _unit_problem(mapping) or (say("Two columns are the time.") if _times_clash(mapping) else "")


def _unit_problem(mapping: CsvMapping) -> str:
    for column in mapping.columns:
        if column.channel in CHANNEL_KINDS:
            wanted = CHANNEL_KINDS[column.channel].unit
            if conversion(column.unit, wanted) is None:
                return say(
                    "“{name}” is in {unit}, which does not become {wanted}.",
                    name=column.name[:40],
                    unit=column.unit,
                    wanted=wanted,
                )
        elif (
            column.channel == TIME and column.unit not in STAMPS and conversion(column.unit, "s") is None
        ):
            return say(
                "“{name}” is in {unit}, which is no time.", name=column.name[:40], unit=column.unit
            )
    return ""


def _times_clash(mapping: CsvMapping) -> bool:
    """Whether two columns of time stand for the same channels: a date and its clock may, others not."""
    last: Column | None = None
    for column in mapping.columns:
        if column.channel == TIME:
            if last is not None and {last.unit, column.unit} not in ({DATE, CLOCK}, {DATE, MINUTES}):
                return True
            last = column
        elif column.channel != IGNORE:
            last = None
    return last is not None and mapping.columns[0].channel == TIME and _ends_alone(mapping)


def _ends_alone(mapping: CsvMapping) -> bool:
    """Whether a column of time stands behind all channels, and is another than the first."""
    used = [c for c in mapping.columns if c.channel != IGNORE]
    return (
        len([c for c in used if c.channel == TIME]) > 1
        and used[-1].channel == TIME
        and not (len(used) > 1 and used[-2].channel == TIME)
    )


# -- one column --------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Draft:
    """What a column may be, before the others are known.

    Attributes:
        column: its name, unit and channel.
        numeric: whether its cells are numbers.
        guess: whether its channel or unit is but a guess.
        loose: whether its name is one that other things have too.
        stamps: how many different stamps there are in the first rows.
        filled: whether it has a name and any of the first rows has a cell.
    """

    column: Column
    numeric: bool
    guess: bool
    loose: bool = False
    stamps: int = 0
    filled: bool = True


def _draft(layout: Layout, number: int) -> _Draft:
    written = layout.names[number] or say("column {number}", number=number + 1)
    name, unit, hinted = split_name(written, layout.units[number])
    shown = written if hinted else name
    cells = [row[number] for row in layout.rows if not is_missing(row[number])]
    behind = Counter(found[1] for cell in cells if (found := number_and_unit(cell)) is not None)
    most = behind.most_common(1)[0][0] if behind else ""
    if behind and unit in ("", most):
        unit, hinted = most, False
        cells = [found[0] if (found := number_and_unit(c)) is not None else c for c in cells]
    stamp = _stamp(cells)
    if written == TIME or is_time(name) or (stamp and not is_number(cells[0])):
        if stamp:
            return _Draft(Column(shown, stamp, TIME), numeric=False, guess=False, stamps=len(set(cells)))
        if all(map(is_number, cells)):
            sure = written == TIME or bool(unit and not hinted)
            return _Draft(Column(shown, unit, TIME), numeric=True, guess=not sure)
    if name.casefold() in ("mark", "marks", "event", "remark", "note") and not (
        cells and all(map(is_number, cells))
    ):
        return _Draft(
            Column(name, "", MARK if name.casefold() == MARK else IGNORE), numeric=False, guess=False
        )
    if name in (CHANNEL, VALUE):
        return _Draft(Column(name, "", name), numeric=False, guess=False)
    draft = _numbers(written, name, unit, cells)
    draft = replace_draft(draft, filled=bool(cells) and bool(layout.names[number]))
    if draft.column.channel == IGNORE and not unit and layout.units[number]:
        return replace_draft(draft, column=Column(shown, layout.units[number].strip(), IGNORE))
    guess = draft.guess or (hinted and draft.column.channel != IGNORE)
    return replace_draft(draft, column=replace(draft.column, name=shown), guess=guess)


def _numbers(written: str, name: str, unit: str, cells: list[str]) -> _Draft:
    numeric = not cells or sum(map(is_number, cells)) >= 0.5 * len(cells)
    channel, loose = named_as(written, "") if written in CHANNEL_KINDS else named_as(name, unit)
    if channel is None and not unit:
        # The unit is not written: whatever the name could be, to be asked for.
        channel, loose = _named_without(name)
    if channel is None or not numeric:
        return _Draft(Column(name, unit, IGNORE), numeric, channel is not None)
    # Of a value that is written in one unit alone, the unit goes without saying.
    own = written == channel or len(units_of(CHANNEL_KINDS[channel].unit)) == 1
    guess = loose or not (unit or own)
    return _Draft(
        Column(name, unit, channel), numeric=True, guess=guess, loose=loose and bool(unit or own)
    )


def _named_without(name: str) -> tuple[str | None, bool]:
    for unit in ("%", "V"):
        channel, _loose = named_as(name, unit)
        if channel is not None:
            return channel, True
    return None, False


def kind_called(column: Column) -> ChannelKind:
    """What a column is that is kept by its own name; a unit that is none of ours counts as well."""
    found = None if column.unit else _IN_BRACKETS.match(column.name)
    if found is None or not found["name"].strip():
        return other_kind(column.name, column.unit)
    return other_kind(found["name"], found["unit"])


def split_name(name: str, below: str = "") -> tuple[str, str, bool]:
    """A column's name and unit, from the row below, brackets, or, but a hint, the last word."""
    if unit_written(below):
        return name, unit_written(below), False
    if name in CHANNEL_KINDS or name == TIME:
        return name, "", False
    for pattern in (_IN_BRACKETS, _LAST_WORD):
        found = pattern.match(name)
        if found is None or not found["name"].strip():
            continue
        unit = unit_written(found["unit"])
        if unit and (pattern is _IN_BRACKETS or len(found["unit"]) > 1 or unit in _LONE):
            return found["name"].strip(), unit, pattern is _LAST_WORD
    return name, "", False


def _stamp(cells: list[str]) -> str:
    """The kind of stamp that all cells are, "" if none."""
    if not cells:
        return ""
    if all(map(is_date, cells)):
        return DATE
    if not all(map(is_clock, cells)):
        return ""
    # Two numbers with a fraction are minutes and seconds: no hour has a decimal.
    two = all(cell.count(":") == 1 for cell in cells)
    return (
        MINUTES
        if two and any(mark in cell for cell in cells for mark in ".,") and not any(map(_has_day, cells))
        else CLOCK
    )


def _has_day(cell: str) -> bool:
    return re.search(r"\d[-/.]\d{1,2}[-/.]\d", cell) is not None


# -- all columns -------------------------------------------------------------------------------------


def _settled(drafts: list[_Draft]) -> tuple[tuple[Column, ...], tuple[int, ...], tuple[int, ...]]:
    """Each channel once, and each channel's time; what is left out though it could be ours."""
    drafts = _likely(drafts)
    columns, guesses, left = [d.column for d in drafts], set[int](), set[int]()
    taken: dict[str, int] = {}
    wanted = {d.column.channel for d in drafts}
    order = sorted(range(len(drafts)), key=lambda n: drafts[n].guess)
    for number in order:
        draft = drafts[number]
        if draft.column.channel in CHANNEL_KINDS or draft.column.channel == MARK:
            channel = _free(draft.column.channel, taken, wanted)
            columns[number] = replace(draft.column, channel=channel)
            if channel == IGNORE:
                left.add(number)
                continue
            taken[channel] = number
            if draft.guess or channel != draft.column.channel:
                guesses.add(number)
        elif draft.guess and draft.column.channel == IGNORE:
            left.add(number)  # its name is one of ours, its cells are no numbers
    for number in _times_left_out(drafts):
        columns[number] = replace(columns[number], channel=IGNORE)
        left.add(number)
    for number, column in enumerate(columns):
        if column.channel == TIME and drafts[number].guess:
            guesses.add(number)
    if not any(c.channel == TIME for c in columns):
        _take_rising_for_time(drafts, columns, guesses)
    _keep_others(drafts, columns, left)
    return tuple(columns), tuple(sorted(guesses)), tuple(sorted(left))


def _keep_others(drafts: list[_Draft], columns: list[Column], left: set[int]) -> None:
    """Numbers that are nothing of ours are kept by their own name, the first so many."""
    others = [
        number
        for number, column in enumerate(columns)
        if column.channel == IGNORE and drafts[number].numeric and drafts[number].filled
        and drafts[number].column.channel == IGNORE and number not in left
    ]  # fmt: skip
    for number in others[:MOST_OTHERS]:
        columns[number] = replace(columns[number], channel=OTHER)


def _likely(drafts: list[_Draft]) -> list[_Draft]:
    """Where a column is plainly named for the throttle, one that may be any signal is no track."""
    tracks = ("tps", "throttle")
    plainly = any(d.column.channel.startswith(tracks) and not d.loose for d in drafts)
    return [
        replace_draft(d, column=replace(d.column, channel=IGNORE), guess=False)
        if plainly and d.loose
        else d
        for d in drafts
    ]


def _free(channel: str, taken: dict[str, int], wanted: set[str]) -> str:
    """The channel, or the second track where the first is there and nothing else is the second."""
    if channel not in taken:
        return channel
    second = channel.replace("1", "2", 1)
    return second if second != channel and second not in wanted and second not in taken else IGNORE


def _take_rising_for_time(drafts: list[_Draft], columns: list[Column], guesses: set[int]) -> None:
    """Nothing is called the time: a first column that is called nothing known may be."""
    if len(drafts) > 1 and drafts[0].numeric and columns[0].channel == IGNORE:
        columns[0] = replace(columns[0], channel=TIME)
        guesses.add(0)


def _times_left_out(drafts: list[_Draft]) -> set[int]:
    """Columns of time beside another one for the same channels: a written unit wins, then the first."""
    out: set[int] = set()
    run: list[int] = []

    def settle() -> None:
        kinds = {drafts[n].column.unit: n for n in reversed(run)}
        if len(run) < 2 or set(kinds) in ({DATE, CLOCK}, {DATE, MINUTES}):
            return
        numbers = [n for n in run if drafts[n].column.unit not in STAMPS]
        sure = [n for n in numbers if not drafts[n].guess]
        pair = [kinds[k] for k in (DATE, CLOCK) if k in kinds]
        if sure:
            keep = {sure[0]}
        elif len(pair) == 2:
            keep = set(pair)
        else:
            clocks = [n for n in run if drafts[n].column.unit in (CLOCK, MINUTES)]
            finest = max(clocks, key=lambda n: drafts[n].stamps) if clocks else None
            keep = {finest if finest is not None else (numbers or run)[0]}
        out.update(set(run) - keep)

    for number, draft in enumerate(drafts):
        if draft.column.channel == TIME:
            run.append(number)
        elif draft.column.channel != IGNORE:
            settle()
            run = []
    if run and any(d.column.channel == TIME for d in drafts[: run[0]]):
        out.update(run)  # a time behind all channels belongs to none of them
    else:
        settle()
    return out
