"""Stations that are a row of entries and one line to write another: pins, decision, repair, proof."""

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QWidget,
)

from nervus.domain.errors import OutsideError
from nervus.domain.job import (
    AnyEntry,
    Job,
)
from nervus.judge.entry_words import told
from nervus.language import figures, say
from nervus.window.station_page import StationPage, quiet

_WATCH_DAYS = 14


class EntriesPage(StationPage):
    """A list of certain entries, the newest last, and what is needed to write one more.

    Signals:
        told_wrong: a sentence about what can't be taken as an entry.
    """

    told_wrong = pyqtSignal(str)

    def __init__(
        self, title: str, hint: str, kinds: tuple[type, ...], parent: QWidget | None = None
    ) -> None:
        super().__init__(title, hint, parent)
        self._kinds = kinds
        self.list = QListWidget(self)
        self.list.setAccessibleName(title)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.nothing = quiet(say("Nothing is written here yet."), self)
        self.remove = QPushButton(say("Take out"), self)
        self.remove.clicked.connect(self._take_out)
        self.column.addWidget(self.nothing)
        self.column.addWidget(self.list, 1)

    def show_job(self, job: Job) -> None:
        super().show_job(job)
        row = self.list.currentRow()
        self.list.clear()
        for entry in job.entries:
            if isinstance(entry, self._kinds):
                item = QListWidgetItem(
                    figures("{at:%d %b %H:%M}   ", at=entry.at.astimezone()) + told(entry), self.list
                )
                item.setData(Qt.ItemDataRole.UserRole, entry)
                item.setToolTip(f"{told(entry)} ({entry.source})")
        some = self.list.count() > 0
        self.list.setVisible(some)
        self.nothing.setVisible(not some)
        self.remove.setEnabled(some)
        self.list.setCurrentRow(min(row, self.list.count() - 1) if row >= 0 else self.list.count() - 1)

    def _take_out(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.taken_out.emit(item.data(Qt.ItemDataRole.UserRole))


class WrittenPage(EntriesPage):
    """Entries of one kind, written in one line."""

    def __init__(
        self,
        title: str,
        hint: str,
        words: str,
        make: Callable[[str], AnyEntry],
        kind: type,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(title, hint, (kind,), parent)
        self._make = make
        self.line = QLineEdit(self)
        self.line.setAccessibleName(say("Write: {title}", title=title))
        self.line.setPlaceholderText(words)
        self.line.setMinimumHeight(36)
        self.line.returnPressed.connect(self._write)
        row = QHBoxLayout()
        row.addWidget(self.line, 1)
        row.addWidget(self.remove)
        self.column.addLayout(row)

    def begin(self) -> None:
        self.line.setFocus(Qt.FocusReason.TabFocusReason)

    def prepare(self, how: str, text: str) -> None:
        super().prepare(how, text)
        if text and not self.line.text().strip():
            self.line.setText(text)

    def _write(self) -> None:
        text = self.line.text().strip()
        if not text:
            return
        try:
            entry = self._make(text)
        except OutsideError as wrong:
            self.told_wrong.emit(str(wrong))
            return
        self.line.clear()
        self.put.emit(entry)
