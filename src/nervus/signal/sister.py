"""The sister track as a witness: what it confirms is motion, what it contradicts is a fault.

With a witness, an excursion need not be quicker than any plate to be a fault; so even slow sampling
tells a drop from a foot on the pedal.
"""

from dataclasses import dataclass
from enum import Enum

import numpy as np

from nervus.domain.channel import BoolArray, FloatArray, IntArray
from nervus.domain.finding import Span
from nervus.signal import sampling
from nervus.signal.events import Event
from nervus.signal.excursions import BURST_GAP_S, Excursion, deep_enough
from nervus.signal.instants import read_at
from nervus.signal.levels import TrackSignal
from nervus.signal.open_level import more_at_open_level, open_level
from nervus.signal.relation import Line
from nervus.signal.spans import Union, inside, merge, runs, runs_of

# The sister confirms an excursion when it differs from it by less than this share of its depth.
_CONFIRMS = 0.3
# It contradicts one from which it differs by more than this share, and by more than its own motion
# within so many intervals can explain.
_CONTRADICTS, _UNKNOWN_INTERVALS = 0.5, 1.5
# An event longer than this is looked into: the tracks differ where they are further apart than this,
# percent of supply; where they differ for most of it, it is one lasting fault.
_LONG_S, _APART_PCT, _MOSTLY = 0.4, 4.0, 0.5
# While a track is off, the other moves by less than this share of it.
_ALONE = 0.5
# An excursion is compared at so many instants at least and at most.
_FEW_LEVELS, _MANY_LEVELS = 3, 200
# What lasts longer than this within the range is no interruption.
_LONGEST_APART_S = 1.5
# Samples looked at together.
_PIECE = 1 << 15


class Says(Enum):
    """What the sister track says of an event."""

    MOTION = "it was there too: the throttle moved"
    FAULT = "it was not there: the signal alone left"
    NOTHING = "it can't tell"


