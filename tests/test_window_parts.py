"""The parts of the window without the whole: what is drawn, where, and in which words."""

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QModelIndex, QPoint, Qt
from PyQt6.QtGui import QColor, QImage
from PyQt6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from conftest import SAMPLES
from nervus.domain.analysis import Analysis, StretchSuspicion
from nervus.domain.channel import Recording, Sensor, Unit
from nervus.domain.finding import (
    DeadSpot,
    Disagreement,
    Drop,
    Finding,
    Floor,
    Noise,
    OffRest,
    OutOfRange,
    RestCause,
    Shape,
    Shared,
    SupplyFault,
    SupplyLine,
)
from nervus.domain.job import new_vehicle
from nervus.domain.profile import ThrottleKind
from nervus.domain.suspect import SuspectId
from nervus.drawn.envelope import Envelope, bridged
from nervus.drawn.fold import fold_track, place_of, row_marks
from nervus.drawn.pair import Pair, pair_of
from nervus.files import read_recording
from nervus.files.answer import finding_row
from nervus.judge.analyse import analyse
from nervus.judge.words import natural_frequency
from nervus.standin.demo import case_named
from nervus.window.elided import ElidedLabel
from nervus.window.frame_parts import Foot, Head
from nervus.window.pictures.bands import Bands
from nervus.window.pictures.circuit_view import CircuitView
from nervus.window.pictures.finding_words import short
from nervus.window.pictures.findings_list import FindingsList
from nervus.window.pictures.nerve import Nerve
from nervus.window.pictures.nerve_way import way_of
from nervus.window.pictures.pair_view import PairView
from nervus.window.pictures.plots import Chart
from nervus.window.pictures.recording_panel import RecordingPanel
from nervus.window.pictures.time_view import TimeView, volts_at
from nervus.window.pictures.travel_view import TravelView, healthy_volts
from nervus.window.theme import BRIGHT, DIM, THEMES, Theme


def judged(case_id: str) -> tuple[Recording, Analysis]:
    recording = case_named(case_id).make()
    return recording, analyse(recording)


# -- envelope -------------------------------------------------------------------------------------


def test_a_drop_of_one_sample_is_drawn_at_every_zoom() -> None:
    time_s = np.arange(1_000_000) / 1000.0
    values = np.full(time_s.size, 2.5)
    values[654_321] = 0.01
    envelope = Envelope(time_s, values)
    for start, end in ((0.0, 1000.0), (600.0, 700.0), (654.0, 655.0), (654.32, 654.322)):
        x, y = envelope.within(start, end, 900)
        assert y.min() == 0.01
        assert y.max() == 2.5
        assert x.size <= 8 * 900
        assert np.all(np.diff(x) >= 0)


@given(
    st.lists(st.tuples(st.floats(-5, 5), st.floats(0, 5)), min_size=2, max_size=60),
)
def test_bridged_columns_cover_what_was_there_and_touch(columns: list[tuple[float, float]]) -> None:
    lows = np.asarray([low for low, _ in columns])
    highs = lows + np.asarray([tall for _, tall in columns])
    y = np.stack((lows, highs), axis=1).ravel()
    x = np.repeat(np.arange(float(lows.size)), 2)
    strokes = bridged(x, y)
    assert strokes is not None
    assert np.all(strokes[0::2] <= lows)
    assert np.all(strokes[1::2] >= highs)
    assert np.all(strokes[2::2] <= highs[:-1])
    assert np.all(strokes[3::2] >= lows[:-1])
    assert strokes.min() == y.min()
    assert strokes.max() == y.max()
    assert bridged(np.arange(float(y.size)), y) is None


