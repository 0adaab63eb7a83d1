"""A guide on screen: one step at a time with its caution, and what was answered so far."""

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.errors import OutsideError
from nervus.domain.job import Guided, of_kind
from nervus.knowledge.guides import Answer, Guide, guides
from nervus.pins.guiding import begin_guide, next_step, step_answered
from nervus.window.job_part import JobPart
from nervus.window.station_page import quiet

_HINTS = {
    Answer.DONE: "Enter when it is done, with a remark or without",
    Answer.YES: "yes or no, then Enter",
    Answer.VALUE: "the value with its unit, then Enter",
}


class GuideDialog(QDialog):
    """Guides through one piece of work; every answer is kept in the job at once."""

    def __init__(self, part: JobPart, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._part = part
        self.setWindowTitle("Step by step")
        self.resize(720, 560)
        self.choice = QComboBox(self)
        self.choice.setAccessibleName("What is done")
        self.choice.setMinimumHeight(36)
        throttle = part.job.vehicle.throttle if part.job is not None else None
        for guide in guides():
            if throttle is None or guide.throttle is throttle:
                self.choice.addItem(guide.title, guide)
        self.text, self.caution = QLabel("", self), quiet("", self)
        self.text.setObjectName("headline")
        self.text.setWordWrap(True)
        self.caution.setObjectName("caution")
        self.line = QLineEdit(self)
        self.line.setMinimumHeight(44)
        self.line.setAccessibleName("The answer to the step, then Enter")
        self.line.returnPressed.connect(self._entered)
        self.wrong = quiet("", self)
        self.wrong.hide()
        self.so_far = QListWidget(self)
        self.so_far.setAccessibleName("What was done so far")
        leave = QPushButton("Close", self)
        leave.setAutoDefault(False)
        leave.clicked.connect(self.close)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(leave)
        column = QVBoxLayout(self)
        column.setSpacing(10)
        first = quiet("The maker's procedure and local rules come first.", self)
        for part_ in (self.choice, first, self.text, self.caution, self.wrong, self.line):
            column.addWidget(part_)
        column.addWidget(self.so_far, 1)
        column.addLayout(row)
        self.choice.activated.connect(lambda _row: self._show())
        self._show()

    @property
    def guide(self) -> Guide:
        """The one that is chosen."""
        chosen = self.choice.currentData()
        assert isinstance(chosen, Guide)  # noqa: S101 - all rows hold one
        return chosen

    @property
    def done_so_far(self) -> Guided:
        """What the job holds of it; a finished one is begun anew."""
        job = self._part.job
        held = of_kind(job.entries, Guided) if job is not None else ()
        last = next((g for g in reversed(held) if g.guide == self.guide.id), None)
        if last is None or next_step(self.guide, last) is None:
            return begin_guide(self.guide)
        return last

    def _show(self, done: Guided | None = None) -> None:
        done = done or self.done_so_far
        step = next_step(self.guide, done)
        self.wrong.hide()
        self.text.setText(
            step.text if step is not None else "All steps are done; it is kept in the job."
        )
        self.caution.setText(step.caution if step is not None else "")
        self.caution.setVisible(step is not None)
        self.line.setEnabled(step is not None)
        self.line.setPlaceholderText(_HINTS[step.answer] if step is not None else "")
        self.so_far.clear()
        for one in (*self.guide.step, *self.guide.detour):
            if one.id in done.done:
                self.so_far.addItem(f"{one.text}: {done.done[one.id]}")
        self.line.setFocus()

    def _entered(self) -> None:
        try:
            done = step_answered(self.guide, self.done_so_far, self.line.text())
        except OutsideError as wrong:
            self.wrong.setText(str(wrong))
            self.wrong.show()
            return
        self.line.clear()
        self._part.put(done)
        self._show(done)
