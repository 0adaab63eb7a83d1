"""The recording folded over travel: passes on one another, one row a pass, and what was swept.

A dead spot stands upright as a scar through the rows; a loose wire scatters. Gaps in the strip under
the axis are gaps in what is known.
"""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from nervus.domain.analysis import Examination, Frame
from nervus.domain.channel import Channel, Recording, Sensor
from nervus.drawn.differing import Differing
from nervus.drawn.fold import RowMark, place_of
from nervus.drawn.pictures import Pictures, Under, folded_channels
from nervus.language import figures, say
from nervus.window.pictures.plots import Chart, segments
from nervus.window.theme import Theme, channel_pen

_ROWS_HEIGHT, _SWEPT_HEIGHT = 150, 34
_ROWS_AT_MOST = 0.42
# How far it differs from another recording: its plot, and the share that the rows leave for it.
_LESS_HEIGHT, _LESS_SHARE = 76, 0.22
# A band wider than this, in percent of travel, does not squeeze the difference.
_BAND_AT_MOST = 4.0
# A mark narrower than this would not be seen.
_LEAST_MARK_PCT = 0.7
# A track's name stands here, this share of the track's span away from its course.
_NAME_PCT, _NAME_AWAY = 90.0, 0.15
# So wide a name is, about.
_NAME_WIDE_PCT = 12.0