def test_columns_do_not_shimmer_while_the_view_moves() -> None:
    """Blocks are aligned to the sample's number: a shifted view shows the same points."""
    random = np.random.default_rng(1)
    time_s = np.arange(200_000) / 1000.0
    envelope = Envelope(time_s, random.normal(0, 1, time_s.size))
    x, y = envelope.within(50.0, 150.0, 500)
    moved_x, moved_y = envelope.within(50.05, 150.05, 500)
    shared = np.intersect1d(x, moved_x)
    assert shared.size > 0.95 * np.unique(x).size
    assert set(y[np.isin(x, shared)]) == set(moved_y[np.isin(moved_x, shared)])


def test_few_samples_are_drawn_as_they_are() -> None:
    envelope = Envelope(np.arange(5.0), np.asarray([1.0, 2.0, 3.0, 2.0, 1.0]))
    x, y = envelope.within(-1.0, 9.0, 500)
    assert x.tolist() == [0, 1, 2, 3, 4]
    assert y.tolist() == [1, 2, 3, 2, 1]


# -- fold -----------------------------------------------------------------------------------------


def test_a_dead_spot_stands_upright_and_a_loose_wire_scatters() -> None:
    for case_id, upright in (("dead-spot", True), ("loose-wire", False)):
        _, analysis = judged(case_id)
        marks = row_marks(analysis.examination)
        middles = [(m.from_pct + m.to_pct) / 2 for m in marks]
        assert len({m.row for m in marks}) >= 5
        assert bool(np.std(middles) < 2.0) is upright


def test_each_pass_is_folded_with_the_rest_after_it() -> None:
    recording, analysis = judged("dead-spot")
    track = recording.get("tps1_v")
    assert track is not None
    folded = fold_track(track, analysis.examination)
    assert int(np.isnan(folded.travel).sum()) == len(analysis.examination.passes)
    drawn = np.nanmax(folded.values)
    assert drawn == pytest.approx(float(track.values.max()), abs=1e-9)
    place = place_of(analysis.examination.findings[0], (), 0)
    assert place == analysis.examination.findings[0].travel_pct  # type: ignore[attr-defined] # a DeadSpot


# -- the nerve ------------------------------------------------------------------------------------


def suspicion(stretch: str, line: str, probability: float) -> StretchSuspicion:
    return StretchSuspicion(stretch, line, SuspectId.WIRING, probability, f"{line} at {stretch}")


def red_pixels(widget: QWidget, theme: Theme, left: int, right: int) -> int:
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    scale = image.width() / 1280
    wanted = QColor(theme.inflamed).rgb()
    return sum(
        image.pixel(x, y) == wanted
        for x in range(round(left * scale), round(right * scale))
        for y in range(image.height())
    )


@pytest.mark.parametrize("theme", THEMES.values(), ids=THEMES.keys())
def test_the_inflammation_moves_along_the_nerve(qtbot: QtBot, theme: Theme) -> None:
    nerve = Nerve()
    qtbot.addWidget(nerve)
    nerve.resize(1280, 150)
    nerve.apply_theme(theme)
    for stretch, (left, right) in {
        "plate": (20, 150),
        "tracks": (200, 320),
        "sensor_plug": (380, 490),
        "unit_plug": (800, 900),
        "pedal": (1090, 1220),
    }.items():
        nerve.show_way(ThrottleKind.ELECTRONIC, 2, (suspicion(stretch, "", 0.7),))
        assert red_pixels(nerve, theme, left, right) > 60, stretch
        elsewhere = red_pixels(nerve, theme, 0, left - 60) if left > 60 else 0
        assert elsewhere == 0, stretch
        assert "7 in 10" in nerve.accessibleDescription()


def test_a_cable_throttle_has_three_strands_and_no_pedal() -> None:
    """Common practice, no published source: three wires, a cable instead of a motor."""
    cable, electronic = way_of(ThrottleKind.CABLE, 1), way_of(ThrottleKind.ELECTRONIC, 2)
    assert [s.id for s in cable.strands] == ["supply", "signal 1", "ground"]
    assert len(electronic.strands) == 4
    assert cable.stretch("pedal") is None
    assert cable.spot("pedal", "") is None
    for way in (cable, electronic):
        for strand in way.strands:
            assert way.spot("harness", strand.id) is not None
        middles = [s.middle for s in way.stretches]
        assert middles == sorted(middles)
        assert all(way.stretch_at(s.middle) is s for s in way.stretches)


