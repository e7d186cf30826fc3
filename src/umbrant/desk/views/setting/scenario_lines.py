"""The lines of the scenarios: who plays, where each begins, and what happens
besides.
"""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from functools import partial

from umbrant.catalog.params import Quantity
from umbrant.catalog.renaming.used import NamesDocument, rename_used
from umbrant.desk.chips.sentence import ChipEditor
from umbrant.desk.chips.values import Choice
from umbrant.desk.views.setting.adding import (
    about_member,
    casting,
    cueing,
    literal,
    new_scenario,
    with_a_stage,
)
from umbrant.desk.views.setting.documents import DocumentLines, choices_of
from umbrant.desk.views.setting.fields import Addition, LineWriter, SettingLine
from umbrant.desk.views.setting.folding import in_groups
from umbrant.model.documents import Project
from umbrant.model.expanded import expand_behavior
from umbrant.model.paths import Path, PathError, at, put
from umbrant.model.staging import (
    Cue,
    DropProp,
    HeldResult,
    HoldResult,
    Member,
    MoveTo,
    RaiseEvent,
    Scenario,
    SetKey,
    SetNumber,
    TakeAway,
)
from umbrant.model.values import value_text

METRES = Quantity("m", 0, None, 0.1)
SPEED = Quantity("m/s", 0.1, 50, 0.1)
DEGREES = Quantity("°", -180, 360, 5)
SECONDS = Quantity("s", 0, None, 0.5)
COUNT = Quantity("", 1, 1000, 1)
NOBODY = "a puppet"
MOVED = (
    "a puppet that walks goes on from there to the points that are still ahead of it, "
    "each in time"
)
"""What becomes of a walk when a cue moves the puppet."""


