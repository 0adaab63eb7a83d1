"""The chain of the signal room: from a recording to everything it shows."""

from dataclasses import replace

import numpy as np

from nervus.domain.analysis import (
    ChannelSummary,
    Coverage,
    Examination,
    Frame,
    Locality,
    Pass,
    Travel,
    Verdict,
)
from nervus.domain.channel import Channel, FloatArray, Recording, Role, Sensor, Span
from nervus.domain.finding import (
    DeadSpot,
    Disagreement,
    Drop,
    Finding,
    Shared,
    SupplyFault,
)
from nervus.domain.profile import SensorKind, ThrottleProfile
from nervus.domain.progress import Progress, no_progress
from nervus.language import say
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.arithmetic.spans import inside
from nervus.signal.explained.events import Event, at_once, bursts
from nervus.signal.explained.shaft import Shaft, follow
from nervus.signal.instruments import sampling
from nervus.signal.instruments.fed import supply_scale
from nervus.signal.instruments.key import is_witnessed, key_off_spans
from nervus.signal.motion.course import Course, plain_course
from nervus.signal.motion.pair import Pair
from nervus.signal.told import disagreement, drops, following, linearity, ranges, rest, supply
from nervus.signal.told.coverage import describe_coverage, of_contactless, of_ended
from nervus.signal.told.groups import in_groups
from nervus.signal.told.one_cause import (
    all_over,
    is_apart,
    is_bend,
    is_seen_elsewhere,
    is_worn_in_turn,
    is_worn_there,
    stands_in_bend,
    unless_supply_sags,
    without_ends,
    without_sticking,
)
from nervus.signal.told.smoothing import smoothed_s
from nervus.signal.worn import worn_places
from nervus.signal.worn.bridged import find_bridged
from nervus.signal.worn.locality import judge_locality, no_events, of_worn_and_drops

# Events of one burst closer than this, percent of travel, count once where places are compared.
_SAME_PLACE_PCT = 5.0


def examine(
    recorded: Recording,
    recording: Recording,
    profile: ThrottleProfile | None = None,
    *,
    cause_of_rest: rest.CauseOf,
    progress: Progress = no_progress,
) -> Examination:
    """Everything that the recording shows, without a word on which part has failed.

    Args:
        recorded: what was captured, as it was written down.
        recording: the same as it was read.
        profile: what the throttle should do; without one it is learned as far as it shows.
        cause_of_rest: tells an open plate from a lying signal, by the engine.
        progress: called between the steps; what it raises ends the examination.
    """
    progress(say("Looking at the supply"), 0.0)
    key_off = key_off_spans(recording)
    nominal_v = profile.supply_v if profile is not None else 5.0
    supply_v = supply_scale(recording, nominal_v)
    progress(say("Following the throttle"), 0.1)
    throttle, bridged = _followed(recording, Sensor.THROTTLE, supply_v, key_off, profile)
    progress(say("Following the pedal"), 0.5)
    pedal, bridged_of_pedal = _followed(recording, Sensor.PEDAL, supply_v, key_off, None)
    progress(say("Looking for what is worn"), 0.7)
    findings: list[Finding] = []
    places: dict[Sensor, Locality] = {}
    worn: list[Finding] = []
    for shaft, stretches, other in ((throttle, bridged, pedal), (pedal, bridged_of_pedal, throttle)):
        shared = at_once(shaft.events, other.events)
        found, wear, places[shaft.sensor] = _of_shaft(recording, shaft, stretches, shared, profile)
        findings += found
        worn += wear
    findings = drops.together(findings)
    findings += _rests(recording, (throttle, pedal), cause_of_rest, findings)
    findings += supply.supply_faults(recording, key_off, nominal_v)
    line = recording.get("vref_v")
    if line is not None and not is_witnessed(recording):
        findings += supply.may_be_key_off(key_off, line)
    rails = ranges.at_rail(recording, supply_v, _told_of_each(findings))
    if not any(f.sensor is Sensor.THROTTLE for f in rails):
        others = _against_others(recording, throttle, tuple(findings), profile)
        findings = [*without_sticking(findings, throttle, others), *others]
        if not any(isinstance(f, Drop) and f.sensor is Sensor.THROTTLE for f in findings):
            places[Sensor.THROTTLE] = no_events()
    findings += rails
    findings += _out_of_range(recording, supply_v, (*key_off, *_told_spans(findings)), profile)
    place = of_worn_and_drops(places, worn)
    travel, pedal_travel = (_by_the_sound(shaft, worn) for shaft in (throttle, pedal))
    pairs = zip(recorded.channels, recording.channels, strict=True)
    channels = tuple(_timed(sampling.summarise(c, told), (throttle, pedal)) for c, told in pairs)
    coverage, technology = _coverage(channels, travel, throttle.passes, findings, profile)
    coverage = _with_ended(coverage, throttle)
    progress(say("Done"), 1.0)
    return Examination(
        duration_s=round(recording.duration_s, 6),
        channels=channels,
        tracks=throttle.related,
        travel=travel,
        passes=throttle.passes,
        findings=in_groups(findings),
        locality=place,
        drops=places,
        coverage=coverage,
        technology=technology,
        key_off_s=key_off,
        marks=recording.marks,
        pedal_travel=pedal_travel,
        pedal_passes=pedal.passes,
    )


