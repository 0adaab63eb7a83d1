"""Marks and remarks in a strip of their own above the curves: no label lies over a line or is cut."""

from collections.abc import Sequence
from dataclasses import dataclass

import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QCursor, QFont, QFontMetricsF, QPainter
from PyQt6.QtWidgets import QGraphicsObject, QGraphicsSceneMouseEvent, QStyleOptionGraphicsItem, QWidget

from nervus.window.theme import BRIGHT, Theme

ROW = 18
_MOST_ROWS, _GAP, _EDGE = 3, 8.0, 3.0
_FONT_PX = 12
# A press that moves less than this is a click, in pixels.
_CLICK = 4.0


@dataclass(frozen=True, slots=True)
class Label:
    """Words at an instant, or over a stretch.

    Attributes:
        key: what it is, for whoever is told that it was clicked or moved.
        text: its words.
        from_s, to_s: where; the same for an instant.
        is_remark: whether it was said about the recording, and not marked while it was made.
        movable: whether it can be dragged.
    """

    key: str
    text: str
    from_s: float
    to_s: float
    is_remark: bool = False
    movable: bool = False


@dataclass(slots=True)
class _Placed:
    label: Label
    rect: QRectF
    at: float
    end: float
    text: str


class MarksStrip(QGraphicsObject):
    """Draws labels in rows, each at its instant.

    Signals:
        clicked: the key of a label.
        grown: it needs another height.
        moved: the key of a label, and the instant that it was dragged to.
    """

    clicked = pyqtSignal(str)
    grown = pyqtSignal()
    moved = pyqtSignal(str, float)

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = BRIGHT
        self._labels: tuple[Label, ...] = ()
        self._plot: pg.PlotItem | None = None
        self._width, self._rows = 0.0, 0
        self._placed: list[_Placed] = []
        self._held: tuple[Label, float, float] | None = None
        self._font = QFont()
        self.setAcceptHoverEvents(True)

    @property
    def height(self) -> int:
        """How high it is: as many rows as its labels needed so far, 0 without any."""
        return ROW * self._rows

    @property
    def shown(self) -> tuple[str, ...]:
        """The words that stand there now, as they are shown."""
        return tuple(p.text for p in self._placed)

    def show_labels(self, labels: Sequence[Label], plot: pg.PlotItem | None) -> None:
        """Show these over a plot."""
        self.prepareGeometryChange()
        count = len(self._labels)
        self._labels, self._plot = tuple(sorted(labels, key=lambda label: label.from_s)), plot
        if len(self._labels) != count:
            self._rows = min(len(self._labels), 1)
        self.place()

    def resize(self, width: float, font: QFont) -> None:
        """As wide as its chart."""
        self.prepareGeometryChange()
        self._width = width
        self._font = QFont(font)
        self._font.setPixelSize(_FONT_PX)
        self.place()

    def boundingRect(self) -> QRectF:
        return QRectF(0.0, 0.0, self._width, float(self.height))

    def place(self) -> None:
        """Place all labels anew: what is shown has moved; more rows are taken where labels meet."""
        self._placed = []
        if self._plot is None or not self._labels:
            self.update()
            return
        box = self._plot.getViewBox()
        low, high = box.viewRange()[0]
        area = box.sceneBoundingRect()
        metrics = QFontMetricsF(self._font)
        free = [area.left() - 1.0] * _MOST_ROWS
        seen = [label for label in self._labels if label.to_s >= low and label.from_s <= high]
        rows = self._rows
        for number, label in enumerate(seen):
            at = max(self._at(label.from_s), area.left())
            end = min(self._at(label.to_s), area.right())
            wide = metrics.horizontalAdvance(label.text) + _EDGE
            start = min(at + _EDGE, area.right() - wide)
            row = next((r for r in range(_MOST_ROWS) if free[r] <= start), None)
            text = label.text
            if row is None:
                # Too many at one place: what is left of it, and the whole on the tip of the mouse.
                row = number % _MOST_ROWS
                start = max(free[row], at + _EDGE)
                wide = max(min(wide, area.right() - start), 0.0)
                text = metrics.elidedText(text, Qt.TextElideMode.ElideRight, wide)
            free[row] = start + wide + _GAP
            rows = max(rows, row + 1)
            self._placed.append(_Placed(label, QRectF(start, row * ROW, wide, ROW), at, end, text))
        if rows != self._rows:
            self.prepareGeometryChange()
            self._rows = rows
            self.grown.emit()
        self.update()

    def _at(self, time_s: float) -> float:
        assert self._plot is not None  # noqa: S101 - placed over a plot only
        return float(self._plot.getViewBox().mapViewToScene(QPointF(time_s, 0.0)).x())

    def paint(
        self,
        painter: QPainter | None,
        _option: QStyleOptionGraphicsItem | None,
        _widget: QWidget | None = None,
    ) -> None:
        if painter is None:
            return
        painter.setFont(self._font)
        for placed in self._placed:
            colour = self.theme.color("action" if placed.label.is_remark else "muted")
            painter.setPen(colour)
            if placed.label.to_s > placed.label.from_s:
                base = placed.rect.bottom() - 1.0
                painter.fillRect(
                    QRectF(placed.at, base - 1.0, max(placed.end - placed.at, 2.0), 2.0), colour
                )
            else:
                painter.fillRect(QRectF(placed.at - 0.5, placed.rect.top(), 1.0, self.height), colour)
            painter.drawText(placed.rect, int(Qt.AlignmentFlag.AlignVCenter), placed.text)

    # -- mouse -----------------------------------------------------------------------------------------

    def _under(self, position: QPointF) -> Label | None:
        return next((p.label for p in self._placed if p.rect.contains(position)), None)

    def hoverMoveEvent(self, event: object) -> None:
        label = self._under(event.pos())  # type: ignore[attr-defined] # a hover event of Qt
        self.setToolTip(label.text if label is not None else "")
        shape = Qt.CursorShape.PointingHandCursor if label is not None else Qt.CursorShape.ArrowCursor
        self.setCursor(QCursor(shape))

    def mousePressEvent(self, event: QGraphicsSceneMouseEvent | None) -> None:
        label = self._under(event.pos()) if event is not None else None
        if event is None or label is None:
            return
        event.accept()
        self._held = (label, event.pos().x(), event.pos().x())

    def mouseMoveEvent(self, event: QGraphicsSceneMouseEvent | None) -> None:
        if event is not None and self._held is not None:
            self._held = (self._held[0], self._held[1], event.pos().x())

    def mouseReleaseEvent(self, event: QGraphicsSceneMouseEvent | None) -> None:
        held, self._held = self._held, None
        if event is None or held is None or self._plot is None:
            return
        label, start, end = held
        if abs(end - start) < _CLICK:
            self.clicked.emit(label.key)
        elif label.movable:
            box = self._plot.getViewBox()
            by = box.mapSceneToView(QPointF(end, 0.0)).x() - box.mapSceneToView(QPointF(start, 0.0)).x()
            self.moved.emit(label.key, label.from_s + float(by))