class ScenarioLines(DocumentLines):
    """Writes the lines of all scenarios."""

    def lines(self) -> Iterator[SettingLine]:
        """The lines of all scenarios."""
        new = Addition("Scenario", ("scenarios",), new_scenario, with_a_stage)
        yield self.heading(
            "Scenarios",
            ("scenarios",),
            new,
            help="who plays, and what happens besides",
        )
        for scenario in self.project.scenarios:
            yield from self._scenario(scenario, new)

    def _scenario(
        self, scenario: Scenario, new: Addition
    ) -> Iterator[SettingLine]:
        path: Path = ("scenarios", scenario.name)
        adds = (*casting(path, self.project), *cueing(path, self.project), new)
        first = [(each.name, each.start) for each in scenario.cast[:1]]
        of_adds = (self.project.behaviors, self.project.event_list, first)
        say = self.document("scenario", path).words("on")
        say.pick("stage", "stage", choices_of(self.project.stages)).words(
            "for"
        )
        say.number("seconds", "length", Quantity("s", 0.5, 86_400, 1)).words(
            "with"
        )
        say.number(
            "ticks_per_s",
            "tick rate",
            Quantity("", 1, 240, 1),
            is_integer=True,
        ).words("ticks a second, seed")
        yield say.number(
            "seed", "seed", Quantity("", 0, None, 1), is_integer=True
        ).line(1, *adds)
        yield from in_groups(
            [
                (
                    self._sort_of(member),
                    self._member_lines(path, index, member, adds, of_adds),
                )
                for index, member in enumerate(scenario.cast)
            ],
            partial(self.many, (*path, "cast"), "cast", adds),
        )
        named = [(each.name, each.group) for each in scenario.cast]
        for index, cue in enumerate(scenario.cues):
            made_from = (
                cue,
                named,
                self.project.stages,
                self.project.blackboards,
                *of_adds,
            )
            write = partial(
                self._cue, scenario, (*path, "cues", index), cue, adds
            )
            yield from self.kept((*path, "cues", index), made_from, write)

    def _sort_of(self, member: Member) -> str:
        """What several of a cast can have in common: their group and their
        behavior.
        """
        behavior = None
        if member.behavior:
            behavior = self.project.find_behavior(member.behavior)
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
        return self.kept(
            place, (member, self.project.blackboards, *of_adds), write
        )

    def _member(
        self, path: Path, member: Member, adds: tuple[Addition, ...]
    ) -> Iterator[SettingLine]:
        mine = (*about_member(path, self.project, member), *adds)
        say = LineWriter(self.project, path).kind("cast")
        self.name(say, "name", NamesDocument.MEMBER, member.name)
        behaviors = [
            Choice(NOBODY, None, "it follows its walk, or your hand"),
            *choices_of(self.project.behaviors),
        ]
        say.words("is").pick("behavior", "behavior", behaviors).words(
            "at"
        ).point("start", "start")
        say.words("facing").number("facing_deg", "facing", DEGREES)
        say.words("group").optional_text("group", "group", empty="none")
        say.words("called").text(
            "title", "title on the stage", empty=member.name
        )
        say.words("×").number("copies", "copies", COUNT, is_integer=True)
        if member.copies > 1:
            say.words("within").number("scatter_m", "scatter", METRES)
            words = "at once, or one every"
            if member.every_s:
                words = "one every"
            say.words(words).number("every_s", "time between them", SECONDS)
        yield say.yes_no(
            "waits", "from when", yes="waits for its cue", no="from the start"
        ).line(2, *mine)
        body = (
            LineWriter(self.project, (*path, "body"))
            .kind("body")
            .words("walks")
            .number("walk_m_s", "walk", SPEED)
        )
        body.words("runs").number("run_m_s", "run", SPEED).words(
            "turns"
        ).number("turn_deg_s", "turning", DEGREES)
        body.words("sees").number("sight_m", "sight", METRES)
        body.words("in").number(
            "cone_deg", "cone of sight", Quantity("°", 1, 360, 5)
        )
        body.words("hears").number("hearing_m", "hearing", METRES).words(
            "radius"
        ).number("radius_m", "radius", METRES)
        yield body.yes_no(
            "flies", "how it gets about", yes="flies", no="on foot"
        ).line(3, *mine, removable=False)
        yield from self._details(path, member, mine)

    def _details(
        self, path: Path, member: Member, mine: tuple[Addition, ...]
    ) -> Iterator[SettingLine]:
        """The numbers, starting keys and walk of one of the cast."""
        for name in member.body.stats:
            say = LineWriter(
                self.project, (*path, "body", "stats", name)
            ).kind("number")
            say.entry_name(
                "name of the number", partial(self._rename_stat, path, name)
            )
            say.number("value", "value", Quantity("", None, None, 0.05)).words(
                "from"
            ).number("low", "lowest")
            say.words("to").number("high", "highest").words(
                "changes by"
            ).number("per_s", "change", Quantity("", step=0.01))
            yield say.words("a second").line(3, *mine)
        keys = self.project.keys_of_member(member)
        for name in member.keys:
            say = (
                LineWriter(self.project, (*path, "keys"))
                .kind("starts with")
                .title(name)
                .words("=")
            )
            if name in keys:
                self.value(say, name, keys[name])
            else:
                say.words(
                    f"{value_text(member.keys[name])} (there is no such key)"
                )
            line = say.line(3, *mine)
            line.path = (*path, "keys", name)
            yield line
        walk = [
            ("walk", [self._walk_point(path, index, mine)])
            for index in range(len(member.walk))
        ]
        yield from in_groups(walk, partial(self._walk_of, path, member, mine))

    def _walk_point(
        self, path: Path, index: int, mine: tuple[Addition, ...]
    ) -> SettingLine:
        say = (
            LineWriter(self.project, (*path, "walk", index))
            .kind("walk")
            .words("at")
        )
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
        say.words(
            f"of {len(points)} points from {first.at_s:g} s to {last.at_s:g} s"
        )
        line = say.line(3, *mine, help="F opens it", removable=False)
        line.begins_closed = True
        return line

    def _rename_stat(
        self, path: Path, old: str, project: Project, value: object
    ) -> Project:
        """A number of a body is called otherwise, in every body that has it
        and wherever it is used.
        """
        new = str(value)
        bodies = [
            member.body for each in project.scenarios for member in each.cast
        ]
        if new != old and any(
            {old, new} <= set(body.stats) for body in bodies
        ):
            raise PathError(
                f"name: a body that has '{old}' has a number '{new}' already"
            )
        # Checked as a file's would be: a name that cannot be one is refused
        # here.
        put(
            project,
            (*path, "body", "stats"),
            {new: at(project, (*path, "body", "stats", old))},
        )
        return rename_used(project, self.catalog, NamesDocument.STAT, old, new)

    def _cue(
        self,
        scenario: Scenario,
        path: Path,
        cue: Cue,
        adds: tuple[Addition, ...],
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
        by_whom = ""
        if cue.by_hand:
            by_whom = "done by hand in a rehearsal"
        yield say.line(2, *adds, help=by_whom)

    def _cue_action(
        self, line: LineWriter, scenario: Scenario, path: Path, cue: Cue
    ) -> None:
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
                self._raising(say, [*names, *groups])
            case SetKey():
                self._setting(say, does, [*names, *groups])
            case MoveTo():
                say.words("put").pick(
                    "moves",
                    "what is moved",
                    [*names, *groups, *props],
                    help=MOVED,
                )
                say.words("to").point(
                    "to", "where", help=f"x, y in metres; {MOVED}"
                )
            case DropProp():
                say.words("drop")
                say.pieces.extend(
                    self.prop((*path, "drops"), does.drops, 2).pieces
                )
            case TakeAway():
                say.words("take away").pick(
                    "removes", "what goes", [*names, *groups, *props]
                )
            case SetNumber():
                say.words("set").optional_text(
                    "changes", "number", empty="number"
                ).words("to")
                say.number("value", "value").words("of the body of")
                say.pick("of", "whose number", [*names, *groups])
            case HoldResult():
                rows = _held_rows(self.project, scenario, does)
                results = [each.value for each in HeldResult]
                say.words("hold row").pick("holds", "row", rows)
                say.words("of").pick("of", "whose row", names)
                say.words("at").pick("result", "result", results)
        line.pieces.extend(say.pieces)

    def _raising(self, say: LineWriter, whom: list[str]) -> None:
        """An event, and who hears it."""
        events = [each.name for each in self.project.event_list.events]
        say.words("raise").pick("raises", "event", events)
        hearers = [Choice("all", ""), *map(_same, whom)]
        say.words("to").pick("to", "who hears it", hearers)

    def _setting(self, say: LineWriter, does: SetKey, whom: list[str]) -> None:
        """A key, its value, and whose it is."""
        say.words("set").optional_text("sets", "key", empty="key").words("to")
        say.text("value", "value", read=literal)
        shown = say.pieces[-1]
        say.pieces[-1] = replace(shown, text=value_text(does.value))
        owners = [Choice("the world", None), *map(_same, whom)]
        say.words("of").pick("of", "whose key", owners)


def _held_rows(
    project: Project, scenario: Scenario, action: HoldResult
) -> list[Choice]:
    """The rows of an agent that can be held, by number and name."""
    member = scenario.find_player(action.of)
    behavior = None
    if member:
        behavior = member.behavior
    if behavior is None or project.find_behavior(behavior) is None:
        return [Choice(action.holds, action.holds)]
    rows = expand_behavior(project, behavior).behavior
    return [
        Choice(f"{number} {rows.row(row_id).name}", row_id)
        for row_id, number in rows.outline.number.items()
    ]


def _same(name: str) -> Choice:
    return Choice(name, name)
