"""The main window: head, nerve, findings, recording, judgement, keys, and what ties them together."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QSettings, QUrl
from PyQt6.QtGui import (
    QAction,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeySequence,
    QResizeEvent,
)
from PyQt6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QMessageBox,
    QVBoxLayout,
    QWidget,
)

from nervus import __version__
from nervus.domain.analysis import Analysis, Progress
from nervus.domain.channel import Recording, Role
from nervus.domain.job import Job
from nervus.domain.profile import ThrottleKind
from nervus.window.actions import ACTIONS, FOOT, FOOT_EMPTY, ActionSpec
from nervus.window.findings_list import FindingsList
from nervus.window.frame_parts import Foot, Head
from nervus.window.judgement_panel import JudgementPanel
from nervus.window.nerve import Nerve
from nervus.window.opening import Opened, open_demo, open_file
from nervus.window.recording_panel import OVER_TIME, OVER_TRAVEL, PAIR, RecordingPanel
from nervus.window.tasks import Task, wait_for_all
from nervus.window.theme import BRIGHT, DIM, THEMES, palette, style_sheet

_FOLDS_BELOW = 1160


class MainWindow(QMainWindow):
    """One recording, what was found in it, and what that means."""

    def __init__(self, settings: QSettings, demo_cases: tuple[tuple[str, str], ...] = ()) -> None:
        super().__init__()
        self._settings = settings
        self._task: Task | None = None
        self.opened: Opened | None = None
        self.setWindowTitle("Nervus")
        self.setAcceptDrops(True)
        self.setMinimumSize(960, 640)
        self.head, self.nerve, self.findings = Head(), Nerve(), FindingsList()
        self.panel, self.judgement, self.foot = RecordingPanel(), JudgementPanel(), Foot()
        self._actions: dict[str, QAction] = {}
        self._lay_out()
        self._make_actions(demo_cases)
        self._connect()
        self.set_theme(str(settings.value("theme", BRIGHT.name)))
        self._show_nothing()
        self._restore()

    def _lay_out(self) -> None:
        middle = QWidget(self)
        middle.setObjectName("body")
        row = QHBoxLayout(middle)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.findings)
        row.addWidget(self.panel, 1)
        row.addWidget(self.judgement)
        whole = QWidget(self)
        whole.setObjectName("body")
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for widget in (self.head, self.nerve):
            column.addWidget(widget)
        column.addWidget(middle, 1)
        column.addWidget(self.foot)
        self.setCentralWidget(whole)

    def _make_actions(self, demo_cases: tuple[tuple[str, str], ...]) -> None:
        bar = self.menuBar()
        assert bar is not None  # noqa: S101 - a main window has a menu bar
        menus: dict[str, QMenu] = {}
        for spec in ACTIONS:
            if spec.menu not in menus:
                menu = bar.addMenu(f"&{spec.menu}")
                assert menu is not None  # noqa: S101 - Qt returns the menu it made
                menus[spec.menu] = menu
            if spec.rule_before:
                menus[spec.menu].addSeparator()
            self._actions[spec.id] = self._make_action(spec, menus[spec.menu])
        self._actions["theme"].setCheckable(True)
        self._actions["judgement"].setCheckable(True)
        self._actions["judgement"].setChecked(True)
        if demo_cases:
            demo = menus["Recording"].addMenu("Demo cases")
            assert demo is not None  # noqa: S101 - Qt returns the menu it made
            for case_id, title in demo_cases:
                action = demo.addAction(title)
                assert action is not None  # noqa: S101 - Qt returns the action it made
                action.triggered.connect(lambda _on, case_id=case_id: self.open_demo(case_id))

    def _make_action(self, spec: ActionSpec, menu: QMenu) -> QAction:
        action = QAction(spec.text, self)
        action.setObjectName(spec.id)
        action.setShortcuts([QKeySequence(k) for k in spec.keys])
        action.triggered.connect(self._handlers()[spec.id])
        menu.addAction(action)
        return action

    def _handlers(self) -> dict[str, Callable[[], object]]:
        panel = self.panel
        return {
            "open": self.ask_for_file,
            "close": self.close_recording,
            "quit": self.close,
            "over_time": lambda: self.panel.show_view(OVER_TIME),
            "over_travel": lambda: self.panel.show_view(OVER_TRAVEL),
            "pair": lambda: self.panel.show_view(PAIR),
            "next_view": self.panel.next_view,
            "zoom_in": lambda: panel.chart.zoom(1.5),
            "zoom_out": lambda: panel.chart.zoom(1 / 1.5),
            "whole": lambda: panel.chart.zoom(0.0),
            "next_finding": lambda: self._step_finding(1),
            "previous_finding": lambda: self._step_finding(-1),
            "no_finding": lambda: self.findings.view.setCurrentIndex(self.findings.model.index(-1, 0)),
            "theme": self._toggle_theme,
            "judgement": self._toggle_judgement,
            "about": self._about,
        }

    def _connect(self) -> None:
        self.findings.chosen.connect(self._finding_chosen)
        self.panel.finding_clicked.connect(self.findings.choose)
        self.panel.moment.connect(self.nerve.show_moment)
        self.panel.empty.open_wanted.connect(self.ask_for_file)
        self.panel.empty.demo_wanted.connect(lambda: self.open_demo(""))
        self.panel.busy.stop_wanted.connect(self.stop)
        self.nerve.stretch_chosen.connect(self._stretch_chosen)
        self.judgement.back.clicked.connect(lambda: self.nerve.choose(None))

    # -- opening -----------------------------------------------------------------------------

    def ask_for_file(self) -> None:
        """Ask which recording to open."""
        folder = str(self._settings.value("folder", str(Path.home())))
        name, _ = QFileDialog.getOpenFileName(
            self, "Open a recording", folder, "Recordings (*.csv);;All files (*)"
        )
        if name:
            self.open_file(Path(name))

    def open_file(self, path: Path) -> None:
        """Open a recording from a file, in the background; what is open stays until it is there."""
        self._settings.setValue("folder", str(path.parent))
        self._begin(f"Reading {path.name}", lambda progress: open_file(path, progress))

    def open_demo(self, case_id: str) -> None:
        """Open a case of the demo (the most telling one for an empty name)."""
        self._begin("Making the demo recording", lambda progress: open_demo(case_id, progress))

    def _begin(self, doing: str, work: Callable[[Progress], Opened]) -> None:
        self.stop()
        self.panel.notice.hide()
        task = Task(work, self)
        task.progressed.connect(self.panel.busy.show_progress)
        task.succeeded.connect(self._show)
        task.failed.connect(self._failed)
        self._task = task
        self.panel.busy.show_progress(doing, 0.0)
        task.start()

    @property
    def is_busy(self) -> bool:
        """Whether something is being done in the background."""
        return self._task is not None

    def stop(self) -> None:
        """Stop what is being done; what was open stays open."""
        if self._task is not None:
            self._task.stop()
            self._task = None
        self.panel.busy.hide()

    def _failed(self, sentence: str) -> None:
        self._task = None
        self.panel.busy.hide()
        kept = " What was open is kept." if self.opened is not None else ""
        self.panel.notice.tell(sentence + kept)

    def _show(self, opened: Opened) -> None:
        self._task = None
        self.opened = opened
        self.panel.busy.hide()
        self.head.show_job(opened.job, opened.recording.name, opened.state)
        self.setWindowTitle(f"{opened.recording.name} · Nervus")
        kind, tracks = _throttle(opened.job, opened.recording)
        self.nerve.show_way(kind, tracks, opened.analysis.judgement.stretches)
        self.panel.show_recording(opened.title, opened.recording, opened.analysis)
        self.judgement.show_judgement(opened.analysis.judgement)
        self.findings.show_findings(opened.analysis.examination.findings)
        self.foot.show_keys(FOOT, opened.recording.name)
        self._enable(open_now=True)
        if opened.analysis.examination.findings:
            self.findings.choose(_most_telling(opened.analysis))

    def close_recording(self) -> None:
        """Put the recording away."""
        self.stop()
        self._show_nothing()

    def _show_nothing(self) -> None:
        self.opened = None
        self.setWindowTitle("Nervus")
        self.head.show_nothing()
        self.nerve.show_way(ThrottleKind.ELECTRONIC, 2, ())
        self.nerve.show_moment(0.0, {})
        self.panel.show_nothing()
        self.judgement.show_nothing()
        self.findings.show_nothing()
        self.foot.show_keys(FOOT_EMPTY, "")
        self._enable(open_now=False)

    def _enable(self, *, open_now: bool) -> None:
        for spec in ACTIONS:
            self._actions[spec.id].setEnabled(open_now or not spec.needs_recording)

    # -- what ties the parts together ----------------------------------------------------------

    def _finding_chosen(self, number: int) -> None:
        self.panel.select(number if number >= 0 else None)

    def _step_finding(self, step: int) -> None:
        count = self.findings.model.rowCount()
        if count:
            now = self.findings.view.currentIndex().row()
            self.findings.choose((now + step) % count if now >= 0 else 0)

    def _stretch_chosen(self, stretch_id: str) -> None:
        self.judgement.show_stretch(stretch_id)
        if not self.judgement.isVisible():
            self._actions["judgement"].setChecked(True)
            self.judgement.show()

    # -- theme, size, leaving ------------------------------------------------------------------

    def set_theme(self, name: str) -> None:
        """Change to a theme by its name; an unknown name is the bright one."""
        theme = THEMES.get(name, BRIGHT)
        self.theme = theme
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.setPalette(palette(theme))
            application.setStyleSheet(style_sheet(theme))
        for part in (self.nerve, self.panel, self.judgement, self.findings):
            part.apply_theme(theme)
        self._actions["theme"].setChecked(theme is DIM)

    def _toggle_theme(self) -> None:
        self.set_theme(BRIGHT.name if self.theme is DIM else DIM.name)
        self._settings.setValue("theme", self.theme.name)

    def _toggle_judgement(self) -> None:
        self.judgement.setVisible(self._actions["judgement"].isChecked())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if event is None:
            return
        was, now = event.oldSize().width(), event.size().width()
        if (was < 0 or was >= _FOLDS_BELOW) and now < _FOLDS_BELOW:
            self._fold(shown=False)
        elif was < _FOLDS_BELOW <= now:
            self._fold(shown=True)

    def _fold(self, *, shown: bool) -> None:
        self._actions["judgement"].setChecked(shown)
        self.judgement.setVisible(shown)

    def _restore(self) -> None:
        geometry = self._settings.value("geometry")
        if geometry is None or not self.restoreGeometry(geometry):
            self.resize(1280, 800)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.stop()
        self._settings.setValue("geometry", self.saveGeometry())
        self._settings.sync()
        wait_for_all()
        super().closeEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and _dropped_file(data.urls()) is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        path = _dropped_file(data.urls()) if data is not None else None
        if event is not None and path is not None:
            event.acceptProposedAction()
            self.open_file(path)

    def _about(self) -> None:
        box = QMessageBox(self)
        box.setWindowTitle("About Nervus")
        box.setText(f"Nervus {__version__}")
        box.setInformativeText(
            "Nervus advises; the technician decides. The maker's procedure and local rules come "
            "first, and work on safety systems belongs to licensed people.\n\n"
            "Free software under GPL-3.0-or-later. The typeface B612 is under the SIL Open Font "
            "License 1.1."
        )
        box.setStandardButtons(QMessageBox.StandardButton.Close)
        box.open()


def _throttle(job: Job | None, recording: Recording) -> tuple[ThrottleKind, int]:
    """Which throttle to draw: as the job says, else by what was recorded."""
    numbers = {c.id[3] for c in recording.with_role(Role.TRACK)}
    tracks = max(1, len(numbers))
    if job is not None and job.vehicle.throttle is not None:
        return job.vehicle.throttle, tracks
    commanded = bool(recording.with_role(Role.COMMAND) or recording.with_role(Role.PEDAL))
    electronic = tracks > 1 or commanded
    return (ThrottleKind.ELECTRONIC if electronic else ThrottleKind.CABLE), tracks


def _most_telling(analysis: Analysis) -> int:
    """The finding that one would look at first: the surest, longest-lasting kind before the rest."""
    findings = analysis.examination.findings
    return max(
        range(len(findings)),
        key=lambda n: (findings[n].kind == "dead_spot", findings[n].confidence, -n),
    )


def _dropped_file(urls: list[QUrl]) -> Path | None:
    local = [Path(url.toLocalFile()) for url in urls if url.isLocalFile()]
    return local[0] if len(local) == 1 else None
