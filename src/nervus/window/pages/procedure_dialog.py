"""A procedure on screen: what must be at hand, one step at a time with its caution, waits, and data."""

from collections.abc import Callable

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.channel import Recording
from nervus.domain.errors import OutsideError
from nervus.domain.job import Change, Guided, Source, new_id, now, of_kind
from nervus.knowledge.known_procedures import Answer, Procedure, Step, procedures
from nervus.language import say
from nervus.mend.guiding import (
    begin_guide,
    came_off,
    is_begun,
    left_s,
    next_step,
    step_answered,
    waiting_since,
    with_at_hand,
)
from nervus.mend.putting_back import already_off
from nervus.mend.settled import settled
from nervus.window.jobs.job_part import JobPart
from nervus.window.pages.bolt_circle import BoltCircle
from nervus.window.sounds.setting_tone import SettledTone
from nervus.window.sounds.sound import SoundOut
from nervus.window.station_page import quiet, scrolled
from nervus.window.theme import Theme

_HINTS = {
    Answer.DONE: say("Enter when it is done, with a remark or without"),
    Answer.YES: say("yes or no, then Enter"),
    Answer.VALUE: say("the value with its unit, then Enter"),
}
_WITHOUT = say("what is missing, and why it goes without … or tick all, then Enter")
_TICK_MS, _SOUND_MS, _LOOK_TICKS = 500, 40, 4


