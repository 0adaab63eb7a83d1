"""Faults planted in sound recordings by another hand: what of them is told, and what is told besides.

    python bench/bench_planted.py CORPUS... [--seeds 2] [--only FAULT]

Each sound recording of the corpora gets each fault of `tests/planted.py`, drawn anew for each seed: the
instrument and the motion are the other hand's, the fault is ours. Scored by the corpus' own scorer: a
row for each fault, and with `--missed` a line for each recording that is not told as it is.
"""

import argparse
import json
import sys
import zlib
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np

from bench_altered import mean, scored
from bench_corpus import JOBS
from nervus.link.reading import kept_recording
from nervus.signal.instruments import sampling

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from planted import ASIDE, AT_A_PLACE, FAULTS, MOMENTS, Planted

Truth = dict[str, Any]
Job = tuple[Path, str, str, int]
# What else may be told of a fault, and for how much.
ALSO = {"drop": 0.5, "noise": 0.5, "nonlinear": 0.5, "disagreement": 0.5, "dead_spot": 0.5}
SHAPES = {"opens": "drop", "steps": "step", "stands": "flat", "bridges": "flat", "flickers": "noise"}
# Who did it, where the recording can tell.
SUSPECTS = {
    "no supply": ["supply_ground"], "no ground": ["supply_ground"],
    "to a level between": ["sensor", "throttle_body"], "to ground": ["wiring"],
    "to the supply": ["wiring"], "through a joint": ["wiring"],
} | {worn: ["sensor"] for worn in AT_A_PLACE}  # fmt: skip
# Sound ones in which a fault can't be told from what they have already.
NOT_IN = ("key switched", "spikes", "slow meter")


def sound(corpora: list[Path]) -> list[tuple[Path, str]]:
    """The sound recordings of some corpora."""
    found = []
    for corpus in corpora:
        for path in sorted((corpus / "truth").glob("[!.]*.json")):
            truth = json.loads(path.read_text())
            if truth.get("healthy") and not any(word in truth["note"] for word in NOT_IN):
                found.append((corpus, path.stem))
    return found


def truth_of(truth: Truth, fault: str, planted: Planted, interval_s: float) -> Truth:
    """A sound recording's truth with a fault planted."""
    moments = [list(m) for m in planted.moments]
    ever = (*planted.moments, *planted.hardly)
    around = [[a - 2.0 * interval_s, b + 2.0 * interval_s] for a, b in ever]
    event: Truth = {"channels": list(planted.channels), "dt": interval_s, "intervals": moments}
    also = {"kinds": [*ALSO, "out_of_range", "supply"], "channels": "*", "travel_pct": None}
    optional: list[Truth] = [also | {"intervals": around}]
    optional.append({"kinds": ["out_of_range"], "channels": "*", "travel_pct": None, "intervals": None})
    if fault in AT_A_PLACE and planted.place is not None:
        kind = "noise" if fault == "flickers" else "dead_spot"
        near = [planted.place[0] - 3.0, planted.place[1] + 3.0]
        event |= {"kind": kind, "travel_pct": list(planted.place), "shape": SHAPES[fault]}
        event["accept"] = ALSO | {kind: 1.0}
        optional.append(
            also | {"channels": list(planted.channels), "intervals": None, "travel_pct": near}
        )
        events = [event]
    elif fault in ASIDE:
        event |= {"kind": "disagreement", "pairs": [["tps1", "tps2"]], "blame": None}
        event |= {
            "accept": ALSO | {"disagreement": 1.0, "nonlinear": 0.5},
            "bad": planted.channels[0][:4],
        }
        optional[0]["intervals"] = [[a - 5.0, b + 3.0] for a, b in moments]
        events = [event]
    else:
        event |= {
            "kind": "drop",
            "floor": None,
            "at_travel_pct": 50.0,
            "both": len(planted.channels) > 1,
        }
        event["accept"] = ALSO | {"drop": 1.0, "supply": 1.0 if MOMENTS[fault][1] else 0.5}
        events = [event | {"intervals": [m]} for m in moments]
    place = ["position"] if fault in AT_A_PLACE else ["time", "undecided"]
    place = [*place, "undecided"] if fault == "flickers" else place
    return truth | {
        "healthy": False, "events": events, "optional": optional,
        "suspects": SUSPECTS.get(fault) if fault in AT_A_PLACE or len(moments) > 2 else None,
        "locality": place if fault in AT_A_PLACE or (fault in MOMENTS and len(moments) > 4) else None,
    }  # fmt: skip


