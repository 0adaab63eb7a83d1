"""What in the sensor's circuit would read as the findings of a recording read.

The circuit is learned from the recording: where each track stands at both ends of the travel, as a
share of the supply. Findings of a kind on the same tracks are explained together.
"""

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np

from nervus.circuit.matching import Match, State, match
from nervus.circuit.sensor import SensorCircuit, TrackCircuit, electronics
from nervus.circuit.signatures import FaultMode, signature
from nervus.domain.analysis import (
    NO_CIRCUIT,
    CircuitEvidence,
    CircuitExplanation,
    Examination,
    Frame,
    NodeReading,
)
from nervus.domain.channel import CHANNEL_KINDS, Channel, FloatArray, Recording, Role, Sensor, Unit
from nervus.domain.finding import DeadSpot, Disagreement, Drop, Finding, OutOfRange, Shape, Shared
from nervus.domain.profile import SensorKind
from nervus.domain.suspect import SuspectId
from nervus.language import say
from nervus.signal.arithmetic.instants import read_at
from nervus.signal.instruments.fed import supply_scale

# One reading of a moving track against the learned circuit, percent of supply: its noise, the
# travel's own error, and how well the ends are known; calm readings of a pair have less of it.
_TOLERANCE, _TOLERANCE_PAIR = 1.2, 1.0
# A fault fits that is off by no more than this many tolerances, root mean square.
_FITS = 2.0
# Faults as likely as this share of the best one are named with it.
_NAMED = 0.3
_MOST_NAMED, _MOST_STATES = 4, 60
# How a part of the circuit fails (from memory: contacts and lines open, or corrode; few touch).
_MODES = {FaultMode.OPEN: 0.55, FaultMode.RESISTANCE: 0.30, FaultMode.SHORT: 0.15}
# The unit's own pins and inputs fail like the lines that end there, but seldom (from memory).
_UNIT_SHARE = 0.25
# Whatever the circuit says, no suspect becomes less likely than this against the best one.
_LEAST = 0.03


def explain(recording: Recording, examination: Examination) -> CircuitEvidence:
    """Explanations of the findings that concern levels, and what the levels say of the suspects.

    Returns:
        `NO_CIRCUIT` where no track was measured in volts, nothing moved, or one ends before the travel.
    """
    travel = examination.travel
    tracks = [c for c in recording.with_role(Role.TRACK) if c.kind.unit is Unit.VOLT]
    if travel is None or not tracks or any(t.id not in travel.frames for t in tracks):
        return NO_CIRCUIT
    scale = supply_scale(recording)
    frames = tuple(travel.frames[t.id] for t in tracks)
    if any(f.stands_at is not None for f in frames):
        # No circuit of tracks that go from stop to stop reads what one does that ends before.
        return NO_CIRCUIT
    contactless = examination.technology is SensorKind.CONTACTLESS
    learned = _Learned(tuple(tracks), frames, scale, contactless)
    groups: dict[tuple[str, ...], list[int]] = {}
    for number, finding in enumerate(examination.findings):
        if _concerns_levels(finding):
            groups.setdefault((finding.kind, *finding.channels), []).append(number)
    explanations = []
    for numbers in groups.values():
        findings = [examination.findings[n] for n in numbers]
        state = learned.state(findings, examination)
        if state is None:
            continue
        matches = match(learned.circuit, state)
        if isinstance(findings[0], DeadSpot):
            matches = _at_a_place(matches)
        told = _explanation(learned.circuit, tuple(numbers), state, matches)
        interrupted = isinstance(findings[0], Drop | OutOfRange)
        explanations.append(replace(told, levels=_of_suspects(matches) if interrupted else {}))
    return CircuitEvidence(tuple(explanations), _together(explanations))


def of_findings(evidence: CircuitEvidence, numbers: Collection[int]) -> CircuitEvidence:
    """What the levels of some findings alone say, by their numbers."""
    own = [e for e in evidence.explanations if not set(numbers).isdisjoint(e.findings)]
    return CircuitEvidence(tuple(own), _together(own))


def _concerns_levels(finding: Finding) -> bool:
    """Whether levels of the throttle's sensor tell of it; electronics may fall out to any."""
    if finding.sensor is not Sensor.THROTTLE:
        return False
    if isinstance(finding, Drop) and finding.shared is Shared.ELECTRONICS:
        return False
    if isinstance(finding, DeadSpot):
        return finding.shape is Shape.DROP
    if isinstance(finding, Disagreement):
        # A plate that does not follow its command is no matter of levels.
        return all(CHANNEL_KINDS[c].role is Role.TRACK for c in finding.channels)
    return isinstance(finding, Drop | OutOfRange)


