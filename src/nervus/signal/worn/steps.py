"""Small steps: places at which a track goes on a little lower or higher, too little for one pass.

A step of one percent lies within what a hand can do; but it comes back at one place of the travel, down
where it is entered and up where it is left, whichever way it is crossed, and no hand does that. So every
pass gives its edges, however small, and only places at which most passes have the same one count.
"""

from collections import Counter
from dataclasses import dataclass
from math import exp, log

import numpy as np

from nervus.domain.analysis import Direction, Frame, Pass
from nervus.domain.channel import BoolArray, FloatArray, IntArray, Span
from nervus.domain.finding import DeadSpot, Shape
from nervus.signal.arithmetic.chance import at_least
from nervus.signal.arithmetic.robust import OF_MEDIAN
from nervus.signal.arithmetic.spans import overlaps
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.instruments.sampling import block_means
from nervus.signal.motion.travel import crossings
from nervus.signal.worn.spot import pooled_spot

# Means over so long lose nothing of a step and most of the noise; slower samples than that show motion
# only. A wiper that climbs back over some share of a percent takes longer: means are also taken over the
# time in which the shaft usually goes so far, percent of travel, no longer than that, and by such steps.
_BLOCK_S, _SLOWEST_S, _SLOWEST_PCT = 0.006, 0.03, 2.0
# Where it is quicker they are shorter: over so much of the travel.
_BLOCK_PCT, _LONGEST_BLOCK_S, _COARSER, _QUICK_BLOCK_PCT = 1.0, 0.12, 2.5, 0.5
# What a spring takes through the travel within a sixth of a second shakes, and leaps off its stop.
_SNAP_PCT_PER_S = 600.0
# One that comes to a stop so quickly bounces within this, percent of travel.
_LANDS_PCT_PER_S, _BOUNCES_PCT = 250.0, 10.0
# The slope beside an edge is told by so many intervals.
_BESIDE = 3
# An edge is this many deviations of what passes usually show, and of this size, percent of travel, at
# most.
_EDGE, _MOST_PCT = 4.0, 15.0
# Two samples beside it nothing goes on the same way by more than this share.
_GOES_ON = 0.25
# Edges of one place lie within this, percent of travel.
_WINDOW_PCT = 1.5
# They come in so many passes, and by chance so seldom.
_LEAST_PASSES, _CHANCE = 3, 1e-4
# A step is entered and left this far apart, by edges alike within this factor.
_NARROWEST_PCT, _WIDEST_PCT, _ALIKE = 0.3, 12.0, 2.5
# So near to an end, as a share of its width, passes jump the other way in no more than this share of
# those that jump as they should.
_OWN_HALF, _MOST_AGAINST = 0.4, 0.34
# Nearer than this to its stops a plate lands and bounces.
_STOP_PCT = 1.5
# So near to one another in travel two spots are one.
_NEAR_PCT = 2.0


@dataclass(frozen=True, slots=True, eq=False)
class _Edges:
    """Edges of all passes, each of shape (n,).

    Attributes:
        number: of the pass.
        at_s: when.
        low: travel on the closed side of it, percent.
        high: travel on the open side.
        size: by how much the track jumps towards open, the motion left out, percent of travel.
    """

    number: IntArray
    at_s: FloatArray
    low: FloatArray
    high: FloatArray
    size: FloatArray


def find_steps(track: Instrument, frame: Frame, passes: tuple[Pass, ...]) -> tuple[DeadSpot, ...]:
    """Dead spots of the shape of a step on one track.

    Args:
        track: with its samples as they are.
        frame: what its levels are of the travel.
        passes: of the travel.
    """
    passes = tuple(p for p in passes if p.speed < _SNAP_PCT_PER_S)
    if len(passes) < _LEAST_PASSES:
        return ()
    speed = float(np.median([p.speed for p in passes]))
    if track.interval_s > max(_SLOWEST_S, _SLOWEST_PCT / max(speed, 1e-6)):
        return ()
    longest_s = min(max(_BLOCK_PCT / max(speed, 1e-6), _BLOCK_S), _LONGEST_BLOCK_S)
    least_s = min(_BLOCK_S, _QUICK_BLOCK_PCT / max(speed, 1e-6))
    scales = int(log(longest_s / least_s) / log(_COARSER)) + 2
    spans_s = np.geomspace(least_s, longest_s, scales).tolist()
    sizes = sorted({max(1, round(s / max(track.interval_s, 1e-7))) for s in spans_s})
    edges = (_in_means(track, frame, passes, size) for size in sizes)
    pairs = [pair for each in edges for pair in _paired(each, passes)]
    found: list[tuple[DeadSpot, float]] = []
    # The highest first: means too short show a part of an edge, those too long blur it. A step takes the
    # track by its height beyond its place: there it seems to be, and has smaller edges.
    for pair in sorted(pairs, key=lambda pair: -sum(map(_height, pair))):
        place = _place(pair)
        if not any(overlaps(place, s.travel_pct, max(_NEAR_PCT, height)) for s, height in found):
            step = _spot(track, frame, passes, pair)
            found += [] if step is None else [(step, max(map(_height, pair)))]
    return tuple(step for step, _ in found)


