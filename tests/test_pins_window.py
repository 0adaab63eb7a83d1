"""The station Pins in the window, by keyboard: a table, its contradiction, two ends, ohms, a meter."""

from collections.abc import Callable
from functools import partial
from itertools import combinations

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QComboBox, QLabel, QScrollArea
from pytestqt.qtbot import QtBot

from nervus.domain.job import Change, Guided, Job, MeterUsed, Reading, Setting, Source, of_kind
from nervus.domain.plug import PinRole, PlugEnd
from nervus.domain.profile import ThrottleKind
from nervus.logbook import Logbook
from nervus.standin.depot_pins import pin_jobs
from nervus.standin.instrument import InstrumentServer
from nervus.standin.vehicle import SimulatedVehicle
from nervus.standin.vehicle_server import VehicleServer
from nervus.window.main_window import MainWindow
from nervus.window.pages.mend_page import MendPage
from nervus.window.pages.procedure_dialog import ProcedureDialog
from nervus.window.pins.face_dialog import FaceDialog, written_rows
from nervus.window.pins.meter_dialog import MeterDialog
from nervus.window.pins.pins_page import PinsPage
from nervus.window.pins.setting_dialog import SettingDialog
from nervus.window.pins.window_bar import WindowBar
from nervus.window.sounds.setting_tone import SettingTone, SettledTone
from nervus.window.theme import DIM
from test_pins_solving import SIX
from widget_walk import stumbles

ENTER = Qt.Key.Key_Return


def began(window: MainWindow, qtbot: QtBot, throttle: ThrottleKind, name: str = "No 9") -> PinsPage:
    """The page of pins on a new job."""
    qtbot.waitUntil(lambda: not window.home.empty.text().startswith("Opening"), timeout=30_000)
    window.begin_job(name)
    qtbot.waitUntil(lambda: window.job is not None, timeout=20_000)
    job = window.job
    assert job is not None
    window.job_part.set_vehicle(replace(job.vehicle, throttle=throttle, description="nine-seat bus"))
    window.go("pins")
    page = window.stations.page("pins")
    assert isinstance(page, PinsPage)
    return page


def draw(page: PinsPage, rows: str, **roles: PinRole) -> None:
    """The plug by its rows, through the dialog."""
    page.draw.click()
    (dialog,) = page.findChildren(FaceDialog)
    dialog.rows.setText(rows)
    dialog.rows.editingFinished.emit()
    for row in range(dialog.table.rowCount()):
        label, box = dialog.table.item(row, 0), dialog.table.cellWidget(row, 1)
        assert label is not None
        assert isinstance(box, QComboBox)
        box.setCurrentText(roles.get(f"p{label.text()}", PinRole.UNKNOWN).value)
    dialog._keep()
    dialog.setParent(None)


def typed(page: PinsPage, qtbot: QtBot, *texts: str) -> None:
    """Each text and Enter, where the focus is."""
    for text in texts:
        target = QApplication.focusWidget() or page.line
        assert target is page.line
        qtbot.keyClicks(target, text)
        qtbot.keyClick(target, ENTER)


def solved(page: PinsPage, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: not page.solver.busy and page.state is not None, timeout=30_000)


def readings(window: MainWindow) -> tuple[Reading, ...]:
    assert window.job is not None
    return of_kind(window.job.entries, Reading)


def kept(window: MainWindow, qtbot: QtBot) -> Job:
    assert window.job is not None
    qtbot.waitUntil(lambda: not window.job_part.keeper.waits, timeout=30_000)
    book = Logbook(window.job_part.keeper.path)
    job = book.job(window.job.id)
    book.close()
    return job


THREE = {"p1": PinRole.SIGNAL_1, "p2": PinRole.GROUND, "p3": PinRole.SUPPLY}


def test_a_table_of_fifteen_pairs_is_fifteen_values_and_fifteen_enters(
    window: MainWindow, qtbot: QtBot
) -> None:
    page = began(window, qtbot, ThrottleKind.ELECTRONIC)
    draw(page, "1 2 3 / 4 5 6")
    page.begin()
    values = [part.split(" ")[1] for part in SIX.split(", ")]
    typed(page, qtbot, *values)
    read = readings(window)
    assert [(r.black, r.red) for r in read] == list(combinations("123456", 2))
    assert all(r.signed for r in read)
    assert [r.nothing for r in read] == [v == "-" for v in values]
    assert page.where.text().startswith("All pairs are measured")
    assert len(of_kind(kept(window, qtbot).entries, Reading)) == 15


