"""What is asked for and given out as files: recordings, bundles, pictures, a calendar of due jobs."""

from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QSettings, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QWidget

from nervus.domain.job_list import JobRow
from nervus.language import say
from nervus.window.banners import Notice
from nervus.window.boxes import asked_for_bundle, asked_for_calendar, asked_where_to
from nervus.window.jobs.job_part import JobPart
from nervus.window.pictures.recording_panel import RecordingPanel
from nervus.window.tasks import Task

if TYPE_CHECKING:
    from nervus.window.jobs.opening import Opened

_KINDS = "*.csv *.txt *.nervus *.nervus-journal *.mf4 *.mdf *.log *.asc *.blf *.trc"
_FILES = say("Recordings ({kinds});;All files (*)", kinds=_KINDS)


class FilesPart(QObject):
    """Asks which file, or where to, and writes in the background.

    Signals:
        open_wanted: the recording that was chosen.
        bundle_wanted: the bundle that was chosen, whatever its name ends with.
    """

    open_wanted = pyqtSignal(object)
    bundle_wanted = pyqtSignal(object)

    def __init__(
        self,
        settings: QSettings,
        notice: Notice,
        job_part: JobPart,
        panel: RecordingPanel,
        opened: "Callable[[], Opened | None]",
        window: QWidget,
    ) -> None:
        super().__init__(window)
        self._settings, self._notice, self._part = settings, notice, job_part
        self._panel, self._opened, self._window = panel, opened, window
        self.rows: list[JobRow] = []
        self._due_told = False

    def ask_for_file(self) -> None:
        """Ask which recording to open."""
        folder = str(self._settings.value("folder", str(Path.home())))
        name, _ = QFileDialog.getOpenFileName(self._window, say("Open a recording"), folder, _FILES)
        if name:
            self.open_wanted.emit(Path(name))

    def ask_for_bundle(self) -> None:
        """Ask which bundle to take a job from."""
        path = asked_for_bundle(self._window)
        if path is not None:
            self.bundle_wanted.emit(path)

    def ask_where_to(self) -> None:
        """Ask where the job's bundle is to be written."""
        job = self._part.job
        path = asked_where_to(self._window, job.vehicle.name) if job is not None else None
        if job is not None and path is not None:
            self._part.attaching.write_bundle(job, path)

    def list_jobs(self, rows: list[JobRow]) -> None:
        """Know the jobs there are; at start, tell which of them have their day."""
        self.rows = rows
        if self._due_told or not rows:
            return
        from nervus.report.due_jobs import due_told  # noqa: PLC0415 - off the way to the first window

        self._due_told = True
        told = due_told(rows, date.today())
        if told:
            self._notice.tell(told, say("As a calendar …"), self.ask_for_calendar, calm=True)

    def ask_for_calendar(self) -> None:
        """Ask where the due jobs are to be written as a calendar, and write them."""
        from nervus.report.due_jobs import write_calendar  # noqa: PLC0415 - seldom wanted: start-up

        to = asked_for_calendar(self._window)
        if to is None:
            return
        rows = self.rows
        task = Task(lambda _progress: write_calendar(rows, to), self)
        task.succeeded.connect(
            lambda count: self._notice.tell(
                say("{count} jobs with a day are in {name}.", count=count, name=to.name), calm=True
            )
        )
        task.failed.connect(self._notice.tell)
        task.start()

    def ask_for_picture(self) -> None:
        """Ask where what is shown is to be written, as a picture or as data."""
        from nervus.window.pictures.pictures_out import asked_where  # noqa: PLC0415 - seldom wanted: start-up

        opened = self._opened()
        to = asked_where(self._window, Path(opened.recording.name).stem) if opened is not None else None
        if to is not None:
            self.give_picture(to)

    def give_picture(self, to: Path) -> None:
        """Write what is shown into a file; of a view over travel the data are those of the whole."""
        from nervus.window.pictures.pictures_out import give_out  # noqa: PLC0415 - seldom wanted: start-up

        opened = self._opened()
        assert opened is not None  # noqa: S101 - asked for only with a recording
        recording, time_view, chart = opened.recording, self._panel.time_view, self._panel.chart
        shown = time_view.visible() if chart is time_view else (recording.start_s, recording.end_s)
        task = Task(lambda _progress: give_out(chart, recording, shown, to), self)
        task.failed.connect(self._notice.tell)
        task.succeeded.connect(
            lambda _: self._notice.tell(say("It is in {name}.", name=to.name), calm=True)
        )
        # A chart is painted in this thread alone, at once; its data may be millions of lines.
        if to.suffix.lower() == ".csv":
            task.start()
        else:
            task.run_here()
