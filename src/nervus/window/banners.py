"""What stands in the middle when there is no picture: the empty state, work under way, a notice."""

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nervus.language import say


class EmptyState(QFrame):
    """Says what would be here and the one thing to do.

    Signals:
        open_wanted, demo_wanted, live_wanted: a button was pressed.
    """

    open_wanted = pyqtSignal()
    demo_wanted = pyqtSignal()
    live_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("empty")
        title = QLabel(say("No recording is open"), self)
        title.setObjectName("headline")
        text = QLabel(
            say(
                "Drop a recording here, or open one: a CSV with the voltages of the throttle "
                "position sensor over time. Nervus shows where it drops or has a dead spot, "
                "and which part is suspect and why."
            ),
            self,
        )
        text.setWordWrap(True)
        text.setMaximumWidth(460)
        self.open = QPushButton(say("Open a recording …"), self)
        self.open.setObjectName("primary")
        self.demo = QPushButton(say("Look at a demo case"), self)
        self.live = QPushButton(say("Connect the simulated vehicle"), self)
        self.live.clicked.connect(self.live_wanted)
        self.open.clicked.connect(self.open_wanted)
        self.demo.clicked.connect(self.demo_wanted)
        buttons = QVBoxLayout()
        buttons.setSpacing(10)
        for button in (self.open, self.demo, self.live):
            buttons.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        column = QVBoxLayout(self)
        column.setContentsMargins(36, 36, 36, 36)
        column.setSpacing(14)
        column.addStretch(1)
        for widget in (title, text):
            column.addWidget(widget)
        column.addLayout(buttons)
        column.addStretch(2)


class Busy(QFrame):
    """What is being done, how far it is, and the stop.

    Signals:
        stop_wanted: the stop was pressed.
    """

    stop_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("busy")
        self._doing = QLabel("", self)
        self._bar = QProgressBar(self)
        self._bar.setTextVisible(False)
        self._bar.setRange(0, 100)
        self._bar.setAccessibleName(say("How far the work is"))
        self.stop = QPushButton(say("Stop"), self)
        self.stop.clicked.connect(self.stop_wanted)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 8, 8, 8)
        row.setSpacing(14)
        row.addWidget(self._doing)
        row.addWidget(self._bar, 1)
        row.addWidget(self.stop)
        self.hide()

    def show_progress(self, doing: str, share: float) -> None:
        """Say what is being done and how far it is (0 to 1)."""
        self._doing.setText(doing)
        self._bar.setValue(round(100 * share))
        self.show()


class Notice(QFrame):
    """What happened, what was kept, what to do; stays until it is put away."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("notice")
        self.text = QLabel("", self)
        self.text.setWordWrap(True)
        self.text.setTextFormat(Qt.TextFormat.PlainText)
        self.text.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse
            | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        self.text.setAccessibleName(say("What could not be done"))
        self.act = QPushButton("", self)
        self.act.clicked.connect(self._act)
        self._action: Callable[[], object] | None = None
        self._of_job = False
        self.put_away = QPushButton(say("Put away"), self)
        self.put_away.clicked.connect(self.hide)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 8, 8, 8)
        row.setSpacing(14)
        row.addWidget(self.text, 1)
        row.addWidget(self.act, 0, Qt.AlignmentFlag.AlignTop)
        row.addWidget(self.put_away, 0, Qt.AlignmentFlag.AlignTop)
        self.hide()

    def tell(
        self,
        text: str,
        act: str = "",
        action: Callable[[], object] | None = None,
        *,
        calm: bool = False,
        of_job: bool = False,
    ) -> None:
        """Show a sentence, and a button for what can be done.

        Args:
            text: the sentence.
            act: what the button says, "" where there is none.
            action: what it does.
            calm: nothing went wrong.
            of_job: it is said of the job in hand, and means nothing beside another.
        """
        self._of_job = of_job
        self.text.setText(text)
        self.text.setAccessibleName(
            say("What is to be known") if calm else say("What could not be done")
        )
        self.setProperty("calm", calm)
        style = self.style()
        if style is not None:
            style.polish(self)
        self._action = action
        self.act.setText(act)
        self.act.setVisible(action is not None)
        self.show()

    def leave_job(self) -> None:
        """Another job comes: what was said of the one before goes."""
        if self._of_job:
            self.hide()

    def _act(self) -> None:
        self.hide()
        if self._action is not None:
            self._action()
