"""How rough a track is beside its sister, both read slowly: motion taken out of what they differ by.

What is off its neighbours' middle is motion as well as roughness there; what two tracks are apart by
holds no motion but what went on between their readings.
"""

import numpy as np

from nervus.domain.channel import FloatArray, Span
from nervus.signal.arithmetic.robust import (
    OF_MEDIAN,
    bends_beside,
    even_median,
    off_neighbours,
    running_extremes,
)
from nervus.signal.arithmetic.spans import inside
from nervus.signal.instruments.instrument import Instrument

# What two tracks are apart anyway is told over so many cells, each so wide, to each side; faster than
# this, percent of supply a second, the shaft moves.
_CELL_PCT, _AROUND, _MOVING_PCT_PER_S = 2.0, 6, 10.0
# Where the shaft bends by more, percent of supply, what tracks read in turn are apart by is motion.
STRAIGHT_PCT = 2.0
# So many readings tell how rough a stretch is.
_LEAST_THERE = 3


def apart_at_rest(
    track: Instrument, sister: FloatArray, travel: tuple[FloatArray, FloatArray]
) -> FloatArray:
    """How far a track is off what the sister tells, as if both had been read at one instant at rest.

    Against what they are apart there anyway; and the further motion between the readings may have put
    them apart, the less it says. Shape (n,) to (n - 2,), percent of supply.
    """
    percent = np.interp(track.time_s, *travel)
    off = track.level - sister - _usually_apart(percent, track.level - sister)
    return np.asarray(off * _weight(track, sister, off), dtype=np.float64)[1:-1]


def _weight(track: Instrument, sister: FloatArray, off: FloatArray) -> FloatArray:
    """How much each sample says: the less, the further motion between the readings may have put them.

    Args:
        track: the track.
        sister: what the other one says of its samples, shape (n,).
        off: what they are apart besides what they are anyway, shape (n,).
    """
    speed = np.abs(np.gradient(sister, track.time_s))
    speed = running_extremes(np.pad(speed, 2, mode="edge"), 5)[1]
    moving = speed > _MOVING_PCT_PER_S
    still = np.abs(off[~moving]) if not moving.all() else np.zeros(1)
    at_rest = max(OF_MEDIAN * float(np.median(still)), track.resolution / 2.0, track.noise)
    timing_s = 0.0
    if moving.any():
        besides = np.maximum(np.abs(off[moving]) - at_rest, 0.0)
        timing_s = OF_MEDIAN * float(np.median(besides / speed[moving]))
    return np.asarray(at_rest / np.hypot(at_rest, speed * timing_s))


def roughness_within(
    track: Instrument,
    sister: FloatArray,
    travel: tuple[FloatArray, FloatArray],
    place: Span,
    masked: tuple[Span, ...],
) -> float | None:
    """How rough a track that is read slowly is from one place of a stretch to the next, in any pass.

    What it is off by anyway is in two samples of one place alike, whose difference has twice the
    variance of each (von Neumann: Ann. Math. Stat. 12 (1941) 367-395). Percent of supply; `None` where
    too little was read there.
    """
    percent = np.interp(track.time_s, *travel)
    apart = track.level - sister
    weight = _weight(track, sister, apart - _usually_apart(percent, apart))
    within = (percent >= place[0]) & (percent <= place[1])
    there = np.flatnonzero(within & ~inside(track.time_s, masked, track.interval_s))
    if there.size < _LEAST_THERE:
        return None
    there = there[np.argsort(percent[there])]
    jumps = np.diff(apart[there]) * np.minimum(weight[there][1:], weight[there][:-1])
    return float(np.sqrt(np.mean(jumps**2) / 2.0))


def own_roughness(
    track: Instrument, sister: FloatArray, travel: tuple[FloatArray, FloatArray], place: Span
) -> float:
    """How much of what two tracks are apart by over a stretch is one's own: percent of supply squared.

    What is its own is also how far it is off the middle of its neighbours; what is the other's is not.
    """
    percent = np.interp(track.time_s[1:-1], *travel)
    # Where she bends it is motion, and what tracks read in turn are apart by tells of neither.
    there = (percent >= place[0]) & (percent <= place[1])
    there &= bends_beside(sister)[1:-1] <= STRAIGHT_PCT
    apart = track.level - sister
    own = (apart[1:-1] - np.median(apart)) * off_neighbours(track.level)
    return float(np.mean(own[there])) if there.any() else 0.0


def _usually_apart(percent: FloatArray, apart: FloatArray) -> FloatArray:
    """What two tracks are apart around each sample's place, over more than is worn, shape (n,)."""
    cells = int(100.0 / _CELL_PCT)
    cell = np.clip((percent / _CELL_PCT).astype(np.int64), 0, cells - 1)
    order = np.argsort(cell, kind="stable")
    parts = np.split(apart[order], np.searchsorted(cell[order], np.arange(1, cells)))
    seen = np.flatnonzero([p.size > 0 for p in parts])
    middle = np.asarray([np.median(parts[k]) for k in seen])
    smooth = even_median(middle, _AROUND)
    return np.asarray(np.interp(cell, seen, smooth), dtype=np.float64)
