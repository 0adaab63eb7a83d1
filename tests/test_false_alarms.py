"""What must not be called a fault: hum, motion seen slowly, one fault told twice; and what must.

The physics of each is common practice, no published source, where no other is named.
"""

import numpy as np
import pytest
from scipy.signal import lfilter

from nervus.domain.channel import CHANNEL_KINDS, Channel, Recording
from nervus.domain.finding import DeadSpot, Disagreement, Noise
from nervus.judge.analyse import analyse
from nervus.signal.instruments.sampling import noise, noise_and_hum, speed
from nervus.signal.motion.course import plain_course
from nervus.signal.motion.frames import learn_frame
from nervus.signal.motion.travel import find_passes
from nervus.signal.told.linearity import nonlinear
from nervus.standin.hard_cases import hard_case
from nervus.standin.motion import Law, Stroke, follow
from signals import channel, recording, sweeps, volts
from test_places import course, opened

# -- hum ----------------------------------------------------------------------------------------


@pytest.mark.parametrize("rate_hz", [1000.0, 5000.0, 10_000.0])
def test_mains_hum_on_a_capture_is_no_fault(rate_hz: float) -> None:
    """Ten millivolts of 50 Hz: hardly anything from sample to sample, five times the noise in all."""
    time_s, travel = sweeps(3, rate_hz=rate_hz)
    hum = 0.010 * np.sin(2 * np.pi * 50.0 * time_s + 0.3)
    lines = {"tps1_v": volts(travel, noise_v=0.002) + hum, "vref_v": np.full(time_s.size, 5.0) + hum}
    assert analyse(recording(time_s, **lines)).examination.findings == ()


def test_the_noise_of_a_hum_is_its_deviation_and_white_noise_has_no_hum() -> None:
    """A sine of amplitude a has a deviation of a / sqrt(2) (any textbook); twice that is safe."""
    time_s = np.arange(0.0, 10.0, 0.001)
    white = np.random.default_rng(4).normal(0.0, 0.1, time_s.size)
    assert noise_and_hum(white, 0.001) == pytest.approx(0.1, rel=0.08)
    assert noise(np.sin(2 * np.pi * 50.0 * time_s)) < 0.1
    found = noise_and_hum(white / 10.0 + np.sin(2 * np.pi * 50.0 * time_s), 0.001)
    assert 0.7 < found < 1.5
    # Slow enough a sampling shows a hum from sample to sample: no stride is needed, none is taken.
    assert noise_and_hum(white, 0.02) == noise(white)


# -- motion ---------------------------------------------------------------------------------------


@pytest.mark.parametrize("tracks", [1, 2])
@pytest.mark.parametrize(("rate_hz", "fall_s"), [(1000.0, 0.08), (5000.0, 0.1), (10_000.0, 0.14)])
def test_a_plate_that_strikes_its_stop_and_leaps_back_is_no_fault(
    rate_hz: float, fall_s: float, tracks: int
) -> None:
    """It leaps by one or two percent and lands again, quicker than it could be driven."""
    strokes = (Stroke(100.0, 0.9, 0.4, Law.MOTOR), Stroke(0.0, fall_s, 0.8, Law.SPRING)) * 12
    time_s, travel = follow(strokes, rate_hz, np.random.default_rng(4), trembling=0.0)
    lines = {
        "tps1_v": volts(travel, noise_v=0.003),
        "tps2_v": 5.0 - volts(travel, noise_v=0.003, seed=2),
    }
    made = recording(time_s, **dict(list(lines.items())[:tracks]))
    assert analyse(made).examination.findings == ()


def test_a_wire_that_floats_just_beside_the_stop_is_told_though_a_plate_may_leap_so_far() -> None:
    """At rest nothing has struck the stop: what leaves it by two percent and comes back left alone."""
    strokes = (Stroke(100.0, 0.9, 0.4), Stroke(0.0, 0.9, 1.5)) * 4
    time_s, travel = follow(strokes, 200.0, np.random.default_rng(5), trembling=0.0)
    track = volts(travel, noise_v=0.003)
    for start in (3.4, 7.2, 10.9):
        track[(time_s >= start) & (time_s < start + 0.03)] += 0.08
    found = analyse(recording(time_s, tps1_v=track)).examination.findings
    assert [f.kind for f in found] == ["drop"] * 3


