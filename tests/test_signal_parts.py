"""Travel, relation, disagreement, rest, supply, wear, coverage, key: each against a known answer."""

import numpy as np
import pytest

from nervus.domain.analysis import (
    ChannelSummary,
    Direction,
    Frame,
    Pass,
    Relation,
    Travel,
    Verdict,
)
from nervus.domain.channel import CHANNEL_KINDS, Channel, FloatArray, Recording
from nervus.domain.finding import RestCause, SupplyLine
from nervus.engine.rest_witness import cause_of_rest
from nervus.knowledge import profile_named
from nervus.signal.arithmetic.spans import inside, merge, overlaps, runs, total
from nervus.signal.candidates.asked import who_asked
from nervus.signal.candidates.edges import split_at_edges
from nervus.signal.instruments.key import key_off_spans
from nervus.signal.motion.course import Course, course_of
from nervus.signal.motion.frames import learn_frame
from nervus.signal.motion.lags import estimate_skew
from nervus.signal.motion.relation import Line, describe, learn_line
from nervus.signal.motion.travel import crossings, find_passes
from nervus.signal.told.coverage import describe_coverage
from nervus.signal.told.disagreement import find_disagreements, pair_travel
from nervus.signal.told.rest import find_rests, off_rest
from nervus.signal.told.supply import supply_faults
from nervus.signal.worn.flats import find_flats
from nervus.signal.worn.locality import judge_locality
from nervus.signal.worn.rough import rough_stretches
from signals import channel, pair_of, recording, sweep, sweeps, track, volts


def course(time_s: FloatArray, values: FloatArray, channel_id: str = "tps1_v") -> Course:
    return course_of(track(time_s, values, channel_id), ())


# -- spans --------------------------------------------------------------------------------------


def test_runs_merge_inside_overlaps_total() -> None:
    first, last = runs(np.asarray([True, True, False, True, False, False, True]))
    assert first.tolist() == [0, 3, 6]
    assert last.tolist() == [1, 3, 6]
    assert merge([(3.0, 4.0), (0.0, 1.0), (1.05, 2.0)], 0.1) == ((0.0, 2.0), (3.0, 4.0))
    assert inside(np.arange(5.0), [(1.0, 2.0)]).tolist() == [False, True, True, False, False]
    assert inside(np.arange(5.0), [(1.0, 2.0)], 1.0).tolist() == [True, True, True, True, False]
    assert overlaps((0, 1), (1, 2))
    assert not overlaps((0, 1), (1.2, 2))
    assert overlaps((0, 1), (1.2, 2), 0.3)
    assert total([(0.0, 1.0), (2.0, 2.5)]) == 1.5


# -- travel -------------------------------------------------------------------------------------


def test_passes_are_counted_and_trembling_is_none() -> None:
    time_s, travel = sweeps(5)
    shaking = travel + 1.5 * np.sin(2 * np.pi * 9 * time_s)
    passes = find_passes(time_s, shaking)
    assert [p.direction for p in passes] == [Direction.OPENING, Direction.CLOSING] * 5
    assert all(abs(p.to_pct - p.from_pct) > 95 for p in passes)
    assert len(crossings(passes, (40.0, 45.0))) == 10
    assert len(crossings(passes, (40.0, 103.0))) == 0


def test_a_pass_leaves_its_rests_out() -> None:
    time_s = np.arange(0, 10, 0.005)
    travel = np.clip((time_s - 3.0) * 50.0, 0.0, 100.0)
    (only,) = find_passes(time_s, travel)
    assert only.start_s == pytest.approx(3.0, abs=0.05)
    assert only.end_s == pytest.approx(5.0, abs=0.05)


def test_a_throttle_that_is_not_moved_has_no_pass() -> None:
    time_s = np.arange(0, 10, 0.005)
    assert find_passes(time_s, np.full(time_s.size, 3.0)) == ()


def test_the_frame_comes_from_the_ends_that_were_reached() -> None:
    time_s, travel = sweep()
    frame = learn_frame(course(time_s, volts(travel)), None)
    assert (frame.closed, frame.open) == pytest.approx((0.5, 4.5), abs=0.02)
    assert "reached" in frame.basis


def test_a_falling_track_is_known_by_where_it_rests() -> None:
    rests = np.concatenate((np.zeros(2000), sweeps(3)[1]))
    long = np.linspace(0.0, 0.005 * (rests.size - 1), rests.size)
    frame = learn_frame(course(long, 5.0 - volts(rests)), None)
    assert frame.closed == pytest.approx(4.5, abs=0.02)
    assert frame.open == pytest.approx(0.5, abs=0.02)


