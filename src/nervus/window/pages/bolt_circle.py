"""The order in which bolts are drawn, for any number of them, as a picture."""

from itertools import pairwise

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFont, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QSpinBox, QVBoxLayout, QWidget

from nervus.language import say
from nervus.mend.tightening import FEWEST, MOST, crosswise, in_units, places, rounds
from nervus.window.station_page import quiet
from nervus.window.theme import BRIGHT, Theme

_SIDE = 190
_BOLT = 15.0


class BoltCircle(QWidget):
    """Bolts on a circle, each with its turn in the order; the number can be changed."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.count = QSpinBox(self)
        self.count.setRange(FEWEST, MOST)
        self.count.setValue(4)
        self.count.setSuffix(say(" bolts"))
        self.count.setMinimumHeight(36)
        self.count.setAccessibleName(say("How many bolts"))
        self.told = quiet("", self)
        self._picture = _Circle(self)
        right = QVBoxLayout()
        right.addWidget(QLabel(say("In this order, a little at a time:"), self))
        right.addWidget(self.count)
        right.addWidget(self.told)
        right.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self._picture)
        row.addLayout(right, 1)
        self.count.valueChanged.connect(self._picture.show_count)
        self._picture.show_count(self.count.value())

    def show_torques(self, nm: tuple[float, ...]) -> None:
        """The usual torques in each unit, and the rounds that lead there."""
        lines = [
            say(
                "{in_units}, in rounds of {join} N·m",
                in_units=in_units(value),
                join=", ".join(f"{r:g}" for r in rounds(value)),
            )
            for value in nm
        ]
        self.told.setText("\n".join(lines) or say("Nothing is stated: snug, the same in each round."))

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._picture.theme = theme
        self._picture.update()


class _Circle(QWidget):
    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.theme: Theme = BRIGHT
        self._count = 4
        self.setFixedSize(_SIDE, _SIDE)
        self.setAccessibleName(say("Order of the bolts"))

    def show_count(self, count: int) -> None:
        """Draw so many bolts."""
        self._count = count
        order = ", ".join(str(bolt + 1) for bolt in crosswise(count))
        self.setAccessibleDescription(
            say("Bolts numbered clockwise from the top, in the order {order}", order=order)
        )
        self.setToolTip(say("Clockwise from the top: {order}", order=order))
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, radius = _SIDE / 2.0, _SIDE / 2.0 - _BOLT - 4.0
        painter.setPen(self.theme.pen("line", 1.0))
        painter.drawEllipse(QPointF(middle, middle), radius, radius)
        spots = [QPointF(middle + x * radius, middle + y * radius) for x, y in places(self._count)]
        order = crosswise(self._count)
        painter.setPen(self.theme.pen("muted", 1.0, Qt.PenStyle.DashLine))
        for one, other in pairwise(order):
            painter.drawLine(spots[one], spots[other])
        font = QFont(self.font())
        font.setPixelSize(14)
        font.setBold(True)
        painter.setFont(font)
        for turn, bolt in enumerate(order, start=1):
            spot = spots[bolt]
            painter.setPen(self.theme.pen("ink", 1.5))
            painter.setBrush(self.theme.color("action" if turn == 1 else "surface"))
            painter.drawEllipse(spot, _BOLT, _BOLT)
            painter.setPen(self.theme.color("on_action" if turn == 1 else "ink"))
            box = QRectF(spot.x() - _BOLT, spot.y() - _BOLT, 2 * _BOLT, 2 * _BOLT)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(turn))
