"""Intervals for what was seen k times of n."""

from math import sqrt

# Two-sided 95 % point of the normal distribution.
_Z95 = 1.959963984540054


def wilson(seen: int, of: int, z: float = _Z95) -> tuple[float, float]:
    """Wilson score interval for a share seen `seen` times of `of`.

    Source: E. B. Wilson, "Probable inference, the law of succession, and statistical inference",
    Journal of the American Statistical Association 22 (1927) 209-212.

    Returns:
        Lower and upper bound, 0 to 1; (0, 1) where nothing was tried.
    """
    if not 0 <= seen <= of:
        raise ValueError(f"seen must lie between 0 and of, but got {seen} of {of}")
    if of == 0:
        return 0.0, 1.0
    share = seen / of
    centre = share + z * z / (2 * of)
    half = z * sqrt(share * (1 - share) / of + z * z / (4 * of * of))
    scale = 1 + z * z / of
    return max(0.0, (centre - half) / scale), min(1.0, (centre + half) / scale)
