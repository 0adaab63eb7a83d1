"""A plug as it is drawn: its pins where they sit, what each is, where it stands, and the two probes."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Final

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QFont, QHelpEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QToolTip, QWidget

from nervus.domain.plug import Face, Pin, PinRole
from nervus.judge.words import natural_frequency
from nervus.language import figures, say
from nervus.pins.roles import RoleGuess
from nervus.pins.solving import SolvedPin
from nervus.window.theme import BRIGHT, Theme

_CELL_W, _CELL_H, _SOCKET, _EDGE = 84.0, 104.0, 34.0, 12.0
_CROWDED = 64.0
# So many rows of pins are always shown whole, each of so many points at the least.
_SHOWN_ROWS, _LEAST_ROW = 3, 72.0
_TOKENS: Final = {
    PinRole.SUPPLY: say("supply"),
    PinRole.GROUND: "ink",
    PinRole.SIGNAL_1: "track_1",
    PinRole.SIGNAL_2: "track_2",
    PinRole.MOTOR_PLUS: "command",
    PinRole.MOTOR_MINUS: "command",
    PinRole.BATTERY: "pedal",
}
_SHORT: Final = {
    PinRole.SUPPLY: "supply",
    PinRole.GROUND: say("ground"),
    PinRole.SIGNAL_1: say("signal 1"),
    PinRole.SIGNAL_2: say("signal 2"),
    PinRole.MOTOR_PLUS: say("motor +"),
    PinRole.MOTOR_MINUS: say("motor −"),  # noqa: RUF001 - a true minus sign
    PinRole.BATTERY: say("battery"),
    PinRole.UNUSED: say("not used"),
    PinRole.UNKNOWN: "",
}


@dataclass(frozen=True, slots=True)
class Shown:
    """What is drawn at the pins: solved potentials, guesses of roles, pins in a contradiction."""

    pins: Mapping[str, SolvedPin] = field(default_factory=dict)
    roles: Mapping[str, RoleGuess] = field(default_factory=dict)
    wrong: frozenset[str] = frozenset()


class PlugView(QWidget):
    """Draws one face.

    Signals:
        picked: a pin was clicked.
    """

    picked = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme: Theme = BRIGHT
        self._face: Face | None = None
        self._shown = Shown()
        self._probes: tuple[str, str] | None = None
        self.setAccessibleName(say("The plug as it is drawn"))
        self.setMinimumSize(260, 60)

    def show_face(self, face: Face | None, shown: Shown) -> None:
        """Draw a face, with what is known of its pins."""
        self._face, self._shown = face, shown
        pins = face.pins if face is not None else ()
        rows, _ = self._grid() if pins else (0, 0)
        self.setMinimumHeight(int(min(rows, _SHOWN_ROWS) * _LEAST_ROW + 2 * _EDGE))
        self.setAccessibleDescription(
            "; ".join(_told(pin, shown) for pin in pins) or say("not drawn yet")
        )
        self.updateGeometry()
        self.update()

    def show_probes(self, black: str, red: str) -> None:
        """Mark where the probes go next."""
        self._probes = (black, red)
        self.update()

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.theme = theme
        self.update()

    def sizeHint(self) -> QSize:
        rows, columns = self._grid()
        return QSize(int(columns * _CELL_W + 2 * _EDGE), int(max(rows, 1) * _CELL_H + 2 * _EDGE))

    def _grid(self) -> tuple[int, int]:
        pins = self._face.pins if self._face is not None else ()
        return max((p.row for p in pins), default=0) + 1, max((p.column for p in pins), default=2) + 1

    def _cell(self) -> tuple[float, float]:
        """Width and height of a pin's place: smaller where many share the room."""
        rows, columns = self._grid()
        wide = (self.width() - 2 * _EDGE) / columns
        high = (self.height() - 2 * _EDGE) / rows
        return min(_CELL_W, wide), min(_CELL_H, high)

    def _spot(self, pin: Pin) -> QPointF:
        wide, high = self._cell()
        return QPointF(
            _EDGE + (pin.column + 0.5) * wide, _EDGE + pin.row * high + min(0.34 * high, 28.0)
        )

    def about(self, label: str) -> str:
        """All that is known of a pin: role, how sure, why, its volts, its wire's colour."""
        pin = self._face.pin(label) if self._face is not None else None
        if pin is None:
            return ""
        parts = [say("pin {label}", label=label)]
        guess = self._shown.roles.get(label)
        if pin.role is not PinRole.UNKNOWN:
            parts.append(say("{role} as it was said", role=pin.role))
        elif guess is not None:
            parts.append(
                say(
                    "{role}, {chance}: {why}",
                    role=guess.role,
                    chance=natural_frequency(guess.chance),
                    why=guess.why,
                )
            )
            if guess.from_one:
                parts.append(say("from one reading alone"))
        solved = self._shown.pins.get(label)
        if solved is not None and solved.volts is not None:
            parts.append(
                figures(
                    "{plain} ± {unsure_v:.2f} V", plain=_plain(solved.volts), unsure_v=solved.unsure_v
                )
            )
        if pin.wire:
            parts.append(say("wire {wire}", wire=pin.wire))
        return " · ".join(parts)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            label = self._under(QPointF(event.pos()))
            QToolTip.showText(event.globalPos(), self.about(label), self)
            return True
        return super().event(event)

    def _under(self, at: QPointF) -> str:
        """The pin under a point, "" for none."""
        for pin in self._face.pins if self._face is not None else ():
            away = at - self._spot(pin)
            if abs(away.x()) < _SOCKET * 0.7 and abs(away.y()) < _SOCKET * 0.7:
                return pin.label
        return ""

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        label = self._under(event.position()) if event is not None else ""
        if label:
            self.picked.emit(label)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        rows, columns = self._grid()
        wide, high = self._cell()
        painter.setPen(self.theme.pen("muted", 1.2))
        painter.setBrush(self.theme.color("surface"))
        painter.drawRoundedRect(
            QRectF(3, 3, columns * wide + 2 * _EDGE - 6, rows * high + 2 * _EDGE - 6), 6, 6
        )
        if self._face is None:
            whole = QRectF(3, 3, columns * wide + 2 * _EDGE - 6, rows * high + 2 * _EDGE - 6)
            self._text(painter, whole, "muted", 14, say("Draw the plug first."))
            return
        for pin in self._face.pins:
            self._paint_pin(painter, pin)

    def _paint_pin(self, painter: QPainter, pin: Pin) -> None:
        spot, (wide, high) = self._spot(pin), self._cell()
        half = min(_SOCKET, 0.45 * wide, 0.44 * high) / 2.0
        solved = self._shown.pins.get(pin.label)
        token = _TOKENS.get(pin.role, "muted")
        bad = pin.label in self._shown.wrong
        weak = solved is not None and (solved.floats or solved.behind_ohms > 0.0)
        style = Qt.PenStyle.DashLine if weak else Qt.PenStyle.SolidLine
        painter.setPen(self.theme.pen("inflamed" if bad else token, 2.4, style))
        painter.setBrush(self.theme.color("ground"))
        box = QRectF(spot.x() - half, spot.y() - half, 2 * half, 2 * half)
        painter.drawRoundedRect(box, 3, 3)
        if bad:
            painter.fillRect(box, self._hatched())
        self._text(painter, box, "ink", 14, pin.label, bold=True)
        # Where many share a row, every other one says what it is a step lower.
        step = 31.0 if wide < _CROWDED and pin.column % 2 else 0.0
        width = wide if wide >= _CROWDED else 2 * wide - 4
        below = QRectF(spot.x() - width / 2, spot.y() + half + 1 + step, width, 16)
        self._text(painter, below, token, 12, self._role(pin))
        below.translate(0, 15)
        self._text(painter, below, "ink", 13, _volts(solved))
        self._paint_probes(painter, pin, box)

    def _hatched(self) -> QBrush:
        return QBrush(self.theme.color("inflamed", 110), Qt.BrushStyle.BDiagPattern)

    def _role(self, pin: Pin) -> str:
        if pin.role is not PinRole.UNKNOWN:
            return _SHORT[pin.role]
        guess = self._shown.roles.get(pin.label)
        return f"{_SHORT[guess.role]}?" if guess is not None and guess.chance > 0.6 else ""

    def _paint_probes(self, painter: QPainter, pin: Pin, box: QRectF) -> None:
        """A lettered flag beside the pin: B and R say what the colours say."""
        for number, (label, letter, token) in enumerate(
            zip(self._probes or (), "BR", ("ink", "inflamed"), strict=False)
        ):
            if label != pin.label:
                continue
            flag = QRectF(box.left() - 15 if number == 0 else box.right() - 1, box.top() - 7, 16, 16)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.theme.color(token))
            painter.drawEllipse(flag)
            self._text(painter, flag, "ground", 11, letter, bold=True)

    def _text(
        self, painter: QPainter, box: QRectF, token: str, size: int, text: str, *, bold: bool = False
    ) -> None:
        font = QFont(self.font())
        font.setPixelSize(size)
        font.setBold(bold)
        painter.setFont(font)
        painter.setPen(self.theme.color(token))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def _volts(solved: SolvedPin | None) -> str:
    if solved is None:
        return ""
    if solved.floats:
        return say("open")
    if solved.volts is None:
        return ""
    return f"{'~' if solved.behind_ohms > 0.0 else ''}{_plain(solved.volts)} V"


def _plain(volts: float) -> str:
    """Two decimals, and no minus before nothing."""
    text = figures("{volts:.2f}", volts=round(volts, 2) + 0.0)
    return text.replace("-", "−")  # noqa: RUF001 - a true minus sign


def _told(pin: Pin, shown: Shown) -> str:
    role = _SHORT[pin.role] or say("no role yet")
    volts = _volts(shown.pins.get(pin.label))
    return say("pin {label} {role} {volts}", label=pin.label, role=role, volts=volts).strip()
