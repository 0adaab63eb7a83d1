"""What a reading is of: line, place, state and unit, from the words that stand behind its value."""

import math
import re
from dataclasses import dataclass
from functools import lru_cache

from nervus.domain.job import Reading
from nervus.language import say

_UNITS = {
    "V": ("V", 1.0), "mV": ("V", 1e-3), "v": ("V", 1.0), "Ω": ("Ω", 1.0), "mΩ": ("Ω", 1e-3),
    "kΩ": ("Ω", 1e3), "KΩ": ("Ω", 1e3), "MΩ": ("Ω", 1e6), "ohm": ("Ω", 1.0), "Ohm": ("Ω", 1.0),
    "ohms": ("Ω", 1.0), "kohm": ("Ω", 1e3), "Mohm": ("Ω", 1e6),
    "A": ("A", 1.0), "mA": ("A", 1e-3), "%": ("%", 1.0),
}  # fmt: skip
_TEMPERATURES = ("°C", "° C", "C", "°F")
_OHM_SIGN, _OMEGA = "\N{OHM SIGN}", "\N{GREEK CAPITAL LETTER OMEGA}"
# What a reading's words may say, the more particular first; the first that is found counts.
_PLACES = (
    (
        "plug_to_plug",
        r"(from )?plug to plug|end to end|voltage drop|(von )?stecker zu stecker|spannungs(ab)?fall",
    ),
    ("pin_to_pin", r"pin to pin|pin zu pin"),
    ("pedal_plug", r"(at )?the pedal('s)? plug|pedal plug|(am )?pedalstecker"),
    (
        "unit_plug",
        (
            r"(control[- ]?)?(unit|ecu)('s|s)? (plug|connector|end|side)|at (the )?(ecu|(control )?unit)"
            r"|(am )?(steuer)?gerätestecker|am steuergerät"
        ),
    ),
    (
        "sensor_plug",
        (
            r"(sensor|throttle|tps)('s|s)? (plug|connector|end|side)|at (the )?plug|at the sensor"
            r"|(am )?(sensor|(drossel)?klappen)stecker|am (sensor|stecker)"
        ),
    ),
)
_TO_BATTERY = (
    r"(to|against) (the )?(battery( negative| minus)?|body|earth|chassis)"
    r"|gegen (die )?(batterie( minus)?|karosserie)"
)
_LINES = (
    ("pedal_signal1", r"pedal[- ]?(signal|track|spur) ?1|app ?1"),
    ("pedal_signal2", r"pedal[- ]?(signal|track|spur) ?2|app ?2"),
    ("pedal_supply", r"pedal[- ]?(supply|5 ?v|versorgung)"),
    ("pedal_ground", r"pedal[- ]?((sensor )?ground|masse)"),
    ("motor", r"motor(?! (läuft|an\b))"),
    ("battery", r"battery|system voltage|charging|batterie|bordspannung|ladespannung"),
    ("supply", r"supply|reference|vref|5 ?v\b|versorgung"),
    ("ground", r"ground|masse"),
    ("signal2", r"(signal|track|sig|tps|spur) ?2"),
    ("signal1", r"(signal|track|sig|tps|spur) ?1?"),
)
# A position that the control unit tells, without a word on which track it is made of.
_POSITIONS = (
    ("pedal_signal1", r"pedal( position)?|(gas)?pedal(stellung|wert)?"),
    ("signal1", r"throttle( position| angle)?|(drossel)?klappe(n(stellung|winkel))?"),
)
_STATES = (
    ("plug_off", r"plug off|unplugged|disconnected|both off|stecker ab|abgezogen|gezogen"),
    ("key_off", r"key off|ignition off|zündung aus"),
    ("running", r"engine running|running|at idle|motor (läuft|an\b)|im leerlauf"),
    ("cranking", r"cranking|while starting|beim (starten|anlassen)"),
    ("wide_open", r"(throttle )?wide open|wot|full throttle|pressed|ganz offen|vollgas|getreten"),
    ("half_open", r"half open|half|halb"),
    ("closed", r"closed|released|at rest|geschlossen|losgelassen|klappe zu"),
    ("moved", r"(harness |plug )?(moved|shaken|wiggled|bent)|bewegt|gerüttelt"),
    ("hot", r"\b(hot|heiß)\b"),
    ("wet", r"\b(wet|nass)\b"),
)
_GROUNDS = ("ground", "pedal_ground")
_ON_GROUND = ([_GROUNDS[0]], [_GROUNDS[1]])
# No reading of this circuit is above so many volts, or amperes; no position is beyond this percentage.
_MOST_VOLTS, _MOST_AMPERES, _LEAST_PCT, _MOST_PCT = 60.0, 60.0, -5.0, 110.0


