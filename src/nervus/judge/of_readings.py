"""Readings at pins as observations: how near each is to what every single fault would read.

What is not known of the vehicle is drawn (`expected_readings.py`); the chance of all readings with a
fault is the mean over the draws of what the readings of each draw would be, so readings share what
they share.
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from nervus.circuit.drawn_harness import DRAWS
from nervus.domain.channel import FloatArray
from nervus.domain.job import Reading
from nervus.domain.profile import ThrottleKind
from nervus.judge.expected_readings import would_read
from nervus.judge.reading_words import Measured, understand
from nervus.judge.weighing import Evidence
from nervus.knowledge.tree import Tree

SOURCE = "the sensor's circuit solved with each single fault, for drawn vehicles"
# How often a reading is a slip of the hand, or wholly off; the second within the range of all readings.
_SLIP, _GROSS = 0.01, 0.01
# How closely a reading repeats, as a share and in volts: for supplies and grounds, for signals, whose
# place in the travel is known by a word only, and for the battery. Of ohms, in the logarithm of (ohms +
# those of the leads).
_SHARE, _FEED_V, _SIGNAL_V, _BATTERY_V, _LOG_OHMS, _LEADS_OHMS = 0.02, 0.05, 0.12, 0.3, 0.3, 0.3
_MOST_OHMS = 1e7
_VOLTS_RANGE, _LOG_RANGE = 15.0, 17.0
Chances = tuple[FloatArray, FloatArray]
"""Density with each fault and draw, shape (F, DRAWS), and with a sound vehicle, (DRAWS,)."""


def of_readings(
    readings: Sequence[tuple[Reading, int]], tree: Tree, throttle: ThrottleKind | None
) -> tuple[list[Evidence], list[tuple[Reading, str]]]:
    """Observations of the readings, each with the changes before it; and what is not weighed."""
    evidence: list[Evidence] = []
    left: list[tuple[Reading, str]] = []
    weight: dict[int, Chances] = {}
    for reading, after in readings:
        measured = understand(reading)
        if isinstance(measured, str):
            left.append((reading, measured))
            continue
        chances = _chances(measured, throttle)
        if chances is None:
            left.append((reading, "the circuit has no answer for such a reading"))
            continue
        with_it, without = chances
        held, sound = weight.get(after, (np.ones((len(tree.faults), DRAWS)), np.ones(DRAWS)))
        shown = (held * with_it).mean(axis=1) / held.mean(axis=1)
        as_sound = float((sound * without).mean() / sound.mean())
        weight[after] = (held * with_it, sound * without)
        where = ", ".join(w for w in (reading.where, reading.conditions) if w) or "measured"
        text = f"{where}: {reading.value:g} {reading.unit}"
        evidence.append(Evidence(text, SOURCE, (reading.id,), shown, as_sound, _SLIP, after))
    return evidence, left


def _chances(m: Measured, throttle: ThrottleKind | None) -> Chances | None:
    would = would_read(replace(m, value=0.0), throttle)
    if would is None:
        return None
    faulty, sound = _density(m, would.faulty), _density(m, would.sound)
    return would.there * faulty + (1.0 - would.there) * sound[None, :], sound


def _density(m: Measured, would: FloatArray) -> FloatArray:
    if m.unit == "V":
        least = {"supply": _FEED_V, "ground": _FEED_V, "battery": _BATTERY_V}.get(m.line, _SIGNAL_V)
        width = np.hypot(least, _SHARE * would)
        away, flat = m.value - would, 1.0 / _VOLTS_RANGE
    else:
        read = np.log(min(m.value, _MOST_OHMS) + _LEADS_OHMS)
        away = read - np.log(np.minimum(would, _MOST_OHMS) + _LEADS_OHMS)
        width, flat = np.full_like(would, _LOG_OHMS), 1.0 / _LOG_RANGE
    peak = np.exp(-0.5 * (away / width) ** 2) / (width * np.sqrt(2.0 * np.pi))
    return np.asarray((1.0 - _GROSS) * peak + _GROSS * flat)
