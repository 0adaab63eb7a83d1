"""What smooths a track before it is read, an input's low-pass or a unit's average, by its edges.

A contact opens and closes at once; what is seen is the step response of what lies behind it. Of one
resistor and one capacitor, what is left of a step falls by a factor of four within ln 4 time constants.
Without an edge nothing is known.
"""

from collections.abc import Sequence
from math import log

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.instruments.instrument import Instrument

# What is left of a step where its fall begins and ends to be timed, far from noise at either end.
_FROM, _TO = 0.8, 0.2
# An excursion so many tolerances deep, of so many samples, has edges; so many edges tell,
# and so many are enough.
_DEEP, _LEAST_SAMPLES, _LEAST_EDGES, _ENOUGH_EDGES = 8.0, 8, 4, 40
# A step that falls within so many samples was not smoothed as far as these can show.
_LEAST_INTERVALS = 1.6
# Returns through one filter take alike long: quartiles no further apart than this factor. Only what was
# away so many times longer than its return takes was away for good.
_ALIKE, _LONGER = 1.8, 14.0


def smoothed_s(track: Instrument, parts: Sequence[Excursion]) -> float | None:
    """The time constant of what smooths a track, in seconds; `None` where no edge tells.

    Args:
        track: as it was read.
        parts: its interruptions.
    """
    deep = [p for p in parts if p.samples >= _LEAST_SAMPLES and p.depth >= _DEEP * track.tolerance]
    some = deep[:: max(1, len(deep) // _ENOUGH_EDGES)]
    each = [(_return_s(track, part), part.span_s[1] - part.span_s[0]) for part in some]
    took = [s for s, lasted in each if s is not None and _LONGER * s <= lasted]
    if len(took) < _LEAST_EDGES:
        return None
    low, fall_s, high = np.percentile(took, [25.0, 50.0, 75.0]).tolist()
    if high > _ALIKE * low or fall_s < _LEAST_INTERVALS * track.interval_s:
        return None
    return float(fall_s / log(_FROM / _TO))


def _return_s(track: Instrument, part: Excursion) -> float | None:
    """How long the last fall of what is left of an interruption takes, between the two shares of it.

    A contact that opens may chatter; when it has closed for good, the rest falls without a stop.
    """
    first, last = np.searchsorted(track.time_s, part.span_s).tolist()
    quarter = max((last - first) // 4, 2)
    back = track.level[last + 1 : last + 2 + quarter]
    if back.size <= quarter:
        return None
    stretch = slice(first, last + 2 + quarter)
    left = np.abs(track.level[stretch] - float(np.median(back[quarter // 2 :])))
    near = np.flatnonzero(left > _TO * left.max())
    if not near.size:
        return None  # it is as far behind as it was away
    # Back from the last sample that is far, as long as it was further before.
    top = int(near[-1])
    while top > 0 and left[top - 1] >= left[top] - track.tolerance / 2.0:
        top -= 1
    top += int(np.argmax(left[top : near[-1] + 1]))
    return _fall_s(track.time_s[stretch][top:], left[top:], float(left[top]))


def _fall_s(time_s: FloatArray, left: FloatArray, whole: float) -> float | None:
    """How long what is left of a step takes between the two shares, straight between samples."""
    low = np.flatnonzero(left <= _TO * whole)
    if not low.size or low[0] == 0:
        return None
    high = np.flatnonzero(left[: low[0]] >= _FROM * whole)
    at = [
        _crossed(time_s, left, n, share * whole) for n, share in ((high[-1], _FROM), (low[0] - 1, _TO))
    ]
    return float(at[1] - at[0])


def _crossed(time_s: FloatArray, left: FloatArray, before: int, level: float) -> float:
    """When it falls below a level, between a sample and the next."""
    part = (left[before] - level) / max(left[before] - left[before + 1], 1e-12)
    return float(time_s[before] + min(max(part, 0.0), 1.0) * (time_s[before + 1] - time_s[before]))