def test_the_nerve_is_walked_by_keys_and_says_what_it_shows(qtbot: QtBot) -> None:
    nerve = Nerve()
    qtbot.addWidget(nerve)
    nerve.show_way(ThrottleKind.CABLE, 1, (suspicion("sensor_plug", "signal 1", 0.6),))
    chosen: list[str] = []
    nerve.stretch_chosen.connect(chosen.append)
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Left, Qt.Key.Key_Left):
        qtbot.keyClick(nerve, key)
    assert chosen == ["plate", "tracks", "plate", "plate"]
    nerve.resize(1280, 150)
    nerve.show()
    qtbot.mouseMove(nerve, QPoint(300, 70))
    qtbot.mouseMove(nerve, QPoint(440, 70))
    qtbot.waitUntil(lambda: "signal 1 at sensor_plug: 6 in 10" in nerve.toolTip(), timeout=20_000)


# -- views ----------------------------------------------------------------------------------------


def test_the_third_view_shows_the_moments_outside_the_band(qtbot: QtBot) -> None:
    bent, sound = PairView(), PairView()
    for view, case_id in ((bent, "bent-track"), (sound, "dead-spot")):
        qtbot.addWidget(view)
        recording, analysis = judged(case_id)
        view.show_recording(recording, analysis.examination)
    assert bent.outside() > 50
    assert not sound.has_pair
    pair = pair_of(judged("bent-track")[0])
    assert pair is not None
    assert pair.outside(-1.0, 5.0, 10.0).size == 0


def test_views_are_drawn_for_every_sample_and_both_themes(qtbot: QtBot) -> None:
    time_view, travel_view = TimeView(), TravelView()
    qtbot.addWidget(time_view)
    qtbot.addWidget(travel_view)
    for path in sorted(SAMPLES.glob("*.csv")):
        recording = read_recording(path)
        examination = analyse(recording).examination
        for view in (time_view, travel_view):
            view.show_recording(recording, examination)
            view.apply_theme(DIM)
            for number in range(len(examination.findings)):
                view.select(number)
            view.select(None)
            view.apply_theme(BRIGHT)
            assert not view.grab().isNull()


def test_values_at_an_instant_are_those_that_were_last_shown() -> None:
    recording = read_recording(SAMPLES / "sample-11-track-leaves-its-sister.csv")
    assert volts_at(recording, -1.0) == {}
    shown = volts_at(recording, 0.02)
    assert shown == {"tps1_v": 0.914}


def test_healthy_volts_follow_the_frame() -> None:
    _, analysis = judged("loose-wire")
    travel = analysis.examination.travel
    assert travel is not None
    closed, opened = healthy_volts(dict(travel.frames), 0.0), healthy_volts(dict(travel.frames), 100.0)
    assert closed["tps1_v"] + closed["tps2_v"] == pytest.approx(5.0, abs=0.06)
    assert opened["tps1_v"] > closed["tps1_v"]
    assert opened["tps2_v"] < closed["tps2_v"]


# -- words ----------------------------------------------------------------------------------------

COMMON: dict[str, Any] = {
    "channels": ("tps1_v",),
    "times_s": ((1.0, 1.5),),
    "confidence": 0.9,
    "text": "It is so.",
}
EACH_KIND: tuple[Finding, ...] = (
    DeadSpot(**COMMON, travel_pct=(20.0, 24.0), shape=Shape.STEP, seen_in=7, crossed=8),
    Drop(
        **COMMON,
        level=0.02,
        unit=Unit.VOLT,
        shared=Shared.SIGNAL,
        floor=Floor.GROUND,
        at_travel_pct=40.0,
        marks=("shake",),
    ),
    Noise(**COMMON, travel_pct=(0.0, 12.0), rms=0.02, usual_rms=0.004, unit=Unit.VOLT),
    Disagreement(**COMMON, travel_pct=(5.0, 9.0), worst_pct=8.6, suspect=None, would_set_code=True),
    OffRest(**COMMON, rest_pct=5.4, usual_rest_pct=0.1, cause=RestCause.PLATE, ect_c=96.0),
    OutOfRange(**COMMON, level_v=4.98, limit_v=4.65),
    SupplyFault(**COMMON, level_v=4.5, where=SupplyLine.SUPPLY),
)


