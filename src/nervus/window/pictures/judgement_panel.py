"""As it stands: who is suspected, why, and what to do next; readable from a metre away."""

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.suspect import SuspectId
from nervus.judge.words import STRETCH_NAMES, SUSPECT_NAMES, natural_frequency
from nervus.language import say
from nervus.window.theme import BRIGHT, Theme

if TYPE_CHECKING:
    from nervus.domain.analysis import Judgement, Step, StretchSuspicion

WIDTH = 322
_BARS, _LEAST_BAR = 4, 40.0
# A step of the ledger that moves a suspect by less than this (log10) is neither for nor against.
_WORTH_SAYING = 0.08
# So many lines of headline and reasons leave room for the next test and its caution; all reasons stand
# at the station Decide. A line holds about so many letters.
_LINES, _HEADLINE_LETTERS, _REASON_LETTERS = 7, 26, 36


class SuspectBars(QWidget):
    """A bar for each of the most suspected parts, the rest together as other."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme: Theme = BRIGHT
        self._rows: list[tuple[str, float]] = []
        self._mended = False
        self.setAccessibleName(say("Suspects"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(WIDTH - 32, 24 * max(1, len(self._rows)))

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.update()

    def show_judgement(self, judgement: "Judgement") -> None:
        """Show the suspects of a judgement."""
        self._mended = judgement.mended
        first = judgement.suspects[: _BARS - 1]
        rest = sum(s.probability for s in judgement.suspects[_BARS - 1 :])
        self._rows = [(SUSPECT_NAMES[s.id], s.probability) for s in first] + [(say("other"), rest)]
        self.setAccessibleDescription(
            ", ".join(f"{name} {natural_frequency(p)}" for name, p in self._rows)
        )
        self.updateGeometry()
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        if not self._rows:
            return
        painter = QPainter(self)
        font = QFont(self.font())
        font.setPixelSize(14)
        painter.setFont(font)
        height = 24.0
        metrics = painter.fontMetrics()
        says_width = max(metrics.horizontalAdvance(natural_frequency(p)) for _, p in self._rows) + 1.0
        names = max(metrics.horizontalAdvance(n) for n, _ in self._rows) + 12.0
        # The figure is never cut: where all do not fit, the name is.
        name_width = min(names, self.width() - says_width - _LEAST_BAR)
        bar = self.width() - name_width - says_width
        for row, (name, probability) in enumerate(self._rows):
            top = row * height
            middle = Qt.AlignmentFlag.AlignVCenter
            painter.setPen(self._theme.color("ink"))
            told = metrics.elidedText(name, Qt.TextElideMode.ElideRight, int(name_width) - 8)
            painter.drawText(QRectF(0, top, name_width, height), middle, told)
            painter.drawText(
                QRectF(name_width + bar, top, says_width, height),
                middle | Qt.AlignmentFlag.AlignRight,
                natural_frequency(probability),
            )
            place = QRectF(name_width, top + 7, bar - 10, 10)
            painter.fillRect(place, self._theme.color("soft"))
            suspect = row == 0 and name != SUSPECT_NAMES[SuspectId.NONE]
            token = ("proved" if self._mended else "inflamed") if suspect else "ink"
            place.setWidth((bar - 10) * probability)
            painter.fillRect(place, self._theme.color(token))
        painter.end()


class JudgementPanel(QWidget):
    """The column at the right."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("judgement")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(WIDTH)
        self._judgement: Judgement | None = None
        self._quiet = _label(say("As it stands"), "quiet")
        self.headline = _label("", "headline")
        self.bars = SuspectBars(self)
        self._because = _label("", "quiet")
        self._reasons = QVBoxLayout()
        self._reasons.setSpacing(4)
        self.back = QPushButton(say("Back to the whole"), self)
        self.back.clicked.connect(lambda: self.show_stretch(None))
        self._next_quiet = _label("", "quiet")
        self._next = QFrame(self)
        self._next.setObjectName("next")
        self._next_title, self._next_tells = _label("", "nextTitle"), _label("", "")
        self._caution = _label("", "quiet")
        self._lay_out()
        self.show_nothing()

    def _lay_out(self) -> None:
        box = QVBoxLayout(self._next)
        box.setContentsMargins(14, 10, 14, 12)
        box.setSpacing(4)
        box.addWidget(self._next_title)
        box.addWidget(self._next_tells)
        inner = QWidget(self)
        column = QVBoxLayout(inner)
        column.setContentsMargins(14, 14, 14, 12)
        column.setSpacing(5)
        above: tuple[QWidget, ...] = (self._quiet, self.headline, self.bars, self._because)
        below: tuple[QWidget, ...] = (self.back, self._next_quiet, self._next, self._caution)
        for widget in above:
            column.addWidget(widget)
        column.addLayout(self._reasons)
        for widget in below:
            column.addWidget(widget)
        column.addStretch(1)
        area = self._area = QScrollArea(self)
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidget(inner)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(area)

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.bars.apply_theme(theme)

    def show_nothing(self) -> None:
        """No recording is open."""
        self._judgement = None
        self.headline.setText(say("Nothing is judged yet."))
        for widget in (self.bars, self.back, self._next, self._next_quiet, self._caution):
            widget.hide()
        self._because.setText(say("What is told, seen and recorded is weighed here, as it comes in."))
        self._set_reasons([])

    def show_judgement(self, judgement: "Judgement") -> None:
        """Show a judgement, with the reasons for and against its first suspect."""
        self._judgement = judgement
        self.headline.setText(judgement.headline)
        self.bars.show_judgement(judgement)
        self.bars.show()
        self.show_stretch(None)
        test = judgement.next_test
        if test is not None:
            self._next_quiet.setText(say("Next, about {minutes} minutes", minutes=test.minutes))
            self._next_title.setText(test.title)
            self._next_tells.setText(f"{test.tells[0].upper()}{test.tells[1:]}.")
            self._caution.setText(test.caution)

    def show_stretch(self, stretch_id: str | None) -> None:
        """The reasons for one stretch of the way, or for the whole where it is `None`."""
        if self._judgement is None:
            return
        self.back.setVisible(stretch_id is not None)
        # Reasons for one stretch take the room of the next test, until one goes back to the whole.
        advised = stretch_id is None and self._judgement.next_test is not None
        for widget in (self._next, self._next_quiet, self._caution):
            widget.setVisible(advised)
        here = [s for s in self._judgement.stretches if s.stretch == stretch_id]
        if stretch_id is None:
            reasons = _as_many_as_fit(self._judgement)
            self._because.setText(
                say("Because") if reasons else say("Nothing so far weighs much for it or against it.")
            )
            self._set_reasons(reasons)
        elif not here:
            self._because.setText(say("At the {stretch_names}", stretch_names=STRETCH_NAMES[stretch_id]))
            self._set_reasons([("", say("no fault of this stretch is in the fault tree yet"))])
        else:
            self._because.setText(say("At the {stretch_names}", stretch_names=STRETCH_NAMES[stretch_id]))
            self._set_reasons(_reasons_of_stretch(self._judgement, here))

    def scrolls(self) -> bool:
        """Whether something stands below the edge."""
        bar = self._area.verticalScrollBar()
        return bar is not None and bar.maximum() > 0

    def reasons(self) -> list[str]:
        """The reasons that stand there now, each with its sign."""
        found = []
        for i in range(self._reasons.count()):
            item = self._reasons.itemAt(i)
            row = item.widget() if item is not None else None
            if row is not None:
                found.append(" ".join(label.text() for label in row.findChildren(QLabel)).strip())
        return found

    def _set_reasons(self, reasons: Sequence[tuple[str, str]]) -> None:
        while (item := self._reasons.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for sign, text in reasons:
            row = QWidget(self)
            line = QHBoxLayout(row)
            line.setContentsMargins(0, 0, 0, 0)
            line.setSpacing(8)
            mark = _label(sign, "")
            mark.setFixedWidth(12)
            mark.setAlignment(Qt.AlignmentFlag.AlignTop)
            line.addWidget(mark)
            line.addWidget(_label(text, ""), 1)
            self._reasons.addWidget(row)


def _label(text: str, name: str) -> QLabel:
    label = QLabel(text)
    label.setObjectName(name)
    label.setWordWrap(True)
    label.setTextFormat(Qt.TextFormat.PlainText)
    return label


def _as_many_as_fit(judgement: "Judgement") -> list[tuple[str, str]]:
    every = reasons_for(judgement)
    left = _LINES - math.ceil(len(judgement.headline) / _HEADLINE_LETTERS)
    fitting = 0
    for _sign, text in every:
        left -= math.ceil(len(text) / _REASON_LETTERS)
        if left < 0:
            break
        fitting += 1
    if len(every) - fitting < 2:
        return every
    return [*every[:fitting], ("", say("and {fitting} more, at Decide", fitting=len(every) - fitting))]


def reasons_for(judgement: "Judgement") -> list[tuple[str, str]]:
    """What speaks for and against the first suspect, each with its sign, the weightiest first."""
    return _reasons(judgement.ledger, judgement.suspects[0].id)


def _reasons(ledger: Sequence["Step"], suspect: SuspectId) -> list[tuple[str, str]]:
    """What speaks for and against a suspect, the weightiest first."""
    ordered = sorted(ledger, key=lambda step: -abs(step.weight[suspect]))
    return [
        ("+" if step.weight[suspect] > 0 else "−", step.observation)  # noqa: RUF001 - a true minus sign
        for step in ordered
        if abs(step.weight[suspect]) >= _WORTH_SAYING
    ]


def _reasons_of_stretch(judgement: "Judgement", here: list["StretchSuspicion"]) -> list[tuple[str, str]]:
    rows = [("", f"{s.fault}: {natural_frequency(s.probability)}") for s in here[:3]]
    return rows + _reasons(judgement.ledger, here[0].suspect)
