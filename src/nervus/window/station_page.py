"""What every page of a station has: a heading, a quiet line, a column, and the job that it shows."""

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFrame, QLabel, QScrollArea, QVBoxLayout, QWidget

from nervus.domain.job import Job
from nervus.window.theme import Theme


class StationPage(QWidget):
    """A page.

    Signals:
        put: an entry is to be kept.
        taken_out: an entry is to be taken out.
        stretch: a stretch of the signal's way to mark, or "".
    """

    put = pyqtSignal(object)
    taken_out = pyqtSignal(object)
    stretch = pyqtSignal(str)

    def __init__(self, title: str, hint: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.job: Job | None = None
        self._usual_hint = hint
        heading = QLabel(title, self)
        heading.setObjectName("station")
        self.hint = quiet(hint, self)
        self.column = QVBoxLayout()
        self.column.setSpacing(8)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(20, 14, 16, 8)
        whole.setSpacing(8)
        whole.addWidget(heading)
        whole.addWidget(self.hint)
        whole.addLayout(self.column, 1)

    def show_job(self, job: Job) -> None:
        """Show a job, or what has changed in it; what is being typed stays."""
        self.job = job

    def begin(self) -> None:
        """The page comes up: the focus goes where one begins."""

    def prepare(self, how: str, _text: str) -> None:
        """A test is begun here: how it is done stands where the hint was, until one leaves."""
        self.hint.setText(how)

    def leave(self) -> None:
        """One goes elsewhere: the usual hint again."""
        self.hint.setText(self._usual_hint)

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""


def quiet(text: str, parent: QWidget) -> QLabel:
    """A line of small importance that wraps."""
    label = QLabel(text, parent)
    label.setObjectName("quiet")
    label.setWordWrap(True)
    label.setTextFormat(Qt.TextFormat.PlainText)
    return label


class _Scrolls(QObject):
    """Lets the wheel scroll the page, and never change a choice that it happens to pass over."""

    def eventFilter(self, _watched: QObject | None, event: QEvent | None) -> bool:
        wheel = event is not None and event.type() == QEvent.Type.Wheel
        if wheel and event is not None:
            event.ignore()
        return wheel


def scrolled(inner: QWidget, parent: QWidget) -> QScrollArea:
    """A column that scrolls where the window is too low for it."""
    area = QScrollArea(parent)
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.setWidget(inner)
    scrolls = _Scrolls(area)
    for choice in inner.findChildren(QComboBox):
        choice.installEventFilter(scrolls)
    return area
