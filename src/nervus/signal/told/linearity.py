"""Whether a track runs straight against what else tells the position."""

import numpy as np

from nervus.domain.analysis import Direction, Pass
from nervus.domain.channel import Channel, FloatArray
from nervus.domain.finding import Nonlinear
from nervus.language import say
from nervus.signal.arithmetic.spans import inside, runs
from nervus.signal.motion.course import Course, plain_course

# Off the straight line by this much of the travel (from memory: sensors are specified to 1 to 3 %).
_LIMIT_PCT = 4.0
_CELL_PCT, _LEAST_CELLS = 4.0, 2
# Ends are left out: a control unit cuts its percent off there.
_END_PCT = 4.0
_LEAST_PASSES, _LEAST_TOLD, _LEAST_SLOPE = 4, 8, 0.05
# So many readings in a cell, each way, at which the throttle moves by no more than this between them.
_LEAST_SEEN, _MOST_MOVED_PCT = 2, 10.0
# The ends that the straight line goes through: the outermost cells.
_ENDS = (slice(0, 2), slice(-2, None))


def nonlinear(track: Course, witness: Channel, passes: tuple[Pass, ...]) -> tuple[Nonlinear, ...]:
    """At most one finding: where a track bends against the position that was reported beside it.

    Every cell of the travel is judged by the mean of opening and closing passes, so that one channel
    being read later than the other cancels out. The straight line is the one through both ends
    (terminal-based linearity, as makers of potentiometers define it; from memory).
    """
    told = plain_course(witness)
    if len(passes) < _LEAST_PASSES:
        return ()
    cells, level = _by_cell(track, told, passes)
    if cells.size < _LEAST_TOLD:
        return ()
    (x0, y0), (x1, y1) = ((float(cells[e].mean()), float(level[e].mean())) for e in _ENDS)
    slope = (y1 - y0) / (x1 - x0)
    if abs(slope) < _LEAST_SLOPE:
        return ()
    low, high = float(cells[0]), float(cells[-1])
    span = high - low
    percent = 100.0 * (level - y0 - slope * (cells - x0)) / (slope * span)
    beyond = np.abs(percent) > _LIMIT_PCT
    stretches = [(a, b) for a, b in zip(*runs(beyond), strict=True) if b - a + 1 >= _LEAST_CELLS]
    if not stretches:
        return ()
    a, b = max(stretches, key=lambda s: float(np.abs(percent[s[0] : s[1] + 1]).max()))
    worst = round(float(np.abs(percent[a : b + 1]).max()), 1)
    place = tuple(round(100.0 * float(x - low) / span, 1) for x in (cells[a], cells[b]))
    during = tuple((round(p.start_s, 4), round(p.end_s, 4)) for p in passes)
    return (
        Nonlinear(
            channels=(track.id,),
            times_s=during,
            confidence=round(min(0.95, 0.7 + 0.03 * (worst - _LIMIT_PCT)), 2),
            text=(
                say(
                    "The track does not run straight: off by up to {worst:.1f} % of travel between "
                    "{place:.0f} and {place_:.0f} %, pass after pass.",
                    worst=worst,
                    place=place[0],
                    place_=place[1],
                )
            ),
            travel_pct=(place[0], place[1]),
            worst_pct=worst,
        ),
    )


def _by_cell(track: Course, told: Course, passes: tuple[Pass, ...]) -> tuple[FloatArray, FloatArray]:
    """Middles of the witness's cells and the track's level there, the mean of both ways; shape (n,)."""
    low, high = float(told.level.min()) + _END_PCT, float(told.level.max()) - _END_PCT
    edges = np.arange(low, high, _CELL_PCT)
    # Read in turn, the two are some way apart while the throttle moves: only what is less counts.
    sure = told.speed() * (told.interval_s + track.interval_s) < _MOST_MOVED_PCT
    both = []
    for way in Direction:
        spans = [(p.start_s, p.end_s) for p in passes if p.direction is way]
        here = inside(told.time_s, tuple(spans)) & sure
        cell = np.digitize(told.level[here], edges) - 1
        level = np.interp(told.time_s[here], track.time_s, track.level)
        each = (level[cell == n] for n in range(max(edges.size - 1, 0)))
        both.append([float(np.median(v)) if v.size >= _LEAST_SEEN else np.nan for v in each])
    level = np.mean(np.asarray(both), axis=0)
    known = np.isfinite(level)
    return ((edges[:-1] + edges[1:]) / 2)[known], level[known]
