"""Readings that an export joined by straight lines, on a grid of its own: at the bends it was read."""

from collections.abc import Sequence

import numpy as np

from nervus.domain.channel import Channel, FloatArray, IntArray
from nervus.signal.instruments.reading_gaps import (
    LEAST_CHANGES,
    samples_a_reading,
    some_stretches,
    told_again,
)
from nervus.signal.instruments.sampling import resolution

# Three values are on one line within so many of their least steps, which rounding makes.
_ON_LINE = 2.1
# A line goes on by more than so many roundings from value to value; so much of what does is straight.
_GOES_ON, _STRAIGHT = 4.0, 0.5
# So many values at least, and at the most, are one reading.
_LEAST, _MOST = 2.75, 12.0


def bends_only(channels: Sequence[Channel]) -> list[Channel]:
    """The channels with the values only at which their lines bend, where they are made of lines.

    One program drew them all: a channel that rests too much to tell it is read as the others are. A
    reading is told at the value next to it, at most half a row of the grid away. Where a line goes on
    for longer than one reading usually takes there were others, on it.
    """
    lasts = [_samples_a_line(c) for c in channels]
    told = [samples for samples in lasts if samples]
    # What goes on without noise may go on in lines by itself; then the others do not.
    if len(told) <= sum(samples == 0.0 for samples in lasts):
        return list(channels)
    usual = float(np.median(told))
    return [_bends_of(c, own or usual) for c, own in zip(channels, lasts, strict=True)]


def _samples_a_line(channel: Channel) -> float | None:
    """How many values a line usually has; 0 where it is made of none, `None` where it can't tell."""
    pieces = some_stretches(channel.values)
    rounding = resolution(channel.values)
    straight = np.concatenate([_straight(piece, rounding) for piece in pieces])
    if straight.size < LEAST_CHANGES:
        return None
    if float(np.mean(straight)) < _STRAIGHT:
        return 0.0
    lasts = samples_a_reading(np.concatenate([np.diff(_bends(piece, rounding)) for piece in pieces]))
    return lasts if _LEAST <= lasts <= _MOST else 0.0


def _bends_of(channel: Channel, lasts: float) -> Channel:
    if channel.samples < LEAST_CHANGES:
        return channel
    at = _bends(channel.values, resolution(channel.values))
    at = np.unique(np.concatenate(([0], at, [channel.samples - 1])))
    times = np.maximum(1, np.round(np.diff(at) / lasts)).astype(np.int64)
    which, number = told_again(times)
    at = at[which] + number * np.diff(at)[which] // times[which]
    return Channel(channel.kind, channel.time_s[at], channel.values[at])


def _straight(values: FloatArray, rounding: float) -> FloatArray:
    """Which values are on one line with those beside them (1, else 0), of those that go on."""
    change = np.diff(values)
    goes = np.abs(change) > _GOES_ON * rounding
    straight = np.abs(np.diff(change)) <= _ON_LINE * rounding
    return np.asarray(straight[goes[1:] & goes[:-1]], dtype=np.float64)


def _bends(values: FloatArray, rounding: float) -> IntArray:
    """Samples at which lines bend; a bend between two samples is at that where it shows more."""
    bend = np.abs(np.diff(values, 2))
    at = np.flatnonzero(bend > _ON_LINE * rounding)
    if not at.size:
        return at
    first = np.append(0, np.flatnonzero(np.diff(at) > 1) + 1)
    most = np.maximum.reduceat(bend[at], first)
    group = np.repeat(np.arange(first.size), np.diff(np.append(first, at.size)))
    is_most = np.flatnonzero(bend[at] == most[group])
    return np.asarray(at[is_most[np.append(True, np.diff(group[is_most]) > 0)]] + 1, dtype=np.intp)
