"""Bridged stretches: a track that shows nothing over some of its travel, and is steeper beside it.

Source of what is expected: a potentiometer divides its supply over the resistance that is left between
its ends (Ohm's law); so without 4 of 100 percent each other percent is worth 100/96 of what it was.
"""

import numpy as np
import pytest

from nervus.domain.analysis import Frame, Travel
from nervus.domain.channel import FloatArray, Sensor, Span
from nervus.domain.finding import DeadSpot, Disagreement, Finding, Shape
from nervus.judge.analyse import analyse
from nervus.signal.explained.shaft import Shaft
from nervus.signal.motion.course import course_of
from nervus.signal.motion.relation import Line
from nervus.signal.motion.travel import find_passes
from nervus.signal.worn.bridged import Bridged, find_bridged
from signals import pair_of, recording, sweeps, track, volts

FRAME = Frame(0.5, 4.5, "as made")


def bridged(travel: FloatArray, low: float, high: float) -> FloatArray:
    """What a track shows, percent, by the resistance that is left."""
    left = travel - np.clip(travel - low, 0.0, high - low)
    return left * 100.0 / (100.0 - (high - low))


def found(shown: FloatArray, travel: FloatArray, time_s: FloatArray) -> Bridged | None:
    """What is found of a track beside its sound sister, which comes second."""
    return find_bridged(shaft_of(shown, travel, time_s))


def shaft_of(shown: FloatArray, travel: FloatArray, time_s: FloatArray) -> Shaft:
    one = track(time_s, volts(shown, noise_v=0.002))
    two = track(time_s, volts(travel, noise_v=0.002, seed=2), "tps2_v")
    frames: dict[str, Frame] = {one.id: FRAME, two.id: FRAME}
    passes = find_passes(time_s, travel)
    pair = pair_of(one, two, Line(1.0, 0.0))
    way = Travel(time_s, travel, two.id, frames)
    spikes: dict[str, tuple[Span, ...]] = {one.id: (), two.id: ()}
    courses = {one.id: course_of(one, ()), two.id: course_of(two, ())}
    tracks = one, two
    return Shaft(
        Sensor.THROTTLE, tracks, pair, courses=courses, spikes=spikes, travel=way, passes=passes
    )


@pytest.mark.parametrize("place", [(61.2, 64.6), (20.0, 26.0), (85.3, 88.1), (7.0, 9.0)])
@pytest.mark.parametrize("rate_hz", [25.0, 200.0, 1000.0])
def test_a_bridged_stretch_is_told_where_it_is(place: tuple[float, float], rate_hz: float) -> None:
    time_s, travel = sweeps(6, seconds=3.013, rate_hz=rate_hz)
    told = found(bridged(travel, *place), travel, time_s)
    assert told is not None
    spot = told.spot(shaft_of(travel, travel, time_s))
    assert spot is not None
    assert (spot.channels, spot.shape) == (("tps1_v",), Shape.FLAT)
    assert spot.travel_pct == pytest.approx(place, abs=0.35)
    assert (spot.seen_in, spot.crossed) == (12, 12)
    reading = 100.0 / rate_hz  # how far it goes between two, percent
    for start, end in spot.times_s:
        within = travel[(time_s >= start) & (time_s <= end)]
        assert np.all((within > place[0] - 0.4 - reading) & (within < place[1] + 0.4 + reading))


def test_a_track_is_straight_again_without_its_stretch() -> None:
    """By hand: what it lacks, sample by sample, is what the sound one shows more."""
    time_s, travel = sweeps(6, seconds=3.013, rate_hz=200.0)
    told = found(bridged(travel, 40.0, 45.0), travel, time_s)
    assert told is not None
    own = track(time_s, volts(bridged(travel, 40.0, 45.0)))
    straight = told.straight(own)
    assert straight.level == pytest.approx(20.0 * volts(travel), abs=0.25)
    assert np.abs(own.level - 20.0 * volts(travel)).max() > 1.8
    other = track(time_s, volts(travel), "tps2_v")
    assert told.straight(other) is other


