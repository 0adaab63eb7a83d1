"""The passes of a throttle over its travel, with rests and trembling left out."""

from collections.abc import Iterator

import numpy as np

from nervus.domain.analysis import Direction, Pass
from nervus.domain.channel import FloatArray, IntArray, Span
from nervus.signal.instruments import sampling

# A reversal smaller than this is a trembling hand, no new pass; a pass must cover as much.
_LEAST_PASS_PCT = 8.0
# A pass begins and ends where it leaves and reaches its ends by this much.
_REST_BAND_PCT = 1.0
# Passes are told from at most so many points a second; a plate crosses in 70 ms at the fastest.
_POINTS_PER_S = 50.0
# Turns looked at together: of a day there are millions.
_PIECE = 4096


def find_passes(time_s: FloatArray, percent: FloatArray) -> tuple[Pass, ...]:
    """Opening and closing passes, rests and trembling between them left out."""
    every = max(1, int(1.0 / (_POINTS_PER_S * max(sampling.interval_s(time_s), 1e-6))))
    # Copied, for what is gone through again and again should lie together.
    time_s, percent = time_s[::every].copy(), percent[::every].copy()
    turns = np.asarray(_turning_points(percent), dtype=np.intp)
    if turns.size < 2:
        return ()
    return tuple(_trimmed(time_s, percent, turns))


def _turning_points(percent: FloatArray) -> list[int]:
    """Indices of the extremes between which the position moved by at least the least pass."""
    start, rising = _first_move(percent)
    if start is None:
        return []
    turns, best = [start], start
    highest, sign = float(percent[start]), 1.0 if rising else -1.0
    for at, level in _bends(percent, start):
        way = sign * level
        if way > sign * highest:
            best, highest = at, level
        elif sign * highest - way >= _LEAST_PASS_PCT:
            turns.append(best)
            best, highest, sign = at, level, -sign
    return [*turns, best]


def _first_move(percent: FloatArray) -> tuple[int | None, bool]:
    """Where the first motion of a least pass began, and whether it rose."""
    high, low = np.maximum.accumulate(percent), np.minimum.accumulate(percent)
    moved = np.flatnonzero(high - low >= _LEAST_PASS_PCT)
    if not moved.size:
        return None, True
    so_far = percent[: int(moved[0]) + 1]
    rising = bool(np.argmax(so_far) > np.argmin(so_far))
    return int(np.argmin(so_far) if rising else np.argmax(so_far)), rising


def _bends(percent: FloatArray, start: int) -> Iterator[tuple[int, float]]:
    """Where it turns or stops from `start` on, and the end, each by its first point, and where it is."""
    goes = np.sign(np.diff(percent[start:]))
    moving = np.flatnonzero(goes)
    last = np.append(np.flatnonzero(np.diff(goes[moving])), moving.size - 1)
    at = moving[last] + 1 + start
    for first in range(0, at.size, _PIECE):
        piece = at[first : first + _PIECE]
        yield from zip(piece.tolist(), percent[piece].tolist(), strict=True)


def _trimmed(time_s: FloatArray, percent: FloatArray, turns: IntArray) -> Iterator[Pass]:
    """The passes between turns, from leaving the first end to reaching the last, the rests cut off."""
    first, last = turns[:-1], turns[1:]
    at = np.arange(turns[0], turns[-1])
    lengths, way = last - first, percent[turns[0] : turns[-1]]
    starts = first - turns[0]
    at_start = np.abs(way - np.repeat(percent[first], lengths)) <= _REST_BAND_PCT
    begin = np.maximum.reduceat(np.where(at_start, at, 0), starts)
    at_end = np.abs(way - np.repeat(percent[last], lengths)) <= _REST_BAND_PCT
    at_end &= at >= np.repeat(begin, lengths)
    # The last point of a pass is the first of the next, and at its end in any case.
    finish = np.minimum(np.minimum.reduceat(np.where(at_end, at, at.size + turns[0]), starts), last)
    ends = percent[first].tolist(), percent[last].tolist()
    for a, b, start, end in zip(time_s[begin].tolist(), time_s[finish].tolist(), *ends, strict=True):
        low, high = round(start, 2), round(end, 2)
        if abs(high - low) >= _LEAST_PASS_PCT:
            way_of = Direction.OPENING if end > start else Direction.CLOSING
            yield Pass(round(a, 4), round(b, 4), way_of, low, high)


def crossings(passes: tuple[Pass, ...], place: Span) -> tuple[Pass, ...]:
    """The passes that went through a place from one side to the other."""
    return tuple(
        p
        for p in passes
        if min(p.from_pct, p.to_pct) < place[0] and max(p.from_pct, p.to_pct) > place[1]
    )
