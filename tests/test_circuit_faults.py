"""What broken circuits read: against hand-worked examples, facts of the trade, and themselves."""

import numpy as np
import pytest

from nervus.circuit.explain import explain
from nervus.circuit.matching import State, match
from nervus.circuit.network import GROUND
from nervus.circuit.sensor import BATTERY_V, SensorCircuit, TrackCircuit
from nervus.circuit.signatures import CircuitFault, FaultMode, broken, circuit_faults, signature
from nervus.domain.channel import FloatArray
from nervus.domain.suspect import SuspectId
from nervus.judge.analyse import analyse
from nervus.standin.capture import CABLE, HALF, OPPOSITE
from nervus.standin.demo import case_named
from signals import recording, sweeps, volts

PLACES: FloatArray = np.asarray([0.05, 0.25, 0.5, 0.75, 0.95])


def fault(fault_id: str, tracks: int = 2) -> CircuitFault:
    return next(f for f in circuit_faults(tracks) if f.id == fault_id)


def read(circuit: SensorCircuit, fault_id: str, node: str) -> FloatArray:
    return signature(circuit, fault(fault_id, len(circuit.tracks)), PLACES)[node]


def test_every_line_can_open_corrode_and_touch() -> None:
    """Counted by hand: two tracks have 14 places in series, opened or corroded, and of the five
    lines ten pairs, less ground with battery, which is no fault of the sensor.
    """
    faults = circuit_faults(2)
    assert sum(f.mode is FaultMode.OPEN for f in faults) == 14
    assert sum(f.mode is FaultMode.RESISTANCE for f in faults) == 14
    assert sum(f.mode is FaultMode.SHORT for f in faults) == 9
    assert len({f.id for f in faults}) == len(faults)


@pytest.mark.parametrize("circuit", [CABLE, OPPOSITE, HALF])
def test_unplugged_the_harness_shows_supply_and_ground(circuit: SensorCircuit) -> None:
    """Common practice, no published source: at the unplugged connector one pin has the whole
    supply, one ground, and the signal pin what the unit's resistor pulls it to.
    """
    nodes = signature(circuit, None, PLACES, plugged=False)
    assert nodes["plug_supply"] == pytest.approx(5.0, abs=0.001)
    assert nodes["plug_ground"] == pytest.approx(0.0, abs=0.001)
    pulled = 5.0 * circuit.tracks[0].pull_share
    assert nodes["plug_signal1"] == pytest.approx(pulled, abs=0.01)


def test_an_open_line_shows_at_the_plug_which_side_it_is_on() -> None:
    """Common practice, no published source: a supply that is missing at the unplugged connector is
    broken before it; one that is there has its break in the plug or in the sensor.
    """
    apart = {at: broken(OPPOSITE, fault(f"open-{at}")).unplugged() for at in ("supply", "supply_plug")}
    read = {at: c.metered("plug_supply").volts(0.5)["plug_supply"] for at, c in apart.items()}
    assert read["supply"] == pytest.approx(0.0, abs=0.06)
    assert read["supply_plug"] == pytest.approx(5.0, abs=0.001)


def test_an_open_ground_lifts_all_tracks_and_an_open_supply_drops_them() -> None:
    """Kirchhoff, worked by hand: with no way to ground no current flows in the tracks, so the
    whole sensor stands at the supply (but for what the inputs draw); the other way round likewise.
    """
    for node in ("signal1", "signal2"):
        assert np.all(read(OPPOSITE, "open-ground", node) > 4.7)
        assert np.all(read(OPPOSITE, "open-supply", node) < 0.01)


def test_two_signals_that_touch_meet_between() -> None:
    """By symmetry: equal tracks that mirror each other meet at half of the supply."""
    found = read(OPPOSITE, "short-signal1-signal2", "signal1")
    assert found == pytest.approx(2.5, abs=0.02)


