"""Faults of one track in sweeps from slow to as quick as a foot: what of them is told, and what besides.

    python bench/bench_quick_sweeps.py [--seeds 2] [--first 0] [--told]

Each fault of `tests/quick_sweeps.py`, of a lone track and of one of a pair, read at several rates with
little noise or much. Left out is what no reading can show: a place that is passed between two of them.
"""

import argparse
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from itertools import product

from bench_corpus import JOBS
from nervus.domain.finding import DeadSpot, Drop, Finding, Noise
from nervus.judge.analyse import analyse
from quick_sweeps import FAULTS, PLACE, ROUGH, read

RATES_HZ, SECONDS, NOISES_V = (20.0, 100.0, 200.0, 1000.0, 5000.0), (0.8, 2.0, 6.0), (0.002, 0.008)
# So many readings at a place show it, where the shaft is quickest.
LEAST_READ = 2.0
Job = tuple[str, float, float, bool, float, bool, int]


def can_show(fault: str, seconds: float, rate_hz: float) -> bool:
    """Whether each pass reads the place often enough."""
    wide = PLACE[1] - PLACE[0] if fault != "rough" else ROUGH[1] - ROUGH[0]
    quickest = 100.0 * 1.9 / (0.35 * seconds)
    return fault in ("none", "falls out") or wide / quickest * rate_hz >= LEAST_READ


def is_it(found: Finding, fault: str) -> bool:
    """Whether a finding is the fault that was planted."""
    if fault == "falls out":
        return isinstance(found, Drop)
    if fault == "rough":
        return isinstance(found, Noise) and abs(sum(found.travel_pct) - sum(ROUGH)) < 6.0
    if fault == "none" or not isinstance(found, DeadSpot):
        return False
    return found.shape.value == FAULTS[fault] and abs(sum(found.travel_pct) - sum(PLACE)) < 6.0


def judged(job: Job) -> tuple[Job, bool, tuple[str, ...]]:
    """Whether a fault was told, and what besides."""
    fault, seconds, rate_hz, lone, noise_v, even, seed = job
    made = read(fault, seconds, rate_hz, lone=lone, noise_v=noise_v, even=even, seed=seed)
    found = analyse(made).examination.findings
    right = [f for f in found if is_it(f, fault)]
    once = right if fault == "falls out" else right[:1]
    return job, bool(right), tuple(f.text for f in found if f not in once)


def jobs(first: int, seeds: int) -> Iterator[Job]:
    """All of them, evenly moved and by hand."""
    every = product(
        FAULTS, SECONDS, RATES_HZ, (True, False), NOISES_V, (True, False), range(first, first + seeds)
    )
    return (job for job in every if can_show(*job[:3]))


def main() -> None:
    """Print what came of each fault, alone and beside a sister."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("--seeds", type=int, default=2)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--told", action="store_true", help="what was missed, and told besides")
    given = parser.parse_args()
    with ProcessPoolExecutor(JOBS) as pool:
        rows = list(pool.map(judged, jobs(given.first, given.seeds), chunksize=4))
    print(
        f"{'':12}{'lone track: told':>18}{'besides, in':>13}{'of a pair: told':>18}{'besides, in':>13}"
    )
    for fault in FAULTS:
        line = f"{fault:12}"
        for lone in (True, False):
            own = [r for r in rows if r[0][0] == fault and r[0][3] is lone]
            told, besides = sum(r[1] for r in own), sum(bool(r[2]) for r in own)
            line += f"{'' if fault == 'none' else told:>12} of{len(own):>4}{besides:>12}"
        print(line)
    if given.told:
        for job, right, others in rows:
            if others or (not right and job[0] != "none"):
                print(*job, "" if right else "MISSED", *others[:3], sep=" | ")


if __name__ == "__main__":
    main()
