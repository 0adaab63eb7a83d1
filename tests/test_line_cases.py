"""Whole recordings in which one physical fact decides, and what is to be told of each.

The recordings are built here, sample by sample, from the fact and nothing else; the facts are common
practice, no published source, where no source is named.
"""

import numpy as np
import pytest

from nervus.domain.analysis import Analysis, Verdict
from nervus.domain.channel import FloatArray, Recording
from nervus.domain.finding import DeadSpot, Disagreement, Drop, Floor, Shape, Shared, SupplyFault
from nervus.domain.suspect import SuspectId
from nervus.judge.analyse import analyse
from signals import channel, recording, volts


def driven(seconds: float, rate_hz: float, seed: int = 0) -> tuple[FloatArray, FloatArray]:
    """Instants, and a foot that goes to places and rests there."""
    random = np.random.default_rng(seed)
    time_s = np.arange(0.0, seconds, 1.0 / rate_hz)
    parts, place, count = [], 0.0, 0
    while count < time_s.size:
        target = float(random.choice([0.0, random.uniform(20.0, 95.0), 100.0]))
        takes = max(5, int(abs(target - place) / random.uniform(40.0, 120.0) * rate_hz))
        eased = 0.5 - 0.5 * np.cos(np.pi * np.arange(takes) / takes)
        rests = int(random.uniform(0.3, 1.5) * rate_hz)
        parts += [place + (target - place) * eased, np.full(rests, target)]
        count, place = count + takes + rests, target
    return time_s, np.concatenate(parts)[: time_s.size]


def pair(travel: FloatArray) -> tuple[FloatArray, FloatArray]:
    return volts(travel, noise_v=0.004), 5.0 - volts(travel, noise_v=0.004, seed=2)


def told(time_s: FloatArray, **lines: FloatArray) -> Analysis:
    return analyse(recording(time_s, **lines))


def of(kind: type, made: Analysis) -> list:  # type: ignore[type-arg]
    return [f for f in made.examination.findings if isinstance(f, kind)]


# -- what the instrument does ---------------------------------------------------------------------


@pytest.mark.parametrize("drops", [False, True])
def test_two_loggers_whose_clocks_are_apart_and_drift_are_read_on_one(drops: bool) -> None:  # noqa: FBT001
    time_s, travel = driven(60.0, 100.0)
    one, two = pair(travel)
    starts = (10.0, 22.0, 31.0, 40.0, 52.0) if drops else ()
    for start in starts:
        two[(time_s > start) & (time_s < start + 0.05)] = 0.02
    late_s = time_s + 0.213 + 0.0008 * time_s
    made = analyse(Recording((channel("tps1_v", time_s, one), channel("tps2_v", late_s, two))))
    assert [f.channels for f in made.examination.findings] == [("tps2_v",)] * len(starts)
    # Told by the clock of the logger that wrote it.
    for found, start in zip(made.examination.findings, starts, strict=True):
        assert found.times_s[0][0] == pytest.approx(start + 0.213 + 0.0008 * start, abs=0.025)


def test_samples_that_share_a_stamp_are_several_samples() -> None:
    """200 readings a second, the time written in steps of 10 ms."""
    time_s, travel = driven(40.0, 200.0)
    one = volts(travel, noise_v=0.004)
    for start in (5.0, 9.0, 17.0, 23.0, 33.0):
        one[(time_s > start) & (time_s < start + 0.03)] = 0.02
    made = analyse(Recording((channel("tps1_v", np.floor(time_s * 100.0 + 1e-6) / 100.0, one),)))
    assert len(of(Drop, made)) == 5
    assert made.examination.coverage.shortest_event_s == pytest.approx(0.005, abs=0.001)


def test_a_supply_that_sags_within_tolerance_takes_the_tracks_with_it() -> None:
    """A potentiometer is ratiometric: 4 % less supply is 4 % less signal, and no difference."""
    time_s, travel = driven(60.0, 100.0)
    supply = 5.0 - 0.2 * np.clip((time_s - 20.0) / 10.0, 0.0, 1.0) * (time_s < 45.0)
    one, two = (line * supply / 5.0 for line in pair(travel))
    assert told(time_s=time_s, tps1_v=one, tps2_v=two, vref_v=supply).examination.findings == ()


