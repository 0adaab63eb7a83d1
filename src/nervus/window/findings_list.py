"""The findings as a list: one short line of what, one of where and how sure, tied to the picture."""

from PyQt6.QtCore import (
    QAbstractListModel,
    QModelIndex,
    QPersistentModelIndex,
    QRect,
    QSize,
    Qt,
    pyqtSignal,
)
from PyQt6.QtGui import QFont, QPainter
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QLabel,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.analysis import NO_CIRCUIT, Analysis, CircuitEvidence, CircuitExplanation
from nervus.domain.finding import (
    DeadSpot,
    Disagreement,
    Drop,
    Finding,
    Noise,
    Nonlinear,
    OffRest,
    OutOfRange,
    SupplyFault,
)
from nervus.window.circuit_view import CircuitView
from nervus.window.theme import BRIGHT, Theme

_Index = QModelIndex | QPersistentModelIndex
_LINES = 2
WIDTH = 250


def short(finding: Finding) -> tuple[str, str]:
    """What a finding is, and where it is, as two short lines."""
    who = _tracks(finding.channels)
    when = f"{finding.times_s[0][0]:.2f} s" if finding.times_s else ""
    match finding:
        case DeadSpot(travel_pct=(a, b)):
            lines = (
                f"Dead spot, {who}",
                f"{a:.1f} to {b:.1f} %, {finding.seen_in} of {finding.crossed} passes",
            )
        case Noise(travel_pct=(a, b)):
            lines = f"Rough, {who}", f"{a:.0f} to {b:.0f} %, {1000 * finding.rms_v:.0f} mV"
        case Drop(times_s=((start, end),)):
            length = f"{1000 * (end - start):.0f} ms" if end > start else "one sample"
            lines = f"Drop, {who}", f"{when}, {length}, to {finding.level_v:.2f} V"
        case Nonlinear(travel_pct=(a, b)):
            lines = f"Not straight, {who}", f"{a:.0f} to {b:.0f} %, off by {finding.worst_pct:.1f} %"
        case Disagreement() if "throttle_cmd_pct" in finding.channels:
            lines = "Command not followed", f"by up to {finding.worst_pct:.1f} %, from {when}"
        case Disagreement():
            lines = "Tracks disagree", f"by up to {finding.worst_pct:.1f} %, from {when}"
        case OffRest():
            usual = f"usually {finding.usual_rest_pct:.1f} %"
            lines = "Off its rest", f"{finding.rest_pct:.1f} %, {usual}"
        case SupplyFault():
            lines = f"Sensor {finding.where} off", f"{finding.level_v:.2f} V, from {when}"
        case OutOfRange():
            lines = f"Out of range, {who}", f"{finding.level_v:.2f} V, from {when}"
        case _:
            lines = finding.kind, when
    return lines


def _tracks(channels: tuple[str, ...]) -> str:
    if len(channels) > 1:
        return "both tracks"
    return "track 2" if channels[0].startswith("tps2") else "track 1"


def most_telling(analysis: Analysis) -> int:
    """The finding that one would look at first: the surest, longest-lasting kind before the rest."""
    findings = analysis.examination.findings
    return max(
        range(len(findings)),
        key=lambda n: (findings[n].kind == "dead_spot", findings[n].confidence, -n),
    )


class FindingsModel(QAbstractListModel):
    """The findings of one recording."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._findings: tuple[Finding, ...] = ()

    def show(self, findings: tuple[Finding, ...]) -> None:
        """Replace what is listed."""
        self.beginResetModel()
        self._findings = findings
        self.endResetModel()

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(self._findings)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid():
            return None
        finding = self._findings[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return "\n".join(short(finding))
        if role in (Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.AccessibleTextRole):
            return finding.text
        return None


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
        self._title = QLabel("Findings", self)
        self._title.setObjectName("station")
        self._empty = QLabel("", self)
        self._empty.setObjectName("quiet")
        self._empty.setWordWrap(True)
        self._empty.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.model = FindingsModel(self)
        self._delegate = _TwoLines(self)
        self.view = QListView(self)
        self.view.setAccessibleName("Findings")
        self.view.setModel(self.model)
        self.view.setItemDelegate(self._delegate)
        self.view.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.view.setUniformItemSizes(True)
        self.view.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.view.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        selection = self.view.selectionModel()
        assert selection is not None  # noqa: S101 - a view with a model has one
        selection.currentChanged.connect(self._current_changed)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 14, 8, 8)
        layout.setSpacing(8)
        self.circuit = CircuitView(self)
        self._explained: dict[int, CircuitExplanation] = {}
        for widget in (self._title, self._empty, self.view, self.circuit):
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
        self._fill((), "What a recording shows will stand here.")

    def show_findings(
        self, findings: tuple[Finding, ...], circuit: CircuitEvidence = NO_CIRCUIT
    ) -> None:
        """List the findings of a recording; the circuit explains the chosen one where it can."""
        self._explained = {n: e for e in circuit.explanations for n in e.findings}
        self._fill(findings, "Nothing left its course in this recording.")

    def _fill(self, findings: tuple[Finding, ...], empty: str) -> None:
        self.model.show(findings)
        self.circuit.show_explanation(None)
        self._title.setText(f"Findings · {len(findings)}" if findings else "Findings")
        self._empty.setText(empty)
        self._empty.setVisible(not findings)
        self.view.setVisible(bool(findings))

    def choose(self, number: int) -> None:
        """Choose a finding as if it was clicked."""
        index = self.model.index(number, 0)
        self.view.setCurrentIndex(index)
        self.view.scrollTo(index)

    def _current_changed(self, current: QModelIndex, _previous: QModelIndex) -> None:
        number = current.row() if current.isValid() else -1
        self.circuit.show_explanation(self._explained.get(number))
        self.chosen.emit(number)
