"""Starting the window: fonts that ship, settings, the first recording."""

import gc
import logging
import sys
import threading
from collections.abc import Callable
from importlib import resources
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QLibraryInfo, QObject, QSettings, QTimer, QTranslator, pyqtSignal
from PyQt6.QtGui import QFont, QFontDatabase
from PyQt6.QtWidgets import QApplication

from nervus.domain.errors import OutsideError
from nervus.language import language, say
from nervus.window.icon import application_icon
from nervus.window.main_window import MainWindow

_FAMILY = "B612"
_AFTER_FIRST_FRAME_MS = 100


class NervusApplication(QApplication):
    """The application with its own typeface, so that it looks the same where none is installed.

    Raises:
        OutsideError: the typeface that ships can't be loaded.
    """

    def __init__(self, arguments: list[str]) -> None:
        super().__init__(arguments)
        self.setApplicationName("nervus")
        self.setOrganizationName("nervus")
        self.setApplicationDisplayName("Nervus")
        self.setStyle("Fusion")
        self.setWindowIcon(application_icon())
        load_fonts()
        font = QFont(_FAMILY)
        font.setPixelSize(14)
        self.setFont(font)
        # What is Qt's own: buttons of boxes, choosing a file.
        self._qt_words = QTranslator(self)
        folder = QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)
        if self._qt_words.load(f"qtbase_{language()}", folder):
            self.installTranslator(self._qt_words)


def load_fonts() -> None:
    """Make the typeface known to Qt; once is enough.

    Raises:
        OutsideError: a font file of this installation is damaged.
    """
    for name in ("B612-Regular.otf", "B612-Bold.otf"):
        data = resources.files("nervus.fonts").joinpath(name).read_bytes()
        if QFontDatabase.addApplicationFontFromData(data) < 0:
            raise OutsideError(
                say("{name} of this installation is damaged; install Nervus again.", name=name)
            )


def settings() -> QSettings:
    """Where the window remembers its theme, size and last folder."""
    return QSettings(QSettings.Format.IniFormat, QSettings.Scope.UserScope, "nervus", "nervus")


def _tell_bug(window: MainWindow) -> Callable[..., None]:
    """A fault of ours on the interface thread is logged and told; the window stays open."""

    def told(kind: type[BaseException], wrong: BaseException, trace: TracebackType | None) -> None:
        logging.getLogger("nervus").error("fault on the interface thread", exc_info=(kind, wrong, trace))
        window.notice.tell(
            say(
                "Nervus made a mistake ({name}); what is open is kept. Please report it with "
                "the text in the terminal.",
                name=kind.__name__,
            )
        )

    return told


class _Elsewhere(QObject):
    """The last guard of threads that have none of their own: logged there, told in the window."""

    _told = pyqtSignal(str)

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._told.connect(window.notice.tell)

    def failed(self, about: threading.ExceptHookArgs) -> None:
        """A thread ended with a fault."""
        name = about.thread.name if about.thread is not None else "unknown"
        trace = (about.exc_type, about.exc_value, about.exc_traceback)
        log = logging.getLogger("nervus")
        log.error("fault in the thread %s", name, exc_info=trace)  # type: ignore[arg-type] # as given
        self._told.emit(
            say(
                "Nervus made a mistake in the background ({name}); what was recorded and "
                "entered is kept. Please report it with the text in the terminal.",
                name=name,
            )
        )


def _check_case(name: str) -> None:
    from nervus.standin.demo import CASES  # noqa: PLC0415 - only where a case is asked for

    if name not in {case.id for case in CASES}:
        known = ", ".join(case.id for case in CASES)
        raise OutsideError(
            say("--demo {name}: no such case; accepted is one of {known}.", name=name, known=known)
        )


def run(file: Path | None, *, demo: str | None = None, theme: str | None = None) -> int:
    """Open the window and stay until it is closed; returns the exit code."""
    if demo:
        _check_case(demo)
    application = NervusApplication(sys.argv[:1])
    import tempfile  # noqa: PLC0415 - off the way to the first window

    with tempfile.TemporaryDirectory(prefix="nervus-demo-") as folder:
        # The demo's jobs are nobody's: they go with the window, and the user's own logbook stays shut.
        logbook = Path(folder) / "logbook.db" if demo is not None else None
        return _show(application, MainWindow(settings(), logbook), file, demo, theme)


def collect_again() -> None:
    """After the first frame: from now on what is gone is looked for, among what comes later."""
    gc.freeze()
    gc.enable()


def _show(
    application: NervusApplication,
    window: MainWindow,
    file: Path | None,
    demo: str | None,
    theme: str | None,
) -> int:
    if theme is not None:
        window.set_theme(theme)
    sys.excepthook = _tell_bug(window)
    elsewhere = _Elsewhere(window)
    threading.excepthook = elsewhere.failed
    window.show()
    QTimer.singleShot(_AFTER_FIRST_FRAME_MS, collect_again)
    if file is not None:
        QTimer.singleShot(0, lambda: window.open_file(file))
    elif demo:
        QTimer.singleShot(0, lambda: window.open_demo(demo))
    elif demo is not None:
        QTimer.singleShot(0, window.fill_with_demo)
    return int(application.exec())
