"""What sound throttles, pedals and units do that looks like a fault, beside what it looks like.

Built sample by sample from the fact; common practice, no published source, where none is named.
"""

import numpy as np
import pytest

from exported import on_change
from nervus.domain.channel import FloatArray, Recording
from nervus.domain.finding import DeadSpot, Disagreement, Drop, Noise, OffRest, RestCause, Shape
from nervus.judge.analyse import analyse
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.candidates.spikes import spikes_of
from nervus.signal.explained.breathed import who_breathed
from nervus.signal.instruments.key import key_off_spans
from nervus.signal.motion.course import course_of
from nervus.signal.motion.ended import before_ends
from nervus.signal.motion.relation import learn_line
from nervus.signal.told.following import not_following
from nervus.signal.told.rest import Rest, off_rest
from signals import channel, recording, track, volts
from test_line_cases import of, told
from test_lost_while_moving import moved

# -- an engine that speeds up ----------------------------------------------------------------------


def townwards(*, opened: bool) -> Recording:
    """A minute of small openings, read twice a second by turns, and once all open for four readings.

    Or the unit says so of a throttle that stayed. The engine's torque goes with the opening, and what it
    drives takes as much at 1/min for each: by its moment of inertia it comes there within some seconds.
    """
    ways, now = [(0.0, 0.0)], 2.0
    for n in range(16):
        level = 10.0 + 4.0 * (n % 5)
        ways += [(now, 0.0), (now + 0.6, level), (now + 2.2, level), (now + 2.8, 0.0)]
        now += 4.0
    time_s, plate = moved(*ways, (now, 0.0), rate_hz=50.0)
    plate += 4.0
    said: FloatArray = np.where((time_s > 28.5) & (time_s < 30.2), 98.4, plate)
    speed: FloatArray = np.empty(time_s.size)
    turns = 900.0
    for at, opening in enumerate(said if opened else plate):
        turns += 0.02 * (30.0 * float(opening) + 780.0 - turns) / 2.0
        speed[at] = turns
    told_pct: FloatArray = np.round(said, 1)
    told_rpm: FloatArray = np.round(speed)
    return Recording(
        (
            channel("throttle_pct", time_s[::22], told_pct[::22]),
            channel("rpm", time_s[11::22], told_rpm[11::22]),
        )
    )


def test_an_engine_that_speeds_up_says_that_the_throttle_was_opened() -> None:
    """By nothing but its speed motion is told from a value that the unit put in its place."""
    assert of(Drop, analyse(townwards(opened=True))) == []
    (found,) = of(Drop, analyse(townwards(opened=False)))
    assert found.channels == ("throttle_pct",)


def test_a_speed_that_is_told_too_seldom_is_no_witness() -> None:
    made = townwards(opened=True)
    own, speed = made.channels
    throttle = track(own.time_s, own.values, own.id)
    away: dict[str, tuple[Excursion, ...]] = {throttle.id: ()}
    both = [throttle, throttle]
    assert who_breathed(made, both, away) is not None
    seldom = channel("rpm", speed.time_s[::2], speed.values[::2])
    assert who_breathed(Recording((own, seldom)), both, away) is None
    assert who_breathed(Recording((own,)), both, away) is None


# -- rests -----------------------------------------------------------------------------------------


def rested(*levels: float) -> tuple[Rest, ...]:
    """Let go quickly, to one level after the other."""
    spans = [(10.0 * n, 10.0 * n + 5.0) for n in range(len(levels))]
    return tuple(Rest(s, x, released=True, low=True) for s, x in zip(spans, levels, strict=True))


def test_a_fast_idle_that_is_taken_back_by_and_by_is_no_plate_that_stays_open() -> None:
    """Lower from release to release; one that stays open and is freed at once, or later, is told."""

    def found(*levels: float) -> int:
        made = Recording((channel("rpm", np.arange(0.0, 90.0, 0.5), np.full(180, 900.0)),))
        return len(off_rest(rested(*levels), ("tps1_v",), made, lambda *_: RestCause.PLATE))

    assert found(4.0, 3.6, 3.6, 2.9, 2.1, 2.4, 1.2, 0.4, 0.0, 0.0) == 0
    assert found(4.0, 3.9, 4.1, 4.0, 0.0, 0.0, 0.1, 0.0) == 1
    assert found(0.0, 0.1, 0.0, 0.0, 3.0, 3.4, 3.8, 4.0) == 1


