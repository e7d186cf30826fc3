"""Adding to the cells of a machine's table: typed as one writes it on paper,
pasted from a spreadsheet, or chosen from a list.
"""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QMenu

from umbrant.catalog.validation.names import names_in
from umbrant.desk.views.machine_table.adding import (
    add_state,
    add_transition,
    target_menu,
    trigger_menu,
)
from umbrant.desk.views.machine_table.cells import (
    MachineCells,
    SourceLine,
    TriggerColumn,
)
from umbrant.desk.views.machine_table.typed import (
    CellError,
    CellScope,
    paste_cells,
    put_state,
    put_transition,
    read_transition,
)
from umbrant.desk.views.machine_table.typed_line import TypedLine
from umbrant.model.edits import Edit
from umbrant.model.kind_ids import AFTER, FINAL, ON_DONE, ON_EVENT, WHEN

if TYPE_CHECKING:
    from umbrant.desk.views.machine_table.view import MachineTable

HINTS = {
    WHEN: "distance to visitor < 6 → Chase",
    AFTER: "2 s → Idle",
    ON_EVENT: "→ Flee",
    ON_DONE: "success → Rest",
}
"""What a line over a cell of each column shows while it is empty."""


class CellAdditions(QObject):
    """What Enter does in a cell of a table. Lives in the window's thread."""

    def __init__(self, table: "MachineTable") -> None:
        super().__init__(table)
        self._table = table
        self.menu: QMenu | None = None
        self.line: TypedLine | None = None
        """The line that was opened last."""

    def open(self) -> None:
        """Offer what can be added to the selected cell."""
        cells, index = self._table.machine.cells, self._table.currentIndex()
        source, trigger = (
            self._table.machine.source_at(index.row()),
            self._table.machine.trigger_at(index.column()),
        )
        if cells is None or source is None:
            self._table.desk.message.emit(
                "There is no machine here. Add one to the rows: Ctrl+5, then Enter."
            )
            return
        if trigger is not None:
            self._type_transition(source, trigger)
        else:
            self._type_state(source)

    def open_list(self) -> None:
        """Offer what can be added to the selected cell, to be chosen from a
        list.
        """
        cells, index = self._table.machine.cells, self._table.currentIndex()
        source = self._table.machine.source_at(index.row())
        trigger = self._table.machine.trigger_at(index.column())
        if cells is None or source is None:
            return
        if trigger is not None:
            self.menu = target_menu(
                self._table, cells, partial(self._add, source.row_id, trigger)
            )
        else:
            self.menu = self._state_menu(cells, source)
        corner = self._table.visualRect(index).bottomLeft()
        self.menu.popup(self._table.viewport().mapToGlobal(corner))

    def _type_state(self, source: SourceLine) -> None:
        """Type the name of a new state; Enter goes on to the next."""
        self._open_line(
            "Name of a new state · Down lists more", lambda text: ""
        ).typed.connect(partial(self._state_typed, source))

    def _state_typed(self, source: SourceLine, name: str) -> None:
        behavior = self._table.desk.behavior
        if behavior is None or source.row_id not in behavior.by_id:
            return
        project, new_id = put_state(
            self._table.desk.project, behavior, source.row_id, name
        )
        if self._table.desk.apply(
            Edit(f"Add the state {name}", lambda _: project)
        ):
            path = source.row_id.rpartition("/")[0]
            self._table.desk.select_row(f"{path}/{new_id}" if path else new_id)
            self.open()

    def _type_transition(
        self, source: SourceLine, trigger: TriggerColumn
    ) -> None:
        """Type a transition as it is read."""
        scope = self._scope()

        def fault(text: str) -> str:
            try:
                read_transition(text, trigger, scope)
            except CellError as error:
                return str(error)
            return ""

        line = self._open_line(HINTS[trigger.kind], fault)
        line.typed.connect(partial(self._transition_typed, source, trigger))

    def _transition_typed(
        self, source: SourceLine, trigger: TriggerColumn, text: str
    ) -> None:
        behavior = self._table.desk.behavior
        if behavior is None or source.row_id not in behavior.by_id:
            return
        typed = read_transition(text, trigger, self._scope())
        project, new_id = put_transition(
            self._table.desk.project, behavior, source.row_id, typed
        )
        if self._table.desk.apply(Edit("Add a transition", lambda _: project)):
            self._table.desk.select_row(new_id)

    def _scope(self) -> CellScope:
        desk, cells = self._table.desk, self._table.machine.cells
        source = self._table.machine.source_at(
            self._table.currentIndex().row()
        )
        if source is not None:
            keys = desk.keys_at(source.row_id)
        else:
            keys = {}
        if cells is not None:
            targets = cells.targets()
        else:
            targets = []
        return CellScope(
            desk.project, keys, desk.catalog, names_in(desk.project), targets
        )

    def _open_line(self, hint: str, check: Callable[[str], str]) -> TypedLine:
        """Open a line over the selected cell."""
        index = self._table.currentIndex()
        cell = self._table.visualRect(index)
        if index.column() == 0:
            # A new state comes below the one that is selected.
            cell.translate(0, cell.height())
        self.line = TypedLine(self._table, cell, hint, check)
        self.line.list_wanted.connect(self.open_list)
        return self.line

    def paste(self, text: str) -> bool:
        """Put the cells of a spreadsheet into the machine, as one step of
        undo. Returns whether the text has cells; a message names those that
        are no transitions.
        """
        desk, cells = self._table.desk, self._table.machine.cells
        if cells is None or "\t" not in text:
            return False
        pasted = paste_cells(
            self._scope(), cells.behavior, cells.machine, text
        )
        desk.apply(Edit("Paste cells", lambda _: pasted.project))
        if pasted.wrong:
            desk.message.emit("Not taken: " + "; ".join(pasted.wrong))
        return True

    def _state_menu(self, cells: MachineCells, source: SourceLine) -> QMenu:
        menu = QMenu(self._table)
        menu.setAccessibleName("Add to the machine")
        above = cells.behavior.outline.parent[source.row_id]
        if not source.is_machine and above is not None:
            menu.addAction(
                "State after this one",
                lambda: self._add_state(source.row_id, above),
            )
            if cells.behavior.row(source.row_id).kind != FINAL:
                menu.addAction(
                    "State inside this one",
                    lambda: self._add_state(None, source.row_id),
                )
        else:
            menu.addAction(
                "State", lambda: self._add_state(None, source.row_id)
            )
        if (
            source.is_machine
            or cells.behavior.row(source.row_id).kind != FINAL
        ):
            menu.addSeparator()
            triggers = trigger_menu(
                self._table,
                self._table.desk,
                lambda trigger: self._add(source.row_id, trigger, ""),
            )
            triggers.setTitle("Transition")
            menu.addMenu(triggers)
        return menu

    def _add(self, source: str, trigger: TriggerColumn, target: str) -> None:
        if (
            add_transition(self._table.desk, source, trigger, target)
            is not None
        ):
            self._table.setFocus()
            self._table.begin_missing()

    def _add_state(self, after: str | None, under: str) -> None:
        if add_state(self._table.desk, after, under) is not None:
            self._table.setFocus()
            self._table.rename()
