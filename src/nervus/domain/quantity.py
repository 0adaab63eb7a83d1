"""One measured value as people write it: `4,98 V`, `.51`, `510 mV`, `0.3 ohm`, with words before it."""

import re
from dataclasses import dataclass

from nervus.domain.errors import OutsideError
from nervus.language import say

_WRITTEN = re.compile(
    r"^(?P<where>.*?)[\s:=]*(?P<number>[+-]?(?:[0-9]+(?:[.,][0-9]*)?|[.,][0-9]+))\s*(?P<unit>[^\d\s]*)\s*$"
)
_UNITS = {
    "v": ("V", 1.0), "volt": ("V", 1.0), "volts": ("V", 1.0), "mv": ("V", 0.001),
    "a": ("A", 1.0), "ma": ("A", 0.001),
    "ohm": ("Ω", 1.0), "ohms": ("Ω", 1.0), "ω": ("Ω", 1.0), "kohm": ("Ω", 1e3), "kω": ("Ω", 1e3),
    "mohm": ("Ω", 1e6), "%": ("%", 1.0), "°": ("°", 1.0), "deg": ("°", 1.0),
    "°c": ("°C", 1.0), "c": ("°C", 1.0), "kpa": ("kPa", 1.0), "bar": ("kPa", 100.0),
    "rpm": ("1/min", 1.0), "1/min": ("1/min", 1.0), "nm": ("N·m", 1.0), "n·m": ("N·m", 1.0),
    "mm": ("mm", 1.0), "ncm": ("N·m", 0.01), "kgfm": ("N·m", 9.80665),
    # NIST SP 811 (2008), appendix B.8: pound-force foot and pound-force inch.
    **dict.fromkeys(("ft-lb", "ftlb", "lbf·ft", "lb-ft", "lbft", "lbfft"), ("N·m", 1.355818)),
    **dict.fromkeys(("in-lb", "inlb", "lbf·in", "lb-in", "lbin", "lbfin"), ("N·m", 0.1129848)),
}  # fmt: skip


class QuantityUnreadable(OutsideError):
    """A text that ends in no value with a unit that is known."""


@dataclass(frozen=True, slots=True)
class Quantity:
    """A value in its plain unit, and the words before it."""

    where: str
    value: float
    unit: str


def read_quantity(text: str) -> Quantity:
    """The value at the end of a text, and where it was measured.

    A value without a unit is volts: that is what a throttle's sensor is measured in.

    Raises:
        QuantityUnreadable: there is none, or its unit is not known.
    """
    found = _WRITTEN.match(text.strip())
    accepted = say("accepted is such as “pin 2, key on: 4.98 V”, “ground .03” or “motor 2,4 ohm”")
    if found is None:
        raise QuantityUnreadable(
            say("“{strip}” ends in no value; {accepted}.", strip=text.strip()[:40], accepted=accepted)
        )
    unit = _UNITS.get((found["unit"] or "V").casefold())
    if unit is None:
        raise QuantityUnreadable(
            say(
                "“{found}” is no unit that is known here; {accepted}.",
                found=found["unit"][:20],
                accepted=accepted,
            )
        )
    value = float(found["number"].replace(",", ".")) * unit[1]
    return Quantity(found["where"].strip(" :=,"), value, unit[0])
