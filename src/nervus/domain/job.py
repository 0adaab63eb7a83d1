"""A job: one vehicle's complaint until it is proved mended, with all that was seen and done in it.

What happens in a job is a row of entries, each with its time and where it came from. They are plain
values: an entry that is corrected is replaced by another of the same identifier.
"""

import os
from datetime import UTC, date, datetime
from enum import StrEnum
from typing import Annotated, TypeVar

from msgspec import Meta, field

from nervus.domain.beside import KnownGood, Marked, Noted
from nervus.domain.entry import (
    LONGEST_WORDS,
    Chance,
    Digest,
    Entry,
    FileName,
    Identifier,
    Instant,
    Name,
    Record,
    Source,
    Words,
)
from nervus.domain.found import CELLS, Findings, KeptCause, KeptObservation, SeenPlace
from nervus.domain.plug import Face, Label, MeterUsed, PlugEnd
from nervus.domain.profile import ThrottleKind
from nervus.domain.repair import Compared, Cost, Stayed, TakenOff, Watch
from nervus.domain.setting import Guided, Setting
from nervus.domain.shaking import Shaken


class JobState(StrEnum):
    """What a job waits for."""

    OPEN = "open"
    WAITING = "waiting"
    WATCHING = "watching"
    CAME_BACK = "came back"
    MENDED = "mended"


class Moment(StrEnum):
    """When in a job a set of codes was read."""

    FOUND = "as found"
    CLEARED = "after clearing"
    REPAIRED = "after a repair"


class CodeState(StrEnum):
    """What a control unit or a report says of a code."""

    STORED = "stored"
    PENDING = "pending"
    PERMANENT = "permanent"
    HISTORY = "history"


class Seen(StrEnum):
    """The outcome of a look at one item."""

    GOOD = "good"
    BAD = "bad"
    NOT_SEEN = "not seen"


class Vehicle(Record, frozen=True, kw_only=True, omit_defaults=True):
    """A vehicle as its keeper calls it; no make, no number plate is needed to judge a throttle.

    Attributes:
        id: the same in every job that is about it.
        name: what it is called.
        description: what it is.
        throttle: how its plate is moved, where that is known.
        profile: the throttle profile that its recordings are held against; "" where nobody chose one.
    """

    id: Identifier
    name: Name
    description: Name = ""
    throttle: ThrottleKind | None = None
    profile: Name = ""


class Complaint(Entry, frozen=True, kw_only=True, tag="complaint"):
    """What the vehicle does, and when: rows of the knowledge, and free words."""

    symptoms: tuple[Name, ...] = ()
    conditions: tuple[Name, ...] = ()
    words: Words = ""


class SeenCode(Record, frozen=True, kw_only=True):
    """A trouble code as it was told.

    Attributes:
        code: in its usual notation, with the failure type where there is one.
        module: the control unit, as it was named.
        states: stored, pending, permanent, history, as far as it is each.
        status: the status byte of ISO 14229-1, where it was told.
        frame: the freeze frame, by channel.
        says: what the source said of it, in its words.
    """

    code: Annotated[str, Meta(pattern=r"^[PCBU][0-3][0-9A-F]{3}(-[0-9A-F]{2})?$")]
    module: Name = ""
    states: tuple[CodeState, ...] = ()
    status: Annotated[int, Meta(ge=0, le=255)] | None = None
    frame: dict[Name, float] = field(default_factory=dict)
    says: Words = ""


class CodeSet(Entry, frozen=True, kw_only=True, tag="codes"):
    """All codes that were there at one moment; none is a result too, where all units told so.

    Attributes:
        moment: when in the job they were read.
        codes: those that were told.
        missing: what was not told, unit by unit, in words; a silence is no "none".
    """

    moment: Moment = Moment.FOUND
    codes: tuple[SeenCode, ...] = ()
    missing: tuple[Words, ...] = ()


class Identified(Entry, frozen=True, kw_only=True, tag="identity"):
    """What a control unit told of itself.

    Attributes:
        module: the control unit, as it was named.
        vehicle: the vehicle's identification number.
        calibration: of its program.
        name: what it calls itself.
    """

    module: Name = ""
    vehicle: Name = ""
    calibration: Name = ""
    name: Name = ""


class Look(Entry, frozen=True, kw_only=True, tag="look"):
    """One item that was looked at."""

    item: Name
    seen: Seen
    note: Words = ""
    photos: tuple[FileName, ...] = ()


class Reading(Entry, frozen=True, kw_only=True, tag="reading"):
    """One measured value with its place, unit and conditions.

    Attributes:
        where: in words.
        value: as the meter showed it; 0 for “nothing”.
        unit: such as `V` or `Ω`.
        conditions: in words, such as `key on, plug off`.
        plug: whose pins the probes were on, where it was measured from pin to pin.
        red: the pin under the red probe, "" where no pin was named.
        black: the pin under the black one, "" for battery negative.
        signed: whether the polarity was written down.
        nothing: whether “nothing” was said: no voltage, or no continuity.
    """

    where: Name
    value: float
    unit: Name
    conditions: Name = ""
    plug: PlugEnd | None = None
    red: Label | None = None
    black: Label | None = None
    signed: bool = True
    nothing: bool = False


UNFINISHED = "0" * 64
"""The digest of a recording that is still being written, or was cut off while it was."""


