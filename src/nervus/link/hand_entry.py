"""Readings as people type them: `.51`, `510 mV`, or ohms of a track; a source like any other."""

import re
from collections.abc import Callable, Sequence
from queue import Empty, SimpleQueue

from nervus.domain.errors import OutsideError
from nervus.language import say
from nervus.link.instruments import volt_channel
from nervus.link.meter_words import MOST_V
from nervus.link.source import Block, Clock, one_sample

_WRITTEN = re.compile(
    r"(?P<number>[+-]?(?:[0-9]+(?:[.,][0-9]*)?|[.,][0-9]+))\s*(?P<unit>mV|V|mv|v|volts?|Volts?)?"
)
_OHMS = re.compile(r"(?P<number>[0-9]+(?:[.,][0-9]*)?|[.,][0-9]+)\s*(?P<kilo>k)?\s*(?:Ω|ohms?|Ohms?)?")


class ReadingUnreadable(OutsideError):
    """A text that is no voltage."""


def volts_of(text: str) -> float:
    """Volts of a reading as people write it.

    Raises:
        ReadingUnreadable: it is none, or none that a vehicle's low-voltage side can have.
    """
    found = _WRITTEN.fullmatch(text.strip())
    accepted = say("accepted is such as .51, 0,51 V or 510 mV")
    if found is None:
        raise ReadingUnreadable(
            say("“{strip}” is no voltage; {accepted}.", strip=text.strip()[:30], accepted=accepted)
        )
    unit = (found["unit"] or "V").lower()
    volts = float(found["number"].replace(",", ".")) * (0.001 if unit == "mv" else 1.0)
    if abs(volts) > MOST_V:
        raise ReadingUnreadable(
            say(
                "{volts:g} V is no voltage of a sensor's circuit; {accepted}.",
                volts=volts,
                accepted=accepted,
            )
        )
    return volts


def percent_of_track(text: str, track_ohms: float) -> float:
    """Ohms from the wiper to an end, as people write them, in percent of the whole track.

    The wiper's own ohms are in it, so it ends a little above 0 and 100; a place where it jumps stands
    out all the same.

    Raises:
        ReadingUnreadable: it is no resistance, or more than twice the track.
    """
    found = _OHMS.fullmatch(text.strip())
    accepted = say("accepted is such as 850, 1.2k or 2,2 kΩ")
    if found is None:
        raise ReadingUnreadable(
            say("“{strip}” is no resistance; {accepted}.", strip=text.strip()[:30], accepted=accepted)
        )
    ohms = float(found["number"].replace(",", ".")) * (1e3 if found["kilo"] else 1.0)
    if ohms > 2.0 * track_ohms:
        raise ReadingUnreadable(
            say(
                "{ohms:g} Ω is more than the track of {track_ohms:g} Ω can have: open, or "
                "another range.",
                ohms=ohms,
                track_ohms=track_ohms,
            )
        )
    return 100.0 * ohms / track_ohms


class HandSource:
    """Readings of one line, typed while the clock runs; an instant is when Enter was pressed.

    With `track_ohms`, the channel is a track in percent and the readings are ohms from its wiper to an
    end, key off: a sweep by ohms is a recording like any other.
    """

    def __init__(self, channel: str, track_ohms: float | None = None) -> None:
        self.name = say("readings by hand")
        self.trouble: Callable[[str], None] = lambda _told: None
        self._track_ohms = track_ohms
        self._channel = channel if track_ohms is not None else volt_channel(channel)
        self._clock = Clock()
        self._typed: SimpleQueue[tuple[float, float]] = SimpleQueue()

    def open(self, clock: Clock) -> None:
        """Begin."""
        self._clock = clock

    def enter(self, text: str) -> float:
        """One reading as it was typed; returns its volts, or percent of the track.

        Raises:
            ReadingUnreadable: it is none.
        """
        ohms = self._track_ohms
        value = volts_of(text) if ohms is None else percent_of_track(text, ohms)
        self._typed.put((self._clock.now(), value))
        return value

    def read(self) -> Sequence[Block]:
        """What was typed since."""
        try:
            when, value = self._typed.get(timeout=0.1)
        except Empty:
            return ()
        return [one_sample(self._channel, when, value)]

    def close(self) -> None:
        """Nothing is held that would have to be let go."""
