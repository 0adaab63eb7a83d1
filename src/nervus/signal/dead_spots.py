"""Dead spots: places in the travel at which a track does not follow, pass after pass.

One event proves nothing about a place: a loose wire can open anywhere, so also here. A dead spot is
claimed where the events of a track cluster in the travel more tightly than the time spent there
explains, or where it stands still at the same level in most passes while the throttle moves on.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from nervus.domain.analysis import Pass, Verdict
from nervus.domain.channel import FloatArray
from nervus.domain.finding import DeadSpot, Floor, Shape, Span
from nervus.signal.course import Course
from nervus.signal.events import Event, bursts
from nervus.signal.intervals import wilson
from nervus.signal.levels import TrackSignal
from nervus.signal.locality import judge_locality
from nervus.signal.spans import runs
from nervus.signal.travel import crossings

# More worn places than this on one track are one worn track.
_MOST_SPOTS = 4
# Events this far from the cluster's own extent still belong to it, percent of travel.
_REACH_PCT = 3.0
# An offset of less than this, away from the rails, is a step: the track goes on, only lower.
_STEP_AT_MOST_PCT = 15.0
# A spot that shows in a smaller share of its crossings is not bound to the place alone.
_LEAST_SHARE = 0.3

# Flats: standing still for at least this long and this many samples ...
_FLAT_S, _FLAT_SAMPLES = 0.03, 4
# ... while the throttle came in and went out faster than this, percent of supply per second, ...
_FLAT_SPEED = 8.0
# ... long enough that a moving wiper would have left by this much, percent of supply, ...
# and by this many times what noise and rounding can hide, ...
_FLAT_LEAST_PCT, _FLAT_TOLERANCES = 1.2, 4.0
# ... at the same level in at least so many passes, and in at least this share of them.
_FLAT_LEAST_PASSES, _FLAT_LEAST_SHARE = 3, 0.5


def from_events(
    track: TrackSignal,
    events: tuple[Event, ...],
    passes: tuple[Pass, ...],
    travel: tuple[FloatArray, FloatArray],
) -> tuple[tuple[DeadSpot, ...], tuple[Event, ...]]:
    """Dead spots that explain events of one track, and the events that they explain."""
    time_s, percent = travel
    own = tuple(e for e in events if e.channels == (track.id,))
    spots: list[DeadSpot] = []
    explained: list[Event] = []
    left = own
    for _ in range(_MOST_SPOTS):
        groups = bursts(left)
        places = np.asarray([_middle(g, travel) for g in groups])
        verdict, window = judge_locality(places, percent, time_s)
        if verdict.verdict is not Verdict.POSITION or window is None:
            break
        near = (window[0] - _REACH_PCT, window[1] + _REACH_PCT)
        members = tuple(
            e for g, x in zip(groups, places, strict=True) if near[0] <= x <= near[1] for e in g
        )
        spot = _pool(track, members, passes, travel)
        if spot is None:
            break
        spots.append(spot)
        explained.extend(members)
        taken = {id(e) for e in members}
        left = tuple(e for e in left if id(e) not in taken)
    return tuple(spots), tuple(explained)


def _middle(group: tuple[Event, ...], travel: tuple[FloatArray, FloatArray]) -> float:
    places = [np.interp(np.mean(e.span_s), *travel) for e in group]
    return float(np.median(places))


def _pool(
    track: TrackSignal,
    members: tuple[Event, ...],
    passes: tuple[Pass, ...],
    travel: tuple[FloatArray, FloatArray],
) -> DeadSpot | None:
    ends = np.sort([np.interp(e.span_s, *travel) for e in members], axis=1)
    by_pass = _merge_within_passes(members, ends, passes)
    low = float(np.median(by_pass[:, 0]))
    high = float(np.median(by_pass[:, 1]))
    step = max(1e-3, float(np.median(by_pass[:, 1] - by_pass[:, 0])))
    place = (round(low, 2), round(max(high, low + 0.1 * step), 2))
    crossed = crossings(passes, place)
    seen = [p for p, within in _by_pass(members, crossed) if within.start < within.stop]
    if not crossed or len(seen) < _LEAST_SHARE * len(crossed):
        return None
    parts = [e.parts[0][1] for e in members]
    shape = Shape.DROP
    depth = float(np.median([p.depth for p in parts]))
    if depth < _STEP_AT_MOST_PCT and all(p.floor is Floor.INTERMEDIATE for p in parts):
        shape = Shape.STEP
    return DeadSpot(
        channels=(track.id,),
        times_s=tuple((round(e.span_s[0], 4), round(e.span_s[1], 4)) for e in members),
        confidence=_confidence(len(seen), len(crossed)),
        text=_text(track, place, shape, (len(seen), len(crossed)), depth),
        travel_pct=place,
        shape=shape,
        seen_in=len(seen),
        crossed=len(crossed),
    )


def _merge_within_passes(
    members: tuple[Event, ...], ends: FloatArray, passes: tuple[Pass, ...]
) -> FloatArray:
    """The extent in each pass, shape (passes, 2): a contact may open twice while it crosses."""
    extents = [
        (ends[within, 0].min(), ends[within, 1].max())
        for _, within in _by_pass(members, passes)
        if within.start < within.stop
    ]
    return np.asarray(extents if extents else ends, dtype=np.float64)


def _by_pass(members: tuple[Event, ...], passes: tuple[Pass, ...]) -> Iterator[tuple[Pass, slice]]:
    """Each pass with the events that fall into it; events are in the order of time."""
    starts = np.asarray([e.span_s[0] for e in members])
    ends = np.asarray([e.span_s[1] for e in members])
    for p in passes:
        first, last = np.searchsorted(ends, p.start_s), np.searchsorted(starts, p.end_s, side="right")
        yield p, slice(int(first), int(last))


def _confidence(seen: int, crossed: int) -> float:
    """Rises with the lower bound of the share of crossings that show it, and with their number."""
    low, _ = wilson(seen, crossed)
    return round(min(0.99, 0.6 + 0.2 * low + 0.2 * min(1.0, seen / 6)), 2)


def _text(
    track: TrackSignal | Course, place: Span, shape: Shape, seen: tuple[int, int], depth: float
) -> str:
    depth_v = depth * track.supply_v / 100.0
    does = {
        Shape.DROP: f"leaves its course by {depth_v:.2f} V",
        Shape.STEP: f"steps by {depth_v:.2f} V and comes back",
        Shape.FLAT: "stands still while the throttle moves on",
    }[shape]
    return (
        f"Between {place[0]:.1f} and {place[1]:.1f} % of the travel {_name(track.id)} {does}, "
        f"in {seen[0]} of {seen[1]} passes over it."
    )


def _name(channel_id: str) -> str:
    return "track 2" if channel_id.startswith("tps2") else "track 1"


@dataclass(frozen=True, slots=True)
class _Stand:
    span_s: Span
    level: float
    missed: float  # percent of supply that a moving wiper would have covered meanwhile


def flats(course: Course, passes: tuple[Pass, ...], span_pct: float) -> tuple[DeadSpot, ...]:
    """Levels at which the track stands still in most passes while the throttle moves on.

    Args:
        course: the track with its excursions bridged.
        passes: of the travel as this track tells it.
        span_pct: the whole travel in percent of supply; negative for a falling track.
    """
    stands = [s for p in passes for s in _stands(course, p)]
    same = max(2.5 * course.tolerance, 0.5)
    spots: list[DeadSpot] = []
    while stands:
        group = _most_alike(stands, same)
        spot = _flat_spot(course, passes, group, span_pct)
        if spot is not None:
            spots.append(spot)
        taken = {id(s) for s in group}
        stands = [s for s in stands if id(s) not in taken]
        if len(group) < _FLAT_LEAST_PASSES:
            break
    return tuple(spots)


def _most_alike(stands: list[_Stand], same: float) -> list[_Stand]:
    """The stands round the level at which most of them stand."""
    ordered = sorted(stands, key=lambda s: s.level)
    levels = np.asarray([s.level for s in ordered])
    low = np.searchsorted(levels, levels - same)
    high = np.searchsorted(levels, levels + same, side="right")
    best = int(np.argmax(high - low))
    return ordered[low[best] : high[best]]


def _stands(course: Course, a_pass: Pass) -> list[_Stand]:
    """Where one pass stands still between two stretches of brisk motion."""
    first = int(np.searchsorted(course.time_s, a_pass.start_s))
    last = int(np.searchsorted(course.time_s, a_pass.end_s, side="right"))
    time_s, level = course.time_s[first:last], course.level[first:last]
    if level.size < 3 * _FLAT_SAMPLES:
        return []
    width = max(_FLAT_SAMPLES, int(np.ceil(_FLAT_S / max(course.interval_s, 1e-6))))
    if level.size <= 3 * width:
        return []
    still = np.abs(level[width:] - level[:-width]) <= max(course.tolerance, 0.15)
    found = []
    for begin, end in zip(*runs(still), strict=True):
        stop = int(end) + width
        speed_in = _speed(time_s, level, int(begin) - width, int(begin))
        speed_out = _speed(time_s, level, stop, stop + width)
        duration = float(time_s[stop] - time_s[begin])
        slower = min(abs(speed_in), abs(speed_out))
        if speed_in * speed_out <= 0 or slower < _FLAT_SPEED:
            continue
        if slower * duration < max(_FLAT_LEAST_PCT, _FLAT_TOLERANCES * course.tolerance):
            continue
        middle = level[begin : stop + 1]
        span = (float(time_s[begin]), float(time_s[stop]))
        missed = (abs(speed_in) + abs(speed_out)) / 2 * duration
        found.append(_Stand(span, float(np.median(middle)), missed))
    return found


def _speed(time_s: FloatArray, level: FloatArray, first: int, last: int) -> float:
    if first < 0 or last >= level.size:
        return 0.0
    return float((level[last] - level[first]) / (time_s[last] - time_s[first]))


def _flat_spot(
    course: Course,
    passes: tuple[Pass, ...],
    group: list[_Stand],
    span_pct: float,
) -> DeadSpot | None:
    level = float(np.median([s.level for s in group]))
    bounds = np.asarray([(p.start_s, p.end_s) for p in passes])
    ends = np.interp(bounds, course.time_s, course.level)
    through = [(p, e) for p, e in zip(passes, ends, strict=True) if min(e) < level < max(e)]
    times = np.sort([s.span_s[0] for s in group])
    seen = [
        p
        for p, _ in through
        if np.searchsorted(times, p.start_s) < np.searchsorted(times, p.end_s, side="right")
    ]
    if len(seen) < _FLAT_LEAST_PASSES or len(seen) < _FLAT_LEAST_SHARE * len(through):
        return None
    # The frame knows only the travel that the track showed; the stand adds what it hid.
    hidden = 100.0 * float(np.median([s.missed for s in group])) / abs(span_pct)
    closed = float(np.percentile(course.level, 0.2 if span_pct > 0 else 99.8))
    shown = 100.0 * (level - closed) / span_pct
    whole = 100.0 + hidden
    place = (round(100.0 * shown / whole, 2), round(100.0 * (shown + hidden) / whole, 2))
    return DeadSpot(
        channels=(course.id,),
        times_s=tuple((round(s.span_s[0], 4), round(s.span_s[1], 4)) for s in group),
        confidence=_confidence(len(seen), len(through)),
        text=_text(course, place, Shape.FLAT, (len(seen), len(through)), 0.0),
        travel_pct=place,
        shape=Shape.FLAT,
        seen_in=len(seen),
        crossed=len(through),
    )
