"""How long it must stay clean, exactly: time in which a fault comes at a rate, or trials that show it.

Both tests are conditional on all that was seen, before and after, so nothing need be known of the rate:
if nothing was mended, each event falls before or after the repair by chance alone.
"""

from math import ceil, exp, inf, lgamma, log

from nervus.domain.repair import Watch

# More trials than this nobody makes: the place of the fault is then to be shown otherwise.
_MOST_TRIALS = 10_000_000


def chance_of_clean(watch: Watch, amount: float) -> float:
    """The chance that so much shows nothing although nothing was mended, 0 to 1.

    Of time, after n events in T: (T / (T + t))^n (J. Przyborowski, H. Wilenski, Biometrika 31 (1940)
    313-323). Of trials, after k of n that showed it: C(n, k) / C(n + m, k), Fisher's exact test
    (R. A. Fisher, "The logic of inductive inference", J. R. Stat. Soc. 98 (1935) 39-82).

    Args:
        watch: how often it failed before, in how much.
        amount: of the same exposure, after the repair.
    """
    if amount <= 0.0:
        return 1.0
    if not watch.exposure.is_counted:
        return float((watch.amount / (watch.amount + amount)) ** watch.events)
    before, after = trials_before(watch), int(amount)
    return exp(_log_choices(before, watch.events) - _log_choices(before + after, watch.events))


def clean_needed(watch: Watch, sure: float | None = None) -> float:
    """The least of the exposure that, without an event, proves the repair; trials are whole.

    Args:
        watch: how often it failed before, in how much.
        sure: with which certainty; the watch's own where none is given.
    """
    left = 1.0 - (watch.sure if sure is None else sure)
    if not watch.exposure.is_counted:
        return float(watch.amount * (left ** (-1.0 / watch.events) - 1.0))
    low, high = 0, 1
    while chance_of_clean(watch, high) > left:
        low, high = high, high * 2
        if high > _MOST_TRIALS:
            return inf
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if chance_of_clean(watch, middle) > left else (low, middle)
    return float(high)


def chance_cured(prior: float, clean: float) -> float:
    """The probability that it is cured now (Bayes' rule).

    Args:
        prior: that the change cured it, before it was watched.
        clean: the chance of what was watched although nothing was mended.
    """
    if prior <= 0.0:
        return 0.0
    return prior / (prior + (1.0 - prior) * clean)


def needed_for(watch: Watch, prior: float) -> float:
    """What has to stay clean until the test is passed, and it is cured with the watch's certainty.

    The second asks for more than the first where the change was an unlikely cure to begin with.
    """
    odds = watch.sure * (1.0 - prior) / ((1.0 - watch.sure) * prior) if prior > 0.0 else inf
    if odds == inf:
        return inf
    # So improbable a clean watch must be without a cure: one certainty for both questions.
    sure = max(watch.sure, 1.0 - 1.0 / max(odds, 1.0))
    return clean_needed(watch, sure)


def trials_before(watch: Watch) -> int:
    """In how many trials it was seen before; never fewer than showed it."""
    return max(ceil(watch.amount), watch.events)


def rates_alike(events: int, amount: float, later_events: int, later_amount: float) -> float:
    """How probable so few events later are if the rate is still the same, 0 to 1 (one-sided).

    The exact conditional test for two Poisson counts (Przyborowski and Wilenski, as above).

    Raises:
        ValueError: an amount that is not above 0, or a negative count.
    """
    if min(amount, later_amount) <= 0.0 or min(events, later_events) < 0:
        raise ValueError("amounts must be above 0 and counts must not be negative")
    total, share = events + later_events, later_amount / (amount + later_amount)
    return min(1.0, sum(_binomial(total, k, share) for k in range(later_events + 1)))


def _binomial(total: int, k: int, share: float) -> float:
    return exp(_log_choices(total, k) + k * log(share) + (total - k) * log(1.0 - share))


def _log_choices(n: int, k: int) -> float:
    return lgamma(n + 1) - lgamma(k + 1) - lgamma(n - k + 1)
