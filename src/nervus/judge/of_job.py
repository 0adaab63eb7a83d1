"""The judgement of a whole job: all that was told, seen, read, measured and changed, together."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from math import exp

import numpy as np

from nervus.domain.analysis import (
    Analysis,
    Cause,
    Examination,
    Judgement,
    NextTest,
    Step,
    StretchSuspicion,
)
from nervus.domain.channel import FloatArray
from nervus.domain.finding import DeadSpot, Drop
from nervus.domain.job import (
    CELLS,
    AnyEntry,
    CodeSet,
    Complaint,
    Findings,
    Job,
    KeptCause,
    KeptObservation,
    Look,
    Moment,
    Moved,
    Reading,
    Recorded,
    Seen,
    SeenPlace,
    Shaken,
    Source,
    new_id,
    now,
    of_kind,
)
from nervus.domain.judgement import FaultSuspicion, JobJudgement, LedgerLine, RankedTest, Remark
from nervus.domain.suspect import SuspectId
from nervus.judge.job_words import headline_of, missing_of, outcome_of, turning_of
from nervus.judge.next_tests import first_repair, rank_tests, schools
from nervus.judge.observations import observe
from nervus.judge.of_changes import cure_of
from nervus.judge.of_codes import of_codes
from nervus.judge.of_readings import at_pins, faces_of, of_readings
from nervus.judge.of_recordings import mislead_together, of_recording
from nervus.judge.of_shaking import of_shaking
from nervus.judge.of_told import of_complaint, of_look, of_state
from nervus.judge.of_watch import of_watches, says_more
from nervus.judge.reading_words import Measured, understand
from nervus.judge.stretches import concerned
from nervus.judge.timeline import changes_of, untested_change
from nervus.judge.verdict import as_written, rows_of
from nervus.judge.weighing import Cure, Evidence, Weighed, weigh_faults, without_each
from nervus.knowledge import Judging, Likelihood
from nervus.knowledge.own_prices import AS_SHIPPED, OwnPrices
from nervus.knowledge.tree import Tree, repairs, tree_for
from nervus.knowledge.tree_shapes import Repair
from nervus.language import figures, say
from nervus.signal.told.coverage import bouts

# So many pairs that contradict each other are told.
_MOST_CONTRADICTIONS = 3
# Of a change so many letters are shown.
_SHOWN_CHANGE = 60
# A pass that ends so little short of a stretch's edge has crossed it, in percent of travel.
_AT_THE_END = 1.0
# Two observations contradict each other where together they are this much less probable than by
# themselves, in nats; and where each alone says something at all.
_CONTRADICTION, _SAYS_SOMETHING = -1.6, 0.7
_LOOK_TESTS = {
    "look_plug": {"pins"},
    "look_harness": {"harness"},
    "look_plate": {"dirt"},
    "turn_plate": {"plate_free"},
}


def kept(analysis: Analysis, recording: Recorded, knowledge: Judging) -> Findings:
    """What an analysis gives to the job it belongs to."""
    of_each = [(c, rows_of(observe(c.examination, c.circuit), knowledge)) for c in analysis.causes]
    rows = {row.says: (sure, row) for _, seen in of_each for sure, row in seen}.values()
    about = concerned(analysis.examination)
    return Findings(
        id=new_id(),
        at=max(now(), recording.at),
        source=Source.ANALYSIS,
        recording=recording.id,
        headline=analysis.judgement.headline,
        findings=tuple(f.text for f in analysis.examination.findings),
        observations=tuple(
            KeptObservation(
                says=row.says, cause=row.cause, confidence=sure, source=row.source, chance=row.chance
            )
            for sure, row in rows
        ),
        tracks=dict(about.tracks),
        feeds=dict(about.feeds),
        bouts=_bouts(analysis.examination),
        places=tuple(
            SeenPlace(
                channel=f.channels[0],
                travel_pct=f.travel_pct,
                seen_in=f.seen_in,
                crossed=max(f.crossed, f.seen_in),
            )
            for f in analysis.examination.findings
            if isinstance(f, DeadSpot)
        ),
        crossed=crossings(analysis.examination),
        causes=tuple(_kept_cause(c, seen) for c, seen in of_each) if len(of_each) > 1 else (),
    )


def _kept_cause(cause: Cause, rows: tuple[tuple[float, Likelihood], ...]) -> KeptCause:
    about = concerned(cause.examination)
    says = tuple(row.says for _, row in rows)
    return KeptCause(says=says, tracks=dict(about.tracks), feeds=dict(about.feeds))


def _bouts(seen: Examination) -> int:
    starts = sorted(f.times_s[0][0] for f in seen.findings if isinstance(f, Drop))
    return bouts(starts, seen.duration_s)


def crossings(seen: Examination) -> tuple[int, ...]:
    """How often passes crossed each of `CELLS` equal stretches of the travel, the whole of each."""
    counts = np.zeros(CELLS, dtype=np.int64)
    edges = np.linspace(0.0, 100.0, CELLS + 1)
    for a_pass in (*seen.passes, *(() if seen.passes else seen.pedal_passes)):
        low, high = sorted((a_pass.from_pct, a_pass.to_pct))
        counts += (edges[:-1] >= low - _AT_THE_END) & (edges[1:] <= high + _AT_THE_END)
    return tuple(int(c) for c in counts)


@dataclass(slots=True)
class _Gathered:
    evidence: list[Evidence] = field(default_factory=list)
    cures: list[Cure] = field(default_factory=list)
    aside: list[Remark] = field(default_factory=list)
    kinds: set[str] = field(default_factory=set)


def judge_job(job: Job, own: OwnPrices = AS_SHIPPED) -> JobJudgement:
    """Faults, suspects, ledger, next tests and schools for all that is in a job.

    Args:
        job: all that was told, seen, read, measured and changed.
        own: the workshop's times, prices and tools.
    """
    throttle = job.vehicle.throttle
    tree = tree_for(throttle)
    gathered = gather(job, tree)
    weighed = weigh_faults(tree, gathered.evidence, gathered.cures)
    suspects = sorted(tree.of_suspect(weighed.share).items(), key=lambda row: -row[1])
    outcome = outcome_of(suspects, len(gathered.evidence))
    faults = _faults(tree, weighed)
    now = _as_it_is_now(tree, weighed)
    tests = rank_tests(tree, throttle, now, done=_done(job), own=own)
    repair = first_repair(throttle, now, own)
    cured = weighed.cured if gathered.cures else None
    tested = untested_change(job) is None
    headline = headline_of(outcome, suspects, faults, cured if tested else None, weighed.both)
    if cured is not None and not tested:
        headline += say(" Whether the repair holds is not tested yet.")
    lines = _ledger(tree, gathered, weighed)
    standing = Judgement(
        headline,
        as_written(suspects),
        tuple(_step(line) for line in lines),
        _stretches(faults),
        _retest(job) or (None if job.is_proved else _next(tests, repair)),
        job.is_proved,
    )
    return JobJudgement(
        standing,
        outcome,
        missing_of(outcome, tests[0].text if tests else "", gathered.kinds),
        turning_of(suspects[0][0], tests),
        faults,
        lines,
        _contradictions(tree, gathered),
        tuple(gathered.aside),
        tests,
        schools(throttle, now, own),
        cured,
    )


# -- what is in the job -----------------------------------------------------------------------------


def gather(job: Job, tree: Tree) -> _Gathered:
    """All observations of a job in their order, the changes between them, and what is not weighed."""
    found = _Gathered()
    throttle = job.vehicle.throttle
    changes = changes_of(job)
    for change in changes:
        cure, known = cure_of(change, tree)
        found.cures.append(cure)
        if not known:
            found.aside.append(
                Remark(
                    say("done: {done}: no part and verb known here", done=change.done[:80]), (change.id,)
                )
            )

    def after(entry: AnyEntry) -> int:
        return sum(1 for c in changes if c.at < entry.at or (c.at == entry.at and _order(job, c, entry)))

    _of_complaints(job, tree, found, after)
    codes, aside = of_codes([(c, after(c)) for c in of_kind(job.entries, CodeSet)], tree, throttle)
    _take(found, "codes", codes, [Remark(text, (told.id,)) for told, text in aside])
    _of_looks(job, tree, found, after)
    readings = [(r, after(r)) for r in of_kind(job.entries, Reading)]
    measured, unread = of_readings(readings, tree, throttle, faces_of(job))
    remarks = [
        Remark(
            figures(
                "{value} {value_:g} {unit}: {why}",
                value=r.where or say("measured"),
                value_=r.value,
                unit=r.unit,
                why=why,
            ),
            (r.id,),
        )
        for r, why in unread
    ]
    _take(found, "readings", measured, remarks)
    _of_recordings(job, tree, found, after)
    _take(found, "shaken", of_shaking(job, tree, after), [])
    watched, blocks = of_watches(job, tree, after)
    found.evidence += watched
    for moved in of_kind(job.entries, Moved):
        seen = of_state(moved, tree, after(moved))
        if seen is not None and says_more(moved, after(moved), blocks):
            found.evidence.append(seen)
    return found


def _order(job: Job, first: AnyEntry, second: AnyEntry) -> bool:
    return job.entries.index(first) < job.entries.index(second)


def _take(found: _Gathered, kind: str, evidence: list[Evidence], aside: list[Remark]) -> None:
    found.evidence += evidence
    found.aside += aside
    if evidence:
        found.kinds.add(kind)


def _of_complaints(job: Job, tree: Tree, found: _Gathered, after: Callable[[AnyEntry], int]) -> None:
    told = of_kind(job.entries, Complaint)
    counts = [after(t) for t in told]
    for number, (entry, count) in enumerate(zip(told, counts, strict=True)):
        if count in counts[number + 1 :]:
            continue  # told anew before anything was done: the last counts
        evidence, unknown = of_complaint(entry, tree, job.vehicle.throttle, count)
        aside = [Remark(say("told: {name}: not known here", name=name), (entry.id,)) for name in unknown]
        _take(found, "told", evidence, aside)


def _of_looks(job: Job, tree: Tree, found: _Gathered, after: Callable[[AnyEntry], int]) -> None:
    newest = {(look.item, after(look)): look for look in of_kind(job.entries, Look)}
    for (item, count), look in newest.items():
        seen = of_look(look, tree, job.vehicle.throttle, count)
        if isinstance(seen, str):
            found.aside.append(Remark(say("looked at: {item}: not known here", item=item), (look.id,)))
        elif seen is not None:
            _take(found, "looks", [seen], [])


def _of_recordings(job: Job, tree: Tree, found: _Gathered, after: Callable[[AnyEntry], int]) -> None:
    newest = {f.recording: f for f in of_kind(job.entries, Findings)}
    seen = []
    for recording in of_kind(job.entries, Recorded):
        findings = newest.get(recording.id)
        if findings is None:
            what = say("{name}: recorded, not analysed", name=recording.name[:60])
            found.aside.append(Remark(what, (recording.id,)))
            continue
        seen.append(of_recording(findings, recording, tree, job.vehicle.throttle, after(recording)))
    for number in range(max(map(len, seen), default=0)):
        # What misleads of one fault says nothing of another that the same recordings show.
        of_one_fault = [each[number] for each in seen if len(each) > number]
        _take(found, "recordings", mislead_together(of_one_fault, tree), [])


def _done(job: Job) -> set[str]:
    """Tests that the job shows as done, since the last change."""
    since = max((c.at for c in changes_of(job)), default=job.opened)
    entries = tuple(e for e in job.entries if e.at >= since)
    looked = {look.item for look in of_kind(entries, Look) if look.seen is not Seen.NOT_SEEN}
    done = {test for test, items in _LOOK_TESTS.items() if items <= looked}
    if any(c.moment is Moment.CLEARED for c in of_kind(entries, CodeSet)):
        done.add("clear_and_see")
    if {s.place for s in of_kind(entries, Shaken)} >= {"sensor_plug", "harness"}:
        done.add("shake")
    faces = faces_of(job)
    understood = (
        understand(r) if r.red is None else at_pins(r, faces) for r in of_kind(entries, Reading)
    )
    read = [m for m in understood if isinstance(m, Measured) and not m.pedal]
    for plugged, test in ((True, "drop_ground"), (False, "plug_off")):
        at = {m.line for m in read if m.unit == "V" and ("plug_off" not in m.states) is plugged}
        if {"supply", "ground"} <= at:
            done.add(test)
    places = {(m.line, m.place) for m in read if m.unit == "V"}
    if any({(line, "unit_plug"), (line, "sensor_plug")} <= places for line in ("signal1", "signal2")):
        done.add("both_ends")
    return done


# -- what comes of it -------------------------------------------------------------------------------


def _faults(tree: Tree, weighed: Weighed) -> tuple[FaultSuspicion, ...]:
    ordered = np.argsort(-weighed.share, kind="stable")
    return tuple(
        FaultSuspicion(
            tree.faults[i].id,
            tree.faults[i].suspect,
            tree.faults[i].stretch,
            tree.faults[i].line,
            float(weighed.share[i]),
            tree.faults[i].text,
        )
        for i in ordered
    )


def _stretches(faults: Sequence[FaultSuspicion]) -> tuple[StretchSuspicion, ...]:
    """Suspicion along the signal's way, the faults of one stretch and line together."""
    together: dict[tuple[str, str], tuple[FaultSuspicion, float]] = {}
    for fault in faults:
        if not fault.stretch:
            continue
        held = together.get((fault.stretch, fault.line))
        together[fault.stretch, fault.line] = (
            held[0] if held else fault,
            (held[1] if held else 0.0) + fault.probability,
        )
    rows = [
        StretchSuspicion(f.stretch, f.line, f.suspect, round(p, 4), f.text) for f, p in together.values()
    ]
    return tuple(sorted(rows, key=lambda row: -row.probability))


