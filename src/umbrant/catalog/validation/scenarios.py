"""What can be wrong with a scenario."""

from collections.abc import Iterator

from umbrant.catalog.kind import RUNS, Catalog
from umbrant.catalog.language.check import faults
from umbrant.catalog.validation.boards import value_fits
from umbrant.model.behaviors import Key
from umbrant.model.documents import Project
from umbrant.model.expanded import expand_behavior
from umbrant.model.printable import a_or_an
from umbrant.model.problems import (
    DECLARE_EVENT,
    DECLARE_KEY,
    Problem,
    did_you_mean,
)
from umbrant.model.staging import (
    Cue,
    DropProp,
    HoldResult,
    Member,
    MoveTo,
    RaiseEvent,
    Scenario,
    SetKey,
    SetNumber,
    TakeAway,
)
from umbrant.model.values import find_named


def scenario_problems(
    project: Project, scenario: Scenario, catalog: Catalog
) -> Iterator[Problem]:
    """Every problem of one scenario."""
    file = f"scenarios/{scenario.name}.json"
    stages = [stage.name for stage in project.stages]
    if scenario.stage not in stages:
        yield Problem(
            file,
            "",
            f"there is no stage '{scenario.stage}'.",
            did_you_mean(scenario.stage, stages, "Add a stage."),
        )
    seen: set[str] = set()
    for member in scenario.players:
        if member.name in seen:
            yield Problem(
                file,
                "",
                f"two of the cast are called '{member.name}'.",
                "Rename one of them.",
            )
        seen.add(member.name)
    for member in scenario.cast:
        yield from _member(project, file, member)
    for number, cue in enumerate(scenario.cues, 1):
        yield from _Cue(
            project, scenario, catalog, file, f"cue {number}"
        ).problems(cue)


def _member(project: Project, file: str, member: Member) -> Iterator[Problem]:
    times = [point.at_s for point in member.walk]
    if times != sorted(times):
        yield Problem(
            file,
            "",
            f"the walk of '{member.name}' goes back in time.",
            "Put its points in order of `at_s`.",
        )
    if member.behavior is None:
        return
    behaviors = {behavior.name: behavior for behavior in project.behaviors}
    if member.behavior not in behaviors:
        message = f"'{member.name}' has the behavior '{member.behavior}', which is not there."
        yield Problem(
            file,
            "",
            message,
            did_you_mean(member.behavior, list(behaviors), "Add a behavior."),
        )
        return
    keys = project.keys_of(behaviors[member.behavior])
    for name, value in member.keys.items():
        yield from _starting_key(file, member.name, keys, name, value)


def _starting_key(
    file: str, member: str, keys: dict[str, Key], name: str, value: object
) -> Iterator[Problem]:
    if name not in keys:
        message = f"'{member}' starts with the key `{name}`, which its blackboard does not have."
        yield Problem(
            file, "", message, did_you_mean(name, list(keys), DECLARE_KEY)
        )
    elif keys[name].formula:
        yield Problem(
            file,
            "",
            f"'{member}' starts with `{name}`, which follows a formula.",
            "Remove it.",
        )
    elif not value_fits(keys[name], value):
        message = (
            f"'{member}' starts with `{name}` as {value!r}, which is no {keys[name].type} "
            "in its range."
        )
        yield Problem(file, "", message, "Change it.")


