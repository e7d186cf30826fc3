"""Every change an author can make to a project, as functions from a project to
a project.

Undo is keeping the earlier project, so nothing here changes anything in place.
A function that is asked for something impossible (un-nest a top row, move the
first row up) gives the project back as it was.
"""

import secrets
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import TypeVar

from umbrant.model.behaviors import (
    BINDS,
    Behavior,
    Decorator,
    Guard,
    Key,
    Row,
    Upkeep,
    UpkeepMoment,
    Watch,
)
from umbrant.model.documents import Project
from umbrant.model.expanded import BEHAVIOR, resolve_variant
from umbrant.model.parts import GUARD, Slot, part_index
from umbrant.model.staging import Scenario
from umbrant.model.values import ParamValue, with_changed
from umbrant.model.variants import (
    in_outline_order,
    override_of,
    overrides_between,
    without_override,
)

Wrapped = TypeVar("Wrapped", Decorator, Upkeep)
Part = TypeVar("Part")
Args = dict[str, ParamValue]
_ID_LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"


@dataclass(frozen=True)
class Edit:
    """A named change. Edits that follow each other with the same `merges`
    become one step of undo.
    """

    name: str
    apply: Callable[[Project], Project]
    merges: str = ""


def fresh_id(behavior: Behavior) -> str:
    """An id no row of this behavior has. Drawn at random, so that two authors'
    new rows seldom meet in a merge.
    """
    while True:
        drawn = "".join(secrets.choice(_ID_LETTERS) for _ in range(4))
        if drawn not in behavior.by_id:
            return drawn


def home(project: Project, behavior: str, row_id: str) -> tuple[str, str]:
    """The behavior that a row is written in, and its id there: `go` of the
    behavior that the row `use1` of this one uses, for `use1/go`.
    """
    first, _, rest = row_id.partition("/")
    if not rest:
        return behavior, row_id
    used = resolve_variant(project, behavior).row(first).args.get(BEHAVIOR)
    return home(project, str(used), rest)


def row_of(project: Project, behavior: str, row_id: str) -> Row:
    """A row of a behavior, of a variant as it comes out there, or of a
    behavior that it uses. Raises KeyError.
    """
    name, own_id = home(project, behavior, row_id)
    return resolve_variant(project, name).row(own_id)


def replace_behavior(
    project: Project, name: str, rows: Iterable[Row]
) -> Project:
    """The project with other rows in a behavior. For a variant the rows are
    turned into overrides.
    """
    changed = []
    for each in project.behaviors:
        if each.name == name:
            wanted = in_outline_order(each.with_rows(rows))
            if each.variant_of is not None:
                original = resolve_variant(project, each.variant_of)
                wanted = each.model_copy(
                    update={"overrides": overrides_between(original, wanted)}
                )
            changed.append(wanted)
        else:
            changed.append(each)
    return project.model_copy(update={"behaviors": tuple(changed)})


def change_row(
    project: Project, behavior: str, row_id: str, change: Callable[[Row], Row]
) -> Project:
    """The project with one row changed."""
    name, own_id = home(project, behavior, row_id)
    rows = resolve_variant(project, name).rows
    return replace_behavior(
        project,
        name,
        [change(row) if row.id == own_id else row for row in rows],
    )


def rename_row(
    project: Project, behavior: str, row_id: str, name: str
) -> Project:
    """Give a row another name."""
    return change_row(
        project,
        behavior,
        row_id,
        lambda row: row.model_copy(update={"name": name.strip()}),
    )


def set_note(
    project: Project, behavior: str, row_id: str, note: str
) -> Project:
    """Say something about a row that is only for its readers."""
    return change_row(
        project,
        behavior,
        row_id,
        lambda row: row.model_copy(update={"note": note.strip()}),
    )


def set_kind(
    project: Project,
    behavior: str,
    row_id: str,
    kind: str,
    keep: Iterable[str],
) -> Project:
    """Make a row into one of another kind. Of its values it keeps those of the
    parameters that are named.
    """
    kept = set(keep)

    def change(row: Row) -> Row:
        args = {
            name: value for name, value in row.args.items() if name in kept
        }
        return row.model_copy(update={"kind": kind, "args": args})

    return change_row(project, behavior, row_id, change)


def set_muted(
    project: Project, behavior: str, row_ids: Iterable[str], muted: bool
) -> Project:
    """Mute rows (the engine passes over them) or let them take part again."""
    for row_id in row_ids:
        project = change_row(
            project,
            behavior,
            row_id,
            lambda row: row.model_copy(update={"muted": muted}),
        )
    return project


def set_value(
    project: Project, behavior: str, slot: Slot, value: ParamValue | None
) -> Project:
    """Put a value into a chip; None takes the value out, so that the default
    holds again.
    """
    family, index = part_index(slot.part)

    def change(row: Row) -> Row:
        if family == "decorator":
            return row.model_copy(
                update={
                    "decorators": _with_value(
                        row.decorators, index, slot.param, value
                    )
                }
            )
        if family == "upkeep":
            return row.model_copy(
                update={
                    "upkeep": _with_value(row.upkeep, index, slot.param, value)
                }
            )
        if family == BINDS:
            return row.model_copy(
                update={"binds": _changed(row.binds, slot.param, value)}
            )
        return row.model_copy(
            update={"args": _changed(row.args, slot.param, value)}
        )

    return change_row(project, behavior, slot.row_id, change)


