"""The simulated vehicle against its equations and against the facts of the trade."""

import numpy as np
import pytest

from nervus.domain.errors import OutsideError
from nervus.domain.profile import ThrottleKind
from nervus.domain.suspect import SuspectId
from nervus.judge.analyse import analyse
from nervus.standin.control_unit import IDLE_LEARN_S
from nervus.standin.engine import Engine
from nervus.standin.monitors import Mode
from nervus.standin.planting import When, read_fault
from nervus.standin.plate import STEP_S, Plate, PlateData
from nervus.standin.runs import record_run
from nervus.standin.vehicle import SimulatedVehicle


def vehicle(
    *faults: str, kind: ThrottleKind = ThrottleKind.ELECTRONIC, seed: int = 1
) -> SimulatedVehicle:
    tracks = 2 if kind is ThrottleKind.ELECTRONIC else 1
    return SimulatedVehicle(kind, tuple(read_fault(f, tracks) for f in faults), seed)


def idle_of(made: SimulatedVehicle) -> float | None:
    return made.unit.learned_idle_pct


def mode_of(made: SimulatedVehicle) -> Mode:
    return made.unit.mode


def after_sweep(made: SimulatedVehicle, *, running: bool = False) -> set[str]:
    if running:
        made.start_engine()
        made.advance(2.0)
    for pedal in (60.0, 0.0, 100.0, 0.0):
        made.driver.pedal_pct = pedal
        made.advance(1.2)
    return {str(c.base) for c in made.unit.memory.stored}


def test_without_current_the_plate_rests_slightly_open() -> None:
    """Common practice, no published source: about 8 degrees, from both sides."""
    for start in (0.0, 80.0):
        plate = Plate(PlateData(), start)
        for _ in range(1000):
            plate.step(0.0)
        assert plate.angle_deg == pytest.approx(8.0, abs=0.3)


def test_at_full_duty_the_plate_reaches_its_speed_as_the_equation_says() -> None:
    """Worked by hand from J w' = u - s - d w: without spring w(t) = (u - f) / d (1 - exp(-d t))."""
    data = PlateData(spring=0.0, preload=0.0, open_deg=1e6)
    plate = Plate(data, 10.0)
    for _ in range(20):
        plate.step(1.0)
    expected = (data.motor - data.friction) / data.damping * (1.0 - np.exp(-data.damping * 20 * STEP_S))
    assert plate.speed == pytest.approx(expected, rel=0.06)


def test_static_friction_holds_a_plate_that_is_pushed_too_little() -> None:
    plate = Plate(PlateData(spring=0.0, preload=0.0), 40.0)
    for _ in range(200):
        plate.step(0.9 * PlateData().friction / PlateData().motor)
    assert plate.angle_deg == 40.0


def test_the_engine_idles_chokes_and_warms_up() -> None:
    """From memory: a warm engine idles at some 700 to 900/min, its manifold below 53 kPa."""
    engine = Engine(coolant_c=90.0)
    engine.start()
    for _ in range(4000):
        engine.step(2.7)
    assert 500.0 < engine.rpm < 1100.0
    assert engine.manifold_pa < 53_500.0
    assert engine.flow_kg_s == pytest.approx(0.003, abs=0.0015)
    cold = Engine()
    cold.start()
    for _ in range(12_000):
        cold.step(4.0)
    assert 40.0 < cold.coolant_c < 60.0


def test_a_healthy_vehicle_follows_its_pedal_and_sets_no_code() -> None:
    made = vehicle()
    assert after_sweep(made, running=True) == set()
    assert mode_of(made) is Mode.NORMAL
    assert not made.unit.memory.pending
    pins = made.pins()
    assert pins["signal1"] + pins["signal2"] == pytest.approx(5.0, abs=0.03)
    assert analyse(record_run(vehicle(), 20.0)).examination.findings == ()


@pytest.mark.parametrize(
    ("fault", "codes", "mode"),
    [
        ("open-signal2", {"P0222", "P2106"}, Mode.LIMITED),
        ("open-ground", {"P0123", "P0223", "P2106", "P2110"}, Mode.IDLE_ONLY),
        ("open-supply", {"P0122", "P0222", "P2106", "P2110"}, Mode.IDLE_ONLY),
        ("resistance-ground=600", {"P2135", "P2110"}, Mode.IDLE_ONLY),
        ("short-supply-ground", {"P0642", "P2110"}, Mode.IDLE_ONLY),
        ("sticks", {"P2101", "P2110"}, Mode.IDLE_ONLY),
        ("pedal:open-signal1", {"P2122", "P2106"}, Mode.LIMITED),
    ],
)
def test_each_fault_sets_the_codes_that_name_it(fault: str, codes: set[str], mode: Mode) -> None:
    """Source: titles of SAE J2012 (from memory): circuit low and high, correlation, actuator, supply."""
    made = vehicle(fault)
    found = after_sweep(made)
    assert codes <= found
    assert found <= codes | {"P2106", "P2110", "P2101", "P0122", "P0222", "P2122", "P2127"}
    assert made.unit.mode is mode
    assert made.unit.memory.lamp