def test_a_short_takes_no_more_than_the_supply_delivers() -> None:
    """A current limit of 0.1 A over 0.05 ohms of line and 0.1 ohms of touch, worked by hand: 15 mV
    at the unit; so all signals fall to ground and the supply with them.
    """
    nodes = signature(OPPOSITE, fault("short-supply-ground"), PLACES)
    assert nodes["vref"] == pytest.approx(0.1 * 0.15, abs=0.002)
    assert np.all(nodes["signal1"] < 0.05)


def test_battery_on_the_supply_lifts_it() -> None:
    """From memory: a linear sensor supply cannot take current in, so it goes up to the battery."""
    assert read(OPPOSITE, "short-supply-battery", "supply") == pytest.approx(BATTERY_V, abs=0.1)


def test_resistance_in_the_ground_lifts_the_closed_end_most() -> None:
    """Worked by hand: 400 ohms below two 4 k tracks in parallel (2 k) lift the sensor's ground by
    5 V x 400 / 2400 = 0.833 V; a wiper at share x then reads 0.833 V + x (5 V - 0.833 V).
    """
    circuit = SensorCircuit(
        (TrackCircuit(0.1, 0.9, pull_ohms=1e12), TrackCircuit(0.1, 0.9, pull_ohms=1e12))
    )
    found = signature(circuit, fault("resistance-ground"), PLACES, ohms=400.0)["signal1"]
    share = 0.1 + 0.8 * PLACES
    assert found == pytest.approx(0.8333 + share * 4.1667, abs=0.002)


@pytest.mark.parametrize("circuit", [CABLE, OPPOSITE, HALF], ids=["cable", "opposite", "half"])
def test_each_planted_break_and_short_is_among_the_best_explanations(circuit: SensorCircuit) -> None:
    """The circuit is the judge of itself: noise of 0.3 % on the reading, the unit's resistor unknown."""
    random = np.random.default_rng(7)
    for planted in circuit_faults(len(circuit.tracks)):
        if planted.mode is FaultMode.RESISTANCE:
            continue
        nodes = signature(circuit, planted, PLACES)
        tracks = [nodes[f"signal{n}"] for n in range(1, len(circuit.tracks) + 1)]
        shares = np.stack(tracks, axis=1) * 20.0
        state = State(PLACES, shares + random.normal(0.0, 0.3, shares.shape), 1.0)
        found = match(circuit, state)
        own = next(m for m in found if m.fault == planted)
        assert own.density > 0.15 * found[0].density, (planted.id, found[0].fault.id)
        assert own.misfit < 2.0, planted.id


def test_resistance_in_a_line_is_measured_by_what_it_reads() -> None:
    state_of = signature(HALF, fault("resistance-ground"), PLACES, ohms=1000.0)
    shares = np.stack([state_of["signal1"], state_of["signal2"]], axis=1) * 20.0
    best = next(m for m in match(HALF, State(PLACES, shares, 1.0)) if m.misfit < 0.5)
    assert best.fault.at[0].startswith("ground")
    assert best.ohms is not None
    assert 400.0 < best.ohms < 2500.0


def test_an_unmeasured_track_neither_helps_nor_hurts() -> None:
    shares = np.asarray([[0.0, np.nan], [0.1, np.nan]])
    found = match(OPPOSITE, State(np.asarray([0.3, 0.6]), shares, 1.0))
    assert found[0].density > 0.0
    assert all(np.isfinite(m.misfit) for m in found)


def test_the_demo_ground_is_found_by_its_levels() -> None:
    """What was planted is an open ground; the levels alone must say so."""
    recording = case_named("open-ground").make()
    analysis = analyse(recording)
    evidence = explain(recording, analysis.examination)
    assert max(evidence.likelihood, key=lambda s: evidence.likelihood[s]) is SuspectId.SUPPLY_GROUND
    drops = next(e for e in evidence.explanations if len(e.findings) == 5)
    assert any("ground" in phrase for phrase in drops.faults)
    assert {n.node for n in drops.nodes} >= {"supply", "return", "wiper1", "signal1", "signal2"}
    assert GROUND not in {n.node for n in drops.nodes}


