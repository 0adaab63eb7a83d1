"""Panning and zooming an hour at 1 kHz: frames a second, offscreen at 1280x800.

    python bench/bench_panning.py

Every step moves or zooms the picture over time and paints it at once. Reference: the same steps on a
recording of ten seconds in the same run.
"""

import json
import os
import tempfile
import time
from pathlib import Path

from bench_analysis import recording_of

SCREEN = {"name": "S", "x": 0, "y": 0, "width": 1280, "height": 800}
DPI = {"logicalDpi": 96, "logicalBaseDpi": 96, "dpr": 1}
STEPS = 120


def main() -> None:
    """Measure and print."""
    with tempfile.TemporaryDirectory() as folder:
        screen = Path(folder) / "screen.json"
        screen.write_text(json.dumps({"screens": [{**SCREEN, **DPI}]}))
        os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={screen}"
        from PyQt6.QtCore import QSettings  # noqa: PLC0415 - after the screen is set

        from nervus.drawn.pictures import Pictures  # noqa: PLC0415
        from nervus.judge.analyse import analyse  # noqa: PLC0415
        from nervus.window.app import NervusApplication  # noqa: PLC0415
        from nervus.window.jobs.opening import Opened  # noqa: PLC0415
        from nervus.window.main_window import MainWindow  # noqa: PLC0415

        application = NervusApplication([])
        window = MainWindow(
            QSettings(str(Path(folder) / "s.ini"), QSettings.Format.IniFormat),
            logbook=Path(folder) / "logbook.db",
        )
        window.resize(1280, 800)
        window.show()
        window.go("record")
        rates = {}
        for minutes in (1 / 6, 60.0):
            recording = recording_of(minutes)
            analysis = analyse(recording)
            pictures = Pictures(recording, analysis.examination).prepare()
            opened = Opened(recording, analysis, "bench", None, "", "", pictures=pictures)
            began = time.perf_counter()
            window._show(opened)
            shown_s = time.perf_counter() - began
            window.panel.show_view("over time")
            view = window.panel.time_view
            application.processEvents()
            began = time.perf_counter()
            for step in range(STEPS):
                if step % 2:
                    view.pan(0.02 if step % 4 == 1 else -0.02)
                else:
                    view.zoom(1.2 if step < STEPS / 2 else 1 / 1.2)
                application.processEvents()
            rates[minutes] = STEPS / (time.perf_counter() - began)
            rate = f"{rates[minutes]:.0f} frames/s"
            print(f"{minutes:5.1f} min: {rate}, shown {shown_s:.2f} s after the analysis")
        print(f"ratio to the short one {rates[60.0] / rates[1 / 6]:.2f}; bar 60 frames/s")
        window.close()


if __name__ == "__main__":
    main()
