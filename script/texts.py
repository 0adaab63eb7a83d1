"""Gathers every text that people read, and brings the catalogues up to date with them; see script/texts.

A text is what stands in a call of `say` or `say_many`, what is handed to one as a value, what the data
files hold for people, the members of enumerations, and the menus and keys of the actions.
"""

import ast
import re
import sys
import tomllib
from collections.abc import Iterator
from pathlib import Path

from babel.messages import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

from nervus.knowledge.loader import spoken_texts
from nervus.language import CATALOGUES, DOMAIN
from nervus.window.actions import ACTIONS, QUICK_MARKS

_SOURCE = Path(__file__).parents[1] / "src" / "nervus"
_LETTERS = re.compile(r"[a-z]{2}|[A-Z][a-z]")
# What is data, and is spoken where it is shown.
_SHOWN = (
    "over time", "over travel", "track against track", "Why", "Next test", "Ways",
    "key on", "key off", "engine running", "plug on", "plug off", "throttle closed",
    "throttle half open", "throttle wide open", "cold", "hot", "on a charger",
    "shake", "water", "engine", "signal 1", "signal 2", "track 1", "track 2", "pedal track 1",
    "pedal track 2", "supply", "ground", "motor", "not weighed", "sensor plug", "unit plug",
    "the levels fit no single fault of the circuit",
    "the levels are those of signal 1 broken alone", "the levels are those of signal 2 broken alone",
    "the levels are those of signal 1 and 2 broken alone", "the levels are those of a broken supply",
    "the levels are those of a broken ground", "the levels are those of a broken ground or supply",
)  # fmt: skip
_IDENTIFIERS = frozenset({"Outcome", "SuspectId"})

Text = str | tuple[str, str]


def texts() -> dict[Text, str]:
    """Each text with where it stands first, in the order of the files."""
    found: dict[Text, str] = {}
    for path in sorted(_SOURCE.rglob("*.py")):
        where = path.relative_to(_SOURCE).as_posix()
        if where.startswith("standin"):
            continue
        for text in _of_module(ast.parse(path.read_text(encoding="utf-8"))):
            found.setdefault(text, where)
    for path in sorted((_SOURCE / "knowledge").rglob("*.toml")):
        for told in _of_data(path):
            found.setdefault(told, f"knowledge/{path.name}")
    for action in ACTIONS:
        found.setdefault(action.menu, "window/actions.py")
    for shown in (*QUICK_MARKS, *_SHOWN):
        found.setdefault(shown, "shown as it is")
    return {text: where for text, where in found.items() if _LETTERS.search(str(text))}


def _of_data(path: Path) -> Iterator[str]:
    """What is spoken of a data file, when it is loaded or where it is shown."""
    table = tomllib.loads(path.read_text(encoding="utf-8"))
    yield from spoken_texts(path.name, table)
    yield from (row["says"] for row in table.get("observation", ()))
    yield from (row["needs"] for row in table.get("test", ()) if row.get("needs"))
    steps = table.get("step", ())
    yield from (what for step in steps if isinstance(step, dict) for what in step.get("off", ()))


def _of_module(tree: ast.Module) -> Iterator[Text]:
    for node in ast.walk(tree):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name):
            if node.func.id == "say":
                yield from _first(node.args[0])
            elif node.func.id == "say_many":
                one, many = (next(_first(arg)) for arg in node.args[:2])
                yield (one, many)
            if node.func.id in ("say", "say_many", "figures"):
                yield from _values(node)
        elif isinstance(node, ast.ClassDef) and any("StrEnum" in ast.unparse(b) for b in node.bases):
            yield from _members(node)


def _first(node: ast.expr) -> Iterator[str]:
    """The text itself, or each of those that it may be."""
    for part in ast.walk(node):
        if isinstance(part, ast.Constant) and isinstance(part.value, str):
            yield part.value


def _values(call: ast.Call) -> Iterator[str]:
    for keyword in call.keywords:
        for part in ast.walk(keyword.value):
            branches: list[ast.expr] = []
            if isinstance(part, ast.IfExp):
                branches = [part.body, part.orelse]
            elif isinstance(part, ast.BoolOp):
                branches = part.values
            for one in branches:
                if isinstance(one, ast.Constant) and isinstance(one.value, str):
                    yield one.value


def _members(node: ast.ClassDef) -> Iterator[str]:
    if node.name in _IDENTIFIERS:
        return
    for line in node.body:
        if isinstance(line, ast.Assign) and isinstance(line.value, ast.Constant):
            yield str(line.value.value)


def template() -> Catalog:
    """All texts without a word for any of them."""
    catalog = Catalog(project="Nervus", charset="utf-8")
    for text, where in texts().items():
        catalog.add(text, locations=[(where, 1)])
    return catalog


def update(language: str) -> Catalog:
    """Bring a language's catalogue up to date, on the disk; returns it."""
    path = po_path(language)
    catalog = Catalog(locale=language, project="Nervus", charset="utf-8")
    if path.exists():
        with path.open("rb") as file:
            catalog = read_po(file, locale=language)
    catalog.update(template(), no_fuzzy_matching=True)
    catalog.obsolete.clear()
    path.parent.mkdir(parents=True, exist_ok=True)
    with path.open("wb") as file:
        write_po(file, catalog, width=100, omit_header=False, sort_output=True, include_lineno=False)
    with path.with_suffix(".mo").open("wb") as file:
        write_mo(file, catalog)
    return catalog


def po_path(language: str) -> Path:
    """Where a catalogue is."""
    return CATALOGUES / language / "LC_MESSAGES" / f"{DOMAIN}.po"


def missing(catalog: Catalog) -> list[str]:
    """Texts that have no word in a catalogue."""
    return [str(m.id) for m in catalog if m.id and not all(_strings(m.string))]


def _strings(string: object) -> tuple[object, ...]:
    return tuple(string) if isinstance(string, (tuple, list)) else (string,)


def main(languages: list[str]) -> None:
    """Update each catalogue, and say what is missing."""
    for language in languages:
        catalog = update(language)
        sys.stdout.write(f"{language}: {len(catalog)} texts, {len(missing(catalog))} without a word\n")


if __name__ == "__main__":
    main(sys.argv[1:] or ["de"])