def test_what_opens_at_one_place_is_told_of_the_sensor_and_of_no_line() -> None:
    """The same level, 0 V of a lone track: an open supply reads so too, but not at 42 % each time."""
    time_s, travel = sweeps(8, seconds=3.013)
    at_place = (travel > 42.0) & (travel < 45.0)
    at_any = np.isin((time_s / 0.1).astype(int), (7, 38, 61, 93, 124, 157, 201))
    told = []
    for off in (at_place, at_any):
        made = recording(time_s, tps1_v=np.where(off, 0.0, volts(travel, noise_v=0.002)))
        (explanation,) = analyse(made).circuit.explanations
        told.append(explanation.faults)
    sensors = {f.phrase for f in circuit_faults(1) if SuspectId.SENSOR in f.suspects}
    assert told[0]
    assert set(told[0]) <= sensors
    assert set(told[1]) - sensors, "what comes at any place may be a line"


def test_a_bent_track_is_no_fault_of_the_circuit() -> None:
    analysis = analyse(case_named("bent-track").make())
    texts = [e.text for e in analysis.circuit.explanations]
    assert texts == ["No single open, resistance or short of the circuit reads like this."]


def test_an_input_with_a_divider_holds_an_open_signal_between_the_rails() -> None:
    """Thevenin, worked by hand: 282 k to 5 V and 118 k to ground hold 1.475 V; and it is recognised."""
    track = TrackCircuit(0.1, 0.9, pull_share=0.295, pull_ohms=83_190.0)
    circuit = SensorCircuit((track,))
    found = signature(circuit, fault("open-signal1", 1), PLACES)["signal1"]
    assert found == pytest.approx(5.0 * 118.0 / 400.0, abs=0.01)
    best = match(circuit, State(PLACES, found[:, None] * 20.0, 1.0))[0]
    assert best.fault.at[0] in ("signal1", "plug_signal1", "wiper1")
    assert best.misfit < 1.0


def test_a_lone_bad_contact_reads_like_its_line_and_a_short_like_itself_alone() -> None:
    """Plugged in, plug, line and wiper of a signal are one chain (series resistors)."""
    state = State(PLACES, np.zeros((PLACES.size, 2)), 1.0)
    by_id = {m.fault.id: m for m in match(OPPOSITE, state)}
    chain = ("open-signal1", "open-plug_signal1", "open-wiper1")
    assert len({by_id[n].density for n in chain}) == 1
    assert by_id["open-supply"].density == by_id["open-supply_plug"].density
    assert by_id["short-ground-signal1"].density != by_id["short-supply-ground"].density
    assert by_id["short-signal1-signal2"].density != by_id["open-signal1"].density


@pytest.mark.parametrize("held", [35.0, 60.0])
def test_a_line_that_a_divider_holds_is_an_open_line_all_the_same(held: float) -> None:
    """Seldom, but then at one level wherever the travel is; within four percent it is a rail."""
    sound = signature(OPPOSITE, None, PLACES)["signal2"] * 20.0
    shares = np.stack([np.full(PLACES.size, held), sound], axis=1)
    best = match(OPPOSITE, State(PLACES, shares, 1.0))[0]
    assert best.fault.id in ("open-signal1", "open-plug_signal1", "open-wiper1")
    assert best.misfit < 1.0
    assert best.circuit.tracks[0].pull_share == pytest.approx(held / 100.0, abs=0.011)


def test_signals_are_called_by_their_number() -> None:
    phrases = {f.id: f.phrase for f in circuit_faults(2)}
    assert phrases["short-signal1-signal2"] == "signal 1 touches signal 2"
    assert phrases["short-ground-signal2"] == "ground touches signal 2"
