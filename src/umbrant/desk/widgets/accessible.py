"""What painted views hold, for those who do not see it: each thing in them is
an object that a screen reader finds, with a name and a place.

A view says what is in it (`AccessibleParts.parts`). The objects are made when
something asks for them, which nothing does as long as no screen reader runs.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Protocol, cast

import shiboken6
from PySide6.QtCore import QPoint, QRect, QRectF
from PySide6.QtGui import QAccessible, QAccessibleInterface, QAccessibleObject
from PySide6.QtWidgets import QWidget

MOST_PARTS = 400
"""How many things a view has at most for a screen reader; nobody walks more of
them one by one.
"""


@dataclass(frozen=True)
class AccessiblePart:
    """One thing in a view."""

    name: str
    """What it is, in words."""
    box: QRectF
    """Where it is drawn, in pixels of the view."""
    is_selected: bool = False


class AccessibleParts(Protocol):
    """A view that says what is in it."""

    def parts(self) -> list[AccessiblePart]:
        """The things in it, in the order in which they are walked."""


class _PartInterface(QAccessibleInterface):
    """One of the things in a view, by its number."""

    def __init__(self, owner: "_ViewInterface", number: int) -> None:
        super().__init__()
        self._owner = owner
        self._number = number

    def _part(self) -> AccessiblePart | None:
        parts = self._owner.parts()
        if self._number < len(parts):
            return parts[self._number]
        return None

    def isValid(self) -> bool:
        return self._part() is not None

    def object(self) -> Any:
        return None

    def parent(self) -> QAccessibleInterface:
        return self._owner

    def childCount(self) -> int:
        return 0

    def child(self, index: int) -> Any:
        return None

    def childAt(self, x: int, y: int) -> Any:
        return None

    def indexOfChild(self, child: QAccessibleInterface) -> int:
        return -1

    def text(self, text: QAccessible.Text) -> str:
        part = self._part()
        if part is not None and text is QAccessible.Text.Name:
            return part.name
        return ""

    def setText(self, text: QAccessible.Text, words: str) -> None: ...

    def rect(self) -> QRect:
        part = self._part()
        if part is not None:
            return self._owner.on_screen(part.box.toRect())
        return QRect()

    def role(self) -> QAccessible.Role:
        return QAccessible.Role.ListItem

    def state(self) -> QAccessible.State:
        state, part = QAccessible.State(), self._part()
        state.selectable = True
        state.selected = part is not None and part.is_selected
        state.invalid = part is None
        return state


class _ViewInterface(QAccessibleObject):
    """A painted view, with what is in it."""

    def __init__(self, view: QWidget) -> None:
        super().__init__(view)
        self._view = view
        self._parts: list[_PartInterface] = []

    def parts(self) -> list[AccessiblePart]:
        """What is in the view now; nothing once it is gone."""
        if not shiboken6.isValid(self._view):
            return []
        return cast(AccessibleParts, self._view).parts()[:MOST_PARTS]

    def on_screen(self, box: QRect) -> QRect:
        """Where a box of the view is on the screen."""
        return QRect(self._view.mapToGlobal(box.topLeft()), box.size())

    def childCount(self) -> int:
        return len(self.parts())

    def child(self, index: int) -> Any:
        if not 0 <= index < self.childCount():
            return None
        while len(self._parts) <= index:
            part = _PartInterface(self, len(self._parts))
            QAccessible.registerAccessibleInterface(part)
            self._parts.append(part)
        return self._parts[index]

    def childAt(self, x: int, y: int) -> Any:
        at = self._view.mapFromGlobal(QPoint(x, y)).toPointF()
        found = [
            number
            for number, part in enumerate(self.parts())
            if part.box.contains(at)
        ]
        if found:
            return self.child(found[0])
        return None

    def indexOfChild(self, child: QAccessibleInterface) -> int:
        return next(
            (
                number
                for number, each in enumerate(self._parts)
                if each is child
            ),
            -1,
        )

    def parent(self) -> Any:
        around = self._view.parentWidget()
        if around is not None:
            return QAccessible.queryAccessibleInterface(around)
        return None

    def text(self, text: QAccessible.Text) -> str:
        if not shiboken6.isValid(self._view):
            return ""
        words: dict[QAccessible.Text, Callable[[], str]] = {
            QAccessible.Text.Name: self._view.accessibleName,
            QAccessible.Text.Description: self._view.accessibleDescription,
            QAccessible.Text.Help: self._view.toolTip,
        }
        if text in words:
            return words[text]()
        return ""

    def rect(self) -> QRect:
        return self.on_screen(self._view.rect())

    def role(self) -> QAccessible.Role:
        return QAccessible.Role.List

    def state(self) -> QAccessible.State:
        state = QAccessible.State()
        state.focusable = True
        state.focused = self._view.hasFocus()
        state.invisible = not self._view.isVisible()
        return state


_made: dict[int, _ViewInterface] = {}
"""The objects of the views that live, by the views' ids: Qt holds them too,
but not their Python side.
"""


def _interface_of(name: str, made_for: object) -> Any:
    """What Qt asks for the object of a widget; None for one that is not ours."""
    if not isinstance(made_for, QWidget) or not hasattr(made_for, "parts"):
        return None
    key = id(made_for)
    found = _made[key] = _ViewInterface(made_for)
    made_for.destroyed.connect(lambda *_: _made.pop(key, None))
    return found


def serve_screen_readers() -> None:
    """Have Qt ask here for the objects of views. Called once, before windows
    are made.
    """
    QAccessible.installFactory(_interface_of)
