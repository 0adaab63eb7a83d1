"""Idles that hunt, misfire or run too fast, weak batteries, and tracks at an end of their percent."""

from typing import Any

import numpy as np
import pytest

from nervus.domain.channel import CHANNEL_KINDS, Channel, FloatArray, Recording
from nervus.domain.finding import OutOfRange
from nervus.domain.suspect import SuspectId
from nervus.engine.idle import engine_state
from nervus.judge.analyse import analyse

RATES = (5.0, 10.0, 20.0)


def logged(rate_hz: float, seconds: float = 60.0, **values: Any) -> Recording:
    """Channels by name: a number, or a function of the time."""
    time_s = np.arange(0.0, seconds, 1.0 / rate_hz)
    made = {
        name: value(time_s) if callable(value) else np.full(time_s.size, value)
        for name, value in values.items()
    }
    return Recording(tuple(Channel(CHANNEL_KINDS[n], time_s, np.round(v, 2)) for n, v in made.items()))


def pedal_pressed(time_s: FloatArray) -> FloatArray:
    """A press of six seconds, after twenty."""
    pressed = (time_s > 20.0) & (time_s < 26.0)
    return np.where(pressed, 12.0 + 30.0 * np.sin((time_s - 20.0) / 6.0 * np.pi), 12.0)


def revs(time_s: FloatArray, idle: float) -> FloatArray:
    noise = np.random.default_rng(4).normal(0.0, 9.0, time_s.size)
    pressed = (time_s > 20.0) & (time_s < 27.0)
    return idle + noise + np.where(pressed, 1_500.0 * np.sin((time_s - 20.0) / 7.0 * np.pi), 0.0)


def hunting(time_s: FloatArray) -> FloatArray:
    return revs(time_s, 800.0) + 150.0 * np.sin(2.0 * np.pi * time_s / 2.5)


def misfiring(time_s: FloatArray) -> FloatArray:
    dips = np.random.default_rng(5).uniform(0.0, 60.0, 60)
    away = (time_s[:, None] - dips) / 0.15
    return np.asarray(revs(time_s, 760.0) - 90.0 * np.exp(-(away**2)).sum(axis=1))


@pytest.mark.parametrize("rate", RATES)
def test_idles_are_told_apart(rate: float) -> None:
    """Common practice, no published source: hunting swings slowly, a misfire dips at once."""

    def state(rpm: Any, coolant: float = 88.0) -> tuple[bool, bool, bool, bool]:
        found = engine_state(logged(rate, tps1_pct=pedal_pressed, rpm=rpm, ect_c=coolant))
        return found.hunts, found.rough, found.high, found.low

    assert state(lambda t: revs(t, 760.0)) == (False, False, False, False)
    assert state(hunting) == (True, False, False, False)
    assert state(misfiring) == (False, True, False, False)
    assert state(lambda t: revs(t, 1_350.0)) == (False, False, True, False)
    assert state(lambda t: revs(t, 1_350.0), 15.0) == (False, False, False, False), "cold, it may"
    assert state(lambda t: revs(t, 500.0)) == (False, False, False, True)


def test_a_drive_is_no_idle_and_a_short_rest_says_nothing() -> None:
    driving = logged(
        10.0, tps1_pct=lambda t: 30.0 + 20.0 * np.sin(t), rpm=lambda t: 1_500.0 + 400.0 * np.sin(t)
    )
    assert engine_state(driving).idle_rpm is None
    short = logged(10.0, 9.0, tps1_pct=lambda t: np.where(t < 3.0, 60.0, 12.0), rpm=hunting)
    assert engine_state(short).idle_rpm is None
    assert engine_state(logged(10.0, tps1_pct=12.0)).idle_rpm is None


@pytest.mark.parametrize(
    ("volts", "rpm", "says"),
    [(14.1, 800, "good"), (11.9, 800, "low"), (12.4, 0, "good"), (11.2, 0, "low")],
)
def test_a_weak_battery_is_told_by_what_the_engine_does(volts: float, rpm: float, says: str) -> None:
    """Source: from memory: above 13.5 V running, 12.4 V and more at rest."""
    found = engine_state(logged(10.0, tps1_pct=12.0, rpm=rpm, batt_v=volts))
    assert found.low_battery is (says == "low")


def test_a_hunting_idle_is_said_and_is_not_laid_on_the_wiring() -> None:
    told = analyse(logged(10.0, tps1_pct=pedal_pressed, rpm=hunting, ect_c=88.0)).judgement
    assert "the idle hunts" in told.headline
    chance = {s.id: s.probability for s in told.suspects}
    assert chance[SuspectId.ELSEWHERE] + chance[SuspectId.THROTTLE_BODY] > 0.5
    assert chance[SuspectId.WIRING] < 0.1


def moves(time_s: FloatArray) -> FloatArray:
    return np.interp(time_s, [0, 5, 8, 12, 20, 22, 30, 60], [16, 16, 60, 16, 16, 80, 80, 16])


@pytest.mark.parametrize("end", [0.0, 100.0])
def test_a_track_at_an_end_of_its_scale_while_its_sister_moves_is_no_plate_that_sticks(
    end: float,
) -> None:
    """Common practice, no published source: a signal that stays at zero or the supply is wire or pin."""
    log = logged(10.0, tps1_pct=end, tps2_pct=lambda t: 100.0 - moves(t), throttle_cmd_pct=moves)
    told = analyse(log)
    (found,) = [f for f in told.examination.findings if isinstance(f, OutOfRange)]
    assert found.channels == ("tps1_pct",)
    assert f"stands at {end:.0f} %" in found.text
    assert told.judgement.suspects[0].id is SuspectId.WIRING


def test_a_throttle_held_shut_or_wide_open_is_at_its_end_and_sound() -> None:
    for held in (0.0, 100.0):
        log = logged(10.0, tps1_pct=held, tps2_pct=100.0 - held, throttle_cmd_pct=held)
        assert analyse(log).examination.findings == ()
