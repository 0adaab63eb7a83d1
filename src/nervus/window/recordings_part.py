"""Which job a recording belongs to: the one in hand when it begins or is opened."""

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from nervus.domain.job import Job, Noted, Recorded, Shaken, Source, new_id, now, of_kind
from nervus.language import say
from nervus.window.jobs.job_part import JobPart
from nervus.window.jobs.kept_file import marks_now
from nervus.window.jobs.opening import KeptFile, Opened
from nervus.window.jobs.opening_part import OpeningPart
from nervus.window.live.live_part import LivePart

if TYPE_CHECKING:
    from nervus.drawn.measuring import Between
    from nervus.window.jobs.opening import WasRead
    from nervus.window.live.shake_part import Shook


class RecordingsPart(QObject):
    """Ties what is recorded and what is opened to jobs.

    Signals:
        open_wanted: a file that is in no job is to be opened.
        told: a sentence for the user.
        left_over: a sentence about recordings that are in no job.
    """

    open_wanted = pyqtSignal(object)
    told = pyqtSignal(str)
    left_over = pyqtSignal(str)

    def __init__(self, jobs: JobPart, live: LivePart, opening: OpeningPart, window: QWidget) -> None:
        super().__init__(window)
        self._jobs, self._live, self._opening, self._window = jobs, live, opening, window
        self._opening_for: Job | None = None
        self._attached = ""
        self._recording: tuple[Job, str] | None = None
        self.is_closing = False
        opening.began.connect(self._opening_begins)
        opening.was_read.connect(self._was_read)
        live.recorded.connect(self._ended)
        live.place = self._begins
        live.context = lambda: (
            jobs.job,
            jobs.weigher.judgement,
            self._recording[1] if self._recording is not None else None,
        )
        live.shaken.connect(self._keep_shaken)

    def is_in_hand(self, job: Job | None) -> bool:
        """Whether a job is still the one in hand."""
        return job is not None and self._jobs.job is not None and self._jobs.job.id == job.id

    @property
    def shown_id(self) -> str:
        """The identifier that the recording which is open has in the job in hand, "" for none."""
        return self._opening.from_job or (self._attached if self.is_in_hand(self._opening_for) else "")

    # -- files -----------------------------------------------------------------------------------------

    def _opening_begins(self) -> None:
        self._opening_for, self._attached = self._jobs.job, ""

    def _was_read(self, read: "WasRead") -> None:
        """A file was read in a job: it belongs to it from now on, whatever comes of judging it."""
        if self._opening_for is not None and not self._opening.from_job:
            self._attached = self._jobs.attaching.keep(self._opening_for, read)

    def keep_measured(self, found: "Between | None") -> None:
        """Keep what two cursors measured with the job in hand, as a remark on its recording."""
        if found is None:
            return
        if self._jobs.job is None:
            self.told.emit(
                say("No job is open: begin one with Ctrl B, or copy what is measured with Ctrl C.")
            )
            return
        low, high = sorted((found.first_s, found.second_s))
        name = self.shown_id or None
        words = found.text("measured")
        self._jobs.put(
            Noted(
                id=new_id(),
                at=now(),
                source=Source.ANALYSIS,
                words=words,
                recording=name,
                from_s=low,
                to_s=high,
            )
        )
        self.told.emit(say("What is measured is kept in the job; it stands in its course at Prove."))

    def _keep_shaken(self, shook: "Shook") -> None:
        """What was shaken goes to its job, place by place; without one it was told, no more."""
        if shook.job is None:
            return
        for hand in shook.test.hands:
            if hand.seconds >= 1.0:
                entry = Shaken(
                    id=new_id(),
                    at=now(),
                    source=Source.SEEN,
                    place=hand.place.id,
                    seconds=round(hand.seconds, 1),
                    drops=len(hand.moments),
                    channels=shook.channels,
                    let_go=tuple(sorted(hand.let_go)),
                    caught=shook.test.caught,
                    recording=shook.recording,
                )
                self._jobs.put_to(shook.job.id, entry)

    def found(self, opened: Opened) -> bool:
        """What was found goes to the recording's job; whether its codes are for the job in hand."""
        attaching, from_job = self._jobs.attaching, self._opening.from_job
        if from_job and self._jobs.job is not None:
            attaching.found_again(self._jobs.job, from_job, opened.analysis)
        elif self._attached:
            attaching.found(self._attached, opened.analysis)
        return not from_job and self.is_in_hand(self._opening_for)

    def keep(self, job: Job, opened: Opened) -> None:
        """A recording that is open becomes the first of a new job."""
        read = opened.as_read()
        if read is not None:
            self._opening_for, self._attached = job, self._jobs.attaching.keep(job, read)
            self._jobs.attaching.found(self._attached, opened.analysis)

    # -- what is recorded here -------------------------------------------------------------------------

    def _begins(self, name: str) -> tuple[Path, str] | None:
        """A recording belongs to the job in hand from its first sample; `None` where there is none."""
        self._recording = None
        if self._jobs.job is None:
            return None
        begun = self._jobs.attaching.begin_recording(self._jobs.job, name)
        self._recording = (self._jobs.job, begun.recorded_id)
        return begun.path, begun.owner

    def adopt_live(self, job: Job) -> None:
        """What is live becomes the job's which comes into hand: its unit, a recording without a job."""
        if self._live.is_live:
            self._jobs.put_identities(self._live.controller.identity)
        under_way = self._live.recording
        if under_way is None or self._recording is not None:
            return
        journal, lasted_s = under_way
        recorded_id = self._jobs.attaching.adopt_recording(job, journal, journal.path.stem, lasted_s)
        self._recording = (job, recorded_id) if recorded_id is not None else None

    def _ended(self, path: Path) -> None:
        """A recording has ended: it is in its job already, or becomes that of the job in hand."""
        recording, self._recording = self._recording, None
        if self.is_closing:
            return  # it is in its job, or offered at the next start
        if recording is None:
            self.open_wanted.emit(path)
            return
        job, recorded_id = recording
        if self._jobs.job is not None and self.is_in_hand(job):
            self._jobs.attaching.finish_recordings(self._jobs.job)
            mine = of_kind(self._jobs.job.entries, Recorded)
            name = next((e.name for e in mine if e.id == recorded_id), "")
            right = marks_now(recorded_id, self._jobs.job.entries)
            profile = self._jobs.job.vehicle.profile
            self._opening.kept(KeptFile(path, name, right, profile), recorded_id)
        else:
            self.told.emit(
                say(
                    "The recording is in the job of {value}.",
                    value=job.vehicle.name or say("no name yet"),
                )
            )

    # -- recordings in no job --------------------------------------------------------------------------

    def look_for_left_over(self) -> None:
        """Recordings that are in no job (cut off, or never put into one) are offered, all of them."""
        if not self._live.folder.is_dir():
            return
        from nervus.files.journal import left_over  # noqa: PLC0415 - seldom wanted: start-up

        found = left_over(self._live.folder)
        if found:
            count = (
                say("1 recording is") if len(found) == 1 else say("{len} recordings are", len=len(found))
            )
            self.left_over.emit(
                say(
                    "{count} in no job: cut off, or never put into one. All but the last moment is "
                    "kept.",
                    count=count,
                )
            )

    def show_left_over(self) -> None:
        """List the recordings that are in no job, to be opened or put away."""
        from nervus.window.jobs.left_over_dialog import LeftOverDialog  # noqa: PLC0415 - seldom wanted

        dialog = LeftOverDialog(self._live.folder, self._window)
        dialog.open_wanted.connect(self.open_wanted)
        dialog.told.connect(self.told)
        dialog.open()
