"""A connection that is open: sources running, samples for the picture, the journal of a recording."""

import logging
import threading
from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from nervus.domain.errors import OutsideError, Stopped
from nervus.files.journal import Journal
from nervus.language import say
from nervus.link.capture import Capture, Trouble
from nervus.link.source import Block, Source

_log = logging.getLogger(__name__)


class LiveSession(QObject):
    """Owns the sources of one connection; everything that waits happens in threads of its own.

    Signals:
        doing: what is being done while it connects.
        connected: the sources run; with samples a second by channel, as far as a source tells them.
        failed: they can't be reached, and why.
        troubled: a source was lost or is back, or the disk is full.
        recorded: a recording was finished: its file.
    """

    doing = pyqtSignal(str)
    connected = pyqtSignal(dict)
    failed = pyqtSignal(str)
    troubled = pyqtSignal(str)
    recorded = pyqtSignal(object)

    def __init__(
        self, make_sources: Callable[[], Sequence[Source]], parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._make = make_sources
        self._capture: Capture | None = None
        self._pending: list[Block] = []
        self._lock = threading.Lock()
        self._journal: Journal | None = None
        self._ended = threading.Event()
        self._opener = threading.Thread(target=self._open, name="connecting", daemon=True)

    def start(self) -> None:
        """Begin to connect."""
        self._opener.start()

    def _open(self) -> None:
        try:
            sources = self._make()
            for source in sources:
                if hasattr(source, "doing"):
                    source.doing = self.doing.emit
            capture = Capture(sources, None, watch=self._came, tell=self._trouble)
            capture.start()
        except Stopped:
            return
        except OutsideError as wrong:
            if not self._ended.is_set():
                self.failed.emit(str(wrong))
            return
        except Exception:  # noqa: BLE001
            # The last guard of the thread: a bug of ours must reach the user and the log.
            _log.exception("connecting failed")
            self.failed.emit(say("Nervus could not connect because of a fault of its own; see the log."))
            return
        if self._ended.is_set():
            capture.stop()
            return
        self._capture = capture
        rates: dict[str, float] = {}
        for source in sources:
            rates |= getattr(source, "rates_hz", {})
        self.connected.emit(rates)

    def _came(self, blocks: Sequence[Block]) -> None:
        with self._lock:
            self._pending.extend(blocks)

    def _trouble(self, trouble: Trouble) -> None:
        if not self._ended.is_set():
            self.troubled.emit(f"{trouble.source}: {trouble.text}")

    def take(self) -> list[Block]:
        """The blocks that have come since the last time."""
        with self._lock:
            taken, self._pending = self._pending, []
        return taken

    # -- recording ---------------------------------------------------------------------------------

    @property
    def is_recording(self) -> bool:
        """Whether what comes in is being kept."""
        return self._journal is not None

    @property
    def journal(self) -> Journal | None:
        """What is being written, `None` while nothing is kept."""
        return self._journal

    @property
    def is_connected(self) -> bool:
        """Whether the sources run."""
        return self._capture is not None

    def record(self, path: Path, owner: str = "") -> None:
        """Begin to keep what comes in, in this file, which says whose it is.

        Raises:
            OSError: its folder takes nothing.
        """
        if self._capture is None or self._journal is not None:
            return
        path.parent.mkdir(parents=True, exist_ok=True)
        self._journal = Journal(path)
        if owner:
            self._journal.belongs_to(owner)
        self._capture.keep_with(self._journal)

    def mark(self, text: str) -> float | None:
        """Keep a mark now; returns its instant, `None` where nothing runs."""
        return self._capture.mark(text) if self._capture is not None else None

    def finish(self) -> None:
        """End the recording; `recorded` tells its file."""
        if self._capture is None or self._journal is None:
            return
        self._capture.keep_with(None)
        journal, self._journal = self._journal, None
        try:
            journal.close()
        except OSError as wrong:
            self.troubled.emit(
                say("The disk did not take the end of it ({strerror}).", strerror=wrong.strerror)
            )
        self.recorded.emit(journal.path)

    def stop(self) -> None:
        """Disconnect; a recording under way is finished first. Waits for the sources elsewhere."""
        self._ended.set()
        self.finish()
        capture, self._capture = self._capture, None
        if capture is not None:
            threading.Thread(target=capture.stop, name="disconnecting", daemon=True).start()
