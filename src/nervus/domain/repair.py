"""What is kept of a repair in a job: what came off, the watch, what was seen, what it cost."""

from enum import StrEnum
from typing import Annotated

from msgspec import Meta

from nervus.domain.entry import Entry, FileName, Identifier, Name, Words

Amount = Annotated[float, Meta(ge=0.0, le=1e9)]
Count = Annotated[int, Meta(ge=0, le=10_000_000)]


class Exposure(StrEnum):
    """What a fault was exposed to while it showed, or did not: one kind is never added to another."""

    WATCHED = "minutes watched"
    SHAKEN = "minutes of shaking"
    DRIVEN = "hours of driving"
    STARTED = "starts"
    WET = "wet mornings"
    PASSES = "passes over the place"

    @property
    def is_counted(self) -> bool:
        """Whether each is a trial that shows it or not; otherwise it is time."""
        return self in (Exposure.STARTED, Exposure.WET, Exposure.PASSES)


class TakenOff(Entry, frozen=True, kw_only=True, tag="taken off"):
    """Something that was taken off or unplugged while working.

    Attributes:
        what: in words.
        guide: the procedure that it came off in, "" where it was typed.
        put_back: whether it is on again.
        waived: why it stays off, in words; "" for no reason.
    """

    what: Name
    guide: Name = ""
    put_back: bool = False
    waived: Words = ""

    @property
    def is_settled(self) -> bool:
        """Whether nobody has to think of it any more."""
        return self.put_back or bool(self.waived)


class Watch(Entry, frozen=True, kw_only=True, tag="watch"):
    """The plan of the watch after a repair.

    Attributes:
        exposure: what is counted.
        events: how often it failed before.
        amount: in how much of the exposure that was.
        sure: with which certainty it is to be called mended.
        conditions: under which it failed, and is watched.
        change: the change that is to be proved.
        channel: of the track with the place, where passes over one are counted.
        travel_pct: that place, from and to.
    """

    exposure: Exposure
    events: Annotated[int, Meta(ge=1, le=10_000_000)]
    amount: Annotated[float, Meta(gt=0.0, le=1e9)]
    sure: Annotated[float, Meta(ge=0.5, le=0.999)] = 0.95
    conditions: Words = ""
    change: Identifier | None = None
    channel: Name = ""
    travel_pct: tuple[float, float] | None = None


class Stayed(Entry, frozen=True, kw_only=True, tag="stayed"):
    """So much was watched after the repair, and so often it showed.

    Attributes:
        exposure: what was counted.
        amount: how much of it.
        events: how often the fault showed.
        words: who saw it, under which conditions.
        recording: the recording that showed it, where it was one.
    """

    exposure: Exposure
    amount: Amount
    events: Count = 0
    words: Words = ""
    recording: Identifier | None = None


class Compared(Entry, frozen=True, kw_only=True, tag="parts beside"):
    """An old part and a new one, side by side.

    Attributes:
        old_number, new_number: as they stand on the parts.
        old_reading, new_reading: a value of each with its unit, in words.
        words: what else is to be said.
        photos: of both.
    """

    old_number: Name = ""
    new_number: Name = ""
    old_reading: Name = ""
    new_reading: Name = ""
    words: Words = ""
    photos: tuple[FileName, ...] = ()


class Cost(Entry, frozen=True, kw_only=True, tag="cost"):
    """What was spent: time, a part, or both."""

    what: Name
    minutes: Annotated[float, Meta(ge=0.0, le=1e6)] = 0.0
    money: Annotated[float, Meta(ge=0.0, le=1e9)] = 0.0
