"""Walks through the window in the language of the environment; says as JSON what was seen.

A program of its own: the language of a process is settled before its first text.
"""

import json
import os
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

_SCRATCH = tempfile.TemporaryDirectory()
_SCREEN = Path(_SCRATCH.name) / "screen.json"
_SIZE = {"x": 0, "y": 0, "width": 1280, "height": 800}
_DPI = {"logicalDpi": 96, "logicalBaseDpi": 96, "dpr": 1}
_SCREEN.write_text(json.dumps({"screens": [{"name": "S", **_SIZE, **_DPI}]}))
os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={_SCREEN}"
os.environ["XDG_CONFIG_HOME"] = os.environ["XDG_DATA_HOME"] = _SCRATCH.name

from PyQt6.QtCore import QEventLoop, QTimer  # noqa: E402
from PyQt6.QtWidgets import (  # noqa: E402
    QAbstractButton,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QListWidget,
    QTableWidget,
    QWidget,
)

from nervus.window.app import NervusApplication, settings  # noqa: E402
from nervus.window.elided import ElidedLabel  # noqa: E402
from nervus.window.main_window import MainWindow  # noqa: E402
from nervus.window.rail import STATIONS  # noqa: E402
from spoken import left_over, typed  # noqa: E402
from widget_walk import stumbles  # noqa: E402


def settle(ms: int) -> None:
    """Let the window go on."""
    loop = QEventLoop()
    QTimer.singleShot(ms, loop.quit)
    loop.exec()


def wait(until: object, seconds: float = 60.0) -> None:
    """Until something is so.

    Raises:
        TimeoutError: it was not.
    """
    begun = time.monotonic()
    while not until():  # type: ignore[operator] # a function without arguments
        if time.monotonic() - begun > seconds:
            raise TimeoutError
        settle(50)


def texts_of(widget: QWidget) -> Iterator[str]:
    """All that a widget shows or says of itself."""
    yield widget.accessibleName()
    yield widget.toolTip()
    if isinstance(widget, ElidedLabel):
        yield widget.whole  # what of it fits hangs on what else stands in the row at the moment
    elif isinstance(widget, QLabel | QAbstractButton):
        yield widget.text()
    elif isinstance(widget, QComboBox):
        yield from (widget.itemText(i) for i in range(widget.count()))
    elif isinstance(widget, QLineEdit):
        yield widget.placeholderText()
    elif isinstance(widget, QListWidget):
        yield from (item.text() for i in range(widget.count()) if (item := widget.item(i)))
    elif isinstance(widget, QTableWidget):
        for column in range(widget.columnCount()):
            head = widget.horizontalHeaderItem(column)
            yield head.text() if head else ""
            cells = (widget.item(row, column) for row in range(widget.rowCount()))
            yield from (cell.text() for cell in cells if cell)


class Walk:
    """The window, and what was seen in it."""

    def __init__(self) -> None:
        kept = settings()
        kept.setValue("recordings", _SCRATCH.name)
        self.window = MainWindow(kept, logbook=Path(_SCRATCH.name) / "logbook.db")
        self.window.resize(1280, 800)
        self.window.show()
        self.seen: dict[str, str] = {}
        self.known: set[str] = set()
        """What somebody typed."""
        self.stumbled: list[str] = []

    def look(self, where: str) -> None:
        """Note every text in sight, and where the layout does not hold."""
        while self.window.is_busy:
            settle(50)
        settle(250)
        for top in QApplication.topLevelWidgets():
            for widget in (top, *top.findChildren(QWidget)):
                for text in texts_of(widget) if widget.isVisible() else ():
                    if text:
                        self.seen.setdefault(text, where)
        self.stumbled += [f"{where}: {line}" for line in stumbles(self.window)]

    def walk(self) -> None:
        """Every station of some jobs of the demo, the live page, and what is asked there."""
        window = self.window
        settle(300)
        window.fill_with_demo()
        wait(lambda: len(window.files.rows) >= 24 and not window.job_part.keeper.waits, 150)
        settle(1000)
        self.look("jobs")
        for word in ("from the pier", "washboard", "hunts at idle and"):
            row = next(r for r in window.files.rows if word in r.complaint)
            window.open_job(row.id, "complaint")
            wait(lambda row=row: window.job is not None and window.job.id == row.id)
            self.known |= set(typed(window.job)) | set(typed(row))
            for name, _, _ in STATIONS:
                window.go(name)
                self.look(f"{word}, {name}")
            window.go("jobs")
        self.known |= {w for row in window.files.rows for w in typed(row)}
        window.begin_job("minibus")
        self.known.add("minibus")
        window.connect_simulated("open-signal2~shake")
        wait(lambda: "tps2_v" in window.live_panel.view.latest)
        window.live_part.shake.begin()
        self.look("live")
        window.live_part.shake.end()
        dialog = window.live_part.ask_for_values()
        self.look("values")
        dialog.close()
        window.live_part.leave()
        window.live_part.show_connect_page("VEHICLE")
        self.look("connect")


def main() -> None:
    """Walk, and say what was seen."""
    app = NervusApplication([])
    seen = Walk()
    seen.walk()
    told = {
        "texts": list(seen.seen),
        "unspoken": left_over(((where, text) for text, where in seen.seen.items()), seen.known),
        "stumbles": sorted(set(seen.stumbled)),
    }
    sys.stdout.write(json.dumps(told))
    sys.stdout.flush()
    seen.window.close()
    del app


if __name__ == "__main__":
    main()
