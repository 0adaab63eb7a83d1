"""The job's head at the top and the keys at the foot."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QWidget

from nervus.domain.job import Vehicle
from nervus.language import say
from nervus.window.elided import ElidedLabel

# A vehicle's name is never so long that the head is wider than a small screen.
_LONGEST = 48


class Head(QWidget):
    """Which vehicle, which complaint, and what state the job is in.

    Attributes:
        note: what is said of the whole logbook while no job is open, such as that it is a demo.
    """

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.note = ""
        self.setObjectName("head")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(46)
        self.vehicle = QLabel("", self)
        self.vehicle.setObjectName("vehicle")
        self.complaint = ElidedLabel("", self)
        self.complaint.setObjectName("quiet")
        self.state = QLabel("", self)
        self.state.setObjectName("pill")
        self.state.setFixedHeight(26)
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 0, 20, 0)
        row.setSpacing(28)
        row.addWidget(self.vehicle)
        row.addWidget(self.complaint, 1)
        row.addWidget(self.state)
        self.show_nothing()

    def show_nothing(self) -> None:
        """No recording is open."""
        self.vehicle.setText("Nervus")
        self.complaint.setText(say("sensor, wiring or throttle body?"))
        self.state.setText(self.note)
        self.state.setVisible(bool(self.note))

    def show_live(self, *, kept: bool) -> None:
        """Something is connected, and what comes in is kept or not."""
        self.vehicle.setText(say("Live"))
        self.complaint.setText("" if kept else say("nothing is kept until you record"))
        self.state.setText(say("recording") if kept else say("watching"))
        self.state.show()

    def show_state(self, state: str) -> None:
        """Another state of the same job."""
        self.state.setText(state)
        self.state.setVisible(bool(state))

    def show_recording(self, name: str) -> None:
        """A recording that belongs to no job yet."""
        self.vehicle.setText(name)
        self.complaint.setText(say("a recording without a job"))
        self.state.hide()

    def show_job(self, vehicle: Vehicle, complaint: str, state: str) -> None:
        """Whose job it is, what is complained of, and what state it is in."""
        whole = " · ".join(t for t in (vehicle.name, vehicle.description) if t)
        self.vehicle.setText(whole if len(whole) <= _LONGEST else whole[: _LONGEST - 1] + "…")
        self.vehicle.setToolTip(whole)
        self.complaint.setText(complaint)
        self.state.setText(state)
        self.state.setVisible(bool(state))


class Foot(QWidget):
    """The keys that work now."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("foot")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(34)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(16, 0, 16, 0)
        self._row.setSpacing(8)
        self.source = ElidedLabel("", self)
        self.source.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)

    def show_keys(self, keys: tuple[tuple[str, str], ...], source: str) -> None:
        """Pairs of key and what it does, and where the data comes from at the right."""
        while (item := self._row.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None and widget is not self.source:
                widget.deleteLater()
        for key, does in keys:
            cap, label = QLabel(key, self), QLabel(does, self)
            cap.setObjectName("key")
            cap.setFixedHeight(22)
            self._row.addWidget(cap)
            self._row.addWidget(label)
            self._row.addSpacing(10)
        self.source.setText(source)
        self._row.addWidget(self.source, 1)
