"""Disagreement: two tracks that tell different positions, and which one a witness contradicts."""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from nervus.domain.analysis import Direction, Frame, Pass
from nervus.domain.channel import BoolArray, Channel, FloatArray, Span
from nervus.domain.finding import Disagreement
from nervus.domain.profile import ThrottleProfile
from nervus.language import say
from nervus.signal.arithmetic.spans import inside, merge, runs, total
from nervus.signal.instruments import sampling
from nervus.signal.motion.course import Course
from nervus.signal.motion.relation import Line
from nervus.signal.told.lasting import apart_on_the_whole, stood_apart
from nervus.signal.worn.pass_cells import sort_into_cells

# Tracks in good order differ by up to 2 % of travel without anyone calling it a fault (common
# practice: mirrored tracks add up to within half a percent when adapted; a meter and aging double
# that twice). A profile's own limit is used where there is one.
_LIMIT_PCT = 2.5
# Cells of travel and passes in each direction for what is pooled over passes.
_CELL_PCT, _LEAST_PASSES = 4.0, 3
# A pass tells of a bend that is read at least every so much of the travel, percent, or is no snap.
_READ_EACH_PCT = 8.0
# No pass is slower, percent of travel a second: what stands tells nothing of timing.
_LEAST_SPEED = 1.0
# An instant belongs to a bend where the tracks differ by this share of what they do there on the whole.
_SO_NOW = 0.4
# Differences shorter than this are motion between two polls, or drops, which are found elsewhere.
_LEAST_S = 0.15
# Two channels polled one after the other may be this many intervals apart after all.
_UNKNOWN_SKEW, _UNKNOWN_IN_SNAP = 0.3, 0.7
# What was not read for so many intervals was not read at all for a while.
_NOT_READ = 1.6
# Above this, percent of travel per second, it is a snap, and between two polls anything happens.
_SNAP_PCT_PER_S = 80.0
# Of so many instants the furthest two in a hundred are left out of how far the tracks differ.
_MANY = 20
# Samples further apart than this: a course is smoothed over so many that a snap looks like a difference,
# unless it lasts for so many; further apart than a snap takes, for more.
_SLOW_S, _LEAST_SLOW, _SLOWER_S, _LEAST_SLOWER = 0.05, 4, 0.1, 6
# Stretches of disagreement closer than this are one.
_JOIN_S = 0.6
# Where timing may do more to all readings, this share of them tells how far tracks differ.
_CALMEST = 0.2
# Stretches of what is told of many readings, closer than this, are one.
_JOIN_WHOLE_S = 3.0
# A witness blames a track when that track is off it by so many times what the other is.
_BLAME = 2.0
# While the witness moves by more than this between two samples, percent, and by more than this share of
# what the tracks are apart, it is no witness.
_BLUR_PCT, _BLUR_SHARE = 1.0, 0.5
# Below this share of the time in disagreement the witness was itself moving too fast to tell.
_LEAST_WITNESSED, _LEAST_CALM = 0.1, 4
# A track that bends is off the other by this share of what it usually is there in so many of the passes,
# and of at least so many each way; and by less in so many readings on either side, so far off the place,
# percent of travel. What leaks to another line loads a track over all its travel, by a (1 - a) of its
# way a (the divider, textbook): beside what shows of that it is off by nearly as much. No bend is wider.
_EACH, _LEAST_EACH_WAY, _LEAST_BESIDE, _BESIDE_PCT, _WIDEST_BEND_PCT = 0.8, 2, 8, (4.0, 20.0), 60.0
_NEVER = np.empty(0)


@dataclass(frozen=True, eq=False)
class PairTravel:
    """Both tracks as percent of travel at the instants of the first one.

    Attributes:
        time_s: shape (n,).
        first: travel by track 1.
        second: travel by track 2, through the relation, so that sound tracks give equal numbers.
        allowance: what timing, noise and rounding can explain at each instant, percent of travel.
        blur: what of that is noise and rounding.
    """

    time_s: FloatArray
    first: FloatArray
    second: FloatArray
    allowance: FloatArray
    blur: float

    @cached_property
    def is_slow(self) -> bool:
        """Whether a course is smoothed over so many that a snap looks like a difference."""
        return sampling.interval_s(self.time_s) >= _SLOW_S