def test_the_contradiction_is_named_marked_and_taken_again(window: MainWindow, qtbot: QtBot) -> None:
    """The check table as it was read by eye, pasted whole; then the one pair again."""
    page = began(window, qtbot, ThrottleKind.ELECTRONIC)
    draw(page, "1 2 3 / 4 5 6")
    page.begin()
    page.line.setText(SIX)
    qtbot.keyClick(page.line, ENTER)
    assert {r.source for r in readings(window)} == {Source.PASTED}
    solved(page, qtbot)
    first = page.sentences.item(0)
    assert first is not None
    assert first.text().startswith("✗  2-4 read 10.07 V contradicts all others: 5.68 V would fit")
    assert page.state is not None
    wrong = [row.reading for row in page.state.rows if row.wrong]
    page.table.setCurrentCell(6, 0)
    assert page.table.current == wrong[0]
    qtbot.mouseClick(page.remove, Qt.MouseButton.LeftButton)
    page.begin()
    typed(page, qtbot, "-5.68")
    solved(page, qtbot)
    told = [item.text() for k in range(page.sentences.count()) if (item := page.sentences.item(k))]
    assert not any(text.startswith("✗") for text in told)
    window.job_part.undo()
    assert len(readings(window)) == 14


def test_three_wires_are_told_apart_and_their_roles_go_onto_the_plug(
    window: MainWindow, qtbot: QtBot
) -> None:
    """Source: common practice, no published source: 5.0, 0.86 to 4.5, 0.0 V to battery negative."""
    page = began(window, qtbot, ThrottleKind.CABLE)
    draw(page, "1 2 3")
    page.begin()
    page.order.setCurrentIndex(1)
    page.order.activated.emit(1)
    typed(page, qtbot, "5.0", "0.86", "0.0", "wide open", "5.0", "4.5", "0.0")
    assert page.conditions.situation.throttle == "throttle wide open"
    solved(page, qtbot)
    assert "pin 2 · signal 1, over 98 in 100: follows the throttle by 3.64 V" in page.view.about("2")
    typed(page, qtbot, "?")
    assert "pin 1 · supply, over 98 in 100" in window.notice.text.text()
    qtbot.mouseClick(page.roles, Qt.MouseButton.LeftButton)
    face = page.face
    assert face is not None
    assert [p.role for p in face.pins] == [PinRole.SUPPLY, PinRole.SIGNAL_1, PinRole.GROUND]
    assert readings(window)[-1].where == "pin 3 to battery negative at the sensor plug"


def test_two_ends_of_a_line_say_where_the_signal_is_lost_and_what_to_measure_next(
    window: MainWindow, qtbot: QtBot
) -> None:
    page = began(window, qtbot, ThrottleKind.CABLE)
    draw(page, "1 2 3", **THREE)
    page.begin()
    typed(page, qtbot, "1 0.62", "2 0.01", "3 4.99")
    page.show_plug(PlugEnd.UNIT)
    draw(page, "1 2 3", **THREE)
    page.begin()
    typed(page, qtbot, "1 0.01", "2 0.0", "3 5.0")
    solved(page, qtbot)
    told = [item.text() for k in range(page.sentences.count()) if (item := page.sentences.item(k))]
    assert any("signal 1: 0.61" in t and "is lost from plug to plug" in t for t in told)
    assert any("Readings at the pins alone fit" in t and "signal 1" in t for t in told)
    assert page.drawn_circuit.isEnabled()
    qtbot.mouseClick(page.drawn_circuit, Qt.MouseButton.LeftButton)
    assert page.side.currentWidget() is page.sheet_of_circuit
    assert "signal 1" in page.circuit.text
    page.order.setCurrentIndex(2)
    page.order.activated.emit(2)
    assert page.expected.text().startswith("Expected: sound")
    before = (page.plug, page.conditions.situation)
    if "Enter goes there" in page.where.text():
        page.begin()
        qtbot.keyClick(page.line, ENTER)
        assert (page.plug, page.conditions.situation) != before
    assert window.judgement.headline.text().startswith(("Most likely", "Almost surely"))


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("1-1 4.3", "a pin with itself"),
        ("1-9 4.3", "no pin “9”"),
        ("1-2 120", "can't be at this plug"),
        ("1-2 4x", "no unit of a reading"),
        ("1-2 5 ohm", "turn it off, write “key off”"),
    ],
)
def test_bad_input_is_one_sentence_and_the_line_stays(
    window: MainWindow, qtbot: QtBot, text: str, said: str
) -> None:
    page = began(window, qtbot, ThrottleKind.CABLE)
    draw(page, "1 2 3", **THREE)
    page.begin()
    typed(page, qtbot, text)
    assert said in window.notice.text.text()
    assert page.line.text() == text
    assert QApplication.focusWidget() in (page.line, None)
    assert readings(window) == ()


