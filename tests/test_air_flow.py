"""The throttle as an orifice and the engine as a pump, against other people's formulas."""

import numpy as np
import pytest
from fluids.compressible import P_critical_flow
from fluids.safety_valve import API520_A_g

from nervus.domain.channel import CHANNEL_KINDS, Channel, FloatArray, Recording
from nervus.domain.finding import RestCause
from nervus.engine.air_flow import (
    CRITICAL_RATIO,
    R_AIR,
    STANDARD_K,
    STANDARD_PA,
    flow_function,
    opening_of,
    orifice_flow,
    plate_area,
    pump_flow,
)
from nervus.engine.rest_witness import cause_of_rest, relative_opening
from nervus.signal.told.rest import Rest, off_rest

AMBIENT = np.asarray([101_325.0])
CM2 = np.asarray([1e-4])


def test_the_critical_pressure_ratio_of_air() -> None:
    """Source: NACA Report 1135 (1953), from memory: 0.5283 for a ratio of 1.4; the library `fluids`."""
    assert pytest.approx(0.5283, abs=5e-5) == CRITICAL_RATIO
    assert pytest.approx(P_critical_flow(101_325.0, 1.4) / 101_325.0) == CRITICAL_RATIO


def test_nothing_flows_where_the_pressure_behind_is_as_high_or_higher() -> None:
    """A gauge that reads a hair too high behind the plate must not make it no number."""
    assert flow_function(np.asarray([1.0, 1.02])) == pytest.approx([0.0, 0.0], abs=1e-9)


def test_a_choked_square_metre_at_sea_level() -> None:
    """Source: 241 kg/s through one square metre at 101.325 kPa and 288.15 K, the usual figure of gas
    dynamics; the critical flow function C* = 0.6847 of ISO 9300 for an ideal gas of 1.4 (from memory).
    """
    flow = orifice_flow(np.asarray([1.0]), AMBIENT, AMBIENT * 0.3)[0]
    assert flow == pytest.approx(241.2, abs=0.5)
    assert flow == pytest.approx(0.6847 * 101_325.0 / np.sqrt(287.05 * 288.15), rel=1e-4)


@pytest.mark.parametrize("ratio", [0.2, 0.5, 0.6, 0.75, 0.9, 0.98])
def test_the_orifice_against_the_relief_valve_formula(ratio: float) -> None:
    """Source: API 520 part I, critical and subcritical gas flow, in the reference library `fluids`."""
    flow = float(orifice_flow(CM2, AMBIENT * 3, AMBIENT * 3 * ratio, 300.0)[0])
    area = API520_A_g(
        m=flow, T=300.0, Z=1.0, MW=28.965, k=1.4, P1=303_975.0, P2=303_975.0 * ratio, Kd=1.0
    )
    assert area == pytest.approx(1e-4, rel=0.01)


def test_an_opening_is_found_back_from_its_flow() -> None:
    area = np.linspace(1e-6, 1e-3, 30)
    behind = np.linspace(20_000.0, 100_000.0, 30)
    flow = orifice_flow(area, np.full(30, 101_325.0), behind, 310.0)
    assert opening_of(flow, np.full(30, 101_325.0), behind, 310.0) == pytest.approx(area)


def test_a_two_litre_engine_breathes_as_in_the_textbook() -> None:
    """Worked by hand: 2.0 l, 3000/min, 100 kPa, 300 K, efficiency 0.85: 25 fillings a second of 2 l
    times 1.1613 kg/m3 times 0.85 = 49.4 g/s.
    """
    flow = pump_flow(np.asarray([3000.0]), np.asarray([100_000.0]), 300.0, 2e-3, 0.85)[0]
    assert flow == pytest.approx(0.0494, abs=2e-4)


