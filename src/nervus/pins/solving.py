"""From readings between pins to a potential for each pin, and which readings can't be.

Each pin is a source behind a resistance (Thevenin), and the meter loads what it measures with its own:
with a source of `e` volts behind `r` meter resistances on each pin, it shows (e_red - e_black) /
(1 + r_red + r_black). Multiplied out that is linear in e and r, so weighted least squares solves it
(C. F. Gauss; the weights anew in each turn). Which pins are weak and which readings are wrong are
hypotheses: each is solved, weighed by Laplace's approximation of its evidence (D. J. C. MacKay,
"Information Theory, Inference, and Learning Algorithms", 2003, chapter 28), and the best is told with
how sure it is. Which readings are worth taking out is seen by the formulas for deleted observations
(R. D. Cook, S. Weisberg, "Residuals and Influence in Regression", 1982, section 2.2).
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from nervus.domain.channel import BoolArray, FloatArray
from nervus.pins.hypotheses import Hypothesis, weigh
from nervus.pins.meter import USUAL, Meter
from nervus.pins.polarity import sign_patterns, usual
from nervus.pins.system import FAINT_V, System, floating, system_of
from nervus.pins.taken import BATTERY, Taken

# Two standard deviations and a little: 95 in 100.
_WIDE: Final = 1.96
# Something is called wrong when it is more probable than this; the reading that is it when it is more
# probable than the second; below that, and above the third, it is named among those of which one is.
NAMED: Final = 0.80
_THE_ONE: Final = 0.60
_DOUBTED: Final = 0.10
# What remains misfits the whole: the mean square over what the meter allows (R. T. Birge, 1932).
_MISFIT: Final = 2.5
# Signs are told as open where the other way round is at least so probable.
_OPEN_SIGNS: Final = 0.05
# A pin is weak where its resistance is surely above zero, by so many deviations.
_SURELY: Final = 3.0
# A pin that is not weak is firm where its resistance is known as closely as this, in meter resistances.
_KNOWN_R: Final = 0.025


@dataclass(frozen=True, slots=True)
class SolvedPin:
    """What is known of one pin.

    Attributes:
        volts: its potential with nothing on it; `None` where it floats or was never measured.
        unsure_v: half the width of the interval that holds the truth in 95 of 100.
        behind_ohms: the resistance that it stands behind, where that shows; else 0.
        behind_unsure: the same interval of it.
        floats: whether nothing holds it.
        readings: how many touch it.
        firm: whether the readings would show it, were it weak; `False` where nothing is known of that.
    """

    volts: float | None
    unsure_v: float
    behind_ohms: float
    behind_unsure: float
    floats: bool
    readings: int
    firm: bool = False


@dataclass(frozen=True, slots=True)
class Doubt:
    """A reading that contradicts the rest.

    Attributes:
        reading: its number in the row.
        chance: how sure it is that it is the wrong one.
        fits_v: what would be consistent, each way round that is left open.
    """

    reading: int
    chance: float
    fits_v: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class SolvedPlug:
    """What the readings of one plug under one condition say together.

    Attributes:
        pins: by their label.
        expected: what each reading would be by the solution, in volts.
        signs: of each reading, 1 or -1 as it was written, or as it was solved.
        doubts: readings that are surely wrong.
        one_of: readings of which one is wrong, and nobody can say which.
        mirrored: how probable it is that all is the other way round, where no reading tells.
        against_battery: whether potentials are against battery negative; else the lowest pin is 0.
        misfit_v: by how much the whole fits worse than the meter allows; 0 where it does not.
    """

    pins: dict[str, SolvedPin]
    expected: tuple[float, ...] = ()
    signs: tuple[int, ...] = ()
    doubts: tuple[Doubt, ...] = ()
    one_of: tuple[int, ...] = ()
    mirrored: float = 0.0
    against_battery: bool = False
    misfit_v: float = 0.0


def solve_plug(readings: Sequence[Taken], meter: Meter = USUAL) -> SolvedPlug:
    """Solve what was read of one plug while nothing changed.

    Args:
        readings: any number of them, each pair as often as it was measured.
        meter: that they were taken with.
    """
    labels = sorted({end for r in readings for end in (r.red, r.black)} - {BATTERY}, key=_order)
    if not labels:
        return SolvedPlug({})
    afloat = floating(readings)
    kept = [i for i, r in enumerate(readings) if not (r.pair & afloat)]
    loud = tuple(
        Doubt(i, 1.0, (0.0,))
        for i, r in enumerate(readings)
        if i not in kept and abs(r.volts) >= FAINT_V
    )
    counts = {p: sum(p in (r.red, r.black) for r in readings) for p in labels}
    pins = {p: SolvedPin(None, 0.0, 0.0, 0.0, p in afloat, counts[p]) for p in labels}
    if not kept:
        return SolvedPlug(pins, tuple(0.0 for _ in readings), tuple(1 for _ in readings), loud)
    system = system_of([readings[i] for i in kept], meter)
    patterns = sign_patterns(system)
    weighed = weigh(system, [p.signs for p in patterns], [p.log_chance for p in patterns])
    doubted = [k for k in np.flatnonzero(weighed.wrong > _THE_ONE) if weighed.some_wrong > NAMED]
    # Where nobody can say which is wrong, all count, and all that follows is as unsure as they disagree.
    best = weighed.best if doubted else weighed.sound
    solution, mirrored = _right_way_round(system, _polished(system, best))
    pins |= _pins(system, solution, counts, meter)
    expected, signs = np.zeros(len(readings)), np.ones(len(readings), dtype=int)
    expected[kept], signs[kept] = solution.expected, solution.signs.astype(int)
    maybe = np.flatnonzero((weighed.wrong > _DOUBTED) & (weighed.some_wrong > NAMED))
    return SolvedPlug(
        pins,
        tuple(float(v) for v in expected),
        tuple(int(s) for s in signs),
        tuple(
            Doubt(kept[k], float(weighed.wrong[k]), _would_fit(solution.expected[k], readings[kept[k]]))
            for k in doubted
        )
        + loud,
        tuple(kept[k] for k in maybe) if not doubted else (),
        mirrored if mirrored > _OPEN_SIGNS else 0.0,
        system.grounded,
        solution.misfit_v,
    )


def _right_way_round(system: System, solution: "_Solution") -> tuple["_Solution", float]:
    """The way round that is more usual, where no reading has a sign; and how probable the other is."""
    if not system.turnable:
        return solution, 0.0
    one, other = usual(system, solution.e), usual(system, -solution.e)
    if other > one:
        turned = replace(solution, e=-solution.e, expected=-solution.expected, signs=-solution.signs)
        solution, one, other = turned, other, one
    return solution, float(1.0 / (1.0 + np.exp(min(one - other, 700.0))))


def _order(label: str) -> tuple[int, str]:
    return (int(label), "") if label.isdigit() else (1_000, label)


def _would_fit(expected: float, reading: Taken) -> tuple[float, ...]:
    return (float(expected),) if reading.signed else (float(abs(expected)),)


@dataclass(frozen=True, slots=True, eq=False)
class _Solution:
    """Potentials and resistances of the best hypothesis, solved without multiplying out."""

    e: FloatArray
    r: FloatArray
    spread: FloatArray
    expected: FloatArray
    misfit_v: float
    signs: FloatArray
    r_unsure: FloatArray


def _polished(system: System, best: Hypothesis) -> _Solution:
    """Gauss and Newton's steps on what the meter shows, from where the linear form ended."""
    free = np.concatenate([~system.held, best.weak])
    n = len(system.labels)
    x = np.concatenate([best.e, np.where(best.weak, best.r, 0.0)])
    volts = system.volts * best.signs
    weight = np.where(best.wrong, 0.0, 1.0) / system.deviation
    covariance = np.zeros((2 * n, 2 * n))
    for _ in range(4):
        expected, slope = _shown(system, x[:n], x[n:])
        rows = slope[:, free] * weight[:, None]
        inner = rows.T @ rows + np.diag(system.prior[free])
        inverse = np.linalg.inv(inner)
        step = inverse @ (rows.T @ ((volts - expected) * weight) + system.prior[free] * -x[free])
        x[free] += step
        x[n:] = np.maximum(x[n:], 0.0)
    expected, _ = _shown(system, x[:n], x[n:])
    covariance[np.ix_(free, free)] = inverse
    left = ((volts - expected) * weight)[~best.wrong]
    surplus = left.size - int(free.sum())
    birge = float(left @ left) / surplus if surplus > 0 else 1.0
    misfits = birge > _MISFIT
    misfit_v = float(np.max(np.abs(volts - expected)[~best.wrong])) if misfits else 0.0
    spread = covariance * (birge if misfits else 1.0)
    unsure = _were_it_weak(system, slope * weight[:, None], free, inverse)
    return _Solution(x[:n], x[n:], spread, expected, misfit_v, best.signs, unsure)


