"""One line for what is done to the vehicle; a second change before a re-test gets a warning."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from nervus.domain.job import Change, Job, Source, new_id, now
from nervus.judge.timeline import second_change
from nervus.window.station_page import quiet

_WORDS = "what was moved, cleaned, unplugged, renewed or set … then Enter"


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
        self.line.setAccessibleName("What was done to the vehicle")
        self.line.setPlaceholderText(_WORDS)
        self.line.setMinimumHeight(36)
        self.warning = quiet("", self)
        self.warning.setObjectName("caution")
        self.write = QPushButton("Write it down", self)
        row = QHBoxLayout()
        row.addWidget(self.line, 1)
        row.addWidget(self.write)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.warning)
        column.addLayout(row)
        self.line.returnPressed.connect(self._write)
        self.write.clicked.connect(self._write)

    def show_job(self, job: Job) -> None:
        """Warn, or not, for this job as it stands."""
        self._job = job
        warning = second_change(job)
        self.warning.setText(warning)
        self.warning.setVisible(bool(warning))

    def _write(self) -> None:
        done = self.line.text().strip()
        if done and self._job is not None:
            self.line.clear()
            self.put.emit(Change(id=new_id(), at=now(), source=Source.SEEN, done=done))
