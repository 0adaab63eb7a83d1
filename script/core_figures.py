"""Writes `docs/figures-core.md`: every named number of the core, with what its comment says of it.

    python script/core_figures.py

The page is the one list of all numbers that decide what is found and how it is weighed. A test holds it
against the program, so whoever changes a number changes it there too and says why.
"""

import ast
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
PAGE = ROOT / "docs" / "figures-core.md"
ROOMS = ("signal", "circuit", "pins", "engine", "judge", "mend", "proof")
_HEAD = """# Figures of the core

Every named number that decides what is found in a recording and how it is weighed, with what stands
above it in the program: what it is, what it trades, where it comes from. Written by
`script/core_figures.py`; a test holds it against the program.
"""
_COLUMNS = "| name | figure | what it is |\n|---|---|---|\n"


def page() -> str:
    """The whole page."""
    parts = [_HEAD]
    for room in ROOMS:
        for path in sorted((ROOT / "src" / "nervus" / room).rglob("*.py")):
            rows = [f"| `{name}` | {value} | {says} |" for name, value, says in _numbers(path)]
            if rows:
                name = path.relative_to(ROOT / "src" / "nervus").as_posix()
                parts.append(f"## {name}\n\n{_COLUMNS}" + "\n".join(rows))
    return "\n\n".join(part.strip() for part in parts) + "\n"


def _numbers(path: Path) -> Iterator[tuple[str, str, str]]:
    text = path.read_text(encoding="utf-8")
    lines = text.splitlines()
    says, until = "", 0
    for node in ast.parse(text).body:
        target = node.targets[0] if isinstance(node, ast.Assign) else getattr(node, "target", None)
        value = getattr(node, "value", None)
        if target is None or value is None or not _is_number(value):
            continue
        above = _comment_above(lines, node.lineno - 1)
        if above or node.lineno > until + 1:
            says = above or _told_behind(lines, node.end_lineno or node.lineno)
        until = node.end_lineno or node.lineno
        yield ast.unparse(target), ast.unparse(value), says.replace("|", "\\|")


def _told_behind(lines: list[str], last: int) -> str:
    """The line of documentation behind an assignment, "" where there is none."""
    behind = lines[last] if last < len(lines) else ""
    return behind.strip('"') if behind.startswith('"""') and behind.endswith('"""') else ""


def _is_number(value: ast.expr) -> bool:
    """Whether it is made of numbers alone."""
    kept = [
        n for n in ast.walk(value) if not isinstance(n, ast.operator | ast.unaryop | ast.expr_context)
    ]
    made = (ast.Constant, ast.Tuple, ast.BinOp, ast.UnaryOp)
    numbers = [n for n in kept if isinstance(n, ast.Constant)]
    return (
        bool(numbers)
        and all(isinstance(n, made) for n in kept)
        and all(isinstance(n.value, int | float) and not isinstance(n.value, bool) for n in numbers)
    )


def _comment_above(lines: list[str], first: int) -> str:
    found: list[str] = []
    while first > 0 and lines[first - 1].startswith("#"):
        first -= 1
        found.insert(0, lines[first].lstrip("# "))
    return " ".join(found)


if __name__ == "__main__":
    PAGE.write_text(page(), encoding="utf-8")
