"""What is worn: dead spots and rough stretches of all tracks, and which of them explains the other."""

import numpy as np

from nervus.domain.analysis import Travel
from nervus.domain.channel import FloatArray, Span
from nervus.domain.finding import DeadSpot, Floor, Noise, Shape
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.arithmetic.spans import inside, overlaps, runs
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.explained.events import Event
from nervus.signal.explained.shaft import FLAT_DEPTH_PCT, Shaft
from nervus.signal.instruments import sampling
from nervus.signal.instruments.instrument import Instrument, floor_of
from nervus.signal.worn import dead_spots
from nervus.signal.worn.apart import left_before, told_of
from nervus.signal.worn.beside_sister import own_roughness
from nervus.signal.worn.flat_ends import FlatEnds
from nervus.signal.worn.flats import find_flats
from nervus.signal.worn.flickers import flickers_at
from nervus.signal.worn.leaps import find_leaps
from nervus.signal.worn.parted import find_parted
from nervus.signal.worn.rough import Rough, rough_stretches
from nervus.signal.worn.steps import find_steps as steps_of
from nervus.signal.worn.steps import is_told
from nervus.signal.worn.unsteady import goes_back, is_unsteady

# What is as far from a step as this, percent of travel, is one of its passes.
_AT_STEP_PCT = 2.0
# What is less wide than this share of what lies over it is a part of that.
_HALF = 0.75
# An edge of a step is known to so much, percent of travel.
_AT_EDGE_PCT = 1.0
# A contact opens so often, so deep, and always to one level, percent of supply.
_LEAST_CONTACTS, _DEEP_PCT, _SAME_LEVEL_PCT = 3, 4.0, 0.4
# Roughness that reaches no further beyond a dead spot than this, percent of travel, is the spot's own.
_SLACK_PCT = 4.0
# What single leaps show in this share of the passes is told exactly enough.
_AS_OFTEN = 0.75
# A spot that a lone track shows in less than this share of the passes in which it is rough there is a
# part of that.
_EXPLAINS = 0.5
# What is less rough than this share of it when a place on it is left out was rough by that.
_AS_ROUGH = 0.7
# Of two tracks that are rough at one place the one that is so by less than this share is not.
_FAR_LESS = 0.35
# What is rough reaches no further than so many times what it is rough by, and never holds a rail for so
# many samples.
_ROUGH_DEEP, _HELD = 5.0, 4


def find_worn(
    shaft: Shaft, differ_s: tuple[Span, ...] = (), shared: tuple[Event, ...] = ()
) -> tuple[tuple[DeadSpot, ...], list[Noise], tuple[Event, ...]]:
    """Dead spots and rough stretches of all tracks, and the events that no place explains.

    Args:
        shaft: what is known of it.
        differ_s: when its tracks differ all over the travel, so that they say nothing of each other.
        shared: those of its events that another shaft has too: no place explains them.
    """
    travel = shaft.travel
    if travel is None:
        return (), [], ()
    rough = _rough(shaft, travel, differ_s)
    flickering = [r for r in rough if r.flickers and not _is_contact(shaft, r.noise)]
    sure = [r.noise for r in flickering]
    left = tuple(e for e in shaft.events if e not in shared and not _is_worn(e, sure, shaft))
    parted = _by_one({t.id: find_parted(shaft, t, differ_s) for t in shaft.tracks})
    spots, loose = _dead_spots(shaft, travel, left, parted)
    doubtful = [r for r in rough if r not in flickering]
    unsure = [r.noise for r in doubtful]
    spots = tuple(
        s
        for s in spots
        if not _is_rough(s, sure) and not any(is_unsteady(s, shaft, n) for n in _rough_at(s, unsure))
    )
    # What the sister tells of a stand, sample by sample, tells that it is not she who is rough.
    by_her = [s for p in parted.values() for s in p if s in spots and s.shape is Shape.FLAT]
    besides = (_unexplained(shaft, r, spots, (by_her, differ_s)) for r in doubtful)
    worn = flickering + [r for r in besides if r is not None]
    wear = [r.noise for r in worn]
    spots = tuple(
        s
        for s in spots
        if (s.shape is not Shape.FLAT and shaft.pair is not None)
        or s.shape is Shape.DROP
        or not (_is_rough(s, wear) or (s not in by_her and _by_rough(s, wear)))
    )
    loose = tuple(e for e in loose if not e.is_shallow and not _is_worn(e, wear, shaft))
    way = (travel.time_s, travel.percent)
    if shaft.pair is None:
        loose = tuple(e for e in loose if not _is_between(e, (*spots, *wear), shaft.tracks[0], travel))
    flickers = (flickers_at(t, loose, shaft.passes, way) for t in shaft.tracks)
    more = [n for n in flickers if n is not None]
    loose = tuple(e for e in loose if not _is_worn(e, more, shaft))
    return spots, [r.told for r in worn] + more, tuple(sorted((*loose, *shared), key=lambda e: e.span_s))


