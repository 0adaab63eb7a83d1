"""Edges, excursions, events: what leaves the course, to the sample; and what only seems to."""

import numpy as np
import pytest

from nervus.domain.channel import FloatArray
from nervus.domain.finding import Floor
from nervus.signal.candidates.edges import is_no_motion, split_at_edges
from nervus.signal.candidates.excursions import find_excursions, find_weak_excursions
from nervus.signal.candidates.stands import find_stands
from nervus.signal.explained.events import Cause, bursts
from nervus.signal.motion.course import course_of
from signals import events, recording, sweep, sweeps, track, volts


def planted(
    at: float, seconds: float, level_v: float, rate_hz: float = 200.0
) -> tuple[FloatArray, FloatArray]:
    """A sweep with the signal at a level for a while."""
    time_s, travel = sweep(rate_hz=rate_hz)
    values = volts(travel, noise_v=0.002)
    values[(time_s >= at - 1e-9) & (time_s < at + seconds - 1e-9)] = level_v
    return time_s, values


@pytest.mark.parametrize("rate_hz", [100.0, 200.0, 1000.0])
@pytest.mark.parametrize(
    ("level_v", "floor"), [(0.02, Floor.GROUND), (4.98, Floor.SUPPLY), (3.4, Floor.INTERMEDIATE)]
)
@pytest.mark.parametrize("samples", [1, 2, 7, 30])
def test_a_drop_is_found_to_the_sample(
    rate_hz: float, level_v: float, floor: Floor, samples: int
) -> None:
    time_s, values = planted(0.9, samples / rate_hz, level_v, rate_hz)
    (found,) = find_excursions(track(time_s, values))
    assert found.samples == samples
    assert found.span_s[0] == pytest.approx(0.9, abs=1e-6)
    assert found.span_s[1] == pytest.approx(0.9 + (samples - 1) / rate_hz, abs=1e-6)
    assert found.floor is floor
    assert found.level / 20 == pytest.approx(level_v, abs=0.05)


def test_a_healthy_sweep_has_no_excursion() -> None:
    time_s, travel = sweep()
    assert find_excursions(track(time_s, volts(travel, noise_v=0.004))) == ()


@pytest.mark.parametrize("rate_hz", [20.0, 50.0, 100.0, 200.0, 1000.0])
@pytest.mark.parametrize("snap_s", [0.07, 0.1, 0.2])
def test_a_snap_of_the_pedal_is_no_excursion(rate_hz: float, snap_s: float) -> None:
    """Common practice, no published source: a spring snaps a plate shut in some 70 ms."""
    time_s = np.arange(0.0, 4.0, 1.0 / rate_hz)
    for shift in np.linspace(0, 1 / rate_hz, 5):
        share = np.clip((time_s - 1.0 - shift) / snap_s, 0, 1) - np.clip(
            (time_s - 1.6 - shift) / snap_s, 0, 1
        )
        eased = share**3 * (10 - 15 * share + 6 * share**2)
        assert find_excursions(track(time_s, volts(100 * eased, noise_v=0.002))) == ()


def test_what_is_beyond_any_plate_depends_on_size_and_time() -> None:
    """Worked by hand: 4 D / T^2 with T = 2 intervals; 100 % in 20 ms needs 1e6 %/s^2, in 100 ms 4e4."""
    fast, slow = np.asarray([0.01]), np.asarray([0.05])
    assert is_no_motion(np.asarray([100.0]), fast)
    assert not is_no_motion(np.asarray([100.0]), slow)
    # A hand's nudge: 4 % in 20 ms needs 4e4 %/s^2, more than the 15 800 of 8 % in 45 ms.
    assert is_no_motion(np.asarray([4.0]), fast)
    assert not is_no_motion(np.asarray([1.0]), fast)


def test_an_interruption_that_fades_in_is_followed_to_the_course() -> None:
    """A held level that the moving course leaves slowly, and comes back to by an edge."""
    time_s, travel = sweep()
    values = volts(travel, noise_v=0.001)
    held = (time_s >= 0.8) & (time_s < 0.95)
    values[held] = values[held][0]
    (found,) = find_excursions(track(time_s, values))
    assert found.span_s[1] == pytest.approx(0.945, abs=0.006)
    assert 0.8 < found.span_s[0] < 0.9


