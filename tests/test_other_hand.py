"""Recordings with their truth that another hand made, by other physics and instruments than ours.

What each shows was computed by its maker: twice, with and without its fault. Places in percent of
travel, times in
seconds. They came with the project's own corpus, in which everything is invented.
"""

from functools import cache
from pathlib import Path

import pytest

from nervus.domain.analysis import Analysis, Verdict
from nervus.domain.channel import Sensor
from nervus.domain.finding import DeadSpot, Disagreement, Drop, Floor, Shape, Shared
from nervus.domain.suspect import SuspectId
from nervus.judge.analyse import analyse
from nervus.link.reading import kept_recording

FOLDER = Path(__file__).parent / "data" / "other-hand"


@cache
def judged(name: str) -> Analysis:
    return analyse(kept_recording(FOLDER / f"{name}.csv"))


def first(name: str) -> SuspectId:
    return judged(name).judgement.suspects[0].id


@pytest.mark.parametrize("name", ["healthy-key-off", "healthy-soft-landing"])
def test_what_is_in_order_stays_silent(name: str) -> None:
    """The key is switched off in the middle; a dashpot lets the plate down over the last percents."""
    assert judged(name).examination.findings == ()
    assert first(name) is SuspectId.NONE


def test_a_step_of_one_percent_is_found_in_seven_passes_of_ten() -> None:
    (spot,) = judged("small-step").examination.findings
    assert isinstance(spot, DeadSpot)
    assert (spot.channels, spot.shape, spot.seen_in) == (("tps1_v",), Shape.STEP, 7)
    assert sum(spot.travel_pct) / 2 == pytest.approx((60.66 + 62.62) / 2, abs=0.4)
    assert first("small-step") is SuspectId.SENSOR
    assert judged("small-step").examination.locality.verdict is Verdict.POSITION


def test_an_open_ground_is_one_cause_however_often_it_opens() -> None:
    """Seven times; the sixth time it is back for one reading, and open again by the next."""
    found = judged("open-ground").examination.findings
    drops = [f for f in found if isinstance(f, Drop)]
    starts = (20.465, 26.108, 55.657, 65.468, 74.811, 75.893, 75.98, 79.549)
    assert [d.times_s[0][0] for d in drops] == pytest.approx(starts, abs=0.025)
    assert {d.channels for d in drops} == {("tps1_v", "tps2_v")}
    assert {d.group for d in found} == {"supply or ground"}
    assert {d.shared for d in drops} == {Shared.FEED}
    assert first("open-ground") is SuspectId.SUPPLY_GROUND
    assert judged("open-ground").examination.drops[Sensor.THROTTLE].verdict is Verdict.TIME


def test_a_track_that_drifts_from_the_middle_on_is_the_one_that_lies() -> None:
    (differ,) = judged("drifting-track").examination.findings
    assert isinstance(differ, Disagreement)
    assert differ.suspect == "tps1_v"
    assert differ.worst_pct == pytest.approx(14.3, abs=1.5)
    assert differ.times_s[0][0] > 25.0


def test_a_contactless_sensor_that_drops_out_is_told_from_a_plate_that_moves() -> None:
    """Eighteen readings a second; both outputs at a level in between while the command stays."""
    found = judged("contactless-drop-outs").examination.findings
    assert len(found) == 7
    for drop in found:
        assert isinstance(drop, Drop)
        assert (drop.channels, drop.shared) == (("tps1_pct", "tps2_pct"), Shared.ELECTRONICS)
        assert drop.floor is Floor.INTERMEDIATE
        assert drop.level == pytest.approx(40.6, abs=0.4)
    assert first("contactless-drop-outs") is SuspectId.SENSOR


def test_a_worn_pedal_track_seen_slowly_is_the_pedal_sensor_s() -> None:
    (spot,) = judged("pedal-seen-slowly").examination.findings
    assert isinstance(spot, DeadSpot)
    assert (spot.channels, spot.shape) == (("app2_v",), Shape.DROP)
    assert sum(spot.travel_pct) / 2 == pytest.approx(24.0, abs=3.0)
    assert first("pedal-seen-slowly") is SuspectId.PEDAL_SENSOR
    assert spot.text.startswith("At 26.5 % of the travel pedal track 2 leaves its course")
