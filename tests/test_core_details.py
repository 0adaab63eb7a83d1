"""Small promises of link, files and judgement, each where a random change of one sign went unseen."""

import errno
import mmap
import os
import socket
import sqlite3
from datetime import timedelta
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from asammdf import MDF, Signal
from msgspec.structs import replace as with_entries

from nervus.codes.notation import read_code
from nervus.domain.analysis import Suspect
from nervus.domain.channel import CHANNEL_KINDS, Channel, Recording, Unit
from nervus.domain.errors import Stopped
from nervus.domain.finding import DeadSpot, Drop, Floor, Shape, Shared
from nervus.domain.job import (
    Change,
    CodeSet,
    Job,
    Look,
    Seen,
    SeenCode,
    Source,
    new_id,
    new_vehicle,
    now,
)
from nervus.domain.profile import ThrottleKind
from nervus.domain.suspect import SuspectId
from nervus.files import csv_gate, journal, plain_report, recording_writer
from nervus.files.csv_gate import Header, inspect
from nervus.files.mdf import read_mdf
from nervus.judge.of_job import judge_job
from nervus.judge.story import story_of
from nervus.judge.stretches import Concerned, along_the_way, concerned
from nervus.judge.verdict import advise, weigh
from nervus.judge.words import SUSPECT_NAMES
from nervus.knowledge import Likelihood, judging, look_items
from nervus.link.addresses import USUAL
from nervus.link.bus_health import _why, cant_open
from nervus.link.errors import REASONS
from nervus.link.instruments import Instrument, SamplerSource
from nervus.link.log_kind import is_can_log
from nervus.link.loopback_bus import OTHER_END_GONE
from nervus.link.outcome import Kind, Outcome
from nervus.link.reading import read_any
from nervus.link.text_adapter import TextTransport
from nervus.link.unit_codes import UnitCodes, _ask_alone
from nervus.link.writing import Writing
from nervus.logbook import Logbook
from nervus.logbook.attachments import Attachments
from nervus.standin import hands
from nervus.standin.vehicle import SimulatedVehicle
from nervus.standin.vehicle_server import VehicleServer

# -- the wire ----------------------------------------------------------------------------------------


def test_reasons_for_a_refusal_by_their_numbers() -> None:
    """Source: ISO 14229-1, table A.1, negative response codes; our words."""
    meant = {
        0x10: "refused", 0x11: "service", 0x12: "function", 0x13: "length", 0x14: "too long",
        0x21: "busy", 0x22: "conditions", 0x24: "order", 0x31: "range", 0x33: "security", 0x72: "failed",
        0x78: "more time", 0x7E: "does not do that in this session", 0x7F: "service in this session",
    }  # fmt: skip
    assert set(REASONS) == set(meant)
    assert all(word in REASONS[number] for number, word in meant.items())


def test_what_the_system_did_not_number_is_not_called_success() -> None:
    assert _why(Exception("driver trouble 17")) == ""
    assert _why(Exception(OTHER_END_GONE)) == f": {OTHER_END_GONE}"
    assert _why(OSError(errno.EIO, "x")) == ": input/output error"
    assert "success" not in cant_open("can0", Exception("x"), "accepted is y").lower()
    unknown = socket.gaierror(-2, "Name or service not known")
    assert "the name of that machine is not known here" in cant_open("tcp:x:1", unknown, "accepted is y")
    assert "input/output error; accepted is y" in cant_open(
        "can0", OSError(errno.EIO, "x"), "accepted is y"
    )


class Talker:
    """A wire on which an instrument talks out of turn, more than once."""

    def __init__(self, *unasked: bytes) -> None:
        self.unasked = list(unasked)
        self.written: list[str] = []

    def drain(self) -> bytes:
        return self.unasked.pop(0) if self.unasked else b""

    def write(self, line: str) -> None:
        self.written.append(line)
        assert not self.unasked, (
            "a question is put while something old may still be taken for its answer"
        )

    def line(self, _wait_s: float, _alive: object) -> str:
        return "4.98"

    def close(self) -> None:
        """Nothing to let go of."""


