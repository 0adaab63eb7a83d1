"""What there is to connect to: listed, each with its state, and the form of the one that is chosen."""

from PyQt6.QtCore import QSettings, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QFont, QHideEvent, QKeyEvent, QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nervus.language import say
from nervus.link.ways import Kind, Way, ways_there
from nervus.window.live.connect_forms import ConnectForm, LineForm, MeterForm, VehicleForm
from nervus.window.station_page import quiet
from nervus.window.tasks import Task

_LOOK_MS = 2000
_ALWAYS = (
    Way(
        Kind.VEHICLE,
        "",
        say("The simulated vehicle"),
        say("always there; key, pedal, shaking and water by hand"),
    ),
    Way(Kind.VEHICLE, "", say("Another bus or adapter"), say("over a network, on USB, by its address")),
    Way(Kind.METER, "", say("Another meter"), say("over a network, by its address")),
    Way(Kind.BY_HAND, "", say("Readings of a meter, typed"), say("volts, or a sweep by ohms")),
)
_SIMULATED, _OTHER_VEHICLE, _OTHER_METER, _TYPED = _ALWAYS


class ConnectPage(QWidget):
    """The list at the left, the form at the right.

    Signals:
        simulated_wanted: the simulated vehicle.
        left: nothing is to be connected; what was shown before is wanted again.
    """

    simulated_wanted = pyqtSignal()
    left = pyqtSignal()

    def __init__(self, settings: QSettings, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        heading = QLabel(say("What is there to connect to"), self)
        heading.setObjectName("station")
        hint = quiet(say("What is plugged in or set up meanwhile appears by itself."), self)
        self.list = QListWidget(self)
        self.list.setAccessibleName(say("What there is to connect to; Enter connects"))
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentItemChanged.connect(lambda _now, _before: self._chosen())
        self.list.itemActivated.connect(lambda _item: self.connect_to())
        self.vehicle, self.meter = VehicleForm(settings, self), MeterForm(settings, self)
        self.line = LineForm(settings, self)
        self.simulated = self._simulated_form()
        self.forms = QStackedWidget(self)
        for form in (self.simulated, self.vehicle, self.meter, self.line):
            self.forms.addWidget(form)
        for form in (self.vehicle, self.meter, self.line):
            form.left.connect(self.left)
        left = QVBoxLayout()
        self.trouble = quiet("", self)
        self.trouble.setVisible(False)
        for widget in (heading, hint, self.trouble):
            left.addWidget(widget)
        left.addWidget(self.list, 1)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 14, 16, 8)
        row.setSpacing(24)
        row.addLayout(left, 5)
        row.addWidget(self.forms, 6)
        self._ways: tuple[Way, ...] = ()
        self._task: Task | None = None
        self._wanted: Kind | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self.look)
        self._list(())

    def _simulated_form(self) -> QWidget:
        form = QWidget(self)
        title = QLabel(say("The simulated vehicle"), form)
        title.setObjectName("station")
        about = quiet(
            say(
                "A vehicle that runs beside Nervus and answers as a real one does: its control "
                "units on a bus, a sampler at the sensor's pins. A wire of it lets go while "
                "its harness is shaken."
            ),
            form,
        )
        now = QPushButton(say("Connect"), form)
        now.setObjectName("primary")
        now.clicked.connect(self.connect_to)
        leave = QPushButton(say("Leave it"), form)
        leave.clicked.connect(self.left)
        buttons = QHBoxLayout()
        buttons.addWidget(now)
        buttons.addStretch(1)
        buttons.addWidget(leave)
        column = QVBoxLayout(form)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(12)
        for widget in (title, about):
            column.addWidget(widget)
        column.addLayout(buttons)
        column.addStretch(1)
        return form

    # -- what is there -------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.look()
        self._timer.start()

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self._timer.stop()

    def look(self) -> None:
        """Look what is there now; a driver that hangs holds nothing up."""
        if self._task is None:
            self._task = Task(lambda _progress: ways_there(), self)
            self._task.succeeded.connect(self._looked)
            self._task.failed.connect(self._could_not_look)
            self._task.start()

    def _could_not_look(self, why: str) -> None:
        """What was seen before stays: that nothing could be seen is not that nothing is there."""
        self._looked(self._ways)
        self.trouble.setText(say("What is plugged in now could not be seen: {why}", why=why))
        self.trouble.setVisible(True)

    def _looked(self, ways: tuple[Way, ...]) -> None:
        self._task = None
        self.trouble.setVisible(False)
        if ways != self._ways:
            self._ways = ways
            self._list(ways)
        if self._wanted is not None:
            self.choose_kind(self._wanted)
        self._wanted = None

    def _list(self, ways: tuple[Way, ...]) -> None:
        """All of it, by kind; what was chosen stays so while it is there."""
        chosen = self.way
        self.list.blockSignals(True)  # noqa: FBT003 - Qt's own argument
        self.list.clear()
        ordered = [w for k in Kind for w in (*ways, *_ALWAYS) if w.kind is k]
        ordered.sort(key=lambda w: (list(Kind).index(w.kind), w is not _SIMULATED))
        before = None
        for way in ordered:
            if way.kind is not before:
                head = QListWidgetItem(say(way.kind), self.list)
                head.setFlags(Qt.ItemFlag.NoItemFlags)
                bold = QFont(self.list.font())
                bold.setBold(True)
                head.setFont(bold)
                before = way.kind
            item = QListWidgetItem(f"{way.title}\n{way.state}", self.list)
            item.setData(Qt.ItemDataRole.UserRole, way)
        self.list.blockSignals(False)  # noqa: FBT003
        self.choose(chosen if chosen in ordered else _SIMULATED)

    @property
    def way(self) -> Way | None:
        """What is chosen."""
        item = self.list.currentItem()
        way = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        return way if isinstance(way, Way) else None

    def choose(self, way: Way | None) -> None:
        """Choose something on the list."""
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item is not None and item.data(Qt.ItemDataRole.UserRole) == way:
                self.list.setCurrentRow(row)

    def choose_kind(self, kind: Kind) -> None:
        """The first thing of a kind that is really there, else the one to be typed."""
        self._wanted = kind if self._task is not None else None
        others = {Kind.VEHICLE: _OTHER_VEHICLE, Kind.METER: _OTHER_METER, Kind.BY_HAND: _TYPED}
        self.choose(next((w for w in self._ways if w.kind is kind), others[kind]))
        self.list.setFocus()

    @property
    def form(self) -> ConnectForm | None:
        """The form of what is chosen; `None` for the simulated vehicle."""
        shown = self.forms.currentWidget()
        return shown if isinstance(shown, ConnectForm) else None

    def _chosen(self) -> None:
        way = self.way
        if way is None:
            return
        forms = {Kind.VEHICLE: self.vehicle, Kind.METER: self.meter, Kind.BY_HAND: self.line}
        form: QWidget = self.simulated if way == _SIMULATED else forms[way.kind]
        if isinstance(form, ConnectForm):
            form.put_where(way.where)
        self.forms.setCurrentWidget(form)

    def connect_to(self) -> None:
        """Connect to what is chosen."""
        form = self.form
        if form is None:
            self.simulated_wanted.emit()
        else:
            form.connect_to()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        elif event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.connect_to()
        else:
            super().keyPressEvent(event)