class TravelView(Chart):
    """Tracks over travel, rows of passes, the swept strip.

    Signals:
        place: percent of travel under the cursor.
        finding_clicked: number of the finding that was clicked on.
    """

    place = pyqtSignal(float)
    finding_clicked = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(say("The recording over travel, one row for each pass"), parent)
        self.whole = (-1.5, 101.5)
        self._examination: Examination | None = None
        self._recording: Recording | None = None
        self._drawn: Pictures | None = None
        self.sensor = Sensor.THROTTLE
        self._marks: tuple[RowMark, ...] = ()
        self._curves: list[tuple[str, pg.PlotCurveItem]] = []
        self._names: list[tuple[str, pg.TextItem]] = []
        self._below: Under | None = None
        self._below_curves: list[pg.PlotCurveItem] = []
        self._less: list[tuple[str, pg.PlotCurveItem]] = []
        self._bands: list[tuple[str, pg.FillBetweenItem]] = []
        self._rows_plot: pg.PlotItem | None = None
        self._less_plot: pg.PlotItem | None = None
        self._rows: pg.PlotCurveItem | None = None
        self._events: pg.PlotCurveItem | None = None
        self._chosen: pg.PlotCurveItem | None = None
        self._swept: pg.PlotCurveItem | None = None
        self._region: pg.LinearRegionItem | None = None
        self._cursor: pg.InfiniteLine | None = None
        self.sigDeviceRangeChanged.connect(lambda *_sizes: self._fit_rows())
        self.hovered.connect(self._move_cursor)
        self.scene().sigMouseClicked.connect(self._clicked)

    def show_recording(
        self, recording: Recording, examination: Examination, pictures: Pictures | None = None
    ) -> None:
        """Fold a recording over the travel that was found in it."""
        self._recording, self._examination, self._below = recording, examination, None
        self._drawn = pictures or Pictures(recording, examination)
        throttle = bool(folded_channels(recording))
        self._fold(Sensor.THROTTLE if throttle else Sensor.PEDAL)

    def _fold(self, sensor: Sensor) -> None:
        """Show the tracks of one sensor over its own travel."""
        recording, drawn, whole = self._recording, self._drawn, self._examination
        if recording is None or drawn is None or whole is None:
            return
        self.sensor, examination = sensor, whole.seen_from(sensor)
        self._marks = drawn.marks(sensor)
        self.clear_plots()
        self._region = None
        self._add_fold(folded_channels(recording, sensor), examination, drawn)
        self._less, self._bands = [], []
        if self._below is not None and self._below.differs and sensor is Sensor.THROTTLE:
            self._add_less(self._below.differs)
        self._rows_plot = self._add_rows(examination)
        self._add_swept(examination)
        self.plots[0].setLimits(xMin=-4.0, xMax=104.0)
        self._below_curves = []
        self._add_below()
        self.apply_theme(self.theme)
        self.show_whole()
        self._fit_rows()

    def lay_under(self, under: Under | None) -> None:
        """Draw another recording's passes below these, over its own travel; `None` takes it away.

        How far it differs stands in a plot of its own under the tracks, with the band of chance.
        """
        self._below = under
        if self._recording is not None:
            seen = self.visible()
            self._fold(self.sensor)
            self.show_span(seen, 0.0)

    def _add_below(self) -> None:
        for curve in self._below_curves:
            if self.plots and curve in self.plots[0].items:
                self.plots[0].removeItem(curve)
        self._below_curves = []
        below, recording = self._below, self._recording
        if below is None or recording is None or not self.plots:
            return
        for track in folded_channels(recording, self.sensor):
            other = below.recording.get(track.id)
            if other is None:
                continue
            folded = below.pictures.fold(other)
            curve = pg.PlotCurveItem(folded.travel, folded.values, connect="finite")
            curve.setZValue(-10)
            curve.setPen(self.theme.pen("muted", 1, alpha=130))
            self.plots[0].addItem(curve)
            self._below_curves.append(curve)

    def _add_less(self, differs: tuple[Differing, ...]) -> None:
        """This recording less the one below, each track with the band that chance explains."""
        plot = self.add_plot(height=_LESS_HEIGHT, unit="%")
        plot.getAxis("bottom").setStyle(showValues=False)
        plot.getAxis("bottom").setHeight(4)
        reach = 0.0
        for one in differs:
            known = np.isfinite(one.band)
            if not known.any():
                continue
            reach = max(reach, *np.abs(one.less[known]), *np.minimum(one.band[known], _BAND_AT_MOST))
            edges = [pg.PlotCurveItem(one.travel, sign * one.band, connect="finite") for sign in (1, -1)]
            band = pg.FillBetweenItem(*edges)
            band.setZValue(-10)
            plot.addItem(band)
            curve = pg.PlotCurveItem(one.travel, one.less, connect="finite", antialias=True)
            plot.addItem(curve)
            self._less.append((one.channel, curve))
            self._bands.append((one.channel, band))
        reach = max(1.15 * reach, 0.5)
        plot.setYRange(-reach, reach * 1.5, padding=0)
        plot.getAxis("left").setTicks(
            [[(v, figures("{v:+.2g} %", v=v) if v else "0") for v in (-reach, 0.0, reach)]]
        )
        self._less_plot = plot

    def _fit_rows(self) -> None:
        """In a small window the rows leave the tracks half of the height."""
        if self._rows_plot is not None and self.plots:
            most = _ROWS_AT_MOST - (_LESS_SHARE if self._less else 0.0)
            self._rows_plot.setFixedHeight(min(_ROWS_HEIGHT, int(most * self.height())))

    def _add_fold(self, tracks: list[Channel], examination: Examination, drawn: Pictures) -> None:
        unit = str(tracks[0].kind.unit) if tracks else ""
        plot = self.add_plot(unit=unit)
        plot.getAxis("bottom").setStyle(showValues=False)
        plot.getAxis("bottom").setHeight(4)
        if unit == "V":
            plot.setYRange(-0.1, 5.2, padding=0)
            plot.getAxis("left").setTicks([[(v, f"{v} V") for v in range(6)]])
        self._curves, self._names = [], []
        for track in tracks:
            folded = drawn.fold(track)
            curve = pg.PlotCurveItem(folded.travel, folded.values, connect="finite", antialias=True)
            plot.addItem(curve)
            self._curves.append((track.id, curve))
        self._add_names(plot, tracks, examination)
        self._cursor = pg.InfiniteLine(angle=90, movable=False)
        self._cursor.setVisible(False)
        plot.addItem(self._cursor, ignoreBounds=True)

    def _add_names(self, plot: pg.PlotItem, tracks: list[Channel], examination: Examination) -> None:
        """Write each track's name beside its course: the upper one above it, the lower one below.

        It goes on from there to the side on which the course leaves it.
        """
        frames = examination.travel.frames if examination.travel is not None else {}
        at = {t.id: frames[t.id].at(_NAME_PCT) for t in tracks if t.id in frames}
        for track in tracks:
            if track.id not in at:
                continue
            frame = frames[track.id]
            upper = len(at) > 1 and at[track.id] == max(at.values())
            away = _NAME_AWAY * abs(frame.at(100.0) - frame.closed)
            # Where it stands at its end there is no room beyond it.
            away = -away if upper and frame.stands_at is not None else away
            to_left = upper == (frame.open > frame.closed)
            place = _NAME_PCT if to_left else _NAME_PCT - _NAME_WIDE_PCT
            label = pg.TextItem(track.kind.title, anchor=(1.0 if to_left else 0.0, 0.5))
            label.setPos(place, frame.at(place) + (away if upper else -away))
            plot.addItem(label, ignoreBounds=True)
            self._names.append((track.id, label))

    def _add_rows(self, examination: Examination) -> pg.PlotItem:
        plot = self.add_plot(height=_ROWS_HEIGHT)
        count = max(1, len(examination.passes))
        plot.setYRange(0.3, count + 0.7, padding=0)
        plot.getViewBox().invertY(True)  # noqa: FBT003 - the plot library's own argument
        plot.getAxis("left").setTicks([[(1, say("pass 1")), (count, str(count))][: min(count, 2)]])
        plot.getAxis("bottom").setStyle(showValues=False)
        plot.getAxis("bottom").setHeight(4)
        self._rows = pg.PlotCurveItem(connect="pairs")
        self._events = pg.PlotCurveItem(connect="pairs")
        self._chosen = pg.PlotCurveItem(connect="pairs")
        for item in (self._rows, self._events, self._chosen):
            plot.addItem(item)
        spans = [
            (min(p.from_pct, p.to_pct), max(p.from_pct, p.to_pct), float(row))
            for row, p in enumerate(examination.passes, start=1)
        ]
        if spans:
            self._rows.setData(*segments(spans))
        if self._marks:
            self._events.setData(*segments([_wide(m) for m in self._marks]))
        return plot

    def _add_swept(self, examination: Examination) -> None:
        plot = self.add_plot(height=_SWEPT_HEIGHT)
        plot.setYRange(0.0, 1.0, padding=0)
        plot.getAxis("left").setTicks([[(0.5, say("swept"))]])
        plot.getAxis("bottom").setTicks([[(x, f"{x} %") for x in range(0, 101, 10)]])
        self._swept = pg.PlotCurveItem(connect="pairs")
        plot.addItem(self._swept)
        spans = [(a, b, 0.5) for a, b in examination.coverage.swept_pct]
        if spans:
            self._swept.setData(*segments(spans))

    def apply_theme(self, theme: Theme) -> None:
        super().apply_theme(theme)
        for track_id, curve in self._curves:
            curve.setPen(channel_pen(theme, track_id, 150))
        for below in self._below_curves:
            below.setPen(theme.pen("muted", 1, alpha=130))
        self._style_less()
        for track_id, label in self._names:
            label.setColor(channel_pen(theme, track_id).color())
            label.setFont(self.bold_font())
        styles = (
            (self._rows, theme.pen("line", 1)),
            (self._events, theme.pen("inflamed", 4)),
            (self._chosen, theme.pen("inflamed", 6)),
            (self._swept, theme.pen("action", 6)),
        )
        for item, pen in styles:
            if item is not None:
                item.setPen(pen)
        if self._cursor is not None:
            self._cursor.setPen(theme.pen("muted"))
        if self._region is not None:
            self._style_region()

    def _style_less(self) -> None:
        for track_id, curve in self._less:
            curve.setPen(channel_pen(self.theme, track_id))
        for track_id, band in self._bands:
            band.setBrush(channel_pen(self.theme, track_id, 45).color())
        if self._less and self._less_plot is not None:
            words = say("this less the one below, % of travel; shaded: chance, 95 in 100")
            self.name_curves(self._less_plot, [(words, self.theme.color("muted"))])

    def _style_region(self) -> None:
        if self._region is not None:
            self._region.setBrush(self.theme.color("inflamed", 45))
            for line in self._region.lines:
                line.setPen(self.theme.pen("inflamed"))

    def select(self, number: int | None) -> None:
        """Mark a finding's place in the travel and its rows; `None` marks nothing."""
        if not self.plots or self._examination is None:
            return
        if number is not None and self._examination.findings[number].sensor is not self.sensor:
            self._fold(self._examination.findings[number].sensor)
        if self._chosen is None:
            return
        if self._region is not None:
            self.plots[0].removeItem(self._region)
            self._region = None
        own = [m for m in self._marks if m.finding == number]
        self._chosen.setData(*segments([_wide(m) for m in own]))
        if number is None:
            return
        place = place_of(self._examination.findings[number], self._marks, number)
        if place is None:
            return
        low, high = place
        room = max(0.0, _LEAST_MARK_PCT - (high - low)) / 2
        self._region = pg.LinearRegionItem((low - room, high + room), movable=False)
        self._region.setZValue(-5)
        self.plots[0].addItem(self._region)
        self._style_region()
        seen = self.visible()
        if low < seen[0] or high > seen[1]:
            self.show_whole()

    def _move_cursor(self, travel: float) -> None:
        if self._cursor is not None:
            self._cursor.setVisible(True)
            self._cursor.setValue(travel)
        self.place.emit(travel)

    def _clicked(self, event: object) -> None:
        rows = self._rows_plot
        if rows is None or not self.plots:
            return
        position = event.scenePos()  # type: ignore[attr-defined] # an event of the plot library
        point = rows.getViewBox().mapSceneToView(position)
        on_rows = rows.sceneBoundingRect().contains(position)
        hits = [
            (abs(m.row + 1 - point.y()) if on_rows else 0.0, m.to_pct - m.from_pct, m.finding)
            for m in self._marks
            if m.from_pct - 1.0 <= point.x() <= m.to_pct + 1.0
        ]
        if hits and (not on_rows or min(hits)[0] < 1.5):
            self.finding_clicked.emit(min(hits)[2])


def _wide(mark: RowMark) -> tuple[float, float, float]:
    room = max(0.0, _LEAST_MARK_PCT - (mark.to_pct - mark.from_pct)) / 2
    return mark.from_pct - room, mark.to_pct + room, float(mark.row + 1)


def healthy_volts(frames: dict[str, Frame], travel_pct: float) -> dict[str, float]:
    """What sound tracks would read at a travel, by identifier."""
    place = min(max(travel_pct, 0.0), 100.0)
    return {channel: frame.at(place) for channel, frame in frames.items() if channel.endswith("_v")}
