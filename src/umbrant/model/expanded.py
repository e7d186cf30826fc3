"""A behavior as it runs: variants resolved, and each behavior that it uses put
in where it is used.

Rows that come from a used behavior have ids such as `use1/go`: the id of the
row that uses it, and their own.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from umbrant.model.behaviors import (
    REPLACED,
    Behavior,
    Key,
    Override,
    Row,
    Sharing,
)
from umbrant.model.documents import Project
from umbrant.model.kind_ids import USE_BEHAVIOR
from umbrant.model.values import KeyRef, Value

BEHAVIOR = "behavior"
"""The parameter of a row of the kind USE_BEHAVIOR that names the behavior."""
DEEPEST_USE = 16
"""How many behaviors may be used inside each other."""
MOST_ROWS = 20_000
"""How many rows a behavior may have with all that it uses. Seven levels with
three uses each are some thousands.
"""


@dataclass(frozen=True)
class KeyScope:
    """The keys that the rows of one behavior see, by the names used in it, and
    the names of the same keys on the agent's board.

    `path` is the id of the row that uses the behavior; empty for the agent's
    own.
    """

    path: str
    behavior: str
    keys: Mapping[str, Key]
    actual: Mapping[str, str]


@dataclass
class ExpandedBehavior:
    """A behavior as it runs: its variants resolved, and the rows of the
    behaviors it uses put in.

    `keys` are all keys of the agent's board; `given` are the values that some
    of them start with.
    """

    behavior: Behavior
    keys: dict[str, Key]
    key_scopes: dict[str, KeyScope]
    """The key scope of each row, by the row's id."""
    root_scope: KeyScope
    given: dict[str, Value] = field(default_factory=dict)

    def key_scope(self, row_id: str) -> KeyScope:
        """The key scope of a row; the root scope for an unknown row."""
        return self.key_scopes.get(row_id, self.root_scope)


def expand_behavior(project: Project, name: str) -> ExpandedBehavior:
    """The behavior with this name, expanded. Raises KeyError if there is none.

    A used behavior that is missing, or that uses itself, is left out;
    validation reports it.
    """
    behavior = resolve_variant(project, name)
    keys = project.keys_of(behavior)
    own = KeyScope("", name, keys, {key: key for key in keys})
    expanded = ExpandedBehavior(behavior, dict(keys), {}, own)
    rows = tuple(_rows(project, behavior, own, expanded, (name,)))
    if len(rows) != len(behavior.rows):
        expanded.behavior = behavior.with_rows(rows)
    return expanded


def written_under(behavior: Behavior, row_id: str) -> str | None:
    """The row around a row in the behavior that it is written in; None for an
    outermost one, a used behavior's too.
    """
    around = behavior.outline.parent[row_id]
    if (
        around is not None
        and around.rpartition("/")[0] == row_id.rpartition("/")[0]
    ):
        return around
    return None


def resolve_variant(project: Project, name: str) -> Behavior:
    """The behavior with this name; for a variant, its original's rows with the
    overrides applied. Raises KeyError.
    """
    behavior = project.behavior(name)
    chain = [behavior]
    while chain[-1].variant_of is not None:
        original = project.find_behavior(chain[-1].variant_of)
        # Nothing of it can be known, and validation says why: a missing
        # original, or variants in a circle.
        if original is None or original in chain:
            return behavior.with_rows(())
        chain.append(original)
    rows = chain[-1].rows
    # From the original on, so that a variant of a variant overrides what the
    # first one made.
    for variant in reversed(chain[:-1]):
        for override in variant.overrides:
            rows = _overridden(rows, override)
    if behavior.variant_of is None:
        return behavior
    return behavior.with_rows(rows)


def used_behaviors(behavior: Behavior) -> Iterator[tuple[Row, str]]:
    """The rows that use another behavior, with its name."""
    for row in behavior.rows:
        name = row.args.get(BEHAVIOR)
        if row.kind == USE_BEHAVIOR and isinstance(name, str):
            yield row, name


def expanded_size(project: Project, name: str) -> int:
    """The number of rows of a behavior with all that it uses, without
    expanding it. Raises KeyError.

    A behavior that uses itself is counted once; validation reports it.
    """
    known = {each.name for each in project.behaviors}
    sizes: dict[tuple[str, int], int] = {}

    def size(each: str, above: tuple[str, ...]) -> int:
        # By depth, not by what is above it: the same behavior at the same
        # depth has the same size but for circles, and those are reported.
        place = each, len(above)
        if place not in sizes:
            behavior = resolve_variant(project, each)
            inner = [
                used
                for _, used in used_behaviors(behavior)
                if used in known and used not in above
            ]
            is_deepest = len(above) >= DEEPEST_USE
            sizes[place] = len(behavior.rows) + sum(
                size(used, (*above, used)) for used in inner if not is_deepest
            )
        return sizes[place]

    return size(name, (name,))


