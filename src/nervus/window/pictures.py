"""What the pictures of a recording are drawn from, made once, in the background where it is long."""

from functools import cached_property

from nervus.domain.analysis import Examination
from nervus.domain.channel import Channel, Recording, Role
from nervus.window.envelope import Envelope
from nervus.window.fold import FoldedTrack, RowMark, fold_track, row_marks
from nervus.window.pair import Pair, pair_of


class Pictures:
    """Envelopes, folded tracks, row marks and the pair; each is made when it is first asked for."""

    def __init__(self, recording: Recording, examination: Examination) -> None:
        self._recording, self._examination = recording, examination
        self._envelopes: dict[str, Envelope] = {}
        self._folds: dict[str, FoldedTrack] = {}

    def prepare(self) -> "Pictures":
        """Make all of it now, off the interface thread; returns itself."""
        for channel in self._recording.channels:
            self.envelope(channel)
        for channel in folded_channels(self._recording):
            self.fold(channel)
        _ = self.marks, self.pair
        return self

    def envelope(self, channel: Channel) -> Envelope:
        """A channel over time, as much of it as the eye can see."""
        if channel.id not in self._envelopes:
            self._envelopes[channel.id] = Envelope(channel.time_s, channel.values)
        return self._envelopes[channel.id]

    def fold(self, channel: Channel) -> FoldedTrack:
        """A track over travel."""
        if channel.id not in self._folds:
            self._folds[channel.id] = fold_track(channel, self._examination)
        return self._folds[channel.id]

    @cached_property
    def marks(self) -> tuple[RowMark, ...]:
        """For each pass, where in the travel its findings show."""
        return row_marks(self._examination)

    @cached_property
    def pair(self) -> Pair | None:
        """One track beside the other, `None` where there is one alone."""
        return pair_of(self._recording)


def folded_channels(recording: Recording) -> list[Channel]:
    """The tracks that are drawn over travel: in volts if there are such, else as reported."""
    tracks = [c for c in recording.with_role(Role.TRACK) if c.kind.unit == "V"]
    return tracks or list(recording.with_role(Role.TRACK) or recording.with_role(Role.POSITION))
