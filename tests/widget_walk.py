"""Walks a shown window and tells what a person would stumble over.

Clipped text, widgets outside their parent, controls without a name or without keyboard focus, and
text whose contrast is below 4.5:1 as it is painted (WCAG 2.2, success criterion 1.4.3).
"""

from collections import Counter
from collections.abc import Iterator

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QColor, QImage
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QGraphicsView,
    QHeaderView,
    QLabel,
    QLineEdit,
    QScrollArea,
    QStackedWidget,
    QWidget,
)

CONTROLS = (QAbstractButton, QAbstractItemView, QGraphicsView, QLineEdit)
LEAST_CONTRAST = 4.5


def stumbles(window: QWidget) -> list[str]:
    """Everything that was found, one line each, once what was just written has been laid out."""
    QApplication.sendPostedEvents(None, QEvent.Type.LayoutRequest.value)
    shown = [w for w in window.findChildren(QWidget) if w.isVisible() and w.width() > 0]
    return [
        *(line for w in shown for line in _clipped(w)),
        *(line for w in shown for line in _outside(w)),
        *(line for w in shown for line in _nameless(w)),
        *(line for w in shown for line in _faint(w)),
    ]


def _name(widget: QWidget) -> str:
    text = widget.text() if isinstance(widget, QLabel | QAbstractButton) else ""
    return f"{type(widget).__name__} {widget.objectName()} {text[:40]!r}"


def _clipped(widget: QWidget) -> Iterator[str]:
    if isinstance(widget, QLabel) and widget.text():
        height = widget.heightForWidth(widget.width()) if widget.wordWrap() else 0
        wide = 0 if widget.wordWrap() else widget.minimumSizeHint().width()
        if wide > widget.width() + 1 or height > widget.height() + 1:
            yield f"clipped: {_name(widget)} needs {wide}x{height}, has {widget.size()}"
    elif isinstance(widget, QAbstractButton) and widget.text():
        need = widget.sizeHint()
        if need.width() > widget.width() + 1 or need.height() > widget.height() + 1:
            yield f"clipped: {_name(widget)}"


def _outside(widget: QWidget) -> Iterator[str]:
    parent = widget.parentWidget()
    scrolled = isinstance(parent, QScrollArea | QStackedWidget) or (
        parent is not None and parent.objectName() == "qt_scrollarea_viewport"
    )
    if parent is None or scrolled or parent.layout() is None:
        return
    if not parent.rect().contains(widget.geometry()):
        yield f"outside its parent: {_name(widget)}"


def _nameless(widget: QWidget) -> Iterator[str]:
    if not isinstance(widget, CONTROLS) or widget.objectName().startswith("qt_"):
        return
    if isinstance(widget, QHeaderView):
        return  # the heads of a table that has both itself
    named = widget.accessibleName() or (widget.text() if isinstance(widget, QAbstractButton) else "")
    if not named:
        yield f"no accessible name: {_name(widget)}"
    if widget.isEnabled() and widget.focusPolicy() == Qt.FocusPolicy.NoFocus:
        yield f"no keyboard focus: {_name(widget)}"


def _faint(widget: QWidget) -> Iterator[str]:
    if not isinstance(widget, QLabel | QAbstractButton) or not widget.text() or not widget.isEnabled():
        return
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    colours = Counter(image.pixel(x, y) for y in range(image.height()) for x in range(image.width()))
    ground = QColor(colours.most_common(1)[0][0])
    best = max((contrast(QColor(p), ground) for p, n in colours.items() if n >= 3), default=1.0)
    if best < LEAST_CONTRAST:
        yield f"faint: {_name(widget)} {best:.1f}"


def contrast(a: QColor, b: QColor) -> float:
    """Contrast ratio of two colours (WCAG 2.2, relative luminance)."""
    light, dark = sorted((_luminance(a), _luminance(b)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def _luminance(colour: QColor) -> float:
    parts = (colour.redF(), colour.greenF(), colour.blueF())
    red, green, blue = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue
