"""What explains what among the findings of worn and loose contacts, piece by piece."""

import numpy as np
import pytest

from nervus.domain.analysis import Direction
from nervus.domain.channel import FloatArray, Recording, Sensor, Span, Unit
from nervus.domain.finding import DeadSpot, Noise, Shape
from nervus.judge.analyse import analyse
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.explained.events import Event
from nervus.signal.explained.feed_signs import Shrunk, shrank
from nervus.signal.explained.shaft import follow
from nervus.signal.motion.travel import find_passes
from nervus.signal.worn import dead_spots, worn_places
from nervus.signal.worn.flat_ends import FlatEnds
from signals import channel, recording, sweeps, track, volts


def spot(
    place: Span, shape: Shape = Shape.FLAT, channel: str = "tps1_v", times_s: tuple[Span, ...] = ()
) -> DeadSpot:
    return DeadSpot(
        channels=(channel,), times_s=times_s, confidence=0.9, text="", travel_pct=place,
        shape=shape, seen_in=5, crossed=6,
    )  # fmt: skip


def rough(place: Span, channel: str = "tps1_v") -> Noise:
    return Noise(
        channels=(channel,), times_s=(), confidence=0.9, text="", travel_pct=place,
        rms=0.05, usual_rms=0.004, unit=Unit.VOLT,
    )  # fmt: skip


def event(
    span_s: Span, level: float, course: float = 60.0, channel: str = "tps1_v", *, weak: bool = False
) -> Event:
    excursion = Excursion(span_s, course, course, level, 5, weak=weak)
    return Event(((channel, excursion),), span_s, margin=0.0 if weak else 9.0)


# -- flats and what looks like them -------------------------------------------------------------


@pytest.mark.parametrize(
    ("flat", "stretch", "explained"),
    [
        (spot((40.0, 42.0)), rough((41.0, 52.0)), True),
        (spot((40.0, 42.0)), rough((42.8, 52.0)), True),
        (spot((40.0, 42.0)), rough((44.0, 52.0)), False),
        (spot((40.0, 42.0)), rough((41.0, 52.0), "tps2_v"), False),
        (spot((40.0, 42.0), Shape.STEP), rough((41.0, 52.0)), True),
    ],
)
def test_a_spot_at_a_rough_stretch_of_its_track_is_the_roughness(
    flat: DeadSpot, stretch: Noise, *, explained: bool
) -> None:
    assert worn_places._is_rough(flat, [stretch]) is explained


def leaping(high: float = 46.0) -> tuple[FloatArray, FloatArray, FloatArray]:
    time_s, travel = sweeps(3, seconds=4.0, rate_hz=200.0)
    shown = np.where((travel > 41.0) & (travel < high), 41.0, travel)
    return time_s, travel, volts(shown)


def test_catching_up_after_a_stand_is_no_event_of_its_own() -> None:
    time_s, travel, level = leaping()
    made = track(time_s, level)
    first = int(np.argmax(travel > 41.0))
    last = int(np.argmax(travel > 46.0))
    stood = (float(time_s[first]), float(time_s[last]))
    flat = spot((41.0, 46.0), times_s=(stood,))
    ends = FlatEnds(made, (flat,), (time_s, travel), 80.0)
    shallow = event((stood[1] - 0.02, stood[1]), 44.0, 41.5)
    assert ends.explain(shallow)
    # Drawn on from the leap its course may go anywhere; the leap alone counts.
    drawn_on = event((stood[1], stood[1] + 0.6), 90.0, 60.0)
    assert ends.explain(drawn_on)
    assert not ends.explain(event((3.0, 3.1), 44.0, 41.5))
    assert not ends.explain(event(stood, 44.0, 41.5, "tps2_v"))


def test_an_open_contact_at_a_stand_is_an_event_of_its_own() -> None:
    """It goes to ground from there: by far more than the stretch that was worn."""
    time_s, travel, level = leaping()
    at = int(np.argmax(travel > 45.0))
    level[at : at + 6] = 0.02
    made = track(time_s, level)
    span = (float(time_s[at]), float(time_s[at + 5]))
    flat = spot((41.0, 46.0), times_s=((span[0] - 0.1, span[1]),))
    assert not FlatEnds(made, (flat,), (time_s, travel), 80.0).explain(event(span, 0.4, 45.0))


def test_an_excursion_that_ends_behind_the_last_sample_has_a_height() -> None:
    """Tracks polled in turn: what the other's clock tells may be later than this one's last reading."""
    time_s = np.linspace(0.0, 1.0, 51)
    level = np.full(51, 50.0)
    level[48:] = 44.0
    made = track(time_s, level / 20.0)
    for start, samples in ((0.95, 3), (1.01, 1)):
        part = Excursion((start, 1.02), 50.0, 50.0, 44.0, samples)
        assert dead_spots._height(made, [part]) == pytest.approx(6.0)
        assert dead_spots._stands(made, [part])


