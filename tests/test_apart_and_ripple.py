"""What tracks are apart by, which of two is rough, what a ripple does, and where a course goes on.

The signals are the tests' own, each worked by hand; that a potentiometer divides the ripple it is fed
with, and that all lines move alike where the ground moves that they are measured against, is textbook.
"""

import numpy as np
import pytest

from nervus.domain.channel import Recording
from nervus.domain.finding import DeadSpot, Disagreement, Noise, Shape
from nervus.judge.analyse import analyse
from nervus.signal.candidates.excursions import find_excursions
from nervus.signal.instruments.instrument import prepare
from nervus.signal.motion.course import course_of
from nervus.signal.motion.relation import learn_line
from nervus.signal.worn.beside_sister import own_roughness
from signals import channel, recording, sweeps, track, volts


@pytest.mark.parametrize("ripple", ["of the supply", "of the ground"])
def test_a_ripple_that_the_supply_shows_too_is_left_out(ripple: str) -> None:
    time_s, travel = sweeps(4, rate_hz=1000.0)
    swing = 0.04 * np.sin(2.0 * np.pi * 133.0 * time_s)
    plain = volts(travel)
    line = plain * (1.0 + swing) if ripple == "of the supply" else plain + 5.0 * swing
    supply = channel("vref_v", time_s, 5.0 * (1.0 + swing))
    made = prepare(channel("tps1_v", time_s, line), 5.0, (), supply)
    assert made is not None
    assert made.level == pytest.approx(20.0 * plain, abs=1e-6)
    assert made.noise < 0.1


def test_a_supply_that_is_noisier_than_its_track_makes_it_no_noisier() -> None:
    time_s, travel = sweeps(4, rate_hz=1000.0)
    supply = channel("vref_v", time_s, 5.0 + np.random.default_rng(4).normal(0.0, 0.008, time_s.size))
    made = prepare(channel("tps1_v", time_s, volts(travel, noise_v=0.002)), 5.0, (), supply)
    assert made is not None
    assert made.level == pytest.approx(20.0 * volts(travel, noise_v=0.002), abs=1e-9)


def test_a_supply_that_sags_is_divided_out_also_where_the_ground_ripples() -> None:
    """Down by 4 % of 5 V, and 0.1 V of ripple on all lines: of 2.5 V it is 2.4 V and the ripple."""
    time_s, travel = sweeps(6, rate_hz=1000.0)
    sag = 1.0 - 0.04 * np.clip((time_s - 4.0) / 8.0, 0.0, 1.0)
    ripple = 0.1 * np.sin(2.0 * np.pi * 133.0 * time_s)
    supply = channel("vref_v", time_s, 5.0 * sag + ripple)
    made = prepare(channel("tps1_v", time_s, volts(travel) * sag + ripple), 5.0, (), supply)
    assert made is not None
    assert np.abs(made.level - 20.0 * volts(travel)).max() < 0.6


def test_an_interruption_of_the_supply_is_no_ripple_of_it() -> None:
    time_s, travel = sweeps(4, rate_hz=1000.0)
    share = 1.0 + 0.04 * np.sin(2.0 * np.pi * 133.0 * time_s)
    share[3000:3100] = 0.1
    made = prepare(
        channel("tps1_v", time_s, volts(travel) * share), 5.0, (), channel("vref_v", time_s, 5.0 * share)
    )
    assert made is not None
    assert made.level[3050] == pytest.approx(20.0 * 0.1 * volts(travel)[3050], abs=1e-6)


def test_means_of_a_ripple_swing_less_than_its_samples() -> None:
    """Over 8 ms hardly a tenth of a swing of 137 Hz is left: 9 mV of 100, by sin(x) / x.

    An engine whose speed wanders: the swing keeps no phase, and is not taken away as hum is.
    """
    time_s, travel = sweeps(4, rate_hz=1000.0)
    hertz = 137.0 + 6.0 * np.sin(2.0 * np.pi * 0.7 * time_s)
    swings = volts(travel) + 0.1 * np.sin(2.0 * np.pi * np.cumsum(hertz) / 1000.0)
    made = track(time_s, np.round(swings * 819.0) / 819.0)
    course = course_of(made, ())
    assert made.tolerance > 5.0
    assert course.blur < 0.6
    assert course.tolerance < 1.0


def test_a_coarse_converter_hides_half_a_step_and_no_more() -> None:
    """Half range, 8 bits over 20 V: steps of 78 mV; off by 10 % of its travel is 0.2 V, 2.6 of them."""
    time_s, travel = sweeps(6, seconds=6.0, rate_hz=1000.0)
    step = 20.0 / 255.0
    late = (time_s > 18.0) & (time_s < 28.0)
    lines = {
        "tps1_v": np.round(volts(travel) / step) * step,
        "tps2_v": np.round((volts(travel) / 2.0 - 0.2 * late) / step) * step,
    }
    (found,) = analyse(recording(time_s, **lines)).examination.findings
    assert isinstance(found, Disagreement)
    assert found.times_s[0][0] == pytest.approx(18.0, abs=0.5)
    assert found.times_s[-1][1] == pytest.approx(28.0, abs=0.5)
    assert found.worst_pct == pytest.approx(10.0, abs=3.5)
    sound = {"tps1_v": lines["tps1_v"], "tps2_v": np.round(volts(travel) / 2.0 / step) * step}
    assert analyse(recording(time_s, **sound)).examination.findings == ()


