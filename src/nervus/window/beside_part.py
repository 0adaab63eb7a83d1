"""What is kept beside the recording that is open: marks put right, remarks, whether it is known good."""

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from nervus.domain.beside import KeptMark
from nervus.domain.channel import Mark
from nervus.domain.job import (
    Job,
    KnownGood,
    Marked,
    Noted,
    Source,
    new_id,
    now,
    of_kind,
)
from nervus.language import say
from nervus.window.jobs.job_part import JobPart
from nervus.window.jobs.judged_anew import JudgedAnew
from nervus.window.jobs.kept_file import marks_now
from nervus.window.pictures.marks_dialog import WordsAt
from nervus.window.pictures.recording_panel import RecordingPanel

if TYPE_CHECKING:
    from nervus.window.jobs.opening import Opened
    from nervus.window.pictures.marks_dialog import MarksDialog

_MARK = "mark "
# Of a remark of many lines so much stands in the picture.
_SHOWN = 60


class BesidePart(QObject):
    """Shows words in the picture, and changes them.

    Signals:
        told: a sentence for the user.
    """

    told = pyqtSignal(str)

    def __init__(
        self,
        jobs: JobPart,
        panel: RecordingPanel,
        opened: Callable[[], "Opened | None"],
        shown: Callable[[], str],
        parent: QWidget,
    ) -> None:
        """Take over the panel.

        Args:
            jobs: the job in hand.
            panel: where the words stand.
            opened: the recording that is open.
            shown: its identifier in the job in hand, "" where it is in none.
            parent: the window.
        """
        super().__init__(parent)
        self._jobs, self._panel, self._window = jobs, panel, parent
        self._opened, self._shown_id = opened, shown
        self.anew = JudgedAnew(jobs, self)
        self.anew.told.connect(self.told)
        panel.word_clicked.connect(self.ask)
        panel.word_moved.connect(self._moved)
        jobs.shown.connect(lambda _job: self.show())

    # -- what there is -------------------------------------------------------------------------------

    def _job(self) -> tuple[Job, str] | None:
        """The job in hand with the recording that is open in it."""
        job, shown = self._jobs.job, self._shown_id()
        return (job, shown) if job is not None and shown and self._opened() is not None else None

    def rows(self) -> tuple[WordsAt, ...]:
        """Marks and remarks as they are now."""
        opened, at = self._opened(), self._job()
        if opened is None:
            return ()
        marks: tuple[Mark, ...] = opened.recording.marks
        remarks: tuple[Noted, ...] = ()
        if at is not None:
            right = marks_now(at[1], at[0].entries)
            marks = marks if right is None else right
            remarks = tuple(n for n in of_kind(at[0].entries, Noted) if n.recording == at[1])
        found = [WordsAt(f"{_MARK}{n}", m.time_s, m.time_s, m.text, is_remark=False)
                 for n, m in enumerate(marks)]  # fmt: skip
        found += [WordsAt(n.id, n.from_s, n.to_s, n.words, is_remark=True) for n in remarks]
        return tuple(found)

    def show(self) -> None:
        """Show all of it in the picture."""
        from nervus.window.pictures.marks_strip import Label  # noqa: PLC0415 - with a recording

        if self._opened() is None:
            return
        movable = self._job() is not None
        self._panel.time_view.show_words(
            [Label(r.key, _short(r.text), r.from_s, r.to_s, r.is_remark, movable) for r in self.rows()]
        )

    # -- what is changed -----------------------------------------------------------------------------

    def ask(self, key: str = "", *, add: bool = False) -> "MarksDialog | None":
        """Show all of it as a table; with a key its words are being changed, with `add` a new mark's."""
        from nervus.window.pictures.marks_dialog import MarksDialog  # noqa: PLC0415 - when first wanted

        opened = self._opened()
        if opened is None:
            return None
        if self._job() is None:
            self.told.emit(
                say("Words are kept with a job: begin one with this recording (Ctrl B), then mark it.")
            )
            return None
        recording = opened.recording
        at = self._panel.time_view.where
        dialog = MarksDialog(self.rows(), at, (recording.start_s, recording.end_s), self._window)
        dialog.changed.connect(self.put)
        dialog.shown.connect(self._panel.time_view.go_to)
        dialog.open()
        if key:
            dialog.edit(key)
        elif add:
            dialog.mark.click()
        return dialog

    def _moved(self, key: str, to_s: float) -> None:
        opened = self._opened()
        if opened is None:
            return
        low, high = opened.recording.start_s, opened.recording.end_s
        to_s = min(max(to_s, low), high)
        self.put(
            tuple(
                replace(r, from_s=to_s, to_s=min(to_s + r.to_s - r.from_s, high)) if r.key == key else r
                for r in self.rows()
            )
        )

    def put(self, rows: tuple[WordsAt, ...]) -> None:
        """Keep all of it as it is now, in the job of the recording."""
        at = self._job()
        if at is None:
            return
        job, shown = at
        before = {r.key: r for r in self.rows() if r.is_remark}
        marks = tuple(
            KeptMark(time_s=round(r.from_s, 6), text=r.text) for r in sorted(rows, key=_start)
            if not r.is_remark
        )  # fmt: skip
        for gone in set(before) - {r.key for r in rows}:
            entry = next(e for e in of_kind(job.entries, Noted) if e.id == gone)
            self._jobs.take_out(entry)
        for row in rows:
            if row.is_remark and before.get(row.key) != row:
                self._put_remark(job, shown, row)
        if marks != tuple(KeptMark(time_s=round(r.from_s, 6), text=r.text)
                          for r in self.rows() if not r.is_remark):  # fmt: skip
            self._put_marks(job, shown, marks)

    def _put_remark(self, job: Job, shown: str, row: WordsAt) -> None:
        known = next((e for e in of_kind(job.entries, Noted) if e.id == row.key), None)
        self._jobs.put(
            Noted(
                id=known.id if known is not None else new_id(),
                at=known.at if known is not None else now(),
                source=known.source if known is not None else Source.TYPED,
                words=row.text,
                recording=shown,
                from_s=row.from_s,
                to_s=row.to_s,
            )
        )

    def _put_marks(self, job: Job, shown: str, marks: tuple[KeptMark, ...]) -> None:
        known = next((e for e in of_kind(job.entries, Marked) if e.recording == shown), None)
        entry = Marked(
            id=known.id if known is not None else new_id(),
            at=known.at if known is not None else now(),
            source=Source.TYPED,
            recording=shown,
            marks=marks,
        )
        self._jobs.put(entry)
        self.anew.again(shown)  # marks weigh in what a recording says

    # -- known good ----------------------------------------------------------------------------------

    def toggle_known_good(self) -> None:
        """Others may be held against this recording, or no more."""
        at = self._job()
        if at is None:
            self.told.emit(say("A known good recording is kept with a job: begin one with it (Ctrl B)."))
            return
        job, shown = at
        known = next((e for e in of_kind(job.entries, KnownGood) if e.recording == shown), None)
        if known is not None:
            self._jobs.take_out(known)
            self.told.emit(say("It is no known good one any more."))
            return
        throttle = job.vehicle.throttle
        name = job.vehicle.description or (
            say("{throttle} throttle", throttle=throttle) if throttle is not None else ""
        )
        self._jobs.put(KnownGood(id=new_id(), at=now(), source=Source.TYPED, recording=shown, name=name))
        self.told.emit(say("It is kept as known good: “below it: another …” offers it first."))


def _start(row: WordsAt) -> float:
    return row.from_s


def _short(text: str) -> str:
    line = text.splitlines()[0] if text else ""
    return line if len(line) <= _SHOWN else f"{line[:_SHOWN]} …"
