"""Agreeing on what a table of another program is: proposed, seen as understood, remembered, changed."""

import math
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from nervus.tables.mapping import CLOCK, DATE
from nervus.window.jobs.mapping_dialog import MappingDialog
from nervus.window.main_window import MainWindow
from widget_walk import stumbles


def table(path: Path, head: str, scale: float = 1.0, unit_time: float = 1.0, gaps: int = 0) -> Path:
    rows = []
    for n in range(300):
        volts = 2.5 - 1.9 * math.cos(n / 40)
        one = "---" if n < gaps else f"{volts * scale:.4g}"
        rows.append(f"{n * 0.02 * unit_time:.6g};{one};{(5 - volts) * scale:.4g}")
    path.write_text(head + "\n" + "\n".join(rows) + "\n")
    return path


def asked(window: MainWindow, qtbot: QtBot) -> MappingDialog:
    def shown() -> list[MappingDialog]:
        return [d for d in window.findChildren(MappingDialog) if d.isVisible()]

    qtbot.waitUntil(lambda: bool(shown()), timeout=20_000)
    (dialog,) = shown()
    return dialog


def opened(window: MainWindow, qtbot: QtBot) -> dict[str, tuple[float, float]]:
    qtbot.waitUntil(lambda: window.opened is not None and not window.is_busy, timeout=30_000)
    assert window.opened is not None
    return {
        c.id: (float(c.values.min()), float(c.values.max())) for c in window.opened.recording.channels
    }


def understood(dialog: MappingDialog) -> list[str]:
    items = (dialog.table.item(row, 4) for row in range(dialog.table.rowCount()))
    return [item.text() for item in items if item is not None]


