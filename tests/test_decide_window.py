"""The station Decide in the window: reasons drawn, tests tried and begun, ways, own prices."""

from pathlib import Path

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from jobs import ELECTRONIC, Written
from nervus.domain.job import Decision, Job, Moment, Reading, Seen, new_id, of_kind
from nervus.domain.judgement import JobJudgement
from nervus.domain.suspect import SuspectId
from nervus.knowledge.own_prices import (
    AS_SHIPPED,
    OwnPrices,
    OwnRow,
    PricesUnusable,
    read_own_prices,
    remarks_on,
    write_own_prices,
)
from nervus.knowledge.tree import repairs
from nervus.window.jobs.weigher import judged
from nervus.window.main_window import MainWindow
from nervus.window.pages.balance_view import BalanceView, times_in_words
from nervus.window.pages.decide_page import DecidePage
from nervus.window.pages.prices_dialog import PricesDialog
from nervus.window.pages.prove_page import ProvePage
from nervus.window.pins.pins_page import PinsPage
from nervus.window.theme import BRIGHT, DIM
from widget_walk import stumbles

CTRL = Qt.KeyboardModifier.ControlModifier


def a_job() -> Job:
    told = Written(ELECTRONIC).told("reduced_power", when=("bumps",)).codes("P0222", "P2135")
    return told.looked("pins", Seen.BAD).read("supply at the plug", 400.0, "V").job


@pytest.fixture
def page(window: MainWindow, qtbot: QtBot) -> DecidePage:
    """The page with a job on it."""
    window.job_part.keeper.write("job", lambda book: book.put_job(job))
    job = a_job()
    window.job_part.refresh()
    qtbot.waitUntil(lambda: window.home.model.rowCount() == 1, timeout=20_000)
    window.open_job(job.id, "decide")
    qtbot.waitUntil(lambda: window.job_part.weigher.judgement is not None, timeout=20_000)
    shown = window.stations.page("decide")
    assert isinstance(shown, DecidePage)
    return shown


def test_the_reasons_are_drawn_for_the_suspect_that_is_asked_about(
    page: DecidePage, qtbot: QtBot
) -> None:
    assert len(page.balance.rows()) == 4
    assert page.suspects[0].text().startswith("wiring")
    assert "Not weighed: supply at the plug" in page.remarks.text()
    before = page.balance.rows()
    qtbot.wait(100)  # for the buttons to have their places
    qtbot.mouseClick(page.suspects[1], Qt.MouseButton.LeftButton)
    assert page.balance.rows() != before
    page.balance.setFocus()
    qtbot.keyClick(page.balance, Qt.Key.Key_Down)
    assert "from memory" in page.source.text() or "common practice" in page.source.text()


def test_an_outcome_is_tried_and_nothing_of_it_is_kept(
    page: DecidePage, window: MainWindow, qtbot: QtBot
) -> None:
    stood = window.judgement.headline.text()
    entries = window.job.entries if window.job is not None else ()
    page.show_view(1)
    qtbot.mouseClick(page.tests.outcomes[0], Qt.MouseButton.LeftButton)
    assert window.judgement.headline.text().startswith("If “")
    qtbot.mouseClick(page.tests.outcomes[0], Qt.MouseButton.LeftButton)
    assert window.judgement.headline.text() == stood
    qtbot.mouseClick(page.tests.outcomes[-1], Qt.MouseButton.LeftButton)
    window.go("look")
    assert window.judgement.headline.text() == stood
    assert window.job is not None
    assert window.job.entries == entries


def test_a_test_is_begun_at_its_station(page: DecidePage, window: MainWindow, qtbot: QtBot) -> None:
    page.show_view(1)
    names = [page.tests.list.item(n).text() for n in range(page.tests.list.count())]  # type: ignore[union-attr] # it is there
    page.tests.list.setCurrentRow(next(n for n, text in enumerate(names) if "Shake the harness" in text))
    assert page.tests.begin.text() == "Begin it at Record"
    assert "Fingers away from plate" in page.tests.caution.text()
    qtbot.mouseClick(page.tests.begin, Qt.MouseButton.LeftButton)
    assert window.stations.now == "record"


def test_a_test_at_the_pins_is_begun_with_its_line_written(
    page: DecidePage, window: MainWindow, qtbot: QtBot
) -> None:
    page.show_view(1)
    rows = range(page.tests.list.count())
    names = [page.tests.list.item(n).text() for n in rows]  # type: ignore[union-attr] # it is there
    page.tests.list.setCurrentRow(next(n for n in rows if "Plug off" in names[n]))
    qtbot.mouseClick(page.tests.begin, Qt.MouseButton.LeftButton)
    assert window.stations.now == "pins"
    pins = window.stations.page("pins")
    assert "Key off before the plug comes off" in pins.hint.text()
    assert isinstance(pins, PinsPage)
    qtbot.keyClicks(pins.line, ".03")
    qtbot.keyClick(pins.line, Qt.Key.Key_Return)
    assert window.job is not None
    (read,) = [r for r in of_kind(window.job.entries, Reading) if r.value == 0.03]
    assert read.where == "supply at the sensor plug, plug off, key on"
    usual = pins.hint.text()
    window.go("look")
    assert pins.hint.text() != usual


