"""The chain of the signal room: from a recording to everything it shows."""

import numpy as np

from nervus.domain.analysis import (
    Examination,
    Locality,
    Pass,
    Progress,
    Travel,
    no_progress,
)
from nervus.domain.channel import Channel, FloatArray, Recording, Role
from nervus.domain.finding import (
    DeadSpot,
    Disagreement,
    Drop,
    Finding,
    Noise,
    Span,
    SupplyFault,
)
from nervus.domain.profile import ThrottleProfile
from nervus.signal import (
    disagreement,
    drops,
    following,
    linearity,
    ranges,
    relation,
    rest,
    sampling,
    supply,
    worn_places,
)
from nervus.signal.course import Course, plain_course
from nervus.signal.coverage import describe_coverage
from nervus.signal.events import Event, bursts
from nervus.signal.held_values import without_repeats
from nervus.signal.instants import read_at
from nervus.signal.key import key_off_spans
from nervus.signal.levels import supply_scale
from nervus.signal.locality import judge_locality
from nervus.signal.spans import overlaps
from nervus.signal.tracks import (
    Tracks,
    after_witnesses,
    follow_travel,
    prepare_tracks,
    relate,
)

# So near to a bend, percent of travel, roughness is the bend's.
_BEND_PCT = 4.0
# Events of one burst closer than this, percent of travel, count once where places are compared.
_SAME_PLACE_PCT = 5.0


def examine(
    recording: Recording,
    profile: ThrottleProfile | None = None,
    *,
    cause_of_rest: rest.CauseOf,
    progress: Progress = no_progress,
) -> Examination:
    """Everything that the recording shows, without a word on which part has failed.

    Args:
        recording: what was captured.
        profile: what the throttle should do; without one it is learned as far as it shows.
        cause_of_rest: tells an open plate from a lying signal, by the engine.
        progress: called between the steps; what it raises ends the examination.
    """
    progress("Looking at the supply", 0.0)
    recorded, recording = recording, without_repeats(recording)
    key_off = key_off_spans(recording)
    nominal_v = profile.supply_v if profile is not None else 5.0
    progress("Looking for interruptions", 0.1)
    tracks = prepare_tracks(recording, supply_scale(recording, nominal_v), key_off)
    progress("Following the travel", 0.5)
    line, related, skew_s = relate(tracks, profile)
    tracks = after_witnesses(tracks, line, skew_s)
    travel, passes = follow_travel(recording, tracks, line, skew_s, profile)
    progress("Looking for dead spots", 0.7)
    spots, loose = worn_places.find_dead_spots(tracks, travel, passes, (line, skew_s))
    progress("Looking for wear", 0.8)
    spots, wear, loose = worn_places.weigh_wear(tracks, travel, passes, (spots, loose))
    differ = _disagreements(recording, tracks, (travel, passes), (line, skew_s), profile)
    wear = [n for n in wear if not _is_bend(n, tracks, differ)]
    findings: list[Finding] = [*spots, *_drops(recording, tracks, loose, travel), *wear, *differ]
    findings += _rests(recording, travel, cause_of_rest)
    findings += supply.supply_faults(recording, key_off, nominal_v)
    findings += _against_others(recording, tracks, (travel, passes), tuple(findings), profile)
    findings += _out_of_range(recording, (*key_off, *_told_spans(findings)), profile)
    locality = _locality(_told(loose, spots, tracks.events), spots, travel)
    pairs = zip(recorded.channels, recording.channels, strict=True)
    channels = tuple(sampling.summarise(c, told) for c, told in pairs)
    progress("Done", 1.0)
    return Examination(
        duration_s=round(recording.duration_s, 6),
        channels=channels,
        tracks=related,
        travel=travel,
        passes=passes,
        findings=tuple(findings),
        locality=locality,
        coverage=describe_coverage(channels, travel, passes, locality.events),
        key_off_s=key_off,
    )


def _drops(
    recording: Recording, tracks: Tracks, loose: tuple[Event, ...], travel: Travel | None
) -> tuple[Finding, ...]:
    way = (travel.time_s, travel.percent) if travel is not None else None
    by_id = {s.id: s for s in tracks.signals}
    return drops.describe_drops(loose, by_id, recording.marks, way)


def _is_bend(noise: Noise, tracks: Tracks, differ: tuple[Disagreement, ...]) -> bool:
    """Seen slowly, a track seems rough where it bends: samples lie far from their neighbours' middle."""
    slow = any(t.id in noise.channels and t.is_slow for t in tracks.signals)
    return slow and any(overlaps(noise.travel_pct, d.travel_pct, _BEND_PCT) for d in differ)


