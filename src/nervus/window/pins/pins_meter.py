"""A meter for the page of pins: connected, let go, its probes put where a pair is proposed."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QSettings, QTimer, pyqtSignal
from PyQt6.QtWidgets import QApplication

from nervus.judge.plug_state import meter_of
from nervus.window.live.live_part import LivePart
from nervus.window.pins.meter_link import MeterLink
from nervus.window.pins.pins_page import PinsPage
from nervus.window.sounds.setting_tone import SettledTone
from nervus.window.sounds.sound import SoundOut

if TYPE_CHECKING:
    from nervus.link.instruments import MeterSetup

_FRAME_MS = 40


class PinsMeter(QObject):
    """One meter at a time.

    Signals:
        told: a sentence for the user.
    """

    told = pyqtSignal(str)

    def __init__(self, settings: QSettings, live: LivePart, parent: QObject) -> None:
        super().__init__(parent)
        self._settings, self._live = settings, live
        self.link: MeterLink | None = None
        self._page: PinsPage | None = None
        self._ending: list[MeterLink] = []
        self._tone = SettledTone()
        self._sound: SoundOut | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(_FRAME_MS)
        self._timer.timeout.connect(self._sound_on)

    def toggle(self, page: PinsPage) -> None:
        """Connect, or let go."""
        if self.link is not None:
            self.stop()
            return
        where = self._live.meter_address
        if where:
            self.connect_to(where, page)
            return
        page.meter.setChecked(False)
        from nervus.window.live.connect_forms import FormDialog, MeterForm  # noqa: PLC0415 - when first wanted

        form = MeterForm(self._settings)
        dialog = FormDialog(form, page)
        form.wanted.connect(lambda at, _line, setup: self.connect_to(at, page, setup))
        dialog.open()

    def connect_to(self, where: str, page: PinsPage, setup: "MeterSetup | None" = None) -> None:
        """Take what this meter shows at the page's pins."""
        self.stop()
        assert page.job is not None  # noqa: S101 - shown only with a job
        simulated = where == self._live.meter_address
        link = MeterLink(where, meter_of(page.job), setup, self, moves_probes=simulated)
        link.shows.connect(page.show_live)
        link.settled.connect(self._settled)
        link.ended.connect(self._ended)
        page.probes.connect(link.put_probes)
        self.link, self._page = link, page
        page.meter.setChecked(True)
        self._sound = SoundOut(self._tone, self)
        if self._sound.works:
            self._timer.start()
        link.start()
        page.point_again()

    def stop(self) -> None:
        """Let go of it."""
        link, self.link = self.link, None
        self._timer.stop()
        if self._sound is not None:
            self._sound.stop()
            self._sound = None
        if link is not None and self._page is not None:
            self._page.probes.disconnect(link.put_probes)
            link.shows.disconnect(self._page.show_live)
            self._page.meter.setChecked(False)
            self._page.show_live(None)
            link.stop()
            self._ending.append(link)

    def wait(self) -> None:
        """Let go, and wait for it; for when the application itself ends."""
        self.stop()
        for link in self._ending:
            link.wait()

    def _settled(self, volts: float) -> None:
        self._tone.ring()
        # While a sensor is being set, or anything else is asked, the value is not a reading of the page.
        asked = QApplication.activeModalWidget() is not None
        if self._page is not None and self._page.isVisible() and not asked:
            self._page.take_settled(volts)

    def _sound_on(self) -> None:
        if self._sound is not None:
            self._sound.go_on()

    def _ended(self, why: str) -> None:
        if why:
            self.stop()
            self.told.emit(why)
