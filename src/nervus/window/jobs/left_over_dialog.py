"""Recordings that are in no job: cut off by a kill or a power cut, or never put into one."""

from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nervus.files.journal import left_over, put_away
from nervus.language import figures, say

_HINT = say(
    "Each holds all but the last moment before it ended. Open one to look at it "
    "and begin a job with it; put away what nobody wants: it goes into a folder "
    "beside, and nothing is deleted."
)


class LeftOverDialog(QDialog):
    """Lists them, the newest first.

    Signals:
        open_wanted: the file that is to be opened.
        told: a sentence about what could not be done.
    """

    open_wanted = pyqtSignal(object)
    told = pyqtSignal(str)

    def __init__(self, folder: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._folder = folder
        self.setWindowTitle(say("Recordings in no job"))
        self.resize(720, 380)
        hint = QLabel(_HINT, self)
        hint.setWordWrap(True)
        hint.setObjectName("quiet")
        self.list = QListWidget(self)
        self.list.setAccessibleName(say("Recordings in no job"))
        self.list.itemActivated.connect(lambda _item: self._open())
        self.open_one = QPushButton(say("Open"), self)
        self.open_one.setObjectName("primary")
        self.away, self.leave = QPushButton(say("Put away"), self), QPushButton(say("Close"), self)
        self.open_one.clicked.connect(self._open)
        self.away.clicked.connect(self._put_away)
        self.leave.clicked.connect(self.close)
        buttons = QHBoxLayout()
        for button in (self.open_one, self.away):
            buttons.addWidget(button)
        buttons.addStretch(1)
        buttons.addWidget(self.leave)
        column = QVBoxLayout(self)
        column.setSpacing(10)
        column.addWidget(hint)
        column.addWidget(self.list, 1)
        column.addLayout(buttons)
        self._fill()

    def _fill(self) -> None:
        self.list.clear()
        for path in reversed(left_over(self._folder)):
            try:
                about = path.stat()
            except FileNotFoundError:
                continue  # another window has put it away since
            when = datetime.fromtimestamp(about.st_mtime).astimezone()
            size = (
                figures("{st_size:.1f} MB", st_size=about.st_size / 1000000.0)
                if about.st_size >= 100_000
                else say("{size} bytes", size=about.st_size)
            )
            item = QListWidgetItem(
                say(
                    "{stem} · ended {when:%d %b %Y %H:%M} · {size}", stem=path.stem, when=when, size=size
                ),
                self.list,
            )
            item.setData(Qt.ItemDataRole.UserRole, path)
            item.setToolTip(str(path))
        self.list.setCurrentRow(0)
        for button in (self.open_one, self.away):
            button.setEnabled(self.list.count() > 0)

    def _chosen(self) -> Path | None:
        item = self.list.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item is not None else None

    def _open(self) -> None:
        path = self._chosen()
        if path is not None:
            self.open_wanted.emit(path)
            self.close()

    def _put_away(self) -> None:
        path = self._chosen()
        if path is None:
            return
        try:
            put_away(path)
        except OSError as wrong:
            self.told.emit(
                say("{name} can't be put away: {strerror}.", name=path.name, strerror=wrong.strerror)
            )
        self._fill()
