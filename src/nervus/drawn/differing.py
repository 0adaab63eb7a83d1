"""How one recording differs from another over travel, with the band that chance alone explains."""

from dataclasses import dataclass
from math import sqrt

import numpy as np

from nervus.domain.analysis import Examination, Frame, Pass
from nervus.domain.channel import Channel, FloatArray, Recording, Sensor, Span
from nervus.language import say

CELLS = 100
"""Into so many places of equal length the travel is cut."""
# All places together are outside the band by chance in so many cases.
_BY_CHANCE = 0.05
# Fewer passes over a place than this tell nothing of how they scatter.
_LEAST_PASSES = 2


@dataclass(frozen=True, slots=True, eq=False)
class Differing:
    """One track against the same track of another recording.

    Attributes:
        channel: its identifier.
        title: what it is called.
        travel: middle of each place in percent of travel, shape (n,).
        less: this recording less the other, in percent of this one's span, shape (n,).
        band: half the width of the band about nothing, shape (n,); both are NaN where either was
            crossed too seldom.
    """

    channel: str
    title: str
    travel: FloatArray
    less: FloatArray
    band: FloatArray

    @property
    def outside(self) -> tuple[Span, ...]:
        """Where it differs by more than chance explains, in percent of travel."""
        off = np.abs(self.less) > self.band
        edges = np.flatnonzero(np.diff(np.concatenate(([False], off, [False])).astype(int)))
        half = 50.0 / CELLS
        return tuple(
            (float(self.travel[a] - half), float(self.travel[b - 1] + half))
            for a, b in zip(edges[::2], edges[1::2], strict=True)
        )

    @property
    def text(self) -> str:
        """What it comes to, in a sentence."""
        known = np.isfinite(self.band)
        if not known.any():
            return say("{title}: too few passes over the same places to tell.", title=self.title)
        if not self.outside:
            widest = float(np.nanmedian(self.band))
            return say(
                "{title}: no difference beyond ±{widest:.2g} % of travel, which is chance.",
                title=self.title,
                widest=widest,
            )
        worst = int(np.nanargmax(np.abs(self.less) - self.band))
        places = ", ".join(say("{a:.0f} to {b:.0f} %", a=a, b=b) for a, b in self.outside[:3])
        more = say(" and elsewhere") if len(self.outside) > 3 else ""
        return say(
            "{title}: differs over {places}{more}, by {less:+.2g} % at {travel:.0f} %.",
            title=self.title,
            places=places,
            more=more,
            less=self.less[worst],
            travel=self.travel[worst],
        )


def differing(
    recording: Recording, seen: Examination, other: Recording, other_seen: Examination
) -> tuple[Differing, ...]:
    """Each track of the throttle that both recordings have, place by place.

    For each place the means of single passes are compared, opening with opening and closing with
    closing, for a play of the shaft is no difference. The band is Welch's for two means, its quantile
    raised so that all places together hold (B. L. Welch, Biometrika 34 (1947) 28-35; O. J. Dunn,
    "Multiple comparisons among means", J. Am. Stat. Assoc. 56 (1961) 52-64); the step of either
    instrument adds to it. Values are taken from one straight course of both, so that it does not matter
    where in a place a sample fell. Of the track that the travel itself was read from nothing can
    differ: what is off in it shows in the others.
    """
    found = []
    for track in recording.tracks(Sensor.THROTTLE):
        same = other.get(track.id)
        if same is None:
            continue
        line = seen.travel.frames.get(track.id) if seen.travel is not None else None
        if line is None or line.open == line.closed:
            continue
        span = abs(line.open - line.closed)
        ours, theirs = _places(track, seen, line), _places(same, other_seen, line)
        less, band = _compared(ours, theirs, _step(track, seen), _step(same, other_seen))
        travel = (np.arange(CELLS) + 0.5) * 100.0 / CELLS
        found.append(
            Differing(track.id, track.kind.title, travel, 100.0 * less / span, 100.0 * band / span)
        )
    return tuple(found)


def _places(track: Channel, seen: Examination, line: Frame) -> dict[bool, FloatArray]:
    """Mean of each pass over each place less a straight course, by whether it opens.

    Each has the shape (passes, CELLS), and NaN where the pass was not.
    """
    travel = seen.travel
    rows: dict[bool, list[FloatArray]] = {True: [], False: []}
    for a_pass in seen.passes if travel is not None else ():
        inside = slice(*np.searchsorted(track.time_s, (a_pass.start_s, a_pass.end_s)))
        place = np.interp(track.time_s[inside], travel.time_s, travel.percent)  # type: ignore[union-attr] # no passes without
        cell = np.clip((place * CELLS / 100.0).astype(np.intp), 0, CELLS - 1)
        count = np.bincount(cell, minlength=CELLS)
        course = line.closed + (line.open - line.closed) * place / 100.0
        total = np.bincount(cell, weights=track.values[inside] - course, minlength=CELLS)
        mean = np.divide(total, count, out=np.full(CELLS, np.nan), where=count > 0)
        rows[_opens(a_pass)].append(mean)
    return {way: np.asarray(r).reshape(-1, CELLS) for way, r in rows.items()}


def _opens(a_pass: Pass) -> bool:
    return a_pass.to_pct > a_pass.from_pct


def _compared(
    ours: dict[bool, FloatArray], theirs: dict[bool, FloatArray], step: float, other_step: float
) -> tuple[FloatArray, FloatArray]:
    """Difference and half band of each place, over the directions that both have."""
    less = np.zeros(CELLS)
    variance = np.zeros(CELLS)
    squares = np.zeros(CELLS)
    ways = np.zeros(CELLS)
    for way in (True, False):
        own, own_var, own_n = _mean(ours[way])
        other, other_var, other_n = _mean(theirs[way])
        both = (own_n >= _LEAST_PASSES) & (other_n >= _LEAST_PASSES)
        less[both] += (own - other)[both]
        variance[both] += (own_var + other_var)[both]
        squares[both] += (own_var**2 / np.maximum(own_n - 1, 1))[both]
        squares[both] += (other_var**2 / np.maximum(other_n - 1, 1))[both]
        ways += both
    known = ways > 0
    less = np.where(known, less / np.maximum(ways, 1.0), np.nan)
    freedom = np.divide(variance**2, squares, out=np.full(CELLS, 1e6), where=squares > 0.0)
    unsure = np.sqrt(variance) / np.maximum(ways, 1.0)
    from scipy.stats import t  # noqa: PLC0415 - loaded when first needed: start-up

    places = max(int(known.sum()), 1)
    factor = t.ppf(1.0 - _BY_CHANCE / (2.0 * places), np.maximum(freedom, 1.0))
    steps = (step + other_step) / sqrt(12.0)
    return less, np.where(known, factor * unsure + steps, np.nan)


def _mean(rows: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Mean of the passes over each place, the variance of that mean, and how many there were."""
    seen = np.isfinite(rows)
    count = seen.sum(axis=0).astype(np.float64)
    filled = np.where(seen, rows, 0.0)
    mean = filled.sum(axis=0) / np.maximum(count, 1.0)
    spread = np.where(seen, (rows - mean) ** 2, 0.0).sum(axis=0) / np.maximum(count - 1.0, 1.0)
    return mean, spread / np.maximum(count, 1.0), count


def _step(track: Channel, seen: Examination) -> float:
    return next((c.step for c in seen.channels if c.id == track.id), 0.0)
