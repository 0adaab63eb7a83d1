"""Under what conditions one measures now: key, plug, throttle, warmth, battery and charger."""

from dataclasses import replace
from typing import Final

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QLineEdit, QPushButton, QWidget

from nervus.language import figures, say
from nervus.pins.situation import KEYS, PLUGS, THROTTLES, WARMTHS, Situation

_TURNS: Final = (
    ("key", KEYS, say("The key")),
    ("plug", PLUGS, say("The plug")),
    ("throttle", THROTTLES, say("The throttle")),
    ("warmth", WARMTHS, say("Cold or hot")),
)
BEGIN: Final = Situation("key on", "plug on", "throttle closed", "cold")


class ConditionsBar(QWidget):
    """Each condition is a button that turns to the next; the battery's volts are typed.

    Signals:
        changed: the situation as it is now.
    """

    changed = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.situation = BEGIN
        self.buttons: dict[str, QPushButton] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        for name, _, words in _TURNS:
            button = QPushButton("", self)
            button.setObjectName("choice")
            button.setToolTip(say("{words}: press for the next", words=words))
            button.clicked.connect(lambda _on, name=name: self._turn(name))
            self.buttons[name] = button
            row.addWidget(button)
        self.battery = QLineEdit(self)
        self.battery.setAccessibleName(say("Battery volts"))
        self.battery.setPlaceholderText("V")
        self.battery.setFixedWidth(64)
        self.battery.editingFinished.connect(self._battery_typed)
        self.charger = QCheckBox(say("charger"), self)
        self.charger.setAccessibleName(say("A charger is on the battery"))
        self.charger.toggled.connect(lambda on: self.put(replace(self.situation, charger=on)))
        label = QLabel(say("battery"), self)
        label.setObjectName("quiet")
        row.addSpacing(8)
        for part in (label, self.battery, self.charger):
            row.addWidget(part)
        row.addStretch(1)
        self._show()

    def put(self, situation: Situation) -> None:
        """Measure under these conditions from now on."""
        if situation == self.situation:
            return
        self.situation = situation
        self._show()
        self.changed.emit(situation)

    def take_words(self, words: str) -> bool:
        """Conditions as they are typed, such as `plug off` or `hot`; whether the words are all that."""
        said = " ".join(words.casefold().split())
        for _, choices, _ in _TURNS:
            for choice in choices:
                if said in (choice, choice.removeprefix("throttle ")):
                    self.put(self.situation.with_word(choice))
                    return True
        return False

    def _turn(self, name: str) -> None:
        choices = next(c for n, c, _ in _TURNS if n == name)
        now = getattr(self.situation, name)
        at = choices.index(now) if now in choices else -1
        self.put(self.situation.with_word(choices[(at + 1) % len(choices)]))

    def _battery_typed(self) -> None:
        text = self.battery.text().strip().replace(",", ".").removesuffix("V").strip()
        try:
            volts = float(text) if text else None
        except ValueError:
            volts = None
        if volts is not None and not 0.0 <= volts <= 60.0:
            volts = None
        self.put(replace(self.situation, battery_v=volts))
        self._show()

    def _show(self) -> None:
        for name, _, words in _TURNS:
            now = getattr(self.situation, name)
            self.buttons[name].setText(say(now))
            self.buttons[name].setAccessibleName(f"{say(words)}: {say(now)}")
        volts = self.situation.battery_v
        self.battery.setText("" if volts is None else figures("{volts:g}", volts=volts))
        self.charger.setChecked(self.situation.charger)
