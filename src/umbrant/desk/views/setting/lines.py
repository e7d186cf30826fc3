"""The lines of the setting: each document of a project besides its rows, and
all that is in it.
"""

from collections.abc import Iterator
from functools import partial

from umbrant.catalog.kind import Catalog
from umbrant.catalog.params import Quantity
from umbrant.catalog.recipes.builtin import RECIPES
from umbrant.catalog.recipes.recipe import Recipe, insert_recipe
from umbrant.catalog.references import KeyReferences, key_references
from umbrant.catalog.renaming.keys import extends, rename_key
from umbrant.catalog.renaming.used import NamesDocument
from umbrant.catalog.templates.behaviors import (
    TEMPLATES,
    Template,
    behavior_from,
    fresh_name,
)
from umbrant.desk.chips.sentence import ChipEditor
from umbrant.desk.chips.values import Choice
from umbrant.desk.views.setting.adding import (
    about_variant,
    new_board,
    new_key,
    new_stage,
    staging,
)
from umbrant.desk.views.setting.documents import (
    DocumentLines,
    SettingMemory,
    choices_of,
)
from umbrant.desk.views.setting.fields import Addition, LineWriter, SettingLine
from umbrant.desk.views.setting.folding import in_groups
from umbrant.desk.views.setting.scenario_lines import ScenarioLines
from umbrant.model.behaviors import Behavior, Blackboard, Event, Key, Sharing
from umbrant.model.documents import Project
from umbrant.model.expanded import BEHAVIOR
from umbrant.model.paths import Path, put
from umbrant.model.staging import Blocks, Stage
from umbrant.model.values import KeyType, count_text

METRES = Quantity("m", 0, None, 0.1)
MOST_USERS = 4
"""How many are named of those that use a behavior."""
MOST_LISTED = 12
"""How many rows are named of those that use a key."""


