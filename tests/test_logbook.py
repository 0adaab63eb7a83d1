"""The logbook: nothing typed is lost, whatever happens to the disk, the program or the layout."""

import os
import signal
import sqlite3
import subprocess
import sys
from datetime import date, timedelta
from pathlib import Path

import msgspec
import pytest
from alembic.config import Config
from alembic.script import ScriptDirectory
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import inspect

import nervus.logbook.book as book_module
from nervus.codes.notation import read_code
from nervus.domain.job import (
    LONGEST_WORDS,
    CodeSet,
    Complaint,
    Findings,
    Job,
    JobState,
    Moved,
    SeenCode,
    Source,
    new_id,
    new_vehicle,
    now,
)
from nervus.domain.job_list import matching
from nervus.domain.profile import ThrottleKind
from nervus.logbook import Logbook
from nervus.logbook.errors import LogbookUnusable, NotSaved
from nervus.logbook.tables import HEAD, metadata

MIGRATIONS = Path(book_module.__file__).parent / "migrations"


def complaint(words: str, entry_id: str = "", **more: object) -> Complaint:
    return Complaint(id=entry_id or new_id(), at=now(), source=Source.TYPED, words=words, **more)  # type: ignore[arg-type] # symptoms


def opened(folder: Path) -> Logbook:
    return Logbook(folder / "logbook.db")


def test_a_job_survives_a_restart_whole(tmp_path: Path) -> None:
    book = opened(tmp_path)
    vehicle = new_vehicle("No 6", "nine-seat bus", ThrottleKind.ELECTRONIC)
    job = book.start_job(vehicle)
    told = complaint("cuts out over bumps", symptoms=("cuts_out",), conditions=("bumps",))
    codes = CodeSet(
        id=new_id(), at=now(), source=Source.TYPED, codes=(SeenCode(code="P0222", states=()),)
    )
    moved = Moved(
        id=new_id(), at=now(), source=Source.TYPED, state=JobState.WATCHING, due=date(2031, 5, 4)
    )
    for entry in (told, codes, moved):
        book.put(job.id, entry)
    book.close()
    again = opened(tmp_path)
    kept = again.job(job.id)
    assert kept.vehicle == vehicle
    assert kept.entries == (told, codes, moved)
    (row,) = again.jobs()
    assert (row.state, row.due, row.codes) == (JobState.WATCHING, date(2031, 5, 4), "P0222")
    assert row.complaint == "cuts out over bumps · cuts out for a moment, over bumps"
    again.close()