def test_fallen_back_it_idles_fast_and_a_key_cycle_restores_it() -> None:
    """Common practice, no published source: idle only at some 1500 to 1700/min; a key cycle restores."""
    made = vehicle("open-ground~water")
    made.start_engine()
    made.driver.wet = True
    made.advance(12.0)
    assert mode_of(made) is Mode.IDLE_ONLY
    assert 1400.0 < made.engine.rpm < 1750.0
    made.driver.wet = False
    made.driver.key = False
    made.advance(0.2)
    made.driver.key = True
    made.advance(0.5)
    assert mode_of(made) is Mode.NORMAL
    assert made.unit.memory.stored
    assert made.unit.memory.permanent


def test_clearing_keeps_what_is_permanent_and_pending_goes_after_a_good_cycle() -> None:
    """Source: SAE J1979 service 0A, from memory: a scan tool can't clear permanent codes."""
    made = vehicle("open-signal2~water")
    made.driver.wet = True
    made.advance(6.0)
    stored = made.unit.memory.stored
    made.driver.wet = False
    made.unit.memory.clear()
    assert not made.unit.memory.stored
    assert set(made.unit.memory.permanent) == set(stored)
    for _ in range(2):
        made.driver.key = False
        made.advance(0.1)
        made.driver.key = True
        made.advance(0.5)
    assert not made.unit.memory.permanent


def test_learning_drives_the_plate_onto_its_stop_and_stores_it() -> None:
    made = vehicle()
    made.unit.learned.closed[0] += 0.02
    made.unit.learn()
    made.advance(0.6)
    assert made.unit.learned.closed[0] == pytest.approx(0.10, abs=0.003)
    assert not made.unit.memory.stored


def test_three_minutes_of_idle_and_key_off_teach_the_idle() -> None:
    """Common practice, no published source: idle three minutes, off; battery off forgets it."""
    made = vehicle()
    made.start_engine()
    made.advance(4.0)
    made.unit.idled_s = IDLE_LEARN_S - 0.5  # what lies between is only waiting
    made.driver.key = False
    made.advance(0.1)
    assert idle_of(made) is None
    made.driver.key = True
    made.start_engine()
    made.advance(2.0)
    made.unit.idled_s = IDLE_LEARN_S - 0.5
    made.advance(1.0)
    made.driver.key = False
    made.advance(0.1)
    learned = idle_of(made)
    assert learned is not None
    assert 0.8 < learned < 14.0
    made.unit.battery_off()
    assert idle_of(made) is None
    assert not made.unit.memory.stored


def test_a_run_can_be_repeated_and_a_worn_place_is_found_by_the_core() -> None:
    one, two = (
        record_run(vehicle("open-wiper1@40-43", kind=ThrottleKind.CABLE), 15.0) for _ in range(2)
    )
    assert all(
        np.array_equal(a.values, b.values) for a, b in zip(one.channels, two.channels, strict=True)
    )
    (finding,) = analyse(
        record_run(vehicle("open-wiper1@40-43", kind=ThrottleKind.CABLE), 40.0)
    ).examination.findings
    assert finding.kind == "dead_spot"


def test_a_plate_that_jumps_because_its_unit_is_lied_to_is_no_second_fault() -> None:
    """The loop is closed: while signal 1 is gone the motor opens the plate; both tracks show that."""
    analysis = analyse(record_run(vehicle("open-signal1~shake"), 24.0))
    drops = [f for f in analysis.examination.findings if f.kind == "drop"]
    assert len(drops) > 8
    alone = [f for f in drops if f.channels == ("tps1_v",)]
    assert len(alone) >= 0.8 * len(drops)
    assert analysis.judgement.suspects[0].id is SuspectId.WIRING


def test_faults_are_read_as_they_are_written() -> None:
    fault = read_fault("pedal:resistance-signal2=400@10-20~heat")
    assert fault.pedal
    assert fault.ohms == 400.0
    assert fault.place_pct == (10.0, 20.0)
    assert fault.when is When.HEAT
    for bad in ("nothing", "open-signal2~rain", "open-signal2@x", ""):
        with pytest.raises(OutsideError, match="accepted"):
            read_fault(bad)
