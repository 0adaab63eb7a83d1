"""Where a track may have left its course: proposed generously, to be explained afterwards."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from nervus.domain.channel import Recording, Span
from nervus.signal.arithmetic.spans import Union, inside, merge
from nervus.signal.candidates.asked import Asked
from nervus.signal.candidates.excursions import (
    Excursion,
    describe,
    find_excursions,
    find_weak_excursions,
)
from nervus.signal.candidates.flanks import LONGEST_SPIKE_S
from nervus.signal.candidates.spikes import spikes_of, strays
from nervus.signal.candidates.stands import find_stands
from nervus.signal.candidates.turned_out import turned_out
from nervus.signal.instruments.instrument import Instrument, coarser

# An input's low-pass rounds what is quicker than this.
_ROUNDED_OVER_S = 0.001
# What goes on for more intervals than this holds a spike, and is not the same.
_FAR_LONGER = 3.0
# Samples further apart than this share of it are no fast capture.
_FAST_SHARE = 0.25


@dataclass(frozen=True, slots=True, eq=False)
class Candidates:
    """What one track shows by itself.

    Attributes:
        track: as it was read, straight across what was coupled in.
        excursions: in the order of time; weak are those that a quick hand could have made.
        spikes: spans of what was coupled in.
        level: the level that jumps land on and leave from wherever the track was, if there is one.
    """

    track: Instrument
    excursions: tuple[Excursion, ...]
    spikes: tuple[Span, ...]
    level: float | None


@dataclass(frozen=True, slots=True, eq=False)
class _Looked:
    """What one track shows before it is known what of it is coupled in.

    Attributes:
        track: as it was read.
        found: its excursions.
        spikes: those of them, and of its strays, that its lines take for spikes.
        level: the level that jumps land on, if there is one.
    """

    track: Instrument
    found: tuple[Excursion, ...]
    spikes: tuple[Excursion, ...]
    level: float | None

    def away(self, *, longer: bool) -> Union:
        """When it was off for longer than a spike lasts: for far longer, or not."""
        longest_s, own = _FAR_LONGER * self.track.interval_s, {id(e) for e in self.spikes}
        rest = (e.span_s for e in self.found if id(e) not in own)
        some = (s for s in rest if s[1] - s[0] > LONGEST_SPIKE_S)
        return Union(s for s in some if (s[1] - s[0] > longest_s) is longer)


def propose(
    recording: Recording, tracks: Sequence[Instrument], asked: Asked | None
) -> tuple[Candidates, ...]:
    """The stretches off its course of each track.

    Args:
        recording: what else was captured, for the spikes that lines share.
        tracks: of one shaft.
        asked: what asked the shaft to move, if that is known.
    """
    # A sister tells motion from a fault, so that slow steps are worth asking about.
    looked = [_looked(recording, t, asked, witnessed=len(tracks) == 2) for t in tracks]
    spikes = [_agreed(each, [x for x in looked if x is not each]) for each in looked]
    # A spike of one is one of the others too, where that has left its course for longer.
    every = merge((s for spans in spikes for s in spans), 0.0)
    told = []
    for each, own in zip(looked, spikes, strict=True):
        long = each.away(longer=True) if own != every else Union(())
        hidden = (s for s in every if long.touches(s))
        told.append(_candidates(each, merge((*own, *hidden), 0.0), asked, witnessed=len(tracks) == 2))
    return tuple(told)


def _looked(recording: Recording, track: Instrument, asked: Asked | None, *, witnessed: bool) -> _Looked:
    found, level = _found(track, asked, witnessed=witnessed)
    spikes = spikes_of(recording, track, found)
    alone: tuple[Excursion, ...] = ()
    if spikes:
        alone = strays(track, found)
        spikes = spikes_of(recording, track, (*found, *alone))
    return _Looked(track, found, tuple(e for e in (*found, *alone) if id(e) in spikes), level)


def _agreed(looked: _Looked, others: Sequence[_Looked]) -> tuple[Span, ...]:
    """The spikes of a track but for those at which another was off a little longer than one lasts."""
    short = [x.away(longer=False) for x in others if looked.spikes]
    spans = (e.span_s for e in looked.spikes)
    return merge((s for s in spans if not any(x.touches(s) for x in short)), 0.0)


def _candidates(
    looked: _Looked, spikes: tuple[Span, ...], asked: Asked | None, *, witnessed: bool
) -> Candidates:
    """What a track shows without its spikes."""
    track, level, kept = looked.track, looked.level, looked.found
    if spikes:
        # A spike ends the course that others are told by: what has one in or beside it is sought again.
        held, near_s = Union(spikes), 1.5 * track.interval_s
        own = {id(e) for e in looked.spikes if held.touches(e.span_s)}
        kept = tuple(e for e in kept if id(e) not in own)
        blurred = [e.span_s for e in kept if held.touches(e.span_s, near_s)]
        track = _bridged(track, spikes)
        if blurred:
            again, level = _found(track, asked, witnessed=witnessed)
            there = Union(blurred)
            kept = tuple(e for e in kept if not there.touches(e.span_s))
            kept += tuple(e for e in again if there.touches(e.span_s))
    return Candidates(track, tuple(sorted(kept, key=lambda e: e.span_s[0])), spikes, level)


def _found(
    track: Instrument, asked: Asked | None, *, witnessed: bool
) -> tuple[tuple[Excursion, ...], float | None]:
    """The stretches off its course in the order of time, and the level that jumps land on."""
    sure = _sure_excursions(track)
    if asked is not None:
        sure = _with_parted(sure, track, asked)
    held, level = find_stands(track, sure, asked=asked is not None, witnessed=witnessed)
    if level is not None and not track.is_slow:
        sure = turned_out(track, sure, level)
    held_s = Union(e.span_s for e in held)
    weak = (
        e for e in find_weak_excursions(track, sure, witnessed=witnessed) if not held_s.touches(e.span_s)
    )
    return tuple(sorted((*sure, *held, *weak), key=lambda e: e.span_s[0])), level


def _bridged(track: Instrument, spans: tuple[Span, ...]) -> Instrument:
    """A track with straight lines across some spans."""
    off = inside(track.time_s, spans)
    level = track.level.copy()
    level[off] = np.interp(track.time_s[off], track.time_s[~off], level[~off])
    return replace(track, level=level)


def _with_parted(known: tuple[Excursion, ...], track: Instrument, asked: Asked) -> tuple[Excursion, ...]:
    """Excursions with those that the command tells, cut more finely, for what they overlap."""
    parted = [e for pair in asked.partings(track) if (e := describe(track, *pair)) is not None]
    taken = Union(e.span_s for e in parted)
    return (*parted, *(e for e in known if not taken.touches(e.span_s)))


def _sure_excursions(track: Instrument) -> tuple[Excursion, ...]:
    """Excursions that need no witness.

    On a fast capture the filter of an input rounds their edges over many samples: they are sought in
    means over a millisecond, and only what those can't show on the samples themselves.
    """
    fine = find_excursions(track)
    fast = track.interval_s <= _FAST_SHARE * _ROUNDED_OVER_S
    coarse = coarser(track, _ROUNDED_OVER_S) if fast else None
    if coarse is None:
        return fine
    found = tuple(_refined(track, e, coarse.interval_s) for e in find_excursions(coarse))
    found_s = Union(e.span_s for e in found)
    alone = (e for e in fine if not found_s.touches(e.span_s, coarse.interval_s))
    return tuple(sorted((*found, *alone), key=lambda e: e.span_s[0]))


def _refined(track: Instrument, found: Excursion, block_s: float) -> Excursion:
    """An excursion of block means as the samples show it, as far as they do."""
    start, end = found.span_s
    before = int(track.time_s.searchsorted(start - block_s)) - 1
    after = int(track.time_s.searchsorted(end + block_s))
    return describe(track, before, after) or replace(found, samples=after - before - 1)
