"""The p-value of the scan statistic against its exact distribution.

For n of N points on a line of length one, more than half of them in some window of width w (w up to one
half): P(n; N, w) = (n / w - N - 1) b(n; N, w) + 2 G(n; N, w), with b the binomial probability and G its
upper tail (J. Naus, "The distribution of the size of the maximum cluster of points on a line", JASA 60
(1965) 532-538, in the form of S. Wallenstein and N. Neff, "An approximation for the distribution of the
scan statistic", Statistics in Medicine 6 (1987) 197-207, there exact for n > N / 2; from memory). For
n = N it is the distribution of the range: N w^(N-1) - (N-1) w^N (H. A. David, "Order Statistics").
"""

from math import sqrt

import numpy as np
import pytest
from scipy.stats import binom

from nervus.signal.locality import judge_locality

TIME_S = np.linspace(0.0, 60.0, 12_001)
TRAVEL = 50.0 - 50.0 * np.abs(np.linspace(-1.0, 1.0, 12_001)) * 2.0 + 50.0
DRAWS = 1999


def exact(most: int, points: int, width: float) -> float:
    """Probability of a window of `width` that holds `most` of the points or more."""
    return float(
        (most / width - points - 1) * binom.pmf(most, points, width)
        + 2.0 * binom.sf(most - 1, points, width)
    )


@pytest.mark.parametrize("points", [3, 4, 6])
def test_the_formula_gives_the_distribution_of_the_range(points: int) -> None:
    for width in (0.05, 0.2, 0.5):
        of_range = points * width ** (points - 1) - (points - 1) * width**points
        assert exact(points, points, width) == pytest.approx(of_range)


@pytest.mark.parametrize(
    ("places", "most", "width"),
    [
        ((40.0, 41.0, 41.8), 3, 0.02),
        ((40.0, 42.0, 44.5), 3, 0.05),
        ((40.0, 44.0, 49.0), 3, 0.10),
        ((40.0, 44.0, 49.0, 90.0), 3, 0.10),
        ((10.0, 30.0, 40.0, 42.4, 44.5), 3, 0.05),
        ((5.0, 40.0, 43.0, 46.0, 49.0, 80.0), 4, 0.10),
        ((5.0, 40.0, 41.0, 43.0, 44.9, 80.0, 99.0), 4, 0.05),
    ],
)
def test_the_p_value_is_that_of_the_exact_distribution(
    places: tuple[float, ...], most: int, width: float
) -> None:
    """Time spread evenly over the travel: places are uniform under the null.

    The statistic takes the best of three widths, a narrower one first; so the value must lie between
    that of its own width and the sum of those by which it could be reached as well.
    """
    p_value = judge_locality(np.asarray(places), TRAVEL, TIME_S)[0].p_value
    assert p_value is not None
    narrower = [w for w in (0.02, 0.05, 0.10) if w < width]
    wider = [w for w in (0.05, 0.10) if w > width]
    own = exact(most, len(places), width)
    others = sum(exact(most, len(places), w) for w in narrower)
    others += sum(exact(most + 1, len(places), w) for w in wider if most < len(places))
    spread = 3.0 * sqrt(own * (1.0 - own) / DRAWS) + 1.0 / (DRAWS + 1)
    assert own - spread <= p_value <= own + others + spread
