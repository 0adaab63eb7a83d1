"""The real window: open, choose, look, change the theme, fail; by mouse and by keyboard."""

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, QSettings, Qt, QUrl
from PyQt6.QtGui import QColor, QDropEvent
from pytestqt.qtbot import QtBot

from conftest import SAMPLES
from nervus.domain.errors import Stopped
from nervus.domain.finding import Noise
from nervus.domain.progress import Progress
from nervus.standin.demo import CASES
from nervus.window.main_window import MainWindow
from nervus.window.tasks import Task
from nervus.window.theme import BRIGHT, DIM, THEMES, Theme
from widget_walk import contrast, stumbles

DEAD_SPOT = SAMPLES / "sample-05-dead-spot-drop.csv"
SOUND, ROUGH = (next(SAMPLES.glob(f"sample-{n}-*.csv")) for n in ("01", "08"))
WIRING = SAMPLES / "sample-09-wiring-drops.csv"


@pytest.fixture
def settled(qtbot: QtBot, window: MainWindow) -> Callable[[], None]:
    return lambda: qtbot.waitUntil(lambda: not window.is_busy, timeout=20_000)


def test_an_empty_window_says_what_to_do(window: MainWindow) -> None:
    assert window.panel.empty.isVisible()
    assert "Drop a recording" in window.panel.empty.findChildren(type(window.head.vehicle))[1].text()
    assert window.nerve.accessibleDescription() == "No stretch is suspected."


def test_a_recording_is_opened_judged_and_shown(window: MainWindow, settled: Callable[[], None]) -> None:
    window.open_file(DEAD_SPOT)
    assert window.panel.busy.isVisible()
    settled()
    assert window.judgement.headline.text() == "Almost surely the sensor, track 1."
    assert "track 1" in window.nerve.accessibleDescription()
    assert window.findings.model.rowCount() == 1
    assert window.judgement.reasons() == ["+ it fails at one place, pass after pass"]
    assert window.panel.stack.currentWidget() is window.panel.travel_view


def test_the_values_at_the_nerve_are_those_of_the_recording_that_is_shown(
    window: MainWindow, settled: Callable[[], None]
) -> None:
    """A rough stretch has no instant of its own: its place is shown; a sound recording shows none."""
    told: list[tuple[float, dict[str, float]]] = []
    window.nerve.show_moment = lambda place, volts: told.append((place, dict(volts)))  # type: ignore[method-assign, assignment] # listens
    window.panel.moment.connect(window.nerve.show_moment)
    window.open_file(WIRING)
    settled()
    assert told[-1][1]
    window.open_file(ROUGH)
    settled()
    place, volts = told[-1]
    assert window.opened is not None
    rough = window.opened.analysis.examination.findings[0]
    assert isinstance(rough, Noise)
    assert place == pytest.approx(sum(rough.travel_pct) / 2)
    assert set(volts) == {"tps1_v", "tps2_v"}
    window.open_file(SOUND)
    settled()
    assert told[-1] == (0.0, {})


def test_what_was_said_of_a_test_does_not_stand_above_the_list_of_jobs(window: MainWindow) -> None:
    window.notice.tell("It answers at the sensor plug.", calm=True, of_job=True)
    assert window.notice.isVisible()
    window.go("jobs")
    assert not window.notice.isVisible()
    window.notice.tell("The logbook was left over.", calm=True)
    window.go("record")
    window.go("jobs")
    assert window.notice.isVisible()


def test_the_circuit_explains_the_chosen_finding(
    window: MainWindow, settled: Callable[[], None]
) -> None:
    circuit = window.findings.circuit
    assert circuit.isHidden()
    window.open_demo("open-ground")
    settled()
    assert circuit.isVisible()
    assert "ground" in circuit.text
    window.findings.view.setCurrentIndex(window.findings.model.index(-1, 0))
    assert circuit.isHidden()
    window.open_demo("bent-track")
    settled()
    assert circuit.text.startswith("No single open, resistance or short")


