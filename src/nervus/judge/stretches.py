"""Where on the signal's way the suspicion lies: each suspect's share over its fault leaves."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from nervus.domain.analysis import Examination, StretchSuspicion, Suspect
from nervus.domain.channel import Sensor, tracks_in
from nervus.domain.finding import DeadSpot, Disagreement, Drop, Finding, Floor, SupplyFault, SupplyLine
from nervus.knowledge import FaultLeaf, Judging
from nervus.language import say

EITHER_FEED = {"ground": 0.5, "supply": 0.5}


@dataclass(frozen=True, slots=True)
class Concerned:
    """Which lines the evidence is about.

    Attributes:
        tracks: the share of each track, by number, summing to 1.
        feeds: the share of `supply` and `ground`, summing to 1.
    """

    tracks: Mapping[int, float]
    feeds: Mapping[str, float]


def concerned(examination: Examination) -> Concerned:
    """Which lines the findings of one recording are about."""
    return Concerned(_numbers(examination), _feeds(examination.findings))


def along_the_way(
    suspects: tuple[Suspect, ...], lines_of: Concerned, knowledge: Judging
) -> tuple[StretchSuspicion, ...]:
    """Suspicion for each stretch and line, most suspect first."""
    chance = {s.id: s.probability for s in suspects}
    found = []
    for leaf in knowledge.fault:
        lines = _lines(leaf, lines_of)
        for line, share in lines:
            probability = chance[leaf.suspect] * leaf.share * share
            fault = leaf.fault.format(line=say(line or "it"))
            found.append(
                StretchSuspicion(leaf.stretch, line, leaf.suspect, round(probability, 4), fault)
            )
    return tuple(sorted(found, key=lambda s: -s.probability))


def _lines(leaf: FaultLeaf, lines_of: Concerned) -> list[tuple[str, float]]:
    if leaf.line == "":
        return [("", 1.0)]
    if leaf.line == "feed":
        return list(lines_of.feeds.items())
    return [(f"{leaf.line} {number}", share) for number, share in lines_of.tracks.items()]


def _numbers(examination: Examination) -> dict[int, float]:
    """Which track is concerned: by the findings that name one, else all that there are alike."""
    weight: dict[int, float] = {}
    for finding in examination.findings:
        channels = finding.channels
        if isinstance(finding, Disagreement) and finding.suspect is not None:
            channels = (finding.suspect,)
        tracks = _throttle_tracks(channels)
        if len(tracks) == 1:
            # Every pass that shows a dead spot tells as much as one interruption.
            times = finding.seen_in if isinstance(finding, DeadSpot) else 1
            weight[tracks[0]] = weight.get(tracks[0], 0.0) + finding.confidence * times
    if not weight:
        present = _throttle_tracks(c.id for c in examination.channels)
        weight = dict.fromkeys(sorted(set(present)) or [1], 1.0)
    return shares(weight)


def _throttle_tracks(channels: Iterable[str]) -> list[int]:
    return [kind.number for kind in tracks_in(channels) if kind.sensor is Sensor.THROTTLE]


def shares(weight: Mapping[int, float]) -> dict[int, float]:
    """Weights by track number, so that they sum to 1."""
    total = sum(weight.values())
    return {number: w / total for number, w in sorted(weight.items())}


def _feeds(findings: tuple[Finding, ...]) -> dict[str, float]:
    """Supply or ground: an open ground lets all tracks rise, an open supply lets them fall."""
    ground = supply = 0.0
    for finding in findings:
        if isinstance(finding, Drop) and len(finding.channels) > 1:
            ground += finding.floor is Floor.SUPPLY
            supply += finding.floor is Floor.GROUND
        elif isinstance(finding, SupplyFault):
            ground += finding.where is not SupplyLine.SUPPLY
            supply += finding.where is not SupplyLine.GROUND
    total = ground + supply
    if total == 0:
        return dict(EITHER_FEED)
    found = {"ground": ground / total, "supply": supply / total}
    return {name: share for name, share in found.items() if share > 0}
