"""The main window: head, nerve, rail, stations, judgement, keys, and what ties them together."""

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSettings, QTimer
from PyQt6.QtGui import QCloseEvent

from nervus.domain.job import AnyEntry, Job, Source
from nervus.language import say
from nervus.window.actions import (
    ACTIONS,
    FOOT,
    FOOT_EMPTY,
    FOOT_HOME,
    FOOT_STATION,
)
from nervus.window.banners import Notice
from nervus.window.beside_part import BesidePart
from nervus.window.boxes import really_leave
from nervus.window.files_part import FilesPart
from nervus.window.frame_parts import Foot, Head
from nervus.window.frame_window import FrameWindow
from nervus.window.handlers import handlers
from nervus.window.jobs.job_part import JobPart, Listed
from nervus.window.jobs.opening_part import OpeningPart
from nervus.window.live.live_part import DEMO_FAULT, LivePart
from nervus.window.live_shown_part import LiveShownPart
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
from nervus.window.shown_part import ShownPart
from nervus.window.stations import RECORD, Stations
from nervus.window.tasks import Task, wait_for_all
from nervus.window.theme import BRIGHT, DIM, THEMES
from nervus.window.under_part import UnderPart

if TYPE_CHECKING:
    from nervus.domain.analysis import Judgement
    from nervus.window.jobs.opening import Opened
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
        self.shown = ShownPart(self)
        self.live_shown = LiveShownPart(self)
        pages = self.notice, self.stations.stack
        self.lay_out((self.head, self.nerve), self.rail, pages, self.judgement, self.foot)
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
        self.shown.show_nothing()
        self.restore_size()
        self.home.show_opening()
        self.go(JOBS)
        # After the first frame: opening the logbook loads a library that would hold it up.
        QTimer.singleShot(_AFTER_FIRST_FRAME_MS, self.job_part.start)
        QTimer.singleShot(_AFTER_FIRST_FRAME_MS, Task(load_views, self).start)
        self.recordings.look_for_left_over()

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
        self.record.keep_wanted.connect(self.keep_opened)

    def _connect_parts(self) -> None:
        live, job, home = self.live_part, self.job_part, self.home
        live.about_to_connect.connect(self.stop)
        self.middle.currentChanged.connect(lambda _row: self.room.show_page(on=live.is_choosing))
        self.recordings.open_wanted.connect(self.open_file)
        self.files.open_wanted.connect(self.open_file)
        self.files.bundle_wanted.connect(self.shown.take_bundle)
        self.recordings.told.connect(self.notice.tell)
        self.recordings.left_over.connect(
            lambda told: self.notice.tell(told, say("Look at them"), self.recordings.show_left_over)
        )
        job.shown.connect(self._job_shown)
        job.judged.connect(lambda _judgement: self.stand())
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
        self.stations.read_codes.connect(self.live_shown.read_codes)
        self.stations.supposed.connect(self._suppose)
        self.stations.laid_over.connect(self.shown.lay_over)
        self.under.told.connect(self.notice.tell)
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

    @property
    def opened(self) -> "Opened | None":
        """The recording that is open, with its judgement."""
        return self.shown.opened

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
            self.shown.open_newest()
        self.enable()
        self.stand()

    def _job_shown(self, job: Job | None) -> None:
        self.rail.show_job(job)
        self.record.show_job(job)
        if job is not None:
            from nervus.knowledge import told_in_words  # noqa: PLC0415 - off the way to the first window

            self.head.show_job(job.vehicle, told_in_words(job.complaint), say(job.state))
            if self.live_part.is_live:
                self.live_shown.tell(self.live_part.recording is not None)
        self.live_part.keeps_codes = job is not None
        self.enable()

    def _listed(self, listed: Listed) -> None:
        self.home.show_jobs(listed.rows)
        self.files.list_jobs(listed.rows)
        self.stations.listed(listed)
        if self.job is None and self.opened is None and not self.live_part.is_live:
            self.head.show_nothing()

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

    def _toggle_meter(self, page: "PinsPage") -> None:
        """Connect a meter for the pins, or let it go."""
        if self.pins_meter is None:
            from nervus.window.pins.pins_meter import PinsMeter  # noqa: PLC0415 - when first wanted

            self.pins_meter = PinsMeter(self._settings, self.live_part, self)
            self.pins_meter.told.connect(self.notice.tell)
        self.pins_meter.toggle(page)

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
        self.shown.open_file(path)

    def open_demo(self, case_id: str) -> None:
        """Open a case of the demo (the most telling one for an empty name)."""
        self.opening.demo(case_id)

    @property
    def is_busy(self) -> bool:
        """Whether something is being opened in the background."""
        return self.opening.is_busy

    def stop(self) -> None:
        """Stop what is being opened; what was open stays open."""
        self.opening.stop()

    def close_recording(self) -> None:
        """Put the recording away; the job stays."""
        self._put_away()
        self.stand()

    def _put_away(self, *, keep_live: bool = False) -> None:
        self.stop()
        if not keep_live:
            self.live_part.leave()
        self.shown.show_nothing()

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

    # -- as it stands ----------------------------------------------------------------------------

    def stand(self) -> None:
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
            self.stand()
        else:
            self.standing.show(judgement, self.job.vehicle, None)

    def enable(self) -> None:
        """Allow what can be done now, and nothing else."""
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
