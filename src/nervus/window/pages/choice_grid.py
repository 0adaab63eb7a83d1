"""Large buttons to choose any of, in rows that arrows walk through."""

from collections.abc import Iterable

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QGridLayout, QPushButton, QWidget

_STEPS = {
    Qt.Key.Key_Left: (0, -1),
    Qt.Key.Key_Right: (0, 1),
    Qt.Key.Key_Up: (-1, 0),
    Qt.Key.Key_Down: (1, 0),
}
# So wide is a page where the window is 1280 wide and the judgement is beside it.
_ROOM_PX, _GAP_PX = 750, 6


class ChoiceGrid(QWidget):
    """Buttons that stay down; space or enter presses, arrows move.

    Signals:
        changed: the identifiers of all that are down, in their order.
    """

    changed = pyqtSignal(tuple)

    def __init__(self, columns: int, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._most = self._columns = columns
        self.setAccessibleName(name)
        self.buttons: dict[str, QPushButton] = {}
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(_GAP_PX)

    def offer(self, rows: Iterable[tuple[str, str]]) -> None:
        """Show these: identifier and words."""
        wanted = dict(rows)
        if list(wanted) == list(self.buttons):
            return
        down = self.chosen()
        for button in self.buttons.values():
            self._grid.removeWidget(button)
            button.hide()
            button.deleteLater()
        self.buttons = {}
        for name, words in wanted.items():
            button = QPushButton(words, self)
            button.setObjectName("choice")
            button.setCheckable(True)
            button.setChecked(name in down)
            button.clicked.connect(lambda _on: self.changed.emit(self.chosen()))
            button.installEventFilter(self)
            self.buttons[name] = button
            button.ensurePolished()
        self._columns = self._fitting([b.minimumSizeHint().width() for b in self.buttons.values()])
        for number, button in enumerate(self.buttons.values()):
            self._grid.addWidget(button, *divmod(number, self._columns))

    def _fitting(self, widths: list[int]) -> int:
        """How many columns: long words, as some languages have them, get fewer."""
        for columns in range(self._most, 1, -1):
            each = [max(widths[n::columns], default=0) for n in range(columns)]
            if sum(each) + _GAP_PX * (columns - 1) <= _ROOM_PX:
                return columns
        return 1

    def choose(self, names: Iterable[str]) -> None:
        """Press exactly these, without telling anybody."""
        wanted = set(names)
        for name, button in self.buttons.items():
            button.setChecked(name in wanted)

    def chosen(self) -> tuple[str, ...]:
        """What is down."""
        return tuple(name for name, button in self.buttons.items() if button.isChecked())

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            key = Qt.Key(event.key())
            buttons = list(self.buttons.values())
            if key in _STEPS and watched in buttons:
                down, right = _STEPS[key]
                target = buttons.index(watched) + down * self._columns + right
                if 0 <= target < len(buttons):
                    buttons[target].setFocus(Qt.FocusReason.TabFocusReason)
                return True
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and isinstance(watched, QPushButton):
                watched.click()
                return True
        return super().eventFilter(watched, event)
