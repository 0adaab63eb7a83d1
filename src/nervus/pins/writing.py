"""Readings as people write them: `1-3 4.3`, `2 5 0,02`, `4 nothing`, several, a pasted table."""

import re
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from typing import Final

from nervus.domain.errors import OutsideError
from nervus.language import say
from nervus.pins.taken import BATTERY

# More than a charged battery gives is no reading of a vehicle; more than the sensors' supply may be
# right at a pin that the battery feeds.
MOST_V: Final = 16.0
# What people write where the meter beeped.
_BEEPS: Final = ("continuity", "beep", "beeps", "through", "durchgang", "piept")
# An open line, on a meter that shows a number for it.
_MOST_OHMS: Final = 1e9
_NOTHING = re.compile(
    r"(?:nothing|none|nichts|keine?|offen|—|–|-|o\.?l\.?|ovld|open|inf(?:inite)?)$",  # noqa: RUF001
    re.I,
)
_PIN: Final = r"[A-Za-z]?\d{1,4}|[A-Za-z]{1,2}"
_PAIR = re.compile(
    rf"(?P<black>{_PIN})\s*[-–—/:]\s*(?P<red>{_PIN})$"  # noqa: RUF001 - as people write it
)
_VALUE = re.compile(r"(?P<sign>[+\-−]?)(?P<number>\d+(?:[.,]\d*)?|[.,]\d+)(?P<unit>[A-Za-zΩµ]*)$")  # noqa: RUF001
_UNITS: Final[dict[str, tuple[str, float]]] = {
    "": ("", 1.0), "v": ("V", 1.0), "mv": ("V", 1e-3), "ohm": ("Ω", 1.0), "ohms": ("Ω", 1.0),
    "ω": ("Ω", 1.0), "k": ("Ω", 1e3), "kω": ("Ω", 1e3), "kohm": ("Ω", 1e3), "m": ("Ω", 1e6),
    "mω": ("Ω", 1e6),
}  # fmt: skip
_ACCEPTED: Final = say(
    "accepted is such as “4.98”, “1-3 4.3”, “2 5 0.02 V”, “1-4 nothing”, or “6 "
    "12.4” for a pin to battery negative"
)
_END_OF_ONE = re.compile(r"[;\n\r\t|]+|,(?!\d)|,(?=\d+\s*[-–—/:])")  # noqa: RUF001


class ReadingUnusable(OutsideError):
    """A text that is no reading of this plug."""


@dataclass(frozen=True, slots=True)
class Written:
    """One reading that was read.

    Attributes:
        black, red: labels, `BATTERY` for battery negative.
        value: in volts or ohms; 0 for nothing.
        unit: `V` or `Ω`.
        signed: whether a sign was written.
        nothing: no voltage, or no continuity.
        named: whether the pair was written, and not taken from the proposal.
    """

    black: str
    red: str
    value: float
    unit: str
    signed: bool
    nothing: bool
    named: bool = False


def read_written(
    text: str, labels: Collection[str], proposed: tuple[str, str], unit: str = "V"
) -> list[Written]:
    """The readings in a text, all of them or none.

    Args:
        text: one or several.
        labels: of the plug's pins.
        proposed: black and red pin of a reading that names none.
        unit: of a value that names none, `V` or `Ω`.

    Raises:
        ReadingUnusable: something in it is none; the sentence says what, and what would be accepted.
    """
    found = [_one(part, labels, proposed, unit) for part in _parts(text)]
    if not found:
        raise ReadingUnusable(say("Nothing is written; {accepted}.", accepted=_ACCEPTED))
    return found


def _parts(text: str) -> Iterator[str]:
    # A table from a sheet has a tab between pair and value: a row is one reading.
    for line in re.split(r"[;\n\r|]+", text):
        joined = " ".join(line.split("\t"))
        for part in _END_OF_ONE.split(joined):
            if part.strip():
                yield part.strip()


def _one(text: str, labels: Collection[str], proposed: tuple[str, str], unit: str) -> Written:
    words = text.replace("=", " ").split()
    if len(words) > 1 and words[-1].casefold() in _UNITS and _VALUE.match(words[-2]):
        words[-2:] = [words[-2] + words[-1]]
    value, signed, nothing, said_unit = _value(words[-1], text)
    black, red = _ends(words[:-1], labels, proposed, text)
    unit = said_unit or unit
    _check(black, red, value, unit, text)
    if unit == "Ω" and value >= _MOST_OHMS:
        value, nothing = 0.0, True
    return Written(black, red, value, unit, signed, nothing, named=len(words) > 1)


def _value(word: str, text: str) -> tuple[float, bool, bool, str]:
    if _NOTHING.match(word):
        return 0.0, False, True, ""
    if word.casefold() in _BEEPS:
        return 0.0, False, False, "Ω"
    found = _VALUE.match(word)
    if found is None:
        raise ReadingUnusable(
            say("“{text}” ends in no number; {accepted}.", text=text[:40], accepted=_ACCEPTED)
        )
    # A milliohm meter is not met at a plug: a capital letter makes megohms.
    if found["unit"].casefold() not in _UNITS or found["unit"] == "m":
        raise ReadingUnusable(
            say(
                "“{found}” is no unit of a reading at pins; V, mV, Ω, kΩ or MΩ.",
                found=found["unit"][:10],
            )
        )
    value = float(found["number"].replace(",", "."))
    if found["sign"] in ("-", "−"):  # noqa: RUF001
        value = -value
    name, scale = _UNITS[found["unit"].casefold()]
    return value * scale, bool(found["sign"]), False, name


def _ends(
    words: list[str], labels: Collection[str], proposed: tuple[str, str], text: str
) -> tuple[str, str]:
    if not words:
        return proposed
    if len(words) == 1:
        pair = _PAIR.match(words[0])
        if pair is not None:
            return _label(pair["black"], labels), _label(pair["red"], labels)
        return BATTERY, _label(words[0], labels)
    if len(words) == 2:
        return _label(words[0].rstrip("-–—"), labels), _label(words[1].lstrip("-–—"), labels)  # noqa: RUF001
    if len(words) == 3 and words[1] in ("-", "–", "—", "to"):  # noqa: RUF001
        return _label(words[0], labels), _label(words[2], labels)
    raise ReadingUnusable(
        say("“{text}” names more than two pins; {accepted}.", text=text[:40], accepted=_ACCEPTED)
    )


def _label(word: str, labels: Collection[str]) -> str:
    same = next((label for label in labels if label.casefold() == word.casefold()), None)
    if same is None:
        there = ", ".join(labels) or say("none yet")
        raise ReadingUnusable(
            say("There is no pin “{word}” at this plug; it has {there}.", word=word[:10], there=there)
        )
    return same


def _check(black: str, red: str, value: float, unit: str, text: str) -> None:
    if black == red:
        raise ReadingUnusable(
            say("“{text}” is a pin with itself; two pins make a reading.", text=text[:40])
        )
    if unit == "V" and abs(value) > MOST_V:
        raise ReadingUnusable(
            say(
                "{value:g} V can't be at this plug: {most_v:g} V is the most; look at the "
                "meter's range.",
                value=value,
                most_v=MOST_V,
            )
        )
    if unit == "Ω" and value < 0.0:
        raise ReadingUnusable(
            say("{value:g} Ω can't be: the key was on, or the leads were not zeroed.", value=value)
        )
