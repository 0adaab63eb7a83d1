"""How a watch stands, in sentences."""

from datetime import date, timedelta
from math import ceil, isinf

from nervus.domain.job import Job, JobState, Moved, Watch, of_kind
from nervus.domain.repair import Exposure
from nervus.judge.words import natural_frequency
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
        return f"more {exposure} than can be made"
    if exposure.is_counted:
        return f"{ceil(amount - 1e-9)} {exposure}"
    return f"{amount:.3g} {exposure}"


def plan_told(watch: Watch, needed: float) -> str:
    """What is to be watched, and why so much."""
    how = "of" if watch.exposure.is_counted else "in"
    before = f"It failed {watch.events} times {how} {amount_told(watch.amount, watch.exposure)}."
    under = f", {watch.conditions}" if watch.conditions else ""
    place = (
        f" ({watch.travel_pct[0]:.0f} to {watch.travel_pct[1]:.0f} % of travel)"
        if watch.travel_pct is not None
        else ""
    )
    much = f"{amount_told(needed, watch.exposure)}{place}{under} without it prove the repair"
    return f"{before} {much} ({100 * watch.sure:g} in 100)."


def standing_told(stands: Standing) -> tuple[str, ...]:
    """How it stands now, sentence by sentence."""
    watch = stands.watch
    told = [plan_told(watch, stands.needed)]
    if stands.events:
        seen = f"It showed again: {stands.events} times in {amount_told(stands.clean, watch.exposure)}."
        if stands.alike is not None and stands.alike < 1.0 - watch.sure:
            seen += " That is seldomer than before, and not gone: something was changed, not all of it."
        told.append(f"{seen} It is not mended.")
    elif stands.is_met:
        told.append(
            f"The plan is met: {amount_told(stands.clean, watch.exposure)} without it. By chance alone "
            f"{natural_frequency(stands.by_chance)} would look so."
        )
    elif stands.clean:
        told.append(
            f"Clean so far: {amount_told(stands.clean, watch.exposure)}; "
            f"{amount_told(stands.left, watch.exposure)} to go."
        )
    else:
        told.append("Nothing of it was watched yet.")
    if not stands.events:
        told.append(f"That it is cured now: {natural_frequency(stands.cured)}.")
    if len(stands.together) > 1:
        names = " and ".join(f"“{c.done[:60]}”" for c in stands.together)
        told.append(
            f"Confounded: {names} were done without a test between; which of them cured it is not known."
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
        return "The job is open."
    last = moved[-1]
    told = f"The job is {last.state}"
    if last.state is JobState.MENDED and last.tentative:
        told += ", tentatively: said before the plan of the watch was met"
    if last.due is not None:
        told += f", due on {last.due:%d %b %Y}"
    return f"{told}. {last.words}".strip()