def test_a_small_step_between_distant_samples_is_weak() -> None:
    time_s, travel = sweep(rate_hz=50.0)
    values = volts(travel, noise_v=0.001)
    values[(time_s >= 0.9) & (time_s < 0.98)] -= 0.2
    made = track(time_s, values)
    sure = find_excursions(made)
    assert sure == ()
    (weak,) = find_weak_excursions(made, sure)
    assert weak.weak
    assert weak.span_s == pytest.approx((0.9, 0.96), abs=1e-6)


def test_segments_lie_between_the_edges() -> None:
    time_s, values = planted(0.9, 0.1, 0.02)
    segments = split_at_edges(track(time_s, values))
    assert segments.first.tolist() == [0, 180, 200]
    assert segments.last.tolist() == [179, 199, time_s.size - 1]


def spiked(volts_of_spike: float, lines: tuple[str, ...]) -> dict[str, FloatArray]:
    time_s, travel = sweep(rate_hz=1000.0)
    one, two = volts(travel, noise_v=0.002), 5.0 - volts(travel, noise_v=0.002, seed=2)
    lines_v = {"tps1_v": one, "tps2_v": two, "vref_v": np.full(time_s.size, 5.0)}
    for name in lines:
        lines_v[name][700] += volts_of_spike
    return {"time_s": time_s, **lines_v}


def swung(swings: tuple[float, ...]) -> dict[str, FloatArray]:
    """Volts that both tracks get alike in samples 2 ms apart; there is no supply to compare with."""
    time_s, travel = sweep(rate_hz=500.0)
    one, two = volts(travel, noise_v=0.002), 5.0 - volts(travel, noise_v=0.002, seed=2)
    for step, volts_of_it in enumerate(swings):
        one[350 + step] += volts_of_it
        two[350 + step] += volts_of_it
    return {"time_s": time_s, "tps1_v": one, "tps2_v": two}


def test_the_course_bridges_what_is_faulty_and_leaves_the_rest() -> None:
    time_s, values = planted(0.9, 0.1, 0.02)
    made = track(time_s, values)
    course = course_of(made, tuple(e.span_s for e in find_excursions(made)))
    _, travel = sweep()
    expected = np.interp(course.time_s, time_s, volts(travel))
    assert np.abs(course.own() - expected).max() < 0.03


def test_the_course_of_fast_samples_is_thinned_by_means() -> None:
    time_s, travel = sweep(rate_hz=10_000.0)
    course = course_of(track(time_s, volts(travel, noise_v=0.01)), ())
    assert course.time_s.size == 500
    assert np.abs(course.own() - np.interp(course.time_s, time_s, volts(travel))).max() < 0.006


# -- explained ----------------------------------------------------------------------------------


def test_a_burst_is_one_event_and_its_ends_are_exact() -> None:
    time_s, travel = sweep()
    values = volts(travel, noise_v=0.002)
    random = np.random.default_rng(3)
    inside = (time_s >= 1.2) & (time_s <= 1.4)
    values[inside] = np.where(random.random(int(inside.sum())) < 0.8, 0.03, values[inside])
    (event,) = events(recording(time_s, tps1_v=values))
    assert event.span_s == pytest.approx((1.2, 1.4), abs=0.03)
    assert event.deepest[1].floor is Floor.GROUND
    assert not event.is_weak


def test_a_spike_on_every_line_is_no_event_but_on_one_it_is() -> None:
    for lines, found in ((("tps1_v", "tps2_v", "vref_v"), 0), (("tps1_v",), 1)):
        made = spiked(0.6, lines)
        assert len(events(recording(made.pop("time_s"), **made))) == found


@pytest.mark.parametrize(
    ("swings", "found"), [((0.6, 0.3, -0.4), 0), ((-0.6, -0.3, 0.5), 0), ((0.6,) * 7, 1)]
)
def test_a_spike_that_swings_is_no_event_without_a_supply_to_compare_with(
    swings: tuple[float, ...], found: int
) -> None:
    """Common practice, no published source: what is coupled in adds the same volts to every line."""
    made = swung(swings)
    assert len(events(recording(made.pop("time_s"), **made))) == found


@pytest.mark.parametrize(("level_v", "found"), [(2.6, 5), (4.45, 0)])
def test_jumps_that_land_on_one_level_are_an_open_line_seen_slowly(level_v: float, found: int) -> None:
    """Ten readings a second: an input's resistors hold an open line at one level; a stop is none."""
    time_s, travel = sweeps(6, seconds=6.0, rate_hz=10.0)
    values = volts(travel, noise_v=0.002)
    starts = (4, 85, 147, 230, 295)
    for start in starts:
        values[start : start + 3] = level_v
    stands, level = find_stands(track(time_s, values), ())
    assert (level is not None) is bool(found)
    assert len(stands) == found or level is None
    random = np.random.default_rng(4)
    for start in starts:
        values[start : start + 3] = random.uniform(1.5, 3.5)
    assert find_stands(track(time_s, values), ())[1] is None