def test_a_plate_that_a_unit_moves_while_nobody_presses_is_not_let_go() -> None:
    """A cruise control holds it here and there; pressed and let go each time, the same is a fault."""
    time_s, plate = moved(
        *(
            (4.0 * n + after_s, place)
            for n in range(10)
            for after_s, place in ((0.0, 30.0), (0.4, 6.0 * (n % 2)), (3.2, 6.0 * (n % 2)))
        ),
        rate_hz=50.0,
    )
    lines = {"tps1_v": volts(plate, noise_v=0.002), "rpm": 900.0 + 60.0 * plate}
    foot = np.where(plate > 10.0, 2.0 * plate, 0.0)
    assert of(OffRest, told(time_s, **lines, pedal_pct=np.zeros(time_s.size))) == []
    assert len(of(OffRest, told(time_s, **lines, pedal_pct=foot))) == 1


# -- ends of what can be told ----------------------------------------------------------------------


def test_a_position_that_says_all_that_it_can_is_no_throttle_that_is_stopped() -> None:
    """It stands 12 % high and is cut off at 100; one that is stopped says less than that."""
    time_s, asked = moved(
        *(
            (3.0 * n + after_s, place)
            for n, most in enumerate((40.0, 100.0, 60.0, 100.0, 75.0, 100.0, 25.0, 100.0))
            for after_s, place in ((0.0, 0.0), (0.8, 0.0), (1.3, most), (2.4, most))
        ),
        (24.0, 0.0),
        rate_hz=25.0,
    )
    command = channel("throttle_cmd_pct", time_s, asked)
    told_as = {most: np.minimum(12.0 + 0.93 * asked, most) for most in (100.0, 88.0)}
    found = {
        most: told(time_s, throttle_pct=place, throttle_cmd_pct=asked) for most, place in told_as.items()
    }
    assert of(Disagreement, found[100.0]) == []
    (stopped,) = of(Disagreement, found[88.0])
    assert "no further" in stopped.text
    # The same place of which nobody says that it is the most that can be told.
    where = course_of(track(time_s, told_as[100.0], "throttle_pct"), ())
    assert not_following(command, where, "throttle_pct", most_pct=100.0) == ()


def test_a_throttle_that_rests_at_nothing_of_its_percentage_falls_to_no_ground() -> None:
    """Blips read eight times a second: two readings in three are of the rest, next to none above it."""
    ways = [(0.0, 0.8)]
    for n, top in enumerate((50.0, 92.0, 74.0, 20.0, 95.0, 84.0, 60.0, 45.0, 30.0, 88.0)):
        start = 1.0 + 1.9 * n
        ways += [(start, 0.8), (start + 0.12, top), (start + 0.45, top), (start + 0.57, 0.8)]
    time_s, place = moved(*ways, (21.0, 0.8), rate_hz=8.0)
    assert of(Drop, told(time_s, throttle_pct=np.round(place, 1))) == []


# -- two tracks ------------------------------------------------------------------------------------


def eased(*way: tuple[float, float], rate_hz: float) -> tuple[FloatArray, FloatArray]:
    """Instants, and percent, from (seconds, percent) to the next, with no jerk at either end."""
    at, places = np.asarray(way).T
    time_s = np.arange(0.0, at[-1], 1.0 / rate_hz)
    n = (np.searchsorted(at, time_s, side="right") - 1).clip(0, at.size - 2)
    u = (time_s - at[n]) / (at[n + 1] - at[n])
    return time_s, places[n] + (places[n + 1] - places[n]) * u**3 * (10.0 - 15.0 * u + 6.0 * u**2)


@pytest.mark.parametrize(
    "way",
    [
        # Of the places it was at for long a slope of a half misses one, which is all that is far off.
        ((0.0, 0.0), (1.0, 0.0), (1.6, 86.0), (6.0, 100.0), (6.6, 0.0), (8.0, 0.0)),
        # It goes no further than a third of its way at first, over which both slopes agree.
        ((0.0, 0.0), (1.0, 0.0), (3.0, 31.0), (4.5, 31.0), (7.0, 0.0), (10.0, 100.0), (20.0, 0.0)),
    ],
)  # fmt: skip
def test_tracks_are_told_by_their_own_line_and_not_by_one_that_is_usual(
    way: tuple[tuple[float, float], ...],
) -> None:
    time_s, travel = moved(*way, rate_hz=30.0)
    one = 0.48 + 0.039 * travel
    two = 0.45 + 0.55 * one
    first, second = (course_of(track(time_s, x, n), ()) for x, n in ((one, "tps1_v"), (two, "tps2_v")))
    line = learn_line(first, second, of_one_sensor=True)
    assert line is not None
    assert line.slope == pytest.approx(0.55, abs=0.01)
    assert line.offset == pytest.approx(9.0, abs=0.3)
    assert told(time_s, tps1_v=one, tps2_v=two).examination.findings == ()


