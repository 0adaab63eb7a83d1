"""What tells two worn places of one throttle apart, each part against values worked by hand."""

from dataclasses import replace

import numpy as np
import pytest

from nervus.domain.analysis import Frame, Locality, Travel, Verdict
from nervus.domain.channel import FloatArray, Sensor, Span, Unit
from nervus.domain.finding import DeadSpot, Disagreement, Noise, Shape
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.explained.events import Event
from nervus.signal.motion.relation import Line
from nervus.signal.told.one_cause import is_worn_in_turn
from nervus.signal.worn import apart, dead_spots, worn_places
from nervus.signal.worn.locality import of_worn_and_drops
from signals import pair_of, track

TIME_S: FloatArray = np.arange(0.0, 10.0, 0.01)
WAY = (TIME_S, 10.0 * TIME_S)
"""Ten percent of the travel a second: at 4.2 s the shaft is at 42 %."""


def event(start_s: float, end_s: float, level: float = 30.0) -> Event:
    part = Excursion((start_s, end_s), 50.0, 50.0, level, 5)
    return Event((("tps1_v", part),), (start_s, end_s))


def spot(place: Span, channel: str = "tps1_v") -> DeadSpot:
    return DeadSpot(
        channels=(channel,),
        times_s=(),
        confidence=0.9,
        text="",
        travel_pct=place,
        shape=Shape.STEP,
        seen_in=4,
        crossed=4,
    )


def noise(place: Span, channel: str = "tps1_v", rms: float = 0.1) -> Noise:
    return Noise(
        channels=(channel,),
        times_s=(),
        confidence=0.9,
        text="",
        travel_pct=place,
        rms=rms,
        usual_rms=0.01,
        unit=Unit.VOLT,
    )


def differ(*spans: Span) -> Disagreement:
    return Disagreement(
        channels=("tps1_v", "tps2_v"),
        times_s=spans,
        confidence=0.9,
        text="",
        travel_pct=(10.0 * spans[0][0], 10.0 * spans[-1][1]),
        worst_pct=5.0,
        suspect=None,
        would_set_code=None,
    )


def test_events_at_one_place_are_those_that_reach_each_other_within_three_percent() -> None:
    """40 to 43 and 45.5 to 48 % are one place; 51.5 is another one, 3.5 % off."""
    near = (event(4.0, 4.3), event(4.1, 4.3), event(4.55, 4.8))
    far = (event(5.15, 5.2), event(5.16, 5.3))
    assert dead_spots._most_at_one((*near, *far), WAY) == near
    bridged = event(4.85, 5.1)
    assert dead_spots._most_at_one((*near, bridged, *far), WAY) == (*near, bridged, *far)


def test_an_event_that_reaches_twice_as_far_as_the_others_reaches_over_two_places() -> None:
    """Four of 4 % and one of 20 %: it joins none, and is told with the place it touches."""
    one = (event(1.0, 1.4), event(1.05, 1.45), event(1.0, 1.38))
    both, other = event(1.2, 3.2), (event(3.0, 3.4), event(3.1, 3.5))
    assert dead_spots._most_at_one((*one, both, *other), WAY) == (*one, both)
    assert dead_spots._most_at_one((*one, event(3.6, 5.6), *other), WAY) == one
    near = event(1.7, 2.9)
    assert dead_spots._most_at_one((*one, near, *other), WAY) == (*one, near), "within three percent"


def test_an_event_in_which_the_shaft_turns_round_at_a_place_lies_there() -> None:
    """From 20 to 50 and back to 22 %: its ends lie far below the place, at 38 to 42 %."""
    way = (TIME_S, np.interp(TIME_S, (0.0, 5.0, 10.0), (0.0, 50.0, 0.0)))
    there = tuple(event(a, a + 0.4) for a in (3.8, 3.82, 5.8))
    turned = event(2.0, 7.8)
    assert dead_spots._most_at_one((*there, turned), way) == (*there, turned)


def test_tracks_that_differ_now_here_now_there_are_worn_at_both() -> None:
    travel = Travel(*WAY, "tps1_v", {})
    places = (spot((20.0, 24.0)), noise((60.0, 66.0)))
    assert is_worn_in_turn(differ((2.0, 2.3), (6.1, 6.5)), places, travel)
    assert is_worn_in_turn(differ((1.3, 2.3), (6.1, 6.5)), places, travel), "within twice four percent"
    assert not is_worn_in_turn(differ((1.1, 2.3), (6.1, 6.5)), places, travel)
    assert not is_worn_in_turn(differ((2.0, 2.3), (4.0, 4.1), (6.1, 6.5)), places, travel), (
        "and elsewhere"
    )
    assert not is_worn_in_turn(differ((2.0, 6.5)), places, travel), "all the way"
    assert not is_worn_in_turn(differ((2.0, 2.3), (2.1, 2.2)), places, travel), "at one place only"
    assert not is_worn_in_turn(differ((2.0, 2.3), (6.1, 6.5)), places, None)
    others = (spot((20.0, 24.0), "app1_v"), noise((60.0, 66.0)))
    assert not is_worn_in_turn(differ((2.0, 2.3), (6.1, 6.5)), others, travel)


