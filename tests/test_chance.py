"""Chance of seeing against published tables, a reference library, and simulation."""

import numpy as np
import pytest
from scipy.stats import poisson

from nervus.signal.arithmetic.chance import (
    chance_of_catching,
    chance_of_showing,
    clean_after_repair,
    rate_interval,
    watch_for,
)


@pytest.mark.parametrize(
    ("events", "low", "high"),
    [(0, 0.0, 3.689), (1, 0.0253, 5.572), (5, 1.623, 11.668), (10, 4.795, 18.390), (50, 37.11, 65.92)],
)
def test_garwood_against_the_published_table(events: int, low: float, high: float) -> None:
    """Source: E. S. Pearson, H. O. Hartley, Biometrika Tables for Statisticians I (1966), table 40:
    95 % limits for the expectation of a Poisson variable."""
    assert rate_interval(events, 1.0) == pytest.approx((low, high), abs=0.005)


def test_garwood_covers_as_the_reference_library_says() -> None:
    """Reference: scipy.stats.poisson. At the lower limit, so many events or more have 2.5 %; at the
    upper one, so many or fewer."""
    low, high = rate_interval(7, 60.0)
    assert poisson.sf(6, 60 * low) == pytest.approx(0.025, abs=1e-6)
    assert poisson.cdf(7, 60 * high) == pytest.approx(0.025, abs=1e-6)


def test_the_rule_of_three() -> None:
    """Source: J. A. Hanley, A. Lippman-Hand, JAMA 249 (1983) 1743-1745: none in n, below 3 / n."""
    assert watch_for(1.0 / 300.0) == pytest.approx(3 * 300, rel=0.002)
    assert chance_of_showing(1.0 / 300.0, 900.0) == pytest.approx(0.95, abs=0.001)


def test_a_slow_meter_catches_a_share_of_the_drops_against_simulation() -> None:
    """A 5 ms drop and a meter of 2 readings a second: one in a hundred is caught."""
    assert chance_of_catching(0.005, 0.5) == pytest.approx(0.01)
    assert chance_of_catching(0.5, 0.1) == 1.0
    random = np.random.default_rng(9)
    start = random.uniform(0, 0.1, 200_000)
    caught = np.mean(np.ceil(start / 0.1) * 0.1 < start + 0.03)
    assert chance_of_catching(0.03, 0.1) == pytest.approx(float(caught), abs=0.005)


def test_how_long_clean_after_a_repair() -> None:
    """Worked by hand: 3 events in 10 minutes; (600 / (600 + t))^3 = 0.05 gives t = 1028.7 s. After 20
    events in the same time 97.0 s are enough."""
    assert clean_after_repair(3, 600.0) == pytest.approx(1028.65, abs=0.1)
    assert clean_after_repair(20, 600.0) == pytest.approx(96.98, abs=0.1)


def test_the_conditional_test_keeps_its_promise() -> None:
    """Simulation: an unrepaired fault stays clean that long in at most one case in twenty."""
    random = np.random.default_rng(12)
    fooled = total = 0
    for rate in (0.005, 0.02, 0.1):
        for _ in range(3000):
            events = int(random.poisson(rate * 600))
            if events:
                total += 1
                fooled += random.poisson(rate * clean_after_repair(events, 600.0)) == 0
    assert fooled / total < 0.055


@pytest.mark.parametrize(
    "call",
    [
        lambda: chance_of_catching(-1.0, 1.0),
        lambda: chance_of_catching(1.0, 0.0),
        lambda: rate_interval(-1, 1.0),
        lambda: rate_interval(1, 0.0),
        lambda: clean_after_repair(0, 600.0),
    ],
)
def test_what_can_not_be_asked_is_refused(call: object) -> None:
    with pytest.raises(ValueError, match=r"must|only"):
        call()  # type: ignore[operator] # a function from the table
