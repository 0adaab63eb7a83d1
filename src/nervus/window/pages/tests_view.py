"""Tests that are left, the best first, and what each may show; outcomes can be tried beforehand."""

from collections.abc import Sequence

from PyQt6.QtCore import QRect, QRectF, QSignalBlocker, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QPainter, QPaintEvent, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QListView,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.judgement import PossibleOutcome, RankedTest
from nervus.judge.words import SUSPECT_NAMES, natural_frequency
from nervus.language import say
from nervus.window.station_page import quiet, scrolled
from nervus.window.theme import BRIGHT, Theme

_STATION_NAMES = {
    "look": say("Look"),
    "record": say("Record"),
    "pins": say("Pins"),
    "codes": say("Codes"),
}
_ITEM_MARGIN = 36


class OutcomeButton(QPushButton):
    """An outcome: its words, how probable it is as a bar, and who would be suspected then."""

    def __init__(self, outcome: PossibleOutcome, parent: QWidget) -> None:
        super().__init__("", parent)
        self.outcome = outcome
        self._theme: Theme = BRIGHT
        first = max(outcome.suspects.items(), key=lambda row: row[1])
        self.then = say(
            "then {suspect_names}: {natural_frequency}",
            suspect_names=SUSPECT_NAMES[first[0]],
            natural_frequency=natural_frequency(first[1]),
        )
        self.chance = natural_frequency(outcome.probability)
        self.setCheckable(True)
        self.setObjectName("choice")
        self.setAccessibleName(say("What if: {text}", text=outcome.text))
        self.setAccessibleDescription(f"{self.chance}; {self.then}")
        self.setToolTip(
            say(
                "What if: {text} ({chance}); {then}",
                text=outcome.text,
                chance=self.chance,
                then=self.then,
            )
        )
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(300, 56)

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        font = QFont(self.font())
        font.setPixelSize(14)
        painter.setFont(font)
        ink = self._theme.color("surface" if self.isChecked() else "ink")
        muted = ink if self.isChecked() else self._theme.color("muted")
        painter.setPen(ink)
        width = self.width() - 24
        shown = painter.fontMetrics().elidedText(self.outcome.text, Qt.TextElideMode.ElideRight, width)
        painter.drawText(QRectF(12, 5, width, 22), Qt.AlignmentFlag.AlignVCenter, shown)
        font.setPixelSize(12)
        painter.setFont(font)
        painter.setPen(muted)
        place = QRectF(12, 28, width, 18)
        painter.drawText(place, Qt.AlignmentFlag.AlignLeft, self.chance)
        painter.drawText(place, Qt.AlignmentFlag.AlignRight, self.then)
        track = QRectF(12, self.height() - 9, width, 4)
        painter.fillRect(track, self._theme.color("line"))
        track.setWidth(width * self.outcome.probability)
        painter.fillRect(track, muted)
        painter.end()


