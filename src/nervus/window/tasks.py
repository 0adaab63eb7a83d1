"""Long work off the interface thread, with progress and a stop, its result handed back on it."""

import logging
import threading
from collections.abc import Callable

from PyQt6 import sip
from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal

from nervus.domain.errors import OutsideError, Stopped
from nervus.domain.progress import Progress
from nervus.language import say

_log = logging.getLogger(__name__)


class Task(QObject):
    """One piece of long work.

    Signals arrive on the interface thread. After `stop` none of them does any more: what the work
    still gives is thrown away, so the window is free at once even if a library can't be interrupted.
    """

    progressed = pyqtSignal(str, float)
    succeeded = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, work: Callable[[Progress], object], parent: QObject) -> None:
        super().__init__(parent)
        self._work = work
        self._stop = threading.Event()

    def start(self) -> None:
        """Begin in the background."""
        pool = QThreadPool.globalInstance()
        assert pool is not None  # noqa: S101 - Qt gives one as long as an application lives
        pool.start(_Runner(self))

    def stop(self) -> None:
        """Ask the work to end; whatever it gives from now on is dropped."""
        self._stop.set()
        self.blockSignals(True)  # noqa: FBT003 - Qt's own argument

    def run_here(self) -> None:
        """Do the work in the calling thread and send its outcome; used by the pool."""
        try:
            result = self._work(self._progress)
        except Stopped:
            return
        except OutsideError as wrong:
            self.failed.emit(str(wrong))
        except Exception:  # noqa: BLE001 - the last guard of a background thread
            # A bug of ours must reach the user and the log, and must not take the pool down.
            _log.exception("work in the background failed")
            self.failed.emit(
                say(
                    "Nervus could not finish this because of a fault of its own; what was open is "
                    "kept. Please report it with the log."
                )
            )
        else:
            self.succeeded.emit(result)
        finally:
            # What the work holds on to, a whole recording often, goes with it.
            self._work = _nothing

    def _progress(self, doing: str, share: float) -> None:
        if self._stop.is_set() or sip.isdeleted(self):
            raise Stopped
        self.progressed.emit(doing, share)


def _nothing(_progress: Progress) -> None:
    """The work of a task that is done."""


class _Runner(QRunnable):
    def __init__(self, task: Task) -> None:
        super().__init__()
        self._task = task

    def run(self) -> None:
        try:
            self._task.run_here()
        except RuntimeError:
            if not sip.isdeleted(self._task):
                raise
            # Whoever asked for it has been closed meanwhile: nobody is left to be told.


def wait_for_all(milliseconds: int = 5000) -> bool:
    """Let the background finish before the application goes; False if it does not in time."""
    pool = QThreadPool.globalInstance()
    return pool is None or pool.waitForDone(milliseconds)
