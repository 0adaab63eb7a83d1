"""Whole jobs played by the simulated vehicle: codes as it sets them, a recording, readings at its pins.

    python bench/bench_judge_vehicle.py [--jobs N] [--seed S]

Faults are drawn by the shares of the fault tree among those that the stand-in can play. Complaints come
from Nervus' own table, all else from circuit, plate, engine and control unit, so what depends on each
other does so here. Half of the stand-in's counts weigh in the tables too, so this tells whether evidence
that hangs together is counted twice, not whether the tables are those of the world.
"""

import argparse
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np

from bench_judge import brier, calibration_error
from nervus.domain.job import (
    AnyEntry,
    CodeSet,
    CodeState,
    Complaint,
    Job,
    Reading,
    Recorded,
    SeenCode,
    Source,
    Vehicle,
    new_id,
)  # fmt: skip
from nervus.domain.profile import ThrottleKind
from nervus.domain.suspect import SuspectId
from nervus.judge import of_told
from nervus.judge.analyse import analyse
from nervus.judge.of_job import judge_job, kept
from nervus.knowledge import judging
from nervus.knowledge.tree import tree_for
from nervus.standin import counting

SUSPECTS = list(SuspectId)
BEGAN = datetime(2026, 1, 5, 8, 0, tzinfo=UTC)
PINS = {
    "supply": "plug_supply",
    "sensor ground": "plug_ground",
    "signal 1": "plug_signal1",
    "signal 2": "plug_signal2",
}
AT_UNIT = {"supply": "vref", "sensor ground": "ground", "signal 1": "signal1", "signal 2": "signal2"}


def played(kind: ThrottleKind, fault: str, random: np.random.Generator) -> Job:
    """One job with a planted fault."""
    vehicle = counting._drawn_vehicle(kind, counting.PLAYS[fault], random)
    if random.random() < 0.5:
        vehicle.start_engine()
        vehicle.advance(6.0)
    recording = counting._recorded(vehicle, random, scope=random.random() < 0.5)
    entries: list[AnyEntry] = []

    def base() -> dict[str, Any]:
        return {"id": new_id(), "at": BEGAN + timedelta(minutes=len(entries)), "source": Source.TYPED}

    tree, (symptoms, _) = tree_for(kind), of_told._shares(kind)
    index = [f.id for f in tree.faults].index(fault)
    names = list(symptoms)
    share = np.asarray([symptoms[n][1][index] for n in names])
    entries.append(Complaint(**base(), symptoms=(str(random.choice(names, p=share / share.sum())),)))
    memory = vehicle.unit.memory
    told = {str(c.base) for c in (*memory.stored, *memory.pending)} - {"P0507"}
    if random.random() < 0.85:
        codes = tuple(SeenCode(code=c, states=(CodeState.STORED,)) for c in sorted(told))
        entries.append(CodeSet(**base(), codes=codes))
    if random.random() < 0.6:
        recorded = Recorded(
            **base(), name="r", file=f"{new_id()}-r.csv", digest="0" * 64,
            channels=tuple(c.id for c in recording.channels),
        )  # fmt: skip
        entries += [recorded, kept(analyse(recording), recorded, judging())]
    vehicle.engine.stop()
    vehicle.driver.pedal_pct = 0.0
    vehicle.driver.shaken = False
    vehicle.advance(1.0)
    lines = list(PINS)[: 3 if kind is ThrottleKind.CABLE else 4]
    for line in random.permutation(lines)[: int(random.integers(0, 4))]:
        unit = random.random() < 0.4
        node = (AT_UNIT if unit else PINS)[str(line)]
        volts = vehicle.pins().get(node, 0.0) + float(random.normal(0.0, 0.02))
        where = f"{line} at the {'control unit' if unit else 'sensor'} plug"
        reading = Reading(
            **base(),
            where=where,
            value=round(volts, 2),
            unit="V",
            conditions="plug on, key on, throttle closed",
        )
        entries.append(reading)
    return Job(
        id=new_id(),
        vehicle=Vehicle(id=new_id(), name="v", throttle=kind),
        opened=BEGAN,
        entries=tuple(entries),
    )


def main() -> None:
    """Print the figures."""
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--jobs", type=int, default=300)
    parser.add_argument("--seed", type=int, default=7)
    parser.add_argument(
        "--worst", action="store_true", help="list the jobs that were told surely and wrongly"
    )
    asked = parser.parse_args()
    random = np.random.default_rng(asked.seed)
    told, truth, faults = [], [], []
    for _ in range(asked.jobs):
        kind = ThrottleKind.ELECTRONIC if random.random() < 0.65 else ThrottleKind.CABLE
        tree = tree_for(kind)
        counted = counting.counted_for(kind)
        can = [f for f in tree.faults if f.id in counted]
        share = np.asarray([f.prior for f in can])
        fault = can[int(random.choice(len(can), p=share / share.sum()))]
        job = played(kind, fault.id, random)
        judged = judge_job(job)
        chance = {s.id: s.probability for s in judged.standing.suspects}
        told.append([chance[s] for s in SUSPECTS])
        truth.append(SUSPECTS.index(fault.suspect))
        faults.append(fault.id)
        first = judged.standing.suspects[0]
        if asked.worst and first.id is not fault.suspect and first.probability > 0.8:
            print(kind.value, fault.id, "->", judged.faults[0].id, round(first.probability, 2))
            for line in judged.ledger:
                print(
                    "   ",
                    line.text[:110],
                    round(line.times_as_likely[first.id], 1),
                    round(line.times_as_likely[fault.suspect], 2),
                )
    chances, right = np.asarray(told), np.asarray(truth)
    print(
        f"{len(right)} jobs: first right {(chances.argmax(axis=1) == right).mean():.3f}, "
        f"Brier {brier(chances, right):.3f}, calibration error {calibration_error(chances, right):.3f}"
    )
    for low, high in ((0.0, 0.4), (0.4, 0.6), (0.6, 0.8), (0.8, 0.9), (0.9, 0.97), (0.97, 1.01)):
        here = (chances.max(axis=1) >= low) & (chances.max(axis=1) < high)
        if here.any():
            sure, hit = chances.max(axis=1)[here], (chances.argmax(axis=1) == right)[here]
            span = f"{low:.2f} to {min(high, 1.0):.2f}"
            print(f"  told {span}: {here.sum()} jobs, told {sure.mean():.2f}, right {hit.mean():.2f}")


if __name__ == "__main__":
    main()
