"""How trouble codes are written (SAE J2012, ISO 15031-6): two bytes, five characters, and back.

The first two bits name the system (P, C, B, U), the next two the first digit, the rest three
hexadecimal digits. A failure type may stand behind (SAE J2012-DA): a third byte, as in P0121-85.
"""

import re
from dataclasses import dataclass

from nervus.domain.errors import OutsideError
from nervus.language import say

_SYSTEMS = "PCBU"
_WRITTEN = re.compile(
    r"\s*(?:(?P<system>[PCBUpcbu])[\s-]?(?P<digits>[0-3][0-9A-Fa-f]{3})|0[xX](?P<hex>[0-9A-Fa-f]{4}))"
    r"(?:[\s:-]*(?P<type>[0-9A-Fa-f]{2}))?\s*"
)


class CodeUnreadable(OutsideError):
    """A text that is no trouble code in any usual notation."""


@dataclass(frozen=True, slots=True, order=True)
class Code:
    """One trouble code.

    Attributes:
        number: the two bytes, 0 to 65535.
        failure_type: the third byte, `None` where none was told.
    """

    number: int
    failure_type: int | None = None

    def __post_init__(self) -> None:
        if not 0 <= self.number <= 0xFFFF or not 0 <= (self.failure_type or 0) <= 0xFF:
            raise ValueError(
                say(
                    "no trouble code: {number}, {failure_type}",
                    number=self.number,
                    failure_type=self.failure_type,
                )
            )

    def __str__(self) -> str:
        system, digits = _SYSTEMS[self.number >> 14], self.number & 0x3FFF
        tail = f"-{self.failure_type:02X}" if self.failure_type is not None else ""
        return f"{system}{digits:04X}{tail}"

    @property
    def sort_key(self) -> tuple[int, int]:
        """By number, one without a failure type first."""
        return self.number, -1 if self.failure_type is None else self.failure_type

    @property
    def base(self) -> "Code":
        """The same without its failure type."""
        return Code(self.number)

    @property
    def is_makers_own(self) -> bool:
        """Whether the number is the maker's to define (SAE J2012: P1, P30 to P33, else 1 and 2)."""
        system, digits = self.number >> 14, self.number & 0x3FFF
        first = digits >> 12
        if system == 0:
            return first == 1 or (first == 3 and digits < 0x3400)
        return first in (1, 2)


def read_code(text: str) -> Code:
    """A code as people write it: `P0121`, `p 0121`, `0x0121`, `P0121-85`, `P012185`.

    Raises:
        CodeUnreadable: it is none of these.
    """
    found = _WRITTEN.fullmatch(text)
    if found is None:
        raise CodeUnreadable(
            say(
                "“{strip}” is no trouble code; accepted is P, C, B or U and four digits, such "
                "as P0121, with its failure type as in P0121-85.",
                strip=text.strip()[:40],
            )
        )
    if found["hex"] is not None:
        number = int(found["hex"], 16)
    else:
        number = _SYSTEMS.index(found["system"].upper()) << 14 | int(found["digits"], 16)
    return Code(number, int(found["type"], 16) if found["type"] else None)


@dataclass(frozen=True, slots=True)
class CodeStatus:
    """The status byte of ISO 14229-1, bit by bit.

    Attributes:
        byte: as it was read.
    """

    byte: int

    @property
    def failing_now(self) -> bool:
        """Bit 0, testFailed."""
        return bool(self.byte & 0x01)

    @property
    def failed_this_cycle(self) -> bool:
        """Bit 1, testFailedThisOperationCycle."""
        return bool(self.byte & 0x02)

    @property
    def pending(self) -> bool:
        """Bit 2, pendingDTC."""
        return bool(self.byte & 0x04)

    @property
    def confirmed(self) -> bool:
        """Bit 3, confirmedDTC."""
        return bool(self.byte & 0x08)

    @property
    def not_tested_since_clear(self) -> bool:
        """Bit 4, testNotCompletedSinceLastClear."""
        return bool(self.byte & 0x10)

    @property
    def failed_since_clear(self) -> bool:
        """Bit 5, testFailedSinceLastClear."""
        return bool(self.byte & 0x20)

    @property
    def not_tested_this_cycle(self) -> bool:
        """Bit 6, testNotCompletedThisOperationCycle."""
        return bool(self.byte & 0x40)

    @property
    def lamp(self) -> bool:
        """Bit 7, warningIndicatorRequested."""
        return bool(self.byte & 0x80)