@pytest.mark.parametrize(
    ("kind", "seed"),
    [
        ("healthy, ignition spikes", 300_024), ("healthy, ignition spikes", 300_027),
        ("healthy, ignition spikes", 300_029), ("healthy, ignition spikes", 400_017),
        ("healthy, polled and snapped", 300_025), ("healthy, polled and snapped", 400_008),
        ("healthy, polled and snapped", 400_017), ("healthy, polled and snapped", 500_012),
        ("healthy, read in turn", 300_027), ("healthy, read in turn", 300_028),
        ("healthy, fast capture", 300_023), ("healthy, fast capture", 300_028),
        ("healthy, snapped", 400_021), ("throttle that stops half way", 400_009),
        ("bent track", 500_010), ("bent track, with the command", 95_004),
    ],
)  # fmt: skip
def test_what_spikes_snaps_and_reading_in_turn_make_of_a_sound_track_is_no_fault(
    kind: str, seed: int
) -> None:
    """Spikes that follow each other; strokes that begin and end between two readings; chance; a bend
    that falls as steeply as the travel rises, where the track does stand."""
    found = analyse(hard_case(kind, seed).recording).examination.findings
    assert [f.text for f in found if not isinstance(f, Disagreement)] == []


# -- one fault, told once -----------------------------------------------------------------------


@pytest.mark.parametrize(("rate_hz", "worst"), [(20.0, 9.0), (50.0, 12.0), (100.0, 14.0)])
def test_a_steep_bend_is_told_once_and_as_what_it_is(rate_hz: float, worst: float) -> None:
    """Where its slope is that of the travel, the bent track does stand; it is no worn spot for that."""
    time_s, travel = sweeps(6, seconds=3.013, rate_hz=rate_hz)
    bend = worst * np.sin(np.pi * np.clip((travel - 30.0) / 30.0, 0.0, 1.0)) ** 2
    lines = {
        "tps1_v": volts(travel, noise_v=0.003),
        "tps2_v": 5.0 - volts(travel + bend, noise_v=0.003, seed=2),
    }
    (found,) = analyse(recording(time_s, **lines)).examination.findings
    assert isinstance(found, Disagreement)
    assert found.worst_pct == pytest.approx(worst, abs=2.5)


@pytest.mark.parametrize("tracks", [1, 2])
def test_a_rough_stretch_is_told_once_and_as_what_it_is(tracks: int) -> None:
    """Worn film reads low now and then: on the average over its edge the track seems to stand."""
    time_s, travel = sweeps(6, seconds=3.013, rate_hz=200.0)
    random = np.random.default_rng(8)
    rough = -np.abs(random.normal(0.0, 0.09, time_s.size)) * ((travel > 40.0) & (travel < 52.0))
    lines = {"tps1_v": volts(travel, noise_v=0.003) + rough}
    if tracks == 2:
        lines["tps2_v"] = 5.0 - volts(travel, noise_v=0.003, seed=2)
    (found,) = analyse(recording(time_s, **lines)).examination.findings
    assert isinstance(found, Noise)
    assert found.channels == ("tps1_v",)
    assert found.travel_pct == pytest.approx((40.0, 52.0), abs=2.5)


def test_a_flat_casts_no_shadow_on_the_other_track() -> None:
    """While the first leaps to where it should be, the second moves by less than the first does."""
    time_s, travel = sweeps(7, seconds=2.513, rate_hz=1000.0)
    worn = np.where((travel > 41.0) & (travel < 47.0), 41.0, travel)
    lines = {"tps1_v": volts(worn, noise_v=0.003), "tps2_v": volts(travel, noise_v=0.003, seed=2)}
    spots = [
        f for f in analyse(recording(time_s, **lines)).examination.findings if isinstance(f, DeadSpot)
    ]
    assert [s.channels for s in spots] == [("tps1_v",)]


# -- seen slowly, read in turn ------------------------------------------------------------------

SNAPS = (
    *(Stroke(100.0, 0.12, 0.5), Stroke(0.0, 0.1, 1.6), Stroke(60.0, 1.0, 0.8), Stroke(0.0, 0.12, 1.5)),
    *(Stroke(35.0, 0.3, 0.7), Stroke(90.0, 0.1, 0.4), Stroke(0.0, 1.2, 1.6), Stroke(100.0, 1.5, 0.9)),
)


