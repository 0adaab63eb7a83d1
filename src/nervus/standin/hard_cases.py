"""Hard cases for the analysis: healthy recordings that look ill, and faults that hide.

Every case is drawn from a seed: the sensor's circuit, the converter, the sampling, what moves the
plate, the motion and the fault. The analysis must not be tuned on the seeds that its figures are
reported for.
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any, Final

import numpy as np

from nervus.circuit.sensor import SensorCircuit, TrackCircuit
from nervus.domain.analysis import Verdict
from nervus.domain.channel import CHANNEL_KINDS, Channel, FloatArray, Recording, Span
from nervus.domain.finding import Shape
from nervus.domain.suspect import SuspectId
from nervus.standin.capture import Sampler, Simulated, simulate, without_supply
from nervus.standin.faults import BentTrack, Fault, LooseLine, RoughPlace, WornPlace
from nervus.standin.hard_strokes import FOOT_DOWN, moved, strokes_of
from nervus.standin.motion import follow

# A place that failed less often than this can't be told from chance; it need not be found.
_LEAST_TIMES = 3
# No sensor reads higher than this share of its supply, wide open (common practice: 4.6 V, some 4.75 V).
_MOST_OPEN = 0.95
# Samples a second of a capture that shows how an input's low-pass rounds an edge.
_FAST_HZ = (5_000.0, 10_000.0)


@dataclass(frozen=True, slots=True, eq=False)
class TrueFinding:
    """One thing that is true in a case and must be found.

    `evidence` tells how much of it the samples hold: by how many deviations of the noise they differ
    from what the same recording would be without the fault, added up over its samples; of the channels
    concerned, the one that shows least.
    """

    kind: str
    channels: tuple[str, ...]
    times_s: tuple[Span, ...]
    travel_pct: Span | None = None
    shape: Shape | None = None
    evidence: float = 0.0
    liar: str | None = None


Shown = dict[str, tuple[FloatArray, FloatArray]]


@dataclass(frozen=True, slots=True, eq=False)
class HardCase:
    """A recording with what is true in it.

    Attributes:
        recording: what the analysis gets.
        truth: what must be found; nothing in a healthy case.
        suspect: who has failed.
        verdict: the right locality, where there is one.
        disturbed_s: where consequences of the fault may be reported too.
    """

    recording: Recording
    truth: tuple[TrueFinding, ...] = ()
    suspect: SuspectId = SuspectId.NONE
    verdict: Verdict | None = None
    disturbed_s: tuple[Span, ...] = field(default=())


def _circuit(random: np.random.Generator, tracks: int) -> SensorCircuit:
    closed, opened = random.uniform(0.08, 0.17), random.uniform(0.82, 0.93)
    pull: dict[str, Any] = {
        "pull_ohms": float(random.choice([47_000.0, 100_000.0, 220_000.0])),
        "pull_share": float(random.choice([0.0, 1.0, random.uniform(0.25, 0.75)], p=[0.4, 0.4, 0.2])),
    }
    first = TrackCircuit(closed, opened, **pull)
    if tracks == 1:
        return SensorCircuit((first,), supply_v=random.uniform(4.9, 5.08))
    second = [
        replace(first, closed=1 - closed, opened=1 - opened),
        first,
        replace(first, closed=closed / 2, opened=opened / 2),
        replace(first, closed=closed + 0.06, opened=min(opened + 0.06, _MOST_OPEN)),
    ][random.integers(4)]
    return SensorCircuit((first, second), supply_v=random.uniform(4.9, 5.08))


def _sampler(random: np.random.Generator, rates: tuple[float, ...], *, polled: bool) -> Sampler:
    rate = float(random.choice(rates))
    return Sampler(
        rate_hz=rate,
        bits=int(random.choice([9, 10, 12])),
        noise_v=float(random.uniform(0.001, 0.007)),
        polled_s=float(random.uniform(0.1, 0.3) / rate) if polled else 0.0,
    )


def _made(  # noqa: PLR0913 - what a case may be drawn from; all by name
    random: np.random.Generator,
    seed: int,
    *,
    tracks: int,
    faults: tuple[Fault, ...] = (),
    rates: tuple[float, ...] = (50.0, 100.0, 200.0, 500.0, 1000.0),
    polled: bool = False,
    snaps: bool = False,
    filtered: bool = False,
) -> tuple[Simulated, Shown]:
    filter_s = float(10.0 ** random.uniform(-3.7, -2.8)) if filtered else 0.0
    sampler = replace(_sampler(random, rates, polled=polled), filter_s=filter_s)
    strokes = moved(strokes_of(random, int(random.integers(5, 9)), snaps=snaps), seed)
    circuit = _circuit(random, tracks)
    made = simulate(circuit, strokes, sampler, seed, faults=faults)
    sound = simulate(circuit, strokes, sampler, seed) if faults else made
    recording = made.recording
    if random.random() < 0.4:
        recording = without_supply(recording)
    noise_v = sampler.noise_v + 5.0 / 2**sampler.bits / 3.46
    shown = _shown(made.recording, sound.recording, noise_v)
    return replace(made, recording=_with_gaps(recording, random)), shown


def _shown(made: Recording, sound: Recording, noise_v: float) -> Shown:
    """For each channel its instants and by how many deviations it differs from a sound one there."""
    return {
        a.id: (a.time_s, np.abs(a.values - b.values) / noise_v)
        for a, b in zip(made.channels, sound.channels, strict=True)
    }


def _with_gaps(recording: Recording, random: np.random.Generator) -> Recording:
    """Half of the recordings lose a sample here and there."""
    if random.random() < 0.5:
        return recording
    channels = []
    for channel in recording.channels:
        keep = random.random(channel.samples) > 0.004
        channels.append(Channel(channel.kind, channel.time_s[keep], channel.values[keep]))
    return replace(recording, channels=tuple(channels))


def _healthy(random: np.random.Generator, seed: int) -> HardCase:
    made, _ = _made(random, seed, tracks=int(random.integers(1, 3)))
    return HardCase(made.recording)


def _healthy_snaps(random: np.random.Generator, seed: int) -> HardCase:
    made, _ = _made(random, seed, tracks=int(random.integers(1, 3)), snaps=True)
    return HardCase(made.recording)


def _healthy_polled(random: np.random.Generator, seed: int) -> HardCase:
    made, _ = _made(random, seed, tracks=2, snaps=True, rates=(8.0, 15.0, 20.0, 40.0), polled=True)
    return HardCase(made.recording)


def _healthy_slow(random: np.random.Generator, seed: int) -> HardCase:
    made, _ = _made(random, seed, tracks=1, snaps=True, rates=(2.0, 4.0, 10.0))
    return HardCase(made.recording)


def _healthy_spikes(random: np.random.Generator, seed: int) -> HardCase:
    """The same volts on every line, for one sample or two, on a fast capture for up to a millisecond."""
    made, _ = _made(random, seed, tracks=2, rates=(500.0, 1000.0, 2000.0, *_FAST_HZ))
    count = int(made.recording.duration_s * random.uniform(2.0, 8.0))
    shared = random.choice(made.time_s.size, count, replace=False)
    volts = random.normal(0.0, 0.5, count)
    spikes = np.zeros(made.time_s.size)
    spikes[shared] = volts
    twice = shared[random.random(count) < 0.3]
    most = max(1, round(0.001 / float(np.median(np.diff(made.time_s)))))
    for later in range(1, most + 1):
        lasting = twice[random.random(twice.size) < 1.0 / later]
        spikes[np.minimum(lasting + later, spikes.size - 1)] += 0.5**later * spikes[lasting]
    channels = []
    for channel in made.recording.channels:
        at = np.clip(np.searchsorted(made.time_s, channel.time_s - 1e-6), 0, spikes.size - 1)
        coupled = random.uniform(0.9, 1.1)
        channels.append(Channel(channel.kind, channel.time_s, channel.values + coupled * spikes[at]))
    return HardCase(replace(made.recording, channels=tuple(channels)))


def _healthy_key_off(random: np.random.Generator, seed: int) -> HardCase:
    """The key is switched off for some seconds; all lines decay together."""
    sampler = _sampler(random, (50.0, 100.0, 200.0), polled=False)
    made = simulate(_circuit(random, 2), moved(strokes_of(random, 6), seed), sampler, seed)
    start = random.uniform(5.0, 12.0)
    end = start + random.uniform(1.6, 6.0)
    tau = random.uniform(0.05, 0.2)
    channels = []
    for channel in made.recording.channels:
        factor = np.where(channel.time_s < start, 1.0, np.exp(-(channel.time_s - start) / tau))
        factor = np.where(channel.time_s > end, 1.0, factor)
        channels.append(Channel(channel.kind, channel.time_s, channel.values * factor))
    return HardCase(
        replace(made.recording, channels=tuple(channels)),
        disturbed_s=((start - 0.2, end + 0.2),),
    )


def _dead_spot(shape: Shape) -> Callable[[np.random.Generator, int], HardCase]:
    def make(random: np.random.Generator, seed: int) -> HardCase:
        tracks = int(random.integers(1, 3))
        which = int(random.integers(1, tracks + 1))
        low = random.uniform(4.0, 85.0)
        wide = random.uniform(2.5, 7.0) if shape is Shape.FLAT else random.uniform(1.0, 6.0)
        chance = 1.0 if shape is Shape.FLAT else random.uniform(0.6, 1.0)
        worn = WornPlace(which, (low, low + wide), shape, chance, step_v=random.uniform(0.12, 0.5))
        rates = (50.0, 100.0, 200.0, 500.0, 1000.0)
        made = _made(random, seed, tracks=tracks, faults=(worn,), rates=rates)
        return _case(made, "dead_spot", (f"tps{which}_v",), SuspectId.SENSOR, Verdict.POSITION)

    return make


def _case(
    made_and_shown: tuple[Simulated, Shown],
    kind: str,
    channels: tuple[str, ...],
    suspect: SuspectId,
    verdict: Verdict | None,
) -> HardCase:
    made, shown = made_and_shown
    planted = made.planted[0]
    fault = planted.fault
    place = None if isinstance(fault, LooseLine) else fault.travel_pct
    shape = fault.shape if isinstance(fault, WornPlace) else None
    if isinstance(fault, LooseLine):
        truth: tuple[TrueFinding, ...] = tuple(
            TrueFinding(kind, channels, (span,), evidence=_evidence(shown, channels, (span,)))
            for span in planted.times_s
        )
    elif len(planted.times_s) >= _LEAST_TIMES:
        shows = _evidence(shown, channels if kind != "disagreement" else ("tps2_v",), planted.times_s)
        truth = (TrueFinding(kind, channels, planted.times_s, place, shape, shows),)
    else:
        truth, verdict = (), None
    return HardCase(made.recording, truth, suspect, verdict, planted.times_s)


def _evidence(shown: Shown, channels: tuple[str, ...], times_s: tuple[Span, ...]) -> float:
    """The least that one of the channels shows within the times."""
    return min(
        float(sum(off[slice(*np.searchsorted(at, (a - 1e-6, b + 1e-6)))].sum() for a, b in times_s))
        for at, off in (shown[c] for c in channels)
    )


def _instants(random: np.random.Generator, count: int) -> tuple[Span, ...]:
    starts = np.sort(random.uniform(1.5, 18.0, count))
    spans: list[Span] = []
    for start in starts:
        if not spans or start - spans[-1][1] > 0.4:
            spans.append((float(start), float(start + 10.0 ** random.uniform(-2.1, -0.5))))
    return tuple(spans)


def _wire(random: np.random.Generator, seed: int) -> HardCase:
    tracks = int(random.integers(1, 3))
    which = int(random.integers(1, tracks + 1))
    loose = LooseLine(f"signal{which}", _instants(random, int(random.integers(5, 12))))
    rates = (200.0, 500.0, 1000.0)
    made = _made(random, seed, tracks=tracks, faults=(loose,), rates=rates)
    return _case(made, "drop", (f"tps{which}_v",), SuspectId.WIRING, Verdict.TIME)


def _fast_wire(random: np.random.Generator, seed: int) -> HardCase:
    """A fast capture behind the low-pass of an input: every edge is rounded."""
    tracks = int(random.integers(1, 3))
    which = int(random.integers(1, tracks + 1))
    loose = LooseLine(f"signal{which}", _instants(random, int(random.integers(5, 12))))
    made = _made(random, seed, tracks=tracks, faults=(loose,), rates=_FAST_HZ, filtered=True)
    return _case(made, "drop", (f"tps{which}_v",), SuspectId.WIRING, Verdict.TIME)


def _healthy_fast(random: np.random.Generator, seed: int) -> HardCase:
    tracks = int(random.integers(1, 3))
    made, _ = _made(random, seed, tracks=tracks, snaps=True, rates=_FAST_HZ, filtered=True)
    return HardCase(made.recording)


def _slow_wire(random: np.random.Generator, seed: int) -> HardCase:
    """Longer interruptions, read through a control unit or by a slow logger."""
    tracks = int(random.integers(1, 3))
    which = int(random.integers(1, tracks + 1))
    starts = np.sort(random.uniform(1.5, 20.0, int(random.integers(5, 10))))
    spans: list[Span] = []
    for start in starts:
        if not spans or start - spans[-1][1] > 0.8:
            spans.append((float(start), float(start + random.uniform(0.15, 0.5))))
    loose = LooseLine(f"signal{which}", tuple(spans))
    polled = bool(tracks == 2 and random.random() < 0.5)
    made = _made(
        random, seed, tracks=tracks, faults=(loose,), rates=(12.0, 18.0, 25.0, 50.0), polled=polled
    )
    verdict = Verdict.TIME if len(spans) >= 5 else None
    return _case(made, "drop", (f"tps{which}_v",), SuspectId.WIRING, verdict)


def _feed(random: np.random.Generator, seed: int) -> HardCase:
    line = str(random.choice(["ground", "supply"]))
    loose = LooseLine(line, _instants(random, int(random.integers(5, 12))))
    made = _made(random, seed, tracks=2, faults=(loose,), rates=(200.0, 500.0, 1000.0))
    return _case(made, "drop", ("tps1_v", "tps2_v"), SuspectId.SUPPLY_GROUND, Verdict.TIME)


def _rough(random: np.random.Generator, seed: int) -> HardCase:
    low = random.uniform(2.0, 70.0)
    rough = RoughPlace(1, (low, low + random.uniform(6.0, 15.0)), random.uniform(0.04, 0.12))
    rates = (100.0, 200.0, 500.0)
    made = _made(random, seed, tracks=int(random.integers(1, 3)), faults=(rough,), rates=rates)
    return _case(made, "noise", ("tps1_v",), SuspectId.SENSOR, None)


def _bent(*, commanded: bool) -> Callable[[np.random.Generator, int], HardCase]:
    def make(random: np.random.Generator, seed: int) -> HardCase:
        low = random.uniform(5.0, 40.0)
        bent = BentTrack(2, (low, low + random.uniform(25.0, 50.0)), random.uniform(6.0, 14.0))
        rates = (15.0, 20.0, 50.0, 100.0)
        made, shown = _made(random, seed, tracks=2, faults=(bent,), rates=rates, polled=True)
        if commanded:
            made = replace(made, recording=_with_command(made))
        case = _case((made, shown), "disagreement", ("tps1_v", "tps2_v"), SuspectId.SENSOR, None)
        liar = "tps2_v" if commanded else None
        truth = tuple(replace(t, liar=liar) for t in case.truth)
        return replace(case, truth=truth, disturbed_s=((0.0, 1e9),))

    return make


def _with_command(made: Simulated) -> Recording:
    """The recording with what the control unit asked for, polled a tenth of an interval earlier."""
    early_s = 0.1 * float(np.median(np.diff(made.time_s)))
    percent = np.round(made.percent, 1)
    command = Channel(CHANNEL_KINDS["throttle_cmd_pct"], np.maximum(made.time_s - early_s, 0.0), percent)
    return replace(made.recording, channels=(*made.recording.channels, command))


def _read_in_turn(
    random: np.random.Generator, seed: int, *, stops_at: float = 100.0, rates: tuple[float, ...]
) -> tuple[Recording, Span]:
    """A throttle by wire, snapped, as its control unit tells it: eight bits, one value after the other.

    The plate follows its command with a lag; wide open is told as less than all. Also: from when on it
    was asked for more than it opens, and until when.
    """
    strokes = moved((*strokes_of(random, int(random.integers(5, 9)), snaps=True), *FOOT_DOWN), seed)
    time_s, asked = follow(strokes, 1000.0, random, start_pct=0.0)
    is_at = np.minimum(_lagging(asked, float(random.uniform(0.03, 0.12))), stops_at)
    told, least = random.uniform(0.75, 1.0), random.uniform(0.0, 4.0)
    closed, opened = random.uniform(0.4, 0.8), random.uniform(4.0, 4.7)
    volts = closed + (opened - closed) * is_at / 100.0
    shown = {
        "throttle_cmd_pct": (told * asked, 2.55),
        "throttle_pct": (least + 0.96 * told * is_at, 2.55),
        "tps1_v": (volts, 51.0),
        "tps2_v": (5.0 - volts, 51.0),
        "ect_c": (60.0 + 0.1 * time_s, 1.0),
    }
    rate_hz = float(random.choice(rates))
    ticks = np.arange(int(time_s[-1] * rate_hz))
    channels = []
    for number, (name, (values, steps)) in enumerate(shown.items()):
        at = (ticks + number / len(shown) + random.uniform(0.0, 0.1, ticks.size)) / rate_hz
        read = np.round(np.interp(at, time_s, values) * steps) / steps
        channels.append(Channel(CHANNEL_KINDS[name], np.round(at, 3), read))
    beyond = np.flatnonzero(asked > stops_at)
    asked_s = (float(time_s[beyond[0]]), float(time_s[beyond[-1]])) if beyond.size else (0.0, 0.0)
    return Recording(tuple(channels), (), ""), asked_s


def _lagging(asked: FloatArray, lag_s: float) -> FloatArray:
    from scipy.signal import lfilter  # noqa: PLC0415 - loaded when first needed: start-up

    kept = float(np.exp(-1.0 / (1000.0 * lag_s)))
    return np.asarray(lfilter([1.0 - kept], [1.0, -kept], asked))


def _healthy_read_in_turn(random: np.random.Generator, seed: int) -> HardCase:
    recording, _ = _read_in_turn(random, seed, rates=(2.0, 4.0, 7.0, 10.0, 15.0))
    return HardCase(recording)


def _stops_half_way(random: np.random.Generator, seed: int) -> HardCase:
    """Something in the way of the plate, or a control unit that holds it back."""
    stops_at = float(random.uniform(30.0, 60.0))
    recording, asked_s = _read_in_turn(random, seed, stops_at=stops_at, rates=(7.0, 10.0, 15.0))
    truth = TrueFinding("disagreement", ("tps1_v", "throttle_cmd_pct"), (asked_s,), evidence=1.0)
    return HardCase(recording, (truth,), SuspectId.THROTTLE_BODY, disturbed_s=(asked_s,))


MAKERS: Final[dict[str, Callable[[np.random.Generator, int], HardCase]]] = {
    "healthy": _healthy,
    "healthy, snapped": _healthy_snaps,
    "healthy, polled and snapped": _healthy_polled,
    "healthy, slow meter": _healthy_slow,
    "healthy, ignition spikes": _healthy_spikes,
    "healthy, key off": _healthy_key_off,
    "healthy, fast capture": _healthy_fast,
    "dead spot, drop": _dead_spot(Shape.DROP),
    "dead spot, step": _dead_spot(Shape.STEP),
    "dead spot, flat": _dead_spot(Shape.FLAT),
    "loose signal wire": _wire,
    "loose signal wire, slow sampling": _slow_wire,
    "loose signal wire, fast capture": _fast_wire,
    "loose supply or ground": _feed,
    "rough stretch": _rough,
    "bent track": _bent(commanded=False),
    "bent track, with the command": _bent(commanded=True),
    "healthy, read in turn": _healthy_read_in_turn,
    "throttle that stops half way": _stops_half_way,
}


def hard_case(kind: str, seed: int) -> HardCase:
    """One case of a kind; the same for the same seed."""
    return MAKERS[kind](np.random.default_rng([seed, list(MAKERS).index(kind)]), seed)
