"""The command's door to the window, work in the background that fails, and faults of our own."""

import logging
import os
import subprocess
import sys
import threading
from pathlib import Path

import jsonschema
import pytest
from PyQt6 import sip
from PyQt6.QtCore import QObject
from PyQt6.QtGui import QIcon, QPalette
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox
from pytestqt.qtbot import QtBot

from conftest import SAMPLES
from nervus import __version__
from nervus.cli import main
from nervus.domain.errors import OutsideError, Place, RecordingUnusable
from nervus.domain.progress import Progress
from nervus.files import answer, answer_schema, read_recording
from nervus.judge.analyse import analyse
from nervus.window.app import _tell_bug
from nervus.window.icon import application_icon
from nervus.window.jobs.opening import WasRead, open_demo, open_file
from nervus.window.main_window import MainWindow
from nervus.window.tasks import Task, wait_for_all
from nervus.window.theme import BRIGHT, DIM, THEMES, channel_pen, palette, style_sheet


def test_an_unknown_demo_case_is_told_before_a_window_opens(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["window", "--demo", "nonsense"]) == 2
    assert "accepted is one of loose-wire, dead-spot" in capsys.readouterr().err


def test_the_version_is_said_and_wrong_words_are_refused(capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(SystemExit) as left:
        main(["--version"])
    assert left.value.code == 0
    assert capsys.readouterr().out == f"nervus {__version__}\n"
    with pytest.raises(SystemExit) as refused:
        main(["analyse"])
    assert refused.value.code == 2


def test_a_reader_that_has_seen_enough_does_no_harm() -> None:
    code = "import sys; from nervus.cli import main; sys.exit(main(sys.argv[1:]))"
    analysed = subprocess.Popen(
        [sys.executable, "-c", code, "analyse", str(SAMPLES / "sample-09-wiring-drops.csv"), "--json"],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
    )
    assert analysed.stdout is not None
    assert analysed.stderr is not None
    analysed.stdout.close()
    complaint = analysed.stderr.read()
    analysed.stderr.close()
    analysed.wait(timeout=60)
    assert b"Traceback" not in complaint


def test_an_analysis_loads_no_window() -> None:
    """A script that analyses in bulk must not pay for Qt, nor need it."""
    code = (
        "import sys; from nervus.cli import main; "
        f"main(['analyse', {str(SAMPLES / 'sample-01-healthy-single-track.csv')!r}]); "
        "print([m for m in sys.modules if m.startswith(('PyQt6', 'pyqtgraph'))], file=sys.stderr)"
    )
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=True, env={**os.environ}
    )
    assert done.stderr.strip() == "[]"


def test_the_schema_refuses_what_is_no_answer() -> None:
    good = answer(analyse(read_recording(SAMPLES / "sample-09-wiring-drops.csv")))
    check = jsonschema.Draft202012Validator(answer_schema())
    check.validate(good)
    jsonschema.Draft202012Validator.check_schema(answer_schema())
    wrong_kind = {**good, "findings": [{**good["findings"][0], "kind": "hunch"}]}
    no_floor = {k: v for k, v in good["findings"][0].items() if k != "floor"}
    for bad in (
        {**good, "schema": "nervus.analysis/2"},
        {**good, "extra": 1},
        {**good, "suspects": good["suspects"][:3]},
        wrong_kind,
        {**good, "findings": [no_floor]},
    ):
        with pytest.raises(jsonschema.ValidationError):
            check.validate(bad)


def outcome(qtbot: QtBot, work: object) -> list[object]:
    told: list[object] = []
    application = QApplication.instance()
    assert application is not None
    task = Task(work, application)  # type: ignore[arg-type] # any function of a progress
    task.succeeded.connect(told.append)
    task.failed.connect(told.append)
    task.progressed.connect(lambda doing, share: told.append((doing, share)))
    task.start()
    qtbot.waitUntil(lambda: bool(told) and not isinstance(told[-1], tuple), timeout=20_000)
    return told


def test_work_in_the_background_reports_and_hands_over(qtbot: QtBot) -> None:
    def work(progress: Progress) -> str:
        progress("half", 0.5)
        return "whole"

    assert outcome(qtbot, work) == [("half", 0.5), "whole"]
    assert wait_for_all()


def test_a_fault_of_the_world_is_its_sentence(qtbot: QtBot) -> None:
    def work(_progress: Progress) -> None:
        raise RecordingUnusable(Place("a.csv", 3, "rpm"), "it is upside down", "turn it round")

    assert outcome(qtbot, work) == ["a.csv, line 3, column rpm: it is upside down; turn it round."]


