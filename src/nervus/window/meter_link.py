"""A connected meter for the pins: its readings as they come, and a tone when one has settled."""

import logging
import threading
import time

from PyQt6.QtCore import QObject, pyqtSignal

from nervus.domain.errors import OutsideError, Stopped
from nervus.pins.meter import Meter
from nervus.pins.settling import SettleWatch

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

    def __init__(self, where: str, meter: Meter, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.where = where
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
        with self._lock:
            self._probes = (red, black)

    def _run(self) -> None:
        why = ""
        try:
            self._ask()
        except Stopped:
            pass  # what `stop` is for
        except OutsideError as wrong:
            why = str(wrong)
        except Exception:  # noqa: BLE001
            # The last guard of the thread: a bug of ours must reach the user and the log.
            _log.exception("the meter failed")
            why = "Nervus let go of the meter because of a fault of its own; see the log."
        self.ended.emit("" if self._stop.is_set() else why)

    def _ask(self) -> None:
        from nervus.link.instruments import Instrument, MeterSetup  # noqa: PLC0415 - when first wanted
        from nervus.link.meter_words import volts_said  # noqa: PLC0415 - as above

        setup = MeterSetup()
        instrument = Instrument(self.where, setup)
        try:
            if setup.first:
                instrument.tell(setup.first)
            while not self._stop.is_set():
                with self._lock:
                    probes, self._probes = self._probes, None
                if probes is not None:
                    instrument.tell(f"ROUT:PROB {probes[0]},{probes[1]}")
                said = volts_said(instrument.ask(setup.question))
                self.shows.emit(said.volts)
                value = self._watch.feed(time.monotonic(), said.volts)
                if value is not None:
                    self.settled.emit(value)
        finally:
            instrument.close()
