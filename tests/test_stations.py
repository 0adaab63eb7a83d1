"""Each station is done by keyboard alone, in the real window, and what was entered is in the logbook."""

import sqlite3
import time
from collections.abc import Callable
from datetime import date, timedelta
from functools import partial
from pathlib import Path

import pytest
from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication, QDialog, QFileDialog, QInputDialog, QMessageBox
from pytestqt.qtbot import QtBot

from conftest import SAMPLES
from nervus.codes.notation import read_code
from nervus.domain.job import (
    Change,
    CodeSet,
    Decision,
    Findings,
    Job,
    JobState,
    Look,
    Moment,
    Moved,
    Reading,
    Recorded,
    Seen,
    Source,
    now,
    of_kind,
)
from nervus.domain.job_list import JobRow
from nervus.domain.profile import ThrottleKind
from nervus.domain.quantity import QuantityUnreadable, read_quantity
from nervus.logbook import Logbook
from nervus.standin.depot import courses
from nervus.window.jobs.mapping_dialog import MappingDialog
from nervus.window.main_window import MainWindow
from nervus.window.pages.codes_page import CodesPage
from nervus.window.pages.complaint_page import ComplaintPage
from nervus.window.pages.home_view import waits
from nervus.window.pages.look_page import LookPage
from nervus.window.pins.pins_page import PinsPage
from nervus.window.theme import DIM
from widget_walk import stumbles

Keys = Callable[..., None]


