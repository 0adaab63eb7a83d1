"""Promises to users that single broken lines had let slip: each test fails if its line is broken."""

import errno
import os
import sqlite3
import threading
from datetime import timedelta
from pathlib import Path

import msgspec
import numpy as np
import pytest
from msgspec.structs import replace
from pytestqt.qtbot import QtBot

from nervus.circuit.signatures import circuit_faults
from nervus.domain.channel import CHANNEL_KINDS, Channel, Mark, Recording
from nervus.domain.errors import OutsideError, RecordingUnusable
from nervus.domain.job import (
    Change,
    CodeSet,
    Findings,
    Job,
    KeptObservation,
    Recorded,
    SeenCode,
    Source,
    new_id,
    new_vehicle,
    now,
    of_kind,
)
from nervus.domain.profile import ThrottleKind
from nervus.domain.suspect import SuspectId
from nervus.files.bundle import BundleUnusable, read_bundle, write_bundle
from nervus.files.journal import SUFFIX, Journal, owner_of, read_journal
from nervus.files.recording_csv import read_recording
from nervus.files.recording_writer import formula_safe, plain_again, write_recording
from nervus.judge.of_job import judge_job
from nervus.knowledge import parameters
from nervus.link import vehicle_source
from nervus.link.can_transport import CanTransport
from nervus.link.diagnostics import Diagnostics
from nervus.link.errors import Garbled
from nervus.link.source import Clock
from nervus.link.vehicle_source import VehicleSource
from nervus.logbook import Logbook
from nervus.logbook.errors import NotSaved
from nervus.standin.planting import MECHANICAL, read_fault
from nervus.standin.vehicle import SimulatedVehicle
from nervus.standin.wiring import Wiring
from nervus.window.jobs.book_keeper import BookKeeper
from nervus.window.tasks import Task, wait_for_all
from plain_vehicle import Jumping, PlainVehicle, Unit

# Typed from the standard, not from our table: number, bytes, and the value in the channel's unit.
SAE_J1979 = {
    "load_pct": (0x04, "80", 128 * 100 / 255),
    "ect_c": (0x05, "7B", 83.0),
    "map_kpa": (0x0B, "65", 101.0),
    "rpm": (0x0C, "1AF8", 1726.0),
    "iat_c": (0x0F, "3C", 20.0),
    "maf_gs": (0x10, "0190", 4.0),
    "tps1_pct": (0x11, "33", 20.0),
    "batt_v": (0x42, "36B0", 14.0),
    "throttle_pct": (0x45, "1A", 26 * 100 / 255),
    "tps2_pct": (0x47, "CC", 80.0),
    "app1_pct": (0x49, "19", 25 * 100 / 255),
    "app2_pct": (0x4A, "0D", 13 * 100 / 255),
    "throttle_cmd_pct": (0x4C, "FF", 100.0),
    "pedal_pct": (0x5A, "66", 40.0),
}


# -- the wire ----------------------------------------------------------------------------------------


def test_every_value_is_asked_for_by_its_number_and_scaled_as_the_standard_says() -> None:
    """Source: SAE J1979, appendix B: numbers and formulas of service 01, typed here from memory."""
    clock = Jumping()
    values = {pid: bytes.fromhex(raw) for pid, raw, _ in SAE_J1979.values()}
    with clock.instead_of_time():
        diagnostics = Diagnostics(CanTransport(PlainVehicle([Unit(0, values=values)], clock)))
        offered = diagnostics.supported(0)
        found = diagnostics.values(0, offered)
    assert found == pytest.approx({channel: value for channel, (_, _, value) in SAE_J1979.items()})


def vehicle_on(
    unit: Unit, clock: Jumping, monkeypatch: pytest.MonkeyPatch
) -> tuple[VehicleSource, PlainVehicle]:
    bus = PlainVehicle([unit], clock)
    monkeypatch.setattr(
        vehicle_source, "open_transport", lambda _where, trouble: CanTransport(bus, trouble)
    )
    return VehicleSource("plain"), bus


