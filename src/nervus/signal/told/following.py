"""Whether the throttle does what it is told: position against command, held, limited or late.

The two have scales of their own (wide open is often told as 70 to 85 %), so the line between them is
learned from the recording by the widest agreement, as between two tracks. Only where the command has
stood still for longer than a sound throttle needs is a difference held against the throttle.
"""

from dataclasses import replace
from math import ceil

import numpy as np

from nervus.domain.channel import BoolArray, Channel, FloatArray, Span
from nervus.domain.finding import Disagreement
from nervus.domain.profile import ThrottleProfile
from nervus.language import say
from nervus.signal.arithmetic.robust import running_extremes
from nervus.signal.arithmetic.spans import inside, merge, runs
from nervus.signal.instruments.sampling import interval_s
from nervus.signal.motion.course import Course, plain_course
from nervus.signal.motion.relation import Line, learn_late_line, learn_line
from nervus.signal.told.late import Response, response_of, smoothed
from nervus.signal.told.phrases import times_told

# A sound throttle is there within this time (from memory: 0.1 to 0.2 s over the whole travel).
_SETTLED_S = 0.5
# Off by more than this for this long (from memory: usual limits of the unit's own monitor).
_LIMIT_PCT, _LEAST_S = 5.0, 0.3
_JOIN_S, _LEAST_SAMPLES = 1.0, 10
# A sound one has started to move within the first of these (measured: a delay of 0.08 s at the most over
# all sound recordings with a command); where it goes by less than this meanwhile, percent of the
# command's scale, it stands. One that stands for the second of them after that sticks.
_STARTS_S, _STANDS_PCT, _STICKS_S = 0.25, 1.5, 0.1
# Where the scales could not be learned (from memory: the same throttle told by two scales differs by
# up to a third), only this much is held against the throttle; the low end is this share.
_UNKNOWN_SCALE_PCT, _LOW_END = 25.0, 0.25
# Off places of one level, while the command asked for different ones, are a throttle that is held.
_HELD_BAND_PCT, _ASKED_PCT = 4.0, 8.0
# So many times at the furthest it ever goes, within this, while asked for more, make a stop of it.
_LEAST_STOPS, _STOPPED_BAND_PCT, _FURTHEST = 3, 1.0, 99.0
# A throttle that is late is behind for this long in so many moves; where it is for more than so many of
# its time constants it stands.
_MOVE_S, _LEAST_MOVES, _NEARED = 0.1, 3, 5.0
# A throttle that is late all the time is tried with these time constants, on so many points at most.
_LAGS_S, _MOST_LAGGED = (0.3, 0.5, 0.8, 1.2), 20_000
# A line flatter than this relates nothing.
_LEAST_SLOPE = 0.2
# What says the most that it can, but for its rounding (SAE J1979 tells percent in steps of 100/255), may
# stand for more.
_ROUNDED_PCT = 0.4


