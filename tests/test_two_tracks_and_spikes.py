"""What a second track, the supply and a fast capture show, and what must not be called a fault."""

import numpy as np
import pytest
from scipy.signal import lfilter

from nervus.domain.channel import FloatArray
from nervus.domain.finding import DeadSpot, Disagreement, Drop, Noise, Shape
from nervus.judge.analyse import analyse
from nervus.judge.stretches import concerned
from nervus.signal.arithmetic.spans import runs, runs_of
from nervus.signal.instruments.instrument import coarser
from nervus.signal.instruments.sampling import block_means
from nervus.signal.motion.relation import Line
from nervus.signal.motion.travel import find_passes
from nervus.signal.worn.flats import find_flats
from signals import channel, events, pair_of, recording, sweep, sweeps, track, volts


def stands(travel: FloatArray, low: float, wide: float) -> FloatArray:
    """A track on which a stretch of the resistance is missing."""
    high = low + wide
    return np.where(travel < low, travel, np.where(travel > high, travel - wide, low))


@pytest.mark.parametrize("low", [4.0, 40.0, 92.0])
def test_a_flat_that_time_cannot_tell_is_told_by_the_other_track(low: float) -> None:
    """Near the ends every hand is slow, and 2.5 % of the travel is two samples at 50 a second."""
    time_s, travel = sweeps(6, seconds=3.0, rate_hz=50.0)
    shown = volts(stands(travel, low, 2.5), noise_v=0.003)
    other = 5.0 - volts(travel, noise_v=0.003, seed=2)
    found = analyse(recording(time_s, tps1_v=shown, tps2_v=other)).examination.findings
    flats = [f for f in found if isinstance(f, DeadSpot)]
    assert [f.channels for f in flats] == [("tps1_v",)]
    assert flats[0].shape is Shape.FLAT
    assert sum(flats[0].travel_pct) / 2 == pytest.approx(low + 1.25, abs=2.0)
    assert flats[0].seen_in >= 8


@pytest.mark.parametrize("low", [0.0, 1.0, 94.0, 95.5, 97.0])
def test_a_stand_at_the_very_end_of_the_travel_has_a_place_or_is_none(low: float) -> None:
    """It leaps to where it should be, where hardly any travel is left to go on over."""
    time_s, travel = sweeps(6, seconds=3.0, rate_hz=50.0)
    leaping = np.where((travel > low) & (travel < low + 4.0), low, travel)
    lines = {"tps1_v": volts(leaping, noise_v=0.003), "tps2_v": 5.0 - volts(travel, noise_v=0.003)}
    for spot in analyse(recording(time_s, **lines)).examination.findings:
        if isinstance(spot, DeadSpot):
            assert np.isfinite(spot.travel_pct).all()
            assert np.isfinite(spot.times_s).all()


def test_a_hand_that_pauses_is_no_flat_when_the_other_track_pauses_too() -> None:
    time_s, travel = sweeps(6, seconds=3.0, rate_hz=50.0)
    held = 50.0 + np.where(np.abs(travel - 50.0) < 3.0, 0.2, 1.0) * (travel - 50.0)
    lines = {"tps1_v": volts(held, noise_v=0.003), "tps2_v": 5.0 - volts(held, noise_v=0.003, seed=2)}
    found = analyse(recording(time_s, **lines)).examination.findings
    assert not [f for f in found if isinstance(f, DeadSpot)]


def test_a_bent_track_is_no_flat() -> None:
    """A bend of 10 % over 60 % of the travel nearly stands where it is steepest, but not over a spot."""
    time_s, travel = sweeps(6, seconds=3.0, rate_hz=100.0)
    bend = 10.0 * np.sin(np.pi * np.clip((travel - 20.0) / 60.0, 0.0, 1.0)) ** 2
    lines = {"tps1_v": volts(travel, noise_v=0.002), "tps2_v": 5.0 - volts(travel + bend, noise_v=0.002)}
    found = analyse(recording(time_s, **lines)).examination.findings
    assert [type(f) for f in found] == [Disagreement]


def test_many_passes_are_looked_at_only_where_a_few_are_suspicious() -> None:
    """The verdict over 300 passes is that of 12, with and without a flat."""
    from nervus.signal.motion.course import course_of

    time_s, travel = sweeps(150, seconds=2.0, rate_hz=100.0)
    passes = find_passes(time_s, travel)
    assert len(passes) > 290
    sound = course_of(track(time_s, volts(travel, noise_v=0.002)), ())
    assert find_flats(sound, passes, (10.0, 90.0)) == ()
    worn = course_of(track(time_s, volts(stands(travel, 40.0, 6.0), noise_v=0.002)), ())
    (flat,) = find_flats(worn, passes, (10.0, 85.2))
    assert flat.seen_in == flat.crossed == len(passes)


