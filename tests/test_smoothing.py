"""What smooths a track is told by its edges: the time constant of a filter that SciPy made.

Source: the step response of a low-pass of first order (any textbook of circuits), as SciPy filters.
"""

import numpy as np
import pytest
from scipy.signal import lfilter

from nervus.domain.channel import FloatArray
from nervus.judge.analyse import analyse
from nervus.judge.words import how_measured
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.told.smoothing import smoothed_s
from signals import recording, sweeps, track, volts


def _measured(
    tau_s: float, rate_hz: float = 2000.0, away_s: float = 0.2, count: int = 7
) -> float | None:
    """A line that opens some times, behind such a low-pass: what is told to smooth it."""
    time_s, travel = sweeps(6, seconds=5.0, rate_hz=rate_hz)
    values = volts(travel)
    for start in np.linspace(1.7, 27.3, count):
        values[(time_s > start) & (time_s < start + away_s)] = 0.02
    values = _low_pass(values, tau_s * rate_hz) + np.random.default_rng(1).normal(
        0.0, 0.002, time_s.size
    )
    made = analyse(recording(time_s, tps1_v=values)).examination.channels[0]
    assert ("smoothed over" in how_measured(made)) is (made.smoothed_s is not None)
    return made.smoothed_s


def _low_pass(values: FloatArray, samples: float) -> FloatArray:
    if not samples:
        return values
    kept = float(np.exp(-1.0 / samples))
    out, _ = lfilter([1.0 - kept], [1.0, -kept], values, zi=[kept * values[0]])
    return np.asarray(out)


@pytest.mark.parametrize("tau_s", [0.001, 0.002, 0.004])
def test_the_time_constant_of_an_input_is_read_off_the_returns(tau_s: float) -> None:
    assert _measured(tau_s) == pytest.approx(tau_s, rel=0.06)


def test_what_is_not_known_is_not_told() -> None:
    assert _measured(0.0) is None
    assert _measured(0.0003) is None  # shorter than the samples can show
    assert _measured(0.002, count=2) is None  # too few edges
    assert _measured(0.010, away_s=0.05) is None  # never away for good
    assert _measured(0.002, rate_hz=100.0) is None


def test_contacts_that_close_slower_and_slower_are_no_filter() -> None:
    time_s, travel = sweeps(6, seconds=5.0, rate_hz=2000.0)
    values = volts(travel)
    for n, start in enumerate(np.linspace(1.7, 27.3, 8)):
        away = (time_s > start) & (time_s < start + 0.15)
        back = np.clip((time_s - start - 0.15) / (0.0015 * 1.9**n), 0.0, 1.0)
        values = np.where(
            away, 0.02, np.where((back > 0) & (back < 1), 0.02 + (values - 0.02) * back, values)
        )
    assert analyse(recording(time_s, tps1_v=values)).examination.channels[0].smoothed_s is None


def test_a_track_that_is_behind_where_it_was_away_has_no_return() -> None:
    """It stays at the level that it fell to, to the last bit: a rail, or a converter that stopped."""
    time_s = np.arange(0.0, 2.0, 0.001)
    dead = track(time_s, np.full(time_s.size, 2.0))
    assert smoothed_s(dead, [Excursion((0.5, 0.6), 40.0, 40.0, 0.0, 100)] * 5) is None
