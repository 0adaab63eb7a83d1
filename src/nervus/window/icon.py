"""The application's own mark: a line with one inflamed place, painted, so sharp at any size."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QIcon, QPainter, QPainterPath, QPen, QPixmap

from nervus.window.theme import BRIGHT

_SIZES = (16, 32, 64, 128)


def application_icon() -> QIcon:
    """The mark in the usual sizes."""
    icon = QIcon()
    for size in _SIZES:
        icon.addPixmap(_mark(size))
    return icon


def _mark(size: int) -> QPixmap:
    pixmap = QPixmap(size, size)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.scale(size / 64.0, size / 64.0)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(BRIGHT.color("surface"))
    painter.drawRoundedRect(QRectF(1, 1, 62, 62), 10, 10)
    red = BRIGHT.color("inflamed")
    painter.setBrush(BRIGHT.color("inflamed", 60))
    painter.setPen(QPen(red, 3))
    painter.drawEllipse(QPointF(36, 32), 15, 11)
    painter.setBrush(QBrush(red, Qt.BrushStyle.BDiagPattern))
    painter.drawEllipse(QPointF(36, 32), 15, 11)
    way = QPainterPath(QPointF(5, 44))
    way.cubicTo(QPointF(20, 44), QPointF(20, 32), QPointF(36, 32))
    way.cubicTo(QPointF(50, 32), QPointF(48, 20), QPointF(59, 20))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(BRIGHT.color("action"), 5, cap=Qt.PenCapStyle.RoundCap))
    painter.drawPath(way)
    painter.end()
    return pixmap