class _Cue:
    """The problems of one cue."""

    def __init__(
        self,
        project: Project,
        scenario: Scenario,
        catalog: Catalog,
        file: str,
        called: str,
    ) -> None:
        self.project = project
        self.scenario = scenario
        self.catalog = catalog
        self.file = file
        self.called = called

    def problems(self, cue: Cue) -> Iterator[Problem]:
        if (cue.at_s is None) == (not cue.when):
            yield self._at(
                "has to have either a time or a condition.",
                "Give it `at_s` or `when`.",
            )
        if cue.when:
            for fault in faults(
                cue.when, self.project.world_keys(), self.catalog, "the world"
            ):
                place = f"`{cue.when}`, at character {fault.span[0] + 1}"
                message = f"{place}: {fault.message.rstrip('.')}."
                yield self._at(message, fault.remedy)
        match cue.does:
            case RaiseEvent(raises=event):
                yield from self._event(event)
            case SetKey():
                yield from self._key(cue.does)
            case MoveTo(moves=name) | TakeAway(removes=name):
                yield from self._named(name)
            case SetNumber():
                yield from self._number(cue.does)
            case HoldResult():
                yield from self._held(cue.does)
            case DropProp():
                pass

    def _meant(self, name: str) -> list[Member]:
        """Those of the cast whom a cue names: one, or each of a group."""
        cast = [
            *self.scenario.players,
            *(each for each in self.scenario.cast if each.copies > 1),
        ]
        one = find_named(cast, name)
        if one is None:
            return [*self.scenario.in_group(name)]
        return [one]

    @property
    def _names(self) -> list[str]:
        """The names that a cue can give: all of the cast, what has copies, and
        groups.
        """
        cast = self.scenario.cast
        return [
            *(each.name for each in self.scenario.players),
            *(each.name for each in cast if each.copies > 1),
            *dict.fromkeys(each.group for each in cast if each.group),
        ]

    def _event(self, event: str) -> Iterator[Problem]:
        known = [each.name for each in self.project.event_list.events]
        if event not in known:
            yield self._at(
                f"`{event}` is not in the list of events.",
                did_you_mean(event, known, DECLARE_EVENT),
            )

    def _key(self, action: SetKey) -> Iterator[Problem]:
        if action.of is None:
            yield from self._key_of(self.project.world_keys(), action)
            return
        yield from self._in_cast(action.of)
        for member in self._meant(action.of):
            yield from self._key_of(
                self.project.keys_of_member(member), action
            )

    def _key_of(
        self, keys: dict[str, Key], action: SetKey
    ) -> Iterator[Problem]:
        if action.sets not in keys:
            yield self._at(
                f"there is no key `{action.sets}` to set.",
                did_you_mean(action.sets, list(keys), DECLARE_KEY),
            )
        elif action.value is not None and not value_fits(
            keys[action.sets], action.value
        ):
            yield self._at(
                f"`{action.sets}` cannot be {action.value!r}.", "Change it."
            )

    def _number(self, action: SetNumber) -> Iterator[Problem]:
        yield from self._in_cast(action.of)
        for member in self._meant(action.of):
            stats = list(member.body.stats)
            if action.changes not in stats:
                message = f"the body of '{member.name}' has no number `{action.changes}`."
                yield self._at(
                    message,
                    did_you_mean(action.changes, stats, "Give its body one."),
                )

    def _held(self, action: HoldResult) -> Iterator[Problem]:
        yield from self._in_cast(action.of)
        for member in self._meant(action.of):
            yield from self._held_of(member, action)

    def _held_of(
        self, member: Member, action: HoldResult
    ) -> Iterator[Problem]:
        behavior = member.behavior
        if behavior is None or self.project.find_behavior(behavior) is None:
            return
        rows = expand_behavior(self.project, behavior).behavior
        row, remedy = (
            rows.by_id.get(action.holds),
            "Hold an action, a condition or a composite.",
        )
        if row is None:
            yield self._at(
                f"the behavior of '{member.name}' has no row `{action.holds}`.",
                remedy,
            )
        elif self.catalog.get(row.kind, *RUNS) is None:
            called = f"{rows.outline.number[row.id]} {row.name}".rstrip()
            yield self._at(
                f"{called} of '{member.name}' is {a_or_an(row.kind)}, which does not end by "
                "itself.",
                remedy,
            )

    def _in_cast(self, name: str) -> Iterator[Problem]:
        known = self._names
        if name not in known:
            yield self._at(
                f"there is no '{name}' in the cast.", did_you_mean(name, known)
            )

    def _named(self, name: str) -> Iterator[Problem]:
        dropped = [
            cue.does.drops.name
            for cue in self.scenario.cues
            if isinstance(cue.does, DropProp)
        ]
        stage = self.project.find_stage(self.scenario.stage)
        if stage:
            props = [prop.name for prop in stage.props]
        else:
            props = []
        known = [*self._names, *props, *dropped]
        if name not in known:
            yield self._at(
                f"there is no '{name}' in the cast or on the stage.",
                did_you_mean(name, known),
            )

    def _at(self, message: str, remedy: str) -> Problem:
        return Problem(self.file, self.called, message, remedy)
