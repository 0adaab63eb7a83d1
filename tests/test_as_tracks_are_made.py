"""What the make of tracks, loggers and hands decides, where a recording shows nothing else of it.

Each recording is built from the fact in its test (common practice, no published source).
"""

from collections.abc import Mapping

import numpy as np
import pytest

from exported import on_change
from nervus.domain.analysis import Analysis, Frame
from nervus.domain.channel import FloatArray, Recording
from nervus.domain.finding import DeadSpot, Disagreement, Drop, Noise, OffRest, Shape
from nervus.judge.analyse import analyse
from nervus.signal.instruments.as_read import as_read
from signals import channel, recording, volts
from test_line_cases import of, told
from test_lost_while_moving import moved


def swept(times: int, rate_hz: float = 200.0, takes_s: float = 1.2) -> tuple[FloatArray, FloatArray]:
    """Instants and percent: opened from stop to stop and shut again, with a rest at either."""
    way, now = [(0.0, 0.0)], 0.0
    random = np.random.default_rng(7)
    for n in range(2 * times):
        rests_s, goes_s = random.uniform(0.4, 0.9), takes_s * random.uniform(0.8, 1.3)
        way += [(now + rests_s, 100.0 * (n % 2)), (now + rests_s + goes_s, 100.0 * ((n + 1) % 2))]
        now = way[-1][0]
    return moved(*way, (now + 1.0, 0.0), rate_hz=rate_hz)


def frames(made: Analysis) -> Mapping[str, Frame]:
    assert made.examination.travel is not None
    return made.examination.travel.frames


@pytest.mark.parametrize(
    ("one_v", "two_v"), [((0.8, 2.4), (0.4, 4.7)), ((0.9, 3.35), (1.35, 3.8)), ((0.5, 3.9), (1.0, 4.4))]
)
def test_the_track_that_reads_highest_shows_that_both_reached_their_stop(
    one_v: tuple[float, float], two_v: tuple[float, float]
) -> None:
    """Whatever part of the supply the other one takes: neither can read more than its supply."""
    time_s, travel = swept(6)
    lines = [a + (b - a) * travel / 100.0 for a, b in (one_v, two_v)]
    found = frames(told(time_s, tps1_v=lines[0], tps2_v=lines[1]))
    for name, ends in (("tps1_v", one_v), ("tps2_v", two_v)):
        assert (found[name].closed, found[name].open) == pytest.approx(ends, abs=0.03)


def test_a_track_of_a_third_of_the_range_leaps_as_far_as_its_sister() -> None:
    """Lost for two moments: what is little of the supply is most of the travel."""
    time_s, travel = swept(8, rate_hz=100.0)
    at_rest = np.flatnonzero((travel == 0.0) & (np.roll(travel, 1) > 0.0))
    for first, lost in zip(at_rest[[2, 5]] + 12, (75.0, 70.0), strict=True):
        travel[first : first + 8] = lost
        travel[[first - 1, first + 8]] = lost / 3.0  # what a filter leaves of it
    found = of(Drop, told(time_s, tps1_v=0.9 + 0.016 * travel, tps2_v=0.5 + 0.043 * travel))
    assert [d.channels for d in found] == [("tps1_v", "tps2_v")] * 2


def test_a_track_that_is_bent_over_most_of_its_way_is_told_by_its_ends() -> None:
    time_s, travel = swept(6, takes_s=2.0)
    bent = volts(travel) - 0.36 * np.clip(1.0 - ((travel - 45.0) / 42.0) ** 2, 0.0, None)
    (found,) = of(Disagreement, told(time_s, tps1_v=volts(travel), tps2_v=bent))
    assert found.worst_pct == pytest.approx(9.0, abs=0.8)


