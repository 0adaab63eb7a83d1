"""Excursions: samples that no moving plate explains, because they leave and return too quickly.

A plate has mass and a spring: it can be fast, but it can't start and stop between two samples. So
an excursion begins with a step that no neighbour prepares, and it ends when the signal is back on
the course it left. The same search runs backwards in time too: an interruption that fades in still
ends abruptly. Where the sampling is too slow for a plate to be told from a fault, only levels at
the rails count, and nothing else is claimed.
"""

from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import BoolArray, FloatArray, IntArray
from nervus.domain.finding import Floor, Span
from nervus.signal.levels import TrackSignal, floor_of
from nervus.signal.spans import merge, runs

# Acceleration of a plate in percent of travel per second squared. A spring that snaps a plate
# through its whole travel in 70 ms needs 4 * 100 / 0.07^2 = 81 600; a foot or a hand that moves it
# by a little, 8 % in 45 ms, needs 15 800. Common practice gives the times, no published source.
_SNAP_ACCELERATION = 80_000.0
_NUDGE_ACCELERATION = 15_000.0
_NUDGE_PCT = 15.0
# An edge is unprepared when it is this many times what its neighbours move the same way.
_UNPREPARED = 4.0
# Bursts of a chattering contact: shorter quiet than this between two interruptions is one event.
_BURST_GAP_S = 0.06
# An excursion to a level within the sensor's range must return within this time; a real hold of
# the throttle lasts longer, and one can't be told from the other afterwards.
_LONGEST_WITHIN_RANGE_S = 1.5
# An interruption ends as abruptly as it began; only within so many samples may it look gentle.
_GENTLE_SAMPLES = 4
# The first three samples must go this share of the way.
_AT_ONCE = 0.4
# While away, a hand may have changed its speed by this much, in percent of supply per second; but
# what is nearer to where the signal went than this share of the way is no return.
_CHANGE_OF_SPEED = 25.0
_NEAR = 0.35


@dataclass(frozen=True, slots=True, eq=False)
class Excursion:
    """One stretch off the course.

    Attributes:
        span_s: first and last instant off the course.
        before: level on the course just before, percent of supply.
        after: level on the course just after.
        level: the level it went to (furthest from the course, the odd sample left out).
        spread: how widely its samples scatter, percent of supply.
        samples: how many samples it lasted.
    """

    span_s: Span
    before: float
    after: float
    level: float
    spread: float
    samples: int

    @property
    def depth(self) -> float:
        """How far it left the course, percent of supply, always positive."""
        return abs(self.level - (self.before + self.after) / 2)

    @property
    def floor(self) -> Floor:
        """Which rail it went to."""
        return floor_of(self.level)


def least_step(interval_s: float) -> float:
    """The smallest single step (percent of supply) that no plate can make within `interval_s`."""
    nudge = _NUDGE_ACCELERATION * interval_s**2
    if nudge < _NUDGE_PCT:
        return nudge
    return _SNAP_ACCELERATION * interval_s**2


def find_excursions(track: TrackSignal) -> tuple[Excursion, ...]:
    """All stretches in which the track is off a course that a plate could have taken."""
    mask = _search(track.time_s, track.level, track)
    mask |= _search(-track.time_s[::-1], track.level[::-1], track)[::-1]
    mask |= _at_rail(track)
    spans = [
        (float(track.time_s[first]), float(track.time_s[last]))
        for first, last in zip(*runs(mask), strict=True)
    ]
    joined = merge(spans, max(_BURST_GAP_S, 2.1 * track.interval_s))
    return tuple(e for e in (_describe(track, mask, span) for span in joined) if e is not None)


def _search(time_s: FloatArray, level: FloatArray, track: TrackSignal) -> BoolArray:
    """One search forward along the arrays as they are given: shape (n,), True off the course."""
    off = np.zeros(level.shape, dtype=bool)
    resume = 0
    for edge in _unprepared_edges(level, track):
        if edge < resume or edge < 2:
            continue
        slope = _slope_before(time_s, level, off, int(edge))
        back = _return_to_course(time_s, level, int(edge), slope, track)
        if back is not None:
            # A step over one sample shows over two as well, but one sample too early.
            early = abs(level[edge + 1] - level[edge]) < track.tolerance
            off[edge + 1 + int(early) : back] = True
            resume = back
    return off


def _unprepared_edges(level: FloatArray, track: TrackSignal) -> IntArray:
    """Indices of the last sample before a step, over one or two samples, that nothing prepares."""
    least = max(track.tolerance, least_step(track.interval_s))
    edges = []
    for width in (1, 2):
        if level.size < 3 * width + 1:
            continue
        step = level[width:] - level[:-width]
        sign = np.sign(step)
        prepared = np.zeros(step.shape)
        prepared[width:] = np.maximum(prepared[width:], (sign[width:] * step[:-width]))
        prepared[:-width] = np.maximum(prepared[:-width], (sign[:-width] * step[width:]))
        edges.append(np.flatnonzero(np.abs(step) > np.maximum(least, _UNPREPARED * prepared)))
    return np.unique(np.concatenate(edges)) if edges else np.empty(0, dtype=np.intp)


