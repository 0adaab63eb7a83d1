"""Reading a recording in another program's CSV, as a mapping that was agreed to says."""

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from nervus.domain.channel import CHANNEL_KINDS, Channel, FloatArray, Recording
from nervus.domain.errors import Place, RecordingUnusable
from nervus.files.csv_mapping import CLOCK, IGNORE, TIME, Column, CsvMapping, problem
from nervus.knowledge.columns import conversion

if TYPE_CHECKING:
    import pandas as pd

_ACCEPTED = "accepted are rows of numbers as the mapping says"
_A_DAY_S = 86_400.0


def read_mapped(path: Path, mapping: CsvMapping) -> Recording:
    """One recording.

    Empty cells are no samples; instants are counted from the first.

    Raises:
        RecordingUnusable: the mapping can't be read, or a cell does not fit it.
    """
    wrong = problem(mapping)
    if wrong:
        raise RecordingUnusable(Place(path.name), wrong.rstrip("."), "correct the mapping")
    table = _table(path, mapping)
    if table.empty:
        raise RecordingUnusable(Place(path.name), "there are no samples", _ACCEPTED)
    time_s = _time(path, mapping, table)
    if np.any(np.diff(time_s) < 0):
        row = int(np.flatnonzero(np.diff(time_s) < 0)[0]) + mapping.skip + 2
        raise RecordingUnusable(Place(path.name, row), "the time runs backwards", _ACCEPTED)
    channels = []
    for number, column in enumerate(mapping.columns):
        if column.channel not in CHANNEL_KINDS:
            continue
        kind = CHANNEL_KINDS[column.channel]
        scale, offset = conversion(column.unit, kind.unit) or (1.0, 0.0)
        values = _numbers(path, mapping, table, number) * scale + offset
        there = np.isfinite(values)
        if there.any():
            channels.append(Channel(kind, time_s[there], values[there]))
    if not channels:
        raise RecordingUnusable(Place(path.name), "no channel has a sample", _ACCEPTED)
    return Recording(tuple(channels), (), path.name)


def _table(path: Path, mapping: CsvMapping) -> "pd.DataFrame":
    import pandas as pd  # noqa: PLC0415 - half a second of import, off the way to the first window

    wanted = [n for n, c in enumerate(mapping.columns) if c.channel != IGNORE]
    clocks = {n: "str" for n in wanted if mapping.columns[n].unit == CLOCK}
    try:
        return _read(path, mapping, wanted, {n: clocks.get(n, "float64") for n in wanted})
    except (ValueError, OverflowError):
        # Some cell is no number: read as text, so that its place can be told.
        try:
            return _read(path, mapping, wanted, dict.fromkeys(wanted, "str"))
        except (ValueError, pd.errors.ParserError) as wrong:
            said = str(wrong).replace("\n", " ")[:120]
            raise RecordingUnusable(
                Place(path.name), f"it can't be split ({said})", _ACCEPTED
            ) from wrong


def _read(path: Path, mapping: CsvMapping, wanted: list[int], types: "dict[int, str]") -> "pd.DataFrame":
    import pandas as pd  # noqa: PLC0415

    return pd.read_csv(
        path,
        sep=mapping.delimiter,
        decimal=mapping.decimal,
        encoding=mapping.encoding,
        skiprows=mapping.skip,
        header=None,
        names=list(range(len(mapping.columns))),
        usecols=wanted,
        dtype=types,
        skipinitialspace=True,
        skip_blank_lines=True,
        index_col=False,
        on_bad_lines="error",
        keep_default_na=False,
        na_values=[""],
    )


def _numbers(path: Path, mapping: CsvMapping, table: "pd.DataFrame", number: int) -> FloatArray:
    import pandas as pd  # noqa: PLC0415

    cells = table[number]
    if cells.dtype == np.float64:
        return np.asarray(cells.to_numpy(dtype=np.float64))
    text = cells.str.strip()
    if mapping.decimal == ",":
        text = text.str.replace(",", ".", regex=False)
    values = pd.to_numeric(text, errors="coerce")
    bad = np.flatnonzero((values.isna() & text.notna() & (text != "")).to_numpy())
    if bad.size:
        row = int(bad[0])
        place = Place(path.name, mapping.skip + 1 + row, _short(mapping.columns[number]))
        raise RecordingUnusable(place, f"“{str(text.iloc[row])[:24]}” is no number", _ACCEPTED)
    return np.asarray(values.to_numpy(dtype=np.float64))


def _time(path: Path, mapping: CsvMapping, table: "pd.DataFrame") -> FloatArray:
    number = next((n for n, c in enumerate(mapping.columns) if c.channel == TIME), None)
    if number is None:
        return np.arange(len(table)) / (mapping.rate_hz or 1.0)
    column = mapping.columns[number]
    if column.unit == CLOCK:
        return _clock(path, mapping, table, number)
    scale, _ = conversion(column.unit, "s") or (1.0, 0.0)
    values = _numbers(path, mapping, table, number) * scale
    if not np.isfinite(values).all():
        row = mapping.skip + 1 + int(np.flatnonzero(~np.isfinite(values))[0])
        raise RecordingUnusable(Place(path.name, row, _short(column)), "there is no time", _ACCEPTED)
    return np.asarray(values - values[0])


def _clock(path: Path, mapping: CsvMapping, table: "pd.DataFrame", number: int) -> FloatArray:
    """Times of day, over midnight too, or dates with times."""
    import pandas as pd  # noqa: PLC0415

    text = table[number].astype("str").str.strip().str.replace(",", ".", regex=False)
    dated = text.str.contains(r"\d[-/.]\d{1,2}[-/.]\d", regex=True).all()
    if dated:
        stamps = pd.to_datetime(text, errors="coerce", format="mixed", dayfirst=False)
        seconds = (stamps - stamps.iloc[0]).dt.total_seconds().to_numpy(dtype=np.float64)
    else:
        whole = text.where(text.str.count(":") > 1, text + ":00")
        spans = pd.to_timedelta(whole, errors="coerce")
        seconds = spans.dt.total_seconds().to_numpy(dtype=np.float64)
        with np.errstate(invalid="ignore"):
            midnights = np.cumsum(np.concatenate(([0.0], np.diff(seconds) < -_A_DAY_S / 2)))
        seconds = seconds + midnights * _A_DAY_S - seconds[0]
    if not np.isfinite(seconds).all():
        row = int(np.flatnonzero(~np.isfinite(seconds))[0])
        place = Place(path.name, mapping.skip + 1 + row, _short(mapping.columns[number]))
        raise RecordingUnusable(place, f"“{text.iloc[row][:24]}” is no time", _ACCEPTED)
    return np.asarray(seconds)


def _short(column: Column) -> str:
    return column.name[:24] or "without a name"
