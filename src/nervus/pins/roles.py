"""Which pin is what: from where it stands, whether it follows the throttle, and what joins it to others.

Every way to hand out the roles that a throttle has is weighed by Bayes' rule; a role that exists once is
given once.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import permutations
from typing import Final

import numpy as np

from nervus.domain.channel import FloatArray, IntArray
from nervus.domain.plug import PinRole
from nervus.domain.profile import ThrottleKind
from nervus.knowledge.pin_shapes import RoleRow, Stand, pin_roles
from nervus.language import figures, say
from nervus.pins.situation import Situation
from nervus.pins.solving import SolvedPin, SolvedPlug

_R = PinRole
_OF: Final = {
    ThrottleKind.CABLE: (_R.SUPPLY, _R.GROUND, _R.SIGNAL_1),
    ThrottleKind.ELECTRONIC: (
        _R.SUPPLY, _R.GROUND, _R.SIGNAL_1, _R.SIGNAL_2, _R.MOTOR_PLUS, _R.MOTOR_MINUS,
    ),
}  # fmt: skip
# Pins that are told apart by nothing but the number are one kind: which is 1 and which 2 is said by
# whoever drew the plug.
_ALIKE: Final = {_R.SIGNAL_2: _R.SIGNAL_1, _R.MOTOR_MINUS: _R.MOTOR_PLUS}
# How far a pin moves between closed and wide open before it follows the throttle, in volts.
_MOVES_V: Final = 0.3
# Two pins with no resistance between them have one role twice, or none; how often it is otherwise.
_JOINED_ELSE: Final = 0.02
_EDGE_V: Final = 0.03
_LEAST: Final = 1e-4
_MOST_PINS: Final = 9


@dataclass(frozen=True, slots=True)
class RoleGuess:
    """What a pin is.

    Attributes:
        role: the most probable one; of two signals or motor lines the first of both.
        chance: how probable.
        from_one: whether it rests on a single reading.
        why: in a phrase.
    """

    role: PinRole
    chance: float
    from_one: bool
    why: str


def guess_roles(
    solved: Mapping[Situation, SolvedPlug],
    throttle: ThrottleKind | None,
    joined: Iterable[frozenset[str]] = (),
) -> dict[str, RoleGuess]:
    """The role of each pin that was measured with the key on, and how sure that is.

    Args:
        solved: by the conditions that it was measured under.
        throttle: the kind; both are weighed where it is not known.
        joined: pairs of pins with no resistance between them.
    """
    with_key = {s: p for s, p in solved.items() if s.key != "key off"}
    labels = sorted({pin for plug in with_key.values() for pin in plug.pins})
    if not labels or len(labels) > _MOST_PINS:
        return {}
    kinds = (throttle,) if throttle is not None else tuple(_OF)
    total: dict[str, dict[PinRole, float]] = {label: {} for label in labels}
    rows = {row.id: row for row in pin_roles().role}
    weight = {kind: _weighed(with_key, labels, kind, rows, tuple(joined)) for kind in kinds}
    most = max(w[0] for w in weight.values())
    for log_weight, chances in weight.values():
        scale = float(np.exp(log_weight - most))
        for label, by_role in zip(labels, chances, strict=True):
            for role, chance in by_role.items():
                total[label][role] = total[label].get(role, 0.0) + scale * chance
    return {label: _guess(label, total[label], with_key) for label in labels}


def _guess(
    label: str, chances: Mapping[PinRole, float], solved: Mapping[Situation, SolvedPlug]
) -> RoleGuess:
    whole = sum(chances.values())
    role = max(chances, key=lambda r: chances[r])
    seen = [plug.pins[label] for plug in solved.values() if label in plug.pins]
    count = sum(pin.readings for pin in seen)
    return RoleGuess(role, chances[role] / whole, count <= 1, _why(label, solved))


def _why(label: str, solved: Mapping[Situation, SolvedPlug]) -> str:
    moves = _moved(label, solved)
    if moves is not None and abs(moves) > _MOVES_V:
        return say("follows the throttle by {abs:.2f} V", abs=abs(moves))
    pin = next(plug.pins[label] for plug in solved.values() if label in plug.pins)
    if pin.floats:
        return say("nothing holds it")
    if pin.volts is None:
        return say("measured against nothing that is known")
    behind = (
        say(" behind about {told_ohms}", told_ohms=told_ohms(pin.behind_ohms)) if pin.behind_ohms else ""
    )
    steady = say(", steady") if moves is not None else ""
    return figures(
        "{value:.2f} V{behind}{steady}",
        value=abs(pin.volts) if abs(pin.volts) < 0.005 else pin.volts,
        behind=behind,
        steady=steady,
    )


def told_ohms(ohms: float) -> str:
    """Ohms with two or three digits that count."""
    for scale, unit in ((1e6, "MΩ"), (1e3, "kΩ"), (1.0, "Ω")):
        if ohms >= 0.95 * scale:
            return (
                figures("{scale:.2g} {unit}", scale=ohms / scale, unit=unit)
                if ohms < 99.5 * scale
                else figures("{scale:.0f} {unit}", scale=ohms / scale, unit=unit)
            )
    return figures("{ohms:.2g} Ω", ohms=ohms)


# -- how well each role fits ------------------------------------------------------------------------


def _weighed(
    solved: Mapping[Situation, SolvedPlug],
    labels: Sequence[str],
    kind: ThrottleKind,
    rows: Mapping[PinRole, RoleRow],
    joined: tuple[frozenset[str], ...],
) -> tuple[float, list[dict[PinRole, float]]]:
    roles = (*_OF[kind], _R.BATTERY, _R.UNUSED)
    fits = np.asarray([[_fit(label, rows[role], solved) for role in roles] for label in labels])
    ways = _ways(len(labels), len(roles), len(_OF[kind]))
    log = np.log(fits)[np.arange(len(labels)), ways].sum(axis=1) + _usual(ways, len(roles))
    for pair in joined:
        ends = [labels.index(label) for label in sorted(pair) if label in labels]
        if len(ends) == 2:
            log += _log_joined(roles, ways[:, ends[0]], ways[:, ends[1]])
    weight = np.exp(log - log.max())
    told: list[dict[PinRole, float]] = []
    for number in range(len(labels)):
        by_role: dict[PinRole, float] = {}
        for place, role in enumerate(roles):
            shown = _ALIKE.get(role, role)
            share = float(weight[ways[:, number] == place].sum() / weight.sum())
            by_role[shown] = by_role.get(shown, 0.0) + share
        told.append(by_role)
    return float(log.max() + np.log(weight.sum() / len(ways))), told


@lru_cache(maxsize=32)
def _ways(pins: int, roles: int, once: int) -> IntArray:
    """All ways to give each pin a role, shape (ways, pins).

    Roles below `once` are given once each, as far as there are pins; what is left over is not used, or
    one of it is fed by the battery, or is a second ground (0 supply, 1 ground, then the others).
    """
    battery, unused = once, roles - 1
    found: set[tuple[int, ...]] = set()
    for places in permutations(range(pins), min(pins, once)):
        base = [unused] * pins
        for role, place in enumerate(places):
            base[place] = role
        found.add(tuple(base))
        for number in range(pins):
            if base[number] == unused:
                for other in (battery, 1):
                    found.add(tuple(other if i == number else role for i, role in enumerate(base)))
    return np.asarray(sorted(found))


def _usual(ways: IntArray, roles: int) -> FloatArray:
    """A pin that the battery feeds is rarer than one that is not used."""
    return np.asarray(np.log(0.3) * (ways == roles - 2).sum(axis=1))


def _log_joined(roles: Sequence[PinRole], one: IntArray, other: IntArray) -> FloatArray:
    """Joined pins are one line: both ground, or both nothing that is named here."""
    alike = (one == other) | (one == len(roles) - 1) | (other == len(roles) - 1)
    return np.asarray(np.where(alike, 0.0, np.log(_JOINED_ELSE)))


def _fit(label: str, row: RoleRow, solved: Mapping[Situation, SolvedPlug]) -> float:
    chance = 1.0
    for situation, plug in _one_of_each(label, solved):
        chance *= max(
            _stands(plug.pins[label], row.off if situation.plug == "plug off" else row.on), _LEAST
        )
    moved = _moved(label, solved)
    if moved is not None:
        chance *= row.moves if abs(moved) > _MOVES_V else 1.0 - row.moves
    return max(chance, _LEAST**2)


def _one_of_each(
    label: str, solved: Mapping[Situation, SolvedPlug]
) -> list[tuple[Situation, SolvedPlug]]:
    """With the plug on and off, the first each: what it does at another throttle is told by `moves`."""
    found: dict[str, tuple[Situation, SolvedPlug]] = {}
    for situation, plug in solved.items():
        if label in plug.pins:
            found.setdefault(situation.plug or "plug on", (situation, plug))
    return list(found.values())


def _moved(label: str, solved: Mapping[Situation, SolvedPlug]) -> float | None:
    """By how much it moves from the lowest throttle that was measured to the highest."""
    order = ("throttle closed", "throttle half open", "throttle wide open")
    seen = []
    for throttle in order:
        for situation, plug in solved.items():
            pin = plug.pins.get(label)
            if situation.throttle == throttle and situation.plug != "plug off" and pin is not None:
                seen.append(pin.volts if pin.volts is not None else 0.0)
                break
    return seen[-1] - seen[0] if len(seen) > 1 else None


def _stands(pin: SolvedPin, stands: Sequence[Stand]) -> float:
    """The density of such a potential, with how weak it is."""
    if pin.floats:
        return 1.0 - sum(s.share for s in stands)
    if pin.volts is None:
        return 1.0  # measured against what floats alone: nothing is known
    total, edge = 0.0, _EDGE_V + pin.unsure_v
    for stand in stands:
        low, high = stand.low - edge, stand.high + edge
        if low <= pin.volts <= high:
            # Where no reading would have shown it, nothing is known of how firm it is.
            known = 1.0 - stand.weak if pin.firm else 1.0
            weak = stand.weak if pin.behind_ohms > 0.0 else known
            total += stand.share * weak / (high - low)
    return total
