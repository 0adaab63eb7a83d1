"""How each channel was measured, told of signals whose noise, steps and instants were chosen here."""

from dataclasses import replace

import numpy as np
import pytest

from nervus.domain.channel import Recording
from nervus.files.answer import plain_report
from nervus.judge.analyse import analyse
from nervus.judge.words import how_measured
from signals import channel, sweeps, volts

STEP_V, NOISE_V, LATER_S = 0.005, 0.008, 0.004


def of_two_loggers(later_s: float = LATER_S, drift: float = 0.0) -> Recording:
    time_s, travel = sweeps(8, rate_hz=200.0)
    # It stands at both stops for a while, as a foot lets it.
    travel = np.clip(1.6 * travel - 30.0, 0.0, 100.0)
    first = np.round(volts(travel, noise_v=NOISE_V) / STEP_V) * STEP_V
    second = np.round((5.0 - volts(travel, noise_v=NOISE_V, seed=2)) / STEP_V) * STEP_V
    # Its logger stamps later than it reads, and later still with every second.
    stamps = time_s + later_s + drift * time_s
    return Recording((channel("tps1_v", time_s, first), channel("tps2_v", stamps, second)))


def test_noise_step_and_lag_are_told_as_they_were_made() -> None:
    one, two = analyse(of_two_loggers()).examination.channels
    # A converter adds step / sqrt(12) of its own (Bennett 1948, Spectra of quantized signals).
    expected = float(np.hypot(NOISE_V, STEP_V / np.sqrt(12.0)))
    assert one.noise == pytest.approx(expected, rel=0.1)
    assert two.noise == pytest.approx(expected, rel=0.1)
    assert one.step == pytest.approx(STEP_V)
    assert one.rows == 1.0
    assert one.lag_s == 0.0
    assert two.lag_s == pytest.approx(LATER_S, abs=0.001)


def test_a_second_logger_s_clock_is_told() -> None:
    _, two = analyse(of_two_loggers(0.2, 1e-3)).examination.channels
    assert two.lag_s == pytest.approx(0.2, abs=0.005)
    assert two.drift == pytest.approx(1e-3, abs=2e-4)
    assert "its clock off by" in how_measured(two)


def test_values_that_are_written_again_are_counted() -> None:
    time_s, travel = sweeps(8, rate_hz=200.0)
    written = np.repeat(volts(travel[::10], noise_v=NOISE_V), 10)
    (told,) = analyse(Recording((channel("tps1_v", time_s, written),))).examination.channels
    assert told.rows == pytest.approx(10.0, abs=0.1)
    assert "a value each 50 ms, 10 rows a reading" in how_measured(told)
    assert "125 rows a reading" in how_measured(replace(told, rows=125.0))


def test_what_was_not_written_while_nothing_was_new_is_told() -> None:
    time_s, travel = sweeps(3, seconds=20.0, rate_hz=50.0)
    values = np.round(volts(travel, noise_v=NOISE_V) / STEP_V) * STEP_V
    new = np.append(True, np.diff(values) != 0.0)
    (told,) = analyse(Recording((channel("tps1_v", time_s[new], values[new]),))).examination.channels
    assert told.rows == pytest.approx(np.mean(new), abs=0.01)
    assert "a value each 20 ms, not written while nothing was new" in how_measured(told)


def test_the_report_says_it_of_each_channel_in_its_unit() -> None:
    recording = of_two_loggers()
    report = plain_report("x", analyse(recording))
    assert "tps1_v: a value each 5 ms, steps of 5.0 mV, noise 8." in report
    assert "ms behind its sister" in report
