"""How control units are addressed on CAN (ISO 15765-4), by 11 and by 29 bits, in one number each.

With 11 bits, units 0 to 7 are asked on 7E0 to 7E7 and answer on 7E8 to 7EF; a request to all is 7DF.
With 29 bits, a unit has an address of one byte: it is asked on 18DAxxF1 and answers on 18DAF1xx; a
request to all is 18DB33F1. Here the second kind is numbered from 256 on, so that a unit is one number
everywhere; and from 512 on those of older buses than CAN, which have an address of one byte too.
"""

import re
from typing import Final

from nervus.domain.errors import OutsideError
from nervus.language import say

TO_ALL: Final = 0x7DF
TO_ALL_WIDE: Final = 0x18DB33F1
FIRST_REQUEST, FIRST_ANSWER, UNITS = 0x7E0, 0x7E8, 8
WIDE: Final = 0x100
OLD: Final = 0x200
_ASK_WIDE, _TOLD_WIDE = 0x18DA00F1, 0x18DAF100
# Which bytes engines, transmissions, brakes and bodies answer to (SAE J2178-1: 10 to 17 engine, 18 to 1F
# transmission, 28 to 2F brakes; from memory).
USUAL: Final = (*range(UNITS), *(WIDE + a for a in (*range(0x10, 0x20), 0x28, 0x29, 0x40, 0x58)))
_WRITTEN = re.compile(r"(?:0[xX])?(?P<hex>[0-9A-Fa-f]+)")


class UnitUnreadable(OutsideError):
    """A text that names no control unit."""


def is_wide(unit: int) -> bool:
    """Whether a unit is addressed by 29 bits."""
    return WIDE <= unit < OLD


def request_id(unit: int) -> int:
    """The identifier on which a unit is asked alone."""
    return _ASK_WIDE | (unit - WIDE) << 8 if is_wide(unit) else FIRST_REQUEST + unit


def answer_id(unit: int) -> int:
    """The identifier on which a unit answers."""
    return _TOLD_WIDE | (unit - WIDE) if is_wide(unit) else FIRST_ANSWER + unit


def unit_answering(identifier: int, *, wide: bool) -> int | None:
    """The unit that answers on an identifier, `None` for other traffic."""
    if wide:
        return WIDE + (identifier & 0xFF) if identifier & ~0xFF == _TOLD_WIDE else None
    return identifier - FIRST_ANSWER if FIRST_ANSWER <= identifier < FIRST_ANSWER + UNITS else None


def unit_asked(identifier: int, *, wide: bool) -> int | None:
    """The unit that is asked alone on an identifier, `None` for other traffic."""
    if wide:
        alone = identifier & ~0xFF00 == _ASK_WIDE
        return WIDE + (identifier >> 8 & 0xFF) if alone else None
    return identifier - FIRST_REQUEST if FIRST_REQUEST <= identifier < FIRST_REQUEST + UNITS else None


def name_of(unit: int) -> str:
    """A unit as it is told: `control unit 0`, or `control unit 10 (29 bit)` with its address in hex."""
    if unit >= OLD:
        return say("control unit {old:02X}", old=unit - OLD)
    return (
        say("control unit {wide:02X} (29 bit)", wide=unit - WIDE)
        if is_wide(unit)
        else say("control unit {unit}", unit=unit)
    )


def read_unit(text: str) -> int:
    """A unit as people write it: `0`, `7E0`, `7E8`, `18DA10F1`, `18DAF110`.

    Raises:
        UnitUnreadable: it is none of these.
    """
    found = _WRITTEN.fullmatch(text.strip())
    number = int(found["hex"], 16) if found is not None else -1
    if 0 <= number < UNITS:
        return number
    for wide in (False, True):
        for told in (unit_answering(number, wide=wide), unit_asked(number, wide=wide)):
            if told is not None:
                return told
    raise UnitUnreadable(
        say(
            "“{strip}” is no control unit; accepted is 0 to 7, 7E0 to 7E7, or 18DAxxF1 "
            "with its address of two hexadecimal digits.",
            strip=text.strip()[:20],
        )
    )
