"""Recordings written as self-describing CSV in the long shape, whole or not at all.

Every number is written with as many digits as it takes to read the same one back. Rows of all channels
are merged in the order of time piece by piece, so memory does not grow with the recording.
"""

import contextlib
import csv
import os
from collections.abc import Iterator
from io import StringIO
from pathlib import Path
from typing import TextIO

import numpy as np

from nervus.domain.channel import Channel, FloatArray, Recording
from nervus.files.outputs import check_regular

# A text that begins like this would be run as a formula by a spreadsheet.
_FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")
# Rows of one piece: a few tens of megabytes while they are text.
_ROWS = 200_000


def write_recording(recording: Recording, path: Path) -> None:
    """Write `time_s,channel,value`, all channels and marks in the order of time.

    The file appears whole or not at all: it is written beside its place and moved there.

    Raises:
        NotWritable: a device, a pipe or a folder is there, which no file replaces.
        OSError: the disk does not take it; nothing is left behind.
    """
    check_regular(path)
    unfinished = path.with_name(path.name + ".part")
    try:
        with unfinished.open("w", encoding="utf-8", newline="") as file:
            file.write("time_s,channel,value\n")
            marks = sorted((m.time_s, m.text) for m in recording.marks)
            for until, pieces in _pieces(recording.channels):
                # At one instant a sample comes before a mark: what was done was done from then on.
                due = [m for m in marks if m[0] < until]
                marks = marks[len(due) :]
                _write_piece(file, pieces, due)
            file.flush()
            os.fsync(file.fileno())
        unfinished.replace(path)
    except BaseException as wrong:
        if isinstance(wrong, OSError) and wrong.filename is None:
            wrong.filename = str(path)  # what a full disk does not say
        with contextlib.suppress(OSError):  # the disk's first refusal is what is told
            unfinished.unlink(missing_ok=True)
        raise


def _pieces(
    channels: tuple[Channel, ...],
) -> Iterator[tuple[float, list[tuple[str, FloatArray, FloatArray]]]]:
    """Samples of all channels piece by piece, with the instant before which each piece ends."""
    at = [0] * len(channels)
    while any(n < c.samples for n, c in zip(at, channels, strict=True)):
        # A piece ends with the instant at which the first channel has filled its share; none is split.
        share = max(1, _ROWS // len(channels))
        ends = [c.time_s[n + share] for n, c in zip(at, channels, strict=True) if n + share < c.samples]
        until = float(np.nextafter(min(ends), np.inf)) if ends else np.inf
        stops = [int(np.searchsorted(c.time_s, until, "left")) for c in channels]
        yield (
            until,
            [
                (c.id, c.time_s[n:stop], c.values[n:stop])
                for c, n, stop in zip(channels, at, stops, strict=True)
            ],
        )
        at = stops


def _write_piece(
    file: TextIO, pieces: list[tuple[str, FloatArray, FloatArray]], marks: list[tuple[float, str]]
) -> None:
    import pandas as pd  # noqa: PLC0415 - half a second of import, when first wanted

    time_s = np.concatenate([t for _, t, _ in pieces])
    order = np.argsort(time_s, kind="stable")
    names = np.repeat(np.arange(len(pieces)), [t.size for _, t, _ in pieces])
    table = pd.DataFrame(
        {
            "t": time_s[order],
            "c": pd.Categorical.from_codes(
                names[order], categories=pd.Index([name for name, _, _ in pieces])
            ),
            "v": np.concatenate([v for _, _, v in pieces])[order],
        }
    )
    start = 0
    for when, text in marks:
        stop = int(np.searchsorted(time_s[order], when, "right"))
        table.iloc[start:stop].to_csv(file, header=False, index=False, lineterminator="\n")
        row = StringIO()
        csv.writer(row, lineterminator="\n").writerow((repr(float(when)), "mark", formula_safe(text)))
        file.write(row.getvalue())
        start = stop
    table.iloc[start:].to_csv(file, header=False, index=False, lineterminator="\n")


def plain_again(text: str) -> str:
    """A text as it was before `formula_safe`."""
    return text[1:] if text.startswith("'") and formula_safe(text[1:]) == text else text


def formula_safe(text: str) -> str:
    """A text that no spreadsheet runs."""
    # A text that begins so itself gets one more, so that reading can take exactly one away.
    return "'" + text if text.lstrip("'").startswith(_FORMULA_STARTS) else text
