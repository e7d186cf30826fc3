"""`umbrant expect`: whether what a project's authors expect is so, in one take
or in many.
"""

import shlex
import sys
import xml.etree.ElementTree as ET
from collections.abc import Iterable, Sequence
from contextlib import closing
from pathlib import Path
from typing import Annotated

import typer

from umbrant.catalog.language.tree import LanguageError
from umbrant.cli.options import JobsOption, JsonOption, ProjectArg, TrustOption
from umbrant.cli.output import InputError, print_json, say
from umbrant.cli.roll_project import playable_scenario
from umbrant.expecting.expectation import (
    ExpectationResult,
    Expected,
    NamedExpectation,
    SeedOutcome,
    Verdict,
    for_scenario,
    outcome,
    read_expectations,
)
from umbrant.expecting.share import takes_to_decide
from umbrant.model.documents import Project
from umbrant.model.files import write_atomically
from umbrant.model.folder import read_project
from umbrant.model.printable import escaped
from umbrant.model.problems import ProjectError
from umbrant.rolling.many_takes import default_jobs, seeds_of, takes_of
from umbrant.take.errors import TakeError

ALL_HOLD, NOT_ALL, TROUBLE = 0, 1, 2
"""The exit codes."""
MOST_SAID = 3
"""How many seeds are named for each expectation that is broken."""
MOST_TAKES = 100_000


def expect(
    project: ProjectArg,
    seeds: Annotated[
        int,
        typer.Option(
            "--seeds",
            metavar="N",
            min=1,
            max=MOST_TAKES,
            help="with how many seeds",
        ),
    ] = 1,
    scenario: Annotated[
        str | None,
        typer.Option(metavar="S", help="only those about this scenario"),
    ] = None,
    junit: Annotated[
        Path | None,
        typer.Option(metavar="FILE", help="write JUnit XML for a CI service"),
    ] = None,
    jobs: JobsOption = None,
    trust: TrustOption = False,
    as_json: JsonOption = False,
) -> None:
    """Play a project and say which of its expectations hold. Exits with 0 if
    all do, 1 if one is broken or undecided, and 2 in trouble.
    """
    try:
        found = read_project(project)
        results = list(
            _results(
                found, project, scenario, seeds, jobs or default_jobs(), trust
            )
        )
        if junit is not None:
            write_atomically(junit, _junit(results, project))
    except (
        ProjectError,
        TakeError,
        InputError,
        LanguageError,
        OSError,
    ) as error:
        print(escaped(str(error)), file=sys.stderr)
        raise SystemExit(TROUBLE) from None
    if as_json:
        print_json({"expectations": [_data(each, found) for each in results]})
    else:
        for each in results:
            _tell(each, found, project)
        holding = sum(each.verdict is Verdict.HOLDS for each in results)
        say(f"{holding} of {len(results)} expectations hold.")
    if all(each.verdict is Verdict.HOLDS for each in results):
        code = ALL_HOLD
    else:
        code = NOT_ALL
    raise SystemExit(code)


def _results(
    project: Project,
    folder: Path,
    scenario: str | None,
    seeds: int,
    jobs: int,
    trust: bool,
) -> Iterable[ExpectationResult]:
    """What becomes of each expectation, scenario by scenario."""
    expectations = read_expectations(folder)
    if not expectations:
        raise InputError(
            f"{folder}: there are no expectations. Write one into expectations/name.json, such as "
            '{"expect": "always", "that": "lamp_oil >= 0"}.'
        )
    first = project.cover.scenario
    names = dict.fromkeys(
        each.expectation.scenario or first for each in expectations
    )
    for name in names if scenario is None else [scenario]:
        playable = playable_scenario(project, str(folder), name)
        about = for_scenario(expectations, playable, first)
        if about:
            yield from _of_scenario(
                project, playable, about, seeds, jobs, trust
            )