@pytest.mark.parametrize("most", [99.6, 100.0])
def test_a_unit_s_percent_ends_at_its_hundred_and_is_told_as_percent(most: float) -> None:
    time_s, travel = driven(60.0, 20.0)
    told_pct = np.round(np.clip(travel, 0.0, most) * 2.55) / 2.55
    assert told(time_s=time_s, tps1_pct=told_pct, rpm=800.0 + 30.0 * travel).examination.findings == ()
    raw = np.round((10.0 + 0.8 * travel) * 2.55) / 2.55
    sister = np.round((90.0 - 0.8 * travel) * 2.55) / 2.55
    raw[300:303] = 0.0
    (drop,) = of(Drop, told(time_s=time_s, tps1_pct=raw, tps2_pct=sister))
    assert (drop.level, str(drop.unit), drop.floor) == (0.0, "%", Floor.GROUND)
    assert " V" not in drop.text
    assert "0.0 %" in drop.text


# -- what all tracks share ------------------------------------------------------------------------


def gone(seconds: float) -> dict[str, FloatArray]:
    """Supply and both tracks gone for a while."""
    time_s, travel = driven(60.0, 100.0)
    one, two = pair(travel)
    supply = np.full(time_s.size, 5.0)
    for line, level in ((one, 0.02), (two, 0.02), (supply, 0.05)):
        line[(time_s > 30.0) & (time_s < 30.0 + seconds)] = level
    return {"time_s": time_s, "tps1_v": one, "tps2_v": two, "vref_v": supply}


def test_key_off_needs_a_witness_and_without_one_is_told_as_what_it_may_be() -> None:
    lines = gone(2.0)
    time_s = lines["time_s"]
    off = (time_s > 30.0) & (time_s < 32.0)
    assert told(**lines, batt_v=np.where(off, 11.0, 13.8)).examination.findings == ()
    running = told(**gone(2.0), rpm=np.full(time_s.size, 800.0))
    assert running.judgement.suspects[0].id is SuspectId.SUPPLY_GROUND
    assert [d.shared for d in of(Drop, running)] == [Shared.FEED]
    (doubt,) = told(**gone(2.0)).examination.findings
    assert isinstance(doubt, SupplyFault)
    assert doubt.confidence < 0.5
    assert "the key was off, or the supply is shorted" in doubt.text


def test_a_contactless_sensor_that_drops_out_seen_slowly_is_told_by_the_command() -> None:
    """Fourteen readings a second: both tracks at 54 % for four readings while 16 % is asked for."""
    time_s, travel = driven(90.0, 14.0, seed=3)
    shown = np.interp(time_s - 0.1, time_s, travel)
    starts = np.linspace(60, time_s.size - 60, 7).astype(int)
    for start in starts:
        shown[start : start + 4] = 54.0
    percent = np.round((10.0 + 0.8 * shown) * 2.55) / 2.55
    made = told(time_s=time_s, tps1_pct=percent, tps2_pct=percent.copy(), throttle_cmd_pct=travel)
    found = of(Drop, made)
    # While it is moved fast four readings at a place on the way tell nothing.
    assert len(found) >= 4
    assert {d.channels for d in found} == {("tps1_pct", "tps2_pct")}
    assert {d.shared for d in found} == {Shared.ELECTRONICS}
    assert made.judgement.suspects[0].id is SuspectId.SENSOR
    sound = np.round((10.0 + 0.8 * np.interp(time_s - 0.1, time_s, travel)) * 2.55) / 2.55
    healthy = told(time_s=time_s, tps1_pct=sound, tps2_pct=sound.copy(), throttle_cmd_pct=travel)
    assert healthy.examination.findings == ()


