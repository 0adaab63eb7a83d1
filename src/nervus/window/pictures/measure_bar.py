"""What two cursors measure: a table under the picture, a level, and what is kept of it."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nervus.language import figures, say
from nervus.window.elided import ElidedLabel

if TYPE_CHECKING:
    from nervus.drawn.measuring import Between, BetweenValues

_HEAD = (say("Channel"), say("at A"), say("at B"), say("B less A"), say("a second"), say("below"))
_BELOW = len(_HEAD) - 1
_LOW, _TALL = 64, 132


class MeasureBar(QWidget):
    """Shows a `Between`.

    Signals:
        level_changed: the level that time is measured below, `None` for none.
        kept: what is shown is to be kept in the job.
    """

    level_changed = pyqtSignal(object)
    kept = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._name = ""
        self.between: Between | None = None
        self.told = ElidedLabel("", self)
        self.level = QLineEdit(self)
        self.level.setPlaceholderText(say("below … V"))
        self.level.setAccessibleName(say("The level that time is measured below"))
        self.level.setMaximumWidth(104)
        self.level.editingFinished.connect(self._level)
        self.copy = QPushButton(say("Copy"), self)
        self.copy.setToolTip(say("All of it as text, with units (Ctrl C)"))
        self.copy.clicked.connect(self.copy_text)
        self.keep = QPushButton(say("Keep"), self)
        self.keep.setToolTip(say("Keep it in the job as a remark (K)"))
        self.keep.clicked.connect(lambda: self.kept.emit(self.between))
        self.table = QTableWidget(0, len(_HEAD), self)
        self.table.setHorizontalHeaderLabels(_HEAD)
        self.table.setAccessibleName(say("Values at both cursors"))
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setMinimumHeight(_LOW)
        self.table.setMaximumHeight(_TALL)
        rows, columns = self.table.verticalHeader(), self.table.horizontalHeader()
        if rows is not None and columns is not None:
            rows.hide()
            rows.setDefaultSectionSize(26)
            columns.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            columns.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
            columns.setMinimumSectionSize(60)
            columns.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        row = QHBoxLayout()
        row.addWidget(self.told, 1)
        for widget in (self.level, self.copy, self.keep):
            row.addWidget(widget)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(row)
        column.addWidget(self.table)
        self.hide()

    def show_between(self, name: str, found: "Between") -> None:
        """Show what lies between both cursors."""
        self._name, self.between = name, found
        apart = found.second_s - found.first_s
        told = figures(
            "A {first_s:.3f} s · B {second_s:.3f} s · {apart:+.4f} s",
            first_s=found.first_s,
            second_s=found.second_s,
            apart=apart,
        )
        if found.travel[0] is not None and found.travel[1] is not None:
            told += say(
                " · travel {travel:.1f} to {travel_:.1f} %",
                travel=found.travel[0],
                travel_=found.travel[1],
            )
        self.told.setText(say("{told} · {events} events", told=told, events=found.events))
        self.table.setColumnHidden(_BELOW, found.level is None)
        self.table.setRowCount(len(found.rows))
        for number, row in enumerate(found.rows):
            for column, text in enumerate(_cells(row)):
                self.table.setItem(number, column, QTableWidgetItem(text))

    def copy_text(self) -> None:
        """All of it as text, with units."""
        board = QApplication.clipboard()
        if self.between is not None and board is not None:
            board.setText(self.between.text(self._name))

    def _level(self) -> None:
        text = self.level.text().strip().replace(",", ".").removesuffix("V").strip()
        try:
            level = float(text) if text else None
        except ValueError:
            self.level.clear()
            level = None
        self.level_changed.emit(level)


def _cells(row: "BetweenValues") -> tuple[str, ...]:
    def told(value: float | None, unit: str, *, sign: bool = False) -> str:
        if value is None:
            return ""
        return (
            figures("{value:+.3g} {unit}", value=value, unit=unit)
            if sign
            else figures("{value:.4g} {unit}", value=value, unit=unit)
        )

    return (
        row.title,
        told(row.first, row.unit),
        told(row.second, row.unit),
        told(row.difference, row.unit, sign=True),
        told(row.rate, f"{row.unit}/s", sign=True),
        figures("{below:.1f} %", below=100 * row.below) if row.below is not None else "",
    )
