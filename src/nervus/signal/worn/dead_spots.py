"""Dead spots: places in the travel at which a track does not follow, pass after pass.

One event proves nothing about a place: a loose wire can open anywhere, so also here. A dead spot is
claimed where the events of a track cluster in the travel more tightly than the time spent there
explains. (Where a track only stands still there is no event; see `flats`.)
"""

from collections import Counter
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from nervus.domain.analysis import Pass, Verdict
from nervus.domain.channel import FloatArray
from nervus.domain.finding import DeadSpot, Shape
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.arithmetic.spans import merge, overlaps
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.explained.events import Event, bursts
from nervus.signal.instruments import sampling
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.motion.travel import crossings
from nervus.signal.worn.locality import judge_locality
from nervus.signal.worn.spot import pooled_confidence, spot_text

# More worn places than this on one track are one worn track.
_MOST_SPOTS = 4
# Events this far from the cluster's own extent still belong to it, percent of travel.
_REACH_PCT = 3.0
# What reaches so many times as far as the others do reaches over two places.
_TWO_PLACES = 2.0
# An offset of less than this, away from the rails, is a step: the track goes on, only lower.
_STEP_AT_MOST_PCT, _NEAR_RAIL_PCT = 15.0, 4.0
# A step is left and met once in a pass, a loose one twice; a worn stretch flickers.
_ROUGH_TIMES = 2.5
# Shallow events that differ in depth by more than this share, or that are so many times noisier
# inside than the track usually is, are the roughness of a worn stretch, no step.
_ROUGH_SPREAD, _ROUGH_NOISE = 0.08, 3.0
# So many steps each way tell one way from the other.
_LEAST_EACH_WAY = 2
# One and the same step is measured within so many tolerances.
_SAME_STEP_TOLERANCES = 0.25
# What stands is no further than this share of its depth from where it was or will be.
_STANDS_SHARE = 0.5
# What rises inside by less than this share of what it rose over all stands; what steps rises as usual.
_RISES_SHARE, _LEAST_INSIDE = 0.3, 3
# In more than this share of its events.
_MOSTLY = 0.5
# Noise inside is told from so many events of more than so many samples: a hand's motion bends few.
_MANY_INSIDE, _ENOUGH_INSIDE = 2, 5
# What fades is seen in so many samples, and so many times; so much of what it moves is one way, in as
# many of its excursions, and it does so for most of each.
_LEAST_FADING, _LEAST_SEEN_FADING, _STEADILY, _MOST_OF = 4, 3, 0.8, 0.6
# In the second half of its way it goes on by so much of all: what is at its level is there.
_ON_SHARE = 0.15
# A place so narrow, percent of travel, at which a track leaves its course once in a pass, on the average
# at most so often, and by so much, percent of supply, in a quarter of them: there a wiper lifts.
_NARROW_PCT, _ONCE, _LIFTS_PCT = 2.5, 1.5, 4.0
# Where nothing but what the contact still lets through is left, it goes this share of the way to a rail.
_OPENS_SHARE = 0.5
# What falls to one and the same level each time, from so far, percent of supply, is an open contact that
# flickers.
_SAME_LEVEL_PCT, _SAME_LEVEL_DEPTH_PCT = 0.3, 4.0
# In fewer passes nobody sees that it is the place: a shaft that rests there is nowhere else.
_LEAST_SEEN = 2
# A spot that shows in a smaller share of its crossings is not bound to the place alone.
_LEAST_SHARE = 0.3
# So many times one way, and never the other, is no chance: 1 in 16.
_MANY_ONE_WAY = 5
# So much of what was seen in its passes lies beside a place, on either side.
_BESIDE = 0.25


def from_events(
    track: Instrument,
    events: tuple[Event, ...],
    passes: tuple[Pass, ...],
    travel: tuple[FloatArray, FloatArray],
    channels: tuple[str, ...] = (),
) -> tuple[tuple[DeadSpot, ...], tuple[Event, ...]]:
    """Dead spots that explain events of one track, and the events that they explain.

    With `channels`, of events that all those tracks show: a scratch lies over both.
    """
    own = tuple(e for e in events if e.channels == (channels or (track.id,)))
    spots: list[DeadSpot] = []
    explained: list[Event] = []
    left = own
    for _ in range(_MOST_SPOTS):
        members = _most_at_one(clustered(left, travel), travel)
        spot = _pool(track, members, passes, travel) if members else None
        if spot is None:
            break
        taken = {id(e) for e in members}
        also = _passed(track, [e for e in left if id(e) not in taken], members, spot, travel)
        passed_s = ((round(e.span_s[0], 4), round(e.span_s[1], 4)) for e in also)
        spots.append(replace(spot, times_s=tuple(sorted((*spot.times_s, *passed_s)))))
        explained += (*members, *also)
        taken |= {id(e) for e in also}
        left = tuple(e for e in left if id(e) not in taken)
    return tuple(spots), tuple(explained)


