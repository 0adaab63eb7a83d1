"""Whole jobs, each with a trap of the trade: who is suspected, why, and what is not weighed."""

import hashlib
import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import jsonschema
import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from jobs import BEGAN, CABLE, ELECTRONIC, Written, chance_of, fault
from nervus.domain.job import (
    CodeSet,
    CodeState,
    Findings,
    Job,
    KeptObservation,
    Moment,
    Reading,
    Recorded,
    Seen,
    Source,
    new_id,
)
from nervus.domain.judgement import JobJudgement, Outcome
from nervus.domain.profile import ThrottleKind
from nervus.domain.suspect import SuspectId
from nervus.files.bundle import Envelope, write_bundle
from nervus.files.judgement_answer import judgement_answer, judgement_report, judgement_schema
from nervus.judge.of_changes import what_was_done
from nervus.judge.of_job import judge_job
from nervus.judge.reading_words import Measured, understand
from nervus.judge.what_if import what_if
from nervus.knowledge import complaints, judging, look_items
from nervus.knowledge.tree import code_chances, known_changes, tree_for
from nervus.logbook import Logbook
from nervus.standin.depot_traps import traps

TRADE = "common practice, no published source"
HISTORY = (CodeState.HISTORY,)


def test_a_sensor_ground_far_from_zero_is_the_ground() -> None:
    """Source: Kirchhoff's laws; an open ground lets every track rise to its supply."""
    told = Written().told("no_pedal").codes("P0123", "P0223")
    judged = judge_job(
        told.read(
            "sensor ground at the sensor plug to battery negative", 4.6, "V", "plug on, key on"
        ).job
    )
    assert judged.outcome is Outcome.CLEAR
    assert chance_of(judged, "supply_ground") > 0.95
    assert "ground" in judged.standing.headline


def test_a_low_supply_under_load_is_the_supply_though_one_track_has_the_code() -> None:
    told = Written().told("reduced_power").codes("P0122", "P2135")
    before = chance_of(judge_job(told.job), "supply_ground")
    after = judge_job(told.read("supply at the sensor plug", 3.75, "V", "plug on, key on").job)
    assert chance_of(after, "supply_ground") > max(0.6, 3.0 * before)


def test_some_ohms_in_the_ground_wire_are_a_poor_ground() -> None:
    """Common practice, no published source: a line is under half an ohm from plug to plug."""
    told = Written().told("hunting_idle").codes("P2135")
    good = judge_job(told.read("ground wire from plug to plug, both off", 0.2, "Ω").job)
    bad = judge_job(
        Written().told("hunting_idle").codes("P2135").read("ground wire plug to plug", 3.5, "Ω").job
    )
    assert fault(bad, "poor_ground") > 0.5 > 5.0 * fault(good, "poor_ground")


@pytest.mark.parametrize(
    ("percent", "volts", "when"),
    [(15.0, 0.75, "closed"), (0.0, 0.0, "wide open"), (50.0, 2.5, "half open")],
)
def test_a_percentage_that_the_unit_tells_weighs_like_volts_at_its_plug(
    percent: float, volts: float, when: str
) -> None:
    """Common practice, no published source: a unit's percentage is a share of the sensor's supply."""
    told = {"%": ("signal 1", percent), "V": ("signal 1 at the control unit plug", volts)}
    one, two = (
        judge_job(
            Written()
            .told("reduced_power")
            .codes("P0122", "P0222")
            .read(*of, unit, f"key on, {when}")
            .job
        )
        for unit, of in told.items()
    )
    assert not one.not_weighed
    for suspect in SuspectId:
        assert chance_of(one, suspect) == pytest.approx(chance_of(two, suspect), abs=0.04)


def test_a_percentage_of_the_learned_travel_is_sound_too() -> None:
    """Closed at 0 % and open at 100 %: so it is where the unit learned the ends (common practice)."""

    def dead(percent: float, when: str) -> float:
        told = Written().told("reduced_power").codes("P0122", states=HISTORY)
        judged = judge_job(told.read("throttle position", percent, "%", f"key on, {when}").job)
        return sum(
            fault(judged, f) for f in ("open_signal_1_sensor_plug", "broken_wiper_1", "unit_input")
        )

    shut, wide, nothing = dead(1.0, "released"), dead(99.0, "pressed"), dead(1.0, "pressed")
    assert max(shut, wide) < nothing


def test_a_percentage_with_the_plug_off_is_of_the_units_own_input() -> None:
    """Nothing moves it then: there is no travel that the unit could have learned."""
    told = Written().told("reduced_power").codes("P0122")
    for percent in (0.0, 12.0, 100.0):
        assert not judge_job(told.read("signal 1", percent, "%", "plug off, key on").job).not_weighed


def test_pedal_percentages_are_of_the_pedal() -> None:
    told = Written().told("no_pedal").codes("P2122")
    sound = judge_job(Written().told("no_pedal").codes("P2122").read("pedal", 16.0, "%", "released").job)
    gone = judge_job(told.read("pedal signal 1", 0.0, "%", "key on, pressed").job)
    assert chance_of(gone, "pedal_sensor") > 0.2
    assert fault(gone, "worn_track_1") < 0.05
    assert not sound.not_weighed


