"""How long a job of sixty observations takes to be judged and its tests ranked.

    python bench/bench_judge_speed.py

Reference: `numpy.linalg.solve` of a thousand random systems of 20 unknowns in the same run, which is
about what the sensor's circuit takes for one state of plug and throttle.
"""

import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from itertools import product

import numpy as np

from nervus.domain.job import (
    AnyEntry,
    Change,
    CodeSet,
    CodeState,
    Complaint,
    Job,
    Look,
    Reading,
    Seen,
    SeenCode,
    Source,
    Vehicle,
    new_id,
)  # fmt: skip
from nervus.domain.profile import ThrottleKind
from nervus.judge.of_job import judge_job
from nervus.knowledge import fitting, look_items

BEGAN = datetime(2026, 1, 5, 8, 0, tzinfo=UTC)
REPEATS = 15


def full_job() -> Job:
    """Two symptoms and conditions, codes, all looks, a change, and readings at both plugs."""
    entries: list[AnyEntry] = []

    def base() -> dict[str, object]:
        at = BEGAN + timedelta(minutes=len(entries))
        return {"id": new_id(), "at": at, "source": Source.TYPED}

    entries.append(Complaint(**base(), symptoms=("reduced_power", "lamp"), conditions=("wet", "key")))  # type: ignore[arg-type]
    codes = tuple(SeenCode(code=c, states=(CodeState.STORED,)) for c in ("P0222", "P2135", "P2106"))
    entries.append(CodeSet(**base(), codes=codes))  # type: ignore[arg-type]
    looks = fitting(look_items().item, ThrottleKind.ELECTRONIC)
    entries += [Look(**base(), item=item.id, seen=Seen.GOOD) for item in looks]  # type: ignore[arg-type]
    measured = (("supply", 5.0), ("sensor ground", 0.02), ("signal 1", 0.6), ("signal 2", 0.1))
    places, openings = ("sensor plug", "control unit plug"), ("closed", "half open", "wide open")
    states = product(("on", "off"), places, measured, openings)
    entries += [
        Reading(
            id=new_id(),
            at=BEGAN + timedelta(hours=1, minutes=number),
            source=Source.TYPED,
            where=f"{line} at the {place}",
            conditions=f"plug {plug}, throttle {opening}",
            value=volts,
            unit="V",
        )
        for number, (plug, place, (line, volts), opening) in enumerate(states)
    ]
    entries.append(Change(**base(), done="plug cleaned"))  # type: ignore[arg-type]
    entries.append(CodeSet(**base(), codes=codes[:1]))  # type: ignore[arg-type]
    vehicle = Vehicle(id=new_id(), name="v", throttle=ThrottleKind.ELECTRONIC)
    return Job(id=new_id(), vehicle=vehicle, opened=BEGAN, entries=tuple(entries))


def took(do: Callable[[], object], repeats: int = REPEATS) -> float:
    """The median of several runs, seconds."""
    times = []
    for _ in range(repeats):
        began = time.perf_counter()
        do()
        times.append(time.perf_counter() - began)
    return float(np.median(times))


def main() -> None:
    """Print the figures."""
    random = np.random.default_rng(1)
    systems, right = random.normal(size=(1000, 20, 20)), random.normal(size=(1000, 20, 1))
    reference = took(lambda: np.linalg.solve(systems, right))
    job = full_job()
    first = took(lambda: judge_job(job), 1)
    again = took(lambda: judge_job(job))
    print(f"{len(judge_job(job).ledger)} observations; reference {1000 * reference:.1f} ms")
    for name, seconds in (("first time", first), ("again", again)):
        print(f"{name}: {1000 * seconds:.0f} ms, {seconds / reference:.1f} x")


if __name__ == "__main__":
    main()
