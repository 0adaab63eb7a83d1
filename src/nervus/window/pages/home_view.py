"""All jobs: found as one types, filtered by what they wait for, opened or begun by one key."""

from datetime import date

from PyQt6.QtCore import (
    QAbstractListModel,
    QEvent,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QRect,
    QSize,
    Qt,
    pyqtSignal,
)
from PyQt6.QtGui import QFont, QKeyEvent, QPainter
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QPushButton,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.job import JobState
from nervus.domain.job_list import JobRow, matching
from nervus.language import figures, say
from nervus.window.theme import BRIGHT, Theme

_Index = QModelIndex | QPersistentModelIndex
_ROW = 66
_STATE_WIDTH = 190


class JobsModel(QAbstractListModel):
    """The rows that are shown."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.rows: list[JobRow] = []

    def show(self, rows: list[JobRow]) -> None:
        """Replace what is listed."""
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(self.rows)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid():
            return None
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.UserRole:
            return row
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{_title(row)}, {row.complaint}, {waits(row)}"
        return None


def waits(row: JobRow, today: date | None = None) -> str:
    """What a job waits for, and for how long still."""
    today = today or date.today()
    if row.due is None or row.state not in (JobState.WATCHING, JobState.WAITING):
        return say(row.state)
    left = (row.due - today).days
    if left < 0:
        return say("{state} · {left} days over", state=row.state, left=-left)
    return (
        say("{state} · {left} days left", state=row.state, left=left)
        if left != 1
        else say("{state} · 1 day left", state=row.state)
    )


class _JobDelegate(QStyledItemDelegate):
    """Vehicle and complaint at the left, what it waits for at the right, codes and judgement below."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.theme: Theme = BRIGHT

    def sizeHint(self, _option: QStyleOptionViewItem, _index: QModelIndex) -> QSize:
        return QSize(400, _ROW)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        row = index.data(Qt.ItemDataRole.UserRole)
        if painter is None or row is None:
            return
        painter.save()
        box = option.rect.adjusted(0, 2, 0, -2)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, self.theme.color("soft"))
            painter.fillRect(QRect(box.left(), box.top(), 5, box.height()), self.theme.color("action"))
        left, width = box.left() + 16, box.width() - _STATE_WIDTH - 32
        first = QRect(left, box.top() + 5, width, 22)
        taken = self._text(painter, first, _title(row), 15, "ink", bold=True) + 14
        told = row.complaint or say("nothing told yet")
        self._text(painter, first.adjusted(taken, 0, 0, 0), told, 14, "ink")
        below = " · ".join(part for part in (row.codes, row.headline) if part) or say(
            "no code, no recording"
        )
        self._text(painter, QRect(left, box.top() + 31, width, 22), below, 14, "muted")
        right = QRect(box.right() - _STATE_WIDTH, box.top() + 5, _STATE_WIDTH - 12, 22)
        self._text(
            painter, right, f"{_SIGNS[row.state]} {waits(row)}", 14, _TOKENS[row.state], bold=True
        )
        when = figures("{at:%d %b %Y %H:%M}", at=row.touched.astimezone())
        self._text(painter, right.translated(0, 26), when, 13, "muted")
        painter.restore()

    def _text(
        self, painter: QPainter, place: QRect, text: str, size: int, token: str, *, bold: bool = False
    ) -> int:
        """Draw a text, cut where there is no room; returns how wide it became."""
        font = QFont(painter.font())
        font.setPixelSize(size)
        font.setBold(bold)
        painter.setFont(font)
        painter.setPen(self.theme.color(token))
        shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, place.width())
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)
        return painter.fontMetrics().horizontalAdvance(shown)


def _title(row: JobRow) -> str:
    return row.vehicle or say("a vehicle without a name")


_TOKENS = {
    JobState.OPEN: "ink",
    JobState.WAITING: "supply",
    JobState.WATCHING: "action",
    JobState.CAME_BACK: "inflamed",
    JobState.MENDED: "proved",
}
_SIGNS = {
    JobState.OPEN: "▸",
    JobState.WAITING: "‖",
    JobState.WATCHING: "◔",
    JobState.CAME_BACK: "!",
    JobState.MENDED: "✓",
}


