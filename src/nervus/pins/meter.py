"""The meter: what it loads a pin with, and how far what it shows may be from the truth."""

from dataclasses import dataclass
from typing import Final

import numpy as np

# What people write as “nothing” was this or less, and mostly not looked at closely.
NOTHING_V: Final = 0.05
# People write two decimals: an even error of half the last one, whatever the meter showed.
_WRITTEN_V: Final = 0.005
# Half the width of an evenly spread error over its standard deviation.
# Source: JCGM 100:2008 (GUM), 4.3.7: a rectangular distribution of half-width a has the variance a²/3.
EVEN: Final = 3.0**0.5


@dataclass(frozen=True, slots=True)
class Meter:
    """A meter as its sheet states it.

    Attributes:
        ohms: between its leads, on volts.
        percent: of the reading, by which it may be off.
        digits: of the last place, by which it may be off besides.
        counts: of the display, before it changes to the next range; from memory: usual hand meters.
    """

    ohms: float = 10e6
    percent: float = 0.5
    digits: int = 2
    counts: int = 6_000

    def accuracy(self, value: float) -> float:
        """How far a reading may be off: percent of the reading and digits of the last place.

        Source: published meter practice in general words: ±(percent of reading + counts).
        """
        return abs(value) * self.percent / 100.0 + self.digits * self.last_place(value)

    def deviation(self, volts: float, *, nothing: bool = False) -> float:
        """The standard deviation that goes with it (GUM, 4.3.7)."""
        if nothing:
            return NOTHING_V / EVEN
        return float(np.hypot(self.accuracy(volts), _WRITTEN_V)) / EVEN

    def last_place(self, value: float) -> float:
        """What one count is worth in the range that a meter by itself chooses for a value."""
        decimals = 3
        while decimals > 0 and abs(value) >= self.counts * 10.0**-decimals:
            decimals -= 1
        return float(10.0**-decimals)


USUAL: Final = Meter()
"""A usual hand meter."""
