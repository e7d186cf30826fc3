"""What a study varies: a number of a project, over a range or a list of
values.

It is told as `warden/1.1.guard.within=6:12:1`: a behavior and a row, then what
of the row, or of one of its decorators and upkeeps,
`warden/1.2.cooldown.duration`; as `dusk/odo.body.walk_m_s=1,2`: a scenario and
one of its cast, then a number of that one, or `dusk/seconds`; or as
`quay/alarm`: a blackboard and a key, whose default it is.
"""

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from decimal import Decimal, InvalidOperation
from itertools import product
from typing import Any

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import ROWS, RUNS, Family
from umbrant.catalog.language.tree import (
    Arithmetic,
    Comparison,
    ConditionTree,
    Conjunction,
    Disjunction,
    KeyTerm,
    LanguageError,
    Negation,
    NumberTerm,
    SenseCall,
    parse,
    source,
)
from umbrant.catalog.params import NUMBERS
from umbrant.model.behaviors import Decorator, Row, Upkeep
from umbrant.model.documents import Project
from umbrant.model.edits import set_guard, set_value
from umbrant.model.expanded import resolve_variant
from umbrant.model.parts import ROW, Slot, part_name
from umbrant.model.paths import Path, PathError, at, put
from umbrant.model.problems import did_you_mean
from umbrant.model.values import KeyRef, KeyType, ParamValue, Spread

MOST = 100_000
"""How many takes a study has at most."""
GUARD = "guard."
OF_SCENARIO = ("seconds",)
"""The numbers of a scenario itself that can be varied."""
_ROW = re.compile(r"(\d+(?:\.\d+)*)\.(.+)")


class VaryError(ValueError):
    """Raised for what cannot be varied, with the way out."""


NumberChange = Callable[[Project, float], Project]


@dataclass(frozen=True)
class Varied:
    """A number that is varied: what it is called, its values, and how it is
    put into a project.
    """

    name: str
    values: tuple[float, ...]
    put: NumberChange


def read_vary(text: str, project: Project) -> Varied:
    """What a `--vary` says. Raises VaryError."""
    name, equals, values = text.partition("=")
    if not equals:
        raise VaryError(
            f"{text}: write it as PLACE=FROM:TO:STEP or PLACE=VALUE,VALUE,…"
        )
    change = _change(name.strip(), project)
    found = tuple(_values(values.strip(), text))
    for value in (found[0], found[-1]):
        try:
            change(project, value)
        except (PathError, LanguageError, ValueError, TypeError) as error:
            raise VaryError(f"{text}: {error}") from None
    return Varied(name.strip(), found, change)


def combinations(varied: list[Varied]) -> Iterator[tuple[float, ...]]:
    """Every combination of values, the last varied number changing fastest."""
    yield from product(*(each.values for each in varied))


def with_values(
    project: Project, varied: list[Varied], values: tuple[float, ...]
) -> Project:
    """The project with these values put in."""
    for each, value in zip(varied, values, strict=True):
        project = each.put(project, value)
    return project


def _values(text: str, vary: str) -> Iterator[float]:
    """The values of a range, both ends included, or of a list."""
    parts = text.split(":")
    try:
        numbers = [
            Decimal(each)
            for each in (parts if len(parts) > 1 else text.split(","))
        ]
    except InvalidOperation:
        raise VaryError(
            f"{vary}: '{text}' is no range such as 6:12:1, and no list"
        ) from None
    if not all(each.is_finite() for each in numbers):
        raise VaryError(f"{vary}: only numbers that are finite can be tried")
    if len(parts) == 1:
        yield from map(float, numbers)
        return
    if len(parts) != 3:
        raise VaryError(f"{vary}: a range has three parts, as in 6:12:1")
    low, high, step = numbers
    if step == 0 or (high - low) / step < 0:
        raise VaryError(
            f"{vary}: with a step of {step} the range never gets to {high}"
        )
    if (high - low) / step >= MOST:
        raise VaryError(
            f"{vary}: these are more than {MOST:,} values; take a larger step"
        )
    for index in range(int((high - low) / step) + 1):
        # Decimals, so that the third step of 0.1 is 0.3.
        yield float(low + index * step)


