"""Rough stretches of a lone track: only its own readings tell what a hand did and what is worn."""

import numpy as np
import pytest

from nervus.domain.analysis import Direction, Pass
from nervus.domain.channel import FloatArray
from nervus.domain.finding import Finding, Noise
from nervus.judge.analyse import analyse
from nervus.signal.arithmetic.robust import off_neighbours, off_smooth
from nervus.signal.worn.roughness import Table, _is_of_ends, _middle_of_four, looked
from signals import recording, track

V_CLOSED, V_PER_PCT = 0.6, 0.038


def read(rate_hz: float, seed: int, seconds: float = 80.0) -> tuple[FloatArray, FloatArray]:
    """Instants that come as unevenly as a tool asks, and a hand's sweeps that begin and end softly."""
    random = np.random.default_rng(seed)
    knots, at = [(0.0, 0.0)], 0.0
    while at < seconds:
        opens, stays = random.uniform(0.9, 2.2), random.uniform(0.5, 1.5)
        top = float(random.uniform(70.0, 100.0)) if at else 100.0
        knots += [(at + stays, 0.0), (at + stays + opens, top), (at + 2 * stays + opens, top)]
        at += 2 * stays + 2.0 * opens
        knots += [(at, 0.0)]
    time_s = np.cumsum(np.clip(random.normal(1.0, 0.15, int(seconds * rate_hz)), 0.5, 1.5)) / rate_hz
    when, where = np.asarray(knots).T
    first = np.clip(np.searchsorted(when, time_s, side="right") - 1, 0, when.size - 2)
    share = np.clip((time_s - when[first]) / (when[first + 1] - when[first]), 0.0, 1.0)
    return time_s, where[first] + (where[first + 1] - where[first]) * share**2 * (3.0 - 2.0 * share)


def shown(travel: FloatArray, place: tuple[float, float] | None, *, step_v: float = 0.005) -> FloatArray:
    """What a converter shows of a track whose wiper lifts by up to 6 % of the travel over a place."""
    volts = V_CLOSED + V_PER_PCT * travel
    if place is not None:
        random = np.random.default_rng(17)
        worn = (travel > place[0]) & (travel < place[1])
        volts = volts + np.where(worn, random.uniform(-6.0, 6.0, travel.size) * V_PER_PCT, 0.0)
    return np.round(volts / step_v) * step_v


def found_in(time_s: FloatArray, volts: FloatArray) -> tuple[Finding, ...]:
    return analyse(recording(time_s, tps1_v=volts)).examination.findings


@pytest.mark.parametrize("place", [(2.0, 9.0), (20.0, 28.0), (55.0, 62.0)])
@pytest.mark.parametrize("rate_hz", [8.0, 18.0, 45.0])
def test_a_worn_place_of_a_lone_track_is_rough(rate_hz: float, place: tuple[float, float]) -> None:
    """Also next to the closed stop, from where each pass sets off, and read a few times in a pass."""
    time_s, travel = read(rate_hz, seed=3)
    (rough,) = found_in(time_s, shown(travel, place))
    assert isinstance(rough, Noise)
    low, high = rough.travel_pct
    assert low < place[1]
    assert high > place[0]
    # Eight times a second the shaft goes as far as the place is wide from one reading to the next.
    if rate_hz > 10.0:
        assert (low + high) / 2.0 == pytest.approx(sum(place) / 2.0, abs=2.5)
    # What is spread evenly by 6 % either way deviates by the square root of 3 less; seen once in a pass,
    # or read from a rest, it is not all there.
    assert 0.2 < rough.rms / (6.0 * V_PER_PCT / np.sqrt(3.0)) < 1.2


@pytest.mark.parametrize("seed", [3, 4, 5])
@pytest.mark.parametrize("rate_hz", [8.0, 18.0, 45.0])
def test_a_sound_lone_track_is_smooth_everywhere(rate_hz: float, seed: int) -> None:
    time_s, travel = read(rate_hz, seed)
    assert found_in(time_s, shown(travel, None)) == ()


