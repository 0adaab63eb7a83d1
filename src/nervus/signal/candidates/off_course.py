"""Where a track is off its course: between two edges it is one segment, on the course or off it.

From a segment on the course, the first later segment that begins where the course would be by then is
on the course again; what lies between is off it. An interruption that fades in or out has one edge only:
it is followed to where it meets the course.
"""

from math import sqrt

import numpy as np

from nervus.signal.candidates.edges import SLOPE_SAMPLES, Segments
from nervus.signal.candidates.fading import (
    CHANGE_OF_SPEED,
    FADE_S,
    QUICKEST_PCT_PER_S,
    faded_out,
    fades,
    held,
)
from nervus.signal.instruments.instrument import Instrument

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
# A segment shorter than this many samples is no place to go on from; one this long that goes on where
# the track was before is its course.
_LEAST_COURSE, _GOES_ON = 3, 10
# Where samples are close, an edge this many times what noise may do leads nowhere.
_SMALL_EDGE = 1.25
# Samples closer than this show how a plate goes.
CLOSE_S = 0.004


def off_course(track: Instrument, segments: Segments) -> list[tuple[int, int]]:
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
        gone_on = _gone_on(track, segments, scan, (trusted, current, back))
        if gone_on is not None:
            anchor = trusted = current = gone_on[0]
            found += gone_on[1]
            continue
        if back > current + 1 and not scan.stayed(current, back):
            found.append((int(segments.last[current]), int(segments.first[back])))
        current = back
        if segments.last[back] - segments.first[back] >= _LEAST_COURSE - 1:
            trusted = back
    return found


def _gone_on(
    track: Instrument, segments: Segments, scan: "_Scan", at: tuple[int, int, int]
) -> tuple[int, list[tuple[int, int]]] | None:
    """By which segment a track was on its course before it seemed to be, and what lies before that.

    Args:
        track: the track.
        segments: between its edges.
        scan: of them.
        at: the segment that is trusted, the current one, and the one that seems to be on the course.
    """
    trusted, current, back = at
    went_on = scan.first_that_goes_on(trusted, current, back)
    if went_on is not None:
        met = (int(segments.last[current]), int(segments.first[went_on]))
        over = faded_out(track, segments, current) if went_on == current + 1 else [met]
        if over or scan.is_close:
            return went_on, over
    if back > current + 1 and scan.goes_on_by_itself(current + 1):
        # Longer than what fades, it is on its course again before the next edge.
        over = faded_out(track, segments, current)
        return (current + 1, over) if over else None
    return None


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
        self.is_close = track.interval_s < CLOSE_S
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
            moves = self.goes_on_by_itself(j)
            reached = self._tolerance + QUICKEST_PCT_PER_S * (self._begins[j] - self._ends[trusted])
            if moves:
                return j if abs(self._entry[j] - self._exit[trusted]) < reached else None
        return None

    def goes_on_by_itself(self, at: int) -> bool:
        """Whether a segment is longer than what fades, and the shaft moves in it."""
        long = self._samples[at] >= _GOES_ON and self._ends[at] - self._begins[at] > FADE_S
        return long and self._range(at) > _LEAPT_PCT

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
