"""The watch after a repair: what is planned, how far it is, and what was seen."""

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.errors import OutsideError
from nervus.domain.job import Job, Recorded, Source, Stayed, new_id, now
from nervus.domain.repair import Exposure
from nervus.judge.timeline import last_change
from nervus.language import figures, say
from nervus.proof.proposing import PlanUnreadable, Proposal, planned, propose_watch
from nervus.proof.telling import amount_told, standing_told
from nervus.proof.watching import Standing, from_recording, plan_of, uncounted
from nervus.window.station_page import quiet
from nervus.window.theme import BRIGHT, Theme

_SURE = ((0.9, say("9 in 10")), (0.95, say("95 in 100")), (0.99, say("99 in 100")))
_TALLEST_LIST = 92


class WatchView(QWidget):
    """Plans a watch and takes in what was watched.

    Signals:
        put: an entry is to be kept.
        told_wrong: a sentence about what can't be taken.
    """

    put = pyqtSignal(object)
    told_wrong = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._job: Job | None = None
        self._stands: Standing | None = None
        self._like: Proposal | None = None
        self.gauge = Gauge(self)
        self.told = quiet("", self)
        self.told.setObjectName("")
        self._plan, self._take = QWidget(self), QWidget(self)
        self._lay_out_plan()
        self._lay_out_take()
        self.recordings = QListWidget(self)
        self.recordings.setAccessibleName(say("Recordings since the repair that are not counted yet"))
        self.recordings.setMaximumHeight(_TALLEST_LIST)
        self.recordings.itemActivated.connect(self._count)
        self.again = QPushButton(say("Plan it anew …"), self)
        self.again.clicked.connect(lambda: self._show_plan(shown=True))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        for widget in (self.gauge, self.told, self._plan, self._take, self.recordings):
            column.addWidget(widget)
        column.addWidget(self.again, 0, Qt.AlignmentFlag.AlignLeft)
        column.addStretch(1)

    def _lay_out_plan(self) -> None:
        self.why = quiet("", self._plan)
        self.exposure, self.sure = QComboBox(self._plan), QComboBox(self._plan)
        for exposure in Exposure:
            self.exposure.addItem(say(exposure), exposure)
        for share, words in _SURE:
            self.sure.addItem(words, share)
        self.sure.setCurrentIndex(1)
        self.events, self.amount = QLineEdit(self._plan), QLineEdit(self._plan)
        self.conditions = QLineEdit(self._plan)
        for line, name, hint in (
            (self.events, say("How often it failed before"), say("such as 3")),
            (self.amount, say("In how much"), say("such as 1.5")),
            (self.conditions, say("Under which conditions"), say("hot, wet, over bumps")),
        ):
            line.setAccessibleName(name)
            line.setPlaceholderText(hint)
            line.setMinimumHeight(36)
            line.returnPressed.connect(self._make_plan)
        self.exposure.setAccessibleName(say("What is counted"))
        self.sure.setAccessibleName(say("How sure it is to be"))
        for box in (self.exposure, self.sure):
            box.setMinimumHeight(36)
        self.make = QPushButton(say("Watch so"), self._plan)
        self.make.clicked.connect(self._make_plan)
        grid = QGridLayout(self._plan)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.addWidget(self.why, 0, 0, 1, 5)
        for column, (words, widget) in enumerate(
            (
                (say("It failed"), self.events),
                (say("times in"), self.amount),
                (say("of these"), self.exposure),
                (say("mended when sure"), self.sure),
            )
        ):
            grid.addWidget(QLabel(words, self._plan), 1, column)
            grid.addWidget(widget, 2, column)
        grid.addWidget(self.conditions, 3, 0, 1, 3)
        grid.addWidget(self.make, 3, 3)

    def _lay_out_take(self) -> None:
        self.much, self.seen, self.words = (QLineEdit(self._take) for _ in range(3))
        for line, name, hint in (
            (self.much, say("How much was watched"), say("how much")),
            (self.seen, say("How often it showed"), say("seen 0")),
            (
                self.words,
                say("Who saw it, under which conditions"),
                say("who, and under which conditions … Enter"),
            ),
        ):
            line.setAccessibleName(name)
            line.setPlaceholderText(hint)
            line.setMinimumHeight(36)
            line.returnPressed.connect(self._take_in)
        self.unit = QLabel("", self._take)
        row = QHBoxLayout(self._take)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.much, 1)
        row.addWidget(self.unit)
        row.addWidget(self.seen, 1)
        row.addWidget(self.words, 3)

    # -- what is shown -------------------------------------------------------------------------------

    def show_job(self, job: Job) -> None:
        """Show a job's watch; the numbers come with `show_standing`."""
        new = self._job is None or self._job.id != job.id
        self._job = job
        plan = plan_of(job)
        if new or plan is not None:
            self._show_plan(shown=plan is None)
        if plan is None and (new or not self.events.text()):
            self._propose(propose_watch(job))
        self.unit.setText(say(plan.exposure) if plan is not None else "")
        self.recordings.clear()
        for recorded, found in uncounted(job) if plan is not None else ():
            adds = from_recording(plan, found, recorded.duration_s) if plan is not None else None
            what = figures(
                "{name}, {duration_s:.0f} s", name=recorded.name, duration_s=recorded.duration_s
            )
            if adds is not None and plan is not None:
                shown = say("showed it {adds} times", adds=adds[1]) if adds[1] else say("without it")
                what += say(
                    ": Enter counts {amount_told}, {shown}",
                    amount_told=amount_told(adds[0], plan.exposure),
                    shown=shown,
                )
            else:
                what += say(": how much of the watch it was, only you can tell; type it above")
            item = QListWidgetItem(what, self.recordings)
            item.setData(Qt.ItemDataRole.UserRole, (recorded, adds))
        self.recordings.setVisible(self.recordings.count() > 0)

    def show_standing(self, stands: Standing | None) -> None:
        """How the watch stands now."""
        self._stands = stands
        self.gauge.show_standing(stands)
        self.told.setText("\n".join(standing_told(stands)) if stands is not None else "")
        self.told.setVisible(stands is not None)

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.gauge.theme = theme
        self.gauge.update()

    def _show_plan(self, *, shown: bool) -> None:
        self._plan.setVisible(shown)
        planned_now = self._job is not None and plan_of(self._job) is not None
        self._take.setVisible(planned_now)
        self.again.setVisible(planned_now and not shown)
        if shown and self._job is not None:
            self._propose(propose_watch(self._job))

    def _propose(self, like: Proposal) -> None:
        self._like = like
        self.why.setText(say("Proposed: {why}.", why=like.why) if like.why else "")
        self.exposure.setCurrentIndex(self.exposure.findData(like.exposure))
        self.events.setText("" if like.events is None else str(like.events))
        self.amount.setText("" if like.amount is None else figures("{amount:.4g}", amount=like.amount))
        self.conditions.setText(like.conditions)

    # -- what is entered -----------------------------------------------------------------------------

    def _make_plan(self) -> None:
        if self._job is None or self._like is None:
            return
        try:
            watch = planned(
                self.exposure.currentData(),
                self.events.text(),
                self.amount.text(),
                self.sure.currentData(),
                self.conditions.text(),
                self._like,
                self._job,
            )
        except OutsideError as wrong:
            self.told_wrong.emit(str(wrong))
            return
        self.put.emit(watch)
        self.much.setFocus(Qt.FocusReason.TabFocusReason)

    def _take_in(self) -> None:
        plan = plan_of(self._job) if self._job is not None else None
        if plan is None:
            return
        try:
            amount, events = _amount(self.much.text()), _events(self.seen.text())
        except PlanUnreadable as wrong:
            self.told_wrong.emit(str(wrong))
            return
        self._keep(plan.exposure, amount, events, self.words.text().strip()[:1000], None)
        for line in (self.much, self.seen, self.words):
            line.clear()
        self.much.setFocus(Qt.FocusReason.TabFocusReason)

    def _count(self, item: QListWidgetItem) -> None:
        recorded, adds = item.data(Qt.ItemDataRole.UserRole)
        plan = plan_of(self._job) if self._job is not None else None
        if plan is None:
            return
        if adds is None:
            self.words.setText(recorded.name)
            self.much.setFocus(Qt.FocusReason.TabFocusReason)
            return
        self._keep(plan.exposure, adds[0], adds[1], "", recorded)

    def _keep(
        self, exposure: Exposure, amount: float, events: int, words: str, recorded: Recorded | None
    ) -> None:
        change = last_change(self._job) if self._job is not None else None
        self.put.emit(
            Stayed(
                id=new_id(),
                at=now() if change is None else max(now(), change.at),
                source=Source.TYPED if recorded is None else Source.ANALYSIS,
                exposure=exposure,
                amount=amount,
                events=events,
                words=words,
                recording=recorded.id if recorded is not None else None,
            )
        )


