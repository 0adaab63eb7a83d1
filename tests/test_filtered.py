"""What a unit shows behind the low-pass of its inputs is taken back to what came in.

Source: the step response of a low-pass of first order (any textbook of circuits), as SciPy filters.
"""

import numpy as np
import pytest
from scipy.signal import lfilter

from nervus.domain.channel import FloatArray, Recording
from nervus.domain.finding import Drop, Shared
from nervus.judge.analyse import analyse
from nervus.judge.words import how_measured
from nervus.signal.instruments.as_read import as_read
from nervus.signal.instruments.filtered import without_filter
from signals import recording, sweeps, volts

# What came in is made so finely; ten bits over 5 V.
FINE_HZ = 5000.0
STEP_V = 5.0 / 1023.0


def low_pass(values: FloatArray, constant_s: float) -> FloatArray:
    kept = float(np.exp(-1.0 / (FINE_HZ * constant_s)))
    out, _ = lfilter([1.0 - kept], [1.0, -kept], values, zi=[kept * values[0]])
    return np.asarray(out)


def seen(values: FloatArray, constant_s: float, rate_hz: float, step_v: float) -> FloatArray:
    """What a unit reads of it, each reading a whole number of its converter's steps."""
    every = round(FINE_HZ / rate_hz)
    noise = np.random.default_rng(7).normal(0.0, 0.002, values.size)
    return np.round((low_pass(values, constant_s) + noise)[::every] / step_v) * step_v


def fallen_out(*, count: int = 5, away_s: float = 0.15) -> tuple[FloatArray, FloatArray, list[float]]:
    """A sensor that goes to 2.2 V for moments while it is swept: instants, volts, when."""
    time_s, travel = sweeps(6, seconds=5.0, rate_hz=FINE_HZ)
    values, begins = volts(travel), np.linspace(2.13, 26.57, count).tolist()
    for begin in begins:
        values[(time_s >= begin) & (time_s < begin + away_s)] = 2.2
    return time_s, values, begins


def read(values: FloatArray, rate_hz: float, **second: FloatArray) -> Recording:
    return recording(np.arange(values.size) / rate_hz, tps1_v=values, **second)


@pytest.mark.parametrize("constant_s", [0.011, 0.014, 0.022])
@pytest.mark.parametrize("rate_hz", [50.0, 100.0])
@pytest.mark.parametrize("step_v", [5.0 / 255.0, 5.0 / 4095.0])
def test_the_time_constant_is_learned_and_what_came_in_is_had_again(
    constant_s: float, rate_hz: float, step_v: float
) -> None:
    _, values, _ = fallen_out()
    (channel,) = without_filter(read(seen(values, constant_s, rate_hz, step_v), rate_hz)).channels
    assert channel.low_pass_s == pytest.approx(constant_s, rel=0.15)
    every = round(FINE_HZ / rate_hz)
    kept = np.exp(-1.0 / (rate_hz * constant_s))
    off = np.abs(channel.values - values[::every])
    # But for the reading at which it leaps, to a step of the converter as it is known before the filter.
    assert np.percentile(off, 97.0) < 0.02 + 1.5 * (step_v + 0.004) / (1.0 - kept)


@pytest.mark.parametrize("constant_s", [0.0, 0.014])
@pytest.mark.parametrize("rate_hz", [50.0, 100.0, 200.0])
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_a_plate_that_snaps_and_lands_is_no_filter(constant_s: float, rate_hz: float, seed: int) -> None:
    """A spring takes it from stop to stop in 70 ms or more, from standing, and the stop holds it."""
    random = np.random.default_rng(seed)
    time_s = np.arange(0.0, 40.0, 1.0 / FINE_HZ)
    travel = np.zeros(time_s.size)
    for begin in np.arange(1.0, 38.0, 2.0):
        opens, shuts, top = random.uniform(0.1, 0.6), random.uniform(0.07, 0.15), random.uniform(30, 100)
        up = np.clip((time_s - begin) / opens, 0.0, 1.0)
        # With a spring's pull alone the way grows with the square of the time.
        down = np.clip((time_s - begin - 1.0) / shuts, 0.0, 1.0)
        travel += top * (up**2 * (3.0 - 2.0 * up) - down**2)
    values = volts(travel)
    shown = (
        seen(values, constant_s, rate_hz, 0.0049) if constant_s else values[:: round(FINE_HZ / rate_hz)]
    )
    as_it_was = read(shown, rate_hz)
    assert without_filter(as_it_was) is as_it_was


