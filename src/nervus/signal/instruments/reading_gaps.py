"""How many samples one reading lasts where a recording has more samples than its instrument read."""

import numpy as np

from nervus.domain.channel import FloatArray, IntArray

# So many changes at least, or nothing is known of how they are told. Looked at in so many stretches of
# so many samples.
LEAST_CHANGES, _PIECES, _PIECE = 15, 24, 1000
# So few changes may come sooner than a reading lasts. What is less than so many of the usual is one
# reading; the usual is found in so many rounds.
ONE, _SOONER, _AGAIN = 1.5, 0.05, 3
# So many are one reading, which deviates by no more than this share: a poll that comes unevenly, or a
# signal that goes on all the time.
_MOSTLY, _UNEVEN = 0.75, 0.27
# Or of those that are up to so many readings, which are so many, so few end between two, that near to
# their middle: three in ten of any would.
_COUNTED, _LEAST, _SELDOM, _BETWEEN = 3, 30, 0.05, 0.17
# What lasts longer is a value that does change seldom, samples.
_LONGEST = 200


def samples_a_reading(gaps: IntArray) -> float:
    """How many samples one reading lasts, two at least; 0 if it can't be told.

    By the samples between changes, shape (n,): they come one reading after the other, or after two or
    three where one read the same again.
    """
    if gaps.size < LEAST_CHANGES:
        return 0.0
    soonest = float(np.quantile(gaps, _SOONER))
    if not 2 <= soonest <= _LONGEST:
        return 0.0
    # A whole sample more: that is what the grid of samples can make of one reading.
    lasts, most = soonest, ONE * soonest + 1.0
    for _ in range(_AGAIN):
        lasts = float(np.mean(gaps[gaps < most]))
        most = ONE * lasts
    one = gaps[gaps < most]
    if one.size >= _MOSTLY * gaps.size and float(np.std(one)) <= _UNEVEN * lasts:
        return lasts
    readings = gaps[gaps < (_COUNTED + 0.5) * lasts] / lasts
    between = np.abs(readings - np.floor(readings) - 0.5) < _BETWEEN
    return lasts if readings.size >= _LEAST and float(np.mean(between)) <= _SELDOM else 0.0


def told_again(times: IntArray) -> tuple[IntArray, IntArray]:
    """Which is told, each so many times, and the how-manieth time it is, shape (times.sum(),) each."""
    which = np.repeat(np.arange(times.size), times)
    return which, np.arange(which.size) - (np.cumsum(times) - times)[which]


def some_stretches(values: FloatArray) -> list[FloatArray]:
    """The whole of it, or stretches spread over it where it is long."""
    if values.size <= _PIECES * _PIECE:
        return [values]
    starts = np.linspace(0, values.size - _PIECE, _PIECES).astype(np.int64)
    return [values[s : s + _PIECE] for s in starts.tolist()]
