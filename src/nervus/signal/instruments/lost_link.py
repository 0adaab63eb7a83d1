"""Moments in which nothing was read: the link stalled or was not there, and something was written."""

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from nervus.domain.channel import BoolArray, Channel, FloatArray, Recording, Role, Span
from nervus.signal.arithmetic.spans import inside, merge, runs
from nervus.signal.instruments import sampling

# What an engine shows is not nothing from one reading to the next: it runs down, it cools. Of its air
# another sensor tells, which the same supply may feed: it has to be nothing too, but is no witness.
_ENGINE = (Role.ENGINE_SPEED, Role.TEMPERATURE)
# What is read of a line tells what stands behind it alone: nothing else has to do with a sensor.
_BESIDES = (*_ENGINE, Role.AIR, Role.SUPPLY, Role.GROUND, Role.BATTERY)
# What an engine showed just before and behind was at least so much of what it shows.
_TURNS = 0.15
# What stands still does so for so many readings at least, and is left by so many of its steps.
_LEAST_READINGS, _LEAP_STEPS = 3, 4.0
# What else was recorded changes so often within so many seconds before and behind, so many times at
# least, that none at all meanwhile is one chance in a thousand, in nats.
_AROUND_S, _LEAST_CHANGES, _NO_CHANCE = 3.0, 15, 7.0
# A channel usually shows what is between these, percent of so many of its samples.
_USUAL, _SOME = (10.0, 90.0), 20_000


def without_lost(recording: Recording) -> Recording:
    """The recording without the readings of moments in which no channel was read.

    All of them stand still then, or read nothing at all, also those that no sensor or wire has to do
    with. Where only the lines of one sensor were recorded nobody can tell.
    """
    tracks = [c for c in recording.channels if c.kind.number]
    gone = _gone(recording.channels, tracks)
    # The tracks of one shaft leap together.
    firsts = {c.kind.sensor: c for c in reversed(tracks)}.values()
    frozen = [s for t in firsts for s in _frozen(recording.channels, t)]
    if not gone and not frozen:
        return recording
    lost = merge((*gone, *frozen), 0.0)
    around_s = 1.5 * max(sampling.interval_s(c.time_s) for c in recording.channels)
    kept = [(c, ~_lost(c, lost, gone, around_s)) for c in recording.channels]
    if not all(keep.any() for _, keep in kept):
        return recording
    return replace(recording, channels=tuple(Channel(c.kind, c.time_s[k], c.values[k]) for c, k in kept))


def _lost(c: Channel, lost: Sequence[Span], gone: Sequence[Span], around_s: float) -> BoolArray:
    """Which readings were none: zeros may begin before, and end behind, those of another channel."""
    besides = inside(c.time_s, gone, around_s)
    lost_then = inside(c.time_s, lost) | (besides & (c.values == 0.0))
    return np.asarray(lost_then, dtype=np.bool_)


def _gone(channels: Sequence[Channel], tracks: Sequence[Channel]) -> list[Span]:
    """Spans in which all that was read of tracks and engine is nothing at all."""
    engine, air = (
        [c for c in channels if c.kind.role in of and 2 * np.count_nonzero(c.values) > c.samples]
        for of in (_ENGINE, (Role.AIR,))
    )
    if not engine or not tracks:
        return []
    time_s, values = engine[0].time_s, engine[0].values
    first, last = runs(values == 0.0)
    # An engine that is switched off runs down, and has to be started again: that takes it a while.
    turns = np.abs(values) >= _TURNS * float(np.median(np.abs(values[values != 0.0])))
    before = (first == 0) | turns[np.maximum(first - 1, 0)]
    leaps = before & (last < values.size - 1) & turns[np.minimum(last + 1, values.size - 1)]
    spans = zip(time_s[first[leaps]].tolist(), time_s[last[leaps]].tolist(), strict=True)
    return [s for s in spans if all(_is_nothing(c, s) for c in (*engine[1:], *air, *tracks))]


def _is_nothing(channel: Channel, span: Span) -> bool:
    """Whether nothing but zeros was read within a span, but for its ends: it was read by turns."""
    step_s = sampling.interval_s(channel.time_s)
    at = (span[0] - step_s, span[0] + step_s, span[1] - step_s, span[1] + step_s)
    first, begun, ends, last = np.searchsorted(channel.time_s, at).tolist()
    return not np.any(channel.values[begun:ends]) and bool(np.any(channel.values[first:last] == 0.0))


def _frozen(channels: Sequence[Channel], track: Channel) -> Iterator[Span]:
    """Spans in which all stand still that else change all the time, and from which a track leaps."""
    others = [c for c in channels if c is not track and c.samples > _LEAST_READINGS]
    besides = [_is_besides(c, track) for c in others]
    if not any(besides) or track.samples <= _LEAST_READINGS:
        return
    values, step_s = track.values, sampling.interval_s(track.time_s)
    first, last = runs(np.append(values[1:] == values[:-1], False))
    # Sooner not even what changes with each reading would tell.
    rate_hz = sum(
        1.0 / max(sampling.interval_s(c.time_s), 1e-9)
        for c, tells in zip(others, besides, strict=True)
        if tells
    )
    least_s = max((_LEAST_READINGS - 1) * step_s, _NO_CHANCE / rate_hz - 2.0 * step_s)
    long = track.time_s[last + 1] - track.time_s[first] >= least_s
    first, last = first[long], last[long]
    leap = values[np.minimum(last + 2, values.size - 1)] - values[last + 1]
    leaps = np.abs(leap) > _LEAP_STEPS * sampling.resolution(values)
    if not leaps.any():
        return
    ranges = [np.percentile(c.values[:: max(1, c.samples // _SOME)], _USUAL) for c in (track, *others)]
    starts_s, ends_s = track.time_s[first[leaps] + 1], track.time_s[last[leaps] + 2]
    for start, end in zip(starts_s.tolist(), ends_s.tolist(), strict=True):
        if any(_changes(c, start, end - 1.5 * step_s) for c in others):
            continue
        # At an end of its range a channel has no noise: only where it usually is it would change.
        varies = [_is_within(c, start, r) for c, r in zip((track, *others), ranges, strict=True)]
        tells = [a and b for a, b in zip(besides, varies[1:], strict=True)]
        usual = sum(
            _changes(c, start - _AROUND_S, start) + _changes(c, end, end + _AROUND_S)
            for c, one in zip(others, tells, strict=True)
            if one
        )
        often = usual * (end - start) / (2.0 * _AROUND_S) >= _NO_CHANCE
        if varies[0] and often and usual >= _LEAST_CHANGES:
            yield start, end


def _changes(channel: Channel, start_s: float, end_s: float) -> int:
    """At how many instants from one to another a channel showed what it had not shown just before."""
    first, last = channel.time_s.searchsorted((start_s, end_s)).tolist()
    return int(np.count_nonzero(np.diff(channel.values[max(first - 1, 0) : last])))


def _is_within(channel: Channel, at_s: float, usual: FloatArray) -> bool:
    """Whether what a channel shows then is nothing beyond what it usually shows."""
    value = channel.values[max(int(np.searchsorted(channel.time_s, at_s)) - 1, 0)]
    return bool(value != 0.0 and usual[0] <= value <= usual[1])


def _is_besides(channel: Channel, track: Channel) -> bool:
    """Whether a channel tells of something that a track's sensor and wires have nothing to do with."""
    other_sensor = channel.kind.number > 0 and channel.kind.sensor is not track.kind.sensor
    return other_sensor or channel.kind.role in _BESIDES
