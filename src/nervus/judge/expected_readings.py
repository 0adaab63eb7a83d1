"""What a meter would read with every single fault, for vehicles drawn by chance."""

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Final

import numpy as np

from nervus.circuit.drawn_harness import DRAWS, Asked, drawn, is_drawn
from nervus.circuit.harness import Harness, contact_ohms, joined, line_ohms
from nervus.circuit.sensor import OPEN_OHMS
from nervus.domain.channel import FloatArray
from nervus.domain.profile import ThrottleKind
from nervus.judge.reading_words import Measured
from nervus.knowledge.tree import Tree, tree_for

# What provokes which faults, and the chance that they show then: of a harness that is moved what is
# written is the worst that was seen. Source: "from memory".
_PROVOKES: Final = {
    "moved": (("line", "feed", "plug_contact", "pedal"), 0.85),
    "wet": (("leak",), 0.9),
}
# A probe at a plug that is on goes in from behind, to the wire, more often than to the other side of the
# contact. Source: "from memory".
_OTHER_SIDE = 0.3
# How often what comes and goes does so from reading to reading; else it stays while one measures.
_FLIPS = 0.2
_NOTHING_OHMS, _LINE_OHMS = 1e11, 0.2
# Battery volts: usual, its deviation, and between which values a weak one lies.
# Source: "from memory: 12.4 V and more at rest, 13.5 to 14.7 V running, above 9.6 V cranking".
_BATTERY = {
    "running": (14.1, 0.25, 11.3, 13.2),
    "cranking": (10.6, 0.4, 6.5, 9.6),
    "": (12.5, 0.2, 9.5, 12.0),
}
# Volts between the engine and battery negative: sound, and with a poor ground. Source: common practice.
_GROUND_DROP_V, _BAD_GROUND_DROP_V = (0.01, 0.2), (0.2, 3.0)
# Ohms of a sound winding, and of one with poor brushes. Source: "from memory".
_MOTOR_OHMS, _BAD_MOTOR_OHMS = (1.0, 10.0), (15.0, 500.0)
# Amperes that hold a free plate against its springs, that turn one which sticks, and of a motor with
# poor brushes or lines. Source: "from memory".
_HOLDING_A, _STICKING_A, _HARDLY_A = (0.3, 1.8), (1.5, 8.0), (0.01, 0.25)


@dataclass(frozen=True, slots=True, eq=False)
class WouldRead:
    """What would be read.

    Attributes:
        faulty: with each fault, shape (F, draws).
        sound: with a sound vehicle, shape (draws,).
        there: the chance that the fault shows in this reading, in each way of `ways`, shape (F, 4).
    """

    faulty: FloatArray
    sound: FloatArray
    there: FloatArray


@lru_cache(maxsize=256)
def would_read(m: Measured, throttle: ThrottleKind | None, draws: int = DRAWS) -> WouldRead | None:
    """What a reading would be, whatever its value; `None` where the circuit has no answer."""
    tree = tree_for(throttle)
    read = _of_line(m, tree, throttle, draws)
    if read is None:
        return None
    provoked = np.zeros(len(tree.faults))
    for state in _PROVOKES.keys() & m.states:
        provoked[tree.of(*_PROVOKES[state][0])] = 1.0
    at_random = np.where(provoked > 0.0, _provoked(tree), tree.always)
    there = np.stack((np.ones_like(provoked), provoked, np.zeros_like(provoked), at_random), axis=1)
    return WouldRead(*read, there)


def ways(tree: Tree) -> FloatArray:
    """How each fault behaves for as long as one measures, with which chance: shape (F, 4).

    It is there; it is there while it is provoked; it is away; it comes and goes from reading to reading.
    """
    there, most = tree.always, _provoked(tree)
    stays = np.stack((there, most - there, 1.0 - most), axis=1)
    return np.concatenate(((1.0 - _FLIPS) * stays, np.full((len(there), 1), _FLIPS)), axis=1)


def _provoked(tree: Tree) -> FloatArray:
    """The chance that each shows where it is provoked."""
    most = tree.always
    for names, chance in _PROVOKES.values():
        most = np.where(tree.of(*names), np.maximum(most, chance), most)
    return most


