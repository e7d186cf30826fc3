"""What a view is to the window: one record, from which everything else that
names it follows.

The tab, the entry in the View menu and its shortcut, the order of F6, the
palette, the line in the heading, the keys of panes, the screenshots and the
test of painting all come from the record. Adding a view is its module and a
record in `registry.VIEWS`.
"""

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, Generic, TypeVar

from PySide6.QtWidgets import QWidget

from umbrant.desk.session.desk import Desk
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.theme import Palette


class Side(StrEnum):
    """Where a view stands in the window."""

    LEFT = "left"
    """A tab at the left, where the project is written. Such a view is a
    ChipTable.
    """
    RIGHT = "right"
    """A tab at the top right."""
    UNDER = "under"
    """A pane of its own under the tabs at the right, with a heading."""
    FOOT = "foot"
    """Across the window, at its foot, without a heading."""


@dataclass(frozen=True)
class ViewContext:
    """What a view is made with."""

    desk: Desk
    palette: Palette
    dialogs: Callable[[], Dialogs]
    show: Callable[[str], None]
    """Shows the view with an id, and gives it the keyboard."""
    parent: QWidget


V = TypeVar("V", bound=QWidget)


def _heading(view: Any) -> str:
    text: str = view.heading()
    return text


def _set_palette(view: Any, palette: Palette) -> None:
    view.set_palette(palette)


def _itself(view: Any) -> QWidget:
    widget: QWidget = view
    return widget


@dataclass(frozen=True)
class ViewSpec(Generic[V]):
    """One view of the window. `id` names it in code, in `show_ID` and in its
    picture's name.
    """

    id: str
    side: Side
    title: str
    """As it stands on its tab, in its heading and in the menu."""
    help: str
    """What its action does, in one line."""
    make: Callable[[ViewContext], V]
    keys: str = ""
    """Its shortcut; only of views that are tabs."""
    heading: Callable[[V], str] = _heading
    """The line beside its tab, about what it shows."""
    tab_title: Callable[[V, str], str] = lambda view, title: title
    """What stands on its tab now, given its title."""
    set_palette: Callable[[V, Palette], None] = _set_palette
    keyboard: Callable[[V], QWidget] = _itself
    """The widget in it that takes the keyboard."""
    close: Callable[[V], None] = lambda view: None
    """Called when the window leaves the project."""

    @property
    def is_tab(self) -> bool:
        """Whether it shares its place with others and is shown by an action of
        its own.
        """
        return self.side in (Side.LEFT, Side.RIGHT)

    @property
    def action(self) -> str:
        """The id of the action that shows it, if it is a tab."""
        return f"show_{self.id}"
