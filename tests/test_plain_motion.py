"""The plainest motion there is, sound and with faults planted: told as it is, with or without a command.

Sources: a stand, a step and a drift by their physics (`planted.py`), motions and instruments from memory
(`plain_motion.py`). Where no other is named: common practice, no published source.
"""

import zlib
from dataclasses import replace

import numpy as np
import pytest

import plain_motion
from nervus.domain.channel import FloatArray, Recording
from nervus.domain.finding import DeadSpot, Disagreement, Drop, Finding
from nervus.judge.analyse import analyse
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.explained.feed_signs import joint_of
from nervus.signal.motion.course import Course
from nervus.signal.motion.relation import learn_late_line
from nervus.signal.told.lasting import apart_on_the_whole, stood_apart
from planted import FAULTS, Planted
from signals import track
from test_planted import is_told

LED_S = 0.06


def findings_of(made: Planted) -> tuple[Finding, ...]:
    return analyse(made.recording).examination.findings


def texts(recording: Recording) -> list[str]:
    return [f.text for f in analyse(recording).examination.findings]


def plant(motion: str, pair: str, rate_hz: float, fault: str, seed: int) -> Planted:
    """As `bench_plain_planted.py` draws it."""
    random = np.random.default_rng(zlib.crc32(f"{motion}{pair}{rate_hz}{fault}{seed}".encode()))
    random.integers(4)
    made = FAULTS[fault](plain_motion.sound(motion, pair, rate_hz, seed), fault, random)
    assert made is not None
    return made


PLAIN = (
    # A stop ends a motion at any instant between two readings of tracks that are read in turn.
    ("to_the_stops", "mirrored", 14.0, 3), ("to_the_stops", "half", 25.0, 1),
    ("to_and_fro", "same", 14.0, 2), ("part_of_the_way", "half", 8.0, 1),
    # Thrown open and held: it did not leap where it was on its way already.
    ("snaps", "alone", 25.0, 0), ("snaps", "half", 25.0, 0), ("snaps", "offset", 50.0, 0),
    ("snaps", "mirrored", 14.0, 1), ("snaps", "alone", 14.0, 1),
    # Held at the same openings again and again, by a motor.
    ("to_one_level", "same", 25.0, 0), ("to_one_level", "alone", 14.0, 1),
    # Read slower than a shaft arrives, openings that come again are no level of an open line.
    ("to_one_level", "same", 4.0, 61), ("to_one_level", "alone", 8.0, 61),
    ("to_one_level", "same", 8.0, 120), ("to_one_level", "mirrored", 8.0, 120),
    ("stairs", "half", 25.0, 0), ("stairs", "alone", 50.0, 0), ("follows", "alone", 14.0, 0),
    ("follows", "offset", 14.0, 0), ("part_of_the_way", "same", 14.0, 0),
    ("parabolas", "mirrored", 8.0, 1), ("wavers", "half", 100.0, 1),
    # Two tracks rounded alike step at one place; waves of one height shrink by no factor.
    ("wavers", "half", 100.0, 33), ("wavers", "same", 8.0, 33),
)  # fmt: skip
LED = (
    # What comes to one level was asked to go there, and to come back.
    ("to_one_level", "same", 14.0, 33), ("to_one_level", "half", 14.0, 33),
    ("to_one_level", "mirrored", 8.0, 33), ("stairs", "offset", 14.0, 33),
    ("stairs", "half", 14.0, 33), ("follows", "offset", 14.0, 33), ("wavers", "same", 8.0, 33),
    # It follows late, and quickly.
    ("snaps", "same", 1000.0, 33), ("to_one_level", "alone", 100.0, 33),
    ("to_one_level", "half", 200.0, 33), ("stairs", "half", 1000.0, 33),
    ("wavers", "alone", 50.0, 33), ("wavers", "half", 25.0, 33),
)  # fmt: skip


@pytest.mark.parametrize(
    ("motion", "pair", "rate_hz", "seed", "led_s"),
    [*((*each, None) for each in PLAIN), *((*each, LED_S) for each in LED)],
)
def test_the_plainest_motion_gets_no_blame(
    motion: str, pair: str, rate_hz: float, seed: int, led_s: float | None
) -> None:
    """By itself, and with the command recorded that led it."""
    assert texts(plain_motion.sound(motion, pair, rate_hz, seed, led_s=led_s)) == []


@pytest.mark.parametrize("motion", ["to_the_stops", "snaps", "follows"])
def test_a_pedals_tracks_are_looked_at_alike(motion: str) -> None:
    assert texts(plain_motion.sound(motion, "half", 100.0, 33, pedal=True)) == []


