"""What the engine breathed, as a witness of whether its plate moved.

The plate is an orifice and the engine a pump (Heywood, "Internal Combustion Engine Fundamentals",
section 7.6, from memory): further open it takes in more at a stroke, and turning faster, through the
same opening, less. So each reading bounds all others: what was breathed with the plate less open, at a
higher speed, is the least with it further open; the other way round the most. An interruption leaves the
air as it was.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import BoolArray, Channel, FloatArray, Recording, Sensor, Span
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.arithmetic.spans import inside
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.instruments import sampling
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.motion.course import course_of

# What tells of the air, the best first. Told more seldom than this it is no witness of an interruption.
_AIR, _EVERY_S = ("map_kpa", "load_pct", "maf_gs"), 0.25
# The manifold fills, and a sensor and its unit take their time: the air is what the opening was over so
# long before (from memory: 0.05 to 0.3 s).
_FILLS_S = (0.05, 0.1, 0.2, 0.4)
# It is learned from so many readings at the least, and so many are enough; air goes with the opening.
_LEAST, _MOST, _ALIKE = 40, 600, 0.3
# A bound is what so many of the readings that tell of it, or this share of them, are beyond.
_FEW, _SHARE = 3, 0.03
# Of the readings taken while the shaft moved, by so much on average over so long, percent of supply, so
# many in a hundred keep to their bounds within two deviations. So many of them must be there.
_KEPT, _MOVES_PCT, _OVER_S, _LEAST_MOVING = 95.0, 2.0, 0.8, 15
# It says no more than so many nats.
_MOST_NATS = 8.0
# Below this no engine runs, 1/min.
_STANDING = 200.0


@dataclass(frozen=True, slots=True, eq=False)
class _Learned:
    """The readings that a track's openings are held against.

    Attributes:
        opening: of the plate, as the track's level, upwards where it opens, shape (k,).
        speed: of the engine, 1/min, shape (k,).
        air: falling, shape (k,).
        sign: -1 where the track falls as the plate opens.
        fills_s: over how long before an instant the opening counts.
        spread: deviation of readings beyond their bounds, in the air's own unit.
    """

    opening: FloatArray
    speed: FloatArray
    air: FloatArray
    sign: float
    fills_s: float
    spread: float

    def beyond(self, opening: FloatArray, speed: FloatArray, air: FloatArray) -> FloatArray:
        """How far air is beyond what it can be with openings and speeds, shape (n,)."""
        more = (self.opening >= opening[:, None]) & (self.speed <= speed[:, None])
        less = (self.opening <= opening[:, None]) & (self.speed >= speed[:, None])
        most = -_bound(more[:, ::-1], -self.air[::-1])
        least = _bound(less, self.air)
        return np.maximum(np.maximum(air - most, least - air), 0.0)


@dataclass(frozen=True, slots=True, eq=False)
class Breathed:
    """The air that an engine took.

    Attributes:
        time_s: when it was told, shape (n,).
        air: for a stroke, shape (n,).
        speed: of the engine then, 1/min, shape (n,).
        learned: for each track what is breathed at its levels.
    """

    time_s: FloatArray
    air: FloatArray
    speed: FloatArray
    learned: dict[str, _Learned]

    def says(self, track: Instrument, excursion: Excursion) -> float:
        """How much the air speaks for an excursion being motion, in nats; 0 where it can't tell."""
        learned = self.learned.get(track.id)
        if learned is None:
            return 0.0
        start, end = excursion.span_s
        first, last = np.searchsorted(self.time_s, (start, end + learned.fills_s)).tolist()
        around = slice(*np.searchsorted(track.time_s, (start - 1.0, end + 1.0)).tolist())
        time_s, went = track.time_s[around], learned.sign * track.level[around]
        off = (time_s >= start - 1e-9) & (time_s <= end + 1e-9)
        straight = np.interp(time_s, (start, end), (excursion.before, excursion.after))
        stayed = np.where(off, learned.sign * straight, went)
        at, air, speed = self.time_s[first:last], self.air[first:last], self.speed[first:last]
        if not at.size:
            return 0.0
        if_went, if_stayed = (
            learned.beyond(_mean_before(at, time_s, level, learned.fills_s), speed, air) / learned.spread
            for level in (went, stayed)
        )
        nats = (if_stayed**2 - if_went**2) / 2.0
        return float(np.clip(np.median(nats), -_MOST_NATS, _MOST_NATS))


