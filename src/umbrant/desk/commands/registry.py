"""Every action of the window, in the order of menus. Each is declared once, in the module of its
menu: its title, its keys, its help, when it can be done, and what it does.
"""

from PySide6.QtGui import QKeySequence

from umbrant.desk.commands import (
    ask,
    compare,
    edit,
    help,
    project,
    rows,
    run,
    view,
)
from umbrant.desk.commands.action import Action

MENUS = ("Project", "Edit", "Row", "Run", "Ask", "View", "Help")

_MODULES = (project, edit, rows, run, ask, compare, view, help)
ACTIONS: tuple[Action, ...] = tuple(
    action for module in _MODULES for action in module.ACTIONS
)


def by_id(actions: tuple[Action, ...] = ACTIONS) -> dict[str, Action]:
    """The actions by id. Raises ValueError where an id or a key is declared
    twice.
    """
    found: dict[str, Action] = {}
    keys: set[str] = set()
    for action in actions:
        if action.id in found:
            raise ValueError(f"two actions are called '{action.id}'")
        for sequence in sequences(action):
            text = sequence.toString()
            if text in keys:
                raise ValueError(
                    f"'{action.id}' has the keys {text}, which another action has already"
                )
            keys.add(text)
        found[action.id] = action
    return found


def sequences(action: Action) -> list[QKeySequence]:
    """The key sequences of an action."""
    return [QKeySequence(keys) for keys in action.keys]
