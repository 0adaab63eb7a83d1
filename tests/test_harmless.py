"""Sound recordings by other hands with what no fault is: nothing gets the blame.

Sources: the recordings, their makers'; what is done to them is the physics of lines, clocks and hands
(`harmless.py`): what is coupled in swings to either side while a contact leaves a line to what it is
tied to; crystals and hands set clocks apart; what was not read may have moved (common practice, no
published source).
"""

import numpy as np
import pytest

from analysis_fingerprints import recordings
from harmless import WAYS
from nervus.domain.analysis import Direction, Pass
from nervus.domain.channel import FloatArray
from nervus.domain.finding import DeadSpot, Drop, Floor
from nervus.judge.analyse import analyse
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.candidates.stands import find_stands
from nervus.signal.explained.events import event_of
from nervus.signal.instruments.hum import without_hum
from nervus.signal.instruments.instrument import Instrument, prepare
from nervus.signal.instruments.key import key_off_spans
from nervus.signal.motion.course import Course, course_of
from nervus.signal.motion.lags import estimate_clock
from nervus.signal.motion.relation import learn_line
from nervus.signal.told.ranges import at_rail
from nervus.signal.worn.dead_spots import from_events
from signals import channel, recording, sweeps, track, volts


@pytest.mark.parametrize(
    ("name", "way", "seed"),
    [
        # One track, nothing else recorded: it swings to either side.
        ("deciding healthy 3", "spikes", 1), ("deciding healthy 3", "spikes", 4),
        # Cut off at an end of the converter's range on one of two lines.
        ("healthy 67", "spikes", 2), ("a-third healthy-awkward 4", "spikes", 1),
        ("healthy 5", "spikes", 5),
        ("another-hand healthy-fast 1", "two loggers", 1),
        ("another-hand healthy-fast 1", "two loggers", 5),
        ("another-hand healthy-fast 3", "two loggers", 3),
        ("a-third healthy-awkward 4", "two loggers", 5),
        # At the closed stop one is at 0.5 V and the other at 1.0 V: it is no double of it.
        ("a-third healthy-fast 2", "rests long", 6), ("a-third healthy-fast 2", "rests long", 10),
        ("deciding healthy-awkward 2", "rests long", 1),
        ("deciding healthy-awkward 3", "a pause", 1), ("deciding healthy-awkward 3", "a pause", 2),
        ("a-third healthy-fast 3", "many lost", 5), ("another-hand healthy-fast 4", "many lost", 1),
        ("healthy-fast-2", "many lost", 2), ("another-hand healthy-fast 6", "many lost", 7),
    ],
)  # fmt: skip
def test_what_no_fault_is_gets_no_blame(name: str, way: str, seed: int) -> None:
    made = WAYS[way](recordings()[name](), np.random.default_rng(seed))
    assert made is not None
    assert [f.text for f in analyse(made).examination.findings] == []


# -- single samples -------------------------------------------------------------------------------------


def with_samples(at: list[int], to: FloatArray | float, seed: int = 3) -> tuple[FloatArray, FloatArray]:
    """Sweeps at 1000 readings a second with some samples off, and when they were taken."""
    time_s, travel = sweeps(5, rate_hz=1000.0)
    line = volts(travel, noise_v=0.002, seed=seed)
    line[at] = to
    return time_s, line


AT = [1500, 2900, 4200, 6100, 7700, 9300, 11000, 12500, 14100, 15600, 17200, 18800]


def test_single_samples_to_either_side_are_coupled_in() -> None:
    time_s, line = with_samples([], 0.0)
    line[AT] += np.asarray([0.4, -0.3, 0.7, -0.5, 0.3, -0.4, 0.5, -0.6, 0.35, -0.25, 0.45, -0.35])
    assert analyse(recording(time_s, tps1_v=line)).examination.findings == ()


def test_single_samples_at_ground_are_a_contact_that_opens() -> None:
    time_s, line = with_samples(AT, 0.0)
    findings = analyse(recording(time_s, tps1_v=line)).examination.findings
    drops = [f for f in findings if isinstance(f, Drop)]
    assert [round(d.times_s[0][0], 3) for d in drops] == [at / 1000.0 for at in AT]
    assert all(d.floor is Floor.GROUND for d in drops)


