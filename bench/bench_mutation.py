"""Of random single changes to the core, how many do the tests notice?

A change is an operator, a comparison, a constant or a dropped call, drawn from its seed. First all
tests run once with line coverage, so that each change is tried only on the tests that reach its line,
the quickest first, in a copy of the source. A change that no test fails on is a survivor; those are
listed, and `WHY` says of the known ones why no test should notice them.

    bench/bench_mutation.py [--rooms files link] [--changes 60] [--seed 1] [--map FOLDER] [--again FILE]
"""

import argparse
import ast
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import SimpleQueue

HERE = Path(__file__).resolve().parent.parent
ROOMS = ("files", "link", "logbook", "codes", "judge", "standin")
# A change that hangs is noticed; so is one that makes its tests take so much longer.
_SLOWER, _AT_LEAST_S, _MOST_S = 4.0, 40.0, 30.0

# What the runner itself takes for a test.
_EACH_S = 0.01
_OF_ALL_MODULES = (
    "tests/test_figures.py", "tests/test_core_details.py", "tests/test_stand_in_details.py",
)  # fmt: skip

PLUGIN = """
import json, os, time
import coverage, pytest
_cov = coverage.Coverage(data_file=os.environ["MAP_DATA"], source_pkgs=["nervus"])
_took = {}
def pytest_sessionstart(session):
    _cov.start()
@pytest.hookimpl(hookwrapper=True)
def pytest_runtest_protocol(item, nextitem):
    _cov.switch_context(item.nodeid)
    began = time.perf_counter()
    yield
    _took[item.nodeid] = time.perf_counter() - began
    _cov.switch_context("")
def pytest_sessionfinish(session):
    _cov.stop(); _cov.save()
    data, lines = _cov.get_data(), {}
    for file in data.measured_files():
        lines[file] = {str(n): c for n, c in data.contexts_by_lineno(file).items()}
    with open(os.environ["MAP_JSON"], "w") as out:
        json.dump({"lines": lines, "took": _took}, out)
"""


@dataclass(frozen=True)
class Change:
    """One change.

    Attributes:
        file: below `src/nervus`.
        line: where it is.
        what: in words.
        source: the whole changed module.
        code: the line as it was.
    """

    file: str
    line: int
    what: str
    source: str
    code: str = ""


# Survivors that no test should notice, by file and line of code, with why.
WHY = {
    ("files/recording_csv.py", "return _read(path, header, types, gaps=False)"): "only slower",
    ("files/journal.py", "if now - self._synced > _SYNC_S:"): "at the same instant either will do",
    ("files/csv_gate.py", 'words = words or b"nan" in searched or b"inf" in searched'): "only slower",
    (
        "link/text_adapter.py",
        "while self._port.read(_LONGEST) and time.monotonic() < end:",
    ): "same instant",
    ("link/can_transport.py", "self._pump(0.005)"): "only slower to look",
    (
        "link/instruments.py",
        "if behind - (self._began + self._count / self._rate_hz) > _STOOD_STILL_S:",
    ): "same instant",
    ("files/bundle.py", "_CHUNK = 1 << 20"): "only how much is copied at once",
    (
        "judge/stretches.py",
        "weight = dict.fromkeys(sorted(set(present)) or [1], 1.0)",
    ): "equal weights become equal shares, whatever they were",
    ("files/csv_gate.py", "if any(letter in searched for letter in _LETTERS):"): "only slower",
    (
        "files/bundle.py",
        "text = file.read(_JOB_BYTES + 1)",
    ): "one byte more than may be is enough to see",
    (
        "files/bundle.py",
        'said = str(wrong).replace("`", "")[:200] or "it is nested too deeply"',
    ): "a hair more",
    ("link/wires.py", "self._resource.clear()"): "a courtesy to instruments that know it",
    (
        "link/loopback_bus.py",
        "self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)",
    ): "slower",
    ("link/can_transport.py", "if talk.done is not None or now < talk.again_at:"): "same instant",
    (
        "link/wires.py",
        "self._port = serial.serial_for_url(url, baudrate=baud, timeout=_SLICE_S, write_timeout=2.0)",
    ): "more patience",
    (
        "link/instruments.py",
        "count = int(self._wire.exactly(digits, _BLOCK_S, self._alive)) if digits else -1",
    ): "any number below 0 says that there is none",
    ("logbook/opening.py", 'writes = connection.get_execution_options().get("writes", False)'): (
        "it is set before anything is asked"
    ),
    ("logbook/opening.py", "connection.close()"): "the engine that is let go of next closes it",
    ("judge/verdict.py", "rounded[0] = round(rounded[0] + 1.0 - sum(rounded), 4)"): (
        "all have four digits already; it takes off the sum's last bit"
    ),
    ("judge/of_job.py", "tracks = {1: 1.0, 2: 1.0} if both else {1: 1.0}"): "one track has all of it",
    ("standin/vehicle_server.py", "bus.shutdown()"): "the other end has hung up",
    ("files/csv_gate.py", "doubtful: bool = False"): "set by whoever reads a header",
    (
        "link/instruments.py",
        'digits = int(head[1:2]) if head[:1] == b"#" and head[1:2].isdigit() else 0',
    ): ("the head is two bytes: what stands beyond is nothing"),
    (
        "link/wires.py",
        "self._resource: Any = self._manager.open_resource(where, timeout=int(1000 * _SLICE_S))",
    ): ("a thousandth more patience"),
    ("link/hand_entry.py", "when, volts = self._typed.get(timeout=0.1)"): "only slower to look",
    ("logbook/opening.py", "if not path.is_file() or path.stat().st_size == 0:"): (
        "an empty file has no tables either, which is asked next"
    ),
    ("logbook/opening.py", "raw.close()"): "it is let go of with the function",
    (
        "logbook/errors.py",
        'code = getattr(raised, "sqlite_errorcode", -1) & 0xFF',
    ): "no code is 254 or 255",
    (
        "codes/notation.py",
        "return self.number, -1 if self.failure_type is None else self.failure_type",
    ): ("any number below 0 sorts first"),
    ("judge/verdict.py", "return tuple(Suspect(s, p) for s, p in zip(ordered, rounded, strict=True))"): (
        "both are as long"
    ),
    ("standin/wiring.py", "_PLACES = np.linspace(0.0, 1.0, 201)"): "a hair finer",
    ("standin/vehicle_server.py", "module.stack.process()"): "it is sent a moment later",
    ("standin/hard_cases.py", "factor = np.where(channel.time_s > end, 1.0, factor)"): "same instant",
    ("standin/control_unit.py", "if self._learning_s <= 0.0:"): "same instant",
    ("standin/plate.py", "if self.speed * speed < 0.0:"): "a quotient has the sign of the product",
    ("logbook/opening.py", 'connect_args={"check_same_thread": False, "timeout": _BUSY_S},'): (
        "each logbook stays in one thread; it only widens what is allowed"
    ),
}


