"""How rough a track is: what each sample is off a smooth course, over the passes and the travel.

Where there is a sister, the motion of the hand falls away against her. Of a lone track that is read
slowly only its neighbours tell what a sample should read, and where the shaft was.
"""

from dataclasses import dataclass, replace
from math import exp, sqrt

import numpy as np

from nervus.domain.analysis import Pass
from nervus.domain.channel import BoolArray, FloatArray, IntArray, Span
from nervus.signal.arithmetic.robust import bends_beside, off_neighbours, off_smooth
from nervus.signal.arithmetic.spans import inside
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.instruments.sampling import block_means
from nervus.signal.worn.beside_sister import STRAIGHT_PCT, apart_at_rest
from nervus.signal.worn.pass_cells import sort_into_cells

# Closer samples are averaged: a contact that flickers does so for longer.
FINEST_S = 0.002
# Cells of travel where a pass has so many samples in each; wider ones where it has fewer.
_CELL_PCT, _WIDE_CELL_PCT, _SAMPLES_IN_CELL = 1.0, 2.0, 2.0
# Where a pass ends is known to half an interval, and she is read within one of it.
_STOPS_INTERVALS = 1.5
# What is masked reaches so far beyond it, and so does what a pass begins and ends with.
_ENDS_INTERVALS = 2.5
# The middle of two neighbours varies too: what a sample is off it has 1.5 times its own variance.
OWN_SHARE = 1.5
# A sample is rough itself where it is off by so many times what is usual.
_SAMPLE_TIMES = 3.0
# No track is smoother than this, percent of supply.
_LEAST_PCT = 1e-3
# In so many passes at least a cell is seen.
LEAST_PASSES = 3


@dataclass(frozen=True, slots=True, eq=False)
class Table:
    """Roughness of each slow pass and cell: mean squares, percent of supply squared; NaN: not seen.

    Attributes:
        power: shape (passes, cells).
        counts: how many samples each holds, shape (passes, cells).
        cell_pct: how wide a cell is.
        floor: what hides in it, percent of supply squared: less than that says nothing.
        alone: whether no sister tells what is motion.
    """

    power: FloatArray
    counts: FloatArray
    cell_pct: float
    floor: float
    alone: bool

    def log(self) -> FloatArray:
        """Half the logarithm, so that a difference is a ratio of deviations."""
        return np.asarray(0.5 * np.log(self.power + self.floor), dtype=np.float64)

    def usual(self) -> float:
        """How rough it usually is, percent of supply."""
        if not self.alone:
            return exp(float(np.nanmedian(self.log())))
        # What hides a coarse converter's steps from each other is no roughness.
        return max(float(np.nanmedian(self._of_cells())), _LEAST_PCT)

    def times(self) -> FloatArray:
        """How many times as rough as usual each cell is, shape (cells,)."""
        return np.nan_to_num(self._of_cells() / self.usual()) if self.alone else np.exp(self.above())

    def above(self) -> FloatArray:
        """By how much each cell is rougher than usual, a logarithm, 0 where too few passes tell."""
        log = self.log()
        enough = np.isfinite(log).sum(axis=0) >= LEAST_PASSES
        above = np.zeros(log.shape[1])
        if enough.any():
            mean = np.nanmean(log[:, enough], axis=0)
            above[enough] = mean - np.median(mean)
        return above

    def _of_cells(self) -> FloatArray:
        some = np.isfinite(self.power).any(axis=0)
        of_cells = np.full(some.size, np.nan)
        of_cells[some] = np.sqrt(np.nanmean(self.power[:, some], axis=0))
        return of_cells


@dataclass(frozen=True, slots=True, eq=False)
class Look:
    """How rough a track is.

    Attributes:
        track: as it was looked at, close samples averaged, shape (n,).
        bend: what each sample but first and last is off, percent of supply, shape (n - 2,).
        good: which of them count.
        percent: of travel, where each of them is, shape (n - 2,).
        table: the same over passes and travel.
        by_beside: whether only the readings beside it tell what each should be: one that is off puts
            them off.
    """

    track: Instrument
    bend: FloatArray
    good: BoolArray
    percent: FloatArray
    table: Table
    by_beside: bool

    def rough(self) -> IntArray:
        """Indices of the samples that are rough by themselves, of those that count, shape (k,)."""
        limit = _SAMPLE_TIMES * sqrt(OWN_SHARE) * self.table.usual()
        return np.flatnonzero(self.good & (np.abs(self.bend) > limit))


