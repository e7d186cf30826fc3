"""What can be wrong with a blackboard."""

from collections.abc import Iterator, Mapping

from umbrant.catalog.kind import Catalog
from umbrant.catalog.language.check import faults
from umbrant.catalog.language.tree import KeyTerm, LanguageError, parse, walk
from umbrant.model.behaviors import Blackboard, Key, Sharing
from umbrant.model.documents import Project
from umbrant.model.printable import a_or_an
from umbrant.model.problems import Problem, did_you_mean
from umbrant.model.values import KeyType

_HOLDS: Mapping[KeyType, type | tuple[type, ...]] = {
    KeyType.YES_NO: bool,
    KeyType.NUMBER: (float, int),
    KeyType.TEXT: str,
    KeyType.POINT: tuple,
    KeyType.AGENT: str,
    KeyType.PROP: str,
}


def value_fits(key: Key, value: object) -> bool:
    """Whether a key can hold a value, by its type and its range."""
    wanted = _HOLDS[key.type]
    if not isinstance(value, wanted) or (
        isinstance(value, bool) and key.type is not KeyType.YES_NO
    ):
        return False
    if not isinstance(value, int | float):
        return True
    return (key.low is None or value >= key.low) and (
        key.high is None or value <= key.high
    )


def board_problems(
    project: Project, board: Blackboard, catalog: Catalog
) -> Iterator[Problem]:
    """Every problem of one blackboard."""
    file = f"blackboards/{board.name}.json"
    yield from _extending(project, board, file)
    seen: set[str] = set()
    for key in board.keys:
        if key.name in seen:
            yield Problem(
                file,
                "",
                f"the key `{key.name}` is declared twice.",
                "Remove or rename one of them.",
            )
        seen.add(key.name)
        if key.default is not None and not value_fits(key, key.default):
            message = (
                f"the default of `{key.name}` is no {key.type} in its range."
            )
            yield Problem(file, "", message, "Change or remove it.")
        yield from _world_twins(project, board, key, file)
        if key.formula:
            yield from _formula(project, board, key, file, catalog)


def _extending(
    project: Project, board: Blackboard, file: str
) -> Iterator[Problem]:
    boards = {each.name: each for each in project.blackboards}
    seen, name = [board.name], board.extends
    while name is not None:
        if name not in boards:
            yield Problem(
                file,
                "",
                f"`extends`: there is no blackboard '{name}'.",
                did_you_mean(name, list(boards), "Add a blackboard."),
            )
            return
        if name in seen:
            yield Problem(
                file,
                "",
                f"it extends itself, through {' and '.join(seen)}.",
                "Change one `extends`.",
            )
            return
        for key in board.keys if name == board.extends else ():
            if key.name in boards[name].by_name:
                message = (
                    f"the key `{key.name}` is declared here and in '{name}', "
                    "which it extends."
                )
                yield Problem(
                    file, "", message, "Remove or rename one of them."
                )
        seen.append(name)
        name = boards[name].extends


def _world_twins(
    project: Project, board: Blackboard, key: Key, file: str
) -> Iterator[Problem]:
    """A key of the world is one key, wherever it is declared."""
    if key.scope is not Sharing.WORLD:
        return
    for other in project.blackboards:
        twin = other.by_name.get(key.name)
        if (
            other.name < board.name
            and twin is not None
            and twin.scope is Sharing.WORLD
            and twin.type is not key.type
        ):
            message = (
                f"`{key.name}` is a key of the world: it is {a_or_an(key.type)} here and "
                f"{a_or_an(twin.type)} in '{other.name}'."
            )
            yield Problem(
                file,
                "",
                message,
                "Give both the same type, or one another name.",
            )


def _formula(
    project: Project, board: Blackboard, key: Key, file: str, catalog: Catalog
) -> Iterator[Problem]:
    keys = project.keys_on(board.name)
    for fault in faults(
        key.formula, keys, catalog, board.name, wants=key.type
    ):
        message = (
            f"the formula of `{key.name}`, at character {fault.span[0] + 1}: "
            f"{fault.message.rstrip('.')}."
        )
        yield Problem(file, "", message, fault.remedy)
    if key.default is not None:
        yield Problem(
            file,
            "",
            f"`{key.name}` has a formula and a default.",
            "Remove the default.",
        )
    if key.name in _needed(key, keys, set()):
        yield Problem(
            file,
            "",
            f"the formula of `{key.name}` needs `{key.name}` itself.",
            "Change it.",
        )


def _needed(key: Key, keys: Mapping[str, Key], seen: set[str]) -> set[str]:
    """The keys that a derived key's value depends on, directly or through
    others.
    """
    try:
        if key.formula:
            named = {
                part.key
                for part in walk(parse(key.formula))
                if isinstance(part, KeyTerm)
            }
        else:
            named = set()
    except LanguageError:
        return seen
    for name in sorted(named - seen):
        seen.add(name)
        if name in keys:
            _needed(keys[name], keys, seen)
    return seen
