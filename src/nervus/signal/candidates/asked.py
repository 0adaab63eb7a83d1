"""What asked a shaft to move, the command, as a witness of whether it did."""

from dataclasses import dataclass
from math import hypot

import numpy as np

from nervus.domain.channel import Channel, FloatArray, Recording, Role, Sensor, Span
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.arithmetic.spans import runs
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.instruments import sampling
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.motion.course import Course, course_of, plain_course
from nervus.signal.motion.relation import LATE_S, Line, learn_late_line, learn_line

# Told more seldom than this it is no witness of an interruption.
_EVERY_S = 0.25
# So long before it went there, or came back, something else was asked for.
_BESIDE_S = (0.1, 0.2, 0.3, 0.5)
# It may be later than it usually is by this much.
_LATER_S = 0.2
# Command and place agree within this, percent of supply, and this share of an excursion; a difference is
# worth no more than so many nats, and so many that a plate went where it was asked to, or came back so.
_WITHIN_PCT, _WITHIN_SHARE, _MOST, _EACH_WAY = 3.0, 0.2, 8.0, 4.0
# The line between them is not straight at the stops: of shallower excursions it says nothing, percent
# of supply.
_LEAST_PCT = 5.0
# Further apart than this it is looked into, if it goes so much of the way at once, and for no longer
# than this.
_PARTED_PCT, _AT_ONCE, _LONGEST_S = 6.0, 0.5, 2.5
# At the ends of what it tells a command may stand for this much more (common practice: wide open is
# often told as 70 to 85 %); its readings there agree within that. The least is such an end where it is
# nothing, with its rounding no more than this.
_CUT_OFF_PCT, _ROUNDED_PCT, _NOTHING_PCT = 30.0, 0.6, 1.5
# An excursion is compared at so many instants at most.
_MANY = 200
# It left by itself where it went this many times as far as it is off what was asked for at the least.
_MOSTLY = 1.5
# It was asked to go there where this share of the way was asked for.
_WENT_SHARE = 0.5


