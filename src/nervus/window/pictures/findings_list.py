"""The findings as a list: one short line of what, one of where and how sure, tied to the picture."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import (
    QAbstractListModel,
    QModelIndex,
    QPersistentModelIndex,
    QRect,
    QSize,
    Qt,
    pyqtSignal,
)
from PyQt6.QtGui import QFont, QKeyEvent, QMouseEvent, QPainter
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QLabel,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.channel import CHANNEL_KINDS
from nervus.language import say
from nervus.window.pictures.circuit_view import CircuitView
from nervus.window.theme import BRIGHT, Theme

if TYPE_CHECKING:
    from nervus.domain.analysis import CircuitEvidence, CircuitExplanation
    from nervus.domain.finding import Finding

_Index = QModelIndex | QPersistentModelIndex
_LINES = 2
# More moments than any line has: to the first or the last of them.
_ALL = 1 << 30
WIDTH = 250


class FindingsModel(QAbstractListModel):
    """The findings of one recording, drops of one cause as one row."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._findings: tuple[Finding, ...] = ()
        self._rows: tuple[tuple[int, ...], ...] = ()
        self._at: list[int] = []

    def show(self, findings: "tuple[Finding, ...]", channel: str = "") -> None:
        """Replace what is listed: all, or what one channel shows; the numbers stay those of all."""
        self.beginResetModel()
        rows = _in_rows(findings)
        self._findings = findings
        self._rows = tuple(r for r in rows if not channel or channel in findings[r[0]].channels)
        self._at = [0] * len(self._rows)
        self.endResetModel()

    @property
    def findings(self) -> int:
        """How many there are, each moment counted."""
        return len(self._findings)

    def number(self, row: int) -> int:
        """The finding that a row stands for now."""
        return self._rows[row][self._at[row]]

    def row_of(self, number: int) -> int:
        """The row of a finding, which stands for it from now on; -1 where there is none."""
        for row, numbers in enumerate(self._rows):
            if number in numbers:
                self._stand_for(row, numbers.index(number))
                return row
        return -1

    def go_on(self, row: int, by: int) -> bool:
        """Let a row stand for its next moment, or the one before; whether it has another."""
        at = min(max(self._at[row] + by, 0), len(self._rows[row]) - 1)
        if at == self._at[row]:
            return False
        self._stand_for(row, at)
        return True

    def _stand_for(self, row: int, at: int) -> None:
        self._at[row] = at
        self.dataChanged.emit(self.index(row, 0), self.index(row, 0))

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(self._rows)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        from nervus.window.pictures.finding_words import (  # noqa: PLC0415 - with a recording
            all_moments,
            of_moments,
            short,
        )

        if not index.isValid():
            return None
        row = index.row()
        own = tuple(self._findings[n] for n in self._rows[row])
        if role == Qt.ItemDataRole.DisplayRole:
            return "\n".join(short(own[0]) if len(own) == 1 else of_moments(own, self._at[row]))
        if role in (Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.AccessibleTextRole):
            return own[0].text if len(own) == 1 else all_moments(own)
        return None


def _in_rows(findings: "tuple[Finding, ...]") -> tuple[tuple[int, ...], ...]:
    """The numbers of the findings that share a line: drops of one cause, each one of its moments."""
    rows: dict[str, list[int]] = {}
    for number, finding in enumerate(findings):
        shared = finding.group if finding.kind == "drop" and finding.group else f"#{number}"
        rows.setdefault(shared, []).append(number)
    return tuple(tuple(numbers) for numbers in rows.values())


class _MomentsView(QListView):
    """A list in which left and right, or a click on what is chosen, go through the moments of a row.

    Signals:
        moved: to the next moment, or the one before.
    """

    moved = pyqtSignal(int)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        steps = {
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Home: -_ALL,
            Qt.Key.Key_End: _ALL,
        }
        if event is not None and event.key() in steps:
            self.moved.emit(steps[Qt.Key(event.key())])
            if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
                return
        super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        again = event is not None and self.indexAt(event.pos()) == self.currentIndex()
        super().mousePressEvent(event)
        if again and self.currentIndex().isValid():
            self.moved.emit(1)


