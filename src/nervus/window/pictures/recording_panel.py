"""The middle: what was recorded, in which view, and the two views themselves."""

from collections.abc import Mapping
from functools import cached_property
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nervus.domain.channel import Recording, Sensor
from nervus.domain.progress import Progress
from nervus.drawn.channels import Arranged, usual_channels
from nervus.judge.words import how_measured
from nervus.language import say, say_many
from nervus.window.banners import Busy, EmptyState, Notice
from nervus.window.elided import ElidedLabel
from nervus.window.pictures.below import Below
from nervus.window.pictures.limits import Limits
from nervus.window.pictures.measure_bar import MeasureBar
from nervus.window.station_page import scrolled
from nervus.window.theme import BRIGHT, Theme

# With so few there is nothing to choose.
_FEW_CHANNELS = 3
# In less, pixels, the numbers of a picture's axes lie on each other.
_LEAST_HEIGHT = 165
OVER_TIME, OVER_TRAVEL, PAIR = "over time", "over travel", "track against track"


if TYPE_CHECKING:
    from nervus.domain.analysis import Analysis, Examination
    from nervus.drawn.pictures import Pictures, Under
    from nervus.window.pictures.channels_dialog import ChannelsDialog
    from nervus.window.pictures.pair_view import PairView
    from nervus.window.pictures.plots import Chart
    from nervus.window.pictures.time_view import TimeView
    from nervus.window.pictures.travel_view import TravelView


def load_views(_progress: Progress) -> None:
    """Load what pictures are drawn with, off the interface thread: it takes a tenth of a second."""
    from nervus.window.pictures import pair_view, time_view, travel_view  # noqa: F401, PLC0415


class _Views(NamedTuple):
    """The three pictures."""

    time: "TimeView"
    travel: "TravelView"
    pair: "PairView"