def _of_line(
    m: Measured, tree: Tree, throttle: ThrottleKind | None, draws: int
) -> tuple[FloatArray, FloatArray] | None:
    if m.line == "battery":
        return _of_battery(m, tree, draws)
    if m.line == "motor":
        return _of_motor(m, tree, draws)
    if m.unit == "A" or (m.unit == "%" and not m.line.startswith("signal")):
        return None  # only a motor's current, and a signal's share, are asked about
    if m.unit != "Ω" and "key_off" in m.states:
        return None  # nothing is fed then; a short to the battery is too rare to be asked about
    tracks = 1 if throttle is ThrottleKind.CABLE and not m.pedal else 2
    asked = Asked(_position(m), tracks, m.pedal, draws)
    if "signal2" in (m.line, m.against) and asked.tracks == 1:
        return None
    return _of_ohms(m, tree, asked) if m.unit == "Ω" else _of_volts(m, asked, throttle)


def is_drop(m: Measured) -> bool:
    """Whether volts are those that a line drops from one plug to the other, not what it carries."""
    return m.unit == "V" and m.place == "plug_to_plug" and "to_battery" not in m.states and not m.against


def _position(m: Measured) -> str:
    return next((p for p in ("wide_open", "half_open", "closed") if p in m.states), "closed")


def _of_volts(m: Measured, asked: Asked, throttle: ThrottleKind | None) -> tuple[FloatArray, FloatArray]:
    plugged = "plug_off" not in m.states
    volts = _solved(asked, throttle, plugged=plugged)
    if is_drop(m):
        # The leads go to wires or pins: what the contacts drop is in it or not, half and half.
        contacts = np.random.default_rng(3).random(asked.draws) < 0.5
        drop = np.where(
            contacts,
            volts[m.line, "", "unit"] - volts[m.line, "", "sensor"],
            volts[m.line, "", "unit_plug"] - volts[m.line, "", "sensor_plug"],
        )
        return np.abs(drop[:-1]), np.abs(drop[-1])
    place = "unit_plug" if m.place == "unit_plug" or m.unit == "%" else "sensor_plug"
    # A probe at a plug touches the wire's side of the contact or the other, where the plug is on.
    side = {"sensor_plug": "sensor" if plugged else place, "unit_plug": "unit"}[place]
    beside = np.random.default_rng(5).random(asked.draws) < _OTHER_SIDE
    at = np.where(beside, volts[m.line, m.against, side], volts[m.line, m.against, place])
    return at[:-1], at[-1]


@lru_cache(maxsize=64)
def _solved(
    asked: Asked, throttle: ThrottleKind | None, *, plugged: bool
) -> dict[tuple[str, str, str], FloatArray]:
    """Volts of each (line, other, place) with every fault and, last, sound: shape (F + 1, draws)."""
    faults = tree_for(throttle).faults
    changing = [i for i, f in enumerate(faults) if _acts(f.id, f.classes, pedal=asked.pedal)]
    made = [drawn(asked, faults[i].id, faults[i].classes) for i in changing]
    made.append(drawn(asked, "", ()))
    volts = replace(joined(made), plugged=plugged).read()
    rows = np.full(len(faults) + 1, len(made) - 1)
    rows[changing] = range(len(changing))
    return {key: v.reshape(len(made), asked.draws)[rows] for key, v in volts.items()}


def _acts(fault: str, classes: tuple[str, ...], *, pedal: bool) -> bool:
    """Whether a fault changes what this sensor's circuit reads."""
    own = ("pedal" in classes) is pedal
    shared = fault in ("battery_ground", "short_supply", "unit_supply")
    return is_drawn(fault, classes) and (own or shared)


# -- ohms, motor, battery ---------------------------------------------------------------------------


def _of_ohms(m: Measured, tree: Tree, asked: Asked) -> tuple[FloatArray, FloatArray]:
    sound = _ohms(m, drawn(asked, "", ()))
    rows = [
        _ohms(m, drawn(asked, f.id, f.classes)) if _acts(f.id, f.classes, pedal=asked.pedal) else sound
        for f in tree.faults
    ]
    return np.asarray(rows), sound