def _followed(
    recording: Recording,
    sensor: Sensor,
    supply_v: float,
    key_off: tuple[Span, ...],
    profile: ThrottleProfile | None,
) -> tuple[Shaft, tuple[DeadSpot, ...]]:
    """What a recording shows of one shaft without what is bridged of its tracks, and what is."""
    shaft = follow(recording, sensor, supply_v, key_off, profile)
    # Where a track ends it is no longer straight, bridged or not.
    bridged = find_bridged(shaft) if shaft.ended is None else None
    if bridged is None:
        return shaft, ()
    straight = follow(recording, sensor, supply_v, key_off, profile, bridged.straight)
    spot = bridged.spot(straight)
    return (straight, (spot,)) if spot is not None else (shaft, ())


def _of_shaft(
    recording: Recording,
    shaft: Shaft,
    bridged: tuple[DeadSpot, ...],
    shared: tuple[Event, ...],
    profile: ThrottleProfile | None,
) -> tuple[list[Finding], list[Finding], Locality]:
    """What the tracks of one shaft show, what of it is worn, and where its drops come."""
    differ = _disagreements(recording, shaft, profile)
    differ, sags = unless_supply_sags(recording, shaft, differ)
    spots, wear, loose = worn_places.find_worn(shaft, all_over(differ), shared)
    differ = tuple(d for d in differ if not is_worn_in_turn(d, (*spots, *wear), shaft.travel))
    wear = [n for n in wear if not is_bend(n, shaft, differ)]
    spots = tuple(s for s in spots if not (stands_in_bend(s, differ) or is_seen_elsewhere(s, differ)))
    differ = tuple(d for d in differ if not is_worn_there(d, (*spots, *wear)))
    loose = without_ends(loose, shaft, differ)
    spots = (*bridged, *spots)
    found = [*spots, *_drops(recording, shaft, loose), *wear, *differ, *sags]
    place = _locality(loose, shaft.travel)
    if place.verdict is Verdict.POSITION:
        # What two shafts share comes from no place on either: they were just there.
        place = _locality(tuple(e for e in loose if e not in shared), shaft.travel)
    return found, [*spots, *wear], place


def _coverage(
    channels: tuple[ChannelSummary, ...],
    travel: Travel | None,
    passes: tuple[Pass, ...],
    findings: list[Finding],
    profile: ThrottleProfile | None,
) -> tuple[Coverage, SensorKind]:
    """What could not have shown, and what kind of sensor the throttle has as far as that is known."""
    coverage = describe_coverage(
        channels,
        travel,
        passes,
        sorted(f.times_s[0][0] for f in findings if isinstance(f, Drop)),
        [f for f in findings if isinstance(f, DeadSpot)],
    )
    technology = profile.sensor if profile is not None else SensorKind.UNKNOWN
    told = technology is SensorKind.CONTACTLESS
    if told or (technology is SensorKind.UNKNOWN and _fell_out(findings)):
        return of_contactless(coverage, by_profile=told), SensorKind.CONTACTLESS
    return coverage, technology


