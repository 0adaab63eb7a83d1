"""The logbook's thread: writes in their order, the last of a kind, never lost; reads meanwhile."""

import sqlite3
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from nervus.domain.errors import OutsideError
from nervus.domain.job import Change, Job, Source, new_id, new_vehicle, now
from nervus.logbook import Logbook
from nervus.logbook.errors import NotSaved
from nervus.window.jobs.book_keeper import BookKeeper


@pytest.fixture
def keeper(qtbot: QtBot, tmp_path: Path) -> Iterator[BookKeeper]:
    made = BookKeeper(tmp_path / "logbook.db")
    made.start()
    with qtbot.waitSignal(made.saved, timeout=30_000):
        made.write("begin", lambda book: book.jobs())
    yield made
    made.close()


def change(words: str, entry_id: str = "") -> Change:
    return Change(id=entry_id or new_id(), at=now(), source=Source.SEEN, done=words)


def test_of_writes_that_wait_only_the_last_of_a_key_is_done(keeper: BookKeeper, qtbot: QtBot) -> None:
    gate, done = threading.Event(), []
    keeper.write("first", lambda _book: gate.wait(5.0))
    for number in range(5):
        keeper.write("same", lambda _book, number=number: done.append(number))  # type: ignore[misc] # its number
    keeper.write("other", lambda _book: done.append("other"))
    with qtbot.waitSignal(keeper.saved):
        gate.set()
    assert done == [4, "other"]
    assert not keeper.waits


def test_an_answer_comes_after_what_was_written_before_it_and_on_this_thread(
    keeper: BookKeeper, qtbot: QtBot
) -> None:
    job, answers = Job(id=new_id(), vehicle=new_vehicle("No 6"), opened=now()), []
    keeper.write(job.id, lambda book: book.put_job(job))
    keeper.put(job.id, change("plug cleaned"))
    keeper.ask(
        lambda book: (book.job(job.id), threading.current_thread().name),
        lambda found: answers.append((*found, threading.current_thread() is threading.main_thread())),
    )
    qtbot.waitUntil(lambda: bool(answers), timeout=20_000)
    kept, asked_in, answered_here = answers[0]
    assert [e.done for e in kept.entries] == ["plug cleaned"]
    assert asked_in == "logbook"
    assert answered_here


