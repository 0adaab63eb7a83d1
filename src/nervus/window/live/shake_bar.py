"""The guided wiggle test as one strip: where the hand belongs now, for how long, what it has shown."""

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from nervus.judge.shaking import SURE, ShakeTest
from nervus.language import say
from nervus.window.elided import ElidedLabel
from nervus.window.theme import BRIGHT, Theme

_BAR = 8


class SeenBar(QWidget):
    """How probable it is that a loose contact would have shown, with a notch where it is enough."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.seen, self.theme = 0.0, BRIGHT
        self.answered = False
        self.setFixedHeight(_BAR + 4)
        self.setMinimumWidth(80)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        whole = QRectF(0, 2, self.width(), _BAR)
        painter.fillRect(whole, self.theme.color("soft"))
        token = "inflamed" if self.answered else "action"
        painter.fillRect(QRectF(0, 2, self.seen * self.width(), _BAR), self.theme.color(token))
        notch = SURE * self.width()
        painter.fillRect(QRectF(notch - 1, 0, 2, _BAR + 4), self.theme.color("ink"))


class ShakeBar(QFrame):
    """Shows a `ShakeTest`.

    Signals:
        toggled: the hand begins, or lets go.
        next_wanted: to the next place.
        end_wanted: the test is over.
    """

    toggled = pyqtSignal()
    next_wanted = pyqtSignal()
    end_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("busy")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(
            say("Guided wiggle test: space begins or pauses, Enter goes on, Esc ends")
        )
        self.place = QLabel("", self)
        self.place.setObjectName("headline")
        self.how = QLabel("", self)
        self.how.setWordWrap(True)
        self.bar = SeenBar(self)
        self.told = ElidedLabel("", self)
        self.told.setObjectName("told")
        self.go, self.next, self.end = QPushButton(self), QPushButton(self), QPushButton(self)
        self.go.setObjectName("primary")
        self.next.setText(say("Next"))
        self.next.setToolTip(say("To the next place (Enter)"))
        self.end.setText(say("End"))
        self.end.setToolTip(say("The test is over (Esc)"))
        for button, signal in (
            (self.go, self.toggled),
            (self.next, self.next_wanted),
            (self.end, self.end_wanted),
        ):
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(signal)
        head = QHBoxLayout()
        head.addWidget(self.place, 1)
        for button in (self.go, self.next, self.end):
            head.addWidget(button)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 6, 12, 8)
        column.setSpacing(4)
        column.addLayout(head)
        column.addWidget(self.told)
        column.addWidget(self.bar)
        column.addWidget(self.how)
        self.hide()

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.bar.theme = theme
        self.bar.update()

    def show_test(self, test: ShakeTest) -> None:
        """The place in hand, and how far it is."""
        hand = test.hand
        self.place.setText(say("Shake {title}", title=hand.place.title))
        self.how.setText(f"{hand.place.how} {hand.place.caution}")
        self.go.setText(say("Pause") if test.is_shaking else say("Begin"))
        self.bar.seen, self.bar.answered = test.seen, bool(hand.moments)
        self.bar.setToolTip(
            say("{seconds:.0f} of {wanted_s:.0f} s", seconds=hand.seconds, wanted_s=test.wanted_s)
        )
        self.bar.update()
        place = say("{at} of {len}", at=test.at + 1, len=len(test.hands))
        words = say(
            "{place} · {seconds:.0f} of {wanted_s:.0f} s · {told}",
            place=place,
            seconds=hand.seconds,
            wanted_s=test.wanted_s,
            told=test.told(),
        )
        if test.is_enough and not hand.moments:
            words += say(" That is enough here.")
        if words != self.told.whole:
            self.told.setText(words)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        keys = {
            Qt.Key.Key_Space: self.toggled,
            Qt.Key.Key_Return: self.next_wanted,
            Qt.Key.Key_Enter: self.next_wanted,
            Qt.Key.Key_Escape: self.end_wanted,
        }
        signal = keys.get(Qt.Key(event.key())) if event is not None else None
        if signal is None:
            super().keyPressEvent(event)
        else:
            signal.emit()
