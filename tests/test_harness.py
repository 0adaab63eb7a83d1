"""What a meter reads at either plug, against dividers worked by hand and the other solution."""

from dataclasses import replace

import numpy as np
import pytest

from nervus.circuit.drawn_harness import DRAWS, Asked, drawn
from nervus.circuit.harness import LINES, PLACES, Harness, contact_ohms, joined, line_ohms
from nervus.circuit.sensor import SensorCircuit, TrackCircuit
from nervus.circuit.signatures import circuit_faults
from nervus.domain.channel import FloatArray
from nervus.domain.profile import ThrottleKind
from nervus.judge.expected_readings import would_read
from nervus.judge.reading_words import Measured
from nervus.knowledge.tree import tree_for

ONE = np.ones(1)


def harness(*, share: float = 0.5, pull_up: float = 0.0, **ohms: float) -> Harness:
    """One track; joints of a milliohm but for those that are named, such as `supply_sensor_plug`."""
    series = {
        (line, place): ONE * ohms.get(f"{line}_{place}", 1e-3) for line in LINES for place in PLACES
    }
    return Harness(
        1, (ONE * share,), ONE * 4_000.0, (ONE * 500.0,), ONE * 100_000.0, ONE * pull_up, series, {},
        ONE * 0.0, ONE * 5.0, ONE * 1e-3,
    )  # fmt: skip


def volts(made: Harness, line: str, place: str) -> float:
    return float(made.read()[line, "", place][0])


def test_a_sound_sensor_is_the_divider_that_one_works_by_hand() -> None:
    """Source: the loaded divider: half of 4 kΩ is 1 kΩ of source, behind it 500 Ω, into 100 kΩ beside
    the meter's 10 MΩ: 2.5 V x 99.0 k / (99.0 k + 1.5 k).
    """
    load = 1.0 / (1.0 / 100_000.0 + 1.0 / 1e7)
    expected = 2.5 * load / (load + 1_500.0)
    for place in ("unit", "unit_plug", "sensor_plug"):
        assert volts(harness(), "signal1", place) == pytest.approx(expected, abs=1e-3)
        assert volts(harness(), "supply", place) == pytest.approx(5.0, abs=1e-3)
        assert volts(harness(), "ground", place) == pytest.approx(0.0, abs=1e-3)


@pytest.mark.parametrize("place", PLACES)
def test_an_open_line_is_seen_on_one_side_of_the_place_where_it_is(place: str) -> None:
    """Source: Kirchhoff's laws: on the sensor's side of the break stands what the sensor gives, on the
    unit's side what the unit pulls to.
    """
    made = harness(pull_up=1.0, **{f"signal1_{place}": 1e9})
    at = [volts(made, "signal1", p) for p in ("sensor", "sensor_plug", "unit_plug", "unit")]
    behind = PLACES[::-1].index(place) + 1
    assert all(v == pytest.approx(2.5, abs=0.05) for v in at[:behind])
    assert all(v > 4.5 for v in at[behind:])


def test_a_poor_supply_drops_what_the_track_draws() -> None:
    """Source: Ohm's law: 1 kΩ before 4 kΩ leaves 4 V of 5 V."""
    made = harness(supply_harness=1_000.0)
    assert volts(made, "supply", "unit_plug") == pytest.approx(5.0, abs=1e-3)
    assert volts(made, "supply", "sensor_plug") == pytest.approx(4.0, abs=0.02)
    assert float(line_ohms(made, "supply")[0]) == 1_000.0
    assert float(contact_ohms(made, "supply")[0]) == pytest.approx(2e-3)


def test_a_poor_ground_lifts_all_and_with_the_plug_off_nothing_flows() -> None:
    made = harness(ground_sensor_plug=1_000.0)
    assert volts(made, "ground", "sensor") == pytest.approx(1.0, abs=0.02)
    assert volts(made, "ground", "sensor_plug") == pytest.approx(0.0, abs=1e-3)
    unplugged = replace(joined([made]), plugged=False)
    assert volts(unplugged, "ground", "sensor_plug") == pytest.approx(0.0, abs=1e-3)
    assert volts(unplugged, "signal1", "sensor_plug") == pytest.approx(0.0, abs=0.01)
    assert volts(unplugged, "supply", "sensor_plug") == pytest.approx(5.0, abs=1e-3)


@pytest.mark.parametrize("share", [0.12, 0.5, 0.86])
def test_both_solutions_of_the_circuit_agree(share: float) -> None:
    """The same sound circuit by `SensorCircuit`, which the recordings' levels are matched to."""
    track = TrackCircuit(
        share, share, ohms=4_000.0, wiper_ohms=500.0, pull_ohms=100_000.0, pull_share=1.0
    )
    other = SensorCircuit((track,)).metered("plug_signal1").volts(0.0)
    made = harness(share=share, pull_up=1.0)
    assert volts(made, "signal1", "unit") == pytest.approx(other["signal1"], abs=5e-3)
    assert volts(made, "signal1", "sensor_plug") == pytest.approx(other["plug_signal1"], abs=5e-3)