def test_a_scratch_over_both_tracks_is_a_place_first() -> None:
    time_s, travel = driven(90.0, 200.0)
    one, two = pair(travel)
    worn = (travel > 33.0) & (travel < 35.0)
    one[worn] = two[worn] = 0.03
    made = told(time_s=time_s, tps1_v=one, tps2_v=two)
    (spot,) = made.examination.findings
    assert isinstance(spot, DeadSpot)
    assert spot.channels == ("tps1_v", "tps2_v")
    assert spot.travel_pct == pytest.approx((33.0, 35.0), abs=0.6)
    assert made.examination.locality.verdict is Verdict.POSITION
    assert made.judgement.suspects[0].id is SuspectId.SENSOR


# -- the pedal ------------------------------------------------------------------------------------


def pedal_lines() -> dict[str, FloatArray]:
    time_s, travel = driven(60.0, 100.0, seed=2)
    throttle = pair(travel)
    return {
        "time_s": time_s, "tps1_v": throttle[0], "tps2_v": throttle[1],
        "app1_v": 0.8 + 0.03 * travel + np.random.default_rng(7).normal(0, 0.003, time_s.size),
        "app2_v": 0.4 + 0.015 * travel + np.random.default_rng(8).normal(0, 0.003, time_s.size),
        "travel": travel,
    }  # fmt: skip


def test_a_worn_pedal_track_is_the_pedal_sensor_s() -> None:
    lines = pedal_lines()
    travel = lines.pop("travel")
    assert told(**lines).examination.findings == ()
    lines["app2_v"][(travel > 42.0) & (travel < 45.0)] = 0.02
    made = told(**lines)
    (spot,) = made.examination.findings
    assert isinstance(spot, DeadSpot)
    assert (spot.channels, spot.shape) == (("app2_v",), Shape.DROP)
    assert spot.travel_pct == pytest.approx((42.0, 45.0), abs=0.8)
    assert "pedal track 2" in spot.text
    assert made.judgement.suspects[0].id is SuspectId.PEDAL_SENSOR


def test_a_pedal_track_that_leaves_its_sister_is_told() -> None:
    lines = pedal_lines()
    del lines["travel"]
    lines["app1_v"][lines["time_s"] > 25.0] += 0.25
    (found,) = told(**lines).examination.findings
    assert isinstance(found, Disagreement)
    assert found.channels == ("app1_v", "app2_v")
    # It began sound: what lasts longer is not what is right.
    assert found.times_s[0][0] == pytest.approx(25.0, abs=0.1)


# -- levels, floors and places --------------------------------------------------------------------


@pytest.mark.parametrize(
    ("level_v", "floor"),
    [(0.0, Floor.GROUND), (0.03, Floor.GROUND), (1.4, Floor.INTERMEDIATE), (3.7, Floor.INTERMEDIATE),
     (4.97, Floor.SUPPLY)],
)  # fmt: skip
@pytest.mark.parametrize("number", [1, 2])
def test_level_floor_track_and_place_of_a_drop_are_those_planted(
    level_v: float, floor: Floor, number: int
) -> None:
    time_s, travel = driven(60.0, 200.0, seed=number)
    lines = dict(zip(("tps1_v", "tps2_v"), pair(travel), strict=True))
    name = f"tps{number}_v"
    starts = (6.0, 15.0, 24.0, 33.0, 48.0)
    for start in starts:
        lines[name][(time_s > start) & (time_s < start + 0.04)] = level_v
    made = told(time_s=time_s, **lines)
    found = [d for d in of(Drop, made) if d.channels == (name,)]
    # Where a track is at that level anyway there is little to see.
    own = 0.5 + 0.04 * np.interp(starts, time_s, travel)
    own = own if number == 1 else 5.0 - own
    visible = [s for s, v in zip(starts, own, strict=True) if abs(v - level_v) > 0.4]
    assert len(visible) >= 3
    assert len(visible) <= len(found) == len(of(Drop, made)) <= len(starts)
    for drop in found:
        start = min(starts, key=lambda s: abs(s - drop.times_s[0][0]))
        assert drop.times_s[0] == pytest.approx((start, start + 0.04), abs=0.011)
        assert drop.level == pytest.approx(level_v, abs=0.03)
        assert drop.floor is floor
        assert drop.at_travel_pct == pytest.approx(
            float(np.interp(start + 0.02, time_s, travel)), abs=2.5
        )
        assert drop.shared is Shared.SIGNAL