def test_read_further_apart_than_a_hand_corrects_itself_nothing_is_rough() -> None:
    """A hand turns round within 0.19 to 0.26 s (Keele, Posner 1968): four readings a second miss it."""
    time_s, travel = read(4.0, seed=3, seconds=160.0)
    assert not any(isinstance(f, Noise) for f in found_in(time_s, shown(travel, (20.0, 28.0))))


@pytest.mark.parametrize(("noise_v", "found"), [(0.0, 0), (0.03, 1)])
def test_what_a_coarse_converter_hides_between_its_steps_shows_in_how_often_it_turns(
    noise_v: float, found: int
) -> None:
    """Eight bits over 20 V: noise of a third of a step lets it turn to and fro, not once."""
    time_s = np.arange(0.0, 24.0, 0.0005)
    travel = 50.0 * (1.0 - np.cos(2.0 * np.pi * time_s / 3.0))
    random, step_v = np.random.default_rng(8), 20.0 / 256.0
    volts = V_CLOSED + V_PER_PCT * travel + random.normal(0.0, 0.002, travel.size)
    worn = (travel > 12.0) & (travel < 19.0)
    volts += np.where(worn, random.normal(0.0, noise_v, travel.size), 0.0)
    told = [f for f in found_in(time_s, np.round(volts / step_v) * step_v) if isinstance(f, Noise)]
    assert len(told) == found
    assert all(f.travel_pct == pytest.approx((12.0, 19.0), abs=2.5) for f in told)


# -- parts ---------------------------------------------------------------------------------------


def test_a_smooth_course_leaves_nothing_however_unevenly_it_is_read() -> None:
    """Lagrange's polynomial through four is exact for a cubic; a straight one for even readings too."""
    random = np.random.default_rng(2)
    time_s = np.cumsum(random.uniform(0.5, 1.5, 60))
    cubic = 0.01 * (time_s - 30.0) ** 3 - time_s**2 + 4.0
    inner = slice(1, -1)
    assert np.abs(off_smooth(cubic, time_s))[inner] == pytest.approx(0.0, abs=1e-8)
    assert np.abs(off_neighbours(cubic)).max() > 1.0
    even = 3.0 * np.arange(60.0)
    assert off_smooth(even, time_s) == pytest.approx(0.0, abs=1e-12)
    even[30] += 7.0
    assert off_smooth(even, np.arange(60.0))[29] == pytest.approx(7.0)
    assert off_smooth(np.asarray([1.0, 2.0]), np.arange(2.0)).size == 0


@pytest.mark.parametrize("way", [1.0, -1.0])
def test_a_pass_bends_to_one_side_at_each_of_its_ends(way: float) -> None:
    """Setting off it lags the chord, coming to rest it leads it; on the other side it was no foot."""
    time_s = np.arange(0.0, 3.0, 0.1)
    level = 50.0 + way * np.clip((time_s - 1.0) * 40.0, 0.0, 40.0)
    ends = {"from_pct": 0.0, "to_pct": 100.0}
    passes = (Pass(1.0, 2.0, Direction.OPENING, **ends),)
    made = track(time_s, level / 20.0)
    for first, last, side in ((9, 10, -way), (19, 20, way)):
        bend = np.zeros(time_s.size - 2)
        bend[first - 1 : last] = side
        assert _is_of_ends(made, bend, passes)[first - 1 : last].all()
        assert not _is_of_ends(made, -bend, passes).any()
    assert not _is_of_ends(made, np.full(time_s.size - 2, way), passes)[13:16].any()


def test_where_the_shaft_was_is_what_its_neighbours_say() -> None:
    values = np.asarray([1.0, 2.0, 3.0, 90.0, 5.0, 6.0, 7.0])
    # Of a rough one itself nothing counts; of its neighbours it is one of four. What is missing at the
    # ends is as the last one.
    assert _middle_of_four(values).tolist() == [2.0, 3.5, 4.0, 6.5, 7.0]


