"""The station Record: which recordings the job holds, the findings, and the picture or what is live."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from nervus.domain.job import Job, Recorded, of_kind
from nervus.language import figures, say
from nervus.window.pictures.findings_list import FindingsList
from nervus.window.pictures.recording_panel import RecordingPanel

ANOTHER = "another"
"""Wanted below: one that is to be asked for."""
ELSEWHERE = "elsewhere"
"""Below lies one of another job, or a file."""


class RecordPage(QWidget):
    """Findings at the left, the picture at the right.

    Signals:
        wanted: the identifier of a recording of the job that is to be opened.
        under_wanted: the identifier of a recording to lay below the one that is open, "" for none.
        keep_wanted: a job is to be begun with the recording that is open.
    """

    wanted = pyqtSignal(str)
    under_wanted = pyqtSignal(str)
    keep_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._job: Job | None = None
        self._is_open = False
        self.shown = ""
        """The identifier of the recording of the job that is open, "" for none of it."""
        self.findings, self.panel = FindingsList(), RecordingPanel()
        self.middle = QStackedWidget(self)
        self.middle.addWidget(self.panel)
        self.recordings = QComboBox(self)
        self.recordings.setMinimumHeight(36)
        self.recordings.setAccessibleName(say("Recordings of this job"))
        self.recordings.activated.connect(lambda _row: self.wanted.emit(self.recordings.currentData()))
        self.under = QComboBox(self)
        self.under.setMinimumHeight(36)
        self.under.setAccessibleName(say("The recording that is laid below this one"))
        self.under.activated.connect(lambda _row: self.under_wanted.emit(self.under.currentData()))
        self.keep = QPushButton(say("Begin a job with this recording"), self)
        self.keep.clicked.connect(self.keep_wanted)
        self.top = QWidget(self)
        top = QHBoxLayout(self.top)
        top.setContentsMargins(16, 8, 16, 0)
        top.setSpacing(8)
        top.addWidget(self.recordings, 1)
        top.addWidget(self.under, 1)
        top.addWidget(self.keep)
        right = QVBoxLayout()
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(0)
        right.addWidget(self.top)
        right.addWidget(self.middle, 1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.findings)
        row.addLayout(right, 1)
        self.show_job(None)
        self.show_open("", can_keep=False)

    def show_job(self, job: Job | None) -> None:
        """Offer the recordings of a job."""
        self._job = job
        chosen = self.shown or self.recordings.currentData()
        self.recordings.clear()
        for found in self._all():
            text = figures(
                "{name} · {duration_s:.0f} s · {astimezone:%d %b %Y %H:%M}",
                name=found.name,
                duration_s=found.duration_s,
                astimezone=found.at.astimezone(),
            )
            self.recordings.addItem(text, found.id)
        self.recordings.setCurrentIndex(max(0, self.recordings.findData(chosen)))
        self.recordings.setVisible(self.recordings.count() > 1)
        self._offer_under(self.shown)

    def show_open(self, recording_id: str, *, can_keep: bool, is_open: bool = False) -> None:
        """Which recording of the job is open, whether it could become a job, whether any is open."""
        self.shown = recording_id
        self._is_open = is_open
        if recording_id:
            self.recordings.setCurrentIndex(self.recordings.findData(recording_id))
        self._offer_under(recording_id)
        self.keep.setVisible(can_keep)

    def _offer_under(self, shown: str) -> None:
        """Any other recording of the job can be laid below the one that is shown."""
        self.under.clear()
        self.under.addItem(say("nothing below it"), "")
        for found in self._all():
            if found.id != shown:
                self.under.addItem(say("below it: {name}", name=found.name), found.id)
        self.under.addItem(say("below it: another …"), ANOTHER)
        self.under.setVisible(self._is_open)

    def show_under(self, recording_id: str) -> None:
        """Which recording lies below now."""
        self._forget_elsewhere()
        self.under.setCurrentIndex(max(0, self.under.findData(recording_id)))

    def show_under_named(self, name: str) -> None:
        """One of another job, or a file, lies below now."""
        self._forget_elsewhere()
        self.under.insertItem(1, say("below it: {name}", name=name), ELSEWHERE)
        self.under.setCurrentIndex(1)

    def _forget_elsewhere(self) -> None:
        at = self.under.findData(ELSEWHERE)
        if at >= 0:
            self.under.removeItem(at)

    @property
    def newest(self) -> str | None:
        """The recording that was made last."""
        every = self._all()
        return every[-1].id if every else None

    def recorded(self, recording_id: str) -> Recorded | None:
        """A recording of the job."""
        return next((r for r in self._all() if r.id == recording_id), None)

    def _all(self) -> tuple[Recorded, ...]:
        return of_kind(self._job.entries, Recorded) if self._job is not None else ()
