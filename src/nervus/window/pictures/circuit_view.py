"""The circuit's explanation of a finding: a small drawing with the values at each node."""

from typing import TYPE_CHECKING, Final

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from nervus.language import figures, say
from nervus.window.theme import BRIGHT, Theme

if TYPE_CHECKING:
    from nervus.domain.analysis import CircuitExplanation, NodeReading

_WIDTH, _HEIGHT, _ROW, _MARGIN = 228, 206, 19, 4
# The drawing: rails, plug and unit, and where each track stands.
_TOP, _BOTTOM, _LEFT, _PLUG, _UNIT = 14.0, 92.0, 14.0, 124.0, 214.0
_TRACK_X: Final = {1: 34.0, 2: 82.0}
_TAPS: Final = {1: 42.0, 2: 64.0}
_TABLE, _COLUMNS = 108.0, (118.0, 174.0, 228.0)
_NAMES: Final = {
    "supply": say("supply"),
    "return": say("ground"),
    "signal1": say("signal 1"),
    "signal2": say("signal 2"),
}


class CircuitView(QWidget):
    """Which breaks or shorts would read like a finding, where they sit, and what each node reads."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._drawing = _Drawing(self)
        self._text = QLabel("", self)
        self._text.setObjectName("quiet")
        self._text.setWordWrap(True)
        policy = self._text.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self._text.setSizePolicy(policy)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, _MARGIN, 0, 0)
        column.setSpacing(_MARGIN)
        column.addWidget(self._drawing)
        column.addWidget(self._text)
        self.show_explanation(None)

    @property
    def text(self) -> str:
        """What is said below the drawing."""
        return self._text.text()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a low window the drawing alone, which says the same when it is pointed at."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        needs = _MARGIN + _HEIGHT + _MARGIN + self._text.heightForWidth(self.width())
        self._text.setVisible(self.height() >= needs)

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._drawing.theme = theme
        self._drawing.update()

    def show_explanation(self, explanation: "CircuitExplanation | None") -> None:
        """Draw one, or hide where the circuit has nothing to say of a finding."""
        self.setVisible(explanation is not None)
        self._drawing.explanation = explanation
        if explanation is not None:
            named = explanation.faults
            more = say(" (and {len} more)", len=len(named) - 2) if len(named) > 2 else ""
            told = say("; or ").join(named[:2]) + more if named else explanation.text
            self._text.setText(told[:1].upper() + told[1:])
            self._text.setToolTip(explanation.text)
            self._drawing.setToolTip(explanation.text)
            self._drawing.setAccessibleDescription(explanation.text)
            self._fit()
        self._drawing.update()


class _Drawing(QWidget):
    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.theme: Theme = BRIGHT
        self.explanation: CircuitExplanation | None = None
        self.setFixedSize(_WIDTH, _HEIGHT)
        self.setAccessibleName(say("The sensor's circuit, sound and with the fault that fits"))

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        shown = self.explanation
        if shown is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_lines(painter, shown)
        for place in shown.at:
            self._paint_fault(painter, place)
        self._paint_table(painter, shown)

    def _paint_lines(self, painter: QPainter, shown: "CircuitExplanation") -> None:
        painter.setPen(self.theme.pen("ink", 1.6))
        for y in (_TOP, _BOTTOM):
            painter.drawLine(QPointF(_LEFT, y), QPointF(_UNIT, y))
        painter.drawLine(QPointF(_UNIT, _TOP - 8), QPointF(_UNIT, _BOTTOM + 8))
        for number in range(1, shown.tracks + 1):
            x, tap = _TRACK_X[number], _TAPS[number]
            painter.setPen(self.theme.pen("ink", 1.6))
            painter.drawLine(QPointF(x, _TOP), QPointF(x, _BOTTOM))
            painter.fillRect(QRectF(x - 5, _TOP + 14, 10, _BOTTOM - _TOP - 28), self._ground())
            painter.drawRect(QRectF(x - 5, _TOP + 14, 10, _BOTTOM - _TOP - 28))
            painter.setPen(self.theme.pen(f"track_{number}", 1.8))
            painter.drawLine(QPointF(x + 7, tap), QPointF(_UNIT, tap))
            for side in (-4, 4):
                painter.drawLine(QPointF(x + 12, tap + side), QPointF(x + 6, tap))
        painter.setPen(self.theme.pen("muted", 1.0, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(_PLUG, _TOP - 8), QPointF(_PLUG, _BOTTOM + 8))

    def _ground(self) -> QColor:
        return self.theme.color("ground")

    def _paint_fault(self, painter: QPainter, place: str) -> None:
        spot = _spot(place)
        painter.setPen(self.theme.pen("inflamed", 2.2))
        painter.setBrush(self._ground())
        painter.drawEllipse(spot, 6.5, 6.5)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for sign in (-1, 1):
            painter.drawLine(spot + QPointF(-3.2, -3.2 * sign), spot + QPointF(3.2, 3.2 * sign))

    def _paint_table(self, painter: QPainter, shown: "CircuitExplanation") -> None:
        heads = (say("sound"), say("fault") if shown.faults else "", say("read"))
        self._row(
            painter, 0, (say("at {travel_pct:.0f} %, V", travel_pct=shown.travel_pct), *heads), "muted"
        )
        row = 1
        for node in shown.nodes:
            if node.node in _NAMES and row <= 4:
                token = f"track_{node.node[-1]}" if node.node[-1].isdigit() else "ink"
                self._row(painter, row, _cells(node, with_fault=bool(shown.faults)), token)
                row += 1

    def _row(self, painter: QPainter, number: int, cells: tuple[str, ...], token: str) -> None:
        font = QFont(self.font())
        font.setPixelSize(12 if number == 0 else 13)
        painter.setFont(font)
        painter.setPen(self.theme.color(token))
        y = _TABLE + number * _ROW - (2 if number == 0 else 0)
        painter.drawText(QRectF(0, y, 100, _ROW), Qt.AlignmentFlag.AlignVCenter, cells[0])
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for edge, text in zip(_COLUMNS, cells[1:], strict=True):
            painter.drawText(QRectF(edge - 60, y, 60, _ROW), right, text)


def _cells(node: "NodeReading", *, with_fault: bool) -> tuple[str, ...]:
    read = "…" if node.measured_v is None else figures("{measured_v:.2f}", measured_v=node.measured_v)
    return (
        _NAMES[node.node],
        figures("{sound_v:.2f}", sound_v=node.sound_v),
        figures("{faulty_v:.2f}", faulty_v=node.faulty_v) if with_fault else "",
        read,
    )


def _spot(place: str) -> QPointF:
    """Where in the drawing a part of the circuit is."""
    number = int(place[-1]) if place[-1].isdigit() else 0
    kind = place.rstrip("12")
    if kind in ("supply", "battery"):
        return QPointF(168.0, _TOP)
    if kind == "ground":
        return QPointF(168.0, _BOTTOM)
    if kind in ("supply_plug", "ground_plug"):
        return QPointF(_PLUG, _TOP if kind == "supply_plug" else _BOTTOM)
    x, tap = _TRACK_X[number], _TAPS[number]
    return {
        "signal": QPointF(168.0, tap),
        "plug_signal": QPointF(_PLUG, tap),
        "wiper": QPointF(x + 18.0, tap),
        "above": QPointF(x, _TOP + 20.0),
        "below": QPointF(x, _BOTTOM - 20.0),
    }[kind]
