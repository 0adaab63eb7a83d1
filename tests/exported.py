"""Recordings as programs write them down: what an export does to readings changes no fact.

Each way takes what an instrument read and writes it as loggers and spreadsheets do: in rows on a grid of
their own, only what is new, by a coarse clock, twice. Common practice, no published source.
"""

from collections.abc import Callable

import numpy as np

from altered import LINES, Altered, every, step_of
from nervus.domain.channel import Channel, FloatArray, IntArray, Recording
from nervus.signal.instruments import sampling

_KEEP_ALIVE_S = 1.0


def interval_s(recording: Recording) -> float:
    """Usual time between the readings of the first track."""
    return sampling.interval_s(next(c for c in recording.channels if c.id.startswith(LINES)).time_s)


def on_grid(
    recording: Recording, step_s: float, put: Callable[[Channel, FloatArray], FloatArray]
) -> Recording:
    """Each channel on one even grid of rows."""
    first = min(float(c.time_s[0]) for c in recording.channels)
    last = max(float(c.time_s[-1]) for c in recording.channels)
    grid = np.asarray(first + step_s * np.arange(int((last - first) / step_s) + 1), dtype=np.float64)
    return every(recording, lambda c: (grid, put(c, grid)))


def _last(c: Channel, rows_s: FloatArray) -> FloatArray:
    return c.values[np.clip(np.searchsorted(c.time_s, rows_s, "right") - 1, 0, None)]


def _drawn(c: Channel, rows_s: FloatArray) -> FloatArray:
    return np.round(np.interp(rows_s, c.time_s, c.values), 3)


def last_values(low: float, high: float) -> Altered:
    """The last reading of each channel in each row; that many rows a reading."""

    def alter(recording: Recording, random: np.random.Generator) -> Recording:
        return on_grid(recording, interval_s(recording) / random.uniform(low, high), _last)

    return alter


def drawn(low: float, high: float) -> Altered:
    """Straight lines between readings; that many rows a reading."""

    def alter(recording: Recording, random: np.random.Generator) -> Recording:
        return on_grid(recording, interval_s(recording) / random.uniform(low, high), _drawn)

    return alter


def _new(time_s: FloatArray, columns: list[FloatArray], least: float) -> IntArray:
    """Rows in which something is new by so much, and one each second at least: their numbers."""
    kept, last, since = [], [np.inf] * len(columns), -np.inf
    rows = np.column_stack(columns).tolist()
    for row, (at_s, values) in enumerate(zip(time_s.tolist(), rows, strict=True)):
        moved = any(v != w and abs(v - w) >= least for v, w in zip(values, last, strict=True))
        if moved or at_s - since >= _KEEP_ALIVE_S:
            kept.append(row)
            last, since = values, at_s
    return np.asarray(kept, dtype=np.int64)


def on_change(share: float) -> Altered:
    """A reading is written only if it is new, by such a share of the scale."""

    def alter(recording: Recording, _: np.random.Generator) -> Recording:
        def change(c: Channel) -> tuple[FloatArray, FloatArray]:
            if not c.id.startswith(LINES):
                return c.time_s, c.values
            kept = _new(c.time_s, [c.values], share * (5.0 if c.id.endswith("_v") else 100.0))
            return c.time_s[kept], c.values[kept]

        return every(recording, change)

    return alter


def rows_on_change(recording: Recording, _: np.random.Generator) -> Recording:
    """A row of all last values is written only if one of them is new."""
    stamps = np.unique(np.concatenate([c.time_s for c in recording.channels if c.id.startswith(LINES)]))
    kept = stamps[_new(stamps, [_last(c, stamps) for c in recording.channels], 0.0)]
    return every(recording, lambda c: (kept, _last(c, kept)))


def coarse_clock(step_s: float) -> Altered:
    """The clock is written in steps of so much, though it is read oftener."""

    def alter(recording: Recording, _: np.random.Generator) -> Recording | None:
        if interval_s(recording) > 0.5 * step_s:
            return None
        return every(recording, lambda c: (np.floor(c.time_s / step_s) * step_s, c.values))

    return alter


def some_twice(recording: Recording, random: np.random.Generator) -> Recording:
    """One row in ten is written twice."""
    again: dict[int, IntArray] = {}

    def change(c: Channel) -> tuple[FloatArray, FloatArray]:
        twice = (random.random(c.samples) < 0.1).astype(np.int64)
        times = again.setdefault(c.samples, 1 + twice)
        return np.repeat(c.time_s, times), np.repeat(c.values, times)

    return every(recording, change)


def second_seldom(recording: Recording, _: np.random.Generator) -> Recording | None:
    """The second track is read half as often."""
    seldom = ("tps2", "app2")
    if interval_s(recording) > 0.06 or not any(c.id.startswith(seldom) for c in recording.channels):
        return None

    def change(c: Channel) -> tuple[FloatArray, FloatArray]:
        every_n = 2 if c.id.startswith(seldom) else 1
        return c.time_s[::every_n], c.values[::every_n]

    return every(recording, change)


def averaged(recording: Recording, _: np.random.Generator) -> Recording | None:
    """A unit tells the mean of its last three readings."""
    if interval_s(recording) > 0.02:
        return None

    def change(c: Channel) -> tuple[FloatArray, FloatArray]:
        if not c.id.startswith(LINES):
            return c.time_s, c.values
        v, step = np.concatenate((c.values[[0, 0]], c.values)), max(step_of(c.values), 1e-3)
        return c.time_s, np.round((v[2:] + v[1:-1] + v[:-2]) / 3.0 / step) * step

    return every(recording, change)


def in_packets(recording: Recording, random: np.random.Generator) -> Recording | None:
    """A link sends several readings at once, each stamped as it came in, a millisecond or two apart."""
    step_s = interval_s(recording)
    if not 0.005 <= step_s <= 0.2:
        return None
    first_s = min(float(c.time_s[0]) for c in recording.channels)
    every_s = step_s * int(random.integers(4, 9))
    packets = int(recording.duration_s / every_s) + 2
    came_s = first_s + every_s * np.arange(1, packets + 1) + random.exponential(0.1 * step_s, packets)

    def change(c: Channel) -> tuple[FloatArray, FloatArray]:
        packet = ((c.time_s - first_s) / every_s).astype(np.int64)
        number = np.arange(c.samples) - np.searchsorted(packet, packet)
        return came_s[packet] + 0.05 * step_s * number, c.values

    return every(recording, change)


WAYS: dict[str, Altered] = {
    "last values": last_values(2.0, 6.0),
    "last, near": last_values(1.1, 1.9),
    "lines": drawn(3.0, 6.0),
    "lines, near": drawn(1.0, 1.1),
    "on change": on_change(0.0),
    "rows on change": rows_on_change,
    "on much change": on_change(0.005),
    "whole seconds": coarse_clock(1.0),
    "tenths": coarse_clock(0.1),
    "some twice": some_twice,
    "second seldom": second_seldom,
    "averaged": averaged,
    "packets": in_packets,
}
