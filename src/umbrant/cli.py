"""The command line.

Exit codes: 0 fine, 1 something in the input is wrong, 2 wrong usage, 3 what was asked for was done
with a take that was cut short, 130 and 143 stopped by a signal.
"""

import json
import os
import signal
import sys
from collections import Counter
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from types import FrameType
from typing import IO, Annotated, Any

import typer
from platformdirs import user_cache_path
from rich.console import Console
from rich.table import Table
from typer.core import TyperGroup

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.schema import project_schema
from umbrant.catalog.validation import validate
from umbrant.model.documents import Project
from umbrant.model.folder import read_project
from umbrant.model.printable import escaped, escaped_json, printable
from umbrant.model.problems import ProjectError, did_you_mean
from umbrant.project_nodes import names_of, project_catalog
from umbrant.reasons.decision_changes import decision_changes, leading_spans
from umbrant.reasons.now import now_value
from umbrant.reasons.sentences import Answer
from umbrant.reasons.why import Explainer
from umbrant.review import review
from umbrant.review.findings import Severity
from umbrant.rolling.client import SupervisedRoll
from umbrant.rolling.roll import RollOrder
from umbrant.take.errors import TakeError
from umbrant.take.export import ExportFormat, export_text
from umbrant.take.reader import Take, read_take


class Mistake(Exception):  # noqa: N818
    """Something in the input is wrong. The message names it and the way out; the program exits with
    1.
    """


class Stopped(Exception):  # noqa: N818
    """A signal has stopped what was being done. `code` is what the program exits with."""

    def __init__(self, message: str, number: int) -> None:
        super().__init__(message)
        self.code = 128 + number


class CutShort(Exception):  # noqa: N818
    """What was asked for has been done, with a take that was cut short. The program exits with
    3.
    """

    def __init__(self, take: Take) -> None:
        super().__init__(f"{take.path}: this take is not whole: {printable(take.ended, 500)}")


class _OpensByDefault(TyperGroup):
    """`umbrant PROJECT` and plain `umbrant` open the window: what is no command is a project."""

    def parse_args(self, ctx: Any, args: list[str]) -> list[str]:
        known = set(self.commands)
        if args != ["--help"] and not any(arg in known for arg in args[:1]):
            args = ["open", *args]
        return super().parse_args(ctx, args)


app = typer.Typer(
    cls=_OpensByDefault,
    help=(
        "Write how an NPC makes up its mind, watch it happen, and ask why.\n\n`umbrant PROJECT` "
        "opens the window."
    ),
    add_completion=False,
    no_args_is_help=False,
    rich_markup_mode=None,
)

ProjectArg = Annotated[Path, typer.Argument(metavar="PROJECT", help="the folder of a project")]
TakeArg = Annotated[Path, typer.Argument(metavar="TAKE", help="a take, as `roll` writes it")]
AgentOption = Annotated[str, typer.Option("--agent", metavar="A", help="one of the cast")]
AtOption = Annotated[
    float, typer.Option("--at", metavar="SECONDS", min=0, help="the time in the take")
]
TrustOption = Annotated[
    bool, typer.Option("--trust", help="let the nodes run that the project brings along")
]
JsonOption = Annotated[bool, typer.Option("--json", help="print JSON, for a program to read")]


def main() -> None:
    """Run the command line. Mistakes in the input are said on stderr, and nothing else is."""
    try:
        try:
            app()
        finally:
            sys.stdout.flush()
    except (ProjectError, TakeError, Mistake) as error:
        print(escaped(str(error)), file=sys.stderr)
        raise SystemExit(1) from None
    except CutShort as cut:
        print(escaped(str(cut)), file=sys.stderr)
        raise SystemExit(3) from None
    except Stopped as stopped:
        print(escaped(str(stopped)), file=sys.stderr)
        raise SystemExit(stopped.code) from None
    except KeyboardInterrupt:
        raise SystemExit(128 + signal.SIGINT) from None
    except BrokenPipeError:
        _give_up_output()
        raise SystemExit(0) from None
    except OSError as error:
        # Files that are read or written have errors of their own; what is left is what is printed.
        _give_up_output()
        print(f"The output could not be written: {error.strerror or error}.", file=sys.stderr)
        raise SystemExit(1) from None


