"""The passes of a throttle over its travel, with rests and trembling left out."""

from itertools import pairwise

import numpy as np

from nervus.domain.analysis import Direction, Pass
from nervus.domain.channel import FloatArray, Span
from nervus.signal.instruments import sampling

# A reversal smaller than this is a trembling hand, no new pass; a pass must cover as much.
_LEAST_PASS_PCT = 8.0
# A pass begins and ends where it leaves and reaches its ends by this much.
_REST_BAND_PCT = 1.0
# Passes are told from at most so many points a second; a plate crosses in 70 ms at the fastest.
_POINTS_PER_S = 50.0
# Points looked at together for the end of a motion.
_PIECE = 256


def find_passes(time_s: FloatArray, percent: FloatArray) -> tuple[Pass, ...]:
    """Opening and closing passes, rests and trembling between them left out."""
    every = max(1, int(1.0 / (_POINTS_PER_S * max(sampling.interval_s(time_s), 1e-6))))
    time_s, percent = time_s[::every], percent[::every]
    turns = _turning_points(percent)
    passes = (_trim(time_s, percent, a, b) for a, b in pairwise(turns))
    return tuple(p for p in passes if abs(p.to_pct - p.from_pct) >= _LEAST_PASS_PCT)


def _turning_points(percent: FloatArray) -> list[int]:
    """Indices of the extremes between which the position moved by at least the least pass."""
    turns: list[int] = []
    start, rising = _first_move(percent)
    if start is None:
        return turns
    turns.append(start)
    while True:
        peak, found = _next_turn(percent, turns[-1], rising=rising)
        turns.append(peak)
        if not found:
            return turns
        rising = not rising


def _first_move(percent: FloatArray) -> tuple[int | None, bool]:
    """Where the first motion of a least pass began, and whether it rose."""
    high, low = np.maximum.accumulate(percent), np.minimum.accumulate(percent)
    moved = np.flatnonzero(high - low >= _LEAST_PASS_PCT)
    if not moved.size:
        return None, True
    so_far = percent[: int(moved[0]) + 1]
    rising = bool(np.argmax(so_far) > np.argmin(so_far))
    return int(np.argmin(so_far) if rising else np.argmax(so_far)), rising


def _next_turn(percent: FloatArray, start: int, *, rising: bool) -> tuple[int, bool]:
    """The extreme of the motion from `start` on, and whether it was left again by a least pass.

    Looked for piece by piece, so that a long recording is gone through once.
    """
    best = start
    for first in range(start, percent.size, _PIECE):
        piece = percent[first : first + _PIECE]
        way = piece if rising else -piece
        known = percent[best] if rising else -percent[best]
        highest = np.maximum(np.maximum.accumulate(way), known)
        left = np.flatnonzero(highest - way >= _LEAST_PASS_PCT)
        upto = int(left[0]) + 1 if left.size else piece.size
        top = int(np.argmax(way[:upto]))
        if way[top] > known:
            best = first + top
        if left.size:
            return best, True
    return best, False


def _trim(time_s: FloatArray, percent: FloatArray, first: int, last: int) -> Pass:
    """A pass from leaving its first end to reaching its last one, the rests cut off."""
    start, end = percent[first], percent[last]
    stretch = percent[first : last + 1]
    at_start = np.abs(stretch - start) <= _REST_BAND_PCT
    begin = stretch.size - 1 - int(at_start[::-1].argmax())
    finish = begin + int((np.abs(stretch[begin:] - end) <= _REST_BAND_PCT).argmax())
    return Pass(
        start_s=round(float(time_s[first + begin]), 4),
        end_s=round(float(time_s[first + finish]), 4),
        direction=Direction.OPENING if end > start else Direction.CLOSING,
        from_pct=round(float(start), 2),
        to_pct=round(float(end), 2),
    )


def crossings(passes: tuple[Pass, ...], place: Span) -> tuple[Pass, ...]:
    """The passes that went through a place from one side to the other."""
    return tuple(
        p
        for p in passes
        if min(p.from_pct, p.to_pct) < place[0] and max(p.from_pct, p.to_pct) > place[1]
    )