@pytest.mark.parametrize(
    ("motion", "pair", "rate_hz", "fault", "seed"),
    [
        # Read in turn, one interval in two: only where both stand, or on the whole, does it show.
        ("snaps", "same", 8.0, "drifts away", 30), ("snaps", "offset", 8.0, "drifts away", 30),
        ("to_one_level", "same", 8.0, "drifts away", 30), ("wavers", "half", 8.0, "drifts away", 30),
        ("wavers", "half", 4.0, "drifts away", 30), ("parabolas", "same", 4.0, "drifts away", 30),
        ("to_one_level", "half", 8.0, "steps aside", 30), ("follows", "same", 4.0, "steps aside", 30),
        # It is no place of the other track, and no rest that is off.
        ("to_the_stops", "same", 200.0, "steps aside", 30), ("snaps", "same", 1000.0, "steps aside", 32),
        ("wavers", "same", 200.0, "steps aside", 33), ("follows", "mirrored", 50.0, "steps aside", 33),
        ("to_the_stops", "half", 14.0, "steps aside", 33),
        # While one stands, or is at a rail, the other is not rough.
        ("to_the_stops", "mirrored", 200.0, "stands", 32), ("to_and_fro", "same", 100.0, "stands", 30),
        ("wavers", "same", 200.0, "stands", 32), ("wavers", "same", 200.0, "opens", 32),
        ("wavers", "mirrored", 100.0, "opens", 31), ("follows", "mirrored", 100.0, "steps", 30),
    ],
)  # fmt: skip
def test_what_is_planted_is_told_and_nothing_else(
    motion: str, pair: str, rate_hz: float, fault: str, seed: int
) -> None:
    made = plant(motion, pair, rate_hz, fault, seed)
    assert is_told(fault, made, findings_of(made))


def test_how_far_tracks_differ_is_told_by_what_timing_does_least_to() -> None:
    """10 % were planted; in the snaps readings are 23 % apart, where they are calm 10."""
    (found,) = findings_of(plant("snaps", "same", 8.0, "drifts away", 30))
    assert isinstance(found, Disagreement)
    assert found.worst_pct == pytest.approx(10.0, abs=1.5)


def test_where_the_stops_are_is_told_by_a_command_that_rests() -> None:
    """0.6 and 4.1 V; what is read while it still moves gave 0.48 and 3.98 V."""
    travel = analyse(plain_motion.sound("snaps", "same", 200.0, 34, led_s=LED_S)).examination.travel
    assert travel is not None
    frame = travel.frames["tps1_v"]
    assert (frame.closed, frame.open) == pytest.approx((0.6, 4.1), abs=0.02)


def test_where_its_course_is_doubtful_a_throttle_does_not_stick() -> None:
    """Read 8 times a second a hand that wavers makes a doubtful course: drawn straight, it stands."""
    made = plain_motion.sound("wavers", "alone", 8.0, 122, led_s=0.06)
    assert not [f for f in analyse(made).examination.findings if isinstance(f, Disagreement)]


def test_where_a_hand_turns_round_beside_a_step_nothing_fell() -> None:
    """It wavers about the edge of a worn place: 22 of its visits seemed falls."""
    found = findings_of(plant("wavers", "alone", 200.0, "steps", 31))
    assert sum(isinstance(f, DeadSpot) for f in found) == 1
    assert sum(isinstance(f, Drop) for f in found) <= 1


# -- differences that last ------------------------------------------------------------------------------


def read_in_turn(late_s: float, aside: float, seed: int = 1) -> tuple[FloatArray, ...]:
    """Ten readings a second of a sine; the other track is read later, and aside for a while."""
    random = np.random.default_rng(seed)
    time_s = np.arange(0.0, 60.0, 0.1)
    place = 50.0 + 40.0 * np.sin(2.0 * np.pi * 0.4 * time_s)
    other = 50.0 + 40.0 * np.sin(2.0 * np.pi * 0.4 * (time_s + late_s))
    off = place - other + random.normal(0.0, 0.3, time_s.size)
    off[(time_s > 30.0) & (time_s < 45.0)] += aside
    speed = 40.0 * 2.0 * np.pi * 0.4 * np.cos(2.0 * np.pi * 0.4 * time_s)
    return time_s, off, speed, 0.5 + np.abs(speed) * 0.03


def test_timing_alone_sets_no_tracks_apart() -> None:
    """50 ms at up to 100 % a second are 5 % of travel in single readings."""
    time_s, off, speed, spread = read_in_turn(0.05, 0.0)
    assert np.abs(off).max() > 4.5
    assert not apart_on_the_whole(time_s, off, speed, spread, 2.5).any()


