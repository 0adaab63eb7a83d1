"""Potentials, weak pins and wrong readings from readings between pins."""

from itertools import combinations

import numpy as np
import pytest
from scipy.optimize import curve_fit

from nervus.circuit.network import GROUND, Resistor, solve
from nervus.pins.meter import Meter
from nervus.pins.settling import SettleWatch
from nervus.pins.solving import SolvedPlug, solve_plug
from nervus.pins.taken import BATTERY, Taken

UNPLUGGED = (
    "1-3 -, 1-5 4.3, 1-6 2.96, 1-7 -, 1-8 -, 3-5 4.3, 3-6 2.96, 3-7 -, 3-8 -, 5-6 0.01, 5-7 3.36, "
    "5-8 4.98, 6-7 2.56, 6-8 3.39, 7-8 0.02"
)
SIX = (
    "1-2 10.68, 1-3 0.02, 1-4 5.0, 1-5 -, 1-6 -, 2-3 10.68, 2-4 10.07, 2-5 10.68, 2-6 10.68, 3-4 5.0, "
    "3-5 -, 3-6 -, 4-5 5.0, 4-6 5.0, 5-6 -"
)


def by_eye(written: str) -> list[Taken]:
    """A table as people write it: no signs, a dash for nothing."""
    rows = []
    for part in written.split(", "):
        pair, value = part.split(" ")
        black, red = pair.split("-")
        nothing = value == "-"
        rows.append(Taken(red, black, 0.0 if nothing else float(value), signed=False, nothing=nothing))
    return rows


def pairs(
    volts: dict[str, float], behind: dict[str, float] | None = None, meter_ohms: float = 1e7
) -> list[Taken]:
    """All pairs as a meter shows them; a pin's source behind its ohms."""
    r = behind or {}
    return [
        Taken(
            b, a, round((volts[b] - volts[a]) * meter_ohms / (meter_ohms + r.get(a, 0) + r.get(b, 0)), 3)
        )
        for a, b in combinations(volts, 2)
    ]


def apart(solved: SolvedPlug, one: str, other: str) -> float:
    first, second = solved.pins[one].volts, solved.pins[other].volts
    assert first is not None
    assert second is not None
    return first - second


def test_a_table_that_no_potentials_fit_is_what_the_meter_does_to_weak_pins() -> None:
    """Source: common practice, measured on a vehicle, no published source: an unplugged plug, key on.

    5 and 8 hold; 6 is pulled up and 7 down through as much as half the meter; 1 and 3 are weak alike.
    """
    solved = solve_plug(by_eye(UNPLUGGED))
    ohms = {label: pin.behind_ohms for label, pin in solved.pins.items()}
    assert ohms["5"] == ohms["8"] == 0.0
    assert ohms["6"] == pytest.approx(4.9e6, rel=0.1)
    assert ohms["7"] == pytest.approx(4.9e6, rel=0.15)
    assert ohms["1"] == pytest.approx(ohms["3"])
    assert 1.3e6 < ohms["1"] < 2.2e6
    assert apart(solved, "5", "8") == pytest.approx(5.0, abs=0.06)
    assert apart(solved, "6", "8") == pytest.approx(5.0, abs=0.1)
    assert abs(apart(solved, "7", "8")) < 0.15
    # It fits to a few hundredths, which is more than the meter allows, and which reading is off is open.
    assert not solved.doubts
    assert 0.02 < solved.misfit_v < 0.06
    # No reading has a sign, and 5 V up or down look alike.
    assert solved.mirrored > 0.05
    assert not solved.against_battery


def test_the_one_reading_that_contradicts_all_others_is_found_with_what_fits() -> None:
    """Source: common practice, measured on a vehicle, no published source: 2 at 10.68 V, 4 at 5 V, the
    others alike; 2 to 4 has to be their difference.
    """
    table = by_eye(SIX)
    solved = solve_plug(table)
    (doubt,) = solved.doubts
    assert (table[doubt.reading].black, table[doubt.reading].red) == ("2", "4")
    assert doubt.fits_v[0] == pytest.approx(10.68 - 5.0, abs=0.02)
    assert doubt.chance > 0.99
    assert apart(solved, "2", "1") == pytest.approx(10.68, abs=0.02)
    assert apart(solved, "4", "5") == pytest.approx(5.0, abs=0.02)
    assert solved.mirrored == 0.0
    assert all(pin.behind_ohms == 0.0 for pin in solved.pins.values())


