"""What is kept beside a recording and what is laid below it: marks, remarks, known good, differences."""

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication, QLineEdit
from pytestqt.qtbot import QtBot
from scipy.stats import ttest_ind

from nervus.domain.analysis import Analysis
from nervus.domain.channel import Channel, Recording
from nervus.domain.job import Findings, KnownGood, Marked, Noted, of_kind
from nervus.drawn.channels import Arranged
from nervus.drawn.differing import CELLS, differing
from nervus.judge.analyse import analyse
from nervus.standin.capture import OPPOSITE, Sampler, simulate
from nervus.standin.motion import Stroke
from nervus.window.jobs.pick_recording import PickRecording
from nervus.window.main_window import MainWindow
from nervus.window.pictures.channels_dialog import ChannelsDialog
from nervus.window.pictures.marks_dialog import MarksDialog, WordsAt
from nervus.window.pictures.marks_strip import ROW, Label
from signals import recording as made_of
from widget_walk import stumbles

SWEEPS = (Stroke(100.0, 2.0, 0.5), Stroke(0.0, 2.0, 0.5)) * 4


def swept(seed: int, bent: float = 0.0) -> tuple[Recording, Analysis]:
    """Four sweeps; with `bent`, track 1 is so many volts too high between 40 and 60 % of travel."""
    recording = simulate(OPPOSITE, SWEEPS, Sampler(), seed=seed).recording
    plain = analyse(recording)
    travel = plain.examination.travel
    assert travel is not None
    channels = []
    for channel in recording.channels:
        values = channel.values
        if channel.id == "tps1_v":
            place = np.interp(channel.time_s, travel.time_s, travel.percent)
            values = values + bent * ((place > 40.0) & (place < 60.0))
        channels.append(Channel(channel.kind, channel.time_s, values))
    return Recording(tuple(channels), (), "made"), plain


def test_a_bend_is_told_where_it_is_and_sound_ones_do_not_differ() -> None:
    first, seen = swept(1)
    other, other_seen = swept(2)
    false = 0
    for track in differing(first, seen.examination, other, other_seen.examination):
        false += len(track.outside)
        assert "no difference beyond" in track.text
    assert false == 0
    bent, bent_seen = swept(3, 0.08)
    tracks = {
        d.channel: d for d in differing(bent, bent_seen.examination, other, other_seen.examination)
    }
    places = tracks["tps1_v"].outside
    assert places[0][0] == pytest.approx(40.0, abs=1.5)
    assert places[-1][1] == pytest.approx(60.0, abs=1.5)
    middle = tracks["tps1_v"].less[45:55]
    assert middle == pytest.approx(np.full(10, 2.0), abs=0.3)  # 0.08 V of a span of 4 V
    assert tracks["tps2_v"].outside == ()
    assert tracks["tps1_v"].text.startswith("track 1: differs over 40 to 60 %, by +")


def test_the_band_is_that_of_welch_with_room_for_all_places() -> None:
    """Against SciPy's Welch test, place by place, over opening passes alone."""
    pairs = [swept(seed) for seed in (4, 5)]
    opening = []
    for made, whole in pairs:
        passes = tuple(p for p in whole.examination.passes if p.to_pct > p.from_pct)
        opening.append((made, replace(whole.examination, passes=passes)))
    (one, seen_one), (two, seen_two) = opening
    found = differing(one, seen_one, two, seen_two)[0]
    assert seen_one.travel is not None
    frame = seen_one.travel.frames["tps1_v"]
    span = abs(frame.open - frame.closed)
    known = int(np.isfinite(found.band).sum())
    steps = sum(
        next(c.step for c in s.channels if c.id == "tps1_v") / np.sqrt(12.0)
        for s in (seen_one, seen_two)
    )
    for cell in (20, 50, 80):
        means = []
        for recording, seen in opening:
            track, travel = recording.get("tps1_v"), seen.travel
            assert track is not None
            assert travel is not None
            place = np.interp(track.time_s, travel.time_s, travel.percent)
            own = []
            for p in seen.passes:
                inside = (track.time_s >= p.start_s) & (track.time_s < p.end_s)
                here = inside & (place >= cell) & (place < cell + 1)
                own.append((track.values[here] - frame.at(0.0) - span * place[here] / 100.0).mean())
            means.append(own)
        test = ttest_ind(means[0], means[1], equal_var=False)
        interval = test.confidence_interval(1.0 - 0.05 / known)
        half = (interval.high - interval.low) / 2.0
        assert found.less[cell] == pytest.approx(100.0 * (interval.high + interval.low) / 2.0 / span)
        assert found.band[cell] == pytest.approx(100.0 * (half + steps) / span)


