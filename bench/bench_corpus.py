"""Recordings that another hand made: the score, what each rule earns, and what confidence means.

    python bench/bench_corpus.py CORPUS...                    the table of the corpus' own scorer
    python bench/bench_corpus.py CORPUS... --ablation         each rule taken out in turn, also on our
    hard cases
    python bench/bench_corpus.py CORPUS... --calibration OUT  how many findings of each confidence are
    true

A corpus is a folder with `cases/`, `truth/` and, beside them or one folder up, its scorer `score.py`.
It is run in
this process, not by the command, so that a rule can be taken out.
"""

import argparse
import importlib.util
import json
import pkgutil
import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from itertools import pairwise
from pathlib import Path
from types import ModuleType
from typing import Any

import numpy as np

from bench_detection import TUNING, tally
from nervus.domain.errors import OutsideError
from nervus.files import answer
from nervus.judge.analyse import analyse
from nervus.link.reading import recording_in
from nervus.standin.hard_cases import MAKERS

JOBS, SEEDS = 2, 4
BINS = (0.5, 0.8, 0.9, 0.95, 0.97, 0.98, 1.001)


def nothing(*_: object, **__: object) -> tuple[()]:
    """For rules that find something."""
    return ()


def no(*_: object, **__: object) -> bool:
    """For rules that ask."""
    return False


def yes(*_: object, **__: object) -> bool:
    """For rules that must agree."""
    return True


def same(value: Any, *_: object, **__: object) -> Any:
    """For rules that change what they get."""
    return value


# Each rule: where it is called from, by which name, and what stands in for it.
RULES: dict[str, tuple[str, str, Any]] = {
    "values and stamps as read": ("examine", "as_read", same),
    "key off": ("examine", "key_off_spans", nothing),
    "a supply that sags": ("instruments.instrument", "_sags", lambda *_: None),
    "a supply that sags unrecorded": ("told.one_cause", "find_sag", lambda *_: None),
    "two loggers on one clock": ("explained.shaft", "_on_one_clock", same),
    "sensors as they are built": ("motion.relation", "_is_kept_for_a_while", no),
    "how the tracks began": ("motion.relation", "_began_so", no),
    "spikes that lines share": ("candidates.proposing", "spikes_of", lambda *_: set()),
    "interruptions that fade": ("candidates.excursions", "_fades", lambda *_: []),
    "weak excursions": ("candidates.proposing", "find_weak_excursions", nothing),
    "stands, and levels they share": ("candidates.proposing", "find_stands", lambda *_: ((), None)),
    "jumps that land on one level": ("candidates.stands", "_landed_on", lambda *_: None),
    "tracks that part": ("explained.explain", "_partings", nothing),
    "quickness of edges": ("explained.explain", "quickness", lambda _, spans: np.zeros((len(spans), 2))),
    "what the command asked for": ("explained.shaft", "who_asked", lambda *_: None),
    "long events cut": ("explained.explain._Scene", "pieces", lambda _self, event: (event,)),
    "the sister who went along": ("explained.explain._Scene", "_with_sister", lambda _, event: event),
    "all came back": ("explained.explain._Scene", "_back", lambda *_: 0.0),
    "who hardly left did not leave": ("explained.explain._Scene", "_aside", lambda *_: 0.0),
    "who is in place did not leave": ("explained.explain._Scene", "_is_in_place", no),
    "what they are apart anyway": ("explained.explain._Scene", "_usually_apart", lambda *_: 0.0),
    "leaps to an end of a scale": ("explained.explain", "_leaps", no),
    "shrinking by one factor again": ("explained.explain", "joint_of", lambda *_: None),
    "shrinking together": ("explained.explain", "by_one_factor", lambda *_: 0.0),
    "throttle and pedal at once": ("told.drops", "together", same),
    "the end of a lasting difference": ("examine", "without_ends", same),
    "late all the time": ("told.following", "_by_lag", lambda *_: None),
    "stands at either end": ("worn.flats", "_either_way", nothing),
    "rest as commanded": ("told.rest", "_as_asked", no),
    "rests by chance": ("told.rest", "_least_by_chance", lambda *_: []),
    "idling cold": ("told.rest", "_idles_cold", no),
    "electronics told from feed": ("explained.feed", "_to_one_level", no),
    "what is held is no feed": ("explained.feed", "_holds", no),
    "small steps": ("worn.worn_places", "steps_of", nothing),
    "where the tracks part": ("worn.worn_places", "find_parted", nothing),
    "levels that are never shown": ("worn.worn_places", "find_holes", nothing),
    "flats": ("worn.worn_places", "find_flats", nothing),
    "a flat is quiet": ("worn.worn_places", "is_quiet", yes),
    "a flat's ends are no drops": ("worn.worn_places.FlatEnds", "explain", no),
    "rough stretches": ("worn.worn_places", "rough_stretches", nothing),
    "rough as a whole": ("worn.rough", "_scanned", lambda *_: []),
    "what flickers is rough first": ("worn.worn_places", "_is_contact", yes),
    "bends by both directions": ("told.disagreement", "_bent", lambda pair, *_: pair.time_s < -1e9),
    "a bend is no roughness": ("examine", "is_bend", no),
    "position against command": ("told.following", "not_following", nothing),
    "bent against what is reported": ("told.linearity", "nonlinear", nothing),
    "resting places": ("told.rest", "off_rest", nothing),
}  # fmt: skip


