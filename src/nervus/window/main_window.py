"""The main window: head, nerve, findings, recording, judgement, keys, and what ties them together."""

from collections.abc import Callable
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSettings, QStandardPaths, QUrl
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
    QInputDialog,
    QMainWindow,
    QMenu,
    QMessageBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nervus import __version__
from nervus.domain.analysis import Analysis, Progress
from nervus.domain.channel import Recording, Role
from nervus.domain.job import Vehicle
from nervus.domain.profile import ThrottleKind
from nervus.window.actions import ACTIONS, FOOT, FOOT_EMPTY, FOOT_LIVE, QUICK_MARKS, ActionSpec
from nervus.window.findings_list import FindingsList
from nervus.window.frame_parts import Foot, Head
from nervus.window.judgement_panel import JudgementPanel
from nervus.window.nerve import Nerve
from nervus.window.opening import Opened, open_demo, open_file
from nervus.window.recording_panel import OVER_TIME, OVER_TRAVEL, PAIR, RecordingPanel
from nervus.window.tasks import Task, wait_for_all
from nervus.window.theme import BRIGHT, DIM, THEMES, palette, style_sheet

if TYPE_CHECKING:
    from nervus.window.live_controller import LiveController
    from nervus.window.live_panel import LivePanel

_FOLDS_BELOW = 1160
_FILE_FILTER = "Recordings (*.csv *.nervus *.nervus-journal);;All files (*)"
# What the demo plants in the simulated vehicle: a wire that lets go while the harness is shaken.
_DEMO_FAULT = "open-signal2~shake"


