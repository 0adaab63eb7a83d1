"""What few readings a second tell: one step of a converter, levels that come back, a late throttle.

Each recording is built from the fact in its test (common practice, no published source, where none is
named).
"""

import numpy as np
import pytest
from scipy.signal import lfilter

from nervus.domain.channel import FloatArray
from nervus.domain.finding import DeadSpot, Disagreement, Drop
from nervus.judge.analyse import analyse
from nervus.signal.candidates.excursions import Excursion, _in_passing, find_weak_excursions
from nervus.signal.candidates.stands import _is_no_chance, _visits, find_stands
from nervus.signal.instruments import sampling
from nervus.signal.motion.course import plain_course
from nervus.signal.told.following import not_following
from nervus.signal.told.late import Response, response_of, smoothed
from signals import channel, recording, track
from test_against_others import plate, recorded, staircase, with_command
from test_line_cases import of

# -- one step of a converter, as it is written -----------------------------------------------------


@pytest.mark.parametrize(
    ("step", "decimals", "off"), [(100.0 / 255.0, 1, 0.02), (5.0 / 255.0, 3, 1e-4), (0.0391, 6, 1e-9)]
)
def test_a_step_is_known_closer_than_its_last_decimal(step: float, decimals: int, off: float) -> None:
    """A hundred in 255 steps is 0.392, written 0.3 or 0.4; what has many decimals is as it is."""
    values = np.round(step * (np.cumsum(np.tile([1, 1, 2, 3], 100)) % 97), decimals)
    assert sampling.converter_step(values, 5.0) == pytest.approx(step, abs=off)


def test_levels_one_step_apart_are_one_level() -> None:
    """5 V in 255 steps, in millivolts: 2.686 and 2.706, by 20 mV, where others are 19 apart."""
    at = np.round(np.tile(np.arange(60.0, 200.0), 4) * 5.0 / 255.0, 3)
    made = track(np.linspace(0.0, 28.0, at.size), at)
    assert made.same_level >= 100.0 * 0.020 / 5.0
    assert made.same_level < 2.0 * made.resolution


# -- a throttle that is late -----------------------------------------------------------------------


def test_a_low_pass_of_first_order_is_smoothed_as_one() -> None:
    """Against SciPy's recursion: y[n] = y[n-1] + (1 - e^(-1/T)) (x[n] - y[n-1])."""
    values = np.random.default_rng(4).uniform(0.0, 90.0, 400)
    share = float(np.exp(-1.0 / 7.0))
    start = [share * values[0]]
    expected, _ = lfilter([1.0 - share], [1.0, -share], values, zi=start)
    assert smoothed(values, 7.0) == pytest.approx(expected, abs=1e-6)
    assert smoothed(values, 0.0) is values


@pytest.mark.parametrize(("tau_s", "late"), [(0.08, False), (0.17, True), (0.35, True), (0.8, True)])
def test_how_late_a_throttle_is(tau_s: float, late: bool) -> None:  # noqa: FBT001
    """Nine tenths of the way are gone after T ln 10."""
    time_s, command = staircase()
    answer = response_of(time_s, command, plate(command, tau_s))
    assert answer.tau_s == pytest.approx(tau_s, rel=0.3)
    assert answer.takes_s == pytest.approx(np.log(10.0) * answer.tau_s)
    assert answer.is_late is late


def test_what_is_only_read_later_is_not_late() -> None:
    time_s, command = staircase()
    answer = response_of(time_s, command, np.interp(time_s - 0.24, time_s, command))
    assert answer.delay_s == pytest.approx(0.24, abs=0.03)
    assert not answer.is_late


def test_what_a_delay_explains_nearly_as_well_is_not_late() -> None:
    assert not Response(0.1, 0.25, 1.9, 2.2, 0.02).is_late
    assert Response(0.1, 0.25, 1.1, 2.2, 0.02).is_late


def test_told_seldom_a_command_does_not_say_when_it_moved() -> None:
    time_s, command = staircase()
    at, seldom = plate(command, 0.35), slice(None, None, 13)
    assert not response_of(time_s[seldom], command[seldom], at[seldom]).is_late


