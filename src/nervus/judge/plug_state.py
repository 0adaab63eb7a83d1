"""One plug of a job as it stands: what was read, what it comes to, what is wrong in it."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Final

from nervus.domain.job import Change, Job, Reading, of_kind
from nervus.domain.plug import Face, MeterUsed, PinRole, PlugEnd
from nervus.domain.profile import ThrottleProfile
from nervus.judge.of_readings import faces_of
from nervus.judge.plug_told import Told, told_of_plug
from nervus.language import say
from nervus.pins.comparing import (
    Difference,
    Drop,
    against_known_good,
    against_profile,
    drops,
)
from nervus.pins.meter import Meter
from nervus.pins.roles import RoleGuess, guess_roles
from nervus.pins.situation import Situation, situation_of
from nervus.pins.solving import SolvedPlug, solve_plug
from nervus.pins.taken import BATTERY, Taken

# Ohms below this join two pins.
_JOINED_OHMS: Final = 1.0


@dataclass(frozen=True, slots=True)
class Row:
    """A reading in the list: the entry, what the solution would have, and whether it contradicts."""

    reading: Reading
    expected: float | None
    wrong: bool


@dataclass(frozen=True, slots=True)
class PlugState:
    """All that is known of a plug under one condition.

    Attributes:
        face: as it is drawn, `None` before.
        rows: readings under this condition, the newest last.
        solved: what they come to.
        roles: what each pin seems to be, by all conditions.
        differences: against the profile, and against a known-good table.
        lines: each line from end to end.
        told: sentences, the most urgent first.
    """

    face: Face | None
    rows: tuple[Row, ...]
    solved: SolvedPlug
    roles: dict[str, RoleGuess]
    differences: tuple[Difference, ...]
    lines: tuple[Drop, ...]
    told: tuple[Told, ...]


def meter_of(job: Job) -> Meter:
    """The meter that was said last, else a usual one."""
    said = of_kind(job.entries, MeterUsed)
    if not said:
        return Meter()
    return Meter(said[-1].ohms, said[-1].percent, said[-1].digits, said[-1].counts)


def readings_at(job: Job, plug: PlugEnd) -> tuple[Reading, ...]:
    """Readings from pin to pin of a plug since the last change to the vehicle."""
    since = max((c.at for c in of_kind(job.entries, Change)), default=job.opened)
    return tuple(
        r
        for r in of_kind(job.entries, Reading)
        if r.plug is plug and r.red is not None and r.at >= since
    )


def plug_state(
    job: Job,
    plug: PlugEnd,
    situation: Situation,
    profile: ThrottleProfile | None = None,
    known_good: Sequence[Reading] = (),
) -> PlugState:
    """Solve, name, compare.

    Args:
        job: with its faces and readings.
        plug: which one is looked at.
        situation: the condition that is looked at.
        profile: what the throttle should do, where one is chosen.
        known_good: readings of a healthy vehicle of this type.
    """
    faces, meter = faces_of(job), meter_of(job)
    face, read = faces.get(plug), readings_at(job, plug)
    here = [r for r in read if _same(r, situation)]
    volts = [r for r in here if r.unit == "V"]
    solved = solve_plug([_taken(r) for r in volts], meter)
    by_situation = _solved_all(read, meter)
    roles = guess_roles(by_situation, job.vehicle.throttle, _joined(read))
    differences = _differences(solved, face, situation, profile, volts, known_good, meter)
    lines = _lines(job, faces, situation, meter)
    now = {(r.black or "", r.red or ""): r.value for r in volts}
    changed = against_known_good(now, _before_the_change(job, plug, situation), meter)
    told = told_of_plug(face, volts, solved, roles, differences, lines, changed)
    return PlugState(face, _rows(here, volts, solved), solved, roles, differences, lines, told)


def rows_at(job: Job, plug: PlugEnd, situation: Situation) -> tuple[Row, ...]:
    """The readings of a plug under one condition, before they are solved."""
    return tuple(Row(r, None, wrong=False) for r in readings_at(job, plug) if _same(r, situation))


def pairs_left(rows: Sequence[Row], *, to_battery: bool, labels: Sequence[str]) -> list[tuple[str, str]]:
    """Pairs (black, red) that are not among the rows, in the order of the pins."""
    done = {frozenset((r.reading.red, r.reading.black)) for r in rows}
    if to_battery:
        return [(BATTERY, label) for label in labels if frozenset((label, BATTERY)) not in done]
    return [pair for pair in combinations(labels, 2) if frozenset(pair) not in done]


def where_words(face: Face | None, plug: PlugEnd, black: str, red: str) -> str:
    """The place of a reading in words: pins, their roles where they are known, the plug."""

    def named(label: str) -> str:
        pin = face.pin(label) if face is not None else None
        role = f" ({pin.role})" if pin is not None and pin.role is not PinRole.UNKNOWN else ""
        return say("pin {label}{role}", label=label, role=role)

    other = named(black) if black else say("battery negative")
    return say("{named} to {other} at the {plug}", named=named(red), other=other, plug=plug)


# -- readings ---------------------------------------------------------------------------------------


def _same(reading: Reading, situation: Situation) -> bool:
    said, wanted = situation_of(reading.conditions).solved_with, situation.solved_with
    if said.key != wanted.key or said.plug != wanted.plug:
        return False
    return wanted.plug == "plug off" or said.throttle == wanted.throttle


def _taken(reading: Reading) -> Taken:
    return Taken(reading.red or "", reading.black or "", reading.value, reading.signed, reading.nothing)


def _solved_all(read: Sequence[Reading], meter: Meter) -> dict[Situation, SolvedPlug]:
    groups: dict[Situation, list[Reading]] = {}
    for reading in read:
        if reading.unit == "V":
            groups.setdefault(situation_of(reading.conditions).solved_with, []).append(reading)
    return {s: solve_plug([_taken(r) for r in group], meter) for s, group in groups.items()}


def _joined(read: Sequence[Reading]) -> list[frozenset[str]]:
    return [
        frozenset((r.red or "", r.black or ""))
        for r in read
        if r.unit == "Ω" and not r.nothing and r.value < _JOINED_OHMS and r.black
    ]


def _rows(here: Sequence[Reading], volts: Sequence[Reading], solved: SolvedPlug) -> tuple[Row, ...]:
    place = {reading.id: number for number, reading in enumerate(volts)}
    wrong = {doubt.reading for doubt in solved.doubts} | set(solved.one_of)
    return tuple(
        Row(
            reading,
            solved.expected[place[reading.id]] if reading.id in place else None,
            place.get(reading.id, -1) in wrong,
        )
        for reading in here
    )


def _before_the_change(job: Job, plug: PlugEnd, situation: Situation) -> dict[tuple[str, str], float]:
    """Volts by pair of pins as they were measured before the last change to the vehicle."""
    changes = of_kind(job.entries, Change)
    if not changes:
        return {}
    since = max(c.at for c in changes)
    return {
        (r.black or "", r.red): r.value
        for r in of_kind(job.entries, Reading)
        if r.plug is plug and r.red is not None and r.at < since and r.unit == "V"
        if _same(r, situation)
    }


# -- comparing --------------------------------------------------------------------------------------


def _differences(
    solved: SolvedPlug,
    face: Face | None,
    situation: Situation,
    profile: ThrottleProfile | None,
    volts: Sequence[Reading],
    known_good: Sequence[Reading],
    meter: Meter,
) -> tuple[Difference, ...]:
    found: tuple[Difference, ...] = ()
    if face is not None and profile is not None and solved.against_battery:
        found = against_profile(solved, face, situation, profile)
    good = {
        (r.black or "", r.red or ""): r.value
        for r in known_good
        if _same(r, situation) and r.unit == "V" and (not volts or r.plug is volts[0].plug)
    }
    read = {(r.black or "", r.red or ""): r.value for r in volts}
    # What was read without a sign is held against the other without its sign.
    for r in volts:
        pair = (r.black or "", r.red or "")
        if not r.signed:
            read[pair] = abs(r.value)
            good |= {p: abs(good[p]) for p in (pair, pair[::-1]) if p in good}
            good |= {pair: good[pair[::-1]]} if pair[::-1] in good else {}
    return found + against_known_good(read, good, meter)


def _lines(job: Job, faces: dict[PlugEnd, Face], situation: Situation, meter: Meter) -> tuple[Drop, ...]:
    ends = (PlugEnd.SENSOR, PlugEnd.UNIT)
    if not set(ends) <= set(faces) or situation.plug == "plug off" or situation.key == "key off":
        return ()
    solved = []
    for end in ends:
        here = [r for r in readings_at(job, end) if _same(r, situation) and r.unit == "V"]
        solved.append(solve_plug([_taken(r) for r in here], meter))
    tracks = 2 if faces[PlugEnd.SENSOR].of_role(PinRole.SIGNAL_2) is not None else 1
    both = (faces[PlugEnd.SENSOR], faces[PlugEnd.UNIT])
    return drops(solved[0], solved[1], both, _track_ohms(job, faces[PlugEnd.SENSOR], tracks), tracks)


def _track_ohms(job: Job, face: Face, tracks: int) -> float | None:
    """Ohms of one track, from the sensor's pins with everything off."""
    ends = (face.of_role(PinRole.SUPPLY), face.of_role(PinRole.GROUND))
    labels = {pin.label for pin in ends if pin is not None}
    for reading in reversed(of_kind(job.entries, Reading)):
        on_it = {reading.red, reading.black} == labels and reading.plug is PlugEnd.SENSOR
        if on_it and reading.unit == "Ω" and not reading.nothing and reading.value > 0.0:
            return reading.value * tracks
    return None
