"""The station Mend: what is done, step by step or in words, and what has to go back on."""

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QWidget,
)

from nervus.domain.errors import OutsideError
from nervus.domain.job import (
    AnyEntry,
    Change,
    Compared,
    Cost,
    Guided,
    Job,
    Source,
    TakenOff,
    new_id,
    now,
    of_kind,
)
from nervus.domain.judgement import JobJudgement
from nervus.judge.entry_words import off_told
from nervus.language import say
from nervus.mend.putting_back import check_of, off_now
from nervus.mend.written import read_compared, read_cost, read_taken_off
from nervus.window.pages.change_line import ChangeLine
from nervus.window.pages.entries_page import EntriesPage
from nervus.window.station_page import quiet

_KINDS = (Change, Guided, TakenOff, Compared, Cost)
_MOST_FAULTS, _MOST_TESTS = 12, 10
_MINUTE_MS = 60_000
_MORE: tuple[tuple[str, str, Callable[[str], AnyEntry | tuple[AnyEntry, ...]]], ...] = (
    (say("came off"), say("breather hose, coolant hose … then Enter"), read_taken_off),
    (say("it cost"), say("new sensor 75.50 · work 40 min … then Enter"), read_cost),
    (say("side by side"), say("old NUMBER 0.62 V, new NUMBER 0.50 V … then Enter"), read_compared),
)