def judged(job: Job) -> dict[str, Any] | None:
    """One fault in one recording, scored; `None` where it can't show there."""
    corpus, name, fault, seed = job
    truth = json.loads((corpus / "truth" / f"{name}.json").read_text())
    low, high = truth["coverage"]["travel_pct_seen"]
    if fault in AT_A_PLACE and not (low <= 1.0 and high >= 99.0):
        return None  # where a place lies is known only where the whole travel was shown
    recording = kept_recording(corpus / "cases" / f"{name}.csv")
    random = np.random.default_rng(zlib.crc32(f"{corpus.name}{name}{fault}{seed}".encode()))
    planted = FAULTS[fault](recording, fault, random)
    if planted is None:
        return None
    interval_s = sampling.interval_s(recording.channels[0].time_s)
    true = truth_of(truth, fault, planted, interval_s)
    return {**scored(corpus, planted.recording, true), "job": job, "note": truth["note"][:40]}


def show(name: str, rows: list[dict[str, Any]]) -> None:
    """A row of figures."""
    false, true = sum(r["fa"] for r in rows), sum(r["matched"] for r in rows)
    off = [x for r in rows for x in r["loc_err"]] or [float("nan")]
    print(
        f"{name:20s} {len(rows):5d}   {mean([r['credit'] for r in rows]):.3f}"
        f"      {true / max(1, true + false):.3f}   {np.median(off):5.2f} {np.quantile(off, 0.9):5.2f}"
        f"     {mean([r['local'] for r in rows]):.3f}  {mean([r['top1'] for r in rows]):.3f}"
        f"  {mean([r['brier'] for r in rows]):.3f}"
    )


def show_all(rows: list[dict[str, Any]], *, missed: bool) -> None:
    """A row for each fault, and what was missed or told besides."""
    print("fault                    n  recall  precision  place off      locality    top  Brier")
    for fault in FAULTS:
        own = [r for r in rows if r["job"][2] == fault]
        if own:
            show(fault, own)
    show("all", rows)
    for row in rows if missed else ():
        if row["credit"] < 0.99 or row["fa"]:
            corpus, name, fault, seed = row["job"]
            told = f"{row['credit']:.2f} {row['fa_kinds']} {row['note']}"
            print(f"    {corpus.name} {name} {fault} {seed} {told}")


def asked_for(description: str | None, *flags: str) -> argparse.Namespace:
    """Corpora, seeds and what else the command line asks for."""
    parser = argparse.ArgumentParser(description=description)
    parser.add_argument("corpora", nargs="+", type=Path)
    parser.add_argument("--seeds", type=int, default=2)
    parser.add_argument("--first", type=int, default=100)
    parser.add_argument("--only", default="")
    for flag in flags:
        parser.add_argument(flag, action="store_true")
    return parser.parse_args()


def main() -> None:
    """Plant, judge and print."""
    asked = asked_for(__doc__, "--missed")
    seeds = range(asked.first, asked.first + asked.seeds)
    jobs = [
        (c, n, f, s) for f in FAULTS if asked.only in f for c, n in sound(asked.corpora) for s in seeds
    ]
    with ProcessPoolExecutor(JOBS) as pool:
        rows = [r for r in pool.map(judged, jobs, chunksize=8) if r is not None]
    show_all(rows, missed=asked.missed)


if __name__ == "__main__":
    main()
