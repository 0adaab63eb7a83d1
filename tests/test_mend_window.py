"""Mend, Prove and the report in the window: a repair from its procedure to mended, by keyboard."""

from datetime import date, timedelta
from functools import partial
from pathlib import Path

import pytest
from msgspec.structs import replace
from PIL import Image
from pypdf import PdfReader
from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from nervus.domain.channel import CHANNEL_KINDS, Channel, Recording
from nervus.domain.job import (
    Change,
    CodeSet,
    Compared,
    Complaint,
    Cost,
    Guided,
    Job,
    JobState,
    Moment,
    Moved,
    SeenCode,
    Source,
    Stayed,
    TakenOff,
    Watch,
    new_id,
    new_vehicle,
    now,
    of_kind,
)
from nervus.domain.profile import ThrottleKind
from nervus.logbook import Logbook
from nervus.standin.depot import _put
from nervus.standin.depot_repairs import repairs
from nervus.window.main_window import MainWindow
from nervus.window.pages.mend_page import MendPage
from nervus.window.pages.procedure_dialog import ProcedureDialog
from nervus.window.pages.prove_page import COMPARE, WATCH, ProvePage
from nervus.window.pages.report_dialog import ReportDialog
from nervus.window.theme import BRIGHT, DIM
from signals import sweep_recording
from widget_walk import stumbles

ENTER, TAB = Qt.Key.Key_Return, Qt.Key.Key_Tab


def began(window: MainWindow, qtbot: QtBot, throttle: ThrottleKind = ThrottleKind.CABLE) -> Job:
    qtbot.waitUntil(lambda: not window.home.empty.text().startswith("Opening"), timeout=30_000)
    window.begin_job("No 9")
    qtbot.waitUntil(lambda: window.job is not None, timeout=20_000)
    assert window.job is not None
    window.job_part.set_vehicle(replace(window.job.vehicle, throttle=throttle))
    return window.job


def mend_page(window: MainWindow) -> MendPage:
    window.go("mend")
    page = window.stations.page("mend")
    assert isinstance(page, MendPage)
    return page


def prove_page(window: MainWindow) -> ProvePage:
    window.go("prove")
    page = window.stations.page("prove")
    assert isinstance(page, ProvePage)
    return page


def job_now(window: MainWindow) -> Job:
    assert window.job is not None
    return window.job


def typed(qtbot: QtBot, *texts: str) -> None:
    """Each text, then Enter, where the focus is."""
    for text in texts:
        target = QApplication.focusWidget()
        assert target is not None
        qtbot.keyClicks(target, text)
        qtbot.keyClick(target, ENTER)


def answered(dialog: ProcedureDialog, qtbot: QtBot, *texts: str) -> None:
    """Each answer, then Enter, in the dialog's line."""
    for text in texts:
        qtbot.keyClicks(dialog.line, text)
        qtbot.keyClick(dialog.line, ENTER)


def guide(page: MendPage, qtbot: QtBot, name: str) -> ProcedureDialog:
    qtbot.keyClick(page.guide, Qt.Key.Key_Space)
    (dialog,) = page.findChildren(ProcedureDialog)
    dialog.choose(name)
    return dialog


# -- mend -------------------------------------------------------------------------------------------


def test_a_procedure_is_gone_through_by_keyboard_and_what_came_off_holds_up_the_watch(
    window: MainWindow, qtbot: QtBot
) -> None:
    began(window, qtbot)
    page = mend_page(window)
    dialog = guide(page, qtbot, "throttle_body")
    answered(dialog, qtbot, "")
    assert "Not at hand" in dialog.wrong.text()
    for box in dialog.at_hand:
        qtbot.keyClick(box, Qt.Key.Key_Space)
    answered(dialog, qtbot, "", "", "", "", "", "", "yes", "")
    assert dialog.bolts.isVisible()
    answered(dialog, qtbot, "10")
    assert "no unit" in dialog.wrong.text()
    dialog.line.clear()
    answered(dialog, qtbot, "89 lbf·in", "", "", "")
    assert "All steps are done" in dialog.text.text()
    assert "-0.6 %" in dialog.text.text()
    dialog.close()
    (done,) = of_kind(job_now(window).entries, Guided)
    assert done.done["bolts"] == "89 lbf·in (10.1 N·m)"
    assert [c.done for c in of_kind(job_now(window).entries, Change)] == ["throttle body renewed"]
    off = [t.what for t in of_kind(job_now(window).entries, TakenOff)]
    assert off[:2] == ["air duct", "breather hose"]
    prove = prove_page(window)
    qtbot.keyClick(prove.states[JobState.WATCHING], Qt.Key.Key_Space)
    assert "Still off" in prove.wrong.text()
    assert job_now(window).state is JobState.OPEN
    page = mend_page(window)
    assert page.off.item(0).text().startswith("cloth in the port")  # type: ignore[union-attr] # there is one
    page.off.setFocus()
    for _ in off[1:]:
        qtbot.keyClick(page.off, ENTER)
    page.waiver.setFocus()
    typed(qtbot, "this engine has none")
    assert not page.off.isVisible()
    prove = prove_page(window)
    qtbot.keyClick(prove.states[JobState.WATCHING], Qt.Key.Key_Space)
    assert job_now(window).state is JobState.WATCHING