def test_amperes_of_the_motor_tell_an_open_line_from_a_plate_that_sticks() -> None:
    """From memory: a free plate is held by about an ampere, one that sticks takes several."""
    told = Written().told("reduced_power").codes("P2101")
    before = judge_job(told.job)
    none = judge_job(
        Written().told("reduced_power").codes("P2101").read("motor", 0.0, "A", "key on").job
    )
    much = judge_job(
        Written().told("reduced_power").codes("P2101").read("motor", 5000, "mA", "key on").job
    )
    assert fault(none, "motor_line") > 2.0 * fault(before, "motor_line")
    assert fault(none, "sticking_plate") < 0.2 * fault(before, "sticking_plate")
    assert fault(much, "sticking_plate") > 2.0 * fault(before, "sticking_plate")
    assert fault(much, "motor_line") < 0.2 * fault(before, "motor_line")


@pytest.mark.parametrize(
    ("where", "value", "unit", "why"),
    [
        ("coolant", 80.0, "°C", "conditions"),
        ("signal 1", 300.0, "%", "position"),
        ("motor", 400.0, "A", "clamp"),
        ("motor", 50.0, "Hz", "no place in the circuit"),
        ("motor", 1.0, "A", "no answer"),
        # What no line is asked about in that unit: not taken for volts, or ohms.
        ("supply", 0.02, "A", "no answer"),
        ("signal 1", 0.02, "A", "no answer"),
        ("motor", 20.0, "%", "no answer"),
        ("supply", 98.0, "%", "no answer"),
    ],
)
def test_what_a_reading_cannot_tell_is_said(where: str, value: float, unit: str, why: str) -> None:
    when = "key off" if why == "no answer" else ""
    judged = judge_job(Written().told("reduced_power").read(where, value, unit, when).job)
    assert [why in remark.text for remark in judged.not_weighed] == [True]


def test_the_same_wire_read_at_both_ends_tells_where_it_is_broken() -> None:
    told = Written().told("reduced_power").codes("P0222", "P2106")
    at = "plug on, key on, throttle closed"
    one = told.read("signal 2 at the control unit plug", 0.02, "V", at)
    tie = judge_job(one.job)
    assert tie.outcome is Outcome.BETWEEN, "a broken wiper and its wire look alike from one end"
    both = judge_job(one.read("signal 2 at the sensor plug", 4.1, "V", at).job)
    assert chance_of(both, "wiring") > chance_of(tie, "wiring") + 0.1
    assert fault(both, "broken_wiper_2") < fault(tie, "broken_wiper_2") / 2.0


def test_codes_left_over_are_told_from_codes_that_come_back() -> None:
    """Common practice, no published source: what stays away after clearing was old."""
    old = Written().told("lamp", when=("after_work",)).codes("P0122", "P2135", states=HISTORY)
    left = judge_job(old.codes(moment=Moment.CLEARED).job)
    assert left.standing.suspects[0].id == "none"
    assert left.faults[0].id == "left_over"
    new = Written().told("lamp", when=("after_work",)).codes("P0122", "P2135")
    back = judge_job(new.codes("P0122", "P2135", moment=Moment.CLEARED).job)
    assert chance_of(back, "none") < 0.05


def test_the_status_byte_says_whether_a_code_is_of_now() -> None:
    """Source: ISO 14229-1, annex D: bit 0 is set while the test fails."""
    now = judge_job(Written().told("lamp").codes("P0122", "P2135", states=(), status=0x2F).job)
    old = judge_job(Written().told("lamp").codes("P0122", "P2135", states=(), status=0x28).job)
    assert fault(old, "left_over") > 3.0 * fault(now, "left_over")


@pytest.mark.parametrize(
    ("codes", "suspect", "name"),
    [
        (("P0300", "P0302"), "elsewhere", "ignition"),
        (("P0087", "P0171"), "elsewhere", "fuel"),
        (("P0606", "P2107"), "control_unit", "unit_processor"),
        (("P2100", "P2102"), "wiring", "motor_line"),
        (("P0562", "U0100"), "supply_ground", "battery_weak"),
        (("P0123", "P0223", "P2135"), "supply_ground", "open_ground_sensor_plug"),
        (("U0100", "U0121", "P0700"), "elsewhere", "other_system"),
    ],
)
def test_codes_of_every_part_name_it(codes: tuple[str, ...], suspect: str, name: str) -> None:
    """Source: what SAE J2012 says that each is about; which part is behind it from memory."""
    judged = judge_job(Written().told("lamp").codes(*codes).job)
    assert judged.standing.suspects[0].id == suspect
    assert name in [f.id for f in judged.faults[:3]]


def test_an_idle_code_and_a_throttle_code_both_point_at_a_dirty_plate() -> None:
    """Common practice, no published source: dirt at the edge makes the plate stand open for the idle."""
    judged = judge_job(Written().told("stalls").codes("P0506", "P2112").looked("dirt", Seen.BAD).job)
    assert judged.faults[0].id == "dirty_plate"


