"""What the engine breathes, as a witness of whether its plate moved.

The engine is one of two litres whose manifold fills and empties by the orifice and pump formulas that
`test_air_flow.py` holds against a reference library; plate, bore and manifold are from memory.
"""

from dataclasses import replace
from functools import lru_cache

import numpy as np
import pytest

from nervus.domain.channel import FloatArray, Recording
from nervus.domain.finding import Drop
from nervus.engine.air_flow import R_AIR, STANDARD_K, STANDARD_PA, orifice_flow, plate_area, pump_flow
from nervus.judge.analyse import analyse
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.explained.breathed import who_breathed
from nervus.signal.explained.goes_with import GoesWith
from signals import channel, track

MANIFOLD_M3, SWEPT_M3, BORE_M, STEP_S = 0.003, 0.002, 0.06, 0.005
EVERY_S, LASTS_S = 0.1, 80.0
FALL_S, FALL_PCT = (40.0, 40.35), 45.0


def manifold_kpa(travel: FloatArray, speed: FloatArray) -> FloatArray:
    """The pressure behind a plate, step by step of `STEP_S`, shape (n,)."""
    area = plate_area(0.8 * travel, BORE_M)
    ambient, behind = np.asarray([STANDARD_PA]), 35_000.0
    told = np.empty(travel.size)
    for at in range(travel.size):
        pressure = np.asarray([behind])
        into = orifice_flow(area[at : at + 1], ambient, pressure)[0]
        out = pump_flow(speed[at : at + 1], pressure, STANDARD_K, SWEPT_M3)[0]
        behind += STEP_S * R_AIR * STANDARD_K / MANIFOLD_M3 * float(into - out)
        behind = min(behind, STANDARD_PA)
        told[at] = behind / 1000.0
    return told


@lru_cache(maxsize=4)
def driven(*, went: bool, least: float = 0.0) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray]:
    """Instants, opening as the sensor has it, speed and pressure, read ten times a second.

    The opening swings between `least` and 35 %; for a moment the sensor says 45 %, as the plate `went`.
    """
    time_s = np.arange(0.0, LASTS_S, STEP_S)
    random = np.random.default_rng(4)
    ends = random.uniform(least, 35.0, int(LASTS_S / 1.6) + 2)
    at = 1.6 * np.arange(ends.size) + random.uniform(0.0, 0.5, ends.size)
    plate = np.interp(time_s, at, ends)
    off = (time_s >= FALL_S[0]) & (time_s <= FALL_S[1])
    beside = np.clip(np.abs(time_s - np.mean(FALL_S)) - 0.8, 0.0, 0.7) / 0.7
    plate = 10.0 + beside * (plate - 10.0)
    said = np.where(off, FALL_PCT, plate)
    speed = 1800.0 + 900.0 * np.sin(2.0 * np.pi * time_s / 23.0)
    pressure = np.round(manifold_kpa(said if went else plate, speed))
    every = slice(None, None, round(EVERY_S / STEP_S))
    return time_s[every], said[every], speed[every], pressure[every]


def recorded(*, went: bool, air: str = "map_kpa", mirrored: bool = False) -> Recording:
    """The tracks of the throttle, engine speed and air."""
    time_s, said, speed, pressure = driven(went=went)
    first = 0.5 + 0.04 * said
    values = pressure * speed / 20_000.0 if air == "maf_gs" else pressure
    made = (
        ("tps1_v", 0.0, 5.0 - first if mirrored else first), ("tps2_v", 0.03, first),
        ("rpm", 0.05, speed), (air, 0.07, values),
    )  # fmt: skip
    return Recording(tuple(channel(name, time_s + late, v) for name, late, v in made))


def asked(made: Recording) -> tuple[GoesWith | None, float]:
    """The witness of a recording, and what it says of the moment, in nats for motion."""
    own = track(made.channels[0].time_s, made.channels[0].values)
    inside = (own.time_s >= FALL_S[0]) & (own.time_s <= FALL_S[1])
    span = (float(own.time_s[inside][0]), float(own.time_s[inside][-1]))
    beside = float(own.level[np.flatnonzero(inside)[0] - 1])
    excursion = Excursion(span, beside, beside, float(own.level[inside].max()), int(inside.sum()))
    witness = who_breathed(made, [own], {own.id: (excursion,)})
    return witness, 0.0 if witness is None else witness.says(own, excursion)


@pytest.mark.parametrize("air", ["map_kpa", "load_pct", "maf_gs"])
@pytest.mark.parametrize("mirrored", [False, True])
def test_air_that_stays_speaks_against_a_plate_that_never_was_so_far_open(
    air: str, *, mirrored: bool
) -> None:
    """The plate never was at 45 %: what was breathed at less is the least that it would breathe."""
    assert asked(recorded(went=False, air=air, mirrored=mirrored))[1] < -4.0
    assert asked(recorded(went=True, air=air, mirrored=mirrored))[1] > -0.5


def test_air_that_goes_along_speaks_for_motion() -> None:
    """What was breathed at more is the most that a plate that stayed would breathe."""
    assert asked(recorded(went=True))[1] > 2.0


@pytest.mark.parametrize("gone", ["rpm", "map_kpa"])
def test_without_speed_or_air_there_is_no_witness(gone: str) -> None:
    made = recorded(went=False)
    left = replace(made, channels=tuple(c for c in made.channels if c.id != gone))
    assert asked(left)[0] is None


def test_an_engine_that_stands_is_no_witness() -> None:
    made = recorded(went=False)
    stands = tuple(
        channel("rpm", c.time_s, np.zeros(c.samples)) if c.id == "rpm" else c for c in made.channels
    )
    assert asked(replace(made, channels=stands))[0] is None


def test_air_that_never_changes_or_is_told_seldom_is_no_witness() -> None:
    made = recorded(went=False)
    for late, values in (
        (slice(None), lambda v: np.full(v.size, 40.0)),
        (slice(None, None, 4), np.copy),
    ):
        air = made.channels[-1]
        other = channel(air.id, air.time_s[late], values(air.values[late]))
        assert asked(replace(made, channels=(*made.channels[:-1], other)))[0] is None


def test_air_that_comes_late_says_less() -> None:
    """A unit that tells it seven tenths of a second later: while the plate moves it is nowhere near."""
    made = recorded(went=True)
    air = made.channels[-1]
    late = channel(air.id, air.time_s + 0.7, air.values)
    assert abs(asked(replace(made, channels=(*made.channels[:-1], late)))[1]) < 3.0


def test_a_sensor_that_falls_out_while_the_engine_breathes_on_is_told() -> None:
    """Both outputs of one sensor go to one level; seen ten times a second it could be a foot."""
    findings = analyse(recorded(went=False)).examination.findings
    (drop,) = [f for f in findings if isinstance(f, Drop)]
    assert drop.channels == ("tps1_v", "tps2_v")
    assert drop.times_s[0][0] == pytest.approx(FALL_S[0], abs=0.15)
    assert not any(isinstance(f, Drop) for f in analyse(recorded(went=True)).examination.findings)


def test_two_tracks_have_the_air_asked_though_neither_left_by_itself() -> None:
    """What left a rest on both and came back is told later: a foot that blips, or a feed that fails."""
    made = recorded(went=True)
    both = [track(c.time_s, c.values, c.id) for c in made.channels[:2]]
    witness = who_breathed(made, both, {t.id: () for t in both})
    assert witness is not None
    assert set(witness.learned) == {"tps1_v", "tps2_v"}
    assert who_breathed(made, both[:1], {both[0].id: ()}) is None, "there is nothing to be asked"