# -- changes -------------------------------------------------------------------------------------------

_COMPARED: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq, ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is,
}  # fmt: skip
_COUNTED: dict[type[ast.operator], type[ast.operator]] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.FloorDiv: ast.Mult,
    ast.Mod: ast.Mult, ast.LShift: ast.RShift, ast.RShift: ast.LShift, ast.BitAnd: ast.BitOr,
    ast.BitOr: ast.BitAnd, ast.BitXor: ast.BitAnd,
}  # fmt: skip


class _Changer(ast.NodeTransformer):
    """Counts the places where something can be changed, and changes the one that is wanted."""

    def __init__(self, wanted: int = -1) -> None:
        self.places: list[tuple[int, str]] = []
        self._wanted = wanted

    def _here(self, node: ast.AST, what: str) -> bool:
        self.places.append((node.lineno, what))  # type: ignore[attr-defined] # expressions and statements have one
        return len(self.places) - 1 == self._wanted

    def _visit_plain(self, node: ast.AST) -> ast.AST:
        return self.generic_visit(node)

    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.AST:
        if node.value is not None:
            node.value = self.visit(node.value)
        return node

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        node.args.defaults = [self.visit(d) for d in node.args.defaults]
        node.body = [self.visit(s) for s in node.body]
        return node

    def visit_ClassDef(self, node: ast.ClassDef) -> ast.AST:
        node.body = [self.visit(s) for s in node.body]
        return node

    def visit_If(self, node: ast.If) -> ast.AST:
        named = isinstance(node.test, ast.Name) and node.test.id == "TYPE_CHECKING"
        return node if named else self._visit_plain(node)

    def visit_Raise(self, node: ast.Raise) -> ast.AST:
        return node  # what a sentence says is checked by its readers

    def visit_JoinedStr(self, node: ast.JoinedStr) -> ast.AST:
        return node

    def visit_Compare(self, node: ast.Compare) -> ast.AST:
        self.generic_visit(node)
        other = _COMPARED[type(node.ops[0])]
        if self._here(node, f"{type(node.ops[0]).__name__} to {other.__name__}"):
            node.ops[0] = other()
        return node

    def visit_BinOp(self, node: ast.BinOp) -> ast.AST:
        self.generic_visit(node)
        other = _COUNTED.get(type(node.op))
        if other is not None and self._here(node, f"{type(node.op).__name__} to {other.__name__}"):
            node.op = other()
        return node

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.AST:
        self.generic_visit(node)
        other = ast.Or if isinstance(node.op, ast.And) else ast.And
        if self._here(node, f"{type(node.op).__name__} to {other.__name__}"):
            node.op = other()
        return node

    def visit_UnaryOp(self, node: ast.UnaryOp) -> ast.AST:
        self.generic_visit(node)
        if isinstance(node.op, ast.Not) and self._here(node, "not dropped"):
            return node.operand
        return node

    def visit_Constant(self, node: ast.Constant) -> ast.AST:
        if isinstance(node.value, bool):
            if self._here(node, f"{node.value} to {not node.value}"):
                return ast.copy_location(ast.Constant(not node.value), node)
        elif isinstance(node.value, (int, float)):
            other = node.value + 1 if isinstance(node.value, int) else node.value * 2.0 + 0.5
            if self._here(node, f"{node.value} to {other}"):
                return ast.copy_location(ast.Constant(other), node)
        return node

    def visit_Expr(self, node: ast.Expr) -> ast.AST:
        self.generic_visit(node)
        if isinstance(node.value, ast.Call) and self._here(node, "call dropped"):
            return ast.copy_location(ast.Pass(), node)
        return node


