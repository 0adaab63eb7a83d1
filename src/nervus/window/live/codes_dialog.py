"""Codes of the connected vehicle: read, cleared and the closed stop learned, each after a plain yes."""

from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass

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
from nervus.domain.errors import OutsideError, Stopped
from nervus.judge.story import story_of
from nervus.knowledge import known_codes
from nervus.language import figures, say
from nervus.link.addresses import name_of
from nervus.link.diagnostics import CodesRead, Diagnostics, Frame, ReadCode
from nervus.link.writing import Writing

_HEADS = (say("unit"), say("code"), say("what it says"), say("kind"), say("now"))
_CLEAR = say("Clear the codes of all control units?")
_CLEAR_MEANS = say(
    "What they know of the fault is gone then, freeze frames and readiness too. "
    "Write it down first. Key on, engine off. The maker's procedure comes first."
)
_LEARN = say("Let the control unit learn the closed stop?")
_LEARN_MEANS = say(
    "The motor drives the plate: fingers, tools and cloths away from the throttle. "
    "Key on, engine off. The maker's procedure comes first."
)

Ask = Callable[[Callable[[Diagnostics], object]], "Future[object]"]


@dataclass(frozen=True, slots=True)
class VehicleCodes:
    """What was read.

    Attributes:
        read: the codes, and what was not told.
        frames: freeze frames.
        identity: what each unit told of itself, by unit: `vehicle`, `calibration`, `name`.
    """

    read: CodesRead
    frames: tuple[Frame, ...]
    identity: dict[int, dict[str, str]]


