"""How much later a second track was read than its stamps say: within a poll, and by another clock."""

from dataclasses import replace
from itertools import pairwise

import numpy as np

from nervus.domain.channel import FloatArray, IntArray
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.arithmetic.robust import theil_sen
from nervus.signal.motion.course import Course
from nervus.signal.motion.relation import Line

# A track moves where it is faster than this, percent of supply a second; so many such points tell a
# lag, which must make them agree better by this factor.
_MOVES_PCT_PER_S, _LEAST_MOVING, _BETTER = 5.0, 20, 0.8
# A filter before an input is no slower than this (from memory: 10 kilohm and 1 microfarad are 10 ms).
_FILTERED_S = 0.03
# Lags that are tried at once, none of them in the middle; then as many between the best ones.
_LAGS = 25
# Tracks further apart than this, percent of supply, are so by a fault.
_FAR_PCT = 15.0
# Clocks of two loggers are set by hand, this far apart at most; searched in such steps, then in finer
# ones, in so many parts of the recording, most of which must say so, and agree far better.
_APART_S, _COARSE_S, _FINER_S, _IN_LINE_S = 0.6, 0.05, (0.01, 0.001), 0.03
_PARTS, _LEAST_PARTS, _FAR_BETTER = 5, 3, 0.5
# Points enough to tell how far the clocks of a part are apart.
_MANY_MOVING, _ENOUGH_IN_PART = 1_500, 12_000
# And to tell how late one of two tracks is.
_ENOUGH_MOVING = 4_000


def estimate_skew(
    first: Course, second: Course, line: Line, interval_s: float, *, together: bool = False
) -> float:
    """By how many seconds the second track's samples lag behind their stamps, against the first.

    Channels polled one after the other carry the time of the answer, not of the measurement, and what
    goes through a filter is late. The lag that makes the two agree best over all motion is searched
    within three intervals of the samples, or what filters take. Where they are read together none is
    looked for that is shorter than what is tried first.
    """
    most_s = max(3.0 * interval_s, _FILTERED_S)
    coarse, middle = np.linspace(-most_s, most_s, _LAGS), _LAGS // 2
    if together:
        near = _costs(first, second, line, coarse[middle - 1 : middle + 2])
        # A lag that makes them agree better by enough does so by its share with each of these steps.
        share = (1.0 - _BETTER) / middle
        if near is None or (1.0 - share) * near[1] <= near.min():
            return 0.0
    costs = _costs(first, second, line, coarse)
    if costs is None:
        return 0.0
    around = coarse[int(np.argmin(costs))] + np.linspace(-1.0, 1.0, _LAGS) * (coarse[1] - coarse[0])
    finer = _costs(first, second, line, around)
    if finer is None or not finer.min() < _BETTER * costs[middle]:
        return 0.0
    return float(around[int(np.argmin(finer))])


def estimate_clock(first: Course, second: Course, interval_s: float) -> tuple[float, float]:
    """By how many seconds the second track's clock is ahead at instant 0, and how many more each second.

    Two loggers have two clocks, apart by tenths of a second and drifting. Looked for only where the
    tracks agree far better so than with all that reading in turn explains; (0, 0) where they don't. No
    line between them is asked for: one that was learned with clocks apart is bent by them.
    """
    if 3.0 * interval_s >= _APART_S:
        return 0.0, 0.0
    coarse = np.arange(-_APART_S, _APART_S + _COARSE_S / 2, _COARSE_S)
    edges, found = _parts(first), []
    for start, end in pairwise(edges.tolist()):
        begin, stop = np.searchsorted(first.time_s, (start, end)).tolist()
        part = slice(begin, stop, max(1, (stop - begin) // _ENOUGH_IN_PART))
        piece = replace(first, time_s=first.time_s[part], level=first.level[part])
        off = _scatter(piece, second, coarse)
        if off is None:
            continue
        near_s = max(3.0 * interval_s, _FINER_S[0])
        near = np.abs(coarse) <= near_s
        best = int(np.argmin(off))
        if near[best] or not off[best] < _FAR_BETTER * off[near].min():
            continue
        ahead_s = _refined_lag(piece, second, float(coarse[best]))
        if abs(ahead_s) > near_s:
            found.append(((start + end) / 2.0, ahead_s))
    if len(found) < _LEAST_PARTS:
        return 0.0, 0.0
    # A part that hardly moved may say anything: the others tell.
    at, ahead = np.asarray(found).T
    drift, offset = theil_sen(ahead, at)
    in_line = np.abs(offset + drift * at - ahead) <= _IN_LINE_S
    if not np.count_nonzero(in_line) >= _LEAST_PARTS:
        return 0.0, 0.0
    return float(offset), float(drift)


def _parts(course: Course) -> FloatArray:
    """Instants between parts of a recording in each of which the shaft went as far, shape (n + 1,)."""
    every = max(1, round(_COARSE_S / max(course.interval_s, 1e-6)))
    time_s, level = course.time_s[::every], course.level[::every]
    gone = np.append(0.0, np.cumsum(np.abs(np.diff(level))))
    edges = np.interp(np.linspace(0.0, gone[-1], _PARTS + 1), gone, time_s)
    edges[[0, -1]] = course.time_s[[0, -1]]
    return np.asarray(edges)


def _costs(first: Course, second: Course, line: Line, lags: FloatArray) -> FloatArray | None:
    """How far the tracks are apart while they move, for each lag; `None` where they hardly move.

    A mean, for what moves fast tells most of a lag; what is further apart than any lag explains counts
    as much as at its most.
    """
    expected = line.at(first.level)
    moving = _moving(first)
    if moving.size < _LEAST_MOVING:
        return None
    moving = moving[:: max(1, moving.size // _ENOUGH_MOVING)]
    at_s, expected = first.time_s[moving], expected[moving]
    apart = [
        np.minimum(np.abs(read_at(at_s + lag, second.time_s, second.level) - expected), _FAR_PCT).mean()
        for lag in lags
    ]
    return np.asarray(apart, dtype=np.float64)


def _moving(course: Course) -> IntArray:
    """Which samples the shaft moves at, shape (k,)."""
    if course.level.size < 2:
        return np.empty(0, dtype=np.intp)
    return np.flatnonzero(course.speed() > _MOVES_PCT_PER_S)


def _refined_lag(first: Course, second: Course, near: float) -> float:
    """The lag within a coarse step of one at which the tracks are nearest to a line."""
    reach = _COARSE_S
    for fine in _FINER_S:
        lags = np.arange(near - reach, near + reach + fine / 2, fine)
        off = _scatter(first, second, lags)
        if off is None:
            return near
        near, reach = float(lags[int(np.argmin(off))]), fine
    return near


def _scatter(first: Course, second: Course, lags: FloatArray) -> FloatArray | None:
    """How far the tracks, while they move, are off the straight line that fits best, for each lag.

    As a share of how far the second is off its own mean: where it rests, any line fits.
    """
    moving = _moving(first)
    if moving.size < _LEAST_MOVING:
        return None
    some = moving[:: max(1, moving.size // _MANY_MOVING)]
    x = first.level[some] - first.level[some].mean()
    y = read_at(first.time_s[some] + lags[:, None], second.time_s, second.level)
    y -= y.mean(axis=1, keepdims=True)
    # Least squares of all lags at once; the library's own fit of each takes ten times as long.
    off = np.abs(y - (y @ x / max(float(x @ x), 1e-12))[:, None] * x)
    half = x.size // 2
    left, there = (np.partition(v, half, axis=1)[:, half] for v in (off, np.abs(y)))
    return np.asarray(left / np.maximum(there, 1e-9), dtype=np.float64)
