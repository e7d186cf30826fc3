"""The views of one desk, made from their records."""

from collections.abc import Iterator, Sequence
from typing import Any, TypeVar

from PySide6.QtWidgets import QWidget

from umbrant.desk.views.spec import Side, ViewContext, ViewSpec
from umbrant.desk.widgets.theme import Palette

W = TypeVar("W", bound=QWidget)


class ViewSet:
    """One widget for each record, in the order of the records."""

    def __init__(
        self, specs: Sequence[ViewSpec[Any]], context: ViewContext
    ) -> None:
        self.specs = specs
        self._views: dict[str, QWidget] = {
            spec.id: spec.make(context) for spec in specs
        }

    def __getitem__(self, view_id: str) -> QWidget:
        """The view with this id. Raises KeyError."""
        return self._views[view_id]

    def of(self, kind: type[W]) -> W:
        """The view of this class. Raises LookupError if there is none."""
        for view in self._views.values():
            if isinstance(view, kind):
                return view
        raise LookupError(f"no view is a {kind.__name__}")

    def at(self, *sides: Side) -> Iterator[tuple[ViewSpec[Any], QWidget]]:
        """The views at some sides, with their records."""
        return (
            (spec, self._views[spec.id])
            for spec in self.specs
            if spec.side in sides
        )

    def set_palette(self, palette: Palette) -> None:
        """Turn all of them to Day or Night."""
        for spec, view in self.at(*Side):
            spec.set_palette(view, palette)

    def keyboard_widgets(self, *sides: Side) -> list[QWidget]:
        """The widgets at some sides, or at all, that take the keyboard."""
        return [
            spec.keyboard(view) for spec, view in self.at(*(sides or Side))
        ]

    def close(self) -> None:
        """The window leaves the project."""
        for spec, view in self.at(*Side):
            spec.close(view)
