"""What a program makes of readings when it writes them down is undone before anything is judged.

That an export changes no fact needs no source; that loggers repeat the last value, write only what is
new or draw lines between readings is common practice, no published source.
"""

import zlib

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from altered import step_of
from analysis_fingerprints import recordings
from exported import WAYS, last_values, on_change, rows_on_change
from nervus.domain.channel import FloatArray
from nervus.judge.analyse import analyse
from nervus.signal.instruments.as_read import as_read
from nervus.signal.instruments.sampling import converter_step
from signals import recording, sweeps, volts
from test_altered import STEADY, gist

UNDONE = ("last values", "last, near", "lines", "on change", "rows on change", "tenths", "some twice")
# A lone reading that lines smear over two rows is told besides what it is: half a row of it is lost. And
# where one row in eight is a repeat and little is quick, it does not show.
UNLIKE = {
    ("contactless-drop-outs", "lines"),
    ("wiper-opens-1", "lines"),
    ("drifting-track", "last, near"),
}


@pytest.mark.parametrize("name", STEADY)
def test_the_same_is_told_however_it_was_written_down(name: str) -> None:
    made = recordings()[name]()
    plain = gist(analyse(made), {})
    for way in UNDONE:
        written = WAYS[way](made, np.random.default_rng(zlib.crc32(f"{name}{way}".encode())))
        if written is not None and (name, way) not in UNLIKE:
            assert gist(analyse(written), {}) == plain, way


def rounded(values: FloatArray, step: float = 5.0 / 1023.0) -> FloatArray:
    """As a converter of ten bits reads it."""
    return np.round(values / step) * step


@settings(deadline=None, max_examples=30)
@given(st.integers(0, 10_000), st.sampled_from([50.0, 200.0]))
def test_what_was_left_out_is_written_out_again(seed: int, rate_hz: float) -> None:
    """Each reading, at its instant: nothing is lost by leaving out what had not changed."""
    time_s, travel = sweeps(3, seconds=20.0, rate_hz=rate_hz)
    made = recording(
        time_s,
        tps1_v=rounded(volts(travel, noise_v=0.003, seed=seed)),
        tps2_v=rounded(5.0 - volts(travel, noise_v=0.003, seed=seed + 1)),
    )
    for way in (on_change(0.0), rows_on_change):
        written = way(made, np.random.default_rng(seed))
        assert written is not None
        assert written.channels[0].samples < 0.99 * time_s.size
        for told, was in zip(as_read(written).channels, made.channels, strict=True):
            # At the end nobody knows for how long nothing was new.
            assert 0 <= was.samples - told.samples <= 1.05 * rate_hz
            shared = told.samples
            assert np.allclose(told.values[:shared], was.values[:shared])
            assert np.allclose(told.time_s[:shared], was.time_s[:shared], atol=0.01 / rate_hz)


def test_lost_readings_are_not_taken_for_unchanged_ones() -> None:
    """One in five never came: nobody knows what it would have read."""
    for seconds in (6.0, 30.0):
        time_s, travel = sweeps(4, seconds=seconds, rate_hz=50.0)
        kept = np.random.default_rng(3).random(time_s.size) > 0.2
        made = recording(time_s[kept], tps1_v=rounded(volts(travel, noise_v=0.003))[kept])
        assert as_read(made) is made


def test_an_engine_that_warms_up_is_read_as_often_as_it_is() -> None:
    """It goes on by one degree at a time, ever more slowly: that is no value that is written again."""
    time_s = np.arange(0.0, 600.0, 0.5)
    made = recording(time_s, ect_c=np.round(90.0 - 70.0 * np.exp(-time_s / 200.0)))
    assert as_read(made) is made


@pytest.mark.parametrize("rows", [1.2, 1.5, 1.8, 2.4, 3.3, 5.7])
@pytest.mark.parametrize("uneven", [0.0, 0.15])
def test_a_reading_need_not_last_a_whole_number_of_rows(rows: float, uneven: float) -> None:
    """Each reading once, and at most one row late."""
    time_s, travel = sweeps(5, seconds=5.0, rate_hz=20.0)
    time_s = time_s + np.random.default_rng(4).uniform(-uneven, uneven, time_s.size) / 20.0
    made = recording(time_s, tps1_v=rounded(volts(travel, noise_v=0.004)))
    written = last_values(rows, rows)(made, np.random.default_rng(1))
    assert written is not None
    (told,) = as_read(written).channels
    assert told.samples == pytest.approx(time_s.size, rel=0.06)
    row_s = 0.05 / rows
    at = np.searchsorted(told.time_s, time_s[:-1] - 1e-6)
    late_s = told.time_s[at.clip(0, told.samples - 1)] - time_s[:-1]
    moving = np.abs(np.gradient(made.channels[0].values))[:-1] > 0.05
    assert np.quantile(late_s[moving], 0.95) <= 1.01 * row_s


@pytest.mark.parametrize("noise_v", [0.0, 0.002, 0.005])
@pytest.mark.parametrize("rate_hz", [20.0, 200.0])
def test_what_was_read_for_itself_is_left_as_it_is(noise_v: float, rate_hz: float) -> None:
    """However slow, quick, quiet or noisy a sweep: no reading of it is taken for a repeat or a line."""
    for seconds in (1.5, 4.0, 9.0):
        time_s, travel = sweeps(6, seconds=seconds, rate_hz=rate_hz)
        made = recording(
            time_s,
            tps1_v=rounded(volts(travel, noise_v=noise_v)),
            tps2_v=np.round(5.0 - volts(travel, noise_v=noise_v, seed=2), 3),
        )
        assert as_read(made) is made


def test_between_lines_there_is_anything_but_a_converter_has_its_step() -> None:
    """A grid just beside the one that was read: what stays is what the converter read."""
    time_s, travel = sweeps(4, seconds=8.0, rate_hz=100.0)
    made = recording(time_s, tps1_v=rounded(volts(travel, noise_v=0.001), 5.0 / 255.0))
    written = WAYS["lines, near"](made, np.random.default_rng(2))
    assert written is not None
    drawn = written.channels[0].values
    assert step_of(drawn) < 0.005
    assert converter_step(drawn, 0.08) == pytest.approx(5.0 / 255.0, abs=0.001)
    assert analyse(written).examination.findings == ()


def test_a_converter_is_no_coarser_for_a_few_moves_of_one_size() -> None:
    """12 bits of 5 V: most of what stays is a step or two apart, some is moved between, by 75 mV."""
    step = 5.0 / 4096.0
    small = [0.0, 1.0, 0.0, 2.0, 1.0, 3.0, 2.0] * 9
    moves = np.asarray([0.0, 61.0] * 40)
    at = np.concatenate((small, moves)) * step
    assert converter_step(np.repeat(at, 2), 0.08) == pytest.approx(step, rel=0.01)
