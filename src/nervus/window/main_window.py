"""The main window: head, nerve, rail, stations, judgement, keys, and what ties them together."""

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSettings, QTimer
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.channel import Recording
from nervus.domain.job import AnyEntry, Job, Source
from nervus.language import say
from nervus.window.actions import (
    ACTIONS,
    FOOT,
    FOOT_EMPTY,
    FOOT_HOME,
    FOOT_LIVE,
    FOOT_SHAKING,
    FOOT_STATION,
)
from nervus.window.banners import Notice
from nervus.window.beside_part import BesidePart
from nervus.window.boxes import really_leave
from nervus.window.files_part import FilesPart
from nervus.window.frame_parts import Foot, Head
from nervus.window.frame_window import FrameWindow
from nervus.window.handlers import handlers
from nervus.window.jobs.job_part import JobPart, Listed, code_set
from nervus.window.jobs.kept_file import kept_file
from nervus.window.jobs.opening_part import OpeningPart
from nervus.window.live.live_part import DEMO_FAULT, LivePart
from nervus.window.menus import make_menus
from nervus.window.pages.home_view import HomeView
from nervus.window.pages.record_page import RecordPage
from nervus.window.pictures.nerve_way import vehicle_of
from nervus.window.pictures.recording_panel import load_views
from nervus.window.pictures.standing import Standing
from nervus.window.places import logbook_path, recordings_folder
from nervus.window.rail import JOBS, Rail
from nervus.window.recordings_part import RecordingsPart
from nervus.window.room import Room
from nervus.window.stations import RECORD, Stations
from nervus.window.tasks import Task, wait_for_all
from nervus.window.theme import BRIGHT, DIM, THEMES
from nervus.window.under_part import UnderPart

if TYPE_CHECKING:
    from nervus.domain.analysis import Analysis, Judgement
    from nervus.window.jobs.comparing import BeforeAfter
    from nervus.window.jobs.opening import Opened
    from nervus.window.live.codes_dialog import VehicleCodes
    from nervus.window.live.live_controller import LiveController
    from nervus.window.live.live_panel import LivePanel
    from nervus.window.manual_window import ManualWindow
    from nervus.window.pins.pins_meter import PinsMeter
    from nervus.window.pins.pins_page import PinsPage

_HIGHLIGHT_MS = 120
_AFTER_FIRST_FRAME_MS = 30


