"""Sweeps as quick as a foot makes them, read closely: each fault is told, and nothing besides."""

from dataclasses import replace

import numpy as np
import pytest

from nervus.domain.analysis import Verdict
from nervus.domain.channel import Recording, Span, Unit
from nervus.domain.finding import DeadSpot, Drop, Finding, Noise, Shape
from nervus.judge.analyse import analyse
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.explained.events import Event
from nervus.signal.motion.travel import find_passes
from nervus.signal.worn.flickers import flickers_at
from nervus.signal.worn.unsteady import goes_back, is_unsteady
from quick_sweeps import PLACE, ROUGH, at_place, read
from signals import recording, shaft_of, sweeps, track, volts


def told(made: Recording) -> tuple[Finding, ...]:
    return analyse(made).examination.findings


@pytest.mark.parametrize("lone", [True, False])
@pytest.mark.parametrize("seconds", [0.8, 2.0])
@pytest.mark.parametrize(
    ("fault", "shape"), [("drop", Shape.DROP), ("step", Shape.STEP), ("stands", Shape.FLAT)]
)
def test_a_worn_place_is_told_once_and_nothing_besides(
    fault: str, shape: Shape, seconds: float, *, lone: bool
) -> None:
    # Of a lone track that stands only time tells where it goes on.
    known = 2.5 if lone and shape is Shape.FLAT else 0.5
    for even in (True, False):
        (found,) = told(read(fault, seconds, 1000.0, lone=lone, noise_v=0.002, even=even))
        assert isinstance(found, DeadSpot)
        assert found.shape is shape
        assert found.travel_pct == pytest.approx(PLACE, abs=known)
        assert found.seen_in > 0.85 * found.crossed


@pytest.mark.parametrize(
    ("seconds", "rate_hz", "even"),
    [(0.8, 1000.0, False), (4.0, 1000.0, True), (0.8, 5000.0, True), (2.0, 5000.0, False)],
)
def test_a_step_of_a_noisy_pair_is_told_and_nothing_beside_it(
    seconds: float, rate_hz: float, *, even: bool
) -> None:
    """Behind an edge that noise hides in part a track is where its sister says: it did not leave."""
    (found,) = told(read("step", seconds, rate_hz, lone=False, noise_v=0.008, even=even, seed=8))
    assert isinstance(found, DeadSpot)
    assert found.shape is Shape.STEP
    assert found.travel_pct == pytest.approx(PLACE, abs=0.6)


@pytest.mark.parametrize(
    ("seconds", "rate_hz", "noise_v"),
    [(0.8, 1000.0, 0.002), (2.0, 1000.0, 0.002), (2.0, 1000.0, 0.008), (2.0, 5000.0, 0.008)],
)
def test_a_rough_stretch_of_a_lone_track_is_told_as_that(
    seconds: float, rate_hz: float, noise_v: float
) -> None:
    (found,) = told(read("rough", seconds, rate_hz, lone=True, noise_v=noise_v))
    assert isinstance(found, Noise)
    assert found.travel_pct == pytest.approx(ROUGH, abs=1.5)


@pytest.mark.parametrize("lone", [True, False])
@pytest.mark.parametrize("rate_hz", [200.0, 1000.0, 5000.0])
def test_a_sound_track_is_accused_of_nothing(rate_hz: float, *, lone: bool) -> None:
    for seconds in (0.8, 2.0):
        for even in (True, False):
            made = read("none", seconds, rate_hz, lone=lone, noise_v=0.008, even=even)
            assert told(made) == ()


# -- what few readings of a place look like --------------------------------------------------------


def spot(shape: Shape, times_s: tuple[Span, ...], seen_in: int = 6) -> DeadSpot:
    return DeadSpot(
        channels=("tps1_v",), times_s=times_s, confidence=0.9, text="", travel_pct=PLACE,
        shape=shape, seen_in=seen_in, crossed=6,
    )  # fmt: skip


