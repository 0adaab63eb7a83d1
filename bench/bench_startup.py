"""Start-up: the first window of Nervus against a bare window with an empty plot, in the same run.

Each is a fresh process that ends when its first frame has been painted; the median of several is
taken, in turn, so that both meet the same machine. Prints the ratio; the bar is 1.5.
"""

import os
import statistics
import subprocess
import sys
import tempfile
import time

ROUNDS = 7

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
"""

NERVUS = """
import sys
from nervus.window.app import NervusApplication, settings
from nervus.window.main_window import MainWindow
app = NervusApplication([])
window = MainWindow(settings())
window.show()
app.processEvents()
window.grab()
"""


def seconds(code: str) -> float:
    """How long one fresh process takes."""
    with tempfile.TemporaryDirectory() as home:
        homes = {"XDG_CONFIG_HOME": home, "XDG_DATA_HOME": home}
        environment = {**os.environ, **homes, "QT_QPA_PLATFORM": "offscreen"}
        command = [sys.executable, "-c", code]
        began = time.perf_counter()
        subprocess.run(command, check=True, env=environment, stderr=subprocess.DEVNULL)
        return time.perf_counter() - began


def main() -> None:
    """Measure and print."""
    pairs = [(seconds(BARE), seconds(NERVUS)) for _ in range(ROUNDS)]
    bare = statistics.median(p[0] for p in pairs)
    ours = statistics.median(p[1] for p in pairs)
    print(f"start-up: bare window with an empty plot {bare:.2f} s, Nervus {ours:.2f} s")
    print(f"          ratio {ours / bare:.2f} (bar 1.5), median of {ROUNDS} runs each")


if __name__ == "__main__":
    main()