def test_a_part_sweep_takes_a_usual_range_and_says_so() -> None:
    time_s, travel = sweep()
    frame = learn_frame(course(time_s, volts(0.3 * travel)), None)
    assert frame.open == pytest.approx(4.5, abs=0.05)
    assert "usual range" in frame.basis


def test_what_the_unit_reports_gives_the_frame_of_a_part_sweep() -> None:
    """Theil-Sen through calm moments; one in ten reports is nonsense, and does not matter."""
    time_s = np.arange(0, 60, 0.02)
    travel = 20 + 15 * np.sign(np.sin(time_s)) * np.clip(np.abs(np.sin(time_s)) * 3, 0, 1)
    said = travel.copy()
    said[::10] = 77.0
    frame = learn_frame(course(time_s, volts(travel)), channel("throttle_pct", time_s, said))
    assert (frame.closed, frame.open) == pytest.approx((0.5, 4.5), abs=0.12)
    assert "control unit" in frame.basis


# -- relation -----------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("second", "relation", "slope"),
    [
        (lambda v: v, Relation.SAME, 1.0),
        (lambda v: 5.0 - v, Relation.INVERSE, -1.0),
        (lambda v: v / 2, Relation.SCALED, 0.5),
        (lambda v: v + 0.4, Relation.OFFSET, 1.0),
        (lambda v: 0.73 * v + 0.2, Relation.SCALED, 0.73),
    ],
)
def test_the_relation_is_learned_even_where_half_the_time_is_bent(
    second: object, relation: Relation, slope: float
) -> None:
    time_s, travel = sweeps(3)
    one = volts(travel)
    two = second(one)  # type: ignore[operator] # a function from the table
    two = two + 0.3 * np.exp(-(((travel - 10) / 12) ** 2))
    line = learn_line(course(time_s, one), course(time_s, two, "tps2_v"))
    told = describe(line, 5.0)
    assert told.relation is relation
    # A plain relation is taken exactly; a free one is fitted and gives a little to the bend.
    assert told.slope == pytest.approx(slope, abs=0.02 if slope != 0.73 else 0.04)


@pytest.mark.parametrize(("by", "when"), [(0.12, 0.45), (-0.3, 0.5)])
def test_a_track_that_steps_aside_halfway_is_related_as_it_was_at_first(by: float, when: float) -> None:
    """An arm that slips is sound before: by 2.4 % of the supply, or by so much that half is beside."""
    time_s, travel = sweeps(10)
    two = volts(travel) + 0.4 + by * (time_s > when * time_s[-1])
    line = learn_line(course(time_s, volts(travel)), course(time_s, two, "tps2_v"))
    assert line is not None
    assert (line.slope, line.offset) == pytest.approx((1.0, 8.0), abs=0.3)


def test_two_unrelated_tracks_have_no_relation() -> None:
    time_s, travel = sweeps(3)
    random = np.random.default_rng(4)
    other = np.interp(time_s, np.arange(0, 13, 0.5), random.uniform(0.5, 4.5, 26))
    line = learn_line(course(time_s, volts(travel)), course(time_s, other, "tps2_v"))
    assert describe(line, 5.0).relation is Relation.UNKNOWN


def test_the_skew_of_polled_tracks_is_estimated() -> None:
    time_s, travel = sweeps(6, seconds=2.0, rate_hz=25.0)
    late = 0.03
    second = volts(np.interp(time_s - late, time_s, travel))
    one = course(time_s, volts(travel))
    two = course(time_s + 0.001, second, "tps2_v")
    assert estimate_skew(one, two, Line(1.0, 0.0), 0.04) == pytest.approx(late, abs=0.012)


def disagree(bend_pct: float, *, witness: bool, profile: str | None = None) -> list[object]:
    time_s, travel = sweeps(4, seconds=8.0)
    bent = travel + bend_pct * np.exp(-(((travel - 50) / 8) ** 2))
    one, two = course(time_s, volts(travel)), course(time_s, volts(bent), "tps2_v")
    pair = pair_travel((one, two), Line(1.0, 0.0), Frame(0.5, 4.5, ""), 0.0)
    said = channel("throttle_cmd_pct", time_s, 0.8 * travel + 3) if witness else None
    chosen = profile_named(profile) if profile else None
    return list(find_disagreements(pair, ("tps1_v", "tps2_v"), said, (), chosen))


