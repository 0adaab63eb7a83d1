"""Drops: interruptions bound to an instant, with what was done to the vehicle around them."""

from nervus.domain.channel import FloatArray, Mark
from nervus.domain.finding import Drop, Floor
from nervus.signal.events import Event
from nervus.signal.instants import read_at
from nervus.signal.levels import TrackSignal

# A shake of the harness and the drop it makes are no further apart: hand and ear take that long.
_MARK_NEAR_S = 1.5


# A meter shows this as zero, not as minus zero.
_NOTHING_V = 0.005


def describe_drops(
    events: tuple[Event, ...],
    tracks: dict[str, TrackSignal],
    marks: tuple[Mark, ...],
    travel: tuple[FloatArray, FloatArray] | None,
) -> tuple[Drop, ...]:
    """One finding for each event, in the order of time."""
    return tuple(_drop(event, tracks, marks, travel) for event in events)


def _drop(
    event: Event,
    tracks: dict[str, TrackSignal],
    marks: tuple[Mark, ...],
    travel: tuple[FloatArray, FloatArray] | None,
) -> Drop:
    channel, excursion = event.deepest
    start, end = event.span_s
    near = tuple(m.text for m in marks if start - _MARK_NEAR_S <= m.time_s <= end + _MARK_NEAR_S)
    place = None
    if travel is not None:
        place = round(float(read_at((start + end) / 2, *travel)), 1)
    level_v = tracks[channel].volts(excursion.level)
    level_v = 0.0 if abs(level_v) < _NOTHING_V else level_v
    return Drop(
        channels=event.channels,
        times_s=((round(start, 4), round(end, 4)),),
        confidence=_confidence(event, tracks[channel]),
        text=_text(event, level_v, near, place),
        level_v=level_v,
        floor=excursion.floor,
        at_travel_pct=place,
        marks=near,
    )


def _confidence(event: Event, track: TrackSignal) -> float:
    """Deep, repeated in samples or seen on several tracks: the more of it, the surer."""
    _, excursion = event.deepest
    depth = min(1.0, excursion.depth / max(4.0 * track.tolerance, 8.0))
    samples = min(1.0, excursion.samples / 3)
    together = 1.0 if len(event.parts) > 1 else 0.0
    return round(min(0.99, 0.62 + 0.2 * depth + 0.12 * samples + 0.05 * together), 2)


def _text(event: Event, level_v: float, marks: tuple[str, ...], place: float | None) -> str:
    start, end = event.span_s
    who = "Both tracks" if len(event.parts) > 1 else _who(event.channels[0])
    floor = event.deepest[1].floor
    where = {
        Floor.GROUND: f"to ground ({level_v:.2f} V)",
        Floor.SUPPLY: f"to the supply ({level_v:.2f} V)",
        Floor.INTERMEDIATE: f"as far as {level_v:.2f} V",
    }[floor]
    verb = "go" if len(event.parts) > 1 else "goes"
    text = f"{who} {verb} {where} for {_length(end - start)} at {start:.2f} s"
    if place is not None:
        text += f", {place:.0f} % of the travel"
    if marks:
        text += f", near the mark “{marks[0]}”"
    return text + "."


def _who(channel: str) -> str:
    return "Track 2" if channel.startswith("tps2") else "Track 1"


def _length(seconds: float) -> str:
    if seconds <= 0:
        return "a single sample"
    if seconds < 1:
        return f"{seconds * 1000:.0f} ms" if seconds >= 0.001 else f"{seconds * 1000:.1f} ms"
    return f"{seconds:.1f} s"
