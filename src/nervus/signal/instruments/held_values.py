"""What a logger wrote as readings: values that it repeats are one, stamps that it repeats are several.

A control unit tells a value ten times a second, and a logger writes it down a hundred times: a stair.
Taken as read, every step of it would be an edge that no plate can make. What counts are the updates.
And a
clock that is written down more coarsely than it is read gives several samples one stamp: they came one
after the other all the same.
"""

from dataclasses import replace

import numpy as np

from nervus.domain.channel import Channel, FloatArray, IntArray, Recording

# Values change that often at least, or nothing is known of how they are told. Looked at in so many
# stretches of so many samples.
_LEAST_CHANGES, _PIECES, _PIECE = 15, 24, 1000
# So few changes may come sooner than an update lasts, and so many come after a whole number of updates.
_SOONER, _WHOLE, _OFF = 0.02, 0.8, 0.15
# So few samples at a stamp that was there before are a slip; more are how the clock was written.
_MOST_TWICE = 0.02
# What lasts longer is a value that does change seldom.
_LONGEST = 200


def as_read(recording: Recording) -> Recording:
    """The recording with only the updates of repeated values, and samples that share a stamp spread."""
    channels = tuple(_updates_only(_spread(c)) for c in recording.channels)
    same = all(a is b for a, b in zip(channels, recording.channels, strict=True))
    return recording if same else replace(recording, channels=channels)


def _spread(channel: Channel) -> Channel:
    """Samples of one stamp evenly from it to the next one, where that is how the clock was written."""
    later = channel.time_s[1:] > channel.time_s[:-1]
    stamps_told = 1 + int(np.count_nonzero(later))
    if channel.samples - stamps_told <= _MOST_TWICE * channel.samples or stamps_told < 2:
        return channel
    first = np.append(0, np.flatnonzero(later) + 1)
    count = np.diff(np.append(first, channel.samples))
    stamps = channel.time_s[first]
    lasts = np.append(np.diff(stamps), np.median(np.diff(stamps)))
    number = np.arange(channel.samples) - np.repeat(first, count)
    time_s = channel.time_s + np.repeat(lasts / count, count) * number
    return Channel(channel.kind, time_s, channel.values)


def _updates_only(channel: Channel) -> Channel:
    lasts = update_samples(channel.values)
    if lasts < 2:
        return channel
    at = _updates(channel.values, lasts)
    return Channel(channel.kind, channel.time_s[at], channel.values[at])


def update_samples(values: FloatArray) -> int:
    """For how many samples a value is repeated before the next one can come; 1 where it is not."""
    gaps = np.concatenate([_gaps(piece) for piece in _stretches(values)])
    if gaps.size < _LEAST_CHANGES:
        return 1
    lasts = int(np.quantile(gaps, _SOONER))
    if not 2 <= lasts <= _LONGEST:
        return 1
    # Updates may come a little early or late, as the two clocks run.
    usual = float(np.median(gaps[gaps < 1.5 * lasts]))
    whole = np.abs(gaps / usual - np.round(gaps / usual)) * usual <= max(1.0, _OFF * usual)
    return max(round(usual), 1) if float(np.mean(whole)) >= _WHOLE else 1


def _stretches(values: FloatArray) -> list[FloatArray]:
    if values.size <= _PIECES * _PIECE:
        return [values]
    starts = np.linspace(0, values.size - _PIECE, _PIECES).astype(np.int64)
    return [values[s : s + _PIECE] for s in starts.tolist()]


def _gaps(values: FloatArray) -> IntArray:
    """Samples between one change of the value and the next."""
    return np.diff(np.flatnonzero(np.diff(values) != 0.0))


def _updates(values: FloatArray, lasts: int) -> IntArray:
    """The first sample of every update; a value that stayed was told again as often as fits."""
    starts = np.append(0, np.flatnonzero(np.diff(values) != 0.0) + 1)
    lengths = np.diff(np.append(starts, values.size))
    told = np.maximum(1, np.round(lengths / lasts)).astype(np.int64)
    number = np.arange(int(told.sum())) - np.repeat(np.cumsum(told) - told, told)
    within = number * np.repeat(lengths, told) // np.repeat(told, told)
    return np.asarray(np.repeat(starts, told) + within, dtype=np.intp)