@pytest.fixture
def keys(qtbot: QtBot, window: MainWindow) -> Keys:
    """Presses keys wherever the focus is: texts are typed, `Qt.Key` members pressed."""

    def press(*wanted: str | Qt.Key, held: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        for key in wanted:
            target = QApplication.focusWidget() or window
            if isinstance(key, str):
                qtbot.keyClicks(target, key)
            else:
                qtbot.keyClick(target, key, held)

    qtbot.waitUntil(lambda: not window.home.empty.text().startswith("Opening"), timeout=30_000)
    return press


def kept(window: MainWindow, qtbot: QtBot) -> Job:
    """The job in hand as another program reads it from the file."""
    assert window.job is not None
    qtbot.waitUntil(lambda: not window.job_part.keeper.waits, timeout=30_000)
    book = Logbook(window.job_part.keeper.path)
    job = book.job(window.job.id)
    book.close()
    return job


CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


def test_a_job_begins_in_two_keystrokes_and_the_complaint_is_told_by_keys(
    window: MainWindow, keys: Keys, qtbot: QtBot
) -> None:
    keys(Qt.Key.Key_N, held=CTRL)
    keys("No 6", Qt.Key.Key_Tab, "nine-seat bus", Qt.Key.Key_Tab, Qt.Key.Key_Right, Qt.Key.Key_Right)
    page = window.stations.page("complaint")
    assert isinstance(page, ComplaintPage)
    qtbot.waitUntil(lambda: page.symptoms.buttons["no_pedal"].isVisible() is True, timeout=20_000)
    page.begin()
    keys(Qt.Key.Key_Down, Qt.Key.Key_Space)
    keys(*[Qt.Key.Key_Tab] * 8, Qt.Key.Key_Return)
    page.words.setFocus()
    keys("over the bridge, twice")
    job = kept(window, qtbot)
    assert job.vehicle.name == "No 6"
    assert job.vehicle.description == "nine-seat bus"
    assert job.vehicle.throttle is ThrottleKind.ELECTRONIC
    assert job.complaint is not None
    assert job.complaint.symptoms == ("cuts_out",)
    assert len(job.complaint.conditions) == 1
    assert job.complaint.words == "over the bridge, twice"
    assert window.judgement.headline.text().startswith("Not enough is known yet")
    assert "✓" in window.rail.buttons["complaint"].text()


def test_what_was_done_last_is_undone(window: MainWindow, keys: Keys, qtbot: QtBot) -> None:
    keys(Qt.Key.Key_N, held=CTRL)
    window.go("look")
    page = window.stations.page("look")
    assert isinstance(page, LookPage)
    page.begin()
    keys(Qt.Key.Key_B)
    assert [look.seen for look in of_kind(kept(window, qtbot).entries, Look)] == [Seen.BAD]
    keys(Qt.Key.Key_G)
    keys(Qt.Key.Key_Z, held=CTRL)
    assert [look.seen for look in of_kind(kept(window, qtbot).entries, Look)] == [Seen.BAD]
    keys(Qt.Key.Key_Z, held=CTRL)
    assert kept(window, qtbot).entries == ()
    assert page.rows["plug_seated"].buttons[Seen.NOT_SEEN].isChecked()


def test_looks_by_keys_with_note_and_caution_at_the_step(
    window: MainWindow, keys: Keys, qtbot: QtBot
) -> None:
    keys(Qt.Key.Key_N, held=CTRL)
    keys(Qt.Key.Key_3, held=ALT)
    page = window.stations.page("look")
    assert isinstance(page, LookPage)
    keys(Qt.Key.Key_G, Qt.Key.Key_Down, Qt.Key.Key_B)
    assert "Never push a probe into a terminal" in page.caution.text()
    page.note.setFocus()
    keys("white salt")
    looks = of_kind(kept(window, qtbot).entries, Look)
    assert [(look.item, look.seen, look.note) for look in looks] == [
        ("plug_seated", Seen.GOOD, ""), ("pins", Seen.BAD, "white salt"),
    ]  # fmt: skip
    assert window.nerve.accessibleDescription().startswith("Suspected")


def test_a_photo_is_kept_beside_the_logbook_and_shown(
    window: MainWindow, keys: Keys, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    picture = tmp_path / "salt.png"
    image = QImage(300, 200, QImage.Format.Format_RGB32)
    image.fill(0x808080)
    image.save(str(picture))
    keys(Qt.Key.Key_N, held=CTRL)
    window.go("look")
    page = window.stations.page("look")
    assert isinstance(page, LookPage)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(picture), ""))
    page.photo.click()
    qtbot.waitUntil(lambda: page.photos.count() == 1, timeout=20_000)
    (look,) = of_kind(kept(window, qtbot).entries, Look)
    assert (window.job_part.files / look.photos[0]).read_bytes() == picture.read_bytes()
    broken = tmp_path / "broken.png"
    broken.write_bytes(b"no picture")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(broken), ""))
    page.photo.click()
    qtbot.waitUntil(lambda: "broken.png: it is no picture" in window.notice.text.text(), timeout=20_000)
    assert page.photos.count() == 1
    # What was damaged after it was kept is told as that.
    second = tmp_path / "second.png"
    image.fill(0x404040)
    image.save(str(second))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(second), ""))
    page.photo.click()
    qtbot.waitUntil(lambda: page.photos.count() == 2, timeout=20_000)
    (look,) = of_kind(kept(window, qtbot).entries, Look)
    (window.job_part.files / look.photos[1]).write_bytes(b"no picture")
    window.go("codes")
    window.go("look")
    shown = page.photos.itemAt(1).widget()  # type: ignore[union-attr] # two are there
    assert shown.text() == "no picture"  # type: ignore[union-attr] # a label


def test_codes_typed_pasted_merged_compared_and_explained(
    window: MainWindow, keys: Keys, qtbot: QtBot
) -> None:
    keys(Qt.Key.Key_N, held=CTRL)
    keys(Qt.Key.Key_2, held=ALT)
    page = window.stations.page("codes")
    assert isinstance(page, CodesPage)
    keys("p 0222-16", Qt.Key.Key_Return, "P2106 0x2135", Qt.Key.Key_Return)
    (found,) = of_kind(kept(window, qtbot).entries, CodeSet)
    assert [c.code for c in found.codes] == ["P0222-16", "P2106", "P2135"]
    assert ("P0222", "cause") in page.story.codes
    assert ("P2106", "consequence") in page.story.codes
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    clipboard.setText("Control unit: engine\nP0507 stored idle too fast\nP0222 history")
    page.moment.setCurrentIndex(page.moment.findData(Moment.REPAIRED))
    page.paste.click()
    sets = of_kind(kept(window, qtbot).entries, CodeSet)
    assert [s.source for s in sets] == [Source.TYPED, Source.PASTED]
    assert page.compared.text().endswith("gone: P2106, P2135 · stayed: P0222 · new: P0507")
    page.table.setCurrentCell(0, 0)
    assert page.about.text().startswith("Its monitor compares")
    page.line.setFocus()
    keys("X999", Qt.Key.Key_Return)
    assert window.notice.text.text().startswith("“X999” is no trouble code; accepted is")
    assert page.line.text() == "X999"
    clipboard.setText("nothing of the kind")
    page.paste.click()
    assert "No trouble code stands in what was copied" in window.notice.text.text()
    page.table.setCurrentCell(1, 0)
    page.remove.click()
    assert len(of_kind(kept(window, qtbot).entries, CodeSet)[-1].codes) == 1