def test_what_changed_by_less_than_a_logger_keeps_stood_meanwhile() -> None:
    """Steps of 5 mV, kept from 13 mV on: at rest the track is where it was, up to the next row."""
    time_s, travel = swept(6, rate_hz=50.0, takes_s=2.2)
    noise_v = np.random.default_rng(3).normal(0.0, 0.004, time_s.size)
    read = np.round((volts(travel) + noise_v) / 0.0049) * 0.0049
    made = recording(time_s, tps1_v=read)
    written = on_change(0.0026)(made, np.random.default_rng(0))
    assert written is not None
    back = as_read(written).channels[0]
    assert back.samples > 1.2 * written.channels[0].samples
    at = np.interp(time_s[:-60], back.time_s, back.values)
    assert float(np.max(np.abs(at - read[:-60]))) < 0.2  # no ramp from a rest to the next row
    # Rows that were lost by chance are no rests.
    some = np.random.default_rng(4).random(time_s.size) > 0.05
    assert as_read(recording(time_s[some], tps1_v=read[some])).channels[0].samples == np.sum(some)


def test_a_level_that_is_held_is_no_spike_though_both_tracks_went_as_far() -> None:
    """Electronics that fall out hold 0.3 V more for 15 ms; what is coupled in fades (textbook)."""
    time_s, travel = moved((0, 0), (2, 0), (4, 100), (6, 0), (9, 0))
    lines = (volts(travel, noise_v=0.002), 0.45 + volts(travel, noise_v=0.002, seed=2))
    fades, holds = np.zeros(time_s.size), np.zeros(time_s.size)
    for start in (220, 290, 1500, 1700):
        fades[start : start + 3] = 0.3 * np.exp(-np.arange(3) / 0.8)
        holds[start : start + 3] = 0.3
    assert of(Drop, told(time_s, tps1_v=lines[0] + fades, tps2_v=lines[1] + fades)) == []
    assert len(of(Drop, told(time_s, tps1_v=lines[0] + holds, tps2_v=lines[1] + holds))) == 4


def test_a_supply_at_the_end_of_its_converter_shows_no_more_of_a_spike() -> None:
    """A converter of 5 V reads 5 V at the most: the tracks, with room above them, show all of it."""
    time_s, travel = moved((0, 0), (2, 0), (4, 100), (6, 0), (9, 0))
    spikes = np.zeros(time_s.size)
    spikes[[220, 700, 1500, 1600]] = (0.7, 0.3, 0.6, 0.5)
    lines = {"tps1_v": volts(travel) + spikes, "tps2_v": volts(travel) / 2.0 + spikes}
    supply = np.minimum(4.98 + spikes, 5.0)
    assert told(time_s, **lines, vref_v=supply).examination.findings == ()
    steady = told(time_s, **lines, vref_v=4.98 + np.where(np.arange(time_s.size) % 2, 0.005, 0.0))
    assert steady.examination.findings != ()


def test_a_hand_that_moves_in_stairs_stands_at_no_worn_place() -> None:
    """The same stairs each time, a lone track: one that stands at many levels stands by hand."""
    levels = [*np.arange(0.0, 98.0, 5.7).tolist(), 100.0]
    way, now = [], 0.0
    for level in (levels + levels[::-1]) * 3:
        way += [(now + 0.1, level), (now + 0.36, level)]
        now = way[-1][0]
    time_s, travel = moved((0.0, 0.0), *way, rate_hz=23.0)
    worn = of(DeadSpot, told(time_s, tps1_v=volts(travel, noise_v=0.002)))
    assert [s for s in worn if s.shape is Shape.FLAT] == []


def test_a_track_is_rough_however_quickly_it_is_passed_beside_its_sister() -> None:
    """100 % in 0.25 s: what a hand does so quickly both tracks show, and roughness one."""
    time_s, travel = swept(20, takes_s=0.25)
    rough = np.random.default_rng(5).normal(0.0, 0.06, time_s.size) * ((travel > 40) & (travel < 52))
    lines = volts(travel, noise_v=0.002), volts(travel, noise_v=0.002, seed=2)
    assert told(time_s, tps1_v=lines[0], tps2_v=lines[1]).examination.findings == ()
    (found,) = of(Noise, told(time_s, tps1_v=lines[0] + rough, tps2_v=lines[1]))
    assert found.travel_pct == pytest.approx((40.0, 52.0), abs=4.0)