def looked(
    track: Instrument,
    sister: FloatArray | None,
    travel: tuple[FloatArray, FloatArray],
    passes: tuple[Pass, ...],
    masked: tuple[Span, ...],
    stops: tuple[Span, ...] = (),
) -> Look:
    """A track's roughness over passes and travel; beside `stops` the sister says nothing."""
    size = _block_of(track)
    sister = block_means(sister, size) if sister is not None and size > 1 else sister
    track = averaged(track)
    good = _good(track, masked)
    percent, by_beside = np.interp(track.time_s, *travel), sister is None and track.is_slow
    if by_beside:
        bend = off_smooth(track.level, track.time_s)
        good &= ~_is_of_ends(track, bend, passes)
        # What is off itself says where it seems to be, not where it is: that its neighbours tell.
        percent = _middle_of_four(percent)
    else:
        bend, percent = off_neighbours(track.level), percent[1:-1]
    if sister is not None and track.is_slow:
        bend = apart_at_rest(track, sister, travel) * sqrt(OWN_SHARE)
        # Between two readings of hers the shaft went straight as far as she does not bend there.
        good &= bends_beside(sister)[1:-1] <= STRAIGHT_PCT
        good &= ~inside(track.time_s[1:-1], stops, _STOPS_INTERVALS * track.interval_s)
    elif sister is not None:
        # Motion is in both tracks, what the sister does alone is in her: neither is roughness here.
        apart = off_neighbours(track.level - sister)
        bend = np.where(np.abs(apart) < np.abs(bend), apart, bend)
    swept = float(np.ptp(travel[1]))
    samples = bend[good], percent[good], track.time_s[1:-1][good]
    power, counts, cell_pct = _in_cells(track, samples, swept, passes)
    floor = max(track.resolution**2 / 12.0, 1e-4) / 4.0
    if sister is not None:
        # Two that are rounded alike hide it from each other, but where one of them leaps.
        floor = max(floor, track.resolution**2 / (6.0 if track.is_slow else 12.0 * size))
    elif track.is_slow and np.isfinite(power).any():
        # Of one sample in a cell the logarithm of what it is off alone tells next to nothing.
        floor = max(floor, float(np.nanmedian(power)))
    table = Table(power, counts, cell_pct, floor, alone=sister is None)
    return Look(track, bend, good, percent, table, by_beside)


def averaged(track: Instrument) -> Instrument:
    """A track as its roughness is told: close samples averaged."""
    size = _block_of(track)
    if size == 1:
        return track
    time_s, level = (block_means(x, size) for x in (track.time_s, track.level))
    return replace(track, time_s=time_s, level=level, interval_s=track.interval_s * size)


def _block_of(track: Instrument) -> int:
    return max(1, round(FINEST_S / max(track.interval_s, 1e-7)))


def _good(track: Instrument, masked: tuple[Span, ...]) -> BoolArray:
    """Which samples, but the first and last, have both neighbours beside them and nothing told there."""
    time_s = track.time_s
    good = ~inside(time_s[1:-1], masked, _ENDS_INTERVALS * track.interval_s)
    good &= time_s[2:] - time_s[:-2] <= 3.2 * track.interval_s
    return np.asarray(good, dtype=np.bool_)


def _middle_of_four(values: FloatArray) -> FloatArray:
    """The middle of the two values before each, and the two behind, shape (n,) to (n - 2,)."""
    padded = np.pad(values, 1, mode="edge")
    four = np.sort(np.stack([padded[n : n + values.size - 2] for n in (0, 1, 3, 4)]), axis=0)
    return np.asarray((four[1] + four[2]) / 2.0)


def _is_of_ends(track: Instrument, bend: FloatArray, passes: tuple[Pass, ...]) -> BoolArray:
    """Which bends the beginning or the end of a pass may make.

    The shaft sets off and comes to rest to one side only: what lies on the other side of the chord was
    made by something else.
    """
    sides: tuple[list[Span], list[Span]] = [], []
    for p in passes:
        first, last = np.minimum(track.time_s.searchsorted((p.start_s, p.end_s)), track.level.size - 1)
        rises = bool(track.level[last] > track.level[first])
        sides[not rises].append((p.start_s, p.start_s))
        sides[rises].append((p.end_s, p.end_s))
    below, above = (
        inside(track.time_s[1:-1], tuple(sorted(s)), _ENDS_INTERVALS * track.interval_s) for s in sides
    )
    return np.asarray((below & (bend < 0.0)) | (above & (bend > 0.0)), dtype=np.bool_)


def _in_cells(
    track: Instrument,
    samples: tuple[FloatArray, FloatArray, FloatArray],
    swept_pct: float,
    passes: tuple[Pass, ...],
) -> tuple[FloatArray, FloatArray, float]:
    """Power and counts of a table, and how wide its cells are.

    Of what samples are off, where on the travel each is and when, shape (k,) each.
    """
    bend, percent, time_s = samples
    speeds = [p.speed for p in passes]
    per_cell = _CELL_PCT / max(float(np.median(speeds)) * track.interval_s, 1e-9)
    cell_pct = _CELL_PCT if per_cell >= _SAMPLES_IN_CELL else _WIDE_CELL_PCT
    # A coarse converter turns over once in each of its own steps: every cell has to hold one.
    of_travel = float(np.ptp(track.level)) / max(swept_pct, _CELL_PCT)
    cell_pct = max(cell_pct, track.resolution / max(of_travel, 1e-9))
    cells = max(int(100.0 / cell_pct), 1)
    cell = np.clip((percent / cell_pct).astype(np.int64), 0, cells - 1)
    sorted_in = sort_into_cells(time_s, cell, passes, cells)
    counts = sorted_in.counts()
    with np.errstate(invalid="ignore", divide="ignore"):
        power = np.where(counts > 0, sorted_in.sums(bend**2) / counts, np.nan) / OWN_SHARE
    return power, counts, cell_pct
