"""Reaching and changing anything in a project by its path, without a function for each field.

A path names attributes, documents by their names, members of a list by their places, and entries of
a mapping by their
keys: `("scenarios", "dusk", "cast", 0, "body", "sight_m")`. What is put in is checked as it is when
a file is read.
"""

from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from umbrant.model.documents import Project
from umbrant.model.problems import in_words
from umbrant.model.values import Document

Path = tuple[str | int, ...]


class PathError(ValueError):
    """A value that is not allowed at its path. The message says what is."""


def at(container: Any, path: Path) -> Any:
    """What stands at a path. Raises KeyError or IndexError where there is
    nothing.
    """
    for step in path:
        container = _inside(container, step)
    return container


def put(project: Project, path: Path, value: Any) -> Project:
    """The project with another value at a path. Raises PathError where it
    cannot stand there.
    """
    changed: Project = _with(project, path, value)
    return changed


def add(
    project: Project, path: Path, item: Any, index: int | None = None
) -> Project:
    """Put an item into the list at a path, at a place or at its end. Raises
    PathError.
    """
    items = at(project, path)
    index = len(items) if index is None else index
    return put(project, path, (*items[:index], item, *items[index:]))


def remove(project: Project, path: Path) -> Project:
    """The project without the item at a path of a list or mapping. Raises
    PathError.
    """
    items, step = at(project, path[:-1]), path[-1]
    if isinstance(items, Mapping):
        return put(
            project,
            path[:-1],
            {key: value for key, value in items.items() if key != step},
        )
    index = _index(items, step)
    return put(project, path[:-1], (*items[:index], *items[index + 1 :]))


def move(project: Project, path: Path, step: int) -> Project:
    """Move what stands at a path among its neighbours; the project as it is
    where there is no room.
    """
    items = list(at(project, path[:-1]))
    index = _index(items, path[-1])
    if not 0 <= index + step < len(items):
        return project
    items.insert(index + step, items.pop(index))
    return put(project, path[:-1], tuple(items))


def _inside(container: Any, step: str | int) -> Any:
    if isinstance(container, Document):
        return getattr(container, str(step))
    if isinstance(container, Mapping):
        return container[step]
    return container[_index(container, step)]


def _index(items: Any, step: str | int) -> int:
    """The place of a step in a list: itself, or that of the document of this
    name. Raises KeyError.
    """
    if isinstance(step, int):
        return step
    for index, each in enumerate(items):
        if each.name == step:
            return index
    raise KeyError(step)


def _with(container: Any, path: Path, value: Any) -> Any:
    if not path:
        return value
    step, rest = path[0], path[1:]
    if isinstance(container, Document):
        return _checked(
            container,
            str(step),
            _with(getattr(container, str(step)), rest, value),
        )
    if isinstance(container, Mapping):
        inside = None
        if rest:
            inside = container[step]
        return {
            **container,
            step: _with(inside, rest, value),
        }
    index = _index(container, step)
    return (
        *container[:index],
        _with(container[index], rest, value),
        *container[index + 1 :],
    )


def _checked(document: Document, name: str, value: Any) -> Document:
    """The document with another value in one of its fields, checked as a
    file's would be.
    """
    fields = {
        each: getattr(document, each) for each in type(document).model_fields
    }
    try:
        return type(document)(**{**fields, name: value})
    except ValidationError as error:
        raise PathError(f"{name}: {in_words(error.errors()[0])}") from None
