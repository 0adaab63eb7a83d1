"""What comes again tells what it is: stops, rests, levels, places at which both tracks stood.

Each recording is built sample by sample from one fact; common practice, no published source, where none
is named.
"""

import numpy as np
import pytest

from nervus.domain.channel import FloatArray, Recording
from nervus.domain.finding import DeadSpot, Disagreement, Drop, Noise, OffRest, Shared
from nervus.domain.suspect import SuspectId
from nervus.judge.analyse import analyse
from nervus.signal.candidates.stands import find_stands
from nervus.signal.motion.course import course_of
from nervus.signal.motion.frames import learn_frame
from nervus.signal.motion.relation import learn_line, line_of_stands
from nervus.signal.told.rest import find_rests
from signals import channel, sweeps, track, volts
from test_line_cases import of, told


def swept(tops: tuple[float, ...], rate_hz: float = 100.0) -> tuple[FloatArray, FloatArray]:
    """Instants and percent: opened to each level, held there for a second, and shut."""
    at, travel = [0.0, 1.0], [0.0, 0.0]
    for top in tops:
        for takes, place in ((1.5, top), (1.0, top), (1.5, 0.0), (1.0, 0.0)):
            at.append(at[-1] + takes)
            travel.append(place)
    time_s = np.arange(0.0, at[-1], 1.0 / rate_hz)
    return time_s, np.interp(time_s, at, travel)


def snapped(count: int = 40, *, seed: int = 2) -> tuple[FloatArray, FloatArray]:
    """Instants a hundredth of a second apart, and percent: a foot that snaps to anywhere and lets go."""
    random = np.random.default_rng(seed)
    at, travel = [0.0, 0.8], [0.0, 0.0]
    for _ in range(count):
        top = 100.0 if random.random() < 0.6 else random.uniform(30.0, 100.0)
        for takes, place in ((0.2, top), (random.uniform(0.3, 0.9), top), (0.15, 0.0)):
            at.append(at[-1] + takes)
            travel.append(place)
        at.append(at[-1] + random.uniform(0.5, 2.0))
        travel.append(0.0)
    time_s = np.arange(0.0, at[-1], 0.01)
    return time_s, np.interp(time_s, at, travel)


# -- the stop, and the line between two tracks ------------------------------------------------------


@pytest.mark.parametrize(
    ("tops", "open_v"), [((81.0,) * 4, 3.74), ((81.0, 77.5, 74.2, 79.6), 4.5), ((81.0, 81.0), 4.5)]
)
def test_a_stop_is_where_it_is_opened_to_again_and_again(tops: tuple[float, ...], open_v: float) -> None:
    """Of a track that ends at 3.74 V; no hand comes to one level thrice (0.3 % of the supply)."""
    time_s, travel = swept(tops)
    own = track(time_s, volts(travel, noise_v=0.002))
    assert learn_frame(course_of(own, ()), None).open == pytest.approx(open_v, abs=0.03)
    falling = track(time_s, 5.0 - volts(travel, noise_v=0.002))
    frame = learn_frame(course_of(falling, ()), None, mirrored=True)
    assert frame.open == pytest.approx(5.0 - open_v, abs=0.03)


def test_what_is_asked_for_tells_a_stop_from_what_blocks_a_plate() -> None:
    asked_s, asked = swept((90.0, 30.0, 82.0, 40.0, 100.0, 20.0))
    blocked = track(asked_s, volts(np.minimum(asked, 77.0), noise_v=0.002))
    assert learn_frame(course_of(blocked, ()), None).open == pytest.approx(3.58, abs=0.03)
    command = channel("throttle_cmd_pct", asked_s, asked)
    assert learn_frame(course_of(blocked, ()), command).open > 4.0


def test_a_place_is_told_by_the_stop_that_was_reached() -> None:
    time_s, travel = swept((100.0,) * 5)
    one = 1.0 + 0.028 * travel + np.random.default_rng(4).normal(0.0, 0.002, travel.size)
    one[(travel > 60.0) & (travel < 63.0)] = 0.02
    (spot,) = of(DeadSpot, told(time_s, tps1_v=one))
    assert spot.travel_pct == pytest.approx((60.0, 63.0), abs=1.0)


