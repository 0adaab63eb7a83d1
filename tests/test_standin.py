"""The stand-in: what it plants is where it says, and the same seed gives the same recording."""

from pathlib import Path

import numpy as np
import pytest

from nervus.circuit.sensor import SensorCircuit
from nervus.domain.finding import Shape
from nervus.files import read_recording
from nervus.files.recording_writer import write_recording
from nervus.standin.capture import CABLE, HALF, OPPOSITE, Sampler, simulate, without_supply
from nervus.standin.demo import CASES, case_named
from nervus.standin.faults import BentTrack, LooseLine, RoughPlace, WornPlace, broken, table_of, volts_at
from nervus.standin.hard_cases import MAKERS, hard_case
from nervus.standin.motion import Law, Stroke, follow, hand_sweeps, pedal_sweeps

QUIET = Sampler(rate_hz=200.0, bits=16, noise_v=0.0)
STROKES = (Stroke(100.0, 2.0, 0.5), Stroke(0.0, 2.0, 0.5)) * 3


def values(circuit: SensorCircuit, *faults: object, sampler: Sampler = QUIET) -> dict[str, np.ndarray]:
    made = simulate(circuit, STROKES, sampler, seed=4, faults=faults)  # type: ignore[arg-type] # faults of any kind
    return {"travel": made.percent, **{c.id: c.values for c in made.recording.channels}}


def test_a_stroke_is_the_smoothest_one_and_ends_where_it_should() -> None:
    """Source: T. Flash, N. Hogan (1985): minimum jerk, x = 10 s^3 - 15 s^4 + 6 s^5; half way at half
    time, with the highest speed of 1.875 D / T there."""
    random = np.random.default_rng(1)
    time_s, percent = follow((Stroke(80.0, 1.0, 1.0),), 1000.0, random, trembling=0.0)
    moving = (time_s >= 0.8) & (time_s < 1.8)
    assert percent[moving][500] == pytest.approx(40.0, abs=0.2)
    assert np.max(np.diff(percent[moving])) * 1000 == pytest.approx(1.875 * 80.0, rel=0.01)
    assert percent[-1] == 80.0
    assert percent[0] == 0.0


def moved(law: Law, *, rate_hz: float = 10_000.0) -> tuple[np.ndarray, np.ndarray]:
    """A stroke from 100 to 0 within 0.1 s, and what comes after it, from when it begins."""
    random = np.random.default_rng(1)
    strokes = (Stroke(0.0, 0.1, 0.2, law),)
    time_s, percent = follow(strokes, rate_hz, random, start_pct=100.0, trembling=0.0)
    begun = time_s >= 0.8
    return time_s[begun] - 0.8, percent[begun]


def test_a_released_plate_falls_evenly_quicker_strikes_its_stop_and_leaps_back() -> None:
    """Constant force: x = D (t / T)^2, striking with 2 D / T. With the share e of that speed left it
    leaps by e^2 D and is back after 2 e T (restitution, any textbook of mechanics)."""
    time_s, percent = moved(Law.SPRING)
    assert 100.0 - percent[500] == pytest.approx(25.0, abs=0.2)
    assert (percent[999] - percent[989]) / 0.001 == pytest.approx(-2.0 * 100.0 / 0.1, rel=0.02)
    leap = percent[time_s >= 0.1]
    assert leap.max() == pytest.approx(0.12**2 * 100.0, rel=0.02)
    assert np.flatnonzero(leap > 1e-6)[-1] * 1e-4 == pytest.approx(2.0 * 0.12 * 0.1, rel=0.02)


def test_a_motor_is_driven_one_way_then_the_other_and_comes_to_rest() -> None:
    """V' + v / tau is one constant while it is driven, its negative while it is braked (a motor at full
    voltage: any textbook of control), and nothing else."""
    time_s, percent = moved(Law.MOTOR)
    speed = np.gradient(percent, time_s)
    drive = (np.gradient(speed, time_s) + speed / 0.02)[5:990]
    turned = int(np.argmax(drive > 0.0))
    assert np.ptp(drive[: turned - 5]) < 0.01 * abs(drive[0])
    assert np.mean(drive[turned + 5 :]) == pytest.approx(-drive[0], rel=0.01)
    assert abs(speed[995]) < 0.03 * np.abs(speed).max()
    assert percent[-1] == 0.0


def test_a_careful_hand_halts_and_goes_on_and_arrives() -> None:
    random = np.random.default_rng(3)
    stroke = Stroke(100.0, 2.1, 0.2, Law.HALTING)
    time_s, percent = follow((stroke,), 1000.0, random, trembling=0.0)
    speed = np.diff(percent) / np.diff(time_s)
    assert (percent[0], percent[-1]) == (0.0, 100.0)
    assert speed.min() > -1e-9
    slows = np.flatnonzero((speed[1:-1] < speed[:-2]) & (speed[1:-1] < speed[2:]))
    assert 2 <= slows.size <= 5


def test_a_stroke_begins_and_ends_between_the_samples_of_a_slow_logger() -> None:
    strokes = (Stroke(100.0, 0.08, 0.4), Stroke(0.0, 0.08, 0.4)) * 30
    made = simulate(CABLE, strokes, Sampler(rate_hz=15.0, noise_v=0.0), seed=1)
    assert np.mean((made.percent > 2.0) & (made.percent < 98.0)) > 0.05


def test_sweeps_cover_the_travel_and_a_hand_trembles() -> None:
    random = np.random.default_rng(2)
    for strokes, lowest in ((hand_sweeps(4, random), 0.0), (pedal_sweeps(4, random), 6.0)):
        _, percent = follow(strokes, 200.0, random, start_pct=lowest)
        assert percent.min() == pytest.approx(lowest, abs=0.4)
        assert percent.max() > 95.0
    assert hand_sweeps(3, np.random.default_rng(5)) == hand_sweeps(3, np.random.default_rng(5))


