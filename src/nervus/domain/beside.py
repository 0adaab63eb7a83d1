"""What is kept beside a recording, which is never altered: remarks, marks put right, known good."""

from typing import Annotated

from msgspec import Meta

from nervus.domain.entry import Entry, Identifier, Name, Record, Words


class Noted(Entry, frozen=True, kw_only=True, tag="remark"):
    """Words about an instant or a stretch of a recording, or what was measured there.

    Attributes:
        words: what is to be said of it.
        recording: the entry of the recording.
        from_s, to_s: the stretch, in seconds of the recording; the same for an instant.
    """

    words: Words
    recording: Identifier | None = None
    from_s: float = 0.0
    to_s: float = 0.0


class KeptMark(Record, frozen=True, kw_only=True):
    """A mark as it stands now.

    Attributes:
        time_s: its instant, in seconds of the recording.
        text: what was done then.
    """

    time_s: float
    text: Annotated[str, Meta(max_length=500)]


class Marked(Entry, frozen=True, kw_only=True, tag="marks"):
    """All marks of a recording as somebody put them right: moved, renamed, added, taken out.

    Attributes:
        recording: the entry of the recording.
        marks: all of them, instead of those in its file.
    """

    recording: Identifier
    marks: tuple[KeptMark, ...] = ()


class KnownGood(Entry, frozen=True, kw_only=True, tag="known good"):
    """A recording of a healthy vehicle, to hold others against.

    Attributes:
        recording: the entry of the recording.
        name: what it is good for, such as the kind of throttle.
    """

    recording: Identifier
    name: Name = ""
