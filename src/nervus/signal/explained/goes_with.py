"""What goes up and down with a plate's opening, as a witness of whether it moved.

Where more of it goes with a plate further open, and nobody knows how much, each reading bounds all
others: what was told with the plate less open is the least with it further open; the other way round the
most. An interruption leaves it as it was. Of an engine the speed counts too: turning faster, it takes in
less at a stroke through the same opening.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import BoolArray, FloatArray, Span
from nervus.signal.arithmetic.spans import inside
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.instruments import sampling
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.motion.course import course_of

# What is told goes with the opening over so long before: a manifold fills, a sensor and its unit take
# their time (from memory: 0.05 to 0.3 s).
_OVER_S = (0.05, 0.1, 0.2, 0.4)
# It is learned from so many readings at the least, and so many are enough; the two go together.
LEAST_READINGS, _MOST, _ALIKE = 40, 600, 0.3
# A bound is what so many of the readings that tell of it, or this share of them, are beyond.
_FEW, _SHARE = 3, 0.03
# Of the readings taken while the shaft moved, by so much on average over so long, percent of supply, so
# many in a hundred keep to their bounds within two deviations. So many of them must be there.
_KEPT, _MOVES_PCT, _MOVED_S, _LEAST_MOVING = 95.0, 2.0, 0.8, 15
# It says no more than so many nats.
_MOST_NATS = 8.0


@dataclass(frozen=True, slots=True, eq=False)
class _Learned:
    """The readings that a track's openings are held against.

    Attributes:
        opening: of the plate, as the track's level, upwards where it opens, shape (k,).
        speed: of the engine, 1/min, shape (k,).
        told: falling, shape (k,).
        sign: -1 where the track falls as the plate opens.
        over_s: over how long before an instant the opening counts.
        spread: deviation of readings beyond their bounds, in the unit of what is told.
    """

    opening: FloatArray
    speed: FloatArray
    told: FloatArray
    sign: float
    over_s: float
    spread: float

    def beyond(self, opening: FloatArray, speed: FloatArray, told: FloatArray) -> FloatArray:
        """How far what is told is beyond what it can be with openings and speeds, shape (n,)."""
        more = (self.opening >= opening[:, None]) & (self.speed <= speed[:, None])
        less = (self.opening <= opening[:, None]) & (self.speed >= speed[:, None])
        most = -_bound(more[:, ::-1], -self.told[::-1])
        least = _bound(less, self.told)
        return np.maximum(np.maximum(told - most, least - told), 0.0)


@dataclass(frozen=True, slots=True, eq=False)
class GoesWith:
    """What was told and goes with the opening of a plate.

    Attributes:
        time_s: by when the plate was where it goes with it, shape (n,).
        told: shape (n,).
        speed: of the engine then, 1/min, shape (n,).
        learned: for each track what goes with its levels.
    """

    time_s: FloatArray
    told: FloatArray
    speed: FloatArray
    learned: dict[str, _Learned]

    def says(self, track: Instrument, excursion: Excursion) -> float:
        """How much it speaks for an excursion being motion, in nats; 0 where it can't tell."""
        learned = self.learned.get(track.id)
        if learned is None:
            return 0.0
        start, end = excursion.span_s
        first, last = np.searchsorted(self.time_s, (start, end + learned.over_s)).tolist()
        around = slice(*np.searchsorted(track.time_s, (start - 1.0, end + 1.0)).tolist())
        time_s, went = track.time_s[around], learned.sign * track.level[around]
        off = (time_s >= start - 1e-9) & (time_s <= end + 1e-9)
        straight = np.interp(time_s, (start, end), (excursion.before, excursion.after))
        stayed = np.where(off, learned.sign * straight, went)
        at, told, speed = self.time_s[first:last], self.told[first:last], self.speed[first:last]
        if not at.size:
            return 0.0
        if_went, if_stayed = (
            learned.beyond(_mean_before(at, time_s, level, learned.over_s), speed, told) / learned.spread
            for level in (went, stayed)
        )
        nats = (if_stayed**2 - if_went**2) / 2.0
        return float(np.clip(np.median(nats), -_MOST_NATS, _MOST_NATS))


