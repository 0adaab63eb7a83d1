"""One shaft, the throttle's or the pedal's: its tracks, what explains their events, and where it was."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np

from nervus.domain.analysis import Frame, Pass, Relation, TrackRelation, Travel
from nervus.domain.channel import Channel, FloatArray, Recording, Role, Sensor, Span, Unit
from nervus.domain.profile import SensorKind, ThrottleProfile, TrackProfile
from nervus.language import say
from nervus.signal.arithmetic.spans import inside
from nervus.signal.candidates.asked import Asked, who_asked
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.candidates.proposing import Candidates, propose
from nervus.signal.explained.breathed import who_breathed
from nervus.signal.explained.events import Cause, Event
from nervus.signal.explained.explain import explain
from nervus.signal.explained.feed import what_is_shared
from nervus.signal.explained.feed_signs import Lines
from nervus.signal.explained.stood import who_stood
from nervus.signal.instruments.instrument import Instrument, prepare
from nervus.signal.motion import lags, relation
from nervus.signal.motion.course import Course, course_of
from nervus.signal.motion.ended import Ended, before_ends, find_ended, gone_on
from nervus.signal.motion.frames import (
    ends_shown,
    frame_from_profile,
    learn_frame,
    related_frame,
    with_sister,
)
from nervus.signal.motion.pair import Pair
from nervus.signal.motion.travel import find_passes

# A track that stands still over a short stretch is never further off than this, percent of supply.
FLAT_DEPTH_PCT = 8.0
# A bridge longer than this is no course any more; fewer points than this are none either.
_LONG_S, _LEAST_SEEN = 0.4, 20
# So many interruptions in a burst, so large a share of them to either side, are contact noise: the
# middle of what is read within this time of an instant is where the shaft was.
_MANY, _EACH_WAY, _SWINGS_S = 10, 0.2, 0.04
# Samples looked at together.
_PIECE = 1 << 14
# Tracks that share so much of so many stamps are sampled together, not polled one after the other.
_STAMPS, _TOGETHER = 400, 0.5
# Learned again, a line goes the same way within this share.
_SAME_LINE = 0.1
# A slow logger may stamp alike what it read in turn.
_SURELY_TOGETHER_S = 0.01


_NOT_RELATED = TrackRelation(Relation.UNKNOWN, None, None, learned=True)


@dataclass(frozen=True, slots=True, eq=False)
class Shaft:
    """What the tracks of one sensor show of the shaft that they sit on.

    Attributes:
        sensor: whose shaft.
        tracks: one or two, in their order; none where none was recorded.
        pair: both, where it is known how they relate.
        related: the same in the words of the answer.
        events: of all tracks, in the order of time, motion left out.
        courses: for each track its course without them.
        spikes: for each track the spans of its ignition spikes.
        travel: where the shaft was; `None` where no track was recorded.
        passes: of the travel.
        asked: what asked the shaft to move, if that was recorded and it follows.
        ended: the track that shows no more before the travel ends, if one does.
    """

    sensor: Sensor
    tracks: tuple[Instrument, ...] = ()
    pair: Pair | None = None
    related: TrackRelation = _NOT_RELATED
    events: tuple[Event, ...] = ()
    courses: dict[str, Course] = field(default_factory=dict)
    spikes: dict[str, tuple[Span, ...]] = field(default_factory=dict)
    travel: Travel | None = None
    passes: tuple[Pass, ...] = ()
    asked: Asked | None = None
    ended: Ended | None = None

    def faulty(self, track: Instrument) -> tuple[Span, ...]:
        """The spans of a track's events."""
        return tuple(x.span_s for e in self.events for name, x in e.parts if name == track.id)

    def expected_of(self, track: Instrument) -> FloatArray | None:
        """What the other track says of each of a track's samples, percent of supply, shape (n,)."""
        return self.pair.expected_of(track) if self.pair is not None else None

    def course_with_shallow(self, track: Instrument) -> Course:
        """A track's course with only its deep events bridged.

        A track that stands still and then catches up may look as if it had left its course.
        """
        parts = [x for e in self.events for name, x in e.parts if name == track.id]
        deep = tuple(x.span_s for x in parts if x.depth > FLAT_DEPTH_PCT)
        if len(deep) == len(parts):
            return self.courses[track.id]
        return course_of(track, deep + self.spikes[track.id])


