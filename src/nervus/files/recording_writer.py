"""Recordings written as self-describing CSV in the long shape, whole or not at all."""

import csv
import os
from pathlib import Path

import numpy as np

from nervus.domain.channel import Recording

# A text that begins like this would be run as a formula by a spreadsheet.
_FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")


def write_recording(recording: Recording, path: Path) -> None:
    """Write `time_s,channel,value`, all channels and marks in the order of time.

    The file appears whole or not at all: it is written beside its place and moved there.
    """
    rows = [
        (float(t), c.id, _shortest(v))
        for c in recording.channels
        for t, v in zip(c.time_s, c.values, strict=True)
    ]
    rows += [(m.time_s, "mark", formula_safe(m.text)) for m in recording.marks]
    rows.sort(key=lambda row: row[0])
    unfinished = path.with_name(path.name + ".part")
    with unfinished.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(("time_s", "channel", "value"))
        writer.writerows((_shortest(t), channel, value) for t, channel, value in rows)
        file.flush()
        os.fsync(file.fileno())
    unfinished.replace(path)


def _shortest(value: float) -> str:
    return np.format_float_positional(value, precision=6, trim="-")


def formula_safe(text: str) -> str:
    """A text that no spreadsheet runs."""
    # A text that begins so itself gets one more, so that reading can take exactly one away.
    return "'" + text if text.lstrip("'").startswith(_FORMULA_STARTS) else text
