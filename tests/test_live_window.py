"""Live: the parts by themselves, and the real window with the simulated vehicle in its own process."""

import socket
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtWidgets import QMessageBox
from pytestqt.qtbot import QtBot

from nervus.domain.channel import CHANNEL_KINDS, Channel, Recording
from nervus.domain.job import CodeSet, CodeState, Source, of_kind
from nervus.files import read_recording
from nervus.files.journal import SUFFIX, Journal
from nervus.judge.analyse import analyse
from nervus.link.source import Block
from nervus.standin.capture import OPPOSITE, Sampler, simulate
from nervus.standin.motion import Stroke
from nervus.window.jobs.left_over_dialog import LeftOverDialog
from nervus.window.live.codes_dialog import CodesDialog
from nervus.window.live.live_guide import guide_text
from nervus.window.live.live_trace import LiveTrace, RecentSamples
from nervus.window.main_window import MainWindow
from nervus.window.sounds.wiggle_tone import RATE_HZ, WiggleTone
from nervus.window.theme import DIM
from widget_walk import stumbles

WIRING = Path(__file__).parent / "data" / "samples" / "sample-09-wiring-drops.csv"


@given(
    st.lists(st.integers(1, 60), min_size=1, max_size=12),
    st.floats(0.0005, 0.02),
    st.integers(0, 2**31),
)
def test_a_live_curve_shows_the_least_and_greatest_of_each_bin(
    sizes: list[int], step_s: float, seed: int
) -> None:
    """Against the same done anew over all samples, however they came in."""
    random = np.random.default_rng(seed)
    trace = LiveTrace(2.0, 50)
    time_s = np.linspace(0.0, (sum(sizes) - 1) * step_s, sum(sizes))
    values = random.normal(size=time_s.size)
    at = 0
    for size in sizes:
        trace.add(time_s[at : at + size], values[at : at + size])
        at += size
    bins = np.floor(time_s / 0.04).astype(int)
    kept = bins > bins[-1] - 51
    times, shown = trace.points()
    expected = [(values[(bins == b)].min(), values[bins == b].max()) for b in np.unique(bins[kept])]
    assert shown.reshape(-1, 2) == pytest.approx(np.asarray(expected))
    assert times.size == shown.size
    assert trace.last == values[-1]


def test_what_is_recent_stays_bounded() -> None:
    recent = RecentSamples(10.0)
    for number in range(500):
        recent.add("tps1_v", number + np.arange(100) / 100.0, np.zeros(100))
    time_s, values = recent.channels()["tps1_v"]
    assert time_s[-1] - time_s[0] < 12.0
    assert values.size <= 1200


def broke(tone: WiggleTone) -> bool:
    return tone.broken


def test_the_tone_follows_the_signal_and_breaks_when_it_drops() -> None:
    """Two octaves from 330 Hz over the supply: half of it is one octave up, 660 Hz."""
    tone = WiggleTone()
    tone.feed(np.arange(10) / 1e4, np.full(10, 2.5))
    tone.sound(0.2)
    sound = tone.sound(1.0).astype(float)
    spectrum = np.abs(np.fft.rfft(sound))
    assert np.argmax(spectrum) * RATE_HZ / sound.size == pytest.approx(660.0, abs=3.0)
    assert np.abs(np.diff(sound)).max() < 0.25 * 32767 * 2 * np.pi * 700 / RATE_HZ  # no clicks
    rounded = np.interp(np.arange(200) / 1e4, [0.005, 0.006, 0.012, 0.013], [2.5, 1.5, 1.5, 2.5])
    tone.feed(0.1 + np.arange(200) / 1e4, rounded)
    assert broke(tone)
    broken = tone.sound(0.2)
    assert np.all(broken[: int(0.1 * RATE_HZ)] == 0)
    assert np.abs(broken[-100:]).max() > 1000
    tone.feed(np.linspace(0.13, 0.15, 200), np.linspace(2.5, 2.9, 200))
    assert not broke(tone)
    quick = WiggleTone()
    quick.feed(np.arange(10) / 70.0, np.linspace(0.7, 4.2, 10))  # a foot, polled 70 times a second
    assert not broke(quick)


