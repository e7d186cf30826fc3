"""What a variant does differently, worked out from the rows that it should
come to.
"""

from collections.abc import Iterator

from umbrant.model.behaviors import BINDS, REPLACED, Behavior, Override, Row

_FIELDS = {"guard": "guard", "decorator": "decorators", "upkeep": "upkeep"}
"""Where an override holds what stands in a part of a row."""


def in_outline_order(behavior: Behavior) -> Behavior:
    """The behavior with its rows in the order in which the outline is read."""
    order = list(behavior.outline.number)
    if order == [row.id for row in behavior.rows]:
        return behavior
    return behavior.with_rows(behavior.by_id[row_id] for row_id in order)


def overrides_between(
    original: Behavior, wanted: Behavior
) -> tuple[Override, ...]:
    """The overrides that make one behavior into another. Top rows may be
    changed but not added or removed.
    """
    return tuple(_between(original, wanted, original.outline.tops))


def override_of(variant: Behavior, row_id: str) -> Override | None:
    """What a variant does differently in a row: its own override, or the one
    that put the row in.
    """
    for each in variant.overrides:
        if each.row == row_id or any(row.id == row_id for row in each.instead):
            return each
    return None


def is_overridden(override: Override, part: str, param: str) -> bool:
    """Whether an override says what stands in one slot of its row. The name of
    a row is the parameter `name`.
    """
    if override.instead:
        return True
    if part == BINDS:
        return param in override.binds
    if part:
        return getattr(override, _FIELDS[part.partition(" ")[0]]) is not None
    return param in override.args or (
        param == "name" and override.name is not None
    )


def without_override(
    override: Override, part: str, param: str
) -> Override | None:
    """An override that says nothing of one slot any more; None if it then says
    nothing at all.
    """
    changed: dict[str, object] = {}
    if part == BINDS:
        changed[BINDS] = {
            name: value
            for name, value in override.binds.items()
            if name != param
        }
    elif part:
        changed[_FIELDS[part.partition(" ")[0]]] = None
    elif param == "name" and param not in override.args:
        changed["name"] = None
    else:
        changed["args"] = {
            name: value
            for name, value in override.args.items()
            if name != param
        }
    left = override.model_copy(update=changed)
    if override.instead or left == Override(row=override.row):
        return None
    return left


def _between(
    original: Behavior, wanted: Behavior, row_ids: tuple[str, ...]
) -> Iterator[Override]:
    for row_id in row_ids:
        if row_id not in wanted.by_id:
            yield Override(row=row_id, muted=True)
            continue
        before, after = original.row(row_id), wanted.row(row_id)
        inside = original.outline.children[row_id]
        same = (
            inside == wanted.outline.children[row_id]
            and before.kind == after.kind
        )
        # An override says what is otherwise and what is more. It cannot take
        # anything away, so a row that has lost something is written out anew,
        # with all that is in it.
        unguarded = before.guard is not None and after.guard is None
        kept = set(after.args) >= set(before.args) and set(after.binds) >= set(
            before.binds
        )
        if same and not unguarded and kept:
            if before != after:
                yield _changed(before, after)
            yield from _between(original, wanted, inside)
        else:
            yield Override(
                row=row_id,
                instead=tuple(
                    wanted.row(inner)
                    for inner in wanted.outline.within(row_id)
                ),
            )


def _changed(before: Row, after: Row) -> Override:
    """The override that turns one row into another of the same kind."""
    args = {
        name: value
        for name, value in after.args.items()
        if before.args.get(name) != value
    }
    binds = {
        name: value
        for name, value in after.binds.items()
        if before.binds.get(name) != value
    }
    fields = {
        name: getattr(after, name)
        for name in REPLACED
        if getattr(after, name) != getattr(before, name)
    }
    return Override(row=before.id, args=args, binds=binds, **fields)
