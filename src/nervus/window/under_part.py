"""Another recording below the one that is open, in all views; read and compared in the background."""

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from nervus.domain.progress import Progress
from nervus.window.jobs.job_part import JobPart
from nervus.window.jobs.kept_file import kept_file
from nervus.window.jobs.opening import KeptFile, Opened, open_kept
from nervus.window.pages.record_page import ANOTHER, ELSEWHERE, RecordPage
from nervus.window.tasks import Task

if TYPE_CHECKING:
    from nervus.drawn.pictures import Under


class UnderPart(QObject):
    """Lays recordings below the one that is open.

    Signals:
        told: a sentence about what can't be.
    """

    told = pyqtSignal(str)

    def __init__(
        self, part: JobPart, record: RecordPage, opened: Callable[[], Opened | None], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self._part, self._record, self._opened, self._window = part, record, opened, parent
        self._task: Task | None = None
        self._below = self._named = ""
        record.under_wanted.connect(self.lay)

    def show(self, recording_id: str, opened: Opened) -> None:
        """Lay a recording that was read already below the one that is open."""
        self.stop()
        self._below, self._named = recording_id, ""
        self._record.show_under(recording_id)
        self._record.panel.lay_under(_under(opened))
        above = self._opened()
        if above is not None:
            self._begin(lambda _progress: _compared(above, _under(opened)))

    def leave(self) -> None:
        """Another recording was opened: what lies below the last one, or is read, is not wanted."""
        self.stop()
        self._below = self._named = ""

    def stop(self) -> None:
        """What is being read is not wanted any more."""
        if self._task is not None:
            self._task.stop()
            self._task = None

    def lay(self, recording_id: str) -> None:
        """Lay a recording of the job below; "" takes away what lies there, `ANOTHER` asks which."""
        if recording_id == ELSEWHERE:
            return
        self.stop()
        if recording_id == ANOTHER:
            self.ask()
            return
        self._below, self._named = recording_id, ""
        self._record.show_under(recording_id)
        found = self._record.recorded(recording_id) if recording_id else None
        if found is None or self._part.job is None:
            self._record.panel.lay_under(None)
            return
        self.lay_file(kept_file(self._part.files, found, self._part.job))

    def lay_file(self, kept: KeptFile) -> None:
        """Lay any recording below the one that is open."""
        above = self._opened()
        if above is not None:
            self._begin(lambda progress: _compared(above, _under(open_kept(kept, progress))))

    def ask(self) -> None:
        """Ask for any recording of the logbook, or a file."""
        from nervus.window.jobs.pick_recording import PickRecording  # noqa: PLC0415 - when first wanted

        # What lies below stays told until another is chosen.
        self._tell_below()
        if self._opened() is None:
            return
        without = self._record.shown

        def show(held: object) -> None:
            assert isinstance(held, list)  # noqa: S101 - what the logbook gives
            dialog = PickRecording(held, self._part.files, without, self._window)
            dialog.chosen.connect(self._lay_elsewhere)
            dialog.open()

        self._part.keeper.ask(lambda book: book.recordings(), show)

    def _lay_elsewhere(self, kept: KeptFile) -> None:
        self._below, self._named = "", kept.name
        self._tell_below()
        self.lay_file(kept)

    def _tell_below(self) -> None:
        if self._named:
            self._record.show_under_named(self._named)
        else:
            self._record.show_under(self._below)

    def _begin(self, work: "Callable[[Progress], Under]") -> None:
        self.stop()
        task = Task(work, self)
        task.succeeded.connect(self._record.panel.lay_under)
        task.failed.connect(self.told)
        self._task = task
        task.start()


def _under(opened: Opened) -> "Under":
    from nervus.drawn.pictures import Pictures, Under  # noqa: PLC0415 - in the background

    examination = opened.analysis.examination
    drawn = opened.pictures or Pictures(opened.recording, examination)
    return Under(opened.title, opened.recording, examination, drawn)


def _compared(above: Opened, below: "Under") -> "Under":
    """The same with how the one above differs from it."""
    from nervus.drawn.differing import differing  # noqa: PLC0415 - in the background

    seen = above.analysis.examination
    return replace(below, differs=differing(above.recording, seen, below.recording, below.examination))
