"""A day at 100 Hz against an hour: two tracks, drops all along. Time, and memory against the samples.

    bench/bench_day.py [--hours 24] [--rough]

Prints the analysis of the day as a multiple of the hour's in the same run (bar 30 for 24 hours), and the
highest memory above what the process took before, as a multiple of the samples' bytes (bar 6).
`--rough` adds a worn stretch, a dead spot and a mark every half minute, which make thousands of events.
"""

import argparse
import resource
import sys
import time

import numpy as np

from nervus.domain.channel import CHANNEL_KINDS, Channel, Mark, Recording
from nervus.judge.analyse import analyse

_RATE_HZ, _SWEEP_S, _DROP_EVERY_S = 100.0, 7.0, 20.0


def drive(hours: float, *, rough: bool) -> Recording:
    """Sweeps without end, with drops of one track at random."""
    chance = np.random.default_rng(1)
    count = int(hours * 3600 * _RATE_HZ)
    time_s = np.arange(count) / _RATE_HZ
    share = 0.5 - 0.5 * np.cos(2 * np.pi * time_s / _SWEEP_S)
    one = 0.5 + 4.0 * share + chance.normal(0.0, 0.004, count)
    two = 5.0 - one + chance.normal(0.0, 0.004, count)
    for at in chance.integers(0, count - 10, int(count / _RATE_HZ / _DROP_EVERY_S)):
        one[at : at + 3] = 0.02
    marks: tuple[Mark, ...] = ()
    if rough:
        worn = (share > 0.4) & (share < 0.45)
        one[worn] += chance.normal(0.0, 0.4, int(worn.sum()))
        one[(share > 0.6) & (share < 0.62)] = 0.03
        marks = tuple(Mark(float(at), "shake") for at in np.arange(0.0, hours * 3600.0, 30.0))
    channels = (
        Channel(CHANNEL_KINDS["tps1_v"], time_s, one),
        Channel(CHANNEL_KINDS["tps2_v"], time_s, two),
    )
    return Recording(channels, marks, f"{hours:g} h")


def peak_mb() -> float:
    """The most memory that this process ever took."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024.0


def took_s(recording: Recording) -> float:
    """Seconds of one analysis."""
    began = time.perf_counter()
    found = analyse(recording).examination.findings
    seconds = time.perf_counter() - began
    print(f"{recording.name}: {len(found)} findings in {seconds:.1f} s")
    return seconds


def main() -> int:
    """Analyse an hour, then a day."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--hours", type=float, default=24.0)
    parser.add_argument("--rough", action="store_true")
    wanted = parser.parse_args()
    took_s(drive(0.1, rough=wanted.rough))  # imports
    hour = took_s(drive(1.0, rough=wanted.rough))
    recording = drive(wanted.hours, rough=wanted.rough)
    samples_mb = sum(c.samples for c in recording.channels) * 16 / 2**20
    before = peak_mb()
    ratio = took_s(recording) / hour
    memory = (peak_mb() - before) / samples_mb
    print(f"{ratio:.1f} times the hour (bar {1.25 * wanted.hours:g})")
    print(f"memory {memory:.1f} times the {samples_mb:.0f} MB of samples (bar 6)")
    return int(ratio > 1.25 * wanted.hours or memory > 6.0)


if __name__ == "__main__":
    sys.exit(main())
