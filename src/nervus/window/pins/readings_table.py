"""Readings of a plug in a table: pins, value, what would fit, and a mark where it is wrong."""

from collections.abc import Sequence
from typing import Final

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from nervus.domain.job import Reading
from nervus.judge.plug_state import Row
from nervus.language import figures, say
from nervus.window.theme import BRIGHT, Theme

_HEADS: Final = (say("black"), say("red"), say("read"), say("fits"), "")


class ReadingsTable(QTableWidget):
    """Rows of readings, the newest last.

    Signals:
        chosen: the reading that is marked.
        corrected: a reading that is to be written anew (Enter, or a double click).
    """

    chosen = pyqtSignal(object)
    corrected = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(0, len(_HEADS), parent)
        self._theme: Theme = BRIGHT
        self._rows: Sequence[Row] = ()
        self.setAccessibleName(say("Readings under these conditions"))
        self.setHorizontalHeaderLabels(list(_HEADS))
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setMinimumWidth(280)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        upright = self.verticalHeader()
        header = self.horizontalHeader()
        assert upright is not None  # noqa: S101 - a table has both
        assert header is not None  # noqa: S101 - a table has both
        upright.hide()
        upright.setDefaultSectionSize(26)
        self.setMinimumHeight(60)
        for column in range(len(_HEADS) - 1):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(True)
        self.currentCellChanged.connect(self._changed)
        self.cellActivated.connect(lambda row, _column: self.corrected.emit(self._rows[row].reading))

    @property
    def current(self) -> Reading | None:
        """The reading that is marked, else the newest."""
        row = self.currentRow()
        if not self._rows:
            return None
        return self._rows[row].reading if 0 <= row < len(self._rows) else self._rows[-1].reading

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.show_rows(self._rows)

    def show_rows(self, rows: Sequence[Row]) -> None:
        """Show these."""
        self._rows = rows
        self.blockSignals(True)  # noqa: FBT003 - Qt's own argument
        self.setRowCount(len(rows))
        for number, row in enumerate(rows):
            for column, text in enumerate(_cells(row)):
                item = QTableWidgetItem(text)
                right = Qt.AlignmentFlag.AlignRight if column in (2, 3) else Qt.AlignmentFlag.AlignLeft
                item.setTextAlignment(right | Qt.AlignmentFlag.AlignVCenter)
                item.setToolTip(f"{row.reading.where}, {row.reading.conditions}")
                if row.wrong:
                    item.setForeground(self._theme.color("inflamed"))
                self.setItem(number, column, item)
        self.clearSelection()
        self.setCurrentCell(-1, -1)
        self.blockSignals(False)  # noqa: FBT003 - Qt's own argument
        self.scrollToBottom()

    def _changed(self, row: int, _column: int, _was: int, _before: int) -> None:
        if 0 <= row < len(self._rows):
            self.chosen.emit(self._rows[row].reading)


def _cells(row: Row) -> tuple[str, ...]:
    reading = row.reading
    value = say("nothing") if reading.nothing else f"{_number(reading)} {reading.unit}"
    fits = ""
    if row.expected is not None:
        shown = row.expected if reading.signed else abs(row.expected)
        fits = figures("{shown:.2f}", shown=round(shown, 2) + 0.0)
    mark = "✗" if row.wrong else ""
    return reading.black or say("battery −"), reading.red or "", value, fits, mark  # noqa: RUF001 - a minus


def _number(reading: Reading) -> str:
    if reading.unit == "Ω":
        return figures("{value:.4g}", value=reading.value)
    return (
        figures("{value:+.2f}", value=reading.value)
        if reading.signed and reading.value < 0
        else figures("{value:.2f}", value=reading.value)
    )
