"""What a control unit can be asked: values, codes, identity; and the two things it can be told.

Services 01, 02, 03, 04, 07, 09 and 0A of SAE J1979, and of ISO 14229-1 reading codes with failure type
and status (19 02) and starting a routine (31 01).
"""

from collections.abc import Callable
from dataclasses import dataclass, field

from nervus.codes.notation import Code, CodeStatus
from nervus.knowledge import Parameter, parameters
from nervus.link.errors import Garbled, NoAnswer, NotNow, Refused
from nervus.link.transport import Transport

LEARN_ROUTINE = 0x0060
"""The stand-in's routine that learns the closed stop; on a vehicle the maker's number stands here."""

_PER_REQUEST, _RPM = 6, 0x0C
_CODE_SERVICES = ((0x03, "stored"), (0x07, "pending"), (0x0A, "permanent"))


@dataclass(frozen=True, slots=True)
class ReadCode:
    """A code as one unit told it.

    Attributes:
        unit: 0 to 7.
        code: with its failure type where the unit tells it.
        kinds: `stored`, `pending`, `permanent`, in that order, as far as it is each.
        status: the status byte, where the unit tells it.
    """

    unit: int
    code: Code
    kinds: tuple[str, ...]
    status: CodeStatus | None = None


@dataclass(frozen=True, slots=True)
class Frame:
    """A freeze frame: the code that froze it, and the values then by channel."""

    unit: int
    code: Code
    values: dict[str, float] = field(default_factory=dict)


