"""Intervals and robust statistics against reference libraries."""

import numpy as np
import pytest
from statsmodels.stats.proportion import proportion_confint

from nervus.signal.arithmetic.intervals import wilson
from nervus.signal.instruments import sampling


@pytest.mark.parametrize(("seen", "of"), [(0, 1), (1, 1), (3, 8), (7, 8), (0, 24), (12, 13), (500, 999)])
def test_wilson_against_a_reference_library(seen: int, of: int) -> None:
    """Reference: statsmodels, proportion_confint(method="wilson")."""
    low, high = proportion_confint(seen, of, alpha=0.05, method="wilson")
    assert wilson(seen, of) == pytest.approx((low, high), abs=1e-9)


def test_wilson_against_a_published_example() -> None:
    """Source: R. G. Newcombe, Statistics in Medicine 17 (1998) 857-872, table I: 81 of 263 gives
    0.2553 to 0.3662, and 0 of 20 gives 0 to 0.1611.
    """
    assert wilson(81, 263) == pytest.approx((0.2553, 0.3662), abs=5e-5)
    assert wilson(0, 20) == pytest.approx((0.0, 0.1611), abs=5e-5)


def test_wilson_says_nothing_of_nothing_and_refuses_nonsense() -> None:
    assert wilson(0, 0) == (0.0, 1.0)
    with pytest.raises(ValueError, match="3 of 2"):
        wilson(3, 2)


def test_noise_is_the_deviation_of_white_noise_and_blind_to_motion_and_drops() -> None:
    """Outside check: the noise is made with a known deviation."""
    random = np.random.default_rng(1)
    values = np.linspace(0.5, 4.5, 4000) + random.normal(0, 0.004, 4000)
    values[1000:1040] = 0.0
    assert sampling.noise(values) == pytest.approx(0.004, rel=0.08)


def test_resolution_is_the_step_of_the_converter() -> None:
    step = 5.0 / 1024
    random = np.random.default_rng(2)
    values = 2.5 + np.sin(np.arange(5000) / 300) + random.normal(0, 0.003, 5000)
    values = np.round(values / step) * step
    values[[100, 2000]] += 0.0007
    assert sampling.resolution(values) == pytest.approx(step, rel=1e-3)
