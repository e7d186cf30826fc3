"""Finding anything by typing: a command, a row of any behavior, a key, an
event, somebody on the stage.
"""

from collections.abc import Iterator, Sequence
from functools import partial

from PySide6.QtCore import QPoint
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QWidget
from rapidfuzz import fuzz, utils

from umbrant.catalog.uses import Use, uses_of
from umbrant.desk.chips.drawing import Brushes
from umbrant.desk.chips.sentence import PieceRole, sentence
from umbrant.desk.commands.branch_popup import BranchPopup
from umbrant.desk.commands.compare import (
    compare_with_file,
    compare_with_revision,
)
from umbrant.desk.commands.context import CommandContext
from umbrant.desk.commands.find_popup import FindPopup
from umbrant.desk.commands.finder_entry import FinderEntry
from umbrant.desk.commands.registry import ACTIONS, sequences
from umbrant.desk.session.branches import action_scope, branch
from umbrant.desk.views.ledger.search import SearchPopup
from umbrant.model.expanded import expand_behavior
from umbrant.model.paths import Path

LEAST_SCORE = 60


def ranked(
    text: str, found: Sequence[FinderEntry]
) -> tuple[list[FinderEntry], str]:
    """The goals that fit what was typed, the best first."""
    wanted = text.strip().lower()
    if not wanted:
        return list(found), ""
    scored = [
        (_score(wanted, goal), -index, goal)
        for index, goal in enumerate(found)
    ]
    fit = sorted(
        (each for each in scored if each[0] >= LEAST_SCORE),
        key=lambda each: each[:2],
        reverse=True,
    )
    return [goal for _, _, goal in fit], ""


def _score(wanted: str, goal: FinderEntry) -> float:
    title = goal.title.lower()
    if title.startswith(wanted):
        return 300 - len(title)
    if wanted in title:
        return 150
    if wanted in goal.phrase.lower():
        return 120
    return (
        float(
            fuzz.partial_ratio(
                wanted,
                f"{title} {goal.phrase}",
                processor=utils.default_process,
            )
        )
        * 0.7
    )


