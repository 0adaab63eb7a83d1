"""Sound recordings by another hand with what no fault is: does anything get the blame?

    python bench/bench_harmless.py CORPUS... [--seeds 2] [--only WAY] [--told]

Each sound recording of the corpora gets each thing of `tests/harmless.py`, drawn anew for each seed:
ignition spikes, a hum, a second logger's clock, a pause, a plate that bounces. Instrument and motion are
the other hand's. A row for each: in how many of them anything was told that the corpus' own truth does
not allow, and with `--told` what.
"""

import json
import sys
import zlib
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from bench_corpus import JOBS
from bench_planted import asked_for, sound
from nervus.files import answer
from nervus.judge.analyse import analyse
from nervus.link.reading import kept_recording

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from harmless import WAYS

Job = tuple[Path, str, str, int]
# What is told with less is a question.
TOLD = 0.5


def accused(job: Job) -> tuple[Job, list[str]] | None:
    """What is told of a recording, but what its truth allows; `None` where nothing could be changed."""
    corpus, name, way, seed = job
    random = np.random.default_rng(zlib.crc32(f"{corpus.name}{name}{way}{seed}".encode()))
    recording = WAYS[way](kept_recording(corpus / "cases" / f"{name}.csv"), random)
    if recording is None:
        return None
    truth = json.loads((corpus / "truth" / f"{name}.json").read_text())
    allowed = {kind for each in truth["optional"] for kind in each["kinds"]}
    findings = answer(analyse(recording))["findings"]
    told = [f for f in findings if f["confidence"] >= TOLD and f["kind"] not in allowed]
    return job, [f["text"] for f in told]


def main() -> None:
    """Change, judge and print."""
    asked = asked_for(__doc__, "--told")
    seeds = range(asked.first, asked.first + asked.seeds)
    jobs = [
        (c, n, w, s) for w in WAYS if asked.only in w for c, n in sound(asked.corpora) for s in seeds
    ]
    with ProcessPoolExecutor(JOBS) as pool:
        rows = [r for r in pool.map(accused, jobs, chunksize=8) if r is not None]
    print("what is no fault         n   accused")
    for way in (*WAYS, "all"):
        own = [told for job, told in rows if way in (job[2], "all")]
        if own:
            print(f"{way:20s} {len(own):5d}   {sum(map(bool, own)):5d}")
    for (corpus, name, way, seed), told in rows if asked.told else ():
        if told:
            print("   ", corpus.name, name, way, seed, len(told), told[0])


if __name__ == "__main__":
    main()
