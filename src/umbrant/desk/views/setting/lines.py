"""The lines of the setting: each document of a project besides its rows, and all that is in it."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import partial

from umbrant.catalog.declare import Catalog, Quantity
from umbrant.catalog.recipes.builtin import RECIPES
from umbrant.catalog.recipes.recipe import Recipe, insert_recipe
from umbrant.catalog.references import KeyReferences, key_references
from umbrant.catalog.renaming import (
    NamesDocument,
    extends,
    rename_document,
    rename_key,
    rename_used,
)
from umbrant.catalog.templates import TEMPLATES, Template, behavior_from, fresh_name
from umbrant.catalog.validation.boards import value_fits
from umbrant.desk.chips.sentence import ChipEditor
from umbrant.desk.chips.values import Choice
from umbrant.desk.views.setting.adding import (
    about_member,
    about_variant,
    casting,
    cueing,
    literal,
    new_board,
    new_key,
    staging,
)
from umbrant.desk.views.setting.fields import (
    Addition,
    LineWriter,
    SettingLine,
    point_text,
    read_point,
)
from umbrant.desk.views.setting.folding import in_groups
from umbrant.model.behaviors import Behavior, Blackboard, Event, Key, Sharing
from umbrant.model.documents import Project
from umbrant.model.expanded import BEHAVIOR, expand_behavior
from umbrant.model.paths import Path, PathError, at, put
from umbrant.model.staging import (
    Blocks,
    Cue,
    DropProp,
    HeldResult,
    HoldResult,
    Member,
    MoveTo,
    Prop,
    RaiseEvent,
    Scenario,
    SetKey,
    SetNumber,
    Stage,
    TakeAway,
)
from umbrant.model.values import KeyType, Point, value_text

METRES = Quantity("m", 0, None, 0.1)
SPEED = Quantity("m/s", 0.1, 50, 0.1)
DEGREES = Quantity("°", -180, 360, 5)
SECONDS = Quantity("s", 0, None, 0.5)
COUNT = Quantity("", 1, 1000, 1)
SHARE = Quantity("", 0, 1, 0.05)
NOBODY = "a puppet"
MOST_USERS = 4
"""How many are named of those that use a behavior."""
MOST_LISTED = 12
"""How many rows are named of those that use a key."""


SettingMemory = dict[Path, tuple[tuple[object, ...], list[SettingLine]]]
"""The lines that were written of a path last, and all that they were written from."""


class Setting:
    """Writes all lines of a project. With a memory of earlier ones only those are written anew that
    an edit touched.
    """

    def __init__(
        self, project: Project, catalog: Catalog, memory: SettingMemory | None = None
    ) -> None:
        self.project = project
        self.catalog = catalog
        self._memory: SettingMemory = {} if memory is None else memory
        self._uses = {each.name: _uses(each, catalog) for each in project.behaviors}

    def lines(self) -> list[SettingLine]:
        """All lines, from the project down to its cues."""
        return [
            *self._cover(),
            *self._behaviors(),
            *self._blackboards(),
            *self._events(),
            *self._stages(),
            *self._scenarios(),
        ]

    def users(self, path: Path) -> list[str]:
        """Who needs the document of a path: agents, behaviors, scenarios, blackboards; none for a
        part of one.
        """
        if len(path) != 2:
            return []
        collection, name = path
        project = self.project
        if collection == "behaviors":
            return self._users(str(name))
        if collection == "blackboards":
            boards = [each.title for each in project.blackboards if each.extends == name]
            return [*(each.title for each in project.behaviors if each.blackboard == name), *boards]
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
            "scenario", "first scenario", _documents(self.project.scenarios)
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
        variants = tuple(self._new_variant(each) for each in self.project.behaviors)
        yield self._heading(
            "Behaviors", ("behaviors",), *starts, *variants, help="how NPCs decide; Enter adds one"
        )
        boards = _documents(self.project.blackboards)
        for behavior in self.project.behaviors:
            say = self._document("behavior", ("behaviors", behavior.name))
            say.words("with the keys of").pick("blackboard", "blackboard", boards)
            if behavior.variant_of:
                say.words("made from").pick(
                    "variant_of", "original", _documents(self.project.behaviors)
                )
                say.words(f"with {len(behavior.overrides)} rows otherwise")
            users = self._users(behavior.name)
            named = ", ".join(users[:MOST_USERS])
            more = f" and {len(users) - MOST_USERS} more" if len(users) > MOST_USERS else ""
            say.words(f"· used by {named}{more}" if users else "· used by nobody yet")
            adds = (*about_variant(self.project, behavior), *starts, *variants)
            yield say.line(1, *adds, help="Ctrl+L looks at its rows")
            for name in behavior.stats:
                path = ("behaviors", behavior.name, "stats")
                number = LineWriter(self.project, path).kind("begins with").title(name)
                number.words("=").number(name, f"what {name} begins at", Quantity(step=0.05))
                line = number.line(2, *adds)
                line.path = (*path, name)
                yield line

    def _new_behavior(self, start: Template) -> Addition:
        def make(project: Project) -> Behavior:
            taken = [each.name for each in project.behaviors]
            name = fresh_name(start.title.lower(), taken, "-")
            board = project.blackboards[0].name if project.blackboards else "keys"
            return behavior_from(start, name, name.capitalize().replace("-", " "), board)

        return Addition(f"Behavior of {start.title.lower()}: {start.help}", ("behaviors",), make)

    def _behavior_of_recipe(self, recipe: Recipe) -> Addition:
        """A behavior of its own that is a recipe, with the keys that are missing."""

        def make(project: Project) -> Behavior:
            taken = [each.name for each in project.behaviors]
            name = fresh_name(recipe.id, taken, "-")
            board = project.blackboards[0].name if project.blackboards else "keys"
            return Behavior(name=name, title=recipe.title, blackboard=board)

        def fill(project: Project, made: Behavior) -> Project:
            return insert_recipe(project, made.name, recipe, after=None, under=None).project

        does = recipe.help.partition(".")[0]
        title = f"Behavior by recipe, {recipe.title.lower()}: {does[:1].lower()}{does[1:]}"
        return Addition(title, ("behaviors",), make, fill)

    def _new_variant(self, original: Behavior) -> Addition:
        def make(project: Project) -> Behavior:
            name = fresh_name(
                f"{original.name}-variant", [each.name for each in project.behaviors], "-"
            )
            title = f"{original.title}, otherwise"
            return Behavior(
                name=name, title=title, blackboard=original.blackboard, variant_of=original.name
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
            is_used = any(row.args.get(BEHAVIOR) == name for row in behavior.rows)
            if is_used or behavior.variant_of == name:
                found.append(behavior.title)
        return list(dict.fromkeys(found))

    # blackboards and events

    def _blackboards(self) -> Iterator[SettingLine]:
        new = Addition("Blackboard", ("blackboards",), new_board)
        yield self._heading(
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
                *_documents(each for each in self.project.blackboards if each != board),
            ]
            say = self._document("blackboard", path).words("extends")
            yield say.pick("extends", "extended blackboard", others).line(1, add, new)
            for index, key in enumerate(board.keys):
                made_from = (key, board, self.project.behaviors, self.project.blackboards)
                write = partial(self._key, board, index, key, add, new)
                yield from self._kept((*path, "keys", index), made_from, write)

    def _key(
        self, board: Blackboard, index: int, key: Key, *additions: Addition
    ) -> Iterator[SettingLine]:
        path: Path = ("blackboards", board.name, "keys", index)

        def rename(project: Project, value: object) -> Project:
            put(project, (*path, "name"), value)
            return rename_key(project, self.catalog, board.name, key.name, str(value))

        def retype(project: Project, value: object) -> Project:
            fields = {"type": value, "default": None, "low": None, "high": None}
            return put(project, path, key.model_copy(update=fields))

        say = LineWriter(self.project, path).kind("key").name("name", "name of the key", put=rename)
        say.words("holds").pick(
            "type", "type", [Choice(str(each), each) for each in KeyType], put=retype
        ).careful()
        if key.type is KeyType.NUMBER:
            say.optional_text("unit", "unit", empty="no unit") if not key.unit else say.text(
                "unit", "unit"
            )
            say.words("from").number("low", "lowest", empty="any").words("to").number(
                "high", "highest", empty="any"
            )
        if key.formula:
            say.words("always").written(
                "formula",
                "formula",
                self.project.keys_on(board.name),
                editor=ChipEditor.FORMULA,
                empty="…",
            )
        else:
            self._value(say.words("at first"), "default", key)
        say.pick("scope", "who shares it", [Choice(_SCOPES[each], each) for each in Sharing])
        reads, writes = (len(found) for found in self._touches(board.name, key.name))
        say.words(
            f"· read by {_rows(reads)}, written by {_rows(writes)}"
            if reads or writes
            else "· used by no row"
        )
        if not key.formula:
            say.written(
                "formula",
                "formula",
                self.project.keys_on(board.name),
                editor=ChipEditor.FORMULA,
                empty="no formula",
            )
        line = say.text("help", "what it is for", empty="what is it for?").line(2, *additions)
        line.help = self._key_help(board.name, key)
        yield line

    def _value(self, say: LineWriter, name: str, key: Key) -> None:
        if key.type is KeyType.NUMBER:
            say.number(name, "value", Quantity(key.unit, key.low, key.high, 0.1), empty="not set")
        elif key.type is KeyType.YES_NO:
            say.pick(
                name, "value", [Choice("yes", True), Choice("no", False), Choice("not set", None)]
            )
        elif key.type is KeyType.POINT:
            path = (*say.path, name)
            value = at(self.project, path)
            shown = point_text(value) if isinstance(value, tuple) else value_text(value)
            say.text(name, "value", empty="not set", read=_read_optional_point)
            say.show(shown)
        else:
            say.optional_text(name, "value", empty="not set")
        value = at(self.project, (*say.path, name))
        if value is not None and not value_fits(key, value):
            say.mark()

    def _touches(self, board: str, key: str) -> tuple[list[str], list[str]]:
        """The rows that read a key of a blackboard, and those that write it, with the titles of
        their behaviors.
        """
        reads, writes = [], []
        for behavior in self.project.behaviors:
            if extends(self.project, behavior.blackboard, board):
                for row, uses in zip(behavior.rows, self._uses[behavior.name], strict=True):
                    called = (
                        f"{behavior.title} {behavior.outline.number[row.id]} {row.name or row.kind}"
                    )
                    reads.extend([called] if key in uses.reads else [])
                    writes.extend([called] if key in uses.writes else [])
        return reads, writes

    def _key_help(self, board: str, key: Key) -> str:
        """What a key is for, and who reads and writes it, by name."""
        lines = [key.help] if key.help else []
        for what, found in zip(
            ("Read by", "Written by"), self._touches(board, key.name), strict=True
        ):
            if found:
                more = f" and {len(found) - MOST_LISTED} more" if len(found) > MOST_LISTED else ""
                lines.append(f"{what} {', '.join(found[:MOST_LISTED])}{more}.")
        return "\n".join(lines)

    def _events(self) -> Iterator[SettingLine]:
        def make(project: Project) -> Event:
            return Event(
                name=fresh_name("event", [each.name for each in project.event_list.events])
            )

        add = Addition("Event", ("event_list", "events"), make)
        yield self._heading(
            "Events",
            ("event_list", "events"),
            add,
            help="what can happen and be heard; Enter adds one",
        )
        for index, event in enumerate(self.project.event_list.events):
            path: Path = ("event_list", "events", index)
            say = LineWriter(self.project, path).kind("event")
            self._name(say, "name of the event", NamesDocument.EVENT, event.name)
            yield (
                say.words("means")
                .text("help", "what it means", empty="what does it mean?")
                .line(1, add)
            )

    # stages

    def _stages(self) -> Iterator[SettingLine]:
        def make(project: Project) -> Stage:
            name = fresh_name("stage", [each.name for each in project.stages], "-")
            return Stage(name=name, title=name.capitalize(), width_m=24, height_m=14)

        new = Addition("Stage", ("stages",), make)
        yield self._heading(
            "Stages",
            ("stages",),
            new,
            help="where it plays; things can be dragged on the stage too",
        )
        for stage in self.project.stages:
            yield from self._kept(
                ("stages", stage.name), (stage,), partial(self._stage, stage, new)
            )

    def _stage(self, stage: Stage, new: Addition) -> Iterator[SettingLine]:
        path: Path = ("stages", stage.name)
        adds = (*staging(path, stage), new)
        say = self._document("stage", path).number("width_m", "width", METRES)
        yield say.words("by").number("height_m", "height", METRES).line(1, *adds)
        for index, area in enumerate(stage.areas):
            say = LineWriter(self.project, (*path, "areas", index)).kind("area")
            self._name(say, "name of the area", NamesDocument.AREA, area.name)
            say.words("blocks").pick(
                "blocks", "what it blocks", [Choice(str(each), each) for each in Blocks]
            )
            yield say.words("corners").points("corners", "corners").line(2, *adds)
        for index, each in enumerate(stage.places):
            say = LineWriter(self.project, (*path, "places", index)).kind("place")
            self._name(say, "name of the place", NamesDocument.PLACE, each.name)
            yield say.words("at").point("at", "where").line(2, *adds)
        props = [
            (prop.group, [self._prop((*path, "props", index), prop, 2, *adds)])
            for index, prop in enumerate(stage.props)
        ]
        yield from in_groups(props, partial(self._many, (*path, "props"), "props", adds))

    def _prop(self, path: Path, prop: Prop, depth: int, *adds: Addition) -> SettingLine:
        say = LineWriter(self.project, path).kind("prop")
        self._name(say, "name of the prop", NamesDocument.PROP, prop.name)
        say.words("of the group").text("group", "group").words("at").point("at", "where")
        say.words("holds").number("level", "level", SHARE).words("loses").number(
            "drain_per_s", "drain", Quantity("", 0)
        )
        return say.words("a second").line(depth, *adds)

    # scenarios

    def _scenarios(self) -> Iterator[SettingLine]:
        def make(project: Project) -> Scenario:
            name = fresh_name("scenario", [each.name for each in project.scenarios], "-")
            return Scenario(
                name=name,
                title=name.capitalize(),
                stage=project.stages[0].name if project.stages else "-",
            )

        new = Addition("Scenario", ("scenarios",), make)
        yield self._heading(
            "Scenarios", ("scenarios",), new, help="who plays, and what happens besides"
        )
        for scenario in self.project.scenarios:
            yield from self._scenario(scenario, new)

    def _scenario(self, scenario: Scenario, new: Addition) -> Iterator[SettingLine]:
        path: Path = ("scenarios", scenario.name)
        adds = (*casting(path, self.project), *cueing(path, self.project), new)
        first = [(each.name, each.start) for each in scenario.cast[:1]]
        of_adds = (self.project.behaviors, self.project.event_list, first)
        say = self._document("scenario", path).words("on")
        say.pick("stage", "stage", _documents(self.project.stages)).words("for")
        say.number("seconds", "length", Quantity("s", 0.5, 86_400, 1)).words("with")
        say.number("ticks_per_s", "tick rate", Quantity("", 1, 240, 1), is_integer=True).words(
            "ticks a second, seed"
        )
        yield say.number("seed", "seed", Quantity("", 0, None, 1), is_integer=True).line(1, *adds)
        yield from in_groups(
            [
                (self._sort_of(member), self._member_lines(path, index, member, adds, of_adds))
                for index, member in enumerate(scenario.cast)
            ],
            partial(self._many, (*path, "cast"), "cast", adds),
        )
        named = [(each.name, each.group) for each in scenario.cast]
        for index, cue in enumerate(scenario.cues):
            made_from = (cue, named, self.project.stages, self.project.blackboards, *of_adds)
            write = partial(self._cue, scenario, (*path, "cues", index), cue, adds)
            yield from self._kept((*path, "cues", index), made_from, write)

    def _many(
        self,
        path: Path,
        what: str,
        adds: tuple[Addition, ...],
        kind: str,
        firsts: Sequence[SettingLine],
    ) -> SettingLine:
        """The line of many of a kind, which opens."""
        say = LineWriter(self.project, (*path, f"many {firsts[0].path[-1]}")).kind(what)
        say.title(kind).words(f"× {len(firsts)} ·")
        names = [line.pieces[1].text for line in firsts]
        say.words(", ".join([*names[:3], "…"] if len(names) > 3 else names))
        line = say.line(2, *adds, help="F opens it", removable=False)
        line.begins_closed = True
        return line

    def _sort_of(self, member: Member) -> str:
        """What several of a cast can have in common: their group and their behavior."""
        behavior = self.project.find_behavior(member.behavior) if member.behavior else None
        parts = [member.group or "", behavior.title if behavior else ""]
        return " · ".join(part for part in parts if part)

    def _member_lines(
        self,
        path: Path,
        index: int,
        member: Member,
        adds: tuple[Addition, ...],
        of_adds: tuple[object, ...],
    ) -> list[SettingLine]:
        place = (*path, "cast", index)
        write = partial(self._member, place, member, adds)
        return self._kept(place, (member, self.project.blackboards, *of_adds), write)

    def _member(
        self, path: Path, member: Member, adds: tuple[Addition, ...]
    ) -> Iterator[SettingLine]:
        mine = (*about_member(path, self.project, member), *adds)
        say = LineWriter(self.project, path).kind("cast")
        self._name(say, "name", NamesDocument.MEMBER, member.name)
        behaviors = [
            Choice(NOBODY, None, "it follows its walk, or your hand"),
            *_documents(self.project.behaviors),
        ]
        say.words("is").pick("behavior", "behavior", behaviors).words("at").point("start", "start")
        say.words("facing").number("facing_deg", "facing", DEGREES)
        say.words("group").optional_text("group", "group", empty="none")
        say.words("called").text("title", "title on the stage", empty=member.name)
        say.words("×").number("copies", "copies", COUNT, is_integer=True)
        if member.copies > 1:
            say.words("within").number("scatter_m", "scatter", METRES)
            say.words("one every" if member.every_s else "at once, or one every").number(
                "every_s", "time between them", SECONDS
            )
        yield say.yes_no("waits", "from when", yes="waits for its cue", no="from the start").line(
            2, *mine
        )
        body = (
            LineWriter(self.project, (*path, "body"))
            .kind("body")
            .words("walks")
            .number("walk_m_s", "walk", SPEED)
        )
        body.words("runs").number("run_m_s", "run", SPEED).words("turns").number(
            "turn_deg_s", "turning", DEGREES
        )
        body.words("sees").number("sight_m", "sight", METRES)
        body.words("in").number("cone_deg", "cone of sight", Quantity("°", 1, 360, 5))
        body.words("hears").number("hearing_m", "hearing", METRES).words("radius").number(
            "radius_m", "radius", METRES
        )
        yield body.yes_no("flies", "how it gets about", yes="flies", no="on foot").line(
            3, *mine, removable=False
        )
        yield from self._details(path, member, mine)

    def _details(
        self, path: Path, member: Member, mine: tuple[Addition, ...]
    ) -> Iterator[SettingLine]:
        """The numbers, starting keys and walk of one of the cast."""
        for name in member.body.stats:
            say = LineWriter(self.project, (*path, "body", "stats", name)).kind("number")
            say.entry_name("name of the number", partial(self._rename_stat, path, name))
            say.number("value", "value", Quantity("", None, None, 0.05)).words("from").number(
                "low", "lowest"
            )
            say.words("to").number("high", "highest").words("changes by").number(
                "per_s", "change", Quantity("", step=0.01)
            )
            yield say.words("a second").line(3, *mine)
        keys = self.project.keys_of_member(member)
        for name in member.keys:
            say = (
                LineWriter(self.project, (*path, "keys")).kind("starts with").title(name).words("=")
            )
            if name in keys:
                self._value(say, name, keys[name])
            else:
                say.words(f"{value_text(member.keys[name])} (there is no such key)")
            line = say.line(3, *mine)
            line.path = (*path, "keys", name)
            yield line
        walk = [
            ("walk", [self._walk_point(path, index, mine)]) for index in range(len(member.walk))
        ]
        yield from in_groups(walk, partial(self._walk_of, path, member, mine))

    def _walk_point(self, path: Path, index: int, mine: tuple[Addition, ...]) -> SettingLine:
        say = LineWriter(self.project, (*path, "walk", index)).kind("walk").words("at")
        say.number("at_s", "when", SECONDS).words("is at").point("to", "where")
        return say.line(3, *mine)

    def _walk_of(
        self,
        path: Path,
        member: Member,
        mine: tuple[Addition, ...],
        kind: str,
        points: Sequence[SettingLine],
    ) -> SettingLine:
        """The line of a long walk, which opens."""
        first, last = member.walk[0], member.walk[-1]
        say = LineWriter(self.project, (*path, "walk", "many")).kind(kind)
        say.words(f"of {len(points)} points from {first.at_s:g} s to {last.at_s:g} s")
        line = say.line(3, *mine, help="F opens it", removable=False)
        line.begins_closed = True
        return line

    def _rename_stat(self, path: Path, old: str, project: Project, value: object) -> Project:
        """A number of a body is called otherwise, in every body that has it and wherever it is
        used.
        """
        new = str(value)
        bodies = [member.body for each in project.scenarios for member in each.cast]
        if new != old and any({old, new} <= set(body.stats) for body in bodies):
            raise PathError(f"name: a body that has '{old}' has a number '{new}' already")
        # Checked as a file's would be: a name that cannot be one is refused here.
        put(project, (*path, "body", "stats"), {new: at(project, (*path, "body", "stats", old))})
        return rename_used(project, self.catalog, NamesDocument.STAT, old, new)

    def _cue(
        self, scenario: Scenario, path: Path, cue: Cue, adds: tuple[Addition, ...]
    ) -> Iterator[SettingLine]:
        say = LineWriter(self.project, path).kind("cue")
        if cue.when:
            say.words("each time").written(
                "when",
                "condition",
                self.project.world_keys(),
                editor=ChipEditor.CONDITION,
                empty="…",
            )
        else:
            say.words("at").number("at_s", "when", SECONDS, empty="no time")
        self._cue_action(say, scenario, (*path, "does"), cue)
        if not cue.when:
            when = "or a condition"
            say.written(
                "when",
                "condition",
                self.project.world_keys(),
                editor=ChipEditor.CONDITION,
                empty=when,
            )
        yield say.line(2, *adds, help="done by hand in a rehearsal" if cue.by_hand else "")

    def _cue_action(self, is_integer: LineWriter, scenario: Scenario, path: Path, cue: Cue) -> None:
        say, does = LineWriter(self.project, path), cue.does
        names = [each.name for each in scenario.cast]
        props = [
            prop.name
            for stage in self.project.stages
            if stage.name == scenario.stage
            for prop in stage.props
        ]
        groups = sorted({each.group for each in scenario.cast if each.group})
        match does:
            case RaiseEvent():
                say.words("raise").pick(
                    "raises", "event", [each.name for each in self.project.event_list.events]
                )
                say.words("to").pick(
                    "to", "who hears it", [Choice("all", ""), *map(_same, [*names, *groups])]
                )
            case SetKey():
                say.words("set").optional_text("sets", "key", empty="key").words("to")
                say.text("value", "value", read=literal)
                say.pieces[-1] = type(say.pieces[-1])(
                    value_text(does.value), say.pieces[-1].role, chip=say.pieces[-1].chip
                )
                say.words("of").pick(
                    "of", "whose key", [Choice("the world", None), *map(_same, [*names, *groups])]
                )
            case MoveTo():
                say.words("put").pick(
                    "moves", "what is moved", [*names, *groups, *props], help=MOVED
                )
                say.words("to").point("to", "where", help=f"x, y in metres; {MOVED}")
            case DropProp():
                say.words("drop")
                line = self._prop((*path, "drops"), does.drops, 2)
                say.pieces.extend(line.pieces)
            case TakeAway():
                say.words("take away").pick("removes", "what goes", [*names, *groups, *props])
            case SetNumber():
                say.words("set").optional_text("changes", "number", empty="number").words("to")
                say.number("value", "value").words("of the body of")
                say.pick("of", "whose number", [*names, *groups])
            case HoldResult():
                say.words("hold row").pick("holds", "row", _held_rows(self.project, scenario, does))
                say.words("of").pick("of", "whose row", names)
                say.words("at").pick("result", "result", [each.value for each in HeldResult])
        is_integer.pieces.extend(say.pieces)

    # inside

    def _kept(
        self, path: Path, made_from: tuple[object, ...], write: Callable[[], Iterable[SettingLine]]
    ) -> list[SettingLine]:
        """The lines of a path: those that were written last, if they were made from the same."""
        kept = self._memory.get(path)
        if kept is None or kept[0] != made_from:
            kept = self._memory[path] = made_from, list(write())
        return kept[1]

    def _document(self, kind: str, path: Path) -> LineWriter:
        """A document's title, and what it is called in files."""

        def rename(project: Project, value: object) -> Project:
            name = str(value).strip().removesuffix(".json")
            return rename_document(project, self.catalog, str(path[0]), str(path[1]), name)

        say = LineWriter(self.project, path).kind(kind).name("title", "title").words("in")
        say.text(
            "name",
            "name of the file",
            put=rename,
            help=f"the {kind} is kept in {path[0]}/{path[1]}.json",
        )
        return say.show(f"{path[1]}.json")

    def _name(self, say: LineWriter, label: str, named: NamesDocument, old: str) -> None:
        path = say.path

        def rename(project: Project, value: object) -> Project:
            renamed = put(project, (*path, "name"), value)
            return rename_used(renamed, self.catalog, named, old, str(value))

        say.name("name", label, put=rename)

    def _heading(self, title: str, path: Path, *additions: Addition, help: str) -> SettingLine:
        say = LineWriter(self.project, path).title(title).words(help)
        return SettingLine(path, 0, say.pieces, additions, help, heading=True)


