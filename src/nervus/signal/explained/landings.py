"""Where tracks go again and again when they leave: one level each, or one factor of where they were."""

from collections.abc import Mapping, Sequence

import numpy as np

from nervus.domain.channel import Span
from nervus.signal.candidates.proposing import Candidates
from nervus.signal.explained.events import Event
from nervus.signal.explained.feed_signs import joint_of, shrank
from nervus.signal.explained.sister import Part, Sister, measured
from nervus.signal.instruments.instrument import Instrument

# So many landings of one track, come to from openings that differ by so much, percent of supply, tell
# what the other reads then, if it reads that in most of them.
LEAST_LANDED, _FROM_APART_PCT, _MOSTLY = 3, 8.0, 0.5


class Landings:
    """What each track's excursions have in common, and what the other track does then."""

    def __init__(
        self, tracks: Sequence[Instrument], candidates: Mapping[str, Candidates], sister: Sister
    ) -> None:
        self._tracks, self._sister = {t.id: t for t in tracks}, sister
        self._levels = {t.id: candidates[t.id].level for t in tracks}
        self._joints = {t.id: joint_of(t, candidates[t.id].excursions) for t in tracks}
        self._reads_with: dict[str, float | None] = dict.fromkeys(self._tracks)

    def learn(self, events: Sequence[Event]) -> None:
        """What each track reads whenever the other lands on its level, wherever the shaft is."""
        self._reads_with = {t.id: self._read_with(t, events) for t in self._tracks.values()}

    def lands(self, part: Part) -> bool:
        """Whether a track went where it goes again and again: to one level, or by one factor."""
        (name, excursion), level = part, self._levels[part[0]]
        same = self._tracks[name].same_level + self._tracks[name].resolution
        return (level is not None and abs(excursion.level - level) <= same) or self._leaks(part)

    def fell_with(self, part: Part, others: Sequence[Part]) -> list[Part]:
        """The others, where one lands on its level, that read what they read each time it does."""
        return [p for p in others if self._reads_so(p)] if self.lands(part) else []

    def by_joint(self, part: Part) -> bool:
        """Whether a track shrank by the factor by which it shrinks again and again."""
        joint = self._joints[part[0]]
        return joint is not None and shrank(self._tracks[part[0]], part[1], joint)

    def shrank_with(self, name: str, span: Span) -> list[Part]:
        """The other tracks, read in turn with one that shrank, where they shrank by the joint too."""
        found, joint = [], self._joints[name]
        for track in self._tracks.values():
            near = (span[0] - 0.5 * track.interval_s, span[1] + 0.5 * track.interval_s)
            part = measured(track, near) if track.id != name else None
            if joint is None or part is None or part[1].depth <= track.tolerance:
                continue
            if shrank(track, part[1], joint):
                found.append(part)
        return found

    def _leaks(self, part: Part) -> bool:
        """Whether a track shrank as it shrinks again and again, and its sister says nothing against it.

        A joint in what is shared makes her shrink too; one in its own line leaves her where she was. Who
        goes where the shaft would take both went with it.
        """
        if not self.by_joint(part):
            return False
        alone = len(self._sister.blur) < 2 or not self._sister.agrees(part)
        return alone or bool(self.shrank_with(part[0], part[1].span_s))

    def _read_with(self, track: Instrument, events: Sequence[Event]) -> float | None:
        landed = [p for e in events for p in e.parts if p[0] != track.id and self.lands(p)]
        hers = [(p[1].before, own[1].level) for p in landed if (own := measured(track, p[1].span_s))]
        if len(hers) < LEAST_LANDED:
            return None
        came_from, levels = np.asarray(hers).T
        off = np.abs(levels - np.median(levels))
        alike = float(np.mean(off <= track.same_level)) > _MOSTLY
        return float(np.median(levels)) if alike and np.ptp(came_from) > _FROM_APART_PCT else None

    def _reads_so(self, part: Part) -> bool:
        level, track = self._reads_with[part[0]], self._tracks[part[0]]
        here = level is not None and abs(part[1].level - level) <= track.same_level
        return here and part[1].depth > 0.0