def set_moment(
    project: Project, behavior: str, slot: Slot, when: float | UpkeepMoment
) -> Project:
    """Change when an upkeep is done: how often, in seconds, or at which
    moment.
    """
    _, index = part_index(slot.part)
    changed: dict[str, object] = (
        {"at": when}
        if isinstance(when, UpkeepMoment)
        else {"at": UpkeepMoment.EVERY, "every_s": max(0.05, when)}
    )

    def change(row: Row) -> Row:
        upkeep = list(row.upkeep)
        upkeep[index] = upkeep[index].model_copy(update=changed)
        return row.model_copy(update={"upkeep": tuple(upkeep)})

    return change_row(project, behavior, slot.row_id, change)


def set_guard(
    project: Project,
    behavior: str,
    row_id: str,
    when: str,
    watch: Watch | None = None,
) -> Project:
    """Give a row a guard, or change it; an empty condition takes it away. The
    watch stays unless one is given.
    """

    def change(row: Row) -> Row:
        if not when.strip():
            return row.model_copy(update={"guard": None})
        kept = watch or (row.guard.watch if row.guard else Watch.ON_ENTRY)
        return row.model_copy(
            update={"guard": Guard(when=when.strip(), watch=kept)}
        )

    return change_row(project, behavior, row_id, change)


def add_decorator(
    project: Project,
    behavior: str,
    row_id: str,
    kind: str,
    args: Args | None = None,
) -> Project:
    """Wrap a row in one more decorator, inside those it has."""
    return change_row(
        project,
        behavior,
        row_id,
        lambda row: row.model_copy(
            update={
                "decorators": (
                    *row.decorators,
                    Decorator(kind=kind, args=args or {}),
                )
            }
        ),
    )


def add_upkeep(
    project: Project,
    behavior: str,
    row_id: str,
    kind: str,
    args: Args | None = None,
    at: UpkeepMoment = UpkeepMoment.EVERY,
) -> Project:
    """Give a row one more upkeep."""
    return change_row(
        project,
        behavior,
        row_id,
        lambda row: row.model_copy(
            update={
                "upkeep": (
                    *row.upkeep,
                    Upkeep(kind=kind, at=at, args=args or {}),
                )
            }
        ),
    )


def remove_part(
    project: Project, behavior: str, row_id: str, part: str
) -> Project:
    """Take a guard, a decorator or an upkeep off a row."""
    family, index = part_index(part)

    def change(row: Row) -> Row:
        if family == "decorator":
            return row.model_copy(
                update={"decorators": _without(row.decorators, index)}
            )
        if family == "upkeep":
            return row.model_copy(
                update={"upkeep": _without(row.upkeep, index)}
            )
        if part == GUARD:
            return row.model_copy(update={"guard": None})
        return row

    return change_row(project, behavior, row_id, change)


def insert_row(
    project: Project,
    behavior: str,
    row: Row,
    *,
    after: str | None,
    under: str | None,
) -> Project:
    """Add a row under `under`: behind its sibling `after`, or as the first
    where `after` is None.

    A row that is inside a used behavior is added there, where its sibling or
    the row around it is written.
    """
    if after is not None:
        behavior, after = home(project, behavior, after)
        under = resolve_variant(project, behavior).row(after).under
    elif under is not None:
        behavior, under = home(project, behavior, under)
    document = resolve_variant(project, behavior)
    rows = list(document.rows)
    new = row.model_copy(update={"under": under})
    if after is not None:
        index = rows.index(_last_within(document, after)) + 1
    elif under is not None:
        index = rows.index(document.row(under)) + 1
    else:
        index = 0
    return replace_behavior(
        project, behavior, [*rows[:index], new, *rows[index:]]
    )


def delete_rows(
    project: Project, behavior: str, row_ids: Iterable[str]
) -> Project:
    """Remove rows and all that is nested in them."""
    row_ids = list(row_ids)
    # A row of a used behavior is deleted where it is written.
    for inside in [row_id for row_id in row_ids if "/" in row_id]:
        name, own_id = home(project, behavior, inside)
        project = delete_rows(project, name, [own_id])
    document = resolve_variant(project, behavior)
    gone = {
        inner
        for row_id in row_ids
        if row_id in document.by_id
        for inner in document.outline.within(row_id)
    }
    return replace_behavior(
        project, behavior, [row for row in document.rows if row.id not in gone]
    )


def nest_row(project: Project, behavior: str, row_id: str) -> Project:
    """Put a row into the sibling before it, as that one's last child."""
    behavior, row_id = home(project, behavior, row_id)
    siblings = resolve_variant(project, behavior).outline.siblings(row_id)
    index = siblings.index(row_id)
    if index == 0:
        return project
    above = siblings[index - 1]
    return change_row(
        project,
        behavior,
        row_id,
        lambda row: row.model_copy(update={"under": above}),
    )


