"""The judgement of a whole job: what was told, seen and read, with what its recordings showed."""

from nervus.domain.analysis import Analysis, Judgement
from nervus.domain.job import (
    Findings,
    Job,
    KeptObservation,
    Recorded,
    Source,
    new_id,
    now,
    of_kind,
)
from nervus.domain.profile import ThrottleKind
from nervus.judge.observations import observe
from nervus.judge.stretches import EITHER_FEED, Concerned, along_the_way, concerned, shares
from nervus.judge.told import first_change, told_rows, tracks_told
from nervus.judge.verdict import advise, rows_of, weigh
from nervus.judge.words import of_suspects
from nervus.knowledge import Judging, Likelihood


def kept(analysis: Analysis, recording: Recorded, knowledge: Judging) -> Findings:
    """What an analysis gives to the job it belongs to."""
    rows = rows_of(observe(analysis.examination, analysis.circuit), knowledge)
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
    )


def judge_job(job: Job, knowledge: Judging) -> Judgement | None:
    """Suspects, ledger and next test for all that is in a job; `None` where nothing is.

    Recordings that were made after the first change tell of the repair: they don't count here.
    """
    counted = _before_any_change(job)
    rows = told_rows(job)
    for found in counted:
        rows += tuple((o.confidence, _row(o)) for o in found.observations)
    if not rows:
        return None
    suspects, ledger = weigh(rows, knowledge)
    stretches = along_the_way(suspects, _about(job, counted), knowledge)
    return Judgement(
        headline=of_suspects(suspects, stretches),
        suspects=suspects,
        ledger=ledger,
        stretches=stretches,
        next_test=advise(suspects, knowledge),
    )


def _before_any_change(job: Job) -> tuple[Findings, ...]:
    changed = first_change(job)
    taken = {r.id: r.at for r in of_kind(job.entries, Recorded)}
    newest: dict[str, Findings] = {f.recording: f for f in of_kind(job.entries, Findings)}
    # What was found in a recording that was taken out of the job went with it.
    kept_ones = (f for f in newest.values() if f.recording in taken)
    return tuple(f for f in kept_ones if changed is None or taken[f.recording] <= changed.at)


def _row(kept_row: KeptObservation) -> Likelihood:
    return Likelihood(
        id=kept_row.cause,
        says=kept_row.says,
        cause=kept_row.cause,
        source=kept_row.source,
        chance=kept_row.chance,
    )


def _about(job: Job, counted: tuple[Findings, ...]) -> Concerned:
    tracks = dict(tracks_told(job))
    feeds: dict[str, float] = {}
    for found in counted:
        for number, share in found.tracks.items():
            tracks[number] = tracks.get(number, 0.0) + share
        for name, share in found.feeds.items():
            feeds[name] = feeds.get(name, 0.0) + share / len(counted)
    if not tracks:
        both = job.vehicle.throttle is not ThrottleKind.CABLE
        tracks = {1: 1.0, 2: 1.0} if both else {1: 1.0}
    return Concerned(shares(tracks), feeds or dict(EITHER_FEED))
