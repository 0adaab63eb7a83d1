"""Interruptions that fade: with an edge at one end, and followed to where they meet the course.

A contact that heals by and by, or a line behind a large capacitor, leaves at once and comes back gently,
or the other way round. A hand that changes its speed draws the same curve, from an edge that noise makes
or that a step leaves: it is told by how far, and for how long, the course is known.
"""

from math import ceil

import numpy as np

from nervus.domain.channel import FloatArray
from nervus.signal.candidates.edges import ROUNDED_S, Segments, from_rest
from nervus.signal.instruments.instrument import Instrument

# A hand may change its speed meanwhile by this much, percent of supply per second.
CHANGE_OF_SPEED = 25.0
# An interruption with one edge only must meet the course within this time of it.
FADE_S = 0.25
# It has met it where it is no further from it than this share of the edge, or beyond it.
_MEETS = 0.3
# What dies away by 0.3 within a time is at the course, within this share of the edge, within so many
# times that; it is off by less than this share in the middle of it: 0.55, and what stood by 0.65.
_DIES_AWAY, _IS_THERE, _DYING = 3.0, 0.1, 0.6
# Half of the time before that it was off by this share of the edge: a line that heals as it began is off
# by 0.65 then, one that does so exponentially by 0.55, and what is bent like a thrown stone by 0.82.
_HALF_HEALED = 0.72
# The quickest that a spring snaps a plate, percent of supply per second (from memory: the whole travel
# in 67 ms).
QUICKEST_PCT_PER_S = 1500.0
# What stood and leaps by so much more than that, percent of supply, was held, if no other edge comes for
# so long: a contact that chatters leaps to and fro.
_LEAPT_PCT, _STAYS_S = 5.0, 0.5
# A converter that reads what stands changes so many times meanwhile.
_LEAST_CHANGES = 4
# So many samples of it tell.
_LEAST_HALF = 3


def fades(track: Instrument, segments: Segments, current: int) -> list[tuple[int, int]]:
    """An interruption that fades in before the edge after a segment, or out behind it.

    Args:
        track: the track.
        segments: between its edges.
        current: index of the one before the edge.

    Returns:
        Index of the last sample on the course before it, and of the first behind; none or one of them.
    """
    after = current + 1
    edge_from, edge_to = int(segments.last[current]), int(segments.first[after])
    faded_in = _meets(
        track,
        (edge_from, int(segments.first[current])),
        (edge_to, int(segments.last[after])),
        float(segments.slope_in[after]),
    )
    if faded_in is not None:
        return [(faded_in, edge_to)]
    return faded_out(track, segments, current)


def held(track: Instrument, segments: Segments, current: int) -> list[tuple[int, int]]:
    """A value that was held before the edge after a segment, and let go to where the shaft is by then.

    From where a track stood it leaps further than any plate goes meanwhile, and nothing brings it back:
    so it was not there. Held in passing it has stood since then; where it rested before, nobody saw
    since when. As `fades` tells it. What stays to the last bit was not read meanwhile.
    """
    before, behind = int(segments.last[current]), int(segments.first[current + 1])
    took_s = float(track.time_s[behind] - track.time_s[before])
    leapt = abs(float(track.level[behind] - track.level[before]))
    stays_s = float(track.time_s[segments.last[current + 1]] - track.time_s[behind])
    # It need not have come to rest again: then it goes twice as far, by a T^2 / 2.
    goes = min(QUICKEST_PCT_PER_S * took_s, 2.0 * float(from_rest(leapt, took_s)))
    if leapt < _LEAPT_PCT + goes or stays_s < _STAYS_S:
        return []
    since = _stood_since(track, int(segments.first[current]), before, behind)
    if since is None:
        return []
    was_read = np.count_nonzero(np.diff(track.level[since : before + 1])) >= _LEAST_CHANGES
    return [(since, behind)] if was_read else []


def _stood_since(track: Instrument, first: int, last: int, behind: int) -> int | None:
    """The sample from which a track stood, to its last, or that from which it is told at the earliest.

    `None` where it stood from its first sample on: then it had leapt there. And where it came to stand
    less than so long ago, unless it leaps on the way that it went before, and would have gone as far as
    a leap by then: who goes slowly leaps at an edge of what is worn, and what was opened settles.
    """
    time_s, level = track.time_s, track.level
    earliest = int(time_s.searchsorted(time_s[last] - FADE_S))
    apart = np.abs(level[max(earliest, first) : last + 1] - level[last]) > 2.0 * track.same_level
    if not apart.any():
        return earliest if earliest > first else None
    since = max(earliest, first) + int(np.flatnonzero(apart)[-1])
    before = max(int(time_s.searchsorted(time_s[since] - FADE_S)), first)
    on = float(np.copysign(1.0, level[behind] - level[last]))
    speed = on * float(level[since] - level[before]) / FADE_S
    return since if since > first and speed * (time_s[last] - time_s[since]) > _LEAPT_PCT else None