def test_firm_pins_are_what_a_reference_library_fits_with_its_uncertainty() -> None:
    """Source: scipy.optimize.curve_fit, weighted, absolute deviations; ours adds the meter's scale."""
    volts = {"1": 0.02, "2": 4.98, "3": 0.87, "4": 2.4}
    meter = Meter()
    rng = np.random.default_rng(4)
    rows = [*pairs(volts), *(Taken(p, BATTERY, v) for p, v in volts.items())]
    rows = [
        Taken(r.red, r.black, round(r.volts + rng.uniform(-0.6, 0.6) * meter.accuracy(r.volts), 3))
        for r in rows
    ]
    order = sorted(volts)

    def shown(_x: np.ndarray, *e: float) -> np.ndarray:
        at = {BATTERY: 0.0, **dict(zip(order, e, strict=True))}
        return np.asarray([at[r.red] - at[r.black] for r in rows])

    measured = np.asarray([r.volts for r in rows])
    deviation = np.asarray([meter.deviation(r.volts) for r in rows])
    best, covariance = curve_fit(
        shown, np.arange(len(rows)), measured, p0=np.zeros(4), sigma=deviation, absolute_sigma=True
    )
    solved = solve_plug(rows, meter)
    for number, pin in enumerate(order):
        whole = abs(best[number]) * meter.percent / 100.0 / np.sqrt(3.0)
        assert solved.pins[pin].volts == pytest.approx(best[number], abs=2e-3)
        assert solved.pins[pin].unsure_v == pytest.approx(
            1.96 * np.hypot(np.sqrt(covariance[number, number]), whole), rel=0.02
        )


@pytest.mark.parametrize("meter_ohms", [1e6, 1e7])
def test_a_pin_behind_megohms_reads_less_by_the_divider_and_is_told(meter_ohms: float) -> None:
    """Source: textbook voltage divider: behind 2 MΩ a meter of 10 MΩ shows 10/12, of 1 MΩ a third."""
    rows = pairs({"1": 0.0, "2": 5.0, "3": 5.0, "4": 0.0}, {"3": 2e6}, meter_ohms)
    assert rows[1].volts == pytest.approx(5.0 * meter_ohms / (meter_ohms + 2e6), abs=0.001)
    solved = solve_plug(rows, Meter(ohms=meter_ohms))
    weak = solved.pins["3"]
    assert weak.behind_ohms == pytest.approx(2e6, abs=weak.behind_unsure)
    assert apart(solved, "3", "1") == pytest.approx(5.0, abs=weak.unsure_v)
    assert solved.pins["2"].behind_ohms == 0.0


def test_a_pin_that_nothing_holds_floats_and_moves_no_other() -> None:
    rows = [*pairs({"1": 0.0, "2": 5.0, "3": 0.9}), *(Taken("4", p, 0.0, nothing=True) for p in "123")]
    solved = solve_plug(rows)
    assert solved.pins["4"].floats
    assert solved.pins["4"].volts is None
    assert apart(solved, "2", "1") == pytest.approx(5.0, abs=0.02)


def test_a_loud_reading_of_a_floating_pin_is_the_wrong_one() -> None:
    rows = [*pairs({"1": 0.0, "2": 5.0, "3": 0.9, "5": 2.5})]
    rows += [Taken("4", p, 0.0, nothing=True) for p in "123"] + [Taken("4", "5", 1.9)]
    solved = solve_plug(rows)
    assert solved.pins["4"].floats
    assert [(rows[d.reading].volts, d.fits_v, d.chance) for d in solved.doubts] == [(1.9, (0.0,), 1.0)]


def test_three_pins_and_one_slip_name_no_single_reading() -> None:
    """Three readings round one loop: the sum is wrong, and which is nobody can say."""
    rows = [Taken("2", "1", 5.0), Taken("3", "2", -4.2), Taken("3", "1", 1.6)]
    solved = solve_plug(rows)
    assert not solved.doubts


def test_a_sign_against_battery_settles_which_way_round_all_is() -> None:
    open_ = solve_plug(by_eye(UNPLUGGED))
    settled = solve_plug([*by_eye(UNPLUGGED), Taken("5", BATTERY, 0.0), Taken("8", BATTERY, 4.98)])
    assert open_.mirrored > 0.0
    assert settled.mirrored == 0.0
    assert apart(settled, "8", "5") == pytest.approx(4.98, abs=0.1)


