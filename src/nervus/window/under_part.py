"""One recording of the job below another, in all views; read in the background."""

from PyQt6.QtCore import QObject, pyqtSignal

from nervus.domain.analysis import Progress
from nervus.drawn.pictures import Pictures, Under
from nervus.window.jobs.job_part import JobPart
from nervus.window.jobs.opening import Opened, open_kept
from nervus.window.pages.record_page import RecordPage
from nervus.window.tasks import Task


class UnderPart(QObject):
    """Lays recordings below the one that is open.

    Signals:
        told: a sentence about what can't be.
    """

    told = pyqtSignal(str)

    def __init__(self, part: JobPart, record: RecordPage, parent: QObject) -> None:
        super().__init__(parent)
        self._part, self._record = part, record
        self._task: Task | None = None
        record.under_wanted.connect(self.lay)

    def show(self, recording_id: str, opened: Opened) -> None:
        """Lay a recording that was read already below the one that is open."""
        self.stop()
        self._record.show_under(recording_id)
        self._record.panel.lay_under(_under(opened))

    def stop(self) -> None:
        """Another recording was opened: what is being read for the last one is not wanted any more."""
        if self._task is not None:
            self._task.stop()
            self._task = None

    def lay(self, recording_id: str) -> None:
        """Lay a recording below the one that is open; "" takes away what lies there."""
        self.stop()
        found = self._record.recorded(recording_id) if recording_id else None
        if found is None:
            self._record.panel.lay_under(None)
            return
        path, name = self._part.files / found.file, found.name

        def work(progress: Progress) -> Under:
            return _under(open_kept(path, name, progress))

        task = Task(work, self)
        task.succeeded.connect(self._record.panel.lay_under)
        task.failed.connect(self.told)
        self._task = task
        task.start()


def _under(opened: Opened) -> Under:
    examination = opened.analysis.examination
    drawn = opened.pictures or Pictures(opened.recording, examination)
    return Under(opened.title, opened.recording, examination, drawn)
