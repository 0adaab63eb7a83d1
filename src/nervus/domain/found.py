"""What the analysis of a recording found, as a job keeps it."""

from typing import Annotated

from msgspec import Meta, field

from nervus.domain.entry import Chance, Entry, Identifier, Name, Record, Words
from nervus.domain.suspect import SuspectId

CELLS = 50
"""Into so many stretches of equal length the travel is divided to count passes over each."""


class KeptObservation(Record, frozen=True, kw_only=True):
    """What a recording gave to the judgement, whole: it stays true when the knowledge moves on.

    Attributes:
        says: the phrase in the ledger.
        cause: observations of one cause are counted once.
        confidence: how sure it was seen.
        source: where the likelihoods come from.
        chance: of seeing it, for each suspect.
    """

    says: Words
    cause: Name
    confidence: Chance
    source: Words
    chance: dict[SuspectId, Chance]


class SeenPlace(Record, frozen=True, kw_only=True):
    """A worn place: of `crossed` passes so many showed it.

    Attributes:
        channel: of the track.
        travel_pct: from and to, in percent of travel.
        seen_in, crossed: passes.
    """

    channel: Name
    travel_pct: tuple[float, float]
    seen_in: Annotated[int, Meta(ge=0)]
    crossed: Annotated[int, Meta(ge=0)]


class KeptCause(Record, frozen=True, kw_only=True):
    """One of several faults that a recording shows.

    Attributes:
        says: which observations are of it.
        tracks: how its findings weigh on each track, summing to 1.
        feeds: the same for supply and ground.
    """

    says: tuple[Words, ...]
    tracks: dict[int, Chance] = field(default_factory=dict)
    feeds: dict[Name, Chance] = field(default_factory=dict)


class Findings(Entry, frozen=True, kw_only=True, tag="findings"):
    """What the analysis of a recording found, as it stood then.

    Attributes:
        recording: the entry it was found in.
        headline: what the recording alone says.
        findings: each in a phrase.
        observations: what it gave to the judgement.
        tracks: how the findings weigh on each track, summing to 1.
        feeds: the same for supply and ground.
        bouts: of interruptions that know nothing of each other.
        places: worn places.
        crossed: passes over each of `CELLS` equal stretches of the travel.
        causes: the faults that must be there by themselves, where there are several.
    """

    recording: Identifier
    headline: Words
    findings: tuple[Words, ...] = ()
    observations: tuple[KeptObservation, ...] = ()
    tracks: dict[int, Chance] = field(default_factory=dict)
    feeds: dict[Name, Chance] = field(default_factory=dict)
    bouts: Annotated[int, Meta(ge=0)] = 0
    places: tuple[SeenPlace, ...] = ()
    crossed: tuple[Annotated[int, Meta(ge=0)], ...] = ()
    causes: tuple[KeptCause, ...] = ()
