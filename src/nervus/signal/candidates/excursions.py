"""Excursions: stretches off the course, measured; the weak ones, that a quick hand could have made too.

Where the sampling is too slow for a plate to be told from a fault, only levels at the rails count.
"""

from dataclasses import dataclass, replace
from functools import cached_property
from math import ceil

import numpy as np

from nervus.domain.channel import FloatArray, Span
from nervus.domain.finding import Floor
from nervus.signal.arithmetic.spans import Union, runs_of
from nervus.signal.candidates.edges import MOST_SETTLING, ROUNDED_S, split_at_edges
from nervus.signal.candidates.fading import QUICKEST_PCT_PER_S
from nervus.signal.candidates.flanks import with_flanks
from nervus.signal.candidates.off_course import CLOSE_S, off_course
from nervus.signal.instruments.instrument import Instrument, floor_of

# In passing: moved within so many samples before, and behind.
_PASSING = 4
# Within so many samples of its ends, and the time that input filters take, an excursion goes this
# share of the way.
_AT_ONCE_SAMPLES, _AT_ONCE = 3, 0.5
# Steps this many times smaller than what is beyond any plate are weak edges; their excursions must not
# be longer than this.
_LENIENCY, _WEAK_LONGEST_S = 5.0, 0.6
# With a witness every step is an edge, but the excursion must be this deep, percent of supply: a
# shallower one may be a bend of the track, which is found as a disagreement.
_ANY_STEP, _DEEP_PCT, _DEEP_SHARE = 1e6, 15.0, 0.2


@dataclass(frozen=True, eq=False)
class Excursion:
    """One stretch off the course.

    Attributes:
        span_s: first and last instant off the course.
        before: level on the course just before, percent of supply.
        after: level on the course just after.
        level: the level it went to (furthest from the course, the odd sample left out).
        samples: how many samples it lasted.
        weak: whether it counts only where it comes back at a place in the travel.
        merged: how many interruptions of one burst it stands for.
        local: the course where it went furthest, if it stands for several: the shaft moves meanwhile.
        deepest_s: when that was.
    """

    span_s: Span
    before: float
    after: float
    level: float
    samples: int
    weak: bool = False
    merged: int = 1
    local: float | None = None
    deepest_s: Span | None = None

    @cached_property
    def course(self) -> float:
        """Where the course was in the middle of it, or where it went furthest."""
        return (self.before + self.after) / 2 if self.local is None else self.local

    @cached_property
    def depth(self) -> float:
        """How far it left the course, percent of supply, always positive."""
        return abs(self.level - self.course)

    def made(self, *, weak: bool) -> "Excursion":
        """The same, weak or not."""
        return self if self.weak is weak else replace(self, weak=weak)

    @property
    def floor(self) -> Floor:
        """Which rail it went to."""
        return floor_of(self.level)


def find_excursions(track: Instrument) -> tuple[Excursion, ...]:
    """All stretches in which the track is off a course that a plate could have taken, in order."""
    at_rail = _at_rail(track)
    off = joined(off_course(track, split_at_edges(track)) + at_rail)
    rails = Union((float(a), float(b)) for a, b in at_rail)
    found = (describe(track, a, b, at_rail=rails.touches((a + 1.0, b - 1.0))) for a, b in off)
    return tuple(e for e in found if e is not None)


def find_weak_excursions(
    track: Instrument, known: tuple[Excursion, ...], *, witnessed: bool = False
) -> tuple[Excursion, ...]:
    """Stretches that a quick hand could just have made: worth a claim only where they come back.

    Between samples that are far apart a small step is within what a hand can do; but no hand does it
    at the same place of the travel again and again. What is known already is left out. With a witness,
    who is asked afterwards, any deep excursion is put forward; read slowly also without, in passing.
    """
    if track.interval_s < CLOSE_S:
        return ()
    found = list(known)
    ways = ((_LENIENCY, 0.0), (_ANY_STEP, deep_enough(track)))
    for leniency, least in ways if witnessed or track.is_slow else ways[:1]:
        off = joined(off_course(track, split_at_edges(track, leniency)))
        described = (describe(track, first, last) for first, last in off)
        short = [e for e in described if e is not None and _lasts(e) <= _WEAK_LONGEST_S]
        known_s = Union(e.span_s for e in found)
        new = [e for e in short if e.depth >= least and not known_s.touches(e.span_s)]
        if leniency == _ANY_STEP and not witnessed:
            new = [e for e in new if _in_passing(track, e)]
        found += (replace(e, weak=True) for e in new)
    return tuple(found[len(known) :])