def _passed(
    track: Instrument,
    events: list[Event],
    members: tuple[Event, ...],
    spot: DeadSpot,
    travel: tuple[FloatArray, FloatArray],
) -> list[Event]:
    """The events that did as most members do, while the shaft went through their place.

    A spring takes a plate further from one reading to the next than a place is wide.
    """
    if spot.shape is not Shape.DROP or not events:
        return []
    (floor, _), *_ = Counter(_of(track, e).floor for e in members).most_common(1)
    around = np.add([e.span_s for e in events], (-track.interval_s, track.interval_s))
    ways = np.sort(read_at(around, *travel), axis=1).tolist()
    return [
        e
        for e, (low, high) in zip(events, ways, strict=True)
        if _of(track, e).floor is floor and overlaps((low, high), spot.travel_pct)
    ]


def clustered(events: tuple[Event, ...], travel: tuple[FloatArray, FloatArray]) -> tuple[Event, ...]:
    """The events that come at one place, where they come by place at all."""
    groups = bursts(events, travel)
    places = _middles(groups, travel)
    verdict, window = judge_locality(places, travel[1], travel[0])
    if verdict.verdict is not Verdict.POSITION or window is None:
        return ()
    near = (window[0] - _REACH_PCT, window[1] + _REACH_PCT)
    return tuple(e for g, x in zip(groups, places, strict=True) if near[0] <= x <= near[1] for e in g)


def _most_at_one(events: tuple[Event, ...], travel: tuple[FloatArray, FloatArray]) -> tuple[Event, ...]:
    """The most of some events that lie at one place: over what no event reaches the track is sound.

    Where the shaft is quick one event may reach over two places: it belongs to either.
    """
    if not events:
        return ()
    # The shaft may turn round meanwhile: where it was in the middle counts.
    instants = np.asarray([(e.span_s[0], float(np.mean(e.span_s)), e.span_s[1]) for e in events])
    ways = np.sort(read_at(instants, *travel), axis=1)[:, [0, -1]]
    usual = max(_REACH_PCT, _TWO_PLACES * float(np.median(ways[:, 1] - ways[:, 0])))
    narrow = ways[ways[:, 1] - ways[:, 0] <= usual]
    places = merge(sorted((low, high) for low, high in narrow.tolist()), _REACH_PCT)
    most = max(places, key=lambda place: sum(overlaps(place, way) for way in narrow.tolist()))
    return tuple(
        e for e, way in zip(events, ways.tolist(), strict=True) if overlaps(most, way, _REACH_PCT)
    )


def _middles(groups: tuple[tuple[Event, ...], ...], travel: tuple[FloatArray, FloatArray]) -> FloatArray:
    """Where each group lies: the middle one of its events, percent of travel, shape (groups,)."""
    if not groups:
        return np.empty(0)
    spans = np.asarray([e.span_s for g in groups for e in g])
    places = read_at(spans.mean(axis=1), *travel)
    ends = np.cumsum([len(g) for g in groups])
    each = np.split(places, ends[:-1])
    return np.asarray([p[0] if p.size == 1 else np.median(p) for p in each], dtype=np.float64)


def _pool(
    track: Instrument,
    members: tuple[Event, ...],
    passes: tuple[Pass, ...],
    travel: tuple[FloatArray, FloatArray],
) -> DeadSpot | None:
    ends = np.sort(read_at(np.asarray([e.span_s for e in members]), *travel), axis=1)
    by_pass = _merge_within_passes(members, ends, passes)
    low = float(np.median(by_pass[:, 0]))
    high = float(np.median(by_pass[:, 1]))
    step = max(1e-3, float(np.median(by_pass[:, 1] - by_pass[:, 0])))
    place = (round(low, 2), round(max(high, low + 0.1 * step), 2))
    crossed = crossings(passes, place)
    seen = [(p, within) for p, within in by_passes(members, crossed) if within.start < within.stop]
    parts = [_of(track, e) for e in members]
    depth = float(np.median([p.depth for p in parts]))
    level = float(np.median([p.level for p in parts]))
    to_rail = level < _NEAR_RAIL_PCT or level > 100.0 - _NEAR_RAIL_PCT
    ways = {p.direction for p, _ in seen}
    # A wiper that tilts lifts one way only; a line that opens may do so then by chance.
    same_way = len(ways) == 1 and len(seen) >= _MANY_ONE_WAY and not to_rail
    asked = tuple(p for p in crossed if p.direction in ways) if same_way else crossed
    if len(seen) < _LEAST_SEEN or len(seen) < _LEAST_SHARE * _could_show(track, by_pass, asked, travel):
        return None
    shape = Shape.DROP if to_rail or depth >= _STEP_AT_MOST_PCT else Shape.STEP
    openings = [sum(_of(track, e).merged for e in members[within]) for _, within in seen]
    stands = shape is Shape.STEP and _stands(track, parts)
    # What stands is left ever further behind too.
    shape = Shape.DROP if shape is Shape.STEP and not stands and _fade(track, parts) else shape
    if shape is Shape.STEP and are_unlike(track, parts, float(np.median(openings)), stands=stands):
        if stands or not _lifts(parts, by_pass, openings):
            return None
        shape = Shape.DROP
    shape = Shape.FLAT if stands else shape
    told = _height(track, parts) if shape is Shape.STEP else depth
    if told < track.tolerance:
        return None
    return DeadSpot(
        channels=members[0].channels,
        times_s=tuple((round(e.span_s[0], 4), round(e.span_s[1], 4)) for e in members),
        confidence=pooled_confidence(len(seen), len(crossed)),
        text=spot_text(
            track.id,
            place,
            shape,
            (len(seen), len(crossed)),
            track.own_value(told),
            on_both=len(members[0].channels) > 1,
        ),
        travel_pct=place,
        shape=shape,
        seen_in=len(seen),
        crossed=len(crossed),
    )


