"""What a study says, in words and as data."""

import json
from dataclasses import asdict
from pathlib import Path

from umbrant.cli.output import print_json, say
from umbrant.model.documents import Project
from umbrant.model.expanded import expand_behavior
from umbrant.model.values import times_text
from umbrant.studying.clusters import TakeCluster
from umbrant.studying.differences import RowDifference, differences
from umbrant.studying.study import COUNTS_ONLY, StudyFile
from umbrant.studying.summaries import (
    FindingSummary,
    KeySummary,
    RowSummary,
    ShareSummary,
    TakeSpread,
)

MOST_SAID = 40
MOST_LED = 3
"""How many rows that led, and how many seeds, are told of takes that went
alike.
"""


def tell(file: StudyFile, project: Project, scenario: str) -> None:
    """Say what the takes say, for each combination of varied values."""
    names = row_titles(project, scenario)
    agents = [
        each.name
        for each in project.scenario(scenario).players
        if each.behavior
    ]
    for given in file.groups():
        values = json.loads(given)
        if values:
            say(
                ", ".join(
                    f"{name} = {value:g}" for name, value in values.items()
                )
                + ":"
            )
        _tell_rows(file, given, names)
        # A key that is the same at every tick of every take has nothing to
        # tell.
        keys = [
            each
            for each in file.key_summaries(given)
            if each.lowest < each.highest
        ]
        by_chance = [*file.chances(given), *file.draws(given)]
        _tell_lines(
            "Left to chance:",
            [_chance_line(each, names) for each in by_chance],
        )
        _tell_lines("Keys:", [_key_line(each) for each in keys])
        _tell_lines(
            "Found:", [_finding_line(each) for each in file.findings(given)]
        )
        led = [(agent, file.clusters(agent, given)) for agent in agents]
        _tell_lines(
            "Takes that went alike, the odd ones first:",
            [
                _cluster_line(agent, each, names)
                for agent, found in led
                for each in found[:-1]
            ],
        )
    if file.meta(COUNTS_ONLY):
        say("Findings were not looked for: --counts-only.")
    for seed, fault in file.faults():
        say(f"seed {seed}: {fault}")


def tell_against(
    folder: Path,
    file: StudyFile,
    names: dict[tuple[str, str], str],
    as_json: bool,
) -> None:
    """Say what is otherwise than in a study from before."""
    with StudyFile(folder) as before:
        found = differences(before, file)
    if as_json:
        print_json({"differences": [asdict(each) for each in found]})
        return
    likely = [
        _difference_line(each, names) for each in found if each.is_likely
    ]
    chance = [
        _difference_line(each, names) for each in found if not each.is_likely
    ]
    _tell_lines("Otherwise than before:", likely)
    _tell_lines("Otherwise, maybe by chance:", chance)
    if not found:
        say("Nothing is otherwise than before.")


def _difference_line(
    each: RowDifference, names: dict[tuple[str, str], str]
) -> str:
    title = names.get((each.agent, each.row), each.row)
    takes = f"in {each.takes[0]} of {each.of[0]} takes, now in {each.takes[1]} of {each.of[1]}"
    time = f"{each.time[0] * 100:.0f} % of the time, now {each.time[1] * 100:.0f} %"
    return f"{each.agent} {title}: {takes}; {time}"


def _tell_rows(
    file: StudyFile, given: str, names: dict[tuple[str, str], str]
) -> None:
    order = {place: number for number, place in enumerate(names)}
    last = len(order)
    summary = sorted(
        file.summary(given),
        key=lambda each: order.get((each.agent, each.row), last),
    )
    _tell_lines("", [_line(each, names) for each in summary])


def _tell_lines(heading: str, lines: list[str]) -> None:
    if heading and lines:
        say(heading)
    for each in lines[:MOST_SAID]:
        say(f"  {each}")
    if len(lines) > MOST_SAID:
        say(f"  and {len(lines) - MOST_SAID} more; --json has them all")


def row_titles(project: Project, scenario: str) -> dict[tuple[str, str], str]:
    """The number and the name of each row of each agent."""
    found = {}
    for member in project.scenario(scenario).players:
        if member.behavior is None:
            continue
        behavior = expand_behavior(project, member.behavior).behavior
        for row_id, number in behavior.outline.number.items():
            found[member.name, row_id] = (
                f"{number} {behavior.row(row_id).name}"
            )
    return found