def on(wire: Talker) -> Instrument:
    made = Instrument.__new__(Instrument)
    vars(made).update(_wire=wire, unasked=0, _wait_s=1.0, _stopped=SimpleNamespace(is_set=lambda: False))
    return made


def test_the_rest_of_what_nobody_asked_for_is_thrown_away_too() -> None:
    instrument = on(Talker(b"4.7", b"1\n"))
    assert instrument.ask("READ?") == "4.98"
    assert instrument.unasked == 1
    quiet = on(Talker(b"  \r\n"))
    assert quiet.ask("READ?") == "4.98"
    assert quiet.unasked == 0


def test_a_sampler_is_stopped_in_the_middle_of_a_question() -> None:
    stopped: list[bool] = []
    source = SamplerSource.__new__(SamplerSource)
    vars(source).update(_instrument=SimpleNamespace(stop=lambda: stopped.append(True)))
    source.stop_asking()
    assert stopped == [True]
    vars(source).update(_instrument=None)
    source.stop_asking()


def test_an_adapter_whose_greeting_is_garbled_is_not_taken_for_found() -> None:
    class Line:
        rates = (1, 2, 3)
        said = [["\ufffdxyz"], ["a\x01b"], ["NAME v1"]]  # noqa: RUF012 - used up below
        tried: list[int] = []  # noqa: RUF012

        def set_rate(self, rate: int) -> None:
            self.tried.append(rate)

        def command(self, _text: str, _wait_s: float) -> list[str]:
            return self.said.pop(0)

    transport = TextTransport.__new__(TextTransport)
    vars(transport).update(_line=Line())
    assert transport._greet() == "NAME v1"
    assert Line.tried == [1, 2, 3]


def test_a_unit_that_is_silent_is_asked_as_often_as_its_silence_may_mean_something() -> None:
    """Common practice, no published source: older units have no permanent codes, and say nothing."""
    asked: list[int] = []

    class Silent:
        def ask_each(self, units: Any, request: bytes, _wait_s: float) -> dict[int, Outcome]:
            asked.append(request[0])
            return {unit: Outcome(Kind.SILENT) for unit in units}

    unit = UnitCodes(0)
    for service in (0x03, 0x07, 0x0A, 0x19):  # as it was when all were asked at once
        unit.take(service, Outcome(Kind.SILENT))
    _ask_alone(Silent(), (unit,))  # type: ignore[arg-type] # all that is used of one
    counts = {service: asked.count(service) for service in (0x03, 0x07, 0x0A, 0x19)}
    assert counts == {0x03: 3, 0x07: 3, 0x0A: 2, 0x19: 2}


def test_which_refusals_say_that_a_unit_has_no_such_thing() -> None:
    """Source: ISO 14229-1, table A.1: 11, 12, 31, 7E and 7F; busy and security are none."""
    refused = {n for n in range(256) if Outcome(Kind.REFUSED, reason=n).is_not_offered}
    assert refused == {0x11, 0x12, 0x31, 0x7E, 0x7F}
    assert not Outcome(Kind.SILENT, reason=0x11).is_not_offered


def test_units_that_spoke_are_not_asked_for_engine_speed_as_strangers_are() -> None:
    """A unit that offers nothing of the kind, and one that told at once, are not asked alone again."""
    alone: list[tuple[int, ...]] = []

    class Bus:
        def ask_all(self, request: bytes, _wait_s: float) -> dict[int, Outcome]:
            if request == b"\x01\x00":
                return {1: Outcome(Kind.TOLD, bytes.fromhex("41 00 00 00 00 00"))}
            return {0: Outcome(Kind.TOLD, bytes.fromhex("41 0C 00 00"))}

        def ask_each(self, units: Any, _request: bytes, _wait_s: float) -> dict[int, Outcome]:
            alone.append(tuple(units))
            return {}

    Writing(Bus()).engine_stands()  # type: ignore[arg-type] # all that is used of one
    assert alone
    assert not {0, 1} & set(alone[-1])
    assert set(alone[-1]) == set(USUAL) - {0, 1}


# -- files -------------------------------------------------------------------------------------------


