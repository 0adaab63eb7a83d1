"""Rests that repeat, and failures that all tracks share: one physical fact decides each recording.

Built sample by sample from the fact; common practice, no published source, where none is named.
"""

from dataclasses import replace

import numpy as np
import pytest

from nervus.domain.channel import FloatArray, Recording
from nervus.domain.finding import (
    DeadSpot,
    Disagreement,
    Drop,
    Finding,
    Noise,
    OffRest,
    OutOfRange,
    RestCause,
    Shape,
    Shared,
    SupplyFault,
    SupplyLine,
)
from nervus.domain.suspect import SuspectId
from nervus.judge.analyse import analyse
from nervus.signal.explained.feed_signs import Lines
from nervus.signal.instruments.key import key_off_spans
from nervus.signal.told.ranges import at_rail
from nervus.signal.told.rest import Rest, find_rests, off_rest
from signals import channel, recording, sweeps, volts
from test_line_cases import driven, of, told


def idled(
    rests: tuple[float, ...], rate_hz: float = 10.0, closes_s: float = 1.5
) -> tuple[FloatArray, FloatArray]:
    """Instants and percent: guided openings to 20 %, each closing slowly to one of the rests for 4 s."""
    at, travel, now = [0.0, 3.0], [rests[0], rests[0]], 3.0
    for rest in rests[1:]:
        for takes, place in ((1.5, 20.0), (1.0, 20.0), (closes_s, rest), (4.0, rest)):
            now += takes
            at.append(now)
            travel.append(place)
    time_s = np.arange(0.0, now, 1.0 / rate_hz)
    return time_s, np.interp(time_s, at, travel)


HOT = (0.0,) * 4 + (5.0,) * 5


def test_slow_closings_that_end_at_one_level_again_and_again_are_a_stop() -> None:
    time_s, travel = idled(HOT)
    (found,) = of(OffRest, told(time_s, tps1_v=volts(travel, noise_v=0.002)))
    assert found.rest_pct == pytest.approx(5.0, abs=0.4)
    assert found.cause is RestCause.UNKNOWN
    assert len(found.times_s) == 5


def test_a_hand_that_pauses_here_and_there_is_no_stop() -> None:
    time_s, travel = idled((0.0,) * 4 + (3.6, 5.4, 7.9, 2.4, 6.6))
    assert of(OffRest, told(time_s, tps1_v=volts(travel, noise_v=0.002))) == []


def test_air_that_did_not_rise_says_that_no_foot_holds_it() -> None:
    time_s, travel = idled((0.0,) * 3 + (4.0, 4.9))
    flow = 2.4 + 0.3 * np.maximum(travel - 6.0, 0.0)
    made = told(
        time_s, tps1_v=volts(travel, noise_v=0.002), rpm=np.full(time_s.size, 760.0), maf_gs=flow
    )
    (found,) = of(OffRest, made)
    assert found.cause is RestCause.SIGNAL


def test_a_unit_that_idles_by_the_plate_may_have_asked_for_it() -> None:
    """More air for a load is no open plate while the speed is held; one that sticks makes it rise."""
    time_s, travel = idled((1.0,) * 5 + (4.0,) * 5, closes_s=0.3)
    lines = {"tps1_v": volts(travel, noise_v=0.002)}
    both = lines | {"tps2_v": 5.0 - volts(travel, noise_v=0.002, seed=2)}
    flow = 2.0 + 0.5 * travel
    held, faster = np.full(time_s.size, 760.0), 760.0 + 90.0 * np.where(travel < 6.0, travel, 1.0)
    found = {
        (name, rpm is faster): of(OffRest, told(time_s, **tracks, rpm=rpm, maf_gs=flow))
        for name, tracks in (("cable", lines), ("unit", both))
        for rpm in (held, faster)
    }
    causes = {key: [(f.cause, f.confidence > 0.5) for f in told_of] for key, told_of in found.items()}
    assert causes == {
        ("cable", False): [(RestCause.PLATE, True)],
        ("cable", True): [(RestCause.PLATE, True)],
        ("unit", False): [(RestCause.UNKNOWN, False)],
        ("unit", True): [(RestCause.PLATE, True)],
    }
    text = found["unit", False][0].text
    assert "may have asked for it" in text
    assert "instead of 0.0 %" in text  # a middle just below the stop is no "-0.0"


