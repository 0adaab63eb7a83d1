"""What is told and seen without measuring: reports with prose around codes, and what it means."""

import csv
import io
from datetime import timedelta
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nervus.codes.notation import Code, read_code
from nervus.domain.job import (
    AnyEntry,
    Change,
    CodeSet,
    CodeState,
    Complaint,
    Job,
    Look,
    Recorded,
    Seen,
    SeenCode,
    Source,
    new_id,
    new_vehicle,
    now,
)
from nervus.domain.judgement import Outcome
from nervus.domain.profile import ThrottleKind
from nervus.domain.suspect import SuspectId
from nervus.files.code_report import (
    CodesUnreadable,
    codes_in_text,
    read_codes_file,
    write_codes_csv,
)
from nervus.judge.analyse import analyse
from nervus.judge.of_job import judge_job, kept
from nervus.judge.story import difference, story_of
from nervus.knowledge import code_evidence, complaints, fitting, judging, known_codes, look_items
from nervus.standin.demo import case_named

REPORT = """Report of the visit on 4 May. Battery 12.4 V, 120134 km, idle at P 1500 mbar, see page B 12.

Control unit: engine
  Stored codes:
    P0122   throttle sensor, low          status 0x2F
    p 2135 - sensors disagree (pending as well)
  Pending codes:
    P0122
Control unit: gearbox
  U0401-81  invalid data, permanent
Maker's own: P1545 (history). Part number 0P0121X, hose C0201mm.
"""


def test_a_report_with_prose_around_it_is_read() -> None:
    found = {(c.module, c.code): c for c in codes_in_text(REPORT)}
    assert set(found) == {
        ("engine", "P0122"), ("engine", "P2135"), ("gearbox", "U0401-81"), ("gearbox", "P1545"),
    }  # fmt: skip
    low = found["engine", "P0122"]
    assert set(low.states) == {CodeState.STORED, CodeState.PENDING}
    assert low.status == 0x2F
    assert found["engine", "P2135"].says == "sensors disagree (pending as well"
    assert found["gearbox", "U0401-81"].states == (CodeState.PERMANENT,)
    assert found["gearbox", "P1545"].states == (CodeState.HISTORY,)


@pytest.mark.parametrize("written", ["{0}", "{0}-85", "{0}85", "p {1}", "0x{2}", "{0}:85"])
def test_every_known_code_is_found_in_any_notation(written: str) -> None:
    """Source: SAE J2012, as the five signs are made from two bytes; 0x names the bytes themselves."""
    for code in known_codes():
        if not str(code).startswith("P") and "{1}" in written:
            continue
        text = written.format(str(code), str(code)[1:], f"{code.number:04X}")
        assert read_code(text).base == code
        (found,) = codes_in_text(f"found {text} today")
        assert read_code(found.code).base == code


@settings(max_examples=200, deadline=None)
@given(st.text(max_size=400))
def test_any_text_gives_codes_or_none_but_no_error(text: str) -> None:
    for seen in codes_in_text(text):
        assert str(read_code(seen.code)) == seen.code


_TEXTS = st.text(st.characters(exclude_categories=("Cs", "Cc")), max_size=30)
_CODES = st.builds(
    SeenCode,
    code=st.builds(
        lambda n, t: str(Code(n, t)), st.integers(0, 0xFFFF), st.none() | st.integers(0, 0xFF)
    ),
    module=_TEXTS,
    states=st.sets(st.sampled_from(CodeState)).map(lambda s: tuple(c for c in CodeState if c in s)),
    status=st.none() | st.integers(0, 255),
    says=_TEXTS,
)


