"""Coverage: what the recording could not have shown, said before anybody trusts its silence."""

from math import log

import numpy as np

from nervus.domain.analysis import ChannelSummary, Coverage, Pass, Travel
from nervus.domain.finding import Span
from nervus.signal.chance import SURE, clean_after_repair
from nervus.signal.spans import merge

# Stretches closer than this were swept without a gap.
_JOIN_PCT = 1.0
# This much of the travel need not be swept to call it whole.
_NEARLY_PCT = 4.0


def describe_coverage(
    channels: tuple[ChannelSummary, ...],
    travel: Travel | None,
    passes: tuple[Pass, ...],
    events: int = 0,
) -> Coverage:
    """Travel that was reached and swept, the shortest event of the tracks, the chance of seeing.

    Args:
        channels: how each channel was sampled.
        travel: where the throttle was.
        passes: of the travel.
        events: how many interruptions the recording shows.
    """
    wired = {c.id[:4] for c in channels if c.id.endswith("_v")}
    tracks = [
        c.shortest_event_s
        for c in channels
        if c.id.startswith("tps") and (c.id.endswith("_v") or c.id[:4] not in wired)
    ]
    shortest = max(tracks) if tracks else max(c.shortest_event_s for c in channels)
    seen: Span | None = None
    if travel is not None and travel.percent.size:
        low, high = np.percentile(travel.percent, [0.2, 99.8])
        seen = (round(max(0.0, float(low)), 1), round(min(100.0, float(high)), 1))
    swept = merge(((min(p.from_pct, p.to_pct), max(p.from_pct, p.to_pct)) for p in passes), _JOIN_PCT)
    text = _text(seen, swept, shortest, len(passes))
    if travel is not None and travel.time_s.size > 1:
        text += " " + _chance(float(travel.time_s[-1] - travel.time_s[0]), events)
    return Coverage(seen, swept, shortest, text)


def _chance(watched_s: float, events: int) -> str:
    """What the time that was watched says: about what did not show, or about a repair."""
    if events == 0:
        once_in = watched_s / -log(1.0 - SURE)
        return f"An interruption that comes once in {_duration(once_in)} would have shown (95 in 100)."
    clean = clean_after_repair(events, watched_s)
    return f"After a repair, {_duration(clean)} as here without one would prove it (95 in 100)."


def _duration(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 100 else f"{seconds / 60:.0f} min"


def _text(seen: Span | None, swept: tuple[Span, ...], shortest: float, passes: int) -> str:
    brief = f"An event shorter than {_milliseconds(shortest)} can slip between two samples."
    if seen is None or not swept:
        return f"The throttle was never swept, so no place in its travel was tested. {brief}"
    gaps = [f"{a:.0f} to {b:.0f} %" for a, b in _gaps(swept) if b - a > _NEARLY_PCT]
    told = "The whole travel was swept" if not gaps else f"Never swept: {', '.join(gaps)}"
    return f"{told}, in {passes} pass{'es' if passes != 1 else ''}. {brief}"


def _gaps(swept: tuple[Span, ...]) -> list[Span]:
    edges = [0.0, *(min(100.0, max(0.0, e)) for span in swept for e in span), 100.0]
    return list(zip(edges[::2], edges[1::2], strict=True))


def _milliseconds(seconds: float) -> str:
    return f"{seconds * 1000:.3g} ms" if seconds < 1 else f"{seconds:.3g} s"
