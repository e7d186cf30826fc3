"""Where something of a project is used: wherever another name for it would
have to be written.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TypeVar

from umbrant.catalog.kind import Catalog
from umbrant.catalog.renaming.keys import rename_key
from umbrant.catalog.renaming.used import NamesDocument, rename_used
from umbrant.model.behaviors import Key
from umbrant.model.documents import Project
from umbrant.model.paths import Path, PathError, at

T = TypeVar("T")
STAND_IN = "another_name"
_NAMED = {
    "places": NamesDocument.PLACE,
    "props": NamesDocument.PROP,
    "areas": NamesDocument.AREA,
    "cast": NamesDocument.MEMBER,
    "events": NamesDocument.EVENT,
    "stats": NamesDocument.STAT,
}


@dataclass(frozen=True)
class Use:
    """A place at which something is used: a row of a behavior, or what a path
    leads to.
    """

    behavior: str = ""
    row_id: str = ""
    path: Path = ()


def uses_of(project: Project, catalog: Catalog, path: Path) -> list[Use]:
    """Where what a path leads to is used, behaviors first; none for what has
    no name of its own.
    """
    try:
        renamed = _renamed(project, catalog, path)
    except (PathError, LookupError):
        return []
    if renamed is None:
        return []
    return [use for use in _changed(project, renamed) if use.path != path]


def has_uses(path: Path) -> bool:
    """Whether a path leads to something that can be used by its name."""
    return (
        (len(path) == 2 and path[0] == "behaviors")
        or (
            len(path) == 4
            and path[2] in ("keys", "places", "props", "areas", "cast")
        )
        or (len(path) == 3 and path[1] == "events")
        or (len(path) == 6 and path[4] == "stats")
    )


def _renamed(project: Project, catalog: Catalog, path: Path) -> Project | None:
    """The project with another name wherever what a path leads to is used."""
    if not has_uses(path):
        return None
    new = STAND_IN
    if path[0] == "behaviors":
        return rename_used(
            project, catalog, NamesDocument.BEHAVIOR, str(path[1]), new
        )
    kind = path[-2]
    if kind == "stats":
        name = str(path[-1])
    else:
        name = at(project, path).name
    if kind == "keys":
        found = at(project, path)
        assert isinstance(found, Key)  # noqa: S101  (the path says so)
        return rename_key(project, catalog, str(path[1]), found.name, new)
    return rename_used(project, catalog, _NAMED[str(kind)], name, new)


def _changed(one: Project, other: Project) -> Iterator[Use]:
    """What is written otherwise in two projects that hold the same things."""
    for was, now in zip(one.behaviors, other.behaviors, strict=True):
        yield from (
            Use(was.name, row.id) for _, row in _apart(was.rows, now.rows)
        )
        yield from (
            Use(was.name, each.row)
            for _, each in _apart(was.overrides, now.overrides)
        )
    for board, changed in zip(one.blackboards, other.blackboards, strict=True):
        for index, _ in _apart(board.keys, changed.keys):
            yield Use(path=("blackboards", board.name, "keys", index))
    for scenario, renamed in zip(one.scenarios, other.scenarios, strict=True):
        for index, _ in _apart(scenario.cast, renamed.cast):
            yield Use(path=("scenarios", scenario.name, "cast", index))
        for index, _ in _apart(scenario.cues, renamed.cues):
            yield Use(path=("scenarios", scenario.name, "cues", index))


def _apart(before: Sequence[T], after: Sequence[T]) -> Iterator[tuple[int, T]]:
    """Those of a list that differ from their counterparts, with their places."""
    for index, (was, now) in enumerate(zip(before, after, strict=True)):
        if was != now:
            yield index, was
