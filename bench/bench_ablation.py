"""What each rule of the analysis earns: one taken out at a time, over corpora and our own hard cases.

    python bench/bench_ablation.py CORPUS... [--seeds 4] [--only RULE]

All recordings are first judged by all rules, and for each rule it is watched whether what it gives is
ever anything but what stands in for it when it is taken out. Only where that is so it is then taken out:
elsewhere nothing can change. Told are the scores without it, in how many recordings anything counted
changed, and in how many of them for the worse (of corpora: recall, false alarms or the Brier score).
"""

import argparse
import pickle
import pkgutil
import re
from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from functools import cache, wraps
from pathlib import Path
from typing import Any

import numpy as np

from bench_corpus import JOBS, answered, scorer_of, truths_of
from bench_detection import TUNING, tally
from nervus.standin.hard_cases import MAKERS


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
    "stands, and levels they share": (
        "candidates.proposing", "find_stands", lambda *_, **__: ((), None),
    ),
    "on its way it did not leap": ("candidates.stands", "_comes_near", lambda _l, at, _w: at < 0),
    "it goes on as before": ("candidates.stands", "_goes_on", lambda _t, first, _l: first >= 0),
    "jumps that land on one level": ("candidates.stands", "_landed_on", lambda *_: None),
    "tracks that part": ("explained.explain", "_partings", nothing),
    "quickness of edges": ("explained.explain", "quickness", lambda _, spans: np.zeros((len(spans), 2))),
    "what the command asked for": ("explained.shaft", "who_asked", lambda *_: None),
    "long events cut": ("explained.explain._Scene", "pieces", lambda _self, event: (event,)),
    "the sister who went along": ("explained.explain._Scene", "_with_sister", lambda _, event: event),
    "all came back": ("explained.explain._Scene", "_back", lambda *_: 0.0),
    "who hardly left did not leave": ("explained.explain._Scene", "_aside", lambda *_: 0.0),
    "who is in place did not leave": ("explained.explain._Scene", "_is_in_place", no),
    "the sister who moved as it did": ("explained.sister.Sister", "went_along", lambda *_: 0.0),
    "what they are apart anyway": ("explained.sister.Sister", "_usually_apart", lambda *_: 0.0),
    "leaps to an end of a scale": ("explained.explain", "_leaps", no),
    "shrinking by one factor again": ("explained.landings", "joint_of", lambda *_: None),
    "who moved as far tells no factor": ("explained.feed_signs", "_tells", yes),
    "where both stand": ("explained.sister.Sister", "_off_where_both_stood", lambda *_: 0.0),
    "who falls with a landing": ("explained.landings.Landings", "fell_with", lambda *_: []),
    "what was breathed": ("explained.shaft", "who_breathed", lambda *_: None),
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
    "stands that end with a leap": ("worn.worn_places", "find_leaps", nothing),
    "a ripple that the supply shows": ("instruments.instrument", "_without_ripple", same),
    "a moment at a rail is no course": ("candidates.excursions._Scan", "_is_gone", no),
    "as it is built first": ("motion.relation", "_goes_as_built", no),
    "worn is not apart": ("examine", "is_worn_there", no),
    "a spot of a difference": ("examine", "is_seen_elsewhere", no),
    "flats": ("worn.worn_places", "find_flats", nothing),
    "a pass over a shallow place": ("worn.worn_places", "_is_pass", no),
    "a flat is quiet": ("worn.worn_places", "is_quiet", yes),
    "a flat's ends are no drops": ("worn.worn_places.FlatEnds", "explain", no),
    "rough stretches": ("worn.worn_places", "rough_stretches", nothing),
    "rough as a whole": ("worn.rough", "_scanned", lambda *_: []),
    "what flickers is rough first": ("worn.worn_places", "_is_contact", yes),
    "bends by both directions": ("told.disagreement", "_bent", lambda pair, *_: pair.time_s < -1e9),
    "a bend is no roughness": ("examine", "is_bend", no),
    "a bend is no stand": ("examine", "stands_in_bend", no),
    "position against command": ("told.following", "not_following", nothing),
    "bent against what is reported": ("told.linearity", "nonlinear", nothing),
    "resting places": ("told.rest", "off_rest", nothing),
}  # fmt: skip


# A recording of a corpus, or a kind of hard case and its seed.
Job = Path | tuple[str, int]
Outcome = dict[str, Any]


@contextmanager
def changed(change: dict[str, Callable[[Any, Any], Any]]) -> Iterator[None]:
    """Rules by name replaced by what is made of them and of what may stand in for them."""
    before = []
    for rule, made in change.items():
        where, name, instead = RULES[rule]
        owner = pkgutil.resolve_name(f"nervus.signal.{where}")
        before.append((owner, name, getattr(owner, name)))
        setattr(owner, name, made(getattr(owner, name), instead))
    try:
        yield
    finally:
        for owner, name, rule_itself in before:
            setattr(owner, name, rule_itself)


