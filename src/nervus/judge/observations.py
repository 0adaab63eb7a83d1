"""Which observations a set of findings makes: the bridge from what was seen to what it means."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from nervus.domain.analysis import NO_CIRCUIT, CircuitEvidence, EngineState, Examination, Verdict
from nervus.domain.channel import Sensor
from nervus.domain.finding import (
    DeadSpot,
    Disagreement,
    Drop,
    Finding,
    Floor,
    Noise,
    Nonlinear,
    OffRest,
    OutOfRange,
    RestCause,
    Shared,
    SupplyFault,
)
from nervus.domain.profile import SensorKind
from nervus.domain.suspect import SuspectId
from nervus.judge.marks import follows_work
from nervus.judge.words import WHOLE_PCT
from nervus.knowledge import Likelihood, judging
from nervus.language import say

# Fewer passes without a finding say nothing of the whole travel.
_LEAST_PASSES = 2
# How sure one is of an idle that was seen: "from memory".
_ENGINE_SURE = 0.85


@dataclass(frozen=True, slots=True)
class Observation:
    """Something that bears on the judgement, and how sure it was seen.

    Attributes:
        id: a row of the knowledge.
        confidence: 0 to 1.
        solved: its likelihoods, where they were computed instead of looked up.
        pedal: whether it was seen on the pedal's sensor, not the throttle's.
    """

    id: str
    confidence: float
    solved: Likelihood | None = None
    pedal: bool = False


def observe(examination: Examination, circuit: CircuitEvidence) -> tuple[Observation, ...]:
    """The observations that the findings of one recording make."""
    seen: list[Observation] = []
    for sensor in Sensor:
        found = [f for f in examination.findings if f.sensor is sensor]
        own = circuit if sensor is Sensor.THROTTLE else NO_CIRCUIT
        told = _of_one_sensor(examination, own, found)
        seen += told if sensor is Sensor.THROTTLE else [replace(o, pedal=True) for o in told]
    if not seen:
        seen.append(Observation(_clean(examination), 1.0))
    return (*seen, *_of_engine(examination.engine))


def _of_engine(engine: EngineState) -> list[Observation]:
    told = (
        ("idle_hunts", engine.hunts),
        ("idle_rough", engine.rough),
        ("idle_high", engine.high and not engine.hunts),
        ("idle_low", engine.low and not engine.hunts),
        ("supply_low_battery", engine.low_battery),
    )
    return [Observation(name, _ENGINE_SURE) for name, so in told if so]


def _of_one_sensor(
    examination: Examination, circuit: CircuitEvidence, found: list[Finding]
) -> list[Observation]:
    seen: list[Observation] = []
    wearing = _IN_PLACE if _has_no_track(examination, found) else {}
    for kind, name in _OF_KIND.items():
        sure = [f.confidence for f in found if isinstance(f, kind)]
        if sure:
            seen.append(Observation(wearing.get(kind, name), max(sure)))
    seen += _of_drops(examination, circuit, [f for f in found if isinstance(f, Drop)])
    for finding in found:
        if isinstance(finding, Disagreement) and "throttle_cmd_pct" in finding.channels:
            seen.append(Observation("command_not_followed", finding.confidence))
        elif isinstance(finding, Disagreement):
            name = "tracks_differ" if finding.suspect is None else "tracks_differ_blamed"
            seen.append(Observation("tracks_bend" if finding.bends else name, finding.confidence))
        elif isinstance(finding, OffRest):
            seen.append(Observation(_REST[finding.cause], finding.confidence))
    return seen


def _has_no_track(examination: Examination, found: Sequence[Finding]) -> bool:
    """Whether what was found is of a contactless sensor: what is known of is the throttle's."""
    contactless = examination.technology is SensorKind.CONTACTLESS
    return contactless and all(f.sensor is Sensor.THROTTLE for f in found)


_OF_KIND: dict[type[Finding], str] = {
    DeadSpot: "dead_spot",
    Noise: "noise",
    SupplyFault: "supply_out",
    Nonlinear: "nonlinear",
    OutOfRange: "out_of_range",
}

# A sensor without a track has none that wears: what turns it does.
_IN_PLACE: dict[type[Finding], str] = dict.fromkeys((DeadSpot, Noise), "place_contactless")

_REST = {
    RestCause.PLATE: "rest_plate",
    RestCause.SIGNAL: "rest_signal",
    RestCause.UNKNOWN: "rest_unknown",
}


def _of_drops(
    examination: Examination, circuit: CircuitEvidence, drops: list[Drop]
) -> list[Observation]:
    if not drops:
        return []
    sure = float(np.median([d.confidence for d in drops]))
    places = examination.drops[drops[0].sensor]
    if places.verdict is Verdict.POSITION and places.p_value is not None:
        name = "place_contactless" if _has_no_track(examination, drops) else "dead_spot"
        return [Observation(name, sure * (1.0 - places.p_value))]
    shared = max(Shared, key=lambda s: sum(1 for d in drops if d.shared is s))
    anywhere = places.verdict is Verdict.TIME
    seen = []
    # Electronics have no track that wears at a place: that they fall out anywhere does not clear them.
    if not (anywhere and shared is Shared.ELECTRONICS):
        seen.append(Observation("drops_anywhere" if anywhere else "drops_somewhere", sure))
    seen.append(_floor(circuit, drops, shared, sure))
    if follows_work(drops, examination.marks, examination.duration_s, frozenset(judging().work.words)):
        seen.append(Observation("drops_follow_marks", sure))
    return seen


def _floor(circuit: CircuitEvidence, drops: list[Drop], shared: Shared, sure: float) -> Observation:
    """What the levels say: by the circuit's solution, or where none could be learned, by the rails.

    The circuit is that of a potentiometer: of electronics that dropped out it knows nothing.
    """
    if shared is Shared.ELECTRONICS:
        return Observation("drop_all_between", sure)
    if shared is Shared.FEED:
        return Observation("drop_all_tracks", sure)
    if circuit.likelihood:
        return Observation("drop_levels", sure, _solved(circuit))
    at_rail = sum(1 for d in drops if d.floor is not Floor.INTERMEDIATE)
    return Observation("drop_one_rail" if at_rail > len(drops) / 2 else "drop_one_between", sure)


def _solved(circuit: CircuitEvidence) -> Likelihood:
    at = {a for e in circuit.explanations if e.faults for a in e.at}
    return Likelihood(
        id="drop_levels",
        says=_says(at),
        cause="floor",
        source=say("the sensor circuit solved for every single open, resistance and short"),
        chance={s: 0.6 * circuit.likelihood[s] for s in SuspectId},
    )


def _says(at: set[str]) -> str:
    """The parts of the circuit that the levels point at, as the ledger calls it."""
    if not at:
        return "the levels fit no single fault of the circuit"
    if all(a.startswith(("supply", "ground")) for a in at):
        lines = sorted({a.removesuffix("_plug") for a in at})
        return f"the levels are those of a broken {' or '.join(lines)}"
    tracks = sorted({a[-1] for a in at if a[-1].isdigit()})
    return f"the levels are those of signal {' and '.join(tracks)} broken alone"


def _clean(examination: Examination) -> str:
    swept = examination.coverage.swept_pct
    if not swept or not examination.passes:
        return "clean_still"
    whole = len(swept) == 1 and swept[0][0] <= WHOLE_PCT[0] and swept[0][1] >= WHOLE_PCT[1]
    return "clean_whole" if whole and len(examination.passes) >= _LEAST_PASSES else "clean_part"
