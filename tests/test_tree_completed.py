"""Faults, and ways to behave, that jobs made by somebody else show: by physics, or by the trade."""

import numpy as np
import pytest
from msgspec.structs import replace

from jobs import ELECTRONIC, Written, chance_of, fault
from nervus.domain.job import CodeState, Moment, Reading
from nervus.domain.judgement import JobJudgement
from nervus.domain.profile import ThrottleKind
from nervus.judge.expected_readings import ways
from nervus.judge.of_job import judge_job
from nervus.judge.reading_words import Measured, understand
from nervus.knowledge.tree import tree_for

HISTORY = (CodeState.HISTORY,)


def _open(where: str, unit: str = "Ω") -> JobJudgement:
    job = Written().read(where, 0.0, unit, "both off, key off").job
    (reading,) = job.entries
    assert isinstance(reading, Reading)
    return judge_job(replace(job, entries=(replace(reading, nothing=True),)))


def test_an_ohmmeter_that_shows_nothing_shows_an_open_line() -> None:
    """Common practice: where there is no way through an ohmmeter shows “OL”; 0 stands in its place."""
    shown = _open("ground wire from plug to plug")
    through = judge_job(Written().read("ground wire from plug to plug", 0.2, "Ω", "both off").job)
    assert chance_of(shown, "supply_ground") > 0.8
    assert fault(through, "open_ground_harness") < 0.05
    assert "nothing" in shown.ledger[0].text
    reading = Written().read("ground wire", 0.0, "kΩ").job.entries[0]
    assert isinstance(reading, Reading)
    understood = understand(replace(reading, nothing=True))
    assert isinstance(understood, Measured)
    assert understood.value == np.inf
    # Of volts it is no volts.
    volts = understand(replace(reading, nothing=True, unit="V"))
    assert isinstance(volts, Measured)
    assert volts.value == 0.0


def test_thousands_of_ohms_in_a_signals_contact_are_its_wiring() -> None:
    """Ohm's law: 60 kΩ before an input of 100 kΩ to ground leave 4.2 V · 100 / 160 = 2.6 V of it."""
    told = Written(ELECTRONIC).codes("P0121", "P2135")
    told = told.read("signal 1 at the sensor plug", 4.2, "V", "plug on, key on, throttle wide open")
    judged = judge_job(
        told.read(
            "signal 1 at the control unit plug", 2.6, "V", "plug on, key on, throttle wide open"
        ).job
    )
    assert judged.standing.suspects[0].id.value == "wiring"
    assert judged.faults[0].id == "poor_signal_1"


@pytest.mark.parametrize(
    ("line", "volts", "suspect"),
    [
        ("supply", 7.4, "control_unit"),  # more than a lifted ground adds
        (
            "signal 1 at the sensor plug",
            12.2,
            "wiring",
        ),  # nothing in a 5 V circuit reaches that by itself
    ],
)
def test_what_is_above_the_supply_comes_from_elsewhere(line: str, volts: float, suspect: str) -> None:
    """Kirchhoff's laws: in a network of resistors no node stands above its sources."""
    told = Written(ELECTRONIC)
    for place in ("at the sensor plug", "at the control unit plug"):
        told = told.read(f"{line} {place}", volts, "V", "plug off, key on")
    judged = judge_job(told.job)
    assert judged.standing.suspects[0].id.value == suspect
    assert chance_of(judged, suspect) > 2.0 * max(s.probability for s in judged.standing.suspects[1:])


def test_a_supply_that_is_low_with_the_plug_off_may_be_the_units_own() -> None:
    judged = judge_job(
        Written(ELECTRONIC).codes("P0642").read(
            "supply at the control unit plug", 3.4, "V", "plug off, key on"
        ).job
    )  # fmt: skip
    assert chance_of(judged, "supply_ground") > chance_of(judged, "control_unit") > 0.08


def test_one_code_alone_points_where_it_says() -> None:
    """From memory: units differ; many name one code for a fault where others name all that follow."""
    judged = judge_job(Written(ELECTRONIC).codes("P2123").job)
    assert judged.standing.suspects[0].id.value == "pedal_sensor"
    two = judge_job(Written(ELECTRONIC).codes("P2123", "P2138").job)
    assert chance_of(two, "pedal_sensor") > chance_of(judged, "pedal_sensor")


def test_history_speaks_less_against_what_comes_and_goes() -> None:
    """From memory: what is mostly away as codes are read stands in history, what is always there not."""

    def odds(states: tuple[CodeState, ...]) -> float:
        judged = judge_job(Written(ELECTRONIC).codes("P0507", "P0221", states=states).job)
        return fault(judged, "worn_track_2") / fault(judged, "false_air")

    assert odds(HISTORY) > 1.5 * odds((CodeState.STORED,))