def test_a_plate_rests_well_where_the_command_has_it() -> None:
    time_s, travel = idled((2.0,) * 4 + (7.0,) * 5, closes_s=0.3)
    lines = {"tps1_v": volts(travel, noise_v=0.002)}
    pedal = np.where(travel > 7.5, travel, 0.0)
    assert of(OffRest, told(time_s, **lines, pedal_pct=pedal, throttle_cmd_pct=travel)) == []
    stuck = told(time_s, **lines, pedal_pct=pedal, throttle_cmd_pct=np.where(travel > 7.5, travel, 2.0))
    assert len(of(OffRest, stuck)) == 1


def test_a_cold_engine_idles_higher() -> None:
    """A cam or the unit holds the plate further open until it is warm; hot and high is not that."""
    spans = [(10.0 * n, 10.0 * n + 5.0) for n in range(8)]
    cold_first = [Rest(s, 4.0 if n < 4 else 0.0, released=True, low=True) for n, s in enumerate(spans)]
    hot_first = [Rest(s, 0.0 if n < 4 else 4.0, released=True, low=True) for n, s in enumerate(spans)]
    time_s = np.arange(0.0, 90.0, 0.5)
    warming = Recording((channel("ect_c", time_s, np.interp(time_s, [0.0, 80.0], [15.0, 90.0])),))
    found = [
        off_rest(tuple(r), ("tps1_v",), warming, lambda *_: RestCause.PLATE)
        for r in (cold_first, hot_first)
    ]
    assert [len(f) for f in found] == [0, 1]


def test_a_pedal_by_its_own_tracks_tells_that_the_foot_holds_it() -> None:
    time_s, travel = idled(HOT, rate_hz=50.0)
    tps = {"tps1_v": volts(travel, noise_v=0.002), "tps2_v": 5.0 - volts(travel, noise_v=0.002, seed=2)}
    foot = np.clip(travel * 2.0, 0.0, 100.0)
    app = {"app1_v": volts(foot, noise_v=0.002, seed=3), "app2_v": volts(foot, seed=4) / 2.0}
    assert len(of(OffRest, told(time_s, **tps))) == 1
    assert of(OffRest, told(time_s, **tps, **app)) == []


# -- what all tracks share ------------------------------------------------------------------------


def test_key_off_without_a_recorded_supply_needs_the_battery_or_the_engine() -> None:
    time_s, travel = driven(40.0, 50.0)
    on = np.where((time_s > 18.0) & (time_s < 22.0), 0.0, 1.0)
    lines = {"tps1_v": volts(travel) * on, "tps2_v": (5.0 - volts(travel)) * on}
    assert key_off_spans(recording(time_s, **lines)) == ()
    assert key_off_spans(recording(time_s, **lines, batt_v=np.full(time_s.size, 13.0))) == ()
    ((start, end),) = key_off_spans(recording(time_s, **lines, batt_v=13.0 * on))
    assert start < 18.0
    assert end > 21.9
    assert end < 22.5
    assert told(time_s, **lines, batt_v=13.0 * on).examination.findings == ()


def interrupted(
    time_s: FloatArray, travel: FloatArray, factor: float, *, mirrored: bool
) -> dict[str, FloatArray]:
    """Two tracks read in turn; at eight instants the supply is a share of itself for 0.4 s."""
    lines = {}
    for number in (1, 2):
        at_s = time_s + (number - 1) * 0.4 * (time_s[1] - time_s[0])
        own = volts(np.interp(at_s, time_s, travel), noise_v=0.003, seed=number)
        own = 5.0 - own if mirrored and number == 2 else own / (1.0 if mirrored or number == 1 else 2.0)
        for start in np.linspace(6.0, time_s[-1] - 6.0, 8):
            own[(at_s >= start) & (at_s < start + 0.4)] *= factor
        lines[f"tps{number}_v"] = own
    return lines


@pytest.mark.parametrize("mirrored", [True, False])
def test_tracks_that_shrink_by_one_factor_share_a_poor_joint(mirrored: bool) -> None:  # noqa: FBT001
    """A divider fed with a share of its supply gives that share (textbook), read slowly."""
    time_s, travel = driven(110.0, 8.0, seed=4)
    made = told(time_s, **interrupted(time_s, 25.0 + 0.7 * travel, 0.22, mirrored=mirrored))
    found = of(Drop, made)
    assert len([d for d in found if d.shared is Shared.FEED]) >= 5
    assert made.judgement.suspects[0].id is SuspectId.SUPPLY_GROUND
    sound = told(time_s, **interrupted(time_s, 25.0 + 0.7 * travel, 1.0, mirrored=mirrored))
    assert sound.examination.findings == ()