def test_samples_to_either_side_at_one_place_are_the_tracks_own() -> None:
    """Ten times through 40 % of travel, up and down by turns: no line but the track knows the place."""
    time_s, travel = sweeps(5, rate_hz=1000.0)
    through = np.flatnonzero(np.diff((travel > 40.0).astype(int)) != 0)
    line = volts(travel, noise_v=0.002)
    line[through] += np.where(np.arange(through.size) % 2 == 0, 0.6, -0.6)
    found = analyse(recording(time_s, tps1_v=line)).examination.findings
    assert found
    assert all(abs(f.travel_pct[0] - 40.0) < 1.0 for f in found if isinstance(f, DeadSpot))


# -- clocks, and what relates two tracks ----------------------------------------------------------------


def test_tracks_that_rest_are_on_many_a_line() -> None:
    """By hand: 0.5 and 1.0 V at rest are 1 : 2, but 4.0 and 4.5 V are not: the second is 0.5 V above."""
    time_s, travel = sweeps(3, rate_hz=200.0)
    rests = np.zeros(int(20.0 * 200.0))
    travel = np.concatenate((travel[: travel.size // 3], rests, travel[travel.size // 3 :]))
    time_s = np.arange(travel.size) / 200.0
    lines = {"tps1_v": 0.5 + 0.035 * travel, "tps2_v": 1.0 + 0.035 * travel}
    one, two = (track(time_s, v, name) for name, v in lines.items())
    line = learn_line(course(one), course(two))
    assert line is not None
    assert (line.slope, line.offset) == pytest.approx((1.0, 10.0), abs=0.05)
    assert analyse(recording(time_s, **lines)).examination.findings == ()


@pytest.mark.parametrize("ahead_s", [-0.25, 0.08, 0.2])
def test_a_clock_is_told_by_what_moves_though_most_of_the_time_nothing_does(ahead_s: float) -> None:
    time_s = np.arange(0.0, 60.0, 0.01)
    travel = np.asarray(sum(sign * 30.0 * np.tanh((time_s - at) / 0.1) for at, sign in MOVES))
    first = course(track(time_s, volts(travel, noise_v=0.004)))
    drifts = 1e-4
    second = track(time_s * (1.0 + drifts) + ahead_s, volts(travel, noise_v=0.004, seed=2))
    offset, drift = estimate_clock(first, course(second), 0.01)
    assert offset + drift * 30.0 == pytest.approx(ahead_s + drifts * 30.0, abs=0.004)


MOVES = ((4.0, 1.0), (6.0, -1.0), (21.0, 1.0), (22.0, -1.0), (38.0, 1.0), (44.0, -1.0), (51.0, 1.0))


def course(made: Instrument) -> Course:
    """A track's course, nothing of it left out."""
    return course_of(made, ())


def test_read_in_turn_a_sister_that_just_left_is_not_elsewhere() -> None:
    """By hand: let go at 2.0 s the first is shut at once, the second is read on its way at 2.05 s."""
    time_s = np.arange(0.0, 6.0, 0.1)
    first = np.where((time_s > 0.95) & (time_s < 1.95), 80.0, 0.0)
    second = np.where((time_s > 0.95) & (time_s < 1.95), 80.0, 10.0)
    second[20] = 45.0
    made = recording(time_s, tps1_pct=first, tps2_pct=second)
    assert at_rail(made, 5.0) == ()
    second[25:35] = 40.0
    assert at_rail(recording(time_s, tps1_pct=first, tps2_pct=second), 5.0) != ()


# -- what swings, fades and slows down ------------------------------------------------------------------


@pytest.mark.parametrize("hertz", [50.0, 60.3, 133.0])
def test_hum_is_taken_away_and_motion_is_not(hertz: float) -> None:
    time_s, travel = sweeps(8, rate_hz=1000.0)
    plain = volts(travel, noise_v=0.002)
    swing = 0.03 * np.sin(2.0 * np.pi * hertz * time_s + 0.7)
    left = without_hum(plain + swing, time_s, 0.001) - plain
    assert float(np.sqrt(np.mean(left**2))) < 0.1 * 0.03 / np.sqrt(2.0)
    assert without_hum(plain, time_s, 0.001) is plain


def test_what_swings_with_no_steady_phase_is_no_hum() -> None:
    """A plate that trembles: its frequency wanders by several hertz, and it stops and begins again."""
    time_s, travel = sweeps(8, rate_hz=1000.0)
    phase = 2.0 * np.pi * np.cumsum(40.0 + np.random.default_rng(5).normal(0.0, 90.0, time_s.size)) / 1e3
    shaken = volts(travel, noise_v=0.002) + 0.03 * np.sin(phase)
    assert without_hum(shaken, time_s, 0.001) is shaken


def test_a_ripple_is_sought_where_the_engine_runs() -> None:
    """It stands in the middle of the recording, for longer than it runs."""
    time_s, travel = sweeps(15, rate_hz=1000.0)
    runs = (time_s < 10.0) | (time_s > 50.0)
    share = np.asarray(
        1.0 + 0.04 * runs * np.sin(2.0 * np.pi * np.cumsum(120.0 + 0.3 * time_s) / 1000.0), np.float64
    )
    supply = channel("vref_v", time_s, 5.0 * share)
    made = prepare(channel("tps1_v", time_s, volts(travel) * share), 5.0, (), supply)
    assert made is not None
    assert made.level == pytest.approx(20.0 * volts(travel), abs=1e-6)


def test_lines_that_fade_are_switched_off_and_lines_that_leap_are_open() -> None:
    """A unit's capacitors empty over tenths of a second; an open supply is gone in milliseconds."""
    time_s, travel = sweeps(6, rate_hz=100.0)
    for fades_s, is_off in ((0.5, True), (0.005, False)):
        share = np.exp(-np.maximum(time_s - 12.0, 0.0) / fades_s)
        lines = {"tps1_v": volts(travel) * share, "tps2_v": (volts(travel) + 0.1) * share}
        assert bool(key_off_spans(recording(time_s, **lines))) is is_off
        assert key_off_spans(recording(time_s, tps1_v=lines["tps1_v"])) == ()


def test_a_shaft_that_slows_into_its_rest_stands_there() -> None:
    """By hand, at 40 readings a second: 20, 40, 55, 64, 68, 69 % is a hand; 20, 69, 69 % is none."""
    time_s = np.arange(0.0, 30.0, 0.025)
    for way, stands in (((40.0, 55.0, 64.0, 68.0), 0), ((), 6)):
        level = np.full(time_s.size, 20.0)
        for n in range(6):
            first = 100 + 180 * n
            held = (*way, *[69.0 + 0.5 * n] * 20, *reversed(way))
            level[first : first + len(held)] = held
        noise = np.random.default_rng(1).normal(0.0, 0.002, time_s.size)
        found, _ = find_stands(track(time_s, level / 20.0 + noise), ())
        assert len(found) == stands


def test_a_place_that_no_crossing_shows_is_none() -> None:
    """Nine times off at rest at 30 %, and never on the two ways through it."""
    time_s = np.arange(0.0, 60.0, 0.01)
    travel = np.interp(time_s, [0.0, 20.0, 30.0, 32.0, 40.0, 60.0], [100.0, 10.0, 30.0, 30.0, 50.0, 0.0])
    made = track(time_s, volts(travel))
    at_rest = [30.1 + 0.2 * n for n in range(9)]
    off = [Excursion((t, t + 0.03), 34.0, 34.0, 30.0, 3) for t in at_rest]
    events = tuple(event_of([(made.id, e)]) for e in off)
    ways = (
        Pass(0.0, 20.0, Direction.CLOSING, 100.0, 10.0),
        Pass(40.0, 60.0, Direction.CLOSING, 50.0, 0.0),
    )
    assert from_events(made, events, ways, (time_s, travel)) == ((), ())
