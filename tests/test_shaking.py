"""The guided wiggle test: its arithmetic, its course, what it weighs, and the real window with it."""

from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from PyQt6.QtCore import QSettings, Qt
from pytestqt.qtbot import QtBot
from scipy.stats import nbinom

from jobs import job_of
from nervus.domain.errors import OutsideError
from nervus.domain.job import Change, Job, Shaken, Source, new_id, of_kind
from nervus.domain.profile import ThrottleKind
from nervus.domain.suspect import SuspectId
from nervus.files import read_recording
from nervus.judge.analyse import analyse
from nervus.judge.of_job import judge_job
from nervus.judge.shaking import (
    Known,
    ShakeTest,
    caught_at,
    chance_seen,
    in_ten,
    places_for,
    wanted_s,
)
from nervus.knowledge.tree import known_shaking
from nervus.window.live.alarms import Alarms, Limits, load, read_limits, save
from nervus.window.main_window import MainWindow
from test_live_window import connected, live  # noqa: F401 - a fixture

AT = datetime(2026, 5, 4, 9, 0, tzinfo=UTC)


@given(st.floats(0.0, 500.0), st.floats(0.01, 1.0), st.integers(0, 30), st.floats(0.0, 100.0))
def test_the_chance_of_seeing_is_that_of_the_negative_binomial(
    seconds: float, caught: float, drops: int, before_s: float
) -> None:
    """Against SciPy's negative binomial: no opening in that time, for a Gamma-distributed rate."""
    table = known_shaking()
    scale = table.scale_s + before_s
    none = nbinom(table.shape + drops, scale / (scale + caught * seconds)).pmf(0)
    assert chance_seen(seconds, caught, Known(drops, before_s)) == pytest.approx(1.0 - none, abs=1e-9)


def test_how_long_a_place_is_shaken() -> None:
    """Forty seconds for nine in ten (from memory); a slow reader takes longer, what is known less."""
    assert wanted_s() == pytest.approx(40.0, abs=0.5)
    assert chance_seen(wanted_s(0.5), 0.5) == pytest.approx(0.9)
    assert wanted_s(0.5) == pytest.approx(2.0 * wanted_s())
    assert wanted_s(known=Known(5, 12.0)) < 12.0
    assert wanted_s(0.01) == 180.0
    assert caught_at(1000.0) == 1.0
    assert caught_at(10.0) == pytest.approx(0.3)
    assert [in_ten(c) for c in (0.95, 0.9, 0.999, 0.05)] == [
        "in 9 of 10", "in 9 of 10", "in 9 of 10", "in less than 1 of 10",
    ]  # fmt: skip


def test_places_come_in_the_order_of_suspicion_and_of_the_throttle() -> None:
    assert [p.id for p in places_for(ThrottleKind.CABLE, None)] == [
        "tracks", "sensor_plug", "harness", "unit_plug",
    ]  # fmt: skip
    job = shaken(electronic(), ("harness", 20.0, 4))
    order = places_for(ThrottleKind.ELECTRONIC, judge_job(job).standing)
    assert order[0].id == "harness"
    assert order[-1].id == "pedal"


def shaken(job: Job, *places: tuple[str, float, int], let_go: tuple[str, ...] = ()) -> Job:
    entries = [
        Shaken(
            id=new_id(),
            at=AT + timedelta(minutes=number),
            source=Source.SEEN,
            place=place,
            seconds=seconds,
            drops=drops,
            channels=("tps1_v", "tps2_v", "app1_v"),
            let_go=let_go if drops else (),
        )
        for number, (place, seconds, drops) in enumerate(places)
    ]
    return replace(job, entries=(*job.entries, *entries))


def electronic() -> Job:
    job = job_of()
    return replace(job, vehicle=replace(job.vehicle, throttle=ThrottleKind.ELECTRONIC))


def suspicion(job: Job, stretch: str, line: str = "") -> float:
    standing = judge_job(job).standing
    return sum(
        s.probability for s in standing.stretches if s.stretch == stretch and line in ("", s.line)
    )


def test_where_it_answers_is_where_it_lies_and_a_steady_place_is_cleared() -> None:
    """Common practice, no published source: what lets go under the hand is where the hand is."""
    nothing = electronic()
    answered = shaken(nothing, ("harness", 40.0, 0), ("unit_plug", 12.0, 6), let_go=("tps2_v",))
    first = max(judge_job(answered).standing.stretches, key=lambda s: s.probability)
    assert (first.stretch, first.line) == ("unit_plug", "signal 2")
    assert first.probability > 10 * suspicion(nothing, "unit_plug", "signal 2")
    assert suspicion(answered, "unit_plug", "signal 2") > 10 * suspicion(
        answered, "unit_plug", "signal 1"
    )
    steady = shaken(nothing, ("sensor_plug", 40.0, 0))
    brief = shaken(nothing, ("sensor_plug", 4.0, 0))
    assert (
        suspicion(steady, "sensor_plug")
        < suspicion(brief, "sensor_plug")
        < suspicion(nothing, "sensor_plug")
    )
    both = shaken(nothing, ("sensor_plug", 15.0, 5), let_go=("tps1_v", "tps2_v"))
    assert judge_job(both).standing.suspects[0].id is SuspectId.SUPPLY_GROUND


