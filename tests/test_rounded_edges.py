"""Interruptions whose edges an input's filter rounds, read far more quickly than it settles.

Source: the step response of a low-pass of the first order, 1 - exp(-t / tau) (any text on circuits). A
unit's inputs have time constants of up to some milliseconds (common practice, no published source), and
an open line charges an input through its pull-up, a whole one through the sensor: it leaves more gently
than it comes back.
"""

import numpy as np
import pytest

from nervus.domain.channel import FloatArray, Span
from nervus.domain.finding import DeadSpot, Drop, Shape
from nervus.judge.analyse import analyse
from nervus.signal.candidates import edges, fading
from nervus.signal.candidates.excursions import describe, find_excursions
from nervus.signal.candidates.proposing import propose
from nervus.signal.candidates.turned_out import turned_out
from signals import recording, sweep, sweeps, track, volts

LOST_V = 2.5


def filtered(time_s: FloatArray, values: FloatArray, tau_s: FloatArray | float) -> FloatArray:
    """A low-pass of the first order, sample by sample exact for what is held between them."""
    kept = np.exp(-np.diff(time_s) / np.broadcast_to(tau_s, time_s.shape)[1:])
    out = values.copy()
    for n, share in enumerate(kept, start=1):
        out[n] = values[n] + (out[n - 1] - values[n]) * share
    return out


def opened(
    time_s: FloatArray, sound: FloatArray, spans: list[Span], tau_s: tuple[float, float]
) -> FloatArray:
    """A track whose line opens for some spans; time constants of its input then, and otherwise."""
    away = np.zeros(time_s.size, dtype=bool)
    for start, end in spans:
        away |= (time_s >= start - 1e-9) & (time_s < end - 1e-9)
    return filtered(time_s, np.where(away, LOST_V, sound), np.where(away, *tau_s))


@pytest.mark.parametrize("tau_ms", [(1.0, 1.0), (4.0, 1.5), (5.0, 3.0)])
@pytest.mark.parametrize("lasts_s", [0.008, 0.03, 0.15])
@pytest.mark.parametrize("rate_hz", [1000.0, 2000.0, 5000.0])
def test_what_a_filter_rounds_is_found_as_long_as_it_lasted(
    rate_hz: float, lasts_s: float, tau_ms: tuple[float, float]
) -> None:
    """From a rest at 0.7 V, where a step of 1.8 V is no motion however it is rounded."""
    time_s = np.arange(0.0, 3.0, 1.0 / rate_hz)
    sound = np.full(time_s.size, 0.7)
    values = opened(time_s, sound, [(1.5, 1.5 + lasts_s)], (tau_ms[0] / 1e3, tau_ms[1] / 1e3))
    values += np.random.default_rng(3).normal(0.0, 0.004, time_s.size)
    (found,) = find_excursions(track(time_s, values))
    went = (LOST_V - 0.7) * (1.0 - np.exp(-lasts_s / (tau_ms[0] / 1e3)))
    assert found.span_s[0] == pytest.approx(1.5, abs=0.0015)
    assert 0.0 <= found.span_s[1] - (1.5 + lasts_s) < 5.0 * tau_ms[1] / 1e3 + 0.002
    assert found.level / 20.0 == pytest.approx(0.7 + went, abs=0.35 * went)
    assert abs(found.after - found.before) < 1.5


@pytest.mark.parametrize("rate_hz", [1000.0, 2000.0])
@pytest.mark.parametrize("tau_s", [0.001, 0.005])
def test_a_snap_that_a_filter_rounds_is_no_excursion(rate_hz: float, tau_s: float) -> None:
    """A spring that takes 70 ms for it (common practice), and strikes its stop at full speed."""
    time_s = np.arange(0.0, 4.0, 1.0 / rate_hz)
    opens = np.clip((time_s - 1.0) / 0.2, 0.0, 1.0)
    falls = np.clip((time_s - 2.0) / 0.07, 0.0, 1.0)
    travel = 100.0 * opens**3 * (10 - 15 * opens + 6 * opens**2) * (1.0 - falls**2)
    values = filtered(time_s, volts(travel), tau_s)
    values += np.random.default_rng(4).normal(0.0, 0.003, time_s.size)
    assert find_excursions(track(time_s, values)) == ()