class MainWindow(QMainWindow):
    """One recording, what was found in it, and what that means."""

    def __init__(self, settings: QSettings, demo_cases: tuple[tuple[str, str], ...] = ()) -> None:
        super().__init__()
        self._settings = settings
        self._folder = _recordings_folder(settings)
        self._task: Task | None = None
        self.opened: Opened | None = None
        self.setWindowTitle("Nervus")
        self.setAcceptDrops(True)
        self.setMinimumSize(960, 640)
        self.head, self.nerve, self.findings = Head(), Nerve(), FindingsList()
        self.panel, self.judgement, self.foot = RecordingPanel(), JudgementPanel(), Foot()
        self.middle = QStackedWidget()
        self._actions: dict[str, QAction] = {}
        self._lay_out()
        self._make_actions(demo_cases)
        self._connect()
        self.set_theme(str(settings.value("theme", BRIGHT.name)))
        self._show_nothing()
        self._restore()
        self._offer_left_over()

    def _lay_out(self) -> None:
        middle = QWidget(self)
        middle.setObjectName("body")
        row = QHBoxLayout(middle)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.findings)
        self.middle.addWidget(self.panel)
        row.addWidget(self.middle, 1)
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
            **self._live_handlers(),
        }

    def _when_wanted(self, what: "Callable[[LiveController], object]") -> Callable[[], object]:
        return lambda: what(self.live)

    def _marking(self, kind: str) -> Callable[[], object]:
        return lambda: self.live.mark(kind)

    def _live_handlers(self) -> dict[str, Callable[[], object]]:
        marks = {f"mark_{kind}": self._marking(kind) for kind in QUICK_MARKS}
        return {
            "simulated": lambda: self.connect_simulated(_DEMO_FAULT),
            "vehicle": self.ask_for_vehicle,
            "meter": self.ask_for_meter,
            "by_hand": lambda: self._live_instead(lambda: self.live.type_readings("tps1_v")),
            "codes": self._when_wanted(lambda live: live.codes()),
            "other_picture": self._when_wanted(lambda live: live.panel.next_picture()),
            "record": self._when_wanted(lambda live: live.toggle_record()),
            "tone": self._when_wanted(lambda live: live.panel.tone.click()),
            "mark": self._when_wanted(lambda live: live.panel.words.setFocus()),
            "leave": self._when_wanted(lambda live: live.leave()),
            **marks,
        }

    def _connect(self) -> None:
        self.findings.chosen.connect(self._finding_chosen)
        self.panel.finding_clicked.connect(self.findings.choose)
        self.panel.moment.connect(self.nerve.show_moment)
        self.panel.empty.open_wanted.connect(self.ask_for_file)
        self.panel.empty.demo_wanted.connect(lambda: self.open_demo(""))
        self.panel.busy.stop_wanted.connect(self.stop)
        self.panel.empty.live_wanted.connect(lambda: self.connect_simulated(_DEMO_FAULT))
        self.nerve.stretch_chosen.connect(self._stretch_chosen)
        self.judgement.back.clicked.connect(lambda: self.nerve.choose(None))

    # -- opening -----------------------------------------------------------------------------

    def ask_for_file(self) -> None:
        """Ask which recording to open."""
        folder = str(self._settings.value("folder", str(Path.home())))
        name, _ = QFileDialog.getOpenFileName(
            self,
            "Open a recording",
            folder,
            "Recordings (*.csv *.nervus *.nervus-journal);;All files (*)",
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

    # -- live ------------------------------------------------------------------------------------

    @cached_property
    def live_panel(self) -> "LivePanel":
        """The live middle; made when first wanted, so that the window is there sooner."""
        from nervus.window.live_panel import LivePanel  # noqa: PLC0415 - when first wanted: start-up

        panel = LivePanel()
        panel.apply_theme(self.theme)
        self.middle.addWidget(panel)
        return panel

    @cached_property
    def live(self) -> "LiveController":
        """What is connected; made when first wanted."""
        from nervus.window.live_controller import LiveController  # noqa: PLC0415 - when first wanted

        live = LiveController(self.live_panel, self._folder, self)
        live.entered.connect(self._enter_live)
        live.left.connect(self._leave_live)
        live.looked.connect(self._looked)
        live.moment.connect(self.nerve.show_moment)
        live.recorded.connect(self.open_file)
        live.keeping.connect(lambda on: self.head.show_live(kept=on))
        live.failed.connect(self._failed)
        return live

    @property
    def _is_live(self) -> bool:
        return "live" in self.__dict__ and self.live.is_live

    def _leave(self) -> None:
        if "live" in self.__dict__:
            self.live.leave()

    def connect_simulated(self, fault: str) -> None:
        """Connect the simulated vehicle with a fault planted in it."""
        self.stop()
        self.live.connect_simulated(fault)

    def ask_for_vehicle(self) -> None:
        """Ask which adapter a vehicle is on; the last one is remembered."""
        before = str(self._settings.value("vehicle", "can0"))
        name, wanted = QInputDialog.getText(
            self,
            "Connect a vehicle",
            "Name of the SocketCAN adapter, set up for the vehicle's bit rate. Nervus reads; it writes "
            "nothing without asking.",
            text=before,
        )
        if wanted and name.strip():
            self._settings.setValue("vehicle", name.strip())
            self.stop()
            self.live.connect_vehicle(f"socketcan:{name.strip()}")

    def ask_for_meter(self) -> None:
        """Ask where a meter is; the last one is remembered. Its probe is on signal 1."""
        before = str(self._settings.value("meter", "192.168.0.10:5025"))
        name, wanted = QInputDialog.getText(
            self,
            "Connect a meter",
            "A meter that speaks SCPI: HOST:PORT or a VISA resource. Its probe is on signal 1.",
            text=before,
        )
        if wanted and name.strip():
            self._settings.setValue("meter", name.strip())
            self._live_instead(lambda: self.live.connect_instrument(name.strip(), "tps1_v"))

    def _live_instead(self, connect: Callable[[], object]) -> None:
        self.stop()
        connect()

    def _offer_left_over(self) -> None:
        """A recording that was cut off, by a kill or a power cut, is offered at the next start."""
        if not self._folder.is_dir():
            return
        from nervus.files.journal import finished, left_over  # noqa: PLC0415 - seldom wanted: start-up

        found = left_over(self._folder)
        if found:
            self.panel.notice.tell(
                f"“{found[-1].stem}” was cut off. All but the last moment of it is kept.",
                "Open it",
                lambda: self.open_file(finished(found[-1])),
            )

    def _enter_live(self) -> None:
        self._show_nothing()
        self.panel.notice.hide()
        self.middle.setCurrentWidget(self.live_panel)
        self.head.show_live(kept=False)
        self.setWindowTitle("Live · Nervus")
        self.foot.show_keys(FOOT_LIVE, "")
        self._enable(open_now=False)
        self.live_panel.hands.pedal.setFocus()

    def _leave_live(self) -> None:
        self.middle.setCurrentWidget(self.panel)
        if not self.is_busy:
            self._show_nothing()

    def _looked(self, recording: Recording, analysis: Analysis) -> None:
        """The last stretch was analysed while it goes on."""
        kind, tracks = _throttle(None, recording)
        self.nerve.show_way(kind, tracks, analysis.judgement.stretches)
        self.judgement.show_judgement(analysis.judgement)
        self.findings.show_findings(analysis.examination.findings, analysis.circuit)

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
        if self._task is not None:
            self._task.deleteLater()
        self._task = None
        self._leave()
        self.middle.setCurrentWidget(self.panel)
        self.opened = opened
        self.panel.busy.hide()
        if opened.vehicle is None:
            self.head.show_recording(opened.recording.name)
        else:
            self.head.show_job(opened.vehicle, opened.complaint, opened.state)
        self.setWindowTitle(f"{opened.recording.name} · Nervus")
        kind, tracks = _throttle(opened.vehicle, opened.recording)
        self.nerve.show_way(kind, tracks, opened.analysis.judgement.stretches)
        self.panel.show_recording(opened.title, opened.recording, opened.analysis)
        self.judgement.show_judgement(opened.analysis.judgement)
        self.findings.show_findings(opened.analysis.examination.findings, opened.analysis.circuit)
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
            possible = (open_now or not spec.needs_recording) and (self._is_live or not spec.needs_live)
            self._actions[spec.id].setEnabled(possible)

    # -- what ties the parts together ----------------------------------------------------------

    def _finding_chosen(self, number: int) -> None:
        chosen = number if number >= 0 else None
        if self._is_live:
            self.live_panel.folded.select(chosen)
        else:
            self.panel.select(chosen)

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
        if "live_panel" in self.__dict__:
            self.live_panel.apply_theme(theme)
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
        self._leave()
        self._settings.setValue("geometry", self.saveGeometry())
        self._settings.sync()
        wait_for_all()
        if "live" in self.__dict__:
            self.live.wait()
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


def _recordings_folder(settings: QSettings) -> Path:
    """Where recordings are kept: as the settings say, else among the user's documents."""
    documents = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.DocumentsLocation)
    return Path(str(settings.value("recordings", str(Path(documents) / "Nervus"))))


def _throttle(vehicle: Vehicle | None, recording: Recording) -> tuple[ThrottleKind, int]:
    """Which throttle to draw: as the vehicle says, else by what was recorded."""
    numbers = {c.id[3] for c in recording.with_role(Role.TRACK)}
    tracks = max(1, len(numbers))
    if vehicle is not None and vehicle.throttle is not None:
        return vehicle.throttle, tracks
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