def test_what_goes_one_way_only_tells_no_difference() -> None:
    """0.3 s late at 12 % a second are 3.6 %: that is timing, or is not."""
    time_s = np.arange(0.0, 60.0, 0.1)
    for speed in (12.0, -12.0):
        even = np.full(time_s.size, speed)
        assert not apart_on_the_whole(time_s, 0.3 * even, even, np.full(time_s.size, 0.3), 2.5).any()
        # Where its speed varies, timing is taken out.
        varied = even * (1.0 + 0.5 * np.sin(time_s))
        assert not apart_on_the_whole(time_s, 0.4 * varied, varied, np.full(time_s.size, 0.3), 2.5).any()


@pytest.mark.parametrize("aside", [-4.5, 4.5])
def test_what_timing_hides_shows_on_the_whole(aside: float) -> None:
    time_s, off, speed, spread = read_in_turn(0.05, aside)
    found = apart_on_the_whole(time_s, off, speed, spread, 2.5)
    assert found[(time_s > 34.0) & (time_s < 44.0)].mean() > 0.6
    assert not found[(time_s < 26.0) | (time_s > 49.0)].any()
    assert (off[found] * np.sign(aside) > 2.5).all()
    assert not apart_on_the_whole(time_s, off / 3.0, speed, spread, 2.5).any()


def test_a_few_far_readings_set_no_tracks_apart() -> None:
    time_s, off, speed, spread = read_in_turn(0.0, 0.0)
    off[::12] += 40.0
    assert not apart_on_the_whole(time_s, off, speed, spread, 2.5).any()
    assert not apart_on_the_whole(time_s[:20], off[:20] + 9.0, speed[:20], spread[:20], 2.5).any()


def test_far_readings_hide_no_difference_that_lasts() -> None:
    time_s, off, speed, spread = read_in_turn(0.0, 4.5)
    off[::12] -= 40.0
    found = apart_on_the_whole(time_s, off, speed, spread, 2.5)
    assert found[(time_s > 34.0) & (time_s < 44.0)].mean() > 0.6
    assert not found[(time_s < 26.0) | (time_s > 49.0)].any()


def test_what_scatters_is_known_less_well() -> None:
    """3.2 % in the mean, 4 % of scatter: some 75 readings know it to half a percent."""
    time_s, _, speed, spread = read_in_turn(0.0, 0.0)
    random = np.random.default_rng(2)
    off = 3.2 + random.normal(0.0, 4.0, time_s.size)
    assert not apart_on_the_whole(time_s, off, speed, spread, 2.5).any()
    assert apart_on_the_whole(time_s, off + 4.0, speed, spread, 2.5).mean() > 0.8


def test_readings_that_stood_apart_must_be_many_and_last() -> None:
    quickly, slowly = np.arange(0.0, 5.0, 0.05), np.arange(0.0, 20.0, 1.0)
    for times, until in ((quickly, 2.7), (slowly, 4.5)):
        time_s = np.asarray(times, dtype=np.float64)
        off = np.where((time_s >= 2.0) & (time_s <= until), 5.0, 0.0)
        assert stood_apart((time_s, off), (), 2.5)[0] == ()
    # What scatters by as much as it is beyond the limit may be noise.
    off = np.where(np.arange(40) % 2, 4.4, 2.6)
    assert stood_apart((np.linspace(0.0, 10.0, 40), off), (), 2.5)[0] == ()


def test_readings_that_stood_apart_in_a_row() -> None:
    time_s = np.arange(0.0, 10.0, 0.25)
    off = np.where((time_s >= 3.0) & (time_s <= 6.0), 5.0, 0.0)
    spans, at_s = stood_apart((time_s, off), (), 2.5)
    assert spans == ((3.0, 6.0),)
    assert at_s.tolist() == time_s[off > 0.0].tolist()
    assert stood_apart((time_s, -off), (), 2.5)[0] == ((3.0, 6.0),)
    # What is told of it otherwise, what swings to either side, and what is short.
    assert stood_apart((time_s, off), ((2.9, 5.5),), 2.5)[0] == ()
    assert stood_apart((time_s, off * np.where(np.arange(40) % 2, 1.0, -1.0)), (), 2.5)[0] == ()
    assert stood_apart((time_s, np.where(time_s > 9.0, 5.0, 0.0)), (), 2.5)[0] == ()


# -- a command and what follows it ----------------------------------------------------------------------


def course(time_s: FloatArray, level: FloatArray) -> Course:
    return Course("tps1_v", time_s, level, float(np.median(np.diff(time_s))), 0.01, 5.0, 0.01)


