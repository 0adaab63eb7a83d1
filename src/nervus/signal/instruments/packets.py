"""Readings that came in packets: a link collects several, and each gets the stamp of when it arrived.

What reads at even intervals and sends by radio, or behind a driver that keeps what it got for a while,
is stamped when a packet comes in: several readings within a millisecond or two, then none for long.
By their stamps a shaft would leap from packet to packet and stand still within each.
"""

from collections.abc import Sequence

import numpy as np

from nervus.domain.channel import BoolArray, Channel, FloatArray
from nervus.signal.instruments.reading_gaps import some_stretches

# Within a packet readings follow each other by less than this share of the mean interval.
_WITHIN = 0.25
# So many packets at least are a way of sending, and so much of all readings came in them.
_LEAST_PACKETS, _MOSTLY = 8, 0.5
# Of readings taken as quickly as their stamps say, next to none of the motion is within packets, and of
# what was written down only as it changed, all of it. What was taken evenly has as much of it there, to
# this share, as its readings are.
_EVENLY = 0.5


def evenly_stamped(channels: Sequence[Channel]) -> Sequence[Channel]:
    """Channels that share their stamps, where these came in packets spread over the time since the last.

    They come back as they are where the values moved within the packets hardly at all, or only there:
    they were read as quickly as they are stamped. So they do where all of a packet has one stamp.
    """
    time_s = channels[0].time_s
    if time_s.size < 2 * _LEAST_PACKETS or not any(map(_has_packets, some_stretches(time_s))):
        return channels
    opens = _opens_a_packet(time_s)
    first = np.flatnonzero(opens)
    many = np.diff(np.append(first, time_s.size))
    if np.count_nonzero(many > 1) < _LEAST_PACKETS or many[many > 1].sum() < _MOSTLY * time_s.size:
        return channels
    # What all has one stamp was written by a coarse clock: it came behind that.
    together = time_s[first + many - 1] == time_s[first]
    if float(np.mean(together[many > 1])) > _MOSTLY or not any(
        _moved_within(c.values, first, many) for c in channels
    ):
        return channels
    even_s = _spread(time_s, first, many)
    return [Channel(c.kind, even_s, c.values) for c in channels]


def _has_packets(time_s: FloatArray) -> bool:
    """Whether a part of it looks as if it had: else a long recording need not be gone through."""
    return not _opens_a_packet(time_s).all()


def _opens_a_packet(time_s: FloatArray) -> BoolArray:
    """Which readings came long after the one before, shape (n,)."""
    took_s = np.diff(time_s)
    return np.append(True, took_s > _WITHIN * float(np.mean(took_s)))


def _moved_within(values: FloatArray, first: np.ndarray, many: np.ndarray) -> bool:
    """Whether as much of the motion was within packets as if all had been read evenly."""
    last = first + many - 1
    within = float(np.abs(values[last] - values[first]).sum())
    between = float(np.abs(values[first[1:]] - values[last[:-1]]).sum())
    evenly = float(np.sum(many - 1)) / max(first.size - 1, 1) * between
    return _EVENLY * evenly < within < evenly / _EVENLY


def _spread(time_s: FloatArray, first: np.ndarray, many: np.ndarray) -> FloatArray:
    """Each packet's readings evenly from the end of the one before to its own, shape (n,)."""
    ends_s = time_s[first + many - 1]
    usual_s = float(np.median(np.diff(ends_s) / many[1:]))
    begins_s = np.append(ends_s[0] - usual_s * many[0], ends_s[:-1])
    which = np.repeat(np.arange(first.size), many)
    number = np.arange(time_s.size) - first[which] + 1
    even_s: FloatArray = begins_s[which] + number * ((ends_s - begins_s) / many)[which]
    return even_s