def test_a_vehicle_that_was_sound_is_well_after_a_change_too() -> None:
    """Logic: a part renewed for a code that was left over is not its cure because all is well later."""
    told = Written(ELECTRONIC).told("lamp", when=("after_work",)).codes("P0223", states=HISTORY)
    told = told.codes(moment=Moment.CLEARED).done("pedal sensor renewed")
    before, after = judge_job(told.job), judge_job(told.told("check").job)
    assert chance_of(after, "none") > 0.9 * chance_of(before, "none")
    # What comes and goes may have stayed away; what is always there did not.
    held = fault(after, "open_signal_2_sensor_plug") / fault(before, "open_signal_2_sensor_plug")
    assert held > 1.5 * fault(after, "bent_track_2") / fault(before, "bent_track_2")


def test_ways_of_behaving_are_all_and_give_back_what_is_seen_on_average() -> None:
    tree = tree_for(ThrottleKind.ELECTRONIC)
    share = ways(tree)
    assert share.shape == (len(tree.faults), 4)
    assert np.allclose(share.sum(axis=1), 1.0)
    assert (share >= 0.0).all()
    unprovoked = share[:, 0] + share[:, 3] * tree.always
    assert np.allclose(unprovoked, tree.always)


def test_two_readings_of_one_minute_hang_together() -> None:
    """Logic: gone at the unit and sound at the sensor is the line between, not a feed that came back."""
    told = Written(ELECTRONIC).read("signal 1 at the control unit plug", 0.0, "V", "plug on, key on")
    judged = judge_job(told.read("signal 1 at the sensor plug", 0.6, "V", "plug on, key on").job)
    assert chance_of(judged, "wiring") > 2.0 * chance_of(judged, "supply_ground")
    # A probe goes in from behind, to the wire: it would have seen a contact of the plug itself.
    assert fault(judged, "open_signal_1_harness") > fault(judged, "open_signal_1_sensor_plug")


@pytest.mark.parametrize(
    ("words", "volts", "unit", "suspect"),
    [
        ("supply wire from plug to plug", 0.02, "V", ""),
        ("voltage drop, supply wire", 900.0, "mV", "supply_ground"),
        ("ground wire from plug to plug", -0.4, "V", "supply_ground"),
        ("signal 1 wire from plug to plug", 0.01, "V", ""),
        ("signal 1 wire from plug to plug", 0.8, "V", "wiring"),
        ("voltage drop, sensor ground to battery negative", 0.4, "V", "supply_ground"),
        ("voltage drop from the battery to the engine, cranking", 0.9, "V", "supply_ground"),
        ("voltage drop from the battery to the engine, cranking", 0.1, "V", ""),
    ],
)
def test_volts_from_plug_to_plug_are_what_the_line_drops(
    words: str, volts: float, unit: str, suspect: str
) -> None:
    """Ohm's law; common practice: a sound line of a sensor drops less than 0.1 V, whatever flows."""
    nothing = judge_job(Written(ELECTRONIC).told("lamp").job)
    told = Written(ELECTRONIC).told("lamp").read(words, volts, unit, "plug on, key on")
    judged = judge_job(told.job)
    if suspect:
        assert judged.standing.suspects[0].id.value == suspect
        assert chance_of(judged, suspect) > 2.0 * chance_of(nothing, suspect)
    else:
        for line in ("supply_ground", "wiring"):
            assert chance_of(judged, line) < 1.1 * chance_of(nothing, line)


def test_a_value_between_those_of_the_drawn_vehicles_is_as_near_as_they_are() -> None:
    """A poor supply line reads any value below 5 V: no hole between two drawn vehicles is a reason."""
    told = [
        fault(
            judge_job(
                Written(ELECTRONIC).read("supply at the sensor plug", v, "V", "plug on, key on").job
            ),
            "poor_supply",
        )
        for v in np.arange(3.7, 4.45, 0.05)
    ]
    assert min(told) > 0.3 * max(told)
    assert min(told) > 0.1


@pytest.mark.parametrize("count", [120, 300])
def test_many_readings_that_nothing_explains_are_still_an_answer(count: int) -> None:
    random = np.random.default_rng(1)
    told = Written(ELECTRONIC)
    for number in range(count):
        line = ("signal 1 at the sensor plug", "supply at the control unit plug")[number % 2]
        told = told.read(line, round(float(random.uniform(0.0, 5.0)), 2), "V", "plug on, key on")
    chances = [s.probability for s in judge_job(told.job).standing.suspects]
    assert sum(chances) == pytest.approx(1.0)
    assert all(0.0 <= c <= 1.0 for c in chances)


def test_what_a_line_of_the_pedal_drops_points_at_its_feed() -> None:
    """Ohm's law: no sound line between two plugs drops 0.4 V at some milliamperes."""
    read = Written(ELECTRONIC).read("pedal ground from plug to plug", 0.4, "V", "plug on, key on")
    sound = Written(ELECTRONIC).read("pedal ground from plug to plug", 0.01, "V", "plug on, key on")
    assert fault(judge_job(read.job), "pedal_feed") > 6.0 * fault(judge_job(sound.job), "pedal_feed")
