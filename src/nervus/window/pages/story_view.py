"""A set of codes drawn as one story: causes at the left, consequences at the right."""

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from nervus.codes.notation import Code
from nervus.judge.story import Story
from nervus.judge.words import STRETCH_NAMES
from nervus.knowledge import known_codes
from nervus.language import say
from nervus.window.theme import BRIGHT, Theme

_ROW, _GAP, _TOP = 46, 8, 26
_MOST_ROWS = 6


@dataclass(frozen=True, slots=True)
class _Box:
    code: Code
    place: QRectF
    kind: str


class StoryView(QWidget):
    """The drawing.

    Signals:
        chosen: a code that was clicked on, or walked to with the arrows.
    """

    chosen = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme: Theme = BRIGHT
        self._story: Story | None = None
        self._own: dict[Code, str] = {}
        self._boxes: list[_Box] = []
        self._at: Code | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(say("The story that the codes tell"))

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.update()

    def show_story(self, story: Story, own: dict[Code, str]) -> None:
        """Draw another story; `own` are the user's own words for codes."""
        self._story, self._own, self._at = story, own, None
        self.setAccessibleDescription(story.text)
        self._place()
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        rows = max(1, len(self._column("cause")), len(self._column("consequence")))
        shared = 22 if self._story is not None and self._below() else 0
        return QSize(400, _TOP + min(rows, _MOST_ROWS) * (_ROW + _GAP) + shared)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    @property
    def codes(self) -> list[tuple[str, str]]:
        """What is drawn: each code and whether it is a cause, a consequence, or not known."""
        return [(str(box.code), box.kind) for box in self._boxes]

    def _column(self, side: str) -> list[tuple[Code, str]]:
        if self._story is None:
            return []
        if side == "cause":
            left = [(code, "cause") for code in self._story.causes]
            return left + [(code, "unknown") for code in self._story.unknown]
        return [(code, "consequence") for code in sorted(self._story.consequences)]

    def _place(self) -> None:
        half = (self.width() - 60) / 2
        self._boxes = []
        for left, side in ((1.0, "cause"), (self.width() - half - 1.0, "consequence")):
            for row, (code, kind) in enumerate(self._column(side)[:_MOST_ROWS]):
                place = QRectF(left, _TOP + row * (_ROW + _GAP), half, _ROW)
                self._boxes.append(_Box(code, place, kind))

    def resizeEvent(self, _event: object) -> None:
        self._place()

    # -- input -------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        here = [box.code for box in self._boxes if box.place.contains(event.position())]
        if here:
            self._choose(here[0])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        step = {
            Qt.Key.Key_Up: -1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: 1, Qt.Key.Key_Right: 1,
        }.get(Qt.Key(event.key()))  # fmt: skip
        codes = [box.code for box in self._boxes]
        if step is None or not codes:
            super().keyPressEvent(event)
            return
        now = codes.index(self._at) if self._at in codes else -1 if step > 0 else len(codes)
        self._choose(codes[min(max(now + step, 0), len(codes) - 1)])

    def _choose(self, code: Code) -> None:
        self._at = code
        self.update()
        self.chosen.emit(code)

    # -- painting ----------------------------------------------------------------------------------

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        if self._story is None or not self._boxes:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_heads(painter)
        self._paint_arrows(painter, self._story)
        for box in self._boxes:
            self._paint_box(painter, box)
        painter.setPen(self._theme.color("muted"))
        painter.setFont(self._font(13))
        bottom = QRectF(0, self.height() - 22, self.width(), 20)
        painter.drawText(bottom, Qt.AlignmentFlag.AlignLeft, self._below())
        painter.end()

    def _paint_heads(self, painter: QPainter) -> None:
        painter.setPen(self._theme.color("muted"))
        painter.setFont(self._font(13))
        half = (self.width() - 60) / 2
        painter.drawText(QRectF(0, 0, half, 20), Qt.AlignmentFlag.AlignLeft, say("first of all"))
        if self._column("consequence"):
            right = QRectF(self.width() - half, 0, half, 20)
            painter.drawText(right, Qt.AlignmentFlag.AlignLeft, say("follows from it"))

    def _paint_arrows(self, painter: QPainter, story: Story) -> None:
        places = {box.code: box.place for box in self._boxes}
        painter.setPen(self._theme.pen("muted", 1.4))
        for effect, causes in story.consequences.items():
            for cause in causes:
                if cause not in story.causes or cause not in places or effect not in places:
                    continue
                start = QPointF(places[cause].right() + 3, places[cause].center().y())
                end = QPointF(places[effect].left() - 3, places[effect].center().y())
                painter.drawLine(start, end)
                head = QPolygonF([end, end + QPointF(-8, -4), end + QPointF(-8, 4)])
                painter.setBrush(self._theme.color("muted"))
                painter.drawPolygon(head)

    def _paint_box(self, painter: QPainter, box: _Box) -> None:
        theme = self._theme
        painter.setBrush(theme.color("soft" if box.code == self._at else "surface"))
        token, width = ("inflamed", 2.0) if box.kind == "cause" else ("line", 1.0)
        style = Qt.PenStyle.DashLine if box.kind == "unknown" else Qt.PenStyle.SolidLine
        if box.code == self._at and self.hasFocus():
            token, width = "action", 2.4
        painter.setPen(theme.pen(token, width, style))
        painter.drawRoundedRect(box.place, 4, 4)
        known = known_codes().get(box.code)
        says = self._own.get(box.code) or (known.says if known is not None else _unknown(box.code))
        inner = box.place.adjusted(10, 3, -8, -3)
        painter.setPen(theme.color("ink"))
        painter.setFont(self._font(14, bold=True))
        painter.drawText(inner, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, str(box.code))
        painter.setFont(self._font(12))
        shown = painter.fontMetrics().elidedText(says, Qt.TextElideMode.ElideRight, int(inner.width()))
        painter.drawText(inner, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom, shown)

    def _below(self) -> str:
        """What they share, and where they point; and what is not drawn for want of room."""
        if self._story is None:
            return ""
        where = [STRETCH_NAMES[s] for s in self._story.stretches[:3]]
        parts = [say("points at: {join}", join=", ".join(where))] if where else []
        if self._story.shared:
            parts.insert(0, say("they share a circuit"))
        more = max(len(self._column("cause")), len(self._column("consequence"))) - _MOST_ROWS
        if more > 0:
            parts.append(say("{more} more in the table", more=more))
        return " · ".join(parts)

    def _font(self, size: int, *, bold: bool = False) -> QFont:
        font = QFont(self.font())
        font.setPixelSize(size)
        font.setBold(bold)
        return font


def _unknown(code: Code) -> str:
    return (
        say("the maker's own: look it up, not guessed") if code.is_makers_own else say("not known here")
    )