def test_tracks_that_are_snapped_are_related_by_where_both_stood() -> None:
    """Read in turn eight times a second hardly two readings are of one place while they move."""
    time_s, travel = snapped()
    random = np.random.default_rng(7)
    read_s = np.cumsum(random.uniform(0.04, 0.08, round(time_s[-1] / 0.06) - 10))
    one_s, two_s = read_s[0::2], read_s[1::2]
    one, two = (np.interp(x, time_s, travel) for x in (one_s, two_s))
    tracks = (
        channel("tps1_v", one_s, np.round(volts(one) * 51.0) / 51.0),
        channel("tps2_v", two_s, np.round((0.3 + volts(two)) * 51.0) / 51.0),
    )
    made = analyse(Recording(tracks)).examination
    assert made.tracks.slope == pytest.approx(1.0, abs=0.01)
    assert made.tracks.offset_v == pytest.approx(0.3, abs=0.03)
    assert made.findings == ()


def test_two_places_tell_a_line_only_of_tracks_as_they_are_built() -> None:
    ends = np.asarray([12.0, 12.2, 88.0, 88.1])
    line = line_of_stands(ends, ends + 5.0)
    assert line is not None
    assert (line.slope, line.offset) == pytest.approx((1.0, 5.0), abs=0.1)
    assert line_of_stands(ends, 0.7 * ends + 5.0) is None
    assert line_of_stands(ends[:2], ends[:2]) is None


def test_tracks_that_were_all_on_a_line_at_first_were_sound_then() -> None:
    """Quick sweeps, then slow ones aside: the calmest readings of each place are the late ones."""
    at, travel = [0.0], [0.0]
    for takes in (1.2,) * 4 + (4.0, 1.2, 4.0):
        at += [at[-1] + takes, at[-1] + takes + 0.3]
        travel += [100.0 - travel[-1]] * 2
    time_s = np.arange(0.0, at[-1], 0.01)
    moved = np.interp(time_s, at, travel)
    two = 0.4 + volts(moved, noise_v=0.003, seed=2) + np.where(time_s > 6.1, 0.2, 0.0)
    one, other = track(time_s, volts(moved, noise_v=0.003)), track(time_s, two, "tps2_v")
    line = learn_line(course_of(one, ()), course_of(other, ()))
    assert line is not None
    assert line.offset == pytest.approx(8.0, abs=0.3)


@pytest.mark.parametrize("gain", [0.91, 0.94])
def test_a_gain_that_changed_early_leaves_the_line_as_it_was_before(gain: float) -> None:
    """Tracks that lie 0.4 V apart by build; one loses its gain an eighth on, and for good."""
    time_s, moved = sweeps(16, 3.0, 50.0)
    two = 0.4 + volts(moved, noise_v=0.003, seed=2)
    late = time_s > time_s[-1] / 8.0
    two[late] *= gain
    one, other = track(time_s, volts(moved, noise_v=0.003)), track(time_s, two, "tps2_v")
    line = learn_line(course_of(one, ()), course_of(other, ()))
    assert line is not None
    assert (line.slope, line.offset) == pytest.approx((1.0, 8.0), abs=0.3)
    (differ,) = of(Disagreement, told(time_s, tps1_v=volts(moved, noise_v=0.003), tps2_v=two))
    assert differ.times_s[0][0] > 0.9 * time_s[-1] / 8.0


# -- rests --------------------------------------------------------------------------------------------


def test_a_plate_that_is_asked_to_rest_lower_rests_too_high() -> None:
    """Where the command tells that it was let go, what a foot closed to on its way is no rest."""
    tops = (40.0, 25.0, 60.0, 35.0, 50.0, 30.0, 45.0, 55.0)
    at, asked, stays = [0.0, 4.0], [5.0, 5.0], [5.0, 5.0]
    for number, top in enumerate(tops):
        rest = 5.0 if number < 2 else 8.5
        for takes, to, is_at in ((0.5, top, top), (1.5, top, top), (0.4, top / 2, top / 2)):
            at.append(at[-1] + takes)
            asked.append(to)
            stays.append(is_at)
        for takes, to, is_at in ((1.5, top / 2, top / 2), (0.3, 5.0, rest), (4.0, 5.0, rest)):
            at.append(at[-1] + takes)
            asked.append(to)
            stays.append(is_at)
    time_s = np.arange(0.0, at[-1], 0.05)
    lines = {"throttle_cmd_pct": np.interp(time_s, at, asked)}
    made = told(time_s, tps1_v=volts(np.interp(time_s, at, stays), noise_v=0.002), **lines)
    (found,) = of(OffRest, made)
    assert found.rest_pct - found.usual_rest_pct == pytest.approx(3.5, abs=0.5)
    assert len(found.times_s) == 6