def all_changes(path: Path) -> list[tuple[int, int, str]]:
    """Number, line and words of every change that a file offers."""
    changer = _Changer()
    changer.visit(ast.parse(path.read_text(encoding="utf-8")))
    return [(number, line, what) for number, (line, what) in enumerate(changer.places)]


def changed(path: Path, number: int) -> str:
    """The source of a file with one change."""
    tree = _Changer(number).visit(ast.parse(path.read_text(encoding="utf-8")))
    return ast.unparse(ast.fix_missing_locations(tree))


def drawn(rooms: list[str], count: int, seed: int) -> list[Change]:
    """So many changes of each room, by chance."""
    found = []
    for room in rooms:
        chance = random.Random(f"{seed} {room}")  # noqa: S311 - no secret
        offered = [
            (path, *change)
            for path in sorted((HERE / "src" / "nervus" / room).rglob("*.py"))
            for change in all_changes(path)
        ]
        for path, number, line, what in chance.sample(offered, min(count, len(offered))):
            name = str(path.relative_to(HERE / "src" / "nervus"))
            code = path.read_text(encoding="utf-8").splitlines()[line - 1].strip()
            found.append(Change(name, line, what, changed(path, number), code))
    return found


# -- trying
# ----------------------------------------------------------------------------------------------


class Map:
    """Which tests reach which line, and how long each takes."""

    def __init__(self, folder: Path) -> None:
        told = json.loads((folder / "map.json").read_text())
        self._took: dict[str, float] = told["took"]
        self._lines: dict[str, dict[str, list[str]]] = {
            file.partition("/src/nervus/")[2]: lines for file, lines in told["lines"].items()
        }

    def tests_of(self, change: Change) -> list[str]:
        """The tests that reach a change, the quickest first."""
        lines = self._lines.get(change.file, {})
        found = set(lines.get(str(change.line), ())) - {""}
        first: list[str] = []
        if not found:  # a module's own line, run when it is imported: whoever uses the module
            found = self._of_file(change.file) or self._of_room(change.file.partition("/")[0])
            first = list(_OF_ALL_MODULES)
        ordered = sorted(found, key=lambda test: self._took.get(test, 0.0))
        quick, slow = self._until(ordered, _MOST_S)
        # Of the long ones some, evenly: they are those that see the whole.
        every = max(1, round(sum(map(self._seconds_of, slow)) / _MOST_S))
        return first + quick + slow[:: -every or None][::-1]

    def _until(self, tests: list[str], most_s: float) -> tuple[list[str], list[str]]:
        """Tests that take so long together, and the rest."""
        seconds = 0.0
        for number, test in enumerate(tests):
            seconds += self._seconds_of(test)
            if number and seconds > most_s:
                return tests[:number], tests[number:]
        return tests, []

    def _seconds_of(self, test: str) -> float:
        return self._took.get(test, 0.0) + _EACH_S

    def _of_file(self, file: str) -> set[str]:
        return {test for tests in self._lines.get(file, {}).values() for test in tests} - {""}

    def _of_room(self, room: str) -> set[str]:
        """For a module that has no function of its own, such as tables and migrations."""
        return {t for file in self._lines if file.startswith(f"{room}/") for t in self._of_file(file)}

    def seconds(self, tests: list[str]) -> float:
        """How long these take together."""
        return sum(self._took.get(test, 1.0) for test in tests)


