"""The window as a frame: its size, what is dropped on it, and the colours of the whole application."""

from pathlib import Path

from PyQt6.QtCore import QSettings, QUrl, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QResizeEvent
from PyQt6.QtWidgets import QApplication, QBoxLayout, QHBoxLayout, QMainWindow, QVBoxLayout, QWidget

from nervus.window.theme import Theme, palette, style_sheet

_NARROW_BELOW = 1160


class FrameWindow(QMainWindow):
    """Knows nothing of what is in it.

    Signals:
        dropped: a file that was dropped.
        narrowed: whether there is no longer, or again, room for everything side by side.
    """

    dropped = pyqtSignal(object)
    narrowed = pyqtSignal(bool)

    def __init__(self, settings: QSettings) -> None:
        super().__init__()
        self._settings = settings
        self.setWindowTitle("Nervus")
        self.setAcceptDrops(True)
        self.setMinimumSize(960, 640)

    def lay_out(
        self,
        tops: tuple[QWidget, ...],
        left: QWidget,
        middle: tuple[QWidget, QWidget],
        right: QWidget,
        foot: QWidget,
    ) -> None:
        """Put everything where it stands.

        Args:
            tops: over the whole width, one below the other.
            left: beside the pages.
            middle: a line above the pages, inset, and the pages.
            right: beside the pages.
            foot: over the whole width, below.
        """
        line, pages = middle
        inset = QHBoxLayout()
        inset.setContentsMargins(16, 6, 16, 0)
        inset.addWidget(line)
        column = _bare(QVBoxLayout())
        column.addLayout(inset)
        column.addWidget(pages, 1)
        row = _bare(QHBoxLayout())
        row.addWidget(left)
        row.addLayout(column, 1)
        row.addWidget(right)
        body = QWidget(self)
        body.setObjectName("body")
        body.setLayout(row)
        whole = _bare(QVBoxLayout())
        for widget in tops:
            whole.addWidget(widget)
        whole.addWidget(body, 1)
        whole.addWidget(foot)
        central = QWidget(self)
        central.setObjectName("body")
        central.setLayout(whole)
        self.setCentralWidget(central)

    def restore_size(self) -> None:
        """As it was left, or as large as a small screen."""
        geometry = self._settings.value("geometry")
        if geometry is None or not self.restoreGeometry(geometry):
            self.resize(1280, 800)

    def remember_size(self) -> None:
        """For the next start."""
        self._settings.setValue("geometry", self.saveGeometry())
        self._settings.sync()

    def colour_application(self, theme: Theme) -> None:
        """Give everything these colours, dialogs too."""
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.setPalette(palette(theme))
            application.setStyleSheet(style_sheet(theme))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if event is None:
            return
        was, now = event.oldSize().width(), event.size().width()
        if (was < 0 or was >= _NARROW_BELOW) and now < _NARROW_BELOW:
            self.narrowed.emit(True)  # noqa: FBT003 - a signal's argument
        elif was < _NARROW_BELOW <= now:
            self.narrowed.emit(False)  # noqa: FBT003

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and _file_of(data.urls()) is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        path = _file_of(data.urls()) if data is not None else None
        if event is not None and path is not None:
            event.acceptProposedAction()
            self.dropped.emit(path)


def _file_of(urls: list[QUrl]) -> Path | None:
    local = [Path(url.toLocalFile()) for url in urls if url.isLocalFile()]
    return local[0] if len(local) == 1 else None


def _bare(row: QBoxLayout) -> QBoxLayout:
    """Without any room around or between what is in it."""
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(0)
    return row
