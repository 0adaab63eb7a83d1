"""The station Prove: the watch, before over after, the whole course, and the state of the job."""

from collections.abc import Callable
from datetime import date

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.errors import OutsideError
from nervus.domain.job import Job, JobState, Moved, of_kind
from nervus.domain.judgement import JobJudgement
from nervus.judge.timeline import codes_not_read_again, last_change, untested_change
from nervus.judge.words import natural_frequency
from nervus.knowledge.own_prices import OwnPrices
from nervus.language import say
from nervus.proof.states import due_day, moved_to
from nervus.proof.watching import Standing, plan_of, prior_of, standing
from nervus.window.pages.compare_view import CompareView
from nervus.window.pages.entries_page import EntriesPage
from nervus.window.pages.watch_view import WatchView
from nervus.window.station_page import quiet, scrolled
from nervus.window.tasks import Task
from nervus.window.theme import Theme

WATCH, COMPARE, COURSE = say("how long clean"), say("before and after"), say("the whole course")
_STATE_WORDS = {
    JobState.OPEN: say("open"),
    JobState.WAITING: say("waits for parts"),
    JobState.WATCHING: say("watching"),
    JobState.CAME_BACK: say("came back"),
    JobState.MENDED: say("mended"),
}


class ProvePage(EntriesPage):
    """Whether a repair holds, and what the job waits for.

    Signals:
        history_wanted: an entry of which one wants to know what it was before.
        report_wanted: the report of the job is to be written.
    """

    history_wanted = pyqtSignal(object)
    report_wanted = pyqtSignal()

    def __init__(
        self, compare: CompareView, own: Callable[[], OwnPrices], parent: QWidget | None = None
    ) -> None:
        hint = say(
            "It is mended when it stayed clean for long enough. Road test only when safe, "
            "with a second person to read; never while it revs by itself."
        )
        super().__init__(say("Prove"), hint, (object,), parent)
        self._own = own
        self._standing: Standing | None = None
        self._of: Job | None = None
        self.watch, self.compare = WatchView(self), compare
        self.watch.put.connect(self.put)
        self.watch.told_wrong.connect(self.told_wrong)
        self.cured, self.untested = quiet("", self), quiet("", self)
        self.untested.setObjectName("caution")
        self.wrong = quiet("", self)
        self.wrong.setObjectName("caution")
        self.wrong.hide()
        self.told_wrong.connect(self._tell_wrong)
        self._lay_out_views()
        self.column.addWidget(self.untested)
        self.column.addWidget(self.wrong)
        self._lay_out_states()

    def _lay_out_views(self) -> None:
        course = QWidget(self)
        inner = QVBoxLayout(course)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.addWidget(self.nothing)
        inner.addWidget(self.list, 1)
        self.history = QPushButton(say("As it was"), course)
        self.history.setAccessibleName(say("What the chosen entry was before it was changed"))
        self.history.clicked.connect(self._ask_history)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(self.history)
        row.addWidget(self.remove)
        inner.addLayout(row)
        self.stack = QStackedWidget(self)
        self.views: dict[str, QPushButton] = {}
        group, buttons = QButtonGroup(self), QHBoxLayout()
        watch = scrolled(self.watch, self)
        for name, view in ((WATCH, watch), (COMPARE, self.compare), (COURSE, course)):
            button = QPushButton(name, self)
            button.setCheckable(True)
            button.clicked.connect(lambda _on, name=name: self.show_view(name))
            group.addButton(button)
            buttons.addWidget(button)
            self.stack.addWidget(view)
            self.views[name] = button
        buttons.addStretch(1)
        buttons.addWidget(self.cured)
        self.column.addLayout(buttons)
        self.column.addWidget(self.stack, 1)
        self.show_view(WATCH)

    def _lay_out_states(self) -> None:
        self.why = QLineEdit(self)
        self.why.setPlaceholderText(
            say("why, where something speaks against it; or the day to come back to it")
        )
        self.why.setAccessibleName(say("Why the job goes into this state, or its day"))
        self.why.setMinimumHeight(36)
        row = QHBoxLayout()
        self.states: dict[JobState, QPushButton] = {}
        for state in JobState:
            button = QPushButton(_STATE_WORDS[state], self)
            button.setCheckable(True)
            button.setAccessibleName(say("The job is {state}", state=state))
            button.clicked.connect(lambda _on, state=state: self._move(state))
            row.addWidget(button)
            self.states[state] = button
        row.addStretch(1)
        self.report = QPushButton(say("Report …"), self)
        self.report.clicked.connect(self.report_wanted)
        row.addWidget(self.report)
        self.column.addWidget(self.why)
        self.column.addLayout(row)

    # -- what is shown -------------------------------------------------------------------------------

    def show_view(self, name: str) -> None:
        """Change to one of the three views."""
        self.views[name].setChecked(True)
        self.stack.setCurrentIndex(list(self.views).index(name))
        if name == COMPARE:
            self.compare.compare()

    def show_judgement(self, judged: JobJudgement | None) -> None:
        """How far what was read after the last change says that it cured."""
        cured = judged.cured if judged is not None else None
        told = natural_frequency(cured) if cured is not None else ""
        self.cured.setText(say("By all that was read since: cured, {told}.", told=told) if told else "")
        self.cured.setVisible(bool(told))

    def show_job(self, job: Job) -> None:
        if self.job is None or self.job.id != job.id:
            self.wrong.hide()
            self.show_view(WATCH)
        super().show_job(job)
        for state, button in self.states.items():
            button.setChecked(state is job.state)
        change = untested_change(job)
        said = (
            [say("“{done}” has not been tested yet.", done=change.done[:80])]
            if change is not None
            else []
        )
        if codes_not_read_again(job):
            said.append(say("The codes have not been read again since the last change."))
        self.untested.setText(" ".join(said))
        self.untested.setVisible(bool(said))
        self.watch.show_job(job)
        self.compare.show_job(job)
        self.compare.make_ready()
        self._stand(job)

    def _stand(self, job: Job) -> None:
        """How the watch stands: the judgement behind it is made beside the interface."""
        self._of = job
        if plan_of(job) is None:
            self._standing = None
            self.watch.show_standing(None)
            return
        own = self._own()
        task = Task(lambda _progress: standing(job, prior_of(job, own)), self)
        task.succeeded.connect(lambda stands: self._stands(job, stands))
        task.failed.connect(self.told_wrong)
        task.start()

    def _stands(self, job: Job, stands: Standing | None) -> None:
        if self._of is job:
            self._standing = stands
            self.watch.show_standing(stands)
            met = stands is not None and stands.is_met
            mended = self.states[JobState.MENDED]
            mended.setText(say("mended: the plan is met") if met else _STATE_WORDS[JobState.MENDED])

    def apply_theme(self, theme: Theme) -> None:
        self.watch.apply_theme(theme)

    def begin(self) -> None:
        job = self.job
        assert job is not None  # noqa: S101 - shown only with a job
        first: QWidget = self.states[job.state]
        if last_change(job) is not None and self.stack.currentIndex() == 0:
            first = self.watch.events if plan_of(job) is None else self.watch.much
        first.setFocus(Qt.FocusReason.TabFocusReason)

    # -- what is entered -----------------------------------------------------------------------------

    def _ask_history(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.history_wanted.emit(item.data(Qt.ItemDataRole.UserRole))

    def _move(self, state: JobState) -> None:
        if self.job is None:
            return
        self.states[self.job.state].setChecked(True)
        if state is not self.job.state:
            self.states[state].setChecked(False)
        text = self.why.text().strip()
        if state is self.job.state and of_kind(self.job.entries, Moved) and not text:
            return
        is_day = bool(text) and text.replace("-", "").isdecimal()
        try:
            due = due_day(text, date.today()) if is_day and state in _HAS_DUE else None
            moved = moved_to(self.job, state, self._standing, "" if due else text, due)
        except OutsideError as wrong:
            self._tell_wrong(str(wrong))
            self.why.setFocus(Qt.FocusReason.TabFocusReason)
            return
        self.wrong.hide()
        self.why.clear()
        self.put.emit(moved)

    def _tell_wrong(self, sentence: str) -> None:
        self.wrong.setText(sentence)
        self.wrong.show()


_HAS_DUE = (JobState.WATCHING, JobState.WAITING, JobState.OPEN, JobState.CAME_BACK)
