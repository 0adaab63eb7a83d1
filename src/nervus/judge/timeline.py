"""The order of what was done and what was tested again: two changes at once cure and don't tell why."""

from nervus.domain.job import Change, CodeSet, Job, Look, Reading, Recorded, of_kind

_RETESTS = (Recorded, CodeSet, Reading, Look)


def untested_change(job: Job) -> Change | None:
    """The last change if nothing was recorded, read, measured or looked at since; else `None`.

    Source: common practice, no published source: one change, then the same test again.
    """
    changes = of_kind(job.entries, Change)
    if not changes:
        return None
    last = changes[-1]
    after = (e for e in job.entries if isinstance(e, _RETESTS))
    return None if any(e.at > last.at for e in after) else last


def second_change(job: Job) -> str:
    """What to say before another change is made now; "" where nothing speaks against it."""
    before = untested_change(job)
    if before is None:
        return ""
    return (
        f"“{before.done[:80]}” has not been tested yet. A second change now, and nobody will know which "
        "of them cured it: repeat the recording, the codes or the measurement first."
    )
