"""The page of figures tells the truth: each limit, wait and datum on it is the program's."""

import ast
import importlib
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