def test_no_code_is_a_result_too(window: MainWindow, keys: Keys, qtbot: QtBot) -> None:
    keys(Qt.Key.Key_N, held=CTRL)
    window.go("codes")
    page = window.stations.page("codes")
    assert isinstance(page, CodesPage)
    page.none.click()
    (found,) = of_kind(kept(window, qtbot).entries, CodeSet)
    assert found.codes == ()
    assert page.text.text().startswith("None was there")


def test_a_makers_own_code_is_never_guessed_and_the_users_words_are_kept(
    window: MainWindow, keys: Keys, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    keys(Qt.Key.Key_N, held=CTRL)
    keys(Qt.Key.Key_2, held=ALT)
    keys("P1545", Qt.Key.Key_Return)
    page = window.stations.page("codes")
    assert isinstance(page, CodesPage)
    page.table.setCurrentCell(0, 0)
    told = page.table.item(0, 1)
    assert told is not None
    assert told.text() == "the maker's own, not guessed at"
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("plate adaption", True))
    page.own_words.click()

    def meaning() -> str:
        item = page.table.item(0, 1)
        return item.text() if item is not None else ""

    qtbot.waitUntil(lambda: meaning() == "plate adaption (your words)", timeout=20_000)
    kept(window, qtbot)
    book = Logbook(window.job_part.keeper.path)
    assert book.own_codes() == {read_code("P1545"): "plate adaption"}
    book.close()


def test_codes_go_out_as_csv_and_come_in_from_any_report(
    window: MainWindow, keys: Keys, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    keys(Qt.Key.Key_N, held=CTRL)
    keys(Qt.Key.Key_2, held=ALT)
    keys("P0121-85", Qt.Key.Key_Return)
    page = window.stations.page("codes")
    assert isinstance(page, CodesPage)
    out = tmp_path / "out.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (str(out), ""))
    page.save.click()
    keys(Qt.Key.Key_N, held=CTRL)
    window.go("codes")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(out), ""))
    page.load.click()
    qtbot.waitUntil(lambda: page.set_shown is not None, timeout=20_000)
    (found,) = of_kind(kept(window, qtbot).entries, CodeSet)
    assert (found.codes[0].code, found.source) == ("P0121-85", Source.FILE)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(tmp_path / "none.txt"), ""))
    page.load.click()
    qtbot.waitUntil(lambda: "can't be read" in window.notice.text.text(), timeout=20_000)


def test_someone_arrives_with_a_log_file_and_it_becomes_a_job(
    window: MainWindow, keys: Keys, qtbot: QtBot
) -> None:
    window.open_file(SAMPLES / "sample-09-wiring-drops.csv")
    qtbot.waitUntil(lambda: window.opened is not None, timeout=20_000)
    assert "the wiring of signal 1" in window.judgement.headline.text()
    keys(Qt.Key.Key_B, held=CTRL)
    qtbot.waitUntil(
        lambda: window.job is not None and bool(of_kind(window.job.entries, Findings)), timeout=10_000
    )
    job = kept(window, qtbot)
    (recorded,) = of_kind(job.entries, Recorded)
    original = (SAMPLES / "sample-09-wiring-drops.csv").read_bytes()
    assert (window.job_part.files / recorded.file).read_bytes() == original
    assert "the wiring of signal 1" in window.judgement.headline.text()
    window.go("jobs")
    qtbot.waitUntil(lambda: window.home.model.rowCount() == 1, timeout=20_000)
    keys(Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.job is not None, timeout=20_000)
    keys(Qt.Key.Key_4, held=ALT)
    qtbot.waitUntil(lambda: window.opened is not None, timeout=20_000)
    assert window.opened is not None
    assert window.opened.title == "sample-09-wiring-drops.csv"
    assert len(of_kind(kept(window, qtbot).entries, Recorded)) == 1
    assert len(of_kind(kept(window, qtbot).entries, Findings)) == 1


