"""Tracks that differ at one place of the travel, pass after pass: that is the sensor, and no line."""

import numpy as np
import pytest

from nervus.domain.analysis import Frame
from nervus.domain.channel import FloatArray
from nervus.domain.finding import Disagreement
from nervus.domain.suspect import SuspectId
from nervus.judge.analyse import analyse
from nervus.signal.motion.course import course_of
from nervus.signal.motion.relation import Line
from nervus.signal.motion.travel import find_passes
from nervus.signal.told.disagreement import PairTravel, find_disagreements, pair_travel
from nervus.standin.hard_cases import hard_case
from signals import recording, sweeps, track, volts

FRAME = Frame(0.5, 4.5, "as made")


def bump(travel: FloatArray) -> FloatArray:
    """A track that reads up to 8 % of travel too much around the middle."""
    return travel + 8.0 * np.exp(-(((travel - 50.0) / 8.0) ** 2))


def leaking(travel: FloatArray, track_ohms: float, leak_ohms: float) -> FloatArray:
    """What a track shows whose line leaks to ground, percent of travel (loaded divider, textbook)."""
    way = (0.5 + 0.04 * travel) / 5.0
    shown = way / (1.0 + way * (1.0 - way) * track_ohms / leak_ohms)
    return np.asarray((5.0 * shown - 0.5) / 0.04)


def bends(travel: FloatArray, time_s: FloatArray, second: FloatArray) -> bool:
    """Whether the one disagreement of two tracks is one of a place."""
    one, two = track(time_s, volts(travel)), track(time_s, volts(second), "tps2_v")
    pair = pair_travel((course_of(one, ()), course_of(two, ())), Line(1.0, 0.0), FRAME, 0.0)
    passes = find_passes(time_s, travel)
    (found,) = find_disagreements(pair, ("tps1_v", "tps2_v"), None, (), None, passes)
    return found.bends


def test_a_track_that_leaves_the_other_over_a_place_in_each_pass_bends() -> None:
    time_s, travel = sweeps(5)
    assert bends(travel, time_s, bump(travel))
    assert bends(travel, time_s, 2.0 * travel - bump(travel))


@pytest.mark.parametrize(
    "second",
    [
        lambda time_s, x: x + 6.0,  # noqa: ARG005 - an offset
        lambda time_s, x: x * 1.08,  # noqa: ARG005 - more and more, up to the stop
        lambda time_s, x: np.where(time_s > 9.0, bump(x), x),  # from a moment on
        lambda time_s, x: np.where(time_s % 8.0 < 6.0, bump(x), 2.0 * x - bump(x)),  # to either side
        lambda time_s, x: np.where(time_s % 4.0 < 2.0, bump(x), x),  # one way
        lambda time_s, x: leaking(x, 4000.0, 25_000.0),  # noqa: ARG005
        lambda time_s, x: leaking(x, 4000.0, 12_000.0),  # noqa: ARG005
    ],
)  # fmt: skip
def test_what_a_line_or_a_moment_does_is_no_bend(second: object) -> None:
    time_s, travel = sweeps(5)
    assert not bends(travel, time_s, second(time_s, travel))  # type: ignore[operator] # one of the above


@pytest.mark.parametrize(("low", "high"), [(0.0, 56.0), (44.0, 100.0)])
def test_beyond_what_was_swept_nobody_knows_whether_they_agree(low: float, high: float) -> None:
    time_s, travel = sweeps(5)
    travel = low + (high - low) * travel / 100.0
    assert not bends(travel, time_s, bump(travel))


@pytest.mark.parametrize(
    ("kind", "seed"), [("bent track", 50_027), ("bent track, with the command", 50_048)]
)
def test_a_bend_of_which_each_quick_pass_reads_a_few_points_is_told(kind: str, seed: int) -> None:
    """Most of the passes are snaps; together they show it both ways, and by more than timing does."""
    made = hard_case(kind, seed)
    (found,) = analyse(made.recording).examination.findings
    (planted,) = made.truth
    assert isinstance(found, Disagreement)
    assert planted.travel_pct is not None
    assert planted.travel_pct[0] < found.travel_pct[0] < found.travel_pct[1] < planted.travel_pct[1]


@pytest.mark.parametrize(("offset", "told"), [(2.0, 0), (-2.0, 0), (4.0, 1)])
def test_what_timing_adds_to_a_small_difference_is_no_bend(offset: float, told: int) -> None:
    """Opened at 50 and closed at 150 % a second, 20 ms do 1 % one way and 3 % the other."""
    time_s = np.arange(0.0, 24.0, 0.02)
    travel = np.interp(time_s % 4.0, [0.2, 2.2, 3.0, 3.67], [0.0, 100.0, 100.0, 0.0])
    by_timing = 0.02 * np.gradient(travel, time_s)
    pair = PairTravel(time_s, travel, travel + offset - by_timing, np.abs(by_timing) + 0.1, 0.1)
    passes = find_passes(time_s, travel)
    assert len(find_disagreements(pair, ("tps1_v", "tps2_v"), None, (), None, passes)) == told


def test_few_passes_are_not_enough() -> None:
    time_s, travel = sweeps(1)
    assert not bends(travel, time_s, bump(travel))


def test_a_bend_is_the_sensors_and_no_wires() -> None:
    """Common practice, no published source: a wire knows no place of the travel."""
    time_s, travel = sweeps(6)
    supply = np.full_like(time_s, 5.0)

    def chances(second: FloatArray) -> dict[SuspectId, float]:
        made = recording(
            time_s, tps1_v=volts(travel, noise_v=0.002), tps2_v=volts(second, seed=2), vref_v=supply
        )
        return {s.id: s.probability for s in analyse(made).judgement.suspects}

    bent = chances(bump(travel))
    later = chances(np.where(time_s > 11.0, bump(travel), travel))
    assert bent[SuspectId.SENSOR] > 0.8
    assert bent[SuspectId.WIRING] < 0.1 < later[SuspectId.WIRING]
