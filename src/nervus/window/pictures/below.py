"""What lies below a picture: another recording in grey, by how much it is moved, how it differs."""

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QLabel, QWidget

from nervus.language import say
from nervus.window.elided import ElidedLabel

if TYPE_CHECKING:
    from nervus.domain.analysis import Examination
    from nervus.drawn.pictures import Under


class Below:
    """Another recording below the one that is shown.

    Attributes:
        under: it; `None` where nothing lies below.
        shift_s: by how many seconds it is later than it was recorded.
        label: its name, and how far it is moved.
        differs: how the one above differs from it over travel.
    """

    def __init__(self, parent: QWidget) -> None:
        self.under: Under | None = None
        self.shift_s = 0.0
        self.label = ElidedLabel("", parent)
        self.label.setObjectName("quiet")
        self.differs = QLabel("", parent)
        self.differs.setObjectName("quiet")
        self.differs.setWordWrap(True)
        self.differs.hide()

    def put(self, under: "Under | None", above: "Examination") -> None:
        """Lay another one below, its first sweep at the first of what is above; or the same again."""
        if under is None or self.under is None or under.recording is not self.under.recording:
            self.shift_s = under.shift_to(above) if under is not None else 0.0
        self.under = under

    def aligned(self, above: "Examination", rulers: tuple[float, ...]) -> float:
        """How far it is moved with what is at cursor B at cursor A; without cursors as it came."""
        if rulers:
            return self.shift_s + rulers[0] - rulers[1]
        return self.under.shift_to(above) if self.under is not None else 0.0

    def tell(self, *, over_time: bool) -> None:
        """Say what lies below: over time how far it is moved, over travel how the other differs."""
        differs = ""
        if self.under is None:
            self.label.setText("")
        else:
            told = say("below, in grey: {name}", name=self.under.name)
            moved = say("{told} · moved by {shift_s:+.3f} s", told=told, shift_s=self.shift_s)
            self.label.setText(moved if over_time else told)
            differs = "" if over_time else " ".join(d.text for d in self.under.differs)
        self.differs.setText(differs)
        self.differs.setVisible(bool(differs))