def test_a_bend_is_a_disagreement_and_the_command_names_the_liar() -> None:
    (found,) = disagree(8.0, witness=True)
    assert found.suspect == "tps2_v"  # type: ignore[attr-defined] # a Disagreement
    assert found.worst_pct == pytest.approx(8.0, abs=0.4)  # type: ignore[attr-defined]
    low, high = found.travel_pct  # type: ignore[attr-defined]
    assert 38 < low < 48
    assert 50 < high < 62
    (unknown,) = disagree(8.0, witness=False)
    assert unknown.suspect is None  # type: ignore[attr-defined]
    assert disagree(1.5, witness=True) == []


def test_the_monitor_of_the_profile_is_replayed() -> None:
    (code,) = disagree(8.0, witness=True, profile="electronic-half")
    assert code.would_set_code is True  # type: ignore[attr-defined]
    assert disagree(4.0, witness=True, profile="electronic-half") == []


# -- flats, wear --------------------------------------------------------------------------------


def test_a_flat_is_found_where_it_hides_and_a_pause_is_none() -> None:
    time_s, travel = sweeps(5)
    shown = np.where((travel > 40) & (travel < 46), 40.0, np.where(travel >= 46, travel - 6, travel))
    passes = find_passes(time_s, travel)
    # The frame knows only what the track shows: 94 of the 100 %.
    (flat,) = find_flats(course(time_s, volts(shown, noise_v=0.002)), passes, (10.0, 85.2))
    assert flat.travel_pct == pytest.approx((40.0, 46.0), abs=1.2)
    assert (flat.seen_in, flat.crossed) == (10, 10)
    paused = np.concatenate((travel[:300], np.full(60, travel[300]), travel[300:]))
    longer = np.linspace(0.0, 0.005 * (paused.size - 1), paused.size)
    passes = find_passes(longer, paused)
    assert find_flats(course(longer, volts(paused, noise_v=0.002)), passes, (10.0, 90.0)) == ()


def test_a_flat_that_slow_sampling_hides_from_single_passes_shows_in_all_of_them() -> None:
    """Fifty readings a second: a pass has one or two of them in the flat, or none."""
    time_s, travel = sweeps(7, seconds=3.1, rate_hz=50.0)
    passes = find_passes(time_s, travel)
    shown = np.where((travel > 40) & (travel < 44), 40.0, np.where(travel >= 44, travel - 4, travel))
    (flat,) = find_flats(course(time_s, volts(shown, noise_v=0.002)), passes, (10.0, 86.8))
    assert flat.travel_pct == pytest.approx((40.0, 44.0), abs=1.5)
    assert flat.crossed == 14
    assert find_flats(course(time_s, volts(travel, noise_v=0.002)), passes, (10.0, 90.0)) == ()


def test_a_rough_stretch_is_found_with_its_size() -> None:
    time_s, travel = sweeps(6)
    random = np.random.default_rng(6)
    worn = volts(travel, noise_v=0.002)
    on = (travel > 20) & (travel < 32)
    worn[on] += random.normal(0, 0.03, int(on.sum()))
    made = track(time_s, worn)
    passes = find_passes(time_s, travel)
    (rough,) = rough_stretches(made, (time_s, travel), passes, ())
    assert rough.flickers
    found = rough.noise
    assert found.travel_pct == pytest.approx((20.0, 32.0), abs=0.8)
    assert found.rms == pytest.approx(0.03, rel=0.25)
    assert found.usual_rms == pytest.approx(0.002, rel=0.4)
    quiet = track(time_s, volts(travel, noise_v=0.002))
    assert rough_stretches(quiet, (time_s, travel), passes, ()) == ()


# -- rest, supply, key, coverage -----------------------------------------------------------------


def released(rest_pct: float, engine: dict[str, tuple[float, float]]) -> Recording:
    """Six releases; the last three rest higher, with engine channels (usual, then)."""
    time_s = np.arange(0, 60, 0.02)
    phase = time_s % 10
    late = time_s >= 30
    rest = np.where(late, rest_pct, 0.0)
    travel = np.where(phase < 3, 30.0, np.clip(30 - (phase - 3) * 300, rest, 30))
    lines = {"tps1_v": volts(travel, noise_v=0.002)}
    for name, (usual, then) in engine.items():
        lines[name] = np.where(phase < 3, 2 * usual, np.where(late, then, usual))
    return recording(time_s, **lines)


