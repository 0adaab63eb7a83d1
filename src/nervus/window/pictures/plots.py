"""Plots in the house's style: own axes and pens, no menus of the plot library, x moves, y stays."""

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QFontMetrics, QKeyEvent
from PyQt6.QtWidgets import QWidget

from nervus.domain.channel import FloatArray, Span
from nervus.language import written
from nervus.window.pictures.marks_strip import Label, MarksStrip
from nervus.window.theme import BRIGHT, Theme

AXIS_WIDTH = 52
NAME_HEIGHT = 20
"""Names above a plot are so high, in pixels."""
_ZOOM = 1.5
_PAN = 0.2


class Chart(pg.GraphicsLayoutWidget):  # type: ignore[misc] # the plot library ships no types
    """One column of plots over the same x axis, moved by mouse and by keyboard.

    Signals:
        hovered: the x under the mouse.
    """

    hovered = pyqtSignal(float)

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent=parent)
        self.theme: Theme = BRIGHT
        self.plots: list[pg.PlotItem] = []
        self.whole: Span = (0.0, 1.0)
        self._titles: dict[pg.PlotItem, list[tuple[str, QColor]]] = {}
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFrameShape(pg.GraphicsLayoutWidget.Shape.NoFrame)
        self.ci.layout.setContentsMargins(0, 2, 24, 2)
        self.ci.layout.setSpacing(4)
        self.strip = MarksStrip()
        self.scene().addItem(self.strip)
        self.strip.grown.connect(self._leave_room)
        self.sigDeviceRangeChanged.connect(lambda *_sizes: self.strip.resize(self.width(), self.font()))
        self.sigDeviceRangeChanged.connect(lambda *_sizes: self._fit_names())
        self.scene().sigMouseMoved.connect(self._mouse_moved)

    def add_plot(self, *, height: int | None = None, x_unit: str = "", unit: str = "") -> pg.PlotItem:
        """One more plot below the others, its x axis linked to theirs; numbers carry the units."""
        axes = {}
        if x_unit:
            axes["bottom"] = UnitAxis("bottom", x_unit)
        if unit:
            axes["left"] = UnitAxis("left", unit)
        plot = self.addPlot(row=len(self.plots), col=0, axisItems=axes)
        plot.setMenuEnabled(False)
        plot.hideButtons()
        plot.setMouseEnabled(x=True, y=False)
        for side in ("left", "bottom"):
            axis = plot.getAxis(side)
            axis.setCacheMode(axis.CacheMode.DeviceCoordinateCache)
            # No axis of ours has a label that would need one.
            axis.enableAutoSIPrefix(False)  # noqa: FBT003 - the plot library's own argument
        plot.getAxis("left").setWidth(AXIS_WIDTH)
        plot.getAxis("bottom").setHeight(24)
        if height is not None:
            plot.setFixedHeight(height)
        if self.plots:
            plot.setXLink(self.plots[0])
        self.plots.append(plot)
        self._style(plot)
        return plot

    def show_labels(self, labels: Sequence[Label]) -> None:
        """Words in a strip of their own above the first plot; none take no room."""
        self.strip.show_labels(labels, self.plots[0] if self.plots else None)
        self._leave_room()

    def _leave_room(self) -> None:
        """For the strip above the first plot."""
        self.ci.layout.setContentsMargins(0, 2 + self.strip.height, 24, 2)
        self.strip.resize(self.width(), self.font())

    def clear_plots(self) -> None:
        """Take all plots out."""
        self.strip.show_labels((), None)
        self.clear()
        self.plots = []
        self._titles = {}

    def apply_theme(self, theme: Theme) -> None:
        """Ground, axes and grid in the theme's colours; curves are the subclass's."""
        self.theme = theme
        self.setBackground(theme.color("ground"))
        self.strip.theme = theme
        self.strip.update()
        for plot in self.plots:
            self._style(plot)

    def _style(self, plot: pg.PlotItem) -> None:
        font = QFont(self.font())
        font.setPixelSize(12)
        plot.getViewBox().setBackgroundColor(self.theme.color("surface"))
        for side in ("left", "bottom"):
            axis = plot.getAxis(side)
            axis.setPen(self.theme.pen("line"))
            axis.setTextPen(self.theme.color("muted"))
            axis.setStyle(tickFont=font, tickLength=-4, hideOverlappingLabels=False)

    def name_curves(self, plot: pg.PlotItem, names: list[tuple[str, QColor]]) -> None:
        """Write names above a plot, each in the colour of its curve: there they lie over none."""
        self._titles[plot] = names
        self._write_names(plot)

    def _write_names(self, plot: pg.PlotItem) -> None:
        """As many as there is room for; the others are a number."""
        from html import escape  # noqa: PLC0415 - off the way to the first window

        names, metrics = self._titles[plot], QFontMetrics(self.bold_font())
        room, shown = self.width() - AXIS_WIDTH - 90, 0
        for name, _colour in names:
            room -= metrics.horizontalAdvance(name) + 3 * metrics.horizontalAdvance(" ")
            if room < 0 and shown:
                break
            shown += 1
        spans = [
            f'<span style="color:{colour.name()}">{escape(name)}</span>'
            for name, colour in names[:shown]
        ]
        if shown < len(names):
            spans.append(f"+{len(names) - shown}")
        label = plot.titleLabel
        label.setText("&nbsp;&nbsp;&nbsp;".join(spans), justify="left", size="13px", bold=True)
        label.setMinimumWidth(0)  # else a name makes the plot as wide as itself
        label.setMaximumHeight(NAME_HEIGHT)
        plot.layout.setRowFixedHeight(0, NAME_HEIGHT)
        label.setVisible(True)

    def _fit_names(self) -> None:
        for plot in self.plots:
            if plot in self._titles:
                self._write_names(plot)

    def bold_font(self) -> QFont:
        """For names that are written into a plot."""
        font = QFont(self.font())
        font.setPixelSize(13)
        font.setBold(True)
        return font

    def show_whole(self) -> None:
        """All of x."""
        self.show_span(self.whole, 0.0)

    def show_span(self, span: Span, around: float) -> None:
        """Move to a stretch of x with `around` on both sides."""
        if self.plots:
            self.plots[0].setXRange(span[0] - around, span[1] + around, padding=0.005)

    def show_exactly(self, span: Span) -> None:
        """Show the stretch that `visible` told before."""
        if self.plots:
            self.plots[0].setXRange(*span, padding=0.0)

    def visible(self) -> Span:
        """The stretch of x that is shown."""
        low, high = self.plots[0].getViewBox().viewRange()[0] if self.plots else self.whole
        return float(low), float(high)

    def zoom(self, factor: float) -> None:
        """Closer (above 1) or further away, about the middle; 0 shows all."""
        if factor == 0:
            self.show_whole()
            return
        low, high = self.visible()
        middle, half = (low + high) / 2, (high - low) / 2 / factor
        self.show_span((middle - half, middle + half), 0.0)

    def pan(self, share: float) -> None:
        """Move by a share of what is visible."""
        low, high = self.visible()
        step = (high - low) * share
        self.show_span((low + step, high + step), 0.0)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        actions = {
            Qt.Key.Key_Plus: lambda: self.zoom(_ZOOM),
            Qt.Key.Key_Equal: lambda: self.zoom(_ZOOM),
            Qt.Key.Key_Minus: lambda: self.zoom(1 / _ZOOM),
            Qt.Key.Key_Left: lambda: self.pan(-_PAN),
            Qt.Key.Key_Right: lambda: self.pan(_PAN),
            Qt.Key.Key_Home: self.show_whole,
            Qt.Key.Key_0: self.show_whole,
        }
        action = actions.get(Qt.Key(event.key()))
        if action is None:
            event.ignore()
            return
        action()

    def _mouse_moved(self, position: object) -> None:
        for plot in self.plots:
            if plot.sceneBoundingRect().contains(position):
                self.hovered.emit(float(plot.getViewBox().mapSceneToView(position).x()))
                return


