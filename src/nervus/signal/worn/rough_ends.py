"""Where a lone track that is rough becomes so, and where it ceases to be.

While it is rough it says of itself only where it seems to be. Where the shaft was when it became rough,
and when it ceased to be, the sound readings just before and just behind tell.
"""

from dataclasses import dataclass
from math import log

import numpy as np

from nervus.domain.channel import BoolArray, FloatArray, Span
from nervus.signal.arithmetic.spans import runs
from nervus.signal.worn.roughness import Look

# A visit begins and ends so far beside where the track seems to be rough, percent of travel, or where
# the shaft leaves a stop: these per cent of the time it is beyond, and off it from so far on.
_BESIDE_PCT, _AT_REST, _OFF_REST_PCT = 3.0, (1.0, 99.0), 0.5
# The shaft goes on as it went over so many sound readings.
_GOES_ON = 4


@dataclass(frozen=True, slots=True, eq=False)
class _Course:
    """Where the shaft was by the sound readings, percent, and which are rough, or beside one that is."""

    percent: FloatArray
    rough: BoolArray
    unsound: BoolArray


def ends_by_sound(look: Look, near: Span) -> tuple[float | None, float | None]:
    """From where to where a lone track is rough, percent of travel.

    Of each visit that stretch of time is taken over which what is rough, and what is not, is likeliest:
    it is rough there as often as it is near, and elsewhere as often as it is elsewhere. Of all visits
    that passed an end the middle counts; `None` where none did.
    """
    course = _course(look)
    least, most = np.percentile(course.percent, _AT_REST)
    low, high = (
        max(near[0] - _BESIDE_PCT, least + _OFF_REST_PCT),
        min(near[1] + _BESIDE_PCT, most - _OFF_REST_PCT),
    )
    there = (course.percent > low) & (course.percent < high)
    often, seldom = (_share(course.rough[w & look.good]) for w in (there, ~there))
    is_rough, is_none = log(often / seldom), log((1.0 - often) / (1.0 - seldom))
    tells = np.asarray(np.where(course.rough, is_rough, is_none), dtype=np.float64)
    ends: tuple[list[float], list[float]] = [], []
    for first, last in zip(*runs(there), strict=True):
        begins, stops = _likeliest(tells[first : last + 1])
        if not course.rough[first + begins]:
            continue
        for outside, at, way in ((first - 1, first + begins, -1), (last + 1, first + stops, 1)):
            if 0 <= outside < course.percent.size:
                ends[bool(course.percent[outside] >= high)].append(_where(course, at, way))
    # What is rough at rest too reaches to the stop.
    beyond = (tells[course.percent <= low].sum(), tells[course.percent >= high].sum())
    passed = [float(np.median(e)) if e and b < 0.0 else None for e, b in zip(ends, beyond, strict=True)]
    return passed[0], passed[1]


def _share(which: BoolArray) -> float:
    """How many of them are, neither none nor all (Laplace's rule of succession)."""
    return float((np.count_nonzero(which) + 1.0) / (which.size + 2.0))


def _likeliest(tells: FloatArray) -> tuple[int, int]:
    """First and last of the stretch with the largest sum (J. Bentley, Comm. ACM 27 (1984) 865-873)."""
    sums = np.cumsum(tells)
    before = np.minimum.accumulate(np.append(0.0, sums[:-1]))
    stops = int(np.argmax(sums - before))
    return int(np.argmin(np.append(0.0, sums[:stops]))), stops


def _course(look: Look) -> _Course:
    rough = np.zeros(look.bend.size, dtype=np.bool_)
    rough[look.rough()] = True
    # Beside one that is off, one that is off as far does not bend; one that is sound bends half as far.
    unsound = np.convolve(rough, np.ones(3, dtype=np.int64), mode="same") > 0
    sound = np.flatnonzero(~unsound)
    if not sound.size:
        return _Course(look.percent, rough, unsound)
    return _Course(np.interp(np.arange(rough.size), sound, look.percent[sound]), rough, unsound)


def _where(course: _Course, at: int, way: int) -> float:
    """Where the shaft was at a rough reading, by how it went on the side that is sound."""
    sound = at
    while 0 <= sound < course.unsound.size and course.unsound[sound]:
        sound += way
    before = sound + way * _GOES_ON
    if not 0 <= before < course.unsound.size or course.unsound[before:sound:-way].any():
        return float(course.percent[at])
    by_each = (course.percent[sound] - course.percent[before]) / _GOES_ON
    return float(course.percent[sound] + by_each * abs(at - sound))
