"""Ignition spikes: volts that every line shares for a sample or two, and no fault of the sensor.

A spike is coupled into the harness and the ground, so it adds the same voltage to all lines, the
supply included. An interruption does not: what it adds depends on where the track stands. Where no
other line was read, single samples to either side, at any place, are no contact's either.
"""

from collections.abc import Sequence
from math import inf

import numpy as np

from nervus.domain.channel import (
    BoolArray,
    Channel,
    ChannelKind,
    FloatArray,
    IntArray,
    Recording,
    Role,
    Unit,
)
from nervus.signal.arithmetic.robust import median_of_five
from nervus.signal.arithmetic.spans import Union, runs
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.candidates.flanks import LONGEST_SPIKE_S
from nervus.signal.candidates.off_course import BURST_GAP_S
from nervus.signal.instruments import sampling
from nervus.signal.instruments.instrument import Instrument

# A spike, or a few in a row, are over after so many samples; where only tracks tell, after this time.
_SAMPLES, _LONGEST_TRACKS_S = 6, 0.003
# All lines move by the same volts within this share; one of them may be filtered better. Two tracks
# have the same input, and an open supply or ground moves them alike by chance only.
_ALIKE, _ALIKE_TRACKS, _ALIKE_LONG = 0.5, 0.25, 0.15
# What is fed with less leaves so much less unexplained by its share than by the same volts.
_FAR_NEARER = 0.25
# A level is held where so many samples, and half of all, are no less than this share of the furthest.
_HELD, _HELD_SAMPLES = 0.9, 3
# It swings to both sides if each is at least this share of the greater one.
_BOTH_SIDES, _APART_V = 0.05, 0.2
# So far above itself, as a share, no regulator lets a supply go (common practice: within 5 %).
_LIFTED = 0.05
# A supply that falls to this is open, as are lines that both do: that is no spike, which adds what it
# adds wherever the line was.
_COLLAPSED_V = 0.5
# Lines that were both read at ground, and no oftener than a fast capture is, were opened.
_AT_GROUND_V = 0.1
# What was read further apart did not see the same spike: it is over by then.
_AT_ONCE_S = 0.003
# So many samples on each side of a spike tell what the line usually is there.
_AROUND = 4
# Seen at least so often, what swings to either side does so so many times, and in so large a share.
_FAST_S, _LEAST_EACH_WAY, _SHARE_EACH_WAY = 0.005, 3, 0.2
# It is so many samples long, of few that are off; and so large a share at one place is a worn one's.
_LONE, _FEW_OFF, _ONE_PLACE, _MOST_AT_ONE, _MORE_THAN_HELD = 2, 0.25, 0.15, 0.6, 1.6
# The course beside one goes on meanwhile, by less than this share of it.
_HARDLY_MOVED = 0.5
# Enough samples to tell where a throttle rests.
_SKETCH = 20_000


def is_spike(
    track: Instrument, excursion: Excursion, reference: Channel, end_v: float = inf
) -> bool | None:
    """Whether an excursion is a spike that the reference line shows too, sample by sample.

    Args:
        track: the track.
        excursion: one of its excursions.
        reference: the supply, or another track.
        end_v: the most that a supply ever reads: there its converter may be at its end.

    Returns:
        `None` where the reference has no sample at that instant, or can't show more than it did.
    """
    start, end = excursion.span_s
    if end - start > LONGEST_SPIKE_S:
        return False
    slack = min(0.3 * track.interval_s, _AT_ONCE_S)
    own = slice(*np.searchsorted(track.time_s, (start - slack, end + slack)).tolist())
    at, there = _simultaneous(track.time_s[own], reference.time_s, slack)
    if not there.any():
        return None if excursion.samples == 1 else False
    own_v, others_v = track.own(track.level[own]), reference.values[at[there]]
    stands_v = _around(reference.values, int(at[there][0]), int(at[there][-1]) + 1)
    if track.kind.unit is not Unit.VOLT:
        # What a unit makes of volts is no measure of them; but nothing lifts a supply save what is
        # coupled in.
        lifted = excursion.samples <= _LONE and float(others_v.max()) - stands_v > _LIFTED * stands_v
        return True if lifted else None
    usual_v = _around(track.level, own.start, own.stop) * track.supply_v / 100.0
    moves = own_v - usual_v
    mine, others = moves[there], others_v - stands_v
    opened = track.interval_s > _FAST_S and max(own_v.min(), others_v.min()) < _AT_GROUND_V
    is_fed = reference.id == "vref_v" and (
        others_v.min() < _COLLAPSED_V or _by_one_factor(mine, others, usual_v / max(stands_v, 1e-3))
    )
    if opened or is_fed:
        return False
    # Of two lines one may be so near to nothing that its converter shows a part of it only.
    if own_v.min() <= 0.0 and others_v.min() >= _COLLAPSED_V:
        others = np.maximum(others, -usual_v)
    elif others_v.min() <= 0.0 and own_v.min() >= _COLLAPSED_V:
        mine = np.maximum(mine, -stands_v)
    apart_v = abs(excursion.course * track.supply_v / 100.0 - stands_v)
    share = _share(excursion, reference, moves, apart_v)
    # Beside spikes, and between two that follow each other, there is noise only, which no line shares.
    loud = np.maximum(np.abs(mine), np.abs(others)) > track.tolerance * track.supply_v / 100.0
    mine, others = mine[loud], others[loud]
    moved = max(float(np.abs(mine).sum()), float(np.abs(others).sum()))
    few = mine.size <= _most_samples(track)
    if few and bool(np.abs(mine - others).sum() < share * moved):
        return True
    # A converter that is at its end, as one for a supply of 5 V soon is, shows no more of a spike.
    return None if excursion.level > excursion.course and others_v.max() >= end_v else False


