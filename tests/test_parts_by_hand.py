"""Small parts of the core, each against values worked by hand."""

from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from nervus.circuit import explain as circuit_explain
from nervus.circuit import matching
from nervus.circuit.signatures import FaultMode
from nervus.domain.analysis import CircuitExplanation, Direction, Frame, Pass, Travel
from nervus.domain.channel import CHANNEL_KINDS, Channel, FloatArray, Recording
from nervus.domain.finding import RestCause
from nervus.domain.suspect import SuspectId
from nervus.engine import rest_witness
from nervus.engine.air_flow import STANDARD_PA
from nervus.signal.candidates import excursions, spikes, stands
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.candidates.proposing import Candidates
from nervus.signal.explained import feed, shaft
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.motion import frames, pair, relation
from nervus.signal.told import rest, smoothing
from nervus.signal.worn import apart, parted, worn_places

S = SuspectId


def instrument(level: FloatArray, *, noise: float, resolution: float) -> Instrument:
    return Instrument(
        kind=CHANNEL_KINDS["tps1_v"],
        time_s=np.linspace(0.0, 0.01 * (level.size - 1), level.size),
        level=level,
        noise=noise,
        resolution=resolution,
        interval_s=0.01,
        supply_v=5.0,
        usual=(10.0, 90.0),
    )


@pytest.mark.parametrize(
    ("noise", "resolution", "tolerance"),
    [(0.01, 0.01, 0.2), (0.2, 0.1, 1.0), (0.01, 0.4, 0.8), (0.1, 0.3, 0.6)],
)
def test_a_tolerance_is_five_deviations_or_two_steps(
    noise: float, resolution: float, tolerance: float
) -> None:
    assert instrument(np.zeros(9), noise=noise, resolution=resolution).tolerance == pytest.approx(
        tolerance
    )


def test_the_speed_around_an_instant_is_of_the_steps_within_two_samples() -> None:
    level = np.asarray([0.0, 0.0, 0.0, 5.0, 5.0, 5.0, 5.0, 5.0])
    time_s: FloatArray = np.linspace(0.0, 0.7, 8)
    speeds = [float(pair._speed_around(level, time_s, np.asarray([at]))[0]) for at in range(8)]
    assert speeds == pytest.approx([0.0, 50.0, 50.0, 50.0, 50.0, 0.0, 0.0, 0.0])


def test_what_a_shaft_goes_through_is_no_stand() -> None:
    through = np.asarray([0.0, 0.0, 20.0, 20.0, 40.0, 40.0])
    there_and_back = np.asarray([0.0, 0.0, 20.0, 20.0, 0.0, 0.0])
    first, last = np.asarray([2]), np.asarray([3])
    assert stands._passes(through, first, last).tolist() == [True]
    assert stands._passes(there_and_back, first, last).tolist() == [False]
    assert stands._passes(np.asarray([0.0, 0.0, 20.0, 20.0, 20.0, 20.0]), first, last).tolist() == [
        False
    ]


def test_a_pedal_is_let_go_up_to_a_little_above_its_least() -> None:
    values = np.asarray([5.0] * 50 + [5.5] * 10 + [20.0] * 40)
    channel = Channel(CHANNEL_KINDS["pedal_pct"], np.arange(100.0), values)
    told = rest._let_go(Recording((channel,)), None, np.arange(100.0))
    assert told is not None
    assert told[:60].all()
    assert not told[60:].any()


def event(*parts: tuple[str, float, float]) -> Any:
    """An event by the level and the course of each track's part."""
    made = tuple((name, SimpleNamespace(level=level, course=course)) for name, level, course in parts)
    return SimpleNamespace(parts=made)


def test_one_level_comes_back_where_levels_are_alike_more_than_shares() -> None:
    """A contact takes a share of where it comes from; electronics go to a level of their own."""
    level = [event(("a", 30.0, 60.0)), event(("a", 30.2, 80.0)), event(("a", 29.9, 45.0))]
    share = [event(("a", 30.0, 60.0)), event(("a", 40.0, 80.0)), event(("a", 22.5, 45.0))]
    assert feed._to_one_level(level)
    assert not feed._to_one_level(share)
    assert feed._to_one_level([event(("a", 80.0, 60.0))]), "no joint makes a level greater"
    assert not feed._to_one_level([event(("a", 30.0, 60.0))])
    assert not feed._to_one_level([])


