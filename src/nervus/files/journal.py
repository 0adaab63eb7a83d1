"""The journal of a recording in progress: what has come in is on its way to the disk at once.

A journal is a row of packets. A packet is a head (marker, kind, length, checksums of body and head) and
a body in JSON or, for samples, the channel's name and two rows of 64-bit floats. What a kill or a power
cut leaves is a whole journal with at most its last packet cut off. Where bytes were damaged, reading
goes on at the next packet that is whole, and a mark in the recording says what was left out.
"""

import fcntl
import json
import mmap
import os
import struct
import time
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from nervus.domain.channel import CHANNEL_KINDS, Channel, FloatArray, Mark, Recording
from nervus.domain.errors import Place, RecordingUnusable
from nervus.language import say

SUFFIX = ".nervus-journal"
RECORDED = ".nervus"
"""Recordings that were captured here and are in a job; inside they are whole journals."""
PUT_AWAY = "put away"
"""The folder beside journals that nobody wants to be offered any more."""
_HEAD, _OLD_HEAD = struct.Struct("<4sBIII"), struct.Struct("<4sBII")
_MARKER, _OLD_MARKER, _SAMPLES, _MARK, _OWNER = b"NRV2", b"NRVJ", 1, 2, 3
_SYNC_S = 1.0
_LONGEST = 1 << 26


class Journal:
    """Writes one journal; every call reaches the operating system before it returns.

    While it is open no other program takes it for one that was cut off.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self._file = path.open("xb", buffering=0)
        fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        self._whole = 0
        self._synced = time.monotonic()

    def samples(self, channel: str, time_s: FloatArray, values: FloatArray) -> None:
        """Append samples of a channel.

        Raises:
            OSError: the disk is full or gone; what was written before is kept, and more may be tried.
        """
        name = channel.encode()
        body = (
            bytes([len(name)]) + name + time_s.astype("<f8").tobytes() + values.astype("<f8").tobytes()
        )
        self._packet(_SAMPLES, body)

    def mark(self, time_s: float, text: str) -> None:
        """Append a mark."""
        self._packet(_MARK, json.dumps([time_s, text]).encode())

    def belongs_to(self, owner: str) -> None:
        """Say whose it is, before anything else, in words that `owner_of` gives back."""
        self._packet(_OWNER, json.dumps([owner]).encode())

    def _packet(self, kind: int, body: bytes) -> None:
        checksum = zlib.crc32(body)
        head = _HEAD.pack(_MARKER, kind, len(body), checksum, _head_sum(kind, len(body), checksum))
        left = memoryview(head + body)
        try:
            while left:  # the system may take a part only
                left = left[self._file.write(left) :]
        except OSError:
            # Half a packet would have to be skipped when it is read; none is better.
            self._file.truncate(self._whole)
            self._file.seek(self._whole)
            raise
        self._whole += _HEAD.size + len(body)
        now = time.monotonic()
        if now - self._synced > _SYNC_S:
            os.fsync(self._file.fileno())
            self._synced = now

    def move(self, to: Path) -> None:
        """Give it another name, while it is written.

        Raises:
            OSError: that is on another disk, or may not be written.
        """
        to.parent.mkdir(parents=True, exist_ok=True)
        self.path.rename(to)
        self.path = to

    def close(self) -> None:
        """Done; the journal stays until it is turned into a recording."""
        try:
            os.fsync(self._file.fileno())
        finally:
            self._file.close()


def _head_sum(kind: int, length: int, checksum: int) -> int:
    return zlib.crc32(struct.pack("<BII", kind, length, checksum))


# -- reading
# ---------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Packet:
    """A whole packet, or where one is missing.

    Attributes:
        kind: `_SAMPLES`, `_MARK`, or 0 for bytes that make no packet.
        body: without the head.
        lost: how many bytes were left out before.
    """

    kind: int
    body: bytes
    lost: int = 0


def read_journal(path: Path) -> Recording:
    """The recording that a journal holds, up to where it was cut off, without what is damaged in it.

    Raises:
        RecordingUnusable: it is no journal, or holds no sample.
    """
    parts: dict[str, list[tuple[FloatArray, FloatArray]]] = {}
    marks: list[Mark] = []
    at = 0.0
    for packet in _packets(path):
        if packet.lost:
            marks.append(
                Mark(
                    at,
                    say("{lost} bytes of the journal are damaged here and left out", lost=packet.lost),
                )
            )
        if packet.kind == _MARK:
            time_s, text = json.loads(packet.body)
            marks.append(Mark(float(time_s), str(text)))
        elif packet.kind == _SAMPLES:
            length = packet.body[0]
            rows = np.frombuffer(packet.body[1 + length :], dtype="<f8").reshape(2, -1)
            parts.setdefault(packet.body[1 : 1 + length].decode(), []).append((rows[0], rows[1]))
            if rows.size and np.isfinite(rows[0][-1]):
                at = max(at, float(rows[0][-1]))
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
            Place(path.name),
            say("it holds no whole sample"),
            say("accepted is a journal that Nervus wrote"),
        )
    marks.sort(key=lambda mark: mark.time_s)
    name = path.name.removesuffix(SUFFIX).removesuffix(RECORDED)
    return Recording(tuple(channels), tuple(marks), name)


def owner_of(path: Path) -> str:
    """Whose a journal said it is at its beginning, "" if it did not."""
    first = next(_packets(path), None)
    return str(json.loads(first.body)[0]) if first is not None and first.kind == _OWNER else ""


def is_journal(path: Path) -> bool:
    """Whether a file begins or is called as a journal is; `False` for what can't be read."""
    if path.suffix in (SUFFIX, RECORDED):  # its first bytes may be the damaged ones
        return path.is_file()
    try:
        with path.open("rb") as file:
            return file.read(len(_MARKER)) in (_MARKER, _OLD_MARKER)
    except OSError:
        return False