def test_without_a_signal_there_is_silence() -> None:
    assert not WiggleTone().sound(0.1).any()


def test_the_sweep_is_guided_by_pace_and_gaps() -> None:
    def text(strokes: tuple[Stroke, ...], electronic: bool = True) -> str:  # noqa: FBT001, FBT002 - a test's helper
        made = simulate(OPPOSITE, strokes, Sampler(), seed=3).recording
        return guide_text(analyse(made).examination, electronic=electronic)

    assert "never by a finger" in text((Stroke(0.0, 3.0, 8.0),))
    assert "by hand at the lever" in text((Stroke(0.0, 3.0, 8.0),), electronic=False)
    fast = (Stroke(100.0, 0.5, 1.0), Stroke(0.0, 0.5, 1.0)) * 2
    assert "Slower" in text(fast)
    half = (Stroke(50.0, 3.0, 1.0), Stroke(0.0, 3.0, 1.0)) * 2
    assert "Not swept yet" in text(half)
    enough = (Stroke(100.0, 3.0, 1.0), Stroke(0.0, 3.0, 1.0)) * 4
    assert text(enough).startswith("Enough: 8 passes")


@pytest.fixture
def live(qtbot: QtBot, tmp_path: Path) -> object:
    settings = QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)
    settings.setValue("recordings", str(tmp_path / "recordings"))
    window = MainWindow(settings)
    window.resize(1280, 800)
    qtbot.addWidget(window)
    window.show()
    yield window
    window.close()


def connected(window: MainWindow, qtbot: QtBot, fault: str = "open-signal2~shake") -> None:
    window.connect_simulated(fault)
    told = window.panel.notice
    qtbot.waitUntil(
        lambda: "times a second" in window.live_panel.state.text() or told.isVisible(), timeout=30_000
    )
    assert not told.isVisible(), told.text.text()
    qtbot.waitUntil(lambda: "tps2_v" in window.live_panel.view.latest, timeout=20_000)


def laid_out(window: MainWindow, qtbot: QtBot) -> None:
    """What the first values made wider has its room as soon as the loop comes to it."""
    qtbot.waitUntil(lambda: not stumbles(window), timeout=5_000)