def test_a_spike_on_the_supply_is_no_supply_that_left() -> None:
    time_s = np.arange(0.0, 4.0, 0.001)
    volt = np.full(time_s.size, 5.0)
    volt[2_030] = 3.8
    assert not Lines((channel("vref_v", time_s, volt),)).left((2.0, 2.06))
    volt[2_010:2_040] = 0.1
    assert Lines((channel("vref_v", time_s, volt),)).left((2.0, 2.06))
    lifted = np.where((time_s > 2.0) & (time_s < 2.05), 0.6, 0.02)
    assert Lines((channel("sgnd_v", time_s, lifted),)).left((2.0, 2.06))
    assert not Lines(()).left((2.0, 2.06))


def test_throttle_and_pedal_that_leave_at_once_are_one_drop_of_all_four() -> None:
    time_s, travel = driven(40.0, 100.0)
    tracks = [volts(travel, noise_v=0.003, seed=n) for n in range(4)]
    tracks[1], tracks[3] = 5.0 - tracks[1], tracks[3] / 2.0
    for start in (9.0, 18.0, 27.0, 33.0):
        for values in tracks:
            values[(time_s >= start) & (time_s < start + 0.06)] *= 0.01
    names = ("tps1_v", "tps2_v", "app1_v", "app2_v")
    made = told(time_s, **dict(zip(names, tracks, strict=True)))
    assert [d.channels for d in of(Drop, made)] == [names] * 4
    assert made.judgement.suspects[0].id is SuspectId.SUPPLY_GROUND
    assert "pedal go with them" in of(Drop, made)[0].text


def test_a_pedal_wire_is_not_laid_at_the_throttles_sensor() -> None:
    time_s, travel = driven(60.0, 100.0)
    app = volts(travel, noise_v=0.003)
    for start in (9.0, 20.0, 31.0, 45.0):
        app[(time_s >= start) & (time_s < start + 0.06)] = 0.0
    tps = {"tps1_v": volts(travel, seed=3), "tps2_v": 5.0 - volts(travel, seed=4)}
    made = told(time_s, **tps, app1_v=app, app2_v=volts(travel, noise_v=0.003, seed=2) / 2.0)
    chance = {s.id: s.probability for s in made.judgement.suspects}
    assert chance[SuspectId.SENSOR] < 0.05
    assert chance[SuspectId.PEDAL_SENSOR] + chance[SuspectId.WIRING] > 0.9


# -- percent has no rails, sisters, clocks --------------------------------------------------------


def test_wide_open_in_percent_is_no_drop_but_a_leap_to_the_end_and_back_is() -> None:
    time_s, travel = driven(90.0, 15.0, seed=6)
    place: FloatArray = 0.4 * travel
    place = np.maximum(place, np.interp(time_s, [50.0, 50.5, 51.2, 51.7], [0.0, 100.0, 100.0, 0.0]))
    assert of(Drop, told(time_s, tps1_pct=place, tps2_pct=place.copy())) == []
    still: FloatArray = np.random.default_rng(1).choice([8.0, 8.4], time_s.size)
    for start in (20.0, 31.0, 47.0, 66.0):
        still[(time_s > start) & (time_s < start + 0.3)] = 100.0
    found = of(Drop, told(time_s, tps1_pct=still, tps2_pct=still.copy()))
    assert len(found) == 4


def test_a_sister_that_was_off_is_no_witness_of_a_track_at_its_end() -> None:
    time_s = np.arange(0.0, 10.0, 0.05)
    off = (time_s > 4.0) & (time_s < 4.6)
    made = recording(time_s, tps1_pct=np.zeros(time_s.size), tps2_pct=np.where(off, 100.0, 0.0))
    assert [f.channels for f in at_rail(made, 5.0)] == [("tps1_pct",)]
    assert at_rail(made, 5.0, {"tps2_pct": ((4.0, 4.6),)}) == ()
    assert isinstance(at_rail(made, 5.0)[0], OutOfRange)


