"""The shapes of the data files: one class for each kind of row."""

from typing import Annotated, Literal

import msgspec

from nervus.domain.suspect import SuspectId

Chance = Annotated[float, msgspec.Meta(gt=0.0, le=1.0)]
Id = Annotated[str, msgspec.Meta(pattern="^[A-Za-z0-9_]+$")]
"""A name that jobs and tables keep; it never changes."""
Sentence = Annotated[str, msgspec.Meta(min_length=3)]


class Prior(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How often each suspect turns out to be it, before anything was observed; sums to 1."""

    source: Sentence
    chance: dict[SuspectId, Chance]


class Likelihood(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How probable an observation is if a given suspect is the one.

    Attributes:
        id: the observation.
        says: what it is called in the ledger.
        cause: rows of the same cause are counted once, with the most telling of them.
        source: where the numbers come from.
        chance: for each suspect.
    """

    id: Id
    says: Sentence
    cause: str
    source: Sentence
    chance: dict[SuspectId, Chance]


class FaultLeaf(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One way in which a suspect fails, and the stretch of the signal's way where that would be.

    Attributes:
        suspect: who would have failed.
        stretch: where on the way.
        line: `signal`, `track`, `feed` (supply or ground), or "" for the whole stretch.
        share: how much of the suspect's probability this leaf takes; sums to 1 for a suspect.
        fault: a phrase; `{line}` stands for the line it concerns.
        source: where the share comes from.
    """

    suspect: SuspectId
    stretch: str
    line: str
    share: Chance
    fault: Sentence
    source: Sentence


class TestAdvice(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A test that tells certain suspects apart."""

    suspects: list[SuspectId]
    title: Sentence
    minutes: Annotated[int, msgspec.Meta(gt=0)]
    tells: Sentence
    caution: Sentence
    source: Sentence


class WorkWords(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Words by which a mark speaks of work at the harness."""

    source: Sentence
    words: list[str]


class PedalShare(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How large a share of all faults of lines and of the unit's inputs concerns the pedal's."""

    source: Sentence
    lines: Chance


class Judging(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """All that the judgement needs to know."""

    prior: Prior
    observation: list[Likelihood]
    work: WorkWords
    pedal: PedalShare
    fault: list[FaultLeaf]
    test: list[TestAdvice]

    def likelihood(self, observation: str) -> Likelihood:
        """The row of an observation; an unknown one is a `KeyError`, for it is a bug of ours."""
        for row in self.observation:
            if row.id == observation:
                return row
        raise KeyError(observation)


class TrackRow(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One sensor track of a profile file."""

    closed_v: float
    open_v: float
    closed_window_v: tuple[float, float]
    open_window_v: tuple[float, float]


class ProfileFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A throttle profile as it is written in a file."""

    id: Annotated[str, msgspec.Meta(pattern=r"^[a-z0-9][a-z0-9-]*$")]
    title: Sentence
    kind: str
    supply_v: Annotated[float, msgspec.Meta(gt=0.0, le=30.0)]
    disagreement_pct: Annotated[float, msgspec.Meta(gt=0.0, le=100.0)]
    disagreement_s: Annotated[float, msgspec.Meta(ge=0.0)]
    provenance: Sentence
    track: Annotated[list[TrackRow], msgspec.Meta(min_length=1, max_length=2)]
    sensor: str = "unknown"


class Parameter(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A value that a control unit reports: `value = raw * scale + offset`.

    Attributes:
        pid: its number in service 01.
        size: how many bytes it has, big end first.
        scale: of the channel's unit for one step.
        offset: in the channel's unit.
        channel: the channel that it fills.
        says: what the standard calls it.
        keep: asked for in every n-th round.
    """

    pid: Annotated[int, msgspec.Meta(ge=1, le=255)]
    size: Annotated[int, msgspec.Meta(ge=1, le=4)]
    scale: float
    offset: float
    channel: str
    says: Sentence
    keep: Annotated[int, msgspec.Meta(ge=1)]

    def value(self, raw: bytes) -> float:
        """What these bytes say, in the channel's unit."""
        return int.from_bytes(raw, "big") * self.scale + self.offset

    def raw(self, value: float) -> bytes:
        """The bytes that say a value, the nearest and within what they can say."""
        steps = round((value - self.offset) / self.scale)
        return min(max(steps, 0), (1 << 8 * self.size) - 1).to_bytes(self.size, "big")


class Parameters(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """All values that are worth asking for."""

    source: Sentence
    parameter: tuple[Parameter, ...]


class KnownCode(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A standardised trouble code.

    Attributes:
        code: as it is written, without a failure type.
        says: what it means, in our own words.
        group: which part of the system it is about.
        compares: what its monitor compares with what.
        line: the line or part that it names, "" where it names none.
        limit: usual limit and time, "" where there is none.
        level: "low" or "high" where it says that a value is too low or too high, else "".
        follows: groups whose faults can bring it about; `tracks range` and `pedal range` are the
            codes of single tracks only.
    """

    code: str
    says: Sentence
    group: str
    compares: Sentence
    line: str = ""
    limit: str = ""
    level: Literal["", "low", "high"] = ""
    follows: tuple[str, ...] = ()


class KnownCodes(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """All codes that are known."""

    source: Sentence
    code: tuple[KnownCode, ...]


class ToldRow(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A symptom or a condition that can be chosen.

    Attributes:
        id: its name in a job.
        title: as it is said.
        chance: how often each fault is told so.
        throttle: the kind of throttle it concerns, "" for both.
        caution: what to mind when it is told.
        words: free words that tell it, where nothing was chosen; with a star, how they begin.
    """

    id: Id
    title: Sentence
    chance: dict[str, Chance]
    throttle: str = ""
    caution: str = ""
    words: tuple[str, ...] = ()


class ComplaintRows(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """All that can be told of a vehicle."""

    source: Sentence
    symptom: tuple[ToldRow, ...]
    condition: tuple[ToldRow, ...]


class LookItem(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One thing to look at.

    Attributes:
        id: its name in a job.
        title: how it should be.
        bad: how it is called where it is not so.
        stretch: where on the signal's way it lies, "" where it does not.
        minutes: about how long it takes.
        caution: stands at the step.
        when_bad: chance of seeing it bad with each fault.
        throttle: the kind of throttle it concerns, "" for both.
    """

    id: Id
    title: Sentence
    bad: Sentence
    stretch: str
    minutes: Annotated[int, msgspec.Meta(gt=0)]
    caution: Sentence
    when_bad: dict[str, Chance]
    throttle: str = ""


class LookItems(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """All that is looked at."""

    source: Sentence
    item: tuple[LookItem, ...]


class CodeEvidence(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Where certain codes point.

    Attributes:
        id: its name.
        cause: of one cause the more particular row speaks.
        codes: the codes of which at least `least` are needed.
        stretches: where on the signal's way they point, the likeliest first.
        least: how many of the codes make it count.
    """

    id: Id
    cause: str
    codes: tuple[str, ...]
    stretches: tuple[str, ...]
    least: Annotated[int, msgspec.Meta(gt=0)] = 1


class CodeEvidenceRows(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Where all codes point."""

    source: Sentence
    evidence: tuple[CodeEvidence, ...]


class ColumnName(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How a channel's column may be called elsewhere; "" among the units is no unit at all.

    A guess is a name that other things are called too: it is proposed, and never taken unasked.
    """

    channel: str
    pattern: str
    units: tuple[str, ...]
    guess: bool = False


class UnitRow(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A unit as it is written, and how it becomes others: value x scale + offset."""

    written: tuple[str, ...]
    unit: str
    scale: dict[str, tuple[float, float]]


class CanBe(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Between which values what lies that a channel of this unit can show, most of the time."""

    unit: str
    low: float
    high: float


class Columns(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How recordings made elsewhere are read."""

    source: Sentence
    missing: tuple[str, ...]
    time_names: str
    range_source: Sentence
    column: tuple[ColumnName, ...]
    unit: tuple[UnitRow, ...]
    can_be: tuple[CanBe, ...]