class TestsView(QWidget):
    """The list at the left, the chosen test at the right.

    Signals:
        tried: a test and one of its outcomes to look at, or two `None` to go back to how it stands.
        begun: a test is to be begun at its station.
    """

    __test__ = False  # for pytest: a class of the product whose name begins so

    tried = pyqtSignal(object, object)
    begun = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme: Theme = BRIGHT
        self._tests: list[RankedTest] = []
        self.list = QListWidget(self)
        self.list.setAccessibleName(say("Tests that are left, the best first"))
        self.list.setWordWrap(True)
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(self._show)
        self.how, self.caution = quiet("", self), quiet("", self)
        self.caution.setObjectName("caution")
        self.numbers = quiet("", self)
        self.begin = QPushButton(say("Begin it"), self)
        self.begin.clicked.connect(self._begin)
        self.outcomes: list[OutcomeButton] = []
        inner = QWidget(self)
        self._column = QVBoxLayout(inner)
        self._column.setContentsMargins(10, 0, 4, 0)
        self._column.setSpacing(6)
        for widget in (self.how, self.numbers, self.caution):
            self._column.addWidget(widget)
        self._boxes = QVBoxLayout()
        self._boxes.setSpacing(6)
        self._what = quiet(
            say("Choose an outcome to see what it would mean; nothing of that is kept."), self
        )
        self._column.addWidget(self._what)
        self._column.addLayout(self._boxes)
        self._column.addWidget(self.begin, 0, Qt.AlignmentFlag.AlignLeft)
        self._column.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.list, 5)
        row.addWidget(scrolled(inner, self), 6)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Every test as high as its words are at the width that the list has."""
        view = self.list.viewport()
        width = max(120, (view.width() if view is not None else 0) - _ITEM_MARGIN)
        wrap = int(Qt.TextFlag.TextWordWrap)
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item is not None:
                box = self.list.fontMetrics().boundingRect(QRect(0, 0, width, 400), wrap, item.text())
                item.setSizeHint(QSize(width, box.height() + _ITEM_MARGIN // 2))

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        for button in self.outcomes:
            button.apply_theme(theme)

    def choose_best(self) -> None:
        """Choose the first of them."""
        self.list.setCurrentRow(0 if self._tests else -1)

    def show_tests(self, tests: Sequence[RankedTest]) -> None:
        """Show these; the one that is chosen stays chosen."""
        row = self.list.currentRow()
        chosen = self._tests[row].id if 0 <= row < len(self._tests) else ""
        self._tests = list(tests)
        silent = QSignalBlocker(self.list)
        self.list.clear()
        for test in self._tests:
            saves = say(", saves {saving:.0f}", saving=test.saving) if test.saving >= 1.0 else ""
            worth = say(
                "{minutes:.0f} min · {information_bits:.2f} bits{saves}",
                minutes=test.minutes,
                information_bits=test.information_bits,
                saves=saves,
            )
            item = QListWidgetItem(f"{test.text}\n{worth}", self.list)
            item.setToolTip(test.how)
        silent.unblock()
        self._fit()
        ids = [test.id for test in self._tests]
        self.list.setCurrentRow(ids.index(chosen) if chosen in ids else 0)
        self._show(self.list.currentRow())

    def back(self) -> None:
        """Let no outcome be chosen any more."""
        for button in self.outcomes:
            button.setChecked(False)

    def _show(self, row: int) -> None:
        for button in self.outcomes:
            self._boxes.removeWidget(button)
            button.hide()
            button.deleteLater()
        self.outcomes = []
        some = 0 <= row < len(self._tests)
        for widget in (self.begin, self.caution, self._what):
            widget.setVisible(some)
        if not some:
            self.how.setText(say("No test is left that would tell anything."))
            self.numbers.setText("")
            return
        test = self._tests[row]
        self.how.setText(test.how)
        self.numbers.setText(_in_words(test))
        self.caution.setText(test.caution)
        self.begin.setText(
            say("Begin it at {get}", get=_STATION_NAMES.get(test.station, test.station.capitalize()))
        )
        for outcome in test.outcomes:
            button = OutcomeButton(outcome, self)
            button.apply_theme(self._theme)
            button.clicked.connect(lambda _on, b=button: self._try(b))
            self._boxes.addWidget(button)
            self.outcomes.append(button)
        self.tried.emit(None, None)

    def _try(self, chosen: OutcomeButton) -> None:
        on = chosen.isChecked()
        for button in self.outcomes:
            button.setChecked(on and button is chosen)
        test = self._tests[self.list.currentRow()]
        self.tried.emit(test if on else None, chosen.outcome if on else None)

    def _begin(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self._tests):
            self.begun.emit(self._tests[row])


def _in_words(test: RankedTest) -> str:
    worth = (
        say("worth it: saves {saving:.0f} on average, its own cost paid", saving=test.saving)
        if test.saving >= 1.0
        else say("costs more on average than it saves")
    )
    return say(
        "{minutes:.0f} minutes, tells {information_bits:.2f} bits of who it is; {worth}.",
        minutes=test.minutes,
        information_bits=test.information_bits,
        worth=worth,
    )
