"""Renaming something everywhere it is named: in rows, conditions, formulas,
cues and the cast.

Conditions are rewritten as text, word by word, so that an author's spacing
stays.
"""

import re
from collections.abc import Callable, Container, Mapping
from enum import StrEnum
from typing import TypeVar

from umbrant.catalog.kind import ROWS, Catalog, Family
from umbrant.catalog.params import ParamType
from umbrant.model.behaviors import (
    Behavior,
    Blackboard,
    Decorator,
    Key,
    Override,
    Row,
    Sharing,
    Upkeep,
)
from umbrant.model.documents import Project
from umbrant.model.expanded import BEHAVIOR
from umbrant.model.kind_ids import USE_BEHAVIOR
from umbrant.model.paths import PathError, put
from umbrant.model.staging import (
    Cue,
    HoldResult,
    Member,
    MoveTo,
    RaiseEvent,
    Scenario,
    SetKey,
    SetNumber,
    TakeAway,
)
from umbrant.model.values import (
    Document,
    KeyRef,
    KeyType,
    ParamValue,
    PlaceRef,
    Value,
    find_named,
)

_WORD = re.compile(r'"[^"]*"|\'[^\']*\'|[A-Za-z_][\w.]*(?!\w)(?!\s*\()')
"""A text in quotes, or a word that is not the name of a sense."""

WRITTEN = (ParamType.CONDITION, ParamType.FORMULA)


class NamesDocument(StrEnum):
    """What besides keys has a name that rows and conditions can use."""

    MEMBER = "member"
    PROP = "prop"
    PLACE = "place"
    GROUP = "group"
    AREA = "area"
    STAT = "stat"
    EVENT = "event"
    BEHAVIOR = "behavior"


_TYPES = {
    NamesDocument.MEMBER: (ParamType.AGENT, ParamType.PLACE),
    NamesDocument.PROP: (ParamType.PROP, ParamType.PLACE),
    NamesDocument.PLACE: (ParamType.PLACE,),
    NamesDocument.GROUP: (ParamType.GROUP,),
    NamesDocument.AREA: (ParamType.ZONE,),
    NamesDocument.STAT: (ParamType.STAT,),
    NamesDocument.EVENT: (ParamType.EVENT,),
    NamesDocument.BEHAVIOR: (ParamType.BEHAVIOR,),
}

_KEY_TYPES = {
    NamesDocument.MEMBER: KeyType.AGENT,
    NamesDocument.PROP: KeyType.PROP,
}
"""The type of the keys that may hold such a name."""


