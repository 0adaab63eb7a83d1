"""Writing the report of a job: for whom, with which words, and under whose name."""

from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.job import Job
from nervus.knowledge.own_prices import OwnPrices
from nervus.language import say
from nervus.window.boxes import asked_for_photo, asked_for_report
from nervus.window.jobs.job_part import JobPart
from nervus.window.station_page import quiet
from nervus.window.tasks import Task

_AUDIENCES = (("customer", say("for the customer: one page")), ("file", say("for the file: everything")))


class ReportDialog(QDialog):
    """Asks what a report needs, writes it beside the interface, and says where it is."""

    def __init__(self, part: JobPart, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._part = part
        self.setWindowTitle(say("Report"))
        self.resize(640, 460)
        own = part.weigher.own
        self.audience = QComboBox(self)
        self.audience.setAccessibleName(say("Whom it is for"))
        for name, words in _AUDIENCES:
            self.audience.addItem(words, name)
        self.words = QPlainTextEdit(self)
        self.words.setAccessibleName(say("Words of your own"))
        self.words.setPlaceholderText(say("words of your own, put in as they are"))
        self.words.setTabChangesFocus(True)
        self.workshop, self.mark = QLineEdit(own.name, self), QLineEdit(own.mark, self)
        self.workshop.setAccessibleName(say("The workshop's name"))
        self.mark.setAccessibleName(say("A picture file with the workshop's mark"))
        choose = QPushButton(say("Choose …"), self)
        choose.setAutoDefault(False)
        choose.clicked.connect(self._choose_mark)
        mark = QHBoxLayout()
        mark.addWidget(self.mark, 1)
        mark.addWidget(choose)
        form = QFormLayout()
        form.addRow(say("Whom it is for"), self.audience)
        form.addRow(say("Your words"), self.words)
        form.addRow(say("Workshop"), self.workshop)
        form.addRow(say("Its mark"), mark)
        for widget in (self.audience, self.workshop, self.mark):
            widget.setMinimumHeight(36)
        self.told = quiet(say("Name and mark are kept for the next report."), self)
        self.write = QPushButton(say("Write it …"), self)
        self.write.setDefault(True)
        self.write.clicked.connect(self._ask)
        leave = QPushButton(say("Close"), self)
        leave.setAutoDefault(False)
        leave.clicked.connect(self.close)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(self.write)
        row.addWidget(leave)
        column = QVBoxLayout(self)
        column.setSpacing(10)
        column.addLayout(form, 1)
        column.addWidget(self.told)
        column.addLayout(row)

    def _choose_mark(self) -> None:
        path = asked_for_photo(self)
        if path is not None:
            self.mark.setText(str(path))

    def _ask(self) -> None:
        job = self._part.job
        to = asked_for_report(self, job.vehicle.name) if job is not None else None
        if job is not None and to is not None:
            self.write_to(job, to)

    def write_to(self, job: Job, to: Path) -> None:
        """Write the report into a file that was agreed to."""
        own = self._own()
        words, audience = self.words.toPlainText(), self.audience.currentData()
        files = self._part.files
        self.write.setEnabled(False)
        self.told.setText(say("Writing {name} …", name=to.name))

        def work(_progress: object) -> tuple[str, ...]:
            from nervus.link.reading import kept_recording  # noqa: PLC0415 - loads pandas
            from nervus.report.document import Audience  # noqa: PLC0415 - seldom wanted: start-up
            from nervus.report.written import make_report, write_report  # noqa: PLC0415 - as above

            report = make_report(
                job, lambda name: files / name, kept_recording, Audience(audience), own, words
            )
            write_report(report, to)
            return report.not_shown

        task = Task(work, self)
        task.succeeded.connect(lambda missing: self._written(to, missing))
        task.failed.connect(self._not_written)
        task.start()

    def _own(self) -> OwnPrices:
        """Name and mark as they stand now, kept where they are new."""
        before = self._part.weigher.own
        own = replace(before, name=self.workshop.text().strip()[:200], mark=self.mark.text().strip())
        if own != before:
            self._part.weigher.keep_prices(own)
        return own

    def _written(self, to: Path, missing: tuple[str, ...]) -> None:
        self.write.setEnabled(True)
        self.told.setText(" ".join((say("The report is in {to}.", to=to), *missing)))

    def _not_written(self, sentence: str) -> None:
        self.write.setEnabled(True)
        self.told.setText(sentence)