def follow(
    recording: Recording,
    sensor: Sensor,
    supply_v: float,
    key_off: tuple[Span, ...],
    profile: ThrottleProfile | None,
    straighten: Callable[[Instrument], Instrument] | None = None,
) -> Shaft:
    """What a recording shows of one shaft.

    Args:
        recording: what was captured, repeats left out.
        sensor: whose shaft.
        supply_v: volts that are 100 % for tracks in volts.
        key_off: when nothing is to be judged.
        profile: what the throttle should do; it says nothing of the pedal.
        straighten: undoes what is known to be wrong with a track.
    """
    prepared = (
        prepare(c, supply_v, key_off, recording.get("vref_v"), recording.get("sgnd_v"))
        for c in _channels(recording, sensor)
    )
    tracks = tuple(t for t in prepared if t is not None)
    if not tracks:
        return Shaft(sensor)
    profile = profile if sensor is Sensor.THROTTLE else None
    tracks = _on_one_clock(tracks)
    if straighten is not None:
        tracks = tuple(map(straighten, tracks))
    asked, tracks, candidates = _proposed(recording, tracks)
    pair, related = _pair(tracks, candidates, profile)
    away = {name: _away(c) for name, c in candidates.items()}
    ended, at_end_s = None if pair is None else find_ended(pair, away), tuple[Span, ...]()
    if pair is not None and ended is not None:
        track = next(t for t in tracks if t.id == ended.id)
        whole, at_end_s = gone_on(track, ended, pair, away[pair.other(track).id])
        asked, tracks, candidates = _proposed(
            recording, tuple(whole if t is track else t for t in tracks)
        )
        pair, related = _pair_again(pair, related, _pair(tracks, candidates, profile))
    spikes = {t.id: candidates[t.id].spikes for t in tracks}
    feed = Lines((*recording.with_role(Role.SUPPLY), *recording.with_role(Role.GROUND)))
    air = who_breathed(recording, tracks, {t.id: candidates[t.id].excursions for t in tracks})
    unrelated = tracks if pair is None and len(tracks) == 2 else ()
    stood = who_stood({t.id: (t, _as_seen(t, candidates[t.id])) for t in unrelated})
    witnesses = [w for w in (asked, air, stood) if w is not None]
    events = explain(tracks, pair, candidates, witnesses, feed)
    if ended is not None:
        shown = (_as_shown(e, ended, at_end_s) for e in events)
        events = tuple(e for e in shown if e is not None)
    wipers = profile is not None and profile.sensor is SensorKind.CONTACT
    events = what_is_shared(events, {t.id: t for t in tracks}, feed, wipers=wipers)
    shaft = Shaft(sensor, tracks, pair, related, events, {}, spikes, asked=asked, ended=ended)
    courses = {t.id: _course(shaft, candidates[t.id], spikes[t.id]) for t in tracks}
    return _moved(recording, replace(shaft, courses=courses), profile)


def _proposed(
    recording: Recording, tracks: tuple[Instrument, ...]
) -> tuple[Asked | None, tuple[Instrument, ...], dict[str, Candidates]]:
    """What asked the tracks to move, the tracks as they were read, and where each left its course."""
    asked = who_asked(recording, tracks)
    found = propose(recording, tracks, asked)
    return asked, tuple(c.track for c in found), {c.track.id: c for c in found}


def _as_shown(event: Event, ended: Ended, at_end_s: tuple[Span, ...]) -> Event | None:
    """An event without what a track that ends should have shown while it stood at its end."""
    parts = tuple(p for p in event.parts if not (p[0] == ended.id and _is_within(p[1], at_end_s)))
    if len(parts) == len(event.parts):
        return event
    return replace(event, parts=parts, cause=Cause.ALONE) if parts else None


def _is_within(excursion: Excursion, spans: tuple[Span, ...]) -> bool:
    """Whether an excursion is deepest within some spans."""
    return bool(inside(np.asarray([np.mean(excursion.deepest_s or excursion.span_s)]), spans)[0])


def _away(found: Candidates) -> tuple[Span, ...]:
    """When a track was off its course by more than a quick hand makes it."""
    return (*(e.span_s for e in found.excursions if not e.weak), *found.spikes)