def test_a_part_renewed_in_vain_is_no_suspect_any_more() -> None:
    told = Written().told("reduced_power").codes("P0222", "P2135")
    before = judge_job(told.job)
    after = judge_job(told.done("sensor renewed").codes("P0222", "P2135", moment=Moment.REPAIRED).job)
    assert chance_of(after, "sensor") < chance_of(before, "sensor") / 2.0
    assert after.cured is not None
    assert after.cured < 0.2


def test_two_changes_at_once_cure_and_do_not_tell_why() -> None:
    one = Written().told("reduced_power").codes("P0222", "P2135").done("sensor renewed").job
    told = (
        Written()
        .told("reduced_power")
        .codes("P0222", "P2135")
        .done("sensor renewed")
        .done("plug cleaned")
    )
    many = judge_job(told.codes(moment=Moment.REPAIRED).job)
    assert many.outcome is Outcome.BETWEEN
    assert many.cured is not None
    assert many.cured > 0.5
    assert judge_job(one).cured is not None
    assert judge_job(Written().told("lamp").job).cured is None, "nothing was changed"


def test_after_a_change_the_same_test_comes_first_and_what_it_cured_is_not_repaired_again() -> None:
    told = Written().told("no_pedal").codes("P0123", "P0223").done("ground pin cleaned")
    untested = judge_job(told.job).standing.next_test
    assert untested is not None
    assert untested.title == "The same test again as before the change"
    assert "ground pin cleaned" in untested.tells
    cured = judge_job(told.codes(moment=Moment.REPAIRED).job)
    again = judge_job(
        Written().told("no_pedal").codes("P0123", "P0223").done("ground pin cleaned")
        .codes("P0123", "P0223", moment=Moment.REPAIRED).job
    )  # fmt: skip
    cost = {
        name: {s.id: s.cost for s in j.schools}["proposed"]
        for name, j in (("cured", cured), ("again", again))
    }
    assert cost["cured"] < 0.7 * cost["again"], "what is cured costs nothing more"
    assert cured.standing.suspects[0].id == "supply_ground", "it is still told what it was"


def test_a_pedal_code_on_a_dirty_plate_is_the_pedal() -> None:
    judged = judge_job(Written().told("no_pedal").codes("P2122", "P2138").looked("dirt", Seen.BAD).job)
    assert judged.standing.suspects[0].id == "pedal_sensor"


def test_every_line_says_what_it_did_and_which_one_turns_the_answer() -> None:
    told = Written(CABLE).told("high_idle").codes("P0507", "P0171").looked("hoses", Seen.BAD)
    judged = judge_job(told.job)
    assert [line.text for line in judged.ledger] == [
        "told: idles too fast", "codes as found: P0171, P0507", "a hose is off or split",
    ]  # fmt: skip
    first = judged.standing.suspects[0].id
    assert all(line.times_as_likely[first] > 1.0 for line in judged.ledger)
    turned = judge_job(Written().told("check").codes("P2135").job)
    assert any(line.turns for line in turned.ledger)


def test_observations_that_no_fault_shows_together_are_named_as_a_pair() -> None:
    told = Written().codes("P0300", "P0301", "P0302")
    judged = judge_job(told.read("sensor ground at the sensor plug", 4.7, "V", "plug on, key on").job)
    (remark,) = [r for r in judged.contradictions if "P0300" in r.text]
    assert "sensor ground" in remark.text
    assert len(remark.entries) == 2


@pytest.mark.parametrize(
    ("where", "value", "unit", "why"),
    [
        ("supply at the plug", 400.0, "V", "can't be in this circuit"),
        ("ground wire", -3.0, "Ω", "the key was on"),
        ("left front wheel", 5.0, "V", "no line of the circuit"),
        ("supply at the plug", 5.0, "bar", "has no place in the circuit"),
    ],
)
def test_what_can_not_be_weighed_is_kept_and_named(
    where: str, value: float, unit: str, why: str
) -> None:
    judged = judge_job(Written().told("lamp").read(where, value, unit).job)
    (remark,) = judged.not_weighed
    assert why in remark.text
    assert where in remark.text
    assert len(judged.ledger) == 1


def test_names_of_another_version_are_kept_and_named() -> None:
    told = (
        Written().told("lamp", "sings", when=("at_full_moon",)).codes("P3FFF").looked("flux", Seen.BAD)
    )
    judged = judge_job(told.done("prayed").job)
    text = " ".join(r.text for r in judged.not_weighed)
    for word in ("sings", "at_full_moon", "P3FFF", "flux", "prayed"):
        assert word in text


def test_what_was_read_of_two_units_is_one_set_and_a_silent_unit_proves_no_absence() -> None:
    engine = Written().told("no_pedal").codes("P0123").codes("P0223").job
    both = Written().told("no_pedal").codes("P0123", "P0223").job
    judged = judge_job(engine)
    assert [line.text for line in judged.ledger][1:] == ["codes as found: P0123, P0223"]
    assert len(judged.ledger[1].entries) == 2
    assert judged.standing.suspects == judge_job(both).standing.suspects
    told, codes = Written().told("no_pedal").codes("P0123").job.entries
    silent = replace(codes, missing=("gearbox: no answer",))
    whole = judge_job(replace(both, entries=(told, codes)))
    partly = judge_job(replace(both, entries=(told, silent)))
    assert chance_of(partly, "supply_ground") > chance_of(whole, "supply_ground")


