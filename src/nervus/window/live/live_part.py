"""The live part of the window: made when first wanted, asked for by its actions."""

from collections.abc import Callable
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QSettings, Qt, pyqtSignal
from PyQt6.QtWidgets import QStackedWidget, QWidget

from nervus.domain.channel import CHANNEL_KINDS
from nervus.window.actions import QUICK_MARKS
from nervus.window.live.alarms import load
from nervus.window.theme import BRIGHT, Theme

if TYPE_CHECKING:
    from nervus.domain.channel import Recording
    from nervus.files.journal import Journal
    from nervus.link.instruments import MeterSetup
    from nervus.window.live.codes_dialog import CodesDialog
    from nervus.window.live.connect_page import ConnectPage
    from nervus.window.live.live_controller import LiveController
    from nervus.window.live.live_panel import LivePanel
    from nervus.window.live.shake_part import Context, ShakePart
    from nervus.window.live.values_dialog import ValuesDialog

# What the demo plants in the simulated vehicle: a wire that lets go while the harness is shaken.
DEMO_FAULT = "open-signal2~shake"


class LivePart(QObject):
    """What is connected.

    Signals: those of the live controller, whether it is there already or not, and
        about_to_connect: what is being done is to be stopped.
        shaken: a wiggle test is over (`Shook`).
        shaking: whether one is under way.
        told: a sentence for the user.
        page_wanted: the middle is to be seen, for what there is to connect to.
        read_codes: what was read of codes, to be kept in the job (`VehicleCodes`).
    """

    entered = pyqtSignal()
    left = pyqtSignal()
    looked = pyqtSignal(object, object)
    moment = pyqtSignal(float, dict)
    recorded = pyqtSignal(object)
    keeping = pyqtSignal(bool)
    failed = pyqtSignal(str)
    about_to_connect = pyqtSignal()
    read_codes = pyqtSignal(object)
    identified = pyqtSignal(object)
    shaken = pyqtSignal(object)
    shaking = pyqtSignal(bool)
    told = pyqtSignal(str)
    page_wanted = pyqtSignal()

    def __init__(
        self, settings: QSettings, folder: Path, middle: QStackedWidget, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self._settings, self._middle, self._window = settings, middle, parent
        self._theme: Theme = BRIGHT
        self.folder = folder
        self.keeps_codes = False
        self._before: QWidget | None = None
        self.context: Context = lambda: (None, None, None)
        """What `shake_part.Context` says."""
        self.place: Callable[[str], tuple[Path, str] | None] = lambda _name: None
        """Where a recording is to be written that belongs to a job, and whose it is; `None` for none."""

    @cached_property
    def panel(self) -> "LivePanel":
        """The live middle; made when first wanted, so that the window is there sooner."""
        from nervus.window.live.live_panel import LivePanel  # noqa: PLC0415 - when first wanted: start-up

        panel = LivePanel()
        panel.apply_theme(self._theme)
        self._middle.addWidget(panel)
        return panel

    @cached_property
    def controller(self) -> "LiveController":
        """What is connected; made when first wanted."""
        from nervus.window.live.live_controller import LiveController  # noqa: PLC0415 - when first wanted

        live = LiveController(self.panel, self.folder, self)
        live.profile = self._profile
        in_folder = live.place
        live.place = lambda name: self.place(name) or in_folder(name)
        live.entered.connect(self.entered)
        live.left.connect(self.left)
        live.looked.connect(self.looked)
        live.moment.connect(self.moment)
        live.recorded.connect(self.recorded)
        live.keeping.connect(self.keeping)
        live.failed.connect(self.failed)
        live.identified.connect(self.identified)
        load(live.alarms, self._settings)
        chosen = str(self._settings.value("live values", ""))
        live.panel.view.choose(tuple(c for c in chosen.split() if c in CHANNEL_KINDS))
        return live

    @cached_property
    def shake(self) -> "ShakePart":
        """The guided wiggle test; made when first wanted."""
        from nervus.window.live.shake_part import ShakePart  # noqa: PLC0415 - when first wanted

        part = ShakePart(self.controller, self.context)
        part.ended.connect(self.shaken)
        part.told.connect(self.told)
        part.running.connect(self.shaking)
        return part

    def _profile(self) -> str:
        job = self.context()[0]
        return job.vehicle.profile if job is not None else ""

    @property
    def is_choosing(self) -> bool:
        """Whether the middle lists what there is to connect to."""
        page = self.__dict__.get("connect_page")
        return page is not None and self._middle.currentWidget() is page

    @property
    def is_live(self) -> bool:
        """Whether something is connected."""
        return "controller" in self.__dict__ and self.controller.is_live

    @property
    def meter_address(self) -> str:
        """Where the simulated vehicle's meter is, "" where none is connected."""
        return self.controller.instrument if self.is_live else ""

    @property
    def recording(self) -> "tuple[Journal, float] | None":
        """What is being recorded, and for how long it has been; `None` where nothing is."""
        if not self.is_live or self.controller.session is None:
            return None
        journal = self.controller.session.journal
        return (journal, self.controller.recorded_s) if journal is not None else None

    def recent(self) -> "Recording | None":
        """What came in over the last while, `None` where nothing is connected."""
        return self.controller.recent() if self.is_live else None

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        if "panel" in self.__dict__:
            self.panel.apply_theme(theme)

    def leave(self) -> None:
        """Disconnect."""
        if "controller" in self.__dict__:
            self.controller.leave()

    def wait(self) -> None:
        """Wait for what is still ending."""
        if "controller" in self.__dict__:
            self.controller.wait()

    # -- connecting ----------------------------------------------------------------------------------

    def connect_simulated(self, fault: str = DEMO_FAULT) -> None:
        """Connect the simulated vehicle with a fault planted in it."""
        self.about_to_connect.emit()
        self.controller.connect_simulated(fault)

    @cached_property
    def connect_page(self) -> "ConnectPage":
        """What there is to connect to; made when first wanted."""
        from nervus.window.live.connect_page import ConnectPage  # noqa: PLC0415 - when first wanted

        page = ConnectPage(self._settings)
        page.vehicle.wanted.connect(self._connect_vehicle)
        page.meter.wanted.connect(self._connect_meter)
        page.line.wanted.connect(self._type_readings)
        page.simulated_wanted.connect(self.connect_simulated)
        page.left.connect(self._leave_page)
        self._middle.addWidget(page)
        return page

    def show_connect_page(self, kind: str) -> "ConnectPage":
        """List what there is to connect to, the first of a kind (`Kind`) chosen."""
        from nervus.link.ways import Kind  # noqa: PLC0415 - when first wanted

        page = self.connect_page
        self.page_wanted.emit()
        self._before = self._middle.currentWidget() if self._middle.currentWidget() is not page else None
        self._middle.setCurrentWidget(page)
        page.choose_kind(Kind[kind])
        return page

    def _leave_page(self) -> None:
        if self._before is not None:
            self._middle.setCurrentWidget(self._before)
            self._before.setFocus()

    def _connect_vehicle(self, where: str, unit: int) -> None:
        self.about_to_connect.emit()
        self.controller.connect_vehicle(where, unit if unit >= 0 else None)

    def _connect_meter(self, where: str, line: str, setup: "MeterSetup") -> None:
        self.about_to_connect.emit()
        self.controller.connect_instrument(where, line, setup)

    def _type_readings(self, line: str, track_ohms: float) -> None:
        self.about_to_connect.emit()
        self.controller.type_readings(line, track_ohms or None)

    def codes(self) -> "CodesDialog | None":
        """Read the codes of the connected vehicle."""
        dialog = self.controller.codes()
        if dialog is not None:
            dialog.keep.setVisible(self.keeps_codes)
            dialog.kept.connect(self.read_codes)
        return dialog

    def ask_for_values(self) -> "ValuesDialog":
        """Ask which values stand large, and beyond what they are an alarm."""
        from nervus.window.live.values_dialog import ValuesDialog  # noqa: PLC0415 - when first wanted

        live, view = self.controller, self.panel.view
        dialog = ValuesDialog(live.channels(), view.large, live.alarms, self._settings, self._window)

        def choose(chosen: tuple[str, ...]) -> None:
            view.choose(chosen)
            self._settings.setValue("live values", " ".join(chosen))

        dialog.chosen.connect(choose)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()
        return dialog

    # -- actions -------------------------------------------------------------------------------------

    def handlers(self) -> dict[str, Callable[[], object]]:
        """What each of the live actions does."""
        return {
            "simulated": self.connect_simulated,
            "vehicle": lambda: self.show_connect_page("VEHICLE"),
            "meter": lambda: self.show_connect_page("METER"),
            "by_hand": lambda: self.show_connect_page("BY_HAND"),
            "codes": self.codes,
            "other_picture": self._when_wanted(lambda part: part.panel.next_picture()),
            "record": self._when_wanted(lambda part: part.controller.toggle_record()),
            "tone": self._when_wanted(lambda part: part.panel.tone.click()),
            "shake": self._when_wanted(lambda part: part.shake.begin()),
            "values": self.ask_for_values,
            "mark": self._when_wanted(lambda part: part.panel.words.setFocus()),
            "leave": self.leave,
            **{f"mark_{kind}": self._marking(kind) for kind in QUICK_MARKS},
        }

    def _when_wanted(self, what: "Callable[[LivePart], object]") -> Callable[[], object]:
        """Nothing is made before its action is wanted."""
        return lambda: what(self)

    def _marking(self, kind: str) -> Callable[[], object]:
        return lambda: self.controller.mark(kind)
