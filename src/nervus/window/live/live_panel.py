"""The middle while something is connected: the live picture, recording, marks, the guided sweep."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSlider,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nervus.language import say
from nervus.standin import hands
from nervus.window.actions import QUICK_MARKS
from nervus.window.banners import Notice
from nervus.window.elided import ElidedLabel
from nervus.window.live.live_view import LiveView
from nervus.window.live.shake_bar import ShakeBar
from nervus.window.pictures.travel_view import TravelView
from nervus.window.theme import Theme

OVER_TIME, OVER_TRAVEL = "over time", "over travel"
_WORDS, _READING = (
    say("a mark in words, then Enter  (M)"),
    say("a reading, such as .51 or 510 mV, then Enter"),
)
_HANDS = ((hands.KEY, "key on"), (hands.ENGINE, "engine"), (hands.SHAKEN, "shake"), (hands.WET, "water"))


class HandsOnIt(QFrame):
    """Pedal and hands on the simulated vehicle.

    Signals:
        changed: pedal in percent, and the flags.
    """

    changed = pyqtSignal(float, int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.pedal = QSlider(Qt.Orientation.Horizontal, self)
        self.pedal.setRange(0, 100)
        self.pedal.setMinimumHeight(32)
        self.pedal.setAccessibleName(say("Pedal of the simulated vehicle, percent"))
        self.pedal.valueChanged.connect(self._tell)
        self.boxes: dict[int, QCheckBox] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(14)
        row.addWidget(QLabel(say("pedal"), self))
        row.addWidget(self.pedal, 1)
        for flag, name in _HANDS:
            box = self.boxes[flag] = QCheckBox(say(name), self)
            box.setMinimumHeight(36)
            box.setChecked(flag == hands.KEY)
            box.toggled.connect(self._tell)
            row.addWidget(box)

    def _tell(self, _value: object) -> None:
        flags = sum(flag for flag, box in self.boxes.items() if box.isChecked())
        self.changed.emit(float(self.pedal.value()), flags)


class LivePanel(QWidget):
    """The live middle.

    Signals:
        record_wanted, tone_wanted, leave_wanted: a button was pressed.
        marked: a mark is wanted, of this kind.
        typed: Enter was pressed behind these words.
    """

    record_wanted = pyqtSignal()
    tone_wanted = pyqtSignal()
    leave_wanted = pyqtSignal()
    marked = pyqtSignal(str)
    typed = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._title = ElidedLabel("", self)
        self._title.setObjectName("station")
        self.state = QLabel("", self)
        self.state.setObjectName("quiet")
        self.notice = Notice(self)
        self.view = LiveView(self)
        self.folded = TravelView(self)
        self.pictures = QStackedWidget(self)
        for picture in (self.view, self.folded):
            self.pictures.addWidget(picture)
        self.guide = QLabel("", self)
        self.guide.setObjectName("quiet")
        self.guide.setWordWrap(True)
        self.shake_bar = ShakeBar(self)
        self.hands = HandsOnIt(self)
        self.record = QPushButton(say("Record  (R)"), self)
        self.record.setObjectName("primary")
        self.tone = QPushButton(say("Tone  (T)"), self)
        self.tone.setCheckable(True)
        self.leave = QPushButton(say("Disconnect"), self)
        self.words = QLineEdit(self)
        self._typing = False
        self.words.setPlaceholderText(_WORDS)
        self.words.setAccessibleName(say("A mark in your own words"))
        self.words.setMinimumHeight(38)
        self.words.returnPressed.connect(self._mark_words)
        self.record.clicked.connect(self.record_wanted)
        self.tone.clicked.connect(self.tone_wanted)
        self.leave.clicked.connect(self.leave_wanted)
        self._lay_out()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(self._title, 1)
        head.addWidget(self.state)
        keys = QHBoxLayout()
        keys.setSpacing(8)
        for button in (self.record, self.tone):
            keys.addWidget(button)
        keys.addWidget(self.words, 1)
        keys.addWidget(self.leave)
        self.quick = QWidget(self)
        quick = QHBoxLayout(self.quick)
        quick.setContentsMargins(0, 0, 0, 0)
        quick.setSpacing(8)
        for place, kind in enumerate(QUICK_MARKS):
            button = QPushButton(f"{place + 1}  {say(kind)}", self)
            button.setAccessibleName(say("Mark: {kind}", kind=say(kind)))
            button.clicked.connect(lambda _on, kind=kind: self.marked.emit(kind))
            quick.addWidget(button, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 8, 16, 6)
        column.setSpacing(6)
        column.addLayout(head)
        column.addWidget(self.notice)
        column.addWidget(self.pictures, 1)
        column.addWidget(self.shake_bar)
        column.addWidget(self.guide)
        column.addWidget(self.hands)
        column.addLayout(keys)
        column.addWidget(self.quick)

    def _mark_words(self) -> None:
        text = self.words.text().strip()
        if text:
            self.typed.emit(text)
            self.words.clear()
        if not self._typing:
            self.view.setFocus()

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.view.apply_theme(theme)
        self.folded.apply_theme(theme)
        self.shake_bar.apply_theme(theme)

    def guide_shaking(self, *, on: bool) -> None:
        """The wiggle test has its own words and marks: those of the sweep give way to it."""
        self.shake_bar.setVisible(on)
        self.guide.setVisible(not on)
        self.quick.setVisible(not on)

    def show_picture(self, name: str) -> None:
        """Change to the picture over time, or over travel, where passes fill up as they are made."""
        self.pictures.setCurrentWidget(self.folded if name == OVER_TRAVEL else self.view)

    def next_picture(self) -> None:
        """Change to the other picture."""
        over_time = self.pictures.currentWidget() is self.view
        self.show_picture(OVER_TRAVEL if over_time else OVER_TIME)

    def begin(self, title: str, *, simulated: bool, typed: bool = False) -> None:
        """A connection is being made; with `typed`, the words are readings."""
        self._typing = typed
        self.words.setPlaceholderText(_READING if typed else _WORDS)
        self.show_picture(OVER_TIME)
        self.view.clear()
        self.notice.hide()
        self.guide.setText("")
        self._title.setText(title)
        self.state.setText(say("connecting …"))
        self.hands.setVisible(simulated)
        self.show_recording(0.0, on=False)

    def show_recording(self, seconds: float, *, on: bool) -> None:
        """How long it has been recording."""
        self.record.setText(
            say("Stop, {seconds:.0f} s  (R)", seconds=seconds) if on else say("Record  (R)")
        )

    def flash(self, *, on: bool) -> None:
        """What the tone would break for, for the eye."""
        self.setProperty("flash", on)
        style = self.style()
        assert style is not None  # noqa: S101 - a widget has a style
        style.unpolish(self)
        style.polish(self)
