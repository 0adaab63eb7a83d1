"""What the pictures of a recording are drawn from, made once, in the background where it is long."""

from dataclasses import dataclass
from functools import cached_property

from nervus.domain.analysis import Examination
from nervus.domain.channel import Channel, Recording, Role, Sensor, Unit
from nervus.drawn.differing import Differing
from nervus.drawn.envelope import Envelope
from nervus.drawn.fold import FoldedTrack, RowMark, fold_track, row_marks
from nervus.drawn.pair import Pair, pair_of


class Pictures:
    """Envelopes, folded tracks, row marks and the pair; each is made when it is first asked for."""

    def __init__(self, recording: Recording, examination: Examination) -> None:
        self._recording, self._examination = recording, examination
        self._marks: dict[Sensor, tuple[RowMark, ...]] = {}
        self._envelopes: dict[str, Envelope] = {}
        self._folds: dict[str, FoldedTrack] = {}

    def prepare(self) -> "Pictures":
        """Make all of it now, off the interface thread; returns itself."""
        for channel in self._recording.channels:
            self.envelope(channel)
        for sensor in Sensor:
            for channel in folded_channels(self._recording, sensor):
                self.fold(channel)
            self.marks(sensor)
        _ = self.pair
        return self

    def envelope(self, channel: Channel) -> Envelope:
        """A channel over time, as much of it as the eye can see."""
        if channel.id not in self._envelopes:
            self._envelopes[channel.id] = Envelope(channel.time_s, channel.values)
        return self._envelopes[channel.id]

    def fold(self, channel: Channel) -> FoldedTrack:
        """A track over travel."""
        if channel.id not in self._folds:
            of = self._examination.seen_from(channel.kind.sensor or Sensor.THROTTLE)
            self._folds[channel.id] = fold_track(channel, of)
        return self._folds[channel.id]

    def marks(self, sensor: Sensor = Sensor.THROTTLE) -> tuple[RowMark, ...]:
        """For each pass of a sensor, where in its travel its findings show."""
        if sensor not in self._marks:
            self._marks[sensor] = row_marks(self._examination, sensor)
        return self._marks[sensor]

    @cached_property
    def pair(self) -> Pair | None:
        """One track beside the other, `None` where there is one alone."""
        return pair_of(self._recording)


@dataclass(frozen=True, slots=True, eq=False)
class Under:
    """A recording that is laid under another one.

    Attributes:
        name: what it is called.
        recording, examination, pictures: it, what was found in it, and what it is drawn from.
        differs: how the one above differs from it over travel, each track that both have.
    """

    name: str
    recording: Recording
    examination: Examination
    pictures: Pictures
    differs: tuple[Differing, ...] = ()

    def shift_to(self, examination: Examination) -> float:
        """By how many seconds it is moved so that the first sweeps of both begin together."""
        passes, own = examination.passes, self.examination.passes
        return passes[0].start_s - own[0].start_s if passes and own else 0.0


def folded_channels(recording: Recording, sensor: Sensor = Sensor.THROTTLE) -> list[Channel]:
    """The tracks that are drawn over travel: in volts if there are such, else as reported."""
    tracks = [c for c in recording.channels if c.kind.sensor is sensor]
    tracks = [c for c in tracks if c.kind.unit is Unit.VOLT] or tracks
    if tracks or sensor is Sensor.PEDAL:
        return tracks
    return list(recording.with_role(Role.POSITION))