def scorer_of(corpus: Path) -> ModuleType:
    """The corpus' own scorer."""
    path = next(p for p in (corpus / "score.py", corpus.parent / "score.py") if p.is_file())
    spec = importlib.util.spec_from_file_location("score", path)
    if spec is None or spec.loader is None:
        raise SystemExit(f"{path} can't be loaded")
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def take_out(rule: str) -> None:
    """Let something that does nothing stand in for a rule, in this process."""
    if rule:
        where, name, instead = RULES[rule]
        setattr(pkgutil.resolve_name(f"nervus.signal.{where}"), name, instead)


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


def judged(corpus: Path, rule: str = "") -> list[dict[str, Any]]:
    """Every case of a corpus, one rule taken out."""
    truths = [json.loads(p.read_text()) for p in sorted((corpus / "truth").glob("[!.]*.json"))]
    paths = [corpus / "cases" / f"{t['name']}.csv" for t in truths]
    with ProcessPoolExecutor(JOBS, initializer=take_out, initargs=(rule,)) as pool:
        answers = list(pool.map(answered, paths, chunksize=4))
    scorer = scorer_of(corpus)
    return [
        {**scorer.judge(t, a), "truth": t, "answer": a} for t, a in zip(truths, answers, strict=True)
    ]


def own_cases(job: tuple[str, str]) -> tuple[int, int, int, int]:
    """True findings found, true findings, false ones and all reported, of one kind of hard case."""
    kind, rule = job
    take_out(rule)
    count = tally(kind, range(TUNING, TUNING + SEEDS))
    return sum(f for _, f in count.seen), len(count.seen), count.false, count.reported


def ablation(corpora: list[Path]) -> None:
    """A line for each rule: what is lost or gained without it."""
    print(f"{'without':34s} corpora: recall  precision  healthy  top    Brier  ours: recall  precision")
    for rule in ("", *RULES):
        cases = [c for corpus in corpora for c in judged(corpus, rule) if c["family"] != "F99"]
        scored = scorer_of(corpora[0]).summarise(cases)
        healthy = float(np.mean([c["fa"] > 0 for c in cases if c["healthy"]]))
        with ProcessPoolExecutor(JOBS) as pool:
            jobs = [(kind, rule) for kind in MAKERS]
            found, of, false, told = np.sum(list(pool.map(own_cases, jobs)), axis=0)
        ours = f"{found / of:12.3f}  {1 - false / max(told, 1):9.3f}"
        score = f"{scored['recall']:15.3f}  {scored['precision']:9.3f}  {healthy:7.3f}"
        print(
            f"{rule or '(all rules)':34s} {score}  {scored['top1']:.3f}  {scored['brier']:.3f}  {ours}",
            flush=True,
        )


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
    parser.add_argument("--ablation", action="store_true")
    parser.add_argument("--calibration", type=Path, metavar="OUT")
    asked = parser.parse_args()
    if asked.ablation:
        ablation(asked.corpora)
    elif asked.calibration:
        calibration(asked.corpora, asked.calibration)
    else:
        for corpus in asked.corpora:
            scorer_of(corpus).report(judged(corpus), out=sys.stdout)


if __name__ == "__main__":
    main()
