"""Place or clock: the Bayes factor against other ways to reach it, and against what it promises.

Under the clock a Bayes factor has the expectation 1, whatever the places; so it exceeds b in 1/b of the
recordings at most (Markov's inequality, any textbook). The factor itself is held against a plain sum
over
every middle, width and share, event by event, with the formula of its docstring and nothing else.
"""

import numpy as np
import pytest

from nervus.domain.analysis import Verdict
from nervus.domain.channel import FloatArray
from nervus.signal.worn import locality
from nervus.signal.worn.locality import judge_locality

TIME_S = np.linspace(0.0, 120.0, 24_001)
EVEN = 50.0 - 50.0 * np.abs(1.0 - (TIME_S / 3.0) % 2.0) * 2.0 + 50.0
RESTING = np.clip(
    np.interp(TIME_S % 10.0, [0.0, 4.0, 6.0, 8.0, 10.0], [0.0, 0.0, 100.0, 60.0, 0.0]), 0, 100
)


def clock(count: int, travel: FloatArray, random: np.random.Generator) -> FloatArray:
    return travel[random.integers(0, travel.size, count)]


def plain_factor(places: FloatArray, travel: FloatArray) -> float:
    """One event after the other."""
    often = np.linspace(0.0, TIME_S[-1], 40 * TIME_S.size)
    shares, _ = np.histogram(np.interp(often, TIME_S, travel), np.arange(0.0, 101.0))
    shares = shares / shares.sum()
    total, count = 0.0, 0
    for middle in np.arange(0.0, 100.5, 0.5):
        for width in (0.7, 1.5, 3.0, 6.0, 12.0, 20.0):
            for share in (0.75, 0.9, 0.98):
                likelihood = 1.0
                for place in places:
                    by_clock = 0.97 * shares[min(int(place), 99)] + 0.03 / 100.0
                    by_place = 1.0 / width if abs(place - middle) <= width / 2.0 else 0.0
                    likelihood *= (share * by_place + (1.0 - share) * by_clock) / by_clock
                total, count = total + likelihood, count + 1
    return total / count


@pytest.mark.parametrize("travel", [EVEN, RESTING])
@pytest.mark.parametrize(
    "places", [(40.0, 41.0, 41.8), (5.5, 40.2, 77.1, 93.3), (10.3, 10.9, 11.2, 80.4)]
)
def test_the_p_value_is_that_of_the_plain_sum(places: tuple[float, ...], travel: FloatArray) -> None:
    found, _ = judge_locality(np.asarray(places), travel, TIME_S)
    expected = min(1.0, 1.0 / plain_factor(np.asarray(places), travel))
    assert found.p_value == pytest.approx(expected, rel=0.02, abs=2e-6)


@pytest.mark.parametrize("count", [3, 5, 8])
def test_chance_alone_is_seldom_taken_for_a_place(count: int) -> None:
    """Of 400 recordings in which events know nothing of the travel 1 in 20 at most has a p of 0.05."""
    random = np.random.default_rng(count)
    told = [judge_locality(clock(count, RESTING, random), RESTING, TIME_S)[0] for _ in range(400)]
    assert np.mean([t.p_value is not None and t.p_value <= 0.05 for t in told]) <= 0.05
    assert np.mean([t.verdict is Verdict.POSITION for t in told]) <= 0.03


@pytest.mark.parametrize("width", [2.0, 8.0, 20.0])
def test_five_events_of_one_place_are_not_told_as_the_clocks(width: float) -> None:
    """However wide the worn place is, up to a fifth of the travel."""
    random = np.random.default_rng(int(width))
    verdicts = []
    for _ in range(200):
        middle = random.uniform(12.0, 88.0)
        places = middle + random.uniform(-width / 2.0, width / 2.0, 5)
        verdicts.append(judge_locality(places, EVEN, TIME_S)[0].verdict)
    assert verdicts.count(Verdict.TIME) <= 2
    assert verdicts.count(Verdict.POSITION) >= (180 if width < 10.0 else 110)


def test_events_at_any_place_are_the_clocks_and_two_tell_nothing() -> None:
    random = np.random.default_rng(4)
    many = [judge_locality(clock(9, EVEN, random), EVEN, TIME_S)[0].verdict for _ in range(200)]
    assert many.count(Verdict.TIME) >= 190
    found, place = judge_locality(np.asarray([40.0, 41.0]), EVEN, TIME_S)
    assert (found.verdict, found.p_value, place) == (Verdict.UNDECIDED, None, None)
    four, _ = judge_locality(np.asarray([5.0, 35.0, 62.0, 91.0]), EVEN, TIME_S)
    assert four.verdict is Verdict.UNDECIDED


def test_where_a_throttle_rests_events_prove_no_place() -> None:
    """Four tenths of the time at the closed stop: four of six events there are what the clock gives."""
    found, _ = judge_locality(np.asarray([0.2, 0.1, 0.3, 0.2, 55.0, 90.0]), RESTING, TIME_S)
    assert found.verdict is not Verdict.POSITION
    moved, place = judge_locality(np.asarray([55.1, 55.3, 54.8, 55.2, 55.0, 90.0]), RESTING, TIME_S)
    assert moved.verdict is Verdict.POSITION
    assert place == pytest.approx((54.8, 55.3))
    assert "between 55 and 55 %" in moved.text


@pytest.mark.parametrize(("moved_pct", "stands"), [(4.5, True), (6.0, False)])
def test_events_while_hardly_anything_moves_are_not_said_to_come_at_any_place(
    moved_pct: float,
    stands: bool,  # noqa: FBT001
) -> None:
    """What a place makes comes and goes with the shaft; what comes and goes at rest is the clock's."""
    travel = 28.0 + moved_pct * (np.arange(TIME_S.size) / TIME_S.size - 0.5) / 0.96
    at = np.linspace(0.1, 0.9, 8)
    found, _ = judge_locality(np.quantile(travel, at), travel, TIME_S)
    assert found.verdict is Verdict.TIME
    assert ("while hardly anything moves" in found.text) is stands
    assert ("at any place" in found.text) is not stands


def test_time_is_shared_out_to_the_cells_it_was_spent_in() -> None:
    spent = locality._time_spent(np.asarray([10.5] * 30 + [13.5] * 10), np.arange(40.0))
    assert spent.sum() == pytest.approx(1.0)
    # By hand: of 39 s 29 at the one, 9 at the other, one between them, of which half a cell at each end.
    assert spent[10:14] == pytest.approx(0.97 * np.asarray((29.2, 0.3, 0.3, 9.2)) / 39.0, abs=0.004)
    assert spent[50] == pytest.approx(0.0003)


@pytest.mark.parametrize("each", [0.25, 2.0, 3.0])
def test_where_a_quick_shaft_was_read_is_not_all_where_it_was(each: float) -> None:
    """By hand: at one speed all cells take as long, however far it goes from one reading to the next."""
    way = np.arange(0.0, 100.0 + each, each)
    travel = np.tile(np.append(way, way[::-1]), 9)
    spent = locality._time_spent(travel, np.arange(float(travel.size)))
    assert spent[5:95] == pytest.approx(0.01, rel=0.3)
