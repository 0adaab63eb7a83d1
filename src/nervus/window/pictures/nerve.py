"""The nerve: the signal's way from the plate to the control unit, with the suspicion where it lies."""

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QBrush,
    QFocusEvent,
    QFont,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from nervus.domain.profile import ThrottleKind
from nervus.judge.words import natural_frequency
from nervus.language import figures, say
from nervus.window.pictures.nerve_way import (
    HEIGHT,
    MIDDLE,
    STRANDS_FROM,
    WIDTH,
    Strand,
    Stretch,
    Way,
    way_of,
)
from nervus.window.theme import BRIGHT, Theme

if TYPE_CHECKING:
    from nervus.domain.analysis import StretchSuspicion

# Suspicion below this is not drawn: a swelling everywhere would say nothing.
_WORTH_DRAWING = 0.12
# The plate stands at this angle against the bore when closed, and turns by that much to open.
_CLOSED_DEG, _OPENS_DEG = 83.0, 76.0
_PLUGS = ("sensor_plug", "unit_plug")
# As tall as the nerve is when it is folded.
_STRIP = 32
# Where something moves: plate and wipers, and the volts of the strands.
_MOVING = ((20.0, 300.0), (485.0, 555.0))


class Nerve(QWidget):
    """Draws the way, the suspicion on it, and the values at the moment under the cursor.

    Signals:
        stretch_chosen: identifier of the stretch that was clicked or chosen by key.
        unfold_wanted: the strip that it is folded to was clicked.
    """

    stretch_chosen = pyqtSignal(str)
    unfold_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme: Theme = BRIGHT
        self._way: Way = way_of(ThrottleKind.ELECTRONIC, 2)
        self._suspicion: tuple[StretchSuspicion, ...] = ()
        self._mended = False
        self._travel = 0.0
        self._volts: Mapping[str, float] = {}
        self._chosen: str | None = None
        self._still: QPixmap | None = None
        self._folded = False
        self.setObjectName("nerve")
        self.setFixedHeight(int(HEIGHT))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(say("The signal's way, from the plate to the control unit"))
        self._describe()

    def sizeHint(self) -> QSize:
        return QSize(int(WIDTH), int(HEIGHT))

    def fold(self, *, folded: bool) -> None:
        """Become a strip that names where the suspicion lies, or the whole drawing again."""
        if folded != self._folded:
            self._folded = folded
            self.setFixedHeight(_STRIP if folded else int(HEIGHT))
            self._redraw()

    @property
    def is_folded(self) -> bool:
        """Whether it is a strip now."""
        return self._folded

    @property
    def way(self) -> Way:
        """What is drawn now."""
        return self._way

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self._redraw()

    def show_way(
        self,
        kind: ThrottleKind,
        tracks: int,
        suspicion: tuple["StretchSuspicion", ...],
        *,
        mended: bool = False,
    ) -> None:
        """Draw this throttle with this suspicion; where it is mended, with a tick where it lay."""
        self._mended = mended
        self._way = way_of(kind, tracks)
        self._suspicion = tuple(s for s in suspicion if s.probability >= _WORTH_DRAWING)
        self._chosen = None
        self._describe()
        self._redraw()

    def show_moment(self, travel_pct: float, volts: Mapping[str, float]) -> None:
        """Turn the plate to a travel and show the volts of the strands (by channel prefix)."""
        self._travel = min(max(travel_pct, 0.0), 100.0)
        self._volts = volts
        across = self.width() / WIDTH
        for left, right in _MOVING:
            self.update(int(left * across), 0, int((right - left) * across) + 2, self.height())

    def choose(self, stretch_id: str | None) -> None:
        """Mark a stretch without telling anybody."""
        self._chosen = stretch_id
        self._redraw()

    def _describe(self) -> None:
        if self._mended and self._suspicion:
            text = say("Mended: {fault}.", fault=self._suspicion[0].fault)
        elif not self._suspicion:
            text = say("No stretch is suspected.")
        else:
            text = "Suspected: " + "; ".join(
                f"{s.fault}, {natural_frequency(s.probability)}" for s in self._suspicion
            )
        self.setAccessibleDescription(text)

    # -- input -------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._folded:
            self.unfold_wanted.emit()
            return
        stretch = self._way.stretch_at(event.position().x() * WIDTH / max(1, self.width()))
        if stretch is not None:
            self._select(stretch)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        stretch = self._way.stretch_at(event.position().x() * WIDTH / max(1, self.width()))
        shape = Qt.CursorShape.ArrowCursor
        if stretch is not None:
            shape = Qt.CursorShape.PointingHandCursor
        self.setCursor(shape)
        self.setToolTip(self._tip(stretch) if stretch is not None else "")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        ids = [s.id for s in self._way.stretches]
        now = ids.index(self._chosen) if self._chosen in ids else (-1 if step > 0 else len(ids))
        self._select(self._way.stretches[min(max(now + step, 0), len(ids) - 1)])

    def _select(self, stretch: Stretch) -> None:
        self._chosen = stretch.id
        self._redraw()
        self.stretch_chosen.emit(stretch.id)

    def _tip(self, stretch: Stretch) -> str:
        here = [s for s in self._suspicion if s.stretch == stretch.id]
        lines = [f"{s.fault}: {natural_frequency(s.probability)}" for s in here]
        return "\n".join([stretch.title, *lines])

    # -- painting ----------------------------------------------------------------------------

    def _redraw(self) -> None:
        """What stands still has changed."""
        self._still = None
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._redraw()
        super().resizeEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        self._redraw()
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        self._redraw()
        super().focusOutEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if event is None:
            return
        if self._still is None:
            self._still = self._painted_still()
        painter = QPainter(self)
        painter.setClipRegion(event.region())
        painter.drawPixmap(0, 0, self._still)
        if self._folded:
            painter.end()
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.scale(self.width() / WIDTH, 1.0)
        self._paint_plate(painter)
        self._paint_wipers(painter)
        self._paint_volts(painter)
        painter.end()

    def _painted_still(self) -> QPixmap:
        """Everything but plate, wipers and volts: those move many times a second."""
        ratio = self.devicePixelRatioF()
        still = QPixmap(self.size() * ratio)
        still.setDevicePixelRatio(ratio)
        painter = QPainter(still)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self._theme.color("surface"))
        painter.setPen(self._theme.pen("line"))
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        painter.scale(self.width() / WIDTH, 1.0)
        if self._folded:
            self._paint_strip(painter)
            painter.end()
            return still
        self._paint_chosen(painter)
        self._paint_throttle(painter)
        self._paint_tracks(painter)
        self._paint_strands(painter)
        self._paint_plugs_and_unit(painter)
        if self._way.kind is ThrottleKind.ELECTRONIC:
            self._paint_pedal(painter)
        self._paint_titles(painter)
        for suspicion in self._suspicion:
            self._paint_swelling(painter, suspicion)
        for rank, (stretch, says) in enumerate(_labels(self._suspicion, self._way)):
            told = say("✓ mended · {says}", says=says) if self._mended else says
            self._paint_label(painter, stretch, told, first=rank == 0)
        painter.end()
        return still

    def _font(self, size: int, *, bold: bool = False) -> QFont:
        font = QFont(self.font())
        font.setPixelSize(size)
        font.setBold(bold)
        return font

    def _paint_strip(self, painter: QPainter) -> None:
        """The way as one line, with the names of its stretches, and the suspicion as labels on it."""
        middle = _STRIP / 2.0
        painter.setPen(self._theme.pen("ink", 1.5))
        painter.drawLine(QPointF(24.0, middle), QPointF(WIDTH - 24.0, middle))
        labels = {s.id: says for s, says in _labels(self._suspicion, self._way)}
        for stretch in self._way.stretches:
            says = labels.get(stretch.id)
            token = ("proved" if self._mended else "inflamed") if says is not None else "muted"
            told = stretch.title if says is None else f"{stretch.title} · {says}"
            painter.setFont(self._font(12, bold=says is not None))
            width = painter.fontMetrics().horizontalAdvance(told) + 16
            left = min(max(stretch.middle - width / 2, 4.0), WIDTH - width - 4.0)
            box = QRectF(left, middle - 10.0, width, 20.0)
            painter.setPen(self._theme.pen(token if says is not None else "line", 1.0))
            painter.setBrush(self._theme.color("surface"))
            painter.drawRoundedRect(box, 4, 4)
            painter.setPen(self._theme.color(token))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, told)

    def _paint_chosen(self, painter: QPainter) -> None:
        stretch = self._way.stretch(self._chosen) if self._chosen else None
        if stretch is not None:
            painter.setPen(self._theme.pen("action", 2 if self.hasFocus() else 1))
            painter.setBrush(self._theme.color("soft", 130))
            painter.drawRoundedRect(self._way.area(stretch), 6, 6)
        elif self.hasFocus():
            painter.setPen(self._theme.pen("action", 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(2, 2, WIDTH - 4, HEIGHT - 5))

    def _paint_throttle(self, painter: QPainter) -> None:
        ink = self._theme.color("ink")
        painter.setPen(QPen(ink, 2))
        painter.drawLine(QPointF(28, MIDDLE - 38), QPointF(140, MIDDLE - 38))
        painter.drawLine(QPointF(28, MIDDLE + 38), QPointF(140, MIDDLE + 38))
        painter.setBrush(QBrush(ink))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawEllipse(QPointF(84, MIDDLE), 7, 7)
        painter.setPen(QPen(self._theme.color("muted"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(94, MIDDLE), QPointF(232, MIDDLE))
        if self._way.kind is ThrottleKind.ELECTRONIC:
            painter.setPen(QPen(ink, 1.5))
            painter.setBrush(self._theme.color("surface"))
            painter.drawEllipse(QPointF(176, MIDDLE), 13, 13)
            painter.setFont(self._font(14, bold=True))
            painter.drawText(QRectF(163, MIDDLE - 13, 26, 26), Qt.AlignmentFlag.AlignCenter, "M")

    def _paint_plate(self, painter: QPainter) -> None:
        angle = math.radians(_CLOSED_DEG - _OPENS_DEG * self._travel / 100.0)
        dx, dy = 37.0 * math.cos(angle), 37.0 * math.sin(angle)
        ink = self._theme.color("ink")
        painter.setPen(QPen(ink, 4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        painter.drawLine(QPointF(84 - dx, MIDDLE - dy), QPointF(84 + dx, MIDDLE + dy))

    def _paint_tracks(self, painter: QPainter) -> None:
        for number in range(self._way.tracks, 0, -1):
            radius = 38.0 if number == 1 else 26.0
            painter.setPen(QPen(self._theme.color(f"track_{number}"), 5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            box = QRectF(250 - radius, MIDDLE - radius, 2 * radius, 2 * radius)
            painter.drawArc(box, -66 * 16, 132 * 16)

    def _paint_wipers(self, painter: QPainter) -> None:
        wiper = math.radians(66.0 - 132.0 * self._travel / 100.0)
        for number in range(self._way.tracks, 0, -1):
            radius = 38.0 if number == 1 else 26.0
            tip = QPointF(250 + radius * math.cos(wiper), MIDDLE + radius * math.sin(wiper))
            painter.setPen(QPen(self._theme.color("ink"), 1))
            painter.drawLine(QPointF(250, MIDDLE), tip)
            painter.setBrush(self._theme.color("surface"))
            painter.setPen(QPen(self._theme.color(f"track_{number}"), 2))
            painter.drawEllipse(tip, 5, 5)

    def _strand_path(self, strand: Strand) -> QPainterPath:
        path = QPainterPath(QPointF(STRANDS_FROM, strand.y))
        x = STRANDS_FROM
        while x < 930.0:
            x = min(x + 12.0, 930.0)
            path.lineTo(QPointF(x, self._way.height_at(strand, x)))
        return path

    def _paint_strands(self, painter: QPainter) -> None:
        for strand in self._way.strands:
            painter.setPen(QPen(self._theme.color(strand.token), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(self._strand_path(strand))
            painter.setPen(self._theme.color("ink"))
            painter.setFont(self._font(12))
            painter.drawText(QPointF(STRANDS_FROM + 2, strand.y - 5), say(strand.label))

    def _paint_volts(self, painter: QPainter) -> None:
        painter.setPen(self._theme.color("ink"))
        for strand in self._way.strands:
            volts = next((v for k, v in self._volts.items() if k.startswith(strand.channel)), None)
            if volts is not None:
                painter.setFont(self._font(12, bold=True))
                painter.drawText(
                    QRectF(490, strand.y - 18, 60, 16),
                    Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                    figures("{volts:z.2f} V", volts=volts),
                )

    def _paint_plugs_and_unit(self, painter: QPainter) -> None:
        painter.setPen(QPen(self._theme.color("ink"), 1.5))
        painter.setBrush(self._theme.color("soft"))
        for name in _PLUGS:
            stretch = self._way.stretch(name)
            if stretch is not None:
                for left in (stretch.middle - 17, stretch.middle + 2):
                    painter.drawRoundedRect(QRectF(left, 12, 15, 96), 3, 3)
        painter.drawRoundedRect(QRectF(930, 10, 104, 100), 5, 5)
        painter.setFont(self._font(13))
        painter.drawText(QRectF(930, 10, 104, 100), Qt.AlignmentFlag.AlignCenter, say("control\nunit"))

    def _paint_pedal(self, painter: QPainter) -> None:
        green = self._theme.color("pedal")
        painter.setPen(QPen(green, 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawLine(QPointF(1034, MIDDLE - 9), QPointF(1128, MIDDLE - 9))
        painter.drawLine(QPointF(1034, MIDDLE + 9), QPointF(1128, MIDDLE + 9))
        painter.drawEllipse(QPointF(1143, MIDDLE), 14, 14)
        painter.setPen(QPen(green, 4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        painter.drawLine(QPointF(1150, MIDDLE + 35), QPointF(1196, MIDDLE - 33))

    def _paint_titles(self, painter: QPainter) -> None:
        painter.setFont(self._font(12))
        painter.setPen(self._theme.color("muted"))
        for stretch in self._way.stretches:
            if stretch.id != "unit":
                box = QRectF(stretch.middle - 70, HEIGHT - 19, 140, 16)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, stretch.title)

    def _paint_swelling(self, painter: QPainter, suspicion: "StretchSuspicion") -> None:
        spot = self._way.spot(suspicion.stretch, suspicion.line)
        if spot is None:
            return
        token = "proved" if self._mended else "inflamed"
        red = self._theme.color(token)
        size = 0.45 + 0.55 * min(1.0, suspicion.probability / 0.7)
        wide, tall = (18 * size, 44 * size) if suspicion.stretch == "tracks" else (46 * size, 15 * size)
        painter.setPen(QPen(red, 1.5))
        painter.setBrush(self._theme.color(token, 46))
        painter.drawEllipse(spot, wide, tall)
        if self._mended:
            return
        painter.setBrush(QBrush(red, Qt.BrushStyle.BDiagPattern))
        painter.drawEllipse(spot, wide, tall)

    def _paint_label(self, painter: QPainter, stretch: Stretch, says: str, *, first: bool) -> None:
        red = self._theme.color("proved" if self._mended else "inflamed")
        painter.setFont(self._font(13, bold=first))
        width = painter.fontMetrics().horizontalAdvance(says) + 20
        box = QRectF(stretch.middle - width / 2, 110.0, width, 19)
        box.moveLeft(min(max(box.left(), 4.0), WIDTH - width - 4.0))
        if first:
            painter.setPen(QPen(red, 1.5))
            painter.setBrush(self._theme.color("surface"))
            painter.drawRoundedRect(box, 4, 4)
        painter.setPen(red)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, says)


def _labels(suspicion: tuple["StretchSuspicion", ...], way: Way) -> list[tuple[Stretch, str]]:
    """One label for each stretch, most suspect first: how much lies there, and on which line."""
    by_stretch: dict[str, list[StretchSuspicion]] = {}
    for s in suspicion:
        by_stretch.setdefault(s.stretch, []).append(s)
    totals = {name: sum(s.probability for s in held) for name, held in by_stretch.items()}
    labels = []
    for rank, name in enumerate(sorted(totals, key=lambda n: -totals[n])):
        stretch, held = way.stretch(name), by_stretch[name]
        if stretch is None:
            continue
        says = natural_frequency(totals[name])
        if rank == 0 and len(held) == 1 and held[0].line:
            says += f" · {say(held[0].line)}"
        labels.append((stretch, says))
    return labels