def test_a_recording_goes_into_the_job_it_was_opened_in_also_if_another_is_opened_meanwhile(
    window: MainWindow, keys: Keys, qtbot: QtBot
) -> None:
    keys(Qt.Key.Key_N, held=CTRL)
    first = kept(window, qtbot).id
    window.job_part.keeper.ask(lambda _book: time.sleep(0.3), lambda _none: None)
    window.open_file(SAMPLES / "sample-09-wiring-drops.csv")
    qtbot.waitUntil(lambda: window.opened is not None, timeout=20_000)
    window.begin_job("another")
    book = Logbook(window.job_part.keeper.path)
    qtbot.waitUntil(lambda: len(book.job(first).entries) == 2, timeout=20_000)
    book.close()
    assert of_kind(kept(window, qtbot).entries, Recorded) == ()


def test_a_second_change_before_a_retest_gets_a_warning_that_says_why(
    window: MainWindow, keys: Keys, qtbot: QtBot
) -> None:
    keys(Qt.Key.Key_N, held=CTRL)
    keys(Qt.Key.Key_7, held=ALT)
    keys("plug cleaned", Qt.Key.Key_Return)
    page = window.stations.page("mend")
    warning = page.change.warning  # type: ignore[attr-defined] # the page of changes
    assert warning.isVisible()
    assert "“plug cleaned” has not been tested yet" in warning.text()
    assert "nobody will know which of them cured it" in warning.text()
    done_at = of_kind(kept(window, qtbot).entries, Change)[0].at
    qtbot.waitUntil(lambda: now() > done_at, timeout=20_000)
    keys(Qt.Key.Key_2, held=ALT)
    window.stations.page("codes").none.click()  # type: ignore[attr-defined] # the page of codes
    keys(Qt.Key.Key_7, held=ALT)
    assert not warning.isVisible()
    assert [c.done for c in of_kind(kept(window, qtbot).entries, Change)] == ["plug cleaned"]


def test_pins_decision_and_proof_by_keys(window: MainWindow, keys: Keys, qtbot: QtBot) -> None:
    keys(Qt.Key.Key_N, held=CTRL)
    keys(Qt.Key.Key_5, held=ALT)
    keys("plug pin 2, key on: 4,98 V", Qt.Key.Key_Return, "no value here", Qt.Key.Key_Return)
    assert "ends in no value" in window.notice.text.text()
    keys(Qt.Key.Key_6, held=ALT)
    keys("renew the plug", Qt.Key.Key_Return)
    window.go("prove")
    page = window.stations.page("prove")
    keys(Qt.Key.Key_Tab, Qt.Key.Key_Tab, Qt.Key.Key_Space)
    job = kept(window, qtbot)
    (reading,) = of_kind(job.entries, Reading)
    assert (reading.where, reading.value, reading.unit) == ("plug pin 2, key on", 4.98, "V")
    assert [d.words for d in of_kind(job.entries, Decision)] == ["renew the plug"]
    (moved,) = of_kind(job.entries, Moved)
    assert moved.due == date.today() + timedelta(days=14)
    assert window.head.state.text() == "watching"
    assert page.list.count() == 3  # type: ignore[attr-defined] # the page of the proof


@pytest.mark.parametrize(
    ("text", "where", "value", "unit"),
    [(".51", "", 0.51, "V"), ("510 mV", "", 0.51, "V"), ("motor 2,4 ohm", "motor", 2.4, "Ω"),
     ("screws: 16 ft-lb", "screws", 21.69, "N·m"), ("ground = -0.03V", "ground", -0.03, "V")],
)  # fmt: skip
def test_values_as_people_write_them(text: str, where: str, value: float, unit: str) -> None:
    """Source: one foot-pound is 1.3558179 N·m (NIST SP 811, appendix B)."""
    found = read_quantity(text)
    assert (found.where, found.unit) == (where, unit)
    assert found.value == pytest.approx(value, abs=0.005)
    with pytest.raises(QuantityUnreadable, match="no unit"):
        read_quantity("five 3 bananas")