def rename_key(
    project: Project, catalog: Catalog, board: str, old: str, new: str
) -> Project:
    """The project with a key of a blackboard called otherwise, wherever it is
    used.
    """
    renaming = _KeyRenaming(project, catalog, board, old, new)
    project = _with_scenarios(
        _with_rows(project, renaming.row), renaming.member, renaming.cue
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
        self._texts = _TextRenaming(catalog, self._name, lambda text: text)

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


def rename_used(
    project: Project,
    catalog: Catalog,
    named: NamesDocument,
    old: str,
    new: str,
) -> Project:
    """The project with something called otherwise where it is used; what has
    the name is renamed by who asks.

    An event takes along those that are kinds of it: `alarm.bell` becomes
    `alert.bell` with `alarm`. One of the cast takes along its copies. A number
    of a body is renamed in every body that has it, as what uses it may be run
    by several.
    """
    renaming = _UseRenaming(project, catalog, named, old, new)
    renamed = _with_scenarios(
        _with_rows(project, renaming.row), renaming.member, renaming.cue
    )
    return renamed.model_copy(
        update={
            "blackboards": tuple(
                renaming.board(each) for each in project.blackboards
            ),
            "behaviors": tuple(
                renaming.behavior(each) for each in renamed.behaviors
            ),
        }
    )


class _UseRenaming:
    """What becomes of each part of a project where something that is no key is
    called otherwise.
    """

    def __init__(
        self,
        project: Project,
        catalog: Catalog,
        named: NamesDocument,
        old: str,
        new: str,
    ) -> None:
        self._project, self._catalog, self._named = project, catalog, named
        self._old, self._new = old, new
        cast = [member for each in project.scenarios for member in each.cast]
        self._has_copies = named is NamesDocument.MEMBER and any(
            member.copies > 1 for member in cast if member.name in (old, new)
        )
        self._written = (
            self._name if named is not NamesDocument.BEHAVIOR else str
        )

    def row(self, row: Row, behavior: Behavior) -> Row:
        texts = self._telling(self._project.keys_of(behavior))
        types = _TYPES[self._named]

        def own(value: ParamValue, wanted: ParamType | None) -> ParamValue:
            if wanted in WRITTEN and isinstance(value, str):
                return texts.text(value)
            if isinstance(value, PlaceRef) and ParamType.PLACE in types:
                return PlaceRef(place=self._name(value.place))
            if wanted in types and isinstance(value, str):
                return self._name(value)
            return value

        return texts.row(row, own)

    def behavior(self, behavior: Behavior) -> Behavior:
        if self._named is not NamesDocument.STAT or not behavior.stats:
            return behavior
        stats = {
            self._name(name): value for name, value in behavior.stats.items()
        }
        return behavior.model_copy(update={"stats": stats})

    def cue(self, cue: Cue, scenario: Scenario) -> Cue:
        does = _cue_action(cue.does, self._named, self._name)
        if isinstance(does, SetKey):
            keys = _keys_set(self._project, scenario, does)
            does = does.model_copy(
                update={"value": self._held(keys, does.sets, does.value)}
            )
        return cue.model_copy(
            update={"when": self._telling(()).text(cue.when), "does": does}
        )

    def member(self, member: Member) -> Member:
        keys = self._project.keys_of_member(member)
        held = {
            key: self._held(keys, key, value)
            for key, value in member.keys.items()
        }
        changed: dict[str, object] = {"keys": held}
        if self._named is NamesDocument.STAT:
            stats = {
                self._name(name): stat
                for name, stat in member.body.stats.items()
            }
            changed["body"] = member.body.model_copy(update={"stats": stats})
        return member.model_copy(update=changed)

    def board(self, board: Blackboard) -> Blackboard:
        extended = [
            each
            for each in self._project.blackboards
            if extends(self._project, board.name, each.name)
        ]
        texts = self._telling(
            {key.name for each in extended for key in each.keys}
        )
        keys = [
            key.model_copy(
                update={
                    "default": self._held(
                        {key.name: key}, key.name, key.default
                    ),
                    "formula": texts.text(key.formula),
                }
            )
            for key in board.keys
        ]
        return board.model_copy(update={"keys": tuple(keys)})

    def _telling(self, keys: Container[str]) -> "_TextRenaming":
        """Rewrites what is written where these keys are known: a key of the
        same name is meant before anything else.
        """
        return _TextRenaming(
            self._catalog,
            lambda text: text if text in keys else self._written(text),
            self._written,
        )

    def _held(
        self, keys: Mapping[str, Key], key: str, value: Value | None
    ) -> Value | None:
        """The value of a key, renamed if it is the name of somebody."""
        is_name = key in keys and keys[key].type is _KEY_TYPES.get(self._named)
        if is_name and isinstance(value, str):
            return self._name(value)
        return value

    def _name(self, text: str) -> str:
        if text == self._old:
            return self._new
        rest = ""
        if text.startswith(self._old):
            rest = text[len(self._old) :]
        is_kind = self._named is NamesDocument.EVENT and rest.startswith(".")
        is_copy = (
            self._has_copies and rest.startswith("_") and rest[1:].isdigit()
        )
        if is_kind or is_copy:
            return self._new + rest
        return text


def _keys_set(
    project: Project, scenario: Scenario, does: SetKey
) -> Mapping[str, Key]:
    """The keys among which a cue sets one: those of the world, or of one of
    the cast.
    """
    if does.of is None:
        return project.world_keys()
    # A cue may name one of the cast or one of its copies, which has a number
    # to its name.
    for member in scenario.cast:
        if does.of in (member.name, *(copy.name for copy in member.each())):
            return project.keys_of_member(member)
    group = scenario.in_group(does.of)
    if group:
        return project.keys_of_member(group[0])
    return {}


def rename_document(
    project: Project, catalog: Catalog, collection: str, old: str, new: str
) -> Project:
    """The project with a document called otherwise, which is also its file's
    name, and all that names it.

    Raises PathError if it cannot be called so.
    """
    documents = getattr(project, collection)
    if any(each.name == new for each in documents):
        raise PathError(f"another of the {collection} is called {new}")
    project = put(project, (collection, old, "name"), new)
    in_order = tuple(
        sorted(getattr(project, collection), key=lambda each: str(each.name))
    )
    project = project.model_copy(update={collection: in_order})
    for naming, field in _NAMES_DOCUMENTS[collection]:
        changed = tuple(
            _naming(each, field, old, new) for each in getattr(project, naming)
        )
        project = project.model_copy(update={naming: changed})
    if collection == "scenarios":
        project = project.model_copy(
            update={"cover": _naming(project.cover, "scenario", old, new)}
        )
    if collection == "behaviors":
        project = rename_used(
            project, catalog, NamesDocument.BEHAVIOR, old, new
        )
        project = _with_scenarios(
            project,
            lambda member: _naming(member, "behavior", old, new),
            lambda cue, _: cue,
        )
    return project


_NAMES_DOCUMENTS = {
    "behaviors": (("behaviors", "variant_of"),),
    "blackboards": (("behaviors", "blackboard"), ("blackboards", "extends")),
    "stages": (("scenarios", "stage"),),
    "scenarios": (),
}
"""Which fields of which documents name a document of a collection, besides the
cover, rows and the cast.
"""

DocumentRenaming = TypeVar("DocumentRenaming", bound=Document)


def _naming(
    document: DocumentRenaming, field: str, old: str, new: str
) -> DocumentRenaming:
    """A document with another name in one of its fields, if the old one stands
    there.
    """
    if getattr(document, field) == old:
        return document.model_copy(update={field: new})
    return document


_MOVABLE = NamesDocument.MEMBER, NamesDocument.GROUP, NamesDocument.PROP
"""What a cue can put somewhere, or take away."""


def _cue_action(
    does: object, named: NamesDocument, name: Callable[[str], str]
) -> object:
    """What a cue does, with other names in it."""
    if isinstance(does, RaiseEvent):
        fields = {
            NamesDocument.EVENT: "raises",
            NamesDocument.MEMBER: "to",
            NamesDocument.GROUP: "to",
        }
    elif isinstance(does, SetNumber) and named is NamesDocument.STAT:
        fields = {named: "changes"}
    elif isinstance(does, SetKey | SetNumber | HoldResult):
        fields = dict.fromkeys(
            (NamesDocument.MEMBER, NamesDocument.GROUP), "of"
        )
    elif isinstance(does, MoveTo):
        fields = dict.fromkeys(_MOVABLE, "moves")
    elif isinstance(does, TakeAway):
        fields = dict.fromkeys(_MOVABLE, "removes")
    else:
        return does
    field = fields.get(named)
    value = None
    if field:
        value = getattr(does, field)
    if field and value:
        return does.model_copy(update={field: name(value)})
    return does


class _TextRenaming:
    """Rewrites conditions and values of rows: names by one function, quoted
    texts by another.
    """

    def __init__(
        self,
        catalog: Catalog,
        word: Callable[[str], str],
        quoted: Callable[[str], str],
    ) -> None:
        self._catalog = catalog
        self._word = word
        self._quoted = quoted

    def text(self, text: str) -> str:
        """A condition or a formula, rewritten."""

        def changed(found: re.Match[str]) -> str:
            literal = found[0]
            if literal[0] in "\"'":
                return literal[0] + self._quoted(literal[1:-1]) + literal[0]
            return self._word(literal)

        return _WORD.sub(changed, text)

    def row(
        self,
        row: Row,
        own: Callable[[ParamValue, ParamType | None], ParamValue],
    ) -> Row:
        """A row with its values rewritten by `own`, and its guard."""
        kind = self._catalog.get(row.kind, *ROWS)
        if kind:
            types = {param.name: param.type for param in kind.params}
        else:
            types = {}
        args = {
            name: own(value, types.get(name))
            for name, value in row.args.items()
        }
        guard = None
        if row.guard:
            guard = row.guard.model_copy(
                update={"when": self.text(row.guard.when)}
            )
        says = any(
            value == row.name and types.get(name) in WRITTEN
            for name, value in row.args.items()
        )
        if says:
            called = self.text(row.name)
        else:
            called = row.name
        return row.model_copy(
            update={
                "args": args,
                "name": called,
                "guard": guard,
                "binds": {
                    name: own(value, None) for name, value in row.binds.items()
                },
                "decorators": tuple(
                    self._part(each, own, Family.DECORATOR)
                    for each in row.decorators
                ),
                "upkeep": tuple(
                    self._part(each, own, Family.ACTION, Family.CONDITION)
                    for each in row.upkeep
                ),
            }
        )

    def _part(
        self,
        part: "RowPart",
        own: Callable[[ParamValue, ParamType | None], ParamValue],
        *families: Family,
    ) -> "RowPart":
        kind = self._catalog.get(part.kind, *families)
        if kind:
            types = {param.name: param.type for param in kind.params}
        else:
            types = {}
        args = {
            name: own(value, types.get(name))
            for name, value in part.args.items()
        }
        return part.model_copy(update={"args": args})


RowPart = TypeVar("RowPart", Decorator, Upkeep)


def _with_rows(
    project: Project, change: Callable[[Row, Behavior], Row]
) -> Project:
    """The project with all rows changed, those of variants' overrides too."""

    def override(each: Override, behavior: Behavior) -> Override:
        original = _original_row(project, behavior, each.row)
        if original is None:
            return each
        uses = {
            name: value
            for name, value in original.args.items()
            if name == BEHAVIOR
        }
        texts = change(
            Row(
                id=each.row,
                kind=original.kind,
                args={**uses, **each.args},
                binds=each.binds,
                guard=each.guard,
                decorators=each.decorators or (),
                upkeep=each.upkeep or (),
            ),
            behavior,
        )
        # What it does not set stays unset, rather than becoming empty.
        decorators, upkeep = None, None
        if each.decorators is not None:
            decorators = texts.decorators
        if each.upkeep is not None:
            upkeep = texts.upkeep
        return each.model_copy(
            update={
                "args": {
                    name: value
                    for name, value in texts.args.items()
                    if name in each.args
                },
                "binds": texts.binds,
                "guard": texts.guard,
                "decorators": decorators,
                "upkeep": upkeep,
                "instead": tuple(
                    change(row, behavior) for row in each.instead
                ),
            }
        )

    behaviors = [
        each.with_rows(change(row, each) for row in each.rows).model_copy(
            update={
                "overrides": tuple(
                    override(one, each) for one in each.overrides
                )
            }
        )
        for each in project.behaviors
    ]
    return project.model_copy(update={"behaviors": tuple(behaviors)})


def _original_row(
    project: Project, behavior: Behavior, row_id: str
) -> Row | None:
    """The row that an override of a variant changes, in the nearest behavior
    that has it; None if none of those it is a variant of does.
    """
    # Variants may name each other in a circle, which validation reports; the
    # walk must end.
    seen: set[str] = set()
    while behavior.variant_of and behavior.variant_of not in seen:
        seen.add(behavior.variant_of)
        found = project.find_behavior(behavior.variant_of)
        if found is None:
            return None
        behavior = found
        put_in = (
            row for override in behavior.overrides for row in override.instead
        )
        for row in (*behavior.rows, *put_in):
            if row.id == row_id:
                return row
    return None


def _with_scenarios(
    project: Project,
    member: Callable[[Member], Member],
    cue: Callable[[Cue, Scenario], Cue],
) -> Project:
    scenarios = [
        each.model_copy(
            update={
                "cast": tuple(member(one) for one in each.cast),
                "cues": tuple(cue(one, each) for one in each.cues),
            }
        )
        for each in project.scenarios
    ]
    return project.model_copy(update={"scenarios": tuple(scenarios)})
