"""What comes back to where it was, told apart from what a hand does; and what a hand holds.

That a driver takes the throttle again at about the same opening and not at the very same, and that a
failing feed never holds a value, is common practice, no published source. Chances of rests that are
alike are held against a simulation.
"""

import numpy as np
import pytest
from scipy.signal import lfilter

from nervus.domain.channel import FloatArray, Span
from nervus.domain.finding import Drop, RestCause, Shared
from nervus.judge.analyse import analyse
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.candidates.stands import find_stands
from nervus.signal.explained.returns import beyond_own, comes_back, find_returns, own_speed
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.told.rest import Rest, _least_by_chance, find_rests, off_rest
from signals import recording, track, volts

RATE_HZ = 15.0


def cruise(seconds: float = 90.0, rate_hz: float = RATE_HZ) -> tuple[FloatArray, FloatArray]:
    """A foot that goes from opening to opening, slowly, and holds each."""
    time_s = np.arange(0.0, seconds, 1.0 / rate_hz)
    at = np.arange(0.0, seconds, 6.0)
    levels = np.resize([0.0, 40.0, 55.0, 30.0, 70.0, 45.0], at.size)
    times = np.column_stack((at, at + 4.0)).ravel()
    return time_s, np.interp(time_s, times, np.repeat(levels, 2))


def away(level: FloatArray, time_s: FloatArray, spans: tuple[Span, ...], to: float) -> FloatArray:
    off = level.copy()
    for start, end in spans:
        off[(time_s >= start) & (time_s <= end)] = to
    return off


def smoothed(level: FloatArray) -> FloatArray:
    """As a control unit that averages shows it: nothing leaps."""
    return np.asarray(lfilter([0.5], [1.0, -0.5], level - level[0]) + level[0], dtype=np.float64)


OUTAGES = ((8.0, 8.3), (20.5, 20.9), (32.0, 32.3), (44.2, 44.6), (56.0, 56.3))


def test_all_that_falls_shut_and_is_back_at_once_again_and_again_is_no_foot() -> None:
    """In percent, where no level tells: only that it comes back to the very opening does."""
    time_s, travel = cruise()
    shown = smoothed(away(travel, time_s, OUTAGES, 0.0))
    found = analyse(recording(time_s, tps1_pct=shown, tps2_pct=shown + 0.1)).examination.findings
    drops = [f for f in found if isinstance(f, Drop)]
    assert len(drops) == len(OUTAGES)
    assert {d.shared for d in drops} == {Shared.FEED}
    once = smoothed(away(travel, time_s, OUTAGES[1:2], 0.0))
    alone = analyse(recording(time_s, tps1_pct=once, tps2_pct=once + 0.1)).examination.findings
    assert not [f for f in alone if isinstance(f, Drop)]


def test_a_foot_that_comes_back_elsewhere_is_a_foot() -> None:
    time_s, travel = cruise()
    shown = away(travel, time_s, OUTAGES, 0.0)
    for number, (start, end) in enumerate(OUTAGES):
        after = (time_s > end) & (time_s < start + 3.0)
        shown[after] += (-8.0, 6.0, 9.0, -7.0, 5.0)[number]
    shown = smoothed(shown)
    found = analyse(recording(time_s, tps1_pct=shown, tps2_pct=shown + 0.1)).examination.findings
    assert not [f for f in found if isinstance(f, Drop)]


def test_what_a_return_is_worth_grows_with_its_depth_and_falls_with_its_miss() -> None:
    time_s = np.arange(0.0, 40.0, 1.0 / RATE_HZ)
    worth = []
    for miss in (0.0, 2.0, 8.0, 20.0):
        level = np.where(time_s < 20.0, 50.0, 50.0 + miss)
        level = away(level, time_s, ((19.8, 20.2),), 10.0)
        made = track(time_s, level / 20.0 + 0.002 * np.sin(time_s * 40.0))
        worth.append(comes_back(made, Excursion((19.8, 20.2), 50.0, 50.0 + miss, 10.0, 6)))
    assert worth == sorted(worth, reverse=True)
    assert worth[0] > 3.0
    assert worth[-1] < 0.3
    # Nor is there an error where nothing is left between what was before and what is behind.
    assert comes_back(made, Excursion((19.8, 20.2), 50.0, 50.0, 50.0, 6)) == 0.0


@pytest.mark.parametrize(("rest", "to", "counts"), [(50.0, 5.0, True), (50.0, 95.0, False)])
def test_what_opens_from_where_a_shaft_rests_and_comes_back_is_a_blip(
    rest: float, to: float, *, counts: bool
) -> None:
    time_s = np.arange(0.0, 40.0, 1.0 / RATE_HZ)
    level = away(np.full(time_s.size, rest), time_s, ((19.8, 20.2),), to)
    made = track(time_s, level / 20.0 + 0.002 * np.sin(time_s * 40.0))
    assert bool(find_returns(made)) is counts