def test_the_last_sample_of_a_stand_is_no_step() -> None:
    """Fifty readings a second: where the track leaps, one sample of the stand lies off the course."""
    time_s = np.linspace(0.0, 1.0, 51)
    level = np.where(time_s < 0.5, 58.3, 54.5 - 40.0 * (time_s - 0.5))
    made = track(time_s, level / 20.0)
    last = float(time_s[24])
    assert dead_spots._goes_on(made, Excursion((last, last), 54.5, 54.5, 58.3, 1))
    stepped = 70.0 - 40.0 * time_s
    stepped[24] -= 6.0
    made = track(time_s, stepped / 20.0)
    assert not dead_spots._goes_on(made, Excursion((last, last), 51.6, 50.0, float(stepped[24]), 1))


def test_a_narrow_place_is_worn_though_most_crossings_were_not_read_there() -> None:
    """Eight readings a second, a place of 2 %: of thirty crossings some ten have a reading at it.

    All that have one show it. That a crossing without a reading says nothing: sampling, from memory.
    """
    time_s = np.arange(0.0, 75.0, 0.12)
    travel = 50.0 - 50.0 * np.cos(2 * np.pi * time_s / 5.0 + 0.013 * time_s)
    worn = (travel > 31.0) & (travel < 33.0)
    values = np.where(worn, 0.02, volts(travel, noise_v=0.002))
    assert 4 <= np.count_nonzero(np.diff(worn.astype(int)) == 1) <= 8
    made = recording(time_s, tps1_v=values, tps2_v=5.0 - volts(travel, noise_v=0.002, seed=2))
    (found,) = analyse(made).examination.findings
    assert isinstance(found, DeadSpot)
    assert found.travel_pct[0] == pytest.approx(32.0, abs=1.5)
    assert found.seen_in < 0.3 * found.crossed


# -- roughness that a coarse converter, or single snaps, show ------------------------------------


def test_a_coarse_converter_turns_over_in_every_cell_and_what_is_rough_stands_out() -> None:
    """Six bits over 5 V, 2 % of the travel a step: by steps alone half of narrower cells seem rough.

    Contact noise of 125 mV over ten per cent is plain between them: worked from the step, 78 mV.
    """
    time_s, travel = sweeps(4, seconds=8.0, rate_hz=1000.0)
    random = np.random.default_rng(6)
    worn = (travel > 30.0) & (travel < 40.0)
    values = volts(travel, noise_v=0.002) + np.where(worn, random.normal(0.0, 0.125, time_s.size), 0.0)
    findings = analyse(recording(time_s, tps1_v=np.round(values / 0.078) * 0.078)).examination.findings
    (stretch,) = findings
    assert isinstance(stretch, Noise)
    assert stretch.travel_pct == pytest.approx((30.0, 40.0), abs=4.5)


def test_a_contact_that_flickers_in_snaps_is_one_rough_stretch_and_no_row_of_drops() -> None:
    """A plate that snaps crosses ten per cent in 20 ms: each pass shows a few readings of the stretch.

    Each is off by as much as it happens to; all lie between 60 and 75 % of the travel.
    """
    time_s = np.arange(0.0, 60.0, 0.005)
    at = np.concatenate([(n * 1.5, n * 1.5 + 1.2, n * 1.5 + 1.2 + 0.3) for n in range(40)])
    where = np.concatenate([(0.0, 0.0, 100.0) if n % 2 == 0 else (100.0, 100.0, 0.0) for n in range(40)])
    travel = np.interp(time_s, at, where)
    random = np.random.default_rng(8)
    worn = (travel > 60.0) & (travel < 75.0)
    values = volts(travel, noise_v=0.002) + np.where(worn, random.normal(0.0, 0.2, time_s.size), 0.0)
    findings = analyse(recording(time_s, tps1_v=values)).examination.findings
    (stretch,) = findings
    assert isinstance(stretch, Noise)
    assert 57.0 < stretch.travel_pct[0] < stretch.travel_pct[1] < 78.0


def test_a_long_rest_does_not_make_a_converter_coarse() -> None:
    """Eight bits, half of a per cent a step, and a throttle that rests for nearly all of the time.

    What it moves over tells how much of the travel a step is, not where it usually is.
    """
    rest = np.zeros(100_000)
    travel = np.concatenate((rest, sweeps(6)[1]))
    time_s = np.arange(travel.size) / 200.0
    worn = (travel > 40.0) & (travel < 50.0)
    noise = np.where(worn, np.random.default_rng(1).normal(0.0, 0.1, travel.size), 0.0)
    shown = np.round((volts(travel, noise_v=0.002) + noise) / 0.02) * 0.02
    (stretch,) = analyse(recording(time_s, tps1_v=shown)).examination.findings
    assert isinstance(stretch, Noise)
    assert 0.04 < stretch.rms < 0.12
    assert stretch.travel_pct == pytest.approx((40.0, 50.0), abs=3.0)


