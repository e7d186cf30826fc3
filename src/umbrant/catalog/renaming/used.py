"""Renaming what rows and conditions name besides keys: bodies, places, groups,
events, behaviors.
"""

from collections.abc import Callable, Container, Mapping
from enum import StrEnum

from umbrant.catalog.kind import Catalog
from umbrant.catalog.params import ParamType
from umbrant.catalog.renaming.everywhere import with_rows, with_scenarios
from umbrant.catalog.renaming.keys import extends
from umbrant.catalog.renaming.texts import WRITTEN, TextRenaming
from umbrant.model.behaviors import Behavior, Blackboard, Key, Row
from umbrant.model.documents import Project
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
from umbrant.model.values import KeyType, ParamValue, PlaceRef, Value


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
    renamed = with_scenarios(
        with_rows(project, renaming.row), renaming.member, renaming.cue
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

    def _telling(self, keys: Container[str]) -> "TextRenaming":
        """Rewrites what is written where these keys are known: a key of the
        same name is meant before anything else.
        """
        return TextRenaming(
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
