"""What stands at one level while the shaft goes on, leaps off a stop, or comes back from a scale's end.

Each recording is built from the fact in its test (common practice, no published source, where none is
named).
"""

from dataclasses import replace

import numpy as np
import pytest

from nervus.domain.channel import FloatArray
from nervus.domain.finding import Disagreement, Drop, Finding, Floor, OffRest
from nervus.domain.suspect import SuspectId
from nervus.judge.analyse import analyse
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.explained.events import Cause, event_of
from nervus.signal.explained.feed import what_is_shared
from nervus.signal.explained.feed_signs import Lines
from nervus.signal.motion.course import course_of
from nervus.signal.motion.relation import Line, learn_line
from nervus.signal.told.sagging import find_sag
from nervus.signal.worn.locality import judge_locality
from signals import pair_of, recording, track, volts


def found_in(time_s: FloatArray, **lines: FloatArray) -> tuple[Finding, ...]:
    return analyse(recording(time_s, **lines)).examination.findings


def holds(rate_hz: float, *held: tuple[float, float]) -> tuple[FloatArray, FloatArray]:
    """Instants, and where a shaft was that is held at some places for so long each, quick between."""
    travel = np.concatenate([np.full(round(lasts * rate_hz), place) for place, lasts in held])
    kept = np.exp(-1.0 / rate_hz / 0.03)
    way = travel[0] + np.zeros(travel.size)
    for n in range(1, travel.size):
        way[n] = travel[n] + (way[n - 1] - travel[n]) * kept
    return np.arange(travel.size) / rate_hz, way


LET_GO = ((0.0, 2.0), (100.0, 1.5)) * 8 + ((0.0, 2.0),)


@pytest.mark.parametrize("stands_at", [2.0, 3.1])
def test_a_track_that_stands_while_the_shaft_goes_on_is_interrupted(stands_at: float) -> None:
    """A dozen readings a second: for 1.2 s it reads one level, while its sister is let go and shuts."""
    time_s, travel = holds(12.0, *LET_GO)
    one, two = volts(travel, noise_v=0.003), volts(travel, noise_v=0.003, seed=2)
    begins = (6.3, 13.3, 20.3)
    for begin in begins:
        two[(time_s >= begin) & (time_s < begin + 1.2)] = stands_at
    found = found_in(time_s, tps1_v=one, tps2_v=two)
    drops = [f for f in found if isinstance(f, Drop)]
    assert [f.channels for f in drops] == [("tps2_v",)] * 3
    assert [f.times_s[0][0] for f in drops] == pytest.approx(begins, abs=0.1)
    assert [f.level for f in drops] == pytest.approx([stands_at] * 3, abs=0.02)
    assert not [f for f in found if isinstance(f, Disagreement)]


def test_a_track_that_rests_too_high_stands_by_itself_and_leapt_nowhere() -> None:
    """It goes along with its sister, and only does not come home: that is no interruption."""
    time_s, travel = holds(12.0, *LET_GO)
    rests = np.maximum(travel, np.where(time_s > 12.0, 9.0, 0.0))
    found = found_in(time_s, tps1_v=volts(travel, noise_v=0.003), tps2_v=volts(rests, noise_v=0.003))
    assert {type(f) for f in found} == {Disagreement}


def test_who_only_rests_while_the_other_leaves_stood_where_the_shaft_is() -> None:
    """Wide open all the while, read in turn: it is the other that goes to two levels and comes back."""
    time_s, travel = holds(17.0, *LET_GO)
    one, two = volts(travel, noise_v=0.003), volts(travel, noise_v=0.003, seed=2)
    for begin, level in ((6.0, 1.6), (6.3, 0.5), (13.0, 1.6), (13.3, 0.5)):
        one[(time_s >= begin) & (time_s < begin + 0.24)] = level
    drops = [f for f in found_in(time_s, tps1_v=one, tps2_v=two) if isinstance(f, Drop)]
    assert {f.channels for f in drops} == {("tps1_v",)}
    assert len(drops) == 4


