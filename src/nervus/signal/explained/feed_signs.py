"""Signs that the supply or ground that all tracks share has failed: one factor, and its own lines.

A potentiometer divides what it is fed with. If a joint in its supply leaves it a share k of that, every
track reads k times what it would read, wherever the shaft is; in the ground every track comes so much
nearer to the supply. (The divider, textbook; a percentage of a unit has an offset of its own and is not
looked at.) So two tracks that shrink by one factor at one instant,
or one that shrinks by the same factor from different openings, did not follow a shaft.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from math import log

import numpy as np

from nervus.domain.channel import Channel, FloatArray, Role, Span, Unit
from nervus.signal.arithmetic.spans import merge, runs
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.candidates.flanks import LONGEST_SPIKE_S
from nervus.signal.instruments.fed import usual_supply
from nervus.signal.instruments.instrument import Instrument

# A supply that leaves its usual value by this share, or a ground by so many volts, has left.
_SUPPLY_SHARE, _GROUND_V = 0.08, 0.25
# The lines are looked at over the event, or so much around it; for this share of it they must be off.
_AROUND_S, _GOOD_PART = 0.002, 0.25
# What is away for longer is off, and no interruption.
_LONGEST_AWAY_S = 1.5
# What is usual is told by so many samples.
_MANY = 2_000
# What is left must be less than this for something to have left; a factor is not known better than this.
_LEFT_OVER, _LEAST_SPREAD = 0.92, 0.015
# A shaft that comes to a stop stays there for longer than this.
_RESTS_S = 0.3
# Factors that match by chance: they may lie anywhere between nothing and a little more than all.
_RANGE = 1.2
# So many excursions by one factor, from openings of which the levels show it, make a joint of it; if
# factors came as they like that would happen this seldom.
_LEAST, _CHANCE = 3, 1e-3
# Of very many so many tell the factor: each is held against all.
_MOST_LOOKED_AT = 300
# Further apart than this, percent of supply, levels are those of different openings.
_APART_PCT = 1.0
# A factor leaves less than this share of what one level, or one depth, leaves of them.
_FAR_BETTER = 0.6


@dataclass(frozen=True, slots=True)
class Shrunk:
    """By which factor, and whether toward the ground (the supply is poor) or toward the supply."""

    factor: float
    to_ground: bool


class Lines:
    """The recorded lines of the feed, and what each usually is."""

    def __init__(self, lines: Iterable[Channel]) -> None:
        self._lines = [(line, _usual(line)) for line in lines]

    @property
    def has_supply(self) -> bool:
        """Whether the supply was recorded: it tells a spike from tracks that fall from one level."""
        return any(line.kind.role is Role.SUPPLY for line, _ in self._lines)

    def left(self, span: Span) -> bool:
        """Whether one of them left its usual value during a span."""
        return any(_left(line, usual, span) for line, usual in self._lines)

    def away(self) -> tuple[Span, ...]:
        """When one of them was away from its usual value, for longer than a spike and not for good."""
        found = []
        for line, usual in self._lines:
            limit = _limit(line, usual)
            first, last = runs((line.values < usual - limit) | (line.values > usual + limit))
            spans = zip(line.time_s[first].tolist(), line.time_s[last].tolist(), strict=True)
            found += [s for s in spans if LONGEST_SPIKE_S < s[1] - s[0] <= _LONGEST_AWAY_S]
        return merge(found, 0.0)


def _usual(line: Channel) -> float:
    if line.kind.role is Role.SUPPLY:
        return usual_supply(line)
    return float(np.median(line.values[:: max(1, line.samples // _MANY)]))


def _left(line: Channel, usual: float, span: Span) -> bool:
    """Whether a line was off for a good part of a span: a spike within it is none."""
    first, last = line.time_s.searchsorted((span[0] - 1e-9, span[1] + 1e-9)).tolist()
    if first == last:
        around = (span[0] - _AROUND_S, span[1] + _AROUND_S)
        first, last = line.time_s.searchsorted(around).tolist()
    if first == last:
        return False
    off = np.count_nonzero(np.abs(line.values[first:last] - usual) > _limit(line, usual))
    return bool(off / (last - first) >= _GOOD_PART)


def _limit(line: Channel, usual: float) -> float:
    return _GROUND_V if line.kind.role is Role.GROUND else _SUPPLY_SHARE * usual


def joint_of(track: Instrument, excursions: Iterable[Excursion]) -> Shrunk | None:
    """The factor by which most excursions of a track shrink, from different openings, if any."""
    if track.kind.unit is not Unit.VOLT:
        return None
    # At the stops a shaft comes to one level from anywhere near it.
    away = (e for e in excursions if all(abs(e.level - end) > track.same_level for end in track.stops))
    deep = [e for e in away if e.depth > 2.0 * track.tolerance and _tells(e)]
    deep = deep[:: max(1, len(deep) // _MOST_LOOKED_AT)]
    if len(deep) < _LEAST:
        return None
    levels, courses = (np.asarray(x) for x in zip(*((e.level, e.course) for e in deep), strict=True))
    best: tuple[int, Shrunk] | None = None
    for to_ground in (True, False):
        factors = np.asarray([_factor(e, to_ground=to_ground) for e in deep])
        spreads = np.asarray([_spread(track, e, to_ground=to_ground) for e in deep])
        widths = np.maximum(spreads[:, None], spreads)
        alike = np.abs(factors[:, None] - factors) <= widths
        most = np.count_nonzero(alike, axis=1) >= max(_LEAST, len(deep) // 2 + 1)
        for n in np.flatnonzero(most & (factors >= 0.0) & (factors < _LEFT_OVER)).tolist():
            same, factor = alike[n], float(factors[n])
            count = int(same.sum())
            # The candidate is its own; each other one matches by chance as often as its width allows.
            each = np.minimum(2.0 * widths[n][same] / _RANGE, 1.0)
            by_chance = float(np.prod(each)) / float(2.0 * spreads[n] / _RANGE) * len(deep)
            apart = float(np.ptp(levels[same])) > max(_APART_PCT, 2.0 * track.same_level)
            apart = apart and _is_factor(factor, levels[same], courses[same], to_ground=to_ground)
            if not apart or by_chance > _CHANCE:
                continue
            if best is None or count > best[0]:
                best = count, Shrunk(float(np.median(factors[same])), to_ground)
    return best[1] if best is not None else None


def _is_factor(factor: float, levels: FloatArray, courses: FloatArray, *, to_ground: bool) -> bool:
    """Whether a factor tells levels better than one level would, or one depth: a hand has habits too."""
    told = factor * courses if to_ground else 100.0 - factor * (100.0 - courses)
    off = float(np.std(levels - told))
    return off < _FAR_BETTER * min(float(np.std(levels)), float(np.std(levels - courses)))


def shrank(track: Instrument, excursion: Excursion, by: Shrunk) -> bool:
    """Whether an excursion is one of those of a joint, and no rest of the shaft at one of its stops."""
    long = excursion.span_s[1] - excursion.span_s[0] > _RESTS_S
    if long and any(abs(excursion.level - end) <= track.same_level for end in track.stops):
        return False
    off = abs(_factor(excursion, to_ground=by.to_ground) - by.factor)
    return _tells(excursion) and off <= _spread(track, excursion, to_ground=by.to_ground)


def _tells(excursion: Excursion) -> bool:
    """Whether it went further than the shaft did meanwhile: else it tells no factor."""
    return excursion.depth > abs(excursion.after - excursion.before)


def by_one_factor(parts: Iterable[tuple[Instrument, Excursion]]) -> float:
    """What it is worth, in nats, that tracks shrank by one factor at once; 0 where they did not."""
    parts = tuple(parts)
    worth = 0.0
    if any(t.kind.unit is not Unit.VOLT for t, _ in parts):
        return worth
    for to_ground in (True, False):
        factors = [_factor(e, to_ground=to_ground) for _, e in parts]
        spread = sum(_spread(t, e, to_ground=to_ground) for t, e in parts)
        low, high = min(factors), max(factors)
        if -spread < low and high < _LEFT_OVER and high - low <= spread:
            worth = max(worth, log(_RANGE / (2.0 * spread)))
    return worth


def _factor(excursion: Excursion, *, to_ground: bool) -> float:
    if to_ground:
        return excursion.level / max(excursion.course, 1.0)
    return (100.0 - excursion.level) / max(100.0 - excursion.course, 1.0)


def _spread(track: Instrument, excursion: Excursion, *, to_ground: bool) -> float:
    """How well a factor is known: the noise, and what the shaft moved meanwhile."""
    course = max(excursion.course if to_ground else 100.0 - excursion.course, 1.0)
    moved = abs(excursion.after - excursion.before) / 2.0
    factor = abs(_factor(excursion, to_ground=to_ground))
    return max(_LEAST_SPREAD, (track.same_level + factor * moved) / course)
