"""What each column of another program's table is: proposed, shown as understood, corrected."""

from typing import TYPE_CHECKING

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

from nervus.domain.channel import CHANNEL_KINDS, OTHER
from nervus.knowledge.columns import columns
from nervus.language import say
from nervus.tables.mapping import CLOCK, DATE, IGNORE, MARK, MINUTES, TIME, Column, CsvMapping, problem
from nervus.window.jobs.mapping_preview import MappingPreview
from nervus.window.station_page import quiet
from nervus.window.theme import Theme

if TYPE_CHECKING:
    from nervus.window.jobs.opening import MappingWanted

_HEADS = (say("column"), say("is"), say("in"), say("as written"), say("as understood"))
_WRITTEN, _UNDERSTOOD = 3, 4
_SHOWN_ROWS = 3
# Pixels of a column of the dialog: a long name leaves room for what it is understood as.
_NARROWEST, _WIDEST = 72, 240
_MARKS = {
    ";": say("semicolons"),
    ",": say("commas"),
    "\t": say("tabulators"),
    "|": say("bars"),
    " ": say("spaces"),
}
_STAMPS = ((CLOCK, say("time of day")), (MINUTES, say("minutes and seconds")), (DATE, say("a date")))
_ORDERS = (("", say("as is possible")), ("day", say("day first")), ("month", say("month first")))


