"""How the second track follows the first: learned by the widest agreement, not by the most samples.

A throttle spends most of its time at a few positions. If a track is bent just there, a fit over
samples would follow the bend. So each stretch of travel has one vote, and the line with most votes
wins; a plain relation (same, inverse, half) wins against a freely fitted one that is hardly better.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from math import ceil, inf

import numpy as np

from nervus.domain.analysis import Relation, TrackRelation
from nervus.domain.channel import FloatArray
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.arithmetic.robust import running_extremes
from nervus.signal.instruments import sampling
from nervus.signal.motion.course import Course

# Votes: stretches of 2 % of the supply.
_STRETCH_PCT = 2.0
# A stretch votes for a line that passes within this much of it, percent of supply.
_AGREES_PCT = 0.8
# A plain relation may have this share of votes less than the best free line and still be taken.
_PLAIN_BONUS = 0.15
# Below this share of votes no line is worth the name of a relation.
_LEAST_VOTES = 0.35
_LEAST_STRETCHES = 4
# What counts as at first, as a share of the recording, and how much of the supply must be swept then,
# percent, in so many points.
_AT_FIRST, _SWEPT_PCT, _LEAST_BEGUN = 0.2, 15.0, 20
# Where no line holds for the whole, one that held for one of these shares of the beginning over so many
# stretches; all of them were on it then where this share was, or so much more than hold for the whole.
_EARLY, _LEAST_EARLY, _ALL_OF_THEM, _FAR_MORE = (0.35, 0.2, 0.1), 10, 0.95, 0.3
# Lines go the same way within so much; one is beside another from so far on, percent of supply, and
# tracks are off their line.
_SAME_WAY, _BESIDE_PCT, _ASIDE_PCT = 0.03, 1.6, 2.0
# A sound throttle is where it is asked to be within these times (from memory: the whole travel takes 0.1
# to 0.2 s, the channels' own delays besides); looked for more finely around the best of them. Further
# apart than the first of these, percent, is no nearer; within the second it follows, however few places
# say so.
LATE_S, _FINER_LATE_S = (0.0, 0.1, 0.2, 0.3, 0.5), (0.05, 0.025, 0.01)
_NO_MORE_PCT, _CLOSE_PCT = 6.0, 1.5
# What stands goes no further than this, percent, for so long. So many places at which it stood, and
# this share of them, over this share of the range, tell a line; else so many that were crossed, or this
# share of those.
_STILL_PCT, _STOOD_S, _LEAST_STOOD, _MOST_STOOD, _MOST_OF_IT = 0.5, 0.3, 3, 0.5, 0.6
# What stays at the end of its way while what is asked for goes over so much, percent, is held there; it
# must have stood over so much besides.
_HELD_OVER_PCT, _FREE_OVER_PCT = 20.0, 10.0
# What follows goes by so much of what is asked for at the least.
_LEAST_FOLLOWED = 0.2
# Where both tracks stood: over so much of the supply, percent; two places tell a line that goes as
# tracks are built to.
_STOOD_OVER_PCT, _FEWEST_STOOD = 30.0, 2
_LEAST_CROSSED, _MOST_VOTES = 20, 0.6
# Points enough to learn a line from, spread over the recording.
_ENOUGH = 60_000


# Sensors are built so that one track is the other, its mirror, its half or its double, without an
# offset. Where nearly all stretches were so for this share of their time, the tracks are, whatever they
# were at other times.
_FOR_A_WHILE, _NEARLY_ALL, _LEAST_SEEN = 0.1, 0.65, 4


@dataclass(frozen=True, slots=True)
class Line:
    """Track 2 = slope x track 1 + offset, both in percent of supply."""

    slope: float
    offset: float

    def at(self, level: FloatArray) -> FloatArray:
        """What track 2 should be for levels of track 1, shape (n,) to (n,)."""
        return self.slope * level + self.offset

    def inverse(self) -> "Line":
        """Track 1 by track 2."""
        return Line(1.0 / self.slope, -self.offset / self.slope)


_AS_BUILT = (Line(1.0, 0.0), Line(-1.0, 100.0), Line(0.5, 0.0), Line(2.0, 0.0))


def learn_line(
    first: Course, second: Course, skew_s: float = 0.0, *, of_one_sensor: bool = False
) -> Line | None:
    """The line that most stretches of travel agree on; `None` where too little was swept.

    Where they agree on none, the one that most agreed on at first: one track may drift away. So it is
    where one was beside another for the longer part, or went as no sensor is made: it is sound first,
    and fails then.

    Args:
        first: one of them.
        second: what follows it.
        skew_s: by how much later.
        of_one_sensor: both are tracks of one, and none leads the other: what was seen for a moment only
            has no vote, and where few agree, one that tracks are built to and that joins both ends is
            it, for one of the two may be bent between them.
    """
    stretches = _stretches(first, second, skew_s)
    if len(stretches) < _LEAST_STRETCHES:
        return None
    for usual in _AS_BUILT:
        # One track may have left the other during the recording, and stayed off for the longer part.
        if _is_kept_for_a_while(usual, stretches) or _began_so(usual, first, second, skew_s):
            return usual
    chosen, of_all = _voted(_seen_long(stretches) if of_one_sensor else stretches, stretches)
    known = chosen if of_all >= _LEAST_VOTES else None
    # What is straight joins both ends, however many places between them lie on it.
    may_bend = of_one_sensor and (of_all < _MOST_VOTES or not _joins_the_ends(chosen, stretches))
    built = next((b for b in _AS_BUILT if may_bend and _joins_the_ends(b, stretches)), None)
    if built is not None:
        return built
    for share in _EARLY:
        at_first = _stretches(_first_part(first, share), second, skew_s)
        if len(at_first) < _LEAST_EARLY:
            break
        line, votes = _voted(at_first)
        if known is not None and _votes(known, *_middles(at_first)) >= votes:
            continue  # what holds for all held at first, too
        left_it = known is None or (
            (votes >= min(_ALL_OF_THEM, of_all + _FAR_MORE) or _is_kept_for_a_while(line, stretches))
            and (_is_beside(line, known) or _is_rather_built(line, known, stretches))
        )
        if left_it and votes >= _NEARLY_ALL:
            return line
    return known


def line_of_stands(x: FloatArray, y: FloatArray) -> Line | None:
    """The line that the places tell at which both tracks stood; `None` where they tell none.

    Snapped open and shut, and read in turn a few times a second, hardly any two readings are of one
    place but at the ends.

    Args:
        x: what track 1 read each time, percent of supply, shape (n,).
        y: what track 2 read, shape (n,).
    """
    stretch = np.floor(x / _STRETCH_PCT).astype(np.int64)
    stood = [(x[stretch == n], y[stretch == n]) for n in np.unique(stretch)]
    if len(stood) < _FEWEST_STOOD or np.ptp(x) < _STOOD_OVER_PCT:
        return None
    line, votes = _voted(stood)
    sure = len(stood) >= _LEAST_STOOD or goes_as_built(line)
    return line if sure and votes >= _NEARLY_ALL else None


def goes_as_built(line: Line) -> bool:
    """Whether the tracks go together as those of a sensor are made to, whatever lies between them."""
    return any(abs(line.slope / built.slope - 1.0) < _SAME_WAY for built in _AS_BUILT)


def _joins_the_ends(line: Line, stretches: Sequence[tuple[FloatArray, FloatArray]]) -> bool:
    """Whether tracks were on a line at both ends of what was swept: one may be bent all between."""
    x = [float(np.median(a)) for a, _ in stretches]
    ends = [stretches[x.index(end)] for end in (min(x), max(x))]
    off = [abs(float(np.median(b - line.at(a)))) for a, b in ends]
    return max(x) - min(x) >= _STOOD_OVER_PCT and max(off) <= _ASIDE_PCT


def _is_rather_built(line: Line, known: Line, stretches: list[tuple[FloatArray, FloatArray]]) -> bool:
    """Whether it goes as sensors are made to, where another does not and is far off somewhere."""
    if not goes_as_built(line) or goes_as_built(known):
        return False
    ends = _middles(stretches)[0][[0, -1]]
    apart = np.abs(line.at(ends) - known.at(ends))
    return bool(apart.max() > _ASIDE_PCT * max(1.0, abs(line.slope)))


def _is_beside(line: Line, other: Line) -> bool:
    """Whether it goes the same way, but further off than agrees: one track stepped aside."""
    alike = abs(line.slope / other.slope - 1.0) < _SAME_WAY
    middle = np.asarray(50.0)
    return alike and bool(
        abs(line.at(middle) - other.at(middle)) > _BESIDE_PCT * max(1.0, abs(line.slope))
    )


def learn_late_line(asked: Course, follows: Course) -> tuple[Line, float] | None:
    """The line from what is asked for to what follows it, and how many seconds later they agree best.

    On scales of their own, so that no line is likelier than another. `None` where too little was swept,
    or nothing follows.
    """
    every = max(1, asked.level.size // _ENOUGH)
    asked = replace(
        asked,
        time_s=asked.time_s[::every],
        level=asked.level[::every],
        interval_s=asked.interval_s * every,
    )
    stood = _where_it_stood(asked, _STOOD_S + asked.interval_s + follows.interval_s)
    best: tuple[Line, float] | None = None
    least, sure, tried = inf, False, set[float]()

    def look(lags: Iterable[float]) -> None:
        nonlocal best, least, sure
        for lag in (x for x in lags if x >= 0.0 and x not in tried):
            tried.add(lag)
            crossed = _stretches(asked, follows, lag)
            line, votes = _free_line(crossed, _stretches(stood, follows, lag))
            if line is None:
                continue
            at = read_at(asked.time_s + lag, follows.time_s, follows.level)
            off = _mean_off(line, asked.level, at)
            if off < least:
                # Each place counts once: it may have been at one of them nearly all the time.
                by_place = _mean_off(line, *_middles(crossed))
                best, least, sure = (line, lag), off, votes >= _MOST_VOTES or by_place < _CLOSE_PCT

    look(LATE_S)
    for finer in _FINER_LATE_S:
        look((best[1] - finer, best[1] + finer) if best is not None else ())
    return best if sure else None


def _mean_off(line: Line, x: FloatArray, y: FloatArray) -> float:
    return float(np.mean(np.minimum(np.abs(line.at(x) - y), _NO_MORE_PCT)))


def _where_it_stood(asked: Course, least_s: float) -> Course:
    """The part of a course at which it had stood for so long."""
    length = ceil(least_s / max(asked.interval_s, 1e-6)) + 1
    before = np.full(length - 1, asked.level[0])
    lowest, highest = running_extremes(np.concatenate((before, asked.level)), length)
    stood = highest - lowest <= _STILL_PCT
    return replace(asked, time_s=asked.time_s[stood], level=asked.level[stood])


def _free_line(
    crossed: list[tuple[FloatArray, FloatArray]], stood: list[tuple[FloatArray, FloatArray]]
) -> tuple[Line | None, float]:
    """The line that most places agree on, and its share of the votes: all, where it stood at them.

    What was crossed only tells how late it was, not where: it counts where too little was stood at.
    """
    if len(crossed) < _LEAST_STRETCHES:
        return None, 0.0
    swept = float(np.ptp(_middles(crossed)[0]))
    free = _short_of_a_stop(stood)
    if len(free) < len(stood) and len(free) >= _FEWEST_STOOD:
        line = _up_to_a_stop(free, stood)
        if line is not None:
            return line, 1.0
    stood = free
    if len(stood) >= _LEAST_STOOD and np.ptp(_middles(stood)[0]) >= _MOST_OF_IT * swept:
        line, votes = _freely_voted(stood)
        # Any two places lie on a line, and of many some three.
        if votes >= max(_MOST_STOOD, _LEAST_STOOD / len(stood)):
            return line, 1.0
    line, votes = _freely_voted(crossed)
    if line is None or votes < _LEAST_VOTES or len(crossed) < _LEAST_CROSSED:
        return None, 0.0
    # Where it stood it was where it was asked to be, however few the places: a line of lags is none.
    return (line, votes) if not stood or _votes(line, *_middles(stood)) > _MOST_STOOD else (None, 0.0)


def _short_of_a_stop(
    stood: list[tuple[FloatArray, FloatArray]],
) -> list[tuple[FloatArray, FloatArray]]:
    """The places at which it stood without those at which it was held, whatever was asked."""
    x, y = _middles(stood)
    for end in (y.max(initial=-inf), y.min(initial=inf)):
        held = np.abs(y - end) <= 2.0 * _STILL_PCT
        if held.any() and np.ptp(x[held]) > _HELD_OVER_PCT:
            return [s for s, is_held in zip(stood, held.tolist(), strict=True) if not is_held]
    return stood


def _up_to_a_stop(
    free: list[tuple[FloatArray, FloatArray]], stood: list[tuple[FloatArray, FloatArray]]
) -> Line | None:
    """The line of all places at which it was not held; two tell it if it was held short of it."""
    x, y = _middles(free)
    if np.ptp(x) <= _FREE_OVER_PCT:
        return None
    if x.size >= _LEAST_STOOD:
        line, votes = _freely_voted(free)
        return line if votes >= _ALL_OF_THEM else None
    slope, offset = np.polyfit(x, y, 1)
    line, (asked, at) = Line(float(slope), float(offset)), _middles(stood)
    over = (line.at(asked) - at) * np.sign(at - y.mean())
    return line if abs(slope) > _LEAST_FOLLOWED and bool((over >= -_AGREES_PCT).all()) else None


def _freely_voted(stretches: list[tuple[FloatArray, FloatArray]]) -> tuple[Line | None, float]:
    """The line with most votes, whatever it is, and its share of them."""
    x, y = _middles(stretches)
    line = max(_lines_through_pairs(x, y), key=lambda line: _votes(line, x, y), default=None)
    if line is None:
        return None, 0.0
    line = _refined(line, x, y)
    return line, _votes(line, x, y)


def _voted(
    stretches: list[tuple[FloatArray, FloatArray]],
    all_of_them: Sequence[tuple[FloatArray, FloatArray]] = (),
) -> tuple[Line, float]:
    """The line with most votes, and its share of them.

    A plain one if it has hardly fewer, of those that have a vote and of all.
    """
    x, y = _middles(stretches)
    plain = [*_AS_BUILT, Line(1.0, _mode(y - x)), Line(-1.0, _mode(y + x)), Line(0.5, _mode(y - x / 2))]
    best_plain = max(plain, key=lambda line: _votes(line, x, y))
    own = _votes(best_plain, x, y)
    best_free, votes = _freely_voted(stretches)
    if best_free is None or own == votes:
        return best_plain, own
    everywhere = _middles(all_of_them or stretches)
    hardly = _votes(best_plain, *everywhere) >= _votes(best_free, *everywhere) - _PLAIN_BONUS
    return (best_plain, own) if hardly and own >= votes - _PLAIN_BONUS else (best_free, votes)


def describe(line: Line | None, supply_v: float, *, learned: bool = True) -> TrackRelation:
    """The relation in the words of the contract."""
    if line is None:
        return TrackRelation(Relation.UNKNOWN, None, None, learned)
    offset_v = round(line.offset * supply_v / 100.0, 3)
    if abs(line.slope - 1.0) < 0.03:
        name = Relation.SAME if abs(line.offset) < 2.0 else Relation.OFFSET
    elif abs(line.slope + 1.0) < 0.03:
        name = Relation.INVERSE
    else:
        name = Relation.SCALED
    return TrackRelation(name, round(line.slope, 4), offset_v, learned)


def _stretches(first: Course, second: Course, skew_s: float) -> list[tuple[FloatArray, FloatArray]]:
    """Levels of both tracks, shape (n,) both, for each stretch, while little moved."""
    begin = first.time_s.searchsorted(second.time_s[0])
    both = slice(begin, first.time_s.searchsorted(second.time_s[-1], side="right"))
    time_s, x = first.time_s[both], first.level[both]
    every = max(1, x.size // _ENOUGH)
    time_s, x = time_s[::every], x[::every]
    if x.size < 5:
        return []
    y = np.interp(time_s + skew_s, second.time_s, second.level)
    speed = sampling.speed(x, time_s)
    stretch = np.floor(x / _STRETCH_PCT).astype(np.int64)
    order = np.argsort(stretch, kind="stable")
    found = []
    for here in np.split(order, 1 + np.flatnonzero(np.diff(stretch[order]))):
        calm = here[speed[here] <= np.median(speed[here])]
        found.append((x[calm], y[calm]))
    return found


def _seen_long(
    stretches: list[tuple[FloatArray, FloatArray]],
) -> list[tuple[FloatArray, FloatArray]]:
    """The stretches that were seen for more than a moment, where there are enough of them."""
    long = [s for s in stretches if s[0].size >= _LEAST_SEEN]
    return long if len(long) >= _LEAST_STRETCHES else stretches


def _is_kept_for_a_while(line: Line, stretches: list[tuple[FloatArray, FloatArray]]) -> bool:
    """Whether nearly every stretch was on a line for a good part of its time."""
    near = _AGREES_PCT * max(1.0, abs(line.slope))
    told = _seen_long(stretches)
    kept = [float(np.mean(np.abs(line.at(x) - y) < near)) > _FOR_A_WHILE for x, y in told]
    return float(np.mean(kept)) > _NEARLY_ALL


def _began_so(line: Line, first: Course, second: Course, skew_s: float) -> bool:
    """Whether the tracks were on a line at first, over a good part of the travel: one may drift away.

    By stretches of travel: at rest two tracks are on many a line, and a throttle rests most of the time.
    """
    began = _first_part(first, _AT_FIRST)
    if began.level.size < _LEAST_BEGUN or np.ptp(began.level) < _SWEPT_PCT:
        return False
    x, y = _middles(_stretches(began, second, skew_s))
    return x.size > 0 and _votes(line, x, y) > 0.5


def _first_part(course: Course, share: float) -> Course:
    """What was shown in the first share of a recording."""
    early = course.time_s <= course.time_s[0] + share * (course.time_s[-1] - course.time_s[0])
    return replace(course, time_s=course.time_s[early], level=course.level[early])


def _middles(stretches: Sequence[tuple[FloatArray, FloatArray]]) -> tuple[FloatArray, FloatArray]:
    """Middle levels of both tracks in each stretch, shape (m,) both."""
    x, y = (np.asarray([float(np.median(s[n])) for s in stretches]) for n in (0, 1))
    return x, y


def _lines_through_pairs(x: FloatArray, y: FloatArray) -> list[Line]:
    lines = []
    for i in range(x.size):
        for j in range(i + max(2, x.size // 4), x.size):
            slope = (y[j] - y[i]) / (x[j] - x[i])
            if 0.1 <= abs(slope) <= 10.0:
                lines.append(Line(float(slope), float(y[i] - slope * x[i])))
    return lines


def _refined(line: Line, x: FloatArray, y: FloatArray) -> Line:
    """The least-squares line through the points that vote for a line, if it is no worse."""
    agree = np.abs(line.at(x) - y) < _AGREES_PCT * max(1.0, abs(line.slope))
    if agree.sum() < _LEAST_STRETCHES:
        return line
    slope, offset = np.polyfit(x[agree], y[agree], 1)
    better = Line(float(slope), float(offset))
    return better if _votes(better, x, y) >= _votes(line, x, y) else line


def _mode(values: FloatArray) -> float:
    """The densest value: the middle of the narrowest interval that holds 40 % of the values."""
    ordered = np.sort(values)
    held = max(2, int(np.ceil(0.4 * ordered.size)))
    widths = ordered[held - 1 :] - ordered[: ordered.size - held + 1]
    first = int(np.argmin(widths))
    return float(np.median(ordered[first : first + held]))


def _votes(line: Line, x: FloatArray, y: FloatArray) -> float:
    return float(np.mean(np.abs(line.at(x) - y) < _AGREES_PCT * max(1.0, abs(line.slope))))