def test_a_hand_that_rests_on_a_rough_stretch_does_not_hide_how_rough_it_is() -> None:
    """Contact noise swings to either side of where the shaft is: its middle is the course.

    It is gone through twice, and held for some seconds (common practice, no published source).
    """
    time_s = np.arange(0.0, 32.0, 0.001)
    at = [0, 2, 6, 8, 12, 14, 17, 20, 22, 25, 28, 32]
    travel = np.interp(time_s, at, [0, 0, 100, 100, 0, 0, 84, 87, 87, 0, 0, 0])
    travel += np.interp(time_s, [17, 18, 19, 20], [0.0, 4.0, -1.0, 0.0])
    worn = (travel > 82.0) & (travel < 90.0)
    noise = np.where(worn, np.random.default_rng(3).normal(0.0, 0.125, time_s.size), 0.0)
    shown = volts(travel, noise_v=0.004) + noise
    (stretch,) = analyse(recording(time_s, tps1_v=shown)).examination.findings
    assert isinstance(stretch, Noise)
    assert stretch.travel_pct == pytest.approx((82.0, 90.0), abs=2.5)


def test_a_scratch_over_both_tracks_is_told_of_both() -> None:
    time_s, travel = sweeps(6)
    worn = (travel > 40.0) & (travel < 43.0)
    one, two = (np.where(worn, 0.02, volts(travel, noise_v=0.002, seed=s)) for s in (1, 2))
    (found,) = analyse(recording(time_s, tps1_v=one, tps2_v=two)).examination.findings
    assert isinstance(found, DeadSpot)
    assert found.channels == ("tps1_v", "tps2_v")
    assert "track 1, and the other with it," in found.text
    (alone,) = analyse(recording(time_s, tps1_v=one)).examination.findings
    assert "the other" not in alone.text


def test_a_spring_that_takes_a_plate_over_a_place_between_two_readings_is_no_wire() -> None:
    """Snaps of 150 ms, a reading each 20 ms: 13 % of the travel apart; a place of 3 %.

    The tracks are read in turn: what is read at the place was at it on the way, as the other tells.
    """
    at = np.arange(0.0, 48.0, 2.0)
    times = np.column_stack((at, at + 0.15, at + 0.6, at + 1.6)).ravel()
    one_s = np.arange(0.0, 48.0, 0.02) + np.random.default_rng(2).uniform(0.0, 0.006, 2400)
    one, two = (
        np.interp(time_s, times, np.tile([0.0, 100.0, 100.0, 0.0], at.size))
        for time_s in (one_s, one_s + 0.01)
    )
    shown = np.where((one > 38.5) & (one < 41.5), 0.01, volts(one, noise_v=0.002))
    first = channel("tps1_v", one_s, shown)
    second = channel("tps2_v", one_s + 0.01, volts(two, noise_v=0.002, seed=2))
    (found,) = analyse(Recording((first, second))).examination.findings
    assert isinstance(found, DeadSpot)
    assert found.travel_pct == pytest.approx((40.0, 40.0), abs=1.5)


def test_a_closing_is_no_joint_that_happens_to_leave_as_much() -> None:
    """From 29 % to the stop is 0.45 of the level too: a shaft comes to its stop by itself."""
    made = track(
        np.arange(0.0, 40.0, 0.02), volts(np.tile([0.0] * 40 + [100.0] * 60, 20), noise_v=0.003)
    )
    by = Shrunk(0.45, to_ground=True)
    closed, opened = made.stops
    assert not shrank(made, Excursion((5.0, 5.8), closed / 0.45, closed / 0.45, closed, 40), by)
    assert shrank(made, Excursion((5.0, 5.8), opened, opened, 0.45 * opened, 40), by)
    # No shaft comes to a stop and is back within a tenth of a second.
    assert shrank(made, Excursion((5.0, 5.1), closed / 0.45, closed / 0.45, closed, 5), by)


def test_a_contact_that_chatters_to_one_side_has_its_course_above() -> None:
    """Down for 6 ms of each 10, for half a second: the middle of that is no place of the shaft."""
    time_s = np.arange(0.0, 6.0, 0.001)
    travel = 50.0 + 30.0 * np.sin(time_s)
    down = (time_s > 3.0) & (time_s < 3.5) & (np.arange(time_s.size) % 10 < 6)
    shown = np.where(down, 0.02, volts(travel, noise_v=0.002))
    shaft = follow(recording(time_s, tps1_v=shown), Sensor.THROTTLE, 5.0, (), None)
    course = shaft.courses["tps1_v"]
    true = (0.5 + 0.04 * np.interp(course.time_s, time_s, travel)) * 20.0
    assert np.max(np.abs(course.level - true)) < 2.0