def test_a_pair_that_is_straight_joins_both_ends_also_where_most_of_it_is_bent() -> None:
    """The mirror at both stops, and one track up to 6 % off nearly all the way between them."""
    held = [x for place in range(10, 101, 6) for x in ((0.0, 1.0), (float(place), 0.8))]
    time_s, travel = holds(100.0, *held)
    bent = travel + 6.0 * np.exp(-(((travel / 100.0 - 0.6) / 0.28) ** 4))
    for first, second, slope in (
        (volts(bent), 5.07 - volts(travel), -1.0),
        (volts(travel), 4.4 - 0.86 * volts(travel), -0.86),
    ):
        one, two = track(time_s, first), track(time_s, second, "tps2_v")
        line = learn_line(course_of(one, ()), course_of(two, ()), of_one_sensor=True)
        assert line is not None
        assert line.slope == pytest.approx(slope, abs=0.005)


def test_a_plate_that_strikes_as_hard_each_time_leaps_as_far() -> None:
    """Read forty times a second, let go from wide open, it leaps off its stop to 12 %: it moved."""
    random = np.random.default_rng(3)
    landing = [100.0, 97.0, 76.0, 43.0, 2.0, 11.6, 12.0, 4.5, 1.2, 0.0]
    travel: list[float] = []
    for _ in range(12):
        travel += [0.0] * int(random.integers(20, 60)) + [20.0, 70.0]
        travel += [100.0] * int(random.integers(10, 40)) + landing
    travel += [0.0] * 40
    way = np.asarray(travel)
    one, two = volts(way, noise_v=0.005), volts(way, noise_v=0.005, seed=2)
    assert found_in(np.arange(way.size) / 40.0, tps1_v=one, tps2_v=two) == ()


@pytest.mark.parametrize("lasts_s", [0.2, 1.0])
def test_a_percentage_that_is_gone_for_a_moment_comes_back_to_the_very_place(lasts_s: float) -> None:
    """A unit reports nought of an open line; its shaft is let go to 12 %, and is nowhere below it."""
    random = np.random.default_rng(5)
    held = [x for _ in range(9) for x in ((12.0, 2.0), (float(random.uniform(22.0, 60.0)), 3.0))]
    held.append((70.0, 3.0))
    time_s, shown = holds(24.0, *held)
    begins = (3.5, 8.5, 18.6, 28.4)
    for begin in begins:
        first, behind = np.searchsorted(time_s, (begin, begin + lasts_s)).tolist()
        shown[first:behind] = 0.0
        # What a unit averages is on its way for a reading.
        shown[first] = shown[first - 1] / 2.0
    drops = found_in(time_s, tps1_pct=np.round(shown / 0.4) * 0.4)
    assert [f.times_s[0][0] for f in drops if isinstance(f, Drop)] == pytest.approx(begins, abs=0.1)


def test_what_takes_all_tracks_comes_from_one_place_or_from_none() -> None:
    """Where one of seven is elsewhere a scratch over both tracks would need a second fault besides.

    One track is different: of it both a worn place and a loose wire are common.
    """
    random = np.random.default_rng(1)
    travel = np.abs(random.normal(0.0, 25.0, 4000)).clip(0.0, 100.0)
    time_s = np.arange(4000.0) / 50.0
    places = np.asarray([34.0, 30.0, 31.0, 32.0, 5.0, 32.6, 33.0])
    one, _ = judge_locality(places, travel, time_s)
    both, _ = judge_locality(places, travel, time_s, of_all=True)
    assert one.p_value is not None
    assert both.p_value is not None
    assert 0.0 < one.p_value < both.p_value


def test_both_tracks_at_ground_here_and_there_are_their_feed() -> None:
    """Four of seven within 3 % of the travel, where a foot often is, and three elsewhere."""
    held = ((0.0, 3.0), (34.0, 3.0), (1.0, 3.0), (10.0, 4.0), (13.0, 6.0), (80.0, 2.0), (12.0, 6.0))
    time_s, travel = holds(160.0, *held, (5.0, 3.0), (0.0, 2.0))
    one, two = (volts(travel, noise_v=0.003, seed=n) + 0.3 * n for n in (0, 1))
    for begin in (4.5, 7.5, 11.0, 14.5, 16.0, 24.0, 28.5):
        off = (time_s >= begin) & (time_s < begin + 0.12)
        one[off] = two[off] = 0.002
    told = analyse(recording(time_s, tps1_v=one, tps2_v=two)).judgement
    assert told.suspects[0].id is SuspectId.SUPPLY_GROUND