def test_choosing_a_finding_moves_the_view_there_and_marks_it(
    window: MainWindow, settled: Callable[[], None], qtbot: QtBot
) -> None:
    window.open_file(WIRING)
    settled()
    window.panel.show_view("over time")
    view = window.panel.time_view
    window.findings.view.setFocus()
    qtbot.keyClick(window.findings.view, Qt.Key.Key_End)
    low, high = view.visible()
    assert low < 16.64
    assert high > 16.74
    assert high - low < 5.0
    assert any(abs(start - 16.64) < 0.05 for start, _ in view.marked())
    qtbot.keyClick(window.findings.view, Qt.Key.Key_Home)
    assert view.visible()[0] < 2.24 < view.visible()[1] < 10.0


def test_what_was_found_is_marked_as_wide_as_it_is_at_every_zoom(
    window: MainWindow, settled: Callable[[], None]
) -> None:
    """From afar wide enough to be seen, about its middle; from near no wider than it is."""
    window.open_file(WIRING)
    settled()
    window.panel.show_view("over time")
    view = window.panel.time_view
    view.show_whole()
    findings = view.in_lane()
    assert len(findings) == 7
    whole = view.visible()[1] - view.visible()[0]
    assert min(b - a for a, b in findings) == pytest.approx(0.004 * whole, rel=0.01)
    window.findings.choose(3)
    ((start, end),) = view.marked()
    (near,) = [s for s in view.in_lane() if s[0] <= (start + end) / 2 <= s[1]]
    assert sum(near) == pytest.approx(start + end, abs=1e-6)
    assert near[1] - near[0] <= max(end - start, 0.0041 * (view.visible()[1] - view.visible()[0]))


def test_clicking_in_the_picture_chooses_the_finding(
    window: MainWindow, settled: Callable[[], None], qtbot: QtBot
) -> None:
    window.open_file(WIRING)
    settled()
    window.panel.show_view("over time")
    view = window.panel.time_view
    window.findings.choose(3)
    box = view.plots[0].getViewBox()
    at = box.mapViewToScene(QPointF(7.85, 1.0))
    with qtbot.waitSignal(view.finding_clicked):
        qtbot.mouseClick(view.viewport(), Qt.MouseButton.LeftButton, pos=view.mapFromScene(at), delay=1)
    assert window.findings.number == 3


def test_the_plate_and_the_voltages_follow_the_cursor(
    window: MainWindow, settled: Callable[[], None]
) -> None:
    window.open_file(WIRING)
    settled()
    moments: list[tuple[float, dict[str, float]]] = []
    window.panel.moment.connect(lambda travel, volts: moments.append((travel, volts)))
    window.panel.time_view.hovered.emit(4.5)
    window.panel.travel_view.hovered.emit(50.0)
    travel, volts = moments[0]
    assert travel == pytest.approx(100.0, abs=2.0)
    assert volts["tps1_v"] == pytest.approx(4.45, abs=0.05)
    assert volts["vref_v"] == pytest.approx(4.97, abs=0.03)
    assert moments[1][1]["tps1_v"] == pytest.approx((0.45 + 4.45) / 2, abs=0.05)


def test_a_stretch_of_the_nerve_tells_its_reasons(
    window: MainWindow, settled: Callable[[], None], qtbot: QtBot
) -> None:
    window.open_file(WIRING)
    settled()
    window.nerve.setFocus()
    for _ in range(3):
        qtbot.keyClick(window.nerve, Qt.Key.Key_Right)
    assert window.judgement.reasons()[0].startswith("loose contact of signal 1 at the sensor plug")
    qtbot.mouseClick(window.judgement.back, Qt.MouseButton.LeftButton)
    assert window.judgement.reasons()[0].startswith("+")
    x = round(84 * window.nerve.width() / 1280)
    qtbot.mouseClick(window.nerve, Qt.MouseButton.LeftButton, pos=QPoint(x, 60))
    assert any("plate" in reason for reason in window.judgement.reasons())


def test_a_bad_file_is_told_in_place_and_what_was_open_stays(
    window: MainWindow, settled: Callable[[], None], tmp_path: Path
) -> None:
    window.open_file(DEAD_SPOT)
    settled()
    bad = tmp_path / "bad.csv"
    bad.write_text("time_s,tps1_v\n0,soon\n")
    window.open_file(bad)
    settled()
    assert window.panel.notice.isVisible()
    assert "bad.csv, line 2, column tps1_v" in window.panel.notice.text.text()
    assert window.panel.notice.text.text().endswith("What was open is kept.")
    assert window.opened is not None
    assert window.opened.recording.name == DEAD_SPOT.name


