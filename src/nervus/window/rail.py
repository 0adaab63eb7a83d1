"""The rail of stations: the order of work, no wizard; ticked where something is, or is proved."""

from collections.abc import Iterable
from typing import Final

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFont, QFontMetrics
from PyQt6.QtWidgets import QApplication, QButtonGroup, QPushButton, QVBoxLayout, QWidget

from nervus.domain.job import (
    AnyEntry,
    Change,
    CodeSet,
    Complaint,
    Decision,
    Job,
    Look,
    Moved,
    Reading,
    Recorded,
)
from nervus.language import say

_LEAST_WIDTH, _BESIDE, _FONT_PX = 122, 30, 15
"""Of the rail; what stands beside the text in a row of it; its letters, in pixels."""
JOBS: Final = "jobs"
STATIONS: Final = (
    ("complaint", say("Complaint"), Complaint),
    ("codes", say("Codes"), CodeSet),
    ("look", say("Look"), Look),
    ("record", say("Record"), Recorded),
    ("pins", say("Pins"), Reading),
    ("decide", say("Decide"), Decision),
    ("mend", say("Mend"), Change),
    ("prove", say("Prove"), Moved),
)
"""Name, words, and the kind of entry that puts a tick to it, in the order of work."""


class Rail(QWidget):
    """The stations from top to bottom.

    Signals:
        chosen: the name of a station, or `jobs`.
    """

    chosen = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.buttons: dict[str, QPushButton] = {}
        self._group = QButtonGroup(self)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 10, 1, 8)
        column.setSpacing(2)
        rows = [(JOBS, say("All jobs")), *((name, words) for name, words, _ in STATIONS)]
        for number, (name, words) in enumerate(rows):
            button = QPushButton("", self)
            button.setObjectName("station-button")
            button.setCheckable(True)
            button.setToolTip(say("Alt {number}", number=number))
            button.setAccessibleName(words)
            button.clicked.connect(lambda _on, name=name: self.chosen.emit(name))
            self._group.addButton(button)
            self.buttons[name] = button
            column.addWidget(button)
            if name == JOBS:
                column.addSpacing(8)
        column.addStretch(1)
        self.setFixedWidth(max(_LEAST_WIDTH, _longest(words for _, words in rows) + _BESIDE))
        self.show_job(None)

    def show_job(self, job: Job | None) -> None:
        """Put a tick to each station that holds something."""
        entries: tuple[AnyEntry, ...] = job.entries if job is not None else ()
        for number, (name, words, kind) in enumerate(STATIONS, start=1):
            there = any(isinstance(entry, kind) for entry in entries)
            if kind is Moved:
                there = job is not None and job.is_proved
            self.buttons[name].setText(f"{'✓' if there else number}   {words}")
            self.buttons[name].setAccessibleDescription(
                say("holds something") if there else say("empty")
            )
        self.buttons[JOBS].setText(say("←   All jobs"))

    def show_station(self, name: str) -> None:
        """Mark where one is."""
        self.buttons[name].setChecked(True)


def _longest(words: Iterable[str]) -> int:
    """How wide the longest row is when it is chosen, which is bold, in pixels."""
    font = QFont(QApplication.font())
    font.setPixelSize(_FONT_PX)
    font.setBold(True)
    metrics = QFontMetrics(font)
    return max(metrics.horizontalAdvance(f"8   {text}") for text in words)