def test_two_spikes_near_each_other_are_not_one_interruption() -> None:
    """A small one and a large one 40 ms later, coupled into tracks and supply alike."""
    time_s, travel = sweep(rate_hz=1000.0)
    spikes = np.zeros(time_s.size)
    for at, size_v in ((1000, 0.06), (1040, -0.5), (2300, 0.7), (2301, 0.3)):
        spikes[at] += size_v
    random = np.random.default_rng(5)
    lines = {
        "tps1_v": volts(travel, noise_v=0.002) + spikes,
        "tps2_v": 5.0 - volts(travel, noise_v=0.002, seed=2) + 0.95 * spikes,
        "vref_v": 5.0 + random.normal(0.0, 0.002, time_s.size) + 1.05 * spikes,
    }
    made = recording(time_s, **lines)
    assert analyse(made).examination.findings == ()


def test_a_drop_that_the_supply_does_not_share_is_no_spike() -> None:
    """One sample of both tracks, alike by chance; the supply beside them was not coupled to."""
    time_s, travel = sweep()
    one, two = volts(travel, noise_v=0.002), 5.0 - volts(travel, noise_v=0.002, seed=2)
    one[300], two[300] = one[300] - 1.0, two[300] - 1.0
    steady = np.full(time_s.size, 5.0)
    found = analyse(recording(time_s, tps1_v=one, tps2_v=two, vref_v=steady)).examination.findings
    assert [f.channels for f in found if isinstance(f, Drop)] == [("tps1_v", "tps2_v")]


@pytest.mark.parametrize("filter_s", [0.0002, 0.0006, 0.0015])
@pytest.mark.parametrize("seconds", [0.006, 0.03])
def test_a_fast_capture_shows_a_drop_whose_edges_a_filter_rounds(
    filter_s: float, seconds: float
) -> None:
    """A resistor and a capacitor: n time constants after a step exp(-n) of it is left (any textbook)."""
    rate_hz = 10_000.0
    time_s, travel = sweep(rate_hz=rate_hz)
    values = volts(travel)
    values[(time_s >= 0.9) & (time_s < 0.9 + seconds)] = 0.0
    kept = np.exp(-1.0 / (rate_hz * filter_s))
    values, _ = lfilter([1.0 - kept], [1.0, -kept], values, zi=[kept * values[0]])
    values = values + np.random.default_rng(3).normal(0.0, 0.003, values.size)
    found = analyse(recording(time_s, tps1_v=values)).examination.findings
    (drop,) = (f for f in found if isinstance(f, Drop))
    start, end = drop.times_s[0]
    assert start == pytest.approx(0.9, abs=0.003)
    assert end == pytest.approx(0.9 + seconds, abs=0.002 + 5.0 * filter_s)


def test_a_step_has_one_depth_and_a_rough_stretch_has_many() -> None:
    time_s, travel = sweeps(8)
    worn = (travel > 40.0) & (travel < 46.0)
    random = np.random.default_rng(8)
    dips = np.where(random.random(time_s.size) < 0.4, random.uniform(0.05, 0.35, time_s.size), 0.0)
    stepped = volts(travel, noise_v=0.002) - 0.2 * worn
    rough = volts(travel, noise_v=0.002) - dips * worn
    (step,) = analyse(recording(time_s, tps1_v=stepped)).examination.findings
    assert isinstance(step, DeadSpot)
    assert step.shape is Shape.STEP
    (noise,) = analyse(recording(time_s, tps1_v=rough)).examination.findings
    assert isinstance(noise, Noise)


def test_means_over_blocks_and_runs_of_indices() -> None:
    values = np.arange(11.0)
    assert block_means(values, 4).tolist() == [1.5, 5.5]
    made = track(np.arange(0.0, 1.0, 0.0001), np.full(10_000, 2.0))
    coarse = coarser(made, 0.001)
    assert coarse is not None
    assert coarse.level.size == 1000
    assert coarser(track(*sweep()), 0.001) is None
    mask = np.array([True, True, False, True, False, False, True])
    for one, other in zip(runs(mask), runs_of(np.flatnonzero(mask)), strict=True):
        assert one.tolist() == other.tolist()
    assert runs_of(np.empty(0, dtype=np.intp))[0].size == 0
    assert channel("tps1_v", values, values).samples == 11


def test_the_track_that_fails_in_more_passes_is_the_more_concerned() -> None:
    """A worn place in all 16 passes of track 1, five interruptions of track 2: the passes weigh."""
    time_s, travel = sweeps(8)
    one = volts(travel, noise_v=0.002) - 0.3 * ((travel > 40.0) & (travel < 44.0))
    two = 5.0 - volts(travel, noise_v=0.002, seed=2)
    for start in (310, 1275, 2690, 4010, 5530):
        two[start : start + 12] = 0.02
    examination = analyse(recording(time_s, tps1_v=one, tps2_v=two)).examination
    kinds = {(type(f), f.channels) for f in examination.findings}
    assert (DeadSpot, ("tps1_v",)) in kinds
    assert (Drop, ("tps2_v",)) in kinds
    tracks = concerned(examination).tracks
    assert sum(tracks.values()) == pytest.approx(1.0)
    assert tracks[1] > 1.5 * tracks[2]