def not_following(
    command: Channel,
    position: Course,
    name: str,
    profile: ThrottleProfile | None = None,
    faulty: tuple[Span, ...] = (),
    *,
    most_pct: float = np.inf,
) -> tuple[Disagreement, ...]:
    """At most one finding: position against command.

    Args:
        command: percent, as commanded.
        position: percent of travel or as reported, bridged over its faults.
        name: the channel that the position was read from.
        profile: its limits tell whether the control unit would have set a code.
        faulty: spans at which the position is not known, for its tracks had left.
        most_pct: the most that the position can say: there it may be as far as asked for.
    """
    asked = plain_course(command)
    if asked.time_s.size < _LEAST_SAMPLES:
        return ()
    cut = position.level >= most_pct - _ROUNDED_PCT
    free = replace(position, time_s=position.time_s[~cut], level=position.level[~cut])
    learned = _learned(asked, free) if free.time_s.size >= _LEAST_SAMPLES else None
    limit = _limit(profile)
    if learned is None:
        limit = max(limit, _UNKNOWN_SCALE_PCT)
    line = learned or _from_the_low_end(asked, position)
    within = (asked.time_s >= position.time_s[0]) & (asked.time_s <= position.time_s[-1])
    time_s, wanted = asked.time_s[within], asked.level[within]
    level = np.interp(time_s, position.time_s, position.level)
    if time_s.size < _LEAST_SAMPLES:
        return ()
    is_at = (level - line.offset) / line.slope
    known_s = (time_s - time_s[0] >= _SETTLED_S) & ~inside(time_s, faulty, _SETTLED_S)
    cut_off = (level >= most_pct - _ROUNDED_PCT) & (wanted > is_at)
    known_s &= ~cut_off
    wrong = _off_asked(time_s, wanted, is_at, limit, _SETTLED_S) & known_s
    off = [s for s in _spans(time_s, wrong) if s[1] - s[0] >= _LEAST_S]
    if learned is not None:  # by a scale that nobody knows, what moves a little stands
        sticks = _off_asked(time_s, wanted, is_at, limit, _STARTS_S) & _stands(time_s, is_at) & known_s
        off += (s for s in _spans(time_s, sticks) if s[1] - s[0] >= _STICKS_S)
        wrong |= sticks
    lasting = merge(off, _JOIN_S)
    channels = (name, command.id)
    stopped = _stopped(is_at, wanted, limit) & ~cut_off
    stops = tuple(s for s in _spans(time_s, stopped) if s[1] - s[0] >= _LEAST_S)
    if len(stops) >= _LEAST_STOPS:
        return (_held(channels, stops, (wanted, is_at, stopped), profile),)
    longest_s = max((b - a for a, b in _spans(time_s, wrong)), default=0.0)
    behind = np.where(cut_off | inside(time_s, faulty, _SETTLED_S), 0.0, np.abs(is_at - wanted))
    moves = merge((s for s in _spans(time_s, behind > limit) if s[1] - s[0] >= _MOVE_S), _JOIN_S)
    if len(moves) >= _LEAST_MOVES:
        answer = response_of(time_s, wanted, is_at)
        if answer.is_late and longest_s <= _NEARED * answer.tau_s:
            return (_slow(channels, answer, moves, float(behind.max())),)
    if lasting:
        during = inside(time_s, lasting) & wrong
        return (_held(channels, lasting, (wanted, is_at, during), profile),)
    return ()


def _learned(asked: Course, position: Course) -> Line | None:
    """The line from command to position; `None` where nothing relates the two."""
    known = learn_late_line(asked, position)
    line = known[0] if known is not None else learn_line(asked, position) or _by_lag(asked, position)
    return line if line is not None and abs(line.slope) >= _LEAST_SLOPE else None


def _by_lag(asked: Course, position: Course) -> Line | None:
    """The line between a command that is followed late all the time and the position.

    What lags behind by a time constant is where the command, smoothed by it, was; the first of a few
    that brings the two together tells their scales.
    """
    step_s = max(asked.interval_s, float(np.ptp(asked.time_s)) / _MOST_LAGGED)
    at_s = np.arange(asked.time_s[0], asked.time_s[-1], step_s)
    level = np.interp(at_s, asked.time_s, asked.level)
    for tau_s in _LAGS_S:
        late = replace(asked, time_s=at_s, level=smoothed(level, tau_s / step_s), interval_s=step_s)
        line = learn_line(late, position)
        if line is not None and abs(line.slope) >= _LEAST_SLOPE:
            return line
    return None


def _limit(profile: ThrottleProfile | None) -> float:
    return max(_LIMIT_PCT, profile.disagreement_pct) if profile is not None else _LIMIT_PCT


def _from_the_low_end(asked: Course, position: Course) -> Line:
    """Percent for percent, level with the command where that asks for little.

    For recordings in which the two nowhere run together for long: a throttle that is held all the time.
    """
    at = np.interp(asked.time_s, position.time_s, position.level)
    low = asked.level <= asked.level.min() + _LOW_END * np.ptp(asked.level)
    return Line(1.0, float(np.median((at - asked.level)[low])))


def _stopped(is_at: FloatArray, wanted: FloatArray, limit: float) -> BoolArray:
    """Where the throttle is at the furthest it ever goes, and asked for more, shape (n,).

    One that only lags comes to another place each time; one that is stopped, to the same.
    """
    furthest = float(np.percentile(is_at, _FURTHEST))
    stopped = (np.abs(is_at - furthest) <= _STOPPED_BAND_PCT) & (wanted > furthest + limit)
    return np.asarray(stopped, dtype=np.bool_)


