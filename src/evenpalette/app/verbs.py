"""What the window can do, as one list: menus, shortcuts, the search and the help sheet are all made from it."""

from collections.abc import Callable

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QWidget

from evenpalette.core.dataclass import dataclass


@dataclass(frozen=True)
class Verb:
    """One thing to do: group and name as shown, the shortcut, and the function."""

    group: str
    name: str
    keys: str
    run: Callable[[], object]


def make_actions(verbs: list[Verb], window: QWidget) -> dict[str, QAction]:
    """An action with its shortcut for every verb, by name."""
    actions = {}
    for verb in verbs:
        action = QAction(verb.name, window)
        if verb.keys:
            action.setShortcut(verb.keys)
        action.triggered.connect(lambda _checked=False, run=verb.run: run())
        window.addAction(action)
        actions[verb.name] = action
    return actions