def watched(rule: str, fired: set[str]) -> Callable[[Any, Any], Any]:
    """Makes of a rule one that notes when it gives anything but its stand-in."""

    def make(own: Any, instead: Any) -> Any:
        @wraps(own)
        def watch(*args: Any, **named: Any) -> Any:
            given = own(*args, **named)
            if rule not in fired and not alike(given, instead(*args, **named)):
                fired.add(rule)
            return given

        return watch

    return make


def alike(one: object, other: object) -> bool:
    """Whether two things are the same for certain."""
    try:
        return one is other or pickle.dumps(one) == pickle.dumps(other)
    except (pickle.PicklingError, AttributeError, TypeError):
        return False


@cache
def scorer_and_truths(corpus: Path) -> tuple[Any, dict[Path, dict[str, Any]]]:
    """A corpus' scorer and its truths, read once in each process."""
    return scorer_of(corpus), truths_of(corpus)


def outcome(job: Job) -> Outcome:
    """What is counted of one recording."""
    if isinstance(job, Path):
        scorer, truths = scorer_and_truths(job.parent.parent)
        case: Outcome = scorer.judge(truths[job], answered(job))
        return case
    count = tally(job[0], range(job[1], job[1] + 1))
    found = sum(found for _, found in count.seen)
    return {"found": found, "of": len(count.seen), "fa": count.false, "told": count.reported}


def by_all_rules(job: Job) -> tuple[Outcome, set[str]]:
    """What is counted with all rules, and which of them did anything."""
    fired: set[str] = set()
    with changed({rule: watched(rule, fired) for rule in RULES}):
        return outcome(job), fired


def without(asked: tuple[str, Job]) -> Outcome:
    """What is counted of a recording when one rule is taken out."""
    rule, job = asked
    with changed({rule: lambda _own, instead: instead}):
        return outcome(job)


def is_worse(now: Outcome, before: Outcome) -> bool:
    """Whether a recording is judged worse without a rule."""
    if now["fa"] > before["fa"]:
        return True
    if "of" in now:
        return bool(now["found"] < before["found"])
    return (now["credit"] or 0.0) < (before["credit"] or 0.0) or (now["brier"] or 0.0) > (
        before["brier"] or 0.0
    ) + 0.02


def line(rule: str, outcomes: dict[Job, Outcome], before: dict[Job, Outcome]) -> str:
    """The figures of one rule taken out."""
    cases = [o for job, o in outcomes.items() if isinstance(job, Path) and o["family"] != "F99"]
    ours = [o for job, o in outcomes.items() if not isinstance(job, Path)]
    scored = scorer_of(next(j for j in outcomes if isinstance(j, Path)).parent.parent).summarise(cases)
    healthy = float(np.mean([c["fa"] > 0 for c in cases if c["healthy"]]))
    counts: Counter[str] = Counter()
    for own in ours:
        counts.update(own)
    other = [job for job, o in outcomes.items() if counted(o) != counted(before[job])]
    worse = sum(is_worse(outcomes[job], before[job]) for job in other)
    return (
        f"{rule or '(all rules)':34s} {scored['recall']:15.3f}  {scored['precision']:9.3f}  "
        f"{healthy:7.3f}  {scored['top1']:.3f}  {scored['brier']:.3f}  "
        f"{counts['found'] / counts['of']:12.3f}  {1 - counts['fa'] / max(counts['told'], 1):9.3f}  "
        f"{len(other):7d}  {worse:5d}"
    )


def counted(of: Outcome) -> Outcome:
    """What matters of an outcome: the time that it took does not."""
    return {name: value for name, value in of.items() if name != "s"}


def main() -> None:
    """A line for each rule: what is lost or gained without it."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("corpora", type=Path, nargs="+", metavar="CORPUS")
    parser.add_argument("--seeds", type=int, default=4, help="of each kind of hard case")
    parser.add_argument("--only", default="")
    asked = parser.parse_args()
    jobs: list[Job] = [path for corpus in asked.corpora for path in truths_of(corpus)]
    jobs += [(kind, seed) for kind in MAKERS for seed in range(TUNING, TUNING + asked.seeds)]
    print(
        f"{'without':34s} corpora: recall  precision  healthy  top    Brier  ours: recall  precision  "
        "changed  worse"
    )
    with ProcessPoolExecutor(JOBS) as pool:
        with_all = dict(zip(jobs, pool.map(by_all_rules, jobs, chunksize=4), strict=True))
        before = {job: found for job, (found, _) in with_all.items()}
        print(line("", before, before), flush=True)
        for rule in (r for r in RULES if re.search(asked.only, r)):
            touched = [job for job in jobs if rule in with_all[job][1]]
            again = pool.map(without, [(rule, job) for job in touched], chunksize=4)
            outcomes = before | dict(zip(touched, again, strict=True))
            print(f"{line(rule, outcomes, before)}   of {len(touched)}", flush=True)


if __name__ == "__main__":
    main()