def test_each_rounded_opening_of_a_moving_track_is_told() -> None:
    time_s, travel = sweeps(3, 3.0, 2000.0)
    spans = [(1.0, 1.02), (2.9, 3.02), (3.5, 3.506), (5.1, 5.13), (7.0, 7.2)]
    values = opened(time_s, volts(travel), spans, (0.004, 0.002))
    values += np.random.default_rng(5).normal(0.0, 0.003, time_s.size)
    told = [
        f for f in analyse(recording(time_s, tps1_v=values)).examination.findings if isinstance(f, Drop)
    ]
    starts = [f.times_s[0][0] for f in told]
    assert starts == pytest.approx([s for s, _ in spans], abs=0.002)


def test_an_opening_as_short_as_its_filter_is_a_segment_of_its_own() -> None:
    time_s = np.arange(0.0, 2.0, 0.0004)
    values = opened(time_s, np.full(time_s.size, 1.0), [(1.0, 1.006)], (0.0015, 0.0015))
    segments = edges.split_at_edges(track(time_s, values))
    within = segments.first[1:-1]
    assert time_s[within[0]] >= 1.0
    assert time_s[segments.last[-2]] == pytest.approx(1.006, abs=0.0006)
    assert segments.entry[-2] / 20.0 > 2.0
    assert time_s[segments.first[-1]] > 1.006 + 3.0 * 0.0015


def test_what_leaps_from_a_rest_and_dies_away_ends_where_it_has() -> None:
    """Within 1 ms by a third of the supply: no plate; behind it the shaft moves on as before."""
    time_s = np.arange(0.0, 4.0, 0.001)
    travel = 60.0 * np.clip((time_s - 2.0) / 0.5, 0.0, 1.0)
    since_s = time_s - 1.0
    sound = volts(travel, noise_v=0.002)
    values = sound + np.where(since_s >= 0.0, 1.6 * np.exp(-np.maximum(since_s, 0.0) / 0.04), 0.0)
    (found,) = find_excursions(track(time_s, values))
    assert found.span_s[0] == pytest.approx(1.0, abs=0.002)
    # A tenth of it is left after ln 10 = 2.3 time constants.
    assert found.span_s[1] == pytest.approx(1.0 + np.log(10.0) * 0.04, abs=0.01)


def test_stands_are_told_and_not_the_course_between_two_of_them() -> None:
    """A level that it falls to from anywhere, twice with a move between: the move is the course."""
    time_s, travel = sweep(8.0, 400.0)
    travel = np.where(time_s < 5.0, travel, travel[np.searchsorted(time_s, 5.0)])
    values = volts(travel, noise_v=0.001)
    stands = [(0.6, 0.63), (1.4, 1.43), (3.3, 3.34), (4.2, 4.25), (6.0, 6.05)]
    for start, end in stands:
        values[(time_s >= start - 1e-9) & (time_s < end - 1e-9)] = 2.1
    (found,) = propose(recording(time_s, tps1_v=values), (track(time_s, values),), None)
    spans = [e.span_s for e in found.excursions]
    assert [s for s, _ in spans] == pytest.approx([s for s, _ in stands], abs=0.006)
    assert [e for _, e in spans] == pytest.approx([e for _, e in stands], abs=0.006)