def test_what_reads_the_level_of_an_open_line_is_one_more_interruption() -> None:
    """25 readings a second: three are plain, one comes where the track reads nearly that anyway."""
    time_s, travel = sweeps(4, seconds=6.0, rate_hz=25.0)
    first, second = volts(travel, noise_v=0.002), volts(travel, noise_v=0.002, seed=2)
    plain = ((2.6, 2.9), (9.0, 9.3), (14.4, 14.8))
    hidden = (18.96, 19.16)
    for start, end in (*plain, hidden):
        second[(time_s > start) & (time_s < end)] = 1.3
    moved = travel[(time_s > hidden[0]) & (time_s < hidden[1])]
    assert np.abs(0.04 * moved + 0.5 - 1.3).max() < 0.5
    made = recording(time_s, tps1_v=first, tps2_v=second)
    drops = [f for f in analyse(made).examination.findings if isinstance(f, Drop)]
    assert [d.channels for d in drops] == [("tps2_v",)] * 4
    assert drops[-1].times_s[0][0] == pytest.approx(19.0, abs=0.05)
    alone = volts(travel, noise_v=0.002, seed=2)
    alone[(time_s > hidden[0]) & (time_s < hidden[1])] = 1.3
    (only,) = analyse(recording(time_s, tps1_v=first, tps2_v=alone)).examination.findings
    assert only.channels == ("tps2_v",)
    # Without her nothing tells it from a hand.
    assert not analyse(recording(time_s, tps2_v=alone)).examination.findings


def test_a_gentle_interruption_is_found_by_the_other_track_and_named() -> None:
    """It leaves and comes back over 80 ms each, as no edge does; the other track stays."""
    time_s, travel = sweep()
    share = np.clip(1.0 - np.abs(time_s - 1.2) / 0.16, 0.0, 0.5) * 2.0
    one = volts(travel, noise_v=0.002)
    one -= share * (one - 0.1)
    two = 5.0 - volts(travel, noise_v=0.002, seed=2)
    (event,) = events(recording(time_s, tps1_v=one, tps2_v=two))
    assert event.channels == ("tps1_v",)
    assert event.span_s == pytest.approx((1.05, 1.35), abs=0.03)
    tracks = (track(time_s, one), track(time_s, two, "tps2_v"))
    pair = pair_of(*tracks, Line(-1.0, 100.0))
    (parted,) = pair.partings(4.0, (), 0.06)
    assert parted == pytest.approx((1.05, 1.35), abs=0.03)
    # What is known already is not told again; a track and itself never part.
    assert pair.partings(4.0, ((1.0, 1.4),), 0.06) == ()
    assert pair_of(tracks[0], tracks[0], Line(1.0, 0.0)).partings(4.0, (), 0.06) == ()


@pytest.mark.parametrize("from_s", [12.0, 18.0, 34.0])
def test_the_track_that_stepped_aside_was_sound_before(from_s: float) -> None:
    """Offset by 7 % of travel for the longer or the shorter part: it differs from the step on."""
    time_s, travel = sweeps(10)
    one = volts(travel, noise_v=0.002)
    two = 0.3 + volts(travel, noise_v=0.002, seed=2) + np.where(time_s > from_s, 0.28, 0.0)
    (found,) = analyse(recording(time_s, app1_v=one, app2_v=two)).examination.findings
    assert isinstance(found, Disagreement)
    assert found.times_s[0][0] == pytest.approx(from_s, abs=0.4)
    assert found.times_s[-1][1] == pytest.approx(time_s[-1], abs=0.1)
    assert found.worst_pct == pytest.approx(7.0, abs=0.5)


@pytest.mark.parametrize(
    ("rate_hz", "from_s"), [(200.0, 6.73), (200.0, 7.2), (2000.0, 6.3), (2000.0, 7.2)]
)
def test_a_lasting_difference_is_one_finding_from_its_first_to_its_last_sample(
    rate_hz: float, from_s: float
) -> None:
    """How far the tracks are apart tells what belongs to it, not how an excursion's course was drawn."""
    time_s, travel = sweeps(6, rate_hz=rate_hz)
    away = (time_s > from_s) & (time_s < from_s + 6.3)
    two = 5.0 - volts(travel, noise_v=0.004, seed=2) + np.where(away, 0.21, 0.0)
    made = recording(time_s, tps1_v=volts(travel, noise_v=0.004), tps2_v=two)
    assert [type(f) for f in analyse(made).examination.findings] == [Disagreement]
