"""The answer of an analysis: passes, findings, locality, coverage and suspects in one value."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum

from nervus.domain.channel import FloatArray, Mark, Sensor, Span
from nervus.domain.finding import Finding
from nervus.domain.profile import SensorKind
from nervus.domain.suspect import SuspectId


class Direction(StrEnum):
    """Which way a pass goes."""

    OPENING = "opening"
    CLOSING = "closing"


class Relation(StrEnum):
    """How the second track follows the first."""

    SINGLE = "single"
    SAME = "same"
    INVERSE = "inverse"
    SCALED = "scaled"
    OFFSET = "offset"
    UNKNOWN = "unknown"


class Verdict(StrEnum):
    """What ties the events together."""

    POSITION = "position"
    TIME = "time"
    UNDECIDED = "undecided"


@dataclass(frozen=True, slots=True)
class ChannelSummary:
    """How a channel was measured.

    Attributes:
        id: of the channel.
        unit: of its values.
        samples: how many.
        rate_hz: of the samples as written.
        shortest_event_s: the shortest event it is sure to catch.
        noise: deviation of its quick noise, in its unit.
        step: the smallest step between values, in its unit; 0 where all are equal.
        rows: samples as written that a reading takes; less than one where what is not new is left out.
        lag_s: by how much it lags behind its sister, at the first instant.
        drift: by how much that grows each second, where two loggers wrote.
        smoothed_s: the time constant of what smooths it; `None` where no edge tells.
    """

    id: str
    unit: str
    samples: int
    rate_hz: float
    shortest_event_s: float
    noise: float = 0.0
    step: float = 0.0
    rows: float = 1.0
    lag_s: float = 0.0
    drift: float = 0.0
    smoothed_s: float | None = None


@dataclass(frozen=True, slots=True)
class TrackRelation:
    """Track 2 = slope x track 1 + offset; both `None` where there is one track or no relation."""

    relation: Relation
    slope: float | None
    offset_v: float | None
    learned: bool


@dataclass(frozen=True, slots=True)
class Pass:
    """One crossing of the travel in one direction."""

    start_s: float
    end_s: float
    direction: Direction
    from_pct: float
    to_pct: float

    @property
    def speed(self) -> float:
        """How quick it is on the whole, percent of travel a second."""
        return abs(self.to_pct - self.from_pct) / max(self.end_s - self.start_s, 1e-6)


@dataclass(frozen=True, slots=True)
class Frame:
    """The straight line between a channel's own values and percent of travel.

    Attributes:
        closed: value at the closed stop.
        open: value at the open stop; below `closed` for a falling track.
        basis: how the ends became known, as a phrase.
        stands_at: value that it does not go beyond, where it ends before the travel does: `open` is then
            where it would be if it went on.
    """

    closed: float
    open: float
    basis: str
    stands_at: float | None = None

    def percent(self, values: FloatArray) -> FloatArray:
        """Percent of travel for each value, shape (n,) to (n,)."""
        return (values - self.closed) * (100.0 / (self.open - self.closed))

    def at(self, percent: float) -> float:
        """The value at a percent of travel."""
        value = self.closed + (self.open - self.closed) * percent / 100.0
        if self.stands_at is None:
            return value
        return min(value, self.stands_at) if self.open > self.closed else max(value, self.stands_at)


@dataclass(frozen=True, slots=True, eq=False)
class Travel:
    """Where the throttle was, as far as its best witness tells.

    Attributes:
        time_s: instants, shape (n,).
        percent: position in percent of travel, shape (n,), faults bridged.
        witness: identifier of the channel it was taken from.
        frames: for each track, how its values become percent of travel.
    """

    time_s: FloatArray
    percent: FloatArray
    witness: str
    frames: Mapping[str, Frame]


@dataclass(frozen=True, slots=True)
class Locality:
    """Are the events tied to a place in the travel (`position`), or do they come anywhere (`time`)?

    `p_value` is what the probability of so tight a cluster would be at most, if events knew nothing of
    the position; `None` where there were too few events to ask.
    """

    events: int
    verdict: Verdict
    p_value: float | None
    text: str


@dataclass(frozen=True, slots=True)
class Coverage:
    """What the recording could have shown at all.

    Attributes:
        travel_pct_seen: lowest and highest travel that was reached, `None` if nothing moved.
        swept_pct: the stretches of travel that moving passes crossed.
        shortest_event_s: the shortest event that the sampling is sure to catch.
        text: the limits in one or two sentences.
    """

    travel_pct_seen: Span | None
    swept_pct: tuple[Span, ...]
    shortest_event_s: float
    text: str


@dataclass(frozen=True, slots=True)
class Suspect:
    """A component with the probability that it is the one that failed."""

    id: SuspectId
    probability: float


@dataclass(frozen=True, slots=True)
class Step:
    """One line of the ledger: what an observation added to, or took from, each suspect.

    Attributes:
        observation: what was observed, as a phrase.
        weight: for each suspect, log10 of the likelihood against the mean of all suspects.
        source: where the likelihoods come from.
    """

    observation: str
    weight: Mapping[SuspectId, float]
    source: str


@dataclass(frozen=True, slots=True)
class StretchSuspicion:
    """How much of the suspicion lies on one stretch of the signal's way.

    Attributes:
        stretch: identifier of the stretch, as the fault tree names it.
        line: the conductor or track it concerns, or "" for the whole stretch.
        probability: 0 to 1.
        suspect: the component it belongs to.
        fault: the way in which it would have failed, as a phrase.
    """

    stretch: str
    line: str
    suspect: SuspectId
    probability: float
    fault: str


@dataclass(frozen=True, slots=True)
class NextTest:
    """What to do next, how long it takes, what it would tell, and the caution with it."""

    title: str
    minutes: int
    tells: str
    caution: str


@dataclass(frozen=True, slots=True)
class Judgement:
    """What the findings say about the parts.

    Attributes:
        headline: one sentence that one would say to a colleague.
        suspects: all suspects, most probable first; the probabilities sum to 1.
        ledger: the steps that led there.
        stretches: the same suspicion along the signal's way, most suspect first.
        next_test: what would tell most now.
        mended: whether the job is proved mended: what was suspected is told as healed.
    """

    headline: str
    suspects: tuple[Suspect, ...]
    ledger: tuple[Step, ...]
    stretches: tuple[StretchSuspicion, ...]
    next_test: NextTest | None
    mended: bool = False


@dataclass(frozen=True, slots=True)
class EngineState:
    """What the engine and the battery say while the throttle is left alone.

    Attributes:
        idle_rpm: its usual idle; `None` where none was recorded for long enough.
        hunts: whether the idle swings slowly, again and again.
        rough: whether it dips quickly and at random.
        high: whether it is too fast for the coolant.
        low: whether it is too slow.
        low_battery: whether the battery's voltage is too low for what the engine does.
    """

    idle_rpm: float | None = None
    hunts: bool = False
    rough: bool = False
    high: bool = False
    low: bool = False
    low_battery: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Examination:
    """All that the signal says, before anybody is suspected.

    Attributes:
        duration_s: from the first instant to the last.
        channels: how each was sampled.
        tracks: how the throttle's two tracks belong together.
        travel: where the throttle was.
        passes: of the throttle.
        findings: of throttle and pedal.
        locality: what ties all that was seen together, worn places too.
        drops: the same for the interruptions of each sensor alone.
        coverage: what could not have shown.
        key_off_s: when nothing was judged.
        marks: what the technician did meanwhile.
        pedal_travel: where the pedal was, where its tracks were recorded.
        pedal_passes: of the pedal.
        engine: what engine and battery say.
        technology: of the throttle's sensor, by its profile or by how it fell out.
    """

    duration_s: float
    channels: tuple[ChannelSummary, ...]
    tracks: TrackRelation
    travel: Travel | None
    passes: tuple[Pass, ...]
    findings: tuple[Finding, ...]
    locality: Locality
    drops: Mapping[Sensor, Locality]
    coverage: Coverage
    key_off_s: tuple[Span, ...] = field(default=())
    marks: tuple[Mark, ...] = field(default=())
    pedal_travel: Travel | None = None
    pedal_passes: tuple[Pass, ...] = field(default=())
    engine: EngineState = field(default=EngineState())
    technology: SensorKind = SensorKind.UNKNOWN

    def seen_from(self, sensor: Sensor) -> "Examination":
        """The same, with travel, passes and findings of one sensor alone."""
        findings = tuple(f for f in self.findings if f.sensor is sensor)
        if sensor is Sensor.THROTTLE:
            return replace(self, findings=findings)
        ends = ((min(p.from_pct, p.to_pct), max(p.from_pct, p.to_pct)) for p in self.pedal_passes)
        coverage = replace(self.coverage, swept_pct=tuple(sorted(ends)))
        travel, passes = self.pedal_travel, self.pedal_passes
        return replace(self, travel=travel, passes=passes, findings=findings, coverage=coverage)


@dataclass(frozen=True, slots=True)
class NodeReading:
    """What one node of the sensor's circuit would read sound, reads with the fault, and was measured."""

    node: str
    sound_v: float
    faulty_v: float
    measured_v: float | None


