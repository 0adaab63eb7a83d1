"""Where the throttle was: percent of travel from its best witness, split into passes.

The frame, which level is the closed stop and which the open one, comes from the profile, else from
what the control unit reports beside the track, else from the ends that the recording reached, and
where it reached none from what is usual for such a sensor. Which of these it was is kept and told.
"""

from itertools import pairwise

import numpy as np

from nervus.domain.analysis import Direction, Frame, Pass
from nervus.domain.channel import Channel, FloatArray
from nervus.domain.finding import Span
from nervus.domain.profile import TrackProfile
from nervus.signal.course import Course

# Usual ends in percent of supply: 0.5 V closed and 4.5 V wide open at 5 V (common practice).
_USUAL_CLOSED, _USUAL_OPEN = 10.0, 90.0
# Highest level that can be the closed stop, and lowest that can be the open one (common practice:
# 0.5 to 0.9 V and 4.1 to 4.6 V are usually within the maker's limits; sensors of half range apart).
_CLOSED_AT_MOST, _OPEN_AT_LEAST = 24.0, 78.0
# From here up an end that was reached is the open stop, whatever the control unit calls percent:
# wide open it often reports only 70 to 85 % (common practice).
_OPEN_FOR_SURE = 87.0
# What a control unit may report at the ends that were seen.
_LEAST_TOLD_PCT, _MOST_TOLD_PCT = -8.0, 108.0
# A reversal smaller than this is a trembling hand, no new pass; a pass must cover as much.
_LEAST_PASS_PCT = 8.0
# A pass begins and ends where it leaves and reaches its ends by this much.
_REST_BAND_PCT = 1.0
# Passes are told from at most so many points a second; a plate crosses in 70 ms at the fastest.
_POINTS_PER_S = 50.0
# Points looked at together for the end of a motion.
_PIECE = 256


def frame_from_profile(profile: TrackProfile, supply_v: float, nominal_v: float) -> Frame:
    """The profile's ends, scaled to the supply that was measured."""
    scale = supply_v / nominal_v
    return Frame(profile.closed_v * scale, profile.open_v * scale, "as the profile says")


def learn_frame(course: Course, reported: Channel | None) -> Frame:
    """Closed and open level of a track, in the channel's own unit."""
    low, high = (float(q) for q in np.percentile(course.level, [0.2, 99.8]))
    if _falls(course.level, low, high):
        mirrored = _ends(100.0 - high, 100.0 - low)
        closed, opened, basis = 100.0 - mirrored[0], 100.0 - mirrored[1], mirrored[2]
    else:
        closed, opened, basis = _ends(low, high)
    if reported is not None and basis != _BASIS_REACHED_BOTH:
        fitted = _fit_reported(course, reported)
        if fitted is not None:
            closed, opened, basis = *fitted, "from the percent that the control unit reports"
    unit = course.supply_v / 100.0
    return Frame(closed * unit, opened * unit, basis)


_BASIS_REACHED_BOTH = "from the ends that the recording reached"


def _ends(low: float, high: float) -> tuple[float, float, str]:
    closed_seen = low <= _CLOSED_AT_MOST
    closed = low if closed_seen else _USUAL_CLOSED
    usual_open = closed + (_USUAL_OPEN - _USUAL_CLOSED)
    if closed_seen and high >= _OPEN_FOR_SURE:
        return closed, high, _BASIS_REACHED_BOTH
    if high >= _OPEN_AT_LEAST:
        return closed, high, "from the open end that was reached and a usual closed one"
    return closed, min(usual_open, 96.0), "from a usual range, as the open end was not reached"


def _falls(level: FloatArray, low: float, high: float) -> bool:
    """A falling track lies near the supply when it rests, and a throttle rests closed."""
    if high < 60.0 or high - low < 5.0:
        return False
    band = 0.05 * (high - low)
    rests_low = float(np.mean(level < low + band))
    rests_high = float(np.mean(level > high - band))
    return bool(low > _CLOSED_AT_MOST and rests_high > rests_low) or (
        rests_high > 3.0 * max(rests_low, 0.01) and level[0] > high - band
    )


