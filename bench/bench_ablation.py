"""What each rule of the analysis earns: one taken out at a time, over corpora and all our own stresses.

    python bench/bench_ablation.py CORPUS... [--seeds 4] [--only RULE] [--stress SEED...]

All recordings are first judged by all rules, and for each rule it is watched whether what it gives is
ever anything but what stands in for it when it is taken out. Only where that is so it is then taken out:
elsewhere nothing can change. Told are the scores of the corpora without it, and for each set of
recordings in how many anything counted became worse, and in how many better (recall, false alarms,
position or time, or the Brier score). With `--stress` also over sound recordings with faults planted in
them, with what no fault is, and the plainest motion, sound and with faults, drawn by these seeds.
"""

import argparse
import pickle
import pkgutil
import re
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from functools import cache, wraps
from inspect import getattr_static
from pathlib import Path
from typing import Any

import numpy as np

import bench_harmless
import bench_plain_motion
import bench_plain_planted
import bench_planted
from bench_corpus import JOBS, answered, scorer_of, truths_of
from bench_detection import TUNING, tally
from harmless import WAYS
from nervus.signal.arithmetic.robust import off_neighbours
from nervus.signal.explained.events import Cause
from nervus.signal.told.late import Response
from nervus.standin.hard_cases import MAKERS
from planted import FAULTS

