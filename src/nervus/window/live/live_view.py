"""The live picture: big readouts, and the last seconds over time."""

from collections.abc import Mapping
from typing import Final

import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from nervus.domain.channel import CHANNEL_KINDS, FloatArray, Unit
from nervus.language import figures, say
from nervus.window.live.live_trace import LiveTrace
from nervus.window.pictures.marks_strip import Label
from nervus.window.pictures.plots import Chart
from nervus.window.theme import BRIGHT, Theme, channel_pen

SPAN_S, _COLUMNS = 20.0, 560
# What is worth a big readout, most wanted first, and how many decimals its sources support.
_READOUTS = (
    "tps1_v",
    "tps2_v",
    "tps1_pct",
    "tps2_pct",
    "throttle_cmd_pct",
    "pedal_pct",
    "rpm",
    "batt_v",
)
_DECIMALS: Final[dict[str, int]] = {Unit.VOLT: 2, Unit.PERCENT: 1, Unit.PER_MINUTE: 0}
MOST_READOUTS = 6
# So high the whole has to be, in pixels, for the numbers to leave the picture enough.
_ROOM_FOR_NUMBERS = 170
_USUAL_READOUTS = 5
_NAMES = {"throttle_cmd_pct": say("command"), "rpm": say("engine")}


class Readout(QWidget):
    """One number that can be read from two metres away, with its name and unit."""

    def __init__(self, channel: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._kind = CHANNEL_KINDS[channel]
        self._shown = self._rings = ""
        self._called = name = _NAMES.get(channel, self._kind.title.removesuffix(say(" as reported")))
        self._name = QLabel(name, self)
        self._name.setObjectName("quiet")
        self.number = QLabel("", self)
        self.number.setObjectName("readout")
        self.number.setAccessibleName(self._kind.title)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._name)
        column.addWidget(self.number)

    def ring(self, words: str) -> None:
        """It is beyond its limit, in words; "" for within."""
        if words == self._rings:
            return
        self._rings = words
        self._name.setText(
            f"▲ {words.removeprefix(self._kind.title).strip()}" if words else self._called
        )
        self.setProperty("rings", bool(words))
        style = self.style()
        assert style is not None  # noqa: S101 - a widget has a style
        for widget in (self._name, self.number):
            style.unpolish(widget)
            style.polish(widget)

    def show_value(self, value: float) -> None:
        """The newest value."""
        decimals = _DECIMALS.get(self._kind.unit, 1)
        text = figures(f"{{value:.{decimals}f}}", value=value)
        if text != self._shown:
            self._shown = text
            self.number.setText(f'{text}<span style="font-size:15px">&nbsp;{self._kind.unit}</span>')


