"""Stations that are a row of entries and one line to write another: pins, decision, repair, proof."""

from collections.abc import Callable
from datetime import date, timedelta

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QWidget,
)

from nervus.domain.errors import OutsideError
from nervus.domain.job import (
    UNFINISHED,
    AnyEntry,
    Change,
    CodeSet,
    Complaint,
    Decision,
    Face,
    Findings,
    Guided,
    Identified,
    Job,
    JobState,
    Look,
    MeterUsed,
    Moved,
    Reading,
    Recorded,
    Seen,
    Setting,
    Source,
    new_id,
    now,
    of_kind,
)
from nervus.domain.judgement import JobJudgement
from nervus.domain.quantity import read_quantity
from nervus.judge.timeline import untested_change
from nervus.judge.words import natural_frequency
from nervus.knowledge import look_items, told_in_words
from nervus.window.change_line import ChangeLine
from nervus.window.station_page import StationPage, quiet

_WATCH_DAYS = 14


def told(entry: AnyEntry) -> str:  # noqa: C901, PLR0911, PLR0912 - one line for each kind
    """An entry in one line."""
    match entry:
        case Complaint():
            return f"told: {told_in_words(entry) or 'nothing yet'}"
        case CodeSet():
            none = "none told" if entry.missing else "none"
            return f"codes {entry.moment}: {', '.join(c.code for c in entry.codes) or none}"
        case Identified():
            parts = (entry.vehicle, entry.calibration, entry.name)
            return f"{entry.module} is {', '.join(p for p in parts if p)}"
        case Look():
            title = next((i.title for i in look_items().item if i.id == entry.item), entry.item)
            mark = {Seen.GOOD: "✓", Seen.BAD: "bad:", Seen.NOT_SEEN: "not seen:"}[entry.seen]
            return f"{mark} {title}" + (f" · {entry.note}" if entry.note else "")
        case Reading():
            shown = "nothing" if entry.nothing else f"{entry.value:.6g} {entry.unit}"
            return f"{entry.where or 'measured'}: {shown}"
        case Face():
            return f"{entry.plug} drawn: {len(entry.pins)} pins"
        case MeterUsed():
            return f"meter: {entry.ohms / 1e6:g} MΩ, {entry.percent:g} % + {entry.digits}"
        case Setting():
            return _setting_told(entry)
        case Guided():
            return f"{entry.guide}: {len(entry.done)} steps done"
        case Recorded():
            name = entry.name if entry.name.startswith("recording") else f"recording {entry.name}"
            return f"{name}, not finished" if entry.digest == UNFINISHED else name
        case Findings():
            return f"{len(entry.findings)} findings: {entry.headline}"
        case Change():
            return f"done: {entry.done}"
        case Decision():
            return f"decided: {entry.words}"
        case Moved():
            return f"now {entry.state}" + (f" until {entry.due:%d %b %Y}" if entry.due else "")


def _setting_told(setting: Setting) -> str:
    low, high = setting.target_v
    state = "set" if setting.is_set else "being set"
    now = setting.closed_v if setting.closed_v is not None else setting.loose_v
    at = f", now {now:.2f} V" if now is not None else ""
    return f"sensor {state} to {low:g} … {high:g} V{at}"