def _course(shaft: Shaft, found: Candidates, spikes: tuple[Span, ...]) -> Course:
    """The course of a track without its events: through the middle of those that swing about it."""
    track, off = found.track, list(spikes)
    swings: list[Span] = []
    for part in (x for e in shaft.events for name, x in e.parts if name == found.track.id):
        (swings if part.merged >= _MANY and _swings(part.span_s, found) else off).append(part.span_s)
    if swings:
        track = replace(track, level=_through_the_middle(track, tuple(swings)))
    return course_of(track, tuple(off))


def _swings(span: Span, found: Candidates) -> bool:
    """Whether the interruptions of a burst go to either side."""
    each = [e for e in found.excursions if span[0] <= e.span_s[0] and e.span_s[1] <= span[1]]
    above = sum(e.level > e.course for e in each)
    return min(above, len(each) - above) >= _EACH_WAY * len(each)


def _through_the_middle(track: Instrument, spans: tuple[Span, ...]) -> FloatArray:
    """The level of a track, in some spans the median of the samples around each, shape (n,)."""
    reach = max(2, round(_SWINGS_S / max(track.interval_s, 1e-7)))
    at = np.flatnonzero(inside(track.time_s, spans))
    around = np.lib.stride_tricks.sliding_window_view(np.pad(track.level, reach, "edge"), 2 * reach + 1)
    level = track.level.copy()
    for first in range(0, at.size, _PIECE):
        piece = at[first : first + _PIECE]
        level[piece] = np.median(around[piece], axis=1)
    return level


def _channels(recording: Recording, sensor: Sensor) -> tuple[Channel, ...]:
    found = recording.tracks(sensor)
    if found or sensor is Sensor.PEDAL:
        return found
    return recording.with_role(Role.POSITION)[:1]


def _pair(
    tracks: tuple[Instrument, ...], candidates: dict[str, Candidates], profile: ThrottleProfile | None
) -> tuple[Pair | None, TrackRelation]:
    """Both tracks with the line that relates them, learned from what is no candidate."""
    if len(tracks) < 2:
        return None, TrackRelation(Relation.SINGLE, None, None, learned=True)
    one, two = tracks
    first, second = before_ends(*(_as_seen(t, candidates[t.id]) for t in tracks))
    told = profile is not None and len(profile.tracks) == 2
    if profile is not None and told:
        line: relation.Line | None = _line_of_profile(profile.tracks, profile.supply_v)
        related = relation.describe(line, profile.supply_v, learned=False)
    else:
        line = relation.learn_line(first, second, of_one_sensor=True)
        if line is None or not relation.goes_as_built(line):
            # Where both stood says more than where they were read in passing, one after the other.
            stood = relation.line_of_stands(*_both_stood(one, two))
            line = stood if line is None or (stood and relation.goes_as_built(stood)) else line
        related = relation.describe(line, first.supply_v)
    if line is None:
        return None, related
    together = one.interval_s <= _SURELY_TOGETHER_S and np.array_equal(one.time_s, two.time_s)
    skew_s = 0.0
    if together or not _share_stamps(one, two):
        interval_s = max(one.interval_s, two.interval_s)
        skew_s = lags.estimate_skew(first, second, line, interval_s, together=together)
    return Pair(one, two, line, skew_s, together and skew_s == 0.0), related


def _pair_again(
    known: Pair, related: TrackRelation, again: tuple[Pair | None, TrackRelation]
) -> tuple[Pair, TrackRelation]:
    """A pair as it is learned again of tracks of which one does not end: by nearly the same line."""
    pair = again[0]
    if pair is None:
        return known, related
    if abs(pair.line.slope / known.line.slope - 1.0) > _SAME_LINE:
        return replace(pair, line=known.line, skew_s=known.skew_s, together=known.together), related
    return pair, again[1]


def _both_stood(one: Instrument, two: Instrument) -> tuple[FloatArray, FloatArray]:
    """What both tracks read each time that they stood, shape (n,) each."""
    _, level, above = Pair(one, two, relation.Line(1.0, 0.0), 0.0, together=False).where_both_stand(one)
    return level, level - above


