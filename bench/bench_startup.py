"""Start-up: the first window of Nervus against a bare window with an empty plot, in the same run.

Each is a fresh process, timed from its start until its first frame has been painted (both clocks are
the system's); the median of several is taken, in turn, so that both meet the same machine. Prints the
ratios of time and of memory, both with the bar 1.4, and how long the process took to its end.
"""

import os
import statistics
import subprocess
import sys
import tempfile
import time

ROUNDS = 15

BARE = """
import sys
from PyQt6.QtWidgets import QApplication, QMainWindow
import pyqtgraph as pg
app = QApplication([])
window = QMainWindow()
window.setCentralWidget(pg.PlotWidget())
window.resize(1280, 800)
window.show()
app.processEvents()
window.grab()
import resource, time
print(time.monotonic(), resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)
"""

# As the command does it (`nervus.cli`).
NERVUS = """
import gc, sys
gc.disable()
from nervus.window.app import NervusApplication, settings
from nervus.window.main_window import MainWindow
app = NervusApplication([])
window = MainWindow(settings())
window.show()
app.processEvents()
window.grab()
import resource, time
print(time.monotonic(), resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)
"""


def measured(code: str) -> tuple[float, float, float]:
    """From the start to the first frame and to the end, in seconds; memory at most, in MB."""
    with tempfile.TemporaryDirectory() as home:
        homes = {"XDG_CONFIG_HOME": home, "XDG_DATA_HOME": home}
        environment = {**os.environ, **homes, "QT_QPA_PLATFORM": "offscreen"}
        # As an installed package is: compiled beforehand, like the libraries of the bare window.
        environment.pop("PYTHONDONTWRITEBYTECODE", None)
        command = [sys.executable, "-c", code]
        began = time.monotonic()
        told = subprocess.run(
            command, check=True, env=environment, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
        )
        frame, memory = told.stdout.split()
        return float(frame) - began, time.monotonic() - began, int(memory) / 1024.0


def main() -> None:
    """Measure and print."""
    bare = [measured(BARE) for _ in range(1)]
    ours = [measured(NERVUS) for _ in range(1)]
    for _ in range(ROUNDS):
        bare.append(measured(BARE))
        ours.append(measured(NERVUS))
    # The first of each has filled the disk's cache.
    rows = [[statistics.median(one[n] for one in runs[1:]) for n in range(3)] for runs in (bare, ours)]
    (bare_s, bare_end_s, bare_mb), (ours_s, ours_end_s, ours_mb) = rows
    print(f"start-up: bare window with an empty plot {bare_s:.2f} s, Nervus {ours_s:.2f} s")
    print(f"          ratio {ours_s / bare_s:.2f} (bar 1.4), median of {ROUNDS} runs each")
    print(f"to the end of the process: {bare_end_s:.2f} s, {ours_end_s:.2f} s")
    print(f"memory:   {bare_mb:.0f} MB, {ours_mb:.0f} MB, ratio {ours_mb / bare_mb:.2f} (bar 1.4)")


if __name__ == "__main__":
    main()