def test_a_pair_is_told_by_where_neither_stands_at_its_end() -> None:
    """A flap that stands open nearly always, where one track has ended: the rest of its way tells."""
    ways = [(0.0, 100.0)]
    for n, low in enumerate((5.0, 30.0, 15.0, 0.0, 40.0, 10.0)):
        start = 4.0 + 9.0 * n
        ways += [(start, 100.0), (start + 0.3, low), (start + 1.5, low), (start + 1.8, 100.0)]
    time_s, travel = moved(*ways, (60.0, 100.0), rate_hz=30.0)
    one, two = 0.5 + 0.035 * travel, np.minimum(0.6 + 0.062 * travel, 4.78)
    made = told(time_s, tps1_v=one, tps2_v=two).examination
    assert made.findings == ()
    assert made.tracks.slope == pytest.approx(62.0 / 35.0, abs=0.03)
    courses = [course_of(track(time_s, x, n), ()) for x, n in ((one, "tps1_v"), (two, "tps2_v"))]
    first, second = before_ends(*courses)
    assert second.level.max() < 95.2
    assert first.level.size == second.level.size
    assert before_ends(courses[0], courses[0])[0] is courses[0], (
        "of tracks that go equally far neither ends"
    )


# -- instruments -----------------------------------------------------------------------------------


def test_two_spikes_that_lines_share_are_spikes_though_they_look_like_the_ends_of_one_drop() -> None:
    """One up and one down, 45 ms apart, on both lines alike; where one of them is alone it is a drop."""
    time_s = np.arange(0.0, 4.0, 0.0025)
    random = np.random.default_rng(2)
    one, two = (at_v + random.normal(0.0, 0.004, time_s.size) for at_v in (0.9, 3.8))
    first, last = 800, 818
    one[[first, last]] += 0.6, -0.6
    seen = Excursion((float(time_s[first]), float(time_s[last])), 18.0, 18.0, 30.0, 19)
    for shared, spikes in ((0.6, {id(seen)}), (0.0, set())):
        line = two.copy()
        line[first] += 0.6
        line[last] -= shared
        made = recording(time_s, tps1_v=one, tps2_v=line)
        assert spikes_of(made, track(time_s, one), (seen,)) == spikes


def test_a_spike_that_one_track_shows_plainly_is_none_of_the_other() -> None:
    """A moving plate hides it on one, and near to nothing a converter shows a part of it only."""
    way = ((0.0, 0.0), (1.0, 0.0), (1.3, 90.0), (2.0, 90.0), (2.3, 0.0), (3.0, 0.0))
    time_s, travel = moved(*way, rate_hz=400.0)
    random = np.random.default_rng(3)
    sound = [x + random.normal(0.0, 0.004, x.size) for x in (volts(travel) - 0.35, 4.2 - 0.028 * travel)]
    one, two = (x.copy() for x in sound)
    for start, by in ((1.12, 0.6), (1.16, 0.6), (2.6, -0.6), (2.64, 0.6), (2.72, -0.6)):
        at = int(np.searchsorted(time_s, start))
        one[at] += by
        two[at] += by
    assert of(Drop, told(time_s, tps1_v=np.maximum(one, 0.0), tps2_v=two)) == []
    # Both at nothing at once, for as long: an opening of what they share, and no spike.
    one, two = sound
    opened = np.searchsorted(time_s, (0.4, 0.7, 1.6, 2.5))
    one[opened], two[opened] = 0.0, 0.0
    assert [d.times_s[0][0] for d in of(Drop, told(time_s, tps1_v=one, tps2_v=two))] == pytest.approx(
        time_s[opened].tolist()
    )


