"""Excursions: stretches off the course, because they leave it and come back by edges.

Between two edges the signal is one segment. From a segment on the course, the first later segment
that begins where the course would be by then is on the course again; what lies between is off it. An
interruption that fades in or out has one edge only: it is followed to where it meets the course.
Where the sampling is too slow for a plate to be told from a fault, only levels at the rails count.
"""

from dataclasses import dataclass, replace
from functools import cached_property
from math import ceil, sqrt

import numpy as np

from nervus.domain.channel import FloatArray, Span
from nervus.domain.finding import Floor
from nervus.signal.arithmetic.spans import Union, runs_of
from nervus.signal.candidates.edges import ROUNDED_S, SLOPE_SAMPLES, Segments, split_at_edges
from nervus.signal.candidates.fading import (
    CHANGE_OF_SPEED,
    FADE_S,
    QUICKEST_PCT_PER_S,
    faded_out,
    fades,
    held,
)
from nervus.signal.candidates.flanks import with_flanks
from nervus.signal.instruments.instrument import Instrument, floor_of

# Bursts of a chattering contact: shorter quiet than this between two interruptions is one event.
BURST_GAP_S = 0.06
# An excursion to a level within the sensor's range must return within this time; a real hold of
# the throttle lasts longer, and one can't be told from the other afterwards.
_LONGEST_WITHIN_RANGE_S = 1.5
# What is nearer to where the signal went than this share of the way is no return.
_NEAR = 0.35
_MOST_SLACK = 10.0
# What is leapt to, and from, to wherever the shaft has gone meanwhile, is so far off, percent of supply.
_LEAPT_PCT = 5.0
# What came back from a small leap went at least this share of it.
_CAME_BACK = 0.5
# In passing: moved within so many samples before, and behind.
_PASSING = 4
# Within so many samples of its ends, and the time that input filters take, an excursion goes this
# share of the way.
_AT_ONCE_SAMPLES, _AT_ONCE = 3, 0.5
# Steps this many times smaller than what is beyond any plate are weak edges; they are looked for where
# samples are at least so far apart, and their excursions must not be longer than this.
_LENIENCY, _WEAK_FROM_S, _WEAK_LONGEST_S = 5.0, 0.004, 0.6
# With a witness every step is an edge, but the excursion must be this deep, percent of supply: a
# shallower one may be a bend of the track, which is found as a disagreement.
_ANY_STEP, _DEEP_PCT, _DEEP_SHARE = 1e6, 15.0, 0.2
# A segment shorter than this many samples is no place to go on from; one this long that goes on where
# the track was before is its course.
_LEAST_COURSE, _GOES_ON = 3, 10
# Where samples are close, an edge this many times what noise may do leads nowhere.
_SMALL_EDGE = 1.25


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
    off = joined(_off_course(track, split_at_edges(track)) + at_rail)
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
    if track.interval_s < _WEAK_FROM_S:
        return ()
    found = list(known)
    ways = ((_LENIENCY, 0.0), (_ANY_STEP, deep_enough(track)))
    for leniency, least in ways if witnessed or track.is_slow else ways[:1]:
        off = joined(_off_course(track, split_at_edges(track, leniency)))
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


def _off_course(track: Instrument, segments: Segments) -> list[tuple[int, int]]:
    """Index pairs (last on the course before, first on the course after) of each excursion.

    The course is drawn on from the last segment that is long enough to be trusted; a sample or two
    that happen to lie on it in a burst are let be, but nothing is drawn on from them.
    """
    found: list[tuple[int, int]] = []
    count, slope = segments.first.size, 0.0
    scan = _Scan(track, segments)
    anchor = trusted = current = scan.next_trusted(-1)
    while current < count - 1:
        # What was seen for a moment between two interruptions has no speed of its own: it tells where
        # the course has come to since.
        if scan.has_speed[trusted]:
            slope, anchor = float(segments.slope_out[trusted]), trusted
        else:
            slope = scan.speed_since(anchor, trusted, slope)
        back = scan.next_on_course(trusted, current, slope)
        if back is None:
            left, current = current, scan.next_trusted(current)
            behind = scan.next_trusted(current)
            if scan.was_gone(left, current):
                found.append((int(segments.last[left]), int(segments.first[current])))
            elif behind < count and scan.stood(left, current, behind):
                found.append((int(segments.last[left]), int(segments.first[behind])))
                current = behind
            else:
                found += fades(track, segments, left) or held(track, segments, left)
            anchor = trusted = current
            continue
        went_on = scan.first_that_goes_on(trusted, current, back)
        if went_on is not None:
            met = (int(segments.last[current]), int(segments.first[went_on]))
            over = faded_out(track, segments, current) if went_on == current + 1 else [met]
            if over or scan.is_close:
                found += over
                anchor = trusted = current = went_on
                continue
        if back > current + 1 and not scan.stayed(current, back):
            found.append((int(segments.last[current]), int(segments.first[back])))
        current = back
        if segments.last[back] - segments.first[back] >= _LEAST_COURSE - 1:
            trusted = back
    return found