def test_ohms_need_the_key_off_and_the_battery_isolated_once_a_job(
    window: MainWindow, qtbot: QtBot
) -> None:
    page = began(window, qtbot, ThrottleKind.CABLE)
    draw(page, "1 2 3", **THREE)
    page.begin()
    typed(page, qtbot, "key off", "plug off", "2-3 2.2k")
    assert "battery isolated" in window.notice.text.text()
    assert readings(window) == ()
    page.line.clear()
    typed(page, qtbot, "isolated", "2-3 2.2k", "1-2 nothing", "1 OL")
    assert [(r.value, r.unit, r.nothing) for r in readings(window)] == [
        (2200.0, "Ω", False), (0.0, "Ω", True), (0.0, "Ω", True),
    ]  # fmt: skip
    assert [g.guide for g in of_kind(kept(window, qtbot).entries, Guided)] == ["battery_isolated"]


def test_a_reading_is_corrected_in_its_place_and_repeated_beside_it(
    window: MainWindow, qtbot: QtBot
) -> None:
    page = began(window, qtbot, ThrottleKind.CABLE)
    draw(page, "1 2 3", **THREE)
    page.begin()
    typed(page, qtbot, "0.5", "4.9")
    first = readings(window)[0]
    page.table.setCurrentCell(0, 0)
    page.table.cellActivated.emit(0, 0)
    assert page.line.text() == "1-2 0.5 V"
    page.line.setText("1-2 -0.6")
    qtbot.keyClick(page.line, ENTER)
    assert next((r.id, r.value) for r in readings(window)) == (first.id, -0.6)
    typed(page, qtbot, "1-2 -0.61")
    assert [r.value for r in readings(window)] == [-0.6, 4.9, -0.61]
    window.job_part.undo()
    window.job_part.undo()
    assert readings(window)[0].value == 0.5


def test_a_sensor_is_set_from_mend_too(window: MainWindow, qtbot: QtBot) -> None:
    began(window, qtbot, ThrottleKind.CABLE)
    window.go("mend")
    page = window.stations.page("mend")
    assert isinstance(page, MendPage)
    qtbot.mouseClick(page.setting, Qt.MouseButton.LeftButton)
    (dialog,) = page.findChildren(SettingDialog)
    assert dialog.ask.text().startswith("What is the target")
    dialog.close()


def test_more_than_five_volts_on_a_line_of_five_is_asked_about_once(
    window: MainWindow, qtbot: QtBot
) -> None:
    page = began(window, qtbot, ThrottleKind.CABLE)
    draw(page, "1 2 3", **THREE)
    page.begin()
    typed(page, qtbot, "1 12.4")
    assert "more than lines of 5 V carry" in window.notice.text.text()
    assert readings(window) == ()
    qtbot.keyClick(page.line, ENTER)
    assert [r.value for r in readings(window)] == [12.4]


def test_a_reading_told_in_words_is_still_a_reading(window: MainWindow, qtbot: QtBot) -> None:
    page = began(window, qtbot, ThrottleKind.CABLE)
    page.begin()
    typed(page, qtbot, "ground at the sensor plug, key on: 0.02 V")
    (told,) = readings(window)
    assert told.red is None
    assert told.value == 0.02
    typed(page, qtbot, "nonsense")
    assert "ends in no value" in window.notice.text.text()