def _dead_spots(
    shaft: Shaft, travel: Travel, events: tuple[Event, ...], parted: dict[str, tuple[DeadSpot, ...]]
) -> tuple[tuple[DeadSpot, ...], tuple[Event, ...]]:
    spots: list[DeadSpot] = []
    loose, passes, way = events, shaft.passes, (travel.time_s, travel.percent)
    if len(shaft.tracks) > 1:
        # A place that is common to both tracks is a place first, whatever they share besides.
        both = tuple(sorted(t.id for t in shaft.tracks))
        found, explained = dead_spots.from_events(shaft.tracks[0], loose, passes, way, both)
        taken = {id(e) for e in explained}
        loose = tuple(e for e in loose if id(e) not in taken)
        spots += found
    for track in shaft.tracks:
        found, explained = dead_spots.from_events(track, loose, passes, way)
        taken = {id(e) for e in explained}
        loose = tuple(e for e in loose if id(e) not in taken)
        # What the tracks are apart by tells more than time does.
        flats, shallow = (
            _alone(shaft, travel, track, found) if shaft.pair is None else ((), parted[track.id])
        )
        # What single leaps tell of a stand is told better by time, or by the sister in as many passes.
        by_sister = tuple(s for s in shallow if s.shape is Shape.FLAT)
        leaps = (s for s in found if s.shape is Shape.FLAT and not _same_place(s, flats))
        steps = tuple(s for s in shallow if s.shape is Shape.STEP)
        # What few passes show by themselves is told better by what all of them have in common.
        found = tuple(s for s in found if s.shape is not Shape.STEP or not _in_more_passes(s, steps))
        spots += (s for s in found if s.shape is not Shape.FLAT)
        spots += (s for s in leaps if not _is_told_by(s, by_sister))
        spots += flats
        frame = travel.frames[track.id]
        whole = abs(frame.open - frame.closed) * 100.0 / track.supply_v
        # What goes back may be rough: then its events are no ends of a stand.
        ends = FlatEnds(track, tuple(f for f in flats if not goes_back(f, track)), way, whole)
        loose = tuple(e for e in loose if not ends.explain(e))
        shallow = tuple(s for s in shallow if not is_told(s, tuple(spots)))
        spots += shallow
        steps = (*shallow, *(s for s in found if s.shape is Shape.STEP))
        loose = tuple(e for e in loose if not _is_pass(e, steps, shaft, travel))
    return tuple(spots), loose


def _alone(
    shaft: Shaft, travel: Travel, track: Instrument, found: tuple[DeadSpot, ...]
) -> tuple[tuple[DeadSpot, ...], tuple[DeadSpot, ...]]:
    """Where a lone track stands still, by time or by its leaps, besides events; and its small steps."""
    frame, course = travel.frames[track.id], shaft.course_with_shallow(track)
    steps = steps_of(track, frame, shaft.passes)
    sure = tuple(s for s in found if s.shape is not Shape.FLAT)
    ends = (100.0 * frame.closed / track.supply_v, 100.0 * frame.open / track.supply_v)
    flats = find_flats(course, shaft.passes, ends)
    # Where a step goes back a track seems to stand, in some passes; and where it goes on it leaps.
    flats = tuple(f for f in flats if not _is_step(f, steps, track))
    masked = shaft.spikes[track.id] + tuple(t for s in sure for t in s.times_s)
    leaps = find_leaps(track, frame, shaft.passes, masked)
    # Leapt to and from, a stand is known at both ends.
    flats = tuple(f for f in flats if not any(_is_half_of(f, leap) for leap in leaps))
    flats += tuple(s for s in leaps if not (_same_place(s, flats) or _is_step(s, steps, track)))
    return tuple(f for f in flats if not _same_place(f, sure)), steps


