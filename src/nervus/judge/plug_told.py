"""What is known of a plug, in sentences: what contradicts, what is lost, what seems to be what."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Final

from nervus.domain.job import Reading
from nervus.domain.plug import Face, PinRole
from nervus.language import figures, say
from nervus.pins.comparing import DROP_V, Difference, Drop
from nervus.pins.roles import RoleGuess, told_ohms
from nervus.pins.solving import Doubt, SolvedPlug

# A role is offered from this chance on.
OFFERED: Final = 0.90


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


def told_of_plug(
    face: Face | None,
    volts: Sequence[Reading],
    solved: SolvedPlug,
    roles: Mapping[str, RoleGuess],
    differences: Sequence[Difference],
    lines: Sequence[Drop],
    changed: Sequence[Difference],
) -> tuple[Told, ...]:
    """All sentences, the most urgent first.

    Args:
        face: as it is drawn, `None` before.
        volts: readings in volts under the condition that is looked at.
        solved: what they come to.
        roles: what each pin seems to be.
        differences: against a profile, and against a known-good table.
        lines: each line from end to end.
        changed: against what was read before the last change to the vehicle.
    """
    told = [
        *_doubts(solved, volts),
        *_compared(differences, lines),
        *_since_the_change(changed),
        *_named(face, roles),
        *_weak(solved),
    ]
    return tuple(sorted(told, key=lambda one: list(Kind).index(one.kind)))


def _pair_words(reading: Reading) -> str:
    """Black and red pin as they are written: `1-3`, or `3 to battery negative`."""
    return (
        f"{reading.black}-{reading.red}"
        if reading.black
        else say("{red} to battery negative", red=reading.red)
    )


def _doubts(solved: SolvedPlug, volts: Sequence[Reading]) -> list[Told]:
    told = [_doubt(doubt, volts[doubt.reading]) for doubt in solved.doubts]
    if solved.one_of:
        names = ", ".join(_pair_words(volts[k]) for k in solved.one_of)
        words = say(
            "{names} can't all be right, and which is wrong does not show. Take them again.",
            names=names,
        )
        told.append(Told(Kind.WRONG, words, tuple(volts[k].id for k in solved.one_of)))
    if solved.misfit_v:
        words = say(
            "Together they fit to {misfit_v:.2f} V only, more than the meter is off: "
            "something changed while measuring.",
            misfit_v=solved.misfit_v,
        )
        told.append(Told(Kind.OPEN, words))
    if solved.mirrored:
        words = say(
            "No reading has a sign, and all may be the other way round: one pin to battery "
            "negative settles it."
        )
        told.append(Told(Kind.OPEN, words))
    return told


def _doubt(doubt: Doubt, reading: Reading) -> Told:
    words = say(
        "{pair_words} read {shown} contradicts all others: {fits} would fit. Take it again.",
        pair_words=_pair_words(reading),
        shown=say("nothing") if reading.nothing else figures("{value:g} V", value=reading.value),
        fits=say(" or ").join(figures("{v:.2f} V", v=v) for v in doubt.fits_v),
    )
    return Told(Kind.WRONG, words, (reading.id,))


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


def _since_the_change(changed: Sequence[Difference]) -> list[Told]:
    told = []
    for d in changed:
        if d.marked:
            words = say(
                "{what}: {volts:.2f} V now, {before:.2f} V before the change.",
                what=d.what,
                volts=d.volts,
                before=(d.should[0] + d.should[1]) / 2.0,
            )
            told.append(Told(Kind.OPEN, words))
    if changed and not told:
        told.append(Told(Kind.OPEN, say("All pairs read as they did before the change.")))
    return told


def _named(face: Face | None, roles: Mapping[str, RoleGuess]) -> list[Told]:
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