def _as_it_is_now(tree: Tree, weighed: Weighed) -> FloatArray:
    """The chance of each fault to be there now, shape (F,): what was cured leaves nothing."""
    there = weighed.share * weighed.still
    nothing = tree.of("nothing")
    there[nothing] += 1.0 - there.sum()
    return np.maximum(there, 0.0)


def _retest(job: Job) -> NextTest | None:
    """After a change that nobody has tested, nothing comes before the test that showed the fault."""
    change = untested_change(job)
    if change is None:
        return None
    done = change.done[:_SHOWN_CHANGE]
    return NextTest(
        say("The same test again as before the change"),
        round(repairs().retest_minutes),
        say("shows whether “{done}” cured it", done=done),
        say("Road test only when safe, with a second person to read."),
    )


def _next(tests: Sequence[RankedTest], repair: Repair | None) -> NextTest | None:
    """The test that saves most a minute; where none saves anything, the repair to begin with."""
    if repair is not None and not any(t.saving > 0.0 for t in tests):
        title = f"{repair.text[0].upper()}{repair.text[1:]}"
        why = say("no test that is left is worth its minutes; afterwards the same test again")
        return NextTest(title, round(repair.minutes), why, repair.caution)
    if not tests:
        return None
    first = tests[0]
    tells = max(first.outcomes[:-1], key=lambda o: o.probability, default=first.outcomes[-1])
    return NextTest(
        first.text, round(first.minutes), say("shows whether {text}", text=tells.text), first.caution
    )


