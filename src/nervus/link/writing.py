"""The two things that control units are told: clear your codes, learn the closed stop.

Nothing goes out unless somebody said a plain yes *and* the engine is known to stand at that moment: at
least one unit must tell engine speed 0, and every unit that offers engine speed must. A silence, a
refusal, a "busy" or a broken answer is no standing engine.
"""

import time
from collections.abc import Callable
from dataclasses import dataclass

from nervus.language import say
from nervus.link.addresses import USUAL, name_of
from nervus.link.errors import NotNow, Refused
from nervus.link.outcome import BUSY, SILENT, Kind, Outcome
from nervus.link.transport import BUSY_PAUSE_S, BUSY_S, Transport

LEARN_ROUTINE = 0x0060
"""The stand-in's routine that learns the closed stop; on a vehicle the maker's number stands here."""
_RPM = 0x0C
# How long an answer to a clearing is waited for: units that write to slow memory take seconds and say
# nothing meanwhile (common practice, no published source).
_CLEAR_S, _LEARN_S, _USUAL_S = 5.0, 2.0, 0.3
_UNSURE = say("Whether the engine stands can't be known, so nothing was sent")


@dataclass(frozen=True, slots=True)
class Written:
    """What came of telling all units something.

    Attributes:
        outcomes: by unit; of every unit that was heard before.
    """

    outcomes: dict[int, Outcome]

    @property
    def done(self) -> tuple[int, ...]:
        """The units that said they did it."""
        return tuple(sorted(u for u, o in self.outcomes.items() if o.is_told))

    @property
    def text(self) -> str:
        """In words, unit by unit; a silence is told as one."""
        if not self.outcomes:
            return say("Nothing was sent.")
        parts = []
        for unit, outcome in sorted(self.outcomes.items()):
            said = "cleared" if outcome.is_told else outcome.text
            parts.append(f"{name_of(unit)}: {said}")
        unknown = any(o.kind in (Kind.SILENT, Kind.BROKEN) for o in self.outcomes.values())
        again = say(" What is not told may have been done all the same.") if unknown else ""
        return say(
            "{join}.{again} Read the codes again to see what is left and what comes back.",
            join="; ".join(parts),
            again=again,
        )


class Writing:
    """Tells the units of one vehicle."""

    def __init__(self, transport: Transport) -> None:
        self._transport = transport

    def engine_stands(self) -> tuple[int, ...]:
        """The units that were heard, if the engine is known to stand now.

        Raises:
            NotNow: it runs, or that can't be known; says why.
        """
        lists = self._transport.ask_all(b"\x01\x00", 1.0)
        # Who can't or won't tell what it offers may well be the one that knows the engine.
        may_know = {u for u, o in lists.items() if not o.is_not_offered and _may_offer_rpm(o)}
        told = self._transport.ask_all(bytes([0x01, _RPM]), 1.0)
        unsettled = may_know - {u for u, o in told.items() if o.is_told}
        told |= self._transport.ask_each(sorted(unsettled), bytes([0x01, _RPM]), 1.0)
        # Some units answer only when they are asked alone.
        others = [u for u in USUAL if u not in lists and u not in told]
        alone = self._transport.ask_each(others, bytes([0x01, _RPM]), _USUAL_S)
        told |= {u: o for u, o in alone.items() if o.kind is not Kind.SILENT or o.reason}
        speeds = {u: _speed(o) for u, o in told.items()}
        running = [s for s in speeds.values() if s]
        if running:
            raise NotNow(
                say(
                    "The engine runs ({max:.0f} 1/min): switch it off first, key on. Nothing was sent.",
                    max=max(running),
                )
            )
        if not told:
            raise NotNow(
                say(
                    "{unsure}: no control unit told engine speed. {silence}",
                    unsure=_UNSURE,
                    silence=self._transport.silence(),
                )
            )
        for unit in sorted(may_know | {u for u, o in told.items() if not o.is_not_offered}):
            if speeds.get(unit) is None:
                why = told[unit].text if not told[unit].is_told else say("the answer is cut short")
                raise NotNow(
                    say(
                        "{unsure}: {name_of} was asked for engine speed, {why}.",
                        unsure=_UNSURE,
                        name_of=name_of(unit),
                        why=why,
                    )
                )
        if not any(speed == 0.0 for speed in speeds.values()):
            raise NotNow(say("{unsure}: no control unit offers engine speed.", unsure=_UNSURE))
        return tuple(sorted(set(lists) | set(told)))

    def clear_codes(self, confirmed: Callable[[], bool]) -> Written:
        """Clear the codes of all units; an answer that comes late is waited for.

        Args:
            confirmed: asked right before; nothing is sent unless it says yes.

        Raises:
            NotNow: the engine runs, or that can't be known.
            LinkLost, Stopped: as `Transport.ask`.
        """
        self.engine_stands()
        if not confirmed():
            return Written({})
        # A yes may take a minute; what counts is the engine now.
        heard = self.engine_stands()
        outcomes = self._transport.ask_all(b"\x04", _CLEAR_S, again=False)
        outcomes = dict.fromkeys(heard, SILENT) | outcomes
        end = time.monotonic() + BUSY_S
        # The busy are asked again, and once those that may answer only when they are asked alone.
        wanted = _open(outcomes, silent=True)
        while wanted:
            time.sleep(BUSY_PAUSE_S)
            self.engine_stands()
            outcomes |= self._transport.ask_each(wanted, b"\x04", _CLEAR_S, again=False)
            wanted = _open(outcomes, silent=False) if time.monotonic() < end else []
        return Written(outcomes)

    def learn_closed(self, unit: int, confirmed: Callable[[], bool]) -> bool:
        """Start the routine that learns the closed stop; `True` if the unit took it.

        Raises:
            NotNow: the engine runs, or that can't be known.
            NoAnswer, Refused, Garbled, LinkLost: as `Transport.ask`.
        """
        self.engine_stands()
        if not confirmed():
            return False
        self.engine_stands()
        request = bytes([0x31, 0x01, *LEARN_ROUTINE.to_bytes(2, "big")])
        outcome = self._transport.ask_each((unit,), request, _LEARN_S, again=False)[unit]
        if outcome.reason == BUSY:
            raise Refused(request[0], BUSY)
        outcome.bytes_or_raise(unit, request)
        return True


def _open(outcomes: dict[int, Outcome], *, silent: bool) -> list[int]:
    """The units that were busy, and with `silent` those that said nothing at all."""
    return [
        unit
        for unit, o in outcomes.items()
        if (o.kind is Kind.REFUSED and o.reason == BUSY) or (silent and o == SILENT)
    ]


def _may_offer_rpm(outcome: Outcome) -> bool:
    """Whether a unit's list of values holds engine speed, or could."""
    if not outcome.is_told or len(outcome.answer) < 6:
        return True
    return bool(int.from_bytes(outcome.answer[2:6], "big") >> (32 - _RPM) & 1)


def _speed(outcome: Outcome) -> float | None:
    """Engine speed in 1/min (SAE J1979: two bytes, a quarter each), `None` where none was told."""
    if not outcome.is_told or len(outcome.answer) < 4:
        return None
    return int.from_bytes(outcome.answer[2:4], "big") / 4.0
