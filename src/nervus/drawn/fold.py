"""Folding a recording over travel: each pass as one curve, and what left its course as segments."""

from dataclasses import dataclass

import numpy as np

from nervus.domain.analysis import Examination, Pass
from nervus.domain.channel import Channel, FloatArray, Sensor, Span
from nervus.domain.finding import DeadSpot, Finding, Noise
from nervus.signal.arithmetic.spans import overlaps

# More points than this for a pass and track say nothing more on a screen; where passes lie on each other
# by the thousand, fewer of each do, and all of them together stay paintable.
_MOST_POINTS, _LEAST_POINTS, _MOST_IN_ALL = 1500, 120, 250_000


@dataclass(frozen=True, slots=True, eq=False)
class FoldedTrack:
    """All passes of one track as one curve, broken by NaN between the passes."""

    channel: Channel
    travel: FloatArray
    values: FloatArray


@dataclass(frozen=True, slots=True)
class RowMark:
    """A stretch of travel in one pass in which a finding shows."""

    row: int
    from_pct: float
    to_pct: float
    finding: int


def fold_track(channel: Channel, examination: Examination) -> FoldedTrack:
    """One track over travel; nothing where the travel is unknown."""
    travel = examination.travel
    xs: list[FloatArray] = []
    ys: list[FloatArray] = []
    gap = np.asarray([np.nan])
    rows = _rows(examination) if travel is not None else []
    most = min(max(_MOST_IN_ALL // max(len(rows), 1), _LEAST_POINTS), _MOST_POINTS)
    for start, end in rows:
        here = slice(*np.searchsorted(channel.time_s, (start, end)))
        x = np.interp(channel.time_s[here], travel.time_s, travel.percent)  # type: ignore[union-attr] # no passes without travel
        x, y = _thin(x, channel.values[here], most)
        xs += [x, gap]
        ys += [y, gap]
    if not xs:
        return FoldedTrack(channel, np.empty(0), np.empty(0))
    return FoldedTrack(channel, np.concatenate(xs), np.concatenate(ys))


def _rows(examination: Examination) -> list[Span]:
    """Start and end of each row: a pass with the rest after it, so that nothing falls between."""
    starts = [p.start_s for p in examination.passes]
    return list(zip(starts, [*starts[1:], np.inf], strict=True)) if starts else []


def _thin(x: FloatArray, y: FloatArray, most: int) -> tuple[FloatArray, FloatArray]:
    """At most so many points; of each group the lowest and the highest are kept."""
    if x.size <= most:
        return x, y
    size = -(-x.size // (most // 2))
    whole = x.size // size * size
    groups = y[:whole].reshape(-1, size)
    offset = np.arange(groups.shape[0]) * size
    picks = np.sort(np.concatenate((offset + groups.argmin(axis=1), offset + groups.argmax(axis=1))))
    return x[picks], y[picks]


def row_marks(whole: Examination, sensor: Sensor = Sensor.THROTTLE) -> tuple[RowMark, ...]:
    """For each pass of a sensor, where in its travel its findings show, numbered as in the whole."""
    examination = whole.seen_from(sensor)
    travel = examination.travel
    if travel is None:
        return ()
    marks = []
    rows = _rows(examination)
    starts = np.asarray([start for start, _ in rows])
    for number, finding in enumerate(whole.findings):
        if finding.sensor is not sensor:
            continue
        for span in finding.times_s:
            # Rows are in the order of time and touch: those that a span reaches lie side by side.
            first = max(0, int(np.searchsorted(starts, span[0], side="right")) - 1)
            last = int(np.searchsorted(starts, span[1], side="right"))
            for row in range(first, last):
                ends = np.interp(np.clip(span, *rows[row]), travel.time_s, travel.percent)
                marks.append(RowMark(row, float(ends.min()), float(ends.max()), number))
        if isinstance(finding, Noise):
            crossed = (r for r, p in enumerate(examination.passes) if _crosses(p, finding))
            marks += (RowMark(row, *finding.travel_pct, number) for row in crossed)
    return tuple(sorted(marks, key=lambda m: (m.finding, m.row)))


def _crosses(a_pass: Pass, finding: Noise) -> bool:
    reach = (min(a_pass.from_pct, a_pass.to_pct), max(a_pass.from_pct, a_pass.to_pct))
    return overlaps(reach, finding.travel_pct)


def place_of(finding: Finding, marks: tuple[RowMark, ...], number: int) -> tuple[float, float] | None:
    """Where in the travel a finding lies, for marking it on the picture."""
    if isinstance(finding, DeadSpot | Noise):
        return finding.travel_pct
    own = [m for m in marks if m.finding == number]
    if own:
        return min(m.from_pct for m in own), max(m.to_pct for m in own)
    at = getattr(finding, "at_travel_pct", None)
    if at is not None:
        return float(at), float(at)
    place = getattr(finding, "travel_pct", None)
    return (float(place[0]), float(place[1])) if place is not None else None