def kept_values(begin_s: float, lasts_s: float, at: float) -> tuple[FloatArray, FloatArray, FloatArray]:
    """A contactless pair of which one track has half the range; both keep what they read for a while.

    The shaft rests when they begin, and is opened before they let go.
    """
    time_s, travel = holds(800.0, (0.0, 2.0), (60.0, 1.0), (0.0, 2.0), (at, 1.5), (0.0, 1.5))
    kept = (time_s >= begin_s) & (time_s < begin_s + lasts_s)
    travel[kept] = travel[int(begin_s * 800.0)]
    one, two = volts(travel, noise_v=0.002), volts(travel, noise_v=0.002, seed=2) / 2.0
    return time_s, one, two


@pytest.mark.parametrize("at", [40.0, 100.0])
@pytest.mark.parametrize("is_read", [True, False])
def test_what_was_held_leaps_to_where_the_shaft_is_by_then(*, at: float, is_read: bool) -> None:
    """It leaps within 1.25 ms, and nothing brings it back: no plate goes so far meanwhile.

    What stays to the last bit before it leaps, on all lines, an instrument did not read.
    """
    time_s, one, two = kept_values(4.8, 0.4, at)
    if not is_read:
        frozen = (time_s >= 4.8) & (time_s < 5.2)
        one[frozen], two[frozen] = one[frozen][0], two[frozen][0]
    told = analyse(recording(time_s, tps1_v=one, tps2_v=two))
    drops = [f for f in told.examination.findings if isinstance(f, Drop)]
    assert len(drops) == is_read
    for drop in drops:
        assert drop.channels == ("tps1_v", "tps2_v")
        assert drop.times_s[0][1] == pytest.approx(5.2, abs=0.005)
        assert drop.floor is Floor.INTERMEDIATE
        assert told.judgement.suspects[0].id is SuspectId.SENSOR


def test_a_snap_as_quick_as_springs_are_is_none_that_was_held() -> None:
    """From rest at the stop through the whole travel in 67 ms (from memory), read 800 times a second."""
    time_s = np.arange(0.0, 6.0, 1.0 / 800.0)
    travel = np.interp(
        time_s, [1.0, 1.067, 2.5, 2.567, 4.0, 4.067], [0.0, 100.0, 100.0, 0.0, 0.0, 100.0]
    )
    one, two = volts(travel, noise_v=0.002), volts(travel, noise_v=0.002, seed=2) / 2.0
    assert found_in(time_s, tps1_v=one, tps2_v=two) == ()


def test_electronics_go_to_one_level_also_from_a_few_openings_that_come_again() -> None:
    """Three of five from the closed stop: these fit one factor as well as one level, the others none."""
    time_s = np.arange(600.0) / 100.0
    line = track(time_s, np.linspace(0.5, 4.5, 600))
    went = ((12.5, 42.3), (78.8, 42.35), (12.56, 42.5), (78.9, 42.45), (12.53, 42.4))
    left = [
        event_of(
            [(name, Excursion((n + 1.0, n + 1.1), at, at, level, 10)) for name in ("tps1_v", "tps2_v")]
        )
        for n, (at, level) in enumerate(went)
    ]
    shared = tuple(replace(e, cause=Cause.FEED) for e in left)
    told = what_is_shared(shared, {"tps1_v": line, "tps2_v": line}, Lines(()))
    assert {e.cause for e in told} == {Cause.ELECTRONICS}


