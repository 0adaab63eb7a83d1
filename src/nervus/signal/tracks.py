"""The tracks of a recording made ready: events heard about, courses bridged, travel followed."""

from dataclasses import dataclass, replace

import numpy as np

from nervus.domain.analysis import Frame, Pass, Relation, TrackRelation, Travel
from nervus.domain.channel import Channel, FloatArray, Recording, Role
from nervus.domain.finding import Span
from nervus.domain.profile import ThrottleProfile
from nervus.signal import relation
from nervus.signal.course import Course, course_of
from nervus.signal.events import Event, gather
from nervus.signal.excursions import (
    Excursion,
    deep_enough,
    describe,
    find_excursions,
    find_weak_excursions,
)
from nervus.signal.flat_checks import FLAT_DEPTH_PCT
from nervus.signal.frames import frame_from_profile, learn_frame, related_frame
from nervus.signal.held_level import find_held
from nervus.signal.levels import TrackSignal, coarser, prepare
from nervus.signal.sister import Says, Sisters
from nervus.signal.spans import Union, inside
from nervus.signal.spikes import without_spikes
from nervus.signal.travel import find_passes

# A bridge longer than this is no course any more; fewer points than this are none either.
_LONG_S, _LEAST_SEEN = 0.4, 20
# An input's low-pass rounds what is quicker than this; what lasts for fewer blocks is sought in samples.
_ROUNDED_OVER_S, _SHORT_BLOCKS = 0.001, 3.0
# Samples further apart than this share of it are no fast capture.
_FAST_SHARE = 0.25
# Tracks that share so much of so many stamps are sampled together, not polled one after the other.
_STAMPS, _TOGETHER = 400, 0.5
_SURELY_TOGETHER_S = 0.01


@dataclass(frozen=True, slots=True, eq=False)
class Tracks:
    """The tracks with their events and what lies between the events.

    Attributes:
        signals: one or two tracks, in their order; none where none was recorded.
        events: of all tracks, in the order of time.
        courses: for each track its course without them.
        faulty: for each track the spans of its events.
        spikes: for each track the spans of its ignition spikes.
    """

    signals: tuple[TrackSignal, ...]
    events: tuple[Event, ...]
    courses: dict[str, Course]
    faulty: dict[str, tuple[Span, ...]]
    spikes: dict[str, tuple[Span, ...]]

    def course_with_shallow(self, track: TrackSignal) -> Course:
        """A track's course with only its deep events bridged.

        A track that stands still and then catches up may look as if it had left its course.
        """
        parts = [x for e in self.events for name, x in e.parts if name == track.id]
        deep = tuple(x.span_s for x in parts if x.depth > FLAT_DEPTH_PCT)
        if len(deep) == len(parts):
            return self.courses[track.id]
        return course_of(track, deep + self.spikes[track.id])

    def sister_at(self, course: Course, line: relation.Line | None, skew_s: float) -> FloatArray | None:
        """What the other track tells at a course's instants, as this track's level, shape (n,)."""
        if line is None or len(self.signals) != 2:
            return None
        first, second = (s.id for s in self.signals)
        if course.id == first:
            other = self.courses[second]
            level = np.interp(course.time_s + skew_s, other.time_s, other.level)
            return np.asarray((level - line.offset) / line.slope)
        other = self.courses[first]
        return line.at(np.interp(course.time_s - skew_s, other.time_s, other.level))


def _track_channels(recording: Recording) -> tuple[Channel, ...]:
    """One channel for each track: at the wire where it was measured there, else as reported."""
    chosen = []
    for number in ("tps1", "tps2"):
        channel = recording.get(f"{number}_v") or recording.get(f"{number}_pct")
        if channel is not None:
            chosen.append(channel)
    return tuple(chosen) or recording.with_role(Role.POSITION)[:1]


def prepare_tracks(recording: Recording, supply_v: float, key_off: tuple[Span, ...]) -> Tracks:
    """The tracks of a recording with the events that each shows by itself."""
    prepared = (prepare(c, supply_v, key_off) for c in _track_channels(recording))
    cleaned = [without_spikes(s, recording.get("vref_v")) for s in prepared if s is not None]
    signals = tuple(s for s, _ in cleaned)
    bridged = {s.id: spans for s, spans in cleaned}
    witnessed = len(signals) == 2
    excursions = {s.id: _excursions(s, witnessed=witnessed) for s in signals}
    found = gather(recording, signals, excursions)
    spikes = {s.id: found.spikes[s.id] + bridged[s.id] for s in signals}
    courses = {s.id: course_of(s, found.faulty[s.id] + spikes[s.id]) for s in signals}
    return Tracks(signals, found.events, courses, found.faulty, spikes)