def test_a_wait_begins_with_enter_and_is_there_again_in_another_dialog(
    window: MainWindow, qtbot: QtBot
) -> None:
    began(window, qtbot)
    page = mend_page(window)
    dialog = guide(page, qtbot, "learn_idle")
    assert "Enter begins it" in dialog.more.text()
    answered(dialog, qtbot, "")
    assert "to go of 3 min 00 s" in dialog.more.text()
    answered(dialog, qtbot, "")
    assert "not over" in dialog.wrong.text()
    dialog.close()
    dialog.setParent(None)
    (held,) = of_kind(job_now(window).entries, Guided)
    window.job_part.put(replace(held, waits={"first": now() - timedelta(seconds=200)}))
    again = guide(page, qtbot, "learn_idle")
    assert "are over: Enter goes on" in again.more.text()
    answered(again, qtbot, "")
    assert "Engine off for 60 seconds" in again.text.text()
    again.close()


def test_what_comes_in_live_says_whether_it_has_settled(window: MainWindow, qtbot: QtBot) -> None:
    began(window, qtbot, ThrottleKind.ELECTRONIC)
    made = sweep_recording(passes=2)
    time_s = made.channels[0].time_s
    still = Recording(
        (
            Channel(CHANNEL_KINDS["tps1_pct"], time_s.copy(), 0.0 * time_s + 14.0),
            Channel(CHANNEL_KINDS["tps2_pct"], time_s.copy(), 0.0 * time_s + 70.0),
        )
    )
    window.stations.recent = lambda: still
    page = mend_page(window)
    dialog = guide(page, qtbot, "learn_commanded")
    for box in dialog.at_hand:
        box.setChecked(True)
    answered(dialog, qtbot, "", "", "yes", "quick", "quick")
    assert "the tracks add up to 84.0 %" in dialog.more.text()
    assert "Not settled yet" in dialog.more.text()
    dialog.close()


def test_a_change_says_what_it_is_meant_for_and_a_second_one_what_it_would_cost(
    window: MainWindow, qtbot: QtBot
) -> None:
    began(window, qtbot)
    told = Complaint(id=new_id(), at=now(), source=Source.TYPED, symptoms=("stumble",))
    window.job_part.put(told)
    page = mend_page(window)
    qtbot.waitUntil(lambda: page.cures.count() > 3, timeout=20_000)
    typed_at = page.change.line
    typed_at.setFocus()
    qtbot.keyClicks(typed_at, "throttle sensor renewed")
    assert page.cures.isVisible()
    page.cures.setCurrentIndex(page.cures.findData("worn_track_1"))
    page.shown_by.setCurrentIndex(1)
    qtbot.keyClick(typed_at, ENTER)
    (change,) = of_kind(job_now(window).entries, Change)
    assert (change.cures, change.shown_by) == ("worn_track_1", "same_recording")
    qtbot.keyClicks(typed_at, "plug cleaned and seated")
    qtbot.waitUntil(lambda: "nobody could tell them apart" in page.change.warning.text(), timeout=20_000)
    page.swapped.setChecked(True)
    qtbot.keyClick(typed_at, ENTER)
    assert of_kind(job_now(window).entries, Change)[-1].swapped_back


def test_costs_parts_and_what_came_off_are_typed_in_one_line(window: MainWindow, qtbot: QtBot) -> None:
    began(window, qtbot)
    page = mend_page(window)
    page.more.setFocus()
    typed(qtbot, "breather hose, dipstick")
    page.kind.setCurrentIndex(1)
    page.more.setFocus()
    typed(qtbot, "new sensor 75.50", "nothing")
    assert "holds no amount" in window.notice.text.text()
    page.more.clear()
    page.kind.setCurrentIndex(2)
    typed(qtbot, "old A 114 0.62 V, new A 114 0.50 V")
    entries = job_now(window).entries
    assert [t.what for t in of_kind(entries, TakenOff)] == ["breather hose", "dipstick"]
    assert [c.money for c in of_kind(entries, Cost)] == [75.5]
    assert [c.new_reading for c in of_kind(entries, Compared)] == ["0.50 V"]
    assert page.photo.isVisible()


