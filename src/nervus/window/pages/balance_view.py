"""The ledger as a balance: what speaks for a suspect weighs to the right, what speaks against, left."""

import math
from bisect import bisect_right
from collections.abc import Sequence

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QFont,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from nervus.domain.judgement import LedgerLine
from nervus.domain.suspect import SuspectId
from nervus.judge.words import SUSPECT_NAMES
from nervus.language import figures, say
from nervus.window.theme import BRIGHT, Theme

_ROW, _TALL_ROW, _TOP, _TEXT_SHARE = 28, 44, 28, 0.52
_BELOW = 6
# Less than this is neither for nor against; a bar is as long as it can be at this many times.
_LEAST, _MOST = 1.06, 1000.0
_NUMBER_WIDTH = 64


def times_in_words(value: float) -> str:
    """A factor as people say it: so many times as likely, or a part of it."""
    if value >= 1.0:
        return (
            figures("{value:.0f} ×", value=value)  # noqa: RUF001 - a true sign
            if value >= 9.95
            else figures("{value:.1f} ×", value=value)  # noqa: RUF001 - a true sign
        )
    return (
        figures("÷ {value:.0f}", value=1.0 / value)
        if value <= 1.0 / 9.95
        else figures("÷ {value:.1f}", value=1.0 / value)
    )


class BalanceView(QWidget):
    """The drawing; arrows walk from row to row.

    Signals:
        chosen: a line of the ledger.
    """

    chosen = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme: Theme = BRIGHT
        self._lines: list[LedgerLine] = []
        self._suspect = SuspectId.SENSOR
        self._row = -1
        self.setAccessibleName(say("What speaks for and against"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(400, self._tops()[-1] + _BELOW)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.update()

    def show_ledger(self, ledger: Sequence[LedgerLine], suspect: SuspectId) -> None:
        """Show all lines as they weigh on one suspect, the weightiest first."""
        self._suspect = suspect
        self._lines = sorted(ledger, key=lambda line: -abs(math.log(line.times_as_likely[suspect])))
        self._row = min(self._row, len(self._lines) - 1)
        self.setAccessibleDescription("; ".join(self.rows()))
        self._fit()
        self.update()

    def rows(self) -> list[str]:
        """Every row in words."""
        return [
            f"{times_in_words(line.times_as_likely[self._suspect])} {line.text}" for line in self._lines
        ]

    def _tops(self) -> list[int]:
        """Where each row begins, and where the last ends; a long text has two lines."""
        font = QFont(self.font())
        font.setPixelSize(14)
        metrics, width = QFontMetrics(font), self.width() * _TEXT_SHARE - 12
        tops = [_TOP]
        for line in self._lines:
            tops.append(tops[-1] + (_TALL_ROW if metrics.horizontalAdvance(line.text) > width else _ROW))
        return tops

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """As high as its rows are at this width."""
        height = self._tops()[-1] + _BELOW
        if height != self.minimumHeight():
            self.setFixedHeight(height)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        text_width = self.width() * _TEXT_SHARE
        middle = text_width + (self.width() - text_width) / 2.0
        half = max(10.0, (self.width() - text_width) / 2.0 - _NUMBER_WIDTH)
        self._paint_head(painter, middle)
        painter.setPen(QPen(self._theme.color("line"), 1))
        painter.drawLine(round(middle), _TOP, round(middle), self.height())
        tops = self._tops()
        for number, line in enumerate(self._lines):
            place = QRectF(0, tops[number], self.width(), tops[number + 1] - tops[number])
            self._paint_row(painter, place, line, middle, half, focused=number == self._row)
        painter.end()

    def _paint_head(self, painter: QPainter, middle: float) -> None:
        font = QFont(self.font())
        font.setPixelSize(12)
        painter.setFont(font)
        painter.setPen(self._theme.color("muted"))
        name = SUSPECT_NAMES[self._suspect]
        left = QRectF(self.width() * _TEXT_SHARE, 4, middle - self.width() * _TEXT_SHARE - 8, 20)
        painter.drawText(left, Qt.AlignmentFlag.AlignRight, say("less likely"))
        painter.drawText(
            QRectF(middle + 8, 4, self.width() - middle - 8, 20),
            Qt.AlignmentFlag.AlignLeft,
            say("{name}: more likely", name=name),
        )

    def _paint_row(
        self,
        painter: QPainter,
        place: QRectF,
        line: LedgerLine,
        middle: float,
        half: float,
        *,
        focused: bool,
    ) -> None:
        theme, text_width = self._theme, self.width() * _TEXT_SHARE
        if focused and self.hasFocus():
            painter.fillRect(place, theme.color("soft"))
        times = line.times_as_likely[self._suspect]
        says = max(times, 1.0 / times) >= _LEAST
        font = QFont(self.font())
        font.setPixelSize(14)
        font.setBold(line.turns)
        painter.setFont(font)
        painter.setPen(theme.color("ink" if says else "muted"))
        wrap = Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap
        painter.drawText(QRectF(0, place.top(), text_width - 8, place.height()), wrap, line.text)
        length = half * min(1.0, abs(math.log(times)) / math.log(_MOST))
        left = middle if times >= 1.0 else middle - length
        bar = QRectF(left, place.center().y() - 7, length, 14)
        if says:
            painter.fillRect(bar, theme.color("inflamed" if times >= 1.0 else "action"))
            if line.turns:
                painter.setPen(QPen(theme.color("ink"), 2))
                painter.drawRect(bar)
        font.setBold(False)
        font.setPixelSize(13)
        painter.setFont(font)
        painter.setPen(theme.color("ink"))
        words = times_in_words(times) if says else say("says nothing")
        if times >= 1.0:
            beside = QRectF(bar.right() + 6, place.top(), 110, place.height())
            side = Qt.AlignmentFlag.AlignLeft
        else:
            beside = QRectF(bar.left() - 116, place.top(), 110, place.height())
            side = Qt.AlignmentFlag.AlignRight
        painter.drawText(beside, Qt.AlignmentFlag.AlignVCenter | side, words)

    # -- walking ---------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._go(bisect_right(self._tops(), int(event.position().y())) - 1)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = (
            {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if event is not None
            else None
        )
        if step is None:
            super().keyPressEvent(event)
        else:
            self._go(self._row + step)

    def _go(self, row: int) -> None:
        if 0 <= row < len(self._lines):
            self._row = row
            self.chosen.emit(self._lines[row])
            self.update()
