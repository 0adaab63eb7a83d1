"""The menus, made from the table of actions."""

from collections.abc import Callable, Mapping

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMainWindow, QMenu

from nervus.language import say
from nervus.window.actions import ACTIONS

_STAY_DOWN = ("theme", "judgement", "nerve", "findings", "whole_picture")


def make_menus(
    window: QMainWindow,
    handlers: Mapping[str, Callable[[], object]],
    open_demo: Callable[[str], object],
) -> dict[str, QAction]:
    """Fill the menu bar; returns the actions by their names.

    Raises:
        KeyError: an action has no handler.
    """
    bar = window.menuBar()
    assert bar is not None  # noqa: S101 - a main window has a menu bar
    menus: dict[str, QMenu] = {}
    actions: dict[str, QAction] = {}
    for spec in ACTIONS:
        if spec.menu not in menus:
            menu = bar.addMenu(f"&{say(spec.menu)}")
            assert menu is not None  # noqa: S101 - Qt returns the menu it made
            menus[spec.menu] = menu
        if spec.rule_before:
            menus[spec.menu].addSeparator()
        action = actions[spec.id] = QAction(spec.text, window)
        action.setObjectName(spec.id)
        action.setShortcuts([QKeySequence(k) for k in spec.keys])
        action.setCheckable(spec.id in _STAY_DOWN)
        action.triggered.connect(lambda _on=False, does=handlers[spec.id]: does())
        menus[spec.menu].addAction(action)
    demo = menus["Recording"].addMenu(say("Demo cases"))
    assert demo is not None  # noqa: S101 - Qt returns the menu it made
    demo.aboutToShow.connect(lambda: _fill(demo, open_demo))
    return actions


def _fill(menu: QMenu, open_demo: Callable[[str], object]) -> None:
    """The demo's cases, when somebody looks for them: what makes them is loaded then."""
    from nervus.standin.demo import CASES  # noqa: PLC0415 - off the way to the first window

    if menu.actions():
        return
    for case in CASES:
        action = menu.addAction(f"{case.vehicle.name}, {case.complaint}")
        assert action is not None  # noqa: S101 - Qt returns the action it made
        action.triggered.connect(lambda _on, case_id=case.id: open_demo(case_id))
