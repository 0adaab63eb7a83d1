"""One line for what is done to the vehicle; a second change before a re-test gets a warning."""

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from nervus.domain.job import Change, Job, Source, new_id, now
from nervus.judge.timeline import second_change
from nervus.language import say
from nervus.window.station_page import quiet
from nervus.window.tasks import Task

_WORDS = say("what was moved, cleaned, unplugged, renewed or set … then Enter")
# After the last stroke so long passes before it is computed what a second change would cost.
_PAUSE_MS = 250


class ChangeLine(QWidget):
    """Writes changes.

    Signals:
        put: the change that was written.
    """

    put = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._job: Job | None = None
        self.line = QLineEdit(self)
        self.line.setAccessibleName(say("What was done to the vehicle"))
        self.line.setPlaceholderText(_WORDS)
        self.line.setMinimumHeight(36)
        self.warning = quiet("", self)
        self.warning.setObjectName("caution")
        self.write = QPushButton(say("Write it down"), self)
        row = QHBoxLayout()
        row.addWidget(self.line, 1)
        row.addWidget(self.write)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.warning)
        column.addLayout(row)
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(_PAUSE_MS)
        self._pause.timeout.connect(self._compute)
        self.line.textEdited.connect(lambda _text: self._pause.start())
        self.line.returnPressed.connect(self._write)
        self.write.clicked.connect(self._write)

    def show_job(self, job: Job) -> None:
        """Warn, or not, for this job as it stands."""
        self._job = job
        self._warn(second_change(job))

    def _warn(self, warning: str) -> None:
        self.warning.setText(warning)
        self.warning.setVisible(bool(warning))

    def _compute(self) -> None:
        """What it would cost to make this change too before the last one was tested."""
        job, words = self._job, self.line.text().strip()
        if job is None or not words or not second_change(job):
            return
        from nervus.mend.one_at_a_time import Loss, loss_of_second  # noqa: PLC0415 - in the background

        def tell(loss: Loss | None) -> None:
            if loss is not None and self._job is job and self.line.text().strip() == words:
                self._warn(loss.text)

        task = Task(lambda _progress: loss_of_second(job, words), self)
        task.succeeded.connect(tell)
        task.start()

    def _write(self) -> None:
        done = self.line.text().strip()
        if done and self._job is not None:
            self.line.clear()
            self.put.emit(Change(id=new_id(), at=now(), source=Source.SEEN, done=done))