class MappingDialog(QDialog):
    """Agrees on a mapping.

    Signals:
        agreed: the mapping to read with; it is remembered for the next file of its kind.
        forgotten: what was agreed to for such tables is to be asked again.
    """

    agreed = pyqtSignal(object)
    forgotten = pyqtSignal()

    def __init__(
        self,
        wanted: "MappingWanted",
        theme: Theme,
        parent: QWidget | None = None,
        *,
        known: CsvMapping | None = None,
    ) -> None:
        super().__init__(parent)
        self._mapping = wanted.proposal.mapping
        self._rows = wanted.proposal.rows
        self.setWindowTitle(say("Which column is what?"))
        self.resize(1040, 700)
        self.told = QLabel(
            say(
                "{name} was made by another program. What is proposed can be corrected.",
                name=wanted.path.name,
            ),
            self,
        )
        self.told.setWordWrap(True)
        self.told.setObjectName("station")
        self.facts = quiet(self._facts(), self)
        self.doubts = QLabel("\n".join(_sentence(d) for d in wanted.doubts), self)
        self.doubts.setWordWrap(True)
        self.doubts.setObjectName("caution")
        self.doubts.setVisible(bool(wanted.doubts))
        self.table = QTableWidget(len(self._mapping.columns), len(_HEADS), self)
        self.channels: list[QComboBox] = []
        self.units: list[QComboBox] = []
        self.rate, self.dates = QDoubleSpinBox(self), QComboBox(self)
        self.preview = MappingPreview(theme, self)
        self.problem = quiet("", self)
        self.problem.setObjectName("caution")
        self.read, self.leave = QPushButton(say("Read it so"), self), QPushButton(say("Leave it"), self)
        self.forget = QPushButton(say("Forget what was agreed to"), self)
        self.forget.setVisible(known is not None)
        self.read.setObjectName("primary")
        self._fill()
        self._lay_out()
        self.read.clicked.connect(self._agree)
        self.leave.clicked.connect(self.reject)
        self.forget.clicked.connect(self._forget)
        self._check()

    def _facts(self) -> str:
        mapping = self._mapping
        thousands = (
            say(", thousands parted by “{thousands}”", thousands=mapping.thousands)
            if mapping.thousands
            else ""
        )
        return say(
            "Columns parted by {get}, decimal {value}{thousands}; numbers from line {skip} on.",
            get=_MARKS.get(mapping.delimiter, mapping.delimiter),
            value=say("comma") if mapping.decimal == "," else say("point"),
            thousands=thousands,
            skip=mapping.skip + 1,
        )

    def _fill(self) -> None:
        self.table.setHorizontalHeaderLabels(list(_HEADS))
        self.table.setAccessibleName(say("Columns of the table"))
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setTabKeyNavigation(False)
        header, side = self.table.horizontalHeader(), self.table.verticalHeader()
        assert header is not None  # noqa: S101 - a table has both
        assert side is not None  # noqa: S101
        side.hide()
        side.setDefaultSectionSize(42)
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setMaximumSectionSize(_WIDEST)
        header.setMinimumSectionSize(_NARROWEST)
        for place in (_WRITTEN, _UNDERSTOOD):
            header.setSectionResizeMode(place, QHeaderView.ResizeMode.Stretch)
        for number, column in enumerate(self._mapping.columns):
            name = QTableWidgetItem(column.name or say("column {number}", number=number + 1))
            name.setToolTip(column.name)
            self.table.setItem(number, 0, name)
            channel, unit = _channel_box(column, self), _unit_box(column, self)
            for place, box in ((1, channel), (2, unit)):
                box.currentIndexChanged.connect(lambda _now: self._check())
                self.table.setCellWidget(number, place, box)
            self.channels.append(channel)
            self.units.append(unit)
            cells = ", ".join(row[number] or "–" for row in self._rows[:_SHOWN_ROWS])  # noqa: RUF001
            self.table.setItem(number, _WRITTEN, QTableWidgetItem(cells))
            self.table.setItem(number, _UNDERSTOOD, QTableWidgetItem(""))

    def _lay_out(self) -> None:
        self.rate.setRange(0.0, 1e6)
        self.rate.setDecimals(3)
        self.rate.setSuffix(say(" a second"))
        self.rate.setSpecialValueText(say("as the time column says"))
        self.rate.setValue(self._mapping.rate_hz or 0.0)
        self.rate.setAccessibleName(say("Samples a second, where no column is the time"))
        self.rate.setMinimumHeight(36)
        self.rate.valueChanged.connect(lambda _now: self._check())
        for order, words in _ORDERS:
            self.dates.addItem(words, order)
        self.dates.setCurrentIndex(max(0, self.dates.findData(self._mapping.dates)))
        self.dates.setAccessibleName(say("Which number comes first in a date"))
        self.dates.setMinimumHeight(36)
        self.dates.currentIndexChanged.connect(lambda _now: self._check())
        more, buttons = QHBoxLayout(), QHBoxLayout()
        for name, box in ((say("Samples"), self.rate), (say("Dates"), self.dates)):
            more.addWidget(QLabel(name, self))
            more.addWidget(box)
            more.addSpacing(20)
        more.addStretch(1)
        buttons.addWidget(self.forget)
        buttons.addStretch(1)
        buttons.addWidget(self.leave)
        buttons.addWidget(self.read)
        column = QVBoxLayout(self)
        column.setSpacing(10)
        shown: tuple[tuple[QWidget, int], ...] = (
            (self.told, 0), (self.doubts, 0), (self.facts, 0), (self.table, 3), (self.preview, 2),
        )  # fmt: skip
        for widget, stretch in shown:
            column.addWidget(widget, stretch)
        column.addLayout(more)
        column.addWidget(self.problem)
        column.addLayout(buttons)

    @property
    def mapping(self) -> CsvMapping:
        """As it stands now."""
        chosen = tuple(
            Column(c.name, str(unit.currentData()), str(channel.currentData()))
            for c, channel, unit in zip(self._mapping.columns, self.channels, self.units, strict=True)
        )
        return replace(
            self._mapping,
            columns=chosen,
            rate_hz=self.rate.value() or None,
            dates=str(self.dates.currentData()),
        )

    def _check(self) -> None:
        mapping = self.mapping
        wrong = problem(mapping)
        if wrong:
            self.preview.show_nothing()
        else:
            wrong = self.preview.show_rows(mapping, self._rows)
        for number, words in enumerate(self.preview.understood(mapping, _SHOWN_ROWS)):
            item = self.table.item(number, _UNDERSTOOD)
            if item is not None:
                item.setText(words)
        self.problem.setText(wrong)
        self.problem.setVisible(bool(wrong))
        self.read.setEnabled(not wrong)

    def _agree(self) -> None:
        self.agreed.emit(self.mapping)
        self.accept()

    def _forget(self) -> None:
        self.forgotten.emit()
        self.reject()


def _channel_box(column: Column, parent: QWidget) -> QComboBox:
    box = QComboBox(parent)
    box.setAccessibleName(say("What “{name}” is", name=column.name))
    box.addItem(say("left out"), IGNORE)
    box.addItem(say("the time"), TIME)
    box.addItem(say("marks in words"), MARK)
    box.addItem(say("kept, not judged"), OTHER)
    for kind in CHANNEL_KINDS.values():
        box.addItem(f"{kind.title}, {kind.unit}", kind.id)
    box.setCurrentIndex(box.findData(column.channel))
    return box


def _unit_box(column: Column, parent: QWidget) -> QComboBox:
    box = QComboBox(parent)
    box.setAccessibleName(say("The unit of “{name}”", name=column.name))
    box.addItem(say("as it should be"), "")
    for stamp, words in _STAMPS:
        box.addItem(words, stamp)
    for row in columns().unit:
        box.addItem(row.unit, row.unit)
    if column.unit and box.findData(column.unit) < 0:  # of what is kept by its own name
        box.addItem(column.unit, column.unit)
    box.setCurrentIndex(max(0, box.findData(column.unit)))
    return box


def _sentence(words: str) -> str:
    return f"{words[:1].upper()}{words[1:].rstrip('.')}."