def _packets(path: Path) -> Iterator[_Packet]:
    with path.open("rb") as file:
        if not os.fstat(file.fileno()).st_size:
            return
        with mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as data:
            yield from _walk(data)


def _walk(data: mmap.mmap) -> Iterator[_Packet]:
    at = lost = 0
    while at < len(data):
        found = _whole_at(data, at)
        if found is None:
            following = _next_marker(data, at + 1)
            # What a kill cut off at the very end is no damage.
            lost += 0 if following == len(data) and _is_cut_off(data, at) else following - at
            at = following
            continue
        kind, start, at = found
        yield _Packet(kind, data[start:at], lost)
        lost = 0
    if lost:
        yield _Packet(0, b"", lost)


def _is_cut_off(data: mmap.mmap, at: int) -> bool:
    """Whether what is left is the sound beginning of a packet whose rest was never written."""
    left = data[at : at + _HEAD.size]
    if len(left) < _HEAD.size:
        return any(left.startswith(m[: len(left)]) for m in (_MARKER, _OLD_MARKER))
    if left.startswith(_OLD_MARKER):
        _, kind, length, _ = _OLD_HEAD.unpack_from(data, at)
        return kind in (_SAMPLES, _MARK) and at + _OLD_HEAD.size + length > len(data)
    marker, kind, length, checksum, head_sum = _HEAD.unpack(left)
    sound = marker == _MARKER and head_sum == _head_sum(kind, length, checksum)
    return bool(sound and at + _HEAD.size + length > len(data))


def _whole_at(data: mmap.mmap, at: int) -> tuple[int, int, int] | None:
    """Kind, begin and end of the body of the packet here, `None` where none is whole."""
    if data[at : at + 4] == _MARKER and at + _HEAD.size <= len(data):
        _, kind, length, checksum, head_sum = _HEAD.unpack_from(data, at)
        start, sound = at + _HEAD.size, head_sum == _head_sum(kind, length, checksum)
    elif data[at : at + 4] == _OLD_MARKER and at + _OLD_HEAD.size <= len(data):
        _, kind, length, checksum = _OLD_HEAD.unpack_from(data, at)
        start, sound = at + _OLD_HEAD.size, kind in (_SAMPLES, _MARK) and length <= _LONGEST
    else:
        return None
    end = start + length
    if not sound or end > len(data) or zlib.crc32(data[start:end]) != checksum:
        return None
    return (kind, start, end) if _fits(kind, data[start:end]) else None


def _fits(kind: int, body: bytes) -> bool:
    """Whether a body of sound bytes is what its kind says."""
    if kind == _SAMPLES:
        return len(body) > 0 and len(body) > body[0] and (len(body) - 1 - body[0]) % 16 == 0
    return kind in (_MARK, _OWNER) and body.startswith(b"[")


def _next_marker(data: mmap.mmap, at: int) -> int:
    found = [n for n in (data.find(_MARKER, at), data.find(_OLD_MARKER, at)) if n >= 0]
    return min(found, default=len(data))


# -- what is left --------------------------------------------------------------------------------------


def in_use(path: Path) -> bool:
    """Whether a journal is being written now, by this or another window."""
    try:
        with path.open("rb") as file:
            fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    except OSError:
        return False  # it is gone, or can't be read: nobody here writes it
    return False


def left_over(folder: Path) -> tuple[Path, ...]:
    """Journals in a folder that are in no job and that nobody is writing, oldest first."""
    found = [p for p in folder.glob(f"*{SUFFIX}") if p.is_file() and not in_use(p)]
    return tuple(sorted(found, key=lambda p: p.stat().st_mtime))


def finished(journal: Path) -> Path:
    """Give a journal that is in a job the name of a recording; returns it."""
    path = journal.with_name(journal.name.removesuffix(SUFFIX) + RECORDED)
    journal.rename(path)
    return path


def put_away(journal: Path) -> Path:
    """Move a journal into a folder beside, where it is kept and offered no more; returns its place.

    Raises:
        OSError: it can't be moved.
    """
    folder = journal.parent / PUT_AWAY
    folder.mkdir(exist_ok=True)
    to = folder / journal.name
    number = 1
    while to.exists():
        number += 1
        to = folder / f"{journal.stem} {number}{journal.suffix}"
    return journal.rename(to)
