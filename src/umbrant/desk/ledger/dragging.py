"""Dragging rows with the mouse: where they would go, and whether they fit there."""

from dataclasses import dataclass

from PySide6.QtCore import QLineF, QRectF

from umbrant.catalog.declare import ROWS, Catalog
from umbrant.desk.ledger.layout import FIRST_X, INDENT
from umbrant.model.behaviors import Behavior, Row

INTO_FROM, INTO_TO = 0.3, 0.7
"""Between these shares of a row's height rows are dropped into it, above before it, below behind it."""


@dataclass(frozen=True)
class Drop:
    """Where rows are dropped: behind `after`, or first, in `under`; `line` is where it is shown."""

    after: str | None
    under: str
    line: QLineF
    fits: bool


def drop_at(behavior: Behavior, catalog: Catalog, row: Row, cell: QRectF, y: float, moved: list[str]) -> Drop | None:
    """Where rows dropped at a height over another row go; None where nothing can be dropped."""
    outline = behavior.outline
    share, children = (y - cell.top()) / max(1.0, cell.height()), outline.children[row.id]
    kind, above = catalog.get(row.kind, *ROWS), outline.parent[row.id]
    holds = kind is not None and bool(kind.holds)
    depth, foot = outline.depth[row.id], cell.bottom()
    after: str | None
    if holds and (INTO_FROM < share < INTO_TO or above is None):
        after, under, depth = (children[-1] if children else None), row.id, depth + 1
    elif above is None:
        return None
    elif share <= INTO_TO / 2 + INTO_FROM / 2:
        siblings = outline.siblings(row.id)
        place = siblings.index(row.id)
        after, under, foot = (siblings[place - 1] if place else None), above, cell.top()
    elif children:
        after, under, depth = None, row.id, depth + 1
    else:
        after, under = row.id, above
    fits = _fits(behavior, catalog, moved, after, under)
    return Drop(after, under, QLineF(FIRST_X + INDENT * depth, foot - 1, cell.right() - 8, foot - 1), fits)


def _fits(behavior: Behavior, catalog: Catalog, moved: list[str], after: str | None, under: str) -> bool:
    inside = {each for row_id in moved for each in behavior.outline.within(row_id)}
    if under in inside or after in inside:
        return False
    path = under.rpartition("/")[0]
    if any(row_id.rpartition("/")[0] != path for row_id in moved) or behavior.row(under).kind == "use_behavior":
        return False
    holder = catalog.get(behavior.row(under).kind, *ROWS)
    kinds = [catalog.get(behavior.row(row_id).kind, *ROWS) for row_id in moved]
    return holder is not None and all(kind is None or kind.family in holder.holds for kind in kinds)
