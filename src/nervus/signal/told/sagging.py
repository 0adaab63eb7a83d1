"""Whether two tracks differ because the supply sags that both share, where nobody recorded it.

While the shaft moves, two tracks can't tell a supply that sags from a track that is off. At a stop they
can: there the shaft stands, and a sagging supply takes both tracks along by one factor, most where they
are high; a track that is off leaves its sister where she is.
"""

from dataclasses import dataclass

import numpy as np

from nervus.domain.channel import FloatArray, Span, Unit
from nervus.domain.finding import SupplyFault, SupplyLine
from nervus.language import say
from nervus.signal.arithmetic.spans import merge, runs
from nervus.signal.instruments.fed import NOMINAL_SUPPLY_V
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.motion.course import Course
from nervus.signal.motion.pair import Pair

# At a stop the lower track is within so much of its lowest level, as a share and percent of supply.
_LOWEST_PCT, _STOP_SHARE, _STOP_PCT = 2.0, 0.06, 0.15
# So many points at a stop tell, where one of the explanations leaves no more than so many noises squared
# (else the shaft did not stand).
_LEAST, _STANDS = 40, 4.0
# One factor must leave so much less unexplained than any track that is off alone, and neither of these
# may be what noise makes.
_BETTER, _BEYOND_NOISE = 0.5, 1.5
# At its stops a supply sags by this share of what it sags by anywhere: a track that is off at a place is
# not off there.
_AT_STOPS = 0.5
# The largest deviations are left out: interruptions, and the moments of leaving a stop.
_KEPT = 0.95
# Tracks so far from a common origin, percent of supply, are parted by a sag; a supply that is not broken
# stays between these shares of what it usually is, and within tolerance down to that one.
_PARTED_PCT, _SHARES, _TOLERATED = 20.0, (0.85, 1.04), 0.95
# How sure it is, where it is out of tolerance (from memory).
_SURE = 0.85
# Shorter stretches out of tolerance are noise, or joined.
_JOIN_S = 0.3


@dataclass(frozen=True, slots=True)
class Sag:
    """A supply that sags.

    Attributes:
        low: how far, as a share of what it usually is.
        times_s: when it is out of its tolerance.
    """

    low: float
    times_s: tuple[Span, ...]


def find_sag(pair: Pair, courses: tuple[Course, Course]) -> Sag | None:
    """How the supply of two tracks sags.

    `None` where a track that is off explains as well why they differ, or nothing tells.

    Args:
        pair: the tracks.
        courses: of both, in the same order.
    """
    volts = all(t.kind.unit is Unit.VOLT for t in (pair.first, pair.second))
    if not volts or abs(pair.line.offset) < _PARTED_PCT:
        return None
    first, second = courses
    other = np.interp(first.time_s + pair.skew_s, second.time_s, second.level)
    shares = (other - pair.line.slope * first.level) / pair.line.offset
    low, high = np.percentile(shares, [1.0, 99.0]).tolist()
    if not (_SHARES[0] <= low and high <= _SHARES[1]):
        return None
    noise = (_noise(pair.first), _noise(pair.second))
    left, count, seen = np.zeros(3), 0, 1.0
    for level in (first.level, other):
        lowest = float(np.percentile(level, _LOWEST_PCT))
        at_stop = (level <= lowest * (1.0 + _STOP_SHARE) + _STOP_PCT) & (level > 0.0)
        if np.count_nonzero(at_stop) < _LEAST:
            continue
        each = _unexplained(first.level[at_stop], other[at_stop], noise)
        if each.min() <= _STANDS:
            left, count = left + each, count + 1
            seen = min(seen, float(np.percentile(shares[at_stop], _LOWEST_PCT)))
    if not count or 1.0 - seen < _AT_STOPS * (1.0 - low):
        return None
    sag, second_off, first_off = (left / count).tolist()
    alone = min(second_off, first_off)
    if alone <= _BEYOND_NOISE or sag >= _BETTER * alone:
        return None
    beyond = zip(*runs(shares < _TOLERATED), strict=True)
    spans = merge(((float(first.time_s[a]), float(first.time_s[b])) for a, b in beyond), _JOIN_S)
    return Sag(low, tuple((round(a, 4), round(b, 4)) for a, b in spans if b - a > _JOIN_S))


def supply_sags(pair: Pair, sag: Sag) -> tuple[SupplyFault, ...]:
    """That a supply nobody recorded sags so far; none where it stays within its tolerance."""
    if not sag.times_s:
        return ()
    level = round(sag.low * NOMINAL_SUPPLY_V, 2)
    text = say(
        "Both tracks shrink by one factor again and again, at the stops too: their supply sags to about "
        "{level:.2f} V. Measured beside them it would show.",
        level=level,
    )
    return (
        SupplyFault(
            channels=(pair.first.id, pair.second.id),
            times_s=sag.times_s,
            confidence=_SURE,
            text=text,
            level_v=level,
            where=SupplyLine.EITHER,
        ),
    )


def _noise(track: Instrument) -> float:
    return float(np.hypot(track.noise, track.resolution / np.sqrt(12.0))) + 1e-3


def _unexplained(one: FloatArray, two: FloatArray, noise: tuple[float, float]) -> FloatArray:
    """What a common factor, the second track alone and the first alone leave, in noises squared."""
    factor = float(one @ two / (two @ two))
    return np.asarray(
        [
            _mean_square((one - factor * two) / np.hypot(noise[0], factor * noise[1])),
            _mean_square((one - np.median(one)) / noise[0]),
            _mean_square((two - np.median(two)) / noise[1]),
        ]
    )


def _mean_square(off: FloatArray) -> float:
    squares = np.sort(off**2)
    return float(squares[: max(1, int(_KEPT * squares.size))].mean())
