"""Which channels are drawn over time: a list to search in, each shown or hidden."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.channel import Recording


class ChannelsDialog(QDialog):
    """Every channel of a recording with a tick; the picture follows at once.

    Signals:
        chosen: identifiers of what is to be drawn.
    """

    chosen = pyqtSignal(tuple)

    def __init__(
        self,
        recording: Recording,
        shown: tuple[str, ...],
        usual: tuple[str, ...],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Channels")
        self.resize(420, 520)
        self._usual = usual
        self.search = QLineEdit(self)
        self.search.setPlaceholderText("find a channel or a unit …")
        self.search.setAccessibleName("Find a channel")
        self.search.setMinimumHeight(36)
        self.search.textChanged.connect(self._filter)
        self.list = QListWidget(self)
        self.list.setAccessibleName("Channels; space shows or hides one")
        for channel in recording.channels:
            item = QListWidgetItem(
                f"{channel.kind.title}, {channel.kind.unit}   {channel.id}", self.list
            )
            item.setData(Qt.ItemDataRole.UserRole, channel.id)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(_tick(shown=channel.id in shown))
        self.list.itemChanged.connect(lambda _item: self.chosen.emit(self.shown))
        usual_again = QPushButton("As usual", self)
        usual_again.setAutoDefault(False)
        usual_again.clicked.connect(lambda: self._tick_all(self._usual))
        everything = QPushButton("All", self)
        everything.setAutoDefault(False)
        everything.clicked.connect(lambda: self._tick_all(tuple(c.id for c in recording.channels)))
        leave = QPushButton("Close", self)
        leave.setAutoDefault(False)
        leave.clicked.connect(self.close)
        row = QHBoxLayout()
        for button in (usual_again, everything):
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(leave)
        column = QVBoxLayout(self)
        column.addWidget(self.search)
        column.addWidget(self.list, 1)
        column.addLayout(row)

    @property
    def shown(self) -> tuple[str, ...]:
        """Identifiers of what has a tick, in the order of the recording."""
        items = [self.list.item(row) for row in range(self.list.count())]
        return tuple(
            i.data(Qt.ItemDataRole.UserRole)
            for i in items
            if i is not None and i.checkState() is Qt.CheckState.Checked
        )

    def _filter(self, text: str) -> None:
        words = text.casefold().split()
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item is not None:
                said = item.text().casefold()
                item.setHidden(not all(word in said for word in words))

    def _tick_all(self, wanted: tuple[str, ...]) -> None:
        self.list.blockSignals(True)  # noqa: FBT003 - Qt's own argument
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item is not None:
                item.setCheckState(_tick(shown=item.data(Qt.ItemDataRole.UserRole) in wanted))
        self.list.blockSignals(False)  # noqa: FBT003
        self.chosen.emit(self.shown)


def _tick(*, shown: bool) -> Qt.CheckState:
    return Qt.CheckState.Checked if shown else Qt.CheckState.Unchecked
