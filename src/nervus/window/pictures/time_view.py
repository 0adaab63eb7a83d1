"""The recording over time: one plot for each unit, findings and marks above it."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QWidget

from nervus.domain.analysis import Examination
from nervus.domain.channel import Channel, Recording, Span, Unit
from nervus.domain.finding import Finding
from nervus.drawn.channels import LEAST_HEIGHT, MOST_HEIGHT, Arranged, usual_channels
from nervus.drawn.envelope import Envelope, bridged
from nervus.drawn.pictures import Pictures, Under
from nervus.language import figures, say
from nervus.window.pictures.bands import Bands
from nervus.window.pictures.marks_strip import Label
from nervus.window.pictures.plots import NAME_HEIGHT, Chart, Curve, segments
from nervus.window.pictures.rulers import Rulers
from nervus.window.theme import Theme, channel_pen

# Volts are shown over at least this much, so that noise does not fill the picture.
_LEAST_VOLTS = 1.0
# No finding is narrower in its lane than this share of what is shown.
_LEAST_IN_LANE = 0.004
# A finding is shown with at least this much time around it.
_AROUND_S, _AROUND_SHARE = 0.4, 3.0
# Plots of the other units are this tall.
_SIDE_PLOT = 74
# All of them together get this share of the height at most.
_SIDES_AT_MOST = 0.38
# With more plots below than these the picture may outgrow the window: the tracks keep this height.
_FEW_SIDES, _LEAST_TRACKS, _GAP = 3, 170, 5
# A plot lower than this does not hold its name; the axis under the last one is as high as that.
_LEAST_SIDE, _AXIS = 24 + NAME_HEIGHT, 18


class TimeView(Chart):
    """All channels over time.

    Signals:
        moment: the instant under the cursor, in seconds.
        finding_clicked: number of the finding that was clicked on.
        measured: both cursors, in seconds, as they stand now.
    """

    moment = pyqtSignal(float)
    finding_clicked = pyqtSignal(int)
    measured = pyqtSignal(float, float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(say("The recording over time"), parent)
        self._recording: Recording | None = None
        self._findings: tuple[Finding, ...] = ()
        self._drawn: Pictures | None = None
        self.arranged = Arranged()
        """Which channels are drawn, and how."""
        self._key_off: tuple[tuple[float, float], ...] = ()
        self._curves: list[tuple[Channel, Envelope, pg.PlotCurveItem]] = []
        self._shown: list[tuple[pg.PlotItem, list[Channel]]] = []
        self._lane: pg.PlotCurveItem | None = None
        self._lane_v = 0.0
        self._selected: list[Bands] = []
        self._off: list[Bands] = []
        self._under: list[tuple[Envelope, float, pg.PlotCurveItem]] = []
        self._rulers = Rulers(self)
        self._rulers.moved.connect(self.measured)
        self._mark_lines: list[pg.InfiniteLine] = []
        self._words: tuple[Label, ...] = ()
        self._under_mouse = -np.inf
        self._drawn_wide = 0
        self._cursors: list[pg.InfiniteLine] = []
        self.sigDeviceRangeChanged.connect(lambda *_sizes: self._resized())
        self.hovered.connect(self._move_cursor)
        self.scene().sigMouseClicked.connect(self._clicked)

    def show_recording(
        self, recording: Recording, examination: Examination, pictures: Pictures | None = None
    ) -> None:
        """Draw a recording with what was found in it; at first the usual channels of it."""
        self._recording = recording
        self._findings = examination.findings
        self._key_off = examination.key_off_s
        self._drawn = pictures or Pictures(recording, examination)
        self.arranged = replace(self.arranged, channels=usual_channels(recording))
        self._words = tuple(
            Label(f"mark {n}", m.text, m.time_s, m.time_s) for n, m in enumerate(recording.marks)
        )
        self._draw(recording, self._drawn)
        self.show_whole()
        self._refresh()

    def arrange(self, arranged: Arranged) -> None:
        """Draw these channels of the recording, where one looks now; of none, the usual ones."""
        if self._recording is None or self._drawn is None:
            return
        seen, rulers = self.visible(), self.rulers
        channels = arranged.channels or usual_channels(self._recording)
        self.arranged = replace(arranged, channels=channels)
        self._draw(self._recording, self._drawn)
        self.plots[0].setXRange(*seen, padding=0)  # exactly where one looked
        if rulers:
            self.measure(on=True)
            for number, at in enumerate(rulers):
                self._rulers.move(number, at)
        self._refresh()

    def _draw(self, recording: Recording, drawn: Pictures) -> None:
        self.clear_plots()
        self._curves, self._selected, self._cursors, self._shown = [], [], [], []
        self._rulers.forget()
        self._under = []
        self._off, self._mark_lines = [], []
        self.whole = (recording.start_s, recording.end_s)
        for row, channels in enumerate(self.arranged.plots(recording)):
            self._add_plot_of(channels, drawn, first=row == 0)
        for plot in self.plots[:-1]:
            plot.hideAxis("bottom")  # it would be drawn anew in every frame, and says nothing
        self._add_findings()
        self.show_words(self._words)
        length = max(recording.duration_s, 1e-3)
        self.plots[0].setLimits(xMin=self.whole[0] - 0.02 * length, xMax=self.whole[1] + 0.02 * length)
        self.plots[0].sigXRangeChanged.connect(self._refresh)
        self.apply_theme(self.theme)
        self._fit_sides()

    @property
    def needs(self) -> int:
        """How high it must be for all its plots, in pixels; 0 where any height will do."""
        sides = len(self._shown) - 1
        return _LEAST_TRACKS + sides * (_LEAST_SIDE + _GAP) + _AXIS if sides > _FEW_SIDES else 0

    def _resized(self) -> None:
        self._fit_sides()
        # Curves hold as many columns as there were pixels: in a wider picture they would have gaps.
        if self._curves and self.width() != self._drawn_wide:
            self._refresh()

    def _fit_sides(self) -> None:
        """The plots below leave the tracks half of the height, unless somebody wants it else."""
        sides = self._shown[1:]
        if not sides:
            return
        wanted = [self.arranged.heights.get(channels[0].id, 1.0) for _plot, channels in sides]
        first = self.arranged.heights.get(self._shown[0][1][0].id, 1.0)
        at_most = self.height() * _SIDES_AT_MOST / (_SIDES_AT_MOST + (1.0 - _SIDES_AT_MOST) * first)
        share = at_most / sum(wanted)
        for (plot, _channels), times in zip(sides, wanted, strict=True):
            axis = _AXIS if plot is self.plots[-1] else 0
            high = min(_SIDE_PLOT * times, max(share * times, _LEAST_SIDE))
            plot.setFixedHeight(int(high) + axis)
        # What was too high for a moment has made the drawing higher than the picture.
        self.ci.layout.activate()
        self.ci.setGeometry(QRectF(0.0, 0.0, self.viewport().width(), self.viewport().height()))

    def make_taller(self, plot: int, times: float) -> None:
        """Make a plot so many times as high as it is."""
        if plot < len(self._shown):
            name = self._shown[plot][1][0].id
            now = self.arranged.heights.get(name, 1.0) * times
            high = min(max(now, LEAST_HEIGHT), MOST_HEIGHT)
            self.arranged = replace(self.arranged, heights={**self.arranged.heights, name: high})
            self._fit_sides()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """With Ctrl the plot under the mouse gets taller or lower; else the picture moves closer."""
        if event is None or not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            super().wheelEvent(event)
            return
        point = self.mapToScene(event.position().toPoint())
        under = [n for n, plot in enumerate(self.plots) if plot.sceneBoundingRect().contains(point)]
        if under:
            self.make_taller(under[0], 1.15 if event.angleDelta().y() > 0 else 1 / 1.15)
        event.accept()

    def _add_plot_of(self, channels: list[Channel], drawn: Pictures, *, first: bool) -> None:
        unit = channels[0].kind.unit
        plot = self.add_plot(height=None if first else _SIDE_PLOT, x_unit="s", unit=str(unit))
        low, high = _value_range(unit, channels)
        plot.setYRange(low, high, padding=0)
        if not first:
            plot.getAxis("left").setTicks([[(y, figures("{y:.4g}", y=y)) for y in _ends(channels)]])
        for channel in channels:
            curve = Curve(antialias=True)
            plot.addItem(curve)
            self._curves.append((channel, drawn.envelope(channel), curve))
        self._shown.append((plot, channels))
        cursor = pg.InfiniteLine(angle=90, movable=False)
        cursor.setVisible(False)
        plot.addItem(cursor, ignoreBounds=True)
        self._cursors.append(cursor)

    def _add_findings(self) -> None:
        plot = self.plots[0]
        low, high = plot.getViewBox().viewRange()[1]
        self._lane_v = high - 0.03 * (high - low)
        self._lane = pg.PlotCurveItem(connect="pairs")
        plot.addItem(self._lane)
        if self._key_off:
            off = Bands(self._key_off)
            plot.addItem(off, ignoreBounds=True)
            self._off.append(off)

    def show_words(self, labels: Sequence[Label]) -> None:
        """Marks and remarks: a line for each, its words in the strip above."""
        self._words = tuple(labels)
        if not self.plots:
            return
        for line in self._mark_lines:
            self.plots[0].removeItem(line)
        self._mark_lines = []
        for at in [label.from_s for label in labels if not label.is_remark]:
            line = pg.InfiniteLine(at, angle=90)
            self.plots[0].addItem(line, ignoreBounds=True)
            self._mark_lines.append(line)
        self.show_labels(labels)
        self._style_marks()

    @property
    def where(self) -> tuple[float, float]:
        """Both measuring cursors; else twice the instant under the mouse, or the middle."""
        if self.rulers:
            return self.rulers[0], self.rulers[1]
        low, high = self.visible()
        at = self._under_mouse if low <= self._under_mouse <= high else (low + high) / 2.0
        return at, at

    def go_to(self, time_s: float) -> None:
        """Move the picture so that an instant is in it."""
        low, high = self.visible()
        if not low <= time_s <= high:
            half = (high - low) / 2.0
            self.show_span((time_s - half, time_s + half), 0.0)

    def measure(self, *, on: bool) -> None:
        """Put two measuring cursors into the picture, or take them away."""
        if not on or not self.plots:
            self._rulers.take_out()
            return
        self._rulers.put_into(self.plots, self.visible())
        self._rulers.apply_theme(self.theme)

    @property
    def rulers(self) -> tuple[float, ...]:
        """Where both measuring cursors stand, in seconds; none while nothing is measured."""
        return self._rulers.at_s

    @property
    def active(self) -> int:
        """Which of the two measuring cursors the keys move."""
        return self._rulers.active

    @active.setter
    def active(self, number: int) -> None:
        self._rulers.active = number

    def put_ruler(self, number: int, time_s: float) -> None:
        """Move a measuring cursor; one that leaves what is shown takes the picture along."""
        if not self.rulers:
            return
        self._rulers.move(number, min(max(time_s, self.whole[0]), self.whole[1]))
        self.go_to(time_s)

    def lay_under(self, under: Under | None, shift_s: float = 0.0) -> None:
        """Draw another recording's channels below these, later by `shift_s`; `None` takes them away."""
        for plot, _channels in self._shown:
            for _envelope, _shift, curve in self._under:
                if curve in plot.items:
                    plot.removeItem(curve)
        self._under = []
        for plot, channels in self._shown if under is not None else ():
            for channel in channels:
                other = under.recording.get(channel.id) if under is not None else None
                if other is None or under is None:
                    continue
                curve = Curve(antialias=False)
                curve.setZValue(-10)
                plot.addItem(curve, ignoreBounds=True)
                self._under.append((under.pictures.envelope(other), shift_s, curve))
        self.apply_theme(self.theme)
        self._refresh()

    def _draw_lane(self) -> None:
        """What was found, above the curves: each wide enough to be seen, about its middle."""
        if self._lane is None:
            return
        low, high = self.visible()
        least = _LEAST_IN_LANE * (high - low)
        seen = ((a, b) for f in self._findings for a, b in f.times_s if b >= low and a <= high)
        wider = ((a, b, max(least - (b - a), 0.0) / 2.0) for a, b in seen)
        spans = [(a - more, b + more, self._lane_v) for a, b, more in wider]
        self._lane.setData(*(segments(spans) if spans else ([], [])))

    def apply_theme(self, theme: Theme) -> None:
        super().apply_theme(theme)
        for channel, _, curve in self._curves:
            curve.setPen(channel_pen(theme, channel.id))
        for plot, channels in self._shown:
            names = [(_name(c), channel_pen(theme, c.id).color()) for c in channels]
            self.name_curves(plot, names)
        if self._lane is not None:
            self._lane.setPen(theme.pen("inflamed", 6))
        for cursor in self._cursors:
            cursor.setPen(theme.pen("muted", 1, Qt.PenStyle.DashLine))
        self._rulers.apply_theme(theme)
        self._style_marks()
        self._style_under()
        for bands in self._selected:
            self._colour(bands, "inflamed", 32)
        for bands in self._off:
            self._colour(bands, "muted", 50)

    def _style_marks(self) -> None:
        for line in self._mark_lines:
            line.setPen(self.theme.pen("muted", 1, Qt.PenStyle.DotLine))

    def _style_under(self) -> None:
        for _envelope, _shift, curve in self._under:
            curve.setPen(self.theme.pen("muted", 1, alpha=130))

    def _colour(self, bands: Bands, token: str, alpha: int) -> None:
        bands.set_colours(self.theme.color(token, alpha), self.theme.color(token, 90))

    def select(self, number: int | None) -> None:
        """Mark a finding and go to it; `None` marks nothing."""
        for bands in self._selected:
            for plot in self.plots:
                if bands in plot.items:
                    plot.removeItem(bands)
        self._selected = []
        if number is None or not self._findings[number].times_s:
            return
        spans = self._findings[number].times_s
        for plot in self.plots:
            bands = Bands(spans)
            plot.addItem(bands, ignoreBounds=True)
            self._selected.append(bands)
            self._colour(bands, "inflamed", 32)
        first, last = spans[0][0], spans[-1][1]
        self.show_span((first, last), max(_AROUND_S, _AROUND_SHARE * (last - first) * (len(spans) == 1)))

    def marked(self) -> tuple[Span, ...]:
        """The stretches of the finding that is marked now."""
        return self._selected[0].spans if self._selected else ()

    def in_lane(self) -> tuple[Span, ...]:
        """The stretches that are drawn above the curves now."""
        ends = self._lane.getData()[0] if self._lane is not None else None
        if ends is None:
            return ()
        return tuple((float(a), float(b)) for a, b in zip(ends[::2], ends[1::2], strict=True))

    def shift_under(self, shift_s: float) -> None:
        """Move what lies below: it is later by so much."""
        self._under = [(envelope, shift_s, curve) for envelope, _old, curve in self._under]
        self._refresh()

    def _refresh(self) -> None:
        self._draw_lane()
        self.strip.place()
        start, end = self.visible()
        self._drawn_wide = self.width()
        columns = max(200, round(self._drawn_wide * self.devicePixelRatioF()))
        for envelope, shift, curve in self._under:
            x, y = envelope.within(start - shift, end - shift, columns)
            curve.setData(x + shift, y, skipFiniteCheck=True)
        for channel, envelope, curve in self._curves:
            x, y = envelope.within(start, end, columns)
            # A dense curve is a surface: dashes and soft edges would cost most and show nothing.
            dense = x.size > columns
            pen = channel_pen(self.theme, channel.id)
            if dense:
                pen.setStyle(Qt.PenStyle.SolidLine)
                pen.setWidthF(1.0)
            curve.setPen(pen)
            strokes = bridged(x, y) if dense else None
            how = "all" if strokes is None else "pairs"
            y = y if strokes is None else strokes
            curve.setSegmentedLineMode("auto" if strokes is None else "on")
            curve.setData(x, y, skipFiniteCheck=True, antialias=not dense, connect=how)

    def _move_cursor(self, time_s: float) -> None:
        for cursor in self._cursors:
            cursor.setVisible(True)
            cursor.setValue(time_s)
        self._under_mouse = time_s
        self.moment.emit(time_s)

    def _clicked(self, event: object) -> None:
        if not self.plots or self._recording is None:
            return
        position = event.scenePos()  # type: ignore[attr-defined] # an event of the plot library
        time_s = float(self.plots[0].getViewBox().mapSceneToView(position).x())
        low, high = self.visible()
        reach = 0.01 * (high - low)
        near = [
            (min(abs(a - time_s), abs(b - time_s)) * (not a <= time_s <= b), number)
            for number, f in enumerate(self._findings)
            for a, b in f.times_s
        ]
        near = [n for n in near if n[0] <= reach]
        if near:
            self.finding_clicked.emit(min(near)[1])