def _change(name: str, project: Project) -> NumberChange:
    owner, slash, rest = name.partition("/")
    if not slash:
        raise VaryError(
            f"{name}: begin with a behavior or a scenario, as in warden/1.1.1.reach"
        )
    if project.find_behavior(owner) is not None:
        return _of_row(name, owner, rest, project)
    if project.find_scenario(owner) is not None:
        return _of_member(name, owner, rest, project)
    if any(each.name == owner for each in project.blackboards):
        return _of_key(name, owner, rest, project)
    known = [each.name for each in project.behaviors]
    known += [each.name for each in project.scenarios]
    known += [each.name for each in project.blackboards]
    raise VaryError(
        f"{name}: there is no '{owner}'. {did_you_mean(owner, known)}"
    )


def _of_key(
    name: str, owner: str, rest: str, project: Project
) -> NumberChange:
    keys = project.blackboard(owner).by_name
    key = keys.get(rest)
    if key is None or key.type is not KeyType.NUMBER or key.formula:
        known = [
            each.name for each in keys.values() if each.type is KeyType.NUMBER
        ]
        raise VaryError(
            f"{name}: '{owner}' has no number '{rest}'. {did_you_mean(rest, known)}"
        )
    path: Path = (
        "blackboards",
        owner,
        "keys",
        list(keys).index(rest),
        "default",
    )
    return lambda made, value: put(made, path, value)


def _of_member(
    name: str, owner: str, rest: str, project: Project
) -> NumberChange:
    who, _, field = rest.partition(".")
    cast = [each.name for each in project.scenario(owner).cast]
    if rest in OF_SCENARIO:
        return lambda made, value: put(made, ("scenarios", owner, rest), value)
    if who not in cast:
        raise VaryError(
            f"{name}: '{owner}' has no '{who}'. {did_you_mean(who, cast)}"
        )
    path: Path = (
        "scenarios",
        owner,
        "cast",
        cast.index(who),
        *field.split("."),
    )
    try:
        number = at(project, path)
    except (PathError, LookupError, AttributeError):
        number = None
    if isinstance(number, bool) or not isinstance(number, int | float):
        member = project.scenario(owner).cast[cast.index(who)]
        known = list(_numbers_in(member.model_dump()))
        raise VaryError(
            f"{name}: '{who}' has no number '{field}'. {did_you_mean(field, known)}"
        )
    return lambda made, value: put(made, path, value)


def _numbers_in(data: Mapping[str, object]) -> Iterator[str]:
    """What the numbers in the data of a document are called."""
    for name, value in data.items():
        if isinstance(value, Mapping):
            yield from (f"{name}.{each}" for each in _numbers_in(value))
        elif isinstance(value, int | float) and not isinstance(value, bool):
            yield name


def _of_row(
    name: str, owner: str, rest: str, project: Project
) -> NumberChange:
    found = _ROW.fullmatch(rest)
    behavior = resolve_variant(project, owner)
    row_id = None
    if found is not None:
        row_id = behavior.outline.find(found[1])
    if found is None or row_id is None:
        numbers = ", ".join(list(behavior.outline.number.values())[:8])
        raise VaryError(
            f"{name}: '{owner}' has no such row; it has {numbers}, …"
        )
    what, row = found[2], behavior.row(row_id)
    if what.startswith(GUARD):
        return _of_guard(name, owner, row, what.removeprefix(GUARD))
    part, param, args = _part(row, what)
    if not _is_number(args.get(param)):
        known = did_you_mean(what, list(_numbers_of(row))) or "It has none."
        raise VaryError(
            f"{name}: row {found[1]} has no number '{what}'. {known}"
        )
    slot = Slot(row_id, part, param)
    return lambda made, value: _with_number(made, owner, slot, value)


def _numbers_of(row: Row) -> Iterator[str]:
    """What the numbers of a row are called, those of its parts and its guard
    among them.
    """
    for param, value in _args_of(row).items():
        if _is_number(value):
            yield param
    for part, called in _names_of(row).items():
        for param, value in _args_of(_parts_of(row)[part]).items():
            if _is_number(value):
                yield f"{called}.{param}"
    if row.guard is not None:
        numbers = _numbers(parse(row.guard.when))
        for place, (label, _) in enumerate(numbers, start=1):
            yield f"{GUARD}{label or place}"


