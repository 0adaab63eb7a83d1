"""One cause, one group: findings that tell of the same fault carry the same short name."""

from collections.abc import Iterable
from dataclasses import replace

from nervus.domain.channel import Span
from nervus.domain.finding import DeadSpot, Drop, Finding, Noise, Shared, SupplyFault
from nervus.signal.arithmetic.spans import overlaps

# Worn places no further apart than this, percent of travel, are one.
_SAME_PLACE_PCT = 4.0


def in_groups(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """The same findings, in the same order, each with its group."""
    places: list[tuple[tuple[str, ...], Span]] = []
    return tuple(replace(f, group=_group(f, places)) for f in findings)


def _group(finding: Finding, places: list[tuple[tuple[str, ...], Span]]) -> str:
    own = "+".join(finding.channels)
    match finding:
        case Drop(shared=Shared.SIGNAL):
            return f"drops {own}"
        case Drop(shared=Shared.ELECTRONICS):
            return f"drop-outs {own}"
        case Drop() | SupplyFault():
            return "supply or ground"
        case DeadSpot() | Noise():
            return f"place {_number(finding.channels, finding.travel_pct, places)}"
        case _:
            return f"{finding.kind} {own}"


def _number(channels: tuple[str, ...], place: Span, places: list[tuple[tuple[str, ...], Span]]) -> int:
    """The number of a worn place, one that was there before if it is the same."""
    for number, (others, there) in enumerate(places, start=1):
        if set(channels) & set(others) and overlaps(place, there, _SAME_PLACE_PCT):
            return number
    places.append((channels, place))
    return len(places)
