"""Where a fault is said to lie: the ends of the travel, and the ends of a worn stretch."""

import numpy as np
import pytest

from nervus.circuit.sensor import SensorCircuit, TrackCircuit
from nervus.domain.analysis import Frame
from nervus.domain.channel import FloatArray
from nervus.domain.finding import DeadSpot, Shape
from nervus.judge.analyse import analyse
from nervus.signal.motion.course import Course, course_of
from nervus.signal.motion.frames import ends_shown, related_frame
from nervus.signal.motion.relation import Line, learn_line
from signals import recording, sweeps, track, volts


def course(time_s: FloatArray, values: FloatArray, channel_id: str = "tps1_v") -> Course:
    return course_of(track(time_s, values, channel_id), ())


def opened(count: int, seconds: float, rate_hz: float) -> tuple[FloatArray, FloatArray]:
    """Several openings with rests at both stops, the longer ones closed."""
    time_s, travel = sweeps(count, seconds, rate_hz)
    return time_s, np.clip(2.2 * travel - 115.0, 0.0, 100.0)


def worn(travel: FloatArray, low: float, high: float) -> FloatArray:
    """The last good level is held, in both directions the lower one; then it leaps to its place."""
    return np.where((travel > low) & (travel < high), low, travel)


# -- the ends of the travel ---------------------------------------------------------------------


@pytest.mark.parametrize("noise_v", [0.0, 0.002, 0.01])
def test_ends_are_told_without_what_noise_adds(noise_v: float) -> None:
    """A normal distribution's 0.2 % quantile lies three deviations off; its middle does not."""
    _, travel = opened(6, 4.0, 100.0)
    low, high = ends_shown(100.0 * volts(travel, noise_v=noise_v) / 5.0)
    assert low == pytest.approx(10.0, abs=0.06)
    assert high == pytest.approx(90.0, abs=0.06)


def test_ends_that_were_only_touched_are_those_furthest_out() -> None:
    saw = np.abs((np.arange(0.0, 20.0, 0.01) % 4.0) - 2.0) / 2.0
    low, high = ends_shown(10.0 + 80.0 * saw)
    assert (low, high) == pytest.approx((10.0, 90.0), abs=0.6)


def test_the_second_track_has_its_own_ends_where_a_line_can_only_come_near() -> None:
    """An input's pull-up bends both tracks of an opposite pair the same way: no line relates them."""
    one = TrackCircuit(0.12, 0.88, pull_ohms=47_000.0, pull_share=1.0)
    two = TrackCircuit(0.88, 0.12, pull_ohms=47_000.0, pull_share=1.0)
    time_s, travel = opened(5, 4.0, 100.0)
    solved = SensorCircuit((one, two)).over(travel / 100.0)
    first, second = (course(time_s, solved[f"signal{n}"], f"tps{n}_v") for n in (1, 2))
    line = learn_line(first, second)
    assert line is not None
    own = Frame(float(first.own().min()), float(first.own().max()), "")
    frame = related_frame(own, first, second, line, 0.0)
    ends = [SensorCircuit((one, two)).volts(x)["signal2"] for x in (0.0, 1.0)]
    by_line = line.slope * own.closed + line.offset * first.supply_v / 100.0
    assert abs(by_line - ends[0]) > 0.015
    assert (frame.closed, frame.open) == pytest.approx(tuple(ends), abs=0.002)


def test_a_second_track_far_from_the_line_at_an_end_is_not_believed_there() -> None:
    """It fell at the open end: its frame stays the line's."""
    time_s, travel = sweeps(5, rate_hz=100.0)
    fell = volts(travel) - 0.6 * (travel > 97.0)
    first, second = course(time_s, volts(travel)), course(time_s, fell, "tps2_v")
    frame = related_frame(Frame(0.5, 4.5, ""), first, second, Line(1.0, 0.0), 0.0)
    assert (frame.closed, frame.open) == pytest.approx((0.5, 4.5), abs=0.03)


# -- worn stretches -----------------------------------------------------------------------------


@pytest.mark.parametrize("rate_hz", [50.0, 100.0, 200.0, 1000.0])
@pytest.mark.parametrize("falling", [False, True])
@pytest.mark.parametrize("held", ["lower", "upper"])
def test_a_worn_stretch_lies_between_the_levels_it_never_shows(
    rate_hz: float, *, falling: bool, held: str
) -> None:
    time_s, travel = opened(7, 6.013, rate_hz)
    low, high = 41.3, 46.1
    shown = worn(travel, low, high)
    if held == "upper":
        shown = 100.0 - worn(100.0 - travel, 100.0 - high, 100.0 - low)
    made = volts(shown, noise_v=0.003)
    line = 5.0 - made if falling else made
    (spot,) = analyse(recording(time_s, tps1_v=line)).examination.findings
    assert isinstance(spot, DeadSpot)
    assert spot.shape is Shape.FLAT
    assert spot.travel_pct == pytest.approx((low, high), abs=max(0.5, 50.0 / rate_hz))


def test_what_falls_back_as_far_as_it_rises_afterwards_is_a_step_and_no_stand() -> None:
    """On the average over the stretch it stands; told by its fall, it lies where the fall is."""
    time_s, travel = sweeps(7, seconds=2.5, rate_hz=200.0)
    stepped = np.where((travel > 60.0) & (travel < 66.0), travel - 6.0, travel)
    (spot,) = analyse(recording(time_s, tps1_v=volts(stepped, noise_v=0.003))).examination.findings
    assert isinstance(spot, DeadSpot)
    assert spot.shape is Shape.STEP
    assert spot.travel_pct == pytest.approx((60.0, 66.0), abs=0.8)
    assert "steps by 0.2" in spot.text


def test_where_resistance_is_missing_the_track_goes_on_as_it_stood() -> None:
    """No leap: the stretch that is lost makes the whole travel longer than what was shown of it."""
    time_s, travel = sweeps(7, seconds=2.5, rate_hz=100.0)
    shown = np.where(travel < 40.0, travel, np.maximum(40.0, travel - 6.0))
    (spot,) = analyse(recording(time_s, tps1_v=volts(shown, noise_v=0.003))).examination.findings
    assert isinstance(spot, DeadSpot)
    assert spot.travel_pct == pytest.approx((40.0, 46.0), abs=1.2)