def test_a_course_is_drawn_straight_from_one_point_to_the_other() -> None:
    x = np.asarray([1.0, 2.0, 3.0])
    assert excursions._line(x, (1.0, 10.0), (3.0, 20.0)).tolist() == [10.0, 15.0, 20.0]
    assert excursions._line(x, (2.0, 10.0), (2.0, 20.0)).tolist() == [15.0, 15.0, 15.0]


# -- the circuit ----------------------------------------------------------------------------------------


def match(mode: FaultMode, density: float, *suspects: SuspectId) -> Any:
    return SimpleNamespace(fault=SimpleNamespace(mode=mode, suspects=suspects), density=density)


def test_a_suspects_chance_is_the_mean_of_its_faults_by_how_they_fail() -> None:
    matches = (
        match(FaultMode.OPEN, 0.8, S.WIRING),
        match(FaultMode.OPEN, 0.2, S.WIRING),
        match(FaultMode.SHORT, 0.4, S.WIRING),
        match(FaultMode.RESISTANCE, 0.6, S.SUPPLY_GROUND),
    )
    chance = circuit_explain._of_suspects(matches)
    assert chance[S.WIRING] == pytest.approx(0.55 * 0.5 + 0.15 * 0.4)
    assert chance[S.SUPPLY_GROUND] == pytest.approx(0.30 * 0.6)
    assert chance[S.CONTROL_UNIT] == pytest.approx(0.25 * chance[S.WIRING])
    assert chance[S.SENSOR] == 0.0


def _levels(count: int, levels: dict[SuspectId, float]) -> CircuitExplanation:
    return CircuitExplanation(tuple(range(count)), 2, (), (), 50.0, (), "t", levels)


def test_groups_of_interruptions_weigh_as_many_as_they_hold() -> None:
    even = dict.fromkeys(S, 0.1)
    one = {**even, S.WIRING: 0.4}
    other = {**even, S.SENSOR: 0.4}
    both = circuit_explain._together([_levels(3, one), _levels(1, other)])
    assert both[S.WIRING] == 1.0
    assert both[S.SENSOR] == pytest.approx((0.1**3 * 0.4) ** 0.25 / (0.4**3 * 0.1) ** 0.25)
    assert circuit_explain._together([]) == {}
    far = circuit_explain._together([_levels(1, {**dict.fromkeys(S, 1e-12), S.WIRING: 1.0})])
    assert far[S.SENSOR] == 0.03, "no suspect becomes less likely than that"


def test_the_chances_of_all_input_resistors_sum_to_one() -> None:
    rails = matching._chances(matching._RAILS)
    assert sum(rails) == pytest.approx(1.0)
    divided = matching._chances((*matching._RAILS, 0.4))
    assert sum(divided) == pytest.approx(1.0)
    assert divided[-1] * len(matching._PULL_OHMS) == pytest.approx(matching._DIVIDER_CHANCE)
    assert len(set(divided[: 2 * len(matching._PULL_OHMS)])) == 1


# -- the engine -----------------------------------------------------------------------------------------


def engine(**values: FloatArray) -> Recording:
    size = len(next(iter(values.values())))
    return Recording(
        tuple(
            Channel(CHANNEL_KINDS[n], np.linspace(0.0, 0.5 * (size - 1), size), v)
            for n, v in values.items()
        )
    )


def test_the_pressure_outside_is_what_the_manifold_has_while_the_engine_stands() -> None:
    """Source: common practice, no published source: key on, engine off, it reads the day's pressure."""
    standing, turning = np.zeros(10), np.full(10, 800.0)
    rpm = np.concatenate([standing, turning])
    high = np.concatenate([np.full(10, 84.0), np.full(10, 30.0)])
    assert rest_witness._ambient_pa(engine(rpm=rpm, map_kpa=high)) == pytest.approx(84_000.0)
    for pressure in (69.9, 70.0, 110.0, 120.0):
        odd = np.concatenate([np.full(10, pressure), np.full(10, 30.0)])
        assert rest_witness._ambient_pa(engine(rpm=rpm, map_kpa=odd)) == STANDARD_PA
    few = np.concatenate([np.zeros(4), np.full(16, 800.0)])
    assert rest_witness._ambient_pa(engine(rpm=few, map_kpa=high)) == STANDARD_PA


