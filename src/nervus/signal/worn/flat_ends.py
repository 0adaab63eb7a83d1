"""The ends of a flat: where a track that stood catches up it seems to leave its course."""

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
# Where a flat lies is known within this, percent of travel.
_NEAR_PCT = 1.0


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