def _by_one(parted: dict[str, tuple[DeadSpot, ...]]) -> dict[str, tuple[DeadSpot, ...]]:
    """Places at which tracks part, each told of one track: both can't be off by what they are apart."""
    every = [s for own in parted.values() for s in own]
    return {
        name: tuple(
            s
            for s in own
            if all(
                o.channels == s.channels or s.seen_in > o.seen_in
                for o in every
                if overlaps(s.travel_pct, o.travel_pct)
            )
        )
        for name, own in parted.items()
    }


def _is_pass(event: Event, shallow: tuple[DeadSpot, ...], shaft: Shaft, travel: Travel) -> bool:
    """Whether an event is one of the passes over a shallow place, seen by itself.

    Of two tracks it is what they are apart by that counts, whichever seems to have left: where the shaft
    comes to rest at the place, how far it came says nothing.
    """
    _, excursion = event.deepest
    places, depth = read_at(np.mean(event.span_s), travel.time_s, travel.percent), excursion.depth
    if shaft.pair is None:
        # Read by itself it may leave by one edge of the place, and not be seen to come back at once.
        places = np.append(places, _at_ends(shaft.tracks[0], event, travel))
    for spot in shallow:
        track = next(t for t in shaft.tracks if t.id in spot.channels)
        if shaft.pair is not None:
            samples = _during(track, excursion)
            sister = shaft.pair.expected_of(track, samples)
            depth = sampling.middle(np.abs(track.level[samples] - sister))
            there = track.own(np.asarray([sampling.middle(sister)]))
            places = travel.frames[track.id].percent(there)
        low, high = spot.travel_pct[0] - _AT_STEP_PCT, spot.travel_pct[1] + _AT_STEP_PCT
        if depth <= FLAT_DEPTH_PCT and bool(((places >= low) & (places <= high)).any()):
            return True
    return False


def _is_between(
    event: Event, worn: tuple[DeadSpot | Noise, ...], track: Instrument, travel: Travel
) -> bool:
    """Whether an event of a lone track begins and ends at the edges of what is worn.

    Then it is a visit to a step, or to what is sound beside it, where the shaft turns round just beyond
    or goes on to the next worn place. At a rail it is neither. What is rough, and leaves its course by
    no more than that makes, may be followed from one of its readings into the motion beside it.
    """
    if event.deepest[1].floor is not Floor.INTERMEDIATE:
        return False
    percent = _at_ends(track, event, travel)
    if not percent.size:
        return False
    at_edge, depth = np.zeros(2, dtype=np.bool_), track.own_value(event.deepest[1].depth)
    for place in worn:
        low, high = place.travel_pct
        off = np.minimum(np.abs(percent - low), np.abs(percent - high))
        if isinstance(place, Noise):
            off[(percent > low) & (percent < high)] = 0.0
        at_this = (off <= _AT_EDGE_PCT).any(axis=1)
        if isinstance(place, Noise) and at_this.any() and depth <= _ROUGH_DEEP * place.rms:
            return True
        at_edge |= at_this
    return bool(at_edge.all())


def _at_ends(track: Instrument, event: Event, travel: Travel) -> FloatArray:
    """What a track shows just before and behind each end of an event, percent of travel, shape (2, 2).

    Shape (0, 2) where nothing is before or behind.
    """
    first, last = np.searchsorted(track.time_s, event.span_s).tolist()
    if not (first > 0 and last + 1 < track.level.size):
        return np.empty((0, 2))
    ends = track.level[np.asarray(((first - 1, first), (last, last + 1)))]
    return travel.frames[track.id].percent(track.own(ends))


def _during(track: Instrument, excursion: Excursion) -> slice:
    """The samples of a track in the deepest part of an excursion, at least one."""
    first, last = track.time_s.searchsorted(excursion.deepest_s or excursion.span_s).tolist()
    return slice(min(first, track.time_s.size - 1), last + 1)


def _is_told_by(stand: DeadSpot, others: tuple[DeadSpot, ...]) -> bool:
    """Whether others tell of a stand from as many passes at least."""
    return _same_place(stand, tuple(o for o in others if o.seen_in >= stand.seen_in))


def _is_step(stand: DeadSpot, steps: tuple[DeadSpot, ...], track: Instrument) -> bool:
    """Whether what seems to stand is what a step shows: in as many passes, or as it goes back."""
    return _is_told_by(stand, steps) or (_same_place(stand, steps) and goes_back(stand, track))


