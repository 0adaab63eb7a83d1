"""What the other track on the same shaft says of an excursion: whether the shaft could have made it."""

from collections.abc import Sequence
from dataclasses import replace
from math import hypot

import numpy as np

from nervus.domain.channel import FloatArray, Span
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.instruments import sampling
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.motion.pair import Pair

# The line between two tracks is known to this share of what one of them moves (gain, lag, filters); so
# many deviations of noise make a tolerance; no more than so many nats come from one difference.
_GAIN, _DEVIATIONS, _MOST_APART = 0.13, 4.0, 30.0
# A supply's ripple moves tracks that mirror each other apart, percent (common practice: some ten
# millivolts).
_RIPPLE_PCT = 0.15
# Tracks agree where what they are apart is worth less than this, in nats.
_AGREE = 2.0
# The bottom of an excursion: no further from its level than this share of its depth.
BOTTOM = 0.3
# Where both stand they are further apart than at this percentile in faults alone: so many deviations.
_SELDOM_OFF = (90.0, 1.64)
# So many samples stand at a level, and what is leapt to and from is so far off, percent of supply.
_LEAST_STOOD, _LEAPT_PCT = 5, 5.0
# An excursion is compared at so many instants at most.
_MANY_LEVELS = 200

Part = tuple[str, Excursion]
"""An excursion, and the channel of the track that made it."""


class Sister:
    """Asked for each part of an event; of a lone track there is none, who says nothing.

    Attributes:
        blur: for each track what noise and rounding of both hide, percent of its supply.
    """

    def __init__(self, tracks: Sequence[Instrument], pair: Pair | None) -> None:
        self._tracks, self._pair = {t.id: t for t in tracks}, pair
        self._known: dict[int, float] = {}
        self._stood: dict[str, tuple[FloatArray, FloatArray, FloatArray]] = {}
        self._usually_off: dict[str, float] = {}
        self.blur = {t.id: pair.blur(t) for t in tracks} if pair is not None else {}

    def forget(self) -> None:
        """Another event is looked at: what was said of parts is of those only."""
        self._known = {}

    def apart(self, part: Part) -> float:
        """What she says against an excursion being motion, in nats; asked for more than once."""
        known = self._known.get(id(part[1]))
        if known is None:
            known = self._known[id(part[1])] = self.says(part)
        return known

    def agrees(self, part: Part) -> bool:
        """Whether a track was where she says that it should be."""
        return self.apart(part) < _AGREE

    def says_all(self, part: Part) -> bool:
        """Whether she says as much against motion as she can."""
        return self.apart(part) >= _MOST_APART

    def says(self, part: Part) -> float:
        """What she says against an excursion being motion, in nats."""
        pair, (name, excursion) = self._pair, part
        if pair is None:
            return 0.0
        track = self._tracks[name]
        # Of a burst, its deepest part: the shaft may go to its level later, or may have come from there.
        samples = _during(track, excursion.deepest_s or excursion.span_s)
        seen = track.level[samples]
        if not seen.size:
            return 0.0
        expected = pair.expected_of(track, samples)
        bottom = np.abs(seen - excursion.level) <= BOTTOM * excursion.depth
        if bottom.any():
            seen, expected = seen[bottom], expected[bottom]
        apart = seen - expected
        spread = self._spread(pair, part)
        off = sampling.middle(np.abs(apart)) / spread
        return min(max(off, self._off_where_both_stood(pair, part)) ** 2 / 2.0, _MOST_APART)

    def _off_where_both_stood(self, pair: Pair, part: Part) -> float:
        """How far a track is off her, in spreads, where both stand at once; 0 where they don't.

        Of readings that are taken in turn, two alike of each, across each other, are no motion that
        either missed: what they are apart then is not for timing.
        """
        name, excursion = part
        track = self._tracks[name]
        if pair.together:
            return 0.0
        if name not in self._stood:
            at_s, stood, off = pair.where_both_stand(track)
            self._stood[name] = at_s, stood, np.abs(off)
            seldom, deviations = _SELDOM_OFF
            every = self._stood[name][2]
            self._usually_off[name] = (
                float(np.percentile(every, seldom)) / deviations if every.size else 0.0
            )
        time_s, level, apart = self._stood[name]
        start, end = excursion.deepest_s or excursion.span_s
        first, last = time_s.searchsorted((start - track.interval_s, end + track.interval_s)).tolist()
        at_bottom = np.abs(level[first:last] - excursion.level) <= track.same_level
        if not at_bottom.any():
            return 0.0
        known = hypot(self.blur[name] / _DEVIATIONS, _GAIN * excursion.depth, _RIPPLE_PCT)
        return float(np.median(apart[first:last][at_bottom])) / max(known, self._usually_off[name])

    def shows(self, name: str, span: Span) -> list[Part]:
        """What the other tracks show while one was off.

        Of tracks that are read in turn they may have left up to a reading earlier, and come back later.
        """
        more_s = (
            0.0 if self._pair is None or self._pair.together else self._tracks[name].interval_s / 2.0
        )
        others = (t for t in self._tracks.values() if t.id != name)
        shown = ((t, measured(t, (span[0] - more_s, span[1] + more_s))) for t in others)
        return [_trimmed(t, part) if more_s else part for t, part in shown if part is not None]

    def went_along(self, part: Part) -> float:
        """What it costs, in nats, to say that a track left alone while she moved as it did."""
        name, excursion = part
        pair, span = self._pair, excursion.deepest_s or excursion.span_s
        if pair is None or not self.agrees(part):
            return 0.0
        hers = (measured(t, span) for t in self._tracks.values() if t.id != name)
        went = next((p for p in hers if p is not None), None)
        if went is None:
            return 0.0
        stays = self.depth_in(name, went) / self._spread(pair, part)
        return min(stays**2 / 2.0, _MOST_APART)

    def furthest_off(self, track: Instrument, span: Span) -> float:
        """The most that a track is off what she tells during a span, percent of its supply."""
        if self._pair is None:
            return 0.0
        samples = _during(track, span)
        off = np.abs(track.level[samples] - self._pair.expected_of(track, samples))
        return float(np.max(off, initial=0.0))

    def stood(self, track: Instrument, span: Span) -> Part | None:
        """What a track shows between two instants if it leapt to one level, stood there, and leapt off.

        She leapt at neither end. The sample at each end may be on the way.
        """
        first, last = np.searchsorted(track.time_s, (span[0] - 1e-9, span[1] + 1e-9)).tolist()
        ends = np.asarray((first - 2, first + 1, last - 2, last + 1))
        if self._pair is None or last - first < _LEAST_STOOD:
            return None
        if first < 2 or last > track.level.size - 2:
            return None
        inner = track.level[first + 1 : last - 1]
        own = track.level[ends]
        both = np.stack((own, own - self._pair.expected_of(track, ends)))
        steps = both[:, [1, 3]] - both[:, [0, 2]]
        if (
            np.abs(steps).min() <= _LEAPT_PCT
            or np.ptp(inner) > 2.0 * track.same_level + track.resolution
        ):
            return None
        before, after = float(track.level[first - 1]), float(track.level[last])
        level = float(np.median(inner))
        return track.id, Excursion(span, before, after, level, last - first)

    def depth_in(self, name: str, part: Part) -> float:
        """How deep an excursion of hers is, in percent of a track's supply."""
        slope = abs(self._pair.line.slope) if self._pair is not None else 1.0
        first = self._pair is not None and name == self._pair.first.id
        return part[1].depth / slope if first else part[1].depth * slope

    def _spread(self, pair: Pair, part: Part) -> float:
        """How well it is known, percent of supply, where a track should be by her."""
        name, excursion = part
        timing = pair.timing(self._tracks[name], excursion.span_s)
        blur = self.blur[name] / _DEVIATIONS
        return hypot(blur, _GAIN * excursion.depth, timing / 2.0, _RIPPLE_PCT)