def test_a_packet_without_a_body_and_a_marker_at_the_very_beginning() -> None:
    assert not journal._fits(journal._SAMPLES, b"")
    assert not journal._fits(journal._SAMPLES, b"\x01")
    assert journal._fits(journal._SAMPLES, b"\x01x")
    assert journal._fits(journal._SAMPLES, b"\x01x" + bytes(16))
    assert not journal._fits(journal._SAMPLES, b"\x01x" + bytes(15))
    for marker in (journal._MARKER, journal._OLD_MARKER):
        with mmap.mmap(-1, 64) as data:
            data[0:4] = marker
            assert journal._next_marker(data, 0) == 0
            assert journal._next_marker(data, 1) == 64


def test_a_line_of_exactly_the_longest_is_read(tmp_path: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(csv_gate, "_LONGEST_LINE", 40)
    path = tmp_path / "r.csv"
    path.write_text("time_s,tps1_v\n0," + "1" * 38)
    assert inspect(path, {}) == Header(("time_s", "tps1_v"), ("time_s", "tps1_v"), long=False)
    path.write_text("time_s,tps1_v\n0," + "1" * 39)
    with pytest.raises(Exception, match="longer than a megabyte"):
        inspect(path, {})


def test_all_of_a_table_is_with_the_system_before_it_is_forced_to_the_disk(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Source: POSIX fsync(2): it forces what was handed over, not what a library still holds back."""
    sizes: list[int] = []
    monkeypatch.setattr(os, "fsync", lambda number: sizes.append(os.fstat(number).st_size))
    track = Channel(CHANNEL_KINDS["tps1_v"], np.arange(50.0), np.arange(50.0))
    recording_writer.write_recording(Recording((track,), (), "r"), tmp_path / "r.csv")
    assert sizes == [(tmp_path / "r.csv").stat().st_size]


def test_a_unit_behind_an_unknown_name_is_proposed() -> None:
    assert '--map "tps1_mv[mV]=tps1_v"' in csv_gate.channel_hint("tps1_mv", "x")
    assert "did you mean tps1_v" in csv_gate.channel_hint("tps_1_v", "x")
    assert csv_gate.channel_hint("wibble", "map it").startswith("map it, where ID is other")


def test_of_a_measurement_file_what_is_left_out_is_told(tmp_path: Path) -> None:
    times = np.arange(5) / 10.0
    path = tmp_path / "r.mf4"
    with MDF(version="4.10") as file:
        file.append([Signal(times, times, unit="V", name="TPS 1")])
        file.append([Signal(times * np.nan, times, unit="1/min", name="engine speed")])
        file.append([Signal(times, times, unit="lx", name="outside light")])
        file.append([Signal(times, times, unit="V", name="Channel B")])
        file.save(path)
    remarks = read_mdf(path).remarks
    assert remarks == (
        "Read “TPS 1” as track 1 in V.",
        "“engine speed” was left out: it has no sample.",
        "Kept to be looked at, not judged: “outside light”.",
        "Left out: Channel B.",
    )


def test_suspects_from_one_in_a_hundred_on_are_listed() -> None:
    judged: Any = SimpleNamespace(
        headline="x", next_test=None,
        suspects=(
            Suspect(SuspectId.WIRING, 0.98), Suspect(SuspectId.SENSOR, 0.01),
            Suspect(SuspectId.NONE, 0.0099),
        ),
        causes=(),
        examination=SimpleNamespace(
            findings=(), channels=(), coverage=SimpleNamespace(text=""),
        ),
    )  # fmt: skip
    judged.judgement = judged
    report = plain_report("r", judged)
    names = [SUSPECT_NAMES[s] in report for s in (SuspectId.WIRING, SuspectId.SENSOR, SuspectId.NONE)]
    assert names == [True, True, False]


def test_a_logbook_opened_again_takes_no_lock_to_read(tmp_path: Path) -> None:
    path = tmp_path / "logbook.db"
    Logbook(path).close()
    again = Logbook(path)
    again.jobs()
    other = sqlite3.connect(path, timeout=0.1)
    other.execute("BEGIN IMMEDIATE")
    assert again.jobs() == []
    other.rollback()
    other.close()
    said: list[str] = []
    raw = again._connection.connection.driver_connection
    assert isinstance(raw, sqlite3.Connection)
    raw.set_trace_callback(said.append)
    again.jobs()
    assert said[0] == "BEGIN"
    raw.set_trace_callback(None)
    again.close()


def test_a_file_is_kept_in_a_folder_that_is_not_there_yet(tmp_path: Path) -> None:
    source = tmp_path / "a.txt"
    source.write_text("x")
    name, _ = Attachments(tmp_path / "deep" / "below").keep(source)
    assert (tmp_path / "deep" / "below" / name).read_text() == "x"


def test_a_table_called_like_a_log_is_a_table_and_noise_is_neither(tmp_path: Path) -> None:
    table = tmp_path / "x.log"
    table.write_text("Time (s),TPS1 (V)\n" + "".join(f"{n / 10},{1 + n / 100}\n" for n in range(40)))
    assert not is_can_log(table)
    read = read_any(table).recording
    assert read is not None
    assert read.get("tps1_v") is not None
    (tmp_path / "x.blf").write_bytes(table.read_bytes())
    assert is_can_log(tmp_path / "x.blf")
    (tmp_path / "y.log").write_text("nothing of the kind\n")
    assert is_can_log(tmp_path / "y.log")
    (tmp_path / "z.csv").write_text("(1.0) can0 7E8#0341110000000000\n")
    assert is_can_log(tmp_path / "z.csv")


# -- judgement ---------------------------------------------------------------------------------------


def row(cause: str, **named: float) -> Likelihood:
    chance = {s: named.get(s.name.lower(), 0.1) for s in SuspectId}
    return Likelihood(id=cause + str(named), says=cause, cause=cause, source="test", chance=chance)


def test_probabilities_are_written_with_four_digits_and_sum_to_one() -> None:
    suspects, _ = weigh(
        ((0.7, row("a", wiring=0.63, sensor=0.37)), (0.9, row("b", sensor=0.41))), judging()
    )
    written = [s.probability for s in suspects]
    assert all(p == round(p, 4) for p in written)
    assert any(p != round(p, 3) for p in written)
    assert sum(written) == pytest.approx(1.0, abs=1e-12)


def test_of_two_equally_telling_observations_of_one_cause_the_first_stays() -> None:
    one, other = row("a", wiring=0.8), row("a", sensor=0.8)
    first, _ = weigh(((1.0, one), (1.0, other)), judging())
    second, _ = weigh(((1.0, other), (1.0, one)), judging())
    assert {s.id: s.probability for s in first} != {s.id: s.probability for s in second}
    alone, _ = weigh(((1.0, one),), judging())
    assert first == alone


def test_a_test_of_the_first_suspect_alone_is_advised_only_when_it_is_nearly_sure() -> None:
    def test_of(title: str, *suspects: SuspectId) -> Any:
        return SimpleNamespace(title=title, minutes=5, tells="x", caution="", suspects=suspects)

    w, s, n = SuspectId.WIRING, SuspectId.SENSOR, SuspectId.NONE
    known: Any = SimpleNamespace(test=(test_of("proof", w), test_of("wiring or none", w, n)))
    told = advise((Suspect(w, 0.6), Suspect(s, 0.3)), known)
    assert told is not None
    assert told.title == "wiring or none"
    sure = advise((Suspect(w, 0.99), Suspect(s, 0.01)), known)
    assert sure is not None
    assert sure.title == "proof"
    assert advise((Suspect(s, 0.6), Suspect(w, 0.3)), known) is None


def job(throttle: ThrottleKind) -> Job:
    from msgspec.structs import replace

    vehicle = replace(new_vehicle("No 6"), throttle=throttle)
    return Job(id=new_id(), vehicle=vehicle, opened=now(), entries=())


def test_every_finding_and_every_pass_of_a_dead_spot_weighs_for_its_track() -> None:
    def drop(channel: str, confidence: float) -> Drop:
        return Drop(
            channels=(channel,), times_s=((1.0, 1.1),), confidence=confidence, text="", level=0.0,
            unit=Unit.VOLT, shared=Shared.SIGNAL,
            floor=Floor.GROUND, at_travel_pct=None, marks=(),
        )  # fmt: skip

    spot = DeadSpot(
        channels=("tps2_v",), confidence=0.5, text="", travel_pct=(40.0, 42.0), shape=Shape.DROP,
        seen_in=4, crossed=5, times_s=(),
    )  # fmt: skip
    channel = Channel(CHANNEL_KINDS["tps1_v"], np.arange(3.0), np.arange(3.0))
    seen: Any = SimpleNamespace(
        findings=(drop("tps1_v", 0.5), drop("tps1_v", 0.5), spot), channels=(channel,)
    )
    assert concerned(seen).tracks == pytest.approx({1: 1.0 / 3.0, 2: 2.0 / 3.0})


def test_what_was_told_in_the_moment_of_the_change_counts_as_before_it() -> None:
    at = now()
    before = CodeSet(id=new_id(), at=at, source=Source.TYPED, codes=(SeenCode(code="P0122"),))
    change = Change(id=new_id(), at=at, source=Source.TYPED, done="sensor renewed")
    opened = job(ThrottleKind.ELECTRONIC)
    told = judge_job(with_entries(opened, entries=(before, change)))
    assert [line.text for line in told.ledger] == ["codes as found: P0122"]
    late = with_entries(before, at=at + timedelta(seconds=1))
    (after,) = judge_job(with_entries(opened, entries=(late, change))).ledger
    assert after.text == "codes after the change: P0122"


def test_a_look_that_found_nothing_wrong_weighs_too() -> None:
    item = look_items().item[0]
    seen = Look(id=new_id(), at=now(), source=Source.TYPED, item=item.id, seen=Seen.GOOD)
    (found,) = judge_job(with_entries(job(ThrottleKind.ELECTRONIC), entries=(seen,))).ledger
    assert found.text == f"seen: {item.title}"
    assert found.times_as_likely[SuspectId.WIRING] < 1.0


def test_a_story_says_what_comes_first_and_what_two_tracks_share() -> None:
    story = story_of(map(read_code, ("P0122", "P0222")))
    assert story.text.startswith("First of all: P0122")
    assert "Both tracks low together" in story.text
    assert "Both tracks high together" in story_of(map(read_code, ("P0123", "P0223"))).text
    assert "share" not in story_of(map(read_code, ("P0122", "P0642"))).text


def test_a_stretch_without_a_line_is_named_as_such() -> None:
    suspects = tuple(Suspect(s, 1.0 / len(SuspectId)) for s in SuspectId)
    way = along_the_way(suspects, Concerned({1: 1.0}, {"ground": 1.0}), judging())
    assert not any("{line}" in stretch.fault for stretch in way)
    assert all(stretch.line in stretch.fault for stretch in way if "track" in stretch.line)
    for stretch in way:
        leaf = next(
            f for f in judging().fault if f.stretch == stretch.stretch and f.suspect == stretch.suspect
        )
        if "{line}" in leaf.fault:
            assert (stretch.line or "it") in stretch.fault


# -- the simulated vehicle's hands -------------------------------------------------------------------


def test_hands_start_the_engine_once_and_stop_it_when_they_let_go() -> None:
    server = VehicleServer(SimulatedVehicle())
    try:

        def running() -> bool:
            return server.vehicle.engine.running

        server._handle(10.0, hands.KEY | hands.ENGINE)
        assert running()
        server._handle(20.0, hands.KEY | hands.ENGINE)
        assert running()
        assert server.vehicle.driver.pedal_pct == 20.0
        server._handle(20.0, hands.KEY | hands.SHAKEN)
        assert not running()
        assert server.vehicle.driver.shaken
        assert not server.vehicle.driver.wet
    finally:
        server._listener.close()


def test_stopping_is_not_an_answer() -> None:
    instrument = on(Talker())
    vars(instrument).update(_stopped=SimpleNamespace(is_set=lambda: True))
    with pytest.raises(Stopped):
        instrument._alive()
