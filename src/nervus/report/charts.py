"""Drawings for a report, as SVG: over travel before and after, over time, and the signal's way."""

from collections.abc import Sequence
from dataclasses import dataclass
from html import escape
from typing import Final

import numpy as np

from nervus.domain.analysis import Analysis, StretchSuspicion
from nervus.domain.channel import Channel, FloatArray, Recording, Sensor, Span
from nervus.drawn.envelope import Envelope
from nervus.drawn.fold import fold_track
from nervus.drawn.pictures import folded_channels
from nervus.judge.words import STRETCH_NAMES, natural_frequency
from nervus.language import figures

_INK, _MUTED, _LINE, _SURFACE = "#1E2A32", "#55636B", "#CFC8BA", "#FBFAF6"
_INFLAMED, _SOFT = "#B3261E", "#E9E4D8"
_COLOURS: Final = {"1": "#0B6E8F", "2": "#A84C08"}
_WIDE, _LEFT, _RIGHT, _TOP, _BOTTOM = 760.0, 58.0, 16.0, 26.0, 30.0
# So many points a curve are drawn at most: more can't be printed.
_COLUMNS = 640
_MOST_FOLDED = 6000


@dataclass(frozen=True, slots=True)
class Drawn:
    """A recording with what was found in it, under a word for it such as "before"."""

    word: str
    recording: Recording
    analysis: Analysis