def _args_of(part: Row | Decorator | Upkeep) -> Mapping[str, ParamValue]:
    """What a row or a part of one runs with: what is written, and what is not
    because it is the default. Of the project's own nodes what is written.
    """
    families = ROWS if isinstance(part, Row) else (*RUNS, Family.DECORATOR)
    kind = BUILTIN.get(part.kind, *families)
    defaults = {
        each.name: each.default
        for each in (kind.params if kind else ())
        if each.type in NUMBERS and each.default is not None
    }
    return {**defaults, **part.args}


def _part(row: Row, what: str) -> tuple[str, str, Mapping[str, ParamValue]]:
    """The part of a row that something is of, by the kind of a decorator or an
    upkeep; the name of the parameter; and the arguments of that part.
    """
    called, dot, param = what.partition(".")
    if dot:
        names = {name: part for part, name in _names_of(row).items()}
    else:
        names = {}
    if called not in names:
        return ROW, what, _args_of(row)
    of_part = _args_of(_parts_of(row)[names[called]])
    return names[called], param, of_part


def _names_of(row: Row) -> dict[str, str]:
    """What the decorators and upkeeps of a row are called: by their kinds, the
    second of a kind with a number.
    """
    names: dict[str, str] = {}
    for part, each in _parts_of(row).items():
        count = sum(
            _parts_of(row)[before].kind == each.kind for before in names
        )
        if count:
            names[part] = f"{each.kind}-{count + 1}"
        else:
            names[part] = each.kind
    return names


def _parts_of(row: Row) -> dict[str, Decorator | Upkeep]:
    """The decorators and upkeeps of a row by their parts."""
    decorators = {
        part_name("decorator", at): each
        for at, each in enumerate(row.decorators)
    }
    return {
        **decorators,
        **{
            part_name("upkeep", at): each for at, each in enumerate(row.upkeep)
        },
    }


def _with_number(
    project: Project, behavior: str, slot: Slot, value: float
) -> Project:
    """The project with another number in a chip; of a spread its middle."""
    row = resolve_variant(project, behavior).row(slot.row_id)
    args = row.args
    if slot.part:
        args = _parts_of(row)[slot.part].args
    before = args.get(slot.param)
    number = (
        before.model_copy(update={"mean": value})
        if isinstance(before, Spread)
        else value
    )
    return set_value(project, behavior, slot, number)


def name_of_number(
    project: Project, behavior: str, slot: Slot, start: int | None
) -> str | None:
    """What `--vary` calls the number in a chip; `start` is where it begins in
    its guard. None for a chip without a number of its own.
    """
    written = resolve_variant(project, behavior)
    if slot.row_id not in written.by_id:
        return None
    row, number = written.row(slot.row_id), written.outline.number[slot.row_id]
    what: str | None = None
    if slot.part == "guard" and row.guard is not None:
        begins = [each.span[0] for _, each in _numbers(parse(row.guard.when))]
        what = None
        if start in begins:
            what = f"{GUARD}{begins.index(start) + 1}"
    elif (
        slot.part == ROW
        and start is None
        and _is_number(_args_of(row).get(slot.param))
    ):
        what = slot.param
    elif (
        start is None
        and (of_part := _parts_of(row).get(slot.part)) is not None
    ):
        called = _names_of(row)[slot.part]
        what = None
        if _is_number(_args_of(of_part).get(slot.param)):
            what = f"{called}.{slot.param}"
    if what is not None:
        return f"{behavior}/{number}.{what}"
    return None


def name_of_field(project: Project, path: Path) -> str | None:
    """What `--vary` calls the number at a path of the project; None for
    anything else.
    """
    match path:
        case ("scenarios", owner, "cast", member, *field) if field:
            who = project.scenario(str(owner)).cast[int(member)].name
            name = f"{owner}/{who}.{'.'.join(map(str, field))}"
        case ("scenarios", owner, field):
            name = f"{owner}/{field}"
        case ("blackboards", owner, "keys", key, "default"):
            name = (
                f"{owner}/{project.blackboard(str(owner)).keys[int(key)].name}"
            )
        case _:
            return None
    try:
        _change(name, project)
    except VaryError:
        return None
    return name


def _of_guard(name: str, owner: str, row: Row, what: str) -> NumberChange:
    if row.guard is None:
        raise VaryError(f"{name}: the row has no guard")
    tree = parse(row.guard.when)
    place = _place_in(name, tree, what)

    def change(made: Project, value: float) -> Project:
        changed, _ = _replaced(
            tree, place, lambda number: replace(number, value=value)
        )
        return set_guard(made, owner, row.id, source(changed))

    return change


