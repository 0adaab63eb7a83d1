"""Analysis time and memory against one SciPy median filter (size 11) over the same samples.

    python bench/bench_analysis.py             10 minutes at 1 kHz on two tracks
    python bench/bench_analysis.py --hour      one hour, and how both grow from 6 minutes on

The recording is made by the stand-in: sweeps, with a dead spot and a loose wire in it.
"""

import argparse
import statistics
import time
import tracemalloc

import numpy as np
from scipy.ndimage import median_filter

from nervus.domain.channel import Recording, Role
from nervus.domain.finding import Shape
from nervus.judge.analyse import analyse
from nervus.standin.capture import OPPOSITE, Sampler, simulate
from nervus.standin.faults import LooseLine, WornPlace
from nervus.standin.motion import pedal_sweeps

RATE_HZ, ROUNDS, SIZE = 1000.0, 3, 11


def recording_of(minutes: float) -> Recording:
    """Two tracks and their supply at 1 kHz."""
    sweeps = int(minutes * 60 / 4.3)
    random = np.random.default_rng(5)
    loose = tuple((float(t), float(t) + 0.03) for t in random.uniform(5, minutes * 60 - 5, 20))
    return simulate(
        OPPOSITE,
        pedal_sweeps(sweeps, random),
        Sampler(rate_hz=RATE_HZ),
        seed=5,
        faults=(WornPlace(1, (40.0, 43.0), Shape.DROP, chance=0.5), LooseLine("signal2", loose)),
    ).recording


def reference_s(recording: Recording) -> float:
    """One median filter over each track."""
    began = time.perf_counter()
    for track in recording.with_role(Role.TRACK):
        median_filter(track.values, size=SIZE)
    return time.perf_counter() - began


def analysis_s(recording: Recording) -> float:
    """The whole analysis, reading apart."""
    began = time.perf_counter()
    analyse(recording)
    return time.perf_counter() - began


def peak_mb(recording: Recording) -> float:
    """What the analysis holds at most, besides the recording (NumPy reports to tracemalloc)."""
    tracemalloc.start()
    analyse(recording)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    return peak / 1e6


def report(minutes: float) -> float:
    """Measure one length and print; returns the seconds of the analysis."""
    recording = recording_of(minutes)
    analyse(recording_of(0.5))  # loads what is loaded once
    pairs = [(reference_s(recording), analysis_s(recording)) for _ in range(ROUNDS)]
    reference, ours = (statistics.median(p[i] for p in pairs) for i in (0, 1))
    tracks = recording.with_role(Role.TRACK)
    samples = sum(t.samples for t in tracks)
    size = sum(c.samples * 16 for c in recording.channels) / 1e6
    peak = peak_mb(recording)
    print(f"{minutes:5.1f} min, {samples:9,d} samples of {len(tracks)} tracks ({size:.0f} MB):")
    print(
        f"      median filter {reference:6.3f} s, analysis {ours:6.3f} s, ratio {ours / reference:.2f}"
    )
    print(f"      peak memory of the analysis {peak:.0f} MB: {peak / size:.1f} x the samples")
    return ours


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--hour", action="store_true")
    if parser.parse_args().hour:
        short, long = report(6.0), report(60.0)
        print(f"ten times the samples take {long / short:.1f} times the time")
    else:
        report(10.0)


if __name__ == "__main__":
    main()
