"""What the logbook counts and keeps in its details: versions, order, the disk, names of files."""

import gc
import itertools
import os
import sqlite3
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from sqlalchemy import inspect

from nervus.codes.notation import read_code
from nervus.domain.job import (
    UNFINISHED,
    Change,
    Complaint,
    JobState,
    Moved,
    Recorded,
    Source,
    new_id,
    new_vehicle,
    of_kind,
)
from nervus.logbook import Logbook, opening, tables
from nervus.logbook.attachments import Attachments
from nervus.logbook.errors import LogbookUnusable, NotSaved

AT = datetime(2026, 11, 26, 8, 0, tzinfo=UTC)


@pytest.fixture
def book(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Logbook:
    made = Logbook(tmp_path / "logbook.db")
    moment = [0.0]

    def later() -> float:
        moment[0] += 10.0  # no two writes are strokes of one word
        return moment[0]

    monkeypatch.setattr("nervus.logbook.book.time.monotonic", later)
    return made


def change(words: str, seconds: float = 0.0, entry_id: str = "") -> Change:
    return Change(
        id=entry_id or new_id(), at=AT + timedelta(seconds=seconds), source=Source.SEEN, done=words
    )


def test_versions_count_every_write_and_an_entry_is_taken_out_once(book: Logbook) -> None:
    job = book.start_job(new_vehicle("No 6"))
    entry = change("plug seated")
    first = book.put(job.id, entry)
    assert (first.version, first.overtaken) == (1, False)
    same = book.put(job.id, entry, base=1)
    assert (same.version, same.overtaken) == (1, False)
    second = book.put(job.id, change("plug renewed", entry_id=entry.id), base=1)
    assert (second.version, second.overtaken) == (2, False)
    late = book.put(job.id, change("plug cleaned", entry_id=entry.id), base=1)
    assert (late.version, late.overtaken) == (3, True)
    book.take_out(job.id, entry.id)
    assert book.versions(job.id) == {entry.id: 4}
    assert book.job(job.id).entries == ()
    book.take_out(job.id, entry.id)  # it is out already
    book.take_out(job.id, new_id())  # it was never there
    assert book.versions(job.id) == {entry.id: 4}
    words = [e.done for e in book.earlier(entry.id) if isinstance(e, Change)]
    assert words == ["plug seated", "plug renewed", "plug cleaned"]
    again = book.put(job.id, change("plug cleaned", entry_id=entry.id))
    assert again.version == 5
    assert len(of_kind(book.job(job.id).entries, Change)) == 1
    book.close()


def test_strokes_of_one_word_are_one_version_and_later_ones_are_not(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    book = Logbook(tmp_path / "logbook.db")
    moment = [100.0]
    monkeypatch.setattr("nervus.logbook.book.time.monotonic", lambda: moment[0])
    job = book.start_job(new_vehicle("No 6"))
    entry_id = new_id()
    for seconds, words in ((0.0, "p"), (2.9, "pl"), (2.9, "plug"), (3.0, "plug seated")):
        moment[0] += seconds
        book.put(job.id, change(words, entry_id=entry_id))
    assert [e.done for e in book.earlier(entry_id) if isinstance(e, Change)] == ["plug"]
    book.close()


def test_entries_come_in_the_order_of_their_time_and_of_their_coming(book: Logbook) -> None:
    job = book.start_job(new_vehicle("No 6"))
    for words, seconds in (("third", 2.0), ("first", 0.0), ("second", 1.0), ("fourth", 2.0)):
        book.put(job.id, change(words, seconds))
    assert [e.done for e in of_kind(book.job(job.id).entries, Change)] == [
        "first", "second", "third", "fourth",
    ]  # fmt: skip
    book.close()


def test_the_list_shows_what_a_job_is_now_the_last_touched_first(
    book: Logbook, monkeypatch: pytest.MonkeyPatch
) -> None:
    seconds = itertools.count()
    monkeypatch.setattr("nervus.logbook.book.now", lambda: AT + timedelta(seconds=next(seconds)))
    one, two = (book.start_job(new_vehicle(name, "nine-seat bus")) for name in ("No 6", "No 7"))
    told = Complaint(id=new_id(), at=AT, source=Source.TYPED, words="dies at the pier")
    book.put(one.id, told)
    due = datetime(2026, 12, 24, tzinfo=UTC).date()
    moved = Moved(id=new_id(), at=AT, source=Source.TYPED, state=JobState.WATCHING, due=due)
    book.put(one.id, moved)
    rows = book.jobs()
    assert [row.id for row in rows] == [one.id, two.id]
    first = rows[0]
    assert (first.vehicle, first.state, first.due) == ("No 6 · nine-seat bus", JobState.WATCHING, due)
    assert "dies at the pier" in first.complaint
    assert "dies at the pier" in first.found_by
    assert first.vehicle_id == one.vehicle.id
    assert rows[1].due is None
    book.close()


def test_a_vehicle_without_a_job_goes_and_what_is_known_of_one_is_changed(book: Logbook) -> None:
    job = book.start_job(new_vehicle("No 6"))
    other = new_vehicle("No 7")
    book.set_vehicle(job.id, other)
    assert [v.name for v in book.vehicles()] == ["No 7"]
    book.start_job(new_vehicle("No 5"))
    assert [v.name for v in book.vehicles()] == ["No 5", "No 7"]
    with pytest.raises(KeyError):
        book.job("0" * 16)
    book.close()


def test_own_words_for_a_code_are_kept_changed_and_taken_out(book: Logbook) -> None:
    code = read_code("P1545-16")
    book.define(code, "  flap adaptation ")
    assert book.own_codes() == {code.base: "flap adaptation"}
    book.define(code, "flap position")
    assert book.own_codes() == {code.base: "flap position"}
    book.define(code, " ")
    assert book.own_codes() == {}
    book.close()


def test_the_files_of_all_recordings_are_known_also_of_those_taken_out(book: Logbook) -> None:
    job = book.start_job(new_vehicle("No 6"))
    entries = []
    for name in ("a", "b"):
        entry_id = new_id()
        entries.append(
            Recorded(
                id=entry_id, at=AT, source=Source.VEHICLE, name=name, file=f"{entry_id}-{name}.nervus",
                digest=UNFINISHED,
            )
        )  # fmt: skip
        book.put(job.id, entries[-1])
    book.put(job.id, change("no recording"))
    book.take_out(job.id, entries[0].id)
    assert book.recorded_files() == {e.file for e in entries}
    book.close()


def test_an_entry_of_another_job_is_refused_and_nothing_is_half_done(book: Logbook) -> None:
    one, two = (book.start_job(new_vehicle(name)) for name in ("No 6", "No 7"))
    entry = change("plug seated")
    book.put(one.id, entry)
    with pytest.raises(LogbookUnusable, match="another job's here"):
        book.put(two.id, entry)
    assert book.job(two.id).entries == ()
    assert book.job(one.id).entries == (entry,)
    book.close()


def test_columns_are_as_the_migrations_make_them_down_to_their_nulls_and_keys(book: Logbook) -> None:
    seen = inspect(book._connection)
    for table in tables.metadata.sorted_tables:
        keys = seen.get_pk_constraint(table.name)["constrained_columns"]
        columns = {c["name"]: (c["nullable"], c["name"] in keys) for c in seen.get_columns(table.name)}
        ours = {c.name: (bool(c.nullable), c.primary_key) for c in table.columns}
        assert columns == ours, table.name
        indexes = {i["name"]: list(i["column_names"]) for i in seen.get_indexes(table.name)}
        assert indexes == {i.name: [c.name for c in i.columns] for i in table.indexes}, table.name
        theirs = {
            (k["constrained_columns"][0], k["referred_table"]) for k in seen.get_foreign_keys(table.name)
        }
        mine = {(k.parent.name, k.column.table.name) for k in table.foreign_keys}
        assert theirs == mine, table.name
    book.close()


def test_a_write_takes_the_lock_at_once_and_a_read_takes_none(book: Logbook) -> None:
    """Source: SQLite, BEGIN IMMEDIATE: the write lock from the first statement on."""
    said: list[str] = []
    raw = book._connection.connection.driver_connection
    assert isinstance(raw, sqlite3.Connection)
    raw.set_trace_callback(said.append)
    book.start_job(new_vehicle("No 6"))
    assert said[0] == "BEGIN IMMEDIATE"
    assert said[-1] == "COMMIT"
    said.clear()
    book.jobs()
    assert said[0] == "BEGIN"
    raw.set_trace_callback(None)
    book.close()


# -- files beside it ---------------------------------------------------------------------------------


def test_a_kept_file_and_its_name_are_on_the_disk_before_it_is_said_to_be(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    synced: list[str] = []
    really = os.fsync

    def fsync(number: int) -> None:
        synced.append(str(Path(f"/proc/self/fd/{number}").readlink()))
        really(number)

    monkeypatch.setattr(os, "fsync", fsync)
    source = tmp_path / "r.csv"
    source.write_text("time_s,tps1_v\n0,1\n")
    name, digest = Attachments(tmp_path / "files").keep(source)
    assert name.startswith(digest[:16])
    assert [s.endswith(".part") for s in synced] == [True, False]
    assert synced[1] == str(tmp_path / "files")
    assert [p.name for p in (tmp_path / "files").iterdir()] == [name]


def test_names_of_kept_files_are_safe_short_and_never_empty(tmp_path: Path) -> None:
    files = Attachments(tmp_path / "files")

    def kept(name: str) -> str:
        source = tmp_path / name
        source.write_text(name)
        return files.keep(source)[0][17:]

    assert kept("Messung (1) µ.csv") == "Messung-1-.csv"
    assert kept("..--") == "file"
    assert kept("x" * 96 + ".csv") == "x" * 96 + ".csv"
    assert kept("y" + "x" * 96 + ".csv") == "x" * 96 + ".csv"


def test_a_folder_is_adopted_whole_and_what_is_there_stays(tmp_path: Path) -> None:
    files, given = Attachments(tmp_path / "files"), tmp_path / "given"
    given.mkdir()
    (given / "a").write_text("new")
    (given / "b").write_text("other")
    files.folder.mkdir()
    (files.folder / "b").write_text("was there")
    files.adopt(given)
    assert {p.name: p.read_text() for p in files.folder.iterdir()} == {"a": "new", "b": "was there"}
    with pytest.raises(NotSaved, match="can't be kept"):
        files.adopt(tmp_path / "gone")
    with pytest.raises(NotSaved, match="can't be kept"):
        files.keep(tmp_path / "gone.csv")
    assert not list(files.folder.glob("*.part"))


def test_a_logbook_that_does_not_open_is_let_go_of(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fail(*_: object) -> None:
        raise LogbookUnusable("no")

    monkeypatch.setattr(opening, "_migrate", fail)
    path = tmp_path / "logbook.db"
    gc.collect()
    gc.disable()  # it must be let go of, not only forgotten
    try:
        with pytest.raises(LogbookUnusable):
            opening.connect(path)
        held = [f for f in Path("/proc/self/fd").iterdir() if f.is_symlink() and f.resolve() == path]
    finally:
        gc.enable()
    assert not held
