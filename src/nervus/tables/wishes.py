"""What somebody says of a table's columns: names, units, the unit of its time, the order of its dates.

A table that rests on guesses, or whose values can't be, is questioned: the answer is said as options of
the command, so that to agree is to type them.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from dataclasses import replace as dataclass_replace
from pathlib import Path

from msgspec.structs import replace

from nervus.domain.channel import CHANNEL_KINDS, OTHER
from nervus.domain.errors import OutsideError, Place, RecordingUnusable
from nervus.knowledge.columns import conversion, is_time, unit_written
from nervus.language import say
from nervus.tables.doubts import Doubt, likely_time_unit, time_doubt, value_doubts
from nervus.tables.mapping import (
    CHANNEL,
    CLOCK,
    IGNORE,
    MARK,
    MINUTES,
    STAMPS,
    TIME,
    VALUE,
    Column,
    CsvMapping,
    Proposal,
    problem,
    propose,
    split_name,
)
from nervus.tables.reader import TableRead, read_table

_IDS = (*CHANNEL_KINDS, TIME, MARK, OTHER, IGNORE)
_BRACKETED = re.compile(r"^(?P<name>.+?)\s*\[(?P<unit>[^\]]*)\]$")
ORDERS = {"day-first": "day", "month-first": "month"}


@dataclass(frozen=True, slots=True)
class Wish:
    """What was said.

    Attributes:
        columns: name as written to its unit ("" where none was said) and channel.
        time_unit: of the numbers that are the time, "" where none was said.
        dates: `day` or `month`, which comes first in a date; "" where it was not said.
        rate_hz: samples a second, where no column is the time.
        agreed: whether whatever is proposed is agreed to.
    """

    columns: dict[str, tuple[str, str]] = field(default_factory=dict)
    time_unit: str = ""
    dates: str = ""
    rate_hz: float | None = None
    agreed: bool = False

    @property
    def plain(self) -> dict[str, str] | None:
        """Names to channels, where nothing else was said; else `None`."""
        if (
            self.time_unit
            or self.dates
            or self.rate_hz
            or any(unit for unit, _c in self.columns.values())
        ):
            return None
        return {name: channel for name, (_unit, channel) in self.columns.items()}


@dataclass(frozen=True, slots=True)
class Question:
    """One thing that must be agreed to before a table is read.

    Attributes:
        column: its number in the mapping, `None` where it is about the whole.
        text: what is not sure, or can't be, and what it looks like; part of a sentence.
        option: what to add to the command to agree, "" where nothing fits.
        better: the column as it is proposed, `None` where nothing is.
    """

    column: int | None
    text: str
    option: str = ""
    better: Column | None = None


class RecordingQuestioned(RecordingUnusable):
    """A table that is not read before somebody agreed to what it is.

    Attributes:
        proposal: what it may be, with the units that it looks like.
        questions: what must be agreed to.
        options: what to add to the command to agree.
    """

    def __init__(
        self, path: Path, questions: Sequence[Question], proposal: Proposal | None = None
    ) -> None:
        options = tuple(dict.fromkeys(q.option for q in questions if q.option))
        said = (
            say("accepted is the same with {join}", join=" ".join(options))
            if options
            else say("accepted is --map NAME=ID")
        )
        super().__init__(
            Place(path.name),
            "; ".join(q.text for q in questions),
            say("{said}, or what is right instead", said=said),
        )
        self.proposal = proposal
        self.questions = tuple(questions)
        self.options = options


def read_wish(
    pairs: Sequence[str] = (), time_unit: str = "", dates: str = "", rate_hz: float | None = None,
    *, agreed: bool = False,
) -> Wish:  # fmt: skip
    """A wish as it is typed: `NAME=ID`, `NAME[UNIT]=ID`, `NAME=-`.

    Raises:
        OutsideError: a pair, a unit or an order is not one of those that are known.
    """
    columns = {}
    for pair in pairs:
        name, equals, channel = pair.rpartition("=")
        if not equals or not name or channel not in _IDS:
            raise OutsideError(
                say(
                    "--map {pair}: accepted is NAME=ID or NAME[UNIT]=ID, where ID is time_s, mark, "
                    "other (kept, not judged), - (left out) or one of {join}.",
                    pair=pair,
                    join=", ".join(CHANNEL_KINDS),
                )
            )
        columns[name] = _named(pair, name, channel)
    unit = unit_written(time_unit) if time_unit not in STAMPS else time_unit
    if time_unit and not (unit in STAMPS or conversion(unit or "?", "s")):
        raise OutsideError(
            say(
                "--time-unit {time_unit}: accepted is ns, µs, ms, s, min, h, d, {clock} or {minutes}.",
                time_unit=time_unit,
                clock=CLOCK,
                minutes=MINUTES,
            )
        )
    if dates and dates not in ORDERS:
        raise OutsideError(
            say("--dates {dates}: accepted is {join}.", dates=dates, join=" or ".join(ORDERS))
        )
    return Wish(columns, unit, ORDERS.get(dates, ""), rate_hz, agreed)


def _named(pair: str, name: str, channel: str) -> tuple[str, str]:
    """Unit and channel; the unit behind a name is one only where it is known."""
    found = _BRACKETED.match(name)
    if found is None:
        return "", channel
    unit = found["unit"] if found["unit"] in STAMPS else unit_written(found["unit"])
    wanted = CHANNEL_KINDS[channel].unit if channel in CHANNEL_KINDS else "s"
    if channel == OTHER:
        return found["unit"], channel
    if channel in (IGNORE, MARK) or not unit:
        return "", channel
    if unit not in STAMPS and conversion(unit, wanted) is None:
        raise OutsideError(
            say("--map {pair}: {unit} does not become {wanted}.", pair=pair, unit=unit, wanted=wanted)
        )
    return unit, channel


def read_foreign(path: Path, wish: Wish) -> TableRead:
    """A table of any program, as it says itself or as was wished.

    Raises:
        RecordingQuestioned: it rests on guesses, or its values can't be.
        RecordingUnusable: it is no table, or a cell does not fit.
        OutsideError: what was wished names a column that is not there.
    """
    proposal = propose(path)
    mapping, said = _wished(path, proposal, wish)
    read, questions = asked(path, proposal, mapping, said)
    if questions and wish.agreed:
        mapping = better(mapping, questions)
        read, questions = asked(path, proposal, mapping, frozenset(range(len(mapping.columns))))
    if questions or read is None:
        whole = dataclass_replace(proposal, mapping=better(mapping, questions))
        raise RecordingQuestioned(path, questions, whole)
    return dataclass_replace(read, remarks=(*_taken(mapping), *read.remarks))


def asked(
    path: Path, proposal: Proposal, mapping: CsvMapping, said: frozenset[int]
) -> tuple[TableRead | None, list[Question]]:
    """Read a table, and ask what is not sure or can't be.

    Args:
        path: the file.
        proposal: what was found in it.
        mapping: as it is to be read.
        said: numbers of the columns of which somebody said what they are.

    Raises:
        RecordingUnusable: a cell does not fit.
    """
    questions = {
        n: _guess(n, mapping.columns[n])
        for n in proposal.guesses
        if n not in said and mapping.columns[n].channel != IGNORE
    }
    questions |= _twins(proposal, mapping, said)
    wrong = problem(mapping)
    if wrong:
        told = Question(None, wrong[0].lower() + wrong[1:].rstrip("."))
        return None, [told, *(q for q in questions.values() if q.option)]
    read = read_table(path, mapping)
    written = {
        c.channel: c.unit or (str(CHANNEL_KINDS[c.channel].unit) if c.name == c.channel else "")
        for c in mapping.columns if c.channel in CHANNEL_KINDS
    }  # fmt: skip
    if mapping.is_long:
        written = {c.id: str(c.kind.unit) for c in read.recording.channels}
        written |= {c.channel: c.unit for c in mapping.named if c.unit}
    numbers = {c.channel: n for n, c in enumerate(mapping.columns)}
    for doubt in value_doubts(read.recording, read.raw, written):
        if mapping.is_long:
            name = next((c.name for c in mapping.named if c.channel == doubt.channel), doubt.channel)
            questions[-1 - len(questions)] = question_of(doubt, name)
            continue
        number = numbers[doubt.channel]
        settled = number in said and "can't be" not in doubt.wrong
        if not settled:
            questions[number] = _of_doubt(doubt, number, mapping.columns[number])
    questions |= _about_time(read, mapping, questions, said)
    asked_for = [questions[n] for n in sorted(questions)]
    if read.orders:
        text = say("its dates may begin with the day or with the month")
        asked_for.append(Question(None, text, "--dates day-first"))
    return read, asked_for


def better(mapping: CsvMapping, questions: Sequence[Question]) -> CsvMapping:
    """The mapping with all that is proposed."""
    columns, named = list(mapping.columns), {c.name: c for c in mapping.named}
    for question in questions:
        if question.better is None:
            continue
        if question.column is not None:
            columns[question.column] = question.better
        else:
            named[question.better.name] = question.better
    dates = "day" if any(q.option.startswith("--dates") for q in questions) else mapping.dates
    return replace(mapping, columns=tuple(columns), dates=dates, named=tuple(named.values()))


def _wished(path: Path, proposal: Proposal, wish: Wish) -> tuple[CsvMapping, frozenset[int]]:
    """The mapping as it was wished, and the numbers of the columns of which something was said."""
    if proposal.mapping.is_long:
        return _wished_long(proposal.mapping, wish), frozenset()
    columns, said = list(proposal.mapping.columns), set[int]()
    for name, (unit, channel) in wish.columns.items():
        number = _number_of(path, columns, name)
        columns[number] = Column(columns[number].name, unit or columns[number].unit, channel)
        said.add(number)
    _make_room(columns, said, proposal.guesses)
    for number, column in enumerate(columns):
        numbers = column.unit not in STAMPS or wish.time_unit in STAMPS
        if column.channel == TIME and wish.rate_hz:
            columns[number] = replace(column, channel=IGNORE)
        elif column.channel == TIME and wish.time_unit and numbers:
            columns[number] = replace(column, unit=wish.time_unit)
            said.add(number)
    mapping = replace(proposal.mapping, columns=tuple(columns), rate_hz=wish.rate_hz, dates=wish.dates)
    return mapping, frozenset(said)


def _wished_long(mapping: CsvMapping, wish: Wish) -> CsvMapping:
    named = tuple(
        Column(_BRACKETED.sub(r"\g<name>", name) if unit else name, unit, channel)
        for name, (unit, channel) in wish.columns.items()
    )
    columns = tuple(
        replace(c, unit=wish.time_unit) if c.channel == TIME and wish.time_unit else c
        for c in mapping.columns
    )
    return replace(mapping, columns=columns, named=named, dates=wish.dates)


def _make_room(columns: list[Column], said: set[int], guesses: Sequence[int]) -> None:
    """What was said goes before what was proposed."""
    for number in sorted(said):
        wanted = columns[number].channel
        for other, column in enumerate(columns):
            if other in said or column.channel != wanted or wanted in (IGNORE, OTHER):
                continue
            if wanted != TIME or other in guesses:
                columns[other] = replace(column, channel=IGNORE)


def _number_of(path: Path, columns: Sequence[Column], name: str) -> int:
    """The column of this name: as it is written, with or without its unit."""
    bare, bracketed = split_name(name)[0], _BRACKETED.sub(r"\g<name>", name)
    for wanted in (name, bracketed, bare):
        for number, column in enumerate(columns):
            if column.name == wanted:
                return number
    for number, column in enumerate(columns):
        if column.name.casefold() == bare.casefold():
            return number
    known = ", ".join(f"“{c.name[:24]}”" for c in columns[:12])
    raise OutsideError(
        say(
            "{name}: --map names “{name_}”, but its columns are {known}.",
            name=path.name,
            name_=name[:40],
            known=known,
        )
    )


def _option(column: Column) -> str:
    unit = f"[{column.unit}]" if column.unit and column.channel != IGNORE else ""
    name = column.name.replace('"', "'")
    return say('--map "{name}{unit}={channel}"', name=name, unit=unit, channel=column.channel)


def _guess(number: int, column: Column) -> Question:
    """A channel or a unit that is not written in so many words."""
    if (
        column.channel not in CHANNEL_KINDS
    ):  # the time: `_about_time` has seen its numbers, and says more
        return Question(
            number, say("“{name}” may be the time", name=column.name[:40]), _option(column), column
        )
    kind = CHANNEL_KINDS[column.channel]
    proposed = replace(column, unit=column.unit or str(kind.unit))
    text = say(
        "“{name}” may be {title} in {unit}", name=column.name[:40], title=kind.title, unit=proposed.unit
    )
    return Question(number, text, _option(proposed), proposed)


def _twins(proposal: Proposal, mapping: CsvMapping, said: frozenset[int]) -> dict[int, Question]:
    """Columns of numbers left out because another one is that channel already."""
    found = {}
    for number in proposal.left_out:
        column = mapping.columns[number]
        twin = proposal.twins.get(number, "")
        if number in said or column.channel != IGNORE or not twin:
            continue
        if any(c.channel == twin and n in said for n, c in enumerate(mapping.columns)):
            continue
        title = CHANNEL_KINDS[twin].title
        text = say("“{name}” may be {title} as well, and one can be", name=column.name[:40], title=title)
        found[number] = Question(number, text, _option(column), column)
    return found


def question_of(doubt: Doubt, name: str) -> Question:
    """A doubt about a channel that is no table's column, with what to type."""
    return dataclass_replace(_of_doubt(doubt, -1, Column(name, "", doubt.channel)), column=None)