def polled(rate_hz: float, seed: int, *, stops_at: float = 100.0) -> Recording:
    """A throttle by wire, snapped, read through its control unit: eight bits, one after the other."""
    random = np.random.default_rng(seed)
    time_s, asked = follow((*SNAPS, Stroke(0.0, 0.1, 1.5)) * 3, 1000.0, random, start_pct=0.0)
    kept = float(np.exp(-1.0 / 80.0))
    is_at = np.minimum(lfilter([1.0 - kept], [1.0, -kept], asked), stops_at)
    steps = {"throttle_cmd_pct": 2.55, "throttle_pct": 2.55, "tps1_v": 51.0, "tps2_v": 51.0}
    shown = {
        "throttle_cmd_pct": 0.85 * asked,
        "throttle_pct": 2.0 + 0.83 * is_at,
        "tps1_v": 0.6 + 0.039 * is_at,
        "tps2_v": 4.4 - 0.039 * is_at,
    }
    ticks = np.arange(int(time_s[-1] * rate_hz))
    channels = []
    for number, (name, values) in enumerate(shown.items()):
        at = (ticks + number / len(shown) + random.uniform(0.0, 0.1, ticks.size)) / rate_hz
        read = np.round(np.interp(at, time_s, values) * steps[name]) / steps[name]
        channels.append(Channel(CHANNEL_KINDS[name], np.round(at, 3), read))
    return Recording(tuple(channels), (), "")


@pytest.mark.parametrize("rate_hz", [2.0, 4.0, 7.0, 10.0])
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_snaps_of_a_sound_throttle_read_in_turn_are_no_fault(rate_hz: float, seed: int) -> None:
    assert analyse(polled(rate_hz, seed)).examination.findings == ()


@pytest.mark.parametrize("rate_hz", [7.0, 15.0])
def test_a_throttle_that_stops_half_way_is_told_though_no_command_lasts(rate_hz: float) -> None:
    (found,) = analyse(polled(rate_hz, 4, stops_at=45.0)).examination.findings
    assert isinstance(found, Disagreement)
    assert "throttle_cmd_pct" in found.channels
    assert "opens no further" in found.text


def test_a_track_that_bends_is_told_against_slow_percent_only_where_timing_cannot() -> None:
    time_s, travel = sweeps(6, seconds=8.0, rate_hz=10.0)
    bend = 9.0 * np.exp(-(((travel - 55.0) / 12.0) ** 2))
    told = channel("throttle_pct", time_s, travel)
    passes = find_passes(time_s, travel)
    (found,) = nonlinear(course(time_s, volts(travel + bend)), told, passes)
    assert found.worst_pct == pytest.approx(9.0, abs=2.5)
    # The same as fast as a foot: from one reading to the next it goes over a third of its travel.
    quick_s, quick = sweeps(20, seconds=0.9, rate_hz=10.0)
    late = np.interp(quick_s - 0.06, quick_s, quick)
    told = channel("throttle_pct", quick_s, late)
    assert nonlinear(course(quick_s, volts(quick)), told, find_passes(quick_s, quick)) == ()


def test_a_lone_falling_track_is_known_by_what_is_reported_beside_it() -> None:
    """It rests closed no longer than open: by itself it might as well rise."""
    time_s, travel = sweeps(5, rate_hz=20.0)
    falling = course(time_s, 5.0 - volts(travel), "tps2_v")
    frame = learn_frame(falling, channel("throttle_pct", time_s, 2.0 + 0.8 * travel))
    assert frame.closed > 4.3
    assert frame.open < 0.7


def test_speed_is_that_of_a_steady_motion_at_uneven_instants() -> None:
    time_s = np.cumsum(np.random.default_rng(2).uniform(0.01, 0.09, 50))
    assert speed(-3.0 * time_s, time_s) == pytest.approx(np.full(50, 3.0))
    assert plain_course(channel("throttle_pct", time_s, 5.0 * time_s)).speed() == pytest.approx(5.0)


def test_a_track_of_a_slow_meter_is_not_believed_to_be_noisy_by_its_motion() -> None:
    """Two readings a second: the ends that were shown are not drawn inwards by what is motion."""
    time_s, travel = opened(6, 14.3, 2.0)
    frame = learn_frame(course(time_s, volts(travel)), None)
    assert frame.closed == pytest.approx(0.5, abs=0.1)
    assert frame.open == pytest.approx(4.5, abs=0.1)
