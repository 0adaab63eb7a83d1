"""Locality: do events come back at the same place in the travel, or at any place?

Null hypothesis: an event falls wherever the throttle happens to be, so its place is distributed as
the time spent over the travel. The statistic is the largest count of events in any window of
travel (the scan statistic: J. Naus, "The distribution of the size of the maximum cluster of points
on a line", JASA 60 (1965) 532-538), over several window widths; its p-value comes from simulated
recordings under the null (Monte Carlo test: (b + 1) / (m + 1) of A. C. A. Hope, "A simplified Monte
Carlo significance test procedure", JRSS B 30 (1968) 582-598), with a fixed seed so that a recording
always gets the same answer.
"""

import numpy as np

from nervus.domain.analysis import Locality, Verdict
from nervus.domain.channel import FloatArray
from nervus.domain.finding import Span

# Widths of a worn place, percent of travel: from a scratch to a broad scar.
_WIDTHS_PCT = (2.0, 5.0, 10.0)
# So many simulated events in all, in at least and at most so many simulated recordings: with many
# events each recording tells more, and a p-value of 0.005 is small enough to decide.
_DRAWN_EVENTS, _LEAST_DRAWS, _MOST_DRAWS = 40_000, 199, 1999
_APART_PCT = 1000.0
# Instants enough for the time spent over the travel.
_ENOUGH, _SHARES = 50_000, 1 << 16
_SEED = 20_240_229
# Tied to a place below this, free of it above that; between them the recording does not tell. Of events
# that are free of it, chance alone leaves no more than the second share below it.
_TIED_BELOW = 0.01
_FREE_ABOVE = 0.03
# With fewer events than this "anywhere" can't be claimed: two or three fall apart by chance alone.
LEAST_EVENTS = 5
# Below this, not even a tight cluster says anything.
_LEAST_CLUSTER = 3


def judge_locality(
    event_pct: FloatArray, travel_pct: FloatArray, time_s: FloatArray
) -> tuple[Locality, Span | None]:
    """The verdict, and the window of travel that holds the tightest cluster.

    Args:
        event_pct: travel at each event, shape (k,).
        travel_pct: travel over the recording, shape (n,).
        time_s: its instants, shape (n,).
    """
    count = int(event_pct.size)
    if count < _LEAST_CLUSTER:
        return Locality(count, Verdict.UNDECIDED, None, _too_few(count)), None
    best, _ = _tightest(event_pct)
    draws = _time_weighted_draws(travel_pct, time_s, count)
    observed = _scores(event_pct[np.newaxis, :])[0]
    simulated = _scores(draws)
    as_tight = int(np.count_nonzero(simulated >= observed - 1e-9))
    p_value = (as_tight + 1) / (draws.shape[0] + 1)
    return _verdict(count, round(p_value, 5), best), best


def _verdict(count: int, p_value: float, place: Span) -> Locality:
    if p_value < _TIED_BELOW:
        text = (
            f"The events come back between {place[0]:.0f} and {place[1]:.0f} % of the travel: "
            f"chance alone would do that {_odds(p_value)}."
        )
        return Locality(count, Verdict.POSITION, p_value, text)
    if p_value > _FREE_ABOVE and count >= LEAST_EVENTS:
        return Locality(
            count, Verdict.TIME, p_value, "The events come at any place: tied to time, not travel."
        )
    more = max(2, LEAST_EVENTS - count)
    text = f"Place or clock can't be told from {count} events; about {more} more would."
    return Locality(count, Verdict.UNDECIDED, p_value, text)


def _odds(p_value: float) -> str:
    return f"once in {max(2, round(1 / p_value))} recordings or less"


def _too_few(count: int) -> str:
    if count == 0:
        return "There was no event to place."
    events = f"{count} event{'s' if count > 1 else ''}"
    return f"Place or clock can't be told from {events}; about {LEAST_EVENTS - count} more would."


def _time_weighted_draws(travel_pct: FloatArray, time_s: FloatArray, count: int) -> FloatArray:
    """Places of `count` events in each of the simulated recordings, shape (draws, count)."""
    every = max(1, time_s.size // _ENOUGH)
    travel_pct, time_s = travel_pct[::every], time_s[::every]
    count_of_draws = min(max(_DRAWN_EVENTS // count, _LEAST_DRAWS), _MOST_DRAWS)
    weight = np.gradient(time_s)
    cumulated = np.cumsum(weight) / weight.sum()
    # Where the throttle was after each of so many equal shares of the time.
    shares = np.searchsorted(cumulated, (np.arange(_SHARES) + 0.5) / _SHARES)
    at_share = travel_pct[np.minimum(shares, travel_pct.size - 1)]
    picks = np.random.default_rng(_SEED).integers(_SHARES, size=(count_of_draws, count))
    return np.asarray(at_share[picks], dtype=np.float64)


def _scores(places: FloatArray) -> FloatArray:
    """For each row the best over the widths of (largest count) against (width), shape (rows,).

    A count in a narrow window is worth more than the same count in a wide one; a small premium
    per width makes them comparable while the count still leads.
    """
    ordered = np.sort(places, axis=1)
    rows, size = ordered.shape
    # Rows are laid end to end, far apart, so that one search counts the events of every window.
    line = (ordered + _APART_PCT * np.arange(rows)[:, np.newaxis]).ravel()
    best = np.zeros(rows)
    for rank, width in enumerate(_WIDTHS_PCT):
        counts = np.searchsorted(line, line + width + 1e-9, side="right") - np.arange(line.size)
        best = np.maximum(best, counts.reshape(rows, size).max(axis=1) - 0.4 * rank)
    return best


def _tightest(places: FloatArray) -> tuple[Span, int]:
    """The window with the best score, and how many events it holds."""
    ordered = np.sort(places)
    best_score, best, held = -1.0, (float(ordered[0]), float(ordered[0])), 0
    for rank, width in enumerate(_WIDTHS_PCT):
        last = np.searchsorted(ordered, ordered + width, side="right") - 1
        counts = last - np.arange(ordered.size) + 1
        first = int(np.argmax(counts))
        score = int(counts[first]) - 0.4 * rank
        if score > best_score:
            best_score, held = score, int(counts[first])
            best = (float(ordered[first]), float(ordered[last[first]]))
    return best, held
