"""What both tracks say together is true: an excursion that the sister track confirms is motion."""

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.signal.events import Event
from nervus.signal.excursions import Excursion
from nervus.signal.levels import TrackSignal
from nervus.signal.relation import Line

# The sister confirms an excursion when it differs from it by less than this share of its depth.
_CONFIRMS = 0.3


def is_motion(event: Event, first: TrackSignal, second: TrackSignal, line: Line, skew_s: float) -> bool:
    """Whether the other track went there too, as the relation of the tracks wants it.

    An excursion to a rail is none: an open supply or ground takes both tracks there.
    """
    for channel, excursion in event.parts:
        own, other = (first, second) if channel == first.id else (second, first)
        if own.is_unusual(excursion.level):
            return False
        expected = _through(line, other is second, _levels(other, excursion, skew_s))
        seen = _levels(own, excursion, 0.0)
        if not expected.size or not seen.size:
            return False
        apart = abs(float(np.median(seen)) - float(np.median(expected)))
        if apart > max(_CONFIRMS * excursion.depth, own.tolerance + other.tolerance):
            return False
    return True


def _levels(track: TrackSignal, excursion: Excursion, skew_s: float) -> FloatArray:
    """The samples of a track during an excursion; between samples, what it shows by interpolation."""
    start, end = excursion.span_s
    times = np.linspace(start, end, max(3, min(excursion.samples, 200))) + skew_s
    within = times[(times >= track.time_s[0]) & (times <= track.time_s[-1])]
    return np.asarray(np.interp(within, track.time_s, track.level))


def _through(line: Line, to_first: bool, level: FloatArray) -> FloatArray:  # noqa: FBT001 - private
    return (level - line.offset) / line.slope if to_first else line.at(level)
