"""One cause, one finding: what belongs to something else that is told, or is explained by it.

A track that bends seems rough, the ends of a lasting difference seem interruptions, a supply that sags
seems a track that is off, a plate that sticks and leaps free a sensor that drops out.
"""

from collections.abc import Sequence

import numpy as np

from nervus.domain.analysis import Travel
from nervus.domain.channel import Recording, Span
from nervus.domain.finding import (
    DeadSpot,
    Disagreement,
    Drop,
    Finding,
    Floor,
    Noise,
    OffRest,
    Shape,
    SupplyFault,
)
from nervus.signal.arithmetic.spans import Union, overlaps
from nervus.signal.explained.events import Event
from nervus.signal.explained.shaft import Shaft
from nervus.signal.told.sagging import find_sag, supply_sags
from nervus.signal.worn.apart import by_place
from nervus.signal.worn.beside_sister import roughness_within

# So near to a bend, percent of travel, roughness is the bend's; what is wider is no bend of a place. A
# track that stands is off by no more than this many times as far as it stands. From place to place a
# bend goes on by less than this share of what it is off by, told from so many readings.
_BEND_PCT, _WIDEST_BEND_PCT, _OFF_BY_MORE, _SMOOTHLY, _LEAST_THERE = 4.0, 60.0, 1.5, 0.35, 3
# What is less than so many times as rough from place to place as the rest of a track is no roughness:
# what goes to one side varies by six tenths of what it is off by (a half-normal distribution).
_AS_USUAL = 1.35
# What lasts for longer than this over so much of the travel, percent, has no place.
_ALL_OVER_PCT, _ALL_OVER_S = 25.0, 3.0
_ANYWHERE: Span = (-np.inf, np.inf)
# A rest is off by as much as tracks differ within this share.
_AS_FAR = 0.25
# A difference of two tracks lasts from so long on; what lies so near to its end, and is no larger than
# this many times it, is its end.
_LASTS_S, _BESIDE_S, _AS_LARGE = 1.0, 0.25, 1.4


def all_over(differ: tuple[Disagreement, ...]) -> tuple[Span, ...]:
    """When tracks differed over much of the travel, for long: what they differ by has no place then."""
    return tuple(
        s
        for d in differ
        if d.travel_pct[1] - d.travel_pct[0] > _ALL_OVER_PCT
        for s in d.times_s
        if s[1] - s[0] >= _ALL_OVER_S
    )


def is_apart(off: OffRest, findings: Sequence[Finding]) -> bool:
    """Whether a rest is off while the tracks tell different places, or by as much as they differ.

    Then one of them lies, at its rest too.
    """
    own = (f for f in findings if isinstance(f, Disagreement) and off.channels[0] in f.channels)
    by = abs(off.rest_pct - off.usual_rest_pct)
    return any(
        abs(by - d.worst_pct) < _AS_FAR * d.worst_pct or any(map(Union(d.times_s).touches, off.times_s))
        for d in own
    )


def is_bend(noise: Noise, shaft: Shaft, differ: tuple[Disagreement, ...]) -> bool:
    """Seen slowly, a track seems rough where it bends: samples lie far from their neighbours' middle.

    But what it is off by goes on from place to place, and what is rough jumps, and no further.
    """
    slow = any(t.id in noise.channels and t.is_slow for t in shaft.tracks)
    near = [d for d in differ if overlaps(noise.travel_pct, d.travel_pct, _BEND_PCT)]
    if not slow:
        return False
    pair, travel = shaft.pair, shaft.travel
    track = next(t for t in shaft.tracks if t.id in noise.channels)
    off = by_place(shaft, track, noise.travel_pct)
    if pair is None or travel is None or off.size < _LEAST_THERE:
        return bool(near)
    if near:
        usual = np.median(by_place(shaft, track, _ANYWHERE))
        goes_on = np.median(np.abs(np.diff(off))) < _SMOOTHLY * np.median(np.abs(off - usual))
        if goes_on or not all(is_worn_there(d, (noise,)) for d in near):
            return True
    events = tuple(e.span_s for e in shaft.events)
    way = (travel.time_s, travel.percent)
    rough = roughness_within(track, pair.expected_of(track), way, noise.travel_pct, events)
    return rough is not None and rough * track.supply_v / 100.0 < _AS_USUAL * noise.usual_rms


def is_worn_there(difference: Disagreement, worn: Sequence[DeadSpot | Noise]) -> bool:
    """Whether tracks differ only where one of them is worn: that is told."""
    return _is_at(difference.travel_pct, difference, worn)


def is_worn_in_turn(
    difference: Disagreement, worn: Sequence[DeadSpot | Noise], travel: Travel | None
) -> bool:
    """Whether tracks differ each time where one of them is worn, now at one place, now at another."""
    if travel is None:
        return False
    places: set[Span] = set()
    for start, end in difference.times_s:
        first, last = np.searchsorted(travel.time_s, (start, end)).tolist()
        way = travel.percent[min(first, travel.percent.size - 1) : last + 1]
        there = (w for w in worn if _is_at((float(way.min()), float(way.max())), difference, (w,)))
        place = next(there, None)
        if place is None:
            return False
        places.add(place.travel_pct)
    return len(places) > 1