def bends(travel: FloatArray) -> FloatArray:
    """Off by 3 percent in the middle of 30, gently."""
    return travel - 3.0 * np.sin(np.pi * np.clip((travel - 40.0) / 30.0, 0.0, 1.0)) ** 2


def bulges(travel: FloatArray) -> FloatArray:
    """Off by 12 percent, as steeply as the travel rises: it stands on one side, and is bent."""
    return travel + 12.0 * np.sin(np.pi * np.clip((travel - 20.0) / 30.0, 0.0, 1.0))


def goes_half(travel: FloatArray) -> FloatArray:
    """Half as steep over a stretch: worn, not bridged."""
    return travel - 0.5 * np.clip(travel - 40.0, 0.0, 6.0)


def late(travel: FloatArray) -> FloatArray:
    """A filter behind it: late both ways, so that it lags opening and leads closing."""
    return np.concatenate((np.full(6, travel[0]), travel[:-6]))


@pytest.mark.parametrize("shown", [lambda x: x, bends, bulges, goes_half, late])
def test_nothing_else_is_bridged(shown: object) -> None:
    time_s, travel = sweeps(6, seconds=3.013, rate_hz=200.0)
    assert found(shown(travel), travel, time_s) is None  # type: ignore[operator]
    assert found(travel, shown(travel), time_s) is None  # type: ignore[operator]


def test_a_stretch_that_two_of_six_sweeps_show_is_none() -> None:
    time_s, travel = sweeps(6, seconds=3.013, rate_hz=200.0)
    some = time_s < 2 * 3.013
    assert found(np.where(some, bridged(travel, 40.0, 45.0), travel), travel, time_s) is None


def test_an_hour_of_passes_is_told_by_a_first_look_and_a_whole_one() -> None:
    time_s, travel = sweeps(200, seconds=2.0, rate_hz=100.0)
    told = found(bridged(travel, 40.0, 45.0), travel, time_s)
    assert told is not None
    assert len(told.spans) >= 390
    assert found(travel, travel, time_s) is None


def findings(time_s: FloatArray, **values: FloatArray) -> tuple[Finding, ...]:
    return analyse(recording(time_s, **values)).examination.findings


@pytest.mark.parametrize("sister_sign", [1.0, -1.0])
@pytest.mark.parametrize("place", [(12.0, 17.0), (61.0, 67.0)])
def test_what_a_stretch_does_beside_it_is_no_second_fault(
    place: tuple[float, float], sister_sign: float
) -> None:
    """The tracks differ by up to 6 percent of travel there, over most of it; one cause is told."""
    time_s, travel = sweeps(12, seconds=3.013, rate_hz=50.0)
    shown = bridged(travel, *place)
    sister = volts(50.0 + sister_sign * (travel - 50.0), noise_v=0.003, seed=2)
    told = findings(time_s, tps1_v=volts(shown, noise_v=0.003), tps2_v=sister)
    (spot,) = told
    assert isinstance(spot, DeadSpot)
    assert (spot.channels, spot.shape) == (("tps1_v",), Shape.FLAT)
    assert spot.travel_pct == pytest.approx(place, abs=0.4)


def test_what_is_wrong_besides_a_stretch_is_told_too() -> None:
    """One track is off by 8 percent of travel for a second, at neither end, besides a stretch."""
    time_s, travel = sweeps(12, seconds=3.013, rate_hz=100.0)
    shown = volts(bridged(travel, 61.0, 66.0), noise_v=0.003)
    shown += np.where((time_s > 12.25) & (time_s < 13.2), 0.32, 0.0)
    told = findings(time_s, tps1_v=shown, tps2_v=volts(travel, noise_v=0.003, seed=2))
    (spot,) = (f for f in told if isinstance(f, DeadSpot))
    assert spot.travel_pct == pytest.approx((61.0, 66.0), abs=0.6)
    (differ,) = (f for f in told if isinstance(f, Disagreement))
    assert differ.worst_pct == pytest.approx(8.0, abs=1.0)
    assert differ.times_s[0][0] == pytest.approx(12.25, abs=0.1)