def test_what_lies_between_two_stands_at_one_level_is_the_course() -> None:
    time_s = np.arange(0.0, 3.0, 0.002)
    values = volts(50.0 + 40.0 * np.sin(4.0 * time_s), noise_v=0.001)
    for start, end in ((1.0, 1.06), (1.8, 1.9)):
        values[(time_s >= start - 1e-9) & (time_s < end - 1e-9)] = 2.4
    made = track(time_s, values)
    between = describe(made, *time_s.searchsorted((1.0581, 1.8)).tolist())
    assert between is not None
    told = turned_out(made, (between,), 48.0)
    assert [e.span_s for e in told] == [
        pytest.approx((1.0, 1.058), abs=1e-6),
        pytest.approx((1.8, 1.898), abs=1e-6),
    ]
    assert turned_out(made, (between,), 70.0) == (between,)


def test_what_leaves_a_level_for_a_moment_did_leave_it() -> None:
    """The stands are the longer ones: there the shaft is."""
    time_s = np.arange(0.0, 3.0, 0.002)
    values = volts(np.interp(time_s, [0.4, 0.8, 2.2, 2.6], [10.0, 47.5, 47.5, 10.0]), noise_v=0.001)
    values[(time_s >= 1.5) & (time_s < 1.55)] = 4.0
    made = track(time_s, values)
    found = find_excursions(made)
    assert any(e.span_s == pytest.approx((1.5, 1.548), abs=1e-6) for e in found)
    assert turned_out(made, found, 48.0) == found


def test_a_move_between_two_that_die_away_is_no_part_of_them() -> None:
    """Both tracks of a sensor that restarts leap, and come back by and by; the shaft moves meanwhile."""
    time_s = np.arange(0.0, 4.0, 0.001)
    travel = 60.0 * (
        np.clip((time_s - 1.2) / 0.15, 0.0, 1.0) - np.clip((time_s - 1.9) / 0.15, 0.0, 1.0)
    ) + 10.0 * np.clip((time_s - 2.2) / 1.0, 0.0, 1.0)
    values = volts(travel, noise_v=0.002)
    for at in (1.0, 2.5):
        since_s = np.maximum(time_s - at, 0.0)
        values += np.where(time_s >= at, 1.5 * np.exp(-since_s / 0.02), 0.0)
    found = find_excursions(track(time_s, values))
    assert [e.span_s[0] for e in found] == pytest.approx([1.0, 2.5], abs=0.002)
    assert all(e.span_s[1] - e.span_s[0] < 0.08 for e in found)


def test_two_that_die_away_while_the_shaft_moves_are_not_one() -> None:
    """The second leaps to where the course of before the first might have come by then."""
    time_s = np.arange(0.0, 4.0, 0.001)
    travel = 95.0 - 45.0 * np.clip(time_s - 0.7, 0.0, 2.0)
    values = volts(travel, noise_v=0.002)
    for at, leap_v, tau_s in ((1.0, -1.5, 0.12), (2.0, 0.4, 0.04)):
        since_s = np.maximum(time_s - at, 0.0)
        values += np.where(time_s >= at, leap_v * np.exp(-since_s / tau_s), 0.0)
    found = find_excursions(track(time_s, values))
    assert [e.span_s[0] for e in found] == pytest.approx([1.0, 2.0], abs=0.002)
    assert [e.span_s[1] for e in found] == pytest.approx([1.28, 2.09], abs=0.06)


def test_what_leaps_from_a_rest_by_less_than_a_spring_snaps_may_be_a_plate() -> None:
    """Read every 4 ms, 8 % of the supply from one sample to the next, and back by and by."""
    time_s = np.arange(0.0, 4.0, 0.0039)
    rests = np.full(time_s.size, 1.0)
    for leap_v, told in ((0.45, 0), (1.6, 1)):
        since_s = np.maximum(time_s - 1.0, 0.0)
        values = rests + np.where(time_s >= 1.0, leap_v * np.exp(-since_s / 0.06), 0.0)
        values[time_s > 2.0] += 2.0 * np.clip(time_s[time_s > 2.0] - 2.0, 0.0, 1.0)
        assert len(find_excursions(track(time_s, values))) == told


