"""All trouble codes of all control units, and what came of every question that could have told one.

A silence is no "none": of each unit and service it is kept whether it told, refused, stayed silent or
gave a broken answer, and "no codes" is said only where every unit that was heard told so.
"""

from collections.abc import Iterable
from dataclasses import dataclass

from nervus.codes.notation import Code, CodeStatus
from nervus.language import say, say_many
from nervus.link.addresses import USUAL, name_of
from nervus.link.outcome import SILENT, Kind, Outcome
from nervus.link.transport import Transport

STORED, PENDING, PERMANENT = "stored", "pending", "permanent"
CODE_SERVICES = ((0x03, STORED), (0x07, PENDING), (0x0A, PERMANENT))
# Bits of the status byte that make a code worth telling: failing, pending or confirmed (ISO 14229-1,
# D.2).
_COUNTS = 0x0D
_WITH_STATUS = bytes([0x19, 0x02, _COUNTS])
# A unit that was heard once is asked so often before its silence counts; it may be starting anew.
_TIMES, _ALONE_S, _USUAL_S = 3, 1.0, 0.3
_ASKED_OFTEN = frozenset({0x03, 0x07})


@dataclass(frozen=True, slots=True)
class ReadCode:
    """A code as one unit told it.

    Attributes:
        unit: as `addresses` numbers them.
        code: with its failure type where the unit tells it.
        kinds: `stored`, `pending`, `permanent`, in that order, as far as it is each.
        status: the status byte, where the unit tells it.
    """

    unit: int
    code: Code
    kinds: tuple[str, ...]
    status: CodeStatus | None = None


class UnitCodes:
    """What one unit told of its codes, service by service.

    Attributes:
        outcomes: by service, the last of each.
        complaints: what did not fit in what it told.
    """

    def __init__(self, unit: int) -> None:
        self.unit = unit
        self.outcomes: dict[int, Outcome] = {}
        self.complaints: list[str] = []
        self._kinds: dict[Code, list[str]] = {}
        self._full: dict[Code, CodeStatus] = {}

    def take(self, service: int, outcome: Outcome) -> None:
        """Keep what came of a question, if it is better than what came before."""
        before = self.outcomes.get(service)
        if before is not None and before.is_told:
            return
        self.outcomes[service] = outcome
        if outcome.is_told and service == 0x19:
            self._take_full(outcome.answer)
        elif outcome.is_told:
            self._take_plain(dict(CODE_SERVICES)[service], outcome.answer)

    def _take_plain(self, kind: str, answer: bytes) -> None:
        codes, complaint = counted_codes(answer)
        if complaint:
            self.complaints.append(
                say(
                    "{name_of}, {kind} codes: {complaint}",
                    name_of=name_of(self.unit),
                    kind=kind,
                    complaint=complaint,
                )
            )
        for code in codes:
            kinds = self._kinds.setdefault(code, [])
            if kind not in kinds:
                kinds.append(kind)

    def _take_full(self, answer: bytes) -> None:
        if len(answer[3:]) % 4:
            self.complaints.append(
                say("{name_of}: the last code with status is cut short", name_of=name_of(self.unit))
            )
        for code, status in codes_with_status(answer):
            if status & _COUNTS or code.base in self._kinds:
                self._full[code] = CodeStatus(status)

    def codes(self) -> tuple[ReadCode, ...]:
        """Every code that it told, each failure type its own, in the order of their numbers."""
        found = []
        for full, status in self._full.items():
            kinds = set(self._kinds.get(full.base, ()))
            if not self._kinds.get(full.base):
                kinds |= {STORED} if status.confirmed else set()
                kinds |= {PENDING} if status.pending else set()
            found.append(ReadCode(self.unit, full, _in_order(kinds), status))
        with_type = {full.base for full in self._full}
        found += [
            ReadCode(self.unit, code, _in_order(kinds))
            for code, kinds in self._kinds.items()
            if code not in with_type
        ]
        return tuple(sorted(found, key=lambda f: f.code.sort_key))

    def missing(self) -> tuple[str, ...]:
        """What this unit did not tell, each in words; nothing where it told all it has."""
        full = self.outcomes.get(0x19, SILENT)
        told = list(self.complaints)
        for service, kind in CODE_SERVICES:
            outcome = self.outcomes.get(service, SILENT)
            if outcome.is_told or (kind == PERMANENT and outcome.is_not_offered):
                continue
            if kind != PERMANENT and full.is_told and outcome.kind is not Kind.BROKEN:
                continue
            told.append(
                say(
                    "{name_of}, {kind} codes: {text}",
                    name_of=name_of(self.unit),
                    kind=kind,
                    text=outcome.text,
                )
            )
        # Not to have it is usual, and so is not to say so; to begin and not to end is neither.
        is_usual = full.is_told or full.is_not_offered or (full.kind is Kind.SILENT and not full.reason)
        if not is_usual:
            told.append(
                say("{name_of}, codes with status: {text}", name_of=name_of(self.unit), text=full.text)
            )
        return tuple(told)


