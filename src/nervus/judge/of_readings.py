"""Readings at pins as observations: how near each is to what every single fault would read.

What is not known of the vehicle is drawn (`expected_readings.py`); the chance of all readings with a
fault is the mean over the draws of what the readings of each draw would be, so readings share what
they share.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Final

import numpy as np

from nervus.circuit.drawn_harness import DRAWS
from nervus.domain.channel import FloatArray
from nervus.domain.job import Job, Reading, of_kind
from nervus.domain.plug import MOTORS, Face, PinRole, PlugEnd
from nervus.domain.profile import ThrottleKind
from nervus.judge.expected_readings import WouldRead, is_drop, ways, would_read
from nervus.judge.reading_words import Measured, understand
from nervus.judge.weighing import Evidence
from nervus.knowledge.tree import Tree
from nervus.language import figures, say
from nervus.pins.situation import situation_of

SOURCE = say("the sensor's circuit solved with each single fault, for drawn vehicles")
# How often a reading is a slip of the hand, or wholly off; the second within the range of all readings.
_SLIP, _GROSS = 0.01, 0.01
# How closely a reading repeats, as a share and in volts: for supplies and grounds, for signals, whose
# place in the travel is known by a word only, and for the battery. Of ohms, in the logarithm of (ohms +
# those of the leads).
_SHARE, _FEED_V, _SIGNAL_V, _BATTERY_V, _LOG_OHMS, _LEADS_OHMS = 0.02, 0.05, 0.12, 0.3, 0.3, 0.3
# The same for what a line drops.
_DROP_V = 0.02
_MOST_OHMS = 1e7
_VOLTS_RANGE, _LOG_RANGE = 15.0, 17.0
# A clamp repeats so well, amperes, and reads up to so much. Source: "from memory".
_AMPERES, _AMPERES_RANGE = 0.06, 12.0
# A percentage is a share of the supply, or of the travel that the unit learned, either as likely; it
# repeats so well; and so often the unit shows a value in its place. Source: "from memory".
_SHARE_PCT, _LEARNED_PCT, _IN_ITS_PLACE, _PCT_RANGE = 2.5, 4.0, 0.12, 110.0
_SUPPLY_V, _LEAST_SPAN_V = 5.0, 0.2
_NO_FACES: Final[Mapping[PlugEnd, Face]] = {}
_LINE_OF: Final = {
    PinRole.SUPPLY: "supply",
    PinRole.GROUND: "ground",
    PinRole.SIGNAL_1: "signal1",
    PinRole.SIGNAL_2: "signal2",
    **dict.fromkeys(MOTORS, "motor"),
}
# Which of two lines the reading is said to be of; the other is what it is held against.
_RANK: Final = ("signal1", "signal2", "motor", "supply", "ground")
_STATE_OF: Final = {
    "plug off": "plug_off",
    "key off": "key_off",
    "engine running": "running",
    "throttle half open": "half_open",
    "throttle wide open": "wide_open",
    "throttle closed": "closed",
}
Chances = tuple[FloatArray, FloatArray]
"""Density with each fault, way and draw, shape (F, 4 * draws), and with a sound vehicle, (draws,)."""


def of_readings(
    readings: Sequence[tuple[Reading, int]],
    tree: Tree,
    throttle: ThrottleKind | None,
    faces: Mapping[PlugEnd, Face] = _NO_FACES,
) -> tuple[list[Evidence], list[tuple[Reading, str]]]:
    """Observations of the readings, each with the changes before it; and what is not weighed.

    Args:
        readings: each with how many changes were made before it.
        tree: the fault tree.
        throttle: its kind.
        faces: the plugs as they are drawn, for readings from pin to pin.
    """
    evidence: list[Evidence] = []
    left: list[tuple[Reading, str]] = []
    weight: dict[int, Chances] = {}
    # What fits so far, of each fault and of a sound vehicle, summing to 1: many readings that no draw
    # fits would come to nothing at all.
    before = np.repeat(ways(tree), DRAWS, axis=1) / DRAWS, np.full(DRAWS, 1.0 / DRAWS)
    for reading, after in readings:
        measured = understand(reading) if reading.red is None else at_pins(reading, faces)
        if isinstance(measured, str):
            left.append((reading, measured))
            continue
        chances = chances_of(measured, throttle)
        if chances is None:
            left.append((reading, say("the circuit has no answer for such a reading")))
            continue
        with_it, without = chances
        held, sound = weight.get(after, before)
        held, sound = held * with_it, sound * without
        shown, as_sound = held.sum(axis=1), float(sound.sum())
        weight[after] = (held / shown[:, None], sound / as_sound)
        where = ", ".join(w for w in (reading.where, reading.conditions) if w) or say("measured")
        text = (
            f"{where}: {say('nothing')}"
            if reading.nothing
            else figures(
                "{where}: {value:g} {unit}", where=where, value=reading.value, unit=reading.unit
            )
        )
        evidence.append(Evidence(text, SOURCE, (reading.id,), shown, as_sound, _SLIP, after))
    return evidence, left


def at_pins(reading: Reading, faces: Mapping[PlugEnd, Face]) -> Measured | str:
    """What a reading from pin to pin is of, by the roles of the pins; or why it is not weighed."""
    face = faces.get(reading.plug) if reading.plug is not None else None
    ends = []
    for label in (reading.red or "", reading.black or ""):
        if label == "":
            ends.append("battery")
            continue
        pin = face.pin(label) if face is not None else None
        if pin is None or pin.role not in _LINE_OF:
            return say("pin {label} has no role yet: say at Pins what it is", label=label)
        ends.append(_LINE_OF[pin.role])
    return _between(reading, ends[0], ends[1])


def _between(reading: Reading, red: str, black: str) -> Measured | str:
    state = situation_of(reading.conditions)
    states = {
        name for words, name in _STATE_OF.items() if words in (state.key, state.plug, state.throttle)
    }
    ohms = reading.unit == "Ω"
    value = math.inf if ohms and reading.nothing else reading.value
    if red == "battery" or (black != "battery" and _RANK.index(red) > _RANK.index(black)):
        red, black, value = black, red, value if ohms else -value
    if red == "battery":
        return say("both probes were on the battery's negative side")
    pedal = reading.plug is PlugEnd.PEDAL
    place = "unit_plug" if reading.plug is PlugEnd.UNIT else "sensor_plug"
    if red == "motor" and black == "motor" and not ohms:
        return say("volts between the motor's lines are the driver's, and it is not weighed")
    if ohms and black != "battery":
        if red != "motor" and black not in ("ground", "supply"):
            return say("ohms between two signals are those of both tracks together")
        # At the unit's plug one measures the sensor through the harness.
        at_unit = reading.plug is PlugEnd.UNIT
        place = "unit_plug" if at_unit and red == "motor" else "through" if at_unit else "pin_to_pin"
    if black == "battery":
        states.add("to_battery")
    against = "" if black in ("battery", "motor") else black
    return Measured(
        red, pedal, place, frozenset(states), reading.unit, value, against, signed=reading.signed
    )


def faces_of(job: Job) -> dict[PlugEnd, Face]:
    """Each plug as it was drawn last."""
    return {face.plug: face for face in of_kind(job.entries, Face)}


@lru_cache(maxsize=256)
def chances_of(m: Measured, throttle: ThrottleKind | None) -> Chances | None:
    """The density of a reading with each fault, way and draw, and with a sound vehicle; or no answer.

    Kept, as a job is weighed again with each entry that is added to it; nobody may write into them.
    """
    both = densities(m, throttle)
    would = would_read(replace(m, value=0.0, signed=True), throttle)
    if both is None or would is None:
        return None
    faulty, sound = both
    there = would.there[:, :, None]
    chances = there * faulty[:, None, :] + (1.0 - there) * sound
    chances = chances.reshape(len(faulty), -1)
    for array in (chances, sound):
        array.setflags(write=False)
    return chances, sound


def densities(
    m: Measured, throttle: ThrottleKind | None, blur: float = 1.0, draws: int = DRAWS
) -> Chances | None:
    """The same with each fault showing while one measures; `blur` times as wide as readings repeat.

    What is drawn stands for what lies between: few draws that fit many readings need to be wider.
    """
    would = would_read(replace(m, value=0.0, signed=True), throttle, draws)
    if would is None:
        return None
    if m.unit == "%":
        return _percentages(m, throttle, would, blur, draws)
    return _density(m, would.faulty, blur), _density(m, would.sound, blur)


def _percentages(
    m: Measured, throttle: ThrottleKind | None, would: WouldRead, blur: float, draws: int
) -> Chances | None:
    """Densities of what a unit tells of a signal, by either scale; ends are those of the sound draw."""
    ends = []
    for end in ("closed", "wide_open"):
        others = m.states - {"closed", "half_open", "wide_open"}
        at_end = would_read(replace(m, value=0.0, states=others | {end}), throttle, draws)
        if at_end is None:
            return None
        ends.append(at_end.sound)
    closed, span = ends[0], ends[1] - ends[0]
    # Unplugged, or read where nothing moves, there is no travel that could be learned.
    moves = np.abs(span) > _LEAST_SPAN_V
    span = np.where(moves, span, 1.0)

    def density(volts: FloatArray) -> FloatArray:
        shares = 100.0 * volts / _SUPPLY_V
        learned = np.where(moves, np.clip(100.0 * (volts - closed) / span, 0.0, 100.0), shares)
        told = sum(
            0.5 * _bell(m.value - where, np.full_like(where, blur * width))
            for where, width in ((shares, _SHARE_PCT), (learned, _LEARNED_PCT))
        )
        return np.asarray((1.0 - _IN_ITS_PLACE) * told + _IN_ITS_PLACE / _PCT_RANGE)

    return density(would.faulty), density(would.sound)


def _density(m: Measured, would: FloatArray, blur: float) -> FloatArray:
    if m.unit == "V":
        least = {"supply": _FEED_V, "ground": _FEED_V, "battery": _BATTERY_V}.get(m.line, _SIGNAL_V)
        least = _DROP_V if is_drop(m) else least
        width = np.hypot(np.hypot(least, _SHARE * would), _apart(would))
        away = m.value - would if m.signed and not is_drop(m) else abs(m.value) - np.abs(would)
        flat = 1.0 / _VOLTS_RANGE
    elif m.unit == "A":
        away, width = abs(m.value) - would, np.hypot(_AMPERES, _SHARE * would)
        flat = 1.0 / _AMPERES_RANGE
    else:
        read = np.log(min(m.value, _MOST_OHMS) + _LEADS_OHMS)
        away = read - np.log(np.minimum(would, _MOST_OHMS) + _LEADS_OHMS)
        width, flat = np.full_like(would, _LOG_OHMS), 1.0 / _LOG_RANGE
    return np.asarray((1.0 - _GROSS) * _bell(away, blur * width) + _GROSS * flat)


def _apart(would: FloatArray) -> FloatArray:
    """How far the drawn values beside each stand apart: what is drawn stands for what is between.

    Source: L. Breiman, W. Meisel, E. Purcell, "Variable kernel estimates of multivariate densities",
    Technometrics 19 (1977) 135-144; along one axis, between the second neighbours.
    """
    order = np.argsort(would, axis=-1)
    lined = np.take_along_axis(would, order, axis=-1)
    beside = np.pad(lined, [(0, 0)] * (would.ndim - 1) + [(2, 2)], mode="edge")
    gaps = np.empty_like(would)
    np.put_along_axis(gaps, order, 0.5 * (beside[..., 4:] - beside[..., :-4]), axis=-1)
    return gaps


def _bell(away: FloatArray, width: FloatArray) -> FloatArray:
    """The normal density."""
    return np.asarray(np.exp(-0.5 * (away / width) ** 2) / (width * np.sqrt(2.0 * np.pi)))