@dataclass(frozen=True, slots=True, eq=False)
class Asked:
    """A command with the line from it to each track's level.

    Attributes:
        channel: the command.
        every_s: how often it was told.
        ends: the least and the most that it ever told, but for its rounding.
        lines: for each track, its level = slope x command + offset, and how much later it usually
            is there.
    """

    channel: Channel
    every_s: float
    ends: Span
    lines: dict[str, tuple[Line, float]]

    def says(self, track: Instrument, excursion: Excursion) -> float:
        """How much the command speaks for an excursion being motion, in nats; 0 where it can't tell."""
        start, end = excursion.span_s
        first, last = np.searchsorted(track.time_s, (start - 1e-9, end + 1e-9)).tolist()
        if track.id not in self.lines or last <= first or excursion.depth < _LEAST_PCT:
            return 0.0
        every = max(1, (last - first) // _MANY)
        time_s, level = track.time_s[first:last:every], track.level[first:last:every]
        low, high = self._wanted(track, time_s)
        apart = float(np.median(np.maximum(np.maximum(low - level, level - high), 0.0)))
        spread = hypot(_WITHIN_PCT, _WITHIN_SHARE * excursion.depth)
        if apart > spread:
            short = self._short_of(excursion, float(np.median(low)), float(np.median(high)))
            return 0.0 if short else -min((apart / spread) ** 2 / 2.0, _MOST)
        # Each way that was asked for as it was gone tells; beyond its ends nobody knows what was asked.
        (line, usual), lags = self.lines[track.id], np.asarray(_BESIDE_S)
        asked = float(
            np.median(line.at(read_at(time_s - usual, self.channel.time_s, self.channel.values)))
        )
        other_way = (asked - excursion.course) * (excursion.level - excursion.course) < 0.0
        there = float(np.median(line.at(self._told(track, time_s).mean(axis=0))))
        beside = (line.at(self._told(track, x).mean(axis=0)) for x in (start - lags[::-1], end + lags))
        went = sum(bool(np.any(np.abs(x - there) > _WENT_SHARE * excursion.depth)) for x in beside)
        return _EACH_WAY * went if went and not other_way else -((apart / spread) ** 2) / 2.0

    def left(self, track: Instrument, span: Span) -> bool:
        """Whether a track was where it was asked to be, and went away from there by itself.

        A plate that sticks stays where it was: what was asked for goes away.
        """
        first, last = np.searchsorted(track.time_s, (span[0] - 1e-9, span[1] + 1e-9)).tolist()
        if track.id not in self.lines or not 0 < first < last:
            return False
        during = first + int(np.argmax(np.abs(track.level[first:last] - track.level[first - 1])))
        at = np.asarray([first - 1, during])
        low, high = self._wanted(track, track.time_s[at])
        before, away = np.maximum(np.maximum(low - track.level[at], track.level[at] - high), 0.0)
        went = abs(float(track.level[during] - track.level[first - 1]))
        return bool(before <= _PARTED_PCT < away <= _MOSTLY * went)

    @staticmethod
    def _short_of(excursion: Excursion, low: float, high: float) -> bool:
        """Whether it went where it was asked to, but not so far: stiff, slow or stopped."""
        if excursion.level > excursion.course:
            return low > excursion.level
        return high < excursion.level

    def partings(self, track: Instrument) -> list[tuple[int, int]]:
        """Where a slowly told track jumps away from all that the command asked for of late, and back.

        Returns:
            Indices of the last sample before and the first one behind each.
        """
        if track.id not in self.lines or not track.is_slow:
            return []
        low, high = self._wanted(track, track.time_s)
        apart = np.maximum(low - track.level, track.level - high)
        found = []
        for a, b in zip(*runs(apart > _PARTED_PCT), strict=True):
            before, after = max(int(a) - 1, 0), min(int(b) + 1, track.level.size - 1)
            deep = float(apart[a : b + 1].max())
            # Away from what was asked for, and back towards it: one that is stopped on its way only
            # stays behind.
            side = 1.0 if track.level[a] > high[a] else -1.0
            into = side * float(track.level[min(a + 1, b)] - track.level[before])
            away = side * float(track.level[max(b - 1, a)] - track.level[after])
            short = track.time_s[b] - track.time_s[a] <= _LONGEST_S
            if short and min(into, away) > _AT_ONCE * deep and max(into, away) > _PARTED_PCT:
                found.append((int(a) - 1, int(b) + 1))
        return found

    def _wanted(self, track: Instrument, at_s: FloatArray) -> tuple[FloatArray, FloatArray]:
        """The least and the most that was asked for of late, as the track's level, shape (n,) each."""
        low, high = self._told(track, at_s)
        # At its ends a command is cut off: the plate may be asked for more than it says. What is
        # asked for at the least, as at idle, is not, unless that is nothing.
        if self.ends[0] <= _NOTHING_PCT:
            low = np.where(low <= self.ends[0], self.ends[0] - _CUT_OFF_PCT, low)
        high = np.where(high >= self.ends[1], self.ends[1] + _CUT_OFF_PCT, high)
        line, _ = self.lines[track.id]
        both = np.stack((line.at(low), line.at(high)))
        return both.min(axis=0), both.max(axis=0)

    def _told(self, track: Instrument, at_s: FloatArray) -> FloatArray:
        """The least and the most that was told of late, in the command's own unit, shape (2, n)."""
        # Between two tellings it may have changed at once: what is told next counts too.
        _, usual = self.lines[track.id]
        lags = (-self.every_s, 0.0, usual, usual + _LATER_S / 2.0, usual + _LATER_S)
        told = np.stack([read_at(at_s - x, self.channel.time_s, self.channel.values) for x in lags])
        return np.stack((told.min(axis=0), told.max(axis=0)))


def who_asked(recording: Recording, tracks: tuple[Instrument, ...]) -> Asked | None:
    """The command of a throttle, if it was told often enough and the tracks follow it."""
    command = next(iter(recording.with_role(Role.COMMAND)), None)
    if command is None or not tracks or tracks[0].kind.sensor is Sensor.PEDAL:
        return None
    every_s = sampling.interval_s(command.time_s)
    if command.samples < 3 or every_s > _EVERY_S:
        return None
    told = plain_course(command)
    lines = {t.id: _line(told, course_of(t, ())) for t in tracks}
    known = {name: found for name, found in lines.items() if found is not None}
    ends = float(command.values.min()) + _ROUNDED_PCT, float(command.values.max()) - _ROUNDED_PCT
    return Asked(command, every_s, ends, known) if known else None


def _line(told: Course, track: Course) -> tuple[Line, float] | None:
    """The line from command to track, and by how much later it is there.

    Where nothing tells both, the line that most of the recording agrees on for any delay.
    """
    best = learn_late_line(told, track)
    least = np.inf
    for lag in LATE_S if best is None else ():
        line = learn_line(told, track, lag)
        if line is None:
            continue
        at = read_at(told.time_s + lag, track.time_s, track.level)
        off = float(np.mean(np.minimum(np.abs(line.at(told.level) - at), _PARTED_PCT)))
        if off < least:
            best, least = (line, lag), off
    return best