def _spans(time_s: FloatArray, mask: BoolArray) -> list[Span]:
    return [(float(time_s[a]), float(time_s[b])) for a, b in zip(*runs(mask), strict=True)]


def _off_asked(
    time_s: FloatArray, wanted: FloatArray, is_at: FloatArray, limit: float, within_s: float
) -> BoolArray:
    """Where the throttle is further than `limit` from all that was commanded just before, shape (n,).

    Wherever a sound one is, it was asked to be there, or on the way. What is told next counts too:
    between two tellings it may have changed at once.
    """
    steps = max(2, ceil(within_s / max(interval_s(time_s), 1e-6)) + 2)
    least, most = running_extremes(np.pad(wanted, (steps - 2, 1), mode="edge"), steps)
    return np.asarray((is_at > most + limit) | (is_at < least - limit), dtype=np.bool_)


def _stands(time_s: FloatArray, is_at: FloatArray) -> BoolArray:
    """Where the throttle has not moved for as long as a sound one needs to start, shape (n,)."""
    steps = max(2, ceil(_STARTS_S / max(interval_s(time_s), 1e-6)) + 1)
    lowest, highest = running_extremes(np.pad(is_at, (steps - 1, 0), mode="edge"), steps)
    return np.asarray(highest - lowest <= _STANDS_PCT, dtype=np.bool_)


def _held(
    channels: tuple[str, str],
    spans: tuple[Span, ...],
    seen: tuple[FloatArray, FloatArray, BoolArray],
    profile: ThrottleProfile | None,
) -> Disagreement:
    wanted, is_at, during = seen
    worst = round(float(np.abs(is_at - wanted)[during].max()), 1)
    places = is_at[during]
    low, high = (round(float(q), 1) for q in np.percentile(places, [1.0, 99.0]))
    level, asked = float(np.median(places)), float(np.median(wanted[during]))
    # Most of the time: it may still be on the way there at first.
    held = np.ptp(np.percentile(places, [15.0, 85.0])) <= _HELD_BAND_PCT and (
        np.ptp(wanted[during]) >= _ASKED_PCT or len(spans) > 2
    )
    lowest, highest = float(wanted[during].min()), float(wanted[during].max())
    if held and asked > level:
        told = say(
            "The throttle opens no further than {level:.0f} % while up to {highest:.0f} %",
            level=level,
            highest=highest,
        )
    elif held and asked < level:
        told = say(
            "The throttle stays at {level:.0f} % while down to {lowest:.0f} %",
            level=level,
            lowest=lowest,
        )
    else:
        furthest = int(np.argmax(np.where(during, np.abs(is_at - wanted), 0.0)))
        told = say(
            "The throttle is at {level:.0f} % of travel where {asked:.0f} %",
            level=float(is_at[furthest]),
            asked=float(wanted[furthest]),
        )
    would_set = None
    if profile is not None:
        would_set = any(end - start >= profile.disagreement_s for start, end in spans)
    return Disagreement(
        channels=channels,
        times_s=tuple((round(a, 4), round(b, 4)) for a, b in spans),
        confidence=round(min(0.97, 0.75 + 0.02 * (worst - _LIMIT_PCT) + 0.05 * min(len(spans), 2)), 2),
        text=say("{told} is commanded; seen {times}.", told=told, times=times_told(len(spans))),
        travel_pct=(max(0.0, low), max(0.0, high)),
        worst_pct=worst,
        suspect=None,
        would_set_code=would_set,
    )


def _slow(
    channels: tuple[str, str], answer: Response, moves: tuple[Span, ...], worst: float
) -> Disagreement:
    """A throttle that is slow: it is behind in each move, and there in the end."""
    return Disagreement(
        channels=channels,
        times_s=tuple((round(a, 4), round(b, 4)) for a, b in moves),
        confidence=round(min(0.95, 0.75 + 0.02 * len(moves)), 2),
        text=say(
            "The throttle follows its command late: it takes {takes:.1f} s to nine tenths of the way, "
            "in {moves} moves; a sound one takes 0.1 to 0.2 s.",
            takes=answer.takes_s,
            moves=len(moves),
        ),
        travel_pct=(0.0, 100.0),
        worst_pct=round(worst, 1),
        suspect=None,
        would_set_code=None,
    )
