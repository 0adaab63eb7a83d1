"""The other track of a shaft that stood all along, as a witness that it stood.

At a standstill nothing tells how two tracks relate, so no line says where one should be by the other.
But both are moved by one shaft: where one leaps through its range and the other stays, the shaft stayed.
That is how a harness is shaken, at rest, and read slowly through a control unit.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import Span, Unit
from nervus.domain.finding import Floor
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.instruments.instrument import Instrument, floor_of
from nervus.signal.motion.course import Course

# It stood all along where nine tenths of what it read, its candidates left out, lie so near, percent of
# supply.
_STOOD_PCT, _MIDDLE = 4.0, (5.0, 95.0)
# Of two tracks of one shaft the one goes so far at the least as the other goes (common practice: a half
# or a third of its range, no published source).
_LEAST_SHARE = 0.3
# Looked at for so long before and behind, in seconds: two loggers' clocks are apart by some tenths.
_BESIDE_S = 0.5
# She says no more than so many nats.
_MOST_NATS = 10.0


@dataclass(frozen=True, slots=True, eq=False)
class Stood:
    """Two tracks that stood all along, and between which levels each did, percent of supply."""

    tracks: tuple[Instrument, ...]
    rest: Mapping[str, Span]

    def says(self, track: Instrument, excursion: Excursion) -> float:
        """How much the other speaks for an excursion being motion, in nats: never for, only against."""
        other = next(t for t in self.tracks if t.id != track.id)
        start, end = excursion.deepest_s or excursion.span_s
        if not np.diff(other.time_s.searchsorted((start - 1e-9, end + 1e-9))).any():
            return 0.0  # she was not read meanwhile
        around = slice(*other.time_s.searchsorted((start - _BESIDE_S, end + _BESIDE_S)).tolist())
        (low, high), level = self.rest[other.id], other.level[around]
        went = float(np.max(np.maximum(low - level, level - high), initial=0.0))
        short = _LEAST_SHARE * excursion.depth - (high - low) - went
        return -min((max(short, 0.0) / other.tolerance) ** 2 / 2.0, _MOST_NATS)


def who_stood(seen: Mapping[str, tuple[Instrument, Course]]) -> Stood | None:
    """Both tracks of a shaft that stood all along; `None` where it moved, or one may not be alive.

    Args:
        seen: two tracks that nothing relates, each with its course, without what may be no motion.
    """
    rest: dict[str, Span] = {}
    for name, (track, course) in seen.items():
        low, high = np.percentile(course.level, _MIDDLE).tolist()
        at_rail = track.kind.unit is Unit.VOLT and floor_of((low + high) / 2.0) is not Floor.INTERMEDIATE
        # What does not change by a single step may be held by who tells it.
        if high - low > _STOOD_PCT or at_rail or not np.ptp(course.level):
            return None
        rest[name] = low, high
    return Stood(tuple(track for track, _ in seen.values()), rest) if rest else None