def _disagreements(
    recording: Recording,
    tracks: Tracks,
    travel_and_passes: tuple[Travel | None, tuple[Pass, ...]],
    relation_and_skew: tuple[relation.Line | None, float],
    profile: ThrottleProfile | None,
) -> tuple[Disagreement, ...]:
    line, skew_s = relation_and_skew
    travel, passes = travel_and_passes
    if line is None or travel is None or len(tracks.signals) != 2:
        return ()
    first, second = tracks.signals
    pair = disagreement.pair_travel(
        (tracks.courses[first.id], tracks.courses[second.id]),
        line,
        travel.frames[first.id],
        skew_s,
    )
    witness = next((c for r in (Role.COMMAND, Role.PEDAL) for c in recording.with_role(r)), None)
    sure = tuple(e.span_s for e in tracks.events if not e.is_weak)
    faulty = sure + tracks.spikes[first.id] + tracks.spikes[second.id]
    channels = (first.id, second.id)
    return disagreement.find_disagreements(pair, channels, witness, faulty, profile, passes)


def _against_others(
    recording: Recording,
    tracks: Tracks,
    travel_and_passes: tuple[Travel | None, tuple[Pass, ...]],
    findings: tuple[Finding, ...],
    profile: ThrottleProfile | None,
) -> list[Finding]:
    """Position against command, and tracks against the position that was reported beside them."""
    travel, passes = travel_and_passes
    reported = next(iter(recording.with_role(Role.POSITION)), None)
    command = next(iter(recording.with_role(Role.COMMAND)), None)
    found: list[Finding] = []
    if command is not None and (reported is not None or travel is not None):
        found += following.not_following(command, *_position(reported, travel), profile)
    bent = {f.suspect for f in findings if isinstance(f, Disagreement)}
    for track in tracks.signals:
        if reported is not None and reported.id != track.id and not bent - {None}:
            found += linearity.nonlinear(tracks.courses[track.id], reported, passes)
    return found


def _position(reported: Channel | None, travel: Travel | None) -> tuple[Course, str]:
    if travel is not None:
        return Course(travel.witness, travel.time_s, travel.percent, 0.01, 0.5, 100.0), travel.witness
    assert reported is not None  # noqa: S101 - asked before
    return plain_course(reported), reported.id


def _told_spans(findings: list[Finding]) -> tuple[Span, ...]:
    """Spans at which a track is known to be off for a reason that is told already."""
    return tuple(s for f in findings if isinstance(f, Drop | DeadSpot | SupplyFault) for s in f.times_s)


def _out_of_range(
    recording: Recording, told: tuple[Span, ...], profile: ThrottleProfile | None
) -> list[Finding]:
    supply_v = supply_scale(recording, profile.supply_v if profile is not None else 5.0)
    found: list[Finding] = []
    for track in recording.with_role(Role.TRACK):
        found += ranges.out_of_range(track, int(track.id[3]), supply_v, told, profile)
    return found


def _rests(
    recording: Recording, travel: Travel | None, cause_of_rest: rest.CauseOf
) -> tuple[Finding, ...]:
    if travel is None:
        return ()
    rests = rest.find_rests(travel.time_s, travel.percent, recording)
    return rest.off_rest(rests, (travel.witness,), recording, cause_of_rest)


def _told(
    loose: tuple[Event, ...], spots: tuple[DeadSpot, ...], events: tuple[Event, ...]
) -> tuple[Event, ...]:
    """The events that are told of, as drops or in a dead spot, in the order of time."""
    starts = {round(span[0], 4) for spot in spots for span in spot.times_s}
    left = {id(e) for e in loose}
    return tuple(e for e in events if id(e) in left or round(e.span_s[0], 4) in starts)


def _locality(events: tuple[Event, ...], spots: tuple[DeadSpot, ...], travel: Travel | None) -> Locality:
    """One verdict for the recording: over all events, and the flats, which are events too."""
    places = []
    if travel is not None:
        for group in bursts(events):
            middles = [float(np.mean(e.span_s)) for e in group]
            places += _apart(read_at(middles, travel.time_s, travel.percent))
        for spot in (s for s in spots if s.shape == "flat"):
            places += [sum(spot.travel_pct) / 2] * spot.seen_in
    percent = travel.percent if travel is not None else np.zeros(1)
    time_s = travel.time_s if travel is not None else np.zeros(1)
    return judge_locality(np.asarray(places, dtype=np.float64), percent, time_s)[0]


def _apart(places: FloatArray) -> list[float]:
    """Places of one burst, those close to the one before left out: they have the same cause."""
    kept = [float(places[0])]
    for place in places[1:]:
        if abs(place - kept[-1]) > _SAME_PLACE_PCT:
            kept.append(float(place))
    return kept
