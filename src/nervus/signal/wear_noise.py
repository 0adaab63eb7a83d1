"""Noisy stretches: worn places where the signal stays connected but is rough, pass after pass."""

import numpy as np

from nervus.domain.analysis import Pass
from nervus.domain.channel import FloatArray
from nervus.domain.finding import Noise, Span
from nervus.signal.intervals import wilson
from nervus.signal.levels import TrackSignal
from nervus.signal.spans import inside, merge

_CELL_PCT = 2.0
# Rough is more than this many times what the track usually shows while it moves ...
_ROUGH = 3.0
# ... and more than this many resolution steps, or rounding would count as wear.
_ROUGH_STEPS = 1.5
_LEAST_PASSES = 3
_LEAST_SAMPLES = 4
_LEAST_CELLS = 2


def noisy_stretches(
    track: TrackSignal,
    percent: FloatArray,
    passes: tuple[Pass, ...],
    faulty: tuple[Span, ...],
) -> tuple[Noise, ...]:
    """Stretches of travel over which the track is rough in most passes.

    Args:
        track: the track.
        percent: its travel, shape (n,).
        passes: of the travel.
        faulty: spans that other findings explain.
    """
    if track.level.size < 5 or not passes:
        return ()
    rough = _roughness(track)
    rough[inside(track.time_s, faulty, 3.0 * track.interval_s)] = np.nan
    table = _by_pass_and_cell(track, percent, rough, passes)
    usual = float(np.nanmedian(table)) if np.isfinite(table).any() else 0.0
    least = max(_ROUGH * usual, _ROUGH_STEPS * track.resolution)
    stretches = []
    for cell in range(table.shape[1]):
        column = table[:, cell]
        column = column[np.isfinite(column)]
        if column.size >= _LEAST_PASSES and np.median(column) > least:
            stretches.append((cell * _CELL_PCT, (cell + 1) * _CELL_PCT))
    joined = merge(stretches, _CELL_PCT + 1e-9)
    return tuple(
        _finding(track, table, place, usual)
        for place in joined
        if place[1] - place[0] >= _LEAST_CELLS * _CELL_PCT - 1e-9
    )


def _roughness(track: TrackSignal) -> FloatArray:
    """Each sample against the middle of its neighbours, scaled to the deviation of one sample."""
    rough = np.full(track.level.shape, np.nan)
    bend = track.level[1:-1] - (track.level[:-2] + track.level[2:]) / 2
    rough[1:-1] = bend / np.sqrt(1.5)
    gap = np.diff(track.time_s) > 1.6 * track.interval_s
    rough[1:][gap] = np.nan
    rough[:-1][gap] = np.nan
    return rough


def _by_pass_and_cell(
    track: TrackSignal, percent: FloatArray, rough: FloatArray, passes: tuple[Pass, ...]
) -> FloatArray:
    """Effective roughness for each pass and cell of travel, shape (passes, cells)."""
    cells = int(np.ceil(100.0 / _CELL_PCT))
    table = np.full((len(passes), cells), np.nan)
    for row, p in enumerate(passes):
        here = slice(
            int(np.searchsorted(track.time_s, p.start_s)),
            int(np.searchsorted(track.time_s, p.end_s, side="right")),
        )
        cell = np.clip((percent[here] / _CELL_PCT).astype(np.int64), 0, cells - 1)
        good = np.isfinite(rough[here])
        counts = np.bincount(cell[good], minlength=cells)
        power = np.bincount(cell[good], weights=rough[here][good] ** 2, minlength=cells)
        enough = counts >= _LEAST_SAMPLES
        table[row, enough] = np.sqrt(power[enough] / counts[enough])
    return table


def _finding(track: TrackSignal, table: FloatArray, place: Span, usual: float) -> Noise:
    first, last = round(place[0] / _CELL_PCT), round(place[1] / _CELL_PCT)
    rows = table[:, first:last]
    rows = rows[np.isfinite(rows).any(axis=1)]
    of = rows.shape[0]
    seen = int(np.count_nonzero(np.nanmedian(rows, axis=1) > 2.0 * usual))
    rms_v, usual_v = track.volts(float(np.nanmedian(rows))), track.volts(usual)
    low, _ = wilson(seen, of)
    who = "Track 2" if track.id.startswith("tps2") else "Track 1"
    return Noise(
        channels=(track.id,),
        times_s=(),
        confidence=round(min(0.97, 0.6 + 0.35 * low + 0.03 * min(seen, 5)), 2),
        text=(
            f"{who} is rough between {place[0]:.0f} and {place[1]:.0f} % of the travel: "
            f"{1000 * rms_v:.0f} mV against {1000 * usual_v:.0f} mV elsewhere, "
            f"in {seen} of {of} passes."
        ),
        travel_pct=place,
        rms_v=rms_v,
        usual_rms_v=usual_v,
    )
