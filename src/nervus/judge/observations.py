"""Which observations a set of findings makes: the bridge from what was seen to what it means."""

from dataclasses import dataclass

import numpy as np

from nervus.domain.analysis import Examination, Verdict
from nervus.domain.finding import (
    DeadSpot,
    Disagreement,
    Drop,
    Floor,
    Noise,
    OffRest,
    RestCause,
    SupplyFault,
)
from nervus.judge.words import WHOLE_PCT

# Drops that end within this much of each other, while the throttle stood at different places, end
# at the level of the unit's own resistors.
_SAME_LEVEL_V = 0.15
_LEAST_SAME = 3
_LEAST_PASSES = 2


@dataclass(frozen=True, slots=True)
class Observation:
    """Something that bears on the judgement: a row of the knowledge, and how sure it was seen."""

    id: str
    confidence: float


def observe(examination: Examination) -> tuple[Observation, ...]:
    """The observations that the findings of one recording make."""
    found = examination.findings
    seen: list[Observation] = []
    for kind, name in ((DeadSpot, "dead_spot"), (Noise, "noise"), (SupplyFault, "supply_out")):
        sure = [f.confidence for f in found if isinstance(f, kind)]
        if sure:
            seen.append(Observation(name, max(sure)))
    seen += _of_drops(examination, [f for f in found if isinstance(f, Drop)])
    for finding in found:
        if isinstance(finding, Disagreement):
            name = "tracks_differ" if finding.suspect is None else "tracks_differ_blamed"
            seen.append(Observation(name, finding.confidence))
        elif isinstance(finding, OffRest):
            seen.append(Observation(_REST[finding.cause], finding.confidence))
    return tuple(seen) if seen else (Observation(_clean(examination), 1.0),)


_REST = {
    RestCause.PLATE: "rest_plate",
    RestCause.SIGNAL: "rest_signal",
    RestCause.UNKNOWN: "rest_unknown",
}


def _of_drops(examination: Examination, drops: list[Drop]) -> list[Observation]:
    if not drops:
        return []
    sure = float(np.median([d.confidence for d in drops]))
    anywhere = examination.locality.verdict is Verdict.TIME
    seen = [Observation("drops_anywhere" if anywhere else "drops_somewhere", sure)]
    seen.append(Observation(_floor(drops), sure))
    marked = sum(1 for d in drops if d.marks)
    if marked and marked >= 0.3 * len(drops):
        seen.append(Observation("drops_follow_marks", sure))
    return seen


def _floor(drops: list[Drop]) -> str:
    together = sum(1 for d in drops if len(d.channels) > 1)
    if together > len(drops) / 2:
        return "drop_all_tracks"
    levels = [d.level_v for d in drops]
    places = [d.at_travel_pct for d in drops if d.at_travel_pct is not None]
    if len(levels) >= _LEAST_SAME and places and np.ptp(places) > 10.0:
        middle = float(np.median(levels))
        alike = sum(1 for level in levels if abs(level - middle) < _SAME_LEVEL_V)
        if alike >= 0.7 * len(levels):
            return "drop_one_same_level"
    at_rail = sum(1 for d in drops if d.floor is not Floor.INTERMEDIATE)
    return "drop_one_rail" if at_rail > len(drops) / 2 else "drop_one_between"


def _clean(examination: Examination) -> str:
    swept = examination.coverage.swept_pct
    if not swept or not examination.passes:
        return "clean_still"
    whole = len(swept) == 1 and swept[0][0] <= WHOLE_PCT[0] and swept[0][1] >= WHOLE_PCT[1]
    return "clean_whole" if whole and len(examination.passes) >= _LEAST_PASSES else "clean_part"