def _by_one_factor(moves: FloatArray, supply_moves: FloatArray, share: float) -> bool:
    """Whether a track, some share of its supply, falls by that share of what that falls, not as far.

    What is coupled in adds the same volts to both; and nothing fed with less goes up.
    """
    by_share, as_far = (float(np.abs(moves - k * supply_moves).sum()) for k in (share, 1.0))
    return bool(supply_moves.sum() < 0.0) and by_share < _FAR_NEARER * as_far


def _most_samples(track: Instrument) -> float:
    return max(_SAMPLES, _LONGEST_TRACKS_S / max(track.interval_s, 1e-7))


def _share(excursion: Excursion, reference: Channel, moves: FloatArray, apart_v: float) -> float:
    """How far the reference may be from moving by the same volts, as a share of what the track moves.

    What lasts longer than a spike's first swing must swing to both sides of the course, or be the closer
    alike from openings that are apart: two tracks that read alike move alike too when what they share
    opens.
    """
    if reference.id == "vref_v":
        return _ALIKE
    if excursion.span_s[1] - excursion.span_s[0] <= _LONGEST_TRACKS_S:
        return _ALIKE_TRACKS
    peak = float(np.abs(moves).max(initial=0.0))
    least = _BOTH_SIDES * peak
    swings = float(moves.max()) > least and float(moves.min()) < -least
    # An opening would bring both to one level, and so move them differently by what they are apart.
    # Electronics that fall out may move them alike, but hold their level, and a spike does not.
    held = np.count_nonzero(np.abs(moves) > _HELD * peak) >= max(_HELD_SAMPLES, moves.size / 2)
    apart = apart_v > max(_APART_V, 2.0 * _ALIKE_LONG * peak) and not held
    if swings:
        return _ALIKE_TRACKS
    return _ALIKE_LONG if apart else 0.0


def _simultaneous(time_s: FloatArray, others_s: FloatArray, slack: float) -> tuple[IntArray, BoolArray]:
    """For each instant the index of the other line's nearest sample, and whether it is near enough."""
    at = np.minimum(np.searchsorted(others_s, time_s - slack), others_s.size - 1)
    return at, np.abs(others_s[at] - time_s) <= slack


def _around(volts: FloatArray, first: int, last: int) -> float:
    """What a line usually is beside some of its samples."""
    before, behind = volts[max(0, first - _AROUND) : first], volts[last : last + _AROUND]
    around = np.concatenate((before, behind))
    return sampling.middle(around if around.size else volts[first:last])


def shared_lines(recording: Recording, track: ChannelKind) -> tuple[Channel, ...]:
    """The lines on which an ignition spike would show too: the supply, the other track."""
    supply = recording.with_role(Role.SUPPLY)
    if track.unit is not Unit.VOLT:
        return supply
    lines = (*supply, *recording.with_role(Role.TRACK))
    return tuple(c for c in lines if c.kind.unit is Unit.VOLT and c.kind is not track)


def spikes_of(recording: Recording, track: Instrument, found: tuple[Excursion, ...]) -> set[int]:
    """Identities of the excursions that are spikes.

    Where single samples swing to both sides by any amount, at any place, all that do are.
    """
    lines = shared_lines(recording, track.kind) if found else ()
    ends = [float(c.values.max()) if c.kind.role is Role.SUPPLY else inf for c in lines]
    pairs = tuple(zip(lines, ends, strict=True))
    shared = {id(e) for e in found if _is_shared(pairs, track, e)}
    return shared | _swinging(track, found)


def strays(track: Instrument, known: tuple[Excursion, ...]) -> tuple[Excursion, ...]:
    """Samples off what those beside them show, one or two at a time, that are not known as such.

    On a fast capture, and none that come in bursts, as a contact that chatters makes them.
    """
    if track.interval_s > _FAST_S:
        return ()
    usual = median_of_five(track.level)
    first, last = runs(np.abs(track.level - usual) > track.step_tolerance)
    quiet_s = np.pad(track.time_s[first[1:]] - track.time_s[last[:-1]], 1, constant_values=np.inf)
    apart = (np.minimum(quiet_s[1:], quiet_s[:-1]) > BURST_GAP_S)[: first.size]
    short = [(a, b) for a, b in zip(first[apart], last[apart], strict=True) if b - a < _LONE]
    found = (
        Excursion(
            (float(track.time_s[a]), float(track.time_s[b])),
            float(usual[max(a - 1, 0)]),
            float(usual[min(b + 1, usual.size - 1)]),
            float(max(track.level[a : b + 1], key=lambda level: abs(level - usual[a]))),
            int(b - a + 1),
        )
        for a, b in short
    )
    taken = Union(e.span_s for e in known if e.samples <= _LONE)
    # Where an interruption begins or ends the middle of five is not the course.
    alone = (e for e in found if abs(e.after - e.before) < _HARDLY_MOVED * e.depth)
    return tuple(e for e in alone if not taken.touches(e.span_s))