def test_what_shows_on_both_tracks_is_one_event_that_names_both() -> None:
    """Opposite tracks that both go to the supply contradict their relation: an open ground."""
    time_s, travel = sweep()
    one, two = volts(travel, noise_v=0.002), 5.0 - volts(travel, noise_v=0.002, seed=2)
    for values in (one, two):
        values[180:200] = 4.99
    found = events(recording(time_s, tps1_v=one, tps2_v=two))
    assert [(e.channels, e.cause) for e in found] == [(("tps1_v", "tps2_v"), Cause.FEED)]
    assert len(bursts(found, (time_s, travel))) == 1
    assert len(bursts((*found, *found), (time_s, travel))) == 1


@pytest.mark.parametrize("relation", [1.0, -1.0])
def test_both_tracks_that_leap_to_one_level_are_no_motion(relation: float) -> None:
    """They agree, as motion would; but 20 % within 5 ms needs 3 200 000 %/s^2: no plate has that."""
    time_s, travel = sweeps(3)
    shown = travel.copy()
    for start in (150, 700, 1300, 1900):
        shown[start : start + 20] = 55.0
    one = volts(shown, noise_v=0.001)
    two = 2.5 + relation * (volts(shown, noise_v=0.001, seed=2) - 2.5)
    found = events(recording(time_s, tps1_v=one, tps2_v=two))
    assert [(e.channels, e.cause) for e in found] == [(("tps1_v", "tps2_v"), Cause.ELECTRONICS)] * 4
    assert min(e.margin for e in found) > 3.0


def test_a_plate_that_bounces_on_its_stop_moves_both_tracks_alike() -> None:
    """A snap shut, and 1.5 % of bounce behind it: both tracks say so, within what a plate can."""
    time_s = np.arange(0.0, 8.0, 0.01)
    phase = time_s % 4.0
    shut = np.clip(1.0 - (phase - 2.0) / 0.09, 0.0, 1.0)
    travel = 60.0 * np.clip(phase / 1.0, 0.0, 1.0) * shut
    bounce = np.clip(1.0 - ((phase - 2.13) / 0.03) ** 2, 0.0, 1.0) * 1.5
    one = volts(travel + bounce, noise_v=0.002)
    two = 5.0 - volts(travel + bounce, noise_v=0.002, seed=2)
    assert events(recording(time_s, tps1_v=one, tps2_v=two)) == ()


def test_from_a_rail_a_track_comes_back_wherever_a_spring_took_the_plate() -> None:
    """A snap shut over 20 ms at a rail: where it is afterwards is its course, and not before it opens.

    At 1500 % a second, the whole travel in 67 ms, 20 ms are 30 % (from memory).
    """
    time_s = np.arange(0.0, 4.0, 0.001)
    travel = np.interp(time_s, [0.0, 2.0, 2.08, 2.9, 2.98, 4.0], [100.0, 100.0, 0.0, 0.0, 100.0, 100.0])
    off = ((time_s > 2.005) & (time_s < 2.025)) | ((time_s > 2.955) & (time_s < 2.975))
    found = find_excursions(track(time_s, np.where(off, 0.02, volts(travel, noise_v=0.003))))
    assert len(found) == 2
    assert all(e.span_s[1] - e.span_s[0] < 0.03 for e in found)


def test_what_comes_back_from_a_rail_by_motion_ends_there() -> None:
    """Five readings a second: nothing leaps back, so its end is where it left the rail."""
    time_s = np.arange(0.0, 40.0, 0.2)
    travel = np.interp(
        time_s % 10.0, [0.0, 4.0, 5.0, 8.0, 9.0, 10.0], [70.0, 70.0, 0.0, 0.0, 70.0, 70.0]
    )
    off = (time_s > 12.1) & (time_s < 13.1) | (time_s > 19.3) & (time_s < 20.3)
    shown = np.where(off, 0.02, volts(travel, noise_v=0.003))
    late = np.flatnonzero((time_s > 13.1) & (time_s < 13.7))
    shown[late] = np.interp(time_s[late], [13.1, 13.7], [0.02, 3.0])
    found = [e for e in find_excursions(track(time_s, shown)) if e.level < 8.0]
    assert max(e.span_s[1] - e.span_s[0] for e in found) < 1.6