def test_what_is_corrected_or_taken_out_is_kept_and_comes_back(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    clock = iter(range(0, 1000, 10))
    monkeypatch.setattr("nervus.logbook.book.time.monotonic", lambda: float(next(clock)))
    book = opened(tmp_path)
    job = book.start_job(new_vehicle("No 2"))
    first = complaint("stumbles")
    second = complaint("stumbles just off idle", first.id)
    book.put(job.id, first)
    book.put(job.id, second)
    book.take_out(job.id, first.id)
    assert book.job(job.id).entries == ()
    assert book.earlier(first.id) == [first, second]
    book.put(job.id, second)
    assert book.job(job.id).entries == (second,)
    book.close()


def test_each_stroke_is_saved_but_is_no_version_of_its_own(tmp_path: Path) -> None:
    book = opened(tmp_path)
    job = book.start_job(new_vehicle("No 2"))
    entry_id = new_id()
    for typed in ("s", "st", "stu", "stum"):
        book.put(job.id, complaint(typed, entry_id))
    other = opened(tmp_path)
    assert other.job(job.id).complaint == book.job(job.id).complaint
    assert book.earlier(entry_id) == []
    book.close()
    other.close()


def test_two_windows_see_each_other_and_overwrite_nothing(tmp_path: Path) -> None:
    one, two = opened(tmp_path), opened(tmp_path)
    job = one.start_job(new_vehicle("No 5"))
    before = two.foreign_changes()
    text = complaint("no pedal on wet mornings")
    base = one.put(job.id, text).version
    assert two.foreign_changes() != before
    theirs = complaint("no pedal when wet", text.id)
    ours = complaint("no pedal on wet mornings, twice", text.id)
    assert not two.put(job.id, theirs, base).overtaken
    put = one.put(job.id, ours, base)
    assert put.overtaken
    assert one.job(job.id).complaint == ours
    assert one.earlier(text.id)[-1] == theirs
    one.close()
    two.close()


def test_a_kill_in_the_middle_of_typing_loses_nothing_that_was_saved(tmp_path: Path) -> None:
    """The writer says each number after it was saved; it is killed, without warning, while it writes."""
    program = """
import sys
from pathlib import Path
from nervus.domain.job import Complaint, Source, new_vehicle, now
from nervus.logbook import Logbook
book = Logbook(Path(sys.argv[1]))
job = book.start_job(new_vehicle("No 1"))
print(job.id, flush=True)
for n in range(100000):
    book.put(job.id, Complaint(id="0" * 16, at=now(), source=Source.TYPED, words=str(n)))
    print(n, flush=True)
"""
    path = tmp_path / "logbook.db"
    running = subprocess.Popen(
        [sys.executable, "-c", program, str(path)], stdout=subprocess.PIPE, text=True
    )
    assert running.stdout is not None
    job_id = running.stdout.readline().strip()
    said = [int(running.stdout.readline()) for _ in range(40)]
    os.kill(running.pid, signal.SIGKILL)
    said += [int(line) for line in running.stdout.read().split()]
    running.wait()
    running.stdout.close()
    book = Logbook(path)
    told = book.job(job_id).complaint
    assert told is not None
    assert int(told.words) >= said[-1]
    book.close()


def test_a_full_disk_is_told_and_what_was_there_stays(tmp_path: Path) -> None:
    book = opened(tmp_path)
    job = book.start_job(new_vehicle("No 1"))
    book.put(job.id, complaint("before"))
    raw = book._connection.connection.driver_connection
    assert isinstance(raw, sqlite3.Connection)
    pages = raw.execute("PRAGMA page_count").fetchone()[0]
    raw.execute(f"PRAGMA max_page_count = {pages}")
    with pytest.raises(NotSaved, match=r"disk is full; make room on it\. It is tried again"):
        book.put(job.id, complaint("x" * 20_000))
    raw.execute("PRAGMA max_page_count = 1000000")
    assert book.job(job.id).entries[0].words == "before"  # type: ignore[union-attr] # a complaint
    book.put(job.id, complaint("after"))
    assert len(book.job(job.id).entries) == 2
    raw.execute("PRAGMA query_only = ON")
    with pytest.raises(NotSaved, match="may only be read"):
        book.put(job.id, complaint("nor this"))
    book.close()


def test_another_programs_hold_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("nervus.logbook.opening._BUSY_S", 0.05)
    book = opened(tmp_path)
    other = sqlite3.connect(book.path, isolation_level=None)
    other.execute("BEGIN IMMEDIATE")
    with pytest.raises(NotSaved, match="another program holds the logbook"):
        book.start_job(new_vehicle("No 1"))
    other.execute("ROLLBACK")
    other.close()
    book.start_job(new_vehicle("No 1"))
    book.close()


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"not a database, but some text" * 40, "it is no logbook"),
        (b"SQLite format 3\0" + b"\7" * 4000, "it is no logbook|it is damaged"),
    ],
)
def test_what_is_no_logbook_is_refused_and_left_alone(tmp_path: Path, content: bytes, says: str) -> None:
    path = tmp_path / "logbook.db"
    path.write_bytes(content)
    with pytest.raises(LogbookUnusable, match=says):
        Logbook(path)
    assert path.read_bytes() == content


def test_another_programs_database_is_refused_and_left_alone(tmp_path: Path) -> None:
    path = tmp_path / "other.db"
    other = sqlite3.connect(path)
    other.execute("CREATE TABLE music (title TEXT)")
    other.close()
    before = path.read_bytes()
    with pytest.raises(LogbookUnusable, match="another program's"):
        Logbook(path)
    assert path.read_bytes() == before
    with pytest.raises(LogbookUnusable, match="can't be opened"):
        Logbook(tmp_path / "nowhere" / "logbook.db")


def test_an_older_layout_is_migrated_with_a_backup(tmp_path: Path) -> None:
    path = tmp_path / "logbook.db"
    job_id = older(path)
    book = Logbook(path)
    (row,) = book.jobs()
    assert (row.id, row.headline) == (job_id, "Most likely the wiring.")
    book.define(read_code("P1234"), "ours")
    assert book.own_codes() == {read_code("P1234"): "ours"}
    book.close()
    backup = sqlite3.connect(tmp_path / f"logbook-before-{HEAD}.db")
    assert backup.execute("SELECT version_num FROM alembic_version").fetchone() == ("0001",)
    assert backup.execute("SELECT count(*) FROM job").fetchone() == (1,)
    backup.close()