class MainWindow(FrameWindow):
    """One window on one logbook."""

    def __init__(
        self,
        settings: QSettings,
        logbook: Path | None = None,
    ) -> None:
        super().__init__(settings)
        self.opened: Opened | None = None
        self.head, self.foot, self.rail = Head(), Foot(), Rail()
        self.home, self.record, self.standing = HomeView(), RecordPage(), Standing(self)
        self.nerve, self.judgement = self.standing.nerve, self.standing.judgement
        self.panel, self.findings, self.middle = (
            self.record.panel, self.record.findings, self.record.middle,
        )  # fmt: skip
        self.notice = Notice(self)
        self.job_part = JobPart(logbook or logbook_path(settings), self)
        self.live_part = LivePart(settings, recordings_folder(settings), self.middle, self)
        self.opening = OpeningPart(
            settings, self, lambda: self.theme, lambda: self.job.vehicle.profile if self.job else ""
        )
        self.recordings = RecordingsPart(self.job_part, self.live_part, self.opening, self)
        self.stations = Stations(self.job_part, self.home, self.record, self)
        self.stations.recent = self.live_part.recent
        self.under = UnderPart(self.job_part, self.record, lambda: self.opened, self)
        self.beside = BesidePart(
            self.job_part, self.panel, lambda: self.opened, lambda: self.recordings.shown_id, self
        )
        self.files = FilesPart(
            settings, self.notice, self.job_part, self.panel, lambda: self.opened, self
        )
        self.pins_meter: PinsMeter | None = None
        self._manual: ManualWindow | None = None
        self._highlight = QTimer(self)
        self._highlight.setSingleShot(True)
        self._highlight.setInterval(_HIGHLIGHT_MS)
        self._lay_out()
        self.room = Room(
            settings,
            self.nerve,
            {"findings": self.findings, "judgement": self.judgement},
            (self.head, self.rail, self.foot, self.record.top, self.panel.limits),
            self,
        )
        self._actions = make_menus(self, handlers(self), self.open_demo)
        self.room.begin(self._actions)
        self._connect()
        self._connect_parts()
        self.set_theme(str(settings.value("theme", BRIGHT.name)))
        self._show_nothing()
        self.restore_size()
        self.home.show_opening()
        self.go(JOBS)
        # After the first frame: opening the logbook loads a library that would hold it up.
        QTimer.singleShot(_AFTER_FIRST_FRAME_MS, self.job_part.start)
        QTimer.singleShot(_AFTER_FIRST_FRAME_MS, Task(load_views, self).start)
        self.recordings.look_for_left_over()

    def _lay_out(self) -> None:
        pages = QVBoxLayout()
        pages.setContentsMargins(0, 0, 0, 0)
        pages.setSpacing(0)
        inset = QHBoxLayout()
        inset.setContentsMargins(16, 6, 16, 0)
        inset.addWidget(self.notice)
        pages.addLayout(inset)
        pages.addWidget(self.stations.stack, 1)
        middle = QWidget(self)
        middle.setObjectName("body")
        row = QHBoxLayout(middle)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.rail)
        row.addLayout(pages, 1)
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

    def _connect(self) -> None:
        self.findings.chosen.connect(self._finding_chosen)
        self.panel.finding_clicked.connect(self.findings.choose)
        self.panel.moment.connect(self.nerve.show_moment)
        self.panel.kept.connect(self.recordings.keep_measured)
        self.panel.empty.open_wanted.connect(self.files.ask_for_file)
        self.panel.empty.demo_wanted.connect(lambda: self.open_demo(""))
        self.panel.busy.stop_wanted.connect(self.stop)
        self.panel.empty.live_wanted.connect(lambda: self.connect_simulated(DEMO_FAULT))
        self.standing.wanted.connect(lambda: self.room.show("judgement", shown=True))
        self.narrowed.connect(lambda narrow: self.room.narrow(is_narrow=narrow))
        self.dropped.connect(self.open_file)
        self.record.wanted.connect(self._open_kept)
        self.record.keep_wanted.connect(self.keep_opened)

    def _connect_parts(self) -> None:
        live, job, home, opening = self.live_part, self.job_part, self.home, self.opening
        opening.began.connect(self._opening)
        opening.began.connect(self.panel.wait)
        opening.progressed.connect(self.panel.busy.show_progress)
        opening.ended.connect(self.panel.busy.hide)
        opening.ended.connect(self.panel.no_more_waiting)
        opening.opened.connect(self._show)
        opening.failed.connect(self._failed)
        live.about_to_connect.connect(self.stop)
        self.middle.currentChanged.connect(lambda _row: self.room.show_page(on=live.is_choosing))
        live.page_wanted.connect(lambda: self.stations.go(RECORD))
        live.entered.connect(self._enter_live)
        live.left.connect(self._leave_live)
        live.looked.connect(self._looked)
        live.moment.connect(self.nerve.show_moment)
        self.recordings.open_wanted.connect(self.open_file)
        self.files.open_wanted.connect(self.open_file)
        self.files.bundle_wanted.connect(self._take_bundle)
        self.recordings.told.connect(self.notice.tell)
        self.recordings.left_over.connect(
            lambda told: self.notice.tell(told, say("Look at them"), self.recordings.show_left_over)
        )
        live.keeping.connect(self._tell_live)
        live.shaking.connect(lambda on: self.foot.show_keys(FOOT_SHAKING if on else FOOT_LIVE, ""))
        live.told.connect(lambda words: self.notice.tell(words, calm=True, of_job=True))
        live.failed.connect(self._failed)
        live.read_codes.connect(self._take_codes)
        live.identified.connect(job.put_identities)
        job.shown.connect(self._job_shown)
        job.judged.connect(lambda _judgement: self._stand())
        job.listed.connect(self._listed)
        job.told.connect(self.notice.tell)
        job.state.connect(self.foot.source.setText)
        job.history.connect(self._tell_history)
        home.opened.connect(self.open_job)
        home.begun.connect(self.begin_job)
        home.open_wanted.connect(self.files.ask_for_file)
        home.demo_wanted.connect(lambda: self.open_demo(""))
        home.highlighted.connect(lambda _job: self._highlight.start())
        self._highlight.timeout.connect(self._show_highlighted)
        self.rail.chosen.connect(self._rail_chosen)
        self.stations.arrived.connect(self._arrived)
        self.stations.stretch.connect(lambda stretch: self.nerve.choose(stretch or None))
        self.stations.read_codes.connect(self._read_codes)
        self.stations.supposed.connect(self._suppose)
        self.stations.laid_over.connect(self._lay_over)
        self.under.told.connect(self.notice.tell)
        self.beside.anew.judged.connect(self._judged_anew)
        self.beside.told.connect(lambda words: self.notice.tell(words, calm=True, of_job=True))
        self.stations.meter_wanted.connect(self._toggle_meter)
        self.stations.meter = lambda: self.pins_meter.link if self.pins_meter is not None else None

    def show_manual(self) -> "ManualWindow":
        """Open the manual at the page of where one is."""
        from nervus.window.manual_window import ManualWindow  # noqa: PLC0415 - when first wanted

        if self._manual is None:
            self._manual = ManualWindow(self)
        live = self.stations.now == RECORD and (self.live_part.is_live or self.live_part.is_choosing)
        self._manual.show_page("live" if live else self.stations.now)
        self._manual.show()
        self._manual.raise_()
        self._manual.activateWindow()
        return self._manual

    # -- jobs ------------------------------------------------------------------------------------

    @property
    def job(self) -> Job | None:
        """The job in hand."""
        return self.job_part.job

    def begin_job(self, name: str) -> None:
        """Begin a job, for a vehicle of this name if there is one."""
        self.notice.leave_job()
        self._put_away(keep_live=True)
        self.recordings.adopt_live(self.job_part.begin_job(name))
        self.go("complaint")

    def open_job(self, job_id: str, station: str = "complaint") -> None:
        """Open a job of the logbook at a station."""
        self.notice.leave_job()
        self._put_away(keep_live=True)

        def show(job: Job) -> None:
            self.recordings.adopt_live(job)
            self.go(station)

        self.job_part.open_job(job_id, show)

    def keep_opened(self) -> None:
        """Begin a job with the recording that is open."""
        if self.opened is None or self.job is not None:
            return
        opened = self.opened
        vehicle = opened.vehicle or vehicle_of(opened.recording)
        job = self.job_part.begin_job(vehicle=vehicle)
        self.recordings.keep(job, opened)
        self.record.show_open(self.recordings.shown_id, can_keep=False, is_open=True)
        if opened.codes:
            self.stations.add_codes(opened.codes, Source.FILE)
        self.go("complaint")

    def go(self, station: str) -> None:
        """Go to a station; to the list of jobs, the job in hand is put away."""
        if station == JOBS and (self.job is not None or self.opened is not None):
            self._put_away()
            self.job_part.close_job()
        if station == JOBS:
            # Also what was said of a test without a job: it is of nothing in the list.
            self.notice.leave_job()
        self.stations.go(station)

    def _rail_chosen(self, station: str) -> None:
        highlighted = self.home.chosen
        if self.stations.now == JOBS and station != JOBS and highlighted:
            self.open_job(highlighted, station)
        elif self.job is None and station not in (JOBS, RECORD) and self.opened is not None:
            self.keep_opened()
            self.go(station)
        else:
            self.go(station)
        self.rail.show_station(self.stations.now)

    def _arrived(self, station: str) -> None:
        self.rail.show_station(station)
        if station != RECORD:
            self.room.leave_whole()
        live = self.live_part.is_live and station == RECORD
        name = self.foot.source.whole
        if station == JOBS:
            self.foot.show_keys(FOOT_HOME, "")
            self.home.begin()
            self._highlight.start()
        elif station != RECORD:
            self.foot.show_keys(FOOT_STATION, name)
        elif not live:
            self.foot.show_keys(FOOT if self.opened is not None else FOOT_EMPTY, name)
            newest = self.record.newest
            if self.opened is None and newest is not None and not self.is_busy:
                self._open_kept(newest)
        self._enable()
        self._stand()

    def _job_shown(self, job: Job | None) -> None:
        self.rail.show_job(job)
        self.record.show_job(job)
        if job is not None:
            from nervus.knowledge import told_in_words  # noqa: PLC0415 - off the way to the first window

            self.head.show_job(job.vehicle, told_in_words(job.complaint), say(job.state))
            if self.live_part.is_live:
                self._tell_live(self.live_part.recording is not None)
        self.live_part.keeps_codes = job is not None
        self._enable()

    def _listed(self, listed: Listed) -> None:
        self.home.show_jobs(listed.rows)
        self.files.list_jobs(listed.rows)
        self.stations.listed(listed)
        if self.job is None and self.opened is None and not self.live_part.is_live:
            self.head.show_nothing()

    def _lay_over(self, upper: str, lower: str, both: "BeforeAfter") -> None:
        """Show a recording of the job over another, both of which were read for comparing them."""
        self.stop()
        self.stations.go(RECORD)
        self.opening.from_job = upper
        self._show(both.after)
        self.under.show(lower, both.before)

    def _show_highlighted(self) -> None:
        """The job under the cursor of the list: its nerve and its judgement."""
        job_id = self.home.chosen
        if self.stations.now != JOBS:
            return
        if job_id:
            self.job_part.look_at(job_id, self._highlighted)
        else:
            self.standing.show(None, None, None)

    def _highlighted(self, job: Job, judgement: "Judgement | None") -> None:
        if self.stations.now == JOBS and self.home.chosen == job.id:
            self.standing.show(judgement, job.vehicle, None)

    def _read_codes(self) -> None:
        if not self.live_part.is_live or self.live_part.codes() is None:
            self.notice.tell(
                say(
                    "No vehicle is connected. Connect one first: Ctrl Shift K, or Ctrl K for the "
                    "simulated."
                )
            )

    def _toggle_meter(self, page: "PinsPage") -> None:
        """Connect a meter for the pins, or let it go."""
        if self.pins_meter is None:
            from nervus.window.pins.pins_meter import PinsMeter  # noqa: PLC0415 - when first wanted

            self.pins_meter = PinsMeter(self._settings, self.live_part, self)
            self.pins_meter.told.connect(self.notice.tell)
        self.pins_meter.toggle(page)

    def _take_codes(self, told: "VehicleCodes") -> None:
        codes = code_set(told.read.codes, told.frames)
        self.stations.add_codes(codes, Source.VEHICLE, told.read.missing)
        self.job_part.put_identities(told.identity)
        self.go("codes")

    def _tell_history(self, before: AnyEntry) -> None:
        from nervus.judge.entry_words import told  # noqa: PLC0415 - off the way to the first window

        self.notice.tell(
            say("Before: {told}", told=told(before)),
            say("Bring it back"),
            lambda: self.job_part.put(before),
        )

    def fill_with_demo(self) -> None:
        """Put the demo's jobs into the logbook, in the background; they are listed as they come."""
        from nervus.standin.depot import fill  # noqa: PLC0415 - for the demo only

        self.head.note = say("demo · invented data")
        self.job_part.fill(fill)

    # -- opening -----------------------------------------------------------------------------

    def open_file(self, path: Path) -> None:
        """Open a recording from a file, or a bundle; what is open stays until it is there."""
        if path.suffix.lower() == ".zip":
            self._take_bundle(path)
        else:
            self.opening.file(path)

    def _take_bundle(self, path: Path) -> None:
        self.job_part.take_bundle(path, self.open_job)

    def open_demo(self, case_id: str) -> None:
        """Open a case of the demo (the most telling one for an empty name)."""
        self.opening.demo(case_id)

    def _open_kept(self, recording_id: str) -> None:
        """Open a recording of the job again."""
        found = self.record.recorded(recording_id)
        if found is not None and self.job is not None:
            self.opening.kept(kept_file(self.job_part.files, found, self.job), recording_id)

    @property
    def is_busy(self) -> bool:
        """Whether something is being opened in the background."""
        return self.opening.is_busy

    def stop(self) -> None:
        """Stop what is being opened; what was open stays open."""
        self.opening.stop()

    def _opening(self) -> None:
        self.panel.notice.hide()
        if self.stations.now != RECORD:
            self.stations.go(RECORD)

    def _failed(self, sentence: str) -> None:
        kept = say(" What was open is kept.") if self.opened is not None else ""
        self.panel.notice.tell(sentence + kept)

    def _show(self, opened: "Opened") -> None:
        from nervus.window.pictures.finding_words import most_telling  # noqa: PLC0415 - with a recording

        self.live_part.leave()
        self.middle.setCurrentWidget(self.panel)
        self.opened = opened
        self.setWindowTitle(say("{name} · Nervus", name=opened.recording.name))
        if self.job is None:
            self._show_head(opened)
        self.nerve.show_moment(0.0, {})
        self.panel.show_recording(opened.title, opened.recording, opened.analysis, opened.pictures)
        self.findings.show_findings(opened.analysis.examination.findings, opened.analysis.circuit)
        self.foot.show_keys(FOOT, self.foot.source.whole if self.job else opened.recording.name)
        self.record.show_open(self.recordings.shown_id, can_keep=self.job is None, is_open=True)
        self._keep(opened)
        self.beside.show()
        self._enable()
        self._stand()
        self._tell_how_read(opened)
        self.under.leave()
        if opened.analysis.examination.findings:
            self.findings.choose(most_telling(opened.analysis))

    def _judged_anew(self, recording_id: str, judged: "Opened") -> None:
        """What is open is told as it is judged now; the stretch and the finding that were shown stay."""
        if self.opened is None or self.recordings.shown_id != recording_id:
            return
        stretch, chosen = self.panel.time_view.visible(), self.findings.number
        self.opened = opened = self.opened.anew(judged)
        findings = opened.analysis.examination.findings
        if self.panel.show_anew(opened.recording, opened.analysis, opened.pictures):
            self.under.leave()
        self.findings.show_findings(findings, opened.analysis.circuit)
        if 0 <= chosen < len(findings):
            self.findings.choose(chosen)
        self.panel.time_view.show_exactly(stretch)
        self.beside.show()
        self._stand()

    def _tell_how_read(self, opened: "Opened") -> None:
        """What was taken for what, left out or missing; what was agreed to can be changed."""
        told = " ".join(opened.remarks)
        original = opened.original
        if opened.mapped and original is not None:
            agreed = say("Read as was agreed for such tables. {told}", told=told).strip()
            self.panel.notice.tell(
                agreed, say("Change it …"), lambda: self.opening.change_mapping(original), calm=True
            )
        elif told:
            self.panel.notice.tell(told, calm=True)

    def _show_head(self, opened: "Opened") -> None:
        if opened.vehicle is None:
            self.head.show_recording(opened.recording.name)
        else:
            self.head.show_job(opened.vehicle, opened.complaint, opened.state)

    def _keep(self, opened: "Opened") -> None:
        """What was found goes to the recording's job, and the codes that were told meanwhile."""
        if self.recordings.found(opened) and opened.codes:
            self.stations.add_codes(opened.codes, Source.FILE)
        # Another profile may have been chosen meanwhile; a case of the demo is held against none.
        shown = self.recordings.shown_id
        if shown and self.job is not None and opened.profile != self.job.vehicle.profile:
            self.beside.anew.again(shown)

    def close_recording(self) -> None:
        """Put the recording away; the job stays."""
        self._put_away()
        self._stand()

    def _put_away(self, *, keep_live: bool = False) -> None:
        self.stop()
        if not keep_live:
            self.live_part.leave()
        self._show_nothing()

    # -- live ------------------------------------------------------------------------------------

    @property
    def live(self) -> "LiveController":
        """What is connected; made when first wanted."""
        return self.live_part.controller

    @property
    def live_panel(self) -> "LivePanel":
        """The live middle; made when first wanted."""
        return self.live_part.panel

    def connect_simulated(self, fault: str) -> None:
        """Connect the simulated vehicle with a fault planted in it."""
        self.live_part.connect_simulated(fault)

    def _enter_live(self) -> None:
        self._show_nothing()
        self.panel.notice.hide()
        self.stations.go(RECORD)
        self.middle.setCurrentWidget(self.live_panel)
        self._tell_live(kept=False)
        self.setWindowTitle(say("Live · Nervus"))
        self.foot.show_keys(FOOT_LIVE, "")
        self._enable()
        self.live_panel.hands.pedal.setFocus()

    def _tell_live(self, kept: bool) -> None:  # noqa: FBT001 - a signal's argument
        """The head says that it is live; in a job it keeps the job's name."""
        if self.job is None:
            self.head.show_live(kept=kept)
        else:
            self.head.show_state(
                say(
                    "live · {value} · {state}",
                    value=say("recording") if kept else say("watching"),
                    state=self.job.state,
                )
            )

    def _leave_live(self) -> None:
        if self.job is not None:
            self.head.show_state(say(self.job.state))
        self.middle.setCurrentWidget(self.panel)
        if not self.is_busy:
            self._show_nothing()

    def _looked(self, recording: Recording, analysis: "Analysis") -> None:
        """The last stretch was analysed while it goes on."""
        if self.job is None:
            self.standing.show(analysis.judgement, None, recording)
        self.findings.show_findings(analysis.examination.findings, analysis.circuit)

    # -- as it stands ----------------------------------------------------------------------------

    def _stand(self) -> None:
        """Nerve and judgement: of the job in hand, else of the recording that is open."""
        opened = self.opened
        recording = opened.recording if opened is not None else None
        if self.job is not None:
            self.standing.show(self.job_part.weigher.judgement, self.job.vehicle, recording)
        elif opened is not None:
            self.standing.show(opened.analysis.judgement, opened.vehicle, recording)
        elif self.stations.now != JOBS:
            self.standing.show(None, None, None)

    def _suppose(self, judgement: "Judgement | None") -> None:
        """Show how it would stand, or how it stands."""
        if judgement is None or self.job is None:
            self._stand()
        else:
            self.standing.show(judgement, self.job.vehicle, None)

    def _show_nothing(self) -> None:
        self.opened = None
        self.setWindowTitle("Nervus")
        if self.job is None:
            self.head.show_nothing()
        self.nerve.show_moment(0.0, {})
        self.panel.show_nothing()
        self.findings.show_nothing()
        self.record.show_open("", can_keep=False)
        self.standing.show(None, None, None)
        self._enable()

    def _enable(self) -> None:
        open_now = self.opened is not None and self.stations.now == RECORD
        live = self.live_part.is_live and self.stations.now == RECORD
        for spec in ACTIONS:
            possible = (open_now or not spec.needs_recording) and (live or not spec.needs_live)
            possible = possible and (self.job is not None or not spec.needs_job)
            self._actions[spec.id].setEnabled(possible)
        self._actions["keep"].setEnabled(self.opened is not None and self.job is None)

    def _finding_chosen(self, number: int) -> None:
        chosen = number if number >= 0 else None
        if self.live_part.is_live:
            self.live_panel.folded.select(chosen)
        else:
            self.panel.select(chosen)

    # -- theme, size, leaving ------------------------------------------------------------------

    def set_theme(self, name: str) -> None:
        """Change to a theme by its name; an unknown name is the bright one."""
        theme = THEMES.get(name, BRIGHT)
        self.theme = theme
        self.colour_application(theme)
        for part in (self.standing, self.panel, self.findings):
            part.apply_theme(theme)
        for more in (self.home, self.stations, self.live_part):
            more.apply_theme(theme)
        self._actions["theme"].setChecked(theme is DIM)

    def toggle_theme(self) -> None:
        """From bright to dim and back; kept for the next start."""
        self.set_theme(BRIGHT.name if self.theme is DIM else DIM.name)
        self._settings.setValue("theme", self.theme.name)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        keeper = self.job_part.keeper
        if keeper.waits and not keeper.settle() and not really_leave(self):
            if event is not None:
                event.ignore()
            return
        self.recordings.is_closing = True
        self.stop()
        self.live_part.leave()
        if self.pins_meter is not None:
            self.pins_meter.wait()
        self.remember_size()
        wait_for_all()
        self.live_part.wait()
        keeper.close()
        self.opening.clean_up()
        super().closeEvent(event)
