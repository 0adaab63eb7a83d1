"""An open line seen beside a sound track: it reads one and the same level, whatever the throttle does.

Once some interruptions of a track are sure, the level that its input then goes to is known. What reads
that level while the other track says that the throttle is elsewhere is one more of them, also where it
is too shallow or comes too slowly to be one by itself.
"""

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.domain.finding import Span
from nervus.signal.events import Event
from nervus.signal.excursions import BURST_GAP_S, Excursion
from nervus.signal.levels import TrackSignal
from nervus.signal.spans import Union, merge, runs

# The level is known from so many interruptions, this share of the track's, that agree within this,
# percent of supply.
_LEAST_EVENTS, _LEAST_SHARE, _AGREE_PCT = 3, 0.5, 0.4
# The samples of one interruption are no further apart than this many intervals.
_GAP_INTERVALS = 2.1


def open_level(track: TrackSignal, events: tuple[Event, ...]) -> float | None:
    """The level that a track's input goes to while its line is open, percent of supply.

    `None` where too few events tell it, or where samples are so close that edges tell each event.
    """
    levels = np.asarray([e.level for event in events for name, e in event.parts if name == track.id])
    if levels.size < _LEAST_EVENTS or not track.is_slow:
        return None
    level = float(np.median(levels))
    near = np.count_nonzero(np.abs(levels - level) <= _AGREE_PCT)
    return level if near >= max(_LEAST_EVENTS, _LEAST_SHARE * levels.size) else None


def more_at_open_level(
    track: TrackSignal,
    level: float,
    expected: FloatArray,
    allowance: FloatArray,
    known: tuple[Event, ...],
) -> tuple[Event, ...]:
    """Interruptions of a track that are told only by the level they go to.

    Args:
        track: the track.
        level: what it reads while its line is open, percent of supply.
        expected: what the other track tells at its instants, as its own level, shape (n,).
        allowance: what noise and timing explain of a difference, percent of supply, shape (n,).
        known: the events of all tracks.
    """
    half = max(_AGREE_PCT, track.tolerance)
    at = (np.abs(track.level - level) <= half) & (np.abs(track.level - expected) > allowance + half)
    gap_s = max(BURST_GAP_S, _GAP_INTERVALS * track.interval_s)
    ends = ((float(track.time_s[a]), float(track.time_s[b])) for a, b in zip(*runs(at), strict=True))
    taken_s = Union(e.span_s for e in known if track.id in e.channels and not e.is_weak)
    fresh = (s for s in merge(ends, gap_s) if not taken_s.touches(s, gap_s))
    return tuple(_event(track, span, level, expected) for span in fresh)


def _event(track: TrackSignal, span: Span, level: float, expected: FloatArray) -> Event:
    first, last = np.searchsorted(track.time_s, span).tolist()
    ends = float(expected[first]), float(expected[last])
    return Event(((track.id, Excursion(span, *ends, level, last - first + 1)),), span)
