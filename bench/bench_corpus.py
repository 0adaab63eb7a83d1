"""Recordings that another hand made: the score, and what confidence means.

    python bench/bench_corpus.py CORPUS...                    the table of the corpus' own scorer
    python bench/bench_corpus.py CORPUS... --calibration OUT  of each confidence, how much is true

A corpus is a folder with `cases/`, `truth/` and, beside them or one folder up, its scorer `score.py`.
It is run in this process, not by the command; what each rule earns there: `bench_ablation.py`.
"""

import argparse
import importlib.util
import json
import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from itertools import pairwise
from pathlib import Path
from types import ModuleType
from typing import Any

import numpy as np

from nervus.domain.errors import OutsideError
from nervus.files import answer
from nervus.judge.analyse import analyse
from nervus.link.reading import recording_in

JOBS = 2
BINS = (0.5, 0.8, 0.9, 0.95, 0.97, 0.98, 1.001)


def scorer_of(corpus: Path) -> ModuleType:
    """The corpus' own scorer."""
    path = next(p for p in (corpus / "score.py", corpus.parent / "score.py") if p.is_file())
    spec = importlib.util.spec_from_file_location("score", path)
    if spec is None or spec.loader is None:
        raise SystemExit(f"{path} can't be loaded")
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def answered(path: Path) -> dict[str, Any]:
    """What the command would have given, as the scorer wants it."""
    made: dict[str, Any] = {"status": "ok", "why": "", "rc": 0, "out": "", "err": "", "s": 0.0}
    try:
        recording = recording_in(path).recording
        if recording is not None:
            made["out"] = json.dumps(answer(analyse(recording)))
    except OutsideError as wrong:
        made.update(rc=2, err=f"nervus: {wrong}")
    return made


def truths_of(corpus: Path) -> dict[Path, dict[str, Any]]:
    """Every recording of a corpus with what is true of it."""
    told = [json.loads(p.read_text()) for p in sorted((corpus / "truth").glob("[!.]*.json"))]
    return {corpus / "cases" / f"{t['name']}.csv": t for t in told}


def judged(corpus: Path) -> list[dict[str, Any]]:
    """Every case of a corpus."""
    paths, truths = zip(*truths_of(corpus).items(), strict=True)
    with ProcessPoolExecutor(JOBS) as pool:
        answers = list(pool.map(answered, paths, chunksize=4))
    scorer = scorer_of(corpus)
    return [
        {**scorer.judge(t, a), "truth": t, "answer": a} for t, a in zip(truths, answers, strict=True)
    ]


def calibration(corpora: list[Path], out: Path) -> None:
    """Of the findings told with each confidence, how many are true, by kind; drawn as a picture."""
    told: list[tuple[str, float, bool]] = []
    for corpus in corpora:
        scorer = scorer_of(corpus)
        for case in judged(corpus):
            if case["truth"]["expect_exit"] == 2 or not case["answer"]["out"]:
                continue
            plain, _ = scorer.parse(case["answer"])
            for finding in plain["_F"]:
                hit = any(scorer.match(finding, e) > 0 for e in case["truth"]["events"])
                beside = any(
                    scorer.is_optional(finding, {**o, "_pad": 0.1}) for o in case["truth"]["optional"]
                )
                if hit or not beside:
                    told.append((finding["kind"], finding["raw"]["confidence"], hit))
    points = []
    for kind in ("all", *sorted({k for k, _, _ in told})):
        own = [(c, hit) for k, c, hit in told if kind in ("all", k)]
        print(
            f"{kind:14s} {len(own):5d} findings, {np.mean([h for _, h in own]):.3f} true, "
            f"told as {np.mean([c for c, _ in own]):.3f}"
        )
        for low, high in pairwise(BINS):
            inside = [(c, hit) for c, hit in own if low <= c < high]
            if inside and kind == "all":
                share = float(np.mean([h for _, h in inside]))
                points.append((float(np.mean([c for c, _ in inside])), share, len(inside)))
                print(f"    {low:.2f} to {high:.2f}: {len(inside):4d}, {share:.3f} true")
    out.write_text(picture(points))


def picture(points: list[tuple[float, float, int]]) -> str:
    """Told against true, from 0.5 to 1, as SVG; the larger the dot the more findings."""
    at: Callable[[float], float] = lambda value: 40 + 640 * (value - 0.5)  # noqa: E731 - one line
    dots = "".join(
        f'<circle cx="{at(told):.1f}" cy="{400 - at(true):.1f}" r="{3 + 2 * np.log10(count):.1f}" '
        f'fill="#0b5a66"/><text x="{at(told) - 60:.1f}" y="{394 - at(true):.1f}">{true:.2f} '
        f"of {count}</text>"
        for told, true, count in points
    )
    return (
        '<svg xmlns="http://www.w3.org/2000/svg" width="420" height="400" '
        'font-family="sans-serif" font-size="11">'
        '<rect width="420" height="400" fill="#fbfaf6"/>'
        '<path d="M40 360H360M40 360V40" stroke="#1d2a30" fill="none"/>'
        '<path d="M40 360L360 40" stroke="#b5231c" stroke-dasharray="4 3"/>'
        '<text x="150" y="390">confidence that was told</text>'
        '<text x="6" y="30">share that is true</text>'
        '<text x="34" y="374">0.5</text><text x="350" y="374">1</text><text x="16" y="364">0.5</text>'
        f'<text x="26" y="46">1</text>{dots}</svg>\n'
    )


def main() -> None:
    """Print what was asked for."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("corpora", type=Path, nargs="+", metavar="CORPUS")
    parser.add_argument("--calibration", type=Path, metavar="OUT")
    asked = parser.parse_args()
    if asked.calibration:
        calibration(asked.corpora, asked.calibration)
    else:
        for corpus in asked.corpora:
            scorer_of(corpus).report(judged(corpus), out=sys.stdout)


if __name__ == "__main__":
    main()