def _give_up_output() -> None:
    """Print into nothing from now on, or Python would complain of the same once more as it ends."""
    with suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


@app.command("open")
def open_(
    project: Annotated[
        Path | None, typer.Argument(metavar="[PROJECT]", help="the folder of a project")
    ] = None,
    headless: Annotated[
        bool, typer.Option("--headless", help="play it and print what happened, no window")
    ] = False,
    trust: TrustOption = False,
) -> None:
    """Open the window on a project. Without a display, play its scenario and print what
    happened.
    """
    if headless or not (
        os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or _offscreen()
    ):
        if project is None:
            raise Mistake(
                "Without a window there is nothing to open: name the folder of a project to play."
            )
        take = _rolled(project, None, None, None, None, trust=trust)
        _print_story(take)
        _tell_if_cut(take)
        return
    # Qt is loaded only for the window, so that all other commands work where its libraries are
    # missing.
    from umbrant.desk.app import run_desk

    raise SystemExit(run_desk(project, trust=trust))


@app.command("roll")
def roll_(
    project: ProjectArg,
    scenario: Annotated[
        str | None, typer.Option(metavar="S", help="which scenario; the project's first")
    ] = None,
    seed: Annotated[int | None, typer.Option(metavar="N", min=0, help="another seed")] = None,
    seconds: Annotated[
        float | None, typer.Option(metavar="T", min=0.01, max=86_400, help="another length")
    ] = None,
    out: Annotated[
        Path | None, typer.Option(metavar="FILE", help="where to write the take")
    ] = None,
    trust: TrustOption = False,
    as_json: JsonOption = False,
) -> None:
    """Play a scenario as fast as it goes, and record a take."""
    take = _rolled(project, scenario, seed, seconds, out, trust=trust)
    if as_json:
        _print_json(
            {
                "take": str(take.path),
                "ticks": take.ticks,
                "ended": take.ended,
                "agents": _changes_text(take),
            }
        )
    else:
        _print_story(take)
    _tell_if_cut(take)


@app.command()
def show(take: TakeArg, agent: AgentOption, at: AtOption, as_json: JsonOption = False) -> None:
    """Print each row's status and value at a tick."""
    explainer, tick = _explainer_at(take, agent, at)
    rows = [
        {
            "row": row_id,
            "number": explainer.outline.number[row_id],
            "name": explainer.names.titles[row_id],
            "status": explainer.record.row(row_id).state_at(tick).value,
            "value": now_value(explainer, row_id, tick),
        }
        for row_id in explainer.outline.number
    ]
    if as_json:
        seconds = explainer.header.seconds(tick)
        _print_json(
            {
                "agent": agent,
                "tick": tick,
                "seconds": seconds,
                "ended": explainer.take.ended,
                "rows": rows,
            }
        )
        _tell_if_cut(explainer.take)
        return
    table = Table("row", "", "status", "value", box=None, pad_edge=False)
    for row in rows:
        table.add_row(*(printable(row[each]) for each in ("number", "name", "status", "value")))
    _say(f"{explainer.title} at {explainer.header.seconds(tick):.2f} s (tick {tick})")
    _console().print(table)
    _tell_if_cut(explainer.take)


