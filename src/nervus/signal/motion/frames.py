"""The frame of a track: which level is the closed stop and which the open one.

It comes from the profile, else from what the control unit reports beside the track, else from the ends
that the recording reached, and where it reached none from what is usual for such a sensor. Which of
these it was is kept and told.
"""

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from nervus.domain.analysis import Frame
from nervus.domain.channel import Channel, FloatArray, Span
from nervus.domain.profile import TrackProfile
from nervus.language import say
from nervus.signal.arithmetic.robust import theil_sen
from nervus.signal.instruments import sampling
from nervus.signal.motion.course import Course
from nervus.signal.motion.relation import Line
from nervus.signal.motion.travel import find_passes

# Usual ends in percent of supply: 0.5 V closed and 4.5 V wide open at 5 V (common practice).
_USUAL_CLOSED, _USUAL_OPEN = 10.0, 90.0
# Highest level that can be the closed stop, and lowest that can be the open one (common practice:
# 0.5 to 0.9 V and 4.1 to 4.6 V are usually within the maker's limits; sensors of half range apart).
_CLOSED_AT_MOST, _OPEN_AT_LEAST = 24.0, 78.0
# No track goes nearer to its supply (common practice: what does is taken for a short by the unit).
_MOST_OPEN = 96.0
# From here up an end that was reached is the open stop, whatever the control unit calls percent:
# wide open it often reports only 70 to 85 % (common practice).
_OPEN_FOR_SURE = 87.0
# No open stop lies lower (common practice: wide open reads 3.5 V and more of 5 V, but for half ranges).
_NO_STOP_BELOW = 68.0
# Openings over so much of the supply, percent, so many of them and at least half, that end within so
# much of one level end at a stop.
_LEAST_STOPS, _SAME_STOP_PCT, _SWEPT_PCT = 3, 0.3, 40.0
# A pedal that was pressed down moves its tracks by this much of the supply at least (from memory: full
# tracks by 60 to 70 %, tracks of half range by half of that).
_PRESSED_PCT = 22.0
# What a control unit may report at the ends that were seen.
_LEAST_TOLD_PCT, _MOST_TOLD_PCT = -8.0, 108.0
# What is lower or higher was no rest. Within so many deviations of it lies what is noise at a rest,
# which takes this share of a recording at least; seen slowly, motion looks like noise too.
_QUANTILES = (0.2, 99.8)
_NEAR_DEVIATIONS, _MOST_NEAR_PCT, _LEAST_REST = 5.0, 1.5, 0.01
# Instants enough for what was shown at the ends.
_ENOUGH = 50_000
# A track rises or falls with what is reported if both go this far, and correlate by so much.
_LEAST_RANGE_PCT, _LEAST_ALIKE = 5.0, 0.5
# A track that begins at its high end, and is there for so many times what it is at the low one, falls.
_MOSTLY_AT_REST, _AT_REST = 3.0, 0.5
# What is reported stood where it was so long before, and is so long behind, within so much, percent.
_STOOD_S, _STILL_PCT = (-0.3, 0.1), 1.0
# The other track is at an end within this, percent of travel; so many of its points tell where this one
# is then, if no further from their line than this share of the travel.
_AT_END_PCT, _LEAST_AT_END, _NEAR_LINE = 0.7, 5, 0.04
# What a track showed beyond its sister's ends by more than this share of her way is no end of its own;
# where it was there for longer than the rest of the time, it is she who did not get there. Points closer
# than the last show no more of the ends.
_NEAR_HER_END, _MOSTLY_WITH_HER, _SHOWN_S = 0.04, 0.5, 0.02


def frame_from_profile(profile: TrackProfile, supply_v: float, nominal_v: float) -> Frame:
    """The profile's ends, scaled to the supply that was measured."""
    scale = supply_v / nominal_v
    return Frame(profile.closed_v * scale, profile.open_v * scale, say("as the profile says"))