def test_the_plate_opens_from_a_leak_to_the_bore() -> None:
    """Geometry: a thin plate across a round bore covers cos(angle) / cos(closed angle) of it."""
    bore = np.pi * 0.05**2 / 4
    area = plate_area(np.asarray([0.0, 56.0, 86.0]), 0.05, closed_deg=4.0, leak=0.0)
    assert area[0] == pytest.approx(0.0, abs=1e-12)
    assert area[1] == pytest.approx(bore * (1 - 0.5 / np.cos(np.radians(4.0))))
    assert area[2] == pytest.approx(bore)


def idling(opening: float, seconds: float, start: float, *, mass: bool) -> dict[str, list[np.ndarray]]:
    """An engine whose idle air is choked: mass flow as the opening, speed and pressure to match."""
    time_s = start + np.arange(0.0, seconds, 0.1)
    flow = 241.2 * opening * np.ones(time_s.size)
    pressure = np.full(time_s.size, 34.0)
    speed = 800.0 * opening / 1.2e-5 * np.ones(time_s.size)
    lines = {"rpm": [time_s, speed], "map_kpa": [time_s, pressure]}
    if mass:
        lines["maf_gs"] = [time_s, flow * 1000.0]
    return lines


@pytest.mark.parametrize("mass", [True, False])
@pytest.mark.parametrize(
    ("opening", "cause"),
    [(2.0e-5, RestCause.PLATE), (1.2e-5, RestCause.SIGNAL), (1.37e-5, RestCause.UNKNOWN)],
)
def test_the_engine_tells_an_open_plate_from_a_lying_signal(
    opening: float, cause: RestCause, *, mass: bool
) -> None:
    """Common practice, no published source: idle up, the plate is open; as ever, the signal lies."""
    usual, off = idling(1.2e-5, 6.0, 0.0, mass=mass), idling(opening, 6.0, 10.0, mass=mass)
    channels = tuple(
        Channel(
            CHANNEL_KINDS[n],
            np.concatenate([usual[n][0], off[n][0]]),
            np.concatenate([usual[n][1], off[n][1]]),
        )
        for n in usual
    )
    recording = Recording(channels)
    spans = ((10.0, 15.9),), ((0.0, 5.9),)
    assert cause_of_rest(recording, *spans) is cause
    if mass:
        found = relative_opening(recording, spans[1])
        assert found is not None
        assert found / 1000.0 == pytest.approx(1.2e-5, rel=0.01)


def test_an_engine_that_stands_tells_nothing() -> None:
    time_s = np.arange(0.0, 20.0, 0.1)
    still = Recording(
        (
            Channel(CHANNEL_KINDS["rpm"], time_s, np.zeros(200)),
            Channel(CHANNEL_KINDS["map_kpa"], time_s.copy(), np.full(200, 100.0)),
        )
    )
    assert cause_of_rest(still, ((10.0, 15.0),), ((0.0, 6.0),)) is RestCause.UNKNOWN
    assert relative_opening(still, ((0.0, 6.0),)) is None


def test_a_rest_that_depends_on_warmth_says_so() -> None:
    """Common practice, no published source: cold fine, hot not, is expansion or a sticking plate."""
    time_s = np.arange(0.0, 100.0, 0.5)
    coolant = Channel(CHANNEL_KINDS["ect_c"], time_s, np.interp(time_s, [0.0, 100.0], [30.0, 95.0]))
    rests = (
        Rest((5.0, 8.0), 0.2, released=True),
        Rest((70.0, 74.0), 5.2, released=True),
        Rest((80.0, 84.0), 5.1, released=True),
        Rest((90.0, 94.0), 5.3, released=True),
    )
    (found,) = off_rest(rests, ("tps1_v",), Recording((coolant,)), lambda *_: RestCause.UNKNOWN)
    assert found.ect_c == pytest.approx(83.0, abs=2.0)
    assert "at 34 °C it rested where it should" in found.text
    steady = Recording((Channel(CHANNEL_KINDS["ect_c"], time_s.copy(), np.full(200, 90.0)),))
    (found,) = off_rest(rests, ("tps1_v",), steady, lambda *_: RestCause.UNKNOWN)
    assert "rested where it should" not in found.text