def make_map(folder: Path, tests: list[str]) -> None:
    """Run tests (all of them where none are named) once with coverage; what is known of others stays."""
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "map_plugin.py").write_text(PLUGIN)
    environment = os.environ | {
        "MAP_DATA": str(folder / "coverage"), "MAP_JSON": str(folder / "new.json"),
        "PYTHONPATH": f"{folder}{os.pathsep}{HERE / 'src'}", "QT_QPA_PLATFORM": "offscreen",
    }  # fmt: skip
    command = [sys.executable, "-m", "pytest", "-q", "-p", "map_plugin", "-m", "not real_window", *tests]
    subprocess.run(command, cwd=HERE, env=environment, check=False)
    new, kept = json.loads((folder / "new.json").read_text()), folder / "map.json"
    if tests and kept.is_file():
        old = json.loads(kept.read_text())
        new["took"] = old["took"] | new["took"]
        for file, lines in old["lines"].items():
            into = new["lines"].setdefault(file, {})
            for line, reached in lines.items():
                into[line] = sorted({*into.get(line, ()), *reached})
    kept.write_text(json.dumps(new))


def survives(change: Change, tests: list[str], allowed_s: float, copy: Path) -> bool:
    """Whether the tests pass with a change, tried in a copy of the source."""
    target = copy / "nervus" / change.file
    before = target.read_text(encoding="utf-8")
    target.write_text(change.source, encoding="utf-8")
    environment = os.environ | {
        "PYTHONPATH": str(copy), "QT_QPA_PLATFORM": "offscreen", "PYTHONDONTWRITEBYTECODE": "1",
    }  # fmt: skip
    command = [sys.executable, "-m", "pytest", "-q", "-x", "--no-header", *tests]
    try:
        with tempfile.TemporaryFile() as out:
            done = subprocess.run(
                command,
                cwd=HERE,
                env=environment,
                stdout=out,
                stderr=out,
                timeout=allowed_s,
                check=False,
            )
    except subprocess.TimeoutExpired:
        return False
    else:
        return done.returncode == 0
    finally:
        target.write_text(before, encoding="utf-8")


def main() -> int:
    """Change, test, print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rooms", nargs="+", default=list(ROOMS))
    parser.add_argument("--changes", type=int, default=60, help="of each room")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--map", type=Path, default=HERE / ".mutation", help="kept between runs")
    parser.add_argument("--add", nargs="+", default=[], help="test files that the map lacks")
    parser.add_argument("--only", default="", help="only changes whose file holds this")
    parser.add_argument("--again", type=Path, help="only those that an earlier output lists")
    wanted = parser.parse_args()
    if wanted.add or not (wanted.map / "map.json").is_file():
        make_map(wanted.map, wanted.add)
    reach = Map(wanted.map)
    changes = [c for c in drawn(wanted.rooms, wanted.changes, wanted.seed) if wanted.only in c.file]
    if wanted.again is not None:
        listed = {line.strip().partition(" (")[0] for line in wanted.again.read_text().splitlines()}
        changes = [c for c in changes if f"{c.file}:{c.line}: {c.what}" in listed]
    copies: SimpleQueue[Path] = SimpleQueue()
    killed: Counter[str] = Counter()
    tried: Counter[str] = Counter()
    survivors: list[Change] = []
    with tempfile.TemporaryDirectory() as scratch:
        for number in range(os.cpu_count() or 1):
            copy = Path(scratch) / str(number)
            shutil.copytree(
                HERE / "src", copy, ignore=shutil.ignore_patterns("__pycache__", "*.egg-info")
            )
            copies.put(copy)

        def one(change: Change) -> None:
            tests = reach.tests_of(change)
            copy = copies.get()
            try:
                allowed = _AT_LEAST_S + _SLOWER * reach.seconds(tests)
                alive = not tests or survives(change, tests, allowed, copy)
            finally:
                copies.put(copy)
            room = change.file.partition("/")[0]
            tried[room] += 1
            killed[room] += not alive
            if alive:
                survivors.append(change)
                why = WHY.get((change.file, change.code), "")
                known = f"; known: {why}" if why else ""
                print(
                    f"  {change.file}:{change.line}: {change.what} ({len(tests)} tests){known}",
                    flush=True,
                )

        began = time.monotonic()
        with ThreadPoolExecutor(os.cpu_count()) as pool:
            list(pool.map(one, changes))
    for room in sorted(tried):
        print(f"{room}: {killed[room]} of {tried[room]} noticed, {killed[room] / tried[room]:.2f}")
    total = sum(killed.values()) / max(1, sum(tried.values()))
    print(f"together {total:.2f} of {sum(tried.values())} (bar 0.85), {time.monotonic() - began:.0f} s")
    return int(total < 0.85)


if __name__ == "__main__":
    sys.exit(main())