def _fit_reported(course: Course, reported: Channel) -> tuple[float, float] | None:
    """Levels at 0 and 100 % by a robust line (Theil-Sen) through calm moments."""
    at = np.interp(course.time_s, reported.time_s, reported.values)
    calm = course.speed() < 3.0
    if calm.sum() < 20 or np.ptp(at[calm]) < 10.0:
        return None
    from scipy.stats import theilslopes  # noqa: PLC0415 - loaded when first needed: start-up

    chosen = np.flatnonzero(calm)[:: max(1, int(calm.sum()) // 400)]
    with np.errstate(invalid="ignore"):  # its interval, which is not used, may not exist for ties
        fit = theilslopes(course.level[chosen], at[chosen])
    slope, closed = float(fit[0]), float(fit[1])
    if abs(slope) < 0.2:
        return None
    # What was seen must make sense by it: two clocks that ran apart fit to anything.
    ends = np.sort((np.percentile(course.level, [0.2, 99.8]) - closed) / slope)
    if not (ends[0] >= _LEAST_TOLD_PCT and ends[1] <= _MOST_TOLD_PCT):
        return None
    return closed, closed + 100.0 * slope


def find_passes(time_s: FloatArray, percent: FloatArray) -> tuple[Pass, ...]:
    """Opening and closing passes, rests and trembling between them left out."""
    every = max(1, int(1.0 / (_POINTS_PER_S * max(float(np.median(np.diff(time_s))), 1e-6))))
    time_s, percent = time_s[::every], percent[::every]
    turns = _turning_points(percent)
    passes = (_trim(time_s, percent, a, b) for a, b in pairwise(turns))
    return tuple(p for p in passes if abs(p.to_pct - p.from_pct) >= _LEAST_PASS_PCT)


def _turning_points(percent: FloatArray) -> list[int]:
    """Indices of the extremes between which the position moved by at least the least pass."""
    turns: list[int] = []
    start, rising = _first_move(percent)
    if start is None:
        return turns
    turns.append(start)
    while True:
        peak, found = _next_turn(percent, turns[-1], rising=rising)
        turns.append(peak)
        if not found:
            return turns
        rising = not rising


def _first_move(percent: FloatArray) -> tuple[int | None, bool]:
    """Where the first motion of a least pass began, and whether it rose."""
    high, low = np.maximum.accumulate(percent), np.minimum.accumulate(percent)
    moved = np.flatnonzero(high - low >= _LEAST_PASS_PCT)
    if not moved.size:
        return None, True
    so_far = percent[: int(moved[0]) + 1]
    rising = bool(np.argmax(so_far) > np.argmin(so_far))
    return int(np.argmin(so_far) if rising else np.argmax(so_far)), rising


def _next_turn(percent: FloatArray, start: int, *, rising: bool) -> tuple[int, bool]:
    """The extreme of the motion from `start` on, and whether it was left again by a least pass.

    Looked for piece by piece, so that a long recording is gone through once.
    """
    best = start
    for first in range(start, percent.size, _PIECE):
        piece = percent[first : first + _PIECE]
        way = piece if rising else -piece
        known = percent[best] if rising else -percent[best]
        highest = np.maximum(np.maximum.accumulate(way), known)
        left = np.flatnonzero(highest - way >= _LEAST_PASS_PCT)
        upto = int(left[0]) + 1 if left.size else piece.size
        top = int(np.argmax(way[:upto]))
        if way[top] > known:
            best = first + top
        if left.size:
            return best, True
    return best, False


def _trim(time_s: FloatArray, percent: FloatArray, first: int, last: int) -> Pass:
    """A pass from leaving its first end to reaching its last one, the rests cut off."""
    start, end = percent[first], percent[last]
    stretch = percent[first : last + 1]
    left = np.flatnonzero(np.abs(stretch - start) <= _REST_BAND_PCT)
    begin = int(left[-1]) if left.size else 0
    reached = np.flatnonzero(np.abs(stretch[begin:] - end) <= _REST_BAND_PCT)
    finish = begin + int(reached[0]) if reached.size else stretch.size - 1
    return Pass(
        start_s=round(float(time_s[first + begin]), 4),
        end_s=round(float(time_s[first + finish]), 4),
        direction=Direction.OPENING if end > start else Direction.CLOSING,
        from_pct=round(float(start), 2),
        to_pct=round(float(end), 2),
    )


def crossings(passes: tuple[Pass, ...], place: Span) -> tuple[Pass, ...]:
    """The passes that went through a place from one side to the other."""
    return tuple(
        p
        for p in passes
        if min(p.from_pct, p.to_pct) < place[0] and max(p.from_pct, p.to_pct) > place[1]
    )
