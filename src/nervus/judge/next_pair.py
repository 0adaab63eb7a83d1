"""Readings at pins alone: which faults they fit while they show, and the reading that parts those best.

What does not show while one measures is one share with "nothing": the whole judgement, not this, knows
that faults come and go.

Of each reading that could be taken it is computed what it would be with every fault and every drawn
vehicle, weighed by what is known; the information it gives about the fault is the mutual information of
both (C. E. Shannon, 1948; D. V. Lindley, "On a measure of the information provided by an experiment",
Annals of Mathematical Statistics 27 (1956) 986-1005), less the trouble of moving plug, probes and pedal.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import product
from typing import Final

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.domain.job import Change, Job, Reading, of_kind
from nervus.domain.plug import Face, PinRole, PlugEnd
from nervus.domain.profile import ThrottleKind
from nervus.domain.suspect import SuspectId
from nervus.judge.expected_readings import would_read
from nervus.judge.of_readings import at_pins, densities, faces_of
from nervus.judge.reading_words import Measured, understand
from nervus.knowledge.tree import Tree, tree_for
from nervus.language import say

# Volts are told apart by so much; below and above the ends all is one.
_STEP_V, _MOST_V = 0.12, 6.0
# Ohms by their logarithm, with those of the leads.
_LOG_LEAST, _LOG_STEP, _MOST_OHMS, _LEADS_OHMS = -1.5, 0.18, 1e7, 0.3
# More vehicles than the whole judgement draws: few readings have to tell poor contacts apart.
_DRAWS: Final = 400
# How much wider than readings repeat, since what is drawn stands for what lies between.
_BLUR: Final = {"V": 1.3, "Ω": 2.5}
# How much of "nothing is wrong" counts when the next reading is chosen.
_NOTHING_SHARE = 0.15
# What it is worth in bits not to move: to the other plug, the plug off or on, the throttle; not to read
# below zero; not to turn the key off and isolate the battery for ohms.
_MOVE_BITS: Final = {"place": 0.06, "plug": 0.04, "throttle": 0.02, "sign": 0.02, "ohms": 0.06}
# Faults that are named beside a proposed reading, from this chance on.
_NAMED, _LEAST = 3, 0.02
# Below so many bits no reading here parts what is left.
_NOTHING_BITS = 0.02
_ROLE_OF: Final = {
    "supply": PinRole.SUPPLY,
    "ground": PinRole.GROUND,
    "signal1": PinRole.SIGNAL_1,
    "signal2": PinRole.SIGNAL_2,
}
_PLUG_OF: Final = {
    "unit_plug": PlugEnd.UNIT,
    "sensor_plug": PlugEnd.SENSOR,
    "pin_to_pin": PlugEnd.SENSOR,
    "plug_to_plug": PlugEnd.SENSOR,
}
# What a fault must be for the circuit to show it; a worn place shows in a sweep alone.
_SHOWN: Final = (
    "gone", "line", "poor_signal", "feed", "leak", "bent", "misset", "electronics", "short_signal",
    "unit", "voltage",
)  # fmt: skip
_OFF_WORDS: Final = {False: "plug on", True: "plug off"}
_THROTTLE_WORDS: Final = {"closed": "throttle closed", "wide_open": "throttle wide open"}


@dataclass(frozen=True, slots=True)
class FittingFault:
    """A fault by the readings alone: its name, where, its line, and its chance."""

    id: str
    text: str
    suspect: SuspectId
    stretch: str
    line: str
    chance: float


@dataclass(frozen=True, slots=True)
class Proposed:
    """The reading to take next.

    Attributes:
        plug: at which plug.
        red, black: roles; `None` for battery negative.
        conditions: in words.
        unit: `V`, or `Ω` with the key off; between the plugs of one line where the words say so.
        bits: what it tells of the fault.
        expected: what it would be, each with its words: sound first, then the likeliest faults.
    """

    plug: PlugEnd
    red: PinRole
    black: PinRole | None
    conditions: str
    unit: str
    bits: float
    expected: tuple[tuple[str, float], ...]


@dataclass(frozen=True, slots=True, eq=False)
class PinFaults:
    """What the readings of a job say by themselves.

    Attributes:
        fitting: faults of the circuit, the likeliest first; `nothing` among them.
        proposed: the next reading, `None` where none would part what is left.
        readings: how many of them the circuit has an answer for.
    """

    fitting: tuple[FittingFault, ...]
    proposed: Proposed | None
    readings: int


def pin_faults(job: Job) -> PinFaults:
    """Weigh the readings since the last change against the circuit with each single fault."""
    faces = faces_of(job)
    since = max((c.at for c in of_kind(job.entries, Change)), default=job.opened)
    read = []
    for reading in of_kind(job.entries, Reading):
        if reading.at < since:
            continue
        measured = understand(reading) if reading.red is None else at_pins(reading, faces)
        if isinstance(measured, Measured) and not measured.pedal:
            read.append(measured)
    return weigh_readings(read, job.vehicle.throttle, faces)


def weigh_readings(
    read: Sequence[Measured],
    throttle: ThrottleKind | None,
    faces: Mapping[PlugEnd, Face] | None = None,
) -> PinFaults:
    """Faults by these readings, and the next one.

    Args:
        read: as they were understood.
        throttle: its kind; an electronic one where it is not known.
        faces: plugs that are drawn; a proposal stays within their roles. `None`: all lines, both plugs.
    """
    tree = tree_for(throttle)
    held, count = np.ones((len(tree.faults), _DRAWS)), 0
    for measured in read:
        chances = densities(measured, throttle, _BLUR[measured.unit], _DRAWS)
        if chances is not None:
            held = held * chances[0]
            held /= held.max()
            count += 1
    weight = _prior(tree)[:, None] * held / _DRAWS
    weight /= weight.sum()
    return PinFaults(_fitting(tree, weight), _propose(tree, weight, read, throttle, faces), count)


def _prior(tree: Tree) -> FloatArray:
    """Of each fault that the circuit shows, to show now; and one share for all else, and for nothing."""
    shows = tree.of(*_SHOWN)
    prior = np.where(shows, tree.prior * tree.always, 0.0)
    nothing = tree.of("nothing")
    prior[nothing] = 1.0 - prior.sum()
    return np.asarray(prior)


def _fitting(tree: Tree, weight: FloatArray) -> tuple[FittingFault, ...]:
    chance = weight.sum(axis=1)
    ordered = [int(i) for i in np.argsort(-chance, kind="stable") if chance[i] > 1e-4]
    return tuple(
        FittingFault(
            tree.faults[i].id,
            say("nothing that the pins show") if tree.faults[i].id == "nothing" else tree.faults[i].text,
            tree.faults[i].suspect,
            tree.faults[i].stretch,
            tree.faults[i].line,
            float(chance[i]),
        )
        for i in ordered
    )


# -- the next one -----------------------------------------------------------------------------------


def _propose(
    tree: Tree,
    weight: FloatArray,
    read: Sequence[Measured],
    throttle: ThrottleKind | None,
    faces: Mapping[PlugEnd, Face] | None,
) -> Proposed | None:
    done = {replace(m, value=0.0, signed=True) for m in read}
    last = read[-1] if read else None
    # Which fault it is, if there is one: that there may be none is known, and is not asked here.
    weight = np.where(tree.of("nothing")[:, None], _NOTHING_SHARE, 1.0) * weight
    weight /= weight.sum()
    best: tuple[float, float, Measured] | None = None
    for possible in _possible(throttle, faces):
        if possible in done:
            continue
        bits = _bits(weight, possible, throttle)
        worth = bits - _trouble(possible, last)
        if bits > _NOTHING_BITS and (best is None or worth > best[0]):
            best = (worth, bits, possible)
    if best is None:
        return None
    _, bits, m = best
    return Proposed(
        _PLUG_OF[m.place],
        _ROLE_OF[m.line],
        _ROLE_OF.get(m.against),
        _words(m),
        m.unit,
        bits,
        _expected(tree, weight, m, throttle),
    )


def _words(m: Measured) -> str:
    if m.place == "plug_to_plug":
        return say("key off, plug off, from plug to plug")
    off = "plug_off" in m.states
    key = "key off" if m.unit == "Ω" else "key on"
    position = next((p for p in _THROTTLE_WORDS if p in m.states), "closed")
    return ", ".join((key, _OFF_WORDS[off], *([] if off else [_THROTTLE_WORDS[position]])))


def _possible(throttle: ThrottleKind | None, faces: Mapping[PlugEnd, Face] | None) -> list[Measured]:
    lines = ["supply", "ground", "signal1"]
    if throttle is not ThrottleKind.CABLE:
        lines.append("signal2")
    found = []
    ends = ((PlugEnd.SENSOR, "sensor_plug"), (PlugEnd.UNIT, "unit_plug"))
    for (plug, place), off, position in product(ends, (False, True), _THROTTLE_WORDS):
        if off and position != "closed":
            continue  # nothing at the wires depends on a sensor that is unplugged
        known = lines
        if faces is not None:
            face = faces.get(plug)
            known = [line for line in lines if face is not None and face.of_role(_ROLE_OF[line])]
        states = {"plug_off"} if off else {position}
        for line in known:
            for against in ("", "supply", "ground"):
                if (
                    against == line
                    or (against and against not in known)
                    or (line, against) == ("ground", "supply")
                ):
                    continue
                all_states = frozenset(states | ({"to_battery"} if not against else set()))
                found.append(Measured(line, False, place, all_states, "V", 0.0, against))  # noqa: FBT003
    return found + _possible_ohms(lines, faces)


def _possible_ohms(lines: Sequence[str], faces: Mapping[PlugEnd, Face] | None) -> list[Measured]:
    """With the key off: the sensor's own pins, and each line from plug to plug."""
    off = frozenset({"key_off", "plug_off"})

    def known(plug: PlugEnd, line: str) -> bool:
        face = faces.get(plug) if faces is not None else None
        return faces is None or (face is not None and face.of_role(_ROLE_OF[line]) is not None)

    at_sensor = [line for line in lines if line != "ground" and known(PlugEnd.SENSOR, line)]
    between = [line for line in lines if known(PlugEnd.SENSOR, line) and known(PlugEnd.UNIT, line)]
    ground = known(PlugEnd.SENSOR, "ground")
    own = [Measured(line, False, "pin_to_pin", off, "Ω", 0.0, "ground") for line in at_sensor if ground]  # noqa: FBT003
    return own + [Measured(line, False, "plug_to_plug", off, "Ω", 0.0) for line in between]  # noqa: FBT003