def test_below_its_stop_no_hand_holds_a_plate() -> None:
    """Two gentle landings are rests as well: five releases further open are off."""
    at, travel = [0.0, 3.0, 4.0, 6.0, 12.0, 16.0], [0.0, 0.0, 3.0, 3.0, 0.0, 0.0]
    for top in (40.0, 60.0, 50.0, 70.0, 45.0):
        for takes, place in ((1.0, top), (1.0, top), (0.3, 4.0), (4.0, 4.0)):
            at.append(at[-1] + takes)
            travel.append(place)
    time_s = np.arange(0.0, at[-1], 0.05)
    moved = np.interp(time_s, at, travel)
    lows = [r for r in find_rests(time_s, moved, Recording(())) if r.percent < 1.0]
    assert lows
    assert not any(r.released or r.low for r in lows)
    (found,) = of(OffRest, told(time_s, tps1_v=volts(moved, noise_v=0.002)))
    assert found.usual_rest_pct == pytest.approx(0.0, abs=0.3)


# -- levels that are landed on ------------------------------------------------------------------------


def fallen(level: float, *, rests: bool = False) -> tuple[FloatArray, FloatArray]:
    """A drive below 55 % of the supply, read seven times a second, that falls to a level for two."""
    time_s = np.arange(0.0, 120.0, 0.15)
    drive = np.interp(time_s % 8.3, [0.0, 4.1, 8.3], [10.0, 55.0, 10.0])
    drive[(time_s > 59.0) & (time_s < 61.0)] = 82.0
    for first in range(30, 780, 113):
        drive[first : first + 2] = level
    if rests:
        drive[(time_s > 80.0) & (time_s < 83.0)] = level
    return time_s, drive / 20.0


def test_a_level_that_is_landed_on_too_often_for_chance_is_no_place_of_the_shaft() -> None:
    """Two readings each time; it lies above where the drive usually is, and below where it was once."""
    assert find_stands(track(*fallen(62.0)), (), witnessed=True)[1] == pytest.approx(62.0, abs=0.3)


def test_where_a_shaft_rests_for_long_it_may_land_as_often_as_it_likes() -> None:
    assert find_stands(track(*fallen(62.0, rests=True)), (), witnessed=True)[1] is None


# -- what is asked, what is smooth, what is shared ----------------------------------------------------


def test_a_command_at_its_least_asks_for_no_fall_to_ground() -> None:
    """Nobody knows what is asked for below its end; that it asked for anything else nobody saw."""
    at, asked = [0.0, 4.0], [5.0, 5.0]
    for top in (60.0, 35.0, 80.0, 45.0, 70.0, 30.0):
        for takes, to in ((0.8, top), (1.5, top), (0.8, 5.0), (5.0, 5.0)):
            at.append(at[-1] + takes)
            asked.append(to)
    time_s = np.arange(0.0, at[-1], 0.04)
    command = np.interp(time_s, at, asked)
    values = volts(command, noise_v=0.001)
    idle_s = (2.0, 9.0, 17.5, 25.5)
    for start in idle_s:
        values[(time_s >= start) & (time_s < start + 0.2)] = 0.0
    made = told(time_s, tps1_v=values, throttle_cmd_pct=np.round(command, 1))
    starts = [d.times_s[0][0] for d in of(Drop, made)]
    assert starts == pytest.approx(idle_s, abs=0.05)
    assert of(Disagreement, made) == []


@pytest.mark.parametrize(("rough_v", "found"), [(0.0035, 0), (0.02, 1)])
def test_what_a_sound_track_is_smooth_to_is_not_rough(rough_v: float, found: int) -> None:
    """Conductive plastic is smooth to some 0.1 % of what it is fed with (from memory)."""
    time_s, travel = sweeps(10)
    random = np.random.default_rng(5)
    worn = (travel > 40.0) & (travel < 50.0)
    one = volts(travel, noise_v=0.0005) + np.where(worn, random.normal(0.0, rough_v, travel.size), 0.0)
    two = 5.0 - volts(travel, noise_v=0.0005, seed=2)
    assert len(of(Noise, told(time_s, tps1_v=one, tps2_v=two))) == found


