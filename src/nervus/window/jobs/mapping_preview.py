"""The first rows of a table as they will be understood: their curves, and their values in words."""

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QWidget

from nervus.domain.channel import CHANNEL_KINDS, OTHER, Channel
from nervus.domain.errors import RecordingUnusable
from nervus.language import figures, say
from nervus.tables.mapping import IGNORE, MARK, TIME, CsvMapping, kind_called
from nervus.window.pictures.plots import Chart
from nervus.window.theme import Theme, channel_pen

if TYPE_CHECKING:
    from nervus.tables.reader import TableRead

_MOST_UNITS = 3
# Pixels of the first plot, and of each more.
_HEIGHT, _MORE = 150, 80


class MappingPreview(Chart):
    """Curves of the first rows, one plot for each unit."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(say("The first rows as they will be understood"), parent)
        self.setMinimumHeight(_HEIGHT)
        self.apply_theme(theme)
        self._read: TableRead | None = None

    def show_nothing(self) -> None:
        """They can't be understood as it stands."""
        self._read = None
        self.clear_plots()

    def show_rows(self, mapping: CsvMapping, rows: tuple[tuple[str, ...], ...]) -> str:
        """Understand and draw rows; returns what can't be, as a sentence, "" if nothing."""
        import pandas as pd  # noqa: PLC0415 - loaded already by whoever read the file

        from nervus.tables.doubts import value_doubts  # noqa: PLC0415
        from nervus.tables.reader import understood  # noqa: PLC0415

        self.show_nothing()
        used = [n for n, c in enumerate(mapping.columns) if c.channel != IGNORE]
        table = pd.DataFrame({n: [row[n] for row in rows] for n in used}, dtype="str")
        try:
            self._read = understood(say("the table"), mapping, table)
        except RecordingUnusable as wrong:
            return f"{wrong.wrong[:1].upper()}{wrong.wrong[1:]}."
        self._draw(self._read.recording.known().channels)
        written = {c.channel: c.unit for c in mapping.columns}
        doubts = value_doubts(self._read.recording, self._read.raw, written)
        told = [d for d in doubts if "can't be" in d.wrong]
        if not told:
            return ""
        title = CHANNEL_KINDS[told[0].channel].title
        looks = say("; it looks like {units}", units=told[0].units[0]) if told[0].units else ""
        return f"{title[:1].upper()}{title[1:]}: {told[0].wrong}{looks}."

    def understood(self, mapping: CsvMapping, count: int) -> list[str]:
        """The first values of each column in words."""
        if self._read is None:
            return [""] * len(mapping.columns)
        recording = self._read.recording
        words = []
        for number, column in enumerate(mapping.columns):
            channel = recording.get(
                kind_called(column).id if column.channel == OTHER else column.channel
            )
            if channel is not None:
                values = ", ".join(figures("{v:.4g}", v=v) for v in channel.values[:count])
                words.append(f"{values} {channel.kind.unit}")
            elif column.channel == TIME:
                timed = self._timed_by(mapping, number)
                words.append(", ".join(figures("{t:.4g}", t=t) for t in timed.time_s[:count]) + " s")
            elif column.channel == MARK:
                words.append(
                    ", ".join(m.text for m in recording.marks[:count]) or say("none in these rows")
                )
            else:
                words.append("")
        return words

    def _timed_by(self, mapping: CsvMapping, number: int) -> Channel:
        """The longest channel whose instants a column of time tells: those behind it, up to the next."""
        channels = self._read.recording.channels if self._read is not None else ()
        behind: list[str] = []
        for column in mapping.columns[number + 1 :]:
            if column.channel == TIME and behind:
                break
            behind += [column.channel] if column.channel in CHANNEL_KINDS else []
        own = [c for c in channels if c.id in behind]
        return max(own or channels, key=lambda c: c.samples)

    def _draw(self, channels: tuple[Channel, ...]) -> None:
        units = list(dict.fromkeys(c.kind.unit for c in channels))[:_MOST_UNITS]
        self.setMinimumHeight(_HEIGHT + _MORE * (len(units) - 1))
        start = min(float(c.time_s[0]) for c in channels)
        end = max(float(c.time_s[-1]) for c in channels)
        for number, unit in enumerate(units):
            last = number == len(units) - 1
            plot = self.add_plot(unit=unit, x_unit="s" if last else "")
            names = []
            for channel in channels:
                if channel.kind.unit == unit:
                    pen = channel_pen(self.theme, channel.id)
                    plot.plot(channel.time_s, channel.values, pen=pen)
                    names.append((channel.kind.title, pen.color()))
            # Room above for the names.
            shown = [c.values for c in channels if c.kind.unit == unit]
            low, high = min(float(v.min()) for v in shown), max(float(v.max()) for v in shown)
            plot.setYRange(low, high + 0.35 * ((high - low) or 1.0), padding=0.02)
            self.name_curves(plot, names)
        self.whole = (start, end)
        self.apply_theme(self.theme)
        self.show_whole()
