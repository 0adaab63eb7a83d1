"""The picture: as large as wanted, measured between two cursors, given out; by keyboard."""

from functools import partial
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication, QPushButton
from pytestqt.qtbot import QtBot

from nervus.domain.channel import Channel, Recording, Unit, other_kind
from nervus.domain.finding import Drop, Floor, Shared
from nervus.domain.job import Noted, of_kind
from nervus.drawn.channels import Arranged, usual_channels
from nervus.drawn.measuring import between, edge_instants, event_instants, next_of, next_sample
from nervus.files.recording_writer import write_recording
from nervus.judge.analyse import analyse
from nervus.link.reading import kept_recording
from nervus.standin.demo import case_named
from nervus.window.main_window import MainWindow
from nervus.window.pictures.channels_dialog import ChannelsDialog
from nervus.window.room import FOLDING
from nervus.window.theme import DIM
from signals import recording as made_of
from widget_walk import stumbles

KEYS = {"nerve": Qt.Key.Key_F9, "findings": Qt.Key.Key_F8, "judgement": Qt.Key.Key_J}


@pytest.fixture
def opened(window: MainWindow, qtbot: QtBot) -> MainWindow:
    window.open_demo("loose-wire")
    qtbot.waitUntil(lambda: window.opened is not None and not window.is_busy, timeout=30_000)
    window.panel.show_view("over time")
    return window


def share(window: MainWindow) -> float:
    chart = window.panel.chart
    return float(chart.width() * chart.height() / (window.width() * window.height()))


def pressed(
    window: MainWindow,
    qtbot: QtBot,
    key: Qt.Key,
    held: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
) -> None:
    qtbot.keyClick(window, key, held)
    QApplication.processEvents()


def test_folding_by_key_gives_the_picture_half_of_a_small_screen(
    opened: MainWindow, qtbot: QtBot
) -> None:
    opened.resize(1366, 768)
    before = share(opened)
    for name in FOLDING:
        pressed(opened, qtbot, KEYS[name])
    assert share(opened) >= 0.5 > before
    assert opened.nerve.is_folded
    assert stumbles(opened) == []
    qtbot.mouseClick(opened.nerve, Qt.MouseButton.LeftButton)
    assert not opened.nerve.is_folded