def test_a_line_that_discharges_slowly_and_is_back_at_once_is_no_filter() -> None:
    time_s, travel = sweeps(6, seconds=5.0, rate_hz=FINE_HZ)
    values = volts(travel)
    for begin in np.linspace(2.13, 26.57, 7):
        there = (time_s >= begin) & (time_s < begin + 0.2)
        values[there] *= np.exp(-(time_s[there] - begin) / 0.03)
    as_it_was = read(values[::50], 100.0)
    assert without_filter(as_it_was) is as_it_was


def test_two_leaps_are_too_few_and_what_keeps_too_little_or_too_much_is_left() -> None:
    _, few, _ = fallen_out(count=1)
    _, values, _ = fallen_out()
    for shown, rate_hz in (
        (seen(few, 0.014, 100.0, 0.0049), 100.0),
        (seen(values, 0.002, 100.0, 0.0049), 100.0),
        (seen(values, 0.060, 100.0, 0.0049), 100.0),
        (seen(values, 0.014, 500.0, 0.0049), 500.0),
        (seen(values, 0.040, 25.0, 0.0049), 25.0),
        (seen(values, 0.045, 50.0, 0.0049), 50.0),  # a plate on a motor is as slow
    ):
        as_it_was = read(shown, rate_hz)
        assert without_filter(as_it_was) is as_it_was


def test_percent_stays_percent_and_stamps_that_come_twice_do_no_harm() -> None:
    _, values, _ = fallen_out()
    shown = (seen(values, 0.014, 100.0, 0.001) - 0.5) / 0.04
    percent = np.asarray(np.round(shown.clip(0.0, 100.0), 1), dtype=np.float64)
    time_s = np.arange(percent.size) / 100.0
    time_s[500] = time_s[499]
    (channel,) = without_filter(recording(time_s, tps1_pct=percent)).channels
    assert channel.low_pass_s == pytest.approx(0.014, rel=0.15)
    assert np.isfinite(channel.values).all()
    assert channel.values.min() >= 0.0
    assert channel.values.max() <= 100.0


def test_electronics_that_fall_out_behind_a_filter_are_told_as_such() -> None:
    """Both tracks go to where a shaft could be over several readings: it looks as if it had moved."""
    time_s, travel = sweeps(6, seconds=5.0, rate_hz=FINE_HZ)
    one, two = volts(travel), 5.0 - volts(travel)
    begins = [2.13, 6.41, 12.92, 16.17, 23.4, 28.73]
    for begin in begins:
        away = (time_s >= begin) & (time_s < begin + 0.15)
        one[away], two[away] = 2.2, 2.8
    made = read(seen(one, 0.018, 100.0, STEP_V), 100.0, tps2_v=seen(two, 0.018, 100.0, STEP_V))
    told = analyse(made).examination
    drops = [f for f in told.findings if isinstance(f, Drop)]
    assert [f.times_s[0][0] for f in drops] == pytest.approx(begins, abs=0.02)
    assert len(told.findings) == len(drops)
    assert all(f.channels == ("tps1_v", "tps2_v") for f in drops)
    assert all(f.shared is Shared.ELECTRONICS for f in drops)
    # Of whichever went further.
    assert all(min(abs(f.level - 2.2), abs(f.level - 2.8)) < 0.08 for f in drops)
    # What was measured is told as it was measured, with what smooths it.
    assert told.channels[0].step == pytest.approx(STEP_V, abs=0.001)
    assert told.channels[0].smoothed_s == pytest.approx(0.018, rel=0.15)
    assert "smoothed over" in how_measured(told.channels[0])
    assert as_read(made).channels[1].low_pass_s == as_read(made).channels[0].low_pass_s