def a_recording(
    rows: tuple[str, ...], tracks: dict[int, float], channels: tuple[str, ...]
) -> tuple[Recorded, Findings]:
    """A recording with observations of `judging.toml`, about these tracks."""
    recorded = Recorded(
        id=new_id(), at=BEGAN, source=Source.FILE, name="r", file=f"{new_id()}-r.csv", digest="0" * 64,
        channels=channels,
    )  # fmt: skip
    seen = tuple(
        KeptObservation(says=row.says, cause=row.cause, confidence=0.95, source="s", chance=row.chance)
        for row in map(judging().likelihood, rows)
    )
    found = Findings(
        id=new_id(), at=BEGAN, source=Source.ANALYSIS, recording=recorded.id, headline="h",
        observations=seen, tracks=tracks,
    )  # fmt: skip
    return recorded, found


BOTH = ("tps1_v", "tps2_v")


@pytest.mark.parametrize("tracks", [{2: 1.0}, {1: 0.0, 2: 1.0}])
def test_a_recording_about_one_track_is_about_its_lines(tracks: dict[int, float]) -> None:
    job = Written().job
    judged = judge_job(
        replace(job, entries=a_recording(("drops_anywhere", "drop_one_rail"), tracks, BOTH))
    )
    for one, two in (
        ("broken_wiper_1", "broken_wiper_2"),
        ("open_signal_1_harness", "open_signal_2_harness"),
    ):
        assert fault(judged, two) > 8.0 * fault(judged, one)


def test_three_recordings_that_show_the_same_are_worth_less_than_three_times_one() -> None:
    rows, job = ("drops_anywhere", "drop_one_rail"), Written().told("bucking").job
    one = a_recording(rows, {1: 1.0}, BOTH)
    three = tuple(e for _ in range(3) for e in a_recording(rows, {1: 1.0}, BOTH))
    single = judge_job(replace(job, entries=(*job.entries, *one)))
    many = judge_job(replace(job, entries=(*job.entries, *three)))
    assert chance_of(many, "wiring") > chance_of(single, "wiring")
    weights = [line.times_as_likely[SuspectId.WIRING] for line in many.ledger if "recorded" in line.text]
    assert weights[0] > 2.0 * weights[1] > 2.0 * weights[2] > 1.0


def test_a_clean_recording_takes_from_what_it_could_have_shown() -> None:
    """A worn track shows in a whole sweep, hardly where nothing moved; a misfire shows in neither."""
    job = Written().told("stumble").job

    def after(row: str, channels: tuple[str, ...] = BOTH) -> JobJudgement:
        return judge_job(replace(job, entries=(*job.entries, *a_recording((row,), {}, channels))))

    before, whole, still = judge_job(job), after("clean_whole"), after("clean_still")
    assert fault(whole, "worn_track_1") < 0.4 * fault(before, "worn_track_1")
    assert fault(whole, "worn_track_1") < 0.5 * fault(still, "worn_track_1")
    assert fault(whole, "ignition") > fault(before, "ignition")
    with_speed = after("clean_whole", (*BOTH, "rpm"))
    assert fault(with_speed, "ignition") < fault(whole, "ignition"), "its idle would have been rough"


def test_a_code_that_comes_back_tells_more_than_a_new_one() -> None:
    told = Written().told("lamp").codes("P0122")
    back = judge_job(told.codes("P0122", moment=Moment.CLEARED).job)
    new = judge_job(Written().told("lamp").codes("P0122").codes("P0562", moment=Moment.CLEARED).job)
    away = judge_job(Written().told("lamp").codes("P0122").codes(moment=Moment.CLEARED).job)
    of_signal_1 = [fault(j, "open_signal_1_harness") for j in (back, away, new)]
    assert of_signal_1[0] > 1.2 * of_signal_1[1]
    assert of_signal_1[1] > of_signal_1[2]
    assert fault(back, "left_over") < 0.2 * fault(away, "left_over")


def test_no_resistance_at_all_is_a_reading_and_less_than_none_is_not() -> None:
    reading = Written().read("ground wire", 0.0, "Ω").job.entries[0]
    assert isinstance(reading, Reading)
    assert isinstance(understand(reading), Measured)
    assert isinstance(understand(replace(reading, value=-0.1)), str)


def _frozen(frame: dict[str, float], code: str = "P0122", times: int = 1) -> JobJudgement:
    job = Written().codes(code).job
    (codes,) = job.entries
    assert isinstance(codes, CodeSet)
    frozen = replace(codes, codes=(replace(codes.codes[0], frame=frame),))
    return judge_job(replace(job, entries=tuple(replace(frozen, id=new_id()) for _ in range(times))))