def test_what_cannot_be_written_is_tried_again_and_keeps_nobody_from_reading(
    keeper: BookKeeper, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("nervus.window.jobs.book_keeper._AGAIN_S", 0.02)
    tries: list[int] = []
    answers: list[int] = []
    full = [True]

    def write(_book: Logbook) -> None:
        tries.append(len(tries))
        if full[0]:
            raise NotSaved("the disk is full.")

    with qtbot.waitSignal(keeper.not_saved) as told:
        keeper.write("entry", write)
    assert told.args == ["the disk is full."]
    keeper.ask(lambda book: len(book.jobs()), answers.append)
    qtbot.waitUntil(lambda: answers == [0] and len(tries) > 2, timeout=20_000)
    assert keeper.waits
    assert not keeper.settle(0.05)
    full[0] = False
    with qtbot.waitSignal(keeper.saved):
        pass
    assert not keeper.waits


def test_a_fault_of_ours_is_told_and_holds_nothing_up(
    keeper: BookKeeper, qtbot: QtBot, caplog: pytest.LogCaptureFixture
) -> None:
    def broken(_book: Logbook) -> None:
        raise ValueError("a bug")

    with qtbot.waitSignal(keeper.failed) as told:
        keeper.write("entry", broken)
    assert "could not save the last entry because of a fault of its own" in told.args[0]
    with qtbot.waitSignal(keeper.failed) as told:
        keeper.ask(broken, lambda _none: None)
    assert "fault" in told.args[0]
    assert caplog.text.count("ValueError: a bug") == 2
    qtbot.waitUntil(lambda: not keeper.waits, timeout=20_000)


def test_the_worlds_fault_in_a_question_is_told_in_its_sentence(
    keeper: BookKeeper, qtbot: QtBot
) -> None:
    def gone(_book: Logbook) -> None:
        raise OutsideError("x.zip: it is no bundle.")

    with qtbot.waitSignal(keeper.failed) as told:
        keeper.ask(gone, lambda _none: None)
    assert told.args == ["x.zip: it is no bundle."]


def test_somebody_elses_writing_is_noticed_and_ones_own_is_not(
    keeper: BookKeeper, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("nervus.window.jobs.book_keeper._LOOK_S", 0.02)
    job = Job(id=new_id(), vehicle=new_vehicle("No 6"), opened=now())
    with qtbot.assertNotEmitted(keeper.foreign, wait=200):
        keeper.write(job.id, lambda book: book.put_job(job))
    other = Logbook(keeper.path)
    with qtbot.waitSignal(keeper.foreign):
        other.put(job.id, change("theirs"))
    other.close()


def test_writing_over_what_somebody_else_changed_is_told(keeper: BookKeeper, qtbot: QtBot) -> None:
    job, ours = Job(id=new_id(), vehicle=new_vehicle("No 6"), opened=now()), change("ours")
    keeper.write(job.id, lambda book: book.put_job(job))
    with qtbot.waitSignal(keeper.saved):
        keeper.put(job.id, ours)
    other = Logbook(keeper.path)
    other.put(job.id, change("theirs", ours.id))
    with qtbot.waitSignal(keeper.overtaken) as told:
        keeper.put(job.id, change("ours again", ours.id))
    assert told.args == [ours.id]
    assert [e.done for e in other.earlier(ours.id) if isinstance(e, Change)][-1] == "theirs"
    other.close()


def test_closing_saves_what_waits_and_lets_go_of_the_file(tmp_path: Path) -> None:
    keeper = BookKeeper(tmp_path / "logbook.db")
    job = Job(id=new_id(), vehicle=new_vehicle("No 6"), opened=now())
    keeper.write(job.id, lambda book: book.put_job(job))
    for number in range(30):
        keeper.put(job.id, change(str(number)))
    keeper.start()
    assert keeper.close(20.0)
    raw = sqlite3.connect(tmp_path / "logbook.db")
    assert raw.execute("SELECT count(*) FROM entry").fetchone() == (30,)
    assert raw.execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchone()[0] == 0
    raw.close()


def test_closing_before_it_began_saves_what_waits_and_else_leaves_no_file(tmp_path: Path) -> None:
    keeper = BookKeeper(tmp_path / "none.db")
    assert keeper.close()
    keeper.start()
    assert not keeper.path.exists()
    keeper = BookKeeper(tmp_path / "logbook.db")
    job = Job(id=new_id(), vehicle=new_vehicle("No 6"), opened=now())
    keeper.write(job.id, lambda book: book.put_job(job))
    assert keeper.close(20.0)
    book = Logbook(keeper.path)
    assert [row.id for row in book.jobs()] == [job.id]
    book.close()


def test_a_logbook_that_somebody_holds_is_opened_once_it_is_free(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("nervus.logbook.opening._BUSY_S", 0.02)
    monkeypatch.setattr("nervus.window.jobs.book_keeper._AGAIN_S", 0.02)
    path = tmp_path / "logbook.db"
    Logbook(path).close()
    other = sqlite3.connect(path, isolation_level=None)
    other.execute("PRAGMA locking_mode = EXCLUSIVE")
    other.execute("BEGIN EXCLUSIVE")
    keeper = BookKeeper(path)
    job = Job(id=new_id(), vehicle=new_vehicle("No 6"), opened=now())
    keeper.write(job.id, lambda book: book.put_job(job))
    with qtbot.waitSignal(keeper.not_saved, timeout=30_000) as told:
        keeper.start()
    assert "another program holds the logbook" in told.args[0]
    with qtbot.waitSignal(keeper.saved):
        other.execute("ROLLBACK")
        other.close()
    assert keeper.close()


def test_a_folder_that_cannot_be_made_is_told(qtbot: QtBot, tmp_path: Path) -> None:
    (tmp_path / "file").write_text("in the way")
    keeper = BookKeeper(tmp_path / "file" / "logbook.db")
    with qtbot.waitSignal(keeper.failed, timeout=30_000) as told:
        keeper.start()
    assert "its folder can't be made" in told.args[0]
    keeper.close()


def test_a_stumble_of_the_thread_itself_is_told_and_it_goes_on(
    keeper: BookKeeper, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    stumbled = threading.Event()

    def look(_book: Logbook, _seen: int) -> int:
        if not stumbled.is_set():
            stumbled.set()
            raise ZeroDivisionError
        return 0

    monkeypatch.setattr(keeper, "_look", look)
    with qtbot.waitSignal(keeper.failed, timeout=10_000) as told:
        pass
    assert told.args is not None
    assert "goes on" in told.args[0]
    answers: list[object] = []
    keeper.ask(lambda book: len(book.jobs()), answers.append)
    qtbot.waitUntil(lambda: answers == [0], timeout=10_000)
    assert "ZeroDivisionError" in caplog.text
    caplog.clear()