def test_every_fault_of_the_circuit_is_drawn_and_the_vehicle_is_the_same_for_each() -> None:
    asked, sound = Asked("closed", 2, pedal=False), drawn(Asked("closed", 2, pedal=False), "", ())
    changing = ("of_track_1", "of_track_2", "feed", "leak", "electronics")
    faults = [f for f in tree_for(ThrottleKind.ELECTRONIC).faults if "pedal" not in f.classes]
    for fault in faults:
        made = drawn(asked, fault.id, fault.classes)
        acts = any(c in fault.classes for c in changing) and "worn" not in fault.classes
        same = all(np.array_equal(made.read()[key], v) for key, v in sound.read().items())
        assert same is not acts or fault.id in ("unit_input", "unit_supply", "battery_ground"), fault.id
        assert np.array_equal(made.track_ohms, sound.track_ohms)


def test_travel_is_where_the_words_say() -> None:
    at: dict[str, FloatArray] = {
        p: drawn(Asked(p, 1, pedal=False), "", ()).share[0] for p in ("closed", "half_open", "wide_open")
    }
    assert (at["closed"] < at["half_open"]).all()
    assert (at["half_open"] < at["wide_open"]).all()
    assert at["closed"].size == DRAWS


@pytest.mark.parametrize(
    ("line", "states", "fault", "low", "high"),
    [
        ("battery", {"running"}, "battery_weak", 11.0, 13.3),
        ("battery", {"cranking"}, "battery_weak", 6.0, 9.7),
        ("battery", set(), "battery_weak", 9.0, 12.1),
        ("motor", {"plug_off"}, "motor", 14.0, 1e10),
    ],
)
def test_battery_and_motor_read_what_the_trade_says(
    line: str, states: set[str], fault: str, low: float, high: float
) -> None:
    """From memory: 12.4 V at rest, 13.5 to 14.7 V running, 9.6 V cranking; a winding of some ohms."""
    unit = "Ω" if line == "motor" else "V"
    place = "sensor_plug" if line == "motor" else ""
    asked = Measured(line, pedal=False, place=place, states=frozenset(states), unit=unit, value=0.0)
    read = would_read(asked, ThrottleKind.ELECTRONIC)
    assert read is not None
    ids = [f.id for f in tree_for(ThrottleKind.ELECTRONIC).faults]
    bad = read.faulty[ids.index(fault)]
    assert low <= bad.min() <= bad.max() <= high
    assert np.array_equal(read.faulty[ids.index("dirty_plate")], read.sound)
    assert not np.array_equal(bad, read.sound)


def test_every_two_lines_may_touch_but_ground_and_the_battery() -> None:
    shorts = {f.id for f in circuit_faults(2) if f.id.startswith("short")}
    assert len(shorts) == 9
    assert "short-supply-battery" in shorts
    assert "short-ground-battery" not in shorts


def test_against_its_own_ground_an_open_ground_leaves_a_signal_nothing() -> None:
    """Source: Kirchhoff's laws: no current in the track, so all of it stands at the supply; a meter to
    the battery shows 5 V, one to the sensor's ground pin nothing.
    """
    tree = tree_for(ThrottleKind.ELECTRONIC)
    row = [f.id for f in tree.faults].index("open_ground_harness")

    def read(against: str = "") -> tuple[float, float]:
        asked = Measured(
            "signal1", pedal=False, place="sensor_plug", states=frozenset(), unit="V", value=0.0,
            against=against,
        )  # fmt: skip
        would = would_read(asked, ThrottleKind.ELECTRONIC)
        assert would is not None
        return float(np.median(would.faulty[row])), float(np.median(would.sound))

    (lifted, sound), (left, usual) = read(), read("ground")
    assert lifted > 3.5
    assert left == pytest.approx(0.0, abs=0.3)
    assert usual == pytest.approx(sound, abs=0.1)


@pytest.mark.parametrize("throttle", [None, *ThrottleKind])
@pytest.mark.parametrize("line", ["supply", "ground", "signal1", "signal2", "motor"])
def test_no_fault_reads_less_than_no_ohms(line: str, throttle: ThrottleKind | None) -> None:
    """Source: resistance is never negative in a circuit of wires, contacts and tracks (Ohm's law)."""
    for place in ("", "sensor_plug", "unit_plug", "plug_to_plug", "pin_to_pin"):
        for states in ({"plug_off"}, {"plug_off", "wide_open"}, {"plug_off", "to_battery"}):
            asked = Measured(
                line, pedal=False, place=place, states=frozenset(states), unit="Ω", value=0.0
            )
            would = would_read(asked, throttle)
            if would is not None:
                assert would.faulty.min() >= 0.0
                assert would.sound.min() >= 0.0


@pytest.mark.parametrize("pedal", ["throttle", "pedal"])
def test_a_sound_sensor_that_is_drawn_is_one_as_they_are_built(pedal: str) -> None:
    """From memory: tracks end within 2 and 98 % of their supply; half the range begins and ends low."""
    closed, opened = (
        drawn(Asked(at, 2, pedal == "pedal"), "none", ()).share for at in ("closed", "wide_open")
    )
    for shares in (*closed, *opened):
        assert shares.min() > 0.02
        assert shares.max() < 0.98
    half = (np.abs(opened[1] / opened[0] - 0.5) < 0.12) & (closed[1] < opened[1])
    assert opened[1][half].max() < 0.5
    assert closed[1][half].max() < 0.2
    assert float(np.median(opened[0])) > 0.6
