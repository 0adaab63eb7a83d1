"""Reading a recording in any program's table, as a mapping that was agreed to says."""

from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, cast

import numpy as np

from nervus.domain.channel import (
    CHANNEL_KINDS,
    OTHER,
    BoolArray,
    Channel,
    ChannelKind,
    FloatArray,
    Mark,
    Recording,
    Role,
    kind_of,
    other_kind,
)
from nervus.domain.errors import Place, RecordingUnusable
from nervus.knowledge.columns import conversion
from nervus.language import say
from nervus.tables.cells import is_missing, number_and_unit, plain
from nervus.tables.layout import foot_of
from nervus.tables.mapping import (
    CHANNEL,
    CLOCK,
    DATE,
    IGNORE,
    MARK,
    MINUTES,
    STAMPS,
    TIME,
    VALUE,
    Column,
    CsvMapping,
    kind_called,
    problem,
)
from nervus.tables.rows import ACCEPTED, rows_of
from nervus.tables.stamps import Stamps, clock_seconds, spread, with_dates
from nervus.tables.text import text_of

if TYPE_CHECKING:
    import pandas as pd

# A gap this much longer than all the rest together is told.
_LEAP = 1.0


@dataclass(frozen=True, slots=True, eq=False)
class TableRead:
    """A recording, and what is to be said of how it was read.

    Attributes:
        recording: what was captured.
        raw: the numbers of each channel as they are written, before their unit.
        remarks: what was left out, spread, or missing, as sentences.
        orders: the orders of day and month that are both possible, where they make a difference.
        first_stamps: the first number of each column of time that is numbers, as written.
    """

    recording: Recording
    raw: dict[str, FloatArray]
    remarks: tuple[str, ...]
    orders: tuple[str, ...] = ()
    first_stamps: dict[int, float] = field(default_factory=dict)


def read_mapped(path: Path, mapping: CsvMapping) -> Recording:
    """One recording.

    Raises:
        RecordingUnusable: the mapping can't be read, or a cell does not fit it.
    """
    return read_table(path, mapping).recording


def read_table(path: Path, mapping: CsvMapping) -> TableRead:
    """One recording, and how it was read.

    Empty cells, and those that say that there is no value, are no samples; instants are counted from the
    first.

    Raises:
        RecordingUnusable: the mapping can't be read, or a cell does not fit it.
    """
    wrong = problem(mapping)
    if wrong:
        raise RecordingUnusable(Place(path.name), wrong.rstrip("."), say("correct the mapping"))
    text = text_of(path)
    times = [n for n, c in enumerate(mapping.columns) if c.channel == TIME]
    foot, cut = foot_of(text, mapping.delimiter, len(mapping.columns), times, mapping.skip)
    remarks = []
    if foot:
        shown = " / ".join(line.strip()[:40] for line in text.tail[-foot:] if line.strip())[:90]
        what = (
            say("The last row is cut off and was")
            if cut
            else say("{foot} lines below the rows were", foot=foot)
        )
        remarks.append(say("{what} left out: “{shown}”.", what=what, shown=shown))
    return understood(path.name, mapping, rows_of(text, mapping, foot), remarks)


def understood(
    name: str, mapping: CsvMapping, table: "pd.DataFrame", remarks: list[str] | None = None
) -> TableRead:
    """What a table of cells means; columns are numbered as in the mapping.

    Raises:
        RecordingUnusable: a cell does not fit the mapping.
    """
    if table.empty:
        raise RecordingUnusable(Place(name), say("there are no samples"), ACCEPTED)
    told = list(remarks or [])
    reader = _Reader(name, mapping, table, told)
    return reader.long() if mapping.is_long else reader.wide()


