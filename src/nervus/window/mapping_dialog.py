"""What each column of another program's table is: proposed, shown with its first rows, corrected."""

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDoubleSpinBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.channel import CHANNEL_KINDS
from nervus.knowledge.columns import columns
from nervus.tables.mapping import CLOCK, IGNORE, TIME, Column, CsvMapping, Proposal, problem
from nervus.window.station_page import quiet

_HEADS = ("column", "is", "in", "first rows")
_SHOWN_ROWS = 4


class MappingDialog(QDialog):
    """Agrees on a mapping.

    Signals:
        agreed: the mapping to read with; it is remembered for the next file of its kind.
    """

    agreed = pyqtSignal(object)

    def __init__(self, name: str, proposal: Proposal, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._proposal = proposal
        self.setWindowTitle("Which column is what?")
        self.resize(820, 520)
        mapping = proposal.mapping
        marks = {";": "semicolon", ",": "comma", "\t": "tabulator", "|": "bar"}
        self.told = QLabel(
            f"{name} was made by another program. What is proposed can be corrected.", self
        )
        self.told.setWordWrap(True)
        self.told.setObjectName("station")
        facts = (
            f"Columns parted by {marks[mapping.delimiter]}, decimal "
            f"{'comma' if mapping.decimal == ',' else 'point'}; numbers from line {mapping.skip + 1} on."
        )
        self.facts = quiet(facts, self)
        self.table = QTableWidget(len(mapping.columns), len(_HEADS), self)
        self.channels: list[QComboBox] = []
        self.units: list[QComboBox] = []
        self.rate = QDoubleSpinBox(self)
        self.problem = quiet("", self)
        self.problem.setObjectName("caution")
        self.read, self.leave = QPushButton("Read it so", self), QPushButton("Leave it", self)
        self.read.setObjectName("primary")
        self._fill(mapping, proposal.rows)
        self._lay_out()
        self.read.clicked.connect(self._agree)
        self.leave.clicked.connect(self.reject)
        self._check()

    def _fill(self, mapping: CsvMapping, rows: tuple[tuple[str, ...], ...]) -> None:
        self.table.setHorizontalHeaderLabels(list(_HEADS))
        self.table.setAccessibleName("Columns of the table")
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setTabKeyNavigation(False)
        header, side = self.table.horizontalHeader(), self.table.verticalHeader()
        assert header is not None  # noqa: S101 - a table has both
        assert side is not None  # noqa: S101
        side.hide()
        side.setDefaultSectionSize(42)
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(3, QHeaderView.ResizeMode.Stretch)
        for number, column in enumerate(mapping.columns):
            self.table.setItem(number, 0, QTableWidgetItem(column.name or f"column {number + 1}"))
            channel, unit = QComboBox(self), QComboBox(self)
            channel.setAccessibleName(f"What “{column.name}” is")
            channel.addItem("left out", IGNORE)
            channel.addItem("the time", TIME)
            for kind in CHANNEL_KINDS.values():
                channel.addItem(f"{kind.title}, {kind.unit}", kind.id)
            channel.setCurrentIndex(channel.findData(column.channel))
            unit.setAccessibleName(f"The unit of “{column.name}”")
            unit.addItem("as it should be", "")
            unit.addItem("time of day", CLOCK)
            for row in columns().unit:
                unit.addItem(row.unit, row.unit)
            unit.setCurrentIndex(max(0, unit.findData(column.unit)))
            for place, box in ((1, channel), (2, unit)):
                box.currentIndexChanged.connect(lambda _now: self._check())
                self.table.setCellWidget(number, place, box)
            self.channels.append(channel)
            self.units.append(unit)
            cells = ", ".join(row[number] for row in rows[:_SHOWN_ROWS] if number < len(row))
            self.table.setItem(number, 3, QTableWidgetItem(cells))

    def _lay_out(self) -> None:
        self.rate.setRange(0.0, 1e6)
        self.rate.setDecimals(3)
        self.rate.setSuffix(" a second")
        self.rate.setSpecialValueText("as the time column says")
        self.rate.setAccessibleName("Samples a second, where no column is the time")
        self.rate.setMinimumHeight(36)
        self.rate.valueChanged.connect(lambda _now: self._check())
        rate, buttons = QHBoxLayout(), QHBoxLayout()
        rate.addWidget(QLabel("Samples", self))
        rate.addWidget(self.rate)
        rate.addStretch(1)
        buttons.addStretch(1)
        buttons.addWidget(self.leave)
        buttons.addWidget(self.read)
        column = QVBoxLayout(self)
        column.setSpacing(10)
        for widget in (self.told, self.facts, self.table):
            column.addWidget(widget, 1 if widget is self.table else 0)
        column.addLayout(rate)
        column.addWidget(self.problem)
        column.addLayout(buttons)

    @property
    def mapping(self) -> CsvMapping:
        """As it stands now."""
        before = self._proposal.mapping
        chosen = tuple(
            Column(c.name, str(unit.currentData()), str(channel.currentData()))
            for c, channel, unit in zip(before.columns, self.channels, self.units, strict=True)
        )
        return replace(before, columns=chosen, rate_hz=self.rate.value() or None)

    def _check(self) -> None:
        wrong = problem(self.mapping)
        self.problem.setText(wrong)
        self.problem.setVisible(bool(wrong))
        self.read.setEnabled(not wrong)

    def _agree(self) -> None:
        self.agreed.emit(self.mapping)
        self.accept()