def fill(window: MainWindow, qtbot: QtBot) -> None:
    """The demo's jobs, without their recordings."""
    for course in courses():
        window.job_part.keeper.write(course.job.id, partial(Logbook.put_job, job=course.job))
    window.job_part.refresh()
    qtbot.waitUntil(lambda: window.home.model.rowCount() == 12, timeout=20_000)


def test_jobs_are_found_as_one_types_and_filtered(window: MainWindow, keys: Keys, qtbot: QtBot) -> None:
    window.go("jobs")
    fill(window, qtbot)
    keys("nine")
    assert [r.vehicle for r in window.home.model.rows] == ["No 6 · nine-seat bus"]
    keys(*[Qt.Key.Key_Backspace] * 4, "no 5", Qt.Key.Key_Down, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.job is not None, timeout=20_000)
    assert window.job is not None
    assert window.job.vehicle.name == "No 5"
    window.go("prove")
    window.stations.page("prove").states[JobState.CAME_BACK].click()  # type: ignore[attr-defined] # the proof
    kept(window, qtbot)
    keys(Qt.Key.Key_0, held=ALT)
    came_back = window.home.states[JobState.CAME_BACK]
    qtbot.waitUntil(lambda: came_back.text().endswith("came back · 1"), timeout=20_000)
    window.home.search.clear()
    came_back.click()
    assert [r.vehicle for r in window.home.model.rows] == ["No 5 · wheelchair bus"]
    window.home.states[None].click()
    window.home.search.setText("No 99")
    assert "Enter begins a job for a vehicle of that name" in window.home.empty.text()
    window.home.search.setFocus()
    keys(Qt.Key.Key_Return)
    assert window.job is not None
    assert window.job.vehicle.name == "No 99"


def test_the_demo_fills_the_list_job_by_job_and_says_that_it_is_invented(
    window: MainWindow, keys: Keys, qtbot: QtBot
) -> None:
    window.go("jobs")
    window.fill_with_demo()
    qtbot.waitUntil(lambda: 0 < window.home.model.rowCount() < 26, timeout=20_000)
    qtbot.waitUntil(lambda: window.home.model.rowCount() == 26, timeout=60_000)
    assert window.head.state.text() == "demo · invented data"
    window.home.search.setFocus()
    keys("quay", Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.job is not None, timeout=20_000)
    assert window.head.state.text() == "watching"
    keys(Qt.Key.Key_4, held=ALT)
    qtbot.waitUntil(lambda: window.opened is not None, timeout=20_000)
    assert window.judgement.headline.text() == (
        "Almost surely a worn place on track 1. Whether the repair holds is not tested yet."
    )


def test_the_list_says_what_waits_and_for_how_long() -> None:
    row = JobRow("1", "v", "No 6", "", "", "", JobState.WATCHING, date(2031, 5, 4), None, None)  # type: ignore[arg-type] # no times
    assert waits(row, date(2031, 5, 1)) == "watching · 3 days left"
    assert waits(row, date(2031, 5, 3)) == "watching · 1 day left"
    assert waits(row, date(2031, 5, 6)) == "watching · 2 days over"


def test_a_vehicle_that_was_here_before_is_chosen_and_another_name_is_another_vehicle(
    window: MainWindow, keys: Keys, qtbot: QtBot
) -> None:
    window.go("jobs")
    fill(window, qtbot)
    keys(Qt.Key.Key_N, held=CTRL)
    page = window.stations.page("complaint")
    qtbot.waitUntil(lambda: "No 6" in page._known, timeout=20_000)  # type: ignore[attr-defined] # the complaint's page
    keys("No 6", Qt.Key.Key_Escape, Qt.Key.Key_Tab)
    assert window.job is not None
    assert window.job.vehicle.description == "nine-seat bus"
    page.begin()
    page.name.setFocus()  # type: ignore[attr-defined] # the complaint's page
    keys(Qt.Key.Key_End, "b")
    assert window.job.vehicle.name == "No 6b"
    kept(window, qtbot)
    book = Logbook(window.job_part.keeper.path)
    names = [v.name for v in book.vehicles()]
    book.close()
    assert names.count("No 6") == 1
    assert names.count("No 6b") == 1


