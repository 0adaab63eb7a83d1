"""Loads the signal room so that each of its conditions tells whether it mattered, and can be taken out.

Importing this does it, for what of the room is imported afterwards. Every operand of `and` and `or`,
every condition of an `if` and every filter of a comprehension is one.
"""

import ast
import importlib.abc
import sys
from collections.abc import Sequence
from importlib.machinery import ModuleSpec, PathFinder, SourceFileLoader
from types import CodeType, ModuleType
from typing import Any

ROOM = "nervus.signal."


class Watch:
    """Notes which conditions came out otherwise than if they were not there; one can be taken out."""

    def __init__(self) -> None:
        self.places: list[str] = []
        self.mattered: set[int] = set()
        self.out = -1

    def needed(self, number: int, value: Any) -> Any:
        """An operand of `and`, or a filter: without it, true."""
        if number == self.out:
            return True
        if not value:
            self.mattered.add(number)
        return value

    def enough(self, number: int, value: Any) -> Any:
        """An operand of `or`, or the condition of an `if`: without it, false."""
        if number == self.out:
            return False
        if value:
            self.mattered.add(number)
        return value


WATCH = Watch()


class _Marked(ast.NodeTransformer):
    def __init__(self, name: str) -> None:
        self._name = name

    def _watched(self, how: str, test: ast.expr) -> ast.expr:
        WATCH.places.append(f"{self._name} {test.lineno} {ast.unparse(test)[:90]}")
        called = ast.Attribute(ast.Name("_watch", ast.Load()), how, ast.Load())
        number = ast.Constant(len(WATCH.places) - 1)
        return ast.copy_location(ast.Call(called, [number, self.visit(test)], []), test)

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.BoolOp:
        how = "needed" if isinstance(node.op, ast.And) else "enough"
        node.values = [self._watched(how, value) for value in node.values]
        return node

    def visit_If(self, node: ast.If) -> ast.If:
        node.test = self._watched("enough", node.test)
        node.body = [self.visit(each) for each in node.body]
        node.orelse = [self.visit(each) for each in node.orelse]
        return node

    def visit_comprehension(self, node: ast.comprehension) -> ast.comprehension:
        node.iter = self.visit(node.iter)
        node.ifs = [self._watched("needed", test) for test in node.ifs]
        return node


class _Loader(SourceFileLoader):
    """Loads a module with its conditions watched; nothing of it is kept beside the source."""

    def get_code(self, fullname: str) -> CodeType:
        path = self.get_filename(fullname)
        tree = ast.parse(self.get_data(path))
        made = ast.fix_missing_locations(_Marked(fullname.removeprefix(ROOM)).visit(tree))
        return compile(made, path, "exec", dont_inherit=True)

    def exec_module(self, module: ModuleType) -> None:
        module.__dict__["_watch"] = WATCH
        super().exec_module(module)


class _Finder(importlib.abc.MetaPathFinder):
    def find_spec(
        self, fullname: str, path: Sequence[str] | None, _target: ModuleType | None = None
    ) -> ModuleSpec | None:
        spec = PathFinder.find_spec(fullname, path) if fullname.startswith(ROOM) else None
        if spec is not None and type(spec.loader) is SourceFileLoader and spec.origin is not None:
            spec.loader = _Loader(fullname, spec.origin)
        return spec


sys.meta_path.insert(0, _Finder())