@dataclass(frozen=True, slots=True, eq=False)
class Sisters:
    """Two tracks with what relates them.

    Attributes:
        first: track 1.
        second: track 2.
        line: what relates them.
        skew_s: by how much the second lags.
        together: whether every sample of one was taken with one of the other, not read in turn.
    """

    first: TrackSignal
    second: TrackSignal
    line: Line
    skew_s: float
    together: bool

    def says(self, event: Event) -> Says:
        """Whether the other track confirms an event, contradicts it, or neither.

        An excursion to a rail is never confirmed: an open supply or ground takes both tracks there.
        """
        verdicts = {self._of_part(channel, excursion) for channel, excursion in event.parts}
        if verdicts == {Says.MOTION}:
            return Says.MOTION
        return Says.FAULT if Says.FAULT in verdicts else Says.NOTHING

    def pieces(self, event: Event) -> tuple[Event, ...]:
        """A long event cut down to where the tracks contradict each other.

        A control unit that is lied to moves the plate for real, and both tracks show it: what begins as
        an interruption of one goes on as motion of both. An event during which they mostly differ, or go
        to a rail together, is left whole.
        """
        start, end = event.span_s
        if end - start < _LONG_S:
            return (event,)
        near = slice(*np.searchsorted(self.first.time_s, (start - 1e-9, end + 1e-9)))
        time_s, own = self.first.time_s[near], self.first.level[near]
        other = np.interp(time_s + self.skew_s, self.second.time_s, self.second.level)
        blur = self._blur()
        apart = np.abs(own - self._through(other, self.second))
        off = apart > max(2.0 * blur, _APART_PCT)
        if time_s.size < 3 or float(np.mean(off)) > _MOSTLY or self._at_rails(own, other):
            return (event,)
        spans = merge(
            ((float(time_s[a]), float(time_s[b])) for a, b in zip(*runs(off), strict=True)), BURST_GAP_S
        )
        return tuple(e for e in (self._piece(span) for span in spans) if e is not None)

    def apart(self, known_s: tuple[Span, ...]) -> tuple[Event, ...]:
        """Where the tracks are far apart for a while, and nothing is known of.

        Two tracks on one shaft can't be: one was off, however gently it left and came back, as it
        does behind the low-pass of an input. What lasts is no interruption, and told as a disagreement.
        """
        deep = max(deep_enough(self.first), deep_enough(self.second) / abs(self.line.slope))
        off, gap = self._gaps(self._blur() + _APART_PCT)
        if float(gap.max(initial=0.0)) <= max(deep, 3.0 * self._blur()):
            return ()
        fresh_ones = ~self._may_be_timing(off, gap)
        fresh_ones &= ~inside(self.first.time_s[off], known_s, 2.0 * self.first.interval_s)
        off, gap = off[fresh_ones], gap[fresh_ones]
        widest = np.maximum.reduceat(gap, np.searchsorted(off, runs_of(off)[0])) if off.size else gap
        spans = (
            (float(self.first.time_s[a]), float(self.first.time_s[b]))
            for a, b, most in zip(*runs_of(off), widest, strict=True)
            if most > deep
        )
        fresh = (s for s in merge(spans, BURST_GAP_S) if s[1] - s[0] <= _LONGEST_APART_S)
        known = Union(known_s)
        found = (self._piece(s) for s in fresh if not known.touches(s))
        return tuple(e for e in found if e is not None and self._alone(e))

    def with_open_levels(self, known: tuple[Event, ...]) -> tuple[Event, ...]:
        """Events and what besides them only the level tells that it goes to, in the order of time.

        What was weak and goes to that level is replaced.
        """
        found: list[Event] = []
        for own, other, sign in ((self.first, self.second, 1.0), (self.second, self.first, -1.0)):
            level = open_level(own, known)
            if level is None:
                continue
            at = own.time_s + sign * self.skew_s
            expected = self._through(read_at(at, other.time_s, other.level), other)
            unknown = 0.0 if self.together else _UNKNOWN_INTERVALS * other.interval_s
            moved = sampling.speed(expected, own.time_s) * unknown
            blur = own.tolerance + other.tolerance * self._scale(other)
            found += more_at_open_level(own, level, expected, moved + blur, known)
        replaced = {
            c: Union(f.span_s for f in found if f.channels == c) for c in {f.channels for f in found}
        }
        nothing = Union(())
        left = (
            e for e in known
            if not e.is_weak or not replaced.get(e.channels, nothing).touches(e.span_s)
        )  # fmt: skip
        return tuple(sorted((*left, *found), key=lambda e: e.span_s[0]))

    def _scale(self, of: TrackSignal) -> float:
        """By how much a level of one track counts in the other's."""
        slope = abs(self.line.slope)
        return 1.0 / slope if of is self.second else slope

    def _alone(self, event: Event) -> bool:
        """Whether the other track stays on its course: what moves both is no fault of one."""
        if len(event.parts) > 1:
            return True
        ((channel, excursion),) = event.parts
        other = self.second if channel == self.first.id else self.first
        first, last = (
            int(n)
            for n in np.searchsorted(other.time_s, (event.span_s[0] - 1e-9, event.span_s[1] + 1e-9))
        )
        if last <= first:
            return True
        ends = (other.level[max(first - 1, 0)] + other.level[min(last, other.level.size - 1)]) / 2.0
        moved = float(np.abs(other.level[first:last] - ends).max())
        return moved < _ALONE * excursion.depth

    def _gaps(self, least: float) -> tuple[IntArray, FloatArray]:
        """Where the tracks are further apart than `least`, and by how much, shape (k,) both.

        Indices into the first track; piece by piece, so that what is computed stays in the cache.
        """
        one = self.first
        found, gaps = [np.empty(0, dtype=np.intp)], [np.empty(0)]
        for first in range(0, one.level.size, _PIECE):
            piece = slice(first, first + _PIECE)
            gap = np.abs(one.level[piece] - self._as_first(piece))
            at = np.flatnonzero(gap > least)
            if at.size:
                found.append(at + first)
                gaps.append(gap[at])
        return np.concatenate(found), np.concatenate(gaps)

    def _as_first(self, piece: slice) -> FloatArray:
        """The second track at a piece of the first's instants, as the first's level."""
        one, two = self.first, self.second
        if self.together:
            return self._through(two.level[piece], two)
        return self._through(read_at(one.time_s[piece] + self.skew_s, two.time_s, two.level), two)

    def _blur(self) -> float:
        return self.first.tolerance + self.second.tolerance / abs(self.line.slope)

    def _may_be_timing(self, at: IntArray, gap: FloatArray) -> BoolArray:
        """Where motion between two samples of tracks polled in turn explains a gap, shape of `at`.

        Args:
            at: indices into the first track.
            gap: how far the tracks are apart there, shape of `at`.
        """
        if self.together or not at.size:
            return np.zeros(at.shape, dtype=np.bool_)
        other = self._as_first(slice(None))
        own, theirs = (_speed_around(x, self.first.time_s, at) for x in (self.first.level, other))
        unknown = _UNKNOWN_INTERVALS * max(self.first.interval_s, self.second.interval_s)
        explained = np.minimum(own, theirs) * unknown + self._blur()
        return np.asarray(gap < explained, dtype=np.bool_)

    def _at_rails(self, own: FloatArray, other: FloatArray) -> bool:
        """Whether both are where neither can be for most of the time."""
        both = self.first.beyond_range(own) & self.second.beyond_range(other)
        return bool(np.mean(both) > _MOSTLY)

    def _piece(self, span: Span) -> Event | None:
        """One contradiction as an event of the track that left: the one that moved further at once.

        Where both are at levels at which neither usually is, both have left.
        """
        parts = []
        for track in (self.first, self.second):
            first, last = (
                int(n) for n in np.searchsorted(track.time_s, (span[0] - 1e-9, span[1] + 1e-9))
            )
            if last <= first:
                continue
            before = float(track.level[max(first - 1, 0)])
            after = float(track.level[min(last, track.level.size - 1)])
            values = track.level[first:last]
            level = float(values[np.argmax(np.abs(values - (before + after) / 2.0))])
            parts.append((track.id, Excursion(span, before, after, level, last - first)))
        if not parts:
            return None
        by_id = {self.first.id: self.first, self.second.id: self.second}
        unusual = [p for p in parts if by_id[p[0]].is_unusual(p[1].level)]
        if len(unusual) == len(by_id):
            return Event(tuple(unusual), span)
        chosen = max(unusual or parts, key=lambda part: part[1].depth)
        return Event((chosen,), span)

    def _of_part(self, channel: str, excursion: Excursion) -> Says:
        own, other = self.first, self.second
        sign = 1.0
        if channel != own.id:
            own, other, sign = other, own, -1.0
        seen = _levels(own, excursion, 0.0)
        expected = self._through(_levels(other, excursion, sign * self.skew_s), other)
        if not expected.size or not seen.size:
            return Says.NOTHING
        apart = abs(sampling.middle(seen) - sampling.middle(expected))
        blur = own.tolerance + other.tolerance
        if not own.is_unusual(excursion.level) and apart <= max(_CONFIRMS * excursion.depth, blur):
            return Says.MOTION
        if apart <= max(_CONTRADICTS * excursion.depth, 1.5 * blur):
            return Says.NOTHING
        if self.together:
            return Says.FAULT
        unknown = _UNKNOWN_INTERVALS * max(own.interval_s, other.interval_s)
        explained = apart <= self._speed(other, excursion) * unknown
        return Says.NOTHING if explained else Says.FAULT

    def _through(self, level: FloatArray, of: TrackSignal) -> FloatArray:
        if of is self.second:
            return (level - self.line.offset) / self.line.slope
        return self.line.at(level)

    def _speed(self, track: TrackSignal, excursion: Excursion) -> float:
        """The highest speed of a track around an excursion, seen through the relation, a second."""
        around = 2.0 * track.interval_s
        span = (excursion.span_s[0] - around, excursion.span_s[1] + around)
        near = slice(*np.searchsorted(track.time_s, span))
        level, time_s = track.level[near], track.time_s[near]
        if level.size < 2:
            return 0.0
        speed = float(np.max(np.abs(np.diff(level) / np.diff(time_s))))
        return speed / abs(self.line.slope) if track is self.second else speed * abs(self.line.slope)