@dataclass(frozen=True, slots=True, eq=False)
class _Learned:
    """The circuit that a recording shows, and how its findings become states of it."""

    tracks: tuple[Channel, ...]
    frames: tuple[Frame, ...]
    supply_v: float
    contactless: bool = False

    @property
    def circuit(self) -> SensorCircuit:
        ends = [(f.closed / self.supply_v, f.open / self.supply_v) for f in self.frames]
        made = electronics if self.contactless else TrackCircuit
        tracks = tuple(made(a, b) for a, b in ends)
        return SensorCircuit(tracks, supply_v=self.supply_v, contactless=self.contactless)

    def state(self, findings: Sequence[Finding], examination: Examination) -> State | None:
        """What the tracks read at the instants of some findings of a kind."""
        if isinstance(findings[0], Disagreement):
            return self._apart(findings[0])
        travel, shares = [], []
        spans = [(f, span) for f in findings for span in f.times_s]
        for finding, (start, end) in spans[:: max(1, len(spans) // _MOST_STATES)]:
            way = examination.travel
            assert way is not None  # noqa: S101 - asked before
            place = float(read_at((start + end) / 2, way.time_s, way.percent))
            travel.append(place / 100.0)
            shares.append(
                [
                    self._share(n, (start, end), place, t.id in finding.channels)
                    for n, t in enumerate(self.tracks)
                ]
            )
        return State(np.asarray(travel), np.asarray(shares), _TOLERANCE) if travel else None

    def _share(self, number: int, span: tuple[float, float], place: float, concerned: bool) -> float:  # noqa: FBT001
        """Percent of supply of one track then: what is furthest off if it is concerned."""
        track, frame = self.tracks[number], self.frames[number]
        first, last = np.searchsorted(track.time_s, (span[0] - 1e-6, span[1] + 1e-6))
        values = track.values[first : max(last, first + 1)]
        if values.size == 0:
            return float("nan")
        expected = frame.at(place)
        chosen = values[np.argmax(np.abs(values - expected))] if concerned else np.median(values)
        return float(100.0 * chosen / self.supply_v)

    def _apart(self, finding: Disagreement) -> State | None:
        """Both tracks all over the travel, the place told by the one that does not lie."""
        if len(self.tracks) < 2:
            return None
        honest = 1 if finding.suspect == self.tracks[0].id else 0
        frame = self.frames[honest]
        first, second = self.tracks
        here = self.tracks[honest]
        place = frame.percent(here.values)
        calm = np.abs(np.gradient(place, here.time_s)) < 30.0 if place.size > 2 else np.ones(1, bool)
        chosen = []
        for middle in np.linspace(5.0, 95.0, 10):
            near = np.flatnonzero(calm & (np.abs(place - middle) < 4.0))
            if near.size:
                chosen.append(int(near[near.size // 2]))
        if not chosen:
            return None
        times = here.time_s[chosen]
        shares = [np.interp(times, t.time_s, t.values) * 100.0 / self.supply_v for t in (first, second)]
        return State(np.clip(place[chosen] / 100.0, 0.0, 1.0), np.stack(shares, axis=1), _TOLERANCE_PAIR)


def _at_a_place(matches: tuple[Match, ...]) -> tuple[Match, ...]:
    """The faults of the sensor, where one fits: what fails at one place is what moves there, no line."""
    own = tuple(m for m in matches if SuspectId.SENSOR in m.fault.suspects)
    return own if any(m.misfit <= _FITS for m in own) else matches


def _of_suspects(matches: tuple[Match, ...]) -> dict[SuspectId, float]:
    """P(levels | suspect): the densities of its faults, by how it fails."""
    chance: dict[SuspectId, float] = dict.fromkeys(SuspectId, 0.0)
    for suspect in SuspectId:
        for mode, share in _MODES.items():
            own = [m.density for m in matches if m.fault.mode is mode and suspect in m.fault.suspects]
            chance[suspect] += share * float(np.mean(own)) if own else 0.0
    lines = (SuspectId.WIRING, SuspectId.SUPPLY_GROUND)
    chance[SuspectId.CONTROL_UNIT] = _UNIT_SHARE * max(chance[s] for s in lines)
    return chance


def _together(explanations: Sequence[CircuitExplanation]) -> dict[SuspectId, float]:
    """One likelihood for all groups of interruptions, each weighing as many as it holds."""
    parts = [(len(e.findings), e.levels) for e in explanations if e.levels]
    if not parts:
        return {}
    whole = sum(count for count, _ in parts)
    logs = {
        s: sum(count * np.log(max(part[s], 1e-9)) for count, part in parts) / whole for s in SuspectId
    }
    best = max(logs.values())
    return {s: float(max(np.exp(logs[s] - best), _LEAST)) for s in SuspectId}


def _explanation(
    circuit: SensorCircuit, numbers: tuple[int, ...], state: State, matches: tuple[Match, ...]
) -> CircuitExplanation:
    best = matches[0]
    fits = best.misfit <= _FITS
    named = [m for m in matches if m.misfit <= _FITS and m.density >= _NAMED * best.density]
    typical = int(np.argsort(state.travel)[state.travel.size // 2])
    place = state.travel[typical : typical + 1]
    sound = signature(best.circuit, None, place)
    faulty = signature(best.circuit, best.fault, place, ohms=best.ohms) if fits else sound
    nodes = [NodeReading(n, _volts(sound[n]), _volts(faulty[n]), None) for n in ("supply", "return")]
    for number in range(len(circuit.tracks)):
        share = float(state.shares[typical, number])
        measured = None if np.isnan(share) else round(share * circuit.supply_v / 100.0, 2) + 0.0
        for name in (f"wiper{number + 1}", f"signal{number + 1}"):
            told = measured if name.startswith("signal") else None
            nodes.append(NodeReading(name, _volts(sound[name]), _volts(faulty[name]), told))
    faults = tuple(m.fault.phrase for m in named[:_MOST_NAMED])
    return CircuitExplanation(
        findings=numbers,
        tracks=len(circuit.tracks),
        faults=faults,
        at=tuple(dict.fromkeys(a for m in named[:_MOST_NAMED] for a in m.fault.at)),
        travel_pct=round(100.0 * float(place[0]), 1),
        nodes=tuple(nodes),
        text=_text(faults),
    )


def _volts(values: FloatArray) -> float:
    return round(float(values[0]), 2)


def _text(faults: tuple[str, ...]) -> str:
    if not faults:
        return say("No single open, resistance or short of the circuit reads like this.")
    if len(faults) == 1:
        return say("The circuit would read so with one fault: {faults}.", faults=faults[0])
    return say("The circuit would read so with any of these: {join}.", join="; ".join(faults))
