"""The order of what was done and what was tested again: two changes at once cure and don't tell why."""

from nervus.domain.job import Change, CodeSet, Job, Look, Reading, Recorded, Stayed, of_kind
from nervus.language import say

_RETESTS = (Recorded, CodeSet, Reading, Look, Stayed)


def changes_of(job: Job) -> tuple[Change, ...]:
    """All changes; a known good spare that went out again is a test, and no change."""
    return tuple(c for c in of_kind(job.entries, Change) if not c.swapped_back)


def last_change(job: Job) -> Change | None:
    """The change that was made last, if any was."""
    changes = changes_of(job)
    return changes[-1] if changes else None


def untested_change(job: Job) -> Change | None:
    """The last change if nothing was recorded, read, measured or looked at since; else `None`.

    Source: common practice, no published source: one change, then the same test again.
    """
    last = last_change(job)
    if last is None:
        return None
    after = (e for e in job.entries if isinstance(e, _RETESTS))
    return None if any(e.at > last.at for e in after) else last


def before_and_after(job: Job) -> tuple[Recorded | None, Recorded | None]:
    """The last recording before anything was changed, and the last after the last change, if any.

    What was recorded between two changes is neither: part of the repair was in it already.
    """
    changes, recordings = changes_of(job), of_kind(job.entries, Recorded)
    if not changes:
        return (recordings[-1] if recordings else None), None
    before = [r for r in recordings if r.at <= changes[0].at]
    after = [r for r in recordings if r.at > changes[-1].at]
    return (before[-1] if before else None), (after[-1] if after else None)


def untested_together(job: Job) -> tuple[Change, ...]:
    """The last change, with those before it that nothing was tested after."""
    changes = changes_of(job)
    together = list(changes[-1:])
    for earlier in reversed(changes[:-1]):
        if any(isinstance(e, _RETESTS) and earlier.at < e.at <= together[0].at for e in job.entries):
            break
        together.insert(0, earlier)
    return tuple(together)


def codes_not_read_again(job: Job) -> bool:
    """Whether there were codes before the last change, and nobody has read them since."""
    change = last_change(job)
    if change is None:
        return False
    sets = of_kind(job.entries, CodeSet)
    return any(s.codes for s in sets if s.at <= change.at) and not any(s.at > change.at for s in sets)


def second_change(job: Job) -> str:
    """What to say before another change is made now; "" where nothing speaks against it."""
    before = untested_change(job)
    if before is None:
        return ""
    return say(
        "“{done}” has not been tested yet. A second change now, and nobody will know "
        "which of them cured it: repeat the recording, the codes or the measurement "
        "first.",
        done=before.done[:80],
    )