class HomeView(QWidget):
    """The list of jobs.

    Signals:
        opened: the identifier of a job that is to be opened.
        begun: a new job is wanted, for a vehicle of this name.
        highlighted: the job under the cursor, or "".
        open_wanted: a recording is to be opened.
        demo_wanted: a case of the demo is to be opened.
    """

    opened = pyqtSignal(str)
    begun = pyqtSignal(str)
    highlighted = pyqtSignal(str)
    open_wanted = pyqtSignal()
    demo_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._all: list[JobRow] = []
        self.search = QLineEdit(self)
        self.search.setAccessibleName(say("Find a job"))
        self.search.setPlaceholderText(say("find by vehicle, complaint, code, judgement …"))
        self.search.setMinimumHeight(38)
        self.new = QPushButton(say("New job"), self)
        self.new.setObjectName("primary")
        self.states: dict[JobState | None, QPushButton] = {}
        self.model = JobsModel(self)
        self._delegate = _JobDelegate(self)
        self.list = QListView(self)
        self.empty = QLabel("", self)
        self.welcome = self._make_welcome()
        self._lay_out()
        self._connect()
        self._count()

    def _make_welcome(self) -> QWidget:
        """Three ways to begin, while no job is kept."""
        welcome = QWidget(self)
        title = QLabel(say("What is in the workshop?"), welcome)
        title.setObjectName("headline")
        column = QVBoxLayout(welcome)
        column.setSpacing(12)
        column.addStretch(1)
        column.addWidget(title)
        self.ways: list[QPushButton] = []
        for words, signal in (
            (say("Begin a job: a vehicle and its complaint"), lambda: self.begun.emit("")),
            (say("Open a recording: it can become a job"), self.open_wanted.emit),
            (say("Look at a case of the demo"), self.demo_wanted.emit),
        ):
            button = QPushButton(words, welcome)
            button.setMinimumHeight(44)
            button.clicked.connect(lambda _on, tell=signal: tell())
            column.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
            self.ways.append(button)
        self.ways[0].setObjectName("primary")
        column.addStretch(2)
        welcome.hide()
        return welcome

    def _lay_out(self) -> None:
        top, filters = QHBoxLayout(), QHBoxLayout()
        top.addWidget(self.search, 1)
        top.addWidget(self.new)
        for state in (None, *JobState):
            button = QPushButton("", self)
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.clicked.connect(lambda _on: self._filter())
            self.states[state] = button
            filters.addWidget(button)
        self.states[None].setChecked(True)
        filters.addStretch(1)
        self.list.setAccessibleName(say("Jobs"))
        self.list.setModel(self.model)
        self.list.setItemDelegate(self._delegate)
        self.list.setUniformItemSizes(True)
        # Ten thousand rows laid out at once cost more than a frame for each letter typed.
        self.list.setLayoutMode(QListView.LayoutMode.Batched)
        self.list.setBatchSize(60)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.list.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.empty.setObjectName("quiet")
        self.empty.setWordWrap(True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignTop)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 14, 20, 8)
        column.setSpacing(10)
        column.addLayout(top)
        column.addLayout(filters)
        column.addWidget(self.empty, 1)
        column.addWidget(self.welcome, 1)
        column.addWidget(self.list, 1)

    def _connect(self) -> None:
        self.search.textChanged.connect(lambda _text: self._filter())
        self.search.returnPressed.connect(self._enter)
        self.search.installEventFilter(self)
        self.new.clicked.connect(lambda _on: self.begun.emit(""))
        self.list.activated.connect(self._open)
        selection = self.list.selectionModel()
        assert selection is not None  # noqa: S101 - a view with a model has one
        selection.currentChanged.connect(lambda now, _before: self.highlighted.emit(self._id(now)))

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._delegate.theme = theme
        self.list.viewport().update()  # type: ignore[union-attr] # a view has a viewport

    def show_jobs(self, rows: list[JobRow]) -> None:
        """List these; what is searched for and chosen stays."""
        chosen = self._id(self.list.currentIndex())
        self._all = rows
        self._count()
        self._filter()
        for number, row in enumerate(self.model.rows):
            if row.id == chosen:
                self.list.setCurrentIndex(self.model.index(number, 0))

    @property
    def chosen(self) -> str:
        """The job under the cursor, or ""."""
        return self._id(self.list.currentIndex())

    def show_opening(self) -> None:
        """The logbook is being opened."""
        self.empty.setText(say("Opening the logbook …"))
        self.empty.show()
        self.list.hide()

    def begin(self) -> None:
        """The focus goes where one types."""
        self.search.setFocus(Qt.FocusReason.TabFocusReason)
        self.search.selectAll()

    def _count(self) -> None:
        for state, button in self.states.items():
            count = sum(1 for row in self._all if state is None or row.state is state)
            sign = f"{_SIGNS[state]} " if state is not None else ""
            button.setText(f"{sign}{say(state or 'all')} · {count}")

    def _filter(self) -> None:
        state = next((s for s, b in self.states.items() if b.isChecked()), None)
        wanted = frozenset({state}) if state is not None else frozenset()
        rows = matching(self._all, self.search.text(), wanted)
        self.model.show(rows)
        self.list.setVisible(bool(rows))
        nothing_yet = not self._all and not self.search.text().strip()
        self.welcome.setVisible(nothing_yet)
        self.empty.setVisible(not rows and not nothing_yet)
        self.empty.setText(self._why_empty())
        if rows:
            self.list.setCurrentIndex(self.model.index(0, 0))

    def _why_empty(self) -> str:
        typed = self.search.text().strip()
        if typed:
            return say(
                "No job holds “{typed}”. Enter begins a job for a vehicle of that name.", typed=typed
            )
        return say("No job waits like this.")

    def _enter(self) -> None:
        index = self.list.currentIndex()
        if self.model.rows and index.isValid():
            self._open(index)
        elif self.search.text().strip():
            self.begun.emit(self.search.text().strip())

    def _open(self, index: _Index) -> None:
        name = self._id(index)
        if name:
            self.opened.emit(name)

    def _id(self, index: _Index) -> str:
        valid = index.isValid() and index.row() < len(self.model.rows)
        return self.model.rows[index.row()].id if valid else ""

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Up and down walk through the list while the search keeps the focus."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step is not None and self.model.rows:
                row = min(max(self.list.currentIndex().row() + step, 0), len(self.model.rows) - 1)
                self.list.setCurrentIndex(self.model.index(row, 0))
                return True
        return super().eventFilter(watched, event)