# A throttle that answers as it should, and stretches of a track that are none.
IN_TIME, NONE_AT = Response(0.0, 0.0, 0.0, 0.0, 1.0), np.zeros(0, dtype=np.intp)


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
    "rows left out while nothing is new": ("instruments.as_read", "written_out", same),
    "values that are written again": ("instruments.as_read", "updates_only", same),
    "lines between readings": ("instruments.as_read", "bends_only", same),
    "stamps that several share": ("instruments.as_read", "_spread", same),
    "a low-pass taken back": ("instruments.as_read", "without_filter", same),
    "a link that stalls": ("instruments.as_read", "without_lost", same),
    "what keeps time is a machine": ("instruments.instrument", "_keeps_time", no),
    "key off": ("examine", "key_off_spans", nothing),
    "a supply that sags": ("instruments.fed", "_wander", lambda *_: None),
    "a supply that sags unrecorded": ("told.one_cause", "find_sag", lambda *_: None),
    "two loggers on one clock": ("explained.shaft", "_on_one_clock", same),
    "sensors as they are built": ("motion.relation", "_is_kept_for_a_while", no),
    "how the tracks began": ("motion.relation", "_began_so", no),
    "spikes that lines share": ("candidates.proposing", "spikes_of", lambda *_: set()),
    "interruptions that fade": ("candidates.off_course", "fades", lambda *_: []),
    "weak excursions": ("candidates.proposing", "find_weak_excursions", nothing),
    "stands, and levels they share": (
        "candidates.proposing", "find_stands", lambda *_, **__: ((), None),
    ),
    "on its way it did not leap": ("candidates.stands", "_comes_near", lambda _l, at, _w: at < 0),
    "it goes on as before": ("candidates.stands", "_goes_on", lambda _t, first, _l: first >= 0),
    "jumps that land on one level": ("candidates.stands", "_landed_on", lambda *_: None),
    "tracks that part": ("explained.explain", "_partings", nothing),
    "quickness of edges": ("explained.scene", "quickness", lambda _, spans: np.zeros((len(spans), 2))),
    "what the command asked for": ("explained.shaft", "who_asked", lambda *_: None),
    "the sister who went along": ("explained.scene.Scene", "_with_sister", lambda _, event: event),
    "all came back": ("explained.scene.Scene", "_back", lambda *_: 0.0),
    "who hardly left did not leave": ("explained.scene.Scene", "_aside", lambda *_: 0.0),
    "who is in place did not leave": ("explained.scene.Scene", "_is_in_place", no),
    "leaps to an end of a scale": ("explained.scene", "_leaps", no),
    "shrinking by one factor again": ("explained.landings", "joint_of", lambda *_: None),
    "who moved as far tells no factor": ("explained.feed_signs", "_tells", yes),
    "where both stand": ("explained.sister.Sister", "_off_where_both_stood", lambda *_: 0.0),
    "who falls with a landing": ("explained.landings.Landings", "fell_with", lambda *_: []),
    "what was breathed": ("explained.shaft", "who_breathed", lambda *_: None),
    "who stood all along": ("explained.shaft", "who_stood", lambda *_: None),
    "shrinking together": ("explained.scene", "by_one_factor", lambda *_: 0.0),
    "throttle and pedal at once": ("told.drops", "together", same),
    "the end of a lasting difference": ("examine", "without_ends", same),
    "rest as commanded": ("told.rest", "_as_asked", no),
    "rests by chance": ("told.rest", "_least_by_chance", lambda *_: []),
    "idling cold": ("told.rest", "_idles_cold", no),
    "electronics told from feed": ("explained.feed", "_to_one_level", no),
    "what is held is no feed": ("explained.feed", "_holds", no),
    "small steps": ("worn.worn_places", "steps_of", nothing),
    "where the tracks part": ("worn.worn_places", "find_parted", nothing),
    "stands that end with a leap": ("worn.worn_places", "find_leaps", nothing),
    "a ripple that the supply shows": ("instruments.instrument", "without_ripple", same),
    "a moment at a rail is no course": ("candidates.off_course._Scan", "_is_gone", no),
    "as it is built first": ("motion.relation", "goes_as_built", no),
    "worn is not apart": ("examine", "is_worn_there", no),
    "a spot of a difference": ("examine", "is_seen_elsewhere", no),
    "flats": ("worn.worn_places", "find_flats", nothing),
    "a pass over a shallow place": ("worn.worn_places", "_is_pass", no),
    "a flat's ends are no drops": ("worn.worn_places.FlatEnds", "explain", no),
    "rough stretches": ("worn.worn_places", "rough_stretches", nothing),
    "what flickers is rough first": ("worn.worn_places", "_is_contact", yes),
    "bends by both directions": ("told.disagreement", "_bent", lambda pair, *_: pair.time_s < -1e9),
    "a bend is no roughness": ("examine", "is_bend", no),
    "a bend is no stand": ("examine", "stands_in_bend", no),
    "position against command": ("told.following", "not_following", nothing),
    "bent against what is reported": ("told.linearity", "nonlinear", nothing),
    "rough before it stands": ("worn.worn_places", "_by_rough", no),
    "the sister who moved as it did": ("explained.sister.Sister", "went_along", lambda *_: 0.0),
    "late all the time": ("told.following", "_by_lag", lambda *_: None),
    "sticks for a moment": ("told.following", "_stands", lambda _, at: np.zeros(at.shape, dtype=bool)),
    "rough as a whole": ("worn.rough", "_scanned", lambda *_: []),
    "smooth courses of a lone track": (
        "worn.roughness", "off_smooth", lambda values, _: off_neighbours(values),
    ),
    "ends bend to one side": (
        "worn.roughness", "_is_of_ends", lambda _, bend, __: np.zeros(bend.shape, dtype=bool),
    ),
    "where neighbours say it was": ("worn.roughness", "_middle_of_four", lambda values: values[1:-1]),
    "an input left to itself": ("worn.dead_spots", "_fade", no),
    "bends to one side": ("worn.rough", "_bends_to_one_side", no),
    "long events cut": ("explained.scene.Scene", "pieces", lambda _self, event: (event,)),
    "resting places": ("told.rest", "off_rest", nothing),
    "what is apart while both stand": (
        "told.disagreement", "stood_apart", lambda *_: ((), np.empty(0)),
    ),
    "what is apart on the whole": (
        "told.disagreement", "_on_the_whole", lambda pair, *_: np.zeros(pair.time_s.shape, dtype=bool),
    ),
    "how far by calm readings": ("told.disagreement", "_calm", lambda *_: np.inf),
    "nothing was read meanwhile": ("told.disagreement", "_hidden", lambda _, at_s: 0.0 * at_s),
    "a command that leads, asked": ("candidates.asked", "learn_late_line", lambda *_: None),
    "a command that leads, followed": ("told.following", "learn_late_line", lambda *_: None),
    "who went away by itself": ("candidates.asked.Asked", "left", no),
    "partings from the command": ("candidates.asked.Asked", "partings", lambda *_: []),
    "went but not so far": ("candidates.asked.Asked", "_short_of", no),
    "a factor tells more than a level": ("explained.feed_signs", "_is_factor", yes),
    "what lies between worn places": ("worn.worn_places", "_is_between", no),
    "a place of one track": ("worn.worn_places", "_by_one", same),
    "whose roughness it is": ("worn.worn_places", "_is_sisters", no),
    "far off is not rough": ("worn.apart", "_far_off", nothing),
    "a spot makes it rough": ("worn.worn_places", "_unexplained", lambda _s, noise, *_: noise),
    "rough besides a spot": ("worn.worn_places", "_still_rough", lambda *_: None),
    "rough by far less": ("worn.worn_places", "_is_motion", no),
    "what holds a rail": ("worn.worn_places", "_holds_rail", no),
    "ends by the sister": (
        "worn.apart", "_frame_by_sister", lambda _, travel, track: travel.frames[track.id],
    ),
    "in some of the passes": ("worn.apart", "_in_some", lambda rest, _: np.zeros(rest.shape[1])),
    "cells in a row": ("worn.parted", "_jointly", lambda folds: np.zeros(folds[0].sure.shape)),
    "what nobody saw beside": ("worn.parted", "_with_unseen", lambda place, *_: place),
    "one place of a quick pass": ("worn.dead_spots", "_most_at_one", lambda events, _: events),
    "worn in turn is not apart": ("examine", "is_worn_in_turn", no),
    "flickers at a place": ("worn.worn_places", "flickers_at", lambda *_: None),
    "apart all over": ("examine", "all_over", nothing),
    "a rest while they are apart": ("examine", "is_apart", no),
    "a plate that sticks": ("examine", "without_sticking", same),
    "travel by the sound track": ("examine", "_by_the_sound", lambda shaft, _: shaft.travel),
    "what returned": ("explained.explain", "_returned", nothing),
    "quicker than its own": ("explained.scene", "beyond_own", lambda *_: 0.0),
    "what came again": (
        "explained.explain", "_together", lambda told: [
            e for e in told if e.cause is not Cause.FEED or len(e.parts) < 2 or e.margin > 0.0
        ],
    ),
    "one of what lies over another": ("explained.explain", "_is_of", no),
    "who left besides": ("explained.scene.Scene", "_left", no),
    "one factor at once": ("explained.scene.Scene", "_one_factor", lambda *_: 0.0),
    "agreeing by chance": ("explained.scene.Scene", "_chance", lambda *_: 0.0),
    "a hum": ("instruments.instrument", "without_hum", lambda level, *_: level),
    "means of a millisecond": ("candidates.proposing", "coarser", lambda *_: None),
    "from a rail to anywhere": ("candidates.off_course._Scan", "was_gone", no),
    "at a rail": ("candidates.excursions", "_at_rail", lambda *_: []),
    "struck a stop": ("candidates.edges", "may_leap", lambda _t, at, _e: np.zeros(at.shape)),
    "trimmed edges": ("candidates.edges", "_trimmed", lambda _, first, last: (first, last)),
    "what is gone through": ("candidates.stands", "_passes", lambda _l, first, _: first < 0),
    "a level that stands share": ("candidates.stands", "_shared", lambda *_, **__: None),
    "spikes to either side": ("candidates.spikes", "_swinging", lambda *_: set()),
    "strays": ("candidates.proposing", "strays", nothing),
    "not of one place": (
        "candidates.spikes", "_off_one_place", lambda _, course: np.ones(course.shape, dtype=bool),
    ),
    "late tracks": ("motion.lags", "estimate_skew", lambda *_, **__: 0.0),
    "beside a line as built": ("motion.relation", "_is_beside", no),
    "a line of its own": ("motion.relation", "_freely_voted", lambda *_: (None, 0.0)),
    "a line refined": ("motion.relation", "_refined", same),
    "one in place of the other": ("explained.shaft", "_through_the_middle", lambda t, _: t.level),
    "what timing explains": (
        "motion.pair.Pair", "_may_be_timing", lambda _s, at, _g: np.zeros(at.shape, dtype=bool),
    ),
    "rough elsewhere too": ("worn.rough", "_share_elsewhere", lambda *_: 0.0),
    "apart there anyway": (
        "worn.beside_sister", "_usually_apart", lambda _, apart: np.zeros(apart.shape),
    ),
    "whose place it is": ("worn.apart.Apart", "is_own", yes),
    "leapt to and from": ("candidates.off_course._Scan", "stood", no),
    "stood at while it went on": ("candidates.stands", "_one_sided", lambda *_: (NONE_AT, NONE_AT)),
    "a level read quickly": ("candidates.stands", "_level_read_quickly", lambda *_, **__: None),
    "framed by the sister": ("explained.shaft", "with_sister", lambda course, _, learn: learn(course)),
    "a step is steady": ("worn.worn_places", "is_unsteady", no),
    "rough from place to place": ("told.one_cause", "roughness_within", lambda *_: None),
    "where a wander left": ("instruments.fed", "_only_where_it_left", lambda *_: None),
    "a wiper that lifts": ("worn.dead_spots", "_lifts", no),
    "held at one level": ("motion.relation", "_short_of_a_stop", same),
    "leapt to and from is one place": ("worn.leaps", "_joined", lambda _track, spots: tuple(spots)),
    "half of a stand": ("worn.worn_places", "_is_half_of", no),
    "three are no place": ("worn.locality", "_comes_back", yes),
    "a way to a rail": ("candidates.flanks", "_goes_on", lambda _track, at, _way: at < 0),
    "gently to a rail": ("candidates.excursions", "_is_quick", no),
    "the track that reads highest": ("motion.pair.Pair", "how_far_above", lambda *_: 0.0),
    "as far as the sister": ("motion.pair.Pair", "how_much_further", lambda *_: 1.0),
    "joined at both ends": ("motion.relation", "_joins_the_ends", no),
    "seen for a moment only": ("motion.relation", "_seen_long", same),
    "a track that ends": ("explained.shaft", "find_ended", lambda *_: None),
    "there and back": ("candidates.edges", "_there_and_back", lambda _t, at, _b: np.zeros(at.shape)),
    "what goes on is no interruption": (
        "candidates.off_course._Scan", "first_that_goes_on", lambda *_: None,
    ),
    "stretches that are bridged": ("examine", "find_bridged", lambda *_: None),
    "passed quickly": ("worn.dead_spots", "_passed", lambda *_: []),
    "what could show": ("worn.dead_spots", "_could_show", lambda _t, _b, crossed, _w: len(crossed)),
    "unlike is rough": ("worn.dead_spots", "are_unlike", no),
    "a stand, not a step": ("worn.dead_spots", "_stands", no),
    "goes on as it stood": ("worn.dead_spots", "_goes_on", no),
    "a leap at its end": ("worn.flat_places", "_find_leap", lambda *_: None),
    "stopped short": ("told.following", "_stopped", lambda at, *_: np.zeros(at.shape, dtype=bool)),
    "late by a time constant": ("told.following", "response_of", lambda *_: IN_TIME),
    "levels left on one side": ("candidates.stands", "_visits", lambda *_, **__: (NONE_AT, NONE_AT)),
    "falls in passing": ("candidates.excursions", "_in_passing", lambda *_: False),
    "seen elsewhere at a rail": ("told.ranges", "_seen_elsewhere", no),
    "out of range": ("examine", "_out_of_range", lambda *_: []),
    "let go of": ("told.rest", "_let_go", lambda *_: None),
    "a quick close": ("told.rest", "_quick_close", no),
    "readings that came in packets": ("instruments.as_read", "evenly_stamped", same),
    "where neither has ended": ("explained.shaft", "before_ends", lambda *both: both),
    "let go to its end": ("explained.scene", "_rests", no),
    "two spikes, one to either side": ("candidates.spikes", "_each_off", nothing),
    "a fast idle that is taken back": ("told.rest", "_falls_by_and_by", no),
    "what stayed did not come back": ("candidates.off_course._Scan", "stayed", no),
    "what may be motion has not healed": ("candidates.fading", "_may_be_motion", no),
    "elsewhere meanwhile": ("explained.events", "_turned", no),
    "what goes back does not stand": ("worn.worn_places", "goes_back", no),
    "a step in more passes": ("worn.worn_places", "_in_more_passes", no),
    "a value held leaps": ("candidates.off_course", "held", lambda *_: []),
    "it stood while she went": ("explained.scene.Scene", "stood", lambda *_: None),
    "leapt off a stop": (
        "candidates.stands", "_leapt_off", lambda _, at: np.zeros(at.shape, dtype=bool),
    ),
    "battery and engine gone": ("instruments.key", "_both_gone", nothing),
    "an idle control opens it": ("told.rest", "_is_moved", no),
    "the way into a drop": ("worn.steps", "_beside_leaps", lambda x: np.zeros(x.shape, dtype=bool)),
    "a unit that lost a track": ("explained.kicks.Kicks", "may_be", no),
    "tracks that differ at a place": ("told.disagreement", "_bends", no),
    "a landing is not rough": ("worn.rough", "_without_landing", lambda a_pass, _: a_pass),
}  # fmt: skip


