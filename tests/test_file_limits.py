"""Where files stop being taken: one less is read, one more is refused in a sentence, at every limit.

Limits are lowered here so that a test can reach them; `docs/figures.md` holds the real ones.
"""

import struct
import zipfile
import zlib
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pytest
from asammdf import MDF, Signal

from nervus.domain.channel import CHANNEL_KINDS, Channel, Recording
from nervus.domain.errors import RecordingUnusable
from nervus.domain.finding import Disagreement, OffRest, RestCause
from nervus.domain.job import (
    UNFINISHED,
    Change,
    Job,
    Look,
    Recorded,
    Seen,
    Source,
    new_id,
    new_vehicle,
)
from nervus.files import bundle, code_report, csv_gate, journal, mdf, recording_writer
from nervus.files.answer import finding_row
from nervus.files.bundle import BundleUnusable, read_bundle, write_bundle
from nervus.files.code_report import CodesUnreadable, codes_in_text, read_codes_file
from nervus.files.csv_gate import inspect, shown
from nervus.files.mdf import is_mdf, read_mdf
from nervus.files.recording_csv import read_recording
from nervus.tables import text
from nervus.tables.mapping import CLOCK, Column, CsvMapping, problem, propose
from nervus.tables.reader import read_mapped

# -- tables ------------------------------------------------------------------------------------------


def made(tmp_path: Path, text: str | bytes, name: str = "r.csv") -> Path:
    path = tmp_path / name
    path.write_bytes(text.encode() if isinstance(text, str) else text)
    return path


@pytest.mark.parametrize(
    ("text", "doubtful", "marks"),
    [
        ("time_s,tps1_v\n0,1\n1,2\n", False, False),
        ("time_s,tps1_v\n0,1\n1,2", False, False),
        ("time_s,tps1_v\n0,1\n1,NaN\n", True, False),
        ("time_s,tps1_v\n0,1\n1,-INF\n", True, False),
        ("time_s,tps1_v\n0,1\n1\n", True, False),
        ("time_s,tps1_v\n0,1,\n1,2\n", True, False),
        ("time_s,channel,value\n0,tps1_v,1\n", False, False),
        ("time_s,channel,value\n0,tps1_v,1\n1,mark,shake\n", False, True),
        ("time_s,channel,value\n0,tps1_v,1\n1,MARK,shake\n", False, True),
    ],
)
def test_what_must_be_looked_at_slowly_and_what_may_hold_marks(
    tmp_path: Path,
    text: str,
    doubtful: bool,  # noqa: FBT001 - a test's parameters
    marks: bool,  # noqa: FBT001
) -> None:
    header = inspect(made(tmp_path, text), {})
    assert (header.doubtful, header.has_marks) == (doubtful, marks)


@pytest.mark.parametrize("chunk", [24, 40])
def test_lines_and_letters_at_their_limits_wherever_a_chunk_ends(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, chunk: int
) -> None:
    monkeypatch.setattr(csv_gate, "_CHUNK", chunk)
    monkeypatch.setattr(csv_gate, "_LONGEST_LINE", 60)
    head = "time_s,tps1_v\n"
    inspect(made(tmp_path, f"{head}0,1\n1{'0' * 50},1"), {})
    with pytest.raises(RecordingUnusable, match=r"line 3: a line is longer than a megabyte"):
        inspect(made(tmp_path, f"{head}0,1\n1{'0' * 90},1"), {})
    rows = "".join(f"{n},1\n" for n in range(10))
    with pytest.raises(RecordingUnusable, match=r"line 12: this is not text"):
        inspect(made(tmp_path, f"{head}{rows}\0,1\n"), {})
    with pytest.raises(RecordingUnusable, match=r"line 12: this is not UTF-8"):
        inspect(made(tmp_path, f"{head}{rows}".encode() + b"\xff,1\n"), {})
    with pytest.raises(RecordingUnusable, match=r"ends within a letter"):
        inspect(made(tmp_path, f"{head}{rows}".encode() + b"1,\xc3"), {})
    split = made(tmp_path, "time_s,tps1_v,mark\n" + "".join(f"{n},1,µΩ→µΩ→\n" for n in range(9)))
    assert not inspect(split, {}).doubtful  # letters of several bytes across every chunk's end
    for spaces in range(chunk):
        words = made(tmp_path, f"{head}0,{' ' * spaces}nan\n")
        assert inspect(words, {}).doubtful
        marked = made(tmp_path, f"time_s,channel,value\n0,tps1_v,{' ' * spaces}1\n1,mark,a\n")
        assert inspect(marked, {}).has_marks


