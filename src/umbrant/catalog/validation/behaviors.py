"""What can be wrong with a behavior and its rows."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from umbrant.catalog.kind import ROWS, RUNS, Catalog, Family, Kind
from umbrant.catalog.language.check import faults
from umbrant.catalog.params import Param, ParamType
from umbrant.catalog.validation.boards import value_fits
from umbrant.model.behaviors import Behavior, Row
from umbrant.model.documents import Project
from umbrant.model.expanded import (
    BEHAVIOR,
    MOST_ROWS,
    expanded_size,
    resolve_variant,
    used_behaviors,
)
from umbrant.model.kind_ids import (
    ANY_EVENT,
    FINAL,
    HISTORY,
    MACHINE,
    ON_EVENT,
    OPTION,
    REGIONS,
    STATE_DONE,
    USE_BEHAVIOR,
    UTILITY,
)
from umbrant.model.parts import GUARD, part_name
from umbrant.model.printable import a_or_an
from umbrant.model.problems import Problem, did_you_mean
from umbrant.model.staging import DropProp, Member, Prop
from umbrant.model.values import KeyRef, KeyType, ParamValue, PlaceRef, Spread

_PARTS_ALLOWED: Mapping[Family, tuple[str, ...]] = {
    **dict.fromkeys((*RUNS, Family.OPTION), (GUARD, "decorator", "upkeep")),
    Family.STATE: ("upkeep",),
}
"""What a row of a family may have around it; rows of other families may have nothing."""


Known = Mapping[ParamType, tuple[str, ...]]
"""What can be named in a chip, by the chip's type."""


@dataclass
class CleanBehavior:
    """The rows of a behavior that had no problems, so that after an edit only changed rows are
    checked.
    """

    context: tuple[object, ...] = ()
    """What all rows depend on: with another one, all are looked at again."""
    rows: dict[str, tuple[Row, tuple[str | None, ...]]] = field(default_factory=dict)
    """Each row with the kinds of those around it: of the row that it is in, and of the rows in it.
    """


def behavior_problems(
    project: Project, behavior: Behavior, catalog: Catalog, known: Known, fine: CleanBehavior
) -> Iterator[Problem]:
    """Every problem of one behavior. `known` is what `known_names` says of the project; `fine` is
    added to.
    """
    size = expanded_size(project, behavior.name)
    if size > MOST_ROWS:
        message = f"with all that it uses it has {size} rows; {MOST_ROWS} is the most."
        yield Problem(
            f"behaviors/{behavior.name}.json", "", message, "Use fewer behaviors inside each other."
        )
    yield from _stat_problems(project, behavior)
    if behavior.variant_of is not None:
        faults_found = list(_variant_problems(project, behavior))
        yield from faults_found
        if not faults_found:
            yield from _own_problems(project, behavior, catalog, known, fine)
    else:
        yield from _BehaviorCheck(project, behavior, catalog, known, fine).problems()


def _own_problems(
    project: Project, variant: Behavior, catalog: Catalog, known: Known, fine: CleanBehavior
) -> Iterator[Problem]:
    """The problems of a variant that its original does not have."""
    rows = resolve_variant(project, variant.name)
    original = resolve_variant(project, str(variant.variant_of)).by_id
    for problem in _BehaviorCheck(project, rows, catalog, known, fine).problems():
        row = rows.by_id.get(problem.row_id)
        if row is None or original.get(row.id) != row:
            yield problem


def _stat_problems(project: Project, behavior: Behavior) -> Iterator[Problem]:
    """The problems of the numbers that a variant gives to the bodies that have it."""
    file = f"behaviors/{behavior.name}.json"
    if behavior.stats and behavior.variant_of is None:
        message = "`stats` is for variants; this one is a variant of nothing."
        yield Problem(file, "", message, "Write the numbers with the bodies of the cast.")
        return
    bodies = [
        (member.name, member.body.stats)
        for scenario in project.scenarios
        for member in scenario.cast
        if member.behavior == behavior.name
    ]
    for name, value in behavior.stats.items():
        for member, stats in bodies:
            stat = stats.get(name)
            if stat is None:
                message = f"it begins '{name}' at {value:g}, which the body of '{member}' lacks."
                yield Problem(file, "", message, did_you_mean(name, list(stats)))
            elif not stat.low <= value <= stat.high:
                message = (
                    f"it begins '{name}' at {value:g}, and that of '{member}' goes from "
                    f"{stat.low:g} to {stat.high:g}."
                )
                yield Problem(file, "", message, "Write a number in between, or widen the range.")


