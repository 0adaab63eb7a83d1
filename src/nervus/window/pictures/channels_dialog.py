"""Which channels are drawn over time, in which order, how high, and what shares an axis."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.channel import ChannelKind, Recording, Role
from nervus.drawn.channels import LEAST_HEIGHT, MOST_HEIGHT, Arranged
from nervus.language import say
from nervus.window.station_page import quiet

_TALLER = 1.25
_ID = Qt.ItemDataRole.UserRole


class ChannelsDialog(QDialog):
    """Every channel of a recording with a tick; the picture follows at once.

    Signals:
        arranged: what is to be drawn, and how (`Arranged`).
    """

    arranged = pyqtSignal(object)

    def __init__(
        self,
        recording: Recording,
        now: Arranged,
        usual: tuple[str, ...],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(say("Channels"))
        self.resize(460, 560)
        self._usual = usual
        self._heights = dict(now.heights)
        self._make_search()
        self._make_list(recording, now.channels)
        self.apart = QCheckBox(say("each on an axis of its own"), self)
        self.apart.setChecked(now.apart)
        self.apart.toggled.connect(lambda _on: self._tell())
        column = QVBoxLayout(self)
        column.addWidget(self.search)
        column.addWidget(self.list, 1)
        column.addWidget(self.apart)
        column.addWidget(
            quiet(
                say(
                    "Space shows or hides. Alt ↑ ↓ moves a channel, Alt ← → makes its plot lower "
                    "or taller."
                ),
                self,
            )
        )
        column.addLayout(self._buttons(tuple(c.id for c in recording.channels)))

    def _make_search(self) -> None:
        self.search = QLineEdit(self)
        self.search.setPlaceholderText(say("find a channel or a unit …"))
        self.search.setAccessibleName(say("Find a channel"))
        self.search.setMinimumHeight(36)
        self.search.textChanged.connect(self._filter)

    def _make_list(self, recording: Recording, shown: tuple[str, ...]) -> None:
        """A row for each channel, those that are shown first."""
        self.list = QListWidget(self)
        self.list.setAccessibleName(
            say(
                "Channels; space shows or hides one, Alt with up and down moves it, with left "
                "and right makes its plot lower or taller"
            )
        )
        rest = [c.id for c in recording.channels if c.id not in shown]
        for name in (*shown, *rest):
            channel = recording.get(name)
            if channel is None:
                continue
            item = QListWidgetItem(_line_of(channel.kind), self.list)
            item.setData(_ID, channel.id)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(_tick(shown=channel.id in shown))
        self.list.itemChanged.connect(lambda _item: self._tell())
        self.list.installEventFilter(self)

    def _buttons(self, everything: tuple[str, ...]) -> QHBoxLayout:
        usual_again, whole, leave = (
            self._button(say("As usual"), self._as_usual),
            self._button(say("All"), lambda: self._tick_all(everything)),
            self._button(say("Close"), self.close),
        )
        row = QHBoxLayout()
        for button in (usual_again, whole):
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(leave)
        return row

    def _button(self, words: str, act: Callable[[], object]) -> QPushButton:
        button = QPushButton(words, self)
        button.setAutoDefault(False)
        button.clicked.connect(lambda _on: act())
        return button

    @property
    def shown(self) -> tuple[str, ...]:
        """Identifiers of what has a tick, in their order."""
        items = [self.list.item(row) for row in range(self.list.count())]
        return tuple(
            str(i.data(_ID)) for i in items if i is not None and i.checkState() is Qt.CheckState.Checked
        )

    def _tell(self) -> None:
        self.arranged.emit(Arranged(self.shown, self.apart.isChecked(), dict(self._heights)))

    def _filter(self, text: str) -> None:
        words = text.casefold().split()
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item is not None:
                said = item.text().casefold()
                item.setHidden(not all(word in said for word in words))

    def _as_usual(self) -> None:
        self._heights = {}
        self._tick_all(self._usual)

    def _tick_all(self, wanted: tuple[str, ...]) -> None:
        self.list.blockSignals(True)  # noqa: FBT003 - Qt's own argument
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item is not None:
                item.setCheckState(_tick(shown=item.data(_ID) in wanted))
        self.list.blockSignals(False)  # noqa: FBT003
        self._tell()

    def _move(self, by: int) -> None:
        row = self.list.currentRow()
        to = row + by
        if not (0 <= row < self.list.count() and 0 <= to < self.list.count()):
            return
        self.list.blockSignals(True)  # noqa: FBT003 - Qt's own argument
        item = self.list.takeItem(row)
        self.list.insertItem(to, item)
        self.list.setCurrentRow(to)
        self.list.blockSignals(False)  # noqa: FBT003
        self._tell()

    def _stretch(self, times: float) -> None:
        """The plot that the channel stands in: kept by the first channel of it."""
        item = self.list.currentItem()
        if item is not None:
            name = str(item.data(_ID))
            high = self._heights.get(name, 1.0) * times
            self._heights[name] = min(max(high, LEAST_HEIGHT), MOST_HEIGHT)
            self._tell()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Alt with an arrow moves or stretches; the list would take the arrow for its own."""
        if (
            watched is self.list
            and isinstance(event, QKeyEvent)
            and event.type() is QEvent.Type.KeyPress
        ):
            keys = {
                Qt.Key.Key_Up: lambda: self._move(-1),
                Qt.Key.Key_Down: lambda: self._move(1),
                Qt.Key.Key_Left: lambda: self._stretch(1 / _TALLER),
                Qt.Key.Key_Right: lambda: self._stretch(_TALLER),
            }
            act = keys.get(Qt.Key(event.key()))
            if act is not None and event.modifiers() & Qt.KeyboardModifier.AltModifier:
                act()
                return True
        return super().eventFilter(watched, event)


def _line_of(kind: ChannelKind) -> str:
    what = f"{kind.title}, {kind.unit}" if kind.unit else kind.title
    return f"{what}   " + (say("not judged") if kind.role is Role.OTHER else kind.id)


def _tick(*, shown: bool) -> Qt.CheckState:
    return Qt.CheckState.Checked if shown else Qt.CheckState.Unchecked