# A set of recordings, and what its own bench calls one of them.
Job = tuple[str, Any]
Outcome = dict[str, Any]


@contextmanager
def changed(change: dict[str, Callable[[Any, Any], Any]]) -> Iterator[None]:
    """Rules by name replaced by what is made of them and of what may stand in for them."""
    before = []
    for rule, made in change.items():
        where, name, instead = RULES[rule]
        owner = pkgutil.resolve_name(f"nervus.signal.{where}")
        before.append((owner, name, getattr_static(owner, name)))
        new = made(getattr(owner, name), instead)
        is_static = isinstance(before[-1][2], staticmethod)
        setattr(owner, name, staticmethod(new) if is_static else new)
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


def hard_case(job: tuple[str, int]) -> Outcome:
    """What is counted of one of our own hard cases."""
    count = tally(job[0], range(job[1], job[1] + 1))
    found = sum(found for _, found in count.seen)
    return {"credit": found / max(len(count.seen), 1), "fa": count.false}


def of_corpus(path: Path) -> Outcome:
    """What is counted of a recording of a corpus."""
    scorer, truths = scorer_and_truths(path.parent.parent)
    case: Outcome = scorer.judge(truths[path], answered(path))
    return case


def harmless(job: bench_harmless.Job) -> Outcome | None:
    """What is told of a sound recording with what no fault is."""
    told = bench_harmless.accused(job)
    return None if told is None else {"fa": len(told[1])}


