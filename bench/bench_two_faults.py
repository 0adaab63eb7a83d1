"""Two faults planted in one sound recording by another hand: is each told as if it were alone?

    python bench/bench_two_faults.py CORPUS... [--seeds 2] [--only FAULT] [--missed]

Each pair of a worn place and another fault, of which a third is drawn for each recording and seed;
places of one track lie apart. A row for each pair, and what each of the two was told of alone.
"""

import json
import zlib
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np

from bench_altered import mean, scored
from bench_corpus import JOBS
from bench_planted import asked_for, show, sound, truth_of
from nervus.link.reading import kept_recording
from nervus.signal.instruments import sampling
from planted import FAULTS, WORN, Planted, both

Job = tuple[Path, str, str, int]
OTHERS = (*WORN, "to ground", "through a joint", "no supply", "to a level between")
EACH = 3
# Nearer than this, percent of travel, two places of one track are one.
APART_PCT = 4.0


def judged(job: Job) -> dict[str, Any] | None:
    """Two faults in one recording, scored; `None` where it is not drawn or either can't show there."""
    corpus, name, pair, seed = job
    number = zlib.crc32(f"{corpus.name}{name}{pair}{seed}".encode())
    truth = json.loads((corpus / "truth" / f"{name}.json").read_text())
    low, high = truth["coverage"]["travel_pct_seen"]
    if number % EACH or not (low <= 1.0 and high >= 99.0):
        return None
    recording = kept_recording(corpus / "cases" / f"{name}.csv")
    random = np.random.default_rng(number)
    made = [(f, FAULTS[f](recording, f, random)) for f in pair.split(" + ")]
    faults = [(f, p) for f, p in made if p is not None]
    if len(faults) < 2 or are_one(faults[0][1], faults[1][1]):
        return None
    interval_s = sampling.interval_s(recording.channels[0].time_s)
    truths = [truth_of(truth, f, p, interval_s) for f, p in faults]
    alone = [scored(corpus, p.recording, t) for (_, p), t in zip(faults, truths, strict=True)]
    events = [len(t["events"]) for t in truths]
    true = truth | {key: [x for t in truths for x in t[key]] for key in ("events", "optional")}
    true |= {"healthy": False, "suspects": None, "locality": None}
    together = scored(corpus, both(recording, faults[0][1], faults[1][1]), true)
    credit = sum(a["credit"] * n for a, n in zip(alone, events, strict=True)) / sum(events)
    return {**together, "job": job, "note": truth["note"][:40], "alone": credit}


def are_one(one: Planted, two: Planted) -> bool:
    """Whether two worn places of one track lie so near that nobody tells them apart."""
    if one.place is None or two.place is None or one.channels != two.channels:
        return False
    return one.place[0] < two.place[1] + APART_PCT and two.place[0] < one.place[1] + APART_PCT


def main() -> None:
    """Plant, judge and print."""
    asked = asked_for(__doc__, "--missed")
    seeds = range(asked.first, asked.first + asked.seeds)
    pairs = [p for one in WORN for two in OTHERS if asked.only in (p := f"{one} + {two}")]
    jobs = [(c, n, p, s) for p in pairs for c, n in sound(asked.corpora) for s in seeds]
    with ProcessPoolExecutor(JOBS) as pool:
        rows = [r for r in pool.map(judged, jobs, chunksize=8) if r is not None]
    print("faults                      n  recall  precision  place off      locality    top  Brier")
    for pair in pairs:
        own = [r for r in rows if r["job"][2] == pair]
        if own:
            show(pair, own)
    show("all", rows)
    print(f"each alone: recall {mean([r['alone'] for r in rows]):.3f}")
    for row in rows if asked.missed else ():
        if row["credit"] < row["alone"] - 0.05 or row["fa"]:
            corpus, name, pair, seed = row["job"]
            told = f"{row['alone']:.2f} -> {row['credit']:.2f} {row['fa_kinds']} {row['note']}"
            print(f"    {corpus.name} {name} {pair} {seed} {told}")


if __name__ == "__main__":
    main()
