"""The ways of going about it side by side: what each costs on average in this case."""

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QFont, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from nervus.domain.judgement import School
from nervus.language import say
from nervus.window.theme import BRIGHT, Theme

WAY_NAMES = {
    "proposed": say("Proposed"),
    "proof_first": say("Proof before parts"),
    "likeliest_first": say("Most likely first"),
    "cheapest_first": say("Cheapest first"),
}
_ROW, _HEAD, _STEPS = 69, 20, 3


class WaysView(QWidget):
    """A bar for each way: the money of parts, of work, and of what goes wrong."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme: Theme = BRIGHT
        self._ways: list[School] = []
        self.setAccessibleName(say("What each way of going about it costs on average"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(400, _HEAD + _ROW * max(1, len(self._ways)))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.update()

    def show_ways(self, schools: Sequence[School]) -> None:
        """Show these, the proposed one first."""
        by_id = {s.id: s for s in schools}
        self._ways = [by_id[name] for name in WAY_NAMES if name in by_id]
        self.setAccessibleDescription("; ".join(self.rows()))
        self.updateGeometry()
        self.update()

    def rows(self) -> list[str]:
        """Every way in words."""
        return [f"{WAY_NAMES[w.id]}: {_cost(w)}; {_risk(w)}" for w in self._ways]

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        most = max((w.cost + w.spread for w in self._ways), default=1.0) or 1.0
        self._write(painter, QRectF(0, 0, self.width(), _HEAD), 12, "muted", _LEGEND)
        for number, way in enumerate(self._ways):
            self._paint_way(painter, _HEAD + number * _ROW, way, most)
        painter.end()

    def _paint_way(self, painter: QPainter, top: float, way: School, most: float) -> None:
        theme, width = self._theme, float(self.width())
        bold = way.id == "proposed"
        self._write(painter, QRectF(0, top, width * 0.4, 22), 15, "ink", WAY_NAMES[way.id], bold=bold)
        right = Qt.AlignmentFlag.AlignRight
        self._write(
            painter, QRectF(width * 0.4, top, width * 0.6, 22), 13, "ink", _cost(way), side=right
        )
        whole = QRectF(0, top + 21, width, 12)
        painter.fillRect(whole, theme.color("soft"))
        length = width * way.cost / most
        money = width * min(way.money, way.cost) / most
        painter.fillRect(QRectF(0, top + 21, length, 12), theme.color("action"))
        painter.fillRect(QRectF(0, top + 21, money, 12), theme.color("ink"))
        painter.fillRect(
            QRectF(money, top + 21, length - money, 12),
            QBrush(theme.color("surface"), Qt.BrushStyle.Dense6Pattern),
        )
        # How far it may be off, by which fault it turns out to be.
        reach = width * way.spread / most
        painter.setPen(QPen(theme.color("ink"), 2))
        ends = max(0.0, length - reach), min(width, length + reach)
        painter.drawLine(QPointF(ends[0], top + 27), QPointF(ends[1], top + 27))
        for end in ends:
            painter.drawLine(QPointF(end, top + 23), QPointF(end, top + 31))
        self._write(painter, QRectF(0, top + 33, width, 15), 12, "muted", _risk(way))
        steps = "  →  ".join(way.order[:_STEPS]) + ("  →  …" if len(way.order) > _STEPS else "")
        self._write(
            painter,
            QRectF(0, top + 47, width, 18),
            13,
            "ink",
            steps or say("nothing is worth doing yet"),
        )

    def _write(
        self,
        painter: QPainter,
        place: QRectF,
        pixels: int,
        token: str,
        words: str,
        *,
        bold: bool = False,
        side: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft,
    ) -> None:
        font = QFont(self.font())
        font.setPixelSize(pixels)
        font.setBold(bold)
        painter.setFont(font)
        painter.setPen(self._theme.color(token))
        shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(place.width()))
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter | side, shown)


_LEGEND = say(
    "On average here: parts (plain), work and what goes wrong (dotted); the line: as the fault may be."
)


def _cost(way: School) -> str:
    return say(
        "{minutes:.0f} min and {money:.0f} of outlay: {cost:.0f} ± {spread:.0f} in all",
        minutes=way.minutes,
        money=way.money,
        cost=way.cost,
        spread=way.spread,
    )


def _risk(way: School) -> str:
    return say(
        "parts in vain: {parts_in_vain:.2f}   ·   comes back: {come_backs:.0f} in 100",
        parts_in_vain=way.parts_in_vain,
        come_backs=100.0 * way.come_backs,
    )