class MendPage(EntriesPage):
    """What was done to the vehicle, one thing at a time.

    Signals:
        setting_wanted: an adjustable sensor is to be set.
        guide_wanted: work is to be guided step by step.
        clocked: a cost that the clock has counted: the job, and the entry.
        photo_wanted: a photo of two parts side by side is to be added to this entry.
    """

    setting_wanted = pyqtSignal()
    guide_wanted = pyqtSignal()
    photo_wanted = pyqtSignal(object)
    clocked = pyqtSignal(str, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        hint = say(
            "One thing, then the same test again. Battery isolated where the maker says "
            "so; the maker's procedure and local rules come first."
        )
        super().__init__(say("Mend"), hint, _KINDS, parent)
        self.off_told = quiet("", self)
        self.off_told.setObjectName("caution")
        self.off = QListWidget(self)
        self.off.setAccessibleName(say("What is off, in the order in which it goes back on"))
        self.off.setWordWrap(True)
        self.off.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.off.itemActivated.connect(lambda _item: self._back_on())
        self.back_on = QPushButton(say("It is back on"), self)
        self.back_on.clicked.connect(self._back_on)
        self.waiver = QLineEdit(self)
        self.waiver.setPlaceholderText(say("or why it stays off … then Enter"))
        self.waiver.setAccessibleName(say("Why the chosen thing stays off"))
        self.waiver.returnPressed.connect(self._waive)
        self._off_row = QWidget(self)
        row = QHBoxLayout(self._off_row)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.back_on)
        row.addWidget(self.waiver, 1)
        self.change = ChangeLine(self)
        self.change.put.connect(self._changed)
        self.column.addWidget(self.off_told)
        self.column.addWidget(self.off, 1)
        self.column.addWidget(self._off_row)
        self.column.addWidget(self.change)
        self._add_meant()
        self._add_more()
        self._add_buttons()
        self._clock = QTimer(self)
        self._clock.setInterval(_MINUTE_MS)
        self._clock.timeout.connect(self._tick)
        self._clocked: tuple[str, Cost] | None = None

    def _add_meant(self) -> None:
        self.cures, self.shown_by = QComboBox(self), QComboBox(self)
        self.cures.setAccessibleName(say("Which fault the change is meant to cure"))
        self.shown_by.setAccessibleName(say("Which test will show it"))
        self.swapped = QCheckBox(say("a known good spare, taken out again: a test"), self)
        # Asked for once a change is being written: until then the lists have the room.
        self._meant = QWidget(self)
        self._meant.hide()
        self.change.line.textChanged.connect(lambda _text: self._give_room())
        row = QHBoxLayout(self._meant)
        row.setContentsMargins(0, 0, 0, 0)
        for box in (self.cures, self.shown_by):
            box.setMinimumHeight(36)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(16)
            row.addWidget(box, 1)
        row.addWidget(self.swapped)
        self.column.addWidget(self._meant)
        self.show_judgement(None)

    def _add_more(self) -> None:
        self.kind = QComboBox(self)
        self.kind.setMinimumHeight(36)
        self.kind.setAccessibleName(say("What else is written down"))
        for words, _hint, _read in _MORE:
            self.kind.addItem(words)
        self.more = QLineEdit(self)
        self.more.setMinimumHeight(36)
        self.more.setAccessibleName(say("What came off, what it cost, or two parts side by side"))
        self.more.returnPressed.connect(self._write_more)
        self.kind.currentIndexChanged.connect(lambda row: self.more.setPlaceholderText(_MORE[row][1]))
        self.more.setPlaceholderText(_MORE[0][1])
        row = QHBoxLayout()
        row.addWidget(self.kind)
        row.addWidget(self.more, 1)
        self.column.addLayout(row)

    def _add_buttons(self) -> None:
        self.guide = QPushButton(say("Step by step …"), self)
        self.guide.clicked.connect(self.guide_wanted)
        self.setting = QPushButton(say("Set a sensor …"), self)
        self.setting.clicked.connect(self.setting_wanted)
        self.photo = QPushButton(say("Photo of both parts …"), self)
        self.photo.clicked.connect(self._ask_photo)
        self.clock = QPushButton(say("Clock"), self)
        self.clock.setCheckable(True)
        self.clock.setAccessibleName(say("A clock that runs with the job"))
        self.clock.clicked.connect(self._toggle_clock)
        row = QHBoxLayout()
        for button in (self.guide, self.setting, self.photo, self.clock):
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(self.remove)
        self.column.addLayout(row)

    # -- what is shown -------------------------------------------------------------------------------

    def show_job(self, job: Job) -> None:
        super().show_job(job)
        self.change.show_job(job)
        off = off_now(job)
        chosen = self.off.currentRow()
        self.off.clear()
        for entry in off:
            check = check_of(entry.what)
            item = QListWidgetItem(f"{off_told(entry)}: {check}" if check else off_told(entry), self.off)
            item.setData(Qt.ItemDataRole.UserRole, entry)
        self.off.setCurrentRow(min(max(chosen, 0), len(off) - 1))
        self._give_room()
        self.photo.setVisible(bool(of_kind(job.entries, Compared)))
        if self._clocked is not None and self._clocked[0] != job.id:
            self._stop_clock()

    def _give_room(self) -> None:
        """While a change is written, what it is meant for stands where the list of what is off was."""
        writes, some_off = bool(self.change.line.text().strip()), self.off.count() > 0
        self._meant.setVisible(writes)
        self.off_told.setVisible(some_off)
        self.off_told.setText(
            say("Still off: {count}; listed again once the change is written.", count=self.off.count())
            if writes
            else say("Off now; this is the order in which it goes back on. Enter: it is back on.")
        )
        self.off.setVisible(some_off and not writes)
        self._off_row.setVisible(some_off and not writes)

    def show_judgement(self, judged: JobJudgement | None) -> None:
        """The faults that a change may be meant for, and the tests that may show it."""
        faults = judged.faults[:_MOST_FAULTS] if judged is not None else ()
        tests = judged.tests[:_MOST_TESTS] if judged is not None else ()
        for box, first, rows in (
            (self.cures, say("meant for …"), [(f.text, f.id) for f in faults]),
            (self.shown_by, say("to be shown by …"), [(t.text, t.id) for t in tests]),
        ):
            chosen = box.currentData()
            box.clear()
            box.addItem(first, "")
            if box is self.shown_by:
                box.addItem(say("the same recording again"), "same_recording")
            for text, name in rows:
                box.addItem(text, name)
            box.setCurrentIndex(max(0, box.findData(chosen)))

    def begin(self) -> None:
        self.change.line.setFocus(Qt.FocusReason.TabFocusReason)

    # -- what is entered -----------------------------------------------------------------------------

    def _changed(self, change: Change) -> None:
        self.put.emit(
            replace(
                change,
                cures=self.cures.currentData() or "",
                shown_by=self.shown_by.currentData() or "",
                swapped_back=self.swapped.isChecked(),
            )
        )
        for box in (self.cures, self.shown_by):
            box.setCurrentIndex(0)
        self.swapped.setChecked(False)

    def _write_more(self) -> None:
        try:
            made = _MORE[self.kind.currentIndex()][2](self.more.text())
        except OutsideError as wrong:
            self.told_wrong.emit(str(wrong))
            return
        self.more.clear()
        for entry in made if isinstance(made, tuple) else (made,):
            self.put.emit(entry)

    def _chosen_off(self) -> TakenOff | None:
        item = self.off.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item is not None else None

    def _back_on(self) -> None:
        entry = self._chosen_off()
        if entry is not None:
            self.put.emit(replace(entry, put_back=True))

    def _waive(self) -> None:
        entry, why = self._chosen_off(), self.waiver.text().strip()
        if entry is not None and why:
            self.waiver.clear()
            self.put.emit(replace(entry, waived=why))

    def _ask_photo(self) -> None:
        pairs = of_kind(self.job.entries, Compared) if self.job is not None else ()
        if pairs:
            self.photo_wanted.emit(pairs[-1])

    # -- the clock -----------------------------------------------------------------------------------

    def _toggle_clock(self) -> None:
        if not self.clock.isChecked():
            self._stop_clock()
        elif self.job is not None:
            cost = Cost(id=new_id(), at=now(), source=Source.SEEN, what=say("work, by the clock"))
            self._clocked = (self.job.id, cost)
            self._clock.start()
            self.clock.setText(say("Clock runs"))

    def _tick(self) -> None:
        """Each minute is kept as it passes: a power cut loses no more."""
        if self._clocked is not None:
            job_id, cost = self._clocked
            self._clocked = (job_id, replace(cost, minutes=cost.minutes + 1.0))
            self.clocked.emit(*self._clocked)

    def _stop_clock(self) -> None:
        self._clock.stop()
        self._clocked = None
        self.clock.setChecked(False)
        self.clock.setText(say("Clock"))
