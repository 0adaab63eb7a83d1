"""Where a unit that lost a track may have kicked its plate, quicker than a hand or a spring moves it.

A unit regulates its plate by the tracks. One that opens, or is shorted, says that the plate is
elsewhere, and within milliseconds the motor is driven at its full duty, until the unit goes by the other
track. Both show that motion, the lost one where it touches. (Common practice, no published source: a
throttle that twitches at a worn place.)
"""

from collections.abc import Mapping, Sequence
from itertools import permutations

from nervus.domain.channel import Sensor
from nervus.signal.arithmetic.spans import Union
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.candidates.proposing import Candidates
from nervus.signal.instruments.instrument import Instrument

# A motor at full duty, with its spring, gives a plate no more than this, percent of travel a second
# squared: it takes 60 ms or more for the whole travel, with a time constant of 8 ms or more, so
# 100 / 0.06 / 0.008 (J. Deur et al., "An electronic throttle control strategy including compensation of
# friction and limp-home effects", IEEE Trans. Ind. Appl. 40 (2004) 821-834; from memory).
_FULL_DUTY = 208_000.0
# So long after a track was lost its unit may still act on it, or on what it did (from memory).
_STILL_S = 0.15
# What leaves within this share of an interval leaves at once: no motor is as quick.
_AT_ONCE = 0.75


class Kicks:
    """When one of two tracks of a throttle was lost, at a rail, and the other not; read quickly.

    Of a lone track nobody else shows that its plate moved.
    """

    def __init__(self, tracks: Sequence[Instrument], candidates: Mapping[str, Candidates]) -> None:
        found = {t.id: [e for e in candidates[t.id].excursions if not e.weak] for t in tracks}
        starts = {name: [e.span_s[0] for e in own] for name, own in found.items()}
        left = {name: Union(zip(own, own, strict=True)) for name, own in starts.items()}
        self._after_s = Union(
            (e.span_s[0], e.span_s[1] + _STILL_S)
            for t, sister in permutations(tracks, 2)
            if t.kind.sensor is Sensor.THROTTLE and not t.is_slow
            for e in found[t.id]
            if t.is_at_rail(e.level)
            and not left[sister.id].touches((e.span_s[0], e.span_s[0]), _AT_ONCE * t.interval_s)
        )

    def may_be(self, track: Instrument, excursion: Excursion) -> bool:
        """Whether it may be the plate's motion after a track was lost: at no rail, and no further."""
        (start, end), level = excursion.span_s, excursion.level
        if track.is_unusual(level) or not self._after_s.touches((start, start), track.interval_s):
            return False
        low, high = track.usual
        most = _FULL_DUTY * (end - start + 2.0 * track.interval_s) ** 2 / 4.0
        return 100.0 * excursion.depth <= most * (high - low)
