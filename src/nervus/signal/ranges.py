"""Tracks that stay where no sound sensor can be."""

import numpy as np

from nervus.domain.channel import Channel, FloatArray, Unit
from nervus.domain.finding import OutOfRange, Span
from nervus.domain.profile import ThrottleProfile
from nervus.signal.spans import inside, merge, runs_of

# No sensor ends beyond these (from memory: circuit monitors speak of low below 0.1 to 0.2 V and
# of high above 4.8 to 4.9 V of 5 V; tracks of half range begin at 0.2 V).
_LOW_PCT, _HIGH_PCT = 2.5, 97.5
# With a profile: beyond its windows by this share of the supply, for wear and tolerance.
_SLACK_PCT = 1.0
_LEAST_S, _JOIN_S = 1.0, 0.5
# A track that glides there is at an unusual end of its own; a broken circuit jumps, by at least this.
_JUMP_PCT = 6.0


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
    number = track.kind.number
    low, high = _limits(number, profile)
    to_share = 100.0 / supply_v
    found = []
    for limit, way in ((low, "below"), (high, "above")):
        limit_own = limit / to_share
        at = np.flatnonzero(track.values < limit_own if way == "below" else track.values > limit_own)
        free = at[~inside(track.time_s[at], told, 0.02)]
        stays = [
            p
            for p in zip(*runs_of(free), strict=True)
            if track.time_s[p[1]] - track.time_s[p[0]] >= _LEAST_S
        ]
        if profile is None and not all(_jumps(track.values * to_share, *p) for p in stays):
            continue
        spans = ((float(track.time_s[a]), float(track.time_s[b])) for a, b in stays)
        lasting = merge(spans, _JOIN_S)
        if not lasting:
            continue
        level = round(float(np.median(track.values[at[inside(track.time_s[at], lasting)]])), 3)
        limit_v = round(limit * supply_v / 100.0, 3)
        seconds = sum(b - a for a, b in lasting)
        found.append(
            OutOfRange(
                channels=(track.id,),
                times_s=tuple((round(a, 4), round(b, 4)) for a, b in lasting),
                confidence=0.95,
                text=(
                    f"{track.kind.track.capitalize()} stays {way} {limit_v:.2f} V for {seconds:.1f} s: "
                    f"{level:.2f} V, "
                    "where no sound sensor can be."
                ),
                level_v=level,
                limit_v=limit_v,
            )
        )
    return tuple(found)


def _jumps(share: FloatArray, first: int, last: int) -> bool:
    """Whether a run of samples begins or ends with a jump, or fills the recording."""
    before = first == 0 or abs(share[first] - share[first - 1]) > _JUMP_PCT
    after = last + 1 >= share.size or abs(share[last + 1] - share[last]) > _JUMP_PCT
    return bool(before and after)


def _limits(number: int, profile: ThrottleProfile | None) -> tuple[float, float]:
    if profile is None or number > len(profile.tracks):
        return _LOW_PCT, _HIGH_PCT
    track = profile.tracks[number - 1]
    windows = (*track.closed_window_v, *track.open_window_v)
    scale = 100.0 / profile.supply_v
    return min(windows) * scale - _SLACK_PCT, max(windows) * scale + _SLACK_PCT
