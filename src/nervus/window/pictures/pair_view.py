"""One track against the other: the line of their relation, its band, and the moments outside it."""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QWidget

from nervus.domain.analysis import Examination, Relation
from nervus.domain.channel import IntArray, Recording, Role
from nervus.drawn.pair import Pair
from nervus.drawn.pictures import Pictures, Under
from nervus.language import say
from nervus.window.pictures.plots import Chart
from nervus.window.theme import Theme

# Half the width of the band: this share of the second track's span (common practice: tracks in good
# order differ by up to 2 to 3 % of travel).
_BAND_SHARE = 0.025
# More points than this say nothing more on a screen; those outside the band are kept before others.
# Crosses nearer than this share of the picture lie on one another.
_CELLS = 150
_MOST_POINTS = 20_000
_ENDS = 0.1
# Room above the curve for its name, as a share of what it spans: a falling pair begins in that corner.
_FOR_THE_NAME = 0.12


class PairView(Chart):
    """Track 2 over track 1.

    Signals:
        instant: time in seconds of the sample nearest to the cursor.
    """

    instant = pyqtSignal(float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(say("One track against the other, with the band of their relation"), parent)
        self._pair: Pair | None = None
        self._all: pg.PlotCurveItem | None = None
        self._lines: list[pg.PlotCurveItem] = []
        self._far: pg.ScatterPlotItem | None = None
        self._below: pg.PlotCurveItem | None = None
        self.hovered.connect(self._nearest)

    @property
    def has_pair(self) -> bool:
        """Whether there are two tracks to show."""
        return self._pair is not None

    def show_recording(
        self, recording: Recording, examination: Examination, pictures: Pictures | None = None
    ) -> None:
        """Draw the two tracks of a recording, if it has two."""
        self.clear_plots()
        self._lines, self._all, self._far, self._below = [], None, None, None
        self._pair = (pictures or Pictures(recording, examination)).pair
        if self._pair is None:
            return
        unit = recording.with_role(Role.TRACK)[0].kind.unit
        plot = self.add_plot(x_unit=str(unit), unit=str(unit))
        plot.setMouseEnabled(x=True, y=True)
        slope, offset = examination.tracks.slope, examination.tracks.offset_v
        known = examination.tracks.relation is not Relation.UNKNOWN
        far: IntArray = np.empty(0, dtype=np.intp)
        if known and slope is not None and offset is not None:
            far = self._add_band(plot, self._pair, slope, offset)
        self._add_points(plot, self._pair, far)
        low, high = float(self._pair.first.min()), float(self._pair.first.max())
        room = _ENDS * max(high - low, 1e-3)
        self.whole = (low - room, high + room)
        self.name_curves(plot, [(say("track 2 over track 1"), self.theme.color("ink"))])
        self.apply_theme(self.theme)
        self.show_whole()
        lowest, highest = float(self._pair.second.min()), float(self._pair.second.max())
        plot.setYRange(lowest, highest + _FOR_THE_NAME * max(highest - lowest, 1e-3))

    def lay_under(self, under: Under | None) -> None:
        """Draw another recording's pair below this one; `None` takes it away."""
        if not self.plots:
            return
        if self._below is not None and self._below in self.plots[0].items:
            self.plots[0].removeItem(self._below)
        self._below = None
        pair = under.pictures.pair if under is not None else None
        if pair is not None:
            every = max(1, pair.first.size // _MOST_POINTS)
            self._below = pg.PlotCurveItem(pair.first[::every], pair.second[::every])
            self._below.setZValue(-10)
            self._below.setPen(self.theme.pen("muted", 1, alpha=130))
            self.plots[0].addItem(self._below)

    def _add_band(self, plot: pg.PlotItem, pair: Pair, slope: float, offset: float) -> IntArray:
        ends = np.asarray([float(pair.first.min()), float(pair.first.max())])
        line = slope * ends + offset
        band = max(_BAND_SHARE * abs(float(np.ptp(line))), 1e-3)
        for shift in (0.0, band, -band):
            curve = pg.PlotCurveItem(ends, line + shift)
            plot.addItem(curve)
            self._lines.append(curve)
        return pair.outside(slope, offset, band)

    def _add_points(self, plot: pg.PlotItem, pair: Pair, far: IntArray) -> None:
        every = max(1, pair.first.size // _MOST_POINTS)
        self._all = pg.PlotCurveItem(pair.first[::every], pair.second[::every], antialias=True)
        plot.addItem(self._all)
        far = pair.seen(far[:: max(1, far.size // _MOST_POINTS)], _CELLS)
        self._far = pg.ScatterPlotItem(pair.first[far], pair.second[far], size=6, symbol="x")
        plot.addItem(self._far)

    def outside(self) -> int:
        """How many samples are drawn as lying outside the band."""
        return len(self._far.points()) if self._far is not None else 0

    def apply_theme(self, theme: Theme) -> None:
        super().apply_theme(theme)
        if self._all is not None:
            self._all.setPen(theme.pen("track_2", 1, alpha=90))
        if self._below is not None:
            self._below.setPen(theme.pen("muted", 1, alpha=130))
        for number, line in enumerate(self._lines):
            style = Qt.PenStyle.SolidLine if number == 0 else Qt.PenStyle.DashLine
            line.setPen(theme.pen("muted", 1, style))
        if self._far is not None:
            self._far.setPen(theme.pen("inflamed", 1.5))
        for plot in self.plots:
            self.name_curves(plot, [(say("track 2 over track 1"), theme.color("ink"))])

    def _nearest(self, volts: float) -> None:
        if self._pair is not None:
            index = int(np.argmin(np.abs(self._pair.first - volts)))
            self.instant.emit(float(self._pair.time_s[index]))