class Curve(pg.PlotCurveItem):  # type: ignore[misc] # the plot library ships no types
    """A curve whose plot has ranges of its own: its bounds need not be looked for in every frame."""

    def boundingRect(self) -> QRectF:
        box = self.getViewBox()
        return QRectF(box.viewRect()) if box is not None else super().boundingRect()

    def viewTransformChanged(self) -> None:
        self.prepareGeometryChange()
        super().viewTransformChanged()


class UnitAxis(pg.AxisItem):  # type: ignore[misc] # the plot library ships no types
    """An axis whose numbers carry their unit."""

    def __init__(self, side: str, unit: str) -> None:
        super().__init__(orientation=side)
        self._unit = unit

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        told = super().tickStrings(values, scale, spacing)
        return [f"{written(text)} {self._unit}" for text in told]


def segments(spans: Sequence[tuple[float, float, float]]) -> tuple[FloatArray, FloatArray]:
    """Points for level lines (from, to, height), to be drawn with `connect="pairs"`."""
    xs = np.asarray([[a, b] for a, b, _ in spans], dtype=np.float64).ravel()
    ys = np.asarray([[y, y] for _, _, y in spans], dtype=np.float64).ravel()
    return xs, ys


def literal(text: str) -> str:
    """A text of the user's for a label of the plot library, which takes braces for a format."""
    return text.replace("{", "{{").replace("}", "}}")
