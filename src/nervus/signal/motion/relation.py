"""How the second track follows the first: learned by the widest agreement, not by the most samples.

A throttle spends most of its time at a few positions. If a track is bent just there, a fit over
samples would follow the bend. So each stretch of travel has one vote, and the line with most votes
wins; a plain relation (same, inverse, half) wins against a freely fitted one that is hardly better.
"""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from itertools import pairwise
from math import inf

import numpy as np

from nervus.domain.analysis import Relation, TrackRelation
from nervus.domain.channel import FloatArray, IntArray
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.arithmetic.robust import theil_sen
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
# percent.
_AT_FIRST, _SWEPT_PCT = 0.2, 15.0
# Where no line holds for the whole, one that held for so much of the beginning over so many stretches.
_EARLY, _LEAST_EARLY = 0.35, 10
# Lines go the same way within so much; one is beside another from so far on, percent of supply.
_SAME_WAY, _ASIDE_PCT = 0.03, 2.0
# A track moves where it is faster than this, percent of supply a second; so many such points tell a
# lag, which must make them agree better by this factor.
_MOVES_PCT_PER_S, _LEAST_MOVING, _BETTER = 5.0, 20, 0.8
# A sound throttle is where it is asked to be within these times (from memory: the whole travel takes 0.1
# to 0.2 s, the channels' own delays besides); looked for more finely around the best of them. Further
# apart than the first of these, percent, is no nearer; within the second it follows, however few places
# say so.
_LATE_S, _FINER_LATE_S, _NO_MORE_PCT, _CLOSE_PCT = (
    (0.0, 0.1, 0.2, 0.3, 0.5),
    (0.05, 0.025, 0.01),
    6.0,
    1.5,
)
# What moves goes by more than this, percent, from one telling to the next; what has not for so long
# stands. So many places at which it stood, over this share of the range, tell a line; so many, or this
# share of the votes, where they were only crossed.
_STILL_PCT, _STOOD_S, _LEAST_STOOD, _MOST_OF_IT = 0.5, 0.3, 3, 0.6
_LEAST_CROSSED, _MOST_VOTES = 20, 0.6
# A filter before an input is no slower than this (from memory: 10 kilohm and 1 microfarad are 10 ms).
_FILTERED_S = 0.03
# Lags that are tried at once, none of them in the middle; then as many between the best ones.
_LAGS = 25
# Tracks further apart than this, percent of supply, are so by a fault.
_FAR_PCT = 15.0
# Clocks of two loggers are set by hand, this far apart at most; searched in such steps, then in finer
# ones, in so many parts of the recording, most of which must say so, and agree far better.
_APART_S, _COARSE_S, _FINER_S, _IN_LINE_S = 0.6, 0.05, (0.01, 0.001), 0.03
_PARTS, _LEAST_PARTS, _FAR_BETTER = 5, 3, 0.5
# Points enough to tell how far the clocks of a part are apart.
_MANY_MOVING, _ENOUGH_IN_PART = 1_500, 12_000
# And to tell how late one of two tracks is.
_ENOUGH_MOVING = 4_000
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


def learn_line(first: Course, second: Course, skew_s: float = 0.0) -> Line | None:
    """The line that most stretches of travel agree on; `None` where too little was swept.

    Where they agree on none, the one that most agreed on at first: one track may drift away. So it is
    where one was beside another for the longer part, or went as no sensor is made: it is sound first,
    and fails then.
    """
    stretches = _stretches(first, second, skew_s)
    if len(stretches) < _LEAST_STRETCHES:
        return None
    for built in _AS_BUILT:
        # One track may have left the other during the recording, and stayed off for the longer part.
        if _is_kept_for_a_while(built, stretches) or _began_so(built, first, second, skew_s):
            return built
    chosen, votes = _voted(stretches)
    known = chosen if votes >= _LEAST_VOTES else None
    at_first = _stretches(_first_part(first, _EARLY), second, skew_s)
    if len(at_first) < _LEAST_EARLY:
        return known
    line, votes = _voted(at_first)
    left_it = known is None or (
        _is_kept_for_a_while(line, stretches)
        and (_is_beside(line, known) or (_goes_as_built(line) and not _goes_as_built(known)))
    )
    return line if left_it and votes >= _NEARLY_ALL else known


