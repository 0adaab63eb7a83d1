"""Drops: interruptions bound to an instant, with what was done to the vehicle around them."""

from bisect import bisect_left, bisect_right
from dataclasses import replace
from math import exp

from nervus.domain.channel import FloatArray, Mark, Sensor, Span, Unit
from nervus.domain.finding import Drop, Finding, Floor, Shared
from nervus.language import figures, say
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.arithmetic.spans import overlaps
from nervus.signal.explained.events import Cause, Event
from nervus.signal.instruments.instrument import Instrument

# A shake of the harness and the drop it makes are no further apart: hand and ear take that long.
MARK_NEAR_S = 1.5
# What throttle and pedal show of one failure is no further apart than this: they may be read in turn.
_AT_ONCE_S = 0.1
# What is no further from where it was just before, percent of supply, is held.
_HELD_PCT = 1.0
# Explanations that were thought of have so much of the probability.
_THOUGHT_OF, _MOST_MARGIN = 0.985, 50.0

_SHARED = {
    Cause.ALONE: Shared.SIGNAL,
    Cause.FEED: Shared.FEED,
    Cause.ELECTRONICS: Shared.ELECTRONICS,
}


def describe_drops(
    events: tuple[Event, ...],
    tracks: dict[str, Instrument],
    marks: tuple[Mark, ...],
    travel: tuple[FloatArray, FloatArray] | None,
) -> tuple[Drop, ...]:
    """One finding for each event, in the order of time."""
    in_time = sorted(marks, key=_when)
    return tuple(_drop(event, tracks, in_time, travel) for event in events)


def _when(mark: Mark) -> float:
    return mark.time_s


def together(findings: list[Finding]) -> list[Finding]:
    """The same, with what takes throttle and pedal at once as one finding: they share what failed."""
    shared = [f for f in findings if isinstance(f, Drop) and f.shared is not Shared.SIGNAL]
    pedals = sorted((d for d in shared if d.sensor is Sensor.PEDAL), key=_starts)
    joined = {}
    gone: set[int] = set()
    for drop in shared if pedals else ():
        if drop.sensor is Sensor.THROTTLE and (own := _at(drop.times_s[0], pedals)):
            gone |= {id(p) for p in own}
            joined[id(drop)] = _with_pedal(drop, own)
    return [joined.get(id(f), f) for f in findings if id(f) not in gone]


def _starts(drop: Drop) -> float:
    return drop.times_s[0][0]


def _at(span: Span, drops: list[Drop]) -> list[Drop]:
    """The drops at an instant; only where there is none, one that was read a little later.

    Args:
        span: when.
        drops: of one shaft, in the order of time: they follow each other.
    """
    last = bisect_right(drops, span[1] + _AT_ONCE_S, key=_starts)
    first = last
    while first > 0 and drops[first - 1].times_s[0][1] >= span[0] - _AT_ONCE_S:
        first -= 1
    near = drops[first:last]
    return [d for d in near if overlaps(d.times_s[0], span)] or near[:1]


def _with_pedal(drop: Drop, pedal: list[Drop]) -> Drop:
    ends = [d.times_s[0] for d in (drop, *pedal)]
    return replace(
        drop,
        channels=(*drop.channels, *sorted({c for p in pedal for c in p.channels})),
        times_s=((min(a for a, _ in ends), max(b for _, b in ends)),),
        confidence=max(d.confidence for d in (drop, *pedal)),
        text=say("{drop} The tracks of the pedal go with them.", drop=drop.text),
        shared=Shared.FEED,
    )


def _drop(
    event: Event,
    tracks: dict[str, Instrument],
    marks: list[Mark],
    travel: tuple[FloatArray, FloatArray] | None,
) -> Drop:
    channel, excursion = event.deepest
    start, end = event.span_s
    span = _rounded(event, tracks)
    first = bisect_left(marks, start - MARK_NEAR_S, key=_when)
    last = bisect_right(marks, end + MARK_NEAR_S, key=_when)
    near = tuple(m.text for m in marks[first:last])
    place = None
    if travel is not None:
        # Just below the stop is at the stop, not at minus nothing.
        place = round(float(read_at((start + end) / 2, *travel)), 1)
        place = 0.0 if -0.5 < place <= 0.0 else place
    return Drop(
        channels=event.channels,
        times_s=(span,),
        confidence=_confidence(event),
        text=_text(event, span, tracks[channel], near, place),
        level=tracks[channel].own_value(excursion.level),
        unit=Unit(tracks[channel].kind.unit),
        floor=_floor(event),
        shared=_SHARED[event.cause],
        at_travel_pct=place,
        marks=near,
    )


def _rounded(event: Event, tracks: dict[str, Instrument]) -> Span:
    span = event.span_s
    if len(event.parts) == 1:
        span = tracks[event.parts[0][0]].on_its_clock(span)
    return round(span[0], 4), round(span[1], 4)


def _confidence(event: Event) -> float:
    """How likely it is that a fault, and not the shaft, did it: the odds of the explanation's margin.

    The margin is of explanations that were thought of; of all others one in fifty remains.
    """
    return round(_THOUGHT_OF / (1.0 + exp(-min(event.margin, _MOST_MARGIN))), 3)


def _floor(event: Event) -> Floor:
    """Which rail it went to: electronics that hold a value near one went to none."""
    excursion = event.deepest[1]
    held = abs(excursion.level - excursion.before) < _HELD_PCT
    return Floor.INTERMEDIATE if held and event.cause is Cause.ELECTRONICS else excursion.floor


def _text(
    event: Event, span: Span, track: Instrument, marks: tuple[str, ...], place: float | None
) -> str:
    start, end = span
    excursion = event.deepest[1]
    level = track.told(track.own_value(excursion.level))
    several = len(event.parts) > 1
    who = say("Both tracks") if several else track.kind.track.capitalize()
    if several and track.kind.sensor is Sensor.PEDAL:
        who = say("Both pedal tracks")
    where = {
        Floor.GROUND: say("to ground ({level})", level=level),
        Floor.SUPPLY: say("to the supply ({level})", level=level),
        Floor.INTERMEDIATE: say("as far as {level}", level=level),
    }[_floor(event)]
    text = say(
        "{who} go {where} for {length} at {start:.2f} s"
        if several
        else "{who} goes {where} for {length} at {start:.2f} s",
        who=who,
        where=where,
        length=_length(end - start),
        start=start,
    )
    if place is not None:
        text += say(", {place:.0f} % of the travel", place=place)
    if marks:
        text += say(", near the mark “{marks}”", marks=marks[0])
    return text + "."


def _length(seconds: float) -> str:
    if seconds <= 0:
        return say("a single sample")
    if seconds < 1:
        return (
            figures("{seconds:.0f} ms", seconds=seconds * 1000)
            if seconds >= 0.001
            else figures("{seconds:.1f} ms", seconds=seconds * 1000)
        )
    return figures("{seconds:.1f} s", seconds=seconds)