def _ohms(m: Measured, h: Harness) -> FloatArray:
    at_pins = m.place in ("pin_to_pin", "through")
    at_pins = at_pins or (m.place == "sensor_plug" and "plug_off" in m.states)
    # Through the harness both lines with their contacts are in it.
    ways = (m.line, m.against) if m.place == "through" and m.against else ()
    along = sum((line_ohms(h, way) + contact_ohms(h, way) for way in ways), np.zeros(h.track_ohms.size))
    if at_pins and m.line in ("supply", "ground"):
        return np.asarray(h.track_ohms / h.tracks + along)
    if m.place in ("pin_to_pin", "through"):
        number = int(m.line[-1]) - 1
        share = 1.0 - h.share[number] if m.against == "supply" else h.share[number]
        return np.asarray(h.wiper_ohms[number] + share * h.track_ohms + along)
    if "to_battery" in m.states and m.line != "ground":
        short = [v for pair, v in h.shorts.items() if m.line in pair and "ground" in pair]
        return (
            np.minimum(_NOTHING_OHMS, short[0]) if short else np.full_like(h.track_ohms, _NOTHING_OHMS)
        )
    # The leads go to the pins: what a contact does is in it or not, half and half.
    contact = np.random.default_rng(3).random(h.track_ohms.size) < 0.5
    ohms = line_ohms(h, m.line) + np.where(contact, contact_ohms(h, m.line), 0.0)
    to_battery = h.unit_ground_v / 5.0 if "to_battery" in m.states else 0.0
    return np.asarray(ohms + to_battery)


def _of_motor(m: Measured, tree: Tree, draws: int) -> tuple[FloatArray, FloatArray] | None:
    """Ohms of the motor's winding, with its lines where not at the throttle; volts say little."""
    if not tree.of("motor").any() or m.unit not in ("Ω", "A"):
        return None
    random = np.random.default_rng(31)
    if m.unit == "A":
        return _of_current(m, tree, random, draws)
    sound = _spread(random, draws, *_MOTOR_OHMS)
    poor = _spread(random, draws, *_BAD_MOTOR_OHMS)
    bad = np.where(random.random(draws) < 0.6, OPEN_OHMS, poor)
    lines_alone = m.place == "plug_to_plug"
    if lines_alone:
        sound = np.full(draws, _LINE_OHMS)
    rows = np.tile(sound, (len(tree.faults), 1))
    if not lines_alone:
        rows[tree.of("motor")] = bad
    if m.place in ("unit_plug", "plug_to_plug", ""):
        rows[tree.of("motor_line")] = bad
    return rows, sound


def _of_current(
    m: Measured, tree: Tree, random: np.random.Generator, draws: int
) -> tuple[FloatArray, FloatArray] | None:
    """Amperes of the motor while the plate is held: more where it sticks, none where a line is open."""
    if {"key_off", "plug_off"} & m.states:
        return None
    sound = _spread(random, draws, *_HOLDING_A)
    hardly = np.where(random.random(draws) < 0.6, 0.0, _spread(random, draws, *_HARDLY_A))
    rows = np.tile(sound, (len(tree.faults), 1))
    rows[tree.of("sticks")] = _spread(random, draws, *_STICKING_A)
    rows[tree.of("motor", "motor_line", "unit_driver")] = hardly
    return rows, sound


def _spread(random: np.random.Generator, draws: int, low: float, high: float) -> FloatArray:
    return np.asarray(np.exp(random.uniform(np.log(low), np.log(high), draws)))


def _of_engine_ground(tree: Tree, draws: int) -> tuple[FloatArray, FloatArray]:
    """Volts that the battery's ground line drops: under 0.2 V where it is sound, also while cranking."""
    random = np.random.default_rng(41)
    sound = random.uniform(*_GROUND_DROP_V, draws)
    rows = np.tile(sound, (len(tree.faults), 1))
    rows[tree.of("battery_ground")] = _spread(random, draws, *_BAD_GROUND_DROP_V)
    return rows, sound


def _of_battery(m: Measured, tree: Tree, draws: int) -> tuple[FloatArray, FloatArray] | None:
    if m.unit != "V":
        return None
    if is_drop(m):
        return _of_engine_ground(tree, draws)
    state = next((s for s in ("running", "cranking") if s in m.states), "")
    usual, spread, low, high = _BATTERY[state]
    random = np.random.default_rng(37)
    sound, weak = random.normal(usual, spread, draws), random.uniform(low, high, draws)
    rows = np.tile(sound, (len(tree.faults), 1))
    rows[tree.of("battery_weak")] = weak
    return rows, sound