def _goes_as_built(line: Line) -> bool:
    """Whether the tracks go together as those of a sensor are made to, whatever lies between them."""
    return any(abs(line.slope / built.slope - 1.0) < _SAME_WAY for built in _AS_BUILT)


def _is_beside(line: Line, other: Line) -> bool:
    """Whether it goes the same way, but further off than agrees: one track stepped aside."""
    alike = abs(line.slope / other.slope - 1.0) < _SAME_WAY
    middle = np.asarray(50.0)
    return alike and bool(
        abs(line.at(middle) - other.at(middle)) > _ASIDE_PCT * max(1.0, abs(line.slope))
    )


def learn_late_line(asked: Course, follows: Course) -> tuple[Line, float] | None:
    """The line from what is asked for to what follows it, and how many seconds later they agree best.

    On scales of their own, so that no line is likelier than another. `None` where too little was swept,
    or nothing follows.
    """
    best: tuple[Line, float] | None = None
    least, sure, tried = inf, False, set[float]()

    def look(lags: Iterable[float]) -> None:
        nonlocal best, least, sure
        for lag in (x for x in lags if x >= 0.0 and x not in tried):
            tried.add(lag)
            line, votes = _free_line(asked, follows, lag)
            if line is None:
                continue
            at = read_at(asked.time_s + lag, follows.time_s, follows.level)
            off = _mean_off(line, asked.level, at)
            if off < least:
                # Each place counts once: it may have been at one of them nearly all the time.
                by_place = _mean_off(line, *_middles(_stretches(asked, follows, lag)))
                best, least, sure = (line, lag), off, votes >= _MOST_VOTES or by_place < _CLOSE_PCT

    look(_LATE_S)
    for finer in _FINER_LATE_S:
        look((best[1] - finer, best[1] + finer) if best is not None else ())
    return best if sure else None


def _mean_off(line: Line, x: FloatArray, y: FloatArray) -> float:
    return float(np.mean(np.minimum(np.abs(line.at(x) - y), _NO_MORE_PCT)))


def _free_line(asked: Course, follows: Course, lag_s: float) -> tuple[Line | None, float]:
    """The line that most places agree on, and its share of the votes: all, where it stood at them."""
    stretches = _stretches(asked, follows, lag_s)
    if len(stretches) < _LEAST_STRETCHES:
        return None, 0.0
    for told in (_settled(stretches, asked, follows, lag_s), stretches):
        x, y = _middles(told)
        line = max(_lines_through_pairs(x, y), key=lambda line: _votes(line, x, y), default=None)
        if line is None:
            continue
        line = _refined(line, x, y)
        votes = _votes(line, x, y)
        if told is stretches:
            tells = votes >= _LEAST_VOTES and len(told) >= _LEAST_CROSSED
            return (line, votes) if tells else (None, 0.0)
        # Any two places lie on a line.
        if votes >= max(_LEAST_VOTES, _LEAST_STOOD / len(told)):
            return line, 1.0
    return None, 0.0


def _settled(
    stretches: list[tuple[FloatArray, FloatArray]], asked: Course, follows: Course, skew_s: float
) -> list[tuple[FloatArray, FloatArray]]:
    """The stretches at which was stood, where those tell a line; else none.

    What was crossed only tells how late it was, not where.
    """
    moving = np.append(False, np.abs(np.diff(asked.level)) > _STILL_PCT)
    moved_s = np.maximum.accumulate(np.where(moving, asked.time_s, -inf))
    still = asked.time_s - moved_s >= _STOOD_S + asked.interval_s + follows.interval_s
    if not still.any():
        return []
    stood = replace(asked, time_s=asked.time_s[still], level=asked.level[still])
    told = _stretches(stood, follows, skew_s)
    if len(told) < _LEAST_STOOD:
        return []
    every, own = (np.ptp(_middles(s)[0]) for s in (stretches, told))
    return told if own >= _MOST_OF_IT * every else []


def _voted(stretches: list[tuple[FloatArray, FloatArray]]) -> tuple[Line, float]:
    """The line with most votes, a plain one if it has hardly fewer, and its share of the votes."""
    x, y = _middles(stretches)
    plain = [*_AS_BUILT, Line(1.0, _mode(y - x)), Line(-1.0, _mode(y + x)), Line(0.5, _mode(y - x / 2))]
    free = _lines_through_pairs(x, y)
    best_plain = max(plain, key=lambda line: _votes(line, x, y))
    best_free = max(free, key=lambda line: _votes(line, x, y), default=best_plain)
    best_free = _refined(best_free, x, y)
    chosen = best_free
    if _votes(best_plain, x, y) >= _votes(best_free, x, y) - _PLAIN_BONUS:
        chosen = best_plain
    return chosen, _votes(chosen, x, y)


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


