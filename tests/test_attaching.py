"""A recording belongs to its job from its first sample; nothing that comes in is lost on the way."""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtCore import QSettings, Qt
from pytestqt.qtbot import QtBot

from conftest import SAMPLES
from nervus.domain.errors import RecordingUnusable
from nervus.domain.job import UNFINISHED, Findings, Identified, Job, Look, Recorded, of_kind
from nervus.files.journal import RECORDED, SUFFIX, Journal, in_use, left_over
from nervus.files.recording_csv import read_recording
from nervus.logbook import Logbook
from nervus.window.jobs import left_over_dialog, opening
from nervus.window.jobs.left_over_dialog import LeftOverDialog
from nervus.window.jobs.mapping_dialog import MappingDialog
from nervus.window.live.connect_forms import LineForm, MeterForm, VehicleForm
from nervus.window.main_window import MainWindow
from widget_walk import stumbles

WIRING = SAMPLES / "sample-09-wiring-drops.csv"


def made(qtbot: QtBot, folder: Path) -> MainWindow:
    settings = QSettings(str(folder / "settings.ini"), QSettings.Format.IniFormat)
    settings.setValue("recordings", str(folder / "recordings"))
    window = MainWindow(settings, folder / "logbook.db")
    window.resize(1280, 800)
    qtbot.addWidget(window)
    window.show()
    window.job_part.start()
    return window


@pytest.fixture
def window(qtbot: QtBot, tmp_path: Path) -> Iterator[MainWindow]:
    window = made(qtbot, tmp_path)
    yield window
    window.close()


def typing(window: MainWindow, qtbot: QtBot) -> None:
    window.live.type_readings("tps1_v")
    qtbot.waitUntil(lambda: window.live_panel.state.text() == "connected", timeout=20_000)


def enter(window: MainWindow, qtbot: QtBot, *texts: str) -> None:
    for text in texts:
        window.live_panel.words.setText(text)
        qtbot.keyClick(window.live_panel.words, Qt.Key.Key_Return)
    volts = float(texts[-1])
    qtbot.waitUntil(lambda: window.live_panel.view.latest.get("tps1_v") == volts, timeout=20_000)


def recorded(job: Job | None) -> tuple[Recorded, ...]:
    return of_kind(job.entries, Recorded) if job is not None else ()


def in_logbook(folder: Path, job_id: str) -> Job:
    book = Logbook(folder / "logbook.db")
    try:
        return book.job(job_id)
    finally:
        book.close()


