"""The value now against its window: a bar as wide as the screen allows, readable from a metre away."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFont, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QWidget

from nervus.language import figures, say
from nervus.window.theme import BRIGHT, Theme

_MARGIN_V, _TOP, _HIGH = 0.35, 84.0, 34.0


class WindowBar(QWidget):
    """Draws one value and the window that it should be in."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme: Theme = BRIGHT
        self._volts: float | None = None
        self._window = (0.48, 0.52)
        self.setMinimumHeight(160)
        self.setAccessibleName(say("The value at the closed stop and its window"))

    def show_value(self, volts: float | None, low_v: float, high_v: float) -> None:
        """A value, `None` while there is none, and its window."""
        self._volts, self._window = volts, (low_v, high_v)
        told = (
            say("no value yet")
            if volts is None
            else figures("{volts:.3f} V, {verdict}", volts=volts, verdict=self.verdict)
        )
        self.setAccessibleDescription(
            say("{told}; window {low_v:.2f} to {high_v:.2f} V", told=told, low_v=low_v, high_v=high_v)
        )
        self.update()

    @property
    def verdict(self) -> str:
        """Where the value stands, in a word or two."""
        if self._volts is None:
            return ""
        low, high = self._window
        if self._volts < low:
            return say("{volts:.2f} V below", volts=low - self._volts)
        return (
            say("{high:.2f} V above", high=self._volts - high) if self._volts > high else say("inside")
        )

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        low, high = self._window
        span = (min(low, self._value()) - _MARGIN_V, max(high, self._value()) + _MARGIN_V)
        inside = self.verdict == "inside"
        shown = "…" if self._volts is None else figures("{volts:.2f} V", volts=self._volts)
        token = "proved" if inside else "ink"
        self._text(painter, QRectF(0, 0, self.width(), 60), token, 52, shown)
        self._text(painter, QRectF(0, 56, self.width(), 22), token, 16, self.verdict)
        bar = QRectF(10, _TOP, self.width() - 20, _HIGH)
        painter.setPen(self.theme.pen("line", 1.0))
        painter.setBrush(self.theme.color("soft"))
        painter.drawRoundedRect(bar, 4, 4)
        at = [bar.left() + bar.width() * (v - span[0]) / (span[1] - span[0]) for v in (low, high)]
        painter.setPen(self.theme.pen("proved", 2.0))
        painter.setBrush(self.theme.color("proved", 70))
        painter.drawRect(QRectF(at[0], bar.top(), max(at[1] - at[0], 3.0), _HIGH))
        self._text(
            painter,
            QRectF(at[0] - 80, bar.bottom() + 2, 76, 18),
            "ink",
            13,
            figures("{low:.2f} V", low=low),
            right=True,
        )
        self._text(
            painter,
            QRectF(at[1] + 4, bar.bottom() + 2, 76, 18),
            "ink",
            13,
            figures("{high:.2f} V", high=high),
            left=True,
        )
        if self._volts is not None:
            x = bar.left() + bar.width() * (self._volts - span[0]) / (span[1] - span[0])
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.theme.color("proved" if inside else "inflamed"))
            tip = QPointF(x, bar.top() + 4)
            painter.drawPolygon(QPolygonF([tip, tip + QPointF(-9, 26), tip + QPointF(9, 26)]))

    def _value(self) -> float:
        return self._volts if self._volts is not None else self._window[0]

    def _text(
        self,
        painter: QPainter,
        box: QRectF,
        token: str,
        size: int,
        text: str,
        *,
        left: bool = False,
        right: bool = False,
    ) -> None:
        font = QFont(self.font())
        font.setPixelSize(size)
        font.setBold(size > 20)
        painter.setFont(font)
        painter.setPen(self.theme.color(token))
        side = Qt.AlignmentFlag.AlignHCenter
        if left or right:
            side = Qt.AlignmentFlag.AlignLeft if left else Qt.AlignmentFlag.AlignRight
        painter.drawText(box, side | Qt.AlignmentFlag.AlignVCenter, text)
