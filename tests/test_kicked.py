"""A unit that loses a track kicks its plate: both tracks show it, and neither sensor nor feed failed."""

import numpy as np
import pytest

from nervus.domain.analysis import Analysis
from nervus.domain.finding import DeadSpot, Drop
from nervus.domain.profile import SensorKind
from nervus.judge.analyse import analyse
from nervus.signal.candidates.excursions import Excursion
from nervus.signal.candidates.proposing import Candidates
from nervus.signal.explained.kicks import Kicks
from signals import recording, sweeps, track, volts

# Where the track is worn, percent of travel.
WORN = (41.0, 44.0)


def told(kick_pct: float, *, lost: bool = True, late: int = 2, names: str = "tps") -> Analysis:
    """What is told of six sweeps; at the worn place the plate is kicked there and back within 20 ms.

    Args:
        kick_pct: how far it is kicked.
        lost: whether track 1 opens there, for each other reading.
        late: how many readings after it opens.
        names: whose tracks.
    """
    time_s, travel = sweeps(6, seconds=5.0)
    there = np.flatnonzero((travel > WORN[0]) & (travel < WORN[1]))
    begins = there[np.append(True, np.diff(there) > 1)]
    for first in begins:
        travel[first + late : first + late + 3] += kick_pct * np.asarray((0.6, 1.0, 0.5))
    one, two = volts(travel, noise_v=0.002), 5.0 - volts(travel, noise_v=0.002, seed=2)
    if lost:
        for first in begins:
            one[first] = one[first + 5 : first + 11 : 2] = 0.01
    supply = np.full_like(time_s, 5.0)
    both = {f"{names}1_v": one, f"{names}2_v": two}
    return analyse(recording(time_s, **both, vref_v=supply))


def of_both(analysis: Analysis) -> list[str]:
    return [f.kind for f in analysis.examination.findings if len(f.channels) > 1]


def test_a_kick_after_a_track_was_lost_is_motion() -> None:
    analysis = told(3.5)
    assert of_both(analysis) == []
    (spot,) = (f for f in analysis.examination.findings if isinstance(f, DeadSpot))
    assert spot.channels == ("tps1_v",)
    assert spot.travel_pct == pytest.approx(WORN, abs=3.0)
    assert analysis.examination.technology is not SensorKind.CONTACTLESS


def test_without_a_track_that_was_lost_no_plate_is_as_quick() -> None:
    analysis = told(3.5, lost=False)
    assert of_both(analysis)


def test_no_motor_takes_a_plate_as_far() -> None:
    """From memory: 60 ms for the whole travel, with a time constant of 8 ms, at the quickest."""
    assert [f.kind for f in told(45.0).examination.findings if isinstance(f, Drop | DeadSpot)]
    assert of_both(told(45.0))


def test_what_leaves_at_once_was_not_kicked() -> None:
    assert of_both(told(3.5, late=0))


def test_what_comes_long_after_it_was_lost_is_no_kick() -> None:
    assert of_both(told(3.5, late=80))


def test_a_pedal_has_no_motor() -> None:
    assert of_both(told(3.5, names="app"))


def test_of_a_lone_track_nobody_shows_that_its_plate_moved() -> None:
    """What it does beside its losses is told as it is where the sister was not recorded."""
    time_s = np.arange(0.0, 2.0, 0.005)
    lost = Excursion((1.0, 1.01), 50.0, 50.0, 0.2, 3)
    kicked = Excursion((1.02, 1.035), 50.0, 50.0, 53.0, 4)
    one, two = (track(time_s, volts(50.0 + 30.0 * np.sin(time_s)), f"tps{n}_v") for n in (1, 2))
    seen = {
        t.id: Candidates(t, found, (), None) for t, found in ((one, (lost, kicked)), (two, (kicked,)))
    }
    assert Kicks((one, two), seen).may_be(one, kicked)
    assert not Kicks((one,), seen).may_be(one, kicked)
