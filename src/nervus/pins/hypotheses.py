"""Which pins are weak, which readings wrong: every hypothesis solved, and weighed against the rest."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import accumulate
from typing import Final

import numpy as np

from nervus.domain.channel import BoolArray, FloatArray, IntArray
from nervus.pins.system import SMALL_V, System
from nervus.pins.taken import BATTERY

# How often a pin is weak, and a reading wrong. From memory: unplugged inputs and drivers are often weak;
# a slip of the probe or a digit in one of fifty.
_WEAK: Final = 0.2
_WRONG: Final = 0.02
# Errors of wrong readings, as a logarithm, lie evenly between the accuracy and the whole range.
_ERROR_LOG: Final = 7.0
# What stands behind less than this many meter resistances is firm.
_LEAST_R: Final = 0.004
# What it costs to call such a pin weak; and what no wrong reading bends a resistance to.
_FIRM, _NEGATIVE_R = 40.0, -0.3
# Weak pins at once; sets of each size that are carried on, and that are weighed in the end.
_MOST_WEAK, _BEAM, _WIDE_BEAM, _FOLLOWED = 5, 3, 8, 6
# A plug of more ends than this is looked at for fewer weak pins at once: it would take seconds else.
_LARGE, _MOST_WEAK_LARGE = 24, 4
# So often the signs are taken from the best solution, and all is solved with them.
_RESIGNED: Final = 2
# Patterns of signs that are further than this from the nearest are not weighed.
_NEAR: Final = 40.0
# Nothing needs explaining below so many deviations; about what taking one reading for wrong costs.
_FITS, _SLIP = 2.0, 6.0
_TURNS, _FEW_TURNS = 3, 2
# So many hypotheses with no, one and two readings wrong are solved to the end for a pattern of signs.
_SOUND, _ONE_WRONG, _TWO_WRONG, _PAIRED = 8, 24, 12, 6
# One weak pin more that makes it worse by so much is the last that is tried, at first.
_NO_BETTER: Final = 2.0
_ALONE, _HOPELESS = 1e-3, 1e8
# A diagonal so heavy that what it stands on does not move.
_FIXED: Final = 1e12
# Sources against battery negative: below the first rare, below the second and above the third absurd;
# and what each is worth as a logarithm.
_BELOW_V, _FAR_BELOW_V, _ABOVE_V = -0.1, -0.6, 17.0
_RARE, _ABSURD = 4.0, 10.0
_ROOT_2PI: Final = 2.5066282746310002


@dataclass(frozen=True, slots=True, eq=False)
class Hypothesis:
    """The most probable one.

    Attributes:
        pattern: the number of its pattern of signs.
        signs: of the readings, shape (m,).
        weak: pins that stand behind a resistance, shape (n,).
        wrong: readings that are not taken for true, shape (m,).
        e, r: volts, and meter resistances, shape (n,).
    """

    pattern: int
    signs: FloatArray
    weak: BoolArray
    wrong: BoolArray
    e: FloatArray
    r: FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class Weighed:
    """All hypotheses, weighed.

    Attributes:
        best: the most probable one.
        sound: the most probable one of those in which no reading is wrong.
        wrong: how probable it is of each reading that it is wrong, shape (m,).
        some_wrong: how probable it is that any is.
    """

    best: Hypothesis
    sound: Hypothesis
    wrong: FloatArray
    some_wrong: float


@dataclass(frozen=True, slots=True, eq=False)
class _Solved:
    """H hypotheses solved at once, of m readings and n ends.

    Attributes:
        weak, kept: which they are, shapes (H, n) and (H, m).
        x: volts and meter resistances, shape (H, 2n).
        misfit: in deviations, shape (H, m).
        weight, pull: of the readings, and times their volts, shape (H, m).
        inner: the square of the weighted rows with what is known before, shape (H, 2n, 2n).
        cost: minus the logarithm of what each is worth, shape (H,).
    """

    weak: BoolArray
    kept: BoolArray
    x: FloatArray
    misfit: FloatArray
    weight: FloatArray
    pull: FloatArray
    inner: FloatArray
    cost: FloatArray

    def part(self, at: slice | IntArray) -> "_Solved":
        """Some of them."""
        return _Solved(
            self.weak[at], self.kept[at], self.x[at], self.misfit[at], self.weight[at],
            self.pull[at], self.inner[at], self.cost[at],
        )  # fmt: skip


def weigh(system: System, patterns: Sequence[FloatArray], log_chances: Sequence[float]) -> Weighed:
    """Solve and weigh all hypotheses of these patterns of signs."""
    firsts = _firsts(system, patterns)
    nearest = [float(first.pay.min()) - c for first, c in zip(firsts, log_chances, strict=True)]
    near = [k for k, pay in enumerate(nearest) if pay < min(nearest) + _NEAR]
    patterns = [patterns[k] for k in near]
    all_solved = _tried(system, [firsts[k] for k in near])
    costs = [s.cost - log_chances[k] for s, k in zip(all_solved, near, strict=True)]
    for _ in range(_RESIGNED):
        # Weak pins and wrong readings bend what was taken for firm, and the signs with it; the best of
        # all is looked at once more, with more sets of weak pins.
        best = _best(system, patterns, all_solved, costs)
        settled = _settled(system, best)
        if np.array_equal(settled, best.signs):
            break
        patterns.append(settled)
        all_solved += _tried(system, _firsts(system, [settled]))
        costs.append(all_solved[-1].cost)
    number = min(range(len(costs)), key=lambda i: float(costs[i].min()))
    solved = all_solved[number]
    if np.abs(solved.misfit[int(costs[number].argmin())]).max() > _FITS:
        # Something is left that nothing explains yet: more sets of weak pins are followed.
        chance = float(np.median(solved.cost - costs[number]))
        (all_solved[number],) = _tried(system, _firsts(system, [patterns[number]], _WIDE_BEAM))
        costs[number] = all_solved[number].cost - chance
    least = min(float(c.min()) for c in costs)
    mass = [np.exp(least - c) for c in costs]
    total = sum(float(w.sum()) for w in mass)
    wrong = (
        sum((w[:, None] * ~s.kept).sum(axis=0) for w, s in zip(mass, all_solved, strict=True)) / total
    )
    none = sum(float(w[s.kept.all(axis=1)].sum()) for w, s in zip(mass, all_solved, strict=True))
    every = [c + np.where(s.kept.all(axis=1), 0.0, 1e9) for c, s in zip(costs, all_solved, strict=True)]
    return Weighed(
        _best(system, patterns, all_solved, costs),
        _best(system, patterns, all_solved, every),
        np.asarray(wrong),
        1.0 - none / total,
    )


def _best(
    system: System,
    patterns: Sequence[FloatArray],
    all_solved: Sequence[_Solved],
    costs: Sequence[FloatArray],
) -> Hypothesis:
    number = min(range(len(costs)), key=lambda i: float(costs[i].min()))
    solved, at, n = all_solved[number], int(costs[number].argmin()), len(system.labels)
    x = solved.x[at]
    return Hypothesis(
        number, patterns[number], solved.weak[at], ~solved.kept[at], x[:n], np.maximum(x[n:], 0.0)
    )


@dataclass(frozen=True, slots=True, eq=False)
class _First:
    """Sets of weak pins of one pattern, solved with no reading wrong.

    Attributes:
        signs: of the pattern, shape (m,).
        sets: of weak pins, shape (H, n).
        solved: all of them.
        one: about what each reading less would cost, shape (H, m).
        pay: about what each set would come to with one reading less, shape (H, m).
    """

    signs: FloatArray
    sets: BoolArray
    solved: _Solved
    one: FloatArray
    pay: FloatArray


def _firsts(system: System, patterns: Sequence[FloatArray], beam: int = _BEAM) -> list[_First]:
    """Each pattern of signs by itself; all are solved together, which is far quicker."""
    sets = _sets(system, patterns, beam)
    solved = _solved_together(
        system, patterns, [(s, np.ones((len(s), system.volts.size), dtype=bool)) for s in sets]
    )
    made = []
    for signs, weak, own in zip(patterns, sets, solved, strict=True):
        one = _without_one(system, own)
        made.append(_First(signs, weak, own, one, own.cost[:, None] + one))
    return made


def _solved_together(
    system: System,
    patterns: Sequence[FloatArray],
    hypotheses: Sequence[tuple[BoolArray, BoolArray]],
    turns: int = _TURNS,
) -> list[_Solved]:
    """Weak pins and readings that count, shapes (H, n) and (H, m), of each pattern."""
    sizes = [len(weak) for weak, _kept in hypotheses]
    whole = _solve(
        system,
        np.repeat(np.asarray(patterns), sizes, axis=0),
        np.concatenate([weak for weak, _kept in hypotheses]),
        np.concatenate([kept for _weak, kept in hypotheses]),
        turns,
    )
    ends = accumulate(sizes)
    return [whole.part(slice(end - size, end)) for end, size in zip(ends, sizes, strict=True)]


def _tried(system: System, firsts: Sequence[_First]) -> list[_Solved]:
    """The hypotheses of each pattern that may be worth something."""
    return _solved_together(
        system, [first.signs for first in firsts], [_worth_trying(system, first) for first in firsts]
    )


def _worth_trying(system: System, first: _First) -> tuple[BoolArray, BoolArray]:
    """Weak pins and readings that count of what is tried of a pattern, shapes (H, n) and (H, m).

    Each set of weak pins with no reading wrong; then one and two readings less, where the formulas say
    that it may pay. Where nothing is weak they are exact, and every single reading is tried.
    """
    m, sets, one, pay = first.pay.shape[1], first.sets, first.one, first.pay
    nearest = np.argsort(pay, axis=None)[:_ONE_WRONG]
    hypotheses = {
        (int(h), int(k), int(k)) for h, k in zip(*np.unravel_index(nearest, pay.shape), strict=True)
    }
    hypotheses |= {(0, k, k) for k in range(m)}
    few = np.argsort(pay.min(axis=1))[:_PAIRED]
    pay_two = first.solved.cost[few][:, None, None] + _without_two(system, first.solved.part(few))
    nearest = np.argpartition(pay_two, min(_TWO_WRONG, pay_two.size - 1), axis=None)[:_TWO_WRONG]
    hypotheses |= {
        (int(few[h]), int(j), int(k))
        for h, j, k in zip(*np.unravel_index(nearest, pay_two.shape), strict=True)
        if pay_two[h, j, k] < _HOPELESS
    }
    chosen = sorted(x for x in hypotheses if one[x[0], x[1]] < _HOPELESS)
    kept = np.ones((len(chosen), m), dtype=bool)
    for row, (_, j, k) in enumerate(chosen):
        kept[row, [j, k]] = False
    sound = np.argsort(first.solved.cost)[:_SOUND]
    return (
        np.concatenate([sets[sound], sets[[h for h, _, _ in chosen]]]),
        np.concatenate([np.ones((len(sound), m), dtype=bool), kept]),
    )


def _settled(system: System, best: Hypothesis) -> FloatArray:
    """The signs that the best hypothesis has where they were not written down."""
    apart = system.rows @ best.e
    clear = ~system.signed & (np.abs(apart) > SMALL_V)
    return np.asarray(np.where(clear, np.sign(apart), best.signs))


def _sets(system: System, patterns: Sequence[FloatArray], beam: int) -> list[BoolArray]:
    """The sets of weak pins tried for each pattern: from nobody on, the best few with one more."""
    m, n = system.rows.shape
    none = np.zeros((1, n), dtype=bool)
    first = _solve(
        system, np.asarray(patterns), np.repeat(none, len(patterns), axis=0),
        np.ones((len(patterns), m), dtype=bool),
    )  # fmt: skip
    beam, most = (beam, _MOST_WEAK) if n <= _LARGE else (1, _MOST_WEAK_LARGE)
    most = min(most, m - (n - len(system.parts)))
    # A pin is worth trying where it has readings enough for one number more.
    usable = np.flatnonzero((np.abs(system.rows).sum(axis=0) >= 2) & ~_battery(system))
    found = [none] * len(patterns)
    open_ones = [k for k in range(len(patterns)) if np.abs(first.misfit[k]).max() >= _FITS]
    best, least = dict.fromkeys(open_ones, none), dict.fromkeys(open_ones, np.inf)
    for _ in range(most):
        new = {k: _one_more(best[k], usable) for k in open_ones}
        open_ones = [k for k in open_ones if len(new[k])]
        if not open_ones:
            break
        solved = _solved_together(
            system, [patterns[k] for k in open_ones],
            [(new[k], np.ones((len(new[k]), m), dtype=bool)) for k in open_ones], _FEW_TURNS,
        )  # fmt: skip
        going_on = []
        for k, own in zip(open_ones, solved, strict=True):
            # A wrong reading bends all sets alike: each is ranked by how it does without its worst one.
            ranked = own.cost + np.minimum(0.0, _without_one(system, own).min(axis=1) + _SLIP)
            order = np.argsort(ranked)
            best[k] = new[k][order[:beam]]
            found[k] = np.concatenate([found[k], new[k][order[:_FOLLOWED]]])
            if beam > _BEAM or ranked[order[0]] <= least[k] + _NO_BETTER:
                going_on.append(k)
            least[k] = min(least[k], float(ranked[order[0]]))
        open_ones = going_on
    return found


def _one_more(sets: BoolArray, usable: IntArray) -> BoolArray:
    """All sets with one more of the usable pins, each once."""
    more = np.repeat(sets, len(usable), axis=0)
    more[np.arange(len(more)), np.tile(usable, len(sets))] = True
    return np.unique(more[more.sum(axis=1) > sets.sum(axis=1).max()], axis=0)


def _battery(system: System) -> BoolArray:
    return np.asarray([label == BATTERY for label in system.labels])


def _solve(
    system: System, signs: FloatArray, weak: BoolArray, kept: BoolArray, turns: int = _TURNS
) -> _Solved:
    """Solve H hypotheses, signs and readings that count of shape (H, m), weak pins of shape (H, n)."""
    m, n = system.rows.shape
    volts = system.volts * signs
    rows, touch = system.rows, np.abs(system.rows)
    # The squares of the two halves of the rows, which no hypothesis changes.
    by_e, by_both, by_r = (
        (a[:, :, None] * b[:, None, :]).reshape(m, -1)
        for a, b in ((rows, rows), (rows, touch), (touch, touch))
    )
    heavy = np.concatenate([np.tile(system.held, (len(weak), 1)), ~weak], axis=1)
    prior = np.where(heavy, _FIXED, system.prior)
    x = np.zeros((len(weak), 2 * n))
    inner = np.empty((len(weak), 2 * n, 2 * n))
    right = np.empty((len(weak), 2 * n))
    for _ in range(turns if weak.any() else 1):
        load = 1.0 + np.maximum(x[:, n:], 0.0) @ touch.T
        weight = kept / (system.deviation * load)
        square = weight**2
        pull, strength = square * volts, square * system.volts**2
        both = -(pull @ by_both).reshape(-1, n, n)
        inner[:, :n, :n] = (square @ by_e).reshape(-1, n, n)
        inner[:, :n, n:], inner[:, n:, :n] = both, both.transpose(0, 2, 1)
        inner[:, n:, n:] = (strength @ by_r).reshape(-1, n, n)
        inner[:, np.arange(2 * n), np.arange(2 * n)] += prior
        right[:, :n], right[:, n:] = pull @ rows, -strength @ touch
        x = np.linalg.solve(inner, right[:, :, None])[:, :, 0]
    misfit = (volts * (1.0 + x[:, n:] @ touch.T) - x[:, :n] @ rows.T) * weight
    cost = _cost(system, weak, x, misfit, inner) + _price(system, kept, volts, x)
    beyond = _beyond(system, weak, x[:, :n])
    if system.turnable:  # nothing says which way round all of it is: the better one counts
        beyond = np.minimum(beyond, _beyond(system, weak, -x[:, :n]))
    return _Solved(weak, kept, x, misfit, weight, weight * volts, inner, cost + beyond)


def _cost(
    system: System, weak: BoolArray, x: FloatArray, misfit: FloatArray, inner: FloatArray
) -> FloatArray:
    """Minus the logarithm of the evidence of the readings that count, and of the weak pins."""
    n = weak.shape[1]
    free = np.concatenate([np.tile(~system.held, (len(weak), 1)), weak], axis=1)
    count = weak.sum(axis=1)
    chance = -count * np.log(_WEAK) - (n - count) * np.log(1.0 - _WEAK)
    before = np.where(free, np.log(system.prior), np.log(_FIXED)).sum(axis=1)
    volume = 0.5 * (np.linalg.slogdet(inner)[1] - before)
    far = 0.5 * (np.where(free, system.prior, 0.0) * x**2).sum(axis=1)
    r = np.where(weak, x[:, n:], 1.0)
    below = (_FIRM * (r < _LEAST_R) + _HOPELESS * (r < _NEGATIVE_R)).sum(axis=1)
    return np.asarray(0.5 * (misfit**2).sum(axis=1) + far + volume + chance + below)


def _price(system: System, kept: BoolArray, volts: FloatArray, x: FloatArray) -> FloatArray:
    """What it costs to take readings for wrong, and how the right ones spread.

    An error is as probable in each decade between the accuracy and the whole range.
    """
    n = len(system.labels)
    expected = (x[:, :n] @ system.rows.T) / (1.0 + np.maximum(x[:, n:], 0.0) @ np.abs(system.rows).T)
    error = np.maximum(np.abs(volts - expected), system.deviation)
    wrong = -np.log(_WRONG) + np.log(2.0 * _ERROR_LOG * error)
    right = np.log(system.deviation * _ROOT_2PI) - np.log1p(-_WRONG)
    return np.asarray(np.where(kept, right, wrong).sum(axis=1))


def _beyond(system: System, weak: BoolArray, e: FloatArray) -> FloatArray:
    """What stands below battery negative, or further up than a battery, is no source of a vehicle."""
    cost = np.zeros(len(e))
    for part in system.parts:
        inside = [i for i, label in enumerate(system.labels) if label in part]
        if BATTERY in part:
            low = e[:, inside]
        else:
            firm = np.where(weak[:, inside], np.inf, e[:, inside]).min(axis=1, initial=np.inf)
            lowest = np.where(np.isfinite(firm), firm, e[:, inside].min(axis=1))
            low = e[:, inside] - lowest[:, None]
        cost += (_RARE * (low < _BELOW_V) + _ABSURD * ((low < _FAR_BELOW_V) | (low > _ABOVE_V))).sum(
            axis=1
        )
    return cost


def _weighted_rows(system: System, solved: _Solved) -> FloatArray:
    """Shape (H, m, 2n)."""
    touch = np.abs(system.rows)
    return np.concatenate(
        [solved.weight[:, :, None] * system.rows, -solved.pull[:, :, None] * touch], axis=2
    )


def _without_one(system: System, solved: _Solved) -> FloatArray:
    """About what one reading less would cost, shape (H, m)."""
    rows = _weighted_rows(system, solved)
    hat = ((rows @ np.linalg.inv(solved.inner)) * rows).sum(axis=2)
    left = np.maximum(1.0 - hat, 1e-9)
    # What has no counterpart among the others fits whatever it says: nothing can tell that it is wrong.
    return np.asarray(-0.5 * solved.misfit**2 / left + np.where(left < _ALONE, _HOPELESS, 0.0))


def _without_two(system: System, solved: _Solved) -> FloatArray:
    """About what two readings less would cost, shape (H, m, m), above the diagonal."""
    m, misfit, rows = solved.misfit.shape[1], solved.misfit, _weighted_rows(system, solved)
    cross = rows @ np.linalg.inv(solved.inner) @ rows.transpose(0, 2, 1)
    left = np.maximum(1.0 - np.diagonal(cross, axis1=1, axis2=2), 1e-9)
    both = np.maximum(left[:, :, None] * left[:, None, :] - cross**2, 1e-9)
    a, b = misfit[:, :, None], misfit[:, None, :]
    gain = left[:, None, :] * a**2 + left[:, :, None] * b**2 + 2.0 * cross * a * b
    alone = np.where(left < _ALONE, _HOPELESS, 0.0)
    two = -0.5 * gain / both + alone[:, :, None] + alone[:, None, :]
    two = two + np.where(both < _ALONE, _HOPELESS, 0.0)
    ordered = np.triu(np.ones((m, m), dtype=bool), 1)
    return np.asarray(np.where(ordered[None], two, 2.0 * _HOPELESS))
