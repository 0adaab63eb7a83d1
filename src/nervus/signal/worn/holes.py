"""Holes: levels that a track never shows, though the shaft went through them again and again.

Where a stretch of a track is worn away the wiper holds the last level that was good, and meets the track
again where it should be: at once. So all that lies between is missing in every pass, and what is missing
lies piled up at the hole's edge. A hand that hesitates piles up as much, and leaves no hole.
"""

from math import exp, log

import numpy as np

from nervus.domain.analysis import Frame, Pass
from nervus.domain.channel import FloatArray, IntArray, Span
from nervus.domain.finding import DeadSpot, Shape
from nervus.signal.arithmetic.spans import inside, merge, runs_of
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.motion.travel import crossings
from nervus.signal.worn.pass_cells import samples_in
from nervus.signal.worn.spot import pooled_confidence, spot_text

# Cells of travel, and how many on each side tell how often a level should have been shown.
_CELL_PCT, _AROUND = 0.25, range(8, 24)
# A hole is so wide, percent of travel, and so many of the track's steps; a cell of it holds less than
# this share of what it should.
_NARROWEST_PCT, _LEAST_STEPS, _WIDEST_PCT, _EMPTY = 0.7, 2.5, 10.0, 0.35
# By chance it is as empty as seldom as this, and this share of what is missing is piled up beside it,
# no further off than this, percent of travel.
_CHANCE, _PILED, _BESIDE_PCT = 1e-6, 0.5, 0.6
# It stood where it moved by less than this share of the leap just before: quick motion does not.
_STOOD = 0.5
# Nearer than this to its stops a plate lands and bounces.
_STOP_PCT = 1.5
_LEAST_PASSES, _LEAST_SHARE = 3, 0.6


def find_holes(
    track: Instrument, frame: Frame, passes: tuple[Pass, ...], masked: tuple[Span, ...]
) -> tuple[DeadSpot, ...]:
    """Dead spots at which a track stands still and leaps.

    Args:
        track: the track.
        frame: what its levels are of the travel.
        passes: of the travel.
        masked: spans that are told already.
    """
    if len(passes) < _LEAST_PASSES:
        return ()
    percent = frame.percent(track.own(track.level))
    at, _ = samples_in(track.time_s, passes)
    at = at[~inside(track.time_s[at], masked, 2.0 * track.interval_s)]
    span = max(abs(frame.open - frame.closed) * 100.0 / track.supply_v, 1e-6)
    step = 100.0 * track.resolution / span
    width = max(_CELL_PCT, step)
    edges = np.arange(0.0, 100.0 + width, width)
    counts = np.histogram(percent[at], edges)[0]
    found = []
    for hole in _holes(counts, width, max(_NARROWEST_PCT, _LEAST_STEPS * step)):
        spot = _spot(track, percent, passes, hole)
        if spot is not None:
            found.append(spot)
    return tuple(found)


def _holes(counts: IntArray, width: float, least_pct: float) -> list[Span]:
    """Stretches of travel that are empty and have a pile beside them, percent."""
    expected = _expected(counts)
    empty = counts < _EMPTY * expected
    first, last = runs_of(np.flatnonzero(empty))
    groups = merge([(float(a), float(b)) for a, b in zip(first, last, strict=True)], 1.5)
    holes = []
    for low, high in ((int(a), int(b)) for a, b in groups):
        place = (low * width, (high + 1) * width)
        if not least_pct <= place[1] - place[0] <= _WIDEST_PCT:
            continue
        if place[0] < _STOP_PCT or place[1] > 100.0 - _STOP_PCT:
            continue
        should, seen = float(expected[low : high + 1].sum()), int(counts[low : high + 1].sum())
        near = max(1, round(_BESIDE_PCT / width))
        piled = sum(
            float((counts[side] - expected[side]).max(initial=0.0))
            for side in (slice(max(low - near, 0), low), slice(high + 1, high + 1 + near))
        )
        if _at_most(seen, should) < _CHANCE and piled > _PILED * (should - seen):
            holes.append(place)
    return holes


def _expected(counts: IntArray) -> FloatArray:
    """How often each cell should have been shown, by the middle of those around it, shape (cells,)."""
    wide = _AROUND.stop
    padded = np.pad(counts.astype(np.float64), wide)
    known = np.pad(np.ones(counts.size), wide)
    centre = np.arange(counts.size) + wide
    sides = []
    for sign in (-1, 1):
        shown = np.sum([padded[centre + sign * n] for n in _AROUND], axis=0)
        of = np.sum([known[centre + sign * n] for n in _AROUND], axis=0)
        sides.append(np.where(of > 0, shown / np.maximum(of, 1.0), np.inf))
    expected = np.minimum(*sides)
    return np.where(np.isfinite(expected), expected, 0.0)


def _at_most(seen: int, mean: float) -> float:
    """A bound of the probability of so few or fewer where so many are expected (Chernoff, Poisson)."""
    if seen >= mean:
        return 1.0
    return exp(seen - mean - (seen * log(seen / mean) if seen else 0.0))


def _spot(
    track: Instrument,
    percent: FloatArray,
    passes: tuple[Pass, ...],
    place: Span,
) -> DeadSpot | None:
    """The hole with when each pass stood beside it and leapt; `None` where too few did."""
    crossed = crossings(passes, place)
    spans, stood = [], 0
    for a_pass in crossed:
        first, last = np.searchsorted(track.time_s, (a_pass.start_s, a_pass.end_s)).tolist()
        way = percent[first : last + 1]
        up = a_pass.to_pct > a_pass.from_pct
        leapt = np.flatnonzero(
            (way[:-1] <= place[0]) & (way[1:] >= place[1])
            if up
            else (way[:-1] >= place[1]) & (way[1:] <= place[0])
        )
        if leapt.size:
            at = first + int(leapt[0])
            leap = abs(percent[at + 1] - percent[at])
            stood += bool(abs(percent[at] - percent[max(at - 1, 0)]) < _STOOD * leap)
            spans.append((float(track.time_s[at]), float(track.time_s[at + 1])))
    if len(spans) < max(_LEAST_PASSES, _LEAST_SHARE * len(crossed)) or 2 * stood < len(spans):
        return None
    place = (round(place[0], 2), round(place[1], 2))
    return DeadSpot(
        channels=(track.id,),
        times_s=tuple((round(a, 4), round(b, 4)) for a, b in spans),
        confidence=pooled_confidence(len(spans), len(crossed)),
        text=spot_text(track.id, place, Shape.FLAT, (len(spans), len(crossed)), 0.0),
        travel_pct=place,
        shape=Shape.FLAT,
        seen_in=len(spans),
        crossed=len(crossed),
    )
