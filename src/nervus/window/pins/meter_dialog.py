"""The meter as its sheet states it: resistance on volts, percent and digits."""

from PyQt6.QtWidgets import (
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.job import MeterUsed, Source, new_id, now
from nervus.language import figures, say
from nervus.pins.meter import Meter

_HINT = say(
    "What stands in the meter's sheet for volts DC. A meter of 10 MΩ hardly loads "
    "a line, and yet pulls down what nothing else holds."
)
_BOUNDS = {
    "ohms": (0.001, 1e6, say("MΩ between 0.001 and a million")),
    "percent": (0.0, 20.0, say("a percent between 0 and 20")),
    "digits": (0.0, 100.0, say("digits between 0 and 100")),
    "counts": (100.0, 1e7, say("counts between 100 and ten million")),
}


class MeterDialog(QDialog):
    """Edits the meter; `meter` is what stands there when it was accepted."""

    def __init__(self, meter: Meter, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(say("The meter"))
        self.setMinimumWidth(460)
        self.meter: MeterUsed | None = None
        about = QLabel(_HINT, self)
        about.setObjectName("quiet")
        about.setWordWrap(True)
        self.wrong = QLabel("", self)
        self.wrong.setObjectName("caution")
        self.wrong.setWordWrap(True)
        self.wrong.hide()
        rows = (
            ("ohms", say("Resistance on volts, MΩ"), meter.ohms / 1e6),
            ("percent", say("Off by percent of the reading"), meter.percent),
            ("digits", say("and by digits of the last place"), meter.digits),
            ("counts", say("Counts of the display"), meter.counts),
        )
        form = QFormLayout()
        self.fields: dict[str, QLineEdit] = {}
        for name, words, value in rows:
            field = QLineEdit(figures("{value:g}", value=value), self)
            field.setMinimumHeight(36)
            field.setAccessibleName(words)
            form.addRow(words, field)
            self.fields[name] = field
        keep, leave = QPushButton(say("Keep"), self), QPushButton(say("Leave it"), self)
        keep.setObjectName("primary")
        keep.setDefault(True)
        keep.clicked.connect(self._keep)
        leave.clicked.connect(self.reject)
        buttons = QHBoxLayout()
        buttons.addWidget(keep)
        buttons.addStretch(1)
        buttons.addWidget(leave)
        column = QVBoxLayout(self)
        for part in (about, self.wrong):
            column.addWidget(part)
        column.addLayout(form)
        column.addLayout(buttons)

    def _keep(self) -> None:
        values = {}
        for name, (low, high, accepted) in _BOUNDS.items():
            text = self.fields[name].text().strip().replace(",", ".")
            try:
                value = float(text)
            except ValueError:
                value = float("nan")
            if not low <= value <= high:
                self.wrong.setText(say("“{text}” is not {accepted}.", text=text[:20], accepted=accepted))
                self.wrong.show()
                self.fields[name].setFocus()
                return
            values[name] = value
        self.meter = MeterUsed(
            id=new_id(),
            at=now(),
            source=Source.TYPED,
            ohms=values["ohms"] * 1e6,
            percent=values["percent"],
            digits=round(values["digits"]),
            counts=round(values["counts"]),
        )
        self.accept()