class Setting(DocumentLines):
    """Writes all lines of a project. With a memory of earlier ones only those
    are written anew that an edit touched.
    """

    def __init__(
        self,
        project: Project,
        catalog: Catalog,
        memory: SettingMemory | None = None,
    ) -> None:
        super().__init__(project, catalog, {} if memory is None else memory)
        self._uses = {
            each.name: _uses(each, catalog) for each in project.behaviors
        }

    def lines(self) -> list[SettingLine]:
        """All lines, from the project down to its cues."""
        return [
            *self._cover(),
            *self._behaviors(),
            *self._blackboards(),
            *self._events(),
            *self._stages(),
            *ScenarioLines(self.project, self.catalog, self._memory).lines(),
        ]

    def users(self, path: Path) -> list[str]:
        """Who needs the document of a path: agents, behaviors, scenarios,
        blackboards; none for a part of one.
        """
        if len(path) != 2:
            return []
        collection, name = path
        project = self.project
        if collection == "behaviors":
            return self._users(str(name))
        if collection == "blackboards":
            boards = [
                each.title
                for each in project.blackboards
                if each.extends == name
            ]
            return [
                *(
                    each.title
                    for each in project.behaviors
                    if each.blackboard == name
                ),
                *boards,
            ]
        return [
            each.title
            for each in project.scenarios
            if collection == "stages" and each.stage == name
        ]

    # project and behaviors

    def _cover(self) -> Iterator[SettingLine]:
        say = (
            LineWriter(self.project, ("cover",))
            .kind("project")
            .name("title", "title of the project")
        )
        say.words("begins with").pick(
            "scenario", "first scenario", choices_of(self.project.scenarios)
        )
        say.words("own nodes may take").number(
            "node_limit_s", "limit of own nodes", Quantity("s", 0.1, 60, 0.1)
        )
        yield say.line(0, removable=False)

    def _behaviors(self) -> Iterator[SettingLine]:
        starts = (
            *(self._new_behavior(start) for start in TEMPLATES),
            *(self._behavior_of_recipe(recipe) for recipe in RECIPES),
        )
        variants = tuple(
            self._new_variant(each) for each in self.project.behaviors
        )
        yield self.heading(
            "Behaviors",
            ("behaviors",),
            *starts,
            *variants,
            help="how NPCs decide; Enter adds one",
        )
        boards = choices_of(self.project.blackboards)
        for behavior in self.project.behaviors:
            say = self.document("behavior", ("behaviors", behavior.name))
            say.words("with the keys of").pick(
                "blackboard", "blackboard", boards
            )
            if behavior.variant_of:
                say.words("made from").pick(
                    "variant_of",
                    "original",
                    choices_of(self.project.behaviors),
                )
                say.words(f"with {len(behavior.overrides)} rows otherwise")
            users = self._users(behavior.name)
            named = ", ".join(users[:MOST_USERS])
            more = ""
            if len(users) > MOST_USERS:
                more = f" and {len(users) - MOST_USERS} more"
            words = "· used by nobody yet"
            if users:
                words = f"· used by {named}{more}"
            say.words(words)
            adds = (*about_variant(self.project, behavior), *starts, *variants)
            yield say.line(1, *adds, help="Ctrl+L looks at its rows")
            for name in behavior.stats:
                path = ("behaviors", behavior.name, "stats")
                number = (
                    LineWriter(self.project, path)
                    .kind("begins with")
                    .title(name)
                )
                number.words("=").number(
                    name, f"what {name} begins at", Quantity(step=0.05)
                )
                line = number.line(2, *adds)
                line.path = (*path, name)
                yield line

    def _new_behavior(self, start: Template) -> Addition:
        def make(project: Project) -> Behavior:
            taken = [each.name for each in project.behaviors]
            name = fresh_name(start.title.lower(), taken, "-")
            board = "keys"
            if project.blackboards:
                board = project.blackboards[0].name
            return behavior_from(
                start, name, name.capitalize().replace("-", " "), board
            )

        return Addition(
            f"Behavior of {start.title.lower()}: {start.help}",
            ("behaviors",),
            make,
        )

    def _behavior_of_recipe(self, recipe: Recipe) -> Addition:
        """A behavior of its own that is a recipe, with the keys that are
        missing.
        """

        def make(project: Project) -> Behavior:
            taken = [each.name for each in project.behaviors]
            name = fresh_name(recipe.id, taken, "-")
            board = "keys"
            if project.blackboards:
                board = project.blackboards[0].name
            return Behavior(name=name, title=recipe.title, blackboard=board)

        def fill(project: Project, made: Behavior) -> Project:
            return insert_recipe(
                project, made.name, recipe, after=None, under=None
            ).project

        does = recipe.help.partition(".")[0]
        title = f"Behavior by recipe, {recipe.title.lower()}: {does[:1].lower()}{does[1:]}"
        return Addition(title, ("behaviors",), make, fill)

    def _new_variant(self, original: Behavior) -> Addition:
        def make(project: Project) -> Behavior:
            name = fresh_name(
                f"{original.name}-variant",
                [each.name for each in project.behaviors],
                "-",
            )
            title = f"{original.title}, otherwise"
            return Behavior(
                name=name,
                title=title,
                blackboard=original.blackboard,
                variant_of=original.name,
            )

        return Addition(f"Variant of {original.title}", ("behaviors",), make)

    def _users(self, name: str) -> list[str]:
        found = [
            member.title or member.name
            for scenario in self.project.scenarios
            for member in scenario.cast
            if member.behavior == name
        ]
        for behavior in self.project.behaviors:
            is_used = any(
                row.args.get(BEHAVIOR) == name for row in behavior.rows
            )
            if is_used or behavior.variant_of == name:
                found.append(behavior.title)
        return list(dict.fromkeys(found))

    # blackboards and events

    def _blackboards(self) -> Iterator[SettingLine]:
        new = Addition("Blackboard", ("blackboards",), new_board)
        yield self.heading(
            "Blackboards",
            ("blackboards",),
            new,
            help="what NPCs know; Enter adds a key or a blackboard",
        )
        for board in self.project.blackboards:
            path: Path = ("blackboards", board.name)
            add = Addition("Key", (*path, "keys"), new_key(path))
            others = [
                Choice("no other", None),
                *choices_of(
                    each for each in self.project.blackboards if each != board
                ),
            ]
            say = self.document("blackboard", path).words("extends")
            yield say.pick("extends", "extended blackboard", others).line(
                1, add, new
            )
            for index, key in enumerate(board.keys):
                made_from = (
                    key,
                    board,
                    self.project.behaviors,
                    self.project.blackboards,
                )
                write = partial(self._key, board, index, key, add, new)
                yield from self.kept((*path, "keys", index), made_from, write)

    def _key(
        self, board: Blackboard, index: int, key: Key, *additions: Addition
    ) -> Iterator[SettingLine]:
        path: Path = ("blackboards", board.name, "keys", index)

        def rename(project: Project, value: object) -> Project:
            put(project, (*path, "name"), value)
            return rename_key(
                project, self.catalog, board.name, key.name, str(value)
            )

        def retype(project: Project, value: object) -> Project:
            fields = {
                "type": value,
                "default": None,
                "low": None,
                "high": None,
            }
            return put(project, path, key.model_copy(update=fields))

        say = (
            LineWriter(self.project, path)
            .kind("key")
            .name("name", "name of the key", put=rename)
        )
        say.words("holds").pick(
            "type",
            "type",
            [Choice(str(each), each) for each in KeyType],
            put=retype,
        ).careful()
        if key.type is KeyType.NUMBER:
            self._number_key(say, key)
        if key.formula:
            self._formula(say.words("always"), board, empty="…")
        else:
            self.value(say.words("at first"), "default", key)
        say.pick(
            "scope",
            "who shares it",
            [Choice(_SCOPES[each], each) for each in Sharing],
        )
        say.words(self._used_by(board, key))
        if not key.formula:
            self._formula(say, board, empty="no formula")
        line = say.text(
            "help", "what it is for", empty="what is it for?"
        ).line(2, *additions)
        line.help = self._key_help(board.name, key)
        yield line

    def _touches(self, board: str, key: str) -> tuple[list[str], list[str]]:
        """The rows that read a key of a blackboard, and those that write it,
        with the titles of their behaviors.
        """
        reads, writes = [], []
        for behavior in self.project.behaviors:
            if extends(self.project, behavior.blackboard, board):
                for row, uses in zip(
                    behavior.rows, self._uses[behavior.name], strict=True
                ):
                    number = behavior.outline.number[row.id]
                    called = (
                        f"{behavior.title} {number} {row.name or row.kind}"
                    )
                    if key in uses.reads:
                        reads.append(called)
                    if key in uses.writes:
                        writes.append(called)
        return reads, writes

    def _number_key(self, say: LineWriter, key: Key) -> None:
        """The unit and the bounds of a number."""
        if key.unit:
            say.text("unit", "unit")
        else:
            say.optional_text("unit", "unit", empty="no unit")
        say.words("from").number("low", "lowest", empty="any")
        say.words("to").number("high", "highest", empty="any")

    def _formula(
        self, say: LineWriter, board: Blackboard, *, empty: str
    ) -> None:
        """The formula of a key, and what stands there without one."""
        say.written(
            "formula",
            "formula",
            self.project.keys_on(board.name),
            editor=ChipEditor.FORMULA,
            empty=empty,
        )

    def _used_by(self, board: Blackboard, key: Key) -> str:
        """How many rows read and write a key, in words."""
        reads, writes = map(len, self._touches(board.name, key.name))
        if reads or writes:
            return f"· read by {_rows(reads)}, written by {_rows(writes)}"
        return "· used by no row"

    def _key_help(self, board: str, key: Key) -> str:
        """What a key is for, and who reads and writes it, by name."""
        lines = [key.help] if key.help else []
        for what, found in zip(
            ("Read by", "Written by"),
            self._touches(board, key.name),
            strict=True,
        ):
            if found:
                more = ""
                if len(found) > MOST_LISTED:
                    more = f" and {len(found) - MOST_LISTED} more"
                lines.append(f"{what} {', '.join(found[:MOST_LISTED])}{more}.")
        return "\n".join(lines)

    def _events(self) -> Iterator[SettingLine]:
        def make(project: Project) -> Event:
            return Event(
                name=fresh_name(
                    "event", [each.name for each in project.event_list.events]
                )
            )

        add = Addition("Event", ("event_list", "events"), make)
        yield self.heading(
            "Events",
            ("event_list", "events"),
            add,
            help="what can happen and be heard; Enter adds one",
        )
        for index, event in enumerate(self.project.event_list.events):
            path: Path = ("event_list", "events", index)
            say = LineWriter(self.project, path).kind("event")
            self.name(
                say, "name of the event", NamesDocument.EVENT, event.name
            )
            yield (
                say.words("means")
                .text("help", "what it means", empty="what does it mean?")
                .line(1, add)
            )

    # stages

    def _stages(self) -> Iterator[SettingLine]:
        new = Addition("Stage", ("stages",), new_stage)
        yield self.heading(
            "Stages",
            ("stages",),
            new,
            help="where it plays; things can be dragged on the stage too",
        )
        for stage in self.project.stages:
            yield from self.kept(
                ("stages", stage.name),
                (stage,),
                partial(self._stage, stage, new),
            )

    def _stage(self, stage: Stage, new: Addition) -> Iterator[SettingLine]:
        path: Path = ("stages", stage.name)
        adds = (*staging(path, stage), new)
        say = self.document("stage", path).number("width_m", "width", METRES)
        yield (
            say.words("by").number("height_m", "height", METRES).line(1, *adds)
        )
        for index, area in enumerate(stage.areas):
            say = LineWriter(self.project, (*path, "areas", index)).kind(
                "area"
            )
            self.name(say, "name of the area", NamesDocument.AREA, area.name)
            say.words("blocks").pick(
                "blocks",
                "what it blocks",
                [Choice(str(each), each) for each in Blocks],
            )
            yield (
                say.words("corners")
                .points("corners", "corners")
                .line(2, *adds)
            )
        for index, each in enumerate(stage.places):
            say = LineWriter(self.project, (*path, "places", index)).kind(
                "place"
            )
            self.name(say, "name of the place", NamesDocument.PLACE, each.name)
            yield say.words("at").point("at", "where").line(2, *adds)
        props = [
            (prop.group, [self.prop((*path, "props", index), prop, 2, *adds)])
            for index, prop in enumerate(stage.props)
        ]
        yield from in_groups(
            props, partial(self.many, (*path, "props"), "props", adds)
        )


_SCOPES = {
    Sharing.OWN: "each has its own",
    Sharing.GROUP: "shared by the group",
    Sharing.WORLD: "shared by the whole world",
}


def _uses(behavior: Behavior, catalog: Catalog) -> list[KeyReferences]:
    """The keys that each row of a behavior uses; kept with it, for most edits
    leave most behaviors as they are.
    """
    kept = _KEPT_USES.get(behavior.name)
    if kept is None or kept[0] is not behavior or kept[1] is not catalog:
        kept = _KEPT_USES[behavior.name] = (
            behavior,
            catalog,
            [key_references(row, catalog) for row in behavior.rows],
        )
    return kept[2]


_KEPT_USES: dict[str, tuple[Behavior, Catalog, list[KeyReferences]]] = {}


def _rows(count: int) -> str:
    if count:
        return count_text(count, "row")
    return "none"