def _variant_problems(project: Project, behavior: Behavior) -> Iterator[Problem]:
    file = f"behaviors/{behavior.name}.json"
    names = {each.name: each for each in project.behaviors}
    if behavior.rows:
        yield Problem(
            file, "", "a variant has no rows of its own.", "Put them into `instead` of an override."
        )
    chain = [behavior.name]
    name = behavior.variant_of
    while name is not None:
        if name not in names:
            yield Problem(
                file,
                "",
                f"`variant_of`: there is no behavior '{name}'.",
                did_you_mean(name, list(names)),
            )
            return
        if name in chain:
            yield Problem(
                file,
                "",
                f"it is a variant of itself, through {' and '.join(chain)}.",
                "Change one of them.",
            )
            return
        chain.append(name)
        name = names[name].variant_of
    known = resolve_variant(project, str(behavior.variant_of)).by_id
    for override in behavior.overrides:
        if override.row not in known:
            message = (
                f"it overrides the row '{override.row}', which '{behavior.variant_of}' "
                "does not have."
            )
            yield Problem(file, "", message, did_you_mean(override.row, list(known)))


@dataclass(frozen=True)
class _Part:
    """A row's kind, or one of its decorators or upkeeps, with its arguments."""

    kind: str
    args: Mapping[str, ParamValue]
    label: str


