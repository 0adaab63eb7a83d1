"""As it stands: the nerve and the judgement, of whatever is looked at."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from nervus.domain.channel import Recording
from nervus.domain.job import Vehicle
from nervus.window.pictures.judgement_panel import JudgementPanel
from nervus.window.pictures.nerve import Nerve
from nervus.window.pictures.nerve_way import throttle_of
from nervus.window.theme import Theme

if TYPE_CHECKING:
    from nervus.domain.analysis import Judgement


class Standing(QObject):
    """Keeps the two together.

    Signals:
        wanted: a stretch was asked about while the judgement was folded away.
    """

    wanted = pyqtSignal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.nerve, self.judgement = Nerve(), JudgementPanel()
        self.nerve.stretch_chosen.connect(self._chosen)
        self.judgement.back.clicked.connect(lambda: self.nerve.choose(None))

    def show(
        self, judgement: "Judgement | None", vehicle: Vehicle | None, recording: Recording | None
    ) -> None:
        """Show a judgement, or none, on the throttle of a vehicle or a recording."""
        kind, tracks = throttle_of(vehicle, recording)
        suspicion = judgement.stretches if judgement is not None else ()
        mended = judgement is not None and judgement.mended
        self.nerve.show_way(kind, tracks, suspicion, mended=mended)
        if judgement is None:
            self.judgement.show_nothing()
        else:
            self.judgement.show_judgement(judgement)

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.nerve.apply_theme(theme)
        self.judgement.apply_theme(theme)

    def _chosen(self, stretch_id: str) -> None:
        self.judgement.show_stretch(stretch_id)
        if not self.judgement.isVisible():
            self.wanted.emit()
