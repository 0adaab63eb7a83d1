"""Key off: every channel collapses together. That is no fault, and nothing in it is judged.

A supply that is shorted looks alike on supply and tracks. Key off has a witness besides them: the
battery voltage behind the relay, or the engine, which stops; or all that the unit tells falls silent.
"""

import numpy as np

from nervus.domain.channel import Channel, Recording, Role, Span, Unit
from nervus.signal.arithmetic.spans import merge, runs

# The supply has collapsed below 3 V; no sensor fault pulls a sound regulator there for long.
_COLLAPSED_V = 3.0
# A switched-off unit lets its supply decay over tenths of a second and stays off for longer than
# any loose contact: shorter collapses are interruptions of the supply.
_LEAST_OFF_S = 1.0
# An engine that is switched off stands within this time (from memory); one that turns faster than that
# runs, and keeps this share of its speed meanwhile.
_STOPS_S, _RUNNING_PER_MIN, _KEEPS = 3.0, 300.0, 0.85
# How far round a collapse the decay and the start-up reach.
_MARGIN_S = 0.15
# A track that stands below this is at ground; the decay to it takes so long (from memory); what is less
# than this share of its usual value has gone.
_AT_GROUND_V, _DECAYS_S, _GONE = 0.3, 1.2, 0.5
# Capacitors that empty leave so much there after such a time (from memory: tenths of a second).
_FADING_S, _STILL_V = 0.4, 0.05
# Off may be the longer part of a recording: what a battery usually is shows in its highest percents.
_MOSTLY_ON = 95.0
# Battery voltage falls by at least this when the main relay opens behind it.
_BATTERY_STEP_V = 0.5


def key_off_spans(recording: Recording) -> tuple[Span, ...]:
    """When the key was off, or may have been: the supply gone for long, and all else with it.

    Where neither battery nor engine was recorded nothing contradicts it; see `is_witnessed`. Where the
    supply was not recorded, they must have gone too.
    """
    by_both = _both_gone(recording)
    supply = recording.get("vref_v")
    if supply is None:
        return merge((*_without_supply(recording), *by_both), _MARGIN_S)
    tracks = recording.with_role(Role.TRACK)
    battery, speed = recording.get("batt_v"), recording.get("rpm")
    spans = []
    for first, last in zip(*runs(supply.values < _COLLAPSED_V), strict=True):
        span = (float(supply.time_s[first]), float(supply.time_s[last]))
        if span[1] - span[0] < _LEAST_OFF_S:
            continue
        if not all(_collapses(track, span) for track in tracks):
            continue
        if battery is not None and not _battery_moves(battery, span):
            continue
        if speed is not None and _runs_on(speed, span):
            continue
        start = _decay_start(supply, first)
        spans.append((start - _MARGIN_S, _on_again(recording, supply, last) + _MARGIN_S))
    return merge((*spans, *by_both), _MARGIN_S)


def _both_gone(recording: Recording) -> tuple[Span, ...]:
    """When the battery behind the relay and the engine had both gone for long, whatever else showed.

    What feeds a line from elsewhere, or holds a value, goes on.
    """
    battery, speed = recording.get("batt_v"), recording.get("rpm")
    if battery is None or speed is None:
        return ()
    usual = float(np.percentile(battery.values, _MOSTLY_ON))
    spans = []
    for first, last in zip(*runs(battery.values < _GONE * usual), strict=True):
        span = (float(battery.time_s[first]), float(battery.time_s[last]))
        # Who begins without an engine tells nothing of it.
        ran = bool((speed.values[speed.time_s < span[0]] > _RUNNING_PER_MIN).any())
        if span[1] - span[0] >= _LEAST_OFF_S and ran and _is_witnessed_off(recording, span):
            spans.append((span[0] - _MARGIN_S, _on_again(recording, battery, last) + _MARGIN_S))
    return tuple(spans)