def test_places_that_were_crossed_too_seldom_are_not_told() -> None:
    once = (Stroke(100.0, 2.0, 0.5),)
    recording = simulate(OPPOSITE, once, Sampler(), seed=6).recording
    seen = analyse(recording).examination
    for track in differing(recording, seen, recording, seen):
        assert np.isnan(track.band).all()
        assert track.band.size == CELLS
        assert "too few passes" in track.text


@pytest.fixture
def kept(window: MainWindow, qtbot: QtBot) -> MainWindow:
    """A job with the recording of a demo case, opened over time."""
    qtbot.waitUntil(lambda: not window.home.empty.text().startswith("Opening"), timeout=30_000)
    window.open_demo("loose-wire")
    qtbot.waitUntil(lambda: window.opened is not None and not window.is_busy, timeout=30_000)
    window.keep_opened()
    window.go("record")
    again(window, qtbot)
    return window


def again(window: MainWindow, qtbot: QtBot) -> None:
    """Open the job's recording from the disk."""
    qtbot.waitUntil(lambda: bool(window.record.newest), timeout=20_000)
    window.record.wanted.emit(window.record.newest)
    qtbot.waitUntil(lambda: bool(window.recordings.shown_id) and not window.is_busy, timeout=30_000)
    window.panel.show_view("over time")


def typed(dialog: MarksDialog, qtbot: QtBot, words: str) -> None:
    editor = next(e for e in dialog.table.findChildren(QLineEdit) if e.isVisible())
    editor.selectAll()
    qtbot.keyClicks(editor, words)
    qtbot.keyClick(editor, Qt.Key.Key_Return)
    QApplication.processEvents()


def test_marks_and_remarks_are_added_moved_renamed_and_the_file_stays(
    kept: MainWindow, qtbot: QtBot
) -> None:
    assert kept.job is not None
    assert kept.opened is not None
    path = kept.opened.path
    assert path is not None
    before, marks = path.read_bytes(), len(kept.opened.recording.marks)
    headline = of_kind(kept.job.entries, Findings)[-1].id
    qtbot.keyClick(kept, Qt.Key.Key_M)
    dialog = kept.findChild(MarksDialog)
    assert dialog is not None
    typed(dialog, qtbot, "shake the harness")
    (right,) = of_kind(kept.job.entries, Marked)
    assert len(right.marks) == marks + 1
    strip = kept.panel.time_view.strip
    assert "shake the harness" in strip.shown
    row = next(n for n, r in enumerate(dialog.rows) if r.text == "shake the harness")
    dialog.table.setCurrentCell(row, 0)
    dialog.table.editItem(dialog.table.item(row, 0))
    typed(dialog, qtbot, "soon")
    assert "is no instant of the recording" in dialog.wrong.text()
    dialog.table.editItem(dialog.table.item(row, 0))
    typed(dialog, qtbot, "2,5 s")
    (right,) = of_kind(kept.job.entries, Marked)
    assert 2.5 in {m.time_s for m in right.marks}
    dialog.remark.click()
    typed(dialog, qtbot, "here the driver felt it")
    (remark,) = of_kind(kept.job.entries, Noted)
    assert remark.recording == kept.recordings.shown_id
    assert stumbles(dialog) == []
    dialog.close()
    kept.panel.time_view.show_whole()
    QApplication.processEvents()
    key = next(p.label.key for p in strip._placed if p.text == "here the driver felt it")
    strip.moved.emit(key, 4.0)
    (moved,) = of_kind(kept.job.entries, Noted)
    assert (moved.id, moved.from_s) == (remark.id, 4.0)
    strip.moved.emit(key, 1e9)
    assert of_kind(kept.job.entries, Noted)[0].from_s == kept.opened.recording.end_s
    assert path.read_bytes() == before
    # Judged anew with the marks of now, in place of what was found before.
    qtbot.waitUntil(lambda: not kept.beside.anew.is_busy, timeout=30_000)
    again(kept, qtbot)
    assert kept.opened.recording.marks[-1].text in {m.text for m in right.marks}
    assert len(kept.opened.recording.marks) == marks + 1
    assert of_kind(kept.job.entries, Findings)[-1].id == headline
    kept.beside.put(tuple(r for r in kept.beside.rows() if not r.is_remark))
    assert of_kind(kept.job.entries, Noted) == ()
    kept.job_part.undo()
    assert len(of_kind(kept.job.entries, Noted)) == 1