@pytest.mark.parametrize(("tau_s", "found"), [(0.1, 0), (0.2, 1)])
def test_a_throttle_that_is_there_within_half_a_second_may_be_late(tau_s: float, found: int) -> None:
    """From memory: a sound motor takes it nine tenths of the way in 0.1 to 0.2 s; this takes 0.46."""
    time_s, command = staircase(seconds=90.0)
    made = analyse(with_command(plate(command, tau_s), time_s, command))
    late = [f for f in of(Disagreement, made) if "late" in f.text]
    assert len(late) == found
    for f in late:
        assert len(f.times_s) >= 3
        assert 10.0 < f.worst_pct < 100.0


def test_a_throttle_that_is_late_after_minutes_at_idle_is_late_also_read_quickly() -> None:
    time_s, command = staircase()
    fine_s = np.arange(-240.0, time_s[-1], 1e-3)
    answer = response_of(
        fine_s, *(np.interp(fine_s, time_s, x) for x in (command, plate(command, 0.35)))
    )
    assert answer.is_late


def test_a_late_throttle_that_also_stands_is_told_to_stand() -> None:
    """No low-pass stays away from what was asked for four seconds: one cause, the graver."""
    time_s, command = staircase(seconds=90.0)
    at = plate(command, 0.25)
    held = (time_s > 40.3) & (time_s < 44.3)
    at[held] = at[np.argmax(held)]
    (found,) = of(Disagreement, analyse(with_command(at, time_s, command)))
    assert "late" not in found.text


@pytest.mark.parametrize(("stuck_s", "told"), [(0.7, True), (0.25, False)])
def test_a_throttle_that_sticks_for_a_moment_is_told(stuck_s: float, told: bool) -> None:  # noqa: FBT001
    """Read eleven times a second; a sound one is on its way a quarter of a second after it was asked."""
    time_s, command = staircase(seconds=90.0)
    at = plate(command, 0.05)
    for start in np.flatnonzero(np.abs(command[1:] - command[:-1]) > 2.0)[::12]:
        stuck = (time_s > time_s[start]) & (time_s < time_s[start] + stuck_s)
        at[stuck] = at[start]
    every = slice(None, None, round(0.09 / (time_s[1] - time_s[0])))
    found = of(Disagreement, analyse(with_command(at[every], time_s[every], command[every])))
    assert [set(f.channels) for f in found] == [{"tps1_v", "throttle_cmd_pct"}] * told
    assert not any("late" in f.text for f in found)


@pytest.mark.parametrize(
    ("stuck_s", "delay_s", "tau_s", "told"),
    [(0.42, 0.0, 0.04, 1), (0.3, 0.0, 0.04, 0), (0.0, 0.2, 0.04, 0), (0.0, 0.0, 0.16, 0)],
)
def test_it_sticks_that_stands_while_it_is_asked_away(
    stuck_s: float, delay_s: float, tau_s: float, told: int
) -> None:
    """What only begins later, or is still on its way, moves within a quarter of a second."""
    time_s, command = staircase(seconds=90.0)
    at = np.interp(time_s - delay_s, time_s, plate(command, tau_s))
    stuck = (time_s > 40.0) & (time_s < 40.0 + stuck_s)
    at[stuck] = at[np.argmax(time_s >= 39.9)]
    where = plain_course(channel("throttle_pct", time_s, at))
    found = not_following(channel("throttle_cmd_pct", time_s, command), where, "throttle_pct")
    assert len(found) == told
    assert all(40.0 < a < b < 40.5 for f in found for a, b in f.times_s)


def test_where_it_is_and_where_it_was_asked_to_be_are_told_of_the_furthest_instant() -> None:
    """It sticks at 20 % while 80 is asked, then at 80 while 40 is: no mean of both is told."""
    time_s = np.arange(0.0, 30.0, 0.1)
    command = np.where((time_s % 10.0) < 3.0, 20.0, np.where((time_s % 10.0) < 7.0, 80.0, 40.0))
    at = command.copy()
    at[(time_s > 13.0) & (time_s < 15.5)] = 20.0
    at[(time_s > 27.0) & (time_s < 29.0)] = 80.0
    where = plain_course(channel("throttle_pct", time_s, at))
    (found,) = not_following(channel("throttle_cmd_pct", time_s, command), where, "throttle_pct")
    assert found.worst_pct == pytest.approx(60.0, abs=1.0)
    assert "at 20 % of travel where 80 %" in found.text


