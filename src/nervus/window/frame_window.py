"""The window as a frame: its size, what is dropped on it, and the colours of the whole application."""

from pathlib import Path

from PyQt6.QtCore import QSettings, QUrl, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QResizeEvent
from PyQt6.QtWidgets import QApplication, QMainWindow

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
