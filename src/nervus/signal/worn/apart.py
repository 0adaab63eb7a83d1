"""What a track and its sister are apart by during passes, and that sorted by where the shaft was.

What two tracks on one shaft are apart by holds no motion. Opening and closing passes are sorted for
themselves: behind a gear's play, or where a pair is read in turn, they are not alike.
"""

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from nervus.domain.analysis import Direction, Frame, Pass, Travel
from nervus.domain.channel import BoolArray, FloatArray, Span
from nervus.signal.arithmetic.robust import OF_MEDIAN, bends_beside, even_median, theil_sen
from nervus.signal.arithmetic.spans import inside
from nervus.signal.explained.shaft import Shaft
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.instruments.sampling import block_means
from nervus.signal.motion.pair import Pair
from nervus.signal.worn.pass_cells import PassCells, ends_of, samples_in, sort_into_cells

# Cells of travel are as wide as this, and as a step of either track.
_CELL_PCT = 0.5
# Of very many passes so many are looked at first.
_FIRST_LOOK = 64
# Further off than this, percent of supply, a line was open, or a joint poor.
_FAR_OFF_PCT = 15.0
# Closer samples are averaged.
_FINEST_S = 0.002
# What the tracks are apart anyway is told over so much to each side, percent of travel.
_AROUND_PCT = 14.0
# So many cells on each side of one tell it.
_LEAST_BESIDE = 3
# Where the shaft bends by more, percent of travel, what tracks read in turn are apart by is motion.
_STRAIGHT_PCT = 3.0
# Nearer to an end than this share of that, it goes on as over so many times as much, in which so many
# times as many cells must be known.
_NEAR_STOP, _AROUND_NEAR, _ENOUGH_NEAR = 0.57, 3, 2
# Nearer than this to its stops a plate lands and bounces.
_STOP_PCT = 1.5


@dataclass(frozen=True, slots=True, eq=False)
class Fold:
    """What the tracks are apart by over travel, of the passes of one direction.

    Attributes:
        passes: those of the direction.
        base: what they are apart anyway, shape (cells,).
        mean: over passes, besides that, shape (cells,); NaN where not known.
        sure: by how many deviations it stands out, shape (cells,).
    """

    passes: tuple[Pass, ...]
    base: FloatArray
    mean: FloatArray
    sure: FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class Apart:
    """Where a track and its sister say that the shaft was, during passes.

    Attributes:
        track: the track.
        frame: what its levels are of the travel, by the sister: she tells where the shaft was.
        step: the coarser of both tracks' steps, percent of travel.
        passes: in the order of time.
        time_s: of the readings, shape (n,).
        own: where the track says it was, percent of travel, shape (n,).
        other: where the sister does, shape (n,).
        averaged: over which share of the time from one reading to the next each is a mean.
    """

    track: Instrument
    frame: Frame
    step: float
    passes: tuple[Pass, ...]
    time_s: FloatArray
    own: FloatArray
    other: FloatArray
    averaged: float

    @property
    def cell_pct(self) -> float:
        """How wide a cell of travel is, percent."""
        return max(_CELL_PCT, self.step)

    def folds(self, share: float) -> tuple[list[Fold], list[Fold]]:
        """Sorted by where the shaft was, by direction: by the middle pass, and by a share of them.

        A contact that fails now and then is off in some passes, and not in the middle one.
        """
        ways = (tuple(p for p in self.passes if p.direction is way) for way in Direction)
        both = [_folded(self, some, share) for some in ways if some]
        return [middle for middle, _ in both], [some for _, some in both]

    def is_opening(self) -> BoolArray:
        """Whether each reading is of an opening pass, shape (n,)."""
        first = self.time_s.searchsorted([p.start_s for p in self.passes])
        first[0] = 0
        opening = [p.direction is Direction.OPENING for p in self.passes]
        return np.repeat(opening, np.diff(first, append=self.time_s.size))

    def of_pass(self, a_pass: Pass) -> slice:
        """The readings of a pass, with the one that ends it."""
        first, last = np.searchsorted(self.time_s, (a_pass.start_s, a_pass.end_s)).tolist()
        return slice(first, last + 1)

    def when(self, a_pass: Pass, place: Span) -> Span | None:
        """When the shaft was at a place in a pass."""
        of_pass = self.of_pass(a_pass)
        of_pass = slice(of_pass.start, of_pass.stop - 1)  # the reading that ends it is the next one's
        there = self.other[of_pass]
        at_s = self.time_s[of_pass][(there >= place[0]) & (there <= place[1])]
        return (float(at_s[0]), float(at_s[-1])) if at_s.size else None

    def is_own(self, spans: list[Span]) -> bool:
        """Whether it is the track that goes through some spans unlike a shaft, and not its sister.

        Held against the straight way from before it to behind it: what the shaft did is in both.
        """
        time_s = self.time_s
        interval_s, more = float(np.median(np.diff(time_s))), 0.0
        for start, end in spans:
            around = max(0.5 * (end - start), 2.0 * interval_s)
            first, last = np.searchsorted(time_s, (start - around, end + around)).tolist()
            if last - first < 4:
                continue
            share = (time_s[first:last] - time_s[first]) / (time_s[last - 1] - time_s[first])
            of_own, of_other = (
                float(np.sum((x[first:last] - x[first] - share * (x[last - 1] - x[first])) ** 2))
                for x in (self.own, self.other)
            )
            more += (of_own - of_other) / max(of_own + of_other, 1e-9)
        return more > 0.0