def test_the_clock_is_kept_each_minute(window: MainWindow, qtbot: QtBot) -> None:
    began(window, qtbot)
    page = mend_page(window)
    qtbot.keyClick(page.clock, Qt.Key.Key_Space)
    assert page.clock.text() == "Clock runs"
    for _ in range(3):
        page._tick()
    assert [c.minutes for c in of_kind(job_now(window).entries, Cost)] == [3.0]
    qtbot.keyClick(page.clock, Qt.Key.Key_Space)
    page._tick()
    assert [c.minutes for c in of_kind(job_now(window).entries, Cost)] == [3.0]


# -- prove ------------------------------------------------------------------------------------------


def test_a_watch_is_planned_met_and_mended_by_keyboard(window: MainWindow, qtbot: QtBot) -> None:
    began(window, qtbot)
    page = mend_page(window)
    page.change.line.setFocus()
    typed(qtbot, "throttle sensor renewed")
    prove = prove_page(window)
    assert QApplication.focusWidget() is prove.watch.events
    prove.watch.events.clear()
    qtbot.keyClicks(prove.watch.events, "0")
    qtbot.keyClicks(prove.watch.amount, "2")
    qtbot.keyClick(prove.watch.amount, ENTER)
    assert "from 1 on" in prove.wrong.text()
    assert not of_kind(job_now(window).entries, Watch)
    prove.watch.events.clear()
    qtbot.keyClicks(prove.watch.events, "3")
    qtbot.keyClick(prove.watch.events, ENTER)
    (plan,) = of_kind(job_now(window).entries, Watch)
    assert (plan.events, plan.amount) == (3, 2.0)
    assert QApplication.focusWidget() is prove.watch.much
    qtbot.waitUntil(prove.watch.gauge.isVisible, timeout=20_000)
    typed(qtbot, "1")
    qtbot.waitUntil(lambda: "Clean so far: 1 hours" in prove.watch.told.text(), timeout=20_000)
    qtbot.keyClick(prove.states[JobState.MENDED], Qt.Key.Key_Space)
    assert "to go" in prove.wrong.text()
    assert job_now(window).state is JobState.OPEN
    prove.watch.much.setFocus()
    typed(qtbot, "40")
    qtbot.waitUntil(lambda: "The plan is met" in prove.watch.told.text(), timeout=20_000)
    assert prove.states[JobState.MENDED].text() == "mended: the plan is met"
    qtbot.keyClick(prove.states[JobState.MENDED], Qt.Key.Key_Space)
    moved = of_kind(job_now(window).entries, Moved)[-1]
    assert (moved.state, moved.tentative) == (JobState.MENDED, False)
    assert sum(s.amount for s in of_kind(job_now(window).entries, Stayed)) == 41.0


def test_a_due_day_that_is_over_is_refused_and_a_day_to_come_taken(
    window: MainWindow, qtbot: QtBot
) -> None:
    began(window, qtbot)
    prove = prove_page(window)
    prove.why.setText("2020-01-01")
    qtbot.keyClick(prove.states[JobState.WAITING], Qt.Key.Key_Space)
    assert "is over" in prove.wrong.text()
    prove.why.setText("5")
    qtbot.keyClick(prove.states[JobState.WAITING], Qt.Key.Key_Space)
    assert job_now(window).due == date.today() + timedelta(days=5)


def put_repairs(window: MainWindow, qtbot: QtBot) -> list[str]:
    """Both demo jobs of repairs in the logbook; their identifiers."""
    courses = repairs()

    def fill(book: Logbook) -> list[str]:
        for course in courses:
            _put(course, book)
        return [course.job.id for course in courses]

    got: list[list[str]] = []
    window.job_part.keeper.ask(fill, got.append)
    qtbot.waitUntil(lambda: bool(got), timeout=60_000)
    return got[0]


def is_open(window: MainWindow, job_id: str) -> bool:
    return window.job is not None and window.job.id == job_id


def play_mended_job(window: MainWindow, qtbot: QtBot) -> None:
    """The demo's mended job: before over after, the finding gone, the plan met."""
    held, back = put_repairs(window, qtbot)
    window.open_job(held, "prove")
    qtbot.waitUntil(lambda: window.job is not None and window.stations.now == "prove", timeout=30_000)
    prove = prove_page(window)
    qtbot.waitUntil(lambda: "The plan is met" in prove.watch.told.text(), timeout=30_000)
    assert prove.watch.recordings.count() == 1
    prove.watch.recordings.setCurrentRow(0)
    qtbot.keyClick(prove.watch.recordings, ENTER)
    counted = of_kind(job_now(window).entries, Stayed)[-1]
    assert counted.recording is not None
    assert (counted.amount, counted.events) == (18.0, 0)
    qtbot.keyClick(prove.views[COMPARE], Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: prove.compare.asked.rowCount() == 1, timeout=60_000)
    outcome = prove.compare.asked.item(0, 1)
    assert outcome is not None
    assert outcome.text() == "gone"
    assert prove.compare.numbers.rowCount() >= 2
    qtbot.keyClick(prove.compare.lay, Qt.Key.Key_Space)
    panel = window.panel
    qtbot.waitUntil(lambda: bool(panel.travel_view._below_curves), timeout=60_000)
    assert window.stations.now == "record"
    assert window.record.under.currentText().startswith("below it: Key on")
    panel.show_view("over time")
    assert panel.time_view._under
    window.record.under.setCurrentIndex(0)
    window.record.under.activated.emit(0)
    assert not panel.travel_view._below_curves
    window.open_job(back, "prove")
    qtbot.waitUntil(lambda: window.job is not None and window.job.id == back, timeout=30_000)
    qtbot.waitUntil(lambda: "not mended" in prove.watch.told.text(), timeout=30_000)
    assert "showed again" in prove.watch.gauge.words
    moved = of_kind(job_now(window).entries, Moved)
    assert moved[0].tentative
    assert moved[-1].about == of_kind(job_now(window).entries, Change)[0].id