def unnest_row(project: Project, behavior: str, row_id: str) -> Project:
    """Take a row out of the row it is in and put it behind that one."""
    behavior, row_id = home(project, behavior, row_id)
    document = resolve_variant(project, behavior)
    above = document.outline.parent[row_id]
    if above is None or document.outline.parent[above] is None:
        return project
    return _moved(
        project,
        behavior,
        row_id,
        after=above,
        under=document.outline.parent[above],
    )


def move_row(
    project: Project, behavior: str, row_id: str, step: int
) -> Project:
    """Move a row among its siblings: -1 up, 1 down."""
    behavior, row_id = home(project, behavior, row_id)
    document = resolve_variant(project, behavior)
    siblings = document.outline.siblings(row_id)
    index = siblings.index(row_id) + step
    if not 0 <= index < len(siblings):
        return project
    others = [each for each in siblings if each != row_id]
    after = None
    if index:
        after = others[index - 1]
    return _moved(
        project,
        behavior,
        row_id,
        after=after,
        under=document.outline.parent[row_id],
    )


def place_rows(
    project: Project,
    behavior: str,
    row_ids: Iterable[str],
    *,
    after: str | None,
    under: str,
) -> Project:
    """Move rows, with all that is nested in them, behind `after`, or first in
    `under`, in the order they are given.
    """
    behavior, under = home(project, behavior, under)
    last = None
    if after is not None:
        last = after.rpartition("/")[2]
    for row_id in row_ids:
        own_id = row_id.rpartition("/")[2]
        if own_id != last:
            project = _moved(
                project, behavior, own_id, after=last, under=under
            )
        last = own_id
    return project


def follow_original(
    project: Project, behavior: str, row_id: str, slot: Slot | None = None
) -> Project:
    """Have a variant's row, or one slot of it, be again as it is in the
    behavior that the variant is made from.
    """
    behavior, own_id = home(project, behavior, row_id)
    variant = project.behavior(behavior)
    override = override_of(variant, own_id)
    if override is None:
        return project
    left = None
    if slot is not None:
        left = without_override(override, slot.part, slot.param)
    kept = (left if each is override else each for each in variant.overrides)
    followed = variant.model_copy(
        update={"overrides": tuple(each for each in kept if each is not None)}
    )
    return project.model_copy(
        update={"behaviors": with_changed(project.behaviors, followed)}
    )


def declare_key(project: Project, board: str, key: Key) -> Project:
    """Add a key to a blackboard, or put it in the place of the key with its
    name.
    """
    boards = []
    for each in project.blackboards:
        if each.name == board:
            kept = []
            for old in each.keys:
                if old.name == key.name:
                    kept.append(key)
                else:
                    kept.append(old)
            if key.name not in each.by_name:
                kept.append(key)
            keys = tuple(kept)
            each = each.model_copy(update={"keys": keys})
        boards.append(each)
    return project.model_copy(update={"blackboards": tuple(boards)})


def set_seed(project: Project, scenario: str, seed: int) -> Project:
    """Give a scenario another seed."""
    return _change_scenario(
        project, scenario, lambda each: each.model_copy(update={"seed": seed})
    )


def _change_scenario(
    project: Project, name: str, change: Callable[[Scenario], Scenario]
) -> Project:
    found = project.find_scenario(name)
    if found is not None:
        return project.with_scenario(change(found))
    return project


def _moved(
    project: Project,
    behavior: str,
    row_id: str,
    *,
    after: str | None,
    under: str | None,
) -> Project:
    """Take a row with all that is nested in it out, and put it in again
    somewhere else.
    """
    document = resolve_variant(project, behavior)
    inside = set(document.outline.within(row_id))
    block = [row for row in document.rows if row.id in inside]
    block[0] = block[0].model_copy(update={"under": under})
    rest = [row for row in document.rows if row.id not in inside]
    bare = document.with_rows(rest)
    if after is not None:
        index = rest.index(_last_within(bare, after)) + 1
    elif under is None:
        index = 0
    else:
        index = rest.index(bare.row(under)) + 1
    return replace_behavior(
        project, behavior, [*rest[:index], *block, *rest[index:]]
    )


def _last_within(behavior: Behavior, row_id: str) -> Row:
    """The last row, as the file stands, of those nested in a row."""
    inside = set(behavior.outline.within(row_id))
    return [row for row in behavior.rows if row.id in inside][-1]


def _changed(
    args: dict[str, ParamValue], name: str, value: ParamValue | None
) -> dict[str, ParamValue]:
    kept = {key: old for key, old in args.items() if key != name}
    if value is None:
        return kept
    if name in args:
        return {**args, name: value}
    return {**kept, name: value}


def _with_value(
    parts: tuple[Wrapped, ...], index: int, name: str, value: ParamValue | None
) -> tuple[Wrapped, ...]:
    changed = list(parts)
    changed[index] = changed[index].model_copy(
        update={"args": _changed(changed[index].args, name, value)}
    )
    return tuple(changed)


def _without(parts: tuple[Part, ...], index: int) -> tuple[Part, ...]:
    return parts[:index] + parts[index + 1 :]
