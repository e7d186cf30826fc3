"""Renaming a key of a blackboard."""

from umbrant.catalog.kind import Catalog
from umbrant.catalog.params import ParamType
from umbrant.catalog.renaming.everywhere import with_rows, with_scenarios
from umbrant.catalog.renaming.texts import WRITTEN, TextRenaming
from umbrant.model.behaviors import Behavior, Blackboard, Row, Sharing
from umbrant.model.documents import Project
from umbrant.model.expanded import BEHAVIOR
from umbrant.model.kind_ids import USE_BEHAVIOR
from umbrant.model.staging import Cue, Member, Scenario, SetKey
from umbrant.model.values import KeyRef, ParamValue, find_named


def rename_key(
    project: Project, catalog: Catalog, board: str, old: str, new: str
) -> Project:
    """The project with a key of a blackboard called otherwise, wherever it is
    used.
    """
    renaming = _KeyRenaming(project, catalog, board, old, new)
    project = with_scenarios(
        with_rows(project, renaming.row), renaming.member, renaming.cue
    )
    return project.model_copy(
        update={
            "blackboards": tuple(
                renaming.blackboard(each) for each in project.blackboards
            )
        }
    )


class _KeyRenaming:
    """What becomes of each part of a project where a key is called otherwise."""

    def __init__(
        self,
        project: Project,
        catalog: Catalog,
        board: str,
        old: str,
        new: str,
    ) -> None:
        self._old, self._new, self._board = old, new, board
        self._boards = {
            each.name
            for each in project.blackboards
            if extends(project, each.name, board)
        }
        self._using = {
            each.name
            for each in project.behaviors
            if each.blackboard in self._boards
        }
        self._is_worlds = (
            project.blackboard(board).by_name[old].scope is Sharing.WORLD
        )
        self._texts = TextRenaming(catalog, self._name, lambda text: text)

    def row(self, row: Row, behavior: Behavior) -> Row:
        if behavior.name in self._using:
            row = self._texts.row(row, self._value)
        if row.kind == USE_BEHAVIOR and row.args.get(BEHAVIOR) in self._using:
            row = row.model_copy(
                update={
                    "binds": {
                        self._name(name): to for name, to in row.binds.items()
                    }
                }
            )
        return row

    def blackboard(self, board: Blackboard) -> Blackboard:
        if board.name not in self._boards:
            return board
        keys = []
        for each in board.keys:
            changed = {"formula": self._texts.text(each.formula)}
            # The key is declared on one blackboard; others only speak of it.
            if board.name == self._board:
                changed["name"] = self._name(each.name)
            keys.append(each.model_copy(update=changed))
        return board.model_copy(update={"keys": tuple(keys)})

    def member(self, member: Member) -> Member:
        if member.behavior not in self._using:
            return member
        return member.model_copy(
            update={
                "keys": {
                    self._name(name): value
                    for name, value in member.keys.items()
                }
            }
        )

    def cue(self, cue: Cue, scenario: Scenario) -> Cue:
        does = cue.does
        if (
            isinstance(does, SetKey)
            and does.sets == self._old
            and self._is_meant(does, scenario)
        ):
            cue = cue.model_copy(
                update={"does": does.model_copy(update={"sets": self._new})}
            )
        if self._is_worlds:
            return cue.model_copy(update={"when": self._texts.text(cue.when)})
        return cue

    def _is_meant(self, does: SetKey, scenario: Scenario) -> bool:
        if does.of is None:
            return self._is_worlds
        of = find_named(scenario.cast, does.of)
        if of is None:
            meant = scenario.in_group(does.of)
        else:
            meant = (of,)
        return bool(meant) and all(
            each.behavior in self._using for each in meant
        )

    def _value(
        self, value: ParamValue, wanted: ParamType | None
    ) -> ParamValue:
        if isinstance(value, KeyRef):
            return KeyRef(key=self._name(value.key))
        if wanted in WRITTEN and isinstance(value, str):
            return self._texts.text(value)
        return value

    def _name(self, name: str) -> str:
        if name == self._old:
            return self._new
        return name


def extends(project: Project, name: str | None, board: str) -> bool:
    """Whether a blackboard is another one, or extends it, maybe by way of
    others.
    """
    boards, seen = (
        {each.name: each for each in project.blackboards},
        set[str](),
    )
    while name in boards and name not in seen:
        if name == board:
            return True
        seen.add(name)
        name = boards[name].extends
    return False