def test_it_is_in_the_job_before_it_has_ended_and_complete_after(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    window.begin_job("No 6")
    assert window.job is not None
    job_id = window.job.id
    typing(window, qtbot)
    window.live.toggle_record()
    (begun,) = recorded(window.job)
    assert begun.digest == UNFINISHED
    path = window.job_part.files / begun.file
    assert in_use(path)
    enter(window, qtbot, ".51", ".62")
    assert window.job_part.keeper.settle()
    assert recorded(in_logbook(tmp_path, job_id)) == (begun,)
    window.live.toggle_record()
    qtbot.waitUntil(lambda: recorded(window.job)[0].digest != UNFINISHED, timeout=10_000)
    qtbot.waitUntil(lambda: not window.is_busy, timeout=10_000)
    (ended,) = recorded(window.job)
    assert (ended.id, ended.channels) == (begun.id, ("tps1_v",))
    assert ended.duration_s > 0.0
    track = read_recording(path).get("tps1_v")
    assert track is not None
    assert list(track.values) == [0.51, 0.62]
    assert left_over(tmp_path / "recordings") == ()


def test_closing_the_window_while_it_records_leaves_it_in_its_job(qtbot: QtBot, tmp_path: Path) -> None:
    window = made(qtbot, tmp_path)
    window.begin_job("No 6")
    assert window.job is not None
    job_id = window.job.id
    typing(window, qtbot)
    window.live.toggle_record()
    enter(window, qtbot, ".51", ".62")
    window.close()
    (begun,) = recorded(in_logbook(tmp_path, job_id))
    again = made(qtbot, tmp_path)
    again.open_job(job_id)
    qtbot.waitUntil(lambda: bool(recorded(again.job)), timeout=10_000)
    qtbot.waitUntil(lambda: recorded(again.job)[0].digest != UNFINISHED, timeout=10_000)
    assert recorded(again.job)[0].id == begun.id
    again.close()


def test_closing_the_window_while_it_records_in_no_job_offers_it_at_the_next_start(
    qtbot: QtBot, tmp_path: Path
) -> None:
    window = made(qtbot, tmp_path)
    typing(window, qtbot)
    window.live.toggle_record()
    enter(window, qtbot, ".51", ".62")
    window.close()
    assert len(left_over(tmp_path / "recordings")) == 1
    again = made(qtbot, tmp_path)
    assert "1 recording is in no job" in again.notice.text.text()
    again.close()


def test_a_job_that_begins_while_it_records_gets_all_of_it(window: MainWindow, qtbot: QtBot) -> None:
    typing(window, qtbot)
    window.live.toggle_record()
    enter(window, qtbot, ".51")
    window.begin_job("No 6")
    (begun,) = recorded(window.job)
    assert (window.job_part.files / begun.file).is_file()
    window.go("record")
    enter(window, qtbot, ".62")
    window.live.toggle_record()
    qtbot.waitUntil(lambda: recorded(window.job)[0].digest != UNFINISHED, timeout=10_000)
    qtbot.waitUntil(lambda: not window.is_busy, timeout=10_000)
    track = read_recording(window.job_part.files / begun.file).get("tps1_v")
    assert track is not None
    assert list(track.values) == [0.51, 0.62]


def test_stopping_or_failing_to_judge_it_does_not_lose_it_to_the_job(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fails(*_arguments: object) -> object:
        raise RecordingUnusable.only_codes("x", [])

    monkeypatch.setattr(opening, "_judge", fails)
    window.begin_job("No 6")
    window.open_file(WIRING)
    qtbot.waitUntil(lambda: bool(recorded(window.job)), timeout=10_000)
    qtbot.waitUntil(window.panel.notice.isVisible, timeout=10_000)
    (kept,) = recorded(window.job)
    assert window.job is not None
    assert (window.job_part.files / kept.file).read_bytes() == WIRING.read_bytes()
    assert kept.channels
    assert of_kind(window.job.entries, Findings) == ()


def test_what_comes_through_a_mapping_keeps_its_time_and_the_file_it_was_made_from(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    foreign = tmp_path / "other program.csv"
    rows = "\n".join(f"{n / 100};{1.0 + n / 500:.3f}".replace(".", ",") for n in range(400))
    foreign.write_text(f"Zeit [s];TPS 1 [V]\n{rows}\n")
    made_at = time.time() - 86_400.0
    os.utime(foreign, (made_at, made_at))
    window.begin_job("No 6")
    window.open_file(foreign)
    qtbot.waitUntil(lambda: bool(window.findChildren(MappingDialog)), timeout=10_000)
    (dialog,) = window.findChildren(MappingDialog)
    dialog.read.click()
    qtbot.waitUntil(lambda: bool(recorded(window.job)), timeout=10_000)
    (kept,) = recorded(window.job)
    assert kept.at.timestamp() == pytest.approx(made_at, abs=1.0)
    assert kept.original is not None
    assert (window.job_part.files / kept.original).read_bytes() == foreign.read_bytes()


def test_a_photo_chosen_just_before_another_job_is_opened_is_in_its_look(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    window.begin_job("No 6")
    assert window.job is not None
    first = window.job.id
    window.go("look")
    picture = tmp_path / "plug.png"
    Image.new("RGB", (8, 8), "green").save(picture)
    page = window.stations.page("look")
    text = tmp_path / "text.png"
    text.write_text("no picture")
    page.photo_wanted.emit("plug", text)  # type: ignore[attr-defined] # the page of looks
    qtbot.waitUntil(lambda: "text.png: it is no picture" in window.notice.text.text(), timeout=10_000)
    page.photo_wanted.emit("plug", picture)  # type: ignore[attr-defined] # the page of looks
    window.begin_job("No 7")
    qtbot.waitUntil(lambda: window.job is not None and window.job.id != first, timeout=20_000)

    def photos() -> tuple[str, ...]:
        window.job_part.keeper.settle()
        looks = of_kind(in_logbook(tmp_path, first).entries, Look)
        return looks[0].photos if looks else ()

    qtbot.waitUntil(lambda: bool(photos()), timeout=10_000)
    assert photos()[0].endswith("plug.png")
    assert window.job is not None
    assert of_kind(window.job.entries, Look) == ()


def test_all_that_are_in_no_job_are_listed_opened_or_put_away(qtbot: QtBot, tmp_path: Path) -> None:
    for name in ("one", "two", "three"):
        journal = Journal(tmp_path / f"{name}{SUFFIX}")
        if name != "two":
            journal.samples("tps1_v", np.arange(10.0), np.ones(10))
        journal.close()
    busy = Journal(tmp_path / f"busy{SUFFIX}")
    dialog = LeftOverDialog(tmp_path)
    qtbot.addWidget(dialog)
    dialog.show()
    assert dialog.list.count() == 3  # the one that is being written is in use, and not cut off
    assert stumbles(dialog) == []
    rows = [dialog.list.item(n).text().split(" ")[0] for n in range(3)]  # type: ignore[union-attr] # there are three
    dialog.list.setCurrentRow(rows.index("two"))
    dialog.away.click()
    assert (tmp_path / "put away" / f"two{SUFFIX}").is_file()
    assert dialog.list.count() == 2
    with qtbot.waitSignal(dialog.open_wanted) as wanted:
        dialog.open_one.click()
    assert wanted.args is not None
    assert wanted.args[0].is_file()
    busy.close()


def test_a_recording_whose_entry_a_kill_kept_from_the_logbook_is_found_again(
    qtbot: QtBot, tmp_path: Path
) -> None:
    window = made(qtbot, tmp_path)
    window.begin_job("No 6")
    assert window.job is not None
    job_id = window.job.id
    window.job_part.keeper.settle()
    begun = window.job_part.attaching.begin_recording(window.job, "told by the file alone")
    begun.path.parent.mkdir(exist_ok=True)
    journal = Journal(begun.path)
    journal.belongs_to(begun.owner)
    journal.samples("tps1_v", np.arange(10.0), np.ones(10))
    journal.close()
    (entry,) = recorded(window.job)
    window.job_part.take_out(entry)
    window.close()
    book = Logbook(tmp_path / "logbook.db")
    book._connection.exec_driver_sql("DELETE FROM earlier")
    book._connection.exec_driver_sql("DELETE FROM entry")
    book._connection.commit()
    book.close()
    again = made(qtbot, tmp_path)
    again.open_job(job_id)
    qtbot.waitUntil(lambda: bool(recorded(again.job)), timeout=10_000)
    assert recorded(again.job)[0].name == "told by the file alone"
    assert begun.path.suffix == RECORDED
    again.close()


WRITER = """
import sys, time, numpy as np
from pathlib import Path
from nervus.files.journal import Journal
journal = Journal(Path(sys.argv[1]))
print("ready", flush=True)
while True:
    now = time.monotonic()
    journal.samples("tps1_v", np.asarray([now]), np.asarray([1.0]))
    time.sleep(0.002)
"""


def test_a_journal_is_in_use_while_another_program_writes_it_and_no_longer(tmp_path: Path) -> None:
    path = tmp_path / f"r{SUFFIX}"
    writer = subprocess.Popen(
        [sys.executable, "-c", WRITER, str(path)], stdout=subprocess.PIPE, text=True
    )
    assert writer.stdout is not None
    assert writer.stdout.readline() == "ready\n"
    assert in_use(path)
    assert left_over(tmp_path) == ()
    os.kill(writer.pid, signal.SIGKILL)
    writer.wait()
    writer.stdout.close()
    assert not in_use(path)
    assert left_over(tmp_path) == (path,)


def test_what_to_connect_to_is_asked_remembered_and_checked(qtbot: QtBot, tmp_path: Path) -> None:
    settings = QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)
    vehicle = VehicleForm(settings)
    qtbot.addWidget(vehicle)
    vehicle.show()
    assert stumbles(vehicle) == []
    vehicle.where.setCurrentText("can1")
    vehicle.unit.setText("engine")
    qtbot.keyClick(vehicle.unit, Qt.Key.Key_Return)
    assert "is no control unit" in vehicle.wrong.text()
    assert vehicle.isVisible()
    vehicle.unit.setText("18DA10F1")
    with qtbot.waitSignal(vehicle.wanted) as wanted:
        qtbot.keyClick(vehicle.unit, Qt.Key.Key_Return)
    assert wanted.args == ["socketcan:can1", 0x110]
    meter = MeterForm(settings)
    qtbot.addWidget(meter)
    meter.show()
    assert stumbles(meter) == []
    meter.where.setCurrentText("127.0.0.1:5025")
    meter.probe.setCurrentIndex(meter.probe.findData("vref_v"))
    meter.wait.setText("forever")
    meter.connect_now.click()
    assert "can't be waited for" in meter.wrong.text()
    meter.wait.setText("3,5")
    meter.question.setText("VAL?")
    with qtbot.waitSignal(meter.wanted) as wanted:
        meter.connect_now.click()
    assert wanted.args is not None
    where, channel, setup = wanted.args
    assert (where, channel) == ("127.0.0.1:5025", "vref_v")
    assert (setup.question, setup.wait_s) == ("VAL?", 3.5)
    again = MeterForm(settings)
    qtbot.addWidget(again)
    assert again.question.text() == "VAL?"
    assert again.probe.currentData() == "vref_v"
    line = LineForm(settings)
    qtbot.addWidget(line)
    line.show()
    line.probe.setCurrentIndex(line.probe.findData("sgnd_v"))
    with qtbot.waitSignal(line.wanted) as wanted:
        line.connect_now.click()
    assert wanted.args == ["sgnd_v", 0.0]


def test_a_sweep_by_ohms_asks_for_the_track(qtbot: QtBot, tmp_path: Path) -> None:
    ohms = LineForm(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(ohms)
    ohms.show()
    ohms.probe.setCurrentIndex(ohms.probe.findData("tps1_pct"))
    ohms.connect_now.click()
    assert "measure it end to end" in ohms.wrong.text()
    ohms.track.setText("4,2k")
    with qtbot.waitSignal(ohms.wanted) as wanted:
        ohms.connect_now.click()
    assert wanted.args == ["tps1_pct", 4200.0]


def test_what_the_control_unit_tells_of_itself_is_in_the_job_once(
    window: MainWindow, qtbot: QtBot
) -> None:
    window.begin_job("No 6")
    window.connect_simulated("open-signal2")

    def kept() -> tuple[Identified, ...]:
        return of_kind(window.job.entries, Identified) if window.job is not None else ()

    qtbot.waitUntil(lambda: bool(kept()), timeout=30_000)
    (told,) = kept()
    assert told.module == "control unit 0"
    assert told.vehicle == "ISLANDDEPOT000006"
    assert told.calibration
    window.job_part.put_identities(window.live.identity)
    assert len(kept()) == 1
    window.begin_job("No 7")
    assert [e.vehicle for e in kept()] == ["ISLANDDEPOT000006"]
    window.live_part.leave()


def test_a_recording_put_away_by_another_window_is_not_listed(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    there = tmp_path / f"there{SUFFIX}"
    there.write_bytes(b"x")
    gone = tmp_path / f"gone{SUFFIX}"
    monkeypatch.setattr(left_over_dialog, "left_over", lambda _folder: [there, gone])
    dialog = LeftOverDialog(tmp_path)
    qtbot.addWidget(dialog)
    assert dialog.list.count() == 1


def test_a_recording_that_can_not_be_opened_is_named(tmp_path: Path) -> None:
    """A folder in the place of a file can't be opened by anybody, an administrator either."""
    from nervus.window.jobs.attaching import _unnamed

    (tmp_path / "0123-road.nervus").mkdir()
    (tmp_path / "known.nervus").mkdir()
    assert _unnamed(tmp_path, {"known.nervus"}) == ([], ["0123-road.nervus (Is a directory)"])