def _were_it_weak(
    system: System, slope: FloatArray, free: BoolArray, inverse: NDArray[np.floating]
) -> FloatArray:
    """How closely the resistance of each firm pin would be known, were it set free; shape (n,).

    Schur's complement of what is free already (textbook).
    """
    n = len(system.labels)
    found = np.zeros(n)
    rows = slope[:, free]
    for i in np.flatnonzero(~free[n:]):
        column = slope[:, n + i]
        across = rows.T @ column
        own = float(column @ column - across @ inverse @ across + system.prior[n + i])
        found[i] = max(own, 1e-12) ** -0.5
    return found


def _shown(system: System, e: FloatArray, r: FloatArray) -> tuple[FloatArray, FloatArray]:
    """What the meter shows, shape (m,), and its slope by e and r, shape (m, 2n)."""
    rows = system.rows
    load = 1.0 + np.abs(rows) @ r
    shown = (rows @ e) / load
    slope = np.concatenate([rows / load[:, None], -np.abs(rows) * (shown / load)[:, None]], axis=1)
    return shown, slope


def _pins(
    system: System, solution: _Solution, counts: dict[str, int], meter: Meter
) -> dict[str, SolvedPin]:
    """Pins as they are told; without a reading against battery negative the lowest of each part is 0."""
    n = len(system.labels)
    told: dict[str, SolvedPin] = {}
    for part in system.parts:
        inside = [i for i, label in enumerate(system.labels) if label in part]
        zero = None
        if BATTERY not in part:
            firm = [i for i in inside if solution.r[i] == 0.0] or inside
            zero = min(firm, key=lambda i: float(solution.e[i]))
        for i in inside:
            label = system.labels[i]
            if label == BATTERY:
                continue
            at = np.zeros(2 * n)
            at[i] += 1.0
            if zero is not None:
                at[zero] -= 1.0
            volts = float(at[:n] @ solution.e)
            spread = max(float(at @ solution.spread @ at), 0.0) ** 0.5
            # What the meter is off by as a whole shifts all readings alike, and no mean takes it out.
            whole = abs(volts) * meter.percent / 100.0 / 3.0**0.5
            unsure = _WIDE * float(np.hypot(spread, whole))
            r, r_spread = float(solution.r[i]), float(np.sqrt(solution.spread[n + i, n + i]))
            weak = r > 0.0 and r > _SURELY * r_spread
            told[label] = SolvedPin(
                volts,
                unsure,
                r * meter.ohms if weak else 0.0,
                _WIDE * r_spread * meter.ohms if weak else 0.0,
                floats=False,
                readings=counts[label],
                firm=not weak and r == 0.0 and float(solution.r_unsure[i]) < _KNOWN_R,
            )
    return told
