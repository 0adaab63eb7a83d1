"""What the station Pins is made of, and where it stands; what it does is `pins_page.py`."""

from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.plug import PlugEnd
from nervus.language import say
from nervus.window.pictures.circuit_view import CircuitView
from nervus.window.pins.conditions_bar import ConditionsBar
from nervus.window.pins.pins_told import WhatReadingsSay
from nervus.window.pins.plug_view import PlugView
from nervus.window.pins.readings_table import ReadingsTable
from nervus.window.station_page import StationPage, quiet, scrolled

_HINT: Final = say(
    "Back-probe; never spread a terminal. Keep fingers off a motor-driven plate. "
    "The maker's procedure comes first."
)
_PLUGS: Final = (
    (PlugEnd.SENSOR, say("Sensor plug")),
    (PlugEnd.UNIT, say("Unit's plug")),
    (PlugEnd.PEDAL, say("Pedal")),
)
TO_BATTERY, TO_FIND = say("each to battery negative"), say("what parts the faults")
_ORDERS: Final = (say("pin pairs in turn"), TO_BATTERY, TO_FIND)


class PinsLayout(StationPage):
    """The plug and its circuit on the left, readings and what they say on the right, the line below."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(say("Pins"), _HINT, parent)
        self.conditions = ConditionsBar(self)
        self.view, self.circuit, self.table = PlugView(self), CircuitView(self), ReadingsTable(self)
        self.sentences = WhatReadingsSay(self)
        self.nothing = quiet("", self)
        self._make_line()
        self.column.addLayout(self._head())
        self.column.addLayout(self._conditions())
        self.column.addLayout(self._pictures(), 1)
        told = QVBoxLayout()
        told.setSpacing(2)
        told.addWidget(self.where)
        told.addWidget(self.expected)
        self.column.addLayout(told)
        self.column.addLayout(self._entry())

    def _make_line(self) -> None:
        self.where = QLabel("", self)
        self.where.setObjectName("station")
        self.expected = quiet("", self)
        self.line = QLineEdit(self)
        self.line.setAccessibleName(say("The reading, then Enter"))
        self.line.setMinimumHeight(40)
        self.order = QComboBox(self)
        self.order.setAccessibleName(say("What is measured next"))
        self.order.setMinimumHeight(36)
        self.order.addItems(_ORDERS)
        self.meter = QPushButton(say("From the meter"), self)
        self.meter.setCheckable(True)
        self.remove = QPushButton(say("Take out"), self)

    def _head(self) -> QHBoxLayout:
        """Plugs on the left, what is done with them on the right."""
        head = QHBoxLayout()
        head.setSpacing(6)
        self._plugs = QButtonGroup(self)
        self.plugs: dict[PlugEnd, QPushButton] = {}
        for plug, words in _PLUGS:
            button = self._choice(head, words)
            button.setCheckable(True)
            button.setChecked(plug is PlugEnd.SENSOR)
            self._plugs.addButton(button)
            self.plugs[plug] = button
        head.addStretch(1)
        self.draw = self._choice(head, say("Draw plug …"))
        self.roles = self._choice(head, say("Take roles"))
        self.good = self._choice(head, say("Known good"))
        self.sheet = self._choice(head, say("Meter …"))
        self.setting = self._choice(head, say("Set sensor …"))
        return head

    def _conditions(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(self.conditions, 1)
        self.drawn_circuit = self._choice(row, say("Circuit"))
        self.drawn_circuit.setCheckable(True)
        self.guide = self._choice(row, say("Step by step …"))
        return row

    def _pictures(self) -> QHBoxLayout:
        self.side = QStackedWidget(self)
        # The circuit hides itself where it has nothing to say: on a sheet of its own.
        self.sheet_of_circuit = QWidget(self)
        of_circuit = QVBoxLayout(self.sheet_of_circuit)
        of_circuit.setContentsMargins(0, 0, 0, 0)
        of_circuit.addWidget(self.circuit, 0, Qt.AlignmentFlag.AlignTop)
        of_circuit.addStretch(1)
        for picture in (self.table, self.sheet_of_circuit):
            self.side.addWidget(picture)
        right = QVBoxLayout()
        right.setSpacing(6)
        right.addWidget(self.side, 5)
        right.addWidget(self.nothing)
        right.addWidget(self.sentences, 5)
        pictures = QHBoxLayout()
        pictures.setSpacing(10)
        # In a low window keys scroll it too.
        plug = scrolled(self.view, self)
        plug.setAccessibleName(self.view.accessibleName())
        plug.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        pictures.addWidget(plug, 5)
        pictures.addLayout(right, 5)
        return pictures

    def _entry(self) -> QHBoxLayout:
        entry = QHBoxLayout()
        entry.setSpacing(6)
        entry.addWidget(self.line, 1)
        for part in (self.order, self.meter, self.remove):
            entry.addWidget(part)
        return entry

    def _choice(self, row: QHBoxLayout, words: str) -> QPushButton:
        button = QPushButton(words, self)
        button.setObjectName("choice")
        row.addWidget(button)
        return button
