"""The journal of a recording in progress: what has come in is on its way to the disk at once.

A journal is a row of packets. A packet is a head (marker, kind, length, checksum) and a body in JSON
or, for samples, the channel's name and two rows of 64-bit floats. What a kill or a power cut leaves
is a whole journal with at most its last packet cut off; everything before that is read.
"""

import json
import os
import struct
import time
import zlib
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from nervus.domain.channel import CHANNEL_KINDS, Channel, FloatArray, Mark, Recording
from nervus.domain.errors import Place, RecordingUnusable

SUFFIX = ".nervus-journal"
RECORDED = ".nervus"
"""Recordings that were captured here; inside they are whole journals."""
_HEAD = struct.Struct("<4sBII")
_MARKER, _SAMPLES, _MARK = b"NRVJ", 1, 2
_SYNC_S = 1.0
_LONGEST = 1 << 26


class Journal:
    """Writes one journal; every call reaches the operating system before it returns."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._file = path.open("xb", buffering=0)
        self._synced = time.monotonic()

    def samples(self, channel: str, time_s: FloatArray, values: FloatArray) -> None:
        """Append samples of a channel.

        Raises:
            OSError: the disk is full or gone; what was written before is kept.
        """
        name = channel.encode()
        body = (
            bytes([len(name)]) + name + time_s.astype("<f8").tobytes() + values.astype("<f8").tobytes()
        )
        self._packet(_SAMPLES, body)

    def mark(self, time_s: float, text: str) -> None:
        """Append a mark."""
        self._packet(_MARK, json.dumps([time_s, text]).encode())

    def _packet(self, kind: int, body: bytes) -> None:
        head = _HEAD.pack(_MARKER, kind, len(body), zlib.crc32(body))
        self._file.write(head + body)
        now = time.monotonic()
        if now - self._synced > _SYNC_S:
            os.fsync(self._file.fileno())
            self._synced = now

    def close(self) -> None:
        """Done; the journal stays until it is turned into a recording."""
        os.fsync(self._file.fileno())
        self._file.close()


def read_journal(path: Path) -> Recording:
    """The recording that a journal holds, up to where it was cut off.

    Raises:
        RecordingUnusable: it is no journal, or holds no sample.
    """
    parts: dict[str, list[tuple[FloatArray, FloatArray]]] = {}
    marks = []
    for kind, body in _packets(path):
        if kind == _MARK:
            time_s, text = json.loads(body)
            marks.append(Mark(float(time_s), str(text)))
        elif kind == _SAMPLES:
            length = body[0]
            rows = np.frombuffer(body[1 + length :], dtype="<f8").reshape(2, -1)
            parts.setdefault(body[1 : 1 + length].decode(), []).append((rows[0], rows[1]))
    channels = []
    for name, rows_of in parts.items():
        if name not in CHANNEL_KINDS:
            continue
        time_s = np.concatenate([t for t, _ in rows_of]).astype(np.float64)
        values = np.concatenate([v for _, v in rows_of]).astype(np.float64)
        known = np.isfinite(time_s) & np.isfinite(values)
        order = np.argsort(time_s[known], kind="stable")
        if order.size:
            channels.append(Channel(CHANNEL_KINDS[name], time_s[known][order], values[known][order]))
    if not channels:
        raise RecordingUnusable(
            Place(path.name), "it holds no whole sample", "accepted is a journal that Nervus wrote"
        )
    return Recording(tuple(channels), tuple(marks), path.name.removesuffix(SUFFIX))


def is_journal(path: Path) -> bool:
    """Whether a file begins as a journal does; `False` for what can't be read."""
    try:
        with path.open("rb") as file:
            return file.read(len(_MARKER)) == _MARKER
    except OSError:
        return False


def _packets(path: Path) -> Iterator[tuple[int, bytes]]:
    with path.open("rb") as file:
        while len(head := file.read(_HEAD.size)) == _HEAD.size:
            marker, kind, length, checksum = _HEAD.unpack(head)
            if marker != _MARKER or length > _LONGEST:
                return
            body = file.read(length)
            if len(body) < length or zlib.crc32(body) != checksum:
                return
            yield kind, body


def left_over(folder: Path) -> tuple[Path, ...]:
    """Journals in a folder that were never turned into recordings, oldest first."""
    found = (p for p in folder.glob(f"*{SUFFIX}") if p.is_file())
    return tuple(sorted(found, key=lambda p: p.stat().st_mtime))


def finished(journal: Path) -> Path:
    """Give a whole journal the name of a recording; returns it."""
    path = journal.with_name(journal.name.removesuffix(SUFFIX) + RECORDED)
    journal.rename(path)
    return path
