"""What a recipe is, and how it is put into a behavior: its rows with ids of
their own, its keys declared where they are missing, its blanks filled with
what the scenario has.
"""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from umbrant.catalog.language.tree import KeyTerm, LanguageError, parse, walk
from umbrant.catalog.templates.behaviors import fresh_name
from umbrant.model.behaviors import Decorator, Guard, Key, Row, Upkeep, Watch
from umbrant.model.clipboard import paste_rows
from umbrant.model.documents import Project
from umbrant.model.edits import declare_key, home
from umbrant.model.expanded import resolve_variant
from umbrant.model.staging import Member, Scenario
from umbrant.model.values import (
    KeyRef,
    KeyType,
    ParamValue,
    PlaceRef,
    Point,
    Value,
)

TARGET = Key(name="target", type=KeyType.AGENT, help="who this is about")
SEEN = Key(
    name="target_seen",
    type=KeyType.YES_NO,
    help="whether the target is in sight",
)
LAST_SEEN = Key(
    name="last_seen", type=KeyType.POINT, help="where the target was last seen"
)
PLACE, OTHER_PLACE, PLACES = "‹place›", "‹other place›", "‹places›"
"""Stand for places of the stage, until the recipe is put in."""


@dataclass(frozen=True)
class RecipeRow:
    """A row of a recipe with the rows in it."""

    row: Row
    inside: tuple["RecipeRow", ...] = ()


@dataclass(frozen=True)
class Blank:
    """Something that an author will want to set: a parameter of a row, by the
    row's id in the recipe.
    """

    row: str
    param: str


@dataclass(frozen=True)
class Recipe:
    """Rows under a word. `words` are what an author may type to find it."""

    id: str
    title: str
    words: tuple[str, ...]
    help: str
    top: RecipeRow
    keys: tuple[Key, ...] = ()
    blanks: tuple[Blank, ...] = ()

    @property
    def rows(self) -> list[Row]:
        """All rows, with the ids that they have in the recipe."""
        return list(_flat(self.top, None))


def row(
    row_id: str,
    kind: str,
    name: str = "",
    *inside: RecipeRow,
    guard: str = "",
    watch: Watch = Watch.ON_ENTRY,
    decorators: Iterable[tuple[str, dict[str, Any]]] = (),
    upkeep: Iterable[tuple[str, float, dict[str, Any]]] = (),
    **args: Any,
) -> RecipeRow:
    """A row of a recipe. Decorators are (kind, arguments), upkeep (kind,
    seconds, arguments).
    """
    guarded = None
    if guard:
        guarded = Guard(when=guard, watch=watch)
    made = Row(
        id=row_id,
        kind=kind,
        name=name,
        args=args,
        guard=guarded,
        decorators=tuple(
            Decorator(kind=each, args=given) for each, given in decorators
        ),
        upkeep=tuple(
            Upkeep(kind=each, every_s=every_s, args=given)
            for each, every_s, given in upkeep
        ),
    )
    return RecipeRow(made, inside)


def key(named: Key) -> KeyRef:
    """A parameter that is bound to a key of the recipe."""
    return KeyRef(key=named.name)


def looking_out() -> tuple[str, float, dict[str, Any]]:
    """The upkeep that notes whether and where the target is seen."""
    return (
        "look_out",
        0.2,
        {"target": key(TARGET), "seen": key(SEEN), "where": key(LAST_SEEN)},
    )


@dataclass(frozen=True)
class Inserted:
    """A project with a recipe in it."""

    project: Project
    top: str
    """The id of its outermost row."""
    blanks: tuple[tuple[str, str], ...] = ()
    """The row and the parameter of each blank, in order."""
    new_keys: tuple[str, ...] = field(default=())


def insert_recipe(
    project: Project,
    behavior: str,
    recipe: Recipe,
    *,
    after: str | None,
    under: str | None,
    scenario: str = "",
) -> Inserted:
    """Put a recipe behind `after`, or first under `under`. A key of the same
    name and type is used as it is; one of another type keeps its name, and the
    recipe's gets another. `scenario` says whose places and people its blanks
    are filled with.
    """
    if after or under:
        target = home(project, behavior, after or under or "")[0]
    else:
        target = behavior
    document = resolve_variant(project, target)
    setting = _Setting.of(project, scenario, behavior)
    known = project.keys_on(document.blackboard)
    names = {each.name: _key_for(each, known) for each in recipe.keys}
    new = [each for each in recipe.keys if names[each.name] not in known]
    for each in new:
        declared = each.model_copy(
            update={
                "name": names[each.name],
                "default": setting.default_of(each),
            }
        )
        project = declare_key(project, document.blackboard, declared)
    rows = [_bound(_placed(each, setting), names) for each in recipe.rows]
    project, tops = paste_rows(
        project, behavior, rows, after=after, under=under
    )
    ids = _ids(project, behavior, tops[0], recipe)
    blanks = tuple((ids[each.row], each.param) for each in recipe.blanks)
    return Inserted(
        project, tops[0], blanks, tuple(names[each.name] for each in new)
    )