@pytest.mark.parametrize(
    ("shape", "levels_v", "unsteady"),
    [
        # It is off by one amount, or by another each time; an interruption is told by its edges.
        (Shape.STEP, (2.02, 2.04, 2.06, 2.08, 2.10, 2.12, 2.14, 2.16), False),
        (Shape.STEP, (2.02, 2.10, 2.04, 2.00, 2.12, 2.08, 2.20, 2.10), True),
        (Shape.DROP, (2.02, 2.10, 2.04, 2.00, 2.12, 2.08, 2.20, 2.10), False),
    ],
)
def test_a_place_is_as_quiet_as_its_track_is(
    shape: Shape, levels_v: tuple[float, ...], *, unsteady: bool
) -> None:
    time_s = np.arange(0.0, 7.0, 0.0025)
    level = np.interp(time_s % 1.0, (0.0, 0.5, 0.52, 1.0), (0.5, 2.08, 2.26, 4.0))
    at = np.searchsorted(time_s, np.arange(0.5, 6.5))
    for first in at.tolist():
        level[first : first + len(levels_v)] = levels_v
    times_s = tuple((float(time_s[a]), float(time_s[a + len(levels_v) - 1])) for a in at)
    made = track(time_s, level)
    shaft = shaft_of(made, made, np.linspace(0.0, 100.0, time_s.size))
    wear = Noise(
        channels=("tps1_v",), times_s=(), confidence=0.9, text="", travel_pct=PLACE, rms=0.05,
        usual_rms=0.004, unit=Unit.VOLT,
    )  # fmt: skip
    assert is_unsteady(spot(shape, times_s), replace(shaft, pair=None), wear) is unsteady


@pytest.mark.parametrize(
    ("levels_v", "back"),
    [
        # It stands and leaps on; it goes back on the way, by 60 mV.
        ((2.10, 2.10, 2.10, 2.10, 2.10, 2.10, 2.26, 2.26), False),
        ((2.10, 2.14, 2.08, 2.14, 2.10, 2.16, 2.20, 2.26), True),
        ((2.26, 2.20, 2.16, 2.10, 2.14, 2.08, 2.14, 2.10), True),
    ],
)
def test_what_stands_only_leaps_on(levels_v: tuple[float, ...], *, back: bool) -> None:
    time_s = np.arange(0.0, 1.0, 0.0025)
    level = np.concatenate((np.full(200, levels_v[0]), levels_v, np.full(192, levels_v[-1])))
    flat = spot(Shape.FLAT, ((float(time_s[200]), float(time_s[207])),))
    assert goes_back(flat, track(time_s, level)) is back


@pytest.mark.parametrize(("reach", "is_rough"), [(0.05, True), (0.6, False)])
def test_what_a_shaft_goes_far_through_meanwhile_is_no_rough_stretch(
    reach: float, *, is_rough: bool
) -> None:
    """Six interruptions around 40 %, each to another level: within some percent, or half the way."""
    time_s, travel = sweeps(12, 2.0, 200.0)
    middles = 2.0 * np.arange(12)[::2] + 0.436
    levels = (30.0, 62.0, 25.0, 70.0, 50.0, 35.0)
    events = tuple(
        Event((("tps1_v", Excursion((m - reach / 4, m + reach / 4), 42.0, 42.0, x, 5)),),
              (m - reach / 4, m + reach / 4), margin=9.0)
        for m, x in zip(middles.tolist(), levels, strict=True)
    )  # fmt: skip
    found = flickers_at(
        track(time_s, volts(travel)), events, find_passes(time_s, travel), (time_s, travel)
    )
    assert (found is not None) is is_rough


@pytest.mark.parametrize("seconds", [0.8, 2.0])
def test_what_falls_out_now_and_then_is_no_rough_stretch_and_no_place(seconds: float) -> None:
    examined = analyse(read("falls out", seconds, 1000.0, lone=False, noise_v=0.002)).examination
    assert {type(f) for f in examined.findings} == {Drop}
    assert examined.locality.verdict is not Verdict.POSITION


def test_twenty_minutes_of_quick_sweeps_over_a_step_are_no_interruption() -> None:
    """By chance alone noise makes an edge now and then while the shaft moves; two of them are none."""
    time_s, travel = sweeps(600, 2.0, 1000.0)
    worn = volts(travel, noise_v=0.004)
    (found,) = told(recording(time_s, tps1_v=worn - 0.08 * at_place(travel)))
    assert isinstance(found, DeadSpot)
    assert found.seen_in > 0.95 * found.crossed
