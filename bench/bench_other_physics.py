"""What the analysis says when physics that its hard cases were not made with lies over them.

    python bench/bench_other_physics.py            4 recordings of each kind under each disturbance
    python bench/bench_other_physics.py --only hum

Each disturbance is laid over the recordings of `standin/hard_cases.py`; nothing was left out of them for
it. Printed for each: recall and precision over all faults, and false findings in 20 healthy recordings.
"""

import argparse
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from bench_detection import explained, matches
from nervus.domain.channel import Channel, FloatArray, Recording
from nervus.judge.analyse import analyse
from nervus.standin.hard_cases import MAKERS, hard_case

FIRST_SEED = 70_000
TRACKS, LINES = ("tps",), ("tps", "vref")

Disturb = Callable[[Recording, np.random.Generator], Recording]
Lines = Callable[[Channel], tuple[FloatArray, FloatArray]]


def over(recording: Recording, ids: tuple[str, ...], change: Lines) -> Recording:
    """The recording with some of its channels changed."""
    channels = tuple(
        Channel(c.kind, *change(c)) if c.id.startswith(ids) else c for c in recording.channels
    )
    return replace(recording, channels=channels)


def jitter(recording: Recording, random: np.random.Generator) -> Recording:
    """Stamps that are off by up to a third of an interval, alike on all channels."""
    first = recording.channels[0]
    step_s = float(np.median(np.diff(first.time_s)))
    late = random.uniform(-0.35, 0.35, round(recording.end_s / step_s) + 3) * step_s

    def change(c: Channel) -> tuple[FloatArray, FloatArray]:
        number = np.minimum(np.round(c.time_s / step_s).astype(np.int64), late.size - 1)
        return np.maximum.accumulate(np.maximum(c.time_s + late[number], 0.0)), c.values

    return over(recording, LINES, change)


def hum(recording: Recording, random: np.random.Generator) -> Recording:
    """The mains, 5 to 15 mV on the tracks."""
    volts, phase = random.uniform(0.005, 0.015), random.uniform(0.0, 6.0)
    return over(
        recording,
        TRACKS,
        lambda c: (c.time_s, c.values + volts * np.sin(2 * np.pi * 50.0 * c.time_s + phase)),
    )


def drift(recording: Recording, random: np.random.Generator) -> Recording:
    """A supply that drifts by up to 2 %, and the tracks with it."""
    share = random.uniform(-0.02, 0.02) / recording.duration_s
    return over(recording, LINES, lambda c: (c.time_s, c.values * (1.0 + share * c.time_s)))


def ripple(recording: Recording, random: np.random.Generator) -> Recording:
    """A supply that ripples by up to 1 % at 20 to 90 Hz, and the tracks with it."""
    share, hertz = random.uniform(0.003, 0.01), random.uniform(20.0, 90.0)
    return over(
        recording,
        LINES,
        lambda c: (c.time_s, c.values * (1.0 + share * np.sin(2 * np.pi * hertz * c.time_s))),
    )


def gain(recording: Recording, random: np.random.Generator) -> Recording:
    """A second track made 1.5 % and 30 mV off."""
    scale, volts = 1.0 + random.uniform(-0.015, 0.015), random.uniform(-0.03, 0.03)
    return over(recording, ("tps2",), lambda c: (c.time_s, c.values * scale + volts))


def vibration(recording: Recording, random: np.random.Generator) -> Recording:
    """A plate that the engine shakes at 12 to 45 Hz."""
    volts, hertz = random.uniform(0.005, 0.02), random.uniform(12.0, 45.0)
    first = recording.channels[0]

    def change(c: Channel) -> tuple[FloatArray, FloatArray]:
        related = np.polyfit(np.interp(c.time_s, first.time_s, first.values), c.values, 1)[0]
        shaken = np.sin(2 * np.pi * hertz * c.time_s) + 0.5 * np.sin(4 * np.pi * hertz * c.time_s + 1.0)
        return c.time_s, c.values + related * volts * shaken

    return over(recording, TRACKS, change)


DISTURBANCES: dict[str, Disturb] = {
    "none": lambda recording, _random: recording,
    "jitter": jitter, "hum": hum, "drift": drift, "ripple": ripple, "gain": gain, "vibration": vibration,
}  # fmt: skip


def run(disturb: Disturb, cases: int) -> str:
    """One line of figures."""
    true = found = reported = false = healthy = cried = 0
    for kind in MAKERS:
        for seed in range(FIRST_SEED, FIRST_SEED + cases):
            case = hard_case(kind, seed)
            recording = disturb(case.recording, np.random.default_rng([seed, 7]))
            findings = analyse(recording).examination.findings
            wrong = sum(not explained(replace(case, recording=recording), f) for f in findings)
            if kind.startswith("healthy"):
                healthy, cried = healthy + 1, cried + wrong
                continue
            true += len(case.truth)
            found += sum(any(matches(t, f) for f in findings) for t in case.truth)
            reported, false = reported + len(findings), false + wrong
    return (
        f"recall {found / max(true, 1):.3f}  precision {1.0 - false / max(reported, 1):.3f}  "
        f"false in 20 healthy {20.0 * cried / healthy:.2f}"
    )


def main() -> None:
    """Print one line for each disturbance."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cases", type=int, default=4)
    parser.add_argument("--only", default="")
    asked = parser.parse_args()
    for name, disturb in DISTURBANCES.items():
        if asked.only in name:
            print(f"{name:10s} {run(disturb, asked.cases)}", flush=True)


if __name__ == "__main__":
    main()