def volts_at(recording: Recording, time_s: float) -> dict[str, float]:
    """What each volt channel last showed at an instant, by identifier."""
    shown = {}
    for channel in recording.channels:
        if channel.kind.unit is Unit.VOLT and channel.time_s[0] <= time_s:
            index = int(np.searchsorted(channel.time_s, time_s, side="right")) - 1
            shown[channel.id] = float(channel.values[index])
    return shown


def _name(channel: Channel) -> str:
    """A channel's name in its plot; volts stand at the axis, other units here."""
    unit = channel.kind.unit
    return channel.kind.title if unit in (Unit.VOLT, "") else f"{channel.kind.title}, {unit}"


def _ends(channels: list[Channel]) -> tuple[float, float]:
    """Lowest and highest value of some channels."""
    low = min(float(c.values.min()) for c in channels)
    high = max(float(c.values.max()) for c in channels)
    return low, high


def _value_range(unit: str, channels: list[Channel]) -> tuple[float, float]:
    """What the y axis shows: all values, and room for the lane of findings above."""
    low, high = _ends(channels)
    least = _LEAST_VOLTS if unit is Unit.VOLT else 1e-6
    span = max(high - low, least)
    middle = (low + high) / 2
    return middle - 0.58 * span, middle + 0.62 * span
