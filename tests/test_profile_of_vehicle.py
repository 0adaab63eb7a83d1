"""The profile of a vehicle's throttle: chosen once, kept, and what its recordings are held against."""

import io
import sqlite3
from contextlib import redirect_stderr
from pathlib import Path
from zipfile import ZipFile

import msgspec
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from jobs import Written
from nervus.domain.job import Findings, Vehicle, of_kind
from nervus.domain.profile import SensorKind, ThrottleKind
from nervus.files.bundle import read_bundle, write_bundle
from nervus.judge.profiles import chosen_profile, profile_for
from nervus.judge_command import with_findings
from nervus.knowledge import profile_ids
from nervus.logbook import Logbook
from nervus.window.main_window import MainWindow
from nervus.window.pages.complaint_page import ComplaintPage

SAMPLES = Path(__file__).parent / "data" / "samples"
CONTACTLESS = "electronic-contactless"


def test_the_chosen_profile_is_taken_and_only_cable_throttles_have_a_usual_one() -> None:
    assert chosen_profile("") is None
    assert chosen_profile("another workshop's") is None
    for name in profile_ids():
        profile = chosen_profile(name)
        assert profile is not None
        assert profile.id == name
        assert profile_for(ThrottleKind.ELECTRONIC, name) == profile
        assert profile_for(ThrottleKind.CABLE, name) == profile
    usual = profile_for(ThrottleKind.CABLE)
    assert usual is not None
    assert usual.kind is ThrottleKind.CABLE
    assert profile_for(ThrottleKind.ELECTRONIC) is None


def test_a_logbook_from_before_profiles_is_read_and_keeps_them(tmp_path: Path) -> None:
    path = tmp_path / "logbook.db"
    job = Written().told("stumble").job
    book = Logbook(path)
    book.put_job(job)
    book.close()
    before = sqlite3.connect(path)
    before.executescript(
        "ALTER TABLE vehicle DROP COLUMN profile; UPDATE alembic_version SET version_num = '0003'"
    )
    before.close()
    book = Logbook(path)
    assert book.job(job.id) == job
    chosen = replace(job.vehicle, profile=CONTACTLESS)
    book.set_vehicle(job.id, chosen)
    assert book.job(job.id).vehicle == chosen
    assert book.vehicles() == [chosen]
    book.close()


def test_a_bundle_names_the_profile_and_one_without_is_as_older_programs_read_it(
    tmp_path: Path,
) -> None:
    job = Written().told("stumble").job
    for profile, version in (("", 1), (CONTACTLESS, 2)):
        made = replace(job, vehicle=replace(job.vehicle, profile=profile))
        to = tmp_path / f"{version}.nervus.zip"
        write_bundle(made, lambda name: tmp_path / name, to)
        (folder := tmp_path / str(version)).mkdir()
        assert read_bundle(to, folder) == made
        with ZipFile(to) as bundle:
            envelope = msgspec.json.decode(bundle.read("job.json"))
        assert envelope["version"] == version
        assert envelope["job"]["vehicle"].get("profile", "") == profile


def test_the_command_says_that_it_judges_without_a_profile_it_does_not_know() -> None:
    job = Written().told("stumble").job
    for name, told in (("bent-lever", "bent-lever is not known here"), (CONTACTLESS, ""), ("", "")):
        with redirect_stderr(io.StringIO()) as said:
            with_findings(replace(job, vehicle=replace(job.vehicle, profile=name)), Path)
        assert told in said.getvalue()
        assert bool(told) == bool(said.getvalue())


@pytest.fixture
def page(window: MainWindow, qtbot: QtBot) -> ComplaintPage:
    """The complaint of a job that was begun with a recording."""
    qtbot.waitUntil(lambda: not window.home.empty.text().startswith("Opening"), timeout=30_000)
    window.open_file(SAMPLES / "sample-09-wiring-drops.csv")
    qtbot.waitUntil(lambda: window.opened is not None and not window.is_busy, timeout=30_000)
    window.keep_opened()
    qtbot.waitUntil(
        lambda: window.job is not None and bool(of_kind(window.job.entries, Findings)), timeout=20_000
    )
    shown = window.stations.page("complaint")
    assert isinstance(shown, ComplaintPage)
    return shown


