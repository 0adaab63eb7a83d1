"""An open line seen slowly: jumps that land on one and the same level, from wherever the throttle was.

Between samples that are far apart a hand can go anywhere, so a single jump proves nothing. But a hand
does not land on the same level within a third of a percent again and again, from different openings, and
jump away from it each time; an input that an open line leaves to its resistors does. Levels at which the
throttle usually rests are left out.
"""

import math

import numpy as np

from nervus.domain.channel import BoolArray, FloatArray
from nervus.signal.excursions import Excursion, describe, joined
from nervus.signal.levels import TrackSignal
from nervus.signal.spans import runs

# A jump between two samples, and the window that it must land in, percent of supply.
_JUMP_PCT, _WINDOW_PCT = 8.0, 0.6
# So many arrivals and departures, from openings that differ by so much.
_LEAST, _APART_PCT = 4, 12.0
# No nearer than this to where the track usually rests at either end.
_REST_PCT = 4.0
# If jumps landed anywhere, so many in one window would happen this seldom in a recording.
_CHANCE = 1e-4


def find_held(track: TrackSignal, known: tuple[Excursion, ...]) -> tuple[Excursion, ...]:
    """Stretches at the level of an open line, those that are known already left out."""
    if not track.is_slow or track.level.size < 3:
        return ()
    level = _level(track)
    if level is None:
        return ()
    at = np.abs(track.level - level) <= _half(track)
    pairs = [
        (int(a) - 1, int(b) + 1)
        for a, b in zip(*runs(at), strict=True)
        if _jumps(track.level, int(a) - 1, int(a)) or _jumps(track.level, int(b), int(b) + 1)
    ]
    found = (describe(track, first, last) for first, last in joined(pairs))
    return tuple(e for e in found if e is not None and not _is_known(e, known))


def _half(track: TrackSignal) -> float:
    return max(_WINDOW_PCT / 2, track.tolerance / 2)


def _jumps(level: FloatArray, a: int, b: int) -> bool:
    return a >= 0 and b < level.size and abs(float(level[b] - level[a])) > _JUMP_PCT


def _is_known(excursion: Excursion, known: tuple[Excursion, ...]) -> bool:
    start, end = excursion.span_s
    return any(k.span_s[0] <= end and start <= k.span_s[1] for k in known)


def _level(track: TrackSignal) -> float | None:
    """The level that jumps land on and leave, `None` where there is none."""
    steps = np.diff(track.level)
    jumps = np.flatnonzero(np.abs(steps) > _JUMP_PCT)
    if jumps.size < 2 * _LEAST:
        return None
    origins, landings = track.level[jumps], track.level[jumps + 1]
    half = _half(track)
    low, high = track.usual
    best, most = None, 0
    for candidate in landings:
        near_rest = min(abs(candidate - low), abs(candidate - high)) < _REST_PCT
        if near_rest or not low < candidate < high:
            continue
        arrive: BoolArray = np.abs(landings - candidate) <= half
        leave: BoolArray = np.abs(origins - candidate) <= half
        count = min(int(arrive.sum()), int(leave.sum()))
        if count > most and float(np.ptp(origins[arrive])) >= _APART_PCT:
            best, most = float(np.median(landings[arrive])), count
    if best is None or most < _LEAST:
        return None
    expected = jumps.size * 2 * half / max(high - low, 1.0)
    windows = max(high - low, 1.0) / (2 * half)
    return best if windows * _at_least(most, expected) < _CHANCE else None


def _at_least(count: int, expected: float) -> float:
    """Probability of so many or more, where so many are expected (Poisson)."""
    term = below = math.exp(-expected)
    for number in range(1, count):
        term *= expected / number
        below += term
    return max(0.0, 1.0 - below)