@dataclass(frozen=True, slots=True)
class Measured:
    """A reading that was understood.

    Attributes:
        line: `supply`, `ground`, `signal1`, `signal2`, `motor` or `battery`.
        pedal: whether it is a line of the pedal's sensor.
        place: where, "" where that is not said.
        states: those that are said; `to_battery` where the other probe is there.
        unit: `V`, `Ω`, `A`, or `%` of what the control unit tells.
        value: in that unit; infinite for no continuity.
        against: the line under the other probe, "" for battery negative.
        signed: whether the polarity is known.
    """

    line: str
    pedal: bool
    place: str
    states: frozenset[str]
    unit: str
    value: float
    against: str = ""
    signed: bool = True


def understand(reading: Reading) -> Measured | str:
    """What a reading is of, or in words why it is not weighed."""
    return _understood(
        reading.unit, reading.where, reading.conditions, reading.value, open_line=reading.nothing
    )


@lru_cache(maxsize=2048)
def _understood(
    written: str, said_where: str, said_when: str, number: float, *, open_line: bool
) -> Measured | str:
    """The same; a job's readings are understood again with each entry that is added to it."""
    unit = _UNITS.get(written.strip().replace(_OHM_SIGN, _OMEGA))
    if unit is None:
        return _strange(written)
    where, conditions = (
        " ".join(said.lower().replace("\N{RIGHT SINGLE QUOTATION MARK}", "'").split())
        for said in (said_where, said_when)
    )
    words = f"{where} {conditions}"
    to_battery = re.search(_TO_BATTERY, words) is not None
    place, rest = _first(re.sub(_TO_BATTERY, " ", words), _PLACES)
    lines = _lines_of(_first(re.sub(_TO_BATTERY, " ", where), _PLACES)[1]) or _lines_of(rest)
    if not lines and unit[0] == "%":
        lines = [name for name, pattern in _POSITIONS if re.search(pattern, words)][:1]
    if not lines:
        return say("no line of the circuit is named in it")
    if unit[0] == "Ω" and len(lines) > 1 and not (place == "pin_to_pin" and lines[1] in _GROUNDS):
        return say(
            "ohms between two lines: of one from “plug to plug”, “pin to pin” or “to battery negative”"
        )
    # Where an ohmmeter shows that there is no way through, a 0 stands for it.
    value = math.inf if open_line and unit[0] == "Ω" else number * unit[1]
    wrong = _impossible(value, unit[0])
    if wrong:
        return wrong
    states = {name for name, pattern in _STATES if re.search(pattern, rest)}
    if to_battery:
        states.add("to_battery")
    against = "ground" if unit[0] == "V" and not to_battery and lines[1:2] in _ON_GROUND else ""
    pedal = lines[0].startswith("pedal_") or place == "pedal_plug"
    line = lines[0].removeprefix("pedal_")
    return Measured(line, pedal, place, frozenset(states), unit[0], value, against)


def _strange(written: str) -> str:
    """Why a reading in a unit that no line of the circuit is measured in is not weighed."""
    if written.strip() in _TEMPERATURES:
        return say("a temperature tells under which conditions the rest was read, of no line by itself")
    return say("a reading in “{unit}” has no place in the circuit", unit=written[:20])


def _impossible(value: float, unit: str) -> str:
    if unit == "A" and not abs(value) <= _MOST_AMPERES:
        return say(
            "{value:g} A can't be in this circuit: look at the clamp's range and write it again",
            value=value,
        )
    if unit == "%" and not _LEAST_PCT <= value <= _MOST_PCT:
        return say("{value:g} % can't be a position: write what the control unit tells", value=value)
    if unit == "V" and not abs(value) <= _MOST_VOLTS:
        return say(
            "{value:g} V can't be in this circuit: look at the meter's range and write it again",
            value=value,
        )
    if unit == "Ω" and (value < 0.0 or math.isnan(value)):
        return say("{value:g} Ω can't be: the key was on, or the leads were not zeroed", value=value)
    return ""


def _lines_of(words: str) -> list[str]:
    """The lines in the order in which they are named: the measured one, then against what."""
    found: dict[str, int] = {}
    left = words
    for name, pattern in _LINES:
        # What a more particular name took is not found again by a shorter one.
        for match in re.finditer(pattern, left):
            found.setdefault(name, match.start())
        left = re.sub(pattern, lambda match: " " * len(match[0]), left)
    return sorted(found, key=lambda name: found[name])


def _first(words: str, rows: tuple[tuple[str, str], ...]) -> tuple[str, str]:
    """The first row that is found in the words, and the words without it."""
    for name, pattern in rows:
        if re.search(pattern, words):
            return name, re.sub(pattern, " ", words)
    return "", words
