"""One reading between two pins, as the solver takes it."""

from dataclasses import dataclass
from typing import Final

BATTERY: Final = ""
"""The other end of a reading against battery negative."""


@dataclass(frozen=True, slots=True)
class Taken:
    """Volts with the red probe on one pin and the black on another.

    Attributes:
        red: the pin's label.
        black: the other's, `BATTERY` for battery negative.
        volts: as the meter showed it; without its sign where that was not written down.
        signed: whether the sign was written down.
        nothing: whether “nothing” was said instead of a number.
    """

    red: str
    black: str
    volts: float
    signed: bool = True
    nothing: bool = False

    @property
    def pair(self) -> frozenset[str]:
        """Both ends, in no order."""
        return frozenset((self.red, self.black))