def _without_supply(recording: Recording) -> tuple[Span, ...]:
    """When all tracks in volts stood at ground for long, and the battery or the engine had gone too.

    Where neither was recorded, when they all faded: a wire that opens takes a line there at once.
    """
    tracks = [t for t in recording.with_role(Role.TRACK) if t.kind.unit is Unit.VOLT]
    spans = []
    for first, last in zip(*runs(tracks[0].values < _AT_GROUND_V), strict=True) if tracks else ():
        span = (float(tracks[0].time_s[first]), float(tracks[0].time_s[last]))
        long = span[1] - span[0] >= _LEAST_OFF_S
        if not (long and all(_collapses(t, span) for t in tracks)):
            continue
        faded = not is_witnessed(recording) and len(tracks) > 1 and all(_fades(t, span) for t in tracks)
        if faded or _is_witnessed_off(recording, span):
            end = _on_again(recording, tracks[0], last)
            spans.append((span[0] - _DECAYS_S, end + _MARGIN_S))
    return merge(spans, _MARGIN_S)


def _on_again(recording: Recording, line: Channel, last: int) -> float:
    """The first instant at which a line is known to be there again, behind its last reading of nothing.

    What is off to the end is off for all, whichever clock they were written by.
    """
    return float(line.time_s[last + 1]) if last < line.samples - 1 else recording.end_s


def _is_witnessed_off(recording: Recording, span: Span) -> bool:
    """Whether battery or engine fell to a fraction of what they usually are, and neither went on."""
    told = []
    for channel in filter(None, (recording.get("batt_v"), recording.get("rpm"))):
        late = (channel.time_s > (span[0] + span[1]) / 2.0) & (channel.time_s <= span[1])
        usual = _usual(channel, span)
        if late.any() and usual > 0.0:
            told.append(float(np.median(channel.values[late])) < _GONE * usual)
    return bool(told) and all(told)


def is_witnessed(recording: Recording) -> bool:
    """Whether something was recorded that tells key off from a supply that is shorted."""
    return recording.get("batt_v") is not None or recording.get("rpm") is not None


def _runs_on(speed: Channel, span: Span) -> bool:
    """Whether the engine was still running well after the supply had gone."""
    late = (speed.time_s > span[0] + _STOPS_S) & (speed.time_s < span[1])
    if span[1] - span[0] > _STOPS_S:
        return bool(late.any() and float(np.min(speed.values[late])) > _RUNNING_PER_MIN)
    within = (speed.time_s >= span[0]) & (speed.time_s <= span[1])
    before = speed.values[speed.time_s < span[0]]
    if not within.any() or not before.size or before[-1] < _RUNNING_PER_MIN:
        return False
    return float(speed.values[within][-1]) > _KEEPS * float(before[-1])


def _collapses(channel: Channel, span: Span) -> bool:
    middle = (span[0] + span[1]) / 2
    within = (channel.time_s > middle) & (channel.time_s < span[1])
    return not within.any() or float(np.median(channel.values[within])) < _AT_GROUND_V


def _fades(track: Channel, span: Span) -> bool:
    """Whether a track still fell well after it had come near to ground, as a unit's capacitors do."""
    since = (track.time_s >= span[0] + _FADING_S / 2.0) & (track.time_s < span[0] + _FADING_S)
    late = (track.time_s > (span[0] + span[1]) / 2.0) & (track.time_s < span[1])
    if not (since.any() and late.any()):
        return False
    left = float(np.median(track.values[since])) - float(np.median(track.values[late]))
    return left > _STILL_V


def _battery_moves(battery: Channel, span: Span) -> bool:
    within = (battery.time_s >= span[0]) & (battery.time_s <= span[1])
    if not within.any():
        return True
    return _usual(battery, span) - float(battery.values[within].min()) > _BATTERY_STEP_V


def _usual(channel: Channel, off_s: Span) -> float:
    """What a channel usually is while the key is on: off may be the longer part of a recording."""
    on = (channel.time_s < off_s[0]) | (channel.time_s > off_s[1])
    return float(np.median(channel.values[on] if on.any() else channel.values))


def _decay_start(supply: Channel, first: int) -> float:
    """Go back from the collapse to where the supply still was what it usually is."""
    in_use = supply.values[supply.values > _COLLAPSED_V]
    if not in_use.size:
        return float(supply.time_s[0])
    usual = float(np.median(in_use))
    sound = np.flatnonzero(supply.values[:first] > usual - 0.1)
    return float(supply.time_s[sound[-1] if sound.size else 0])
