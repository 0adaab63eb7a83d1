"""Which recording to lay below the one that is open: any of the logbook's, or a file."""

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.channel import Mark
from nervus.domain.job_list import HeldRecording
from nervus.language import figures, say
from nervus.window.jobs.opening import KeptFile
from nervus.window.station_page import quiet


class PickRecording(QDialog):
    """A list to search in; known good ones stand first.

    Signals:
        chosen: what is to be read (`KeptFile`).
    """

    chosen = pyqtSignal(object)

    def __init__(
        self, held: list[HeldRecording], files: Path, without: str, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._files = files
        self.setWindowTitle(say("Lay below"))
        self.resize(620, 480)
        self.search = QLineEdit(self)
        self.search.setPlaceholderText(say("find a vehicle, a recording, a day …"))
        self.search.setAccessibleName(say("Find a recording"))
        self.search.setMinimumHeight(36)
        self.search.textChanged.connect(self._filter)
        self.list = QListWidget(self)
        self.list.setAccessibleName(say("Recordings; Enter lays one below"))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setWordWrap(True)
        self.list.itemActivated.connect(lambda _item: self._take())
        for one in held:
            if one.recorded.id != without:
                item = QListWidgetItem(_told(one), self.list)
                item.setData(Qt.ItemDataRole.UserRole, one)
        self.list.setCurrentRow(0)
        take = QPushButton(say("Lay it below"), self)
        take.setObjectName("primary")
        take.setEnabled(self.list.count() > 0)
        take.clicked.connect(self._take)
        file = QPushButton(say("From a file …"), self)
        file.clicked.connect(self._ask_for_file)
        leave = QPushButton(say("Leave it"), self)
        leave.clicked.connect(self.close)
        for button in (take, file, leave):
            button.setAutoDefault(False)
        row = QHBoxLayout()
        row.addWidget(take)
        row.addWidget(file)
        row.addStretch(1)
        row.addWidget(leave)
        column = QVBoxLayout(self)
        column.addWidget(self.search)
        column.addWidget(self.list, 1)
        if not self.list.count():
            column.addWidget(
                quiet(say("No other recording is in the logbook; a file can be laid below."), self)
            )
        column.addLayout(row)

    def _filter(self, text: str) -> None:
        words = text.casefold().split()
        first = None
        for number in range(self.list.count()):
            item = self.list.item(number)
            if item is not None:
                hidden = not all(word in item.text().casefold() for word in words)
                item.setHidden(hidden)
                first = number if first is None and not hidden else first
        self.list.setCurrentRow(-1 if first is None else first)

    def _take(self) -> None:
        item = self.list.currentItem()
        if item is None:
            return
        row: HeldRecording = item.data(Qt.ItemDataRole.UserRole)
        marks = None
        if row.marks is not None:
            marks = tuple(Mark(m.time_s, m.text) for m in row.marks.marks)
        name = f"{row.recorded.name} · {row.vehicle}" if row.vehicle else row.recorded.name
        self.chosen.emit(KeptFile(self._files / row.recorded.file, name, marks, row.profile))
        self.close()

    def _ask_for_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, say("Lay a recording below"), "")
        if name:
            self.chosen.emit(KeptFile(Path(name), Path(name).name))
            self.close()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        keys = (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if event is not None and event.key() in keys:
            self._take()
        elif event is not None and event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self.list.setFocus()
        else:
            super().keyPressEvent(event)


def _told(row: HeldRecording) -> str:
    recorded = row.recorded
    good = ""
    if row.known_good is not None:
        good = say("★ known good{value}: ", value=f", {row.known_good}" if row.known_good else "")
    when = figures("{at:%d %b %Y %H:%M}", at=recorded.at.astimezone())
    return figures(
        "{good}{value}\n{name} · {duration_s:.0f} s · {when}",
        good=good,
        value=row.vehicle or say("no name yet"),
        name=recorded.name,
        duration_s=recorded.duration_s,
        when=when,
    )
