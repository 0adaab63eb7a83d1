"""The live part of the window: made when first wanted, asked for by its actions."""

from collections.abc import Callable
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QSettings, pyqtSignal
from PyQt6.QtWidgets import QInputDialog, QStackedWidget, QWidget

from nervus.window.actions import QUICK_MARKS
from nervus.window.theme import BRIGHT, Theme

if TYPE_CHECKING:
    from nervus.window.codes_dialog import CodesDialog
    from nervus.window.live_controller import LiveController
    from nervus.window.live_panel import LivePanel

# What the demo plants in the simulated vehicle: a wire that lets go while the harness is shaken.
DEMO_FAULT = "open-signal2~shake"


class LivePart(QObject):
    """What is connected.

    Signals: those of the live controller, whether it is there already or not, and
        about_to_connect: what is being done is to be stopped.
        read_codes: codes and freeze frames that are to be kept in the job.
    """

    entered = pyqtSignal()
    left = pyqtSignal()
    looked = pyqtSignal(object, object)
    moment = pyqtSignal(float, dict)
    recorded = pyqtSignal(object)
    keeping = pyqtSignal(bool)
    failed = pyqtSignal(str)
    about_to_connect = pyqtSignal()
    read_codes = pyqtSignal(object, object)

    def __init__(
        self, settings: QSettings, folder: Path, middle: QStackedWidget, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self._settings, self._middle, self._window = settings, middle, parent
        self._theme: Theme = BRIGHT
        self.folder = folder
        self.keeps_codes = False

    @cached_property
    def panel(self) -> "LivePanel":
        """The live middle; made when first wanted, so that the window is there sooner."""
        from nervus.window.live_panel import LivePanel  # noqa: PLC0415 - when first wanted: start-up

        panel = LivePanel()
        panel.apply_theme(self._theme)
        self._middle.addWidget(panel)
        return panel

    @cached_property
    def controller(self) -> "LiveController":
        """What is connected; made when first wanted."""
        from nervus.window.live_controller import LiveController  # noqa: PLC0415 - when first wanted

        live = LiveController(self.panel, self.folder, self)
        live.entered.connect(self.entered)
        live.left.connect(self.left)
        live.looked.connect(self.looked)
        live.moment.connect(self.moment)
        live.recorded.connect(self.recorded)
        live.keeping.connect(self.keeping)
        live.failed.connect(self.failed)
        return live

    @property
    def is_live(self) -> bool:
        """Whether something is connected."""
        return "controller" in self.__dict__ and self.controller.is_live

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

    def ask_for_vehicle(self) -> None:
        """Ask which adapter a vehicle is on; the last one is remembered."""
        name = self._asked(
            "vehicle",
            "Connect a vehicle",
            "Name of the SocketCAN adapter, set up for the vehicle's bit rate. Nervus reads; it writes "
            "nothing without asking.",
            "can0",
        )
        if name:
            self.about_to_connect.emit()
            self.controller.connect_vehicle(f"socketcan:{name}")

    def ask_for_meter(self) -> None:
        """Ask where a meter is; the last one is remembered. Its probe is on signal 1."""
        name = self._asked(
            "meter",
            "Connect a meter",
            "A meter that speaks SCPI: HOST:PORT or a VISA resource. Its probe is on signal 1.",
            "192.168.0.10:5025",
        )
        if name:
            self.about_to_connect.emit()
            self.controller.connect_instrument(name, "tps1_v")

    def type_by_hand(self) -> None:
        """Readings typed as they are read."""
        self.about_to_connect.emit()
        self.controller.type_readings("tps1_v")

    def _asked(self, key: str, title: str, words: str, otherwise: str) -> str:
        before = str(self._settings.value(key, otherwise))
        name, wanted = QInputDialog.getText(self._window, title, words, text=before)
        if not wanted or not name.strip():
            return ""
        self._settings.setValue(key, name.strip())
        return name.strip()

    def codes(self) -> "CodesDialog | None":
        """Read the codes of the connected vehicle."""
        dialog = self.controller.codes()
        if dialog is not None:
            dialog.keep.setVisible(self.keeps_codes)
            dialog.kept.connect(self.read_codes)
        return dialog

    # -- actions -------------------------------------------------------------------------------------

    def handlers(self) -> dict[str, Callable[[], object]]:
        """What each of the live actions does."""
        return {
            "simulated": self.connect_simulated,
            "vehicle": self.ask_for_vehicle,
            "meter": self.ask_for_meter,
            "by_hand": self.type_by_hand,
            "codes": self.codes,
            "other_picture": self._when_wanted(lambda part: part.panel.next_picture()),
            "record": self._when_wanted(lambda part: part.controller.toggle_record()),
            "tone": self._when_wanted(lambda part: part.panel.tone.click()),
            "mark": self._when_wanted(lambda part: part.panel.words.setFocus()),
            "leave": self.leave,
            **{f"mark_{kind}": self._marking(kind) for kind in QUICK_MARKS},
        }

    def _when_wanted(self, what: "Callable[[LivePart], object]") -> Callable[[], object]:
        """Nothing is made before its action is wanted."""
        return lambda: what(self)

    def _marking(self, kind: str) -> Callable[[], object]:
        return lambda: self.controller.mark(kind)
