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


class ChoiceGrid(QWidget):
    """Buttons that stay down; space or enter presses, arrows move.

    Signals:
        changed: the identifiers of all that are down, in their order.
    """

    changed = pyqtSignal(tuple)

    def __init__(self, columns: int, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._columns = columns
        self.setAccessibleName(name)
        self.buttons: dict[str, QPushButton] = {}
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(6)

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
        for number, (name, words) in enumerate(wanted.items()):
            button = QPushButton(words, self)
            button.setObjectName("choice")
            button.setCheckable(True)
            button.setChecked(name in down)
            button.clicked.connect(lambda _on: self.changed.emit(self.chosen()))
            button.installEventFilter(self)
            self.buttons[name] = button
            self._grid.addWidget(button, number // self._columns, number % self._columns)

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