def test_pins_are_chosen_by_the_mouse_too(window: MainWindow, qtbot: QtBot) -> None:
    page = began(window, qtbot, ThrottleKind.CABLE)
    draw(page, "1 2 3", **THREE)
    face = page.face
    assert face is not None
    for label in ("3", "1"):
        pin = face.pin(label)
        assert pin is not None
        spot = page.view._spot(pin)
        at = QPoint(round(spot.x()), round(spot.y()))
        qtbot.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=at)
    assert page.next == ("3", "1")
    typed(page, qtbot, "-4.1")
    assert (readings(window)[0].black, readings(window)[0].red) == ("3", "1")


def test_a_plug_and_a_sound_table_are_kept_for_the_next_of_the_type(
    window: MainWindow, qtbot: QtBot
) -> None:
    page = began(window, qtbot, ThrottleKind.CABLE)
    page.good.click()
    assert "Draw the plug first" in window.notice.text.text()
    page.draw.click()
    (dialog,) = page.findChildren(FaceDialog)
    dialog.rows.setText("A B - C")
    dialog.rows.editingFinished.emit()
    dialog.keep_for_type.setChecked(True)
    dialog._keep()
    dialog.setParent(None)
    page.begin()
    typed(page, qtbot, "A-B 0.5", "A-C 5.0")
    page.good.click()
    assert "2 readings are kept as known good for “nine-seat bus”" in window.notice.text.text()
    qtbot.waitUntil(lambda: len(page.kept) == 2, timeout=20_000)
    again = began(window, qtbot, ThrottleKind.CABLE, "No 10")
    again.draw.click()
    (dialog,) = again.findChildren(FaceDialog)
    offered = [dialog.begin.itemText(k) for k in range(dialog.begin.count())]
    assert "kept: nine-seat bus" in offered
    dialog.begin.setCurrentIndex(offered.index("kept: nine-seat bus"))
    dialog.begin.activated.emit(offered.index("kept: nine-seat bus"))
    assert dialog.rows.text() == "A B - C"
    dialog._keep()
    dialog.setParent(None)
    again.begin()
    typed(again, qtbot, "A-B 0.5", "A-C 3.9")
    solved(again, qtbot)
    told = [item.text() for k in range(again.sentences.count()) if (item := again.sentences.item(k))]
    assert any("A to C 3.90 V" in t for t in told)


@pytest.mark.parametrize(
    ("rows", "said"),
    [
        ("", "No pin is written"),
        ("1 1 2", "there twice"),
        ("1 a_b", "is no pin"),
        (" ".join(str(k) for k in range(300)), "more than a plug has"),
    ],
)
def test_a_plug_that_can_t_be_is_refused_in_a_sentence(
    window: MainWindow, qtbot: QtBot, rows: str, said: str
) -> None:
    page = began(window, qtbot, ThrottleKind.CABLE)
    page.draw.click()
    (dialog,) = page.findChildren(FaceDialog)
    dialog.rows.setText(rows)
    dialog._keep()
    assert said in dialog.wrong.text()
    assert dialog.result() == 0
    dialog.rows.setText("1 2 - 3 / A")
    dialog._take_rows()
    boxes = [dialog.table.cellWidget(row, 1) for row in (0, 1)]
    for box in boxes:
        assert isinstance(box, QComboBox)
        box.setCurrentText("supply")
    dialog._keep()
    assert "Two pins are said to be supply" in dialog.wrong.text()
    box = dialog.table.cellWidget(1, 1)
    assert isinstance(box, QComboBox)
    box.setCurrentText("signal 1")
    dialog._keep()
    assert dialog.face is not None
    assert written_rows(dialog.face.pins) == "1 2 - 3 / A"