def _is_at(place: Span, difference: Disagreement, worn: Sequence[DeadSpot | Noise]) -> bool:
    return any(
        set(w.channels) <= set(difference.channels)
        and overlaps(w.travel_pct, place, _BEND_PCT)
        and w.travel_pct[0] - 2.0 * _BEND_PCT
        <= place[0]
        <= place[1]
        <= w.travel_pct[1] + 2.0 * _BEND_PCT
        for w in worn
    )


def is_seen_elsewhere(spot: DeadSpot, differ: tuple[Disagreement, ...]) -> bool:
    """Whether a spot showed only while tracks differed elsewhere too: it is a part of that."""
    return any(
        not is_worn_there(d, (spot,)) and all(map(Union(d.times_s).holds, spot.times_s)) for d in differ
    )


def stands_in_bend(spot: DeadSpot, differ: tuple[Disagreement, ...]) -> bool:
    """Where a bend falls as steeply as the travel rises a track does stand: that is the bend's own.

    A track that stands is off by no more than it stands for; one that bends is off by far more there.
    """
    wide = spot.travel_pct[1] - spot.travel_pct[0]
    return spot.shape is Shape.FLAT and any(
        overlaps(spot.travel_pct, d.travel_pct, _BEND_PCT)
        and d.travel_pct[1] - d.travel_pct[0] < _WIDEST_BEND_PCT
        and d.worst_pct > _OFF_BY_MORE * wide
        for d in differ
    )


def without_ends(
    events: tuple[Event, ...], shaft: Shaft, differ: tuple[Disagreement, ...]
) -> tuple[Event, ...]:
    """Events, but for those of one track that begin or end a difference that lasts, as large as it.

    A track that is off by so much for long may come near a rail, or come back at once: one cause.
    """
    left = events
    for lasting in differ:
        spans = [s for s in lasting.times_s if s[1] - s[0] >= _LASTS_S]
        begins, ends = (Union((s[n], s[n]) for s in spans) for n in (0, 1))
        left = tuple(
            e
            for e in left
            if e.span_s[1] - e.span_s[0] > _LASTS_S
            or not (
                ends.touches((e.span_s[0], e.span_s[0]), _BESIDE_S)
                or begins.touches((e.span_s[1], e.span_s[1]), _BESIDE_S)
            )
            or _off_pct(e, shaft) > _AS_LARGE * lasting.worst_pct
        )
    return left


def _off_pct(event: Event, shaft: Shaft) -> float:
    """How far the tracks were apart during an event, percent of travel.

    Without end where nothing tells, and for several that went to a rail.
    """
    rail = any(part.floor is not Floor.INTERMEDIATE for _, part in event.parts)
    if shaft.travel is None or shaft.pair is None or (rail and len(event.parts) > 1):
        return float("inf")
    off = []
    for name, excursion in event.parts:
        frame = shaft.travel.frames[name]
        track = next(t for t in shaft.tracks if t.id == name)
        first, last = np.searchsorted(track.time_s, excursion.span_s).tolist()
        during = slice(first, last + 1)
        apart = np.abs(track.level[during] - shaft.pair.expected_of(track, during))
        deep = float(np.median(apart)) if apart.size else excursion.depth
        off.append(deep * track.supply_v / abs(frame.open - frame.closed))
    return max(off)


def unless_supply_sags(
    recording: Recording, shaft: Shaft, differ: tuple[Disagreement, ...]
) -> tuple[tuple[Disagreement, ...], tuple[SupplyFault, ...]]:
    """What tracks differ by, unless the supply that they share explains it; and what that comes to.

    A supply that was recorded is known: tracks are taken as shares of it from the start.
    """
    pair = shaft.pair
    if not differ or pair is None or recording.get("vref_v") is not None:
        return differ, ()
    sag = find_sag(pair, (shaft.courses[pair.first.id], shaft.courses[pair.second.id]))
    return ((), supply_sags(pair, sag)) if sag is not None else (differ, ())


def without_sticking(findings: list[Finding], shaft: Shaft, others: list[Finding]) -> list[Finding]:
    """Findings without what all tracks show where the plate, too, does not follow its command.

    A plate that sticks and leaps free looks like a sensor that holds its value; that it is elsewhere
    behind its command tells it. Both tracks must agree on where it was, and must not have gone away from
    what was commanded by themselves.
    """
    pair, asked = shaft.pair, shaft.asked
    late = any(isinstance(f, Disagreement) and "throttle_cmd_pct" in f.channels for f in others)
    if pair is None or not late:
        return findings
    first, blur = pair.first, pair.blur(pair.first)

    def is_motion(drop: Drop) -> bool:
        if drop.floor is not Floor.INTERMEDIATE or len(drop.channels) < len(shaft.tracks):
            return False
        if asked is not None and all(asked.left(t, drop.times_s[0]) for t in shaft.tracks):
            return False
        begin = int(np.searchsorted(first.time_s, drop.times_s[0][0]))
        end = int(np.searchsorted(first.time_s, drop.times_s[-1][1], side="right"))
        apart = np.abs(first.level[begin:end] - pair.expected_of(first, slice(begin, end)))
        return bool(apart.size) and float(np.median(apart)) <= blur

    return [f for f in findings if not (isinstance(f, Drop) and is_motion(f))]