def _with_ended(coverage: Coverage, shaft: Shaft) -> Coverage:
    """Coverage with where a track of the throttle ends before its sister, if one does."""
    ended = shaft.ended
    if ended is None or shaft.travel is None or shaft.pair is None:
        return coverage
    track = next(t for t in shaft.tracks if t.id == ended.id)
    at = shaft.travel.frames[ended.id].percent(track.own(np.asarray([ended.level])))
    sister = shaft.pair.other(track).kind.track
    return of_ended(coverage, track.kind.track, sister, float(at[0]))


def _fell_out(findings: list[Finding]) -> bool:
    """Whether the throttle's sensor fell out as only electronics do."""
    own = (f for f in findings if isinstance(f, Drop) and f.sensor is Sensor.THROTTLE)
    return any(f.shared is Shared.ELECTRONICS for f in own)


def _by_the_sound(shaft: Shaft, worn: list[Finding]) -> Travel | None:
    """Where the shaft was by the track that is not worn, so that what is worn shows on its own track."""
    travel, on = shaft.travel, {c for f in worn for c in f.channels}
    if travel is None or shaft.pair is None or travel.witness not in on:
        return travel
    other = next(t for t in shaft.tracks if t.id != travel.witness)
    if other.id in on:
        return travel
    course = shaft.courses[other.id]
    percent = travel.frames[other.id].percent(course.own())
    return Travel(course.time_s, percent, other.id, travel.frames)


def _timed(measured: ChannelSummary, shafts: tuple[Shaft, ...]) -> ChannelSummary:
    """With its lag behind its sister, and what smooths it, as far as that was found."""
    for shaft in shafts:
        for track in (t for t in shaft.tracks if t.id == measured.id):
            if measured.smoothed_s is not None:
                continue  # it was taken back
            parts = [x for e in shaft.events for name, x in e.parts if name == track.id]
            measured = replace(measured, smoothed_s=smoothed_s(track, parts))
    for pair in (s.pair for s in shafts):
        if pair is not None and pair.second.id == measured.id:
            offset_s, drift = pair.second.clock
            return replace(measured, lag_s=offset_s + pair.skew_s, drift=drift)
    return measured


def _drops(recording: Recording, shaft: Shaft, loose: tuple[Event, ...]) -> tuple[Finding, ...]:
    way = (shaft.travel.time_s, shaft.travel.percent) if shaft.travel is not None else None
    return drops.describe_drops(loose, {t.id: t for t in shaft.tracks}, recording.marks, way)


def _disagreements(
    recording: Recording, shaft: Shaft, profile: ThrottleProfile | None
) -> tuple[Disagreement, ...]:
    pair, travel = shaft.pair, shaft.travel
    if pair is None or travel is None:
        return ()
    channels = (pair.first.id, pair.second.id)
    both = disagreement.pair_travel(
        (shaft.courses[channels[0]], shaft.courses[channels[1]]),
        pair.line,
        travel.frames[channels[0]],
        pair.skew_s,
    )
    roles = (
        (Role.COMMAND, Role.PEDAL) if shaft.sensor is Sensor.THROTTLE else (Role.COMMAND, Role.POSITION)
    )
    witness = next((c for r in roles for c in recording.with_role(r)), None)
    sure = tuple(e.span_s for e in shaft.events if not e.is_weak)
    faulty = sure + shaft.spikes[channels[0]] + shaft.spikes[channels[1]]
    # Read quickly, tracks are told apart by each reading.
    stood = (_stood(pair, travel.frames[channels[0]]),) if both.is_slow else ()
    return disagreement.find_disagreements(
        both, channels, witness, faulty, profile, shaft.passes, *stood
    )


def _stood(pair: Pair, frame: Frame) -> tuple[FloatArray, FloatArray]:
    """When both tracks stood, and by how much the first was above then, percent of travel."""
    at_s, _, off = pair.where_both_stand(pair.first)
    return at_s, off * pair.first.supply_v / (frame.open - frame.closed)