def learn_goes_with(
    tracks: Sequence[Instrument],
    away: Mapping[str, Sequence[Excursion]],
    time_s: FloatArray,
    told: FloatArray,
    speed: FloatArray,
) -> GoesWith | None:
    """What was told as a witness; `None` where it goes with no track.

    Args:
        tracks: of the throttle.
        away: for each track where it may have left its course: nothing is learned from there.
        time_s: when it was told, rising, shape (n,).
        told: shape (n,).
        speed: of the engine then, 1/min, shape (n,).
    """
    off = {t.id: tuple(e.span_s for e in away[t.id]) for t in tracks}
    learned = {t.id: _learn(t, off[t.id], (time_s, speed, told)) for t in tracks}
    known = {name: one for name, one in learned.items() if one is not None}
    return GoesWith(time_s, told, speed, known) if known else None


def may_be_asked(tracks: Sequence[Instrument], away: Mapping[str, Sequence[Excursion]]) -> bool:
    """Whether a throttle was read so slowly that it takes a witness, and has something to ask."""
    # Two tracks may be asked afterwards, for what left a rest and came back to it.
    return (any(away.values()) or len(tracks) > 1) and any(t.is_slow for t in tracks)


def _bound(told: BoolArray, values: FloatArray) -> FloatArray:
    """What few of some readings are above, shape (n,); minus infinity where there are not enough.

    Args:
        told: for each of n readings which of k others count, shape (n, k).
        values: of the others, falling, shape (k,).
    """
    count = told.sum(axis=1)
    few = np.maximum(_FEW, np.ceil(_SHARE * count))
    at = np.argmax(np.cumsum(told, axis=1) >= few[:, None], axis=1)
    return np.where(count >= few, values[at], -np.inf)


def _mean_before(at_s: FloatArray, time_s: FloatArray, level: FloatArray, over_s: float) -> FloatArray:
    """The mean of a level over some time before instants, shape of `at_s`."""
    area = np.concatenate(([0.0], np.cumsum(np.diff(time_s) * (level[1:] + level[:-1]) / 2.0)))
    since = np.maximum(at_s - over_s, time_s[0])
    until = np.maximum(np.minimum(at_s, time_s[-1]), since + 1e-9)
    return np.asarray(
        (np.interp(until, time_s, area) - np.interp(since, time_s, area)) / (until - since)
    )


def _learn(
    track: Instrument, off: tuple[Span, ...], all_told: tuple[FloatArray, FloatArray, FloatArray]
) -> _Learned | None:
    """What goes with a track's levels, over the time that fits best; `None` where nothing does."""
    time_s, speed, told = all_told
    course = course_of(track, off)
    step = max(sampling.resolution(told), 1e-6)
    best: _Learned | None = None
    for over_s in _OVER_S:
        clean = (time_s > track.time_s[0] + over_s) & (time_s < track.time_s[-1])
        clean &= ~inside(time_s, tuple((a, b + over_s) for a, b in off))
        chosen = np.flatnonzero(clean)
        chosen = chosen[:: max(1, chosen.size // _MOST)]
        if chosen.size < LEAST_READINGS:
            continue
        opening, now, usual = (
            _mean_before(time_s[chosen], course.time_s, course.level, s)
            for s in (over_s, _OVER_S[0], _MOVED_S)
        )
        moves = np.abs(now - usual) > _MOVES_PCT
        if np.count_nonzero(moves) < _LEAST_MOVING or np.ptp(told[chosen]) <= 0.0:
            continue
        alike = float(np.corrcoef(opening, told[chosen])[0, 1])
        if abs(alike) < _ALIKE:
            continue
        sign = 1.0 if alike > 0.0 else -1.0
        order = np.argsort(-told[chosen])
        at = chosen[order]
        found = _Learned(sign * opening[order], speed[at], told[at], sign, over_s, 1.0)
        beyond = found.beyond(found.opening, found.speed, found.told)[moves[order]]
        spread = max(float(np.percentile(beyond, _KEPT)) / 2.0, step)
        if best is None or spread < best.spread:
            best = _Learned(found.opening, found.speed, found.told, sign, over_s, spread)
    return best
