"""The recording that is open: how it comes, how it is shown and told, and how it is put away."""

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject

from nervus.domain.job import Source
from nervus.language import say
from nervus.window.actions import FOOT
from nervus.window.jobs.kept_file import kept_file
from nervus.window.stations import RECORD

if TYPE_CHECKING:
    from nervus.window.jobs.comparing import BeforeAfter
    from nervus.window.jobs.opening import Opened
    from nervus.window.main_window import MainWindow


class ShownPart(QObject):
    """What is open, in the parts of the window that show it.

    Attributes:
        opened: the recording with its judgement; `None` where nothing is open.
    """

    def __init__(self, window: "MainWindow") -> None:
        super().__init__(window)
        self._window = window
        self.opened: Opened | None = None
        opening, panel = window.opening, window.panel
        opening.began.connect(self._begin)
        opening.began.connect(panel.wait)
        opening.progressed.connect(panel.busy.show_progress)
        opening.ended.connect(panel.busy.hide)
        opening.ended.connect(panel.no_more_waiting)
        opening.opened.connect(self.show)
        opening.failed.connect(self.tell_failure)
        window.beside.anew.judged.connect(self._judged_anew)
        window.record.wanted.connect(self.open_kept)

    # -- opening -----------------------------------------------------------------------------

    def open_file(self, path: Path) -> None:
        """Open a recording from a file, or a bundle; what is open stays until it is there."""
        if path.suffix.lower() == ".zip":
            self.take_bundle(path)
        else:
            self._window.opening.file(path)

    def take_bundle(self, path: Path) -> None:
        """Take a job from a bundle, and open it."""
        self._window.job_part.take_bundle(path, self._window.open_job)

    def open_kept(self, recording_id: str) -> None:
        """Open a recording of the job again."""
        window = self._window
        found = window.record.recorded(recording_id)
        if found is not None and window.job is not None:
            window.opening.kept(kept_file(window.job_part.files, found, window.job), recording_id)

    def open_newest(self) -> None:
        """Open the newest recording of the job, where nothing is open or being opened."""
        newest = self._window.record.newest
        if self.opened is None and newest is not None and not self._window.is_busy:
            self.open_kept(newest)

    def _begin(self) -> None:
        self._window.panel.notice.hide()
        if self._window.stations.now != RECORD:
            self._window.stations.go(RECORD)

    def tell_failure(self, sentence: str) -> None:
        """Tell what went wrong; what was open is still there."""
        kept = say(" What was open is kept.") if self.opened is not None else ""
        self._window.panel.notice.tell(sentence + kept)

    # -- showing -----------------------------------------------------------------------------

    def show(self, opened: "Opened") -> None:
        """Show what was opened in place of what is."""
        from nervus.window.pictures.finding_words import most_telling  # noqa: PLC0415 - with a recording

        window = self._window
        window.live_part.leave()
        window.middle.setCurrentWidget(window.panel)
        self.opened = opened
        window.setWindowTitle(say("{name} · Nervus", name=opened.recording.name))
        if window.job is None:
            self._show_head(opened)
        window.nerve.show_moment(0.0, {})
        window.panel.show_recording(opened.title, opened.recording, opened.analysis, opened.pictures)
        findings = opened.analysis.examination.findings
        window.findings.show_findings(findings, opened.analysis.circuit)
        window.foot.show_keys(FOOT, window.foot.source.whole if window.job else opened.recording.name)
        shown_id = window.recordings.shown_id
        window.record.show_open(shown_id, can_keep=window.job is None, is_open=True)
        self._keep(opened)
        window.beside.show()
        window.enable()
        window.stand()
        self._tell_how_read(opened)
        window.under.leave()
        if findings:
            window.findings.choose(most_telling(opened.analysis))

    def lay_over(self, upper: str, lower: str, both: "BeforeAfter") -> None:
        """Show a recording of the job over another, both of which were read for comparing them."""
        self._window.stop()
        self._window.stations.go(RECORD)
        self._window.opening.from_job = upper
        self.show(both.after)
        self._window.under.show(lower, both.before)

    def _judged_anew(self, recording_id: str, judged: "Opened") -> None:
        """What is open is told as it is judged now; the stretch and the finding that were shown stay."""
        window = self._window
        if self.opened is None or window.recordings.shown_id != recording_id:
            return
        stretch, chosen = window.panel.time_view.visible(), window.findings.number
        self.opened = opened = self.opened.anew(judged)
        findings = opened.analysis.examination.findings
        if window.panel.show_anew(opened.recording, opened.analysis, opened.pictures):
            window.under.leave()
        window.findings.show_findings(findings, opened.analysis.circuit)
        if 0 <= chosen < len(findings):
            window.findings.choose(chosen)
        window.panel.time_view.show_exactly(stretch)
        window.beside.show()
        window.stand()

    def _tell_how_read(self, opened: "Opened") -> None:
        """What was taken for what, left out or missing; what was agreed to can be changed."""
        notice, opening = self._window.panel.notice, self._window.opening
        told = " ".join(opened.remarks)
        original = opened.original
        if opened.mapped and original is not None:
            agreed = say("Read as was agreed for such tables. {told}", told=told).strip()
            notice.tell(agreed, say("Change it …"), lambda: opening.change_mapping(original), calm=True)
        elif told:
            notice.tell(told, calm=True)

    def _show_head(self, opened: "Opened") -> None:
        if opened.vehicle is None:
            self._window.head.show_recording(opened.recording.name)
        else:
            self._window.head.show_job(opened.vehicle, opened.complaint, opened.state)

    def _keep(self, opened: "Opened") -> None:
        """What was found goes to the recording's job, and the codes that were told meanwhile."""
        window = self._window
        if window.recordings.found(opened) and opened.codes:
            window.stations.add_codes(opened.codes, Source.FILE)
        # Another profile may have been chosen meanwhile; a case of the demo is held against none.
        shown, job = window.recordings.shown_id, window.job
        if shown and job is not None and opened.profile != job.vehicle.profile:
            window.beside.anew.again(shown)

    def show_nothing(self) -> None:
        """Nothing is open."""
        window = self._window
        self.opened = None
        window.setWindowTitle("Nervus")
        if window.job is None:
            window.head.show_nothing()
        window.nerve.show_moment(0.0, {})
        window.panel.show_nothing()
        window.findings.show_nothing()
        window.record.show_open("", can_keep=False)
        window.standing.show(None, None, None)
        window.enable()
