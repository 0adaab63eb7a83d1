"""What a recording could not have shown, under its picture: a long text scrolls there."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QScrollArea, QSizePolicy, QWidget

from nervus.language import say
from nervus.window.station_page import quiet

if TYPE_CHECKING:
    from nervus.domain.analysis import Analysis

# Of the height of what it stands in it takes this share at most.
_SHARE = 0.22


class Limits(QScrollArea):
    """A text as high as it needs to be, up to a share of what it stands in; then keys scroll it too."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._words, self._most = quiet("", self), 0
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName(say("what the recording could not have shown"))
        self.setWidget(self._words)
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def text(self) -> str:
        """What it says."""
        return self._words.text()

    def show_analysis(self, analysis: "Analysis") -> None:
        """Say what ties its events together, and what it could not have shown."""
        ties = (c.examination.locality for c in analysis.causes)
        texts = [tie.text for tie in ties if tie.events]
        self.show_text(" ".join((*texts, analysis.examination.coverage.text)))

    def show_text(self, text: str) -> None:
        """Say something else."""
        self._words.setText(text)
        self._fit()

    def give(self, height: int) -> None:
        """Say how high what it stands in is."""
        self._most = int(_SHARE * height)
        self._fit()

    def hasHeightForWidth(self) -> bool:
        """A wider text is lower."""
        return True

    def heightForWidth(self, width: int) -> int:
        """What its words need, or as much as it may have."""
        return min(self._needs(width), self._most)

    def sizeHint(self) -> QSize:
        """As wide as its words would like to be."""
        return QSize(self._words.sizeHint().width(), self.heightForWidth(self.width()))

    def minimumSizeHint(self) -> QSize:
        """What is narrower is higher."""
        return QSize(0, 0)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Whether it scrolls depends on how wide it is."""
        super().resizeEvent(event)
        self._fit()

    def _needs(self, width: int) -> int:
        return self._words.heightForWidth(width) if self._words.text() else 0

    def _fit(self) -> None:
        scrolls = self._needs(self.width()) > self._most
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus if scrolls else Qt.FocusPolicy.NoFocus)
        self.updateGeometry()