def test_a_unit_that_can_not_be_is_asked_and_shown_as_it_will_be_understood(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    window.open_file(table(tmp_path / "x.csv", "Time;TPS1;TPS2", scale=1000.0, unit_time=1000.0, gaps=3))
    dialog = asked(window, qtbot)
    said = dialog.doubts.text()
    assert "“TPS1”: 605.2 to 4393 V can't be; it looks like mV" in said
    assert "“Time” has no unit that is written out; it looks like ms" in said
    assert [unit.currentData() for unit in dialog.units] == ["ms", "mV", "mV"]
    assert understood(dialog) == ["0, 0.02, 0.04 s", "0.6053, 0.6095, 0.6148 V", "4.4, 4.399, 4.398 V"]
    assert len(dialog.preview.plots) == 1
    assert dialog.read.isEnabled()
    assert stumbles(dialog) == []
    dialog.units[1].setCurrentIndex(dialog.units[1].findData("V"))
    assert "can't be; it looks like mV" in dialog.problem.text()
    assert not dialog.read.isEnabled()
    dialog.units[1].setCurrentIndex(dialog.units[1].findData("mV"))
    dialog.read.click()
    found = opened(window, qtbot)
    assert found["tps1_v"] == pytest.approx((0.6, 4.4), abs=0.02)
    assert window.opened is not None
    assert window.opened.recording.duration_s == pytest.approx(5.98)
    assert "has no value in 3 of 300 rows" in window.panel.notice.text.text()
    assert window.panel.notice.property("calm"), "nothing went wrong"
    window.open_file(tmp_path / "not there.csv")
    qtbot.waitUntil(lambda: not window.panel.notice.property("calm"), timeout=10_000)
    assert "can't be read" in window.panel.notice.text.text()


def test_our_own_names_with_values_that_can_not_be_are_asked_too(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    path = table(tmp_path / "x.csv", "time_s;tps1_v;tps2_v", scale=1000.0)
    path.write_text(path.read_text().replace(";", ","))
    window.open_file(path)
    dialog = asked(window, qtbot)
    assert dialog.doubts.text().count("can't be; it looks like mV") == 2
    dialog.read.click()
    assert opened(window, qtbot)["tps1_v"] == pytest.approx((0.6, 4.4), abs=0.02)


def test_what_was_agreed_to_is_kept_can_be_changed_and_forgotten(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    path = table(tmp_path / "x.csv", "Time [s];A [V];B [V]")
    window.open_file(path)
    first = asked(window, qtbot)
    assert not first.forget.isVisible()
    first.channels[1].setCurrentIndex(first.channels[1].findData("tps1_v"))
    first.channels[2].setCurrentIndex(first.channels[2].findData("-"))
    first.read.click()
    assert set(opened(window, qtbot)) == {"tps1_v"}
    window.close_recording()
    window.open_file(path)
    assert set(opened(window, qtbot)) == {"tps1_v"}
    assert window.panel.notice.text.text().startswith("Read as was agreed for such tables.")
    window.panel.notice.act.click()
    again = asked(window, qtbot)
    assert again.channels[2].currentData() == "-"
    assert again.forget.isVisible()
    again.channels[2].setCurrentIndex(again.channels[2].findData("tps2_v"))
    again.read.click()
    qtbot.waitUntil(lambda: len(opened(window, qtbot)) == 2, timeout=20_000)
    window.panel.notice.act.click()
    asked(window, qtbot).forget.click()
    window.close_recording()
    window.open_file(path)
    anew = asked(window, qtbot)
    assert not anew.forget.isVisible()
    anew.reject()


def test_what_was_agreed_to_is_asked_anew_where_its_values_can_not_be(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    head = "Time [s];Signal 1;Signal 2"
    window.open_file(table(tmp_path / "x.csv", head))
    asked(window, qtbot).read.click()
    assert opened(window, qtbot)["tps1_v"][1] == pytest.approx(4.4, abs=0.02)
    window.close_recording()
    window.open_file(table(tmp_path / "y.csv", head, scale=1000.0))
    dialog = asked(window, qtbot)
    assert "As it was agreed before it can't be read" in dialog.doubts.text()
    assert [unit.currentData() for unit in dialog.units] == ["s", "mV", "mV"]
    dialog.read.click()
    assert opened(window, qtbot)["tps1_v"][1] == pytest.approx(4.4, abs=0.02)


def test_a_cell_that_does_not_fit_what_is_proposed_leaves_the_choice(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    path = table(tmp_path / "x.csv", "Time [s];TPS1 [V];TPS2 [V]")
    lines = path.read_text().splitlines()
    lines[200] = lines[200].rpartition(";")[0] + ";torn"
    path.write_text("\n".join(lines) + "\n")
    window.open_file(path)
    dialog = asked(window, qtbot)
    assert "“torn” is no number, column TPS2, line 201" in dialog.doubts.text()
    dialog.channels[2].setCurrentIndex(dialog.channels[2].findData("-"))
    dialog.read.click()
    assert set(opened(window, qtbot)) == {"tps1_v"}


def test_dates_that_may_be_read_in_two_ways_are_asked(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    rows = [f"0{3 + n // 5}.0{4 + n // 5}.2026;10:00:0{n % 5};{1 + n / 10:.1f}" for n in range(10)]
    path = tmp_path / "d.csv"
    path.write_text("Date;Time;TPS1 [V]\n" + "\n".join(rows) + "\n")
    window.open_file(path)
    dialog = asked(window, qtbot)
    assert [unit.currentData() for unit in dialog.units[:2]] == [DATE, CLOCK]
    assert [channel.currentData() for channel in dialog.channels[:2]] == ["time_s", "time_s"]
    dialog.reject()
    assert window.opened is None


def test_our_own_table_saved_again_by_a_spreadsheet_is_opened_unasked(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    path = table(tmp_path / "x.csv", "time_s;tps1_v;tps2_v")
    path.write_text(path.read_text().replace(".", ","))
    window.open_file(path)
    assert set(opened(window, qtbot)) == {"tps1_v", "tps2_v"}
    assert not window.findChildren(MappingDialog)


@pytest.mark.parametrize(
    ("head", "proposed", "said"),
    [
        ("time_s,TPS1 (V),TPS2 (V)", ["time_s", "tps1_v", "tps2_v"], ""),
        ("time_s,tps1_v,Cell 7", ["time_s", "tps1_v", "other"], "No channel is called “Cell 7”"),
        ("time_s,tsp1_v,tps2_v", ["time_s", "other", "tps2_v"], "No channel is called “tsp1_v”"),
        ("time_s,tps1_v,tps1_v", ["time_s", "tps1_v", "tps2_v"], "“tps1_v (2)” may be track 2 in V"),
    ],
)
def test_our_own_shape_with_a_column_of_another_name_is_agreed_on_as_any_table(
    window: MainWindow, qtbot: QtBot, tmp_path: Path, head: str, proposed: list[str], said: str
) -> None:
    path = table(tmp_path / "x.csv", head)
    path.write_text(path.read_text().replace(";", ","))
    window.open_file(path)
    dialog = asked(window, qtbot)
    assert [choice.currentData() for choice in dialog.channels] == proposed
    assert said in dialog.doubts.text()
    assert bool(said) == dialog.doubts.isVisible()
    assert window.panel.notice.text.text() == "", "nothing is refused"
    if "other" in proposed:
        n = proposed.index("other")
        dialog.channels[n].setCurrentIndex(dialog.channels[n].findData("tps2_v" if n == 2 else "tps1_v"))
    dialog.read.click()
    assert opened(window, qtbot)["tps1_v"] == pytest.approx((0.6, 4.4), abs=0.02)


def test_a_cell_that_is_no_number_in_our_own_shape_is_refused_and_nothing_asked(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    path = tmp_path / "x.csv"
    path.write_text("time_s,tps1_v\n0.0,1.0\n0.1,torn\n0.2,1.1\n")
    window.open_file(path)
    qtbot.waitUntil(lambda: "torn" in window.panel.notice.text.text(), timeout=10_000)
    assert not window.findChildren(MappingDialog)


@pytest.mark.parametrize(
    ("track", "said"),
    [
        ("tps1_v", "No channel is called “A”, “B”, “C”, “D”, “E”, nor are 2 more."),
        ("other track", "No column is a channel: choose at least one."),
    ],
)
def test_of_many_columns_that_are_none_of_ours_some_are_named(
    window: MainWindow, qtbot: QtBot, tmp_path: Path, track: str, said: str
) -> None:
    path = tmp_path / "x.csv"
    rows = (f"{n / 50},{1 + n / 100},1,2,3,4,5,6,7" for n in range(100))
    path.write_text(f"time_s,{track},A,B,C,D,E,F,G\n" + "\n".join(rows) + "\n")
    window.open_file(path)
    assert asked(window, qtbot).doubts.text().splitlines()[0] == said
