"""The station Pins: a plug as it is drawn, readings as fast as probes move, and what they come to."""

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QWidget

from nervus.domain.errors import OutsideError
from nervus.domain.job import Job, Reading, Source, of_kind
from nervus.domain.kept_plug import KeptPlug
from nervus.domain.plug import Face, PinRole, PlugEnd
from nervus.domain.profile import ThrottleKind
from nervus.judge.next_pair import Proposed
from nervus.judge.plug_state import PlugState, pairs_left, rows_at
from nervus.judge.plug_told import OFFERED
from nervus.language import figures, say
from nervus.pins.writing import Written
from nervus.window.pins.conditions_bar import BEGIN
from nervus.window.pins.pins_dialogs import PinsDialogs, type_of, with_roles
from nervus.window.pins.pins_entering import Entering, isolated
from nervus.window.pins.pins_layout import TO_BATTERY, TO_FIND, PinsLayout
from nervus.window.pins.pins_next import (
    expected_words,
    fits,
    going_words,
    is_along,
    label_of,
    line_of,
    role_of,
    situation_for,
)
from nervus.window.pins.pins_solver import Answer, PinsSolver
from nervus.window.pins.plug_view import Shown
from nervus.window.theme import Theme


class PinsPage(PinsLayout):
    """Readings between pins.

    Signals:
        told: a sentence about what can't be taken.
        plug_kept: a plug that is to be kept for the vehicle type.
        setting_wanted: the sensor is to be set.
        guide_wanted: work that is guided step by step is to be done.
        meter_wanted: a meter is to be connected, or let go.
        probes: the plug and the lines that the probes are to be on, red and black.
    """

    told = pyqtSignal(str)
    plug_kept = pyqtSignal(object)
    setting_wanted = pyqtSignal()
    guide_wanted = pyqtSignal()
    meter_wanted = pyqtSignal()
    probes = pyqtSignal(str, str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.plug = PlugEnd.SENSOR
        self.kept: tuple[KeptPlug, ...] = ()
        self.answer: Answer | None = None
        self.next: tuple[str, str] = ("", "")
        self._given: tuple[str, str] | None = None
        self._between: Proposed | None = None
        self._live_v: float | None = None
        self._refused = ""
        self._correcting: Reading | None = None
        self.solver, self.dialogs = PinsSolver(self), PinsDialogs(self)
        self._connect()

    def _connect(self) -> None:
        self.solver.solved.connect(self._answered)
        self.solver.failed.connect(self.told)
        self.conditions.changed.connect(lambda _now: self._ask())
        self.view.picked.connect(self._picked)
        self.table.chosen.connect(self._mark_pins)
        self.table.corrected.connect(self._correct)
        self.line.returnPressed.connect(self._entered)
        self.order.activated.connect(lambda _row: self._show_next())
        for signal, whose in (
            (self.dialogs.put, self.put),
            (self.dialogs.plug_kept, self.plug_kept),
            (self.dialogs.told, self.told),
            (self.meter.clicked, self.meter_wanted),
        ):
            signal.connect(whose)
        self.dialogs.done.connect(self.begin)
        for plug, button in self.plugs.items():
            button.clicked.connect(lambda _on, plug=plug: self.show_plug(plug))
        for button, act in (
            (self.draw, self._draw),
            (self.roles, self._take_roles),
            (self.good, self._keep_good),
            (self.sheet, self._ask_meter),
            (self.setting, self.setting_wanted.emit),
            (self.guide, self.guide_wanted.emit),
            (self.drawn_circuit, self._show_side),
            (self.remove, self._take_out),
        ):
            button.clicked.connect(lambda _on, act=act: act())

    def _show_side(self) -> None:
        """The circuit in place of the readings, where there is one to show."""
        there = self.answer is not None and self.answer.picture is not None
        self.drawn_circuit.setEnabled(there)
        on = there and self.drawn_circuit.isChecked()
        self.side.setCurrentWidget(self.sheet_of_circuit if on else self.table)
        # The circuit is drawn as large as it is: what is said stands behind it then.
        self.sentences.setVisible(not on and self.sentences.count() > 0)

    # -- what is shown -----------------------------------------------------------------------------

    @property
    def face(self) -> Face | None:
        """The plug in sight as it was drawn last."""
        faces = of_kind(self.job.entries, Face) if self.job is not None else ()
        return next((f for f in reversed(faces) if f.plug is self.plug), None)

    @property
    def state(self) -> PlugState | None:
        """What is known of the plug in sight, once it is solved."""
        answer = self.answer
        if answer is None or answer.job is not self.job or answer.plug is not self.plug:
            return None
        return answer.state if answer.situation == self.conditions.situation else None

    def know(self, kept: tuple[KeptPlug, ...]) -> None:
        """Plugs that are kept for vehicle types."""
        if kept != self.kept:
            self.kept = kept
            self._ask()

    def show_job(self, job: Job) -> None:
        if self.job is not None and self.job.id != job.id:
            self.answer = self._given = self._correcting = None
            self.line.clear()
            self.plug = PlugEnd.SENSOR
            self.plugs[self.plug].setChecked(True)
            self.table.show_rows(())
            self.sentences.clear()
            # What was so at the vehicle before is not known of this one.
            self.conditions.put(BEGIN)
        super().show_job(job)
        self._ask()

    def begin(self) -> None:
        self.line.setFocus(Qt.FocusReason.TabFocusReason)

    def prepare(self, how: str, text: str) -> None:
        super().prepare(how, text)
        if text and not self.line.text().strip():
            self.line.setText(text)

    def apply_theme(self, theme: Theme) -> None:
        self.view.apply_theme(theme)
        self.circuit.apply_theme(theme)
        self.table.apply_theme(theme)

    def show_plug(self, plug: PlugEnd) -> None:
        """Look at another plug."""
        self.plug, self._given = plug, None
        self.plugs[plug].setChecked(True)
        self._ask()
        self.begin()

    def _ask(self) -> None:
        """Show at once what is there, and solve it beside."""
        if self.job is None:
            return
        known = tuple(
            r
            for kept in reversed(self.kept)  # of two tables the newer one counts
            if kept.readings and kept.vehicle_type == type_of(self.job) and kept.face.plug is self.plug
            for r in kept.readings
        )
        self.solver.ask(self.job, self.plug, self.conditions.situation, known)
        adjustable = self.job.vehicle.throttle is not ThrottleKind.ELECTRONIC
        self.setting.setEnabled(adjustable)
        self.setting.setToolTip(
            "" if adjustable else say("An electronic throttle learns; nothing is set.")
        )
        drawn = self.face is not None
        self.view.show_face(self.face, self._still_true())
        if self.state is None:
            self.table.show_rows(rows_at(self.job, self.plug, self.conditions.situation))
        self.draw.setText(say("The plug …") if drawn else say("Draw plug …"))
        self.draw.setObjectName("choice" if drawn else "primary")
        _polish(self.draw)
        self._show_next()

    def _still_true(self) -> Shown:
        """What was solved last, where it is of this plug under these conditions: until the next is."""
        answer = self.answer
        if answer is None or self.job is None or answer.job.id != self.job.id:
            return Shown()
        if answer.plug is not self.plug or answer.situation != self.conditions.situation:
            return Shown()
        return Shown(answer.state.solved.pins, answer.state.roles)

    def _answered(self, answer: Answer) -> None:
        self.answer = answer
        state = self.state
        if state is None:
            return
        wrong = {
            label
            for row in state.rows
            if row.wrong
            for label in (row.reading.red, row.reading.black)
            if label
        }
        self.view.show_face(state.face, Shown(state.solved.pins, state.roles, frozenset(wrong)))
        self.table.show_rows(state.rows)
        self.circuit.show_explanation(answer.picture)
        self._show_side()
        self._tell(answer)
        self._show_next()

    def _tell(self, answer: Answer) -> None:
        self.sentences.show_answer(answer)
        some = self.sentences.count() > 0
        self.sentences.setVisible(some)
        self.nothing.setVisible(not some)
        face, rows = answer.state.face, answer.state.rows
        self.nothing.setText(
            say(
                "Nothing is measured under these conditions yet: black on B, red on R, the value, Enter."
            )
            if face is not None
            else say("Draw the plug; then a reading is a number and Enter. Or tell it in words.")
        )
        unknown = (
            guess
            for label, guess in answer.state.roles.items()
            if guess.chance >= OFFERED and role_of(face, label) is PinRole.UNKNOWN
        )
        self.roles.setEnabled(any(unknown))
        self.remove.setEnabled(bool(rows))

    # -- what is next ------------------------------------------------------------------------------

    def _show_next(self) -> None:
        """Where the probes go, and what is to be expected there."""
        self._between = None
        proposed = self._proposed
        finding = self.order.currentText() == TO_FIND
        if self.face is None:
            self.where.setText(say("Told in words"))
            self.expected.setText("")
            self.line.setPlaceholderText(say("ground at the sensor plug, key on: 0.02 V … then Enter"))
            return
        if finding and proposed is not None and self._given is None:
            self._show_proposed(proposed)
            return
        pair = self._given or self._in_turn()
        if pair is None:
            self.next = ("", "")
            self.where.setText(say("All pairs are measured under these conditions"))
            self.expected.setText(
                say("Another plug, plug off, another throttle, or a pair again: “1-3 4.98”.")
            )
            self.line.setPlaceholderText(say("1-3 4.98 … “plug off” … “?” tells all of the pins"))
            self.view.show_probes("", "")
            return
        self._point_at(*pair)
        self.expected.setText(
            say("No reading at these pins would part the faults that are left.") if finding else ""
        )

    @property
    def _proposed(self) -> Proposed | None:
        faults = self.answer.faults if self.answer is not None else None
        return faults.proposed if faults is not None else None

    def _in_turn(self) -> tuple[str, str] | None:
        face = self.face
        if face is None or self.job is None:
            return None
        rows = rows_at(self.job, self.plug, self.conditions.situation)
        labels = [p.label for p in face.pins]
        left = pairs_left(rows, to_battery=self.order.currentText() == TO_BATTERY, labels=labels)
        return left[0] if left else None

    def _point_at(self, black: str, red: str) -> None:
        self.next = (black, red)
        self.where.setText(
            say("Black on {value}, red on {red}", value=black or say("battery negative"), red=red)
        )
        self.line.setPlaceholderText(say("volts … then Enter; “nothing” where there is none"))
        self.view.show_probes(black, red)
        self.probes.emit(line_of(self.plug, red), line_of(self.plug, black))

    def _show_proposed(self, proposed: Proposed) -> None:
        here = proposed.plug is self.plug and fits(proposed, self.conditions.situation)
        red, black = (label_of(self.face, role) for role in (proposed.red, proposed.black))
        self.expected.setText(expected_words(proposed))
        if here and is_along(proposed):
            self._between, self.next = proposed, ("", "")
            self.where.setText(
                say("{red} wire from plug to plug, both plugs off: the ohms", red=proposed.red)
            )
            self.line.setPlaceholderText(say("ohms … then Enter; “nothing” where it is open"))
            self.view.show_probes("", red or "")
            return
        if here and red is not None and black is not None:
            self._point_at(black, red)
            return
        self.where.setText(going_words(proposed))
        self.next = ("", "")
        self.view.show_probes("", "")

    def _go_there(self) -> bool:
        """Take the proposed plug and conditions; whether there was somewhere to go."""
        proposed, now = self._proposed, self.conditions.situation
        if self.order.currentText() != TO_FIND or proposed is None:
            return False
        if proposed.plug is self.plug and fits(proposed, now):
            return False
        self.plug = proposed.plug
        self.plugs[proposed.plug].setChecked(True)
        self.conditions.put(situation_for(proposed, now))
        self._ask()
        return True

    # -- what is entered -----------------------------------------------------------------------------

    @property
    def entering(self) -> Entering | None:
        """Where and how a reading is taken now."""
        if self.job is None:
            return None
        return Entering(
            self.job,
            self.plug,
            self.face,
            self.conditions.situation,
            self.next,
            self._between,
            insists=self._refused == self.line.text().strip(),
        )

    def _entered(self) -> None:
        text, entering = self.line.text().strip(), self.entering
        if entering is None:
            return
        if not text:
            if not self._go_there() and self._live_v is not None:
                self.take_settled(self._live_v)
            return
        if text == "?":
            face = self.face
            about = [self.view.about(pin.label) for pin in face.pins] if face is not None else []
            self.told.emit("\n".join(about) or say("No pin is drawn yet."))
            self.line.clear()
            return
        if text.casefold() in ("isolated", "battery isolated"):
            self.put.emit(isolated(text))
            self.line.clear()
            return
        if self.conditions.take_words(text):
            self.line.clear()
            return
        try:
            found = entering.read(text)
        except OutsideError as wrong:
            self._refused = text
            self.told.emit(str(wrong))
            return
        self._refused, self._given = "", None
        self.line.clear()
        corrects, self._correcting = self._correcting, None
        same = corrects is not None and [(f.red, f.black) for f in found] == [
            (corrects.red, corrects.black)
        ]
        if corrects is not None and same:
            found = [replace(found[0], id=corrects.id, at=corrects.at)]
        for one in found:
            self.put.emit(one)

    def take_settled(self, volts: float) -> None:
        """A value of the connected meter that stands: taken where a pair is waited for."""
        entering = self.entering
        if entering is not None and entering.face is not None and self.next[1]:
            written = Written(*self.next, round(volts, 4), "V", signed=True, nothing=False)
            self._given = None
            self.put.emit(entering.made(written, Source.VEHICLE))

    def show_live(self, volts: float | None) -> None:
        """What a connected meter shows now."""
        self._live_v = volts
        self.meter.setText(
            say("From the meter") if volts is None else say("Meter {volts:.2f} V", volts=volts)
        )

    def point_again(self) -> None:
        """Tell once more where the probes are to be."""
        self._show_next()

    def _picked(self, label: str) -> None:
        """Pins by the mouse: black first, then red."""
        black = self._given[0] if self._given is not None and not self._given[1] else None
        if black is None:
            self._given = (label, "")
            self.where.setText(say("Black on {label}, red on …", label=label))
            self.view.show_probes(label, "")
        elif black != label:
            self._given = (black, label)
            self._point_at(black, label)
        self.begin()

    def _mark_pins(self, chosen: Reading) -> None:
        self.view.show_probes(chosen.black or "", chosen.red or "")

    def _correct(self, wrong: Reading) -> None:
        """A reading goes back into the line; what is entered next takes its place."""
        self._correcting = wrong
        pair = f"{wrong.black}-{wrong.red}" if wrong.black else str(wrong.red)
        value = (
            say("nothing")
            if wrong.nothing
            else figures("{value:g} {unit}", value=wrong.value, unit=wrong.unit)
        )
        self.line.setText(f"{pair} {value}")
        self.begin()
        self.line.selectAll()

    def _take_out(self) -> None:
        chosen = self.table.current
        if chosen is not None:
            self.taken_out.emit(chosen)

    # -- drawing, roles, what is kept ------------------------------------------------------------------

    def _draw(self) -> None:
        if self.job is not None:
            self.dialogs.draw(self.job, self.plug, self.face, self.kept)

    def _take_roles(self) -> None:
        """What the readings say of pins without a role goes onto the plug."""
        state, face = self.state, self.face
        if state is not None and face is not None:
            self.put.emit(with_roles(face, state))
            self.begin()

    def _keep_good(self) -> None:
        if self.job is not None:
            self.dialogs.keep_good(self.job, self.plug, self.face)
            self.begin()

    def _ask_meter(self) -> None:
        if self.job is not None:
            self.dialogs.ask_meter(self.job)


def _polish(widget: QWidget) -> None:
    style = widget.style()
    assert style is not None  # noqa: S101 - a widget has a style
    style.unpolish(widget)
    style.polish(widget)