def test_a_freeze_frame_tells_what_is_always_there_from_what_comes_on_the_road() -> None:
    """From memory: what is always there sets its code at key on, what comes and goes later."""
    stood, drove = _frozen({"rpm": 0.0, "batt_v": 12.4}), _frozen({"rpm": 2400.0, "batt_v": 14.1})
    nothing = _frozen({})
    assert fault(drove, "worn_track_1") > 1.3 * fault(nothing, "worn_track_1")
    assert fault(stood, "worn_track_1") < 0.7 * fault(nothing, "worn_track_1")
    assert fault(stood, "broken_wiper_1") > fault(drove, "broken_wiper_1")
    assert any("frozen with P0122: the engine stood" in line.text for line in stood.ledger)
    # Read twice it is one moment.
    twice = _frozen({"rpm": 0.0, "batt_v": 12.4}, times=2)
    assert sum("frozen with" in line.text for line in twice.ledger) == 1


def test_a_frame_with_a_low_battery_speaks_of_the_battery() -> None:
    """From memory: 12.3 V and less with the engine running, 10 V with it standing, is not charged."""
    for rpm, low, good in ((850.0, 11.6, 14.2), (0.0, 9.4, 12.5)):
        weak, well = (_frozen({"rpm": rpm, "batt_v": v}, "P2106") for v in (low, good))
        assert fault(weak, "battery_weak") > 5.0 * fault(well, "battery_weak")
    # Whether the engine ran is not known: then the volts alone say nothing.
    (remark,) = _frozen({"batt_v": 11.6}).not_weighed
    assert "freeze frame" in remark.text


def test_a_cold_frame_may_be_ice() -> None:
    cold, warm = (_frozen({"rpm": 900.0, "ect_c": c}, "P2112") for c in (2.0, 88.0))
    assert fault(cold, "iced") > 3.0 * fault(warm, "iced")


def test_a_value_that_can_not_be_is_named_and_the_rest_of_its_frame_weighs() -> None:
    judged = _frozen({"rpm": 1e6, "batt_v": 12.0, "ect_c": 20.0})
    assert [line.text for line in judged.ledger if "frozen" in line.text] == [
        "frozen with P0122: it was cold"
    ]
    (remark,) = judged.not_weighed
    assert "rpm 1e+06 can't be" in remark.text


def test_a_frame_of_other_values_is_named_as_not_weighed() -> None:
    (remark,) = _frozen({"load_pct": 30.0}).not_weighed
    assert "freeze frame" in remark.text


def test_free_words_tell_where_nothing_was_chosen_and_only_there() -> None:
    def told(words: str, *symptoms: str) -> list[str]:
        job = Written(CABLE).told(*symptoms).job
        (complaint,) = job.entries
        return [
            line.text
            for line in judge_job(replace(job, entries=(replace(complaint, words=words),))).ledger
        ]

    assert told("Hunts at idle, on rainy days") == ["told: hunting idle", "told: wet"]
    assert told("hunts at idle", "stalls") == ["told: stalls at a stop"]
    assert told("the driver is unhappy, a clamp came off at the hotel") == []


def test_ohms_between_two_lines_are_named_and_not_taken_for_those_of_one() -> None:
    reading = Written().read("signal 1 to supply at the sensor plug", 3200.0, "Ω").job.entries[0]
    assert isinstance(reading, Reading)
    said = understand(reading)
    assert isinstance(said, str)
    assert "between two lines" in said
    assert isinstance(understand(replace(reading, where="signal 1")), Measured)


@pytest.mark.parametrize(
    ("where", "conditions", "unit", "line", "place", "states"),
    [
        ("Signal 2 at the control unit plug", "harness moved", "V", "signal2", "unit_plug", {"moved"}),
        ("SENSOR GROUND to battery negative", "key on", "mV", "ground", "", {"to_battery"}),
        ("ground, unit plug, to battery negative", "", "V", "ground", "unit_plug", {"to_battery"}),
        ("pedal signal 1 at the pedal plug, released", "", "V", "signal1", "pedal_plug", {"closed"}),
        ("supply wire from plug to plug", "both off", "Ω", "supply", "plug_to_plug", {"plug_off"}),
        ("motor pin to pin", "plug off, hot", "Ω", "motor", "pin_to_pin", {"plug_off", "hot"}),
        ("battery", "engine running", "V", "battery", "", {"running"}),
        ("supply at the plug", "key on, battery full", "V", "supply", "sensor_plug", set[str]()),
        ("signal 2 at the ECU", "sensor ground moved", "V", "signal2", "unit_plug", {"moved"}),
        ("signal 1 against sensor ground", "", "V", "signal1", "", set[str]()),
        ("supply to sensor ground, pin to pin", "", "Ω", "supply", "pin_to_pin", set[str]()),
        ("wide open, signal 1 at the plug", "wet", "V", "signal1", "sensor_plug", {"wide_open", "wet"}),
    ],
)  # fmt: skip
def test_the_words_of_a_reading_are_understood(
    where: str, conditions: str, unit: str, line: str, place: str, states: set[str]
) -> None:
    reading = Reading(
        id=new_id(), at=Written().told("lamp").job.opened, source=Source.TYPED, where=where, value=5.0,
        unit=unit, conditions=conditions,
    )  # fmt: skip
    found = understand(reading)
    assert isinstance(found, Measured)
    assert (found.line, found.place, set(found.states)) == (line, place, states)
    assert found.pedal is where.startswith("pedal")
    assert found.value == (0.005 if unit == "mV" else 5.0)