class Gauge(QWidget):
    """How far a watch is: a bar with its end, and the number that counts."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme: Theme = BRIGHT
        self._stands: Standing | None = None
        self.setFixedHeight(58)
        self.setAccessibleName(say("How far the watch is"))

    def show_standing(self, stands: Standing | None) -> None:
        """Draw how a watch stands."""
        self._stands = stands
        self.setVisible(stands is not None)
        if stands is not None:
            self.setAccessibleDescription(" ".join(standing_told(stands)))
        self.update()

    @property
    def words(self) -> str:
        """What stands over the bar."""
        stands = self._stands
        if stands is None:
            return ""
        if stands.events:
            return say("it showed again, {events} times", events=stands.events)
        clean = (
            figures("{clean:.0f}", clean=stands.clean)
            if stands.watch.exposure.is_counted
            else figures("{clean:.3g}", clean=stands.clean)
        )
        return say(
            "{clean} clean of {amount_told}",
            clean=clean,
            amount_told=amount_told(stands.needed, stands.watch.exposure),
        )

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        stands = self._stands
        if stands is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        font = QFont(self.font())
        font.setPixelSize(20)
        font.setBold(True)
        painter.setFont(font)
        token = "inflamed" if stands.events else "proved" if stands.is_met else "ink"
        painter.setPen(self.theme.color(token))
        box = QRectF(0, 0, self.width(), 28)
        painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.words)
        bar = QRectF(1, 34, self.width() - 2, 18)
        painter.setPen(self.theme.pen("line", 1.0))
        painter.setBrush(self.theme.color("soft"))
        painter.drawRoundedRect(bar, 4, 4)
        share = min(stands.clean / stands.needed, 1.0) if stands.needed > 0 else 0.0
        filled = token if stands.events or stands.is_met else "action"
        if share > 0:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.theme.color(filled))
            painter.drawRoundedRect(
                QRectF(bar.left(), bar.top(), bar.width() * share, bar.height()), 4, 4
            )


def _amount(text: str) -> float:
    try:
        amount = float(text.strip().replace(",", "."))
    except ValueError:
        amount = -1.0
    if not 0.0 <= amount <= 1e7:
        raise PlanUnreadable(
            say(
                "“{strip}” is no amount that was watched; accepted is such as “2.5”.",
                strip=text.strip()[:20],
            )
        )
    return amount


def _events(text: str) -> int:
    typed = text.strip() or "0"
    if not typed.isdecimal() or len(typed) > 6:
        raise PlanUnreadable(
            say("“{typed}” is not how often it showed; accepted is such as “0”.", typed=typed[:20])
        )
    return int(typed)
