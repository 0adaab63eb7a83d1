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
from nervus.signal.arithmetic.robust import monotone, running_extremes
from nervus.signal.arithmetic.spans import merge
from nervus.signal.motion.course import Course
from nervus.signal.worn.flat_places import Stand, place_of_stand
from nervus.signal.worn.spot import pooled_confidence, spot_text

# Cells of level: at least this much of the supply, and this many times what noise and rounding hide.
_CELL_PCT, _CELL_TOLERANCES = 0.5, 1.0
# The expected time comes from the cells so far away on each side.
_AROUND = range(2, 7)
# The hidden stretch must be this long, percent of supply, and so many cells ...
_LEAST_HIDDEN_PCT, _LEAST_HIDDEN_CELLS = 1.0, 1.5
# ... in at least so many passes and this share of those that cross the level briskly.
_LEAST_PASSES, _LEAST_SHARE = 3, 0.6
# By the sister the passes hide this share of the least on the average.
_MEAN_SHARE = 0.8
# Slower than this, percent of supply per second, a hand can't be told from a flat.
_BRISK = 6.0
# With the sister as the clock, which no hand deceives, less must be hidden; but time must agree, within
# so many cells, with this share of what it tells on the average of passes.
_LEAST_BY_SISTER_PCT, _LEAST_CELLS_BY_SISTER, _STEPS_BY_SISTER = 0.45, 0.8, 1.25
_TIME_AGREES, _NEAR_CELLS = 0.3, 2
# Cells so far from a stand the tracks go together within this share, on one side at least; on the other
# one the track may leap, which takes less than this share of the usual way. Else it is bent there.
_NEAR, _FAR, _STRAIGHT, _LEAPS = range(2, 5), range(5, 10), 0.2, 0.5
# By time alone nothing wider than this, percent of travel, is told from a hold.
_WIDEST_PCT = 12.0
# A look at fewer points of a course says nothing.
_LEAST_POINTS = 8
# Of very many passes so many, spread over the recording, are looked at first; where no cell hides
# anything in this share of them, the others are not.
_FIRST_LOOK, _SUSPICIOUS_SHARE = 64, 0.15