def _return_to_course(
    time_s: FloatArray, level: FloatArray, edge: int, slope: float, track: TrackSignal
) -> int | None:
    """Index of the first sample back on the course left at `edge`; `None` if it never is."""
    last = int(np.searchsorted(time_s, time_s[edge] + _LONGEST_WITHIN_RANGE_S, side="right"))
    if last - edge < 3:
        return None
    ahead = slice(edge + 1, last)
    values, start = level[ahead], level[edge]
    elapsed = time_s[ahead] - time_s[edge]
    low = start + np.minimum(0.0, 1.2 * slope * elapsed) - track.tolerance
    high = start + np.maximum(0.0, 1.2 * slope * elapsed) + track.tolerance
    # A return by an abrupt edge may land further off, because the hand went on meanwhile; a gentle
    # return must land where the course would have been.
    away = level[min(edge + 2, level.size - 1)] - start
    abrupt = _abrupt_return(level, edge, last, float(np.sign(away)), max(track.tolerance, 1.0))
    slack = np.minimum(_CHANGE_OF_SPEED * elapsed, _NEAR * abs(away)) * abrupt
    found = _first_return(values, (low, high), slack, abrupt)
    if found is None:
        return None
    # A contact that opens goes all the way at once; a throttle that is moved away goes gently.
    at_once = float(np.max(np.abs(values[:3] - start)))
    usual = float(np.median(np.abs(values[:found] - start)))
    return edge + 1 + found if at_once > _AT_ONCE * usual else None


def _first_return(
    values: FloatArray, band: tuple[FloatArray, FloatArray], slack: FloatArray, abrupt: BoolArray
) -> int | None:
    """How many samples until the signal is back; `None` where it never is, or comes back gently."""
    low, high = band
    on_course = (values > low - slack) & (values < high + slack)
    # The step itself may spread over two samples: the first of them is never a return.
    on_course[0] = False
    steady = on_course.copy()
    steady[:-1] &= (values[1:] > low[1:] - slack[:-1]) & (values[1:] < high[1:] + slack[:-1])
    steady[_GENTLE_SAMPLES:] &= abrupt[_GENTLE_SAMPLES:]
    found = np.flatnonzero(steady)
    if not found.size:
        return None
    calm = (values > low) & (values < high)
    calm[0] = False
    for _ in range(2):
        calm[:-1] &= calm[1:]
    gentle = np.flatnonzero(calm[: found[0]])
    if not gentle.size:
        return int(found[0])
    return int(gentle[0]) if gentle[0] <= _GENTLE_SAMPLES else None


def _slope_before(time_s: FloatArray, level: FloatArray, off: BoolArray, edge: int) -> float:
    """Speed just before the edge, from the last six samples that are on the course."""
    first = max(0, edge - 60)
    trusted = first + np.flatnonzero(~off[first : edge + 1])[-6:]
    steps = np.diff(level[trusted]) / np.diff(time_s[trusted])
    return float(np.median(steps)) if steps.size else 0.0


def _abrupt_return(level: FloatArray, edge: int, last: int, out: float, least: float) -> BoolArray:
    """For each sample after the edge: did it come back by a step against the way out?"""
    values = level[edge:last]
    one = -out * np.diff(values)
    two = one.copy()
    two[1:] += one[:-1]
    return np.asarray(np.maximum(one, two) > least, dtype=np.bool_)


def _at_rail(track: TrackSignal) -> BoolArray:
    """Samples within 2 % of a rail while the track usually stays well away from it."""
    low, high = np.percentile(track.level, [5.0, 95.0])
    at_ground = (track.level < 2.0) & (low > 4.0)
    at_supply = (track.level > 97.5) & (high < 94.0)
    return np.asarray(at_ground | at_supply, dtype=np.bool_)


def _describe(track: TrackSignal, mask: BoolArray, span: Span) -> Excursion | None:
    first = int(np.searchsorted(track.time_s, span[0]))
    last = int(np.searchsorted(track.time_s, span[1], side="right")) - 1
    if first == 0 and last == track.level.size - 1:
        return None
    before = float(track.level[first - 1]) if first else float(track.level[last + 1])
    after = float(track.level[last + 1]) if last + 1 < track.level.size else before
    values = track.level[first : last + 1][mask[first : last + 1]]
    course = (before + after) / 2
    away = values - course
    side = 1.0 if np.median(away) >= 0 else -1.0
    level = course + side * float(np.percentile(side * away, 90.0))
    found = Excursion(span, before, after, level, float(np.ptp(values)), int(values.size))
    return found if found.depth > track.tolerance else None
