"""Whether a place at which a track seems to step or to stand is as quiet as a track is anywhere.

What has stepped is off by one amount, and what stands reads one level; over a rough stretch a track
seems to do either now and then, and goes on from sample to sample as it is rough.
"""

from math import sqrt

import numpy as np

from nervus.domain.finding import DeadSpot, Noise, Shape
from nervus.signal.arithmetic.robust import OF_MEDIAN, off_neighbours
from nervus.signal.arithmetic.spans import inside
from nervus.signal.explained.shaft import Shaft
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.worn.apart import by_place
from nervus.signal.worn.roughness import OWN_SHARE, averaged

# What varies by more than this share of what a step is off by is rough. That is seen in so many
# samples, without this share of its width at each edge; what it is off by anyway so far beside, but for
# what is so near to its edges, percent of travel.
_UNSTEADY, _LEAST_STEADY, _EDGE, _BESIDE_PCT, _AT_EDGE_PCT = 0.4, 10, 0.15, 6.0, 1.0
# Of a lone track: by so many times what it varies by elsewhere. So near to its ends, in intervals, a
# sample or its neighbour may be a mean over an edge.
_TIMES, _OF_ENDS = 2.5, 2.1
# What goes back by so many deviations of its noise is none.
_BACK = 6.0


def is_unsteady(spot: DeadSpot, shaft: Shaft, rough: Noise) -> bool:
    """Whether a track that steps, or stands, goes on from sample to sample as what is rough does.

    Args:
        spot: the place.
        shaft: with its tracks.
        rough: what may be rough there.
    """
    track = next(t for t in shaft.tracks if t.id in spot.channels)
    if spot.shape is Shape.FLAT and shaft.pair is None:
        return goes_back(spot, track)
    if spot.shape is not Shape.STEP:
        return False
    return (
        _varies(spot, track, shaft) if shaft.pair is not None else _is_rough_within(spot, track, rough)
    )


def _varies(spot: DeadSpot, track: Instrument, shaft: Shaft) -> bool:
    """Whether what a track is off its sister by is another amount from sample to sample."""
    low, high = spot.travel_pct
    edge = _EDGE * (high - low)
    off = by_place(shaft, track, (low + edge, high - edge), spot.times_s)
    sides = ((low - _BESIDE_PCT, low - _AT_EDGE_PCT), (high + _AT_EDGE_PCT, high + _BESIDE_PCT))
    beside = np.concatenate([by_place(shaft, track, side) for side in sides])
    if off.size < _LEAST_STEADY or not beside.size:
        return False
    by = abs(float(np.median(off) - np.median(beside)))
    return float(np.sqrt(np.mean(np.diff(off) ** 2) / 2.0)) > _UNSTEADY * by


def _is_rough_within(step: DeadSpot, track: Instrument, rough: Noise) -> bool:
    """Whether a lone track is off the middle of its neighbours all through a place."""
    track = averaged(track)
    ends = _OF_ENDS * track.interval_s
    within = tuple((a + ends, b - ends) for a, b in step.times_s if b - a > 2.0 * ends)
    off = np.abs(off_neighbours(track.level)[inside(track.time_s[1:-1], within)])
    if off.size < _LEAST_STEADY:
        return False
    varies = OF_MEDIAN * float(np.median(off)) / sqrt(OWN_SHARE)
    return track.own_value(varies) > _TIMES * rough.usual_rms


def goes_back(flat: DeadSpot, track: Instrument) -> bool:
    """Whether a lone track that seems to stand goes back in most passes: what stands only leaps on."""
    seen = averaged(track)
    first = np.maximum(seen.time_s.searchsorted([a for a, _ in flat.times_s]) - 1, 0)
    behind = seen.time_s.searchsorted([b for _, b in flat.times_s], side="right") + 1
    ways = [seen.level[a:b] for a, b in zip(first.tolist(), behind.tolist(), strict=True)]
    rising = [np.sign(way[-1] - way[0]) * way for way in ways]
    back = [float(np.max(np.maximum.accumulate(way) - way)) for way in rising]
    least = max(_BACK * track.noise * sqrt(track.interval_s / seen.interval_s), track.resolution)
    return bool(back) and float(np.median(back)) > least
