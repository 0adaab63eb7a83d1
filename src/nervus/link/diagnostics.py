"""What control units can be asked: values, codes, identity.

Services 01, 02, 03, 07, 09 and 0A of SAE J1979, and of ISO 14229-1 reading codes with failure type and
status (19 02). What they can be told is in `writing.py`.
"""

from dataclasses import dataclass, field

from msgspec.structs import replace

from nervus.codes.notation import Code
from nervus.knowledge import Parameter, parameters
from nervus.language import say
from nervus.link.errors import Garbled, NoAnswer, Refused
from nervus.link.outcome import Kind, Outcome
from nervus.link.transport import ANSWER_S, Transport
from nervus.link.unit_codes import CodesRead, ReadCode, read_all_codes

__all__ = ["CodesRead", "Diagnostics", "Frame", "ReadCode"]

_PER_REQUEST = 6
# Whether a unit tells several values at once is found out quickly: its silence must not hold up a start.
_TRIAL_S = 0.4
# Full scale of manifold pressure and air flow where a unit tells another (SAE J1979, PID 4F byte D in
# steps of 10 kPa, PID 50 byte A in steps of 10 g/s; 0 means the usual). Boosted engines do.
_SCALES = ((0x4F, 4, 3, 0x0B, 255.0), (0x50, 4, 0, 0x10, 655.35))


@dataclass(frozen=True, slots=True)
class Frame:
    """A freeze frame: the code that froze it, and the values then by channel."""

    unit: int
    code: Code
    values: dict[str, float] = field(default_factory=dict)