@pytest.mark.parametrize("sister", [False, True])
@pytest.mark.parametrize(("place", "height"), [((34.0, 36.5), 1.2), ((71.0, 75.0), 2.0)])
def test_a_small_step_in_most_passes_is_found_where_it_is(
    place: tuple[float, float],
    height: float,
    sister: bool,  # noqa: FBT001
) -> None:
    """1.2 % at 100 readings a second: a hand could do it once, and not there each time."""
    time_s, travel = driven(70.0, 100.0, seed=5)
    stepped = travel - height * ((travel > place[0]) & (travel < place[1]))
    one = volts(stepped, noise_v=0.003)
    lines = {"tps1_v": one, **({"tps2_v": pair(travel)[1]} if sister else {})}
    (spot,) = told(time_s=time_s, **lines).examination.findings
    assert isinstance(spot, DeadSpot)
    assert (spot.channels, spot.shape) == (("tps1_v",), Shape.STEP)
    assert spot.travel_pct == pytest.approx(place, abs=0.8)
    assert spot.seen_in >= 0.4 * spot.crossed


# -- marks, bouts, causes -------------------------------------------------------------------------


def test_a_bout_is_one_proof_and_a_place_is_proved_by_crossings() -> None:
    """From one event the exact test asks for 19 times the time (Przyborowski and Wilenski, 1940)."""
    time_s, travel = driven(80.0, 100.0)
    one = volts(travel, noise_v=0.004)
    for start in np.random.default_rng(5).uniform(40.0, 44.0, 21):
        one[(time_s > start) & (time_s < start + 0.02)] = 0.02
    made = told(time_s=time_s, tps1_v=one)
    assert f"{19 * 80 / 60:.0f} min as here without one would prove it" in made.examination.coverage.text
    scarred = volts(travel, noise_v=0.004)
    scarred[(travel > 30.0) & (travel < 33.0)] = 0.02
    text = told(time_s=time_s, tps1_v=scarred).examination.coverage.text
    assert "passes over the place without it would prove it" in text


def test_drops_of_one_wire_are_one_group_and_a_worn_place_is_another() -> None:
    time_s, travel = driven(90.0, 200.0)
    one, two = pair(np.where((travel > 40.0) & (travel < 43.0), 40.0, travel))[0], pair(travel)[1]
    for start in (5.1, 21.3, 30.3, 45.3, 61.6, 69.5):
        two[(time_s > start) & (time_s < start + 0.04)] = 0.02
    made = told(time_s=time_s, tps1_v=one, tps2_v=two)
    assert {f.group for f in of(Drop, made)} == {of(Drop, made)[0].group}
    (flat,) = of(DeadSpot, made)
    assert (flat.channels, flat.shape) == (("tps1_v",), Shape.FLAT)
    assert flat.group not in {"", of(Drop, made)[0].group}
    assert {d.channels for d in of(Drop, made)} == {("tps2_v",)}


def test_a_ramp_of_the_command_is_followed_though_a_little_late() -> None:
    time_s = np.arange(0.0, 60.0, 0.01)
    asked = 50.0 - 50.0 * np.cos(2.0 * np.pi * time_s / 20.0)
    one, two = pair(np.interp(time_s - 0.15, time_s, asked))
    assert told(time_s=time_s, tps1_v=one, tps2_v=two, throttle_cmd_pct=asked).examination.findings == ()


def test_a_track_that_drifts_away_is_told_with_how_far_one_odd_reading_or_not() -> None:
    time_s, travel = driven(90.0, 50.0)
    drift = np.clip((time_s - 30.0) / 60.0, 0.0, 1.0) * 5.0
    one, two = pair(travel)[0], pair(travel + drift)[1]
    two[3500] = 4.9
    made = told(time_s=time_s, tps1_v=one, tps2_v=two)
    (differ,) = of(Disagreement, made)
    assert differ.worst_pct == pytest.approx(5.0, abs=0.4)
    assert differ.times_s[0][0] > 45.0