def pair_travel(courses: tuple[Course, Course], line: Line, frame: Frame, skew_s: float) -> PairTravel:
    """Both tracks in one frame: the first by its own frame, the second through the relation."""
    first, second = courses
    within = (first.time_s >= second.time_s[0]) & (first.time_s <= second.time_s[-1])
    time_s = first.time_s[within]
    level = np.interp(time_s + skew_s, second.time_s, second.level)
    as_first = (level - line.offset) / line.slope
    one = frame.percent(first.own()[within])
    two = frame.percent(as_first * (first.supply_v / 100.0))
    speed = np.maximum(sampling.speed(one, time_s), sampling.speed(two, time_s))
    widest = _widest(speed)
    share = np.where(widest > _SNAP_PCT_PER_S, _UNKNOWN_IN_SNAP, _UNKNOWN_SKEW)
    unknown = widest * share * max(first.interval_s, second.interval_s)
    whole = abs(frame.open - frame.closed) / first.supply_v
    unknown += _hidden(second, time_s + skew_s) / abs(line.slope) / whole
    blur = float((first.blur + second.blur / abs(line.slope)) / whole)
    return PairTravel(time_s, one, two, unknown + blur, blur)


def _hidden(course: Course, at_s: FloatArray) -> FloatArray:
    """How far a course went while it was not read: it may have at any time meanwhile.

    Percent of supply, at some instants, shape (n,); 0 where it was read as usual.
    """
    hidden = np.diff(course.time_s) > _NOT_READ * course.interval_s
    if not hidden.any():
        return np.zeros(at_s.shape)
    after = np.searchsorted(course.time_s, at_s).clip(1, course.time_s.size - 1)
    went = np.where(hidden, np.abs(np.diff(course.level)), 0.0)
    return np.asarray(went[after - 1])


def _widest(speed: FloatArray) -> FloatArray:
    """The highest speed among an instant and its three neighbours on each side."""
    widest = speed.copy()
    for shift in (1, 2, 3):
        widest[shift:] = np.maximum(widest[shift:], speed[:-shift])
        widest[:-shift] = np.maximum(widest[:-shift], speed[shift:])
    return widest


def find_disagreements(
    pair: PairTravel,
    channels: tuple[str, str],
    witness: Channel | None,
    faulty: tuple[Span, ...],
    profile: ThrottleProfile | None,
    passes: tuple[Pass, ...] = (),
    stood: tuple[FloatArray, FloatArray] = (_NEVER, _NEVER),
) -> tuple[Disagreement, ...]:
    """At most one finding, with all its times: two tracks that differ beyond the limit.

    Args:
        pair: both tracks in one frame.
        channels: their names.
        witness: what else tells where the shaft is.
        faulty: when something else is told of either.
        profile: what the throttle should do.
        passes: over the travel.
        stood: when both stood though they are read in turn, and by how much the first was above then,
            percent of travel, shape (k,) both.
    """
    limit = profile.disagreement_pct if profile is not None else _LIMIT_PCT
    apart = np.abs(pair.first - pair.second)
    sound = ~inside(pair.time_s, faulty, 0.1)
    now = (apart - pair.allowance > limit) & sound
    always = _bent(pair, passes, limit) & sound
    least = 2
    if pair.is_slow:
        least = _LEAST_SLOWER if sampling.interval_s(pair.time_s) >= _SLOWER_S else _LEAST_SLOW
    # What timing does turns round with the direction: one sign at a time, where samples are far apart.
    signs = (
        (now & (pair.first > pair.second), now & (pair.first < pair.second)) if pair.is_slow else (now,)
    )
    differs = [s for one in signs for s in _spans(pair.time_s, one, least)]
    lasting = (s for s in merge(differs, _JOIN_S) if s[1] - s[0] >= _LEAST_S)
    stands: tuple[Span, ...] = ()
    if pair.is_slow:
        stands, at_s = stood_apart(stood, faulty, limit)
        whole = _on_the_whole(pair, sound, limit)
        always |= (np.isin(pair.time_s, at_s) | whole) & sound
        stands += tuple(merge(_spans(pair.time_s, whole, 1), _JOIN_WHOLE_S))
    joined = merge((*lasting, *_spans(pair.time_s, always, 2), *stands), _JOIN_S)
    off = now | always
    if not joined:
        return ()
    during = inside(pair.time_s, joined) & off
    found = _finding(pair, channels, witness, (joined, during), profile)
    return (replace(found, bends=_bends(pair, during, passes, found.travel_pct)),)