def test_what_is_open_is_told_anew_where_one_is_looking(kept: MainWindow, qtbot: QtBot) -> None:
    assert kept.opened is not None
    marks = len(kept.opened.recording.marks)
    kept.findings.choose(3)
    kept.panel.time_view.show_span((5.0, 12.0), 0.0)
    shown = kept.panel.time_view.visible()
    kept.panel.toggle_measure()
    assert len(kept.panel.time_view.rulers) == 2
    kept.beside.put((*kept.beside.rows(), WordsAt("new", 8.0, 8.0, "shake the plug", is_remark=False)))
    qtbot.waitUntil(lambda: not kept.beside.anew.is_busy, timeout=30_000)
    assert len(kept.opened.recording.marks) == marks + 1
    assert kept.panel.time_view.visible() == pytest.approx(shown)
    assert kept.findings.number == 3
    assert len(kept.panel.time_view.rulers) == 2


def test_without_a_job_words_have_no_place_and_that_is_told(window: MainWindow, qtbot: QtBot) -> None:
    window.open_demo("loose-wire")
    qtbot.waitUntil(lambda: window.opened is not None and not window.is_busy, timeout=30_000)
    assert window.beside.ask() is None
    assert "begin one with this recording" in window.notice.text.text()
    window.beside.toggle_known_good()
    assert "kept with a job" in window.notice.text.text()


def test_a_known_good_one_of_another_job_is_laid_below_by_keys(kept: MainWindow, qtbot: QtBot) -> None:
    qtbot.keyClick(kept, Qt.Key.Key_G, Qt.KeyboardModifier.ControlModifier)
    assert kept.job is not None
    assert len(of_kind(kept.job.entries, KnownGood)) == 1
    kept.go("jobs")
    kept.go("record")
    assert kept.opened is None
    kept.open_demo("dead-spot")
    qtbot.waitUntil(lambda: kept.opened is not None and not kept.is_busy, timeout=30_000)
    qtbot.keyClick(kept, Qt.Key.Key_U, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: kept.findChild(PickRecording) is not None, timeout=10_000)
    dialog = kept.findChild(PickRecording)
    assert dialog is not None
    first = dialog.list.item(0)
    assert first is not None
    assert first.text().startswith("★ known good")
    assert stumbles(dialog) == []
    qtbot.keyClicks(dialog.search, "nothing like it")
    qtbot.keyClick(dialog, Qt.Key.Key_Return)
    assert dialog.isVisible()
    dialog.search.clear()
    qtbot.keyClick(dialog, Qt.Key.Key_Return)
    panel = kept.panel
    qtbot.waitUntil(lambda: panel.below.under is not None, timeout=30_000)
    assert kept.record.under.currentText().startswith("below it: ")
    panel.show_view("over travel")
    assert panel.below.differs.isVisible()
    assert "track 1" in panel.below.differs.text()
    assert stumbles(kept) == []
    panel.show_view("over time")
    kept.activateWindow()
    view = panel.time_view
    view.setFocus()
    qtbot.waitUntil(view.hasFocus, timeout=20_000)
    shift = panel.below.shift_s
    low, high = panel.time_view.visible()
    qtbot.keyClick(kept, Qt.Key.Key_BracketRight)
    assert panel.below.shift_s == pytest.approx(shift + 0.02 * (high - low))
    qtbot.keyClick(kept, Qt.Key.Key_Y)
    assert panel.below.shift_s == pytest.approx(shift)
    panel.toggle_measure()
    one, two = panel.time_view.rulers
    qtbot.keyClick(kept, Qt.Key.Key_Y)
    assert panel.below.shift_s == pytest.approx(shift + one - two)
    kept.under.lay("")
    assert panel.below.under is None