def test_the_demo_plays_a_repair_that_holds_and_one_that_comes_back(
    window: MainWindow, qtbot: QtBot
) -> None:
    play_mended_job(window, qtbot)


def test_codes_that_nobody_read_again_are_asked_for(window: MainWindow, qtbot: QtBot) -> None:
    began(window, qtbot)
    read = CodeSet(id=new_id(), at=now(), source=Source.TYPED, codes=(SeenCode(code="P0121"),))
    window.job_part.put(read)
    window.job_part.put(Change(id=new_id(), at=now(), source=Source.SEEN, done="plug cleaned"))
    prove = prove_page(window)
    assert "codes have not been read again" in prove.untested.text()
    later = replace(read, id=new_id(), at=now() + timedelta(minutes=1), moment=Moment.REPAIRED, codes=())
    window.job_part.put(later)
    assert not prove.untested.isVisible()


def test_jobs_that_are_due_are_told_at_start(qtbot: QtBot, tmp_path: Path) -> None:
    book = Logbook(tmp_path / "logbook.db")
    moved = Moved(
        id=new_id(), at=now(), source=Source.TYPED, state=JobState.WATCHING,
        due=date.today() - timedelta(days=2),
    )  # fmt: skip
    job = Job(id=new_id(), vehicle=new_vehicle("No 3"), opened=now(), entries=(moved,))
    book.put_job(job)
    book.close()
    settings = QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)
    window = MainWindow(settings, tmp_path / "logbook.db")
    qtbot.addWidget(window)
    window.show()
    qtbot.waitUntil(
        lambda: "1 job is due: No 3 (watching since" in window.notice.text.text(), timeout=30_000
    )


# -- report -----------------------------------------------------------------------------------------


def test_the_report_is_written_beside_the_interface_and_bad_places_are_told(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    job = began(window, qtbot)
    window.job_part.put(Change(id=new_id(), at=now(), source=Source.SEEN, done="plug cleaned"))
    window._actions["report"].trigger()
    (dialog,) = window.findChildren(ReportDialog)
    dialog.words.setPlainText("Thank you.")
    dialog.workshop.setText("Island depot")
    mark = tmp_path / "mark.png"
    Image.new("RGB", (40, 40), "teal").save(mark)
    dialog.mark.setText(str(mark))
    to = tmp_path / "r.pdf"
    dialog.write_to(job_now(window), to)
    qtbot.waitUntil(lambda: "The report is in" in dialog.told.text(), timeout=60_000)
    said = PdfReader(to).pages[0].extract_text()
    assert "Thank you." in said
    assert "Island depot" in said
    dialog.write_to(job, tmp_path / "none" / "r.pdf")
    qtbot.waitUntil(lambda: "can't be written" in dialog.told.text(), timeout=60_000)
    assert dialog.write.isEnabled()
    assert window.job_part.weigher.own.name == "Island depot"
    dialog.close()


# -- looks ------------------------------------------------------------------------------------------


@pytest.mark.parametrize("theme", [BRIGHT.name, DIM.name])
def test_nothing_is_cut_or_faint_at_mend_and_prove(window: MainWindow, qtbot: QtBot, theme: str) -> None:
    window.set_theme(theme)
    held, back = put_repairs(window, qtbot)
    for job in (held, back):
        window.open_job(job, "mend")
        qtbot.waitUntil(partial(is_open, window, job), timeout=30_000)
        page = mend_page(window)
        page.change.line.setText("plug cleaned")
        page.more.setText("coolant hose")
        qtbot.keyClick(page.more, ENTER)
        assert stumbles(window) == []
        prove = prove_page(window)
        for view in (WATCH, COMPARE):
            prove.show_view(view)
            qtbot.wait(50)
            assert stumbles(window) == []
    dialog = guide(mend_page(window), qtbot, "cover_sensor")
    assert stumbles(dialog) == []
    dialog.close()