def _in_more_passes(step: DeadSpot, others: tuple[DeadSpot, ...]) -> bool:
    """Whether another step lies over one, seen in far more passes."""
    return any(
        step.seen_in < _AS_OFTEN * o.seen_in and overlaps(o.travel_pct, step.travel_pct) for o in others
    )


def _is_half_of(flat: DeadSpot, other: DeadSpot) -> bool:
    """Whether a place reaches over another and far beyond it."""
    wide, own = (s.travel_pct[1] - s.travel_pct[0] for s in (other, flat))
    return _within(flat.travel_pct, other.travel_pct, _AT_EDGE_PCT) and own < _HALF * wide


def _same_place(flat: DeadSpot, others: tuple[DeadSpot, ...]) -> bool:
    return any(
        flat.travel_pct[0] <= o.travel_pct[1] + 2.0 and o.travel_pct[0] <= flat.travel_pct[1] + 2.0
        for o in others
    )


def _rough(shaft: Shaft, travel: Travel, differ_s: tuple[Span, ...]) -> list[Rough]:
    """What is rough on any track; what goes to a rail, or is on both tracks, is no roughness."""
    way = (travel.time_s, travel.percent)
    found = [r for t in shaft.tracks for r in _rough_of(shaft, t, travel, differ_s)]
    found = [r for r in found if not _is_sisters(shaft, way, r.noise)]
    return [r for r in found if not any(_is_motion(r.noise, o.noise, travel) for o in found)]


def _is_motion(noise: Noise, hers: Noise, travel: Travel) -> bool:
    """Whether a track is rough by far less than its sister there, who hides what is motion."""
    if noise.channels == hers.channels or not overlaps(noise.travel_pct, hers.travel_pct):
        return False
    own, other = (travel.frames[n.channels[0]] for n in (noise, hers))
    return noise.rms / abs(own.open - own.closed) < _FAR_LESS * hers.rms / abs(other.open - other.closed)


def _rough_of(
    shaft: Shaft, track: Instrument, travel: Travel, told_s: tuple[Span, ...]
) -> tuple[Rough, ...]:
    """What is rough on a track, what is told already, at a rail or far off left out."""
    masked, way = left_before(shaft, track) + told_s, (travel.time_s, travel.percent)
    if not track.is_slow:
        # While the other is off she does not tell what is motion.
        masked += tuple(s for t in shaft.tracks if t is not track for s in told_of(shaft, t))
    elif shaft.pair is None:
        # A course that is smoothed over few readings has what is rough in it, but no event.
        own = travel.frames[track.id].percent(track.own(track.level))
        there = inside(track.time_s, (e.span_s for e in shaft.events), track.interval_s)
        way = track.time_s, np.where(there, np.interp(track.time_s, *way), own)
    return rough_stretches(track, way, shaft.passes, masked, shaft.expected_of(track))


def _is_sisters(shaft: Shaft, way: tuple[FloatArray, FloatArray], noise: Noise) -> bool:
    """Whether it is the other track that is rough: read slowly, what they are apart tells of both."""
    if shaft.pair is None or not any(t.is_slow for t in shaft.tracks):
        return False
    one, two = (own_roughness(t, shaft.pair.expected_of(t), way, noise.travel_pct) for t in shaft.tracks)
    two /= shaft.pair.line.slope**2
    return two > one if shaft.tracks[0].id in noise.channels else one > two


def _is_contact(shaft: Shaft, noise: Noise) -> bool:
    """Whether what flickers there goes to one and the same level each time: a contact that opens."""
    own = [e for e in shaft.events if _is_worn(e, [noise], shaft)]
    levels = np.asarray([e.deepest[1].level for e in own])
    if levels.size < _LEAST_CONTACTS or np.median([e.deepest[1].depth for e in own]) < _DEEP_PCT:
        return False
    return float(np.median(np.abs(levels - np.median(levels)))) <= _SAME_LEVEL_PCT