def measured(track: Instrument, span: Span) -> Part | None:
    """What a track shows between two instants, against straight on from before to behind."""
    first, last = np.searchsorted(track.time_s, (span[0] - 1e-9, span[1] + 1e-9)).tolist()
    if last <= first:
        return None
    before = float(track.level[max(first - 1, 0)])
    after = float(track.level[min(last, track.level.size - 1)])
    values = track.level[first:last]
    straight = before + (after - before) * np.arange(1, last - first + 1) / (last - first + 1)
    furthest = int(np.argmax(np.abs(values - straight)))
    level, local = float(values[furthest]), float(straight[furthest])
    return track.id, Excursion(span, before, after, level, last - first, local=local)


def _trimmed(track: Instrument, part: Part) -> Part:
    """An excursion from the first to the last sample at which its track had gone most of the way."""
    name, excursion = part
    first, last = np.searchsorted(track.time_s, excursion.span_s).tolist()
    gone = np.abs(track.level[first:last] - excursion.course) > excursion.depth / 2.0
    at_s = track.time_s[first:last][gone]
    if not at_s.size:
        return part
    span = (float(at_s[0]), float(at_s[-1]))
    return name, replace(excursion, span_s=span, samples=int(at_s.size))


def _during(track: Instrument, span: Span) -> slice:
    """The samples of a track during an event, or so many of them as are enough."""
    first, last = track.time_s.searchsorted((span[0] - 1e-9, span[1] + 1e-9)).tolist()
    return slice(first, last, max(1, (last - first) // _MANY_LEVELS))
