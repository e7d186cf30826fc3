"""What can be wrong with the rows of a behavior, one by one."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from umbrant.catalog.kind import ROWS, Catalog, Family, Kind
from umbrant.catalog.language.check import faults
from umbrant.catalog.params import Param, ParamType
from umbrant.catalog.validation.checked_behavior import CheckedBehavior
from umbrant.catalog.validation.names import Known, named_by
from umbrant.catalog.validation.structure import (
    structure_problems,
    use_problems,
)
from umbrant.model.behaviors import Behavior, Row
from umbrant.model.documents import Project
from umbrant.model.kind_ids import (
    ANY_EVENT,
    ON_EVENT,
    STATE_DONE,
    USE_BEHAVIOR,
)
from umbrant.model.parts import GUARD, part_name
from umbrant.model.printable import a_or_an
from umbrant.model.problems import (
    DECLARE_EVENT,
    DECLARE_KEY,
    Problem,
    did_you_mean,
)
from umbrant.model.values import KeyRef, KeyType, ParamValue, PlaceRef, Spread

_ADDED = {
    ParamType.EVENT: DECLARE_EVENT,
    ParamType.BEHAVIOR: "Add a behavior.",
    ParamType.STATE: "Add a state.",
}
"""What can be done about a name that nothing has."""


@dataclass
class CleanBehavior:
    """The rows of a behavior that had no problems, so that after an edit only
    changed rows are checked.
    """

    context: tuple[object, ...] = ()
    """What all rows depend on: with another one, all are looked at again."""
    rows: dict[str, tuple[Row, tuple[str | None, ...]]] = field(
        default_factory=dict
    )
    """Each row with the kinds of those around it: of the row that it is in,
    and of the rows in it.
    """
    behavior: Behavior | None = None
    """The behavior that was looked at last, where it uses no others."""
    found: tuple[Problem, ...] = ()
    """The problems that it had."""


@dataclass(frozen=True)
class _Part:
    """A row's kind, or one of its decorators or upkeeps, with its arguments."""

    kind: str
    args: Mapping[str, ParamValue]
    label: str