@pytest.mark.parametrize(("deep_v", "found"), [(0.03, False), (0.12, True)])
def test_a_ripple_is_no_interruption(deep_v: float, found: bool) -> None:  # noqa: FBT001
    """Of a quiet track: half a tenth of a volt, however long, is nothing that a contact does."""
    time_s, travel = sweeps(6, seconds=9.0, rate_hz=500.0)
    one = volts(travel, noise_v=0.0003)
    for start in 4.5 + 9.0 * np.arange(6):
        one[(time_s >= start) & (time_s < start + 0.05)] -= deep_v
    made = told(time_s, tps1_v=one, tps2_v=5.0 - volts(travel, seed=2))
    assert bool(made.examination.findings) is found


def test_where_a_shaft_rests_it_is_nowhere_else() -> None:
    """Interrupted thrice at its idle, once on its way: that is no place, of which one pass came by.

    What an input filter leaves of an edge lies a little lower than the rest: a pass seems to end there.
    """
    at, travel = [0.0, 1.7, 2.6, 3.2, 4.0, 4.6, 20.0], [1.0, 1.0, 16.0, 20.0, 3.0, 0.9, 0.9]
    time_s = np.arange(0.0, 20.0, 0.001)
    own = 0.83 + 0.039 * np.interp(time_s, at, travel)
    starts = (3.23, 12.06, 12.93, 16.15)
    for start, lasts in zip(starts, (100, 33, 20, 313), strict=True):
        first = int(start * 1000.0)
        edge = np.exp(-np.arange(1.0, 5.0))
        own[first + 4 : first + lasts] = 0.0
        own[first : first + 4] *= edge
        own[first + lasts : first + lasts + 4] *= 1.0 - edge / 2.0
    made = told(time_s, tps1_v=np.round(own * 42.7) / 42.7)
    assert of(DeadSpot, made) == []
    assert [d.times_s[0][0] for d in of(Drop, made)] == pytest.approx(starts, abs=0.01)


def test_what_takes_throttle_and_pedal_at_once_is_of_no_place() -> None:
    """A throttle is at its idle nearly always: so is what fails then, wherever it fails."""
    at, gas = [0.0, 2.0], [0.0, 0.0]
    for top in (70.0, 90.0, 60.0, 80.0):
        for takes, place in ((0.6, top), (0.8, top), (0.6, 0.0), (5.0, 0.0)):
            at.append(at[-1] + takes)
            gas.append(place)
    time_s = np.arange(0.0, at[-1], 0.002)
    foot = np.interp(time_s, at, gas) + 0.8 * np.sin(time_s / 1.7) ** 2
    plate = 4.0 + 0.9 * foot
    lines = {
        "tps1_v": volts(plate, noise_v=0.002), "tps2_v": volts(plate, noise_v=0.002, seed=2),
        "app1_v": volts(foot, noise_v=0.002, seed=3), "app2_v": volts(foot, seed=4) / 2.0,
    }  # fmt: skip
    starts = (1.98, 2.03, 3.97, 4.03, 8.98, 9.03, 10.97, 11.03, 15.98, 16.03, 22.98)
    for start in starts:
        for values in lines.values():
            values[(time_s >= start) & (time_s < start + 0.02)] = 0.03
    made = told(time_s, **lines)
    assert {d.shared for d in of(Drop, made)} == {Shared.FEED}
    assert of(DeadSpot, made) == []
    assert made.judgement.suspects[0].id is SuspectId.SUPPLY_GROUND


# -- what a track is off by, and its ends, by her sister --------------------------------------------


def bent(travel: FloatArray, off_v: float) -> FloatArray:
    """So many volts off a straight line at a third of the travel, smoothly over a tenth to each side."""
    return off_v * np.exp(-(((travel - 33.0) / 6.0) ** 2))


