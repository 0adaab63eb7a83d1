"""Recordings of the job in hand are judged anew where what is known beside them has changed."""

from typing import TYPE_CHECKING

from msgspec.structs import replace as with_
from PyQt6.QtCore import QObject, pyqtSignal

from nervus.domain.job import Findings, Job, Recorded, of_kind
from nervus.language import say
from nervus.window.jobs.attaching import findings_of
from nervus.window.jobs.job_part import JobPart
from nervus.window.jobs.kept_file import kept_file
from nervus.window.jobs.opening import Opened, open_kept
from nervus.window.tasks import Task

if TYPE_CHECKING:
    from nervus.domain.analysis import Analysis


class JudgedAnew(QObject):
    """One recording after the other, in the background; what was found stays until more is known.

    Signals:
        judged: the recording's identifier, and all of it as it is judged now.
        told: a sentence for the user.
    """

    judged = pyqtSignal(str, object)
    told = pyqtSignal(str)

    def __init__(self, jobs: JobPart, parent: QObject) -> None:
        super().__init__(parent)
        self._jobs = jobs
        self._known: tuple[str, str] | None = None
        self._wanted: list[str] = []
        self._now = ""
        self._task: Task | None = None
        jobs.shown.connect(self._look)

    @property
    def is_busy(self) -> bool:
        """Whether something is being judged anew."""
        return self._task is not None

    def again(self, recorded_id: str) -> None:
        """Judge a recording of the job in hand with what is known now; the last wish counts."""
        if self._task is not None and self._now == recorded_id:
            self._task.stop()
            self._task = None
        self._wanted = [*(w for w in self._wanted if w != recorded_id), recorded_id]
        self._next()

    def _look(self, job: Job | None) -> None:
        """With another profile all recordings say something else; with another job nothing is wanted."""
        known = (job.id, job.vehicle.profile) if job is not None else None
        before, self._known = self._known, known
        if job is None or before is None or before[0] != job.id:
            self._wanted = []
        elif known != before:
            for found in of_kind(job.entries, Findings):
                self.again(found.recording)
        self._next()

    def _next(self) -> None:
        """The first that is there: of a file that is still being copied the job tells when it is."""
        job = self._jobs.job
        if self._task is not None or job is None:
            return
        there = {r.id: r for r in of_kind(job.entries, Recorded)}
        recorded = next((there[w] for w in self._wanted if w in there), None)
        if recorded is None:
            return
        self._now = recorded_id = recorded.id
        kept = kept_file(self._jobs.files, recorded, job)
        task = Task(lambda progress: open_kept(kept, progress), self)
        task.succeeded.connect(lambda opened: self._found(job.id, recorded_id, opened))
        task.failed.connect(self._failed)
        self._task = task
        task.start()

    def _over(self) -> None:
        self._task = None
        self._wanted = [w for w in self._wanted if w != self._now]
        self._next()

    def _failed(self, why: str) -> None:
        self.told.emit(say("Not judged anew, what was found stays as it was: {why}", why=why))
        self._over()

    def _found(self, job_id: str, recorded_id: str, opened: Opened) -> None:
        self._jobs.change_elsewhere(job_id, lambda job: self._entry(job, recorded_id, opened.analysis))
        self.judged.emit(recorded_id, opened)
        self._over()

    def _entry(self, job: Job, recorded_id: str, analysis: "Analysis") -> Findings | None:
        recorded = next((r for r in of_kind(job.entries, Recorded) if r.id == recorded_id), None)
        if recorded is None:
            self.told.emit(say("The recording was taken out of the job: it is not judged anew."))
            return None
        found = findings_of(analysis, recorded)
        known = [f for f in of_kind(job.entries, Findings) if f.recording == recorded_id]
        return with_(found, id=known[-1].id, at=known[-1].at) if known else found