def test_what_begins_and_ends_at_edges_of_worn_places_is_sound_between() -> None:
    """0.5 to 4.5 V are the travel; what ends within one percent of an edge ends at it."""
    made = track(TIME_S, 0.5 + 0.04 * WAY[1])
    travel = Travel(*WAY, "tps1_v", {"tps1_v": Frame(0.5, 4.5, "")})
    worn = (spot((20.0, 24.0)), noise((60.0, 70.0)))
    assert worn_places._is_between(event(2.49, 5.91), worn, made, travel)
    assert worn_places._is_between(event(2.49, 6.5), worn, made, travel), "anywhere where it is rough"
    assert worn_places._is_between(event(2.0, 2.4), worn, made, travel), "a visit to the step"
    assert not worn_places._is_between(event(2.54, 5.91), worn, made, travel)
    assert not worn_places._is_between(event(2.49, 5.8), worn, made, travel)
    assert not worn_places._is_between(event(2.2, 6.5), worn, made, travel), "no edge of the step"
    assert not worn_places._is_between(event(0.0, 6.5), worn, made, travel), "begun with the recording"
    assert not worn_places._is_between(event(2.49, 5.91, 0.0), worn, made, travel), "a line that opened"


def test_what_is_rough_by_far_less_than_its_sister_is_motion_that_she_hides() -> None:
    """In snaps the sister tells what is motion; where she is rough she does not."""
    frames = {"tps1_v": Frame(0.5, 4.5, ""), "tps2_v": Frame(0.5, 2.5, "")}
    travel, at, hers = Travel(*WAY, "tps1_v", frames), (40.0, 50.0), noise((40.0, 50.0), "tps2_v")
    assert worn_places._is_motion(noise(at, rms=0.069), hers, travel)
    assert not worn_places._is_motion(noise(at, rms=0.071), hers, travel)
    assert not worn_places._is_motion(noise((51.0, 60.0), rms=0.02), hers, travel)
    assert not worn_places._is_motion(noise(at, "tps2_v", 0.02), hers, travel)


def test_a_frame_by_the_sister_is_what_a_track_reads_while_she_is_at_her_ends() -> None:
    """By hand: she reads half of track 1 and 0.1 V more: 0.35 and 2.35 V at her ends are 0.5 and 4.5."""
    one = track(TIME_S, 0.5 + 0.04 * WAY[1])
    two = track(TIME_S, 0.1 + 0.25 + 0.02 * WAY[1], "tps2_v")
    pair = pair_of(one, two, Line(0.5, 2.0))
    frames = {"tps1_v": Frame(0.6, 4.4, "a"), "tps2_v": Frame(0.35, 2.35, "b")}
    travel = Travel(*WAY, "tps1_v", frames)
    by_two = apart._frame_by_sister(pair, travel, one)
    assert [by_two.closed, by_two.open] == pytest.approx([0.5, 4.5])
    assert by_two.basis == "b"
    by_one = apart._frame_by_sister(pair, travel, two)
    assert [by_one.closed, by_one.open] == pytest.approx([0.4, 2.3])


def test_the_sentence_names_the_surest_place_and_two_others_of_its_sensor() -> None:
    sure = replace(spot((54.6, 58.2)), confidence=0.95)
    others = [spot((75.0, 80.0)), noise((20.0, 24.0)), noise((32.8, 35.2)), noise((57.0, 60.0))]
    told = of_worn_and_drops({}, [*others, sure, spot((10.0, 12.0), "app1_v")]).text
    assert told == (
        "It comes back between 55 and 58 % of the travel, pass after pass."
        " Also between 20 and 24 % of the travel. Also between 33 and 35 % of the travel."
    )


def test_a_place_that_three_passes_showed_is_not_told_to_come_back() -> None:
    """Common practice, no published source: three times is no pattern yet; the find itself is told."""
    three = replace(spot((24.0, 26.0)), shape=Shape.DROP, seen_in=3, crossed=8)
    told = of_worn_and_drops({}, [three])
    assert (told.verdict, told.events) == (Verdict.UNDECIDED, 3)
    assert told.text == "Place or clock can't be told from 3 events; about 3 more would."
    more = of_worn_and_drops({}, [replace(three, seen_in=4)])
    assert (more.verdict, more.events) == (Verdict.POSITION, 4)
    step = of_worn_and_drops({}, [replace(three, shape=Shape.STEP)])
    assert step.verdict is Verdict.POSITION, "steps are told by all passes together"
    anywhere = Locality(7, Verdict.TIME, 0.8, "anywhere")
    assert of_worn_and_drops({Sensor.THROTTLE: anywhere}, [three]) == anywhere
    drops = Locality(3, Verdict.POSITION, 0.002, "at one place")
    for events, verdict in ((3, Verdict.UNDECIDED), (4, Verdict.POSITION)):
        seen = of_worn_and_drops({Sensor.THROTTLE: replace(drops, events=events)}, [])
        assert (seen.events, seen.verdict, seen.p_value) == (events, verdict, 0.002)
