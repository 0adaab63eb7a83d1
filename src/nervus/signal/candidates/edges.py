"""Edges: steps that no neighbouring motion prepares, and the segments between them.

A plate has mass and a spring: it can be fast, but it can't start and stop between two samples. So a
step whose neighbours move by much less the same way is electrical, as far as the sampling allows that
to be said; `least_step` is the smallest that does.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, sqrt

import numpy as np
from numpy.typing import ArrayLike

from nervus.domain.channel import BoolArray, FloatArray, IntArray, Span
from nervus.signal.instruments.instrument import Instrument

# Acceleration of a plate in percent of travel per second squared: a foot or a hand that moves it by
# a little, 8 % in 45 ms, needs 4 * 8 / 0.045^2 = 15 800; a spring that snaps it through its whole
# travel in 67 ms needs 128 500 if it did so as smoothly as can be (peak 5.77 D / T^2), which of all laws
# asks for most (an even pull 2 D / T^2, driven and then braked 4 D / T^2). Common practice gives the
# times, no published source.
_SNAP_ACCELERATION = 130_000.0
_NUDGE_ACCELERATION = 15_000.0
_NUDGE_PCT = 15.0
# What has just struck a stop, having come this many times as far within this time, leaps off it at once
# and need not slow down when it lands again: within T it goes further than before by a T^2, not by a
# (T / 2)^2 (the square of what is left of its speed, half at the most; common practice for the time, no
# published source).
_STRUCK, _STRUCK_S, _STRIKES = 4.0, 0.1, 4.0
# What goes there and back by D within T takes 16 D / T^2 from rest to rest, and is nearer by T / 4 times
# its speed if it went that way already. More samples than this leave it time enough.
_BACK_WITHIN = 8
# Where a step goes over many samples each end of it is the mean of this part of them.
_OF_WIDTH = 4
# An edge is unprepared when it is this many times what its neighbours move the same way.
_UNPREPARED = 4.0
# What an input filter rounds goes on behind it by less than this part of it; how many times as far as a
# spring takes a plate from rest, at the most, that must be.
_LESSENS, _FOR_SURE = 1.3, 2.0
# An edge may pass through so many samples more than it was found over.
_MOST_TRIMMED = 2
# An input filter goes less far each time by this much, and has settled within so many of them.
_LESS_AND_LESS, MOST_SETTLING = 1.5, 5
# What it goes on by is told from noise down to this part of a step.
_SETTLED = 4.0
# Edges are also looked for over this time, where samples are closer: input filters round them.
ROUNDED_S = 0.004
# Samples looked at together.
_PIECE = 1 << 14
# The slope at the end of a segment is taken over so many samples and at least this time.
SLOPE_SAMPLES, _SLOPE_S = 5, 0.03


@dataclass(frozen=True, slots=True, eq=False)
class Segments:
    """The stretches between edges, each of shape (m,).

    Attributes:
        first: index of the first sample.
        last: index of the last sample.
        entry: level at the beginning, the middle one of the first three samples.
        exit: level at the end, the middle one of the last three.
        entry_s: when the level was `entry`.
        exit_s: when it was `exit`.
        slope_in: percent of supply per second at the beginning; NaN for a single sample.
        slope_out: the same at the end.
    """

    first: IntArray
    last: IntArray
    entry: FloatArray
    exit: FloatArray
    entry_s: FloatArray
    exit_s: FloatArray
    slope_in: FloatArray
    slope_out: FloatArray


def is_no_motion(
    step: FloatArray, took_s: FloatArray, samples: int = 1, leniency: float = 1.0
) -> BoolArray:
    """Whether steps (percent of supply) that took so long (both shape (n,)) are beyond any plate.

    What looks unprepared over n intervals may have taken n + 1 of them. To go by D from rest to rest
    within T takes an acceleration of 4 D / T^2 at least. A `leniency` above 1 lowers the bar.
    """
    size = np.abs(step)
    return np.asarray(
        size > from_rest(size, (samples + 1) / samples * took_s) / leniency, dtype=np.bool_
    )


def from_rest(step: ArrayLike, took_s: ArrayLike) -> FloatArray:
    """How far a plate goes in a time from rest to rest at the most, percent of supply, shape of both.

    As it does for steps of some size, never negative.
    """
    return np.asarray(_pull(step) * (np.asarray(took_s) / 2.0) ** 2, dtype=np.float64)


def _pull(step: ArrayLike) -> FloatArray:
    """The acceleration that a plate has for steps of some size, never negative, at the most."""
    return np.where(np.asarray(step) < _NUDGE_PCT, _NUDGE_ACCELERATION, _SNAP_ACCELERATION)


def quickness(track: Instrument, spans: Sequence[Span]) -> FloatArray:
    """How quickly a track leaves its course at the beginning of spans, and comes back at their ends.

    As a multiple of the quickest that a plate can be (`is_no_motion`), over one sample, two, or the time
    that input filters take; what the track moves the same way just before, or behind, is no part of it.
    Shape (n, 2) for n spans: all in one go, for there may be a thousand of them.
    """
    if not spans:
        return np.zeros((0, 2))
    ends = track.time_s.searchsorted(np.asarray(spans) + np.asarray((-1e-9, 1e-9))).ravel()
    first, last = ends.reshape(-1, 2).T
    rounded = ceil(ROUNDED_S / max(track.interval_s, 1e-7))
    widths = {1, 2, rounded} if rounded < track.level.size // 8 else {1, 2}
    # What rounds an edge back may have taken until here to settle, but for half of it at the most.
    settled = (last - n * rounded for n in range(1, MOST_SETTLING + 1) if rounded > 2)
    backs = (last, *(np.maximum(at, (first + last) // 2) for at in settled))
    leaves = np.max([_quickest(track, first, width) for width in widths], axis=0)
    returns = np.max([_quickest(track, at, width) for at in backs for width in widths], axis=0)
    both = _there_and_back(track, first, last)
    return np.asarray(np.maximum(np.stack((leaves, returns), axis=1), both[:, None]))


def _there_and_back(track: Instrument, first: IntArray, behind: IntArray) -> FloatArray:
    """How quickly a track goes to its furthest from just before `first`, and comes back to `behind`.

    As a multiple of the quickest that a plate can: both ways together take no longer than from the one
    sample to the other, wherever between them it left. Shape (n,); 0 where a plate that struck a stop
    may leap, and where nothing is before or behind.
    """
    size, level, time_s = track.level.size, track.level, track.time_s
    short = (behind - first <= _BACK_WITHIN) & (first >= 2) & (behind <= size - 2) & (behind > first)
    before, after = (np.where(short, at, 2) for at in (first - 1, behind))
    inner = np.minimum(before[:, None] + 1 + np.arange(_BACK_WITHIN), after[:, None] - 1)
    own_s = (after - before) * track.interval_s
    took_s = np.maximum(np.maximum(time_s[after] - time_s[before], own_s), 1e-9)
    whole_s = np.maximum(time_s[after] - time_s[before], 1e-9)[:, None]
    share = (time_s[inner] - time_s[before, None]) / whole_s
    off = level[inner] - level[before, None] - share * (level[after] - level[before])[:, None]
    furthest = np.take_along_axis(off, np.abs(off).argmax(axis=1)[:, None], axis=1)[:, 0]
    sign, step = np.sign(furthest), np.abs(furthest)
    leaving = np.maximum(sign * (level[before] - level[before - 1]), 0.0)
    coming = np.maximum(sign * (level[after] - level[np.minimum(after + 1, size - 1)]), 0.0)
    ready = (leaving + coming) / 2.0 * (after - before) / 4.0
    own = np.maximum(step - ready - track.tolerance, 0.0)
    most = _pull(step)
    ends = np.stack((level[before], level[before] + furthest))
    leaps = step < np.maximum(may_leap(track, before, ends), may_leap(track, after, ends))
    return np.where(short & ~leaps, 16.0 * own / (most * took_s**2), 0.0)


def _quickest(track: Instrument, ends: IntArray, width: int) -> FloatArray:
    """The quickest step over `width` samples from beside each index to it or beyond, shape (n,)."""
    size, some = track.level.size, max(1, width // _OF_WIDTH)
    starts = np.add.outer(ends, np.arange(-width - 1, 2)).clip(0, size - width - 1)
    here, there = _mean_at(track, starts, some), _mean_at(track, starts + width, some)
    step = there - here
    sign = np.sign(step)
    before = sign * (here - _mean_at(track, np.maximum(starts - width, 0), some))
    behind = sign * (_mean_at(track, np.minimum(starts + 2 * width, size - 1), some) - there)
    step = np.abs(step)
    own = step - np.maximum(np.maximum(before, behind), 0.0)
    # Between samples that are close noise alone is quicker than any plate.
    less = sqrt(some)
    own = np.where(own > track.step_tolerance / less, own - track.tolerance / 2.0 / less, 0.0)
    took_s = np.maximum(track.time_s[starts + width] - track.time_s[starts], 1e-9)
    most = _pull(step)
    leaps = own < may_leap(track, starts, np.stack((here, there)))
    most = np.where(leaps, _STRIKES * _SNAP_ACCELERATION, most)
    return np.asarray((own / (most * ((width + 1) / width * took_s / 2.0) ** 2)).max(axis=1))


def may_leap(track: Instrument, at: IntArray, ends: FloatArray) -> FloatArray:
    """How far a plate that has just struck a stop may leap off it, shape of `at`; 0 far from both.

    Args:
        track: its track.
        at: samples at which it strikes, of any shape.
        ends: two levels that it goes from, or to, for each: it struck if one of them is at a stop.
    """
    before = track.level[np.maximum(at - round(_STRUCK_S / max(track.interval_s, 1e-7)), 0)]
    leap = np.zeros(at.shape)
    for stop in track.usual:
        reach = np.abs(before - stop) / _STRUCK
        there = np.abs(ends - stop).min(axis=0) <= reach
        leap = np.where(there, np.maximum(leap, reach), leap)
    return leap


def _mean_at(track: Instrument, at: IntArray, some: int) -> FloatArray:
    """The mean of so many samples around each index, shape of `at`."""
    if some == 1:
        return track.level[at]
    around = np.arange(some) - some // 2
    return np.asarray(track.level[np.add.outer(at, around).clip(0, track.level.size - 1)].mean(axis=-1))


def split_at_edges(track: Instrument, leniency: float = 1.0) -> Segments:
    """The segments of a track between its edges; one segment where there is no edge.

    With a `leniency` above 1, steps that a quick hand could just make count as edges too.
    """
    starts, ends, first = [0], list[int](), 0
    for index, width in _edges(track, leniency):
        if index >= first:
            ends.append(index)
            starts.append(index + width)
        else:
            starts[-1] = max(starts[-1], index + width)
        first = starts[-1]
    ends.append(track.level.size - 1)
    first_of, last_of = np.asarray(starts, dtype=np.intp), np.asarray(ends, dtype=np.intp)
    first_of, last_of = _trimmed(track, first_of, last_of)
    return _measure(track, _settled(track, first_of, last_of), last_of)


def _settled(track: Instrument, first: IntArray, last: IntArray) -> IntArray:
    """The first sample of each segment at which what rounds the edge before it has died away.

    An input filter goes on the same way, less and less; steady motion does not get less.
    """
    rounded = ceil(ROUNDED_S / max(track.interval_s, 1e-7))
    if rounded <= 2 or first.size < 2:
        return first
    end, some = track.level.size - 1, max(1, rounded // _OF_WIDTH)
    least = track.step_tolerance / _SETTLED
    way = np.sign(track.level[first[1:]] - track.level[last[:-1]])
    way = np.concatenate((np.zeros(1), way))
    moved = np.zeros(first.size, dtype=np.bool_)
    for _ in range(MOST_SETTLING):
        here, there, further = (
            _mean_at(track, np.minimum(first + n * rounded, end), some) for n in range(3)
        )
        step, next_step = way * (there - here), way * (further - there)
        still = (last - first > 2 * rounded) & (step > least) & (step > _LESS_AND_LESS * next_step)
        first, moved = first + rounded * still, moved | still
    # What noise hides of it still bends the course behind.
    return first + rounded * (moved & (last - first > 2 * rounded))


def _trimmed(track: Instrument, first: IntArray, last: IntArray) -> tuple[IntArray, IntArray]:
    """Segments without the samples at their ends that the edge still passes through."""
    level, end = track.level, track.level.size - 1
    least = track.step_tolerance
    for _ in range(_MOST_TRIMMED):
        long = last - first >= 2
        step = np.abs(level[np.minimum(first + 1, end)] - level[first])
        beyond = np.abs(level[np.minimum(first + 2, end)] - level[np.minimum(first + 1, end)])
        first = first + (long & (first > 0) & (step > least) & (step > _UNPREPARED * beyond))
        long = last - first >= 2
        step = np.abs(level[last] - level[np.maximum(last - 1, 0)])
        beyond = np.abs(level[np.maximum(last - 1, 0)] - level[np.maximum(last - 2, 0)])
        last = last - (long & (last < end) & (step > least) & (step > _UNPREPARED * beyond))
    return first, last


def _edges(track: Instrument, leniency: float) -> list[tuple[int, int]]:
    """Index of the last sample before each edge and over how many samples it goes, sorted."""
    widths = [1, 2]
    rounded = ceil(ROUNDED_S / max(track.interval_s, 1e-7))
    if 2 < rounded < track.level.size // 8:
        widths.append(rounded)
    taken, over = np.empty(0, dtype=np.intp), np.empty(0, dtype=np.intp)
    lessens = _LESSENS if track.interval_s < ROUNDED_S else None
    steps = large_steps(track.level, widths, track.step_tolerance, _UNPREPARED, lessens)
    for width, candidates in zip(widths, steps, strict=True):
        indices = _electrical(track, candidates, width, leniency)
        if taken.size and indices.size:
            # A step over one sample shows over more too, but less exactly.
            within = np.searchsorted(taken, indices + width) - np.searchsorted(taken, indices)
            indices = indices[within == 0]
        taken, over = np.append(taken, indices), np.append(over, np.full(indices.size, width))
        order = np.argsort(taken, kind="stable")
        taken, over = taken[order], over[order]
    return list(zip(taken.tolist(), over.tolist(), strict=True))


def _electrical(track: Instrument, candidates: IntArray, width: int, leniency: float) -> IntArray:
    """The candidates for edges over so many samples that no plate makes."""
    here, there = track.level[candidates], track.level[candidates + width]
    took_s = track.time_s[candidates + width] - track.time_s[candidates]
    electrical = is_no_motion(there - here, took_s, width, leniency)
    # What goes on, less and less, need not have come to rest: twice as far, as quickly as a spring can.
    further = track.level[np.minimum(candidates + 2 * width, track.level.size - 1)] - there
    on = further * np.sign(there - here) > np.abs(there - here) / _UNPREPARED
    most = 2.0 * _SNAP_ACCELERATION * ((width + 1) / width * took_s / 2.0) ** 2
    electrical &= ~on | (np.abs(there - here) > _FOR_SURE * most)
    electrical |= track.beyond_range(here) | track.beyond_range(there)
    return candidates[electrical]


def large_steps(
    level: FloatArray,
    widths: Sequence[int],
    least: float,
    unprepared: float,
    lessens: float | None = None,
) -> tuple[IntArray, ...]:
    """Where the level goes by more than `least` over so many samples, for each of some widths.

    And by more than `unprepared` times what it goes the same way over as many samples before or
    behind: steady motion does not. Behind it `lessens` times are enough, if that is given and it went
    hardly either way before: what an input filter rounds begins at once, and dies away. Beyond its
    ends the level stays as it is there.
    """
    found: list[list[IntArray]] = [[np.empty(0, dtype=np.intp)] for _ in widths]
    wide = max(widths)
    # Piece by piece, so that what is computed stays in the processor's cache.
    for first in range(0, level.size, _PIECE):
        last = min(first + _PIECE, level.size)
        piece = level[max(first - wide, 0) : last + 2 * wide]
        beyond = (max(wide - first, 0), max(last + 2 * wide - level.size, 0))
        if any(beyond):
            piece = np.pad(piece, beyond, mode="edge")
        for width, some in zip(widths, found, strict=True):
            start, end = wide - width, wide + min(last, level.size - width) - first
            around = piece[start : end + 2 * width]
            some.append(_unprepared(around, width, least, unprepared, lessens) + first)
    return tuple(np.concatenate(some) for some in found)


def _unprepared(
    level: FloatArray, width: int, least: float, unprepared: float, lessens: float | None
) -> IntArray:
    """The same for one width, counted from a width behind the first to two before the last."""
    moves = level[width:] - level[:-width]
    at = np.flatnonzero(np.abs(moves[width:-width]) > least)
    step, before, behind = moves[at + width], moves[at], moves[at + 2 * width]
    sign = np.sign(step)
    found = sign * step > unprepared * np.maximum(sign * before, sign * behind)
    if lessens is not None:
        # What came the other way just before may have been another edge, and this no more than motion.
        found |= sign * step > np.maximum(unprepared * np.abs(before), lessens * sign * behind)
    return at[found]


def _measure(track: Instrument, first: IntArray, last: IntArray) -> Segments:
    level, time_s = track.level, track.time_s
    length = last - first
    reach = max(SLOPE_SAMPLES, ceil(_SLOPE_S / max(track.interval_s, 1e-7)))
    back = np.minimum(length, reach)
    entry = _middle_of_three(level, first, np.minimum(first + 1, last), np.minimum(first + 2, last))
    exit_ = _middle_of_three(level, last, np.maximum(last - 1, first), np.maximum(last - 2, first))
    # Where samples are close one at the end may still be of the edge, or a stray one.
    left, right = (entry, exit_) if track.interval_s < ROUNDED_S else (first, last)
    with np.errstate(invalid="ignore", divide="ignore"):
        slope_in = (level[first + back] - level[left]) / (time_s[first + back] - time_s[left])
        slope_out = (level[right] - level[last - back]) / (time_s[right] - time_s[last - back])
    return Segments(
        first, last, level[entry], level[exit_], time_s[entry], time_s[exit_], slope_in, slope_out
    )


def _middle_of_three(level: FloatArray, at: IntArray, one: IntArray, two: IntArray) -> IntArray:
    """Index of the sample whose level is the middle one: a stray sample at the end is no end."""
    three = np.stack((at, one, two))
    order = np.argsort(level[three], axis=0, kind="stable")
    return np.asarray(np.take_along_axis(three, order[1:2], axis=0)[0], dtype=np.intp)
