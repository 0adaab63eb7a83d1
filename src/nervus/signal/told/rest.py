"""Rest: where each release comes to rest, and whether that is where it usually rests.

Only a release counts: a foot that holds the throttle part open is no fault. Where the command or
the pedal was recorded it says when the throttle was let go, and a plate that rests where the command
has it rests well. Else a closing counts that ends at one and the same level again and again: a stop
repeats to a fraction of a percent, a foot or a hand does not. Air that did not rise says as much: no
foot holds a plate open that the engine breathes through as if it were closed.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from math import comb

import numpy as np

from nervus.domain.analysis import Travel
from nervus.domain.channel import BoolArray, Channel, FloatArray, IntArray, Recording, Role, Span, Unit
from nervus.domain.finding import OffRest, RestCause
from nervus.language import say
from nervus.signal.arithmetic.robust import greatest, running_extremes
from nervus.signal.arithmetic.spans import runs
from nervus.signal.instruments import sampling

# A rest: within this band for at least this long.
_BAND_PCT, _LEAST_S = 1.0, 0.8
# What swings through more than this meanwhile, the odd reading left out, is on its way round: a stop, or
# what sticks, moves by no more than noise.
_SWINGS_PCT, _ODD_OF = 1.3, 10
# Fewer readings than a course is smoothed over may look like a rest that was none.
_LEAST_SAMPLES = 5
# Rests are told from at most so many points a second.
_POINTS_PER_S = 50.0
# Rests above the usual one by more than this are off; above the highest, somebody holds it open.
_OFF_PCT, _HELD_PCT = 1.5, 20.0
# A rest that rises by more than this, percent of travel, in a fifth of all: something opens it.
_RISES_PCT, _OFTEN = 0.3, 0.2
# A closing faster than this, from so far above a rest and within such a time, is a release, not a
# guided motion.
_RELEASE_PCT_PER_S, _WELL_ABOVE_PCT, _FALLS_S = 40.0, 3.0, 0.6
# So many rests off at one level, and so large a share of all that are off, are none of chance's.
_LEAST_RESTS, _MOST_OF = 2, 0.6
# Where nothing tells that the throttle was let go, so many quick closings do; else a hand may hold it:
# then it takes so many rests, or as many quick closings, within so much of one level, percent of
# travel, that chance brings as seldom as this, and no further open.
_LEAST_UNASKED, _HAND_PCT = 3, 10.0
_LEAST_BY_CHANCE, _SAME_UNASKED_PCT, _CHANCE = 4, (0.15, 0.3, 0.5), 1e-3
# How it came to a rest is seen in so many readings before.
_BEFORE = 200
# A closing ends at a rest that lies so far below what came before it, percent of travel.
_CLOSED_BY_PCT = 3.0
# Colder than this an engine is made to idle faster, by a cam or by the unit (common practice, no
# published source): a plate that is further open then is no fault that a recording shows.
_COLD_C = 60.0
# So many rests, each no higher than the one before by more than this, percent of travel, and no fall of
# more than this share of all: an engine that warms up takes its fast idle back by and by.
_LEAST_FALLING, _NOT_HIGHER_PCT, _BY_AND_BY = 5, 0.6, 0.5
# A level is usual where at least this share of the rests is, or so many: nothing rests below its stop.
_NOW_AND_THEN, _SURELY_RESTS = 0.2, 2
# Rests of one cause agree within this.
_SAME_PCT = 1.5
# Coolant this much apart is worth a word.
_WARMTH_C = 15.0
# Pedal and command count as let go below this above their own least value: what a unit asks for at
# idle goes up and down with what the engine needs.
_LET_GO_PCT = {Role.PEDAL: 1.0, Role.COMMAND: 3.0}

# How sure it is that rests are off, by what moved them.
_SURE = {RestCause.PLATE: 0.92, RestCause.SIGNAL: 0.92, RestCause.UNKNOWN: 0.75}
# The same, where nothing tells what did, and a unit may have asked for them.
_DOUBTFUL = 0.45

CauseOf = Callable[[Recording, tuple[Span, ...], tuple[Span, ...]], RestCause]
"""Tells plate from signal, given the rests that are off and the usual ones."""


@dataclass(frozen=True, slots=True)
class Rest:
    """One rest, in percent of travel.

    Attributes:
        span_s: when.
        percent: where.
        released: whether the throttle was let go, or closed as quickly as if it were.
        low: whether a closing ended here.
        asked: where the command had the plate meanwhile, percent; `None` where that is not known.
        witnessed: whether pedal or command tell that it was let go, not the closing itself.
        closed_on: whether it closed further from here without having been opened: what held it was
            let go only then.
        swings: whether it went through most of the band meanwhile: an idle that hunts turns round there.
        opened: whether it came here from below, as no spring takes a plate.
        rises: whether it opened further meanwhile, as nothing does that is let go.
    """

    span_s: Span
    percent: float
    released: bool
    low: bool = False
    asked: float | None = None
    witnessed: bool = False
    closed_on: bool = False
    swings: bool = False
    opened: bool = False
    rises: bool = False


def find_rests(
    time_s: FloatArray, percent: FloatArray, recording: Recording, pedal: Travel | None = None
) -> tuple[Rest, ...]:
    """All stands of the shaft, in the order of time.

    Args:
        time_s: instants, shape (n,).
        percent: of travel, shape (n,).
        recording: what else was captured.
        pedal: where the pedal was, by tracks of its own.
    """
    every = max(1, round(1.0 / (_POINTS_PER_S * max(sampling.interval_s(time_s), 1e-6))))
    # Copied, for what is gone through again and again should lie together.
    time_s, percent = time_s[::every].copy(), percent[::every].copy()
    if time_s.size < 2:
        return ()
    steps = max(_LEAST_SAMPLES, round(_LEAST_S / max(sampling.interval_s(time_s), 1e-6)))
    if percent.size <= steps:
        return ()
    let_go = _let_go(recording, pedal, time_s)
    command = next(iter(recording.with_role(Role.COMMAND)), None)
    begins, ends = runs(_still(percent, steps))
    behind = np.minimum(ends + steps, time_s.size)
    rests: list[Rest] = []
    ways = _ways_to(time_s, percent, begins, np.append(0, behind - 1)[:-1])
    for first, end, (last_end, since, above, fall) in zip(
        begins.tolist(), behind.tolist(), ways, strict=True
    ):
        ordered = np.sort(percent[first:end])
        level, odd = float(ordered[ordered.size // 2]), round((ordered.size - 1) / _ODD_OF)
        swings = bool(ordered[-1 - odd] - ordered[odd] > _SWINGS_PCT)
        if let_go is not None:
            # A unit moves its plate while nobody asks for it, too: what was not opened is not let go.
            opened = not rests or not let_go[last_end:first].all()
            released = opened and bool(np.mean(let_go[first:end]) > 0.5)
        else:
            released = _quick_close(above, fall, level)
        span = (float(time_s[first]), float(time_s[end - 1]))
        highest = max(level, since)
        low = max([highest, *(r.percent for r in rests[-1:])]) > level + _CLOSED_BY_PCT
        asked = _asked_for(command, span)
        if rests and _goes_down(rests[-1].percent, highest, level):
            rests[-1] = replace(rests[-1], closed_on=True)
        told = let_go is not None
        below = _came_from_below(percent[max(0, first - _BEFORE) : first], level)
        # What stays within so much does not rise by it: most rests need no closer look.
        rises = bool(ordered[-1] - ordered[0] > _RISES_PCT) and _rises(percent[first:end])
        rests.append(
            Rest(span, level, released, low, asked, told, swings=swings, opened=below, rises=rises)
        )
    return tuple(rests)


def _ways_to(
    time_s: FloatArray, percent: FloatArray, begins: IntArray, last_ends: IntArray
) -> Iterator[tuple[int, float, float, float]]:
    """Of each rest where the one before ended, and how it came from there.

    The highest since then, and within the time that a release takes, and the quickest fall in that.
    """
    falls = np.diff(percent) / np.diff(time_s)
    from_then = time_s.searchsorted(time_s[begins] - _FALLS_S)
    highest = greatest(percent, np.minimum(last_ends, begins), begins)
    above, fall = greatest(percent, from_then, begins + 1), -greatest(-falls, from_then, begins)
    return zip(*(x.tolist() for x in (last_ends, highest, above, fall)), strict=True)


def _came_from_below(before: FloatArray, level: float) -> bool:
    """Whether the last that lay outside the band of a rest lay below it."""
    off = np.flatnonzero(np.abs(before - level) > _BAND_PCT)
    return bool(off.size) and bool(before[off[-1]] < level)


def _rises(percent: FloatArray) -> bool:
    """Whether a rest lies higher in its last third than in its first, more than noise makes it."""
    third = percent.size // 3
    return sampling.middle(percent[-third:]) - sampling.middle(percent[:third]) > _RISES_PCT


def _is_moved(rests: tuple[Rest, ...]) -> bool:
    """Whether something opens it while it rests, again and again: an idle control does."""
    return sum(r.rises for r in rests) >= max(_LEAST_RESTS, _OFTEN * len(rests))


def _goes_down(start: float, highest: float, end: float) -> bool:
    """Whether it only closed from one rest to the next."""
    return end < start - _OFF_PCT and highest <= start + 2 * _BAND_PCT


def off_rest(
    rests: tuple[Rest, ...],
    channels: tuple[str, ...],
    recording: Recording,
    cause_of: CauseOf,
) -> tuple[OffRest, ...]:
    """At most one finding: releases that end above the usual rest, at the same level repeatedly."""
    if not rests:
        return ()
    told = any(r.witnessed for r in rests)
    # Where a hand paused on the way is no rest to compare with, but for what it began with, and for the
    # lowest: below its stop no hand holds a plate.
    lowest = min(r.percent for r in rests)
    ended = [
        r.percent
        for r in rests
        if r.released or (r.low and not told) or r is rests[0] or r.percent <= lowest + _SAME_PCT
    ]
    usual = _usual([percent for percent in ended if percent < lowest + _HAND_PCT])
    sound = [r for r in rests if r.percent <= usual + _SAME_PCT]
    sound_s = tuple(r.span_s for r in sound)

    def tell_cause(some: list[Rest]) -> RestCause:
        return cause_of(recording, tuple(r.span_s for r in some), sound_s)

    same, cause = _held_open(rests, usual, sound, tell_cause)
    spans = tuple(r.span_s for r in same)
    if not same:
        return ()
    warms_up = _idles_cold(recording, spans, sound_s) or _falls_by_and_by(rests, told=told)
    if warms_up and cause is not RestCause.SIGNAL:
        return ()
    rest, usually = round(_middle(same), 1), round(usual, 1) + 0.0  # a zero without a minus
    doubtful = ""
    if cause is RestCause.UNKNOWN and (recording.may_be_moved_unseen or _is_moved(rests)):
        doubtful = say(" The control unit may have asked for it: its command was not recorded.")
    return (
        OffRest(
            channels=channels,
            times_s=tuple((round(a, 4), round(b, 4)) for a, b in spans),
            confidence=_SURE[cause] if not doubtful else _DOUBTFUL,
            text=_text(len(same), rest, usually, cause) + _warmth(recording, spans, sound_s) + doubtful,
            rest_pct=rest,
            usual_rest_pct=usually,
            cause=cause,
            ect_c=_coolant(recording, spans),
        ),
    )


def _held_open(
    rests: tuple[Rest, ...],
    usual: float,
    sound: list[Rest],
    tell_cause: Callable[[list[Rest]], RestCause],
) -> tuple[list[Rest], RestCause]:
    """The rests of one level above the usual that no hand made, and why they are there; none of them."""
    told = any(r.witnessed for r in rests)
    above = [r for r in rests if not r.swings and _OFF_PCT < r.percent - usual < _HELD_PCT]
    let_go = [r for r in above if (r.released or (r.low and not told)) and (told or not r.closed_on)]
    high = [r for r in let_go if not _as_asked(r, sound)]
    if not high or not sound:
        return [], RestCause.UNKNOWN
    same = _alike(high, _SAME_PCT)
    cause = tell_cause(same)
    if told or cause is RestCause.SIGNAL or (cause is RestCause.PLATE and _was_let_go(same)):
        return (same if len(same) >= max(_LEAST_RESTS, _MOST_OF * len(high)) else []), cause
    # A hand may have held it: then only its repeating speaks, wherever it came from.
    same = _least_by_chance([r for r in above if not (r.closed_on or r.opened)])
    if not any(r in high for r in same) or _middle(same) >= _HAND_PCT:
        return [], cause
    return same, tell_cause(same)


def _middle(rests: list[Rest]) -> float:
    return float(np.median([r.percent for r in rests]))


def _was_let_go(rests: list[Rest]) -> bool:
    """Whether they were closed to as quickly as a throttle that is let go, so often as to tell."""
    return sum(r.released for r in rests) >= _LEAST_UNASKED and _middle(rests) < _HAND_PCT


def _alike(rests: list[Rest], within_pct: float) -> list[Rest]:
    """The most rests that lie within so much of one level, in the order of time."""
    levels = np.sort([r.percent for r in rests])
    up_to = np.searchsorted(levels, levels + 2.0 * within_pct, side="right")
    best = int(np.argmax(up_to - np.arange(levels.size)))
    low, high = float(levels[best]), float(levels[int(up_to[best]) - 1])
    return [r for r in rests if low <= r.percent <= high]


def _least_by_chance(rests: list[Rest]) -> list[Rest]:
    """The rests so alike that hands would hold so by chance hardly ever; none where they may have.

    Of n rests anywhere in a range, so many within a window of it: n times the binomial's chance that
    as many others lie within it of one of them, at most.
    """
    best: tuple[float, list[Rest]] = (_CHANCE, [])
    for within in _SAME_UNASKED_PCT if rests else ():
        same = _alike(rests, within)
        share = 2.0 * within / (_HELD_PCT - _OFF_PCT)
        chance = len(rests) * comb(len(rests) - 1, len(same) - 1) * share ** (len(same) - 1)
        least = _LEAST_UNASKED if all(r.released for r in same) else _LEAST_BY_CHANCE
        if len(same) >= least and chance < best[0]:
            best = (chance, same)
    return best[1]


def _as_asked(rest: Rest, sound: list[Rest]) -> bool:
    """Whether the command had the plate that much further open than at the usual rests."""
    usual = [r.asked for r in sound if r.asked is not None]
    if rest.asked is None or not usual:
        return False
    more = rest.asked - float(np.median(usual))
    return abs(rest.percent - float(np.median([r.percent for r in sound])) - more) < _OFF_PCT


def _asked_for(command: Channel | None, span: Span) -> float | None:
    """The middle of what a percent command asked for during a span."""
    if command is None or command.kind.unit is not Unit.PERCENT:
        return None
    within = (command.time_s >= span[0]) & (command.time_s <= span[1])
    return float(np.median(command.values[within])) if within.any() else None


def _idles_cold(recording: Recording, off: tuple[Span, ...], sound: tuple[Span, ...]) -> bool:
    """Whether it was cold at the rests that are off, and warmer at the usual ones."""
    then, later = _coolant(recording, off), _coolant(recording, sound)
    if then is None or later is None:
        return False
    return then < _COLD_C and later > then + _WARMTH_C


def _falls_by_and_by(rests: tuple[Rest, ...], *, told: bool) -> bool:
    """Whether it came to rest lower and lower from the first time on, as a fast idle is taken back."""
    # What rose or was let go of only later a load may have raised.
    steady = [r for r in rests if not (r.opened or r.closed_on)]
    ended = [r for r in steady if r.released or (r.low and not told) or r is rests[0]]
    falls = -np.diff([r.percent for r in ended])
    return len(ended) >= _LEAST_FALLING and bool(
        falls.min() >= -_NOT_HIGHER_PCT and falls.max() <= _BY_AND_BY * falls.sum()
    )


def _usual(levels: list[float]) -> float:
    """The lowest level at which it came to rest more than now and then."""
    least = min(max(1.0, _NOW_AND_THEN * len(levels)), _SURELY_RESTS)
    often = (x for x in sorted(levels) if sum(1 for y in levels if 0.0 <= y - x <= _SAME_PCT) >= least)
    return next(often, min(levels))


def _still(percent: FloatArray, steps: int) -> BoolArray:
    """Where the next `steps` samples stay within the band, shape (n - steps + 1,)."""
    lowest, highest = running_extremes(percent, steps)
    return np.asarray(highest - lowest <= 2 * _BAND_PCT, dtype=np.bool_)


def _let_go(recording: Recording, pedal: Travel | None, time_s: FloatArray) -> BoolArray | None:
    """When pedal or command say that the throttle was let go, shape (n,); `None` where neither tells.

    Either does: a pedal that was asked now and then is known late, and a unit may close on its own.
    """
    told = [(c, room) for role, room in _LET_GO_PCT.items() for c in recording.with_role(role)]
    asks = [(c.time_s, c.values, room) for c, room in told if c.kind.unit is Unit.PERCENT]
    if pedal is not None and not asks:
        asks = [(pedal.time_s, pedal.percent, _LET_GO_PCT[Role.PEDAL])]
    at_least = [
        np.interp(time_s, when, values) <= float(np.percentile(values, 1.0)) + room
        for when, values, room in asks
    ]
    return np.asarray(np.any(at_least, axis=0), dtype=np.bool_) if at_least else None


def _quick_close(above: float, fall: float, level: float) -> bool:
    """Did it fall to a rest quickly from well above, by the highest and the quickest fall before it."""
    return above > level + _WELL_ABOVE_PCT and fall < -_RELEASE_PCT_PER_S


def _coolant(recording: Recording, spans: tuple[Span, ...]) -> float | None:
    coolant = recording.get("ect_c")
    if coolant is None:
        return None
    middles = [(start + end) / 2 for start, end in spans]
    return round(float(np.median(np.interp(middles, coolant.time_s, coolant.values))), 1)


def _warmth(recording: Recording, off: tuple[Span, ...], sound: tuple[Span, ...]) -> str:
    """Cold fine, hot not, or the other way round: expansion or a sticking plate (common practice)."""
    now, then = _coolant(recording, off), _coolant(recording, sound)
    if now is None or then is None or abs(now - then) < _WARMTH_C:
        return ""
    return say(
        " That was at {now:.0f} °C of the coolant; at {then:.0f} °C it rested where it should.",
        now=now,
        then=then,
    )


def _text(times: int, rest: float, usual: float, cause: RestCause) -> str:
    told = {
        RestCause.PLATE: say("engine speed and air say that the plate really is open"),
        RestCause.SIGNAL: say("engine speed and air say that the plate is closed: the signal lies"),
        RestCause.UNKNOWN: say("nothing recorded tells whether the plate or the signal stays up"),
    }[cause]
    return say(
        "After {times} releases the signal rests at {rest:.1f} % of travel instead of "
        "{usual:.1f} %; {told}.",
        times=times,
        rest=rest,
        usual=usual,
        told=told,
    )
