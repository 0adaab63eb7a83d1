"""Before over after: each finding asked for again, numbers with their uncertainty, the pictures."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.job import UNFINISHED, Job, Recorded, of_kind
from nervus.judge.timeline import before_and_after, last_change
from nervus.language import figures, say
from nervus.proof.differences import Difference, readings_again
from nervus.window.jobs.kept_file import kept_file
from nervus.window.station_page import quiet
from nervus.window.tasks import Task

if TYPE_CHECKING:
    from nervus.window.jobs.comparing import Beside

_ASKED = (say("Found before"), say("Now"), say("Why"))
_NUMBERS = (say("What"), say("Before"), say("After"), say("Difference"), "")


# At first a column is so wide, times its share; the last one takes what is left.
_SHARE_PX = 56


class CompareView(QWidget):
    """Two recordings of the job against each other.

    Signals:
        shown: two recordings are to be laid over each other: identifiers of after and before, and what
            was opened.
    """

    shown = pyqtSignal(str, str, object)

    def __init__(self, files: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._files = files
        self._job: Job | None = None
        self._beside: Beside | None = None
        self._task: Task | None = None
        self._of: tuple[str, str] = ("", "")
        self._result: object = None
        self._measured: tuple[Difference, ...] = ()
        self._recorded: tuple[Difference, ...] = ()
        self.before, self.after = QComboBox(self), QComboBox(self)
        self.before.setAccessibleName(say("The recording of before"))
        self.after.setAccessibleName(say("The recording of after"))
        self.lay = QPushButton(say("Lay them over each other"), self)
        self.lay.clicked.connect(self._lay)
        self.state = quiet("", self)
        self.asked = _table(_ASKED, say("Each finding of before, asked for again"), (5, 2, 5), self)
        self.numbers = _table(_NUMBERS, say("Numbers before and after"), (4, 2, 2, 3, 2), self)
        row = QHBoxLayout()
        for words, box in ((say("before"), self.before), (say("after"), self.after)):
            box.setMinimumHeight(36)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(14)
            box.activated.connect(lambda _row: self._compare())
            row.addWidget(QLabel(words, self))
            row.addWidget(box, 1)
        row.addWidget(self.lay)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(row)
        column.addWidget(self.state)
        column.addWidget(self.asked, 1)
        column.addWidget(self.numbers, 1)

    def show_job(self, job: Job) -> None:
        """Offer the recordings of a job; compare when the page is in sight."""
        if self._job is None or self._job.id != job.id:
            self._of, self._result = ("", ""), None
        self._job = job
        ready = [r for r in of_kind(job.entries, Recorded) if r.digest != UNFINISHED]
        before, after = before_and_after(job)
        for box, usual in ((self.before, before), (self.after, after)):
            chosen = box.currentData()
            if chosen not in {r.id for r in ready}:
                chosen = usual.id if usual is not None else ""
            box.clear()
            for recorded in ready:
                box.addItem(
                    recorded.name + figures(" · {at:%d %b %H:%M}", at=recorded.at.astimezone()),
                    recorded.id,
                )
            box.setCurrentIndex(box.findData(chosen))
        change = last_change(job)
        self._measured = readings_again(job, change) if change is not None else ()
        self._show_numbers()
        if self.isVisible():
            self.compare()

    def compare(self) -> None:
        """Compare what is chosen, unless that was done already."""
        if (self.before.currentData() or "", self.after.currentData() or "") != self._of:
            self._compare()

    def make_ready(self) -> None:
        """It may be wanted soon, and the process for long recordings takes a while to start."""
        job = self._job
        both = before_and_after(job) if job is not None else (None, None)
        if both[0] is not None and both[1] is not None:
            self._ready_beside().make_ready(*(self._files / r.file for r in both if r is not None))

    def _ready_beside(self) -> "Beside":
        if self._beside is None:
            from nervus.window.jobs.comparing import Beside  # noqa: PLC0415 - when first wanted

            self._beside = Beside()
            self.destroyed.connect(self._beside.close)
        return self._beside

    def _compare(self) -> None:
        chosen = (self.before.currentData() or "", self.after.currentData() or "")
        self._of = chosen
        self.asked.setRowCount(0)
        self._recorded, self._result = (), None
        self._show_numbers()
        both = [self._recorded_entry(name) for name in chosen]
        first, second = both
        ready = first is not None and second is not None and first.id != second.id
        self.lay.setEnabled(False)
        if first is None or second is None or not ready:
            self.state.setText(
                say(
                    "Record the same sweep again after the repair, then choose it here: what was "
                    "found before is asked for again."
                )
            )
            return
        self.state.setText(say("Reading both …"))
        files, beside = self._files, self._ready_beside()
        assert self._job is not None  # noqa: S101 - whose recordings these are
        one, other = (kept_file(files, r, self._job) for r in (first, second))
        task = Task(lambda progress: beside.open_both(one, other, progress), self)
        task.succeeded.connect(lambda result: self._show(chosen, result))
        task.failed.connect(self.state.setText)
        if self._task is not None:
            self._task.stop()
        self._task = task
        task.start()

    def _show(self, chosen: tuple[str, str], result: object) -> None:
        from nervus.window.jobs.comparing import BeforeAfter  # noqa: PLC0415 - as above

        if chosen != self._of or not isinstance(result, BeforeAfter):
            return
        rows = [(a.finding, str(a.outcome), a.why) for a in result.asked]
        _fill(self.asked, rows)
        self._recorded, self._result = result.numbers, result
        self.lay.setEnabled(True)
        self._show_numbers()
        self.state.setText(
            say("Nothing was found, neither before nor after.") if not rows else
            say("What is told as gone would come by chance in less than 5 of 100.")
        )  # fmt: skip

    def _show_numbers(self) -> None:
        rows = [d.cells for d in (*self._recorded, *self._measured)]
        _fill(self.numbers, rows)
        self.numbers.setVisible(bool(rows))

    def _recorded_entry(self, name: str) -> Recorded | None:
        entries = of_kind(self._job.entries, Recorded) if self._job is not None else ()
        return next((r for r in entries if r.id == name), None)

    def _lay(self) -> None:
        before, after = self._of
        self.shown.emit(after, before, self._result)


def _table(head: tuple[str, ...], name: str, shares: tuple[int, ...], parent: QWidget) -> QTableWidget:
    table = QTableWidget(0, len(head), parent)
    table.setHorizontalHeaderLabels(head)
    table.setAccessibleName(name)
    table.setObjectName("roomy")
    table.setWordWrap(True)
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    rows, columns = table.verticalHeader(), table.horizontalHeader()
    if rows is not None and columns is not None:
        rows.hide()
        rows.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        columns.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        for section, share in enumerate(shares):
            columns.setSectionResizeMode(section, QHeaderView.ResizeMode.Interactive)
            columns.resizeSection(section, _SHARE_PX * share)
        columns.setStretchLastSection(True)
        columns.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
    return table


def _fill(table: QTableWidget, rows: Sequence[tuple[str, ...]]) -> None:
    table.setRowCount(len(rows))
    for number, row in enumerate(rows):
        for column, text in enumerate(row):
            item = QTableWidgetItem(text)
            item.setToolTip(text)
            table.setItem(number, column, item)