class ProcedureDialog(QDialog):
    """Guides through one piece of work; every answer is kept in the job at once.

    Signals:
        setting_wanted: the sensor is to be set now.
    """

    setting_wanted = pyqtSignal()

    def __init__(
        self,
        part: JobPart,
        theme: Theme,
        parent: QWidget | None = None,
        recent: Callable[[], Recording | None] = lambda: None,
    ) -> None:
        super().__init__(parent)
        self._part, self._recent = part, recent
        self.setWindowTitle(say("Step by step"))
        self.resize(820, 680)
        self.choice = QComboBox(self)
        self.choice.setAccessibleName(say("What is done"))
        self.choice.setMinimumHeight(36)
        throttle = part.job.vehicle.throttle if part.job is not None else None
        for procedure in procedures():
            if throttle is None or procedure.throttle in (None, throttle):
                self.choice.addItem(procedure.title, procedure)
        self.about = quiet("", self)
        self.voids = quiet("", self)
        self.voids.setObjectName("caution")
        self.text, self.caution = QLabel("", self), quiet("", self)
        self.text.setObjectName("headline")
        self.text.setWordWrap(True)
        self.caution.setObjectName("caution")
        self.bolts = BoltCircle(self)
        self.bolts.apply_theme(theme)
        self.more = quiet("", self)
        self.line = QLineEdit(self)
        self.line.setMinimumHeight(44)
        self.line.setAccessibleName(say("The answer to the step, then Enter"))
        self.line.returnPressed.connect(self._entered)
        self.wrong = quiet("", self)
        self.so_far = QListWidget(self)
        self.so_far.setAccessibleName(say("What was done so far"))
        self.so_far.setMinimumHeight(90)
        self.at_hand: list[QCheckBox] = []
        self._ticks = 0
        self._tone = SettledTone()
        self._sound: SoundOut | None = None
        self._rung: tuple[str, str] = ("", "")
        self._lay_out()
        self._tick = QTimer(self)
        self._tick.setInterval(_TICK_MS)
        self._tick.timeout.connect(self._on_tick)
        self._tick.start()
        self._sounding = QTimer(self)
        self._sounding.setInterval(_SOUND_MS)
        self._sounding.timeout.connect(self._sound_on)
        self.choice.activated.connect(lambda _row: self._show())
        self._show()

    def _lay_out(self) -> None:
        leave = QPushButton(say("Close"), self)
        leave.setAutoDefault(False)
        leave.clicked.connect(self.close)
        self.set_sensor = QPushButton(say("Set the sensor now …"), self)
        self.set_sensor.setAutoDefault(False)
        self.set_sensor.clicked.connect(self._go_setting)
        row = QHBoxLayout()
        row.addWidget(self.set_sensor)
        row.addStretch(1)
        row.addWidget(leave)
        inner = QWidget(self)
        self._hand = QVBoxLayout()
        self._hand.setSpacing(4)
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(10)
        first = quiet(say("The maker's procedure and local rules come first."), self)
        for widget in (first, self.about, self.voids, self.text, self.caution, self.bolts, self.more):
            column.addWidget(widget)
        column.addLayout(self._hand)
        column.addWidget(self.so_far, 1)
        column.addStretch(1)
        whole = QVBoxLayout(self)
        whole.setSpacing(10)
        whole.addWidget(self.choice)
        whole.addWidget(scrolled(inner, self), 1)
        whole.addWidget(self.wrong)
        whole.addWidget(self.line)
        whole.addLayout(row)

    # -- which procedure, and how far ----------------------------------------------------------------

    def choose(self, name: str) -> None:
        """Show a procedure by its name."""
        for row in range(self.choice.count()):
            if self.choice.itemData(row).id == name:
                self.choice.setCurrentIndex(row)
                self._show()

    @property
    def procedure(self) -> Procedure:
        """The one that is chosen."""
        chosen = self.choice.currentData()
        assert isinstance(chosen, Procedure)  # noqa: S101 - all rows hold one
        return chosen

    @property
    def done_so_far(self) -> Guided:
        """What the job holds of it; a finished one is begun anew."""
        job = self._part.job
        held = of_kind(job.entries, Guided) if job is not None else ()
        last = next((g for g in reversed(held) if g.guide == self.procedure.id), None)
        if last is None or next_step(self.procedure, last) is None:
            return begin_guide(self.procedure)
        return last

    def _show(self, done: Guided | None = None) -> None:
        done = done or self.done_so_far
        procedure = self.procedure
        begun = is_begun(procedure, done)
        step = next_step(procedure, done)
        self.wrong.hide()
        self._show_about(procedure, begun=bool(done.done))
        self._ask_at_hand(() if begun else procedure.at_hand)
        if not begun:
            self._show_step(say("Is everything at hand, before anything is taken apart?"), "", None)
            self.line.setPlaceholderText(_WITHOUT)
        elif step is None:
            usual = (
                say(" Usual now, and no fault: {join}.", join="; ".join(procedure.expect))
                if procedure.expect
                else ""
            )
            self._show_step(
                say("All steps are done; it is kept in the job.{usual}", usual=usual), "", None
            )
            self.line.setPlaceholderText("")
        else:
            self._show_step(step.text, step.caution, step)
            self.line.setPlaceholderText(_HINTS[step.answer])
        self.line.setEnabled(not begun or step is not None)
        self.set_sensor.setVisible(begun and step is None and procedure.leads_to == "setting")
        self.so_far.clear()
        for one in (*procedure.step, *procedure.detour):
            if one.id in done.done:
                self.so_far.addItem(f"{one.text}: {done.done[one.id]}")
        self.so_far.setVisible(self.so_far.count() > 0)
        self._tell_more(done, step if begun else None)
        (self.at_hand[0] if self.at_hand else self.line).setFocus()

    def _show_about(self, procedure: Procedure, *, begun: bool) -> None:
        parts = [say("about {minutes} minutes", minutes=procedure.minutes)]
        if procedure.tools:
            parts.append(say("tools: {join}", join=", ".join(procedure.tools)))
        if procedure.conditions:
            parts.append(say("only when: {join}", join=", ".join(procedure.conditions)))
        lines = [" · ".join(parts)]
        if procedure.why:
            lines.insert(0, procedure.why)
        self.about.setText("\n".join(lines))
        self.voids.setText(say("What makes it worthless: {join}.", join="; ".join(procedure.voids)))
        self.voids.setVisible(bool(procedure.voids) and not begun)

    def _show_step(self, text: str, caution: str, step: Step | None) -> None:
        self.text.setText(text)
        self.caution.setText(caution)
        self.caution.setVisible(bool(caution))
        self.bolts.setVisible(step is not None and step.bolts)
        if step is not None and step.torque is not None:
            self.bolts.show_torques(step.torque.nm)

    def _ask_at_hand(self, wanted: tuple[str, ...]) -> None:
        for box in self.at_hand:
            self._hand.removeWidget(box)
            box.hide()
            box.deleteLater()
        self.at_hand = []
        for name in wanted:
            box = QCheckBox(name, self)
            box.setMinimumHeight(28)
            self._hand.addWidget(box)
            self.at_hand.append(box)

    # -- what is entered -----------------------------------------------------------------------------

    def _entered(self) -> None:
        procedure, done = self.procedure, self.done_so_far
        text = self.line.text()
        step = next_step(procedure, done)
        try:
            if not is_begun(procedure, done):
                there = tuple(box.text() for box in self.at_hand if box.isChecked())
                made = with_at_hand(done, there, procedure.at_hand, text)
            elif step is not None and step.wait_s and not text.strip() and step.id not in done.waits:
                made = waiting_since(done, step, now())
            else:
                made = step_answered(procedure, done, text)
                self._take_off(step, procedure, made)
        except OutsideError as wrong:
            self.wrong.setText(str(wrong))
            self.wrong.show()
            return
        self.line.clear()
        self._part.put(made)
        if next_step(procedure, made) is None and is_begun(procedure, made) and procedure.done:
            self._part.put(Change(id=new_id(), at=now(), source=Source.SEEN, done=procedure.done))
        self._show(made)

    def _take_off(self, step: Step | None, procedure: Procedure, done: Guided) -> None:
        job = self._part.job
        if step is None or job is None:
            return
        known = already_off(job, done)
        for entry in came_off(step, procedure, done):
            if entry.what not in known:
                self._part.put(entry)

    def _go_setting(self) -> None:
        self.close()
        self.setting_wanted.emit()

    # -- waits and data ------------------------------------------------------------------------------

    def _on_tick(self) -> None:
        self._ticks += 1
        done = self.done_so_far
        step = next_step(self.procedure, done) if is_begun(self.procedure, done) else None
        self._tell_more(done, step)

    def _tell_more(self, done: Guided, step: Step | None) -> None:
        """How tight, how long still, and whether it has settled."""
        lines = []
        if step is not None and step.torque is not None:
            lines.append(
                say("How tight: {words}. The maker's value comes first.", words=step.torque.words)
            )
        if step is not None and step.wait_s:
            lines.append(self._wait_told(done, step))
        if (
            step is not None
            and step.settles
            and (self._ticks % _LOOK_TICKS == 0 or not self.more.text())
        ):
            lines.append(self._settled_told())
        elif step is not None and step.settles:
            lines.append(self.more.text().split("\n")[-1])
        self.more.setText("\n".join(lines))
        self.more.setVisible(bool(lines))

    def _wait_told(self, done: Guided, step: Step) -> str:
        left = left_s(done, step, now())
        whole = say("{wait_s} min {wait_s_:02d} s", wait_s=step.wait_s // 60, wait_s_=step.wait_s % 60)
        if left is None:
            return say("Waits {whole}; Enter begins it. It goes on when Nervus is closed.", whole=whole)
        if left > 0:
            return say(
                "{int} min {int_:02d} s to go of {whole}.",
                int=int(left) // 60,
                int_=int(left) % 60,
                whole=whole,
            )
        if self._rung != (done.id, step.id):
            self._rung = (done.id, step.id)
            self._ring()
        return say("{whole} are over: Enter goes on.", whole=whole)

    def _settled_told(self) -> str:
        recording = self._recent()
        if recording is None:
            return say("Nothing is connected: look at the values, and say yes or no.")
        seen = settled(recording)
        told = "; ".join(seen.told) or say("nothing could be looked at")
        unknown = say(" Not looked at: {join}.", join=", ".join(seen.unknown)) if seen.unknown else ""
        how = say("Settled") if seen.is_settled else say("Not settled yet")
        return f"{how}: {told}.{unknown}"

    def _ring(self) -> None:
        self._sound = self._sound or SoundOut(self._tone, self)
        if self._sound.works:
            self._tone.ring()
            self._sounding.start()

    def _sound_on(self) -> None:
        if self._sound is not None:
            self._sound.go_on()

    def done(self, result: int) -> None:
        """Be quiet when it closes."""
        self._tick.stop()
        self._sounding.stop()
        if self._sound is not None:
            self._sound.stop()
        super().done(result)
