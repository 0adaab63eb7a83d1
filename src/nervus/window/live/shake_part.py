"""The guided wiggle test on what is live: its clock is the samples', its eye the analysis."""

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QObject, pyqtSignal

from nervus.domain.analysis import Analysis, Judgement
from nervus.domain.channel import Recording
from nervus.domain.job import Job
from nervus.judge.shaking import ShakeTest, caught_at, known_before, places_for
from nervus.language import say
from nervus.window.live.live_controller import LiveController
from nervus.window.live.shake_bar import ShakeBar

Context = Callable[[], tuple[Job | None, Judgement | None, str | None]]
"""The job in hand, how it stands, and the recording of it that is being made."""


@dataclass(frozen=True, slots=True, eq=False)
class Shook:
    """A wiggle test that is over.

    Attributes:
        test: all places, as far as they were shaken.
        channels: what was watched.
        job: whose it is; `None` for nobody's.
        recording: the recording that was made meanwhile, if one was.
    """

    test: ShakeTest
    channels: tuple[str, ...]
    job: Job | None
    recording: str | None


class ShakePart(QObject):
    """Ties a test to what is live.

    Signals:
        ended: it is over (`Shook`).
        told: a sentence.
        running: whether it is under way.
    """

    ended = pyqtSignal(object)
    told = pyqtSignal(str)
    running = pyqtSignal(bool)

    def __init__(self, live: LiveController, context: Context) -> None:
        super().__init__(live)
        self._live, self._context = live, context
        self.test: ShakeTest | None = None
        self._job: Job | None = None
        self._recording: str | None = None
        self._channels: tuple[str, ...] = ()
        self.bar: ShakeBar = live.panel.shake_bar
        self.bar.toggled.connect(self.toggle)
        self.bar.next_wanted.connect(self.go_on)
        self.bar.end_wanted.connect(self.end)
        live.ticked.connect(self._tick)
        live.looked.connect(self._looked)
        live.left.connect(self.end)

    def begin(self) -> None:
        """Begin at the place that is suspected most; a second time it goes on where it is."""
        if self.test is not None:
            self.bar.setFocus()
            return
        rate = self._live.track_rate_hz()
        if not rate:
            self.told.emit(
                say("No track of the throttle comes in yet; a moment after it does, the test can begin.")
            )
            return
        job, standing, _recording = self._context()
        self._job, self._recording, self._channels = job, None, self._live.channels()
        throttle = job.vehicle.throttle if job is not None else None
        self.test = ShakeTest(places_for(throttle, standing), caught_at(rate), known_before(job))
        self.bar.show_test(self.test)
        self._live.panel.guide_shaking(on=True)
        self.running.emit(True)  # noqa: FBT003 - a signal's argument
        self.bar.setFocus()

    def toggle(self) -> None:
        """The hand begins to shake, or lets go."""
        test = self.test
        if test is None:
            return
        if test.is_shaking:
            test.pause()
        else:
            test.begin(self._live.now_s)
            self._live.mark(test.hand.place.marks)
            self._recording = self._context()[2] or self._recording
        self.bar.show_test(test)

    def go_on(self) -> None:
        """To the next place; after the last one it is over."""
        if self.test is None:
            return
        if self.test.go_on():
            self.bar.show_test(self.test)
        else:
            self.end()

    def end(self) -> None:
        """It is over: what it showed is told."""
        test, self.test = self.test, None
        self._live.panel.guide_shaking(on=False)
        if test is None:
            return
        test.pause()
        self.running.emit(False)  # noqa: FBT003 - a signal's argument
        self.told.emit(test.conclusion())
        self.ended.emit(Shook(test, self._channels, self._job, self._recording))

    def _tick(self, now_s: float) -> None:
        if self.test is not None:
            self.test.tick(now_s)
            self.bar.show_test(self.test)

    def _looked(self, recording: Recording, analysis: Analysis) -> None:
        if self.test is not None:
            self.test.looked(analysis.examination.findings, recording.end_s)
            self.bar.show_test(self.test)