class Diagnostics:
    """Asks and tells the units of one vehicle."""

    def __init__(self, transport: Transport) -> None:
        self._transport = transport
        self._known = {p.pid: p for p in parameters()}
        self._many: dict[int, bool] = {}

    def units(self) -> tuple[int, ...]:
        """The units that answer at all (to the list of supported values)."""
        return tuple(sorted(self._transport.ask_all(b"\x01\x00")))

    def supported(self, unit: int) -> tuple[Parameter, ...]:
        """The values that a unit offers, of those that are worth asking for."""
        offered: set[int] = set()
        for base in range(0x00, 0xE0, 0x20):
            answer = self._transport.ask(unit, bytes([0x01, base]))
            if len(answer) < 6:
                raise Garbled(f"Control unit {unit} told {len(answer)} bytes where 6 belong.")
            bits = int.from_bytes(answer[2:6], "big")
            offered |= {base + n for n in range(1, 33) if bits >> (32 - n) & 1}
            if base + 0x20 not in offered:
                break
        return tuple(p for p in parameters() if p.pid in offered)

    def values(self, unit: int, wanted: tuple[Parameter, ...]) -> dict[str, float]:
        """Values by channel, up to six in one request where the unit allows it.

        Raises:
            NoAnswer, Refused, Garbled, LinkLost: as `Transport.ask`.
        """
        if len(wanted) > 1 and self._many.get(unit, True):
            told: dict[str, float] = {}
            try:
                for first in range(0, len(wanted), _PER_REQUEST):
                    told |= self._several_surely(unit, wanted[first : first + _PER_REQUEST])
            except (NoAnswer, Refused, Garbled):
                if self._many.get(unit):
                    raise
                self._many[unit] = False
            else:
                self._many[unit] = True
                return told
        return {c: v for p in wanted for c, v in self._several(unit, (p,)).items()}

    def tells_several(self, unit: int) -> bool:
        """Whether a unit has been seen to answer several values in one request."""
        return self._many.get(unit, False)

    def _several_surely(self, unit: int, wanted: tuple[Parameter, ...]) -> dict[str, float]:
        """As `_several`, asked again where one silence would be taken for a unit that can't do it."""
        try:
            return self._several(unit, wanted)
        except NoAnswer:
            if unit in self._many:
                raise
            return self._several(unit, wanted)

    def _several(self, unit: int, wanted: tuple[Parameter, ...]) -> dict[str, float]:
        answer = self._transport.ask(unit, bytes([0x01, *(p.pid for p in wanted)]))
        return self._parsed(unit, answer[1:], {p.pid for p in wanted})

    def _parsed(self, unit: int, data: bytes, wanted: set[int]) -> dict[str, float]:
        told, at = {}, 0
        while at < len(data):
            known = self._known.get(data[at])
            if known is None or known.pid not in wanted:
                raise Garbled(f"Control unit {unit} told value {data[at]:02X}, which was not asked for.")
            raw = data[at + 1 : at + 1 + known.size]
            if len(raw) < known.size:
                raise Garbled(f"Control unit {unit} cut value {known.pid:02X} short.")
            told[known.channel] = known.value(raw)
            at += 1 + known.size
        return told

    # -- codes -------------------------------------------------------------------------------------

    def codes(self) -> tuple[ReadCode, ...]:
        """All codes of all units, with failure type and status where they are told."""
        kinds: dict[tuple[int, Code], list[str]] = {}
        answers = {s: self._transport.ask_all(bytes([s])) for s, _ in _CODE_SERVICES}
        units = sorted({unit for told in answers.values() for unit in told})
        for service, kind in _CODE_SERVICES:
            for unit in units:
                for code in codes_in(answers[service].get(unit) or self._alone(unit, service)):
                    kinds.setdefault((unit, code), []).append(kind)
        found = [ReadCode(u, c, tuple(k)) for (u, c), k in kinds.items()]
        for unit in sorted({u for u, _ in kinds}):
            for full in self.codes_with_status(unit):
                same = [f for f in found if f.unit == unit and f.code == full.code.base]
                if same:
                    found.remove(same[0])
                    found.append(ReadCode(unit, full.code, same[0].kinds, full.status))
        return tuple(sorted(found, key=lambda f: (f.unit, f.code.number)))

    def _alone(self, unit: int, service: int) -> bytes:
        """A unit that spoke before and is silent now is asked alone, so that no code is missed.

        Some have no such service, and don't say so to a question to all; that is no code.
        """
        try:
            return self._transport.ask(unit, bytes([service]))
        except (Refused, NoAnswer):
            return bytes([service + 0x40, 0])

    def codes_with_status(self, unit: int, mask: int = 0x0D) -> tuple[ReadCode, ...]:
        """Codes with failure type and status byte, none where the unit does not tell them."""
        try:
            answer = self._transport.ask(unit, bytes([0x19, 0x02, mask]))
        except (Refused, NoAnswer):
            return ()
        rows = answer[3:]
        whole = len(rows) // 4 * 4
        found = []
        for at in range(0, whole, 4):
            number, kind, status = int.from_bytes(rows[at : at + 2], "big"), rows[at + 2], rows[at + 3]
            if number:
                found.append(ReadCode(unit, Code(number, kind), (), CodeStatus(status)))
        return tuple(found)

    def freeze_frames(self) -> tuple[Frame, ...]:
        """The freeze frame of each unit that has one."""
        found = []
        for unit, answer in self._transport.ask_all(b"\x02\x02\x00").items():
            number = int.from_bytes(answer[3:5], "big") if len(answer) >= 5 else 0
            if number:
                found.append(Frame(unit, Code(number), self._frozen(unit)))
        return tuple(found)

    def _frozen(self, unit: int) -> dict[str, float]:
        told: dict[str, float] = {}
        for parameter in parameters():
            try:
                answer = self._transport.ask(unit, bytes([0x02, parameter.pid, 0x00]))
            except (Refused, NoAnswer, Garbled):
                continue
            raw = answer[3 : 3 + parameter.size]
            if len(raw) == parameter.size:
                told[parameter.channel] = parameter.value(raw)
        return told

    def identity(self, unit: int) -> dict[str, str]:
        """What service 09 tells: `vehicle` (the identification number), `calibration`, `name`."""
        told = {}
        for info, name in ((0x02, "vehicle"), (0x04, "calibration"), (0x0A, "name")):
            try:
                answer = self._transport.ask(unit, bytes([0x09, info]))
            except (Refused, NoAnswer, Garbled):
                continue
            told[name] = bytes(b for b in answer[3:] if 32 <= b < 127).decode("ascii").strip()
        return told

    # -- the only two things that are told ------------------------------------------------------------

    def _must_stand(self) -> None:
        """Nothing is written while an engine runs, whatever the unit itself would allow."""
        for answer in self._transport.ask_all(bytes([0x01, _RPM])).values():
            if len(answer) >= 4 and int.from_bytes(answer[2:4], "big") > 0:
                raise NotNow("The engine runs: switch it off first, key on. Nothing was sent.")

    def clear_codes(self, confirmed: Callable[[], bool]) -> tuple[int, ...]:
        """Clear the codes of all units; returns those that did.

        Args:
            confirmed: asked right before; nothing is sent unless it says yes.

        Raises:
            NotNow: the engine runs.
        """
        self._must_stand()
        if not confirmed():
            return ()
        return tuple(sorted(self._transport.ask_all(b"\x04", 1.0)))

    def learn_closed(self, unit: int, confirmed: Callable[[], bool]) -> bool:
        """Start the routine that learns the closed stop; `True` if the unit took it.

        Raises:
            NotNow: the engine runs.
            Refused: the unit's other conditions are not met.
        """
        self._must_stand()
        if not confirmed():
            return False
        self._transport.ask(unit, bytes([0x31, 0x01, *LEARN_ROUTINE.to_bytes(2, "big")]), 2.0)
        return True


def codes_in(answer: bytes) -> tuple[Code, ...]:
    """Codes of an answer to service 03, 07 or 0A on CAN: a count, then two bytes each.

    Raises:
        Garbled: the bytes do not fit the count.
    """
    count, rows = (answer[1], answer[2:]) if len(answer) > 1 else (0, b"")
    if len(rows) < 2 * count:
        raise Garbled(f"A control unit counts {count} codes and tells {len(rows) // 2}.")
    numbers = (int.from_bytes(rows[2 * n : 2 * n + 2], "big") for n in range(count))
    return tuple(Code(number) for number in numbers if number)