def _of_scenario(
    project: Project,
    scenario: str,
    about: Sequence[NamedExpectation],
    seeds: int,
    jobs: int,
    trust: bool,
) -> list[ExpectationResult]:
    first_seed = project.scenario(scenario).seed
    found: dict[str, list[SeedOutcome]] = {each.file: [] for each in about}
    # Closed before the folder of the takes goes: others may still be being
    # played into it.
    with (
        seeds_of(project, scenario, first_seed, seeds, trust=trust) as orders,
        closing(takes_of(orders, jobs)) as played,
    ):
        for order, take in played:
            if isinstance(take, str):
                raise InputError(f"seed {order.seed}: {take}")
            for each in about:
                found[each.file].append(outcome(each, take))
    return [ExpectationResult(each, tuple(found[each.file])) for each in about]


def _tell(result: ExpectationResult, project: Project, folder: Path) -> None:
    named = result.named
    say(
        f"{result.verdict.value:9} {named.expectation.sentence}  ({named.file})"
    )
    if named.expectation.expect is Expected.OFTEN:
        say(f"          {_share_words(result)}")
    broken = list(result.broken)
    scenario = named.expectation.scenario or project.cover.scenario
    rate = project.scenario(scenario).ticks_per_s
    for seed, each in broken[:MOST_SAID]:
        say(
            f"          seed {seed}, {each.tick / rate:.2f} s, {each.agent}: {each.says}"
        )
        take = f"seed{seed}.take"
        roll = f"umbrant roll {shlex.quote(str(folder))} --scenario {scenario} --seed {seed}"
        why = f"umbrant why {take} --agent {each.agent} --at {each.tick / rate:g}"
        say(f"            {roll} --out {take} && {why}")
    if len(broken) > MOST_SAID:
        say(f"          and {len(broken) - MOST_SAID} more")


def _share_words(result: ExpectationResult) -> str:
    """How often it happened, and what that says."""
    happened, of = (
        sum(each.happens for each in result.outcomes),
        len(result.outcomes),
    )
    low, high = result.interval
    words = f"in {happened} of {of} takes: {low * 100:.1f} to {high * 100:.1f} % of all, likely"
    between = result.named.expectation.between
    if result.verdict is Verdict.UNDECIDED and between is not None:
        needed = takes_to_decide(happened, of, between, MOST_TAKES)
        if needed is None:
            words += f"; not even {MOST_TAKES} seeds would decide it"
        else:
            words += f"; about {needed} seeds would decide it"
    return words


def _data(result: ExpectationResult, project: Project) -> dict[str, object]:
    low, high = result.interval
    expectation = result.named.expectation
    happened, interval = None, None
    if expectation.expect is Expected.OFTEN:
        interval = [low, high]
        happened = sum(each.happens for each in result.outcomes)
    return {
        "file": result.named.file,
        "says": expectation.sentence,
        "scenario": expectation.scenario or project.cover.scenario,
        "verdict": result.verdict.value,
        "takes": len(result.outcomes),
        "happened": happened,
        "interval": interval,
        "broken": [
            {
                "seed": seed,
                "agent": each.agent,
                "tick": each.tick,
                "says": each.says,
            }
            for seed, each in result.broken
        ],
    }


def _junit(results: Sequence[ExpectationResult], folder: Path) -> str:
    """The results as JUnit XML, which CI services read."""
    failures = sum(each.verdict is Verdict.BROKEN for each in results)
    skipped = sum(each.verdict is Verdict.UNDECIDED for each in results)
    counts = {
        "tests": str(len(results)),
        "failures": str(failures),
        "errors": "0",
    }
    named = {"name": folder.resolve().name, "skipped": str(skipped)}
    suite = ET.Element("testsuite", {**named, **counts})
    for each in results:
        case = ET.SubElement(
            suite,
            "testcase",
            classname=each.named.file,
            name=each.named.expectation.sentence,
        )
        if each.verdict is Verdict.BROKEN:
            lines = [
                f"seed {seed}, tick {at.tick}, {at.agent}: {at.says}"
                for seed, at in each.broken
            ]
            if lines:
                message = lines[0]
            else:
                message = _share_words(each)
            fault = ET.SubElement(case, "failure", message=message)
            fault.text = "\n".join(lines[:100])
        elif each.verdict is Verdict.UNDECIDED:
            ET.SubElement(case, "skipped", message=_share_words(each))
    suites = ET.Element("testsuites", counts)
    suites.append(suite)
    ET.indent(suites)
    return ET.tostring(suites, encoding="unicode", xml_declaration=True) + "\n"
