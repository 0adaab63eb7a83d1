"""What a place of the harness did under the hand: a wiggle test, place by place."""

from typing import Annotated

from msgspec import Meta

from nervus.domain.entry import Chance, Entry, Identifier, Name

Seconds = Annotated[float, Meta(ge=0.0, le=1e6)]


class Shaken(Entry, frozen=True, kw_only=True, tag="shaken"):
    """One place that was shaken while somebody, or something, watched the signals.

    Attributes:
        place: of the nerve, as the table of places names it.
        seconds: for how long it was shaken.
        drops: how often a signal let go meanwhile.
        channels: what was watched; what none of them shows could not be seen.
        let_go: those of them that did, where it is known.
        caught: the share of usual openings that the sampling catches.
        recording: the recording that was made meanwhile, if one was.
    """

    place: Name
    seconds: Seconds
    drops: Annotated[int, Meta(ge=0)] = 0
    channels: tuple[Name, ...] = ()
    let_go: tuple[Name, ...] = ()
    caught: Chance = 1.0
    recording: Identifier | None = None