class _BehaviorCheck:
    """The problems of one behavior's rows."""

    def __init__(
        self,
        project: Project,
        behavior: Behavior,
        catalog: Catalog,
        known: Known,
        fine: CleanBehavior,
    ) -> None:
        self.project = project
        self.behavior = behavior
        self.catalog = catalog
        self.keys = project.keys_of(behavior)
        self.boards = [board.name for board in project.blackboards]
        self.known = known
        self.file = f"behaviors/{behavior.name}.json"
        context = (catalog, self.keys, known, behavior.blackboard)
        if fine.context != context:
            fine.context = context
            fine.rows.clear()
        self.fine = fine.rows

    def problems(self) -> Iterator[Problem]:
        if self.behavior.blackboard not in self.boards:
            message = f"there is no blackboard '{self.behavior.blackboard}'."
            yield Problem(
                self.file, "", message, did_you_mean(self.behavior.blackboard, self.boards)
            )
        for extra in self.behavior.outline.tops[1:]:
            row = self.behavior.row(extra)
            yield self._at(
                row, "stands beside the first row, so it is never reached.", "Nest it in that row."
            )
        kinds: dict[str | None, str] = {row.id: row.kind for row in self.behavior.rows}
        parent, children = self.behavior.outline.parent, self.behavior.outline.children
        for row in self.behavior.rows:
            around = (kinds.get(parent[row.id]), *(kinds[inner] for inner in children[row.id]))
            fine = self.fine.get(row.id)
            if fine is not None and fine[0] is row and fine[1] == around:
                continue
            found = list(self._row(row))
            yield from found
            if not found and not self._depends_on_others(row):
                self.fine[row.id] = row, around

    def _depends_on_others(self, row: Row) -> bool:
        """Whether what can be wrong with a row also depends on rows further away, or on other
        behaviors.
        """
        kind = self._kind_of(row.id)
        return (
            row.kind == USE_BEHAVIOR
            or kind is None
            or any(each.type is ParamType.STATE for each in kind.params)
        )

    def _at(self, row: Row, message: str, remedy: str = "") -> Problem:
        return Problem(
            self.file,
            f"{self.behavior.outline.number[row.id]} '{row.name}'",
            message,
            remedy,
            row.id,
        )

    def _kind_of(self, row_id: str) -> Kind | None:
        return self.catalog.get(self.behavior.row(row_id).kind, *ROWS)

    def _row(self, row: Row) -> Iterator[Problem]:
        kind = self.catalog.get(row.kind, *ROWS)
        if kind is not None:
            yield from self._nesting(row, kind)
            yield from self._parts_allowed(row, kind)
            yield from self._structure(row, kind)
        yield from self._part(row, _Part(row.kind, row.args, ""), *ROWS)
        if row.guard:
            yield from self._condition(row, row.guard.when, GUARD)
        for index, wrapped in enumerate(row.decorators):
            label = part_name("decorator", index)
            yield from self._part(row, _Part(wrapped.kind, wrapped.args, label), Family.DECORATOR)
        for index, work in enumerate(row.upkeep):
            label = part_name("upkeep", index)
            yield from self._part(
                row, _Part(work.kind, work.args, label), Family.ACTION, Family.CONDITION
            )
        if row.kind == USE_BEHAVIOR:
            yield from self._use(row)

    def _nesting(self, row: Row, kind: Kind) -> Iterator[Problem]:
        """Problems of a row that stands under a row that cannot hold it."""
        above = self.behavior.outline.parent[row.id]
        if above is None:
            if kind.family not in RUNS:
                remedy = f"Nest it in {_holders(self.catalog, kind.family)}."
                yield self._at(
                    row, f"is {a_or_an(kind.family)}, which cannot stand by itself.", remedy
                )
            return
        holder = self._kind_of(above)
        if holder is None or kind.family in holder.holds:
            return
        if not holder.holds:
            yield self._at(
                self.behavior.row(above),
                f"is {a_or_an(holder.title)}, which holds no rows.",
                "Move the rows in it elsewhere.",
            )
        else:
            remedy = f"Move it into {_holders(self.catalog, kind.family)}."
            yield self._at(
                row,
                f"is {a_or_an(kind.family)}, which cannot stand in {a_or_an(holder.title)}.",
                remedy,
            )

    def _parts_allowed(self, row: Row, kind: Kind) -> Iterator[Problem]:
        allowed = _PARTS_ALLOWED.get(kind.family, ()) if kind.id not in (FINAL, HISTORY) else ()
        has = {GUARD: row.guard, "decorator": row.decorators, "upkeep": row.upkeep}
        for part, value in has.items():
            if value and part not in allowed:
                yield self._at(
                    row, f"is {a_or_an(kind.title)}, which can have no {part}.", "Remove it."
                )

    def _structure(self, row: Row, kind: Kind) -> Iterator[Problem]:
        """What a kind needs of the rows in it."""
        inside = [self._kind_of(child) for child in self.behavior.outline.children[row.id]]
        families = [each.family for each in inside if each is not None]
        if kind.id in (MACHINE, REGIONS) and Family.STATE not in families:
            yield self._at(row, f"is {a_or_an(kind.title)} without states.", "Add a state to it.")
        above = self.behavior.outline.parent[row.id]
        yield from self._second_target(row, kind)
        if kind.id == HISTORY and above is not None and self._is(above, "machine"):
            remedy = "Put it, with the states it should go back to, into a state of their own."
            yield self._at(row, "is a history of the machine itself, which is never left.", remedy)
        if kind.id == UTILITY and Family.OPTION not in families:
            yield self._at(row, "is a utility without options.", "Add an option to it.")
        if kind.id == OPTION and bool(row.args.get("among")) != bool(row.args.get("target")):
            yield self._at(
                row,
                "needs both a group and a key to be scored for each of a group.",
                "Fill in the other.",
            )
        if kind.family in (Family.HOOK, Family.TRANSITION):
            for child, found in zip(self.behavior.outline.children[row.id], inside, strict=True):
                if found is not None and found.takes_time:
                    remedy = "Use one that is done at once, or put it into the state."
                    message = f"takes time, and what is in {a_or_an(kind.title)} is done at once."
                    yield self._at(self.behavior.row(child), message, remedy)

    def _second_target(self, row: Row, kind: Kind) -> Iterator[Problem]:
        """A transition to two states: they must be in two regions beside each other."""
        also, to = str(row.args.get("also") or ""), str(row.args.get("to") or "")
        outline = self.behavior.outline
        if kind.family is not Family.TRANSITION or not also or also not in outline.parent:
            return
        if to not in outline.parent:
            yield self._at(
                row, "also leads to a state, and to none at first.", "Fill in the first."
            )
            return
        shared = [each for each in outline.path(to) if each in outline.path(also)]
        if also == to or not shared or not self._is(shared[-1], REGIONS):
            message = "leads to two states that are not in regions beside each other."
            yield self._at(row, message, "Pick a state of another region, or only one.")

    def _use(self, row: Row) -> Iterator[Problem]:
        """A row that uses another behavior: whether that is there, and what its keys are bound
        to.
        """
        name = str(row.args.get(BEHAVIOR, ""))
        inner = self.project.find_behavior(name)
        if inner is None:
            return
        if self.behavior.name in _reaches(self.project, inner.name):
            yield self._at(
                row, f"uses '{name}', which uses '{self.behavior.name}' again.", "Break the circle."
            )
            return
        keys = self.project.keys_of(inner)
        for key_name, value in row.binds.items():
            key = keys.get(key_name)
            if key is None:
                yield self._at(
                    row,
                    f"binds `{key_name}`, which '{name}' does not have.",
                    did_you_mean(key_name, list(keys)),
                )
            elif isinstance(value, KeyRef):
                outer = self.keys.get(value.key)
                if outer is None:
                    yield self._at(
                        row,
                        f"`{value.key}` is no key here.",
                        did_you_mean(value.key, list(self.keys)),
                    )
                elif outer.type is not key.type:
                    inside, outside = a_or_an(key.type), a_or_an(outer.type)
                    message = f"binds `{key_name}`, {inside}, to `{value.key}`, {outside}."
                    yield self._at(row, message, "Pick another key.")
            elif not value_fits(key, value):
                yield self._at(
                    row, f"`{key_name}` cannot be {value!r}.", f"It is {a_or_an(key.type)}."
                )

    def _part(self, row: Row, part: _Part, *families: Family) -> Iterator[Problem]:
        kind = self.catalog.get(part.kind, *families)
        if kind is None:
            known = [each.id for each in self.catalog.family(*families)]
            wanted = "decorator" if families == (Family.DECORATOR,) else "kind of node"
            yield self._at(row, f"`{part.kind}` is no {wanted}.", did_you_mean(part.kind, known))
            return
        if kind.takes_time and part.label.startswith("upkeep"):
            yield self._at(
                row,
                f"`{kind.id}` takes time and cannot be upkeep.",
                "Use one that is done at once.",
            )
        for name in part.args:
            if kind.param(name) is None:
                known = [param.name for param in kind.params]
                yield self._at(row, f"`{kind.id}` has no `{name}`.", did_you_mean(name, known))
        for param in kind.params:
            yield from self._value(row, kind, param, part.args.get(param.name))

    def _value(
        self, row: Row, kind: Kind, param: Param, value: ParamValue | None
    ) -> Iterator[Problem]:
        if value is None:
            if param.required:
                yield self._at(
                    row,
                    f"`{param.label}` of `{kind.title}` is not filled in.",
                    f"It is {param.help}.",
                )
        elif isinstance(value, KeyRef):
            yield from self._key(row, param, value.key)
        elif not param.takes(value):
            yield self._at(row, f"`{param.label}` cannot be {value!r}.", f"It is {param.help}.")
        elif param.type is ParamType.CONDITION:
            yield from self._condition(row, str(value), param.label)
        elif param.type is ParamType.FORMULA:
            yield from self._condition(row, str(value), param.label, wants=KeyType.NUMBER)
        else:
            yield from self._literal(row, param, value)

    def _key(self, row: Row, param: Param, name: str) -> Iterator[Problem]:
        key = self.keys.get(name)
        if key is None:
            message = f"`{name}` is no key of blackboard '{self.behavior.blackboard}'."
            yield self._at(row, message, did_you_mean(name, list(self.keys)))
        elif key.type not in param.keys:
            wanted = " or ".join(param.keys) or "value, not a key"
            yield self._at(
                row,
                f"`{param.label}` wants {a_or_an(wanted)}, and `{name}` holds {a_or_an(key.type)}.",
                "Pick another.",
            )
        elif param.writes and key.formula:
            yield self._at(row, f"writes `{name}`, which follows a formula.", "Pick another key.")

    def _literal(self, row: Row, param: Param, value: ParamValue) -> Iterator[Problem]:
        if param.type in (ParamType.NUMBER, ParamType.SPREAD):
            yield from self._range(row, param, value)
            return
        if param.type is ParamType.STATE:
            known: tuple[str, ...] = tuple(self._states_around(row))
        elif param.type is ParamType.CHOICE:
            known = param.choices
        else:
            known = self.known.get(
                ParamType.PLACE if isinstance(value, PlaceRef) else _named_by(param.type), ()
            )
        name = value.place if isinstance(value, PlaceRef) else value
        free = not known and param.type not in (
            ParamType.STATE,
            ParamType.EVENT,
            ParamType.BEHAVIOR,
        )
        listens = row.kind == ON_EVENT and isinstance(name, str) and self._takes(row, name)
        if isinstance(name, str) and name and name not in known and not free and not listens:
            yield self._at(
                row, f"`{param.label}` cannot be '{name}'.", did_you_mean(name, sorted(known))
            )

    def _takes(self, row: Row, event: str) -> bool:
        """Whether a transition may wait for this: any event, any kind of a known one, or that a
        state of its machine is done.
        """
        kind_of = event.removesuffix(f".{ANY_EVENT}")
        if event == ANY_EVENT or kind_of in self.known.get(ParamType.EVENT, ()):
            return True
        done = {f"{STATE_DONE}.{each}" for each in self._states_around(row)}
        return kind_of in ("done", STATE_DONE, *done)

    def _states_around(self, row: Row) -> Iterator[str]:
        """The states of the machine that a row belongs to, by id."""
        outline = self.behavior.outline
        machine = next(
            (each for each in reversed(outline.path(row.id)) if self._is(each, "machine")), None
        )
        if machine is None:
            return
        waiting = [machine]
        while waiting:
            for child in outline.children[waiting.pop()]:
                kind = self._kind_of(child)
                if kind is not None and kind.family is Family.STATE:
                    yield child
                    waiting.append(child)

    def _is(self, row_id: str, kind: str) -> bool:
        return self.behavior.row(row_id).kind == kind

    def _range(self, row: Row, param: Param, value: ParamValue) -> Iterator[Problem]:
        number = value.mean if isinstance(value, Spread) else value
        if not isinstance(number, int | float):
            return
        low, high = param.quantity.low, param.quantity.high
        if (low is not None and number < low) or (high is not None and number > high):
            bounds = f"from {low:g}" if high is None else f"from {low:g} to {high:g}"
            yield self._at(
                row, f"`{param.label}` is {number:g}, and may be {bounds}.", "Change it."
            )

    def _condition(
        self, row: Row, when: str, place: str, wants: KeyType = KeyType.YES_NO
    ) -> Iterator[Problem]:
        for fault in faults(when, self.keys, self.catalog, self.behavior.blackboard, wants=wants):
            message = fault.message if fault.message.endswith(".") else f"{fault.message}."
            yield self._at(
                row, f"{place} `{when}`, at character {fault.span[0] + 1}: {message}", fault.remedy
            )


