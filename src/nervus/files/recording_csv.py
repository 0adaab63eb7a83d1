"""Recordings as CSV, wide (`time_s`, then channels) or long (`time_s,channel,value`).

The fast way is pandas' C reader; only when it, or a check of what it gave, finds something wrong
does a slow second look find the cell.
"""

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Final, Literal

import numpy as np
from numpy.typing import NDArray

from nervus.domain.channel import (
    CHANNEL_KINDS,
    Channel,
    ChannelKind,
    FloatArray,
    IntArray,
    Mark,
    Recording,
    kind_of,
)
from nervus.domain.errors import Place, RecordingUnusable
from nervus.files.csv_fault import first_fault, missing_in_ours
from nervus.files.csv_gate import CHANNEL, IGNORE, MARK, TIME, VALUE, Header, inspect, own_id
from nervus.files.journal import is_journal, read_journal
from nervus.files.recording_writer import plain_again
from nervus.language import say

if TYPE_CHECKING:
    import pandas as pd

_NO_SAMPLES = say("there are no samples")
_C_ENGINE: Final[Literal["c"]] = "c"


def read_recording(path: Path, mapping: Mapping[str, str] | None = None) -> Recording:
    """One recording from one file: our CSV, or what was captured here.

    Args:
        path: the file.
        mapping: other column (or channel) names to channel identifiers; "-" leaves one out.

    Raises:
        RecordingUnusable: in one sentence: what is wrong, where, what would be accepted.
    """
    if is_journal(path):
        return read_journal(path)
    names = dict(mapping or {})
    header = inspect(path, names)
    try:
        recording = _read_long(path, header, names) if header.long else _read_wide(path, header)
    except (ValueError, OverflowError) as refused:
        fault = first_fault(path, header)
        if fault is not None:
            raise fault from refused
        # Each cell may stand; only not as the fast reader knows it, such as a word with spaces around.
        recording = _read_slowly(path, header, names)
    if recording is None or header.doubtful:
        fault = first_fault(path, header)
        if fault is not None:
            raise fault
    if recording is None:
        raise RecordingUnusable(Place(path.name), _NO_SAMPLES, say("accepted is at least one row"))
    if not recording.known().channels:
        raise RecordingUnusable(
            Place(path.name),
            say("no channel in it can be judged"),
            say("accepted is at least one beside those called other:, such as tps1_v, with a sample"),
        )
    return recording


def _read_slowly(path: Path, header: Header, names: Mapping[str, str]) -> Recording | None:
    try:
        if header.long:
            return _read_long(path, replace(header, has_marks=True), names)
        return _read_wide(path, header, numbers="str")
    except (ValueError, OverflowError) as refused:
        raise RecordingUnusable(
            Place(path.name),
            say("the rows can't be read"),
            say("accepted are numbers with a decimal point"),
        ) from refused


def _frame(path: Path, header: Header, types: dict[str, str]) -> "pd.DataFrame":
    """The file as the fast reader gives it.

    First without a look for empty cells, which takes half of the time; where there are some, it refuses,
    and reads again with it.
    """
    try:
        return _read(path, header, types, gaps=False)
    except ValueError:
        return _read(path, header, types, gaps=True)


def _read(path: Path, header: Header, types: dict[str, str], *, gaps: bool) -> "pd.DataFrame":
    import pandas as pd  # noqa: PLC0415 - half a second of import, off the way to the first window

    wanted = [i for i, channel in enumerate(header.ids) if channel != IGNORE]
    return pd.read_csv(
        path,
        engine=_C_ENGINE,
        header=None,
        skiprows=1,
        names=[channel if channel != IGNORE else f"-{i}" for i, channel in enumerate(header.ids)],
        # To choose all columns costs the reader as much as the reading.
        usecols=wanted if len(wanted) < len(header.ids) else None,
        dtype=types,
        keep_default_na=False,
        na_values={name: _words() for name in types if types[name] == "float64"} if gaps else None,
        na_filter=gaps,
        encoding="utf-8",
        index_col=False,
        on_bad_lines="error",
    )