def test_in_a_low_window_nothing_lies_over_the_plug_and_keys_scroll_it(
    window: MainWindow, qtbot: QtBot
) -> None:
    """As low as a screen of 1280 by 800 is at 150 %."""
    window.resize(960, 640)
    page = began(window, qtbot, ThrottleKind.CABLE)
    draw(page, "1 2 3 / 4 5 6")
    area = page.view.parentWidget()
    qtbot.waitUntil(lambda: area is not None and area.height() < page.view.height())
    assert area is not None
    bottom = area.mapTo(page, area.rect().bottomLeft()).y()
    assert bottom < page.where.mapTo(page, page.where.rect().topLeft()).y()
    scrolls = area.parentWidget()
    assert isinstance(scrolls, QScrollArea)
    bar = scrolls.verticalScrollBar()
    assert bar is not None
    qtbot.keyClick(scrolls, Qt.Key.Key_Down)
    assert bar.value() > 0


def test_the_meter_is_said_once_and_counts(window: MainWindow, qtbot: QtBot) -> None:
    page = began(window, qtbot, ThrottleKind.CABLE)
    page.sheet.click()
    (dialog,) = page.findChildren(MeterDialog)
    dialog.fields["percent"].setText("fifty")
    dialog._keep()
    assert "a percent between 0 and 20" in dialog.wrong.text()
    dialog.fields["percent"].setText("1,2")
    dialog.fields["ohms"].setText("1")
    dialog._keep()
    (meter,) = of_kind(kept(window, qtbot).entries, MeterUsed)
    assert (meter.ohms, meter.percent, meter.digits) == (1e6, 1.2, 2)


def test_the_simulated_meter_is_taken_by_itself_pin_after_pin(window: MainWindow, qtbot: QtBot) -> None:
    """The stand-in's probes go where the page points; its driver's pins load as the divider says."""
    vehicle = SimulatedVehicle(ThrottleKind.ELECTRONIC)
    page = began(window, qtbot, ThrottleKind.ELECTRONIC)
    draw(page, "1 2 3 / 4 5 6")
    with VehicleServer(vehicle) as server, InstrumentServer(vehicle, server.lock) as bench:
        where = f"127.0.0.1:{bench.port}"
        window.live_part.__dict__["controller"] = _Connected(where)
        page.order.setCurrentIndex(1)
        qtbot.mouseClick(page.meter, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: len(readings(window)) == 6, timeout=60_000)
        assert page.meter.text().startswith("Meter ")
        # While a sensor is set, what settles is none of the page's.
        assert window.pins_meter is not None
        assert window.pins_meter.link is not None
        page.order.setCurrentIndex(0)
        page.order.activated.emit(0)
        assert not page.setting.isEnabled()
        window.stations._set_sensor(page)
        (dialog,) = page.findChildren(SettingDialog)
        qtbot.waitUntil(lambda: QApplication.activeModalWidget() is dialog, timeout=20_000)
        before = len(readings(window))
        window.pins_meter._settled(4.2)
        assert len(readings(window)) == before
        qtbot.waitUntil(lambda: dialog.live_v is not None, timeout=20_000)
        dialog.close()
        qtbot.mouseClick(page.meter, Qt.MouseButton.LeftButton)
        assert not page.meter.isChecked()
        assert bench.put_probes("sensor.9", "battery-") is False
        assert bench.metered_v() != bench.metered_v()
    del window.live_part.__dict__["controller"]
    read = {r.red: r.value for r in readings(window) if r.black == ""}
    assert read["4"] == pytest.approx(5.0, abs=0.02)
    assert read["1"] == pytest.approx(0.0, abs=0.02)
    assert read["3"] + read["6"] == pytest.approx(5.0, abs=0.9)
    assert {r.source for r in readings(window)} == {Source.VEHICLE}


class _Connected:
    """Stands for a live controller that has the simulated vehicle connected."""

    is_live = True
    stand_in = None
    session = None

    def __init__(self, where: str) -> None:
        self.instrument = where

    def leave(self) -> None:
        """Nothing is held."""

    def wait(self) -> None:
        """Nothing is waited for."""


def test_a_meter_that_is_not_there_is_told_and_the_button_comes_up(
    window: MainWindow, qtbot: QtBot
) -> None:
    page = began(window, qtbot, ThrottleKind.CABLE)
    window.live_part.__dict__["controller"] = _Connected("127.0.0.1:1")
    qtbot.mouseClick(page.meter, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not page.meter.isChecked(), timeout=20_000)
    assert window.notice.text.text()
    del window.live_part.__dict__["controller"]


