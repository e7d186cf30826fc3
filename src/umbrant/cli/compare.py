"""`umbrant compare`: whether the same happens in two takes or projects, and
where they part.
"""

import sys
from collections.abc import Iterator
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Annotated

import typer

from umbrant.cli.options import JsonOption, TrustOption
from umbrant.cli.output import InputError, print_json, say
from umbrant.cli.roll_project import playable_scenario, roll_into
from umbrant.comparing.comparison import TakeComparison, compared
from umbrant.comparing.revision import project_at
from umbrant.comparing.words import parting_answer
from umbrant.model.documents import Project
from umbrant.model.folder import read_project
from umbrant.model.printable import escaped
from umbrant.model.problems import ProjectError
from umbrant.rolling.client import SupervisedRolls
from umbrant.rolling.roll import RollOrder
from umbrant.take.errors import TakeError
from umbrant.take.reader import Take, read_take

EQUAL, DIFFERENT, TROUBLE = 0, 1, 2
"""The exit codes."""

OneArg = Annotated[
    str,
    typer.Argument(
        metavar="ONE", help="a take, a project, or PROJECT@REVISION of its git"
    ),
]
OtherArg = Annotated[
    str, typer.Argument(metavar="OTHER", help="what to hold against it")
]


@dataclass(frozen=True)
class CompareSubject:
    """What is compared: a take that is there, or a project to roll."""

    name: str
    take: Take | None = None
    project: Project | None = None


Pair = tuple[CompareSubject, CompareSubject]


def compare(
    one: OneArg,
    other: OtherArg,
    scenario: Annotated[
        str | None,
        typer.Option(
            metavar="S", help="of projects, which scenario; the first's own"
        ),
    ] = None,
    seeds: Annotated[
        int,
        typer.Option(
            metavar="N",
            min=1,
            max=10_000,
            help="of projects, with how many seeds",
        ),
    ] = 1,
    outcome: Annotated[
        bool,
        typer.Option(
            "--outcome", help="compare only bodies, props and keys, not rows"
        ),
    ] = False,
    trust: TrustOption = False,
    as_json: JsonOption = False,
) -> None:
    """Say whether two takes are equal, or where they part. Exits with 0 if
    equal, 1 if different and 2 in trouble.
    """
    try:
        sides = _side(one), _side(other)
        found = list(
            _compared(
                sides, scenario, seeds, only_outcome=outcome, trust=trust
            )
        )
    except (ProjectError, TakeError, InputError) as error:
        print(escaped(str(error)), file=sys.stderr)
        raise SystemExit(TROUBLE) from None
    if as_json:
        print_json({"runs": [_data(each, seed) for seed, each in found]})
    else:
        _tell(found, sides)
    cut = [
        each
        for _, pair in found
        for each in (pair.one, pair.other)
        if not each.is_complete
    ]
    for take in cut:
        message = f"{take.path}: this take is not whole: {take.ended}"
        print(escaped(message), file=sys.stderr)
    if cut:
        raise SystemExit(TROUBLE)
    if all(each.is_equal for _, each in found):
        code = EQUAL
    else:
        code = DIFFERENT
    raise SystemExit(code)


def _side(text: str) -> CompareSubject:
    """What an argument names. Raises ProjectError, TakeError and InputError."""
    path = Path(text)
    if path.is_file():
        return CompareSubject(path.name, take=read_take(path))
    if path.is_dir():
        return CompareSubject(text, project=read_project(path))
    folder, at, revision = text.rpartition("@")
    if at and Path(folder).is_dir():
        return CompareSubject(text, project=project_at(Path(folder), revision))
    raise InputError(
        f"{text}: there is no such take, project, or project at a revision (PROJECT@REVISION)."
    )


def _compared(
    sides: Pair,
    scenario: str | None,
    seeds: int,
    *,
    only_outcome: bool,
    trust: bool,
) -> Iterator[tuple[int, TakeComparison]]:
    """The comparison of each seed."""
    if seeds > 1 and any(side.take for side in sides):
        raise InputError(
            "--seeds plays projects: a take has the seed that it has."
        )
    with ExitStack() as stack:
        folder = stack.enter_context(TemporaryDirectory(prefix="umbrant-"))
        is_rolled = any(side.project for side in sides)
        supervisor = None
        if is_rolled:
            supervisor = stack.enter_context(SupervisedRolls())
        name, first_seed = _what_to_play(sides, scenario)
        for seed in range(first_seed, first_seed + seeds):
            one, other = (
                side.take
                or _rolled(
                    side,
                    Path(folder) / f"{index}.take",
                    name,
                    seed,
                    supervisor,
                    trust=trust,
                )
                for index, side in enumerate(sides)
            )
            yield seed, compared(one, other, only_outcome=only_outcome)


def _what_to_play(sides: Pair, scenario: str | None) -> tuple[str | None, int]:
    """The scenario and the first seed: what is given, or those of the take, or
    of the first project.
    """
    for side in sides:
        if side.take is not None:
            return scenario or side.take.header.scenario, side.take.header.seed
    project = sides[0].project
    assert project is not None  # noqa: S101  (a side that is no take is a project)
    name = playable_scenario(project, sides[0].name, scenario)
    return name, project.scenario(name).seed


def _rolled(
    side: CompareSubject,
    path: Path,
    scenario: str | None,
    seed: int,
    supervisor: SupervisedRolls | None,
    *,
    trust: bool,
) -> Take:
    assert side.project is not None  # noqa: S101  (a side that is no take is a project)
    name = playable_scenario(side.project, side.name, scenario)
    return roll_into(
        RollOrder(side.project, name, path, seed, trusted=trust), supervisor
    )


def _data(found: TakeComparison, seed: int) -> dict[str, object]:
    first = None
    if found.first:
        first = found.first.plain()
    return {
        "seed": seed,
        "equal": found.is_equal,
        "first": first,
        "agents": {
            name: each.plain() for name, each in found.by_agent.items()
        },
    }


def _tell(found: list[tuple[int, TakeComparison]], sides: Pair) -> None:
    """In full for one run; of several a line for each that differs."""
    one, other = (side.name for side in sides)
    if one != other:
        names = (one, other)
    else:
        names = (f"{one} (first)", f"{other} (second)")
    if len(found) == 1:
        say(parting_answer(found[0][1], *names).text)
        return
    for seed, each in found:
        if not each.is_equal:
            answer = parting_answer(each, *names)
            if answer.headline:
                words = answer.headline.text
            else:
                words = answer.text
            say(f"seed {seed}: {words}")
    equal = sum(each.is_equal for _, each in found)
    say(f"Equal in {equal} seeds of {len(found)}.")
