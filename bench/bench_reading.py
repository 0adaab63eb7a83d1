"""Reading a long CSV against the reader library alone on the same file.

    python bench/bench_reading.py             3.6 million rows of time and three channels

The reference is `pandas.read_csv` with its C reader, the fastest reader among our dependencies.
"""

import statistics
import tempfile
import time
from pathlib import Path

import numpy as np
import pandas as pd

from nervus.files import read_recording

ROWS, ROUNDS = 3_600_000, 3


def write(path: Path) -> None:
    """One hour at 1 kHz: two tracks and the supply, as a logger writes them."""
    random = np.random.default_rng(1)
    time_s = np.arange(ROWS) / 1000.0
    track = 2.5 - 2.0 * np.cos(2 * np.pi * time_s / 6.0) + random.normal(0.0, 0.002, ROWS)
    frame = pd.DataFrame(
        {
            "time_s": np.round(time_s, 3),
            "tps1_v": np.round(track, 4),
            "tps2_v": np.round(5.0 - track, 4),
            "vref_v": np.round(5.0 + random.normal(0.0, 0.002, ROWS), 4),
        }
    )
    frame.to_csv(path, index=False)


def main() -> None:
    """Measure and print."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "hour.csv"
        write(path)
        theirs, ours = [], []
        for _ in range(ROUNDS):
            began = time.perf_counter()
            pd.read_csv(path)
            middle = time.perf_counter()
            read_recording(path)
            theirs.append(middle - began)
            ours.append(time.perf_counter() - middle)
        size = path.stat().st_size / 1e6
    reference, own = statistics.median(theirs), statistics.median(ours)
    print(f"{ROWS:,d} rows, {size:.0f} MB: reader library {reference:.2f} s, Nervus {own:.2f} s, "
          f"ratio {own / reference:.2f} (bar 1.5)")  # fmt: skip


if __name__ == "__main__":
    main()