def _unexplained(
    shaft: Shaft,
    rough: Rough,
    spots: tuple[DeadSpot, ...],
    besides: tuple[list[DeadSpot], tuple[Span, ...]],
) -> Rough | None:
    """What is rough there besides a dead spot, with how far its edges reach.

    Args:
        shaft: with its tracks.
        rough: what is rough.
        spots: the dead spots of all tracks.
        besides: those that the sister tells of, sample by sample; and when the tracks differ all over.
    """
    (by_her, differ_s), noise = besides, rough.noise
    step_s = max(track.interval_s for track in shaft.tracks)
    speeds = [abs(p.to_pct - p.from_pct) / max(p.end_s - p.start_s, step_s) for p in shaft.passes]
    slack = _SLACK_PCT + 2.0 * step_s * float(np.median(speeds))
    slow = any(t.id in noise.channels and t.is_slow for t in shaft.tracks)
    # Read slowly, what both are apart by tells of either.
    either = slow and shaft.pair is not None
    own = [s for s in spots if s.channels == noise.channels or either or s in by_her]
    if shaft.pair is None:
        own = [s for s in own if s.shape is Shape.DROP or s.seen_in >= _EXPLAINS * noise.seen_in]
    if any(_within(noise.travel_pct, s.travel_pct, _SLACK_PCT if slow else slack) for s in own):
        return None
    # What leaves its course makes all rough that a sample beside it stands for.
    near = [s for s in own if slow and overlaps(noise.travel_pct, s.travel_pct, slack)]
    if not near:
        return rough
    left = _still_rough(shaft, noise, tuple(x for s in near for x in s.times_s) + differ_s)
    if left is None:
        return None
    place, less = left.noise.travel_pct, left.noise.rms < _AS_ROUGH * noise.rms
    if any(_within(place, s.travel_pct, 2.0 * _SLACK_PCT) for s in near):
        return None
    return None if less and any(overlaps(place, s.travel_pct) for s in near) else left


def _still_rough(shaft: Shaft, noise: Noise, told_s: tuple[Span, ...]) -> Rough | None:
    """What of a rough stretch is rough also while what is told there is left out."""
    travel = shaft.travel
    if travel is None:
        return None
    (track,) = (t for t in shaft.tracks if t.id in noise.channels)
    left = _rough_of(shaft, track, travel, told_s)
    return next((r for r in left if overlaps(r.noise.travel_pct, noise.travel_pct)), None)


def _is_rough(spot: DeadSpot, wear: list[Noise]) -> bool:
    """Whether a spot lies on a rough stretch: there a track may seem to step, or to stand."""
    return bool(_rough_at(spot, wear))


def _rough_at(spot: DeadSpot, wear: list[Noise]) -> list[Noise]:
    """What is rough of a track where a spot of it lies."""
    own = (n for n in wear if n.channels == spot.channels)
    return [n for n in own if overlaps(n.travel_pct, spot.travel_pct, 1.0)]


def _by_rough(flat: DeadSpot, wear: list[Noise]) -> bool:
    """Whether the sister, who says that the shaft moved on, is rough there herself."""
    return any(
        n.channels != flat.channels and overlaps(n.travel_pct, flat.travel_pct, _SLACK_PCT) for n in wear
    )


def _is_worn(event: Event, wear: list[Noise], shaft: Shaft) -> bool:
    """An event on a rough stretch of its track is part of the roughness, if it goes to no rail.

    Where a track lies near a rail, what is rough reaches it: no further than what is rough does, and
    not to stay, as a line that is open does.
    """
    channel, excursion = event.deepest
    travel, own = shaft.travel, [n for n in wear if n.channels == (channel,)]
    if not own or len(event.parts) > 1 or travel is None:
        return False
    deepest_s = np.mean(excursion.deepest_s or event.span_s)
    place = float(read_at(deepest_s, travel.time_s, travel.percent))
    track = next(t for t in shaft.tracks if t.id == channel)
    there = [n for n in own if _within((place, place), n.travel_pct)]
    if excursion.floor is Floor.INTERMEDIATE:
        return bool(there)
    deep = track.own_value(excursion.depth)
    swings = any(deep <= _ROUGH_DEEP * n.rms for n in there)
    return swings and not _holds_rail(track, event.span_s)


def _holds_rail(track: Instrument, span_s: Span) -> bool:
    """Whether a track stays at a rail meanwhile, sample after sample: contact noise does not."""
    first, last = np.searchsorted(track.time_s, span_s).tolist()
    level = track.level[first : last + 1]
    at_rail = np.asarray([floor_of(x) is not Floor.INTERMEDIATE for x in level.tolist()])
    alike = at_rail[1:] & at_rail[:-1] & (np.abs(np.diff(level)) <= track.same_level)
    begins, ends = runs(alike)
    return bool(np.any(ends - begins + 2 >= _HELD))


def _within(inner: Span, outer: Span, slack: float = _SLACK_PCT) -> bool:
    return outer[0] - slack <= inner[0] and inner[1] <= outer[1] + slack
