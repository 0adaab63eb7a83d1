"""The simulated vehicle beside the window: a process of its own, and hands on it."""

import sys
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QProcess, pyqtSignal

from nervus.domain.errors import OutsideError
from nervus.language import say
from nervus.standin import hands

if TYPE_CHECKING:
    import can


class StandIn(QObject):
    """Runs `nervus stand-in` and reaches into it.

    Signals:
        ready: bus and instrument, as the link wants them.
        failed: it can't be started, and why.
    """

    ready = pyqtSignal(str, str)
    failed = pyqtSignal(str)

    def __init__(self, fault: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._bus: can.BusABC | None = None
        self._process = QProcess(self)
        self._process.setProgram(sys.executable)
        self._process.setArguments(["-m", "nervus", "stand-in", *(["--fault", fault] if fault else [])])
        self._process.readyReadStandardOutput.connect(self._read)
        self._process.errorOccurred.connect(
            lambda _w: self.failed.emit(say("The simulated vehicle can't start."))
        )

    def start(self) -> None:
        """Start it; `ready` tells where it is."""
        self._process.start()

    def _read(self) -> None:
        line = bytes(self._process.readLine().data()).decode("ascii", "replace").strip()
        bus, _, instrument = line.partition(" ")
        if bus.startswith("standin:"):
            from nervus.link.buses import open_bus  # noqa: PLC0415 - loads the bus library: start-up

            try:
                self._bus = open_bus(bus)
            except OutsideError as wrong:
                self.failed.emit(str(wrong))
                return
            self.ready.emit(bus, instrument)

    def set_hands(self, pedal_pct: float, flags: int) -> None:
        """Set pedal and flags (`hands.KEY` and the rest)."""
        if self._bus is None:
            return
        import can  # noqa: PLC0415 - loaded long since

        try:
            self._bus.send(hands.hands_frame(pedal_pct, flags))
        except can.CanError:
            self._bus = None
            self.failed.emit(say("The simulated vehicle has ended."))

    def stop(self) -> None:
        """Ask it to end; it does when nobody holds its input any more."""
        if self._bus is not None:
            self._bus.shutdown()
            self._bus = None
        self._process.blockSignals(True)  # noqa: FBT003 - Qt's own argument
        self._process.closeWriteChannel()

    def wait(self) -> None:
        """Wait until it has ended; for when the application itself ends."""
        if (
            self._process.state() != QProcess.ProcessState.NotRunning
            and not self._process.waitForFinished(3000)
        ):
            self._process.kill()
            self._process.waitForFinished(1000)
