"""What came of a question to one control unit: told, refused, silent or broken, never just nothing."""

from dataclasses import dataclass
from enum import StrEnum

from nervus.language import say
from nervus.link.addresses import name_of
from nervus.link.errors import REASONS, Garbled, NoAnswer, Refused

PENDING, BUSY = 0x78, 0x21
# These say that there is no such thing in the unit, not that it keeps something back (ISO 14229-1, A.1).
_NOT_OFFERED = frozenset({0x11, 0x12, 0x31, 0x7E, 0x7F})


class Kind(StrEnum):
    """How a question to one unit ended."""

    TOLD = "told"
    REFUSED = "refused"
    SILENT = "silent"
    BROKEN = "broken"


@dataclass(frozen=True, slots=True)
class Outcome:
    """The end of one question to one unit.

    Attributes:
        kind: how it ended.
        answer: the bytes of a positive answer; what came of a broken one where that is known.
        reason: the negative response code of a refusal; 0x78 of a silence that began with "wait".
        why: what was broken.
    """

    kind: Kind
    answer: bytes = b""
    reason: int = 0
    why: str = ""

    @property
    def is_told(self) -> bool:
        """Whether there is a whole positive answer."""
        return self.kind is Kind.TOLD

    @property
    def is_not_offered(self) -> bool:
        """Whether the unit said that it has no such thing."""
        return self.kind is Kind.REFUSED and self.reason in _NOT_OFFERED

    @property
    def text(self) -> str:
        """In words."""
        if self.kind is Kind.REFUSED:
            return say(
                "refused: {get} ({reason:02X})",
                get=REASONS.get(self.reason, "no reason known here"),
                reason=self.reason,
            )
        if self.kind is Kind.SILENT and self.reason == PENDING:
            return say("asked for more time, then said no more")
        if self.kind is Kind.BROKEN:
            return say("the answer is broken: {why}", why=self.why)
        return {Kind.TOLD: "told", Kind.SILENT: say("no answer")}[self.kind]

    def bytes_or_raise(self, unit: int, request: bytes) -> bytes:
        """The answer.

        Raises:
            NoAnswer, Refused, Garbled: there is none.
        """
        if self.kind is Kind.TOLD:
            return self.answer
        who = name_of(unit).capitalize()
        if self.kind is Kind.REFUSED:
            raise Refused(request[0], self.reason)
        if self.kind is Kind.BROKEN:
            raise Garbled(
                say(
                    "{who} gave a broken answer to {hex}: {why}.",
                    who=who,
                    hex=request.hex(" "),
                    why=self.why,
                )
            )
        more = say(": it asked for more time, then said no more") if self.reason == PENDING else ""
        raise NoAnswer(
            say(
                "{who} does not answer service {request:02X}{more}.",
                who=who,
                request=request[0],
                more=more,
            )
        )


SILENT = Outcome(Kind.SILENT)


def judged(request: bytes, answer: bytes) -> Outcome | None:
    """What an answer is to a request; `None` if it belongs to another.

    "Wait" and "busy" are refusals here (0x78, 0x21): whoever asks knows how to go on.
    """
    service = request[0]
    if len(answer) == 3 and answer[0] == 0x7F:
        return Outcome(Kind.REFUSED, answer, answer[2]) if answer[1] == service else None
    if answer[:1] != bytes([service + 0x40 & 0xFF]):
        return None
    if not _echoes(request, answer):
        return Outcome(Kind.BROKEN, answer, why=say("{hex} is told", hex=answer[:6].hex(" ")))
    return Outcome(Kind.TOLD, answer)


def _echoes(request: bytes, answer: bytes) -> bool:
    """Whether an answer repeats what its service says it must (SAE J1979; ISO 14229-1)."""
    match request[0]:
        case 0x01:
            return answer[1:2] in [request[n : n + 1] for n in range(1, len(request))]
        case 0x02 | 0x09 | 0x19:
            return answer[1:2] == request[1:2]
        case 0x31:
            return answer[1:4] == request[1:4]
        case _:
            return True