@pytest.mark.parametrize(("held_s", "apart_s", "found"), [(1.0, 0.4, 1), (0.2, 0.4, 0), (1.0, 2.2, 0)])
def test_a_return_lies_between_two_holds_that_are_not_far_apart(
    held_s: float, apart_s: float, found: int
) -> None:
    time_s = np.arange(0.0, 12.0, 1.0 / RATE_HZ)
    ends = np.cumsum([4.0, held_s, apart_s, held_s])
    level = np.interp(time_s, [0.0, 4.0], [80.0, 20.0])  # on its way all the time
    level = np.where((time_s > ends[0]) & (time_s < ends[3]), 60.0, level)
    level = np.where(time_s >= ends[3], 60.0 - 5.0 * (time_s - ends[3]), level)
    level = np.where((time_s >= ends[1]) & (time_s <= ends[2]), 5.0, level)
    made = track(time_s, level / 20.0 + 0.002 * np.sin(time_s * 40.0))
    back = [e for e in find_returns(made) if abs(e.before - 60.0) < 1.0]
    assert len(back) == found
    assert all(e.span_s == pytest.approx((ends[1], ends[2]), abs=0.08) for e in back)


def test_quicker_than_the_shaft_usually_is_needs_a_shaft_that_moved() -> None:
    time_s, travel = cruise()
    level = away(volts(travel), time_s, ((20.5, 20.9),), 0.6)
    made = track(time_s, level)
    outage = Excursion((20.5, 20.9), 54.0, 54.0, 12.0, 6)
    usual = own_speed(made, (outage.span_s,))
    assert usual == pytest.approx(0.8 * 70.0 / 2.0, rel=0.4)
    assert beyond_own(made, outage, usual) > 2.0
    held = track(time_s, np.full(time_s.size, 2.5))
    assert own_speed(held, ()) == float("inf")
    assert beyond_own(held, outage, float("inf")) == 0.0


def test_a_value_that_is_held_and_then_leaps_is_no_feed() -> None:
    time_s = np.arange(0.0, 40.0, 0.002)
    travel = 50.0 - 45.0 * np.cos(2 * np.pi * time_s / 4.0)
    shown = travel.copy()
    for start in (5.0, 13.2, 20.8, 29.1, 36.7):
        here = (time_s >= start) & (time_s < start + 0.25)
        shown[here] = travel[np.argmax(here)]
    lines = {"tps1_v": volts(shown, noise_v=0.002), "tps2_v": 5.0 - volts(shown, noise_v=0.002, seed=2)}
    drops = [f for f in analyse(recording(time_s, **lines)).examination.findings if isinstance(f, Drop)]
    assert len(drops) >= 4
    assert {d.shared for d in drops} == {Shared.ELECTRONICS}


# -- rests ----------------------------------------------------------------------------------------


def rests_at(*levels: float) -> list[Rest]:
    return [Rest((10.0 * n, 10.0 * n + 4.0), x, released=False, low=True) for n, x in enumerate(levels)]


def test_rests_count_by_how_seldom_hands_hold_so_alike() -> None:
    alike = rests_at(5.4, 5.4, 5.5, 5.4)
    assert _least_by_chance(alike) == alike
    assert _least_by_chance(rests_at(5.0, 5.9, 6.8, 7.6)) == []
    scattered = rests_at(2.0, 3.5, 5.0, 5.3, 5.6, 7.0, 9.0, 11.0, 13.0, 15.0, 17.0, 19.0)
    assert _least_by_chance(scattered) == []
    assert _least_by_chance([]) == []


def test_hands_at_random_are_hardly_ever_taken_for_a_stop() -> None:
    random = np.random.default_rng(11)
    taken = sum(bool(_least_by_chance(rests_at(*random.uniform(1.5, 20.0, 8)))) for _ in range(3000))
    assert taken < 30


def test_a_rest_from_which_it_closed_further_was_held() -> None:
    time_s = np.arange(0.0, 60.0, 0.05)
    levels = [0.0, 50.0, 6.0, 0.0, 60.0, 6.0, 0.0, 55.0, 6.0, 0.0]
    at = np.arange(len(levels)) * 6.0
    travel = np.interp(time_s, np.column_stack((at, at + 4.0)).ravel(), np.repeat(levels, 2))
    seen = find_rests(time_s, travel, recording(time_s, tps1_v=volts(travel)))
    assert [r.closed_on for r in seen if abs(r.percent - 6.0) < 0.5] == [True] * 3
    unknown = off_rest(seen, ("tps1_v",), recording(time_s), lambda *_: RestCause.UNKNOWN)
    plate = off_rest(seen, ("tps1_v",), recording(time_s), lambda *_: RestCause.PLATE)
    assert unknown == plate == ()


