"""Errors of the product, and whose fault each is.

The tree::

NervusError
+-- OutsideError             the world: shown as one sentence, what was there is kept
|    +-- RecordingUnusable   a recording can't be read as one; says where and what would do
|    +-- ProfileUnusable     a throttle profile can't be used; says which field and why
|    +-- KnowledgeUnusable   a data file that ships with the product is damaged
+-- Stopped                  the user asked long work to stop; nothing is half done
anything else                 our bug: shown with its traceback in the log, "please report"
"""

from dataclasses import dataclass

from nervus.language import say


class NervusError(Exception):
    """Anything that Nervus says itself."""


class OutsideError(NervusError):
    """The world's fault; `str()` of it is one sentence fit for a technician."""


@dataclass(frozen=True, slots=True)
class Place:
    """Where in a file something is wrong; what is not known stays `None`."""

    file: str
    line: int | None = None
    column: str | None = None

    def __str__(self) -> str:
        parts = [self.file]
        if self.line is not None:
            parts.append(say("line {line}", line=self.line))
        if self.column is not None:
            parts.append(say("column {column}", column=self.column))
        return ", ".join(parts)


class RecordingUnusable(OutsideError):
    """A file that can't be used as a recording.

    Attributes:
        place: file, line and column, as far as they are known.
        wrong: what is wrong, without a full stop.
        accepted: what would be accepted instead, without a full stop.
    """

    def __init__(self, place: Place, wrong: str, accepted: str) -> None:
        super().__init__(f"{place}: {wrong}; {accepted}.")
        self.place = place
        self.wrong = wrong
        self.accepted = accepted

    @classmethod
    def only_codes(cls, name: str, codes: list[str]) -> "RecordingUnusable":
        """A log of traffic in which no value was asked for."""
        told = say("it tells {value} but no value", value=", ".join(codes) or say("nothing"))
        return cls(Place(name), told, say("accepted is a log with values asked for"))


class ProfileUnusable(OutsideError):
    """A throttle profile that can't be found or does not describe a throttle."""


class KnowledgeUnusable(OutsideError):
    """A data file of the product is damaged; the sentence names it."""


class Stopped(NervusError):
    """Raised inside long work when its user pressed stop."""
