"""Any file that holds a recording or codes: ours, MDF, a log of CAN traffic, any program's table.

What is here is what the window reads and the command reads: one door.
"""

import shutil
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path

from nervus.domain.channel import OTHER, Recording
from nervus.domain.errors import OutsideError, Place, RecordingUnusable
from nervus.domain.job import SeenCode
from nervus.files import read_recording
from nervus.files.code_report import read_codes_file
from nervus.files.journal import is_journal
from nervus.files.mdf import is_mdf, read_mdf
from nervus.language import say
from nervus.link.log_kind import is_can_log
from nervus.tables.doubts import time_doubt, value_doubts
from nervus.tables.mapping import IGNORE, propose
from nervus.tables.wishes import RecordingQuestioned, Wish, question_of, read_foreign

STANDARD_INPUT = "-"
_AS_IT_IS = Wish()


@dataclass(frozen=True, slots=True, eq=False)
class Read:
    """What a file held; at least one of both.

    Attributes:
        recording: its values.
        codes: its codes.
        remarks: what was taken for what, left out, missing or spread, as sentences.
    """

    recording: Recording | None
    codes: tuple[SeenCode, ...] = ()
    remarks: tuple[str, ...] = ()


@contextmanager
def regular(path: Path) -> Iterator[Path]:
    """A file that can be read twice: standard input (`-`) and pipes are copied first.

    Raises:
        RecordingUnusable: it can't be read.
    """
    if str(path) != STANDARD_INPUT and (path.is_file() or not path.exists() or path.is_dir()):
        yield path
        return
    name = say("standard input") if str(path) == STANDARD_INPUT else path.name
    with tempfile.TemporaryDirectory(prefix="nervus-") as folder:
        copy = Path(folder) / name
        try:
            with copy.open("wb") as into:
                if str(path) == STANDARD_INPUT:
                    shutil.copyfileobj(sys.stdin.buffer, into)
                else:
                    with path.open("rb") as file:
                        shutil.copyfileobj(file, into)
        except OSError as wrong:
            said = say("it can't be read ({strerror})", strerror=wrong.strerror)
            raise RecordingUnusable(Place(name), said, say("accepted is a recording")) from wrong
        yield copy


def read_any(path: Path, wish: Wish = _AS_IT_IS) -> Read:
    """What a file holds.

    Args:
        path: the file.
        wish: what was said of its columns.

    Raises:
        RecordingQuestioned: what it is must be agreed to first.
        RecordingUnusable: in one sentence: what is wrong, where, what would be accepted.
    """
    if is_can_log(path):
        return _read_traffic(path, wish)
    if is_journal(path):
        if wish != _AS_IT_IS:
            raise OutsideError(
                say("{name}: it was recorded here, and nothing in it is to be mapped.", name=path.name)
            )
        return Read(read_recording(path))
    if is_mdf(path):
        return _read_mdf(path, wish)
    if _is_ours(path) and wish.plain is not None:
        return _read_own(path, wish)
    read = read_foreign(path, wish)
    return Read(read.recording, (), read.remarks)


def _read_traffic(path: Path, wish: Wish) -> Read:
    from nervus.link.can_log import read_can_log  # noqa: PLC0415 - loads what reads traffic

    traffic = read_can_log(path, wish.plain)
    return Read(traffic.recording, traffic.codes, traffic.remarks)


def _read_mdf(path: Path, wish: Wish) -> Read:
    """Channels, or, where there are none of ours, what the logged traffic told."""
    held = read_mdf(path, wish)
    if held.recording is None:
        return _read_traffic(path, wish)
    more = (say("Traffic of a bus is logged in it too, and was left out."),) if held.has_traffic else ()
    doubts = value_doubts(held.recording, {}, {c.id: str(c.kind.unit) for c in held.recording.channels})
    if doubts:
        questions = [question_of(d, held.names[d.channel]) for d in doubts]
        better = [q.better for q in questions if q.better is not None]
        if not wish.agreed:
            raise RecordingQuestioned(path, questions)
        # What is proposed is agreed to, once: what can't be then is asked all the same.
        said = {column.name: (column.unit, column.channel) for column in better}
        return _read_mdf(path, replace(wish, columns={**wish.columns, **said}, agreed=False))
    return Read(held.recording, (), held.remarks + more)


def is_foreign_table(path: Path) -> bool:
    """Whether a file is a text table, and its first line does not name our columns."""
    return path.is_file() and not (
        is_can_log(path) or is_journal(path) or is_mdf(path) or _is_ours(path)
    )


def _is_ours(path: Path) -> bool:
    """Whether the first line names our columns, parted as ours are."""
    try:
        with path.open("rb") as file:
            first = file.readline(65_536)
    except OSError:
        return True  # told by whoever opens it
    return b"time_s" in first and b"," in first and b"\0" not in first


def _read_own(path: Path, wish: Wish) -> Read:
    try:
        recording = read_recording(path, wish.plain)
    except RecordingUnusable as wrong:
        if wrong.place.line != 1 or not _all_may_be_ours(path, wish):
            raise
        read_foreign(path, wish)  # asks for all of its columns at once
        raise
    written = {c.id: str(c.kind.unit) for c in recording.channels}
    if value_doubts(recording, {}, written) or time_doubt(recording, "s") is not None:
        read = read_foreign(path, wish)  # which asks, in the words of a table
        return Read(read.recording, (), read.remarks)
    return Read(recording)


def _all_may_be_ours(path: Path, wish: Wish) -> bool:
    """Whether every column is one of ours under another name or unit."""
    try:
        mapping = propose(path).mapping
    except RecordingUnusable:
        return False
    twice = any(c.name.endswith(" (2)") for c in mapping.columns)  # which of both is it?
    return not twice and all(
        c.channel not in (IGNORE, OTHER) or c.name in wish.columns for c in mapping.columns
    )


def kept_recording(path: Path) -> Recording:
    """A recording that a job keeps, whatever program made it.

    Raises:
        RecordingUnusable: it can't be read any more.
    """
    recording = recording_in(path).recording
    assert recording is not None  # noqa: S101 - else it was refused
    return recording


def codes_in_file(path: Path) -> tuple[SeenCode, ...]:
    """The codes that a report or a log of traffic holds.

    Raises:
        OutsideError: it can't be read, or no code stands in it.
    """
    if is_can_log(path):
        return _read_traffic(path, _AS_IT_IS).codes
    return read_codes_file(path)


def recording_in(path: Path, wish: Wish = _AS_IT_IS) -> Read:
    """The recording that a file holds, with what was said in reading it.

    Raises:
        RecordingUnusable: it can't be read, or holds codes only.
    """
    read = read_any(path, wish)
    if read.recording is None:
        raise RecordingUnusable.only_codes(path.name, [code.code for code in read.codes])
    return read
