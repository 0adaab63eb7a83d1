"""What happens while something is connected: frames, the analysis beside, recording, marks, the tone."""

import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QApplication

from nervus.domain.analysis import Analysis
from nervus.domain.channel import CHANNEL_KINDS, Channel, Mark, Recording
from nervus.domain.errors import OutsideError
from nervus.domain.progress import Progress
from nervus.files.journal import SUFFIX
from nervus.language import say
from nervus.link.hand_entry import HandSource
from nervus.link.source import Block, Source
from nervus.standin import hands
from nervus.window.live.alarms import Alarms
from nervus.window.live.live_guide import guide_text
from nervus.window.live.live_panel import LivePanel
from nervus.window.live.live_session import LiveSession
from nervus.window.live.live_trace import RecentSamples
from nervus.window.live.stand_in import StandIn
from nervus.window.sounds.sound import SoundOut
from nervus.window.sounds.wiggle_tone import WiggleTone
from nervus.window.tasks import Task

if TYPE_CHECKING:
    from concurrent.futures import Future

    from nervus.link.instruments import MeterSetup
    from nervus.link.vehicle_source import VehicleSource
    from nervus.window.live.codes_dialog import CodesDialog

_FRAME_MS, _LOOK_MS, _LOOK_BACK_S, _LEAST_S = 12, 2500, 40.0, 6.0
_FLASH_S, _ALARM_S, _SLOW_FRAMES = 0.15, 1.0, 6
# Below it, what an eye takes for at once may be over between two values.
_SLOW_HZ = 25.0
# The track that the tone follows, the one measured at the wire first.
_HEARD = (("tps1_v", 5.0), ("tps2_v", 5.0), ("tps1_pct", 100.0), ("tps2_pct", 100.0))


