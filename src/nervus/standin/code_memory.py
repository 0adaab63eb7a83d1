"""The control unit's memory of trouble codes: status byte, freeze frame, permanence.

Status bits as in ISO 14229-1, annex D; permanent codes as in SAE J1979 service 0A (from memory): they
outlive a clearing and go only when their monitor has run a whole cycle without failing.
"""

from dataclasses import dataclass, field

from nervus.codes.notation import Code

_FAILED, _FAILED_CYCLE, _PENDING, _CONFIRMED = 0x01, 0x02, 0x04, 0x08
_UNTESTED_CLEAR, _FAILED_CLEAR, _UNTESTED_CYCLE, _LAMP = 0x10, 0x20, 0x40, 0x80
_FRESH = _UNTESTED_CLEAR | _UNTESTED_CYCLE


@dataclass(slots=True)
class Entry:
    """What is known of one code.

    Attributes:
        status: the status byte.
        permanent: whether service 0A tells of it.
        frame: values frozen when it was confirmed, by channel.
    """

    status: int = _FRESH
    permanent: bool = False
    frame: dict[str, float] = field(default_factory=dict)


class CodeMemory:
    """All codes that the control unit's monitors can set."""

    def __init__(self, codes: tuple[Code, ...]) -> None:
        self.entries = {code: Entry() for code in codes}

    def failed(self, code: Code, *, at_once: bool, frame: dict[str, float]) -> None:
        """A monitor ran and failed: pending; confirmed at once or in the second cycle."""
        entry = self.entries[code]
        again = bool(entry.status & _PENDING) and not entry.status & _FAILED_CYCLE
        entry.status |= _FAILED | _FAILED_CYCLE | _PENDING | _FAILED_CLEAR
        entry.status &= ~_FRESH
        if (at_once or again) and not entry.status & _CONFIRMED:
            entry.status |= _CONFIRMED | _LAMP
            entry.permanent = True
            entry.frame = dict(frame)

    def passed(self, code: Code) -> None:
        """A monitor ran and found nothing now."""
        self.entries[code].status &= ~(_FAILED | _FRESH)

    def end_of_cycle(self) -> None:
        """The key goes off: what did not fail in this cycle stops pending and being permanent."""
        for entry in self.entries.values():
            ran = not entry.status & _UNTESTED_CYCLE
            if ran and not entry.status & _FAILED_CYCLE:
                entry.status &= ~_PENDING
                if not entry.status & _CONFIRMED:
                    entry.permanent = False
            entry.status &= ~(_FAILED | _FAILED_CYCLE)
            entry.status |= _UNTESTED_CYCLE

    def clear(self) -> None:
        """Forget everything but what is permanent."""
        for code, entry in self.entries.items():
            self.entries[code] = Entry(permanent=entry.permanent)

    def with_bits(self, mask: int) -> tuple[tuple[Code, int], ...]:
        """Codes with any of these status bits, and their status."""
        return tuple((c, e.status) for c, e in self.entries.items() if e.status & mask)

    @property
    def stored(self) -> tuple[Code, ...]:
        """Service 03."""
        return tuple(c for c, _ in self.with_bits(_CONFIRMED))

    @property
    def pending(self) -> tuple[Code, ...]:
        """Service 07."""
        return tuple(c for c, _ in self.with_bits(_PENDING))

    @property
    def permanent(self) -> tuple[Code, ...]:
        """Service 0A."""
        return tuple(c for c, e in self.entries.items() if e.permanent)

    @property
    def lamp(self) -> bool:
        """Whether the malfunction lamp is on."""
        return bool(self.with_bits(_LAMP))

    @property
    def frame(self) -> tuple[Code, dict[str, float]] | None:
        """The freeze frame of the first code that was confirmed."""
        return next(((c, e.frame) for c, e in self.entries.items() if e.frame), None)
