"""The pages of all stations, made when first wanted, and the job that they all show."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec.structs import replace
from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QStackedWidget, QWidget

from nervus.codes.notation import Code
from nervus.domain.channel import Recording
from nervus.domain.job import Compared, Job, SeenCode, Source, of_kind
from nervus.window.jobs.job_part import JobPart, Listed
from nervus.window.pins.meter_link import MeterLink
from nervus.window.rail import JOBS
from nervus.window.station_page import StationPage
from nervus.window.tasks import Task
from nervus.window.theme import BRIGHT, Theme

if TYPE_CHECKING:
    from nervus.domain.judgement import RankedTest

RECORD = "record"


class Stations(QObject):
    """The stack of pages beside the rail.

    Signals:
        arrived: the station that is shown now.
        stretch: a stretch of the signal's way to mark, or "".
        read_codes: codes are to be read from the connected vehicle.
        meter_wanted: the page of pins wants a meter connected, or let go.
        laid_over: a recording is to be shown over another: identifiers of the upper and the lower one,
            and both as they were opened.
        supposed: a judgement as it would stand after a test, or `None` to go back to how it stands.
    """

    arrived = pyqtSignal(str)
    stretch = pyqtSignal(str)
    read_codes = pyqtSignal()
    laid_over = pyqtSignal(str, str, object)
    supposed = pyqtSignal(object)
    meter_wanted = pyqtSignal(object)

    def __init__(self, part: JobPart, home: QWidget, record: QWidget, parent: QWidget) -> None:
        super().__init__(parent)
        self._part = part
        self.stack = QStackedWidget(parent)
        self._fixed = {JOBS: home, RECORD: record}
        for page in self._fixed.values():
            self.stack.addWidget(page)
        self._pages: dict[str, StationPage] = {}
        self._theme: Theme = BRIGHT
        self.meter: Callable[[], MeterLink | None] = lambda: None
        """The meter that is connected for the pins, if any."""
        self.recent: Callable[[], Recording | None] = lambda: None
        """What came in live over the last while, if anything is connected."""
        self._listed: Listed | None = None
        self.now = JOBS
        part.shown.connect(self._show)

    def page(self, name: str) -> StationPage:
        """The page of a station other than the list of jobs and Record."""
        if name not in self._pages:
            page = self._pages[name] = self._made()[name]()
            page.put.connect(self._part.put)
            page.taken_out.connect(self._part.take_out)
            page.stretch.connect(lambda stretch, name=name: self._mark(name, stretch))
            page.apply_theme(self._theme)
            self.stack.addWidget(page)
            self._tell_listed(page)
            if self._part.job is not None:
                page.show_job(self._part.job)
        return self._pages[name]

    def go(self, name: str) -> None:
        """Show a station; those of a job need one."""
        if name in self._fixed:
            self.stack.setCurrentWidget(self._fixed[name])
        elif self._part.job is None:
            return
        else:
            page = self.page(name)
            page.show_job(self._part.job)
            self.stack.setCurrentWidget(page)
            page.begin()
        if self.now in self._pages and self.now != name:
            self._pages[self.now].leave()
        self.now = name
        if name in self._fixed:
            self.stretch.emit("")
        if name != "decide":
            self.supposed.emit(None)
        self.arrived.emit(name)

    def add_codes(
        self, codes: tuple[SeenCode, ...], source: Source, missing: tuple[str, ...] = ()
    ) -> None:
        """Codes that came from elsewhere go into the job's set of the moment that the page shows."""
        from nervus.window.pages.codes_page import CodesPage  # noqa: PLC0415 - as its page

        page = self.page("codes")
        if isinstance(page, CodesPage) and self._part.job is not None:
            page.show_job(self._part.job)
            page.add(codes, source, missing)

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        for page in self._pages.values():
            page.apply_theme(theme)

    def listed(self, listed: Listed) -> None:
        """All jobs, vehicles and own words for codes, as they are now."""
        self._listed = listed
        for page in self._pages.values():
            self._tell_listed(page)

    def _show(self, job: Job | None) -> None:
        if job is not None:
            for name, page in self._pages.items():
                if name == self.now:
                    page.show_job(job)
            if self._listed is not None and self.now == "complaint":
                self._tell_listed(self._pages["complaint"])

    def _mark(self, name: str, stretch: str) -> None:
        if name == self.now or self.stack.currentWidget() is self._pages.get(name):
            self.stretch.emit(stretch)

    def _tell_listed(self, page: StationPage) -> None:
        from nervus.window.pages.codes_page import CodesPage  # noqa: PLC0415 - as its page
        from nervus.window.pages.complaint_page import ComplaintPage  # noqa: PLC0415 - as its page
        from nervus.window.pins.pins_page import PinsPage  # noqa: PLC0415 - as its page

        if self._listed is None:
            return
        if isinstance(page, ComplaintPage):
            now = self._part.job.id if self._part.job is not None else ""
            others = {row.vehicle_id for row in self._listed.rows if row.id != now}
            page.offer_vehicles([v for v in self._listed.vehicles if v.id in others])
        elif isinstance(page, CodesPage):
            page.define(self._listed.own_codes)
        elif isinstance(page, PinsPage):
            page.know(self._listed.plugs)

    def report(self, parent: QWidget) -> None:
        """Write the report of the job in hand."""
        from nervus.window.pages.report_dialog import ReportDialog  # noqa: PLC0415 - when first wanted

        if self._part.job is None:
            return
        dialog = ReportDialog(self._part, parent)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    # -- how each page is made -----------------------------------------------------------------------

    def _made(self) -> dict[str, Callable[[], StationPage]]:
        return {
            "complaint": self._complaint,
            "codes": self._codes,
            "look": self._look,
            "pins": self._pins,
            "decide": self._decide,
            "mend": self._mend,
            "prove": self._prove,
        }

    def _complaint(self) -> StationPage:
        from nervus.window.pages.complaint_page import ComplaintPage  # noqa: PLC0415 - when first wanted

        page = ComplaintPage()
        page.vehicle_put.connect(self._part.set_vehicle)
        return page

    def _codes(self) -> StationPage:
        from nervus.window.pages.codes_page import CodesPage  # noqa: PLC0415 - when first wanted

        page = CodesPage()
        page.told.connect(self._part.told)
        page.defined.connect(lambda code, words: self._define(page.own, code, words))
        page.read_wanted.connect(self.read_codes)
        page.file_wanted.connect(lambda path: self._read_file(page.add, path))
        return page

    def _define(self, own: dict[Code, str], code: Code, words: str) -> None:
        own[code] = words
        self._part.define(code, words)

    def _read_file(self, add: Callable[..., object], path: Path) -> None:
        """A report, or a log of traffic in which codes were told; read in the background."""
        from nervus.link.reading import codes_in_file  # noqa: PLC0415 - loads the bus library

        still = self._same_job()
        task = Task(lambda _progress: codes_in_file(path), self)
        task.succeeded.connect(lambda codes: add(codes, Source.FILE) if still() else None)
        task.failed.connect(self._part.told)
        task.start()

    def _same_job(self) -> Callable[[], bool]:
        """Asked later: whether the job in hand is still the one of now."""
        then = self._part.job.id if self._part.job is not None else ""
        return lambda: self._part.job is not None and self._part.job.id == then

    def _look(self) -> StationPage:
        from nervus.window.pages.look_page import LookPage, with_photo  # noqa: PLC0415 - when first wanted

        page = LookPage()
        page.photo_path = lambda name: self._part.files / name

        def keep(item: str, path: Path) -> None:
            # The picture goes to the job that was in hand when it was chosen.
            job = self._part.job
            if job is None:
                return

            def add(name: str) -> None:
                self._part.change_elsewhere(job.id, lambda then: with_photo(then, item, name))

            self._part.attaching.keep_photo(path, add)

        page.photo_wanted.connect(keep)
        return page

    def _pins(self) -> StationPage:
        from nervus.window.pins.pins_page import PinsPage  # noqa: PLC0415 - when first wanted

        page = PinsPage()
        page.told.connect(self._part.told)
        page.plug_kept.connect(self._part.keep_plug)
        page.meter_wanted.connect(lambda: self.meter_wanted.emit(page))
        page.setting_wanted.connect(lambda: self._set_sensor(page))
        page.guide_wanted.connect(lambda: self._guide(page))
        return page

    def _set_sensor(self, page: QWidget) -> None:
        from nervus.window.pins.setting_dialog import SettingDialog  # noqa: PLC0415 - when first wanted

        dialog = SettingDialog(self._part, self._theme, self.meter(), page)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    def _guide(self, page: QWidget) -> None:
        from nervus.window.pages.procedure_dialog import ProcedureDialog  # noqa: PLC0415 - when first wanted

        dialog = ProcedureDialog(self._part, self._theme, page, self.recent)
        dialog.setting_wanted.connect(lambda: self._set_sensor(page))
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    def _decide(self) -> StationPage:
        from nervus.window.pages.decide_page import DecidePage  # noqa: PLC0415 - when first wanted

        page = DecidePage(self._part.weigher.decision)
        self._part.judged.connect(page.show_judgement)
        page.show_judgement(self._part.weigher.weighed)
        page.supposed.connect(self.supposed)
        page.begun.connect(self._begin_test)
        page.prices_wanted.connect(lambda: self._ask_prices(page))
        return page

    def _begin_test(self, test: "RankedTest") -> None:
        """Go to a test's station, with its place prepared and how it is done in sight."""
        how = f"{test.text}. {test.how} {test.caution}"
        self.go(test.station)
        if test.station in self._fixed:
            self._part.told.emit(how)
        else:
            self.page(test.station).prepare(how, test.prepare)

    def _ask_prices(self, page: QWidget) -> None:
        from nervus.window.pages.prices_dialog import PricesDialog  # noqa: PLC0415 - when first wanted

        dialog = PricesDialog(self._part.weigher.own, page)
        dialog.accepted.connect(lambda: self._part.weigher.keep_prices(dialog.prices))
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    def _mend(self) -> StationPage:
        from nervus.window.pages.mend_page import MendPage  # noqa: PLC0415 - when first wanted

        page = MendPage()
        page.setting_wanted.connect(lambda: self._set_sensor(page))
        page.guide_wanted.connect(lambda: self._guide(page))
        page.told_wrong.connect(self._part.told)
        page.clocked.connect(self._part.put_to)
        page.photo_wanted.connect(lambda pair: self._photo_of_parts(page, pair))
        self._part.judged.connect(page.show_judgement)
        page.show_judgement(self._part.weigher.weighed)
        return page

    def _photo_of_parts(self, page: QWidget, pair: Compared) -> None:
        """A photo of two parts, kept with the entry of the job that was in hand when it was chosen."""
        from nervus.window.boxes import asked_for_photo  # noqa: PLC0415 - when first wanted

        job, path = self._part.job, asked_for_photo(page)
        if job is None or path is None:
            return

        def with_it(then: Job, name: str) -> Compared:
            now = next((e for e in of_kind(then.entries, Compared) if e.id == pair.id), pair)
            return replace(now, photos=(*now.photos, name))

        def add(name: str) -> None:
            self._part.change_elsewhere(job.id, lambda then: with_it(then, name))

        self._part.attaching.keep_photo(path, add)

    def _prove(self) -> StationPage:
        from nervus.window.pages.compare_view import CompareView  # noqa: PLC0415 - when first wanted
        from nervus.window.pages.prove_page import ProvePage  # noqa: PLC0415 - as above

        compare = CompareView(self._part.files)
        compare.shown.connect(self.laid_over)
        page = ProvePage(compare, lambda: self._part.weigher.own)
        page.history_wanted.connect(self._part.tell_history)
        page.report_wanted.connect(lambda: self.report(page))
        self._part.judged.connect(page.show_judgement)
        page.show_judgement(self._part.weigher.weighed)
        return page