def _speed_around(level: FloatArray, time_s: FloatArray, at: IntArray) -> FloatArray:
    """The highest speed from sample to sample within two of each, shape of `at`."""
    end = level.size - 1
    speed = np.zeros(at.shape)
    for shift in (-2, -1, 0, 1):
        one, two = np.clip(at + shift, 0, end), np.clip(at + shift + 1, 0, end)
        took_s = np.maximum(time_s[two] - time_s[one], 1e-9)
        speed = np.maximum(speed, np.abs(level[two] - level[one]) / took_s)
    return speed


def _levels(track: TrackSignal, excursion: Excursion, skew_s: float) -> FloatArray:
    """The samples of a track during an excursion; between samples, what it shows by interpolation."""
    start, end = excursion.span_s
    if skew_s == 0.0:
        here = slice(
            int(np.searchsorted(track.time_s, start - 1e-9)),
            int(np.searchsorted(track.time_s, end + 1e-9)),
        )
        if _FEW_LEVELS <= here.stop - here.start <= _MANY_LEVELS:
            return track.level[here]
    times = np.linspace(start, end, max(_FEW_LEVELS, min(excursion.samples, _MANY_LEVELS))) + skew_s
    within: FloatArray = times[(times >= track.time_s[0]) & (times <= track.time_s[-1])]
    return read_at(within, track.time_s, track.level)
