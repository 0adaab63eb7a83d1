"""Places at which two tracks part, pass after pass: dead spots too shallow for any single pass.

What two tracks on one shaft are apart by holds no motion. Sorted by where the shaft was, opening
and closing passes for themselves, it is what the tracks are apart anyway, smooth over the travel, and
what is worn: a step is off by one amount from edge to edge; a track that stands still falls behind by
as much as the shaft goes on, and leaps at the end. Which of the two it is shows in how each goes through
the place by itself.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from nervus.domain.analysis import Direction, Pass
from nervus.domain.channel import BoolArray, FloatArray, IntArray, Span
from nervus.domain.finding import DeadSpot, Shape
from nervus.signal.arithmetic.spans import Union, merge, overlaps
from nervus.signal.explained.shaft import Shaft
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.motion.travel import crossings
from nervus.signal.worn.apart import Apart, Fold, find_apart
from nervus.signal.worn.spot import pooled_spot

# A cell stands out by so many deviations, and by this much of a cell's width; what is beside it belongs
# to it while it is off by this share of the most.
_DEVIATIONS, _LEAST_OF_CELL, _BELONGS = 6.0, 1.0, 0.2
# What is wider than this share of a bend that it overlaps is that bend.
_MOST_OF_BEND = 0.5
# So many cells in a row may tell together what none tells by itself: what is worn is as wide.
_TOGETHER = (2, 3)
# A place is so wide, percent of travel, and is looked at with so much around it.
_NARROWEST_PCT, _WIDEST_PCT, _BESIDE_PCT = 0.7, 12.0, 2.0
# What lies no further apart is of one place.
_ONE_PCT = 1.6
# Beside it the tracks are apart by no more than this share of what they are inside.
_BESIDE_SHARE = 0.35
# A pass shows a place where it is off along with what is told by this share.
_ALIKE, _STRONG = 0.5, 0.4
_LEAST_PASSES, _LEAST_SHARE = 3, 0.4
# An explanation leaves this share of what the tracks are apart by at most; it is looked for in steps of
# this, percent of travel, or so many of a wide place, with so many points at most, and the best one in
# so many finer ones.
_LEFT, _STEP_PCT, _MOST_STEPS, _MOST_POINTS, _FINER = 0.45, 0.25, 24, 1000, 5
# A track that falls behind by less than this share of what the shaft goes on is bent: it does not stand.
_GENTLE = 0.5
# No sound track is bent over less, percent of travel.
_BENT_PCT = 6.0
# A step is as high, and a stand as long, as so many steps of the tracks; what is off by more is a drop.
_LEAST_STEPS, _MOST_PCT = 1.2, 15.0
# Both edges of a step are seen, if they lie so far from the stops and from where a pass ends, percent.
_EDGE_PCT = 1.0
# What lies within it by more than this share shows it as it is.
_MOSTLY = 0.9
# It is told from so many points.
_LEAST_POINTS = 10


@dataclass(frozen=True, slots=True, eq=False)
class _Points:
    """Samples near a place, of the passes that cross it, shape (n,) each.

    Attributes:
        number: of the pass, among all.
        at: where the shaft was, percent of travel.
        off: what the tracks are apart besides what they are anyway, percent of travel.
        wide: over how much of the travel each is a mean, percent.
        from_below: whether the shaft came to the place from below.
    """

    number: IntArray
    at: FloatArray
    off: FloatArray
    wide: FloatArray
    from_below: BoolArray


@dataclass(frozen=True, slots=True)
class _Told:
    """What explains a place.

    Attributes:
        explain: the explanation.
        shape: what it looks like; `None` where it is only bent.
        place: its ends, percent of travel.
        height: by how much the track is off inside, percent of travel.
    """

    explain: "_Explanation"
    shape: Shape | None
    place: Span
    height: float


_Explanation = Callable[[_Points, float, float], FloatArray]


def find_parted(shaft: Shaft, track: Instrument, told_s: tuple[Span, ...]) -> tuple[DeadSpot, ...]:
    """Dead spots of a track that show in what it and its sister are apart by.

    Args:
        shaft: what is known of it.
        track: the track.
        told_s: spans that are told already.
    """
    if len(shaft.passes) < _LEAST_PASSES:
        return ()
    seen = find_apart(shaft, track, told_s, lambda some: bool(_looked_at(some)[1]))
    if seen is None:
        return ()
    folds, places = _looked_at(seen)
    spots = (_spot(seen, folds, place) for place in places)
    return tuple(s for s in spots if s is not None)


def _looked_at(seen: Apart) -> tuple[list[Fold], list[Span]]:
    """What the passes show, and where the tracks part in the middle one, or in as many as tell of it."""
    folds, partly = seen.folds(_LEAST_SHARE)
    return folds, _places(folds, seen.cell_pct, partly)


def _places(folds: list[Fold], width: float, partly: Sequence[Fold] = ()) -> list[Span]:
    """Where it stands out in either direction, percent of travel.

    Args:
        folds: by the middle one of the passes.
        width: of a cell, percent of travel.
        partly: by what fewer passes show.
    """
    alone = _standing_out(folds, [f.sure for f in folds], width)
    # What no cell tells by itself, those beside it and both directions may tell together.
    jointly = _jointly(folds)
    more = _standing_out(folds, [jointly] * len(folds), width)
    more += _standing_out(partly, [f.sure for f in partly], width)
    # What goes on for longer is bent: what is off by more, and far less wide, is a place on it.
    bends = [each for each in (*alone, *more) if _is_bend(each[0])]
    sure, unsure = (
        [p for p, off in each if not (_is_bend(p) or any(_is_of_bend(p, off, *b) for b in bends))]
        for each in (alone, more)
    )
    known = Union(sure)
    found = [*sure, *(p for p in unsure if not known.touches(p, _ONE_PCT))]
    narrow = (p for p in merge(sorted(found), _ONE_PCT) if p[1] - p[0] <= _WIDEST_PCT)
    return [_with_unseen(p, folds, width) for p in narrow]


def _is_bend(place: Span) -> bool:
    return place[1] - place[0] > _WIDEST_PCT


def _is_of_bend(place: Span, off: float, bend: Span, most: float) -> bool:
    """Whether a place is but what is seen of a bend: it is off by no more, or is most of it."""
    is_most = place[1] - place[0] > _MOST_OF_BEND * (bend[1] - bend[0])
    return overlaps(place, bend) and (off <= most or is_most)


def _standing_out(
    folds: Sequence[Fold], sureness: Sequence[FloatArray], width: float
) -> list[tuple[Span, float]]:
    """Where cells are off for sure, with what is beside and off as well, and by how much at most."""
    found: list[tuple[Span, float]] = []
    for fold, told in zip(folds, sureness, strict=True):
        seen = np.flatnonzero(np.isfinite(fold.mean))
        off, sure = np.abs(fold.mean[seen]), told[seen]
        for peak in np.flatnonzero((sure > _DEVIATIONS) & (off > _LEAST_OF_CELL * width)).tolist():
            beside = off > _BELONGS * off[peak]
            low, high = peak, peak
            while low > 0 and beside[low - 1]:
                low -= 1
            while high < off.size - 1 and beside[high + 1]:
                high += 1
            place = float(seen[low]) * width, float(seen[high] + 1) * width
            found.append((place, float(off[peak])))
    return found


def _jointly(folds: list[Fold]) -> FloatArray:
    """How sure each cell stands out, with those beside it and by both directions, shape (cells,).

    What is worn is wider than a cell, or lies over two, and is crossed both ways. Of cells in a row that
    are off the same way the sum tells, in deviations of its own; of two directions either may be off
    whichever way, for what stands is behind on both.
    """
    ways = []
    for fold in folds:
        signed = np.sign(np.nan_to_num(fold.mean)) * fold.sure
        summed = np.concatenate(([0.0], np.cumsum(signed)))
        best = np.abs(signed)
        for many in _TOGETHER:
            row = np.abs(summed[many:] - summed[:-many]) / np.sqrt(many)
            for first in range(many):
                best[first : first + row.size] = np.maximum(best[first : first + row.size], row)
        ways.append(best)
    return np.asarray(np.sqrt(np.sum(np.square(ways), axis=0)), dtype=np.float64)


def _with_unseen(place: Span, folds: list[Fold], width: float) -> Span:
    """A place with what nobody saw beside it, as far as it is looked at around."""
    seen = np.any([np.isfinite(f.mean) for f in folds], axis=0)
    first, last = round(place[0] / width), round(place[1] / width)
    most = int(_BESIDE_PCT / width)
    below, above = seen[max(first - most, 0) : first][::-1], seen[last : last + most]
    low, high = (int(np.argmax(x)) if x.any() else x.size for x in (below, above))
    return (first - low) * width, (last + high) * width


def _spot(seen: Apart, folds: list[Fold], near: Span) -> DeadSpot | None:
    track, frame, passes = seen.track, seen.frame, seen.passes
    points = _points(folds, near, seen)
    strong = _strong(points, near)
    told = _explained(strong, near)
    if told is None or told.shape is None or _inside(points, told.place).sum() < _LEAST_POINTS:
        return None
    place = told.place
    wide = place[1] - place[0]
    size = told.height if told.shape is Shape.STEP else wide
    off = [passes[n] for n in np.unique(strong.number)]
    if told.shape is Shape.STEP and not _went_beyond(off, place):
        return None
    if wide > _WIDEST_PCT or not _LEAST_STEPS * seen.step < size < _MOST_PCT:
        return None
    showing = _showing(strong, told)
    spans = [s for n in showing if (s := seen.when(passes[n], place)) is not None]
    crossed = max(len(crossings(passes, place)), len(spans))
    # Crossed quickly, a place is not read at all in most passes.
    read = np.unique(points.number[_inside(points, place)]).tolist()
    enough = len(spans) >= max(_LEAST_PASSES, _LEAST_SHARE * len(read))
    if not enough or _only_quick(showing, read, passes):
        return None
    if not seen.is_own(spans):
        return None
    depth = abs(frame.open - frame.closed) * told.height / 100.0
    return pooled_spot(track.id, place, told.shape, depth, spans, (len(spans), crossed))


def _went_beyond(passes: Sequence[Pass], place: Span) -> bool:
    """Whether most passes cross each end of a place: what is off to a stop, or to their end, is bent."""
    low, high = place[0] - _EDGE_PCT, place[1] + _EDGE_PCT
    ends = [sorted((p.from_pct, p.to_pct)) for p in passes]
    crossed = (sum(first < edge < last for first, last in ends) for edge in (low, high))
    return low >= 0.0 and high <= 100.0 and all(many > len(passes) / 2 for many in crossed)


def _only_quick(showing: Sequence[int], read: Sequence[int], passes: Sequence[Pass]) -> bool:
    """Whether none of the slowest third of the passes that read a place shows it: that is timing.

    What is worn shows however slowly it is crossed; what two clocks are apart by grows with the speed.
    """
    by_speed = sorted(read, key=lambda number: passes[number].speed)
    return not set(showing).intersection(by_speed[: (len(read) + 2) // 3])


def _points(folds: list[Fold], near: Span, seen: Apart) -> _Points:
    base, width = {f.passes[0].direction: f.base for f in folds}, seen.cell_pct
    parts, below = [], False
    for number, a_pass in enumerate(seen.passes):
        of_pass = seen.of_pass(a_pass)
        at = seen.other[of_pass]
        around = (at > near[0] - _BESIDE_PCT) & (at < near[1] + _BESIDE_PCT)
        wide = seen.averaged * np.abs(np.gradient(at))[around] if at.size > 1 else np.zeros(around.sum())
        at = at[around]
        apart = seen.own[of_pass][around] - at
        usual = base[a_pass.direction]
        off = apart - np.interp(at / width - 0.5, np.arange(usual.size), usual)
        # What turns round at a place has come to it the other way.
        turned = number > 0 and near[0] < a_pass.from_pct < near[1]
        below = below if turned else a_pass.direction is Direction.OPENING
        parts.append((np.full(at.shape, number), at, off, wide, np.full(at.shape, below)))
    of, place, off, wide, from_below = (np.concatenate(x) for x in zip(*parts, strict=True))
    every = slice(None, None, max(1, of.size // _MOST_POINTS))
    return _Points(of[every], place[every], off[every], wide[every], from_below[every])


def _strong(points: _Points, near: Span) -> _Points:
    """The points of the passes that are off at a place: a contact does not fail every time."""
    within = (points.at >= near[0]) & (points.at <= near[1])
    counts = np.bincount(points.number, weights=within)
    off = np.bincount(points.number, weights=within * np.abs(points.off)) / np.maximum(counts, 1.0)
    if not np.any(counts > 0):
        return points
    strong = (off > _STRONG * np.quantile(off[counts > 0], 0.9))[points.number]
    return _Points(
        points.number[strong],
        points.at[strong],
        points.off[strong],
        points.wide[strong],
        points.from_below[strong],
    )


def _inside(points: _Points, place: Span) -> BoolArray:
    return np.asarray((points.at >= place[0]) & (points.at <= place[1]), dtype=np.bool_)


def _share(points: _Points, low: float, high: float) -> FloatArray:
    """How much of each point, a mean over some of the travel, lies from edge to edge, shape (n,)."""
    half = np.maximum(points.wide, 1e-6) / 2.0
    inner = np.minimum(points.at + half, high) - np.maximum(points.at - half, low)
    return np.asarray(np.clip(inner / (2.0 * half), 0.0, 1.0))


def _steps(points: _Points, low: float, high: float) -> FloatArray:
    """Off by one amount from edge to edge."""
    share = _share(points, low, high)
    within = share > _MOSTLY
    return np.asarray(share * (np.median(points.off[within]) if within.any() else 0.0))


def _holds(points: _Points, low: float, high: float) -> FloatArray:
    """Stands at the last level that was good, whichever way it came, and leaps at the other end."""
    entered = np.where(points.from_below, low, high)
    return np.asarray(_share(points, low, high) * (entered - points.at))


def _rests(points: _Points, low: float, high: float) -> FloatArray:
    """Stands at one level both ways, that of a part of its own stretch."""
    share = _share(points, low, high)
    within = share > _MOSTLY
    if not within.any():
        return np.zeros(share.shape)
    # Where it begins and ends is not known better than that.
    ends = low - _NARROWEST_PCT, high + _NARROWEST_PCT
    level = np.clip(np.median((points.off + points.at)[within]), *ends)
    return np.asarray(share * (level - points.at))


def _bends(points: _Points, low: float, high: float) -> FloatArray:
    """Comes and goes gently, as a track that is bent or a sensor that is no straight line."""
    share = np.clip((points.at - low) / max(high - low, 1e-6), 0.0, 1.0)
    shape = np.sin(np.pi * share) ** 2
    # What is bent still goes the shaft's way where it is steepest.
    most = (high - low) / np.pi
    return np.asarray(shape * np.clip(_height(points, shape), -most, most))


def _leans(points: _Points, low: float, high: float) -> FloatArray:
    """Grows from nothing at one end to the most at the other, gently: bent there, or beside a bridge."""
    share = np.clip((points.at - low) / max(high - low, 1e-6), 0.0, 1.0)
    within = (points.at >= low) & (points.at <= high)
    most = _GENTLE * (high - low)
    rising, falling = np.where(within, share, 0.0), np.where(within, 1.0 - share, 0.0)
    ways = [x * np.clip(_height(points, x), -most, most) for x in (rising, falling)]
    return np.asarray(min(ways, key=lambda says: float(np.sum(np.abs(points.off - says)))))


def _height(points: _Points, shape: FloatArray) -> float:
    """How many times a shape the tracks are apart, by least squares."""
    return float(np.sum(shape * points.off)) / max(float(np.sum(shape**2)), 1e-9)


_EXPLANATIONS: tuple[tuple[_Explanation, Shape | None], ...] = (
    (_steps, Shape.STEP),
    (_holds, Shape.FLAT),
    (_rests, Shape.FLAT),
    (_bends, None),
    (_leans, None),
)


def _explained(points: _Points, near: Span) -> _Told | None:
    """The explanation that leaves least of what the tracks are apart by; `None` if it is too much.

    What they are apart by beside the place is noise and rounding, and leaves as much inside.
    """
    tried = (
        (e, shape, place)
        for e, shape in _EXPLANATIONS
        for place in _ends(near)
        if shape is not None or place[1] - place[0] >= _BENT_PCT
    )
    best = min(tried, key=lambda each: _residual(points, each[0], each[2]))
    explain, shape, place = best
    place = min(_finer(place, _step(near)), key=lambda finer: _residual(points, explain, finer))
    beside = ~_inside(points, place)
    usual_each = float(np.median(np.abs(points.off[beside]))) if beside.any() else 0.0
    usual = usual_each * points.off.size
    whole = float(np.sum(np.abs(points.off))) - usual
    if whole <= 0.0:
        return None
    says = explain(points, *place)
    height = float(np.median(np.abs(says[says != 0.0]))) if np.any(says) else 0.0
    left = (_residual(points, explain, place) - usual) / whole
    if left > _LEFT or usual_each > _BESIDE_SHARE * height:
        return None
    return _Told(explain, shape, (round(place[0], 2), round(place[1], 2)), height)


def _residual(points: _Points, explain: _Explanation, place: Span) -> float:
    """What an explanation leaves of what the tracks are apart by, over all points, percent of travel."""
    return float(np.sum(np.abs(points.off - explain(points, *place))))


def _ends(near: Span) -> list[Span]:
    """Where a place near to another may begin and end, percent of travel."""
    reach, step = _BESIDE_PCT * 0.75, _step(near)
    lows = np.arange(near[0] - reach, near[1], step).tolist()
    highs = np.arange(near[0], near[1] + reach + step, step).tolist()
    return [(low, high) for low in lows for high in highs if high >= low + _NARROWEST_PCT]


def _finer(place: Span, step: float) -> list[Span]:
    """Places that begin and end within a step of another's ends, percent of travel."""
    off = np.linspace(-step, step, 2 * _FINER + 1).tolist()
    around = [(place[0] + a, place[1] + b) for a in off for b in off]
    return [p for p in around if p[1] - p[0] >= _NARROWEST_PCT]


def _step(near: Span) -> float:
    """In what steps the ends of a place are looked for, percent of travel."""
    return max(_STEP_PCT, (near[1] - near[0]) / _MOST_STEPS)


def _showing(points: _Points, told: _Told) -> list[int]:
    """The numbers of the passes that are off as told."""
    says = told.explain(points, *told.place)
    along = np.bincount(points.number, weights=says * points.off)
    of = np.bincount(points.number, weights=says**2)
    return np.flatnonzero((of > 0.0) & (along > _ALIKE * of)).tolist()
