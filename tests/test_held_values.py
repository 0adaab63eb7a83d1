"""Values that a logger repeats between updates: common practice with slow control units."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nervus.domain.channel import FloatArray
from nervus.domain.finding import Drop
from nervus.judge.analyse import analyse
from nervus.signal.instruments.as_read import as_read
from nervus.signal.instruments.held_values import update_samples
from signals import recording, sweeps, volts


def held(values: FloatArray, samples: int) -> FloatArray:
    """Every value told so many times over."""
    return values[np.arange(values.size) // samples * samples]


@pytest.mark.parametrize("samples", [3, 5, 10, 20])
@pytest.mark.parametrize("tracks", [1, 2])
def test_a_stair_of_repeated_values_is_no_fault(samples: int, tracks: int) -> None:
    """Two hundred lines a second of a value that is told anew 10 to 67 times a second."""
    time_s, travel = sweeps(5, seconds=4.0, rate_hz=200.0)
    lines = {"tps1_v": held(volts(travel, noise_v=0.003), samples)}
    if tracks == 2:
        lines["tps2_v"] = held(5.0 - volts(travel, noise_v=0.003, seed=2), samples)
    assert analyse(recording(time_s, **lines)).examination.findings == ()


def test_an_interruption_among_repeated_values_is_found() -> None:
    time_s, travel = sweeps(4, seconds=5.0, rate_hz=200.0)
    first, second = volts(travel, noise_v=0.003), 5.0 - volts(travel, noise_v=0.003, seed=2)
    second[(time_s > 6.2) & (time_s < 6.6)] = 0.0
    made = recording(time_s, tps1_v=held(first, 10), tps2_v=held(second, 10))
    (drop,) = analyse(made).examination.findings
    assert isinstance(drop, Drop)
    assert drop.channels == ("tps2_v",)
    assert drop.times_s[0] == pytest.approx((6.2, 6.6), abs=0.06)


def test_what_could_have_slipped_by_is_told_by_the_updates() -> None:
    """As many samples as were recorded, but nothing shorter than an update can be claimed."""
    time_s, travel = sweeps(4, seconds=5.0, rate_hz=200.0)
    made = recording(time_s, tps1_v=held(volts(travel, noise_v=0.003), 10))
    (channel,) = analyse(made).examination.channels
    assert channel.samples == time_s.size
    assert channel.rate_hz == pytest.approx(200.0, abs=0.1)
    assert channel.shortest_event_s == pytest.approx(0.05, abs=0.001)


@settings(deadline=None, max_examples=40)
@given(st.integers(2, 40), st.integers(0, 10_000))
def test_how_long_a_value_lasts_is_read_from_its_changes(samples: int, seed: int) -> None:
    noisy = np.cumsum(np.random.default_rng(seed).normal(0.0, 1.0, 120))
    assert update_samples(np.repeat(noisy, samples)) == samples
    assert update_samples(noisy) == 1


def test_updates_that_come_a_little_early_or_late_are_updates() -> None:
    random = np.random.default_rng(5)
    lengths = random.integers(9, 12, 300)
    values = np.repeat(random.normal(2.0, 0.5, 300), lengths)
    assert update_samples(values) == pytest.approx(10, abs=1)
    time_s = np.linspace(0.0, 0.005 * (values.size - 1), values.size)
    (channel,) = as_read(recording(time_s, tps1_v=values)).channels
    assert channel.samples == 300
    assert np.array_equal(channel.values, values[np.append(0, np.cumsum(lengths)[:-1])])


def test_a_rest_is_told_again_as_often_as_updates_fit_in() -> None:
    """Without that a rest and the motion after it would be one slow motion."""
    moving = np.repeat(np.linspace(1.0, 3.0, 60), 10)
    resting = np.full(500, 3.0)
    values = np.concatenate((moving, resting, moving[::-1]))
    time_s = np.linspace(0.0, 0.005 * (values.size - 1), values.size)
    (channel,) = as_read(recording(time_s, tps1_v=values)).channels
    at_rest = (channel.time_s > 3.2) & (channel.time_s < 5.3)
    assert np.count_nonzero(at_rest) == pytest.approx(42, abs=2)
    assert np.diff(channel.time_s).max() < 0.06


@pytest.mark.parametrize("noise_v", [0.0, 0.001, 0.005])
@pytest.mark.parametrize("bits", [8, 10, 12])
def test_what_is_only_coarse_is_left_as_it_is(bits: int, noise_v: float) -> None:
    """A slow sweep on a coarse converter stays on one step for a while, but not always as long."""
    time_s, travel = sweeps(3, seconds=6.0, rate_hz=100.0)
    step = 5.0 / 2**bits
    made = recording(time_s, tps1_v=np.round(volts(travel, noise_v=noise_v) / step) * step)
    assert as_read(made) is made
