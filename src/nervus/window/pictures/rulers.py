"""Two cursors to measure between: through all plots of a picture, moved by mouse or keys."""

from collections.abc import Sequence

import pyqtgraph as pg
from PyQt6.QtCore import QObject, pyqtSignal

from nervus.domain.channel import Span
from nervus.window.theme import Theme

# How high the name of a cursor stands in the first plot.
_NAME_AT = 0.94


class Rulers(QObject):
    """Cursor A and cursor B, each a line in every plot; none before they are put in.

    Signals:
        moved: where both are now, in seconds.
    """

    moved = pyqtSignal(float, float)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._plots: Sequence[pg.PlotItem] = ()
        self._lines: list[tuple[pg.InfiniteLine, ...]] = []
        self.active = 1
        """Which of the two the keys move."""

    @property
    def at_s(self) -> tuple[float, ...]:
        """Where both are, in seconds; none while nothing is measured."""
        return tuple(float(lines[0].value()) for lines in self._lines)

    def put_into(self, plots: Sequence[pg.PlotItem], span_s: Span) -> None:
        """Put both into plots, a third of what they show apart."""
        self.take_out()
        self._plots = plots
        low, high = span_s
        for number, name in enumerate("AB"):
            at = low + (high - low) * (number + 1) / 3.0
            self._lines.append(tuple(self._line(plot, name, number, at) for plot in plots))
        self.moved.emit(*self.at_s)

    def take_out(self) -> None:
        """Take both out again."""
        for lines in self._lines:
            for plot, line in zip(self._plots, lines, strict=True):
                plot.removeItem(line)
        self.forget()

    def forget(self) -> None:
        """The plots are gone, and both with them."""
        self._plots, self._lines = (), []

    def _line(self, plot: pg.PlotItem, name: str, number: int, at: float) -> pg.InfiniteLine:
        first = plot is self._plots[0]
        label = {"label": name, "labelOpts": {"position": _NAME_AT}} if first else {}
        line = pg.InfiniteLine(at, angle=90, movable=True, **label)
        line.sigPositionChanged.connect(lambda moved: self.move(number, float(moved.value())))
        plot.addItem(line, ignoreBounds=True)
        return line

    def move(self, number: int, time_s: float) -> None:
        """Move one of them, in all plots."""
        if number >= len(self._lines):
            return
        self.active = number
        for line in self._lines[number]:
            line.blockSignals(True)  # noqa: FBT003 - Qt's own argument
            line.setValue(time_s)
            line.blockSignals(False)  # noqa: FBT003
        if len(self._lines) > 1:
            self.moved.emit(*self.at_s)

    def apply_theme(self, theme: Theme) -> None:
        """Draw them in a theme's colours."""
        for line in (line for lines in self._lines for line in lines):
            line.setPen(theme.pen("action", 2))
            if hasattr(line, "label"):
                line.label.setColor(theme.color("action"))