def plain(job: tuple[bench_plain_motion.Job, str]) -> Outcome:
    """What is told of the plainest motion."""
    return {"fa": len(bench_plain_motion.accused(*job))}


SETS: dict[str, Callable[[Any], Outcome | None]] = {
    "corpora": of_corpus,
    "ours": hard_case,
    "planted": bench_planted.judged,
    "harmless": harmless,
    "plain": plain,
    "in plain": bench_plain_planted.judged,
}


def stress(corpora: list[Path], seed: int) -> Iterator[Job]:
    """What is drawn by a seed."""
    for corpus, name in bench_planted.sound(corpora):
        yield from (("planted", (corpus, name, fault, seed)) for fault in FAULTS)
        yield from (("harmless", (corpus, name, way, seed)) for way in WAYS)
    for job in bench_plain_motion.jobs("", range(seed, seed + 1)):
        yield from (("plain", (job, shaft)) for shaft in bench_plain_motion.SHAFTS)
        for fault in FAULTS:
            motion, pair, rate_hz, _ = job
            for led in (False, True):
                yield "in plain", (corpora[0], motion, pair, rate_hz, fault, seed, led)


def outcome(job: Job) -> Outcome | None:
    """What is counted of one recording; `None` where none was drawn."""
    return SETS[job[0]](job[1])