def _line(each: RowSummary, names: dict[tuple[str, str], str]) -> str:
    low, high = each.share
    ran = f"in {each.takes} of {each.of} takes ({low * 100:.0f} to {high * 100:.0f} %)"
    title = names.get((each.agent, each.row), each.row)
    time = f"{each.time.median * 100:.0f} % of the time"
    return f"{each.agent} {title}: {ran}, {times_text(each.entered.median)}, {time}"


def _chance_line(each: ShareSummary, names: dict[tuple[str, str], str]) -> str:
    title = names.get((each.agent, each.row), each.row)
    low, high = (share * 100 for share in each.share)
    share = 100 * each.happened / max(1, each.tried)
    came = f"{each.happened} of {each.tried} times, {share:.1f} % ({low:.0f} to {high:.0f} %)"
    if each.expected is None:
        return f"{each.agent} {title}: {came}"
    verdict = ""
    if each.is_odd:
        verdict = ", which is not likely"
    return f"{each.agent} {title}: {came}; set {each.expected * 100:.1f} %{verdict}"


def _key_line(each: KeySummary) -> str:
    last, times = each.last, times_text(each.changes.median)
    return (
        f"{each.agent} {each.key}: {each.lowest:.3g} to {each.highest:.3g}, changes {times}, ends "
        f"at {last.median:.3g} ({last.low:.3g} to {last.high:.3g})"
    )


def _finding_line(each: FindingSummary) -> str:
    return f"in {each.takes} of {each.of} takes (seed {each.seed}): {each.agent}: {each.says}"


def _cluster_line(
    agent: str, each: TakeCluster, names: dict[tuple[str, str], str]
) -> str:
    led = ", ".join(
        f"{names.get((agent, row), row)} {share * 100:.0f} %"
        for row, share in list(each.shares.items())[:MOST_LED]
    )
    seeds = ", ".join(map(str, each.runs[:MOST_LED]))
    count = len(each.runs)
    if count == 1:
        takes = f"seed {seeds}"
    else:
        takes = f"{count} takes (seeds {seeds}"
    if count > MOST_LED:
        more = ", …)"
    else:
        more = ""
        if count > 1:
            more = ")"
    return f"{agent}: {takes}{more}: {led}"


def _findings_data(
    file: StudyFile, given: str
) -> list[dict[str, object]] | None:
    """The findings; None where they were not looked for, which is another
    thing than none.
    """
    if file.meta(COUNTS_ONLY):
        return None
    return [asdict(each) for each in file.findings(given)]


def data_of(file: StudyFile) -> dict[str, object]:
    """All that is counted, as plain data."""
    return {
        "groups": [
            {
                "given": json.loads(given),
                "rows": [_plain(each) for each in file.summary(given)],
                "chances": [
                    _plain_share(each) for each in file.chances(given)
                ],
                "draws": [_plain_share(each) for each in file.draws(given)],
                "keys": [asdict(each) for each in file.key_summaries(given)],
                "findings": _findings_data(file, given),
                "clusters": [
                    {"agent": agent, "seeds": each.runs, "shares": each.shares}
                    for agent in file.agents()
                    for each in file.clusters(agent, given)
                ],
            }
            for given in file.groups()
        ],
        "faults": [
            {"seed": seed, "fault": fault} for seed, fault in file.faults()
        ],
    }


def _plain_share(each: ShareSummary) -> dict[str, object]:
    return {**asdict(each), "share": list(each.share), "is_odd": each.is_odd}


def _plain(each: RowSummary) -> dict[str, object]:
    first_s = None
    if each.first_s:
        first_s = _spread(each.first_s)
    return {
        "agent": each.agent,
        "row": each.row,
        "takes": each.takes,
        "of": each.of,
        "share": list(each.share),
        "entered": _spread(each.entered),
        "time": _spread(each.time),
        "succeeded": each.succeeded,
        "failed": each.failed,
        "stopped": each.stopped,
        "first_s": first_s,
        "longest_s": _spread(each.longest_s),
        "bins": each.bins,
    }


def _spread(each: TakeSpread) -> dict[str, float]:
    return {"median": each.median, "low": each.low, "high": each.high}
