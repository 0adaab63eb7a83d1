"""Shafts that rest elsewhere, throttles held short, feeds that fail while the shaft moves.

Each recording is built from the fact in its test (common practice, no published source, where none is
named).
"""

import numpy as np
import pytest
from scipy.signal import lfilter

from nervus.domain.channel import FloatArray, Recording
from nervus.domain.finding import Disagreement, Drop, Finding
from nervus.domain.suspect import SuspectId
from nervus.judge.analyse import analyse
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.candidates.spikes import is_spike
from nervus.signal.explained import returns
from nervus.signal.explained.feed_signs import Lines
from nervus.signal.explained.sister import Sister
from nervus.signal.motion.course import plain_course
from nervus.signal.motion.relation import Line, learn_late_line
from signals import channel, events, pair_of, recording, sweeps, track, volts


def found_in(time_s: FloatArray, **lines: FloatArray) -> tuple[Finding, ...]:
    return analyse(recording(time_s, **lines)).examination.findings


def snapped(rests_pct: tuple[float, float], rate_hz: float = 10.0) -> tuple[FloatArray, FloatArray]:
    """Snapped open and let go, at rest in between first at one level, then at another."""
    random = np.random.default_rng(4)
    travel: list[float] = []
    for rest in rests_pct:
        for _ in range(16):
            travel += [rest] * int(random.integers(4, 22))
            top = float(random.uniform(30.0, 100.0))
            travel += [rest + 0.6 * (top - rest)] + [top] * int(random.integers(3, 7))
    travel += [rests_pct[1]] * 20
    way = np.asarray(travel)
    return np.arange(way.size) / rate_hz, way


def test_a_plate_that_no_longer_comes_home_lands_where_it_rests() -> None:
    """Each landing is a jump at ten readings a second, and all are at one level: that of a rest."""
    time_s, travel = snapped((0.0, 8.0))
    shown = volts(travel, noise_v=0.002)
    assert not [f for f in found_in(time_s, tps1_v=shown) if isinstance(f, Drop)]


@pytest.mark.parametrize("seed", range(4))
def test_two_places_at_which_both_stood_tell_how_a_pair_is_built(seed: int) -> None:
    """Snapped between two stops, read in turn nine times a second: all else is read in passing."""
    random = np.random.default_rng(seed)
    lasts_s = random.uniform(0.5, 1.6, 90)
    turns_s = np.cumsum(lasts_s)
    time_s = np.arange(0.0, float(turns_s[-1]), 0.001)
    snaps = (np.searchsorted(turns_s, time_s) % 2).astype(np.float64)
    # As a spring takes a plate: two time constants of 40 ms.
    kept = np.exp(-0.001 / 0.04)
    for _ in range(2):
        snaps = lfilter([1.0 - kept], [1.0, -kept], snaps)
    at_s = np.cumsum(random.normal(0.11, 0.006, int(time_s[-1] / 0.115)))
    one, two = (16.4 + 39.7 * np.interp(t, time_s, snaps) for t in (at_s, at_s + 0.03))
    made = Recording(
        (
            channel("tps1_pct", at_s, np.round(one / 0.4) * 0.4),
            channel("tps2_pct", at_s + 0.03, np.round(two / 0.8) * 0.4),
        )
    )
    seen = analyse(made).examination
    assert seen.findings == ()
    assert seen.tracks.slope == pytest.approx(0.5, abs=0.02)


def limited(most: float) -> tuple[FloatArray, FloatArray, FloatArray]:
    """A throttle that follows its command at once, and no further than so many percent."""
    asks = np.repeat([3.0, 52.0, 3.0, 33.0, 3.0, 78.0, 3.0, 100.0, 3.0, 65.0, 3.0, 92.0, 3.0], 60)
    time_s = np.arange(asks.size) / 50.0
    return time_s, asks, np.minimum(asks, most)


@pytest.mark.parametrize(("slope", "offset"), [(1.0, 0.0), (-1.0, 100.0)])
def test_where_a_throttle_is_held_tells_no_line_to_its_command(slope: float, offset: float) -> None:
    """Of the places that it follows to two are left: all others lie short of the line through them."""
    time_s, asks, goes = limited(40.0)
    learned = learn_late_line(
        plain_course(channel("throttle_cmd_pct", time_s, asks)),
        plain_course(channel("throttle_pct", time_s, offset + slope * goes)),
    )
    assert learned is not None
    assert learned[0].slope == pytest.approx(slope, abs=0.02)
    assert learned[0].offset == pytest.approx(offset, abs=0.5)


def test_a_throttle_held_short_is_told_by_where_it_stops() -> None:
    time_s, asks, goes = limited(40.0)
    found = found_in(time_s, tps1_v=volts(goes, noise_v=0.002), throttle_cmd_pct=asks)
    (held,) = (f for f in found if isinstance(f, Disagreement))
    assert held.travel_pct == pytest.approx((40.0, 40.0), abs=2.0)
    assert not [f for f in found if isinstance(f, Drop)]