def _words() -> list[str]:
    """What stands for a missing value, as people and programs write it."""
    words = {*missing_in_ours(), ""}
    return sorted({w for word in words for w in (word, word.upper(), word.capitalize())} | {"NaN"})


def _read_wide(path: Path, header: Header, numbers: str = "float64") -> Recording | None:
    types = {c: "str" if c == MARK else numbers for c in header.ids if c != IGNORE}
    frame = _frame(path, header, types)
    if frame.empty:
        return None
    time_s = np.ascontiguousarray(_as_numbers(frame[TIME].to_numpy()))
    _check_time(time_s)
    channels = []
    for channel in header.ids:
        if channel in (TIME, MARK, IGNORE):
            continue
        values = np.ascontiguousarray(_as_numbers(frame[channel].to_numpy()))
        if np.isfinite(values).all():
            channels.append(Channel(_kind(channel), time_s, values))
            continue
        there = ~np.isnan(values)
        _check_finite(values[there])
        if there.any():
            channels.append(Channel(_kind(channel), time_s[there], values[there]))
    marks: tuple[Mark, ...] = ()
    if MARK in header.ids:
        column = frame[MARK].fillna("").to_numpy(dtype=object)
        marks = _marks(time_s, column, np.flatnonzero(column != ""))
    return Recording(tuple(channels), marks, path.name) if channels else None


def _read_long(path: Path, header: Header, mapping: Mapping[str, str]) -> Recording | None:
    """Marks turn the value column into text, which is slower; most files have none."""
    value_type = "str" if header.has_marks else "float64"
    frame = _frame(path, header, {TIME: "float64", CHANNEL: "category", VALUE: value_type})
    if frame.empty:
        return None
    time_s = frame[TIME].to_numpy(dtype=np.float64)
    names = frame[CHANNEL].cat.categories.astype(str)
    codes = frame[CHANNEL].cat.codes.to_numpy()
    values = frame[VALUE].to_numpy()
    ids = [own_id(n.strip(), mapping) for n in names]
    if len(set(ids) - {IGNORE}) < len([i for i in ids if i != IGNORE]):
        raise RecordingUnusable(
            Place(path.name, 1, CHANNEL), say("two names stand for one channel"), say("map each once")
        )
    channels: dict[str, Channel] = {}
    marks: tuple[Mark, ...] = ()
    for code, channel in enumerate(ids):
        rows = np.flatnonzero(codes == code)
        if channel == IGNORE:
            continue
        if channel == MARK:
            marks = _marks(time_s[rows], values[rows], np.arange(rows.size))
            continue
        kind = _kind(channel)
        instants, numbers = time_s[rows], _as_numbers(values[rows])
        _check_time(instants)
        there = ~np.isnan(numbers)
        _check_finite(numbers[there])
        if there.any():
            channels[channel] = Channel(kind, instants[there], numbers[there])
    order = dict.fromkeys([*CHANNEL_KINDS, *channels])
    ordered = tuple(channels[c] for c in order if c in channels)
    return Recording(ordered, marks, path.name) if ordered else None


def _kind(channel: str) -> ChannelKind:
    """What a column holds.

    Raises:
        ValueError: it is no channel.
    """
    kind = kind_of(channel)
    if kind is None:
        raise ValueError(channel)
    return kind


def _as_numbers(values: "NDArray[np.object_] | FloatArray") -> FloatArray:
    if values.dtype == np.float64:
        return np.asarray(values, dtype=np.float64)
    missing = missing_in_ours() | {""}
    return np.array([np.nan if str(v).strip().casefold() in missing else float(v) for v in values])


def _marks(time_s: FloatArray, texts: NDArray[np.object_], rows: IntArray) -> tuple[Mark, ...]:
    return tuple(Mark(float(time_s[r]), plain_again(str(texts[r]))) for r in rows)


def _check_time(time_s: FloatArray) -> None:
    _check_finite(time_s)
    if (np.diff(time_s) < 0).any():
        raise ValueError(say("time runs backwards"))


def _check_finite(values: FloatArray) -> None:
    if not np.isfinite(values).all():
        raise ValueError(say("not finite"))
