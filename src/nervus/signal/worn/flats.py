"""Flats: dead spots at which a track stands still while the throttle moves on.

A pass crosses each small step of level in about the time that its speed just before and after leads
one to expect. Where a stretch of the track is missing it takes far longer, at the same level, in most
passes; a hand that hesitates does so once, and elsewhere the next time. Each pass is first made
monotone by isotonic regression, so that noise does not cross a level twice.
"""

from dataclasses import dataclass

import numpy as np

from nervus.domain.analysis import Pass
from nervus.domain.channel import BoolArray, FloatArray, Span
from nervus.domain.finding import DeadSpot, Shape
from nervus.signal.arithmetic.robust import monotone
from nervus.signal.arithmetic.spans import merge
from nervus.signal.motion.course import Course
from nervus.signal.worn.flat_places import Stand, place_of_stand
from nervus.signal.worn.spot import pooled_spot

# Cells of level: at least this much of the supply, and this many times what noise and rounding hide.
_CELL_PCT, _CELL_TOLERANCES = 0.5, 1.0
# The expected time comes from the cells so far away on each side.
_AROUND = range(2, 7)
# The hidden stretch must be this long, percent of supply, and so many cells ...
_LEAST_HIDDEN_PCT, _LEAST_HIDDEN_CELLS = 1.0, 1.5
# ... in at least so many passes and this share of those that cross the level briskly.
_LEAST_PASSES, _LEAST_SHARE = 3, 0.6
# Slower than this, percent of supply per second, a hand can't be told from a flat.
_BRISK = 6.0
# Nothing wider than this, percent of travel, is told from a hold.
_WIDEST_PCT = 12.0
# A look at fewer points of a course says nothing.
_LEAST_POINTS = 8
# A hand that moves in stairs stands at so many other levels in most of the same passes.
_STAIRS = 3
# Of very many passes so many, spread over the recording, are looked at first; where no cell hides
# anything in this share of them, the others are not.
_FIRST_LOOK, _SUSPICIOUS_SHARE = 64, 0.15


