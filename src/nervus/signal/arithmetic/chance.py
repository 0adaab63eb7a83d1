"""Chance of seeing: what a recording could have shown, and how long it must stay clean.

Interruptions are taken as a Poisson process: they come at a rate, and know nothing of each other. All
intervals are exact (Garwood), not approximations.
"""

from math import ceil, exp, log

# What "sure" means where nothing else is said.
SURE = 0.95


def chance_of_catching(length_s: float, interval_s: float) -> float:
    """Probability that an interruption of that length falls on at least one sample, 0 to 1.

    Samples come every `interval_s` and the interruption starts anywhere between two of them.

    Raises:
        ValueError: a length below 0 or an interval not above 0.
    """
    if length_s < 0 or interval_s <= 0:
        raise ValueError("a length must not be negative and an interval must be above 0")
    return min(1.0, length_s / interval_s)


def chance_of_showing(rate_per_s: float, watched_s: float, catching: float = 1.0) -> float:
    """Probability that a fault of that rate shows at least once while one watches.

    Args:
        rate_per_s: how often it comes.
        watched_s: for how long one watches.
        catching: the share of its interruptions that the sampling catches.
    """
    return 1.0 - exp(-rate_per_s * watched_s * catching)


def watch_for(rate_per_s: float, catching: float = 1.0, sure: float = SURE) -> float:
    """How many seconds to watch until a fault of that rate has shown with probability `sure`.

    With no event in that time the rate is below `rate_per_s` with the same confidence: the rule of
    three, for -ln(0.05) = 2.996 (J. A. Hanley, A. Lippman-Hand, "If nothing goes wrong, is everything
    all right?", JAMA 249 (1983) 1743-1745).
    """
    return -log(1.0 - sure) / (rate_per_s * catching)


def rate_interval(events: int, watched_s: float, sure: float = SURE) -> tuple[float, float]:
    """Exact two-sided interval for the rate of events, per second.

    Source: F. Garwood, "Fiducial limits for the Poisson distribution", Biometrika 28 (1936) 437-442.

    Raises:
        ValueError: a negative count, or no time watched.
    """
    if events < 0 or watched_s <= 0:
        raise ValueError("a count must not be negative and the time must be above 0")
    from scipy.special import gammaincinv  # noqa: PLC0415 - loaded when first needed: start-up

    tail = (1.0 - sure) / 2.0
    low = float(gammaincinv(events, tail)) if events else 0.0
    return low / watched_s, float(gammaincinv(events + 1, 1.0 - tail)) / watched_s


def clean_after_repair(events: int, watched_s: float, sure: float = SURE) -> float:
    """How many seconds it must stay clean before a repair is believed, given how often it failed.

    If the fault were still there at its old rate, the chance that the next `t` seconds show nothing,
    after `n` events in `T` seconds, is at most (T / (T + t))^n: given the total, each event falls into
    either time in proportion to its length (the exact conditional test for two Poisson counts,
    J. Przyborowski, H. Wilenski, Biometrika 31 (1940) 313-323). The time is the least that brings it
    down to 1 - `sure`.

    Raises:
        ValueError: no event was seen before, so nothing can be proved by their absence.
    """
    if events < 1 or watched_s <= 0:
        raise ValueError("a repair can be proved only where the fault had shown before")
    return float(ceil(1000 * watched_s * ((1.0 - sure) ** (-1.0 / events) - 1.0)) / 1000)


def at_least(seen: int, of: int, chance: float) -> float:
    """A bound of the probability of so many or more out of some, each with a chance of its own.

    H. Chernoff, "A measure of asymptotic efficiency for tests of a hypothesis based on the sum of
    observations", Annals of Mathematical Statistics 23 (1952) 493-507, for the binomial distribution.
    """
    share = seen / of
    if share <= chance:
        return 1.0
    if chance <= 0.0:
        return 0.0
    rest = (1.0 - share) * log((1.0 - share) / (1.0 - chance)) if share < 1.0 else 0.0
    return exp(-of * (share * log(share / chance) + rest))
