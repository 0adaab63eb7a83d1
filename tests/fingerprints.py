"""What the stand-in makes of its seeds, in a few figures for each channel: a change of any is seen.

    python tests/fingerprints.py > tests/data/fingerprints.json      after a change that was meant

Figures, not bytes: another processor may round the last bit otherwise.
"""

import json
import sys

import numpy as np

from nervus.domain.channel import Recording
from nervus.domain.profile import ThrottleKind
from nervus.standin.demo import CASES
from nervus.standin.depot import courses
from nervus.standin.hard_cases import MAKERS, hard_case
from nervus.standin.planting import read_fault
from nervus.standin.runs import record_run
from nervus.standin.vehicle import SimulatedVehicle

AGAIN = (23, 58, 91)
"""More seeds of the hard cases: each takes other ways through its maker."""
Figures = dict[str, dict[str, list[float]]]
RUNS = {
    "sound": (),
    "shaken wire": ("open-signal2~shake",),
    "wet plug": ("open-signal1~water",),
    "chance": ("open-supply~chance",),
    "hot": ("open-ground~heat",),
    "worn place": ("open-wiper1@18-30",),
    "poor ground": ("resistance-ground=400",),
    "pedal": ("pedal:open-signal1~shake",),
    "sticks": ("sticks",),
    "stays open": ("stays-open",),
    "weak motor": ("weak-motor",),
    "false air": ("false-air",),
}


def of(recording: Recording) -> dict[str, list[float]]:
    """Of each channel: samples, first and last instant, mean, spread, lowest, highest, roughness."""
    told = {}
    for channel in recording.channels:
        values = channel.values
        steps = np.abs(np.diff(values))
        told[channel.id] = [
            float(channel.samples), float(channel.time_s[0]), float(channel.time_s[-1]),
            float(values.mean()), float(values.std()), float(values.min()), float(values.max()),
            float(steps.mean()) if steps.size else 0.0,
        ]  # fmt: skip
    told["marks"] = [float(len(recording.marks)), float(sum(m.time_s for m in recording.marks))]
    return told


def demo(case_id: str) -> dict[str, list[float]]:
    """A case of the demo."""
    return of(next(case for case in CASES if case.id == case_id).make())


def hard(kind: str, seed: int = 7) -> dict[str, list[float]]:
    """A hard case of each kind, and what is true in it."""
    case = hard_case(kind, seed)
    told = of(case.recording)
    for number, true in enumerate(case.truth):
        spans = [at for span in true.times_s for at in span]
        told[f"truth {number} {true.kind} {true.shape} {true.liar} {' '.join(true.channels)}"] = [
            float(len(true.times_s)), sum(spans), *(true.travel_pct or ()), true.evidence,
        ]  # fmt: skip
    told[f"{case.suspect} {case.verdict}"] = [at for span in case.disturbed_s for at in span]
    return told


def depot(number: int) -> dict[str, list[float]]:
    """A job of the depot: when what came, counted from when it was opened."""
    course = courses()[number]
    opened = course.job.opened
    told = {course.job.vehicle.name: [float(opened.hour), float(opened.minute)]}
    for place, entry in enumerate(course.entries):
        told[f"{place} {type(entry).__name__}"] = [(entry.at - opened).total_seconds()]
    return told


def run(name: str) -> dict[str, list[float]]:
    """A run of the simulated vehicle, its engine running, and what its unit has stored."""
    vehicle = SimulatedVehicle(faults=tuple(read_fault(f) for f in RUNS[name]))
    vehicle.start_engine()
    vehicle.engine.coolant_c = 85.0
    vehicle.advance(1.0)
    told = of(record_run(vehicle, 14.0, seed=3))
    for kind in ("stored", "pending", "permanent"):
        told[kind] = sorted(float(code.number) for code in getattr(vehicle.unit.memory, kind))
    told["engine"] = [vehicle.engine.rpm, vehicle.engine.coolant_c, vehicle.engine.manifold_pa]
    for what, value in {**vehicle.values(), **vehicle.pins()}.items():
        told[f"now {what}"] = [value]
    return told


def cable() -> dict[str, list[float]]:
    """A cable throttle from cold: idle valve, warming up."""
    vehicle = SimulatedVehicle(ThrottleKind.CABLE)
    vehicle.start_engine()
    vehicle.advance(5.0)
    told = of(record_run(vehicle, 6.0, seed=4))
    told["engine"] = [vehicle.engine.rpm, vehicle.engine.coolant_c, vehicle.engine.manifold_pa]
    return told


def all_of_it() -> dict[str, Figures]:
    """Everything that is held against the file."""
    return {
        "demo": {case.id: demo(case.id) for case in CASES},
        "hard": {kind: hard(kind) for kind in MAKERS},
        "hard again": {f"{kind} {seed}": hard(kind, seed) for kind in MAKERS for seed in AGAIN},
        "run": {name: run(name) for name in RUNS},
        "cable": {"sound": cable()},
        "depot": {str(number): depot(number) for number in range(len(courses()))},
    }


if __name__ == "__main__":
    json.dump(all_of_it(), sys.stdout, indent=1)
