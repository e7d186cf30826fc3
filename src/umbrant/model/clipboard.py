"""Rows as text, to be carried between behaviors, projects and other programs;
and what can be done with several rows.

The text is what a behavior's file has for these rows, so it can be read, kept
in a file or sent to somebody.
"""

import json
from collections.abc import Iterable, Mapping, Sequence

from pydantic import TypeAdapter, ValidationError

from umbrant.model.behaviors import Behavior, Row
from umbrant.model.documents import Project
from umbrant.model.edits import (
    delete_rows,
    fresh_id,
    home,
    insert_row,
    replace_behavior,
)
from umbrant.model.expanded import BEHAVIOR, resolve_variant
from umbrant.model.kind_ids import USE_BEHAVIOR
from umbrant.model.outline import Outline, OutlineError

FORMAT = "umbrant rows 1"
NAMING = ("to", "also", "initial", "otherwise")
"""The parameters that name another row by its id."""

_ROWS: TypeAdapter[list[Row]] = TypeAdapter(list[Row])


class NoRowsError(ValueError):
    """Raised for a text that holds no rows. The message says what is expected."""


def rows_text(project: Project, behavior: str, row_ids: Sequence[str]) -> str:
    """Rows of one behavior and all that is nested in them, as text."""
    rows = [
        row for row_id in row_ids for row in _branch(project, behavior, row_id)
    ]
    dumped = [
        row.model_dump(mode="json", by_alias=True, exclude_defaults=True)
        for row in rows
    ]
    return json.dumps(
        {"format": FORMAT, "rows": dumped}, indent=2, ensure_ascii=False
    )


def rows_from(text: str) -> list[Row]:
    """The rows in a text. Raises NoRowsError."""
    try:
        data = json.loads(text)
        rows = _ROWS.validate_python(data["rows"])
        # Text from anywhere: rows that lie in each other, or under rows that
        # are not there, are found here rather than as they are put in.
        Outline.of([(row.id, row.under) for row in rows])
    except (ValueError, KeyError, TypeError, ValidationError, OutlineError):
        raise NoRowsError(
            "What was copied is no text of rows; copy some rows first."
        ) from None
    if not rows:
        raise NoRowsError("There are no rows in what was copied.")
    return rows


def paste_rows(
    project: Project,
    behavior: str,
    rows: Iterable[Row],
    *,
    after: str | None,
    under: str | None,
) -> tuple[Project, list[str]]:
    """Put rows in behind `after`, or first under `under`, with ids of their
    own. Returns the ids of the outermost.
    """
    if after or under:
        target = home(project, behavior, after or under or "")[0]
    else:
        target = behavior
    rows = renewed(resolve_variant(project, target), rows)
    tops = [row.id for row in rows if row.under is None]
    placed: dict[str, str | None] = dict.fromkeys(row.id for row in rows)
    last = after
    for row in rows:
        if row.under is None:
            project = insert_row(
                project, behavior, row, after=last, under=under
            )
            # The next one goes behind this one, so that they keep their order.
            last = _sibling_id(after or under, row.id)
        else:
            siblings = [
                each for each, around in placed.items() if around == row.under
            ]
            path = after or under
            behind = None
            if siblings:
                behind = _sibling_id(path, siblings[-1])
            project = insert_row(
                project,
                behavior,
                row,
                after=behind,
                under=_sibling_id(path, row.under),
            )
        placed[row.id] = row.under
    return project, [_sibling_id(after or under, each) for each in tops]


def renewed(behavior: Behavior, rows: Iterable[Row]) -> list[Row]:
    """Rows with ids that no row of a behavior has; where they name each other
    they go on doing so.
    """
    rows = list(rows)
    ids: dict[str, str] = {}
    for row in rows:
        ids[row.id] = fresh_id(behavior)
        # The new row takes part, so that the next one gets another id.
        behavior = behavior.with_rows(
            [
                *behavior.rows,
                row.model_copy(update={"id": ids[row.id], "under": None}),
            ]
        )
    return [_with_ids(row, ids) for row in rows]


def _with_ids(row: Row, ids: Mapping[str, str]) -> Row:
    """A row with other ids, where it names itself, the row it is under, or a
    state.
    """
    args = dict(row.args)
    for name, value in row.args.items():
        if name in NAMING and isinstance(value, str):
            args[name] = ids.get(value, value)
    under = None
    if row.under:
        under = ids.get(row.under)
    return row.model_copy(
        update={"id": ids[row.id], "under": under, "args": args}
    )


def wrap_rows(
    project: Project,
    behavior: str,
    row_ids: Sequence[str],
    kind: str,
    name: str,
) -> tuple[Project, str]:
    """Put rows that stand one after the other into a new row of a kind.
    Returns the id of that row.
    """
    target = home(project, behavior, row_ids[0])[0]
    own = [home(project, behavior, row_id)[1] for row_id in row_ids]
    document = resolve_variant(project, target)
    around = Row(
        id=fresh_id(document),
        under=document.row(own[0]).under,
        kind=kind,
        name=name,
    )
    rows: list[Row] = []
    for row in document.rows:
        if row.id == own[0]:
            rows.append(around)
        if row.id in own:
            pasted = row.model_copy(update={"under": around.id})
        else:
            pasted = row
        rows.append(pasted)
    return replace_behavior(project, target, rows), _sibling_id(
        row_ids[0], around.id
    )


def extract_rows(
    project: Project,
    behavior: str,
    row_ids: Sequence[str],
    name: str,
    title: str,
) -> tuple[Project, str]:
    """Put rows that stand one after the other into a behavior of their own,
    which is used in their place.

    Several rows become a sequence there. Returns the id of the row that uses
    it.
    """
    target = home(project, behavior, row_ids[0])[0]
    document = resolve_variant(project, target)
    rows = [
        row for row_id in row_ids for row in _branch(project, behavior, row_id)
    ]
    made = Behavior(name=name, title=title, blackboard=document.blackboard)
    if len(row_ids) > 1:
        top = Row(id=fresh_id(document), kind="sequence", name=title)
        inside = []
        for row in rows:
            if row.under is None:
                row = row.model_copy(update={"under": top.id})
            inside.append(row)
        rows = [top, *inside]
    behaviors = sorted(
        (*project.behaviors, made.with_rows(rows)), key=lambda each: each.name
    )
    project = project.model_copy(update={"behaviors": tuple(behaviors)})
    use = Row(
        id=fresh_id(document),
        kind=USE_BEHAVIOR,
        name=title,
        args={BEHAVIOR: name},
    )
    project = insert_row(
        project,
        behavior,
        use,
        after=row_ids[-1],
        under=document.row(home(project, behavior, row_ids[0])[1]).under,
    )
    return delete_rows(project, behavior, row_ids), _sibling_id(
        row_ids[0], use.id
    )


def _branch(project: Project, behavior: str, row_id: str) -> list[Row]:
    """A row and all that is nested in it; the row itself at the top."""
    name, own_id = home(project, behavior, row_id)
    document = resolve_variant(project, name)
    rows = [document.row(each) for each in document.outline.within(own_id)]
    return [rows[0].model_copy(update={"under": None}), *rows[1:]]


def _sibling_id(row_id: str | None, own_id: str) -> str:
    """The id under which a row runs that is written where another one is."""
    path = (row_id or "").rpartition("/")[0]
    if path:
        return f"{path}/{own_id}"
    return own_id
