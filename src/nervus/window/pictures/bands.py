"""Bands: stretches of a plot's x axis, shaded from top to bottom, many of them as one item.

The plot library's own regions are made of movable lines; forty of them cost more than the curves.
"""

import pyqtgraph as pg
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QStyleOptionGraphicsItem, QWidget

from nervus.domain.channel import Span
from nervus.signal.arithmetic.spans import merge

# However short a stretch is, it is shown this wide, in pixels.
_LEAST_PX = 2.0
# Closer than this they are shown as one; where more than so many are in sight, shading tells nothing.
_APART_PX, _MOST = 3.0, 40


class Bands(pg.GraphicsObject):  # type: ignore[misc] # the plot library ships no types
    """Some stretches in one colour, with an edge on both sides."""

    def __init__(self, spans: tuple[Span, ...]) -> None:
        super().__init__()
        self.spans = spans
        self._fill, self._edge = QColor(), QColor()
        self.setZValue(-50)

    def set_colours(self, fill: QColor, edge: QColor) -> None:
        """What the stretches are filled with, and drawn round."""
        self._fill, self._edge = fill, edge
        self.update()

    def boundingRect(self) -> QRectF:
        return QRectF(self.viewRect())

    def viewRangeChanged(self) -> None:
        self.prepareGeometryChange()
        self.update()

    def paint(
        self,
        painter: QPainter | None,
        option: QStyleOptionGraphicsItem | None,  # noqa: ARG002 - Qt's signature
        widget: QWidget | None = None,  # noqa: ARG002
    ) -> None:
        if painter is None:
            return
        shown, pixel = self.viewRect(), max(self.pixelWidth(), 1e-12)
        inside = (s for s in self.spans if s[1] >= shown.left() and s[0] <= shown.right())
        apart = merge(inside, _APART_PX * pixel)
        if len(apart) > _MOST:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, on=False)
        for start, end in apart:
            width = max(end - start, _LEAST_PX * pixel)
            painter.fillRect(QRectF(start, shown.top(), width, shown.height()), self._fill)
            for x in (start, start + width - pixel):
                painter.fillRect(QRectF(x, shown.top(), pixel, shown.height()), self._edge)