@pytest.mark.parametrize(
    ("engine", "cause"),
    [
        ({"rpm": (750, 1800), "maf_gs": (2.4, 6.5)}, RestCause.PLATE),
        ({"rpm": (750, 750), "maf_gs": (2.4, 2.45)}, RestCause.SIGNAL),
        ({"rpm": (750, 1800), "map_kpa": (30, 28)}, RestCause.PLATE),
        ({"rpm": (750, 752), "map_kpa": (30, 30)}, RestCause.SIGNAL),
        ({"rpm": (750, 752)}, RestCause.UNKNOWN),
        ({"rpm": (0, 0), "maf_gs": (0, 0)}, RestCause.UNKNOWN),
        ({}, RestCause.UNKNOWN),
    ],
)
def test_the_engine_tells_plate_from_signal(
    engine: dict[str, tuple[float, float]], cause: RestCause
) -> None:
    """Common practice, no published source: idle up with the reading up, the plate is open; idle
    normal with the reading up, the signal lies. Pressure alone falls as the engine speeds up."""
    made = released(6.0, engine)
    time_s = made.channels[0].time_s
    travel = (made.channels[0].values - 0.5) / 0.04
    (found,) = off_rest(find_rests(time_s, travel, made), ("tps1_v",), made, cause_of_rest)
    assert found.cause is cause
    assert found.rest_pct == pytest.approx(6.0, abs=0.2)
    assert found.usual_rest_pct == pytest.approx(0.0, abs=0.2)
    assert len(found.times_s) == 3


def test_a_foot_that_holds_the_throttle_is_no_fault() -> None:
    made = released(6.0, {})
    time_s = made.channels[0].time_s
    travel = (made.channels[0].values - 0.5) / 0.04
    pedal = channel("pedal_pct", time_s, np.where(time_s >= 30, 8.0, 0.0))
    held = Recording((*made.channels, pedal))
    assert off_rest(find_rests(time_s, travel, held), ("tps1_v",), held, cause_of_rest) == ()


def test_supply_and_ground_out_of_tolerance() -> None:
    """Common practice, no published source: about 5 V within 5 %, ground within 0.1 V."""
    time_s = np.arange(0, 10, 0.01)
    low = np.where((time_s > 4) & (time_s < 5), 4.5, 5.0)
    lifted = np.where(time_s > 8, 0.35, 0.02)
    found = supply_faults(recording(time_s, vref_v=low, sgnd_v=lifted), ())
    assert [(f.where, f.level_v) for f in found] == [(SupplyLine.SUPPLY, 4.5), (SupplyLine.GROUND, 0.35)]
    spike = np.full(time_s.size, 5.0)
    spike[300] = 3.9
    assert supply_faults(recording(time_s, vref_v=spike), ()) == ()
    assert supply_faults(recording(time_s, vref_v=low), ((3.9, 5.1),)) == ()


def test_key_off_needs_everything_to_go_and_a_break_of_the_supply_is_none() -> None:
    time_s, travel = sweeps(5)
    off = (time_s > 8) & (time_s < 12)
    lines = {
        "tps1_v": volts(travel),
        "vref_v": np.full(time_s.size, 5.0),
        "batt_v": np.full(time_s.size, 12.6),
    }
    gone = {name: np.where(off, 0.0 if name != "batt_v" else 11.0, v) for name, v in lines.items()}
    (span,) = key_off_spans(recording(time_s, **gone))
    assert span == pytest.approx((8.0, 12.0), abs=0.3)
    # The battery stays: the supply line has failed, and that is a fault.
    assert key_off_spans(recording(time_s, **{**gone, "batt_v": lines["batt_v"]})) == ()
    # The track stays: nobody switched the key.
    assert key_off_spans(recording(time_s, **{**gone, "tps1_v": lines["tps1_v"]})) == ()


def test_coverage_names_what_was_never_swept_and_what_is_too_short() -> None:
    summary = (ChannelSummary("tps1_v", "V", 100, 20.0, 0.05),)
    time_s = np.arange(0, 5, 0.05)
    travel = Travel(time_s, np.linspace(10, 60, time_s.size), "tps1_v", {})
    passes = (
        Pass(0, 1, Direction.OPENING, 10.0, 30.0),
        Pass(2, 3, Direction.OPENING, 45.0, 60.0),
    )
    told = describe_coverage(summary, travel, passes)
    assert told.swept_pct == ((10.0, 30.0), (45.0, 60.0))
    assert "Never swept: 0 to 10 %, 30 to 45 %, 60 to 100 %" in told.text
    assert "shorter than 50 ms" in told.text
    still = describe_coverage(summary, None, ())
    assert "never swept" in still.text
    assert still.travel_pct_seen is None


