"""Codes out of a text with prose around them, and codes as CSV, in and out.

A report names a module, then its codes, each with a status on its line or under a heading. What is no
usual notation counts inside prose only where such a code is known: "P 1500 mbar" is no code.
"""

import csv
import io
import re
from collections.abc import Iterable
from pathlib import Path

from nervus.codes.notation import Code, CodeUnreadable, read_code
from nervus.domain.errors import OutsideError
from nervus.domain.job import CodeState, SeenCode
from nervus.files.recording_writer import formula_safe, plain_again
from nervus.knowledge import known_codes
from nervus.language import say

_STRICT = re.compile(
    r"(?<![A-Za-z0-9])([PCBUpcbu][0-3][0-9A-Fa-f]{3})(?:[-:]?([0-9A-Fa-f]{2}))?(?![A-Za-z0-9])"
)
_LOOSE = re.compile(
    r"(?<![A-Za-z0-9])([PCBUpcbu][ -][0-3][0-9A-Fa-f]{3}|0[xX][0-9A-Fa-f]{4})"
    r"(?:[-:]([0-9A-Fa-f]{2}))?(?![A-Za-z0-9])"
)
_MODULE = re.compile(r"^\s*(?:module|control unit|unit|ecu|system)\s*[:=-]\s*(?P<name>\S.*?)\s*$", re.I)
_STATES = {
    CodeState.PERMANENT: re.compile(r"\bpermanent", re.I),
    CodeState.PENDING: re.compile(r"\bpending\b|\bmaturing\b", re.I),
    CodeState.HISTORY: re.compile(r"\bhistor|\bpast\b|\bsporadic|\bintermittent", re.I),
    CodeState.STORED: re.compile(r"\bstored\b|\bconfirmed\b|\bactive\b|\bcurrent\b", re.I),
}
_STATUS_BYTE = re.compile(r"\bstatus\s*(?:byte)?\s*[:=]?\s*0x([0-9A-Fa-f]{2})\b", re.I)
_LONGEST, _MOST = 2_000_000, 2_000
_NO_STATES: tuple[CodeState, ...] = ()
_COLUMNS = ("code", "module", "states", "status", "says")


class CodesUnreadable(OutsideError):
    """A text or file that can't be taken as codes."""


def codes_in_text(text: str) -> tuple[SeenCode, ...]:
    """All codes in a text, in their order, each once for its module; none is an empty row.

    Raises:
        CodesUnreadable: it is too long to be a report of one vehicle.
    """
    if len(text) > _LONGEST:
        raise CodesUnreadable(
            say("The text is too long for a report; accepted is up to 2 million signs.")
        )
    found: dict[tuple[str, str], SeenCode] = {}
    module, heading = "", _NO_STATES
    for line in text.splitlines():
        codes = _codes_of(line)
        states = _states_of(line)
        named = _MODULE.match(line)
        if named is not None and not codes:
            module, heading = named["name"][:200], _NO_STATES
            continue
        if not codes:
            heading = states if states else heading
            continue
        for code, says in codes:
            key = (module, str(code))
            before = found.get(key)
            now = states or heading
            all_states = tuple(s for s in CodeState if s in now or (before and s in before.states))
            byte = _STATUS_BYTE.search(line)
            found[key] = SeenCode(
                code=str(code),
                module=module,
                states=all_states,
                status=int(byte[1], 16) if byte else (before.status if before else None),
                says=says or (before.says if before else ""),
            )
        if len(found) > _MOST:
            raise CodesUnreadable(
                say("More than {most} codes: that is no report of one vehicle.", most=_MOST)
            )
    return tuple(found.values())


def _codes_of(line: str) -> list[tuple[Code, str]]:
    matches = [(m, True) for m in _STRICT.finditer(line)] + [(m, False) for m in _LOOSE.finditer(line)]
    found = []
    for match, usual in sorted(matches, key=lambda pair: pair[0].start()):
        code = read_code(match[1] if match[2] is None else f"{match[1]}-{match[2]}")
        if usual or code.base in known_codes():
            found.append((code, match.end()))
    alone = len(found) == 1
    return [(code, _says(line[end:]) if alone else "") for code, end in found]


def _says(rest: str) -> str:
    return rest.strip(" \t:;,.-|()")[:500]


def _states_of(line: str) -> tuple[CodeState, ...]:
    return tuple(state for state, pattern in _STATES.items() if pattern.search(line))


def write_codes_csv(codes: Iterable[SeenCode]) -> str:
    """Codes as CSV with a header; what a spreadsheet would run as a formula is defused."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(_COLUMNS)
    for seen in codes:
        status = f"0x{seen.status:02X}" if seen.status is not None else ""
        states = " ".join(seen.states)
        writer.writerow(map(formula_safe, (seen.code, seen.module, states, status, seen.says)))
    return text.getvalue()


def read_codes_file(path: Path) -> tuple[SeenCode, ...]:
    """Codes from a file: our CSV, or any text in which codes stand.

    Raises:
        CodesUnreadable: it can't be read, or no code stands in it.
    """
    try:
        if path.stat().st_size > _LONGEST:
            raise CodesUnreadable(
                say("{name}: too large for a report; accepted is up to 2 MB of text.", name=path.name)
            )
        text = path.read_text(encoding="utf-8-sig")
    except OSError as wrong:
        raise CodesUnreadable(
            say("{name}: it can't be read ({strerror}).", name=path.name, strerror=wrong.strerror)
        ) from wrong
    except UnicodeDecodeError as wrong:
        raise CodesUnreadable(
            say(
                "{name}: byte {start} is no text; accepted is UTF-8 text or CSV.",
                name=path.name,
                start=wrong.start,
            )
        ) from wrong
    ours = text.startswith(",".join(_COLUMNS))
    found = _our_csv(path.name, text) if ours else codes_in_text(text)
    if not found and not ours:
        raise CodesUnreadable(
            say("{name}: no trouble code stands in it, such as P0121.", name=path.name)
        )
    return found


def _our_csv(name: str, text: str) -> tuple[SeenCode, ...]:
    found = []
    try:
        for row in csv.DictReader(io.StringIO(text), strict=True):
            cells = {key: _bare(cell) for key, cell in row.items() if key}
            found.append(_from_row(cells))
    except (csv.Error, ValueError, CodeUnreadable) as wrong:
        line = len(found) + 2
        raise CodesUnreadable(
            say("{name}, line {line}: {wrong}", name=name, line=line, wrong=wrong)
        ) from wrong
    return tuple(found)


def _from_row(row: dict[str, str]) -> SeenCode:
    states = row.get("states", "").split()
    strange = set(states) - set(CodeState)
    if strange:
        raise ValueError(
            say(
                "“{min}” is no state; accepted is {join}.",
                min=min(strange)[:40],
                join=", ".join(CodeState),
            )
        )
    status = int(row["status"], 16) if row.get("status") else None
    if status is not None and not 0 <= status <= 255:
        raise ValueError(say("a status byte is 0x00 to 0xFF."))
    return SeenCode(
        code=str(read_code(row.get("code", ""))),
        module=row.get("module", "")[:200],
        states=tuple(CodeState(s) for s in states),
        status=status,
        says=row.get("says", ""),
    )


def _bare(cell: str | None) -> str:
    return plain_again(cell or "")
