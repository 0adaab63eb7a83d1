"""Recordings that another hand made, as they might as well have come out: does what is told stay true?

    python bench/bench_altered.py CORPUS... [--only WAY...] [--seed ANY]

Every recording of the corpora is altered in each way of `tests/altered.py` (another draw of noise, lost
readings, uneven stamps, the second track called the first, ...) and of `tests/exported.py` (as programs
write readings down: last values, lines between them, only what is new), its truth with it, and scored by
the corpus' own scorer: a row for each way, and below it each recording that is told otherwise than as it
is.
"""

import argparse
import json
import sys
import zlib
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np

from bench_corpus import JOBS, scorer_of
from nervus.domain.channel import Recording
from nervus.files import answer
from nervus.judge.analyse import analyse
from nervus.link.reading import kept_recording

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

import altered
import exported
from altered import BEGIN, END, FASTER, SLOWER, swapped_names

Truth = dict[str, Any]
# What of a fault is left of those of its moments that the recording still holds; fewer tell no place.
LEAST_LEFT, LEAST_PLACED = 0.6, 3
AS_IS = "as it is"
WAYS = altered.WAYS | exported.WAYS


def stretched(truth: Truth, _: Recording, factor: float) -> Truth | None:
    """The truth of a recording that took so many times as long."""
    for each in truth["events"] + truth["optional"]:
        if each.get("intervals"):
            each["intervals"] = [[a * factor, b * factor] for a, b in each["intervals"]]
        if each.get("dt"):
            each["dt"] *= factor
    truth["max_dt"] *= factor
    truth["coverage"]["interval_s"] *= factor
    return truth


def cut(truth: Truth, recording: Recording, begin: float, end: float) -> Truth | None:
    """The truth of a part of a recording; `None` where too little of a fault is left."""
    low, high, left = begin * recording.duration_s, end * recording.duration_s, []
    for event in truth["events"]:
        moments = event.get("intervals")
        if moments:
            inside = [
                [max(a, low), min(b, high)] for a, b in moments if b > low + 0.05 and a < high - 0.05
            ]
            if event["kind"] == "drop" and not inside:
                continue
            if len(inside) < LEAST_LEFT * len(moments):
                return None
            event["intervals"] = inside
        left.append(event)
    if truth["events"] and not left:
        return None
    if len(left) < LEAST_PLACED:
        truth["locality"] = None
    return truth | {"events": left}


def seen_half(truth: Truth, recording: Recording) -> Truth | None:
    """The truth of every second reading: what is shorter than two of them may be missed."""
    step_s, left = float(np.median(np.diff(recording.channels[0].time_s))), []
    for event in truth["events"]:
        event["dt"] = 2.0 * event.get("dt", step_s)
        short = event["kind"] == "drop" and max(b - a for a, b in event["intervals"]) < 2.4 * step_s
        if short:
            kinds = ["drop", "supply", "disagreement", "noise", "dead_spot", "out_of_range"]
            may = {"kinds": kinds, "channels": "*", "intervals": event["intervals"]}
            truth["optional"].append(may | {"travel_pct": None})
        else:
            left.append(event)
    if truth["events"] and not left:
        return None
    truth["max_dt"] *= 2.0
    truth["coverage"]["interval_s"] *= 2.0
    return truth | {"events": left, "locality": None}


def renamed(truth: Truth, recording: Recording) -> Truth | None:
    """The truth where the second track is called the first."""
    sensors = {name[:3] for name in swapped_names(recording)}
    text = json.dumps(truth)
    for sensor in sensors:
        text = text.replace(f"{sensor}1", "\0").replace(f"{sensor}2", f"{sensor}1")
        text = text.replace("\0", f"{sensor}2")
    return dict(json.loads(text))


TRUTHS: dict[str, Callable[[Truth, Recording], Truth | None]] = {
    "slower": lambda t, r: stretched(t, r, SLOWER),
    "faster": lambda t, r: stretched(t, r, FASTER),
    "begun later": lambda t, r: cut(t, r, BEGIN, 1.0),
    "ended earlier": lambda t, r: cut(t, r, 0.0, END),
    "halved": seen_half,
    "swapped": renamed,
}


def judged(job: tuple[Path, str, str, str]) -> dict[str, Any] | None:
    """One recording altered in one way, scored; `None` where that way has nothing to change."""
    corpus, name, way, seed = job
    truth = json.loads((corpus / "truth" / f"{name}.json").read_text())
    if truth["expect_exit"] == 2:
        return None
    recording = kept_recording(corpus / "cases" / f"{name}.csv")
    if way != AS_IS:
        random = np.random.default_rng(zlib.crc32(f"{name}{way}{seed}".encode()))
        changed = WAYS[way](recording, random)
        told = TRUTHS[way](truth, recording) if way in TRUTHS else truth
        if changed is None or told is None:
            return None
        recording, truth = changed, told
    return {**scored(corpus, recording, truth), "way": way, "of": (corpus.name, name)}


def scored(corpus: Path, recording: Recording, truth: Truth) -> dict[str, Any]:
    """What is told of a recording, by the corpus' own scorer."""
    made = {"status": "ok", "why": "", "rc": 0, "err": "", "s": 0.0}
    made["out"] = json.dumps(answer(analyse(recording)))
    told: dict[str, Any] = scorer_of(corpus).judge(truth, made)
    return told


def mean(values: list[float | None]) -> float:
    """The mean of what is known."""
    known = [v for v in values if v is not None]
    return sum(known) / len(known) if known else float("nan")


def show(way: str, rows: list[dict[str, Any]], plain: dict[tuple[str, str], dict[str, Any]]) -> None:
    """A way's row, and what it changed."""
    false, true = sum(r["fa"] for r in rows), sum(r["matched"] for r in rows)
    off = [x for r in rows for x in r["loc_err"]]
    print(
        f"{way:14s} {len(rows):4d}   {mean([r['credit'] for r in rows]):.3f}"
        f"      {true / max(1, true + false):.3f}"
        f"    {mean([float(r['fa'] > 0) for r in rows if r['healthy']]):.3f}"
        f"  {np.median(off):.2f} {np.quantile(off, 0.9):.2f}"
        f"    {mean([r['local'] for r in rows]):.3f}  {mean([r['top1'] for r in rows]):.3f}"
        f"  {mean([r['brier'] for r in rows]):.3f}"
    )
    for row in rows:
        was = plain[row["of"]]
        keys = ("credit", "fa", "top1")
        if any(row[k] != was[k] for k in keys):
            print("      ", *row["of"], row["family"], *(f"{k} {was[k]} -> {row[k]}" for k in keys))


def main() -> None:
    """Alter, judge and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("corpora", nargs="+", type=Path)
    parser.add_argument("--only", nargs="+", choices=WAYS, default=list(WAYS), metavar="WAY")
    parser.add_argument("--seed", default="", help="another draw of each way")
    arguments = parser.parse_args()
    corpora, ways = arguments.corpora, (AS_IS, *arguments.only)
    names = [(c, p.stem) for c in corpora for p in sorted((c / "truth").glob("[!.]*.json"))]
    jobs = [(c, name, way, arguments.seed) for way in ways for c, name in names]
    with ProcessPoolExecutor(JOBS) as pool:
        rows = [r for r in pool.map(judged, jobs, chunksize=8) if r is not None]
    plain = {r["of"]: r for r in rows if r["way"] == AS_IS}
    print("way               n  recall  precision  healthy  place off  locality    top  Brier")
    for way in ways:
        show(way, [r for r in rows if r["way"] == way], plain)


if __name__ == "__main__":
    main()
