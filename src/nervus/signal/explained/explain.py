"""What happened where a track left its course: the best of a few physical explanations, with its margin.

Each candidate stretch is weighed by what the explanations would make of every channel then (`scene`);
here they are gathered, held against each other, and what the tracks contradict each other at is added.
"""

from bisect import bisect_left, bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import replace

from nervus.domain.channel import Span
from nervus.signal.arithmetic.spans import Union, merge, overlaps
from nervus.signal.candidates.off_course import BURST_GAP_S
from nervus.signal.candidates.proposing import Candidates
from nervus.signal.explained.events import Cause, Event, event_of, gathered
from nervus.signal.explained.feed_signs import Lines
from nervus.signal.explained.returns import find_returns
from nervus.signal.explained.scene import TOGETHER, Scene, Witness
from nervus.signal.explained.sister import measured
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.motion.pair import Pair

# Where it was so once it is so again with so many nats less against it; what single events leave open
# must be sure together by so many.
_AGAIN, _SURE_TOGETHER = 1.0, 1.5
# What parts by less than this, percent of supply, is a bend or roughness; while one track stands the
# other may come by it for so many intervals.
_APART_PCT, _SAME_STAND = 4.0, 5.0


def explain(
    tracks: tuple[Instrument, ...],
    pair: Pair | None,
    candidates: dict[str, Candidates],
    witnesses: Sequence[Witness] = (),
    feed: Lines | None = None,
) -> tuple[Event, ...]:
    """The events that are faults, or, seen on one track alone, may be: those come with a margin below 0.

    Args:
        tracks: one or two tracks of a sensor.
        pair: both, where it is known how they relate.
        candidates: for each track where it may have left its course.
        witnesses: of motion, where they were recorded: what asked the shaft to move, what was breathed.
        feed: supply and ground, where they were recorded.
    """
    scene = Scene(tracks, pair, witnesses, candidates, feed or Lines(()))
    pieces = [piece for event in gathered(tracks, candidates) for piece in scene.pieces(event)]
    scene.prepare(pieces)
    told = [event for piece in pieces if (event := scene.told(piece)) is not None]
    if pair is not None:
        some = candidates.values() if feed is not None and feed.has_supply else ()
        spikes = (s for c in some for s in c.spikes)
        told_s = Union((*(e.span_s for e in told), *spikes))
        back = (e for e in _returned(tracks) if not told_s.touches(e.span_s))
        told += [event for piece in back if (event := scene.told(piece)) is not None]
    told += (e for e in map(scene.told, _fed_less(tracks, feed, told)) if e is not None)
    kept = _together(told)
    if pair is not None:
        known = tuple(e.span_s for e in kept)
        kept += _apart(scene, pair, _partings(pair, known, candidates))
    return _once(kept)


def _once(events: list[Event]) -> tuple[Event, ...]:
    """Events in order, without those that lie over one of more tracks, or a longer one of the same."""
    kept: list[Event] = []
    for event in sorted(events, key=lambda e: e.span_s):
        while kept and _is_of(kept[-1], event):
            kept.pop()
        if not kept or not _is_of(event, kept[-1]):
            kept.append(event)
    return tuple(kept)


def _is_of(event: Event, other: Event) -> bool:
    """Whether an event is part of another at its time."""
    (a, b), (c, d) = event.span_s, other.span_s
    own, theirs = set(event.channels), set(other.channels)
    return overlaps(event.span_s, other.span_s) and (
        own < theirs or (own == theirs and (b - a, a) <= (d - c, c))
    )


def _returned(tracks: tuple[Instrument, ...]) -> tuple[Event, ...]:
    """What lies between two holds at one level on both tracks at once."""
    one, two = (find_returns(t) for t in tracks)
    starts = [e.span_s[0] for e in two]
    events = []
    for excursion in one:
        # Of one track they follow one another: the last that began before this one's end.
        near = bisect_right(starts, excursion.span_s[1]) - 1
        if near >= 0 and two[near].span_s[1] >= excursion.span_s[0]:
            events.append(event_of([(tracks[0].id, excursion), (tracks[1].id, two[near])]))
    return tuple(events)


def _fed_less(
    tracks: tuple[Instrument, ...], feed: Lines | None, told: Sequence[Event]
) -> tuple[Event, ...]:
    """What all tracks show while their recorded feed was away, where that is not told of all of them.

    What a shaft goes while they are fed with less hides that they left: they come back elsewhere.
    """
    known = Union(e.span_s for e in told if len(e.parts) == len(tracks))
    away = [s for s in feed.away() if not known.touches(s)] if feed is not None else []
    shown = [[measured(t, s) for t in tracks] for s in away]
    parts = (
        [p for p, t in zip(own, tracks, strict=True) if p and p[1].depth > t.tolerance] for own in shown
    )
    return tuple(event_of(own) for own in parts if len(own) == len(tracks))


def _together(told: list[Event]) -> list[Event]:
    """The events that hold; those that all tracks share hold for each other, for what came comes again.

    Each alone must outweigh how seldom such a fault is; together they need to do so once.
    """
    rebate = TOGETHER - _AGAIN
    kept: list[Event] = []
    speak: list[Event] = []
    first = rebate
    for event in told:
        shared = event.cause is Cause.FEED and len(event.parts) > 1
        if not shared or event.margin > 0.0:
            kept.append(event)
            first = 0.0 if event.cause is Cause.FEED and event.margin > 0.0 else first
        elif event.margin + rebate > 0.0:
            sure = tuple((n, e.made(weak=False)) for n, e in event.parts)
            speak.append(replace(event, parts=sure, margin=event.margin + rebate))
    enough = sum(e.margin for e in speak) - first > _SURE_TOGETHER
    return kept + speak if enough else kept


def _apart(scene: Scene, pair: Pair, partings: tuple[Span, ...]) -> Iterator[Event]:
    """What left where the tracks contradict each other: one that stood, or what they differ by."""
    gap_s = _SAME_STAND * max(pair.first.interval_s, pair.second.interval_s)
    starts = [s[0] for s in partings]
    for whole in merge(partings, gap_s):
        stood = scene.stood(whole)
        own = partings[bisect_left(starts, whole[0]) : bisect_right(starts, whole[1])]
        told = (stood,) if stood is not None else map(scene.parted, own)
        yield from (e for e in told if e is not None)


def _partings(
    pair: Pair, known: tuple[Span, ...], candidates: dict[str, Candidates]
) -> tuple[Span, ...]:
    spikes = tuple(s for c in candidates.values() for s in c.spikes)
    return pair.partings(_APART_PCT, (*known, *spikes), BURST_GAP_S)