def _in_passing(track: Instrument, excursion: Excursion) -> bool:
    """Whether the shaft moved before it, and behind it: from a rest, and back to it, it is blipped."""
    level, end = track.level, track.level.size - 1
    start, stop = excursion.span_s
    first, last = track.time_s.searchsorted((start - 1e-9, stop + 1e-9)).tolist()
    before = abs(level[max(first - 1, 0)] - level[max(first - _PASSING, 0)])
    behind = abs(level[min(last, end)] - level[min(last + _PASSING - 1, end)])
    return bool(min(before, behind) > track.same_level)


def deep_enough(track: Instrument) -> float:
    """How deep an excursion must be for a witness to speak of it, percent of supply."""
    low, high = track.usual
    return min(_DEEP_PCT, max(_DEEP_SHARE * (high - low), 3.0 * track.tolerance))


def _lasts(excursion: Excursion) -> float:
    return excursion.span_s[1] - excursion.span_s[0]


def _at_rail(track: Instrument) -> list[tuple[int, int]]:
    """Stretches at a rail, for a track that usually stays well away from it."""
    first, last = runs_of(np.flatnonzero(track.beyond_range(track.level)))
    if not track.is_slow:
        return with_flanks(track, first, last)
    return [(a - 1, b + 1) for a, b in zip(first.tolist(), last.tolist(), strict=True)]


def joined(pairs: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """Overlapping excursions as one."""
    joined: list[tuple[int, int]] = []
    for first, last in sorted(pairs):
        if joined and first < joined[-1][1]:
            joined[-1] = (joined[-1][0], max(joined[-1][1], last))
        else:
            joined.append((first, last))
    return joined


def describe(track: Instrument, before: int, after: int, *, at_rail: bool = False) -> Excursion | None:
    """Measure what lies between two samples on the course; `None` where nothing is off it.

    Args:
        track: the track.
        before: the last sample on the course before it.
        after: the first one behind it.
        at_rail: whether it is at a rail: then it may go there gently, if no plate is as quick.
    """
    end = track.level.size - 1
    if before < 0 and after > end:
        return None
    left, right = max(before, 0), min(after, end)
    anchor = track.level[left] if before >= 0 else track.level[right]
    other = track.level[right] if after <= end else anchor
    inner = slice(before + 1, after)
    values, times = track.level[inner], track.time_s[inner]
    course = _line(times, (track.time_s[left], anchor), (track.time_s[right], other))
    away = values - course
    far = np.abs(away)
    off = np.flatnonzero(far > track.tolerance)
    if not off.size:
        return None
    beyond = away[off]
    side = 1.0 if beyond.sum() >= 0 else -1.0
    odd = min(int(0.9 * off.size), off.size - 1)
    furthest = float(np.sort(side * beyond)[odd])
    level = side * float(np.sort(side * values[off])[odd])
    # A contact that opens goes most of the way at once, and comes back so, at one end at least;
    # a throttle that is moved away goes gently.
    gently = not _at_once(track, away, _AT_ONCE * furthest)
    if gently and not (at_rail and _is_quick(track, track.level[left : right + 1])):
        return None
    found = Excursion(
        (float(times[off[0]]), float(times[off[-1]])),
        float(anchor),
        float(other),
        level,
        int(off[-1] - off[0] + 1),
    )
    return found if furthest > track.tolerance else None


def _at_once(track: Instrument, away: FloatArray, least: float) -> bool:
    """Whether an excursion goes so far at once at one of its ends: a filter rounds it, and settles."""
    rounded = ceil(ROUNDED_S / max(track.interval_s, 1e-7))
    reach = max(_AT_ONCE_SAMPLES, rounded)
    if max(np.abs(away[:reach]).max(), np.abs(away[-reach:]).max()) >= least:
        return True
    near = MOST_SETTLING * rounded if rounded > 2 else 0
    went = np.abs(away[reach:] - away[:-reach])
    return bool(
        max(went[:near].max(initial=0.0), went[-near:].max(initial=0.0) if near else 0.0) >= least
    )


def _is_quick(track: Instrument, level: FloatArray) -> bool:
    """Whether levels in a row go anywhere as quickly as no spring snaps a plate."""
    width = ceil(ROUNDED_S / max(track.interval_s, 1e-7))
    went = np.abs(level[width:] - level[:-width])
    return bool(went.max(initial=0.0) > QUICKEST_PCT_PER_S * width * track.interval_s)


def _line(x: FloatArray, a: tuple[float, float], b: tuple[float, float]) -> FloatArray:
    if b[0] <= a[0]:
        return np.full(x.shape, (a[1] + b[1]) / 2)
    return a[1] + (b[1] - a[1]) * (x - a[0]) / (b[0] - a[0])
