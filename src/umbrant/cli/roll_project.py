"""Playing a project from the command line, with Ctrl+C ending the take in good
order.
"""

import signal
import sys
from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path
from types import FrameType

from platformdirs import user_cache_path

from umbrant.catalog.validation import validate
from umbrant.cli.output import InputError, StoppedError, say
from umbrant.model.documents import Project
from umbrant.model.folder import read_project
from umbrant.model.problems import ProjectError, did_you_mean
from umbrant.project_nodes import names_of, project_catalog
from umbrant.rolling.client import SupervisedRolls
from umbrant.rolling.roll import RollOrder
from umbrant.take.reader import Take, read_take


def rolled(
    folder: Path,
    scenario: str | None,
    seed: int | None,
    seconds: float | None,
    out: Path | None,
    *,
    trust: bool,
) -> Take:
    """Play a scenario and read the take. None stands for what the project
    says. Raises ProjectError, TakeError, InputError and StoppedError.
    """
    project = read_project(folder)
    name = playable_scenario(project, str(folder), scenario)
    path = out or _default_path(folder, name, project, seed)
    return roll_into(
        RollOrder(project, name, path, seed, seconds, trusted=trust)
    )


def checked_project(project: Project) -> Project:
    """A project, if it can be played. Raises ProjectError."""
    problems = validate(project, project_catalog(project).catalog)
    if problems:
        raise ProjectError(problems)
    return project


def playable_scenario(
    project: Project, where: str, scenario: str | None
) -> str:
    """The name of the scenario to play, of a project that can be played.
    `where` is what the project is called in a message. Raises ProjectError and
    InputError.
    """
    own = project_catalog(project)
    problems = [*validate(project, own.catalog), *own.problems]
    if problems:
        raise ProjectError(problems)
    name = scenario or project.cover.scenario
    names = [each.name for each in project.scenarios]
    if name not in names:
        raise InputError(
            f"{where}: there is no scenario '{name}'. {did_you_mean(name, names)}"
        )
    return name


def roll_into(
    order: RollOrder, supervisor: SupervisedRolls | None = None
) -> Take:
    """Play an order in a process of its own, or by a supervisor that is there,
    and read the take. Raises TakeError, InputError and StoppedError.
    """
    if order.project.nodes and not order.trusted:
        say(
            f"{names_of(order.project.nodes)} did not run: give --trust if you know where they "
            "come from.",
            file=sys.stderr,
        )
    with ExitStack() as stack:
        running = supervisor or stack.enter_context(SupervisedRolls())
        signals = stack.enter_context(_Signals(running.stop))
        reply = running.roll(order)
    if signals.number:
        kept = ""
        if reply.take:
            kept = f" What was played until then is in {order.path}."
        raise StoppedError(
            f"The roll was {reply.error or 'stopped'}.{kept}", signals.number
        )
    if reply.take is None:
        raise InputError(reply.error)
    return read_take(order.path)


class _Signals:
    """Has Ctrl+C and a request to end stop what is going on, so that it ends
    in good order before the program does.
    """

    def __init__(self, stop: Callable[[str], None]) -> None:
        self.number = 0
        self._stop = stop

    def __enter__(self) -> "_Signals":
        self._before = {
            each: signal.signal(each, self._note)
            for each in (signal.SIGINT, signal.SIGTERM)
        }
        return self

    def __exit__(self, *_: object) -> None:
        for number, handler in self._before.items():
            signal.signal(number, handler)

    def _note(self, number: int, frame: FrameType | None) -> None:
        self.number = number
        self._stop(f"stopped by {signal.Signals(number).name}")


def _default_path(
    folder: Path, scenario: str, project: Project, seed: int | None
) -> Path:
    if seed is None:
        number = project.scenario(scenario).seed
    else:
        number = seed
    return (
        user_cache_path("umbrant")
        / "takes"
        / f"{folder.resolve().name}-{scenario}-seed{number}.take"
    )