def test_columns_at_their_limit_and_long_names_are_shortened(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(csv_gate, "_MOST_COLUMNS", 3)
    inspect(made(tmp_path, "time_s,tps1_v,tps2_v\n0,1,2\n"), {})
    with pytest.raises(RecordingUnusable, match="there are 4 columns"):
        inspect(made(tmp_path, "time_s,tps1_v,tps2_v,rpm\n0,1,2,3\n"), {})
    assert shown("x" * 24) == "x" * 24
    assert shown("x" * 25) == "x" * 23 + "…"
    assert shown("a\tb\0c") == "a b c"


def test_a_first_line_without_an_end_at_its_limit(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(csv_gate, "_CHUNK", 13)
    monkeypatch.setattr(csv_gate, "_LONGEST_LINE", 14)
    assert inspect(made(tmp_path, "time_s,tps1_v"), {}).ids == ("time_s", "tps1_v")
    monkeypatch.setattr(csv_gate, "_LONGEST_LINE", 13)
    with pytest.raises(RecordingUnusable, match="first line does not end"):
        inspect(made(tmp_path, "time_s,tps1_v"), {})


@pytest.mark.parametrize(
    ("rows", "says"),
    [
        ("0,1\n1,x\n", "line 3, column tps1_v: “x” is not a number"),
        ("0,1\n0.5,2\n0.4,3\n", "line 4, column time_s: time runs backwards, from 0.5 to 0.4 s"),
        ("0,1\n1,2,3\n", "line 3: the row has 3 cells, the header 2"),
        ("0,1\n,2\n", "line 3, column time_s: the cell is empty"),
        ("0,1\n1,1_000\n", "line 3, column tps1_v"),
    ],
)
def test_a_cell_that_is_wrong_is_told_with_its_place(tmp_path: Path, rows: str, says: str) -> None:
    with pytest.raises(RecordingUnusable) as wrong:
        read_recording(made(tmp_path, f"time_s,tps1_v\n{rows}"))
    assert says in str(wrong.value)


def test_the_long_shape_tells_which_channels_time_runs_backwards(tmp_path: Path) -> None:
    head = "time_s,channel,value\n0,tps1_v,1\n"
    apart = read_recording(made(tmp_path, head + "1,tps1_v,2\n0.5,tps2_v,3\n"))
    assert {c.id for c in apart.channels} == {"tps1_v", "tps2_v"}
    with pytest.raises(RecordingUnusable, match=r"time of tps1_v runs backwards, from 1 to 0\.5 s"):
        read_recording(made(tmp_path, head + "1,tps1_v,2\n0.5,tps1_v,3\n"))
    with pytest.raises(RecordingUnusable, match="“boost” is no channel"):
        read_recording(made(tmp_path, head + "1,boost,2\n"))
    with pytest.raises(RecordingUnusable, match="two names stand for one channel"):
        read_recording(made(tmp_path, head + "1,a,2\n"), {"a": "tps1_v"})
    left_out = read_recording(made(tmp_path, head + "1,a,2\n"), {"a": "-"})
    assert [c.id for c in left_out.channels] == ["tps1_v"]


# -- tables of other programs ------------------------------------------------------------------------


def test_what_a_foreign_table_is_proposed_to_be(tmp_path: Path) -> None:
    comma = propose(made(tmp_path, "Zeit [s];TPS 1 [V];Bemerkung\n0,0;1,5;a\n0,1;1,6;b\n"))
    assert comma.mapping.delimiter == ";"
    assert comma.mapping.decimal == ","
    assert comma.mapping.skip == 1
    assert [c.channel for c in comma.mapping.columns] == ["time_s", "tps1_v", "-"]
    point = propose(made(tmp_path, "time [s]\tTPS 1 [V]\n0.0\t1.5\n0.1\t1.6\n"))
    assert (point.mapping.delimiter, point.mapping.decimal) == ("\t", ".")
    assert propose(made(tmp_path, "time;x\n0;1\n")).mapping.decimal == "."


def test_a_row_of_words_with_a_number_in_it_is_no_row_of_numbers(tmp_path: Path) -> None:
    text = "logger;serial;type;7\ntime;TPS 1;TPS 2;rpm\ns;V;V;1/min\n0;1;4;800\n1;1.1;3.9;810\n"
    mapping = propose(made(tmp_path, text)).mapping
    assert mapping.skip == 3
    empty = propose(made(tmp_path, "time;TPS 1;note\n0;1;\n1;1.1;\n")).mapping
    assert empty.skip == 1
    clock = propose(made(tmp_path, "time;TPS 1\n10:00:00;1\n10:00:01;1.1\n")).mapping
    assert clock.columns[0].unit == CLOCK
    with pytest.raises(RecordingUnusable, match="no rows of numbers"):
        propose(made(tmp_path, "a;b\nc;d\n"))


def test_only_the_beginning_of_a_foreign_table_is_looked_at(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(text, "HEAD_LINES", 3)
    table = "words\nmore words\ntime;throttle\n0;1\n"
    with pytest.raises(RecordingUnusable, match="no rows of numbers"):
        propose(made(tmp_path, table))
    monkeypatch.setattr(text, "HEAD_LINES", 5)
    assert propose(made(tmp_path, table + "1;2\n")).mapping.skip == 3


def mapping_of(*columns: Column, rate_hz: float | None = None) -> CsvMapping:
    return CsvMapping("utf-8", ";", ".", 1, columns, rate_hz)


def test_what_keeps_a_mapping_from_being_read() -> None:
    time, track = Column("t", "s", "time_s"), Column("a", "V", "tps1_v")
    assert problem(mapping_of(time, track)) == ""
    assert problem(mapping_of(track, rate_hz=100.0)) == ""
    assert "No column is the time" in problem(mapping_of(track))
    assert "No column is the time" in problem(mapping_of(track, rate_hz=0.0))
    assert "No column is a channel" in problem(mapping_of(time))
    assert "Two columns are the time" in problem(mapping_of(time, time, track))
    assert "Two columns are track 1" in problem(mapping_of(time, track, track))
    assert "does not become V" in problem(mapping_of(time, Column("a", "kPa", "tps1_v")))
    assert "which is no time" in problem(mapping_of(Column("t", "V", "time_s"), track))


def test_foreign_rows_become_samples_with_their_unit_and_their_place_if_they_can_not(
    tmp_path: Path,
) -> None:
    time, track = Column("t", "ms", "time_s"), Column("a", "mV", "tps1_v")
    path = made(tmp_path, "t;a\n1000;500\n1010;\n1020;510\n")
    read = read_mapped(path, mapping_of(time, track)).channels[0]
    assert list(read.time_s) == pytest.approx([0.0, 0.02])
    assert list(read.values) == pytest.approx([0.5, 0.51])
    paced = read_mapped(
        made(tmp_path, "a\n1\n2\n3\n"), mapping_of(Column("a", "V", "tps1_v"), rate_hz=50.0)
    )
    assert list(paced.channels[0].time_s) == pytest.approx([0.0, 0.02, 0.04])
    for rows, says in (
        ("0;1\n1;x\n", "line 3, column a: “x” is no number"),
        ("0;1\n;2\n", "line 3, column t: there is no time"),
        ("1;1\n0;2\n", "line 3: the time runs backwards"),
        ("0;\n1;\n", "no channel has a sample"),
        ("", "there are no samples"),
    ):
        with pytest.raises(RecordingUnusable) as wrong:
            read_mapped(made(tmp_path, f"t;a\n{rows}"), mapping_of(time, track))
        assert says in str(wrong.value)


def test_clocks_run_over_midnight_and_bad_ones_are_told(tmp_path: Path) -> None:
    clock, track = Column("t", CLOCK, "time_s"), Column("a", "V", "tps1_v")
    night = made(tmp_path, "t;a\n23:59:59.5;1\n00:00:00.5;2\n00:00:01;3\n")
    assert list(read_mapped(night, mapping_of(clock, track)).channels[0].time_s) == [0.0, 1.0, 1.5]
    dated = made(tmp_path, "t;a\n2026-11-26 10:00:00;1\n2026-11-26 10:01:00;2\n")
    assert list(read_mapped(dated, mapping_of(clock, track)).channels[0].time_s) == [0.0, 60.0]
    short = made(tmp_path, "t;a\n10:00;1\n10:02;2\n")
    assert list(read_mapped(short, mapping_of(clock, track)).channels[0].time_s) == [0.0, 120.0]
    with pytest.raises(RecordingUnusable, match="line 3, column t: “soon” is no time"):
        read_mapped(made(tmp_path, "t;a\n10:00;1\nsoon;2\n"), mapping_of(clock, track))


def test_a_time_that_runs_back_by_less_than_half_a_day_is_no_midnight(tmp_path: Path) -> None:
    clock, track = Column("t", CLOCK, "time_s"), Column("a", "V", "tps1_v")
    for back in ("10:00:00", "08:00:01"):
        path = made(tmp_path, f"t;a\n20:00:00;1\n{back};2\n")
        with pytest.raises(RecordingUnusable, match="line 3: the time runs backwards"):
            read_mapped(path, mapping_of(clock, track))
    night = made(tmp_path, "t;a\n20:00:00;1\n07:59:59;2\n")
    assert read_mapped(night, mapping_of(clock, track)).duration_s == 11 * 3600 + 3599


def test_numbers_with_a_decimal_comma_are_numbers_however_they_are_read(tmp_path: Path) -> None:
    time, track = Column("t", "s", "time_s"), Column("a", "V", "tps1_v")
    comma = CsvMapping("utf-8", ";", ",", 1, (time, track))
    quick = read_mapped(made(tmp_path, "t;a\n0,0;1,5\n0,1;1,6\n"), comma).channels[0]
    slow = read_mapped(
        made(tmp_path, "t;a\n0,0;'1,5\n0,1;1,6\n".replace("'", "\u00a0")), comma
    ).channels[0]
    for read in (quick, slow):
        assert list(read.values) == [1.5, 1.6]
        assert list(read.time_s) == [0.0, 0.1]
    with pytest.raises(RecordingUnusable, match="line 3, column a: “x” is no number"):
        read_mapped(made(tmp_path, "t;a\n0,0;1,5\n0,1;x\n"), comma)


def test_lines_of_words_above_do_not_outvote_the_columns(tmp_path: Path) -> None:
    words = "".join(f"remark {n}\n" for n in range(9))
    mapping = propose(made(tmp_path, f"{words}time;TPS 1\n0;1\n1;2\n")).mapping
    assert [c.channel for c in mapping.columns] == ["time_s", "tps1_v"]
    assert mapping.skip == 10


def test_more_samples_at_one_instant_than_fit_a_piece_are_written(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(recording_writer, "_ROWS", 10)
    time_s = np.asarray([0.0] * 5 + [1.0] * 50 + [2.0] * 5)
    track = Channel(CHANNEL_KINDS["tps1_v"], time_s, np.arange(60.0))
    recording_writer.write_recording(Recording((track,), (), "r"), tmp_path / "r.csv")
    again = read_recording(tmp_path / "r.csv").channels[0]
    assert np.array_equal(again.time_s, time_s)
    assert np.array_equal(again.values, track.values)


# -- reports of codes --------------------------------------------------------------------------------


def test_codes_at_their_limits(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(code_report, "_LONGEST", 12)
    assert len(codes_in_text("P0121, P0122")) == 2
    with pytest.raises(CodesUnreadable, match="too long"):
        codes_in_text("P0121, P0122 ")
    monkeypatch.undo()
    monkeypatch.setattr(code_report, "_MOST", 2)
    assert len(codes_in_text("P0121\nP0122\n")) == 2
    with pytest.raises(CodesUnreadable, match="More than 2 codes"):
        codes_in_text("P0121\nP0122\nP0123\n")
    monkeypatch.undo()
    head = "code,module,states,status,says\n"
    for byte in ("0x00", "0xFF"):
        (seen,) = read_codes_file(made(tmp_path, f"{head}P0121,a,stored,{byte},x\n"))
        assert seen.status == int(byte, 16)
    assert read_codes_file(made(tmp_path, f"{head}P0121,a,,,x\n"))[0].status is None
    long_name = read_codes_file(made(tmp_path, f"{head}P0121,{'m' * 250},,,x\n"))[0].module
    assert long_name == "m" * 200
    for row in ("P0121,a,stored,0x100,x", "P0121,a,stored,-1,x", "P0121,a,strange,0x00,x", "X,a,,,"):
        with pytest.raises(CodesUnreadable, match="line 2"):
            read_codes_file(made(tmp_path, f"{head}{row}\n"))


# -- bundles -----------------------------------------------------------------------------------------


def job_with_photos(tmp_path: Path, count: int) -> Job:
    import hashlib

    names = []
    for number in range(count):
        data = f"picture {number}".encode() * 10
        name = f"{hashlib.sha256(data).hexdigest()[:16]}-p.png"
        (tmp_path / name).write_bytes(data)
        names.append(name)
    at = datetime(2026, 11, 26, tzinfo=UTC)
    look = Look(id=new_id(), at=at, source=Source.SEEN, item="plug", seen=Seen.BAD, photos=tuple(names))
    return Job(id=new_id(), vehicle=new_vehicle("No 6"), opened=at, entries=(look,))


def bundled(tmp_path: Path, count: int) -> Path:
    path = tmp_path / f"{count}.zip"
    write_bundle(job_with_photos(tmp_path, count), lambda name: tmp_path / name, path)
    return path


def taken(tmp_path: Path, path: Path) -> Job:
    into = tmp_path / new_id()
    into.mkdir()
    return read_bundle(path, into)


def test_a_bundle_at_each_of_its_limits(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    two, three = bundled(tmp_path, 2), bundled(tmp_path, 3)
    monkeypatch.setattr(bundle, "_MOST_FILES", 3)
    assert taken(tmp_path, two).vehicle.name == "No 6"
    with pytest.raises(BundleUnusable, match="it holds 4 files, more than 3"):
        taken(tmp_path, three)
    monkeypatch.undo()
    with zipfile.ZipFile(two) as file:
        sizes = {i.filename: i.file_size for i in file.infolist()}
    job_bytes, every_byte = sizes["job.json"], sum(sizes.values())
    for name, exact in (("_JOB_BYTES", job_bytes), ("_ALL_BYTES", every_byte)):
        monkeypatch.setattr(bundle, name, exact)
        assert taken(tmp_path, two).entries
        monkeypatch.setattr(bundle, name, exact - 1)
        with pytest.raises(BundleUnusable, match=r"larger than|unfold to more"):
            taken(tmp_path, two)
        monkeypatch.undo()


def test_a_file_that_unfolds_too_far_and_one_that_is_locked_are_refused(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = bundled(tmp_path, 1)
    with zipfile.ZipFile(path) as file:
        ratios = [i.file_size / i.compress_size for i in file.infolist()]
    monkeypatch.setattr(bundle, "_SMALL", 10)
    monkeypatch.setattr(bundle, "_MOST_UNFOLDED", int(max(ratios)) + 1)
    assert taken(tmp_path, path).entries
    monkeypatch.setattr(bundle, "_MOST_UNFOLDED", 1)
    with pytest.raises(BundleUnusable, match="would unfold to a size"):
        taken(tmp_path, path)
    monkeypatch.setattr(bundle, "_SMALL", 1 << 20)
    assert taken(tmp_path, path).entries
    monkeypatch.undo()
    data = bytearray(path.read_bytes())
    at = data.rfind(b"PK\x01\x02")  # the last file's row in the directory: its flags are 8 bytes on
    data[at + 8] |= 0x01
    (tmp_path / "locked.zip").write_bytes(bytes(data))
    with pytest.raises(BundleUnusable, match="locked or packed in an unusual way"):
        taken(tmp_path, tmp_path / "locked.zip")
    data[at + 8] = 0x02  # any other flag is no lock
    (tmp_path / "flag.zip").write_bytes(bytes(data))
    assert taken(tmp_path, tmp_path / "flag.zip").entries


def test_a_bundle_leaves_no_part_behind_whether_it_is_written_or_not(tmp_path: Path) -> None:
    job = job_with_photos(tmp_path, 1)
    write_bundle(job, lambda name: tmp_path / name, tmp_path / "a.zip")
    with pytest.raises(BundleUnusable, match="no bundle was written"):
        write_bundle(job, lambda name: tmp_path / "gone" / name, tmp_path / "b.zip")
    assert not list(tmp_path.glob("*.part"))
    assert not (tmp_path / "b.zip").exists()


def test_a_recording_that_was_captured_here_travels_as_a_table(tmp_path: Path) -> None:
    at = datetime(2026, 11, 26, tzinfo=UTC)
    entry_id = new_id()
    name = f"{entry_id}-recording.nervus"
    written = journal.Journal(tmp_path / name)
    written.samples("tps1_v", np.arange(4.0), np.ones(4))
    written.close()
    entry = Recorded(
        id=entry_id, at=at, source=Source.VEHICLE, name="r", file=name, digest=UNFINISHED, duration_s=3.0
    )
    other = Change(id=new_id(), at=at, source=Source.SEEN, done="plug seated")
    job = Job(id=new_id(), vehicle=new_vehicle("No 6"), opened=at, entries=(entry, other))
    write_bundle(job, lambda kept: tmp_path / kept, tmp_path / "j.zip")
    into = tmp_path / "into"
    into.mkdir()
    recorded, changed = read_bundle(tmp_path / "j.zip", into).entries
    assert changed == other
    assert isinstance(recorded, Recorded)
    assert recorded.file.endswith("-recording.csv")
    assert recorded.file.startswith(recorded.digest[:16])
    assert read_recording(into / recorded.file).channels[0].samples == 4


def test_two_entries_of_one_identifier_are_refused(tmp_path: Path) -> None:
    at = datetime(2026, 11, 26, tzinfo=UTC)
    change = Change(id=new_id(), at=at, source=Source.SEEN, done="x")
    job = Job(id=new_id(), vehicle=new_vehicle("No 6"), opened=at, entries=(change, change))
    write_bundle(job, lambda name: tmp_path / name, tmp_path / "twice.zip")
    with pytest.raises(BundleUnusable, match="same identifier"):
        taken(tmp_path, tmp_path / "twice.zip")


# -- measurement files -------------------------------------------------------------------------------


def test_only_channels_of_numbers_with_a_unit_that_fits_are_taken(tmp_path: Path) -> None:
    times, volts = np.arange(5) / 10.0, np.linspace(0.5, 4.5, 5)
    path = tmp_path / "r.mf4"
    with MDF(version="4.10") as file:
        file.append([Signal(volts * 1000, times, unit="mV", name="TPS 1")])
        file.append([Signal(volts, times, unit="kPa", name="TPS 2")])
        file.append([Signal(np.array([b"a"] * 5), times, unit="", name="Pedal 1", encoding="utf-8")])
        file.append([Signal(np.full(5, np.nan), times, unit="1/min", name="engine speed")])
        gaps = np.asarray([1.0, np.nan, 3.0, np.nan, 5.0])
        file.append([Signal(gaps, times, unit="V", name="vref")])
        file.save(path)
    read = read_mdf(path).recording
    assert read is not None
    # In a unit that is no signal's it is kept under its own name, and not judged.
    assert {c.id: list(c.values) for c in read.channels} == {
        "tps1_v": pytest.approx(list(volts)),
        "vref_v": [1.0, 3.0, 5.0],
        "other:TPS 2 [kPa]": pytest.approx(list(volts)),
    }
    assert is_mdf(path)
    assert not is_mdf(tmp_path)
    assert not is_mdf(made(tmp_path, "MDF"))
    assert not is_mdf(made(tmp_path, "XMDF    "))


def test_channels_of_a_measurement_file_at_their_limit(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    times = np.arange(5) / 10.0
    path = tmp_path / "r.mf4"
    with MDF(version="4.10") as file:
        file.append(
            [Signal(times, times, unit="V", name="other"), Signal(times, times, unit="V", name="TPS 1")]
        )
        file.save(path)
    with MDF(path) as file:
        place = list(file.channels_db).index("TPS 1")
    monkeypatch.setattr(mdf, "_MOST_CHANNELS", place + 1)
    assert read_mdf(path).recording.channels[0].id == "tps1_v"  # type: ignore[union-attr] # one is read
    monkeypatch.setattr(mdf, "_MOST_CHANNELS", place)
    with pytest.raises(RecordingUnusable, match="no channel in it is one of ours"):
        read_mdf(path)


# -- journals ----------------------------------------------------------------------------------------


def old_packet(kind: int, body: bytes) -> bytes:
    """A packet of the first layout, which had no checksum of its head."""
    return struct.pack("<4sBII", b"NRVJ", kind, len(body), zlib.crc32(body)) + body


def samples(start: float) -> bytes:
    rows = np.stack([start + np.arange(4.0), np.full(4, start)]).astype("<f8")
    return bytes([6]) + b"tps1_v" + rows.tobytes()


def test_journals_of_the_first_layout_are_read_wherever_they_were_cut(tmp_path: Path) -> None:
    whole = old_packet(1, samples(0.0)) + old_packet(2, b'[1.5, "shake"]') + old_packet(1, samples(4.0))
    path = tmp_path / f"old{journal.SUFFIX}"
    path.write_bytes(whole)
    read = journal.read_journal(path)
    assert list(read.channels[0].time_s) == list(range(8))
    assert [m.text for m in read.marks] == ["shake"]
    last = len(old_packet(1, samples(4.0)))
    for cut in range(1, last):
        path.write_bytes(whole[:-cut])
        read = journal.read_journal(path)
        assert read.channels[0].samples == 4
        assert [m.text for m in read.marks] == ["shake"]  # what was cut off is no damage
    broken = bytearray(whole)
    broken[20] ^= 1
    path.write_bytes(bytes(broken))
    read = journal.read_journal(path)
    assert list(read.channels[0].time_s) == [4, 5, 6, 7]
    assert any("damaged" in m.text for m in read.marks)


def test_a_journal_cut_anywhere_loses_its_last_packet_and_tells_no_damage(tmp_path: Path) -> None:
    path = tmp_path / f"new{journal.SUFFIX}"
    written = journal.Journal(path)
    written.samples("tps1_v", np.arange(4.0), np.ones(4))
    first = path.stat().st_size
    written.samples("tps1_v", 4.0 + np.arange(4.0), np.ones(4))
    written.close()
    whole = path.read_bytes()
    for size in range(first, len(whole)):
        path.write_bytes(whole[:size])
        read = journal.read_journal(path)
        assert read.channels[0].samples == 4
        assert read.marks == ()
    broken = bytearray(whole)
    for at in (first + 6, len(whole) - 1):  # in the head and at the very end of the last packet
        broken[at] ^= 1
        path.write_bytes(bytes(broken))
        assert f"{len(whole) - first} bytes" in journal.read_journal(path).marks[0].text
        broken[at] ^= 1
    path.write_bytes(whole[:first] + b"x" * 5)
    assert "5 bytes" in journal.read_journal(path).marks[0].text


@pytest.mark.parametrize(
    ("kind", "body"),
    [
        (1, b""),
        (1, b"\x06tps1"),
        (1, b"\x06tps1_v" + b"\0" * 15),
        (2, b"no json"),
        (9, b"[1]"),
        (0, b"[1]"),
    ],
)
def test_a_sound_packet_that_makes_no_sense_is_left_out_and_told(
    tmp_path: Path, kind: int, body: bytes
) -> None:
    path = tmp_path / f"r{journal.SUFFIX}"
    written = journal.Journal(path)
    written.samples("tps1_v", np.arange(4.0), np.ones(4))
    written._packet(kind, body)
    written.samples("tps1_v", 4.0 + np.arange(4.0), np.ones(4))
    written.close()
    read = journal.read_journal(path)
    assert read.channels[0].samples == 8
    (mark,) = read.marks
    assert (mark.time_s, "damaged" in mark.text) == (3.0, True)


def test_what_is_put_away_under_a_name_that_is_taken_gets_a_number(tmp_path: Path) -> None:
    places = []
    for _ in range(3):
        path = made(tmp_path, "x", f"cut{journal.SUFFIX}")
        places.append(journal.put_away(path).name)
    assert places == [f"cut{journal.SUFFIX}", f"cut 2{journal.SUFFIX}", f"cut 3{journal.SUFFIX}"]


def test_a_journals_samples_come_in_the_order_of_time_without_what_is_no_number(tmp_path: Path) -> None:
    path = tmp_path / f"r{journal.SUFFIX}"
    written = journal.Journal(path)
    written.samples("tps1_v", np.asarray([1.0, np.nan, 0.5]), np.asarray([1.0, 2.0, np.inf]))
    written.samples("tps1_v", np.asarray([0.25]), np.asarray([3.0]))
    written.samples("no_channel", np.asarray([0.0]), np.asarray([1.0]))
    written.mark(9.0, "later")
    written.mark(2.0, "earlier")
    written.close()
    read = journal.read_journal(path)
    (track,) = read.channels
    assert (list(track.time_s), list(track.values)) == ([0.25, 1.0], [3.0, 1.0])
    assert [m.text for m in read.marks] == ["earlier", "later"]
    assert read.name == "r"


# -- answers -----------------------------------------------------------------------------------------


def disagreement(would_set_code: bool | None) -> Disagreement:  # noqa: FBT001 - a test's helper
    return Disagreement(
        channels=("tps1_v",), times_s=((1.0, 2.0), (3.0, 4.0)), confidence=0.9, text="t",
        travel_pct=(10.0, 20.0), worst_pct=5.0, suspect=None, would_set_code=would_set_code,
    )  # fmt: skip


def off_rest(ect_c: float | None) -> OffRest:
    return OffRest(
        channels=("tps1_v",), times_s=((1.0, 2.0),), confidence=0.9, text="t",
        rest_pct=3.0, usual_rest_pct=0.0, cause=RestCause.UNKNOWN, ect_c=ect_c,
    )  # fmt: skip


def test_what_is_not_known_is_no_field_of_an_answer() -> None:
    assert "would_set_code" not in finding_row(disagreement(None))
    row = finding_row(disagreement(would_set_code=False))
    assert row["would_set_code"] is False
    assert (row["start_s"], row["end_s"], row["travel_pct"]) == (1.0, 4.0, [10.0, 20.0])
    assert "ect_c" not in finding_row(off_rest(None))
    assert finding_row(off_rest(90.0))["ect_c"] == 90.0