def by_all_rules(job: Job) -> tuple[Outcome | None, set[str]]:
    """What is counted with all rules, and which of them did anything."""
    fired: set[str] = set()
    with changed({rule: watched(rule, fired) for rule in RULES}):
        return outcome(job), fired


def without(asked: tuple[str, Job]) -> Outcome | None:
    """What is counted of a recording when one rule is taken out; `None` where none was drawn."""
    rule, job = asked
    with changed({rule: lambda _own, instead: instead}):
        return outcome(job)


def is_worse(now: Outcome, before: Outcome) -> bool:
    """Whether a recording is judged worse."""
    more = ("fa", 0.0), ("brier", 0.02)
    less = ("credit", 0.0), ("local", 0.0), ("top1", 0.0)
    return any((now.get(n) or 0.0) > (before.get(n) or 0.0) + by for n, by in more) or any(
        (now.get(n) or 0.0) < (before.get(n) or 0.0) - by for n, by in less
    )


def line(rule: str, outcomes: dict[Job, Outcome], before: dict[Job, Outcome]) -> str:
    """The figures of one rule taken out."""
    cases = [o for job, o in outcomes.items() if job[0] == "corpora" and o["family"] != "F99"]
    scorer = scorer_of(next(path for kind, path in outcomes if kind == "corpora").parent.parent)
    scored = scorer.summarise(cases)
    healthy = float(np.mean([c["fa"] > 0 for c in cases if c["healthy"]]))
    told = (
        f"{rule or '(all rules)':34s} {scored['recall']:6.3f} {scored['precision']:6.3f} "
        f"{healthy:6.3f} {scored['top1']:6.3f} {scored['brier']:6.3f}"
    )
    for kind in dict.fromkeys(kind for kind, _ in outcomes):
        both = [(outcomes[job], before[job]) for job in outcomes if job[0] == kind]
        worse = sum(is_worse(now, then) for now, then in both)
        told += f"  {worse:5d} {sum(is_worse(then, now) for now, then in both):4d}"
    return told


