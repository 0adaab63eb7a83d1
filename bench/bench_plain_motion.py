"""What is told of sound throttles whose motion is as plain as can be: nothing should be.

    python bench/bench_plain_motion.py [--seeds 1] [--first 0] [--only MOTION] [--told] [--of SHAFT]
                                       [--written WAY]

Each motion of `tests/plain_motion.py` with each pair of tracks at each rate, an instrument drawn for
each seed, as it was read or as a program wrote it down (`tests/exported.py`). A row for each motion, a
column for each rate: how many of how many are accused.
"""

import argparse
import sys
import zlib
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from bench_corpus import JOBS
from nervus.judge.analyse import analyse

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from exported import WAYS
from plain_motion import MOTIONS, PAIRS, RATES_HZ, sound

Job = tuple[str, str, float, int]
# Whose tracks are recorded, and what besides: by how many seconds a command leads its plate.
SHAFTS: dict[str, dict[str, Any]] = {"throttle": {}, "pedal": {"pedal": True}, "led": {"led_s": 0.06}}


def accused(job: Job, shaft: str = "throttle", written: str = "") -> list[str]:
    """What is told of one sound recording."""
    recording = sound(*job, **SHAFTS[shaft])
    if written:
        random = np.random.default_rng(zlib.crc32(repr((*job, written)).encode()))
        recording = WAYS[written](recording, random) or recording
    return [f.text for f in analyse(recording).examination.findings if f.confidence >= 0.5]


def jobs(only: str, seeds: range) -> Iterator[Job]:
    """Every motion, pair, rate and seed."""
    motions = [m for m in MOTIONS if not only or m == only]
    return ((m, p, r, s) for m in motions for p in PAIRS for r in RATES_HZ for s in seeds)


def main() -> None:
    """Run them all and print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seeds", type=int, default=1)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--only", default="", choices=["", *MOTIONS])
    parser.add_argument("--told", action="store_true", help="what is told of each that is accused")
    parser.add_argument("--of", default="throttle", choices=[*SHAFTS])
    parser.add_argument("--written", default="", choices=["", *WAYS])
    asked = parser.parse_args()
    every = list(jobs(asked.only, range(asked.first, asked.first + asked.seeds)))
    judge = partial(accused, shaft=asked.of, written=asked.written)
    with ProcessPoolExecutor(JOBS) as pool:
        told = dict(zip(every, pool.map(judge, every, chunksize=8), strict=True))
    print(f"{'accused':16s}" + "".join(f"{rate:>9.0f}" for rate in RATES_HZ) + "      all")
    for motion in [*dict.fromkeys(j[0] for j in every), "all"]:
        rows = [[told[j] for j in every if motion in (j[0], "all") and j[2] == r] for r in RATES_HZ]
        counts = [(sum(map(bool, row)), len(row)) for row in rows]
        counts.append((sum(a for a, _ in counts), sum(b for _, b in counts)))
        print(f"{motion:16s}" + "".join(f"{a:>5d}/{b:3d}" for a, b in counts))
    for job, texts in told.items():
        if texts and asked.told:
            print(*job, len(texts), *(text[:110] for text in texts[:2]), sep=" | ")


if __name__ == "__main__":
    main()