@pytest.mark.parametrize(
    ("bent_v", "rough_v", "found"), [(0.010, 0.0, 0), (0.010, 0.03, 1), (0.0, 0.03, 1)]
)
def test_what_two_tracks_are_apart_by_in_each_pass_is_no_roughness(
    bent_v: float, rough_v: float, found: int
) -> None:
    """Tracks are linear to a per cent or so (from memory, of conductive plastic): 10 mV is sound."""
    time_s, travel = sweeps(12, 4.0, 50.0)
    random = np.random.default_rng(8)
    worn = rough_v * np.abs(random.standard_normal(travel.size)) * (np.abs(travel - 60.0) < 5.0)
    one = volts(travel, noise_v=0.0015) + bent(travel, bent_v) - worn
    two = volts(travel, noise_v=0.0015, seed=2)
    noise = of(Noise, told(time_s, tps1_v=np.round(one, 3), tps2_v=np.round(two, 3)))
    assert len(noise) == found
    assert all(n.travel_pct[0] > 50.0 and n.channels == ("tps1_v",) for n in noise)


@pytest.mark.parametrize("rate_hz", [50.0, 200.0])
@pytest.mark.parametrize("varies", [0.0, 0.65])
def test_a_step_is_off_by_one_amount_and_what_is_rough_by_another_each_time(
    rate_hz: float, varies: float
) -> None:
    """60 mV between 60 and 67 %, always or on the average of what a worn contact takes away."""
    time_s, travel = sweeps(14, 4.0, rate_hz)
    random = np.random.default_rng(9)
    off = 0.06 * (1.0 - varies + varies * np.abs(random.standard_normal(travel.size)) / 0.8)
    one = volts(travel, noise_v=0.0015) - off * ((travel > 60.0) & (travel < 67.0))
    made = told(time_s, tps1_v=np.round(one, 3), tps2_v=np.round(volts(travel, noise_v=0.0015), 3))
    (worn,) = made.examination.findings
    assert isinstance(worn, Noise if varies else DeadSpot)
    assert worn.channels == ("tps1_v",)
    assert worn.travel_pct == pytest.approx((60.0, 67.0), abs=1.0)


def test_where_a_contact_goes_to_the_supply_is_no_end_of_the_pedal() -> None:
    """A pedal of 0.6 to 2.9 V whose first contact is poor at a third of the way, where a foot rests."""
    time_s, pressed = sweeps(10, 4.0, 100.0)
    pressed[1900:2300] = np.maximum(pressed[1900:2300], 31.5)
    random = np.random.default_rng(5)
    one, two = (v + 0.023 * pressed + random.normal(0.0, 0.002, pressed.size) for v in (0.6, 1.1))
    worn = (pressed > 30.0) & (pressed < 33.0)
    poor = np.clip(np.cumsum(random.normal(0.0, 0.2, pressed.size)) + 1.0, 0.02, 20.0)
    one[worn] = ((one + 5.0 * poor) / (1.0 + poor))[worn]
    made = told(time_s, app1_v=one, app2_v=two)
    (spot,) = of(DeadSpot, made)
    assert spot.channels == ("app1_v",)
    assert spot.travel_pct == pytest.approx((30.0, 33.0), abs=1.5)


def test_a_worn_track_is_framed_by_the_stop_that_its_sister_reached() -> None:
    """Tracks that end at 3.7 and 4.1 V; the first is poor at nine tenths of the way, up to 4.9 V."""
    time_s, travel = swept((100.0,) * 8, 50.0)
    random = np.random.default_rng(6)
    one, two = (v + 0.03 * travel + random.normal(0.0, 0.001, travel.size) for v in (0.7, 1.1))
    worn = (travel > 90.0) & (travel < 94.0)
    one[worn] = random.uniform(3.6, 4.9, int(worn.sum()))
    (spot,) = of(DeadSpot, told(time_s, tps1_v=one, tps2_v=two))
    assert spot.channels == ("tps1_v",)
    assert spot.travel_pct == pytest.approx((90.0, 94.0), abs=1.5)


def test_an_interruption_where_tracks_are_apart_anyway_makes_them_no_rougher() -> None:
    """A bend of 10 mV, over which the ground of both was lost for two moments."""
    time_s, travel = sweeps(12, 4.0, 50.0)
    one = volts(travel, noise_v=0.0015) + bent(travel, 0.010)
    two = volts(travel, noise_v=0.0015, seed=2)
    lost = sum(
        ((time_s > s) & (time_s < s + 0.2) for s in (4.7, 12.7, 30.0)), np.zeros(time_s.size) > 1.0
    )
    one[lost], two[lost] = 4.99, 4.99
    made = told(time_s, tps1_v=np.round(one, 3), tps2_v=np.round(two, 3))
    assert of(Noise, made) == []
    assert len(of(Drop, made)) == 3