def _trouble(possible: Measured, last: Measured | None) -> float:
    moved = _MOVE_BITS["sign"] if possible.against == "supply" else 0.0
    if possible.unit == "Ω":
        moved += _MOVE_BITS["ohms"] if last is None or last.unit != "Ω" else 0.0
    if last is None:
        return moved
    if possible.place != last.place:
        moved += _MOVE_BITS["place"]
    if ("plug_off" in possible.states) != ("plug_off" in last.states):
        moved += _MOVE_BITS["plug"]
    if ("wide_open" in possible.states) != ("wide_open" in last.states):
        moved += _MOVE_BITS["throttle"]
    return moved


def _bits(weight: FloatArray, m: Measured, throttle: ThrottleKind | None) -> float:
    """Mutual information of the fault and the reading, in bits."""
    would = would_read(m, throttle, _DRAWS)
    if would is None:
        return 0.0
    count = int(2 * _MOST_V / _STEP_V) + 1
    zero, step = (-_MOST_V, _STEP_V) if m.unit == "V" else (_LOG_LEAST, _LOG_STEP)
    rows = np.arange(weight.shape[0])[:, None] * count
    joint = np.zeros(weight.shape[0] * count)
    value = would.faulty if m.unit == "V" else np.log(np.minimum(would.faulty, _MOST_OHMS) + _LEADS_OHMS)
    cell = np.clip(np.rint((value - zero) / step), 0, count - 1).astype(np.intp)
    joint += np.bincount((rows + cell).ravel(), weight.ravel(), joint.size)
    table = joint.reshape(weight.shape[0], count)
    # A reading is never sharper than the step: half of each cell lies in its neighbours.
    table = 0.5 * table + 0.25 * np.roll(table, 1, axis=1) + 0.25 * np.roll(table, -1, axis=1)
    own, cells = table.sum(axis=1, keepdims=True), table.sum(axis=0, keepdims=True)
    there = table > 1e-12
    return float((table[there] * np.log2(table[there] / (own * cells)[there])).sum())


def _expected(
    tree: Tree, weight: FloatArray, m: Measured, throttle: ThrottleKind | None
) -> tuple[tuple[str, float], ...]:
    """What it would be: sound, and with the likeliest faults, by drawn vehicles that fit so far."""
    would = would_read(m, throttle, _DRAWS)
    if would is None:
        return ()
    chance = weight.sum(axis=1)
    sound = int(np.flatnonzero(tree.of("nothing"))[0])
    rows = [("sound", float(_middle(would.sound, weight[sound])))]
    for i in np.argsort(-chance, kind="stable"):
        if len(rows) > _NAMED or chance[i] < _LEAST:
            break
        if int(i) != sound:
            rows.append((tree.faults[int(i)].text, float(_middle(would.faulty[i], weight[i]))))
    return tuple(rows)


def _middle(values: FloatArray, weight: FloatArray) -> float:
    """The weighted median."""
    order = np.argsort(values)
    total = np.cumsum(weight[order])
    return float(values[order][np.searchsorted(total, 0.5 * total[-1])])
