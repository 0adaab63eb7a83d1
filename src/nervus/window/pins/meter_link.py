"""A connected meter for the pins: its readings as they come, and a tone when one has settled."""

import logging
import threading
import time
from contextlib import suppress
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from nervus.domain.errors import OutsideError, Stopped
from nervus.language import say
from nervus.pins.meter import Meter
from nervus.pins.settling import SettleWatch

if TYPE_CHECKING:
    from nervus.link.instruments import MeterSetup

# A meter that answers nonsense so often in a row is set to something else, or is none.
_GARBLED_TIMES = 20
_log = logging.getLogger(__name__)


class MeterLink(QObject):
    """Asks a meter again and again in a thread of its own.

    Signals:
        shows: what it shows now, in volts; `None` where it shows none.
        settled: a value that stands.
        ended: it was let go, with why in a sentence, "" where one wanted it.
    """

    shows = pyqtSignal(object)
    settled = pyqtSignal(float)
    ended = pyqtSignal(str)

    def __init__(
        self,
        where: str,
        meter: Meter,
        setup: "MeterSetup | None" = None,
        parent: QObject | None = None,
        *,
        moves_probes: bool = False,
    ) -> None:
        super().__init__(parent)
        self._moves_probes = moves_probes
        self.where, self._setup = where, setup
        self._garbled = 0
        self._watch = SettleWatch(meter)
        self._stop = threading.Event()
        self._probes: tuple[str, str] | None = None
        self._lock = threading.Lock()
        self._thread = threading.Thread(target=self._run, name="meter", daemon=True)

    def start(self) -> None:
        """Begin to ask."""
        self._thread.start()

    def stop(self) -> None:
        """Let go of it."""
        self._stop.set()

    def wait(self) -> None:
        """Wait until it is let go; for when the application itself ends."""
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(3.0)

    def put_probes(self, red: str, black: str) -> None:
        """Tell a simulated vehicle's meter where its probes are; a real one has hands on it."""
        if self._moves_probes:
            with self._lock:
                self._probes = (red, black)

    def _run(self) -> None:
        why = ""
        try:
            with suppress(Stopped):  # what `stop` is for
                self._ask()
        except OutsideError as wrong:
            why = str(wrong)
        except Exception:  # noqa: BLE001
            # The last guard of the thread: a bug of ours must reach the user and the log.
            _log.exception("the meter failed")
            why = say("Nervus let go of the meter because of a fault of its own; see the log.")
        self.ended.emit("" if self._stop.is_set() else why)

    def _volts(self, answer: str) -> float | None:
        """What it said, in volts; nonsense now and then is no number."""
        from nervus.link.errors import Garbled  # noqa: PLC0415 - when first wanted
        from nervus.link.meter_words import volts_said  # noqa: PLC0415 - as above

        try:
            said = volts_said(answer)
        except Garbled:
            self._garbled += 1
            if self._garbled >= _GARBLED_TIMES:
                raise
            return None
        self._garbled = 0
        return said.volts

    def _ask(self) -> None:
        from nervus.link.instruments import Instrument, MeterSetup  # noqa: PLC0415 - when first wanted

        setup = self._setup or MeterSetup()
        instrument = Instrument(self.where, setup)
        try:
            if setup.first:
                instrument.tell(setup.first)
            while not self._stop.is_set():
                with self._lock:
                    probes, self._probes = self._probes, None
                if probes is not None:
                    instrument.tell(f"ROUT:PROB {probes[0]},{probes[1]}")
                    self._watch.begin_anew()
                volts = self._volts(instrument.ask(setup.question))
                self.shows.emit(volts)
                value = self._watch.feed(time.monotonic(), volts)
                if value is not None:
                    self.settled.emit(value)
        finally:
            instrument.close()