def _swinging(track: Instrument, found: tuple[Excursion, ...]) -> set[int]:
    """Identities of single samples off their course, if they are no contact's.

    A contact that opens leaves its line to what the line is tied to: all that it does goes to one side,
    to one level, or happens at one worn place. What is coupled in swings to either side, as it comes.
    """
    if track.kind.unit is not Unit.VOLT or track.interval_s > _FAST_S:
        return set()
    up = sum(e.level > e.course for e in found)
    if min(up, len(found) - up) < _LEAST_EACH_WAY:
        return set()
    lone = [e for e in found if _is_lone(track, e)]
    elsewhere = _off_one_place(track, np.asarray([e.course for e in lone]))
    lone = [e for e, off in zip(lone, elsewhere, strict=True) if off]
    up = sum(e.level > e.course for e in lone)
    least = max(_LEAST_EACH_WAY, _SHARE_EACH_WAY * len(lone))
    return {id(e) for e in lone} if min(up, len(lone) - up) >= least else set()


def _off_one_place(track: Instrument, course: FloatArray) -> BoolArray:
    """Which of some levels lie elsewhere than most of them do at one, if they do, shape (n,) to (n,)."""
    if not course.size:
        return np.zeros(0, dtype=np.bool_)
    near = _ONE_PLACE * (track.usual[1] - track.usual[0]) / 2.0
    at = course[int(np.argmax((np.abs(course[:, None] - course) <= near).sum(axis=1)))]
    there: BoolArray = np.abs(course - at) <= near
    # Where a throttle rests happens most of what happens at any time.
    held = float(np.mean(np.abs(track.level[:: max(1, track.level.size // _SKETCH)] - at) <= near))
    is_place = float(np.mean(there)) > max(_MOST_AT_ONE, _MORE_THAN_HELD * held)
    return ~there if is_place else np.ones(course.shape, dtype=np.bool_)


def _is_lone(track: Instrument, excursion: Excursion) -> bool:
    """Whether what is off in an excursion are single samples, and few of them."""
    level, straight = _with_straight(track, excursion)
    off = np.abs(level - straight) > track.tolerance
    if np.count_nonzero(off) > max(_LONE, _FEW_OFF * off.size):
        return False
    begin, end = runs(off)
    return bool((end - begin < _LONE).all())


def _with_straight(track: Instrument, excursion: Excursion) -> tuple[FloatArray, FloatArray]:
    """The samples of an excursion, and the straight way from before it to behind it, shape (n,) each."""
    first, last = track.time_s.searchsorted(excursion.span_s).tolist()
    level = track.level[first : last + 1]
    share = np.arange(1, level.size + 1) / (last - first + 2)
    return level, excursion.before + (excursion.after - excursion.before) * share


def _is_shared(lines: Sequence[tuple[Channel, float]], track: Instrument, excursion: Excursion) -> bool:
    """Whether what is off in an excursion is, each time, a spike that another line shows too.

    Two that come near to each other, one to either side, look like one excursion's two ends.
    """
    if any(_verdicts(lines, track, excursion)):
        return True
    if not lines or excursion.span_s[1] - excursion.span_s[0] <= LONGEST_SPIKE_S:
        return False
    each = _each_off(track, excursion)
    return len(each) > 1 and all(any(_verdicts(lines, track, e)) for e in each)


def _each_off(track: Instrument, excursion: Excursion) -> list[Excursion]:
    """Each time that a track is off straight on within an excursion, if those are single samples."""
    if not _is_lone(track, excursion):
        return []
    first = int(track.time_s.searchsorted(excursion.span_s[0]))
    level, straight = _with_straight(track, excursion)
    ends = zip(*(x.tolist() for x in runs(np.abs(level - straight) > track.tolerance)), strict=True)
    return [
        Excursion(
            (float(track.time_s[first + a]), float(track.time_s[first + b])),
            float(straight[a]),
            float(straight[b]),
            float(max(level[a : b + 1], key=lambda x: abs(x - straight[a]))),
            b - a + 1,
        )
        for a, b in ends
    ]


def _verdicts(
    lines: Sequence[tuple[Channel, float]], track: Instrument, excursion: Excursion
) -> list[bool | None]:
    """What the lines say of an excursion: the supply alone, if it was sampled with the track."""
    said: list[bool | None] = []
    for line, end_v in lines:
        said.append(is_spike(track, excursion, line, end_v))
        if line.kind.role is Role.SUPPLY and said[-1] is not None:
            return said
    return said