@pytest.mark.parametrize(
    ("words", "change"),
    [
        ("sensor renewed", "sensor_renewed"),
        ("sensor renewed and codes cleared", "codes_cleared sensor_renewed"),
        ("plate and sensor plug cleaned", "plug_cleaned throttle_body_cleaned"),
        ("plug checked, plate cleaned; wiring not repaired", "throttle_body_cleaned"),
        ("throttle plug cleaned and seated", "throttle_plug"),
        ("plug terminal tightened", "plug_cleaned"),
        ("throttle body cleaned", "throttle_body_cleaned"),
        ("ground pin cleaned", "plug_cleaned"),
        ("plug seated", "plug_cleaned"),
        ("throttle body renewed", "throttle_body_renewed"),
        ("pedal sensor renewed", "pedal_sensor_renewed"),
        ("wire repaired", "wire_repaired"),
        ("battery terminal tightened", "battery"),
        ("throttle sensor renewed, set to 0.51 V closed", "sensor_renewed"),
        ("crankcase hose renewed", "crankcase"),
        ("spark plugs replaced", "ignition"),
        ("signal 2 wire soldered at the splice", "signal_2_line"),
        ("codes cleared", "codes_cleared"),
        ("coolant temperature sensor renewed", "another_sensor"),
        ("control unit plug seated", "control_unit_plug"),
        ("thought about it", ""),
    ],
)
def test_a_change_is_understood_by_part_and_verb(words: str, change: str) -> None:
    assert sorted(row.id for row in what_was_done(words)) == change.split()


def test_every_symptom_and_condition_is_weighed_by_the_name_that_jobs_hold() -> None:
    """The names stand in jobs that were written long ago, so they never change."""
    symptoms = {
        "stumble", "bucking", "cuts_out", "stalls", "high_idle", "hunting_idle", "hard_start",
        "revs_alone", "lamp", "check",
    }  # fmt: skip
    when = {"cold", "hot", "wet", "bumps", "place", "load", "seldom", "always", "after_work"}
    for throttle, more, key in (
        (CABLE, set[str](), set[str]()),
        (ELECTRONIC, {"no_pedal", "reduced_power"}, {"key"}),
    ):
        job = Written(throttle).told(*sorted(symptoms | more), when=tuple(sorted(when | key))).job
        judged = judge_job(job)
        assert judged.not_weighed == ()
        assert len(judged.ledger) == len(symptoms | more) + len(when | key)


def test_two_things_done_at_once_cure_what_either_cures() -> None:
    """Of two repairs in one line neither is forgotten: 1 - (1 - a)(1 - b), as of independent chances."""

    def cured(words: str) -> float:
        job = Written().told("lamp").codes("P0122").done(words).codes(moment=Moment.CLEARED).job
        return judge_job(job).cured or 0.0

    both, sensor, plate = map(
        cured, ("sensor renewed and plate cleaned", "sensor renewed", "plate cleaned")
    )
    assert both > plate + 0.02
    assert both >= sensor


@pytest.mark.parametrize("throttle", [None, *ThrottleKind])
def test_every_table_names_every_fault(throttle: ThrottleKind | None) -> None:
    tree = tree_for(throttle)
    assert tree.prior.sum() == pytest.approx(1.0)
    assert {f.suspect for f in tree.faults} >= {"sensor", "wiring", "none", "elsewhere"}
    for change in known_changes().change:
        assert tree.row(change.cures).max() > 0.0 or change.id == "pedal_plug" or "pedal" in change.id


def test_supposing_an_outcome_moves_suspects_and_keeps_nothing() -> None:
    job = Written().told("reduced_power").codes("P0222").job
    judged = judge_job(job)
    test = next(t for t in judged.tests if t.id == "shake")
    supposed = what_if(judged, test.outcomes[0])
    wiring = next(s.probability for s in supposed.suspects if s.id == "wiring")
    assert wiring > chance_of(judged, "wiring")
    assert supposed.headline.startswith("If “drops answer to the hand”")
    assert judge_job(job).standing == judged.standing


@pytest.mark.parametrize(
    ("words", "suspect", "name", "outcome"),
    [
        ("harness was off for the gearbox", "none", "left_over", Outcome.CLEAR),
        ("dies on the gravel", "wiring", "open_signal_1", Outcome.CLEAR),
        ("reduced power every other day", "", "", Outcome.BETWEEN),
        ("hunts at idle and stalls", "throttle_body", "dirty_plate", Outcome.CLEAR),
        ("stumbles on the hill", "elsewhere", "ignition", Outcome.CLEAR),
        ("limps home from the tip", "sensor", "", Outcome.CLEAR),
        ("no pedal at the clinic", "pedal_sensor", "open_pedal_signal_1", Outcome.CLEAR),
        ("crawled back from the airfield", "", "", Outcome.NOT_ENOUGH),
        ("jerks when it pulls away", "wiring", "open_signal_2", Outcome.CLEAR),
    ],
)
def test_the_classic_traps_of_the_demo(words: str, suspect: str, name: str, outcome: Outcome) -> None:
    """Common practice, no published source: each is what a careful technician would say of it."""
    (course,) = [c for c in traps() if any(words in getattr(e, "words", "") for e in c.entries)]
    judged = judge_job(replace(course.job, entries=tuple(course.entries)))
    assert judged.outcome is outcome
    if suspect:
        assert judged.standing.suspects[0].id == suspect
        assert any(f.id.startswith(name) for f in judged.faults[:2])


