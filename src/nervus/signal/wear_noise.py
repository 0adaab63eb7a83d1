"""Noisy stretches: worn places where the signal stays connected but is rough, pass after pass."""

from dataclasses import dataclass

import numpy as np

from nervus.domain.analysis import Pass
from nervus.domain.channel import FloatArray
from nervus.domain.finding import Noise, Span
from nervus.signal import sampling
from nervus.signal.intervals import wilson
from nervus.signal.levels import TrackSignal
from nervus.signal.pass_cells import sort_into_cells
from nervus.signal.spans import inside, merge

_CELL_PCT = 2.0
# Rough is more than this many times what the track usually shows while it moves ...
_ROUGH = 3.0
# ... and more than this many resolution steps, or rounding would count as wear.
_ROUGH_STEPS = 1.5
_LEAST_PASSES, _LEAST_SHARE = 3, 0.5
_LEAST_SAMPLES = 2
# Seen slowly, the ends of a dead spot look rough over as much: then it must be wider.
_LEAST_CELLS, _LEAST_CELLS_SLOW = 2, 4
# Roughness is summed over blocks this long; a plate moves by less than a cell in that time.
_BLOCK_S = 0.004
# Samples looked at together.
_PIECE = 1 << 15


def noisy_stretches(
    track: TrackSignal,
    travel: tuple[FloatArray, FloatArray],
    passes: tuple[Pass, ...],
    faulty: tuple[Span, ...],
) -> tuple[Noise, ...]:
    """Stretches of travel over which the track is rough in most passes.

    Args:
        track: the track.
        travel: instants and percent of travel as the track's own course tells it, shape (n,) each.
        passes: of the travel.
        faulty: spans that other findings explain.
    """
    if track.level.size < 5 or not passes:
        return ()
    table = _by_pass_and_cell(_roughness(track, faulty), travel, passes)
    usual = float(np.nanmedian(table)) if np.isfinite(table).any() else 0.0
    least = max(_ROUGH * usual, _ROUGH_STEPS * track.resolution)
    stretches = []
    for cell in range(table.shape[1]):
        column = table[:, cell]
        column = column[np.isfinite(column)]
        if column.size >= _LEAST_PASSES and np.median(column) > least:
            stretches.append((cell * _CELL_PCT, (cell + 1) * _CELL_PCT))
    joined = merge(stretches, _CELL_PCT + 1e-9)
    cells = _LEAST_CELLS_SLOW if track.is_slow else _LEAST_CELLS
    wide = (p for p in joined if p[1] - p[0] >= cells * _CELL_PCT - 1e-9)
    found = (_finding(track, table, place, usual) for place in wide)
    return tuple(f for f in found if f is not None)


@dataclass(frozen=True, slots=True, eq=False)
class _Blocks:
    """Roughness by blocks of `size` samples: instants and summed squares, shape (m,) each."""

    time_s: FloatArray
    power: FloatArray
    size: int


def _roughness(track: TrackSignal, faulty: tuple[Span, ...]) -> _Blocks:
    """Each sample against the middle of its neighbours, scaled to the deviation of one sample."""
    size = max(1, round(_BLOCK_S / max(track.interval_s, 1e-7)))
    whole = (track.level.size - 2) // size * size
    time_s = track.time_s[1:-1][:whole]
    power = _power(track.level, size)
    middle = np.ascontiguousarray(time_s[size // 2 :: size])
    length = time_s[size - 1 :: size] - time_s[::size]
    bad = inside(middle, faulty, 3.0 * track.interval_s + size * track.interval_s / 2)
    if size == 1:
        around = track.time_s[2:] - track.time_s[:-2]
        bad |= around[:whole] > 3.2 * track.interval_s
    else:
        bad |= length > 1.6 * size * track.interval_s
    good = ~bad
    return _Blocks(middle[good], power[good], size)


def _power(level: FloatArray, size: int) -> FloatArray:
    """Summed squares of what each sample is off the middle of its neighbours, in blocks of `size`.

    Piece by piece, so that what is computed stays in the processor's cache.
    """
    blocks = (level.size - 2) // size
    power = np.empty(blocks)
    many = max(1, _PIECE // size)
    for first in range(0, blocks, many):
        last = min(first + many, blocks)
        around = level[first * size : last * size + 2]
        bend = (around[:-2] + around[2:]) * -0.5
        bend += around[1:-1]
        bend *= bend
        power[first:last] = sampling.block_means(bend, size)
    power *= size / 1.5
    return power


def _by_pass_and_cell(
    blocks: _Blocks, travel: tuple[FloatArray, FloatArray], passes: tuple[Pass, ...]
) -> FloatArray:
    """Effective roughness for each pass and cell of travel, shape (passes, cells)."""
    cells = int(np.ceil(100.0 / _CELL_PCT))
    percent = np.interp(blocks.time_s, *travel)
    cell = np.clip((percent / _CELL_PCT).astype(np.int64), 0, cells - 1)
    sorted_in = sort_into_cells(blocks.time_s, cell, passes, cells)
    counts, power = sorted_in.counts() * blocks.size, sorted_in.sums(blocks.power)
    table = np.full(counts.shape, np.nan)
    enough = counts >= _LEAST_SAMPLES
    table[enough] = np.sqrt(power[enough] / counts[enough])
    return table


def _finding(track: TrackSignal, table: FloatArray, place: Span, usual: float) -> Noise | None:
    first, last = round(place[0] / _CELL_PCT), round(place[1] / _CELL_PCT)
    rows = table[:, first:last]
    rows = rows[np.isfinite(rows).any(axis=1)]
    of = rows.shape[0]
    seen = int(np.count_nonzero(np.nanmedian(rows, axis=1) > 2.0 * usual))
    if seen < _LEAST_PASSES or seen < _LEAST_SHARE * of:
        return None
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
