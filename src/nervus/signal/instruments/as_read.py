"""What a program wrote down as it was read: nothing twice, left out, drawn, or at one instant.

A program that writes readings down has a grid of rows of its own: it repeats what is not new, or leaves
it out, or draws lines. And a clock that is written more coarsely than it is read gives several samples
one stamp: they came one after the other all the same.
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from nervus.domain.channel import Channel, Recording
from nervus.signal.instruments.filtered import without_filter
from nervus.signal.instruments.held_values import updates_only
from nervus.signal.instruments.lost_link import without_lost
from nervus.signal.instruments.packets import evenly_stamped
from nervus.signal.instruments.reading_gaps import told_again
from nervus.signal.instruments.straight_lines import bends_only
from nervus.signal.instruments.unchanged import written_out

# So few samples at a stamp that was there before are a slip; more are how the clock was written.
_MOST_TWICE = 0.02
# Where no more stamps than this come again, always with the same value, a row was written twice.
_MOST_WRITTEN_TWICE = 0.5


def as_read(recording: Recording) -> Recording:
    """The recording with what was read, each reading once and at an instant of its own."""
    rows: dict[tuple[int, bytes], list[Channel]] = {}
    for channel in recording.channels:
        some_s = channel.time_s[:: max(1, channel.samples // 100)]
        rows.setdefault((channel.samples, some_s.tobytes()), []).append(channel)
    read = {c.id: c for alike in rows.values() for c in _of_one_clock(alike)}
    if not all(read[c.id] is c for c in recording.channels):
        recording = replace(recording, channels=tuple(read[c.id] for c in recording.channels))
    return without_filter(without_lost(recording))


def _of_one_clock(channels: Sequence[Channel]) -> Sequence[Channel]:
    """Channels that share their rows, as they were read."""
    channels = evenly_stamped(channels)
    read = [updates_only(_spread(c)) for c in written_out(channels)]
    # A program that draws lines between readings neither repeats them nor leaves them out.
    drawn = all(a is b for a, b in zip(read, channels, strict=True))
    return bends_only(read) if drawn else read


def _spread(channel: Channel) -> Channel:
    """Samples of one stamp evenly from it to the next one, where that is how the clock was written."""
    later = channel.time_s[1:] > channel.time_s[:-1]
    stamps_told = 1 + int(np.count_nonzero(later))
    if channel.samples - stamps_told <= _MOST_TWICE * channel.samples or stamps_told < 2:
        return channel
    first = np.append(0, np.flatnonzero(later) + 1)
    count = np.diff(np.append(first, channel.samples))
    if not np.any(np.diff(channel.values)[~later]) and float(np.mean(count > 1)) < _MOST_WRITTEN_TWICE:
        return Channel(channel.kind, channel.time_s[first], channel.values[first])
    stamps = channel.time_s[first]
    lasts = np.append(np.diff(stamps), np.median(np.diff(stamps)))
    which, number = told_again(count)
    return Channel(channel.kind, channel.time_s + number * (lasts / count)[which], channel.values)