def _place_in(name: str, tree: ConditionTree, what: str) -> int:
    """Which of the numbers of a guard is meant, by its name or its place from
    1 on.
    """
    numbers = list(_numbers(tree))
    named = {label for label, _ in numbers if label}
    index = next(
        (place for place, (label, _) in enumerate(numbers) if label == what),
        None,
    )
    if index is None and what.isdigit() and 1 <= int(what) <= len(numbers):
        index = int(what) - 1
    if index is None:
        known = ", ".join(
            [
                *sorted(named),
                *(str(place) for place in range(1, len(numbers) + 1)),
            ]
        )
        raise VaryError(
            f"{name}: the guard has no number '{what}'; it has {known or 'none'}"
        )
    return index


def number_as_key(
    project: Project, name: str, key: str
) -> tuple[Project, float]:
    """The project in which a number of a row or its guard is bound to a key,
    and that number. Raises VaryError. Whether the chip takes a key is for
    validation to say.
    """
    owner, _, rest = name.partition("/")
    found = _ROW.fullmatch(rest)
    if found is None or project.find_behavior(owner) is None:
        raise VaryError(
            f"{name}: write it as BEHAVIOR/ROW.WHAT, as in warden/1.1.1.reach"
        )
    # What there is not is refused there, with the numbers that there are.
    _of_row(name, owner, rest, project)
    behavior, what = resolve_variant(project, owner), found[2]
    row = behavior.row(behavior.outline.find(found[1]) or "")
    if what.startswith(GUARD) and row.guard is not None:
        tree = parse(row.guard.when)
        place = _place_in(name, tree, what.removeprefix(GUARD))
        number = [each for _, each in _numbers(tree)][place]
        changed, _ = _replaced(
            tree, place, lambda each: KeyTerm(key, each.span)
        )
        return set_guard(project, owner, row.id, source(changed)), number.value
    part, param, args = _part(row, what)
    value = args[param]
    if isinstance(value, Spread):
        raise VaryError(
            f"{name}: it is drawn from a spread; write a plain number first"
        )
    bound = set_value(
        project, owner, Slot(row.id, part, param), KeyRef(key=key)
    )
    return bound, float(value)  # type: ignore[arg-type]


def _is_number(value: object) -> bool:
    return isinstance(value, int | float | Spread) and not isinstance(
        value, bool
    )


def _numbers(
    tree: ConditionTree, label: str = ""
) -> Iterator[tuple[str, NumberTerm]]:
    """The numbers of a condition in the order in which they are written, with
    their names.
    """
    if isinstance(tree, NumberTerm):
        yield label, tree
    for name, part in _parts(tree):
        yield from _numbers(part, name)


def _parts(tree: ConditionTree) -> list[tuple[str, ConditionTree]]:
    match tree:
        case SenseCall(args=args, named=named):
            return [*(("", each) for each in args), *named]
        case (
            Comparison(left=left, right=right)
            | Arithmetic(left=left, right=right)
        ):
            return [("", left), ("", right)]
        case Negation(part=part):
            return [("", part)]
        case Conjunction(parts=parts) | Disjunction(parts=parts):
            return [("", each) for each in parts]
    return []


def _replaced(
    tree: ConditionTree, place: int, by: Callable[[NumberTerm], ConditionTree]
) -> tuple[ConditionTree, int]:
    """The condition with something else for the number at a place, and how
    many numbers it has.
    """
    if isinstance(tree, NumberTerm):
        return (by(tree) if place == 0 else tree), 1
    count, parts = 0, []
    for _, part in _parts(tree):
        changed, inside = _replaced(part, place - count, by)
        parts.append(changed)
        count += inside
    return (_with_parts(tree, parts) if parts else tree), count


def _with_parts(tree: Any, parts: list[ConditionTree]) -> ConditionTree:
    if isinstance(tree, SenseCall):
        count = len(tree.args)
        named = zip(
            (name for name, _ in tree.named), parts[count:], strict=True
        )
        return replace(tree, args=tuple(parts[:count]), named=tuple(named))
    if isinstance(tree, Comparison | Arithmetic):
        return replace(tree, left=parts[0], right=parts[1])
    if isinstance(tree, Negation):
        return replace(tree, part=parts[0])
    changed: ConditionTree = replace(tree, parts=tuple(parts))
    return changed
