"""What to watch after a repair: proposed from what the job holds of how often it failed before."""

from dataclasses import dataclass

from nervus.domain.entry import Source
from nervus.domain.errors import OutsideError
from nervus.domain.job import Complaint, Findings, Job, Recorded, Watch, new_id, now, of_kind
from nervus.domain.repair import Exposure
from nervus.judge.timeline import last_change
from nervus.knowledge import complaints
from nervus.language import say

# When it is told to fail, and what counts then. Source: common practice, no published source.
_BY_CONDITION = {
    "wet": Exposure.WET,
    "bumps": Exposure.SHAKEN,
    "key": Exposure.STARTED,
    "cold": Exposure.STARTED,
}


class PlanUnreadable(OutsideError):
    """A plan of a watch that can't be: the sentence says what is wrong and what would be accepted."""


@dataclass(frozen=True, slots=True)
class Proposal:
    """A watch as it might be planned.

    Attributes:
        exposure: what would be counted.
        events: how often it failed before; `None` where the job does not tell.
        amount: in how much of the exposure; `None` where the job does not tell.
        conditions: under which it failed, in words.
        channel: of the track with the place, where there is one.
        travel_pct: that place.
        why: where the numbers come from, in words.
    """

    exposure: Exposure
    events: int | None
    amount: float | None
    conditions: str
    channel: str = ""
    travel_pct: tuple[float, float] | None = None
    why: str = ""


def propose_watch(job: Job) -> Proposal:
    """What would be watched, with how often it failed before as far as the job tells."""
    change = last_change(job)
    told = of_kind(job.entries, Complaint)
    conditions = next((c.conditions for c in reversed(told) if c.conditions), ())
    titles = {row.id: row.title for row in complaints().condition}
    words = ", ".join(titles.get(name, name) for name in conditions)
    before = [
        (r, f)
        for f in of_kind(job.entries, Findings)
        for r in of_kind(job.entries, Recorded)
        if r.id == f.recording and (change is None or r.at < change.at)
    ]
    places = [(r, p) for r, f in before for p in f.places if p.seen_in > 0]
    if places:
        recorded, place = max(places, key=lambda row: row[1].seen_in)
        return Proposal(
            Exposure.PASSES,
            place.seen_in,
            float(place.crossed),
            words,
            place.channel,
            place.travel_pct,
            say(
                "{name}: {seen_in} of {crossed} passes over {travel_pct:.0f} to "
                "{travel_pct_:.0f} % showed it",
                name=recorded.name,
                seen_in=place.seen_in,
                crossed=place.crossed,
                travel_pct=place.travel_pct[0],
                travel_pct_=place.travel_pct[1],
            ),
        )
    shown = [(r, f) for r, f in before if f.bouts > 0]
    if shown:
        recorded, found = max(shown, key=lambda row: row[1].bouts)
        minutes = recorded.duration_s / 60.0
        why = say(
            "{name}: {bouts} times in {minutes:.3g} min",
            name=recorded.name,
            bouts=found.bouts,
            minutes=minutes,
        )
        return Proposal(Exposure.WATCHED, found.bouts, minutes, words, why=why)
    exposure = next((_BY_CONDITION[c] for c in conditions if c in _BY_CONDITION), Exposure.DRIVEN)
    return Proposal(exposure, None, None, words, why=say("how often it failed before is not in the job"))


def planned(
    exposure: Exposure, events: str, amount: str, sure: float, conditions: str, like: Proposal, job: Job
) -> Watch:
    """A plan as it was typed.

    Raises:
        PlanUnreadable: a number can't be, or speaks against another.
    """
    count = _number(events, say("how often it failed"))
    in_all = _number(amount, say("in how many {exposure}", exposure=exposure))
    if count < 1 or count != int(count):
        raise PlanUnreadable(
            say(
                "“{strip}” is not how often it failed: a whole number from 1 on. What never "
                "failed can't be proved mended by staying clean.",
                strip=events.strip()[:20],
            )
        )
    if in_all <= 0:
        raise PlanUnreadable(
            say(
                "“{strip}” is no amount of {exposure}: more than 0.",
                strip=amount.strip()[:20],
                exposure=exposure,
            )
        )
    if exposure.is_counted and (in_all != int(in_all) or in_all < count):
        raise PlanUnreadable(
            say(
                "{count:g} of {in_all:g} {exposure} can't be: a whole number, at least as many "
                "as failed.",
                count=count,
                in_all=in_all,
                exposure=exposure,
            )
        )
    change = last_change(job)
    same = exposure is Exposure.PASSES
    return Watch(
        id=new_id(),
        at=now() if change is None else max(now(), change.at),
        source=Source.TYPED,
        exposure=exposure,
        events=int(count),
        amount=in_all,
        sure=sure,
        conditions=conditions.strip()[:1000],
        change=change.id if change is not None else None,
        channel=like.channel if same else "",
        travel_pct=like.travel_pct if same else None,
    )


def _number(text: str, what: str) -> float:
    try:
        value = float(text.strip().replace(",", "."))
    except ValueError:
        value = float("nan")
    if not 0.0 <= value <= 1e7:
        raise PlanUnreadable(
            say(
                "“{strip}” is no number for {what}; accepted is such as “3” or “1.5”.",
                strip=text.strip()[:20],
                what=what,
            )
        )
    return value
