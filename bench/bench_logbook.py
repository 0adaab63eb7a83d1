"""A logbook of many jobs: how long it takes to open and list, and what each letter typed costs.

    python bench/bench_logbook.py [--jobs 10000]

Opening is held against the bare driver reading the same rows in the same run; a letter against a frame
of 16.7 ms, in the real list, offscreen at 1280x800.
"""

import argparse
import json
import os
import random
import sqlite3
import statistics
import tempfile
import time
from datetime import timedelta
from pathlib import Path

from nervus.domain.job import (
    CodeSet,
    Complaint,
    Findings,
    Job,
    JobState,
    Moved,
    SeenCode,
    Source,
    new_id,
    new_vehicle,
    now,
)
from nervus.knowledge import complaints, known_codes
from nervus.logbook import Logbook

FRAME_MS = 1000 / 60
SCREEN = {"name": "S", "x": 0, "y": 0, "width": 1280, "height": 800}
DPI = {"logicalDpi": 96, "logicalBaseDpi": 96, "dpr": 1}
TYPED = ("quay", "no 17", "p0222", "wiring signal", "zzz", "no 6 bus watching")


def job(number: int, chance: random.Random) -> Job:
    """A job as they come about, from a seed."""
    table, codes = complaints(), [str(code) for code in known_codes()]
    at = now() - timedelta(hours=number)
    symptom = chance.choice(table.symptom).id
    words = f"on the quay road, at {chance.randrange(24)} o'clock, driver {chance.randrange(40)}"
    found = Findings(
        id=new_id(), at=at, source=Source.ANALYSIS, recording=new_id(),
        headline=f"Most likely the wiring of signal {chance.randrange(1, 3)}, first at the sensor plug.",
    )  # fmt: skip
    seen = tuple(SeenCode(code=c) for c in chance.sample(codes, 3))
    return Job(
        id=new_id(),
        vehicle=new_vehicle(f"No {number % 900}", "nine-seat bus"),
        opened=at,
        entries=(
            Complaint(id=new_id(), at=at, source=Source.TYPED, symptoms=(symptom,), words=words),
            CodeSet(id=new_id(), at=at, source=Source.TYPED, codes=seen),
            found,
            Moved(id=new_id(), at=at, source=Source.TYPED, state=chance.choice(list(JobState))),
        ),
    )


def bare(path: Path) -> float:
    """Seconds that the driver alone takes for the same rows."""
    began = time.perf_counter()
    raw = sqlite3.connect(path)
    raw.execute(
        "SELECT job.*, name, description FROM job JOIN vehicle ON vehicle_id = vehicle.id"
    ).fetchall()
    raw.close()
    return time.perf_counter() - began


def opened(path: Path) -> float:
    """Seconds to open the logbook and have all jobs."""
    began = time.perf_counter()
    book = Logbook(path)
    book.jobs()
    book.close()
    return time.perf_counter() - began


def letters(path: Path, scratch: Path) -> list[float]:
    """Milliseconds from each letter typed to the painted list."""
    screen = scratch / "screen.json"
    screen.write_text(json.dumps({"screens": [{**SCREEN, **DPI}]}))
    os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={screen}"
    from PyQt6.QtCore import QSettings  # noqa: PLC0415 - after the screen is set
    from PyQt6.QtTest import QTest  # noqa: PLC0415

    from nervus.window.app import NervusApplication  # noqa: PLC0415
    from nervus.window.main_window import MainWindow  # noqa: PLC0415

    application = NervusApplication([])
    settings = QSettings(str(scratch / "s.ini"), QSettings.Format.IniFormat)
    window = MainWindow(settings, logbook=path)
    window.resize(1280, 800)
    began = time.perf_counter()
    window.show()
    while not window.home.model.rows:
        application.processEvents()
    print(f"window to list: {time.perf_counter() - began:.2f} s with the libraries loaded (bar 1 s)")
    costs = []
    for text in TYPED:
        window.home.search.clear()
        for letter in text:
            began = time.perf_counter()
            QTest.keyClick(window.home.search, letter)  # type: ignore[call-overload] # a static method
            window.home.list.repaint()
            application.processEvents()
            costs.append(1000 * (time.perf_counter() - began))
    window.close()
    return costs


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--jobs", type=int, default=10_000)
    wanted = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        path, chance = Path(folder) / "logbook.db", random.Random(5)  # noqa: S311 - a bench, not a secret
        book = Logbook(path)
        began = time.perf_counter()
        for number in range(wanted.jobs):
            book.put_job(job(number, chance))
        each = 1000 * (time.perf_counter() - began) / wanted.jobs
        book.close()
        print(f"{wanted.jobs:,d} jobs written, {each:.1f} ms each, safe against a power cut")
        reference = statistics.median(bare(path) for _ in range(5))
        ours = statistics.median(opened(path) for _ in range(5))
        told = f"opened and listed in {ours:.2f} s (bar 1 s); the bare driver {reference:.3f} s"
        print(f"{told}, ratio {ours / reference:.1f}")
        costs = letters(path, Path(folder))
        share = sum(1 for c in costs if c <= FRAME_MS) / len(costs)
        print(
            f"a letter typed: median {statistics.median(costs):.1f} ms, worst {max(costs):.1f} ms, "
            f"{100 * share:.0f} % within a frame of {FRAME_MS:.1f} ms"
        )


if __name__ == "__main__":
    main()
