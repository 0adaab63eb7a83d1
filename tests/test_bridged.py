"""Bridged stretches: a track that shows nothing over some of its travel, and is steeper beside it.

Source of what is expected: a potentiometer divides its supply over the resistance that is left between
its ends (Ohm's law); so without 4 of 100 percent each other percent is worth 100/96 of what it was.
"""

from dataclasses import replace

import numpy as np
import pytest

from nervus.domain.channel import FloatArray
from nervus.domain.finding import DeadSpot, Disagreement, Finding, Shape
from nervus.judge.analyse import analyse
from nervus.signal.explained.shaft import Shaft
from nervus.signal.motion.travel import find_passes
from nervus.signal.worn.apart import Apart
from nervus.signal.worn.bridged import Bridged, _Cells, _cells, _judged, _lagging, find_bridged
from signals import FRAME, recording, shaft_of, sweeps, track, volts


def bridged(travel: FloatArray, low: float, high: float) -> FloatArray:
    """What a track shows, percent, by the resistance that is left."""
    left = travel - np.clip(travel - low, 0.0, high - low)
    return left * 100.0 / (100.0 - (high - low))


def found(shown: FloatArray, travel: FloatArray, time_s: FloatArray) -> Bridged | None:
    """What is found of a track beside its sound sister, which comes second."""
    return find_bridged(beside(shown, travel, time_s))


def beside(shown: FloatArray, travel: FloatArray, time_s: FloatArray) -> Shaft:
    """A track that shows something, and its sound sister, who comes second."""
    one = track(time_s, volts(shown, noise_v=0.002))
    return shaft_of(one, track(time_s, volts(travel, noise_v=0.002, seed=2), "tps2_v"), travel)


@pytest.mark.parametrize("place", [(61.2, 64.6), (20.0, 26.0), (85.3, 88.1), (7.0, 9.0)])
@pytest.mark.parametrize("rate_hz", [25.0, 200.0, 1000.0])
def test_a_bridged_stretch_is_told_where_it_is(place: tuple[float, float], rate_hz: float) -> None:
    time_s, travel = sweeps(6, seconds=3.013, rate_hz=rate_hz)
    told = found(bridged(travel, *place), travel, time_s)
    assert told is not None
    spot = told.spot(beside(travel, travel, time_s))
    assert spot is not None
    assert (spot.channels, spot.shape) == (("tps1_v",), Shape.FLAT)
    assert spot.travel_pct == pytest.approx(place, abs=0.35)
    assert (spot.seen_in, spot.crossed) == (12, 12)
    reading = 110.0 / rate_hz  # how far it goes between two, percent
    for start, end in told.spans:
        ends = np.sort(travel[np.searchsorted(time_s, (start - 1e-9, end - 1e-9))])
        assert ends == pytest.approx(place, abs=0.2 + reading)


def test_its_ends_are_told_to_a_tenth_where_readings_are_many() -> None:
    time_s, travel = sweeps(6, seconds=3.013, rate_hz=1000.0)
    for place in ((61.13, 64.62), (20.38, 26.11)):
        told = found(bridged(travel, *place), travel, time_s)
        assert told is not None
        spot = told.spot(beside(travel, travel, time_s))
        assert spot is not None
        assert spot.travel_pct == pytest.approx(place, abs=0.1)


def test_passes_that_do_not_show_it_are_not_counted() -> None:
    """A bridge that comes off: ten of twelve sweeps show it."""
    time_s, travel = sweeps(12, seconds=3.013, rate_hz=200.0)
    some = time_s < 10 * 3.013
    told = found(np.where(some, bridged(travel, 40.0, 45.0), travel), travel, time_s)
    assert told is not None
    assert len(told.spans) == 20
    assert max(end for _, end in told.spans) < 10 * 3.013


def test_a_stretch_is_told_of_two_tracks_that_are_read_in_turn() -> None:
    """By hand: the second lags by 0.1 s; both are straight again at the same instants."""
    time_s, travel = sweeps(12, seconds=3.013, rate_hz=100.0)
    later = np.interp(time_s - 0.1, time_s, travel)
    made = beside(bridged(travel, 40.0, 45.0), later, time_s)
    assert made.pair is not None
    made = replace(made, pair=replace(made.pair, skew_s=0.1, together=False))
    told = find_bridged(made)
    assert told is not None
    straight = told.straight(track(time_s, volts(bridged(travel, 40.0, 45.0))))
    inner = (time_s > 0.5) & (time_s < time_s[-1] - 0.5)
    assert straight.level[inner] == pytest.approx(20.0 * volts(travel)[inner], abs=0.5)


