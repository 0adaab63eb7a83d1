"""What few readings tell: places that are crossed quickly, ways there and back, and a track that ends.

Each recording is built from the fact in its test (common practice, no published source, where none is
named).
"""

from dataclasses import replace

import numpy as np
import pytest
from scipy.signal import lfilter

from nervus.domain.analysis import Relation, TrackRelation
from nervus.domain.channel import FloatArray, Sensor, Span
from nervus.domain.finding import DeadSpot, Disagreement, Drop, Shape
from nervus.signal import examine
from nervus.signal.candidates import edges
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.explained import shaft
from nervus.signal.explained.events import Cause, Event, event_of
from nervus.signal.motion import ended
from nervus.signal.motion.relation import Line
from nervus.signal.worn import parted
from nervus.window.pictures.travel_view import healthy_volts
from signals import pair_of, recording, track, volts
from test_as_tracks_are_made import frames, swept
from test_line_cases import of, told
from test_lost_while_moving import moved
from test_shallow_places import holds, steps

END_V = 4.77
"""Where a track stands that runs into its supply."""


def steep(travel: FloatArray, *, seed: int = 3) -> tuple[FloatArray, FloatArray]:
    """A pair of which the second track ends at seventy per cent of the travel."""
    noise = np.random.default_rng(seed).normal(0.0, 0.002, travel.size)
    return 0.7 + 0.025 * travel, np.minimum(0.9 + 0.055 * travel, END_V) + noise


def whole_sweeps(
    times: int, rate_hz: float = 200.0, held_s: float = 1.1
) -> tuple[FloatArray, FloatArray]:
    """Opened wide, held, let go and held shut, again and again, unlike each other."""
    way, now = [(0.0, 0.0)], 0.5
    for n in range(times):
        takes_s = 0.6 + 0.1 * (n % 3)
        way += [(now, 0.0), (now + takes_s, 100.0), (now + takes_s + held_s, 100.0)]
        now += 2.0 * takes_s + held_s
        way.append((now, 0.0))
        now += 0.9
    return moved(*way, (now, 0.0), rate_hz=rate_hz)


# -- a track that ends before its sister -----------------------------------------------------------


@pytest.mark.parametrize("rate_hz", [25.0, 200.0, 1000.0])
def test_a_track_that_ends_before_its_sister_is_sound(rate_hz: float) -> None:
    time_s, travel = whole_sweeps(8, rate_hz)
    one, two = steep(travel)
    made = told(time_s, tps1_v=one, tps2_v=two).examination
    assert made.findings == ()
    assert made.tracks.slope == pytest.approx(2.2, abs=0.03)
    assert "From 70 % on track 2 stands at its end" in made.coverage.text
    assert "track 1 alone tells" in made.coverage.text


def test_a_falling_track_ends_at_its_ground() -> None:
    time_s, travel = whole_sweeps(8)
    one, two = steep(travel)
    made = told(time_s, tps1_v=one, tps2_v=5.0 - two).examination
    assert made.findings == ()
    assert made.tracks.slope == pytest.approx(-2.2, abs=0.03)


def test_a_filter_makes_it_late_at_its_end_only() -> None:
    """Both through 10 ms, snapped open and shut: she is no longer where he is until it has let go."""
    time_s, travel = swept(20, rate_hz=2000.0, takes_s=0.15)
    one, two = (lfilter([0.05], [1.0, -0.95], x - x[0]) + x[0] for x in steep(travel))
    at = slice(None, None, 20)
    assert told(time_s[at], tps1_v=one[at], tps2_v=two[at]).examination.findings == ()


def test_of_tracks_that_go_equally_far_neither_ends() -> None:
    """What stands at 4.6 V while the other goes to 4.9 V has lost the end of its way."""
    time_s, travel = whole_sweeps(8)
    one, two = 0.7 + 0.042 * travel, np.minimum(0.68 + 0.042 * travel, 4.6)
    both = pair_of(track(time_s, one), track(time_s, two, "tps2_v"), Line(1.0, -0.4))
    assert ended.find_ended(both, {}) is None
    one, two = steep(travel)
    both = pair_of(track(time_s, one), track(time_s, two, "tps2_v"), Line(2.2, -12.8))
    found = ended.find_ended(both, {})
    assert found is not None
    assert (found.id, found.is_top) == ("tps2_v", True)
    assert found.level == pytest.approx(END_V * 20.0, abs=0.3)


