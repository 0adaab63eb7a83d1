"""What each condition of the signal room earns: taken out wherever it ever comes out otherwise.

    python bench/bench_conditions.py CORPUS... [--seed 700] [--most 15] [--only FILE]

Every condition is watched over the corpora, what is planted in them, what no fault is, and what is
altered. Told are those that never came out otherwise than if they were not there. The others, where that
is so in `--most` recordings or fewer, are then taken out there, one at a time: in how many recordings
what is counted gets worse, or better, or the program stumbles.
"""

import argparse
import signal
import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import all_conditions
import bench_altered
import bench_corpus
import bench_harmless
import bench_planted

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

import altered
import harmless
import planted

# A loop that does not end without a condition is given up after so many seconds.
LONGEST_S = 8
# What is counted of a recording counts as changed from here on.
LEAST = {"brier": 0.02, "loc_err": 0.15}
Job = tuple[str, Path, str, str, int]
Counted = dict[str, float]
WATCH = all_conditions.WATCH


def jobs_of(corpora: list[Path], seed: int) -> list[Job]:
    """All recordings, each by how it is made."""
    names = [(c, p.stem) for c in corpora for p in bench_corpus.truths_of(c)]
    sound = bench_planted.sound(corpora)
    return [
        *(("as it is", c, n, "", 0) for c, n in names),
        *(("planted", c, n, fault, seed) for fault in planted.FAULTS for c, n in sound),
        *(("harmless", c, n, way, seed) for way in harmless.WAYS for c, n in sound),
        *(("altered", c, n, way, 0) for way in altered.WAYS for c, n in names),
    ]


def counted(job: Job) -> Counted | None:
    """What is counted of a recording, more is better; `None` where nothing is to be told of it."""
    how, corpus, name, way, seed = job
    if how == "harmless":
        told = bench_harmless.accused((corpus, name, way, seed))
        return None if told is None else {"fa": -float(len(told[1]))}
    if how == "planted":
        row = bench_planted.judged((corpus, name, way, seed))
    else:
        row = bench_altered.judged((corpus, name, way or bench_altered.AS_IS, ""))
    if row is None:
        return None
    less = {"fa": row["fa"], "brier": row["brier"] or 0.0, "loc_err": sum(row["loc_err"] or ())}
    more = {k: 1.0 if row[k] is None else row[k] for k in ("credit", "top1", "local")}
    return more | {k: -float(v) for k, v in less.items()}


def watched(job: Job) -> tuple[Job, Counted | None, set[int]]:
    """A recording by all conditions, and which of them mattered."""
    WATCH.out, WATCH.mattered = -1, set()
    return job, counted(job), WATCH.mattered


def without(asked: tuple[Job, Counted, int]) -> tuple[int, str]:
    """What becomes of a recording without a condition."""
    job, before, WATCH.out = asked
    signal.signal(signal.SIGALRM, _given_up)
    signal.alarm(LONGEST_S)
    try:
        now = counted(job)
    except Exception:  # noqa: BLE001 - that it stumbles is what is told
        return WATCH.out, "stumbles"
    finally:
        signal.alarm(0)
    if now is None:
        return WATCH.out, "worse"
    change = {k: now[k] - before[k] for k in before if abs(now[k] - before[k]) > LEAST.get(k, 1e-3)}
    worse, better = any(v < 0.0 for v in change.values()), any(v > 0.0 for v in change.values())
    return WATCH.out, "worse" if worse else "better" if better else "same"


def _given_up(*_: object) -> None:
    raise TimeoutError


def main() -> None:
    """Watch, take out and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("corpora", nargs="+", type=Path)
    parser.add_argument("--seed", type=int, default=700)
    parser.add_argument("--most", type=int, default=15)
    parser.add_argument("--only", default="")
    asked = parser.parse_args()
    mattered: Counter[int] = Counter()
    outcomes: dict[int, Counter[str]] = {}
    with ProcessPoolExecutor(bench_corpus.JOBS) as pool:
        seen = [*pool.map(watched, jobs_of(asked.corpora, asked.seed), chunksize=8)]
        for _, _, some in seen:
            mattered.update(some)
        few = {k for k, n in mattered.items() if n <= asked.most and asked.only in WATCH.places[k]}
        tried = [(job, before, k) for job, before, some in seen if before for k in sorted(some & few)]
        for number, outcome in pool.map(without, tried, chunksize=4):
            outcomes.setdefault(number, Counter())[outcome] += 1
    print(f"{len(seen)} recordings, {len(WATCH.places)} conditions; not needed in any of them:")
    for number, place in enumerate(WATCH.places):
        if not mattered[number] and asked.only in place:
            print("   ", place)
    print(f"needed in {asked.most} or fewer, and what becomes of these without:")
    for number, found in sorted(outcomes.items()):
        told = ", ".join(f"{n} {what}" for what, n in sorted(found.items()))
        print(f"    {WATCH.places[number]}: {told}")


if __name__ == "__main__":
    main()
