"""The judgement of a whole job: faults and suspects, why, what is not known, and what to do next."""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

from nervus.domain.suspect import SuspectId

if TYPE_CHECKING:
    from nervus.domain.analysis import Judgement


class Outcome(StrEnum):
    """How far a judgement came."""

    CLEAR = "clear"
    BETWEEN = "between"
    NOT_ENOUGH = "not_enough"


@dataclass(frozen=True, slots=True)
class FaultSuspicion:
    """A single fault with the probability that it was there when the vehicle came in."""

    id: str
    suspect: SuspectId
    stretch: str
    line: str
    probability: float
    text: str


@dataclass(frozen=True, slots=True)
class LedgerLine:
    """What one observation did.

    Attributes:
        text: what was observed.
        source: where its chances come from.
        entries: identifiers of the job's entries that it comes from.
        times_as_likely: for each suspect, how many times as likely the observation made it against all
            others. The logarithms of all lines add up to what the evidence did, in any order.
        turns: whether the first suspect would be another without it.
    """

    text: str
    source: str
    entries: tuple[str, ...]
    times_as_likely: Mapping[SuspectId, float]
    turns: bool = False


@dataclass(frozen=True, slots=True)
class Remark:
    """Something about certain entries: two that contradict each other, or what is not weighed."""

    text: str
    entries: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class PossibleOutcome:
    """What a test may show, how probable that is, and who would be suspected then."""

    text: str
    probability: float
    suspects: Mapping[SuspectId, float]
    faults: Mapping[str, float]


@dataclass(frozen=True, slots=True)
class RankedTest:
    """A test that is left, and what it is worth in this case.

    Attributes:
        minutes: about how long it takes.
        money: what it costs besides.
        information_bits: how much less uncertain the suspects are after it, on average.
        saving: of expected cost, in the workshop's money, after the test itself is paid for.
        prepare: what stands in the line of its station when it is begun.
    """

    id: str
    text: str
    minutes: float
    money: float
    information_bits: float
    saving: float
    caution: str
    how: str
    station: str
    prepare: str
    outcomes: tuple[PossibleOutcome, ...]


@dataclass(frozen=True, slots=True)
class PartNeeded:
    """A part that a way of going about it may come to.

    Attributes:
        id: of the repair that fits it, and `text` in words.
        fitted: the chance that it is fitted.
        at_hand: whether having it at hand costs less on average than fetching it when it is needed.
        returned: what bringing it back unused costs, in money.
        fetched: what fetching it then costs.
    """

    id: str
    text: str
    fitted: float
    at_hand: bool
    returned: float
    fetched: float


@dataclass(frozen=True, slots=True)
class School:
    """A way of going about it, and what it costs on average in this case.

    Attributes:
        id: `cheapest_first`, `likeliest_first`, `proof_first` or `proposed`.
        minutes: of work, expected.
        money: for parts and material, expected, without the work.
        cost: both together, in money, with come-backs and what is handed on.
        spread: by how much the cost differs from fault to fault (standard deviation).
        parts_in_vain: parts that are renewed and were sound, expected.
        come_backs: chance that it is taken for mended and is not.
        order: what is done, in this order, in words.
        parts: those that it may come to, the likeliest first; what they cost besides is in the sums.
    """

    id: str
    minutes: float
    money: float
    cost: float
    spread: float
    parts_in_vain: float
    come_backs: float
    order: tuple[str, ...]
    parts: tuple[PartNeeded, ...] = ()


@dataclass(frozen=True, slots=True)
class JobJudgement:
    """All that is said of a job.

    Attributes:
        standing: headline, suspects, ledger and stretches, as any picture of a judgement shows them.
        outcome: how far it came.
        missing: what would have to be known, "" where it is clear.
        turning: what would change the answer most, in words, "" where nothing that is left would.
        faults: single faults, most probable first.
        ledger: every observation.
        contradictions: pairs of observations that do not fit together.
        not_weighed: what is kept and shown, and did not count.
        tests: those that are left, the best first.
        schools: what each way of going about it would cost.
        cured: probability that the fault is gone; `None` where nothing was changed.
    """

    standing: "Judgement"
    outcome: Outcome
    missing: str
    turning: str
    faults: tuple[FaultSuspicion, ...]
    ledger: tuple[LedgerLine, ...]
    contradictions: tuple[Remark, ...]
    not_weighed: tuple[Remark, ...]
    tests: tuple[RankedTest, ...]
    schools: tuple[School, ...]
    cured: float | None = None