def _on_one_clock(tracks: tuple[Instrument, ...]) -> tuple[Instrument, ...]:
    """Two tracks by the clock of the first, where they were written by two loggers."""
    if len(tracks) < 2:
        return tracks
    one, two = tracks
    first, second = (course_of(t, ()) for t in tracks)
    clock = lags.estimate_clock(first, second, max(t.interval_s for t in tracks))
    if clock == (0.0, 0.0):
        return tracks
    offset, drift = clock
    return one, replace(two, time_s=(two.time_s - offset) / (1.0 + drift), clock=clock)


def _as_seen(track: Instrument, found: Candidates) -> Course:
    """A course without its candidates, and without what would be bridged for long."""
    spans = tuple(e.span_s for e in found.excursions)
    course = course_of(track, spans + found.spikes)
    long = tuple(s for s in spans if s[1] - s[0] > _LONG_S)
    seen = ~inside(course.time_s, long)
    if seen.all() or seen.sum() < _LEAST_SEEN:
        return course
    return replace(course, time_s=course.time_s[seen], level=course.level[seen])


def _line_of_profile(tracks: tuple[TrackProfile, ...], supply_v: float) -> relation.Line:
    one, two = tracks
    slope = (two.open_v - two.closed_v) / (one.open_v - one.closed_v)
    return relation.Line(slope, 100.0 * (two.closed_v - slope * one.closed_v) / supply_v)


def _share_stamps(one: Instrument, two: Instrument) -> bool:
    some = two.time_s[:: max(1, two.time_s.size // _STAMPS)]
    at = np.minimum(np.searchsorted(one.time_s, some), one.time_s.size - 1)
    return bool(np.mean(one.time_s[at] == some) > _TOGETHER)


def _moved(recording: Recording, shaft: Shaft, profile: ThrottleProfile | None) -> Shaft:
    """The shaft with where it was, by the track with the fewest events, and its passes."""
    tracks, pair = shaft.tracks, shaft.pair
    witness = _witness(shaft)
    frames = {t.id: _frame(recording, shaft, t, profile, n) for n, t in enumerate(tracks)}
    told = profile is not None and len(profile.tracks) == 2
    if pair is not None and not told:
        full, other = pair.by_range()
        one, two = shaft.courses[full.id], shaft.courses[other.id]
        line, skew_s = pair.line, pair.skew_s
        if full is not pair.first:
            line, skew_s = line.inverse(), -skew_s
        frames[other.id] = related_frame(frames[full.id], one, two, line, skew_s)
    if shaft.ended is not None:
        track = next(t for t in tracks if t.id == shaft.ended.id)
        stands_at = track.own_value(shaft.ended.level)
        frames[track.id] = replace(frames[track.id], stands_at=stands_at)
    course = shaft.courses[witness.id]
    travel = Travel(course.time_s, frames[witness.id].percent(course.own()), witness.id, frames)
    return replace(shaft, travel=travel, passes=find_passes(travel.time_s, travel.percent))


def _witness(shaft: Shaft) -> Instrument:
    """The track with the fewest events."""
    return min(shaft.tracks, key=lambda t: len(shaft.faulty(t)))


def _frame(
    recording: Recording, shaft: Shaft, track: Instrument, profile: ThrottleProfile | None, index: int
) -> Frame:
    if profile is not None and index < len(profile.tracks) and track.kind.unit is Unit.VOLT:
        return frame_from_profile(profile.tracks[index], track.supply_v, profile.supply_v)
    if track.kind.role is Role.POSITION:
        return Frame(0.0, 100.0, say("as the control unit reports it"))
    names = ("pedal_pct",) if shaft.sensor is Sensor.PEDAL else ("throttle_pct", "throttle_cmd_pct")
    reported = next((c for n in names if (c := recording.get(n)) is not None), None)
    mirrored = shaft.pair is not None and shaft.pair.line.slope < 0.0
    pedal = shaft.sensor is Sensor.PEDAL
    course, witness = shaft.courses[track.id], _witness(shaft)
    above = 0.0 if shaft.pair is None else shaft.pair.how_far_above(track, ends_shown(course.level)[1])
    learn = partial(learn_frame, reported=reported, mirrored=mirrored, pedal=pedal, above=above)
    if track is witness or shaft.pair is None:
        return learn(course)
    hers = shaft.courses[witness.id]
    told = replace(hers, level=shaft.pair.as_track(track, hers.level), supply_v=track.supply_v)
    return with_sister(course, told, learn)