def test_how_rough_it_is_usually_is_told_without_what_hides_there() -> None:
    power = np.full((4, 9), 0.04)
    power[:, 3], power[0, 5] = 1.0, np.nan
    table = Table(power, np.ones(power.shape), 2.0, floor=0.25, alone=True)
    assert table.usual() == pytest.approx(0.2)
    assert table.times()[[2, 3, 5]] == pytest.approx([1.0, 5.0, 1.0])
    with_sister = Table(power, np.ones(power.shape), 2.0, floor=0.25, alone=False)
    assert with_sister.usual() == pytest.approx(np.sqrt(0.29))
    assert with_sister.times()[3] == pytest.approx(np.sqrt(1.25 / 0.29))


def test_of_single_readings_in_a_cell_little_is_made() -> None:
    """The logarithm of one small number may be anything: what is usual is added to each."""
    time_s, travel = read(10.0, seed=6)
    noise = np.random.default_rng(1).normal(0.0, 0.02, travel.size)
    made = track(time_s, shown(travel, None) + noise)
    passes = tuple(analyse(recording(time_s, tps1_v=made.level / 20.0)).examination.passes)
    look = looked(made, None, (time_s, travel), passes, ())
    assert look.by_beside
    assert look.table.floor == pytest.approx(float(np.nanmedian(look.table.power)))


def test_a_place_at_a_stop_begins_at_the_stop() -> None:
    """Noise there reads beyond it, where no travel is."""
    time_s, travel = read(18.0, seed=3)
    noise = np.random.default_rng(1).normal(0.0, 0.02, travel.size)
    (rough,) = found_in(time_s, np.round((shown(travel, (-1.0, 7.0)) + noise) / 0.005) * 0.005)
    assert isinstance(rough, Noise)
    assert rough.travel_pct[0] == 0.0
    assert "between 0 and" in rough.text


def held_in(
    place: tuple[float, float], rate_hz: float, *, held_s: float = 2.0
) -> tuple[FloatArray, FloatArray]:
    """Sweeps of 40 % a second, each held for a while in the middle of the place when it closes."""
    middle, sweeps, at = sum(place) / 2.0, [(0.0, 0.0)], 0.0
    for _ in range(10):
        ways = ((0.7, 0.0), (2.5, 100.0), (0.6, 100.0), (2.5, middle), (held_s, middle), (0.8, 0.0))
        for takes_s, to in ways:
            at += takes_s
            sweeps.append((at, to))
    when, where = np.asarray(sweeps).T
    time_s = np.arange(0.0, at, 1.0 / rate_hz)
    return time_s, np.interp(time_s, when, where)


@pytest.mark.parametrize("rate_hz", [50.0, 200.0, 1000.0])
@pytest.mark.parametrize("often", [0.25, 0.9])
def test_where_it_is_rough_is_told_by_where_the_shaft_was(rate_hz: float, often: float) -> None:
    """A wiper that lifts lets its input rise, never fall: by its own readings it is too far open."""
    place = (20.0, 27.0)
    time_s, travel = held_in(place, rate_hz)
    random = np.random.default_rng(5)
    worn = (travel > place[0]) & (travel < place[1]) & (random.uniform(size=travel.size) < often)
    volts = V_CLOSED + V_PER_PCT * travel + random.normal(0.0, 0.004, travel.size)
    volts += np.where(worn, random.uniform(1.0, 7.0, travel.size) * V_PER_PCT, 0.0)
    (rough,) = (f for f in found_in(time_s, np.round(volts / 0.005) * 0.005) if isinstance(f, Noise))
    # From one reading to the next the shaft goes by 40 % / rate; if few are off, the first comes later.
    assert rough.travel_pct == pytest.approx(place, abs=0.5 + max(1.0, 0.5 / often) * 40.0 / rate_hz)


def test_what_is_rough_at_rest_too_reaches_to_the_stop() -> None:
    time_s, travel = held_in((0.0, 8.0), 200.0, held_s=0.1)
    random = np.random.default_rng(6)
    volts = V_CLOSED + V_PER_PCT * travel + random.normal(0.0, 0.004, travel.size)
    volts += np.where(travel < 8.0, random.normal(0.0, 1.0, travel.size) * V_PER_PCT, 0.0)
    (rough,) = (f for f in found_in(time_s, np.round(volts / 0.005) * 0.005) if isinstance(f, Noise))
    assert rough.travel_pct[0] < 0.5
    assert rough.travel_pct[1] == pytest.approx(8.0, abs=1.5)