def find_apart(
    shaft: Shaft,
    track: Instrument,
    told_s: tuple[Span, ...],
    worth: Callable[[Apart], bool],
) -> Apart | None:
    """What a track and its sister show; `None` without a sister, or where nothing is worth a look.

    What goes to a rail, or is on both tracks, is left out.

    Args:
        shaft: what is known of it.
        track: the track.
        told_s: when it is off for a reason that is told already.
        worth: whether some passes may show anything; asked where there are so many that some of them
            are looked at first.
    """
    ways = Counter(p.direction for p in shaft.passes)
    # One pass alone tells nothing that comes again.
    passes = tuple(p for p in shaft.passes if ways[p.direction] > 1)
    if shaft.pair is None or shaft.travel is None or not passes:
        return None
    masked = left_before(shaft, track) + told_s
    if len(passes) > 2 * _FIRST_LOOK:
        # Both directions of every so many: what is worn shows in most passes.
        every = len(passes) // _FIRST_LOOK
        some = tuple(p for n, p in enumerate(passes) if n // 2 % every == 0)
        first = _during(shaft.pair, track, shaft.travel, some, masked)
        if not worth(first):
            return None
    return _during(shaft.pair, track, shaft.travel, passes, masked)


def by_place(
    shaft: Shaft, track: Instrument, place: Span, within_s: tuple[Span, ...] | None = None
) -> FloatArray:
    """What a track is off its sister by over a place, in the order of where the shaft was.

    Args:
        shaft: what is known of it.
        track: one of its tracks.
        place: percent of travel.
        within_s: the spans that count; all but its tracks' events where none are given.

    Returns:
        Shape (n,), in its own unit; none where there is no sister.
    """
    if shaft.travel is None or shaft.pair is None:
        return np.zeros(0)
    at = np.interp(track.time_s, shaft.travel.time_s, shaft.travel.percent)
    there = (at >= place[0]) & (at <= place[1])
    if within_s is not None:
        there &= inside(track.time_s, within_s)
    else:
        there &= ~inside(track.time_s, tuple(e.span_s for e in shaft.events), track.interval_s)
    chosen = np.flatnonzero(there)
    chosen = chosen[np.argsort(at[chosen])]
    return track.own((track.level - shaft.pair.expected_of(track))[chosen])


def left_before(shaft: Shaft, track: Instrument) -> tuple[Span, ...]:
    """When a track was at a rail, off with others, or so far off that it was open, and its spikes."""
    return told_of(shaft, track) + shaft.spikes[track.id] + _far_off(shaft, track)


def told_of(shaft: Shaft, track: Instrument) -> tuple[Span, ...]:
    """When a track was at a rail, or off together with others."""
    return tuple(
        part.span_s
        for e in shaft.events
        for name, part in e.parts
        if name == track.id and (len(e.parts) > 1 or track.is_unusual(part.level))
    )


def _far_off(shaft: Shaft, track: Instrument) -> tuple[Span, ...]:
    """When one of two tracks that are read slowly was far off for sure: a line was open, not rough."""
    if not track.is_slow or shaft.pair is None:
        return ()
    own = (e for e in shaft.events if e.channels == (track.id,) and not e.is_weak)
    return tuple(e.span_s for e in own if e.deepest[1].depth >= _FAR_OFF_PCT)


def _frame_by_sister(pair: Pair, travel: Travel, track: Instrument) -> Frame:
    """What a track reads while its sister is at her ends: she tells where the shaft was."""
    sister = pair.other(track)
    frame = travel.frames[sister.id]
    ends = np.asarray((frame.closed, frame.open)) * 100.0 / sister.supply_v
    closed, opened = track.own(pair.as_track(track, ends)).tolist()
    return Frame(closed, opened, frame.basis)


def _during(
    pair: Pair, track: Instrument, travel: Travel, passes: tuple[Pass, ...], masked: tuple[Span, ...]
) -> Apart:
    frame = _frame_by_sister(pair, travel, track)
    whole = max(abs(frame.open - frame.closed) * 100.0 / track.supply_v, 1e-6)
    size = max(1, round(_FINEST_S / max(track.interval_s, 1e-7)))
    at, _ = samples_in(track.time_s, passes, size)
    # Of the sister no more is read than what is looked at: a few passes of a day, mostly.
    time_s, level = block_means(track.time_s[at], size), block_means(track.level[at], size)
    other = block_means(pair.expected_of(track, at), size)
    own, other = (frame.percent(track.own(x)) for x in (level, other))
    known = ~inside(time_s, masked, 2.0 * track.interval_s)
    if track.is_slow:
        # A stop ends a pass at full speed, at any instant between two readings.
        known &= ~inside(time_s, ends_of(passes, at_stops=True), track.interval_s)
        # Between two readings of the sister the shaft went straight as far as she does not bend there.
        known &= bends_beside(other) <= _STRAIGHT_PCT
    step = 100.0 * pair.resolution(track) / whole
    averaged = 1.0 - 1.0 / size
    return Apart(track, frame, step, passes, time_s[known], own[known], other[known], averaged)


def _folded(seen: Apart, passes: tuple[Pass, ...], share: float) -> tuple[Fold, Fold]:
    """Passes of one direction by the middle one of them, and by what so large a share of them show."""
    width = seen.cell_pct
    cells = int(100.0 / width) + 1
    cell = np.clip((seen.other / width).astype(np.int64), 0, cells - 1)
    table: PassCells = sort_into_cells(seen.time_s, cell, passes, cells)
    counts = table.counts()
    with np.errstate(invalid="ignore", divide="ignore"):
        of_pass = np.where(counts > 0, table.sums(seen.own - seen.other) / counts, np.nan)
    known = np.isfinite(of_pass)
    passes_there = known.sum(axis=0)
    enough = passes_there >= 2
    mean, spread = np.full(cells, np.nan), np.full(cells, np.nan)
    mean[enough] = np.nanmedian(of_pass[:, enough], axis=0)
    reach = max(2, round(_AROUND_PCT / width))
    base, told = _smooth(mean, reach), _told_beside(enough, reach)
    mean = mean - base
    some, usual = mean.copy(), np.inf
    if enough.any():
        rest = of_pass[:, enough] - (mean + base)[enough]
        spread[enough] = OF_MEDIAN * np.nanmedian(np.abs(rest), axis=0)
        some[enough] += _in_some(rest, share)
        usual = float(np.nanmedian(spread))

    def fold(off: FloatArray, within: FloatArray) -> Fold:
        between = OF_MEDIAN * float(np.nanmedian(np.abs(off))) if enough.any() else np.inf
        sure = np.abs(off) / np.sqrt(within**2 / np.maximum(passes_there, 1) + between**2 + 1e-6)
        middle = (np.arange(cells) + 0.5) * width
        sure[(middle < _STOP_PCT) | (middle > 100.0 - _STOP_PCT) | ~told] = 0.0
        return Fold(passes, base, off, np.nan_to_num(sure))

    # What some passes show makes a cell spread: what others do tells how far it would by itself.
    return fold(mean, np.maximum(spread, usual)), fold(some, np.full(cells, usual))


def _told_beside(known: BoolArray, reach: int) -> BoolArray:
    """Where cells on either side tell what the tracks are apart anyway, unless a stop is there."""
    before = np.concatenate(([0], np.cumsum(known)))
    at = np.arange(known.size)
    below = before[at] - before[np.maximum(at - reach, 0)]
    above = before[np.minimum(at + 1 + reach, known.size)] - before[at + 1]
    return np.asarray(
        ((below >= _LEAST_BESIDE) | (at < reach))
        & ((above >= _LEAST_BESIDE) | (at + reach >= known.size))
    )


def _in_some(rest: FloatArray, share: float) -> FloatArray:
    """By how much so large a share of the passes are off the middle one, shape (passes, n) to (n,)."""
    ordered = np.sort(rest, axis=0)  # what was not read, NaN, comes last
    last = np.isfinite(rest).sum(axis=0) - 1
    ranks = np.stack((np.floor(share * last), np.ceil((1.0 - share) * last))).astype(np.intp)
    return _further(*np.take_along_axis(ordered, ranks, axis=0))


def _further(low: FloatArray, high: FloatArray) -> FloatArray:
    """The one of two that is further off what it is usually, cell by cell, shape (n,) to (n,)."""
    low, high = low - np.median(low), high - np.median(high)
    return np.asarray(np.where(high > -low, high, low), dtype=np.float64)


def _smooth(mean: FloatArray, reach: int) -> FloatArray:
    """What the tracks are apart anyway, over more than is worn, shape (cells,)."""
    seen = np.flatnonzero(np.isfinite(mean))
    if not seen.size:
        return np.zeros(mean.shape)
    known, at = mean[seen], seen.astype(np.float64)
    smooth = even_median(known, reach)
    for way in (slice(None), slice(None, None, -1)):
        from_end = np.abs(at[way] - at[way][0])
        near = int(np.count_nonzero(from_end < _NEAR_STOP * reach))
        few = int(np.count_nonzero(from_end < _AROUND_NEAR * _NEAR_STOP * reach))
        # There a worn place would fill all that is looked at around it: it goes on straight.
        slope, offset = theil_sen(known[way][:few], at[way][:few])
        if few >= _ENOUGH_NEAR * near and np.isfinite(slope):
            smooth[way][:near] = slope * at[way][:near] + offset
    return np.asarray(np.interp(np.arange(mean.size), seen, smooth), dtype=np.float64)
