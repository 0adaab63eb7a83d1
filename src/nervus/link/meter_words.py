"""What a meter says in one line: a number with or without its unit, or a word for why there is none."""

import math
import re
from dataclasses import dataclass

from nervus.language import say
from nervus.link.errors import Garbled

# SCPI-99, volume 1, 7.2.1.4 and 7.2.1.5: infinity is 9.9E37, not-a-number 9.91E37.
_OVERLOAD, _NOT_A_NUMBER = 9.9e37, 9.91e37
_WRITTEN = re.compile(
    r"(?P<number>[+-]?\s*(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d+)?)\s*(?P<unit>[a-zA-Zµμ]*)"
)
# To volts; the unit's letters as meters write them, DC behind or not.
_UNITS = {"": 1.0, "V": 1.0, "v": 1.0, "mV": 1e-3, "mv": 1e-3}
_TOO_MUCH = re.compile(
    r"[+-]?(?:O\.?L\.?|0\.?L\.?|OVLD|OVERLOAD|OVER|OVER RANGE|OVERRANGE|INF(?:INITY)?)", re.I
)
_NONE = re.compile(r"(?:NAN|N/A|-{2,}|\?+)", re.I)
MOST_V = 60.0
"""More is no voltage on a vehicle's low-voltage side (ECE R100 calls more than 60 V DC high voltage)."""


@dataclass(frozen=True, slots=True)
class Said:
    """What a line says: volts, or in a word why there are none."""

    volts: float | None
    word: str = ""


def volts_said(text: str) -> Said:
    """A meter's line in volts.

    Raises:
        Garbled: it is neither a voltage nor a word that meters use.
    """
    told = text.strip()
    if _TOO_MUCH.fullmatch(told):
        return Said(None, "overload")
    if _NONE.fullmatch(told):
        return Said(None, "not a number")
    found = _WRITTEN.fullmatch(told)
    if found is None:
        raise Garbled(say("The instrument answered “{told}” where a voltage belongs.", told=told[:40]))
    unit = found["unit"]
    scale = _UNITS.get(unit.removesuffix("DC").removesuffix("dc"))
    if scale is None:
        raise Garbled(
            say("The instrument answered in “{unit}”, not in volts; set it to volts DC.", unit=unit[:10])
        )
    value = float(found["number"].replace(" ", "").replace(",", ".")) * scale
    if math.isclose(abs(value), _NOT_A_NUMBER, rel_tol=1e-4):
        return Said(None, "not a number")
    if not math.isfinite(value) or abs(value) >= _OVERLOAD * 0.9:
        return Said(None, "overload")
    if abs(value) > MOST_V:
        return Said(None, say("{value:g} V can't be here and is not taken", value=value))
    return Said(value)
