"""Tracks that stay where no sound sensor can be."""

from collections.abc import Iterable, Mapping

import numpy as np

from nervus.domain.channel import BoolArray, Channel, FloatArray, Recording, Role, Sensor, Span, Unit
from nervus.domain.finding import OutOfRange
from nervus.domain.profile import ThrottleProfile
from nervus.language import say
from nervus.signal.arithmetic.spans import inside, merge, runs_of
from nervus.signal.instruments.sampling import interval_s

# No sensor ends beyond these (from memory: circuit monitors speak of low below 0.1 to 0.2 V and
# of high above 4.8 to 4.9 V of 5 V; tracks of half range begin at 0.2 V).
_LOW_PCT, _HIGH_PCT = 2.5, 97.5
# With a profile: beyond its windows by this share of the supply, for wear and tolerance.
_SLACK_PCT = 1.0
_LEAST_S, _JOIN_S = 1.0, 0.5
# A track that glides there is at an unusual end of its own; a broken circuit jumps, by at least this.
_JUMP_PCT = 6.0
# In percent: at an end within so much, while the other track moves by this share of its scale, or the
# command stays below this.
_AT_END_PCT, _MOVES, _COMMANDED_PCT = 0.8, 0.12, 60.0
# By so many of its intervals what is read in turn may be early or late.
_IN_TURN = 1.5


def out_of_range(
    track: Channel,
    supply_v: float,
    told: tuple[Span, ...],
    profile: ThrottleProfile | None = None,
) -> tuple[OutOfRange, ...]:
    """Lasting stays of one track in volts below or above what a sound circuit can give.

    Args:
        track: the channel.
        supply_v: what 100 % of the supply is.
        told: spans that other findings explain, or at which the key was off.
        profile: its windows are the limits; without one, what every circuit monitor would reject.
    """
    if track.kind.unit is not Unit.VOLT or track.samples < 2:
        return ()
    one_percent = supply_v / 100.0
    low, high = (limit * one_percent for limit in _limits(track.kind.number, profile))
    found = []
    for limit_v, way in ((low, "below"), (high, "above")):
        at = np.flatnonzero(track.values < limit_v if way == "below" else track.values > limit_v)
        free = at[~inside(track.time_s[at], told, 0.02)]
        stays = [(a, b) for a, b in zip(*runs_of(free), strict=True) if _lasts(track, a, b)]
        leaps = profile is not None or all(_jumps(track, _JUMP_PCT * one_percent, *s) for s in stays)
        if not stays or not leaps:
            continue
        lasting = merge(_spans(track, stays), _JOIN_S)
        level = float(np.median(track.values[at[inside(track.time_s[at], lasting)]]))
        found.append(_told_out(track, lasting, way, level, limit_v))
    return tuple(found)


def _lasts(track: Channel, first: int, last: int) -> bool:
    return bool(track.time_s[last] - track.time_s[first] >= _LEAST_S)


def _told_out(
    track: Channel, spans: tuple[Span, ...], way: str, level_v: float, limit_v: float
) -> OutOfRange:
    level_v, limit_v = round(level_v, 3), round(limit_v, 3)
    return OutOfRange(
        channels=(track.id,),
        times_s=tuple((round(a, 4), round(b, 4)) for a, b in spans),
        confidence=0.95,
        text=say(
            "{capitalize} stays {way} {limit_v:.2f} V for {seconds:.1f} s: {level:.2f} V, "
            "where no sound sensor can be.",
            capitalize=track.kind.track.capitalize(),
            way=way,
            limit_v=limit_v,
            seconds=sum(b - a for a, b in spans),
            level=level_v,
        ),
        level_v=level_v,
        limit_v=limit_v,
    )


def at_rail(
    recording: Recording, supply_v: float, told: Mapping[str, tuple[Span, ...]] | None = None
) -> tuple[OutOfRange, ...]:
    """Tracks told in percent that stand at an end of the scale while the shaft is seen elsewhere.

    A closed throttle may be told as 0 % and an open one as 100 %, so the end alone says nothing: the
    other track must move meanwhile, or the command be far from the upper end.

    Args:
        recording: what was captured.
        supply_v: what 100 % of the supply is.
        told: by channel, when it was off itself: then it is no witness.
    """
    found = []
    off = told or {}
    tracks = [c for s in Sensor for c in recording.tracks(s)] + list(recording.with_role(Role.POSITION))
    for track in tracks:
        if track.kind.unit is not Unit.PERCENT or track.samples < 2:
            continue
        for end, way in ((0.0, "low"), (100.0, "high")):
            at_end = np.abs(track.values - end) <= _AT_END_PCT
            lasting = _lasting(track, at_end)
            seen = tuple(s for s in lasting if _seen_elsewhere(recording, (track, at_end), s, end, off))
            if seen:
                found.append(_told_at_rail(track, seen, end, way, supply_v))
    return tuple(found)


