"""What goes wrong on a link; each is told in one sentence."""

from nervus.domain.errors import OutsideError
from nervus.language import say


class LinkLost(OutsideError):
    """The adapter, the meter or the stand-in can't be reached any more."""


class NoAnswer(OutsideError):
    """A control unit did not answer in time."""


class Refused(OutsideError):
    """A control unit answered in the negative (ISO 14229-1, annex A).

    Attributes:
        service: what was asked for.
        reason: the negative response code.
    """

    def __init__(self, service: int, reason: int) -> None:
        said = REASONS.get(reason, say("without a reason that is known here"))
        super().__init__(
            say(
                "The control unit refuses service {service:02X}: {said} ({reason:02X}).",
                service=service,
                said=said,
                reason=reason,
            )
        )
        self.service = service
        self.reason = reason


class NotNow(OutsideError):
    """What the vehicle does now forbids what was wanted; nothing was sent."""


class Garbled(OutsideError):
    """An answer that does not fit its question."""


REASONS = {
    0x10: say("refused in general"),
    0x11: say("it does not know the service"),
    0x12: say("it does not know the function"),
    0x13: say("the length or form is not what it expects"),
    0x14: say("the answer would be too long"),
    0x21: say("it is busy"),
    0x22: say("its conditions for that are not met"),
    0x24: say("the order of requests is wrong"),
    0x31: say("what was asked for is out of its range"),
    0x33: say("it wants security access first"),
    0x72: say("it failed while doing it"),
    0x78: say("it needs more time"),
    0x7E: say("it does not do that in this session"),
    0x7F: say("it does not offer the service in this session"),
}
