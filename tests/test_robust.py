"""The few functions of arrays that are our own, against SciPy's."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from scipy.ndimage import maximum_filter1d, median_filter, minimum_filter1d
from scipy.optimize import isotonic_regression
from scipy.stats import theilslopes

from nervus.domain.channel import FloatArray
from nervus.signal.arithmetic.robust import (
    even_median,
    median_of_five,
    monotone,
    running_extremes,
    theil_sen,
)

LEVELS = st.floats(-50.0, 150.0, allow_nan=False, width=32)


@settings(deadline=None, max_examples=80)
@given(arrays(np.float64, st.integers(3, 60), elements=LEVELS), st.integers(0, 2**32 - 1))
def test_the_median_of_slopes_is_scipys(y: FloatArray, seed: int) -> None:
    x = np.random.default_rng(seed).integers(0, 30, y.size).astype(np.float64)
    if np.ptp(x) == 0.0:
        assert np.isnan(theil_sen(y, x)[0])
        return
    with np.errstate(invalid="ignore", divide="ignore"):
        expected = theilslopes(y, x)
    assert theil_sen(y, x) == pytest.approx((expected[0], expected[1]), abs=1e-9)


@given(arrays(np.float64, st.integers(1, 80), elements=LEVELS))
def test_the_running_median_is_scipys(values: FloatArray) -> None:
    expected = median_filter(values, size=5, mode="nearest")
    assert median_of_five(values) == pytest.approx(expected)


@given(arrays(np.float64, st.integers(1, 120), elements=LEVELS), st.integers(1, 40))
def test_running_extremes_are_scipys(values: FloatArray, length: int) -> None:
    length = min(length, values.size)
    lowest, highest = running_extremes(values, length)
    begin = -(length // 2)
    last = values.size - length + 1
    assert lowest == pytest.approx(minimum_filter1d(values, length, origin=begin)[:last])
    assert highest == pytest.approx(maximum_filter1d(values, length, origin=begin)[:last])


@settings(deadline=None)
@given(arrays(np.float64, st.integers(1, 120), elements=LEVELS), st.booleans())
def test_the_nearest_monotone_course_is_scipys(level: FloatArray, rising: bool) -> None:  # noqa: FBT001 - drawn
    expected = isotonic_regression(level, increasing=rising).x
    assert monotone(level, rising=rising) == pytest.approx(expected, abs=1e-9)


def test_an_even_median_is_scipys_away_from_the_ends_and_keeps_a_line_at_them() -> None:
    values = np.random.default_rng(4).normal(size=200)
    made = even_median(values, 6)
    assert made[6:-6] == pytest.approx(median_filter(values, 13)[6:-6])
    line = np.linspace(0.0, 9.0, 40)
    assert even_median(line, 6) == pytest.approx(line)
    assert even_median(np.empty(0), 6).size == 0
