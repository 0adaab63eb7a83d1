"""What comes back to exactly where it was: an interruption does, and a shaft that was moved seldom.

Read slowly, both tracks of a sensor whose supply fails for a moment agree with a shaft that was shut and
opened again. But who lets a throttle go and takes it again comes back to about where it was, or to a
stop; a wire that makes contact again shows the very position, or the very way, that was being gone.
"""

from math import log

import numpy as np

from nervus.domain.channel import Span
from nervus.signal.arithmetic.instants import goes_on
from nervus.signal.arithmetic.spans import inside, runs
from nervus.signal.candidates.excursions import Excursion, deep_enough
from nervus.signal.instruments.instrument import Instrument

# A hold is so long at least, and what lies between two of them no longer than this.
_HOLD_S, _HOLD_SAMPLES, _LONGEST_S = 0.3, 4, 2.0
# Who stays somewhere for longer may go back to the very place that he came from: a motor does.
_STAYS_S = 0.9
# No more than so many nats come from one return, or from how quick it was: so many for each e-fold.
_MOST, _PER_FOLD = 4.0, 2.0
# It moved on meanwhile if it went so many times what a level is known to.
_MOVED_ON = 4.0
# How quick a shaft usually moves is told by so many steps.
_MANY = 30
# Within this of the lowest that a track usually shows, percent of supply, it may be at a stop, also one
# that holds it part open; within it of the highest, if that is high enough for wide open (common
# practice: 3.9 to 4.7 V of 5 V), or is where a throttle that moves is limited to.
_STOP_PCT, _OPEN_AT_LEAST, _MOVED_PCT = 3.0, 76.0, 10.0


def find_returns(track: Instrument) -> tuple[Excursion, ...]:
    """What lies between two holds at one and the same level, for a track that is read slowly."""
    if not track.is_slow or track.level.size < 2 * _HOLD_SAMPLES:
        return ()
    level, time_s = track.level, track.time_s
    first, last = runs(np.abs(np.diff(level)) <= track.same_level)
    last = last + 1
    held = (last - first + 1 >= _HOLD_SAMPLES) & (time_s[last] - time_s[first] >= _HOLD_S)
    first, last = first[held], last[held]
    begins = first.tolist()
    near = np.searchsorted(time_s[first], time_s[last] + _LONGEST_S, side="right").tolist()
    found = []
    for number, left in enumerate(last.tolist()):
        before = float(np.median(level[left - _HOLD_SAMPLES + 1 : left + 1]))
        for right in begins[number + 1 : near[number]]:
            after = float(np.median(level[right : right + _HOLD_SAMPLES]))
            inner = level[left + 1 : right]
            if inner.size and abs(after - before) <= track.same_level + track.resolution:
                furthest = float(inner[np.argmax(np.abs(inner - before))])
                span = (float(time_s[left + 1]), float(time_s[right - 1]))
                found.append(Excursion(span, before, after, furthest, inner.size, weak=True))
                break
    deep = deep_enough(track)
    told = (e for e in found if e.depth >= deep or track.is_unusual(e.level))
    return tuple(e for e in told if not _may_be_a_stop(track, e))


def comes_back(track: Instrument, excursion: Excursion) -> float:
    """What it says against motion, in nats, that a track goes on where, and as, it was going.

    By chance it comes back anywhere within as far as it went.
    """
    level, time_s = track.level, track.time_s
    first = int(np.searchsorted(time_s, excursion.span_s[0] - 1e-9))
    last = int(np.searchsorted(time_s, excursion.span_s[1] + 1e-9))
    if first < 2 or last > level.size - 2 or _may_be_a_stop(track, excursion):
        return 0.0
    # Where it never is otherwise nobody stays.
    stays = excursion.span_s[1] - excursion.span_s[0] > _STAYS_S
    if stays and not track.is_unusual(excursion.level):
        return 0.0
    off, unknown = goes_on(time_s, level, first - 1, last)
    near = max(float(off), _known_to(track) + float(unknown))
    # As deep as nothing at all, an excursion comes back by chance.
    return min(_MOST, log(max(1.0, excursion.depth / (2.0 * near))))


def moved_on(track: Instrument, excursion: Excursion) -> bool:
    """Whether a track was moving all the while: nobody who moves a shaft away makes up for it.

    Who lets go of a shaft that stands, and takes it again, may come back to where it stood.
    """
    level = track.level
    first, last = track.time_s.searchsorted(np.add(excursion.span_s, (-1e-9, 1e-9))).tolist()
    if first < 2 or last > level.size - 2:
        return False
    ways = np.asarray((level[first - 1] - level[first - 2], level[last + 1] - level[last]))
    way = float(level[last] - level[first - 1])
    return abs(way) > _MOVED_ON * _known_to(track) and bool((ways * way > 0.0).all())


def _known_to(track: Instrument) -> float:
    """To what a level is known by one sample, percent of supply."""
    return 2.0 * track.noise + track.resolution / 2.0


def own_speed(track: Instrument, away_s: tuple[Span, ...]) -> float:
    """The quickest that a shaft usually moved between two samples, percent of supply a second.

    What may have been off its course is left out; infinite where it hardly moved.
    """
    step, took_s = np.abs(np.diff(track.level)), np.diff(track.time_s)
    known = ~inside(track.time_s[1:], away_s, 2.1 * track.interval_s)
    step, took_s = step[known], took_s[known]
    moving = (step / took_s)[step > track.tolerance]
    return float(np.quantile(moving, 0.98)) if moving.size >= _MANY else float("inf")


def beyond_own(track: Instrument, excursion: Excursion, speed: float) -> float:
    """What it says against motion, in nats, to be quicker both ways than the shaft usually is."""
    level, time_s = track.level, track.time_s
    first = int(np.searchsorted(time_s, excursion.span_s[0] - 1e-9))
    last = int(np.searchsorted(time_s, excursion.span_s[1] + 1e-9))
    if first < 1 or last > level.size - 1 or not np.isfinite(speed) or speed <= 0.0:
        return 0.0
    around = slice(first - 1, last + 1)
    step = np.abs(np.diff(level[around])) / np.diff(time_s[around])
    leaves, back = float(step[:2].max()), float(step[-2:].max())
    return min(_MOST, max(0.0, _PER_FOLD * log(max(min(leaves, back) / speed, 1.0))))


def _may_be_a_stop(track: Instrument, excursion: Excursion) -> bool:
    """Whether it left and came back to where a shaft comes to rest by itself, the way that one can.

    Or went there: a motor takes a plate to its stop and back to the very opening.
    """
    low, high = track.stops
    at_stop = min(abs(excursion.level - low), abs(excursion.level - high)) <= track.same_level
    if at_stop and not track.is_unusual(excursion.level):
        return True
    course, away = excursion.course, excursion.level - excursion.course
    closed = course <= low + _STOP_PCT and away > 0.0
    limit = course >= _OPEN_AT_LEAST or high - low > _MOVED_PCT
    opened = course >= high - _STOP_PCT and limit and away < 0.0
    return bool(closed or opened)