class RecordingPanel(QWidget):
    """Title, view buttons, notices, and the view.

    Signals:
        finding_clicked: number of a finding that was clicked on in a picture.
        moment: travel in percent and volts by channel, under the cursor.
        kept: what two cursors measured is to be kept in the job.
        word_clicked: key of a mark or remark over time that was clicked on.
        word_moved: key of one that was moved, and to which second.
    """

    finding_clicked = pyqtSignal(int)
    moment = pyqtSignal(float, object)
    kept = pyqtSignal(object)
    word_clicked = pyqtSignal(str)
    word_moved = pyqtSignal(str, float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._recording: Recording | None = None
        self._examination: Examination | None = None
        self._title = ElidedLabel("", self)
        self._title.setObjectName("station")
        self._facts = QLabel("", self)
        self._facts.setObjectName("quiet")
        self.busy, self.notice, self.empty = Busy(self), Notice(self), EmptyState(self)
        self._theme = BRIGHT
        self.below = Below(self)
        self.limits = Limits(self)
        self.measure_bar = MeasureBar(self)
        self.measure_bar.kept.connect(self.kept)
        self.measure_bar.level_changed.connect(self._level_changed)
        self._level: float | None = None
        self.stack = QStackedWidget(self)
        self.stack.addWidget(self.empty)
        self._blank = QWidget(self)
        self.stack.addWidget(self._blank)
        self.buttons: dict[str, QPushButton] = {}
        self._lay_out()
        self.show_nothing()

    @cached_property
    def _views(self) -> "_Views":
        """Made with the first recording: the first window does not wait for them."""
        from nervus.window.pictures.pair_view import PairView  # noqa: PLC0415 - with a recording
        from nervus.window.pictures.time_view import TimeView  # noqa: PLC0415
        from nervus.window.pictures.travel_view import TravelView  # noqa: PLC0415

        made = _Views(TimeView(self), TravelView(self), PairView(self))
        for view in (made.time, made.travel, made.pair):
            self.stack.addWidget(view)
            view.apply_theme(self._theme)
        made.time.moment.connect(self._at_time)
        made.travel.place.connect(self._at_place)
        made.pair.instant.connect(self._at_time)
        made.time.measured.connect(self._measured)
        made.time.strip.clicked.connect(self.word_clicked)
        made.time.strip.moved.connect(self.word_moved)
        made.time.finding_clicked.connect(self.finding_clicked)
        made.travel.finding_clicked.connect(self.finding_clicked)
        return made

    @property
    def time_view(self) -> "TimeView":
        """What was recorded over time."""
        return self._views.time

    @property
    def travel_view(self) -> "TravelView":
        """What was recorded over travel."""
        return self._views.travel

    @property
    def pair_view(self) -> "PairView":
        """One track over the other."""
        return self._views.pair

    @property
    def views(self) -> "dict[str, Chart]":
        """All three by name."""
        return {OVER_TIME: self.time_view, OVER_TRAVEL: self.travel_view, PAIR: self.pair_view}

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(self._title, 1)
        head.addWidget(self._facts)
        views = QHBoxLayout()
        views.setSpacing(8)
        group = QButtonGroup(self)
        for name in (OVER_TIME, OVER_TRAVEL, PAIR):
            button = QPushButton(say(name), self)
            button.setCheckable(True)
            button.clicked.connect(lambda _checked, name=name: self.show_view(name))
            group.addButton(button)
            views.addWidget(button)
            self.buttons[name] = button
        self.channels = QPushButton("", self)
        self.channels.clicked.connect(self.ask_for_channels)
        views.addWidget(self.channels)
        views.addWidget(self.below.label, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 8, 16, 6)
        column.setSpacing(6)
        column.addLayout(head)
        column.addLayout(views)
        column.addWidget(self.busy)
        column.addWidget(self.notice)
        # Many plots are higher than a small window: then the picture scrolls.
        self._area = scrolled(self.stack, self)
        self._fit_stack()
        column.addWidget(self._area, 1)
        column.addWidget(self.below.differs)
        column.addWidget(self.measure_bar)
        column.addWidget(self.limits)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """What could not have shown leaves the picture most of the height."""
        super().resizeEvent(event)
        self.limits.give(self.height())

    def apply_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        if self._are_made:
            for view in self.views.values():
                view.apply_theme(theme)

    @property
    def _are_made(self) -> bool:
        return "_views" in self.__dict__

    # -- channels ------------------------------------------------------------------------------------

    def ask_for_channels(self) -> "ChannelsDialog | None":
        """Ask which channels are drawn over time; the picture follows."""
        from nervus.window.pictures.channels_dialog import ChannelsDialog  # noqa: PLC0415 - when wanted

        if self._recording is None:
            return None
        self.show_view(OVER_TIME)
        usual = usual_channels(self._recording)
        dialog = ChannelsDialog(self._recording, self.time_view.arranged, usual, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.arranged.connect(self._arrange)
        dialog.open()
        return dialog

    def _arrange(self, arranged: Arranged) -> None:
        self.time_view.arrange(arranged)
        self.time_view.lay_under(self.below.under, self.below.shift_s)
        self._fit_stack()
        self._tell_channels()

    def _tell_channels(self) -> None:
        """How many of the channels are drawn; nothing is hidden without a word."""
        count = len(self._recording.channels) if self._recording is not None else 0
        self.channels.setText(
            say("channels · {len} of {count}", len=len(self.time_view.arranged.channels), count=count)
        )
        over_time = self.stack.currentWidget() is self.time_view
        self.channels.setVisible(over_time and count > _FEW_CHANNELS)

    # -- measuring ---------------------------------------------------------------------------------

    @property
    def measures(self) -> bool:
        """Whether two cursors stand in the picture."""
        return self._are_made and bool(self.time_view.rulers)

    def toggle_measure(self) -> None:
        """Two cursors over time, or none any more."""
        on = self._recording is not None and not self.measures
        if on:
            self.show_view(OVER_TIME)
        self.time_view.measure(on=on)
        self.measure_bar.setVisible(on)
        self.limits.setVisible(not on)

    def choose_ruler(self, number: int) -> None:
        """Which cursor the keys move."""
        self.time_view.active = number

    def step_ruler(self, how: str, by: int) -> None:
        """Move the cursor in hand by a sample, or to the next event or edge of the first track."""
        from nervus.drawn.measuring import stepped  # noqa: PLC0415 - with a recording

        if self._recording is None or self._examination is None or not self.measures:
            return
        number = self.time_view.active
        now = self.time_view.rulers[number]
        to = stepped(self._recording, self._examination, how, now, by)
        if to is not None:
            self.time_view.put_ruler(number, to)

    def _level_changed(self, level: float | None) -> None:
        self._level = level
        if self.measures:
            self._measured(*self.time_view.rulers)

    def _measured(self, first_s: float, second_s: float) -> None:
        from nervus.drawn.measuring import between  # noqa: PLC0415 - with a recording

        if self._recording is not None and self._examination is not None:
            found = between(self._recording, self._examination, first_s, second_s, self._level)
            self.measure_bar.show_between(self._title.whole, found)

    def show_nothing(self) -> None:
        """No recording is open."""
        if self._are_made:
            self.time_view.measure(on=False)
        self.measure_bar.hide()
        self._recording = self._examination = None
        self._title.setText("")
        self._facts.setText("")
        self._facts.setToolTip("")
        self._facts.setAccessibleDescription("")
        self.limits.show_text("")
        for button in self.buttons.values():
            button.hide()
        self.channels.hide()
        self.stack.setCurrentWidget(self.empty)

    def wait(self) -> None:
        """Something is being opened: until it is there no screen says that nothing is."""
        if self.stack.currentWidget() is self.empty:
            self.stack.setCurrentWidget(self._blank)

    def no_more_waiting(self) -> None:
        """Nothing is being opened any more: what was said before holds again."""
        if self.stack.currentWidget() is self._blank:
            self.stack.setCurrentWidget(self.empty)

    def show_recording(
        self, title: str, recording: Recording, analysis: "Analysis", pictures: "Pictures | None" = None
    ) -> None:
        """Show a recording in both views; the one that was shown stays."""
        from nervus.drawn.pictures import Pictures  # noqa: PLC0415 - with a recording

        self._title.setText(title)
        self._tell(recording, analysis)
        drawn = pictures or Pictures(recording, analysis.examination)
        self.time_view.show_recording(recording, analysis.examination, drawn)
        self.travel_view.show_recording(recording, analysis.examination, drawn)
        self.pair_view.show_recording(recording, analysis.examination, drawn)
        self.notice.hide()
        self.measure_bar.hide()
        self.limits.show()
        self.below.under = None
        self._tell_below()
        for button in self.buttons.values():
            button.show()
        self.buttons[PAIR].setVisible(self.pair_view.has_pair)
        self._tell_channels()
        if not self.pair_view.has_pair and self.stack.currentWidget() is self.pair_view:
            self.show_view(OVER_TRAVEL)
        if self.stack.currentWidget() in (self.empty, self._blank):
            has_passes = bool(analysis.examination.passes)
            self.show_view(OVER_TRAVEL if has_passes else OVER_TIME)

    def _tell(self, recording: Recording, analysis: "Analysis") -> None:
        self._recording, self._examination = recording, analysis.examination
        self._facts.setText(_facts(analysis.examination))
        measured = "\n".join(map(how_measured, analysis.examination.channels))
        self._facts.setToolTip(measured)
        self._facts.setAccessibleDescription(measured)
        self.limits.show_analysis(analysis)

    def show_anew(self, recording: Recording, analysis: "Analysis", pictures: "Pictures | None") -> bool:
        """Tell the recording that is shown as it is judged now; whether it had to be drawn anew.

        Where the pictures show the same, cursors and what lies below stay.
        """
        if self._examination is not None and _drawn(self._examination) == _drawn(analysis.examination):
            self._tell(recording, analysis)
            return False
        self.show_recording(self._title.text(), recording, analysis, pictures)
        return True

    def lay_under(self, under: "Under | None") -> None:
        """Draw another recording below this one in all views, over time from the first sweep on."""
        if self._examination is None:
            return
        self.below.put(under, self._examination)
        self.time_view.lay_under(under, self.below.shift_s)
        self.travel_view.lay_under(under)
        self.pair_view.lay_under(under)
        self._tell_below()

    def _tell_below(self) -> None:
        self.below.tell(over_time=self.stack.currentWidget() is self.time_view)

    def shift_under(self, share: float) -> None:
        """Move what lies below by a share of what is shown."""
        if self.below.under is not None:
            low, high = self.time_view.visible()
            self._put_shift(self.below.shift_s + share * (high - low))

    def align_under(self) -> None:
        """What lies below at cursor B moves to cursor A; without cursors the first sweeps meet again."""
        if self.below.under is not None and self._examination is not None:
            self._put_shift(self.below.aligned(self._examination, self.time_view.rulers))

    def _put_shift(self, shift_s: float) -> None:
        self.below.shift_s = shift_s
        self.time_view.shift_under(shift_s)
        self._tell_below()

    def show_view(self, name: str) -> None:
        """Change to a view."""
        if self._recording is None or (name == PAIR and not self.pair_view.has_pair):
            return
        self.buttons[name].setChecked(True)
        self.stack.setCurrentWidget(self.views[name])
        self._fit_stack()
        self._tell_channels()
        self._tell_below()

    def _fit_stack(self) -> None:
        """The picture scrolls for many plots over time, and in a low window; else it takes the room."""
        shown = self.stack.currentWidget()
        drawn = self._are_made and shown in self.views.values()
        needs = self.time_view.needs if drawn and shown is self.time_view else 0
        self.stack.setMinimumHeight(max(needs, _LEAST_HEIGHT if drawn else 1))

    def next_view(self) -> None:
        """Change to the next view that this recording has."""
        names = [n for n in self.views if n != PAIR or self.pair_view.has_pair]
        shown = next((i for i, n in enumerate(names) if self.views[n] is self.stack.currentWidget()), 0)
        self.show_view(names[(shown + 1) % len(names)])

    @property
    def chart(self) -> "Chart":
        """The view that is shown, for zooming and panning."""
        shown = self.stack.currentWidget()
        return next((v for v in self.views.values() if v is shown), self.time_view)

    def select(self, number: int | None) -> None:
        """Mark a finding in both views and go to it; what this recording does not have marks nothing."""
        if self._examination is None or not 0 <= (number or 0) < len(self._examination.findings):
            number = None
        self.time_view.select(number)
        self.travel_view.select(number)
        if number is not None and self._recording is not None and self._examination is not None:
            finding = self._examination.findings[number]
            place = getattr(finding, "travel_pct", None)
            if finding.times_s:
                self._at_time(finding.times_s[0][0])
            elif place is not None:
                self._at_place(sum(place) / 2.0)

    def _at_time(self, time_s: float) -> None:
        from nervus.window.pictures.time_view import volts_at  # noqa: PLC0415 - with a recording

        if self._recording is None or self._examination is None:
            return
        travel = self._examination.travel
        place = 0.0
        if travel is not None:
            index = min(int(travel.time_s.searchsorted(time_s)), travel.percent.size - 1)
            place = float(travel.percent[index])
        self.moment.emit(place, volts_at(self._recording, time_s))

    def _at_place(self, percent: float) -> None:
        from nervus.window.pictures.travel_view import healthy_volts  # noqa: PLC0415 - with a recording

        if self.travel_view.sensor is not Sensor.THROTTLE:
            return  # a place of the pedal's travel says nothing of where the plate is
        travel = self._examination.travel if self._examination is not None else None
        frames: Mapping[str, object] = travel.frames if travel is not None else {}
        self.moment.emit(percent, healthy_volts(dict(travel.frames), percent) if frames else {})  # type: ignore[union-attr] # frames only with a travel


def _drawn(examination: "Examination") -> object:
    """What of an examination the pictures show: where findings are, passes, frames of the travel."""
    travel = examination.travel
    marked = [(f.channels, f.times_s, getattr(f, "travel_pct", None)) for f in examination.findings]
    return marked, examination.passes, travel.frames if travel is not None else None


def _facts(examination: "Examination") -> str:
    rates = [c.rate_hz for c in examination.channels if c.id.startswith("tps")]
    rate = max(rates or [c.rate_hz for c in examination.channels])
    count = len(examination.passes)
    passes = say_many("{count} pass", "{count} passes", count)
    return say(
        "{passes} · {rate:.0f} samples a second · {duration_s:.0f} s",
        passes=passes,
        rate=rate,
        duration_s=examination.duration_s,
    )
