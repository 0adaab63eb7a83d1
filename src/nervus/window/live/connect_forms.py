"""Forms for what is connected: a vehicle by its bus, a meter by its line, readings by hand."""

from PyQt6.QtCore import QSettings, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.channel import CHANNEL_KINDS
from nervus.domain.errors import OutsideError
from nervus.language import figures, say
from nervus.link.addresses import read_unit
from nervus.link.bus_health import how_up, interfaces
from nervus.link.buses import WAYS
from nervus.link.instruments import MeterSetup, volt_channels

_VEHICLE = say(
    "Nervus reads; it writes nothing without asking. A CAN interface must be set "
    "up for the vehicle's bit rate first, {up}. Nervus does not do that for you."
)
_METER = say(
    "A meter that answers on a socket (HOST:PORT), a serial line (/dev/ttyUSB0) or "
    "as a VISA resource. Nervus asks it for readings; it changes nothing but the "
    "range to volts DC."
)


class ConnectForm(QWidget):
    """A form with its last answers, what is wrong in words, and a button.

    Signals:
        taken: what was entered could be taken; `wanted` of the form told it.
        left: nothing is to be connected.
    """

    taken = pyqtSignal()
    left = pyqtSignal()

    def __init__(
        self, title: str, hint: str, settings: QSettings, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._settings = settings
        self.setWindowTitle(title)
        heading = QLabel(title, self)
        heading.setObjectName("station")
        about = QLabel(hint, self)
        about.setWordWrap(True)
        about.setObjectName("quiet")
        self.form = QFormLayout()
        self.form.setVerticalSpacing(10)
        self.form.setLabelAlignment(Qt.AlignmentFlag.AlignVCenter)
        self.wrong = QLabel("", self)
        self.wrong.setObjectName("caution")
        self.wrong.setWordWrap(True)
        self.wrong.hide()
        self.connect_now = QPushButton(say("Connect"), self)
        self.connect_now.setObjectName("primary")
        self.leave = QPushButton(say("Leave it"), self)
        self.connect_now.clicked.connect(self.connect_to)
        self.leave.clicked.connect(self.left)
        buttons = QHBoxLayout()
        buttons.addWidget(self.connect_now)
        buttons.addStretch(1)
        buttons.addWidget(self.leave)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(12)
        for part in (heading, about, self.wrong):
            column.addWidget(part)
        column.addLayout(self.form)
        column.addLayout(buttons)
        column.addStretch(1)

    def put_where(self, _where: str) -> None:
        """Something on the list was chosen: it is what is connected to."""

    def choice(self, label: str, key: str, offered: list[str], otherwise: str) -> QComboBox:
        """A box to choose from or to type into, with what was chosen last."""
        box = QComboBox(self)
        box.setEditable(True)
        box.setMinimumHeight(36)
        box.addItems(list(dict.fromkeys([*offered, otherwise])))
        box.setCurrentText(str(self._settings.value(key, offered[0] if offered else otherwise)))
        box.setAccessibleName(label)
        written = box.lineEdit()
        assert written is not None  # noqa: S101 - a box that can be typed into has one
        written.setAccessibleName(label)
        self.form.addRow(label, box)
        return box

    def line(self, label: str, key: str, otherwise: str, hint: str) -> QLineEdit:
        """A line to type into, with what was typed last."""
        line = QLineEdit(str(self._settings.value(key, otherwise)), self)
        line.setMinimumHeight(36)
        line.setPlaceholderText(hint)
        line.setAccessibleName(label)
        self.form.addRow(label, line)
        return line

    def connect_to(self) -> None:
        """Connect to what was entered; what can't be is told, and the form stays."""
        try:
            self.take()
        except OutsideError as wrong:
            self.wrong.setText(str(wrong))
            self.wrong.show()
            return
        self.wrong.hide()
        self.taken.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.connect_to()
        else:
            super().keyPressEvent(event)

    def take(self) -> None:
        """Take what was entered; raises `OutsideError` for what can't be."""


class VehicleForm(ConnectForm):
    """Which way to the vehicle, and which control unit.

    Signals:
        wanted: the way, as `buses.WAYS`, and the unit (-1 for the first that tells of the throttle).
    """

    wanted = pyqtSignal(str, int)

    def __init__(self, settings: QSettings, parent: QWidget | None = None) -> None:
        names = interfaces()
        hint = _VEHICLE.format(up=how_up(names[0] if names else "can0"))
        super().__init__(say("A vehicle"), hint, settings, parent)
        offered = [f"socketcan:{name}" for name in names] + [f"serial:{port}" for port in serial_ports()]
        self.where = self.choice(say("bus or adapter"), "vehicle", offered, "socketcan:can0")
        self.where.setToolTip("\n".join(WAYS))
        self.unit = self.line(
            say("control unit"), "vehicle unit", "", say("the first that tells of the throttle")
        )

    def put_where(self, where: str) -> None:
        """As `ConnectForm.put_where`."""
        if where:
            self.where.setCurrentText(where)

    def take(self) -> None:
        """As `ConnectForm.take`."""
        where, unit = self.where.currentText().strip(), self.unit.text().strip()
        if ":" not in where:
            where = f"socketcan:{where}"
        number = read_unit(unit) if unit else -1
        self._settings.setValue("vehicle", where)
        self._settings.setValue("vehicle unit", unit)
        self.wanted.emit(where, number)


class MeterForm(ConnectForm):
    """Where a meter is, what its probe is on, and how it wants to be asked.

    Signals:
        wanted: where, the channel, and a `MeterSetup`.
    """

    wanted = pyqtSignal(str, str, object)

    def __init__(self, settings: QSettings, parent: QWidget | None = None) -> None:
        super().__init__(say("A meter"), _METER, settings, parent)
        usual = MeterSetup()
        self.where = self.choice(say("meter"), "meter", list(serial_ports()), "192.168.0.10:5025")
        self.probe = line_choice(settings, "meter line", self)
        self.form.addRow(say("probe is on"), self.probe)
        self.first = self.line(say("sent first"), "meter first", usual.first, say("nothing"))
        self.question = self.line(say("asked by"), "meter question", usual.question, usual.question)
        self.wait = self.line(say("waits at most"), "meter wait", f"{usual.wait_s:g}", say("seconds"))
        self.baud = self.line(say("serial rate"), "meter baud", str(usual.baud), "9600")

    def put_where(self, where: str) -> None:
        """As `ConnectForm.put_where`."""
        if where:
            self.where.setCurrentText(where)

    def take(self) -> None:
        """As `ConnectForm.take`."""
        wait_s = _seconds(self.wait.text())
        baud = self.baud.text().strip()
        if not baud.isdecimal() or not 300 <= int(baud) <= 4_000_000:
            raise OutsideError(
                say("“{baud}” is no serial rate; accepted is such as 9600 or 115200.", baud=baud[:20])
            )
        question = self.question.text().strip() or MeterSetup().question
        setup = MeterSetup(self.first.text().strip(), question, wait_s, int(baud))
        where, channel = self.where.currentText().strip(), str(self.probe.currentData())
        kept = {
            "meter": where, "meter line": channel, "meter first": setup.first,
            "meter question": setup.question, "meter wait": figures("{wait_s:g}",
wait_s=wait_s), "meter baud": baud,
        }  # fmt: skip
        for key, value in kept.items():
            self._settings.setValue(key, value)
        self.wanted.emit(where, channel, setup)


class LineForm(ConnectForm):
    """Which line the readings that are typed belong to.

    Signals:
        wanted: the channel, and the ohms of the whole track where ohms are typed, else 0.
    """

    wanted = pyqtSignal(str, float)

    def __init__(self, settings: QSettings, parent: QWidget | None = None) -> None:
        hint = say(
            "Read the meter and type what it shows; the instant of a reading is when Enter was pressed."
        )
        super().__init__(say("Readings by hand"), hint, settings, parent)
        self.connect_now.setText(say("Begin"))
        self.probe = line_choice(settings, "hand line", self)
        for track in (1, 2):
            self.probe.addItem(
                say("Track {track}, ohms from its wiper to an end", track=track), f"tps{track}_pct"
            )
        self.probe.setCurrentIndex(
            max(0, self.probe.findData(str(settings.value("hand line", "tps1_v"))))
        )
        self.form.addRow(say("probe is on"), self.probe)
        self.track = self.line(
            say("track, end to end"), "hand track", "", say("ohms, for a sweep by ohms")
        )

    def take(self) -> None:
        """As `ConnectForm.take`."""
        channel = str(self.probe.currentData())
        ohms = _track_ohms(self.track.text()) if channel.endswith("_pct") else 0.0
        self._settings.setValue("hand line", channel)
        self._settings.setValue("hand track", self.track.text().strip())
        self.wanted.emit(channel, ohms)


class FormDialog(QDialog):
    """A form in a dialog of its own, for what is connected beside what is live."""

    def __init__(self, form: ConnectForm, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(form.windowTitle())
        self.setMinimumWidth(560)
        self.form = form
        QVBoxLayout(self).addWidget(form)
        form.taken.connect(self.close)
        form.left.connect(self.close)


def line_choice(settings: QSettings, key: str, parent: QWidget) -> QComboBox:
    """A box with all lines that a probe can be on, the one of last time chosen."""
    box = QComboBox(parent)
    box.setMinimumHeight(36)
    box.setAccessibleName(say("What the probe is on"))
    for channel in volt_channels():
        box.addItem(f"{CHANNEL_KINDS[channel].title} ({channel})", channel)
    box.setCurrentIndex(max(0, box.findData(str(settings.value(key, "tps1_v")))))
    return box


def _track_ohms(text: str) -> float:
    """The ohms of a track, end to end.

    Raises:
        OutsideError: they are none.
    """
    written = text.strip().replace(",", ".").casefold()
    kilo = written.removesuffix("ω").removesuffix("ohm").strip()
    try:
        ohms = float(kilo.removesuffix("k")) * (1e3 if kilo.endswith("k") else 1.0)
    except ValueError:
        ohms = 0.0
    if not 100.0 <= ohms <= 1e6:
        raise OutsideError(
            say(
                "“{strip}” is no track; measure it end to end, key off and plug off: 100 Ω to 1 MΩ.",
                strip=text.strip()[:20],
            )
        )
    return ohms


def _seconds(text: str) -> float:
    """How long a reading may take.

    Raises:
        OutsideError: it is no such time.
    """
    written = text.strip().removesuffix("s").strip().replace(",", ".")
    try:
        seconds = float(written)
    except ValueError:
        seconds = -1.0
    if not 0.1 <= seconds <= 60.0:
        raise OutsideError(
            say("“{strip}” can't be waited for; accepted is 0.1 to 60 s.", strip=text.strip()[:20])
        )
    return seconds


def serial_ports() -> tuple[str, ...]:
    """The serial lines that this machine has."""
    from serial.tools import list_ports  # noqa: PLC0415 - seldom wanted: start-up

    return tuple(sorted(port.device for port in list_ports.comports()))