@pytest.mark.parametrize("finding", EACH_KIND, ids=lambda f: f.kind)
def test_every_kind_of_finding_has_its_two_lines_and_its_row(finding: Finding) -> None:
    first, second = short(finding)
    assert 5 < len(first) < 30
    assert len(second) < 40
    assert any(unit in second for unit in ("%", "V"))
    row = finding_row(finding)
    assert row["kind"] == finding.kind
    assert row["text"] == "It is so."


def test_a_level_of_nothing_has_no_sign() -> None:
    drop = next(f for f in EACH_KIND if isinstance(f, Drop))
    assert "0.00 V" in short(replace(drop, level=-0.001))[1]
    assert "-0.00" not in short(replace(drop, level=-0.001))[1]
    assert "-0.02 V" in short(replace(drop, level=-0.02))[1]


def test_a_feed_of_which_it_is_not_known_which_line_failed_is_called_so() -> None:
    called = [short(SupplyFault(**COMMON, level_v=4.5, where=where))[0] for where in SupplyLine]
    assert called == ["Sensor supply off", "Sensor ground off", "Supply or ground off"]


@pytest.mark.parametrize(
    ("probability", "says"),
    [
        (0.999, "over 98 in 100"),
        (0.96, "96 in 100"),
        (0.71, "7 in 10"),
        (0.04, "4 in 100"),
        (0.001, "< 1 in 100"),
    ],
)
def test_probabilities_are_said_as_people_count(probability: float, says: str) -> None:
    assert natural_frequency(probability) == says


def test_the_list_says_why_it_is_empty_and_speaks_for_each_row(qtbot: QtBot) -> None:
    listed = FindingsList()
    qtbot.addWidget(listed)
    listed.show_findings(EACH_KIND)
    chosen: list[int] = []
    listed.chosen.connect(chosen.append)
    listed.choose(3)
    assert chosen == [3]
    index = listed.model.index(3, 0)
    assert listed.model.data(index, Qt.ItemDataRole.AccessibleTextRole) == "It is so."
    assert listed.model.rowCount(index) == 0
    assert listed.model.data(QModelIndex()) is None
    listed.show_findings(())
    assert not listed.view.isVisibleTo(listed)


def test_a_long_complaint_gives_way_and_stays_in_the_tool_tip(qtbot: QtBot) -> None:
    head = Head()
    qtbot.addWidget(head)
    head.resize(700, 46)
    head.show()
    complaint = "cuts out over bumps, " * 20
    head.show_job(new_vehicle("No 6", "nine-seat bus"), complaint, "demo")
    assert isinstance(head.complaint, ElidedLabel)
    assert head.complaint.text().endswith("…")
    assert head.complaint.toolTip() == complaint
    head.show_job(new_vehicle("x" * 200, "y" * 200), complaint, "demo")
    assert head.minimumSizeHint().width() < 960
    head.show_recording("r.csv")
    assert head.vehicle.text() == "r.csv"


def test_the_foot_shows_the_keys_that_work(qtbot: QtBot) -> None:
    foot = Foot()
    qtbot.addWidget(foot)
    foot.show_keys((("N", "next"), ("V", "view")), "a.csv")
    foot.show_keys((("Z", "last"),), "b.csv")
    assert foot.source.whole == "b.csv"