def test_an_intermittent_fault_is_caught_recorded_and_judged(
    live: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    connected(live, qtbot)
    assert live.middle.currentWidget() is live.live_panel
    laid_out(live, qtbot)
    live.set_theme(DIM.name)
    laid_out(live, qtbot)
    live.live_panel.view.setFocus()
    qtbot.keyClick(live, Qt.Key.Key_R)
    assert live.live.session is not None
    assert live.live.session.is_recording
    live.live_panel.hands.pedal.setValue(40)
    qtbot.keyClick(live, Qt.Key.Key_1)
    live.live_panel.words.setText("pin {2}")
    qtbot.keyClick(live.live_panel.words, Qt.Key.Key_Return)
    live.live.shake(on=True)
    qtbot.waitUntil(lambda: live.findings.model.rowCount() > 0, timeout=40_000)
    live.live.shake(on=False)
    live.findings.choose(0)  # a fault in the event loop would fail the test
    assert "2" in live.nerve.accessibleDescription()
    with qtbot.waitSignal(live.live.recorded, timeout=10_000):
        qtbot.mouseClick(live.live_panel.record, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: live.opened is not None and not live.is_busy, timeout=30_000)
    assert live.middle.currentWidget() is live.panel
    (kept,) = (tmp_path / "recordings").glob("*.nervus-journal")
    recording = read_recording(kept)
    track = recording.get("tps2_v")
    assert track is not None
    steps = np.diff(track.time_s)  # a busy machine may make the stand-in stand still: a gap, no loss
    assert np.median(steps) == pytest.approx(1e-4, abs=1e-6)
    assert steps.min() > 0.9e-4
    assert [m.text for m in recording.marks] == ["shake", "pin {2}"]
    assert not live.live.is_live


def test_codes_are_read_and_cleared_only_after_a_yes(live: MainWindow, qtbot: QtBot) -> None:
    live.connect_simulated("open-signal2")
    qtbot.waitUntil(lambda: "times a second" in live.live_panel.state.text(), timeout=30_000)
    dialog = live.live.codes()
    assert dialog is not None
    qtbot.addWidget(dialog)
    qtbot.waitUntil(lambda: dialog.table.rowCount() >= 3, timeout=15_000)
    listed = {dialog.table.item(row, 1).text() for row in range(dialog.table.rowCount())}  # type: ignore[union-attr] # every cell is filled
    assert "P0222-16" in listed
    assert "Frozen by P0222" in dialog.frame.text()
    dialog.clear.click()
    (box,) = dialog.findChildren(QMessageBox)
    assert "Write it down first" in box.informativeText()
    box.buttons()[1].click()
    dialog.read()
    qtbot.waitUntil(
        lambda: "codes" in dialog.state.text() and "asking" not in dialog.state.text(), timeout=15_000
    )
    assert dialog.table.rowCount() >= 3
    dialog.clear.click()
    box = next(b for b in dialog.findChildren(QMessageBox) if b.isVisible())
    next(b for b in box.buttons() if b.text() == "Yes, do it").click()
    qtbot.waitUntil(lambda: "control unit 0: cleared" in dialog.state.text(), timeout=15_000)
    assert "control unit 2: refused" in dialog.state.text()
    dialog.learn.click()
    box = next(b for b in dialog.findChildren(QMessageBox) if b.isVisible())
    assert "fingers" in box.informativeText()
    next(b for b in box.buttons() if b.text() == "Yes, do it").click()
    qtbot.waitUntil(lambda: "has learned" in dialog.state.text(), timeout=15_000)
    dialog.close()


def test_readings_are_typed_shown_and_recorded(live: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    live.live.type_readings("tps1_v")
    qtbot.waitUntil(lambda: live.live_panel.state.text() == "connected", timeout=20_000)
    live.live.toggle_record()
    for text in (".51", "0,62 V", "nonsense", "800 mV"):
        live.live_panel.words.setText(text)
        qtbot.keyClick(live.live_panel.words, Qt.Key.Key_Return)
    assert "no voltage" in live.live_panel.notice.text.text()
    qtbot.waitUntil(lambda: live.live_panel.view.latest.get("tps1_v") == 0.8, timeout=20_000)
    live.live.toggle_record()
    qtbot.waitUntil(lambda: live.opened is not None, timeout=10_000)
    (kept,) = (tmp_path / "recordings").glob("*.nervus-journal")
    track = read_recording(kept).get("tps1_v")
    assert track is not None
    assert list(track.values) == [0.51, 0.62, 0.8]


def test_a_sweep_by_ohms_is_a_recording(live: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    live.live.type_readings("tps1_pct", 4_000.0)
    qtbot.waitUntil(lambda: live.live_panel.state.text() == "connected", timeout=20_000)
    live.live.toggle_record()
    for text in ("800", "1,2k", "2 kΩ", "0.5 V", "12k"):
        live.live_panel.words.setText(text)
        qtbot.keyClick(live.live_panel.words, Qt.Key.Key_Return)
    assert "more than the track of 4000" in live.live_panel.notice.text.text()
    qtbot.waitUntil(lambda: live.live_panel.view.latest.get("tps1_pct") == 50.0, timeout=20_000)
    live.live.toggle_record()
    qtbot.waitUntil(lambda: live.opened is not None, timeout=10_000)
    (kept,) = (tmp_path / "recordings").glob("*.nervus-journal")
    track = read_recording(kept).get("tps1_pct")
    assert track is not None
    assert list(track.values) == [20.0, 30.0, 50.0]


def test_the_frame_flashes_where_there_is_no_sound(live: MainWindow, qtbot: QtBot) -> None:
    connected(live, qtbot)
    live.live_panel.tone.click()
    dropped = Block("tps1_v", np.arange(3) / 100.0, np.asarray([2.5, 0.0, 2.5]))
    still = Block("tps1_v", 1.0 + np.arange(3) / 100.0, np.full(3, 2.5))
    live.live._hear({"tps1_v": [dropped, still]})
    assert live.live_panel.property("flash")
    qtbot.waitUntil(lambda: not live.live_panel.property("flash"), timeout=20_000)
    live.live.leave()
    assert live.middle.currentWidget() is live.panel


def test_a_vehicle_that_is_not_there_is_told(live: MainWindow, qtbot: QtBot) -> None:
    live.live.connect_vehicle("socketcan:nosuchbus0")
    qtbot.waitUntil(live.panel.notice.isVisible, timeout=10_000)
    assert "can't be opened" in live.panel.notice.text.text()
    with socket.create_server(("127.0.0.1", 0)) as silent:
        live.live.connect_vehicle(f"standin:{silent.getsockname()[1]}")
        qtbot.waitUntil(lambda: "key on" in live.panel.notice.text.text(), timeout=10_000)


def test_codes_of_the_connected_vehicle_are_kept_in_the_job_with_what_was_frozen(
    live: MainWindow, qtbot: QtBot
) -> None:
    connected(live, qtbot, "open-signal2")
    live.begin_job("No 6")
    assert live.live_part.is_live
    live.go("codes")
    live.stations.page("codes").read.click()  # type: ignore[attr-defined] # the page of codes
    dialog = live.live_panel.findChild(CodesDialog)
    assert dialog is not None
    qtbot.waitUntil(lambda: dialog.table.rowCount() >= 3, timeout=15_000)
    assert dialog.keep.isVisible()
    dialog.keep.click()
    assert live.job is not None
    (found,) = of_kind(live.job.entries, CodeSet)
    codes = {c.code: c for c in found.codes}
    assert found.source is Source.VEHICLE
    assert codes["P0222-16"].frame["batt_v"] == pytest.approx(12.6, abs=0.2)
    assert codes["P0222-16"].states[0] is CodeState.STORED
    assert codes["P0222-16"].status is not None
    assert live.judgement.headline.text().startswith("It lies between the sensor and its wiring")
    live.live_part.leave()


def test_a_recording_that_was_cut_off_is_offered(qtbot: QtBot, tmp_path: Path) -> None:
    folder = tmp_path / "recordings"
    folder.mkdir()
    journal = Journal(folder / f"cut{SUFFIX}")
    for channel in read_recording(WIRING).channels:
        journal.samples(channel.id, channel.time_s, channel.values)
    journal.close()
    settings = QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)
    settings.setValue("recordings", str(folder))
    window = MainWindow(settings)
    qtbot.addWidget(window)
    window.show()
    assert "1 recording is in no job: cut off" in window.notice.text.text()
    window.notice.act.click()
    (dialog,) = window.findChildren(LeftOverDialog)
    assert stumbles(dialog) == []
    qtbot.keyClick(dialog.list, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.opened is not None and not window.is_busy, timeout=20_000)
    assert [p.name for p in folder.iterdir()] == [f"cut{SUFFIX}"]  # offered until it is in a job
    window.keep_opened()
    qtbot.waitUntil(lambda: [p.name for p in folder.iterdir()] == ["cut.nervus"], timeout=20_000)
    window.close()


def test_drops_at_ten_thousand_samples_a_second_are_drops() -> None:
    """Input filters round an edge over many samples; here each takes a millisecond, ten samples."""
    time_s = np.arange(0.0, 12.0, 1e-4)
    at = 50.0 - 45.0 * np.cos(2 * np.pi * time_s / 6.0)
    volts = 0.5 + 0.04 * at
    planted = (2.0, 5.1, 8.3)
    for start in planted:
        volts = np.interp(time_s, time_s, volts)
        shape = np.interp(time_s - start, [0.0, 0.001, 0.02, 0.021], [0.0, 1.0, 1.0, 0.0])
        volts = volts * (1.0 - shape)
    volts += np.random.default_rng(1).normal(0.0, 0.002, volts.size)
    recording = Recording((Channel(CHANNEL_KINDS["tps1_v"], time_s, volts),))
    found = analyse(recording).examination.findings
    assert [f.kind for f in found] == ["drop"] * 3
    assert [f.times_s[0][0] for f in found] == pytest.approx(planted, abs=0.003)
    assert Block("tps1_v", time_s, volts).values.size == volts.size
