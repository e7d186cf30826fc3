"""What an author can do with rows: the commands of the ledger that change what
is written.
"""

from collections.abc import Callable

from PySide6.QtGui import QGuiApplication

from umbrant.catalog.kind import RUNS, Catalog, Family, Kind
from umbrant.catalog.templates.behaviors import fresh_name
from umbrant.desk.session.desk import Desk
from umbrant.desk.views.ledger.view import LedgerView
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.model.behaviors import Row
from umbrant.model.clipboard import (
    NoRowsError,
    extract_rows,
    paste_rows,
    rows_from,
    rows_text,
    wrap_rows,
)
from umbrant.model.documents import Project
from umbrant.model.edits import (
    Edit,
    delete_rows,
    follow_original,
    set_kind,
    set_muted,
    set_note,
)
from umbrant.model.expanded import written_under
from umbrant.model.kind_ids import USE_BEHAVIOR

WRAPS = ("selector", "sequence", "parallel", "random_selector")
"""What rows can be wrapped in."""

Change = Callable[[Project, str], tuple[Project, list[str]]]


class RowCommands:
    """Changes the rows that are selected in a ledger."""

    def __init__(
        self, desk: Desk, ledger: LedgerView, dialogs: Callable[[], Dialogs]
    ) -> None:
        self.desk = desk
        self.ledger = ledger
        self.dialogs = dialogs

    def follow(self) -> None:
        """Put a variant's chip, or its whole row, back to what it is in the
        behavior that it is made from.
        """
        behavior, row, chip = (
            self.desk.behavior,
            self.desk.row,
            self.ledger.focused_chip,
        )
        if (
            behavior is None
            or row is None
            or self.desk.override_of(row.id) is None
        ):
            return
        slot = None
        if chip is not None and chip[0].overridden:
            slot = chip[0].slot
        if chip is not None and slot is not None:
            what = chip[0].label
        else:
            what = row.name or row.kind
        edit = Edit(
            f"Follow the original in {what}",
            lambda p: follow_original(p, behavior.name, row.id, slot),
        )
        self.desk.apply(edit)

    def delete(self) -> None:
        """Delete the rows with all in them; on a guard's, decorator's or
        upkeep's chip, only that.
        """
        behavior, row_ids = self.desk.behavior, self.ledger.selected_rows
        if behavior is None or not row_ids or self.ledger.remove_chip():
            return
        siblings = behavior.outline.siblings(row_ids[0])
        first, last = siblings.index(row_ids[0]), siblings.index(row_ids[-1])
        if last + 1 < len(siblings):
            neighbour = siblings[last + 1]
        else:
            neighbour = None
            if first:
                neighbour = siblings[first - 1]
        name = behavior.name
        self.desk.apply(
            Edit(
                f"Delete {self._called()}",
                lambda p: delete_rows(p, name, row_ids),
            )
        )
        follow = neighbour or behavior.outline.parent[row_ids[0]]
        if follow:
            self.desk.select_row(follow)

    def mute(self) -> None:
        """Mute the rows, or let them take part again."""
        behavior, row, row_ids = (
            self.desk.behavior,
            self.desk.row,
            self.ledger.selected_rows,
        )
        if behavior is not None and row is not None:
            name, muted = behavior.name, not row.muted
            verb = "Unmute"
            if muted:
                verb = "Mute"
            self.desk.apply(
                Edit(
                    f"{verb} {self._called()}",
                    lambda p: set_muted(p, name, row_ids, muted),
                )
            )

    def copy(self) -> None:
        """Put the rows on the clipboard, as text."""
        behavior, row_ids = self.desk.behavior, self.ledger.selected_rows
        if behavior is not None and row_ids:
            QGuiApplication.clipboard().setText(
                rows_text(self.desk.project, behavior.name, row_ids)
            )
            self.desk.message.emit(
                f"{self._called()} copied: paste it here, in another project, or into a message."
            )

    def cut(self) -> None:
        """Copy the rows, and delete them."""
        self.ledger.leave_chips()
        self.copy()
        self.delete()

    def paste(self) -> None:
        """Put copied rows in: inside a row that holds such rows, else behind
        it.
        """
        try:
            rows = rows_from(QGuiApplication.clipboard().text())
        except NoRowsError as error:
            self.desk.message.emit(str(error))
            return
        row, behavior = self.desk.row, self.desk.behavior
        if behavior is None:
            return
        after, under = self._insertion_for(row, rows[0])
        if after is None and under is None and behavior.rows:
            self.desk.message.emit(
                "There is no place here for rows like these."
            )
            return
        self._do(
            "Paste rows",
            lambda p, b: paste_rows(p, b, rows, after=after, under=under),
        )

    def duplicate(self) -> None:
        """Put a copy of the rows behind them."""
        behavior, row_ids = self.desk.behavior, self.ledger.selected_rows
        if behavior is None or not row_ids:
            return
        around = written_under(behavior, row_ids[0])
        if around is None:
            self.desk.message.emit(
                "The outermost row stands alone; copy it into another behavior instead."
            )
            return
        rows = rows_from(rows_text(self.desk.project, behavior.name, row_ids))
        last = row_ids[-1]
        self._do(
            f"Duplicate {self._called()}",
            lambda p, b: paste_rows(p, b, rows, after=last, under=around),
        )

    def wrap(self) -> None:
        """Put the rows into a new one."""
        row_ids, catalog = self.ledger.selected_rows, self.desk.catalog
        if not self._run_on_their_own(row_ids):
            self.desk.message.emit(
                "Only rows of a tree can be wrapped: actions, conditions and what holds them."
            )
            return

        def wrap(kind: Kind) -> None:
            def change(
                project: Project, behavior: str
            ) -> tuple[Project, list[str]]:
                title = kind.title.capitalize()
                changed, around = wrap_rows(
                    project, behavior, row_ids, kind.id, title
                )
                return changed, [around]

            self._do(f"Wrap {self._called()}", change)

        kinds = [catalog.kinds[kind] for kind in WRAPS]
        self.ledger.adding.pick_kind(
            kinds, "Wrap", "Put the rows into …", wrap
        )

    def extract(self) -> None:
        """Put the rows into a behavior of their own, which is used in their
        place.
        """
        row_ids = self.ledger.selected_rows
        if not self._run_on_their_own(row_ids) or self.desk.row is None:
            self.desk.message.emit(
                "Only rows of a tree can be a behavior: actions, conditions and what holds them."
            )
            return
        title = self.dialogs().text(
            "Behavior of its own",
            "Title of the behavior:",
            self.desk.row.name,
            "Make it",
        )
        if title is None:
            return
        letters = []
        for each in title.lower():
            if each.isalnum() and each.isascii():
                letters.append(each)
            else:
                letters.append("-")
        words = "".join(letters).strip("-")
        taken = [each.name for each in self.desk.project.behaviors]
        name = fresh_name(words if words[:1].isalpha() else "part", taken, "-")

        def change(
            project: Project, behavior: str
        ) -> tuple[Project, list[str]]:
            changed, use = extract_rows(
                project, behavior, row_ids, name, title
            )
            return changed, [use]

        self._do(f"Make {title} a behavior", change)

    def swap_kind(self) -> None:
        """Make the row into one of another kind, keeping what fits."""
        row, behavior, catalog = (
            self.desk.row,
            self.desk.behavior,
            self.desk.catalog,
        )
        old = None
        if row is not None:
            old = catalog.kinds.get(row.kind)
        if row is None or behavior is None or old is None:
            return
        holds = bool(behavior.outline.children[row.id])
        others = _like(old, catalog, holds=holds)
        if not others:
            self.desk.message.emit(
                f"No other kind can stand where {row.name or old.title} stands."
            )
            return
        name, row_id = behavior.name, row.id

        def swap(new: Kind) -> None:
            keep = [
                param.name
                for param in new.params
                if (same := old.param(param.name)) and same.type is param.type
            ]
            edit = Edit(
                f"Make it {new.title}",
                lambda p: set_kind(p, name, row_id, new.id, keep),
            )
            self.desk.apply(edit)

        hint = f"Make {row.name or old.title} into …"
        self.ledger.adding.pick_kind(others, "Another kind", hint, swap)

    def note(self) -> None:
        """Say something about the row that is only for its readers."""
        row, behavior = self.desk.row, self.desk.behavior
        if row is None or behavior is None:
            return
        text = self.dialogs().note(
            "Comment",
            f"About {row.name or row.kind} (Ctrl+Enter keeps it):",
            row.note,
        )
        if text is not None:
            name, row_id = behavior.name, row.id
            self.desk.apply(
                Edit("Comment", lambda p: set_note(p, name, row_id, text))
            )

    # inside

    def _do(self, name: str, change: Change) -> None:
        behavior = self.desk.behavior
        new: list[str] = []

        def apply(project: Project) -> Project:
            behavior_name = ""
            if behavior:
                behavior_name = behavior.name
            changed, ids = change(project, behavior_name)
            new[:] = ids
            return changed

        if behavior is not None and self.desk.apply(Edit(name, apply)):
            self.ledger.select_rows(new)

    def _called(self) -> str:
        row, row_ids = self.desk.row, self.ledger.selected_rows
        if len(row_ids) > 1:
            return f"{len(row_ids)} rows"
        if row:
            return row.name or row.kind
        return ""

    def _kind(self, row: Row | None) -> Kind | None:
        if row is not None:
            return self.desk.catalog.kinds.get(row.kind)
        return None

    def _insertion_for(
        self, row: Row | None, first: Row
    ) -> tuple[str | None, str | None]:
        """Where rows like these can stand: inside the selected row, or behind
        it.
        """
        behavior, wanted = self.desk.behavior, self._kind(first)
        if wanted is not None:
            family = wanted.family
        else:
            family = Family.ACTION
        if row is None or behavior is None:
            return None, None
        kind = self._kind(row)
        if kind is not None and family in kind.holds:
            children = behavior.outline.children[row.id]
            return (children[-1] if children else None), row.id
        around = behavior.outline.parent[row.id]
        outer = None
        if around:
            outer = self._kind(behavior.row(around))
        if outer is not None and family in outer.holds:
            return (row.id, around)
        return (None, None)

    def _run_on_their_own(self, row_ids: list[str]) -> bool:
        behavior = self.desk.behavior
        if behavior is not None:
            kinds = [self._kind(behavior.row(each)) for each in row_ids]
        else:
            kinds = []
        return bool(kinds) and all(
            kind is not None and kind.family in RUNS for kind in kinds
        )


def _like(old: Kind, catalog: Catalog, *, holds: bool) -> list[Kind]:
    """The kinds that a row of some kind can become: of its own family, or of
    another one that runs.
    """
    families = RUNS if old.family in RUNS else (old.family,)
    others = [
        kind
        for kind in catalog.family(*families)
        if kind.id not in (old.id, USE_BEHAVIOR)
    ]
    if not holds and not old.holds:
        return others
    return [kind for kind in others if kind.holds == old.holds]