class _Plot:
    """One plot with its axes; coordinates in the units of what is drawn."""

    def __init__(self, x: Span, y: Span, top: float, height: float) -> None:
        self._x, self._y, self._top, self._height = x, y, top, height
        self.parts: list[str] = []

    def at(self, x: FloatArray, y: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Where points lie on the drawing."""
        width = _WIDE - _LEFT - _RIGHT
        px = _LEFT + (x - self._x[0]) / (self._x[1] - self._x[0]) * width
        py = self._top + (self._y[1] - y) / (self._y[1] - self._y[0]) * self._height
        return px, py

    def frame(self, x_unit: str, y_unit: str, *, x_numbers: bool = True) -> None:
        """Ground, grid and numbers with their units."""
        width = _WIDE - _LEFT - _RIGHT
        self.parts.append(
            f'<rect x="{_LEFT:g}" y="{self._top:g}" width="{width:g}" height="{self._height:g}" '
            f'fill="{_SURFACE}" stroke="{_LINE}"/>'
        )
        for value in nice_steps(*self._y, 5):
            _, py = self.at(np.asarray([0.0]), np.asarray([value]))
            self._line(_LEFT, float(py[0]), _WIDE - _RIGHT, float(py[0]))
            self._text(
                _LEFT - 6,
                float(py[0]) + 4,
                figures("{value:g} {unit}", value=value, unit=y_unit),
                anchor="end",
            )
        for value in nice_steps(*self._x, 9) if x_numbers else ():
            px, _ = self.at(np.asarray([value]), np.asarray([0.0]))
            self._text(
                float(px[0]),
                self._top + self._height + 16,
                figures("{value:g} {unit}", value=value, unit=x_unit),
                anchor="middle",
            )

    def curve(
        self, x: FloatArray, y: FloatArray, colour: str, *, dashed: bool = False, width: float = 1.2
    ) -> None:
        """A curve, broken where it is not a number."""
        px, py = self.at(x, np.clip(y, *self._y))
        known = np.isfinite(px) & np.isfinite(py)
        words, pen = [], "M"
        for good, a, b in zip(known, px, py, strict=True):
            if good:
                words.append(f"{pen}{a:.1f} {b:.1f}")
                pen = "L"
            else:
                pen = "M"
        dash = ' stroke-dasharray="5 3"' if dashed else ""
        self.parts.append(
            f'<path d="{"".join(words)}" fill="none" stroke="{colour}" stroke-width="{width:g}"{dash}/>'
        )

    def band(self, span: Span) -> None:
        """A stretch of x where something was found."""
        low, high = max(span[0], self._x[0]), min(span[1], self._x[1])
        px, _ = self.at(np.asarray([low, high]), np.asarray([0.0, 0.0]))
        self.parts.append(
            f'<rect x="{px[0]:.1f}" y="{self._top:g}" width="{max(px[1] - px[0], 2.0):.1f}" '
            f'height="{self._height:g}" fill="{_INFLAMED}" fill-opacity="0.16"/>'
        )

    def _line(self, x1: float, y1: float, x2: float, y2: float) -> None:
        self.parts.append(
            f'<line x1="{x1:.1f}" y1="{y1:.1f}" x2="{x2:.1f}" y2="{y2:.1f}" '
            f'stroke="{_LINE}" stroke-width="0.6"/>'
        )

    def _text(self, x: float, y: float, text: str, *, anchor: str) -> None:
        self.parts.append(_text(x, y, text, anchor=anchor, colour=_MUTED))


def over_travel(drawn: Sequence[Drawn]) -> bytes | None:
    """Tracks over travel, one recording a row on one scale; `None` where nothing moved."""
    rows = [d for d in drawn if d.analysis.examination.passes and folded_channels(d.recording)]
    if not rows:
        return None
    height = 190.0
    tracks = [c for d in rows for c in folded_channels(d.recording)]
    y = _range(tracks)
    parts: list[str] = []
    top = _TOP
    for number, one in enumerate(rows):
        seen = one.analysis.examination.seen_from(Sensor.THROTTLE)
        plot = _Plot((-1.0, 101.0), y, top, height)
        plot.frame("%", str(tracks[0].kind.unit), x_numbers=number == len(rows) - 1)
        for finding in one.analysis.examination.findings:
            place = getattr(finding, "travel_pct", None)
            if place is not None:
                plot.band(place)
        for track in folded_channels(one.recording):
            folded = fold_track(track, seen)
            every = max(1, folded.travel.size // _MOST_FOLDED)
            plot.curve(
                folded.travel[::every], folded.values[::every], _colour(track), dashed=_is_second(track)
            )
        parts += plot.parts
        parts.append(
            _text(_LEFT, top - 8, f"{one.word}: {_names(folded_channels(one.recording))}", bold=True)
        )
        top += height + _TOP
    return _svg(top - _TOP + _BOTTOM + 4, parts)


def over_time(one: Drawn) -> bytes:
    """The tracks over time, what was found marked; as tall as what the eye can see of it."""
    tracks = folded_channels(one.recording) or list(one.recording.channels[:1])
    plot = _Plot((one.recording.start_s, one.recording.end_s), _range(tracks), _TOP, 190.0)
    plot.frame("s", str(tracks[0].kind.unit))
    for finding in one.analysis.examination.findings:
        for span in finding.times_s[:_MOST_BANDS]:
            plot.band(span)
    for track in tracks:
        x, y = Envelope(track.time_s, track.values).within(
            one.recording.start_s, one.recording.end_s, _COLUMNS
        )
        plot.curve(x, y, _colour(track), dashed=_is_second(track), width=1.0)
    title = _text(_LEFT, _TOP - 8, f"{one.word}: {_names(tracks)}", bold=True)
    return _svg(_TOP + 190.0 + _BOTTOM, [*plot.parts, title])


_MOST_BANDS = 60


def signals_way(stretches: Sequence[StretchSuspicion], *, electronic: bool) -> bytes:
    """The signal's way from metal to computer, the suspicion hatched where it lies, with its number."""
    names = [n for n in STRETCH_NAMES if n != "pedal" or electronic]
    on = {n: sum(s.probability for s in stretches if s.stretch == n) for n in names}
    width = (_WIDE - 2 * _RIGHT) / len(names)
    middle = 40.0
    parts = [
        _HATCH,
        f'<path d="M{_RIGHT:g} {middle:g}H{_WIDE - _RIGHT:g}" stroke="{_INK}" stroke-width="1.5"/>',
    ]
    for number, name in enumerate(names):
        x, share = _RIGHT + number * width, on[name]
        swollen = 9.0 + 20.0 * min(share, 1.0)
        suspected = share >= _WORTH_DRAWING
        fill = "url(#hatch)" if suspected else _SOFT
        box = (
            f'<rect x="{x + 6:.1f}" y="{middle - swollen:.1f}" width="{width - 12:.1f}" '
            f'height="{2 * swollen:.1f}" rx="5"'
        )
        edge = _INFLAMED if suspected else _MUTED
        parts += [f'{box} fill="{_SURFACE}"/>', f'{box} fill="{fill}" stroke="{edge}"/>']
        parts.append(_text(x + width / 2, 88, STRETCH_NAMES[name], anchor="middle"))
        if suspected:
            parts.append(
                _text(
                    x + width / 2,
                    104,
                    natural_frequency(share),
                    anchor="middle",
                    colour=_INFLAMED,
                    bold=True,
                )
            )
    return _svg(114.0, parts)


_WORTH_DRAWING = 0.05
_HATCH = (
    '<defs><pattern id="hatch" width="6" height="6" patternUnits="userSpaceOnUse" '
    'patternTransform="rotate(45)"><line x1="0" y1="0" x2="0" y2="6" '
    f'stroke="{_INFLAMED}" stroke-width="2"/></pattern></defs>'
)


def nice_steps(low: float, high: float, about: int) -> tuple[float, ...]:
    """Round numbers between two ends, about so many of them."""
    rough = (high - low) / max(about, 1)
    power = 10.0 ** np.floor(np.log10(max(rough, 1e-9)))
    step = next(float(m * power) for m in (1.0, 2.0, 5.0, 10.0) if m * power >= rough * 0.999)
    first = np.ceil(low / step - 1e-9) * step
    return tuple(round(float(v), 9) + 0.0 for v in np.arange(first, high + step * 1e-6, step))


def _range(channels: Sequence[Channel]) -> Span:
    low = min(float(c.values.min()) for c in channels)
    high = max(float(c.values.max()) for c in channels)
    room = 0.05 * max(high - low, 0.2)
    return low - room, high + room


def _colour(channel: Channel) -> str:
    return _COLOURS["2" if _is_second(channel) else "1"]


def _is_second(channel: Channel) -> bool:
    return channel.kind.number == 2


def _names(channels: Sequence[Channel]) -> str:
    dashed = " (dashed)"
    return ", ".join(c.kind.title + (dashed if _is_second(c) else "") for c in channels)


def _text(
    x: float, y: float, text: str, *, anchor: str = "start", colour: str = _INK, bold: bool = False
) -> str:
    weight = ' font-weight="bold"' if bold else ""
    return (
        f'<text x="{x:.1f}" y="{y:.1f}" font-family="B612, DejaVu Sans, sans-serif" font-size="11" '
        f'fill="{colour}" text-anchor="{anchor}"{weight}>{escape(text)}</text>'
    )


def _svg(height: float, parts: Sequence[str]) -> bytes:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {_WIDE:g} {height:g}" '
        f'width="{_WIDE:g}" height="{height:g}">{"".join(parts)}</svg>'
    ).encode()