def _bends(pair: PairTravel, during: BoolArray, passes: tuple[Pass, ...], place: Span) -> bool:
    """Whether tracks are apart over a place the same way, pass after pass, and agree on both sides.

    A line, a joint or another clock knows no place of the travel.
    """
    low, high = place
    if high - low > _WIDEST_BEND_PCT:
        return False
    apart, at = pair.second - pair.first, pair.first
    usual = float(np.median(apart[during]))
    off = apart * np.sign(usual) > _SO_NOW * abs(usual)
    near, far = _BESIDE_PCT
    for side in ((low - far, low - near), (high + near, high + far)):
        beside = off[(at >= side[0]) & (at <= side[1])]
        if beside.size < _LEAST_BESIDE or np.mean(beside) > 0.5:
            return False
    edge = (high - low) / 4.0
    there = (at >= low + edge) & (at <= high - edge)
    shown: dict[Direction, list[bool]] = {direction: [] for direction in Direction}
    for p in passes:
        begin, end = np.searchsorted(pair.time_s, (p.start_s, p.end_s))
        seen = off[begin:end][there[begin:end]]
        if seen.size:
            shown[p.direction].append(bool(np.mean(seen) > 0.5))
    return all(len(each) >= _LEAST_EACH_WAY and np.mean(each) >= _EACH for each in shown.values())


def _on_the_whole(pair: PairTravel, sound: BoolArray, limit: float) -> BoolArray:
    """Readings of parts in which both are apart without what timing does, shape (n,)."""
    found = np.zeros(pair.time_s.shape, dtype=np.bool_)
    time_s, off = pair.time_s[sound], (pair.first - pair.second)[sound]
    if time_s.size > 1:
        speed = np.gradient((pair.first + pair.second)[sound] / 2.0, time_s)
        found[sound] = apart_on_the_whole(time_s, off, speed, pair.allowance[sound], limit)
    return found


def _spans(time_s: FloatArray, mask: BoolArray, least: int) -> tuple[Span, ...]:
    """Runs of at least so many samples as spans of time."""
    found = zip(*runs(mask), strict=True)
    return tuple((float(time_s[a]), float(time_s[b])) for a, b in found if b - a + 1 >= least)


def _bent(pair: PairTravel, passes: tuple[Pass, ...], limit: float) -> BoolArray:
    """Instants on stretches of travel that differ whichever way they are crossed, shape (n,).

    What timing does to two tracks turns round with the direction; what a bent track does, does not.
    So the mean of the opening and the closing passes, each as the other is quick, is free of timing.
    """
    cells = int(100.0 / _CELL_PCT)
    cell = np.clip((pair.first / _CELL_PCT).astype(np.int64), 0, cells - 1)
    difference = pair.second - pair.first
    quickest = max(_SNAP_PCT_PER_S, _READ_EACH_PCT / sampling.interval_s(pair.time_s))
    slow = tuple(p for p in passes if p.speed <= quickest)
    ways = [np.asarray([p.direction is way for p in slow], dtype=np.bool_) for way in Direction]
    if min(int(way.sum()) for way in ways) < _LEAST_PASSES:
        return np.zeros(pair.time_s.shape, dtype=bool)
    sorted_in = sort_into_cells(pair.time_s, cell, slow, cells)
    count = sorted_in.counts()

    def by_way(values: FloatArray) -> FloatArray:
        mean = np.where(count > 0, sorted_in.sums(values) / np.maximum(count, 1.0), np.nan)
        return np.stack([_pooled(mean[way]) for way in ways])

    both = by_way(difference)
    alike = np.sign(both[0]) == np.sign(both[1])
    if not np.any(alike & (np.abs(both).max(axis=0) > limit + pair.blur)):
        return np.zeros(pair.time_s.shape, dtype=bool)
    quick = np.maximum(by_way(sampling.speed(pair.first, pair.time_s)), _LEAST_SPEED)
    bend = (both[0] * quick[1] + both[1] * quick[0]) / quick.sum(axis=0)
    worn = alike & (np.abs(bend) > limit + pair.blur)
    # A track that left its sister later did not differ before, whatever most of the passes show.
    so_now = difference * np.sign(bend[cell]) > _SO_NOW * np.abs(bend[cell])
    return np.asarray(worn[cell] & so_now, dtype=np.bool_)


