"""How the second track follows the first: learned by the widest agreement, not by the most samples.

A throttle spends most of its time at a few positions. If a track is bent just there, a fit over
samples would follow the bend. So each stretch of travel has one vote, and the line with most votes
wins; a plain relation (same, inverse, half) wins against a freely fitted one that is hardly better.
"""

from dataclasses import dataclass

import numpy as np

from nervus.domain.analysis import Relation, TrackRelation
from nervus.domain.channel import FloatArray
from nervus.signal import sampling
from nervus.signal.course import Course

# Votes: stretches of 2 % of the supply.
_STRETCH_PCT = 2.0
# A stretch votes for a line that passes within this much of it, percent of supply.
_AGREES_PCT = 0.8
# A plain relation may have this share of votes less than the best free line and still be taken.
_PLAIN_BONUS = 0.15
# Below this share of votes no line is worth the name of a relation.
_LEAST_VOTES = 0.35
_LEAST_STRETCHES = 4
# Points enough to learn a line from, spread over the recording.
_ENOUGH = 60_000


@dataclass(frozen=True, slots=True)
class Line:
    """Track 2 = slope x track 1 + offset, both in percent of supply."""

    slope: float
    offset: float

    def at(self, level: FloatArray) -> FloatArray:
        """What track 2 should be for levels of track 1, shape (n,) to (n,)."""
        return self.slope * level + self.offset


def learn_line(first: Course, second: Course, skew_s: float = 0.0) -> Line | None:
    """The line that most stretches of travel agree on; `None` where too little was swept."""
    x, y = _stretches(first, second, skew_s)
    if x.size < _LEAST_STRETCHES:
        return None
    plain = [Line(1.0, 0.0), Line(-1.0, 100.0), Line(0.5, 0.0), Line(2.0, 0.0)]
    plain += [Line(1.0, _mode(y - x)), Line(-1.0, _mode(y + x)), Line(0.5, _mode(y - x / 2))]
    free = _lines_through_pairs(x, y)
    best_plain = max(plain, key=lambda line: _votes(line, x, y))
    best_free = max(free, key=lambda line: _votes(line, x, y), default=best_plain)
    best_free = _refined(best_free, x, y)
    chosen = best_free
    if _votes(best_plain, x, y) >= _votes(best_free, x, y) - _PLAIN_BONUS:
        chosen = best_plain
    return chosen if _votes(chosen, x, y) >= _LEAST_VOTES else None


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


def estimate_skew(first: Course, second: Course, line: Line, interval_s: float) -> float:
    """By how many seconds the second track's samples lag behind their stamps, against the first.

    Channels polled one after the other carry the time of the answer, not of the measurement. The
    lag that makes the two agree best over all motion is searched within three intervals of the samples.
    """
    widest = 3.0 * interval_s
    lags = np.linspace(-widest, widest, 25)
    expected = line.at(first.level)
    speed = first.speed()
    moving = speed > 5.0
    if moving.sum() < 20:
        return 0.0
    costs = [
        float(
            np.median(
                np.abs(
                    np.interp(first.time_s[moving] + lag, second.time_s, second.level) - expected[moving]
                )
            )
        )
        for lag in lags
    ]
    best = int(np.argmin(costs))
    return float(lags[best]) if costs[best] < 0.8 * costs[12] else 0.0


def _stretches(first: Course, second: Course, skew_s: float) -> tuple[FloatArray, FloatArray]:
    """One point (level 1, level 2) for each stretch, from the samples at which little moved."""
    inside_both = (first.time_s >= second.time_s[0]) & (first.time_s <= second.time_s[-1])
    time_s, x = first.time_s[inside_both], first.level[inside_both]
    every = max(1, x.size // _ENOUGH)
    time_s, x = time_s[::every], x[::every]
    if x.size < 5:
        return np.empty(0), np.empty(0)
    y = np.interp(time_s + skew_s, second.time_s, second.level)
    speed = sampling.speed(x, time_s)
    stretch = np.floor(x / _STRETCH_PCT).astype(np.int64)
    points = []
    for number in np.unique(stretch):
        here = np.flatnonzero(stretch == number)
        calm = here[speed[here] <= np.percentile(speed[here], 50.0)]
        points.append((float(np.median(x[calm])), float(np.median(y[calm]))))
    pairs = np.asarray(points)
    return pairs[:, 0], pairs[:, 1]


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