def test_the_ways_stand_side_by_side_and_the_decision_keeps_how_it_stood(
    page: DecidePage, window: MainWindow, qtbot: QtBot
) -> None:
    page.show_view(2)
    assert [row.partition(":")[0] for row in page.ways.rows()] == [
        "Proposed", "Proof before parts", "Most likely first", "Cheapest first",
    ]  # fmt: skip
    page.line.setFocus()
    qtbot.keyClicks(page.line, "plug first")
    qtbot.keyClick(page.line, Qt.Key.Key_Return)
    assert window.job is not None
    (decided,) = of_kind(window.job.entries, Decision)
    assert max(decided.suspects, key=lambda s: decided.suspects[s]) == "wiring"
    assert decided.headline == window.judgement.headline.text()
    assert "open_signal_2_sensor_plug" in decided.faults
    assert len(decided.because) == 4
    assert decided.next_test


@pytest.mark.parametrize("theme", ["bright", "dim"])
@pytest.mark.parametrize("size", [(1280, 800), (1024, 700)])
def test_nothing_is_cut_faint_or_without_a_name(
    page: DecidePage, window: MainWindow, qtbot: QtBot, theme: str, size: tuple[int, int]
) -> None:
    window.resize(*size)
    window.set_theme(theme)
    for view in range(3):
        page.show_view(view)
        qtbot.wait(60)
        assert stumbles(page) == []


@pytest.mark.usefixtures("page")
def test_a_decision_that_comes_before_the_judgement_keeps_the_one_of_its_own_entries(
    window: MainWindow,
) -> None:
    assert window.job is not None
    (read,) = of_kind(window.job.entries, Reading)[:1]
    window.job_part.put(
        replace(read, id=new_id(), where="signal 2 at the sensor plug, key on", value=4.9)
    )
    weigher = window.job_part.weigher
    decided = weigher.decision("at once")
    right = judged(window.job, weigher.own)
    assert right is not None
    assert decided.suspects == {s.id.value: s.probability for s in right.standing.suspects}


def test_own_prices_are_set_kept_and_counted_with(
    page: DecidePage, window: MainWindow, qtbot: QtBot
) -> None:
    before = page.ways.rows()
    page.show_view(2)
    weigher = window.job_part.weigher
    weigher.keep_prices(OwnPrices(name="Depot 4", mark="m.png", missing=("a lift", "known good spare")))
    qtbot.mouseClick(page.prices, Qt.MouseButton.LeftButton)
    dialog = window.findChild(PricesDialog)
    assert dialog is not None
    keep = next(b for b in dialog.findChildren(QPushButton) if b.text() == "Keep")
    dialog.minute.setText("a lot")
    qtbot.mouseClick(keep, Qt.MouseButton.LeftButton)
    assert "“a lot” (a minute of work) is no number" in dialog.wrong.text()
    dialog.minute.setText("2,5")
    dialog.given_back.setText("120")
    qtbot.mouseClick(keep, Qt.MouseButton.LeftButton)
    assert "“120” (what comes back of a part) is more than all" in dialog.wrong.text()
    dialog.given_back.setText("30 ")
    dialog.currency.setText("kr")
    sensor = next(n for n, r in enumerate(repairs().repair) if r.id == "renew_sensor")
    wire = next(n for n, r in enumerate(repairs().repair) if r.id == "repair_wire")
    back = dialog.table.item(sensor, 3)
    nothing = dialog.table.item(wire, 3)
    assert back is not None
    assert nothing is not None
    assert not nothing.flags() & Qt.ItemFlag.ItemIsEditable, "of what is no part nothing comes back"
    back.setText("50")
    dialog.tools["meter"].setChecked(False)
    qtbot.mouseClick(keep, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: page.ways.rows() != before, timeout=20_000)
    assert window.job_part.weigher.own.minute == 2.5
    kept = read_own_prices(window.job_part.keeper.path.with_name("workshop.toml"))
    assert kept == window.job_part.weigher.own
    assert (kept.currency, kept.given_back) == ("kr", 0.3)
    assert (kept.name, kept.mark) == ("Depot 4", "m.png"), "what is not asked for stays"
    assert "a lift" in kept.missing
    assert [(r.id, r.given_back) for r in kept.repair] == [("renew_sensor", 0.5)]
    assert "meter" in kept.missing
    texts = [page.tests.list.item(n).text() for n in range(page.tests.list.count())]  # type: ignore[union-attr] # it is there
    assert not any("Sweep slowly" in text for text in texts), "it needs the meter"


