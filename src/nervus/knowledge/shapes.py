"""The shapes of the data files: one class for each kind of row."""

from typing import Annotated

import msgspec

from nervus.domain.analysis import SuspectId

Chance = Annotated[float, msgspec.Meta(gt=0.0, le=1.0)]
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

    id: str
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


class Judging(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """All that the judgement needs to know."""

    prior: Prior
    observation: list[Likelihood]
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