@dataclass(frozen=True, slots=True)
class CodesRead:
    """What all units told.

    Attributes:
        units: those that were heard, in whatever way.
        codes: all codes, by unit and number.
        missing: what was not told, each in words; empty only where every unit told all.
    """

    units: tuple[int, ...]
    codes: tuple[ReadCode, ...]
    missing: tuple[str, ...]

    @property
    def surely_none(self) -> bool:
        """Whether every unit that was heard told that it has none."""
        return bool(self.units) and not self.codes and not self.missing

    @property
    def text(self) -> str:
        """How many there are and what is not known, in words."""
        units = say_many("{count} control unit", "{count} control units", len(self.units))
        if not self.units:
            return say("No control unit was heard, so nothing is known of codes.")
        if self.surely_none:
            return say("No codes: {units} told so.", units=units)
        count = say_many(
            "{count} code from {units}.", "{count} codes from {units}.", len(self.codes), units=units
        )
        if not self.missing:
            return count
        head = (
            count
            if self.codes
            else say("No code was told by {units}, but that does not mean none.", units=units)
        )
        return "\n".join([say("{head} Not told:", head=head), *self.missing])


def read_all_codes(transport: Transport) -> CodesRead:
    """Ask all units for all codes: all at once, then each that was heard alone for what it did not tell.

    Raises:
        LinkLost, Stopped: as `Transport.ask`.
    """
    units: dict[int, UnitCodes] = {}

    def take(service: int, outcomes: dict[int, Outcome]) -> None:
        for unit, outcome in outcomes.items():
            units.setdefault(unit, UnitCodes(unit)).take(service, outcome)

    heard = set(transport.ask_all(b"\x01\x00"))
    for service, _ in CODE_SERVICES:
        take(service, transport.ask_all(bytes([service])))
    # Some answer only when they are asked alone, some know only the newer service.
    for request in (b"\x03", _WITH_STATUS):
        others = [u for u in USUAL if u not in units and u not in heard]
        found = transport.ask_each(others, request, _USUAL_S)
        take(request[0], {u: o for u, o in found.items() if o.kind is not Kind.SILENT or o.reason})
    for unit in sorted(heard - set(units)):
        units[unit] = UnitCodes(unit)
    _ask_alone(transport, tuple(units.values()))
    codes = tuple(c for unit in sorted(units) for c in units[unit].codes())
    missing = tuple(m for unit in sorted(units) for m in units[unit].missing())
    return CodesRead(tuple(sorted(units)), codes, missing)


def _ask_alone(transport: Transport, units: tuple[UnitCodes, ...]) -> None:
    """Ask the units that were heard for what they have not told, together and until they have."""
    requests = (*(bytes([service]) for service, _ in CODE_SERVICES), _WITH_STATUS)
    for request in requests:
        for number in range(_TIMES):
            # Older units have no permanent codes, many no codes with status, and don't say so: of these
            # one silence is enough.
            often = number == 0 or request[0] in _ASKED_OFTEN
            open_ones = [u for u in units if _is_open(u.outcomes.get(request[0]), often=often)]
            outcomes = transport.ask_each([u.unit for u in open_ones], request, _ALONE_S)
            for unit in open_ones:
                unit.take(request[0], outcomes[unit.unit])
            if not open_ones:
                break


def _is_open(outcome: Outcome | None, *, often: bool) -> bool:
    """Whether asking again may bring more."""
    if outcome is None:
        return True
    return outcome.kind is Kind.BROKEN or (outcome.kind is Kind.SILENT and often)


def _in_order(kinds: Iterable[str]) -> tuple[str, ...]:
    return tuple(kind for _, kind in CODE_SERVICES if kind in kinds)


def codes_with_status(answer: bytes) -> tuple[tuple[Code, int], ...]:
    """Codes with failure type, and their status bytes, of an answer to 19 02 (ISO 14229-1)."""
    rows = answer[3:]
    found = []
    for at in range(0, len(rows) // 4 * 4, 4):
        number = int.from_bytes(rows[at : at + 2], "big")
        if number:
            found.append((Code(number, rows[at + 2]), rows[at + 3]))
    return tuple(found)


def counted_codes(answer: bytes) -> tuple[tuple[Code, ...], str]:
    """Codes of an answer to service 03, 07 or 0A on CAN, and what does not fit: a count, two bytes each.

    All that came is given, each code once, whatever the count says.
    """
    rows = answer[2:]
    count, whole = (answer[1] if len(answer) > 1 else 0), len(rows) // 2
    numbers = [int.from_bytes(rows[2 * n : 2 * n + 2], "big") for n in range(whole)]
    codes = tuple(dict.fromkeys(Code(number) for number in numbers if number))
    # Padding behind the counted ones is usual where a unit always fills its frame.
    if len(answer) < 2 or whole < count or len([n for n in numbers if n]) > count or len(rows) % 2:
        return codes, say(
            "it counts {count} and tells {len}", count=count, len=len([n for n in numbers if n])
        )
    return codes, ""