def estimate_skew(
    first: Course, second: Course, line: Line, interval_s: float, *, together: bool = False
) -> float:
    """By how many seconds the second track's samples lag behind their stamps, against the first.

    Channels polled one after the other carry the time of the answer, not of the measurement, and what
    goes through a filter is late. The lag that makes the two agree best over all motion is searched
    within three intervals of the samples, or what filters take. Where they are read together none is
    looked for that is shorter than what is tried first.
    """
    most_s = max(3.0 * interval_s, _FILTERED_S)
    coarse, middle = np.linspace(-most_s, most_s, _LAGS), _LAGS // 2
    if together:
        near = _costs(first, second, line, coarse[middle - 1 : middle + 2])
        if near is None or near[1] <= near.min():
            return 0.0
    costs = _costs(first, second, line, coarse)
    if costs is None:
        return 0.0
    around = coarse[int(np.argmin(costs))] + np.linspace(-1.0, 1.0, _LAGS) * (coarse[1] - coarse[0])
    finer = _costs(first, second, line, around)
    if finer is None or not finer.min() < _BETTER * costs[middle]:
        return 0.0
    return float(around[int(np.argmin(finer))])


def estimate_clock(first: Course, second: Course, interval_s: float) -> tuple[float, float]:
    """By how many seconds the second track's clock is ahead at instant 0, and how many more each second.

    Two loggers have two clocks, apart by tenths of a second and drifting. Looked for only where the
    tracks agree far better so than with all that reading in turn explains; (0, 0) where they don't. No
    line between them is asked for: one that was learned with clocks apart is bent by them.
    """
    if 3.0 * interval_s >= _APART_S:
        return 0.0, 0.0
    coarse = np.arange(-_APART_S, _APART_S + _COARSE_S / 2, _COARSE_S)
    edges, found = _parts(first), []
    for start, end in pairwise(edges.tolist()):
        begin, stop = np.searchsorted(first.time_s, (start, end)).tolist()
        part = slice(begin, stop, max(1, (stop - begin) // _ENOUGH_IN_PART))
        piece = replace(first, time_s=first.time_s[part], level=first.level[part])
        off = _scatter(piece, second, coarse)
        if off is None:
            continue
        near = np.abs(coarse) <= max(3.0 * interval_s, _FINER_S[0])
        best = int(np.argmin(off))
        if not near[best] and off[best] < _FAR_BETTER * off[near].min():
            found.append(((start + end) / 2.0, _refined_lag(piece, second, float(coarse[best]))))
    if len(found) < _LEAST_PARTS:
        return 0.0, 0.0
    # A part that hardly moved may say anything: the others tell.
    at, ahead = np.asarray(found).T
    drift, offset = theil_sen(ahead, at)
    in_line = np.abs(offset + drift * at - ahead) <= _IN_LINE_S
    if not np.count_nonzero(in_line) >= _LEAST_PARTS:
        return 0.0, 0.0
    return float(offset), float(drift)


def _parts(course: Course) -> FloatArray:
    """Instants between parts of a recording in each of which the shaft went as far, shape (n + 1,)."""
    every = max(1, round(_COARSE_S / max(course.interval_s, 1e-6)))
    time_s, level = course.time_s[::every], course.level[::every]
    gone = np.append(0.0, np.cumsum(np.abs(np.diff(level))))
    edges = np.interp(np.linspace(0.0, gone[-1], _PARTS + 1), gone, time_s)
    edges[[0, -1]] = course.time_s[[0, -1]]
    return np.asarray(edges)


def _costs(first: Course, second: Course, line: Line, lags: FloatArray) -> FloatArray | None:
    """How far the tracks are apart while they move, for each lag; `None` where they hardly move.

    A mean, for what moves fast tells most of a lag; what is further apart than any lag explains counts
    as much as at its most.
    """
    expected = line.at(first.level)
    moving = _moving(first)
    if moving.size < _LEAST_MOVING:
        return None
    moving = moving[:: max(1, moving.size // _ENOUGH_MOVING)]
    at_s, expected = first.time_s[moving], expected[moving]
    apart = [
        np.minimum(np.abs(read_at(at_s + lag, second.time_s, second.level) - expected), _FAR_PCT).mean()
        for lag in lags
    ]
    return np.asarray(apart, dtype=np.float64)


def _moving(course: Course) -> IntArray:
    """Which samples the shaft moves at, shape (k,)."""
    if course.level.size < 2:
        return np.empty(0, dtype=np.intp)
    return np.flatnonzero(course.speed() > _MOVES_PCT_PER_S)


def _refined_lag(first: Course, second: Course, near: float) -> float:
    """The lag within a coarse step of one at which the tracks are nearest to a line."""
    reach = _COARSE_S
    for fine in _FINER_S:
        lags = np.arange(near - reach, near + reach + fine / 2, fine)
        off = _scatter(first, second, lags)
        if off is None:
            return near
        near, reach = float(lags[int(np.argmin(off))]), fine
    return near


def _scatter(first: Course, second: Course, lags: FloatArray) -> FloatArray | None:
    """How far the tracks, while they move, are off the straight line that fits best, for each lag.

    As a share of how far the second is off its own mean: where it rests, any line fits.
    """
    moving = _moving(first)
    if moving.size < _LEAST_MOVING:
        return None
    some = moving[:: max(1, moving.size // _MANY_MOVING)]
    x = first.level[some] - first.level[some].mean()
    y = read_at(first.time_s[some] + lags[:, None], second.time_s, second.level)
    y -= y.mean(axis=1, keepdims=True)
    # Least squares of all lags at once; the library's own fit of each takes ten times as long.
    off = np.abs(y - (y @ x / max(float(x @ x), 1e-12))[:, None] * x)
    half = x.size // 2
    left, there = (np.partition(v, half, axis=1)[:, half] for v in (off, np.abs(y)))
    return np.asarray(left / np.maximum(there, 1e-9), dtype=np.float64)


def _stretches(first: Course, second: Course, skew_s: float) -> list[tuple[FloatArray, FloatArray]]:
    """Levels of both tracks, shape (n,) both, for each stretch, while little moved."""
    inside_both = (first.time_s >= second.time_s[0]) & (first.time_s <= second.time_s[-1])
    time_s, x = first.time_s[inside_both], first.level[inside_both]
    every = max(1, x.size // _ENOUGH)
    time_s, x = time_s[::every], x[::every]
    if x.size < 5:
        return []
    y = np.interp(time_s + skew_s, second.time_s, second.level)
    speed = sampling.speed(x, time_s)
    stretch = np.floor(x / _STRETCH_PCT).astype(np.int64)
    found = []
    for number in np.unique(stretch):
        here = np.flatnonzero(stretch == number)
        calm = here[speed[here] <= np.percentile(speed[here], 50.0)]
        found.append((x[calm], y[calm]))
    return found


def _is_kept_for_a_while(line: Line, stretches: list[tuple[FloatArray, FloatArray]]) -> bool:
    """Whether nearly every stretch was on a line for a good part of its time."""
    near = _AGREES_PCT * max(1.0, abs(line.slope))
    # What was seen for a moment only was not seen to be kept.
    long = [s for s in stretches if s[0].size >= _LEAST_SEEN]
    told = long if len(long) >= _LEAST_STRETCHES else stretches
    kept = [float(np.mean(np.abs(line.at(x) - y) < near)) > _FOR_A_WHILE for x, y in told]
    return float(np.mean(kept)) > _NEARLY_ALL


def _began_so(line: Line, first: Course, second: Course, skew_s: float) -> bool:
    """Whether the tracks were on a line at first, over a good part of the travel: one may drift away.

    By stretches of travel: at rest two tracks are on many a line, and a throttle rests most of the time.
    """
    began = _first_part(first, _AT_FIRST)
    if began.level.size < _LEAST_MOVING or np.ptp(began.level) < _SWEPT_PCT:
        return False
    x, y = _middles(_stretches(began, second, skew_s))
    return x.size > 0 and _votes(line, x, y) > 0.5


def _first_part(course: Course, share: float) -> Course:
    """What was shown in the first share of a recording."""
    early = course.time_s <= course.time_s[0] + share * (course.time_s[-1] - course.time_s[0])
    return replace(course, time_s=course.time_s[early], level=course.level[early])


def _middles(stretches: list[tuple[FloatArray, FloatArray]]) -> tuple[FloatArray, FloatArray]:
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