# -- setting a sensor --------------------------------------------------------------------------------


def test_a_sensor_is_set_by_keyboard_and_the_change_is_written(window: MainWindow, qtbot: QtBot) -> None:
    """Source: common practice, no published source: 0.28 and 4.20 V set to 0.50 read 4.42 wide open."""
    page = began(window, qtbot, ThrottleKind.CABLE)
    qtbot.mouseClick(page.setting, Qt.MouseButton.LeftButton)
    (dialog,) = page.findChildren(SettingDialog)
    for text in ("0.50", "0.28", "4.20", "5.0", "plate on its stop"):
        qtbot.keyClicks(dialog.line, text)
        qtbot.keyClick(dialog.line, ENTER)
    assert "Wide open will read 4.42 V (within the limits)" in dialog.told.text()
    assert dialog.ask.text() == "Turn it to the window"
    dialog.show_live(0.47)
    assert dialog.bar.verdict == "0.02 V below"
    dialog.show_live(0.505)
    assert dialog.bar.verdict == "inside"
    qtbot.keyClick(dialog.line, ENTER)
    dialog.show_live(0.52)
    assert "+0.015 V" in dialog.how.text()
    for text in ("0.56", "0.50", "4.42", "78 %", "yes"):
        qtbot.keyClicks(dialog.line, text)
        qtbot.keyClick(dialog.line, ENTER)
    assert dialog.ask.text() == "Set."
    job = kept(window, qtbot)
    (setting,) = of_kind(job.entries, Setting)
    assert setting.is_set
    assert (setting.old_closed_v, setting.loose_v, setting.closed_v) == (0.28, 0.505, 0.5)
    assert [c.done for c in of_kind(job.entries, Change)] == [
        "sensor set: 0.50 V closed, 4.42 V wide open, was 0.28 V"
    ]
    dialog.close()


def test_a_setting_goes_on_where_it_was_left_and_a_slot_that_ends_is_told(
    window: MainWindow, qtbot: QtBot
) -> None:
    page = began(window, qtbot, ThrottleKind.CABLE)
    page.setting.click()
    (dialog,) = page.findChildren(SettingDialog)
    for text in ("0.96 to 0.98", "0.80", "4.20", "5.0", "-"):
        dialog.line.setText(text)
        dialog._entered()
    dialog.line.setText("a lot")
    dialog._entered()
    assert "no value in volts" in dialog.wrong.text()
    dialog.setParent(None)
    page.setting.click()
    (dialog,) = page.findChildren(SettingDialog)
    assert dialog.ask.text() == "Turn it to the window"
    dialog.radius.setText("22")
    dialog.radius.editingFinished.emit()
    dialog.line.setText("end 0.88")
    dialog._entered()
    assert "0.08 V short, 2.0° or 0.7 mm" in dialog.told.text()
    assert dialog.ask.text().startswith("Not set")
    dialog.radius.setText("far")
    dialog.radius.editingFinished.emit()
    assert "not a radius in mm" in dialog.wrong.text()
    assert of_kind(kept(window, qtbot).entries, Change) == ()
    qtbot.mouseClick(dialog.again, Qt.MouseButton.LeftButton)
    assert dialog.ask.text().startswith("What is the target")
    dialog.tone.click()
    dialog.close()


def test_the_tone_rises_to_the_window_holds_inside_and_breaks_up_above() -> None:
    tone = SettingTone()
    assert not tone.sound(0.1).any()
    pitches = []
    for volts in (0.1, 0.3, 0.48, 0.5):
        tone.feed(volts, 0.49, 0.51)
        pitches.append(tone.pitch_hz)
    assert pitches == sorted(pitches)
    assert pitches[-1] == pytest.approx(880.0)
    steady = tone.sound(0.5)
    assert steady.any()
    tone.feed(0.6, 0.49, 0.51)
    broken = tone.sound(1.0)
    assert (broken == 0).mean() > 0.4 > (steady == 0).mean()
    ring = SettledTone()
    assert not ring.sound(0.1).any()
    ring.ring()
    assert ring.sound(0.1).any()
    assert not ring.sound(0.5)[2205:].any()


