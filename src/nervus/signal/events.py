"""Events: excursions of one or more tracks at the same instant.

An interruption of a line that the tracks share shows on all of them; it is one event.
"""

from dataclasses import dataclass, replace

import numpy as np

from nervus.domain.channel import Recording, Role
from nervus.domain.finding import Span
from nervus.signal import sampling
from nervus.signal.excursions import BURST_GAP_S, Excursion
from nervus.signal.levels import TrackSignal
from nervus.signal.spikes import is_spike, shared_lines

# From so many spikes on, a recording is full of them.
_MANY_SPIKES = 3
# Channels sampled one after the other may show one interruption this many intervals apart.
_TOGETHER_INTERVALS = 1.6
# Shallower than this, percent of supply, and no longer than so many samples is roughness unless it
# comes back at a place; so is what is shallow and so many times noisier inside than the track.
_ROUGH_DEPTH_PCT, _ROUGH_SAMPLES, _ROUGH_NOISE = 5.0, 3, 4.0
# Events closer than this share their cause: one burst, counted once where places are compared.
BURST_S = 0.5


@dataclass(frozen=True, slots=True, eq=False)
class Event:
    """Excursions at one instant, one for each track concerned.

    Attributes:
        parts: channel and excursion, in the order of time.
        span_s: from the first instant off the course of any track to the last.
    """

    parts: tuple[tuple[str, Excursion], ...]
    span_s: Span

    @property
    def channels(self) -> tuple[str, ...]:
        """The tracks concerned, in their order."""
        return tuple(sorted(channel for channel, _ in self.parts))

    @property
    def is_shallow(self) -> bool:
        """Whether, alone, it can't be told from roughness or from a quick hand."""
        return all(
            e.weak or (e.depth < _ROUGH_DEPTH_PCT and e.samples <= _ROUGH_SAMPLES) for _, e in self.parts
        )

    @property
    def is_weak(self) -> bool:
        """Whether a quick hand could have made it."""
        return all(e.weak for _, e in self.parts)

    def made_sure(self) -> "Event":
        """The same event, for which a witness has spoken."""
        return Event(tuple((name, replace(e, weak=False)) for name, e in self.parts), self.span_s)

    @property
    def deepest(self) -> tuple[str, Excursion]:
        """The track that fell furthest, with its excursion."""
        return max(self.parts, key=lambda part: part[1].depth)


@dataclass(frozen=True, slots=True, eq=False)
class Gathered:
    """The events of a recording, and where each track is off its course.

    Attributes:
        events: in the order of time; spikes and roughness are none.
        faulty: for each track the spans of its events.
        spikes: for each track the spans of its ignition spikes.
    """

    events: tuple[Event, ...]
    faulty: dict[str, tuple[Span, ...]]
    spikes: dict[str, tuple[Span, ...]]


def gather(
    recording: Recording, tracks: tuple[TrackSignal, ...], found: dict[str, tuple[Excursion, ...]]
) -> Gathered:
    """Excursions of all tracks as events, one for each instant."""
    parts: list[tuple[str, Excursion, float]] = []
    faulty: dict[str, tuple[Span, ...]] = {}
    spikes: dict[str, tuple[Span, ...]] = {}
    for track in tracks:
        marked = _spikes(recording, track, found[track.id])
        kept = [e for e in found[track.id] if id(e) not in marked and not _is_roughness(track, e)]
        gap_s = max(BURST_GAP_S, 2.1 * track.interval_s)
        joined = _joined([e for e in kept if not e.weak], gap_s)
        joined += _joined([e for e in kept if e.weak], gap_s)
        parts += [(track.id, e, track.interval_s) for e in joined]
        faulty[track.id] = tuple(e.span_s for e in joined)
        spikes[track.id] = tuple(e.span_s for e in found[track.id] if id(e) in marked)
    parts.sort(key=lambda part: part[1].span_s[0])
    groups: list[list[tuple[str, Excursion]]] = []
    for channel, excursion, interval_s in parts:
        if groups and _together(groups[-1], channel, excursion, interval_s):
            groups[-1].append((channel, excursion))
        else:
            groups.append([(channel, excursion)])
    return Gathered(tuple(_event(group) for group in groups), faulty, spikes)


def _event(parts: list[tuple[str, Excursion]]) -> Event:
    start = min(e.span_s[0] for _, e in parts)
    return Event(tuple(parts), (start, max(e.span_s[1] for _, e in parts)))


def _spikes(recording: Recording, track: TrackSignal, found: tuple[Excursion, ...]) -> set[int]:
    """Identities of the excursions that are spikes.

    Where a recording is full of spikes, a lone sample that no other line was sampled with is one more.
    """
    verdicts = {id(e): _verdicts(recording, track, e) for e in found}
    sure = {e for e, said in verdicts.items() if any(said)}
    if len(sure) < _MANY_SPIKES:
        return sure
    return sure | {e for e, said in verdicts.items() if said and None in said and True not in said}


def _verdicts(recording: Recording, track: TrackSignal, excursion: Excursion) -> list[bool | None]:
    """What the lines say of an excursion: the supply alone, if it was sampled with the track."""
    said: list[bool | None] = []
    for line in shared_lines(recording, track.id):
        said.append(is_spike(track, excursion, line))
        if line.kind.role is Role.SUPPLY and said[-1] is not None:
            return said
    return said


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
            )
        else:
            joined.append(later)
    return joined


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
    group: list[tuple[str, Excursion]], channel: str, excursion: Excursion, interval_s: float
) -> bool:
    if any(name == channel for name, _ in group):
        return False
    slack = _TOGETHER_INTERVALS * interval_s
    start = min(e.span_s[0] for _, e in group)
    end = max(e.span_s[1] for _, e in group)
    apart = abs(excursion.span_s[0] - start)
    return excursion.span_s[0] <= end + slack and apart <= max(slack, 0.5 * (end - start))


def _is_roughness(track: TrackSignal, excursion: Excursion) -> bool:
    if excursion.depth >= _ROUGH_DEPTH_PCT or excursion.samples <= _ROUGH_SAMPLES:
        return False
    start, end = np.searchsorted(track.time_s, excursion.span_s)
    usual = max(track.noise, track.resolution / 2.0)
    return sampling.noise(track.level[start : end + 1]) > _ROUGH_NOISE * usual