@pytest.mark.parametrize(("slope", "learned"), [(0.8, 1.0), (0.5, 0.5)])
def test_a_sensor_goes_as_it_is_built_first_and_as_none_is_afterwards(
    slope: float, learned: float
) -> None:
    """Tracks 0.4 V apart for 40 % of the time, then of another gain: that one is no sensor's.

    Half the range is one that sensors have: nothing tells that it is the later one that is wrong.
    """
    time_s, travel = sweeps(10, seconds=4.0, rate_hz=100.0)
    one = volts(travel)
    early = time_s < 0.4 * time_s[-1]
    two = np.where(early, one + 0.4, slope * one + 0.6)
    line = learn_line(course_of(track(time_s, one), ()), course_of(track(time_s, two, "tps2_v"), ()))
    assert line is not None
    assert line.slope == pytest.approx(learned, abs=0.01)


@pytest.mark.parametrize("mirrored", [False, True])
def test_of_two_tracks_that_are_polled_in_turn_the_rough_one_is_told(*, mirrored: bool) -> None:
    time_s, travel = sweeps(12, seconds=12.013, rate_hz=12.0)
    random = np.random.default_rng(7)
    rough = travel + 2.0 * random.normal(size=travel.size) * ((travel > 40.0) & (travel < 52.0))
    later_s = time_s + 0.04
    sister = volts(np.interp(later_s, time_s, travel), noise_v=0.004, seed=9)
    sister = 5.0 - sister if mirrored else sister
    for names in (("tps1_v", "tps2_v"), ("tps2_v", "tps1_v")):
        lines = (
            channel(names[0], time_s, volts(rough, noise_v=0.004)),
            channel(names[1], later_s, sister),
        )
        made = Recording(tuple(sorted(lines, key=lambda c: c.id)))
        noises = [f for f in analyse(made).examination.findings if isinstance(f, Noise)]
        assert [n.channels for n in noises] == [(names[0],)]


def test_what_is_a_tracks_own_is_its_variance_and_what_is_the_others_nothing() -> None:
    """Two percent of the supply of noise on the one: its variance, 4; by the other, nothing."""
    time_s = np.arange(0.0, 400.0, 0.1)
    place = 50.0 + 10.0 * np.sin(2.0 * np.pi * time_s / 40.0)
    noise = 2.0 * np.random.default_rng(3).normal(size=time_s.size)
    one, two = track(time_s, 0.05 * (place + noise)), track(time_s, 0.05 * place, "tps2_v")
    # She bends by less than what counts as motion.
    own = own_roughness(one, two.level, (time_s, place), (40.0, 60.0))
    other = own_roughness(two, one.level, (time_s, place), (40.0, 60.0))
    assert own == pytest.approx(4.0, rel=0.1)
    assert abs(other) < 0.1


def test_a_track_goes_on_from_where_it_is_not_at_a_rail() -> None:
    """A wire touches ground; meanwhile the plate is shut, and it is opened again behind it."""
    time_s = np.arange(0.0, 12.0, 0.008)
    travel = np.interp(time_s, [0, 1, 1.1, 4.0, 4.1, 7.0, 7.1, 12], [0, 0, 100, 100, 30, 30, 100, 100])
    line = volts(travel, noise_v=0.002)
    for start, end in ((3.98, 4.2), (6.0, 6.1), (8.0, 8.1), (9.0, 9.05)):
        line[(time_s >= start) & (time_s <= end)] = 0.02
    found = [e for e in find_excursions(track(time_s, line)) if e.level < 2.0]
    assert [round(e.span_s[0], 1) for e in found] == [4.0, 6.0, 8.0, 9.0]
    assert max(e.span_s[1] - e.span_s[0] for e in found) < 0.25


def test_a_place_that_snaps_seldom_read_is_worn_by_those_that_did() -> None:
    """100 readings a second, snaps of 0.1 s: a place of 2 % is read in one crossing of five."""
    time_s = np.arange(0.0, 60.0, 0.01)
    random = np.random.default_rng(2)
    at, where = [0.0], [0.0]
    for _ in range(22):
        start = at[-1] + random.uniform(0.8, 1.6)
        at += [start, start + random.uniform(0.08, 0.3)]
        where += [where[-1], 100.0 - where[-1]]
    travel = np.interp(time_s, at, where)
    shown = np.where((travel > 40.0) & (travel < 43.0), 0.02, volts(travel, noise_v=0.002))
    findings = analyse(recording(time_s, tps1_v=shown, tps2_v=volts(travel) / 2.0)).examination.findings
    (spot,) = findings
    assert isinstance(spot, DeadSpot)
    assert spot.shape is Shape.DROP
    assert spot.travel_pct[0] > 39.0
    assert spot.travel_pct[1] < 44.0
    assert spot.seen_in < 0.6 * spot.crossed


def test_where_a_contact_that_opens_reads_is_no_place_of_its_own() -> None:
    """Open between 42 and 47 % it reads 54 %, then 60 %: a leap, but no place that the shaft was at."""
    time_s, travel = sweeps(8, seconds=3.013, rate_hz=1000.0)
    shown = np.where((travel > 42.0) & (travel < 44.5), 54.0, travel)
    shown = np.where((travel >= 44.5) & (travel < 47.0), 60.0, shown)
    spots = [
        f
        for f in analyse(recording(time_s, tps1_v=volts(shown, noise_v=0.002))).examination.findings
        if isinstance(f, DeadSpot)
    ]
    assert spots
    assert all(s.travel_pct[0] < 47.0 for s in spots), [s.text for s in spots]