def test_twice_the_air_is_twice_the_opening() -> None:
    """Choked flow (Heywood, appendix C): at one pressure and temperature air is proportional to area."""
    rpm, cold = np.full(40, 800.0), np.full(40, 20.0)
    span = ((0.0, 19.0),)

    def opening(**more: FloatArray) -> float:
        found = rest_witness.relative_opening(engine(rpm=rpm, iat_c=cold, **more), span)
        assert found is not None
        return found

    one = opening(maf_gs=np.full(40, 2.0), map_kpa=np.full(40, 30.0))
    assert opening(maf_gs=np.full(40, 4.0), map_kpa=np.full(40, 30.0)) == pytest.approx(2.0 * one)
    low, high = (opening(map_kpa=np.full(40, kpa)) for kpa in (25.0, 50.0))
    assert high == pytest.approx(2.0 * low, rel=0.01), "speed times pressure, both choked"
    assert (
        rest_witness.relative_opening(engine(rpm=np.zeros(40), map_kpa=np.full(40, 100.0)), span) is None
    )


def test_rests_of_which_one_was_too_short_to_breathe_at_tell_nothing_of_the_plate() -> None:
    """By hand: the engine needs 1.5 s to settle; a rest of one second, or one of just that, is none."""
    made = engine(rpm=np.full(80, 800.0), map_kpa=np.full(80, 30.0))
    long, short = ((0.0, 19.0),), ((25.0, 26.0),)
    for off, usual in ((short, long), (long, short)):
        assert rest_witness.cause_of_rest(made, off, usual) is RestCause.UNKNOWN
    # Without the speed the air alone says it; a rest that it says nothing of says nothing.
    air = engine(maf_gs=np.concatenate((np.full(40, 2.0), np.full(40, 4.0))))
    assert rest_witness.cause_of_rest(air, ((25.0, 28.0),), long) is RestCause.PLATE
    for off in (short, ((25.0, 26.5),)):
        assert rest_witness.cause_of_rest(air, off, long) is RestCause.UNKNOWN


@pytest.mark.parametrize(
    ("slope", "apart", "beside"),
    [(1.0, 1.9, True), (1.0, 1.5, False), (2.0, 3.0, False), (2.0, 3.5, True), (0.5, 1.9, True)],
)
def test_a_track_stepped_aside_where_its_line_is_off_by_more_than_agrees(
    slope: float, apart: float, *, beside: bool
) -> None:
    """By hand: 1.6 percent of travel; of a track twice as steep twice as much of the supply."""
    known, other = relation.Line(slope, 10.0), relation.Line(slope, 10.0 + apart)
    assert relation._is_beside(known, other) is beside
    assert not relation._is_beside(known, relation.Line(1.2 * slope, 10.0 + apart))


def _rests(*percents: float) -> list[rest.Rest]:
    return [
        rest.Rest(
            span_s=(10.0 * n, 10.0 * n + 2.0), percent=p, released=False, low=True, asked=None,
            witnessed=False, closed_on=False,
        )
        for n, p in enumerate(percents)
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("percents", "alike"),
    [
        # 2 · 0.15 of 18.5 percent: three of three by chance 3 · 1 · 0.0162² = 0.0008; but a pause, a
        # cruise and a blip come thrice soon.
        ((5.0, 5.1, 5.2), 0),
        # Three of four: 4 · 3 · 0.0162² = 0.0032, more than a thousandth.
        ((5.0, 5.1, 5.2, 12.0), 0),
        # Four of eight: 8 · 35 · 0.0162³ = 0.0012, more than a thousandth.
        ((5.0, 5.1, 5.2, 5.3, 7.0, 9.0, 12.0, 14.0), 0),
        # Four of six: 6 · 10 · 0.0162³ = 0.0003.
        ((5.0, 5.1, 5.2, 5.3, 9.0, 14.0), 4),
        # Four of five, half a percent apart: 5 · 4 · 0.0324³ = 0.0007 within 0.3.
        ((5.0, 5.2, 5.4, 5.6, 12.0), 4),
        ((5.0, 8.0, 12.0), 0),
    ],
)
def test_rests_are_alike_where_hands_hardly_hold_so_by_chance(
    percents: tuple[float, ...], alike: int
) -> None:
    """Binomial, by hand: n · C(n - 1, k - 1) · share to the power of k - 1 below a thousandth."""
    assert len(rest._least_by_chance(_rests(*percents))) == alike


