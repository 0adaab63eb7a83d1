"""Takes a picture of each main view at 1280x800 from demo data; called by script/screenshots."""

import json
import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

SCREEN = {"name": "S", "x": 0, "y": 0, "width": 1280, "height": 800}
DPI = {"logicalDpi": 96, "logicalBaseDpi": 96, "dpr": 1}


def main(folder: Path) -> None:
    """Write every picture into the folder."""
    with tempfile.TemporaryDirectory() as scratch:
        screen = Path(scratch) / "screen.json"
        screen.write_text(json.dumps({"screens": [{**SCREEN, **DPI}]}))
        os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={screen}"
        os.environ["XDG_CONFIG_HOME"] = scratch
        take_all(folder)


def take_all(folder: Path) -> None:
    """Open each case in its view and theme, and save what the window shows."""
    from PyQt6.QtCore import QEventLoop, QTimer  # noqa: PLC0415 - after the screen is set

    from nervus.window.app import NervusApplication, settings  # noqa: PLC0415
    from nervus.window.main_window import MainWindow  # noqa: PLC0415
    from nervus.window.recording_panel import PAIR  # noqa: PLC0415

    application = NervusApplication([])
    window = MainWindow(settings())
    window.resize(1280, 800)
    window.show()

    def settle(milliseconds: int) -> None:
        loop = QEventLoop()
        QTimer.singleShot(milliseconds, loop.quit)
        loop.exec()

    def picture(name: str, case: str | None, theme: str, act: Callable[[], object] | None) -> None:
        window.set_theme(theme)
        if case is None:
            window.close_recording()
        else:
            window.open_demo(case)
            while window.is_busy:
                settle(20)
        if act is not None:
            act()
        settle(400)
        window.grab().save(str(folder / f"{name}.png"))

    folder.mkdir(parents=True, exist_ok=True)
    over_time = lambda: window.panel.show_view("over time")  # noqa: E731 - three of a kind
    over_travel = lambda: window.panel.show_view("over travel")  # noqa: E731
    picture("empty", None, "bright", None)
    picture("over-travel-loose-wire", "loose-wire", "bright", over_travel)
    picture("over-travel-dead-spot-dim", "dead-spot", "dim", over_travel)
    picture("over-time-loose-wire", "loose-wire", "bright", over_time)
    picture("track-against-track", "bent-track", "bright", lambda: window.panel.show_view(PAIR))
    picture("undecided", "undecided", "bright", over_travel)
    window.close()
    application.processEvents()


if __name__ == "__main__":
    main(Path(sys.argv[1]))
