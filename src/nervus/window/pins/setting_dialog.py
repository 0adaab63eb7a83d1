"""Setting an adjustable sensor: step by step, both ends predicted, the value as large as can be."""

from typing import Final

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import (
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.errors import OutsideError
from nervus.domain.job import Change, Setting, Source, new_id, now, of_kind
from nervus.judge.profiles import profile_for
from nervus.language import figures, say
from nervus.pins.setting import plan_setting, still_to_do
from nervus.pins.setting_guide import (
    answered,
    begin_setting,
    question,
    read_window,
    sentences,
    with_geometry,
)
from nervus.window.jobs.job_part import JobPart
from nervus.window.pins.meter_link import MeterLink
from nervus.window.pins.window_bar import WindowBar
from nervus.window.sounds.setting_tone import SettingTone
from nervus.window.sounds.sound import SoundOut
from nervus.window.station_page import quiet
from nervus.window.theme import Theme

_HINT: Final = say(
    "Engine off, key on. Keep fingers off a motor-driven plate. The maker's values "
    "and procedure come first; a sensor that was never wrong is not mended by "
    "turning it."
)
_FRAME_MS: Final = 40


class SettingDialog(QDialog):
    """One setting, kept in the job at every step."""

    def __init__(
        self, part: JobPart, theme: Theme, meter: MeterLink | None, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._part, self._meter = part, meter
        self.setWindowTitle(say("Set a sensor"))
        self.resize(880, 640)
        self.live_v: float | None = None
        self.bar = WindowBar(self)
        self.bar.theme = theme
        job = part.job
        kept = of_kind(job.entries, Setting) if job is not None else ()
        self.setting: Setting | None = kept[-1] if kept and not kept[-1].is_set else None
        self._make_fields()
        if self.setting is not None:
            self.degrees.setText(_written(self.setting.degrees_span))
            self.radius.setText(_written(self.setting.slot_radius_mm))
        self._lay_out()
        self._tone = SettingTone()
        self._sound: SoundOut | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(_FRAME_MS)
        self._timer.timeout.connect(self._sound_on)
        if meter is not None:
            meter.shows.connect(self.show_live)
        self._show()

    def _make_fields(self) -> None:
        self.ask, self.how = QLabel("", self), quiet("", self)
        self.ask.setObjectName("headline")
        self.ask.setWordWrap(True)
        self.line = QLineEdit(self)
        self.line.setMinimumHeight(44)
        self.line.setAccessibleName(say("The answer to the step, then Enter"))
        self.line.returnPressed.connect(self._entered)
        self.wrong = quiet("", self)
        self.wrong.setObjectName("caution")
        self.wrong.hide()
        self.told = quiet("", self)
        self.told.setObjectName("told")
        self.old = quiet("", self)
        self.degrees = self._small(say("Plate turns, degrees"), "83")
        self.radius = self._small(say("Slot's radius, mm"), "")
        self.tone = QPushButton(say("Tone"), self)
        self.tone.setCheckable(True)
        self.tone.clicked.connect(self._toggle_tone)
        self.again = QPushButton(say("Begin anew"), self)
        self.again.clicked.connect(self._begin_anew)
        self.leave = QPushButton(say("Close"), self)
        self.leave.clicked.connect(self.close)
        for button in (self.tone, self.again, self.leave):
            button.setAutoDefault(False)

    def _small(self, words: str, hint: str) -> QLineEdit:
        field = QLineEdit(self)
        field.setAccessibleName(words)
        field.setPlaceholderText(hint)
        field.setFixedWidth(90)
        field.editingFinished.connect(self._geometry)
        return field

    def _lay_out(self) -> None:
        form = QFormLayout()
        form.addRow(say("Plate turns, degrees"), self.degrees)
        form.addRow(say("Slot's radius, mm"), self.radius)
        buttons = QHBoxLayout()
        for button in (self.tone, self.again):
            buttons.addWidget(button)
        buttons.addStretch(1)
        buttons.addWidget(self.leave)
        column = QVBoxLayout(self)
        column.setSpacing(10)
        column.addWidget(quiet(_HINT, self))
        column.addWidget(self.bar)
        for part in (self.ask, self.how, self.wrong, self.line, self.told):
            column.addWidget(part)
        column.addStretch(1)
        column.addWidget(self.old)
        row = QHBoxLayout()
        row.addLayout(form)
        row.addStretch(1)
        column.addLayout(row)
        column.addLayout(buttons)

    # -- what is shown -----------------------------------------------------------------------------

    def _show(self) -> None:
        self.wrong.hide()
        self.line.setFocus()
        setting = self.setting
        if setting is None:
            self.ask.setText(say("What is the target at the closed stop?"))
            self.how.setText(
                say("From the maker: such as “0.50”, or a window “0.96 to 0.98”, in volts at 5 V.")
            )
            self.line.setPlaceholderText(say("0.50 … then Enter"))
            self.told.setText("")
            self.old.setText("")
            self.bar.show_value(self.live_v, 0.48, 0.52)
            return
        job = self._part.job
        profile = profile_for(job.vehicle.throttle, job.vehicle.profile) if job is not None else None
        plan = plan_setting(setting, profile.tracks[0] if profile is not None else None)
        asked = question(setting)
        left = still_to_do(setting, plan)
        if asked is not None:
            self.ask.setText(asked.text)
            self.how.setText(asked.how)
            by_meter = asked.live and self._meter is not None
            self.line.setPlaceholderText(
                say("Enter takes the meter's value") if by_meter else say("then Enter")
            )
        else:
            self.ask.setText(
                say("Set.")
                if setting.is_set
                else say("Not set: {value}.", value=left[0] if left else say("stopped"))
            )
            self.how.setText(
                say("It is kept in the job.") if setting.is_set else say("Begin anew for another try.")
            )
        self.line.setEnabled(asked is not None)
        self.told.setText("\n".join(sentences(setting, plan)))
        self.old.setText(_as_found(setting))
        last = next(
            (
                v
                for v in (setting.closed_v, setting.loose_v, setting.reached_v, setting.old_closed_v)
                if v is not None
            ),
            None,
        )
        self.bar.show_value(self.live_v if self.live_v is not None else last, plan.low_v, plan.high_v)

    def show_live(self, volts: float | None) -> None:
        """What the meter shows now."""
        self.live_v = volts
        if self.setting is not None:
            plan = plan_setting(self.setting)
            self.bar.show_value(volts, plan.low_v, plan.high_v)
            if volts is not None:
                self._tone.feed(volts, plan.low_v, plan.high_v)
                self._tell_creep(volts)

    def _tell_creep(self, volts: float) -> None:
        """While the screws are tightened: by how much it has moved since they were loose."""
        setting = self.setting
        asked = question(setting) if setting is not None else None
        if setting is None or asked is None or asked.field != "closed_v" or setting.loose_v is None:
            return
        self.how.setText(
            say(
                "{how} Since it was loose: {loose_v:+.3f} V.",
                how=asked.how,
                loose_v=volts - setting.loose_v,
            )
        )

    # -- what is entered ---------------------------------------------------------------------------

    def _entered(self) -> None:
        text = self.line.text().strip()
        asked = question(self.setting) if self.setting is not None else None
        if not text and asked is not None and asked.live and self.live_v is not None:
            text = figures("{live_v:.3f}", live_v=self.live_v)
        if not text:
            return
        try:
            if self.setting is None:
                self.setting = self._with_geometry(begin_setting(read_window(text)))
            else:
                self.setting = answered(self.setting, text)
        except OutsideError as wrong:
            self._refuse(str(wrong))
            return
        self.line.clear()
        self._keep()
        self._show()

    def _geometry(self) -> None:
        if self.setting is None:
            return
        try:
            changed = self._with_geometry(self.setting)
        except OutsideError as wrong:
            self._refuse(str(wrong))
            return
        if changed != self.setting:
            self.setting = changed
            self._keep()
            self._show()

    def _with_geometry(self, setting: Setting) -> Setting:
        return with_geometry(setting, self.degrees.text(), self.radius.text())

    def _refuse(self, sentence: str) -> None:
        self.wrong.setText(sentence)
        self.wrong.show()

    def _keep(self) -> None:
        """Into the job at every step; once it is set, the change that it is."""
        setting = self.setting
        assert setting is not None  # noqa: S101 - called with one
        self._part.put(setting)
        if setting.is_set:
            self._part.put(
                Change(
                    id=new_id(),
                    at=now(),
                    source=Source.SEEN,
                    done=say("sensor set: {as_set}", as_set=_as_set(setting)),
                )
            )

    def _begin_anew(self) -> None:
        self.setting = None
        self.line.setEnabled(True)
        self._show()

    # -- sound ---------------------------------------------------------------------------------------

    def _toggle_tone(self) -> None:
        if self._sound is not None:
            self._sound.stop()
            self._sound = None
        self._timer.stop()
        if self.tone.isChecked():
            self._sound = SoundOut(self._tone, self)
            if self._sound.works:
                self._timer.start()
            else:
                self._refuse(say("No sound device is there; the bar says the same."))
                self.tone.setChecked(False)

    def _sound_on(self) -> None:
        if self._sound is not None:
            self._sound.go_on()

    def done(self, result: int) -> None:
        """Be quiet when it closes."""
        self.tone.setChecked(False)
        self._toggle_tone()
        super().done(result)


def _written(value: float | None) -> str:
    return "" if value is None else figures("{value:g}", value=value)


def _as_found(setting: Setting) -> str:
    if setting.old_closed_v is None:
        return ""
    wide = (
        say(", {old_open_v:.2f} V wide open", old_open_v=setting.old_open_v)
        if setting.old_open_v is not None
        else ""
    )
    return say(
        "As found: {old_closed_v:.2f} V closed{wide}.", old_closed_v=setting.old_closed_v, wide=wide
    )


def _as_set(setting: Setting) -> str:
    was = (
        say(", was {old_closed_v:.2f} V", old_closed_v=setting.old_closed_v)
        if setting.old_closed_v is not None
        else ""
    )
    return say(
        "{closed_v:.2f} V closed, {open_v:.2f} V wide open{was}",
        closed_v=setting.closed_v,
        open_v=setting.open_v,
        was=was,
    )
