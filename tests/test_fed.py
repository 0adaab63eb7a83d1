"""What tracks are fed with: supply and ground that wander are divided out, interruptions are not.

A potentiometer divides what lies between its ground and its supply (common practice); each expected
value is that division written out.
"""

import numpy as np
import pytest

from nervus.domain.channel import FloatArray
from nervus.domain.finding import Disagreement, SupplyFault
from nervus.judge.analyse import analyse
from nervus.signal.instruments.fed import as_if_steady
from nervus.signal.instruments.instrument import prepare
from signals import channel, recording, sweeps, volts

# How a starter pulls the supply down: by 8 % for some 0.3 s, and back.
CRANKED_S, FOR_S, BY = 9.0, 0.15, 0.08


def dipped(time_s: FloatArray, by: float = BY) -> FloatArray:
    """The supply as a share of what it usually is."""
    return 1.0 - by * np.exp(-(((time_s - CRANKED_S) / FOR_S) ** 2))


@pytest.mark.parametrize("rate_hz", [20.0, 100.0, 500.0])
def test_a_supply_that_dips_once_is_told_and_parts_no_tracks(rate_hz: float) -> None:
    """Of two mirrored tracks the sum is the supply: 8 % less of it is no track that lies."""
    time_s, travel = sweeps(8, rate_hz=rate_hz)
    share, one = dipped(time_s), volts(travel, noise_v=0.002)
    tracks = {"tps1_v": one * share, "tps2_v": (5.0 - one) * share}
    (only,) = analyse(recording(time_s, **tracks, vref_v=5.0 * share)).examination.findings
    assert isinstance(only, SupplyFault)
    assert only.level_v == pytest.approx(4.65, abs=0.1)
    # Had nobody recorded it, one of the tracks might lie: read slowly that is too short to be told.
    alone = analyse(recording(time_s, **tracks)).examination.findings
    assert any(isinstance(f, Disagreement) for f in alone) is (rate_hz > 50.0)


def test_only_where_the_supply_left_is_anything_divided() -> None:
    """Beside the dip each value stays what it was, to the last bit: its noise is none of the track's."""
    time_s, travel = sweeps(6, rate_hz=500.0)
    noise = np.random.default_rng(3).normal(0.0, 0.003, time_s.size)
    line, supply = (
        volts(travel) * dipped(time_s),
        channel("vref_v", time_s, 5.0 * dipped(time_s) + noise),
    )
    steady, share = as_if_steady(time_s, line, supply, None, 5.0)
    beside, there = np.abs(time_s - CRANKED_S) > 0.5, np.abs(time_s - CRANKED_S) < 0.3
    assert np.array_equal(steady[beside], line[beside])
    assert steady[there] == pytest.approx(volts(travel)[there], abs=0.03)
    assert np.asarray(share)[there].min() == pytest.approx(1.0 - BY, abs=0.005)


def test_a_quick_fall_of_the_supply_is_an_interruption_not_a_sag() -> None:
    time_s, travel = sweeps(6, rate_hz=500.0)
    share = np.where((time_s > 9.0) & (time_s < 9.3), 0.93, 1.0)
    line = volts(travel) * share
    steady, told_share = as_if_steady(time_s, line, channel("vref_v", time_s, 5.0 * share), None, 5.0)
    assert steady is line
    assert told_share == 1.0


def test_a_ground_that_wanders_takes_no_track_with_it() -> None:
    """Through a poor joint the sensor's ground lies at 1.2 V, give or take 0.1 V with the current."""
    time_s, travel = sweeps(8, seconds=5.0)
    ground = 1.2 + 0.1 * np.sin(2.0 * np.pi * time_s / 7.3)
    share = 0.1 + 0.008 * travel
    made = prepare(
        channel("tps1_v", time_s, ground + share * (5.0 - ground)), 5.0, (), None,
        channel("sgnd_v", time_s, ground),
    )  # fmt: skip
    assert made is not None
    usual = float(np.median(ground))
    assert made.level == pytest.approx(20.0 * (usual + share * (5.0 - usual)), abs=0.1)


def test_supply_and_ground_that_wander_at_once_are_both_divided_out() -> None:
    time_s, travel = sweeps(8, seconds=5.0)
    ground = 0.3 + 0.08 * np.sin(2.0 * np.pi * time_s / 7.3)
    supply = 4.8 + 0.2 * np.sin(2.0 * np.pi * time_s / 11.0)
    share = 0.1 + 0.008 * travel
    steady, _ = as_if_steady(
        time_s, ground + share * (supply - ground),
        channel("vref_v", time_s, supply), channel("sgnd_v", time_s, ground), 4.8,
    )  # fmt: skip
    usual = float(np.median(ground))
    assert steady == pytest.approx(usual + share * (4.8 - usual), abs=0.01)


def test_a_poor_supply_far_below_its_usual_is_followed_too() -> None:
    """Behind a joint of a kilohm: 3.6 V, never the 5 V that the levels are a share of."""
    time_s, travel = sweeps(8, seconds=5.0)
    supply = 3.6 * (1.0 + 0.05 * np.sin(2.0 * np.pi * time_s / 7.3))
    line = (0.1 + 0.008 * travel) * supply
    steady, _ = as_if_steady(time_s, line, channel("vref_v", time_s, supply), None, 5.0)
    assert steady == pytest.approx((0.1 + 0.008 * travel) * np.median(supply), rel=0.004)


@pytest.mark.parametrize("volts_there", [0.0, 1.5])
def test_a_line_that_feeds_nothing_divides_nothing(volts_there: float) -> None:
    """Recorded at an open pin it says nothing of the sensor."""
    time_s, travel = sweeps(4)
    wanders = volts_there * (1.0 + 0.2 * np.sin(2.0 * np.pi * time_s / 7.3))
    line = volts(travel)
    steady, _ = as_if_steady(time_s, line, channel("vref_v", time_s, wanders), None, 5.0)
    assert steady is line


@pytest.mark.parametrize("usual_v", [2.6, 4.9, 5.0])
def test_a_ground_that_lies_beside_the_supply_is_none(usual_v: float) -> None:
    """Its lead is open where it was recorded: between that and the supply next to nothing is left."""
    time_s, travel = sweeps(8, seconds=5.0)
    line, ground = volts(travel), usual_v + 0.1 * np.sin(2.0 * np.pi * time_s / 7.3)
    steady, _ = as_if_steady(time_s, line, None, channel("sgnd_v", time_s, ground), 5.0)
    assert steady is line


def test_a_dip_is_told_from_where_the_supply_usually_is() -> None:
    """A supply of 4.8 V held against 5 V: at the edges of its dip nothing leaps by the 4 % between."""
    time_s, travel = sweeps(6, rate_hz=500.0)
    line, supply = (
        volts(travel) * dipped(time_s, 0.03),
        channel("vref_v", time_s, 4.8 * dipped(time_s, 0.03)),
    )
    steady, _ = as_if_steady(time_s, line, supply, None, 5.0)
    there = np.abs(time_s - CRANKED_S) < 0.5
    assert steady[there] == pytest.approx(volts(travel)[there], rel=0.01)