def test_a_recording_without_a_pass_is_shown_with_its_drops(qtbot: QtBot) -> None:
    recording = read_recording(SAMPLES / "sample-09-wiring-drops.csv")
    analysis = analyse(recording)
    still = replace(analysis, examination=replace(analysis.examination, passes=()))
    assert still.examination.findings
    assert row_marks(still.examination) == ()
    panel = RecordingPanel()
    qtbot.addWidget(panel)
    panel.show_recording("still", recording, still)
    assert "tps1_v: a value each" in panel._facts.toolTip()
    panel.select(0)
    assert panel.time_view.marked()
    panel.select(99)
    assert not panel.time_view.marked()
    panel.show_nothing()
    panel.select(0)
    assert not panel.time_view.marked()
    panel.show_recording("still", recording, still)
    assert panel.stack.currentWidget() is panel.time_view


def test_a_long_text_leaves_the_picture_room_in_a_low_window(qtbot: QtBot) -> None:
    recording = read_recording(SAMPLES / "sample-09-wiring-drops.csv")
    panel = RecordingPanel()
    qtbot.addWidget(panel)
    panel.resize(540, 340)
    panel.show_recording("low", recording, analyse(recording))
    panel.limits.show_text("What it could not have shown, said at length. " * 20)
    panel.show()
    panel.show_view("over travel")
    assert panel.limits.height() <= 0.25 * panel.height()
    assert panel.travel_view.height() >= 150
    bar = panel.limits.verticalScrollBar()
    qtbot.waitUntil(lambda: bar is not None and bar.maximum() > 0)
    assert bar is not None
    panel.limits.setFocus()
    qtbot.keyClick(panel.limits, Qt.Key.Key_Down)
    assert bar.value() > 0, "keys scroll it"
    panel.resize(900, 900)
    qtbot.waitUntil(lambda: bar.maximum() == 0)
    assert panel.limits.focusPolicy() is Qt.FocusPolicy.NoFocus
    panel.close()  # what nobody holds any more must not be painted


def test_in_a_low_window_the_circuit_is_drawn_without_words_over_it(qtbot: QtBot) -> None:
    analysis = analyse(read_recording(SAMPLES / "sample-09-wiring-drops.csv"))
    assert analysis.circuit is not None
    around = QWidget()
    qtbot.addWidget(around)
    view = CircuitView(around)
    view.show_explanation(analysis.circuit.explanations[0])
    around.show()
    drawing, words = view.findChildren(QWidget, options=Qt.FindChildOption.FindDirectChildrenOnly)
    for height, there in ((320, True), (215, False), (320, True)):
        view.setGeometry(0, 0, 232, height)
        assert words.isVisible() is there
        assert not there or words.geometry().top() >= drawing.geometry().bottom()
        assert drawing.toolTip() == drawing.accessibleDescription() != ""
    around.close()


def _columns(bands: Bands, qtbot: QtBot) -> int:
    """How many columns of a plot's picture the bands colour."""
    chart = Chart("bands")
    qtbot.addWidget(chart)
    chart.resize(700, 300)
    plot = chart.add_plot()
    plot.addItem(bands, ignoreBounds=True)
    plot.setXRange(0.0, 100.0, padding=0)
    bands.set_colours(QColor(255, 0, 0), QColor(200, 0, 0))
    chart.show()
    picture = chart.grab().toImage()
    row = [picture.pixelColor(x, 150) for x in range(picture.width())]
    return sum(c.red() > 150 and c.green() < 100 for c in row)


def test_bands_show_where_they_are_and_never_so_many_that_they_tell_nothing(qtbot: QtBot) -> None:
    one = _columns(Bands(((20.0, 30.0),)), qtbot)
    assert one == pytest.approx(0.1 * (700 - 24 - 52), abs=14)
    # However short, a stretch is seen; those that touch are one; a hundred shade nothing.
    assert 1 <= _columns(Bands(((50.0, 50.0),)), qtbot) <= 4
    assert _columns(Bands(tuple((float(x), x + 0.5) for x in range(100))), qtbot) == 0
    assert _columns(Bands(tuple((x / 2, x / 2 + 0.45) for x in range(200))), qtbot) > 500