def without_signs(rows: list[Taken]) -> list[Taken]:
    return [
        Taken(r.red, r.black, round(abs(r.volts), 2), signed=False, nothing=abs(r.volts) < 0.03)
        for r in rows
    ]


@pytest.mark.parametrize(
    ("volts", "behind"),
    [
        # The two highest are weak: all the other way round they would be the lowest.
        ((11.82, 4.98, 0.02, 0.02, 0.71, 11.82, 0.03, 2.1), {0: 4.2e5, 5: 7.07e6}),
        # Half of the pins weak, so that no tree of large readings has a true one in each branch.
        ((5.0, 5.0, 0.05, 4.99, 0.0, 11.93, 4.98), {0: 2.97e6, 1: 2.19e6, 4: 6.37e6}),
        ((0.0, 12.49, 0.0, 5.0, 0.05, 5.0, 3.08, 4.98), {0: 1.45e6, 1: 1.02e6, 2: 3.72e6, 5: 4.49e6}),
    ],
)
def test_weak_pins_are_found_without_any_sign(
    volts: tuple[float, ...], behind: dict[int, float]
) -> None:
    """The divider of the meter and the resistances behind both pins (textbook), no sign written."""
    named = {str(k): v for k, v in enumerate(volts)}
    rows = without_signs(pairs(named, {str(k): ohms for k, ohms in behind.items()}))
    solved = solve_plug(rows)
    assert not solved.doubts
    assert not solved.one_of
    for label, pin in solved.pins.items():
        assert pin.behind_ohms == pytest.approx(behind.get(int(label), 0.0), rel=0.15), label
    # All the other way round looks the same: what is apart is told either way.
    assert abs(apart(solved, "0", "6")) == pytest.approx(abs(volts[0] - volts[6]), abs=0.3)


def test_a_wrong_reading_among_weak_pins_is_named_without_any_sign() -> None:
    named = {"1": 2.99, "2": 0.0, "3": 4.3, "4": 2.92, "5": 0.02, "6": 4.98, "7": 14.4}
    rows = without_signs(pairs(named, {"2": 4.07e6}))
    at = next(k for k, r in enumerate(rows) if r.pair == {"1", "7"})
    right = rows[at]
    rows[at] = Taken(right.red, right.black, 3.2, signed=False)
    (doubt,) = solve_plug(rows).doubts
    assert doubt.reading == at
    assert doubt.fits_v[0] == pytest.approx(right.volts, abs=0.15)


def test_in_a_large_plug_three_weak_pins_are_no_wrong_readings() -> None:
    named = {str(k): (0.0, 5.0, 12.5, 2.5, 0.03)[k % 5] for k in range(14)}
    behind = {"2": 2e6, "5": 1e6, "11": 3e6}
    solved = solve_plug(pairs(named, behind))
    assert not solved.doubts
    assert {k for k, p in solved.pins.items() if p.behind_ohms} == set(behind)


def test_many_grounds_are_no_proof_of_the_way_round() -> None:
    """Four pins alike and one 5 V apart: four grounds and a supply, or four supplies and a ground."""
    named = {"1": 0.0, "2": 0.02, "3": 0.0, "4": 0.03, "5": 5.0}
    solved = solve_plug(without_signs(pairs(named)))
    assert 0.05 < solved.mirrored < 0.5


def test_a_pin_is_told_as_firm_only_where_its_readings_would_show_it_weak() -> None:
    named = {"1": 0.0, "2": 5.0, "3": 2.5, "4": 1.2}
    sound = solve_plug(pairs(named))
    assert all(pin.firm for pin in sound.pins.values())
    weak = solve_plug(pairs(named, {"3": 2e6}))
    assert [label for label, pin in weak.pins.items() if not pin.firm] == ["3"]
    one = solve_plug([*pairs(named), Taken("5", "1", 3.3)])
    assert not one.pins["5"].firm
    assert one.pins["5"].readings == 1
    assert one.pins["5"].behind_ohms == 0.0


