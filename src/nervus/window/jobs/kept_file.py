"""A recording of a job as it is read again: file, name, marks as they were put right, profile."""

from pathlib import Path

from nervus.domain.channel import Mark
from nervus.domain.job import AnyEntry, Job, Marked, Recorded, of_kind
from nervus.window.jobs.opening import KeptFile


def kept_file(files: Path, recorded: Recorded, job: Job) -> KeptFile:
    """How a recording is opened again.

    Args:
        files: the folder where a logbook keeps its files.
        recorded: which recording.
        job: whose it is.
    """
    right = marks_now(recorded.id, job.entries)
    return KeptFile(files / recorded.file, recorded.name, right, job.vehicle.profile)


def marks_now(recording: str, entries: tuple[AnyEntry, ...]) -> tuple[Mark, ...] | None:
    """The marks of a recording as they were put right last; `None` where nobody did."""
    right = [m for m in of_kind(entries, Marked) if m.recording == recording]
    return tuple(Mark(m.time_s, m.text) for m in right[-1].marks) if right else None