def test_of_quick_closings_three_tell_a_stop() -> None:
    quick = [replace(r, released=True) for r in _rests(5.0, 5.1, 5.2)]
    assert rest._least_by_chance(quick) == quick
    assert rest._least_by_chance([*quick[:2], replace(quick[2], released=False)]) == []


def test_the_passes_that_are_off_are_the_strong_ones_by_their_mean() -> None:
    """By hand: pass 0 is off by 4 in few samples, pass 1 by 1 in many; 0.4 of the strongest is weak."""
    number = np.asarray([0, 0, 1, 1, 1, 1, 1, 1, 1, 1])
    points = parted._Points(
        number,
        np.full(number.size, 50.0),
        np.where(number == 0, -4.0, 1.0),
        np.zeros(number.size),
        np.ones(number.size, dtype=np.bool_),
    )
    strong = parted._strong(points, (45.0, 55.0))
    assert set(strong.number.tolist()) == {0}
    assert set(parted._strong(points, (70.0, 80.0)).number.tolist()) == {0, 1}


def test_a_track_falls_that_rests_within_a_twentieth_of_its_range_of_the_upper_end() -> None:
    """By hand: of 30 to 90 percent the band is 3: a hold at 85.5 is no rest, one at 87.5 is."""
    for held, falls in ((85.5, False), (87.5, True)):
        level = np.concatenate((np.full(60, held), np.full(40, 30.0)))
        assert frames._falls(level, 30.0, 90.0, mirrored=False) is falls


def test_points_are_inside_a_place_that_lie_between_its_ends() -> None:
    at = np.asarray([10.0, 20.0, 25.0, 30.0, 40.0])
    none = np.zeros(5)
    points = parted._Points(none.astype(np.intp), at, none, none, np.ones(5, dtype=np.bool_))
    assert parted._inside(points, (20.0, 30.0)).tolist() == [False, True, True, True, False]


def test_what_lies_beside_a_masked_span_by_two_intervals_is_left_out() -> None:
    time_s = np.arange(0.0, 4.0, 0.01)
    level = 10.0 + 20.0 * time_s
    made = instrument(level, noise=0.01, resolution=0.0)
    made = replace(made, time_s=time_s)
    a_pass = Pass(0.0, 3.99, Direction.OPENING, 0.0, 100.0)
    two = replace(made, kind=CHANNEL_KINDS["tps2_v"])
    both = pair.Pair(made, two, relation.Line(1.0, 0.0), 0.0, together=True)
    frame = Frame(0.5, 4.5, "")
    travel = Travel(time_s, level, made.id, {made.id: frame, two.id: frame})
    shown = apart._during(both, made, travel, (a_pass,), ((1.0, 2.0),))
    seen, own, other = shown.time_s, shown.own, shown.other
    gap = np.flatnonzero(np.diff(seen) > 0.5)
    assert gap.size == 1
    assert seen[gap[0] + 1] - seen[gap[0]] == pytest.approx(1.0 + 2 * 0.02, abs=0.021)
    assert own == pytest.approx(other)
    assert own == pytest.approx((0.05 * np.interp(seen, time_s, level) - 0.5) / 4.0 * 100.0)


def test_an_interruption_tells_a_filter_only_where_it_is_long_and_deep() -> None:
    """Seven of samples enough and seven deep enough, but none both: nothing is told."""
    time_s = np.arange(0.0, 20.0, 0.001)
    level = np.full(time_s.size, 50.0)
    parts = []
    for n in range(14):
        long = n % 2 == 0
        start, depth, samples = 1.0 + n, 0.5 if long else 30.0, 200 if long else 5
        first = int(start * 1000)
        level[first : first + samples] -= depth
        back = depth * np.exp(-np.arange(60) / 4.0)
        level[first + samples : first + samples + 60] -= back
        span = (start, start + (samples + 30) / 1000)
        parts.append(Excursion(span, 50.0, 50.0, 50.0 - depth, samples))
    made = instrument(level, noise=0.05, resolution=0.0)
    made = replace(made, time_s=time_s, interval_s=0.001)
    assert smoothing.smoothed_s(made, parts) is None


