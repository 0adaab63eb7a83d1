"""The tracks of a recording made ready: events heard about, courses bridged, travel followed."""

from dataclasses import dataclass, replace

from nervus.domain.analysis import Frame, Pass, Relation, TrackRelation, Travel
from nervus.domain.channel import Channel, Recording, Role
from nervus.domain.finding import Span
from nervus.domain.profile import ThrottleProfile
from nervus.signal import relation
from nervus.signal.course import Course, course_of
from nervus.signal.events import Event, gather
from nervus.signal.excursions import (
    DEEP_PCT,
    Excursion,
    find_excursions,
    find_weak_excursions,
)
from nervus.signal.held_level import find_held
from nervus.signal.levels import TrackSignal, prepare
from nervus.signal.sister import Says, Sisters
from nervus.signal.spans import inside, overlaps
from nervus.signal.travel import find_passes, frame_from_profile, learn_frame

# A bridge longer than this is no course any more; fewer points than this are none either.
_LONG_S, _LEAST_SEEN = 0.4, 20


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
    signals = tuple(s for s in prepared if s is not None)
    witnessed = len(signals) == 2
    excursions = {s.id: _excursions(s, witnessed=witnessed) for s in signals}
    found = gather(recording, signals, excursions)
    courses = {s.id: course_of(s, found.faulty[s.id] + found.spikes[s.id]) for s in signals}
    return Tracks(signals, found.events, courses, found.faulty, found.spikes)


def _excursions(track: TrackSignal, *, witnessed: bool) -> tuple[Excursion, ...]:
    """Sure and weak excursions of a track in the order of time."""
    sure = find_excursions(track)
    both = (*sure, *find_weak_excursions(track, sure, witnessed=witnessed))
    if not witnessed:
        # What comes back at one level is sure, also where its single falls were weak.
        held = find_held(track, sure)
        spans = [e.span_s for e in held]
        weak = (e for e in both if not e.weak or not any(overlaps(e.span_s, s) for s in spans))
        both = (*weak, *held)
    return tuple(sorted(both, key=lambda e: e.span_s[0]))


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
        skew_s = relation.estimate_skew(first, second, line)
        return line, relation.describe(line, profile.supply_v, learned=False), skew_s
    learned = relation.learn_line(first, second)
    skew_s = relation.estimate_skew(first, second, learned) if learned is not None else 0.0
    return learned, relation.describe(learned, first.supply_v), skew_s


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
    if len(tracks.signals) != 2 or not tracks.events:
        return tracks
    sisters = Sisters(*tracks.signals, line, skew_s) if line is not None else None
    kept: list[Event] = []
    for event in tracks.events:
        heard = [(event, sisters.says(event) if sisters is not None else Says.NOTHING)]
        if sisters is not None and heard[0][1] is not Says.MOTION:
            pieces = sisters.pieces(event)
            if pieces != (event,):
                heard = [(piece, sisters.says(piece)) for piece in pieces]
        kept += (_as_sure(part, says) for part, says in heard if _counts(part, says))
    faulty = {
        s.id: tuple(x.span_s for e in kept for name, x in e.parts if name == s.id)
        for s in tracks.signals
    }
    courses = {s.id: course_of(s, faulty[s.id] + tracks.spikes[s.id]) for s in tracks.signals}
    return Tracks(tracks.signals, tuple(kept), courses, faulty, tracks.spikes)


def _counts(event: Event, says: Says) -> bool:
    return says is Says.FAULT or (says is Says.NOTHING and not event.is_weak)


def _as_sure(event: Event, says: Says) -> Event:
    deep = event.deepest[1].depth >= DEEP_PCT
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
    profile: ThrottleProfile | None,
) -> tuple[Travel | None, tuple[Pass, ...]]:
    """Where the throttle was, by the track with the fewest events, and its passes."""
    if not tracks.signals:
        return None, ()
    frames: dict[str, Frame] = {}
    for index, track in enumerate(tracks.signals):
        frames[track.id] = _frame(recording, tracks, track, profile, index)
    first = tracks.signals[0]
    if line is not None and len(tracks.signals) == 2:
        frames[tracks.signals[1].id] = _related_frame(frames[first.id], first, line)
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


def _related_frame(frame: Frame, first: TrackSignal, line: relation.Line) -> Frame:
    """The second track's frame, through its relation to the first."""
    offset = line.offset * first.supply_v / 100.0
    closed, opened = line.slope * frame.closed + offset, line.slope * frame.open + offset
    return Frame(closed, opened, frame.basis)
