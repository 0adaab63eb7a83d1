"""Panning, zooming and cursors: an hour at 1 kHz, and an hour of all channels at 100 Hz.

    python bench/bench_panning.py

Every step moves or zooms the picture over time, or moves a measuring cursor, and paints it at once,
offscreen at 1280x800, every channel drawn. Reference: the same steps on ten seconds in the same run.
"""

import json
import os
import tempfile
import time
from pathlib import Path

import numpy as np

from bench_analysis import recording_of
from nervus.domain.channel import CHANNEL_KINDS, Channel, Recording, other_kind

SCREEN = {"name": "S", "x": 0, "y": 0, "width": 1280, "height": 800}
DPI = {"logicalDpi": 96, "logicalBaseDpi": 96, "dpr": 1}
STEPS = 120


def many_channels() -> Recording:
    """Every channel that there is and nineteen that are known by name alone, an hour at 100 Hz."""
    random = np.random.default_rng(5)
    time_s = np.arange(360_000) / 100.0
    travel = 50.0 - 50.0 * np.cos(2.0 * np.pi * time_s / 6.0)
    volts = {"tps1_v": 0.5 + 0.04 * travel, "tps2_v": 4.5 - 0.04 * travel, "vref_v": 5.0 + 0.0 * travel}
    channels = []
    units = ("°C", "%", "bar", "Nm", "mV")
    others = [other_kind(f"other {n}", units[n % len(units)]) for n in range(40 - len(CHANNEL_KINDS))]
    kinds = (*CHANNEL_KINDS.values(), *others)
    for number, (name, kind) in enumerate((kind.id, kind) for kind in kinds):
        values = volts.get(name, travel if name.endswith("_pct") else 10.0 + number + 0.05 * travel)
        noise = random.normal(0.0, 0.004, time_s.size)
        channels.append(Channel(kind, time_s, values + noise))
    return Recording(tuple(channels), (), "many channels")


def main() -> None:
    """Measure and print."""
    with tempfile.TemporaryDirectory() as folder:
        screen = Path(folder) / "screen.json"
        screen.write_text(json.dumps({"screens": [{**SCREEN, **DPI}]}))
        os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={screen}"
        from PyQt6.QtCore import QSettings  # noqa: PLC0415 - after the screen is set

        from nervus.drawn.channels import Arranged  # noqa: PLC0415
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
        cases = {
            "10 s at 1 kHz": recording_of(1 / 6),
            "1 h at 1 kHz": recording_of(60.0),
            "1 h of 40 channels at 100 Hz": many_channels(),
        }
        for name, recording in cases.items():
            analysis = analyse(recording)
            pictures = Pictures(recording, analysis.examination).prepare()
            opened = Opened(recording, analysis, "bench", None, "", "", pictures=pictures)
            began = time.perf_counter()
            window.shown.show(opened)
            shown_s = time.perf_counter() - began
            window.panel.show_view("over time")
            view = window.panel.time_view
            view.arrange(Arranged(tuple(c.id for c in recording.channels)))
            application.processEvents()
            began = time.perf_counter()
            for step in range(STEPS):
                if step % 2:
                    view.pan(0.02 if step % 4 == 1 else -0.02)
                else:
                    view.zoom(1.2 if step < STEPS / 2 else 1 / 1.2)
                application.processEvents()
            rates[name] = STEPS / (time.perf_counter() - began)
            view.show_whole()
            window.panel.toggle_measure()
            low, high = view.visible()
            began = time.perf_counter()
            for step in range(STEPS):
                view.put_ruler(step % 2, low + (high - low) * (0.2 + 0.6 * step / STEPS))
                application.processEvents()
            cursors = STEPS / (time.perf_counter() - began)
            window.panel.toggle_measure()
            print(
                f"{name} ({len(recording.channels)} channels): {rates[name]:.0f} frames/s panning, "
                f"{cursors:.0f} with cursors, shown {shown_s:.2f} s after the analysis"
            )
        ratio = rates["1 h at 1 kHz"] / rates["10 s at 1 kHz"]
        print(f"ratio to the short one {ratio:.2f}; bar 60 frames/s")
        window.close()


if __name__ == "__main__":
    main()
