"""Leaps: places at which a track stood, and then meets itself again at once, pass after pass.

Where a stretch of a track is worn away the wiper holds the last level that was good, and meets the track
again where it should be: all that lies between is missing, and comes in one leap. A hand that hesitates
stands as long, and leaps nowhere; a spring that snaps leaps everywhere.
"""

from dataclasses import dataclass
from math import ceil, sqrt

import numpy as np

from nervus.domain.analysis import Frame, Pass
from nervus.domain.channel import BoolArray, FloatArray, IntArray, Span
from nervus.domain.finding import DeadSpot, Shape
from nervus.signal.arithmetic.chance import at_least
from nervus.signal.arithmetic.spans import inside, runs
from nervus.signal.candidates.edges import ROUNDED_S
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.instruments.sampling import block_means
from nervus.signal.motion.travel import crossings
from nervus.signal.worn.spot import pooled_spot

# A leap is so wide, percent of travel, so many of the track's steps and so many deviations of its noise.
_NARROWEST_PCT, _WIDEST_PCT, _LEAST_STEPS, _DEVIATIONS = 0.7, 12.0, 2.5, 8.0
# On the one side of it the track goes on by less than this share of it, and by less than the narrowest
# leap more; on the other it stood, while the shaft went through most of what is missing: it went by less
# than this share.
_GOES_ON, _MOST_OF_IT, _STOOD = 0.6, 0.6, 0.4
# Nearer than this to its stops a plate lands and bounces.
_STOP_PCT = 1.5
# What passes have in common is told from cells of travel so wide, percent.
_CELL_PCT = 0.25
# A place is leapt over in so many passes, this share of those that cross it, and by chance so seldom.
_LEAST_PASSES, _LEAST_SHARE, _CHANCE = 3, 0.5, 1e-4
# Where so many more readings are missing nobody saw it leap.
_NOT_READ = 6.0
# Samples further apart than this show motion only.
_SLOWEST_S = 0.03
# Closer samples are averaged: less of what is left is noise.
_FINEST_S = 0.001
# Of very many passes so many are looked at first.
_FIRST_LOOK = 64
# More places than this on one track are one worn track.
_MOST_PLACES = 3


@dataclass(frozen=True, slots=True, eq=False)
class _Leaps:
    """The leaps of all passes, each of shape (n,).

    Attributes:
        number: of the pass.
        start_s: when the stand or the leap began.
        end_s: when the other one of them ended.
        low: the closed side of the leap, percent of travel.
        high: its open side.
    """

    number: IntArray
    start_s: FloatArray
    end_s: FloatArray
    low: FloatArray
    high: FloatArray


