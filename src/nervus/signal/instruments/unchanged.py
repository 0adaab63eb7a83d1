"""What a logger left out because nothing had changed: it stood meanwhile, and is written out again."""

from collections.abc import Sequence
from math import inf

import numpy as np

from nervus.domain.channel import BoolArray, Channel, FloatArray
from nervus.signal.instruments import sampling
from nervus.signal.instruments.reading_gaps import told_again

# A logger leaves out where so large a share of the rows is missing from intervals longer than so many
# of the usual, which is what all but so few take at least.
_LEFT_OUT, _LONGER, _SOONEST = 0.02, 1.5, 0.05
# Where the least changes are told, so many at least and so large a share of all, as many readings are
# alike, or less apart than so much of it, where nothing is left out. No more than so many of these are,
# or nothing is.
_LEAST, _SHARE, _LESS, _ALIKE = 15, 0.015, 0.9, 0.05
# Of several channels all are unchanged at once by chance: if in fewer rows than this share of those,
# rows were left out.
_BY_CHANCE = 0.2
# This share of the changes may be smaller than what is told.
_ODD = 0.005
# Within so many usual intervals; after a while also what has not changed may be written down.
_AT_ONCE = 3.0
# No more readings than this come of it, in a channel: longer recordings stay as they are.
_MOST = 4_000_000


def written_out(channels: Sequence[Channel]) -> Sequence[Channel]:
    """Channels that share their rows, with each row that was left out since none of them had changed."""
    time_s = channels[0].time_s
    if time_s.size <= _LEAST:
        return channels
    every = max(1, time_s.size // 10_000)
    some_s = time_s[1::every] - time_s[:-1:every]
    usual_s = float(np.quantile(some_s, _SOONEST))
    usual_s = float(np.median(some_s[some_s < _LONGER * usual_s])) if usual_s > 0.0 else 0.0
    long_s = some_s[some_s > _LONGER * usual_s]
    if usual_s <= 0.0 or float(np.sum(long_s / usual_s - 1.0)) < _LEFT_OUT * some_s.size:
        return channels
    step_s = np.diff(time_s)
    alike, least = _changes(channels, step_s < _AT_ONCE * usual_s)
    slight = np.count_nonzero(least)
    if slight < max(_LEAST, _SHARE * step_s.size) or np.count_nonzero(alike) > _ALIKE * slight:
        return channels
    by_chance = _alike_by_chance(channels) if len(channels) > 1 else inf
    if by_chance < _LEAST or np.count_nonzero(alike) >= _BY_CHANCE * by_chance:
        return channels
    times = np.append(np.maximum(1.0, np.round(step_s / usual_s)), 1.0).astype(np.int64)
    if int(times.sum()) > _MOST:
        return channels
    which, number = told_again(times)
    stamps = time_s[which] + number * (np.append(step_s, usual_s) / times)[which]
    return [Channel(c.kind, stamps, c.values[which]) for c in channels]


def _changes(channels: Sequence[Channel], soon: BoolArray) -> tuple[BoolArray, BoolArray]:
    """How far the channels went from one row to the next, of those that soon followed.

    Returns:
        Where none of them changed by what is told, and where none by much more, shape (m,) each. Who
        writes each channel down by itself may have told it to leave out more than a converter's step.
    """
    most: FloatArray = np.zeros(np.count_nonzero(soon))
    for channel in channels:
        changes = np.abs(np.diff(channel.values)[soon])
        some = np.sort(changes[changes > 0.0]) if len(channels) == 1 else np.empty(0)
        step = float(some[int(_ODD * some.size)]) if some.size else sampling.resolution(channel.values)
        if step > 0.0:
            np.maximum(most, changes / step, out=most)
    return most < _LESS, (most > _LESS) & (most < _LONGER)


def _alike_by_chance(channels: Sequence[Channel]) -> float:
    """How many rows would repeat the one before in all channels, did each by itself at random."""
    unchanged = [float(np.mean(np.diff(c.values) == 0.0)) for c in channels]
    return float(np.prod(unchanged)) * (channels[0].samples - 1)