@app.command()
def why(
    take: TakeArg,
    agent: AgentOption,
    at: AtOption,
    instead: Annotated[
        str | None, typer.Option("--not", metavar="ROW", help="why not this row, 1.2 or its id")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Say why an agent did what it did at a tick, or why it did not run a row."""
    explainer, tick = _explainer_at(take, agent, at)
    answer = (
        explainer.why_not(tick, _row_called(explainer, instead)) if instead else explainer.why(tick)
    )
    if as_json:
        _print_json(
            {**_answer_data(answer, explainer.header.seconds(tick)), "ended": explainer.take.ended}
        )
    else:
        _say(f"{answer.question}, at {explainer.header.seconds(tick):.2f} s\n{answer.text}")
    _tell_if_cut(explainer.take)


@app.command("review")
def review_(project: ProjectArg, as_json: JsonOption = False) -> None:
    """Say what looks like a mistake in a project. Exits with 1 when there are errors."""
    is_complete = read_project(project)
    own = project_catalog(is_complete)
    problems = [*validate(is_complete, own.catalog), *own.problems]
    found = (
        [] if any(not problem.row_id for problem in problems) else review(is_complete, own.catalog)
    )
    errors = bool(problems) or any(each.rule.severity is Severity.ERROR for each in found)
    if as_json:
        _print_json(
            {
                "problems": [each.as_json() for each in problems],
                "findings": [each.as_json() for each in found],
            }
        )
    else:
        for problem in problems:
            _say(f"error: {problem}")
        for each in found:
            _say(f"{each}\n    {each.rule.why}")
        _say(
            f"{len(problems) + len(found)} findings" if problems or found else "Nothing was found."
        )
    raise SystemExit(1 if errors else 0)


@app.command()
def export(
    take: TakeArg,
    form: Annotated[
        ExportFormat, typer.Option("--format", help="the format to print")
    ] = ExportFormat.CSV,
) -> None:
    """Print a take as CSV or JSON Lines: one line for each span, refusal, change and pose."""
    found = read_take(take)
    sys.stdout.write(export_text(found, form))
    _tell_if_cut(found)


@app.command()
def nodes(as_json: JsonOption = False) -> None:
    """List every kind of node, with its phrase and what it does."""
    kinds = BUILTIN.kinds.values()
    if as_json:
        _print_json([_kind_data(kind) for kind in kinds])
        return
    table = Table("kind", "family", "reads as", box=None, pad_edge=False)
    for kind in kinds:
        table.add_row(kind.id, kind.family, kind.phrase.replace("[", "(").replace("]", ")") or "-")
    _console().print(table)


@app.command()
def schema() -> None:
    """Print the JSON Schema (2020-12) of a project's files."""
    _print_json(project_schema(BUILTIN))


def _tell_if_cut(take: Take) -> None:
    """Nobody is to take what was recorded for all that would have happened. Raises CutShort."""
    if not take.is_complete:
        raise CutShort(take)


def _say(text: str = "", file: IO[str] | None = None) -> None:
    """Print text with what files or nodes may have put into it escaped."""
    print(escaped(text), file=file)


def _offscreen() -> bool:
    return os.environ.get("QT_QPA_PLATFORM", "") != ""


def _rolled(
    folder: Path,
    scenario: str | None,
    seed: int | None,
    seconds: float | None,
    out: Path | None,
    *,
    trust: bool,
) -> Take:
    project = read_project(folder)
    own = project_catalog(project)
    problems = [*validate(project, own.catalog), *own.problems]
    if problems:
        raise ProjectError(problems)
    name = scenario or project.cover.scenario
    names = [each.name for each in project.scenarios]
    if name not in names:
        raise Mistake(f"{folder}: there is no scenario '{name}'. {did_you_mean(name, names)}")
    if project.nodes and not trust:
        _say(
            f"{names_of(project.nodes)} did not run: give --trust if you know where they come "
            "from.",
            file=sys.stderr,
        )
    path = out or _default_path(folder, name, project, seed)
    order = RollOrder(project, name, path, seed, seconds, trusted=trust)
    with SupervisedRoll(order) as running, _Signals(running.stop) as signals:
        reply = running.wait()
    if signals.number:
        kept = f" What was played until then is in {path}." if reply.take else ""
        raise Stopped(f"The roll was {reply.error or 'stopped'}.{kept}", signals.number)
    if reply.take is None:
        raise Mistake(reply.error)
    return read_take(path)


class _Signals:
    """Has Ctrl+C and a request to end stop what is going on, so that it ends in good order before
    the program does.
    """

    def __init__(self, stop: Callable[[str], None]) -> None:
        self.number = 0
        self._stop = stop

    def __enter__(self) -> "_Signals":
        self._before = {
            each: signal.signal(each, self._note) for each in (signal.SIGINT, signal.SIGTERM)
        }
        return self

    def __exit__(self, *_: object) -> None:
        for number, handler in self._before.items():
            signal.signal(number, handler)

    def _note(self, number: int, frame: FrameType | None) -> None:
        self.number = number
        self._stop(f"stopped by {signal.Signals(number).name}")


def _default_path(folder: Path, scenario: str, project: Project, seed: int | None) -> Path:
    number = project.scenario(scenario).seed if seed is None else seed
    return (
        user_cache_path("umbrant")
        / "takes"
        / f"{folder.resolve().name}-{scenario}-seed{number}.take"
    )


def _explainer_at(path: Path, agent: str, at: float) -> tuple[Explainer, int]:
    take = read_take(path)
    if agent not in take.agents:
        raise Mistake(
            f"{path}: there is no '{agent}' in this take. {did_you_mean(agent, list(take.agents))}"
        )
    end = take.header.seconds(take.ticks)
    if at > end:
        raise Mistake(f"{path}: the take ends at {end:.2f} s; ask about a time before that.")
    return Explainer(take, agent), take.clamp(take.header.tick(at))


def _row_called(explainer: Explainer, text: str) -> str:
    row_id = explainer.outline.find(text)
    if row_id is None:
        known = list(explainer.outline.number.values())
        raise Mistake(f"{explainer.title} has no row '{text}'. {did_you_mean(text, known)}")
    return row_id


def _print_story(take: Take) -> None:
    """What happened, in a screenful: the first agent's changes of mind, a line for each other,
    where the take is.
    """
    played = take.header.played
    length = f"{take.header.seconds(take.ticks):.1f} s, {take.ticks} ticks"
    _say(
        f"{take.header.project.cover.title}, scenario '{played.name}', seed {take.header.seed}: "
        f"{length}"
    )
    for _, what, cause in take.notices:
        _say(f"  {what}: {''.join(text for _, text in cause.parts())}.")
    for member in played.players:
        for _, what, cause in take.agents[member.name].notices:
            _say(
                f"  {member.title or member.name}: {what}: "
                f"{''.join(text for _, text in cause.parts())}."
            )
    agents = [member.name for member in played.players if member.behavior]
    for name in agents[:1]:
        _print_changes(take, name)
    if agents[1:]:
        _say()
    for name in agents[1:]:
        _say(f"{_summary(take, name)}")
    _say(f"\nThe take is in {take.path}")


def _print_changes(take: Take, name: str) -> None:
    explainer = Explainer(take, name)
    _say(f"\n{explainer.title}, by behavior '{explainer.behavior.title}'")
    for lead in decision_changes(take, name):
        line = explainer.change(lead)
        _say(f"{take.header.seconds(lead.start):7.2f} s  {line.number:5} {line.text}")


def _summary(take: Take, name: str) -> str:
    """What an agent spent its time on, the longest first, and how often it changed its mind."""
    explainer, spent = Explainer(take, name), Counter[str]()
    for lead in leading_spans(take, name):
        spent[explainer.names.titles[lead.row_id]] += lead.end + 1 - lead.start
    summary = ", ".join(
        f"{title} {take.header.seconds(ticks):.1f} s" for title, ticks in spent.most_common(5)
    )
    changes = max(0, len(decision_changes(take, name)) - 1)
    return f"{explainer.title}: {summary}; {changes} changes of mind"


def _changes_text(take: Take) -> dict[str, list[dict[str, object]]]:
    found: dict[str, list[dict[str, object]]] = {}
    for name in take.agents:
        explainer = Explainer(take, name)
        found[name] = [
            {
                "tick": lead.start,
                "seconds": take.header.seconds(lead.start),
                "row": lead.row_id,
                "reason": explainer.change(lead).text,
            }
            for lead in decision_changes(take, name)
        ]
    return found


def _answer_data(answer: Answer, seconds: float) -> dict[str, object]:
    lines = [
        {"row": line.row_id, "number": line.number, "text": line.text} for line in answer.lines
    ]
    data: dict[str, object] = {
        "question": answer.question,
        "tick": answer.tick,
        "seconds": seconds,
        "lines": lines,
    }
    if answer.table is not None:
        data["table"] = {
            "columns": answer.table.columns,
            "rows": [[cell.text.strip() for cell in row] for row in answer.table.rows],
        }
    return data


def _kind_data(kind: Any) -> dict[str, object]:
    params = [
        {"name": param.name, "type": param.type, "unit": param.quantity.unit, "help": param.help}
        for param in kind.params
    ]
    return {
        "id": kind.id,
        "family": kind.family,
        "phrase": kind.phrase,
        "help": kind.help,
        "example": kind.example,
        "own": kind.own,
        "outcomes": dict(kind.outcomes),
        "params": params,
    }


def _print_json(data: object) -> None:
    print(escaped_json(json.dumps(data, indent=2, ensure_ascii=False)))


def _console() -> Console:
    return Console(highlight=False, markup=False, soft_wrap=True)