def test_clocks_that_are_apart_bend_no_line_of_an_offset_pair() -> None:
    """Forty readings a second, the second logger a quarter of a second late and drifting."""
    time_s, travel = driven(80.0, 40.0, seed=2)
    one, two = volts(travel, noise_v=0.003), volts(0.94 * travel, noise_v=0.003, seed=2) + 0.2
    late = time_s + 0.26 + 0.0009 * time_s
    made = analyse(Recording((channel("tps1_v", time_s, one), channel("tps2_v", late, two))))
    assert made.examination.findings == ()


def test_a_track_that_drifts_away_from_an_offset_sister_is_told() -> None:
    time_s, travel = sweeps(10)
    two = volts(0.94 * travel, noise_v=0.002, seed=2) + 0.2
    two = two + 0.6 * np.clip((time_s - 15.0) / 25.0, 0.0, 1.0)
    (found,) = of(Disagreement, told(time_s, tps1_v=volts(travel, noise_v=0.002), tps2_v=two))
    assert found.times_s[-1][1] > 35.0
    assert found.worst_pct > 8.0


def test_a_throttle_that_lags_all_the_time_does_not_follow() -> None:
    time_s, asked = driven(90.0, 12.0, seed=3)
    asked = 5.0 + 0.9 * asked
    now, late = asked[0], []
    for value in asked:
        now += (value - now) * (1.0 - np.exp(-1.0 / 12.0 / 0.9))
        late.append(now)
    made = told(time_s, tps1_pct=np.asarray(late), throttle_cmd_pct=asked)
    (found,) = of(Disagreement, made)
    assert made.judgement.suspects[0].id is SuspectId.THROTTLE_BODY
    assert found.worst_pct > 15.0
    assert of(Disagreement, told(time_s, tps1_pct=asked.copy(), throttle_cmd_pct=asked)) == []


# -- worn places ----------------------------------------------------------------------------------


def test_a_wiper_that_sticks_stands_at_either_end_by_the_way_it_goes() -> None:
    time_s, travel = sweeps(8, rate_hz=100.0)
    opens = np.gradient(travel) > 0.0
    inside = (travel > 40.0) & (travel < 44.0)
    stuck = np.where(inside, np.where(opens, 40.0, 44.0), travel)
    made = told(time_s, tps1_v=volts(stuck, noise_v=0.001), tps2_v=5.0 - volts(travel, seed=2))
    spots = of(DeadSpot, made)
    assert [s.shape for s in spots] == [Shape.FLAT]
    assert spots[0].travel_pct == pytest.approx((40.0, 44.0), abs=1.2)


def test_a_place_that_is_rough_in_some_passes_is_rough() -> None:
    time_s, travel = sweeps(20, seconds=6.0, rate_hz=125.0)
    random = np.random.default_rng(1)
    sweep = (time_s / 3.0).astype(int)
    hit = (travel > 30.0) & (travel < 38.0) & np.isin(sweep % 5, (0, 3))
    made = volts(travel, noise_v=0.002)
    made[hit] += random.normal(0.0, 0.12, int(hit.sum()))
    (found,) = of(Noise, told(time_s, tps1_v=made))
    assert found.travel_pct == pytest.approx((30.0, 38.0), abs=2.5)
    assert found.rms > 5.0 * found.usual_rms
    assert of(Noise, told(time_s, tps1_v=volts(travel, noise_v=0.002))) == []


def test_the_way_back_from_a_lasting_difference_is_no_drop() -> None:
    time_s, travel = sweeps(8, rate_hz=1000.0, seconds=4.0)
    off = (time_s > 9.0) & (time_s < 16.05)
    two = volts(travel, noise_v=0.003, seed=2)
    two[off] -= 0.5
    made = told(time_s, tps1_v=volts(travel, noise_v=0.003), tps2_v=two)
    assert of(Drop, made) == []
    (found,) = of(Disagreement, made)
    assert found.times_s[0] == pytest.approx((9.0, 16.0), abs=0.4)


def _mirrored(first: FloatArray, second: FloatArray, time_s: FloatArray) -> list[Finding]:
    return list(analyse(recording(time_s, tps1_v=first, tps2_v=second)).examination.findings)


