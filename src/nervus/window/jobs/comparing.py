"""Opening two recordings to lay one over the other; a long one of before in a process beside.

Both at once take little longer than one alone: the second process is started before it is wanted, and
hands over its arrays in a file that is mapped and not copied.
"""

import mmap
import os
import pickle
import shutil
import tempfile
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path

from nervus.domain.errors import OutsideError
from nervus.domain.progress import Progress, no_progress
from nervus.language import say
from nervus.proof.again import AskedAgain, ask_again
from nervus.proof.differences import Difference, Measure, differences, measures
from nervus.window.jobs.opening import KeptFile, Opened, open_kept

# From this size on a second process earns its start, in bytes of both files.
_LONG = 60_000_000
_PROTOCOL = 5
# Files here are in memory; a recording of some hours at 1 kHz has room in so many bytes.
_SHARED, _ROOM = "/dev/shm", 4_000_000_000  # noqa: S108 - a folder of our own is made in it


@dataclass(frozen=True, slots=True, eq=False)
class BeforeAfter:
    """Two recordings of one test, and what became of what was found.

    Attributes:
        before, after: as they were opened.
        asked: each finding of before, and what is new.
        numbers: what differs in numbers.
    """

    before: Opened
    after: Opened
    asked: tuple[AskedAgain, ...]
    numbers: tuple[Difference, ...]


class Beside:
    """A process beside for long recordings; made ready when it may be wanted."""

    def __init__(self) -> None:
        self._pool: ProcessPoolExecutor | None = None

    def make_ready(self, *paths: Path) -> None:
        """Start the process, if recordings of such files would need it."""
        if self._pool is None and _is_long(*paths):
            self._pool = ProcessPoolExecutor(1, mp_context=get_context("spawn"))
            self._pool.submit(_import_all)

    def close(self) -> None:
        """Let it go."""
        if self._pool is not None:
            self._pool.shutdown(wait=False, cancel_futures=True)
            self._pool = None

    def open_both(
        self, before: KeptFile, after: KeptFile, progress: Progress = no_progress
    ) -> BeforeAfter:
        """Two kept recordings, with what changed between them.

        Raises:
            OutsideError: one can't be read any more.
        """
        self.make_ready(before.path, after.path)
        if self._pool is None:
            first, then = _opened(before, no_progress)
            second, now = _opened(after, progress)
        else:
            with tempfile.TemporaryDirectory(prefix="nervus-", dir=_scratch()) as folder:
                future = self._pool.submit(_open_into, before, Path(folder) / "before")
                second, now = _opened(after, progress)
                first, then = _taken_over(*future.result(), Path(folder) / "before")
        asked = ask_again(first.analysis, second.analysis, second.recording)
        return BeforeAfter(first, second, asked, differences(then, now))


def _is_long(*paths: Path) -> bool:
    try:
        return sum(path.stat().st_size for path in paths) >= _LONG
    except OSError:
        return False  # opening it says what is wrong with it


def _opened(kept: KeptFile, progress: Progress) -> tuple[Opened, tuple[Measure, ...]]:
    opened = open_kept(kept, progress)
    return opened, measures(opened.recording, opened.analysis)


def _scratch() -> str | None:
    """Memory that both processes share, where there is enough of it; else the usual place."""
    try:
        free = shutil.disk_usage(_SHARED).free
    except OSError:
        return None  # no such place here
    return _SHARED if os.access(_SHARED, os.W_OK) and free > _ROOM else None


def _import_all() -> None:
    """In the process beside: all that opening needs, before it is wanted."""
    import nervus.judge.analyse  # noqa: PLC0415
    import nervus.link.reading  # noqa: F401, PLC0415 - both are loaded for later


def _open_into(kept: KeptFile, to: Path) -> tuple[bytes, list[int]]:
    """In the process beside: open a recording; its arrays go into a file, the rest comes back.

    Raises:
        OutsideError: it can't be read any more.
    """
    opened = _opened(kept, no_progress)
    buffers: list[pickle.PickleBuffer] = []
    head = pickle.dumps(opened, _PROTOCOL, buffer_callback=buffers.append)
    sizes: list[int] = []
    try:
        with to.open("wb") as file:
            sizes.extend(file.write(buffer.raw()) for buffer in buffers)
    except OSError as wrong:
        raise NoRoomBeside(
            say("{name}: no room to compare it ({strerror}).", name=kept.name, strerror=wrong.strerror)
        ) from wrong
    return head, sizes


def _taken_over(head: bytes, sizes: list[int], file: Path) -> tuple[Opened, tuple[Measure, ...]]:
    """What the process beside has opened; its arrays stay in the file, which may be gone by name."""
    with file.open("rb") as opened:
        whole = memoryview(mmap.mmap(opened.fileno(), 0, access=mmap.ACCESS_READ)) if sum(sizes) else b""
    parts, at = [], 0
    for size in sizes:
        parts.append(whole[at : at + size])
        at += size
    # What is read here was written by our own process a moment ago.
    opened, numbers = pickle.loads(head, buffers=parts)  # noqa: S301
    return opened, numbers


class NoRoomBeside(OutsideError):
    """The disk takes no more while two recordings are compared."""
