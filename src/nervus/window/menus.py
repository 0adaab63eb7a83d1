"""The menus, made from the table of actions."""

from collections.abc import Callable, Mapping

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMainWindow, QMenu

from nervus.window.actions import ACTIONS

_STAY_DOWN = ("theme", "judgement")


def make_menus(
    window: QMainWindow,
    handlers: Mapping[str, Callable[[], object]],
    demo_cases: tuple[tuple[str, str], ...],
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
            menu = bar.addMenu(f"&{spec.menu}")
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
    if demo_cases:
        demo = menus["Recording"].addMenu("Demo cases")
        assert demo is not None  # noqa: S101 - Qt returns the menu it made
        for case_id, title in demo_cases:
            case = demo.addAction(title)
            assert case is not None  # noqa: S101 - Qt returns the action it made
            case.triggered.connect(lambda _on, case_id=case_id: open_demo(case_id))
    return actions