def faded_out(track: Instrument, segments: Segments, current: int) -> list[tuple[int, int]]:
    """An interruption that fades out behind the edge after a segment; as `fades` tells it."""
    edge_from, edge_to = int(segments.last[current]), int(segments.first[current + 1])
    met = _meets(
        track,
        (edge_to, int(segments.last[current + 1])),
        (edge_from, int(segments.first[current])),
        float(segments.slope_out[current]),
    )
    return [(edge_from, met)] if met is not None else []


def _meets(
    track: Instrument, away: tuple[int, int], course: tuple[int, int], slope: float
) -> int | None:
    """Where a segment that an edge cut off meets the course drawn from the edge's other side.

    Args:
        track: the track.
        away: index at the edge, and how far the segment reaches from there.
        course: index on the course, at the edge's other side, and how far it was seen from there.
        slope: of the course there.
    """
    if not np.isfinite(slope):
        return None
    step = 1 if away[1] >= away[0] else -1
    reach = ceil(FADE_S / max(track.interval_s, 1e-7))
    far = ceil(_DIES_AWAY * reach)
    indices = np.arange(away[0], away[0] + step * min(abs(away[1] - away[0]), far), step)
    if indices.size < 2:
        return None
    anchor, seen_s = course[0], abs(float(np.diff(track.time_s[list(course)])[0]))
    elapsed_s = track.time_s[indices] - track.time_s[anchor]
    apart = track.level[indices] - (track.level[anchor] + slope * elapsed_s)
    # What a filter rounds is furthest a little behind its edge.
    rounded = ceil(ROUNDED_S / max(track.interval_s, 1e-7))
    furthest = int(np.argmax(np.abs(apart[:rounded]))) if rounded > 2 else 0
    indices, elapsed_s, apart = indices[furthest:], elapsed_s[furthest:], apart[furthest:]
    edge = abs(float(track.level[indices[0]] - track.level[anchor]))
    met = np.flatnonzero(
        (np.abs(apart) < max(track.tolerance, _MEETS * edge)) | (apart * apart[0] < 0.0)
    )
    if not met.size or not 2 <= met[0] < reach:
        return None
    # No course is drawn on for longer than it was seen, nor from a rest that a plate may have left; but
    # what goes to a rail is no motion.
    took_s, lost = abs(float(elapsed_s[met[0]])), track.are_unusual(track.level[indices[: met[0]]])
    moves = abs(slope) >= 1e-9 or edge > _LEAPT_PCT + QUICKEST_PCT_PER_S * abs(float(elapsed_s[0]))
    known = moves and took_s <= seen_s
    if not lost.any() and (not known or _may_be_motion(apart[: met[0] + 1], edge, slope, took_s)):
        return None
    # What stays off by as much as the edge itself is a hold, not an interruption that fades.
    behind = np.where(apart[met[0] :] * apart[0] < 0.0, 0.0, np.abs(apart[met[0] :]))
    dies = not track.is_slow and _half_way(apart[: met[0] + 1]) <= _DYING * edge
    since_s = np.abs(elapsed_s[met[0] :])
    return int(indices[met[0] + (_until_over(track, behind, since_s, edge) if dies else 0)])


def _until_over(track: Instrument, apart: FloatArray, since_s: FloatArray, edge: float) -> int:
    """After how many samples what dies away is over; 0 where it is not by itself.

    Args:
        track: the track.
        apart: how far it is from its course, from where it is near it, never negative, shape (n,).
        since_s: how long after its edge, shape (n,).
        edge: how far it was there.
    """
    for near in (track.same_level, max(track.tolerance, _IS_THERE * edge)):
        there = np.flatnonzero((apart < near) & (since_s < _DIES_AWAY * since_s[0]))
        if there.size:
            return int(there[0])
    return 0


def _half_way(apart: FloatArray) -> float:
    """How far something is off in the middle of its way, always positive."""
    half = (apart.size - 1) // 2
    return float(np.abs(np.median(apart[half - half // 2 : half + half // 2 + 1])))


def _may_be_motion(apart: FloatArray, edge: float, slope: float, took_s: float) -> bool:
    """Whether a shaft that changes its speed may have made up for an edge.

    A hand does so by itself where it is small. And what heals does so as quickly at first; a shaft that
    slows down is off by as much for long, and then ever less.

    Args:
        apart: how far it was from the course until then, shape (n,).
        edge: how far at first.
        slope: of the course.
        took_s: how long until then.
    """
    half = (apart.size - 1) // 2
    made_up = abs(slope) < 1e-9 or abs(slope) * took_s > edge
    bent = half >= _LEAST_HALF and made_up and _half_way(apart) > _HALF_HEALED * edge
    return bool(edge < CHANGE_OF_SPEED * took_s or bent)
