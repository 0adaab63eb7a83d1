"""What there is to connect to: listed as it comes and goes, chosen and connected by keys alone."""

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QSettings, Qt
from pytestqt.qtbot import QtBot

from nervus.link import bus_health, ways
from nervus.link.ways import Kind, Way, ways_there
from nervus.window.live.connect_page import ConnectPage
from nervus.window.main_window import MainWindow
from widget_walk import stumbles


def test_a_can_interface_says_whether_it_is_up(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Source: the kernel's `Documentation/ABI/testing/sysfs-class-net`: `type` 280, `operstate`."""
    for name, kind, state in (("can0", "280", "up"), ("can1", "280", "down"), ("eth0", "1", "up")):
        (tmp_path / name).mkdir()
        (tmp_path / name / "type").write_text(f"{kind}\n", encoding="ascii")
        (tmp_path / name / "operstate").write_text(f"{state}\n", encoding="ascii")
    for module in (bus_health, ways):
        monkeypatch.setattr(module, "_NET", tmp_path)
    found = {w.where: w for w in ways_there() if w.title.startswith("CAN")}
    assert set(found) == {"socketcan:can0", "socketcan:can1"}
    assert found["socketcan:can0"].state.startswith("up")
    assert "ip link set can1 up" in found["socketcan:can1"].state
    (tmp_path / "can1" / "operstate").unlink()
    found = {w.where: w for w in ways_there() if w.title.startswith("CAN")}
    assert "may have been unplugged" in found["socketcan:can1"].state


def test_it_is_all_there_by_keys_and_what_is_plugged_in_appears(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    there: list[Way] = []
    listing: Callable[[], tuple[Way, ...]] = lambda: tuple(there)  # noqa: E731 - a stand-in for the machine
    monkeypatch.setattr("nervus.window.live.connect_page.ways_there", listing)
    window.resize(1280, 800)
    before = window.middle.currentWidget()
    qtbot.keyClick(
        window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    )
    page = window.middle.currentWidget()
    assert isinstance(page, ConnectPage)
    assert not window.findings.isVisible()
    assert stumbles(window) == []
    assert page.way is not None
    assert page.way.title == "Another bus or adapter"
    qtbot.waitUntil(lambda: page._task is None)
    there.append(Way(Kind.VEHICLE, "socketcan:can7", "CAN interface can7", "up"))
    page.look()
    qtbot.waitUntil(lambda: bool(page.list.findItems("can7", Qt.MatchFlag.MatchContains)))
    assert page.way.title == "Another bus or adapter"  # nothing is chosen away under the hand
    page.choose_kind(Kind.VEHICLE)
    assert page.vehicle.where.currentText() == "socketcan:can7"
    page.vehicle.unit.setText("engine")
    qtbot.keyClick(page.list, Qt.Key.Key_Return)
    assert "is no control unit" in page.vehicle.wrong.text()
    there.clear()
    page.look()
    qtbot.waitUntil(lambda: page.way is not None and page.way.title == "The simulated vehicle")
    qtbot.keyClick(page.list, Qt.Key.Key_Escape)
    assert window.middle.currentWidget() is before
    assert window.findings.isVisible()


def test_enter_connects_the_simulated_vehicle(window: MainWindow, qtbot: QtBot) -> None:
    page = window.live_part.show_connect_page("VEHICLE")
    page.list.setCurrentRow(1)
    qtbot.keyClick(page.list, Qt.Key.Key_Return)
    assert window.live_part.is_live
    qtbot.waitUntil(lambda: "times a second" in window.live_panel.state.text(), timeout=30_000)
    assert window.middle.currentWidget() is window.live_panel


def test_a_look_that_fails_says_so_and_keeps_what_was_seen(
    tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    seen = (Way(Kind.VEHICLE, "socketcan:can7", "CAN interface can7", "up"),)
    broken = False

    def listing() -> tuple[Way, ...]:
        if broken:
            raise OSError("no such bus")
        return seen

    monkeypatch.setattr("nervus.window.live.connect_page.ways_there", listing)
    page = ConnectPage(QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(page)
    page.look()
    qtbot.waitUntil(lambda: page._ways == seen)
    broken = True
    page.look()
    qtbot.waitUntil(lambda: not page.trouble.isHidden())
    assert page.trouble.text().startswith("What is plugged in now could not be seen: ")
    assert page.list.findItems("can7", Qt.MatchFlag.MatchContains)
    broken = False
    page.look()
    qtbot.waitUntil(page.trouble.isHidden)