def _rows(
    project: Project,
    behavior: Behavior,
    key_scope: KeyScope,
    expanded: ExpandedBehavior,
    above: tuple[str, ...],
) -> Iterator[Row]:
    """The rows of a behavior with their ids in the expanded one, each use
    followed by the rows of the used behavior.
    """
    before = ""
    if key_scope.path:
        before = f"{key_scope.path}/"
    for row in behavior.rows:
        row_id = before + row.id
        # The outermost rows of a used behavior stand under the row that uses
        # it.
        if row.under is None:
            under = key_scope.path or None
        else:
            under = before + row.under
        expanded.key_scopes[row_id] = key_scope
        if before:
            own = row.model_copy(update={"id": row_id, "under": under})
        else:
            own = row
        yield own
        name = row.args.get(BEHAVIOR)
        if (
            row.kind == USE_BEHAVIOR
            and isinstance(name, str)
            and _can_be_put_in(project, name, above)
        ):
            inner = resolve_variant(project, name)
            if len(expanded.key_scopes) + len(inner.rows) > MOST_ROWS:
                continue  # validation tells of it
            inner_scope = _inner_key_scope(
                project, inner, key_scope, row, row_id, expanded
            )
            yield from _rows(
                project, inner, inner_scope, expanded, (*above, name)
            )


def _can_be_put_in(
    project: Project, name: str, above: tuple[str, ...]
) -> bool:
    return (
        name not in above
        and len(above) < DEEPEST_USE
        and any(each.name == name for each in project.behaviors)
    )


def _inner_key_scope(
    project: Project,
    inner: Behavior,
    outer: KeyScope,
    row: Row,
    path: str,
    expanded: ExpandedBehavior,
) -> KeyScope:
    """The key scope of a used behavior: each key is bound to one outside, is
    the same as one outside, or is a key of its own.
    """
    keys, actual = project.keys_of(inner), {}
    for name, key in keys.items():
        bound = row.binds.get(name)
        if isinstance(bound, KeyRef):
            actual[name] = outer.actual.get(bound.key, bound.key)
        # The same key of the same blackboard needs no binding, and one that is
        # shared is one for all who know it.
        elif bound is None and (
            outer.keys.get(name) is key or key.scope is not Sharing.OWN
        ):
            actual[name] = outer.actual.get(name, name)
            expanded.keys.setdefault(actual[name], key)
        else:
            # A key of its own for each use: two uses in one behavior do not
            # share what they remember.
            actual[name] = f"{path}/{name}"
            expanded.keys[actual[name]] = key.model_copy(
                update={"name": actual[name]}
            )
            if isinstance(bound, bool | int | float | str | tuple):
                expanded.given[actual[name]] = bound
    return KeyScope(path, inner.name, keys, actual)


def _overridden(rows: tuple[Row, ...], override: Override) -> tuple[Row, ...]:
    """The rows with one override done. An override of a row that is not there
    changes nothing.
    """
    row = next((each for each in rows if each.id == override.row), None)
    if row is None:
        return rows
    if override.instead:
        return tuple(_replaced(rows, row, override.instead))
    changes: dict[str, object] = {
        "args": {**row.args, **override.args},
        "binds": {**row.binds, **override.binds},
    }
    for name in REPLACED:
        value = getattr(override, name)
        if value is not None:
            changes[name] = value
    return tuple(
        each.model_copy(update=changes) if each is row else each
        for each in rows
    )


def _replaced(
    rows: tuple[Row, ...], row: Row, instead: tuple[Row, ...]
) -> Iterator[Row]:
    """The rows with a branch replaced. A row of the new branch that the
    original now has elsewhere stays there.
    """
    gone = {row.id}
    for each in rows:
        if each.under in gone:
            gone.add(each.id)
    elsewhere = {each.id for each in rows} - gone
    if instead[0].id in elsewhere:
        yield from rows
        return
    for each in rows:
        if each is row:
            yield instead[0].model_copy(update={"under": row.under})
            yield from _without(instead[1:], elsewhere)
        elif each.id not in gone:
            yield each


def _without(rows: tuple[Row, ...], left_out: set[str]) -> Iterator[Row]:
    """The rows but for some, and for all that is nested in these."""
    out = set(left_out)
    for each in rows:
        if each.id in out or each.under in out:
            out.add(each.id)
        else:
            yield each
