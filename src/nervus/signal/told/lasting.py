"""Differences of two tracks that last, though timing hides them in each single reading.

Of tracks that are read in turn, slowly, one reading proves nothing while the shaft moves. But what
timing does goes with the speed, to both sides: what is left of many readings when that is taken out does
not come from it. And where both stand nothing has to be taken out.
"""

from itertools import pairwise

import numpy as np

from nervus.domain.channel import BoolArray, FloatArray, Span
from nervus.signal.arithmetic.spans import inside, runs
from nervus.signal.instruments import sampling

# What was read in turn and stood is no timing: so many readings in a row, over so long, of one sign.
_LEAST_STOOD, _LEAST_STOOD_S = 4, 1.0
# A recording is looked at in so many parts, two at a time, with so many readings each at least.
_PARTS, _LEAST_READ = 16, 24
# A reading counts less the further it is off what the others of its part say, in spreads; so many times.
_OUTLIER, _ROUNDS = 2.0, 12
# What is left of a part is known to so many spreads.
_SURE = 4.0


def stood_apart(
    stood: tuple[FloatArray, FloatArray], faulty: tuple[Span, ...], limit: float
) -> tuple[tuple[Span, ...], FloatArray]:
    """From the first to the last of readings in a row at which both stood apart by one sign.

    Args:
        stood: when both stood, and by how much the first was above then, percent of travel, shape (n,).
        faulty: when something else is told.
        limit: percent of travel, to which comes what the readings scatter.

    Returns:
        Spans, and the instants in them, shape (k,).
    """
    time_s, off = stood
    sound = ~inside(time_s, faulty, 0.1)
    time_s, off = time_s[sound], off[sound]
    limit += _SURE * sampling.noise(off)
    spans, instants = [], [np.empty(0)]
    for one in (off > limit, off < -limit):
        for first, last in zip(*runs(one), strict=True):
            if last - first + 1 >= _LEAST_STOOD and time_s[last] - time_s[first] >= _LEAST_STOOD_S:
                spans.append((float(time_s[first]), float(time_s[last])))
                instants.append(time_s[first : last + 1])
    return tuple(spans), np.concatenate(instants)


def apart_on_the_whole(
    time_s: FloatArray, off: FloatArray, speed: FloatArray, spread: FloatArray, limit: float
) -> BoolArray:
    """Readings of parts in which tracks are further apart than a limit when timing is taken out.

    In each part, off = apart + late x speed by weighted least squares, readings far off it counting
    little (weights of Cauchy's distribution).

    Args:
        time_s: instants, shape (n,).
        off: by how much the first track was above the second, percent of travel, shape (n,).
        speed: how fast the shaft opened, percent of travel a second, shape (n,).
        spread: what timing, noise and rounding make of a reading, percent of travel, shape (n,).
        limit: percent of travel.

    Returns:
        Which readings lie in such a part and are off to its side, shape (n,).
    """
    found = np.zeros(time_s.shape, dtype=np.bool_)
    if time_s.size < _LEAST_READ:
        return found
    edges = np.searchsorted(time_s, np.linspace(time_s[0], time_s[-1], _PARTS + 1)).tolist()
    for first, last in pairwise(edges):
        part = slice(first, min(2 * last - first, time_s.size))
        if part.stop - part.start < _LEAST_READ:
            continue
        apart, known = _without_timing(off[part], speed[part], spread[part])
        if abs(apart) > limit + _SURE * known:
            found[part] |= off[part] * np.sign(apart) > limit
    return found


def _without_timing(off: FloatArray, speed: FloatArray, spread: FloatArray) -> tuple[float, float]:
    """What is left at no speed, and its spread; the least of it where the speed is always the same."""
    design = np.stack((np.ones(off.size), speed))
    weight = spread**-2.0
    for _ in range(_ROUNDS):
        covariance = np.linalg.pinv((design * weight) @ design.T)
        left = covariance @ ((design * weight) @ off)
        apart = np.abs(off - left @ design) / spread
        # What the readings are off in truth tells how well it is known, not what they might be at most.
        more = float(np.sqrt(np.average(apart**2, weights=weight)))
        weight = spread**-2.0 / (1.0 + (apart / _OUTLIER) ** 2)
    return float(left[0]), float(np.sqrt(covariance[0, 0])) * more
