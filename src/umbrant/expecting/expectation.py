"""What must be so in takes, as a project's authors write it down, and whether
it is.

Each file in a project's folder `expectations` holds one expectation. Most are
about one take: they hold in it or are broken at a tick. *Often* is about the
share of takes, and may stay undecided.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import numpy as np
from pydantic import Field, model_validator

from umbrant.catalog.language.tree import LanguageError
from umbrant.expecting.columns import Bools
from umbrant.expecting.history import TakeSignals
from umbrant.expecting.share import wilson
from umbrant.model.folder import parsed_document
from umbrant.model.problems import Problem, ProjectError
from umbrant.model.values import FiniteNumber, ProjectFile, times_text
from umbrant.take.reader import Take

FOLDER = "expectations"
"""The folder of a project that holds them."""

Duration = Annotated[FiniteNumber, Field(ge=0)]
TakeShare = Annotated[FiniteNumber, Field(ge=0, le=1)]


class Expected(StrEnum):
    """What an expectation says."""

    ALWAYS = "always"
    NEVER = "never"
    BY = "by"
    WHENEVER = "whenever"
    AT_LEAST = "at least"
    AT_MOST = "at most"
    OFTEN = "often"


class Expectation(ProjectFile):
    """Something that must be so. `that` is a condition over a take, as
    `umbrant find` takes it.
    """

    expect: Expected
    that: str
    title: str = ""
    """What it is about, in the author's words; without one it is read from the
    rest.
    """
    scenario: str = ""
    """The scenario that it is about; empty for the one that the project begins
    with.
    """
    of: str = ""
    """Whose keys and rows are meant: one of the cast, or a group, each of whom
    is. Empty for the first of the cast that decides.
    """
    by_s: Duration | None = None
    """Of *by*: until when it must have been so."""
    then: str = ""
    """Of *whenever*: what must follow."""
    within_s: Duration | None = None
    """Of *whenever*: how soon. Of *at most*: in which time; without it in the
    whole take.
    """
    times: Annotated[int, Field(ge=0)] = 1
    """Of *at least* and *at most*: how many times it begins to be so."""
    between: tuple[TakeShare, TakeShare] | None = None
    """Of *often*: in which share of takes it is so at some tick."""

    @model_validator(mode="after")
    def _complete(self) -> "Expectation":
        needed = {
            Expected.BY: ("by_s", self.by_s is not None),
            Expected.WHENEVER: (
                "then",
                bool(self.then) and self.within_s is not None,
            ),
            Expected.OFTEN: ("between", self.between is not None),
        }
        field, is_there = needed.get(self.expect, ("", True))
        if not is_there:
            more = ""
            if field == "then":
                more = " and within_s"
            raise ValueError(f"'{self.expect}' needs {field}{more}")
        if self.between is not None and self.between[0] > self.between[1]:
            raise ValueError("between: the lower share comes first")
        return self

    @property
    def sentence(self) -> str:
        """It in words."""
        if self.title:
            return self.title
        who = ""
        if self.of:
            who = f"{self.of}: "
        return who + _SENTENCES[self.expect](self)


def _share_words(each: Expectation) -> str:
    low, high = each.between or (0.0, 1.0)
    return (
        f"between {low * 100:g} and {high * 100:g} % of takes have {each.that}"
    )


def _most_words(each: Expectation) -> str:
    time = ""
    if each.within_s is not None:
        time = f" in any {each.within_s:g} s"
    return f"{each.that} begins at most {times_text(each.times)}{time}"


_SENTENCES: Mapping[Expected, Callable[[Expectation], str]] = {
    Expected.ALWAYS: lambda each: f"always {each.that}",
    Expected.NEVER: lambda each: f"never {each.that}",
    Expected.BY: lambda each: f"by {each.by_s:g} s {each.that}",
    Expected.WHENEVER: lambda each: (
        f"whenever {each.that}, within {each.within_s:g} s {each.then}"
    ),
    Expected.AT_LEAST: lambda each: (
        f"{each.that} begins at least {times_text(each.times)}"
    ),
    Expected.AT_MOST: _most_words,
    Expected.OFTEN: _share_words,
}


@dataclass(frozen=True)
class Broken:
    """Where an expectation is broken in a take."""

    agent: str
    tick: int
    says: str
    """What was so there, in words."""


@dataclass(frozen=True)
class NamedExpectation:
    """An expectation, and the file that it stands in, as
    `expectations/name.json`.
    """

    file: str
    expectation: Expectation


def read_expectations(folder: Path) -> list[NamedExpectation]:
    """The expectations of a project in a folder, in the order of their files'
    names. Raises ProjectError, which names every file that cannot be read and
    the field that is wrong.
    """
    found: list[NamedExpectation] = []
    problems: list[Problem] = []
    place = folder / FOLDER
    for path in sorted(place.glob("*.json")) if place.is_dir() else []:
        file = f"{FOLDER}/{path.name}"
        try:
            text = path.read_text(encoding="utf-8")
        except (OSError, ValueError) as error:
            problems.append(Problem(file, "", str(error)))
            continue
        expectation = parsed_document(file, text, Expectation, problems)
        if expectation is not None:
            found.append(NamedExpectation(file, expectation))
    if problems:
        raise ProjectError(problems)
    return found


def agents_of(expectation: Expectation, take: Take) -> list[str]:
    """Whom an expectation is about. Raises LanguageError where there is nobody
    of that name.
    """
    cast = take.header.cast
    if not expectation.of:
        return [each.name for each in cast if each.behavior][:1]
    named = [each.name for each in cast if each.name == expectation.of]
    found = named or [
        each.name for each in cast if each.group == expectation.of
    ]
    if not found:
        raise LanguageError(
            f"of: nobody of the cast, and no group, is '{expectation.of}'",
            (0, 0),
        )
    return found


def broken_in(expectation: Expectation, take: Take) -> list[Broken]:
    """Where an expectation is broken in a take, the first tick for each whom
    it is about. Raises LanguageError. One about the share of takes is never
    broken by one take.
    """
    found = []
    for agent in agents_of(expectation, take):
        history = TakeSignals(take, agent)
        place = _CHECKS[expectation.expect](expectation, history)
        if place is not None:
            found.append(Broken(agent, *place))
    return found


@dataclass(frozen=True)
class BrokenExpectation:
    """An expectation that does not hold in a take: what there is to say, for
    whom, and from which tick on.
    """

    file: str
    says: str
    agent: str
    tick: int


def broken_expectations(
    expectations: Iterable[NamedExpectation], take: Take
) -> list[BrokenExpectation]:
    """What a take breaks, by the tick. One that cannot be understood is told
    of at its beginning. Any thread.
    """
    if not take.ticks:
        # It was stopped before anything was played, and so says nothing of
        # anything.
        return []
    first = take.header.project.cover.scenario
    about = for_scenario(expectations, take.header.scenario, first)
    found = [each for named in about for each in _said_of(named, take)]
    return sorted(found, key=lambda each: each.tick)


def _said_of(
    named: NamedExpectation, take: Take
) -> Iterator[BrokenExpectation]:
    sentence = named.expectation.sentence
    try:
        for each in broken_in(named.expectation, take):
            seconds = take.header.seconds(each.tick)
            says = f"{sentence}: broken at {seconds:.2f} s by {each.agent}: {each.says}."
            yield BrokenExpectation(named.file, says, each.agent, each.tick)
    except LanguageError as error:
        yield BrokenExpectation(named.file, f"{sentence}: {error}.", "", 0)


def happens_in(expectation: Expectation, take: Take) -> bool:
    """Whether what an expectation is about is so at some tick. Raises
    LanguageError.
    """
    return any(
        bool(TakeSignals(take, agent).holds(expectation.that).any())
        for agent in agents_of(expectation, take)
    )


BrokenAt = tuple[int, str]


def _first(holds: Bools) -> int | None:
    found = np.flatnonzero(holds)
    if len(found):
        return int(found[0])
    return None


def _starts(holds: Bools) -> list[int]:
    """The ticks at which something begins to be so."""
    return np.flatnonzero(
        holds & ~np.concatenate(([False], holds[:-1]))
    ).tolist()


def _always(each: Expectation, history: TakeSignals) -> BrokenAt | None:
    tick = _first(~history.holds(each.that))
    if tick is None:
        return None
    return (tick, f"not {each.that}")


def _never(each: Expectation, history: TakeSignals) -> BrokenAt | None:
    tick = _first(history.holds(each.that))
    if tick is None:
        return None
    return (tick, each.that)


def _by(each: Expectation, history: TakeSignals) -> BrokenAt | None:
    wanted = _ticks(each.by_s, history)
    last = max(0, min(history.ticks - 1, wanted))
    if history.holds(each.that)[: last + 1].any():
        return None
    # A take that was cut short might have gone on to it.
    if last < wanted and not history.take.is_complete:
        return None
    return last, f"{each.that} has not been so"


def _whenever(each: Expectation, history: TakeSignals) -> BrokenAt | None:
    follows, room = history.holds(each.then), _ticks(each.within_s, history)
    for start in _starts(history.holds(each.that)):
        end = start + room
        # Where the take ends sooner nothing can be said.
        if end < history.ticks and not follows[start : end + 1].any():
            return (
                start,
                f"{each.that}, and within {each.within_s:g} s not {each.then}",
            )
    return None


def _at_least(each: Expectation, history: TakeSignals) -> BrokenAt | None:
    count = len(_starts(history.holds(each.that)))
    last = max(0, history.ticks - 1)
    # A take that was cut short might have gone on to the rest.
    if count >= each.times or not history.take.is_complete:
        return None
    return last, f"{each.that} began {times_text(count)}"


def _at_most(each: Expectation, history: TakeSignals) -> BrokenAt | None:
    starts = _starts(history.holds(each.that))
    if each.within_s is None:
        room = history.ticks
    else:
        room = _ticks(each.within_s, history)
    for index in range(each.times, len(starts)):
        if starts[index] - starts[index - each.times] <= room:
            return starts[
                index
            ], f"{each.that} began {times_text(each.times + 1)}"
    return None


def _often(each: Expectation, history: TakeSignals) -> BrokenAt | None:
    history.holds(each.that)
    return None


def _ticks(seconds: float | None, history: TakeSignals) -> int:
    return round((seconds or 0.0) * history.take.header.ticks_per_s)


_CHECKS: Mapping[
    Expected, Callable[[Expectation, TakeSignals], BrokenAt | None]
] = {
    Expected.ALWAYS: _always,
    Expected.NEVER: _never,
    Expected.BY: _by,
    Expected.WHENEVER: _whenever,
    Expected.AT_LEAST: _at_least,
    Expected.AT_MOST: _at_most,
    Expected.OFTEN: _often,
}


class Verdict(StrEnum):
    """What became of an expectation over some takes."""

    HOLDS = "holds"
    BROKEN = "broken"
    UNDECIDED = "undecided"


@dataclass(frozen=True)
class SeedOutcome:
    """What one take says of an expectation."""

    seed: int
    broken: tuple[Broken, ...]
    happens: bool


@dataclass(frozen=True)
class ExpectationResult:
    """What some takes say of an expectation."""

    named: NamedExpectation
    outcomes: tuple[SeedOutcome, ...]

    @property
    def broken(self) -> Iterator[tuple[int, Broken]]:
        """Each seed with where it breaks the expectation."""
        return (
            (each.seed, broken)
            for each in self.outcomes
            for broken in each.broken
        )

    @property
    def interval(self) -> tuple[float, float]:
        """Between which shares of all takes it is likely to happen."""
        return wilson(
            sum(each.happens for each in self.outcomes), len(self.outcomes)
        )

    @property
    def verdict(self) -> Verdict:
        """Whether it holds. A share is decided once its interval lies inside,
        or outside.
        """
        between = self.named.expectation.between
        if (
            self.named.expectation.expect is not Expected.OFTEN
            or between is None
        ):
            is_broken = any(each.broken for each in self.outcomes)
            if is_broken:
                return Verdict.BROKEN
            return Verdict.HOLDS
        low, high = self.interval
        if between[0] <= low and high <= between[1]:
            return Verdict.HOLDS
        if high < between[0] or low > between[1]:
            return Verdict.BROKEN
        return Verdict.UNDECIDED


def outcome(named: NamedExpectation, take: Take) -> SeedOutcome:
    """What a take says of an expectation. Raises LanguageError, which names
    the file.
    """
    each = named.expectation
    try:
        is_share = each.expect is Expected.OFTEN
        happens = False
        if is_share:
            happens = happens_in(each, take)
        return SeedOutcome(
            take.header.seed, tuple(broken_in(each, take)), happens
        )
    except LanguageError as error:
        raise LanguageError(f"{named.file}: {error}", error.span) from None


def for_scenario(
    expectations: Iterable[NamedExpectation], scenario: str, first: str
) -> Sequence[NamedExpectation]:
    """The expectations that are about a scenario; `first` is the one that a
    project begins with.
    """
    return [
        each
        for each in expectations
        if (each.expectation.scenario or first) == scenario
    ]