class EntriesPage(StationPage):
    """A list of certain entries, the newest last, and what is needed to write one more.

    Signals:
        told_wrong: a sentence about what can't be taken as an entry.
    """

    told_wrong = pyqtSignal(str)

    def __init__(
        self, title: str, hint: str, kinds: tuple[type, ...], parent: QWidget | None = None
    ) -> None:
        super().__init__(title, hint, parent)
        self._kinds = kinds
        self.list = QListWidget(self)
        self.list.setAccessibleName(title)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.list.setWordWrap(True)
        self.nothing = quiet("Nothing is written here yet.", self)
        self.remove = QPushButton("Take out", self)
        self.remove.clicked.connect(self._take_out)
        self.column.addWidget(self.nothing)
        self.column.addWidget(self.list, 1)

    def show_job(self, job: Job) -> None:
        super().show_job(job)
        row = self.list.currentRow()
        self.list.clear()
        for entry in job.entries:
            if isinstance(entry, self._kinds):
                item = QListWidgetItem(f"{entry.at.astimezone():%d %b %H:%M}   {told(entry)}", self.list)
                item.setData(Qt.ItemDataRole.UserRole, entry)
                item.setToolTip(f"{told(entry)} ({entry.source})")
        some = self.list.count() > 0
        self.list.setVisible(some)
        self.nothing.setVisible(not some)
        self.remove.setEnabled(some)
        self.list.setCurrentRow(min(row, self.list.count() - 1) if row >= 0 else self.list.count() - 1)

    def _take_out(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.taken_out.emit(item.data(Qt.ItemDataRole.UserRole))


class WrittenPage(EntriesPage):
    """Entries of one kind, written in one line."""

    def __init__(
        self,
        title: str,
        hint: str,
        words: str,
        make: Callable[[str], AnyEntry],
        kind: type,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(title, hint, (kind,), parent)
        self._make = make
        self.line = QLineEdit(self)
        self.line.setAccessibleName(f"Write: {title}")
        self.line.setPlaceholderText(words)
        self.line.setMinimumHeight(36)
        self.line.returnPressed.connect(self._write)
        row = QHBoxLayout()
        row.addWidget(self.line, 1)
        row.addWidget(self.remove)
        self.column.addLayout(row)

    def begin(self) -> None:
        self.line.setFocus(Qt.FocusReason.TabFocusReason)

    def prepare(self, how: str, text: str) -> None:
        super().prepare(how, text)
        if text and not self.line.text().strip():
            self.line.setText(text)

    def _write(self) -> None:
        text = self.line.text().strip()
        if not text:
            return
        try:
            entry = self._make(text)
        except OutsideError as wrong:
            self.told_wrong.emit(str(wrong))
            return
        self.line.clear()
        self.put.emit(entry)


def reading(text: str) -> Reading:
    """A measured value as it was typed.

    Raises:
        QuantityUnreadable: it is none.
    """
    found = read_quantity(text)
    return Reading(
        id=new_id(),
        at=now(),
        source=Source.TYPED,
        where=found.where[:200],
        value=found.value,
        unit=found.unit,
    )


class MendPage(EntriesPage):
    """What was done to the vehicle, one thing at a time.

    Signals:
        setting_wanted: an adjustable sensor is to be set.
    """

    setting_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        hint = (
            "One thing, then the same test again. Battery isolated where the maker says so; "
            "the maker's procedure and local rules come first."
        )
        super().__init__("Mend", hint, (Change,), parent)
        self.change = ChangeLine(self)
        self.change.put.connect(self.put)
        self.column.addWidget(self.change)
        self.setting = QPushButton("Set a sensor …", self)
        self.setting.clicked.connect(self.setting_wanted)
        row = QHBoxLayout()
        row.addWidget(self.remove)
        row.addStretch(1)
        row.addWidget(self.setting)
        self.column.addLayout(row)

    def show_job(self, job: Job) -> None:
        super().show_job(job)
        self.change.show_job(job)

    def begin(self) -> None:
        self.change.line.setFocus(Qt.FocusReason.TabFocusReason)


class ProvePage(EntriesPage):
    """The job's course from beginning to end, and what it waits for now.

    Signals:
        history_wanted: an entry of which one wants to know what it was before.
    """

    history_wanted = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        hint = "The whole course of the job. It is mended when it stayed clean for long enough."
        super().__init__("Prove", hint, (object,), parent)
        self.untested = quiet("", self)
        self.untested.setObjectName("caution")
        row = QHBoxLayout()
        self.states: dict[JobState, QPushButton] = {}
        for state in JobState:
            button = QPushButton(_STATE_WORDS[state], self)
            button.setCheckable(True)
            button.setAccessibleName(f"The job is {state}")
            button.clicked.connect(lambda _on, state=state: self._move(state))
            row.addWidget(button)
            self.states[state] = button
        row.addStretch(1)
        self.history = QPushButton("As it was", self)
        self.history.setAccessibleName("What the chosen entry was before it was changed")
        self.history.clicked.connect(self._ask_history)
        row.addWidget(self.history)
        row.addWidget(self.remove)
        self.cured = quiet("", self)
        self.column.addWidget(self.cured)
        self.column.addWidget(self.untested)
        self.column.addLayout(row)

    def show_judgement(self, judged: JobJudgement | None) -> None:
        """How far what was read after the last change says that it cured."""
        cured = judged.cured if judged is not None else None
        told = natural_frequency(cured) if cured is not None else ""
        self.cured.setText(f"By all that was read since: cured, {told}." if told else "")
        self.cured.setVisible(bool(told))

    def show_job(self, job: Job) -> None:
        super().show_job(job)
        for state, button in self.states.items():
            button.setChecked(state is job.state)
        change = untested_change(job)
        self.untested.setText(f"“{change.done[:80]}” has not been tested yet." if change else "")
        self.untested.setVisible(change is not None)

    def begin(self) -> None:
        assert self.job is not None  # noqa: S101 - shown only with a job
        self.states[self.job.state].setFocus(Qt.FocusReason.TabFocusReason)

    def _ask_history(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.history_wanted.emit(item.data(Qt.ItemDataRole.UserRole))

    def _move(self, state: JobState) -> None:
        if self.job is None:
            return
        self.states[self.job.state].setChecked(True)
        due = date.today() + timedelta(days=_WATCH_DAYS) if state is JobState.WATCHING else None
        moved = of_kind(self.job.entries, Moved)
        if state is self.job.state and moved:
            return
        self.put.emit(Moved(id=new_id(), at=now(), source=Source.TYPED, state=state, due=due))


_STATE_WORDS = {
    JobState.OPEN: "open",
    JobState.WAITING: "waits for parts",
    JobState.WATCHING: f"watch for {_WATCH_DAYS} days",
    JobState.CAME_BACK: "came back",
    JobState.MENDED: "mended",
}