def test_two_rests_are_a_stop_however_many_are_above_it() -> None:
    """Nothing rests below its stop: two rests at 0, and then eleven at 4.4 % with more air."""
    way, now = [(0.0, 0.0)], 0.0
    for rest in (0.0, *(4.4,) * 11):
        way += [(now + 2.5, way[-1][1]), (now + 3.5, 40.0), (now + 4.5, 40.0), (now + 4.8, rest)]
        now = way[-1][0]
    time_s, travel = moved(*way, (now + 3.0, 4.4), rate_hz=50.0)
    rpm = 760.0 + 80.0 * np.minimum(travel, 10.0)
    (found,) = of(OffRest, told(time_s, tps1_v=volts(travel, noise_v=0.002), rpm=rpm))
    assert (found.rest_pct, found.usual_rest_pct) == pytest.approx((4.4, 0.0), abs=0.2)
    assert len(found.times_s) >= 11


def test_a_command_says_that_it_was_let_go_where_the_pedal_is_asked_now_and_then() -> None:
    """The pedal once in two seconds, and what is asked for at idle within 2 %: neither hides a rest."""
    way, now = [(0.0, 2.0)], 0.0
    for rest in (2.0,) * 3 + (6.0,) * 4:
        way += [(now + 1.1, way[-1][1]), (now + 1.5, 40.0), (now + 2.2, 40.0), (now + 2.5, rest)]
        now = way[-1][0]
    time_s, travel = moved(*way, (now + 1.1, 6.0), rate_hz=50.0)
    asked = np.where(travel > 6.5, travel, 2.0 + (np.arange(time_s.size) // 170) % 2 * 1.5)
    foot_s = time_s[::100]
    foot = channel("pedal_pct", foot_s, np.interp(foot_s, time_s, np.where(travel > 6.5, travel, 0.0)))
    lines = recording(time_s, tps1_v=volts(travel, noise_v=0.002), throttle_cmd_pct=asked).channels
    assert len(of(OffRest, analyse(Recording((*lines, foot))))) == 1


def test_a_film_lets_a_track_fall_to_ground_gently_and_its_place_is_where_it_began() -> None:
    """60 ms down and 20 ms up, by a charge that is held: no plate is so quick, nor its stop there."""
    time_s, travel = swept(8, takes_s=2.0)
    line = 0.6 + 0.036 * travel
    fell = np.interp(np.arange(40), (0, 4, 12, 30, 33, 35), (1.0, 0.9, 0.02, 0.0, 0.5, 1.0))
    crossed = np.flatnonzero((travel[1:] > 40.0) != (travel[:-1] > 40.0))
    for first in crossed.tolist():
        line[first : first + 40] *= fell
    made = told(time_s, tps1_v=line)
    assert frames(made)["tps1_v"].closed == pytest.approx(0.6, abs=0.03)
    (spot,) = made.examination.findings
    assert isinstance(spot, DeadSpot)
    assert spot.seen_in == crossed.size
    assert spot.travel_pct == pytest.approx((38.0, 42.0), abs=4.0)


def test_a_spike_that_all_lines_share_is_no_way_there_and_back() -> None:
    """Read 50 times a second, both tracks near one level and held: 0.9 V less on each line, twice."""
    time_s, travel = moved(
        (0, 0), (2, 0), (3, 100), (4, 100), (5, 50), (10, 50), (11, 0), (13, 0), rate_hz=50.0
    )
    spikes = np.zeros(time_s.size)
    spikes[[300, 380]] = -0.9
    one, two = volts(travel, noise_v=0.002), 5.0 - volts(travel, noise_v=0.002, seed=2)
    lines = {"tps1_v": one + spikes, "tps2_v": two + spikes}
    assert told(time_s, **lines, vref_v=5.0 + spikes).examination.findings == ()