def _against_others(
    recording: Recording,
    shaft: Shaft,
    findings: tuple[Finding, ...],
    profile: ThrottleProfile | None,
) -> list[Finding]:
    """Position against command, and tracks against the position that was reported beside them."""
    travel, passes = shaft.travel, shaft.passes
    reported = next(iter(recording.with_role(Role.POSITION)), None)
    # The course is drawn straight over what is doubtful too: there it seems to stand.
    faulty = tuple(e.span_s for e in shaft.events)
    if reported is not None:
        reported = _without(reported, tuple(e.span_s for e in shaft.events if not e.is_weak))
    command = next(iter(recording.with_role(Role.COMMAND)), None)
    found: list[Finding] = []
    liars = {f.suspect for f in findings if isinstance(f, Disagreement)}
    if travel is not None and travel.witness in liars:
        return found  # one cause, one finding: it is the track that does not follow
    if command is not None and (reported is not None or travel is not None):
        where, name = _position(reported, travel)
        most = 100.0 if reported is not None and name == reported.id else np.inf
        found += following.not_following(command, where, name, profile, faulty, most_pct=most)
    if found:
        return found
    for track in shaft.tracks:
        if reported is not None and reported.id != track.id and not liars - {None}:
            found += linearity.nonlinear(shaft.courses[track.id], reported, passes)
    return found


def _without(channel: Channel, spans: tuple[Span, ...]) -> Channel:
    """A channel without what it read while its tracks, of which it is made, were off."""
    keep = ~inside(channel.time_s, spans, 2.0 * sampling.interval_s(channel.time_s))
    if keep.all() or not keep.any():
        return channel
    return Channel(channel.kind, channel.time_s[keep], channel.values[keep])


def _position(reported: Channel | None, travel: Travel | None) -> tuple[Course, str]:
    if travel is not None:
        return Course(
            travel.witness, travel.time_s, travel.percent, 0.01, 0.5, 100.0, 0.25
        ), travel.witness
    assert reported is not None  # noqa: S101 - asked before
    return plain_course(reported), reported.id


def _told_spans(findings: list[Finding]) -> tuple[Span, ...]:
    """Spans at which a track is known to be off for a reason that is told already."""
    return tuple(s for f in findings if isinstance(f, Drop | DeadSpot | SupplyFault) for s in f.times_s)


def _told_of_each(findings: list[Finding]) -> dict[str, tuple[Span, ...]]:
    """The same, channel by channel."""
    channels = {c for f in findings for c in f.channels}
    return {c: _told_spans([f for f in findings if c in f.channels]) for c in channels}


def _out_of_range(
    recording: Recording, supply_v: float, told: tuple[Span, ...], profile: ThrottleProfile | None
) -> list[Finding]:
    found: list[Finding] = []
    for sensor in Sensor:
        of_throttle = profile if sensor is Sensor.THROTTLE else None
        for track in recording.tracks(sensor):
            found += ranges.out_of_range(track, supply_v, told, of_throttle)
    return found


def _rests(
    recording: Recording,
    shafts: tuple[Shaft, Shaft],
    cause_of_rest: rest.CauseOf,
    findings: list[Finding],
) -> tuple[Finding, ...]:
    """Rests that are off, but for those at which the tracks tell different places: one of them lies."""
    travel, pedal = (s.travel for s in shafts)
    if travel is None:
        return ()
    rests = rest.find_rests(travel.time_s, travel.percent, recording, pedal)
    found = rest.off_rest(rests, (travel.witness,), recording, cause_of_rest)
    return tuple(f for f in found if not is_apart(f, findings))


def _locality(events: tuple[Event, ...], travel: Travel | None) -> Locality:
    """Place or clock for the interruptions that no worn place explains, of the cause that most have."""
    if travel is None or not events:
        return judge_locality(np.zeros(0), np.zeros(1), np.zeros(1))[0]
    causes = [(e.cause, e.channels) for e in events]
    commonest = max(set(causes), key=lambda c: (causes.count(c), str(c)))
    own = tuple(e for e, cause in zip(events, causes, strict=True) if cause == commonest)
    found = []
    for group in bursts(own, (travel.time_s, travel.percent)):
        middles = [float(np.mean(e.span_s)) for e in group]
        found += _apart(read_at(middles, travel.time_s, travel.percent))
    of_all = len(own[0].parts) > 1
    places = np.asarray(found, dtype=np.float64)
    return judge_locality(places, travel.percent, travel.time_s, of_all=of_all)[0]


def _apart(places: FloatArray) -> list[float]:
    """Places of one burst, those close to the one before left out: they have the same cause."""
    kept = [float(places[0])]
    for place in places[1:]:
        if abs(place - kept[-1]) > _SAME_PLACE_PCT:
            kept.append(float(place))
    return kept