class LiveController(QObject):
    """One connection at a time, shown in a panel.

    Signals:
        entered, left: the live panel is wanted in the middle, or no more.
        looked: the last stretch was analysed: recording, analysis.
        moment: travel in percent and volts now.
        recorded: a recording was finished: its file.
        keeping: what comes in is kept from now on, or no more.
        ticked: the instant of the newest sample, some ten times a second.
        failed: the connection can't be made, and why.
        identified: what the control unit tells of itself, by unit.
    """

    entered = pyqtSignal()
    left = pyqtSignal()
    looked = pyqtSignal(object, object)
    moment = pyqtSignal(float, dict)
    recorded = pyqtSignal(object)
    keeping = pyqtSignal(bool)
    ticked = pyqtSignal(float)
    failed = pyqtSignal(str)
    identified = pyqtSignal(object)

    def __init__(self, panel: LivePanel, folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.panel, self.folder = panel, folder
        self.session: LiveSession | None = None
        self.stand_in: StandIn | None = None
        self.vehicle: VehicleSource | None = None
        self.typed: HandSource | None = None
        self.instrument = ""
        self._ending: list[StandIn] = []
        self.alarms = Alarms()
        self._tone = WiggleTone()
        self._sound: SoundOut | None = None
        self._recent = RecentSamples(_LOOK_BACK_S)
        self._marks: list[Mark] = []
        self._analysis: Analysis | None = None
        self._task: Task | None = None
        self._began = self._flash_until = 0.0
        self._frames = 0
        self._frame_timer, self._look_timer = QTimer(self), QTimer(self)
        self._frame_timer.setInterval(_FRAME_MS)
        self._look_timer.setInterval(_LOOK_MS)
        self._frame_timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._frame_timer.timeout.connect(self._frame)
        self._look_timer.timeout.connect(self._look)
        self.place: Callable[[str], tuple[Path, str]] = self._in_folder
        """Where a recording of this name is to be written, and whose it is; a job says another."""
        self.profile: Callable[[], str] = lambda: ""
        """Of the throttle that is looked at, by name; "" where nobody chose one."""
        self.identity: dict[int, dict[str, str]] = {}
        self.identified.connect(self._keep_identity)
        panel.record_wanted.connect(self.toggle_record)
        panel.tone_wanted.connect(self.toggle_tone)
        panel.leave_wanted.connect(self.leave)
        panel.marked.connect(self.mark)
        panel.typed.connect(self.enter)
        panel.hands.changed.connect(self._hands)

    # -- connecting ----------------------------------------------------------------------------------

    @property
    def is_live(self) -> bool:
        """Whether something is connected or being connected."""
        return self.session is not None or self.stand_in is not None

    def connect_simulated(self, fault: str) -> None:
        """Start a simulated vehicle with a fault, and connect to it with the sampler at its pins."""
        self.leave()
        self.panel.begin(say("The simulated vehicle"), simulated=True)
        self.stand_in = StandIn(fault, self)
        self.stand_in.failed.connect(self._failed)
        self.stand_in.ready.connect(self._stand_in_ready)
        self.entered.emit()
        self.stand_in.start()

    def _stand_in_ready(self, bus: str, instrument: str) -> None:
        from nervus.link.instruments import SamplerSource  # noqa: PLC0415 - when first wanted: start-up
        from nervus.link.vehicle_source import VehicleSource  # noqa: PLC0415 - loads the bus library

        lines = ("tps1_v", "tps2_v", "vref_v")
        self.instrument = instrument
        self.vehicle = VehicleSource(bus)
        vehicle = self.vehicle
        self._begin(lambda: [vehicle, SamplerSource(instrument, lines)])

    def connect_vehicle(self, where: str, unit: int | None = None) -> None:
        """Connect to a vehicle by its bus or adapter, such as `socketcan:can0`."""
        self.leave()
        self.panel.begin(say("Vehicle on {where}", where=where), simulated=False)
        self.entered.emit()
        from nervus.link.vehicle_source import VehicleSource  # noqa: PLC0415 - loads the bus library

        self.vehicle = VehicleSource(where, unit)
        vehicle = self.vehicle
        self._begin(lambda: [vehicle])

    def connect_instrument(self, where: str, line: str, setup: "MeterSetup | None" = None) -> None:
        """Connect to a bench meter that is on one line of the sensor, such as `tps1_v`."""
        from nervus.link.instruments import MeterSetup, MeterSource  # noqa: PLC0415 - start-up

        self.leave()
        self.panel.begin(say("Meter at {where}", where=where), simulated=False)
        self.entered.emit()
        self._begin(lambda: [MeterSource(where, line, setup or MeterSetup())])

    def type_readings(self, line: str, track_ohms: float | None = None) -> None:
        """Readings of a meter that can't be connected, typed as they are read; ohms of a track too."""
        self.leave()
        self.panel.begin(say("Readings typed by hand"), simulated=False, typed=True)
        self.entered.emit()
        self.typed = HandSource(line, track_ohms)
        typed = self.typed
        self._begin(lambda: [typed])

    def codes(self) -> "CodesDialog | None":
        """The codes of the connected vehicle; `None` where no vehicle is connected."""
        if self.session is None or self.vehicle is None:
            return None
        from nervus.window.live.codes_dialog import CodesDialog  # noqa: PLC0415 - loads the bus library

        vehicle = self.vehicle
        dialog = CodesDialog(vehicle.between, vehicle.stop_asking, max(vehicle.unit, 0), self.panel)
        dialog.open()
        return dialog

    def _begin(self, make: Callable[[], Sequence[Source]]) -> None:
        session = self.session = LiveSession(make, self)
        session.doing.connect(lambda what: self.panel.state.setText(f"{what} …"))
        session.connected.connect(self._connected)
        session.failed.connect(self._failed)
        session.troubled.connect(self.panel.notice.tell)
        session.recorded.connect(self.recorded)
        session.start()

    def _connected(self, rates: dict[str, float]) -> None:
        self._tell_rate(rates)
        self._recent, self._marks, self._analysis = RecentSamples(_LOOK_BACK_S), [], None
        self.alarms.begin()
        self._frame_timer.start()
        self._look_timer.start()
        if self.vehicle is not None:
            unit = self.vehicle.unit
            asked = self.vehicle.between(lambda diagnostics: {unit: diagnostics.identity(unit)})
            asked.add_done_callback(self._identity_told)

    def _keep_identity(self, told: dict[int, dict[str, str]]) -> None:
        self.identity = told

    def _identity_told(self, future: "Future[object]") -> None:
        """Called in the thread that polls: the signal carries it over."""
        if future.exception() is None:  # who does not tell is not asked again
            self.identified.emit(future.result())

    @property
    def now_s(self) -> float:
        """The instant of the newest sample."""
        return self.panel.view.now_s

    def channels(self) -> tuple[str, ...]:
        """Identifiers of what comes in."""
        return tuple(self.panel.view.latest)

    def track_rate_hz(self) -> float:
        """How often the track that comes in most often does, 0 where none has."""
        held = [t for c, (t, _) in self._recent.channels().items() if c.startswith("tps")]
        return max(
            ((t.size - 1) / (t[-1] - t[0]) for t in held if t.size > 1 and t[-1] > t[0]), default=0.0
        )

    def _tell_rate(self, rates: dict[str, float]) -> None:
        fastest = max((r for c, r in rates.items() if c.startswith("tps")), default=0.0)
        told = (
            say("throttle {fastest:.0f} times a second", fastest=fastest)
            if fastest
            else say("connected")
        )
        if 0.0 < fastest < _SLOW_HZ:
            told += say(": under {fastest:.2g} s may not show", fastest=1.0 / fastest)
        self.panel.state.setText(told)
        self.panel.state.setToolTip(
            "\n".join(
                say("{c}: {r:.3g} times a second", c=CHANNEL_KINDS[c].title, r=r)
                for c, r in rates.items()
            )
        )

    def _failed(self, why: str) -> None:
        self.leave()
        self.failed.emit(why)

    def leave(self) -> None:
        """Disconnect; a recording under way is finished and told."""
        self._frame_timer.stop()
        self._look_timer.stop()
        if self._task is not None:
            self._task.stop()
            self._task = None
        was_live = self.is_live
        self.identity = {}
        self.vehicle = self.typed = None
        self.instrument = ""
        if self.session is not None:
            self.session.stop()
            self.session = None
        if self.stand_in is not None:
            self.stand_in.stop()
            self._ending.append(self.stand_in)
            self.stand_in = None
        self._quiet()
        if was_live:
            self.left.emit()

    def wait(self) -> None:
        """Wait for what is still ending; for when the application itself ends."""
        for stand_in in self._ending:
            stand_in.wait()

    # -- frames --------------------------------------------------------------------------------------

    def _frame(self) -> None:
        if self.session is None:
            return
        self._frames += 1
        heard: dict[str, list[Block]] = {}
        for block in self.session.take():
            self.panel.view.add(block.channel, block.time_s, block.values)
            self._recent.add(block.channel, block.time_s, block.values)
            heard.setdefault(block.channel, []).append(block)
            self._ring(self.alarms.feed(block.channel, block.time_s, block.values))
        self.panel.view.draw()
        self._hear(heard)
        if self._frames % _SLOW_FRAMES == 0:
            self._tell_moment()
            self.panel.view.ring(self.alarms.ringing)
            self.ticked.emit(self.now_s)
            if self.session.is_recording:
                self.panel.show_recording(time.monotonic() - self._began, on=True)

    def _ring(self, told: str) -> None:
        """An alarm went off: it sounds, the frame flashes, and the recording has a mark there."""
        if told:
            self._flash_until = time.monotonic() + _ALARM_S
            self.panel.flash(on=True)
            QApplication.beep()
            self.mark(say("alarm: {told}", told=told))

    def _hear(self, heard: dict[str, list[Block]]) -> None:
        if self._flash_until and time.monotonic() > self._flash_until:
            self._flash_until = 0.0
            self.panel.flash(on=False)
        if not self.panel.tone.isChecked():
            return
        channel, supply = next(
            ((c, s) for c, s in _HEARD if c in self.panel.view.latest), ("tps1_v", 5.0)
        )
        for block in heard.get(channel, ()):
            self._tone.feed(block.time_s, block.values, supply)
            if self._tone.broken:
                self._flash_until = time.monotonic() + _FLASH_S
                self.panel.flash(on=True)
        if self._sound is not None:
            self._sound.go_on()

    def _tell_moment(self) -> None:
        latest = self.panel.view.latest
        volts = {c: v for c, v in latest.items() if c.endswith("_v")}
        place = latest.get("throttle_pct", 0.0)
        travel = self._analysis.examination.travel if self._analysis is not None else None
        if travel is not None and travel.witness in latest and travel.witness in travel.frames:
            place = float(travel.frames[travel.witness].percent(np.asarray(latest[travel.witness])))
        self.moment.emit(place, volts)

    # -- the analysis beside ---------------------------------------------------------------------------

    def _look(self) -> None:
        if self._task is not None or self.session is None:
            return
        recording = self.recent()
        if recording is None:
            return
        profile = self.profile()
        task = Task(lambda progress: (recording, _analysed(recording, profile, progress)), self)
        task.succeeded.connect(self._looked)
        task.failed.connect(self._look_failed)
        self._task = task
        task.start()

    def recent(self) -> Recording | None:
        """What came in over the last while, `None` where that is too little to look at."""
        held = self._recent.channels()
        longest = max((t[-1] - t[0] for t, _ in held.values()), default=0.0)
        if longest < _LEAST_S:
            return None
        start = min(float(t[0]) for t, _ in held.values())
        marks = tuple(m for m in self._marks if m.time_s >= start)
        channels = (Channel(CHANNEL_KINDS[n], t, v) for n, (t, v) in held.items())
        return Recording(tuple(channels), marks, "live")

    def _looked(self, result: tuple[Recording, Analysis]) -> None:
        if self._task is not None:
            self._task.deleteLater()
        self._task = None
        self._analysis = result[1]
        self._tell_rate(self.vehicle.rates_hz if self.vehicle is not None else {})
        electronic = "pedal_pct" in self.panel.view.latest
        self.panel.guide.setText(guide_text(result[1].examination, electronic=electronic))
        self.panel.folded.show_recording(result[0], result[1].examination)
        self.looked.emit(*result)

    def _look_failed(self, why: str) -> None:
        self._task = None
        self.panel.notice.tell(why)

    # -- what people do --------------------------------------------------------------------------------

    def _in_folder(self, name: str) -> tuple[Path, str]:
        return self.folder / f"{name}{SUFFIX}", ""

    @property
    def recorded_s(self) -> float:
        """For how long it has been recording."""
        return time.monotonic() - self._began

    def toggle_record(self) -> None:
        """Begin or end a recording."""
        if self.session is None:
            return
        if self.session.is_recording:
            self.session.finish()
            self.panel.show_recording(0.0, on=False)
            self.keeping.emit(False)  # noqa: FBT003 - a signal's argument
            return
        if not self.session.is_connected:
            return
        path, owner = self.place(time.strftime("recording %Y-%m-%d %H.%M.%S"))
        try:
            self.session.record(path, owner)
        except OSError as wrong:
            self.panel.notice.tell(
                say(
                    "{parent} takes no recording: {strerror}.",
                    parent=path.parent,
                    strerror=wrong.strerror,
                )
            )
            return
        self._began = time.monotonic()
        self.panel.show_recording(0.0, on=True)
        self.keeping.emit(True)  # noqa: FBT003 - a signal's argument

    def enter(self, text: str) -> None:
        """A reading where readings are typed, else a mark."""
        if self.typed is None:
            self.mark(text)
            return
        try:
            self.typed.enter(text)
        except OutsideError as wrong:
            self.panel.notice.tell(str(wrong))

    def mark(self, text: str) -> None:
        """A mark now, kept with the recording and drawn."""
        when = self.session.mark(text) if self.session is not None else None
        if when is not None:
            self._marks.append(Mark(when, text))
            self.panel.view.mark(when, text)

    def toggle_tone(self) -> None:
        """The tone on or off; without a sound device the window flashes instead."""
        if not self.panel.tone.isChecked():
            self._quiet()
            return
        self._tone = WiggleTone()
        self._sound = SoundOut(self._tone, self)
        if not self._sound.works:
            self.panel.notice.tell(say("No sound device: the frame flashes where the tone would break."))

    def _quiet(self) -> None:
        if self._sound is not None:
            self._sound.stop()
            self._sound = None
        self.panel.tone.setChecked(False)
        self.panel.flash(on=False)

    def _hands(self, pedal_pct: float, flags: int) -> None:
        if self.stand_in is not None:
            self.stand_in.set_hands(pedal_pct, flags)

    def shake(self, *, on: bool) -> None:
        """Shake the simulated vehicle's harness, as its box does."""
        self.panel.hands.boxes[hands.SHAKEN].setChecked(on)


def _analysed(recording: Recording, profile: str, progress: Progress) -> Analysis:
    from nervus.judge.analyse import analyse  # noqa: PLC0415 - loads the core, in the background
    from nervus.judge.profiles import chosen_profile  # noqa: PLC0415

    return analyse(recording, chosen_profile(profile), progress=progress)