def test_while_its_tracks_are_lost_a_throttle_is_not_behind() -> None:
    time_s, command = staircase(seconds=90.0)
    at = plate(command, 0.2)
    lost = (time_s > 30.0) & (time_s < 30.6)
    where = plain_course(channel("throttle_pct", time_s, np.where(lost, 250.0, at)))
    asked = channel("throttle_cmd_pct", time_s, command)
    found = [not_following(asked, where, "throttle_pct", None, spans) for spans in ((), ((30.0, 30.6),))]
    assert [f[0].worst_pct > 100.0 for f in found] == [True, False]
    assert all("late" in f[0].text for f in found)


# -- a command at idle is no end of its scale ------------------------------------------------------


@pytest.mark.parametrize(("least", "found"), [(4.0, 3), (0.0, 0)])
def test_a_fall_to_ground_at_idle_is_none_that_was_asked_for(least: float, found: int) -> None:
    """A command that says nothing at all may be cut off there; one that stands at its idle is not."""
    time_s, command = staircase()
    command = np.where(command < 30.0, least, command)
    percent = 12.0 + 0.7 * plate(command, 0.05)
    idles = np.flatnonzero((command == least) & (np.roll(command, 40) == least))
    for begin in idles[[60, idles.size // 2, -60]]:
        # Through a filter: some of it on the way.
        percent[begin : begin + 12] = np.repeat((4.0, 0.0, 0.0, 0.0, 0.0, 6.0), 2)
    made = recorded(time_s[::2], throttle_cmd_pct=command[::2], tps1_pct=np.maximum(percent, 0.0)[::2])
    drops = of(Drop, analyse(made))
    assert sum("goes to ground" in d.text for d in drops) == found


# -- levels that come back -------------------------------------------------------------------------


def swept_slowly(rate_hz: float, seconds: float = 60.0) -> tuple[FloatArray, FloatArray]:
    """Opened and let shut in strokes of a second or two, unlike each other, held between them."""
    random, now, way = np.random.default_rng(8), 0.6, [(0.0, 0.0)]
    for n in range(int(seconds / 4.0)):
        opens_s, holds_s = random.uniform(1.0, 2.2, 2)
        to = 100.0 if n % 3 else float(random.uniform(55.0, 90.0))
        way += [(now, 0.0), (now + opens_s, to), (now + opens_s + holds_s, to)]
        now += 2.0 * opens_s + holds_s
        way.append((now, 0.0))
        now += 0.7
    time_s = np.arange(0.0, now, 1.0 / rate_hz)
    return time_s, np.interp(time_s, *np.asarray(way).T)


@pytest.mark.parametrize("rate_hz", [10.0, 16.0])
def test_a_level_come_to_from_anywhere_and_left_again_is_none_of_the_shaft(rate_hz: float) -> None:
    """Whatever the shaft does meanwhile: it stands, goes on, or turns round."""
    time_s, travel = swept_slowly(rate_hz)
    noise = np.random.default_rng(2).normal(0.0, 0.002, (2, time_s.size))
    out = np.zeros(time_s.size, dtype=bool)
    for begin in (6.3, 14.9, 23.4, 31.2, 44.0):
        out |= (time_s >= begin) & (time_s < begin + 0.35)
    one, two = 0.6 + 0.038 * travel, 0.3 + 0.019 * travel
    pair = [np.where(out, level, x) for x, level in ((one, 2.34), (two, 1.17))] + noise
    found = of(Drop, analyse(recording(time_s, tps1_v=pair[0], tps2_v=pair[1])))
    assert len(found) >= 4
    assert all(len(d.channels) == 2 and d.level == pytest.approx(2.34, abs=0.1) for d in found)
    sound = analyse(recording(time_s, tps1_v=one + noise[0], tps2_v=two + noise[1]))
    assert of(Drop, sound) == []


@pytest.mark.parametrize(("apart", "found"), [(0.02, True), (0.6, False)])
def test_three_levels_tell_where_they_are_as_near_as_the_converter_shows(
    apart: float,
    found: bool,  # noqa: FBT001
) -> None:
    """Three of three anywhere in 80 % lie within 0.04 of each other once in a million recordings."""
    time_s, travel = swept_slowly(10.0)
    level = 12.0 + 0.76 * travel
    for begin, off in ((6.4, 0.0), (14.9, apart), (31.2, -apart)):
        level[(time_s >= begin) & (time_s < begin + 0.31)] = 46.8 + off
    noise = np.random.default_rng(6).normal(0.0, 0.0006, time_s.size)
    shared = find_stands(track(time_s, np.round(level / 20.0 + noise, 3)), ())[1]
    assert (shared is not None) is found
    if found:
        assert shared == pytest.approx(46.8, abs=0.05)


def test_what_is_on_its_way_or_comes_back_from_a_rail_is_no_visit() -> None:
    time_s = 0.05 * np.arange(0.0, 400.0)
    level = np.interp(time_s, (0.0, 8.0, 12.0, 20.0), (80.0, 20.0, 20.0, 80.0))
    level[200:202] = 51.5, 54.0
    level[300:305] = 0.0, 35.0, 35.0, 35.0, 0.0
    made = track(time_s, level / 20.0)
    first, _ = _visits(made, np.abs(np.diff(level)) <= 2.0 * made.same_level, asked=False)
    assert {200, 201, 301}.intersection(first.tolist()) == {201}


@pytest.mark.parametrize(("rate_hz", "sure"), [(25.0, True), (10.0, False)])
def test_what_is_no_chance_is_less_where_arrivals_are_seen(rate_hz: float, sure: bool) -> None:  # noqa: FBT001
    """Three of three within 0.72 of 80 %: by Poisson once in two thousand recordings."""
    time_s, travel = swept_slowly(rate_hz)
    assert _is_no_chance(track(time_s, 0.6 + 0.04 * travel), 3, 3, 0.36) is sure


# -- a place that a lone track leaves at, read slowly ----------------------------------------------


def test_a_lone_track_that_falls_in_passing_is_told_by_its_place() -> None:
    """A wiper that opens between 40 and 43 %: one reading of each pass shows it, if any."""
    time_s, travel = swept_slowly(11.0, 110.0)
    worn = (travel > 40.0) & (travel < 43.0)
    random = np.random.default_rng(5)
    signal = 0.6 + 0.038 * travel - worn * random.uniform(0.7, 1.6, travel.size)
    spots = of(
        DeadSpot, analyse(recording(time_s, tps1_v=signal + random.normal(0.0, 0.002, travel.size)))
    )
    assert len(spots) == 1
    assert spots[0].travel_pct[0] < 43.0
    assert spots[0].travel_pct[1] > 40.0


def test_a_blip_from_a_rest_and_back_to_it_is_no_fall_in_passing() -> None:
    """Back to where it rested, or on the way: only what moves on passes a place."""
    time_s = np.arange(0.0, 16.0, 0.1)
    way = np.interp(time_s, (0.0, 4.0, 12.0, 16.0), (10.0, 10.0, 90.0, 90.0))
    made = track(time_s, 0.5 + 0.04 * way)
    passing = [
        _in_passing(made, Excursion((at, at + 0.1), 50.0, 50.0, 20.0, 2))
        for at in (2.0, 3.9, 8.0, 12.0, 14.0)
    ]
    assert passing == [False, False, True, False, False]
    away = np.where(way < 50.0, 30.0, -30.0)
    fell = np.where(np.abs(time_s % 2.0 - 1.0) < 0.06, way + away, way)
    found = find_weak_excursions(track(time_s, 0.5 + 0.04 * fell), ())
    assert len(found) == 4
    assert all(e.weak and 4.0 < e.span_s[0] < 12.0 for e in found)