def _excursions(track: TrackSignal, *, witnessed: bool) -> tuple[Excursion, ...]:
    """Sure and weak excursions of a track in the order of time."""
    sure = _sure_excursions(track)
    both = (*sure, *find_weak_excursions(track, sure, witnessed=witnessed))
    if not witnessed:
        # What comes back at one level is sure, also where its single falls were weak.
        held = find_held(track, sure)
        held_s = Union(e.span_s for e in held)
        weak = (e for e in both if not e.weak or not held_s.touches(e.span_s))
        both = (*weak, *held)
    return tuple(sorted(both, key=lambda e: e.span_s[0]))


def _sure_excursions(track: TrackSignal) -> tuple[Excursion, ...]:
    """Excursions that need no witness.

    On a fast capture the filter of an input rounds their edges over many samples: they are sought in
    means over a millisecond, and only what those can't show on the samples themselves.
    """
    fine = find_excursions(track)
    fast = track.interval_s <= _FAST_SHARE * _ROUNDED_OVER_S
    coarse = coarser(track, _ROUNDED_OVER_S) if fast else None
    if coarse is None:
        return fine
    refined = (_refined(track, e, coarse.interval_s) for e in find_excursions(coarse))
    found = tuple(e for e in refined if e is not None)
    found_s = Union(e.span_s for e in found)
    short = (e for e in fine if e.span_s[1] - e.span_s[0] < _SHORT_BLOCKS * coarse.interval_s)
    alone = (e for e in short if not found_s.touches(e.span_s, coarse.interval_s))
    return tuple(sorted((*found, *alone), key=lambda e: e.span_s[0]))


def _refined(track: TrackSignal, found: Excursion, block_s: float) -> Excursion | None:
    """An excursion of block means as the samples show it; `None` for a short one that they do not."""
    start, end = found.span_s
    before = int(np.searchsorted(track.time_s, start - block_s)) - 1
    after = int(np.searchsorted(track.time_s, end + block_s))
    fine = describe(track, before, after)
    if fine is None and end - start < _SHORT_BLOCKS * block_s:
        return None
    return fine or replace(found, samples=max(after - before - 1, 1))


def relate(
    tracks: Tracks, profile: ThrottleProfile | None
) -> tuple[relation.Line | None, TrackRelation, float]:
    """The line that relates the two tracks, in words too, and by how much the second lags."""
    if len(tracks.signals) < 2:
        name = Relation.SINGLE if tracks.signals else Relation.UNKNOWN
        return None, TrackRelation(name, None, None, learned=True), 0.0
    first, second = (_as_seen(tracks.courses[s.id], tracks) for s in tracks.signals)
    if profile is not None and len(profile.tracks) == 2:
        line = _line_of_profile(profile)
        skew_s = _skew(tracks, first, second, line)
        return line, relation.describe(line, profile.supply_v, learned=False), skew_s
    learned = relation.learn_line(first, second)
    skew_s = _skew(tracks, first, second, learned) if learned is not None else 0.0
    return learned, relation.describe(learned, first.supply_v), skew_s