def test_what_is_folded_is_remembered(opened: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    pressed(opened, qtbot, KEYS["findings"])
    again = MainWindow(opened._settings, tmp_path / "other.db")
    qtbot.addWidget(again)
    assert again.findings.isHidden()
    assert not again.nerve.is_folded


def test_one_key_gives_the_picture_the_whole_window_and_takes_it_back(
    opened: MainWindow, qtbot: QtBot
) -> None:
    pressed(opened, qtbot, Qt.Key.Key_F11)
    assert share(opened) > 0.75
    assert not opened.rail.isVisible()
    pressed(opened, qtbot, Qt.Key.Key_F11)
    assert opened.rail.isVisible()
    pressed(opened, qtbot, Qt.Key.Key_F11)
    opened.go("jobs")
    assert opened.rail.isVisible()


def test_two_cursors_measure_by_keyboard_and_what_they_say_is_kept(
    opened: MainWindow, qtbot: QtBot
) -> None:
    pressed(opened, qtbot, Qt.Key.Key_X)
    bar, view = opened.panel.measure_bar, opened.panel.time_view
    assert bar.isVisible()
    before = view.rulers
    pressed(opened, qtbot, Qt.Key.Key_A)
    pressed(opened, qtbot, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert view.rulers[0] - before[0] == pytest.approx(0.005, abs=0.0051)
    step = view.rulers[0]
    pressed(opened, qtbot, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert view.rulers[0] - step == pytest.approx(0.005, abs=1e-6)
    pressed(opened, qtbot, Qt.Key.Key_B)
    pressed(opened, qtbot, Qt.Key.Key_Left, Qt.KeyboardModifier.ControlModifier)
    assert opened.opened is not None
    events = event_instants(opened.opened.analysis.examination)
    assert min(abs(view.rulers[1] - e) for e in events) < 1e-6
    assert bar.between is not None
    assert bar.between.second_s == view.rulers[1]
    pressed(opened, qtbot, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    board = QApplication.clipboard()
    assert board is not None
    assert "track 2" in board.text()
    assert " V/s" in board.text()
    pressed(opened, qtbot, Qt.Key.Key_K)
    assert "No job is open" in opened.notice.text.text()
    opened.keep_opened()
    qtbot.waitUntil(lambda: opened.job is not None, timeout=20_000)
    opened.go("record")
    pressed(opened, qtbot, Qt.Key.Key_K)
    assert opened.job is not None
    (noted,) = of_kind(opened.job.entries, Noted)
    assert "V/s" in noted.words
    assert noted.from_s == pytest.approx(min(view.rulers))
    opened.set_theme(DIM.name)
    assert stumbles(opened) == []
    pressed(opened, qtbot, Qt.Key.Key_X)
    assert not bar.isVisible()
    assert view.rulers == ()


def test_values_between_two_instants_as_worked_by_hand() -> None:
    """A square wave by hand: 1 V and 4 V in turn of a second each."""
    time_s = np.arange(0.0, 10.0, 0.01)
    wave = np.where(time_s % 2.0 < 1.0, 1.0, 4.0)
    made = made_of(time_s, tps1_v=wave, vref_v=np.full_like(time_s, 5.0))
    found = between(made, analyse(made).examination, 0.5, 3.5, 2.5)
    track = found.rows[0]
    assert (track.first, track.second, track.difference) == (1.0, 4.0, 3.0)
    assert track.rate == pytest.approx(1.0)
    assert track.below == pytest.approx(0.5, abs=0.01)
    assert found.rows[1].below == 0.0
    back = between(made, analyse(made).examination, 3.5, 0.5, None).rows[0]
    assert (back.difference, back.below) == (-3.0, None)
    assert back.rate == pytest.approx(1.0)
    edges = edge_instants(made.channels[0])
    assert edges[:3] == pytest.approx((1.0, 2.0, 3.0))
    assert next_of(edges, 2.0, 1) == pytest.approx(3.0)
    assert next_of(edges, 2.0, -1) == pytest.approx(1.0)
    assert next_of(edges, 99.0, 1) is None
    assert next_sample(made.channels[0], 0.5, 1) == pytest.approx(0.51)
    assert next_sample(made.channels[0], 0.505, -1) == pytest.approx(0.5)
    assert next_sample(made.channels[0], 9.99, 1) == pytest.approx(9.99)


def is_told(window: MainWindow, words: str) -> bool:
    return window.notice.text.text() == words


def test_picture_and_data_go_out_and_bad_places_are_told(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    png, svg, csv = (tmp_path / f"p.{kind}" for kind in ("png", "svg", "csv"))
    opened.panel.time_view.show_span((3.0, 9.0), 0.0)
    for to in (png, svg, csv):
        opened.files.give_picture(to)
        qtbot.waitUntil(partial(is_told, opened, f"It is in {to.name}."), timeout=20_000)
        assert to.is_file()
    assert not QImage(str(png)).isNull()
    assert b"<svg" in svg.read_bytes()
    back = kept_recording(csv)
    made = case_named("loose-wire").make()
    assert {c.id for c in back.channels} == {c.id for c in made.channels}
    assert back.start_s >= 2.9
    assert back.end_s <= 9.1
    opened.files.give_picture(tmp_path / "p.gif")
    assert "accepted are" in opened.notice.text.text()
    opened.files.give_picture(tmp_path / "none" / "p.png")
    assert "can't be written" in opened.notice.text.text()
    assert sorted(p.name for p in tmp_path.iterdir() if p.name.startswith("p.")) == [
        "p.csv",
        "p.png",
        "p.svg",
    ]


def test_of_many_channels_the_tracks_come_first_and_the_rest_is_a_key_away(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    time_s = np.arange(0.0, 30.0, 0.02)
    travel = 50.0 - 50.0 * np.cos(time_s)
    names = {
        "tps1_v": 0.5 + 0.04 * travel, "tps2_v": 4.5 - 0.04 * travel, "vref_v": 5.0 + 0 * travel,
        "throttle_cmd_pct": travel, "pedal_pct": travel, "rpm": 800 + travel, "map_kpa": 40 + travel,
        "maf_gs": travel, "ect_c": 80 + 0 * travel, "batt_v": 13.8 + 0 * travel,
    }  # fmt: skip
    path = tmp_path / "many.csv"
    write_recording(made_of(time_s, **names), path)
    window.open_file(path)
    qtbot.waitUntil(lambda: window.opened is not None and not window.is_busy, timeout=30_000)
    panel, view = window.panel, window.panel.time_view
    panel.show_view("over time")
    assert view.arranged.channels == (
        "tps1_v",
        "tps2_v",
        "throttle_cmd_pct",
        "pedal_pct",
        "vref_v",
        "rpm",
    )
    qtbot.waitUntil(lambda: view.plots[0].height() > 0.5 * view.height(), timeout=20_000)
    assert panel.channels.text() == "channels · 6 of 10"
    view.show_span((4.0, 6.0), 0.0)
    pressed(window, qtbot, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    (dialog,) = panel.findChildren(ChannelsDialog)
    qtbot.keyClicks(dialog.search, "cool")
    there = [dialog.list.item(row) for row in range(dialog.list.count())]
    seen = [item for item in there if item is not None and not item.isHidden()]
    assert [item.text() for item in seen] == ["coolant, °C   ect_c"]
    dialog.list.setCurrentItem(seen[0])
    qtbot.keyClick(dialog.list, Qt.Key.Key_Space)
    assert "ect_c" in view.arranged.channels
    assert view.visible() == pytest.approx((4.0, 6.0), abs=0.05)
    assert stumbles(dialog) == []
    dialog.close()
    assert stumbles(window) == []
    view.arrange(Arranged())
    assert view.arranged.channels == usual_channels(
        window.opened.recording if window.opened else made_of(time_s)
    )


def test_forty_channels_scroll_and_no_name_widens_the_picture(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    time_s = np.arange(0.0, 20.0, 0.02)
    wave = 2.5 + 2.0 * np.sin(time_s)
    units = ("mV", "°C", "", "bar")
    others = tuple(
        Channel(other_kind(f"Thing <b>{n}", units[n % len(units)]), time_s, wave + n) for n in range(38)
    )
    made = made_of(time_s, tps1_v=wave, tps2_v=5.0 - wave)
    write_recording(Recording((*made.channels, *others)), tmp_path / "forty.csv")
    window.open_file(tmp_path / "forty.csv")
    qtbot.waitUntil(lambda: window.opened is not None and not window.is_busy, timeout=30_000)
    panel, view = window.panel, window.panel.time_view
    panel.show_view("over time")
    assert view.arranged.channels == ("tps1_v", "tps2_v")
    pressed(window, qtbot, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    (dialog,) = panel.findChildren(ChannelsDialog)
    everything = next(b for b in dialog.findChildren(QPushButton) if b.text() == "All")
    seen = view.visible()
    everything.click()
    dialog.close()
    assert panel.channels.text() == "channels · 40 of 40"
    assert view.visible() == pytest.approx(seen)
    qtbot.waitUntil(lambda: len(view.plots) == 5, timeout=20_000)
    qtbot.waitUntil(
        lambda: all(0 < p.getViewBox().width() <= view.width() for p in view.plots), timeout=20_000
    )
    title = view.plots[1].titleLabel.text
    assert "Thing &lt;b&gt;0, mV" in title
    assert "+" in title
    assert view.plots[0].height() > 0.25 * view.height()


def test_a_picture_that_grows_is_drawn_for_its_new_width(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    time_s = np.arange(0.0, 60.0, 0.005)
    wave = 2.5 + 2.0 * np.sin(time_s)
    write_recording(made_of(time_s, tps1_v=wave, tps2_v=5.0 - wave), tmp_path / "long.csv")
    window.open_file(tmp_path / "long.csv")
    qtbot.waitUntil(lambda: window.opened is not None and not window.is_busy, timeout=30_000)
    panel, view = window.panel, window.panel.time_view
    panel.show_view("over time")
    qtbot.wait(200)
    narrow, (_channel, _envelope, curve) = view.width(), view._curves[0]
    before = curve.xData.size
    pressed(window, qtbot, Qt.Key.Key_F11)
    qtbot.waitUntil(lambda: view.width() > 1.5 * narrow, timeout=20_000)
    qtbot.waitUntil(lambda: curve.xData.size > 1.3 * before, timeout=20_000)


def test_an_empty_logbook_offers_three_ways_to_begin(window: MainWindow, qtbot: QtBot) -> None:
    window.go("jobs")
    qtbot.waitUntil(window.home.welcome.isVisible, timeout=30_000)
    assert len(window.home.ways) == 3
    assert stumbles(window) == []
    qtbot.keyClicks(window.home.search, "No 77")
    assert not window.home.welcome.isVisible()
    assert "Enter begins a job" in window.home.empty.text()
    window.home.search.clear()
    qtbot.keyClick(window.home.ways[2], Qt.Key.Key_Space)
    assert window.panel.stack.currentWidget() is not window.panel.empty, "it is being opened"
    qtbot.waitUntil(lambda: window.opened is not None, timeout=30_000)
    window.close_recording()
    window.open_file(Path("/nowhere/at all.csv"))
    assert window.panel.stack.currentWidget() is not window.panel.empty
    qtbot.waitUntil(lambda: window.panel.stack.currentWidget() is window.panel.empty, timeout=30_000)


def test_live_in_a_job_keeps_the_jobs_name(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: not window.home.empty.text().startswith("Opening"), timeout=30_000)
    window.begin_job("No 9")
    qtbot.waitUntil(lambda: window.job is not None, timeout=20_000)
    window.connect_simulated("open-signal2~shake")
    qtbot.waitUntil(lambda: "times a second" in window.live_panel.state.text(), timeout=60_000)
    assert window.head.vehicle.text() == "No 9"
    assert window.head.state.text() == "live · watching · open"
    window.live.toggle_record()
    assert window.head.state.text() == "live · recording · open"
    window.live.toggle_record()
    window.live_part.leave()
    qtbot.waitUntil(lambda: window.head.state.text() == "open", timeout=20_000)
    assert window.head.vehicle.text() == "No 9"


def test_findings_are_filtered_by_channel_and_keep_their_numbers(window: MainWindow) -> None:
    listed = window.findings
    two = [
        Drop(
            channels=(name,), times_s=((at, at + 0.1),), confidence=0.9, text=f"drop of {name}",
            level=0.0, unit=Unit.VOLT, floor=Floor.GROUND, shared=Shared.SIGNAL, at_travel_pct=50.0,
            marks=(),
        )
        for name, at in (("tps1_v", 1.0), ("tps2_v", 2.0))
    ]  # fmt: skip
    listed.show_findings(tuple(two))
    assert listed.model.rowCount() == 2
    listed.only.setCurrentIndex(listed.only.findData("tps2_v"))
    listed.only.activated.emit(listed.only.currentIndex())
    assert listed.model.rowCount() == 1
    assert listed.model.number(0) == 1
    chosen: list[int] = []
    listed.chosen.connect(chosen.append)
    listed.choose(1)
    assert chosen[-1] == 1
    listed.choose(0)
    assert chosen[-1] == 0
    assert listed.model.rowCount() == 2
    listed.show_findings((two[0],))
    assert not listed.only.isVisible()
