"""Coverage: what the recording could not have shown, said before anybody trusts its silence."""

import numpy as np

from nervus.domain.analysis import ChannelSummary, Coverage, Pass, Travel
from nervus.domain.finding import Span
from nervus.signal.spans import merge

# Stretches closer than this were swept without a gap.
_JOIN_PCT = 1.0
# This much of the travel need not be swept to call it whole.
_NEARLY_PCT = 4.0


def describe_coverage(
    channels: tuple[ChannelSummary, ...], travel: Travel | None, passes: tuple[Pass, ...]
) -> Coverage:
    """Travel that was reached and swept, and the shortest event of the track channels."""
    tracks = [c.shortest_event_s for c in channels if c.id.startswith("tps")]
    shortest = max(tracks) if tracks else max(c.shortest_event_s for c in channels)
    seen: Span | None = None
    if travel is not None and travel.percent.size:
        low, high = np.percentile(travel.percent, [0.2, 99.8])
        seen = (round(max(0.0, float(low)), 1), round(min(100.0, float(high)), 1))
    swept = merge(((min(p.from_pct, p.to_pct), max(p.from_pct, p.to_pct)) for p in passes), _JOIN_PCT)
    return Coverage(seen, swept, shortest, _text(seen, swept, shortest, len(passes)))


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