def test_a_values_instant_is_half_way_between_question_and_answer(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    clock = Jumping()
    with clock.instead_of_time():
        unit = Unit(0, values={0x11: b"\x80"}, after_s=0.2)
        source, _ = vehicle_on(unit, clock, monkeypatch)
        kept = Clock()
        source.open(kept)
        asked = kept.now()
        (block,) = source.read()
        answered = kept.now()
    assert answered - asked == pytest.approx(0.2, abs=0.02)
    assert block.time_s[0] == pytest.approx(asked + 0.1, abs=0.01)


def test_a_late_answer_is_told_and_not_taken_for_the_next_questions() -> None:
    """The unit tells 80 hex late; by the next question it would tell 40 hex."""
    clock = Jumping()
    with clock.instead_of_time():
        unit = Unit(0, values={0x11: b"\x80"}, after_s=1.5)
        wire: list[str] = []
        transport = CanTransport(PlainVehicle([unit], clock), wire.append)
        late = transport.ask_each((0,), b"\x01\x11", 0.3)[0]
        clock.wait(3.0)  # it lies on the bus now
        unit.values, unit.after_s = {0x11: b"\x40"}, 0.02
        told = transport.ask(0, b"\x01\x11")
    assert not late.is_told
    assert told == b"\x41\x11\x40"
    assert wire == ["control unit 0 answers late: what it said came after its time and is not taken"]


def test_what_begins_to_be_refused_or_stays_away_is_told_once_and_so_is_its_return(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    clock = Jumping()
    with clock.instead_of_time():
        unit = Unit(0, values={0x11: b"\x80", 0x47: b"\x40"})
        source, _ = vehicle_on(unit, clock, monkeypatch)
        told: list[str] = []
        source.trouble = told.append
        source.open(Clock())
        assert {b.channel for b in source.read()} == {"tps1_pct", "tps2_pct"}
        unit.refuses = {0x01: 0x22}
        for _ in range(5):
            source.read()
        unit.refuses = {}
        source.read()
        gone = unit.values.pop(0x47)
        for _ in range(70):
            source.read()
        unit.values[0x47] = gone
        for _ in range(70):
            source.read()
    assert [t.split(":")[0] for t in told] == [
        "The control unit refuses service 01", "answers again", "does not tell tps2_pct any more",
        "tells tps2_pct again",
    ]  # fmt: skip


def test_what_makes_no_sense_on_the_wire_is_told_once_and_not_without_end(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    clock = Jumping()
    with clock.instead_of_time():
        source, _ = vehicle_on(Unit(0, values={0x11: b"\x80"}), clock, monkeypatch)
        told: list[str] = []
        source.trouble = told.append
        source.open(Clock())
        assert source.diagnostics is not None
        for number in range(30):
            source.diagnostics.transport.trouble(f"nonsense {number % 15}")
    assert told == [f"nonsense {number}" for number in range(10)]


def test_a_start_is_not_held_up_by_trying_out_and_says_what_it_does(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    clock = Jumping()
    with clock.instead_of_time():
        values = {pid: bytes.fromhex(raw) for pid, raw, _ in SAE_J1979.values()}
        source, _ = vehicle_on(Unit(0, values=values, after_s=0.09, one_value=True), clock, monkeypatch)
        doing: list[str] = []
        source.doing = doing.append
        began = clock.now
        source.open(Clock())
    assert clock.now - began < 4.5  # the first questions, and at most a second and a round of trying
    assert doing == [
        "opening the adapter",
        "asking which control units answer",
        "trying how fast control unit 0 tells 14 values",
    ]
    assert 0.0 < source.rates_hz["ect_c"] < source.rates_hz["tps1_pct"]


def test_two_values_at_once_are_enough_to_know_that_a_unit_tells_several() -> None:
    clock = Jumping()
    two = tuple(p for p in parameters() if p.channel in ("tps1_pct", "tps2_pct"))
    with clock.instead_of_time():
        unit = Unit(0, values={0x11: b"\x80", 0x47: b"\x40"})
        diagnostics = Diagnostics(CanTransport(PlainVehicle([unit], clock)))
        diagnostics.values(0, two[:1])
        assert not diagnostics.tells_several(0)
        diagnostics.values(0, two)
        assert diagnostics.tells_several(0)


def test_a_value_that_nobody_asked_for_is_no_value() -> None:
    """A unit that tells 11 hex and then, unasked, 47 hex or one that is not known here."""

    class Chatty(PlainVehicle):
        more = b""

        def _values(self, unit: Unit, asked: bytes) -> bytes:
            return super()._values(unit, asked) + self.more

    clock = Jumping()
    with clock.instead_of_time():
        bus = Chatty([Unit(0, values={0x11: b"\x80"})], clock)
        diagnostics = Diagnostics(CanTransport(bus))
        asked = tuple(p for p in parameters() if p.channel == "tps1_pct")
        for more in (b"\x47\x40", b"\xee\x40", b"\x11"):
            bus.more = more
            with pytest.raises(Garbled):
                diagnostics.values(0, asked)


# -- files -------------------------------------------------------------------------------------------


def test_tables_of_any_size_are_read_and_a_word_across_a_chunks_end_is_seen(tmp_path: Path) -> None:
    path = tmp_path / "long.csv"
    rows = [f"{n / 100:.2f},{1.0 + n % 7:.4f}" for n in range(120_000)]
    path.write_text("time_s,tps1_v\n" + "\n".join(rows) + "\n")
    assert path.stat().st_size > 1 << 20
    track = read_recording(path).get("tps1_v")
    assert track is not None
    assert track.samples == 120_000
    # The gate looks at the bytes a megabyte at a time: a word for no number lies across the end of one.
    for shift in (1, 2):
        head = "time_s,tps1_v\n"
        text = head + "\n".join(rows)
        cut = text.rfind("\n", 0, (1 << 20) - 40)
        pad = " " * ((1 << 20) - shift - cut - 1 - len("9999.00,"))
        path.write_text(text[: cut + 1] + f"9999.00,{pad}inf\n")
        with pytest.raises(RecordingUnusable, match="inf"):
            read_recording(path)
        path.write_text(text[: cut + 1] + f"9999.00,{pad}nan\n")
        track = read_recording(path).get("tps1_v")
        assert track is not None
        assert track.samples == text[: cut + 1].count("\n") - 1


@pytest.mark.parametrize("text", ["=1+1", "'=1+1", "+49", "-5", "@a", "shake, plug", "it's", ""])
def test_marks_come_back_as_they_were_and_run_nowhere(tmp_path: Path, text: str) -> None:
    assert plain_again(formula_safe(text)) == text
    track = Channel(CHANNEL_KINDS["tps1_v"], np.arange(3.0), np.asarray([0.1 + 0.2, 2.5, 1e-7]))
    write_recording(Recording((track,), (Mark(1.0, text or "x"),), "r"), tmp_path / "r.csv")
    again = read_recording(tmp_path / "r.csv")
    assert [m.text for m in again.marks] == [text or "x"]
    assert np.array_equal(again.channels[0].values, track.values)  # to the last digit


def test_a_table_that_can_not_be_written_leaves_nothing_behind(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    track = Channel(CHANNEL_KINDS["tps1_v"], np.arange(3.0), np.ones(3))
    target = tmp_path / "taken"
    target.mkdir()
    with pytest.raises(OutsideError, match="is a folder"):
        write_recording(Recording((track,), (), "r"), target)
    assert [p.name for p in tmp_path.iterdir()] == ["taken"]

    def full_disk(_number: int) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(os, "fsync", full_disk)
    with pytest.raises(OSError, match="No space") as refused:
        write_recording(Recording((track,), (), "r"), tmp_path / "r.csv")
    assert refused.value.filename == str(tmp_path / "r.csv"), "a full disk does not say where"
    assert [p.name for p in tmp_path.iterdir()] == ["taken"]


def test_many_channels_are_merged_in_the_order_of_time_in_pieces(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("nervus.files.recording_writer._ROWS", 50)
    random = np.random.default_rng(3)
    channels = tuple(
        Channel(
            CHANNEL_KINDS[name],
            np.sort(np.round(random.uniform(0, 9, count), 1)),
            np.arange(float(count)),
        )
        for name, count in (("tps1_v", 400), ("tps2_v", 30), ("rpm", 1))
    )
    marks = tuple(Mark(float(t), f"m{t}") for t in range(0, 10, 3))
    write_recording(Recording(channels, marks, "r"), tmp_path / "r.csv")
    times = [float(line.split(",")[0]) for line in (tmp_path / "r.csv").read_text().splitlines()[1:]]
    assert times == sorted(times)
    assert len(times) == 431 + 4
    again = read_recording(tmp_path / "r.csv")
    for channel in channels:
        found = again.get(channel.id)
        assert found is not None
        assert np.array_equal(found.time_s, channel.time_s)
        assert np.array_equal(found.values, channel.values)
    assert again.marks == marks


def job_with(tmp_path: Path, digest: str | None = None) -> tuple[Job, Path]:
    import hashlib

    source = tmp_path / "r.csv"
    source.write_text("time_s,tps1_v\n0,1\n1,2\n")
    true = hashlib.sha256(source.read_bytes()).hexdigest()
    kept = tmp_path / f"{true[:16]}-r.csv"
    source.rename(kept)
    entry = Recorded(
        id=new_id(), at=now(), source=Source.FILE, name="r", file=kept.name, digest=digest or true
    )
    return Job(id=new_id(), vehicle=new_vehicle("No 6"), opened=now(), entries=(entry,)), kept


def test_a_bundle_whose_recording_is_not_the_one_that_was_kept_is_refused(tmp_path: Path) -> None:
    (tmp_path / "into").mkdir()
    sound, _ = job_with(tmp_path)
    write_bundle(sound, lambda name: tmp_path / name, tmp_path / "sound.zip")
    assert read_bundle(tmp_path / "sound.zip", tmp_path / "into") == sound
    (tmp_path / "into2").mkdir()
    wrong = replace(
        sound, entries=tuple(replace(r, digest="ab" * 32) for r in of_kind(sound.entries, Recorded))
    )
    write_bundle(wrong, lambda name: tmp_path / name, tmp_path / "wrong.zip")
    with pytest.raises(BundleUnusable, match="is not the one that was kept"):
        read_bundle(tmp_path / "wrong.zip", tmp_path / "into2")


# -- the journal -------------------------------------------------------------------------------------


def test_what_was_written_is_on_its_way_at_once_and_tells_whose_it_is(tmp_path: Path) -> None:
    journal = Journal(tmp_path / f"r{SUFFIX}")
    journal.belongs_to("job 6")
    journal.samples("tps1_v", np.arange(3.0), np.ones(3))
    before_closing = read_journal(journal.path)  # by another reader, while it is open
    assert before_closing.channels[0].samples == 3
    assert owner_of(journal.path) == "job 6"
    assert before_closing.marks == ()
    journal.close()


class Refusing:
    """A file whose disk is full: takes so many bytes, then half a packet, then none."""

    def __init__(self, file: object, takes: int) -> None:
        self._file, self.takes = file, takes

    def write(self, data: memoryview) -> int:
        if self.takes <= 0:
            raise OSError(28, "No space left on device")
        part = data[: self.takes]
        self.takes -= len(part)
        return int(self._file.write(part))  # type: ignore[attr-defined] # a file

    def __getattr__(self, name: str) -> object:
        return getattr(self._file, name)


def test_a_disk_that_takes_half_a_packet_leaves_a_whole_journal_that_goes_on(tmp_path: Path) -> None:
    journal = Journal(tmp_path / f"r{SUFFIX}")
    journal.samples("tps1_v", np.arange(3.0), np.ones(3))
    size = journal.path.stat().st_size
    full = Refusing(journal._file, takes=20)
    journal._file = full  # type: ignore[assignment]
    with pytest.raises(OSError, match="No space"):
        journal.samples("tps1_v", 3.0 + np.arange(3.0), np.ones(3))
    assert journal.path.stat().st_size == size
    full.takes = 7  # short writes: the system takes a part, then more
    with pytest.raises(OSError, match="No space"):
        journal.mark(4.0, "lost")
    full.takes = 1 << 20
    journal.samples("tps1_v", 6.0 + np.arange(3.0), np.ones(3))
    journal.close()
    again = read_journal(journal.path)
    assert list(again.channels[0].time_s) == [0, 1, 2, 6, 7, 8]
    assert again.marks == ()


def test_a_broken_block_is_left_out_and_told_where_it_was(tmp_path: Path) -> None:
    journal = Journal(tmp_path / f"r{SUFFIX}")
    for number in range(5):
        journal.samples("tps1_v", number + np.arange(10) / 10.0, np.full(10, float(number)))
    journal.close()
    data = bytearray(journal.path.read_bytes())
    block = len(data) // 5
    for at in (2 * block + 5, 2 * block + 60):  # in the head, in the body
        broken = bytearray(data)
        broken[at] ^= 0x10
        journal.path.write_bytes(bytes(broken))
        again = read_journal(journal.path)
        assert sorted(set(again.channels[0].values)) == [0.0, 1.0, 3.0, 4.0]
        (mark,) = again.marks
        assert mark.time_s == pytest.approx(1.9)
        assert f"{block} bytes" in mark.text


# -- the logbook -------------------------------------------------------------------------------------


def change(words: str, entry_id: str) -> Change:
    return Change(id=entry_id, at=now(), source=Source.SEEN, done=words)


def test_a_power_cut_loses_nothing_that_was_committed(tmp_path: Path) -> None:
    """Source: SQLite, PRAGMA synchronous: 2 is FULL, which with a write-ahead log syncs each commit."""
    book = Logbook(tmp_path / "logbook.db")
    assert book._connection.exec_driver_sql("PRAGMA synchronous").scalar() == 2
    assert book._connection.exec_driver_sql("PRAGMA journal_mode").scalar() == "wal"
    assert book._connection.exec_driver_sql("PRAGMA foreign_keys").scalar() == 1
    book.close()


def test_a_correction_that_a_full_disk_kept_back_keeps_its_earlier_version(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    book = Logbook(tmp_path / "logbook.db")
    job = book.start_job(new_vehicle("No 6"))
    entry_id = new_id()
    book.put(job.id, change("plug seated", entry_id))
    moment = [10.0]
    monkeypatch.setattr("nervus.logbook.book.time.monotonic", lambda: moment[0])
    book._written[entry_id] = 0.0  # some seconds ago: no stroke of the same word
    monkeypatch.setattr("nervus.logbook.book._summarise", full)
    with pytest.raises(NotSaved):
        book.put(job.id, change("plug renewed", entry_id))
    monkeypatch.undo()
    monkeypatch.setattr("nervus.logbook.book.time.monotonic", lambda: moment[0])
    moment[0] += 1.0
    book.put(job.id, change("plug renewed", entry_id))
    assert [e.done for e in book.earlier(entry_id) if isinstance(e, Change)] == ["plug seated"]
    book.close()


def full(*_arguments: object) -> None:
    wrong = sqlite3.OperationalError("database or disk is full")
    wrong.sqlite_errorcode = sqlite3.SQLITE_FULL
    raise wrong


def test_a_newer_write_of_an_entry_is_not_lost_while_an_older_is_saved(
    qtbot: QtBot, tmp_path: Path
) -> None:
    keeper = BookKeeper(tmp_path / "logbook.db")
    keeper.start()
    job = Job(id=new_id(), vehicle=new_vehicle("No 6"), opened=now())
    with qtbot.waitSignal(keeper.saved, timeout=30_000):
        keeper.write(job.id, lambda book: book.put_job(job))
    entry_id, began, go = new_id(), threading.Event(), threading.Event()

    def older(book: Logbook) -> None:
        began.set()
        go.wait(5.0)
        book.put(job.id, change("older", entry_id))

    keeper.write(entry_id, older)
    assert began.wait(5.0)
    keeper.put(job.id, change("newer", entry_id))
    go.set()
    assert keeper.settle(10.0)
    kept: list[Job] = []
    keeper.ask(lambda book: book.job(job.id), kept.append)
    qtbot.waitUntil(lambda: bool(kept), timeout=20_000)
    assert [e.done for e in of_kind(kept[0].entries, Change)] == ["newer"]
    keeper.close()


def test_work_that_was_stopped_delivers_nothing(qtbot: QtBot) -> None:
    gate, given = threading.Event(), list[object]()
    from PyQt6.QtCore import QObject

    parent = QObject()
    task = Task(lambda _progress: gate.wait(5.0), parent)
    task.succeeded.connect(given.append)
    task.failed.connect(given.append)
    task.start()
    task.stop()
    gate.set()
    assert wait_for_all()
    qtbot.wait(1)
    assert given == []


# -- the judgement -----------------------------------------------------------------------------------


def finding(recording: Recorded) -> Findings:
    chance = dict.fromkeys(SuspectId, 0.1) | {SuspectId.WIRING: 0.9}
    return Findings(
        id=new_id(), at=now(), source=Source.ANALYSIS, recording=recording.id, headline="h",
        observations=(
            KeptObservation(says="s", cause="c", confidence=0.9, source="test", chance=chance),
        ),
    )  # fmt: skip


def test_a_recording_made_after_a_change_tells_of_the_repair() -> None:
    at = now()
    recording = Recorded(
        id=new_id(), at=at, source=Source.VEHICLE, name="r", file=f"{new_id()}-r.nervus", digest="0" * 64
    )
    vehicle = new_vehicle("No 6")
    before = change("wire repaired", new_id())
    told = []
    for offset, weighs in ((60, True), (0, True), (-60, False)):
        changed = replace(before, at=at + timedelta(seconds=offset))
        entries = (recording, finding(recording), changed)
        job = Job(id=new_id(), vehicle=vehicle, opened=at, entries=entries)
        judged = judge_job(job)
        assert len(judged.ledger) == 1
        # Made before, it tells of the fault alone; made after, of what the repair left.
        wiring = {s.id: s.probability for s in judged.standing.suspects}[SuspectId.WIRING]
        told.append((weighs, wiring))
    assert told[0][1] == told[1][1] != told[2][1]


def test_a_silence_weighs_nothing_and_hides_no_later_answer() -> None:
    at = now()
    silent = CodeSet(
        id=new_id(), at=at, source=Source.VEHICLE, missing=("control unit 0, stored codes: no answer",)
    )
    told = CodeSet(
        id=new_id(),
        at=at + timedelta(seconds=60),
        source=Source.VEHICLE,
        codes=(SeenCode(code="P0222"),),
    )
    vehicle = new_vehicle("No 6", throttle=ThrottleKind.ELECTRONIC)
    nothing = judge_job(Job(id=new_id(), vehicle=vehicle, opened=at, entries=(silent,)))
    assert nothing.ledger == ()
    assert "did not answer" in nothing.not_weighed[0].text
    both = judge_job(Job(id=new_id(), vehicle=vehicle, opened=at, entries=(silent, told)))
    alone = judge_job(Job(id=new_id(), vehicle=vehicle, opened=at, entries=(told,)))
    assert both.ledger == alone.ledger
    assert len(both.ledger) == 1
    as_text = msgspec.json.encode(silent)
    assert msgspec.json.decode(as_text, type=CodeSet) == silent


# -- the stand-in ------------------------------------------------------------------------------------


@pytest.mark.parametrize("fault", [f.id for f in circuit_faults(2)])
def test_every_fault_of_the_circuit_changes_what_the_pins_show(fault: str) -> None:
    sound, broken = SimulatedVehicle(), SimulatedVehicle(faults=(read_fault(fault),))
    wiring: Wiring = sound.wiring
    whole = wiring.volts(30.0)
    shown = wiring.volts(30.0, broken.sensor_faults)
    assert max(abs(shown[node] - whole[node]) for node in whole) > 0.05


@pytest.mark.parametrize("fault", MECHANICAL)
def test_every_fault_of_plate_and_air_changes_how_the_vehicle_runs(fault: str) -> None:
    def run(faults: tuple[str, ...]) -> list[float]:
        vehicle = SimulatedVehicle(faults=tuple(read_fault(f) for f in faults))
        vehicle.start_engine()
        shown = []
        for pedal in (0.0, 60.0, 0.0):
            vehicle.driver.pedal_pct = pedal
            vehicle.advance(1.5)
            shown += [vehicle.plate.percent, vehicle.engine.rpm / 100.0]
        return shown

    whole, broken = run(()), run((fault,))
    assert max(abs(a - b) for a, b in zip(whole, broken, strict=True)) > 0.5


def test_the_stand_ins_meter_loads_what_it_measures() -> None:
    """Thevenin, worked by hand: behind 10 megohms a meter of 10 megohms reads half of 5 V."""
    wiring = SimulatedVehicle(faults=(read_fault("open-supply=10000000"),)).wiring
    supply = ((next(f for f in circuit_faults(2) if f.id == "open-supply"), 1e7),)
    apart = Wiring(wiring.circuit.unplugged())
    free = apart.volts(50.0, supply)
    loaded = apart.metered("plug_supply", "ground", 10.0e6).volts(50.0, supply)
    assert free["plug_supply"] > 4.5
    assert loaded["plug_supply"] == pytest.approx(free["plug_supply"] / 2, rel=0.05)