@pytest.mark.parametrize("falls", [False, True])
def test_no_reading_is_told_beyond_its_end(falls: bool) -> None:  # noqa: FBT001
    """What sound tracks read wide open, and no circuit that would have one read more than its supply."""
    time_s, travel = whole_sweeps(8)
    one, two = steep(travel)
    two[(time_s > 9.0) & (time_s < 9.06)] = 0.03
    two = 5.0 - two if falls else two
    made = told(time_s, tps1_v=one, tps2_v=two)
    sound = healthy_volts(dict(frames(made)), 100.0)
    assert sound["tps1_v"] == pytest.approx(3.2, abs=0.02)
    assert sound["tps2_v"] == pytest.approx(5.0 - END_V if falls else END_V, abs=0.02)
    half = healthy_volts(dict(frames(made)), 50.0)["tps2_v"]
    assert half == pytest.approx(1.35 if falls else 3.65, abs=0.03)
    assert made.examination.findings
    assert made.circuit.explanations == ()


@pytest.mark.parametrize("which", ["tps1_v", "tps2_v"])
def test_either_of_such_a_pair_is_found_to_be_lost_beyond_the_end(which: str) -> None:
    """While the plate is held wide open, each of them for a twentieth of a second."""
    time_s, travel = whole_sweeps(8)
    tracks = dict(zip(("tps1_v", "tps2_v"), steep(travel), strict=True))
    open_s = time_s[(travel == 100.0) & (np.roll(travel, 1) < 100.0)]
    for start in open_s[[1, 3, 6]] + 0.5:
        tracks[which][(time_s >= start) & (time_s < start + 0.05)] = 0.03
    found = of(Drop, told(time_s, **tracks))
    assert [d.channels for d in found] == [(which,)] * 3
    assert [d.times_s[0][0] for d in found] == pytest.approx(open_s[[1, 3, 6]] + 0.5, abs=0.02)
    assert all(d.level < 0.1 for d in found)


@pytest.mark.parametrize("falls", [False, True])
def test_a_track_that_stands_short_of_its_rails_is_off(falls: bool) -> None:  # noqa: FBT001
    """What goes no further than 3.6 V, or 1.4 V, runs into nothing."""
    time_s, travel = whole_sweeps(8)
    one, two = steep(travel)
    two = np.minimum(two, 3.6)
    found = told(time_s, tps1_v=one, tps2_v=5.0 - two if falls else two).examination.findings
    assert {type(f) for f in found} & {Disagreement, DeadSpot, Drop}


def test_beyond_its_end_a_track_is_where_its_sister_went_straight_on() -> None:
    """By hand: at its end, 90 of 100, she says 94, 98, and, while she was lost, 102 between the two."""
    time_s = np.linspace(0.0, 0.39, 40)
    hers = np.concatenate((np.linspace(10.0, 45.0, 30), np.linspace(46.0, 55.0, 10)))
    own = np.minimum(2.0 * hers, 90.0)
    away: tuple[Span, ...] = ((time_s[34], time_s[34]),)
    lost = hers.copy()
    lost[34] = 3.0
    one, two = track(time_s, lost / 20.0), track(time_s, own / 20.0, "tps2_v")
    both = pair_of(one, two, Line(2.0, 0.0))
    end = ended.Ended("tps2_v", 90.0, is_top=True)
    on, spans = ended.gone_on(two, end, both, away)
    assert on.level == pytest.approx(2.0 * hers, abs=1e-9)
    assert spans == ((time_s[27], time_s[39]),), "and thirty milliseconds before, for its filter"


def test_no_event_is_of_a_track_while_it_stands_at_its_end() -> None:
    end, at_end_s = ended.Ended("tps2_v", 95.0, is_top=True), ((1.0, 2.0), (4.0, 5.0))

    def left(channel: str, start: float) -> tuple[str, Excursion]:
        return channel, Excursion((start, start + 0.1), 120.0, 120.0, 99.0, 9)

    def shown(*parts: tuple[str, Excursion]) -> Event | None:
        return shaft._as_shown(event_of(list(parts)), end, at_end_s)

    beyond, elsewhere, other = left("tps2_v", 4.3), left("tps2_v", 3.0), left("tps1_v", 4.3)
    assert shown(beyond) is None
    for parts in ((elsewhere,), (other,), (left("tps1_v", 3.0), elsewhere)):
        whole = shown(*parts)
        assert whole is not None
        assert whole.parts == parts
    hers = shaft._as_shown(replace(event_of([beyond, other]), cause=Cause.FEED), end, at_end_s)
    assert hers is not None
    assert hers.parts == (other,)
    assert hers.cause is Cause.ALONE, "of the two one was not read there"


def test_a_line_that_is_learned_again_goes_nearly_the_same_way() -> None:
    """Rests at one place, all of one track's others beyond its end: on many a line."""
    time_s = np.linspace(0.0, 1.0, 50)
    known = pair_of(track(time_s, time_s), track(time_s, 2.4 * time_s, "tps2_v"), Line(2.4, 1.0))
    related = TrackRelation(Relation.SCALED, 2.4, 0.05, learned=True)
    for line, told_as in ((Line(2.3, 2.0), Line(2.3, 2.0)), (Line(1.0, 0.0), Line(2.4, 1.0))):
        again = replace(known, line=line), TrackRelation(Relation.SAME, line.slope, 0.0, learned=True)
        found, words = shaft._pair_again(known, related, again)
        assert found.line == told_as
        assert words.slope == told_as.slope
    assert shaft._pair_again(known, related, (None, related)) == (known, related)


