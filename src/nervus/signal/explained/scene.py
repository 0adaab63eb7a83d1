"""One event, and what each channel says of it: which of a few physical explanations is the best.

- The shaft moved: all its tracks follow it, no quicker than a plate can, what asked for it moved too,
  and the engine breathed as it does there.
- A track left alone: its sister stayed, or moved on as before. Where it went is free, which costs.
- All tracks left: what they share failed. They leave quicker than any plate, or to a rail, or to a level
  that comes back from wherever they were.

Each weight is a log-likelihood in nats, so a margin of 3 is odds of 20 to 1.
"""

from collections.abc import Sequence
from dataclasses import replace
from math import log
from typing import Protocol

import numpy as np

from nervus.domain.channel import FloatArray, Span, Unit
from nervus.signal.arithmetic.spans import inside, merge, runs
from nervus.signal.candidates.edges import quickness
from nervus.signal.candidates.excursions import Excursion, deep_enough
from nervus.signal.candidates.off_course import BURST_GAP_S
from nervus.signal.candidates.proposing import Candidates
from nervus.signal.explained.events import Cause, Event, event_of
from nervus.signal.explained.feed_signs import Lines, by_one_factor
from nervus.signal.explained.kicks import Kicks
from nervus.signal.explained.landings import LEAST_LANDED, Landings
from nervus.signal.explained.returns import beyond_own, comes_back, moved_on, own_speed
from nervus.signal.explained.sister import BOTTOM, Part, Sister, measured
from nervus.signal.instruments import sampling
from nervus.signal.instruments.instrument import Instrument
from nervus.signal.motion.pair import Pair

# How much seldomer, in nats, than motion of the shaft a track alone leaves its course, and all together.
_ALONE, TOGETHER = 3.0, 4.0
# All came back, to be believed because of others, where that is worth so many nats.
_BACK = 1.0
# At the quickest that a plate can be motion is as likely as a fault; beyond it loses so many nats for
# each e-fold: who moves a plate by hand or spring seldom comes near it.
_PER_FOLD, _MOST_QUICK = 4.0, 20.0
# As quick as this no shaft goes along with it.
_SURELY_QUICK = 14.0
# Less than so many nats say nothing.
_LITTLE = 0.5
# A level near a rail at which a track never is: only a fault takes it there.
_RAIL = 8.0
# What goes this share of its way between two samples has leapt, if it went no more than that share of
# the leap the same way just before.
_LEAP, _PREPARED = 0.6, 0.25
# An end of a unit's percentage at which it is for such a share of a recording is where its shaft rests:
# it may be let go to there, and opened again, in no less than this time (from memory: a quick foot).
_RESTS_SHARE, _LET_GO_S = 0.3, 0.5
# No shaft is leapt to where its other track says that it is not, stands there, and is leapt back.
_STANDS = 12.0
# It landed on the level that others landed on, from elsewhere.
_SAME_LEVEL = 8.0
# A sister went along where she went this share of the way.
_ALONG = 0.5
# What is shared takes both: who goes by less than this share of the other, and to no rail, did not
# leave with it.
_ASIDE = 0.4
# A track that left so many times what noise makes, or half of that for so many samples, and that is
# worth no more than this, nats, to its sister, is where she is.
_FAR_OFF, _MANY, _HARDLY = 1.5, 10, 0.5
# An event longer than this is looked into: where the tracks differ by more than this share of the
# deepest for most of it, it is one lasting fault; else only the stretches at which they do are.
_LONG_S, _APART_SHARE, _MOSTLY = 0.4, 0.3, 0.5
# What lasts longer than this within the range is no interruption; what stands at one level all the while
# may last longer (common practice, no published source).
_LONGEST_APART_S, _LONGEST_STOOD_S = 1.5, 5.0
# A sister that is further off at its bottom than this share of its depth contradicts an excursion.
_CONTRADICTS = 0.5