class Recorded(Entry, frozen=True, kw_only=True, tag="recording"):
    """A recording that belongs to the job, from its first sample on.

    Attributes:
        name: what it is called.
        file: beside the logbook, or in the bundle.
        digest: of the file's bytes, `UNFINISHED` while they are being written.
        duration_s: 0 while it is not known.
        channels: what was recorded; empty while it is not known.
        original: the file that it was made from, where that was another program's.
    """

    name: Name
    file: FileName
    digest: Digest
    duration_s: float = 0.0
    channels: tuple[Name, ...] = ()
    original: FileName | None = None


class Change(Entry, frozen=True, kw_only=True, tag="change"):
    """Anything done to the vehicle: moved, cleaned, unplugged, renewed, set.

    Attributes:
        done: in words.
        cures: the fault that it is meant to cure, by its name in the fault tree, or "".
        shown_by: the test that will show it, by its name or in words.
        swapped_back: a known good spare was fitted and taken out again: a test, and no change.
    """

    done: Words
    cures: Name = ""
    shown_by: Name = ""
    swapped_back: bool = False


class Decision(Entry, frozen=True, kw_only=True, tag="decision"):
    """What was decided, with the judgement as it stood then.

    Attributes:
        words: what was decided, and why.
        suspects: each with its probability.
        headline: what the judgement said.
        faults: the most probable single faults.
        because: what spoke for and against the first suspect, each with its factor.
        next_test: what was advised.
    """

    words: Words
    suspects: dict[Name, Chance] = field(default_factory=dict)
    headline: Words = ""
    faults: dict[Name, Chance] = field(default_factory=dict)
    because: tuple[Words, ...] = ()
    next_test: Words = ""


class Moved(Entry, frozen=True, kw_only=True, tag="state"):
    """The job went into another state.

    Attributes:
        state: the one it is in now.
        due: the day to come back to it.
        words: why, where something speaks against it.
        tentative: whether it was called mended before the plan of the watch was met.
        about: the change that did not hold, where it came back.
    """

    state: JobState
    due: date | None = None
    words: Words = ""
    tentative: bool = False
    about: Identifier | None = None


AnyEntry = (
    Complaint
    | CodeSet
    | Identified
    | Look
    | Reading
    | Face
    | MeterUsed
    | Setting
    | Guided
    | Recorded
    | Findings
    | Noted
    | Marked
    | KnownGood
    | Shaken
    | Change
    | TakenOff
    | Compared
    | Watch
    | Stayed
    | Cost
    | Decision
    | Moved
)


class Job(Record, frozen=True, kw_only=True):
    """One vehicle's complaint, with its entries in the order of their time."""

    id: Identifier
    vehicle: Vehicle
    opened: Instant
    entries: tuple[AnyEntry, ...] = ()

    @property
    def complaint(self) -> Complaint | None:
        """What was told last."""
        told = of_kind(self.entries, Complaint)
        return told[-1] if told else None

    @property
    def state(self) -> JobState:
        """The state it is in."""
        moved = of_kind(self.entries, Moved)
        return moved[-1].state if moved else JobState.OPEN

    @property
    def is_proved(self) -> bool:
        """Whether it is mended, and was not called so before the watch proved it."""
        moved = of_kind(self.entries, Moved)
        return bool(moved) and moved[-1].state is JobState.MENDED and not moved[-1].tentative

    @property
    def due(self) -> date | None:
        """The day to come back to it."""
        moved = of_kind(self.entries, Moved)
        return moved[-1].due if moved else None


E_ = TypeVar("E_", bound=Entry)


def of_kind(entries: tuple[AnyEntry, ...], kind: type[E_]) -> tuple[E_, ...]:
    """The entries of one kind, in their order."""
    return tuple(entry for entry in entries if isinstance(entry, kind))


def new_id() -> str:
    """An identifier that no other has."""
    return os.urandom(8).hex()


def now() -> datetime:
    """This instant, to the second, in UTC."""
    return datetime.now(UTC).replace(microsecond=0)


def new_vehicle(name: str, description: str = "", throttle: ThrottleKind | None = None) -> Vehicle:
    """A vehicle that is in no logbook yet."""
    return Vehicle(id=new_id(), name=name, description=description, throttle=throttle)


__all__ = [
    "CELLS",
    "LONGEST_WORDS",
    "UNFINISHED",
    "AnyEntry",
    "Chance",
    "Change",
    "CodeSet",
    "CodeState",
    "Compared",
    "Complaint",
    "Cost",
    "Decision",
    "Digest",
    "Entry",
    "Face",
    "FileName",
    "Findings",
    "Guided",
    "Identified",
    "Identifier",
    "Instant",
    "Job",
    "JobState",
    "KeptCause",
    "KeptObservation",
    "KnownGood",
    "Look",
    "Marked",
    "MeterUsed",
    "Moment",
    "Moved",
    "Name",
    "Noted",
    "Reading",
    "Record",
    "Recorded",
    "Seen",
    "SeenCode",
    "SeenPlace",
    "Setting",
    "Shaken",
    "Source",
    "Stayed",
    "TakenOff",
    "Vehicle",
    "Watch",
    "Words",
    "new_id",
    "new_vehicle",
    "now",
    "of_kind",
]