def _lasting(track: Channel, at_end: BoolArray) -> tuple[Span, ...]:
    stays = merge(_spans(track, zip(*runs_of(np.flatnonzero(at_end)), strict=True)), _JOIN_S)
    return tuple(s for s in stays if s[1] - s[0] >= _LEAST_S)


def _spans(track: Channel, stays: Iterable[tuple[int, int]]) -> list[Span]:
    return [(float(track.time_s[a]), float(track.time_s[b])) for a, b in stays]


def _seen_elsewhere(
    recording: Recording,
    stands: tuple[Channel, BoolArray],
    stay: Span,
    end: float,
    off: Mapping[str, tuple[Span, ...]],
) -> bool:
    """Whether another witness of the same shaft was not at this end while the track was, in a stay."""
    track, at_end = stands
    away = _away(track, at_end, stay)
    sensor = track.kind.sensor or Sensor.THROTTLE
    sisters = [c for c in recording.tracks(sensor) if c.id != track.id]
    for other in sisters:
        seen = _during(other, stay, (*off.get(other.id, ()), *away))
        whole = 100.0 if other.kind.unit is Unit.PERCENT else 5.0
        if seen.size > 1 and np.ptp(np.percentile(seen, [2.0, 98.0])) > _MOVES * whole:
            return True
    # A track that mirrors its sister is at the upper end where the throttle is shut.
    alone = sensor is Sensor.THROTTLE and not sisters and end > 0.0
    for command in recording.with_role(Role.COMMAND) if alone else ():
        seen = _during(command, stay, away)
        if seen.size and float(np.percentile(seen, 75.0)) < _COMMANDED_PCT:
            return True
    return False


def _away(track: Channel, at_end: BoolArray, stay: Span) -> tuple[Span, ...]:
    """When a track left its end for a moment within a stay: the shaft may have been elsewhere then."""
    within = (track.time_s >= stay[0]) & (track.time_s <= stay[1])
    return tuple(_spans(track, zip(*runs_of(np.flatnonzero(within & ~at_end)), strict=True)))


def _during(channel: Channel, stay: Span, off: tuple[Span, ...] = ()) -> FloatArray:
    """What a witness shows in a stay but at its ends: read in turn, it may be late or early there."""
    step_s = interval_s(channel.time_s)
    unknown_s = _IN_TURN * step_s
    first = int(np.searchsorted(channel.time_s, stay[0] + unknown_s))
    stays = slice(first, int(np.searchsorted(channel.time_s, stay[1] - unknown_s, side="right")))
    values = channel.values[stays]
    if off:
        values = values[~inside(channel.time_s[stays], off, 2.0 * step_s)]
    return values


def _told_at_rail(
    track: Channel, spans: tuple[Span, ...], end: float, way: str, supply_v: float
) -> OutOfRange:
    return OutOfRange(
        channels=(track.id,),
        times_s=tuple((round(a, 4), round(b, 4)) for a, b in spans),
        confidence=0.95,
        text=say(
            "{capitalize} stands at {end:.0f} %, the {way} end of its scale, for "
            "{seconds:.1f} s, while the shaft is seen elsewhere.",
            capitalize=track.kind.track.capitalize(),
            end=end,
            way=way,
            seconds=sum(b - a for a, b in spans),
        ),
        level_v=round(end * supply_v / 100.0, 3),
        limit_v=round((_LOW_PCT if end == 0.0 else _HIGH_PCT) * supply_v / 100.0, 3),
    )


def _jumps(track: Channel, by: float, first: int, last: int) -> bool:
    """Whether a run of samples begins or ends with a jump, or fills the recording."""
    own = track.values
    before = first == 0 or abs(own[first] - own[first - 1]) > by
    after = last + 1 >= own.size or abs(own[last + 1] - own[last]) > by
    return bool(before and after)


def _limits(number: int, profile: ThrottleProfile | None) -> tuple[float, float]:
    if profile is None or number > len(profile.tracks):
        return _LOW_PCT, _HIGH_PCT
    track = profile.tracks[number - 1]
    windows = (*track.closed_window_v, *track.open_window_v)
    scale = 100.0 / profile.supply_v
    return min(windows) * scale - _SLACK_PCT, max(windows) * scale + _SLACK_PCT
