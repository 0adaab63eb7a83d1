"""The installed command in a window of a real X server."""

import subprocess
import sys
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from pytestqt.qtbot import QtBot

from nervus.domain.plug import PlugEnd
from nervus.domain.profile import ThrottleKind
from nervus.window.main_window import MainWindow
from nervus.window.pins.setting_dialog import SettingDialog
from test_mend_window import play_mended_job
from test_pins_solving import SIX
from test_pins_window import THREE, began, draw, solved

pytestmark = pytest.mark.real_window


def test_the_window_shows_on_a_real_screen(window: MainWindow, qtbot: QtBot) -> None:
    assert QGuiApplication.platformName() == "xcb"
    qtbot.waitExposed(window)
    window.open_demo("")
    qtbot.waitUntil(lambda: not window.is_busy, timeout=20_000)
    # Not busy is not yet painted: the server shows what was drawn a moment later.
    qtbot.waitUntil(
        lambda: {window.theme.inflamed.lower(), window.theme.action.lower()} <= _shown(window),
        timeout=20_000,
    )


def _shown(window: MainWindow) -> set[str]:
    """Colours on the screen where the window is, every second pixel."""
    screen = window.screen()
    assert screen is not None
    picture = screen.grabWindow(window.winId()).toImage()
    return {
        picture.pixelColor(x, y).name()
        for y in range(100, min(700, picture.height()), 2)
        for x in range(20, min(1200, picture.width()), 2)
    }


SHOW_AND_CLOSE = """
import sys
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
from nervus import cli
from nervus.window.shown_part import ShownPart

shown = ShownPart.show
def show_then_close(part, opened):
    shown(part, opened)
    window = part.parent()
    print(window.judgement.headline.text(), flush=True)
    QTimer.singleShot(0, window.close)
ShownPart.show = show_then_close
sys.exit(cli.main(["window", "--demo", "dead-spot"]))
"""


def test_the_command_opens_the_demo_and_leaves_cleanly(tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-c", SHOW_AND_CLOSE],
        capture_output=True,
        text=True,
        timeout=60,
        cwd=tmp_path,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    assert done.stdout == "Almost surely the sensor, track 1.\n"
    assert done.stderr == ""


def test_each_job_of_the_pins_is_played_by_keyboard(window: MainWindow, qtbot: QtBot) -> None:
    """A slip in a table, a line lost between its ends, a slot that ends short: typed, and told."""
    qtbot.waitUntil(lambda: not window.home.empty.text().startswith("Opening"), timeout=30_000)
    page = began(window, qtbot, ThrottleKind.ELECTRONIC)
    draw(page, "1 2 3 / 4 5 6")
    for part in SIX.split(", "):
        pair, value = part.split(" ")
        qtbot.keyClicks(page.line, f"{pair} {value}")
        qtbot.keyClick(page.line, Qt.Key.Key_Return)
    solved(page, qtbot)
    first = page.sentences.item(0)
    assert first is not None
    assert "2-4 read 10.07 V contradicts all others: 5.68 V would fit" in first.text()

    page = began(window, qtbot, ThrottleKind.CABLE, "No 7")
    for plug, texts in (
        (PlugEnd.SENSOR, ("1 0.62", "2 0.01", "3 4.99")),
        (PlugEnd.UNIT, ("1 0.01", "2 0.0", "3 5.0")),
    ):
        page.show_plug(plug)
        draw(page, "1 2 3", **THREE)
        for text in texts:
            qtbot.keyClicks(page.line, text)
            qtbot.keyClick(page.line, Qt.Key.Key_Return)
    solved(page, qtbot)
    told = [item.text() for k in range(page.sentences.count()) if (item := page.sentences.item(k))]
    assert any("signal 1: 0.61" in text and "lost from plug to plug" in text for text in told)

    page.setting.click()
    (dialog,) = page.findChildren(SettingDialog)
    for text in ("0.96 to 0.98", "0.80", "4.20", "5.0", "-", "end 0.88"):
        qtbot.keyClicks(dialog.line, text)
        qtbot.keyClick(dialog.line, Qt.Key.Key_Return)
    assert "The slot ends 0.08 V short" in dialog.told.text()
    dialog.close()


def test_a_repair_that_holds_and_one_that_comes_back_are_played(
    window: MainWindow, qtbot: QtBot
) -> None:
    """Before over after, the plan met by a recording; a come-back that says what did not hold."""
    play_mended_job(window, qtbot)