@dataclass(frozen=True, slots=True)
class CircuitExplanation:
    """What in the sensor's circuit would read as some findings read.

    Attributes:
        findings: numbers of the findings that it explains.
        tracks: how many tracks the circuit has.
        faults: phrases of the single faults that fit, best first; none where no single fault does.
        at: the parts of the circuit where those are, by the names of the circuit's nodes.
        travel_pct: the place of the travel for which the nodes are given.
        nodes: what the nodes read there, with the fault that fits best.
        text: the same in a sentence.
        levels: of interruptions, for each suspect the probability of their levels; else empty.
    """

    findings: tuple[int, ...]
    tracks: int
    faults: tuple[str, ...]
    at: tuple[str, ...]
    travel_pct: float
    nodes: tuple[NodeReading, ...]
    text: str
    levels: Mapping[SuspectId, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class CircuitEvidence:
    """What the levels say by the circuit's solution.

    Attributes:
        explanations: one for each group of findings of a kind.
        likelihood: for each suspect the probability of the levels of all interruptions, on a scale
            of their own (only ratios count); empty where there was no interruption.
    """

    explanations: tuple[CircuitExplanation, ...]
    likelihood: Mapping[SuspectId, float]


NO_CIRCUIT = CircuitEvidence((), {})


@dataclass(frozen=True, slots=True, eq=False)
class Cause:
    """One fault that must be there.

    Attributes:
        examination: with the findings of this fault alone, and what ties them together.
        judgement: who is suspected of it.
        circuit: what the levels of its findings say.
    """

    examination: Examination
    judgement: Judgement
    circuit: CircuitEvidence


@dataclass(frozen=True, slots=True, eq=False)
class Analysis:
    """The whole answer for one recording.

    Attributes:
        examination: all that the signal says.
        judgement: of all faults together.
        circuit: what the levels say.
        causes: each fault that must be there by itself; one where a single one may explain everything.
    """

    examination: Examination
    judgement: Judgement
    circuit: CircuitEvidence
    causes: tuple[Cause, ...]