class Witness(Protocol):
    """What was recorded besides the tracks and says whether their shaft moved."""

    def says(self, track: Instrument, excursion: Excursion) -> float:
        """How much it speaks for an excursion being motion, in nats; 0 where it can't tell."""


class Scene:
    """All that was recorded of one shaft, to ask what it says of an event."""

    def __init__(
        self,
        tracks: tuple[Instrument, ...],
        pair: Pair | None,
        witnesses: Sequence[Witness],
        candidates: dict[str, Candidates],
        feed: Lines,
    ) -> None:
        self._feed = feed
        self._tracks = {t.id: t for t in tracks}
        self._pair, self._witnesses = pair, witnesses
        away = tuple(e.span_s for c in candidates.values() for e in c.excursions)
        self._own_speed = {t.id: own_speed(t, away) for t in tracks if t.is_slow}
        self._quick_ends: dict[tuple[str, Span], FloatArray] = {}
        self._sister_decides = False
        self._sister = Sister(tracks, pair)
        self._landings = Landings(tracks, candidates, self._sister)
        self._kicks = Kicks(tracks, candidates)

    def prepare(self, events: Sequence[Event]) -> None:
        """Measure how quick the edges of all parts are, and learn what they have in common."""
        self._landings.learn(events)
        for name, track in self._tracks.items():
            spans = [e.span_s for event in events for n, e in event.parts if n == name]
            for span, ends in zip(spans, quickness(track, spans), strict=True):
                self._quick_ends[name, span] = ends

    def told(self, event: Event) -> Event | None:
        """The event by its best explanation; `None` where that is motion of the shaft."""
        self._sister.forget()
        event = self._with_sister(event)
        # Where the sister says all that she can, and nothing else is concerned, quickness adds nothing.
        self._sister_decides = len(event.parts) == 1 and self._sister.says_all(event.parts[0])
        if self._is_in_place(event):
            return None
        moved = self._moved(event)
        ways: list[tuple[float, Cause, tuple[Part, ...]]] = []
        fed = self._feed.left(event.span_s)
        if fed:
            ways.append((_RAIL - TOGETHER, Cause.FEED, event.parts))
        elif len(event.parts) > 1:
            chance = 0.0 if self._alike(event) else self._chance(event)
            together = self._one_factor(event) - chance - self._aside(event)
            ways.append((together - TOGETHER, Cause.FEED, event.parts))
        if not ways or not (fed or self._agree(event)):
            for part in event.parts:
                others = [p for p in event.parts if p[0] != part[0]]
                fell = self._landings.fell_with(part, others)
                rest = _RAIL if fell else min(sum(map(self._no_motion, others)), _RAIL)
                # They moved then, by themselves, and came back when it did.
                by_itself = (p for p in others if not self._kicked(p))
                rest += min((comes_back(self._tracks[n], e) for n, e in by_itself), default=0.0)
                along = 0.0 if others else self._sister.went_along(part)
                ways.append((-_ALONE - rest - along, Cause.ALONE, (part,)))
        weight, cause, parts = max(ways, key=lambda way: way[0])
        margin = weight - moved
        if margin <= 0.0 and (self._pair is not None or not all(e.weak for _, e in parts)):
            # What all share may be believed because it came again.
            again = cause is Cause.FEED and self._back(event) > _BACK
            if not again:
                return None
        kept = event_of(list(parts))
        return Event(
            tuple((n, e.made(weak=margin <= 0.0)) for n, e in parts), kept.span_s, cause, margin
        )

    def parted(self, span: Span) -> Event | None:
        """A stretch at which the tracks contradict each other, as an event of the one that left."""
        if self._pair is None or span[1] - span[0] > _LONGEST_APART_S:
            return None
        parts = [p for t in self._tracks.values() if (p := measured(t, span)) is not None]
        if not parts:
            return None
        unusual = [p for p in parts if self._tracks[p[0]].is_unusual(p[1].level)]
        chosen = max(unusual or parts, key=lambda part: part[1].depth)
        others = [e.depth for name, e in parts if name != chosen[0]]
        track = self._tracks[chosen[0]]
        deep = self._sister.furthest_off(track, span) >= deep_enough(track)
        if not deep or (others and max(others) >= 0.5 * chosen[1].depth):
            return None
        return Event((chosen,), span, Cause.ALONE, self._sister.says(chosen) - _ALONE)

    def stood(self, span: Span) -> Event | None:
        """The one track that was leapt to one level, stood there, and was leapt off it, if one did so.

        What is lost reads one level, while the shaft, and with it her sister, goes where it likes.
        """
        if span[1] - span[0] > _LONGEST_STOOD_S:
            return None
        parts = [p for t in self._tracks.values() if (p := self._sister.stood(t, span)) is not None]
        return Event((parts[0],), span, Cause.ALONE, _STANDS - _ALONE) if len(parts) == 1 else None

    def pieces(self, event: Event) -> tuple[Event, ...]:
        """A long event cut down to where the tracks contradict each other.

        A control unit that is lied to moves the plate for real, and both tracks show it: what begins as
        an interruption of one goes on as motion of both.
        """
        pair, (start, end) = self._pair, event.span_s
        if pair is None or end - start < _LONG_S:
            return (event,)
        name, deepest = event.deepest
        one = self._tracks[name]
        near = slice(*np.searchsorted(one.time_s, (start - 1e-9, end + 1e-9)).tolist())
        time_s, own = one.time_s[near], one.level[near]
        apart = np.abs(own - pair.expected(one, time_s))
        off = apart > max(2.0 * self._sister.blur[name], _APART_SHARE * deepest.depth)
        bottom = np.abs(own - deepest.level) <= BOTTOM * deepest.depth
        # Of a burst, its deepest part: the shaft may come by the same level before or behind it.
        bottom &= inside(time_s, (deepest.deepest_s or deepest.span_s,))
        contradicted = bottom.any() and float(np.median(apart[bottom])) > _CONTRADICTS * deepest.depth
        if not contradicted or float(np.mean(off)) > _MOSTLY:
            return (event,)
        ends = zip(*runs(off), strict=True)
        spans = merge(((float(time_s[a]), float(time_s[b])) for a, b in ends), BURST_GAP_S)
        cut = [
            [part for t in self._tracks.values() if (part := measured(t, s)) is not None] for s in spans
        ]
        return tuple(event_of([max(parts, key=lambda p: p[1].depth)]) for parts in cut if parts)

    def _moved(self, event: Event) -> float:
        """How well motion of the shaft explains an event, in nats."""
        if self._agree(event) and len(event.parts) > 1:
            # Who goes along gently shows that the shaft could: the other may leap over a worn place
            # meanwhile. Who is at no rail shows that the other has come to its stop.
            rails = all(self._tracks[n].is_unusual(e.level) for n, e in event.parts)
            levels = map(self._level if rails else self._landed, event.parts)
            against = min(map(self._quick, event.parts)) + max(levels) + self._back(event)
        else:
            against = max(map(self._no_motion, event.parts))
            if self._pair is None and all(map(self._is_not_made_up, event.parts)):
                against += self._back(event)
        apart = max(map(self._sister.apart, event.parts))
        return self._witnessed(event) - against - apart

    def _witnessed(self, event: Event) -> float:
        """How much what was recorded besides the tracks speaks for motion, in nats."""
        if not self._witnesses:
            return 0.0
        name, deepest = event.deepest
        deepest = replace(deepest, span_s=deepest.deepest_s or deepest.span_s)
        return sum(w.says(self._tracks[name], deepest) for w in self._witnesses)

    def _back(self, event: Event) -> float:
        """What it says against motion, in nats, that all came back to where they were, and how."""
        if all(map(self._kicked, event.parts)):
            return 0.0
        back = min(comes_back(self._tracks[n], e) for n, e in event.parts)
        if back <= _LITTLE:
            return 0.0
        return back + min(
            beyond_own(self._tracks[n], e, self._own_speed.get(n, 0.0)) for n, e in event.parts
        )

    def _no_motion(self, part: Part) -> float:
        """What speaks, in nats, against an excursion being motion, by the track alone."""
        return self._quick(part) + self._level(part)

    def _is_not_made_up(self, part: Part) -> bool:
        """Whether nobody who moved a shaft away would have brought it back to where it would be by then.

        It was moving all the while, or went to an end of a unit's percentage at which it never is.
        """
        track, excursion = self._tracks[part[0]], part[1]
        end = track.kind.unit is Unit.PERCENT and track.is_unusual(excursion.level)
        return moved_on(track, excursion) or (end and not _rests(track, excursion))

    def _kicked(self, part: Part) -> bool:
        """Whether a unit that had lost a track may have moved the plate so."""
        return self._kicks.may_be(self._tracks[part[0]], part[1])

    def _quick(self, part: Part) -> float:
        """What the quickness of its edges says against motion, in nats."""
        name, excursion = part
        if self._sister_decides or self._kicked(part):
            return 0.0
        ends = self._quick_ends.get((name, excursion.span_s))
        if ends is None:
            (ends,) = quickness(self._tracks[name], (excursion.span_s,))
        # A track of half range goes half as far for the same motion.
        further = self._pair.how_much_further(self._tracks[name]) if self._pair is not None else 1.0
        told = sum(max(0.0, _ALONE + _PER_FOLD * log(max(further * q, 1e-3))) for q in ends.tolist())
        return min(told, _MOST_QUICK)

    def _level(self, part: Part) -> float:
        """What the level that it went to says against motion, in nats."""
        name, excursion = part
        track = self._tracks[name]
        # A unit's percentage has no rail, its ends are where a shaft comes to its stops: there only what
        # leaps to the end and back, with nothing on the way, speaks against motion.
        rail = track.is_unusual(excursion.level)
        rail = rail and (track.kind.unit is Unit.VOLT or _leaps(track, excursion))
        rail = rail and not (track.kind.unit is Unit.PERCENT and _rests(track, excursion))
        return (_RAIL if rail else 0.0) + self._landed(part)

    def _landed(self, part: Part) -> float:
        """What it says that it landed where others did; where a recording begins nobody saw it land."""
        seen = self._tracks[part[0]].time_s[0] < part[1].span_s[0]
        return _SAME_LEVEL if seen and self._landings.lands(part) else 0.0

    def _one_factor(self, event: Event) -> float:
        """What it is worth, in nats, that tracks that contradict each other went by one factor.

        Or to one level: by chance one lands on the other's as seldom as its width is of their range.
        """
        if self._agree(event):
            return 0.0
        if self._alike(event) and all(map(self._left, event.parts)):
            track = self._tracks[event.deepest[0]]
            low, high = track.usual
            return log(max(high - low, 1.0) / (4.0 * track.same_level))
        return by_one_factor((self._tracks[name], e) for name, e in event.parts)

    def _chance(self, event: Event) -> float:
        """What it costs, in nats, that two tracks left and landed where the line between them says."""
        pair = self._pair
        if pair is None:
            return 0.0
        deepest = event.deepest
        if not self._agree(event):
            return 0.0
        by_chance = log(deepest[1].depth / self._sister.blur[deepest[0]])
        # Where they land again and again it is the chance of one, for all of them.
        again = all(self._landings.lands(part) for part in event.parts)
        return by_chance / LEAST_LANDED if again else by_chance

    def _alike(self, event: Event) -> bool:
        """Whether all tracks went to one and the same level."""
        same = max(self._tracks[name].tolerance for name, _ in event.parts)
        return float(np.ptp([e.level for _, e in event.parts])) < 2.0 * same

    def _aside(self, event: Event) -> float:
        """What it costs, in nats, that one track hardly left while the other went far."""
        name, deepest = event.deepest
        aside = any(
            self._sister.depth_in(name, part) < _ASIDE * deepest.depth
            and self._level(part) == 0.0
            and self._quick(part) < _SURELY_QUICK
            for part in event.parts
            if part[0] != name
        )
        return _RAIL if aside and not self._alike(event) else 0.0

    def _agree(self, event: Event) -> bool:
        """Whether the tracks went along with each other, further than noise would take them."""
        pair, deepest = self._pair, event.deepest
        if pair is None or deepest[1].depth < 2.0 * self._sister.blur[deepest[0]]:
            return False
        return all(map(self._sister.agrees, event.parts))

    def _is_in_place(self, event: Event) -> bool:
        """Whether a track alone is, during an event, where its sister is, though she did not go along.

        Then it was off before it, or behind, and what looks like the event is the way between.
        """
        pair = self._pair
        if pair is None or len(event.parts) > 1:
            return False
        name, excursion = event.parts[0]
        track = self._tracks[name]
        far = _FAR_OFF if excursion.samples < _MANY else _FAR_OFF / 2.0
        if (
            excursion.depth < far * self._sister.blur[name]
            or self._sister.apart(event.parts[0]) > _HARDLY
        ):
            return False
        # What speed and a line that is not known well hide is no place.
        return pair.timing(track, event.span_s) < self._sister.blur[name]

    def _with_sister(self, event: Event) -> Event:
        """An event of one track with what the other showed then, where that went along."""
        if len(event.parts) > 1:
            return event
        name, excursion = event.parts[0]
        if self._landings.by_joint(event.parts[0]):
            return event_of([*event.parts, *self._landings.shrank_with(name, event.span_s)])
        agree = self._agree(event)
        if not agree and (self._pair is None or self._pair.together):
            return event
        others = self._sister.shows(name, excursion.deepest_s or event.span_s)
        if not agree:
            if fell := self._landings.fell_with(event.parts[0], others):
                return event_of([*event.parts, *fell])
            left = [p for p in others if self._left(p)]
            both = event_of([*event.parts, *left])
            return both if self._alike(both) or any(map(self._no_motion, left)) else event
        least = _ALONG * excursion.depth
        along = [p for p in others if self._sister.depth_in(name, p) > least]
        return event_of([*event.parts, *along])

    def _left(self, part: Part) -> bool:
        """Whether a track was off its course for most of a span, and by more than noise makes of it."""
        track, excursion = self._tracks[part[0]], part[1]
        first, last = np.searchsorted(track.time_s, excursion.span_s).tolist()
        off = sampling.middle(np.abs(track.level[first : last + 1] - excursion.course))
        return excursion.depth > deep_enough(track) and off > _ALONG * excursion.depth


def _rests(track: Instrument, excursion: Excursion) -> bool:
    """Whether a shaft may have been let go to where it rests, for so long as takes it there and back."""
    if excursion.span_s[1] - excursion.span_s[0] < _LET_GO_S:
        return False
    at_rest = np.abs(track.level - excursion.level) <= track.same_level
    return float(np.mean(at_rest)) >= _RESTS_SHARE


def _leaps(track: Instrument, excursion: Excursion) -> bool:
    """Whether an excursion goes most of its way between two samples, there and back.

    And with hardly any motion the same way before it, or behind.
    """
    level, (start, end) = track.level, excursion.span_s
    first, last = np.searchsorted(track.time_s, (start - 1e-9, end + 1e-9)).tolist()
    if first < 2 or last > level.size - 2:
        return False
    for far, beside, within in ((first - 2, first - 1, first), (last + 1, last, last - 1)):
        way = float(level[within] - level[beside])
        on_the_way = float(level[beside] - level[far]) * (1.0 if way > 0.0 else -1.0)
        if abs(way) < _LEAP * excursion.depth or on_the_way > _PREPARED * abs(way):
            return False
    return True
