"""The thread of the logbook: the window asks and goes on; what it writes is kept until it is saved.

Writes of the same thing that wait are one write. One that the disk does not take is tried again until it
does; the window hears of it at once and when it is over.
"""

import logging
import threading
import time
from collections import OrderedDict, deque
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import QObject, pyqtSignal

from nervus.domain.errors import OutsideError
from nervus.domain.job import AnyEntry
from nervus.language import say

if TYPE_CHECKING:
    from nervus.logbook import Logbook

_log = logging.getLogger(__name__)
_AGAIN_S, _LOOK_S = 1.0, 1.0
T = TypeVar("T")
Work = Callable[["Logbook"], object]


class BookKeeper(QObject):
    """Asks and writes one logbook in a thread of its own.

    Signals, all on the interface thread:
        foreign: somebody else has written.
        saved: nothing waits any more.
        not_saved: the sentence why something waits; it is tried again.
        overtaken: an entry that somebody else had changed was written over; theirs is kept.
        failed: the logbook can't be used, or a question failed; the sentence.
    """

    foreign = pyqtSignal()
    saved = pyqtSignal()
    not_saved = pyqtSignal(str)
    overtaken = pyqtSignal(str)
    failed = pyqtSignal(str)
    _answered = pyqtSignal(object, object)

    def __init__(self, path: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.path = path
        self._asked: deque[tuple[Work, Callable[..., object]]] = deque()
        self._writes: OrderedDict[str, Work] = OrderedDict()
        self._versions: dict[str, int] = {}
        self._wake = threading.Condition()
        self._begun = self._ending = False
        self._answered.connect(lambda done, result: done(result))
        self._thread = threading.Thread(target=self._run, name="logbook", daemon=True)

    def start(self) -> None:
        """Open the logbook in the background; not again, and not once it was closed."""
        with self._wake:
            if self._begun or self._ending:
                return
            self._begun = True
        self._thread.start()

    # -- what the window says ------------------------------------------------------------------------

    def ask(self, work: "Callable[[Logbook], T]", done: Callable[[T], object]) -> None:
        """Ask something once all that waits is written; `done` is called on the interface thread."""
        with self._wake:
            self._asked.append((work, done))
            self._wake.notify()

    def write(self, key: str, work: Work) -> None:
        """Write something; of writes with the same key that wait only the last is done."""
        with self._wake:
            self._writes[key] = work
            self._wake.notify()

    def put(self, job_id: str, entry: AnyEntry) -> None:
        """Keep an entry of a job."""
        self.write(entry.id, lambda book: self._put(book, job_id, entry))

    def take_out(self, job_id: str, entry_id: str) -> None:
        """Take an entry out of a job."""

        def work(book: "Logbook") -> None:
            book.take_out(job_id, entry_id)
            self._versions.pop(entry_id, None)

        self.write(entry_id, work)

    def remember(self, versions: dict[str, int]) -> None:
        """What the window has seen; called in the thread of the logbook, within `ask`."""
        self._versions.update(versions)

    @property
    def waits(self) -> bool:
        """Whether something is not saved yet."""
        with self._wake:
            return bool(self._writes)

    def settle(self, within_s: float = 2.0) -> bool:
        """Wait until nothing waits any more; False if something still does."""
        end = time.monotonic() + within_s
        while self.waits and time.monotonic() < end:
            time.sleep(0.01)
        return not self.waits

    def close(self, within_s: float = 5.0) -> bool:
        """Save what waits and let go of the file; False if something could not be saved in time."""
        if self.waits:
            self.start()
        with self._wake:
            self._ending = True
            self._wake.notify()
        if self._begun:
            self._thread.join(within_s)
        return not self.waits

    # -- the thread ------------------------------------------------------------------------------------

    def _run(self) -> None:
        book = self._opened()
        if book is None:
            return
        try:
            while not self._served(book):
                time.sleep(_AGAIN_S)
        finally:
            book.close()

    def _served(self, book: "Logbook") -> bool:
        """Serve until the window goes; False after a fault of ours, to go on serving."""
        try:
            self._serve(book)
        except Exception:  # noqa: BLE001 - the last guard of the thread
            _log.exception("the logbook's thread failed")
            self.failed.emit(
                say(
                    "Nervus' logbook stumbled because of a fault of its own and goes on; please "
                    "report it with the log."
                )
            )
            with self._wake:
                return self._ending and not self._writes
        return True

    def _opened(self) -> "Logbook | None":
        """The logbook, tried again while the world is in the way; `None` where it can't be used."""
        from nervus.logbook import Logbook  # noqa: PLC0415 - half a second of import, off the window's way
        from nervus.logbook.errors import NotSaved  # noqa: PLC0415

        while True:
            try:
                self.path.parent.mkdir(parents=True, exist_ok=True)
                return Logbook(self.path)
            except NotSaved as wrong:
                self.not_saved.emit(str(wrong))
            except OutsideError as wrong:
                self.failed.emit(str(wrong))
                return None
            except OSError as wrong:
                self.failed.emit(
                    say(
                        "{path}: its folder can't be made ({strerror}).",
                        path=self.path,
                        strerror=wrong.strerror,
                    )
                )
                return None
            with self._wake:
                if not self._ending:
                    self._wake.wait(_AGAIN_S)
                if self._ending:
                    return None

    def _serve(self, book: "Logbook") -> None:
        seen = book.foreign_changes()
        while True:
            with self._wake:
                if not self._writes and not self._asked and not self._ending:
                    self._wake.wait(_LOOK_S)
                write = next(iter(self._writes.items()), None)
                asked = self._asked.popleft() if self._asked and write is None else None
                ending = self._ending
            if write is not None:
                if not self._save(book, *write) and self._ended_after_trouble(book):
                    return
            elif asked is not None:
                self._answer(book, *asked)
            elif ending:
                return
            else:
                seen = self._look(book, seen)

    def _ended_after_trouble(self, book: "Logbook") -> bool:
        """Answer, then wait before the next try; True if the window goes: who leaves has been asked.

        What can't be written must not keep anybody from reading.
        """
        with self._wake:
            asked = [self._asked.popleft() for _ in range(len(self._asked))]
        for question in asked:
            self._answer(book, *question)
        with self._wake:
            if not self._ending and not self._asked:
                self._wake.wait(_AGAIN_S)
            return self._ending

    def _save(self, book: "Logbook", key: str, work: Work) -> bool:
        try:
            work(book)
        except OutsideError as wrong:
            self.not_saved.emit(str(wrong))
            return False
        except Exception:  # noqa: BLE001 - the last guard of the thread
            # A bug of ours: this one write can't be done; it must not hold up those behind it.
            _log.exception("a write to the logbook failed")
            self.failed.emit(
                say(
                    "Nervus could not save the last entry because of a fault of its own; what was "
                    "saved before is kept. Please report it with the log."
                )
            )
        with self._wake:
            if self._writes.get(key) is work:
                del self._writes[key]
            done = not self._writes
        if done:
            self.saved.emit()
        return True

    def _answer(self, book: "Logbook", work: Work, done: Callable[..., object]) -> None:
        try:
            result = work(book)
        except OutsideError as wrong:
            self.failed.emit(str(wrong))
        except Exception:  # noqa: BLE001 - the last guard of the thread
            _log.exception("a question to the logbook failed")
            self.failed.emit(
                say("Nervus could not read this because of a fault of its own. Please report it.")
            )
        else:
            self._answered.emit(done, result)

    def _look(self, book: "Logbook", seen: int) -> int:
        try:
            found = book.foreign_changes()
        except OutsideError as wrong:
            self.failed.emit(str(wrong))
            return seen
        if found != seen:
            self.foreign.emit()
        return found

    def _put(self, book: "Logbook", job_id: str, entry: AnyEntry) -> None:
        put = book.put(job_id, entry, self._versions.get(entry.id))
        self._versions[entry.id] = put.version
        if put.overtaken:
            self.overtaken.emit(entry.id)