def find_flats(course: Course, passes: tuple[Pass, ...], ends: Span) -> tuple[DeadSpot, ...]:
    """Levels at which a lone track stands still in most passes while the throttle moves on.

    Args:
        course: the track with its excursions bridged.
        passes: of the travel.
        ends: levels of the closed and the open stop, percent of supply.
    """
    if len(passes) > 2 * _FIRST_LOOK:
        some = passes[:: len(passes) // _FIRST_LOOK]
        if not _look(course, some).suspicious:
            return ()
    return _spots(course, _look(course, passes), ends)


def _spots(course: Course, seen: "_Seen", ends: Span) -> tuple[DeadSpot, ...]:
    groups = merge(((float(c), float(c)) for c in np.flatnonzero(seen.worn)), 2.0)
    spots = (_spot(course, seen, (int(a), int(b)), ends) for a, b in groups)
    return tuple(s for s in spots if s is not None)


@dataclass(frozen=True, slots=True, eq=False)
class _Seen:
    """What passes show at each cell of level.

    Attributes:
        edges: of the cells, percent of supply, shape (cells + 1,).
        times: when each pass crosses each edge, shape (passes, cells + 1).
        hidden: how much of the way each cell hides in each pass, shape (passes, cells).
        stands: where that is enough, shape (passes, cells).
        worn: where it is so in enough passes, shape (cells,).
        suspicious: whether more passes might make any cell worn.
    """

    edges: FloatArray
    times: FloatArray
    hidden: FloatArray
    stands: BoolArray
    worn: BoolArray
    suspicious: bool


def _look(course: Course, passes: tuple[Pass, ...]) -> _Seen:
    cell = max(_CELL_PCT, _CELL_TOLERANCES * course.tolerance)
    edges = np.arange(-2.0, 102.0 + cell, cell)
    rows = [_crossing_times(course, p, edges) for p in passes]
    times = np.stack(rows) if rows else np.full((1, edges.size), np.nan)
    least = max(_LEAST_HIDDEN_PCT, _LEAST_HIDDEN_CELLS * cell)
    hidden = _hidden(times, cell)
    known = np.isfinite(hidden)
    stands = known & (np.nan_to_num(hidden) > least)
    crossed, seen = known.sum(axis=0), stands.sum(axis=0)
    worn = (seen >= _LEAST_PASSES) & (seen >= _LEAST_SHARE * crossed)
    suspicious = bool(np.any((seen >= _SUSPICIOUS_SHARE * crossed) & (seen > 0)))
    return _Seen(edges, times, hidden, stands, worn, suspicious)


def _crossing_times(course: Course, a_pass: Pass, edges: FloatArray) -> FloatArray:
    """When a pass crosses each level, shape (edges,); NaN for those it does not reach."""
    first, last = np.searchsorted(course.time_s, (a_pass.start_s, a_pass.end_s))
    level, time_s = course.level[first : last + 1], course.time_s[first : last + 1]
    crossed = np.full(edges.shape, np.nan)
    if level.size < _LEAST_POINTS:
        return crossed
    rising = monotone(level, rising=bool(level[-1] > level[0]))
    if rising[-1] < rising[0]:
        rising, time_s = rising[::-1], time_s[::-1]
    reached = (edges > rising[0]) & (edges < rising[-1])
    # A flat is one level for a while: the edge below it is crossed at its beginning, that above it
    # at its end; a tiny slope keeps the two apart.
    slope = np.arange(rising.size) * 1e-9
    crossed[reached] = np.interp(edges[reached], rising + slope, time_s)
    return crossed


def _hidden(times: FloatArray, cell: float) -> FloatArray:
    """How much of the way each cell hides in each pass, percent of supply, shape (passes, cells)."""
    took = np.abs(np.diff(times, axis=1))
    hidden = np.full(took.shape, np.nan)
    sides = _beside(took, _AROUND)
    # The quicker side: a hand that slows down towards its turn makes the other one slow.
    with np.errstate(invalid="ignore", divide="ignore"):
        expected = np.maximum(sides[0], sides[1])
        speed = cell / expected
        brisk = speed > _BRISK
        hidden[brisk] = (took[brisk] - expected[brisk]) * speed[brisk]
    return hidden


def _beside(took: FloatArray, distances: range) -> tuple[FloatArray, FloatArray]:
    """What cells so far below and above each take on the average, shape (passes, cells) both."""
    sides = []
    for shift in (-1, 1):
        total = np.zeros(took.shape)
        for step in distances:
            moved = np.full(took.shape, np.nan)
            if shift < 0:
                moved[:, step:] = took[:, :-step]
            else:
                moved[:, :-step] = took[:, step:]
            total += moved
        sides.append(total / len(distances))
    return sides[0], sides[1]


def _spot(course: Course, by_pass: _Seen, cells: tuple[int, int], ends: Span) -> DeadSpot | None:
    hidden, stands, edges = by_pass.hidden, by_pass.stands, by_pass.edges
    inside = slice(cells[0], cells[1] + 1)
    rows = stands[:, inside].any(axis=1)
    others = stands[rows].copy()
    others[:, max(cells[0] - 1, 0) : cells[1] + 2] = False
    each = np.count_nonzero(np.diff(others.astype(np.int8), axis=1) == 1, axis=1)
    if float(np.median(each)) >= _STAIRS:
        return None
    seen, crossed = int(rows.sum()), int(np.isfinite(hidden[:, inside]).any(axis=1).sum())
    crossings = by_pass.times[rows][:, cells[0] : cells[1] + 2]
    stand = Stand(
        spans_s=np.stack((np.nanmin(crossings, axis=1), np.nanmax(crossings, axis=1)), axis=1),
        level=float(edges[cells[0]] + edges[cells[1] + 1]) / 2,
        lost=float(np.median(np.nanmax(hidden[rows][:, inside], axis=1))),
    )
    if float(np.median(np.diff(stand.spans_s))) < course.interval_s:
        # What is over before the next sample was not seen to stand.
        return None
    place = place_of_stand(course, stand, ends)
    if place[1] - place[0] > _WIDEST_PCT:
        return None
    spans = stand.spans_s.tolist()
    return pooled_spot(course.id, place, Shape.FLAT, 0.0, spans, (seen, crossed))
