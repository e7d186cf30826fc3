"""What a study says of one of the cast, line by line. Knows nothing of Qt."""

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from umbrant.model.behaviors import Behavior
from umbrant.model.values import number_text, times_text
from umbrant.studying.clusters import TakeCluster
from umbrant.studying.summaries import (
    FindingSummary,
    RowSummary,
    ShareSummary,
    TakeSpread,
)

MOST_LED, MOST_CLUSTERS, MOST_SEEDS = 2, 6, 8


@dataclass(frozen=True)
class StudyLook:
    """What has been found so far of one of the cast."""

    agent: str
    counted: int
    rows: tuple[RowSummary, ...] = ()
    by_chance: tuple[ShareSummary, ...] = ()
    findings: tuple[FindingSummary, ...] = ()
    clusters: tuple[TakeCluster, ...] = ()
    groups: Mapping[str, tuple[RowSummary, ...]] = field(default_factory=dict)
    """The rows for each combination of varied values, where there are several.
    """
    before: tuple[RowSummary, ...] = ()
    """What the study before found of the rows."""


@dataclass(frozen=True)
class StudyLine:
    """One line: a row, something left to chance, a finding, takes that went
    alike, or a heading.
    """

    title: str
    words: str = ""
    row_id: str = ""
    found: RowSummary | None = None
    before: RowSummary | None = None
    share: ShareSummary | None = None
    part: float | None = None
    """Of a finding or of takes that went alike the share of all takes."""
    seeds: tuple[int, ...] = ()
    curve: tuple[tuple[float, TakeSpread], ...] = ()
    """For each value of the one number that is varied the share of the time.
    """
    is_heading: bool = False


def study_lines(look: StudyLook, behavior: Behavior) -> list[StudyLine]:
    """All lines, the rows of the behavior in their order first."""
    found = [*_rows(look, behavior)]
    sections = {
        "Left to chance": [
            _by_chance(each, behavior) for each in look.by_chance
        ],
        "Takes that went alike, the odd ones first": [*_alike(look, behavior)],
        "Found in takes": [_finding(each) for each in look.findings],
    }
    for heading, lines in sections.items():
        if lines:
            found += [StudyLine(heading, is_heading=True), *lines]
    return found


def named(behavior: Behavior, row_id: str) -> str:
    """A row by its number and name."""
    if row_id not in behavior.by_id:
        return row_id
    return f"{behavior.outline.number[row_id]} {behavior.row(row_id).name}".strip()


def values_of(given: str) -> dict[str, float]:
    """The varied values of a combination, as a study keeps it."""
    values: dict[str, float] = json.loads(given)
    return values


def given_words(given: str) -> str:
    """The varied values in words, by the last part of their names: `within =
    9`.
    """
    values = values_of(given).items()
    return ", ".join(
        f"{name.rpartition('.')[2]} = {number_text(value)}"
        for name, value in values
    )


def percent(share: float) -> str:
    """A share of the time in whole percents; what is more than nothing is
    never said to be none.
    """
    if 0 < share < 0.01:
        return "< 1"
    return f"{share * 100:.0f}"


def _rows(look: StudyLook, behavior: Behavior) -> Iterator[StudyLine]:
    ones = {each.row: each for each in look.rows}
    before = {each.row: each for each in look.before}
    for row_id in behavior.outline.number:
        found, title = ones.get(row_id), named(behavior, row_id)
        curve = tuple(_curve(look, row_id))
        if found is None:
            was = ""
            if row_id in before:
                was = " · it ran before"
            yield StudyLine(
                title, f"in no take{was}", row_id, before=before.get(row_id)
            )
        elif curve:
            yield StudyLine(
                title, _curve_words(curve), row_id, found, curve=curve
            )
        else:
            words = _row_words(
                found, before.get(row_id), has_before=bool(before)
            )
            yield StudyLine(title, words, row_id, found, before.get(row_id))


def _row_words(
    found: RowSummary, before: RowSummary | None, *, has_before: bool
) -> str:
    share = percent(found.time.median)
    if not has_before:
        times = times_text(found.entered.median)
        return f"{share} % · in {found.takes} of {found.of} takes · {times}"
    time, takes, was = "0", 0, ""
    if before is not None:
        time, takes = percent(before.time.median), before.takes
    if takes != found.takes:
        was = f", was {takes}"
    return f"{share} %, was {time} % · in {found.takes} of {found.of}{was}"


def _curve(look: StudyLook, row_id: str) -> Iterator[tuple[float, TakeSpread]]:
    """The share of the time for each value, where one number is varied."""
    for given, rows in look.groups.items():
        values = [*values_of(given).values()]
        if len(values) != 1:
            return
        found = next((each for each in rows if each.row == row_id), None)
        if found is not None:
            time = found.time
        else:
            time = TakeSpread(0.0, 0.0, 0.0)
        yield (
            values[0],
            time,
        )


def _curve_words(curve: tuple[tuple[float, TakeSpread], ...]) -> str:
    if len(curve) > 1:
        ends = [curve[0], curve[-1]]
    else:
        ends = [curve[0]]
    return " → ".join(
        f"{number_text(at)}: {percent(time.median)} %" for at, time in ends
    )


def _by_chance(each: ShareSummary, behavior: Behavior) -> StudyLine:
    share = 100 * each.happened / max(1, each.tried)
    words = f"{share:.1f} % of {each.tried}"
    if each.expected is not None:
        odd = ""
        if each.is_odd:
            odd = ", not likely"
        words += f" · set {each.expected * 100:.1f} %{odd}"
    return StudyLine(named(behavior, each.row), words, each.row, share=each)


def _alike(look: StudyLook, behavior: Behavior) -> Iterator[StudyLine]:
    # All of them alike is no news.
    for each in (
        look.clusters[:MOST_CLUSTERS] if len(look.clusters) > 1 else ()
    ):
        led = [
            f"{named(behavior, row)} {share * 100:.0f} %"
            for row, share in list(each.shares.items())[:MOST_LED]
        ]
        count = len(each.runs)
        plural = "s"
        if count == 1:
            plural = ""
        words = f"{count} take{plural}"
        yield StudyLine(
            ", ".join(led),
            words,
            seeds=each.runs[:MOST_SEEDS],
            part=count / max(1, look.counted),
        )


def _finding(each: FindingSummary) -> StudyLine:
    words = f"in {each.takes} of {each.of} takes"
    return StudyLine(
        each.says, words, seeds=(each.seed,), part=each.takes / max(1, each.of)
    )
