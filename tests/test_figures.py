"""The page of figures tells the truth: each limit, wait and datum on it is the program's."""

import ast
import importlib
import importlib.util
import re
from pathlib import Path

import pytest

PAGE = Path(__file__).parent.parent / "docs" / "figures.md"
ROW = re.compile(r"\| (?P<what>[^|]+) \| (?P<figure>[^|]+) \| `(?P<module>[a-z_.]+)\.(?P<name>\w+)` \|")
ROWS = [found for line in PAGE.read_text(encoding="utf-8").splitlines() if (found := ROW.match(line))]


def test_there_are_figures() -> None:
    assert len(ROWS) > 100


@pytest.mark.parametrize("module", sorted({row["module"] for row in ROWS}))
def test_every_figure_on_the_page_is_the_programs(module: str) -> None:
    told = importlib.import_module(f"nervus.{module}")
    for row in ROWS:
        if row["module"] == module:
            figure = ast.literal_eval(row["figure"])
            assert getattr(told, row["name"]) == figure, f"{row['what']}: {row['name']}"


def test_the_page_of_the_cores_figures_is_the_programs() -> None:
    """Each number of the core stands in one list, with what it is."""
    path = PAGE.parent.parent / "script" / "core_figures.py"
    spec = importlib.util.spec_from_file_location("core_figures", path)
    assert spec is not None
    assert spec.loader is not None
    made = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(made)
    page = made.page()
    kept = (PAGE.parent / "figures-core.md").read_text(encoding="utf-8")
    assert page == kept, "run script/core_figures.py, and say in the commit why the number changed"
    rows = [line for line in page.splitlines() if line.startswith("| `")]
    assert len(rows) > 300
    assert [row for row in rows if row.endswith("|  |")] == [], "a number without a word"
