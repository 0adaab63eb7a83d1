"""The installed command in a window of a real X server."""

import subprocess
import sys
from pathlib import Path

import pytest
from PyQt6.QtGui import QGuiApplication
from pytestqt.qtbot import QtBot

from nervus.window.main_window import MainWindow

pytestmark = pytest.mark.real_window


def test_the_window_shows_on_a_real_screen(window: MainWindow, qtbot: QtBot) -> None:
    assert QGuiApplication.platformName() == "xcb"
    qtbot.waitExposed(window)
    window.open_demo("")
    qtbot.waitUntil(lambda: not window.is_busy, timeout=20_000)
    screen = window.screen()
    assert screen is not None
    picture = screen.grabWindow(window.winId()).toImage()
    colours = {
        picture.pixelColor(x, y).name()
        for y in range(100, min(700, picture.height()), 2)
        for x in range(20, min(1200, picture.width()), 2)
    }
    assert window.theme.inflamed.lower() in colours
    assert window.theme.action.lower() in colours


SHOW_AND_CLOSE = """
import sys
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
from nervus import cli
from nervus.window import main_window

shown = main_window.MainWindow._show
def show_then_close(window, opened):
    shown(window, opened)
    print(window.judgement.headline.text(), flush=True)
    QTimer.singleShot(0, window.close)
main_window.MainWindow._show = show_then_close
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