class BehaviorCheck:
    """The problems of one behavior's rows. `fine` is added to."""

    def __init__(
        self,
        project: Project,
        behavior: Behavior,
        catalog: Catalog,
        known: Known,
        fine: CleanBehavior,
    ) -> None:
        self._checked = checked = CheckedBehavior(project, behavior, catalog)
        self._known = known
        # A key that was renamed, or a place that is gone, may make any row
        # wrong.
        boards = [board.name for board in project.blackboards]
        context = (catalog, checked.keys, known, behavior.blackboard, boards)
        if fine.context != context:
            fine.context = context
            fine.rows.clear()
            fine.behavior = None
        self._fine = fine

    def problems(self) -> Sequence[Problem]:
        """Every problem: those of the behavior as a whole, then row by row."""
        fine, behavior = self._fine, self._checked.behavior
        # Behaviors are frozen as well: in most edits all but one are the very
        # same.
        if fine.behavior is behavior:
            return fine.found
        found, fine.behavior = tuple(self._problems()), None
        if not any(row.kind == USE_BEHAVIOR for row in behavior.rows):
            fine.behavior, fine.found = behavior, found
        return found

    def _problems(self) -> Iterator[Problem]:
        checked, behavior = self._checked, self._checked.behavior
        boards = [board.name for board in checked.project.blackboards]
        if behavior.blackboard not in boards:
            message = f"there is no blackboard '{behavior.blackboard}'."
            yield Problem(
                checked.file,
                "",
                message,
                did_you_mean(behavior.blackboard, boards, "Add a blackboard."),
            )
        for extra in behavior.outline.tops[1:]:
            yield checked.at(
                behavior.row(extra),
                "stands beside the first row, so it is never reached.",
                "Nest it in that row.",
            )
        kinds: dict[str | None, str] = {
            row.id: row.kind for row in behavior.rows
        }
        parent, children = behavior.outline.parent, behavior.outline.children
        for row in behavior.rows:
            around = (
                kinds.get(parent[row.id]),
                *(kinds[inner] for inner in children[row.id]),
            )
            fine = self._fine.rows.get(row.id)
            # Rows are frozen, and an edit leaves those alone that it does not
            # change: the very same one, among rows of the same kinds, is as it
            # was.
            if fine is not None and fine[0] is row and fine[1] == around:
                continue
            found = list(self._row(row))
            yield from found
            if not found and not self._depends_on_others(row):
                self._fine.rows[row.id] = row, around

    def _depends_on_others(self, row: Row) -> bool:
        """Whether what can be wrong with a row also depends on rows further
        away, or on other behaviors.
        """
        kind = self._checked.kind_of(row.id)
        return (
            row.kind == USE_BEHAVIOR
            or kind is None
            or any(each.type is ParamType.STATE for each in kind.params)
        )

    def _row(self, row: Row) -> Iterator[Problem]:
        kind = self._checked.kind_of(row.id)
        # Of a row of an unknown kind only that is told: what it may hold is
        # unknown too.
        if kind is not None:
            yield from structure_problems(self._checked, row, kind)
        yield from self._part(row, _Part(row.kind, row.args, ""), *ROWS)
        if row.guard:
            yield from self._condition(row, row.guard.when, GUARD)
        for index, wrapped in enumerate(row.decorators):
            label = part_name("decorator", index)
            yield from self._part(
                row, _Part(wrapped.kind, wrapped.args, label), Family.DECORATOR
            )
        for index, work in enumerate(row.upkeep):
            label = part_name("upkeep", index)
            yield from self._part(
                row,
                _Part(work.kind, work.args, label),
                Family.ACTION,
                Family.CONDITION,
            )
        if row.kind == USE_BEHAVIOR:
            yield from use_problems(self._checked, row, self._known)

    def _part(
        self, row: Row, part: _Part, *families: Family
    ) -> Iterator[Problem]:
        kind = self._checked.catalog.get(part.kind, *families)
        if kind is None:
            known = [
                each.id for each in self._checked.catalog.family(*families)
            ]
            wanted = "kind of node"
            if families == (Family.DECORATOR,):
                wanted = "decorator"
            yield self._checked.at(
                row,
                f"`{part.kind}` is no {wanted}.",
                did_you_mean(part.kind, known),
            )
            return
        if kind.takes_time and part.label.startswith("upkeep"):
            yield self._checked.at(
                row,
                f"`{kind.id}` takes time and cannot be upkeep.",
                "Use one that is done at once.",
            )
        for name in part.args:
            if kind.param(name) is None:
                known = [param.name for param in kind.params]
                yield self._checked.at(
                    row,
                    f"`{kind.id}` has no `{name}`.",
                    did_you_mean(name, known),
                )
        for param in kind.params:
            yield from self._value(row, kind, param, part.args.get(param.name))

    def _value(
        self, row: Row, kind: Kind, param: Param, value: ParamValue | None
    ) -> Iterator[Problem]:
        if value is None:
            if param.required:
                yield self._checked.at(
                    row,
                    f"`{param.label}` of `{kind.title}` is not filled in.",
                    f"It is {param.help}.",
                )
        elif isinstance(value, KeyRef):
            yield from self._key(row, param, value.key)
        elif not param.takes(value):
            yield self._checked.at(
                row,
                f"`{param.label}` cannot be {value!r}.",
                self._checked.key_meant(value, *param.keys)
                or f"It is {param.help}. Write {param.written}.",
            )
        elif param.type is ParamType.CONDITION:
            yield from self._condition(row, str(value), param.label)
        elif param.type is ParamType.FORMULA:
            yield from self._condition(
                row, str(value), param.label, wants=KeyType.NUMBER
            )
        else:
            yield from self._literal(row, param, value)

    def _key(self, row: Row, param: Param, name: str) -> Iterator[Problem]:
        key = self._checked.keys.get(name)
        if key is None:
            message = f"`{name}` is no key of blackboard '{self._checked.behavior.blackboard}'."
            yield self._checked.at(
                row,
                message,
                did_you_mean(name, list(self._checked.keys), DECLARE_KEY),
            )
        elif key.type not in param.keys:
            wanted = " or ".join(param.keys) or "value, not a key"
            yield self._checked.at(
                row,
                f"`{param.label}` wants {a_or_an(wanted)}, and `{name}` holds {a_or_an(key.type)}.",
                "Pick another.",
            )
        elif param.writes and key.formula:
            yield self._checked.at(
                row,
                f"writes `{name}`, which follows a formula.",
                "Pick another key.",
            )

    def _literal(
        self, row: Row, param: Param, value: ParamValue
    ) -> Iterator[Problem]:
        if param.type in (ParamType.NUMBER, ParamType.SPREAD):
            yield from self._range(row, param, value)
            return
        if param.type is ParamType.STATE:
            known: tuple[str, ...] = tuple(self._checked.states_around(row))
        elif param.type is ParamType.CHOICE:
            known = param.choices
        else:
            if isinstance(value, PlaceRef):
                wanted = ParamType.PLACE
            else:
                wanted = named_by(param.type)
            known = self._known.get(
                wanted,
                (),
            )
        name = value.place if isinstance(value, PlaceRef) else value
        free = not known and param.type not in (
            ParamType.STATE,
            ParamType.EVENT,
            ParamType.BEHAVIOR,
        )
        listens = (
            row.kind == ON_EVENT
            and isinstance(name, str)
            and self._takes(row, name)
        )
        if (
            isinstance(name, str)
            and name
            and name not in known
            and not free
            and not listens
        ):
            yield self._checked.at(
                row,
                f"`{param.label}` cannot be '{name}'.",
                self._checked.key_meant(name, *param.keys)
                or did_you_mean(
                    name, sorted(known), _ADDED.get(param.type, "")
                ),
            )

    def _takes(self, row: Row, event: str) -> bool:
        """Whether a transition may wait for this: any event, any kind of a
        known one, or that a state of its machine is done.
        """
        kind_of = event.removesuffix(f".{ANY_EVENT}")
        if event == ANY_EVENT or kind_of in self._known.get(
            ParamType.EVENT, ()
        ):
            return True
        done = {
            f"{STATE_DONE}.{each}" for each in self._checked.states_around(row)
        }
        return kind_of in ("done", STATE_DONE, *done)

    def _range(
        self, row: Row, param: Param, value: ParamValue
    ) -> Iterator[Problem]:
        number = value.mean if isinstance(value, Spread) else value
        if not isinstance(number, int | float):
            return
        low, high = param.quantity.low, param.quantity.high
        if (low is not None and number < low) or (
            high is not None and number > high
        ):
            if high is None:
                bounds = f"from {low:g}"
            else:
                bounds = f"from {low:g} to {high:g}"
            yield self._checked.at(
                row,
                f"`{param.label}` is {number:g}, and may be {bounds}.",
                "Change it.",
            )

    def _condition(
        self, row: Row, when: str, place: str, wants: KeyType = KeyType.YES_NO
    ) -> Iterator[Problem]:
        checked = self._checked
        for fault in faults(
            when,
            checked.keys,
            checked.catalog,
            checked.behavior.blackboard,
            wants=wants,
        ):
            if fault.message.endswith("."):
                message = fault.message
            else:
                message = f"{fault.message}."
            yield self._checked.at(
                row,
                f"{place} `{when}`, at character {fault.span[0] + 1}: {message}",
                fault.remedy,
            )
