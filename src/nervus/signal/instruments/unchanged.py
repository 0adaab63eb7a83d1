"""What a logger left out because nothing had changed: it stood meanwhile, and is written out again."""

from collections.abc import Sequence

import numpy as np

from nervus.domain.channel import BoolArray, Channel, FloatArray
from nervus.signal.instruments import sampling
from nervus.signal.instruments.reading_gaps import told_again

# A logger leaves out if at least so many of its intervals are longer than so many of the usual, which is
# what all but so few take at least.
_LEFT_OUT, _LONGER, _SOONEST = 0.02, 1.5, 0.05
# Where the least changes are told, so many at least and so large a share of all, as many readings are
# alike; where nothing is left out. No more than so many of these are, or nothing is.
_LEAST, _SHARE, _ALIKE = 30, 0.1, 0.05
# Within so many usual intervals; after a while also what has not changed may be written down.
_AT_ONCE = 3.0
# No more readings than this come of it, in a channel: longer recordings stay as they are.
_MOST = 4_000_000


def written_out(channels: Sequence[Channel]) -> Sequence[Channel]:
    """Channels that share their rows, with each row that was left out since none of them had changed."""
    time_s = channels[0].time_s
    step_s = np.diff(time_s)
    if step_s.size < _LEAST:
        return channels
    some_s = step_s[:: max(1, step_s.size // 10_000)]
    usual_s = float(np.quantile(some_s, _SOONEST))
    usual_s = float(np.median(some_s[some_s < _LONGER * usual_s])) if usual_s > 0.0 else 0.0
    if usual_s <= 0.0 or float(np.mean(some_s > _LONGER * usual_s)) < _LEFT_OUT:
        return channels
    alike, least = _changes(channels)
    soon = step_s < _AT_ONCE * usual_s
    slight = np.count_nonzero(least & soon)
    if slight < max(_LEAST, _SHARE * step_s.size) or np.count_nonzero(alike & soon) > _ALIKE * slight:
        return channels
    times = np.append(np.maximum(1.0, np.round(step_s / usual_s)), 1.0).astype(np.int64)
    if int(times.sum()) > _MOST:
        return channels
    which, number = told_again(times)
    stamps = time_s[which] + number * (np.append(step_s, usual_s) / times)[which]
    return [Channel(c.kind, stamps, c.values[which]) for c in channels]


def _changes(channels: Sequence[Channel]) -> tuple[BoolArray, BoolArray]:
    """Where no channel changed from one row to the next, and where none changed by more than a step."""
    most: FloatArray = np.zeros(channels[0].samples - 1)
    for channel in channels:
        step = sampling.resolution(channel.values)
        if step > 0.0:
            np.maximum(most, np.abs(np.diff(channel.values)) / step, out=most)
    return most == 0.0, (most > 0.0) & (most < _LONGER)
