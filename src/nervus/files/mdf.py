"""Recordings in ASAM MDF (measurement data format), versions 3 and 4, through the reference library."""

import re
import traceback
from io import BufferedReader
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from nervus.domain.channel import CHANNEL_KINDS, Channel, Recording
from nervus.domain.errors import Place, RecordingUnusable
from nervus.knowledge.columns import channel_for, conversion, unit_written

if TYPE_CHECKING:
    from asammdf import MDF

_MAGIC = re.compile(rb"^(MDF|UnFinMF) ")
_ACCEPTED = "accepted is MDF with channels whose names say throttle, pedal, supply or engine"
_MOST_CHANNELS = 10_000


def is_mdf(path: Path) -> bool:
    """Whether a file begins as such a file does."""
    try:
        with path.open("rb") as file:
            return _MAGIC.match(file.read(8)) is not None
    except OSError:
        return False


def read_mdf(path: Path) -> Recording:
    """One recording: each channel of the file that can be one of ours, by its name and unit.

    Raises:
        RecordingUnusable: it is damaged, or no channel is one of ours.
    """
    import logging  # noqa: PLC0415 - only here

    # The library tells each of a damaged file's flaws on its own log; ours is one sentence.
    logging.getLogger("asammdf").setLevel(logging.CRITICAL)
    try:
        # Handed over open, so that it is closed whatever becomes of the library's object.
        with path.open("rb") as file:
            channels = _read(path, file)
    except OSError as wrong:
        raise RecordingUnusable(
            Place(path.name), f"the file can't be read ({wrong.strerror})", _ACCEPTED
        ) from wrong
    if not channels:
        raise RecordingUnusable(Place(path.name), "no channel in it is one of ours", _ACCEPTED)
    start = min(float(c.time_s[0]) for c in channels)
    moved = tuple(Channel(c.kind, c.time_s - start, c.values) for c in channels)
    return Recording(moved, (), path.name)


def _read(path: Path, file: BufferedReader) -> list[Channel]:
    from asammdf import MDF  # noqa: PLC0415 - near a second of import, only where such a file is opened

    try:
        with MDF(file) as mdf:
            return _channels(mdf)
    except Exception as wrong:
        # On damaged bytes the library fails in whatever way they lead it to; all of them mean the same.
        _let_go(wrong)
        raise RecordingUnusable(Place(path.name), "it is a damaged MDF file", _ACCEPTED) from wrong


def _let_go(wrong: BaseException) -> None:
    """A half-built object of the library's can't close itself, and would complain when it is freed."""
    context: BaseException | None = wrong
    frames = []
    while context is not None:
        frames += [frame for frame, _line in traceback.walk_tb(context.__traceback__)]
        context = context.__context__
    for frame in frames:
        made = frame.f_locals.get("self")
        ours = made is not None and type(made).__module__.startswith("asammdf.")
        if made is not None and ours and hasattr(made, "_closed"):
            made._closed = True  # noqa: SLF001 - what its own closing asks first
            for held in (getattr(made, name, None) for name in ("_tempfile", "_mapped_file")):
                if held is not None:
                    held.close()


def _channels(mdf: "MDF") -> list[Channel]:
    found: dict[str, Channel] = {}
    for name, places in list(mdf.channels_db.items())[:_MOST_CHANNELS]:
        group, index = places[0]
        if mdf.masters_db.get(group) == index:
            continue
        unit = unit_written(mdf.get_channel_unit(group=group, index=index))
        channel = channel_for(name, unit)
        if channel is None or channel in found:
            continue
        kind = CHANNEL_KINDS[channel]
        factors = conversion(unit, kind.unit)
        signal = mdf.get(group=group, index=index)
        values = np.asarray(signal.samples)
        if factors is None or values.ndim != 1 or values.dtype.kind not in "iuf":
            continue
        times = np.asarray(signal.timestamps, dtype=np.float64)
        numbers = values.astype(np.float64) * factors[0] + factors[1]
        there = np.isfinite(numbers) & np.isfinite(times)
        if there.any() and not np.any(np.diff(times[there]) < 0):
            found[channel] = Channel(kind, times[there].copy(), numbers[there].copy())
    return list(found.values())