def test_a_file_dropped_on_the_window_is_opened(window: MainWindow, settled: Callable[[], None]) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(DEAD_SPOT))])
    window.dropEvent(
        QDropEvent(
            QPointF(300, 300),
            Qt.DropAction.CopyAction,
            data,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
    )
    settled()
    assert window.opened is not None


def test_theme_and_last_folder_are_remembered(
    window: MainWindow, settled: Callable[[], None], qtbot: QtBot, tmp_path: Path
) -> None:
    qtbot.keyClick(window, Qt.Key.Key_D)
    assert window.theme is DIM
    window.open_file(DEAD_SPOT)
    settled()
    window.close()
    settings = QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)
    again = MainWindow(settings)
    qtbot.addWidget(again)
    assert again.theme is DIM
    assert settings.value("folder") == str(DEAD_SPOT.parent)


def test_every_action_has_words_and_works_by_key_or_menu(
    window: MainWindow, settled: Callable[[], None], qtbot: QtBot
) -> None:
    window.open_demo("loose-wire")
    settled()
    first = window.findings.number
    qtbot.keyClick(window, Qt.Key.Key_N)
    assert window.findings.number == first + 1
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert window.findings.number == -1
    shown = window.panel.stack.currentWidget()
    qtbot.keyClick(window, Qt.Key.Key_V)
    assert window.panel.stack.currentWidget() is not shown
    view = window.panel.time_view
    view.setFocus()
    near = view.visible()
    qtbot.keyClick(view, Qt.Key.Key_Plus)
    assert view.visible()[1] - view.visible()[0] < 0.7 * (near[1] - near[0])
    qtbot.keyClick(view, Qt.Key.Key_Right)
    qtbot.keyClick(view, Qt.Key.Key_Home)
    assert view.visible() == pytest.approx(view.whole, abs=0.3)
    qtbot.keyClick(window, Qt.Key.Key_J)
    assert not window.judgement.isVisible()
    window.close_recording()
    assert window.panel.empty.isVisible()


def test_stopped_work_changes_nothing(window: MainWindow, qtbot: QtBot) -> None:
    window.open_demo("loose-wire")
    qtbot.mouseClick(window.panel.busy.stop, Qt.MouseButton.LeftButton)
    assert not window.is_busy
    assert window.opened is None
    assert not window.panel.busy.isVisible()


def test_a_task_that_is_stopped_ends_at_its_next_step(window: MainWindow) -> None:
    ended: list[str] = []

    def work(progress: Progress) -> str:
        task.stop()
        try:
            progress("one more step", 0.5)
        except Stopped:
            ended.append("stopped")
            raise
        return "never"

    task = Task(work, window)
    task.succeeded.connect(ended.append)
    task.run_here()
    assert ended == ["stopped"]


@pytest.mark.parametrize("size", [(1280, 800), (1024, 700)])
@pytest.mark.parametrize("theme", THEMES)
@pytest.mark.parametrize("case", [None, *(c.id for c in CASES)])
def test_nothing_is_cut_nameless_or_faint(
    case: str | None,
    theme: str,
    size: tuple[int, int],
    window: MainWindow,
    settled: Callable[[], None],
    qtbot: QtBot,
) -> None:
    window.set_theme(theme)
    window.resize(*size)
    if case is not None:
        window.open_demo(case)
        settled()
    window.panel.notice.tell("A sentence that is long enough to need two lines. " * 3)
    qtbot.wait(1)
    assert stumbles(window) == []


def test_nothing_needed_to_judge_scrolls_at_1280x800(
    window: MainWindow, settled: Callable[[], None]
) -> None:
    for case in CASES:
        window.open_demo(case.id)
        settled()
        assert not window.judgement.scrolls(), case.id


@pytest.mark.parametrize("theme", [BRIGHT, DIM], ids=["bright", "dim"])
@pytest.mark.parametrize(
    "token",
    ["ink", "muted", "action", "track_1", "track_2", "command", "pedal", "supply", "inflamed", "proved"],
)
def test_all_text_colours_keep_their_contrast(theme: Theme, token: str) -> None:
    """Source: WCAG 2.2, success criterion 1.4.3: at least 4.5:1."""
    for ground in (theme.ground, theme.surface):
        assert contrast(theme.color(token), QColor(ground)) >= 4.5