def test_a_test_that_was_done_is_not_advised_again_until_something_was_changed() -> None:
    at = "plug on, key on"
    told = Written().told("reduced_power").codes("P0222").read("supply at the plug", 5.0, "V", at)
    assert "drop_ground" in [t.id for t in judge_job(told.job).tests]
    both = told.read("sensor ground at the plug", 0.02, "V", at)
    assert "drop_ground" not in [t.id for t in judge_job(both.job).tests]
    assert "drop_ground" in [t.id for t in judge_job(both.done("plug cleaned").job).tests]


# -- the command -------------------------------------------------------------------------------------


def written(job: Job, to: Path) -> Path:
    envelope = Envelope(format="nervus-job", version=1, written_by="test", job=job)
    to.write_bytes(msgspec.json.encode(envelope))
    return to


def run(*arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "nervus", "judge", *arguments],
        capture_output=True,
        text=True,
        check=False,
    )


def full_job() -> Job:
    told = (
        Written().told("reduced_power", when=("wet",)).codes("P0222", "P2135").looked("pins", Seen.BAD)
    )
    told = told.read("signal 2 at the control unit plug", 0.02, "V", "plug on, key on").read(
        "x", 400, "V"
    )
    return told.done("plug cleaned").codes(moment=Moment.REPAIRED).job


def test_the_answer_obeys_its_published_schema_and_the_published_copy_is_the_same() -> None:
    """Reference: jsonschema, draft 2020-12."""
    schema = judgement_schema()
    jsonschema.Draft202012Validator.check_schema(schema)
    published = Path(__file__).parent.parent / "docs" / "judgement.schema.json"
    assert json.loads(published.read_text("utf-8")) == schema
    for job in (full_job(), Written().job, Written(CABLE).told("check").job):
        told = judgement_answer(job, judge_job(job))
        jsonschema.validate(told, schema, jsonschema.Draft202012Validator)
        assert sum(s["probability"] for s in told["suspects"]) == pytest.approx(1.0, abs=1e-6)
        assert ("cured" in told) is bool([e for e in job.entries if type(e).__name__ == "Change"])
        assert json.loads(json.dumps(told, allow_nan=False)) == told


def test_the_command_judges_a_job_file_and_says_one_sentence_where_it_can_not(tmp_path: Path) -> None:
    path = written(full_job(), tmp_path / "job.json")
    done = run(str(path), "--json")
    assert (done.returncode, done.stderr) == (0, "")
    jsonschema.validate(json.loads(done.stdout), judgement_schema())
    plain = run(str(path))
    assert plain.returncode == 0
    assert "Nervus advises; the technician decides." in plain.stdout
    for arguments, says in (
        ((), "judge takes one job"),
        ((str(tmp_path / "none.json"),), "can't be read"),
        ((str(written(full_job(), tmp_path / "b.zip")),), "it is no bundle"),
    ):
        refused = run(*arguments)
        assert refused.returncode == 2
        assert refused.stdout == ""
        assert says in refused.stderr
        assert refused.stderr.count("\n") == 1


def test_the_report_tells_headline_reasons_next_test_and_ways() -> None:
    job = replace(full_job(), vehicle=replace(full_job().vehicle, name="No 6 · bus"))
    text = judgement_report(job, judge_job(job))
    for part in ("No 6 · bus:", "Because", "not weighed:", "cured:", "proof before parts"):
        assert part in text
    assert ELECTRONIC.value not in text


_WORDS = st.sampled_from(
    """signal 1, signal 2, supply, sensor ground, pedal signal 1, pedal supply, motor, battery,
    ground wire, at the sensor plug, at the control unit plug, pin to pin, from plug to plug,
    to battery negative, plug off, plug on, key off, engine running, throttle wide open, wet,
    cranking, harness moved, bananas""".replace("\n", " ").split(", ")
)
_READINGS = st.builds(
    lambda where, conditions, value, unit: ("read", " ".join(where), value, unit, " ".join(conditions)),
    st.lists(_WORDS, max_size=3),
    st.lists(_WORDS, max_size=3),
    st.floats(allow_nan=False) | st.floats(0.0, 6.0),
    st.sampled_from(["V", "mV", "Ω", "kΩ", "MΩ", "A", "%", "°C", "", "furlongs"]),
)
_CODE_NAMES = st.sampled_from(
    [*sorted({c for row in code_chances().row for c in row.codes}), "P1545", "B0001"]
)
_SETS = st.builds(
    lambda codes, moment, status: ("codes", codes, moment, status),
    st.lists(_CODE_NAMES, max_size=5, unique=True),
    st.sampled_from(Moment),
    st.none() | st.integers(0, 255),
)
_TOLD = st.builds(
    lambda symptoms, when: ("told", symptoms, when),
    st.lists(st.sampled_from([*(r.id for r in complaints().symptom), "sings"]), max_size=3),
    st.lists(st.sampled_from([*(r.id for r in complaints().condition), "moon"]), max_size=3),
)
_LOOKS = st.builds(
    lambda item, seen: ("looked", item, seen),
    st.sampled_from([*(i.id for i in look_items().item), "flux"]),
    st.sampled_from(Seen),
)
_DONE = st.sampled_from(["sensor renewed", "plug cleaned", "codes cleared", "prayed", ""]).map(
    lambda w: ("done", w)
)