@pytest.mark.parametrize("celsius", [None, 15.0, 60.0])
def test_the_opening_at_rests_is_that_of_their_air(celsius: float | None) -> None:
    """Speed-density: air is speed x pressure / (R x T) of one engine; then the formula of the nozzle."""
    time_s = np.arange(0.0, 20.0, 0.1)
    first = (time_s >= 1.5) & (time_s <= 6.0)
    lines = {"rpm": np.where(first, 800.0, 5_000.0), "map_kpa": np.where(first, 33.0, 95.0)}
    if celsius is not None:
        lines["iat_c"] = np.full(time_s.size, celsius)
    found = relative_opening(_of_lines(time_s, lines), ((0.0, 2.8),))
    kelvin = np.full(1, STANDARD_K if celsius is None else celsius + 273.15)
    flow = np.full(1, 800.0) * 33_000.0 / (R_AIR * kelvin)
    expected = opening_of(flow, np.full(1, STANDARD_PA), np.full(1, 33_000.0), kelvin)
    assert found == pytest.approx(float(expected[0]), rel=1e-6)


def test_the_pressure_before_the_throttle_is_the_manifolds_of_a_standing_engine() -> None:
    """High up it is less than standard: 85 kPa at some 1450 m (ICAO standard atmosphere)."""
    time_s = np.arange(0.0, 20.0, 0.1)
    stands = time_s < 5.0

    def opening(kpa: float) -> float | None:
        lines = {"rpm": np.where(stands, 0.0, 800.0), "map_kpa": np.where(stands, kpa, 70.0)}
        return relative_opening(_of_lines(time_s, lines), ((10.0, 18.0),))

    kelvin, flow = np.full(1, STANDARD_K), np.full(1, 800.0) * 70_000.0 / (R_AIR * STANDARD_K)
    for kpa, taken in ((85.0, 85_000.0), (69.0, STANDARD_PA), (111.0, STANDARD_PA)):
        expected = opening_of(flow, np.full(1, taken), np.full(1, 70_000.0), kelvin)
        assert opening(kpa) == pytest.approx(float(expected[0]), rel=1e-6)


def test_where_no_engine_ran_there_is_no_opening() -> None:
    time_s = np.arange(0.0, 20.0, 0.1)
    still = {"rpm": np.full(time_s.size, 150.0), "map_kpa": np.full(time_s.size, 33.0)}
    assert relative_opening(_of_lines(time_s, still), ((0.0, 18.0),)) is None
    running = {**still, "rpm": np.full(time_s.size, 800.0)}
    assert relative_opening(_of_lines(time_s, running), ((0.0, 1.4),)) is None
    assert relative_opening(_of_lines(time_s, {"rpm": running["rpm"]}), ((0.0, 18.0),)) is None


def _of_lines(time_s: FloatArray, lines: dict[str, FloatArray]) -> Recording:
    return Recording(tuple(Channel(CHANNEL_KINDS[n], time_s, v) for n, v in lines.items()))


@pytest.mark.parametrize(
    ("rpm", "cause"), [(800.0 * 1.14, RestCause.PLATE), (800.0 * 1.10, RestCause.UNKNOWN)]
)
def test_speed_alone_tells_an_open_plate_but_never_a_lying_signal(rpm: float, cause: RestCause) -> None:
    """Idle control holds the speed as long as it can (common practice): one that rose says something."""
    time_s = np.arange(0.0, 20.0, 0.1)
    made = _of_lines(time_s, {"rpm": np.where(time_s < 9.0, 800.0, rpm)})
    assert cause_of_rest(made, ((10.0, 16.0),), ((0.0, 6.0),)) is cause


def test_the_plate_is_flat_at_ninety_degrees_and_leaks_when_closed() -> None:
    bore = np.pi * 0.05**2 / 4
    area = plate_area(np.asarray([0.0, 120.0]), 0.05)
    assert area[0] == pytest.approx(0.004 * bore)
    assert area[1] == pytest.approx(bore)