def test_the_bar_says_where_the_value_stands(qtbot: QtBot) -> None:
    bar = WindowBar()
    qtbot.addWidget(bar)
    assert bar.verdict == ""
    bar.show_value(0.6, 0.49, 0.51)
    assert bar.accessibleDescription() == "0.600 V, 0.09 V above; window 0.49 to 0.51 V"


def test_base_idle_is_guided_and_kept(window: MainWindow, qtbot: QtBot) -> None:
    page = began(window, qtbot, ThrottleKind.CABLE)
    qtbot.mouseClick(page.guide, Qt.MouseButton.LeftButton)
    (dialog,) = page.findChildren(ProcedureDialog)
    assert "Fans start by themselves" in dialog.caution.text()
    for text in ("", "", "", "maybe"):
        qtbot.keyClicks(dialog.line, text)
        qtbot.keyClick(dialog.line, ENTER)
    assert "neither yes nor no" in dialog.wrong.text()
    dialog.line.clear()
    qtbot.keyClicks(dialog.line, "no")
    qtbot.keyClick(dialog.line, ENTER)
    assert "one full turn" in dialog.text.text()
    dialog.setParent(None)
    page.guide.click()
    (dialog,) = page.findChildren(ProcedureDialog)
    assert "one full turn" in dialog.text.text()
    (done,) = of_kind(kept(window, qtbot).entries, Guided)
    assert done.done["runs"] == "no"
    dialog.close()


# -- the demo, and how it looks ------------------------------------------------------------------------


def _put(job: Job, book: Logbook) -> None:
    book.put_job(job)


@pytest.fixture
def demo(window: MainWindow, qtbot: QtBot) -> Callable[[int], PinsPage]:
    """Opens one of the three jobs of the pins at its station."""
    jobs = []
    for course in pin_jobs():
        job = Job(
            id=course.job.id,
            vehicle=course.job.vehicle,
            opened=course.job.opened,
            entries=tuple(course.entries),
        )
        jobs.append(job)
        window.job_part.keeper.write(f"job {job.id}", partial(_put, job))
    window.job_part.refresh()
    qtbot.waitUntil(lambda: window.home.model.rowCount() == 3, timeout=20_000)

    def open_(number: int) -> PinsPage:
        window.open_job(jobs[number].id, "pins")
        qtbot.waitUntil(
            lambda: window.job is not None and window.job.id == jobs[number].id, timeout=20_000
        )
        page = window.stations.page("pins")
        assert isinstance(page, PinsPage)
        qtbot.waitUntil(lambda: page.job is window.job, timeout=20_000)
        solved(page, qtbot)
        return page

    return open_


def test_each_job_of_the_demo_shows_what_it_is_for(
    demo: Callable[[int], PinsPage], window: MainWindow
) -> None:
    page = demo(0)
    told = [item.text() for k in range(page.sentences.count()) if (item := page.sentences.item(k))]
    assert any("signal 2" in t and "lost from plug to plug" in t for t in told)
    assert "signal 2" in window.judgement.headline.text()
    page = demo(1)
    first = page.sentences.item(0)
    assert first is not None
    assert "5.68 V would fit" in first.text()
    heading = [label.text() for label in window.judgement.findChildren(QLabel)]
    assert bool(window.judgement.reasons()) == ("Because" in heading)
    page = demo(2)
    page.setting.click()
    (dialog,) = page.findChildren(SettingDialog)
    assert "0.08 V short" in dialog.told.text()
    dialog.close()


@pytest.mark.parametrize("theme", ["bright", DIM.name])
def test_nobody_stumbles_over_the_page_or_its_dialogs(
    demo: Callable[[int], PinsPage], window: MainWindow, qtbot: QtBot, theme: str
) -> None:
    window.set_theme(theme)
    for number in (0, 1, 2):
        page = demo(number)
        qtbot.wait(50)
        assert stumbles(window) == []
    for button, kind in (
        (page.draw, FaceDialog), (page.sheet, MeterDialog), (page.setting, SettingDialog),
        (page.guide, ProcedureDialog),
    ):  # fmt: skip
        button.click()
        (dialog,) = page.findChildren(kind)
        qtbot.waitExposed(dialog)
        assert stumbles(dialog) == [], kind
        dialog.close()
        dialog.setParent(None)
