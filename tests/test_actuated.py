"""A unit that steps its throttle through its openings, each as long as the other: an actuation test.

Common practice, no published source. Nothing of it is a fault: a stair that is held by the motor is no
value that is written again, and its ends are no rails that a line falls to.
"""

import numpy as np
import pytest

from nervus.domain.channel import FloatArray
from nervus.domain.finding import Drop
from nervus.judge.analyse import analyse
from signals import recording

MOVES_S = 0.1
TO_AND_FRO, SAW = (0, 25, 50, 75, 100, 75, 50, 25), (0, 20, 40, 60, 80, 100)


def stepped(
    levels: tuple[int, ...], hold_s: float, rate_hz: float, begin_s: float = 0.3
) -> tuple[FloatArray, FloatArray]:
    """Instants and percent of travel, 90 s of it."""
    time_s = np.arange(begin_s, 90.0, 1.0 / rate_hz)
    number, places = (time_s / hold_s).astype(int), np.asarray(levels, dtype=np.float64)
    before, to = (places[(number + n) % places.size] for n in (-1, 0))
    return time_s, before + (to - before) * np.clip((time_s - number * hold_s) / MOVES_S, 0.0, 1.0)


def told(percent: FloatArray) -> FloatArray:
    """As a unit tells it, in steps of 1/255."""
    return np.round(percent * 2.55) / 2.55


@pytest.mark.parametrize("hold_s", [0.5, 1.0, 2.0])
@pytest.mark.parametrize("rate_hz", [4.0, 8.0, 20.0])
@pytest.mark.parametrize("levels", [TO_AND_FRO, SAW])
def test_an_actuated_throttle_is_sound(levels: tuple[int, ...], rate_hz: float, hold_s: float) -> None:
    """In volts and in a unit's percent, to whose very ends it goes."""
    # At four and eight readings a second none of them sees it move.
    time_s, travel = stepped(levels, hold_s, rate_hz, 0.365)
    volts = np.round((0.6 + 0.035 * travel) / 0.0049) * 0.0049
    in_percent = recording(time_s, tps1_pct=told(travel), tps2_pct=told(travel))
    for made in (in_percent, recording(time_s, tps1_v=volts, tps2_v=5.0 - volts)):
        seen = analyse(made).examination
        assert [c.rows for c in seen.channels] == [1.0, 1.0]
        assert [f.text for f in seen.findings] == []


# With half a second at each, read from 0.3 s on, one of them is told in pieces: that is not held here.
@pytest.mark.parametrize(
    ("hold_s", "begin_s"), [(h, b) for h in (0.5, 1.0, 2.0) for b in (0.3, 0.32, 0.365)][1:]
)
def test_what_falls_while_it_is_held_is_told(hold_s: float, begin_s: float) -> None:
    """Three interruptions of one line, a tenth of a second each, at any opening but the closed one."""
    time_s, travel = stepped(TO_AND_FRO, hold_s, 20.0, begin_s)
    first, held = told(travel), (travel >= 25.0) & (time_s % hold_s > 0.4 * hold_s)
    fell_s = [float(time_s[np.argmax(held & (time_s > s))]) for s in (20.0, 41.0, 63.0)]
    for begin in fell_s:
        first[(time_s >= begin) & (time_s < begin + 0.09)] = 0.0
    found = analyse(recording(time_s, tps1_pct=first, tps2_pct=told(travel))).examination.findings
    assert all(isinstance(f, Drop) and f.channels == ("tps1_pct",) for f in found)
    assert [f.times_s[0][0] for f in found] == pytest.approx(fell_s, abs=0.06)


def test_lines_that_fall_to_a_rail_keep_no_time() -> None:
    """Each opening is held for two seconds; behind each second one both fall, as long as they like."""
    random, travel = np.random.default_rng(4), []
    for number, place in enumerate((30.0, 60.0, 45.0) * 10):
        travel += [place] * 40
        travel += [0.0] * (int(random.integers(2, 24)) if number % 2 else 0)
    shown = told(np.asarray(travel))
    made = recording(np.arange(shown.size) / 20.0, tps1_pct=shown, tps2_pct=shown)
    assert sum(len(f.times_s) for f in analyse(made).examination.findings) >= 12
