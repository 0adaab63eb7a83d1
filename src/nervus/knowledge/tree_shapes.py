"""The shapes of the data files about single faults: tree, likelihoods, tests, repairs, changes."""

from typing import Annotated, Literal

import msgspec

from nervus.domain.suspect import SuspectId
from nervus.knowledge.shapes import Id, Sentence

Share = Annotated[float, msgspec.Meta(ge=0.0, le=1.0)]
ByFault = dict[str, Share]
"""A chance by the id of a fault, a class, a suspect, or `others`; the most particular name counts."""
Minutes = Annotated[float, msgspec.Meta(ge=0.0)]
Money = Annotated[float, msgspec.Meta(ge=0.0)]


class Row(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """The base of all rows."""


class Fault(Row, frozen=True, kw_only=True):
    """One way in which something fails.

    Attributes:
        id: its name.
        suspect: the component that it belongs to.
        stretch: where on the signal's way it lies, "" where it does not.
        line: the line or track that it concerns, "" where none.
        text: what one would say of it.
        classes: what tables may name it by, the most particular first.
        prior: how often it is the one, before anything is told; of all that a throttle can have the
            shares are made to sum to 1.
        always: the chance that it shows whenever one looks.
        throttle: the kind of throttle that can have it, "" for both.
    """

    id: Id
    suspect: SuspectId
    stretch: str
    line: str
    text: Sentence
    classes: tuple[str, ...]
    prior: Annotated[float, msgspec.Meta(gt=0.0, le=1.0)]
    always: Share
    throttle: str = ""


class FaultRows(Row, frozen=True, kw_only=True):
    """The fault tree."""

    source: Sentence
    fault: tuple[Fault, ...]


class CodeChance(Row, frozen=True, kw_only=True):
    """Which codes the faults of certain names set.

    Attributes:
        of: faults, classes or suspects.
        codes: the chance of each, once any was set.
        any: the chance that any was set; what was said before where it is `None`.
    """

    of: tuple[str, ...]
    codes: dict[str, Share]
    any: Share | None = None


class CodeChances(Row, frozen=True, kw_only=True):
    """Which codes all faults set.

    Attributes:
        stray: the chance of a code that has nothing to do with the fault.
        worth: how many counted jobs a chance of the table is worth.
    """

    source: Sentence
    stray: Share
    worth: Annotated[float, msgspec.Meta(gt=0.0)]
    row: tuple[CodeChance, ...]


class FrameEngine(Row, frozen=True, kw_only=True):
    """How the engine ran as a code was set.

    Attributes:
        id: its name.
        text: the same in words.
        below_rpm: it ran slower than that, and no slower than the row before says.
        always: the chance with a fault that is always there.
        sometimes: the same with one that comes and goes.
        of: what is known better, by fault or class.
    """

    id: Id
    text: Sentence
    below_rpm: Annotated[float, msgspec.Meta(gt=0.0)]
    always: Share
    sometimes: Share
    of: ByFault


class FrameValue(Row, frozen=True, kw_only=True):
    """What else a freeze frame may hold.

    Attributes:
        text: in words.
        channel: whose value.
        below: what it lies below.
        engine: `standing` or `turning` where it is asked only then, "" where always.
        chance: of it, by fault.
    """

    text: Sentence
    channel: str
    below: float
    engine: Literal["", "standing", "turning"]
    chance: ByFault


class FrameTable(Row, frozen=True, kw_only=True):
    """What freeze frames tell.

    Attributes:
        slip: how often a frame says nothing of the fault.
        engine: how the engine ran, the slowest first.
        value: what else.
    """

    source: Sentence
    slip: Share
    engine: tuple[FrameEngine, ...]
    value: tuple[FrameValue, ...]


class RecordingChances(Row, frozen=True, kw_only=True):
    """What recordings show of faults.

    Attributes:
        mistake: the chance of any row where no fault shows.
        worth: how many counted recordings a chance of the table is worth.
        swept_part: what is left of `shows` where part of the travel was swept: of what is bound to a
            place, and of all else.
        hardly_moved: the same where the plate hardly moved.
        placed: classes of what is bound to a place.
        shows: the chance that a thorough recording shows the fault.
        seen: of each row of `judging.toml`, where it does.
        pedal: the same of the rows about the pedal.
    """

    source: Sentence
    mistake: Share
    worth: Annotated[float, msgspec.Meta(gt=0.0)]
    swept_part: tuple[Share, Share]
    hardly_moved: tuple[Share, Share]
    placed: tuple[str, ...]
    shows: ByFault
    seen: dict[str, ByFault]
    pedal: dict[str, ByFault]


class KnownChange(Row, frozen=True, kw_only=True):
    """Something that is done to a vehicle.

    Attributes:
        id: its name.
        part: words of which one names the part.
        verbs: names of the lists of verbs of which one fits.
        cures: the chance that it cures each fault.
    """

    id: Id
    part: tuple[str, ...]
    verbs: tuple[str, ...]
    cures: ByFault


class Changes(Row, frozen=True, kw_only=True):
    """All known changes, and the verbs that they are told by."""

    source: Sentence
    renewed: tuple[str, ...]
    cleaned: tuple[str, ...]
    seated: tuple[str, ...]
    repaired: tuple[str, ...]
    set: tuple[str, ...]
    cleared: tuple[str, ...]
    change: tuple[KnownChange, ...]

    def verbs(self, name: str) -> tuple[str, ...]:
        """The words of a list of verbs."""
        lists = {
            "renewed": self.renewed, "cleaned": self.cleaned, "seated": self.seated,
            "repaired": self.repaired, "set": self.set, "cleared": self.cleared,
        }  # fmt: skip
        return lists[name]


class Repair(Row, frozen=True, kw_only=True):
    """Something that can be done about a fault; `change` is what it would be in the job.

    `given_back` is the share of this part's price that comes back, `None` where it is as for all parts.
    """

    id: Id
    text: Sentence
    caution: Sentence
    minutes: Minutes
    money: Money
    part: bool
    change: str
    throttle: str = ""
    given_back: Annotated[float, msgspec.Meta(ge=0.0, le=1.0)] | None = None


class Repairs(Row, frozen=True, kw_only=True):
    """All repairs, and what stands around them.

    Attributes:
        minute: what a minute of work costs, in the workshop's own money.
        retest_minutes: after each repair.
        given_back: of a part's price, where it was fitted in vain and is returned, 0 to 1.
        unused_back: of a part's price, where it was ordered ahead and goes back unopened, 0 to 1.
        fetch_minutes: to fetch a part that is needed and not at hand, or to come again with it.
        comeback_money: what a come-back costs besides its minutes.
        comeback_minutes: of work, for a come-back.
        handed_on_money: where nothing that can be done here cured it.
        handed_on_minutes: the same.
    """

    source: Sentence
    minute: Money
    retest_minutes: Minutes
    given_back: Annotated[float, msgspec.Meta(ge=0.0, le=1.0)]
    unused_back: Annotated[float, msgspec.Meta(ge=0.0, le=1.0)]
    fetch_minutes: Minutes
    comeback_money: Money
    comeback_minutes: Minutes
    handed_on_money: Money
    handed_on_minutes: Minutes
    repair: tuple[Repair, ...]


class TestOutcome(Row, frozen=True, kw_only=True):
    """What a test can show, and its chance with each fault."""

    text: Sentence
    chance: ByFault


class KnownTest(Row, frozen=True, kw_only=True):
    """A test.

    Attributes:
        id: its name.
        text: what is done, in a line.
        minutes: about how long it takes.
        caution: stands at the step.
        how: how it is done.
        station: where it is done.
        outcome: what it can show; the last takes what the others leave.
        needs: what must be at hand, "" for nothing of note.
        money: what it costs besides the minutes.
        throttle: the kind of throttle it is for, "" for both.
        prepare: what stands in the line of its station when it is begun, "" for nothing.
    """

    id: Id
    text: Sentence
    minutes: Annotated[float, msgspec.Meta(gt=0.0)]
    caution: Sentence
    how: Sentence
    station: str
    outcome: Annotated[tuple[TestOutcome, ...], msgspec.Meta(min_length=2)]
    needs: str = ""
    money: Money = 0.0
    throttle: str = ""
    prepare: str = ""


class Tests(Row, frozen=True, kw_only=True):
    """All tests that can be advised."""

    source: Sentence
    test: tuple[KnownTest, ...]


class ShakePlace(Row, frozen=True, kw_only=True):
    """A place that a hand can shake.

    Attributes:
        id: the stretch of the signal's way that it is.
        title: what it is called.
        how: what the hand does there.
        caution: what comes first.
        marks: the words of the mark that is set when it begins.
        throttle: the kind of throttle that has it, "" for both.
    """

    id: Id
    title: Sentence
    how: Sentence
    caution: Sentence
    marks: Sentence
    throttle: str = ""


class Shaking(Row, frozen=True, kw_only=True):
    """A wiggle test, place by place.

    Attributes:
        shape, scale_s: of the Gamma distribution of how often a loose contact opens under the hand.
        near: the share of those that answer at their own place which answer at the next one too.
        by_itself_s: in so many seconds what comes and goes lets go once without a hand.
        wrongly: the chance that something sound seems to.
        opening_s: how long an opening lasts.
        answers: the chance that each fault answers at all, at its own place.
    """

    source: Sentence
    shape: Annotated[float, msgspec.Meta(gt=0.0)]
    scale_s: Annotated[float, msgspec.Meta(gt=0.0)]
    near: Share
    by_itself_s: Annotated[float, msgspec.Meta(gt=0.0)]
    wrongly: Annotated[float, msgspec.Meta(gt=0.0, lt=0.5)]
    opening_s: Annotated[float, msgspec.Meta(gt=0.0)]
    answers: ByFault
    place: tuple[ShakePlace, ...]
