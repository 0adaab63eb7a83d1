"""How a job's watch stands: what is planned, what was seen, whether that proves it."""

from dataclasses import dataclass

from msgspec.structs import replace

from nervus.domain.job import (
    CELLS,
    Change,
    Findings,
    Job,
    Moved,
    Recorded,
    SeenPlace,
    Stayed,
    Watch,
    of_kind,
)
from nervus.domain.repair import Exposure
from nervus.judge.how_long import chance_cured, chance_of_clean, needed_for, rates_alike
from nervus.judge.of_job import judge_job
from nervus.judge.timeline import last_change, untested_together
from nervus.knowledge.own_prices import AS_SHIPPED, OwnPrices

# Where nothing is known of the cure: as likely as not. Source: from memory, no published source.
_UNKNOWN_PRIOR = 0.5
SAME_PLACE_PCT = 3.0
"""Places nearer than this are one: the ends of two recordings may differ by so much, in percent.

Source: common practice, no published source: tracks in good order differ by up to 2 to 3 % of travel.
"""


@dataclass(frozen=True, slots=True)
class Standing:
    """How a watch stands.

    Attributes:
        watch: the plan.
        needed: how much has to stay clean in all.
        clean: how much did, without an event.
        events: how often it showed all the same.
        by_chance: the chance that so much is clean although nothing was mended.
        cured: probability that it is cured, now.
        alike: where it showed again, how probable so few events are at the old rate; else `None`.
        together: the changes that were made without a test between them; more than one is confounded.
    """

    watch: Watch
    needed: float
    clean: float
    events: int
    by_chance: float
    cured: float
    alike: float | None
    together: tuple[Change, ...]

    @property
    def is_met(self) -> bool:
        """Whether the plan is met: enough was watched, and nothing showed."""
        return self.events == 0 and self.clean >= self.needed - 1e-9

    @property
    def left(self) -> float:
        """How much is still to be watched."""
        return max(0.0, self.needed - self.clean)


def plan_of(job: Job) -> Watch | None:
    """The plan that counts: the last one, if nothing was changed after it."""
    plans = of_kind(job.entries, Watch)
    if not plans:
        return None
    change = last_change(job)
    return plans[-1] if change is None or plans[-1].at >= change.at else None


def standing(job: Job, prior: float) -> Standing | None:
    """How the watch stands; `None` where none is planned.

    Args:
        job: with its plan, and what was seen since the change.
        prior: that the changes cured it, before it was watched (`prior_of`).
    """
    watch = plan_of(job)
    if watch is None:
        return None
    seen = seen_since(job, watch)
    amount, events = sum(s.amount for s in seen), sum(s.events for s in seen)
    by_chance = chance_of_clean(watch, amount)
    together = untested_together(job)
    if events:
        alike = rates_alike(watch.events, watch.amount, events, amount) if amount > 0.0 else 1.0
        return Standing(watch, needed_for(watch, prior), amount, events, by_chance, 0.0, alike, together)
    cured = chance_cured(prior, by_chance)
    return Standing(watch, needed_for(watch, prior), amount, 0, by_chance, cured, None, together)


def seen_since(job: Job, watch: Watch) -> tuple[Stayed, ...]:
    """What was watched of the plan's own exposure since the last change."""
    change = last_change(job)
    return tuple(
        s
        for s in of_kind(job.entries, Stayed)
        if s.exposure is watch.exposure and (change is None or s.at >= change.at)
    )


def prior_of(job: Job, own: OwnPrices = AS_SHIPPED) -> float:
    """The chance that the changes cured it, by all that is known but the watch itself, 0 to 1.

    What was watched is left out here, so that it does not weigh twice.
    """
    change = last_change(job)
    if change is None:
        return _UNKNOWN_PRIOR
    counted = {s.recording for s in of_kind(job.entries, Stayed) if s.recording is not None}
    entries = tuple(
        e
        for e in job.entries
        if not (isinstance(e, Recorded) and e.id in counted)
        and not (isinstance(e, Findings) and e.recording in counted)
        and not (isinstance(e, Moved | Stayed) and e.at >= change.at)
    )
    cured = judge_job(replace(job, entries=entries), own).cured
    return _UNKNOWN_PRIOR if cured is None else cured


def uncounted(job: Job) -> tuple[tuple[Recorded, Findings], ...]:
    """Recordings since the last change that are not counted in the watch yet."""
    change, counted = last_change(job), {s.recording for s in of_kind(job.entries, Stayed)}
    found = {f.recording: f for f in of_kind(job.entries, Findings)}
    return tuple(
        (r, found[r.id])
        for r in of_kind(job.entries, Recorded)
        if r.id not in counted and r.id in found and (change is None or r.at >= change.at)
    )


def from_recording(watch: Watch, found: Findings, duration_s: float) -> tuple[float, int] | None:
    """What a recording adds to a watch: amount and events; `None` where only a person can tell.

    A recording of a vehicle at rest is no drive, and one that nobody shook no shaking.
    """
    if watch.exposure is Exposure.WATCHED:
        return duration_s / 60.0, found.bouts
    if (
        watch.exposure is Exposure.PASSES
        and watch.travel_pct is not None
        and len(found.crossed) == CELLS
    ):
        low, high = watch.travel_pct
        cells = found.crossed[int(low * CELLS / 100.0) : int(high * CELLS / 100.0) + 1]
        shown = [p.seen_in for p in found.places if _same_place(watch, p)]
        return float(min(cells, default=0)), max(shown, default=0)
    return None


def _same_place(watch: Watch, place: SeenPlace) -> bool:
    assert watch.travel_pct is not None  # noqa: S101 - asked by whoever calls
    low, high = watch.travel_pct
    near = place.travel_pct[0] <= high + SAME_PLACE_PCT and place.travel_pct[1] >= low - SAME_PLACE_PCT
    return near and (not watch.channel or place.channel == watch.channel)
