"""Events: what candidates of all tracks show at one instant, before and after it was explained."""

from dataclasses import dataclass
from enum import Enum

import numpy as np

from nervus.domain.channel import FloatArray, Span
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.arithmetic.spans import Union
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.candidates.off_course import BURST_GAP_S
from nervus.signal.candidates.proposing import Candidates
from nervus.signal.instruments.instrument import Instrument

# Odds below this, in nats, are no claim.
_LEAST_MARGIN = 0.3
# Channels sampled one after the other may show one interruption this many intervals apart.
_TOGETHER_INTERVALS = 2.1
# What came by and by is told by so many samples.
_BY_AND_BY = 20
# Shallower than this, percent of supply, and no longer than so many samples is roughness unless it
# comes back at a place.
_ROUGH_DEPTH_PCT, _ROUGH_SAMPLES = 5.0, 3
# However long, what is shallower than this is ripple: half a tenth of a volt of 5 V.
_RIPPLE_PCT = 1.0
# Events closer than this share their cause: one burst, counted once where places are compared.
BURST_S = 0.5
# Who went so much further, percent of travel, and came back was elsewhere meanwhile.
_ELSEWHERE_PCT = 10.0


class Cause(Enum):
    """The explanations but motion: that is no event."""

    ALONE = "one track left"
    FEED = "the supply or ground that all share left"
    ELECTRONICS = "the electronics that all share dropped out"


@dataclass(frozen=True, slots=True, eq=False)
class Event:
    """Excursions at one instant, one for each track concerned, and what explains them best.

    Attributes:
        parts: channel and excursion, in the order of time.
        span_s: from the first instant off the course of any track to the last.
        cause: the best explanation.
        margin: by how many nats a fault explains it better than motion; negative where it does not.
    """

    parts: tuple[tuple[str, Excursion], ...]
    span_s: Span
    cause: Cause = Cause.ALONE
    margin: float = 0.0

    @property
    def channels(self) -> tuple[str, ...]:
        """The tracks concerned, in their order."""
        return tuple(sorted(channel for channel, _ in self.parts))

    @property
    def is_shallow(self) -> bool:
        """Whether, alone, it can't be told from roughness or from a quick hand."""
        return self.margin < _LEAST_MARGIN or all(
            e.depth < (_ROUGH_DEPTH_PCT if e.samples <= _ROUGH_SAMPLES else _RIPPLE_PCT)
            for _, e in self.parts
        )

    @property
    def is_weak(self) -> bool:
        """Whether the shaft could have made it."""
        return self.margin <= 0.0

    @property
    def deepest(self) -> tuple[str, Excursion]:
        """The track that fell furthest, with its excursion."""
        return max(self.parts, key=lambda part: part[1].depth)


def bursts(
    events: tuple[Event, ...], travel: tuple[FloatArray, FloatArray]
) -> tuple[tuple[Event, ...], ...]:
    """Events that follow one another within a burst, grouped.

    One that comes after the shaft has been elsewhere comes of its own: no burst waits for it at a place.

    Args:
        events: in order.
        travel: instants and percent of travel, both of shape (n,).
    """
    groups: list[list[Event]] = []
    for event in events:
        last = groups[-1][-1] if groups else event
        soon = event.span_s[0] - last.span_s[1] <= BURST_S
        if groups and soon and not _turned(last, event, travel):
            groups[-1].append(event)
        else:
            groups.append([event])
    return tuple(tuple(group) for group in groups)


def _turned(one: Event, other: Event, travel: tuple[FloatArray, FloatArray]) -> bool:
    """Whether between two events the shaft went far beyond where both of them were."""
    time_s, percent = travel
    places = read_at([float(np.mean(e.span_s)) for e in (one, other)], time_s, percent)
    first, last = time_s.searchsorted((one.span_s[1], other.span_s[0])).tolist()
    way = np.append(percent[first:last], places)
    beyond = max(float(places.min() - way.min()), float(way.max() - places.max()))
    return beyond > _ELSEWHERE_PCT


def at_once(events: tuple[Event, ...], others: tuple[Event, ...]) -> tuple[Event, ...]:
    """Those that take all tracks of a shaft while others take all of another one: they share a feed."""
    shared = Union(e.span_s for e in others if e.cause is Cause.FEED and len(e.parts) > 1)
    own = (e for e in events if e.cause is Cause.FEED and len(e.parts) > 1)
    return tuple(e for e in own if shared.touches(e.span_s))


def gathered(tracks: tuple[Instrument, ...], found: dict[str, Candidates]) -> tuple[Event, ...]:
    """Candidates of all tracks, one event for each instant."""
    parts: list[tuple[str, Excursion, float]] = []
    for track in tracks:
        gap_s = max(BURST_GAP_S, 2.1 * track.interval_s)
        for weak in (False, True):
            some = [e for e in found[track.id].excursions if e.weak is weak]
            parts += ((track.id, e, track.interval_s) for e in _joined(some, gap_s))
    parts.sort(key=lambda part: part[1].span_s[0])
    groups: list[list[tuple[str, Excursion]]] = []
    for channel, excursion, interval_s in parts:
        if groups and _at_once(groups[-1], channel, excursion, interval_s):
            groups[-1].append((channel, excursion))
        else:
            groups.append([(channel, excursion)])
    return tuple(event_of(group) for group in groups)


def event_of(parts: list[tuple[str, Excursion]]) -> Event:
    """What several tracks show at one instant, or one, as an event that is not explained yet."""
    start = min(e.span_s[0] for _, e in parts)
    return Event(tuple(parts), (start, max(e.span_s[1] for _, e in parts)))


def _joined(excursions: list[Excursion], gap_s: float) -> list[Excursion]:
    """The interruptions of one burst as one excursion, as deep as the deepest of them."""
    joined: list[Excursion] = []
    for later in excursions:
        if joined and later.span_s[0] - joined[-1].span_s[1] <= gap_s:
            first = joined[-1]
            deepest = first if first.depth >= later.depth else later
            joined[-1] = Excursion(
                (first.span_s[0], max(first.span_s[1], later.span_s[1])),
                first.before,
                later.after,
                deepest.level,
                first.samples + later.samples,
                weak=first.weak,
                merged=first.merged + later.merged,
                local=deepest.course,
                deepest_s=deepest.deepest_s or deepest.span_s,
            )
        else:
            joined.append(later)
    return joined


def _at_once(
    group: list[tuple[str, Excursion]], channel: str, excursion: Excursion, step_s: float
) -> bool:
    """Whether an excursion shows what a group shows, on another track."""
    if any(name == channel for name, _ in group):
        return False
    slack = _TOGETHER_INTERVALS * step_s
    start = min(e.span_s[0] for _, e in group)
    end = max(e.span_s[1] for _, e in group)
    apart = abs(excursion.span_s[0] - start)
    # What came by and by has no instant at which it began; both end with one leap.
    by_and_by = all(
        e.merged == 1 and e.samples >= _BY_AND_BY for e in (excursion, *(e for _, e in group))
    )
    back = by_and_by and abs(excursion.span_s[1] - end) <= slack
    return excursion.span_s[0] <= end + slack and (back or apart <= max(slack, 0.5 * (end - start)))