def test_what_passes_over_a_place_to_another_rail_is_an_event_of_its_own() -> None:
    time_s = np.arange(0.0, 10.0, 0.02)
    made, way = track(time_s, volts(time_s * 10.0, noise_v=0.002)), (time_s, time_s * 10.0)
    place = spot((39.0, 41.0), Shape.DROP)
    members = tuple(event((t, t + 0.02), 1.0) for t in (1.0, 2.0, 3.0))
    over, to_supply = event((4.08, 4.1), 1.0), event((4.08, 4.1), 98.0)
    elsewhere = event((4.5, 4.6), 1.0)
    assert dead_spots._passed(made, [over, to_supply, elsewhere], members, place, way) == [over]
    stands = spot((39.0, 41.0))
    assert dead_spots._passed(made, [over], members, stands, way) == []


def test_where_a_shaft_rests_on_a_step_it_is_none_the_more_a_loose_wire() -> None:
    """Swept, read in turn fourteen times a second; track 2 is 4 % of its supply low from 57 to 63 %.

    Twice a foot snaps to 60 % and stays: there the tracks differ for longer than in any pass.
    """
    at, ends = [0.0], [0.0]
    for n in range(24):
        takes = (0.15, 0.7, 0.15, 0.9) if n in (7, 16) else (1.3, 0.4, 1.1, 0.5)
        top = 60.0 if n in (7, 16) else 100.0
        at += [at[-1] + float(x) for x in np.cumsum(takes)]
        ends += [top, top, 0.0, 0.0]
    one_s = np.arange(0.0, at[-1], 0.07)
    one, two = (np.interp(t, at, ends) for t in (one_s, one_s + 0.035))
    off = np.where((two > 57.0) & (two < 63.0), -0.2, 0.0)
    first = channel("tps1_v", one_s, volts(one, noise_v=0.002))
    second = channel("tps2_v", one_s + 0.035, volts(two, noise_v=0.002, seed=2) + off)
    (found,) = analyse(Recording((first, second))).examination.findings
    assert isinstance(found, DeadSpot)
    assert found.channels == ("tps2_v",)
    assert found.travel_pct == pytest.approx((57.0, 63.0), abs=1.5)


# -- a wiper that lifts ---------------------------------------------------------------------------


def lifting(
    rate_hz: float, *, one_way: bool = False, both_sides: bool = False, second: bool = True
) -> list[DeadSpot | Noise]:
    """What is told of a track whose wiper lifts off 60.0 to 61.2 % by what is left of the contact.

    The unit's input pulls what is open up: by 0.1 to 1.2 V there, each time by another amount.
    """
    time_s, travel = sweeps(14, seconds=4.013, rate_hz=rate_hz)
    shown, random = volts(travel, noise_v=0.002), np.random.default_rng(8)
    passes = find_passes(time_s, travel)
    for a_pass in passes:
        at = np.flatnonzero(
            (time_s >= a_pass.start_s) & (time_s < a_pass.end_s) & (travel > 60.0) & (travel < 61.2)
        )
        by = np.exp(random.uniform(np.log(0.1), np.log(1.2))) * (
            random.choice([-1.0, 1.0]) if both_sides else 1.0
        )
        if not one_way or a_pass.direction is Direction.OPENING:
            shown[at] += by
    lines = {"tps1_v": shown}
    if second:
        lines["tps2_v"] = volts(travel, noise_v=0.002, seed=2) / 2.0
    findings = analyse(recording(time_s, **lines)).examination.findings
    return [f for f in findings if isinstance(f, DeadSpot | Noise)]


@pytest.mark.parametrize("second", [True, False])
@pytest.mark.parametrize("rate_hz", [100.0, 500.0])
def test_a_wiper_that_lifts_by_what_is_left_of_it_is_a_dead_spot(
    rate_hz: float, *, second: bool
) -> None:
    (told,) = lifting(rate_hz, second=second)
    assert isinstance(told, DeadSpot)
    assert told.shape is Shape.DROP
    assert told.travel_pct == pytest.approx((60.0, 61.2), abs=0.8)


def test_what_leaves_its_course_to_both_sides_is_rough() -> None:
    """No input pulls an open contact up and down in turn."""
    assert not any(
        isinstance(f, DeadSpot) and f.shape is Shape.DROP for f in lifting(500.0, both_sides=True)
    )


def test_a_wiper_that_tilts_lifts_one_way_only() -> None:
    """Seen in opening passes, in half of all: by these it is told."""
    (told,) = lifting(100.0, one_way=True)
    assert isinstance(told, DeadSpot)
    assert 10 <= told.seen_in <= 14
