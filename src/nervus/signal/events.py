"""Events: excursions of one or more tracks at the same instant.

An interruption of a line that the tracks share shows on all of them; it is one event.
"""

from dataclasses import dataclass

import numpy as np

from nervus.domain.finding import Span
from nervus.signal import sampling
from nervus.signal.excursions import Excursion
from nervus.signal.levels import TrackSignal

# Channels sampled one after the other may show one interruption this many intervals apart.
_TOGETHER_INTERVALS = 1.6
# Shallower than this, percent of supply, is the roughness of a worn track, if it is also shorter
# than so many samples or so many times noisier inside than the track is elsewhere.
_ROUGH_DEPTH_PCT, _ROUGH_SAMPLES, _ROUGH_NOISE = 5.0, 3, 4.0
# Events closer than this share their cause: one burst, counted once where places are compared.
BURST_S = 0.5


@dataclass(frozen=True, slots=True, eq=False)
class Event:
    """Excursions at one instant, one for each track concerned, in the order of the tracks."""

    parts: tuple[tuple[str, Excursion], ...]

    @property
    def channels(self) -> tuple[str, ...]:
        """The tracks concerned."""
        return tuple(channel for channel, _ in self.parts)

    @property
    def span_s(self) -> Span:
        """From the first instant off the course of any track to the last."""
        return (
            min(e.span_s[0] for _, e in self.parts),
            max(e.span_s[1] for _, e in self.parts),
        )

    @property
    def deepest(self) -> tuple[str, Excursion]:
        """The track that fell furthest, with its excursion."""
        return max(self.parts, key=lambda part: part[1].depth)


def gather(
    tracks: tuple[TrackSignal, ...], found: dict[str, tuple[Excursion, ...]]
) -> tuple[Event, ...]:
    """Events in the order of time; what is too small and short to be told from wear is left out."""
    parts = [(t, e) for t in tracks for e in found[t.id] if not _is_roughness(t, e)]
    parts.sort(key=lambda part: part[1].span_s[0])
    events: list[list[tuple[TrackSignal, Excursion]]] = []
    for track, excursion in parts:
        if events and _together(events[-1], track, excursion):
            events[-1].append((track, excursion))
        else:
            events.append([(track, excursion)])
    return tuple(Event(tuple((t.id, e) for t, e in event)) for event in events)


def bursts(events: tuple[Event, ...]) -> tuple[tuple[Event, ...], ...]:
    """Events that follow one another within a burst, grouped."""
    groups: list[list[Event]] = []
    for event in events:
        if groups and event.span_s[0] - groups[-1][-1].span_s[1] <= BURST_S:
            groups[-1].append(event)
        else:
            groups.append([event])
    return tuple(tuple(group) for group in groups)


def _together(
    event: list[tuple[TrackSignal, Excursion]], track: TrackSignal, excursion: Excursion
) -> bool:
    if any(t.id == track.id for t, _ in event):
        return False
    slack = _TOGETHER_INTERVALS * track.interval_s
    start = min(e.span_s[0] for _, e in event)
    end = max(e.span_s[1] for _, e in event)
    return excursion.span_s[0] <= end + slack and abs(excursion.span_s[0] - start) <= max(
        slack, 0.5 * (end - start)
    )


def _is_roughness(track: TrackSignal, excursion: Excursion) -> bool:
    if excursion.depth >= _ROUGH_DEPTH_PCT:
        return False
    if excursion.samples <= _ROUGH_SAMPLES:
        return True
    start, end = np.searchsorted(track.time_s, excursion.span_s)
    return sampling.noise(track.level[start : end + 1]) > _ROUGH_NOISE * track.noise
