"""How a watch stands, in sentences."""

from datetime import date, timedelta
from math import ceil, isinf

from nervus.domain.job import Job, JobState, Moved, Watch, of_kind
from nervus.domain.repair import Exposure
from nervus.judge.words import natural_frequency
from nervus.language import figures, say
from nervus.proof.watching import Standing

# How much of an exposure a usual day brings. Source: from memory, no published source.
_A_DAY = {
    Exposure.DRIVEN: 1.5,
    Exposure.STARTED: 6.0,
    Exposure.WET: 1.0 / 3.0,
}
# Nobody is asked again sooner than this, and nobody remembers longer.
_AT_LEAST_DAYS, _AT_MOST_DAYS = 2, 180


def amount_told(amount: float, exposure: Exposure) -> str:
    """An amount with its unit, as many digits as one counts."""
    if isinf(amount):
        return say("more {exposure} than can be made", exposure=exposure)
    if exposure.is_counted:
        return figures("{count} {exposure}", count=ceil(amount - 1e-9), exposure=exposure)
    return figures("{amount:.3g} {exposure}", amount=amount, exposure=exposure)


def plan_told(watch: Watch, needed: float) -> str:
    """What is to be watched, and why so much."""
    tried = amount_told(watch.amount, watch.exposure)
    if watch.exposure.is_counted:
        before = say("It failed {events} times of {tried}.", events=watch.events, tried=tried)
    else:
        before = say("It failed {events} times in {tried}.", events=watch.events, tried=tried)
    under = f", {watch.conditions}" if watch.conditions else ""
    place = (
        say(
            " ({travel_pct:.0f} to {travel_pct_:.0f} % of travel)",
            travel_pct=watch.travel_pct[0],
            travel_pct_=watch.travel_pct[1],
        )
        if watch.travel_pct is not None
        else ""
    )
    much = say(
        "{amount_told}{place}{under} without it prove the repair",
        amount_told=amount_told(needed, watch.exposure),
        place=place,
        under=under,
    )
    return say("{before} {much} ({sure:g} in 100).", before=before, much=much, sure=100 * watch.sure)


def standing_told(stands: Standing) -> tuple[str, ...]:
    """How it stands now, sentence by sentence."""
    watch = stands.watch
    told = [plan_told(watch, stands.needed)]
    if stands.events:
        seen = say(
            "It showed again: {events} times in {amount_told}.",
            events=stands.events,
            amount_told=amount_told(stands.clean, watch.exposure),
        )
        if stands.alike is not None and stands.alike < 1.0 - watch.sure:
            seen += say(
                " That is seldomer than before, and not gone: something was changed, not all of it."
            )
        told.append(say("{seen} It is not mended.", seen=seen))
    elif stands.is_met:
        told.append(
            say(
                "The plan is met: {amount_told} without it. By chance alone "
                "{natural_frequency} would look so.",
                amount_told=amount_told(stands.clean, watch.exposure),
                natural_frequency=natural_frequency(stands.by_chance),
            )
        )
    elif stands.clean:
        told.append(
            say(
                "Clean so far: {amount_told}; {amount_told_} to go.",
                amount_told=amount_told(stands.clean, watch.exposure),
                amount_told_=amount_told(stands.left, watch.exposure),
            )
        )
    else:
        told.append(say("Nothing of it was watched yet."))
    if not stands.events:
        told.append(
            say(
                "That it is cured now: {natural_frequency}.",
                natural_frequency=natural_frequency(stands.cured),
            )
        )
    if len(stands.together) > 1:
        names = say(" and ").join(f"“{c.done[:60]}”" for c in stands.together)
        told.append(
            say(
                "Confounded: {names} were done without a test between; which of them cured it "
                "is not known.",
                names=names,
            )
        )
    return tuple(told)


def due_on(stands: Standing, today: date) -> date:
    """The day by which a usual vehicle has met the plan."""
    a_day = _A_DAY.get(stands.watch.exposure)
    days = _AT_LEAST_DAYS if a_day is None or isinf(stands.left) else ceil(stands.left / a_day)
    if isinf(stands.left):
        days = _AT_MOST_DAYS
    return today + timedelta(days=min(max(days, _AT_LEAST_DAYS), _AT_MOST_DAYS))


def state_told(job: Job) -> str:
    """The state of a job in a sentence."""
    moved = of_kind(job.entries, Moved)
    if not moved:
        return say("The job is open.")
    last = moved[-1]
    told = say("The job is {state}", state=last.state)
    if last.state is JobState.MENDED and last.tentative:
        told += say(", tentatively: said before the plan of the watch was met")
    if last.due is not None:
        told += say(", due on {due:%d %b %Y}", due=last.due)
    return f"{told}. {last.words}".strip()