def _could_show(
    track: Instrument,
    by_pass: FloatArray,
    crossed: tuple[Pass, ...],
    travel: tuple[FloatArray, FloatArray],
) -> int:
    """How many crossings could have shown what was seen in some: those with a reading at the place.

    Read ten times a second, or while a spring snaps, a track is not read at all in most crossings of a
    narrow place.
    """
    # What was seen while it went quickly lies beside the place.
    low, high = (
        float(np.quantile(by_pass[:, 0], _BESIDE)),
        float(np.quantile(by_pass[:, 1], 1.0 - _BESIDE)),
    )
    count = 0
    for p in crossed:
        if not track.is_slow and p.speed * track.interval_s < high - low:
            count += 1
            continue
        first = int(track.time_s.searchsorted(p.start_s))
        last = int(track.time_s.searchsorted(p.end_s, side="right"))
        at = read_at(track.time_s[first:last], *travel)
        count += bool(((at >= low) & (at <= high)).any())
    return count


def _of(track: Instrument, event: Event) -> Excursion:
    """The part of an event that a track shows."""
    return next((x for name, x in event.parts if name == track.id), event.parts[0][1])


def _stands(track: Instrument, parts: list[Excursion]) -> bool:
    """Whether the track stays at the level that it had before or has after, and catches up at once.

    What steps is off both, and moves on meanwhile; what stands still is off by half its stretch in the
    middle, and by nothing at one end.
    """
    if float(np.mean([_goes_on(track, part) for part in parts])) > _MOSTLY:
        return True
    rises = []
    for part in parts:
        if part.samples >= _LEAST_INSIDE:
            inside = _inside(track, part)
            third = max(inside.size // 3, 1)
            rise = abs(float(np.median(inside[-third:]) - np.median(inside[:third])))
            rises.append(rise / max(abs(part.after - part.before), track.tolerance))
    if rises and float(np.median(rises)) > _RISES_SHARE:
        return False
    away = [min(abs(p.level - p.before), abs(p.level - p.after)) / max(p.depth, 1e-9) for p in parts]
    return float(np.median(away)) < _STANDS_SHARE


def _fade(track: Instrument, parts: list[Excursion]) -> bool:
    """Whether most excursions go ever further off, and come back at once, or the other way round.

    So does an input that is left to itself while its contact is open; what is rough goes to and fro.
    """
    told = []
    for part in parts:
        inside = _inside(track, part)
        if inside.size >= _LEAST_FADING:
            share = (np.arange(inside.size) + 1.0) / (inside.size + 1.0)
            off = np.abs(inside - (part.before + (part.after - part.before) * share))
            furthest = int(off.argmax())
            way = off[: furthest + 1] if 2 * furthest >= off.size else off[furthest:][::-1]
            moves = np.diff(way)
            steady = float(moves.sum()) >= _STEADILY * float(np.abs(moves).sum())
            goes_on = float(way[-1] - way[way.size // 2]) >= _ON_SHARE * float(way[-1])
            told.append(steady and goes_on and way.size >= _MOST_OF * off.size)
    return len(told) >= _LEAST_SEEN_FADING and float(np.mean(told)) >= _STEADILY


def _lifts(parts: list[Excursion], by_pass: FloatArray, openings: list[int]) -> bool:
    """Whether a wiper lifts off a narrow place: once in a pass, to one side, as far as it happens to.

    What a film on a track adds to its resistance shifts what the unit's input draws little through; a
    contact that opens for a moment does so by whatever is left of it. What goes most of the way to a
    rail is open, however wide.
    """
    narrow = np.quantile(by_pass[:, 1], 0.75) - np.quantile(by_pass[:, 0], 0.25) <= _NARROW_PCT
    off = np.asarray([p.level - (p.before + p.after) / 2.0 for p in parts])
    one_side = max(np.mean(off > 0.0), np.mean(off < 0.0)) >= _STEADILY
    deep = np.quantile(np.abs(off), 0.75) >= _LIFTS_PCT
    to_rail = [p.course if x < 0.0 else 100.0 - p.course for p, x in zip(parts, off, strict=True)]
    narrow |= np.median(np.abs(off) / np.maximum(to_rail, 1.0)) >= _OPENS_SHARE
    once = float(np.mean(openings)) <= _ONCE
    return bool(narrow and one_side and deep and once and len(parts) >= _LEAST_SEEN_FADING)


def _goes_on(track: Instrument, part: Excursion) -> bool:
    """Whether the track is at the same level beside what was taken for an excursion: it stood.

    Where it catches up after a stand, the course is drawn on through the leap, and the stand's last
    sample lies off it.
    """
    first, last = np.searchsorted(track.time_s, part.span_s).tolist()
    beside = track.level[[max(first - 1, 0), min(last + 1, track.level.size - 1)]]
    return bool(np.min(np.abs(beside - part.level)) <= track.tolerance)


def _inside(track: Instrument, part: Excursion) -> FloatArray:
    """The levels of a track during an excursion, at least one: the other's clock may tell its end."""
    first, last = np.searchsorted(track.time_s, part.span_s).tolist()
    return track.level[min(first, track.level.size - 1) : last + 1]


def _height(track: Instrument, parts: list[Excursion]) -> float:
    """By how much the track is off within its steps, percent of supply, the motion allowed for."""
    off = []
    for part in parts:
        inside = _inside(track, part)
        share = (np.arange(inside.size) + 1.0) / (inside.size + 1.0)
        course = part.before + (part.after - part.before) * share
        off.append(abs(float(np.median(inside - course))))
    return float(np.median(off))


def are_unlike(
    track: Instrument, parts: list[Excursion], openings: float, *, stands: bool = False
) -> bool:
    """Whether shallow events at a place are roughness: unlike one another, or noisy inside.

    `openings` is how often the track left its course in a usual pass: a hand that rests at the edge of
    a step trembles over it many times, in that one pass.
    """
    usual = max(track.noise, track.resolution / 2.0)
    levels = np.asarray([p.level for p in parts])
    depths = np.asarray([p.depth for p in parts])
    middle = float(np.median(depths))
    apart = float(np.median(np.abs(levels - np.median(levels))))
    if apart <= max(_SAME_LEVEL_PCT, usual) and middle >= _SAME_LEVEL_DEPTH_PCT:
        return False
    # A wiper that sticks is carried along: its steps lie deeper one way than the other.
    opens = np.asarray([p.after > p.before for p in parts])
    of_way = [depths[way] - np.median(depths[way]) for way in (opens, ~opens) if way.any()]
    each_way = stands and min(len(d) for d in of_way) >= _LEAST_EACH_WAY
    off = np.concatenate(of_way) if each_way else depths - middle
    spread = float(np.median(np.abs(off)))
    if spread > max(_ROUGH_SPREAD * middle, _SAME_STEP_TOLERANCES * track.tolerance):
        return True
    if openings > _ROUGH_TIMES:
        return True
    inside = [
        sampling.noise(track.level[slice(*np.searchsorted(track.time_s, p.span_s))])
        for p in parts
        if p.samples > _ENOUGH_INSIDE
    ]
    return len(inside) >= _MANY_INSIDE and float(np.median(inside)) > _ROUGH_NOISE * usual


def _merge_within_passes(
    members: tuple[Event, ...], ends: FloatArray, passes: tuple[Pass, ...]
) -> FloatArray:
    """The extent in each pass, shape (passes, 2): a contact may open twice while it crosses."""
    extents = [
        (ends[within, 0].min(), ends[within, 1].max())
        for _, within in by_passes(members, passes)
        if within.start < within.stop
    ]
    return np.asarray(extents if extents else ends, dtype=np.float64)


def by_passes(members: tuple[Event, ...], passes: tuple[Pass, ...]) -> Iterator[tuple[Pass, slice]]:
    """Each pass with the events that fall into it; events are in the order of time."""
    starts = np.asarray([e.span_s[0] for e in members])
    ends = np.asarray([e.span_s[1] for e in members])
    firsts = np.searchsorted(ends, [p.start_s for p in passes]).tolist()
    lasts = np.searchsorted(starts, [p.end_s for p in passes], side="right").tolist()
    yield from zip(passes, (slice(a, b) for a, b in zip(firsts, lasts, strict=True)), strict=True)