def test_what_an_entry_was_before_is_told_and_brought_back(
    window: MainWindow, keys: Keys, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("nervus.logbook.book._SAME_STROKE_S", 0.0)
    keys(Qt.Key.Key_N, held=CTRL)
    window.go("look")
    page = window.stations.page("look")
    page.begin()
    keys(Qt.Key.Key_B)
    kept(window, qtbot)
    keys(Qt.Key.Key_G)
    kept(window, qtbot)
    window.go("prove")
    window.stations.page("prove").history.click()  # type: ignore[attr-defined] # the proof's page
    qtbot.waitUntil(window.notice.isVisible, timeout=20_000)
    assert window.notice.text.text().startswith("Before: bad: sensor plug seated")
    window.notice.act.click()
    assert [look.seen for look in of_kind(kept(window, qtbot).entries, Look)] == [Seen.BAD]


def test_two_windows_see_what_the_other_keeps(window: MainWindow, keys: Keys, qtbot: QtBot) -> None:
    settings = QSettings(str(window.job_part.keeper.path) + ".ini", QSettings.Format.IniFormat)
    other = MainWindow(settings, window.job_part.keeper.path)
    qtbot.addWidget(other)
    other.show()
    keys(Qt.Key.Key_N, held=CTRL)
    keys("No 7")
    kept(window, qtbot)
    qtbot.waitUntil(lambda: other.home.model.rowCount() == 1, timeout=10_000)
    assert window.job is not None
    other.open_job(window.job.id, "mend")
    qtbot.waitUntil(lambda: other.job is not None, timeout=20_000)
    line = other.stations.page("mend").change.line  # type: ignore[attr-defined] # the page of changes
    line.setFocus()
    qtbot.keyClicks(line, "plug cleaned")
    qtbot.keyClick(line, Qt.Key.Key_Return)

    def changed() -> bool:
        return window.job is not None and bool(of_kind(window.job.entries, Change))

    qtbot.waitUntil(changed, timeout=10_000)
    other.close()


@pytest.fixture
def impatient(monkeypatch: pytest.MonkeyPatch) -> None:
    """Asked for before the window: a logbook that does not wait long for who holds its file."""
    monkeypatch.setattr("nervus.logbook.opening._BUSY_S", 0.05)


@pytest.mark.usefixtures("impatient")
def test_what_the_disk_does_not_take_waits_is_told_and_is_saved_later(
    window: MainWindow, keys: Keys, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    keys(Qt.Key.Key_N, held=CTRL)
    kept(window, qtbot)

    keeper = window.job_part.keeper
    other = sqlite3.connect(keeper.path, isolation_level=None)
    other.execute("BEGIN IMMEDIATE")
    window.go("mend")
    keys("plug cleaned", Qt.Key.Key_Return)
    told = window.notice.text
    qtbot.waitUntil(lambda: "another program holds" in told.text(), timeout=20_000)
    assert keeper.waits
    assert window.foot.source.whole == "not saved"
    monkeypatch.setattr("nervus.window.main_window.really_leave", lambda _window: False)
    assert not window.close()
    assert window.isVisible()
    other.execute("ROLLBACK")
    other.close()
    assert [c.done for c in of_kind(kept(window, qtbot).entries, Change)] == ["plug cleaned"]
    qtbot.waitUntil(lambda: window.foot.source.whole == "saved", timeout=20_000)


def test_a_logbook_that_cannot_be_opened_is_told_and_recordings_still_open(
    qtbot: QtBot, tmp_path: Path
) -> None:
    path = tmp_path / "logbook.db"
    path.write_bytes(b"not a logbook" * 100)
    window = MainWindow(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat), path)
    qtbot.addWidget(window)
    window.show()
    qtbot.waitUntil(lambda: "it is no logbook" in window.notice.text.text(), timeout=20_000)
    window.open_file(SAMPLES / "sample-09-wiring-drops.csv")
    qtbot.waitUntil(lambda: window.opened is not None, timeout=20_000)
    window.close()


def test_a_job_goes_out_and_comes_back_as_a_bundle(
    window: MainWindow, keys: Keys, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    keys(Qt.Key.Key_N, held=CTRL)
    window.open_file(SAMPLES / "sample-09-wiring-drops.csv")
    qtbot.waitUntil(
        lambda: window.job is not None and bool(of_kind(window.job.entries, Findings)), timeout=20_000
    )
    job, bundle = kept(window, qtbot), tmp_path / "job.zip"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (str(bundle), ""))
    keys(Qt.Key.Key_E, held=CTRL)
    qtbot.waitUntil(bundle.is_file, timeout=20_000)
    elsewhere = MainWindow(
        QSettings(str(tmp_path / "e.ini"), QSettings.Format.IniFormat), tmp_path / "elsewhere.db"
    )
    qtbot.addWidget(elsewhere)
    elsewhere.show()
    # Chosen as a bundle it is one, whatever its name.
    unnamed = bundle.rename(tmp_path / "job of May")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(unnamed), ""))
    elsewhere._actions["take_bundle"].trigger()
    qtbot.waitUntil(lambda: elsewhere.job is not None, timeout=10_000)
    assert elsewhere.job == job
    calendar = tmp_path / "due.ics"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (str(calendar), ""))
    elsewhere._actions["due_jobs"].trigger()
    qtbot.waitUntil(lambda: "due.ics" in elsewhere.notice.text.text(), timeout=10_000)
    assert calendar.read_bytes().startswith(b"BEGIN:VCALENDAR")
    elsewhere.go("record")
    qtbot.waitUntil(lambda: elsewhere.opened is not None, timeout=20_000)
    bad = tmp_path / "bad.zip"
    bad.write_bytes(b"PK")
    elsewhere.open_file(bad)  # by its ending
    qtbot.waitUntil(lambda: "nothing was taken over" in elsewhere.notice.text.text(), timeout=20_000)
    elsewhere.close()