def test_a_track_that_ends_is_not_looked_at_for_a_stretch_that_is_bridged(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    def never(_: shaft.Shaft) -> None:
        pytest.fail("where it ends it is not straight, bridged or not")

    monkeypatch.setattr(examine, "find_bridged", never)
    time_s, travel = whole_sweeps(4)
    one, two = steep(travel)
    made = recording(time_s, tps1_v=one, tps2_v=two)
    followed, stretches = examine._followed(made, Sensor.THROTTLE, 5.0, (), None)
    assert followed.ended is not None
    assert stretches == ()


# -- places that are read seldom -------------------------------------------------------------------


def test_a_bend_is_no_steeper_than_the_way_it_is_on() -> None:
    """By hand: sin^2 over 3 % of travel rises by pi / 3 of its height a per cent, which may be one."""
    at = np.linspace(43.0, 46.0, 61)
    up = np.sin(np.pi * (at - 43.0) / 3.0) ** 2
    for by, told_by in ((6.0, 3.0 / np.pi), (0.6, 0.6)):
        none = np.zeros(61)
        made = parted._Points(none.astype(np.intp), at, by * up, none, none == 0.0)
        assert parted._bends(made, 43.0, 46.0).max() == pytest.approx(told_by, rel=1e-3)


def test_a_place_that_most_passes_were_not_read_at_is_told() -> None:
    """Crossed within 4 ms, and read each 13 ms."""
    time_s, travel = swept(90, rate_hz=2000.0, takes_s=0.1)
    worn = holds(travel, 46.0, 50.0)
    at = slice(None, None, 26)
    found = of(DeadSpot, told(time_s[at], tps1_v=volts(travel[at]), tps2_v=5.0 - volts(worn[at])))
    assert [(s.channels, s.shape) for s in found] == [(("tps2_v",), Shape.FLAT)]
    assert found[0].travel_pct == pytest.approx((46.0, 50.0), abs=1.0)
    assert found[0].seen_in < 0.4 * found[0].crossed


@pytest.mark.parametrize(("rate_hz", "shape"), [(50.0, Shape.STEP), (100.0, Shape.FLAT)])
def test_a_place_that_is_read_once_in_a_pass_is_told_by_all_of_them(
    rate_hz: float, shape: Shape
) -> None:
    """Crossed at 400 % of the travel a second, 5 % of it is read once, or not at all."""
    time_s, travel = swept(40, rate_hz=rate_hz, takes_s=0.25)
    worn = steps(travel, 46.0, 52.0, 3.0) if shape is Shape.STEP else holds(travel, 46.0, 52.0)
    found = of(DeadSpot, told(time_s, tps1_v=volts(travel), tps2_v=5.0 - volts(worn)))
    assert [(s.channels, s.shape) for s in found] == [(("tps2_v",), shape)]
    assert found[0].travel_pct == pytest.approx((46.0, 52.0), abs=2.0)
    assert found[0].seen_in >= 8


def test_a_step_that_is_high_and_narrow_is_not_a_bend() -> None:
    """A bend goes the shaft's way where it is steepest: 6 % within 3 % of the travel is none."""
    time_s, travel = swept(12, rate_hz=100.0)
    at, ends = np.clip(travel, 43.0, 46.0), (43.0, 46.0)
    worn = travel - 6.0 * np.clip(np.minimum(at - ends[0], ends[1] - at), 0.0, 1.0)
    (spot,) = of(DeadSpot, told(time_s, tps1_v=volts(worn), tps2_v=volts(travel) / 2.0))
    assert (spot.channels, spot.shape) == (("tps1_v",), Shape.STEP)
    assert spot.travel_pct == pytest.approx((43.0, 46.0), abs=0.8)


# -- there and back --------------------------------------------------------------------------------


def test_both_ways_take_no_longer_than_from_reading_to_reading() -> None:
    """By hand: 30 % there and back within 40 ms takes 16 * 30 / 0.04^2, 300 000 % a second squared."""
    time_s = np.linspace(0.0, 0.22, 12)
    level = np.full(12, 60.0)
    level[6] = 30.0
    made = replace(track(time_s, level / 20.0), noise=0.0, resolution=0.0)
    own = 30.0 - made.tolerance
    (ends,) = edges.quickness(made, [(time_s[6], time_s[6])])
    assert ends == pytest.approx(16.0 * own / 0.04**2 / 130_000.0, rel=1e-6)
    # Going there already, by 10 % in the interval before, it is nearer by half of what that takes it.
    level[:6] = 60.0 + 10.0 * np.arange(5, -1, -1)
    made = replace(made, level=level)
    leaving = edges._there_and_back(made, np.asarray([6]), np.asarray([7]))
    assert leaving == pytest.approx(
        16.0 * (own - 10.0 / 2.0 * 2.0 / 4.0) / 0.04**2 / 130_000.0, rel=1e-6
    )


def test_a_lone_track_that_falls_for_one_reading_is_lost() -> None:
    """Half of its way and back within 40 ms, held, and on the way: no plate does."""
    time_s, travel = moved(
        (0.0, 0.0), (1.0, 0.0), (1.4, 60.0), (4.0, 60.0), (4.5, 15.0), (6.0, 15.0), (6.8, 90.0),
        (8.0, 90.0), (8.4, 0.0), (9.5, 0.0), rate_hz=50.0,
    )  # fmt: skip
    level = volts(travel, noise_v=0.003)
    at = np.searchsorted(time_s, (2.5, 6.5, 7.5))
    level[at] *= 0.45
    found = of(Drop, told(time_s, tps1_v=level))
    assert [d.times_s[0][0] for d in found] == pytest.approx(time_s[at], abs=1e-6)


def test_a_hand_that_goes_there_and_back_in_a_fifth_of_a_second_is_none() -> None:
    way = [(0.0, 50.0)]
    for n in range(8):
        start = 1.5 + 1.7 * n
        way += [(start, 50.0), (start + 0.1, 20.0), (start + 0.2, 50.0)]
    time_s, travel = moved(*way, (16.0, 50.0), rate_hz=50.0)
    assert of(Drop, told(time_s, tps1_v=volts(travel, noise_v=0.003))) == []


def test_what_is_lost_as_the_shaft_sets_off_is_over_where_it_meets_its_way() -> None:
    """A contact that opens at the foot of sweeps: what follows is the sweep, however high it goes."""
    way = [(0.0, 0.0)]
    for n in range(3):
        now = 1.0 + 2.3 * n
        way += [(now, 0.0), (now + 0.09, 100.0), (now + 0.7, 100.0), (now + 0.79, 0.0)]
    time_s, travel = moved(*way, (8.0, 0.0), rate_hz=400.0)
    level = volts(travel, noise_v=0.002)
    sets_off = np.flatnonzero((travel[1:] > 1.0) & (travel[:-1] <= 1.0)) + 1
    level[sets_off] *= 0.5
    level[sets_off + 1] *= 0.55
    lands = np.flatnonzero((travel[1:] < 12.0) & (travel[:-1] >= 12.0)) + 1
    level[lands] = 0.07
    found = told(time_s, tps1_v=level).examination.findings
    spans = sorted(s for f in found for s in f.times_s)
    assert all(end - start < 0.02 for start, end in spans)
    for at_s in time_s[lands].tolist():
        assert any(start - 0.01 <= at_s <= end + 0.01 for start, end in spans)


def test_the_ground_lost_at_a_stop_takes_both_beyond_it() -> None:
    """Read slowly through a filter: from 4.3 V, where they stop, to the supply, and back to the stop."""
    time_s, travel = whole_sweeps(14, rate_hz=18.0, held_s=2.0)
    one, two = 0.7 + 0.036 * travel, 0.66 + 0.036 * travel
    held = np.flatnonzero((travel == 100.0) & (np.roll(travel, 1) < 100.0))[[3, 9]]
    for first in held + 9:
        lost = slice(first, first + 9)
        rises = 1.0 - np.exp(-np.arange(1, 10) / 1.2)
        one[lost], two[lost] = (x[first - 1] + rises * (4.87 - x[first - 1]) for x in (one, two))
    found = of(Drop, told(time_s, tps1_v=one, tps2_v=two))
    assert [d.channels for d in found] == [("tps1_v", "tps2_v")] * 2
    assert [d.times_s[0][0] for d in found] == pytest.approx(time_s[held + 9], abs=0.12)


def test_a_supply_that_is_lifted_for_a_reading_shows_what_is_coupled_in() -> None:
    """A unit's percent is no measure of volts; no regulator lets a supply go by a tenth."""
    time_s, travel = swept(10, rate_hz=40.0)
    random = np.random.default_rng(2)
    one, two, supply = 10.0 + 0.8 * travel, 90.0 - 0.8 * travel, np.full(time_s.size, 5.01)
    at = np.flatnonzero(travel == 0.0)[::17]
    rises = random.uniform(0.4, 0.9, at.size)
    one[at] += 20.0 * rises
    two[at] = np.minimum(two[at] + 20.0 * rises, 100.0)
    supply[at] += rises
    assert of(Drop, told(time_s, tps1_pct=one, tps2_pct=two, vref_v=supply)) == []
    assert of(Drop, told(time_s, tps1_pct=one, tps2_pct=two))
