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


def test_dips_are_told_only_where_the_speed_is_read_often_enough_to_show_them() -> None:
    """Read once a second what is quick is noise between readings: at least three a second are wanted."""

    def dipping(time_s: FloatArray) -> FloatArray:
        return np.asarray(760.0 + 80.0 * (-1.0) ** np.arange(time_s.size), dtype=np.float64)

    for rate, told in ((2.5, False), (5.0, True)):
        assert engine_state(logged(rate, tps1_pct=12.0, rpm=dipping)).rough is told


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


def test_the_idle_is_the_middle_of_what_was_left_alone() -> None:
    """The press and the fall after it are left out; noise of 9 1/min moves a median by less than one."""
    found = engine_state(logged(10.0, tps1_pct=pedal_pressed, rpm=lambda t: revs(t, 760.0)))
    assert found.idle_rpm == pytest.approx(760.0, abs=1.5)


@pytest.mark.parametrize(
    ("rpm", "coolant", "high", "low"),
    [
        (1_140.0, 88.0, False, False), (1_160.0, 88.0, True, False), (1_160.0, 71.0, True, False),
        (1_160.0, 69.0, False, False), (1_590.0, 20.0, False, False), (1_610.0, 20.0, True, False),
        (550.0, 88.0, False, False), (530.0, 88.0, False, True),
    ],
)  # fmt: skip
def test_from_where_on_an_idle_is_fast_or_slow(
    rpm: float,
    coolant: float,
    *,
    high: bool,
    low: bool,
) -> None:
    """Common practice, no published source: warm from some 1150 on, cold from 1600, below 540."""
    found = engine_state(logged(10.0, tps1_pct=12.0, rpm=rpm, ect_c=coolant))
    assert (found.high, found.low) == (high, low)


@pytest.mark.parametrize(
    ("volts", "rpm", "low"),
    [
        (12.15, 800, True), (12.25, 800, False), (11.75, 0, True), (11.85, 0, False), (11.75, 340, True),
        (11.85, 340, False), (11.85, 360, True), (4.0, 800, False), (5.5, 800, True),
    ],
)  # fmt: skip
def test_from_where_on_a_battery_is_weak(volts: float, rpm: float, *, low: bool) -> None:
    """From memory: 12.2 V with the engine running, 11.8 V at rest; below 5 V nothing is connected."""
    assert engine_state(logged(10.0, tps1_pct=12.0, rpm=rpm, batt_v=volts)).low_battery is low


def test_two_swings_are_no_hunting_four_are() -> None:
    """Each of 150 1/min to both sides in two and a half seconds, the rest of the minute steady."""

    def swinging(count: int) -> bool:
        lasts = 2.5 * count + 0.6
        rpm = lambda t: 800.0 + 150.0 * np.sin(2 * np.pi * t / 2.5) * ((t > 10.0) & (t < 10.0 + lasts))  # noqa: E731
        return engine_state(logged(20.0, tps1_pct=12.0, rpm=rpm, ect_c=88.0)).hunts

    assert [swinging(n) for n in (1, 2, 4, 6)] == [False, False, True, True]


def test_an_idle_needs_eight_seconds_four_after_a_release() -> None:
    """It falls to its idle first; a shorter one tells nothing."""

    def idle_of(seconds: float, *, released_s: float) -> float | None:
        pressed = lambda t: np.where((t < released_s) | (t > released_s + seconds), 60.0, 12.0)  # noqa: E731
        return engine_state(logged(10.0, 90.0, tps1_pct=pressed, rpm=800.0)).idle_rpm

    assert idle_of(11.5, released_s=20.0) is None
    assert idle_of(12.6, released_s=20.0) == 800.0
    assert idle_of(7.5, released_s=0.0) is None
    assert idle_of(8.6, released_s=0.0) == 800.0


@pytest.mark.parametrize(("swing", "idles"), [(150.0, True), (400.0, False)])
def test_without_a_throttle_an_idle_is_a_speed_that_keeps_still(swing: float, *, idles: bool) -> None:
    """Nothing tells when it was left alone: a speed that moves by more than 500 1/min was driven."""
    found = engine_state(logged(10.0, rpm=lambda t: 900.0 + swing * np.sin(t / 5.0)))
    assert (found.idle_rpm is not None) is idles
