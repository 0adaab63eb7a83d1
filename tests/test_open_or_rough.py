"""A contact that opens at a place, told from a rough one: it stays away, where that one comes back."""

import numpy as np
import pytest

from nervus.domain.channel import FloatArray
from nervus.domain.finding import DeadSpot, Noise, Shape
from nervus.judge.analyse import analyse
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.worn.dead_spots import _fade
from signals import recording, track

RATE_HZ, TAU_S = 2000.0, 0.012


def strokes(seed: int) -> tuple[FloatArray, FloatArray]:
    """Instants and travel: strokes of a hand, no two as quick as each other, with rests between."""
    random, travel = np.random.default_rng(seed), [np.zeros(600)]
    for _ in range(7):
        up, down = (int(RATE_HZ * random.uniform(0.6, 1.8)) for _ in range(2))
        stroke = np.concatenate((np.linspace(0.0, np.pi, up), np.linspace(np.pi, 2.0 * np.pi, down)))
        travel += [50.0 * (1.0 - np.cos(stroke)), np.zeros(700)]
    shown = np.concatenate(travel)
    return np.arange(shown.size) / RATE_HZ, shown


def left_to_itself(volts: FloatArray, opened: np.ndarray) -> FloatArray:
    """An input keeps its charge while the contact is open, and loses it: V exp(-t / RC)."""
    shown = volts.copy()
    for i in np.flatnonzero(opened):
        shown[i] = shown[i - 1] * np.exp(-1.0 / (RATE_HZ * TAU_S))
    return shown


def read(volts: FloatArray, seed: int) -> FloatArray:
    noisy = volts + np.random.default_rng(seed).normal(0.0, 0.003, volts.size)
    return np.round(noisy / 0.005) * 0.005


@pytest.mark.parametrize("seed", [1, 2, 3])
@pytest.mark.parametrize("place", [(30.0, 30.8), (55.0, 56.0)])
def test_an_input_that_is_left_to_itself_while_a_contact_is_open_is_no_roughness(
    place: tuple[float, float], seed: int
) -> None:
    """How far it falls is how long it was open for: no two fall as deep, and each falls steadily."""
    time_s, travel = strokes(seed)
    volts = 0.5 + 0.04 * travel
    one = left_to_itself(volts, (travel > place[0]) & (travel < place[1]))
    (spot,) = analyse(
        recording(time_s, tps1_v=read(one, seed), tps2_v=read(5.0 - volts, seed + 9))
    ).examination.findings
    assert isinstance(spot, DeadSpot)
    assert spot.shape is Shape.DROP
    assert spot.travel_pct == pytest.approx(place, abs=0.3)


@pytest.mark.parametrize(("back", "kind"), [(0.0, DeadSpot), (1.0, Noise)])
def test_what_is_far_off_all_the_way_is_open_however_it_wanders(back: float, kind: type) -> None:
    """What a floating input picks up lets it wander; that which touches now and then is rough."""
    time_s, travel = strokes(5)
    volts, random = 0.5 + 0.04 * travel, np.random.default_rng(4)
    worn = (travel > 30.0) & (travel < 34.0)
    off = np.repeat(random.uniform(1.0, 1.6, travel.size // 6 + 1), 6)[: travel.size]
    touches = np.repeat(random.random(travel.size // 6 + 1) < 0.5 * back, 6)[: travel.size]
    one = np.where(worn & ~touches, np.maximum(volts - off * (1.0 - 0.5 * back), 0.2), volts)
    found = analyse(
        recording(time_s, tps1_v=read(one, 1), tps2_v=read(5.0 - volts, 2))
    ).examination.findings
    assert [type(f) for f in found] == [kind]


def test_what_fades_goes_ever_further_off_and_comes_back_at_once() -> None:
    """Or off at once and back slowly; to and fro is none, nor what is seen too seldom or too briefly."""
    time_s = np.arange(0.0, 1.0, 0.001)
    steadily, shaken = np.linspace(1.0, 12.0, 12), np.asarray([1.0, 6.0, 2.0, 9.0, 3.0, 12.0] * 2)

    def fade(shape: FloatArray, times: int = 3) -> bool:
        level, parts = np.full(time_s.size, 50.0), []
        for n in range(times):
            first = 100 + 200 * n
            level[first : first + shape.size] -= shape * (1.0 + n)
            span = (float(time_s[first]), float(time_s[first + shape.size - 1]))
            parts.append(Excursion(span, 50.0, 50.0, float(50.0 - shape.max()), shape.size))
        return _fade(track(time_s, level / 20.0), parts)

    assert fade(steadily)
    assert fade(steadily[::-1])
    assert not fade(shaken)
    assert not fade(steadily, times=2)
    assert not fade(steadily[:3])
    assert not fade(np.concatenate((steadily, steadily[::-1])))