def test_shaking_again_after_a_repair_knows_how_it_answered_before() -> None:
    before = shaken(electronic(), ("sensor_plug", 12.0, 6), let_go=("tps1_v",))
    change = Change(
        id=new_id(), at=AT + timedelta(hours=1), source=Source.TYPED, done="sensor plug contacts renewed"
    )
    again = Shaken(
        id=new_id(), at=AT + timedelta(hours=2), source=Source.SEEN, place="sensor_plug", seconds=20.0,
        channels=("tps1_v", "tps2_v"),
    )  # fmt: skip
    done = replace(before, entries=(*before.entries, change))
    first, then = judge_job(done), judge_job(replace(done, entries=(*done.entries, again)))
    assert first.cured is not None
    assert then.cured is not None
    assert then.cured > first.cured


def test_the_course_of_a_test_from_place_to_place() -> None:
    seen = analyse(
        read_recording(Path(__file__).parent / "data" / "samples" / "sample-09-wiring-drops.csv")
    )
    findings = seen.examination.findings
    moments = sorted(s for f in findings for s, _ in f.times_s)
    test = ShakeTest(places_for(ThrottleKind.CABLE, None))
    test.begin(moments[0] - 0.5)
    test.tick(moments[-1] + 0.5)
    test.looked(findings, moments[-1])
    assert test.hand.moments
    assert not test.is_enough or test.hand.seconds >= test.wanted_s
    counted = len(test.hand.moments)
    test.looked(findings, moments[-1] + 1.0)  # the same stretch looked at again
    assert len(test.hand.moments) == counted
    assert test.told().startswith(f"It answers here: {counted} times")
    assert test.go_on()
    assert not test.is_shaking
    test.begin(1000.0)
    test.tick(1050.0)
    looked_at = [test.is_enough]  # nobody has looked at it yet
    test.looked((), 1050.0)
    assert [*looked_at, test.is_enough] == [False, True]
    assert test.seen > 0.9
    assert "That is enough" not in test.told()
    assert "would have shown in 9 of 10" in test.told()
    assert "Steady at the sensor plug" in test.conclusion()
    assert test.go_on()
    assert test.go_on()
    assert not test.go_on()
    assert ShakeTest(places_for(None, None)).conclusion() == "Nothing was shaken."


def test_a_wiggle_test_by_keys_in_the_window_weighs_in_the_job(live: MainWindow, qtbot: QtBot) -> None:  # noqa: F811
    live.begin_job("minibus 3")
    connected(live, qtbot)
    bar = live.live_panel.shake_bar
    live.live_panel.view.setFocus()
    qtbot.waitUntil(lambda: live.live.track_rate_hz() > 0.0, timeout=10_000)
    qtbot.keyClick(live, Qt.Key.Key_G)
    assert bar.isVisible()
    assert bar.place.text() == "Shake the sensor itself"
    qtbot.keyClick(bar, Qt.Key.Key_Return)
    qtbot.keyClick(bar, Qt.Key.Key_Space)
    live.live.shake(on=True)
    qtbot.waitUntil(lambda: "It answers here" in bar.told.whole, timeout=30_000)
    assert "shake the sensor plug" in live.live_panel.view.chart.strip.shown
    live.live.shake(on=False)
    qtbot.keyClick(bar, Qt.Key.Key_Escape)
    assert not bar.isVisible()
    assert live.notice.text.text().startswith("It answers at the sensor plug")
    assert live.notice.isVisible()
    assert live.job is not None
    (kept,) = of_kind(live.job.entries, Shaken)
    assert kept.place == "sensor_plug"
    assert kept.drops > 0
    assert any(c.startswith("tps2") for c in kept.let_go)
    qtbot.waitUntil(lambda: "signal 2" in live.judgement.headline.text(), timeout=10_000)
    live.begin_job("pickup 1")
    assert not live.notice.isVisible(), "what was said of one job does not stand beside another"


def test_alarms_go_off_once_a_bout_and_are_remembered(tmp_path: Path) -> None:
    alarms = Alarms()
    alarms.limits = {"tps1_v": Limits(0.4, 4.6)}
    alarms.on_drop = True
    time_s = np.arange(0.0, 1.0, 0.01)
    calm = np.full(time_s.size, 0.8)
    assert alarms.feed("tps1_v", time_s, calm) == ""
    low = calm.copy()
    low[50:52] = 0.1
    assert alarms.feed("tps1_v", time_s + 1.0, low) == "track 1 below 0.4 V"
    assert alarms.feed("tps1_v", time_s + 2.0, low) == ""  # still the same bout
    assert alarms.ringing == {"tps1_v": "track 1 below 0.4 V"}
    alarms.feed("tps1_v", time_s + 3.0, calm)
    assert alarms.ringing == {}
    assert alarms.feed("tps1_v", time_s + 9.0, calm + 4.0) == "track 1 above 4.6 V"
    assert alarms.feed("tps2_v", time_s, calm) == ""
    fell = calm.copy()
    fell[20:] = 4.0
    assert alarms.feed("tps2_v", time_s + 1.0, fell) == "track 2 let go"
    assert alarms.feed("rpm", time_s, calm) == ""
    settings = QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)
    save(alarms, settings)
    settings.setValue("alarms/tps2_v/low", "about half")
    again = Alarms()
    load(again, settings)
    assert (again.limits, again.on_drop) == ({"tps1_v": Limits(0.4, 4.6)}, True)


@pytest.mark.parametrize(
    ("low", "high", "why"), [("a", "", "no limit"), ("3", "2", "not below"), ("nan", "", "no limit")]
)
def test_a_limit_that_can_not_be_is_told(low: str, high: str, why: str) -> None:
    with pytest.raises(OutsideError, match=why):
        read_limits(low, high, "tps1_v")
    assert read_limits("0,4 V", "", "tps1_v") == Limits(0.4, None)
    assert read_limits(" ", "", "tps1_v") is None
