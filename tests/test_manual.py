"""The manual: whole, true to the program, opened by F1 where one is, made into HTML."""

import re
import subprocess
import sys
from pathlib import Path

import manual_pages
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImageReader
from pytestqt.qtbot import QtBot

from nervus.domain import finding
from nervus.domain.finding import Finding
from nervus.judge.analyse import analyse
from nervus.window.main_window import MainWindow
from nervus.window.manual_window import FIRST, PAGES, manual_folder, pages, title_of
from nervus.window.rail import JOBS
from widget_walk import stumbles

ROOT = Path(__file__).parents[1]


def test_every_page_is_in_the_index_and_every_key_is_the_programs() -> None:
    index = (manual_folder() / "index.md").read_text(encoding="utf-8")
    assert tuple(re.findall(r"^[a-z-]+$", index, flags=re.M)) == PAGES
    assert {p.stem for p in manual_folder().glob("*.md")} == {*PAGES, "index"}
    assert pages()["keys"] == manual_pages.keys_page()
    assert all(title_of(page) for page in pages().values())


@pytest.mark.parametrize("name", list(manual_pages.PICTURES))
def test_each_picture_shows_what_its_chapter_speaks_of(name: str) -> None:
    picture = manual_pages.PICTURES[name]
    assert f"(pictures/{name}.svg)" in pages()["findings"]
    assert picture.kind in {f.kind for f in analyse(picture.make()).examination.findings}
    reader = QImageReader(str(manual_folder() / "pictures" / f"{name}.svg"))
    assert reader.size().width() > 500


def test_every_kind_of_finding_has_a_picture() -> None:
    kinds = {
        c.kind
        for c in vars(finding).values()
        if isinstance(c, type) and issubclass(c, Finding) and c is not Finding
    }
    # A supply that leaves its window is drawn by the drop of all tracks that it makes.
    assert kinds - {"supply"} == {p.kind for p in manual_pages.PICTURES.values()}
    assert "pictures/supply.svg" in pages()["findings"]


def test_html_is_made_of_it_without_a_warning(tmp_path: Path) -> None:
    command = [
        sys.executable, "-m", "sphinx", "-W", "-q", "-b", "html", "-c", "packaging/manual",
        str(manual_folder()), str(tmp_path),
    ]  # fmt: skip
    done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    html = (tmp_path / "findings.html").read_text(encoding="utf-8")
    assert "dead-spot.svg" in html
    assert not re.search(r'(src|href)="https?://(?!www\.sphinx-doc|alabaster|github)', html)


def test_f1_opens_the_page_of_where_one_is(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: not window.home.empty.text().startswith("Opening"), timeout=30_000)
    qtbot.keyClick(window, Qt.Key.Key_F1)
    manual = window.show_manual()
    assert manual.page == "record"
    assert stumbles(manual) == []
    window.go(JOBS)
    window.begin_job("No 4")
    for station in ("complaint", "codes", "look", "pins", "decide", "mend", "prove"):
        window.go(station)
        assert window.show_manual().page == station
    window.live_part.show_connect_page("VEHICLE")
    assert window.show_manual().page == "live"
    qtbot.keyClicks(manual.search, "garwood")
    assert all(manual.list.item(row).isHidden() for row in range(manual.list.count()))  # type: ignore[union-attr] # there
    manual.search.setText("back-probe")
    assert manual.page in {"pins", "safety"}
    manual.show_page("nothing like it")
    assert manual.page == FIRST
