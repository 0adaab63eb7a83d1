"""What is worn: dead spots and rough stretches of all tracks, and which of them explains the other."""

import numpy as np

from nervus.domain.analysis import Pass, Travel
from nervus.domain.finding import DeadSpot, Noise, Shape, Span
from nervus.signal import dead_spots, relation, wear_noise
from nervus.signal.events import Event
from nervus.signal.flat_checks import FlatEnds, is_quiet
from nervus.signal.flats import find_flats
from nervus.signal.instants import read_at
from nervus.signal.levels import TrackSignal
from nervus.signal.spans import overlaps
from nervus.signal.tracks import Tracks

# Events on a rough stretch that are shallower than this, percent of supply, belong to it.
_WORN_AT_MOST_PCT = 10.0
# Roughness that reaches no further beyond a dead spot than this, percent of travel, is the spot's own.
_SLACK_PCT = 4.0


def find_dead_spots(
    tracks: Tracks,
    travel: Travel | None,
    passes: tuple[Pass, ...],
    relation_and_skew: tuple[relation.Line | None, float],
) -> tuple[tuple[DeadSpot, ...], tuple[Event, ...]]:
    """Dead spots of all tracks, and the events that no place explains."""
    if travel is None:
        return (), tracks.events
    spots: list[DeadSpot] = []
    loose = tracks.events
    for track in tracks.signals:
        way = (travel.time_s, travel.percent)
        found, explained = dead_spots.from_events(track, loose, passes, way)
        taken = {id(e) for e in explained}
        loose = tuple(e for e in loose if id(e) not in taken)
        frame = travel.frames[track.id]
        closed, opened = (100.0 * end / track.supply_v for end in (frame.closed, frame.open))
        course = tracks.course_with_shallow(track)
        flat = find_flats(course, passes, (closed, opened), tracks.sister_at(course, *relation_and_skew))
        flat = tuple(f for f in flat if all(is_quiet(signal, f) for signal in tracks.signals))
        sure = tuple(s for s in found if s.shape is not Shape.FLAT)
        new = tuple(f for f in flat if not _same_place(f, sure))
        spots += (s for s in found if s in sure or not _same_place(s, new))
        spots += new
        ends = FlatEnds(track, new, way, abs(opened - closed))
        loose = tuple(e for e in loose if not ends.explain(e))
    return _without_shadows(spots), loose


def _without_shadows(spots: list[DeadSpot]) -> tuple[DeadSpot, ...]:
    """Spots without flats that a wider one of the other track casts: where that leaps, this stands."""
    flats = [s for s in spots if s.shape is Shape.FLAT]
    cast = [
        s
        for s in flats
        if any(
            o.channels != s.channels and overlaps(o.travel_pct, s.travel_pct) and _wide(o) > _wide(s)
            for o in flats
        )
    ]
    return tuple(s for s in spots if s not in cast)


def _wide(spot: DeadSpot) -> float:
    return spot.travel_pct[1] - spot.travel_pct[0]


def _same_place(flat: DeadSpot, others: tuple[DeadSpot, ...]) -> bool:
    return any(
        flat.travel_pct[0] <= o.travel_pct[1] + 2.0 and o.travel_pct[0] <= flat.travel_pct[1] + 2.0
        for o in others
    )


def weigh_wear(
    tracks: Tracks,
    travel: Travel | None,
    passes: tuple[Pass, ...],
    spots_and_loose: tuple[tuple[DeadSpot, ...], tuple[Event, ...]],
) -> tuple[tuple[DeadSpot, ...], list[Noise], tuple[Event, ...]]:
    """Dead spots, rough stretches and left events, after each was heard about the other."""
    spots, loose = spots_and_loose
    wear = _wear(tracks, travel, passes, spots)
    spots = tuple(s for s in spots if not _is_rough_flat(s, wear))
    return (
        spots,
        wear,
        tuple(e for e in loose if not e.is_shallow and not _is_worn(e, wear, travel)),
    )


def _wear(
    tracks: Tracks, travel: Travel | None, passes: tuple[Pass, ...], spots: tuple[DeadSpot, ...]
) -> list[Noise]:
    if travel is None:
        return []
    found: list[Noise] = []
    step_s = max(track.interval_s for track in tracks.signals)
    speeds = [abs(p.to_pct - p.from_pct) / max(p.end_s - p.start_s, step_s) for p in passes]
    # What leaves its course makes all rough that a sample beside it stands for.
    slack = _SLACK_PCT + 2.0 * step_s * float(np.median(speeds)) if speeds else _SLACK_PCT
    for track in tracks.signals:
        course = tracks.courses[track.id]
        own = (course.time_s, travel.frames[track.id].percent(course.own()))
        taken = [
            (s.travel_pct, slack - 1.0 if s.shape is Shape.FLAT else slack)
            for s in spots
            if s.channels == (track.id,)
        ]
        deep = tuple(
            part.span_s
            for e in tracks.events
            for name, part in e.parts
            if name == track.id and part.depth > _WORN_AT_MOST_PCT
        )
        masked = deep + tracks.spikes[track.id]
        stretches = wear_noise.noisy_stretches(track, own, passes, masked)
        found += (n for n in stretches if not any(_explains(t, n, track) for t in taken))
    return found


def _explains(taken: tuple[Span, float], noise: Noise, track: TrackSignal) -> bool:
    """Whether a dead spot, with how far its roughness may reach, is all that makes it rough there."""
    within = _within(noise.travel_pct, *taken)
    return within or (track.is_slow and overlaps(noise.travel_pct, *taken))


def _is_rough_flat(spot: DeadSpot, wear: list[Noise]) -> bool:
    """On a rough stretch a track may seem to stand, on the average, where it begins."""
    return spot.shape is Shape.FLAT and any(
        n.channels == spot.channels and overlaps(n.travel_pct, spot.travel_pct, 1.0) for n in wear
    )


def _is_worn(event: Event, wear: list[Noise], travel: Travel | None) -> bool:
    """A shallow event on a rough stretch of its track is part of the roughness."""
    channel, excursion = event.deepest
    if travel is None or len(event.parts) > 1 or excursion.depth > _WORN_AT_MOST_PCT:
        return False
    place = float(read_at(np.mean(event.span_s), travel.time_s, travel.percent))
    return any(n.channels == (channel,) and _within((place, place), n.travel_pct) for n in wear)


def _within(inner: Span, outer: Span, slack: float = _SLACK_PCT) -> bool:
    return outer[0] - slack <= inner[0] and inner[1] <= outer[1] + slack