def vehicle(window: MainWindow) -> Vehicle:
    """Of the job in hand."""
    assert window.job is not None
    return window.job.vehicle


def test_what_is_chosen_by_keys_judges_the_recordings_anew(
    window: MainWindow, page: ComplaintPage, qtbot: QtBot
) -> None:
    def technology() -> SensorKind:
        assert window.opened is not None
        return window.opened.analysis.examination.technology

    def settled() -> None:
        qtbot.waitUntil(lambda: not window.beside.anew.is_busy, timeout=30_000)

    assert window.job is not None
    (before,) = of_kind(window.job.entries, Findings)
    assert technology() is SensorKind.UNKNOWN
    page.profile.setFocus()
    for _step in range(page.profile.findData(CONTACTLESS)):
        qtbot.keyClick(page.profile, Qt.Key.Key_Down)
        settled()
    assert page.profile.currentData() == CONTACTLESS
    assert vehicle(window).throttle is ThrottleKind.ELECTRONIC
    assert page.kinds[ThrottleKind.ELECTRONIC].isChecked()
    qtbot.waitUntil(lambda: technology() is SensorKind.CONTACTLESS, timeout=30_000)
    assert "contactless" in window.panel.limits.text()
    (after,) = of_kind(window.job.entries, Findings)
    assert (after.id, after.at) == (before.id, before.at)
    window.job_part.undo()
    qtbot.waitUntil(lambda: technology() is not SensorKind.CONTACTLESS, timeout=30_000)


def test_the_wheel_scrolls_the_page_and_changes_no_profile(
    window: MainWindow, page: ComplaintPage
) -> None:
    at = page.profile.rect().center()
    turned = QWheelEvent(
        at.toPointF(), page.profile.mapToGlobal(at).toPointF(), QPoint(), QPoint(0, -240),
        Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase,
        False,  # noqa: FBT003 - Qt's own argument
    )  # fmt: skip
    QApplication.sendEvent(page.profile, turned)
    assert page.profile.currentData() == vehicle(window).profile == ""
    assert not turned.isAccepted()


@pytest.mark.usefixtures("page")
def test_a_profile_that_is_chosen_while_a_file_is_opened_counts(
    window: MainWindow, qtbot: QtBot
) -> None:
    """The file is read and judged without it, and its copy comes into the job later still."""
    window.open_file(SAMPLES / "sample-05-dead-spot-drop.csv")
    window.job_part.set_vehicle(replace(vehicle(window), profile=CONTACTLESS))

    def judged() -> bool:
        both = of_kind(window.job.entries, Findings) if window.job is not None else ()
        return len(both) == 2 and not window.beside.anew.is_busy and not window.is_busy

    qtbot.waitUntil(judged, timeout=30_000)
    assert window.opened is not None
    assert window.opened.title.startswith("sample-05")
    assert window.opened.analysis.examination.technology is SensorKind.CONTACTLESS


def test_another_kind_of_throttle_has_other_profiles(window: MainWindow, page: ComplaintPage) -> None:
    window.job_part.set_vehicle(replace(vehicle(window), profile=CONTACTLESS))
    page.kinds[ThrottleKind.CABLE].click()
    assert (vehicle(window).throttle, vehicle(window).profile) == (ThrottleKind.CABLE, "")
    assert page.profile.currentData() == ""
    window.job_part.set_vehicle(replace(vehicle(window), profile="of-another-workshop"))
    assert "of-another-workshop (not known here)" in page.profile.currentText()
    page.kinds[None].click()
    assert vehicle(window).profile == "of-another-workshop"
    assert page.profile.count() == len(profile_ids()) + 2