def learn_frame(
    course: Course,
    reported: Channel | None,
    *,
    pedal: bool = False,
    mirrored: bool = False,
    above: float = 0.0,
) -> Frame:
    """Closed and open level of a track, in the channel's own unit.

    What is usual of a throttle says nothing of a pedal, whose tracks end at other levels each: there the
    ends are those that were reached, where they lie far enough apart for a pedal that was pressed down.

    Args:
        course: the track without its faults.
        reported: what the control unit tells of the same shaft.
        pedal: whether it is the pedal's.
        mirrored: whether its sister falls where it rises: one of the two falls, and it may be this one.
        above: how much higher its sister reads than it does where it reads highest, percent of supply.
            What is usual of the open end is so of her.
    """
    low, high = ends_shown(course.level)
    falls = _falls_against(course, reported) if reported is not None else None
    if pedal and high - low >= _PRESSED_PCT:
        ends = (high, low) if low > 100.0 - high and course.level[0] > (low + high) / 2 else (low, high)
        unit = course.supply_v / 100.0
        return Frame(ends[0] * unit, ends[1] * unit, _BASIS_REACHED_BOTH)
    falls = _falls(course.level, low, high, mirrored=mirrored) if falls is None else falls
    shut, wide = (100.0 - high, 100.0 - low) if falls else (low, high)
    closed, opened, basis = _ends(shut, wide, above)
    if reported is None and basis == _BASIS_USUAL and closed == shut and wide + above > _NO_STOP_BELOW:
        # What blocks a plate halfway stops it again and again too: only what is asked for tells that.
        rising = replace(course, level=100.0 - course.level) if falls else course
        opened, basis = (wide, _BASIS_REACHED_BOTH) if _stopped_again(rising) else (opened, basis)
    if falls:
        closed, opened = 100.0 - closed, 100.0 - opened
    if reported is not None and basis != _BASIS_REACHED_BOTH:
        fitted = _fit_reported(course, reported)
        if fitted is not None:
            closed, opened, basis = *fitted, say("from the percent that the control unit reports")
    unit = course.supply_v / 100.0
    return Frame(closed * unit, opened * unit, basis)