def many() -> Recording:
    time_s = np.arange(0.0, 20.0, 0.02)
    travel = 50.0 - 50.0 * np.cos(time_s)
    return made_of(
        time_s, tps1_v=0.5 + 0.04 * travel, tps2_v=4.5 - 0.04 * travel, rpm=800 + travel,
        map_kpa=40 + travel, throttle_cmd_pct=travel, pedal_pct=travel,
    )  # fmt: skip


def test_channels_are_ordered_put_apart_and_made_taller_by_keys(
    window: MainWindow, qtbot: QtBot
) -> None:
    recording = many()
    panel, view = window.panel, window.panel.time_view
    panel.show_recording("many", recording, analyse(recording))
    panel.show_view("over time")
    dialog = panel.ask_for_channels()
    assert isinstance(dialog, ChannelsDialog)
    dialog._tick_all(tuple(c.id for c in recording.channels))
    assert [len(channels) for _plot, channels in view._shown] == [2, 1, 2, 1]
    dialog.list.setCurrentRow(3)
    moved = dialog.shown[3]
    qtbot.keyClick(dialog.list, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert view.arranged.channels[2] == moved
    qtbot.keyClick(dialog.list, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert view.arranged.heights[moved] == pytest.approx(1.25)
    dialog.apart.click()
    assert [len(channels) for _plot, channels in view._shown] == [1] * 6
    assert [c.id for _plot, (c,) in view._shown][:2] == ["tps1_v", "tps2_v"]
    assert stumbles(dialog) == []
    dialog.close()
    view.arrange(Arranged())
    high = view.plots[1].height()
    at = view.mapFromScene(view.plots[1].sceneBoundingRect().center())
    wheel = QWheelEvent(
        QPointF(at), QPointF(view.mapToGlobal(at)), QPoint(0, 0), QPoint(0, 120),
        Qt.MouseButton.NoButton, Qt.KeyboardModifier.ControlModifier,
        Qt.ScrollPhase.NoScrollPhase, False,  # noqa: FBT003 - Qt's own argument
    )  # fmt: skip
    view.wheelEvent(wheel)
    qtbot.waitUntil(lambda: view.plots[1].height() > high, timeout=20_000)


def test_labels_that_meet_get_rows_and_none_leaves_the_picture(window: MainWindow) -> None:
    recording = many()
    window.panel.show_recording("many", recording, analyse(recording))
    window.panel.show_view("over time")
    view = window.panel.time_view
    labels = [Label(str(n), f"a mark of some length {n}", n * 0.8, n * 0.8) for n in range(3)]
    labels.append(Label("end", "the last thing that was done", 19.9, 19.9))
    view.show_words(labels)
    QApplication.processEvents()
    placed = view.strip._placed
    assert [p.text for p in placed] == [label.text for label in labels]
    assert {p.rect.top() for p in placed[:3]} == {0.0, ROW, 2.0 * ROW}
    area = view.plots[0].getViewBox().sceneBoundingRect()
    assert all(p.rect.left() >= area.left() and p.rect.right() <= area.right() + 1 for p in placed)
    for one in placed:
        assert not any(one is not o and one.rect.intersects(o.rect) for o in placed)
    view.show_words([])
    assert view.strip.height == 0
