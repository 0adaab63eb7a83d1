"""Codes of the connected vehicle: read, cleared and the closed stop learned, each after a plain yes."""

from collections.abc import Callable
from concurrent.futures import Future

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QMessageBox,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.channel import CHANNEL_KINDS
from nervus.domain.errors import OutsideError
from nervus.judge.story import story_of
from nervus.knowledge import known_codes
from nervus.link.diagnostics import Diagnostics, Frame, ReadCode

_HEADS = ("unit", "code", "what it says", "kind", "now")
_CLEAR = "Clear the codes of all control units?"
_CLEAR_MEANS = (
    "What they know of the fault is gone then, freeze frames and readiness too. Write it down first. "
    "Key on, engine off. The maker's procedure comes first."
)
_LEARN = "Let the control unit learn the closed stop?"
_LEARN_MEANS = (
    "The motor drives the plate: fingers, tools and cloths away from the throttle. Key on, engine off. "
    "The maker's procedure comes first."
)

Ask = Callable[[Callable[[Diagnostics], object]], "Future[object]"]


class CodesDialog(QDialog):
    """Shows what the control units tell; asks through `ask`, which runs things between two polls.

    Signals:
        kept: the codes and freeze frames that were read are to be kept.
    """

    kept = pyqtSignal(object, object)
    _answered = pyqtSignal(object)
    _told = pyqtSignal(str)

    def __init__(self, ask: Ask, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._ask = ask
        self.setWindowTitle("Codes")
        self.resize(860, 460)
        self.state = QLabel("asking all control units …", self)
        self.state.setWordWrap(True)
        self.table = QTableWidget(0, len(_HEADS), self)
        self.table.setHorizontalHeaderLabels(list(_HEADS))
        self.table.setAccessibleName("Codes of all control units")
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        header = self.table.horizontalHeader()
        assert header is not None  # noqa: S101 - a table has one
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(_HEADS.index("what it says"), QHeaderView.ResizeMode.Stretch)
        self.table.verticalHeader().hide()  # type: ignore[union-attr] # a table has one
        self.frame = QLabel("", self)
        self.frame.setObjectName("quiet")
        self.frame.setWordWrap(True)
        self._read_last: tuple[tuple[ReadCode, ...], tuple[Frame, ...]] | None = None
        self.keep, self.again, self.clear, self.learn, self.leave = (
            QPushButton(text, self)
            for text in (
                "Keep in the job", "Read again", "Clear the codes …", "Learn the closed stop …", "Close",
            )
        )  # fmt: skip
        self.keep.setObjectName("primary")
        self.keep.setEnabled(False)
        self.keep.hide()
        self.keep.clicked.connect(self._keep)
        self.again.clicked.connect(self.read)
        self.clear.clicked.connect(lambda: self._confirm((_CLEAR, _CLEAR_MEANS), _clear))
        self.learn.clicked.connect(lambda: self._confirm((_LEARN, _LEARN_MEANS), _learn))
        self.leave.clicked.connect(self.close)
        self._answered.connect(self._show)
        self._told.connect(self.state.setText)
        self._lay_out()
        self.read()

    def _lay_out(self) -> None:
        buttons = QHBoxLayout()
        for button in (self.keep, self.again, self.clear, self.learn):
            buttons.addWidget(button)
        buttons.addStretch(1)
        buttons.addWidget(self.leave)
        column = QVBoxLayout(self)
        column.setSpacing(10)
        column.addWidget(self.state)
        column.addWidget(self.table, 1)
        column.addWidget(self.frame)
        column.addLayout(buttons)

    def read(self) -> None:
        """Ask all control units."""
        self.state.setText("asking all control units …")
        self._ask(_read).add_done_callback(self._read_done)

    def _read_done(self, future: "Future[object]") -> None:
        """Called in the thread that polls: signals carry it over."""
        try:
            self._answered.emit(future.result())
        except OutsideError as wrong:
            self._told.emit(str(wrong))

    def _show(self, told: tuple[tuple[ReadCode, ...], tuple[Frame, ...]]) -> None:
        codes, frames = self._read_last = told
        self.keep.setEnabled(True)
        story = f"{len(codes)} codes. {story_of(read.code for read in codes).text}"
        self.state.setText(story if codes else "No codes are stored, pending or permanent.")
        self.table.setRowCount(len(codes))
        for row, read in enumerate(codes):
            known = known_codes().get(read.code.base)
            says = known.says if known is not None else "not known here"
            cells = (str(read.unit), str(read.code), says, ", ".join(read.kinds), _now(read))
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setTextAlignment(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft)
                self.table.setItem(row, column, item)
        self.frame.setText("\n".join(_frame_text(frame) for frame in frames))

    def _keep(self) -> None:
        if self._read_last is not None:
            self.kept.emit(*self._read_last)
            self.close()

    def _confirm(self, words: tuple[str, str], job: Callable[[Diagnostics], str]) -> None:
        box = QMessageBox(self)
        box.setWindowTitle("Nervus")
        box.setText(words[0])
        box.setInformativeText(words[1])
        yes = box.addButton("Yes, do it", QMessageBox.ButtonRole.AcceptRole)
        no = box.addButton("No", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(no)
        box.buttonClicked.connect(lambda button: self._do(job) if button is yes else None)
        box.open()

    def _do(self, job: Callable[[Diagnostics], str]) -> None:
        self.state.setText("telling the control unit …")
        self._ask(job).add_done_callback(self._done)

    def _done(self, future: "Future[object]") -> None:
        try:
            self._told.emit(str(future.result()))
        except OutsideError as wrong:
            self._told.emit(str(wrong))


def _now(read: ReadCode) -> str:
    if read.status is None:
        return ""
    return "failing now" if read.status.failing_now else "not now"


def _read(diagnostics: Diagnostics) -> object:
    return diagnostics.codes(), diagnostics.freeze_frames()


def _clear(diagnostics: Diagnostics) -> str:
    cleared = diagnostics.clear_codes(lambda: True)
    if not cleared:
        return "No control unit cleared anything: the engine must stand, the key be on."
    return f"Cleared by {len(cleared)} control units. Read again to see what comes back."


def _learn(diagnostics: Diagnostics) -> str:
    diagnostics.learn_closed(0, lambda: True)
    return "The control unit has learned the closed stop. Key off now, to store it."


def _frame_text(frame: Frame) -> str:
    values = ", ".join(
        f"{CHANNEL_KINDS[c].title} {v:.4g} {CHANNEL_KINDS[c].unit}" for c, v in frame.values.items()
    )
    return f"Frozen by {frame.code}: {values}"
