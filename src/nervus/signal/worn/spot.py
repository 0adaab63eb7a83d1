"""What every dead spot is told by: how sure it is, and in which words."""

from collections.abc import Iterable

from nervus.domain.channel import CHANNEL_KINDS, Sensor, Span, Unit
from nervus.domain.finding import DeadSpot, Shape
from nervus.language import figures, say
from nervus.signal.arithmetic.intervals import wilson


def pooled_spot(
    channel_id: str,
    place: Span,
    shape: Shape,
    depth: float,
    spans: Iterable[Span],
    seen: tuple[int, int],
) -> DeadSpot:
    """A dead spot of one track that shows in many passes.

    Args:
        channel_id: of the track.
        place: its ends, percent of travel.
        shape: what the track does there.
        depth: by how much, in the track's own unit.
        spans: when it shows.
        seen: in how many passes, and how many cross it.
    """
    return DeadSpot(
        channels=(channel_id,),
        times_s=tuple((round(start, 4), round(end, 4)) for start, end in spans),
        confidence=pooled_confidence(*seen),
        text=spot_text(channel_id, place, shape, seen, depth),
        travel_pct=place,
        shape=shape,
        seen_in=seen[0],
        crossed=seen[1],
    )


def pooled_confidence(seen: int, crossed: int) -> float:
    """Rises with the lower bound of the share of crossings that show it, and with their number."""
    low, _ = wilson(seen, crossed)
    return round(min(0.99, 0.9 + 0.05 * low + 0.05 * min(1.0, seen / 6)), 3)


def place_text(place: Span, digits: int) -> str:
    """Where in the travel: "between 26.0 and 27.5 % of the travel", or "at 26.5 % of the travel"."""
    low, high = (figures(f"{{end:.{digits}f}}", end=end) for end in place)
    return (
        say("at {low} % of the travel", low=low)
        if low == high
        else say("between {low} and {high} % of the travel", low=low, high=high)
    )


def spot_text(
    channel_id: str,
    place: Span,
    shape: Shape,
    seen: tuple[int, int],
    depth: float,
    *,
    on_both: bool = False,
) -> str:
    """A dead spot in a sentence: where it lies, what the track does there, in how many of the passes.

    `depth` is in the track's own unit; `on_both` where its sister does the same.
    """
    kind = CHANNEL_KINDS[channel_id]
    amount = (
        figures("{depth:.2f} V", depth=depth)
        if kind.unit is Unit.VOLT
        else figures("{depth:.1f} %", depth=depth)
    )
    does = say("leaves its course by {amount}", amount=amount)
    if shape is Shape.FLAT:
        does = say("stands still while the throttle moves on")
        if kind.sensor is Sensor.PEDAL:
            does = say("stands still while the pedal moves on")
    elif shape is Shape.STEP:
        does = say("steps by {amount} and comes back", amount=amount)
    where = place_text(place, 1)
    return say(
        "{upper}{where} {track} {does}, in {seen} of {seen_} passes over it.",
        upper=where[0].upper(),
        where=where[1:],
        track=say("{track}, and the other with it,", track=kind.track) if on_both else kind.track,
        does=does,
        seen=seen[0],
        seen_=seen[1],
    )
