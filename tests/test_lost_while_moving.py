"""What a sensor reads while it is lost for a moment and its shaft goes on: one level, wherever it was.

Each recording is built sample by sample from one fact: a contactless sensor that has lost its magnet
reads one level on each track (common practice, no published source), and no shaft is where it would be
if it had gone on while it stood.
"""

import numpy as np
import pytest

from nervus.domain.channel import FloatArray, Span
from nervus.domain.finding import Drop
from nervus.signal.candidates.asked import who_asked
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.candidates.proposing import propose
from nervus.signal.candidates.stands import find_stands
from nervus.signal.motion.course import course_of
from nervus.signal.motion.lags import estimate_clock
from nervus.signal.motion.pair import Pair
from nervus.signal.motion.relation import Line
from signals import recording, track
from test_line_cases import of, told

LOST_V = (2.2, 2.6)
"""What both tracks of these sensors read without their magnet."""


def pair(
    travel: FloatArray, time_s: FloatArray, lost_s: tuple[Span, ...], step_v: float = 0.005
) -> dict[str, FloatArray]:
    """Two tracks 0.4 V apart, as a converter shows them, lost for some spans."""
    made = {}
    for number, lost_v in enumerate(LOST_V):
        level = 0.6 + 0.4 * number + 0.036 * travel
        for a, b in lost_s:
            level[(time_s > a) & (time_s < b)] = lost_v
        made[f"tps{number + 1}_v"] = np.round(level / step_v) * step_v
    return made


def moved(*way: tuple[float, float], rate_hz: float = 200.0) -> tuple[FloatArray, FloatArray]:
    """Instants, and percent, from (seconds, percent) to the next."""
    at, places = np.asarray(way).T
    time_s = np.arange(0.0, at[-1], 1.0 / rate_hz)
    return time_s, np.interp(time_s, at, places)


@pytest.mark.parametrize("lost_s", [(4.9, 5.05), (4.95, 5.08)])
def test_what_is_leapt_to_and_from_is_no_place_of_the_shaft_wherever_that_went(lost_s: Span) -> None:
    """Held wide open, let go of meanwhile, and further shut by half when the sensor is there again."""
    time_s, travel = moved(
        (0, 0), (1, 0), (3, 100), (5, 100), (5.2, 0), (7, 0), (9, 100), (11, 0), (13, 0)
    )
    assert of(Drop, told(time_s, **pair(travel, time_s, ()))) == []
    (drop,) = of(Drop, told(time_s, **pair(travel, time_s, (lost_s,))))
    assert drop.channels == ("tps1_v", "tps2_v")
    assert drop.times_s[0] == pytest.approx(lost_s, abs=0.011)


def test_a_level_that_is_stood_at_while_the_shaft_goes_on_is_shared_though_it_came_by() -> None:
    """Read 22 times a second: 44 % each time, begun or left with no leap where the shaft came by."""
    way = [(0.0, 0.0)]
    for n in range(12):
        way += [(1.9 * n + 1.5, 100.0 * ((n + 1) % 2)), (1.9 * n + 1.9, 100.0 * ((n + 1) % 2))]
    time_s, travel = moved(*way, rate_hz=22.0)
    assert of(Drop, told(time_s, **pair(travel, time_s, (), 0.01))) == []
    # 44 % of the way is come by at 0.67 s of each way up: lost just before, and until then.
    each = ((0, 0.65), (2, 0.4), (6, 0.65), (8, 0.4))
    lost_s = tuple((1.9 * n + a, 1.9 * n + a + 0.3) for n, a in each)
    lines = pair(travel, time_s, lost_s, 0.01)
    stands, level = find_stands(track(time_s, lines["tps1_v"]), ())
    assert level == pytest.approx(44.0, abs=0.3)
    assert [e.span_s[0] for e in stands] == pytest.approx([a for a, _ in lost_s], abs=0.12)
    drops = of(Drop, told(time_s, **lines))
    assert len(drops) == 4
    assert all(set(d.channels) == {"tps1_v", "tps2_v"} for d in drops)


def test_a_level_comes_again_however_quickly_it_is_read() -> None:
    time_s, travel = moved((0, 0), (1, 0), (7, 100), (8, 100), (14, 0), (15, 0), rate_hz=100.0)
    lost_s = ((1.5, 1.6), (2.5, 2.6), (5.0, 5.1), (6.5, 6.6))
    levels = []
    for lost in (lost_s, ()):
        made = recording(time_s, **pair(travel, time_s, lost))
        tracks = [track(c.time_s, c.values, c.id) for c in made.channels]
        levels.append(propose(made, tracks, None)[0].level)
    assert levels == [pytest.approx(44.0, abs=0.3), None]


def test_what_is_asked_to_open_is_not_asked_to_shut() -> None:
    """A quick opening is asked for: that it was asked for less just before says nothing of a fall."""
    time_s, asked = moved(
        (0, 5), (2, 5), (5, 60), (7, 60), (7.15, 95), (9, 95), (12, 5), (14, 5), rate_hz=100.0
    )
    made = recording(
        time_s, throttle_cmd_pct=asked, tps1_v=0.6 + 0.036 * np.interp(time_s - 0.05, time_s, asked)
    )
    one = track(time_s, made.channels[1].values)
    command = who_asked(made, (one,))
    assert command is not None
    place = 12.0 + 0.72 * 60.0
    fall = Excursion((7.1, 7.2), place, place + 15.0, place - 15.0, 10)
    assert command.says(one, fall) <= 0.0


# -- two readings of one shaft, in time -------------------------------------------------------------


@pytest.mark.parametrize(("late_s", "by_clock"), [(0.028, False), (0.062, True)])
def test_what_a_filter_or_a_poll_explains_is_no_clock_of_another_logger(
    late_s: float,
    by_clock: bool,  # noqa: FBT001
) -> None:
    """100 readings a second, three of which are tried for what is read in turn: 30 ms."""
    way = [(0.0, 0.0)]
    for n in range(12):
        way += [(2.0 * n + 0.7, 0.0), (2.0 * n + 1.2, 100.0), (2.0 * n + 1.9, 0.0)]
    time_s, travel = moved(*way, rate_hz=100.0)
    one = course_of(track(time_s, 0.5 + 0.04 * travel), ())
    two = course_of(track(time_s, 0.5 + 0.04 * np.interp(time_s - late_s, time_s, travel), "tps2_v"), ())
    ahead_s, drift = estimate_clock(one, two, 0.01)
    assert ahead_s == pytest.approx(late_s if by_clock else 0.0, abs=0.003)
    assert drift == pytest.approx(0.0, abs=1e-4)


def test_behind_her_last_reading_a_sister_says_nothing() -> None:
    """Read in turn, 12 times a second: held open and let go of, and the first is read once more."""
    first_s = np.arange(0.0, 6.0, 0.08)
    one, two = (np.full(first_s.size, 79.0) for _ in range(2))
    one[-3:], two[-3:] = (78.0, 63.0, 37.0), (77.0, 65.0, 40.0)
    pair_s = first_s + 0.02
    own, hers = track(first_s, one / 20.0), track(pair_s[:-1], two[:-1] / 20.0, "tps2_v")
    assert Pair(own, hers, Line(1.0, 0.0), 0.0, together=False).partings(4.0, (), 0.06) == ()
    fallen = one.copy()
    fallen[20] = 37.0
    (parted,) = Pair(track(first_s, fallen / 20.0), hers, Line(1.0, 0.0), 0.0, together=False).partings(
        4.0, (), 0.06
    )
    assert parted == pytest.approx((1.6, 1.6))