class CodesDialog(QDialog):
    """Shows what the control units tell; asks through `ask`, which runs things between two polls.

    Args:
        ask: runs something between two polls.
        stop: ends the question that is being asked.
        unit: the control unit that is told to learn.

    Signals:
        kept: what was read is to be kept (`VehicleCodes`).
    """

    kept = pyqtSignal(object)
    _answered = pyqtSignal(object)
    _told = pyqtSignal(str)

    def __init__(
        self, ask: Ask, stop: Callable[[], None], unit: int = 0, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._ask, self._unit = ask, unit
        self.setWindowTitle(say("Codes"))
        self.resize(860, 460)
        self.state = QLabel(say("asking all control units …"), self)
        self.state.setWordWrap(True)
        self.table = QTableWidget(0, len(_HEADS), self)
        self.table.setHorizontalHeaderLabels(list(_HEADS))
        self.table.setAccessibleName(say("Codes of all control units"))
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        header = self.table.horizontalHeader()
        assert header is not None  # noqa: S101 - a table has one
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(_HEADS.index(say("what it says")), QHeaderView.ResizeMode.Stretch)
        self.table.verticalHeader().hide()  # type: ignore[union-attr] # a table has one
        self.frame = QLabel("", self)
        self.frame.setObjectName("quiet")
        self.frame.setWordWrap(True)
        self._read_last: VehicleCodes | None = None
        self.keep, self.again, self.clear, self.learn, self.stop, self.leave = (
            QPushButton(text, self)
            for text in (
                say("Keep in the job"),
                say("Read again"),
                say("Clear the codes …"),
                say("Learn the closed stop …"),
                say("Stop"),
                say("Close"),
            )
        )
        self.stop.clicked.connect(stop)
        self.keep.setObjectName("primary")
        self.keep.setEnabled(False)
        self.keep.hide()
        self.keep.clicked.connect(self._keep)
        self.again.clicked.connect(self.read)
        self.clear.clicked.connect(lambda: self._confirm((_CLEAR, _CLEAR_MEANS), _clear))
        self.learn.clicked.connect(lambda: self._confirm((_LEARN, _LEARN_MEANS), self._learned))
        self.leave.clicked.connect(self.close)
        self._answered.connect(self._show)
        self._told.connect(self._tell)
        self._lay_out()
        self.read()

    def _lay_out(self) -> None:
        buttons = QHBoxLayout()
        for button in (self.keep, self.again, self.clear, self.learn, self.stop):
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
        self._begin(say("asking all control units, all together and then each alone …"))
        self._ask(_read).add_done_callback(lambda future: self._over(future, self._answered.emit))

    def _begin(self, doing: str) -> None:
        """Something is being asked: nothing else can be meanwhile, but it can be stopped."""
        self.state.setText(doing)
        for button in (self.again, self.clear, self.learn):
            button.setEnabled(False)
        self.stop.setEnabled(True)

    def _over(self, future: "Future[object]", tell: Callable[[object], object]) -> None:
        """Called in the thread that polls: signals carry it over."""
        try:
            tell(future.result())
        except Stopped:
            self._told.emit(say("Stopped. What was asked last may have been done all the same."))
        except OutsideError as wrong:
            self._told.emit(str(wrong))
        except Exception:  # noqa: BLE001 - logged and told by the thread that failed
            self._told.emit(say("Nervus could not do this because of a fault of its own; see the log."))

    def _tell(self, text: str) -> None:
        self.state.setText(text)
        for button in (self.again, self.clear, self.learn):
            button.setEnabled(True)
        self.stop.setEnabled(False)

    def _show(self, told: VehicleCodes) -> None:
        self._read_last = told
        codes, frames = told.read.codes, told.frames
        self.keep.setEnabled(bool(told.read.units))
        story = f" {story_of(read.code for read in codes).text}" if codes else ""
        self._tell(f"{story.strip()}\n{told.read.text}".strip())
        self.table.setRowCount(len(codes))
        for row, read in enumerate(codes):
            known = known_codes().get(read.code.base)
            says = known.says if known is not None else say("not known here")
            cells = (
                _short(read.unit),
                str(read.code),
                says,
                ", ".join(map(say, read.kinds)),
                _now(read),
            )
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setTextAlignment(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft)
                self.table.setItem(row, column, item)
        names = [_identity_text(unit, known) for unit, known in told.identity.items() if known]
        self.frame.setText("\n".join([*map(_frame_text, frames), *names]))

    def _keep(self) -> None:
        if self._read_last is not None:
            self.kept.emit(self._read_last)
            self.close()

    def _confirm(self, words: tuple[str, str], job: Callable[[Diagnostics], str]) -> None:
        box = QMessageBox(self)
        box.setWindowTitle("Nervus")
        box.setText(words[0])
        box.setInformativeText(words[1])
        yes = box.addButton(say("Yes, do it"), QMessageBox.ButtonRole.AcceptRole)
        no = box.addButton(say("No"), QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(no)
        box.buttonClicked.connect(lambda button: self._do(job) if button is yes else None)
        box.open()

    def _do(self, job: Callable[[Diagnostics], str]) -> None:
        self._begin(say("looking whether the engine stands, then telling the control unit …"))
        self._ask(job).add_done_callback(
            lambda future: self._over(future, lambda told: self._told.emit(str(told)))
        )

    def _learned(self, diagnostics: Diagnostics) -> str:
        Writing(diagnostics.transport).learn_closed(self._unit, lambda: True)
        return say("The control unit has learned the closed stop. Key off now, to store it.")


def _now(read: ReadCode) -> str:
    if read.status is None:
        return ""
    return say("failing now") if read.status.failing_now else say("not now")


def _short(unit: int) -> str:
    return name_of(unit).removeprefix("control unit ")


def _read(diagnostics: Diagnostics) -> VehicleCodes:
    read = diagnostics.codes()
    identity = {unit: diagnostics.identity(unit) for unit in read.units}
    return VehicleCodes(read, diagnostics.freeze_frames(), identity)


def _clear(diagnostics: Diagnostics) -> str:
    return Writing(diagnostics.transport).clear_codes(lambda: True).text


def _identity_text(unit: int, known: dict[str, str]) -> str:
    return f"{name_of(unit).capitalize()}: {', '.join(known.values())}"


def _frame_text(frame: Frame) -> str:
    values = ", ".join(
        figures("{title} {v:.4g} {unit}", title=CHANNEL_KINDS[c].title, v=v, unit=CHANNEL_KINDS[c].unit)
        for c, v in frame.values.items()
    )
    return say("Frozen by {code}: {values}", code=frame.code, values=values)