def test_crosses_on_crosses_are_drawn_once() -> None:
    pair = Pair(
        np.arange(5.0), np.array([0.0, 1.0, 1.0, 1.0001, 5.0]), np.array([0.0, 4.0, 4.0, 4.0, 5.0])
    )
    assert pair.seen(np.arange(5), 100).tolist() == [0, 1, 4]
    assert pair.seen(np.empty(0, dtype=np.intp), 100).size == 0


# -- one cause, one line --------------------------------------------------------------------------


def drop_at(at_s: float, group: str, *marks: str) -> Drop:
    common: dict[str, Any] = {**COMMON, "times_s": ((at_s, at_s + 0.04),), "channels": ("tps2_v",)}
    return Drop(
        **common, level=0.02, unit=Unit.VOLT, shared=Shared.SIGNAL, floor=Floor.GROUND,
        at_travel_pct=10.0 * at_s, marks=marks, group=group,
    )  # fmt: skip


def test_drops_of_one_cause_are_one_line_and_left_and_right_go_through_them(qtbot: QtBot) -> None:
    found = (drop_at(1.0, "a"), drop_at(2.0, "a", "shake"), drop_at(3.0, "b"), drop_at(4.0, "a"))
    column = FindingsList()
    qtbot.addWidget(column)
    chosen: list[int] = []
    column.chosen.connect(chosen.append)
    column.show_findings(found)
    column.show()
    assert column.model.rowCount() == 2
    column.choose(1)
    index = column.view.currentIndex()
    assert index.row() == 0
    assert index.data() == "3 drops, track 2\n2 of 3: 2.00 s, 40 ms"
    qtbot.keyClick(column.view, Qt.Key.Key_Right)
    qtbot.keyClick(column.view, Qt.Key.Key_Right)  # there is no more
    qtbot.keyClick(column.view, Qt.Key.Key_Left)
    assert chosen == [1, 3, 1]
    told = str(index.data(Qt.ItemDataRole.AccessibleTextRole))
    assert "3 drops of one cause, 1.00 to 4.04 s, 40 to 40 ms long, 10 to 40 % of the travel" in told
    assert "near “shake”" in told
    # A click on what is chosen already goes on too.
    middle = column.view.visualRect(index).center()
    qtbot.mouseClick(column.view.viewport(), Qt.MouseButton.LeftButton, pos=middle)
    assert chosen[-1] == 3
    column.choose(2)
    assert column.view.currentIndex().row() == 1
    assert short(found[2])[0] == "Drop, track 2"


def test_the_cursor_over_the_pedals_travel_does_not_turn_the_plate(qtbot: QtBot) -> None:
    recording = read_recording(SAMPLES.parent / "other-hand" / "pedal-seen-slowly.csv")
    panel = RecordingPanel()
    qtbot.addWidget(panel)
    panel.show_recording("pedal", recording, analyse(recording))
    with qtbot.waitSignal(panel.moment):
        panel.travel_view.place.emit(40.0)
    panel.select(0)
    with qtbot.assertNotEmitted(panel.moment):
        panel.travel_view.place.emit(40.0)


def test_a_finding_of_the_pedal_is_shown_over_the_pedals_travel(qtbot: QtBot) -> None:
    recording = read_recording(SAMPLES.parent / "other-hand" / "pedal-seen-slowly.csv")
    examination = analyse(recording).examination
    view = TravelView()
    qtbot.addWidget(view)
    view.show_recording(recording, examination)
    assert {name for name, _ in view._curves} == {"tps1_pct"}
    view.select(0)
    assert {name for name, _ in view._curves} == {"app1_v", "app2_v"}
    marks = row_marks(examination, Sensor.PEDAL)
    assert {m.finding for m in marks} == {0}
    assert all(abs((m.from_pct + m.to_pct) / 2 - 26.0) < 8.0 for m in marks)
    assert row_marks(examination) == ()
