"""Readings as people type them: `.51`, `510 mV`, `0,51 V`; a source like any other."""

import re
from collections.abc import Callable, Sequence
from queue import Empty, SimpleQueue

from nervus.domain.errors import OutsideError
from nervus.link.instruments import volt_channel
from nervus.link.meter_words import MOST_V
from nervus.link.source import Block, Clock, one_sample

_WRITTEN = re.compile(
    r"(?P<number>[+-]?(?:[0-9]+(?:[.,][0-9]*)?|[.,][0-9]+))\s*(?P<unit>mV|V|mv|v|volts?|Volts?)?"
)


class ReadingUnreadable(OutsideError):
    """A text that is no voltage."""


def volts_of(text: str) -> float:
    """Volts of a reading as people write it.

    Raises:
        ReadingUnreadable: it is none, or none that a vehicle's low-voltage side can have.
    """
    found = _WRITTEN.fullmatch(text.strip())
    accepted = "accepted is such as .51, 0,51 V or 510 mV"
    if found is None:
        raise ReadingUnreadable(f"“{text.strip()[:30]}” is no voltage; {accepted}.")
    unit = (found["unit"] or "V").lower()
    volts = float(found["number"].replace(",", ".")) * (0.001 if unit == "mv" else 1.0)
    if abs(volts) > MOST_V:
        raise ReadingUnreadable(f"{volts:g} V is no voltage of a sensor's circuit; {accepted}.")
    return volts


class HandSource:
    """Readings of one line, typed while the clock runs; an instant is when Enter was pressed."""

    def __init__(self, channel: str) -> None:
        self.name = "readings by hand"
        self.trouble: Callable[[str], None] = lambda _told: None
        self._channel = volt_channel(channel)
        self._clock = Clock()
        self._typed: SimpleQueue[tuple[float, float]] = SimpleQueue()

    def open(self, clock: Clock) -> None:
        """Begin."""
        self._clock = clock

    def enter(self, text: str) -> float:
        """One reading as it was typed; returns its volts.

        Raises:
            ReadingUnreadable: it is no voltage.
        """
        volts = volts_of(text)
        self._typed.put((self._clock.now(), volts))
        return volts

    def read(self) -> Sequence[Block]:
        """What was typed since."""
        try:
            when, volts = self._typed.get(timeout=0.1)
        except Empty:
            return ()
        return [one_sample(self._channel, when, volts)]

    def close(self) -> None:
        """Nothing is held that would have to be let go."""
