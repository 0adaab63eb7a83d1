"""What goes with a flat: it is quiet, and where the track catches up it seems to leave its course."""

from math import sqrt

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.domain.finding import DeadSpot
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.arithmetic.spans import Union
from nervus.signal.explained.events import Event
from nervus.signal.explained.shaft import FLAT_DEPTH_PCT
from nervus.signal.instruments.instrument import Instrument

# What leaps at the end of a stand goes no further than this many times the stretch that was worn.
_MOST_LEAP = 1.5
# No stand is so many times noisier than its track usually is; told from so many samples.
_MOST_NOISE, _LEAST_INSIDE = 3.0, 8
# Where a flat lies is known within this, percent of travel.
_NEAR_PCT = 1.0


def is_quiet(track: Instrument, flat: DeadSpot) -> bool:
    """Whether a track is no noisier than usual while one stands: a rough one stands on the average only.

    It may also be the other one, by which the stand was told.
    """
    off = [np.empty(0)]
    for start, end in flat.times_s:
        first, last = np.searchsorted(track.time_s, (start, end)).tolist()
        inside = track.level[first + 1 : max(last - 1, 0)]  # at the ends it comes and goes
        if inside.size > 2 and np.ptp(inside) > 0.0:
            # Not the level itself: the other track moves meanwhile.
            off.append(inside[1:-1] - (inside[:-2] + inside[2:]) / 2.0)
    bend = np.abs(np.concatenate(off))
    if bend.size < _LEAST_INSIDE:
        return True
    # Three quarters of a normal distribution lie within 1.15 deviations; what a sample is off the middle
    # of two others varies by the half more.
    rough = float(np.quantile(bend, 0.75)) / 1.15 / sqrt(1.5)
    return rough <= _MOST_NOISE * max(track.noise, track.resolution / 2.0)


class FlatEnds:
    """What the flats of one track explain of its events.

    Args:
        track: the track.
        flats: its flat dead spots.
        travel: instants and percent of travel, both of shape (n,).
        span_pct: its whole travel, percent of supply.
    """

    def __init__(
        self,
        track: Instrument,
        flats: tuple[DeadSpot, ...],
        travel: tuple[FloatArray, FloatArray],
        span_pct: float,
    ) -> None:
        self._track, self._travel = track, travel
        wide = [f.travel_pct[1] - f.travel_pct[0] for f in flats]
        self._most = _MOST_LEAP * max(wide, default=0.0) * span_pct / 100.0
        self._places = tuple(f.travel_pct for f in flats)
        self._stands = Union(s for f in flats for s in f.times_s)

    def explain(self, event: Event) -> bool:
        """Whether an event is the catching up after a stand, and nothing besides."""
        if event.channels != (self._track.id,):
            return False
        if event.deepest[1].depth <= FLAT_DEPTH_PCT:
            return self._stands.touches(event.span_s, self._track.interval_s)
        # From the leap on its course may have been drawn on to anywhere: the leap alone counts.
        ends = zip(event.span_s, (-1, 1), strict=True)
        leaps = [self._edge(at, step) for at, step in ends if self._is_at_place(at)]
        return bool(leaps) and max(leaps) <= self._most

    def _is_at_place(self, at_s: float) -> bool:
        percent = float(read_at(at_s, *self._travel))
        return any(low - _NEAR_PCT <= percent <= high + _NEAR_PCT for low, high in self._places)

    def _edge(self, at_s: float, step: int) -> float:
        """By how much the level changes between the first or last sample off the course and the next."""
        end = self._track.level.size - 1
        at = min(int(np.searchsorted(self._track.time_s, at_s)), end)
        beside = min(max(at + step, 0), end)
        return abs(float(self._track.level[at] - self._track.level[beside]))
