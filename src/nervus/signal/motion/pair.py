"""Two tracks on one shaft: what each says of the other.

Two tracks on one shaft can't be at different places. Where they are, one of them was off, however gently
it left; where they agree, the shaft moved, or what both share failed.
"""

from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import BoolArray, FloatArray, IntArray, Span
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.arithmetic.spans import inside, merge, runs_of
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.motion.relation import Line

# Motion between two samples of tracks that are read in turn hides this many intervals.
UNKNOWN_INTERVALS = 1.5
# A track that moves so many times as far as the other has the full range, the other a part of it.
_PART_OF_RANGE = 1.7
# Samples looked at together.
_PIECE = 1 << 15


@dataclass(frozen=True, slots=True, eq=False)
class Pair:
    """Two tracks with what relates them.

    Attributes:
        first: track 1.
        second: track 2.
        line: what relates them.
        skew_s: by how much the second lags.
        together: whether every sample of one was taken with one of the other, not read in turn.
    """

    first: Instrument
    second: Instrument
    line: Line
    skew_s: float
    together: bool

    @property
    def _unknown_s(self) -> float:
        """How far apart in time what the tracks show may be: a filter does more than delay."""
        interval_s = max(self.first.interval_s, self.second.interval_s)
        return max(UNKNOWN_INTERVALS * interval_s, abs(self.skew_s))

    def other(self, track: Instrument) -> Instrument:
        """The sister of a track."""
        return self.second if track.id == self.first.id else self.first

    def by_range(self) -> tuple[Instrument, Instrument]:
        """Both, first the one of full range: what is usual of the ends is said of such.

        Tracks of one sensor are alike to some per cent, or the one has half the range of the other.
        """
        if abs(self.line.slope) > _PART_OF_RANGE:
            return self.second, self.first
        return self.first, self.second

    def as_track(self, of: Instrument, level: FloatArray) -> FloatArray:
        """Levels of a track's sister as that track's own, shape (n,) to (n,)."""
        if of.id == self.first.id:
            return (level - self.line.offset) / self.line.slope
        return self.line.at(level)

    def how_much_further(self, of: Instrument) -> float:
        """How many times as far as a track its sister goes, if she does, else one."""
        slope = abs(self.line.slope)
        return max(1.0, slope if of.id == self.first.id else 1.0 / slope)

    def how_far_above(self, of: Instrument, level: float) -> float:
        """How much higher a track's sister reads where it reads a level, percent of supply, if she does.

        Only where both rise, and go equally far: else they read apart for other reasons.
        """
        if not 1.0 / _PART_OF_RANGE < self.line.slope < _PART_OF_RANGE:
            return 0.0
        hers = self.as_track(self.other(of), np.asarray([level]))
        return max(0.0, float(hers[0]) - level)

    def expected(self, of: Instrument, at_s: FloatArray) -> FloatArray:
        """What a track should read by its sister at some instants, percent of supply, shape (n,)."""
        sister, sign = self.other(of), 1.0 if of.id == self.first.id else -1.0
        return self.as_track(of, read_at(at_s + sign * self.skew_s, sister.time_s, sister.level))

    def expected_of(self, of: Instrument, samples: slice | IntArray = slice(None)) -> FloatArray:
        """What the sister says of a track's own samples, percent of supply, shape (n,)."""
        if self.together:
            return self.as_track(of, self.other(of).level[samples])
        if isinstance(samples, slice) and samples == slice(None):
            sister, sign = self.other(of), 1.0 if of.id == self.first.id else -1.0
            return self.as_track(
                of, np.interp(of.time_s + sign * self.skew_s, sister.time_s, sister.level)
            )
        return self.expected(of, of.time_s[samples])

    def where_both_stand(self, of: Instrument) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Where two readings of each that are taken in turn, across each other, are alike.

        Returns:
            When, a track's level then, and how far it is above what its sister says, shape (n,) each.
        """
        sister, sign = self.other(of), 1.0 if of.id == self.first.id else -1.0
        own, hers = (np.abs(np.diff(t.level)) <= t.same_level for t in (of, sister))
        at = np.flatnonzero(own)
        sister_s = sister.time_s - sign * self.skew_s
        # The first of hers behind each: before the next of its own, and like the one before or behind.
        behind = np.searchsorted(sister_s, of.time_s[at], side="right")
        inside = behind < sister_s.size
        at, behind = at[inside], behind[inside]
        alike = np.append(hers, False) | np.append(False, hers)
        both = alike[behind] & (sister_s[behind] < of.time_s[at + 1])
        level = of.level[at[both]]
        return of.time_s[at[both]], level, level - self.as_track(of, sister.level[behind[both]])

    def resolution(self, of: Instrument) -> float:
        """The coarser of both tracks' steps, in percent of a track's supply."""
        slope = abs(self.line.slope)
        scale = 1.0 / slope if of.id == self.first.id else slope
        return max(of.resolution, self.other(of).resolution * scale)

    def blur(self, of: Instrument) -> float:
        """How far both may be apart by noise and rounding, in percent of a track's supply."""
        slope = abs(self.line.slope)
        scale = 1.0 / slope if of.id == self.first.id else slope
        return of.tolerance + self.other(of).tolerance * scale

    def timing(self, of: Instrument, span_s: Span) -> float:
        """How far both may be apart because they were read in turn while the shaft moved, percent.

        The slower of the two tells how fast the shaft was: what left may have leapt.
        """
        if self.together:
            return 0.0
        slope = abs(self.line.slope)
        speeds = []
        for track in (self.first, self.second):
            scale = 1.0 if track.id == of.id else (1.0 / slope if of.id == self.first.id else slope)
            speeds.append(_fastest(track, span_s) * scale)
        return min(speeds) * self._unknown_s

    def partings(self, least: float, known_s: tuple[Span, ...], gap_s: float) -> tuple[Span, ...]:
        """Where the tracks are further apart than noise, timing and `least` explain.

        Joined over `gap_s`; what is near to known spans is left out.
        """
        off, gap = self._gaps(self.blur(self.first) + least)
        # Before her first reading, and behind her last, she says nothing.
        at_s, hers_s = self.first.time_s[off] + self.skew_s, self.second.time_s
        fresh = ~self._may_be_timing(off, gap) & (at_s >= hers_s[0]) & (at_s <= hers_s[-1])
        fresh &= ~inside(self.first.time_s[off], known_s, 2.0 * self.first.interval_s)
        off = off[fresh]
        ends = ((float(self.first.time_s[a]), float(self.first.time_s[b])) for a, b in _ends(off))
        return merge(ends, gap_s)

    def _gaps(self, least: float) -> tuple[IntArray, FloatArray]:
        """Where the tracks are further apart than `least`, and by how much, shape (k,) both.

        Indices into the first track; piece by piece, so that what is computed stays in the cache.
        """
        one = self.first
        found, gaps = [np.empty(0, dtype=np.intp)], [np.empty(0)]
        for first in range(0, one.level.size, _PIECE):
            piece = slice(first, first + _PIECE)
            gap = np.abs(one.level[piece] - self.expected_of(one, piece))
            at = np.flatnonzero(gap > least)
            if at.size:
                found.append(at + first)
                gaps.append(gap[at])
        return np.concatenate(found), np.concatenate(gaps)

    def _may_be_timing(self, at: IntArray, gap: FloatArray) -> BoolArray:
        """Where motion between two samples of tracks read in turn explains a gap, shape of `at`."""
        if self.together or not at.size:
            return np.zeros(at.shape, dtype=np.bool_)
        other = self.expected_of(self.first)
        own, theirs = (_speed_around(x, self.first.time_s, at) for x in (self.first.level, other))
        at_s, others_s = self.first.time_s[at] + self.skew_s, self.second.time_s
        behind = np.searchsorted(others_s, at_s).clip(1, others_s.size - 1)
        # Where she was not read for a while, the shaft went her way in it, at any time.
        unknown = np.maximum(self._unknown_s, others_s[behind] - others_s[behind - 1])
        explained = np.minimum(own, theirs) * unknown + self.blur(self.first)
        return np.asarray(gap < explained, dtype=np.bool_)


