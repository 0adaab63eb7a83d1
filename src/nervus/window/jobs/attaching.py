"""What comes into a job from elsewhere: recordings from their first sample on, files, photos, bundles.

All of it is copied off the interface thread and off the logbook's; only the entry itself is a write of
the logbook's. It goes to the job that was in hand when it came, also if another one is by the time it
is there.
"""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from nervus.domain.job import (
    UNFINISHED,
    AnyEntry,
    Findings,
    Job,
    Recorded,
    Source,
    new_id,
    now,
    of_kind,
)
from nervus.language import say
from nervus.window.tasks import Task

if TYPE_CHECKING:
    from nervus.domain.analysis import Analysis
    from nervus.files.journal import Journal
    from nervus.window.jobs.opening import WasRead

Put = Callable[[str, AnyEntry], object]
"""Keeps an entry of a job, in hand or not: the job's identifier and the entry."""
_LONGEST_NAME = 100


@dataclass(frozen=True, slots=True)
class Begun:
    """A recording that begins in a job.

    Attributes:
        recorded_id: of its entry.
        path: its file.
        owner: what the file says of whose it is, should a kill come before the logbook knows.
    """

    recorded_id: str
    path: Path
    owner: str


class _Owner(msgspec.Struct, frozen=True):
    """What a journal says of whose it is: the job as it began, without its entries, and the entry."""

    job: Job
    recorded: Recorded


@dataclass(slots=True)
class _Coming:
    """A file that is being copied in.

    Attributes:
        job_id: where it goes.
        recorded: its entry, once the copy is there.
        found: what was found in it, where that came first.
    """

    job_id: str
    recorded: Recorded | None = None
    found: "Analysis | None" = None