def test_the_same_seed_gives_the_same_recording_and_noise_its_own_stream() -> None:
    one, two = (simulate(CABLE, STROKES, Sampler(), seed=3).recording for _ in range(2))
    for a, b in zip(one.channels, two.channels, strict=True):
        np.testing.assert_array_equal(a.values, b.values)
    loud = simulate(CABLE, STROKES, Sampler(noise_v=0.05), seed=3)
    quiet = simulate(CABLE, STROKES, Sampler(noise_v=0.0), seed=3)
    np.testing.assert_array_equal(loud.percent, quiet.percent)


def test_the_converter_has_its_steps_and_the_supply_its_volts() -> None:
    made = values(CABLE, sampler=Sampler(rate_hz=100.0, bits=8, noise_v=0.004))
    steps = np.unique(np.round(made["tps1_v"] / (5.0 / 256), 2))
    assert np.allclose(steps, np.round(steps), atol=0.02)
    assert np.median(made["vref_v"]) == pytest.approx(5.0, abs=0.02)


def test_polled_channels_carry_their_own_instants() -> None:
    made = simulate(OPPOSITE, STROKES, Sampler(rate_hz=20.0, polled_s=0.012), seed=1).recording
    first, second, supply = (c.time_s[0] for c in made.channels)
    assert (second - first, supply - first) == pytest.approx((0.012, 0.024))


@pytest.mark.parametrize("shape", list(Shape))
def test_a_worn_place_fails_where_it_is_and_nowhere_else(shape: Shape) -> None:
    made, sound = values(CABLE, WornPlace(1, (40.0, 45.0), shape)), values(CABLE)
    on = (made["travel"] > 40.5) & (made["travel"] < 44.5)
    off = (made["travel"] < 39.5) | (made["travel"] > 45.5)
    apart = np.abs(made["tps1_v"] - sound["tps1_v"])
    assert np.median(apart[on]) > 0.05
    assert apart[off].max() < 1e-3


def test_a_rough_place_is_rough_only_there_and_only_while_it_moves() -> None:
    made, sound = values(CABLE, RoughPlace(1, (20.0, 30.0), 0.05)), values(CABLE)
    apart = np.abs(made["tps1_v"] - sound["tps1_v"])
    on = (made["travel"] > 21) & (made["travel"] < 29)
    assert np.sqrt(np.mean(apart[on] ** 2)) == pytest.approx(0.05, rel=0.2)
    assert apart[(made["travel"] < 19) | (made["travel"] > 31)].max() < 1e-3


def test_a_bent_track_is_worst_in_the_middle_of_its_stretch() -> None:
    made, sound = values(OPPOSITE, BentTrack(2, (30.0, 70.0), 8.0)), values(OPPOSITE)
    apart = np.abs(made["tps2_v"] - sound["tps2_v"]) / 0.04
    worst = made["travel"][np.argmax(apart)]
    assert apart.max() == pytest.approx(8.0, abs=0.3)
    assert worst == pytest.approx(50.0, abs=5.0)
    assert np.abs(made["tps1_v"] - sound["tps1_v"]).max() == 0.0


@pytest.mark.parametrize("line", ["signal1", "signal2", "supply", "ground"])
def test_an_open_line_reads_what_the_circuit_says(line: str) -> None:
    """The level of a drop comes out of nodal analysis, with the contact fully open."""
    times = ((3.0, 3.4),)
    made = simulate(HALF, STROKES, QUIET, seed=4, faults=(LooseLine(line, times),))
    during = (made.time_s > 3.0) & (made.time_s < 3.4)
    for number in (1, 2):
        track = made.recording.get(f"tps{number}_v")
        assert track is not None
        table = table_of(broken(HALF, line), f"signal{number}")
        opened = volts_at(table, made.percent[during])
        sound = volts_at(table_of(HALF, f"signal{number}"), made.percent[during])
        reached = np.minimum(np.abs(track.values[during] - opened), np.abs(track.values[during] - sound))
        assert np.median(np.abs(track.values[during] - opened)) < 0.02
        assert np.quantile(reached, 0.7) < 0.05
    (planted,) = made.planted
    assert planted.times_s[0] == pytest.approx((3.0, 3.4), abs=0.03)


@pytest.mark.parametrize("kind", MAKERS)
def test_hard_cases_are_the_same_for_the_same_seed_and_know_their_truth(kind: str) -> None:
    one, two, other = hard_case(kind, 7), hard_case(kind, 7), hard_case(kind, 8)
    for a, b in zip(one.recording.channels, two.recording.channels, strict=True):
        np.testing.assert_array_equal(a.values, b.values)
    assert other.recording.duration_s != one.recording.duration_s
    assert bool(one.truth) is not kind.startswith("healthy")
    for true in one.truth:
        assert all(0.0 <= start <= end <= one.recording.end_s for start, end in true.times_s)


def test_demo_cases_are_named_and_written_whole(tmp_path: Path) -> None:
    assert case_named("") is CASES[0]
    assert case_named("healthy").id == "healthy"
    with pytest.raises(KeyError):
        case_named("none")
    recording = without_supply(CASES[1].make())
    assert recording.get("vref_v") is None
    write_recording(recording, tmp_path / "r.csv")
    again = read_recording(tmp_path / "r.csv")
    track, read = recording.get("tps1_v"), again.get("tps1_v")
    assert track is not None
    assert read is not None
    np.testing.assert_allclose(read.values, track.values, atol=1e-6)
    assert not (tmp_path / "r.csv.part").exists()