class LiveView(QFrame):
    """Readouts above, volts (or percent) of the last seconds below."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme: Theme = BRIGHT
        self._traces: dict[str, LiveTrace] = {}
        self._curves: dict[str, pg.PlotCurveItem] = {}
        self._readouts: dict[str, Readout] = {}
        self._marks: list[tuple[float, str, pg.InfiniteLine]] = []
        self._now = 0.0
        self._labelled = 0
        self.chosen: tuple[str, ...] = ()
        """What is shown large, where somebody has chosen it."""
        self._row = QHBoxLayout()
        self._row.setSpacing(16)
        self.chart = Chart(say("The last seconds, live"), self)
        self.plot = self.chart.add_plot(x_unit="s")
        self.plot.setMouseEnabled(x=False, y=False)
        self.plot.getViewBox().disableAutoRange()
        # The past stands still under the axis, so that the axis is drawn once.
        self.plot.setXRange(-SPAN_S, 0.0, padding=0)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(self._row)
        column.addWidget(self.chart, 1)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Where there is little room the picture keeps it: the nerve has the volts too."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        for readout in self._readouts.values():
            readout.setVisible(self.height() >= _ROOM_FOR_NUMBERS)

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.chart.apply_theme(theme)
        for channel, curve in self._curves.items():
            curve.setPen(self._pen(channel))

    def _pen(self, channel: str) -> object:
        pen = channel_pen(self._theme, channel)
        pen.setWidthF(1.0)
        pen.setStyle(Qt.PenStyle.SolidLine)
        return pen

    def clear(self) -> None:
        """Forget everything that was shown."""
        for readout in self._readouts.values():
            self._row.removeWidget(readout)
            readout.deleteLater()
        for item in (*self._curves.values(), *(line for _, _, line in self._marks)):
            self.plot.removeItem(item)
        self._traces, self._curves, self._readouts, self._marks = {}, {}, {}, []
        self._now = 0.0

    def add(self, channel: str, time_s: FloatArray, values: FloatArray) -> None:
        """Extend a channel by what has come."""
        trace = self._traces.get(channel)
        if trace is None:
            trace = self._begin(channel)
        trace.add(time_s, values)
        if time_s.size:
            self._now = max(self._now, float(time_s[-1]))

    def _begin(self, channel: str) -> LiveTrace:
        trace = self._traces[channel] = LiveTrace(SPAN_S, _COLUMNS)
        if self._is_drawn(channel):
            curve = pg.PlotCurveItem(pen=self._pen(channel), antialias=False)
            self.plot.addItem(curve)
            self._curves[channel] = curve
            self._set_range()
        self._show_readouts()
        return trace

    @property
    def large(self) -> tuple[str, ...]:
        """What is shown large now."""
        chosen = [c for c in self.chosen if c in self._traces]
        usual = [c for c in _READOUTS if c in self._traces and self._is_read(c)][:_USUAL_READOUTS]
        return tuple(chosen or usual)

    def choose(self, chosen: tuple[str, ...]) -> None:
        """Show these values large; the usual ones for none."""
        self.chosen = chosen
        self._show_readouts()

    def ring(self, ringing: Mapping[str, str]) -> None:
        """Which values are beyond their limits, in words."""
        for name, readout in self._readouts.items():
            readout.ring(ringing.get(name, ""))

    def _show_readouts(self) -> None:
        wanted = self.large
        for name in [n for n in self._readouts if n not in wanted]:
            self._readouts.pop(name).deleteLater()
        for place, name in enumerate(wanted):
            if name not in self._readouts:
                self._readouts[name] = Readout(name, self)
            self._row.insertWidget(place, self._readouts[name], 1)
        self._fit()

    def _is_drawn(self, channel: str) -> bool:
        volts = any(c.startswith("tps") and c.endswith("_v") for c in self._traces)
        if channel.endswith("_v") and channel != "batt_v":
            return True
        return channel.startswith("tps") and not volts

    def _is_read(self, channel: str) -> bool:
        return not (channel.endswith("_pct") and channel[:4] in ("tps1", "tps2")) or not any(
            c == f"{channel[:4]}_v" for c in self._traces
        )

    def _set_range(self) -> None:
        volts = any(c.endswith("_v") for c in self._curves)
        for name in [c for c in self._curves if volts and c.endswith("_pct")]:
            self.plot.removeItem(self._curves.pop(name))
        low, high = (-0.2, 5.3) if volts else (-2.0, 104.0)
        self.plot.setYRange(low, high, padding=0)
        names = [(CHANNEL_KINDS[c].title, self._pen(c).color()) for c in self._curves]  # type: ignore[attr-defined] # a pen
        unit = "V" if volts else "%"
        self.chart.name_curves(self.plot, [(f"{n}, {unit}", colour) for n, colour in names])

    def mark(self, time_s: float, text: str) -> None:
        """Draw a mark."""
        line = pg.InfiniteLine(
            time_s - self._now, pen=self._theme.pen("action", 1.0, Qt.PenStyle.DashLine)
        )
        self.plot.addItem(line)
        self._marks.append((time_s, text, line))

    def draw(self) -> None:
        """One frame."""
        for channel, curve in self._curves.items():
            times, values = self._traces[channel].points()
            curve.setData(times - self._now, values, skipFiniteCheck=True)
        for name, readout in self._readouts.items():
            readout.show_value(self._traces[name].last)
        while self._marks and self._marks[0][0] < self._now - SPAN_S:
            self.plot.removeItem(self._marks.pop(0)[2])
        for when, _text, line in self._marks:
            line.setValue(when - self._now)
        if self._marks or self.chart.strip.height:
            at = [(when - self._now, text) for when, text, _line in self._marks]
            labels = [Label(text, text, x, x, is_remark=True) for x, text in at]
            if len(labels) == self._labelled:
                self.chart.strip.show_labels(labels, self.plot)
            else:
                self.chart.show_labels(labels)
                self._labelled = len(labels)

    @property
    def now_s(self) -> float:
        """The instant of the newest sample."""
        return self._now

    @property
    def latest(self) -> dict[str, float]:
        """The newest value of each channel."""
        return {name: trace.last for name, trace in self._traces.items()}