class _Reader:
    """Turns the cells of one table into channels."""

    def __init__(self, name: str, mapping: CsvMapping, table: "pd.DataFrame", told: list[str]) -> None:
        self._name, self._mapping, self._table, self._told = name, mapping, table, told
        self._orders: tuple[str, ...] = ()
        self._start = np.inf
        self._first: dict[int, float] = {}
        self._shared: dict[int, FloatArray] = {}

    def wide(self) -> TableRead:
        """A column for each channel."""
        channels: list[Channel] = []
        others: list[Channel] = []
        raw: dict[str, FloatArray] = {}
        times = self._times()
        for number, column in enumerate(self._mapping.columns):
            if column.channel == OTHER:
                others += self._other(number, times[number], {c.id for c in others})
            if column.channel not in CHANNEL_KINDS:
                continue
            kind = CHANNEL_KINDS[column.channel]
            scale, offset = conversion(column.unit, kind.unit) or (1.0, 0.0)
            values, time_s = self._numbers(number), times[number]
            there = np.isfinite(values) & np.isfinite(time_s)
            self._tell_missing(column, values, time_s)
            if there.any():
                raw[column.channel] = values[there]
                channels.append(
                    Channel(kind, self._since_start(time_s, there), values[there] * scale + offset)
                )
        if not channels:
            raise RecordingUnusable(Place(self._name), say("no channel has a sample"), ACCEPTED)
        return self._read([*channels, *others], raw, self._marks(times))

    def _other(self, number: int, time_s: FloatArray, taken: set[str]) -> list[Channel]:
        """A column that is kept by its own name; a cell that is no number is no sample of it."""
        column = self._mapping.columns[number]
        values = self._numbers(number, strict=False)
        there = np.isfinite(values) & np.isfinite(time_s)
        if not there.any():
            return []
        kind = _free_name(column, taken)
        return [Channel(kind, self._since_start(time_s, there), values[there])]

    def _since_start(self, time_s: FloatArray, there: BoolArray) -> FloatArray:
        """Instants from the first on; columns without a gap share them."""
        if not there.all():
            return time_s[there] - self._start
        if id(time_s) not in self._shared:
            self._shared[id(time_s)] = time_s - self._start
        return self._shared[id(time_s)]

    def long(self) -> TableRead:
        """A row for each sample."""
        number = {c.channel: n for n, c in enumerate(self._mapping.columns)}
        named = {c.name: c for c in self._mapping.named}
        names = self._table[number[CHANNEL]].astype("str").str.strip()
        time_s = self._counted(number[TIME])
        channels, others, raw, marks = [], list[Channel](), {}, []
        for name in dict.fromkeys(names):
            rows = np.flatnonzero((names == name).to_numpy())
            if name == MARK:
                texts = self._table[number[VALUE]].astype("str").iloc[rows]
                marks = [
                    Mark(float(t), x) for t, x in zip(time_s[rows] - self._start, texts, strict=True)
                ]
                continue
            column = named.get(name, Column(name, "", name))
            if column.channel == IGNORE:
                continue
            own = kind_called(column) if column.channel == OTHER else kind_of(column.channel)
            if own is not None and own.role is Role.OTHER:
                values = self._numbers(number[VALUE], rows, strict=False)
                there = np.isfinite(values)
                self._check_order(time_s[rows][there], rows[there])
                if there.any():
                    others.append(Channel(own, time_s[rows][there] - self._start, values[there]))
                continue
            if column.channel not in CHANNEL_KINDS:
                place = Place(self._name, self._line(int(rows[0])), CHANNEL)
                raise RecordingUnusable(
                    place, say("“{shown}” is no channel", shown=_shown(name)), ACCEPTED
                )
            kind = CHANNEL_KINDS[column.channel]
            scale, offset = conversion(column.unit, kind.unit) or (1.0, 0.0)
            values = self._numbers(number[VALUE], rows)
            there = np.isfinite(values)
            self._check_order(time_s[rows][there], rows[there])
            if there.any():
                raw[kind.id] = values[there]
                channels.append(
                    Channel(kind, time_s[rows][there] - self._start, values[there] * scale + offset)
                )
        if not channels:
            raise RecordingUnusable(Place(self._name), say("no channel has a sample"), ACCEPTED)
        return self._read([*channels, *others], raw, tuple(marks))

    def _read(
        self, channels: list[Channel], raw: dict[str, FloatArray], marks: tuple[Mark, ...]
    ) -> TableRead:
        recording = Recording(tuple(channels), marks, self._name)
        return TableRead(recording, raw, tuple(self._told), self._orders, self._first)

    # -- time ----------------------------------------------------------------------------------------

    def _times(self) -> dict[int, FloatArray]:
        """The instants of each channel's column: those of the nearest column of time before it."""
        found: dict[int, FloatArray] = {}
        columns = self._mapping.columns
        stamped = [n for n, c in enumerate(columns) if c.channel == TIME]
        if not stamped:
            time_s = np.arange(len(self._table)) / (self._mapping.rate_hz or 1.0)
            self._start = 0.0
            return dict.fromkeys(range(len(columns)), time_s)
        made: dict[tuple[int, ...], FloatArray] = {}
        for number in range(len(columns)):
            before = [n for n in stamped if n <= number] or stamped[:1]
            group: tuple[int, ...] = (before[-1],)
            if {columns[n].unit for n in before[-2:]} in ({DATE, CLOCK}, {DATE, MINUTES}):
                group = tuple(before[-2:])
            elif (
                before[-1] == stamped[0]
                and len(stamped) > 1
                and columns[stamped[1]].unit in STAMPS
                and ({columns[n].unit for n in stamped[:2]} in ({DATE, CLOCK}, {DATE, MINUTES}))
            ):
                group = (stamped[0], stamped[1])
            if group not in made:
                made[group] = self._instants(group)
            found[number] = made[group]
        return found

    def _counted(self, number: int) -> FloatArray:
        return self._instants((number,), in_order=False)

    def _instants(self, group: tuple[int, ...], *, in_order: bool = True) -> FloatArray:
        columns = self._mapping.columns
        last = next((n for n in group if columns[n].unit != DATE), group[0])
        time_s = self._seconds(last)
        if len(group) == 2:
            date = next(n for n in group if columns[n].unit == DATE)
            stamps = with_dates(self._table[date], time_s, self._mapping.dates)
            time_s, self._orders = stamps.time_s, self._orders or stamps.orders
        several = sum(c.channel == TIME for c in columns) > len(group)
        if not np.isfinite(time_s).all() and not several:
            row = int(np.flatnonzero(~np.isfinite(time_s))[0])
            self._refuse_time(last, row)
        there = np.isfinite(time_s)
        if not there.any():
            self._refuse_time(last, 0)
        rows = np.flatnonzero(there)
        if (
            in_order
            and rows.size > 1
            and np.all(np.diff(time_s[there]) <= 0)
            and time_s[rows[0]] > time_s[rows[-1]]
        ):
            raise RecordingUnusable(
                Place(self._name, self._line(int(rows[1]))), say("the time runs backwards all along"),
                say("sort the rows by time, the oldest first"),
            )  # fmt: skip
        if in_order:
            self._check_order(time_s[there], rows)
            coarse, told = spread(time_s[there])
            time_s = time_s.copy()
            time_s[there] = coarse
            self._tell(told)
            self._tell_repeats(coarse)
            self._tell_leap(coarse)
        self._start = min(self._start, float(time_s[there][0]))
        return time_s

    def _seconds(self, number: int) -> FloatArray:
        column = self._mapping.columns[number]
        if column.unit == DATE:
            stamps = with_dates(self._table[number], np.zeros(len(self._table)), self._mapping.dates)
        elif column.unit in STAMPS:
            stamps = clock_seconds(
                self._table[number], minutes=column.unit == MINUTES, dates=self._mapping.dates
            )
        else:
            scale, _ = conversion(column.unit, "s") or (1.0, 0.0)
            values = self._numbers(number)
            # From the first on: the sum of a long time and a short step keeps no more than its digits.
            there = np.flatnonzero(np.isfinite(values))
            first = float(values[there[0]]) if there.size else 0.0
            self._first[number] = first
            if sum(c.channel == TIME for c in self._mapping.columns) > 1:
                first = 0.0
            stamps = Stamps((values - first) * scale)
        self._orders = self._orders or stamps.orders
        return stamps.time_s

    def _check_order(
        self, time_s: FloatArray, rows: "np.ndarray[tuple[int], np.dtype[np.intp]]"
    ) -> None:
        falls = np.flatnonzero(np.diff(time_s) < 0)
        if not falls.size:
            return
        at = int(falls[0])
        back = float(time_s[at] - time_s[at + 1])
        raise RecordingUnusable(
            Place(self._name, self._line(int(rows[at + 1]))),
            say("the time runs backwards by {back:.3g} s", back=back),
            say(
                "{accepted}, none earlier than the one above; two recordings in one file must be parted",
                accepted=ACCEPTED,
            ),
        )

    def _refuse_time(self, number: int, row: int) -> None:
        cell = str(self._table[number].iloc[row])
        place = Place(self._name, self._line(row), _short(self._mapping.columns[number]))
        nothing = is_missing(cell)
        wrong = say("there is no time") if nothing else say("“{shown}” is no time", shown=_shown(cell))
        raise RecordingUnusable(place, wrong, ACCEPTED)

    def _tell_repeats(self, time_s: FloatArray) -> None:
        same = int(np.sum(np.diff(time_s) == 0.0))
        if same:
            self._tell(say("{same} rows stand at the instant of the row above them", same=same))

    def _tell_leap(self, time_s: FloatArray) -> None:
        if time_s.size < 3:
            return
        steps = np.diff(time_s)
        most = int(np.argmax(steps))
        rest = float(time_s[-1] - time_s[0] - steps[most])
        if steps[most] > max(_LEAP * rest, 10.0 * float(np.median(steps)), 1.0):
            self._tell(
                say(
                    "between two rows the time leaps by {steps:.4g} s, at {time_s:.4g} s",
                    steps=steps[most],
                    time_s=time_s[most] - time_s[0],
                )
            )

    # -- cells ---------------------------------------------------------------------------------------

    def _numbers(
        self,
        number: int,
        rows: "np.ndarray[tuple[int], np.dtype[np.intp]] | None" = None,
        *,
        strict: bool = True,
    ) -> FloatArray:
        import pandas as pd  # noqa: PLC0415 - half a second of import

        cells = self._table[number] if rows is None else self._table[number].iloc[rows]
        if cells.dtype == np.float64:
            return np.asarray(cells.to_numpy(dtype=np.float64))
        text = cells.fillna("").astype("str").str.strip()
        decimal, thousands = self._mapping.decimal, self._mapping.thousands
        text = _without_unit(text, self._mapping.columns[number].unit)
        if decimal != "." or thousands:
            text = text.map(lambda cell: plain(cell, decimal, thousands))
        values = pd.to_numeric(text, errors="coerce").to_numpy(dtype=np.float64).copy()
        values[~np.isfinite(values)] = np.nan
        for row in np.flatnonzero(np.isnan(values)) if strict else ():
            cell = str(cells.iloc[row]) if cells.iloc[row] == cells.iloc[row] else ""
            if not is_missing(cell):
                at = int(row if rows is None else rows[row])
                place = Place(self._name, self._line(at), _short(self._mapping.columns[number]))
                raise RecordingUnusable(
                    place, say("“{shown}” is no number", shown=_shown(cell)), ACCEPTED
                )
        return cast("FloatArray", values)

    def _marks(self, times: dict[int, FloatArray]) -> tuple[Mark, ...]:
        number = next((n for n, c in enumerate(self._mapping.columns) if c.channel == MARK), None)
        if number is None:
            return ()
        cells = self._table[number].fillna("").astype("str").str.strip()
        rows = np.flatnonzero((cells != "").to_numpy() & np.isfinite(times[number]))
        return tuple(Mark(float(times[number][r] - self._start), cells.iloc[r]) for r in rows)

    def _tell_missing(self, column: Column, values: FloatArray, time_s: FloatArray) -> None:
        missing = int(np.sum(~np.isfinite(values) & np.isfinite(time_s)))
        if missing:
            of = int(np.sum(np.isfinite(time_s)))
            self._tell(
                say(
                    "“{name}” has no value in {missing} of {of} rows",
                    name=column.name[:40],
                    missing=missing,
                    of=of,
                )
            )

    def _tell(self, remark: str) -> None:
        if remark:
            sentence = f"{remark[0].upper()}{remark[1:]}."
            if sentence not in self._told:
                self._told.append(sentence)

    def _line(self, row: int) -> int:
        return self._mapping.skip + 1 + row


def _without_unit(cells: "pd.Series[str]", unit: str) -> "pd.Series[str]":
    """Numbers whose unit stands behind them in the same cell, without it, where it is the column's."""
    if not unit or not cells.str.contains(r"\d\s*[%°A-Za-zµμ]", regex=True).any():
        return cells

    def bare(cell: str) -> str:
        found = number_and_unit(cell)
        return found[0] if found is not None and found[1] == unit else cell

    return cells.map(bare)


def _free_name(column: Column, taken: set[str]) -> ChannelKind:
    """A name of its own, where another column's is the same once it is cut to what can be written."""
    wanted = kind_called(column)
    kind, count = wanted, 2
    while kind.id in taken:
        kind, count = other_kind(f"{wanted.title[:50]} ({count})", wanted.unit), count + 1
    return kind


def _shown(cell: str) -> str:
    """A cell as it may stand in a sentence: on one line, and not too long."""
    return " ".join("".join(c if c.isprintable() else " " for c in cell).split())[:24]


def _short(column: Column) -> str:
    return column.name[:24] or say("without a name")
