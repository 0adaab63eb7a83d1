"""Where a track may have left its course: proposed generously, to be explained afterwards."""

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
from nervus.signal.candidates.spikes import spikes_of, strays
from nervus.signal.candidates.stands import find_stands
from nervus.signal.instruments.instrument import Instrument, coarser

# An input's low-pass rounds what is quicker than this.
_ROUNDED_OVER_S = 0.001
# Samples further apart than this share of it are no fast capture.
_FAST_SHARE = 0.25


@dataclass(frozen=True, slots=True, eq=False)
class Candidates:
    """What one track shows by itself.

    Attributes:
        track: as it was read.
        excursions: in the order of time; weak are those that a quick hand could have made.
        spikes: spans of what was coupled in.
        level: the level that jumps land on and leave from wherever the track was, if there is one.
    """

    track: Instrument
    excursions: tuple[Excursion, ...]
    spikes: tuple[Span, ...]
    level: float | None


def propose(
    recording: Recording, track: Instrument, asked: Asked | None, *, witnessed: bool
) -> Candidates:
    """The stretches off its course of one track.

    Args:
        recording: what else was captured, for the spikes that lines share.
        track: the track.
        asked: what asked the shaft to move, if that is known.
        witnessed: whether a sister tells motion from a fault, so that slow steps are worth asking about.
    """
    found, level = _found(track, asked, witnessed=witnessed)
    spikes = spikes_of(recording, track, found)
    alone: tuple[Excursion, ...] = ()
    if spikes:
        alone = strays(track, found)
        spikes = spikes_of(recording, track, (*found, *alone))
    kept = tuple(e for e in found if id(e) not in spikes)
    spans = merge((e.span_s for e in (*found, *alone) if id(e) in spikes), 0.0)
    # A spike ends the course that others are told by: what has one in or beside it is sought again.
    held, near_s = Union(spans), 1.5 * track.interval_s
    blurred = [e for e in kept if held.touches(e.span_s, near_s)]
    if blurred:
        again, level = _found(_bridged(track, spans), asked, witnessed=witnessed)
        there = Union(e.span_s for e in blurred)
        kept = tuple(e for e in kept if not there.touches(e.span_s))
        kept += tuple(e for e in again if there.touches(e.span_s))
    return Candidates(track, tuple(sorted(kept, key=lambda e: e.span_s[0])), spans, level)


def _found(
    track: Instrument, asked: Asked | None, *, witnessed: bool
) -> tuple[tuple[Excursion, ...], float | None]:
    """The stretches off its course in the order of time, and the level that jumps land on."""
    sure = _sure_excursions(track)
    if asked is not None:
        sure = _with_parted(sure, track, asked)
    held, level = find_stands(track, sure, asked=asked is not None, witnessed=witnessed)
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