@settings(max_examples=120, deadline=None)
@given(
    st.sampled_from([CABLE, ELECTRONIC]),
    st.lists(_READINGS | _SETS | _TOLD | _LOOKS | _DONE, max_size=9),
)
def test_every_job_has_an_answer_that_obeys_the_schema(
    throttle: ThrottleKind, steps: list[tuple[Any, ...]]
) -> None:
    job = Written(throttle)
    for step in steps:
        match step:
            case ("read", where, value, unit, conditions):
                job.read(where, value, unit, conditions)
            case ("codes", codes, moment, status):
                job.codes(*codes, moment=moment, status=status)
            case ("told", symptoms, when):
                job.told(*symptoms, when=tuple(when))
            case ("looked", item, seen):
                job.looked(item, seen)
            case ("done", words):
                job.done(words)
    judged = judge_job(job.job)
    told = judgement_answer(job.job, judged)
    jsonschema.validate(told, judgement_schema())
    json.dumps(told, allow_nan=False)
    assert sum(s.probability for s in judged.standing.suspects) == pytest.approx(1.0, abs=1e-6)
    assert sum(f.probability for f in judged.faults) == pytest.approx(1.0, abs=1e-6)
    # Whatever came in is either weighed or named.
    counted = {e for line in judged.ledger for e in line.entries}
    named = {e for remark in judged.not_weighed for e in remark.entries}
    silent = {e.id for e in job.job.entries if isinstance(e, Reading | CodeSet)} - counted - named
    assert silent == set()


def test_a_recording_of_a_bundle_that_nobody_judged_is_analysed(tmp_path: Path) -> None:
    sample = Path(__file__).parent / "data" / "samples" / "sample-09-wiring-drops.csv"
    digest = hashlib.sha256(sample.read_bytes()).hexdigest()
    recorded = Recorded(
        id=new_id(), at=BEGAN, source=Source.FILE, name="r.csv", file=f"{digest[:16]}-r.csv",
        digest=digest, channels=("tps1_v",),
    )  # fmt: skip
    job = Written(CABLE).told("bucking").job
    job = replace(job, entries=(*job.entries, recorded))
    write_bundle(job, lambda _name: sample, tmp_path / "job.zip")
    told = json.loads(run(str(tmp_path / "job.zip"), "--json").stdout)
    assert told["suspects"][0]["id"] == "wiring"
    assert any(line["text"].startswith("recorded: drops") for line in told["ledger"])
    # The same beside its job.json; damaged, it is told, and the job is judged without it.
    path = written(job, tmp_path / "job.json")
    (tmp_path / "files").mkdir()
    (tmp_path / "files" / recorded.file).write_bytes(sample.read_bytes())
    assert json.loads(run(str(path), "--json").stdout)["suspects"] == told["suspects"]
    (tmp_path / "files" / recorded.file).write_text("time_s,tps1_v\n0,zero\n")
    damaged = run(str(path), "--json")
    assert damaged.returncode == 0
    assert "The job is judged without it." in damaged.stderr
    (aside,) = json.loads(damaged.stdout)["not_weighed"]
    assert "not analysed" in aside["text"]


def test_a_job_of_the_logbook_is_found_by_its_words(tmp_path: Path) -> None:
    book = Logbook(tmp_path / "logbook.db")
    for symptom in ("stalls", "high_idle"):
        book.put_job(Written(CABLE).told(symptom).job)
    book.close()
    own = ("--logbook-file", str(tmp_path / "logbook.db"))
    found = run("--logbook", "idles too fast", "--json", *own)
    assert json.loads(found.stdout)["ledger"][0]["text"] == "told: idles too fast"
    for words, says in (("zebra", "no job holds it"), ("No 6", "2 jobs hold it")):
        refused = run("--logbook", words, *own)
        assert (refused.returncode, refused.stdout) == (2, "")
        assert says in refused.stderr
    assert "nervus judge --logbook" in refused.stderr


def test_a_workshops_prices_are_counted_with_by_the_command(tmp_path: Path) -> None:
    path = written(full_job(), tmp_path / "job.json")
    prices = tmp_path / "workshop.toml"
    prices.write_text('minute = 5.0\nmissing = ["meter", "crystal ball"]\n')
    told = run(str(path), "--json", "--prices", str(prices))
    assert "crystal ball" in told.stderr
    assert not {"sweep", "plug_off"} & {t["id"] for t in json.loads(told.stdout)["next_tests"]}
    prices.write_text("minute = -5.0\n")
    refused = run(str(path), "--prices", str(prices))
    assert (refused.returncode, refused.stdout) == (2, "")