def _pooled(rows: FloatArray) -> FloatArray:
    """The median over passes for each cell, 0 where too few passes saw it, shape (cells,)."""
    seen = np.isfinite(rows).sum(axis=0) >= _LEAST_PASSES
    pooled = np.zeros(rows.shape[1])
    pooled[seen] = np.nanmedian(rows[:, seen], axis=0)
    return pooled


def _finding(
    pair: PairTravel,
    channels: tuple[str, str],
    witness: Channel | None,
    when: tuple[tuple[Span, ...], BoolArray],
    profile: ThrottleProfile | None,
) -> Disagreement:
    spans, during = when
    apart = np.abs(pair.first - pair.second)
    # One odd reading of many is not how far they differ, nor what timing does to it.
    calm = during & (pair.allowance <= _calm(pair, during)) if pair.is_slow else during
    worst = round(float(np.percentile(apart[calm], 98.0 if calm.sum() >= _MANY else 100.0)), 1)
    suspect = _blame(pair, channels, witness, during) if witness is not None else None
    place = pair.first if suspect != channels[0] else pair.second
    low, high = (round(float(q), 1) for q in np.percentile(place[during], [1.0, 99.0]))
    low, high = max(0.0, low), max(0.0, high)
    would_set = None
    if profile is not None:
        would_set = any(end - start >= profile.disagreement_s for start, end in spans)
    blame = {None: say("no witness tells which lies"), channels[0]: say("track 1 is the one that lies")}
    told = blame.get(suspect) or say("track 2 is the one that lies")
    return Disagreement(
        channels=channels,
        times_s=tuple((round(a, 4), round(b, 4)) for a, b in spans),
        confidence=_confidence(worst, total(spans), len(spans)),
        text=(
            say(
                "The tracks differ by up to {worst:.1f} % of travel between {low:.0f} and "
                "{high:.0f} %; {told}.",
                worst=worst,
                low=low,
                high=high,
                told=told,
            )
        ),
        travel_pct=(low, high),
        worst_pct=worst,
        suspect=suspect,
        would_set_code=would_set,
    )


def _calm(pair: PairTravel, during: BoolArray) -> float:
    """What timing may do to readings that tell how far tracks differ: no more than sound ones may."""
    allowed = pair.allowance[during]
    return float(max(_LIMIT_PCT, np.quantile(allowed, _CALMEST)))


def _confidence(worst: float, seconds: float, times: int) -> float:
    size = min(1.0, (worst - _LIMIT_PCT) / 4.0)
    return round(min(0.98, 0.85 + 0.08 * size + 0.04 * min(1.0, seconds) + 0.01 * min(times, 3)), 3)


def _blame(
    pair: PairTravel, channels: tuple[str, str], witness: Channel, during: BoolArray
) -> str | None:
    """The track that leaves the witness while the tracks disagree.

    The witness has a scale of its own; a line through the moments of agreement gives it. The track
    that is further off that line during the disagreement is the one that lies.
    """
    told = np.interp(pair.time_s, witness.time_s, witness.values)
    step_s = max(sampling.interval_s(pair.time_s), sampling.interval_s(witness.time_s))
    apart = float(np.median(np.abs(pair.first - pair.second)[during]))
    blur = np.abs(np.gradient(told, pair.time_s)) * step_s / 2
    calm = blur < max(_BLUR_PCT, _BLUR_SHARE * apart)
    agree = ~during & calm & (np.abs(pair.first - pair.second) < _LIMIT_PCT / 2)
    disagree = during & calm
    if disagree.sum() < max(_LEAST_WITNESSED * during.sum(), _LEAST_CALM) or agree.sum() < 10:
        return None
    if np.ptp(told[agree]) > 5.0:
        slope, offset = np.polyfit(told[agree], pair.first[agree], 1)
    else:
        slope, offset = 1.0, float(np.median(pair.first[agree] - told[agree]))
    expected = slope * told[disagree] + offset
    off_first = float(np.median(np.abs(pair.first[disagree] - expected)))
    off_second = float(np.median(np.abs(pair.second[disagree] - expected)))
    if off_first > _BLAME * off_second:
        return channels[0]
    if off_second > _BLAME * off_first:
        return channels[1]
    return None