def snapped(step_s: float) -> Instrument:
    """A throttle that snaps open from its stop; for a tenth of the time the supply is gone.

    Of each level a twentieth is left: that is below the stop, where no shaft can be.
    """
    random = np.random.default_rng(1)
    time_s, opened = np.arange(0.0, 60.0, step_s), random.uniform(40.0, 85.0, 40)
    number = (time_s // 2.0).astype(np.int64)
    level = np.where((time_s % 2.0 > 1.1) & (number % 5 != 4), opened[number], 13.0)
    for start in (5.2, 11.2, 17.3, 27.4, 35.2, 41.3, 51.2):
        level[(time_s > start) & (time_s < start + 0.75)] *= 0.05
    return track(time_s, level + random.normal(0.0, 0.05, time_s.size), "tps1_pct")


@pytest.mark.parametrize("step_s", [0.05, 0.1, 0.2])
def test_the_stop_is_no_level_that_an_open_line_reads(step_s: float) -> None:
    """A throttle comes to its stop from everywhere, and rests there (common practice)."""
    made = snapped(step_s)
    assert made.usual[0] < 5.0
    assert made.stops[0] == pytest.approx(13.0, abs=0.2)
    assert made.stops[1] == made.usual[1]
    assert find_stands(made, ())[1] is None


def test_a_throttle_that_is_held_for_nearly_all_of_the_time_has_both_ends() -> None:
    time_s = np.arange(0.0, 60.0, 0.1)
    level = np.interp(time_s, [0.0, 5.0, 8.0, 60.0], [20.0, 80.0, 80.0, 80.0])
    assert track(time_s, level, "tps1_pct").stops[0] < 75.0
    assert track(time_s, 100.0 - level, "tps1_pct").stops[1] > 25.0


def test_an_opening_that_is_held_below_others_is_no_stop() -> None:
    """What is open further for a fifth of the time is not seldom; the other end is the stop."""
    made = snapped(0.1)
    level = np.where((made.time_s > 40.0) & (made.time_s < 44.0), 30.0, made.level)
    assert track(made.time_s, level, "tps1_pct").stops[1] > 60.0
    mirrored = track(made.time_s, 100.0 - made.level, "tps1_pct")
    assert mirrored.stops == pytest.approx((100.0 - made.stops[1], 100.0 - made.stops[0]), abs=0.2)


def test_what_is_below_the_stop_is_where_no_shaft_can_be() -> None:
    made = snapped(0.1)
    assert made.is_unusual(4.0)
    assert made.rails[0] == 2.0
    # A blip from the stop is what a foot does.
    blip = Excursion((20.0, 20.3), 13.0, 13.0, 80.0, 4)
    assert comes_back(made, blip) == 0.0


def test_a_stop_is_known_where_a_throttle_never_rests_open() -> None:
    """What it usually shows stays its upper end: a throttle that is held at its stop only."""
    time_s, level = cruise()
    held = track(time_s, volts(level))
    assert held.stops == held.usual
    assert held.stops[1] > held.stops[0] + 40.0
    quick = np.arange(0.0, 30.0, 0.005)
    fast = track(quick, volts(np.where(quick % 3.0 < 2.7, 20.0, 0.0)))
    assert fast.stops == fast.usual


def test_an_idle_that_hunts_comes_to_no_rest() -> None:
    """The plate swings by some per cent and turns round every other second: it never stays.

    A plate that sticks does (common practice, no published source).
    """
    time_s = np.arange(0.0, 60.0, 0.08)
    hunts = 2.5 + 1.6 * np.sin(2.0 * np.pi * time_s / 2.4) * (0.85 + 0.15 * np.sin(time_s / 5.0))
    opened = np.interp(time_s % 12.0, [0.0, 0.4, 1.6, 2.0, 12.0], [0.0, 30.0, 30.0, 0.0, 0.0])
    made = recording(time_s, tps1_v=volts(hunts + opened, noise_v=0.002))
    assert analyse(made).examination.findings == ()
    rests = find_rests(time_s, hunts + opened, made)
    assert rests
    assert all(r.swings for r in rests if 2.0 < r.percent < 10.0)
    still = np.where(time_s > 30.0, 4.0, 1.0) + opened
    assert not any(r.swings for r in find_rests(time_s, still, made))


def test_where_a_foot_stops_again_and_again_no_track_is_rough() -> None:
    """Openings that all end at 30 %, read twelve times a second: bends that no wear made."""
    time_s = np.arange(0.0, 60.0, 0.08)
    opened = np.interp(time_s % 6.0, [0.0, 0.5, 2.5, 3.0, 6.0], [0.0, 30.0, 30.0, 0.0, 0.0])
    made = recording(time_s, tps1_v=volts(opened, noise_v=0.002))
    assert analyse(made).examination.findings == ()
