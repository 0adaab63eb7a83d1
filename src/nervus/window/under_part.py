"""One recording of the job below another, in all views; read in the background."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from nervus.domain.analysis import Progress
from nervus.drawn.pictures import Pictures, Under
from nervus.window.job_part import JobPart
from nervus.window.opening import open_kept
from nervus.window.record_page import RecordPage
from nervus.window.tasks import Task


class UnderPart(QObject):
    """Lays recordings below the one that is open.

    Signals:
        told: a sentence about what can't be.
    """

    told = pyqtSignal(str)

    def __init__(
        self, part: JobPart, record: RecordPage, open_over: Callable[[str], None], parent: QObject
    ) -> None:
        super().__init__(parent)
        self._part, self._record, self._open_over = part, record, open_over
        self._task: Task | None = None
        self._waiting = ""
        record.under_wanted.connect(self.lay)

    def over(self, upper: str, lower: str) -> None:
        """Open a recording of the job, and lay another below it once it is there."""
        self._waiting = lower
        self._open_over(upper)

    def opened(self) -> None:
        """A recording was opened: what waits for it is laid below."""
        waiting, self._waiting = self._waiting, ""
        if self._task is not None:
            self._task.stop()
            self._task = None
        if waiting:
            self._record.show_under(waiting)
            self.lay(waiting)

    def lay(self, recording_id: str) -> None:
        """Lay a recording below the one that is open; "" takes away what lies there."""
        if self._task is not None:
            self._task.stop()
            self._task = None
        found = self._record.recorded(recording_id) if recording_id else None
        if found is None:
            self._record.panel.lay_under(None)
            return
        path, name = self._part.files / found.file, found.name

        def work(progress: Progress) -> Under:
            opened = open_kept(path, name, progress)
            examination = opened.analysis.examination
            drawn = opened.pictures or Pictures(opened.recording, examination)
            return Under(name, opened.recording, examination, drawn)

        task = Task(work, self)
        task.succeeded.connect(self._record.panel.lay_under)
        task.failed.connect(self.told)
        self._task = task
        task.start()
