"""Opening files in the background: one at a time, with progress, a stop, and a question if needed."""

import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QSettings, pyqtSignal
from PyQt6.QtWidgets import QWidget

from nervus.domain.errors import RecordingUnusable
from nervus.domain.progress import Progress
from nervus.language import say
from nervus.window.jobs.agreed_mappings import AgreedMappings
from nervus.window.jobs.opening import (
    KeptFile,
    MappingWanted,
    Opened,
    open_demo,
    open_kept,
    open_mapped,
    open_or_propose,
)
from nervus.window.tasks import Task
from nervus.window.theme import BRIGHT, Theme

if TYPE_CHECKING:
    from nervus.tables.mapping import CsvMapping


class OpeningPart(QObject):
    """What is being opened.

    Signals:
        began: something is being opened; what was open stays until it is there.
        progressed: what is being done, and how far it is.
        was_read: a file that is not in the job yet was read, and is being judged now.
        opened: it is there; the recording with its judgement.
        failed: why it can't be opened.
        ended: nothing is being done any more.
    """

    began = pyqtSignal()
    progressed = pyqtSignal(str, float)
    was_read = pyqtSignal(object)
    opened = pyqtSignal(object)
    failed = pyqtSignal(str)
    ended = pyqtSignal()

    def __init__(
        self,
        settings: QSettings,
        window: QWidget,
        theme: Callable[[], Theme] = lambda: BRIGHT,
        profile: Callable[[], str] = lambda: "",
    ) -> None:
        """Open nothing yet.

        Args:
            settings: where mappings are remembered that were agreed to.
            window: what dialogs lie over.
            theme: what it looks like now.
            profile: of the throttle that the job in hand is about, by name; "" for none.
        """
        super().__init__(window)
        self._profile = profile
        self._theme = theme
        self._settings, self._window = settings, window
        self.agreed = AgreedMappings(settings)
        self._scratch: Path | None = None
        self._task: Task | None = None
        self.from_job = ""
        """The recording of the job that is being opened again, "" for any other file."""

    @property
    def scratch(self) -> Path:
        """A folder for what lives no longer than the window."""
        if self._scratch is None:
            import tempfile  # noqa: PLC0415 - seldom wanted: start-up

            self._scratch = Path(tempfile.mkdtemp(prefix="nervus-"))
        return self._scratch

    def clean_up(self) -> None:
        """The window goes."""
        if self._scratch is not None:
            shutil.rmtree(self._scratch, ignore_errors=True)

    @property
    def is_busy(self) -> bool:
        """Whether something is being done in the background."""
        return self._task is not None

    def file(self, path: Path) -> None:
        """Open a recording from a file."""
        self._settings.setValue("folder", str(path.parent))
        profile = self._profile()
        self._begin(
            say("Reading {name}", name=path.name),
            lambda progress: open_or_propose(path, progress, self.was_read.emit, profile),
        )

    def demo(self, case_id: str) -> None:
        """Open a case of the demo (the most telling one for an empty name)."""
        scratch = self.scratch
        self._begin(
            say("Making the demo recording"),
            lambda progress: open_demo(case_id, scratch, progress, self.was_read.emit),
        )

    def kept(self, kept: KeptFile, recording_id: str) -> None:
        """Open a recording of the job again."""
        self._begin(
            say("Reading {name}", name=kept.name),
            lambda progress: open_kept(kept, progress),
            recording_id,
        )

    def mapped(self, path: Path, mapping: "CsvMapping") -> None:
        """Open another program's table as a mapping says."""
        scratch, profile = self.scratch, self._profile()

        def work(progress: Progress) -> Opened:
            return open_mapped(path, mapping, scratch, progress, self.was_read.emit, profile)

        self._begin(say("Reading {name}", name=path.name), work)

    def stop(self) -> None:
        """Stop what is being done; what was open stays open."""
        if self._task is not None:
            self._task.stop()
            self._task = None
        self.ended.emit()

    def _begin(
        self, doing: str, work: "Callable[[Progress], Opened | MappingWanted]", from_job: str = ""
    ) -> None:
        self.stop()
        self.from_job = from_job
        self.began.emit()
        task = Task(work, self)
        task.progressed.connect(self.progressed)
        task.succeeded.connect(self._succeeded)
        task.failed.connect(self._failed)
        self._task = task
        self.progressed.emit(doing, 0.0)
        task.start()

    def _over(self) -> None:
        if self._task is not None:
            self._task.deleteLater()
        self._task = None
        self.ended.emit()

    def _failed(self, sentence: str) -> None:
        self._over()
        self.failed.emit(sentence)

    def _succeeded(self, opened: "Opened | MappingWanted") -> None:
        self._over()
        if isinstance(opened, MappingWanted):
            self._agree_on_mapping(opened)
        else:
            self.opened.emit(opened)

    # -- tables of other programs --------------------------------------------------------------------

    def _agree_on_mapping(self, wanted: MappingWanted) -> None:
        """The mapping that was agreed to for such a table before, or a question."""
        known = None if wanted.known else self.agreed.get(wanted.proposal.signature)
        if known is not None:
            self._mapped_before(wanted, known)
            return
        self._ask(wanted)

    def _mapped_before(self, wanted: MappingWanted, known: "CsvMapping") -> None:
        """Read as was agreed before; where that fails or can't be, it is asked anew."""
        path, scratch, profile = wanted.path, self.scratch, self._profile()

        def work(progress: Progress) -> "Opened | MappingWanted":
            try:
                return open_mapped(path, known, scratch, progress, self.was_read.emit, profile)
            except RecordingUnusable as wrong:
                said = say("As it was agreed before it can't be read: {why}", why=_why(wrong))
                return replace(wanted, doubts=(said, *wanted.doubts), known=True)

        self._begin(say("Reading {name}", name=path.name), work)

    def _ask(self, wanted: MappingWanted) -> None:
        from nervus.window.jobs.mapping_dialog import MappingDialog  # noqa: PLC0415 - seldom wanted

        known = self.agreed.get(wanted.proposal.signature)
        dialog = MappingDialog(wanted, self._theme(), self._window, known=known)
        dialog.agreed.connect(lambda mapping: self._agreed(wanted, mapping))
        dialog.forgotten.connect(lambda: self.agreed.forget(wanted.proposal.signature))
        dialog.open()

    def change_mapping(self, path: Path) -> None:
        """Ask again what the columns of a table are that was read as agreed before."""

        def work(_progress: Progress) -> MappingWanted:
            from nervus.tables.mapping import propose  # noqa: PLC0415 - seldom wanted

            proposal = propose(path)
            known = self.agreed.get(proposal.signature)
            return MappingWanted(
                path, replace(proposal, mapping=known or proposal.mapping), (), known=True
            )

        self._begin(say("Reading {name}", name=path.name), work)

    def _agreed(self, wanted: MappingWanted, mapping: "CsvMapping") -> None:
        self.agreed.keep(wanted.proposal.signature, mapping)
        self.mapped(wanted.path, mapping)


def _why(wrong: RecordingUnusable) -> str:
    """What is wrong, without what would be typed on a command line."""
    where = f" ({wrong.place})" if wrong.place.line is not None else ""
    return f"{wrong.wrong}{where}"