def test_another_programs_table_is_agreed_upon_once_and_remembered(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    rows = "".join(f"{n * 10};{500 + n};{4500 - n}\n" for n in range(200))
    path = tmp_path / "theirs.csv"
    path.write_text("Zeit [ms];TPS 1 [mV];TPS 2 [mV]\n" + rows)
    window.open_file(path)
    qtbot.waitUntil(lambda: window.findChild(MappingDialog) is not None, timeout=10_000)
    dialog = window.findChild(MappingDialog)
    assert isinstance(dialog, MappingDialog)
    dialog.channels[2].setCurrentIndex(dialog.channels[2].findData("tps1_v"))
    assert dialog.problem.text() == "Two columns are track 1."
    assert not dialog.read.isEnabled()
    dialog.channels[2].setCurrentIndex(dialog.channels[2].findData("tps2_v"))
    dialog.read.click()
    qtbot.waitUntil(lambda: window.opened is not None, timeout=20_000)
    assert window.opened is not None
    assert [c.id for c in window.opened.recording.channels] == ["tps1_v", "tps2_v"]
    dialog.deleteLater()
    window.close_recording()
    window.open_file(path)
    qtbot.waitUntil(lambda: window.opened is not None, timeout=20_000)
    assert not any(d.isVisible() for d in window.findChildren(QDialog))


def pins_are_solved(window: MainWindow) -> bool:
    (page,) = window.findChildren(PinsPage)
    return not page.solver.busy and page.state is not None


@pytest.mark.parametrize("theme", ["bright", DIM.name])
@pytest.mark.parametrize("size", [(1280, 800), (1024, 700)])
def test_no_station_cuts_its_words_or_hides_a_name(
    window: MainWindow, keys: Keys, qtbot: QtBot, theme: str, size: tuple[int, int]
) -> None:
    window.resize(*size)
    window.set_theme(theme)
    keys(Qt.Key.Key_N, held=CTRL)
    keys("No 6")
    for station in ("complaint", "codes", "look", "pins", "decide", "mend", "prove"):
        window.go(station)
        if station == "codes":
            keys("P0222 P2106 P1545", Qt.Key.Key_Return)
        if station == "pins":
            # What is solved comes from a thread: it is there before the page is looked at.
            qtbot.waitUntil(lambda: pins_are_solved(window), timeout=30_000)
        qtbot.wait(30)
        assert stumbles(window) == [], station
    kept(window, qtbot)
    window.go("jobs")
    qtbot.waitUntil(lambda: window.home.model.rowCount() == 1, timeout=20_000)
    qtbot.wait(200)
    assert stumbles(window) == []
    assert not window.findChildren(QMessageBox)