def test_what_is_fed_with_less_falls_by_its_share_and_a_spike_by_the_same_volts() -> None:
    """The divider: a track keeps its share of the supply; what is coupled in adds to both alike."""
    time_s = np.arange(2000) / 1000.0
    steady = 3.0 + np.random.default_rng(1).normal(0.0, 0.002, 2000)
    at, moment = slice(1000, 1003), (1.0, 1.002)
    for fell, spike in ((1.26, False), (2.1, True)):
        own, supply = steady.copy(), 2.0 + steady
        own[at] -= fell
        supply[at] -= 2.1
        line = channel("vref_v", time_s, supply)
        excursion = Excursion(moment, 60.0, 60.0, (3.0 - fell) * 20.0, 3)
        assert is_spike(track(time_s, own), excursion, line) is spike


def fed_with_less(low: float, lasts_s: float) -> dict[str, FloatArray]:
    """A pair swept slowly; while its supply is low the shaft goes on: it comes back elsewhere."""
    time_s, travel = sweeps(2, seconds=8.0, rate_hz=400.0)
    share = np.where((time_s > 5.0) & (time_s < 5.0 + lasts_s), low, 1.0)
    one, two = volts(travel, noise_v=0.002), 5.0 - volts(travel, noise_v=0.002, seed=2)
    return {"time_s": time_s, "tps1_v": one * share, "tps2_v": two * share, "vref_v": 5.0 * share}


def test_all_tracks_leave_while_their_recorded_supply_is_away() -> None:
    lines = fed_with_less(0.42, 0.6)
    found = found_in(lines.pop("time_s"), **lines)
    (drop,) = (f for f in found if isinstance(f, Drop))
    assert drop.channels == ("tps1_v", "tps2_v")
    assert drop.times_s[0] == pytest.approx((5.0, 5.6), abs=0.01)
    assert not [f for f in found if isinstance(f, Disagreement)]


@pytest.mark.parametrize(("lasts_s", "found"), [(0.005, 0), (0.1, 1), (1.4, 1), (1.7, 0)])
def test_a_feed_is_away_for_longer_than_a_spike_and_not_for_good(lasts_s: float, found: int) -> None:
    lines = fed_with_less(0.5, lasts_s)
    away = Lines((channel("vref_v", lines["time_s"], lines["vref_v"]),)).away()
    assert len(away) == found


def test_who_is_moved_away_does_not_make_up_for_it() -> None:
    """On its way the track goes on where it would be by then; at rest it comes back to where it was."""
    time_s = np.arange(60) / 10.0
    for course, told in ((20.0 + 12.0 * time_s, True), (np.full(60, 40.0), False)):
        shown = course.copy()
        shown[30:33] += 35.0
        excursion = Excursion((3.0, 3.2), float(course[29]), float(course[33]), float(shown[31]), 3)
        assert returns.moved_on(track(time_s, 0.05 * shown), excursion) is told
        lone = events(recording(time_s, tps1_v=0.05 * shown + np.tile((0.0, 0.005), 30)))
        assert any(not e.is_weak for e in lone) is told


def test_of_tracks_read_in_turn_she_may_have_left_a_reading_before() -> None:
    """Of one reading of each hers came first: none of hers lies within the span of the other's."""
    at_s = np.arange(0.0, 12.0, 0.1)
    one, two = (
        track(t, volts(20.0 + 5.0 * at_s), name)
        for t, name in ((at_s, "tps1_v"), (at_s + 0.05, "tps2_v"))
    )
    two.level[59] = 30.0
    at_once, in_turn = (
        Sister((one, two), pair_of(one, two, Line(1.0, 0.0), together=together)).shows(
            "tps1_v", (6.0, 6.0)
        )
        for together in (True, False)
    )
    assert at_once == []
    ((_, part),) = in_turn
    assert part.level == pytest.approx(30.0)
    assert part.span_s == pytest.approx((5.95, 5.95))


def test_electronics_that_fall_out_at_any_time_are_not_cleared_by_that() -> None:
    """They have no track that wears at a place: to know nothing of the travel clears only such."""
    time_s, travel = sweeps(10, seconds=4.0)
    one, two = volts(travel, noise_v=0.002), volts(travel, noise_v=0.002, seed=2)
    for start in (3.1, 6.4, 11.3, 14.2, 19.9, 22.6, 27.3, 33.8):
        gone = (time_s > start) & (time_s < start + 0.15)
        one[gone] = two[gone] = 2.2
    suspects = analyse(recording(time_s, tps1_v=one, tps2_v=two)).judgement.suspects
    assert suspects[0].id is SuspectId.SENSOR
    assert suspects[0].probability > 0.7


def test_what_comes_back_gently_from_a_rail_is_over_before_the_next_interruption() -> None:
    """An input's low-pass: at rest the one has an edge where it falls, the next where it comes back."""
    time_s, travel = sweeps(4, seconds=8.0, rate_hz=400.0)
    shown = 0.7 + 0.032 * np.where((time_s > 8.0) & (time_s < 24.0), travel, 0.0)
    falls = np.asarray([0.36, 0.16, 0.075, 0.04, 0.02, 0.27, 0.5, 0.605, 0.64, 0.67])
    shown[1600:1610], shown[10400:10410] = falls, falls[::-1]
    found = [f for f in found_in(time_s, tps1_v=np.round(shown / 0.005) * 0.005) if isinstance(f, Drop)]
    assert [f.times_s[0][0] for f in found] == pytest.approx((4.0, 26.0), abs=0.02)
    assert all(f.times_s[0][1] - f.times_s[0][0] < 0.05 for f in found)