def test_three_readings_tell_a_level_that_is_held_two_do_not() -> None:
    """By hand: 40.2, 39.8 and 40 percent wherever the plate was are 0.4; no rail, nor what moves."""
    places = np.asarray([0.1, 0.5, 0.9])
    nothing = float("nan")
    for read, held in (
        ((40.2, 39.8, 40.0), (0.4,)),
        ((40.2, nothing, 40.0), ()),
        ((1.0, 1.2, 1.1), ()),
        ((30.0, 40.0, 50.0), ()),
    ):
        state = matching.State(places, np.asarray(read)[:, None], 1.0)
        assert matching._held_level(state) == held
    still = matching.State(np.asarray([0.5, 0.55, 0.6]), np.full((3, 1), 40.0), 1.0)
    assert matching._held_level(still) == ()


def test_what_the_circuit_would_read_so_with_is_told_by_how_many_faults() -> None:
    assert circuit_explain._text(()).startswith("No single open")
    assert circuit_explain._text(("an open supply",)).endswith("with one fault: an open supply.")
    assert circuit_explain._text(("a", "b")).endswith("any of these: a; b.")


def test_what_a_line_usually_is_counts_its_first_sample_too() -> None:
    """By hand: beside the third sample lie 10, 4 and 4, 5, 6, 6: the upper of their middles is 6."""
    values = np.asarray([10.0, 4.0, 9.0, 4.0, 5.0, 6.0, 6.0, 100.0])
    assert spikes._around(values, 2, 3) == pytest.approx(6.0)


@pytest.mark.parametrize(("until_s", "seen"), [(2.95, 60), (1.0, 60 - 17)])
def test_a_course_that_is_hardly_seen_beside_what_left_it_is_taken_whole(
    until_s: float, seen: int
) -> None:
    """Of sixty samples ten are no course to learn from; forty-three are."""
    level = np.linspace(20.0, 79.0, 60)
    made = replace(
        instrument(level, noise=0.01, resolution=0.0), time_s=np.linspace(0.0, 2.95, 60), interval_s=0.05
    )
    away = Excursion((0.2, until_s), 24.0, 40.0, 90.0, 17)
    found = Candidates(made, (away,), (), None)
    assert shaft._as_seen(made, found).level.size == seen


def test_what_no_line_was_sampled_with_may_be_a_spike_if_it_is_one_sample() -> None:
    """The other line has no sample then: of one sample nobody knows, more than one is none."""
    made = instrument(np.full(100, 40.0), noise=0.05, resolution=0.05)
    kept = np.flatnonzero((made.time_s < 0.48) | (made.time_s > 0.56))
    other = Channel(CHANNEL_KINDS["tps2_v"], made.time_s[kept] + 0.005, np.full(kept.size, 2.0))
    for samples, said in ((1, None), (2, False)):
        end = 0.5 + 0.01 * (samples - 1)
        excursion = Excursion((0.5, end), 40.0, 40.0, 60.0, samples)
        assert spikes.is_spike(made, excursion, other) is said


@pytest.mark.parametrize(("one", "own"), [(1.8, False), (2.2, True)])
def test_how_rough_each_of_two_tracks_is_counts_in_percent_of_the_first(
    one: float, *, own: bool
) -> None:
    """The second moves 1.4 times as much: 4 of its percent squared are 2.04 of those of the first."""
    found: Any = SimpleNamespace(channels=("tps1_v",), travel_pct=(20.0, 30.0))
    tracks = tuple(SimpleNamespace(id=f"tps{n}_v", is_slow=True) for n in (1, 2))
    both = SimpleNamespace(line=relation.Line(1.4, 0.0), expected_of=lambda _: None)
    made: Any = SimpleNamespace(pair=both, tracks=tracks)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(worn_places, "own_roughness", lambda t, *_: one if t.id == "tps1_v" else 4.0)
        assert worn_places._is_sisters(made, (np.zeros(2), np.zeros(2)), found) is not own
