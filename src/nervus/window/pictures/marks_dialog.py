"""Marks and remarks of a recording as a table: moved, renamed, added, taken out by keys."""

from dataclasses import dataclass, replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.errors import OutsideError
from nervus.language import figures, say
from nervus.window.station_page import quiet

_HEAD = (say("from"), say("to"), say("words"), "")
_FROM, _TO, _WORDS, _KIND = range(4)


@dataclass(frozen=True, slots=True)
class WordsAt:
    """Words about an instant or a stretch.

    Attributes:
        key: what it is; "" for something new.
        from_s, to_s: where; the same for an instant.
        text: its words.
        is_remark: whether it was said about the recording afterwards.
    """

    key: str
    from_s: float
    to_s: float
    text: str
    is_remark: bool


class MarksDialog(QDialog):
    """A row for each mark and remark.

    Signals:
        changed: all rows as they are now (`WordsAt`), those without words left out.
        shown: an instant to go to.
    """

    changed = pyqtSignal(tuple)
    shown = pyqtSignal(float)

    def __init__(
        self, rows: tuple[WordsAt, ...], at: tuple[float, float], span: tuple[float, float],
        parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        """Take over what there is.

        Args:
            rows: marks and remarks.
            at: both cursors, or twice the instant where one looks: where something new belongs.
            span: the first and the last instant of the recording.
            parent: the window.
        """
        super().__init__(parent)
        self.rows = list(rows)
        self._at, self._span = at, span
        self.setWindowTitle(say("Marks and remarks"))
        self.resize(620, 420)
        self.table = QTableWidget(0, len(_HEAD), self)
        self.table.setHorizontalHeaderLabels(_HEAD)
        self.table.setAccessibleName(say("Marks and remarks; F2 changes a cell, Delete takes a row out"))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        heads, columns = self.table.verticalHeader(), self.table.horizontalHeader()
        if heads is not None and columns is not None:
            heads.hide()
            heads.setDefaultSectionSize(32)
            columns.setSectionResizeMode(_WORDS, QHeaderView.ResizeMode.Stretch)
            columns.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.table.itemChanged.connect(self._edited)
        self.table.currentCellChanged.connect(lambda row, *_rest: self._go(row))
        self.wrong = QLabel("", self)
        self.wrong.setWordWrap(True)
        self.wrong.hide()
        self.mark = QPushButton(say("A mark here"), self)
        self.remark = QPushButton(
            say("A remark on A to B") if at[0] != at[1] else say("A remark here"), self
        )
        self.out = QPushButton(say("Take it out"), self)
        self.mark.clicked.connect(lambda: self._add(is_remark=False))
        self.remark.clicked.connect(lambda: self._add(is_remark=True))
        self.out.clicked.connect(self._take_out)
        leave = QPushButton(say("Close"), self)
        leave.clicked.connect(self.close)
        foot = QHBoxLayout()
        for button in (self.mark, self.remark, self.out):
            button.setAutoDefault(False)
            foot.addWidget(button)
        leave.setAutoDefault(False)
        foot.addStretch(1)
        foot.addWidget(leave)
        column = QVBoxLayout(self)
        column.addWidget(
            quiet(say("The file of the recording stays as it is; this is kept beside it."), self)
        )
        column.addWidget(self.table, 1)
        column.addWidget(self.wrong)
        column.addLayout(foot)
        self._list()

    def _list(self, current: WordsAt | None = None) -> None:
        self.table.blockSignals(True)  # noqa: FBT003 - Qt's own argument
        self.rows.sort(key=lambda row: row.from_s)
        self.table.setRowCount(len(self.rows))
        for number, row in enumerate(self.rows):
            to = (
                figures("{to_s:.3f} s", to_s=row.to_s) if row.is_remark and row.to_s > row.from_s else ""
            )
            cells = (
                figures("{from_s:.3f} s", from_s=row.from_s),
                to,
                row.text,
                say("remark") if row.is_remark else say("mark"),
            )
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                fixed = column == _KIND or (column == _TO and not row.is_remark)
                if fixed:
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                item.setToolTip(text)
                self.table.setItem(number, column, item)
        self.table.blockSignals(False)  # noqa: FBT003
        self.out.setEnabled(bool(self.rows))
        if current is not None:
            self.table.setCurrentCell(self.rows.index(current), _WORDS)

    def _go(self, row: int) -> None:
        if 0 <= row < len(self.rows):
            self.shown.emit(self.rows[row].from_s)

    def edit(self, key: str) -> None:
        """Begin to change the words of a row."""
        for number, row in enumerate(self.rows):
            if row.key == key:
                self.table.setCurrentCell(number, _WORDS)
                self.table.editItem(self.table.item(number, _WORDS))

    def _add(self, *, is_remark: bool) -> None:
        start, end = sorted(self._at)
        row = WordsAt("", start, end if is_remark else start, "", is_remark)
        if not is_remark:
            row = replace(row, from_s=self._at[1], to_s=self._at[1])
        self.rows.append(row)
        self._list(row)
        number = self.rows.index(row)
        self.table.setFocus()
        self.table.editItem(self.table.item(number, _WORDS))

    def _take_out(self) -> None:
        number = self.table.currentRow()
        if 0 <= number < len(self.rows):
            del self.rows[number]
            self._list()
            self._tell()

    def _edited(self, item: QTableWidgetItem) -> None:
        row = self.rows[item.row()]
        try:
            changed = self._read(row, item.column(), item.text().strip())
        except OutsideError as wrong:
            self.wrong.setText(str(wrong))
            self.wrong.show()
            self._list(row)
            return
        self.wrong.hide()
        self.rows[item.row()] = changed
        self._list(changed)
        self._tell()

    def _read(self, row: WordsAt, column: int, text: str) -> WordsAt:
        if column == _WORDS:
            return replace(row, text=text)
        if column == _TO and not text:
            return replace(row, to_s=row.from_s)
        at = self._instant(text)
        if column == _TO:
            return replace(row, from_s=min(at, row.from_s), to_s=max(at, row.from_s))
        length = row.to_s - row.from_s
        return replace(row, from_s=at, to_s=min(at + length, self._span[1]))

    def _instant(self, text: str) -> float:
        """An instant of the recording.

        Raises:
            OutsideError: it is none.
        """
        low, high = self._span
        try:
            at = float(text.removesuffix("s").strip().replace(",", "."))
        except ValueError:
            at = float("nan")
        if not low <= at <= high:
            raise OutsideError(
                say(
                    "“{text}” is no instant of the recording; accepted is {low:.3f} to {high:.3f} s.",
                    text=text[:20],
                    low=low,
                    high=high,
                )
            )
        return at

    def _tell(self) -> None:
        self.changed.emit(tuple(row for row in self.rows if row.text))