def _bound(told: BoolArray, air: FloatArray) -> FloatArray:
    """What few of some readings are above, shape (n,); minus infinity where there are not enough.

    Args:
        told: for each of n readings which of k others count, shape (n, k).
        air: of the others, falling, shape (k,).
    """
    count = told.sum(axis=1)
    few = np.maximum(_FEW, np.ceil(_SHARE * count))
    at = np.argmax(np.cumsum(told, axis=1) >= few[:, None], axis=1)
    return np.where(count >= few, air[at], -np.inf)


def _mean_before(at_s: FloatArray, time_s: FloatArray, level: FloatArray, over_s: float) -> FloatArray:
    """The mean of a level over some time before instants, shape of `at_s`."""
    area = np.concatenate(([0.0], np.cumsum(np.diff(time_s) * (level[1:] + level[:-1]) / 2.0)))
    since = np.maximum(at_s - over_s, time_s[0])
    until = np.maximum(np.minimum(at_s, time_s[-1]), since + 1e-9)
    return np.asarray(
        (np.interp(until, time_s, area) - np.interp(since, time_s, area)) / (until - since)
    )


def who_breathed(
    recording: Recording, tracks: Sequence[Instrument], away: Mapping[str, Sequence[Excursion]]
) -> Breathed | None:
    """The air that an engine took while a throttle was read slowly, if it was told often enough.

    Args:
        recording: what was captured.
        tracks: of the throttle.
        away: for each track where it may have left its course: nothing is learned from there.
    """
    air, turning = _air(recording), recording.get("rpm")
    # Two tracks may be asked afterwards, for what left a rest and came back to it.
    asking = (any(away.values()) or len(tracks) > 1) and any(t.is_slow for t in tracks)
    if air is None or turning is None or not asking or tracks[0].kind.sensor is Sensor.PEDAL:
        return None
    off = {t.id: tuple(e.span_s for e in away[t.id]) for t in tracks}
    speed = read_at(air.time_s, turning.time_s, turning.values)
    runs = speed > _STANDING
    time_s, speed, values = air.time_s[runs], speed[runs], air.values[runs]
    stroke = values / speed if air.id == "maf_gs" else values
    learned = {t.id: _learn(t, off[t.id], (time_s, speed, stroke)) for t in tracks}
    known = {name: one for name, one in learned.items() if one is not None}
    return Breathed(time_s, stroke, speed, known) if known else None


def _learn(
    track: Instrument, off: tuple[Span, ...], told: tuple[FloatArray, FloatArray, FloatArray]
) -> _Learned | None:
    """What is breathed at a track's levels, with the filling that fits best; `None` where none does."""
    time_s, speed, air = told
    course = course_of(track, off)
    step = max(sampling.resolution(air), 1e-6)
    best: _Learned | None = None
    for fills_s in _FILLS_S:
        clean = (time_s > track.time_s[0] + fills_s) & (time_s < track.time_s[-1])
        clean &= ~inside(time_s, tuple((a, b + fills_s) for a, b in off))
        chosen = np.flatnonzero(clean)
        chosen = chosen[:: max(1, chosen.size // _MOST)]
        if chosen.size < _LEAST:
            continue
        opening, now, usual = (
            _mean_before(time_s[chosen], course.time_s, course.level, over_s)
            for over_s in (fills_s, _FILLS_S[0], _OVER_S)
        )
        moves = np.abs(now - usual) > _MOVES_PCT
        if np.count_nonzero(moves) < _LEAST_MOVING or np.ptp(air[chosen]) <= 0.0:
            continue
        alike = float(np.corrcoef(opening, air[chosen])[0, 1])
        if abs(alike) < _ALIKE:
            continue
        sign = 1.0 if alike > 0.0 else -1.0
        order = np.argsort(-air[chosen])
        at = chosen[order]
        found = _Learned(sign * opening[order], speed[at], air[at], sign, fills_s, 1.0)
        beyond = found.beyond(found.opening, found.speed, found.air)[moves[order]]
        spread = max(float(np.percentile(beyond, _KEPT)) / 2.0, step)
        if best is None or spread < best.spread:
            best = _Learned(found.opening, found.speed, found.air, sign, fills_s, spread)
    return best


def _air(recording: Recording) -> Channel | None:
    found = (recording.get(name) for name in _AIR)
    often = (c for c in found if c is not None and c.samples >= _LEAST)
    return next((c for c in often if sampling.interval_s(c.time_s) <= _EVERY_S), None)