def test_key_off_lasts_until_a_line_is_there_again_however_seldom_it_is_read() -> None:
    """Four lines read by turns, each every third of a second: one that is read late is still off."""
    time_s, travel = moved(
        (0.0, 0.0),
        (2.0, 0.0),
        (3.5, 90.0),
        (5.0, 0.0),
        (20.0, 0.0),
        (21.5, 90.0),
        (23.0, 0.0),
        rate_hz=500.0,
    )
    on = np.where((time_s > 8.0) & (time_s < 14.0), 0.0, 1.0)
    lines = {
        "vref_v": 5.0 * on,
        "batt_v": 12.5 * on,
        "tps1_v": volts(travel) * on,
        "tps2_v": (5.0 - volts(travel)) * on,
    }
    for last_s in (13.62, 13.7, 13.8, 13.9):
        # The supply was read last so long before it came back.
        turns = {n: np.arange(last_s - 0.9 * 14 + 0.22 * k, 23.0, 0.9) for k, n in enumerate(lines)}
        made = Recording(tuple(channel(n, t, np.interp(t, time_s, lines[n])) for n, t in turns.items()))
        ((_, end),) = key_off_spans(made)
        assert end >= 14.0
        assert of(Drop, analyse(made)) == []


@pytest.mark.parametrize("seed", [0, 1])
def test_what_is_written_in_steps_is_not_rough_where_it_is_moved_gently(seed: int) -> None:
    """A foot goes off gently, and only what changed by 10 or 15 mV was written."""
    random = np.random.default_rng(seed)
    way, now = [(0.0, 0.0), (1.0, 0.0)], 1.0
    for _ in range(6):
        for takes_s, place in ((3.0, None), (2.0, way[-1][1]), (2.0, 0.0), (2.0, 0.0)):
            now += random.uniform(0.2, takes_s)
            way.append((now, random.uniform(25.0, 70.0) if place is None else place))
    time_s, travel = eased(*way, rate_hz=55.0)
    read = np.round(volts(travel, noise_v=0.002, seed=seed) * 204.6) / 204.6
    for share in (0.002, 0.003):
        written = on_change(share)(recording(time_s, tps1_v=read), random)
        assert written is not None
        assert of(Noise, analyse(written)) == []


@pytest.mark.parametrize("climbs_pct", [0.2, 0.7])
def test_a_step_is_seen_however_slowly_the_shaft_goes_over_its_edges(climbs_pct: float) -> None:
    """At five percent of the travel a second it takes a tenth of one to climb back over half of one."""
    way = [(0.0, 0.0)]
    for n in range(3):
        way += [(40.0 * n + 1.0, 0.0), (40.0 * n + 20.0, 100.0), (40.0 * n + 39.0, 0.0)]
    time_s, travel = moved(*way, rate_hz=200.0)
    step = np.interp(travel, (55.0, 55.2, 58.5 - climbs_pct, 58.5), (0.0, 2.6, 2.6, 0.0))
    read = np.round(volts(travel - step, noise_v=0.006) / 0.02) * 0.02
    (found,) = of(DeadSpot, told(time_s, tps1_v=read))
    assert found.shape is Shape.STEP
    assert found.travel_pct == pytest.approx((55.0, 58.5), abs=0.8)
    assert (found.seen_in, found.crossed) == (6, 6)


@pytest.mark.parametrize("rate_hz", [100.0, 1000.0])
def test_what_was_not_read_was_not_seen_to_stand(rate_hz: float) -> None:
    """A foot that waits, and goes on while a capture pauses; one that reads on there sees it leap."""
    way, off_s = [(0.0, 0.0), (0.5, 0.0)], []
    for n in range(5):
        start = 6.0 * n + 0.5
        off_s += [(start + 0.7, start + 1.6), (start + 3.7, start + 4.6)]
        way += [(start + 0.4, 40.0), (start + 0.71, 40.0), (start + 1.6, 44.0), (start + 2.2, 100.0)]
        way += [(start + 3.4, 44.0), (start + 3.71, 44.0), (start + 4.6, 40.0), (start + 5.0, 0.0)]
    time_s, travel = moved(*way, rate_hz=rate_hz)
    between = np.any([(time_s > a) & (time_s < b) for a, b in off_s], axis=0)
    read = volts(travel, noise_v=0.001)
    assert of(DeadSpot, told(time_s[~between], tps1_v=read[~between])) == []
    held = volts(np.where(between, 40.0, travel), noise_v=0.001)
    (found,) = of(DeadSpot, told(time_s, tps1_v=held))
    assert found.shape is Shape.FLAT