@settings(max_examples=60, deadline=None)
@given(st.lists(_CODES, max_size=6))
def test_codes_as_csv_come_back_and_no_cell_is_a_formula(
    tmp_path_factory: pytest.TempPathFactory, codes: list[SeenCode]
) -> None:
    path = tmp_path_factory.mktemp("codes") / "codes.csv"
    text = write_codes_csv(codes)
    path.write_text(text, encoding="utf-8", newline="")
    assert read_codes_file(path) == tuple(codes)
    cells = [cell for row in csv.reader(io.StringIO(text)) for cell in row]
    assert not [cell for cell in cells if cell.startswith(("=", "+", "-", "@", "\t", "\r"))]


def test_what_holds_no_codes_is_told(tmp_path: Path) -> None:
    path = tmp_path / "r.txt"
    for content, says in (
        (b"nothing here", "no trouble code stands in it"),
        (b"\xff\xfe\x00", "is no text"),
        (b"code,module,states,status,says\nP0121,,stolen,,\n", "line 2: “stolen” is no state"),
        (b"code,module,states,status,says\nP0121,,,0x100,\n", "line 2: a status byte"),
        (b"code,module,states,status,says\nX0121,,,,\n", "line 2: “X0121” is no trouble code"),
    ):
        path.write_bytes(content)
        with pytest.raises(CodesUnreadable, match=says):
            read_codes_file(path)
    with pytest.raises(CodesUnreadable, match="can't be read"):
        read_codes_file(tmp_path / "none.txt")


def test_two_sets_are_compared() -> None:
    before, after = ("P0122-16", "P2135", "P2106"), ("P2135-00", "P0507")
    found = difference(map(read_code, before), map(read_code, after))
    assert [str(c) for c in found.gone] == ["P0122", "P2106"]
    assert [str(c) for c in found.stayed] == ["P2135"]
    assert [str(c) for c in found.new] == ["P0507"]


# -- what it makes of a job ----------------------------------------------------------------------


def job(*entries: AnyEntry, throttle: ThrottleKind = ThrottleKind.ELECTRONIC) -> Job:
    return Job(id=new_id(), vehicle=new_vehicle("No 6", "", throttle), opened=now(), entries=entries)


def codes(*texts: str, minutes: int = 0) -> CodeSet:
    at = now() + timedelta(minutes=minutes)
    return CodeSet(id=new_id(), at=at, source=Source.TYPED, codes=tuple(SeenCode(code=t) for t in texts))


def look(item: str, seen: Seen) -> Look:
    return Look(id=new_id(), at=now(), source=Source.SEEN, item=item, seen=seen)


def complaint(*symptoms: str, conditions: tuple[str, ...] = ()) -> Complaint:
    return Complaint(
        id=new_id(), at=now(), source=Source.TYPED, symptoms=symptoms, conditions=conditions
    )


def first_of(told: Job) -> SuspectId:
    return judge_job(told).standing.suspects[0].id


def test_nothing_told_leaves_it_where_it_was_before() -> None:
    judged = judge_job(job())
    assert judged.outcome is Outcome.NOT_ENOUGH
    assert judged.ledger == ()
    assert "the codes of all modules" in judged.missing


@pytest.mark.parametrize(
    ("entries", "suspect"),
    [
        ((codes("P0122", "P0222", "P2110"),), SuspectId.SUPPLY_GROUND),
        ((codes("P0642", "P0122", "P0222"),), SuspectId.SUPPLY_GROUND),
        ((codes("P2122", "P2138", "P2106"), complaint("no_pedal")), SuspectId.PEDAL_SENSOR),
        ((codes("P2112"), look("plate_free", Seen.BAD)), SuspectId.THROTTLE_BODY),
        ((codes("P0171", "P0507"), look("hoses", Seen.BAD)), SuspectId.ELSEWHERE),
        ((complaint("cuts_out", conditions=("bumps", "wet")), look("pins", Seen.BAD)), SuspectId.WIRING),
        ((complaint("stumble", conditions=("place",)), look("pins", Seen.GOOD)), SuspectId.SENSOR),
        ((complaint("check"),), SuspectId.NONE),
    ],
)
def test_what_is_told_points_where_the_trade_looks_first(
    entries: tuple[AnyEntry, ...], suspect: SuspectId
) -> None:
    """Common practice, no published source: both tracks low is what they share; water and bumps are the
    connections; always at one opening is the track; lean with a split hose is not the throttle.
    """
    assert first_of(job(*entries)) is suspect