def find_flats(
    course: Course,
    passes: tuple[Pass, ...],
    ends: Span,
    sister: FloatArray | None = None,
    resolution: float = 0.0,
) -> tuple[DeadSpot, ...]:
    """Levels at which the track stands still in most passes while the throttle moves on.

    Args:
        course: the track with its excursions bridged.
        passes: of the travel.
        ends: levels of the closed and the open stop, percent of supply.
        sister: what the other track showed at the course's instants, as this track's level, shape (n,):
            a better clock than time, for no hand makes one track stand and not the other.
        resolution: the coarser of both tracks' steps, percent of this track's supply.
    """
    clock = None if sister is None else _Clock(sister, resolution)
    if len(passes) > 2 * _FIRST_LOOK:
        some = passes[:: len(passes) // _FIRST_LOOK]
        if not _look(course, some, clock).suspicious:
            return ()
    return _spots(course, _look(course, passes, clock), ends, clock)


@dataclass(frozen=True, slots=True, eq=False)
class _Clock:
    """The other track, which tells how far the shaft went meanwhile.

    Attributes:
        level: at the course's instants, as its track's level, shape (n,).
        resolution: the coarser of both tracks' steps, percent of its track's supply.
    """

    level: FloatArray
    resolution: float


def _spots(course: Course, seen: "_Seen", ends: Span, clock: _Clock | None) -> tuple[DeadSpot, ...]:
    sister = None if clock is None else clock.level
    groups = merge(((float(c), float(c)) for c in np.flatnonzero(seen.worn)), 2.0)
    spots = (_spot(course, seen, (int(a), int(b)), ends, sister) for a, b in groups)
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
        abrupt: where the track must leap, or it does not stand but bends, shape (cells,).
        suspicious: whether more passes might make any cell worn.
    """

    edges: FloatArray
    times: FloatArray
    hidden: FloatArray
    stands: BoolArray
    worn: BoolArray
    abrupt: BoolArray
    suspicious: bool


def _look(course: Course, passes: tuple[Pass, ...], clock: _Clock | None) -> _Seen:
    cell = max(_CELL_PCT, _CELL_TOLERANCES * course.tolerance)
    edges = np.arange(-2.0, 102.0 + cell, cell)
    rows = [_crossing_times(course, p, edges) for p in passes]
    times = np.stack(rows) if rows else np.full((1, edges.size), np.nan)
    least = max(_LEAST_HIDDEN_PCT, _LEAST_HIDDEN_CELLS * cell)
    hidden = _hidden(times, cell)
    abrupt = np.zeros(edges.size - 1, dtype=np.bool_)
    if clock is not None:
        # Two that are rounded without noise step at the same places in every pass.
        rounded = _STEPS_BY_SISTER * clock.resolution
        least = max(_LEAST_BY_SISTER_PCT, _LEAST_CELLS_BY_SISTER * cell, rounded)
        hers = np.interp(times, course.time_s, clock.level)
        straight, abrupt = _how_it_ends(np.abs(np.diff(hers, axis=1)), cell)
        hidden = _hidden_from_sister(hers, cell, hidden, least)
        hidden = np.where(straight | abrupt, hidden, np.minimum(hidden, 0.0))
    known = np.isfinite(hidden)
    stands = known & (np.nan_to_num(hidden) > least)
    crossed, seen = known.sum(axis=0), stands.sum(axis=0)
    worn = (seen >= _LEAST_PASSES) & (seen >= _LEAST_SHARE * crossed)
    suspicious = bool(np.any((seen >= _SUSPICIOUS_SHARE * crossed) & (seen > 0)))
    return _Seen(edges, times, hidden, stands, worn, abrupt, suspicious)


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


def _hidden_from_sister(clock: FloatArray, cell: float, by_time: FloatArray, least: float) -> FloatArray:
    """How much of the way each cell hides by the other track, shape (passes, cells).

    Its way through one cell, or three where samples are far apart, should be as long as they are. What
    time contradicts, or single passes only show, is the sister's own fault.
    """
    took = np.abs(np.diff(clock, axis=1))
    # A bent track is slow over many cells: those around tell.
    usual = np.fmax(np.fmax(*_beside(took, _AROUND)), cell)
    hidden = took - usual
    three = np.abs(clock[:, 3:] - clock[:, :-3]) - 3.0 * usual[:, 1:-1]
    hidden[:, 1:-1] = np.fmax(hidden[:, 1:-1], three)
    mean = _mean(hidden)
    told = running_extremes(np.pad(_mean(by_time), _NEAR_CELLS, mode="edge"), 2 * _NEAR_CELLS + 1)[1]
    known = np.isfinite(by_time).sum(axis=0) >= _LEAST_PASSES
    believed = (mean > _MEAN_SHARE * least) & ~(known & (told < _TIME_AGREES * mean))
    return np.where(believed, hidden, np.minimum(hidden, 0.0))


def _how_it_ends(took: FloatArray, cell: float) -> tuple[BoolArray, BoolArray]:
    """Beside which cells the tracks go together at once, and beside which one leaps; shape (cells,).

    A stand ends so, on both sides or up to the end of the travel, or with a leap on one; no bend does.
    """
    near, far = ([_mean(side) / cell for side in _beside(took, d)] for d in (_NEAR, _FAR))
    straight = [
        (np.abs(n - 1.0) < _STRAIGHT) & ((np.abs(f - 1.0) < _STRAIGHT) | (f == 0.0))
        for n, f in zip(near, far, strict=True)
    ]
    ends = [s | (n == 0.0) for s, n in zip(straight, near, strict=True)]
    leaps = [s | (n < _LEAPS) for s, n in zip(straight, near, strict=True)]
    some = np.any(straight, axis=0)
    both: BoolArray = some & np.all(ends, axis=0)
    return both, np.asarray(some & np.all(leaps, axis=0) & ~both, dtype=np.bool_)


def _mean(hidden: FloatArray) -> FloatArray:
    """The mean over passes, shape (passes, cells) to (cells,); 0 where none is known."""
    known = np.isfinite(hidden).sum(axis=0)
    return np.asarray(np.nansum(hidden, axis=0) / np.maximum(known, 1))


def _spot(
    course: Course,
    by_pass: _Seen,
    cells: tuple[int, int],
    ends: Span,
    sister: FloatArray | None,
) -> DeadSpot | None:
    hidden, stands, edges = by_pass.hidden, by_pass.stands, by_pass.edges
    inside = slice(cells[0], cells[1] + 1)
    rows = stands[:, inside].any(axis=1)
    seen, crossed = int(rows.sum()), int(np.isfinite(hidden[:, inside]).any(axis=1).sum())
    crossings = by_pass.times[rows][:, cells[0] : cells[1] + 2]
    stand = Stand(
        spans_s=np.stack((np.nanmin(crossings, axis=1), np.nanmax(crossings, axis=1)), axis=1),
        level=float(edges[cells[0]] + edges[cells[1] + 1]) / 2,
        lost=float(np.median(np.nanmax(hidden[rows][:, inside], axis=1))),
        must_leap=bool(by_pass.abrupt[inside].all()),
    )
    if float(np.median(np.diff(stand.spans_s))) < course.interval_s:
        # What is over before the next sample was not seen to stand.
        return None
    place = place_of_stand(course, stand, ends, sister)
    if place is None or (sister is None and place[1] - place[0] > _WIDEST_PCT):
        return None
    return DeadSpot(
        channels=(course.id,),
        times_s=tuple((round(a, 4), round(b, 4)) for a, b in stand.spans_s.tolist()),
        confidence=pooled_confidence(seen, crossed),
        text=spot_text(course.id, place, Shape.FLAT, (seen, crossed), 0.0),
        travel_pct=place,
        shape=Shape.FLAT,
        seen_in=seen,
        crossed=crossed,
    )
