"""Faults planted in the plainest motion there is: what of them is told, and what is told besides.

    python bench/bench_plain_planted.py CORPUS [--seeds 1] [--first 0] [--only FAULT] [--missed]
                                        [--led]

Each fault of `tests/planted.py` in each motion, pair and rate of `tests/plain_motion.py`, one in four of
them drawn for each seed; scored by the corpus' scorer as `bench_planted.py` does it. With `--led` the
command is recorded that led the plate.
"""

import zlib
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from bench_altered import scored
from bench_corpus import JOBS
from bench_plain_motion import SHAFTS, jobs
from bench_planted import Truth, asked_for, show_all, truth_of
from nervus.domain.channel import Channel
from plain_motion import sound
from planted import AT_A_PLACE, FAULTS, tracks_of, travel_of, whole

Job = tuple[Path, str, str, float, str, int, bool]
EACH = 4
# Percent of the travel that was often seen; the open stop, a share of the supply.
MOST_PCT, TOP = 101.5, 0.81


def showed_all(track: Channel) -> bool:
    """Whether both ends of the travel were shown, and not for a moment only."""
    return bool(travel_of(track).max() < MOST_PCT and track.values.max() > TOP * whole(track))


def judged(job: Job) -> dict[str, Any] | None:
    """One fault in one plain recording, scored; `None` where it is not drawn or can't show there."""
    corpus, motion, pair, rate_hz, fault, seed, led = job
    random = np.random.default_rng(zlib.crc32(f"{motion}{pair}{rate_hz}{fault}{seed}".encode()))
    if random.integers(EACH):
        return None
    recording = sound(motion, pair, rate_hz, seed, **SHAFTS["led" if led else "throttle"])
    if fault in AT_A_PLACE and not showed_all(tracks_of(recording)[0]):
        return None  # where a place lies is known only where the ends of the travel were rested at
    planted = FAULTS[fault](recording, fault, random)
    if planted is None:
        return None
    interval_s = 1.0 / rate_hz
    base: Truth = {
        "name": motion, "family": fault, "difficulty": "medium", "expect_exit": 0, "note": motion,
        "optional": [], "max_dt": 1.2 * interval_s,
        "coverage": {"travel_pct_seen": [0.0, 100.0], "interval_s": interval_s},
    }  # fmt: skip
    # The command is not what a unit makes of the tracks: it stays.
    command = [c for c in recording.channels if c.id == "throttle_cmd_pct"]
    shown = replace(planted.recording, channels=(*planted.recording.channels, *command))
    true = truth_of(base, fault, planted, interval_s)
    return {
        **scored(corpus, shown, true),
        "job": (corpus, f"{motion} {pair} {rate_hz:.0f}", fault, seed),
        "note": "",
    }


def main() -> None:
    """Plant, judge and print."""
    asked = asked_for(__doc__, "--missed", "--led")
    seeds = range(asked.first, asked.first + asked.seeds)
    every = [
        (asked.corpora[0], m, p, r, f, s, asked.led)
        for f in FAULTS if asked.only in f for m, p, r, s in jobs("", seeds)
    ]  # fmt: skip
    with ProcessPoolExecutor(JOBS) as pool:
        rows = [r for r in pool.map(judged, every, chunksize=16) if r is not None]
    show_all(rows, missed=asked.missed)


if __name__ == "__main__":
    main()