def find_leaps(
    track: Instrument, frame: Frame, passes: tuple[Pass, ...], masked: tuple[Span, ...]
) -> tuple[DeadSpot, ...]:
    """Dead spots at which a track stands still and leaps.

    Args:
        track: the track.
        frame: what its levels are of the travel.
        passes: of the travel.
        masked: spans that are told already.
    """
    if track.interval_s > _SLOWEST_S or len(passes) < _LEAST_PASSES:
        return ()
    if len(passes) > 2 * _FIRST_LOOK:
        # Both directions of every so many: what is worn shows in most passes.
        every = len(passes) // _FIRST_LOOK
        some = tuple(p for n, p in enumerate(passes) if n // 2 % every == 0)
        if not find_leaps(track, frame, some, masked):
            return ()
    size = max(1, round(_FINEST_S / max(track.interval_s, 1e-7)))
    time_s, level = (x if size == 1 else block_means(x, size) for x in (track.time_s, track.level))
    percent = frame.percent(track.own(level))
    whole = max(abs(frame.open - frame.closed) * 100.0 / track.supply_v, 1e-6)
    hidden = max(_LEAST_STEPS * track.resolution, _DEVIATIONS * track.noise / sqrt(size))
    least = max(_NARROWEST_PCT, 100.0 * hidden / whole)
    interval_s = size * track.interval_s
    found = [_of_pass((time_s, percent), interval_s, p, n, least) for n, p in enumerate(passes)]
    leaps = _Leaps(*(np.concatenate(each) for each in zip(*found, strict=True)))
    told = inside(leaps.end_s, masked, 2.0 * track.interval_s)
    return _places(track, _chosen(leaps, ~told), passes)


def _of_pass(
    way: tuple[FloatArray, FloatArray], interval_s: float, a_pass: Pass, number: int, least: float
) -> tuple[IntArray, FloatArray, FloatArray, FloatArray, FloatArray]:
    """The leaps of one pass, in the order of `_Leaps`: behind a stand, or before one."""
    first, last = np.searchsorted(way[0], (a_pass.start_s, a_pass.end_s)).tolist()
    sign = 1.0 if a_pass.to_pct > a_pass.from_pct else -1.0
    time_s, level = way[0][first : last + 1], sign * way[1][first : last + 1]
    width = max(1, ceil(ROUNDED_S / max(interval_s, 1e-7)))
    longest_s = (width + _NOT_READ) * interval_s
    behind = _behind_stands(time_s, level, (width, longest_s), least)
    before = _behind_stands(-time_s[::-1], -level[::-1], (width, longest_s), least)
    start, end, one, other = np.concatenate((behind, -before), axis=1)
    times, ends = np.sort((start, end), axis=0), np.sort((sign * one, sign * other), axis=0)
    return np.full(start.size, number), times[0], times[1], ends[0], ends[1]


def _behind_stands(
    time_s: FloatArray, way: FloatArray, over: tuple[int, float], least: float
) -> FloatArray:
    """Since when it stood, when it had leapt, from where and to where; shape (4, leaps).

    It leaps over so many readings, and in so many seconds at the most.
    """
    width, longest_s = over
    rise = way[width:] - way[:-width]
    peaks = [a + int(np.argmax(rise[a : b + 1])) for a, b in zip(*runs(rise > least), strict=True)]
    at = np.asarray([k for k in peaks if k + 2 * width < way.size], dtype=np.intp)
    at = at[time_s[at + width] - time_s[at] <= longest_s]
    goes_on = way[at + 2 * width] - way[at + width]
    # As quick as it is over as much of the way just behind.
    ahead = np.asarray([_reaches(way, k + width, float(rise[k])) for k in at.tolist()], dtype=np.intp)
    since = np.searchsorted(time_s, time_s[at] - _MOST_OF_IT * (time_s[ahead] - time_s[at + width]))
    since = np.minimum(since, np.maximum(at - width, 0))
    went = [float(np.ptp(way[a : b + 1])) for a, b in zip(since.tolist(), at.tolist(), strict=True)]
    # What noise and rounding hide is a share of the least that counts.
    stood = np.asarray(went, dtype=np.float64) < _STOOD * (rise[at] + least)
    goes_on = np.maximum(goes_on / _GOES_ON, goes_on + _NARROWEST_PCT)
    leapt = stood & (goes_on < rise[at]) & (rise[at] < _WIDEST_PCT)
    at, since = at[leapt], since[leapt]
    return np.stack((time_s[since], time_s[at + width], way[at], way[at + width]))


def _reaches(way: FloatArray, start: int, further: float) -> int:
    """The first index from a start on that is so much further on its way, or the last one."""
    there = np.flatnonzero(way[start:] >= way[start] + further)
    return start + int(there[0]) if there.size else way.size - 1


def _chosen(leaps: _Leaps, some: BoolArray) -> _Leaps:
    start_s, end_s, low, high = (x[some] for x in (leaps.start_s, leaps.end_s, leaps.low, leaps.high))
    return _Leaps(leaps.number[some], start_s, end_s, low, high)


def _places(track: Instrument, leaps: _Leaps, passes: tuple[Pass, ...]) -> tuple[DeadSpot, ...]:
    """Where most passes leap, one place after the other."""
    middles = np.arange(_STOP_PCT, 100.0 - _STOP_PCT, _CELL_PCT) + _CELL_PCT / 2.0
    found: list[DeadSpot] = []
    for _ in range(_MOST_PLACES):
        over = (leaps.low[:, None] <= middles) & (middles <= leaps.high[:, None])
        by_pass = np.zeros((len(passes), middles.size), dtype=np.bool_)
        np.logical_or.at(by_pass, leaps.number, over)
        seen = by_pass.sum(axis=0)
        members = over[:, int(np.argmax(seen))]
        if not members.any():
            break
        spot = _spot(track, _chosen(leaps, members), passes, (by_pass, middles))
        if spot is not None:
            found.append(spot)
        leaps = _chosen(leaps, ~members)
    return _joined(track, found)


def _joined(track: Instrument, spots: list[DeadSpot]) -> tuple[DeadSpot, ...]:
    """Places that touch as one: a stretch that is bridged reads one level, leapt to and from."""
    found: list[DeadSpot] = []
    for spot in sorted(spots, key=lambda s: s.travel_pct):
        if not found or spot.travel_pct[0] - found[-1].travel_pct[1] > _NARROWEST_PCT:
            found.append(spot)
            continue
        one = found.pop()
        place = one.travel_pct[0], max(one.travel_pct[1], spot.travel_pct[1])
        seen = max((one.seen_in, one.crossed), (spot.seen_in, spot.crossed))
        times_s = sorted((*one.times_s, *spot.times_s))
        found.append(pooled_spot(track.id, place, Shape.FLAT, 0.0, times_s, seen))
    return tuple(found)


def _spot(
    track: Instrument,
    leaps: _Leaps,
    passes: tuple[Pass, ...],
    whole: tuple[BoolArray, FloatArray],
) -> DeadSpot | None:
    """A place with when each pass stood beside it and leapt; `None` where too few did."""
    place = (round(float(np.median(leaps.low)), 2), round(float(np.median(leaps.high)), 2))
    if place[0] < -_STOP_PCT or place[1] > 100.0 + _STOP_PCT:
        return None  # beyond its stops no track is missing
    seen = np.unique(leaps.number).size
    crossed = max(len(crossings(passes, place)), seen)
    by_pass, middles = whole
    elsewhere = by_pass[:, (middles < leaps.low.min()) | (middles > leaps.high.max())]
    each = float(elsewhere.mean()) if elsewhere.size else 1.0
    by_chance = 100.0 / max(place[1] - place[0], _CELL_PCT) * at_least(seen, crossed, each)
    if seen < max(_LEAST_PASSES, _LEAST_SHARE * crossed) or by_chance > _CHANCE:
        return None
    ends = np.stack((leaps.start_s, leaps.end_s), axis=1)[np.unique(leaps.number, return_index=True)[1]]
    return pooled_spot(track.id, place, Shape.FLAT, 0.0, ends.tolist(), (seen, crossed))