def main() -> None:
    """A line for each rule: what is lost or gained without it."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("corpora", type=Path, nargs="+", metavar="CORPUS")
    parser.add_argument("--seeds", type=int, default=4, help="of each kind of hard case")
    parser.add_argument("--only", default="")
    parser.add_argument("--stress", type=int, nargs="*", default=[], metavar="SEED")
    parser.add_argument("--most", type=int, default=500, help="stresses that a rule is taken out of")
    asked = parser.parse_args()
    jobs: list[Job] = [("corpora", path) for corpus in asked.corpora for path in truths_of(corpus)]
    jobs += [("ours", (k, seed)) for k in MAKERS for seed in range(TUNING, TUNING + asked.seeds)]
    for seed in asked.stress:
        jobs += stress(asked.corpora, seed)
    with ProcessPoolExecutor(JOBS) as pool:
        watching = zip(jobs, pool.map(by_all_rules, jobs, chunksize=4), strict=True)
        with_all = {job: (found, fired) for job, (found, fired) in watching if found is not None}
        before = {job: found for job, (found, _) in with_all.items()}
        kinds = dict.fromkeys(kind for kind, _ in before)
        print(f"{len(before)} recordings; of each set: worse, better without the rule")
        heads = "".join(f"  {kind:>10s}" for kind in kinds)
        print(f"{'without':34s} recall precis health    top  Brier{heads}")
        print(line("", before, before), flush=True)
        for rule in (r for r in RULES if re.search(asked.only, r)):
            fired = [job for job in before if rule in with_all[job][1]]
            drawn = [job for job in fired if job[0] not in ("corpora", "ours")]
            held = set(drawn) - set(drawn[:: -(-len(drawn) // asked.most) or 1])
            touched = [job for job in fired if job not in held]
            again = pool.map(without, [(rule, job) for job in touched], chunksize=4)
            known = {job: now for job, now in zip(touched, again, strict=True) if now is not None}
            print(
                f"{line(rule, before | known, before)}   of {len(touched)} of {len(fired)}", flush=True
            )


if __name__ == "__main__":
    main()
