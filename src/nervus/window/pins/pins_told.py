"""What the readings at a plug say together: sentences, the most urgent first."""

from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QWidget

from nervus.judge.next_pair import PinFaults
from nervus.judge.plug_told import Kind
from nervus.judge.words import natural_frequency
from nervus.language import say
from nervus.window.pins.pins_solver import Answer

_MARKS: Final = {Kind.WRONG: "✗", Kind.OPEN: "○", Kind.GOOD: "✓"}
# The fault of a circuit in which there is none; so many of the others are named.
_NOTHING: Final = "nothing"
_MOST_NAMED: Final = 3


class WhatReadingsSay(QListWidget):
    """One row for each sentence, and one for the faults that fit the readings alone."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(say("What the readings say together"))
        self.setWordWrap(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumHeight(44)

    def show_answer(self, answer: Answer) -> None:
        """Show what a plug comes to."""
        self.clear()
        for told in answer.state.told:
            item = QListWidgetItem(f"{_MARKS[told.kind]}  {told.text}", self)
            item.setData(Qt.ItemDataRole.UserRole, told.entries)
        fit = _fitting(answer.faults) if answer.faults is not None else ""
        if fit:
            QListWidgetItem(fit, self)


def _fitting(faults: PinFaults) -> str:
    """Which faults the readings at the pins fit; "" where they tell of none."""
    named = [f for f in faults.fitting if f.id != _NOTHING][:_MOST_NAMED]
    if not faults.readings or not named:
        return ""
    rest = next((f.chance for f in faults.fitting if f.id == _NOTHING), 0.0)
    words = "; ".join(f"{f.text} ({natural_frequency(f.chance)})" for f in named)
    if rest > 0.5:
        words = say(
            "nothing that shows now ({natural_frequency}); else {words}",
            natural_frequency=natural_frequency(rest),
            words=words,
        )
    return say("→  Readings at the pins alone fit {words}.", words=words)