def _flat(top: RecipeRow, under: str | None) -> Iterator[Row]:
    yield top.row.model_copy(update={"under": under})
    for each in top.inside:
        yield from _flat(each, top.row.id)


def _key_for(wanted: Key, known: Mapping[str, Key]) -> str:
    """The name of the key that a recipe uses for one of its own: one of that
    name and type, for somebody the one who is named there already, else a new
    one.
    """
    found = known.get(wanted.name)
    if found is not None and found.type is wanted.type and not found.formula:
        return wanted.name
    agents = [
        name for name, each in known.items() if each.type is KeyType.AGENT
    ]
    if wanted.type is KeyType.AGENT and agents:
        return agents[0]
    return fresh_name(wanted.name, known)


def _ids(
    project: Project, behavior: str, top: str, recipe: Recipe
) -> dict[str, str]:
    """The id that each row of the recipe got: they stand in the same order."""
    name, own = home(project, behavior, top)
    path = top.rpartition("/")[0]
    within = resolve_variant(project, name).outline.within(own)
    made = [f"{path}/{each}" if path else each for each in within]
    return dict(zip((each.id for each in recipe.rows), made, strict=True))


# names


def _bound(made: Row, names: Mapping[str, str]) -> Row:
    """A row that uses the keys by the names that they got."""
    if all(name == other for name, other in names.items()):
        return made
    guard = made.guard
    renamed_guard = None
    if guard:
        renamed_guard = guard.model_copy(
            update={"when": _renamed(guard.when, names)}
        )
    return made.model_copy(
        update={
            "args": _renamed_args(made.args, names),
            "guard": renamed_guard,
            "decorators": tuple(
                each.model_copy(
                    update={"args": _renamed_args(each.args, names)}
                )
                for each in made.decorators
            ),
            "upkeep": tuple(
                each.model_copy(
                    update={"args": _renamed_args(each.args, names)}
                )
                for each in made.upkeep
            ),
        }
    )


def _renamed_args(
    args: Mapping[str, ParamValue], names: Mapping[str, str]
) -> dict[str, ParamValue]:
    def renamed(name: str, value: ParamValue) -> ParamValue:
        if isinstance(value, KeyRef):
            return KeyRef(key=names.get(value.key, value.key))
        if name in WRITTEN and isinstance(value, str):
            return _renamed(value, names)
        return value

    return {name: renamed(name, value) for name, value in args.items()}


WRITTEN = ("when", "input")
"""The parameters of recipes' rows that hold conditions or formulas."""


def _renamed(text: str, names: Mapping[str, str]) -> str:
    """A condition with its keys by other names."""
    try:
        terms = [
            each for each in walk(parse(text)) if isinstance(each, KeyTerm)
        ]
    except LanguageError:
        return text
    for term in sorted(terms, key=lambda each: each.span, reverse=True):
        start, end = term.span
        text = text[:start] + names.get(term.key, term.key) + text[end:]
    return text


# what stands for something of the setting


@dataclass(frozen=True)
class _Setting:
    """What a recipe's blanks are filled with."""

    places: tuple[str, ...]
    points: tuple[Point, ...]
    other: str | None
    """Somebody else of the cast."""

    @classmethod
    def of(cls, project: Project, scenario: str, behavior: str) -> "_Setting":
        found = project.find_scenario(scenario) or project.find_scenario(
            project.cover.scenario
        )
        if found is None:
            return cls((), (), None)
        stage = project.find_stage(found.stage)
        if stage:
            places = tuple(each.name for each in stage.places)
        else:
            places = ()
        own = next(
            (each for each in found.players if each.behavior == behavior), None
        )
        if own is not None:
            start = own.start
        else:
            start = (1.0, 1.0)
        points = (start, (start[0] + 3.0, start[1]))
        return cls(places, points, _somebody_else(found, own))

    def default_of(self, wanted: Key) -> Value | None:
        """The default of a key of the recipe here."""
        if wanted.type is KeyType.AGENT:
            return self.other
        return wanted.default

    def place(self, number: int) -> ParamValue:
        """A place of the stage; without places a point."""
        if self.places:
            return PlaceRef(place=self.places[number % len(self.places)])
        if self.points:
            return self.points[number % len(self.points)]
        return (1.0, 1.0)

    def listed(self) -> str:
        """Some places as `go along` names them."""
        return ", ".join(self.places[:3])


def _somebody_else(scenario: Scenario, own: Member | None) -> str | None:
    """Who is meant by a target: a puppet first, else whoever else there is."""
    others = [
        each
        for each in scenario.players
        if own is None or each.name != own.name
    ]
    puppets = [each for each in others if each.behavior is None]
    return next((each.name for each in (*puppets, *others)), None)


def _placed(made: Row, setting: _Setting) -> Row:
    """A row with places of the stage."""
    stands_for: dict[object, ParamValue] = {
        PLACE: setting.place(0),
        OTHER_PLACE: setting.place(1),
        PLACES: setting.listed(),
    }
    args = dict(made.args)
    for name, value in made.args.items():
        if isinstance(value, str) and value in stands_for:
            args[name] = stands_for[value]
    return made.model_copy(update={"args": args})