def _skew(tracks: Tracks, first: Course, second: Course, line: relation.Line) -> float:
    """By how much the second track lags; nothing where both are sampled at the same instants."""
    one, two = tracks.signals
    some = two.time_s[:: max(1, two.time_s.size // _STAMPS)]
    at = np.minimum(np.searchsorted(one.time_s, some), one.time_s.size - 1)
    if np.mean(one.time_s[at] == some) > _TOGETHER:
        return 0.0
    return relation.estimate_skew(first, second, line, max(one.interval_s, two.interval_s))


def _as_seen(course: Course, tracks: Tracks) -> Course:
    """A course without what was bridged for long: that tells nothing of how the tracks relate."""
    long = tuple(s for spans in tracks.faulty.values() for s in spans if s[1] - s[0] > _LONG_S)
    seen = ~inside(course.time_s, long)
    if seen.all() or seen.sum() < _LEAST_SEEN:
        return course
    return replace(course, time_s=course.time_s[seen], level=course.level[seen])


def after_witnesses(tracks: Tracks, line: relation.Line | None, skew_s: float) -> Tracks:
    """The tracks after each was heard about the other.

    What both confirm is motion; what one contradicts is sure, however weak it looked; a weak event on
    which a witness has nothing to say is let go.
    """
    if len(tracks.signals) != 2:
        return tracks
    one, two = tracks.signals
    # A slow logger may stamp alike what it read in turn.
    together = one.interval_s <= _SURELY_TOGETHER_S and np.array_equal(one.time_s, two.time_s)
    sisters = Sisters(one, two, line, skew_s, together) if line is not None else None
    by_id = {s.id: s for s in tracks.signals}
    kept: list[Event] = []
    for event in tracks.events:
        heard = [(event, sisters.says(event) if sisters is not None else Says.NOTHING)]
        if sisters is not None and heard[0][1] is not Says.MOTION:
            pieces = sisters.pieces(event)
            if pieces != (event,):
                heard = [(piece, sisters.says(piece)) for piece in pieces]
        kept += (_as_sure(part, says, by_id) for part, says in heard if _counts(part, says))
    if sisters is not None:
        known = (*(e.span_s for e in kept), *(s for spans in tracks.spikes.values() for s in spans))
        kept = sorted((*kept, *sisters.apart(known)), key=lambda e: e.span_s[0])
        kept = list(sisters.with_open_levels(tuple(kept)))
    if not kept and not tracks.events:
        return tracks
    faulty = {
        s.id: tuple(x.span_s for e in kept for name, x in e.parts if name == s.id)
        for s in tracks.signals
    }
    changed = [s for s in tracks.signals if faulty[s.id] != tracks.faulty[s.id]]
    courses = dict(tracks.courses)
    courses |= {s.id: course_of(s, faulty[s.id] + tracks.spikes[s.id]) for s in changed}
    return Tracks(tracks.signals, tuple(kept), courses, faulty, tracks.spikes)


def _counts(event: Event, says: Says) -> bool:
    return says is Says.FAULT or (says is Says.NOTHING and not event.is_weak)


def _as_sure(event: Event, says: Says, by_id: dict[str, TrackSignal]) -> Event:
    channel, deepest = event.deepest
    deep = deepest.depth >= deep_enough(by_id[channel])
    return event.made_sure() if says is Says.FAULT and deep else event


def _line_of_profile(profile: ThrottleProfile) -> relation.Line:
    one, two = profile.tracks
    slope = (two.open_v - two.closed_v) / (one.open_v - one.closed_v)
    offset_v = two.closed_v - slope * one.closed_v
    return relation.Line(slope, 100.0 * offset_v / profile.supply_v)


def follow_travel(
    recording: Recording,
    tracks: Tracks,
    line: relation.Line | None,
    skew_s: float,
    profile: ThrottleProfile | None,
) -> tuple[Travel | None, tuple[Pass, ...]]:
    """Where the throttle was, by the track with the fewest events, and its passes."""
    if not tracks.signals:
        return None, ()
    frames: dict[str, Frame] = {}
    for index, track in enumerate(tracks.signals):
        frames[track.id] = _frame(recording, tracks, track, profile, index)
    first = tracks.signals[0]
    told = profile is not None and len(profile.tracks) == 2
    if line is not None and len(tracks.signals) == 2 and not told:
        second = tracks.signals[1]
        one, two = tracks.courses[first.id], tracks.courses[second.id]
        frames[second.id] = related_frame(frames[first.id], one, two, line, skew_s)
    witness = min(tracks.signals, key=lambda s: len(tracks.faulty[s.id]))
    course = tracks.courses[witness.id]
    percent = frames[witness.id].percent(course.own())
    travel = Travel(course.time_s, percent, witness.id, frames)
    return travel, find_passes(travel.time_s, travel.percent)


def _frame(
    recording: Recording,
    tracks: Tracks,
    track: TrackSignal,
    profile: ThrottleProfile | None,
    index: int,
) -> Frame:
    if profile is not None and index < len(profile.tracks) and track.id.endswith("_v"):
        return frame_from_profile(profile.tracks[index], track.supply_v, profile.supply_v)
    reported = recording.get("throttle_pct") or recording.get("throttle_cmd_pct")
    if track.id in ("throttle_pct", "throttle_cmd_pct"):
        return Frame(0.0, 100.0, "as the control unit reports it")
    return learn_frame(tracks.courses[track.id], reported)