def _ledger(tree: Tree, gathered: _Gathered, weighed: Weighed) -> tuple[LedgerLine, ...]:
    first = _first(tree, weighed.share)
    left_out = without_each(tree, gathered.evidence, gathered.cures)
    lines = []
    for number, (one, nats) in enumerate(zip(gathered.evidence, weighed.nats, strict=True)):
        turns = nats[first] > _SAYS_SOMETHING and first is not _first(tree, left_out(number))
        times = {s: exp(min(max(n, -16.0), 16.0)) for s, n in nats.items()}
        lines.append(LedgerLine(one.text, one.source, one.entries, times, turns))
    return tuple(lines)


def _first(tree: Tree, chance: FloatArray) -> SuspectId:
    return max(tree.of_suspect(chance).items(), key=lambda row: row[1])[0]


def _step(line: LedgerLine) -> Step:
    weight = {s: round(float(np.log10(t)), 3) for s, t in line.times_as_likely.items()}
    return Step(line.text, weight, line.source)


def _contradictions(tree: Tree, gathered: _Gathered) -> tuple[Remark, ...]:
    """Pairs of observations that no fault explains together, the worst first."""
    early = [e for e in gathered.evidence if e.after == 0]
    if not early:
        return ()
    scaled = np.asarray([e.shown / max(float(tree.prior @ e.shown), 1e-12) for e in early])
    # How probable two are together against each by itself (pointwise mutual information).
    together = np.log(np.maximum((scaled * tree.prior) @ scaled.T, 1e-12))
    says = np.log(scaled.max(axis=1)) > _SAYS_SOMETHING
    pairs = np.argwhere(np.tril((together < _CONTRADICTION) & says[:, None] & says[None, :], -1))
    found = [(float(together[i, j]), early[j], early[i]) for i, j in pairs]
    found.sort(key=lambda row: row[0])
    return tuple(
        Remark(
            say(
                "“{text}” and “{text_}” do not fit together: no single fault shows both",
                text=one.text,
                text_=other.text,
            ),
            (*one.entries, *other.entries),
        )
        for _, one, other in found[:_MOST_CONTRADICTIONS]
    )