class _TwoLines(QStyledItemDelegate):
    """Draws a finding as two lines; the chosen one has a bar at its left besides its colour."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.theme: Theme = BRIGHT

    def sizeHint(self, _option: QStyleOptionViewItem, _index: QModelIndex) -> QSize:
        return QSize(WIDTH - 24, 50)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        painter.save()
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        box = option.rect.adjusted(0, 2, 0, -2)
        if chosen:
            painter.fillRect(box, self.theme.color("soft"))
            painter.fillRect(QRect(box.left(), box.top(), 5, box.height()), self.theme.color("inflamed"))
        lines = str(index.data()).split("\n", 1)
        font = QFont(option.font)
        for row, text in enumerate(lines[:_LINES]):
            font.setPixelSize(14 if row == 0 else 13)
            font.setBold(row == 0)
            painter.setFont(font)
            painter.setPen(self.theme.color("ink" if row == 0 else "muted"))
            line = QRect(box.left() + 12, box.top() + 3 + 20 * row, box.width() - 16, 20)
            shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, line.width())
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, shown)
        painter.restore()


class FindingsList(QWidget):
    """The column at the left: a heading, and the list or the reason why it is empty.

    Signals:
        chosen: number of the finding that was chosen, or -1.
    """

    chosen = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("findings")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(WIDTH)
        self._title = QLabel(say("Findings"), self)
        self._title.setObjectName("station")
        self._empty = QLabel("", self)
        self._empty.setObjectName("quiet")
        self._empty.setWordWrap(True)
        self._empty.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.model = FindingsModel(self)
        self._delegate = _TwoLines(self)
        self.view = _MomentsView(self)
        self.view.setAccessibleName(say("Findings"))
        self.view.setModel(self.model)
        self.view.setItemDelegate(self._delegate)
        self.view.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.view.setUniformItemSizes(True)
        self.view.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.view.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        selection = self.view.selectionModel()
        assert selection is not None  # noqa: S101 - a view with a model has one
        selection.currentChanged.connect(self._current_changed)
        self.view.moved.connect(self._go_on)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 14, 8, 8)
        layout.setSpacing(8)
        self.circuit = CircuitView(self)
        self._explained: dict[int, CircuitExplanation] = {}
        self._findings: tuple[Finding, ...] = ()
        self.only = QComboBox(self)
        self.only.setMinimumHeight(32)
        self.only.setAccessibleName(say("Findings of which channel"))
        self.only.activated.connect(lambda _row: self._filter())
        for widget in (self._title, self.only, self._empty, self.view, self.circuit):
            layout.addWidget(widget, 1 if widget in (self._empty, self.view) else 0)
        self.show_nothing()

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._delegate.theme = theme
        self.circuit.apply_theme(theme)
        self.view.viewport().update()  # type: ignore[union-attr] # a view has a viewport

    def show_nothing(self) -> None:
        """No recording is open."""
        self._explained = {}
        self._fill((), say("What a recording shows will stand here."))

    def show_findings(
        self, findings: "tuple[Finding, ...]", circuit: "CircuitEvidence | None" = None
    ) -> None:
        """List the findings of a recording; the circuit explains the chosen one where it can."""
        self._explained = (
            {n: e for e in circuit.explanations for n in e.findings} if circuit is not None else {}
        )
        self._fill(findings, say("Nothing left its course in this recording."))

    def _fill(self, findings: "tuple[Finding, ...]", empty: str) -> None:
        self._findings = findings
        self.model.show(findings)
        self.circuit.show_explanation(None)
        self._offer_channels()
        self._title.setText(
            say("Findings · {rowcount}", rowcount=self.model.rowCount()) if findings else say("Findings")
        )
        self._empty.setText(empty)
        self._empty.setVisible(not findings)
        self.view.setVisible(bool(findings))

    def _offer_channels(self) -> None:
        """A choice where several channels show something."""
        names = list(dict.fromkeys(c for f in self._findings for c in f.channels))
        self.only.clear()
        self.only.addItem(say("of all channels"), "")
        for name in names:
            kind = CHANNEL_KINDS.get(name)
            self.only.addItem(say("of {value}", value=kind.title if kind is not None else name), name)
        self.only.setVisible(len(names) > 1)

    def _filter(self) -> None:
        self.model.show(self._findings, self.only.currentData() or "")
        self._title.setText(say("Findings · {rowcount}", rowcount=self.model.rowCount()))

    def choose(self, number: int) -> None:
        """Choose a finding as if it was clicked; one that is filtered out brings all back."""
        if number >= 0 and self.model.row_of(number) < 0 and number < len(self._findings):
            self.only.setCurrentIndex(0)
            self._filter()
        before = self.view.currentIndex()
        index = self.model.index(self.model.row_of(number), 0)
        self.view.setCurrentIndex(index)
        self.view.scrollTo(index)
        if index.isValid() and index == before:
            self._told(index)

    def step(self, by: int) -> None:
        """Choose the next finding or the one before, round and round."""
        count = self.model.findings
        if count:
            now = self.number
            self.choose((now + by) % count if now >= 0 else 0)

    @property
    def number(self) -> int:
        """The finding that is chosen, or -1."""
        index = self.view.currentIndex()
        return self.model.number(index.row()) if index.isValid() else -1

    def _go_on(self, by: int) -> None:
        index = self.view.currentIndex()
        if index.isValid() and self.model.go_on(index.row(), by):
            self._told(index)

    def _current_changed(self, current: QModelIndex, _previous: QModelIndex) -> None:
        self._told(current)

    def _told(self, current: QModelIndex) -> None:
        number = self.model.number(current.row()) if current.isValid() else -1
        self.circuit.show_explanation(self._explained.get(number))
        self.chosen.emit(number)