class _Scan:
    """The search for segments on the course, over plain lists: there may be many thousand of them."""

    def __init__(self, track: Instrument, segments: Segments) -> None:
        self._level = track.level
        self._first: list[int] = segments.first.tolist()
        self._begins: list[float] = segments.entry_s.tolist()
        self._ends: list[float] = segments.exit_s.tolist()
        self._entry: list[float] = segments.entry.tolist()
        self._exit: list[float] = segments.exit.tolist()
        self._samples: list[int] = (segments.last - segments.first + 1).tolist()
        self._lost: list[bool] = track.are_unusual(segments.entry).tolist()
        middle = track.level[(segments.first + segments.last) // 2]
        # What came back gently, and left again so, was lost at both its ends only.
        stays_lost = track.are_unusual(segments.exit) & track.are_unusual(middle)
        self._stays_lost: list[bool] = stays_lost.tolist()
        self._is_slow = track.is_slow
        self.is_close = track.interval_s < _WEAK_FROM_S
        small = _SMALL_EDGE * track.step_tolerance if self.is_close else 0.0
        self._tolerance = max(track.tolerance, small)
        # From so long on noise leaves a speed known as well as a hand keeps it.
        self._tells_s = sqrt(2.0) * track.noise / CHANGE_OF_SPEED
        lasted_s = track.time_s[segments.last] - track.time_s[segments.first]
        long = segments.last - segments.first >= SLOPE_SAMPLES
        self.has_speed: list[bool] = (long & (lasted_s > self._tells_s)).tolist()

    def next_trusted(self, current: int) -> int:
        """The next segment that may be the course: not short, nor a moment at a rail; or the end."""
        some = range(current + 1, len(self._entry))
        long = (i for i in some if self._samples[i] >= _LEAST_COURSE and not self._is_gone(i))
        return next(long, len(self._entry))

    def was_gone(self, left: int, back: int) -> bool:
        """Whether the moment between two segments was at a rail."""
        if back >= len(self._entry) or self._begins[back] - self._ends[left] > _LONGEST_WITHIN_RANGE_S:
            return False
        return any(map(self._is_gone, range(left + 1, back)))

    def first_that_goes_on(self, trusted: int, current: int, back: int) -> int | None:
        """The first segment between that is long, and in which the shaft moves: no interruption is one.

        What is lost reads one level; and the shaft was where it begins no later than a spring takes it.
        """
        for j in range(current + 1, back):
            long = self._samples[j] >= _GOES_ON and self._ends[j] - self._begins[j] > FADE_S
            moves = long and self._range(j) > _LEAPT_PCT
            reached = self._tolerance + QUICKEST_PCT_PER_S * (self._begins[j] - self._ends[trusted])
            if moves:
                return j if abs(self._entry[j] - self._exit[trusted]) < reached else None
        return None

    def stood(self, left: int, at: int, behind: int) -> bool:
        """Whether a segment was leapt to, stood at for no longer than no hold lasts, and leapt from.

        What is lost for a moment reads one level, while the shaft goes where it likes.
        """
        short = self._begins[behind] - self._ends[left] <= _LONGEST_WITHIN_RANGE_S
        stands = abs(self._exit[at] - self._entry[at]) <= self._tolerance
        into, away = self._entry[at] - self._exit[left], self._entry[behind] - self._exit[at]
        return not self._is_slow and short and stands and min(abs(into), abs(away)) > _LEAPT_PCT

    def _range(self, at: int) -> float:
        """How far the shaft moves in a segment: at its end it may have come back."""
        return float(np.ptp(self._level[self._first[at] : self._first[at] + self._samples[at]]))

    def stayed(self, left: int, back: int) -> bool:
        """Whether the one segment between two was come to by a small leap, and not left by as much.

        Nothing came back by that: the one is an edge, the other what noise does while the shaft moves;
        and it moved on meanwhile, further than the track leapt.
        """
        at = left + 1
        if not self.is_close or back != at + 1:
            return False
        moved = self._exit[at] - self._entry[at]
        speed = moved / max(self._ends[at] - self._begins[at], 1e-9)
        into, away = (
            self._entry[b] - self._exit[a] - speed * (self._begins[b] - self._ends[a])
            for a, b in ((left, at), (at, back))
        )
        small = max(abs(into), abs(away)) < min(_LEAPT_PCT, abs(moved))
        return small and -away * into < _CAME_BACK * into * into

    def _is_gone(self, at: int) -> bool:
        """Whether a segment is an interruption by itself: who rests at a rail for long is there."""
        away = self._lost[at] and self._stays_lost[at]
        return away and self._ends[at] - self._begins[at] <= _LONGEST_WITHIN_RANGE_S

    def speed_since(self, one: int, other: int, otherwise: float) -> float:
        """How fast the course went from the end of one segment to that of another, percent a second."""
        took_s = self._ends[other] - self._ends[one]
        tells = took_s > self._tells_s
        return (self._exit[other] - self._exit[one]) / took_s if tells else otherwise

    def next_on_course(self, trusted: int, current: int, slope: float) -> int | None:
        """The first segment behind `current` that begins where the course of `trusted` would be."""
        start, left_s = self._exit[trusted], self._ends[trusted]
        touched, touched_s = self._exit[current], self._ends[current]
        away, only_rails = 0.0, True
        least = _LEAST_COURSE if self._is_slow else _GOES_ON
        for j in range(current + 1, len(self._entry)):
            entry, elapsed = self._entry[j], self._begins[j] - left_s
            if elapsed > _LONGEST_WITHIN_RANGE_S and not only_rails:
                return None
            if self._lost[j] and not self._lost[trusted]:
                # Nothing takes a track to a rail where it never is, from where it is, but a fault.
                away = max(away, abs(self._exit[j] - start))
                if not self._stays_lost[j] and self._samples[j] >= least:
                    return None  # it came back gently
                continue
            moved = 1.2 * slope * elapsed
            slack = self._tolerance + min(CHANGE_OF_SPEED * elapsed, _NEAR * away, _MOST_SLACK)
            if start + min(0.0, moved) - slack < entry < start + max(0.0, moved) + slack:
                return j
            # From a rail a track comes back to wherever a spring has taken the plate meanwhile.
            reached = self._tolerance + QUICKEST_PCT_PER_S * elapsed
            was_there = only_rails and away > 0.0 and elapsed <= _LONGEST_WITHIN_RANGE_S
            if was_there and self._samples[j] >= least and abs(entry - start) < reached:
                return j
            # A contact that touches while the throttle is moved tells where the course is by then.
            since = self._begins[j] - touched_s
            if since < BURST_GAP_S and self._samples[j] >= _GOES_ON:
                near = self._tolerance + CHANGE_OF_SPEED * since
                if abs(entry - touched) < near:
                    return j
            away = max(away, abs(self._exit[j] - start))
            only_rails = only_rails and self._lost[j]
        return None


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
    reach = max(_AT_ONCE_SAMPLES, ceil(ROUNDED_S / max(track.interval_s, 1e-7)))
    at_once = max(far[:reach].tolist() + far[-reach:].tolist())
    gently = at_once < _AT_ONCE * furthest
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


def _is_quick(track: Instrument, level: FloatArray) -> bool:
    """Whether levels in a row go anywhere as quickly as no spring snaps a plate."""
    width = ceil(ROUNDED_S / max(track.interval_s, 1e-7))
    went = np.abs(level[width:] - level[:-width])
    return bool(went.max(initial=0.0) > QUICKEST_PCT_PER_S * width * track.interval_s)


def _line(x: FloatArray, a: tuple[float, float], b: tuple[float, float]) -> FloatArray:
    if b[0] <= a[0]:
        return np.full(x.shape, (a[1] + b[1]) / 2)
    return a[1] + (b[1] - a[1]) * (x - a[0]) / (b[0] - a[0])