def _sagging(low: float) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray]:
    """Instants, both mirrored tracks with rests at the stops, and a supply that sags now and then."""
    time_s, travel = sweeps(12, seconds=5.0)
    travel = np.clip(1.6 * travel - 30.0, 0.0, 100.0)
    share = 1.0 - (1.0 - low) * np.clip(np.sin(2 * np.pi * time_s / 7.3), 0.0, 1.0)
    one, two = 0.5 + 0.04 * travel, 4.5 - 0.04 * travel
    noise = np.random.default_rng(3).normal(0.0, 0.003, (2, time_s.size))
    return time_s, one + noise[0], two + noise[1], share


def test_a_supply_that_sags_within_its_tolerance_is_no_track_that_is_off() -> None:
    """Nobody recorded it: at the stops both shrink by one factor (tracks are shares of it)."""
    time_s, one, two, share = _sagging(0.96)
    assert _mirrored(one * share, two * share, time_s) == []


def test_a_supply_that_sags_further_is_told_as_the_supply() -> None:
    time_s, one, two, share = _sagging(0.90)
    (found,) = _mirrored(one * share, two * share, time_s)
    assert isinstance(found, SupplyFault)
    assert found.level_v == pytest.approx(4.5, abs=0.05)
    assert found.where is SupplyLine.EITHER
    # Half of 10 % is the tolerance: it is out of it from a twelfth of each swing to five twelfths.
    assert found.times_s[0] == pytest.approx((7.3 / 12.0, 7.3 * 5.0 / 12.0), abs=0.12)
    assert len(found.times_s) == 9


@pytest.mark.parametrize("which", [0, 1])
def test_one_track_that_shrinks_alone_is_off_as_ever(which: int) -> None:
    time_s, one, two, share = _sagging(0.90)
    tracks = [one * share, two] if which == 0 else [one, two * share]
    assert [type(f) for f in _mirrored(tracks[0], tracks[1], time_s)] == [Disagreement]


def test_without_a_stop_nothing_tells_a_sag_from_a_track_that_is_off() -> None:
    time_s, travel = sweeps(12, seconds=5.0)
    share = 1.0 - 0.08 * np.clip(np.sin(2 * np.pi * time_s / 7.3), 0.0, 1.0)
    one, two = 1.5 + 0.02 * travel, 3.5 - 0.02 * travel
    assert [type(f) for f in _mirrored(one * share, two * share, time_s)] == [Disagreement]


def test_a_recorded_supply_that_is_steady_is_not_said_to_sag() -> None:
    """What was measured beside them counts; both tracks off by one factor is then what it looks like."""
    time_s, one, two, share = _sagging(0.90)
    made = recording(time_s, tps1_v=one * share, tps2_v=two * share, vref_v=np.full(time_s.size, 5.0))
    kinds = [type(f) for f in analyse(made).examination.findings]
    assert kinds == [Disagreement]


def hunted(up_s: float) -> tuple[FloatArray, FloatArray]:
    """An idle that goes up within `up_s`, stays for a second, and comes back, again and again."""
    at, travel, now = [0.0], [1.0], 0.0
    for _ in range(8):
        for takes, place in ((1.2, 1.0), (up_s, 4.0), (1.2, 4.0), (0.4, 8.0), (0.4, 1.0)):
            now += takes
            at.append(now)
            travel.append(place)
    time_s = np.arange(0.0, now, 0.05)
    return time_s, np.interp(time_s, at, travel)


def test_no_release_opens_a_throttle() -> None:
    """From 1 to 4 % and on: no spring brought it to 4 %, however often it is there."""
    time_s, travel = hunted(0.4)
    rests = find_rests(time_s, travel, Recording(()))
    high = [r for r in rests if r.percent == pytest.approx(4.0, abs=0.5)]
    assert len(high) == 8
    assert all(r.opened for r in high)
    assert not any(r.opened for r in rests if r.percent == pytest.approx(1.0, abs=0.3))
    assert off_rest(rests, ("tps1_v",), Recording(()), lambda *_: RestCause.UNKNOWN) == ()
    closed = tuple(replace(r, opened=False, released=r.opened) for r in rests)
    assert len(off_rest(closed, ("tps1_v",), Recording(()), lambda *_: RestCause.UNKNOWN)) == 1
    turns = tuple(replace(r, swings=True) for r in closed)
    assert off_rest(turns, ("tps1_v",), Recording(()), lambda *_: RestCause.UNKNOWN) == ()
