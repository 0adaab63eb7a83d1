"""Writing a recording as a table: time against the reader library's own writer, and memory.

Reference: pandas' `to_csv` on the same rows, already merged and sorted in memory. The values are those
of a 12-bit converter; both files must read back to the last digit.

    bench/bench_writing.py [--rows 18000000]
"""

import argparse
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import pandas as pd

from nervus.domain.channel import CHANNEL_KINDS, Channel, Recording
from nervus.files.recording_csv import read_recording
from nervus.files.recording_writer import write_recording

_BAR = 2.0
LINES = ("tps1_v", "tps2_v", "vref_v")


def made(rows: int) -> Recording:
    """Three lines at 10 000 samples a second, each a little after the other."""
    random, each = np.random.default_rng(1), rows // len(LINES)
    channels = []
    for number, name in enumerate(LINES):
        time_s = np.arange(each) / 1e4 + number * 1e-5
        volts = np.round(random.uniform(0.0, 5.0, each) * 4096 / 5.0) * 5.0 / 4096
        channels.append(Channel(CHANNEL_KINDS[name], time_s, volts))
    return Recording(tuple(channels), (), "bench")


def high_water_mb() -> float:
    """The most memory that this process held since the mark was set."""
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith("VmHWM:"):
            return float(line.split()[1]) / 1e3
    raise SystemExit("this system does not tell the memory of a process")


def main() -> int:
    """Write both ways, print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rows", type=int, default=18_000_000)
    wanted = parser.parse_args()
    recording = made(wanted.rows)
    held = sum(c.time_s.nbytes + c.values.nbytes for c in recording.channels) / 1e6
    Path("/proc/self/clear_refs").write_text("5")  # the high-water mark begins anew
    before = high_water_mb()
    with tempfile.TemporaryDirectory() as folder:
        ours, theirs = Path(folder) / "ours.csv", Path(folder) / "theirs.csv"
        began = time.perf_counter()
        write_recording(recording, ours)
        took = time.perf_counter() - began
        more = high_water_mb() - before
        table = pd.DataFrame(
            {
                "time_s": np.concatenate([c.time_s for c in recording.channels]),
                "channel": np.repeat([c.id for c in recording.channels], wanted.rows // len(LINES)),
                "value": np.concatenate([c.values for c in recording.channels]),
            }
        ).sort_values("time_s", kind="stable")
        began = time.perf_counter()
        table.to_csv(theirs, index=False)
        reference = time.perf_counter() - began
        del table
        theirs.unlink()
        again = read_recording(ours)
        exact = all(
            np.array_equal(a.values, b.values) and np.array_equal(a.time_s, b.time_s)
            for a, b in zip(
                recording.channels, (again.get(c.id) for c in recording.channels), strict=True
            )
            if b is not None
        )
    ratio = took / reference
    print(f"{wanted.rows:,d} rows: library {reference:.1f} s, Nervus {took:.1f} s")
    print(f"      ratio {ratio:.2f} (bar {_BAR}); to the last digit: {exact}")
    print(f"      memory beyond the {held:.0f} MB of the recording: {more:.0f} MB")
    return int(ratio > _BAR or not exact)


if __name__ == "__main__":
    sys.exit(main())
