"""Decide: why it is whom, which test is worth its minutes, what each way costs; and what is decided."""

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from nervus.domain.job import AnyEntry, Decision, Job
from nervus.domain.judgement import JobJudgement, LedgerLine, Outcome
from nervus.domain.suspect import SuspectId
from nervus.judge.job_words import at_hand_words
from nervus.judge.what_if import what_if
from nervus.judge.words import SUSPECT_NAMES, natural_frequency
from nervus.language import say
from nervus.window.pages.balance_view import BalanceView
from nervus.window.pages.entries_page import WrittenPage
from nervus.window.pages.tests_view import TestsView
from nervus.window.pages.ways_view import WaysView
from nervus.window.station_page import quiet, scrolled
from nervus.window.theme import Theme

_SHOWN_SUSPECTS, _SHOWN_REMARKS = 3, 2
_OUTCOMES = {
    Outcome.CLEAR: say("Clear enough to act on."),
    Outcome.BETWEEN: say("Between two."),
    Outcome.NOT_ENOUGH: say("Not enough to go by."),
}
_LIST_HEIGHT = 62


class DecidePage(WrittenPage):
    """The decision, under the picture of its reasons, the tests that are left, and the ways.

    Signals:
        supposed: a judgement as it would stand after an outcome, or `None` to go back.
        begun: a test is begun.
        prices_wanted: the workshop's own times and prices are to be set.
    """

    supposed = pyqtSignal(object)
    begun = pyqtSignal(object)
    prices_wanted = pyqtSignal()

    def __init__(self, make: Callable[[str], AnyEntry], parent: QWidget | None = None) -> None:
        hint = say("What stands at the right is kept with it. Nervus advises; the technician decides.")
        words = say("what is decided, and why … then Enter")
        super().__init__(say("Decide"), hint, words, make, Decision, parent)
        self._judged: JobJudgement | None = None
        self._suspect: SuspectId | None = None
        self.balance, self.tests, self.ways = BalanceView(self), TestsView(self), WaysView(self)
        self.at_hand = quiet("", self)
        self.prices = QPushButton(say("Own times, prices and tools …"), self)
        self.prices.clicked.connect(self.prices_wanted)
        self.how_far = quiet("", self)
        self.source = quiet("", self)
        self.remarks = quiet("", self)
        self.stack = QStackedWidget(self)
        self.views: dict[str, QPushButton] = {}
        self.suspects: list[QPushButton] = []
        self._suspect_row = QHBoxLayout()
        self._lay_out()
        self.tests.tried.connect(self._try)
        self.tests.begun.connect(self.begun)
        self.balance.chosen.connect(self._chosen)

    def _lay_out(self) -> None:
        group, row = QButtonGroup(self), QHBoxLayout()
        for number, words in enumerate(("Why", "Next test", "Ways")):
            button = QPushButton(say(words), self)
            button.setCheckable(True)
            button.setObjectName("view")
            button.setToolTip(say("Ctrl {number}", number=number + 1))
            button.setAccessibleName(say("Show: {words}", words=say(words)))
            button.clicked.connect(lambda _on, n=number: self.show_view(n))
            key = QShortcut(QKeySequence(f"Ctrl+{number + 1}"), self)
            key.activated.connect(lambda n=number: self.show_view(n))
            group.addButton(button)
            row.addWidget(button)
            self.views[words] = button
        row.addSpacing(12)
        row.addWidget(self.how_far, 1)
        why = QWidget(self)
        column = QVBoxLayout(why)
        column.setContentsMargins(0, 0, 0, 0)
        self._suspect_row.setSpacing(6)
        column.addLayout(self._suspect_row)
        column.addWidget(scrolled(self.balance, why), 1)
        column.addWidget(self.source)
        column.addWidget(self.remarks)
        costs = QWidget(self)
        below = QVBoxLayout(costs)
        below.setContentsMargins(0, 0, 0, 0)
        below.addWidget(scrolled(self.ways, costs), 1)
        below.addWidget(self.at_hand)
        below.addWidget(self.prices, 0, Qt.AlignmentFlag.AlignLeft)
        for view in (why, self.tests, costs):
            self.stack.addWidget(view)
        self.column.insertLayout(0, row)
        self.column.insertWidget(1, self.stack, 1)
        self.list.setMaximumHeight(_LIST_HEIGHT)
        self.nothing.setText(say("Nothing is decided yet."))
        self.views["Why"].setChecked(True)

    def show_job(self, job: Job) -> None:
        if self.job is None or self.job.id != job.id:
            # Another job: its own first suspect, its own best test.
            self._suspect = None
            self.tests.choose_best()
            if self._judged is not None:
                self._offer_suspects(self._judged)
        super().show_job(job)

    def show_view(self, number: int) -> None:
        """Show the reasons (0), the tests (1) or the ways (2)."""
        list(self.views.values())[number].setChecked(True)
        self.stack.setCurrentIndex(number)
        if number != 1:
            self.tests.back()
            self.supposed.emit(None)

    def apply_theme(self, theme: Theme) -> None:
        for view in (self.balance, self.tests, self.ways):
            view.apply_theme(theme)

    def show_judgement(self, judged: JobJudgement | None) -> None:
        """Show all that a judgement says."""
        self._judged = judged
        for widget in (*self.views.values(), self.stack):
            widget.setVisible(judged is not None)
        if judged is None:
            self.how_far.setText(
                say("Nothing is weighed yet: begin with complaint, codes or a recording.")
            )
            return
        self.how_far.setText(" ".join((_OUTCOMES[judged.outcome], judged.missing)).strip())
        self._offer_suspects(judged)
        self.tests.show_tests(judged.tests)
        self.ways.show_ways(judged.schools)
        at_hand = at_hand_words(judged.schools)
        self.at_hand.setText(at_hand)
        self.at_hand.setVisible(bool(at_hand))
        told = [say("Contradiction: {text}.", text=r.text) for r in judged.contradictions]
        told += [say("Not weighed: {text}.", text=r.text) for r in judged.not_weighed]
        more = len(told) - _SHOWN_REMARKS
        shown = [*told[:_SHOWN_REMARKS], *([say("and {more} more", more=more)] if more > 0 else [])]
        self.remarks.setText("\n".join(shown))
        self.remarks.setToolTip("\n".join(told))
        self.remarks.setVisible(bool(told))
        self.source.setText(
            say(
                "{len} observations; without a bold one another is first. {turning}",
                len=len(judged.ledger),
                turning=judged.turning,
            )
        )

    def _offer_suspects(self, judged: JobJudgement) -> None:
        shown = judged.standing.suspects[:_SHOWN_SUSPECTS]
        if self._suspect not in [s.id for s in shown]:
            self._suspect = shown[0].id
        while (item := self._suspect_row.takeAt(0)) is not None:
            old = item.widget()
            if old is not None:
                old.hide()
                old.deleteLater()
        self.suspects = []
        for suspect in shown:
            words = f"{SUSPECT_NAMES[suspect.id]}  {natural_frequency(suspect.probability)}"
            button = QPushButton(say(words), self)
            button.setCheckable(True)
            button.setObjectName("choice")
            button.setAccessibleName(say("Reasons for {words}", words=words))
            button.setChecked(suspect.id is self._suspect)
            button.clicked.connect(lambda _on, s=suspect.id: self._ask_about(s))
            self._suspect_row.addWidget(button)
            self.suspects.append(button)
        self._suspect_row.addStretch(1)
        assert self._suspect is not None  # noqa: S101 - set above
        self.balance.show_ledger(judged.ledger, self._suspect)

    def _ask_about(self, suspect: SuspectId) -> None:
        self._suspect = suspect
        if self._judged is not None:
            self._offer_suspects(self._judged)

    def _chosen(self, line: LedgerLine) -> None:
        turns = say(" Without it another would be first.") if line.turns else ""
        self.source.setText(f"{line.text}: {line.source}.{turns}")

    def _try(self, test: object, outcome: object) -> None:
        if test is None or self._judged is None:
            self.supposed.emit(None)
        else:
            self.supposed.emit(what_if(self._judged, outcome))  # type: ignore[arg-type] # as emitted
