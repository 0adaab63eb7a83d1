"""Which values stand large over the live picture, and beyond what they are an alarm."""

from PyQt6.QtCore import QSettings, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.channel import CHANNEL_KINDS
from nervus.domain.errors import OutsideError
from nervus.language import figures, say
from nervus.window.live.alarms import Alarms, read_limits, save
from nervus.window.live.live_view import MOST_READOUTS
from nervus.window.station_page import quiet

_HEAD = (say("value, shown large"), say("alarm below"), say("alarm above"))


class ValuesDialog(QDialog):
    """A row for each channel that comes in.

    Signals:
        chosen: identifiers of what is to be shown large, in this order.
    """

    chosen = pyqtSignal(tuple)

    def __init__(
        self,
        channels: tuple[str, ...],
        shown: tuple[str, ...],
        alarms: Alarms,
        settings: QSettings,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._alarms, self._settings = alarms, settings
        self.setWindowTitle(say("Values and alarms"))
        self.resize(560, 480)
        self.table = QTableWidget(len(channels), len(_HEAD), self)
        self.table.setHorizontalHeaderLabels(_HEAD)
        self.table.setAccessibleName(say("Values: space shows one large; type limits beside it"))
        rows, columns = self.table.verticalHeader(), self.table.horizontalHeader()
        if rows is not None and columns is not None:
            rows.hide()
            rows.setDefaultSectionSize(36)
            columns.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
            columns.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        for row, channel in enumerate(channels):
            self._add(row, channel, large=channel in shown)
        self.table.itemChanged.connect(lambda _item: self._take())
        self.drop = QCheckBox(say("alarm when a track lets go"), self)
        self.drop.setChecked(alarms.on_drop)
        self.drop.toggled.connect(lambda _on: self._take())
        self.wrong = QLabel("", self)
        self.wrong.setWordWrap(True)
        leave = QPushButton(say("Close"), self)
        leave.setAutoDefault(False)
        leave.clicked.connect(self.close)
        foot = QHBoxLayout()
        foot.addWidget(self.drop)
        foot.addStretch(1)
        foot.addWidget(leave)
        about = quiet(
            say(
                "At most {most_readouts} values stand large. An alarm sounds, shows at its "
                "value and sets a mark in the recording.",
                most_readouts=MOST_READOUTS,
            ),
            self,
        )
        column = QVBoxLayout(self)
        for widget in (about, self.table, self.wrong):
            column.addWidget(widget)
        column.addLayout(foot)

    def _add(self, row: int, channel: str, *, large: bool) -> None:
        kind = CHANNEL_KINDS[channel]
        name = QTableWidgetItem(f"{kind.title}, {kind.unit}")
        name.setData(Qt.ItemDataRole.UserRole, channel)
        name.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable
                      | Qt.ItemFlag.ItemIsSelectable)  # fmt: skip
        name.setCheckState(Qt.CheckState.Checked if large else Qt.CheckState.Unchecked)
        self.table.setItem(row, 0, name)
        limits = self._alarms.limits.get(channel)
        for column, value in enumerate((limits.low, limits.high) if limits else (None, None), start=1):
            self.table.setItem(
                row,
                column,
                QTableWidgetItem(figures("{value:g}", value=value) if value is not None else ""),
            )

    def _take(self) -> None:
        """Everything as it stands in the table; what can't be is told and changes nothing."""
        shown, limits = [], {}
        for row in range(self.table.rowCount()):
            name, low, high = (self.table.item(row, column) for column in range(len(_HEAD)))
            if name is None or low is None or high is None:
                return
            channel = str(name.data(Qt.ItemDataRole.UserRole))
            if name.checkState() is Qt.CheckState.Checked:
                shown.append(channel)
            try:
                found = read_limits(low.text(), high.text(), channel)
            except OutsideError as wrong:
                self.wrong.setText(str(wrong))
                return
            if found is not None:
                limits[channel] = found
        few = len(shown) <= MOST_READOUTS
        self.wrong.setText(
            ""
            if few
            else say(
                "{len} are chosen; the first {most_readouts} are shown.",
                len=len(shown),
                most_readouts=MOST_READOUTS,
            )
        )
        self._alarms.limits, self._alarms.on_drop = limits, self.drop.isChecked()
        self._alarms.ringing = {c: w for c, w in self._alarms.ringing.items() if c in limits}
        save(self._alarms, self._settings)
        self.chosen.emit(tuple(shown[:MOST_READOUTS]))