MOVED = (
    "a puppet that walks goes on from there to the points that are still ahead of it, each in time"
)
"""What becomes of a walk when a cue moves the puppet."""
_SCOPES = {
    Sharing.OWN: "each has its own",
    Sharing.GROUP: "shared by the group",
    Sharing.WORLD: "shared by the whole world",
}


def _read_optional_point(text: str) -> Point | None:
    return None if text.strip() in ("", "not set") else read_point(text)


def _held_rows(project: Project, scenario: Scenario, action: HoldResult) -> list[Choice]:
    """The rows of an agent that can be held, by number and name."""
    member = scenario.find_player(action.of)
    behavior = member.behavior if member else None
    if behavior is None or project.find_behavior(behavior) is None:
        return [Choice(action.holds, action.holds)]
    rows = expand_behavior(project, behavior).behavior
    return [
        Choice(f"{number} {rows.row(row_id).name}", row_id)
        for row_id, number in rows.outline.number.items()
    ]


def _same(name: str) -> Choice:
    return Choice(name, name)


def _uses(behavior: Behavior, catalog: Catalog) -> list[KeyReferences]:
    """The keys that each row of a behavior uses; kept with it, for most edits leave most behaviors
    as they are.
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
    return "1 row" if count == 1 else f"{count} rows" if count else "none"


def _documents(documents: Iterable[Behavior | Blackboard | Stage | Scenario]) -> list[Choice]:
    return [Choice(each.title, each.name, each.name) for each in documents]