def known_names(project: Project) -> Known:
    """The names that a chip of each type can hold; PLACE stands for places, AGENT for everything
    with a name.
    """
    members = [member for scenario in project.scenarios for member in scenario.players]
    props = [prop for stage in project.stages for prop in stage.props]
    for scenario in project.scenarios:
        props += [cue.does.drops for cue in scenario.cues if isinstance(cue.does, DropProp)]
    bodies: list[Member | Prop] = [*members, *props]
    named = [each.name for each in bodies]
    groups = [each.group for each in bodies if each.group]
    return {
        ParamType.PLACE: _once(place.name for stage in project.stages for place in stage.places),
        ParamType.AGENT: _once(named),
        ParamType.GROUP: _once(groups),
        ParamType.EVENT: _once(event.name for event in project.event_list.events),
        ParamType.BEHAVIOR: _once(behavior.name for behavior in project.behaviors),
        ParamType.STAT: _once(stat for member in members for stat in member.body.stats),
        ParamType.ZONE: _once(area.name for stage in project.stages for area in stage.areas),
    }


def names_in(project: Project) -> Known:
    """The names that conditions may hold, by what they name: a place may also be somebody, and a
    text is the name of a row.
    """
    known = known_names(project)
    bodies = known[ParamType.AGENT]
    rows = (row.name for behavior in project.behaviors for row in behavior.rows if row.name)
    return {
        **known,
        ParamType.PLACE: (*known[ParamType.PLACE], *bodies),
        ParamType.PROP: bodies,
        ParamType.TEXT: _once(rows),
    }


def _named_by(param: ParamType) -> ParamType:
    return ParamType.AGENT if param in (ParamType.PLACE, ParamType.PROP) else param


def _once(names: "Iterator[str] | list[str]") -> tuple[str, ...]:
    return tuple(dict.fromkeys(names))


def _reaches(project: Project, name: str) -> set[str]:
    """The behaviors that a behavior uses, directly or through others, and itself."""
    found: set[str] = set()
    waiting = [name]
    known = {each.name for each in project.behaviors}
    while waiting:
        each = waiting.pop()
        if each not in found and each in known:
            found.add(each)
            waiting.extend(inner for _, inner in used_behaviors(resolve_variant(project, each)))
    return found


def _holders(catalog: Catalog, family: Family) -> str:
    return " or ".join(
        a_or_an(kind.title) for kind in catalog.kinds.values() if family in kind.holds
    )
