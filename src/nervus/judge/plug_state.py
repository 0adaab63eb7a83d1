"""One plug of a job as it stands: what was read, what it comes to, what is wrong in it."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations
from typing import Final

from nervus.domain.job import Change, Job, Reading, of_kind
from nervus.domain.plug import Face, MeterUsed, PinRole, PlugEnd
from nervus.domain.profile import ThrottleProfile
from nervus.judge.of_readings import faces_of
from nervus.language import figures, say
from nervus.pins.comparing import (
    DROP_V,
    Difference,
    Drop,
    against_known_good,
    against_profile,
    drops,
)
from nervus.pins.meter import Meter
from nervus.pins.roles import RoleGuess, guess_roles, told_ohms
from nervus.pins.situation import Situation, situation_of
from nervus.pins.solving import SolvedPlug, solve_plug
from nervus.pins.taken import BATTERY, Taken

# A role is offered from this chance on; ohms below it join two pins.
OFFERED: Final = 0.90
_JOINED_OHMS: Final = 1.0


class Kind(StrEnum):
    """What a sentence is about."""

    WRONG = "wrong"
    OPEN = "open"
    GOOD = "good"


@dataclass(frozen=True, slots=True)
class Told:
    """One sentence, and the readings that it is about."""

    kind: Kind
    text: str
    entries: tuple[str, ...] = ()


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
    told = [
        *_doubts(solved, volts),
        *_compared(differences, lines),
        *_before(job, plug, situation, volts, meter),
        *_named(face, roles),
        *_weak(solved),
    ]
    told.sort(key=lambda one: list(Kind).index(one.kind))
    return PlugState(face, _rows(here, volts, solved), solved, roles, differences, lines, tuple(told))


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


# -- sentences --------------------------------------------------------------------------------------


def pair_words(reading: Reading) -> str:
    """Black and red pin as they are written: `1-3`, or `3 to battery negative`."""
    return (
        f"{reading.black}-{reading.red}"
        if reading.black
        else say("{red} to battery negative", red=reading.red)
    )


def _doubts(solved: SolvedPlug, volts: Sequence[Reading]) -> list[Told]:
    told = []
    for doubt in solved.doubts:
        reading = volts[doubt.reading]
        fits = say(" or ").join(figures("{v:.2f} V", v=v) for v in doubt.fits_v)
        shown = say("nothing") if reading.nothing else figures("{value:g} V", value=reading.value)
        told.append(
            Told(
                Kind.WRONG,
                say(
                    "{pair_words} read {shown} contradicts all others: {fits} would fit. Take it again.",
                    pair_words=pair_words(reading),
                    shown=shown,
                    fits=fits,
                ),
                (reading.id,),
            )
        )
    if solved.one_of:
        names = ", ".join(pair_words(volts[k]) for k in solved.one_of)
        told.append(
            Told(
                Kind.WRONG,
                say(
                    "{names} can't all be right, and which is wrong does not show. Take them again.",
                    names=names,
                ),
                tuple(volts[k].id for k in solved.one_of),
            )
        )
    if solved.misfit_v:
        told.append(
            Told(
                Kind.OPEN,
                say(
                    "Together they fit to {misfit_v:.2f} V only, more than the meter is off: "
                    "something changed while measuring.",
                    misfit_v=solved.misfit_v,
                ),
            )
        )
    if solved.mirrored:
        told.append(
            Told(
                Kind.OPEN,
                say(
                    "No reading has a sign, and all may be the other way round: one pin to battery "
                    "negative settles it."
                ),
            )
        )
    return told


def _before(
    job: Job, plug: PlugEnd, situation: Situation, volts: Sequence[Reading], meter: Meter
) -> list[Told]:
    """Pairs that were measured before the last change to the vehicle, and read otherwise now."""
    changes = of_kind(job.entries, Change)
    if not changes or not volts:
        return []
    since = max(c.at for c in changes)
    earlier = [r for r in of_kind(job.entries, Reading) if r.plug is plug and r.at < since]
    then = {
        (r.black or "", r.red): r.value
        for r in earlier
        if r.red is not None and r.unit == "V" and _same(r, situation)
    }
    now = {(r.black or "", r.red or ""): r.value for r in volts}
    told = []
    for d in against_known_good(now, then, meter):
        if d.marked:
            before = (d.should[0] + d.should[1]) / 2.0
            told.append(
                Told(
                    Kind.OPEN,
                    say(
                        "{what}: {volts:.2f} V now, {before:.2f} V before the change.",
                        what=d.what,
                        volts=d.volts,
                        before=before,
                    ),
                )
            )
    if then and not told:
        told.append(Told(Kind.OPEN, say("All pairs read as they did before the change.")))
    return told


def _weak(solved: SolvedPlug) -> list[Told]:
    told = []
    weak = {label: pin for label, pin in solved.pins.items() if pin.behind_ohms > 0.0}
    if weak:
        names = ", ".join(
            say("{label} behind {told_ohms}", label=label, told_ohms=told_ohms(p.behind_ohms))
            for label, p in weak.items()
        )
        told.append(
            Told(
                Kind.OPEN,
                say(
                    "Weak: {names}. The meter itself pulls them down; a reading between two of "
                    "them shows less than is there.",
                    names=names,
                ),
            )
        )
    floats = [label for label, pin in solved.pins.items() if pin.floats]
    if floats:
        told.append(
            Told(Kind.OPEN, say("Nothing holds {listed}: open, or not used.", listed=_listed(floats)))
        )
    if solved.pins and not solved.against_battery:
        told.append(
            Told(
                Kind.OPEN,
                say("All volts are against the lowest pin: none was read to battery negative."),
            )
        )
    return told


def _listed(labels: Sequence[str]) -> str:
    return (
        say("pin {labels}", labels=labels[0])
        if len(labels) == 1
        else say("pins {join}", join=", ".join(labels))
    )


def _compared(differences: Sequence[Difference], lines: Sequence[Drop]) -> list[Told]:
    told = [
        Told(
            Kind.WRONG,
            say(
                "{what} {volts:.2f} V, where {should:.2f} to {should_:.2f} V is good.",
                what=d.what,
                volts=d.volts,
                should=d.should[0],
                should_=d.should[1],
            ),
        )
        for d in differences
        if d.marked
    ]
    for line in lines:
        if abs(line.volts) - line.unsure_v > DROP_V:
            ohms = (
                say(", about {told_ohms}", told_ohms=told_ohms(line.ohms))
                if line.ohms is not None
                else ""
            )
            told.append(
                Told(
                    Kind.WRONG,
                    say(
                        "{role}: {volts:.2f} ± {unsure_v:.2f} V is lost from plug to plug{ohms}; a "
                        "good line loses less than {drop_v:g} V.",
                        role=line.role,
                        volts=line.volts,
                        unsure_v=line.unsure_v,
                        ohms=ohms,
                        drop_v=DROP_V,
                    ),
                )
            )
    if differences and not any(d.marked for d in differences):
        told.append(Told(Kind.GOOD, say("All that was compared is within its limits.")))
    return told


def _named(face: Face | None, roles: dict[str, RoleGuess]) -> list[Told]:
    told = []
    for label, guess in roles.items():
        pin = face.pin(label) if face is not None else None
        if pin is None or pin.role is not PinRole.UNKNOWN or guess.chance < OFFERED:
            continue
        one = say("; from one reading alone") if guess.from_one else ""
        told.append(
            Told(
                Kind.OPEN if guess.from_one else Kind.GOOD,
                say(
                    "Pin {label} seems to be {role}: {why}{one}.",
                    label=label,
                    role=guess.role,
                    why=guess.why,
                    one=one,
                ),
            )
        )
    return told


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