def test_a_supply_sags_at_the_stops_too_and_a_step_does_not() -> None:
    """A mirrored pair, one of which is 0.35 V off where it is held half open; it is fed as ever."""
    time_s = np.arange(0.0, 40.0, 1.0 / 60.0)
    at_s, places = [0.0, 1.0, 2.5, 3.5, 5.0, 6.0, 6.7, 7.4, 8.0], [0, 0, 100, 100, 0, 0, 48, 48, 0]
    travel = np.interp(np.mod(time_s, 8.0), at_s, places)
    one, two = volts(travel, noise_v=0.004), 5.0 - volts(travel, noise_v=0.004, seed=2)
    one[np.abs(travel - 48.0) < 0.2] -= 0.35
    # What every supply does: both are fed with some tenths of a percent more, and less.
    fed = 1.0 + 0.004 * np.sin(2.0 * np.pi * time_s / 7.0)
    one, two = one * fed, two * fed
    pair = pair_of(track(time_s, one), track(time_s, two, "tps2_v"), Line(-1.0, 100.0))
    assert find_sag(pair, (course_of(pair.first, ()), course_of(pair.second, ()))) is None


def test_two_that_leave_at_once_and_come_back_to_where_they_were_left_both() -> None:
    """Fifteen readings a second: by their levels they contradict each other, so no shaft took them."""
    time_s = np.arange(0.0, 30.0, 1.0 / 15.0)
    at_s = [0.0, 4.0, 6.0, 10.0, 12.0, 16.0, 18.0, 22.0, 24.0, 26.0]
    travel = np.interp(time_s, at_s, [10.0, 10.0, 34.0, 34.0, 10.0, 10.0, 60.0, 60.0, 0.0, 0.0])
    one, two = (volts(travel, noise_v=0.003, seed=n) + 0.4 * n for n in (0, 1))
    for begin in (2.0, 8.0, 14.0):
        off = (time_s >= begin) & (time_s < begin + 0.5)
        one[off], two[off] = 2.0, 2.84
    drops = [f for f in found_in(time_s, tps1_v=one, tps2_v=two) if isinstance(f, Drop)]
    assert [f.channels for f in drops] == [("tps1_v", "tps2_v")] * 3


@pytest.mark.parametrize(("moved", "sure"), [(True, False), (False, True)])
def test_rests_that_open_further_meanwhile_are_doubtful(*, moved: bool, sure: bool) -> None:
    """A lone throttle whose idle control opens it by up to 3 %, up and down; one that sticks stays."""
    time_s = np.arange(0.0, 60.0, 0.01)
    opens = np.interp(np.mod(time_s, 3.0), [0.0, 1.6, 1.8, 2.4, 2.5], [0.0, 0.0, 60.0, 60.0, 0.0])
    idle = 1.4 + 1.4 * np.sin(2.0 * np.pi * time_s / 17.0)
    stuck = 3.0 * ((time_s % 12.0) > 5.5)
    travel = np.maximum(opens, idle if moved else stuck)
    found = [f for f in found_in(time_s, tps1_v=volts(travel, noise_v=0.002)) if isinstance(f, OffRest)]
    assert [f.confidence > 0.5 for f in found] == [sure]


@pytest.mark.parametrize(
    ("lasts_s", "stops_in_s", "off"),
    [(4.0, 0.01, True), (4.0, 1.5, True), (8.0, 1.5, True), (4.0, 60.0, False)],
)
def test_the_key_is_off_where_battery_and_engine_are_gone_whatever_holds_the_tracks(
    *, lasts_s: float, stops_in_s: float, off: bool
) -> None:
    """The lines are pulled up from elsewhere: they stand at 3.5 V until the sensor is fed again.

    An engine takes up to some seconds to stop; one that runs on has not been switched off.
    """
    time_s, travel = holds(500.0, (10.0, 3.0), (60.0, 3.0), (90.0, 6.0))
    since_s = time_s - 2.5
    gone = (since_s >= 0.0) & (since_s < lasts_s)
    one, two = volts(travel, noise_v=0.002), volts(travel, noise_v=0.002, seed=2)
    one[gone] = two[gone] = 3.5 + np.random.default_rng(1).normal(0.0, 0.002, int(gone.sum()))
    told = analyse(
        recording(
            time_s,
            tps1_v=one,
            tps2_v=two,
            rpm=np.where(gone, 900.0 * np.clip(1.0 - since_s / stops_in_s, 0.0, 1.0), 900.0),
            batt_v=np.where(gone, 0.3, 13.9),
        )
    ).examination
    assert bool(told.key_off_s) is off
    assert bool(told.findings) is not off