def ends_shown(level: FloatArray) -> tuple[float, float]:
    """Lowest and highest level that was shown, without what noise adds: a throttle rests at its ends.

    A quantile lies where the noise is furthest out; the levels within the noise of it are those of the
    rest, whose middle is the end.
    """
    level = level[:: max(1, level.size // _ENOUGH)]
    low, high = (float(q) for q in np.percentile(level, _QUANTILES))
    near = min(_NEAR_DEVIATIONS * sampling.noise(level), _MOST_NEAR_PCT)
    at_low, at_high = level[level <= low + near], level[level >= high - near]
    if min(at_low.size, at_high.size) < _LEAST_REST * level.size:
        return low, high
    return sampling.middle(at_low), sampling.middle(at_high)


def with_sister(course: Course, hers: Course, learn: Callable[[Course], Frame]) -> Frame:
    """The frame of a track that fails more often than its sister: by her, where it may be misled.

    Who fails may have shown what is no end, or not the same one each time.

    Args:
        course: the track's own.
        hers: what she tells of it.
        learn: learns a frame from a course.
    """
    own = learn(course)
    beyond = _goes_beyond(course, ends_shown(hers.level))
    if own.basis == _BASIS_REACHED_BOTH and not beyond:
        return own
    every = max(1, int(_SHOWN_S / max(hers.interval_s, 1e-6)))
    by_her = learn(
        replace(
            hers,
            time_s=hers.time_s[::every],
            level=hers.level[::every],
            interval_s=hers.interval_s * every,
        )
    )
    return by_her if beyond or by_her.basis == _BASIS_REACHED_BOTH else own


def _goes_beyond(course: Course, ends: Span) -> bool:
    """Whether a track now and then goes beyond the ends that its sister shows."""
    low, high = ends
    room = _NEAR_HER_END * (high - low)
    if course.level.min() > low - room and course.level.max() < high + room:
        return False
    kept = (course.level > low - room) & (course.level < high + room)
    return float(np.mean(kept)) >= _MOSTLY_WITH_HER


def related_frame(frame: Frame, first: Course, second: Course, line: Line, skew_s: float) -> Frame:
    """The second track's frame: what it showed while the first was at its ends.

    Where it never was, or where that is far from what the line between the tracks says, by the line.
    """
    offset = line.offset * first.supply_v / 100.0
    by_line = line.slope * frame.closed + offset, line.slope * frame.open + offset
    every = max(1, second.time_s.size // _ENOUGH)
    time_s, shown = second.time_s[::every], second.own()[::every]
    at = frame.percent(np.interp(time_s - skew_s, first.time_s, first.own()))
    ends = []
    for end, rests in zip(by_line, (at < _AT_END_PCT, at > 100.0 - _AT_END_PCT), strict=True):
        seen = float(np.median(shown[rests])) if np.count_nonzero(rests) >= _LEAST_AT_END else end
        near = abs(seen - end) <= _NEAR_LINE * abs(by_line[1] - by_line[0])
        ends.append(seen if near else end)
    return Frame(ends[0], ends[1], frame.basis)


_BASIS_REACHED_BOTH = say("from the ends that the recording reached")
_BASIS_USUAL = say("from a usual range, as the open end was not reached")


def _ends(low: float, high: float, above: float) -> tuple[float, float, str]:
    """Closed and open level, percent of supply, and why, of a track that rises below its sister."""
    closed_seen = low <= _CLOSED_AT_MOST
    closed = low if closed_seen else _USUAL_CLOSED
    usual_open = closed + (_USUAL_OPEN - _USUAL_CLOSED)
    if closed_seen and high + above >= _OPEN_FOR_SURE:
        return closed, high, _BASIS_REACHED_BOTH
    if high + above >= _OPEN_AT_LEAST:
        return closed, high, say("from the open end that was reached and a usual closed one")
    return closed, max(min(usual_open, _MOST_OPEN - above), high, closed + 1.0), _BASIS_USUAL


def _stopped_again(rising: Course) -> bool:
    """Whether it was opened to one and the same level again and again: a stop repeats, no hand does."""
    passes = find_passes(rising.time_s, rising.level)
    opened = [p.to_pct for p in passes if p.to_pct - p.from_pct > _SWEPT_PCT]
    near = max(_SAME_STOP_PCT, 2.0 * rising.blur)
    at_stop = sum(1 for to in opened if to > max(opened) - near)
    return at_stop >= max(_LEAST_STOPS, (len(opened) + 1) // 2)


def _falls_against(course: Course, reported: Channel) -> bool | None:
    """Whether a track falls while what is reported rises; `None` where they have little in common."""
    every = max(1, course.level.size // _ENOUGH)
    level = course.level[::every]
    told = np.interp(course.time_s[::every], reported.time_s, reported.values)
    if np.ptp(told) < _LEAST_RANGE_PCT or np.ptp(level) < _LEAST_RANGE_PCT:
        return None
    alike = float(np.corrcoef(level, told)[0, 1])
    return alike < 0.0 if abs(alike) > _LEAST_ALIKE else None


def _falls(level: FloatArray, low: float, high: float, *, mirrored: bool) -> bool:
    """A falling track lies near the supply when it rests, and a throttle rests closed.

    A recording is begun with the throttle at rest more often than wide open; of a track that has no
    sister that mirrors it that is not enough, for hardly any falls.
    """
    if high < 60.0 or high - low < 5.0:
        return False
    band = 0.05 * (high - low)
    rests_low = float(np.mean(level < low + band))
    rests_high = float(np.mean(level > high - band))
    return bool(low > _CLOSED_AT_MOST and rests_high > rests_low) or (
        rests_high > (_AT_REST if mirrored else _MOSTLY_AT_REST) * max(rests_low, 0.01)
        and level[0] > high - band
    )


def _fit_reported(course: Course, reported: Channel) -> tuple[float, float] | None:
    """Levels at 0 and 100 % by a robust line (Theil-Sen) through calm moments."""
    at = np.interp(course.time_s, reported.time_s, reported.values)
    calm = course.speed() < 3.0
    # What is late is elsewhere until it has come to rest where it was told to be.
    before, behind = (
        np.interp(course.time_s + shift_s, reported.time_s, reported.values) for shift_s in _STOOD_S
    )
    calm &= (np.abs(at - before) < _STILL_PCT) & (np.abs(behind - at) < _STILL_PCT)
    if calm.sum() < 20 or np.ptp(at[calm]) < 10.0:
        return None
    chosen = np.flatnonzero(calm)[:: max(1, int(calm.sum()) // 400)]
    slope, closed = theil_sen(course.level[chosen], at[chosen])
    if not abs(slope) >= 0.2:
        return None
    # What was seen must make sense by it: two clocks that ran apart fit to anything.
    ends = np.sort((np.percentile(course.level, _QUANTILES) - closed) / slope)
    if not (ends[0] >= _LEAST_TOLD_PCT and ends[1] <= _MOST_TOLD_PCT):
        return None
    return closed, closed + 100.0 * slope
