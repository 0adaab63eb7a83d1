"""A harness shaken at a standstill, read slowly: the track that stays tells that the shaft stayed.

Both tracks of a sensor are moved by one shaft, and each goes through a third of the supply at least over
the whole travel; a harness is shaken with the throttle at rest (common practice, no published source).
"""

import numpy as np
import pytest

from nervus.domain.channel import FloatArray, Recording
from nervus.domain.finding import Drop
from nervus.judge.analyse import analyse
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.explained.stood import Stood, who_stood
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.motion.course import course_of
from signals import recording, track
from test_line_cases import of

EVERY_S = 0.05
SHAKEN_S = (4.0, 9.5, 13.0, 21.2, 26.4, 33.1)
LEVELS_V = (3.8, 4.6, 2.9, 4.2, 3.4, 4.4)


def shaken(*, blipped: bool = False, lasts: int = 1, first: float = 1.6) -> tuple[FloatArray, ...]:
    """Instants and two tracks of a throttle that hunts about one opening.

    The second leaps now and then for so many samples: what line and input do between two of them is
    anywhere between. Or the throttle is `blipped`: both go there and back in 0.4 s, the first by half.
    """
    time_s = np.arange(0.0, 40.0, EVERY_S)
    random = np.random.default_rng(7)
    hunts = 0.02 * np.sin(2.0 * np.pi * time_s / 17.0)
    one = first + hunts + random.normal(0.0, 0.002, time_s.size)
    two = 0.8 + hunts / 2.0 + random.normal(0.0, 0.002, time_s.size)
    for start, level in zip(SHAKEN_S, LEVELS_V, strict=True):
        at = round(start / EVERY_S)
        if blipped:
            way = (level - 0.8) * np.hanning(9)
            one[at : at + 9] += 0.5 * way
            two[at : at + 9] += way
        else:
            two[at : at + lasts] = level
    return time_s, one, two


def drops(made: Recording) -> list[tuple[str, float]]:
    """The tracks that are told to leave, and when."""
    return [(f.channels[0], f.times_s[0][0]) for f in of(Drop, analyse(made))]


@pytest.mark.parametrize("lasts", [1, 3])
def test_a_track_that_leaps_while_the_other_stands_left_alone(lasts: int) -> None:
    time_s, one, two = shaken(lasts=lasts)
    found = drops(recording(time_s, tps1_v=one, tps2_v=two))
    assert [name for name, _ in found] == ["tps2_v"] * len(SHAKEN_S)
    assert [at for _, at in found] == pytest.approx(SHAKEN_S, abs=EVERY_S)


def test_what_both_do_is_motion() -> None:
    time_s, one, two = shaken(blipped=True)
    assert not drops(recording(time_s, tps1_v=one, tps2_v=two))


@pytest.mark.parametrize("first", [0.02, 4.99])
def test_a_track_that_is_dead_is_no_witness(first: float) -> None:
    time_s, one, two = shaken(first=first)
    assert witness(time_s, one, two) is None


def tracks(*seen: FloatArray) -> tuple[Instrument, Instrument]:
    """Two tracks on 5 V."""
    time_s, one, two = seen
    return track(time_s, one), track(time_s, two, "tps2_v")


def witness(*seen: FloatArray) -> Stood | None:
    """Whether both stood all along."""
    both = tracks(*seen)
    leapt = tuple((s - 0.01, s + 0.01) for s in SHAKEN_S)
    return who_stood({t.id: (t, course_of(t, leapt)) for t in both})


def said(*seen: FloatArray, span: tuple[float, float] = (4.0, 4.0), depth: float = 60.0) -> float:
    """What the first says of an excursion of the second."""
    made = witness(*seen)
    assert made is not None
    return made.says(tracks(*seen)[1], Excursion(span, 16.0, 16.0, 16.0 + depth, 1))


def test_one_that_never_changes_may_be_held_and_is_no_witness() -> None:
    time_s, one, two = shaken()
    assert witness(time_s, np.full_like(one, 1.6), two) is None
    assert witness(time_s, one, two) is not None


def test_one_that_moved_is_no_witness() -> None:
    time_s, one, two = shaken()
    moved = one + np.where(time_s > 30.0, 0.5, 0.0)
    assert witness(time_s, moved, two) is None
    assert who_stood({}) is None


def test_it_says_how_far_she_stayed_short_of_the_least_that_she_would_go() -> None:
    """Of 60 % she would go 18 at the least; within her rest of some 0.8 % she is short by 17."""
    seen = shaken()
    assert said(*seen) == -10.0
    # Of 4 % she would go 1.2: short by a third of a per cent, more than her tolerance.
    assert -5.0 < said(*seen, depth=4.0) < -1.0
    assert said(*seen, depth=2.0) == 0.0


def test_she_says_nothing_where_she_went_as_far_within_half_a_second_or_was_not_read() -> None:
    time_s, one, two = shaken()
    went = one.copy()
    went[int(4.4 / EVERY_S)] += 1.0
    assert said(time_s, went, two) == 0.0
    late = one.copy()
    late[int(4.7 / EVERY_S)] += 1.0
    assert said(time_s, late, two) == -10.0
    assert said(time_s, one, two, span=(4.01, 4.03)) == 0.0