def test_a_fault_of_ours_is_told_and_logged(qtbot: QtBot, caplog: pytest.LogCaptureFixture) -> None:
    def work(_progress: Progress) -> None:
        raise ZeroDivisionError

    with caplog.at_level(logging.ERROR):
        (told,) = outcome(qtbot, work)
    assert "a fault of its own" in str(told)
    assert "what was open is kept" in str(told)
    assert "ZeroDivisionError" in caplog.text


def test_a_mistake_on_the_interface_thread_keeps_the_window(
    window: MainWindow, caplog: pytest.LogCaptureFixture
) -> None:
    wrong = KeyError("gone")
    with caplog.at_level(logging.ERROR):
        _tell_bug(window)(KeyError, wrong, None)
    assert window.notice.isVisible()
    assert "KeyError" in window.notice.text.text()
    assert "gone" in caplog.text


def test_opening_tells_how_far_it_is_and_what_was_read(tmp_path: Path) -> None:
    steps: list[tuple[str, float]] = []
    opened = open_file(SAMPLES / "sample-09-wiring-drops.csv", lambda *step: steps.append(step))
    shares = [share for _, share in steps]
    assert shares == sorted(shares)
    assert shares[-1] == 1.0
    assert opened.vehicle is None
    read: list[WasRead] = []
    demo = open_demo("", tmp_path, lambda *_step: None, read.append)
    assert [r.path for r in read] == [demo.path]
    assert demo.state == "demo · invented data"
    with pytest.raises(OutsideError):
        open_file(SAMPLES / "none.csv", lambda *_step: None)


def test_asking_for_a_file_opens_what_was_chosen(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    chosen = str(SAMPLES / "sample-05-dead-spot-drop.csv")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (chosen, ""))
    window.files.ask_for_file()
    qtbot.waitUntil(lambda: not window.is_busy, timeout=20_000)
    assert window.opened is not None
    assert window.windowTitle().startswith(Path(chosen).name)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: ("", ""))
    window.files.ask_for_file()
    assert not window.is_busy


def test_about_says_who_decides_and_under_which_licence(window: MainWindow, qtbot: QtBot) -> None:
    window._actions["about"].trigger()
    box = window.findChild(QMessageBox)
    assert box is not None
    assert "the technician decides" in box.informativeText()
    assert "GPL-3.0-or-later" in box.informativeText()
    box.close()
    qtbot.wait(1)


@pytest.mark.parametrize("theme", THEMES.values(), ids=THEMES.keys())
def test_a_theme_reaches_style_sheet_palette_and_pens(theme: object) -> None:
    chosen = next(t for t in THEMES.values() if t is theme)
    assert "%(" not in style_sheet(chosen)
    assert chosen.ink in style_sheet(chosen)
    assert palette(chosen).color(QPalette.ColorRole.Text).name().upper() == chosen.ink
    # Tracks differ by their line, not only by their colour.
    first, second = channel_pen(chosen, "tps1_v"), channel_pen(chosen, "tps2_v")
    assert first.style() != second.style()
    assert channel_pen(chosen, "throttle_cmd_pct").style() not in (first.style(), second.style())


def test_the_two_themes_are_as_they_were_drawn() -> None:
    assert (BRIGHT.ground, BRIGHT.inflamed) == ("#F4F1EA", "#B3261E")
    assert (DIM.ground, DIM.inflamed) == ("#14191D", "#FF7A66")


def test_the_icon_is_painted_in_its_sizes(qtbot: QtBot) -> None:  # noqa: ARG001 - needs an application
    icon = application_icon()
    assert isinstance(icon, QIcon)
    assert [s.width() for s in icon.availableSizes()] == [16, 32, 64, 128]


def test_what_ends_after_its_window_was_closed_tells_nobody_and_raises_nothing(
    qtbot: QtBot, caplog: pytest.LogCaptureFixture
) -> None:
    parent, go_on, reached = QObject(), threading.Event(), threading.Event()

    def work(progress: Progress) -> str:
        reached.set()
        go_on.wait(10.0)
        progress("half", 0.5)
        return "never reached"

    told: list[object] = []
    for work_now in (work, lambda _progress: go_on.wait(10.0)):
        task = Task(work_now, parent)
        task.succeeded.connect(told.append)
        task.start()
    assert reached.wait(10.0)
    sip.delete(parent)
    with qtbot.captureExceptions() as raised:
        go_on.set()
        assert wait_for_all(10_000)
        qtbot.wait(20)
    assert raised == []
    assert told == []
    assert caplog.records == []