def test_channels_refuse_arrays_that_do_not_match() -> None:
    with pytest.raises(ValueError, match="equally long"):
        Channel(CHANNEL_KINDS["rpm"], np.zeros(3), np.zeros(2))


# -- what single changes of the code went unnoticed by ------------------------------------------


def test_what_reading_in_turn_hides_is_told_in_each_tracks_own_measure() -> None:
    """A second track of half the first: the same motion is half as much of its supply."""
    time_s, travel = sweep()
    one = track(time_s, 0.5 + 0.04 * travel)
    two = track(time_s + 0.001, 0.25 + 0.02 * travel, "tps2_v")
    pair = pair_of(one, two, Line(0.5, 0.0), together=False)
    first, second = (pair.timing(t, (0.8, 1.2)) for t in (one, two))
    assert first == pytest.approx(2.0 * second, rel=0.02)
    assert first > 0.0


def test_the_ends_of_a_command_lie_within_its_rounding() -> None:
    time_s, travel = sweeps(4)
    made = recording(time_s, tps1_v=volts(travel), throttle_cmd_pct=5.0 + 0.9 * travel)
    asked = who_asked(made, (track(time_s, volts(travel)),))
    assert asked is not None
    assert asked.ends == pytest.approx((5.6, 94.4), abs=0.05)


def test_the_last_sample_belongs_to_the_last_segment() -> None:
    time_s = np.linspace(0.0, 1.0, 101)
    values = np.where(time_s > 0.5, 3.0, 1.0)
    found = split_at_edges(track(time_s, values))
    assert (int(found.first[0]), int(found.last[-1])) == (0, 100)


def test_hundreds_of_events_at_one_place_are_still_counted() -> None:
    """Their likelihoods are beyond what a number holds; told is a probability all the same."""
    time_s = np.linspace(0.0, 600.0, 6001)
    travel = 50.0 - 50.0 * np.cos(2 * np.pi * time_s / 5.0)
    told, place = judge_locality(np.full(600, 42.0), travel, time_s)
    assert told.verdict is Verdict.POSITION
    assert told.p_value == 0.0
    assert place == pytest.approx((42.0, 42.0))


def test_who_lies_can_not_be_told_where_the_tracks_never_agree() -> None:
    """The scale of the command is learned where they do (a command of another travel)."""
    time_s, travel = sweeps(8)
    one, two = course(time_s, volts(travel)), course(time_s, volts(travel) + 0.4, "tps2_v")
    both = pair_travel((one, two), Line(1.0, 0.0), Frame(0.5, 4.5, ""), 0.0)
    command = channel("throttle_cmd_pct", time_s, travel)
    (found,) = find_disagreements(both, ("tps1_v", "tps2_v"), command, (), None)
    assert found.suspect is None
    assert found.worst_pct == pytest.approx(10.0, abs=0.5)


@pytest.mark.parametrize(("off_one", "off_two", "liar"), [(0.32, 0.0, "tps1_v"), (0.0, 0.32, "tps2_v")])
def test_a_command_tells_who_lies_though_the_tracks_agree_at_rest_alone(
    off_one: float, off_two: float, liar: str
) -> None:
    """Agreeing at one place only, no slope can be learned: a percent of the command is one of travel."""
    time_s, travel = sweeps(8)
    travel = np.maximum(travel - 30.0, 0.0) * 10.0 / 7.0
    away = travel > 6.0
    one = course(time_s, volts(travel) + np.where(away, off_one, 0.0))
    two = course(time_s, volts(travel) + np.where(away, off_two, 0.0), "tps2_v")
    both = pair_travel((one, two), Line(1.0, 0.0), Frame(0.5, 4.5, ""), 0.0)
    command = channel("throttle_cmd_pct", time_s, travel)
    (found,) = find_disagreements(both, ("tps1_v", "tps2_v"), command, (), None)
    assert found.suspect == liar


def test_the_travel_reached_leaves_out_what_two_in_a_thousand_showed() -> None:
    """Half a percent of the samples beyond is still travel that was reached (from memory)."""
    time_s = np.arange(0.0, 10.0, 0.005)
    for share, reached in ((0.001, 80.0), (0.005, 100.0)):
        percent = np.linspace(0.0, 80.0, time_s.size)
        percent[: int(share * time_s.size)] = 100.0
        way = Travel(time_s, percent, "tps1_v", {})
        summary = ChannelSummary("tps1_v", "V", time_s.size, 200.0, 0.005)
        seen = describe_coverage((summary,), way, ()).travel_pct_seen
        assert seen is not None
        assert seen[1] == pytest.approx(reached, abs=0.3)
