"""What the window shows while a vehicle is connected: the live middle, the head, the last look."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject

from nervus.domain.channel import Recording
from nervus.domain.job import Source
from nervus.language import say
from nervus.window.actions import FOOT_LIVE, FOOT_SHAKING
from nervus.window.jobs.job_part import code_set
from nervus.window.stations import RECORD

if TYPE_CHECKING:
    from nervus.domain.analysis import Analysis
    from nervus.window.live.codes_dialog import VehicleCodes
    from nervus.window.main_window import MainWindow


class LiveShownPart(QObject):
    """Live, in the parts of the window that show it."""

    def __init__(self, window: "MainWindow") -> None:
        super().__init__(window)
        self._window = window
        live = window.live_part
        live.page_wanted.connect(lambda: window.stations.go(RECORD))
        live.entered.connect(self._enter)
        live.left.connect(self._leave)
        live.looked.connect(self._looked)
        live.moment.connect(window.nerve.show_moment)
        live.keeping.connect(self.tell)
        live.shaking.connect(lambda on: window.foot.show_keys(FOOT_SHAKING if on else FOOT_LIVE, ""))
        live.told.connect(lambda words: window.notice.tell(words, calm=True, of_job=True))
        live.failed.connect(window.shown.tell_failure)
        live.read_codes.connect(self._take_codes)
        live.identified.connect(window.job_part.put_identities)

    def _enter(self) -> None:
        window = self._window
        window.shown.show_nothing()
        window.panel.notice.hide()
        window.stations.go(RECORD)
        window.middle.setCurrentWidget(window.live_panel)
        self.tell(kept=False)
        window.setWindowTitle(say("Live · Nervus"))
        window.foot.show_keys(FOOT_LIVE, "")
        window.enable()
        window.live_panel.hands.pedal.setFocus()

    def tell(self, kept: bool) -> None:  # noqa: FBT001 - a signal's argument
        """The head says that it is live; in a job it keeps the job's name."""
        head, job = self._window.head, self._window.job
        if job is None:
            head.show_live(kept=kept)
        else:
            value = say("recording") if kept else say("watching")
            head.show_state(say("live · {value} · {state}", value=value, state=job.state))

    def _leave(self) -> None:
        window = self._window
        if window.job is not None:
            window.head.show_state(say(window.job.state))
        window.middle.setCurrentWidget(window.panel)
        if not window.is_busy:
            window.shown.show_nothing()

    def _looked(self, recording: Recording, analysis: "Analysis") -> None:
        """The last stretch was analysed while it goes on."""
        window = self._window
        if window.job is None:
            window.standing.show(analysis.judgement, None, recording)
        window.findings.show_findings(analysis.examination.findings, analysis.circuit)

    def read_codes(self) -> None:
        """Read codes from what is connected; say so where nothing is."""
        live = self._window.live_part
        if not live.is_live or live.codes() is None:
            self._window.notice.tell(
                say(
                    "No vehicle is connected. Connect one first: Ctrl Shift K, or Ctrl K for the "
                    "simulated."
                )
            )

    def _take_codes(self, told: "VehicleCodes") -> None:
        window = self._window
        codes = code_set(told.read.codes, told.frames)
        window.stations.add_codes(codes, Source.VEHICLE, told.read.missing)
        window.job_part.put_identities(told.identity)
        window.go("codes")