def _in_means(track: Instrument, frame: Frame, passes: tuple[Pass, ...], size: int) -> _Edges:
    """The edges that means of so many samples show."""
    time_s, level = track.time_s, track.level
    if size > 1:
        time_s, level = (block_means(x, size) for x in (time_s, level))
    return _edges(time_s, frame.percent(track.own(level)), passes)


def _edges(time_s: FloatArray, own: FloatArray, passes: tuple[Pass, ...]) -> _Edges:
    """All edges of all passes that stand out of what the passes show."""
    if own.size < 4 * _BESIDE:
        return _Edges(np.empty(0, dtype=np.intp), *(np.empty(0) for _ in range(4)))
    jump, moved = _jumps(own)
    first = np.searchsorted(time_s, [p.start_s for p in passes])
    last = np.searchsorted(time_s, [p.end_s for p in passes])
    at = np.concatenate([np.arange(a, b, dtype=np.intp) for a, b in zip(first, last, strict=True)])
    number = np.repeat(np.arange(len(passes)), np.maximum(last - first, 0))
    inside = (at >= _BESIDE) & (at < time_s.size - _BESIDE - 1)
    at, number = at[inside], number[inside]
    if not at.size:
        return _Edges(number, *(np.empty(0) for _ in range(4)))
    spread = max(OF_MEDIAN * float(np.median(np.abs(jump[at]))), 1e-3)
    size = np.abs(jump)
    peak = (size[at] >= size[at - 1]) & (size[at] > size[at + 1])
    # Beside a step the slope on one side holds the step: there it seems to turn back. A bend goes on.
    turn = np.maximum(jump[at - 2] * np.sign(jump[at]), jump[at + 2] * np.sign(jump[at]))
    peak &= turn < _GOES_ON * size[at]
    chosen = peak & (size[at] > _EDGE * spread) & (size[at] < _MOST_PCT) & ~_beside_leaps(size)[at]
    at, number = at[chosen], number[chosen]
    opening = np.asarray([p.direction is Direction.OPENING for p in passes])
    quick = np.asarray([p.speed > _LANDS_PCT_PER_S for p in passes])
    # A plate that a spring takes to a stop bounces there.
    lands = quick[number] & (np.where(opening[number], 100.0 - own[at], own[at]) < _BOUNCES_PCT)
    at, number = at[~lands], number[~lands]
    opening = opening[number]
    # Between two means lies half of each: that of the shaft's way is beside the edge.
    before, behind = own[at] + moved[at] / 2.0, own[at + 1] - moved[at] / 2.0
    return _Edges(
        number,
        (time_s[at] + time_s[at + 1]) / 2.0,
        np.where(opening, before, behind),
        np.where(opening, behind, before),
        np.where(opening, jump[at], -jump[at]),
    )


def _beside_leaps(size: FloatArray) -> BoolArray:
    """Where a jump lies beside one that is no step: it is the way into what interrupts, shape (n,)."""
    leaps = np.flatnonzero(size >= _MOST_PCT)
    beside = np.zeros(size.shape, dtype=np.bool_)
    for n in range(-_BESIDE, _BESIDE + 1):
        beside[(leaps + n).clip(0, size.size - 1)] = True
    return beside


def _jumps(values: FloatArray) -> tuple[FloatArray, FloatArray]:
    """By how much each value jumps to the next, besides what they move on both sides; and that: (n,)."""
    jump, moved = np.zeros(values.shape), np.zeros(values.shape)
    n = _BESIDE
    step = values[n + 1 : -n] - values[n : -n - 1]
    before = values[n : -n - 1] - values[: -2 * n - 1]
    behind = values[2 * n + 1 :] - values[n + 1 : -n]
    moved[n : -n - 1] = (before + behind) / (2.0 * n)
    jump[n : -n - 1] = step - moved[n : -n - 1]
    return jump, moved


def _clusters(edges: _Edges, sign: float, side: FloatArray, passes: tuple[Pass, ...]) -> list[IntArray]:
    """Indices of the edges of one sign that come back at one place, for each such place."""
    own = np.flatnonzero(np.sign(edges.size) == sign)
    own = own[(side[own] > _STOP_PCT) & (side[own] < 100.0 - _STOP_PCT)]
    found: list[IntArray] = []
    for _ in range(4):
        if own.size < _LEAST_PASSES:
            break
        ordered = own[np.argsort(side[own])]
        places = side[ordered]
        ends = np.searchsorted(places, places + _WINDOW_PCT, side="right")
        held = ends - np.arange(ends.size)
        passes_there = _passes_within(edges.number[ordered], ends)
        # Of those with as many passes the one with most edges.
        best = int(np.lexsort((-np.arange(held.size), held, passes_there))[-1])
        most = int(passes_there[best])
        members = ordered[best : ends[best]]
        seen = most
        # How many passes chance alone would give there, by what edges as large do elsewhere.
        large = np.abs(edges.size) > np.median(np.abs(edges.size[members])) / _ALIKE
        elsewhere = (np.count_nonzero(large) - members.size) * _WINDOW_PCT / 100.0 / len(passes)
        crossed = max(seen, len(crossings(passes, (places[best], places[best]))))
        chance = at_least(seen, crossed, 1.0 - exp(-max(elsewhere, 0.0)))
        if seen < _LEAST_PASSES or 100.0 / _WINDOW_PCT * chance > _CHANCE:
            break
        found.append(members)
        own = np.setdiff1d(own, members)
    return found