def older(path: Path) -> str:
    """A logbook as the first version wrote it: today's, with what came later taken away again."""
    book = Logbook(path)
    job = book.start_job(new_vehicle("No 6"))
    found = Findings(
        id=new_id(),
        at=now(),
        source=Source.ANALYSIS,
        recording=new_id(),
        headline="Most likely the wiring.",
    )
    book.put(job.id, found)
    book.close()
    raw = sqlite3.connect(path)
    raw.execute("DROP TABLE own_code")
    raw.execute("DROP TABLE kept_plug")
    raw.execute("ALTER TABLE job DROP COLUMN headline")
    raw.execute("ALTER TABLE vehicle DROP COLUMN profile")
    raw.execute("UPDATE alembic_version SET version_num = '0001'")
    raw.commit()
    raw.close()
    return job.id


def test_a_newer_layout_is_refused_with_a_sentence_and_not_touched(tmp_path: Path) -> None:
    path = tmp_path / "logbook.db"
    Logbook(path).close()
    raw = sqlite3.connect(path)
    raw.execute("UPDATE alembic_version SET version_num = '9999'")
    raw.commit()
    raw.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    raw.close()
    before = path.read_bytes()
    with pytest.raises(LogbookUnusable, match=r"newer Nervus .layout 9999, this one knows"):
        Logbook(path)
    assert path.read_bytes() == before


def test_the_tables_are_what_the_migrations_make(tmp_path: Path) -> None:
    book = opened(tmp_path)
    made = inspect(book._connection)
    for table in metadata.tables.values():
        assert {c["name"] for c in made.get_columns(table.name)} == {c.name for c in table.columns}
    book.close()
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    assert ScriptDirectory.from_config(config).get_heads() == [HEAD]


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(words=st.text(max_size=200), name=st.text(min_size=1, max_size=40))
def test_any_text_comes_back_as_it_was_typed(tmp_path: Path, words: str, name: str) -> None:
    book = Logbook(tmp_path / f"{new_id()}.db")
    job = book.start_job(new_vehicle(name))
    book.put(job.id, complaint(words))
    kept = book.job(job.id)
    book.close()
    assert kept.vehicle.name == name
    assert kept.complaint is not None
    assert kept.complaint.words == words


def test_jobs_are_found_by_any_words_and_by_state(tmp_path: Path) -> None:
    book = opened(tmp_path)
    for name, words, state in (
        ("No 6", "cuts out over bumps", JobState.WATCHING),
        ("No 2", "Stumbles on the QUAY road", JobState.OPEN),
        ("No 5", "no pedal on wet mornings", JobState.WAITING),
    ):
        job = book.start_job(new_vehicle(name))
        book.put(job.id, complaint(words))
        moved = Moved(id=new_id(), at=now() + timedelta(seconds=1), source=Source.TYPED, state=state)
        book.put(job.id, moved)
    rows = book.jobs()
    book.close()

    def found(typed: str, *states: JobState) -> list[str]:
        return [row.vehicle for row in matching(rows, typed, frozenset(states))]

    assert found("quay 2") == ["No 2"]
    assert sorted(found("no")) == ["No 2", "No 5", "No 6"]
    assert found("", JobState.WAITING) == ["No 5"]
    assert found("quay", JobState.WAITING) == []


def test_a_copied_file_is_named_by_its_bytes_and_kept_once(tmp_path: Path) -> None:
    book = opened(tmp_path)
    photo = tmp_path / "odd name; rm -rf.PNG"
    photo.write_bytes(b"picture")
    name, digest = book.attachments.keep(photo)
    assert book.attachments.keep(photo) == (name, digest)
    assert name == f"{digest[:16]}-odd-name-rm--rf.PNG"
    assert book.attachments.path(name).read_bytes() == b"picture"
    with pytest.raises(NotSaved, match="can't be kept"):
        book.attachments.keep(tmp_path / "none.png")
    book.close()


def test_an_entry_stays_with_its_job_whatever_is_taken_in(tmp_path: Path) -> None:
    book = opened(tmp_path)
    ours = book.start_job(new_vehicle("No 1"))
    entry = complaint("ours")
    book.put(ours.id, entry)
    theirs = Job(id=new_id(), vehicle=new_vehicle("No 2"), opened=now(), entries=(entry,))
    with pytest.raises(LogbookUnusable, match="another job's here"):
        book.put_job(theirs)
    assert [row.id for row in book.jobs()] == [ours.id]
    assert book.job(ours.id).entries == (entry,)
    with pytest.raises(msgspec.ValidationError):
        book.put(ours.id, complaint("x" * (LONGEST_WORDS + 1)))
    assert book.job(ours.id).entries == (entry,)
    book.close()