def holds(late_s: float, most: float = 100.0) -> tuple[Course, Course]:
    """A command from hold to hold, and what follows it on a scale of its own, no further than some."""
    time_s = np.arange(0.0, 40.0, 0.02)
    places = np.asarray([0.0, 20.0, 45.0, 0.0, 100.0, 45.0, 20.0, 100.0, 0.0, 60.0, 0.0])
    at_s = np.repeat(np.arange(11) * 4.0, 2)[1:-1] + np.tile([0.0, 0.2], 11)[:20]
    asked = np.interp(time_s, at_s, np.repeat(places, 2)[1:-1])
    follows = np.minimum(np.interp(time_s - late_s, time_s, asked), most)
    return course(time_s, asked), course(time_s, 12.0 + 0.7 * follows)


@pytest.mark.parametrize("late_s", [0.0, 0.06, 0.13, 0.27])
def test_the_line_of_what_follows_late(late_s: float) -> None:
    found = learn_late_line(*holds(late_s))
    assert found is not None
    assert found[0].slope == pytest.approx(0.7, abs=0.003)
    assert found[0].offset == pytest.approx(12.0, abs=0.2)
    assert found[1] == pytest.approx(late_s, abs=0.02)


def test_a_sweep_that_never_rests_tells_its_line_and_delay() -> None:
    """Read a thousand times a second it moves by a tenth of a percent between two readings."""
    time_s = np.arange(0.0, 30.0, 0.001)
    asked = 100.0 * np.abs((time_s / 2.0) % 2.0 - 1.0)
    follows = 12.0 + 0.7 * np.interp(time_s - 0.1, time_s, asked)
    found = learn_late_line(course(time_s, asked), course(time_s, follows))
    assert found is not None
    assert (found[0].slope, found[0].offset) == pytest.approx((0.7, 12.0), abs=0.2)
    assert found[1] == pytest.approx(0.1, abs=0.01)


def test_what_stops_half_way_does_not_bend_the_line() -> None:
    found = learn_late_line(*holds(0.06, most=62.0))
    assert found is not None
    assert found[0].slope == pytest.approx(0.7, abs=0.01)


@pytest.mark.parametrize("falls", [False, True])
def test_what_is_held_most_of_the_time_tells_its_line_by_the_rest(*, falls: bool) -> None:
    """Asked for more than it can again and again, nine times, it is at one level each time."""
    time_s = np.arange(0.0, 70.0, 0.05)
    places = [4.0, 7.5, 95.0, 86.0, 10.0, 4.0, 28.0, 4.0, 67.0, 76.0, 71.0, 90.0, 96.0, 82.0, 62.0, 4.0]
    at_s = np.add.outer(np.arange(16) * 4.0, [0.2, 4.0]).ravel()
    asked = np.interp(time_s, at_s, np.repeat(places, 2))
    follows = 12.0 + 0.7 * np.minimum(np.interp(time_s - 0.1, time_s, asked), 45.0)
    found = learn_late_line(course(time_s, asked), course(time_s, 100.0 - follows if falls else follows))
    assert found is not None
    expected = (-0.7, 88.0) if falls else (0.7, 12.0)
    assert (found[0].slope, found[0].offset) == pytest.approx(expected, abs=0.3)


def test_what_does_not_follow_has_no_line() -> None:
    asked, follows = holds(0.0)
    random = np.random.default_rng(1)
    assert learn_late_line(asked, replace(follows, level=random.uniform(0.0, 100.0, 2000))) is None


# -- a joint --------------------------------------------------------------------------------------------


def fallen(pairs: list[tuple[float, float]]) -> tuple[Excursion, ...]:
    return tuple(
        Excursion((n, n + 0.2), at, at, level, 5) for n, (at, level) in enumerate(pairs, start=1)
    )


def test_a_joint_takes_one_factor_from_wherever_a_track_was() -> None:
    time_s = np.arange(0.0, 30.0, 0.05)
    line = track(time_s, 2.5 + 1.5 * np.sin(time_s))
    openings = [20.0, 31.0, 44.0, 58.0, 67.0, 73.0]
    joint = joint_of(line, fallen([(at, 0.5 * at) for at in openings]))
    assert joint is not None
    assert joint.factor == pytest.approx(0.5, abs=0.01)
    # A hand's strokes of one depth, from nearly one place, have nearly one factor too.
    waves = [(25.0, 50.0), (24.2, 49.8), (26.1, 51.0), (25.4, 50.6), (24.7, 49.2), (25.9, 50.5)]
    assert joint_of(line, fallen(waves)) is None


def test_the_tracks_difference_is_told_once() -> None:
    """A rest that is off by as much as the tracks differ is one of them, lying."""
    found = findings_of(plant("to_the_stops", "mirrored", 8.0, "steps aside", 33))
    assert [type(f) for f in found] == [Disagreement]