def test_a_damaged_file_of_prices_is_told_and_the_usual_ones_are_used(tmp_path: Path) -> None:
    path = tmp_path / "workshop.toml"
    for text, says in (
        ("minute = 'much'", "minute"),
        ("minute = -1", "minute"),
        ("minute = [", "workshop.toml"),
        ("colour = 'red'", "colour"),
    ):
        path.write_text(text)
        with pytest.raises(PricesUnusable, match=says):
            read_own_prices(path)
    with pytest.raises(PricesUnusable, match="can't be read"):
        read_own_prices(tmp_path / "none.toml")


def test_prices_that_can_not_be_counted_with_are_told(tmp_path: Path) -> None:
    part = next(r.id for r in repairs().repair if r.part)
    own = OwnPrices(
        minute=0.0,
        missing=("crystal ball",),
        repair=(OwnRow(id=part, minutes=0.0, money=0.0), OwnRow(id="pray", money=1.0)),
    )
    said = " ".join(remarks_on(own))
    for words in ("crystal ball", "pray", "costs nothing", "takes no time"):
        assert words in said
    assert remarks_on(AS_SHIPPED) == ()
    path = tmp_path / "workshop.toml"
    write_own_prices(own, path)
    assert read_own_prices(path) == own


def test_factors_are_said_as_people_say_them(qtbot: QtBot) -> None:
    assert [times_in_words(x) for x in (3.14, 42.4, 0.25, 1 / 42)] == ["3.1 ×", "42 ×", "÷ 4.0", "÷ 42"]  # noqa: RUF001 - as shown
    view = BalanceView()
    qtbot.addWidget(view)
    view.show_ledger((), SuspectId.WIRING)
    for theme in (BRIGHT, DIM):
        view.apply_theme(theme)
        assert not view.grab().isNull()


def test_an_empty_job_says_what_to_begin_with(window: MainWindow, qtbot: QtBot) -> None:
    window.begin_job("No 9")
    qtbot.waitUntil(lambda: window.job is not None, timeout=20_000)
    window.go("decide")
    shown = window.stations.page("decide")
    assert isinstance(shown, DecidePage)
    assert "begin with complaint, codes or a recording" in shown.how_far.text()
    assert not shown.stack.isVisible()


def test_a_cured_job_says_so(window: MainWindow, qtbot: QtBot) -> None:
    told = Written().told("no_pedal").codes("P0123", "P0223").done("ground pin cleaned")
    job = replace(told.codes(moment=Moment.REPAIRED).job)
    window.job_part.keeper.write("job", lambda book: book.put_job(job))
    window.job_part.refresh()
    qtbot.waitUntil(lambda: window.home.model.rowCount() == 1, timeout=20_000)
    window.open_job(job.id, "decide")
    qtbot.waitUntil(lambda: window.job is not None, timeout=20_000)
    assert window.job_part.weigher.weighed is not None
    assert window.job_part.weigher.weighed.cured is not None
    assert window.job_part.weigher.weighed.cured > 0.3
    window.go("prove")
    prove = window.stations.page("prove")
    assert isinstance(prove, ProvePage)
    assert prove.cured.text().startswith("By all that was read since: cured, ")


def test_a_long_job_is_weighed_beside_and_stands_as_it_stood_until_then(
    window: MainWindow, qtbot: QtBot
) -> None:
    told = Written().told("no_pedal").codes("P0123", "P0223")
    for _ in range(30):
        told.read("supply at the sensor plug", 5.0, "V", "plug on")
    job = told.job
    window.job_part.keeper.write("job", lambda book: book.put_job(job))
    window.job_part.refresh()
    qtbot.waitUntil(lambda: window.home.model.rowCount() == 1, timeout=20_000)
    told_so_far: list[object] = []
    window.job_part.judged.connect(told_so_far.append)
    window.open_job(job.id, "decide")
    qtbot.waitUntil(lambda: window.job is not None, timeout=20_000)

    def weighed() -> JobJudgement | None:
        return window.job_part.weigher.weighed

    assert told_so_far[0] is None, "not waited for"
    qtbot.waitUntil(lambda: weighed() is not None, timeout=20_000)
    stood = weighed()
    assert stood is not None
    window.job_part.put(Written().looked("pins", Seen.BAD).job.entries[0])
    assert weighed() is stood, "not waited for"
    qtbot.waitUntil(lambda: weighed() is not stood, timeout=20_000)
    now = weighed()
    assert now is not None
    assert len(now.ledger) == len(stood.ledger) + 1
    assert window.judgement.headline.text() == now.standing.headline