def _of_doubt(doubt: Doubt, number: int, column: Column) -> Question:
    name = f"“{column.name[:40]}”: {doubt.wrong}"
    if not doubt.units:
        left = replace(column, channel=IGNORE)
        return Question(number, say("{name} and fits no other unit", name=name), _option(left), left)
    proposed = Column(column.name, doubt.units[0], doubt.becomes)
    looks = say(" or ").join(doubt.units[:3])
    return Question(
        number, say("{name}; it looks like {looks}", name=name, looks=looks), _option(proposed), proposed
    )


def _about_time(
    read: TableRead, mapping: CsvMapping, questions: dict[int, Question], said: frozenset[int]
) -> dict[int, Question]:
    """Units of the columns of time that are not written, or can't be."""
    found = {}
    for number, column in enumerate(mapping.columns):
        if column.channel != TIME or column.unit in STAMPS or number in said:
            continue
        if number in questions:
            unit = likely_time_unit(read.recording, read.first_stamps.get(number, 0.0), column.unit)
            text = say(
                "“{name}” has no unit that is written out; it looks like {unit}",
                name=column.name[:40],
                unit=unit,
            )
        else:
            doubt = time_doubt(read.recording, column.unit)
            if doubt is None:
                continue
            unit = doubt.units[0] if doubt.units else column.unit or "s"
            text = (
                say(
                    "“{name}”: {wrong}; it looks like {unit}",
                    name=column.name[:40],
                    wrong=doubt.wrong,
                    unit=unit,
                )
                if doubt.units
                else (f"“{column.name[:40]}”: {doubt.wrong}")
            )
        proposed = replace(column, unit=unit)
        named = number not in questions or column.name.casefold() in _plain_times(column)
        option = say("--time-unit {unit}", unit=unit) if named else _option(proposed)
        found[number] = Question(number, text, option, proposed)
    return found


