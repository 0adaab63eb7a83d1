"""The sensor circuit against worked examples and the facts of the trade."""

from typing import Any

import numpy as np
import pytest

from nervus.circuit.network import GROUND, Resistor, solve
from nervus.circuit.sensor import BATTERY_V, SUPPLY_AMPS, SensorCircuit, TrackCircuit
from nervus.standin.capture import CABLE, HALF, OPPOSITE

CLEAN: dict[str, Any] = {"wiper_ohms": 1e-3, "plug_ohms": 1e-3, "signal_ohms": 1e-3}
TIGHT: dict[str, Any] = dict.fromkeys(
    ("supply_ohms", "ground_ohms", "supply_plug_ohms", "ground_plug_ohms"), 1e-3
)


def test_a_wheatstone_bridge_off_balance() -> None:
    """Source: hand-worked by Thevenin's theorem, as in any textbook of circuit theory.

    10 V over 1k-2k on the left (6.667 V) and 3k-1k on the right (2.5 V), 500 ohms between. The
    halves have 666.7 and 750 ohms inside: 4.1667 V / 1916.7 ohms = 2.1739 mA through the bridge.
    """
    volts = solve(
        [
            Resistor("in", "a", 1000),
            Resistor("a", GROUND, 2000),
            Resistor("in", "b", 3000),
            Resistor("b", GROUND, 1000),
            Resistor("a", "b", 500),
        ],
        {"in": 10.0},
    ).volts
    assert (volts["a"] - volts["b"]) / 500 == pytest.approx(2.1739e-3, rel=1e-4)


@pytest.mark.parametrize("share", [0.0, 0.1, 0.5, 0.9, 1.0])
@pytest.mark.parametrize("load", [1e12, 100_000.0, 10_000.0])
def test_the_potentiometer_divider_unloaded_and_loaded(share: float, load: float) -> None:
    """Source: the loaded potentiometer, a textbook formula: V = V0 x / (1 + x (1 - x) R / RL)."""
    track = TrackCircuit(0.0, 1.0, ohms=4000.0, pull_ohms=load, **CLEAN)
    circuit = SensorCircuit((track,), **TIGHT)
    expected = 5.0 * share / (1.0 + share * (1.0 - share) * 4000.0 / load)
    assert circuit.volts(share)["signal1"] == pytest.approx(expected, abs=2e-5)


@pytest.mark.parametrize("bad", [0.0, -1.0, float("nan")])
def test_a_resistance_must_be_above_zero(bad: float) -> None:
    with pytest.raises(ValueError, match="above zero"):
        solve([Resistor("a", GROUND, bad)], {"a": 1.0})


@pytest.mark.parametrize("circuit", [CABLE, OPPOSITE, HALF])
def test_three_wires_key_on(circuit: SensorCircuit) -> None:
    """Common practice, no published source: supply about 5 V, ground about 0 V, signal between and
    rising smoothly over the travel, about 0.5 V closed and 4.5 V wide open.
    """
    course = [circuit.volts(x)["signal1"] for x in np.linspace(0, 1, 21)]
    assert 0.4 < course[0] < 0.9
    assert 4.1 < course[-1] < 4.65
    assert np.all(np.diff(course) > 0)
    assert circuit.volts(0.3)["supply"] == pytest.approx(5.0, abs=0.01)
    assert circuit.volts(0.3)["return"] == pytest.approx(0.0, abs=0.01)


def test_the_signal_is_ratiometric() -> None:
    """Common practice, no published source: with a supply of 4.80 V a healthy 0.50 V reads 0.48 V."""
    at_5 = SensorCircuit((TrackCircuit(0.1, 0.9, **CLEAN),), supply_v=5.0).volts(0.0)["signal1"]
    at_48 = SensorCircuit((TrackCircuit(0.1, 0.9, **CLEAN),), supply_v=4.8).volts(0.0)["signal1"]
    assert at_5 == pytest.approx(0.50, abs=0.002)
    assert at_48 == pytest.approx(0.48, abs=0.002)


def test_opposite_tracks_add_up_to_the_supply() -> None:
    """Common practice, no published source: within about half a percent."""
    for x in np.linspace(0, 1, 11):
        volts = OPPOSITE.volts(float(x))
        assert volts["signal1"] + volts["signal2"] == pytest.approx(5.0, abs=0.025)


def test_what_each_open_line_leaves() -> None:
    """Common practice, no published source: an open signal falls to the rail of the unit's own
    resistor, alone; an open ground lifts all tracks to the supply, an open supply drops all.
    """
    lone = OPPOSITE.open_signal(1).volts(0.5)
    assert lone["signal2"] == pytest.approx(0.0, abs=0.15)
    assert lone["signal1"] == pytest.approx(OPPOSITE.volts(0.5)["signal1"], abs=0.01)
    lifted = OPPOSITE.open_ground().volts(0.5)
    assert min(lifted["signal1"], lifted["signal2"]) > 4.8
    dropped = OPPOSITE.open_supply().volts(0.5)
    assert max(dropped["signal1"], dropped["signal2"]) < 0.1
    assert CABLE.open_signal(0).volts(0.5)["signal1"] > 4.9


def test_what_a_meter_sees_between_two_nodes_is_thevenins_resistance() -> None:
    """A bridge of 1, 2, 3 and 4 kilohms on a shorted source: 1k||2k + 3k||4k = 2380.95 ohms (textbook).

    To ground one arm alone; in either order, and with the source's node, which is a short.
    """
    bridge = [Resistor("s", "a", 1000.0), Resistor("a", GROUND, 2000.0)]
    bridge += [Resistor("s", "b", 3000.0), Resistor("b", GROUND, 4000.0)]
    pairs = [("a", "b"), ("b", "a"), ("a", GROUND), (GROUND, "b"), ("s", "a")]
    seen = solve(bridge, {"s": 10.0}, pairs).ohms
    arm_a, arm_b = 2e6 / 3e3, 12e6 / 7e3
    wanted = [arm_a + arm_b, arm_a + arm_b, arm_a, arm_b, arm_a]
    assert [float(seen[p]) for p in pairs] == pytest.approx(wanted, rel=1e-6)


def test_between_two_nodes_that_hang_on_ground_a_meter_sees_all_ways() -> None:
    """By hand: 50 Ω beside 100 + 100 Ω over ground are 40 Ω."""
    parts = [Resistor("a", GROUND, 100.0), Resistor("b", GROUND, 100.0), Resistor("a", "b", 50.0)]
    solved = solve(parts, {}, (("a", "b"), ("a", GROUND)))
    assert solved.ohms["a", "b"] == pytest.approx(40.0, rel=1e-6)
    assert solved.ohms["a", GROUND] == pytest.approx(60.0, rel=1e-6)


def test_a_supply_that_is_asked_for_too_much_gives_what_it_can() -> None:
    """Shorted to ground by 20 Ω while the battery feeds in by the signal: it gives the most it can."""
    shorts = (Resistor("supply", GROUND, 20.0), Resistor("signal1", "battery", 200.0))
    circuit = SensorCircuit((TrackCircuit(0.1, 0.9, **CLEAN),), shorts=shorts)
    volts = circuit.volts(0.5)
    parts = circuit._parts(np.asarray(0.5), np.asarray(True))  # noqa: FBT003 - an array
    given = solve(parts, {"vref": float(volts["vref"]), "battery": BATTERY_V}).amps["vref"]
    assert 0.0 < float(volts["vref"]) < 5.0
    assert float(given) == pytest.approx(SUPPLY_AMPS, rel=1e-6)
