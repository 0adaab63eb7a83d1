"""Starting the window: fonts that ship, settings, the first recording."""

import sys
from importlib import resources
from pathlib import Path

from PyQt6.QtCore import QSettings, QTimer
from PyQt6.QtGui import QFont, QFontDatabase
from PyQt6.QtWidgets import QApplication

from nervus.domain.errors import OutsideError
from nervus.window.main_window import MainWindow

_FAMILY = "B612"


def make_application(arguments: list[str]) -> QApplication:
    """The application with its own typeface, so that it looks the same where none is installed.

    Raises:
        OutsideError: the typeface that ships can't be loaded.
    """
    application = QApplication(arguments)
    application.setApplicationName("nervus")
    application.setOrganizationName("nervus")
    application.setApplicationDisplayName("Nervus")
    application.setStyle("Fusion")
    load_fonts()
    font = QFont(_FAMILY)
    font.setPixelSize(14)
    application.setFont(font)
    return application


def load_fonts() -> None:
    """Make the typeface known to Qt; once is enough.

    Raises:
        OutsideError: a font file of this installation is damaged.
    """
    for name in ("B612-Regular.otf", "B612-Bold.otf"):
        data = resources.files("nervus.window").joinpath("fonts", name).read_bytes()
        if QFontDatabase.addApplicationFontFromData(data) < 0:
            raise OutsideError(f"{name} of this installation is damaged; install Nervus again.")


def settings() -> QSettings:
    """Where the window remembers its theme, size and last folder."""
    return QSettings(QSettings.Format.IniFormat, QSettings.Scope.UserScope, "nervus", "nervus")


def run(file: Path | None, *, demo: str | None = None, theme: str | None = None) -> int:
    """Open the window and stay until it is closed; returns the exit code."""
    from nervus.standin.demo import CASES  # noqa: PLC0415 - the names for the menu

    if demo and demo not in {case.id for case in CASES}:
        known = ", ".join(case.id for case in CASES)
        raise OutsideError(f"--demo {demo}: no such case; accepted is one of {known}.")
    application = make_application(sys.argv[:1])
    cases = tuple((c.id, f"{c.job.vehicle.name}, {c.job.complaint}") for c in CASES)
    window = MainWindow(settings(), cases)
    if theme is not None:
        window.set_theme(theme)
    window.show()
    if file is not None:
        QTimer.singleShot(0, lambda: window.open_file(file))
    elif demo is not None:
        QTimer.singleShot(0, lambda: window.open_demo(demo))
    return int(application.exec())