class Diagnostics:
    """Asks the units of one vehicle."""

    def __init__(self, transport: Transport) -> None:
        self.transport = transport
        self._known: dict[int, dict[int, Parameter]] = {}
        self._many: dict[int, bool] = {}

    def units(self) -> tuple[int, ...]:
        """The units that answer at all (to the list of supported values), in whatever way."""
        return tuple(sorted(self.transport.ask_all(b"\x01\x00")))

    def supported(self, unit: int) -> tuple[Parameter, ...]:
        """The values that a unit offers, of those that are worth asking for, scaled as it says.

        Raises:
            NoAnswer, Refused, Garbled, LinkLost: as `Transport.ask`.
        """
        offered: set[int] = set()
        for base in range(0x00, 0xE0, 0x20):
            answer = self.transport.ask(unit, bytes([0x01, base]))
            if len(answer) < 6:
                raise Garbled(
                    say(
                        "Control unit {unit} told {len} bytes where 6 belong.",
                        unit=unit,
                        len=len(answer),
                    )
                )
            bits = int.from_bytes(answer[2:6], "big")
            offered |= {base + n for n in range(1, 33) if bits >> (32 - n) & 1}
            if base + 0x20 not in offered:
                break
        self._known[unit] = self._rescaled(unit, offered)
        return tuple(p for p in self._known[unit].values() if p.pid in offered)

    def _rescaled(self, unit: int, offered: set[int]) -> dict[int, Parameter]:
        known = {p.pid: p for p in parameters()}
        for pid, size, byte, about, usual in _SCALES:
            if pid not in offered or about not in offered:
                continue
            try:
                answer = self.transport.ask(unit, bytes([0x01, pid]))
            except (Refused, NoAnswer, Garbled):
                continue  # it offers the scale and does not tell it: the usual one is the best guess
            if len(answer) == 2 + size and answer[2 + byte]:
                before = known[about]
                known[about] = replace(before, scale=before.scale * 10.0 * answer[2 + byte] / usual)
        return known

    def values(self, unit: int, wanted: tuple[Parameter, ...]) -> dict[str, float]:
        """Values by channel, up to six in one request where the unit allows it.

        A unit that answers some of several is asked for the others one by one.

        Raises:
            NoAnswer, Refused, Garbled, LinkLost: as `Transport.ask`.
        """
        told: dict[str, float] = {}
        if len(wanted) > 1 and self._many.get(unit, True):
            try:
                for first in range(0, len(wanted), _PER_REQUEST):
                    told |= self._several_surely(unit, wanted[first : first + _PER_REQUEST])
            except (NoAnswer, Refused, Garbled):
                if self._many.get(unit):
                    raise
                self._many[unit] = False
            else:
                missing = tuple(p for p in wanted if p.channel not in told)
                more = self._one_by_one(unit, missing)
                # What does not come alone either is not there now; what does was lost among several.
                self._many[unit] = not more
                return told | more
        alone = self._one_by_one(unit, tuple(p for p in wanted if p.channel not in told))
        if wanted and not (told or alone):
            return self._several(unit, wanted[:1])
        return told | alone

    def _one_by_one(self, unit: int, wanted: tuple[Parameter, ...]) -> dict[str, float]:
        told: dict[str, float] = {}
        for parameter in wanted:
            try:
                told |= self._several(unit, (parameter,))
            except (Refused, Garbled):
                continue  # this one value is not to be had now; `VehicleSource` tells which stay away
            except NoAnswer:
                break  # who says nothing to one says nothing to the next, and each would cost a second
        return told

    def tells_several(self, unit: int) -> bool:
        """Whether a unit has been seen to answer several values in one request."""
        return self._many.get(unit, False)

    def _several_surely(self, unit: int, wanted: tuple[Parameter, ...]) -> dict[str, float]:
        """As `_several`, asked again where one silence would be taken for a unit that can't do it."""
        try:
            return self._several(unit, wanted, _TRIAL_S if unit not in self._many else ANSWER_S)
        except NoAnswer:
            if unit in self._many:
                raise
            return self._several(unit, wanted, _TRIAL_S)

    def _several(
        self, unit: int, wanted: tuple[Parameter, ...], wait_s: float = ANSWER_S
    ) -> dict[str, float]:
        answer = self.transport.ask(unit, bytes([0x01, *(p.pid for p in wanted)]), wait_s)
        return self._parsed(unit, answer[1:], {p.pid for p in wanted})

    def _parsed(self, unit: int, data: bytes, wanted: set[int]) -> dict[str, float]:
        table = self._known.get(unit) or {p.pid: p for p in parameters()}
        told, at = {}, 0
        while at < len(data):
            known = table.get(data[at])
            if known is None or known.pid not in wanted:
                raise Garbled(
                    say(
                        "Control unit {unit} told value {data:02X}, which was not asked for.",
                        unit=unit,
                        data=data[at],
                    )
                )
            raw = data[at + 1 : at + 1 + known.size]
            if len(raw) < known.size:
                raise Garbled(
                    say("Control unit {unit} cut value {pid:02X} short.", unit=unit, pid=known.pid)
                )
            told[known.channel] = known.value(raw)
            at += 1 + known.size
        return told

    # -- codes -------------------------------------------------------------------------------------

    def codes(self) -> CodesRead:
        """All codes of all units, and of each unit and service what came of the question."""
        return read_all_codes(self.transport)

    def freeze_frames(self) -> tuple[Frame, ...]:
        """The freeze frame of each unit that has one."""
        found = []
        for unit, outcome in sorted(self.transport.ask_all(b"\x02\x02\x00").items()):
            answer = outcome.answer if outcome.is_told else b""
            number = int.from_bytes(answer[3:5], "big") if len(answer) >= 5 else 0
            if number:
                found.append(Frame(unit, Code(number), self._frozen(unit)))
        return tuple(found)

    def _frozen(self, unit: int) -> dict[str, float]:
        told: dict[str, float] = {}
        table = self._known.get(unit) or {p.pid: p for p in parameters()}
        for parameter in table.values():
            outcome = self.transport.ask_each((unit,), bytes([0x02, parameter.pid, 0x00]))[unit]
            if outcome.kind is Kind.SILENT:
                break  # a unit that is gone is not asked twenty times more
            raw = outcome.answer[3 : 3 + parameter.size] if outcome.is_told else b""
            if len(raw) == parameter.size:
                told[parameter.channel] = parameter.value(raw)
        return told

    def identity(self, unit: int) -> dict[str, str]:
        """What service 09 tells: `vehicle` (the identification number), `calibration`, `name`."""
        told = {}
        for info, name in ((0x02, "vehicle"), (0x04, "calibration"), (0x0A, "name")):
            outcome: Outcome = self.transport.ask_each((unit,), bytes([0x09, info]))[unit]
            if outcome.kind is Kind.SILENT:
                break  # who is silent to one is silent to all, and each would cost a second
            text = bytes(b for b in outcome.answer[3:] if 32 <= b < 127).decode("ascii").strip()
            if outcome.is_told and text:
                told[name] = text
        return told