def _passes_within(number: IntArray, ends: IntArray) -> IntArray:
    """How many passes lie from each edge to where its window ends, shape (n,): both move on, never back.

    Args:
        number: of each edge's pass, shape (n,).
        ends: where each edge's window ends, shape (n,), rising.
    """
    inside: Counter[int] = Counter()
    passes, counted, end = number.tolist(), [], 0
    for first, stop in enumerate(ends.tolist()):
        inside.update(passes[end:stop])
        end = stop
        counted.append(len(inside))
        inside[passes[first]] -= 1
        if not inside[passes[first]]:
            del inside[passes[first]]
    return np.asarray(counted, dtype=np.intp)


def _paired(edges: _Edges, passes: tuple[Pass, ...]) -> list[tuple[_Edges, _Edges]]:
    """Edges at which a step begins and ends, seen from the closed side."""
    found = []
    for sign in (-1.0, 1.0):
        begins = _clusters(edges, sign, edges.low, passes)
        ends = _clusters(edges, -sign, edges.high, passes)
        for a in begins:
            for b in ends:
                width = float(np.median(edges.high[b]) - np.median(edges.low[a]))
                ratio = abs(float(np.median(edges.size[b]) / np.median(edges.size[a])))
                alike = 1.0 / _ALIKE < ratio < _ALIKE
                if _NARROWEST_PCT < width < _WIDEST_PCT and alike and _one_way(edges, (a, b), width):
                    found.append((_part(edges, a), _part(edges, b)))
    return found


def _one_way(edges: _Edges, ends: tuple[IntArray, IntArray], width: float) -> bool:
    """Whether at each end of a step passes jump one way: where it is rough others jump the other way."""
    middle, reach = (edges.low + edges.high) / 2.0, min(_WINDOW_PCT / 2.0, _OWN_HALF * width)
    for members in ends:
        height = np.median(edges.size[members])
        there = np.abs(middle - np.median(middle[members])) < reach
        against = there & (-np.sign(height) * edges.size > abs(height) / _ALIKE)
        own, others = (np.unique(edges.number[x]).size for x in (members, against))
        if others > _MOST_AGAINST * own:
            return False
    return True


def _height(edges: _Edges) -> float:
    return float(np.median(np.abs(edges.size)))


def _part(edges: _Edges, at: IntArray) -> _Edges:
    return _Edges(edges.number[at], edges.at_s[at], edges.low[at], edges.high[at], edges.size[at])


def _place(pair: tuple[_Edges, _Edges]) -> Span:
    begin, end = pair
    low, high = float(np.median(begin.low)), float(np.median(end.high))
    return round(low, 2), round(max(high, low + 0.1), 2)


def _spot(
    track: Instrument, frame: Frame, passes: tuple[Pass, ...], pair: tuple[_Edges, _Edges]
) -> DeadSpot | None:
    begin, end = pair
    place = _place(pair)
    crossed = len(crossings(passes, place))
    seen = np.union1d(begin.number, end.number).size
    # A pass comes to the closed side first as it opens, last as it closes: a high step takes a track
    # back beyond where it began, and by its levels alone its end may lie before it.
    began, ended = (_when(edges, len(passes)) for edges in pair)
    opening = np.asarray([p.direction is Direction.OPENING for p in passes])
    with np.errstate(invalid="ignore"):
        both = np.flatnonzero(np.where(opening, began < ended, began >= ended))
    if both.size < _LEAST_PASSES:
        return None
    times = np.sort(np.stack((began[both], ended[both]), axis=1)).tolist()
    height = float(np.median(np.abs(np.append(begin.size, end.size))))
    depth = abs(frame.open - frame.closed) * height / 100.0
    return pooled_spot(track.id, place, Shape.STEP, depth, times, (min(seen, crossed), crossed))


def _when(edges: _Edges, passes: int) -> FloatArray:
    """When each pass shows an edge, on the average of those it has, shape (passes,); NaN without one."""
    count, total = (
        np.bincount(edges.number, x, passes) for x in (np.ones(edges.number.size), edges.at_s)
    )
    return np.where(count > 0, total / np.maximum(count, 1), np.nan)


def is_told(step: DeadSpot, others: tuple[DeadSpot, ...]) -> bool:
    """Whether another spot of the same track lies there."""
    return any(
        set(step.channels) <= set(o.channels) and overlaps(step.travel_pct, o.travel_pct, _NEAR_PCT)
        for o in others
    )