def test_a_stretch_is_told_from_enough_cells_on_either_side() -> None:
    """By hand: two straight ways with a fall of 4 between them, and one cell less on a side."""
    at = np.asarray([30.2, 30.7, 31.2, 33.1, 34.0, 36.1, 36.6, 37.1])
    apart = -np.clip(at - 32.0, 0.0, 4.0)
    cells, opening = _Cells(at, apart), np.ones(at.size, dtype=np.bool_)
    told = _judged((cells, opening), (32.0, 36.0))
    assert told is not None
    assert told[0] == (32.0, 36.0)
    assert told[1] == pytest.approx(4.0)
    for without in (0, 3, 7):
        left = np.arange(at.size) != without
        assert _judged((_Cells(at[left], apart[left]), opening[left]), (32.0, 36.0)) is None


def test_what_was_read_in_one_direction_only_counts_too() -> None:
    """By hand: closing lies 3 higher all over, and was read beyond the place only."""
    at = np.tile(np.arange(30.0, 50.0, 0.5), (2, 1))
    apart = -np.clip(at - 38.0, 0.0, 4.0) + np.asarray([[0.0], [3.0]])
    apart[1, :24] = np.nan
    near = _lagging(_Cells(np.where(np.isfinite(apart), at, np.nan), apart))
    assert near == pytest.approx((38.0, 42.0))
    assert _lagging(_Cells(at, np.full(at.shape, np.nan))) is None


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


def test_two_passes_over_it_are_too_few() -> None:
    """One sweep over it and three that turn round before it; with one more sweep it is told."""
    for whole, is_told in ((1, False), (2, True)):
        _, over = sweeps(whole, seconds=3.013, rate_hz=200.0)
        travel = np.concatenate((over, 0.38 * sweeps(3, seconds=3.013, rate_hz=200.0)[1]))
        time_s = np.arange(travel.size) / 200.0
        assert (found(bridged(travel, 42.0, 46.0), travel, time_s) is not None) is is_told


def test_where_a_plate_lands_nothing_is_looked_at() -> None:
    time_s, travel = sweeps(6, seconds=3.013, rate_hz=200.0)
    made = track(time_s, volts(travel))
    passes = find_passes(time_s, travel)
    cells = _cells(Apart(made, FRAME, 0.1, passes, time_s, travel, travel, 0.0))
    known = np.isfinite(cells.apart).all(axis=0)
    assert np.flatnonzero(known)[[0, -1]].tolist() == [3, 196], "of half a percent each"
    assert cells.at[0, 100] == pytest.approx(50.25, abs=0.25)


def bends(travel: FloatArray) -> FloatArray:
    """Off by 3 percent in the middle of 30, gently."""
    return travel - 3.0 * np.sin(np.pi * np.clip((travel - 40.0) / 30.0, 0.0, 1.0)) ** 2


def bulges(travel: FloatArray) -> FloatArray:
    """Off by 12 percent, as steeply as the travel rises: it stands on one side, and is bent."""
    return travel + 12.0 * np.sin(np.pi * np.clip((travel - 20.0) / 30.0, 0.0, 1.0))


def dents(travel: FloatArray) -> FloatArray:
    """Off by 10 percent in a fifth of it, and slowly back: it stands where it leaves, and is bent."""
    return travel - np.interp(travel, [14.0, 24.0, 29.0, 50.0], [0.0, 10.0, 10.0, 0.0])


def goes_half(travel: FloatArray) -> FloatArray:
    """Half as steep over a stretch: worn, not bridged."""
    return travel - 0.5 * np.clip(travel - 40.0, 0.0, 6.0)


def late(travel: FloatArray) -> FloatArray:
    """A filter behind it: late both ways, so that it lags opening and leads closing."""
    return np.concatenate((np.full(6, travel[0]), travel[:-6]))


@pytest.mark.parametrize("shown", [lambda x: x, bends, bulges, dents, goes_half, late])
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
@pytest.mark.parametrize("place", [(12.0, 17.0), (61.0, 67.0), (5.5, 11.5), (90.0, 96.0)])
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
