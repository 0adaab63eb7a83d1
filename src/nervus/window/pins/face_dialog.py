"""Drawing a plug: its pins by rows, what each is for, and its wire's colour."""

from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.job import Source, new_id, now
from nervus.domain.plug import MOST_PINS, Face, Pin, PinRole, PlugEnd
from nervus.knowledge.pin_shapes import pins_of_rows, ready_faces
from nervus.language import say

_HINT = say(
    "As one looks at the plug from its wires. A row of pins is written in one go, "
    "“/” begins the next row, “-” is a place without a pin."
)
_HEADS = (say("pin"), say("what it is for"), say("wire"))


class FaceDialog(QDialog):
    """Edits one face; `face` is what stands there when it was accepted."""

    def __init__(
        self,
        plug: PlugEnd,
        face: Face | None,
        kept: tuple[tuple[str, Face], ...],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(say("The {plug} as it is drawn", plug=plug))
        self.resize(620, 560)
        self._plug, self._was = plug, face
        self.face: Face | None = None
        self._offered: list[tuple[Pin, ...]] = []
        self.begin = QComboBox(self)
        self.begin.setAccessibleName(say("Begin with"))
        self.begin.setMinimumHeight(36)
        self._offer(say("as it is"), face.pins if face is not None else ())
        for title, other in kept:
            self._offer(title, other.pins)
        for ready in ready_faces():
            self._offer(ready.title, pins_of_rows(ready.rows))
        self.rows = QLineEdit(self)
        self.rows.setAccessibleName(say("Pins by rows"))
        self.rows.setPlaceholderText("1 2 3 / 4 5 6")
        self.rows.setMinimumHeight(36)
        self.table = QTableWidget(0, len(_HEADS), self)
        self.table.setAccessibleName(say("What each pin is for"))
        self.table.setHorizontalHeaderLabels(list(_HEADS))
        self.keep_for_type = QCheckBox(say("Keep it for this vehicle type"), self)
        self.wrong = QLabel("", self)
        self.wrong.setObjectName("caution")
        self.wrong.setWordWrap(True)
        self.wrong.hide()
        self._lay_out()
        self.begin.activated.connect(self._begin_with)
        self.rows.editingFinished.connect(self._take_rows)
        self._show(face.pins if face is not None else pins_of_rows(ready_faces()[0].rows))

    def _offer(self, title: str, pins: tuple[Pin, ...]) -> None:
        if pins:
            self.begin.addItem(title)
            self._offered.append(pins)

    def _lay_out(self) -> None:
        about = QLabel(_HINT, self)
        about.setObjectName("quiet")
        about.setWordWrap(True)
        form = QFormLayout()
        form.addRow(say("Begin with"), self.begin)
        form.addRow(say("Pins"), self.rows)
        header, upright = self.table.horizontalHeader(), self.table.verticalHeader()
        assert header is not None  # noqa: S101 - a table has both
        assert upright is not None  # noqa: S101 - a table has both
        upright.hide()
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        keep = QPushButton(say("Keep"), self)
        keep.setObjectName("primary")
        keep.setDefault(True)
        leave = QPushButton(say("Leave it"), self)
        keep.clicked.connect(self._keep)
        leave.clicked.connect(self.reject)
        buttons = QHBoxLayout()
        buttons.addWidget(keep)
        buttons.addWidget(self.keep_for_type)
        buttons.addStretch(1)
        buttons.addWidget(leave)
        column = QVBoxLayout(self)
        column.addWidget(about)
        column.addWidget(self.wrong)
        column.addLayout(form)
        column.addWidget(self.table, 1)
        column.addLayout(buttons)

    def _begin_with(self, number: int) -> None:
        self._show(self._offered[number])

    def _show(self, pins: tuple[Pin, ...]) -> None:
        self.rows.setText(written_rows(pins))
        self.table.setRowCount(0)
        for pin in pins:
            self._add(pin)

    def _add(self, pin: Pin) -> None:
        row = self.table.rowCount()
        self.table.insertRow(row)
        label = QTableWidgetItem(pin.label)
        label.setFlags(Qt.ItemFlag.ItemIsEnabled)
        self.table.setItem(row, 0, label)
        box = QComboBox(self.table)
        box.setAccessibleName(say("Pin {label} is", label=pin.label))
        for role in PinRole:
            box.addItem(role.value, role)
        box.setCurrentText(pin.role.value)
        self.table.setCellWidget(row, 1, box)
        self.table.setItem(row, 2, QTableWidgetItem(pin.wire))
        self.table.setRowHeight(row, 40)

    def _take_rows(self) -> None:
        """Pins by rows again; what a pin was for stays with its label."""
        if not self._readable():
            return
        known = {pin.label: pin for pin in self._pins()}
        made = pins_of_rows(_rows(self.rows.text()))
        self.table.setRowCount(0)
        for pin in made:
            before = known.get(pin.label, pin)
            self._add(replace(pin, role=before.role, wire=before.wire))

    def _readable(self) -> bool:
        labels = [label for row in _rows(self.rows.text()) for label in row if label]
        wrong = ""
        if not labels:
            wrong = say("No pin is written; accepted is such as “1 2 3 / 4 5 6” or “A B - C”.")
        elif len(labels) > MOST_PINS:
            wrong = say(
                "{len} pins are more than a plug has; {most_pins} are the most.",
                len=len(labels),
                most_pins=MOST_PINS,
            )
        else:
            strange = next((x for x in labels if not (x.isascii() and x.isalnum() and len(x) <= 6)), "")
            twice = next((x for x in labels if labels.count(x) > 1), "")
            if strange:
                wrong = say(
                    "“{strange}” is no pin; letters and digits are, six at the most.",
                    strange=strange[:20],
                )
            elif twice:
                wrong = say("Pin {twice} is there twice; each has a name of its own.", twice=twice)
        self.wrong.setText(wrong)
        self.wrong.setVisible(bool(wrong))
        return not wrong

    def _pins(self) -> list[Pin]:
        places = {pin.label: pin for pin in pins_of_rows(_rows(self.rows.text()))}
        found = []
        for row in range(self.table.rowCount()):
            label, wire = self.table.item(row, 0), self.table.item(row, 2)
            box = self.table.cellWidget(row, 1)
            if label is None or not isinstance(box, QComboBox):
                continue
            place = places.get(label.text(), Pin(label=label.text()))
            words = wire.text().strip()[:200] if wire is not None else ""
            found.append(replace(place, role=PinRole(box.currentText()), wire=words))
        return found

    def _keep(self) -> None:
        if not self._readable():
            return
        self._take_rows()
        pins = tuple(self._pins())
        said: list[PinRole] = [p.role for p in pins]
        once = (PinRole.SUPPLY, PinRole.SIGNAL_1, PinRole.SIGNAL_2)
        twice = next((r for r in once if said.count(r) > 1), None)
        if twice is not None:
            self.wrong.setText(
                say("Two pins are said to be {twice}; one of them is something else.", twice=twice)
            )
            self.wrong.show()
            return
        entry = self._was.id if self._was is not None else new_id()
        self.face = Face(id=entry, at=now(), source=Source.SEEN, plug=self._plug, pins=pins)
        self.accept()


def _rows(text: str) -> list[list[str]]:
    return [
        ["" if word == "-" else word for word in row.replace(",", " ").split()]
        for row in text.split("/")
    ]


def written_rows(pins: tuple[Pin, ...]) -> str:
    """Pins as they are typed: rows behind each other, gaps as `-`."""
    last_row = max((p.row for p in pins), default=-1)
    written = []
    for row in range(last_row + 1):
        labels = {p.column: p.label for p in pins if p.row == row}
        written.append(" ".join(labels.get(c, "-") for c in range(max(labels, default=-1) + 1)))
    return " / ".join(written)