def _ends(indices: IntArray) -> list[tuple[int, int]]:
    first, last = runs_of(indices)
    return list(zip(first.tolist(), last.tolist(), strict=True))


def _fastest(track: Instrument, span_s: Span) -> float:
    """The highest speed of a track from two samples before a span to two behind it, percent a second."""
    around = 2.0 * track.interval_s
    first, last = np.searchsorted(track.time_s, (span_s[0] - around, span_s[1] + around)).tolist()
    # The readings that the span lies between, however far off.
    before, behind = np.searchsorted(track.time_s, span_s).tolist()
    near = slice(max(min(first, before - 1), 0), max(last, behind + 1))
    level, time_s = track.level[near], track.time_s[near]
    if level.size < 2:
        return 0.0
    # Between readings that are further apart than usual it may have gone all its way at once.
    took_s = np.minimum(np.diff(time_s), track.interval_s)
    return float(np.max(np.abs(np.diff(level) / took_s)))


def _speed_around(level: FloatArray, time_s: FloatArray, at: IntArray) -> FloatArray:
    """The highest speed from sample to sample within two of each, shape of `at`."""
    end = level.size - 1
    speed = np.zeros(at.shape)
    for shift in (-2, -1, 0, 1):
        one, two = np.clip(at + shift, 0, end), np.clip(at + shift + 1, 0, end)
        took_s = np.maximum(time_s[two] - time_s[one], 1e-9)
        speed = np.maximum(speed, np.abs(level[two] - level[one]) / took_s)
    return speed