class Attaching(QObject):
    """Brings things into jobs.

    Args:
        files: the folder beside the logbook.
        put: keeps an entry.

    Signals:
        told: a sentence about what could not be done, or was.
    """

    told = pyqtSignal(str)

    def __init__(self, files: Path, put: Put, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.files = files
        self._put = put
        self._coming: dict[str, _Coming] = {}
        self._finishing: set[str] = set()

    # -- recordings that are made here -----------------------------------------------------------------

    def begin_recording(self, job: Job, name: str) -> "Begun":
        """A recording begins in a job: its entry is kept at once."""
        recorded = _begun(name, 0.0)
        self._put(job.id, recorded)
        owner = msgspec.json.encode(_Owner(job=replace(job, entries=()), recorded=recorded)).decode()
        return Begun(recorded.id, self.files / recorded.file, owner)

    def recover(self, jobs: set[str], files: set[str], put_job: Callable[[Job], object]) -> None:
        """Recordings that a kill kept from being named in their job are named there now.

        Args:
            jobs: the identifiers of all jobs.
            files: the names of all files that recordings name.
            put_job: keeps a job that the kill kept from the logbook too.
        """
        folder = self.files

        def work(_progress: object) -> tuple[list[_Owner], list[str]]:
            return _unnamed(folder, files) if folder.is_dir() else ([], [])

        def done(found: "tuple[list[_Owner], list[str]]") -> None:
            owners, shut = found
            if shut:
                self.told.emit(
                    say("Not looked into, for it can't be opened: {join}.", join=", ".join(shut))
                )
            for owner in owners:
                if owner.job.id in jobs:
                    self._put(owner.job.id, owner.recorded)
                else:
                    put_job(replace(owner.job, entries=(owner.recorded,)))

        task = Task(work, self)
        task.succeeded.connect(done)
        task.failed.connect(self.told)
        task.start()

    def adopt_recording(self, job: Job, journal: "Journal", name: str, lasted_s: float) -> str | None:
        """A recording that is under way becomes a job's, all of it; returns its identifier.

        `None` where its file can't be moved while it is written: then it comes in when it is finished.
        """
        recorded = _begun(name, lasted_s)
        try:
            journal.move(self.files / recorded.file)
        except OSError:
            return None
        self._put(job.id, recorded)
        return recorded.id

    def finish_recordings(self, job: Job) -> None:
        """Recordings of a job that have ended are completed: how long, what, which bytes."""
        for recorded in of_kind(job.entries, Recorded):
            if recorded.digest == UNFINISHED and recorded.id not in self._finishing:
                self._finish(job.id, recorded)

    def _finish(self, job_id: str, recorded: Recorded) -> None:
        path = self.files / recorded.file

        def work(_progress: object) -> Recorded | None:
            from nervus.files.journal import in_use  # noqa: PLC0415 - loads NumPy

            return None if in_use(path) else _completed(recorded, path)

        def done(found: Recorded | None) -> None:
            self._finishing.discard(recorded.id)
            if found is not None:
                self._put(job_id, found)

        def failed(why: str) -> None:
            self._finishing.discard(recorded.id)
            self.told.emit(say("A recording of the job can't be read: {why}", why=why))

        self._finishing.add(recorded.id)
        task = Task(work, self)
        task.succeeded.connect(done)
        task.failed.connect(failed)
        task.start()

    # -- files -----------------------------------------------------------------------------------------

    def keep(self, job: Job, read: "WasRead") -> str:
        """A file that was read becomes a job's, before it is judged; returns its entry's identifier."""
        recorded_id = new_id()
        coming = self._coming[recorded_id] = _Coming(job.id)

        def work(_progress: object) -> Recorded:
            from nervus.logbook.attachments import Attachments  # noqa: PLC0415 - off the first window's way

            attachments = Attachments(self.files)
            name, digest = attachments.keep(read.path)
            original = attachments.keep(read.original)[0] if read.original is not None else None
            return Recorded(
                id=recorded_id,
                at=_made_at(read.original or read.path),
                source=Source.FILE,
                name=read.title[:200],
                file=name,
                digest=digest,
                duration_s=read.duration_s,
                channels=read.channels,
                original=original,
            )

        def done(recorded: Recorded) -> None:
            coming.recorded = recorded
            self._put(coming.job_id, recorded)
            _now_kept(read.path)
            if coming.found is not None:
                self._keep_findings(recorded_id, coming)

        def failed(why: str) -> None:
            del self._coming[recorded_id]
            self.told.emit(why)

        task = Task(work, self)
        task.succeeded.connect(done)
        task.failed.connect(failed)
        task.start()
        return recorded_id

    def found(self, recorded_id: str, analysis: "Analysis") -> None:
        """What was found in a file that was kept by `keep`."""
        coming = self._coming.get(recorded_id)
        if coming is not None:
            coming.found = analysis
            if coming.recorded is not None:
                self._keep_findings(recorded_id, coming)

    def _keep_findings(self, recorded_id: str, coming: _Coming) -> None:
        assert coming.recorded is not None  # noqa: S101 - asked by whoever calls
        assert coming.found is not None  # noqa: S101
        self._put(coming.job_id, findings_of(coming.found, coming.recorded))
        del self._coming[recorded_id]

    def found_again(self, job: Job, recorded_id: str, analysis: "Analysis") -> None:
        """A recording of the job was opened again: what is found now is kept if nothing was."""
        recorded = next((r for r in of_kind(job.entries, Recorded) if r.id == recorded_id), None)
        known = {found.recording for found in of_kind(job.entries, Findings)}
        if recorded is not None and recorded_id not in known:
            self._put(job.id, findings_of(analysis, recorded))

    def keep_photo(self, path: Path, done: Callable[[str], object]) -> None:
        """Copy a picture beside the logbook; `done` gets its name there."""

        def work(_progress: object) -> str:
            from nervus.logbook.attachments import Attachments  # noqa: PLC0415 - off the first window's way
            from nervus.report.photos import check_photo  # noqa: PLC0415 - as above

            check_photo(path)
            return Attachments(self.files).keep(path)[0]

        task = Task(work, self)
        task.succeeded.connect(done)
        task.failed.connect(self.told)
        task.start()

    def write_bundle(self, job: Job, to: Path) -> None:
        """Write a job with all its files into one bundle."""

        def work(_progress: object) -> None:
            from nervus.files.bundle import write_bundle  # noqa: PLC0415 - seldom wanted: start-up
            from nervus.link.reading import kept_recording  # noqa: PLC0415 - loads pandas

            write_bundle(job, lambda name: self.files / name, to, kept_recording)

        task = Task(work, self)
        task.succeeded.connect(
            lambda _none: self.told.emit(
                say("The job is in {name}, with its recordings and photos.", name=to.name)
            )
        )
        task.failed.connect(self.told)
        task.start()

    def read_bundle(self, path: Path, done: Callable[[Job], object]) -> None:
        """Read a bundle and take over its files; `done` gets its job."""

        def work(_progress: object) -> Job:
            import tempfile  # noqa: PLC0415 - seldom wanted: start-up

            from nervus.files.bundle import read_bundle  # noqa: PLC0415
            from nervus.logbook.attachments import Attachments  # noqa: PLC0415

            with tempfile.TemporaryDirectory() as folder:
                job = read_bundle(path, Path(folder))
                Attachments(self.files).adopt(Path(folder))
                return job

        task = Task(work, self)
        task.succeeded.connect(done)
        task.failed.connect(self.told)
        task.start()


def findings_of(analysis: "Analysis", recorded: Recorded) -> Findings:
    """What an analysis gives to the job of a recording."""
    from nervus.judge.of_job import kept  # noqa: PLC0415 - off the way to the first window
    from nervus.knowledge import judging  # noqa: PLC0415

    return kept(analysis, recorded, judging())


def _unnamed(folder: Path, files: set[str]) -> tuple[list[_Owner], list[str]]:
    """Recordings in a folder that no job names, with whose they are; and those that stay shut."""
    from nervus.files.journal import RECORDED, in_use, owner_of  # noqa: PLC0415 - loads NumPy

    found, shut = [], []
    for path in sorted(folder.glob(f"*{RECORDED}")):
        try:
            if path.name in files or in_use(path):
                continue
            owner = msgspec.json.decode(owner_of(path), type=_Owner)
        except msgspec.DecodeError:
            continue  # it came into a job as a file, and was taken out again
        except OSError as wrong:
            shut.append(f"{path.name} ({wrong.strerror})")
            continue
        if owner.recorded.file == path.name:
            found.append(owner)
    return found, shut


def _begun(name: str, lasted_s: float) -> Recorded:
    recorded_id = new_id()
    return Recorded(
        id=recorded_id,
        at=now() - timedelta(seconds=round(lasted_s)),
        source=Source.VEHICLE,
        name=name[:200],
        file=f"{recorded_id}-{_safe(name)}.nervus",
        digest=UNFINISHED,
    )


def _completed(recorded: Recorded, path: Path) -> Recorded:
    """An entry with what its file holds.

    Raises:
        RecordingUnusable: it holds no sample.
        OutsideError: it can't be read.
    """
    import hashlib  # noqa: PLC0415 - seldom wanted: start-up

    from nervus.domain.errors import OutsideError  # noqa: PLC0415
    from nervus.files.journal import read_journal  # noqa: PLC0415 - loads NumPy

    try:
        recording = read_journal(path)
        with path.open("rb") as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()
    except OSError as wrong:
        raise OutsideError(f"{path.name}: {wrong.strerror}.") from wrong
    return replace(
        recorded,
        digest=digest,
        duration_s=recording.duration_s,
        channels=tuple(c.id for c in recording.channels),
    )


def _now_kept(path: Path) -> None:
    """A journal that is in a job is not offered as left over any more."""
    from nervus.files.journal import SUFFIX, finished  # noqa: PLC0415 - loads NumPy

    if path.suffix == SUFFIX and path.is_file():
        finished(path)


def _safe(name: str) -> str:
    return "".join(c if c.isascii() and (c.isalnum() or c in "._-") else "-" for c in name)[
        :_LONGEST_NAME
    ]


def _made_at(path: Path) -> datetime:
    """When a recording was made, as far as its file tells; never in the future."""
    try:
        written = datetime.fromtimestamp(path.stat().st_mtime, tz=now().tzinfo).replace(microsecond=0)
    except OSError:
        return now()
    return min(written, now())