@pytest.mark.parametrize("lasts_s", [0.004, 0.006, 0.008])
def test_what_is_as_short_as_the_filter_is_found(lasts_s: float) -> None:
    time_s = np.arange(0.0, 2.0, 0.0004)
    travel = 15.0 - 3.0 * np.clip((time_s - 0.9) / 0.3, 0.0, 1.0)
    values = opened(time_s, volts(travel), [(1.0, 1.0 + lasts_s)], (0.0015, 0.0015))
    values += np.random.default_rng(8).normal(0.0, 0.012, time_s.size)
    (found,) = find_excursions(track(time_s, values))
    assert found.span_s[0] == pytest.approx(1.0, abs=0.001)
    assert found.span_s[1] == pytest.approx(1.0 + lasts_s + 0.003, abs=0.003)


def test_an_edge_back_that_takes_long_to_settle_is_as_quick() -> None:
    time_s = np.arange(0.0, 2.0, 0.0005)
    values = opened(time_s, np.full(time_s.size, 1.0), [(1.0, 1.1)], (0.001, 0.003))
    settled_s = 1.1 + 5.0 * 0.003
    (leaves, returns), *_ = edges.quickness(track(time_s, values), [(1.0, settled_s)]).tolist()
    assert min(leaves, returns) > 15.0


@pytest.mark.parametrize("rate_hz", [500.0, 1000.0, 2000.0])
def test_a_plate_that_a_spring_pulls_from_rest_at_once_is_no_excursion(rate_hz: float) -> None:
    """An even pull of 45 000 % / s^2: the travel in 67 ms (from memory), a rest, and the way back."""
    time_s = np.arange(0.0, 3.0, 1.0 / rate_hz)
    falls = np.minimum(22_500.0 * np.maximum(time_s - 1.0, 0.0) ** 2, 60.0)
    rises = np.minimum(22_500.0 * np.maximum(time_s - 1.4, 0.0) ** 2, 60.0)
    values = volts(90.0 - falls + rises, noise_v=0.002)
    assert find_excursions(track(time_s, values)) == ()


def test_a_contact_that_opens_over_a_wide_place_is_a_dead_spot() -> None:
    """A track of half range beside its resting end: less than half is left, and not always as much."""
    time_s, travel = sweeps(7, 1.5, 2000.0)
    random = np.random.default_rng(6)
    each = random.uniform(0.3, 0.55, 14)
    left = each[np.minimum((time_s / 0.75).astype(int), 13)]
    wide = random.uniform(-0.6, 0.6, 14)[np.minimum((time_s / 0.75).astype(int), 13)]
    values = volts(travel) / 2.0
    values = np.where((travel > 13.0 + wide) & (travel < 16.6 + wide), left * values, values)
    values += random.normal(0.0, 0.003, time_s.size)
    made = analyse(recording(time_s, tps1_v=volts(travel, noise_v=0.003, seed=9), tps2_v=values))
    (spot,) = made.examination.findings
    assert isinstance(spot, DeadSpot)
    assert spot.shape is Shape.DROP
    assert spot.travel_pct == pytest.approx((13.0, 16.6), abs=0.8)
    assert (spot.seen_in, spot.crossed) == (14, 14)


def test_what_dies_away_is_furthest_a_little_behind_its_edge() -> None:
    """In means over a millisecond a leap from a rest goes over two of them: the first is on its way."""
    time_s = np.arange(0.0, 2.0, 0.001)
    values = np.full(time_s.size, 0.6)
    leaps = 1000
    values[leaps:] += 1.5 * np.exp(-(time_s[leaps:] - time_s[leaps]) / 0.005)
    values[leaps] = 0.6 + 0.87
    met = fading._meets(track(time_s, values), (leaps, time_s.size - 1), (leaps - 1, 0), 0.0)
    assert met is not None
    # A tenth is left after ln 10 time constants, and less than any converter shows after five.
    assert np.log(10.0) * 0.005 <= time_s[met] - time_s[leaps] <= 5.0 * 0.005