def test_repeats_that_scatter_make_the_pin_less_sure() -> None:
    calm = solve_plug([Taken("1", BATTERY, v) for v in (4.98, 4.98, 4.98, 4.98)])
    restless = solve_plug([Taken("1", BATTERY, v) for v in (4.7, 5.1, 4.9, 5.3)])
    assert restless.pins["1"].unsure_v > 2.0 * calm.pins["1"].unsure_v


def test_nothing_measured_is_told_as_nothing() -> None:
    assert solve_plug([]).pins == {}


@pytest.mark.parametrize(
    ("volts", "place", "off"),
    [(4.98, 0.001, 0.0269), (6.0, 0.01, 0.05), (12.6, 0.01, 0.083), (0.02, 0.001, 0.0021)],
)
def test_an_accuracy_is_percent_and_digits_of_the_range_that_fits(
    volts: float, place: float, off: float
) -> None:
    """Source: published meter practice in general words: ±(0.5 % + 2 digits), 6000 counts."""
    meter = Meter()
    assert meter.last_place(volts) == place
    assert meter.accuracy(volts) == pytest.approx(off, abs=1e-6)


def test_what_a_meter_sees_between_two_nodes_is_thevenins() -> None:
    """Source: C. K. Alexander, M. N. O. Sadiku, Fundamentals of Electric Circuits, example 4.8: 30 V
    behind 4 Ω; its 2 A source beside 12 Ω stands here as 24 V in series with them.
    """
    parts = [Resistor("s", "n", 4.0), Resistor("t", "n", 12.0), Resistor("n", "a", 1.0)]
    solved = solve(parts, {"s": 32.0, "t": 24.0}, [("a", GROUND)])
    assert solved.volts["a"] == pytest.approx(30.0)
    assert solved.ohms["a", GROUND] == pytest.approx(4.0)


def test_a_value_settles_once_and_again_only_after_the_probes_left() -> None:
    watch = SettleWatch(Meter())
    told = [watch.feed(0.25 * k, 4.98) for k in range(8)]
    assert [v for v in told if v is not None] == [4.98]
    assert [watch.feed(2.0 + 0.25 * k, v) for k, v in enumerate((1.0, 3.0, 0.4, 2.0))] == [None] * 4
    told = [watch.feed(3.0 + 0.25 * k, 4.98) for k in range(8)]
    assert [v for v in told if v is not None] == [4.98]
    assert watch.feed(6.0, None) is None
    watch.begin_anew()
    assert [v for k in range(5) if (v := watch.feed(7.0 + 0.25 * k, 4.98)) is not None] == [4.98]


def test_a_value_settles_soon_after_the_probes_came_to_rest() -> None:
    watch = SettleWatch(Meter())
    readings = [0.2, 3.0, 1.0, *[4.98] * 8]
    told = [k for k, v in enumerate(readings) if watch.feed(0.25 * k, v) is not None]
    assert told
    assert told[0] <= 8


def test_a_value_that_drifts_does_not_settle() -> None:
    watch = SettleWatch(Meter())
    assert [watch.feed(0.25 * k, 1.0 + 0.1 * k) for k in range(20)] == [None] * 20


@pytest.mark.parametrize("seed", range(40))
def test_whatever_is_read_is_solved_or_told_as_open(seed: int) -> None:
    """Any few readings of any pins, signed or not, repeated, one-sided: never a crash, never a NaN."""
    rng = np.random.default_rng(seed)
    count, pins = int(rng.integers(1, 9)), [str(k) for k in range(1, int(rng.integers(3, 7)))]
    rows = []
    for _ in range(count):
        red, black = rng.choice([*pins, BATTERY], 2, replace=False)
        nothing = bool(rng.random() < 0.4)
        value = 0.0 if nothing else round(float(rng.choice([0.01, 0.1, 2.3, 5.0, 12.4, -3.0])), 2)
        signed = bool(rng.random() < 0.5)
        if red == BATTERY:
            red, black = black, red
        rows.append(Taken(str(red), str(black), value if signed else abs(value), signed, nothing))
    solved = solve_plug(rows)
    assert len(solved.expected) == len(rows)
    assert np.isfinite(solved.expected).all()
    for pin in solved.pins.values():
        assert pin.volts is None or not pin.floats
        assert np.isfinite([pin.volts or 0.0, pin.unsure_v, pin.behind_ohms]).all()
    assert all(0 <= d.reading < len(rows) for d in solved.doubts)
