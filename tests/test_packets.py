"""Readings that a link sent in packets were read evenly, whatever their stamps say.

That links collect readings and stamp them as they come in is common practice, no published source.
"""

import numpy as np
import pytest

from exported import coarse_clock, in_packets, on_change
from nervus.domain.channel import Recording
from nervus.domain.finding import Drop
from nervus.judge.analyse import analyse
from nervus.signal.instruments.as_read import as_read
from nervus.signal.instruments.packets import evenly_stamped
from signals import recording, sweeps, volts


def sent(made: Recording, seed: int = 1) -> Recording:
    """The same as it came in."""
    written = in_packets(made, np.random.default_rng(seed))
    assert written is not None
    return written


@pytest.mark.parametrize("rate_hz", [10.0, 30.0, 100.0])
def test_each_reading_is_put_back_to_about_when_it_was_taken(rate_hz: float) -> None:
    time_s, travel = sweeps(8, seconds=4.0, rate_hz=rate_hz)
    made = recording(
        time_s, tps1_v=volts(travel, noise_v=0.002), tps2_v=5.0 - volts(travel, noise_v=0.002)
    )
    written = sent(made)
    assert np.max(np.diff(written.channels[0].time_s)) > 3.0 / rate_hz
    told = as_read(written)
    for c in told.channels:
        assert c.samples == time_s.size
        # All of them later alike, by as long as the link collects; hardly one against the next.
        late_s = c.time_s - time_s
        assert np.ptp(np.percentile(late_s, [2.0, 98.0])) < 1.0 / rate_hz
        assert np.median(np.diff(c.time_s)) == pytest.approx(1.0 / rate_hz, rel=0.1)
    assert analyse(written).examination.findings == ()


def test_what_was_read_as_quickly_as_it_is_stamped_is_left_as_it_is() -> None:
    """Five readings within ten milliseconds, then none for a fifth of a second, as some loggers read."""
    time_s, travel = sweeps(8, seconds=4.0, rate_hz=500.0)
    some = np.arange(time_s.size) % 100 < 5
    made = recording(time_s[some], tps1_v=volts(travel[some], noise_v=0.002))
    assert as_read(made) is made


@pytest.mark.parametrize("step_s", [0.1, 1.0])
def test_a_coarse_clock_is_read_before_what_it_stamps(step_s: float) -> None:
    """Stamped 12.3 is what was read from then on up to 12.4: no packet that came in then."""
    time_s, travel = sweeps(8, seconds=4.0, rate_hz=50.0)
    written = coarse_clock(step_s)(
        recording(time_s, tps1_v=volts(travel, noise_v=0.002)), np.random.default_rng(1)
    )
    assert written is not None
    assert as_read(written).channels[0].time_s == pytest.approx(time_s, abs=0.021)


def test_what_was_written_only_as_it_changed_came_in_no_packets() -> None:
    """It is moved for a moment now and then: all of its motion is where the readings are close."""
    at = np.cumsum(np.tile([2.0, 0.3], 12))
    time_s = np.arange(0.0, at[-1], 0.02)
    travel = np.interp(time_s, at, np.repeat([0.0, 60.0, 0.0, 80.0, 20.0, 90.0], 4))
    written = on_change(0.004)(recording(time_s, tps1_v=volts(travel)), np.random.default_rng(1))
    assert written is not None
    assert evenly_stamped(written.channels) is written.channels


def test_a_drop_is_found_where_it_was_however_it_was_sent() -> None:
    time_s, travel = sweeps(8, seconds=4.0, rate_hz=40.0)
    one = volts(travel, noise_v=0.002)
    one[(time_s >= 13.0) & (time_s < 13.3)] = 0.02
    written = sent(recording(time_s, tps1_v=one, tps2_v=5.0 - volts(travel, noise_v=0.002, seed=2)))
    (found,) = analyse(written).examination.findings
    assert isinstance(found, Drop)
    assert found.channels == ("tps1_v",)
    # Later by no more than a packet takes, eight readings at the most.
    ((start_s, end_s),) = found.times_s
    assert 13.0 <= start_s <= 13.25
    assert end_s - start_s == pytest.approx(0.3, abs=0.1)


def test_channels_that_are_sent_by_turns_are_spread_each_by_itself() -> None:
    time_s, travel = sweeps(8, seconds=4.0, rate_hz=25.0)
    turn_s = time_s + 0.02
    own = recording(time_s, tps1_v=volts(travel, noise_v=0.002)).channels
    hers = recording(
        turn_s, tps2_v=5.0 - volts(np.interp(turn_s, time_s, travel), noise_v=0.002)
    ).channels
    written = sent(Recording((*own, *hers)))
    assert analyse(written).examination.findings == ()