def test_three_codes_of_one_open_wire_are_one_cause() -> None:
    """Common practice, no published source: forced idle and contradiction follow from an open line."""
    alone = judge_job(job(codes("P0122")))
    more = judge_job(job(codes("P0122", "P2106", "P2135")))
    assert alone.standing.suspects[0].id is more.standing.suspects[0].id is SuspectId.WIRING
    assert abs(alone.standing.suspects[0].probability - more.standing.suspects[0].probability) < 0.2


def test_codes_after_a_change_tell_of_the_repair() -> None:
    at = now() + timedelta(minutes=5)
    cleaned = Change(id=new_id(), at=at, source=Source.SEEN, done="plug cleaned")
    gone = judge_job(job(codes("P0122"), cleaned, codes(minutes=10)))
    stayed = judge_job(job(codes("P0122"), cleaned, codes("P0122", minutes=10)))
    assert gone.cured is not None
    assert stayed.cured is not None
    assert gone.cured > 2.0 * stayed.cured
    in_the_plug = {f.id: f.probability for f in gone.faults}["open_signal_1_sensor_plug"]
    assert in_the_plug > {f.id: f.probability for f in stayed.faults}["open_signal_1_sensor_plug"]


def test_a_code_names_the_line_that_is_suspected() -> None:
    told = [
        s for s in judge_job(job(codes("P0222"))).standing.stretches if s.suspect is SuspectId.WIRING
    ]
    assert told[0].line == "signal 2"
    of_first = sum(s.probability for s in told if s.line == "signal 1")
    assert sum(s.probability for s in told if s.line == "signal 2") > 10.0 * of_first


def test_a_recording_and_what_was_told_are_weighed_together() -> None:
    analysis = analyse(case_named("loose-wire").make())
    recorded = Recorded(
        id=new_id(),
        at=now(),
        source=Source.FILE,
        name="r.csv",
        file=f"{'0' * 16}-r.csv",
        digest="0" * 64,
        channels=("tps1_v", "tps2_v"),
    )
    found = kept(analysis, recorded, judging())
    alone = judge_job(job(recorded, found))
    assert alone.standing.suspects[0].id is analysis.judgement.suspects[0].id
    assert alone.standing.stretches[0].line == "signal 2"
    assert judge_job(job(found)).ledger == (), "taken out with its recording"
    (aside,) = judge_job(job(recorded)).not_weighed
    assert "not analysed" in aside.text
    more = judge_job(job(recorded, found, look("pins", Seen.BAD)))
    plug = [{f.id: f.probability for f in j.faults}["open_signal_2_sensor_plug"] for j in (alone, more)]
    assert plug[1] > plug[0]


def test_the_story_points_along_the_way() -> None:
    assert story_of([read_code("P2122")]).stretches == ("pedal",)
    assert story_of([read_code("P0122"), read_code("P2106")]).stretches[0] == "tracks"
    shared = story_of([read_code("P0122"), read_code("P0222")]).shared
    assert "supply" in shared


def test_what_is_asked_fits_the_throttle_and_every_item_has_its_caution() -> None:
    cable = {item.id for item in fitting(look_items().item, ThrottleKind.CABLE)}
    electronic = {item.id for item in fitting(look_items().item, ThrottleKind.ELECTRONIC)}
    assert "cable" in cable - electronic
    assert "pedal" in electronic - cable
    assert all(item.caution for item in look_items().item)
    assert "no_pedal" not in {row.id for row in fitting(complaints().symptom, ThrottleKind.CABLE)}
    assert {code for row in code_evidence().evidence for code in row.codes} <= set(
        map(str, known_codes())
    )