def _plain_times(column: Column) -> tuple[str, ...]:
    return (column.name.casefold(),) if is_time(split_name(column.name)[0]) else ()


def _taken(mapping: CsvMapping) -> list[str]:
    """What was taken for what, and what was left out, of a table whose columns are not named as ours."""
    used = [c for c in mapping.columns if c.channel not in (IGNORE, MARK, CHANNEL, VALUE, OTHER)]
    taken = []
    if any(c.name != c.channel or c.unit for c in used):
        taken.append(say("Read {join}.", join=", ".join(map(_as_taken, used))))
    kept, left = (
        [f"“{c.name[:40]}”" for c in mapping.columns if c.channel == channel and c.name]
        for channel in (OTHER, IGNORE)
    )
    if kept:
        taken.append(say("Kept to be looked at, not judged: {names}.", names=first_names(kept)))
    if left:
        taken.append(say("Left out: {names}.", names=first_names(left)))
    return taken


def first_names(names: list[str]) -> str:
    """The first of so many names as they stand in a sentence."""
    more = say(" and {len} more", len=len(names) - 12) if len(names) > 12 else ""
    return ", ".join(names[:12]) + more


def _as_taken(column: Column) -> str:
    kind = CHANNEL_KINDS.get(column.channel)
    title, usual = (kind.title, str(kind.unit)) if kind is not None else (say("the time"), "s")
    return say(
        "“{name}” as {title} in {value}", name=column.name[:40], title=title, value=column.unit or usual
    )
