"""What was written while nothing was read is no fault: a link that stalls, or is not there yet.

That an engine does not stop, and turn again, from one reading to the next, and that noise does not stand
still, needs no source; that loggers write zeros or the last values meanwhile is common practice, no
published source.
"""

from collections.abc import Callable

import numpy as np
import pytest

from nervus.domain.channel import FloatArray, Recording
from nervus.domain.finding import Drop
from nervus.judge.analyse import analyse
from nervus.signal.instruments.as_read import as_read
from signals import recording, sweeps, volts

TRACKS = ("tps1_v", "tps2_v")
Change = Callable[[FloatArray, slice], FloatArray]


def lines(rate_hz: float) -> tuple[FloatArray, dict[str, FloatArray]]:
    """Two tracks, engine speed and pressure, polled together for half a minute."""
    time_s, travel = sweeps(6, seconds=5.0, rate_hz=rate_hz)
    random = np.random.default_rng(7)
    return time_s, {
        "tps1_v": volts(travel, noise_v=0.004),
        "tps2_v": 5.0 - volts(travel, noise_v=0.004, seed=2),
        "rpm": np.round(random.normal(1800.0, 15.0, time_s.size)),
        "map_kpa": np.round(random.normal(55.0, 1.5, time_s.size), 1),
    }


def held(values: FloatArray, at: slice) -> FloatArray:
    """The last value before goes on."""
    shown = values.copy()
    shown[at] = values[at.start - 1]
    return shown


def nothing(values: FloatArray, at: slice) -> FloatArray:
    """Zeros."""
    shown = values.copy()
    shown[at] = 0.0
    return shown


def written(rate_hz: float, what: Change, only: tuple[str, ...] = ()) -> Recording:
    """At 6 s, at 13 s and at the beginning, for 0.9 s: all of it, or only some, was not read."""
    time_s, made = lines(rate_hz)
    for begin_s in (0.0, 6.1, 13.4) if what is nothing else (6.1, 13.4):
        at = slice(*np.searchsorted(time_s, (begin_s, begin_s + 0.9)).tolist())
        made = {k: v if only and k not in only else what(v, at) for k, v in made.items()}
    return recording(time_s, **made)


@pytest.mark.parametrize("rate_hz", [10.0, 50.0, 200.0])
@pytest.mark.parametrize("what", [held, nothing])
def test_what_was_not_read_is_no_fault(what: Change, rate_hz: float) -> None:
    made = written(rate_hz, what)
    assert analyse(made).examination.findings == ()
    lost = 1.0 - as_read(made).channels[0].samples / made.channels[0].samples
    assert lost == pytest.approx((2.7 if what is nothing else 1.8) / 30.0, abs=0.02)


@pytest.mark.parametrize("rate_hz", [50.0, 200.0])
def test_what_only_the_tracks_show_is_theirs(rate_hz: float) -> None:
    """The engine went on and was read: a sensor held its value, or its supply was gone."""
    stood = written(rate_hz, held, TRACKS)
    assert as_read(stood) is stood
    made = written(rate_hz, nothing, TRACKS)
    assert as_read(made) is made
    found = [f for f in analyse(made).examination.findings if isinstance(f, Drop)]
    assert sum(len(f.times_s) for f in found) >= 2


def test_what_was_not_read_makes_no_rows() -> None:
    """Three stalls in half a minute are no tenth of a row more for each reading."""
    assert [c.rows for c in analyse(written(50.0, nothing)).examination.channels] == [1.0] * 4


@pytest.mark.parametrize("others", [("rpm", "map_kpa"), ("rpm",)])
def test_an_engine_that_runs_down_was_switched_off(others: tuple[str, ...]) -> None:
    """Its tracks are gone at once, its speed within a second: that was read, and told as what it is."""
    time_s, made = lines(20.0)
    off = (time_s > 12.0) & (time_s < 16.0)
    for name in TRACKS:
        made[name] = np.where(off, 0.0, made[name])
    made["rpm"] = np.where(off, np.clip(1800.0 * (13.0 - time_s), 0.0, None), made["rpm"])
    made["map_kpa"] = np.where(off, 100.0, made["map_kpa"])
    shown = recording(time_s, **{k: made[k] for k in (*TRACKS, *others)})
    assert as_read(shown) is shown
    assert analyse(shown).examination.key_off_s


def test_while_its_pressure_goes_on_a_link_was_there() -> None:
    """The speed reads nothing for a moment, and so do the tracks; what the engine breathes was read."""
    time_s, made = lines(50.0)
    off = (time_s > 12.0) & (time_s < 13.0)
    made = {k: v if k == "map_kpa" else np.where(off, 0.0, v) for k, v in made.items()}
    shown = recording(time_s, **made)
    assert as_read(shown) is shown


def test_a_supply_that_feeds_the_pressure_sensor_too_may_be_gone() -> None:
    """Its pressure reads nothing as the tracks do: without the speed nobody knows whose fault it is."""
    time_s, made = lines(50.0)
    off = (time_s > 12.0) & (time_s < 13.0)
    made = {k: np.where(off, 0.0, v) for k, v in made.items() if k != "rpm"}
    shown = recording(time_s, **made)
    assert as_read(shown) is shown
    assert any(isinstance(f, Drop) for f in analyse(shown).examination.findings)


@pytest.mark.parametrize("volts_then", [0.0, 5.0])
def test_a_supply_at_an_end_of_the_range_has_no_noise_there(volts_then: float) -> None:
    """Shorted, it and both tracks read the same again and again: that was read."""
    time_s, made = lines(50.0)
    off = (time_s > 12.0) & (time_s < 13.0)
    lined = {k: np.where(off, volts_then, made[k]) for k in TRACKS}
    supply = 4.9 + np.random.default_rng(5).normal(0.0, 0.004, time_s.size)
    shown = recording(time_s, **lined, vref_v=np.where(off, volts_then, supply))
    assert as_read(shown) is shown


def test_two_tracks_alone_do_not_tell() -> None:
    time_s, made = lines(100.0)
    at = slice(610, 700)
    both = recording(time_s, **{k: held(made[k], at) for k in TRACKS})
    assert as_read(both) is both