class Finder:
    """The searches of a window: over what can be done, over what is written,
    over what can be done from the playhead on, and over what a take can be
    compared with.
    """

    def __init__(
        self,
        area: QWidget,
        brushes: Brushes,
        context: CommandContext,
        actions: dict[str, QAction],
    ) -> None:
        self._area = area
        self._context = context
        self._actions = actions
        nothing = "Nothing fits. Try another word."
        self.commands = SearchPopup(
            area,
            brushes,
            ranked,
            name="Commands",
            hint="Type what you want to do",
            nothing=nothing,
        )
        self.things = SearchPopup(
            area,
            brushes,
            ranked,
            name="Find",
            hint="Find a row, a key, an event, one of the cast",
            nothing=nothing,
        )
        self.others = SearchPopup(
            area,
            brushes,
            ranked,
            name="Compare with",
            hint="Which take to compare this one with",
            nothing=nothing,
        )
        self.uses = SearchPopup(
            area,
            brushes,
            ranked,
            name="Uses",
            hint="Where it is used",
            nothing=nothing,
        )
        self.branches = BranchPopup(area, brushes)
        self.in_take = FindPopup(area, brushes, context.desk)
        self.in_take.chosen.connect(lambda entry: entry.go())
        for popup in (self.commands, self.things, self.others, self.uses):
            popup.chosen.connect(lambda goal: goal.go())
        self.branches.chosen.connect(
            lambda found: branch(context.desk, found.actions)
        )
        for popup in (self.others, self.branches):
            popup.chosen.connect(lambda _: context.table.setFocus())
        popups = (
            self.commands,
            self.things,
            self.others,
            self.uses,
            self.branches,
            self.in_take,
        )
        for popup in popups:
            popup.closed.connect(lambda: context.table.setFocus())

    def open_commands(self) -> None:
        """Search over what can be done now."""
        self.commands.open(list(self._what_can_be_done()), self._place())

    def open_things(self) -> None:
        """Search over what is written."""
        self.things.open([*self._rows(), *self._setting()], self._place())

    def open_in_take(self) -> None:
        """Find ticks of the take at which a condition holds."""
        self.in_take.open_at(self._place())

    def open_branches(self) -> None:
        """Say what is done from the playhead on."""
        scope = action_scope(self._context.desk)
        if scope is not None:
            self.branches.open_for(scope, self._place())

    def open_others(self) -> None:
        """Choose what to compare the shown take with."""
        self.others.open(list(self._others()), self._place())

    def _others(self) -> Iterator[FinderEntry]:
        takes = self._context.desk.takes
        for entry in reversed(takes.kept):
            if entry is not takes.current:
                go = partial(takes.compare_with, entry.number)
                yield FinderEntry(
                    entry.title,
                    "take",
                    entry.label.removeprefix(entry.title),
                    go,
                )
        file = partial(compare_with_file, self._context)
        yield FinderEntry(
            "A take from a file",
            "file",
            "",
            file,
            "Choose the file of a take.",
        )
        older = partial(compare_with_revision, self._context)
        says = "The same scenario, played with the project as it was at a revision of its git."
        yield FinderEntry(
            "An older version", "revision", "of the project", older, says
        )

    def _place(self) -> QPoint:
        return QPoint(max(0, self._area.width() // 2 - 210), 60)

    def _what_can_be_done(self) -> Iterator[FinderEntry]:
        for action in ACTIONS:
            bound = self._actions[action.id]
            if bound.isEnabled() and action.id != "find_command":
                keys = ", ".join(
                    each.toString() for each in sequences(action)[:1]
                )
                yield FinderEntry(
                    bound.text().rstrip("…"),
                    keys or action.menu,
                    action.help,
                    bound.trigger,
                    action.help,
                )

    def _rows(self) -> Iterator[FinderEntry]:
        desk = self._context.desk
        for behavior in desk.project.behaviors:
            for row in behavior.rows:
                says = " ".join(
                    piece.text for piece in sentence(row, desk.catalog)
                )
                title = row.name or row.kind.replace("_", " ")
                go = partial(self._jump_to_row, behavior.name, row.id)
                place = f"{behavior.title} {behavior.outline.number[row.id]}"
                yield FinderEntry(title, place, says, go, row.note or says)

    def _setting(self) -> Iterator[FinderEntry]:
        for line in self._context.setting.all_lines():
            if not line.heading and len(line.pieces) > 1:
                go = partial(self._jump_to_line, line.path)
                named = line.pieces[1].role is PieceRole.NAME
                title, words = line.text, ""
                if named:
                    title, words = line.pieces[1].text, line.text
                yield FinderEntry(
                    title,
                    line.pieces[0].text,
                    words,
                    go,
                    line.help or line.text,
                )

    def open_uses(self) -> None:
        """List where what the setting's line is about is used; a single use is
        gone to at once.
        """
        context, setting = self._context, self._context.setting
        desk, line = context.desk, setting.line
        found = uses_of(desk.project, desk.catalog, setting.path)
        called = "this"
        if line is not None and len(line.pieces) > 1:
            called = line.pieces[1].text
        entries = [
            each for use in found if (each := self._use(use)) is not None
        ]
        if not entries:
            desk.message.emit(f"{called} is used nowhere yet.")
        elif len(entries) == 1:
            entries[0].go()
        else:
            self.uses.open(entries, self._place())

    def _use(self, use: Use) -> FinderEntry | None:
        """A place at which something is used, to go to."""
        desk, setting = self._context.desk, self._context.setting
        behavior = None
        if use.behavior:
            behavior = desk.project.find_behavior(use.behavior)
        if behavior is None:
            line = next(
                (
                    each
                    for each in setting.all_lines()
                    if each.path == use.path
                ),
                None,
            )
            if line is None:
                return None
            return FinderEntry(
                line.text, "setting", "", partial(self._jump_to_line, use.path)
            )
        rows = expand_behavior(desk.project, behavior.name).behavior
        row = rows.by_id.get(use.row_id)
        if row is None:
            return None
        says = " ".join(piece.text for piece in sentence(row, desk.catalog))
        place = f"{behavior.title} {rows.outline.number[row.id]}"
        go = partial(self._jump_to_row, behavior.name, row.id)
        return FinderEntry(
            row.name or row.kind.replace("_", " "), place, says, go, says
        )

    def _jump_to_row(self, behavior: str, row_id: str) -> None:
        self._context.remember_place()
        self._context.go_to_row(behavior, row_id)

    def _jump_to_line(self, path: Path) -> None:
        self._context.remember_place()
        self._context.go_to_line(path)
